//! The loop that owns terminal, files and clock.
//!
//! Everything that happens reaches it as a message by one channel; while nothing happens it sleeps. A running program
//! is worked on in slices between two looks at the channel, so that keys stay prompt.

use super::Incoming;
use super::terminal::{Screen, ask_ground, copy_to_system};
use super::threads::{self, Keep, Latest, Request, WORKSHOP};
use crate::folder::Folder;
use crate::recovery::Decided;
use crate::{Failure, files, recovery, trials};
use notify::Watcher;
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant, SystemTime};
use wendax_machine::Found;
use wendax_project::{Project, Seal};
use wendax_tui::{App, Effect, Look, Message, OpenFile, Text, Unsaved, draw, update};

/// The first frame waits so long for what the terminal says of its ground.
const FIRST_FRAME: Duration = Duration::from_millis(15);
/// Between two frames at the least.
const FRAME: Duration = Duration::from_millis(17);
/// Unsaved text is kept so long after it changed.
const KEEP_AFTER: Duration = Duration::from_millis(250);
/// Work on a running program between two looks at the keys.
const WORK: Duration = Duration::from_millis(4);
/// A file that is gone or empty is looked at once more after so long: perhaps it is just being written.
const DOUBT: Duration = Duration::from_millis(350);
/// Changed files are looked at so long after the system told of them.
const LOOK_AFTER: Duration = Duration::from_millis(60);

/// How a bench ended.
pub(super) enum End {
    /// The program ends with this status.
    Status(u8),
    /// This is to be opened.
    Open(Next),
}

/// How a file looks: its length and when it was written last; nothing where there is none.
type FileLook = Option<(u64, SystemTime)>;

/// So much the times of files may be behind.
const CLOCK: Duration = Duration::from_millis(50);

/// What is opened next.
#[derive(Debug, Default)]
pub(super) struct Next {
    /// The program.
    pub(super) path: PathBuf,
    /// The table of trials it is opened for: the path of its file, and its text.
    pub(super) table: Option<(String, String)>,
    /// The row of that which is to be walked.
    pub(super) row: Option<String>,
}

/// What a file was seen to have.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Seen {
    Nothing,
    Text(String),
    /// It is no text in UTF-8.
    Bytes(Vec<u8>),
}

impl Seen {
    /// What lies at a path; `None` when that cannot be told now.
    fn at(path: &str) -> Option<Self> {
        match std::fs::read(path) {
            Ok(bytes) => {
                Some(String::from_utf8(bytes).map_or_else(|error| Self::Bytes(error.into_bytes()), Self::Text))
            }
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Some(Self::Nothing),
            Err(_) => None,
        }
    }
}

pub(super) struct Bench {
    app: App,
    /// What is open, by which it is known the next time.
    place: PathBuf,
    /// What is to be opened instead.
    next: Option<Next>,
    /// The folder of the project, which is watched with all that lies in it.
    root: Option<PathBuf>,
    /// What was told last of each file that is another one than it was: its text, nothing when it is gone.
    told: BTreeMap<String, Seen>,
    /// Files that were gone or empty at the last look: they are looked at once more before that is believed.
    doubted: BTreeMap<String, Seen>,
    /// Files with bytes that are no text, over which the next saving writes.
    no_text: BTreeMap<String, Vec<u8>>,
    /// Files that were written here beside the program.
    written: BTreeSet<PathBuf>,
    /// The files of the program as they were watched last.
    files: Vec<String>,
    /// How the files looked that rows of trials hang on, when they were read.
    looks_of_rows: Vec<FileLook>,
    /// Files of which unsaved text of last time was looked for.
    looked_for: BTreeSet<String>,
    /// When that is looked for again, and how often at most: whoever has it may just be ending.
    unsaved_at: Option<Instant>,
    unsaved_looks: u8,
    /// What a panic must not lose.
    unsaved: Arc<Mutex<Vec<Unsaved>>>,
    /// Texts that were kept: path and number.
    kept: BTreeMap<PathBuf, u64>,
    keep_at: Option<Instant>,
    look_at: Option<Instant>,
    /// When the program goes on that waits, and by which question it does.
    wake_at: Option<(Instant, u64)>,
    tick_at: Option<Instant>,
    started: Instant,
    sender: Sender<Incoming>,
    receiver: Receiver<Incoming>,
    /// What came before the first frame.
    early: VecDeque<Incoming>,
    workshop: Sender<Request>,
    /// What it built last.
    latest: Latest,
    is_leaving: Arc<AtomicBool>,
    keeper: Option<(Sender<Keep>, Option<JoinHandle<()>>)>,
    watcher: Option<notify::RecommendedWatcher>,
    watched: Vec<PathBuf>,
    /// The folder of the program's files, and the run it was used by last.
    folder: Option<(wendax_tui::Folder, Folder)>,
    /// What whoever sits here lets the program open; who lets it open nothing else is asked for nothing.
    seal: Seal,
    /// The job that tries rows now: it is given up when this is set.
    trying: Arc<AtomicBool>,
}

impl Bench {
    /// `project` is what to assemble; an image has none.
    pub(super) fn new(app: App, project: Option<Project>, place: PathBuf, seal: Seal) -> Self {
        let (sender, receiver) = channel();
        let project = project.unwrap_or_default();
        let root = project.manifest_path.is_some().then(|| project.root.clone());
        let is_leaving = Arc::new(AtomicBool::new(false));
        let latest = Latest::default();
        let workshop = threads::workshop(sender.clone(), Arc::clone(&latest), project, Arc::clone(&is_leaving));
        let waker = sender.clone();
        let watcher = notify::recommended_watcher(move |event: notify::Result<notify::Event>| {
            // That files are read, by ourselves too, changes nothing.
            if event.is_ok_and(|event| !event.kind.is_access()) {
                let _ = waker.send(Incoming::Disk);
            }
        });
        Self {
            app,
            place,
            next: None,
            root,
            told: BTreeMap::new(),
            doubted: BTreeMap::new(),
            no_text: BTreeMap::new(),
            written: BTreeSet::new(),
            files: Vec::new(),
            looks_of_rows: Vec::new(),
            looked_for: BTreeSet::new(),
            unsaved_at: None,
            unsaved_looks: 20,
            unsaved: Arc::default(),
            kept: BTreeMap::new(),
            keep_at: None,
            // What happened to recovered texts meanwhile is looked at once.
            look_at: Some(Instant::now()),
            wake_at: None,
            tick_at: None,
            started: Instant::now(),
            sender,
            receiver,
            early: VecDeque::new(),
            workshop,
            latest,
            is_leaving,
            keeper: Some(threads::keeper()),
            watcher: watcher.ok(),
            watched: Vec::new(),
            folder: None,
            seal,
            trying: Arc::default(),
        }
    }

    /// Runs until the end. The mouse is ours or the terminal's; the terminal is asked for its ground or not.
    pub(super) fn run(mut self, mouse: bool, asks_ground: bool) -> Result<End, Failure> {
        let tell = |error: std::io::Error| Failure {
            status: crate::status::NO_OUTPUT,
            ..Failure::usage(format!("the terminal: {error}"))
        };
        self.keep_on_panic();
        let screen = Screen::enter(mouse).map_err(tell)?;
        let asks_ground = asks_ground && !threads::is_listening();
        if asks_ground {
            ask_ground();
        }
        threads::listen(self.sender.clone(), asks_ground);
        if asks_ground {
            self.wait_for_ground();
        }
        let mut terminal = Terminal::new(CrosstermBackend::new(std::io::stdout())).map_err(tell)?;
        threads::catch_signals(self.sender.clone());
        let size = terminal.size().map_err(tell)?;
        update(&mut self.app, Message::Resized(size.width, size.height));
        let first = self.app.first_effects();
        self.carry_out(first);
        if self.app.is_image() {
            // Nothing is assembled that would tell of files.
            self.follow_files();
        }
        let status = self.turn(&mut terminal, &screen);
        if status.is_err() {
            // The terminal is gone; the text must not go with it.
            self.keep_now();
        }
        self.is_leaving.store(true, Ordering::Relaxed);
        self.finish_keeping();
        drop(screen);
        recovery::keep_view(&self.place, &self.app.kept());
        let status = status.map_err(tell)?;
        Ok(self.next.map_or(End::Status(status), End::Open))
    }

    /// Waits for the terminal's answer as long as the first frame can wait, so that it has the right ground at once.
    fn wait_for_ground(&mut self) {
        let until = Instant::now() + FIRST_FRAME;
        while let Ok(incoming) = self.receiver.recv_timeout(until.saturating_duration_since(Instant::now())) {
            let is_ground = matches!(incoming, Incoming::Ground(_));
            self.early.push_back(incoming);
            if is_ground {
                break;
            }
        }
        if let Some(Incoming::Ground(is_light)) = self.early.iter().find(|early| matches!(early, Incoming::Ground(_))) {
            self.app.stand_on(if *is_light { Look::Light } else { Look::Dark });
        }
    }

    /// The loop.
    fn turn(
        &mut self,
        terminal: &mut Terminal<CrosstermBackend<std::io::Stdout>>,
        screen: &Screen,
    ) -> Result<u8, std::io::Error> {
        let mut drawn: Option<Instant> = None;
        let mut stale = true;
        loop {
            let is_due = drawn.is_none_or(|at| at.elapsed() >= FRAME);
            // What has come already is taken in before a frame shows it, as long as the last one is young.
            let come = if stale && is_due { None } else { self.poll() };
            if come.is_none() && stale && (is_due || !self.app.has_work()) {
                terminal.draw(|frame| draw(&self.app, frame))?;
                (drawn, stale) = (Some(Instant::now()), false);
            }
            let Some(incoming) = come.or_else(|| self.next(stale)) else {
                stale |= self.work();
                continue;
            };
            let message = match incoming {
                Incoming::Message(message) => message,
                Incoming::Built => match self.latest.lock().ok().and_then(|mut latest| latest.take()) {
                    Some((generation, built)) => {
                        self.ask_about_reach(&built.refused);
                        Message::Assembled(generation, built)
                    }
                    None => continue,
                },
                Incoming::Ground(is_light) => {
                    self.app.stand_on(if is_light { Look::Light } else { Look::Dark });
                    stale = true;
                    continue;
                }
                Incoming::Disk => {
                    // Several things happen to a file that is written; they are looked at together.
                    self.look_at.get_or_insert_with(|| Instant::now() + LOOK_AFTER);
                    continue;
                }
                Incoming::Stop => {
                    self.keep_now();
                    Screen::leave();
                    threads::stop();
                    continue;
                }
                Incoming::Continue => {
                    screen.enter_again()?;
                    // Nothing is known of what is on the screen now.
                    *terminal = Terminal::new(CrosstermBackend::new(std::io::stdout()))?;
                    // Its size may be another one, and files too.
                    self.look_at.get_or_insert_with(Instant::now);
                    let size = terminal.size()?;
                    Message::Resized(size.width, size.height)
                }
                Incoming::End(status) => {
                    self.keep_now();
                    return Ok(status);
                }
            };
            stale = true;
            let begun = match &message {
                Message::ReadForRows(_, _, begun) => Some(*begun),
                _ => None,
            };
            let has_files = begun.is_some() || matches!(message, Message::Assembled(..) | Message::Table(..));
            let effects = update(&mut self.app, message);
            if let Some(begun) = begun {
                // What was written since may not be what was read: that it happened is told yet, and it is read again then.
                let is_before = |look: &(u64, SystemTime)| look.1 + CLOCK < begun;
                self.looks_of_rows = self.looks_for_rows().into_iter().map(|look| look.filter(is_before)).collect();
            }
            if has_files {
                self.follow_files();
            }
            if self.carry_out(effects) {
                return Ok(0);
            }
        }
    }

    /// What has happened already and was not taken in yet.
    fn poll(&mut self) -> Option<Incoming> {
        self.early.pop_front().or_else(|| self.receiver.try_recv().ok())
    }

    /// The next thing that happened; `None` when it is time for work, for a frame or for keeping text.
    fn next(&mut self, stale: bool) -> Option<Incoming> {
        if let Some(come) = self.poll() {
            return Some(come);
        }
        if self.app.has_work() {
            return None;
        }
        let now = Instant::now();
        let due = [
            self.keep_at,
            self.look_at,
            self.unsaved_at,
            self.wake_at.map(|(at, _)| at),
            self.tick_at,
            stale.then(|| now + FRAME),
        ]
        .into_iter()
        .flatten()
        .min();
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
        if self.unsaved_at.take_if(|due| *due <= begun).is_some() {
            self.look_for_unsaved();
        }
        if let Some((_, asked)) = self.wake_at.take_if(|(due, _)| *due <= begun) {
            let effects = update(&mut self.app, Message::Waited(asked));
            self.carry_out(effects);
        }
        if self.tick_at.is_some_and(|due| due <= begun) {
            self.tick_at = None;
            let effects = update(&mut self.app, Message::Tick);
            self.carry_out(effects);
            any = true;
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
        let mut quits = false;
        for effect in effects {
            if let Some(path) = effect.writes().map(PathBuf::from) {
                let whole = std::path::absolute(&path).unwrap_or(path);
                // One of the program's own files is refused, whatever is answered.
                if whole.exists() && !self.written.contains(&whole) && self.apart(&whole).is_ok() {
                    self.send(Message::Exists(Box::new(effect)));
                    continue;
                }
                self.written.insert(whole);
            }
            match effect {
                Effect::LookAgain => self.look_at = Some(Instant::now()),
                Effect::Over(effect) => {
                    let whole = effect.writes().and_then(|path| std::path::absolute(path).ok());
                    self.written.extend(whole);
                    quits |= self.carry_out(vec![*effect]);
                }
                Effect::Assemble(generation, texts) => {
                    // The thread lives as long as we do.
                    let _ = self.workshop.send(Request::Build(generation, texts));
                    // What is as on disk again is no longer kept either.
                    if self.app.is_changed() || !self.kept.is_empty() {
                        self.keep_at = Some(self.keep_at.unwrap_or_else(|| Instant::now() + KEEP_AFTER));
                        self.remember();
                    }
                }
                Effect::Save(name, path, text) => quits |= self.save(name, path, text),
                Effect::Rename(from, to) => {
                    let _ = self.workshop.send(Request::Rename(from, to));
                }
                Effect::Build(path) => {
                    let told = match crate::build::write_program(self.app.assembly(), Path::new(&path)) {
                        Ok(text) => Message::Done(text),
                        Err(failure) => Message::Failed(failure.text),
                    };
                    self.send(told);
                }
                Effect::Write(path, bytes) => {
                    let told = match self.write_apart(&path, &bytes) {
                        Ok(()) => Message::Done(format!("{} bytes written to {path}", bytes.len())),
                        Err(failure) => Message::Failed(failure.text),
                    };
                    self.send(told);
                }
                Effect::OpenForRow { program, row } => quits |= self.open_for_row(&program, row),
                Effect::NewProject(folder) => quits |= self.new_project(Path::new(&folder)),
                Effect::Reach(folders, is_allowed) => {
                    if let Some(root) = &self.root {
                        Decided::of(root).add(root, folders.clone(), is_allowed);
                    }
                    if is_allowed {
                        let _ = self.workshop.send(Request::Allow(folders));
                        self.look_at = Some(Instant::now());
                    }
                }
                Effect::Copy(text) => copy_to_system(&text),
                Effect::TellTime(asked) => {
                    let time = u32::try_from(self.started.elapsed().as_millis() & u128::from(u32::MAX)).unwrap_or(0);
                    self.send(Message::Clock(asked, time));
                }
                Effect::Wait(asked, milliseconds) => {
                    self.wake_at = Some((Instant::now() + Duration::from_millis(milliseconds.into()), asked));
                }
                Effect::Sound(asked, tone) => {
                    if tone.hertz > 0 {
                        self.ring();
                    }
                    self.wake_at = Some((Instant::now() + Duration::from_millis(tone.milliseconds.into()), asked));
                }
                Effect::Ring => self.ring(),
                Effect::FindFile(asked, folder, path) => {
                    let found = match self.folder_of(&folder) {
                        Some(folder) => folder.find(&path),
                        None => Found::NotAllowed,
                    };
                    self.send(Message::Found(asked, path, found));
                }
                Effect::KeepFiles(folder, files) => {
                    let told = self.folder_of(&folder).map(|folder| folder.keep(&files)).unwrap_or_default();
                    if let Some(first) = told.first() {
                        self.send(Message::Failed(first.clone()));
                    }
                }
                Effect::WriteTones(path, tones) => {
                    let place = Path::new(&path);
                    let written = self.apart(place).and_then(|()| crate::tones::write(place, &tones));
                    self.send(match written {
                        Ok(()) => {
                            let rest =
                                crate::tones::left_out(&tones).map_or_else(String::new, |rest| format!("; {rest}"));
                            Message::Done(format!("{} tones written to {path}{rest}", tones.len()))
                        }
                        Err(failure) => Message::Failed(failure.text),
                    });
                }
                Effect::Send(port) => {
                    let (image, sender) = (self.app.assembly().image.clone(), self.sender.clone());
                    std::thread::spawn(move || {
                        let told = match crate::send::send(&image, &port) {
                            Ok(text) => Message::Done(text),
                            Err(why) => Message::Failed(why),
                        };
                        // The bench may have ended meanwhile.
                        let _ = sender.send(Incoming::Message(told));
                    });
                }
                Effect::ReadEvents(path) => self.read_text(path, Message::Events),
                Effect::ReadExercise(path) => self.read_text(path, Message::Exercise),
                Effect::ReadTally(path) => self.read_text(path, Message::Tally),
                Effect::ReadTable(path) => self.read_text(path, Message::Table),
                Effect::Try(job) => {
                    self.trying.store(true, Ordering::Relaxed);
                    self.trying = Arc::default();
                    let (seal, over, sender) = (self.seal.clone(), Arc::clone(&self.trying), self.sender.clone());
                    threads::apart(self.sender.clone(), move || {
                        // The bench may have ended meanwhile.
                        let told = |message| drop(sender.send(Incoming::Message(message)));
                        trials::try_in_bench(&job, &seal, &over, &told);
                    });
                }
                Effect::WalkRow(job) => {
                    let (over, sender) = (Arc::clone(&self.trying), self.sender.clone());
                    threads::apart(self.sender.clone(), move || {
                        let _ = sender.send(Incoming::Message(trials::walk_in_bench(&job, &over)));
                    });
                }
                Effect::WriteTable { path, base, text } => self.write_table(&path, base.as_deref(), &text),
                Effect::Tick(milliseconds) => {
                    self.tick_at = Some(Instant::now() + Duration::from_millis(milliseconds.into()));
                }
                Effect::Quit => {
                    for place in std::mem::take(&mut self.kept).into_keys() {
                        self.ask_keeper(Keep::Forget(place));
                    }
                    quits = true;
                }
            }
        }
        quits
    }

    /// Reads a text that was asked for, and hands it on as what it is, with its path.
    fn read_text(&mut self, path: String, come: fn(String, String) -> Message) {
        let place = Path::new(&path);
        let text = files::read(place).and_then(|bytes| files::text_of(place, bytes));
        self.send(match text {
            Ok(text) => come(path, text),
            Err(failure) => Message::Failed(failure.text),
        });
    }

    /// Writes the table of trials, unless its file holds something else than was known.
    fn write_table(&mut self, path: &str, base: Option<&str>, text: &str) {
        let place = Path::new(path);
        let told = match (Seen::at(path), base) {
            _ if files::is_locked(place) => {
                Some((format!("{path} is read-only: nothing was changed"), base.map(str::to_owned)))
            }
            (Some(Seen::Text(now)), Some(base)) if now == base => None,
            // What is gone is written anew: nothing is lost by that.
            (Some(Seen::Nothing), _) => None,
            (Some(Seen::Text(now)), _) => {
                Some((format!("{path} was changed by someone else: it is shown as it is now"), Some(now)))
            }
            _ => Some((format!("{path} was not written: it is no text any more"), base.map(str::to_owned))),
        };
        let told = told.or_else(|| {
            let failure = self.apart(place).and_then(|()| files::write_to(place, text.as_bytes())).err()?;
            Some((format!("not written: {}", failure.text), base.map(str::to_owned)))
        });
        if let Some((why, now)) = told {
            self.send(Message::NotWritten(why, now));
        }
    }

    /// Writes something beside the program: never over one of its files.
    fn write_apart(&self, path: &str, bytes: &[u8]) -> Result<(), Failure> {
        self.apart(Path::new(path))?;
        files::write_to(Path::new(path), bytes)
    }

    /// A path is none of the program's own files.
    fn apart(&self, path: &Path) -> Result<(), Failure> {
        let read: Vec<PathBuf> = self.app.open_files().into_iter().map(|file| PathBuf::from(file.path)).collect();
        if self.folder.as_ref().is_some_and(|(_, folder)| folder.knows(path)) {
            let text = format!("{}: this is a file of the program's own; name another", path.display());
            return Err(Failure::usage(text));
        }
        files::keep_apart(&read, &[("this", path)])
    }

    /// A tone, as far as a terminal can sound one.
    fn ring(&self) {
        let mut terminal = std::io::stdout();
        let _ = terminal.write_all(b"\x07").and_then(|()| terminal.flush());
    }

    /// The folder of a run, opened when it is first used.
    fn folder_of(&mut self, wanted: &wendax_tui::Folder) -> Option<&mut Folder> {
        match &mut self.folder {
            Some((known, folder)) if known.path == wanted.path => {
                if known.run != wanted.run {
                    folder.begin();
                    known.run = wanted.run;
                }
            }
            _ => {
                let own = self.app.program_files().into_iter().map(PathBuf::from).collect();
                match Folder::open(&wanted.path, own) {
                    Ok(folder) => self.folder = Some((wanted.clone(), folder)),
                    Err(why) => {
                        self.folder = None;
                        self.send(Message::Failed(why));
                    }
                }
            }
        }
        self.folder.as_mut().map(|(_, folder)| folder)
    }

    /// Makes a project; true when it is to be opened at once.
    fn new_project(&mut self, folder: &Path) -> bool {
        if let Err(failure) = crate::new::make(folder, self.app.machine()) {
            self.send(Message::Failed(failure.text));
            return false;
        }
        if self.app.is_changed() {
            let text = format!("the project is in {}; save what is open, then `wendax {0}` opens it", folder.display());
            self.send(Message::Done(text));
            return false;
        }
        self.next = Some(Next { path: folder.to_owned(), ..Next::default() });
        true
    }

    /// Another program of the table is opened, and a row of it walked; what is open must be saved.
    fn open_for_row(&mut self, program: &str, row: String) -> bool {
        let Some((table, text)) = self.app.table_file().map(|(path, text)| (path.to_owned(), text.to_owned())) else {
            return false;
        };
        match crate::exercise::below(Path::new(&table), program) {
            // One that is not there would be begun as a new one.
            Ok(path) if !path.exists() => {
                self.send(Message::Failed(format!("{}: there is no such file or folder", path.display())));
            }
            Ok(path) => self.next = Some(Next { path, table: Some((table, text)), row: Some(row) }),
            Err(why) => self.send(Message::Failed(why)),
        }
        self.next.is_some()
    }

    fn send(&self, message: Message) {
        // We hold the receiver ourselves.
        let _ = self.sender.send(Incoming::Message(message));
    }

    // ---- files

    /// Saves a text; true when that was the last thing before the end.
    fn save(&mut self, name: String, path: String, text: Text) -> bool {
        let target = Path::new(&path);
        let known = self.app.open_files().into_iter().find(|file| file.path == path);
        let (same, base) = (known.is_some(), known.and_then(|file| file.base));
        let answer = match std::fs::read(target) {
            _ if self.app.is_image() => Err("this is an image, and its disassembly is no text of its own".to_owned()),
            // Bytes that are no text were told of: they are written over the second time.
            Ok(bytes)
                if same
                    && base.is_none_or(|base| bytes != base.as_bytes())
                    && self.no_text.get(&path) != Some(&bytes) =>
            {
                if std::str::from_utf8(&bytes).is_err() {
                    self.no_text.insert(path.clone(), bytes);
                    let text = "on disk it is no text in UTF-8 any more; saving once more writes yours over it, : “save as” takes \
                                another name";
                    self.send(Message::NotSaved(text.to_owned()));
                    return false;
                }
                // The change is shown, merged or asked about; what was written here is not lost.
                self.look_at = Some(Instant::now());
                Err("the file was changed by someone else; look at the change, then save again".to_owned())
            }
            Ok(_) if !same => Err(format!("{path} exists already; choose another name")),
            Ok(_) if files::is_locked(target) => Err(format!(
                "{path} is read-only: : “save as” takes another name, or give yourself the right to write it, and save again"
            )),
            _ => files::write(target, text.to_string().as_bytes()).map_err(|error| not_written(target, &error)),
        };
        match answer {
            Ok(()) => {
                let absolute = std::path::absolute(target).map_or(path, |path| path.display().to_string());
                for place in [PathBuf::from(&name), PathBuf::from(&absolute)] {
                    self.kept.remove(&place);
                    self.ask_keeper(Keep::Forget(place));
                }
                self.told.remove(&absolute);
                self.no_text.remove(&absolute);
                let saved = update(&mut self.app, Message::Saved { name, path: absolute, text });
                let quits = self.carry_out(saved);
                self.remember();
                self.watch();
                quits
            }
            Err(why) => {
                self.send(Message::NotSaved(why));
                false
            }
        }
    }

    /// How the files look that rows of trials hang on.
    fn looks_for_rows(&self) -> Vec<FileLook> {
        let look = |path: &String| {
            let metadata = std::fs::metadata(path).ok()?;
            Some((metadata.len(), metadata.modified().ok()?))
        };
        self.app.files_of_rows().iter().map(look).collect()
    }

    /// Has the system tell when something happens to files that are looked at.
    fn watch(&mut self) {
        let mut folders: Vec<(PathBuf, notify::RecursiveMode)> = Vec::new();
        folders.extend(self.root.clone().map(|root| (root, notify::RecursiveMode::Recursive)));
        let files = self.files_seen().into_iter();
        // A folder that is not there yet is seen by the one that is to hold it.
        let parents = files
            .filter_map(|path| Path::new(&path).ancestors().skip(1).find(|folder| folder.is_dir()).map(Path::to_owned));
        folders.extend(parents.map(|folder| (folder, notify::RecursiveMode::NonRecursive)));
        self.watched.retain(|folder| folder.is_dir());
        for (folder, mode) in folders {
            let is_within =
                |known: &PathBuf| *known == folder || self.root.as_ref() == Some(known) && folder.starts_with(known);
            if self.watched.iter().any(is_within) {
                continue;
            }
            if let Some(watcher) = &mut self.watcher
                && watcher.watch(&folder, mode).is_err()
            {
                // Where the system cannot tell, saving still sees what happened.
                continue;
            }
            self.watched.push(folder);
        }
    }

    /// The files whose changes are to be seen: those of the program, and its table of trials.
    fn files_seen(&self) -> Vec<String> {
        // A table is named as it was typed.
        let table = self.app.table_file().and_then(|(path, _)| std::path::absolute(path).ok());
        let table = table.map(|path| path.display().to_string());
        self.app.program_files().into_iter().chain(table).chain(self.app.files_of_rows()).collect()
    }

    /// The program was built, or has another table: when that is of other files, they are watched, and unsaved text of
    /// them is looked for.
    fn follow_files(&mut self) {
        let files = self.files_seen();
        if files != self.files {
            self.files = files;
            self.watch();
            self.look_for_unsaved();
        }
    }

    /// Unsaved text of last time is there for each file of the program, also for those that are included.
    fn look_for_unsaved(&mut self) {
        let changed: Vec<PathBuf> = self.app.unsaved().iter().map(home).collect();
        for path in self.app.program_files() {
            let place = Path::new(&path);
            // What is being written here is newer: the other text waits for the next start.
            if self.looked_for.contains(&path) || changed.iter().any(|changed| changed == place) {
                continue;
            }
            if self.unsaved_looks > 0 && recovery::is_written_elsewhere(place) {
                self.unsaved_looks -= 1;
                self.unsaved_at = Some(Instant::now() + DOUBT);
                continue;
            }
            self.looked_for.insert(path.clone());
            if let Some((base, text)) = super::unsaved_of(place) {
                self.send(Message::Recovered(path, base, text));
            }
        }
    }

    /// Tells of files that have another text than the one they were read or written with.
    fn look_at_disk(&mut self) {
        let table = self.app.table_file().and_then(|(path, base)| match Seen::at(path) {
            // What is empty is perhaps just being written.
            Some(Seen::Text(now)) if !now.is_empty() && base != now => Some((path.to_owned(), now)),
            _ => None,
        });
        if let Some((path, now)) = table {
            let effects = update(&mut self.app, Message::Table(path, now));
            self.carry_out(effects);
        }
        let looks = self.looks_for_rows();
        if looks != self.looks_of_rows {
            // Told once; what is read then is looked at anew.
            self.looks_of_rows = looks;
            let effects = update(&mut self.app, Message::RowsAgain);
            self.carry_out(effects);
        }
        if self.app.is_image() {
            return;
        }
        let _ = self.workshop.send(Request::LookAgain);
        let mut changed = false;
        for OpenFile { name, path, base } in self.app.open_files() {
            let locked = files::is_locked(Path::new(&path)).then(|| "read-only".to_owned());
            update(&mut self.app, Message::Locked(name.clone(), locked));
            // What cannot be read now is looked at again when it is saved.
            let Some(now) = Seen::at(&path) else { continue };
            let is_same = match (&now, &base) {
                (Seen::Text(text), Some(base)) => **text == **base,
                (Seen::Nothing, None) => true,
                _ => false,
            };
            if is_same {
                self.told.remove(&path);
                self.doubted.remove(&path);
                continue;
            }
            if self.told.get(&path) == Some(&now) {
                continue;
            }
            let is_doubtful = now == Seen::Nothing || now == Seen::Text(String::new());
            if is_doubtful && self.doubted.insert(path.clone(), now.clone()).as_ref() != Some(&now) {
                self.look_at = Some(Instant::now() + DOUBT);
                continue;
            }
            self.doubted.remove(&path);
            if now == Seen::Nothing {
                // The folder may have gone too: it is watched anew when it is there again.
                self.watched.clear();
            }
            self.told.insert(path, now.clone());
            let message = match now {
                Seen::Text(now) => Message::Changed(name, base.as_deref().unwrap_or_default().to_owned(), now),
                Seen::Nothing => Message::Gone(name),
                Seen::Bytes(_) => {
                    Message::Failed(format!("{name} is no text in UTF-8 on disk any more; what is here stays"))
                }
            };
            let effects = update(&mut self.app, message);
            self.carry_out(effects);
            changed = true;
        }
        self.watch();
        if !changed {
            // Files that nobody looks at are part of the program too.
            let effects = self.app.assemble_again();
            self.carry_out(effects);
        }
    }

    /// Has what the project names outside of its folder decided, where nobody has.
    fn ask_about_reach(&mut self, refused: &[PathBuf]) {
        let Some(root) = self.root.as_ref().filter(|_| !self.seal.is_whole && !refused.is_empty()) else { return };
        let decided = Decided::of(root);
        let open: Vec<PathBuf> = refused.iter().filter(|folder| !decided.knows(folder)).cloned().collect();
        if !open.is_empty() {
            // Behind what was built, which may show the present line.
            let _ = self.sender.send(Incoming::Message(Message::AskReach(open)));
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
            self.kept.remove(&place);
            self.ask_keeper(Keep::Forget(place));
        }
        for unsaved in texts {
            let place = home(&unsaved);
            if self.kept.get(&place) != Some(&unsaved.revision) {
                self.kept.insert(place.clone(), unsaved.revision);
                self.ask_keeper(Keep::Text(place, Box::new(unsaved)));
            }
        }
    }

    fn ask_keeper(&self, job: Keep) {
        if let Some((keeper, _)) = &self.keeper {
            // It lives as long as we do.
            let _ = keeper.send(job);
        }
    }

    /// Waits until all that is to be kept is.
    fn finish_keeping(&mut self) {
        if let Some((keeper, thread)) = self.keeper.take() {
            drop(keeper);
            let _ = thread.map(JoinHandle::join);
        }
    }

    /// A panic gives the terminal back and keeps unsaved text.
    fn keep_on_panic(&self) {
        let unsaved = Arc::clone(&self.unsaved);
        let hook = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            if matches!(std::thread::current().name(), Some(WORKSHOP | threads::APART)) {
                // It is told where the keys are, and the work goes on.
                tracing::error!(panic = %info, "what is done apart from the keys failed");
                return;
            }
            Screen::leave();
            if let Ok(unsaved) = unsaved.try_lock()
                && !unsaved.is_empty()
            {
                for unsaved in unsaved.iter() {
                    recovery::keep(&home(unsaved), &unsaved.text.to_string(), unsaved.base.as_deref());
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

/// Why a file could not be written, and what can be done.
fn not_written(path: &Path, error: &std::io::Error) -> String {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    match error.kind() {
        std::io::ErrorKind::PermissionDenied => format!(
            "the system does not let you write in {}; : “save as” takes another name, in a folder that is yours",
            folder.display()
        ),
        std::io::ErrorKind::NotFound => {
            format!("there is no folder {}; : “save as” takes another name", folder.display())
        }
        _ => format!("{}: {}", path.display(), files::plain(error)),
    }
}
