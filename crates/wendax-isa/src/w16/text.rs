//! Instructions as text: disassembly, and why a jump is taken or not.

use super::codec::decode_bytes;
use super::table::{Cond, Op, OperandKind};
use super::{C, Insn, N, NO_BASE, TARGET, V, Z, call_by_number};
use crate::Addr;

/// How constants are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NumberStyle {
    /// `0x00FF`.
    Hexadecimal,
    /// `255`.
    Decimal,
}

/// The instruction at `address` as the assembler reads it. `name` gives the name to show for an
/// address, if it has one; everything else is a number.
pub fn disassemble(insn: Insn, address: u16, style: NumberStyle, name: &dyn Fn(u16) -> Option<String>) -> String {
    let row = insn.row();
    let number = |value: u16| match style {
        NumberStyle::Hexadecimal if value > 9 => format!("0x{value:04X}"),
        NumberStyle::Hexadecimal | NumberStyle::Decimal => value.to_string(),
    };
    let named = |value: u16| name(value).unwrap_or_else(|| number(value));
    let mut text = row.names[0].to_owned();
    // A store writes its address first, but its register is still the one in the place of `d`.
    let mut registers = [insn.a, insn.b].into_iter();
    for (index, kind) in row.operands.iter().enumerate() {
        text.push_str(if index == 0 { " " } else { ", " });
        match kind {
            OperandKind::Register => text.push_str(register(registers.next().unwrap_or(NO_BASE))),
            OperandKind::Flags => text.push_str("fl"),
            OperandKind::Constant => text.push_str(&named(insn.value)),
            OperandKind::Small => text.push_str(&insn.value.to_string()),
            OperandKind::Base if insn.b == NO_BASE => text.push_str("[0]"),
            OperandKind::Base => text.push_str(&format!("[{}]", register(insn.b))),
            OperandKind::BaseOffset if insn.b == NO_BASE => text.push_str(&format!("[{}]", named(insn.value))),
            OperandKind::BaseOffset if insn.value.cast_signed() < 0 && name(insn.value).is_none() => {
                text.push_str(&format!("[{} - {}]", register(insn.b), insn.value.wrapping_neg()));
            }
            OperandKind::BaseOffset => text.push_str(&format!("[{} + {}]", register(insn.b), named(insn.value))),
            OperandKind::Near8 | OperandKind::Near12 | OperandKind::Far => {
                let target = insn.target(address);
                text.push_str(&name(target).unwrap_or_else(|| format!("0x{target:04X}")));
            }
            OperandKind::Call => {
                let call = call_by_number(insn.value.into());
                text.push_str(&call.map_or_else(|| format!("0x{:02X}", insn.value), |call| call.name.to_owned()));
            }
        }
    }
    text
}

/// See [`crate::Target::text`].
pub(super) fn text_at(code: &[u8], address: Addr, name: &dyn Fn(Addr) -> Option<String>) -> Option<String> {
    let insn = decode_bytes(code)?;
    let address = u16::try_from(address.0).ok()?;
    let name = |value: u16| name(Addr::from(value));
    Some(disassemble(insn, address, NumberStyle::Hexadecimal, &name))
}

fn register(code: u8) -> &'static str {
    TARGET.registers.get(usize::from(code)).map_or("?", |register| register.name)
}

/// Whether the instruction will jump, and why, in words: `taken: Z = 1`. `None` when it is no
/// conditional jump. `register` is the present value of the register `djnz` counts with.
pub fn reason(op: Op, flags: u16, register: u16) -> Option<(bool, String)> {
    match op {
        Op::Jump(Cond::Always) => None,
        Op::Jump(cond) => {
            let holds = cond.holds(flags);
            let values = [('C', C), ('Z', Z), ('N', N), ('V', V)]
                .into_iter()
                .filter(|(_, bit)| cond.flags() & bit != 0)
                .map(|(name, bit)| format!("{name} is {}", u8::from(flags & bit != 0)))
                .collect::<Vec<_>>()
                .join(", ");
            let word = if holds { "taken" } else { "not taken" };
            Some((holds, format!("{word}: wants {}, {values}", cond.formula())))
        }
        Op::Djnz => {
            let left = register.wrapping_sub(1);
            let word =
                if left == 0 { "not taken: it becomes 0".to_owned() } else { format!("taken: it becomes {left}") };
            Some((left != 0, word))
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::w16::decode;

    fn text(first: u16, second: u16) -> String {
        let insn = decode(first, second).unwrap();
        let name = |value| (value == 0x1234).then(|| "axles".to_owned());
        disassemble(insn, 0x0200, NumberStyle::Hexadecimal, &name)
    }

    #[test]
    fn every_operand_kind_reads_as_it_is_written() {
        for (first, second, wanted) in [
            (0x0003, 0, "ret"),
            (0x0008, 0, "push fl"),
            (0x0111, 0, "sys put_text"),
            (0x01EE, 0, "sys 0xEE"),
            (0x11CD, 0, "add fp, sp"),
            (0x2050, 0x1234, "mov r5, axles"),
            (0x2050, 0xBEEF, "mov r5, 0xBEEF"),
            (0x304F, 0, "mov r4, 15"),
            (0x46B0, 0, "push r11"),
            (0x601F, 0, "ldw r1, [0]"),
            (0x611F, 0x1234, "ldw r1, [axles]"),
            (0x611C, 0xFFFC, "ldw r1, [fp - 4]"),
            (0x7323, 0x0006, "stb [r3 + 6], r2"),
            (0x7023, 0, "stw [r3], r2"),
            (0x80FE, 0, "jmp 0x01FE"),
            (0x9100, 0x1234, "jz axles"),
            (0xA2FF, 0, "djnz r2, 0x0200"),
            (0xD000, 0x1234, "call axles"),
        ] {
            assert_eq!(text(first, second), wanted);
        }
    }

    #[test]
    fn reasons_name_the_flags_that_decide() {
        assert_eq!(reason(Op::Jump(Cond::Always), 0, 0), None);
        let (taken, why) = reason(Op::Jump(Cond::Gt), N | V, 0).unwrap();
        assert!(taken);
        assert_eq!(why, "taken: wants N = V and Z = 0, Z is 0, N is 1, V is 1");
        assert_eq!(reason(Op::Djnz, 0, 1), Some((false, "not taken: it becomes 0".into())));
        assert_eq!(reason(Op::Djnz, 0, 0), Some((true, "taken: it becomes 65535".into())));
    }
}
