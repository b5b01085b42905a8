//! `wendax format`: sources in columns.

use crate::cli::FormatOptions;
use crate::out::tell;
use crate::{Failure, files, program};
use std::path::PathBuf;
use wendax_asm::{Assembler, format};

pub(crate) fn format_files(options: &FormatOptions) -> Result<u8, Failure> {
    let mut places: Vec<PathBuf> = Vec::new();
    let given: Vec<PathBuf> =
        if options.files.is_empty() { vec![program::here(None)?.to_owned()] } else { options.files.clone() };
    for path in &given {
        match program::project_at(path)? {
            Some(mut project) => {
                let inputs = project.inputs(&mut Assembler::default(), &project.files()).0;
                places.extend(inputs.sources.iter().map(|source| project.root.join(source)));
            }
            None => places.push(path.clone()),
        }
    }
    let mut others = 0;
    for place in places {
        let text = files::text_of(&place, files::read(&place)?)?;
        let formatted = format(&text);
        if formatted == text && (options.check || place.as_os_str() != "-") {
            continue;
        }
        others += 1;
        if options.check {
            tell(&format!("{}: is not in columns\n", place.display()));
        } else {
            files::write_to(&place, formatted.as_bytes())?;
        }
    }
    Ok(if options.check && others > 0 { crate::status::PROBLEMS } else { 0 })
}
