//! A program to an image: bytes, line map and names.

use crate::both::both;
use crate::codes;
use crate::encode::Encoder;
use crate::expr::{Expr, Scope, Step, Value};
use crate::link::Placed;
use crate::link::{Program, UnitIndex};
use crate::problems::{diagnostic, unplaced, without_value};
use crate::unit::{Definition, SectionId, SectionKind, Statement, What};
use rustc_hash::FxHashSet;
use wendax_image::{Image, Line, LineKind, Rights, Segment, Symbol, SymbolKind};
use wendax_isa::Addr;
use wendax_isa::Target;
use wendax_source::{Diagnostic, Sources, Span};

/// Which statement a line of the image is: unit, section, number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Source {
    pub(crate) unit: UnitIndex,
    pub(crate) section: SectionId,
    pub(crate) statement: u32,
}

/// An image, and which statement each of its lines is.
pub(crate) struct Emitted {
    pub(crate) image: Image,
    pub(crate) origins: Vec<Source>,
}

pub(crate) fn emit(sources: &Sources, program: &mut Program<'_>, wanted_entry: Option<&str>) -> Emitted {
    let parts: Vec<(UnitIndex, SectionId)> =
        program.sections.iter().flat_map(|section| section.parts.iter().copied()).collect();
    let count = |(unit, section): &(UnitIndex, SectionId)| program.units[*unit].section(*section).statements.len();
    let all: usize = parts.iter().map(count).sum();
    // The names of a program take about as long as a third of its statements.
    let mut sum = 0;
    let at = parts.iter().position(|part| {
        sum += count(part);
        sum > all / 3 * 2
    });
    let (first, second) = parts.split_at(at.unwrap_or(parts.len()));
    let (mut first, (second, symbols)) = both(
        all,
        || Emitter::of(sources, program, first),
        || (Emitter::of(sources, program, second), symbols(program)),
    );
    first.append(second);
    let Emitter { lines, origins, segments, found } = first.sorted();
    let mut image = Image::new(program.syntax().target());
    (image.lines, image.segments, image.symbols) = (lines, segments, symbols);
    let mut emitted = Emitted { image, origins };
    for (unit, problem) in found {
        program.report(unit, problem);
    }
    overlaps(&mut emitted, program);
    limits(&emitted, program);
    entry(&mut emitted, program, wanted_entry);
    claims(program);
    let target = program.syntax().target();
    let end = program.end.clamp(0, i64::from(target.map.stack_start.0));
    emitted.image.heap_start = Addr::try_from(end).unwrap_or_default().next_multiple_of(heap_align(target));
    emitted
}

/// What some parts of a program become.
#[derive(Default)]
struct Emitter {
    lines: Vec<Line>,
    origins: Vec<Source>,
    segments: Vec<Segment>,
    found: Vec<(UnitIndex, Diagnostic)>,
}

impl Emitter {
    fn of(sources: &Sources, program: &Program<'_>, parts: &[(UnitIndex, SectionId)]) -> Self {
        let mut emitter = Self::default();
        for &(unit, section) in parts {
            let mut encoder = Encoder::new(sources, program, unit);
            emitter.section(&mut encoder, section);
            emitter.found.extend(encoder.problems.list().iter().map(|problem| (unit, problem.clone())));
        }
        emitter
    }

    fn section(&mut self, encoder: &mut Encoder<'_, '_>, id: SectionId) {
        let program = encoder.program;
        let unit = encoder.unit;
        let section = program.units[unit].section(id);
        let lengthened = &program.lengthened[unit][id.0 as usize];
        let placed = &program.placed[unit][id.0 as usize];
        self.lines.reserve(section.statements.len());
        self.origins.reserve(section.statements.len());
        for (number, statement) in (0u32..).zip(&section.statements) {
            let place = placed[number as usize];
            if place.at.offset + place.size > program.syntax().top() {
                let found = diagnostic(
                    codes::NO_ROOM,
                    statement.span,
                    "from here on the program lies behind the end of memory",
                );
                encoder.problems.push(found.with_expected(below_top(program.syntax().target())));
                return;
            }
            let kind = encoder.statement(section.kind, statement, lengthened[number as usize], place);
            let origin = Source { unit, section: id, statement: number };
            self.statement(section.kind, statement, place, kind, &encoder.bytes, origin);
        }
    }

    fn statement(
        &mut self,
        section: SectionKind,
        statement: &Statement,
        place: Placed,
        kind: LineKind,
        bytes: &[u8],
        origin: Source,
    ) {
        let (Ok(address), Ok(length)) = (Addr::try_from(place.at.offset), u32::try_from(bytes.len())) else { return };
        if length == 0 {
            return;
        }
        let Statement { span, line, unfolded, .. } = *statement;
        self.lines.push(Line { address, length, kind, span, line, unfolded });
        self.origins.push(origin);
        let rights = match section {
            SectionKind::Code => Rights::CODE,
            SectionKind::Constants => Rights::CONSTANTS,
            SectionKind::Data | SectionKind::Zeroed => Rights::DATA,
        };
        let reserved = kind == LineKind::Reserved;
        if let Some(open) = self.followed_by(address, reserved, rights) {
            open.bytes.extend_from_slice(bytes);
        } else {
            self.segments.push(Segment { start: address, bytes: bytes.to_vec(), reserved, rights });
        }
    }

    /// The last segment, when bytes at an address go on with it.
    fn followed_by(&mut self, address: Addr, reserved: bool, rights: Rights) -> Option<&mut Segment> {
        let last = self.segments.last_mut()?;
        (last.end() == address && last.reserved == reserved && last.rights == rights).then_some(last)
    }

    /// Takes what parts behind these become.
    fn append(&mut self, behind: Self) {
        self.lines.extend(behind.lines);
        self.origins.extend(behind.origins);
        self.found.extend(behind.found);
        let mut segments = behind.segments.into_iter();
        if let Some(first) = segments.next() {
            match self.followed_by(first.start, first.reserved, first.rights) {
                Some(open) => open.bytes.extend(first.bytes),
                None => self.segments.push(first),
            }
        }
        self.segments.extend(segments);
    }

    /// Everything in order of address.
    fn sorted(mut self) -> Self {
        self.segments.sort_by_key(|segment| segment.start);
        if !self.lines.is_sorted_by_key(|line| line.address) {
            let mut both: Vec<(Line, Source)> = self.lines.into_iter().zip(self.origins).collect();
            both.sort_by_key(|(line, _)| line.address);
            (self.lines, self.origins) = both.into_iter().unzip();
        }
        self
    }
}

fn line_at(image: &Image, address: Addr) -> Option<usize> {
    image.lines.iter().position(|line| line.address <= address && address < line.address + line.length)
}

fn overlaps(emitted: &mut Emitted, program: &mut Program<'_>) {
    let mut end: (Addr, Option<Span>) = (Addr(0), None);
    for (line, origin) in emitted.image.lines.iter().zip(&emitted.origins) {
        if line.address < end.0 {
            let found = diagnostic(
                codes::OVERLAP,
                line.span,
                format!("address {} is taken already", emitted.image.target.hex_address(line.address)),
            );
            let found = match end.1 {
                Some(other) => found.with_label("this").with_other(other, "by this"),
                None => found,
            };
            program.report(origin.unit, found.with_expected("an `.org` with an address that is free"));
            break;
        }
        end = (line.address + line.length, Some(line.span));
    }
}

/// Where code and data may lie at most.
fn below_top(target: &Target) -> String {
    format!("code and data below {}", target.hex_address(target.map.stack_start))
}

/// The heap begins at a multiple of a word, or of what compilers align to.
fn heap_align(target: &Target) -> u32 {
    if target.word_bits > 16 { 16 } else { 2 }
}

/// Nothing may lie in the stack or among the device registers.
fn limits(emitted: &Emitted, program: &mut Program<'_>) {
    let image = &emitted.image;
    let target = image.target;
    let map = target.map;
    // Where the last area ends there may be no address any more.
    let last = Addr(target.address_mask());
    let areas = [
        (map.stack_start, map.stack_end, "the stack, which begins"),
        (map.devices_start, last, "the device registers, which begin"),
    ];
    for (start, end, name) in areas {
        let Some(segment) = image.segments.iter().find(|s| s.start < end && s.end() > start) else { continue };
        let first = segment.start.max(start);
        let Some(at) = line_at(image, first) else { continue };
        let over = segment.end().min(end).0 - first.0;
        let bytes = if over == 1 { "byte" } else { "bytes" };
        let message = format!("this reaches {over} {bytes} into {name} at {}", target.hex_address(start));
        let found = diagnostic(codes::NO_ROOM, image.lines[at].span, message);
        program.report(emitted.origins[at].unit, found.with_expected(below_top(target)));
    }
}

fn symbols(program: &Program<'_>) -> Vec<Symbol> {
    let mut symbols = Vec::with_capacity(program.units.iter().map(|unit| unit.names.len()).sum());
    // What several units include is told once.
    let mut told: FxHashSet<Span> = FxHashSet::default();
    for (index, unit) in program.units.iter().enumerate() {
        for (id, name) in unit.symbols() {
            let kind = match name.definition {
                Definition::Constant(_) => SymbolKind::Constant,
                Definition::Label { section, .. } if unit.section(section).kind == SectionKind::Code => {
                    SymbolKind::Code
                }
                Definition::Label { .. } => SymbolKind::Data,
                Definition::Extern => continue,
            };
            let Some(value) = program.values[index][id.0 as usize].and_then(Value::as_number) else { continue };
            // The names of an object's sections are nobody's, and numbered labels are no names.
            if name.owner == Scope::Numbered {
                continue;
            }
            let span = unit.expansions.origin(name.span).map_or(name.span, |led| led.span);
            let is_global = name.global.is_some();
            if span.file != unit.file && kind == SymbolKind::Constant && !told.insert(span) {
                continue;
            }
            symbols.push(Symbol { name: unit.spelling(id).to_owned(), value, kind, span, is_global, bytes: 0 });
        }
    }
    symbols
}

/// The entry: what is asked for, else what `.entry` says, else the label `start`, else the first instruction
/// of the first text.
fn entry(emitted: &mut Emitted, program: &mut Program<'_>, wanted: Option<&str>) {
    let code = emitted.image.lines.iter().zip(&emitted.origins).filter(|(line, _)| line.kind == LineKind::Code);
    let first = code.min_by_key(|(line, origin)| (origin.unit, line.span.start)).map(|(line, _)| line.address);
    let image = &mut emitted.image;
    let named = |name| image.best_symbol(name).filter(|symbol| symbol.kind == SymbolKind::Code);
    let start = program.syntax().entries().iter().find_map(|name| named(name));
    image.entry = match (start, first) {
        (Some(symbol), _) => symbol.address().unwrap_or_default(),
        (None, Some(address)) => address,
        // Code written as numbers is code all the same.
        (None, None) => image.segments.iter().find(|s| s.rights.execute).map_or(Addr(0), |segment| segment.start),
    };
    if let Some(address) = wanted.and_then(|wanted| begins(image, wanted)) {
        image.entry = address;
        return;
    }
    let mut known: Option<Span> = None;
    for index in 0..program.units.len() {
        let Some((expr, span)) = program.units[index].entry else { continue };
        if let Some(first) = known {
            let found = diagnostic(codes::TWICE, span.to(expr.span), "the entry is named by two files");
            let found = found.with_label("here").with_other(first, "and here");
            program.report(index, found.with_expected("one `.entry` in the whole program"));
            return;
        }
        known = Some(span);
        let value = program.evaluate(index, expr, Value::number(0)).ok().and_then(Value::as_number);
        let Some(value) = value else { continue };
        let address = Addr::try_from(value).ok();
        if let Some(address) = address.filter(|&at| is_code(image, at)) {
            image.entry = address;
        } else {
            let place = address.map_or_else(|| value.to_string(), |address| image.target.hex_address(address));
            let message = format!("there is no instruction at {place}");
            let found = diagnostic(codes::BAD_ENTRY, span.to(expr.span), message);
            program.report(index, found.with_expected(".entry label, with a label in `.code`"));
        }
    }
}

/// Where a program begins that is to begin at a name; `None` when there is no instruction.
pub(crate) fn begins(image: &Image, name: &str) -> Option<Addr> {
    let label = image.best_symbol(name).filter(|symbol| symbol.kind == SymbolKind::Code)?;
    label.address().filter(|&at| is_code(image, at))
}

/// An instruction lies at an address.
fn is_code(image: &Image, at: Addr) -> bool {
    image.line_at(at).is_some_and(|line| line.kind == LineKind::Code)
}

/// What the constants and sizes in an expression are, in words; the first few of them.
fn values_in(program: &Program<'_>, unit: usize, expr: Expr) -> String {
    const SHOWN: usize = 3;
    let mut words: Vec<String> = Vec::new();
    for step in program.units[unit].steps(expr) {
        let Step::Symbol(id) = step else { continue };
        let Some(value) = program.value_of(unit, *id) else { continue };
        let (of, meant) = program.meaning(unit, *id);
        let is_label = matches!(program.units[of].name(meant).definition, Definition::Label { .. });
        let address = Addr::try_from(value.offset).ok().filter(|_| is_label);
        let target = program.syntax().target();
        let value = address.map_or_else(|| value.offset.to_string(), |address| target.hex_address(address));
        let words_of_it = format!("`{}` is {value}", program.units[unit].spelling(*id));
        if !words.contains(&words_of_it) && words.len() < SHOWN {
            words.push(words_of_it);
        }
    }
    words.join(", ")
}

/// What `.assert` claims. One that cannot be looked at is a problem too: nobody would know that it was not.
pub(crate) fn claims(program: &mut Program<'_>) {
    for index in 0..program.units.len() {
        let unit = program.units[index];
        for claim in &unit.claims {
            let here = program.place(index, claim.section, claim.statement);
            let value = program.evaluate(index, claim.expr, here.unwrap_or(Value::number(0)));
            let found = match value.map(Value::as_number) {
                Ok(Some(0)) => {
                    let text = claim.text.clone().unwrap_or_else(|| "what is asserted here does not hold".to_owned());
                    let found = diagnostic(codes::OWN_ASSERT, claim.expr.span, text);
                    Some(found.with_label(values_in(program, index, claim.expr)))
                }
                Ok(Some(_)) => None,
                Ok(None) => Some(unplaced(claim.expr.span)),
                Err(error) => without_value(error, claim.expr.span),
            };
            if let Some(found) = found {
                program.report(index, found);
            }
        }
    }
}

/// Whether a statement is one that runs.
pub(crate) fn is_instruction(what: &What) -> bool {
    matches!(what, What::Instruction(_) | What::Rv32(_) | What::Words(_))
}
