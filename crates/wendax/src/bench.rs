//! The bench in a terminal.
//!
//! `open` finds out what is to be opened, and with what of last time; `live` is the loop that owns terminal, files and
//! clock; `threads` are those beside it; `terminal` enters the terminal and gives it back.

mod live;
mod terminal;
mod threads;

use crate::cli::{Look, Problems};
use crate::{Failure, files, program, recovery};
use live::{Bench, End};
use std::io::IsTerminal;
use std::path::Path;
use terminal::theme;
use wendax_asm::{Assembler, Inputs};
use wendax_machine::Settings;
use wendax_project::{DiskFiles, NAME, Project};
use wendax_source::Files;
use wendax_tui::{App, Message, Theme};

/// What reaches the loop.
enum Incoming {
    Message(Message),
    /// Something happened to the files.
    Disk,
    /// The terminal is gone, or a signal asks the program to end.
    End(u8),
}

/// Opens the bench on a project, a source, which need not be there yet, or an image.
pub(crate) fn open(path: Option<&Path>, arguments: Vec<String>, look: Look) -> Result<u8, Failure> {
    let mut path = path.map(Path::to_owned);
    let mut arguments = arguments;
    loop {
        match open_once(path.as_deref(), std::mem::take(&mut arguments), look)? {
            End::Status(status) => return Ok(status),
            // A project that was made there.
            End::Open(next) => path = Some(next),
        }
    }
}

fn open_once(path: Option<&Path>, arguments: Vec<String>, look: Look) -> Result<End, Failure> {
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
    let here = (path.is_none() && Path::new(NAME).is_file()).then(|| Path::new("."));
    let path = path.or(here);
    let (settings, theme) = (Settings::default(), theme(look));
    let Some(path) = path else {
        return open_source("untitled.asm", None, "", (arguments, theme));
    };
    if let Some(mut project) = program::project_at(path)? {
        let files = project.files();
        let (inputs, _) = project.inputs(&mut Assembler::default(), &files);
        let first = first_source(&inputs, &files);
        return open_in(project, &first, (arguments, theme));
    }
    let whole = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    if path.exists() {
        let bytes = files::read(path)?;
        if program::kind_of(path, &bytes) != program::Kind::Source {
            let name = whole.display().to_string();
            let program = program::load(
                path,
                program::How { at: None, belongs: program::Belongs::Nowhere, sealed: false, problems: Problems::Text },
            )?;
            let program_note = program.remarks.clone();
            let app = if program.assembly.image.lines.is_empty() {
                App::for_image(name, program.image(), settings, theme)
            } else {
                App::for_image_with_sources(name, program.assembly, settings, theme)
            };
            let note = program_note.trim().trim_start_matches("note: ");
            let app = app.with_note(note).with_arguments(arguments).with_kept_of_image(recovery::kept_view(&whole));
            return Bench::new(app, None, whole).run();
        }
    }
    let (project, name) = Project::around(path);
    if project.manifest_path.is_some() {
        return open_in(project, &name, (arguments, theme));
    }
    let text = if path.exists() { files::text_of(path, files::read(path)?)? } else { String::new() };
    let name = whole.display().to_string();
    open_source(&name, Some(name.clone()), &text, (arguments, theme))
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

fn open_in(mut project: Project, name: &str, (arguments, theme): (Vec<String>, Theme)) -> Result<End, Failure> {
    let root = std::path::absolute(&project.root).unwrap_or_else(|_| project.root.clone());
    let place = root.join(name);
    let text = files::text_of(&place, files::read(&place)?)?;
    let app = App::in_project(&root.display().to_string(), name, &text, Settings::default(), theme);
    let mut app = with_unsaved(app, &place, &text);
    for (path, unsaved) in recovery::below(&root) {
        let on_disk = std::fs::read_to_string(&path).unwrap_or_default();
        if path != place && on_disk != unsaved.text {
            let base = unsaved.base.as_deref().unwrap_or(&on_disk);
            app = app.with_recovered_file(&path.display().to_string(), base, &unsaved.text);
        }
    }
    project.root.clone_from(&root);
    let app = app.with_arguments(arguments).with_kept(recovery::kept_view(&root));
    Bench::new(app, Some(project), root).run()
}

fn open_source(
    name: &str,
    path: Option<String>,
    text: &str,
    (arguments, theme): (Vec<String>, Theme),
) -> Result<End, Failure> {
    let project = Project::of_files(vec![name.to_owned()], Vec::new());
    let is_new = !Path::new(name).exists();
    let app = App::new(path, text, Settings::default(), theme);
    let app = if is_new { app.with_new_file() } else { app };
    let app = with_unsaved(app, Path::new(name), text);
    let place = std::path::absolute(name).unwrap_or_else(|_| name.into());
    let app = app.with_arguments(arguments);
    let app = if is_new { app } else { app.with_kept(recovery::kept_view(&place)) };
    Bench::new(app, Some(project), place).run()
}

/// The same with text of last time that was never saved.
fn with_unsaved(app: App, place: &Path, text: &str) -> App {
    match recovery::find(place).filter(|unsaved| unsaved.text != text) {
        Some(unsaved) => app.with_recovered(&unsaved.text, unsaved.base.as_deref()),
        None => app,
    }
}
