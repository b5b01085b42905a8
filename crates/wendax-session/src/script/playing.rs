//! How far a branch of a run has come in what is to come from outside.
//!
//! What waits for a cycle or a step stands in order of that; what waits for a place to arrive so often stands with the
//! place, which has one counter however much waits for it. So what the next thing is costs the same however many there are.

use super::{Script, What, When};
use crate::past::Past;
use crate::stops::{Armed, StopAt, StopId, times_met};
use std::collections::BTreeSet;
use std::sync::Arc;
use wendax_isa::StepNo;

/// When the next thing is due.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Due {
    pub(crate) step: StepNo,
    pub(crate) cycle: u64,
}

impl Default for Due {
    fn default() -> Self {
        Self { step: StepNo::LAST, cycle: u64::MAX }
    }
}

/// The cycle at which something comes that does so many cycles after a place arrived: behind its instruction at the
/// earliest.
fn behind(arrived: u64, after: u64) -> u64 {
    arrived.saturating_add(after.max(1))
}

/// What became of an entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
struct Fate {
    /// The step at which it came.
    came: Option<StepNo>,
    /// The moment at which its place arrived for the time that counts, and the cycle then.
    met: Option<(StepNo, u64)>,
}

/// A place that something waits for.
#[derive(Debug, Clone, Default)]
struct Place {
    /// How often it has arrived on this branch, and when last: what lies before that was counted.
    times: u64,
    last: Option<StepNo>,
    /// What waits for it: the time that counts, and the entry.
    waiting: BTreeSet<(u64, usize)>,
}

/// How far a branch has come in a script.
#[derive(Debug, Clone, Default)]
pub(crate) struct Playing {
    script: Arc<Script>,
    fates: Vec<Fate>,
    by_cycle: BTreeSet<(u64, usize)>,
    by_step: BTreeSet<(StepNo, usize)>,
    asked: BTreeSet<usize>,
    places: Vec<Place>,
    /// How often places have arrived is to be counted anew, since the branch is another one.
    is_stale: bool,
}

impl Playing {
    pub(crate) fn new(script: Script) -> Self {
        let fates = vec![Fate::default(); script.entries.len()];
        let mut playing = Self { script: Arc::new(script), fates, ..Self::default() };
        playing.line_up();
        playing
    }

    /// Puts everything that has not come where it waits.
    fn line_up(&mut self) {
        (self.by_cycle, self.by_step, self.asked) = Default::default();
        self.places = vec![Place::default(); self.script.places.len()];
        self.is_stale = !self.places.is_empty();
        for (index, (entry, fate)) in self.script.entries.iter().zip(&self.fates).enumerate() {
            if fate.came.is_some() {
                continue;
            }
            match (entry.when, fate.met) {
                (When::Cycle(cycle), _) => {
                    self.by_cycle.insert((cycle, index));
                }
                (When::Step(step), _) => {
                    self.by_step.insert((step, index));
                }
                (When::Asked, _) => {
                    self.asked.insert(index);
                }
                (When::Met { after, .. }, Some((_, cycle))) => {
                    self.by_cycle.insert((behind(cycle, after), index));
                }
                (When::Met { place, time, .. }, None) => {
                    self.places[place].waiting.insert((time, index));
                }
            }
        }
    }

    /// A place is still to arrive.
    pub(crate) fn is_watching(&self) -> bool {
        self.places.iter().any(|place| !place.waiting.is_empty())
    }

    /// A place that something waits for has arrived since a step.
    pub(crate) fn has_met_since(&self, step: StepNo) -> bool {
        self.places.iter().any(|place| !place.waiting.is_empty() && place.last.is_some_and(|last| last >= step))
    }

    /// The places that are still to arrive, as stops.
    pub(crate) fn watched(&self) -> Vec<Armed> {
        let places = self.places.iter().zip(&self.script.places).zip(StopId::SCRIPT.0..);
        let waited_for = places.filter(|((place, _), _)| !place.waiting.is_empty());
        waited_for.map(|((_, &address), id)| Armed { id: StopId(id), stop: StopAt::address(address) }).collect()
    }

    /// Counts how often places have arrived up to the moment the machine stands at, when that is not known.
    pub(crate) fn catch_up(&mut self, past: Past<'_>) {
        let (now, cycles) = (past.machine.steps(), past.machine.cycles());
        if !std::mem::take(&mut self.is_stale) {
            return;
        }
        for index in 0..self.places.len() {
            if self.places[index].waiting.is_empty() {
                continue;
            }
            let times = times_met(past, &StopAt::address(self.script.places[index]), now);
            (self.places[index].times, self.places[index].last) = (times, Some(now));
            self.come_due(index, now, cycles);
        }
    }

    /// What seemed to arrive at a moment does not: an interrupt comes first by what came there since.
    pub(crate) fn did_not_arrive(&mut self, moment: StepNo) {
        for place in self.places.iter_mut().filter(|place| place.last == Some(moment)) {
            (place.times, place.last) = (place.times - 1, moment.checked_sub(1));
        }
        for index in 0..self.fates.len() {
            let Some((_, cycle)) = self.fates[index].met.filter(|(met, _)| *met == moment) else { continue };
            if let When::Met { place, time, after } = self.script.entries[index].when
                && self.by_cycle.remove(&(behind(cycle, after), index))
            {
                self.fates[index].met = None;
                self.places[place].waiting.insert((time, index));
            }
        }
    }

    /// A place has arrived; true when something comes by that.
    pub(crate) fn met(&mut self, id: StopId, step: StepNo, cycle: u64) -> bool {
        let index = (id.0 - StopId::SCRIPT.0) as usize;
        let Some(place) = self.places.get_mut(index).filter(|place| place.last < Some(step)) else { return false };
        (place.times, place.last) = (place.times + 1, Some(step));
        self.come_due(index, step, cycle)
    }

    /// What waited for as many times as there were is due.
    fn come_due(&mut self, index: usize, step: StepNo, cycle: u64) -> bool {
        let mut has_come = false;
        let place = &mut self.places[index];
        while let Some(&(time, entry)) = place.waiting.first().filter(|(time, _)| *time <= place.times) {
            place.waiting.remove(&(time, entry));
            self.fates[entry].met = Some((step, cycle));
            if let When::Met { after, .. } = self.script.entries[entry].when {
                self.by_cycle.insert((behind(cycle, after), entry));
            }
            has_come = true;
        }
        has_come
    }

    /// The next thing that is due by a moment, in order of cycles, else of steps, else of lines.
    pub(crate) fn take_due(&mut self, step: StepNo, cycle: u64) -> Option<(usize, What)> {
        let by_cycle = self.by_cycle.first().copied().filter(|(due, _)| *due <= cycle);
        let by_step = self.by_step.first().copied().filter(|(due, _)| *due <= step);
        let index = match (by_cycle, by_step) {
            (Some((_, index)), other) if other.is_none_or(|(_, other)| index < other) => {
                self.by_cycle.pop_first();
                index
            }
            (_, Some((_, index))) => {
                self.by_step.pop_first();
                index
            }
            (_, None) => return None,
        };
        Some(self.take(index, step))
    }

    /// What comes when the program asks.
    pub(crate) fn take_asked(&mut self, step: StepNo) -> Option<(usize, What)> {
        let index = self.asked.pop_first()?;
        Some(self.take(index, step))
    }

    fn take(&mut self, index: usize, step: StepNo) -> (usize, What) {
        self.fates[index].came = Some(step);
        (index, self.script.entries[index].what.clone())
    }

    /// What was taken could not come after all.
    pub(crate) fn did_not_come(&mut self, index: usize) {
        self.fates[index].came = None;
    }

    /// When the next thing is due whose moment is known.
    pub(crate) fn next_due(&self) -> Due {
        let never = Due::default();
        Due {
            step: self.by_step.first().map_or(never.step, |(step, _)| *step),
            cycle: self.by_cycle.first().map_or(never.cycle, |(cycle, _)| *cycle),
        }
    }

    /// What came behind a moment is still to come.
    pub(crate) fn truncate(&mut self, now: StepNo) {
        for fate in &mut self.fates {
            fate.came = fate.came.filter(|came| *came <= now);
            fate.met = fate.met.filter(|(met, _)| *met <= now);
        }
        self.line_up();
    }

    /// The lines of which not everything came, and how many there are.
    pub(crate) fn missing(&self) -> (Vec<usize>, usize) {
        let mut lines: Vec<usize> = Vec::new();
        for (entry, _) in self.script.entries.iter().zip(&self.fates).filter(|(_, fate)| fate.came.is_none()) {
            if lines.last() != Some(&entry.line) {
                lines.push(entry.line);
            }
        }
        let mut all: Vec<usize> = self.script.entries.iter().map(|entry| entry.line).collect();
        all.dedup();
        (lines, all.len())
    }
}
