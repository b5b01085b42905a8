//! A program ready to run: segments with rights, names with their sizes, lines; and the files it is written to and
//! read from.
//!
//! An [`Image`] is what the assembler makes and a machine loads. `elf` writes and reads it as an ELF program with DWARF
//! lines, and has what is common to programs and objects; `formats` writes and reads images without names: raw bytes,
//! Intel HEX, S-records. What is in the files is told in `docs/formats.md`.
//!
//! This crate knows nothing of syntax or of running, and opens no files.

pub mod elf;
mod formats;
mod image;
mod index;
mod routines;
mod variables;

pub use elf::{ElfError, ElfProgram, SourceTrouble, UNFOLDED, from_elf, is_elf, is_object, to_elf, unfold};
pub use formats::{FormatError, Loaded, from_hex, from_raw, from_srecord, to_hex, to_raw, to_srecord};
pub use image::{Image, Line, LineKind, Rights, Segment, Symbol, SymbolKind};
pub use index::Lazy;
pub use routines::Extent;
pub use variables::{Bits, Cell, DEEPEST_TYPE, Home, Member, NumberForm, Stay, TypeId, TypeKind, Variable, Variables};
pub use wendax_isa::Addr;
