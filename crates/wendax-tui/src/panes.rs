//! The panes, as one table.
//!
//! A pane is one file in `panes/`: what it is called, how it is found, how much room it wants, how it draws itself, and
//! what Enter does in it when it is a list. To add one, write its file, name it in the table below and give it a slot in
//! `layout.rs`; focus, palette, guide and `docs/keys.md` follow from the table and from what the pane says of itself.
//!
//! Panes look at the app and never change it: what is to be done they answer with as an [`Order`].

mod ahead;
mod atlas;
mod board;
mod both;
mod calls;
mod cautions;
mod console;
mod differences;
mod drawer;
mod flags;
mod flow;
mod history;
mod inside;
mod marks;
mod memory;
pub(crate) mod next;
mod registers;
mod ribbon;
mod runs;
pub(crate) mod source;
mod stack;
pub(crate) mod stops;
mod tally;
mod trail;
mod trials;
mod watches;

use crate::app::App;
pub(crate) use crate::pane_id::{Need, PaneId, PaneState};
use crate::parts::pen::Pen;
use crate::world::documents::DocumentId;
use ratatui::layout::Rect;
use wendax_machine::{Addr, StepNo};
use wendax_session::{Command, Session, Thing};

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
    /// Go to another run, by its place in the list of them.
    Run(usize),
    /// Walk the run of a row of trials, by its place among rules and rows.
    Row(usize),
}

/// Work on the run that a pane hangs on while it is shown and the run stands still.
pub(crate) struct Work {
    /// There is some.
    pub(crate) is_wanted: fn(&App, &Session) -> bool,
    /// Does a slice of it.
    pub(crate) slice: fn(&mut App),
}

/// What the run cost is to be known.
const MEASURE: Work = Work {
    is_wanted: |app, session| session.end() > StepNo::FIRST && !app.world.tallies.is_current(session),
    slice: |app| app.world.measure(app.world.slice),
};

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

    /// The work it hangs on.
    fn work(&self) -> Option<Work> {
        None
    }

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

pub(crate) use atlas::sideways;
pub(crate) use flow::present_entry;

/// All panes with their ids.
pub(crate) fn all() -> impl DoubleEndedIterator<Item = (PaneId, &'static dyn Pane)> {
    PaneId::ALL.iter().map(|id| (*id, id.pane()))
}

impl PaneId {
    /// The table: each pane has its file.
    pub(crate) fn pane(self) -> &'static dyn Pane {
        match self {
            Self::Source => &source::Source,
            Self::Next => &next::Next,
            Self::Registers => &registers::Registers,
            Self::Flags => &flags::Flags,
            Self::Board => &board::Board,
            Self::Stack => &stack::Stack,
            Self::Calls => &calls::Calls,
            Self::Watches => &watches::Watches,
            Self::Memory => &memory::Memory,
            Self::Drawer => &drawer::Drawer,
            Self::Marks => &marks::Marks,
            Self::Cautions => &cautions::Cautions,
            Self::Ahead => &ahead::Ahead,
            Self::Inside => &inside::Inside,
            Self::Differences => &differences::Differences,
            Self::Both => &both::Both,
            Self::Runs => &runs::Runs,
            Self::Stops => &stops::Stops,
            Self::History => &history::History,
            Self::Trail => &trail::Trail,
            Self::Tally => &tally::Tally,
            Self::Flow => &flow::Flow,
            Self::Atlas => &atlas::Atlas,
            Self::Trials => &trials::Trials,
            Self::Ribbon => &ribbon::Ribbon,
            Self::Console => &console::Console,
        }
    }

    /// Tab stops at it: something can be moved in it.
    pub(crate) fn has_moves(self, app: &App) -> bool {
        match self {
            Self::Source | Self::Registers | Self::Flags | Self::Stack | Self::Memory | Self::Console => true,
            Self::Next | Self::Ribbon => false,
            Self::Board => app.world.walk.uses_devices,
            Self::Calls
            | Self::Marks
            | Self::Cautions
            | Self::Ahead
            | Self::Inside
            | Self::Differences
            | Self::Both
            | Self::Runs
            | Self::Stops
            | Self::History
            | Self::Trail
            | Self::Tally
            | Self::Flow
            | Self::Atlas
            | Self::Trials
            | Self::Watches
            | Self::Drawer => self.pane().entries(app).is_some_and(|count| count > 0),
        }
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
