//! Text to object to image: the assembler, the linker and the files they write.
//!
//! [`assemble`] is the whole way for one text in one call, [`Assembler`] for a program of several, again and
//! again. Both always give an [`Image`], as good as the text allows, so that addresses can be shown beside a
//! text that still has problems, and all diagnostics at once; whether the image may be run is
//! [`Assembly::is_runnable`]. They never panic and never stop at the first problem, whatever bytes they are
//! given.
//!
//! The stations, each a module: `parser` (tokens of the language, which is the crate `wendax-language`, to statements and names, macros
//! unfolded, files included: a `unit`), `link` (units to a program), `layout` (addresses and shortest forms),
//! `encode` and `emit` (bytes, line map, values out of range), `checks` (what builds but looks wrong). Of the latter two, halves of a
//! large program are done at once (`both`). What a
//! program may contain is in `docs/language.md`; the forms of image files are in the crate `wendax-image`, those of objects in `objects`.
//!
//! This crate knows nothing of running, and opens no files.

mod assembler;
mod both;
mod checks;
mod disassembly;
mod emit;
mod encode;
mod layout;
mod link;
mod listing;
mod meant;
mod names;
mod objects;
mod parser;
mod rv32;
mod texts;
mod unit;

pub use assembler::{Assembler, Inputs, Library};
pub use disassembly::{disassembly, instructions};
pub use listing::{SymbolOrder, cycles_words, listing, memory_map, symbol_table};
pub use meant::{Meant, MeantKind};
pub use objects::{describe_objects, is_library, to_library};

pub(crate) use wendax_language::{codes, dialect, directives, expansion, expr, lexer, mnemonics, problems, syntax};

use std::sync::Arc;
use unit::Unit;
use wendax_image::Image;
use wendax_source::{Diagnostic, FileId, Severity, Sources};

/// What became of sources.
#[derive(Debug, Clone)]
pub struct Assembly {
    /// The program, complete only when there is no problem.
    pub image: Image,
    /// All that was found, in order of place.
    pub diagnostics: Vec<Diagnostic>,
    /// Warnings and hints that are meant so, and why.
    pub meant: Vec<Meant>,
    /// All texts it speaks of.
    pub sources: Sources,
    /// Files that its sources could name, beside the one and the other.
    pub(crate) around: Vec<Arc<[String]>>,
    /// What each source was parsed to.
    pub(crate) units: Vec<Arc<Unit>>,
}

impl Assembly {
    /// One of an image that was not made here.
    pub fn of_image(image: Image, sources: Sources) -> Self {
        let (diagnostics, meant, around, units) = Default::default();
        Self { image, diagnostics, meant, sources, around, units }
    }

    /// Takes in what was found elsewhere, such as in a manifest.
    pub fn add(&mut self, found: Vec<Diagnostic>) {
        self.diagnostics.extend(found);
        self.diagnostics.sort_by_key(|found| (found.primary.span.file, found.primary.span.start, found.severity));
    }

    /// There is no problem (warnings and hints do not count): the image may be run.
    pub fn is_runnable(&self) -> bool {
        self.diagnostics.iter().all(|diagnostic| diagnostic.severity != Severity::Problem)
    }
}

/// Assembles one source text that needs no other.
///
/// ```
/// use wendax_source::Sources;
/// let (sources, file) = Sources::single("lamp.asm", "start: mov r0, 5\n sys exit\n");
/// let assembly = wendax_asm::assemble(&sources, file);
/// assert!(assembly.is_runnable());
/// assert_eq!(assembly.image.segments[0].bytes, [0x05, 0x30, 0x00, 0x01]);
/// ```
pub fn assemble(sources: &Sources, file: FileId) -> Assembly {
    let inputs = Inputs { sources: vec![sources.file(file).name().to_owned()], ..Inputs::default() };
    Assembler::with_sources(sources.clone()).assemble(&inputs, sources)
}
