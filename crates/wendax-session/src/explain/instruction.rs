//! Instructions as their source has them: its own mnemonics, names and numbers.

use crate::session::Session;
use wendax_isa::Addr;
use wendax_isa::w16::{Insn, NumberStyle, Op, disassemble};

/// The instruction at an address as it is written, or disassembled; `None` when there is none, or it is not what the
/// program was made with.
pub fn instruction_text(session: &Session, address: Addr) -> Option<String> {
    let insn = session.machine().instruction_at(address).filter(|insn| is_as_made(session, address, *insn))?;
    Some(written(session, address, insn).unwrap_or_else(|| plain_text(session, address, insn)))
}

/// The code in memory is that of the image.
fn is_as_made(session: &Session, address: Addr, insn: Insn) -> bool {
    let length = u32::from(insn.bytes());
    let made = session.image().bytes(address, length);
    made.len() == length as usize
        && address.up_to(address + length).zip(made).all(|(at, byte)| session.machine().byte(at) == *byte)
}

/// An instruction as the source has it: its own mnemonic, names and numbers.
pub(crate) fn written(session: &Session, address: Addr, insn: Insn) -> Option<String> {
    let line = session.image().line_at(address)?;
    if line.address != address || line.length != u32::from(insn.bytes()) || !is_as_made(session, address, insn) {
        return None;
    }
    let span = line.unfolded.unwrap_or(line.span);
    let text = session.sources().get(span.file)?.text().get(span.range())?;
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    (!text.is_empty()).then_some(text)
}

pub(crate) fn plain_text(session: &Session, address: Addr, insn: Insn) -> String {
    let image = session.image();
    let first_label = session.machine().target().map.vectors_end;
    let label = |value: Addr| image.label_at(value).map(|symbol| symbol.name.clone()).filter(|_| value >= first_label);
    // Constants that happen to equal an address keep their number; only targets and data are named.
    let constant = is_arithmetic(insn.op());
    let name = |value: u16| if constant { None } else { label(value.into()) };
    let is_access = session.machine().access_of(insn).is_some();
    let style = if is_access { NumberStyle::Hexadecimal } else { NumberStyle::Decimal };
    disassemble(insn, u16::try_from(address.0).unwrap_or(0), style, &name)
}

/// Its constants are numbers, never places.
fn is_arithmetic(op: Op) -> bool {
    matches!(
        op,
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
    )
}
