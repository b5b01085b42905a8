//! The listing: what each line became, and the names.

use crate::image::{Image, Line, LineKind, SymbolKind};
use std::fmt::Write;
use wendax_source::SourceFile;

/// Bytes shown on one row.
const ROW: u32 = 8;

/// Source with addresses and code, then the names by address.
pub fn listing(file: &SourceFile, image: &Image) -> String {
    let mut out = String::new();
    // Writing to a String cannot fail.
    let _ = source(&mut out, file, image).and_then(|()| names(&mut out, file, image));
    out
}

fn source(out: &mut String, file: &SourceFile, image: &Image) -> std::fmt::Result {
    writeln!(out, "{}, entry at {:04X}\n", file.name(), image.entry)?;
    writeln!(out, "address  code                     line  source")?;
    let mut lines: Vec<&Line> = image.lines.iter().collect();
    lines.sort_by_key(|line| (line.line, line.span.start));
    let mut pieces = lines.into_iter().peekable();
    // A text that ends with a line end has no further line in a listing.
    let count = file.line_count() - u32::from(file.text().ends_with('\n'));
    for number in 1..=count {
        let mut text = Some(file.line(number).trim_end());
        while let Some(piece) = pieces.next_if(|piece| piece.line == number) {
            piece_rows(out, image, piece, number, &mut text)?;
        }
        if let Some(text) = text {
            writeln!(out, "{}", format!("{:32} {number:>5}  {text}", "").trim_end())?;
        }
    }
    Ok(())
}

fn piece_rows(out: &mut String, image: &Image, piece: &Line, number: u32, text: &mut Option<&str>) -> std::fmt::Result {
    let bytes = image.bytes(piece.address, piece.length);
    let mut rows: Vec<(u32, String)> = Vec::new();
    if piece.kind == LineKind::Reserved {
        rows.push((piece.address, format!("({} bytes kept)", piece.length)));
    } else {
        for (index, row) in (0u32..).zip(bytes.chunks(ROW as usize)) {
            rows.push((piece.address + index * ROW, row_text(row, piece.kind)));
        }
    }
    for (address, code) in rows {
        let row = match text.take() {
            Some(text) => format!("  {address:04X}   {code:24}{number:>5}  {text}"),
            None => format!("  {address:04X}   {code}"),
        };
        writeln!(out, "{}", row.trim_end())?;
    }
    Ok(())
}

/// Code as words, data as bytes in order of address.
fn row_text(row: &[u8], kind: LineKind) -> String {
    let texts: Vec<String> = match kind {
        LineKind::Code => {
            row.chunks(2).map(|pair| format!("{:02X}{:02X}", pair.get(1).copied().unwrap_or(0), pair[0])).collect()
        }
        LineKind::Data | LineKind::Reserved => row.iter().map(|byte| format!("{byte:02X}")).collect(),
    };
    texts.join(" ")
}

fn names(out: &mut String, file: &SourceFile, image: &Image) -> std::fmt::Result {
    if image.symbols.is_empty() {
        return Ok(());
    }
    writeln!(out, "\nvalue  kind      line  name")?;
    let mut symbols: Vec<_> = image.symbols.iter().collect();
    symbols.sort_by_key(|symbol| (symbol.kind == SymbolKind::Constant, symbol.value));
    for symbol in symbols {
        let kind = match symbol.kind {
            SymbolKind::Code => "code",
            SymbolKind::Data => "data",
            SymbolKind::Constant => "constant",
        };
        writeln!(
            out,
            " {:04X}  {kind:8} {:>5}  {}",
            symbol.value & 0xFFFF,
            file.line_of(symbol.span.start),
            symbol.name
        )?;
    }
    Ok(())
}
