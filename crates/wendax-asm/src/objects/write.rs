//! One unit to an ELF object: sections whose place is not known, with what linking has to put in.

use crate::encode::Encoder;
use crate::expr::{Base, Value};
use crate::link::Program;
use crate::unit::{Definition, PatchKind, SectionId, SectionKind, What};
use object::elf;
use rustc_hash::FxHashMap;
use wendax_image::LineKind;
use wendax_image::elf::{Contents, Home, Rela, Section, Symbol};
use wendax_image::elf::{Row, sections};
use wendax_source::Sources;

/// A program that is one unit, laid out as an object; what is wrong is reported to the program.
pub(crate) fn object(sources: &Sources, program: &mut Program<'_>) -> Vec<u8> {
    let mut writer = Writer {
        contents: Contents { kind: elf::ET_REL, ..Contents::default() },
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
    /// Rows with the section they are in; the symbol comes later.
    rows: Vec<(usize, Row)>,
    pending: Vec<Pending>,
}

impl Writer {
    /// A section, cut where `.org` leaves its ordinary place.
    fn section(&mut self, encoder: &mut Encoder<'_, '_>, id: SectionId) {
        let program = encoder.program;
        let section = program.units[0].section(id);
        let placed = &program.placed[0][id.0 as usize];
        let mut open: Option<(usize, Base, i64)> = None;
        for (index, statement) in section.statements.iter().enumerate() {
            let place = placed[index];
            let lengthened = program.lengthened[0][id.0 as usize][index];
            let kind = encoder.statement(section.kind, statement, lengthened, place);
            if encoder.bytes.is_empty() {
                continue;
            }
            let goes_on = open.filter(|&(_, base, end)| base == place.at.base && end == place.at.offset);
            let at = match goes_on {
                Some((at, ..)) => at,
                None => self.begin(&section.name, section.kind, place.at),
            };
            open = Some((at, place.at.base, place.at.offset + place.size));
            let start = self.contents.sections[at].address;
            let offset = u32::try_from(place.at.offset).unwrap_or(0) - start;
            let pending = encoder.relocations.iter().map(|relocation| Pending {
                section: at,
                at: offset + relocation.at,
                kind: relocation.kind,
                value: relocation.value,
            });
            self.pending.extend(pending);
            let out = &mut self.contents.sections[at];
            if let What::Align { .. } = statement.what {
                let to = u32::try_from(place.size + 1).unwrap_or(1).next_power_of_two();
                out.align = out.align.max(to);
            }
            if section.kind == SectionKind::Zeroed {
                out.room += u32::try_from(encoder.bytes.len()).unwrap_or(0);
            } else {
                out.bytes.extend_from_slice(&encoder.bytes);
            }
            let length = u32::try_from(encoder.bytes.len()).unwrap_or(0);
            let (file, line, is_code) = (statement.span.file, statement.line, kind == LineKind::Code);
            self.rows.push((at, Row { symbol: None, address: offset, length, file, line, is_code }));
        }
        for statement in &section.statements {
            // The place of the whole section decides whether places in it are even, or more.
            if let (What::Align { to, .. }, Some((at, ..))) = (&statement.what, open)
                && let Some(to) = program.evaluate(0, *to, Value::number(0)).ok().and_then(Value::as_number)
            {
                let align = u32::try_from(to.clamp(1, 0x8000)).unwrap_or(1);
                let out = &mut self.contents.sections[at];
                out.align = out.align.max(align);
            }
        }
    }

    fn begin(&mut self, name: &str, kind: SectionKind, at: Value) -> usize {
        let flags = match kind {
            SectionKind::Code => elf::SHF_ALLOC | elf::SHF_EXECINSTR,
            SectionKind::Data | SectionKind::Zeroed => elf::SHF_ALLOC | elf::SHF_WRITE,
        };
        let address = if at.base == Base::ZERO { u32::try_from(at.offset).unwrap_or(0) } else { 0 };
        let section = Section { name: format!(".{name}"), flags, address, align: 2, ..Section::default() };
        self.contents.sections.push(section);
        self.contents.sections.len() - 1
    }

    /// The section of the file that holds a place.
    fn home(&self, program: &Program<'_>, section: SectionId, value: Value) -> Option<(usize, u32)> {
        let name = format!(".{}", program.units[0].section(section).name);
        let offset = u32::try_from(value.offset).ok()?;
        let holds = |candidate: &Section| {
            let length = u32::try_from(candidate.bytes.len()).unwrap_or(0) + candidate.room;
            let placed = value.base == Base::ZERO;
            candidate.name == name
                && (placed == (candidate.address != 0))
                && (candidate.address..=candidate.address + length).contains(&offset)
        };
        let at = self.contents.sections.iter().position(holds)?;
        Some((at, offset - self.contents.sections[at].address))
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
                None => self.section_symbol(program, pending.value),
            };
            let Some((symbol, addend)) = target else { continue };
            let rela = Rela { at: pending.at, symbol, kind: pending.kind as u32, addend };
            self.contents.sections[pending.section].relocations.push(rela);
        }
        self.contents.symbols = symbols;
        let symbol_of = |section: usize| u32::try_from(section + 1).unwrap_or(u32::MAX);
        let rows: Vec<Row> =
            self.rows.iter().map(|(section, row)| Row { symbol: Some(symbol_of(*section)), ..*row }).collect();
        self.contents.sections.extend(sections(sources, &rows));
        self.contents.to_bytes()
    }

    /// The symbol of the section a base stands for, and what comes to it.
    fn section_symbol(&self, program: &Program<'_>, value: Value) -> Option<(u32, i64)> {
        let section = SectionId(value.base.0.checked_sub(1)?);
        let name = format!(".{}", program.units[0].sections.get(section.0 as usize)?.name);
        let at = self.contents.sections.iter().position(|known| known.name == name && known.address == 0)?;
        Some((u32::try_from(at + 1).ok()?, value.offset))
    }

    /// The names of the unit as symbols, foreign ones with their base.
    fn named(&self, program: &Program<'_>) -> Vec<(Base, Symbol)> {
        let unit = program.units[0];
        let mut all = Vec::new();
        for (id, name) in unit.symbols() {
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
                    let Some((home, offset)) = self.home(program, section, value) else { continue };
                    let is_code = unit.section(section).kind == SectionKind::Code;
                    local(Home::Section(home), offset, if is_code { elf::STT_FUNC } else { elf::STT_OBJECT })
                }
            };
            all.push((value.base, symbol));
        }
        all
    }
}
