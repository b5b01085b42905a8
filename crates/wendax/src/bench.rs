//! The bench in a terminal.
//!
//! `open` finds out what is to be opened, and with what of last time; `live` is the loop that owns terminal, files and
//! clock; `threads` are those beside it; `terminal` enters the terminal and gives it back.

mod live;
mod terminal;
mod threads;

use crate::cli::Look;
use crate::recovery::Decided;
use crate::{Failure, files, program, recovery, settings, trials};
use live::{Bench, End, Next};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use terminal::theme;
use wendax_asm::{Assembler, Inputs};
use wendax_machine::Settings;
use wendax_project::{DiskFiles, NAME, Project, Seal};
use wendax_source::Files;
use wendax_tui::{App, Kept, Message, Theme};

/// What reaches the loop.
enum Incoming {
    Message(Message),
    /// A program was built, and can be taken.
    Built,
    /// Something happened to the files.
    Disk,
    /// The terminal's ground is light, or dark.
    Ground(bool),
    /// The program is to stop for a while.
    Stop,
    /// It goes on.
    Continue,
    /// The terminal is gone, or a signal asks the program to end.
    End(u8),
}

/// What the program's runs are given on the command line.
#[derive(Debug, Default)]
pub(crate) struct Given {
    pub(crate) arguments: Vec<String>,
    /// The folder for its files.
    pub(crate) folder: Option<PathBuf>,
    /// What it may open.
    pub(crate) seal: Seal,
    /// What to try, of a demo.
    pub(crate) page: Option<&'static str>,
    /// An exercise about it: the path of its file, and its text.
    pub(crate) exercise: Option<(String, String)>,
    /// A table of trials that is looked at first: the path of its file, and its text.
    pub(crate) table: Option<(String, String)>,
    /// A row of it that is walked as soon as it was tried.
    pub(crate) row: Option<String>,
    /// What is said first.
    pub(crate) note: Option<String>,
}

/// What a bench is given besides what it opens.
struct Dressing {
    arguments: Vec<String>,
    folder: Option<PathBuf>,
    seal: Seal,
    page: Option<&'static str>,
    exercise: Option<(String, String)>,
    table: Option<(String, String)>,
    row: Option<String>,
    theme: Theme,
    settings: settings::Settings,
    settings_page: String,
    /// The terminal is asked for its ground.
    asks_ground: bool,
    /// What is wrong with the settings.
    told: Option<String>,
}

impl Dressing {
    fn new(Given { arguments, folder, seal, page, exercise, table, row, note }: Given, look: Option<Look>) -> Self {
        let read = settings::read();
        let told = read.found.first().map(|found| {
            let line = read.sources.place(found.primary.span).line;
            format!("settings, line {line}: {}; `wendax settings` tells more", found.message)
        });
        let told = note.or(told);
        let settings_page = read.page();
        let settings = read.settings;
        let asks_ground = look.is_none() && settings.ground == settings::Ground::Terminal;
        Self {
            arguments,
            folder,
            seal,
            page,
            exercise,
            table,
            row,
            theme: theme(look, &settings),
            settings,
            settings_page,
            asks_ground,
            told,
        }
    }

    /// What a project may open: what is said on the command line, and what was allowed before.
    fn seal_of(&self, root: &Path) -> Seal {
        let mut seal = self.seal.clone();
        seal.allowed.extend(Decided::of(root).allowed);
        seal
    }

    /// Runs a bench on an app with arguments and preferences, looked at as the last time.
    fn run(self, app: App, project: Option<Project>, place: &Path, kept: Option<Kept>) -> Result<End, Failure> {
        let app = app.with_preferences(self.settings.preferences).with_arguments(self.arguments);
        let app = app.with_folder(self.folder).with_page(self.page).with_settings_page(self.settings_page);
        let app = app.with_exercise(self.exercise).with_hushed(&self.settings.hushed);
        // The table that was named, or one that lies beside the program.
        let is_named = self.table.is_some();
        let opened = match self.table {
            Some(table) => Some(trials::Opened::of(table, place)),
            None => trials::beside(place, &self.seal),
        };
        let app = match opened {
            Some(trials::Opened { table, is_other }) => app.with_table(table, is_named, is_other),
            None => app,
        };
        let app = app.with_row(self.row);
        let app = match self.told {
            Some(text) => app.with_note(&text),
            None => app,
        };
        let app = match kept {
            Some(kept) if app.is_image() => app.with_kept_of_image(kept),
            Some(kept) => app.with_kept(kept),
            None => app,
        };
        // Who opens it sealed is asked for nothing.
        Bench::new(app, project, place.to_owned(), self.seal).run(self.settings.mouse, self.asks_ground)
    }
}

/// Opens the bench on a project, a source, which need not be there yet, or an image.
pub(crate) fn open(path: Option<&Path>, given: Given, look: Option<Look>) -> Result<u8, Failure> {
    let mut path = path.map(Path::to_owned);
    let (mut given, mut before) = (given, None);
    loop {
        let seal = given.seal.clone();
        match (open_once(path.as_deref(), std::mem::take(&mut given), look), before.take()) {
            (Ok(End::Status(status)), _) => return Ok(status),
            // What it may open stays as it was said.
            (Ok(End::Open(Next { path: next, table, row })), _) => {
                before = Some(path.replace(next));
                given = Given { seal, table, row, ..Given::default() };
            }
            // What was open is come back to.
            (Err(failure), Some(last)) => {
                path = last;
                given = Given { seal, note: Some(failure.text), ..Given::default() };
            }
            (Err(failure), None) => return Err(failure),
        }
    }
}

fn open_once(path: Option<&Path>, given: Given, look: Option<Look>) -> Result<End, Failure> {
    // A name without an ending is that of a project or a file that is there; a source may be new.
    if let Some(path) = path.filter(|path| !path.exists()) {
        let is_source = path.extension().is_some();
        if !is_source || !std::io::stdout().is_terminal() {
            let more =
                if is_source { "; in a terminal the bench begins a new one" } else { "; a new source ends in .asm" };
            return Err(Failure::usage(format!("{}: there is no such file or project{more}", path.display())));
        }
    }
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        return Err(Failure::usage("the bench needs a terminal; `wendax run FILE` runs without one"));
    }
    if let Some(path) = path.filter(|path| crate::exercise::is_exercise(path) && path.is_file()) {
        given.seal.may_read(path).map_err(|why| Failure::usage(format!("{}: {why}", path.display())))?;
        let read = crate::exercise::read(path)?;
        let exercise = Some((path.display().to_string(), read.text));
        return open_once(Some(&read.program), Given { exercise, ..given }, look);
    }
    if let Some(path) = path.filter(|path| trials::is_table(path) && path.is_file()) {
        given.seal.may_read(path).map_err(|why| Failure::usage(format!("{}: {why}", path.display())))?;
        let (program, text) = trials::opened(path)?;
        let table = Some((std::path::absolute(path).unwrap_or_else(|_| path.to_owned()).display().to_string(), text));
        return open_once(Some(&program), Given { table, ..given }, look);
    }
    let here = (path.is_none() && Path::new(NAME).is_file()).then(|| Path::new("."));
    let path = path.or(here);
    let dressing = Dressing::new(given, look);
    let (settings, theme) = (Settings::default(), dressing.theme);
    let Some(path) = path else {
        return open_source("untitled.asm", None, "", dressing);
    };
    if let Some(project) = program::project_at(path)? {
        let root = whole_root(&project);
        let mut project = project.under(dressing.seal_of(&root));
        let files = project.files();
        let (inputs, _) = project.inputs(&mut Assembler::default(), &files);
        let first = first_source(&inputs, &files);
        let kept = recovery::kept_view(&root);
        return open_in(project, &first, kept, dressing);
    }
    let whole = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    if path.exists() {
        let seal = &dressing.seal;
        seal.may_read(path).map_err(|why| Failure::usage(format!("{}: {why}", path.display())))?;
        let bytes = files::read(path)?;
        if program::kind_of(path, &bytes) != program::Kind::Source {
            let name = whole.display().to_string();
            let program = program::load(
                path,
                &program::How {
                    at: None,
                    target: None,
                    belongs: program::Belongs::Nowhere,
                    seal: dressing.seal.clone(),
                    telling: program::Telling::default(),
                },
            )?;
            let program_note = program.remarks.clone();
            let app = if program.assembly.image.lines.is_empty() {
                App::for_image(name, program.image(), settings, theme)
            } else {
                App::for_image_with_sources(name, program.assembly, settings, theme)
            };
            let note = program_note.trim().trim_start_matches("note: ");
            return dressing.run(app.with_note(note), None, &whole, recovery::kept_view(&whole));
        }
    }
    let (project, name) = Project::around(path);
    if project.manifest_path.is_some() {
        let project = project.clone().under(dressing.seal_of(&whole_root(&project)));
        // The file that was named is looked at, wherever the last look was.
        let kept = recovery::kept_view(&whole_root(&project)).filter(|kept| kept.cursor.file == name);
        return open_in(project, &name, kept, dressing);
    }
    let text = if path.exists() { files::text_of(path, files::read(path)?)? } else { String::new() };
    let name = whole.display().to_string();
    open_source(&name, Some(name.clone()), &text, dressing)
}

/// The source with the entry, or the first, or the manifest when there is none.
fn first_source(inputs: &Inputs, files: &DiskFiles) -> String {
    let entry = inputs.entry.as_ref().map_or("start", |(name, _)| name.as_str());
    let has = |path: &&String| {
        let text = files.text(path).unwrap_or_default();
        text.lines()
            .any(|line| line.trim_start().strip_prefix(entry).is_some_and(|rest| rest.trim_start().starts_with(':')))
    };
    inputs.sources.iter().find(has).or(inputs.sources.first()).cloned().unwrap_or_else(|| NAME.to_owned())
}

/// The folder of a project, from the root of the file system on.
fn whole_root(project: &Project) -> PathBuf {
    std::path::absolute(&project.root).unwrap_or_else(|_| project.root.clone())
}

fn open_in(mut project: Project, name: &str, kept: Option<Kept>, dressing: Dressing) -> Result<End, Failure> {
    let root = whole_root(&project);
    let place = root.join(name);
    let text = files::text_of(&place, files::read(&place)?)?;
    let app = App::in_project(&root.display().to_string(), name, &text, Settings::default(), dressing.theme);
    let mut app = with_unsaved(app, &place, &text);
    for path in recovery::below(&root) {
        if let Some((base, text)) = unsaved_of(&path).filter(|_| path != place) {
            app = app.with_recovered_file(&path.display().to_string(), &base, &text);
        }
    }
    project.root.clone_from(&root);
    dressing.run(app, Some(project), &root, kept)
}

fn open_source(name: &str, path: Option<String>, text: &str, dressing: Dressing) -> Result<End, Failure> {
    let project = Project::of_files(vec![name.to_owned()], Vec::new()).under(dressing.seal.clone());
    let is_new = !Path::new(name).exists();
    let app = App::new(path, text, Settings::default(), dressing.theme);
    let app = if is_new { app.with_new_file() } else { app };
    let app = with_unsaved(app, Path::new(name), text);
    let place = std::path::absolute(name).unwrap_or_else(|_| name.into());
    let kept = recovery::kept_view(&place).filter(|_| !is_new);
    dressing.run(app, Some(project), &place, kept)
}

/// The same with text of last time that was never saved.
fn with_unsaved(app: App, place: &Path, text: &str) -> App {
    let app = if recovery::is_written_elsewhere(place) {
        app.with_note("another bench has this file open, with text that is not saved: what is saved last is what stays")
    } else {
        app
    };
    match recovery::find(place) {
        Some(unsaved) if unsaved.text != text => app.with_recovered(&unsaved.text, unsaved.base.as_deref()),
        Some(_) => {
            recovery::forget(place);
            app
        }
        None => app,
    }
}

/// Text of last time of a file that was never saved: what the file held then, and the text.
fn unsaved_of(path: &Path) -> Option<(String, String)> {
    let unsaved = recovery::find(path)?;
    let on_disk = std::fs::read_to_string(path).unwrap_or_default();
    if on_disk == unsaved.text {
        recovery::forget(path);
        return None;
    }
    Some((unsaved.base.unwrap_or(on_disk), unsaved.text))
}
