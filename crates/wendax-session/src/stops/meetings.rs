//! How often stops were met on a branch, and what was noted there.
//!
//! Nothing is counted on the way: a branch can be run again at any time. It is counted when someone asks, from where
//! that was done last, in slices; how often by some earlier moment is known from marks set meanwhile, and a short
//! replay. What arrives at the last moment of a branch hangs on what may still come there, so it is counted apart.

use super::judge::{Armed, Hit};
use super::looking::Judged;
use super::{Judge, StopAt, StopId, Times};
use crate::past::Past;
use crate::rerun::Rerun;
use crate::values::At;
use std::collections::{BTreeMap, VecDeque};
use std::ops::ControlFlow;
use wendax_isa::StepNo;
use wendax_machine::Machine;

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

/// How often a stop has been met, and the moment it was met last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Count {
    pub(crate) times: u64,
    pub(crate) last: Option<StepNo>,
}

impl Count {
    /// It is met at a moment; how often it has been by that. `None` when that is counted already.
    pub(crate) fn meet(&mut self, moment: StepNo) -> Option<u64> {
        if self.last == Some(moment) {
            return None;
        }
        (self.times, self.last) = (self.times + 1, Some(moment));
        Some(self.times)
    }
}

/// What is known of the meetings of one stop up to a moment: all that steps before it met, what arrives there left out.
#[derive(Debug, Clone, Copy, Default)]
struct Mark {
    step: StepNo,
    count: Count,
}

#[derive(Debug, Clone)]
struct Known {
    stop: StopAt,
    /// How far it was counted, and earlier ends of counting.
    now: Mark,
    marks: Vec<Mark>,
    /// It is met at the moment of the last mark by what arrives there, as things stand.
    arrives: bool,
    /// The latest notes, and how many there were before them.
    notes: VecDeque<Noted>,
    forgotten: u64,
}

impl Known {
    fn new(stop: StopAt) -> Self {
        let now = Mark::default();
        Self { stop, now, marks: Vec::new(), arrives: false, notes: VecDeque::new(), forgotten: 0 }
    }

    fn before(&self, step: StepNo) -> Mark {
        if self.now.step <= step {
            return self.now;
        }
        let after = self.marks.partition_point(|mark| mark.step <= step);
        after.checked_sub(1).and_then(|index| self.marks.get(index)).copied().unwrap_or_default()
    }

    /// It is met at a moment.
    fn meet(&mut self, id: StopId, machine: &Machine) {
        let Some(times) = self.now.count.meet(machine.steps()) else { return };
        let Some(values) = self.stop.note.as_ref().filter(|_| self.stop.times.fits(times)) else { return };
        let at = At::new(machine).with_met(times);
        let values = values.iter().map(|noted| (noted.text.clone(), noted.value.value(&at).ok())).collect();
        if self.notes.len() == MOST_NOTES {
            self.notes.pop_front();
            self.forgotten += 1;
        }
        self.notes.push_back(Noted { id, step: machine.steps(), values });
    }
}

/// What is known of the meetings of all stops, and the counting that is under way.
#[derive(Debug, Clone, Default)]
pub(crate) struct Meetings {
    known: BTreeMap<StopId, Known>,
    counting: Option<Box<Counting>>,
    /// What comes at the moment counted to has been looked at: as many entries of the log, on this branch.
    looked_at: Option<(StepNo, usize, u64)>,
}

#[derive(Debug, Clone)]
struct Counting {
    rerun: Rerun,
    judge: Judge,
}

impl Meetings {
    /// These are the stops now; of one that is another now nothing is known.
    pub(crate) fn follow(&mut self, stops: &[Armed]) {
        (self.counting, self.looked_at) = (None, None);
        let mut known = BTreeMap::new();
        for Armed { id, stop } in stops {
            let kept = self.known.remove(id).filter(|known| known.stop == *stop);
            known.insert(*id, kept.unwrap_or_else(|| Known::new(stop.clone())));
        }
        self.known = known;
    }

    /// What lay behind a step is gone.
    pub(crate) fn truncate(&mut self, now: StepNo) {
        (self.counting, self.looked_at) = (None, None);
        for known in self.known.values_mut() {
            known.marks.retain(|mark| mark.step <= now);
            known.now = known.before(now);
            // What is counted again is noted again.
            let Mark { step, count: Count { last, .. } } = known.now;
            known.notes.retain(|note| note.step < step || note.step == step && last == Some(step));
            known.arrives = false;
        }
    }

    /// All have been counted up to a step.
    fn reach(&self, step: StepNo) -> bool {
        self.known.values().all(|known| known.now.step >= step)
    }

    /// What comes at the end of a branch has been looked at.
    fn has_looked_at(&self, past: Past<'_>) -> bool {
        self.known.is_empty() || self.looked_at == Some((past.end, past.entries_up_to(past.end), past.branch))
    }

    fn least(&self) -> StepNo {
        self.known.values().map(|known| known.now.step).min().unwrap_or(StepNo::LAST)
    }
}

impl Meetings {
    /// How often a stop was met, as far as that was counted.
    pub(crate) fn met_so_far(&self, id: StopId) -> Option<Met> {
        let known = self.known.get(&id)?;
        let Mark { step: by, count: Count { times, last } } = known.now;
        let last = if known.arrives { Some(by) } else { last };
        Some(Met { times: times + u64::from(known.arrives), by, last })
    }

    /// All that was noted as far as that was counted, in order of step; of each stop the latest.
    pub(crate) fn notes(&self) -> Vec<Noted> {
        let mut notes: Vec<Noted> = self.known.values().flat_map(|known| known.notes.clone()).collect();
        notes.sort_by_key(|note| (note.step, note.id));
        notes
    }

    /// How many notes were taken before those that are kept.
    pub(crate) fn forgotten_notes(&self) -> u64 {
        self.known.values().map(|known| known.forgotten).sum()
    }

    /// Nothing of a branch is left to count.
    pub(crate) fn is_counted(&self, past: Past<'_>) -> bool {
        self.reach(past.end) && self.has_looked_at(past)
    }

    /// Counts meetings of these stops up to a step, for about as long as `budget` steps take; true when nothing is left to count.
    pub(crate) fn count_up_to(&mut self, list: &[Armed], past: Past<'_>, step: StepNo, budget: u64) -> bool {
        let mut left = budget.max(1);
        while !self.reach(step) {
            if left == 0 {
                return false;
            }
            let from = self.least().max(past.oldest());
            let mut counting = self.counting_at(list, past, from);
            let effort = left.min(past.history.interval);
            let mut some = effort;
            let is_over = counting.go_on(past, &mut self.known, step, &mut some);
            left = left.saturating_sub(effort - some + 1);
            let reached = if is_over { step } else { counting.rerun.at.machine.steps() };
            self.mark(reached);
            self.counting = Some(counting);
        }
        if step == past.end && !self.has_looked_at(past) {
            self.look_at_last(list, past);
        }
        true
    }

    /// The counting under way, when it stands at a step, else another one from there.
    fn counting_at(&mut self, list: &[Armed], past: Past<'_>, from: StepNo) -> Box<Counting> {
        match self.counting.take() {
            Some(counting) if counting.rerun.at.machine.steps() == from => counting,
            _ => {
                let mut rerun = Rerun::at(past, from);
                let judge = Judge::at(list.to_vec(), &mut rerun);
                Box::new(Counting { rerun, judge })
            }
        }
    }

    /// Looks at the moment counted to, which nobody has left: what arrives there as things stand.
    fn look_at_last(&mut self, list: &[Armed], past: Past<'_>) {
        let counting = self.counting_at(list, past, past.end);
        let mut arriving = Vec::new();
        let mut judge = counting.judge.clone();
        let mut question = Judged::new(&mut judge, |_, judge, hits| {
            arriving.extend(hits.iter().map(|hit| judge.stops[hit.index].id));
            ControlFlow::Continue(())
        });
        counting.rerun.last_moment(past, &mut question);
        for (id, known) in &mut self.known {
            known.arrives = arriving.contains(id) && known.now.count.last != Some(past.end);
        }
        self.counting = Some(counting);
        self.looked_at = Some((past.end, past.entries_up_to(past.end), past.branch));
    }

    /// How often each of these stops had been met by a moment, what arrives there included; they have been counted up to
    /// there. Nothing for a stop of a command's own.
    pub(crate) fn times_by(&self, past: Past<'_>, stops: &[Armed], step: StepNo) -> Vec<Count> {
        let count = |armed: &Armed| {
            let Some(known) = self.known.get(&armed.id) else { return 0 };
            let mark = known.before(step);
            if armed.stop.times == Times::Each { mark.count.times } else { times_since(past, armed, mark, step) }
        };
        stops.iter().map(|armed| Count { times: count(armed), last: None }).collect()
    }
}

/// How often a stop was met on a branch up to a moment, what arrives there included: counted from the beginning.
pub(crate) fn times_met(past: Past<'_>, stop: &StopAt, step: StepNo) -> u64 {
    times_since(past, &Armed { id: StopId::UNTIL, stop: stop.clone() }, Mark::default(), step)
}

fn times_since(past: Past<'_>, armed: &Armed, Mark { step, mut count }: Mark, to: StepNo) -> u64 {
    let mut rerun = Rerun::at(past, step.max(past.oldest()));
    let mut judge = Judge::at(vec![armed.clone()], &mut rerun);
    let mut question = Judged::new(&mut judge, |machine, _, _| {
        count.meet(machine.steps());
        ControlFlow::Continue(())
    });
    rerun.go_through(past, to, &mut question);
    rerun.last_moment(past, &mut question);
    count.times
}

impl Counting {
    /// Counts on up to a step; true when it is reached.
    fn go_on(&mut self, past: Past<'_>, known: &mut BTreeMap<StopId, Known>, until: StepNo, left: &mut u64) -> bool {
        let Self { rerun, judge } = self;
        let mut question = Judged::new(judge, |machine, judge, hits| {
            for hit in hits {
                let id = judge.stops[hit.index].id;
                if let Some(known) = known.get_mut(&id).filter(|known| known.counts(*hit, machine.steps())) {
                    known.meet(id, machine);
                }
            }
            ControlFlow::Continue(())
        });
        rerun.ask(past, until, left, &mut question)
    }
}

impl Known {
    /// A meeting told of a moment is not among those counted already: what a step before the last mark met is.
    fn counts(&self, hit: Hit, moment: StepNo) -> bool {
        let by = self.now.step;
        moment > by || moment == by && hit.is_of_moment
    }
}

impl Meetings {
    /// All has been counted up to a step.
    fn mark(&mut self, step: StepNo) {
        for known in self.known.values_mut() {
            if known.now.step < step {
                known.now.step = step;
                known.marks.push(known.now);
                known.arrives = false;
            }
        }
    }
}
