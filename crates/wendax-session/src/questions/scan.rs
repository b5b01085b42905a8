//! Looking for stops through intervals of a run, several at a time.
//!
//! An interval lies between two checkpoints, so each can be run again by itself. They are begun in the order they are
//! given in, by as many copies of the machine as there are processors, and told of in that order; all of it in slices.

use crate::rerun::Rerun;
use crate::session::Session;
use crate::stops::{Armed, Hit, Judge, Judged, StopAt, StopId};
use std::collections::{BTreeMap, VecDeque};
use std::ops::ControlFlow;
use std::sync::{Mutex, PoisonError};
use wendax_isa::StepNo;
use wendax_machine::Machine;

/// Copies of the machine that work at the same time, at most.
const MOST_WORKERS: usize = 8;

/// The steps from one moment to another.
pub(crate) type Interval = (StepNo, StepNo);

/// What looks at the steps that tell of a stop being met.
pub(crate) trait Finder: Clone + Send {
    /// The machine stands where an interval begins.
    fn begin(&mut self, machine: &Machine);
    /// The stop is met at the machine's moment; false when nothing more of this interval matters.
    fn met(&mut self, machine: &Machine, hit: Hit) -> bool;
}

/// What is found in an interval, those nearest to a moment: of one that lies before it the last ones, else the first.
#[derive(Debug, Clone)]
pub(crate) struct Nearest<T> {
    at: StepNo,
    most: usize,
    is_before: bool,
    pub(crate) list: VecDeque<T>,
}

impl<T> Nearest<T> {
    /// At most so many, nearest to this moment.
    pub(crate) fn to(at: StepNo, most: usize) -> Self {
        Self { at, most, is_before: false, list: VecDeque::new() }
    }

    /// The machine stands where the interval begins.
    pub(crate) fn begin(&mut self, machine: &Machine) {
        self.is_before = machine.steps() < self.at;
    }

    /// The interval lies before the moment.
    pub(crate) fn is_before(&self) -> bool {
        self.is_before
    }

    /// Nothing that comes is nearer.
    pub(crate) fn is_full(&self) -> bool {
        !self.is_before && self.list.len() >= self.most
    }

    /// The next one; false when one had to be left out for that, this one or one from further away.
    pub(crate) fn push(&mut self, found: T) -> bool {
        if self.is_full() {
            return false;
        }
        self.list.push_back(found);
        let is_over = self.list.len() > self.most;
        if is_over {
            self.list.pop_front();
        }
        !is_over
    }
}

/// A scan under way for one stop.
#[derive(Debug, Clone)]
pub(crate) struct Scan<F> {
    stop: StopAt,
    workers: Vec<Worker<F>>,
    /// Intervals that nobody has begun, each with its number.
    waiting: VecDeque<(usize, Interval)>,
    /// Intervals looked through whose turn has not come.
    found: BTreeMap<usize, F>,
    /// The number whose turn it is, and how many there are.
    turn: usize,
    count: usize,
    /// Steps of the intervals, and of those begun.
    all: u64,
    begun: u64,
}

#[derive(Debug, Clone)]
struct Worker<F> {
    rerun: Rerun,
    judge: Judge,
    task: Option<(usize, StepNo, F)>,
}

impl<F: Finder> Scan<F> {
    pub(crate) fn new(stop: StopAt, intervals: Vec<Interval>) -> Self {
        let all = intervals.iter().map(|(from, until)| until.0 - from.0).sum();
        let count = intervals.len();
        let waiting = intervals.into_iter().enumerate().collect();
        Self { stop, workers: Vec::new(), waiting, found: BTreeMap::new(), turn: 0, count, all, begun: 0 }
    }

    /// Steps looked through or being looked through, and all there are.
    pub(crate) fn progress(&self) -> (u64, u64) {
        (self.begun, self.all)
    }

    /// Works for about as long as `budget` steps take for each processor. Finders of intervals that were looked through
    /// come in the order of the intervals; `None` when there is none left.
    pub(crate) fn work(&mut self, session: &Session, budget: u64, finder: impl Fn() -> F + Sync) -> Option<Vec<F>> {
        if self.turn == self.count {
            return None;
        }
        if self.workers.is_empty() {
            let processors = std::thread::available_parallelism().map_or(1, usize::from);
            let mut rerun = Rerun::at(session.past(), session.oldest());
            let judge = Judge::at(vec![Armed { id: StopId::UNTIL, stop: self.stop.clone() }], &mut rerun);
            self.workers = vec![Worker { rerun, judge, task: None }; processors.min(MOST_WORKERS).min(self.count)];
        }
        let waiting = Mutex::new((std::mem::take(&mut self.waiting), 0));
        let next = || {
            let mut waiting = waiting.lock().unwrap_or_else(PoisonError::into_inner);
            let (number, (from, until)) = waiting.0.pop_front()?;
            waiting.1 += until.0 - from.0;
            Some((number, from, until))
        };
        let work = |worker: &mut Worker<F>| worker.work(session, budget, &next, &finder);
        let done: Vec<(usize, F)> = match self.workers.as_mut_slice() {
            [one] => work(one),
            many => std::thread::scope(|scope| {
                let threads: Vec<_> = many.iter_mut().map(|worker| scope.spawn(|| work(worker))).collect();
                // A panic of one of them goes on here.
                threads
                    .into_iter()
                    .flat_map(|thread| thread.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
                    .collect()
            }),
        };
        let (waiting, begun) = waiting.into_inner().unwrap_or_else(PoisonError::into_inner);
        (self.waiting, self.begun) = (waiting, self.begun + begun);
        self.found.extend(done);
        let mut told = Vec::new();
        while let Some(finder) = self.found.remove(&self.turn) {
            told.push(finder);
            self.turn += 1;
        }
        Some(told)
    }
}

impl<F: Finder> Worker<F> {
    fn work(
        &mut self,
        session: &Session,
        budget: u64,
        next: &impl Fn() -> Option<(usize, StepNo, StepNo)>,
        finder: &impl Fn() -> F,
    ) -> Vec<(usize, F)> {
        let mut left = budget.max(1);
        let mut done = Vec::new();
        while left > 0 {
            let Some((number, until, mut found)) = self.task.take() else {
                let Some((number, from, until)) = next() else { break };
                self.rerun.go_to(session.past(), from);
                self.judge.stands_behind(&self.rerun.at.machine, self.rerun.tail());
                let mut found = finder();
                found.begin(&self.rerun.at.machine);
                self.task = Some((number, until, found));
                left = left.saturating_sub(BEGINNING);
                continue;
            };
            let mut question = Judged::new(&mut self.judge, |machine, _, hits| {
                let goes_on = hits.iter().all(|hit| found.met(machine, *hit));
                if goes_on { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
            });
            if self.rerun.ask(session.past(), until, &mut left, &mut question) {
                done.push((number, found));
            } else {
                self.task = Some((number, until, found));
            }
        }
        done
    }
}

/// What it costs to begin an interval, in steps.
const BEGINNING: u64 = 10_000;

impl Session {
    /// The steps from one moment to another, in intervals between checkpoints, in order.
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
