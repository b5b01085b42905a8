//! `wendax format`: sources in columns.

use crate::cli::FormatOptions;
use crate::out::tell;
use crate::{Failure, files, program};
use std::path::PathBuf;
use wendax_asm::Assembler;
use wendax_isa::Target;
use wendax_language::{format, machine_of};

pub(crate) fn format_files(options: &FormatOptions) -> Result<u8, Failure> {
    // Each with the machine that its project is for.
    let mut places: Vec<(PathBuf, Option<&'static Target>)> = Vec::new();
    let given: Vec<PathBuf> =
        if options.files.is_empty() { vec![program::here(None)?.to_owned()] } else { options.files.clone() };
    for path in &given {
        match program::project_at(path)? {
            Some(mut project) => {
                let inputs = project.inputs(&mut Assembler::default(), &project.files()).0;
                places.extend(inputs.sources.iter().map(|source| (project.root.join(source), inputs.target)));
            }
            None => places.push((path.clone(), None)),
        }
    }
    let mut others = 0;
    for (place, target) in places {
        let text = files::text_of(&place, files::read(&place)?)?;
        let target = options.target.or(machine_of(&text)).or(target).unwrap_or(wendax_project::default_target());
        let formatted = format(&text, target);
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
