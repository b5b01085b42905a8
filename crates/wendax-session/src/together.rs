//! Two runs walked together: from a moment of each on to the next ones at which both stand at the same place, as deep in
//! routines. As long as they go the same way that is the next step of each; where they part, each goes on by itself to what
//! both come to again. Of all such moments the nearest are taken: fewest steps of both together.
//!
//! Places of different programs are the same when they are called the same: label and distance from it.

use crate::rerun::{Rerun, Seen};
use crate::session::Session;
use rustc_hash::FxHashMap;
use std::ops::ControlFlow;
use wendax_isa::{Addr, StepNo};
use wendax_machine::{Machine, Observer, Report};

/// Steps that are looked through for a common place of each: a few, since mostly both go the same way, and then at most so
/// many.
const STEPS: [u64; 2] = [64, 50_000];

/// Where a step led, and how deep in routines.
type Stood = (Addr, usize);

/// Keeps where each step led.
struct Ways(Vec<Stood>);

impl Observer for Ways {
    const WRITES: bool = false;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        self.0.push((report.next, report.depth));
        ControlFlow::Continue(())
    }
}

/// Where the steps behind a moment lead, as far as the run is known.
fn ways(session: &Session, from: StepNo, most: u64) -> Vec<Stood> {
    let past = session.past();
    let mut rerun = Rerun::at(past, from);
    let mut ways = Ways(Vec::new());
    rerun.go_through(past, past.end.min(from + most), &mut Seen(&mut ways));
    ways.0
}

impl Session {
    /// The next moments of this run and of another one, each behind the one given, at which both stand at the same place;
    /// `None` where they come to none any more, as far as they are known.
    pub fn next_together(&self, here: StepNo, other: &Self, there: StepNo) -> Option<(StepNo, StepNo)> {
        let is_kept = |session: &Self, step: StepNo| session.oldest() <= step && step <= session.end();
        if !is_kept(self, here) || !is_kept(other, there) {
            return None;
        }
        // What is nearest within a few steps of both is nearest at all only when it is no further than those.
        STEPS.iter().find_map(|most| {
            let found = self.together_within(here, other, there, *most)?;
            let far = (found.0 - here) + (found.1 - there);
            (far <= *most || *most == STEPS[1]).then_some(found)
        })
    }

    /// The same among so many steps of each.
    fn together_within(&self, here: StepNo, other: &Self, there: StepNo, most: u64) -> Option<(StepNo, StepNo)> {
        let (mine, others) = (ways(self, here, most), ways(other, there, most));
        // Places of another program are those of this one that are called the same.
        let is_same = self.image().segments == other.image().segments;
        let named: FxHashMap<String, Addr> =
            mine.iter().filter(|_| !is_same).filter_map(|(at, _)| Some((self.image().place_name(*at)?, *at))).collect();
        let mut first: FxHashMap<Stood, usize> = FxHashMap::default();
        for (index, &(at, depth)) in others.iter().enumerate() {
            let here = if is_same {
                Some(at)
            } else {
                other.image().place_name(at).and_then(|name| named.get(&name).copied())
            };
            if let Some(here) = here {
                first.entry((here, depth)).or_insert(index);
            }
        }
        let mut best: Option<(usize, usize)> = None;
        for (index, stood) in mine.iter().enumerate() {
            if best.is_some_and(|(one, other)| index >= one + other) {
                break;
            }
            if let Some(&other) = first.get(stood)
                && best.is_none_or(|(one, before)| index + other < one + before)
            {
                best = Some((index, other));
            }
        }
        best.map(|(one, other)| (here + 1 + one as u64, there + 1 + other as u64))
    }

    /// The machine as it was at a moment of the run; `None` where that is not kept.
    pub fn machine_at(&self, step: StepNo) -> Option<Machine> {
        if step < self.oldest() || step > self.end() {
            return None;
        }
        if step == self.now() {
            return Some(self.machine().clone());
        }
        let past = self.past();
        let mut rerun = Rerun::at(past, step);
        rerun.at.feed_edits(past.log);
        Some(rerun.at.machine)
    }
}
