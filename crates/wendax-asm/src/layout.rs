//! Where everything goes, and the shortest form of each instruction.
//!
//! All instructions begin in their shortest encoding. Each pass gives addresses, then lengthens what does
//! not fit, so this ends. What was lengthened on the way and need not be in the end is tried short once more. Only `.space`, `.align` and `.org` that depend
//! on labels could go on changing; they get [`PASSES`] and are then a problem.

use crate::codes;
use crate::expr::{Base, EvalError, Expr, SymbolId, Value};
use crate::link::{Placed, Program, UnitIndex, place_of};
use crate::problems::{diagnostic, without_value};
use crate::rv32;
use crate::syntax::Syntax;
use crate::unit::{Definition, Instruction, SectionId, SectionKind, What};
use rustc_hash::FxHashMap;
use std::cell::Cell;
use std::ops::Range;
use wendax_isa::w16::{OperandKind, encode};
use wendax_source::Span;

/// Passes in which things move though nothing is lengthened. Most texts settle in three or four passes.
const PASSES: u32 = 60;
/// Passes in all: a chain of jumps of which each is lengthened by the one before takes one for each. Then everything that
/// is not settled is lengthened.
const MOST_PASSES: u32 = 2000;
/// Gives every statement its address and every name its value.
pub(crate) fn lay_out(program: &mut Program<'_>) {
    let constants = fixed_constants(program);
    let mut idle = 0;
    let mut before = Vec::new();
    for pass in 0..MOST_PASSES {
        let places = place(program);
        // Where no size hangs on a name, places are what they would be in the next pass.
        let moved = places.hang_on_names && places.placed != program.placed;
        let hang_on_names = places.hang_on_names;
        before = std::mem::replace(&mut program.placed, places.placed);
        program.end = places.end;
        set_labels(program);
        set_constants(program, &constants);
        let lengthened = lengthen(program, pass + 8 > MOST_PASSES);
        if !moved && !lengthened {
            shorten(program, &constants);
            report_constants(program, &constants);
            if hang_on_names {
                report_own_sizes(program, &constants);
            }
            return;
        }
        // Lengthening ends by itself; what moves without it may go on for ever.
        idle = if lengthened { 0 } else { idle + 1 };
        if idle == PASSES {
            break;
        }
    }
    report_unsettled(program, &before);
}

/// An instruction: unit, section, statement.
type Place = (UnitIndex, usize, usize);

/// Takes the short form of what was lengthened on the way, where the layout that comes of it holds.
fn shorten(program: &mut Program<'_>, constants: &[Constant]) {
    /// Tried one by one when they do not hold together.
    const MOST_ALONE: usize = 48;
    const ROUNDS: usize = 4;
    for _ in 0..ROUNDS {
        let long = needlessly_long(program);
        if long.is_empty() || holds_short(program, constants, &long) {
            continue;
        }
        let mut any = false;
        for place in long.iter().take(MOST_ALONE) {
            any |= holds_short(program, constants, &[*place]);
        }
        if !any {
            return;
        }
    }
}

/// What is long and would fit short where everything lies now.
fn needlessly_long(program: &Program<'_>) -> Vec<Place> {
    let mut found = Vec::new();
    for (index, unit) in program.units.iter().enumerate() {
        for (number, section) in unit.sections.iter().enumerate() {
            let flags = &program.lengthened[index][number];
            for (at, statement) in section.statements.iter().enumerate().filter(|(at, _)| flags[*at]) {
                if short_fits(program, index, &statement.what, program.placed[index][number][at].at) {
                    found.push((index, number, at));
                }
            }
        }
    }
    found
}

/// Takes the short form of these; all is as it was when the layout does not hold with them.
fn holds_short(program: &mut Program<'_>, constants: &[Constant], short: &[Place]) -> bool {
    const PASSES: usize = 12;
    let saved = (program.lengthened.clone(), program.placed.clone(), program.values.clone(), program.end);
    for &(unit, section, at) in short {
        program.lengthened[unit][section][at] = false;
    }
    for _ in 0..PASSES {
        let Places { placed, end, .. } = place(program);
        let moved = placed != program.placed;
        (program.placed, program.end) = (placed, end);
        set_labels(program);
        set_constants(program, constants);
        if moved {
            continue;
        }
        // What does not fit now would have to be long after all.
        let flags = program.lengthened.clone();
        let any = lengthen(program, false);
        program.lengthened = flags;
        if any {
            break;
        }
        return true;
    }
    (program.lengthened, program.placed, program.values, program.end) = saved;
    false
}

/// Tells of room whose size is another one when what stands behind it lies elsewhere: it would depend on itself, and only
/// happens to agree with itself.
fn report_own_sizes(program: &mut Program<'_>, constants: &[Constant]) {
    /// So many are looked at: each costs a look at all labels.
    const MOST: usize = 64;
    let align = i64::from(program.syntax().target().code_align);
    let mut sized: Vec<(UnitIndex, SectionId, usize, Expr, Span)> = Vec::new();
    for (index, unit) in program.units.iter().enumerate() {
        for (number, section) in (0..).map(SectionId).zip(&unit.sections) {
            for (at, statement) in section.statements.iter().enumerate() {
                let (What::Space { count, .. } | What::Org(count)) = statement.what else { continue };
                let names = unit.steps(count).iter().any(|step| matches!(step, crate::expr::Step::Symbol(_)));
                if names && sized.len() < MOST {
                    sized.push((index, number, at, count, statement.span));
                }
            }
        }
    }
    for (index, number, at, count, span) in sized {
        let here = program.placed[index][number.0 as usize][at].at;
        let Ok(now) = program.evaluate(index, count, here) else { continue };
        let saved = program.values.clone();
        // What the next `.org` places is not moved by this.
        let statements = &program.units[index].sections[number.0 as usize].statements;
        let placed = statements.iter().skip(at + 1).position(|other| matches!(other.what, What::Org(_)));
        let until = placed.map_or(usize::MAX, |more| at + 1 + more);
        for (value, name) in program.values[index].iter_mut().zip(&program.units[index].names) {
            let is_behind = matches!(name.definition, Definition::Label { section, statement }
                if section == number && (at + 1..=until).contains(&(statement as usize)));
            if let Some(value) = value.as_mut().filter(|_| is_behind) {
                value.offset += align;
            }
        }
        set_constants(program, constants);
        let then = program.evaluate(index, count, here);
        program.values = saved;
        if then != Ok(now) {
            let found = diagnostic(
                codes::UNSETTLED,
                span,
                "this size or place depends on what comes behind it, which it moves",
            );
            program.report(index, found.with_expected("numbers, constants, and labels that stand before it"));
        }
    }
}

type Constant = (UnitIndex, SymbolId);

/// Gives constants that depend on no label their value; returns the others.
fn fixed_constants(program: &mut Program<'_>) -> Vec<Constant> {
    let mut all: Vec<Constant> = Vec::new();
    for (index, unit) in program.units.iter().enumerate() {
        let constants = unit.symbols().filter(|(id, name)| {
            matches!(name.definition, Definition::Constant(_)) && unit.fixed[id.0 as usize].is_none()
        });
        all.extend(constants.map(|(id, _)| (index, id)));
    }
    if program.is_object {
        let foreign = program.units[0].symbols().filter(|(_, name)| matches!(name.definition, Definition::Extern));
        for (id, _) in foreign.collect::<Vec<_>>() {
            program.values[0][id.0 as usize] = Some(Value::address(program.foreign_base(id), 0));
        }
    }
    set_constants(program, &all);
    all.into_iter().filter(|&(unit, id)| program.values[unit][id.0 as usize].is_none()).collect()
}

/// Evaluates constants until no more of them get a value. Goes over them in both directions, so that
/// chains of any length resolve at once however they are ordered.
fn set_constants(program: &mut Program<'_>, constants: &[Constant]) {
    const ROUNDS: usize = 40;
    for &(unit, id) in constants {
        program.values[unit][id.0 as usize] = None;
    }
    let mut left: Vec<Constant> = constants.to_vec();
    for _ in 0..ROUNDS {
        let before = left.len();
        left.retain(|&constant| {
            let value = constant_value(program, constant).ok();
            program.values[constant.0][constant.1.0 as usize] = value;
            value.is_none()
        });
        if left.is_empty() || left.len() == before {
            return;
        }
        left.reverse();
    }
}

fn constant_value(program: &Program<'_>, (unit, id): Constant) -> Result<Value, EvalError> {
    match program.units[unit].name(id).definition {
        Definition::Constant(expr) => {
            let here = match program.units[unit].stands.get(&id) {
                Some(&(section, statement)) => program.place(unit, section, statement).ok_or(EvalError::Reported)?,
                None => Value::number(0),
            };
            program.evaluate(unit, expr, here)
        }
        Definition::Label { .. } | Definition::Extern => Err(EvalError::Reported),
    }
}

/// Tells why constants have no value: something in them is wrong, or they depend on themselves. Those that only depend
/// on such ones have no cause of their own.
fn report_constants(program: &mut Program<'_>, constants: &[Constant]) {
    let open = |program: &Program<'_>, (unit, id): Constant| program.values[unit][id.0 as usize].is_none();
    let mut looks: FxHashMap<Constant, Look> = FxHashMap::default();
    for &constant in constants {
        if !open(program, constant) || looks.contains_key(&constant) {
            continue;
        }
        // The way from one constant to those it is made of, and which of them comes next.
        let mut way: Vec<(Constant, Vec<Constant>)> = vec![(constant, needed(program, constant))];
        looks.insert(constant, Look::OnTheWay);
        while let Some((present, needs)) = way.last_mut() {
            let present = *present;
            let Some(next) = needs.pop() else {
                looks.insert(present, Look::Done);
                way.pop();
                continue;
            };
            match looks.get(&next) {
                Some(Look::Done) => {}
                Some(Look::OnTheWay) => {
                    let circle = way.iter().map(|(constant, _)| *constant).skip_while(|known| *known != next);
                    // The others of the circle have the same cause.
                    let mut circle: Vec<Constant> = circle.collect();
                    let first = (0..circle.len()).min_by_key(|&at| (circle[at].0, circle[at].1.0));
                    circle.rotate_left(first.unwrap_or(0));
                    report_circle(program, &circle);
                }
                None if open(program, next) => {
                    looks.insert(next, Look::OnTheWay);
                    let needs = needed(program, next);
                    way.push((next, needs));
                }
                None => {}
            }
        }
    }
    for &(unit, id) in constants {
        let Definition::Constant(expr) = program.units[unit].name(id).definition else { continue };
        if program.values[unit][id.0 as usize].is_none()
            && let Err(error) = constant_value(program, (unit, id))
            && let Some(found) = without_value(error, expr.span)
        {
            program.report(unit, found);
        }
    }
}

/// How far the search for circles is with a constant.
#[derive(Clone, Copy)]
enum Look {
    OnTheWay,
    Done,
}

/// Constants each of which is made of the next, and the last of the first.
fn report_circle(program: &mut Program<'_>, circle: &[Constant]) {
    /// So many of a long way round are shown.
    const SHOWN: usize = 4;
    let Some(&(unit, first)) = circle.first() else { return };
    let name = |(unit, id): Constant| (program.units[unit].name(id).span, program.units[unit].spelling(id));
    let found = diagnostic(codes::SELF_DEFINED, name((unit, first)).0, "this constant depends on itself");
    let mut found = found.with_expected("a value made of numbers, labels and constants that have one");
    for (at, &constant) in circle.iter().enumerate().skip(1).take(SHOWN) {
        let next = circle.get(at + 1).unwrap_or(&circle[0]);
        found = found.with_other(name(constant).0, format!("by way of this, which is made of `{}`", name(*next).1));
    }
    program.report(unit, found);
}

/// The constants a constant is made of.
fn needed(program: &Program<'_>, (unit, id): Constant) -> Vec<Constant> {
    use crate::expr::Step;
    let Definition::Constant(expr) = program.units[unit].name(id).definition else { return Vec::new() };
    let steps = program.units[unit].steps(expr).iter();
    let symbols =
        steps.filter_map(|step| if let Step::Symbol(id) = step { Some(program.meaning(unit, *id)) } else { None });
    symbols.filter(|&(unit, id)| matches!(program.units[unit].name(id).definition, Definition::Constant(_))).collect()
}

/// Where everything lies.
struct Places {
    placed: Vec<Vec<Vec<Placed>>>,
    /// One past the last byte in its ordinary place.
    end: i64,
    /// Some size or place is made of names that are no fixed constants, and is worth what these were before.
    hang_on_names: bool,
}

/// One pass of addresses, with the encodings as they are. Expressions are worth what they were in the pass
/// before.
fn place(program: &Program<'_>) -> Places {
    let mut all: Vec<Vec<Vec<Placed>>> =
        program.units.iter().map(|unit| vec![Vec::new(); unit.sections.len()]).collect();
    let map = program.syntax().target().map;
    let align = i64::from(program.syntax().target().code_align);
    let even = |address: i64| (address + align - 1) / align * align;
    let mut end = i64::from(map.code_start.0);
    let mut hang_on_names = false;
    let mut kind = SectionKind::Code;
    for merged in &program.sections {
        let is_page = kind == SectionKind::Code || align > 2;
        // What no byte stands in takes no page.
        let is_empty = merged.parts.iter().all(|&(unit, part)| program.units[unit].section(part).statements.is_empty());
        if merged.kind != kind && is_page && !is_empty {
            end = next_page(end, i64::from(map.page));
        }
        if !is_empty || align == 2 {
            kind = merged.kind;
        }
        // What `.org` puts elsewhere in a part does not take those behind it along.
        let mut next = end;
        let mut elsewhere: Vec<Range<i64>> = Vec::new();
        for &(unit, section) in &merged.parts {
            let base = program.base_of(section);
            let mut start = if base == Base::ZERO { even(next) } else { 0 };
            let part = loop {
                let part = place_section(program, (unit, section), Value::address(base, start));
                let in_the_way = elsewhere.iter().find(|taken| taken.start < part.flow && start < taken.end);
                match in_the_way {
                    Some(taken) => start = even(taken.end),
                    None => break part,
                }
            };
            all[unit][section.0 as usize] = part.placed;
            next = part.flow;
            elsewhere.extend(part.elsewhere);
            end = end.max(part.end);
            hang_on_names |= part.hangs_on_names;
        }
    }
    Places { placed: all, end, hang_on_names }
}

/// The first address of the next page, or this one.
fn next_page(address: i64, page: i64) -> i64 {
    (address + page - 1) / page * page
}

/// A file's part of a section.
struct Part {
    placed: Vec<Placed>,
    /// The end of what follows its beginning without an `.org` between.
    flow: i64,
    /// What stands behind each `.org`.
    elsewhere: Vec<Range<i64>>,
    /// The end of all of it that lies below the stack, which is where the next section follows.
    end: i64,
    /// See [`Places`].
    hangs_on_names: bool,
}

/// The section's statements one after the other from `start`.
fn place_section(program: &Program<'_>, (unit, section): (UnitIndex, SectionId), start: Value) -> Part {
    let statements = &program.units[unit].section(section).statements;
    let lengthened = &program.lengthened[unit][section.0 as usize];
    // No single statement takes more; larger ones are reported where they are emitted.
    let largest = program.units[unit].syntax.top();
    let stack_start = i64::from(program.units[unit].syntax.target().map.stack_start.0);
    let mut at = start;
    let mut end = start.offset;
    let mut flow = None;
    let mut elsewhere = Vec::new();
    let mut piece = start.offset;
    let mut leave = |from: i64, to: i64| {
        if flow.is_none() {
            flow = Some(to);
        } else if from < to {
            elsewhere.push(from..to);
        }
    };
    let mut placed = Vec::with_capacity(statements.len() + 1);
    let hangs_on_names = Cell::new(false);
    let value = |expr: Expr, at: Value| {
        hangs_on_names.set(hangs_on_names.get() || program.hangs_on_names(unit, expr));
        program.evaluate(unit, expr, at).ok()
    };
    let number = |expr: Expr, at: Value| value(expr, at).and_then(Value::as_number);
    for (statement, lengthened) in statements.iter().zip(lengthened) {
        let size = match &statement.what {
            What::Instruction(instruction) => i64::from(2 * instruction.row(*lengthened).words()),
            What::Rv32(instruction) => rv32::size(instruction, *lengthened),
            What::Words(words) => 2 * i64::try_from(words.len()).unwrap_or(largest),
            What::Values { width, from, to } => i64::from(width * (to - from)),
            What::Bytes { from, to } | What::Object { bytes: (from, to), .. } => i64::from(to - from),
            What::Space { count, .. } => number(*count, at).unwrap_or(0).clamp(0, largest),
            What::Align { to, .. } => {
                // One out of range is told where it is emitted.
                let to =
                    number(*to, at).filter(|to| (1..=largest / 2).contains(to) && to.count_ones() == 1).unwrap_or(1);
                (to - at.offset.rem_euclid(to)) % to
            }
            What::Org(_) => 0,
        };
        // A label before `.org` keeps the place it stands at.
        placed.push(Placed { at, size });
        at.offset += size;
        if let What::Org(address) = statement.what
            && let Some(to) = value(address, at)
            // One out of range is told where it is emitted.
            && to.as_number().is_none_or(|to| (0..largest).contains(&to))
        {
            leave(piece, at.offset);
            at = Value { offset: to.offset.clamp(0, largest), ..to };
            piece = at.offset;
        }
        if size > 0 && at.offset <= stack_start {
            end = end.max(at.offset);
        }
    }
    // The place behind the last statement, for labels at the very end.
    placed.push(Placed { at, size: 0 });
    leave(piece, at.offset);
    Part { placed, flow: flow.unwrap_or(at.offset), elsewhere, end, hangs_on_names: hangs_on_names.get() }
}

fn set_labels(program: &mut Program<'_>) {
    for (index, unit) in program.units.iter().enumerate() {
        for (value, name) in program.values[index].iter_mut().zip(&unit.names) {
            if let Definition::Label { section, statement } = name.definition {
                *value = place_of(&program.placed, index, section, statement);
            }
        }
    }
}

/// Lengthens what its short form does not hold, or all that can be when `every`; tells if there was any.
fn lengthen(program: &mut Program<'_>, every: bool) -> bool {
    let mut lengthened = std::mem::take(&mut program.lengthened);
    let mut any = false;
    for (index, unit) in program.units.iter().enumerate() {
        for ((section, flags), placed) in unit.sections.iter().zip(&mut lengthened[index]).zip(&program.placed[index]) {
            for ((statement, flag), placed) in section.statements.iter().zip(flags).zip(placed) {
                if *flag || !has_long(&statement.what) {
                    continue;
                }
                if every || !short_fits(program, index, &statement.what, placed.at) {
                    *flag = true;
                    any = true;
                }
            }
        }
    }
    program.lengthened = lengthened;
    any
}

/// It can be lengthened.
fn has_long(what: &What) -> bool {
    match what {
        What::Instruction(instruction) => instruction.long.is_some(),
        What::Rv32(instruction) => instruction.form.ways.len() > 1,
        _ => false,
    }
}

/// The short form holds with what everything is now.
fn short_fits(program: &Program<'_>, unit: UnitIndex, what: &What, at: Value) -> bool {
    match what {
        What::Instruction(instruction) => w16_short_fits(program, unit, instruction, at),
        What::Rv32(instruction) => rv32::short_fits(program, unit, instruction, at),
        _ => false,
    }
}

fn w16_short_fits(program: &Program<'_>, unit: UnitIndex, instruction: &Instruction, address: Value) -> bool {
    let Some(expr) = instruction.value else { return true };
    // What has no value is reported when it is emitted, and takes the short form until then.
    let Ok(value) = program.evaluate(unit, expr, address) else { return true };
    let is_near = value.base == address.base && value.part == address.part;
    let is_number = value.base == Base::ZERO;
    let distance = value.offset - address.offset - 2;
    instruction.short.operands.iter().all(|kind| match kind {
        OperandKind::Small => is_number && (0..=15).contains(&value.offset),
        OperandKind::Base => is_number && value.offset == 0,
        OperandKind::Near8 => is_near && (-256..=254).contains(&distance),
        OperandKind::Near12 => is_near && (-4096..=4094).contains(&distance),
        OperandKind::Register | OperandKind::Flags | OperandKind::Constant => true,
        OperandKind::BaseOffset | OperandKind::Far | OperandKind::Call => true,
    })
}

/// Tells of the first size or address that is another one than in the pass before by its own doing.
fn report_unsettled(program: &mut Program<'_>, before: &[Vec<Vec<Placed>>]) {
    let mut changed: Option<(bool, UnitIndex, Span)> = None;
    for (unit, (now, then)) in program.placed.iter().zip(before).enumerate() {
        for ((section, now), then) in program.units[unit].sections.iter().zip(now).zip(then) {
            for (at, statement) in section.statements.iter().enumerate() {
                let goes_to = |placed: &[Placed]| placed.get(at + 1).map(|next| next.at);
                let size = |placed: &[Placed]| placed.get(at).map(|placed| placed.size);
                let is_other = match statement.what {
                    What::Space { .. } | What::Align { .. } => size(now) != size(then),
                    What::Org(_) => goes_to(now) != goes_to(then),
                    _ => false,
                };
                // An alignment only passes on that something before it has moved.
                let is_align = matches!(statement.what, What::Align { .. });
                if is_other && changed.is_none_or(|(known, ..)| known && !is_align) {
                    changed = Some((is_align, unit, statement.span));
                }
            }
        }
    }
    if let Some((_, unit, span)) = changed {
        let message = "a size or address here depends on what comes behind it, without end";
        let found = diagnostic(codes::UNSETTLED, span, message);
        program.report(unit, found.with_expected("numbers, constants, and labels that stand before it"));
    }
}

/// The words of `nop` that `.align` fills code with.
pub(crate) fn nop_bytes(syntax: Syntax) -> Vec<u8> {
    match syntax {
        Syntax::W16 => {
            let row = wendax_isa::w16::rows_named("nop").next().expect("the table has nop");
            encode(wendax_isa::w16::Insn::new(row, 0, 0, 0)).0.to_le_bytes().to_vec()
        }
        Syntax::Rv32 => {
            let nop = wendax_isa::rv32::Insn::new(wendax_isa::rv32::Op::Addi, (0, 0, 0), 0);
            wendax_isa::rv32::encode(nop).to_le_bytes().to_vec()
        }
    }
}
