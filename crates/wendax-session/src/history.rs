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
const INTERVAL: u64 = 500_000;

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
    /// What is done from one to the next, as long as none was thinned out.
    pub(crate) interval: u64,
    /// Length at which the next thinning is due.
    thin_at: usize,
    /// Bytes of memory they take, each beside the one before.
    bytes: usize,
}

impl History {
    pub(crate) fn new(start: Checkpoint) -> Self {
        Self { checkpoints: vec![start], interval: INTERVAL, thin_at: 128, bytes: 0 }
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

    /// Where they stand, in order.
    pub(crate) fn steps(&self) -> impl Iterator<Item = StepNo> {
        self.checkpoints.iter().map(Checkpoint::step)
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
        let (newest, interval) = (self.newest().at.effort, self.interval);
        let mut last_kept: Option<u64> = None;
        // What belongs to one that goes belongs to the next one that stays.
        let mut used = RegisterUse::default();
        self.checkpoints.retain_mut(|checkpoint| {
            used = used.with(checkpoint.used);
            let effort = checkpoint.at.effort;
            let parts = ((newest - effort) / parts / interval).max(1);
            let bucket = interval << parts.ilog2();
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
