//! The trail: the steps of a run, one after the other, all or those that a filter lets through.
//!
//! No step is stored. A window around some step is computed again; a filter is a stop, and the steps at which that is
//! met are looked for outwards from the present one.

use super::scan::{Finder, Nearest, Scan};
use crate::effects::{Effects, steps_between, steps_of};
use crate::rerun::Rerun;
use crate::session::Session;
use crate::stops::{Hit, StopAt};
use std::collections::VecDeque;
use wendax_isa::StepNo;
use wendax_machine::Machine;

/// Steps found on each side of the present one, at most.
const MOST_FOUND: usize = 5_000;

impl Session {
    /// What the steps from one on did: at most `most`, as far as the run is known.
    pub fn steps_from(&self, step: StepNo, most: usize) -> Vec<Effects> {
        let from = step.max(self.oldest());
        steps_between(self.past(), from, from.saturating_add(most as u64).min(self.end()))
    }

    /// What each of these steps did, given in order.
    pub fn steps_at(&self, steps: &[StepNo]) -> Vec<Effects> {
        let mut did = Vec::new();
        let mut rerun: Option<Rerun> = None;
        for &step in steps.iter().filter(|&&step| step >= self.oldest()) {
            // The next one is mostly near the one before.
            let rerun = rerun.get_or_insert_with(|| Rerun::at(self.past(), step));
            rerun.go_to(self.past(), step);
            did.extend(steps_of(rerun, self.past(), (step + 1).min(self.end())));
        }
        did
    }
}

/// The steps of a run that a filter lets through, around the moment a walk was at.
#[derive(Debug, Clone)]
pub struct Filtered {
    filter: StopAt,
    at: StepNo,
    end: StepNo,
    branch: u64,
    /// Steps before the moment, and from it on, in order.
    steps: VecDeque<StepNo>,
    /// How many of them lie before the moment.
    before: usize,
    back: Option<Scan<Found>>,
    on: Option<Scan<Found>>,
}

impl Filtered {
    /// Looks for steps around the present moment of a walk.
    pub fn new(session: &Session, filter: StopAt) -> Self {
        let (at, end) = (session.now(), session.end());
        let mut before = session.intervals(session.oldest(), at);
        before.reverse();
        let after = session.intervals(at, end);
        Self {
            at,
            end,
            branch: session.branches(),
            steps: VecDeque::new(),
            before: 0,
            back: Some(Scan::new(filter.clone(), before)),
            on: Some(Scan::new(filter.clone(), after)),
            filter,
        }
    }

    /// What it lets through.
    pub fn filter(&self) -> &StopAt {
        &self.filter
    }

    /// It is of the branch of a walk, as far as that is known.
    pub fn is_of(&self, session: &Session) -> bool {
        (self.end, self.branch) == (session.end(), session.branches())
    }

    /// All steps were looked through, or as many found as are kept.
    pub fn is_done(&self) -> bool {
        self.back.is_none() && self.on.is_none()
    }

    /// The steps found, in order.
    pub fn steps(&self) -> &VecDeque<StepNo> {
        &self.steps
    }

    /// There are more before those found, and behind them, than are kept.
    pub fn has_more(&self) -> (bool, bool) {
        let behind = self.steps.len() - self.before;
        (self.before >= MOST_FOUND, behind >= MOST_FOUND)
    }

    /// How many of them lie before the moment it was begun at.
    pub fn before(&self) -> usize {
        self.before
    }

    /// Steps looked through, and all there are.
    pub fn progress(&self) -> (u64, u64) {
        let scans = [&self.back, &self.on].into_iter().flatten().map(Scan::progress);
        scans.fold((0, 0), |(done, all), (more, of)| (done + more, all + of))
    }

    /// Goes on looking, for about as long as `budget` steps take for each processor; true when all is found.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        let at = self.at;
        let finder = || Found(Nearest::to(at, MOST_FOUND));
        if let Some(scan) = &mut self.on {
            match scan.work(session, budget, finder) {
                None => self.on = None,
                Some(found) => {
                    self.steps.extend(found.into_iter().flat_map(|found| found.0.list));
                    if self.steps.len() - self.before >= MOST_FOUND {
                        self.on = None;
                    }
                }
            }
        }
        if let Some(scan) = &mut self.back {
            match scan.work(session, budget, finder) {
                None => self.back = None,
                Some(found) => {
                    for step in found.into_iter().flat_map(|found| found.0.list.into_iter().rev()) {
                        self.steps.push_front(step);
                        self.before += 1;
                    }
                    if self.before >= MOST_FOUND {
                        self.back = None;
                    }
                }
            }
        }
        self.is_done()
    }
}

/// The steps of an interval that tell of a stop being met, those nearest to a moment.
#[derive(Debug, Clone)]
struct Found(Nearest<StepNo>);

impl Finder for Found {
    fn begin(&mut self, machine: &Machine) {
        self.0.begin(machine);
    }

    fn met(&mut self, _: &Machine, hit: Hit) -> bool {
        if self.0.list.back() != Some(&hit.step) {
            self.0.push(hit.step);
        }
        !self.0.is_full()
    }
}
