//! What builds, but looks wrong: code that runs into data or past its end, names nobody uses.

use crate::codes;
use crate::expr::{Step, evaluate};
use crate::image::{Image, LineKind};
use crate::problems::diagnostic;
use crate::unit::{Definition, Section, Unit, What};
use wendax_isa::w16::{Cond, Op, call_by_name};

pub(crate) fn check(unit: &mut Unit, image: &Image) {
    // A line with a problem leaves a gap; what follows from the gap is no cause of its own.
    if !unit.problems.is_empty() {
        return;
    }
    falls_through(unit, image);
    unused_names(unit, image);
    if unit.code.is_empty() {
        let span = wendax_source::Span::new(unit.file, 0, 0);
        let found = diagnostic(codes::NO_CODE, span, "there is no instruction to run yet");
        unit.problems.push(found.with_expected("start:  sys exit"));
    }
}

/// Instructions after which the next address is run, where the next address holds no instruction.
fn falls_through(unit: &mut Unit, image: &Image) {
    let mut found = Vec::new();
    for (index, line) in image.lines.iter().enumerate().filter(|(_, line)| line.kind == LineKind::Code) {
        let next = image.lines.get(index + 1).filter(|next| next.address == line.address + line.length);
        if next.is_some_and(|next| next.kind == LineKind::Code) {
            continue;
        }
        // Statements stand in the order of the text.
        let at = unit.code.binary_search_by_key(&line.span.start, |statement| statement.span.start);
        let Some(statement) = at.ok().and_then(|at| unit.code.get(at)) else { continue };
        if ends_flow(unit, &statement.what) {
            continue;
        }
        found.push(match next {
            Some(next) => diagnostic(codes::INTO_DATA, line.span, "after this the processor runs into data")
                .with_other(next.span, "this is no code"),
            None => diagnostic(codes::PAST_END, line.span, "after this the code ends, and the processor runs on"),
        });
    }
    for diagnostic in found {
        unit.problems.push(diagnostic.with_expected("sys exit, halt, ret or jmp as the last instruction"));
    }
}

fn ends_flow(unit: &Unit, what: &What) -> bool {
    match what {
        What::Instruction(instruction) => match instruction.short.op {
            Op::Ret | Op::Reti | Op::Halt | Op::JmpReg | Op::Jump(Cond::Always) => true,
            Op::Sys => {
                let exit = call_by_name("exit").map(|call| i64::from(call.number));
                instruction.value.and_then(|value| evaluate(unit.steps(value), unit, 0).ok()) == exit
            }
            _ => false,
        },
        What::Words(_) => false,
        What::Values { .. } | What::Bytes { .. } | What::Space { .. } | What::Align { .. } | What::Org(_) => true,
    }
}

fn unused_names(unit: &mut Unit, image: &Image) {
    if let Some((entry, _)) = unit.entry
        && let [Step::Symbol(id)] = *unit.steps(entry)
    {
        unit.names[id.0 as usize].used = true;
    }
    let mut found = Vec::new();
    for (name, spelling) in unit.names.iter().zip(&unit.spellings) {
        let entry = matches!(name.definition, Definition::Label { section: Section::Code, .. })
            && name.value == Some(i64::from(image.entry));
        if name.used || entry {
            continue;
        }
        let what = if matches!(name.definition, Definition::Constant(_)) { "constant" } else { "label" };
        found.push(diagnostic(codes::UNUSED, name.span, format!("the {what} `{spelling}` is never used")));
    }
    for diagnostic in found {
        unit.problems.push(diagnostic);
    }
}
