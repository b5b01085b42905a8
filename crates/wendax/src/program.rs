//! A path to a program: a project, a source, or an image in any of the forms we write.

use crate::{Failure, files};
use std::io::IsTerminal;
use std::path::Path;
use wendax_asm::{Assembler, Assembly, Inputs};
use wendax_image::{
    Addr, ElfProgram, FormatError, Image, SourceTrouble, from_elf, from_hex, from_raw, from_srecord, is_elf,
};
use wendax_project::{DiskFiles, NAME, Project};
use wendax_source::{Diagnostic, Severity, Style, render_all};

/// What a file is taken for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    Source,
    Elf,
    Hex,
    Srecord,
    Raw,
}

impl Kind {
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Source => "a source",
            Self::Elf => "an ELF program",
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
        return Kind::Elf;
    }
    let extension = path.extension().and_then(|extension| extension.to_str()).unwrap_or_default();
    match extension.to_ascii_lowercase().as_str() {
        "asm" | "s" | "inc" => return Kind::Source,
        "elf" | "o" => return Kind::Elf,
        "hex" | "ihx" | "ihex" => return Kind::Hex,
        "srec" | "s19" | "s28" | "s37" | "mot" => return Kind::Srecord,
        "bin" | "raw" | "img" => return Kind::Raw,
        _ => {}
    }
    match std::str::from_utf8(bytes) {
        Ok(text) if text.trim_start().starts_with(':') && from_hex(text).is_ok() => Kind::Hex,
        Ok(text) if text.trim_start().starts_with('S') && from_srecord(text).is_ok() => Kind::Srecord,
        Ok(text) if !text.contains('\0') && !text.is_empty() => Kind::Source,
        _ => Kind::Raw,
    }
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
}

impl Program {
    pub(crate) fn image(&self) -> &Image {
        &self.assembly.image
    }

    /// Its warnings, rendered.
    pub(crate) fn warnings(&self) -> String {
        let warnings: Vec<Diagnostic> =
            self.assembly.diagnostics.iter().filter(|found| found.severity == Severity::Warning).cloned().collect();
        render_all(&self.assembly.sources, &warnings, style())
    }
}

/// How diagnostics are rendered on standard error.
fn style() -> Style {
    let plain = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
    if std::io::stderr().is_terminal() && !plain { Style::Coloured } else { Style::Plain }
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

/// Reads a program; problems in a source are a failure with all of them in its text.
pub(crate) fn load(path: &Path, at: Option<Addr>, belongs: Belongs) -> Result<Program, Failure> {
    if let Some(project) = project_at(path)? {
        return assemble(project);
    }
    let bytes = files::read(path)?;
    let kind = kind_of(path, &bytes);
    let name = path.display().to_string();
    if at.is_some() && kind != Kind::Raw {
        return Err(Failure::usage(format!("{name}: --at is for raw images; this file says itself where it lies")));
    }
    match kind {
        Kind::Source if belongs == Belongs::ToProject => {
            files::text_of(path, bytes)?;
            assemble(Project::around(path).0)
        }
        Kind::Source => {
            // Told here, with its line, rather than as a problem of the program.
            files::text_of(path, bytes)?;
            let none = || Failure::usage(format!("{name}: this is no source"));
            assemble(Project::at(path).ok_or_else(none)?)
        }
        _ => image(path, &bytes, kind, at),
    }
}

fn image(path: &Path, bytes: &[u8], kind: Kind, at: Option<Addr>) -> Result<Program, Failure> {
    let name = path.display().to_string();
    let wrong = |error: FormatError| Failure { text: format!("{name}: {error}"), status: 3 };
    let text = || files::text_of(path, bytes.to_vec());
    let mut remarks = String::new();
    let assembly = match kind {
        Kind::Elf => {
            let program = from_elf(bytes).map_err(|error| Failure { text: format!("{name}: {error}"), status: 3 })?;
            let (assembly, note) = with_sources(&program, path);
            remarks = note;
            assembly
        }
        Kind::Hex => bare(from_hex(&text()?).map_err(wrong)?.image),
        Kind::Srecord => bare(from_srecord(&text()?).map_err(wrong)?.image),
        Kind::Raw | Kind::Source => {
            bare(from_raw(bytes, at.unwrap_or(wendax_isa::target().map.code_start)).map_err(wrong)?)
        }
    };
    Ok(Program { assembly, project: None, inputs: Inputs::default(), remarks })
}

fn bare(image: Image) -> Assembly {
    Assembly::of_image(image, wendax_source::Sources::new())
}

/// An ELF program with its sources when they are where it says, from its own folder, the folders above it, or where
/// we are; else without, and why.
fn with_sources(program: &ElfProgram, path: &Path) -> (Assembly, String) {
    let whole = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    let mut why: Option<SourceTrouble> = None;
    // The source that is missing where there is none at all.
    let mut first: Option<String> = None;
    for folder in whole.ancestors().skip(1).take(3).chain([Path::new("")]) {
        match program.with_sources(&DiskFiles::new(folder)) {
            None => return (bare(program.bare_image()), String::new()),
            Some(Ok((image, sources))) => return (Assembly::of_image(image, sources), String::new()),
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
    (bare(program.bare_image()), note)
}

/// Assembles a project; problems are a failure.
pub(crate) fn assemble(mut project: Project) -> Result<Program, Failure> {
    let files = project.files();
    let mut assembler = Assembler::default();
    let (inputs, found) = project.inputs(&mut assembler, &files);
    let mut assembly = assembler.assemble(&inputs, &files);
    assembly.add(found);
    let remarks = render_all(&assembly.sources, &assembly.diagnostics, style());
    if assembly.diagnostics.iter().any(|found| found.severity == Severity::Problem) {
        return Err(Failure::problems(remarks));
    }
    Ok(Program { assembly, project: Some(project), inputs, remarks })
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
        assert_eq!(kind("a", b":0102000001FC\n:00000001FF\n"), Kind::Hex);
        assert_eq!(kind("a", b"S1060200053000C2\n"), Kind::Srecord);
        assert_eq!(kind("a", b"S1: nop\n"), Kind::Source);
        assert_eq!(kind("a.bin", b"\x7FELF\x01\x01"), Kind::Elf);
        assert_eq!(kind("a", &[1, 0, 2, 0]), Kind::Raw);
        assert_eq!(kind("a", &[0xFF, 0xFE]), Kind::Raw);
        assert_eq!(kind("a", b""), Kind::Raw);
    }
}
