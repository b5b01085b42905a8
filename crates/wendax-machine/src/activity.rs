//! When a program last did something that could be seen, or looked at something that changes by itself.
//!
//! A loop that repeats a state is stuck only when none of this happened in it. What is kept is the step at which each
//! kind happened last; it is no part of the state.

/// What a program can do besides computing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Deed {
    /// It printed, wrote a device register, took an interrupt, or looked at the time.
    Worked,
    /// It looked whether something was typed.
    Console,
    /// It looked at the levers.
    Levers,
    /// It allowed interrupts.
    Allowed,
}

/// The step after which each kind happened last, counted from 1; 0 for never.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Activity {
    last: [u64; 4],
}

impl Activity {
    pub(crate) fn note(&mut self, deed: Deed, step: u64) {
        self.last[deed as usize] = step + 1;
    }

    /// It happened in a step at or after this one.
    pub(crate) fn since(&self, deed: Deed, step: u64) -> bool {
        self.last[deed as usize] > step
    }
}
