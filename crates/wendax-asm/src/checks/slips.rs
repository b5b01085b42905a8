//! Single instructions that do something, but nothing anyone means: a division by zero, a shift by the whole word, a
//! word at an odd address, a store into code, a call that does not exist; names and numbers that read as something else;
//! signed and unsigned jumps on one comparison.

use super::View;
use super::flow;
use crate::codes;
use crate::link::UnitIndex;
use crate::unit::{Definition, Instruction, What};
use std::cell::LazyCell;
use wendax_isa::w16::{CALLS, FlagRule, NO_BASE, Op, OperandKind, TARGET};
use wendax_source::Diagnostic;

/// Conditional jumps looked at behind one comparison.
const MOST_JUMPS: usize = 8;

const SIGNED: [&str; 4] = ["jlt", "jge", "jgt", "jle"];
const UNSIGNED: [&str; 4] = ["jltu", "jgeu", "jgtu", "jleu"];

pub(super) fn check(view: &View<'_, '_>) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    let handles_calls = LazyCell::new(|| handles_calls(view));
    for line in 0..view.lines().len() {
        // What was unfolded is told once, at its first round.
        let again = line > 0 && view.lines()[line - 1].span == view.lines()[line].span;
        let Some(instruction) = view.instruction(line).filter(|_| !again) else { continue };
        let told = match instruction.short.op {
            Op::Div | Op::Mod | Op::Shl | Op::Shr | Op::Asr => constant(view, line, instruction),
            Op::Ldw | Op::Stw | Op::Ldb | Op::Ldsb | Op::Stb => access(view, line, instruction),
            Op::Sys => call(view, line, instruction).filter(|_| !*handles_calls),
            Op::Cmp => both_kinds(view, line),
            _ => None,
        };
        found.extend(told.map(|diagnostic| (view.unit(line), diagnostic)));
    }
    found
}

/// A divisor of zero, a shift by more than there are bits.
fn constant(view: &View<'_, '_>, line: usize, instruction: &Instruction) -> Option<Diagnostic> {
    let is_constant = instruction.short.operands.get(1).is_some_and(|kind| *kind == OperandKind::Small);
    let value = view.value(line, instruction.value.filter(|_| is_constant)?)?;
    let word = view.word(line);
    match instruction.short.op {
        Op::Div | Op::Mod if value == 0 => {
            let message = format!("`{word}` by 0 fails whenever it runs: trap 4, divide by zero");
            Some(view.tell(line, codes::ZERO_DIVISOR, message).with_expected("a divisor that is not 0"))
        }
        Op::Shl | Op::Shr | Op::Asr if !(0..16).contains(&value) => {
            let message =
                format!("`{word}` by {value} shifts by {}: only the low 4 bits of the count are used", value & 15);
            let right = match instruction.short.op {
                Op::Asr => "0 to 15; asr by 15 leaves the sign in every bit",
                _ => "0 to 15; `clr` makes a register 0",
            };
            Some(view.tell(line, codes::WIDE_SHIFT, message).with_expected(right))
        }
        _ => None,
    }
}

/// A word at an odd address, or a store to what only runs.
fn access(view: &View<'_, '_>, line: usize, instruction: &Instruction) -> Option<Diagnostic> {
    let op = instruction.short.op;
    if instruction.b != NO_BASE {
        return None;
    }
    let address = view.value(line, instruction.value?)?;
    if matches!(op, Op::Ldb | Op::Ldsb | Op::Stb) && address >= i64::from(TARGET.map.devices_start.0) {
        let message =
            format!("{address:04X} is a device register, of which no byte can be touched: trap 3, forbidden address");
        let word = if op == Op::Stb { "stw" } else { "ldw" };
        return Some(view.tell(line, codes::DEVICE_BYTE, message).with_expected(format!("{word} for the whole word")));
    }
    if matches!(op, Op::Ldb | Op::Ldsb) {
        return None;
    }
    let is_told = view.line_at(address).is_some_and(|at| matches!(view.what(at), What::Values { width: 2, .. }));
    if op != Op::Stb && address % 2 != 0 {
        if is_told {
            // That the words lie so is told where they do.
            return None;
        }
        let message = format!("the word at the odd address {address:04X} cannot be reached: trap 2, misaligned word");
        return Some(
            view.tell(line, codes::ODD_ACCESS, message).with_expected("an even address, or `ldb` and `stb` for a byte"),
        );
    }
    let inside = view.emitted.image.segment_at(wendax_isa::Addr::try_from(address).ok()?)?;
    if op == Op::Ldw || inside.rights.write {
        return None;
    }
    let message = format!("{address:04X} is code, which cannot be written: trap 3, forbidden address");
    Some(view.tell(line, codes::STORE_TO_CODE, message).with_expected("a label in `.data`"))
}

/// The program gives calls that do not exist a handler of its own.
fn handles_calls(view: &View<'_, '_>) -> bool {
    const UNKNOWN_CALL: u32 = 7;
    let vector = i64::from(TARGET.vector_of(UNKNOWN_CALL).0);
    let stores = (0..view.lines().len()).any(|line| {
        let Some(instruction) = view.instruction(line) else { return false };
        let is_store = instruction.short.op == Op::Stw && instruction.b == NO_BASE;
        instruction.value.filter(|_| is_store).and_then(|value| view.value(line, value)) == Some(vector)
    });
    stores || view.line_at(vector).is_some()
}

/// `sys` with a number that no call has.
fn call(view: &View<'_, '_>, line: usize, instruction: &Instruction) -> Option<Diagnostic> {
    let value = view.value(line, instruction.value?)?;
    if CALLS.iter().any(|call| i64::from(call.number) == value) {
        return None;
    }
    let message = format!("no system call has the number {value} (0x{value:02X}): it fails with error 1");
    let names: Vec<&str> = CALLS.iter().map(|call| call.name).collect();
    Some(view.tell(line, codes::NO_CALL, message).with_expected(names.join(" ")))
}

/// Jumps that read a comparison as signed, and others that read it as unsigned.
fn both_kinds(view: &View<'_, '_>, line: usize) -> Option<Diagnostic> {
    let mut seen: [Option<usize>; 2] = [None, None];
    let mut at = line;
    for _ in 0..MOST_JUMPS {
        at = flow::next_line(view.lines(), at)?;
        let next = view.instruction(at)?;
        if next.short.flags != FlagRule::None {
            return None;
        }
        let word = view.word(at);
        let kind = match word.as_str() {
            word if SIGNED.contains(&word) => 0,
            word if UNSIGNED.contains(&word) => 1,
            _ => continue,
        };
        seen[kind].get_or_insert(at);
        if let [Some(signed), Some(unsigned)] = seen {
            let (first, second) = (signed.min(unsigned), signed.max(unsigned));
            let (one, other) = (view.word(first), view.word(second));
            let message = format!("`{one}` and `{other}` read one comparison in two ways: signed and unsigned");
            let found = view.tell(second, codes::BOTH_KINDS, message);
            let found = found
                .with_other(view.lines()[first].span, "this one")
                .with_other(view.lines()[line].span, "the comparison");
            return Some(found.with_expected("signed: jlt jge jgt jle; unsigned: jltu jgeu jgtu jleu"));
        }
    }
    None
}

/// Labels that are named like an instruction: most often one whose colon is a slip.
pub(super) fn names(view: &View<'_, '_>) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    for (index, unit) in view.program.units.iter().enumerate() {
        for (id, name) in unit.symbols() {
            let spelling = unit.spelling(id);
            let is_label = matches!(name.definition, Definition::Label { .. });
            if is_label && name.used.is_none() && name.span.file == unit.file && unit.syntax.is_mnemonic(spelling) {
                let message = format!("`{spelling}:` is a label here, and no instruction");
                let diagnostic = crate::problems::diagnostic(codes::LABEL_LIKE_INSTRUCTION, name.span, message);
                found.push((
                    index,
                    diagnostic.with_expected(format!("`{spelling}` without the colon, or another name")),
                ));
            }
        }
    }
    found
}
