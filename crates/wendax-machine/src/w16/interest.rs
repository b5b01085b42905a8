//! Which instructions a run looks out for.

use crate::lookout::Lookout;
use wendax_isa::RegisterUse;
use wendax_isa::w16::{Insn, Op, SP};

/// What instructions are looked out for.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) struct Interest {
    uses: RegisterUse,
    leaving: bool,
    mnemonics: Vec<String>,
}

impl Interest {
    pub(super) fn of(lookout: &Lookout) -> Self {
        Self { uses: lookout.uses, leaving: lookout.leaving, mnemonics: lookout.mnemonics.clone() }
    }

    pub(super) fn wants(&self, insn: Insn) -> bool {
        let (own, wanted) = (insn.uses(), self.uses);
        let touches = own.reads & wanted.reads
            | own.writes & wanted.writes
            | own.flags_read & wanted.flags_read
            | own.flags_written & wanted.flags_written;
        let is_named = |name: &String| insn.names().any(|known| known == name);
        touches != 0 || self.leaving && may_leave(insn) || self.mnemonics.iter().any(is_named)
    }
}

/// It may take the stack pointer above a way back.
fn may_leave(insn: Insn) -> bool {
    let raises = !matches!(insn.op(), Op::Push | Op::PushFl | Op::Call | Op::CallReg);
    raises && insn.uses().writes & 1 << SP != 0
}
