//! The workshop: edits in, the built program with its problems out.
//!
//! Whoever edits or builds a program (the bench, the command line, what serves editors) tells it which texts stand for
//! which files and asks for what they make. It keeps what did not change, so that asking after each keystroke is cheap,
//! looks at the disk only when it is told that something may have happened there, can be stopped, and outlives a fault
//! in the assembler.

use crate::disk::DiskFiles;
use crate::mend::{Mended, mend};
use crate::project::Project;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::PathBuf;
use std::sync::Arc;
use wendax_asm::{Assembler, Assembly, Inputs};
use wendax_language::CautionKind;
use wendax_machine::{Clock, Settings};
use wendax_source::{Files as _, Severity};

/// What assembling gave.
#[derive(Debug, Clone)]
pub struct Built {
    /// The program, with what is wrong with sources and manifest.
    pub assembly: Assembly,
    /// What it was made of.
    pub inputs: Inputs,
    /// The name of the manifest's file, when there is one.
    pub manifest: Option<String>,
    /// What a run is given.
    pub settings: Settings,
    /// What is typed when nobody types.
    pub typed: Option<Vec<u8>>,
    /// Bytes that the past of a walk may take, when the manifest says so.
    pub history: Option<usize>,
    /// The folder for the program's files, when the manifest names one.
    pub folder: Option<PathBuf>,
    /// Kinds of cautions in runs that the manifest says are meant, each with why.
    pub meant_in_runs: Vec<(CautionKind, String)>,
    /// Folders outside of the project's that it uses, as the manifest names them.
    pub outside: Vec<String>,
    /// Folders outside that the manifest names and nobody has allowed.
    pub refused: Vec<PathBuf>,
}

impl Built {
    /// A program and what it was made of, of which nothing more is said.
    pub fn of(assembly: Assembly, inputs: Inputs) -> Self {
        Self {
            assembly,
            inputs,
            manifest: None,
            settings: Settings::default(),
            typed: None,
            history: None,
            folder: None,
            meant_in_runs: Vec::new(),
            outside: Vec::new(),
            refused: Vec::new(),
        }
    }

    /// Something in it must be mended before it can run.
    pub fn has_problems(&self) -> bool {
        self.assembly.diagnostics.iter().any(|found| found.severity == Severity::Problem)
    }
}

/// Why nothing was built.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NotBuilt {
    /// Someone said that it is no longer wanted.
    #[error("building was stopped")]
    Stopped,
    /// The assembler failed, which is a fault of ours; this is what it said.
    #[error("the assembler failed: {0}; this is a fault of Wendax, and the text is as it was")]
    Failed(String),
}

/// Builds a program again and again while its texts change.
#[derive(Debug)]
pub struct Workshop {
    project: Project,
    files: DiskFiles,
    assembler: Assembler,
}

impl Workshop {
    /// For the program that a project is.
    pub fn new(project: Project) -> Self {
        let files = project.files();
        Self { project, files, assembler: Assembler::default() }
    }

    /// The same for someone who writes: see [`Assembler::offering`].
    #[must_use]
    pub fn offering(self) -> Self {
        Self { assembler: Assembler::offering(), ..self }
    }

    /// The project, as its manifest was when it was last built.
    pub fn project(&self) -> &Project {
        &self.project
    }

    /// The same project, without the workshop.
    pub fn into_project(self) -> Project {
        self.project
    }

    /// From now on this text stands for a file.
    pub fn edit(&mut self, name: &str, text: Arc<str>) {
        self.files.edit(name, text);
    }

    /// The source that a program without a manifest is has another name now.
    pub fn rename(&mut self, from: &str, to: &str) {
        if let Ok(text) = self.files.text(from) {
            self.files.forget(from);
            self.files.edit(to, text);
        }
        self.project.rename_source(from, to);
    }

    /// From now on the program may open these folders outside of its own, too.
    pub fn allow(&mut self, folders: Vec<PathBuf>) {
        let mut seal = self.project.seal().clone();
        seal.allowed.extend(folders);
        self.project = std::mem::take(&mut self.project).under(seal);
        self.look_again();
    }

    /// Something may have happened on disk.
    pub fn look_again(&mut self) {
        self.files.look_again();
        self.project.look_again();
    }

    /// Files that were read from disk, as they are named there.
    pub fn paths_read(&self) -> Vec<PathBuf> {
        self.files.paths_read()
    }

    /// Builds the program of the texts as they are now.
    pub fn build(&mut self) -> Result<Built, NotBuilt> {
        self.build_unless(&|| false)
    }

    /// The same, given up as soon as `stop` says so.
    pub fn build_unless(&mut self, stop: &dyn Fn() -> bool) -> Result<Built, NotBuilt> {
        let built = guarded(|| self.build_now(stop));
        if let Err(NotBuilt::Failed(_)) = built {
            // What it kept may be half of something.
            self.assembler = self.assembler.anew();
        }
        built
    }

    fn build_now(&mut self, stop: &dyn Fn() -> bool) -> Result<Built, NotBuilt> {
        let (inputs, found) = self.project.inputs(&mut self.assembler, &self.files);
        let assembled = self.assembler.assemble_unless(&inputs, &self.files, stop);
        let mut assembly = assembled.ok_or(NotBuilt::Stopped)?;
        if !found.is_empty() {
            assembly.add(found);
        }
        let manifest = &self.project.manifest;
        Ok(Built {
            assembly,
            inputs,
            manifest: self.project.manifest_path.clone(),
            settings: Settings {
                arguments: manifest.arguments.iter().map(|argument| argument.clone().into_bytes()).collect(),
                seed: manifest.seed.unwrap_or(0),
                clock: if manifest.virtual_clock { Clock::Cycles } else { Clock::Host },
                has_folder: manifest.files.is_some(),
                ..Settings::default()
            },
            typed: manifest.input.clone().map(String::into_bytes),
            history: manifest.limits.history_bytes(),
            folder: manifest.files.as_ref().map(|(folder, _)| self.project.root.join(folder)),
            meant_in_runs: manifest.meant_in_runs.clone(),
            outside: self.project.outside.clone(),
            refused: self.project.refused.clone(),
        })
    }

    /// Applies all fixes that are certain: which texts changed and how.
    pub fn mend(&mut self) -> Mended {
        mend(&mut self.project, &mut self.assembler, &mut self.files)
    }
}

/// What a piece of work gives, or what it said when it panicked.
fn guarded(work: impl FnOnce() -> Result<Built, NotBuilt>) -> Result<Built, NotBuilt> {
    // What the work leaves behind when it panics is thrown away by the caller.
    catch_unwind(AssertUnwindSafe(work)).unwrap_or_else(|panic| {
        let text = panic.downcast_ref::<String>().cloned();
        let text = text.or_else(|| panic.downcast_ref::<&str>().map(|text| (*text).to_owned()));
        Err(NotBuilt::Failed(text.unwrap_or_else(|| "it did not say why".to_owned())))
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::cell::Cell;
    use wendax_language::Written;
    use wendax_source::MemoryFiles;

    fn folder() -> tempfile::TempDir {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("wendax.toml"), "sources = [\"*.asm\"]\ninput = \"5\\n\"\nseed = 7\n")
            .unwrap();
        std::fs::write(folder.path().join("a.asm"), " .extern weigh\nstart: call weigh\n sys exit\n").unwrap();
        std::fs::write(folder.path().join("b.asm"), " .global weigh\nweigh: ret\n").unwrap();
        folder
    }

    #[test]
    fn edits_go_before_files_and_the_disk_is_looked_at_when_told() {
        let folder = folder();
        let mut workshop = Workshop::new(Project::at(folder.path()).unwrap());
        let built = workshop.build().unwrap();
        assert!(!built.has_problems() && built.inputs.sources == ["a.asm", "b.asm"]);
        assert_eq!((built.typed.as_deref(), built.settings.seed), (Some(&b"5\n"[..]), 7));
        workshop.edit("b.asm", " .global weigh\nweigh: muv r1, 2\n ret\n".into());
        assert!(workshop.build().unwrap().has_problems());
        workshop.edit("b.asm", " .global weigh\nweigh: ret\n".into());
        std::fs::write(folder.path().join("c.asm"), "x: .word\n").unwrap();
        assert_eq!(workshop.build().unwrap().inputs.sources.len(), 2, "a keystroke walks no folders");
        workshop.look_again();
        assert_eq!(workshop.build().unwrap().inputs.sources.len(), 3);
    }

    #[test]
    fn folders_are_read_only_for_who_writes() {
        let folder = folder();
        let around = |workshop: Workshop| {
            let assembly = { workshop }.build().unwrap().assembly;
            assembly.paths_around().into_iter().map(str::to_owned).collect::<Vec<_>>()
        };
        let workshop = || Workshop::new(Project::at(folder.path()).unwrap());
        assert_eq!(around(workshop()), [""; 0]);
        assert_eq!(around(workshop().offering()), ["a.asm", "b.asm", "wendax.toml"]);
    }

    #[test]
    fn building_can_be_stopped_and_goes_on_with_what_was_done() {
        let folder = folder();
        let mut workshop = Workshop::new(Project::at(folder.path()).unwrap());
        let asked = Cell::new(0);
        let stopped = workshop.build_unless(&|| {
            asked.set(asked.get() + 1);
            asked.get() > 1
        });
        assert_eq!(stopped.unwrap_err(), NotBuilt::Stopped);
    }

    #[test]
    fn a_panic_is_told_and_the_work_goes_on() {
        let failed = guarded(|| panic!("a sign of {}", 7)).unwrap_err();
        assert!(failed.to_string().contains("the assembler failed: a sign of 7"), "{failed}");
        assert!(
            guarded(|| Ok(Built::of(
                Assembler::default().assemble(&Inputs::default(), &MemoryFiles::default()),
                Inputs::default()
            )))
            .is_ok()
        );
    }

    #[test]
    fn a_source_by_itself_can_get_another_name() {
        let folder = folder();
        let place = |name: &str| folder.path().join(name).display().to_string();
        let mut workshop = Workshop::new(Project::of_files(vec!["untitled.asm".to_owned()], Vec::new()));
        workshop.edit("untitled.asm", " .include \"b.asm\"\nstart: sys exit\n".into());
        assert!(workshop.build().unwrap().has_problems(), "there is no such file where we are");
        workshop.rename("untitled.asm", &place("new.asm"));
        assert!(!workshop.build().unwrap().has_problems(), "beside its new place there is");
    }
}
