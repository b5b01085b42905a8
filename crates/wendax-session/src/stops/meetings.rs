//! How often stops were met on a branch, and what was noted there.
//!
//! Nothing is counted on the way: a branch can be run again at any time. It is counted when someone asks, from where
//! that was done last, in slices; how often by some earlier moment is known from marks set meanwhile, and a short
//! replay.

use super::judge::{Armed, Hits};
use super::{Judge, Looked, StopAt, StopId, look};
use crate::history::INTERVAL;
use crate::session::Session;
use crate::values::At;
use std::collections::BTreeMap;
use wendax_isa::StepNo;
use wendax_machine::{Machine, Run};

/// As many notes are kept of a stop, the latest ones.
const MOST_NOTES: usize = 10_000;

/// What was noted where a stop was met.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Noted {
    /// The stop.
    pub id: StopId,
    /// The moment.
    pub step: StepNo,
    /// Each value with the words it was asked for in; `None` when it could not be told.
    pub values: Vec<(String, Option<i64>)>,
}

/// How often a stop was met.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Met {
    /// So often.
    pub times: u64,
    /// Up to this step; the end of the branch when all was counted.
    pub by: StepNo,
    /// At this moment last.
    pub last: Option<StepNo>,
}

/// What is known of the meetings of one stop.
#[derive(Debug, Clone)]
struct Known {
    stop: StopAt,
    /// The moment before the first step has been looked at.
    has_begun: bool,
    /// Steps by which it had been met so often; the last one is how far it was counted.
    marks: Vec<(StepNo, u64)>,
    last: Option<StepNo>,
    /// The last mark is the moment it was met at last, and moves on with the next one.
    moves: bool,
    notes: Vec<Noted>,
}

impl Known {
    fn new(stop: StopAt) -> Self {
        Self { stop, has_begun: false, marks: vec![(StepNo::FIRST, 0)], last: None, moves: false, notes: Vec::new() }
    }

    fn end(&self) -> (StepNo, u64) {
        self.marks.last().copied().unwrap_or((StepNo::FIRST, 0))
    }

    fn before(&self, step: StepNo) -> (StepNo, u64) {
        let after = self.marks.partition_point(|(at, _)| *at <= step);
        after.checked_sub(1).and_then(|index| self.marks.get(index)).copied().unwrap_or((StepNo::FIRST, 0))
    }
}

/// What is known of the meetings of all stops, and the counting that is under way.
#[derive(Debug, Clone, Default)]
pub(crate) struct Meetings {
    known: BTreeMap<StopId, Known>,
    counting: Option<Box<Counting>>,
}

#[derive(Debug, Clone)]
struct Counting {
    machine: Machine,
    fed: usize,
    judge: Judge,
}

impl Meetings {
    /// These are the stops now; of one that is another now nothing is known.
    pub(crate) fn follow(&mut self, stops: &[Armed]) {
        self.counting = None;
        let mut known = BTreeMap::new();
        for Armed { id, stop } in stops {
            let kept = self.known.remove(id).filter(|known| known.stop == *stop);
            known.insert(*id, kept.unwrap_or_else(|| Known::new(stop.clone())));
        }
        self.known = known;
    }

    /// What lay behind a step is gone.
    pub(crate) fn truncate(&mut self, now: StepNo) {
        self.counting = None;
        for known in self.known.values_mut() {
            known.marks.retain(|(step, _)| *step <= now);
            known.notes.retain(|note| note.step <= now);
            known.moves = false;
            // A moment that may lie behind the last mark.
            known.last = known.last.filter(|last| *last <= known.end().0);
        }
    }

    /// All have been counted up to a step.
    fn reach(&self, step: StepNo) -> bool {
        self.known.values().all(|known| known.end().0 >= step && known.has_begun)
    }

    fn least(&self) -> StepNo {
        self.known.values().map(|known| known.end().0).min().unwrap_or(StepNo::LAST)
    }
}

impl Session {
    /// How often a stop was met on this branch, as far as that was counted: see [`Self::count_meetings`].
    pub fn met_so_far(&self, id: StopId) -> Option<Met> {
        let known = self.meetings.known.get(&id)?;
        let (by, times) = known.end();
        Some(Met { times, by, last: known.last })
    }

    /// All that was noted on this branch, as far as that was counted, in order of step.
    pub fn notes(&self) -> Vec<Noted> {
        let mut notes: Vec<Noted> = self.meetings.known.values().flat_map(|known| known.notes.clone()).collect();
        notes.sort_by_key(|note| (note.step, note.id));
        notes
    }

    /// Counts meetings up to the end of the branch, for about as long as `budget` steps take; true when nothing is left
    /// to count.
    pub fn count_meetings(&mut self, budget: u64) -> bool {
        self.count_up_to(self.end(), budget)
    }

    /// Nothing is left to count; see [`Self::count_meetings`].
    pub fn is_counted(&self) -> bool {
        self.meetings.reach(self.end())
    }

    pub(crate) fn count_up_to(&mut self, step: StepNo, budget: u64) -> bool {
        let mut left = budget.max(1);
        while !self.meetings.reach(step) {
            if left == 0 {
                return false;
            }
            let from = self.meetings.least().max(self.oldest());
            let mut counting = match self.meetings.counting.take() {
                Some(counting) if counting.machine.steps() == from => counting,
                _ => self.counting_from(from),
            };
            let until = step.min(from.saturating_add(left.min(INTERVAL)));
            let did = self.count_slice(&mut counting, until);
            left = left.saturating_sub(did + 1);
            for known in self.meetings.known.values_mut() {
                known.has_begun = true;
            }
            let stuck = counting.machine.steps() < until;
            let reached = if stuck { step } else { until };
            for known in self.meetings.known.values_mut() {
                let (at, times) = known.end();
                if at < reached {
                    known.marks.push((reached, times));
                    known.moves = false;
                }
            }
            self.meetings.counting = (!stuck).then_some(counting);
        }
        true
    }

    fn counting_from(&self, from: StepNo) -> Box<Counting> {
        let (machine, fed) = self.machine_at(from);
        let judge = self.judge_for(self.stops.clone(), &machine);
        Box::new(Counting { machine, fed, judge })
    }

    /// Counts on up to a step; returns the work done.
    fn count_slice(&mut self, counting: &mut Counting, until: StepNo) -> u64 {
        let Counting { machine, fed, judge } = counting;
        let begun = machine.steps();
        let mut work = 0;
        judge.arm(machine);
        if begun == StepNo::FIRST {
            let mut hits = Hits::new();
            judge.at_place(machine, &mut hits);
            self.note_hits(judge, machine, &hits);
        }
        while machine.steps() < until {
            self.feed_copy(machine, fed);
            let from = machine.steps();
            let (looked, worked) = look(machine, judge, Run::until(until.min(self.event_step(*fed))));
            work += worked;
            machine.take_output();
            match looked {
                Looked::Met(hits, _) => self.note_hits(judge, machine, &hits),
                Looked::Stopped(_) if machine.steps() == from => break,
                Looked::Stopped(_) => {}
            }
        }
        work + (machine.steps() - begun)
    }

    fn note_hits(&mut self, judge: &Judge, machine: &Machine, hits: &Hits) {
        let step = machine.steps();
        for &index in hits {
            let Armed { id, stop } = &judge.stops[index];
            let Some(known) = self.meetings.known.get_mut(id) else { continue };
            let (by, times) = known.end();
            let at_start = step == StepNo::FIRST && known.last.is_none();
            if step <= by && !at_start {
                continue;
            }
            let times = times + 1;
            // Moments it was met at are no marks of their own, or there would be as many.
            match known.marks.last_mut().filter(|mark| mark.0 == step || known.moves) {
                Some(mark) => *mark = (step, times),
                None => known.marks.push((step, times)),
            }
            known.moves = true;
            known.last = Some(step);
            let Some(values) = stop.note.as_ref().filter(|_| stop.times.fits(times)) else { continue };
            let at = At::new(machine).with_met(times);
            let values = values.iter().map(|noted| (noted.text.clone(), noted.value.value(&at).ok())).collect();
            if known.notes.len() == 2 * MOST_NOTES {
                known.notes.drain(..MOST_NOTES);
            }
            known.notes.push(Noted { id: *id, step, values });
        }
    }

    /// How often each of these stops had been met by a moment; they have been counted up to there. Nothing for a stop
    /// of a command's own.
    pub(crate) fn times_by(&self, stops: &[Armed], step: StepNo) -> Vec<u64> {
        let count = |armed: &Armed| {
            let Some(known) = self.meetings.known.get(&armed.id) else { return 0 };
            let (at, times) = known.before(step);
            if at >= step || armed.stop.times == super::Times::Each {
                times
            } else {
                times + self.times_between(armed, at, step)
            }
        };
        stops.iter().map(count).collect()
    }

    fn times_between(&self, armed: &Armed, from: StepNo, to: StepNo) -> u64 {
        let (mut machine, mut fed) = self.machine_at(from);
        let mut judge = self.judge_for(vec![armed.clone()], &machine);
        judge.arm(&mut machine);
        let mut times = 0;
        self.repeat(&mut machine, &mut fed, to, |machine, run| {
            let (looked, _) = look(machine, &mut judge, run);
            times += u64::from(matches!(looked, Looked::Met(..)));
        });
        times
    }
}
