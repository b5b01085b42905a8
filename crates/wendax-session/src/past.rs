//! What is known of a run, as whoever goes through it again needs it: checkpoints, what came from outside, and how far
//! it goes. It says nothing of where a walk stands.

use crate::history::History;
use crate::log::{Entry, Log};
use wendax_isa::StepNo;
use wendax_machine::Machine;

/// One branch of a run, to be gone through again.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Past<'a> {
    /// A machine of the run, at whatever step.
    pub(crate) machine: &'a Machine,
    pub(crate) history: &'a History,
    pub(crate) log: &'a Log,
    /// The furthest step that was taken.
    pub(crate) end: StepNo,
    /// Which branch it is.
    pub(crate) branch: u64,
}

impl<'a> Past<'a> {
    /// The earliest step there is a way back to.
    pub(crate) fn oldest(self) -> StepNo {
        self.history.oldest().step()
    }

    /// The entries of the log from an index on that come at a step, which is the next there is or one before.
    pub(crate) fn due_at(self, fed: usize, step: StepNo) -> &'a [Entry] {
        self.log.due_at(fed, step)
    }

    /// The step of the next entry of the log behind an index.
    pub(crate) fn next_entry(self, fed: usize) -> StepNo {
        self.log.next_step(fed)
    }

    /// How many entries of the log there are up to a moment.
    pub(crate) fn entries_up_to(self, moment: StepNo) -> usize {
        self.log.index_at(moment + 1)
    }
}
