//! What is kept of how a program was looked at, so that it is there again when it is opened the next time:
//! stops, watched places, layout, cursor. Whoever owns files writes it down; the user's own files are not touched.
//!
//! Lines are kept with their text. If a file was changed meanwhile, what belonged to a line goes to where its text is
//! now, and is dropped when it is nowhere.

use serde::{Deserialize, Serialize};
use wendax_session::Record;

/// A line of a file.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Line {
    /// The file, as the program names it.
    pub file: String,
    /// The line, from 1.
    pub line: usize,
    /// What stood there.
    pub text: String,
}

/// A stop.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct KeptStop {
    /// The line it is on, if it is on one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub line: Option<Line>,
    /// What is said of the line, or all of it.
    pub words: String,
    /// It does not stop now.
    pub off: bool,
}

/// How a program was looked at.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Kept {
    /// Where it stops.
    pub stops: Vec<KeptStop>,
    /// What was watched.
    pub watches: Vec<String>,
    /// What the routine uses was watched too.
    pub watches_routine: bool,
    /// How many of the first steps were taken.
    pub lesson: usize,
    /// They were hidden.
    pub lessons_hidden: bool,
    /// Where the cursor was.
    pub cursor: Line,
    /// What the memory pane showed: a label, a register or an address, as `m` takes it.
    pub memory: String,
    /// The name of the pane in focus.
    pub focus: String,
    /// The layout: `alone`, `showing`, or nothing for the bench.
    pub layout: String,
    /// Lines were wrapped, when that is not what the settings say; so it is with the two that follow.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub wraps: Option<bool>,
    /// Code words were put away.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub without_code: Option<bool>,
    /// Registers showed their bits.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub binary: Option<bool>,
    /// Commands used last, by their names.
    pub commands: Vec<String>,
    /// The walk, to be taken up again.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub walk: Option<Record>,
}
