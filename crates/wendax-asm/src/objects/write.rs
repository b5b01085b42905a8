//! One unit to an ELF object: sections whose place is not known, with what linking has to put in.

use crate::codes;
use crate::emit::claims;
use crate::encode::Encoder;
use crate::expr::{Base, Scope, Value};
use crate::link::Program;
use crate::problems::diagnostic;
use crate::syntax::Syntax;
use crate::unit::{Definition, PatchKind, SectionId, SectionKind, What};
use object::elf;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
use wendax_image::LineKind;
use wendax_image::elf::{Contents, Home, Rela, Section, Symbol};
use wendax_image::elf::{PLACED, Row, sections};
use wendax_source::Sources;

/// A program that is one unit, laid out as an object; what is wrong is reported to the program.
pub(crate) fn object(sources: &Sources, program: &mut Program<'_>) -> Vec<u8> {
    let mut writer = Writer {
        contents: Contents { kind: elf::ET_REL, ..Contents::new(program.syntax().target()) },
        open: FxHashMap::default(),
        placed: BTreeMap::new(),
        rows: Vec::new(),
        pending: Vec::new(),
    };
    let mut problems = Vec::new();
    for section in 0..program.units[0].sections.len() {
        let id = SectionId(u32::try_from(section).unwrap_or(u32::MAX));
        let mut encoder = Encoder::new(sources, program, 0);
        writer.section(&mut encoder, id);
        problems.extend(encoder.problems.list().iter().cloned());
    }
    for problem in problems {
        program.report(0, problem);
    }
    claims(program);
    writer.finish(sources, program)
}

/// A relocation before its symbol has a number.
struct Pending {
    section: usize,
    at: u32,
    kind: PatchKind,
    value: Value,
}

struct Writer {
    contents: Contents,
    /// The section of the file for what has no place yet, by the section of the unit.
    open: FxHashMap<SectionId, usize>,
    /// Those for what has its place, by the section of the unit and where they begin.
    placed: BTreeMap<(SectionId, u32), usize>,
    /// Rows with the section they are in; the symbol comes later.
    rows: Vec<(usize, Row)>,
    pending: Vec<Pending>,
}

impl Writer {
    /// A section of the unit: one of the file for what has no place yet, and one for each stretch that `.org` gave one.
    fn section(&mut self, encoder: &mut Encoder<'_, '_>, id: SectionId) {
        let program = encoder.program;
        let section = program.units[0].section(id);
        let placed = &program.placed[0][id.0 as usize];
        // A name stands somewhere even when no byte does.
        for value in labels(program, id).filter(|value| value.base != Base::ZERO) {
            self.at(program, id, value);
        }
        for (index, statement) in section.statements.iter().enumerate() {
            let place = placed[index];
            let lengthened = program.lengthened[0][id.0 as usize][index];
            let kind = encoder.statement(section.kind, statement, lengthened, place);
            if encoder.bytes.is_empty() {
                continue;
            }
            let at = self.at(program, id, place.at);
            let out = &mut self.contents.sections[at];
            let offset = u32::try_from(place.at.offset).unwrap_or(0).saturating_sub(out.address);
            let filled = length(out);
            if filled > offset {
                let found = diagnostic(codes::OVERLAP, statement.span, "what stands before it in the section is here");
                encoder.problems.push(found.with_expected("an `.org` with an address that is free"));
                return;
            }
            match &mut out.room {
                Some(room) => *room += u32::try_from(encoder.bytes.len()).unwrap_or(0),
                None => out.bytes.extend_from_slice(&encoder.bytes),
            }
            let pending = encoder.relocations.iter().map(|relocation| Pending {
                section: at,
                at: offset + relocation.at,
                kind: relocation.kind,
                value: relocation.value,
            });
            self.pending.extend(pending);
            let length = u32::try_from(encoder.bytes.len()).unwrap_or(0);
            let (file, line, is_code) = (statement.span.file, statement.line, kind == LineKind::Code);
            self.rows.push((at, Row { symbol: None, address: offset, length, file, line, is_code }));
        }
        for value in labels(program, id) {
            self.at(program, id, value);
        }
        // An alignment asks for one of the whole section, also where it took no bytes.
        for (statement, place) in section.statements.iter().zip(placed) {
            if let What::Align { to, .. } = statement.what
                && place.at.base != Base::ZERO
                && let Some(to) = program.evaluate(0, to, Value::number(0)).ok().and_then(Value::as_number)
            {
                let at = self.at(program, id, place.at);
                let out = &mut self.contents.sections[at];
                out.align = out.align.max(u32::try_from(to.clamp(1, 0x8000)).unwrap_or(1));
            }
        }
    }

    /// The section of the file that a place is in or right behind; a new one when there is none.
    fn at(&mut self, program: &Program<'_>, id: SectionId, value: Value) -> usize {
        if let Some(known) = self.home(id, value) {
            return known;
        }
        let section = program.units[0].section(id);
        let flags = match section.kind {
            SectionKind::Code => elf::SHF_ALLOC | elf::SHF_EXECINSTR,
            SectionKind::Constants => elf::SHF_ALLOC,
            SectionKind::Data | SectionKind::Zeroed => elf::SHF_ALLOC | elf::SHF_WRITE,
        };
        let number = self.contents.sections.len();
        let (flags, address) = if value.base == Base::ZERO {
            let address = u32::try_from(value.offset).unwrap_or(0);
            self.placed.insert((id, address), number);
            (flags | PLACED, address)
        } else {
            self.open.insert(id, number);
            (flags, 0)
        };
        let name = file_name(&section.name, program.syntax());
        let room = (section.kind == SectionKind::Zeroed).then_some(0);
        self.contents.sections.push(Section {
            name,
            flags,
            address,
            align: program.syntax().target().code_align,
            room,
            ..Section::default()
        });
        number
    }

    fn home(&self, id: SectionId, value: Value) -> Option<usize> {
        if value.base != Base::ZERO {
            return self.open.get(&id).copied();
        }
        let offset = u32::try_from(value.offset).unwrap_or(0);
        let (_, &number) = self.placed.range((id, 0)..=(id, offset)).next_back()?;
        let section = &self.contents.sections[number];
        (offset <= section.address + length(section)).then_some(number)
    }

    fn finish(mut self, sources: &Sources, program: &mut Program<'_>) -> Vec<u8> {
        // Sections with room cannot have relocations, and every section has a symbol of its own.
        let count = u32::try_from(self.contents.sections.len()).unwrap_or(0);
        let mut symbols: Vec<Symbol> = (0..self.contents.sections.len())
            .map(|section| Symbol {
                name: String::new(),
                home: Home::Section(section),
                value: 0,
                size: 0,
                is_global: false,
                kind: elf::STT_SECTION,
            })
            .collect();
        let mut named = self.named(program);
        named.sort_by_key(|(_, symbol)| symbol.is_global);
        let mut foreign: FxHashMap<Base, u32> = FxHashMap::default();
        for (number, (base, symbol)) in (count + 1..).zip(named) {
            if symbol.home == Home::Foreign {
                foreign.insert(base, number);
            }
            symbols.push(symbol);
        }
        for pending in std::mem::take(&mut self.pending) {
            let target = match foreign.get(&pending.value.base) {
                Some(number) => Some((*number, pending.value.offset)),
                None => self.section_symbol(pending.value),
            };
            let Some((symbol, addend)) = target else { continue };
            let Some(kind) = pending.kind.number(program.syntax()) else { continue };
            let rela = Rela { at: pending.at, symbol, kind, addend };
            self.contents.sections[pending.section].relocations.push(rela);
        }
        self.contents.symbols = symbols;
        let symbol_of = |section: usize| u32::try_from(section + 1).unwrap_or(u32::MAX);
        let rows: Vec<Row> =
            self.rows.iter().map(|(section, row)| Row { symbol: Some(symbol_of(*section)), ..*row }).collect();
        self.contents.sections.extend(sections(sources, &rows, program.syntax().target()));
        self.contents.to_bytes()
    }

    /// The symbol of the section a base stands for, and what comes to it.
    fn section_symbol(&self, value: Value) -> Option<(u32, i64)> {
        let section = SectionId(value.base.0.checked_sub(1)?);
        let at = *self.open.get(&section)?;
        Some((u32::try_from(at + 1).ok()?, value.offset))
    }

    /// The names of the unit as symbols, foreign ones with their base.
    fn named(&self, program: &Program<'_>) -> Vec<(Base, Symbol)> {
        let unit = program.units[0];
        let mut all = Vec::new();
        // Labels that are numbers stand again and again, and nobody outside can name them.
        for (id, name) in unit.symbols().filter(|(_, name)| !matches!(name.owner, Scope::Numbered)) {
            let spelling = unit.spelling(id).to_owned();
            let is_global = name.global.is_some();
            let Some(value) = program.value_of(0, id) else { continue };
            let local = |home, value, kind| Symbol { name: spelling.clone(), home, value, size: 0, is_global, kind };
            let symbol = match name.definition {
                Definition::Extern if name.used.is_none() => continue,
                Definition::Extern => Symbol { is_global: true, ..local(Home::Foreign, 0, elf::STT_NOTYPE) },
                Definition::Constant(_) => match value.as_number() {
                    Some(number) => {
                        local(Home::Absolute, u32::try_from(number & 0xFFFF_FFFF).unwrap_or(0), elf::STT_NOTYPE)
                    }
                    None => continue,
                },
                Definition::Label { section, .. } => {
                    let Some(home) = self.home(section, value) else { continue };
                    let offset = u32::try_from(value.offset).unwrap_or(0) - self.contents.sections[home].address;
                    let is_code = unit.section(section).kind == SectionKind::Code;
                    local(Home::Section(home), offset, if is_code { elf::STT_FUNC } else { elf::STT_OBJECT })
                }
            };
            all.push((value.base, symbol));
        }
        all
    }
}

/// What a section is called in files: as general tools know it where the machine's sources do.
fn file_name(name: &str, syntax: Syntax) -> String {
    let name = if syntax == Syntax::Rv32 && name == "code" { "text" } else { name };
    format!(".{name}")
}

/// Where the names of a section stand.
fn labels<'p>(program: &'p Program<'_>, id: SectionId) -> impl Iterator<Item = Value> + 'p {
    let placed = &program.placed[0][id.0 as usize];
    program.units[0].symbols().filter_map(move |(_, name)| match name.definition {
        Definition::Label { section, statement } if section == id => Some(placed.get(statement as usize)?.at),
        _ => None,
    })
}

/// In bytes.
fn length(section: &Section) -> u32 {
    u32::try_from(section.bytes.len()).unwrap_or(u32::MAX) + section.room.unwrap_or(0)
}
