//! The whole run as a strip: how deep calls went, and what happened where.

use wendax_isa::StepNo;

/// The strip never has more pieces; when it would, two become one.
const PIECES: usize = 512;

/// What a mark stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum MarkKind {
    /// The run stopped at a breakpoint.
    Stop,
    /// Something was typed.
    Input,
    /// A person changed the state.
    Edit,
    /// The program failed.
    Fault,
}

/// A mark on the ribbon.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Mark {
    /// The step.
    pub step: StepNo,
    /// What happened there.
    pub kind: MarkKind,
}

/// Depth of calls over the steps of a run, in pieces of equal length.
#[derive(Debug, Clone)]
pub struct Ribbon {
    /// Steps a piece stands for.
    length: u64,
    deepest: Vec<u32>,
}

impl Default for Ribbon {
    fn default() -> Self {
        Self { length: 1, deepest: Vec::new() }
    }
}

impl Ribbon {
    /// One whose pieces stand for at least so many steps, from 1 on.
    pub(crate) fn coarse(steps: u64) -> Self {
        Self { length: steps.max(1), deepest: Vec::new() }
    }

    /// The step at which the piece that holds `step` ends.
    pub(crate) fn piece_end(&self, step: StepNo) -> StepNo {
        StepNo((step.0 / self.length + 1) * self.length)
    }

    /// Up to `step` (from within the same piece) calls went `depth` deep.
    pub fn note(&mut self, step: StepNo, depth: u32) {
        let Some(last) = step.checked_sub(1) else { return };
        let index = usize::try_from(last.0 / self.length).unwrap_or(usize::MAX);
        if index >= PIECES {
            self.halve();
            return self.note(step, depth);
        }
        if index >= self.deepest.len() {
            self.deepest.resize(index + 1, 0);
        }
        self.deepest[index] = self.deepest[index].max(depth);
    }

    fn halve(&mut self) {
        self.length *= 2;
        self.deepest = self.deepest.chunks(2).map(|pair| pair.iter().copied().max().unwrap_or(0)).collect();
    }

    /// Forgets what lies behind `step`.
    pub fn truncate(&mut self, step: StepNo) {
        let pieces = usize::try_from(step.0.div_ceil(self.length)).unwrap_or(usize::MAX);
        self.deepest.truncate(pieces);
    }

    /// The depth in each of `width` equal parts of the first `end` steps.
    pub fn columns(&self, end: StepNo, width: usize) -> Vec<u32> {
        let (end, width) = (end.0, width as u64);
        (0..width)
            .map(|column| {
                let from = column * end / width.max(1) / self.length;
                let to = ((column + 1) * end / width.max(1)).div_ceil(self.length).max(from + 1);
                let pieces = from.min(PIECES as u64)..to.min(PIECES as u64);
                let index = |at: u64| usize::try_from(at).unwrap_or(usize::MAX);
                let range = index(pieces.start).min(self.deepest.len())..index(pieces.end).min(self.deepest.len());
                self.deepest[range].iter().copied().max().unwrap_or(0)
            })
            .collect()
    }
}
