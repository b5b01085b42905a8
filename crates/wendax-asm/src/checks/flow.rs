//! How control can go through the lines of an image: what is reached, what runs into data or past the end, a return
//! nobody called for.

use super::{call_of, statement};
use crate::codes;
use crate::emit::{Emitted, Source, is_instruction};
use crate::expr::SymbolId;
use crate::expr::{Expr, Step, Value};
use crate::link::{Program, UnitIndex};
use crate::problems::diagnostic;
use crate::unit::{Definition, SectionKind, What};
use wendax_image::{Line, LineKind, SymbolKind};
use wendax_isa::Addr;
use wendax_isa::w16::{Cond, Op};
use wendax_source::Diagnostic;

/// Calls that end the program.
pub(crate) const EXITS: [&str; 2] = ["exit", "exit_group"];

/// How control can go through the lines of an image.
pub(super) struct Flow {
    /// Lines reached at all.
    pub(super) reached: Vec<bool>,
    /// Lines reached from the entry without a call in between.
    pub(super) own: Vec<bool>,
}

impl Flow {
    pub(super) fn of(program: &Program<'_>, emitted: &Emitted) -> Self {
        let lines = &emitted.image.lines;
        let at = |address: Addr| lines.binary_search_by_key(&address, |line| line.address).ok();
        let mut flow = Self { reached: vec![false; lines.len()], own: vec![false; lines.len()] };
        let entry: Vec<usize> = at(emitted.image.entry).into_iter().collect();
        let mut calls = Vec::new();
        follow(program, emitted, entry, &mut flow.own, &mut calls);
        flow.reached.clone_from(&flow.own);
        calls.extend(roots(program).into_iter().filter_map(at));
        let from_objects = |(_, source): &(usize, &Source)| {
            let what = &statement(program, **source).what;
            matches!(what, What::Object { .. })
        };
        calls.extend(emitted.origins.iter().enumerate().filter(from_objects).map(|(index, _)| index));
        let mut at = 0;
        // Calls are found while following, so the list grows.
        while at < calls.len() {
            let mut more = Vec::new();
            let from = vec![calls[at]];
            follow(program, emitted, from, &mut flow.reached, &mut more);
            calls.extend(more);
            at += 1;
        }
        flow
    }
}

/// Marks what `from` leads to by running on and jumping; what is called is put into `calls`.
pub(super) fn follow(
    program: &Program<'_>,
    emitted: &Emitted,
    from: Vec<usize>,
    seen: &mut [bool],
    calls: &mut Vec<usize>,
) {
    let lines = &emitted.image.lines;
    let mut left = from;
    while let Some(index) = left.pop() {
        if std::mem::replace(&mut seen[index], true) {
            continue;
        }
        let source = emitted.origins[index];
        let what = &statement(program, source).what;
        if let Some((expr, is_call)) = jump(what) {
            let here = Value::number(lines[index].address.0.into());
            let target = program.evaluate(source.unit, expr, here).ok().and_then(Value::as_number);
            let target = target.and_then(|target| Addr::try_from(target).ok());
            let target = target.and_then(|target| lines.binary_search_by_key(&target, |line| line.address).ok());
            if is_call { calls.extend(target) } else { left.extend(target) }
        }
        if !ends_flow(program, source) {
            left.extend(next_line(lines, index));
        }
    }
}

/// The line right behind a line, if the next byte is one's.
pub(super) fn next_line(lines: &[Line], index: usize) -> Option<usize> {
    let end = lines[index].address + lines[index].length;
    lines.get(index + 1).filter(|next| next.address == end).map(|_| index + 1)
}

/// Where an instruction jumps, and whether it is a call.
pub(super) fn jump(what: &What) -> Option<(Expr, bool)> {
    let instruction = match what {
        What::Instruction(instruction) => instruction,
        What::Rv32(instruction) => return instruction.jump(),
        _ => return None,
    };
    let is_jump = matches!(instruction.short.op, Op::Jump(_) | Op::Djnz | Op::Call);
    Some((instruction.value.filter(|_| is_jump)?, instruction.short.op == Op::Call))
}

/// Addresses that are used other than by jumping to them, or that other files know: they may be reached in
/// ways not seen here.
pub(super) fn roots(program: &Program<'_>) -> Vec<Addr> {
    let mut roots = Vec::new();
    for (index, unit) in program.units.iter().enumerate() {
        let mut take = |expr: Expr| {
            for step in unit.steps(expr) {
                if let Step::Symbol(id) = step {
                    roots.extend(code_label(program, index, *id));
                }
            }
        };
        unit.values.iter().for_each(|expr| take(*expr));
        unit.patches.iter().for_each(|patch| take(patch.value));
        for name in &unit.names {
            if let Definition::Constant(expr) = name.definition {
                take(expr);
            }
        }
        for statement in unit.sections.iter().flat_map(|section| &section.statements) {
            let value = match &statement.what {
                What::Instruction(instruction) => instruction.value,
                What::Rv32(instruction) => instruction.value,
                _ => None,
            };
            if let Some(value) = value.filter(|_| jump(&statement.what).is_none()) {
                take(value);
            }
        }
        roots.extend(unit.globals().filter_map(|id| code_label(program, index, id)));
    }
    roots
}

/// The address of a name that is a label of code.
pub(super) fn code_label(program: &Program<'_>, unit: UnitIndex, id: SymbolId) -> Option<Addr> {
    let (unit, id) = program.meaning(unit, id);
    let Definition::Label { section, .. } = program.units[unit].name(id).definition else { return None };
    let is_code = program.units[unit].section(section).kind == SectionKind::Code;
    let value = program.value_of(unit, id).filter(|_| is_code)?;
    Addr::try_from(value.as_number()?).ok()
}

/// Instructions after which the next address is run, where the next address holds no instruction.
pub(super) fn falls_through(program: &Program<'_>, emitted: &Emitted, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let lines = &emitted.image.lines;
    let mut found = Vec::new();
    for (index, line) in lines.iter().enumerate().filter(|(index, _)| flow.reached[*index]) {
        let source = emitted.origins[index];
        let what = &statement(program, source).what;
        if line.kind != LineKind::Code || !is_instruction(what) || ends_flow(program, source) {
            continue;
        }
        let next = next_line(lines, index).map(|next| &lines[next]);
        if next.is_some_and(|next| next.kind == LineKind::Code) {
            continue;
        }
        let diagnostic = match next {
            Some(next) => diagnostic(codes::INTO_DATA, line.span, "after this the processor runs into data")
                .with_other(next.span, "this is no code"),
            None => diagnostic(codes::PAST_END, line.span, "after this the code ends, and the processor runs on"),
        };
        found.push((source.unit, diagnostic.with_expected(program.syntax().last_instruction())));
    }
    found
}

pub(super) fn ends_flow(program: &Program<'_>, source: Source) -> bool {
    let ends_program = || call_of(program, source).is_some_and(|call| EXITS.contains(&call));
    match &statement(program, source).what {
        What::Instruction(instruction) => match instruction.short.op {
            Op::Ret | Op::Reti | Op::Halt | Op::JmpReg | Op::Jump(Cond::Always) => true,
            Op::Sys => ends_program(),
            _ => false,
        },
        What::Rv32(instruction) => instruction.leaves() || ends_program(),
        What::Words(_) | What::Object { .. } | What::Align { .. } => false,
        // What runs into data is told there; code behind it is not a second matter.
        What::Values { .. } | What::Bytes { .. } | What::Space { .. } | What::Org(_) => false,
    }
}

/// The first instruction of each run of code that nothing reaches.
pub(super) fn unreached(program: &Program<'_>, emitted: &Emitted, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let lines = &emitted.image.lines;
    let mut found = Vec::new();
    let mut last: Option<(usize, Source)> = None;
    for (index, line) in lines.iter().enumerate() {
        let source = emitted.origins[index];
        let runs = line.kind == LineKind::Code && is_instruction(&statement(program, source).what);
        if !runs || flow.reached[index] {
            continue;
        }
        let goes_on = last.is_some_and(|(before, of)| before + 1 == index && of.unit == source.unit);
        last = Some((index, source));
        // The other rounds and lines of what was unfolded belong to the same line of the text.
        let same = index > 0 && lines[index - 1].span == line.span;
        if !goes_on && !same {
            let found_here = diagnostic(codes::UNREACHED, line.span, "nothing reaches this code");
            found.push((
                source.unit,
                found_here.with_expected("a jump or call to a label before it, or the code taken away"),
            ));
        }
    }
    found
}

/// Nothing says where the program begins, and what comes first is offered to others: the text of a library.
pub(crate) fn is_library(program: &Program<'_>, emitted: &Emitted) -> bool {
    let image = &emitted.image;
    let begins = image.symbols.iter().filter(|symbol| symbol.kind == SymbolKind::Code);
    let offered = begins
        .filter(|symbol| symbol.is_global && symbol.address() == Some(image.entry))
        .any(|symbol| symbol.name != "start");
    offered && program.units.iter().all(|unit| unit.entry.is_none())
}

/// Returns that the entry runs into.
pub(super) fn returns(program: &Program<'_>, emitted: &Emitted, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let entry = emitted.image.line_at(emitted.image.entry).map(|line| line.span);
    let of = |index: usize| &statement(program, emitted.origins[index]).what;
    // A program that pushes addresses itself knows what it returns to.
    let pushes = |index: &usize| match of(*index) {
        What::Instruction(instruction) => instruction.short.op == Op::Push,
        What::Words(_) => true,
        _ => false,
    };
    let own: Vec<usize> = (0..flow.own.len()).filter(|index| flow.own[*index]).collect();
    if own.iter().any(pushes) || is_library(program, emitted) {
        return Vec::new();
    }
    let is_return = |index: &usize| match of(*index) {
        What::Instruction(instruction) => instruction.short.op == Op::Ret,
        _ => false,
    };
    own.into_iter()
        .filter(is_return)
        .map(|index| {
            let span = emitted.image.lines[index].span;
            let message = "the program runs to this `ret` without a call, so there is nothing to return to";
            let found = diagnostic(codes::RET_UNCALLED, span, message);
            let found = match entry.filter(|entry| *entry != span) {
                Some(entry) => found.with_other(entry, "it comes from here"),
                None => found,
            };
            let right = "`sys exit` before the routine, or `call` to get into it";
            (emitted.origins[index].unit, found.with_expected(right))
        })
        .collect()
}
