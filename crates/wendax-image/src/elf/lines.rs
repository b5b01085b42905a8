//! Line tables: which line of which file each byte came from.
//!
//! Files go by the names they are shown with, relative to where the program was built, so that the same
//! sources give the same bytes on every machine; the MD5 of a text tells whether it still is the one.

use super::write::{Rela, Section};

use gimli::write::{
    Address, AttributeValue, DwarfUnit, EndianVec, FileInfo, LineProgram, LineString, Range, RangeList, RelocateWriter,
    Relocation, RelocationTarget, Sections,
};
use gimli::{Encoding, Format, LineEncoding, LittleEndian};
use md5::{Digest, Md5};
use wendax_isa::Target;
use wendax_source::{FileId, Sources};

/// Bytes that came from one line.
#[derive(Debug, Clone, Copy)]
pub struct Row {
    /// The symbol of the section the address counts from; `None` for plain addresses.
    pub symbol: Option<u32>,
    /// The first byte's.
    pub address: u32,
    /// In bytes.
    pub length: u32,
    /// The text it came from.
    pub file: FileId,
    /// Its line, from 1.
    pub line: u32,
    /// They are instructions.
    pub is_code: bool,
}

/// MD5 of a text (RFC 1321).
pub(super) fn digest(text: &str) -> [u8; 16] {
    Md5::digest(text.as_bytes()).into()
}

/// The sections of debug information for these rows of a program for a machine; they are in order of address within each
/// symbol.
pub fn sections(sources: &Sources, rows: &[Row], target: &Target) -> Vec<Section> {
    let Some(first) = rows.first() else { return Vec::new() };
    let encoding = Encoding { format: Format::Dwarf32, version: 5, address_size: 4 };
    let mut dwarf = DwarfUnit::new(encoding);
    let main = rows.iter().map(|row| row.file).min().unwrap_or(first.file);
    let name = sources.file(main).name();
    let line_name = |name: &str| LineString::String(name.replace('\0', "?").into_bytes());
    let program_name = line_name(if name.is_empty() { "untitled" } else { name });
    let mut program = LineProgram::new(
        encoding,
        LineEncoding::default(),
        line_name("."),
        None,
        program_name,
        Some(info(sources, main)),
    );
    program.file_has_md5 = true;
    let mut files = vec![];
    for run in runs(rows) {
        let start = address(run[0].symbol, run[0].address);
        program.begin_sequence(Some(start));
        for row in run {
            let known = files.iter().find(|(known, _)| *known == row.file).map(|(_, file)| *file);
            let file = known.unwrap_or_else(|| {
                let name = sources.file(row.file).name();
                let name = line_name(if name.is_empty() { "untitled" } else { name });
                let directory = program.default_directory();
                let file = program.add_file(name, directory, Some(info(sources, row.file)));
                files.push((row.file, file));
                file
            });
            let state = program.row();
            state.address_offset = (row.address - run[0].address).into();
            state.file = file;
            state.line = row.line.into();
            state.is_statement = row.is_code;
            program.generate_row();
        }
        let last = run[run.len() - 1];
        program.end_sequence((last.address + last.length - run[0].address).into());
    }
    dwarf.unit.line_program = program;
    describe(&mut dwarf, name, rows);
    to_sections(&mut dwarf, target)
}

fn info(sources: &Sources, file: FileId) -> FileInfo {
    FileInfo { md5: digest(sources.file(file).text()), ..FileInfo::default() }
}

fn address(symbol: Option<u32>, at: u32) -> Address {
    match symbol {
        Some(symbol) => Address::Symbol { symbol: symbol as usize, addend: at.into() },
        None => Address::Constant(at.into()),
    }
}

/// Rows that follow each other without a gap.
fn runs(rows: &[Row]) -> impl Iterator<Item = &[Row]> {
    rows.chunk_by(|one, next| one.symbol == next.symbol && one.address + one.length == next.address)
}

/// The entry of the unit: its name, who made it, and which addresses it covers.
fn describe(dwarf: &mut DwarfUnit, name: &str, rows: &[Row]) {
    let ranges = runs(rows).map(|run| {
        let length = run.iter().map(|row| u64::from(row.length)).sum();
        Range::StartLength { begin: address(run[0].symbol, run[0].address), length }
    });
    let ranges = dwarf.unit.ranges.add(RangeList(ranges.collect()));
    let root = dwarf.unit.root();
    let entry = dwarf.unit.get_mut(root);
    entry.set(gimli::DW_AT_name, AttributeValue::String(name.replace('\0', "?").into_bytes()));
    entry.set(gimli::DW_AT_comp_dir, AttributeValue::String(b".".to_vec()));
    entry.set(gimli::DW_AT_producer, AttributeValue::String(super::PRODUCER.as_bytes().to_vec()));
    // Assembly has a code of its own since DWARF 5.
    entry.set(gimli::DW_AT_language, AttributeValue::Language(gimli::DW_LANG_Mips_Assembler));
    entry.set(gimli::DW_AT_low_pc, AttributeValue::Address(Address::Constant(0)));
    entry.set(gimli::DW_AT_ranges, AttributeValue::RangeListRef(ranges));
}

/// Bytes of a section with the addresses that linking has to put in.
#[derive(Clone)]
struct Out {
    bytes: EndianVec<LittleEndian>,
    relocations: Vec<Relocation>,
}

impl RelocateWriter for Out {
    type Writer = EndianVec<LittleEndian>;

    fn writer(&self) -> &Self::Writer {
        &self.bytes
    }

    fn writer_mut(&mut self) -> &mut Self::Writer {
        &mut self.bytes
    }

    fn relocate(&mut self, relocation: Relocation) {
        self.relocations.push(relocation);
    }
}

fn to_sections(dwarf: &mut DwarfUnit, target: &Target) -> Vec<Section> {
    let mut out = Sections::new(Out { bytes: EndianVec::new(LittleEndian), relocations: Vec::new() });
    dwarf.write(&mut out).expect("a unit of one line table and plain attributes can be written");
    let mut sections = Vec::new();
    let done: Result<(), gimli::write::Error> = out.for_each(|id, section| {
        let mut bytes = section.bytes.slice().to_vec();
        let mut relocations = Vec::new();
        for relocation in &section.relocations {
            let at = relocation.offset;
            match relocation.target {
                // There is one unit, so each section of the file is one of the unit: places in it are final.
                RelocationTarget::Section(_) => {
                    let size = usize::from(relocation.size).min(8);
                    bytes[at..at + size].copy_from_slice(&relocation.addend.to_le_bytes()[..size]);
                }
                RelocationTarget::Symbol(symbol) => relocations.push(Rela {
                    at: u32::try_from(at).unwrap_or(u32::MAX),
                    symbol: u32::try_from(symbol).unwrap_or(u32::MAX),
                    kind: target.elf.whole,
                    addend: relocation.addend,
                }),
            }
        }
        if !bytes.is_empty() {
            sections.push(Section { name: id.name().to_owned(), align: 1, bytes, relocations, ..Section::default() });
        }
        Ok(())
    });
    done.expect("taking sections over cannot fail");
    sections
}
