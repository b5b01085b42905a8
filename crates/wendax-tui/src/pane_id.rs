//! The panes by their names, what is kept of how each is looked at, and the room each asks for. What they show is in
//! `panes/`.

macro_rules! panes {
    ($($id:ident),* $(,)?) => {
        /// A pane, by its place in the table.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        #[expect(missing_docs, reason = "the pane's own file says what it is")]
        pub enum PaneId { $($id),* }

        impl PaneId {
            /// All panes, in the order in which Tab goes through them.
            pub(crate) const ALL: &[Self] = &[$(Self::$id),*];
        }
    };
}

panes! {
    Source,
    Next,
    Registers,
    Flags,
    Board,
    Stack,
    Calls,
    Watches,
    Memory,
    Drawer,
    Marks,
    Ahead,
    Inside,
    Cautions,
    Differences,
    Both,
    Runs,
    Stops,
    History,
    Trail,
    Tally,
    Flow,
    Atlas,
    Trials,
    Ribbon,
    Console,
}

impl PaneId {
    /// It is looked at on a page of its own.
    pub(crate) fn is_page(self) -> bool {
        Self::PAGES.contains(&self)
    }

    /// What is looked at on a page of its own, in the order in which one comes behind the other.
    pub(crate) const PAGES: [Self; 4] = [Self::Tally, Self::Flow, Self::Atlas, Self::Trials];

    /// The page behind this one, behind the last the first.
    pub(crate) fn page_behind(self) -> Self {
        let at = Self::PAGES.iter().position(|page| *page == self).map_or(0, |at| at + 1);
        Self::PAGES[at % Self::PAGES.len()]
    }
}

/// Rows a pane can do with, those of its head among them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Need {
    /// Fewer are of no use to it.
    pub least: u16,
    /// More add nothing; 0 when there is nothing to show.
    pub most: u16,
    /// It takes either of the two, and nothing in between.
    pub is_either: bool,
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

/// What is kept of how a pane is looked at.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct PaneState {
    /// Rows it is scrolled by.
    pub(crate) scroll: i64,
    /// The entry chosen.
    pub(crate) chosen: usize,
}

/// The state of each pane.
#[derive(Debug, Clone)]
pub(crate) struct PaneStates(Vec<PaneState>);

impl Default for PaneStates {
    fn default() -> Self {
        Self(vec![PaneState::default(); PaneId::ALL.len()])
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
