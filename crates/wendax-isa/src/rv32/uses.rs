//! Which registers an instruction reads and writes, apart from what a trap or the environment does.

use super::A7;
use super::codec::Insn;
use super::table::{Format, Op};
use crate::RegisterUse;

impl Insn {
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
