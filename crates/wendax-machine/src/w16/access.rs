//! What the next instruction will touch in memory, told before it runs.

use super::Machine;
use crate::memory::EXECUTE;
use wendax_isa::w16::{Insn, NO_BASE, Op, SP, decode};
use wendax_isa::{Addr, RegisterUse};

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
    pub address: Addr,
    /// 1 or 2 (4 for `reti`).
    pub bytes: u32,
    /// How.
    pub kind: AccessKind,
}

/// What registers are used for by a stretch of code: one bit a register.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Uses {
    /// They hold addresses: something is loaded, stored or gone to by them.
    pub addresses: u32,
    /// A label is put into them.
    pub labels: u32,
    /// They hold characters: bytes are loaded into them.
    pub characters: u32,
}

impl Machine {
    /// What the code from an address up to another uses registers for.
    pub fn register_uses(&self, from: Addr, to: Addr, is_label: &dyn Fn(Addr) -> bool) -> Uses {
        let mut uses = Uses::default();
        let mut at = from;
        while at < to {
            let Some(insn) = self.instruction_at(at) else {
                at += 2;
                continue;
            };
            let (a, b) = (1 << insn.a, 1 << insn.b & 0x3FFF);
            match insn.op() {
                Op::Ldw | Op::Stw => uses.addresses |= b,
                Op::Ldb | Op::Ldsb => {
                    uses.addresses |= b;
                    uses.characters |= a;
                }
                Op::Stb => {
                    uses.addresses |= b;
                    uses.characters |= a;
                }
                Op::Lea => uses.addresses |= a,
                Op::CallReg | Op::JmpReg => uses.addresses |= a,
                Op::Mov if insn.b == NO_BASE && is_label(insn.value.into()) => uses.labels |= a,
                _ => {}
            }
            at += u32::from(insn.bytes());
        }
        uses.characters &= !uses.addresses;
        uses
    }

    /// The code words at an address, as many as an instruction has at most.
    pub fn code_at(&self, address: Addr) -> [u32; 2] {
        let word = |at: Addr| u32::from(self.memory.word(super::narrow(at)));
        [word(address), word(address + 2)]
    }

    /// The instruction that code words are; `None` when they are none.
    pub fn decode(&self, code: [u32; 2]) -> Option<Insn> {
        decode(super::word(code[0]), super::word(code[1]))
    }

    /// The instruction at an address, whether or not it may be run; `None` when there is none.
    pub fn instruction_at(&self, address: Addr) -> Option<Insn> {
        if !address.is_multiple_of(2) {
            return None;
        }
        self.decode(self.code_at(address))
    }

    /// Every mnemonic the instruction at an address can be written with, the usual one first; none when there is none.
    pub fn mnemonics_at(&self, address: Addr) -> Vec<&'static str> {
        self.instruction_at(address).map_or(Vec::new(), |insn| insn.names().collect())
    }

    /// What stands at an address may be run.
    pub fn may_execute(&self, address: Addr) -> bool {
        self.memory.attributes[usize::from(super::narrow(address))] & EXECUTE != 0
    }

    /// The number of the system call that is the next instruction, if it is one.
    pub fn call_next(&self) -> Option<u32> {
        let insn = self.instruction_at(self.pc()).filter(|insn| insn.op() == Op::Sys)?;
        Some(u32::from(insn.value & 0xFF))
    }

    /// The registers and flags the next instruction reads and may write, traps and interrupts left aside.
    pub fn uses_next(&self) -> RegisterUse {
        self.instruction_at(self.pc()).map_or(RegisterUse::default(), |insn| insn.uses())
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
}
