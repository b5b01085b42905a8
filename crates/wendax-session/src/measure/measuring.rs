//! A part of a run being counted, in slices, on a copy of the machine.

use super::tally::Tally;
use crate::rerun::{Question, Rerun};
use crate::session::Session;
use wendax_isa::StepNo;
use wendax_machine::{Counting, Machine, Run, Stop};

/// A measurement under way.
#[derive(Debug, Clone)]
pub struct Measuring {
    rerun: Rerun,
    counting: Counting,
    branches: u64,
    from: StepNo,
    to: StepNo,
}

impl Measuring {
    /// Of the part of a session's run between two moments, as far as it has been taken and is kept.
    pub fn new(session: &Session, from: StepNo, to: StepNo) -> Self {
        let to = to.min(session.end());
        let from = from.max(session.oldest()).min(to);
        let mut rerun = Rerun::at(session.past(), from);
        rerun.at.feed_edits(session.past().log);
        let counting = Counting::new(&mut rerun.at.machine);
        Self { rerun, counting, branches: session.branches(), from, to }
    }

    /// Of all of it.
    pub fn all(session: &Session) -> Self {
        Self::new(session, StepNo::FIRST, StepNo::LAST)
    }

    /// Steps counted so far, and all there are to count.
    pub fn progress(&self) -> (u64, u64) {
        (self.rerun.at.machine.steps() - self.from, self.to - self.from)
    }

    /// It can go on for the part of a session's run that begins there.
    pub fn goes_on(&self, session: &Session, from: StepNo) -> bool {
        self.branches == session.branches()
            && self.from == from.max(session.oldest()).min(session.end())
            && self.to <= session.end()
    }

    /// Goes on to a later moment, as far as the run has been taken.
    pub fn extend_to(&mut self, session: &Session, to: StepNo) {
        self.to = self.to.max(to.min(session.end()));
    }

    /// Works for about as long as `budget` plain steps take; true when all is counted.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        self.rerun.ask(session.past(), self.to, &mut budget.max(1), &mut Counted(&mut self.counting))
    }

    /// What was counted so far, with the names of the session's program.
    pub fn tally(&self, session: &Session) -> Tally {
        Tally::of(&self.counting.counts(), session, &self.rerun.at.machine)
    }
}

/// All that is done, counted.
struct Counted<'a>(&'a mut Counting);

impl Question for Counted<'_> {
    fn run(&mut self, machine: &mut Machine, run: Run) -> Stop {
        machine.run_counted(run, self.0)
    }
}
