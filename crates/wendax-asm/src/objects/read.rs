//! ELF objects and `ar` archives of them to units, ready to be linked with those of sources.

use crate::expr::{Binary, Expr, Scope, Step, SymbolId};
use crate::syntax::Syntax;
use crate::texts::{Texts, Used};
use crate::unit::{Definition, Name, Patch, PatchKind, SectionId, SectionKind, Statement, Unit, What};
use object::read::archive::ArchiveFile;
use object::read::elf::{FileHeader, SectionHeader as _, Sym as _};
use object::{Endianness, elf};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeSet;
use wendax_image::ElfError;
use wendax_image::elf::{ElfSource, PLACED, Row, label_above, object_rows};
use wendax_source::{FileId, Files, SourceFile, Sources, Span};

/// Members of a library at the most.
const MOST_MEMBERS: usize = 10_000;

/// The bytes begin as those of an `ar` archive.
pub fn is_library(bytes: &[u8]) -> bool {
    bytes.starts_with(b"!<arch>\n")
}

/// All units of an object file or library.
///
/// Sources they were made from are looked for where paths begin, beside the file, and in the two folders above it; those
/// that are there and still the same are noted in `used`, and places of the units are lines of them.
pub(crate) fn read_objects(
    path: &str,
    bytes: &[u8],
    texts: &mut Texts,
    files: &dyn Files,
    used: &mut Used,
) -> Result<Vec<Unit>, ElfError> {
    let mut origins = Origins { folders: folders(path), files, used };
    if !is_library(bytes) {
        return Ok(vec![read_object(path, bytes, texts, &mut origins)?]);
    }
    let archive = ArchiveFile::parse(bytes)?;
    let mut units = Vec::new();
    for member in archive.members().take(MOST_MEMBERS) {
        let member = member?;
        let name = String::from_utf8_lossy(member.name()).into_owned();
        units.push(read_object(&format!("{path}({name})"), member.data(bytes)?, texts, &mut origins)?);
    }
    Ok(units)
}

/// Where sources of objects are looked for.
struct Origins<'f> {
    folders: Vec<String>,
    files: &'f dyn Files,
    used: &'f mut Used,
}

/// The folders of a path that may hold the sources, each with a stroke behind it.
fn folders(path: &str) -> Vec<String> {
    let mut all = vec![String::new()];
    let mut rest = path;
    while let Some((above, _)) = rest.rsplit_once('/').filter(|_| all.len() < 4) {
        all.push(format!("{above}/"));
        rest = above;
    }
    all
}

impl Origins<'_> {
    /// The lines of an object whose sources are there, by section of the file, in order of their places.
    fn rows(&mut self, bytes: &[u8], texts: &mut Texts) -> FxHashMap<u32, Vec<Row>> {
        let (rows, sources) = object_rows(bytes);
        let found: Vec<Option<FileId>> = sources.iter().map(|source| self.source(source, texts)).collect();
        let mut all: FxHashMap<u32, Vec<Row>> = FxHashMap::default();
        for row in rows {
            if let (Some(section), Some(Some(file))) = (row.symbol, found.get(row.file.0 as usize)) {
                all.entry(section).or_default().push(Row { file: *file, ..row });
            }
        }
        for rows in all.values_mut() {
            rows.sort_by_key(|row| row.address);
        }
        all
    }

    fn source(&mut self, source: &ElfSource, texts: &mut Texts) -> Option<FileId> {
        if source.name.is_empty() || source.name.starts_with('/') || source.name.split('/').any(|part| part == "..") {
            return None;
        }
        self.folders.iter().find_map(|folder| {
            let path = format!("{folder}{}", source.name);
            let text = self.files.text(&path).ok().filter(|text| source.is(text))?;
            let file = texts.place(&path, &text);
            self.used.texts.push((path, text));
            Some(file)
        })
    }
}

struct Reader<'d> {
    data: &'d [u8],
    sections: object::read::elf::SectionTable<'d, elf::FileHeader32<Endianness>>,
    symbols: object::read::elf::SymbolTable<'d, elf::FileHeader32<Endianness>>,
    unit: Unit,
    /// What bytes of the file are shown as coming from.
    place: Span,
    /// Which line each byte came from, where that is known.
    rows: FxHashMap<u32, Vec<Row>>,
    /// By section of the file: the section of the unit, and where its statements are cut.
    cuts: Vec<Option<(SectionId, Vec<u32>, u32)>>,
}

const ENDIAN: Endianness = Endianness::Little;

fn read_object(name: &str, bytes: &[u8], texts: &mut Texts, origins: &mut Origins<'_>) -> Result<Unit, ElfError> {
    let header = elf::FileHeader32::<Endianness>::parse(bytes)?;
    let endian = header.endian()?;
    let machine = header.e_machine(endian);
    let known = wendax_isa::targets().into_iter().find(|target| target.elf.machine == machine);
    let Some(target) = known.filter(|_| endian == ENDIAN) else {
        return Err(ElfError::Machine(machine));
    };
    if header.e_type(endian) != elf::ET_REL {
        return Err(ElfError::Damaged("it is a program, and only objects can be linked".to_owned()));
    }
    let sections = header.sections(endian, bytes)?;
    let symbols = sections.symbols(endian, bytes, elf::SHT_SYMTAB)?;
    let file = object_text(name, texts);
    let unfolded = texts.unfolded(file);
    let place = Span::new(file, 0, texts.sources.file(file).text().len());
    let rows = origins.rows(bytes, texts);
    let unit = Unit::new(Syntax::of(target), file, unfolded);
    let mut reader = Reader { data: bytes, sections, symbols, unit, place, rows, cuts: Vec::new() };
    reader.sections(&texts.sources)?;
    reader.names(&texts.sources)?;
    reader.unit.find_ends();
    reader.unit.fix_constants();
    Ok(reader.unit)
}

/// An object has no text of its own; a line that says so stands for it.
fn object_text(name: &str, texts: &mut Texts) -> FileId {
    if let Some(known) = texts.sources.find(name) {
        return known;
    }
    texts.sources.add(SourceFile::stand_in(name, "; out of an object file"))
}

impl Reader<'_> {
    fn symbol_count(&self) -> usize {
        self.symbols.len()
    }

    /// Sections that are loaded become sections of the unit, cut at symbols.
    fn sections(&mut self, sources: &Sources) -> Result<(), ElfError> {
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
            let most = self.unit.syntax.target().map.most;
            if total > u64::from(most) {
                return Err(ElfError::TooLarge(most));
            }
            let name = String::from_utf8_lossy(self.sections.section_name(ENDIAN, section)?).into_owned();
            let flags = section.sh_flags(ENDIAN);
            let kind = if flags & elf::SHF_EXECINSTR != 0 {
                SectionKind::Code
            } else if section.sh_type(ENDIAN) == elf::SHT_NOBITS {
                SectionKind::Zeroed
            } else if flags & elf::SHF_WRITE == 0 && self.unit.syntax == Syntax::Rv32 {
                SectionKind::Constants
            } else {
                SectionKind::Data
            };
            let name = name.trim_start_matches('.');
            let is_code = self.unit.syntax == Syntax::Rv32 && name == "text";
            let name = if is_code { "code" } else { name };
            let id = self.unit.section_of_kind(name, kind, None);
            self.section(index, id, section, sources)?;
        }
        Ok(())
    }

    fn section(
        &mut self,
        index: usize,
        id: SectionId,
        section: &elf::SectionHeader32<Endianness>,
        sources: &Sources,
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
        let rows = self.rows.remove(&u32::try_from(index).unwrap_or(0)).unwrap_or_default();
        // What linking has to put in is not cut through.
        let inside = |patch: &Patch| patch.at + 1..patch.at.saturating_add(patch.kind.length());
        let within: FxHashSet<u32> = patches.iter().flat_map(inside).collect();
        let ends = rows.iter().flat_map(|row| [row.address, row.address.saturating_add(row.length)]);
        cuts.extend(ends.filter(|&end| end <= size && !within.contains(&end)));
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
            let before = rows.partition_point(|row| row.address <= from);
            let row = before.checked_sub(1).map(|at| rows[at]).filter(|row| from - row.address < row.length);
            let (span, line) = row.map_or((self.place, 1), |row| {
                let (start, end) = sources.file(row.file).line_range(row.line);
                (Span::new(row.file, start, end), row.line)
            });
            self.put(id, Statement { what, span, line, unfolded: None });
        }
        self.cuts[index] = Some((id, starts, first));
        Ok(())
    }

    /// `.org` and `.align` as the section asks for.
    fn opening(&mut self, id: SectionId, section: &elf::SectionHeader32<Endianness>) {
        let is_placed = section.sh_flags(ENDIAN) & PLACED != 0;
        if is_placed {
            let to = self.number(section.sh_addr(ENDIAN).into());
            self.push(id, What::Org(to));
        }
        let align = section.sh_addralign(ENDIAN);
        if align > 1 && !is_placed && align.is_power_of_two() {
            let to = self.number(align.min(0x8000).into());
            self.push(id, What::Align { to, fill: None });
        }
    }

    fn push(&mut self, id: SectionId, what: What) {
        self.put(id, Statement { what, span: self.place, line: 1, unfolded: None });
    }

    fn put(&mut self, id: SectionId, statement: Statement) {
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
                let known = PatchKind::of(number, self.unit.syntax);
                let kind = known.ok_or_else(|| ElfError::Damaged(format!("relocation type {number} is unknown")))?;
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
    fn names(&mut self, sources: &Sources) -> Result<(), ElfError> {
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
            // Not a name a person gave: neither stands in tables of names.
            let is_section = symbol.st_type() == elf::STT_SECTION;
            if is_section {
                spelling = format!(".{spelling}");
            }
            let owner = if is_section { Scope::Numbered } else { Scope::Unit };
            let global = (symbol.st_bind() != elf::STB_LOCAL && !is_foreign).then_some(self.place);
            let used = Some(self.place);
            let span = self.written(definition, &spelling, sources).unwrap_or(self.place);
            self.unit.names.push(Name { span, owner, definition, used, global });
            self.unit.spellings.push(spelling);
        }
        Ok(())
    }

    /// Where a label is written in the source of what it stands before.
    fn written(&self, definition: Definition, spelling: &str, sources: &Sources) -> Option<Span> {
        let Definition::Label { section, statement } = definition else { return None };
        let statement = self.unit.section(section).statements.get(statement as usize)?;
        let file = statement.span.file;
        let (start, end) = label_above(sources.file(file), statement.line, spelling)?;
        (file != self.place.file).then(|| Span::new(file, start, end))
    }
}
