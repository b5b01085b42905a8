//! What builds, but looks wrong. None of this is looked for before a text has no problem.
//!
//! `flow` follows control, `stack` what it pushes and pops on its way, `slips` single instructions that cannot have
//! been meant, `unset` registers nobody sets, `addresses` labels where their contents were meant. Here are the names and texts nobody could use.

mod addresses;
mod flow;
mod slips;
mod stack;
mod unset;

use crate::both::both;
use crate::codes;
use crate::emit::{Emitted, Source};
use crate::expr::{Expr, SymbolId, Value};
use crate::link::{Program, UnitIndex};
use crate::problems::diagnostic;
use crate::syntax::Syntax;
use crate::unit::{Definition, Instruction, SectionId, SectionKind, Statement, Unit, What};
pub(crate) use flow::{EXITS, is_library};
use flow::{Flow, Road, code_label};
use rustc_hash::FxHashMap;
use std::cell::LazyCell;
use wendax_image::Line;
use wendax_isa::Addr;
use wendax_isa::w16::{Op, OperandKind};
use wendax_source::{Diagnostic, Edit, Grade, Sources, Span};

/// Calls that take the address of a text with a NUL in `r0`.
const TEXT_CALLS: [&str; 2] = ["put_text", "file_open"];

/// Lines looked back for what a call is given.
pub(crate) const NEAR: usize = 8;

/// So many unused names are told; nobody reads more hints at once.
const MOST_UNUSED: usize = 500;

pub(crate) fn check(sources: &Sources, program: &mut Program<'_>, emitted: &Emitted) {
    // A line with a problem leaves a gap; what follows from the gap is no cause of its own.
    if !program.is_sound() {
        return;
    }
    let mut view = View { sources, program, emitted, roads: Vec::new() };
    view.roads = flow::roads(&view);
    let view = view;
    let flow = Flow::of(&view);
    let ways = || {
        let mut found = flow::falls_through(&view, &flow);
        found.extend(flow::unreached(&view, &flow));
        match program.syntax() {
            Syntax::W16 => {
                found.extend(flow::returns(&view, &flow));
                found.extend(stack::check(&view));
                found.extend(slips::check(&view));
                found.extend(addresses::check(&view));
            }
            Syntax::Rv32 => found.extend(crate::rv32::check(&view)),
        }
        found
    };
    let lines = || {
        let mut found = slips::names(&view);
        found.extend(unset::check(&view, &flow));
        found.extend(unused_names(&view, &flow));
        found.extend(texts(sources, program, emitted));
        found.extend(odd_words(sources, program, emitted));
        found
    };
    let (mut found, more) = both(view.lines().len(), ways, lines);
    found.extend(more);
    let code = |unit: &&Unit| unit.sections.iter().any(|s| s.kind == SectionKind::Code && !s.statements.is_empty());
    if !program.units.iter().any(code) {
        let file = program.units.first().map_or(wendax_source::FileId(0), |unit| unit.file);
        let message = "there is no instruction to run yet";
        let none = diagnostic(codes::NO_CODE, Span::new(file, 0, 0), message);
        if !program.units.is_empty() {
            let label = program.syntax().entries().first().copied().unwrap_or("start");
            found.push((0, none.with_expected(format!("{label}:  sys exit"))));
        }
    }
    for index in 0..program.units.len() {
        found.extend(program.units[index].remarks.iter().map(|remark| (index, remark.clone())));
    }
    for (unit, diagnostic) in found {
        program.report(unit, diagnostic);
    }
}

fn statement<'a>(program: &Program<'a>, source: Source) -> &'a Statement {
    &program.units[source.unit].section(source.section).statements[source.statement as usize]
}

/// A program with the lines it became; lines are known by their index.
pub(crate) struct View<'v, 'a> {
    pub(crate) sources: &'v Sources,
    pub(crate) program: &'v Program<'a>,
    pub(crate) emitted: &'v Emitted,
    /// The road from each line.
    roads: Vec<Road>,
}

impl View<'_, '_> {
    pub(crate) fn lines(&self) -> &[Line] {
        &self.emitted.image.lines
    }

    pub(crate) fn unit(&self, line: usize) -> UnitIndex {
        self.emitted.origins[line].unit
    }

    fn statement(&self, line: usize) -> &Statement {
        statement(self.program, self.emitted.origins[line])
    }

    pub(crate) fn what(&self, line: usize) -> &What {
        &self.statement(line).what
    }

    fn instruction(&self, line: usize) -> Option<&Instruction> {
        match self.what(line) {
            What::Instruction(instruction) => Some(instruction),
            _ => None,
        }
    }

    /// The value of an expression of a line, if it is known.
    pub(crate) fn value(&self, line: usize, expr: Expr) -> Option<i64> {
        let here = Value::number(self.lines()[line].address.0.into());
        self.program.evaluate(self.unit(line), expr, here).ok().and_then(Value::as_number)
    }

    /// The line at an address.
    fn line_at(&self, address: i64) -> Option<usize> {
        let address = Addr::try_from(address).ok()?;
        self.lines().binary_search_by_key(&address, |line| line.address).ok()
    }

    fn road(&self, line: usize) -> Road {
        self.roads[line]
    }

    /// The word a line begins with behind its labels, as it is written, in lower case.
    pub(crate) fn word(&self, line: usize) -> String {
        let statement = self.statement(line);
        let unit = self.program.units[self.unit(line)];
        let text = crate::link::text_of(unit, self.sources, statement.unfolded.unwrap_or(statement.span));
        text.split_whitespace().next().unwrap_or_default().to_ascii_lowercase()
    }

    /// Something about a line, told where a person wrote it.
    pub(crate) fn tell(&self, line: usize, info: codes::CodeInfo, message: String) -> Diagnostic {
        diagnostic(info, self.lines()[line].span, message)
    }
}

/// The name of the system call a statement makes.
fn call_of(program: &Program<'_>, source: Source) -> Option<&'static str> {
    let value = match &statement(program, source).what {
        What::Instruction(instruction) => instruction.value.filter(|_| instruction.short.op == Op::Sys)?,
        What::Rv32(instruction) => crate::rv32::called_number(program, source, instruction)?,
        _ => return None,
    };
    let number = program.evaluate(source.unit, value, Value::number(0)).ok()?.as_number()?;
    program.syntax().target().calls.iter().find(|call| i64::from(call.number) == number).map(|call| call.name)
}

/// The statements before one in its section, the nearest first.
pub(crate) fn before<'a>(program: &Program<'a>, source: Source) -> impl Iterator<Item = &'a Statement> {
    let section = program.units[source.unit].section(source.section);
    section.statements.get(..source.statement as usize).unwrap_or_default().iter().rev()
}

fn unused_names(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let (program, image) = (view.program, &view.emitted.image);
    // A plain label that the line above it runs into names a place: a second entry, or a part of a routine.
    let is_run_into = |line: usize| {
        line.checked_sub(1)
            .is_some_and(|above| flow::next_line(&image.lines, above) == Some(line) && !view.road(above).ends)
    };
    let mut found: Vec<(UnitIndex, Diagnostic)> = Vec::new();
    for (index, unit) in program.units.iter().enumerate() {
        let entry = unit.entry.and_then(|(expr, _)| unit.sole_symbol(expr));
        for (id, name) in unit.symbols() {
            // What an included file offers need not all be used.
            let elsewhere = name.span.file != unit.file;
            if name.used.is_some() || name.global.is_some() || elsewhere || entry == Some(id) {
                continue;
            }
            // Compilers end each function with a label of their own.
            if unit.syntax.in_name(b'.') && unit.spelling(id).starts_with(".L") {
                continue;
            }
            if unit.syntax.is_mnemonic(unit.spelling(id)) && matches!(name.definition, Definition::Label { .. }) {
                // That it is no instruction is told.
                continue;
            }
            let (what, address) = match name.definition {
                Definition::Constant(_) => ("constant", None),
                Definition::Extern => ("foreign name", None),
                Definition::Label { .. } => ("label", code_label(program, index, id)),
            };
            let line = address.and_then(|at| image.lines.binary_search_by_key(&at, |line| line.address).ok());
            // Of code that nothing reaches that is told, and its label has the same cause.
            if address == Some(image.entry) || line.is_some_and(|line| !flow.reached[line]) {
                continue;
            }
            if !unit.spelling(id).starts_with('@') && line.is_some_and(is_run_into) {
                continue;
            }
            if found.len() >= MOST_UNUSED {
                if let Some((_, last)) = found.last_mut() {
                    last.more = last.more.saturating_add(1);
                }
                continue;
            }
            let message = format!("the {what} `{}` is never used", unit.spelling(id));
            let unused = diagnostic(codes::UNUSED, name.span, message);
            found.push((index, unused.with_expected("a use of it, or its line taken away")));
        }
    }
    found
}

/// Texts without a NUL given to a call that reads up to one.
fn texts(sources: &Sources, program: &Program<'_>, emitted: &Emitted) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    let stores = LazyCell::new(|| stores(program, emitted));
    let mut known: FxHashMap<(UnitIndex, SymbolId), Option<&Statement>> = FxHashMap::default();
    for source in &emitted.origins {
        let Some(call) = call_of(program, *source).filter(|call| TEXT_CALLS.contains(call)) else { continue };
        let Some(label) = given_address(program, *source) else { continue };
        // The program itself may put the NUL there.
        let open = known.entry((source.unit, label)).or_insert_with(|| {
            open_text(program, source.unit, label).filter(|_| !writes_within(program, &stores, label, source.unit))
        });
        let Some(text) = *open else { continue };
        let name = program.units[source.unit].spelling(label);
        let span = statement(program, *source).span;
        let message = format!("`{call}` prints up to a NUL, and the text at `{name}` has none");
        let message = if call == "put_text" { message } else { message.replace("prints", "reads") };
        // It may run on into one that ends.
        let runs_on = runs_on_into_a_text(program, source.unit, label);
        let info = if runs_on { codes::RUNS_ON } else { codes::NO_NUL };
        let mut diagnostic = diagnostic(info, span, message).with_other(text.span, "the text");
        let start = Span { end: text.span.start + 6, ..text.span };
        let is_plain = text.unfolded.is_none() && sources.text_of(start).eq_ignore_ascii_case(".ascii");
        if is_plain {
            // What stands behind it moves by that.
            diagnostic = diagnostic.with_guess("write `.asciz`, which puts a NUL behind it", start, ".asciz");
        }
        found.push((source.unit, diagnostic.with_expected(".asciz \"text\"")));
    }
    found
}

/// The label whose address a call is given first, when an instruction in the same run of lines says so.
fn given_address(program: &Program<'_>, call: Source) -> Option<SymbolId> {
    let unit = program.units[call.unit];
    let last = before(program, call).take(NEAR).find(|statement| match &statement.what {
        What::Instruction(instruction) => {
            instruction.a == 0 || matches!(instruction.short.op, Op::Call | Op::Jump(_) | Op::Sys)
        }
        What::Rv32(instruction) => instruction.sets(wendax_isa::rv32::A0) || instruction.goes_elsewhere(),
        _ => true,
    })?;
    let instruction = match &last.what {
        What::Instruction(instruction) => instruction,
        What::Rv32(instruction) => return unit.sole_symbol(instruction.address()?),
        _ => return None,
    };
    let is_move = instruction.short.names.contains(&"mov") && instruction.short.operands.contains(&OperandKind::Small);
    unit.sole_symbol(instruction.value.filter(|_| is_move && instruction.a == 0)?)
}

/// The last statement of a text at a label that has no NUL up to the next label.
fn open_text<'a>(program: &Program<'a>, unit: UnitIndex, label: SymbolId) -> Option<&'a Statement> {
    let (index, label) = program.meaning(unit, label);
    let unit = program.units[index];
    let Definition::Label { section, statement } = unit.name(label).definition else { return None };
    let end = *unit.ends.get(label.0 as usize)? as usize;
    let statements = unit.section(section).statements.get(statement as usize..end)?;
    let is_open = |statement: &Statement| match statement.what {
        What::Bytes { from, to } => !unit.bytes[from as usize..to as usize].contains(&0),
        _ => false,
    };
    let last = statements.last()?;
    statements.iter().all(is_open).then_some(last)
}

/// What lies behind the text at a label is more text, which ends with a NUL: a shared tail, or a NUL forgotten.
fn runs_on_into_a_text(program: &Program<'_>, unit: UnitIndex, label: SymbolId) -> bool {
    let (index, label) = program.meaning(unit, label);
    let unit = program.units[index];
    let Definition::Label { section, .. } = unit.name(label).definition else { return false };
    let Some(end) = unit.ends.get(label.0 as usize) else { return false };
    let behind = unit.section(section).statements.get(*end as usize..).unwrap_or_default();
    let bytes = behind.iter().map_while(|statement| match statement.what {
        What::Bytes { from, to } => Some(&unit.bytes[from as usize..to as usize]),
        _ => None,
    });
    let bytes: Vec<u8> = bytes.take(64).flatten().copied().take_while(|byte| *byte != 0).collect();
    let has_end = behind.iter().map_while(|statement| match statement.what {
        What::Bytes { from, to } => Some(&unit.bytes[from as usize..to as usize]),
        _ => None,
    });
    !bytes.is_empty() && has_end.take(64).flatten().any(|byte| *byte == 0)
}

/// Some instruction stores at an address within the text at a label or right behind it.
fn writes_within(program: &Program<'_>, stores: &[i64], label: SymbolId, unit: UnitIndex) -> bool {
    let (index, label) = program.meaning(unit, label);
    let of = program.units[index];
    let Definition::Label { section, statement } = of.name(label).definition else { return false };
    let placed = &program.placed[index][section.0 as usize];
    let end = of.ends.get(label.0 as usize).copied().unwrap_or(statement) as usize;
    let (Some(from), Some(to)) = (placed.get(statement as usize), placed.get(end)) else { return false };
    let first = stores.partition_point(|&at| at < from.at.offset);
    stores.get(first).is_some_and(|&at| at <= to.at.offset)
}

/// The addresses that instructions store at by a label or number alone, in order.
fn stores(program: &Program<'_>, emitted: &Emitted) -> Vec<i64> {
    let store = |source: &Source| {
        let address = match &statement(program, *source).what {
            What::Instruction(instruction) => {
                let stores =
                    matches!(instruction.short.op, Op::Stb | Op::Stw) && instruction.b == wendax_isa::w16::NO_BASE;
                instruction.value.filter(|_| stores)?
            }
            What::Rv32(instruction) => instruction.stored_at()?,
            _ => return None,
        };
        program.evaluate(source.unit, address, Value::number(0)).ok()?.as_number()
    };
    let mut stores: Vec<i64> = emitted.origins.iter().filter_map(store).collect();
    stores.sort_unstable();
    stores
}

/// Words that cannot be loaded where they lie.
fn odd_words(sources: &Sources, program: &Program<'_>, emitted: &Emitted) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    let mut last: Option<(UnitIndex, SectionId, u32)> = None;
    for (line, source) in emitted.image.lines.iter().zip(&emitted.origins) {
        let statement = statement(program, *source);
        let width = match statement.what {
            What::Values { width, .. } if width <= program.syntax().word() => width,
            _ => 1,
        };
        if line.address.is_multiple_of(width) {
            continue;
        }
        // Of words that follow each other the first is told.
        let follows = last == Some((source.unit, source.section, source.statement.wrapping_sub(1)));
        last = Some((source.unit, source.section, source.statement));
        if follows {
            continue;
        }
        let (load, align) = program.syntax().whole(width);
        let place = program.syntax().target().marked_address(line.address);
        let message = if width == 2 {
            format!("these words lie at the odd address {place}, where `{load}` cannot load them")
        } else {
            format!("these words lie at {place}, which is no multiple of {width}, where `{load}` cannot load them")
        };
        let mut diagnostic =
            diagnostic(codes::ODD_WORD, line.span, message).with_expected(format!("`{align}` before them"));
        if statement.unfolded.is_none() {
            let start = sources.file(line.span.file).line_start(line.line);
            let span = Span { start, end: start, ..line.span };
            let edits = vec![Edit { span, text: format!("        {align}\n") }];
            diagnostic = diagnostic.with_change(Grade::Guess, format!("put `{align}` before the line"), edits);
        }
        found.push((source.unit, diagnostic));
    }
    found
}
