//! Bitwise operations, shifts and rotates with their bits under each other.

use super::Teller;
use crate::effects::Effects;
use crate::sums::bits;
use wendax_isa::Reg;
use wendax_isa::w16::{C, Insn, NO_BASE, Op};

/// The lines of the figure; none for operations that do not work bit by bit.
pub(super) fn of(teller: &Teller<'_>, insn: Insn, effects: &Effects) -> Vec<String> {
    let d = teller.machine.register(Reg(insn.a));
    let s = teller.source_value(insn);
    let result = effects.register(Reg(insn.a)).map(|change| change.new);
    let name = teller.register(insn.a);
    let source = if insn.b == NO_BASE { String::new() } else { teller.register(insn.b).to_owned() };
    let carry = |flags: u32| flags & u32::from(C);
    let row = |head: &str, value: u32, tail: &str| {
        format!("{head:>5} {}  {tail}", bits(value, teller.target.word_bits)).trim_end().to_owned()
    };
    let (before, after) = (carry(effects.flags.old), carry(effects.flags.new));
    match insn.op() {
        Op::And => vec![row("", d, name), row("and", s, &source), row("=", result.unwrap_or(0), "")],
        Op::Or => vec![row("", d, name), row("or", s, &source), row("=", result.unwrap_or(0), "")],
        Op::Xor => vec![row("", d, name), row("xor", s, &source), row("=", result.unwrap_or(0), "")],
        Op::Tst => vec![row("", d, name), row("and", s, &source), row("=", d & s, "not kept, only its flags")],
        Op::Not => vec![row("", d, name), row("not", result.unwrap_or(0), "")],
        Op::Swapb => vec![row("", d, name), row("swapb", result.unwrap_or(0), "")],
        Op::Extb => vec![row("", d, name), row("extb", result.unwrap_or(0), "")],
        Op::Shl | Op::Shr | Op::Asr => {
            let how = match insn.op() {
                Op::Shl => "shl",
                Op::Shr => "shr",
                _ => "asr",
            };
            let count = s & 15;
            let out = if count == 0 { format!("by 0: C stays {after}") } else { format!("by {count}, C {after}") };
            vec![row("", d, name), row(how, result.unwrap_or(0), &out)]
        }
        Op::Rlc => vec![
            row("", d, &format!("{name}, C {before}")),
            row("rlc", result.unwrap_or(0), &format!("C {before} comes in on the right, C {after} leaves on the left")),
        ],
        Op::Rrc => vec![
            row("", d, &format!("{name}, C {before}")),
            row("rrc", result.unwrap_or(0), &format!("C {before} comes in on the left, C {after} leaves on the right")),
        ],
        _ => Vec::new(),
    }
}
