//! Formulas, and why C and V become what they become.

use super::Teller;
use crate::effects::Effects;
use wendax_isa::w16::{C, Insn, Op, V};
use wendax_isa::{Addr, Reg};

/// What is computed, with values: `5 + 7`.
pub(super) fn formula(teller: &Teller<'_>, insn: Insn) -> String {
    let d = teller.held(Reg(insn.a));
    let s = teller.value(teller.source_value(insn));
    let count = teller.source_value(insn) & 15;
    let carry = teller.machine.flags() & u32::from(C);
    match insn.op() {
        Op::Add => format!("{d} + {s}"),
        Op::Adc => format!("{d} + {s} + C, which is {carry},"),
        Op::Sub => format!("{d} − {s}"),
        Op::Sbc => format!("{d} − {s} − C, which is {carry},"),
        Op::And => format!("{d} and {s}, bit by bit,"),
        Op::Or => format!("{d} or {s}, bit by bit,"),
        Op::Xor => format!("{d} exclusive-or {s}"),
        Op::Shl => format!("{d} shifted left by {count}"),
        Op::Shr => format!("{d} shifted right by {count}"),
        Op::Asr => format!("{d} shifted right by {count}, keeping its sign,"),
        Op::Mul => format!("{d} × {s}"),
        Op::Mulh => format!("the high word of {d} × {s}"),
        Op::Mulhs => format!("the high word of {d} × {s}, signed,"),
        Op::Div => format!("{d} ÷ {s}"),
        Op::Divs => format!("{d} ÷ {s}, signed,"),
        Op::Mod => format!("the remainder of {d} ÷ {s}"),
        Op::Mods => format!("the remainder of {d} ÷ {s}, signed,"),
        Op::Not => format!("{d} with every bit inverted"),
        Op::Neg => format!("0 − {d}"),
        Op::Swapb => format!("{d} with its bytes exchanged"),
        Op::Extb => format!("the low byte of {d} with its sign"),
        Op::Rlc => format!("{d} rotated left through C, which is {carry},"),
        Op::Rrc => format!("{d} rotated right through C, which is {carry},"),
        _ => d,
    }
}

/// The same where it stands by itself; nothing of what does not reckon.
pub(super) fn formula_alone(teller: &Teller<'_>, insn: Insn) -> Option<String> {
    match insn.op() {
        Op::Swap => Some("the two change places".to_owned()),
        Op::Lea => Some(format!("the address {}", teller.place(Addr(teller.source_value(insn))))),
        Op::Tst => {
            Some(format!("{} and {}, bit by bit", teller.held(Reg(insn.a)), teller.value(teller.source_value(insn))))
        }
        Op::Nop | Op::Halt | Op::Brk | Op::Sys | Op::Ei | Op::Di | Op::PushFl | Op::PopFl | Op::Mov => None,
        _ => Some(formula(teller, insn).trim_end_matches(',').to_owned()),
    }
}

/// The range of words, read unsigned and signed.
const UNSIGNED: i64 = 0xFFFF;
const SIGNED: std::ops::RangeInclusive<i64> = -0x8000..=0x7FFF;

/// Why C and V become 1, in a sentence each; nothing about those that become 0.
pub(super) fn reasons(teller: &Teller<'_>, insn: Insn, effects: &Effects) -> Vec<String> {
    let becomes = |bit: u16| effects.flags.touched & effects.flags.new & u32::from(bit) != 0;
    let (carries, overflows) = (becomes(C), becomes(V));
    if !carries && !overflows {
        return Vec::new();
    }
    let d = teller.machine.register(Reg(insn.a));
    let s = teller.source_value(insn);
    let signed = |value: u32| i64::from(teller.target.signed(value));
    let carry = i64::from(teller.machine.flags() & u32::from(C));
    let and_carry = |sign: &str| if carry == 1 { format!(" {sign} 1") } else { String::new() };
    let mut sentences = Vec::new();
    match insn.op() {
        Op::Add | Op::Adc => {
            let more = if insn.op() == Op::Adc { carry } else { 0 };
            let tail = if more == 1 { and_carry("+") } else { String::new() };
            if carries {
                let sum = i64::from(d) + i64::from(s) + more;
                sentences.push(format!("C becomes 1: {d} + {s}{tail} = {sum}, more than {UNSIGNED}"));
            }
            if overflows {
                let (a, b) = (signed(d), signed(s));
                sentences.push(format!("V becomes 1: signed, {a} + {b}{tail} = {}", outside(a + b + more)));
            }
        }
        Op::Sub | Op::Sbc | Op::Cmp | Op::Neg => {
            let (d, s) = if insn.op() == Op::Neg { (0, d) } else { (d, s) };
            let more = if insn.op() == Op::Sbc { carry } else { 0 };
            let tail = if more == 1 { and_carry("−") } else { String::new() };
            if carries {
                let difference = i64::from(d) - i64::from(s) - more;
                sentences.push(format!(
                    "C becomes 1: {d} − {s}{tail} = {}, less than 0: a borrow is needed",
                    sign(difference)
                ));
            }
            if overflows {
                let (a, b) = (signed(d), signed(s));
                sentences.push(format!("V becomes 1: signed, {a} − {b}{tail} = {}", outside(a - b - more)));
            }
        }
        Op::Mul => {
            let product = u64::from(d) * u64::from(s);
            sentences.push(format!(
                "C and V become 1: {d} × {s} = {product}, more than {UNSIGNED}; `mulh` gives what is lost"
            ));
        }
        Op::Divs | Op::Mods => {
            sentences.push(format!("V becomes 1: signed, −32768 ÷ −1 = {}", outside(32768)));
        }
        // A shift by nothing leaves C, and is not asked why.
        Op::Shl | Op::Shr | Op::Asr => {
            sentences.push("C becomes 1: that is the last bit shifted out".to_owned());
        }
        Op::Rlc | Op::Rrc => sentences.push("C becomes 1: that is the bit that left".to_owned()),
        _ => {}
    }
    sentences
}

fn outside(result: i64) -> String {
    let (least, most) = (SIGNED.start(), SIGNED.end());
    format!("{} is outside {}..{most}", sign(result), sign(*least))
}

fn sign(number: i64) -> String {
    if number < 0 { format!("−{}", -number) } else { number.to_string() }
}
