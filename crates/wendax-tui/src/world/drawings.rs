//! A drawing that waits for what it shows to be found out.

use crate::actions::Drawing;
use wendax_session::Levels;

/// A drawing that was asked for, and what is being found out for it.
#[derive(Debug, Clone)]
pub(crate) struct Pending {
    pub(crate) what: Drawing,
    /// Of what, in words.
    pub(crate) of: String,
    pub(crate) path: String,
    pub(crate) levels: Option<Box<Levels>>,
}
