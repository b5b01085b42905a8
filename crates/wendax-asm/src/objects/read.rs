//! ELF objects and `ar` archives of them to units, ready to be linked with those of sources.

use crate::expr::{Binary, Expr, Scope, Step, SymbolId};
use crate::texts::Texts;
use crate::unit::{Definition, Name, Patch, PatchKind, Section, SectionId, SectionKind, Statement, Unit, What};
use object::read::archive::ArchiveFile;
use object::read::elf::{FileHeader, SectionHeader as _, Sym as _};
use object::{Endianness, elf};
use std::collections::BTreeSet;
use wendax_image::ElfError;
use wendax_image::elf::MACHINE;
use wendax_source::{FileId, SourceFile, Span};

/// Members of a library at the most.
const MOST_MEMBERS: usize = 10_000;

/// The bytes begin as those of an `ar` archive.
pub fn is_library(bytes: &[u8]) -> bool {
    bytes.starts_with(b"!<arch>\n")
}

/// All units of an object file or library.
pub(crate) fn read_objects(path: &str, bytes: &[u8], texts: &mut Texts) -> Result<Vec<Unit>, ElfError> {
    if !is_library(bytes) {
        return Ok(vec![read_object(path, bytes, texts)?]);
    }
    let archive = ArchiveFile::parse(bytes)?;
    let mut units = Vec::new();
    for member in archive.members().take(MOST_MEMBERS) {
        let member = member?;
        let name = String::from_utf8_lossy(member.name()).into_owned();
        units.push(read_object(&format!("{path}({name})"), member.data(bytes)?, texts)?);
    }
    Ok(units)
}

struct Reader<'d> {
    data: &'d [u8],
    sections: object::read::elf::SectionTable<'d, elf::FileHeader32<Endianness>>,
    symbols: object::read::elf::SymbolTable<'d, elf::FileHeader32<Endianness>>,
    unit: Unit,
    /// What bytes of the file are shown as coming from.
    place: Span,
    /// By section of the file: the section of the unit, and where its statements are cut.
    cuts: Vec<Option<(SectionId, Vec<u32>, u32)>>,
}

const ENDIAN: Endianness = Endianness::Little;

fn read_object(name: &str, bytes: &[u8], texts: &mut Texts) -> Result<Unit, ElfError> {
    let header = elf::FileHeader32::<Endianness>::parse(bytes)?;
    let endian = header.endian()?;
    if header.e_machine(endian) != MACHINE || endian != ENDIAN {
        return Err(ElfError::Machine(header.e_machine(endian)));
    }
    if header.e_type(endian) != elf::ET_REL {
        return Err(ElfError::Damaged("it is a program, and only objects can be linked".to_owned()));
    }
    let sections = header.sections(endian, bytes)?;
    let symbols = sections.symbols(endian, bytes, elf::SHT_SYMTAB)?;
    let file = object_text(name, texts);
    let unfolded = texts.unfolded(file);
    let place = Span::new(file, 0, texts.sources.file(file).text().len());
    let mut reader =
        Reader { data: bytes, sections, symbols, unit: Unit::new(file, unfolded), place, cuts: Vec::new() };
    reader.sections()?;
    reader.names()?;
    reader.unit.find_ends();
    reader.unit.fix_constants();
    Ok(reader.unit)
}

/// An object has no text of its own; a line that says so stands for it.
fn object_text(name: &str, texts: &mut Texts) -> FileId {
    if let Some(known) = texts.sources.find(name) {
        return known;
    }
    texts.sources.add(SourceFile::new(name, "; out of an object file"))
}

impl Reader<'_> {
    fn symbol_count(&self) -> usize {
        self.symbols.len()
    }

    /// Sections that are loaded become sections of the unit, cut at symbols.
    fn sections(&mut self) -> Result<(), ElfError> {
        let mut total = 0u64;
        let count = self.sections.len();
        self.cuts = vec![None; count];
        // The first section is none.
        for index in 1..count {
            let section = self.sections.section(object::SectionIndex(index))?;
            if section.sh_flags(ENDIAN) & elf::SHF_ALLOC == 0 {
                continue;
            }
            total += u64::from(section.sh_size(ENDIAN));
            if total > 0x1_0000 {
                return Err(ElfError::Place(section.sh_addr(ENDIAN).into()));
            }
            let name = String::from_utf8_lossy(self.sections.section_name(ENDIAN, section)?).into_owned();
            let flags = section.sh_flags(ENDIAN);
            let kind = if flags & elf::SHF_EXECINSTR != 0 {
                SectionKind::Code
            } else if section.sh_type(ENDIAN) == elf::SHT_NOBITS {
                SectionKind::Zeroed
            } else {
                SectionKind::Data
            };
            let id = self.section_id(name.trim_start_matches('.'), kind);
            self.section(index, id, section)?;
        }
        Ok(())
    }

    fn section_id(&mut self, name: &str, kind: SectionKind) -> SectionId {
        let known = self.unit.section_list().find(|(_, section)| section.name == name && section.kind == kind);
        if let Some((id, _)) = known {
            return id;
        }
        self.unit.sections.push(Section { name: name.to_owned(), kind, span: None, statements: Vec::new() });
        SectionId(u32::try_from(self.unit.sections.len() - 1).unwrap_or(u32::MAX))
    }

    fn section(
        &mut self,
        index: usize,
        id: SectionId,
        section: &elf::SectionHeader32<Endianness>,
    ) -> Result<(), ElfError> {
        let size = section.sh_size(ENDIAN);
        let is_room = section.sh_type(ENDIAN) == elf::SHT_NOBITS;
        let data = if is_room { &[] } else { section.data(ENDIAN, self.data)? };
        self.opening(id, section);
        let mut cuts = BTreeSet::from([0, size]);
        for symbol in self.symbols.iter() {
            if self.symbols.symbol_section(ENDIAN, symbol, object::SymbolIndex(0)).ok().flatten()
                == Some(object::SectionIndex(index))
            {
                cuts.insert(symbol.st_value(ENDIAN).min(size));
            }
        }
        let patches = self.patches(index, size)?;
        let first = u32::try_from(self.unit.section(id).statements.len()).unwrap_or(u32::MAX);
        let starts: Vec<u32> = cuts.iter().copied().collect();
        for pair in starts.windows(2) {
            let (from, to) = (pair[0], pair[1]);
            let what = if is_room {
                let count = self.number((to - from).into());
                What::Space { count, fill: None }
            } else {
                let piece = data.get(from as usize..to as usize).unwrap_or(&[]);
                let start = self.unit.bytes.len();
                self.unit.bytes.extend_from_slice(piece);
                let within = patches.iter().filter(|patch| (from..to).contains(&patch.at));
                let patch_start = self.unit.patches.len();
                let moved: Vec<Patch> = within.map(|patch| Patch { at: patch.at - from, ..*patch }).collect();
                self.unit.patches.extend(moved);
                let offset = |at: usize| u32::try_from(at).unwrap_or(u32::MAX);
                What::Object {
                    bytes: (offset(start), offset(self.unit.bytes.len())),
                    patches: (offset(patch_start), offset(self.unit.patches.len())),
                }
            };
            self.push(id, what);
        }
        self.cuts[index] = Some((id, starts, first));
        Ok(())
    }

    /// `.org` and `.align` as the section asks for.
    fn opening(&mut self, id: SectionId, section: &elf::SectionHeader32<Endianness>) {
        let address = section.sh_addr(ENDIAN);
        if address != 0 {
            let to = self.number(address.into());
            self.push(id, What::Org(to));
        }
        let align = section.sh_addralign(ENDIAN);
        if align > 1 && address == 0 && align.is_power_of_two() {
            let to = self.number(align.min(0x8000).into());
            self.push(id, What::Align { to, fill: None });
        }
    }

    fn push(&mut self, id: SectionId, what: What) {
        let statement = Statement { what, span: self.place, line: 1, unfolded: None };
        self.unit.sections[id.0 as usize].statements.push(statement);
    }

    fn number(&mut self, value: i64) -> Expr {
        let start = u32::try_from(self.unit.steps.len()).unwrap_or(u32::MAX);
        self.unit.steps.push(Step::Number(value));
        Expr { start, end: start + 1, span: self.place }
    }

    /// What linking has to put into a section; symbols of the file are names of the unit by the same order.
    fn patches(&mut self, target: usize, size: u32) -> Result<Vec<Patch>, ElfError> {
        let mut found = Vec::new();
        for index in 1..self.sections.len() {
            let section = self.sections.section(object::SectionIndex(index))?;
            if section.sh_info(ENDIAN) as usize != target {
                continue;
            }
            let Some((relocations, _)) = section.rela(ENDIAN, self.data)? else { continue };
            for relocation in relocations {
                let number = relocation.r_type(ENDIAN);
                let known = PatchKind::ALL.iter().find(|kind| **kind as u32 == number);
                let kind = *known.ok_or_else(|| ElfError::Damaged(format!("relocation type {number} is unknown")))?;
                let at = relocation.r_offset.get(ENDIAN);
                let symbol = relocation.r_sym(ENDIAN);
                if at >= size || symbol as usize >= self.symbol_count() || symbol == 0 {
                    return Err(ElfError::Damaged("a relocation points outside".to_owned()));
                }
                let start = u32::try_from(self.unit.steps.len()).unwrap_or(u32::MAX);
                let addend = i64::from(relocation.r_addend.get(ENDIAN));
                self.unit.steps.push(Step::Symbol(SymbolId(symbol - 1)));
                self.unit.steps.push(Step::Number(addend));
                self.unit.steps.push(Step::Binary(Binary::Add, self.place));
                found.push(Patch { at, kind, value: Expr { start, end: start + 3, span: self.place } });
            }
        }
        found.sort_by_key(|patch| patch.at);
        Ok(found)
    }

    /// Symbols but the first, which is none, become the names of the unit.
    fn names(&mut self) -> Result<(), ElfError> {
        let strings = self.symbols.strings();
        for index in 1..self.symbol_count() {
            let index = object::SymbolIndex(index);
            let symbol = self.symbols.symbol(index)?;
            let name = symbol.name(ENDIAN, strings).unwrap_or(b"");
            let mut spelling = String::from_utf8_lossy(name).into_owned();
            let is_foreign = symbol.is_undefined(ENDIAN);
            let section = self.symbols.symbol_section(ENDIAN, symbol, index)?;
            let value = symbol.st_value(ENDIAN);
            let definition = match section.and_then(|section| self.cuts.get(section.0).and_then(Option::as_ref)) {
                _ if is_foreign => Definition::Extern,
                Some((id, starts, first)) => {
                    let cut = starts.binary_search(&value.min(starts.last().copied().unwrap_or(0))).unwrap_or(0);
                    Definition::Label { section: *id, statement: first + u32::try_from(cut).unwrap_or(0) }
                }
                None => Definition::Constant(self.number(value.cast_signed().into())),
            };
            if symbol.st_type() == elf::STT_SECTION {
                // Not a name a person gave; the dot keeps it out of tables of names.
                spelling = format!(".{spelling}");
            }
            let global = (symbol.st_bind() != elf::STB_LOCAL && !is_foreign).then_some(self.place);
            let used = Some(self.place);
            self.unit.names.push(Name { span: self.place, owner: Scope::Unit, definition, used, global });
            self.unit.spellings.push(spelling);
        }
        Ok(())
    }
}
