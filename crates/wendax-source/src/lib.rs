//! Source texts, places in them, and what is wrong with them.
//!
//! Everything a user wrote is held in [`Sources`]; every later stage speaks of it by [`Span`]. What is
//! wrong with a text is data, a [`Diagnostic`]; how it looks as text is decided in [`render`] alone.
//!
//! This crate knows nothing of instructions and opens no files.

mod diagnostic;
mod files;
mod render;
mod signs;
mod spelling;

pub use diagnostic::{Code, Diagnostic, Edit, Fix, Grade, Label, Severity, apply_edits};
pub use files::{FileError, FileId, Files, LineCol, MemoryFiles, SourceFile, Sources, Span, path_from, path_to};
pub use render::{Style, count_line, mended_line, render, render_all};
pub use signs::{is_hidden, shown, shown_line, shown_sign, toml_text};
pub use spelling::{meant, nearest, not_known_here};
