//! Going through a run again: the one way to do so, whatever is asked.
//!
//! A [`Rerun`] is a copy of the machine at some step of a branch. It is fed what came from outside, runs up to a moment or
//! to the end of what is known, in slices bounded by what was really done, takes off all the machine has to tell, and
//! sees when it comes no further. What is asked is a [`Question`]: it says how the machine is run and takes in what that
//! shows; none has a loop of its own. Nothing here changes the walk.
//!
//! A moment is *left* once what comes from outside at it has been fed and a step is taken from it. Whether an instruction
//! arrives at a moment is known then and not before: an interrupt may come first. So the moment a rerun stops at has not
//! been left, and what arrives there belongs to who goes on from it, or to [`Rerun::last_moment`] at the end of a branch.

use crate::log::Entry;
use crate::session::Session;
use wendax_isa::StepNo;
use wendax_machine::{Machine, Observer, Run, Stop};

/// What is asked of a run.
pub(crate) trait Question {
    /// Feeds what comes from outside at the machine's moment.
    fn feed(&mut self, machine: &mut Machine, entries: &[Entry]) {
        feed(machine, entries);
    }

    /// Has the machine run on, up to where `run` says or less far, and takes in what that shows.
    fn run(&mut self, machine: &mut Machine, run: Run) -> Stop;

    /// Nothing more of the run matters.
    fn is_answered(&self) -> bool {
        false
    }
}

/// Feeds all that comes at a moment.
pub(crate) fn feed(machine: &mut Machine, entries: &[Entry]) {
    for entry in entries {
        machine.feed(&entry.event);
    }
}

/// Only how the machine is further on.
pub(crate) struct On;

impl Question for On {
    fn run(&mut self, machine: &mut Machine, run: Run) -> Stop {
        machine.run_past(run)
    }
}

/// What an observer sees of each step.
pub(crate) struct Seen<'a, O>(pub(crate) &'a mut O);

impl<O: Observer> Question for Seen<'_, O> {
    fn run(&mut self, machine: &mut Machine, run: Run) -> Stop {
        machine.run_observed(run, self.0)
    }
}

/// A copy of the machine on its way through a branch again.
#[derive(Debug, Clone)]
pub(crate) struct Rerun {
    pub(crate) machine: Machine,
    /// Entries of the log it has been fed.
    fed: usize,
    /// The end of what was printed.
    tail: Tail,
    is_stuck: bool,
}

/// The end of what a run has printed, as far as anything may ask for it.
#[derive(Debug, Clone, Default)]
pub(crate) struct Tail(Vec<u8>);

impl Tail {
    /// A text that is looked for is at most so long.
    pub(crate) const LONGEST: usize = 256;

    /// Behind that this is printed.
    pub(crate) fn print(&mut self, output: &[u8]) {
        self.0.extend_from_slice(&output[output.len().saturating_sub(Self::LONGEST)..]);
        self.0.drain(..self.0.len().saturating_sub(Self::LONGEST));
    }

    pub(crate) fn bytes(&self) -> &[u8] {
        &self.0
    }
}

impl Rerun {
    /// Stands at a step of a session's branch.
    pub(crate) fn at(session: &Session, step: StepNo) -> Self {
        let mut rerun = Self { machine: session.plain_copy(), fed: 0, tail: Tail::default(), is_stuck: false };
        rerun.restore_before(session, step);
        rerun.go_through(session, step, &mut On);
        rerun
    }

    fn restore_before(&mut self, session: &Session, step: StepNo) {
        let checkpoint = session.history.before(step);
        self.machine.restore(&checkpoint.snapshot);
        (self.fed, self.tail, self.is_stuck) = (checkpoint.fed, checkpoint.tail.clone(), false);
    }

    /// The end of what was printed up to here.
    pub(crate) fn tail(&self) -> &[u8] {
        self.tail.bytes()
    }

    /// Goes to a step, from where it stands when that is on the way, else from the last checkpoint before. The machine
    /// goes on looking out for what it looks out for.
    pub(crate) fn go_to(&mut self, session: &Session, step: StepNo) {
        let now = self.machine.steps();
        if now > step || session.history.before(step).step() > now {
            self.restore_before(session, step);
        }
        self.go_through(session, step, &mut On);
    }

    /// It comes no further before this step.
    pub(crate) fn is_over(&self, until: StepNo) -> bool {
        self.is_stuck || self.machine.steps() >= until
    }

    /// Goes on to a step, however long that takes.
    pub(crate) fn go_through(&mut self, session: &Session, until: StepNo, question: &mut impl Question) {
        let mut all = u64::MAX;
        self.ask(session, until, &mut all, question);
    }

    /// Goes on to a step, for as long as what is `left` allows, of which what was done is taken off; true when it is over:
    /// the step is reached, or all is answered.
    pub(crate) fn ask(
        &mut self,
        session: &Session,
        until: StepNo,
        left: &mut u64,
        question: &mut impl Question,
    ) -> bool {
        loop {
            if self.is_over(until) || question.is_answered() {
                return true;
            }
            if *left == 0 {
                return false;
            }
            let entries = session.due_at(self.fed, self.machine.steps());
            if !entries.is_empty() {
                question.feed(&mut self.machine, entries);
                self.fed += entries.len();
            }
            let (from, mark) = (self.machine.steps(), self.machine.effort());
            let until = until.min(session.next_entry(self.fed));
            let stop = question.run(&mut self.machine, Run { effort: *left, ..Run::until(until) });
            // What it printed and sounded is known already.
            self.tail.print(&self.machine.take_output());
            self.machine.take_tones();
            *left = left.saturating_sub(self.machine.effort_since(mark) + 1);
            // The past always goes on; if it did not, waiting for it would be without end.
            self.is_stuck = self.machine.steps() == from && stop.is_end();
        }
    }

    /// What the moment it stands at looks like to who leaves it: a copy that has been fed what comes there.
    pub(crate) fn last_moment(&self, session: &Session, question: &mut impl Question) -> Machine {
        let mut machine = self.machine.clone();
        let entries = session.due_at(self.fed, machine.steps());
        question.feed(&mut machine, entries);
        machine
    }
}
