//! What builds, but looks wrong: code that runs into data or past its end, code nothing reaches, a return
//! nobody called for, texts without their end, names nobody uses.

use crate::codes;
use crate::emit::{Emitted, Source, is_instruction};
use crate::expr::{Expr, Step, SymbolId, Value};
use crate::link::{Program, UnitIndex};
use crate::problems::diagnostic;
use crate::unit::{Definition, Instruction, SectionId, SectionKind, Statement, Unit, What};
use wendax_image::{Image, Line, LineKind};
use wendax_isa::Addr;
use wendax_isa::w16::{CALLS, Cond, Op, OperandKind, call_by_name};
use wendax_source::{Diagnostic, Edit, Grade, Sources, Span};

/// Calls that take the address of a text with a NUL in `r0`.
const TEXT_CALLS: [&str; 2] = ["put_text", "file_open"];

/// So many unused names are told; nobody reads more hints at once.
const MOST_UNUSED: usize = 500;

pub(crate) fn check(sources: &Sources, program: &mut Program<'_>, emitted: &Emitted) {
    // A line with a problem leaves a gap; what follows from the gap is no cause of its own.
    if !program.is_sound() {
        return;
    }
    let mut found: Vec<(UnitIndex, Diagnostic)> = Vec::new();
    let flow = Flow::of(program, emitted);
    found.extend(falls_through(program, emitted, &flow));
    found.extend(unreached(program, emitted, &flow));
    found.extend(returns(program, emitted, &flow));
    found.extend(unused_names(program, &emitted.image, &flow));
    found.extend(texts(sources, program, emitted));
    found.extend(odd_words(sources, program, emitted));
    let code = |unit: &&Unit| unit.sections.iter().any(|s| s.kind == SectionKind::Code && !s.statements.is_empty());
    if !program.units.iter().any(code) {
        let file = program.units.first().map_or(wendax_source::FileId(0), |unit| unit.file);
        let message = "there is no instruction to run yet";
        let none = diagnostic(codes::NO_CODE, Span::new(file, 0, 0), message);
        if !program.units.is_empty() {
            found.push((0, none.with_expected("start:  sys exit")));
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

/// How control can go through the lines of an image.
struct Flow {
    /// Lines reached at all.
    reached: Vec<bool>,
    /// Lines reached from the entry without a call in between.
    own: Vec<bool>,
}

impl Flow {
    fn of(program: &Program<'_>, emitted: &Emitted) -> Self {
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
fn follow(program: &Program<'_>, emitted: &Emitted, from: Vec<usize>, seen: &mut [bool], calls: &mut Vec<usize>) {
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
        if !ends_flow(program, source.unit, what) {
            left.extend(next_line(lines, index));
        }
    }
}

/// The line right behind a line, if the next byte is one's.
fn next_line(lines: &[Line], index: usize) -> Option<usize> {
    let end = lines[index].address + lines[index].length;
    lines.get(index + 1).filter(|next| next.address == end).map(|_| index + 1)
}

/// Where an instruction jumps, and whether it is a call.
fn jump(what: &What) -> Option<(Expr, bool)> {
    let What::Instruction(instruction) = what else { return None };
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
            if let What::Instruction(Instruction { value: Some(value), .. }) = statement.what
                && jump(&statement.what).is_none()
            {
                take(value);
            }
        }
        roots.extend(unit.globals().filter_map(|id| code_label(program, index, id)));
    }
    roots
}

/// The address of a name that is a label of code.
fn code_label(program: &Program<'_>, unit: UnitIndex, id: SymbolId) -> Option<Addr> {
    let (unit, id) = program.meaning(unit, id);
    let Definition::Label { section, .. } = program.units[unit].name(id).definition else { return None };
    let is_code = program.units[unit].section(section).kind == SectionKind::Code;
    let value = program.value_of(unit, id).filter(|_| is_code)?;
    Addr::try_from(value.as_number()?).ok()
}

/// Instructions after which the next address is run, where the next address holds no instruction.
fn falls_through(program: &Program<'_>, emitted: &Emitted, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let lines = &emitted.image.lines;
    let mut found = Vec::new();
    for (index, line) in lines.iter().enumerate().filter(|(index, _)| flow.reached[*index]) {
        let source = emitted.origins[index];
        let what = &statement(program, source).what;
        if line.kind != LineKind::Code || !is_instruction(what) || ends_flow(program, source.unit, what) {
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
        found.push((source.unit, diagnostic.with_expected("sys exit, halt, ret or jmp as the last instruction")));
    }
    found
}

fn ends_flow(program: &Program<'_>, unit: UnitIndex, what: &What) -> bool {
    match what {
        What::Instruction(instruction) => match instruction.short.op {
            Op::Ret | Op::Reti | Op::Halt | Op::JmpReg | Op::Jump(Cond::Always) => true,
            Op::Sys => call_of(program, unit, instruction) == call_by_name("exit").map(|call| call.name),
            _ => false,
        },
        What::Words(_) | What::Object { .. } | What::Align { .. } => false,
        // What runs into data is told there; code behind it is not a second matter.
        What::Values { .. } | What::Bytes { .. } | What::Space { .. } | What::Org(_) => false,
    }
}

/// The name of the system call an instruction makes.
fn call_of(program: &Program<'_>, unit: UnitIndex, instruction: &Instruction) -> Option<&'static str> {
    let value = instruction.value.filter(|_| instruction.short.op == Op::Sys)?;
    let number = program.evaluate(unit, value, Value::number(0)).ok()?.as_number()?;
    CALLS.iter().find(|call| i64::from(call.number) == number).map(|call| call.name)
}

/// The first instruction of each run of code that nothing reaches.
fn unreached(program: &Program<'_>, emitted: &Emitted, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
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

/// Returns that the entry runs into.
fn returns(program: &Program<'_>, emitted: &Emitted, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let entry = emitted.image.line_at(emitted.image.entry).map(|line| line.span);
    let of = |index: usize| &statement(program, emitted.origins[index]).what;
    // A program that pushes addresses itself knows what it returns to.
    let pushes = |index: &usize| match of(*index) {
        What::Instruction(instruction) => instruction.short.op == Op::Push,
        What::Words(_) => true,
        _ => false,
    };
    let own: Vec<usize> = (0..flow.own.len()).filter(|index| flow.own[*index]).collect();
    if own.iter().any(pushes) {
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

fn unused_names(program: &Program<'_>, image: &Image, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    for (index, unit) in program.units.iter().enumerate() {
        let entry = unit.entry.and_then(|(expr, _)| unit.sole_symbol(expr));
        for (id, name) in unit.symbols() {
            // What an included file offers need not all be used.
            let elsewhere = name.span.file != unit.file;
            if found.len() >= MOST_UNUSED {
                return found;
            }
            if name.used.is_some() || name.global.is_some() || elsewhere || entry == Some(id) {
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
            let message = format!("the {what} `{}` is never used", unit.spelling(id));
            found.push((index, diagnostic(codes::UNUSED, name.span, message)));
        }
    }
    found
}

/// Texts without a NUL given to a call that reads up to one.
fn texts(sources: &Sources, program: &Program<'_>, emitted: &Emitted) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    for source in &emitted.origins {
        let What::Instruction(instruction) = &statement(program, *source).what else { continue };
        let Some(call) = call_of(program, source.unit, instruction).filter(|call| TEXT_CALLS.contains(call)) else {
            continue;
        };
        let Some(label) = given_address(program, *source) else { continue };
        let Some(text) = open_text(program, source.unit, label) else { continue };
        let name = program.units[source.unit].spelling(label);
        let span = statement(program, *source).span;
        let message = format!("`{call}` prints up to a NUL, and the text at `{name}` has none");
        let message = if call == "put_text" { message } else { message.replace("prints", "reads") };
        let mut diagnostic = diagnostic(codes::NO_NUL, span, message).with_other(text.span, "the text");
        let start = Span { end: text.span.start + 6, ..text.span };
        let is_plain = text.unfolded.is_none() && sources.text_of(start).eq_ignore_ascii_case(".ascii");
        if is_plain {
            diagnostic = diagnostic.with_fix("write `.asciz`, which puts a NUL behind it", start, ".asciz");
        }
        found.push((source.unit, diagnostic.with_expected(".asciz \"text\"")));
    }
    found
}

/// The label that `r0` holds at a call, when a `mov` in the same run of lines says so.
fn given_address(program: &Program<'_>, call: Source) -> Option<SymbolId> {
    const FAR: usize = 8;
    let unit = program.units[call.unit];
    let statements = &unit.section(call.section).statements[..call.statement as usize];
    let last = statements.iter().rev().take(FAR).find(|statement| match &statement.what {
        What::Instruction(instruction) => {
            instruction.a == 0 || matches!(instruction.short.op, Op::Call | Op::Jump(_) | Op::Sys)
        }
        _ => true,
    })?;
    let What::Instruction(instruction) = &last.what else { return None };
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

/// Words that cannot be loaded where they lie.
fn odd_words(sources: &Sources, program: &Program<'_>, emitted: &Emitted) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    let mut last: Option<(UnitIndex, SectionId, u32)> = None;
    for (line, source) in emitted.image.lines.iter().zip(&emitted.origins) {
        let statement = statement(program, *source);
        let is_odd = matches!(statement.what, What::Values { width: 2, .. }) && !line.address.is_multiple_of(2);
        if !is_odd {
            continue;
        }
        // Of words that follow each other the first is told.
        let follows = last == Some((source.unit, source.section, source.statement.wrapping_sub(1)));
        last = Some((source.unit, source.section, source.statement));
        if follows {
            continue;
        }
        let message = format!("these words lie at the odd address {:04X}, where `ldw` cannot load them", line.address);
        let mut diagnostic = diagnostic(codes::ODD_WORD, line.span, message).with_expected("`.align 2` before them");
        if statement.unfolded.is_none() {
            let start = sources.file(line.span.file).line_start(line.line);
            let span = Span { start, end: start, ..line.span };
            let edits = vec![Edit { span, text: "        .align 2\n".to_owned() }];
            diagnostic = diagnostic.with_change(Grade::Guess, "put `.align 2` before the line", edits);
        }
        found.push((source.unit, diagnostic));
    }
    found
}
