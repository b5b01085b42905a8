//! Who looks at the steps of a run for a command: where a line is left, where one began.

use crate::journey::{LineRun, LineSearch};
use std::ops::ControlFlow;
use std::sync::Arc;
use wendax_image::Image;
use wendax_isa::{Addr, StepNo};
use wendax_machine::{Observer, Report};

/// The addresses that belong to the same line of the source as one of them, as far as they follow each other.
pub(crate) fn line_range(image: &Image, address: Addr) -> (Addr, Addr) {
    let lines = &image.lines;
    let after = lines.partition_point(|line| line.address <= address);
    let Some(at) = after.checked_sub(1).filter(|&at| address < lines[at].address + lines[at].length) else {
        return (address, address + 1);
    };
    let same = |index: usize| lines[index].span == lines[at].span;
    let first = (0..=at).rev().take_while(|&index| same(index)).last().unwrap_or(at);
    let last = (at..lines.len()).take_while(|&index| same(index)).last().unwrap_or(at);
    (lines[first].address, lines[last].address + lines[last].length)
}

/// Goes on while the next instruction is in a range, and nothing is called.
pub(crate) struct Within {
    pub(crate) from: Addr,
    pub(crate) to: Addr,
    pub(crate) depth: usize,
}

impl Observer for Within {
    const WRITES: bool = false;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        let stays = (self.from..self.to).contains(&report.next) && report.depth <= self.depth;
        if stays { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    }
}

/// Looks for the run of states of one line that an interval ends with.
#[derive(Debug, Clone)]
pub(crate) struct LineLooker {
    image: Arc<Image>,
    depth: usize,
    until: StepNo,
    run: Option<LineRun>,
    /// There were states of another line before that run.
    others: bool,
}

impl LineLooker {
    pub(crate) fn new(image: &Arc<Image>, depth: usize, until: StepNo) -> Self {
        Self { image: Arc::clone(image), depth, until, run: None, others: false }
    }

    pub(crate) fn state(&mut self, step: StepNo, pc: Addr, depth: usize) {
        if step >= self.until || depth > self.depth {
            return;
        }
        match &self.run {
            Some(run) if (run.range.0..run.range.1).contains(&pc) => {}
            known => {
                self.others = known.is_some();
                self.run = Some(LineRun { range: line_range(&self.image, pc), first: step });
            }
        }
    }

    /// Where the line began, if that is known now; what is known of it goes into `line`.
    pub(crate) fn conclude(self, line: &mut LineSearch) -> Option<StepNo> {
        let run = self.run?;
        match line.known {
            Some(known) if known.range != run.range => return Some(known.first),
            _ => line.known = Some(run),
        }
        self.others.then_some(run.first)
    }
}

impl Observer for LineLooker {
    const WRITES: bool = false;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        self.state(report.step + 1, report.next, report.depth);
        ControlFlow::Continue(())
    }
}
