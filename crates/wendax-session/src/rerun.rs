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

use crate::cursor::Cursor;
use crate::log::Entry;
use crate::past::Past;
use wendax_isa::StepNo;
use wendax_machine::{Lookout, Machine, Observer, Run, Stop};

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

/// Has a machine stop at nothing.
pub(crate) fn disarm(machine: &mut Machine) {
    machine.set_breakpoints(&[]);
    machine.set_lookout(&Lookout::default());
}

/// A copy of a machine that stops at nothing.
pub(crate) fn plain(machine: &Machine) -> Machine {
    let mut machine = machine.clone();
    disarm(&mut machine);
    machine
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
    pub(crate) at: Cursor,
    is_stuck: bool,
}

impl Rerun {
    /// Stands at a step of a branch.
    pub(crate) fn at(past: Past<'_>, step: StepNo) -> Self {
        let mut rerun = Self { at: Cursor::new(plain(past.machine)), is_stuck: false };
        rerun.restore_before(past, step);
        rerun.go_through(past, step, &mut On);
        rerun
    }

    fn restore_before(&mut self, past: Past<'_>, step: StepNo) {
        self.at.put_back(&past.history.before(step).at);
        self.is_stuck = false;
    }

    /// The end of what was printed up to here.
    pub(crate) fn tail(&self) -> &[u8] {
        self.at.tail.bytes()
    }

    /// Goes to a step, from where it stands when that is on the way, else from the last checkpoint before. The machine
    /// goes on looking out for what it looks out for.
    pub(crate) fn go_to(&mut self, past: Past<'_>, step: StepNo) {
        let now = self.at.machine.steps();
        if now > step || past.history.before(step).step() > now {
            self.restore_before(past, step);
        }
        self.go_through(past, step, &mut On);
    }

    /// It comes no further before this step.
    pub(crate) fn is_over(&self, until: StepNo) -> bool {
        self.is_stuck || self.at.machine.steps() >= until
    }

    /// Goes on to a step, however long that takes.
    pub(crate) fn go_through(&mut self, past: Past<'_>, until: StepNo, question: &mut impl Question) {
        let mut all = u64::MAX;
        self.ask(past, until, &mut all, question);
    }

    /// Goes on to a step, for as long as what is `left` allows, of which what was done is taken off; true when it is over:
    /// the step is reached, or all is answered.
    pub(crate) fn ask(&mut self, past: Past<'_>, until: StepNo, left: &mut u64, question: &mut impl Question) -> bool {
        loop {
            if self.is_over(until) || question.is_answered() {
                return true;
            }
            if *left == 0 {
                return false;
            }
            let entries = past.due_at(self.at.fed, self.at.machine.steps());
            if !entries.is_empty() {
                question.feed(&mut self.at.machine, entries);
                self.at.fed += entries.len();
            }
            let (from, mark) = (self.at.machine.steps(), self.at.machine.effort());
            let until = until.min(past.next_entry(self.at.fed));
            let stop = question.run(&mut self.at.machine, Run { effort: *left, ..Run::until(until) });
            // What it printed and sounded is known already.
            self.at.count(mark);
            self.at.machine.take_tones();
            *left = left.saturating_sub(self.at.machine.effort_since(mark) + 1);
            // The past always goes on; if it did not, waiting for it would be without end.
            self.is_stuck = self.at.machine.steps() == from && stop.is_end();
        }
    }

    /// What the moment it stands at looks like to who leaves it: a copy that has been fed what comes there.
    pub(crate) fn last_moment(&self, past: Past<'_>, question: &mut impl Question) -> Machine {
        let mut machine = self.at.machine.clone();
        let entries = past.due_at(self.at.fed, machine.steps());
        question.feed(&mut machine, entries);
        machine
    }
}
