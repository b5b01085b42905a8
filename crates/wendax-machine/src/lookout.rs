//! What a run looks out for.
//!
//! A run without an observer stops before a step that may do such a thing; whoever asked takes that step with an
//! observer and judges by its report. So a lookout may name more than is meant, but never less, and costs nothing
//! while nothing of the kind comes: instructions are patched slots, cells have an attribute that loads and stores look
//! at anyway.

use wendax_isa::w16::{Insn, Op, SP};
use wendax_isa::{Addr, RegisterUse};

/// What a run looks out for.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Lookout {
    /// Instructions that read or write one of these registers, or read or may write one of these flags.
    pub uses: RegisterUse,
    /// Cells of memory and device registers that are read or written, each range from its first address to behind its
    /// last.
    pub cells: Vec<(Addr, Addr)>,
    /// Instructions that may leave a routine.
    pub leaving: bool,
    /// System calls, traps, interrupts.
    pub rare: bool,
}

impl Lookout {
    /// There is nothing to look out for.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    pub(crate) fn interest(&self) -> Interest {
        Interest { uses: self.uses, leaving: self.leaving }
    }
}

/// What instructions are looked out for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Interest {
    uses: RegisterUse,
    leaving: bool,
}

impl Interest {
    pub(crate) fn wants(self, insn: Insn) -> bool {
        if self == Self::default() {
            return false;
        }
        let (own, wanted) = (insn.uses(), self.uses);
        let touches = own.reads & wanted.reads
            | own.writes & wanted.writes
            | own.flags_read & wanted.flags_read
            | own.flags_written & wanted.flags_written;
        touches != 0 || self.leaving && may_leave(insn)
    }
}

/// It may take the stack pointer above a way back.
fn may_leave(insn: Insn) -> bool {
    let raises = !matches!(insn.op(), Op::Push | Op::PushFl | Op::Call | Op::CallReg);
    raises && insn.uses().writes & 1 << SP != 0
}
