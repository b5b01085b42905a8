//! A part of a run being counted, in slices, on a copy of the machine.

use super::tally::Tally;
use crate::session::Session;
use wendax_isa::StepNo;
use wendax_machine::{Counting, Machine, Run};

/// A measurement under way.
#[derive(Debug, Clone)]
pub struct Measuring {
    machine: Machine,
    counting: Counting,
    fed: usize,
    branches: u64,
    from: StepNo,
    to: StepNo,
    is_stuck: bool,
}

impl Measuring {
    /// Of the part of a session's run between two moments, as far as it has been taken and is kept.
    pub fn new(session: &Session, from: StepNo, to: StepNo) -> Self {
        let to = to.min(session.end());
        let from = from.max(session.oldest()).min(to);
        let (mut machine, fed) = session.machine_at(from);
        let counting = Counting::new(&mut machine);
        Self { machine, counting, fed, branches: session.branches(), from, to, is_stuck: false }
    }

    /// Of all of it.
    pub fn all(session: &Session) -> Self {
        Self::new(session, StepNo::FIRST, StepNo::LAST)
    }

    /// The moments it lies between.
    pub fn range(&self) -> (StepNo, StepNo) {
        (self.from, self.to)
    }

    /// Steps counted so far, and all there are to count.
    pub fn progress(&self) -> (u64, u64) {
        (self.machine.steps() - self.from, self.to - self.from)
    }

    /// It is still of the present branch of a session.
    pub fn is_of(&self, session: &Session) -> bool {
        self.branches == session.branches()
    }

    /// It can go on for the part of a session's run that begins there.
    pub fn goes_on(&self, session: &Session, from: StepNo) -> bool {
        self.is_of(session) && self.from == from.max(session.oldest()).min(session.end()) && self.to <= session.end()
    }

    /// Goes on to a later moment, as far as the run has been taken.
    pub fn extend_to(&mut self, session: &Session, to: StepNo) {
        self.to = self.to.max(to.min(session.end()));
    }

    /// Works for about as long as `budget` plain steps take; true when all is counted.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        let mut left = budget.max(1);
        while self.machine.steps() < self.to && !self.is_stuck {
            if left == 0 {
                return false;
            }
            session.feed_copy(&mut self.machine, &mut self.fed);
            let (from, ran) = (self.machine.steps(), self.machine.plain_steps());
            let until = self.to.min(session.event_step(self.fed));
            let run = Run { work: left, plain: left, ..Run::until(until) };
            let stop = self.machine.run_counted(run, &mut self.counting);
            self.machine.take_output();
            self.machine.take_tones();
            self.machine.take_moments();
            left = left.saturating_sub(self.machine.plain_steps() - ran + self.machine.worked() + 1);
            // The past always goes on; if it did not, waiting for it would be without end.
            self.is_stuck = self.machine.steps() == from && crate::commands::is_stuck(&stop);
        }
        true
    }

    /// What was counted so far, with the names of the session's program.
    pub fn tally(&self, session: &Session) -> Tally {
        Tally::of(&self.counting.counts(), session, &self.machine)
    }
}
