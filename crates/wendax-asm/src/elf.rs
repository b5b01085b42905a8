//! Programs and objects as ELF files (Tool Interface Standard, "Executable and Linking Format", version 1.2,
//! 1995) with DWARF 5 line tables (DWARF Debugging Information Format, version 5, 2017), and libraries as `ar`
//! archives of objects.
//!
//! W16 has no number among those given to machines, so [`MACHINE`] is ours, as are the numbers of relocations
//! ([`crate::unit::PatchKind`]). Addresses take four bytes, as the 32-bit class asks; none is above FFFF.
//! `docs/formats.md` says what is in the files.
//!
//! `write` knows the form of a file, `lines` that of line tables; `executable` and `relocatable` say what goes
//! in, `read_executable` and `read_objects` take it out again.

mod executable;
mod lines;
mod read_executable;
mod read_objects;
mod relocatable;
mod write;

pub use executable::to_elf;
pub use read_executable::{ElfError, ElfProgram, SourceTrouble, from_elf, is_elf};
pub(crate) use read_objects::{is_library, read_objects};
pub(crate) use relocatable::object;

/// The number in `e_machine`: W16. Chosen by us, outside the numbers given out.
pub const MACHINE: u16 = 0x5716;

/// Objects as a library, in the order given, each with its name.
pub fn to_library(objects: &[(String, Vec<u8>)]) -> Vec<u8> {
    let names: Vec<Vec<u8>> = objects.iter().map(|(name, _)| name.clone().into_bytes()).collect();
    let mut builder = ar::GnuBuilder::new(Vec::new(), names.clone());
    for (name, (_, bytes)) in names.into_iter().zip(objects) {
        let mut header = ar::Header::new(name, bytes.len() as u64);
        // Who made it and when would make two runs differ.
        header.set_mode(0o644);
        builder.append(&header, bytes.as_slice()).expect("a vector takes all bytes, and the names are known");
    }
    builder.into_inner().expect("a vector is always whole")
}
