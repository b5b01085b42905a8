//! What an instruction is made of, and where it leads: for drawings of them.

use super::Machine;
use crate::instructions::{Computation, Field, Way};
use wendax_isa::w16::{NO_BASE, Op, TARGET, encode};
use wendax_isa::{Addr, Leads, Reg};

impl Machine {
    /// The bytes of the instruction at an address, and where it leads; `None` when there is none.
    pub(crate) fn way_at(&self, address: Addr) -> Option<(u32, Way)> {
        let insn = self.decoded_at(address)?;
        let way = match (insn.leads(super::narrow(address)), insn.op()) {
            (Leads::On, _) => Way::On,
            (Leads::To(to), _) => Way::To(to),
            (Leads::Either(to), Op::Jump(cond)) => {
                Way::Either(to, cond.formula().to_owned(), cond.opposite().formula().to_owned())
            }
            (Leads::Either(to), _) => {
                let name = TARGET.register_name(Reg(insn.a));
                Way::Either(to, format!("{name} \u{2260} 0"), format!("{name} = 0"))
            }
            (Leads::Call(to), _) => Way::Call(to),
            (Leads::Away, Op::JmpReg) => Way::ByRegister(Reg(insn.a)),
            (Leads::Away, Op::Ret | Op::Reti) => Way::Back,
            (Leads::Away, _) => Way::End,
        };
        Some((insn.bytes().into(), way))
    }

    /// What the instruction at an address computes with the registers as they are, and of what; `None` where that is no sum,
    /// difference or shift without a carry coming in.
    pub(crate) fn computation_at(&self, address: Addr) -> Option<(Computation, u32, u32)> {
        let insn = self.decoded_at(address)?;
        let registers = &self.state.cpu.registers;
        let one = registers[usize::from(insn.a & 15)];
        let other = registers[usize::from(insn.b & 15)].wrapping_add(insn.value);
        let (computation, one, other) = match insn.op() {
            Op::Add => (Computation::Add, one, other),
            Op::Sub | Op::Cmp => (Computation::Subtract, one, other),
            Op::Neg => (Computation::Subtract, 0, one),
            Op::Shl => (Computation::ShiftLeft, one, other & 15),
            Op::Shr => (Computation::ShiftRight, one, other & 15),
            Op::Asr => (Computation::ShiftSigned, one, other & 15),
            _ => return None,
        };
        Some((computation, one.into(), other.into()))
    }

    /// The code words of the instruction at an address, field by field.
    pub(crate) fn fields_at(&self, address: Addr) -> Option<Vec<Field>> {
        let insn = self.decoded_at(address)?;
        let (first, second) = encode(insn);
        let digits = format!("{first:04X}{}", second.map_or(String::new(), |word| format!("{word:04X}")));
        let mut at = 0;
        let fields = insn.row().parts().into_iter().map(|(pattern, meaning)| {
            let length = pattern.len();
            let digits = digits[at..at + length].to_owned();
            at += length;
            let register = |code: u8| match code {
                NO_BASE => "none".to_owned(),
                code => TARGET.register_name(Reg(code)).to_owned(),
            };
            let value = match pattern.as_bytes().first() {
                Some(b'd') => register(insn.a),
                Some(b's') if matches!(insn.op(), Op::Stw | Op::Stb) => register(insn.a),
                Some(b's' | b'b') => register(insn.b),
                Some(b'k') => insn.value.to_string(),
                Some(b'n') => {
                    let number = u32::from(insn.value & 0xFF);
                    TARGET.call(number).map_or_else(|| "no such call".to_owned(), |call| call.name.to_owned())
                }
                Some(b'x') => {
                    let distance = insn.value.cast_signed() / 2;
                    format!("{distance:+}, to 0x{:04X}", insn.target(super::narrow(address)))
                }
                Some(b'w') => format!("{} ({})", insn.value, insn.value.cast_signed()),
                _ if meaning == wendax_isa::w16::FIXED_DIGITS => insn.row().names.join(" or "),
                _ => String::new(),
            };
            Field { digits, meaning, value }
        });
        Some(fields.collect())
    }
}
