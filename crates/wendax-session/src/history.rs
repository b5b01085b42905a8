//! Checkpoints of a run.
//!
//! One is kept whenever so much was done that doing it again takes a few milliseconds ([`INTERVAL`]), and older ones
//! are thinned so that what lies between two of them is at most a part of their age: the last hundreds of millions of
//! steps are dense, and the number of checkpoints grows only with the logarithm of the run. Beyond that there is a
//! budget of bytes: over it they are thinned further, and at last the oldest are forgotten, and with them the way back
//! to what lies before.

use crate::cursor::Kept;
use wendax_isa::{RegisterUse, StepNo};

/// What is done between checkpoints, in steps and work worth as much; at full speed a few milliseconds of running.
#[cfg(not(test))]
pub(crate) const INTERVAL: u64 = 500_000;
/// Small under test, so that what is rare in use is common there.
#[cfg(test)]
pub(crate) const INTERVAL: u64 = 7;

/// A checkpoint this many times the interval old may lie twice the interval from the next: thinning begins at 256
/// million steps, and of 10 billion none is more than 20 million from a checkpoint.
const AGE_PARTS: u64 = 512;

#[derive(Debug, Clone)]
pub(crate) struct Checkpoint {
    pub(crate) at: Kept,
    /// What instructions used between the checkpoint before and this one; perhaps more.
    pub(crate) used: RegisterUse,
}

impl Checkpoint {
    pub(crate) fn step(&self) -> StepNo {
        self.at.snapshot.step()
    }
}

/// Checkpoints in order of step; the first is the earliest moment there is a way back to.
#[derive(Debug, Clone)]
pub(crate) struct History {
    checkpoints: Vec<Checkpoint>,
    /// Length at which the next thinning is due.
    thin_at: usize,
    /// Bytes of memory they take, each beside the one before.
    bytes: usize,
}

impl History {
    pub(crate) fn new(start: Checkpoint) -> Self {
        Self { checkpoints: vec![start], thin_at: 128, bytes: 0 }
    }

    fn index_before(&self, step: StepNo) -> usize {
        self.checkpoints.partition_point(|checkpoint| checkpoint.step() <= step).saturating_sub(1)
    }

    /// The newest checkpoint at or before `step`, or the first.
    pub(crate) fn before(&self, step: StepNo) -> &Checkpoint {
        // There always is a first.
        &self.checkpoints[self.index_before(step)]
    }

    /// The one after that, if there is one.
    pub(crate) fn after(&self, step: StepNo) -> Option<&Checkpoint> {
        self.checkpoints.get(self.index_before(step) + 1)
    }

    /// The earliest step there is a way back to.
    pub(crate) fn oldest(&self) -> &Checkpoint {
        &self.checkpoints[0]
    }

    pub(crate) fn newest(&self) -> &Checkpoint {
        &self.checkpoints[self.checkpoints.len() - 1]
    }

    /// Bytes of memory they take.
    pub(crate) fn bytes(&self) -> usize {
        self.bytes
    }

    /// Takes in a checkpoint, unless there is one at its step.
    pub(crate) fn push(&mut self, checkpoint: Checkpoint) {
        let step = checkpoint.step();
        let after = self.checkpoints.partition_point(|known| known.step() < step);
        if self.checkpoints.get(after).is_some_and(|known| known.step() == step) {
            return;
        }
        if let Some(before) = after.checked_sub(1).and_then(|index| self.checkpoints.get(index)) {
            self.bytes += checkpoint.at.snapshot.bytes_beside(&before.at.snapshot) + size_of::<Checkpoint>();
        }
        self.checkpoints.insert(after, checkpoint);
        if self.checkpoints.len() >= self.thin_at {
            self.thin(AGE_PARTS);
            self.thin_at = self.checkpoints.len() + 128;
        }
    }

    /// Keeps the first checkpoint of each bucket of effort. Buckets grow with age by powers of two, so that
    /// they nest: what is the first of a large bucket was the first of a small one before.
    fn thin(&mut self, parts: u64) {
        let newest = self.newest().at.effort;
        let mut last_kept: Option<u64> = None;
        // What belongs to one that goes belongs to the next one that stays.
        let mut used = RegisterUse::default();
        self.checkpoints.retain_mut(|checkpoint| {
            used = used.with(checkpoint.used);
            let effort = checkpoint.at.effort;
            let parts = ((newest - effort) / parts / INTERVAL).max(1);
            let bucket = INTERVAL << parts.ilog2();
            let keep = last_kept.is_none_or(|kept| kept / bucket != effort / bucket);
            if keep {
                last_kept = Some(effort);
                checkpoint.used = std::mem::take(&mut used);
            }
            keep
        });
        self.count();
    }

    fn count(&mut self) {
        let pairs = self.checkpoints.windows(2);
        let of_pair =
            |pair: &[Checkpoint]| pair[1].at.snapshot.bytes_beside(&pair[0].at.snapshot) + size_of::<Checkpoint>();
        self.bytes = pairs.map(of_pair).sum();
    }

    /// Thins until no more than so many bytes are taken, as far as that goes without forgetting the beginning.
    pub(crate) fn shrink_to(&mut self, bytes: usize) {
        let mut parts = AGE_PARTS / 2;
        while self.bytes > bytes && parts > 0 {
            self.thin(parts);
            parts /= 2;
        }
        while self.bytes > bytes && self.checkpoints.len() > 2 {
            self.checkpoints.remove(0);
            self.count();
        }
    }

    /// Forgets checkpoints before the last one that had been fed less than so many events.
    pub(crate) fn forget_before_event(&mut self, fed: usize) {
        let keep = self.checkpoints.partition_point(|checkpoint| checkpoint.at.fed < fed).saturating_sub(1);
        self.checkpoints.drain(..keep.min(self.checkpoints.len() - 1));
        self.count();
    }

    /// Forgets what lies behind `step`.
    pub(crate) fn drop_after(&mut self, step: StepNo) {
        // The first stays: nobody is before it.
        let first = self.checkpoints[0].step();
        self.checkpoints.retain(|checkpoint| checkpoint.step() <= step.max(first));
        self.count();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cursor::Tail;
    use wendax_machine::{Event, Machine, Run, Settings};

    fn machine() -> Machine {
        let image =
            wendax_image::from_raw(&wendax_isa::w16::TARGET, &[0x01, 0x00, 0xFE, 0x80], wendax_isa::Addr(0x0200))
                .expect("two words fit");
        Machine::new(&image, Settings::default())
    }

    fn checkpoint(machine: &mut Machine) -> Checkpoint {
        let (used, tail, effort) = (machine.uses_so_far(), Tail::default(), machine.steps().0);
        Checkpoint { at: Kept { snapshot: machine.snapshot(), fed: 0, effort, tail }, used }
    }

    #[test]
    fn thinning_keeps_the_first_and_never_lets_a_gap_grow_past_its_age() {
        let mut machine = machine();
        let mut history = History::new(checkpoint(&mut machine));
        for step in 1..40_000u64 {
            machine.run(Run::until(StepNo(step * INTERVAL)));
            history.push(checkpoint(&mut machine));
        }
        let steps: Vec<StepNo> = history.checkpoints.iter().map(Checkpoint::step).collect();
        let newest = history.newest().step();
        assert_eq!(steps[0], StepNo(0));
        assert!(steps.len() < 4000, "{} are kept", steps.len());
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
        assert_eq!(history.newest().step(), steps[3]);
    }

    #[test]
    fn a_budget_of_bytes_is_kept_and_the_newest_checkpoint_stays() {
        let mut machine = machine();
        let mut history = History::new(checkpoint(&mut machine));
        for step in 1..600u64 {
            for page in 1..40 {
                machine.feed(&Event::SetByte(
                    wendax_isa::Addr(0xEE00 + page * 0x40),
                    u32::try_from(step % 256).expect("a byte"),
                ));
            }
            machine.run(Run::until(StepNo(step * INTERVAL)));
            history.push(checkpoint(&mut machine));
        }
        let (bytes, newest) = (history.bytes(), history.newest().step());
        for budget in [bytes / 2, bytes / 10, bytes / 100, 1] {
            history.shrink_to(budget);
            assert!(history.bytes() <= budget || history.checkpoints.len() == 2, "{} of {budget}", history.bytes());
            assert_eq!(history.newest().step(), newest);
        }
    }
}
