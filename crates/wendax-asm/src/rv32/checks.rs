//! What looks wrong in sources for RV32 that build, beside what both machines share (`checks`): the stack, the way back and
//! the kept registers on every way through a routine, as the calling convention (RISC-V ELF psABI) wants them; a division by
//! 0; results that are thrown away; registers that are set apart.
//!
//! Everything here goes by the instructions that the lines became.

mod ways;

use super::instructions;
use crate::checks::{View, before};
use crate::codes;
use crate::link::UnitIndex;
use crate::unit::What;
use wendax_image::LineKind;
use wendax_isa::rv32::forms::Slot;
use wendax_isa::rv32::{Format, GP, Insn, Op, TARGET, TP, ZERO};
use wendax_isa::{Addr, Reg};
use wendax_source::Diagnostic;

/// The global pointer and the thread pointer.
const APART: [(u8, &str); 2] = [(GP, "the linker's"), (TP, "for threads")];

/// An instruction of a program, and the line it came from.
#[derive(Debug, Clone, Copy)]
struct Step {
    at: u32,
    insn: Insn,
    line: usize,
}

pub(crate) fn check(view: &View<'_, '_>) -> Vec<(UnitIndex, Diagnostic)> {
    let steps = steps(view);
    let mut found = ways::check(view, &steps);
    found.extend(single(view, &steps));
    found.extend(stores_to_code(view));
    found
}

/// All instructions, in order of their addresses.
fn steps(view: &View<'_, '_>) -> Vec<Step> {
    let mut steps = Vec::new();
    for (index, line) in view.lines().iter().enumerate().filter(|(_, line)| line.kind == LineKind::Code) {
        if !matches!(view.what(index), What::Rv32(_)) {
            continue;
        }
        let insns = instructions(view.emitted.image.bytes(line.address, line.length));
        steps.extend((line.address.0..).step_by(4).zip(insns).map(|(at, insn)| Step { at, insn, line: index }));
    }
    steps
}

/// Single instructions that do something, but nothing that is meant.
fn single(view: &View<'_, '_>, steps: &[Step]) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    let mut apart = [false; 2];
    let knows_global_pointer =
        view.program.units.iter().any(|unit| unit.symbols().any(|(id, _)| unit.spelling(id) == "__global_pointer$"));
    for (index, step) in steps.iter().enumerate() {
        // What was unfolded is told once, at its first round.
        if index > 0 && view.lines()[steps[index - 1].line].span == view.lines()[step.line].span {
            continue;
        }
        let What::Rv32(written) = view.what(step.line) else { continue };
        let told = zero_divisor(view, step).or_else(|| to_zero(view, step));
        found.extend(told.map(|diagnostic| (view.unit(step.line), diagnostic)));
        for (told, (register, whose)) in apart.iter_mut().zip(APART) {
            let takes = written.form.slots.iter().filter(|slot| matches!(slot, Slot::Register | Slot::Memory)).count();
            let names = written.registers.iter().take(takes).any(|named| *named == register);
            if names && !*told && !knows_global_pointer {
                *told = true;
                let name = TARGET.register_name(Reg(register));
                let message = format!("`{name}` is {whose}: routines of others expect it to stay as it is");
                let hint = view.tell(step.line, codes::APART, message);
                found.push((view.unit(step.line), hint.with_expected("a register of t0 to t6, or of s0 to s11")));
            }
        }
    }
    found
}

/// A quotient by what is always 0.
fn zero_divisor(view: &View<'_, '_>, step: &Step) -> Option<Diagnostic> {
    let gives = match step.insn.op() {
        Op::Div => "−1",
        Op::Divu => "FFFFFFFF",
        Op::Rem | Op::Remu => "what was to be divided",
        _ => return None,
    };
    if step.insn.rs2 != ZERO && !is_set_to_zero(view, step) {
        return None;
    }
    let word = view.word(step.line);
    let message = format!("`{word}` by 0 gives {gives}, and is no trap");
    Some(view.tell(step.line, codes::ZERO_DIVISOR, message).with_expected("a divisor that is not 0"))
}

/// The line before sets the divisor to 0.
fn is_set_to_zero(view: &View<'_, '_>, step: &Step) -> bool {
    let source = view.emitted.origins[step.line];
    let above = before(view.program, source).next();
    let Some(What::Rv32(above)) = above.map(|above| &above.what) else { return false };
    let value = above.constant().filter(|_| above.sets(step.insn.rs2));
    value.and_then(|value| view.value(step.line, value)) == Some(0)
}

/// A result that goes into the register that is always 0. Loads may be made for what they do to a device.
fn to_zero(view: &View<'_, '_>, step: &Step) -> Option<Diagnostic> {
    let computes =
        matches!(step.insn.row().format, Format::Registers | Format::Immediate | Format::Shift | Format::Upper);
    let is_nop = step.insn.op() == Op::Addi && step.insn.rs1 == ZERO && step.insn.value == 0;
    if !computes || is_nop || step.insn.rd != ZERO {
        return None;
    }
    let word = view.word(step.line);
    let message = format!("what `{word}` computes here is thrown away: `zero` always stays 0");
    Some(view.tell(step.line, codes::TO_ZERO, message).with_expected("another register for the result, or nop"))
}

/// Stores to a name whose place may not be written.
fn stores_to_code(view: &View<'_, '_>) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    for line in 0..view.lines().len() {
        let What::Rv32(written) = view.what(line) else { continue };
        let Some(address) = written.stored_at().and_then(|expr| view.value(line, expr)) else { continue };
        let held = Addr::try_from(address).ok().and_then(|address| view.emitted.image.segment_at(address));
        let Some(segment) = held.filter(|segment| !segment.rights.write) else { continue };
        let what = if segment.rights.execute { "code" } else { "a constant" };
        let message = format!("{address:08X} is {what}, which cannot be written: trap 7, forbidden store");
        let told = view.tell(line, codes::STORE_TO_CODE, message).with_expected("a label in `.data` or `.bss`");
        found.push((view.unit(line), told));
    }
    found
}
