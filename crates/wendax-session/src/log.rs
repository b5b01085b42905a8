//! The recorded door: every event that came from outside, and at which step.

use wendax_machine::Event;

/// An event and the step before which it happened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Entry {
    pub(crate) step: u64,
    pub(crate) event: Event,
    /// How much had been printed by then.
    pub(crate) printed: u64,
}

/// Events in the order they happened; their steps never fall.
#[derive(Debug, Clone, Default)]
pub(crate) struct Log {
    entries: Vec<Entry>,
}

impl Log {
    pub(crate) fn push(&mut self, entry: Entry) {
        debug_assert!(self.entries.last().is_none_or(|last| last.step <= entry.step), "time does not run back");
        self.entries.push(entry);
    }

    pub(crate) fn get(&self, index: usize) -> Option<&Entry> {
        self.entries.get(index)
    }

    pub(crate) fn len(&self) -> usize {
        self.entries.len()
    }

    pub(crate) fn truncate(&mut self, length: usize) {
        self.entries.truncate(length);
    }

    pub(crate) fn entries(&self) -> &[Entry] {
        &self.entries
    }

    /// How many entries, from `from` on, have happened for someone who arrives at `step`: those of earlier
    /// steps, and those at `step` up to the last edit. What was typed at `step` itself is still to come.
    pub(crate) fn happened_by(&self, step: u64, from: usize) -> usize {
        let mut happened = from;
        for (index, entry) in self.entries.iter().enumerate().skip(from) {
            if entry.step > step {
                break;
            }
            if entry.step < step || entry.event.is_edit() {
                happened = index + 1;
            }
        }
        happened
    }
}
