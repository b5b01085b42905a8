//! A copy of the machine that goes through a session's run again, in slices: what everything here that measures shares.

use crate::session::Session;
use wendax_isa::StepNo;
use wendax_machine::{Machine, Run, Stop};

/// A copy of the machine, and how much of the log it has been fed.
#[derive(Debug, Clone)]
pub(super) struct Again {
    pub(super) machine: Machine,
    fed: usize,
    is_stuck: bool,
}

impl Again {
    /// Stands at a step of a session's run.
    pub(super) fn at(session: &Session, step: StepNo) -> Self {
        let (machine, fed) = session.machine_at(step);
        Self { machine, fed, is_stuck: false }
    }

    /// It comes no further before this step.
    pub(super) fn is_over(&self, until: StepNo) -> bool {
        self.is_stuck || self.machine.steps() >= until
    }

    /// Feeds it what comes from the log now; true when that is something.
    pub(super) fn feed(&mut self, session: &Session) -> bool {
        let before = self.fed;
        session.feed_copy(&mut self.machine, &mut self.fed);
        self.fed > before
    }

    /// Has it run on in some way, up to what comes next from the log, and no longer than `left` plain steps take; what it
    /// took is taken off. What it printed and sounded is known already.
    pub(super) fn run(
        &mut self,
        session: &Session,
        until: StepNo,
        left: &mut u64,
        go: impl FnOnce(&mut Machine, Run) -> Stop,
    ) {
        let (from, ran) = (self.machine.steps(), self.machine.plain_steps());
        let run = Run { work: *left, plain: *left, ..Run::until(until.min(session.event_step(self.fed))) };
        let stop = go(&mut self.machine, run);
        self.machine.take_output();
        self.machine.take_tones();
        self.machine.take_moments();
        *left = left.saturating_sub(self.machine.plain_since(ran) + self.machine.worked() + 1);
        // The past always goes on; if it did not, waiting for it would be without end.
        self.is_stuck = self.machine.steps() == from && crate::commands::is_stuck(&stop);
    }
}
