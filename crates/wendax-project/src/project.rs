//! A program's files: those a manifest selects, or a single source.

use crate::disk::DiskFiles;
use crate::manifest::{Manifest, NAME};
use crate::seal::{Seal, whole};
use std::path::{Path, PathBuf};
use wendax_asm::{Assembler, Inputs, Library};
use wendax_isa::Target;
use wendax_source::{Diagnostic, Files, toml_text};

/// Files looked at below a folder, at the most.
const MOST_FILES: usize = 20_000;

/// Which files make a program.
#[derive(Debug, Clone, Default)]
pub struct Project {
    /// The folder that paths count from; empty for where we are.
    pub root: PathBuf,
    /// The manifest's file name, when there is one.
    pub manifest_path: Option<String>,
    /// What the manifest says.
    pub manifest: Manifest,
    /// The files given, when there is no manifest.
    given: Inputs,
    /// What it may open.
    seal: Seal,
    /// Folders outside of its own that its manifest names and it may not open, as the system resolves them.
    pub refused: Vec<PathBuf>,
    /// Folders outside of its own that it may open and uses, as the manifest names them.
    pub outside: Vec<String>,
    /// What was found in its folders.
    found: Option<Found>,
}

/// What was found in the folders of a project.
#[derive(Debug, Clone, Default)]
struct Found {
    /// The folders its files may lie in, and that of its own files, as the manifest names them.
    named: (Vec<String>, Option<String>),
    /// All files, by path.
    paths: Vec<String>,
    /// Which of the folders named are none.
    missing: Vec<String>,
}

impl Project {
    /// The program that a path stands for: a folder with a manifest, a manifest, or a source. `None` when it is a
    /// folder without manifest.
    pub fn at(path: &Path) -> Option<Self> {
        let is_manifest = path.file_name().is_some_and(|name| name == NAME);
        if path.is_dir() {
            return path.join(NAME).is_file().then(|| Self::with_manifest(path));
        }
        if is_manifest {
            return Some(Self::with_manifest(path.parent().unwrap_or(Path::new(""))));
        }
        Some(Self::of_files(vec![path.to_string_lossy().into_owned()], Vec::new()))
    }

    /// The program that these sources, objects and libraries are, without a manifest.
    pub fn of_files(sources: Vec<String>, libraries: Vec<String>) -> Self {
        let libraries = libraries.into_iter().map(Library::at).collect();
        Self { given: Inputs { sources, libraries, ..Inputs::default() }, ..Self::default() }
    }

    /// The same, which may open this.
    #[must_use]
    pub fn under(self, seal: Seal) -> Self {
        Self { seal, found: None, ..self }
    }

    /// The same for a machine that something outside of it names.
    #[must_use]
    pub fn for_target(mut self, target: Option<&'static Target>) -> Self {
        self.given.target = target;
        self
    }

    /// What it may open.
    pub fn seal(&self) -> &Seal {
        &self.seal
    }

    /// A file it is made of lies in its folder: in that of its manifest, else in that of its first source.
    pub fn is_own(&self, name: &str) -> bool {
        let folder = match (&self.manifest_path, self.first_file().and_then(Path::parent)) {
            (None, Some(folder)) => folder,
            _ => &self.root,
        };
        let real = |path: &Path| std::fs::canonicalize(whole(path)).ok();
        match (real(&self.root.join(name)), real(folder)) {
            (Some(place), Some(folder)) => place.starts_with(folder),
            // What is not on the disk is nobody else's.
            _ => true,
        }
    }

    /// The program whose manifest selects a source, in the source's folder or one above it; else the source by
    /// itself.
    pub fn around(source: &Path) -> (Self, String) {
        let whole = std::path::absolute(source).unwrap_or_else(|_| source.to_owned());
        for folder in whole.ancestors().skip(1).take(8) {
            if !folder.join(NAME).is_file() {
                continue;
            }
            let project = Self::with_manifest(folder);
            let Ok(inside) = whole.strip_prefix(folder) else { continue };
            let inside = inside.to_string_lossy().into_owned();
            let mut assembler = Assembler::default();
            let files = DiskFiles::new(folder);
            let (inputs, _) = project.clone().inputs(&mut assembler, &files);
            if inputs.sources.contains(&inside) {
                return (project, inside);
            }
            break;
        }
        let name = source.to_string_lossy().into_owned();
        (Self::of_files(vec![name.clone()], Vec::new()), name)
    }

    fn with_manifest(folder: &Path) -> Self {
        Self { root: folder.to_owned(), manifest_path: Some(NAME.to_owned()), ..Self::default() }
    }

    /// Its files.
    pub fn files(&self) -> DiskFiles {
        let files = DiskFiles::new(&self.root).at_most(self.seal.most_bytes);
        if self.manifest_path.is_some() {
            return files.sealed();
        }
        if self.seal.is_whole {
            let folder = self.first_file().and_then(Path::parent).map(|folder| folder.to_string_lossy().into_owned());
            files.reach_only(folder.as_slice());
            // Where we are is no part of it, unless the source lies there.
            files.leave_root(folder.is_none_or(|folder| folder.is_empty()));
        }
        files
    }

    /// The first source or object given, when there is no manifest.
    pub fn first_file(&self) -> Option<&Path> {
        let libraries = self.given.libraries.iter().map(|library| &library.path);
        self.given.sources.iter().chain(libraries).next().map(Path::new)
    }

    /// The name an image of it gets: what the manifest says, or that of its folder or source.
    pub fn name(&self) -> String {
        if let Some(name) = self.manifest.name.as_ref().filter(|name| is_file_name(name)) {
            return name.clone();
        }
        let place = match self.first_file() {
            Some(first) => first.with_extension(""),
            None => std::path::absolute(&self.root).unwrap_or_else(|_| self.root.clone()),
        };
        place.file_name().map_or_else(|| "program".to_owned(), |name| name.to_string_lossy().into_owned())
    }

    /// Looks at the manifest and the folder anew: what is to be assembled, and what is wrong with the manifest.
    pub fn inputs(&mut self, assembler: &mut Assembler, files: &dyn Files) -> (Inputs, Vec<Diagnostic>) {
        let Some(path) = self.manifest_path.clone() else {
            return (self.given.clone(), Vec::new());
        };
        let text = match files.text(&path) {
            Ok(text) => text,
            Err(error) => {
                let file = assembler.place(&path, &"".into());
                let info = wendax_language::code_info(70);
                let place = wendax_source::Span::new(file, 0, 0);
                let message = format!("the manifest cannot be read: {}", error.0);
                return (Inputs::default(), vec![Diagnostic::new(info.code, info.severity, place, message)]);
            }
        };
        let file = assembler.place(&path, &text);
        let (mut manifest, mut found) = Manifest::parse(&text, file);
        self.narrow(&mut manifest, &mut found);
        let folders: Vec<String> = manifest.reach.iter().map(|(folder, _)| folder.clone()).collect();
        let named = (folders, manifest.files.as_ref().map(|(folder, _)| folder.clone()));
        let on_disk = match self.found.take() {
            Some(known) if known.named == named => known,
            _ => self.look_at_disk(named, files),
        };
        for (folder, span) in manifest.reach.iter().filter(|(folder, _)| on_disk.missing.contains(folder)) {
            let info = wendax_language::code_info(73);
            let message = format!("`{folder}` is no folder that could be read");
            found.push(
                Diagnostic::new(info.code, info.severity, *span, message).with_expected("reach = [\"../common\"]"),
            );
        }
        let (sources, libraries, more) = manifest.select(&on_disk.paths);
        found.extend(more);
        if let Some((folder, span)) = &manifest.files
            && on_disk.missing.contains(folder)
        {
            let info = wendax_language::code_info(73);
            let message = format!("`{folder}` is no folder beside the manifest");
            found.push(Diagnostic::new(info.code, info.severity, *span, message).with_expected("files = \"files\""));
        }
        if sources.is_empty() && found.is_empty() {
            let info = wendax_language::code_info(73);
            let place = wendax_source::Span::new(file, 0, 0);
            let none = Diagnostic::new(info.code, info.severity, place, "there are no sources beside the manifest");
            found.push(none.with_expected(format!("sources = [\"{}\"]", Manifest::default_sources())));
        }
        self.manifest = manifest;
        self.found = Some(on_disk);
        let (entry, meant) = (self.manifest.entry.clone(), self.manifest.meant.clone());
        let said = self.manifest.target;
        let target = self.given.target.or(said.map(|(target, _)| target));
        if let (Some(given), Some((said, span))) = (self.given.target, said)
            && !std::ptr::eq(given, said)
        {
            let info = wendax_language::code_info(72);
            let message = format!("the manifest is for {}, and --target asks for {}", said.name, given.name);
            let found_here = Diagnostic::new(info.code, info.severity, span, message);
            found.push(found_here.with_expected("one machine for the whole program"));
        }
        (Inputs { sources, libraries, entry, meant, target }, found)
    }

    /// Leaves only those folders in the manifest that the program may open; the others are told.
    fn narrow(&mut self, manifest: &mut Manifest, found: &mut Vec<Diagnostic>) {
        (self.refused, self.outside) = (Vec::new(), Vec::new());
        let (root, seal) = (self.root.clone(), self.seal.clone());
        let own = Seal { files_given: seal.files_given, ..Seal::default() };
        let mut may_open = |folder: &str, span| {
            let Some(place) = seal.leads_outside(&root, folder) else {
                if own.leads_outside(&root, folder).is_some() {
                    self.outside.push(folder.to_owned());
                }
                return true;
            };
            let info = wendax_language::code_info(74);
            let leads = if place.ends_with(folder) { String::new() } else { format!(", at {}", place.display()) };
            let message =
                format!("`{folder}` lies outside of the project's folder{leads}; no manifest opens that by itself");
            let right = if seal.is_whole {
                "a folder inside of the project's; it is opened with --sealed".to_owned()
            } else {
                format!("--reach {} on the command line, if you trust it", place.display())
            };
            found.push(Diagnostic::new(info.code, info.severity, span, message).with_expected(right));
            self.refused.push(place);
            false
        };
        manifest.reach.retain(|(folder, span)| may_open(folder, *span));
        if seal.files_given {
            manifest.files = None;
        }
        manifest.files.take_if(|(folder, span)| !may_open(folder, *span));
    }

    /// Something may have happened on disk: its folders are looked at again when it is next asked what belongs to it.
    pub fn look_again(&mut self) {
        self.found = None;
    }

    /// Another name for the source it is, when it has no manifest.
    pub fn rename_source(&mut self, from: &str, to: &str) {
        for source in self.given.sources.iter_mut().filter(|source| *source == from) {
            to.clone_into(source);
        }
    }

    fn look_at_disk(&self, named: (Vec<String>, Option<String>), files: &dyn Files) -> Found {
        files.reach_only(&named.0);
        let mut paths = self.list("");
        for folder in &named.0 {
            paths.extend(self.list(folder));
        }
        let all = named.0.iter().chain(&named.1);
        let missing = all.filter(|folder| !self.root.join(folder).is_dir()).cloned().collect();
        Found { named, paths, missing }
    }

    /// All files below the root, or a folder named from there, by path, in order; hidden ones and those in `build` are
    /// left out.
    fn list(&self, folder: &str) -> Vec<String> {
        let whole = self.root.join(folder);
        let root = if whole.as_os_str().is_empty() { Path::new(".") } else { &whole };
        let is_wanted = |entry: &walkdir::DirEntry| {
            let name = entry.file_name().to_string_lossy();
            entry.depth() == 0 || !(name.starts_with('.') || entry.depth() == 1 && name == "build")
        };
        let walk = walkdir::WalkDir::new(root).max_depth(12).sort_by_file_name().into_iter().filter_entry(is_wanted);
        walk.filter_map(Result::ok)
            .filter(|entry| entry.file_type().is_file())
            .take(MOST_FILES)
            .filter_map(|entry| {
                let inside = entry.path().strip_prefix(root).ok()?;
                let parts: Vec<_> = inside.components().map(|part| part.as_os_str().to_string_lossy()).collect();
                let inside = parts.join("/");
                Some(if folder.is_empty() { inside } else { format!("{}/{inside}", folder.trim_end_matches('/')) })
            })
            .collect()
    }
}

/// A name that can be that of a file.
fn is_file_name(name: &str) -> bool {
    !name.is_empty() && !name.starts_with('.') && !name.contains(['/', '\\', '\0'])
}

/// What a new program is, by the name of its machine and the label it begins at.
const STARTS: [(&str, &str, &str); 2] =
    [("W16", "start", include_str!("new/w16.asm")), ("RV32", "_start", include_str!("new/rv32.asm"))];

/// The files of a new project with this name for a machine: paths and texts.
pub fn starting_files(name: &str, target: &Target) -> Vec<(String, String)> {
    let quoted = toml_text(&name.replace(char::is_control, "?"));
    let known = STARTS.iter().find(|(machine, ..)| *machine == target.name);
    let (_, entry, source) = known.copied().unwrap_or(STARTS[0]);
    let machine = target.name.to_ascii_lowercase();
    let manifest = format!(
        "# What makes this program. `wendax` opens it, `wendax run` runs it, `wendax build` builds it.\n\
         name = {quoted}\n\
         target = \"{machine}\"                   # the machine it is for: w16 or rv32\n\
         sources = [\"src/**/*.asm\"]\n\
         # libraries = [\"lib/*.a\"]           only what is used of them becomes part of the program\n\
         entry = \"{entry}\"\n\
         arguments = []\n\
         input = \"120\\n99\\n0\\n\"               # what is typed when nobody types\n\
         files = \"files\"                     # the only folder the program's file calls may use\n\
         limits = {{ steps = 10_000_000, output = 65536 }}\n"
    );
    vec![
        (NAME.to_owned(), manifest),
        ("src/main.asm".to_owned(), wendax_language::format(source, target)),
        ("trials.toml".to_owned(), trials()),
        ("files/readme.txt".to_owned(), "What the program may read and write lies here.\n".to_owned()),
    ]
}

/// The table of trials of a new project.
fn trials() -> String {
    "# What is given to the program, and what is to come of it. `wendax try` tries all rows; docs/trials.md has the keys.\n\n\
     [[row]]\n\
     name = \"two loads\"\n\
     typed = \"120\\n99\\n0\\n\"\n\
     prints = \"total 219\"\n\
     status = 0\n\n\
     [[row]]\n\
     name = \"nothing typed\"\n\
     prints = \"total 0\"\n\
     status = 0\n"
        .to_owned()
}
