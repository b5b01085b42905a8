//! The panes, as one table.
//!
//! A pane is one file in `panes/`: what it is called, how it is found, how much room it wants, how it draws itself, and
//! what Enter does in it when it is a list. To add one, write its file, name it in the table below and give it a slot in
//! `layout.rs`; focus, palette, guide and `docs/keys.md` follow from the table and from what the pane says of itself.
//!
//! Panes look at the app and never change it: what is to be done they answer with as an [`Order`].

mod atlas;
mod board;
mod calls;
mod console;
mod drawer;
mod flags;
mod flow;
mod history;
mod marks;
mod memory;
mod next;
mod registers;
mod ribbon;
pub(crate) mod source;
mod stack;
pub(crate) mod stops;
mod tally;
mod trail;
mod watches;

use crate::app::App;
use crate::parts::pen::Pen;
use crate::world::documents::DocumentId;
use ratatui::layout::Rect;
use wendax_machine::Addr;
use wendax_session::{Command, Thing};

/// Rows a pane can do with, those of its head among them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Need {
    /// Fewer are of no use to it.
    pub(crate) least: u16,
    /// More add nothing; 0 when there is nothing to show.
    pub(crate) most: u16,
    /// It takes either of the two, and nothing in between.
    pub(crate) is_either: bool,
}

impl Need {
    pub(crate) fn rows(least: u16, most: u16) -> Self {
        Self { least, most: most.max(least), is_either: false }
    }

    pub(crate) fn either(small: u16, large: u16) -> Self {
        Self { least: small, most: large.max(small), is_either: true }
    }

    /// Nothing to show, unless someone looks.
    pub(crate) const NOTHING: Self = Self { least: 0, most: 0, is_either: false };
}

/// What a pane wants done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Order {
    /// Move through the run.
    Travel(Command),
    /// Show a line (from 0) of a document.
    Show(DocumentId, usize),
    /// Go to the step that wrote this last.
    WrittenBy(Thing),
    /// Show memory from an address on.
    Memory(Addr),
    /// Move a lever, by its number.
    Lever(u32),
    /// Keys go to the program from now on.
    Strike,
}

/// A pane of a page.
pub(crate) trait Pane: Sync {
    /// What stands at its head.
    fn name(&self) -> &'static str;

    /// The palette's entry that brings it into view.
    fn command(&self) -> &'static str;

    /// Other words people have for it.
    fn words(&self) -> &'static str;

    /// What it shows and how to read it, in a few sentences.
    fn about(&self) -> &'static str;

    /// The rows it can do with in a column of this size.
    fn need(&self, app: &App, column: Rect) -> Need;

    /// Draws it, with its head.
    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect);

    /// How many entries it has, when it is a list of which one can be chosen.
    fn entries(&self, _app: &App) -> Option<usize> {
        None
    }

    /// What Enter does on an entry.
    fn enter(&self, _app: &App, _entry: usize) -> Option<Order> {
        None
    }

    /// What stands at an entry, when that can be written and read.
    fn thing(&self, _app: &App, _entry: usize) -> Option<Thing> {
        None
    }

    /// What a click on a cell of the screen does, beside giving it the focus.
    fn click(&self, _app: &App, _area: Rect, _at: (u16, u16)) -> Option<Order> {
        None
    }

    /// How it is looked at after a move by rows, when it is more than a list.
    fn moved(&self, _app: &App, _area: Rect, _by: isize) -> Option<PaneState> {
        None
    }

    /// How far it can be scrolled, in rows, when it is no list: up and down from where it stands by itself.
    fn scroll_range(&self, _app: &App, _area: Rect) -> (i64, i64) {
        (0, 0)
    }
}

/// What is kept of how a pane is looked at.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct PaneState {
    /// Rows it is scrolled by.
    pub(crate) scroll: i64,
    /// The entry chosen.
    pub(crate) chosen: usize,
}

pub(crate) use atlas::sideways;
pub(crate) use flow::present_entry;

macro_rules! panes {
    ($($id:ident: $file:ident),* $(,)?) => {
        /// A pane, by its place in the table.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        #[expect(missing_docs, reason = "the pane's own file says what it is")]
        pub enum PaneId { $($id),* }

        /// All panes, in the order in which Tab goes through them.
        static TABLE: &[(PaneId, &dyn Pane)] = &[$((PaneId::$id, &$file::$id)),*];
    };
}

panes! {
    Source: source,
    Next: next,
    Registers: registers,
    Flags: flags,
    Board: board,
    Stack: stack,
    Calls: calls,
    Watches: watches,
    Memory: memory,
    Drawer: drawer,
    Marks: marks,
    Stops: stops,
    History: history,
    Trail: trail,
    Tally: tally,
    Flow: flow,
    Atlas: atlas,
    Ribbon: ribbon,
    Console: console,
}

/// All panes with their ids.
pub(crate) fn all() -> impl DoubleEndedIterator<Item = (PaneId, &'static dyn Pane)> {
    TABLE.iter().copied()
}

impl PaneId {
    pub(crate) fn pane(self) -> &'static dyn Pane {
        TABLE[self as usize].1
    }

    /// It is looked at on a page of its own.
    pub(crate) fn is_page(self) -> bool {
        Self::PAGES.contains(&self)
    }

    /// What is looked at on a page of its own, in the order in which one comes behind the other.
    pub(crate) const PAGES: [Self; 3] = [Self::Tally, Self::Flow, Self::Atlas];

    /// The page behind this one, behind the last the first.
    pub(crate) fn page_behind(self) -> Self {
        let at = Self::PAGES.iter().position(|page| *page == self).map_or(0, |at| at + 1);
        Self::PAGES[at % Self::PAGES.len()]
    }

    /// Tab stops at it: something can be moved in it.
    pub(crate) fn has_moves(self, app: &App) -> bool {
        match self {
            Self::Source | Self::Registers | Self::Flags | Self::Stack | Self::Memory | Self::Console => true,
            Self::Next | Self::Ribbon => false,
            Self::Board => app.world.walk.uses_devices,
            Self::Calls
            | Self::Marks
            | Self::Stops
            | Self::History
            | Self::Trail
            | Self::Tally
            | Self::Flow
            | Self::Atlas
            | Self::Watches
            | Self::Drawer => self.pane().entries(app).is_some_and(|count| count > 0),
        }
    }
}

/// The state of each pane.
#[derive(Debug, Clone)]
pub(crate) struct PaneStates(Vec<PaneState>);

impl Default for PaneStates {
    fn default() -> Self {
        Self(vec![PaneState::default(); TABLE.len()])
    }
}

impl PaneStates {
    pub(crate) fn of(&self, id: PaneId) -> PaneState {
        self.0[id as usize]
    }

    pub(crate) fn of_mut(&mut self, id: PaneId) -> &mut PaneState {
        &mut self.0[id as usize]
    }
}

/// The head of a pane; returns the rows below it.
fn head(app: &App, pen: &mut Pen<'_>, area: Rect, id: PaneId, note: &str) -> Rect {
    // On a page it is said which one comes behind it.
    let told = match (id.is_page(), note) {
        (false, _) => note.to_owned(),
        (true, "") => format!("P: {}", id.page_behind().pane().name()),
        (true, note) => format!("{note} · P: {}", id.page_behind().pane().name()),
    };
    pen.head(area, id.pane().name(), &told, app.screen.focus == id);
    Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area }
}
