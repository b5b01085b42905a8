//! Routines that have been entered and not left.
//!
//! A frame is left once the stack pointer lies above it, however that came about: by a return, by popping the way
//! back, by setting the stack pointer. So what is on the list is on the stack, always.

use wendax_isa::{Addr, StepNo};

/// What makes a frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum FrameKind {
    /// A `call`.
    Call,
    /// The trap with this number.
    Trap(u32),
    /// The interrupt with this number.
    Interrupt(u32),
}

/// A routine that has been entered and not left.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Frame {
    /// Where on the stack its return address lies: the stack pointer at its entry.
    pub slot: Addr,
    /// Where it returns to.
    pub back: Addr,
    /// The instruction that entered it; for an interrupt the one it came before.
    pub site: Addr,
    /// Its first instruction.
    pub target: Addr,
    /// The step that entered it.
    pub step: StepNo,
    /// How it was entered.
    pub kind: FrameKind,
}

/// The frames, the outermost first; each lies at a lower address than the one before.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct Frames {
    list: Vec<Frame>,
}

impl Frames {
    #[inline]
    pub(crate) fn enter(&mut self, frame: Frame) {
        self.list.push(frame);
    }

    /// The stack pointer is now here: what lies below it is left. Returns how many frames there are.
    #[inline]
    pub(crate) fn leave_below(&mut self, stack: Addr) -> i64 {
        if self.list.last().is_some_and(|frame| frame.slot < stack) {
            self.leave_all_below(stack);
        }
        self.depth()
    }

    fn leave_all_below(&mut self, stack: Addr) {
        while self.list.last().is_some_and(|frame| frame.slot < stack) {
            self.list.pop();
        }
    }

    /// Where on the stack the way back of the innermost lies, and of the one around it.
    #[inline]
    pub(crate) fn slots(&self) -> [Option<Addr>; 2] {
        let slot = |index: usize| self.list.get(index).map(|frame| frame.slot);
        let count = self.list.len();
        [slot(count.wrapping_sub(1)), slot(count.wrapping_sub(2))]
    }

    /// The innermost is left.
    #[inline]
    pub(crate) fn leave_innermost(&mut self) {
        self.list.pop();
    }

    /// The innermost frame of which this holds is left, with all entered since; false when there is none.
    pub(crate) fn leave_one(&mut self, is_it: impl Fn(&Frame) -> bool) -> bool {
        match self.list.iter().rposition(is_it) {
            Some(at) => {
                self.list.truncate(at);
                true
            }
            None => false,
        }
    }

    /// How many there are. At most one a word of memory.
    #[inline]
    pub(crate) fn depth(&self) -> i64 {
        i64::try_from(self.list.len()).unwrap_or(i64::MAX)
    }

    /// The same.
    #[inline]
    pub(crate) fn count(&self) -> u32 {
        u32::try_from(self.list.len()).unwrap_or(u32::MAX)
    }

    /// One more can be entered without finding a new place for all of them.
    #[inline]
    pub(crate) fn has_room(&self) -> bool {
        self.list.len() < self.list.capacity()
    }

    pub(crate) fn list(&self) -> &[Frame] {
        &self.list
    }
}
