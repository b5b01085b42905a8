//! `wendax build`: sources to an image, an object or a library, and what is told of it.

use crate::cli::{Build, Format};
use crate::out::{tell, tell_rendered};
use crate::{Failure, files, problems, program};
use std::path::{Path, PathBuf};
use wendax_asm::{Assembler, Assembly, listing, memory_map, symbol_table, to_library};
use wendax_image::{Image, to_elf, to_hex, to_srecord};
use wendax_project::Project;
use wendax_source::FileId;

/// What becomes of fixes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Fixing {
    Written,
    Shown,
}

pub(crate) fn build(options: &Build) -> Result<u8, Failure> {
    let format = match options.format {
        Some(format) => format,
        None => options.output.as_deref().map(asked_for).transpose()?.flatten().unwrap_or(Format::Elf),
    };
    let given = Given::of(options)?;
    if options.show_fixes || options.fix {
        let how = if options.fix { Fixing::Written } else { Fixing::Shown };
        fix(given.project.clone(), &given.texts, how)?;
        if options.show_fixes {
            return Ok(0);
        }
    }
    // Fixes have been written: what was read before them is no more so.
    let given = if options.fix { Given::of(options)? } else { given };
    if matches!(format, Format::Object | Format::Library) {
        return objects(options, given, format);
    }
    let program = program::assemble(given.project, &given.texts, program::Telling::of(&options.opening))?;
    let Some(project) = &program.project else { return Err(Failure::usage("there is nothing to build")) };
    tell_rendered(&program.remarks);
    let output = match &options.output {
        Some(output) => output.clone(),
        None => default_output(project, extension(format))?,
    };
    keep_apart(options, &output, &program.read)?;
    let image = program.image();
    let all = &program.assembly.sources;
    let bytes = match format {
        Format::Bin => raw(image)?,
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

/// Writes a program that was assembled in the form that the ending of a path says; tells what was written.
pub(crate) fn write_program(assembly: &Assembly, path: &Path) -> Result<String, Failure> {
    let (image, all) = (&assembly.image, &assembly.sources);
    let ending = path.extension().and_then(|ending| ending.to_str()).unwrap_or_default().to_ascii_lowercase();
    let bytes = match (ending.as_str(), format_of(path)) {
        ("lst", _) => listing(all, &with_includes(&[], image), image).into_bytes(),
        ("sym", _) => symbol_table(all, image, wendax_asm::SymbolOrder::Address).into_bytes(),
        ("map", _) => memory_map(image).into_bytes(),
        (_, Some(Format::Elf)) => to_elf(image, all),
        (_, Some(Format::Hex)) => to_hex(image).into_bytes(),
        (_, Some(Format::Srec)) => {
            let name = path.file_stem().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
            to_srecord(image, &name).into_bytes()
        }
        (_, Some(Format::Bin)) => wendax_image::to_raw(image).unwrap_or_default().1,
        (_, Some(Format::Object | Format::Library)) => {
            return Err(Failure::usage("objects and libraries are made by `wendax build`, one source at a time"));
        }
        (_, None) => {
            let text =
                format!("{}: the ending says what is written: .elf .hex .srec .bin, .lst .sym .map", path.display());
            return Err(Failure::usage(text));
        }
    };
    if files::is_source_name(path) {
        return Err(Failure::usage(format!("{}: this is named like a source; name another file", path.display())));
    }
    files::write(path, &bytes)
        .map_err(|error| Failure::usage(format!("{}: {}", path.display(), files::plain(&error))))?;
    Ok(format!("{} is written: {} bytes", path.display(), bytes.len()))
}

/// What is to be built.
struct Given {
    project: Project,
    /// Sources that were read already, by name.
    texts: Vec<(String, String)>,
    /// Objects and libraries named on the command line, with their bytes.
    objects: Vec<(String, Vec<u8>)>,
}

impl Given {
    /// A project, or sources, objects and libraries named on the command line.
    fn of(options: &Build) -> Result<Self, Failure> {
        let seal = options.opening.bounds.seal(None);
        let one = match options.files.as_slice() {
            [] => Some(program::here(None)?),
            [one] => Some(one.as_path()),
            _ => None,
        };
        if let Some(project) = one.map(program::project_at).transpose()?.flatten() {
            return Ok(Self {
                project: project.under(seal).for_target(options.target),
                texts: Vec::new(),
                objects: Vec::new(),
            });
        }
        let (mut texts, mut objects) = (Vec::new(), Vec::new());
        for path in &options.files {
            let name = path.display().to_string();
            if program::project_at(path)?.is_some() {
                return Err(Failure::usage(format!("{name}: a project is built by itself")));
            }
            seal.may_read(path).map_err(|why| Failure::usage(format!("{name}: {why}")))?;
            let unread = |failure| problems::unread(path, failure, options.opening.problems);
            let bytes = files::read(path).map_err(unread)?;
            if texts.iter().any(|(known, _)| files::same_file(Path::new(known), path)) {
                return Err(Failure::usage(format!("{name}: this source is named twice; once is enough")));
            }
            match program::kind_of(path, &bytes) {
                program::Kind::Source => texts.push((name, files::text_of(path, bytes).map_err(unread)?)),
                program::Kind::Object | program::Kind::Library => objects.push((name, bytes)),
                kind => {
                    let text = format!(
                        "{name}: this is {} and needs no building; `wendax image` writes it in other forms",
                        kind.words()
                    );
                    return Err(Failure::usage(text));
                }
            }
        }
        let names = |list: &[(String, String)]| list.iter().map(|(name, _)| name.clone()).collect();
        let libraries = objects.iter().map(|(name, _)| name.clone()).collect();
        let project = Project::of_files(names(&texts), libraries);
        Ok(Self { project: project.under(seal).for_target(options.target), texts, objects })
    }
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

/// The form that the ending of a file's name asks for; none where there is no ending.
///
/// An ending that is that of no form is refused: what is in the file would not be what it says.
pub(crate) fn asked_for(output: &Path) -> Result<Option<Format>, Failure> {
    match (format_of(output), wendax_session::ending(output)) {
        (Some(format), _) => Ok(Some(format)),
        (None, ending) if ending.is_empty() => Ok(None),
        (None, ending) => {
            let text = format!(
                "{}: no image has the ending .{ending}; there are .elf .o .a .hex .srec .bin, and --format says a form for any name",
                output.display()
            );
            Err(Failure { is_about_output: true, ..Failure::usage(text) })
        }
    }
}

/// What the ending of a file's name says of its form.
pub(crate) fn format_of(output: &Path) -> Option<Format> {
    match output.extension()?.to_str()?.to_ascii_lowercase().as_str() {
        "elf" => Some(Format::Elf),
        "o" => Some(Format::Object),
        "a" => Some(Format::Library),
        "hex" | "ihx" | "ihex" => Some(Format::Hex),
        "srec" | "s19" | "s28" | "s37" | "mot" => Some(Format::Srec),
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

/// Beside the first file; of a project in its folder `build`.
fn default_output(project: &Project, extension: &str) -> Result<PathBuf, Failure> {
    if project.manifest_path.is_none() {
        let first = project.first_file().filter(|first| first.as_os_str() != "-");
        let none = || Failure::usage("the source comes from standard input: say with -o where the image goes");
        return Ok(first.ok_or_else(none)?.with_extension(extension));
    }
    let folder = project.root.join("build");
    let tell = |error: std::io::Error| Failure::usage(format!("{}: {}", folder.display(), files::plain(&error)));
    std::fs::create_dir_all(&folder).map_err(tell)?;
    Ok(folder.join(format!("{}.{extension}", project.name())))
}

/// Nothing is written over what was read, nor twice to one place, nor an image among texts.
fn keep_apart(options: &Build, output: &Path, read: &[PathBuf]) -> Result<(), Failure> {
    let texts = [("--listing", &options.listing), ("--symbols", &options.symbols), ("--map", &options.map)];
    let texts = texts.into_iter().filter_map(|(name, place)| Some((name, place.as_deref()?)));
    let outputs: Vec<(&str, &Path)> = std::iter::once(("-o", output)).chain(texts).collect();
    if let [(_, image), texts @ ..] = outputs.as_slice()
        && image.as_os_str() == "-"
        && let Some((name, _)) = texts.iter().find(|(_, place)| place.as_os_str() == "-")
    {
        let text = format!("-o and {name} would both be written to standard output; name a file for one of them");
        return Err(Failure::usage(text));
    }
    files::keep_apart(read, &outputs)
}

/// Sources to objects, each for itself, or to a library of them and of objects that were given.
fn objects(options: &Build, given: Given, format: Format) -> Result<u8, Failure> {
    let mut project = given.project;
    let mut disk = project.files();
    for (name, text) in &given.texts {
        disk.edit(name, text.as_str().into());
    }
    let wendax_asm::Inputs { sources, target, .. } = project.inputs(&mut Assembler::default(), &disk).0;
    if format == Format::Object && (sources.len() != 1 || !given.objects.is_empty()) {
        return Err(Failure::usage("an object is made of one source; several make a library: --format library"));
    }
    if let Some((name, _)) = given.objects.iter().find(|(_, bytes)| wendax_asm::is_library(bytes)) {
        return Err(Failure::usage(format!("{name}: a library is made of sources and objects, not of libraries")));
    }
    let mut assembler = Assembler::default();
    let mut made: Vec<(String, Vec<u8>)> = Vec::new();
    let mut told = String::new();
    for source in &sources {
        match assembler.object(source, target, &disk) {
            Ok(bytes) => made.push((object_name(source), bytes)),
            Err(found) => told.push_str(&problems::told(assembler.sources(), &found, options.opening.problems)),
        }
    }
    if !told.is_empty() {
        return Err(Failure::rendered(told));
    }
    let given_objects = given.objects.into_iter();
    made.extend(given_objects.map(|(name, bytes)| (object_name(&name), bytes)));
    let Some((_, bytes)) = made.first() else { return Err(Failure::usage("there are no sources")) };
    let output = match (&options.output, sources.first()) {
        (Some(output), _) => output.clone(),
        // Beside the source it is made of.
        (None, Some(source)) if format == Format::Object && source != "-" => {
            project.root.join(source).with_extension("o")
        }
        (None, _) if format == Format::Object => return Err(Failure::usage("say with -o where the object goes")),
        (None, _) => project.root.join("library.a"),
    };
    let mut read = disk.paths_read();
    read.extend(options.files.iter().cloned());
    read.extend(sources.iter().map(|source| project.root.join(source)));
    keep_apart(options, &output, &read)?;
    let bytes = if format == Format::Object { bytes.clone() } else { to_library(&made) };
    files::write_to(&output, &bytes)?;
    Ok(0)
}

fn object_name(source: &str) -> String {
    let path = Path::new(source).with_extension("o");
    path.file_name().map_or_else(|| "object.o".to_owned(), |name| name.to_string_lossy().into_owned())
}

/// Applies the certain fixes of a program that hold, or shows them.
fn fix(project: Project, texts: &[(String, String)], how: Fixing) -> Result<(), Failure> {
    let mut workshop = program::workshop(project, texts);
    let mended = workshop.mend();
    let root = workshop.project().root.clone();
    if how == Fixing::Shown {
        let mut patch = String::new();
        for (name, (before, after)) in &mended.texts {
            let diff = diffy::create_patch(before, after).to_string();
            let body = diff.split_once("+++ modified\n").map_or(diff.as_str(), |(_, body)| body);
            patch.push_str(&format!("--- {name}\n+++ {name}\n{body}"));
        }
        if mended.texts.is_empty() {
            tell("note: no fix is certain; the bench offers guesses, one by one\n");
        }
        return files::print(patch.as_bytes());
    }
    if mended.texts.contains_key("-") {
        return Err(Failure::usage("standard input cannot be written back; --show-fixes shows what would change"));
    }
    for (name, (_, text)) in &mended.texts {
        files::write_to(&root.join(name), text.as_bytes())?;
    }
    for name in &mended.foreign {
        tell(&format!("note: {name} lies outside of the program's folder and is left as it is\n"));
    }
    for done in &mended.done {
        tell(&format!("{}:{}:{}  done: {}\n", done.file, done.line, done.column, done.title));
    }
    Ok(())
}

/// Raw bytes say nothing of where they lie, so that is told where it is not the usual.
pub(crate) fn raw(image: &Image) -> Result<Vec<u8>, Failure> {
    let (start, bytes) = wendax_image::to_raw(image).map_err(|error| Failure::problems(error.to_string()))?;
    let place = |address| image.target.marked_address(address);
    let mut notes = Vec::new();
    if start != image.target.map.code_start {
        notes.push(format!("this image lies at {0}: run it with --at {0}", place(start)));
    }
    if image.entry != start {
        notes.push(format!("its entry is {}, which raw bytes cannot say; the other forms can", place(image.entry)));
    }
    for note in notes {
        tell(&format!("note: {note}\n"));
    }
    Ok(bytes)
}
