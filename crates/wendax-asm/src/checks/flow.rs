//! How control can go through the lines of an image: what is reached, what runs into data or past the end, a return
//! nobody called for.

use super::{View, call_of, statement};
use crate::codes;
use crate::emit::{Emitted, Source, is_instruction};
use crate::expr::SymbolId;
use crate::expr::{Expr, Step};
use crate::link::{Program, UnitIndex};
use crate::problems::diagnostic;
use crate::unit::{Definition, SectionKind, What};
use wendax_image::{Line, LineKind, SymbolKind};
use wendax_isa::Addr;
use wendax_isa::w16::{Cond, Op};
use wendax_source::Diagnostic;

/// Calls that end the program.
pub(crate) const EXITS: [&str; 2] = ["exit", "exit_group"];

/// A line that names where it leads.
#[derive(Debug, Clone, Copy)]
pub(super) struct Jump {
    /// The line there, where one begins at that place.
    pub(super) to: Option<usize>,
    pub(super) is_call: bool,
}

/// How control leaves a line.
#[derive(Debug, Clone, Copy)]
pub(super) struct Road {
    pub(super) jump: Option<Jump>,
    /// It never runs on into what lies behind it.
    pub(super) ends: bool,
}

impl Road {
    /// Where a jump leads that is no call.
    pub(super) fn jumps_to(self) -> Option<usize> {
        self.jump.filter(|jump| !jump.is_call)?.to
    }

    /// Where a call leads.
    pub(super) fn calls(self) -> Option<usize> {
        self.jump.filter(|jump| jump.is_call)?.to
    }

    /// It goes elsewhere than on and back.
    pub(super) fn leaves(self) -> bool {
        self.ends || self.jump.is_some_and(|jump| !jump.is_call)
    }
}

/// The road from each line.
pub(super) fn roads(view: &View<'_, '_>) -> Vec<Road> {
    let road = |line: usize| {
        let jump = jump(view.what(line)).map(|(expr, is_call)| {
            let to = view.value(line, expr).and_then(|address| view.line_at(address));
            Jump { to, is_call }
        });
        Road { jump, ends: ends_flow(view.program, view.emitted.origins[line]) }
    };
    (0..view.lines().len()).map(road).collect()
}

/// Which lines control reaches.
pub(super) struct Flow {
    /// Lines reached at all.
    pub(super) reached: Vec<bool>,
    /// Lines reached from the entry without a call in between.
    pub(super) own: Vec<bool>,
}

impl Flow {
    pub(super) fn of(view: &View<'_, '_>) -> Self {
        let lines = view.lines();
        let at = |address: Addr| view.line_at(address.0.into());
        let mut flow = Self { reached: vec![false; lines.len()], own: vec![false; lines.len()] };
        // What is called is found while following, so the list grows.
        let mut calls = Vec::new();
        follow(view, at(view.emitted.image.entry), &mut flow.own, &mut calls);
        flow.reached.clone_from(&flow.own);
        calls.extend(roots(view.program).into_iter().filter_map(at));
        calls.extend((0..lines.len()).filter(|&line| matches!(view.what(line), What::Object { .. })));
        while let Some(from) = calls.pop() {
            follow(view, Some(from), &mut flow.reached, &mut calls);
        }
        flow
    }
}

/// Marks what `from` leads to by running on and jumping; what is called is put into `calls`.
fn follow(view: &View<'_, '_>, from: Option<usize>, seen: &mut [bool], calls: &mut Vec<usize>) {
    let mut left: Vec<usize> = from.into_iter().collect();
    while let Some(line) = left.pop() {
        if std::mem::replace(&mut seen[line], true) {
            continue;
        }
        let road = view.road(line);
        calls.extend(road.calls());
        left.extend(road.jumps_to());
        if !road.ends {
            left.extend(next_line(view.lines(), line));
        }
    }
}

/// The line right behind a line, if the next byte is one's.
pub(super) fn next_line(lines: &[Line], index: usize) -> Option<usize> {
    let end = lines[index].address + lines[index].length;
    lines.get(index + 1).filter(|next| next.address == end).map(|_| index + 1)
}

/// Where an instruction jumps, and whether it is a call.
fn jump(what: &What) -> Option<(Expr, bool)> {
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
fn roots(program: &Program<'_>) -> Vec<Addr> {
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
pub(super) fn falls_through(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let lines = view.lines();
    let mut found = Vec::new();
    for (index, line) in lines.iter().enumerate().filter(|(index, _)| flow.reached[*index]) {
        if line.kind != LineKind::Code || !is_instruction(view.what(index)) || view.road(index).ends {
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
        found.push((view.unit(index), diagnostic.with_expected(view.program.syntax().last_instruction())));
    }
    found
}

fn ends_flow(program: &Program<'_>, source: Source) -> bool {
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
pub(super) fn unreached(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let lines = view.lines();
    let mut found = Vec::new();
    let mut last: Option<(usize, UnitIndex)> = None;
    for (index, line) in lines.iter().enumerate() {
        if flow.reached[index] || line.kind != LineKind::Code || !is_instruction(view.what(index)) {
            continue;
        }
        let unit = view.unit(index);
        let goes_on = last.is_some_and(|(before, of)| before + 1 == index && of == unit);
        last = Some((index, unit));
        // The other rounds and lines of what was unfolded belong to the same line of the text.
        let same = index > 0 && lines[index - 1].span == line.span;
        if !goes_on && !same {
            let found_here = diagnostic(codes::UNREACHED, line.span, "nothing reaches this code");
            found.push((unit, found_here.with_expected("a jump or call to a label before it, or the code taken away")));
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
pub(super) fn returns(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let image = &view.emitted.image;
    let entry = image.line_at(image.entry).map(|line| line.span);
    // A program that pushes addresses itself knows what it returns to.
    let pushes = |line: usize| match view.what(line) {
        What::Instruction(instruction) => instruction.short.op == Op::Push,
        What::Words(_) => true,
        _ => false,
    };
    let own = || (0..flow.own.len()).filter(|line| flow.own[*line]);
    if own().any(pushes) || is_library(view.program, view.emitted) {
        return Vec::new();
    }
    let is_return = |line: &usize| view.instruction(*line).is_some_and(|instruction| instruction.short.op == Op::Ret);
    let told = own().filter(is_return).map(|line| {
        let message = "the program runs to this `ret` without a call, so there is nothing to return to";
        let found = view.tell(line, codes::RET_UNCALLED, message.to_owned());
        let found = match entry.filter(|entry| *entry != view.lines()[line].span) {
            Some(entry) => found.with_other(entry, "it comes from here"),
            None => found,
        };
        let right = "`sys exit` before the routine, or `call` to get into it";
        (view.unit(line), found.with_expected(right))
    });
    told.collect()
}
