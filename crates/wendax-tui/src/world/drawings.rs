//! A drawing that waits for what it shows to be found out.

use std::path::PathBuf;
use wendax_draw::{Drawing, Form};
use wendax_session::Levels;

/// What is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Wanted {
    Of(Drawing),
    /// The pane in focus.
    Pane,
    /// The pane in focus before the last step and now.
    Change,
}

impl From<Drawing> for Wanted {
    fn from(drawing: Drawing) -> Self {
        Self::Of(drawing)
    }
}

impl Wanted {
    /// What it is a drawing of.
    pub(crate) fn drawing(self) -> Drawing {
        match self {
            Self::Of(drawing) => drawing,
            Self::Pane | Self::Change => Drawing::Screen,
        }
    }
}

/// A drawing that was asked for, and what is being found out for it.
#[derive(Debug, Clone)]
pub(crate) struct Pending {
    pub(crate) what: Wanted,
    pub(crate) form: Form,
    /// Of what, in words.
    pub(crate) of: String,
    pub(crate) path: PathBuf,
    pub(crate) levels: Option<Box<Levels>>,
}
