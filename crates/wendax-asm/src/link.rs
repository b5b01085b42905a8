//! Units to one program: which name means which, and what of the libraries is needed.
//!
//! A [`Program`] borrows its units, which stay as they were parsed; everything that linking finds out is kept
//! beside them. It also stands for a single unit whose places are not known, when an object file is
//! written: its sections and foreign names are bases then.

use crate::codes;
use crate::expr::{Base, EvalError, Expr, Names, Step, SymbolId, Value, evaluate};
use crate::parser::{MOST_NEAR, SEARCHED};
use crate::problems::{Problems, diagnostic};
use crate::syntax::Syntax;
use crate::unit::{Definition, SectionId, SectionKind, Statement, Unit, What};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeMap;
use std::sync::OnceLock;
use wendax_source::{Diagnostic, Edit, Grade, Sources, Span, nearest};

/// A unit of a program, by its number.
pub(crate) type UnitIndex = usize;

/// Sections of one name, in the order they follow each other in memory.
#[derive(Debug)]
pub(crate) struct Merged {
    pub(crate) kind: SectionKind,
    pub(crate) parts: Vec<(UnitIndex, SectionId)>,
}

/// Address and size of a statement, in bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Placed {
    pub(crate) at: Value,
    pub(crate) size: i64,
}

#[derive(Debug)]
pub(crate) struct Program<'a> {
    pub(crate) units: Vec<&'a Unit>,
    /// What names that `.extern` names stand for.
    foreign: Vec<FxHashMap<SymbolId, (UnitIndex, SymbolId)>>,
    /// Values of names, once layout knows them.
    pub(crate) values: Vec<Vec<Option<Value>>>,
    /// Which statements took their long form, by section.
    pub(crate) lengthened: Vec<Vec<Vec<bool>>>,
    pub(crate) placed: Vec<Vec<Vec<Placed>>>,
    pub(crate) sections: Vec<Merged>,
    /// One past the last byte of any section in its ordinary place.
    pub(crate) end: i64,
    /// Its places are not known: an object file is being written.
    pub(crate) is_object: bool,
    /// What was found, by unit.
    pub(crate) problems: Vec<Problems>,
    /// Where each unit has a name, made when one is looked for that another unit may keep to itself.
    spelled: OnceLock<FxHashMap<&'a str, Vec<(UnitIndex, usize)>>>,
}

/// Names as one unit sees them.
pub(crate) struct View<'p, 'a> {
    pub(crate) program: &'p Program<'a>,
    pub(crate) unit: UnitIndex,
}

impl Names for View<'_, '_> {
    fn value(&self, symbol: SymbolId) -> Option<Value> {
        self.program.value_of(self.unit, symbol)
    }

    fn size(&self, symbol: SymbolId) -> Option<i64> {
        self.program.size_of(self.unit, symbol)
    }
}

/// See [`Program::place`].
pub(crate) fn place_of(
    placed: &[Vec<Vec<Placed>>],
    unit: UnitIndex,
    section: SectionId,
    statement: u32,
) -> Option<Value> {
    placed.get(unit)?.get(section.0 as usize)?.get(statement as usize).map(|placed| placed.at)
}

impl<'a> Program<'a> {
    /// A program of these units and what they need of the libraries. Of one that `is_partial`, names that are
    /// missing are not told.
    pub(crate) fn link(sources: &Sources, units: &[&'a Unit], libraries: &[&'a Unit], is_partial: bool) -> Self {
        let units = with_needed(units, libraries);
        let mut program = Self::of(units, false);
        let globals = program.globals(sources);
        program.resolve(sources, &globals, is_partial);
        program.explain_unknown(sources, &globals);
        program
    }

    /// One unit by itself, of which an object file is to be made.
    pub(crate) fn object(unit: &'a Unit) -> Self {
        Self::of(vec![unit], true)
    }

    fn of(units: Vec<&'a Unit>, is_object: bool) -> Self {
        let lengthened = |unit: &&Unit| {
            unit.sections.iter().map(|section| vec![false; section.statements.len()]).collect::<Vec<_>>()
        };
        Self {
            foreign: vec![FxHashMap::default(); units.len()],
            values: units.iter().map(|unit| unit.fixed.clone()).collect(),
            lengthened: units.iter().map(lengthened).collect(),
            placed: Vec::new(),
            sections: merged(&units),
            end: 0,
            is_object,
            problems: units.iter().map(|unit| unit.problems.clone()).collect(),
            spelled: OnceLock::new(),
            units,
        }
    }

    pub(crate) fn report(&mut self, unit: UnitIndex, found: Diagnostic) {
        self.problems[unit].push(found);
    }

    /// What a name of a unit stands for: itself, or a name of another unit.
    pub(crate) fn meaning(&self, unit: UnitIndex, symbol: SymbolId) -> (UnitIndex, SymbolId) {
        self.foreign[unit].get(&symbol).copied().unwrap_or((unit, symbol))
    }

    pub(crate) fn value_of(&self, unit: UnitIndex, symbol: SymbolId) -> Option<Value> {
        let (unit, symbol) = self.meaning(unit, symbol);
        self.values[unit][symbol.0 as usize]
    }

    /// The machine it is for.
    pub(crate) fn syntax(&self) -> Syntax {
        self.units.first().map_or(Syntax::default(), |unit| unit.syntax)
    }

    fn size_of(&self, unit: UnitIndex, symbol: SymbolId) -> Option<i64> {
        let (unit, symbol) = self.meaning(unit, symbol);
        let Definition::Label { section, statement } = self.units[unit].name(symbol).definition else { return None };
        let statements = &self.units[unit].section(section).statements;
        let mut end = self.units[unit].ends.get(symbol.0 as usize).copied().unwrap_or(statement) as usize;
        // Room made only to stand at an even place does not belong to the label before it.
        let is_gap = |statement: &Statement| matches!(statement.what, What::Align { .. } | What::Org(_));
        while end > statement as usize && statements.get(end - 1).is_some_and(is_gap) {
            end -= 1;
        }
        let placed = self.placed.get(unit)?.get(section.0 as usize)?;
        let first = placed.get(statement as usize)?;
        let Some(last) = end.checked_sub(1).filter(|last| *last >= statement as usize) else { return Some(0) };
        let last = placed.get(last)?;
        (first.at.base == last.at.base).then_some(last.at.offset + last.size - first.at.offset)
    }

    /// Where a statement of a section begins, or the section ends; `None` while nothing was placed.
    pub(crate) fn place(&self, unit: UnitIndex, section: SectionId, statement: u32) -> Option<Value> {
        place_of(&self.placed, unit, section, statement)
    }

    pub(crate) fn evaluate(&self, unit: UnitIndex, expr: Expr, here: Value) -> Result<Value, EvalError> {
        evaluate(self.units[unit].steps(expr), &View { program: self, unit }, here)
    }

    /// An expression is made of names that are worth something else where things lie elsewhere.
    pub(crate) fn hangs_on_names(&self, unit: UnitIndex, expr: Expr) -> bool {
        self.units[unit].steps(expr).iter().any(|step| match *step {
            Step::Symbol(id) => {
                let (unit, id) = self.meaning(unit, id);
                self.units[unit].fixed[id.0 as usize].is_none()
            }
            Step::SizeOf(_) | Step::SizeOfName(..) | Step::Name(..) => true,
            Step::Number(_) | Step::Unknown | Step::Here | Step::Unary(_) | Step::Binary(..) => false,
        })
    }

    /// The base that places of a section count from.
    pub(crate) fn base_of(&self, section: SectionId) -> Base {
        if self.is_object { Base(section.0 + 1) } else { Base::ZERO }
    }

    /// The base of a foreign name in an object: behind those of the sections.
    pub(crate) fn foreign_base(&self, symbol: SymbolId) -> Base {
        let sections = self.units.first().map_or(0, |unit| unit.sections.len());
        Base(u32::try_from(sections).unwrap_or(0) + 1 + symbol.0)
    }

    /// All names known to other units, with where they are; doubled ones are reported.
    fn globals(&mut self, sources: &Sources) -> BTreeMap<&'a str, (UnitIndex, SymbolId)> {
        let mut globals: BTreeMap<&str, (UnitIndex, SymbolId)> = BTreeMap::new();
        for index in 0..self.units.len() {
            let unit = self.units[index];
            for (id, name) in unit.symbols().filter(|(_, name)| name.global.is_some()) {
                let spelling = unit.spelling(id);
                let Some(&(other, first)) = globals.get(spelling) else {
                    globals.insert(spelling, (index, id));
                    continue;
                };
                let first = self.units[other].name(first).span;
                let file = sources.file(first.file).name();
                let message = format!("`{spelling}` is made known here and by {file} as well");
                let found = diagnostic(codes::TWICE, name.span, message).with_label("defined here");
                let found = found.with_other(first, "and here");
                self.report(index, found.with_expected("one `.global`, or two names"));
            }
        }
        globals
    }

    fn resolve(&mut self, sources: &Sources, globals: &BTreeMap<&'a str, (UnitIndex, SymbolId)>, is_partial: bool) {
        for index in 0..self.units.len() {
            let unit = self.units[index];
            for (id, name) in unit.symbols().filter(|(_, name)| matches!(name.definition, Definition::Extern)) {
                if let Some(found) = globals.get(unit.spelling(id)) {
                    self.foreign[index].insert(id, *found);
                } else if is_partial {
                } else if let Some((_, told)) = unit.trusted.iter().find(|(trusted, _)| *trusted == id) {
                    let found = self.untrusted(sources, index, told);
                    self.report(index, found);
                } else if let Some(used) = name.used {
                    let found = self.unresolved(sources, globals, (index, id), used);
                    self.report(index, found);
                }
            }
        }
    }

    /// A name that is defined nowhere here and taken to be another file's, which has none: what was to be told then, or
    /// that another file keeps it to itself.
    fn untrusted(&self, sources: &Sources, unit: UnitIndex, told: &Diagnostic) -> Diagnostic {
        let span = told.primary.span;
        let name = text_of(self.units[unit], sources, span);
        let Some((hidden, file)) = self.hidden(sources, unit, name) else { return told.clone() };
        let (edit, title) = self.global_edit(sources, hidden, name);
        let found = diagnostic(codes::OTHER_FILE, span, format!("`{name}` is defined in another file"));
        found.with_other(hidden, format!("{file} defines it, but keeps it to itself")).with_change(
            Grade::Guess,
            title,
            vec![edit],
        )
    }

    /// A name said to be in another file, which it is not.
    fn unresolved(
        &self,
        sources: &Sources,
        globals: &BTreeMap<&str, (UnitIndex, SymbolId)>,
        (unit, symbol): (UnitIndex, SymbolId),
        used: Span,
    ) -> Diagnostic {
        let name = self.units[unit].spelling(symbol);
        let place = self.units[unit].name(symbol).span;
        let found = diagnostic(codes::UNRESOLVED, place, format!("no file of the program makes `{name}` known"));
        let found = found.with_other(used, "used here");
        if let Some((hidden, file)) = self.hidden(sources, unit, name) {
            let (edit, title) = self.global_edit(sources, hidden, name);
            let found = found.with_other(hidden, format!("{file} defines it, but keeps it to itself"));
            return found.with_change(Grade::Guess, title, vec![edit]);
        }
        // An object cannot be mended.
        let is_text = !sources.file(place.file).is_stand_in();
        let is_looked_for = is_text && self.problems[unit].list().len() < SEARCHED;
        let near = if is_looked_for { nearest(name, globals.keys().copied().take(MOST_NEAR)) } else { None };
        if let Some(near) = near {
            return found.with_guess(format!("did you mean `{near}`?"), place, near);
        }
        found.with_expected(format!("`.global {name}` in the file that defines it, among the sources or libraries"))
    }

    /// A name another unit defines without making it known, and the file that does.
    fn hidden(&self, sources: &Sources, except: UnitIndex, name: &str) -> Option<(Span, String)> {
        let spelled = self.spelled.get_or_init(|| {
            let mut spelled: FxHashMap<&str, Vec<(UnitIndex, usize)>> = FxHashMap::default();
            for (index, unit) in self.units.iter().enumerate() {
                for (at, name) in unit.spellings.iter().enumerate() {
                    let places = spelled.entry(name.as_str()).or_default();
                    // Of a unit the first.
                    if places.last().is_none_or(|last| last.0 != index) {
                        places.push((index, at));
                    }
                }
            }
            spelled
        });
        let mut places = spelled.get(name)?.iter().filter(|(index, _)| *index != except);
        places.find_map(|&(index, at)| {
            let unit = self.units[index];
            let known = &unit.names[at];
            let here = !matches!(known.definition, Definition::Extern) && known.span.file != unit.expansions.file;
            here.then(|| (known.span, sources.file(known.span.file).name().to_owned()))
        })
    }

    /// `.global name` above the line that defines it.
    fn global_edit(&self, sources: &Sources, place: Span, name: &str) -> (Edit, String) {
        let file = sources.file(place.file);
        let start = file.line_start(file.line_of(place.start));
        let edit = Edit { span: Span { start, end: start, ..place }, text: format!("        .global {name}\n") };
        (edit, format!("make `{name}` known in {}", file.name()))
    }

    /// Names that are defined nowhere in their file, but in another one.
    fn explain_unknown(&mut self, sources: &Sources, globals: &BTreeMap<&'a str, (UnitIndex, SymbolId)>) {
        for index in 0..self.units.len() {
            let unit = self.units[index];
            let mut told: Vec<&str> = Vec::new();
            for &span in &unit.unknown {
                let name = text_of(unit, sources, span);
                let known = globals.get(name).map(|&(unit, id)| self.units[unit].name(id).span);
                let Some((place, is_global)) = known
                    .map(|place| (place, true))
                    .or_else(|| self.hidden(sources, index, name).map(|(place, _)| (place, false)))
                else {
                    continue;
                };
                let message = format!("`{name}` is defined in another file");
                let mut found = diagnostic(codes::OTHER_FILE, span, message).with_other(place, "here");
                if told.contains(&name) {
                    found = found.with_expected(format!(".extern {name}"));
                } else {
                    told.push(name);
                    let mut edits = vec![extern_edit(sources, unit, name)];
                    if !is_global {
                        edits.push(self.global_edit(sources, place, name).0);
                    }
                    let more = if is_global { "" } else { " and `.global` there" };
                    // Another file is changed by its own maker only.
                    let grade = if is_global { Grade::Certain } else { Grade::Guess };
                    found = found.with_change(grade, format!("write `.extern {name}`{more}"), edits);
                }
                self.problems[index].replace(span, found);
            }
        }
    }

    /// Nothing was found in any unit.
    pub(crate) fn is_sound(&self) -> bool {
        self.problems.iter().all(Problems::is_sound)
    }
}

/// What a span of a unit covers, in its own texts or in what it unfolded to.
pub(crate) fn text_of<'t>(unit: &'t Unit, sources: &'t Sources, span: Span) -> &'t str {
    if span.file == unit.expansions.file {
        return unit.expansions.text.get(span.range()).unwrap_or_default();
    }
    sources.text_of(span)
}

/// `.extern name` before the first line of a file that is more than a comment.
fn extern_edit(sources: &Sources, unit: &Unit, name: &str) -> Edit {
    let text = sources.file(unit.file).text();
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let content = line.trim_start_matches('\u{feff}').trim();
        if !content.is_empty() && !content.starts_with(';') {
            break;
        }
        at += line.len();
    }
    Edit { span: Span::new(unit.file, at, at), text: format!("        .extern {name}\n") }
}

/// The units, and those of the libraries that define what is missing, and what these miss in turn.
fn with_needed<'a>(units: &[&'a Unit], libraries: &[&'a Unit]) -> Vec<&'a Unit> {
    let mut all = units.to_vec();
    if libraries.is_empty() {
        return all;
    }
    let mut offered: FxHashMap<&str, usize> = FxHashMap::default();
    for (index, unit) in libraries.iter().enumerate() {
        for id in unit.globals() {
            // The first library that has a name gives it.
            offered.entry(unit.spelling(id)).or_insert(index);
        }
    }
    let mut known: FxHashSet<&str> = FxHashSet::default();
    for unit in &all {
        known.extend(unit.globals().map(|id| unit.spelling(id)));
    }
    let mut taken = vec![false; libraries.len()];
    let mut at = 0;
    while let Some(unit) = all.get(at).copied() {
        at += 1;
        let wanted = unit.symbols().filter(|(_, name)| matches!(name.definition, Definition::Extern));
        for (id, _) in wanted.filter(|(_, name)| name.used.is_some()) {
            let name = unit.spelling(id);
            let Some(&member) = offered.get(name).filter(|_| !known.contains(name)) else { continue };
            if !std::mem::replace(&mut taken[member], true) {
                let unit = libraries[member];
                known.extend(unit.globals().map(|id| unit.spelling(id)));
                all.push(unit);
            }
        }
    }
    all
}

/// Sections of one name and kind together: code first, then data, then zeroed; in each kind by first appearance.
fn merged(units: &[&Unit]) -> Vec<Merged> {
    let mut sections: Vec<Merged> = Vec::new();
    let mut known: FxHashMap<(&str, SectionKind), usize> = FxHashMap::default();
    for (index, unit) in units.iter().enumerate() {
        for (id, section) in unit.section_list() {
            let at = *known.entry((&section.name, section.kind)).or_insert(sections.len());
            if at == sections.len() {
                sections.push(Merged { kind: section.kind, parts: Vec::new() });
            }
            sections[at].parts.push((index, id));
        }
    }
    sections.sort_by_key(|section| section.kind);
    sections
}
