//! Objects as ELF files, and libraries as `ar` archives of them: what `wendax_image::elf` leaves to whoever knows what
//! has to be put into bytes when they are linked.
//!
//! `write` says what goes into an object, `read` makes units of it again, ready to be linked with those of sources. The
//! numbers of relocations stand beside [`crate::unit::PatchKind`].

mod read;
mod write;

use crate::expr::Step;
use crate::texts::{Texts, Used};
use crate::unit::{Definition, Name, What};
use wendax_image::ElfError;
use wendax_source::MemoryFiles;

pub use read::is_library;
pub(crate) use read::read_objects;
pub(crate) use write::object;

/// What an object, or each object of a library, holds, makes known and needs, in lines of text.
pub fn describe_objects(path: &str, bytes: &[u8]) -> Result<String, ElfError> {
    let mut texts = Texts::default();
    // Its lines are not shown here.
    let nothing = MemoryFiles::default();
    let units = read_objects(path, bytes, &mut texts, &nothing, &mut Used::default())?;
    let mut out = String::new();
    for unit in &units {
        out.push_str(texts.sources.file(unit.file).name());
        out.push('\n');
        for (_, section) in unit.section_list().filter(|(_, section)| !section.statements.is_empty()) {
            let length = |what: &What| match *what {
                What::Object { bytes: (from, to), .. } => i64::from(to - from),
                // Room of an object is given as a number.
                What::Space { count, .. } => match unit.steps(count) {
                    [Step::Number(bytes)] => *bytes,
                    _ => 0,
                },
                _ => 0,
            };
            let bytes: i64 = section.statements.iter().map(|statement| length(&statement.what)).sum();
            out.push_str(&format!("    {:8} {}, {bytes} bytes\n", section.name, section.kind.word()));
        }
        let names = |wanted: fn(&Name) -> bool| {
            let names: Vec<&str> =
                unit.symbols().filter(|(_, name)| wanted(name)).map(|(id, _)| unit.spelling(id)).collect();
            names.join(" ")
        };
        let known = names(|name| name.global.is_some());
        let needed = names(|name| matches!(name.definition, Definition::Extern));
        for (title, names) in
            [("makes known", known), ("needs", needed)].into_iter().filter(|(_, names)| !names.is_empty())
        {
            out.push_str(&format!("    {title}: {names}\n"));
        }
    }
    Ok(out)
}

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
