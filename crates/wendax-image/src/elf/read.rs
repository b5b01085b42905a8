//! An ELF program to an image, with the lines its bytes came from.

use super::attributes;
use super::lines::Row;
use super::lines::digest;
use super::variables::variables;
use crate::image::{Image, Line, LineKind, Rights, Segment, Symbol, SymbolKind};
use gimli::{EndianSlice, LittleEndian};
use object::read::elf::{FileHeader, ProgramHeader};
use object::{Endianness, Object, ObjectSection, ObjectSymbol, elf};
use std::borrow::Cow;
use std::sync::Arc;
use wendax_isa::{Addr, Place, Target, targets};
use wendax_source::{FileId, Files, SourceFile, Sources, Span};

/// Lines of one file at the most; larger numbers are damage.
const MOST_ROWS: usize = 1 << 20;

/// Why a file is no program of ours.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ElfError {
    /// It is no ELF file, or a damaged one.
    #[error("it is no whole ELF file: {0}")]
    Damaged(String),
    /// It is for another machine.
    #[error("it is an ELF file for another machine (number 0x{0:04X}; {known})", known = known_machines())]
    Machine(u16),
    /// It is of a class, or in an order of bytes, that no machine here has.
    #[error("it is {0} ELF file; the machines here have addresses of 16 and 32 bits, low byte first")]
    Class(&'static str),
    /// It needs what the machine does not have.
    #[error("it needs {what}, which {} does not have: {}", .target.name, .target.elf.advice)]
    Needs {
        /// The machine.
        target: &'static Target,
        /// What that is.
        what: String,
    },
    /// It is an object or something else that cannot be run.
    #[error("it is an object, not a program: link it with `wendax build`")]
    NotProgram,
    /// It has nothing to load.
    #[error("it holds nothing to load")]
    Empty,
    /// Something in it lies outside memory or over something else.
    #[error("what it loads at {0} lies outside memory for programs, or over another part")]
    Place(Place),
    /// It takes more memory than a program may.
    #[error("it takes more than the {0} bytes of memory that a program may")]
    TooLarge(u32),
    /// It begins where nothing can be run.
    #[error("it begins at {0}, where there is no code")]
    Entry(Place),
}

impl From<object::read::Error> for ElfError {
    fn from(error: object::read::Error) -> Self {
        Self::Damaged(error.to_string())
    }
}

/// The machines there are, with their numbers.
fn known_machines() -> String {
    targets().map(|target| format!("{} has 0x{:04X}", target.name, target.elf.machine)).join(", ")
}

/// Why the sources of a program cannot be shown.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SourceTrouble {
    /// One of them cannot be had.
    #[error("its source {name}: {why}")]
    Missing {
        /// Its name.
        name: String,
        /// Why, in plain words.
        why: String,
    },
    /// One of them is not the text the program was made from.
    #[error("its source {0} has changed since it was built")]
    Changed(String),
}

/// A program out of an ELF file.
#[derive(Debug, Clone)]
pub struct ElfProgram {
    /// The program; its lines speak of `files` by number.
    image: Image,
    files: Vec<ElfSource>,
    /// The files, by number, that a compiler made instructions of: a line of them is several.
    compiled: Vec<FileId>,
}

/// A source that line tables speak of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ElfSource {
    /// Its name, relative to where the file was built.
    pub name: String,
    digest: Option<[u8; 16]>,
}

impl ElfSource {
    /// The text is the one that the file was built from, or nothing is known of that one.
    pub fn is(&self, text: &str) -> bool {
        self.digest.is_none_or(|then| then == digest(text))
    }
}

/// The bytes begin as every ELF file does.
pub fn is_elf(bytes: &[u8]) -> bool {
    bytes.starts_with(&elf::ELFMAG)
}

/// The bytes begin as those of an ELF object do, which cannot be run before it is linked.
pub fn is_object(bytes: &[u8]) -> bool {
    let kind = elf::FileHeader32::<Endianness>::parse(bytes)
        .ok()
        .and_then(|header| Some(header.e_type(header.endian().ok()?)));
    // A header that is cut off is judged by its kind alone, low byte first.
    kind.map_or_else(|| is_elf(bytes) && bytes.get(16..18) == Some(&[1, 0]), |kind| kind == elf::ET_REL)
}

/// A program has at most so many segments with bytes or room of their own.
const MOST_SEGMENTS: usize = 256;

/// Reads a program.
pub fn from_elf(bytes: &[u8]) -> Result<ElfProgram, ElfError> {
    match (bytes.get(4), bytes.get(5)) {
        (Some(&elf::ELFCLASS64), _) => return Err(ElfError::Class("a 64-bit")),
        (_, Some(&elf::ELFDATA2MSB)) => return Err(ElfError::Class("a high-byte-first")),
        _ => {}
    }
    let header = elf::FileHeader32::<Endianness>::parse(bytes)?;
    let endian = header.endian()?;
    let machine = header.e_machine(endian);
    let target =
        targets().into_iter().find(|target| target.elf.machine == machine).ok_or(ElfError::Machine(machine))?;
    if header.e_type(endian) != elf::ET_EXEC {
        return Err(ElfError::NotProgram);
    }
    let flags = header.e_flags(endian);
    let refused = target.elf.refused.iter().find(|(flag, _)| flags & flag != 0).map(|(_, what)| (*what).to_owned());
    if let Some(what) = refused.or_else(|| attributes::missing(bytes, target)) {
        return Err(ElfError::Needs { target, what });
    }
    let mut image = Image { entry: Addr(header.e_entry(endian)), ..Image::new(target) };
    for program in header.program_headers(endian, bytes)? {
        if program.p_type(endian) == elf::PT_LOAD {
            let data =
                program.data(endian, bytes).map_err(|()| ElfError::Damaged("a segment is cut off".to_owned()))?;
            load(&mut image, endian, program, data)?;
            if image.segments.len() > MOST_SEGMENTS {
                return Err(ElfError::Damaged(format!("it has more than {MOST_SEGMENTS} segments")));
            }
        }
    }
    image.segments.sort_by_key(|segment| segment.start);
    if let Some(pair) = image.segments.windows(2).find(|pair| pair[0].end() > pair[1].start) {
        return Err(ElfError::Place(Place(target, pair[1].start)));
    }
    if image.segments.is_empty() {
        return Err(ElfError::Empty);
    }
    if !image.is_code(image.entry) || !image.entry.is_multiple_of(target.code_align) {
        return Err(ElfError::Entry(Place(target, image.entry)));
    }
    image.place_heap();
    let file = object::read::elf::ElfFile32::<Endianness>::parse(bytes)?;
    // What compilers leave room for is 0 by the rules of their languages; only what is written here may be left unset.
    for part in image.segments.iter_mut().filter(|part| part.reserved) {
        let own = |section: object::read::elf::ElfSection32<'_, '_, Endianness>| {
            section.address() == u64::from(part.start.0) && section.name() == Ok(super::ROOM)
        };
        part.reserved = file.sections().any(own);
    }
    image.symbols = symbols(&file, &image);
    let dwarf = gimli::Dwarf::load(|id| Ok::<_, gimli::Error>(EndianSlice::new(section(&file, id), LittleEndian)));
    let dwarf = dwarf.unwrap_or_default();
    let LineTables { lines, files, compiled, entered } = lines(&dwarf, &image);
    image.lines = lines;
    let mut frames = gimli::DebugFrame::new(section(&file, gimli::SectionId::DebugFrame), LittleEndian);
    frames.set_address_size(4);
    image.variables = Arc::new(variables(&dwarf, &frames, &image, &entered));
    Ok(ElfProgram { image, files, compiled })
}

fn load(
    image: &mut Image,
    endian: Endianness,
    program: &elf::ProgramHeader32<Endianness>,
    data: &[u8],
) -> Result<(), ElfError> {
    let start = Addr(program.p_vaddr(endian));
    let whole = program.p_memsz(endian);
    let stored = u32::try_from(data.len()).unwrap_or(u32::MAX);
    let map = &image.target.map;
    if whole < stored || !map.holds(start, whole.into()) {
        return Err(ElfError::Place(Place(image.target, start)));
    }
    let before: u64 = image.segments.iter().map(|segment| segment.bytes.len() as u64).sum();
    if before + u64::from(whole) > map.most.into() {
        return Err(ElfError::TooLarge(map.most));
    }
    let flags = program.p_flags(endian);
    let rights =
        Rights { read: flags & elf::PF_R != 0, write: flags & elf::PF_W != 0, execute: flags & elf::PF_X != 0 };
    if stored > 0 {
        image.segments.push(Segment { start, bytes: data.to_vec(), reserved: false, rights });
    }
    if whole > stored {
        let bytes = vec![0; (whole - stored) as usize];
        image.segments.push(Segment { start: start + stored, bytes, reserved: true, rights });
    }
    Ok(())
}

type File<'d> = object::read::elf::ElfFile32<'d, Endianness>;

/// The names of a file. Those that only tell code from data, and begin with a sign no name begins with, and those that
/// compilers make for themselves are left out.
fn symbols(file: &File<'_>, image: &Image) -> Vec<Symbol> {
    let nowhere = Span::new(FileId(0), 0, 0);
    let kind_of = |symbol: &object::read::elf::ElfSymbol32<'_, '_, Endianness>| {
        use object::SymbolKind as Kind;
        if symbol.is_undefined() || matches!(symbol.kind(), Kind::Section | Kind::File) {
            return None;
        }
        let address = u32::try_from(symbol.address()).ok().map(Addr)?;
        match (symbol.section(), symbol.kind()) {
            (object::SymbolSection::Absolute, _) => Some(SymbolKind::Constant),
            (_, Kind::Text) => Some(SymbolKind::Code),
            // Labels have no kind: they are what lies there.
            (_, kind) if kind != Kind::Data && image.is_code(address) => Some(SymbolKind::Code),
            _ => Some(SymbolKind::Data),
        }
    };
    file.symbols()
        .filter_map(|symbol| {
            let kind = kind_of(&symbol)?;
            let name = symbol
                .name()
                .ok()
                .filter(|name| !name.is_empty() && !name.starts_with('$') && !name.starts_with(".L"))?
                .to_owned();
            // Numbers below zero are kept in four bytes.
            let value = u32::try_from(symbol.address()).ok()?;
            let is_number = kind == SymbolKind::Constant;
            let value = if is_number { i64::from(value.cast_signed()) } else { i64::from(value) };
            let bytes = u32::try_from(symbol.size()).unwrap_or(0);
            Some(Symbol { name, value, kind, span: nowhere, is_global: symbol.is_global(), bytes })
        })
        .collect()
}

/// The bytes of a section of debug information; none when it is not there.
fn section<'d>(file: &File<'d>, id: gimli::SectionId) -> &'d [u8] {
    file.section_by_name(id.name()).and_then(|section| section.data().ok()).unwrap_or(&[])
}

/// What the line tables of a file say.
#[derive(Default)]
struct LineTables {
    lines: Vec<Line>,
    /// The files that they speak of.
    files: Vec<ElfSource>,
    /// Those that a compiler made instructions of.
    compiled: Vec<FileId>,
    /// Where the entries of routines end, in order.
    entered: Vec<Addr>,
}

/// Rows of the line tables as lines of the image. What is damaged is left out: a program runs without its lines.
fn lines(dwarf: &gimli::Dwarf<Slice<'_>>, image: &Image) -> LineTables {
    let LineTables { lines: mut rows, mut files, mut compiled, mut entered } = LineTables::default();
    let _ = read_rows(dwarf, &mut files, &mut |row, is_compiled, is_entered| {
        if is_entered {
            entered.push(Addr(row.address));
        }
        if is_compiled && !compiled.contains(&row.file) {
            compiled.push(row.file);
        }
        let kind = if row.is_code { LineKind::Code } else { LineKind::Data };
        let span = Span::new(row.file, 0, 0);
        rows.push(Line { address: Addr(row.address), length: row.length, kind, span, line: row.line, unfolded: None });
    });
    entered.sort_unstable();
    rows.retain(|row: &Line| {
        let segment = image.segment_at(row.address);
        row.length > 0 && segment.is_some_and(|segment| row.address + row.length <= segment.end())
    });
    rows.sort_by_key(|row| row.address);
    let mut end = Addr(0);
    rows.retain(|row| {
        let free = row.address >= end;
        end = end.max(row.address + row.length);
        free
    });
    for row in &mut rows {
        if image.segment_at(row.address).is_some_and(|segment| segment.reserved) {
            row.kind = LineKind::Reserved;
        }
    }
    LineTables { lines: rows, files, compiled, entered }
}

pub(super) type Slice<'d> = EndianSlice<'d, LittleEndian>;

/// Rows of all line tables; with each is told whether a compiler made it, and whether the entry of a routine ends there.
fn read_rows(
    dwarf: &gimli::Dwarf<Slice<'_>>,
    files: &mut Vec<ElfSource>,
    take: &mut dyn FnMut(Row, bool, bool),
) -> Result<(), gimli::Error> {
    let mut taken = 0;
    let mut units = dwarf.units();
    while let Some(header) = units.next()? {
        let unit = dwarf.unit(header)?;
        let Some(program) = unit.line_program.clone() else { continue };
        // What is no statement is data in what is written here; compilers have other reasons for that.
        let is_compiled = !is_own(dwarf, &unit)?;
        let mut open: Option<(u32, u64, u32, bool, bool)> = None;

        let mut table = program.rows();
        while let Some((header, row)) = table.next_row()? {
            let address = u32::try_from(row.address()).unwrap_or(u32::MAX);
            let line = row.line().and_then(|line| u32::try_from(line.get()).ok());
            // What a compiler made of no line by itself goes with the line before it.
            if is_compiled && line.is_none() && !row.end_sequence() && open.is_some() {
                continue;
            }
            if let Some((start, file, line, is_code, is_entered)) = open.take()
                && address > start
            {
                let file = FileId(file_number(dwarf, &unit, header, file, files));
                let is_code = is_code || is_compiled;
                take(
                    Row { symbol: None, address: start, length: address - start, file, line, is_code },
                    is_compiled,
                    is_entered,
                );
                taken += 1;
            }
            if taken > MOST_ROWS {
                return Ok(());
            }
            if let (false, Some(line)) = (row.end_sequence(), line) {
                open = Some((address, row.file_index(), line, row.is_stmt(), row.prologue_end()));
            }
        }
    }
    Ok(())
}

/// The unit says that it was made here.
fn is_own(dwarf: &gimli::Dwarf<Slice<'_>>, unit: &gimli::Unit<Slice<'_>>) -> Result<bool, gimli::Error> {
    let mut entries = unit.entries();
    let Some(root) = entries.next_dfs()? else { return Ok(false) };
    let Some(value) = root.attr_value(gimli::DW_AT_producer) else { return Ok(false) };
    Ok(dwarf.attr_string(unit, value)?.slice() == super::PRODUCER.as_bytes())
}

/// The number of a file of a line table among all files.
fn file_number(
    dwarf: &gimli::Dwarf<Slice<'_>>,
    unit: &gimli::Unit<Slice<'_>>,
    header: &gimli::LineProgramHeader<Slice<'_>>,
    index: u64,
    files: &mut Vec<ElfSource>,
) -> u32 {
    let mut found = ElfSource { name: String::new(), digest: None };
    if let Some(entry) = header.file(index) {
        let text = |value| dwarf.attr_string(unit, value).map(|text| text.to_string_lossy().into_owned());
        found.name = text(entry.path_name()).unwrap_or_default();
        let directory = entry.directory(header).and_then(|value| text(value).ok()).unwrap_or_default();
        if !directory.is_empty() && directory != "." && !found.name.starts_with('/') {
            found.name = format!("{directory}/{}", found.name);
        }
        found.digest = header.file_has_md5().then(|| *entry.md5());
    }
    let at = files.iter().position(|known| *known == found).unwrap_or_else(|| {
        files.push(found);
        files.len() - 1
    });
    u32::try_from(at).unwrap_or(u32::MAX)
}

impl ElfProgram {
    /// The program by itself: bytes and names, no lines.
    pub fn bare_image(&self) -> Image {
        Image { lines: Vec::new(), ..self.image.clone() }
    }

    /// The program with the sources its lines speak of; `None` when there are no lines. When a source is missing or
    /// is not the text the program was made from, the reason.
    pub fn with_sources(&self, files: &dyn Files) -> Option<Result<(Image, Sources), SourceTrouble>> {
        if self.image.lines.is_empty() || self.files.is_empty() {
            return None;
        }
        let mut sources = Sources::new();
        for (number, source) in (0..).zip(&self.files) {
            let text = match files.text(&source.name) {
                Ok(text) => text,
                Err(error) => return Some(Err(SourceTrouble::Missing { name: source.name.clone(), why: error.0 })),
            };
            if !source.is(&text) {
                return Some(Err(SourceTrouble::Changed(source.name.clone())));
            }
            let file = SourceFile::new(source.name.as_str(), text);
            sources.add(if self.compiled.contains(&FileId(number)) { file.foreign() } else { file });
        }
        let mut image = self.image.clone();
        for line in &mut image.lines {
            let (start, end) = sources.file(line.span.file).line_range(line.line);
            line.span = Span::new(line.span.file, start, end);
        }
        place_symbols(&mut image, &sources);
        let target = image.target;
        // What stands for several instructions is shown as those.
        let wanted = |line: &Line| self.compiled.contains(&line.span.file) || line.is_several(target);
        if image.lines.iter().any(wanted) {
            let texts = sources.add(SourceFile::new(UNFOLDED, String::new()));
            unfold(&mut image, &mut sources, texts, &wanted);
        }
        Some(Ok((image, sources)))
    }
}

/// What the texts are called that lines of code unfold to.
pub const UNFOLDED: &str = "instructions, unfolded";

/// Lines of code that are `wanted` become one for each of their instructions, with the text of that as what is unfolded
/// there; the texts become those of file `texts`.
pub fn unfold(image: &mut Image, sources: &mut Sources, texts: FileId, wanted: &dyn Fn(&Line) -> bool) {
    let file_name = sources.file(texts).name().to_owned();
    let (target, mut text, mut lines) = (image.target, String::new(), Vec::new());
    let name = |address: Addr| image.label_at(address).map(|symbol| symbol.name.clone());
    for line in &image.lines {
        if line.kind != LineKind::Code || !wanted(line) {
            lines.push(*line);
            continue;
        }
        let end = line.address + line.length;
        let mut at = line.address;
        while at < end {
            let bytes = image.bytes(at, target.longest_code);
            let known = (target.leads)(bytes, at).zip((target.text)(bytes, at, &name));
            let (length, instruction) = match known {
                Some(((length, _), text)) if at + length <= end => (length, text),
                _ => {
                    let length = target.code_align.min(end - at);
                    let bytes: Vec<String> =
                        bytes.iter().take(length as usize).map(|byte| format!("0x{byte:02X}")).collect();
                    (length, format!(".byte {}", bytes.join(", ")))
                }
            };
            let start = text.len();
            text.push_str(&instruction);
            let unfolded = Some(Span::new(texts, start, text.len()));
            text.push('\n');
            lines.push(Line { address: at, length, unfolded, ..*line });
            at += length;
        }
    }
    sources.replace(texts, SourceFile::new(file_name, text));
    image.lines = lines;
}

/// Where a label is written, in bytes of a text: on the line of what it stands before, or one of the few above it.
pub fn label_above(file: &SourceFile, line: u32, name: &str) -> Option<(usize, usize)> {
    let name = name.rfind('@').map_or(name, |at| &name[at..]);
    (line.saturating_sub(4).max(1)..=line).rev().find_map(|number| {
        let at = file.line(number).find(&format!("{name}:"))?;
        let start = file.line_start(number) as usize + at;
        Some((start, start + name.len()))
    })
}

/// Line tables of an object: rows of which [`Row::symbol`] is the section by its number in the file, and the address
/// counts from its beginning; and the sources they speak of, by [`Row::file`]. What is damaged is left out.
pub fn object_rows(bytes: &[u8]) -> (Vec<Row>, Vec<ElfSource>) {
    // Sections of an object have no addresses yet. Each is given as many as there are, so that the address of a row
    // tells its section.
    const SHIFT: u32 = 17;
    let (mut rows, mut files) = (Vec::new(), Vec::new());
    let Ok(file) = object::read::elf::ElfFile32::<Endianness>::parse(bytes) else { return (rows, files) };
    let place = |symbol: object::SymbolIndex, addend: i64| {
        let symbol = file.symbol_by_index(symbol).ok()?;
        let section = u64::try_from(symbol.section_index()?.0).ok().filter(|&section| section < 1 << (32 - SHIFT))?;
        let within = symbol.address().checked_add_signed(addend).filter(|&within| within < 1 << SHIFT)?;
        u32::try_from(section << SHIFT | within).ok()
    };
    let section = |id: gimli::SectionId| -> Result<Cow<'_, [u8]>, gimli::Error> {
        let Some(section) = file.section_by_name(id.name()) else { return Ok(Cow::Borrowed(&[])) };
        let mut data = section.data().unwrap_or(&[]).to_vec();
        for (at, relocation) in section.relocations() {
            let object::RelocationTarget::Symbol(symbol) = relocation.target() else { continue };
            let field = usize::try_from(at).ok().and_then(|at| data.get_mut(at..at.checked_add(4)?));
            if let (Some(field), Some(place)) = (field, place(symbol, relocation.addend())) {
                field.copy_from_slice(&place.to_le_bytes());
            }
        }
        Ok(Cow::Owned(data))
    };
    if let Ok(dwarf) = gimli::DwarfSections::load(section) {
        let dwarf = dwarf.borrow(|data| EndianSlice::new(data, LittleEndian));
        let _ = read_rows(&dwarf, &mut files, &mut |row, _, _| {
            let (section, address) = (row.address >> SHIFT, row.address & ((1 << SHIFT) - 1));
            rows.push(Row { symbol: Some(section), address, ..row });
        });
    }
    (rows, files)
}

/// Labels at an address are looked for on the line of that address and the few above it.
fn place_symbols(image: &mut Image, sources: &Sources) {
    let places: Vec<Option<Span>> = image
        .symbols
        .iter()
        .map(|symbol| {
            let address = symbol.address()?;
            let line = image.line_at(address)?;
            let (start, end) = label_above(sources.file(line.span.file), line.line, &symbol.name)?;
            Some(Span::new(line.span.file, start, end))
        })
        .collect();
    for (symbol, place) in image.symbols.iter_mut().zip(places) {
        if let Some(place) = place {
            symbol.span = place;
        }
    }
}
