//! Objects as ELF files, and libraries as `ar` archives of them: what `wendax_image::elf` leaves to whoever knows what
//! has to be put into bytes when they are linked.
//!
//! `write` says what goes into an object, `read` makes units of it again, ready to be linked with those of sources. The
//! numbers of relocations are those of [`crate::unit::PatchKind`].

mod read;
mod write;

pub(crate) use read::{is_library, read_objects};
pub(crate) use write::object;

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
