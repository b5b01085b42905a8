//! The address of a label where what lies there was meant: computed with, compared, printed as a number.
//!
//! Only labels of a single value are looked at. Addresses of tables and texts are computed with by right, and so is one
//! that the text uses as a place anywhere: in brackets by way of a register, or to walk up to.

use super::{View, call_of, flow, given_address};
use crate::codes;
use crate::expr::SymbolId;
use crate::link::UnitIndex;
use crate::unit::{Definition, Instruction, SectionKind, What};
use wendax_isa::w16::{NO_BASE, Op, OperandKind, TARGET};
use wendax_source::Diagnostic;

/// Calls that print the number in `r0`.
const NUMBER_CALLS: [&str; 2] = ["put_int", "put_uint"];

/// Lines looked at behind a `mov` for what is done with the address.
const FAR: usize = 6;

pub(super) fn check(view: &View<'_, '_>) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    for line in 0..view.lines().len() {
        let Some(instruction) = view.instruction(line) else { continue };
        let told = printed(view, line)
            .or_else(|| computed(view, line, instruction))
            .or_else(|| loaded(view, line, instruction));
        found.extend(told.map(|diagnostic| (view.unit(line), diagnostic)));
    }
    found
}

/// The label whose address an instruction takes as a constant, when one value lies there; and its bytes.
fn single(view: &View<'_, '_>, line: usize, instruction: &Instruction) -> Option<(SymbolId, u32)> {
    let is_constant = instruction.short.operands.get(1).is_some_and(|kind| *kind == OperandKind::Small);
    let unit = view.program.units[view.unit(line)];
    let label = unit.sole_symbol(instruction.value.filter(|_| is_constant)?)?;
    Some((label, single_value(view, view.unit(line), label)?))
}

/// The width of the one value at a data label.
fn single_value(view: &View<'_, '_>, unit: UnitIndex, label: SymbolId) -> Option<u32> {
    let (index, label) = view.program.meaning(unit, label);
    let unit = view.program.units[index];
    let Definition::Label { section, statement } = unit.name(label).definition else { return None };
    let section = unit.section(section);
    if section.kind == SectionKind::Code {
        return None;
    }
    let end = *unit.ends.get(label.0 as usize)? as usize;
    match section.statements.get(statement as usize..end)? {
        [one] => match one.what {
            What::Values { width, from, to } => (to - from == 1).then_some(width),
            _ => None,
        },
        _ => None,
    }
}

fn tell(view: &View<'_, '_>, line: usize, label: SymbolId, width: u32, what: &str, register: u8) -> Diagnostic {
    let name = view.program.units[view.unit(line)].spelling(label);
    let load = if width == 1 { "ldb" } else { "ldw" };
    let register = TARGET.registers[usize::from(register)].name;
    let message = format!("`{name}` is an address, and {what}");
    let found = view.tell(line, codes::ADDRESS_FOR_VALUE, message);
    let found = found.with_expected(format!("{load} {register}, [{name}] for what lies there"));
    found.with_expected(format!("lea {register}, [{name}] where the address is meant"))
}

/// `mov r0, max` before a call that prints a number.
fn printed(view: &View<'_, '_>, line: usize) -> Option<Diagnostic> {
    let unit = view.unit(line);
    let call = call_of(view.program, view.emitted.origins[line]).filter(|call| NUMBER_CALLS.contains(call))?;
    let label = given_address(view.program, view.emitted.origins[line])?;
    let width = single_value(view, unit, label)?;
    Some(tell(view, line, label, width, &format!("`{call}` prints that"), 0))
}

/// `cmp r0, max`, `mul r0, max`.
fn computed(view: &View<'_, '_>, line: usize, instruction: &Instruction) -> Option<Diagnostic> {
    let what = match instruction.short.op {
        Op::Cmp | Op::Tst => "is compared here as a number",
        Op::Add | Op::Adc | Op::Sub | Op::Sbc | Op::Mul | Op::Div | Op::Mod => "is computed with here as a number",
        Op::And | Op::Or | Op::Xor | Op::Shl | Op::Shr | Op::Asr => "is computed with here as a number",
        _ => return None,
    };
    let (label, width) = single(view, line, instruction)?;
    if is_place(view, line, instruction.a) {
        return None;
    }
    // A register that neither operand is.
    let spare = if instruction.a == 4 { 5 } else { 4 };
    Some(tell(view, line, label, width, what, spare))
}

/// `mov r1, max`, and then `cmp r1, 5` or `djnz r1, loop`.
fn loaded(view: &View<'_, '_>, line: usize, instruction: &Instruction) -> Option<Diagnostic> {
    if instruction.short.op != Op::Mov {
        return None;
    }
    let (label, width) = single(view, line, instruction)?;
    let register = instruction.a;
    if is_place(view, line, register) {
        return None;
    }
    let mut at = line;
    for _ in 0..FAR {
        at = flow::next_line(view.lines(), at)?;
        let next = view.instruction(at)?;
        let compares = next.short.op == Op::Cmp
            && next.a == register
            && next.b == NO_BASE
            && next.value.is_some_and(|value| view.program.units[view.unit(at)].sole_symbol(value).is_none());
        let counts = matches!(next.short.op, Op::Djnz | Op::Mul | Op::Div | Op::Mod) && next.a == register;
        if compares || counts {
            let word = view.word(at);
            return Some(tell(view, line, label, width, &format!("`{word}` below takes it for a number"), register));
        }
        let goes_elsewhere =
            matches!(next.short.op, Op::Jump(_) | Op::Call | Op::CallReg | Op::JmpReg | Op::Ret | Op::Sys);
        if goes_elsewhere || next.a == register && next.short.op.writes_register() {
            return None;
        }
    }
    None
}

/// The text uses a register as a place around a line: something is loaded, stored or gone to by it, or `lea` fills it.
fn is_place(view: &View<'_, '_>, line: usize, register: u8) -> bool {
    const AROUND: usize = 40;
    let from = line.saturating_sub(AROUND);
    let to = (line + AROUND).min(view.lines().len());
    (from..to).filter_map(|line| view.instruction(line)).any(|instruction| match instruction.short.op {
        Op::Ldw | Op::Ldb | Op::Ldsb | Op::Stw | Op::Stb => instruction.b == register,
        Op::CallReg | Op::JmpReg | Op::Lea => instruction.a == register,
        _ => false,
    })
}
