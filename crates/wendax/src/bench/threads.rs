//! The threads beside the loop: one assembles, one keeps unsaved text, one reads the terminal, one waits for signals.
//!
//! None of them is waited for while someone works; what they have to say goes to the loop as [`Incoming`].

use super::Incoming;
use super::terminal::read_answers;
use crate::recovery;
use crossterm::event::{self, Event as Input, KeyCode, KeyEvent, KeyModifiers};
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};
use wendax_project::{Built, NotBuilt, Project, Workshop};
use wendax_tui::{Message, Text, Unsaved};

/// The name of the thread that assembles: a panic in it ends neither the program nor its screen.
pub(super) const WORKSHOP: &str = "workshop";

/// The name of threads that try rows: the same holds for those.
pub(super) const APART: &str = "trials";

/// Does something on a thread of its own; when it fails that is told.
pub(super) fn apart(sender: Sender<Incoming>, work: impl FnOnce() + Send + 'static) {
    let guarded = move || {
        if std::panic::catch_unwind(std::panic::AssertUnwindSafe(work)).is_err() {
            let why = "the tool failed on a row; please report that with the program and its table".to_owned();
            let _ = sender.send(Incoming::Message(Message::Failed(why)));
        }
    };
    // Without the thread nothing is tried; everything else goes on.
    let _ = std::thread::Builder::new().name(APART.to_owned()).spawn(guarded);
}

/// Something for the workshop to do.
pub(super) enum Request {
    /// These texts stand for their files; build, and answer with the number.
    Build(u64, Vec<(String, Text)>),
    /// Something may have happened on disk.
    LookAgain,
    /// The source that the program is has another name.
    Rename(String, String),
    /// These folders outside of the project's may be opened too.
    Allow(Vec<PathBuf>),
}

/// What was built last and not taken yet: an older one is of no use to anybody, and large.
pub(super) type Latest = Arc<Mutex<Option<(u64, Box<Built>)>>>;

/// The thread that assembles: always the newest texts there are. What it built lies in `latest`; that there is something
/// is told once until it is taken.
pub(super) fn workshop(
    answers: Sender<Incoming>,
    latest: Latest,
    project: Project,
    is_leaving: Arc<AtomicBool>,
) -> Sender<Request> {
    let (sender, requests) = channel();
    let work = move || {
        let mut workshop = Workshop::new(project).offering();
        while let Some(generation) = newest(&mut workshop, &requests) {
            let built = workshop.build_unless(&|| is_leaving.load(Ordering::Relaxed));
            let incoming = match built {
                Ok(built) => {
                    let Ok(mut place) = latest.lock() else { return };
                    if place.replace((generation, Box::new(built))).is_some() {
                        continue;
                    }
                    Incoming::Built
                }
                Err(NotBuilt::Stopped) => return,
                Err(why @ NotBuilt::Failed(_)) => Incoming::Message(Message::NotAssembled(generation, why.to_string())),
            };
            if answers.send(incoming).is_err() {
                return;
            }
        }
    };
    // Without the thread nothing is assembled; the texts can still be written and saved.
    let _ = std::thread::Builder::new().name(WORKSHOP.to_owned()).spawn(work);
    sender
}

/// Takes in all that was asked until now; the number of the newest texts. `None` when nobody will ask any more.
fn newest(workshop: &mut Workshop, requests: &Receiver<Request>) -> Option<u64> {
    let mut wanted = None;
    loop {
        let request = match wanted {
            None => requests.recv().ok()?,
            Some(generation) => match requests.try_recv() {
                Ok(request) => request,
                Err(_) => return Some(generation),
            },
        };
        match request {
            Request::Build(generation, texts) => {
                for (name, text) in texts {
                    workshop.edit(&name, text.to_string().into());
                }
                wanted = Some(generation);
            }
            Request::LookAgain => workshop.look_again(),
            Request::Allow(folders) => workshop.allow(folders),
            Request::Rename(from, to) => workshop.rename(&from, &to),
        }
    }
}

/// Something for the keeper of unsaved texts to do.
pub(super) enum Keep {
    Text(PathBuf, Box<Unsaved>),
    Forget(PathBuf),
}

/// The thread that keeps unsaved text; it ends when nobody has anything more for it.
pub(super) fn keeper() -> (Sender<Keep>, Option<JoinHandle<()>>) {
    let (sender, jobs) = channel();
    let work = move || {
        while let Ok(job) = jobs.recv() {
            match job {
                Keep::Text(place, unsaved) => {
                    recovery::keep(&place, &unsaved.text.to_string(), unsaved.base.as_deref());
                }
                Keep::Forget(place) => recovery::forget(&place),
            }
        }
    };
    (sender, std::thread::Builder::new().spawn(work).ok())
}

/// So long the answers of a terminal are waited for; what is typed meanwhile is taken all the same.
const PATIENCE: Duration = Duration::from_millis(900);

/// Reads what a terminal answers that was asked for its ground.
fn read_ground() {
    use rustix::event::{PollFd, PollFlags, Timespec, poll};
    let begun = Instant::now();
    let mut rest: Vec<u8> = Vec::new();
    loop {
        let left = PATIENCE.saturating_sub(begun.elapsed());
        let time = Timespec { tv_sec: 0, tv_nsec: left.subsec_nanos().into() };
        let stdin = std::io::stdin();
        let mut wait = [PollFd::new(&stdin, PollFlags::IN)];
        if left.is_zero() || !matches!(poll(&mut wait, Some(&time)), Ok(1..)) {
            break;
        }
        let mut bytes = [0; 512];
        // Straight from the terminal: a reader in between would keep what comes behind the answers.
        let Ok(count @ 1..) = rustix::io::read(&stdin, &mut bytes) else { break };
        rest.extend_from_slice(&bytes[..count]);
        let answers = read_answers(&rest);
        rest = answers.rest;
        if let Some(is_light) = answers.is_light {
            tell(Incoming::Ground(is_light));
        }
        for key in answers.typed {
            tell(Incoming::Message(Message::Key(key)));
        }
        if answers.are_all {
            break;
        }
    }
    if rest == [0x1B] {
        tell(Incoming::Message(Message::Key(KeyEvent::new(KeyCode::Esc, KeyModifiers::NONE))));
    }
}

/// Whoever is to be told what comes from the terminal: the bench that is open.
static LISTENER: Mutex<Option<Sender<Incoming>>> = Mutex::new(None);

/// Tells the bench that is open; false when there is none.
fn tell(incoming: Incoming) -> bool {
    LISTENER.lock().is_ok_and(|listener| listener.as_ref().is_some_and(|sender| sender.send(incoming).is_ok()))
}

/// The terminal is read already.
pub(super) fn is_listening() -> bool {
    LISTENER.lock().is_ok_and(|listener| listener.is_some())
}

/// The thread that reads the terminal, first the answers to what it was asked. There is one as long as the program
/// lives: two would take keys from each other. From now on it tells this bench.
pub(super) fn listen(sender: Sender<Incoming>, was_asked: bool) {
    let Ok(mut listener) = LISTENER.lock() else { return };
    if listener.replace(sender).is_some() {
        return;
    }
    drop(listener);
    std::thread::spawn(move || {
        if was_asked {
            read_ground();
        }
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
            if !tell(incoming) || ended {
                return;
            }
        }
    });
}

/// Signals that ask the program to end: unsaved text is kept, the terminal given back. And those that stop it for a while:
/// the terminal is the shell's meanwhile.
pub(super) fn catch_signals(sender: Sender<Incoming>) {
    use signal_hook::consts::{SIGCONT, SIGHUP, SIGINT, SIGTERM, SIGTSTP};
    let Ok(mut signals) = signal_hook::iterator::Signals::new([SIGHUP, SIGINT, SIGTERM, SIGTSTP, SIGCONT]) else {
        return;
    };
    std::thread::spawn(move || {
        for signal in signals.forever() {
            let (incoming, is_end) = match signal {
                SIGTSTP => (Incoming::Stop, false),
                SIGCONT => (Incoming::Continue, false),
                signal => (Incoming::End(u8::try_from(128 + signal).unwrap_or(1)), true),
            };
            if sender.send(incoming).is_err() || is_end {
                return;
            }
        }
    });
}

/// Stops the program as the signal would that was caught; returns when it goes on.
pub(super) fn stop() {
    let _ = signal_hook::low_level::emulate_default_handler(signal_hook::consts::SIGTSTP);
}
