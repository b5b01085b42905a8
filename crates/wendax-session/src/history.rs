//! Checkpoints of a run.
//!
//! One is kept every [`INTERVAL`] steps, and older ones are thinned so that the distance between two of
//! them is at most a part of their age: the last tens of millions of steps are dense, and the number of
//! checkpoints grows only with the logarithm of the run.

use wendax_machine::Snapshot;

/// Steps between checkpoints; at full speed a few milliseconds of running.
#[cfg(not(test))]
pub(crate) const INTERVAL: u64 = 500_000;
/// Small under test, so that what is rare in use is common there.
#[cfg(test)]
pub(crate) const INTERVAL: u64 = 7;

/// A checkpoint this many steps old may lie twice this many times fewer steps from the next: with 64 and
/// the interval above, thinning begins at an age of 64 million steps, and the last 100 million are never
/// more than 2 million steps from a checkpoint.
const AGE_PARTS: u64 = 64;

#[derive(Debug, Clone)]
pub(crate) struct Checkpoint {
    pub(crate) snapshot: Snapshot,
    /// How many events of the log had been fed.
    pub(crate) fed: usize,
}

impl Checkpoint {
    pub(crate) fn step(&self) -> u64 {
        self.snapshot.step()
    }
}

/// Checkpoints in order of step; the first is the start of the run.
#[derive(Debug, Clone)]
pub(crate) struct History {
    checkpoints: Vec<Checkpoint>,
    /// Length at which the next thinning is due.
    thin_at: usize,
}

impl History {
    pub(crate) fn new(start: Checkpoint) -> Self {
        Self { checkpoints: vec![start], thin_at: 128 }
    }

    /// The newest checkpoint at or before `step`.
    pub(crate) fn before(&self, step: u64) -> &Checkpoint {
        let after = self.checkpoints.partition_point(|checkpoint| checkpoint.step() <= step);
        // The first is at step 0.
        &self.checkpoints[after.saturating_sub(1)]
    }

    pub(crate) fn newest_step(&self) -> u64 {
        self.checkpoints.last().map_or(0, Checkpoint::step)
    }

    /// Takes in a checkpoint, unless there is one at its step.
    pub(crate) fn push(&mut self, checkpoint: Checkpoint) {
        let step = checkpoint.step();
        let after = self.checkpoints.partition_point(|known| known.step() < step);
        if self.checkpoints.get(after).is_some_and(|known| known.step() == step) {
            return;
        }
        self.checkpoints.insert(after, checkpoint);
        if self.checkpoints.len() >= self.thin_at {
            self.thin();
            self.thin_at = self.checkpoints.len() + 128;
        }
    }

    /// Keeps the first checkpoint of each bucket of steps. Buckets grow with age by powers of two, so that
    /// they nest: what is the first of a large bucket was the first of a small one before.
    fn thin(&mut self) {
        let newest = self.newest_step();
        let mut last_kept: Option<u64> = None;
        self.checkpoints.retain(|checkpoint| {
            let step = checkpoint.step();
            let parts = ((newest - step) / AGE_PARTS / INTERVAL).max(1);
            let bucket = INTERVAL << parts.ilog2();
            let keep = last_kept.is_none_or(|kept| kept / bucket != step / bucket);
            if keep {
                last_kept = Some(step);
            }
            keep
        });
    }

    /// Forgets what lies behind `step`.
    pub(crate) fn drop_after(&mut self, step: u64) {
        self.checkpoints.retain(|checkpoint| checkpoint.step() <= step);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use wendax_machine::{Machine, Run, Settings};

    #[test]
    fn thinning_keeps_the_first_and_never_lets_a_gap_grow_past_its_age() {
        let image = wendax_image::from_raw(&[0x01, 0x00, 0xFE, 0x80], 0x0200).expect("two words fit");
        let mut machine = Machine::new(&image, Settings::default());
        let mut history = History::new(Checkpoint { snapshot: machine.snapshot(), fed: 0 });
        for step in 1..40_000u64 {
            machine.run(Run { until: step * INTERVAL, depth: None });
            history.push(Checkpoint { snapshot: machine.snapshot(), fed: 0 });
        }
        let steps: Vec<u64> = history.checkpoints.iter().map(Checkpoint::step).collect();
        let newest = history.newest_step();
        assert_eq!(steps[0], 0);
        assert!(steps.len() < 800, "{} are kept", steps.len());
        for pair in steps.windows(2) {
            let age = newest - pair[0];
            // Two firsts of neighbouring buckets lie less than two buckets apart.
            assert!(pair[1] - pair[0] <= 2 * (age / AGE_PARTS).max(INTERVAL), "{pair:?} of {newest}");
        }
        assert_eq!(
            history.before(newest - 1).step(),
            *steps.iter().rev().find(|&&s| s < newest).expect("there are more")
        );
        history.drop_after(steps[3] + 1);
        assert_eq!(history.newest_step(), steps[3]);
    }
}
