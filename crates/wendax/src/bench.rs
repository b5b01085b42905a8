//! The bench in a terminal: the loop that owns terminal, files, threads and clock.
//!
//! Everything that happens reaches the loop as a message by one channel; while nothing happens it sleeps.
//! Assembling is done on a thread of its own, always of the newest text. A running program is worked on in
//! slices between two looks at the channel, so that keys stay prompt.

use crate::cli::{Look, Problems};
use crate::{Failure, files, program, recovery};
use crossterm::event::{
    self, DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, Event as Input,
};
use crossterm::execute;
use crossterm::terminal::{EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode};
use notify::Watcher;
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use std::collections::BTreeMap;
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use wendax_asm::{Assembler, Inputs};
use wendax_machine::{Clock, Settings};
use wendax_project::{DiskFiles, NAME, Project};
use wendax_source::Files;
use wendax_tui::{App, Built, Colours, Effect, Message, OpenFile, Theme, Unsaved, draw, update};

/// Between two frames at the least.
const FRAME: Duration = Duration::from_millis(16);
/// Unsaved text is kept so long after it changed.
const KEEP_AFTER: Duration = Duration::from_millis(250);
/// Work on a running program between two looks at the keys.
const WORK: Duration = Duration::from_millis(8);
/// Changed files are looked at so long after the system told of them.
const LOOK_AFTER: Duration = Duration::from_millis(60);

/// What reaches the loop.
enum Incoming {
    Message(Message),
    /// Something happened to the files.
    Disk,
    /// The terminal is gone, or a signal asks the program to end.
    End(u8),
}

/// Opens the bench on a project, a source, which need not be there yet, or an image.
pub(crate) fn open(path: Option<&Path>, look: Look) -> Result<u8, Failure> {
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
        return open_source(Project::default(), "untitled.asm", None, "", theme);
    };
    if let Some(mut project) = program::project_at(path)? {
        let files = project.files();
        let (inputs, _) = project.inputs(&mut Assembler::default(), &files);
        let first = first_source(&inputs, &files);
        return open_in(project, &first, theme);
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
            return Bench::new(app.with_note(note), None).run();
        }
    }
    let (project, name) = Project::around(path);
    if project.manifest_path.is_some() {
        return open_in(project, &name, theme);
    }
    let text = if path.exists() { files::text_of(path, files::read(path)?)? } else { String::new() };
    let name = whole.display().to_string();
    open_source(project, &name, Some(name.clone()), &text, theme)
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

fn open_in(mut project: Project, name: &str, theme: Theme) -> Result<u8, Failure> {
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
    project.root = root;
    Bench::new(app, Some(project)).run()
}

fn open_source(project: Project, name: &str, path: Option<String>, text: &str, theme: Theme) -> Result<u8, Failure> {
    let is_new = !Path::new(name).exists();
    let app = App::new(path, text, Settings::default(), theme);
    let app = if is_new { app.with_new_file() } else { app };
    let app = with_unsaved(app, Path::new(name), text);
    Bench::new(app, Some(project)).run()
}

/// The same with text of last time that was never saved.
fn with_unsaved(app: App, place: &Path, text: &str) -> App {
    match recovery::find(place).filter(|unsaved| unsaved.text != text) {
        Some(unsaved) => app.with_recovered(&unsaved.text, unsaved.base.as_deref()),
        None => app,
    }
}

fn theme(look: Look) -> Theme {
    let variable = |name| std::env::var(name).unwrap_or_default();
    let term = variable("TERM");
    let colours = if !variable("NO_COLOR").is_empty() || term == "dumb" {
        Colours::None
    } else if matches!(variable("COLORTERM").as_str(), "truecolor" | "24bit") {
        Colours::Full
    } else if term.contains("256color") || term.contains("direct") {
        Colours::Indexed
    } else {
        Colours::Sixteen
    };
    let look = if look == Look::Light { wendax_tui::Look::Light } else { wendax_tui::Look::Dark };
    Theme { look, colours }
}

/// The terminal as it was, when this is dropped or the program panics.
struct Screen;

impl Screen {
    fn enter() -> Result<Self, std::io::Error> {
        enable_raw_mode()?;
        execute!(std::io::stdout(), EnterAlternateScreen, EnableBracketedPaste, EnableMouseCapture)?;
        Ok(Self)
    }

    fn leave() {
        let out = &mut std::io::stdout();
        let _ =
            execute!(out, DisableMouseCapture, DisableBracketedPaste, LeaveAlternateScreen, crossterm::cursor::Show);
        let _ = disable_raw_mode();
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        Self::leave();
    }
}

struct Bench {
    app: App,
    /// What was told last of each file that is another one than it was: its text, nothing when it is gone.
    told: BTreeMap<String, Option<String>>,
    /// What a panic must not lose.
    unsaved: Arc<Mutex<Vec<Unsaved>>>,
    /// Texts that were kept: path and number.
    kept: BTreeMap<PathBuf, u64>,
    keep_at: Option<Instant>,
    look_at: Option<Instant>,
    wake_at: Option<Instant>,
    started: Instant,
    sender: Sender<Incoming>,
    receiver: Receiver<Incoming>,
    assembler: Sender<Request>,
    watcher: Option<notify::RecommendedWatcher>,
    watched: Vec<PathBuf>,
}

/// Something to assemble: the number of the texts, and those that changed.
struct Request {
    generation: u64,
    texts: Vec<(String, String)>,
}

impl Bench {
    /// `project` is what to assemble; an image has none.
    fn new(app: App, project: Option<Project>) -> Self {
        let (sender, receiver) = channel();
        let assembler = assembler(sender.clone(), project.unwrap_or_default());
        let waker = sender.clone();
        let watcher = notify::recommended_watcher(move |event: notify::Result<notify::Event>| {
            // That files are read, by ourselves too, changes nothing.
            if event.is_ok_and(|event| !event.kind.is_access()) {
                let _ = waker.send(Incoming::Disk);
            }
        });
        Self {
            app,
            told: BTreeMap::new(),
            unsaved: Arc::default(),
            kept: BTreeMap::new(),
            keep_at: None,
            // What happened to recovered texts meanwhile is looked at once.
            look_at: Some(Instant::now()),
            wake_at: None,
            started: Instant::now(),
            sender,
            receiver,
            assembler,
            watcher: watcher.ok(),
            watched: Vec::new(),
        }
    }

    fn run(mut self) -> Result<u8, Failure> {
        let tell = |error: std::io::Error| Failure {
            status: crate::status::NO_OUTPUT,
            ..Failure::usage(format!("the terminal: {error}"))
        };
        self.keep_on_panic();
        let screen = Screen::enter().map_err(tell)?;
        let mut terminal = Terminal::new(CrosstermBackend::new(std::io::stdout())).map_err(tell)?;
        listen(self.sender.clone());
        catch_signals(self.sender.clone());
        let size = terminal.size().map_err(tell)?;
        update(&mut self.app, Message::Resized(size.width, size.height));
        let first = self.app.first_effects();
        self.carry_out(first);
        let status = self.turn(&mut terminal);
        if status.is_err() {
            // The terminal is gone; the text must not go with it.
            self.keep_now();
        }
        drop(screen);
        status.map_err(tell)
    }

    /// The loop.
    fn turn(&mut self, terminal: &mut Terminal<CrosstermBackend<std::io::Stdout>>) -> Result<u8, std::io::Error> {
        let mut drawn: Option<Instant> = None;
        let mut stale = true;
        loop {
            if stale && (drawn.is_none_or(|at| at.elapsed() >= FRAME) || !self.app.has_work()) {
                terminal.draw(|frame| draw(&self.app, frame))?;
                (drawn, stale) = (Some(Instant::now()), false);
            }
            let Some(incoming) = self.next(stale) else {
                stale |= self.work();
                continue;
            };
            let message = match incoming {
                Incoming::Message(message) => message,
                Incoming::Disk => {
                    // Several things happen to a file that is written; they are looked at together.
                    self.look_at.get_or_insert_with(|| Instant::now() + LOOK_AFTER);
                    continue;
                }
                Incoming::End(status) => {
                    self.keep_now();
                    return Ok(status);
                }
            };
            stale = true;
            let effects = update(&mut self.app, message);
            if self.carry_out(effects) {
                return Ok(0);
            }
        }
    }

    /// The next thing that happened; `None` when it is time for work, for a frame or for keeping text.
    fn next(&mut self, stale: bool) -> Option<Incoming> {
        if self.app.has_work() {
            return self.receiver.try_recv().ok();
        }
        let now = Instant::now();
        let due = [self.keep_at, self.look_at, self.wake_at, stale.then(|| now + FRAME)].into_iter().flatten().min();
        let Some(due) = due else { return self.receiver.recv().ok().or(Some(Incoming::End(1))) };
        match self.receiver.recv_timeout(due.saturating_duration_since(now)) {
            Ok(incoming) => Some(incoming),
            Err(RecvTimeoutError::Timeout) => None,
            Err(RecvTimeoutError::Disconnected) => Some(Incoming::End(1)),
        }
    }

    /// Does what is due: goes on with the run, keeps unsaved text, wakes a waiting program.
    fn work(&mut self) -> bool {
        let begun = Instant::now();
        if self.keep_at.is_some_and(|due| due <= begun) {
            self.keep_now();
        }
        let mut any = false;
        if self.look_at.is_some_and(|due| due <= begun) {
            self.look_at = None;
            self.look_at_disk();
            any = true;
        }
        if self.wake_at.is_some_and(|due| due <= begun) {
            self.wake_at = None;
            let effects = update(&mut self.app, Message::Waited);
            self.carry_out(effects);
        }
        while self.app.has_work() && begun.elapsed() < WORK {
            let effects = update(&mut self.app, Message::Work);
            self.carry_out(effects);
            any = true;
        }
        any
    }

    /// Carries out effects; true when the program is to end.
    fn carry_out(&mut self, effects: Vec<Effect>) -> bool {
        for effect in effects {
            match effect {
                Effect::Assemble(generation, texts) => {
                    // The thread lives as long as we do.
                    let _ = self.assembler.send(Request { generation, texts });
                    self.watch();
                    if self.app.is_changed() {
                        self.keep_at = Some(self.keep_at.unwrap_or_else(|| Instant::now() + KEEP_AFTER));
                        self.remember();
                    }
                }
                Effect::Save(name, revision, path, text) => self.save(name, revision, path, text),
                Effect::Copy(text) => copy_to_system(&text),
                Effect::TellTime => {
                    let time = u32::try_from(self.started.elapsed().as_millis() & u128::from(u32::MAX)).unwrap_or(0);
                    self.send(Message::Clock(time));
                }
                Effect::Wait(milliseconds) => {
                    self.wake_at = Some(Instant::now() + Duration::from_millis(milliseconds.into()));
                }
                Effect::Quit => {
                    self.kept.keys().for_each(|place| recovery::forget(place));
                    return true;
                }
            }
        }
        false
    }

    fn send(&self, message: Message) {
        // We hold the receiver ourselves.
        let _ = self.sender.send(Incoming::Message(message));
    }

    // ---- files

    fn save(&mut self, name: String, revision: u64, path: String, text: String) {
        let target = Path::new(&path);
        let known = self.app.open_files().into_iter().find(|file| file.path == path);
        let (same, base) = (known.is_some(), known.and_then(|file| file.base));
        let answer = match std::fs::read(target) {
            _ if self.app.is_image() => Err("this is an image, and its disassembly is no text of its own".to_owned()),
            Ok(bytes) if same && base.is_none_or(|base| bytes != base.as_bytes()) => {
                // The change is shown, merged or asked about; what was written here is not lost.
                self.look_at = Some(Instant::now());
                Err("the file was changed by someone else; look at the change, then save again".to_owned())
            }
            Ok(_) if !same => Err(format!("{path} exists already; choose another name")),
            _ => files::write(target, text.as_bytes()).map_err(|error| files::plain(&error)),
        };
        match answer {
            Ok(()) => {
                let absolute = std::path::absolute(target).map_or(path, |path| path.display().to_string());
                for place in [PathBuf::from(&name), PathBuf::from(&absolute)] {
                    recovery::forget(&place);
                    self.kept.remove(&place);
                }
                self.told.remove(&absolute);
                let saved = update(&mut self.app, Message::Saved { name, revision, path: absolute, text });
                // Saving brings nothing about that could end the program before the others are saved.
                for effect in saved {
                    match effect {
                        Effect::Quit => {
                            let (name, path, text) = (String::new(), String::new(), String::new());
                            self.send(Message::Saved { name, revision: 0, path, text });
                        }
                        other => {
                            self.carry_out(vec![other]);
                        }
                    }
                }
                self.remember();
                self.watch();
            }
            Err(why) => self.send(Message::NotSaved(why)),
        }
    }

    /// Has the system tell when something happens to files that are looked at.
    fn watch(&mut self) {
        for OpenFile { name, path, .. } in self.app.open_files() {
            let Some(folder) = Path::new(&path).parent().map(Path::to_owned) else { continue };
            if self.watched.contains(&folder) || name.is_empty() {
                continue;
            }
            if let Some(watcher) = &mut self.watcher {
                // Where the system cannot tell, saving still sees what happened.
                let _ = watcher.watch(&folder, notify::RecursiveMode::NonRecursive);
            }
            self.watched.push(folder);
        }
    }

    /// Tells of files that have another text than the one they were read or written with.
    fn look_at_disk(&mut self) {
        let mut changed = false;
        if self.app.is_image() {
            return;
        }
        for OpenFile { name, path, base } in self.app.open_files() {
            let now = match std::fs::read_to_string(&path) {
                Ok(now) => Some(now),
                Err(error) if error.kind() == std::io::ErrorKind::NotFound => None,
                // What cannot be read now is looked at again when it is saved.
                Err(_) => continue,
            };
            if now.as_deref() == base.as_deref() {
                self.told.remove(&path);
                continue;
            }
            if self.told.get(&path) == Some(&now) {
                continue;
            }
            self.told.insert(path, now.clone());
            let message = match now {
                Some(now) => Message::Changed(name, base.as_deref().unwrap_or_default().to_owned(), now),
                None => Message::Gone(name),
            };
            let effects = update(&mut self.app, message);
            self.carry_out(effects);
            changed = true;
        }
        if !changed {
            // Files that nobody looks at are part of the program too.
            let effects = self.app.assemble_again();
            self.carry_out(effects);
        }
    }

    /// Notes the texts for the panic hook.
    fn remember(&self) {
        if let Ok(mut unsaved) = self.unsaved.lock() {
            *unsaved = self.app.unsaved();
        }
    }

    fn keep_now(&mut self) {
        self.keep_at = None;
        let texts = self.app.unsaved();
        let is_here = |place: &PathBuf| texts.iter().any(|unsaved| home(unsaved) == *place);
        let gone: Vec<PathBuf> = self.kept.keys().filter(|place| !is_here(place)).cloned().collect();
        for place in gone {
            recovery::forget(&place);
            self.kept.remove(&place);
        }
        for unsaved in texts {
            let place = home(&unsaved);
            if self.kept.get(&place) != Some(&unsaved.revision) {
                recovery::keep(&place, &unsaved.text, unsaved.base.as_deref());
                self.kept.insert(place, unsaved.revision);
            }
        }
    }

    /// A panic gives the terminal back and keeps unsaved text.
    fn keep_on_panic(&self) {
        let unsaved = Arc::clone(&self.unsaved);
        let hook = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            Screen::leave();
            if let Ok(unsaved) = unsaved.try_lock()
                && !unsaved.is_empty()
            {
                for unsaved in unsaved.iter() {
                    recovery::keep(&home(unsaved), &unsaved.text, unsaved.base.as_deref());
                }
                tracing::error!(panic = %info, "failed");
                let _ = writeln!(
                    std::io::stderr(),
                    "Wendax failed; unsaved text was kept and will be there at the next start."
                );
            }
            hook(info);
        }));
    }
}

/// Where an unsaved text belongs.
fn home(unsaved: &Unsaved) -> PathBuf {
    PathBuf::from(unsaved.path.as_ref().unwrap_or(&unsaved.name))
}

/// Asks the terminal to put a text into the system's clipboard (OSC 52 of ECMA-48's operating system commands,
/// as most terminals take it); those that do not know it pass it over.
fn copy_to_system(text: &str) {
    use base64::Engine;
    /// Terminals take no more.
    const MOST: usize = 74_994;
    let encoded = base64::engine::general_purpose::STANDARD.encode(text);
    if encoded.len() <= MOST {
        let mut out = std::io::stdout();
        let _ = write!(out, "\u{1b}]52;c;{encoded}\u{7}").and_then(|()| out.flush());
    }
}

/// The thread that assembles: always the newest texts there are.
fn assembler(answers: Sender<Incoming>, mut project: Project) -> Sender<Request> {
    let (sender, requests) = channel::<Request>();
    std::thread::spawn(move || {
        let mut files = project.files();
        let mut assembler = Assembler::default();
        let mut single: Option<String> = None;
        while let Ok(mut newest) = requests.recv() {
            loop {
                for (name, text) in std::mem::take(&mut newest.texts) {
                    files.edit(&name, text.as_str().into());
                    single.get_or_insert(name);
                }
                match requests.try_recv() {
                    Ok(newer) => newest = newer,
                    Err(_) => break,
                }
            }
            let (mut inputs, found) = project.inputs(&mut assembler, &files);
            if project.manifest_path.is_none() {
                inputs.sources = single.iter().cloned().collect();
            }
            let mut assembly = assembler.assemble(&inputs, &files);
            if !found.is_empty() {
                assembly.add(found);
            }
            let manifest = &project.manifest;
            let built = Built {
                assembly,
                inputs,
                manifest: project.manifest_path.clone(),
                settings: Settings {
                    arguments: manifest.arguments.iter().map(|argument| argument.clone().into_bytes()).collect(),
                    seed: manifest.seed.unwrap_or(0),
                    clock: if manifest.virtual_clock { Clock::Cycles } else { Clock::Host },
                },
                typed: manifest.input.clone().map(String::into_bytes),
                history: manifest.history_bytes(),
            };
            let message = Message::Assembled(newest.generation, Box::new(built));
            if answers.send(Incoming::Message(message)).is_err() {
                return;
            }
        }
    });
    sender
}

/// The thread that reads the terminal.
fn listen(sender: Sender<Incoming>) {
    std::thread::spawn(move || {
        loop {
            let incoming = match event::read() {
                Ok(Input::Key(key)) => Incoming::Message(Message::Key(key)),
                Ok(Input::Paste(text)) => Incoming::Message(Message::Paste(text)),
                Ok(Input::Resize(width, height)) => Incoming::Message(Message::Resized(width, height)),
                // Moves alone mean nothing, and come in great numbers.
                Ok(Input::Mouse(event)) if event.kind == event::MouseEventKind::Moved => continue,
                Ok(Input::Mouse(event)) => Incoming::Message(Message::Mouse(event)),
                Ok(Input::FocusGained | Input::FocusLost) => continue,
                Err(_) => Incoming::End(1),
            };
            let ended = matches!(incoming, Incoming::End(_));
            if sender.send(incoming).is_err() || ended {
                return;
            }
        }
    });
}

/// Signals that ask the program to end: unsaved text is kept, the terminal given back.
fn catch_signals(sender: Sender<Incoming>) {
    use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
    let Ok(mut signals) = signal_hook::iterator::Signals::new([SIGHUP, SIGINT, SIGTERM]) else { return };
    std::thread::spawn(move || {
        if let Some(signal) = signals.forever().next() {
            let status = u8::try_from(128 + signal).unwrap_or(1);
            let _ = sender.send(Incoming::End(status));
        }
    });
}
