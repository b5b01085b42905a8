//! What the next instruction will touch in memory, told before it runs.

use super::Machine;
use wendax_isa::w16::{Insn, Op, SP, decode};

/// How memory is touched.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AccessKind {
    /// Loaded from.
    Read,
    /// Stored to.
    Write,
}

/// A touch of memory.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Access {
    /// First byte.
    pub address: u32,
    /// 1 or 2 (4 for `reti`).
    pub bytes: u32,
    /// How.
    pub kind: AccessKind,
}

impl Machine {
    /// The instruction at an address, whether or not it may be run; `None` when there is none.
    pub fn instruction_at(&self, address: u32) -> Option<Insn> {
        let word = |at: u32| self.memory.word(super::word(at));
        if !address.is_multiple_of(2) {
            return None;
        }
        decode(word(address), word(address + 2))
    }

    /// What an instruction will touch in memory with the registers as they are, apart from what a
    /// system call or a trap does.
    pub fn access_of(&self, insn: Insn) -> Option<Access> {
        let registers = &self.state.cpu.registers;
        let sp = registers[usize::from(SP)];
        let at = registers[usize::from(insn.b & 15)].wrapping_add(insn.value);
        let access = |address: u16, bytes, kind| Some(Access { address: address.into(), bytes, kind });
        match insn.op() {
            Op::Ldw => access(at, 2, AccessKind::Read),
            Op::Ldb | Op::Ldsb => access(at, 1, AccessKind::Read),
            Op::Stw => access(at, 2, AccessKind::Write),
            Op::Stb => access(at, 1, AccessKind::Write),
            Op::Push | Op::PushFl | Op::Call | Op::CallReg => access(sp.wrapping_sub(2), 2, AccessKind::Write),
            Op::Pop | Op::PopFl | Op::Ret => access(sp, 2, AccessKind::Read),
            Op::Reti => access(sp, 4, AccessKind::Read),
            _ => None,
        }
    }

    /// The registers an instruction writes, by index, whether or not their value changes.
    pub fn registers_written_by(&self, insn: Insn) -> Vec<usize> {
        let (a, b, sp) = (usize::from(insn.a), usize::from(insn.b), usize::from(SP));
        match insn.op() {
            Op::Mov | Op::Add | Op::Adc | Op::Sub | Op::Sbc | Op::And | Op::Or | Op::Xor => vec![a],
            Op::Shl | Op::Shr | Op::Asr | Op::Mul | Op::Div | Op::Mod => vec![a],
            Op::Not | Op::Neg | Op::Swapb | Op::Extb | Op::Rlc | Op::Rrc => vec![a],
            Op::Mulh | Op::Mulhs | Op::Divs | Op::Mods | Op::Djnz => vec![a],
            Op::Ldw | Op::Ldb | Op::Ldsb | Op::Lea => vec![a],
            Op::Swap => vec![a, b],
            Op::Pop if a != sp => vec![a, sp],
            Op::Pop | Op::Push | Op::PushFl | Op::PopFl => vec![sp],
            Op::Call | Op::CallReg | Op::Ret | Op::Reti => vec![sp],
            // Calls that leave something in r0 do so by their table; a change is seen anyhow.
            Op::Sys => vec![],
            Op::Nop | Op::Halt | Op::Ei | Op::Di | Op::Brk | Op::Cmp | Op::Tst => vec![],
            Op::Stw | Op::Stb | Op::Jump(_) | Op::JmpReg => vec![],
        }
    }

    /// Ranges the last run of one step wrote besides the access of its instruction: buffers filled by a
    /// call, what entering a trap pushed. Address and length in bytes.
    pub fn side_writes(&self) -> impl Iterator<Item = (u32, u32)> {
        self.side_writes.iter().map(|&(address, length)| (address.into(), length.into()))
    }
}
