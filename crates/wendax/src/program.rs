//! A file to a program: source, Intel HEX or raw bytes.

use crate::{Failure, files};
use std::io::IsTerminal;
use std::path::Path;
use wendax_asm::{Image, assemble, from_hex, from_raw};
use wendax_source::{SourceFile, Sources, Style, render_all};

/// Where a raw image is loaded unless told otherwise: where code begins in the default memory map.
const RAW_START: u32 = 0x0200;

/// What a file is taken for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    Source,
    Hex,
    Raw,
}

/// Tells by its name, or else by what is in it: records are Intel HEX, other text is source, the rest raw.
pub(crate) fn kind_of(path: &Path, bytes: &[u8]) -> Kind {
    let extension = path.extension().and_then(|extension| extension.to_str()).unwrap_or_default();
    match extension.to_ascii_lowercase().as_str() {
        "asm" | "s" | "inc" => return Kind::Source,
        "hex" | "ihx" | "ihex" => return Kind::Hex,
        "bin" | "raw" | "img" => return Kind::Raw,
        _ => {}
    }
    match std::str::from_utf8(bytes) {
        Ok(text) if text.trim_start().starts_with(':') && from_hex(text).is_ok() => Kind::Hex,
        Ok(text) if !text.contains('\0') && !text.is_empty() => Kind::Source,
        _ => Kind::Raw,
    }
}

/// An image with the source it was made from, if it was.
#[derive(Debug)]
pub(crate) struct Program {
    pub(crate) image: Image,
    pub(crate) source: Option<SourceFile>,
    /// Warnings and hints, rendered.
    pub(crate) remarks: String,
}

/// How diagnostics are rendered on standard error.
fn style() -> Style {
    let plain = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
    if std::io::stderr().is_terminal() && !plain { Style::Coloured } else { Style::Plain }
}

/// Reads a program; problems in a source are a failure with all of them in its text.
pub(crate) fn load(path: &Path, at: Option<u32>) -> Result<Program, Failure> {
    let bytes = files::read(path)?;
    let kind = kind_of(path, &bytes);
    let name = path.display().to_string();
    if at.is_some() && kind != Kind::Raw {
        return Err(Failure::usage(format!("{name}: --at is for raw images; this file says itself where it lies")));
    }
    let wrong = |error: wendax_asm::FormatError| Failure { text: format!("{name}: {error}"), status: 3 };
    let made = |image| Program { image, source: None, remarks: String::new() };
    match kind {
        Kind::Raw => from_raw(&bytes, at.unwrap_or(RAW_START)).map(made).map_err(wrong),
        Kind::Hex => from_hex(&files::text_of(path, bytes)?).map(|hex| made(hex.image)).map_err(wrong),
        Kind::Source => source(name, files::text_of(path, bytes)?),
    }
}

fn source(name: String, text: String) -> Result<Program, Failure> {
    let (sources, file) = Sources::single(name, text);
    let assembly = assemble(&sources, file);
    let remarks = render_all(&sources, &assembly.diagnostics, style());
    if !assembly.is_runnable() {
        return Err(Failure::problems(remarks));
    }
    Ok(Program { image: assembly.image, source: Some(sources.file(file).clone()), remarks })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_taken_by_their_name_or_else_by_what_is_in_them() {
        let kind = |name: &str, bytes: &[u8]| kind_of(Path::new(name), bytes);
        assert_eq!(kind("a.asm", b"\0\0"), Kind::Source);
        assert_eq!(kind("a.HEX", b"nop"), Kind::Hex);
        assert_eq!(kind("a.bin", b"nop"), Kind::Raw);
        assert_eq!(kind("a", b"start: nop"), Kind::Source);
        assert_eq!(kind("a", b":00000001FF"), Kind::Source, "no bytes: no image");
        assert_eq!(kind("a", b":0102000001FC\n:00000001FF\n"), Kind::Hex);
        assert_eq!(kind("a", &[1, 0, 2, 0]), Kind::Raw);
        assert_eq!(kind("a", &[0xFF, 0xFE]), Kind::Raw);
        assert_eq!(kind("a", b""), Kind::Raw);
    }
}
