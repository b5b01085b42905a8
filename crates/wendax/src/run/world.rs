//! The world outside a run: input, output, time and signals.
//!
//! Output leaves as it is printed, files when the program has closed them. Standard input is read by a thread of its own, a piece at a time, so that a program
//! that only looks whether a key waits goes on meanwhile; the next piece is typed once the last one has been read. What
//! is given in a file or a manifest is typed at the start.

use crate::Failure;
use crate::files::{Stream, cannot_write, plain, print};
use crate::folder::Folder;
use crate::out::{is_mid_line, tell};
use std::io::{IsTerminal, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, TryRecvError, sync_channel};
use std::sync::{Arc, LazyLock};
use std::time::{Duration, Instant};
use wendax_machine::{Clock, Event, Need, Tone};
use wendax_project::Limits;
use wendax_session::{Command, Progress, Session, State, TrailText, Why};

/// Work between two looks at the world, in steps: some milliseconds.
const SLICE: u64 = 400_000;
/// While nothing goes on, time and signals are looked at so often.
const LOOK: Duration = Duration::from_millis(50);
/// The host's memory is looked at so often.
const OFTEN: Duration = Duration::from_millis(20);
/// When the command began, from which the host's time counts.
pub(crate) static STARTED: LazyLock<Instant> = LazyLock::new(Instant::now);
/// Set when a signal asks for the end.
pub(crate) fn end_by_signal() -> Arc<AtomicBool> {
    let stop = Arc::new(AtomicBool::new(false));
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM, signal_hook::consts::SIGHUP] {
        // A second one ends the program at once, should it hang. Without them signals end it as they always do.
        let second = crate::status::INTERRUPTED.into();
        let _ = signal_hook::flag::register_conditional_shutdown(signal, second, Arc::clone(&stop));
        let _ = signal_hook::flag::register(signal, Arc::clone(&stop));
    }
    stop
}

/// Bytes of standard input read at once.
const PIECE: usize = 1 << 16;
/// A redirected file of at most so many bytes is typed as a whole.
const MOST_AT_ONCE: u64 = 64 << 20;

/// How a run ended.
#[derive(Debug)]
pub(crate) enum End {
    /// By what the program did.
    Program(State),
    /// It used as much as it may.
    Limit(Limit),
    /// A signal asked for it.
    Interrupted,
    /// It has come to where it was asked to go.
    Asked,
    /// It has come to where it never must.
    Never,
}

/// What a run used as much of as it may.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Limit {
    Steps,
    Output,
    /// On the clock the program has.
    Seconds,
    /// On the host's clock.
    Host,
    Files,
    Memory,
}

impl Limit {
    /// Its name on the command line, in manifests and in what is told for programs.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Steps => "steps",
            Self::Output => "output",
            Self::Seconds => "seconds",
            Self::Host => "host",
            Self::Files => "files",
            Self::Memory => "memory",
        }
    }

    /// What there may be so much of.
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Steps => "steps",
            Self::Output => "bytes that may be printed",
            Self::Seconds => "seconds on its own clock",
            Self::Host => "seconds on the host's clock",
            Self::Files => "bytes in the files it writes",
            Self::Memory => "the host's memory",
        }
    }
}

/// Bytes of the host's memory that are in use, as far as the system tells (Linux, `proc(5)`).
fn memory_in_use() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let kibibytes = status.lines().find_map(|line| line.strip_prefix("VmRSS:"))?.trim().strip_suffix(" kB")?;
    Some(kibibytes.parse::<u64>().ok()? << 10)
}

/// What was read at once: nothing at the end.
type Piece = std::io::Result<Vec<u8>>;

/// Where typed input comes from.
pub(crate) enum Input {
    /// All of it.
    Given(Vec<u8>),
    /// Pieces of standard input; an error ends it.
    Standard {
        pieces: Receiver<Piece>,
        /// One that was read already.
        first: Option<Piece>,
    },
    /// There is no more.
    Ended,
}

impl Input {
    /// Standard input, or these bytes when there is nothing in it.
    pub(crate) fn standard_or(bytes: Vec<u8>) -> Self {
        let Self::Standard { pieces, .. } = Self::standard() else { return Self::Given(bytes) };
        match pieces.recv() {
            Ok(Ok(first)) if first.is_empty() => Self::Given(bytes),
            Ok(first) => Self::Standard { pieces, first: Some(first) },
            Err(_) => Self::Given(bytes),
        }
    }

    /// Standard input, with what is there already, or that it has ended, before the program takes its first step. A
    /// redirected file is there whole.
    pub(crate) fn standard_now() -> Self {
        if std::io::stdin().is_terminal() {
            return Self::standard();
        }
        let is_whole = std::fs::metadata("/dev/stdin").is_ok_and(|it| it.is_file() && it.len() <= MOST_AT_ONCE);
        let mut bytes = Vec::new();
        if is_whole && std::io::stdin().lock().read_to_end(&mut bytes).is_ok() {
            return Self::Given(bytes);
        }
        let stdin = std::io::stdin();
        let mut waiting = [rustix::event::PollFd::new(&stdin, rustix::event::PollFlags::IN)];
        let now = rustix::event::Timespec { tv_sec: 0, tv_nsec: 0 };
        let is_there = rustix::event::poll(&mut waiting, Some(&now)).is_ok_and(|count| count > 0);
        let Self::Standard { pieces, .. } = Self::standard() else { return Self::Ended };
        let first = if is_there { pieces.recv().ok() } else { None };
        Self::Standard { pieces, first }
    }

    fn standard() -> Self {
        let (sender, receiver) = sync_channel(2);
        std::thread::spawn(move || {
            let mut input = std::io::stdin().lock();
            loop {
                let mut piece = vec![0; PIECE];
                let read = input.read(&mut piece).map(|count| {
                    piece.truncate(count);
                    piece
                });
                let is_last = read.as_ref().map_or(true, Vec::is_empty);
                if sender.send(read).is_err() || is_last {
                    return;
                }
            }
        });
        Self::Standard { pieces: receiver, first: None }
    }
}

/// A tone, as far as a terminal can sound one.
fn ring(tone: Tone) {
    let mut terminal = std::io::stderr();
    if tone.hertz > 0 && tone.milliseconds > 0 && terminal.is_terminal() {
        let _ = terminal.write_all(b"\x07").and_then(|()| terminal.flush());
    }
}

/// A quiet run that takes longer says so.
const LONG: Duration = Duration::from_secs(3);

pub(crate) struct World {
    input: Input,
    limits: Limits,
    clock: Clock,
    /// When the host's memory was looked at last.
    looked: std::cell::Cell<Instant>,
    started: Instant,
    printed: u64,
    stop: Arc<AtomicBool>,
    trail: Option<Trail>,
    folder: Option<Folder>,
    /// How often what is to be kept of files had changed when it was last kept.
    kept: u64,
    /// Nothing the program prints is shown; the first of it is kept.
    is_quiet: bool,
    /// That it takes long was told.
    is_length_told: bool,
    captured: Vec<u8>,
}

/// The steps of the run, being written down.
struct Trail {
    text: Box<TrailText>,
    /// It goes to standard output in the end.
    place: PathBuf,
    to: Stream,
}

impl World {
    pub(crate) fn new(input: Input, (limits, clock): (Limits, Clock), folder: Option<Folder>) -> Result<Self, Failure> {
        if limits.memory.is_some() && memory_in_use().is_none() {
            return Err(Failure::usage("the limit `memory`: this system does not tell how much is in use"));
        }
        Ok(Self {
            input,
            limits,
            clock,
            looked: std::cell::Cell::new(Instant::now()),
            started: Instant::now(),
            printed: 0,
            stop: end_by_signal(),
            trail: None,
            folder,
            kept: 0,
            is_quiet: false,
            is_length_told: false,
            captured: Vec::new(),
        })
    }

    /// From now on nothing the program prints is shown.
    pub(crate) fn be_quiet(&mut self) {
        self.is_quiet = true;
    }

    /// A run that nobody sees anything of and that goes on and on says so once, and how it is ended.
    fn tell_length(&mut self, session: &Session) {
        if !self.is_quiet || self.is_length_told || self.started.elapsed() < LONG {
            return;
        }
        self.is_length_told = true;
        let steps = wendax_session::grouped(session.now().0);
        let ends = "--steps or --limit ends it, and so does Ctrl-C";
        tell(&format!("note: the program still runs, after {steps} steps; {ends}\n"));
    }

    /// The beginning of what was printed while nothing of it was shown.
    pub(crate) fn captured(&self) -> &[u8] {
        &self.captured
    }

    /// What is worked out of a run may go on: nobody asked for the end, and time and memory are left.
    pub(crate) fn may_go_on(&self) -> Result<(), Failure> {
        self.is_over_outside().map_or(Ok(()), |end| Err(Self::cut_short(&end)))
    }

    /// Nothing is worked out of a run that was ended so.
    pub(crate) fn cut_short(end: &End) -> Failure {
        match end {
            End::Limit(limit) => Failure {
                status: crate::status::LIMIT,
                ..Failure::usage(format!("stopped at the limit of {}: the limit `{}`", limit.words(), limit.name()))
            },
            _ => Failure { status: crate::status::INTERRUPTED, ..Failure::usage("interrupted") },
        }
    }

    /// A run ended by what it may use of the host, or by someone who asked for its end: nothing more is done for it.
    pub(crate) fn goes_on_after(end: &End) -> Result<(), Failure> {
        match end {
            End::Interrupted | End::Limit(Limit::Host | Limit::Memory) => Err(Self::cut_short(end)),
            _ => Ok(()),
        }
    }

    /// Has the steps of the run written to a file, or to standard output in the end.
    pub(crate) fn write_trail(&mut self, text: TrailText, place: &Path) -> Result<(), Failure> {
        self.trail = Some(Trail { text: Box::new(text), place: place.to_owned(), to: Stream::new(place)? });
        Ok(())
    }

    fn follow(&mut self, session: &Session) -> Result<(), Failure> {
        let Some(trail) = &mut self.trail else { return Ok(()) };
        let text = trail.text.follow(session);
        let written = trail.to.write_all(text.as_bytes());
        trail.text.taken();
        written.map_err(|error| cannot_write("the trail", &error))
    }

    /// The run is over: the rest of the trail is written.
    pub(crate) fn end_trail(&mut self) -> Result<(), Failure> {
        let Some(trail) = self.trail.take() else { return Ok(()) };
        if is_mid_line() && trail.place.as_os_str() == "-" {
            self.say("")?;
        }
        self.keep_apart("--trail", &trail.place)?;
        trail.to.finish().map_err(|error| cannot_write("the trail", &error))
    }

    /// Says something of the tool's own among the output, on lines of its own.
    pub(crate) fn say(&mut self, text: &str) -> Result<(), Failure> {
        if is_mid_line() {
            print(b"\n")?;
        }
        print(text.as_bytes())
    }

    pub(crate) fn drive(&mut self, session: &mut Session, command: &Command) -> Result<End, Failure> {
        if let Input::Given(bytes) = &mut self.input {
            session.type_input(&std::mem::take(bytes));
            session.end_input();
            self.input = Input::Ended;
        } else if self.has_first() {
            self.type_ahead(session)?;
        }
        session.begin(command.clone());
        loop {
            let progress = session.work(SLICE);
            self.print(session)?;
            self.follow(session)?;
            self.keep_files(session)?;
            if let Some(end) = self.is_over(session) {
                session.pause();
                return Ok(end);
            }
            self.tell_length(session);
            match progress {
                Progress::Working => self.type_ahead(session)?,
                Progress::Asks(Need::File) => self.answer_file(session),
                Progress::Asks(need @ (Need::Wait(_) | Need::Sound(_))) => {
                    let milliseconds = match need {
                        Need::Sound(tone) => {
                            ring(tone);
                            tone.milliseconds
                        }
                        Need::Wait(milliseconds) => milliseconds,
                        Need::Clock | Need::Input | Need::File => 0,
                    };
                    if let Some(end) = self.wait(session, milliseconds) {
                        session.pause();
                        return Ok(end);
                    }
                    session.answer(Event::Waited);
                }
                Progress::Asks(Need::Clock | Need::Input) => {
                    let elapsed = self.started.elapsed().as_millis() & u128::from(u32::MAX);
                    session.answer(Event::Clock(u32::try_from(elapsed).unwrap_or(0)));
                }
                Progress::Arrived => match session.state().clone() {
                    State::Waiting => {
                        if let Some(end) = self.await_input(session)? {
                            return Ok(end);
                        }
                    }
                    State::Idle { awaited, .. } if awaited.console && !matches!(self.input, Input::Ended) => {
                        if let Some(end) = self.await_input(session)? {
                            return Ok(end);
                        }
                        session.begin(command.clone());
                    }
                    State::Paused(Why::Output) => return Ok(End::Limit(Limit::Output)),
                    State::Paused(Why::Steps) => return Ok(End::Limit(Limit::Steps)),
                    State::Paused(Why::Time) => return Ok(End::Limit(Limit::Seconds)),
                    state => return Ok(End::Program(state)),
                },
            }
        }
    }

    /// Something that came before the run began has not been typed.
    fn has_first(&self) -> bool {
        matches!(self.input, Input::Standard { first: Some(_), .. })
    }

    /// Tells a program what lies where it looks for a file.
    fn answer_file(&mut self, session: &mut Session) {
        let (Some(path), Some(folder)) = (session.machine().wanted_file(), &mut self.folder) else { return };
        let found = folder.find(&path);
        session.answer(Event::File(path, found));
    }

    /// Writes what the program has closed.
    fn keep_files(&mut self, session: &Session) -> Result<(), Failure> {
        let machine = session.machine();
        // What is more than it may write is not written.
        if machine.file_changes() == self.kept || self.writes_too_much(session) {
            return Ok(());
        }
        let Some(folder) = &mut self.folder else { return Ok(()) };
        self.kept = machine.file_changes();
        let told = folder.keep(machine.files());
        if told.is_empty() {
            return Ok(());
        }
        Err(Failure { status: crate::status::NO_OUTPUT, is_about_output: true, ..Failure::usage(told.join("\n")) })
    }

    /// Nothing of ours goes over a file that the program has read or written.
    pub(crate) fn keep_apart(&self, option: &str, place: &Path) -> Result<(), Failure> {
        let Some(folder) = &self.folder else { return Ok(()) };
        if !folder.knows(place) {
            return Ok(());
        }
        let text = format!(
            "{}: this is a file of the program's, and {option} would overwrite it; name another file",
            place.display()
        );
        Err(Failure { is_about_output: true, ..Failure::usage(text) })
    }

    /// The run is over: what of its files was not closed stays as it was, and what it was not allowed is told.
    pub(crate) fn end_files(&mut self, session: &Session) -> Result<(), Failure> {
        self.keep_files(session)?;
        let files = session.machine().files();
        let mut told = String::new();
        if files.was_refused {
            told.push_str(
                "note: the program has no folder for files, so its calls about them failed; --files DIR gives one, or \
                 `files` in wendax.toml\n",
            );
        }
        for (path, _) in files.known().filter(|(_, file)| file.is_unfinished()) {
            told.push_str(&format!("note: {path} was never closed, and stays as it was\n"));
        }
        tell(&told);
        Ok(())
    }

    /// The run has to stop, for a reason outside the program.
    fn is_over(&self, session: &Session) -> Option<End> {
        if let Some(end) = self.is_over_outside() {
            return Some(end);
        }
        // On the clock made of cycles the run stops by itself at that very step.
        if self.clock == Clock::Host && self.limits.seconds.is_some_and(|most| self.started.elapsed().as_secs() >= most)
        {
            return Some(End::Limit(Limit::Seconds));
        }
        self.writes_too_much(session).then_some(End::Limit(Limit::Files))
    }

    fn writes_too_much(&self, session: &Session) -> bool {
        let Some(most) = self.limits.files else { return false };
        let written: usize = session.machine().files().to_keep().map(|(_, bytes)| bytes.len()).sum();
        written as u64 > most
    }

    /// The same, of what has nothing to do with the run itself.
    fn is_over_outside(&self) -> Option<End> {
        if self.stop.load(Ordering::Relaxed) {
            return Some(End::Interrupted);
        }
        if self.limits.host.is_some_and(|most| STARTED.elapsed().as_secs() >= most) {
            return Some(End::Limit(Limit::Host));
        }
        let most = self.limits.memory?.saturating_mul(1 << 20);
        if self.looked.get().elapsed() < OFTEN {
            return None;
        }
        self.looked.set(Instant::now());
        (memory_in_use()? > most).then_some(End::Limit(Limit::Memory))
    }

    /// Lets time pass.
    fn wait(&self, session: &Session, milliseconds: u32) -> Option<End> {
        let until = Instant::now() + Duration::from_millis(milliseconds.into());
        loop {
            if let Some(end) = self.is_over(session) {
                return Some(end);
            }
            let left = until.saturating_duration_since(Instant::now());
            if left.is_zero() {
                return None;
            }
            std::thread::sleep(left.min(LOOK));
        }
    }

    /// Types what has come in, once what was typed before has been read.
    fn type_ahead(&mut self, session: &mut Session) -> Result<(), Failure> {
        if session.machine().pending_input() > 0 {
            return Ok(());
        }
        let Input::Standard { pieces, first } = &mut self.input else { return Ok(()) };
        match first.take().map_or_else(|| pieces.try_recv(), Ok) {
            Ok(piece) => self.take(session, piece),
            Err(TryRecvError::Empty) => Ok(()),
            Err(TryRecvError::Disconnected) => self.take(session, Ok(Vec::new())),
        }
    }

    /// Waits until something comes in, and types it.
    fn await_input(&mut self, session: &mut Session) -> Result<Option<End>, Failure> {
        loop {
            if let Some(end) = self.is_over(session) {
                return Ok(Some(end));
            }
            let Input::Standard { pieces, first } = &mut self.input else {
                session.end_input();
                return Ok(None);
            };
            match first.take().map_or_else(|| pieces.recv_timeout(LOOK), Ok) {
                Ok(piece) => return self.take(session, piece).map(|()| None),
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return self.take(session, Ok(Vec::new())).map(|()| None),
            }
        }
    }

    fn take(&mut self, session: &mut Session, piece: Piece) -> Result<(), Failure> {
        let piece = piece.map_err(|error| Failure::usage(format!("standard input: {}", plain(&error))))?;
        if piece.is_empty() {
            self.input = Input::Ended;
            session.end_input();
        } else {
            session.type_input(&piece);
        }
        Ok(())
    }

    /// Writes what was printed since the last time, as far as it may be.
    fn print(&mut self, session: &Session) -> Result<(), Failure> {
        let printed = session.machine().printed();
        if printed == self.printed {
            return Ok(());
        }
        let fresh = session.printed_since(self.printed);
        let left = self.limits.output.unwrap_or(u64::MAX).saturating_sub(self.printed);
        let shown = &fresh[..fresh.len().min(usize::try_from(left).unwrap_or(usize::MAX))];
        self.printed = printed;
        if self.is_quiet {
            /// Nobody reads more of it in a document.
            const MOST: usize = 1 << 18;
            let room = MOST.saturating_sub(self.captured.len());
            self.captured.extend_from_slice(&shown[..shown.len().min(room)]);
            return Ok(());
        }
        print(shown)
    }
}
