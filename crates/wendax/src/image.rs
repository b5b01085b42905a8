//! `wendax image`: what is in an image, or the image in another form.

use crate::cli::{Format, ImageOptions, Show};
use crate::out::tell_rendered;
use crate::{Failure, build, files, program};
use std::fmt::Write;
use std::path::Path;
use wendax_asm::{describe_objects, disassembly, listing, memory_map, symbol_table};
use wendax_image::{to_elf, to_hex, to_srecord};
use wendax_source::FileId;

/// An object or library: what it holds, makes known and needs.
fn objects(options: &ImageOptions, bytes: &[u8]) -> Result<u8, Failure> {
    let path = &options.file;
    let name = path.display();
    if options.format.is_some() || !options.show.is_empty() {
        let kind = program::kind_of(path, bytes).words();
        let text = format!("{name}: this is {kind}; `wendax build {name} -o program.elf` links it to an image first");
        return Err(Failure::usage(text));
    }
    let text = describe_objects(&name.to_string(), bytes);
    let text = text.map_err(|error| Failure::problems(format!("{name}: {error}")))?;
    if let Some(output) = &options.output {
        files::keep_apart(std::slice::from_ref(path), &[("-o", output)])?;
    }
    let text = format!("{name}: {}\n\n{text}", program::kind_of(path, bytes).words());
    files::write_to(options.output.as_deref().unwrap_or(Path::new("-")), text.as_bytes())?;
    Ok(0)
}

/// The ending is that of a text.
fn is_text(place: Option<&Path>) -> bool {
    place.is_some_and(|place| matches!(wendax_session::ending(place).as_str(), "" | "txt" | "lst" | "sym" | "map"))
}

/// The name of a program in records: that of its file.
fn stem(path: &Path) -> String {
    path.file_stem().map_or_else(String::new, |stem| stem.to_string_lossy().into_owned())
}

pub(crate) fn image(options: &ImageOptions) -> Result<u8, Failure> {
    let path = &options.file;
    let seal = options.opening.bounds.seal(None);
    if program::project_at(path)?.is_none() && path.as_os_str() != "-" {
        seal.may_read(path).map_err(|why| Failure::usage(format!("{}: {why}", path.display())))?;
        let bytes = files::read(path)?;
        if matches!(program::kind_of(path, &bytes), program::Kind::Object | program::Kind::Library) {
            return objects(options, &bytes);
        }
    }
    let how = program::How {
        at: options.at,
        target: options.target,
        belongs: program::Belongs::Nowhere,
        seal,
        telling: program::Telling::of(&options.opening),
    };
    let program = program::load(path, &how)?;
    if let Some(output) = &options.output {
        files::keep_apart(&program.read, &[("-o", output)])?;
    }
    tell_rendered(&program.remarks);
    let image = program.image();
    let sources = &program.assembly.sources;
    // What is shown is text, and goes to a file that is named like none of the forms.
    let asked = options.output.as_deref().filter(|_| options.show.is_empty() && options.format.is_none());
    let format = match (options.format, asked.map(build::asked_for)) {
        (Some(format), _) => Some(format),
        (None, Some(asked)) if !is_text(options.output.as_deref()) => asked?,
        (None, _) => None,
    };
    if let Some(format) = format {
        let bytes = match format {
            Format::Bin => build::raw(image)?,
            Format::Hex => to_hex(image).into_bytes(),
            Format::Srec => to_srecord(image, &stem(path)).into_bytes(),
            Format::Elf => to_elf(image, sources),
            Format::Object | Format::Library => {
                return Err(Failure::usage("an image cannot be made an object again; `wendax build` makes them"));
            }
        };
        files::write_to(options.output.as_deref().unwrap_or(Path::new("-")), &bytes)?;
        return Ok(0);
    }
    let mut out = String::new();
    let parts = if options.show.is_empty() { vec![Show::Map, Show::Symbols, Show::Code] } else { options.show.clone() };
    if options.show.is_empty() {
        let kind = match files::read(path) {
            Ok(bytes) => program::kind_of(path, &bytes).words(),
            Err(_) => "a project",
        };
        // Writing to a String cannot fail.
        let _ = writeln!(out, "{}: {kind}\n", path.display());
    }
    for (index, part) in parts.iter().enumerate() {
        if index > 0 {
            out.push('\n');
        }
        match part {
            Show::Map => out.push_str(&memory_map(image)),
            Show::Symbols => out.push_str(&symbol_table(sources, image, options.order.into())),
            Show::Code => out.push_str(&disassembly(image).0),
            Show::Lines => {
                let mut roots: Vec<FileId> = image.lines.iter().map(|line| line.span.file).collect();
                roots.sort_unstable();
                roots.dedup();
                if roots.is_empty() {
                    return Err(Failure::usage(format!("{}: this image has no lines of source", path.display())));
                }
                out.push_str(&listing(sources, &roots, image));
            }
        }
    }
    files::write_to(options.output.as_deref().unwrap_or(Path::new("-")), out.as_bytes())?;
    Ok(0)
}
