//! A walk written down, to be taken up again by another process: everything that came from outside, step by step, how far
//! it went and where it stood.
//!
//! A run is a pure function of that, so repeating it gives the same walk to the last bit; whether it did is compared at the
//! end. A record is read as anything from a file is: what cannot be is refused, not computed with.

use crate::journey::{Command, Progress};
use crate::session::Session;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;
use std::sync::Arc;
use wendax_isa::{Addr, Reg, StepNo};
use wendax_machine::{CellState, Event, Found, Run, Stop, Watch};

/// Entries and bytes of a record at most: a walk that was given more is not written down.
const MOST_ENTRIES: usize = 100_000;
const MOST_BYTES: usize = 1 << 20;

/// What came from outside.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Came {
    Typed(Vec<u8>),
    End,
    Clock(u32),
    Waited,
    /// A path, and the bytes there or why there are none.
    File(String, Result<Vec<u8>, Missing>),
    LockedFile(String, Vec<u8>),
    Levers(u32),
    Register(u8, u32),
    Flags(u32),
    Byte(u32, u32),
}

/// Why there are no bytes at a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Missing {
    Nothing,
    NoFolder,
    TooLarge,
    NotAllowed,
    Failed,
}

/// A walk written down.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Record {
    /// What the program was: a check sum of its bytes and of what its runs are given.
    program: u32,
    /// Steps that were taken.
    steps: u64,
    /// The step it stood at.
    now: u64,
    /// Cycles at its end, and the address that was next there: by which the same run is known.
    end: (u64, u32),
    came: Vec<(u64, Came)>,
}

impl Came {
    fn of(event: &Event) -> Self {
        match event {
            Event::Typed(bytes) => Self::Typed(bytes.clone()),
            Event::InputEnds => Self::End,
            Event::Clock(time) => Self::Clock(*time),
            Event::Waited => Self::Waited,
            Event::File(path, Found::Locked(bytes)) => Self::LockedFile(path.to_string(), bytes.to_vec()),
            Event::File(path, found) => Self::File(
                path.to_string(),
                match found {
                    Found::Bytes(bytes) | Found::Locked(bytes) => Ok(bytes.to_vec()),
                    Found::Nothing => Err(Missing::Nothing),
                    Found::NoFolder => Err(Missing::NoFolder),
                    Found::TooLarge => Err(Missing::TooLarge),
                    Found::NotAllowed => Err(Missing::NotAllowed),
                    Found::Failed => Err(Missing::Failed),
                },
            ),
            Event::Levers(levers) => Self::Levers(*levers),
            Event::SetRegister(register, value) => Self::Register(register.0, *value),
            Event::SetFlags(flags) => Self::Flags(*flags),
            Event::SetByte(address, value) => Self::Byte(address.0, *value),
        }
    }

    fn bytes(&self) -> usize {
        match self {
            Self::Typed(bytes) => bytes.len(),
            Self::File(path, found) => path.len() + found.as_ref().map_or(0, Vec::len),
            Self::LockedFile(path, bytes) => path.len() + bytes.len(),
            _ => 0,
        }
    }

    /// The event; `None` when it can be none of a run of this session.
    fn event(self, session: &Session) -> Option<Event> {
        let machine = session.machine();
        let target = machine.target();
        Some(match self {
            Self::Typed(bytes) => Event::Typed(bytes),
            Self::End => Event::InputEnds,
            Self::Clock(time) => Event::Clock(time),
            Self::Waited => Event::Waited,
            Self::File(path, found) => {
                let found = match found {
                    Ok(bytes) => Found::Bytes(Arc::new(bytes)),
                    Err(Missing::Nothing) => Found::Nothing,
                    Err(Missing::NoFolder) => Found::NoFolder,
                    Err(Missing::TooLarge) => Found::TooLarge,
                    Err(Missing::NotAllowed) => Found::NotAllowed,
                    Err(Missing::Failed) => Found::Failed,
                };
                Event::File(path.into(), found)
            }
            Self::LockedFile(path, bytes) => Event::File(path.into(), Found::Locked(Arc::new(bytes))),
            Self::Levers(levers) => Event::Levers(u16::try_from(levers).ok()?.into()),
            Self::Register(register, value) => {
                let is_there = usize::from(register) < target.registers().count();
                (is_there && value <= target.word_mask()).then_some(Event::SetRegister(Reg(register), value))?
            }
            Self::Flags(flags) => {
                let all = target.flags.iter().fold(0, |all, flag| all | flag.bit);
                (flags & !all == 0).then_some(Event::SetFlags(flags))?
            }
            Self::Byte(address, value) => {
                let address = Addr(address & target.address_mask()).0.eq(&address).then_some(Addr(address))?;
                let is_memory = matches!(machine.cell(address), CellState::Known | CellState::NeverWritten);
                (is_memory && value <= 0xFF).then_some(Event::SetByte(address, value))?
            }
        })
    }
}

/// A check sum of a program and what its runs are given.
fn program_of(session: &Session) -> u32 {
    let mut sum = crc32fast::Hasher::new();
    let image = session.image();
    for part in &image.segments {
        sum.update(&part.start.0.to_le_bytes());
        sum.update(&part.bytes);
    }
    sum.update(&image.entry.0.to_le_bytes());
    sum.update(format!("{:?}", session.machine().settings()).as_bytes());
    sum.finalize()
}

impl Record {
    /// A walk as it stands; `None` when nothing was done in it, or more came from outside than is written down.
    pub fn of(session: &Session) -> Option<Self> {
        if session.end() == StepNo::FIRST && session.entries().is_empty() || session.oldest() > StepNo::FIRST {
            return None;
        }
        let came: Vec<(u64, Came)> = session.events().map(|(step, event)| (step.0, Came::of(event))).collect();
        if came.len() > MOST_ENTRIES || came.iter().map(|(_, came)| came.bytes()).sum::<usize>() > MOST_BYTES {
            return None;
        }
        let mut last = session.clone();
        last.pause();
        last.begin(Command::Seek(session.end()));
        while last.work(u64::MAX) == Progress::Working {}
        let end = (last.machine().cycles(), last.machine().pc().0);
        Some(Self { program: program_of(session), steps: session.end().0, now: session.now().0, end, came })
    }

    /// It is of this program, and can be of one of its runs.
    pub fn is_of(&self, session: &Session) -> bool {
        self.program == program_of(session)
            && self.now <= self.steps
            && self.came.is_sorted_by_key(|(step, _)| *step)
            && self.came.last().is_none_or(|(step, _)| *step <= self.steps)
    }

    /// The step the walk stood at, how many it had, and how often something was typed to it.
    pub fn told(&self) -> (u64, u64, usize) {
        let typed = self.came.iter().filter(|(_, came)| matches!(came, Came::Typed(_))).count();
        (self.now, self.steps, typed)
    }
}

/// A walk that is taken up.
#[derive(Debug, Clone)]
pub(crate) struct Repeating {
    pub(crate) session: Session,
    steps: StepNo,
    now: StepNo,
    end: (u64, u32),
    came: VecDeque<(StepNo, Came)>,
}

impl Repeating {
    /// `session` stands before its first step.
    pub(crate) fn new(session: Session, record: Record) -> Self {
        let came = record.came.into_iter().map(|(step, came)| (StepNo(step), came)).collect();
        Self { session, steps: StepNo(record.steps), now: StepNo(record.now), end: record.end, came }
    }

    /// What came at the present step comes; false when that cannot be.
    fn feed(&mut self) -> bool {
        while self.came.front().is_some_and(|(step, _)| *step == self.session.now()) {
            let Some((_, came)) = self.came.pop_front() else { break };
            let Some(event) = came.event(&self.session) else { return false };
            if event.is_edit() {
                self.session.happen(event);
            } else {
                self.session.push(event);
            }
        }
        true
    }

    /// Goes on for about as long as `budget` steps take; when it is over, whether it is the very same walk.
    pub(crate) fn work(&mut self, budget: u64) -> Option<bool> {
        let mut left = budget;
        loop {
            if !self.feed() {
                return Some(false);
            }
            if self.session.now() >= self.steps {
                break;
            }
            if left == 0 {
                return None;
            }
            let next = self.came.front().map_or(self.steps, |(step, _)| *step);
            let (mark, effort) = (self.session.now(), self.session.at.effort);
            // One that goes round for ever went on to where that was noticed, or further.
            let watch = std::mem::replace(&mut self.session.limits.watch, Watch::Nothing);
            let stop = self.session.run_slice(Run { effort: left, ..Run::until(next.min(self.steps)) });
            self.session.limits.watch = watch;
            left = left.saturating_sub(self.session.at.effort - effort + 16);
            let is_stuck = self.session.now() == mark && !matches!(stop, Stop::Steps | Stop::Worked);
            if is_stuck || stop.is_end() && self.session.now() < self.steps {
                break;
            }
        }
        let machine = self.session.machine();
        let is_same = self.session.now() == self.steps && (machine.cycles(), machine.pc().0) == self.end;
        self.session.settle();
        self.session.begin(Command::Seek(self.now.min(self.session.now())));
        while self.session.work(100_000) == Progress::Working {}
        Some(is_same)
    }
}
