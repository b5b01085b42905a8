//! What each line became, the names, and how memory is used, as text.

use std::fmt::{Result, Write};
use wendax_image::{Image, Line, LineKind, Segment, Symbol, SymbolKind};
use wendax_isa::Addr;
use wendax_isa::Target;
use wendax_source::{FileId, SourceFile, Sources};

/// Bytes shown on one row.
const ROW: u32 = 8;

/// In which order names are told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SymbolOrder {
    /// By address or value, constants behind labels.
    Address,
    /// By name.
    Name,
}

/// Sources with addresses and code, each file for itself, what was unfolded under its line; then the names by
/// address.
pub fn listing(sources: &Sources, files: &[FileId], image: &Image) -> String {
    let mut out = String::new();
    // Writing to a String cannot fail.
    for (index, id) in files.iter().enumerate() {
        if index > 0 {
            out.push('\n');
        }
        let _ = source(&mut out, sources, *id, image);
    }
    if !image.symbols.is_empty() {
        let _ = writeln!(out);
        let _ = names(&mut out, sources, image, SymbolOrder::Address);
    }
    out
}

/// The names of a program.
pub fn symbol_table(sources: &Sources, image: &Image, order: SymbolOrder) -> String {
    let mut out = String::new();
    let _ = names(&mut out, sources, image, order);
    out
}

fn source(out: &mut String, sources: &Sources, id: FileId, image: &Image) -> Result {
    let file = sources.file(id);
    writeln!(out, "{}, entry at {}\n", file.name(), image.target.hex_address(image.entry))?;
    writeln!(out, "address  code                     cycles   line  source")?;
    let mut lines: Vec<&Line> = image.lines.iter().filter(|line| line.span.file == id).collect();
    lines.sort_by_key(|line| (line.line, line.span.start, line.address));
    let mut pieces = lines.into_iter().peekable();
    // A text that ends with a line end has no further line in a listing.
    let count = file.line_count() - u32::from(file.text().ends_with('\n'));
    for number in 1..=count {
        let mut text = Some(file.line(number).trim_end());
        while let Some(piece) = pieces.next_if(|piece| piece.line == number) {
            if let Some(unfolded) = piece.unfolded {
                if let Some(text) = text.take() {
                    bare_row(out, number, text)?;
                }
                let made = sources.text_of(unfolded);
                piece_rows(out, image, piece, "    +", &mut Some(made))?;
            } else {
                piece_rows(out, image, piece, &format!("{number:>5}"), &mut text)?;
            }
        }
        if let Some(text) = text {
            bare_row(out, number, text)?;
        }
    }
    Ok(())
}

fn bare_row(out: &mut String, number: u32, text: &str) -> Result {
    writeln!(out, "{}", format!("{:41} {number:>5}  {text}", "").trim_end())
}

fn piece_rows(out: &mut String, image: &Image, piece: &Line, number: &str, text: &mut Option<&str>) -> Result {
    let bytes = image.bytes(piece.address, piece.length);
    let mut rows: Vec<(Addr, String)> = Vec::new();
    if piece.kind == LineKind::Reserved {
        rows.push((piece.address, format!("({} bytes kept)", piece.length)));
    } else {
        for (index, row) in (0u32..).zip(bytes.chunks(ROW as usize)) {
            rows.push((piece.address + index * ROW, row_text(row, piece.kind, image.target)));
        }
    }
    let cycles = if piece.kind == LineKind::Code { cycles_words(bytes, image.target) } else { String::new() };
    for (address, code) in rows {
        let address = image.target.hex_address(address);
        let row = match text.take() {
            Some(text) => format!("  {address}   {code:24} {cycles:>6}  {number}  {text}"),
            None => format!("  {address}   {code}"),
        };
        writeln!(out, "{}", row.trim_end())?;
    }
    Ok(())
}

/// Cycles that the instructions of a piece of code take; of jumps that may be taken or not, both: `1/2`.
pub fn cycles_words(code: &[u8], target: &Target) -> String {
    let (mut at, mut least, mut most) = (0, 0u32, 0u32);
    while at < code.len() {
        let Some(((few, many), (length, _))) = (target.cycles)(&code[at..]).zip((target.leads)(&code[at..], Addr(0)))
        else {
            return String::new();
        };
        (least, most) = (least + few, most + many);
        at += length as usize;
    }
    if least == most { least.to_string() } else { format!("{least}/{most}") }
}

/// Code as words, data as bytes in order of address.
fn row_text(row: &[u8], kind: LineKind, target: &Target) -> String {
    let texts: Vec<String> = match kind {
        LineKind::Code => {
            let unit = |bytes: &[u8]| bytes.iter().rev().map(|byte| format!("{byte:02X}")).collect::<Vec<_>>().concat();
            row.chunks(target.code_align as usize).map(unit).collect()
        }
        LineKind::Data | LineKind::Reserved => row.iter().map(|byte| format!("{byte:02X}")).collect(),
    };
    texts.join(" ")
}

fn names(out: &mut String, sources: &Sources, image: &Image, order: SymbolOrder) -> Result {
    let several = image.symbols.windows(2).any(|pair| pair[0].span.file != pair[1].span.file);
    let width = image.target.hex_address(Addr(0)).len();
    writeln!(out, "{:<1$}  kind      line  name", "value", width + 1)?;
    let mut symbols: Vec<&Symbol> = image.symbols.iter().collect();
    match order {
        SymbolOrder::Address => symbols.sort_by_key(|symbol| (symbol.kind == SymbolKind::Constant, symbol.value)),
        SymbolOrder::Name => symbols.sort_by(|one, other| one.name.cmp(&other.name).then(one.value.cmp(&other.value))),
    }
    for symbol in symbols {
        let kind = match symbol.kind {
            SymbolKind::Code => "code",
            SymbolKind::Data => "data",
            SymbolKind::Constant => "constant",
        };
        // Programs read from files need not have sources.
        let place =
            sources.get(symbol.span.file).filter(|file| symbol.span.end > symbol.span.start && !file.name().is_empty());
        let line = place.map_or(String::new(), |file: &SourceFile| file.line_of(symbol.span.start).to_string());
        let file = place.filter(|_| several).map_or(String::new(), |file| format!("  ({})", file.name()));
        // Constants may have more than a word, and are looked for here when a value is wrong.
        let value = match symbol.value {
            value if symbol.kind != SymbolKind::Constant => {
                symbol.address().map_or(format!("{value:X}"), |at| image.target.hex_address(at))
            }
            value @ 0..=0xFFFF => format!("{value:04X}"),
            value @ ..0 => format!("-{:X}", value.unsigned_abs()),
            value => format!("{value:X}"),
        };
        writeln!(out, " {value:>width$}  {kind:8} {line:>5}  {}{file}", symbol.name)?;
    }
    Ok(())
}

/// What lies where in memory, how large it is, and what is left.
pub fn memory_map(image: &Image) -> String {
    let (map, hex) = (image.target.map, |address| image.target.hex_address(address));
    let width = hex(Addr(0)).len();
    let count = width + 1;
    let mut out = format!("{:width$}  {:width$}  {:>count$}  use\n", "from", "to", "bytes");
    let mut end = Addr(0);
    // Writing to a String cannot fail.
    let mut row = |from: Addr, to: Addr, what: &str| {
        let _ = writeln!(out, "{}  {}  {:>count$}  {what}", hex(from), hex(to - 1), to - from);
    };
    for segment in &image.segments {
        if segment.start > end && end >= map.code_start {
            row(end, segment.start, "(between)");
        }
        end = segment.end();
        row(segment.start, segment.end(), kind_of(segment));
    }
    let stack = map.stack_start;
    let heap = image.heap_start.min(stack);
    if heap < stack {
        row(heap, stack, "left: heap");
    }
    row(stack, map.stack_end, "stack");
    let devices = image.target.memory_size() - u64::from(map.devices_start.0);
    let last = Addr(image.target.address_mask());
    let _ = writeln!(out, "{}  {}  {devices:>count$}  device registers", hex(map.devices_start), hex(last));
    let used: usize = image.segments.iter().map(|segment| segment.bytes.len()).sum();
    let _ = writeln!(out, "\n{used} bytes used, {} left for the heap; entry at {}", stack - heap, hex(image.entry));
    out
}

fn kind_of(segment: &Segment) -> &'static str {
    match (segment.rights.execute, segment.rights.write, segment.reserved) {
        (true, true, _) => "bytes, may be written and run",
        (true, false, _) => "code",
        (false, _, true) => "room",
        (false, _, false) => "data",
    }
}
