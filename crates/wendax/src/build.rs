//! `wendax build`: sources to an image, an object or a library, and what is told of it.

use crate::cli::{Build, Format};
use crate::{Failure, files, program};
use std::io::Write;
use std::path::{Path, PathBuf};
use wendax_asm::{Assembler, listing, memory_map, symbol_table, to_library};
use wendax_image::{Image, to_elf, to_hex, to_srecord};
use wendax_project::{DiskFiles, Project, mend};
use wendax_source::{FileId, Style, render_all};

/// What becomes of fixes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Fixing {
    Written,
    Shown,
}

pub(crate) fn build(options: &Build) -> Result<u8, Failure> {
    let format = options.format.or_else(|| options.output.as_deref().and_then(format_of)).unwrap_or(Format::Elf);
    if matches!(format, Format::Object | Format::Library) {
        return objects(options, format);
    }
    let path = match options.files.as_slice() {
        [] => program::here(None)?,
        [one] => one,
        _ => return Err(Failure::usage("several sources need a wendax.toml, or --format library")),
    };
    if options.show_fixes {
        fix(path, Fixing::Shown)?;
        return Ok(0);
    }
    if options.fix {
        fix(path, Fixing::Written)?;
    }
    let program = program::load(path, None, program::Belongs::Nowhere)?;
    let Some(project) = &program.project else {
        return Err(Failure::usage(format!("{}: build takes a source; this is an image", path.display())));
    };
    // Nobody is left to tell when standard error is gone.
    let _ = write!(std::io::stderr(), "{}", program.remarks);
    let output = match &options.output {
        Some(output) => output.clone(),
        None => default_output(project, path, extension(format))?,
    };
    let sources: Vec<PathBuf> = program.inputs.sources.iter().map(|source| project.root.join(source)).collect();
    keep_sources(options, &output, &sources)?;
    let image = program.image();
    let all = &program.assembly.sources;
    let bytes = match format {
        Format::Bin => raw(image),
        Format::Hex => to_hex(image).into_bytes(),
        Format::Srec => to_srecord(image, &project.name()).into_bytes(),
        Format::Elf | Format::Object | Format::Library => to_elf(image, all),
    };
    let roots: Vec<FileId> = program.inputs.sources.iter().filter_map(|source| all.find(source)).collect();
    let mut texts: Vec<(&Path, String)> = Vec::new();
    if let Some(place) = &options.listing {
        texts.push((place, listing(all, &with_includes(&roots, image), image)));
    }
    if let Some(place) = &options.symbols {
        texts.push((place, symbol_table(all, image, options.order.into())));
    }
    if let Some(place) = &options.map {
        texts.push((place, memory_map(image)));
    }
    for (place, text) in texts {
        files::write_to(place, text.as_bytes())?;
    }
    files::write_to(&output, &bytes)?;
    Ok(0)
}

/// The sources, then the files they include that became anything.
fn with_includes(roots: &[FileId], image: &Image) -> Vec<FileId> {
    let mut files = roots.to_vec();
    for line in &image.lines {
        if !files.contains(&line.span.file) {
            files.push(line.span.file);
        }
    }
    files
}

fn format_of(output: &Path) -> Option<Format> {
    match output.extension()?.to_str()?.to_ascii_lowercase().as_str() {
        "elf" => Some(Format::Elf),
        "o" => Some(Format::Object),
        "a" => Some(Format::Library),
        "hex" | "ihx" | "ihex" => Some(Format::Hex),
        "srec" | "s19" | "mot" => Some(Format::Srec),
        "bin" | "raw" | "img" => Some(Format::Bin),
        _ => None,
    }
}

fn extension(format: Format) -> &'static str {
    match format {
        Format::Elf => "elf",
        Format::Object => "o",
        Format::Library => "a",
        Format::Hex => "hex",
        Format::Srec => "srec",
        Format::Bin => "bin",
    }
}

/// Beside a source; of a project in its folder `build`.
fn default_output(project: &Project, path: &Path, extension: &str) -> Result<PathBuf, Failure> {
    if project.manifest_path.is_none() {
        return Ok(path.with_extension(extension));
    }
    let folder = project.root.join("build");
    let tell = |error: std::io::Error| Failure::usage(format!("{}: {}", folder.display(), files::plain(&error)));
    std::fs::create_dir_all(&folder).map_err(tell)?;
    Ok(folder.join(format!("{}.{extension}", project.name())))
}

/// Nothing is written over a source.
fn keep_sources(options: &Build, output: &Path, sources: &[PathBuf]) -> Result<(), Failure> {
    let outputs = [Some(output), options.listing.as_deref(), options.symbols.as_deref(), options.map.as_deref()];
    for output in outputs.into_iter().flatten() {
        if sources.iter().any(|source| same_file(output, source)) {
            let text = format!("{}: this would overwrite the source; name another with -o", output.display());
            return Err(Failure::usage(text));
        }
    }
    Ok(())
}

fn same_file(one: &Path, other: &Path) -> bool {
    match (std::fs::canonicalize(one), std::fs::canonicalize(other)) {
        (Ok(one), Ok(other)) => one == other,
        _ => one == other,
    }
}

/// Sources to objects, each for itself, or to a library of them.
fn objects(options: &Build, format: Format) -> Result<u8, Failure> {
    let (root, sources) = match options.files.as_slice() {
        [] | [_] => match program::project_at(program::here(options.files.first().map(PathBuf::as_path))?)? {
            Some(mut project) => {
                let inputs = project.inputs(&mut Assembler::default(), &project.files()).0;
                (project.root.clone(), inputs.sources)
            }
            None => (PathBuf::new(), names(&options.files)),
        },
        several => (PathBuf::new(), names(several)),
    };
    if format == Format::Object && sources.len() != 1 {
        return Err(Failure::usage("an object is made of one source; several make a library: --format library"));
    }
    let disk = DiskFiles::new(&root);
    let mut assembler = Assembler::default();
    let mut made: Vec<(String, Vec<u8>)> = Vec::new();
    let mut told = String::new();
    for source in &sources {
        match assembler.object(source, &disk) {
            Ok(bytes) => made.push((object_name(source), bytes)),
            Err(found) => told.push_str(&render_all(assembler.sources(), &found, Style::Plain)),
        }
    }
    if !told.is_empty() {
        return Err(Failure::problems(told));
    }
    let Some((first, bytes)) = made.first() else { return Err(Failure::usage("there are no sources")) };
    let usual = root.join(if format == Format::Object { first.clone() } else { "library.a".to_owned() });
    let output = options.output.clone().unwrap_or(usual);
    let places: Vec<PathBuf> = sources.iter().map(|source| root.join(source)).collect();
    keep_sources(options, &output, &places)?;
    let bytes = if format == Format::Object { bytes.clone() } else { to_library(&made) };
    files::write_to(&output, &bytes)?;
    Ok(0)
}

fn names(files: &[PathBuf]) -> Vec<String> {
    files.iter().map(|file| file.to_string_lossy().into_owned()).collect()
}

fn object_name(source: &str) -> String {
    let path = Path::new(source).with_extension("o");
    path.file_name().map_or_else(|| "object.o".to_owned(), |name| name.to_string_lossy().into_owned())
}

/// Applies the certain fixes of a program that hold, or shows them.
fn fix(path: &Path, how: Fixing) -> Result<(), Failure> {
    let mut project = match program::project_at(path)? {
        Some(project) => project,
        // That an image cannot be built is told by who tries to.
        None if program::kind_of(path, &files::read(path)?) != program::Kind::Source => return Ok(()),
        None => match Project::at(path) {
            Some(project) => project,
            None => return Ok(()),
        },
    };
    let mut disk = project.files();
    let mended = mend(&mut project, &mut Assembler::default(), &mut disk);
    if how == Fixing::Shown {
        let mut patch = String::new();
        for (name, (before, after)) in &mended.texts {
            let diff = diffy::create_patch(before, after).to_string();
            let body = diff.split_once("+++ modified\n").map_or(diff.as_str(), |(_, body)| body);
            patch.push_str(&format!("--- {name}\n+++ {name}\n{body}"));
        }
        return files::print(patch.as_bytes());
    }
    for (name, (_, text)) in &mended.texts {
        files::write_to(&project.root.join(name), text.as_bytes())?;
    }
    for done in &mended.done {
        // Nobody is left to tell when standard error is gone.
        let _ = writeln!(std::io::stderr(), "{}:{}:{}  done: {}", done.file, done.line, done.column, done.title);
    }
    Ok(())
}

/// Raw bytes say nothing of where they lie, so that is told where it is not the usual.
pub(crate) fn raw(image: &Image) -> Vec<u8> {
    let (start, bytes) = wendax_image::to_raw(image);
    let mut notes = Vec::new();
    if start != wendax_isa::target().map.code_start {
        notes.push(format!("this image lies at 0x{start:04X}: run it with --at 0x{start:04X}"));
    }
    if image.entry != start {
        notes.push(format!("its entry is 0x{:04X}, which raw bytes cannot say; the other forms can", image.entry));
    }
    for note in notes {
        let _ = writeln!(std::io::stderr(), "note: {note}");
    }
    bytes
}
