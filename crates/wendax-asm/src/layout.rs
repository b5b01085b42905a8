//! Where everything goes, and the shortest form of each instruction.
//!
//! All instructions begin in their shortest encoding. Each pass gives addresses, then lengthens what does
//! not fit; nothing is ever shortened again, so this ends. Only `.space`, `.align` and `.org` that depend
//! on labels could go on changing; they get [`PASSES`] and are then a problem.

use crate::codes;
use crate::expr::{EvalError, Expr, SymbolId, evaluate};
use crate::problems::diagnostic;
use crate::unit::{Definition, Instruction, Section, Statement, Unit, What};
use wendax_isa::w16::{CODE_START, OperandKind, PAGE, STACK_START, encode};

/// Most texts settle in three or four.
const PASSES: u32 = 60;
/// No single statement takes more; larger ones are reported where they are emitted.
const LARGEST: i64 = 0x1_0000;

/// Addresses and sizes of the statements of both sections, in bytes.
#[derive(Debug, Default)]
pub(crate) struct Layout {
    pub(crate) code: Vec<Placed>,
    pub(crate) data: Vec<Placed>,
    /// One past the last byte of either section in its ordinary place.
    pub(crate) end: i64,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Placed {
    pub(crate) address: i64,
    pub(crate) size: i64,
}

impl Layout {
    pub(crate) fn section(&self, section: Section) -> &[Placed] {
        match section {
            Section::Code => &self.code,
            Section::Data => &self.data,
        }
    }
}

/// Gives every statement its address and every name its value.
pub(crate) fn lay_out(unit: &mut Unit) -> Layout {
    let constants = fixed_constants(unit);
    let mut layout = Layout::default();
    for pass in 0..PASSES {
        let next = place(unit);
        let moved = next.code != layout.code || next.data != layout.data;
        layout = next;
        set_labels(unit, &layout);
        set_constants(unit, &constants);
        let lengthened = lengthen(unit, &layout, pass + 8 > PASSES);
        if !moved && !lengthened {
            report_constants(unit, &constants);
            return layout;
        }
    }
    report_unsettled(unit);
    layout
}

/// Gives constants that depend on no label their value; returns the others.
fn fixed_constants(unit: &mut Unit) -> Vec<SymbolId> {
    let all: Vec<SymbolId> = (0u32..)
        .zip(&unit.names)
        .filter(|(_, name)| matches!(name.definition, Definition::Constant(_)))
        .map(|(id, _)| SymbolId(id))
        .collect();
    set_constants(unit, &all);
    all.into_iter().filter(|&id| unit.name(id).value.is_none()).collect()
}

/// Evaluates constants until no more of them get a value. Goes over them in both directions, so that
/// chains of any length resolve at once however they are ordered.
fn set_constants(unit: &mut Unit, constants: &[SymbolId]) {
    const ROUNDS: usize = 40;
    for &id in constants {
        unit.names[id.0 as usize].value = None;
    }
    let mut left: Vec<SymbolId> = constants.to_vec();
    for _ in 0..ROUNDS {
        let before = left.len();
        left.retain(|&id| {
            let value = constant_value(unit, id).ok();
            unit.names[id.0 as usize].value = value;
            value.is_none()
        });
        if left.is_empty() || left.len() == before {
            return;
        }
        left.reverse();
    }
}

fn constant_value(unit: &Unit, id: SymbolId) -> Result<i64, EvalError> {
    match unit.name(id).definition {
        Definition::Constant(expr) => evaluate(unit.steps(expr), unit, 0),
        Definition::Label { .. } => Err(EvalError::Reported),
    }
}

/// What is left without a value when all else is settled depends on itself, or was reported.
fn report_constants(unit: &mut Unit, constants: &[SymbolId]) {
    for id in constants.iter().copied().filter(|&id| unit.name(id).value.is_none()).collect::<Vec<_>>() {
        let Definition::Constant(expr) = unit.name(id).definition else { continue };
        let unknown = unit.steps(expr).iter().any(|step| matches!(step, crate::expr::Step::Unknown));
        let span = unit.name(id).span;
        match constant_value(unit, id) {
            Err(EvalError::Division(place)) => {
                unit.problems.push(diagnostic(codes::DIVISION, place, "this divides by zero"));
            }
            Err(EvalError::Overflow) => {
                unit.problems.push(diagnostic(codes::RANGE, expr.span, "this value is far out of any range"));
            }
            Err(EvalError::Reported) if !unknown => {
                let found = diagnostic(codes::SELF_DEFINED, span, "this constant depends on itself");
                unit.problems.push(found.with_expected("a value made of numbers, labels and constants that have one"));
                // The others of the circle have the same cause.
                return;
            }
            Err(EvalError::Reported) | Ok(_) => {}
        }
    }
}

/// One pass of addresses, with the encodings as they are.
fn place(unit: &Unit) -> Layout {
    let (code, code_end) = place_section(unit, &unit.code, i64::from(CODE_START));
    let page = i64::from(PAGE);
    let data_start = (code_end + page - 1) / page * page;
    let (data, data_end) = place_section(unit, &unit.data, data_start);
    Layout { code, data, end: data_end.max(code_end) }
}

/// The section's statements one after the other from `start`; the second value is the end of what lies
/// below the stack and above the vectors, which is where the next section follows.
fn place_section(unit: &Unit, statements: &[Statement], start: i64) -> (Vec<Placed>, i64) {
    let mut at = start;
    let mut end = start;
    let mut placed = Vec::with_capacity(statements.len());
    for statement in statements {
        let address = at;
        at += match &statement.what {
            What::Instruction(instruction) => i64::from(2 * instruction.row().words()),
            What::Words(words) => 2 * i64::try_from(words.len()).unwrap_or(LARGEST),
            What::Values { width, from, to } => i64::from(width * (to - from)),
            What::Bytes { from, to } => i64::from(to - from),
            What::Space { count, .. } => value(unit, *count, at).unwrap_or(0).clamp(0, LARGEST),
            What::Align { to, .. } => {
                let to = value(unit, *to, at).unwrap_or(1).clamp(1, LARGEST);
                (to - at.rem_euclid(to)) % to
            }
            What::Org(address) => {
                at = value(unit, *address, at).unwrap_or(at).clamp(0, LARGEST);
                0
            }
        };
        let size = if matches!(statement.what, What::Org(_)) { 0 } else { at - address };
        placed.push(Placed { address, size });
        if size > 0 && at <= i64::from(STACK_START) {
            end = end.max(at);
        }
    }
    // The place behind the last statement, for labels at the very end.
    placed.push(Placed { address: at, size: 0 });
    (placed, end)
}

fn value(unit: &Unit, expr: Expr, here: i64) -> Option<i64> {
    evaluate(unit.steps(expr), unit, here).ok()
}

fn set_labels(unit: &mut Unit, layout: &Layout) {
    for name in &mut unit.names {
        if let Definition::Label { section, statement } = name.definition {
            name.value = layout.section(section).get(statement as usize).map(|placed| placed.address);
        }
    }
}

/// Lengthens what its short form does not hold, or all that can be when `every`; tells if there was any.
fn lengthen(unit: &mut Unit, layout: &Layout, every: bool) -> bool {
    let mut code = std::mem::take(&mut unit.code);
    let mut any = false;
    for (statement, placed) in code.iter_mut().zip(&layout.code) {
        let What::Instruction(instruction) = &mut statement.what else { continue };
        if instruction.lengthened || instruction.long.is_none() {
            continue;
        }
        if every || !short_fits(unit, instruction, placed.address) {
            instruction.lengthened = true;
            any = true;
        }
    }
    unit.code = code;
    any
}

fn short_fits(unit: &Unit, instruction: &Instruction, address: i64) -> bool {
    let Some(expr) = instruction.value else { return true };
    // What has no value is reported when it is emitted, and takes the short form until then.
    let Some(value) = value(unit, expr, address) else { return true };
    let distance = value - address - 2;
    instruction.short.operands.iter().all(|kind| match kind {
        OperandKind::Small => (0..=15).contains(&value),
        OperandKind::Base => value == 0,
        OperandKind::Near8 => (-256..=254).contains(&distance),
        OperandKind::Near12 => (-4096..=4094).contains(&distance),
        OperandKind::Register | OperandKind::Flags | OperandKind::Constant => true,
        OperandKind::BaseOffset | OperandKind::Far | OperandKind::Call => true,
    })
}

fn report_unsettled(unit: &mut Unit) {
    let depends = |statement: &&Statement| match statement.what {
        What::Space { .. } | What::Align { .. } | What::Org(_) => true,
        What::Instruction(_) | What::Words(_) | What::Values { .. } | What::Bytes { .. } => false,
    };
    if let Some(span) = unit.code.iter().chain(&unit.data).find(depends).map(|statement| statement.span) {
        let found =
            diagnostic(codes::UNSETTLED, span, "a size or address here depends on what comes behind it, without end");
        unit.problems.push(found.with_expected("numbers, constants, and labels that stand before it"));
    }
}

/// The words of `nop` that `.align` fills code with.
pub(crate) fn nop_bytes() -> [u8; 2] {
    let row = wendax_isa::w16::rows_named("nop").next().expect("the table has nop");
    encode(wendax_isa::w16::Insn::new(row, 0, 0, 0)).0.to_le_bytes()
}
