//! Where a walk stands in a run: the machine, and how much of what came from outside it has been fed.
//!
//! A cursor goes on and is put back; what is known of the run, and what its way means to anybody, it does not know.

use crate::log::Log;
use wendax_machine::{Machine, Snapshot};

/// The machine at some step of a run.
#[derive(Debug, Clone)]
pub(crate) struct Cursor {
    pub(crate) machine: Machine,
    /// Entries of the log that it has been fed.
    pub(crate) fed: usize,
    /// Everything done from the start of the run up to here, in steps and work worth as much.
    pub(crate) effort: u64,
    /// The end of what was printed up to here.
    pub(crate) tail: Tail,
}

/// Where a cursor stood, to be put back there.
#[derive(Debug, Clone)]
pub(crate) struct Kept {
    pub(crate) snapshot: Snapshot,
    /// See [`Cursor`].
    pub(crate) fed: usize,
    pub(crate) effort: u64,
    pub(crate) tail: Tail,
}

/// The end of what a run has printed, as far as anything may ask for it.
#[derive(Debug, Clone, Default)]
pub(crate) struct Tail(Vec<u8>);

impl Tail {
    /// A text that is looked for is at most so long.
    pub(crate) const LONGEST: usize = 256;

    /// Behind that this is printed.
    pub(crate) fn print(&mut self, output: &[u8]) {
        self.0.extend_from_slice(&output[output.len().saturating_sub(Self::LONGEST)..]);
        self.0.drain(..self.0.len().saturating_sub(Self::LONGEST));
    }

    pub(crate) fn bytes(&self) -> &[u8] {
        &self.0
    }
}

impl Cursor {
    /// At the start of a run.
    pub(crate) fn new(machine: Machine) -> Self {
        Self { machine, fed: 0, effort: 0, tail: Tail::default() }
    }

    /// Where it stands.
    pub(crate) fn keep(&mut self) -> Kept {
        Kept { snapshot: self.machine.snapshot(), fed: self.fed, effort: self.effort, tail: self.tail.clone() }
    }

    /// Stands where one stood; the machine goes on looking out for what it looks out for.
    pub(crate) fn put_back(&mut self, kept: &Kept) {
        self.machine.restore(&kept.snapshot);
        (self.fed, self.effort, self.tail) = (kept.fed, kept.effort, kept.tail.clone());
    }

    /// What was changed by hand at its moment has happened there.
    pub(crate) fn feed_edits(&mut self, log: &Log) {
        let due = log.due_at(self.fed, self.machine.steps());
        let edits = due.iter().take_while(|entry| entry.event.is_edit()).count();
        due[..edits].iter().for_each(|entry| self.machine.feed(&entry.event));
        self.fed += edits;
    }

    /// The machine ran on since a mark of its effort: counts what was done, and returns what was printed.
    pub(crate) fn count(&mut self, mark: u64) -> Vec<u8> {
        self.effort += self.machine.effort_since(mark);
        let output = self.machine.take_output();
        self.tail.print(&output);
        output
    }
}
