//! Text to image: the assembler, the linker and the files they write.
//!
//! [`assemble`] is the whole way in one call. It always gives an [`Image`], as good as the text allows, so
//! that addresses can be shown beside a text that still has problems, and all diagnostics at once;
//! whether the image may be run is [`Assembly::is_runnable`]. It never panics and never stops at the first
//! problem, whatever bytes it is given.
//!
//! The stations, each a module: `lexer` (a line to tokens), `parser` (tokens to statements and names),
//! `layout` (addresses and shortest forms), `emit` (bytes, line map, values out of range), `checks`
//! (what builds but looks wrong). What a program may contain is in `docs/language.md`.
//!
//! This crate knows nothing of running.

mod checks;
mod codes;
mod directives;
mod disassembly;
mod emit;
mod expr;
mod formats;
mod guide;
mod image;
mod layout;
mod lexer;
mod listing;
mod mnemonics;
mod parser;
mod problems;
mod unit;

pub use codes::{CODES, CodeInfo, problems_document};
pub use directives::{DIRECTIVES, DirectiveInfo};
pub use disassembly::disassembly;
pub use formats::{FormatError, HexImage, from_hex, from_raw, to_hex, to_raw};
pub use guide::{GuideEntry, guide, guide_nearest, guide_words};
pub use image::{Image, Line, LineKind, Rights, Segment, Symbol, SymbolKind};
pub use lexer::{Lexeme, lexemes};
pub use listing::listing;
pub use mnemonics::mnemonics;

use wendax_source::{Diagnostic, FileId, Severity, Sources};

/// What became of a source.
#[derive(Debug, Clone, Default)]
pub struct Assembly {
    /// The program, complete only when there is no problem.
    pub image: Image,
    /// All that was found, in order of place.
    pub diagnostics: Vec<Diagnostic>,
}

impl Assembly {
    /// There is no problem (warnings and hints do not count): the image may be run.
    pub fn is_runnable(&self) -> bool {
        self.diagnostics.iter().all(|diagnostic| diagnostic.severity != Severity::Problem)
    }
}

/// Assembles one source text.
///
/// ```
/// use wendax_source::Sources;
/// let (sources, file) = Sources::single("lamp.asm", "start: mov r0, 5\n sys exit\n");
/// let assembly = wendax_asm::assemble(&sources, file);
/// assert!(assembly.is_runnable());
/// assert_eq!(assembly.image.segments[0].bytes, [0x05, 0x30, 0x00, 0x01]);
/// ```
pub fn assemble(sources: &Sources, file: FileId) -> Assembly {
    let mut unit = parser::parse(sources, file);
    let mut layout = layout::lay_out(&mut unit);
    let image = emit::emit(sources, &mut unit, &mut layout);
    checks::check(&mut unit, &image);
    Assembly { image, diagnostics: unit.problems.finish() }
}
