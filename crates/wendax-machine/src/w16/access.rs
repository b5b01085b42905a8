//! What stands in memory as instructions: what they are, and what they touch, told before they run.

use super::Machine;
use crate::instructions::{Access, AccessKind, InsnInfo, Order, Sort, Uses};
use crate::memory::EXECUTE;
use wendax_isa::w16::{Cond, Insn, NO_BASE, NumberStyle, Op, SP, decode, disassemble};
use wendax_isa::{Addr, Reg};

impl Machine {
    /// What the code from an address up to another uses registers for.
    pub(crate) fn register_uses(&self, from: Addr, to: Addr, is_label: &dyn Fn(Addr) -> bool) -> Uses {
        let mut uses = Uses::default();
        let mut at = from;
        while at < to {
            let Some(insn) = self.decoded_at(at) else {
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
    pub(crate) fn code_at(&self, address: Addr) -> [u32; 2] {
        let word = |at: Addr| u32::from(self.memory.word(super::narrow(at)));
        [word(address), word(address + 2)]
    }

    /// The instruction at an address, whether or not it may be run; `None` when there is none.
    pub(super) fn decoded_at(&self, address: Addr) -> Option<Insn> {
        decoded(address, self.code_at(address))
    }

    /// The instruction at an address, whether or not it may be run; `None` when there is none.
    pub(crate) fn instruction_at(&self, address: Addr) -> Option<InsnInfo> {
        self.instruction_of(address, self.code_at(address))
    }

    /// The instruction that code words are which stand, or stood, at an address; `None` when they are none.
    pub(crate) fn instruction_of(&self, address: Addr, code: [u32; 2]) -> Option<InsnInfo> {
        let insn = decoded(address, code)?;
        Some(InsnInfo {
            address,
            length: insn.bytes().into(),
            code,
            names: insn.names().collect(),
            group: insn.op().group(),
            uses: insn.uses(),
            call: call_of(insn),
            sort: sort(insn),
        })
    }

    /// An instruction in the language, places by the names that `name` has for them. Constants that happen to equal an
    /// address keep their number where they are reckoned with.
    pub(crate) fn text_of(&self, insn: &InsnInfo, name: &dyn Fn(Addr) -> Option<String>) -> String {
        let Some(decoded) = decoded(insn.address, insn.code) else { return String::new() };
        let is_number = matches!(
            decoded.op(),
            Op::Add
                | Op::Adc
                | Op::Sub
                | Op::Sbc
                | Op::And
                | Op::Or
                | Op::Xor
                | Op::Shl
                | Op::Shr
                | Op::Asr
                | Op::Mul
                | Op::Div
                | Op::Mod
        );
        let style = if self.access_of(decoded).is_some() { NumberStyle::Hexadecimal } else { NumberStyle::Decimal };
        let name = |value: u16| if is_number { None } else { name(value.into()) };
        disassemble(decoded, super::narrow(insn.address), style, &name)
    }

    /// What stands at an address may be run.
    pub(crate) fn may_execute(&self, address: Addr) -> bool {
        self.memory.attributes[usize::from(super::narrow(address))] & EXECUTE != 0
    }

    /// The number of the system call that is the next instruction, if it is one.
    pub(super) fn call_next(&self) -> Option<u32> {
        call_of(self.decoded_at(self.pc())?)
    }

    /// What the instruction at an address would touch in memory with the registers as they are, apart from what a system
    /// call or a trap does.
    pub(crate) fn access_at(&self, address: Addr) -> Option<Access> {
        self.access_of(self.decoded_at(address)?)
    }

    fn access_of(&self, insn: Insn) -> Option<Access> {
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

/// What an instruction is for.
fn sort(insn: Insn) -> Sort {
    let base = (insn.b <= SP).then_some(Reg(insn.b));
    match insn.op() {
        Op::Mov if base.is_some() => Sort::Copy,
        Op::Mov => Sort::Constant,
        Op::Xor | Op::Sub if base == Some(Reg(insn.a)) => Sort::Constant,
        Op::Add | Op::Sub | Op::Lea => Sort::Sum,
        Op::Cmp => Sort::Compare(base.is_none().then_some(insn.value.into())),
        Op::Tst => Sort::Compare(None),
        Op::Djnz => Sort::CountDown,
        Op::Ldw | Op::Ldb | Op::Ldsb => Sort::Load(base),
        Op::Stw | Op::Stb => Sort::Store(base, Reg(insn.a)),
        Op::Push | Op::PushFl => Sort::Push,
        Op::Pop | Op::PopFl => Sort::Pop,
        Op::Jump(Cond::Always) | Op::JmpReg => Sort::Jump,
        Op::Jump(Cond::Eq | Cond::Ne) => Sort::Branch(Order::Same),
        Op::Jump(Cond::Lt | Cond::Ge | Cond::Gt | Cond::Le) => Sort::Branch(Order::Signed),
        Op::Jump(Cond::Ltu | Cond::Geu | Cond::Gtu | Cond::Leu) => Sort::Branch(Order::Unsigned),
        Op::Jump(_) => Sort::Branch(Order::Other),
        Op::Call | Op::CallReg => Sort::Call,
        Op::Ret => Sort::Return,
        Op::Reti => Sort::HandlerReturn,
        _ => Sort::Other,
    }
}

fn decoded(address: Addr, code: [u32; 2]) -> Option<Insn> {
    address.is_multiple_of(2).then(|| decode(super::word(code[0]), super::word(code[1])))?
}

fn call_of(insn: Insn) -> Option<u32> {
    (insn.op() == Op::Sys).then_some(u32::from(insn.value & 0xFF))
}
