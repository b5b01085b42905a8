//! What comes from outside by itself: keys, text, levers, the end of input, at moments that a file names.
//!
//! `docs/events.md` has the format: one JSON object a line, each a moment and what comes then. `read` is the door: a
//! [`Script`] has been checked whole. `playing` is how far a branch of a run has come in it, `saving` makes a file of
//! what came. What came is an event of the branch's log like any other, so going back and on again needs no script; a new
//! branch gets what comes behind where it begins.

mod playing;
mod read;
mod saving;

pub(crate) use playing::{Due, Playing};
pub use read::ScriptError;
pub use saving::Saving;

use wendax_isa::{Addr, StepNo};

/// When something comes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum When {
    /// With the step that takes the cycle counter to this.
    Cycle(u64),
    Step(StepNo),
    /// So many cycles after a place arrived so often, and at the earliest behind its instruction: so what comes does not
    /// take back that it arrived.
    Met {
        place: usize,
        time: u64,
        after: u64,
    },
    /// When the program asks for typed input.
    Asked,
}

/// What comes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum What {
    Text(Vec<u8>),
    Levers(u32),
    /// One lever, by its number: up or down.
    Lever(u32, bool),
    End,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Entry {
    when: When,
    what: What,
    /// The line of the file, from 1.
    line: usize,
}

/// What comes from outside by itself in a run.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Script {
    entries: Vec<Entry>,
    /// The places that moments name, each once.
    places: Vec<Addr>,
}

impl Script {
    /// It has nothing in it.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    /// How many things come.
    pub fn len(&self) -> usize {
        self.entries.len()
    }
}
