//! The trail as it is looked at: steps around a place of the run, with what repeats folded, or those a filter found.
//!
//! Of all steps only those around the place are known; it moves along when the list is gone through to its end.

use super::World;
use super::names::names_of;
use std::collections::BTreeMap;
use wendax_machine::{Addr, StepNo};
use wendax_session::{Effects, Filtered, Session, StopAt};

/// Steps known on each side of the place.
const AROUND: u64 = 1_500;
/// Lines that repeat are looked for up to this many.
const LONGEST_ROUND: usize = 16;

/// A row of the list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Row {
    /// A step.
    Step(StepNo),
    /// So many lines, so many times more, from a step on; more often than that when what is known ends there.
    Fold { first: StepNo, lines: usize, times: usize, is_open: bool },
}

impl Row {
    pub(crate) fn step(self) -> StepNo {
        match self {
            Self::Step(step) => step,
            Self::Fold { first, .. } => first,
        }
    }
}

#[derive(Debug, Clone, Default)]
pub(crate) struct Trail {
    pub(crate) rows: Vec<Row>,
    known: BTreeMap<StepNo, Effects>,
    /// What the filter says, and what it found.
    pub(crate) filter: Option<(String, Box<Filtered>)>,
    /// What repeats stands there in full.
    pub(crate) is_unfolded: bool,
    /// It was made for this: branch, its end, the present step, the place.
    made_for: Option<(u64, StepNo, StepNo, StepNo)>,
}

impl Trail {
    pub(crate) fn effects(&self, step: StepNo) -> Option<&Effects> {
        self.known.get(&step)
    }

    /// The row a step is in.
    pub(crate) fn row_of(&self, step: StepNo) -> usize {
        self.rows.partition_point(|row| row.step() <= step).saturating_sub(1)
    }

    /// Something is still to be found.
    pub(crate) fn is_looking(&self, session: &Session) -> bool {
        self.filter.as_ref().is_some_and(|(_, found)| !found.is_done() && found.is_of(session))
    }

    /// It has to be made anew.
    pub(crate) fn forget(&mut self) {
        self.made_for = None;
    }

    /// Makes the list around the present step, or around `place` when that is asked for; true when it is another one.
    fn make(&mut self, session: &Session, place: Option<StepNo>) -> bool {
        let (branch, end, now) = (session.branches(), session.end(), session.now());
        let known = self.made_for.filter(|made| (made.0, made.1, made.2) == (branch, end, now));
        let place = match (place, known) {
            (None, Some(_)) => return false,
            (Some(place), _) => place,
            (None, None) => now,
        };
        let wanted = Some((branch, end, now, place));
        if self.made_for == wanted {
            return false;
        }
        self.made_for = wanted;
        if let Some((_, found)) = &mut self.filter {
            if !found.is_of(session) {
                **found = Filtered::new(session, found.filter().clone());
            }
            self.rows = found.steps().iter().map(|&step| Row::Step(step)).collect();
            return true;
        }
        let from = place.saturating_sub(AROUND);
        let steps = session.steps_from(from, usize::try_from(2 * AROUND).unwrap_or(0));
        let (before, after): (Vec<&Effects>, Vec<&Effects>) = steps.iter().partition(|effects| effects.step < now);
        // What is near the present step stands there in full: of a round before it the last time, of one after it the first.
        let first = steps.first().map_or(now, |effects| effects.step);
        let last = steps.last().map_or(now, |effects| effects.step + 1);
        let whole = (first <= session.oldest(), last >= end);
        let mut rows = folded(before.iter().rev().copied(), self.is_unfolded, (true, whole.0));
        rows.reverse();
        rows.extend(folded(after.into_iter(), self.is_unfolded, (false, whole.1)));
        self.rows = rows;
        self.known = steps.into_iter().map(|effects| (effects.step, effects)).collect();
        true
    }
}

/// Rows of steps in the order they come in, with rounds that follow each other folded behind the first one.
fn folded<'a>(
    steps: impl Iterator<Item = &'a Effects>,
    is_unfolded: bool,
    (is_back, is_whole): (bool, bool),
) -> Vec<Row> {
    let steps: Vec<(StepNo, Addr)> = steps.map(|effects| (effects.step, effects.pc)).collect();
    let mut rows = Vec::new();
    let mut at = 0;
    while at < steps.len() {
        let longest = if is_unfolded { 0 } else { LONGEST_ROUND.min((steps.len() - at) / 3) };
        let round = (1..=longest).find_map(|length| {
            let same = |from: usize| (0..length).all(|offset| steps[at + offset].1 == steps[from + offset].1);
            let times = (1..steps.len())
                .take_while(|times| at + (times + 1) * length <= steps.len() && same(at + times * length))
                .count();
            (times >= 3).then_some((length, times))
        });
        let Some((length, times)) = round else {
            rows.push(Row::Step(steps[at].0));
            at += 1;
            continue;
        };
        rows.extend(steps[at..at + length].iter().map(|&(step, _)| Row::Step(step)));
        let (near, far) = (steps[at + length].0, steps[at + length * (times + 1) - 1].0);
        at += length * (times + 1);
        // Less than a round is left of what is known: it may have gone on.
        let is_open = steps.len() - at < length && !is_whole;
        rows.push(Row::Fold { first: if is_back { far } else { near }, lines: length, times, is_open });
    }
    rows
}

impl World {
    /// Makes the trail for what is true now; `place` is where it is looked at when it is moved. True when it is another
    /// one.
    pub(crate) fn make_trail(&mut self, place: Option<StepNo>) -> bool {
        let Some(session) = self.walk.session.as_ref().filter(|session| !session.is_running()) else { return false };
        self.trail.make(session, place)
    }

    /// Has what the steps of these rows did at hand.
    pub(crate) fn know_steps(&mut self, rows: std::ops::Range<usize>) {
        let Some(session) = self.walk.session.as_ref().filter(|session| !session.is_running()) else { return };
        let trail = &mut self.trail;
        if trail.filter.is_none() {
            return;
        }
        let rows = trail.rows.get(rows.start..rows.end.min(trail.rows.len())).unwrap_or_default();
        let missing: Vec<StepNo> =
            rows.iter().map(|row| row.step()).filter(|step| !trail.known.contains_key(step)).collect();
        if !missing.is_empty() {
            trail.known.extend(session.steps_at(&missing).into_iter().map(|effects| (effects.step, effects)));
        }
    }

    /// Lets only some steps through; empty: all.
    pub(crate) fn filter_trail(&mut self, text: &str) -> Result<(), String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        self.trail.filter = None;
        if !text.is_empty() {
            let read = StopAt::read(text, &names_of(session), session.sources());
            let filter = read.map_err(|error| error.message)?;
            self.trail.filter = Some((text.to_owned(), Box::new(Filtered::new(session, filter))));
        }
        self.trail.known.clear();
        self.trail.forget();
        Ok(())
    }

    /// Goes on looking for steps; true when there are more.
    pub(crate) fn look_along_trail(&mut self, budget: u64) -> bool {
        let Some(session) = &self.walk.session else { return false };
        let Some((_, found)) = self.trail.filter.as_mut().filter(|(_, found)| !found.is_done()) else { return false };
        let count = found.steps().len();
        found.work(session, budget);
        if found.steps().len() == count {
            return false;
        }
        self.trail.rows = found.steps().iter().map(|&step| Row::Step(step)).collect();
        true
    }
}
