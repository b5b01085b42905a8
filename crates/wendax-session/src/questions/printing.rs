//! Which step printed a byte, and which took one that was typed.

use crate::rerun::{On, Rerun};
use crate::session::Session;
use wendax_isa::StepNo;
use wendax_machine::Machine;

impl Session {
    /// The step that printed the byte at this position of the output, from 0; `None` when nothing has been printed there,
    /// or its past is no longer kept.
    pub fn printed_at(&self, position: u64) -> Option<StepNo> {
        self.step_that_passes(position, Machine::printed)
    }

    /// The step that took the byte at this position of the input, from 0, in the same way.
    pub fn taken_at(&self, position: u64) -> Option<StepNo> {
        self.step_that_passes(position, Machine::read)
    }

    /// The step behind which a count that never falls is greater than `position`.
    fn step_that_passes(&self, position: u64, count: fn(&Machine) -> u64) -> Option<StepNo> {
        let (mut low, mut high) = (self.oldest(), self.end());
        let (first, last) = (self.count_at(low, count), self.count_at(high, count));
        if first > position || last <= position {
            return None;
        }
        // Checkpoints first, then steps: behind `low` it is not passed, behind `high` it is.
        let steps: Vec<StepNo> = self.intervals(low, high).into_iter().map(|(from, _)| from).collect();
        let passed = steps.partition_point(|&step| self.count_at(step, count) <= position);
        if let Some(&after) = steps.get(passed) {
            high = after;
        }
        low = passed.checked_sub(1).and_then(|index| steps.get(index)).copied().unwrap_or(low);
        let mut rerun = Rerun::at(self.past(), low);
        // Half of what is left at a time, so that what is looked through twice is little.
        while high > low + 1 {
            let middle = low + (high - low) / 2;
            let mut ahead = rerun.clone();
            ahead.go_through(self.past(), middle, &mut On);
            if count(&ahead.at.machine) > position {
                high = middle;
            } else {
                (rerun, low) = (ahead, middle);
            }
        }
        Some(low)
    }

    fn count_at(&self, step: StepNo, count: fn(&Machine) -> u64) -> u64 {
        count(&Rerun::at(self.past(), step).at.machine)
    }
}
