//! A path to a program: a project, a source, or an image in any of the forms we write.

use crate::cli::{Format, Opening, Problems};
use crate::out::tell;
use crate::problems::{self, told};
use crate::{Failure, build, files};
use std::path::{Path, PathBuf};
use wendax_asm::{Assembly, Inputs, Meant};
use wendax_image::{
    Addr, ElfProgram, FormatError, Image, SourceTrouble, from_elf, from_hex, from_raw, from_srecord, is_elf, is_object,
};
use wendax_isa::Target;
use wendax_language::CautionKind;
use wendax_project::{Built, DiskFiles, NAME, Project, Seal, Workshop};
use wendax_source::{Diagnostic, Severity};

/// What a file is taken for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    Source,
    Elf,
    Object,
    Library,
    Hex,
    Srecord,
    Raw,
}

impl Kind {
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Source => "a source",
            Self::Elf => "an ELF program",
            Self::Object => "an ELF object",
            Self::Library => "a library of objects",
            Self::Hex => "Intel HEX",
            Self::Srecord => "S-records",
            Self::Raw => "raw bytes",
        }
    }
}

/// Tells by its name, or else by what is in it: records are Intel HEX or S-records, other text is source, the
/// rest raw.
pub(crate) fn kind_of(path: &Path, bytes: &[u8]) -> Kind {
    if is_elf(bytes) {
        return if is_object(bytes) { Kind::Object } else { Kind::Elf };
    }
    if wendax_asm::is_library(bytes) {
        return Kind::Library;
    }
    if files::is_source_name(path) {
        return Kind::Source;
    }
    match build::format_of(path) {
        Some(Format::Elf) => return Kind::Elf,
        Some(Format::Object) => return Kind::Object,
        Some(Format::Library) => return Kind::Library,
        Some(Format::Hex) => return Kind::Hex,
        Some(Format::Srec) => return Kind::Srecord,
        Some(Format::Bin) => return Kind::Raw,
        None => {}
    }
    match std::str::from_utf8(bytes) {
        Ok(text) if text.trim_start().starts_with(':') && is_records(text, from_hex) => Kind::Hex,
        Ok(text) if text.trim_start().starts_with('S') && is_records(text, from_srecord) => Kind::Srecord,
        Ok(text) if !text.contains('\0') && !text.is_empty() => Kind::Source,
        _ => Kind::Raw,
    }
}

/// How records are read.
type Read = fn(&'static Target, &str) -> Result<wendax_image::Loaded, FormatError>;

/// Records for any machine, whole or cut off.
fn is_records(text: &str, read: Read) -> bool {
    let is_read = |target| matches!(read(target, text), Ok(_) | Err(FormatError::Unfinished(_)));
    wendax_isa::targets().into_iter().any(is_read)
}

/// An image with what is known of where it came from.
#[derive(Debug)]
pub(crate) struct Program {
    /// Its image, texts and names.
    pub(crate) assembly: Assembly,
    /// The project it was made from, when it was not an image.
    pub(crate) project: Option<Project>,
    /// What was assembled.
    pub(crate) inputs: Inputs,
    /// Warnings and hints, rendered.
    pub(crate) remarks: String,
    /// The files it was read from.
    pub(crate) read: Vec<PathBuf>,
}

impl Program {
    pub(crate) fn image(&self) -> &Image {
        &self.assembly.image
    }

    /// Kinds of cautions in runs that its manifest says are meant, each with why.
    pub(crate) fn meant_in_runs(&self) -> &[(CautionKind, String)] {
        self.project.as_ref().map_or(&[], |project| &project.manifest.meant_in_runs)
    }

    /// Its warnings, rendered.
    pub(crate) fn warnings(&self, form: Problems) -> String {
        let warnings: Vec<Diagnostic> =
            self.assembly.diagnostics.iter().filter(|found| found.severity == Severity::Warning).cloned().collect();
        told(&self.assembly.sources, &warnings, form)
    }
}

/// The path a command is about: the one given, or the project where we are.
pub(crate) fn here(path: Option<&Path>) -> Result<&Path, Failure> {
    match path {
        Some(path) => Ok(path),
        None if Path::new(NAME).is_file() => Ok(Path::new(".")),
        None => Err(Failure::usage(format!(
            "name a source, an image or a project; there is no {NAME} in this folder (`wendax new FOLDER` makes a project)"
        ))),
    }
}

/// The project a path stands for, if it is no image.
pub(crate) fn project_at(path: &Path) -> Result<Option<Project>, Failure> {
    if path.is_dir() {
        let none = || Failure::usage(format!("{}: there is no {NAME} in this folder", path.display()));
        return Project::at(path).map(Some).ok_or_else(none);
    }
    if path.file_name().is_some_and(|name| name == NAME) {
        return Ok(Project::at(path));
    }
    Ok(None)
}

/// Whether a source is taken by itself, or as part of the project that selects it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Belongs {
    /// By itself.
    Nowhere,
    /// To the project around it, if there is one that selects it.
    ToProject,
}

/// How a program is read.
#[derive(Debug, Clone)]
pub(crate) struct How {
    /// Where a raw image lies.
    pub(crate) at: Option<Addr>,
    /// The machine that an image is for which does not say so.
    pub(crate) target: Option<&'static Target>,
    pub(crate) belongs: Belongs,
    /// What it may open.
    pub(crate) seal: Seal,
    pub(crate) telling: Telling,
}

/// What is told of a program, and how.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Telling {
    /// Warnings count as problems.
    pub(crate) is_strict: bool,
    /// What is meant so is told as well.
    pub(crate) with_meant: bool,
    pub(crate) form: Problems,
}

impl Telling {
    pub(crate) fn of(opening: &Opening) -> Self {
        Self { is_strict: opening.strict, with_meant: opening.meant, form: opening.problems }
    }

    /// This keeps a program from being run or written.
    fn is_problem(self, found: &Diagnostic) -> bool {
        found.severity == Severity::Problem || self.is_strict && found.severity == Severity::Warning
    }
}

/// Reads a program; problems in a source are a failure with all of them in its text.
pub(crate) fn load(path: &Path, how: &How) -> Result<Program, Failure> {
    let &How { at, belongs, telling, .. } = how;
    if let Some(project) = project_at(path)? {
        return assemble(project.under(how.seal.clone()).for_target(how.target), &[], telling);
    }
    how.seal.may_read(path).map_err(|why| Failure::usage(format!("{}: {why}", path.display())))?;
    let unread = |failure| problems::unread(path, failure, telling.form);
    let bytes = files::read(path).map_err(unread)?;
    let kind = kind_of(path, &bytes);
    let name = path.display().to_string();
    if at.is_some() && kind != Kind::Raw {
        return Err(Failure::usage(format!("{name}: --at is for raw images; this file says itself where it lies")));
    }
    match kind {
        Kind::Source => {
            // Told here, with its line, rather than as a problem of the program; and read once, as pipes must be.
            let text = files::text_of(path, bytes).map_err(unread)?;
            let (project, inside) = match belongs {
                Belongs::ToProject if path.as_os_str() != "-" => Project::around(path),
                _ => (Project::of_files(vec![name.clone()], Vec::new()), name),
            };
            assemble(project.under(how.seal.clone()).for_target(how.target), &[(inside, text)], telling)
        }
        Kind::Object | Kind::Library => {
            let text = format!("{name}: this is {}; `wendax build {name} -o program.elf` links it", kind.words());
            Err(Failure::usage(text))
        }
        _ => image(path, &bytes, kind, how),
    }
}

fn image(path: &Path, bytes: &[u8], kind: Kind, how: &How) -> Result<Program, Failure> {
    let name = path.display().to_string();
    let target = how.target.unwrap_or(wendax_project::default_target());
    let wrong = |error: FormatError| {
        // Records and raw bytes do not say which machine they are for.
        let may_hold = |other: &&'static Target| match error {
            FormatError::Outside(place) => !std::ptr::eq(*other, target) && other.map.holds(place.1, 1),
            _ => false,
        };
        let other = wendax_isa::targets().into_iter().find(may_hold).map(|other| other.name.to_ascii_lowercase());
        let hint = other.map_or_else(String::new, |other| format!("; is it for {other}? --target {other}"));
        Failure::problems(format!("{name}: {error}{hint}"))
    };
    let text = || files::text_of(path, bytes.to_vec());
    let mut remarks = String::new();
    let mut read = Vec::new();
    let assembly = match kind {
        Kind::Elf => {
            let program = from_elf(bytes).map_err(|error| Failure::problems(format!("{name}: {error}")))?;
            let (assembly, note, texts) = with_sources(&program, path, how.seal.is_whole);
            (remarks, read) = (note, texts);
            assembly
        }
        Kind::Hex => bare(from_hex(target, &text()?).map_err(wrong)?.image),
        Kind::Srecord => bare(from_srecord(target, &text()?).map_err(wrong)?.image),
        Kind::Raw | Kind::Source | Kind::Object | Kind::Library => {
            let at = how.at.unwrap_or(target.map.code_start);
            if !at.is_multiple_of(target.code_align) {
                let (at, align) = (target.marked_address(at), target.code_align);
                return Err(Failure::usage(format!("--at {at}: code of {} lies at multiples of {align}", target.name)));
            }
            bare(from_raw(target, bytes, at).map_err(wrong)?)
        }
    };
    read.insert(0, path.to_owned());
    Ok(Program { assembly, project: None, inputs: Inputs::default(), remarks, read })
}

fn bare(image: Image) -> Assembly {
    Assembly::of_image(image, wendax_source::Sources::new())
}

/// An ELF program with its sources when they are where it says, from its own folder, the folders above it, or where
/// we are; else without, and why. Of a sealed one only its own folder is looked at.
fn with_sources(program: &ElfProgram, path: &Path, is_sealed: bool) -> (Assembly, String, Vec<PathBuf>) {
    let whole = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    let mut why: Option<SourceTrouble> = None;
    // The source that is missing where there is none at all.
    let mut first: Option<String> = None;
    for folder in whole.ancestors().skip(1).take(3).chain([Path::new("")]).take(if is_sealed { 1 } else { 4 }) {
        let files = DiskFiles::new(folder);
        let files = if is_sealed { files.sealed() } else { files };
        match program.with_sources(&files) {
            None => return (bare(program.bare_image()), String::new(), Vec::new()),
            Some(Ok((image, sources))) => {
                return (Assembly::of_image(image, sources), String::new(), files.paths_read());
            }
            Some(Err(reason)) => match (&why, &reason) {
                (None, SourceTrouble::Missing { name, .. }) => {
                    first = Some(name.clone());
                    why = Some(reason);
                }
                // Another text tells more than a place where there is none, and one that misses the second source
                // more than one that misses the first.
                (None, _) | (Some(SourceTrouble::Missing { .. }), SourceTrouble::Changed(_)) => why = Some(reason),
                (Some(SourceTrouble::Missing { name: known, .. }), SourceTrouble::Missing { name, .. })
                    if first.as_ref() == Some(known) && known != name =>
                {
                    why = Some(reason);
                }
                _ => {}
            },
        }
    }
    let note = why.map_or(String::new(), |why| format!("note: shown without source: {why}\n"));
    (bare(program.bare_image()), note, Vec::new())
}

/// Assembles a project; problems are a failure. Texts that were read already stand for their files.
pub(crate) fn assemble(project: Project, texts: &[(String, String)], telling: Telling) -> Result<Program, Failure> {
    let begun = std::time::Instant::now();
    let mut workshop = workshop(project, texts);
    let Built { assembly, inputs, .. } = workshop.build().map_err(|error| Failure::problems(error.to_string()))?;
    let remarks = told(&assembly.sources, &assembly.diagnostics, telling.form);
    for Meant { found, why } in assembly.meant.iter().filter(|_| telling.with_meant) {
        let place = assembly.sources.place(found.primary.span);
        let name = assembly.sources.file(found.primary.span.file).name();
        tell(&format!("{name}:{}:{}  meant {}  {} ({why})\n", place.line, place.column, found.code, found.message));
    }
    let time = begun.elapsed();
    tracing::info!(sources = inputs.sources.len(), found = assembly.diagnostics.len(), ?time, "assembled");
    if assembly.diagnostics.iter().any(|found| telling.is_problem(found)) {
        return Err(Failure::rendered(remarks));
    }
    let mut read = workshop.paths_read();
    let project = workshop.into_project();
    if !project.outside.is_empty() {
        tell(&format!("note: it uses folders outside of its own: {}\n", project.outside.join(", ")));
    }
    read.extend(texts.iter().map(|(name, _)| project.root.join(name)));
    Ok(Program { assembly, project: Some(project), inputs, remarks, read })
}

/// The workshop of a project, in which texts that were read already stand for their files.
pub(crate) fn workshop(project: Project, texts: &[(String, String)]) -> Workshop {
    let mut workshop = Workshop::new(project);
    for (name, text) in texts {
        workshop.edit(name, text.as_str().into());
    }
    workshop
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_taken_by_their_name_or_else_by_what_is_in_them() {
        let kind = |name: &str, bytes: &[u8]| kind_of(Path::new(name), bytes);
        assert_eq!(kind("a.asm", b"\0\0"), Kind::Source);
        assert_eq!(kind("a.HEX", b"nop"), Kind::Hex);
        assert_eq!(kind("a.bin", b"nop"), Kind::Raw);
        assert_eq!(kind("a", b"start: nop"), Kind::Source);
        assert_eq!(kind("a", b":00000001FF"), Kind::Source, "no bytes: no image");
        assert_eq!(kind("a", b":0102000001FC\n"), Kind::Hex, "cut off");
        assert_eq!(kind("a.bin", b"!<arch>\n"), Kind::Library);
        assert_eq!(kind("a", b"\x7FELF\x01\x01\x01\0\0\0\0\0\0\0\0\0\x01\0"), Kind::Object);
        assert_eq!(kind("a", b":0102000001FC\n:00000001FF\n"), Kind::Hex);
        assert_eq!(kind("a", b"S1060200053000C2\nS9030200FA\n"), Kind::Srecord);
        assert_eq!(kind("a", b"S1: nop\n"), Kind::Source);
        assert_eq!(kind("a.bin", b"\x7FELF\x01\x01"), Kind::Elf);
        assert_eq!(kind("a", &[1, 0, 2, 0]), Kind::Raw);
        assert_eq!(kind("a", &[0xFF, 0xFE]), Kind::Raw);
        assert_eq!(kind("a", b""), Kind::Raw);
    }
}
