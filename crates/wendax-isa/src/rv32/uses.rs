//! Which registers an instruction reads and writes, apart from what a trap or the environment does.

use super::codec::Insn;
use super::table::{Format, Op};
use super::{A0, A7};
use crate::RegisterUse;

/// What a call of the host may read and write, whichever it is: its arguments and its number; its result and its error.
const ANY_CALL: RegisterUse = RegisterUse { reads: 0xFF << A0, writes: 0b11 << A0, flags_read: 0, flags_written: 0 };

impl Insn {
    /// The same, with all that a call may do which the host serves.
    pub fn may_use(&self) -> RegisterUse {
        let own = self.uses();
        if self.op() == Op::Ecall { own.with(ANY_CALL) } else { own }
    }

    /// What it reads and writes. The register that always reads 0 is neither.
    pub fn uses(&self) -> RegisterUse {
        let bit = |register: u8| if register == 0 { 0 } else { 1 << register };
        let (rd, rs1, rs2) = (bit(self.rd), bit(self.rs1), bit(self.rs2));
        let (reads, writes) = match self.row().format {
            Format::Registers => (rs1 | rs2, rd),
            Format::Immediate | Format::Shift | Format::Load | Format::Csr => (rs1, rd),
            Format::Store | Format::Branch => (rs1 | rs2, 0),
            Format::Upper | Format::Jump | Format::CsrConstant => (0, rd),
            Format::Fence => (0, 0),
            Format::Fixed => (if self.op() == Op::Ecall { bit(A7) } else { 0 }, 0),
        };
        RegisterUse { reads, writes, ..RegisterUse::default() }
    }
}
