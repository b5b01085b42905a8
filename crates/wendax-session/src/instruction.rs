//! Instructions as their source has them: its own mnemonics, names and numbers.

use crate::session::Session;
use wendax_isa::{Addr, Target};
use wendax_machine::{InsnInfo, Sort};

/// The instruction that stands at an address now, as it is written when the program was made with it, else disassembled;
/// `None` when there is none.
pub fn instruction_text(session: &Session, address: Addr) -> Option<String> {
    code_text(session, address, session.machine().code_at(address))
}

/// The same of code words that stand or stood at an address.
pub fn code_text(session: &Session, address: Addr, code: [u32; 2]) -> Option<String> {
    let machine = session.machine();
    let insn = machine.instruction_of(address, code)?;
    Some(written(session, &insn).unwrap_or_else(|| {
        let image = session.image();
        let first_label = machine.target().map.vectors_end;
        let label = |value: Addr| image.label_at(value).map(|symbol| symbol.name.clone());
        machine.text_of(&insn, &|value| label(value).filter(|_| value >= first_label))
    }))
}

/// Of the registers that an instruction reads those that should have been set before: what is put by may hold anything, and
/// what is cleared by itself too.
pub(crate) fn reads_values(sort: Sort, reads: u32, target: &Target) -> u32 {
    match sort {
        Sort::Push | Sort::Constant => 0,
        Sort::Store(Some(base), value) if base == target.roles.stack => reads & !(1 << value.0),
        _ => reads,
    }
}

/// An instruction as the source has it: its own mnemonic, names and numbers.
pub(crate) fn written(session: &Session, insn: &InsnInfo) -> Option<String> {
    let &InsnInfo { address, length, code, .. } = insn;
    let unit = session.machine().target().code_align as usize;
    let line = session.image().line_at(address)?;
    let now = code.iter().flat_map(|word| word.to_le_bytes().into_iter().take(unit)).take(length as usize);
    let is_as_made = now.eq(session.image().bytes(address, length).iter().copied());
    if line.address != address || line.length != length || !is_as_made {
        return None;
    }
    let span = line.unfolded.unwrap_or(line.span);
    let text = session.sources().get(span.file)?.text().get(span.range())?;
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    (!text.is_empty()).then_some(text)
}
