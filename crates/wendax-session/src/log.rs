//! The recorded door: every event that came from outside, and at which step.
//!
//! Each event has one place in time. A change by hand (also of the levers) has happened by the time its step is
//! looked at; what was typed at a step, and answers to what the program asked there, are still to come then. So among
//! the entries of one step changes by hand stand first.

use wendax_isa::StepNo;
use wendax_machine::Event;

/// An event and the step before which it happened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Entry {
    pub(crate) step: StepNo,
    pub(crate) event: Event,
    /// How much had been printed by then.
    pub(crate) printed: u64,
    /// What a change by hand found there; `None` when it had never been set.
    pub(crate) was: Option<u32>,
}

/// Events in the order they happened; their steps never fall. An entry goes by its index since the start of the run,
/// also when the first ones have been forgotten.
#[derive(Debug, Clone, Default)]
pub(crate) struct Log {
    entries: Vec<Entry>,
    /// Entries forgotten.
    base: usize,
    /// Bytes held by typed input.
    typed: usize,
}

fn bytes_of(entry: &Entry) -> usize {
    if let Event::Typed(bytes) = &entry.event { bytes.capacity() } else { 0 }
}

impl Log {
    pub(crate) fn push(&mut self, entry: Entry) {
        debug_assert!(self.entries.last().is_none_or(|last| last.step <= entry.step), "time does not run back");
        self.typed += bytes_of(&entry);
        self.entries.push(entry);
    }

    /// Puts a change by hand behind those of its step that there are.
    pub(crate) fn insert(&mut self, index: usize, entry: Entry) {
        self.typed += bytes_of(&entry);
        self.entries.insert(index - self.base, entry);
    }

    /// Takes an entry out.
    pub(crate) fn remove(&mut self, index: usize) {
        let entry = self.entries.remove(index - self.base);
        self.typed -= bytes_of(&entry);
    }

    /// The entries from an index on that come at a step; none come before it there.
    pub(crate) fn due_at(&self, index: usize, step: StepNo) -> &[Entry] {
        let from = self.from(index);
        &from[..from.iter().take_while(|entry| entry.step == step).count()]
    }

    /// The step of the first entry from an index on.
    pub(crate) fn next_step(&self, index: usize) -> StepNo {
        self.get(index).map_or(StepNo::LAST, |entry| entry.step)
    }

    pub(crate) fn get(&self, index: usize) -> Option<&Entry> {
        self.entries.get(index.checked_sub(self.base)?)
    }

    /// One past the index of the last entry.
    pub(crate) fn len(&self) -> usize {
        self.base + self.entries.len()
    }

    /// Drops the entries from `index` on that do not stay; returns those that went.
    pub(crate) fn drop_from(&mut self, index: usize, stays: impl Fn(&Entry) -> bool) -> Vec<Entry> {
        let tail = self.entries.split_off((index - self.base).min(self.entries.len()));
        let (stay, go): (Vec<Entry>, Vec<Entry>) = tail.into_iter().partition(stays);
        self.entries.extend(stay);
        self.typed -= go.iter().map(bytes_of).sum::<usize>();
        go
    }

    /// The entries from an index on.
    pub(crate) fn from(&self, index: usize) -> &[Entry] {
        &self.entries[index.saturating_sub(self.base).min(self.entries.len())..]
    }

    /// Those before an index, as far as they are kept.
    pub(crate) fn before(&self, index: usize) -> &[Entry] {
        &self.entries[..index.saturating_sub(self.base).min(self.entries.len())]
    }

    pub(crate) fn entries(&self) -> &[Entry] {
        &self.entries
    }

    /// The index of the first entry at or behind a step.
    pub(crate) fn index_at(&self, step: StepNo) -> usize {
        self.base + self.entries.partition_point(|entry| entry.step < step)
    }

    /// Forgets the entries before an index.
    pub(crate) fn forget_before(&mut self, index: usize) {
        let count = index.saturating_sub(self.base).min(self.entries.len());
        let gone: usize = self.entries[..count].iter().map(bytes_of).sum();
        self.entries = self.entries.split_off(count);
        (self.base, self.typed) = (self.base + count, self.typed - gone);
    }

    /// Bytes of memory it takes.
    pub(crate) fn bytes(&self) -> usize {
        self.entries.capacity() * size_of::<Entry>() + self.typed
    }
}
