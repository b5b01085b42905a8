//! What is written down of a run for a file, while that takes more than a moment.

use wendax_session::{Saving, Session, TrailText};

#[derive(Debug, Clone)]
pub(crate) enum Writing {
    /// What came from outside.
    Events(Box<Saving>),
    /// The steps.
    Trail(Box<TrailText>),
}

impl Writing {
    /// It is still of the branch of a session.
    pub(crate) fn is_of(&self, session: &Session) -> bool {
        match self {
            Self::Events(saving) => saving.is_of(session),
            Self::Trail(text) => text.is_of(session),
        }
    }

    /// Steps gone through, and all there are.
    pub(crate) fn progress(&self, session: &Session) -> (u64, u64) {
        match self {
            Self::Events(saving) => saving.progress(session),
            Self::Trail(text) => text.progress(session),
        }
    }

    /// Works for about as long as `budget` steps take; true when all is written down.
    pub(crate) fn work(&mut self, session: &Session, budget: u64) -> bool {
        match self {
            Self::Events(saving) => saving.work(session, budget),
            Self::Trail(text) => text.work(session, budget),
        }
    }

    /// What was written down.
    pub(crate) fn text(&self) -> &str {
        match self {
            Self::Events(saving) => saving.text(),
            Self::Trail(text) => text.text(),
        }
    }
}
