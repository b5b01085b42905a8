//! The bench in a terminal: the loop that owns terminal, files, threads and clock.
//!
//! Everything that happens reaches the loop as a message by one channel; while nothing happens it sleeps.
//! Assembling is done on a thread of its own, always of the newest text. A running program is worked on in
//! slices between two looks at the channel, so that keys stay prompt.

use crate::cli::Look;
use crate::{Failure, files, recovery};
use crossterm::event::{self, DisableBracketedPaste, EnableBracketedPaste, Event as Input};
use crossterm::execute;
use crossterm::terminal::{EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode};
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use wendax_machine::Settings;
use wendax_source::Sources;
use wendax_tui::{App, Colours, Effect, Message, Theme, draw, update};

/// Between two frames at the least.
const FRAME: Duration = Duration::from_millis(16);
/// Unsaved text is kept so long after it changed.
const KEEP_AFTER: Duration = Duration::from_millis(250);
/// Work on a running program between two looks at the keys.
const WORK: Duration = Duration::from_millis(8);

/// What reaches the loop.
enum Incoming {
    Message(Message),
    /// The terminal is gone, or a signal asks the program to end.
    End(u8),
}

/// Opens the bench on a file, which need not be there yet.
pub(crate) fn open(path: Option<&Path>, look: Look) -> Result<u8, Failure> {
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        return Err(Failure::usage("the bench needs a terminal; `wendax run FILE` runs without one"));
    }
    let absolute = path.map(|path| std::path::absolute(path).unwrap_or_else(|_| path.to_owned()));
    let name = absolute.as_ref().map(|path| path.display().to_string());
    let (settings, theme) = (Settings::default(), theme(look));
    let text = match path {
        Some(path) if path.exists() => {
            let bytes = files::read(path)?;
            if crate::program::kind_of(path, &bytes) != crate::program::Kind::Source {
                let image = crate::program::load(path, None)?.image;
                let app = App::for_image(name.unwrap_or_default(), &image, settings, theme);
                return Bench::new(app, String::new()).run();
            }
            files::text_of(path, bytes)?
        }
        _ => String::new(),
    };
    let mut app = App::new(name, &text, settings, theme);
    if let Some(unsaved) = recovery::find(&unsaved_place(absolute.as_deref())).filter(|unsaved| *unsaved != text) {
        app = app.with_recovered(&unsaved);
    }
    Bench::new(app, text).run()
}

/// What unsaved text is kept under: its file, or the folder it was begun in.
fn unsaved_place(path: Option<&Path>) -> PathBuf {
    path.map_or_else(|| PathBuf::from("untitled.asm"), Path::to_owned)
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
        execute!(std::io::stdout(), EnterAlternateScreen, EnableBracketedPaste)?;
        Ok(Self)
    }

    fn leave() {
        let _ = execute!(std::io::stdout(), DisableBracketedPaste, LeaveAlternateScreen, crossterm::cursor::Show);
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
    /// The text as it lies in its file, as far as we know.
    on_disk: String,
    /// What a panic must not lose: file and text.
    unsaved: Arc<Mutex<Option<(PathBuf, String)>>>,
    kept_revision: u64,
    keep_at: Option<Instant>,
    wake_at: Option<Instant>,
    started: Instant,
    sender: Sender<Incoming>,
    receiver: Receiver<Incoming>,
    assembler: Sender<(u64, String)>,
}

impl Bench {
    fn new(app: App, on_disk: String) -> Self {
        let (sender, receiver) = channel();
        let assembler = assembler(sender.clone(), app.path.clone());
        Self {
            app,
            on_disk,
            unsaved: Arc::default(),
            kept_revision: 0,
            keep_at: None,
            wake_at: None,
            started: Instant::now(),
            sender,
            receiver,
            assembler,
        }
    }

    fn run(mut self) -> Result<u8, Failure> {
        let tell = |error: std::io::Error| Failure { text: format!("the terminal: {error}"), status: 1 };
        self.keep_on_panic();
        let screen = Screen::enter().map_err(tell)?;
        let mut terminal = Terminal::new(CrosstermBackend::new(std::io::stdout())).map_err(tell)?;
        listen(self.sender.clone());
        catch_signals(self.sender.clone());
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
                terminal.draw(|frame| draw(&mut self.app, frame))?;
                (drawn, stale) = (Some(Instant::now()), false);
            }
            let Some(incoming) = self.next(stale) else {
                stale |= self.work();
                continue;
            };
            let message = match incoming {
                Incoming::Message(message) => message,
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
        let due = [self.keep_at, self.wake_at, stale.then(|| now + FRAME)].into_iter().flatten().min();
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
        if self.wake_at.is_some_and(|due| due <= begun) {
            self.wake_at = None;
            let effects = update(&mut self.app, Message::Waited);
            self.carry_out(effects);
        }
        let mut any = false;
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
                Effect::Assemble(revision, text) => {
                    // The thread lives as long as we do.
                    let _ = self.assembler.send((revision, text));
                    if self.app.is_changed() {
                        self.keep_at = Some(self.keep_at.unwrap_or_else(|| Instant::now() + KEEP_AFTER));
                        self.remember();
                    }
                }
                Effect::Save(revision, path, text) => self.save(revision, path, text),
                Effect::TellTime => {
                    let time = u32::try_from(self.started.elapsed().as_millis() & 0xFFFF).unwrap_or(0);
                    self.send(Message::Clock(time));
                }
                Effect::Wait(milliseconds) => {
                    self.wake_at = Some(Instant::now() + Duration::from_millis(milliseconds.into()));
                }
                Effect::Quit => {
                    recovery::forget(&self.place());
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

    fn place(&self) -> PathBuf {
        unsaved_place(self.app.path.as_deref().map(Path::new))
    }

    // ---- saving

    fn save(&mut self, revision: u64, path: String, text: String) {
        let before = self.place();
        let target = Path::new(&path);
        let same = self.app.path.as_deref() == Some(path.as_str());
        let answer = match std::fs::read(target) {
            Ok(bytes) if same && bytes != self.on_disk.as_bytes() => {
                Err("the file was changed by someone else since it was opened; S saves under another name".to_owned())
            }
            Ok(_) if !same => Err(format!("{path} exists already; choose another name")),
            _ => files::write(target, text.as_bytes()).map_err(|error| files::plain(&error)),
        };
        match answer {
            Ok(()) => {
                self.on_disk = text;
                recovery::forget(&before);
                self.keep_at = None;
                let absolute = std::path::absolute(target).map_or(path, |path| path.display().to_string());
                self.send(Message::Saved(revision, absolute));
                if let Ok(mut unsaved) = self.unsaved.lock() {
                    *unsaved = None;
                }
            }
            Err(why) => self.send(Message::NotSaved(why)),
        }
    }

    /// Notes the text for the panic hook.
    fn remember(&self) {
        if let Ok(mut unsaved) = self.unsaved.lock() {
            *unsaved = Some((self.place(), self.app.editor.text()));
        }
    }

    fn keep_now(&mut self) {
        self.keep_at = None;
        if !self.app.is_changed() {
            recovery::forget(&self.place());
        } else if self.kept_revision != self.app.editor.revision() {
            self.kept_revision = self.app.editor.revision();
            recovery::keep(&self.place(), &self.app.editor.text());
        }
    }

    /// A panic gives the terminal back and keeps unsaved text.
    fn keep_on_panic(&self) {
        let unsaved = Arc::clone(&self.unsaved);
        let hook = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            Screen::leave();
            if let Ok(unsaved) = unsaved.try_lock()
                && let Some((path, text)) = unsaved.as_ref()
            {
                recovery::keep(path, text);
                let _ = writeln!(
                    std::io::stderr(),
                    "Wendax failed; unsaved text was kept and will be there at the next start."
                );
            }
            hook(info);
        }));
    }
}

/// The thread that assembles: always the newest text there is.
fn assembler(answers: Sender<Incoming>, path: Option<String>) -> Sender<(u64, String)> {
    let (sender, texts) = channel::<(u64, String)>();
    let name = path.unwrap_or_else(|| "untitled.asm".to_owned());
    std::thread::spawn(move || {
        while let Ok(mut newest) = texts.recv() {
            while let Ok(newer) = texts.try_recv() {
                newest = newer;
            }
            let (revision, text) = newest;
            let (sources, file) = Sources::single(name.clone(), text);
            let assembly = wendax_asm::assemble(&sources, file);
            let message = Message::Assembled(revision, Box::new((sources, assembly)));
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
                Ok(Input::Mouse(_) | Input::FocusGained | Input::FocusLost) => continue,
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
