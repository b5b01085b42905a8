//! What panes and sheets are made of: the pen, lists, fields, scroll marks, wrapped text.
//!
//! Parts know nothing of programs; they are given what they show.

pub(crate) mod field;
pub(crate) mod list;
pub(crate) mod pen;
pub(crate) mod text;
