//! A bench without a terminal: keys go in, screens come out, files are kept in memory.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::buffer::Buffer;
use wendax_asm::{Assembler, Inputs};
use wendax_machine::{Found, Settings};
use wendax_source::MemoryFiles;
use wendax_trials::{How, Programs, Trials};
use wendax_tui::{App, Built, Colours, Effect, Look, Message, Theme, draw, update};

#[allow(dead_code, reason = "shared by test files that each need a part")]
pub(crate) const DEMO: &str = include_str!("../../../../../demos/weighbridge/weighbridge.asm");

pub(crate) struct Stage {
    pub(crate) app: App,
    /// What was saved: name and text.
    pub(crate) saved: Vec<(String, String)>,
    pub(crate) ended: bool,
    /// What was put into the system's clipboard last.
    pub(crate) copied: String,
    /// Paths of programs and projects that were asked for.
    pub(crate) asked: Vec<String>,
    /// Whether saving is answered here, or by the test.
    asks_disk: bool,
    /// Files that were written beside the program.
    pub(crate) written: Vec<(String, Vec<u8>)>,
    /// The folder of the program's files, when it has one, and how often it was told of them.
    pub(crate) folder: std::collections::BTreeMap<String, Vec<u8>>,
    pub(crate) told: usize,
    has_folder: bool,
    /// Slow running goes on in so many milliseconds.
    pub(crate) tick: Option<u32>,
    is_late: bool,
    on_their_way: Vec<Message>,
    size: (u16, u16),
    files: MemoryFiles,
    sources: Vec<String>,
    assembler: Assembler,
}

#[allow(dead_code, reason = "shared by test files that each need a part")]
impl Stage {
    pub(crate) fn new(text: &str) -> Self {
        let theme = Theme { look: Look::Dark, colours: Colours::Full };
        let app = App::new(Some("/yard/weighbridge.asm".to_owned()), text, Settings::default(), theme);
        Self::with(app)
    }

    pub(crate) fn with(app: App) -> Self {
        Self::with_files(app, MemoryFiles::default(), Vec::new())
    }

    /// A program of several files: the sources by name, and all files there are.
    pub(crate) fn project(sources: &[&str], files: MemoryFiles) -> Self {
        use wendax_source::Files;
        let theme = Theme { look: Look::Dark, colours: Colours::Full };
        let text = files.text(sources[0]).expect("the first source is there");
        let app = App::in_project("/yard", sources[0], &text, Settings::default(), theme);
        Self::with_files(app, files, sources.iter().map(|name| (*name).to_owned()).collect())
    }

    fn with_files(app: App, files: MemoryFiles, sources: Vec<String>) -> Self {
        let assembler = Assembler::offering();
        let mut stage = Self {
            app,
            saved: Vec::new(),
            ended: false,
            copied: String::new(),
            asked: Vec::new(),
            asks_disk: false,
            written: Vec::new(),
            folder: std::collections::BTreeMap::new(),
            told: 0,
            has_folder: !sources.is_empty(),
            tick: None,
            is_late: false,
            on_their_way: Vec::new(),
            size: (160, 50),
            files,
            sources,
            assembler,
        };
        stage.message(Message::Resized(160, 50));
        let first = stage.app.first_effects();
        stage.carry_out(first);
        stage
    }

    /// The bench is left, with everything saved, and opened again on its first file.
    pub(crate) fn again(&mut self) {
        let kept = self.app.kept();
        for file in self.app.open_files() {
            let text = self.app.text_of(&file.name).expect("it is open");
            self.files.insert(file.name, text);
        }
        let name = self.sources[0].clone();
        let text = wendax_source::Files::text(&self.files, &name).expect("it is there");
        let theme = Theme { look: Look::Dark, colours: Colours::Full };
        let app = App::in_project("/yard", &name, &text, Settings::default(), theme).with_kept(kept);
        let (files, sources) = (self.files.clone(), self.sources.clone());
        *self = Self::with_files(app, files, sources);
    }

    /// From now on the test decides what becomes of what is saved.
    pub(crate) fn saves_to_disk(&mut self) {
        self.asks_disk = true;
    }

    /// The text saved last is on disk now.
    pub(crate) fn was_saved(&mut self, text: &str) {
        let file = self.app.open_files().into_iter().next().expect("a file is open");
        let (name, path, text) = (file.name, file.path, text.into());
        self.message(Message::Saved { name, path, text });
    }

    pub(crate) fn sized(mut self, width: u16, height: u16) -> Self {
        self.size = (width, height);
        self.message(Message::Resized(width, height));
        self
    }

    pub(crate) fn resize(&mut self, width: u16, height: u16) {
        self.size = (width, height);
    }

    /// From now on answers come when the test says so, in the order it says, and work is done then.
    pub(crate) fn answers_late(&mut self) {
        self.is_late = true;
    }

    /// One of the answers that are on their way arrives, by its place among them; false when there is none.
    pub(crate) fn arrives(&mut self, nth: usize) -> bool {
        if self.on_their_way.is_empty() {
            return false;
        }
        let message = self.on_their_way.remove(nth % self.on_their_way.len());
        self.message(message);
        true
    }

    /// A slice of the work there is.
    pub(crate) fn works(&mut self) {
        if self.app.has_work() {
            let effects = update(&mut self.app, Message::Work);
            self.carry_out(effects);
        }
    }

    /// Works until there is nothing left to do, which must come soon.
    pub(crate) fn rests(&mut self) {
        for _ in 0..1000 {
            self.works();
        }
        assert!(!self.app.has_work(), "there is no end of the work");
    }

    /// Something else that comes as answers do.
    pub(crate) fn comes(&mut self, message: Message) {
        self.answer(message);
    }

    fn answer(&mut self, message: Message) {
        if self.is_late { self.on_their_way.push(message) } else { self.message(message) }
    }

    pub(crate) fn message(&mut self, message: Message) {
        let effects = update(&mut self.app, message);
        self.carry_out(effects);
        if self.is_late {
            return;
        }
        // What runs on for ever is looked at after a while.
        for _ in 0..3 {
            if !self.app.has_work() {
                break;
            }
            let effects = update(&mut self.app, Message::Work);
            self.carry_out(effects);
        }
    }

    fn carry_out(&mut self, effects: Vec<Effect>) {
        for effect in effects {
            match effect {
                Effect::Assemble(generation, texts) => {
                    for (name, text) in texts {
                        if self.sources.is_empty() {
                            self.sources.push(name.clone());
                        }
                        self.files.insert(name, text.to_string());
                    }
                    let inputs = Inputs { sources: self.sources.clone(), ..Inputs::default() };
                    let assembly = self.assembler.assemble(&inputs, &self.files);
                    let has_folder = self.has_folder;
                    let folder = has_folder.then(|| "/yard/files".into());
                    let settings = Settings { has_folder, ..Settings::default() };
                    let built = Built { settings, folder, ..Built::of(assembly, inputs) };
                    self.answer(Message::Assembled(generation, Box::new(built)));
                }
                Effect::Save(_, path, text) if self.asks_disk => {
                    self.saved.push((path, text.to_string()));
                }
                Effect::Save(name, path, text) => {
                    self.saved.push((path.clone(), text.to_string()));
                    self.answer(Message::Saved { name, path, text });
                }
                Effect::Rename(from, to) => {
                    self.sources.iter_mut().filter(|source| **source == from).for_each(|source| source.clone_from(&to));
                }
                Effect::Reach(folders, is_allowed) => {
                    self.asked.extend(folders.iter().map(|folder| format!("{} {is_allowed}", folder.display())));
                }
                Effect::Copy(text) => self.copied = text,
                Effect::Write(path, bytes) => self.written.push((path, bytes)),
                // Files change here when the test says so.
                Effect::LookAgain => {}
                Effect::Over(effect) => self.carry_out(vec![*effect]),
                Effect::Build(path) | Effect::NewProject(path) | Effect::Send(path) => self.asked.push(path),
                Effect::TellTime(asked) => self.answer(Message::Clock(asked, 5)),
                Effect::Wait(asked, _) | Effect::Sound(asked, _) => self.answer(Message::Waited(asked)),
                Effect::Ring => {}
                Effect::FindFile(asked, _, path) => {
                    let found = self.folder.get(&*path).map(|bytes| bytes.clone().into());
                    self.answer(Message::Found(asked, path, found.map_or(Found::Nothing, Found::Bytes)));
                }
                Effect::KeepFiles(_, files) => {
                    self.told += 1;
                    self.folder = files.to_keep().map(|(path, bytes)| (path.to_string(), bytes.to_vec())).collect();
                }
                Effect::WriteTones(path, tones) => self.written.push((path, vec![0; tones.len()])),
                Effect::ReadEvents(path) => {
                    let text = self.folder.get(&path).cloned().unwrap_or_default();
                    self.answer(Message::Events(path, String::from_utf8(text).expect("events are text")));
                }
                Effect::ReadExercise(path) => {
                    let text = self.folder.get(&path).cloned().unwrap_or_default();
                    self.answer(Message::Exercise(path, String::from_utf8(text).expect("exercises are text")));
                }
                Effect::ReadTally(path) => {
                    let text = self.folder.get(&path).cloned().unwrap_or_default();
                    self.answer(Message::Tally(path, String::from_utf8(text).expect("tallies are text")));
                }
                Effect::ReadTable(path) => {
                    let text = self.folder.get(&path).cloned().unwrap_or_default();
                    self.answer(Message::Table(path, String::from_utf8(text).expect("tables are text")));
                }
                Effect::Try(job) => {
                    // Whatever a row names is the one program there is.
                    let tried = job.table.tried().into_iter().map(|name| (name.to_owned(), Ok(job.own.0.clone())));
                    let tried = tried.collect();
                    let programs = Programs { own: Some(job.own.0.clone()), tried, ..Programs::default() };
                    // What never ends is given up soon: here nobody goes on meanwhile.
                    let mut table = job.table.clone();
                    table.limits.steps = table.limits.steps.min(20_000);
                    match Trials::new(table, programs) {
                        Err(problems) => self.answer(Message::NotTried(job.number, problems[0].to_string())),
                        Ok(trials) => {
                            let trials = std::sync::Arc::new(trials);
                            self.answer(Message::Trying(job.number, std::sync::Arc::clone(&trials)));
                            let how = How { threads: 1, now: &|| 0, is_over: &false.into() };
                            let report = trials.run(how, &|_| {}).expect("nobody ends it");
                            for outcome in report.outcomes {
                                self.answer(Message::Tried(job.number, Box::new(outcome)));
                            }
                            self.answer(Message::TriedAll(job.number));
                        }
                    }
                }
                Effect::WalkRow(job) => {
                    let walk = job.trials.walk(job.row.0, job.failing.as_ref(), &|| true).map(Box::new);
                    self.answer(Message::RowWalk(job.number, job.row.1.clone(), walk));
                }
                Effect::WriteTable { path, base, text } => {
                    let there = self.folder.get(&path).map(|bytes| String::from_utf8_lossy(bytes).into_owned());
                    if there == base {
                        self.folder.insert(path, text.into_bytes());
                    } else {
                        self.answer(Message::NotWritten("changed by someone else".to_owned(), there));
                    }
                }
                // Time passes when the test says so.
                Effect::Tick(wait) => self.tick = Some(wait),
                Effect::Quit => self.ended = true,
                Effect::OpenForRow { program, row } => self.asked.push(format!("{program}: {row}")),
            }
        }
    }

    /// Presses keys by their names, with blanks between: `Right Right g Ctrl-S Enter`. What begins with a colon is a
    /// command of the palette by its words: `:clear_all_stops`.
    pub(crate) fn keys(&mut self, names: &str) -> &mut Self {
        for name in names.split_whitespace() {
            match name.strip_prefix(':').filter(|words| !words.is_empty()) {
                Some(words) => {
                    self.message(Message::Key(key("Ctrl-P")));
                    self.text(&words.replace('_', " ")).message(Message::Key(key("Enter")));
                }
                None => self.message(Message::Key(key(name))),
            }
        }
        self
    }

    /// Types a text.
    pub(crate) fn text(&mut self, text: &str) -> &mut Self {
        for c in text.chars() {
            let code = if c == '\n' { KeyCode::Enter } else { KeyCode::Char(c) };
            self.message(Message::Key(KeyEvent::new(code, KeyModifiers::NONE)));
        }
        self
    }

    /// What is on the screen, with its styles.
    pub(crate) fn buffer(&mut self) -> Buffer {
        let mut terminal = Terminal::new(TestBackend::new(self.size.0, self.size.1)).expect("memory has room");
        terminal.draw(|frame| draw(&self.app, frame)).expect("memory takes everything");
        terminal.backend().buffer().clone()
    }

    /// Each text here is the one its file had or has, or is known not to be saved: `disk` has all that files ever were.
    /// And the bench ends with texts unsaved only when it was told to.
    pub(crate) fn nothing_is_lost(&self, disk: &[String]) -> Result<(), String> {
        let unsaved: Vec<String> = self.app.unsaved().into_iter().map(|text| text.name).collect();
        for file in self.app.open_files() {
            let text = self.app.text_of(&file.name).ok_or("a file that is open has no text")?;
            // A file that is not there has only what is here.
            let Some(base) = file.base.as_deref() else {
                if unsaved.contains(&file.name) {
                    continue;
                }
                return Err(format!("{} has no file, and that is not known:\n{text}", file.name));
            };
            if text != base && !unsaved.contains(&file.name) {
                return Err(format!("{} differs from its file, and that is not known:\n{text}", file.name));
            }
            if !disk.iter().any(|known| known == base) && !self.saved.iter().any(|(_, saved)| saved == base) {
                return Err(format!("{} never had this text on disk:\n{base}", file.name));
            }
        }
        Ok(())
    }

    /// What is on the screen, as text without trailing blanks.
    pub(crate) fn screen(&mut self) -> String {
        let buffer = self.buffer();
        let rows: Vec<String> = (0..self.size.1)
            .map(|y| (0..self.size.0).map(|x| buffer[(x, y)].symbol()).collect::<String>().trim_end().to_owned())
            .collect();
        rows.join("\n")
    }
}

pub(crate) fn key(name: &str) -> KeyEvent {
    let (mut modifiers, mut rest) = (KeyModifiers::NONE, name);
    for (prefix, modifier) in
        [("Ctrl-", KeyModifiers::CONTROL), ("Alt-", KeyModifiers::ALT), ("Shift-", KeyModifiers::SHIFT)]
    {
        if let Some(behind) = rest.strip_prefix(prefix) {
            (modifiers, rest) = (modifiers | modifier, behind);
        }
    }
    let code = match rest {
        "Right" => KeyCode::Right,
        "Left" => KeyCode::Left,
        "Up" => KeyCode::Up,
        "Down" => KeyCode::Down,
        "Home" => KeyCode::Home,
        "End" => KeyCode::End,
        "PageUp" => KeyCode::PageUp,
        "PageDown" => KeyCode::PageDown,
        "Enter" => KeyCode::Enter,
        "Esc" => KeyCode::Esc,
        "Tab" => KeyCode::Tab,
        "Backtab" => KeyCode::BackTab,
        "Backspace" => KeyCode::Backspace,
        "Delete" => KeyCode::Delete,
        "Space" => KeyCode::Char(' '),
        "F1" => KeyCode::F(1),
        "F2" => KeyCode::F(2),
        "F3" => KeyCode::F(3),
        other => KeyCode::Char(other.chars().next().unwrap_or(' ').to_ascii_lowercase()),
    };
    let code = match (modifiers, rest.chars().count()) {
        (KeyModifiers::NONE, 1) => KeyCode::Char(rest.chars().next().unwrap_or(' ')),
        _ => code,
    };
    KeyEvent::new(code, modifiers)
}

#[track_caller]
pub(crate) fn shows(stage: &mut Stage, wanted: &str) {
    let screen = stage.screen();
    assert!(screen.contains(wanted), "`{wanted}` is not on\n{screen}");
}

#[track_caller]
pub(crate) fn hides(stage: &mut Stage, unwanted: &str) {
    let screen = stage.screen();
    assert!(!screen.contains(unwanted), "`{unwanted}` is on\n{screen}");
}
