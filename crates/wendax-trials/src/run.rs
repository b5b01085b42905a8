//! A run of a trial, to its end: input and files are those of the row, the clock is made of cycles, and it may use so much.

use crate::subject::Begun;
use crate::table::{Chosen, Ends, Row};
use std::collections::BTreeMap;
use std::sync::Arc;
use wendax_machine::{Event, Fault, Found, MOST_BYTES, Need};
use wendax_session::{Command, Progress, Session, State, StopAt, Why, state_words};

/// Work between two looks at the host's clock, in steps: some milliseconds.
const SLICE: u64 = 400_000;

/// How a run ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Ending {
    /// The program ended by itself, with this status.
    Finished(u32),
    /// The routine came back.
    Returned,
    /// An instruction failed.
    Fault(Fault),
    /// It repeats one state for ever.
    Circling,
    /// It waits for what does not come.
    Waiting,
    /// It ran a `brk`.
    Brk,
    /// It used as much as it may of this.
    Limit(Limit),
}

/// What there may be so much of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Limit {
    /// Steps.
    Steps,
    /// Bytes printed.
    Output,
    /// Seconds on its own clock.
    Seconds,
    /// Time of the host.
    Host,
}

impl Ending {
    /// It is the end that is expected.
    pub(crate) fn is(&self, expected: Ends) -> bool {
        match (self, expected) {
            (Self::Finished(_), Ends::Finished)
            | (Self::Circling, Ends::Circling)
            | (Self::Waiting, Ends::Waiting)
            | (Self::Brk, Ends::Brk)
            | (Self::Fault(_), Ends::Fault(None))
            | (Self::Limit(Limit::Steps), Ends::Steps) => true,
            (Self::Fault(fault), Ends::Fault(Some(trap))) => fault.trap == trap,
            _ => false,
        }
    }

    /// How it ended, in words.
    pub(crate) fn words(&self, session: &Session) -> String {
        let target = session.machine().target();
        match self {
            Self::Finished(status) => format!("it ended by itself, with status {status}"),
            Self::Returned => "it came back".to_owned(),
            Self::Fault(fault) => format!("it failed, trap {}: {}", fault.trap, fault.kind.words(target)),
            Self::Circling => format!("it never ends: {}", state_words(session)),
            Self::Waiting => match state_words(session) {
                words if words.is_empty() => "it waits for input that does not come".to_owned(),
                words => format!("it {words}"),
            },
            Self::Brk => "it ran a brk".to_owned(),
            Self::Limit(Limit::Steps) => "it had not ended when its steps were used up".to_owned(),
            Self::Limit(Limit::Output) => "it printed more than it may".to_owned(),
            Self::Limit(Limit::Seconds) => "it had not ended when the seconds of its clock were used up".to_owned(),
            Self::Limit(Limit::Host) => "it had not ended when its time was used up".to_owned(),
        }
    }
}

/// The files of a row.
#[derive(Debug, Clone, Default)]
pub struct Yard(BTreeMap<String, Arc<Vec<u8>>>);

impl Yard {
    pub(crate) fn of(row: &Row, chosen: &Chosen) -> Self {
        let files = row.given.files.iter();
        Self(files.map(|(path, content)| (path.clone(), content.shared(chosen))).collect())
    }

    /// What is found at a path, as in a folder that holds these files and nothing else.
    pub fn find(&self, path: &str) -> Found {
        if let Some(bytes) = self.0.get(path) {
            // As in a folder.
            let is_small = bytes.len() <= MOST_BYTES;
            return if is_small { Found::Bytes(Arc::clone(bytes)) } else { Found::TooLarge };
        }
        let is_folder =
            |path: &str| self.0.keys().any(|known| known.strip_prefix(path).is_some_and(|rest| rest.starts_with('/')));
        match path.rsplit_once('/') {
            _ if !is_plain_path(path) || is_folder(path) => Found::NotAllowed,
            Some((folder, _)) if !is_folder(folder) => Found::NoFolder,
            _ => Found::Nothing,
        }
    }
}

/// A path leads down from a folder, step by step.
pub(crate) fn is_plain_path(path: &str) -> bool {
    path.split('/').all(|part| !matches!(part, "" | "." | ".."))
}

/// Carries a run through.
pub(crate) fn go(begun: &mut Begun, yard: &Yard, may_go_on: &dyn Fn() -> bool) -> Ending {
    let back = begun.back;
    let session = &mut begun.session;
    let command = || back.map_or(Command::Go, |back| Command::Until(Box::new(StopAt::address(back))));
    session.begin(command());
    loop {
        match session.work(SLICE) {
            Progress::Working if may_go_on() => {}
            Progress::Working => {
                session.pause();
                return Ending::Limit(Limit::Host);
            }
            Progress::Asks(Need::File) => {
                let Some(path) = session.machine().wanted_file() else { return Ending::Waiting };
                let found = yard.find(&path);
                session.answer(Event::File(path, found));
            }
            Progress::Asks(Need::Wait(_) | Need::Sound(_)) => session.answer(Event::Waited),
            Progress::Asks(Need::Clock | Need::Input) => session.answer(Event::Clock(0)),
            Progress::Arrived => return ending(session, back.is_some()),
        }
    }
}

fn ending(session: &Session, is_call: bool) -> Ending {
    match session.state() {
        State::Finished(status) => Ending::Finished(*status),
        State::Fault(fault) => Ending::Fault(*fault),
        State::Circling { .. } => Ending::Circling,
        State::Waiting | State::Idle { .. } => Ending::Waiting,
        State::Paused(Why::Output) => Ending::Limit(Limit::Output),
        State::Paused(Why::Steps) => Ending::Limit(Limit::Steps),
        State::Paused(Why::Time) => Ending::Limit(Limit::Seconds),
        State::Paused(Why::Until) if is_call => Ending::Returned,
        State::Paused(_) | State::Ready | State::Running => Ending::Brk,
    }
}
