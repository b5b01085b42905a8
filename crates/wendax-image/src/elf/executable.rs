//! An image to an ELF program.

use super::lines::{Row, sections};
use super::write::{Contents, Home, Section, Symbol};
use crate::image::{Image, LineKind, SymbolKind};
use object::elf;
use wendax_source::Sources;

/// A program in ELF form, with names and lines.
pub fn to_elf(image: &Image, sources: &Sources) -> Vec<u8> {
    let mut contents = Contents { kind: elf::ET_EXEC, entry: image.entry.0, ..Contents::new(image.target) };
    for segment in &image.segments {
        let write = if segment.rights.write { elf::SHF_WRITE } else { 0 };
        let execute = if segment.rights.execute { elf::SHF_EXECINSTR } else { 0 };
        let name = match (segment.rights.execute, segment.reserved) {
            (true, _) => ".code",
            (false, false) => ".data",
            (false, true) => super::ROOM,
        };
        let length = u32::try_from(segment.bytes.len()).unwrap_or(u32::MAX);
        contents.sections.push(Section {
            name: name.to_owned(),
            flags: elf::SHF_ALLOC | write | execute,
            address: segment.start.0,
            align: 1,
            bytes: if segment.reserved { Vec::new() } else { segment.bytes.clone() },
            room: segment.reserved.then_some(length),
            relocations: Vec::new(),
        });
    }
    let mut symbols: Vec<Symbol> = image.symbols.iter().map(|symbol| named(image, symbol)).collect();
    symbols.sort_by_key(|symbol| symbol.is_global);
    contents.symbols = symbols;
    let rows: Vec<Row> = image
        .lines
        .iter()
        .filter(|line| {
            let file = sources.file(line.span.file);
            !file.name().is_empty() && !file.is_stand_in()
        })
        .map(|line| Row {
            symbol: None,
            address: line.address.0,
            length: line.length,
            file: line.span.file,
            line: line.line,
            is_code: line.kind == LineKind::Code,
        })
        .collect();
    contents.sections.extend(sections(sources, &rows, image.target));
    contents.to_bytes()
}

fn named(image: &Image, symbol: &crate::image::Symbol) -> Symbol {
    let value = u32::try_from(symbol.value & 0xFFFF_FFFF).unwrap_or(0);
    let segment = image.segment_number(wendax_isa::Addr(value));
    let home = match (symbol.kind, segment) {
        (SymbolKind::Constant, _) | (_, None) => Home::Absolute,
        (_, Some(segment)) => Home::Section(segment),
    };
    let kind = match symbol.kind {
        SymbolKind::Code => elf::STT_FUNC,
        SymbolKind::Data => elf::STT_OBJECT,
        SymbolKind::Constant => elf::STT_NOTYPE,
    };
    Symbol { name: symbol.name.clone(), home, value, size: 0, is_global: symbol.is_global, kind }
}
