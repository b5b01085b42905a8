//! When a program last did something that could be seen, or looked at something that changes by itself.
//!
//! A loop that repeats a state is stuck only when none of this happened in it. What is kept is the step at which each
//! kind happened last; it is no part of the state.

use wendax_isa::StepNo;

/// What a program can do besides computing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Deed {
    /// It printed, wrote a device register, took an interrupt, or looked at the time.
    Worked,
    /// It looked whether something was typed.
    Console,
    /// It looked at the levers.
    Levers,
    /// It looked whether the timer has expired.
    Timer,
    /// It allowed interrupts.
    Allowed,
}

/// Something of a run that people look for, and the step that did it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Moment {
    /// A line of output began, with the byte printed at this position since the start; or output that holds its end.
    Line {
        /// The step.
        step: StepNo,
        /// The position.
        position: u64,
    },
    /// An interrupt was taken.
    Interrupt {
        /// The step.
        step: StepNo,
        /// The interrupt's number.
        number: u32,
    },
}

/// The step after which each kind happened last, counted from 1; 0 for never.
#[derive(Debug, Clone, Default)]
pub(crate) struct Activity {
    last: [u64; 5],
    /// Not yet taken by the owner, when one asked for them.
    moments: Option<Vec<Moment>>,
    /// The byte printed last does not end a line.
    is_within_line: bool,
}

impl Activity {
    pub(crate) fn note(&mut self, deed: Deed, step: u64) {
        self.last[deed as usize] = step + 1;
    }

    /// So much is printed by a step, from this position on.
    pub(crate) fn printed(&mut self, bytes: &[u8], position: u64, step: u64) {
        if !self.is_within_line || bytes.contains(&b'\n') {
            self.keep(Moment::Line { step: StepNo(step), position });
        }
        self.is_within_line = bytes.last().is_some_and(|&last| last != b'\n');
    }

    /// An interrupt is taken.
    pub(crate) fn interrupted(&mut self, number: u32, step: u64) {
        self.keep(Moment::Interrupt { step: StepNo(step), number });
    }

    fn keep(&mut self, moment: Moment) {
        if let Some(moments) = &mut self.moments {
            moments.push(moment);
        }
    }

    /// From now on moments are kept, until they are taken.
    pub(crate) fn keep_moments(&mut self) {
        self.moments = Some(Vec::new());
    }

    /// The past is looked at: what was printed before is not known here.
    pub(crate) fn forget_line(&mut self) {
        self.is_within_line = false;
    }

    pub(crate) fn take_moments(&mut self) -> Vec<Moment> {
        self.moments.take().unwrap_or_default()
    }

    /// What happened in steps from this one on happened again, the last time so many steps later.
    pub(crate) fn repeat(&mut self, since: u64, later: u64) {
        for last in self.last.iter_mut().filter(|last| **last > since) {
            *last += later;
        }
    }

    /// It happened in a step at or after this one.
    pub(crate) fn since(&self, deed: Deed, step: u64) -> bool {
        self.last[deed as usize] > step
    }
}
