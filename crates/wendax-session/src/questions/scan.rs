//! Looking for stops through intervals of a run, several at a time.
//!
//! An interval lies between two checkpoints, so each can be run again by itself. They are taken in the order they are
//! given in, in batches of as many as there are processors; a batch is worked on in slices.

use crate::session::Session;
use crate::stops::{Armed, Hits, Judge, Looked, StopAt, StopId, look};
use wendax_isa::StepNo;
use wendax_machine::{Machine, Run};

/// Copies of the machine that work at the same time, at most.
const MOST_WORKERS: usize = 8;

/// Moments behind one step and up to another.
pub(crate) type Interval = (StepNo, StepNo);

/// What looks at the moments at which the stop is met.
pub(crate) trait Finder: Send {
    /// The machine stands where an interval begins.
    fn begin(&mut self, machine: &Machine);
    /// The stop is met; false when nothing more of this interval matters.
    fn met(&mut self, machine: &Machine) -> bool;
}

/// A scan under way for one stop.
#[derive(Debug, Clone)]
pub(crate) struct Scan<F> {
    stop: StopAt,
    workers: Vec<Worker<F>>,
    intervals: std::vec::IntoIter<Interval>,
    /// Steps of the intervals, and of those done with.
    all: u64,
    done: u64,
}

#[derive(Debug, Clone)]
struct Worker<F> {
    machine: Machine,
    fed: usize,
    judge: Judge,
    until: StepNo,
    length: u64,
    finder: F,
    is_done: bool,
}

impl<F: Finder> Scan<F> {
    pub(crate) fn new(stop: StopAt, intervals: Vec<Interval>) -> Self {
        let all = intervals.iter().map(|(from, until)| until.0 - from.0).sum();
        Self { stop, workers: Vec::new(), intervals: intervals.into_iter(), all, done: 0 }
    }

    /// Steps looked through, and all there are.
    pub(crate) fn progress(&self) -> (u64, u64) {
        (self.done, self.all)
    }

    /// Works for about as long as `budget` steps take for each processor. When a batch is through, its finders come in
    /// the order of their intervals; an empty list when there is no interval any more.
    pub(crate) fn work(&mut self, session: &Session, budget: u64, finder: impl Fn() -> F) -> Option<Vec<F>> {
        if self.workers.is_empty() {
            let count = std::thread::available_parallelism().map_or(1, usize::from).min(MOST_WORKERS);
            let stop = &self.stop;
            let begin = |(from, until): Interval| {
                let (machine, fed) = session.machine_at(from);
                let judge = session.judge_for(vec![Armed { id: StopId::UNTIL, stop: stop.clone() }], &machine);
                let mut finder = finder();
                finder.begin(&machine);
                Worker { machine, fed, judge, until, length: until.0 - from.0, finder, is_done: false }
            };
            self.workers = self.intervals.by_ref().take(count).map(begin).collect();
            for worker in &mut self.workers {
                worker.judge.arm(&mut worker.machine);
            }
        }
        match self.workers.as_mut_slice() {
            [] => return Some(Vec::new()),
            [one] => one.work(session, budget),
            many => std::thread::scope(|scope| {
                for worker in many.iter_mut().filter(|worker| !worker.is_done) {
                    scope.spawn(move || worker.work(session, budget));
                }
            }),
        }
        if self.workers.iter().any(|worker| !worker.is_done) {
            return None;
        }
        self.done += self.workers.iter().map(|worker| worker.length).sum::<u64>();
        Some(std::mem::take(&mut self.workers).into_iter().map(|worker| worker.finder).collect())
    }
}

impl<F: Finder> Worker<F> {
    fn work(&mut self, session: &Session, budget: u64) {
        let mut left = budget.max(1);
        while !self.is_done {
            if self.machine.steps() >= self.until {
                self.is_done = true;
                return;
            }
            if left == 0 {
                return;
            }
            session.feed_copy(&mut self.machine, &mut self.fed);
            let from = self.machine.steps();
            let until = self.until.min(session.event_step(self.fed)).min(from.saturating_add(left));
            let (looked, worked) = look(&mut self.machine, &mut self.judge, Run { work: left, ..Run::until(until) });
            self.machine.take_output();
            left = left.saturating_sub(self.machine.steps() - from + worked);
            match looked {
                Looked::Met(hits, _) => {
                    debug_assert!(hits == Hits::from_slice(&[0]));
                    self.is_done = !self.finder.met(&self.machine);
                }
                // The past always goes on; if it did not, waiting for it would be without end.
                Looked::Stopped(stop) => {
                    self.is_done = self.machine.steps() == from && crate::commands::is_stuck(&stop);
                }
            }
        }
    }
}

impl Session {
    /// The intervals between checkpoints that the moments behind a step and up to another lie in, in order.
    pub(crate) fn intervals(&self, from: StepNo, until: StepNo) -> Vec<Interval> {
        let mut intervals = Vec::new();
        let mut at = from.max(self.oldest());
        while at < until {
            let next = self.history.after(at).map_or(until, crate::history::Checkpoint::step).min(until);
            intervals.push((at, next));
            at = next;
        }
        intervals
    }
}
