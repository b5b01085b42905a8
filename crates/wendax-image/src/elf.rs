//! Programs as ELF files (Tool Interface Standard, "Executable and Linking Format", version 1.2, 1995) with DWARF 5
//! line tables (DWARF Debugging Information Format, version 5, 2017), and what objects have in common with them.
//!
//! Which machine a file is for is a number in it; [`wendax_isa::Target::elf`] says which, and what of files for it is
//! refused. Addresses take four bytes, as the 32-bit class asks. `docs/formats.md` says what is in the files.
//!
//! `write` knows the form of a file, `lines` that of line tables; `executable` says what goes in, `read` takes it out
//! again, `attributes` reads what compilers say of the instructions they used. Objects themselves belong to the assembler,
//! which knows what has to be put into them.

mod attributes;
mod executable;
mod lines;
mod read;
#[cfg(test)]
mod tests;
mod variables;
mod write;

pub use executable::to_elf;
pub use lines::{Row, sections};
pub use read::{
    ElfError, ElfProgram, ElfSource, SourceTrouble, UNFOLDED, from_elf, is_elf, is_object, label_above, object_rows,
    unfold,
};
pub use write::{Contents, Home, Rela, Section, Symbol};

/// Flag of a section of an object that has its place already (`.org`), which is its address; among those that the
/// standard leaves to machines.
pub const PLACED: u32 = 0x1000_0000;

/// What sections of programs are called that are room kept free.
const ROOM: &str = ".zeroed";

/// Who made a unit of debug information, as it says itself.
const PRODUCER: &str = "Wendax";
