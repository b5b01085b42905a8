//! The program as it was assembled last, and what assembling told.

use std::path::PathBuf;
use wendax_asm::Assembly;
use wendax_image::Image;
use wendax_language::CautionKind;
use wendax_machine::Settings;
use wendax_project::Built;
use wendax_source::{Diagnostic, FileId, Severity, Sources};

/// Where a diagnostic points: file, line and column (from 0).
pub(crate) type Place = (FileId, usize, usize);

#[derive(Debug, Clone)]
pub(crate) struct Program {
    pub(crate) assembly: Assembly,
    /// The place of each diagnostic.
    pub(crate) places: Vec<Place>,
    /// Generation of the texts that `assembly` is of.
    pub(crate) assembled: Option<u64>,
    /// Generation for which assembling was asked last.
    pub(crate) asked: Option<u64>,
    /// What a run is given.
    pub(crate) settings: Settings,
    /// What is typed when nobody types.
    pub(crate) typed: Option<Vec<u8>>,
    /// Bytes that the past of a walk may take, when the manifest says so.
    pub(crate) history: Option<usize>,
    /// The folder for the program's files, when the manifest names one.
    pub(crate) folder: Option<PathBuf>,
    /// Kinds of cautions in runs that the manifest says are meant, each with why.
    pub(crate) meant_in_runs: Vec<(CautionKind, String)>,
    /// Folders outside of the project's that it uses.
    pub(crate) outside: Vec<String>,
}

impl Default for Program {
    /// Nothing was assembled yet.
    fn default() -> Self {
        let nothing = Image::new(wendax_project::default_target());
        Self {
            assembly: Assembly::of_image(nothing, Sources::new()),
            places: Vec::new(),
            assembled: None,
            asked: None,
            settings: Settings::default(),
            typed: None,
            history: None,
            folder: None,
            meant_in_runs: Vec::new(),
            outside: Vec::new(),
        }
    }
}

impl Program {
    pub(crate) fn is_runnable(&self) -> bool {
        self.assembly.is_runnable()
    }

    /// Takes over what was built; true when runs are given something else now.
    pub(crate) fn take(&mut self, built: Built) -> bool {
        let sources = &built.assembly.sources;
        let place = |diagnostic: &Diagnostic| {
            let span = diagnostic.primary.span;
            let place = sources.place(span);
            (span.file, place.line as usize - 1, place.column as usize - 1)
        };
        self.places = built.assembly.diagnostics.iter().map(place).collect();
        self.assembly = built.assembly;
        let changed = self.settings != built.settings || self.typed != built.typed;
        (self.settings, self.typed, self.history) = (built.settings, built.typed, built.history);
        self.meant_in_runs = built.meant_in_runs;
        (self.folder, self.outside) = (built.folder, built.outside);
        changed
    }

    /// Diagnostics with their places, in order of place.
    pub(crate) fn with_places(&self) -> impl Iterator<Item = (&Diagnostic, Place)> {
        self.assembly.diagnostics.iter().zip(self.places.iter().copied())
    }

    /// Diagnostics whose place is on a line (from 0) of a file, with the column.
    pub(crate) fn diagnostics_on(&self, file: FileId, line: usize) -> impl Iterator<Item = (&Diagnostic, usize)> {
        let from = self.places.partition_point(|&(of, at, _)| (of, at) < (file, line));
        let here = self.places[from..].iter().take_while(move |&&(of, at, _)| (of, at) == (file, line));
        self.assembly.diagnostics[from..].iter().zip(here).map(|(diagnostic, (_, _, column))| (diagnostic, *column))
    }

    pub(crate) fn count(&self, severity: Severity) -> usize {
        self.assembly.diagnostics.iter().filter(|diagnostic| diagnostic.severity == severity).count()
    }
}
