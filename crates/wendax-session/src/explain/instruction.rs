//! Instructions as their source has them: its own mnemonics, names and numbers.

use crate::session::Session;
use wendax_isa::Addr;
use wendax_isa::w16::{Insn, NumberStyle, Op, disassemble};

/// The instruction that stands at an address now, as it is written when the program was made with it, else disassembled;
/// `None` when there is none.
pub fn instruction_text(session: &Session, address: Addr) -> Option<String> {
    code_text(session, address, session.machine().code_at(address))
}

/// The same of code words that stand or stood at an address.
pub fn code_text(session: &Session, address: Addr, code: [u32; 2]) -> Option<String> {
    let insn = session.machine().decode(code)?;
    Some(written(session, address, insn, code).unwrap_or_else(|| plain_text(session, address, insn)))
}

/// An instruction as the source has it: its own mnemonic, names and numbers.
pub(crate) fn written(session: &Session, address: Addr, insn: Insn, code: [u32; 2]) -> Option<String> {
    let line = session.image().line_at(address)?;
    let length = u32::from(insn.bytes());
    let now = code.iter().flat_map(|word| word.to_le_bytes().into_iter().take(2)).take(length as usize);
    let is_as_made = now.eq(session.image().bytes(address, length).iter().copied());
    if line.address != address || line.length != length || !is_as_made {
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
