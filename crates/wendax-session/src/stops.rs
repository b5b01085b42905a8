//! Where a run is to stop: what a stop is.
//!
//! A stop is met at a moment between two steps: a place when its instruction arrives (it is next, and no interrupt comes
//! before it); a lever that was moved at its moment; anything else right behind the step that did it. Whether one is met
//! hangs on the branch alone, never on the way the walk came to the moment, nor on what else is asked: so forwards and
//! backwards the same moments are found. `read` makes stops of words, `judge` tells which are met,
//! `looking` runs a machine to the next one, `armed` holds those of a walk and what they mean for it, `meetings` counts.

mod armed;
mod judge;
mod looking;
mod meetings;
mod read;

pub(crate) use armed::Stops;
pub(crate) use judge::{Armed, Hit, Hits, Judge, is_written, old_value};
pub(crate) use looking::{Judged, Looked, look};
pub(crate) use meetings::{Count, times_met};
pub use meetings::{Met, Noted};

use wendax_isa::{Addr, Reg, StepNo};
use wendax_language::BoundValue;

/// The owner's number for a stop.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct StopId(pub u32);

impl StopId {
    /// The stop of [`crate::Command::Until`].
    pub const UNTIL: Self = Self(u32::MAX);
    /// The first of those that belong to what is to come from outside.
    pub(crate) const SCRIPT: Self = Self(1 << 31);
}

/// How something is touched.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Touch {
    /// It is read.
    Read,
    /// It is written, also with what it held.
    Write,
    /// It becomes another value.
    Change,
}

/// Something that can be read and written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Thing {
    /// A register.
    Register(Reg),
    /// A flag, by its bit.
    Flag(u32),
    /// Cells of memory, or device registers: from the first address to behind the last.
    Cells(Addr, Addr),
}

/// What a stop is at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Where {
    /// An instruction, when it is next.
    Address(Addr),
    /// Any instruction of these ranges, each from its first address to behind its last, when it is next.
    Among(Vec<(Addr, Addr)>),
    /// Any instruction with this mnemonic, when it is next.
    Op(String),
    /// A moment, by its step; for commands.
    Step(StepNo),
    /// Something is touched.
    Touched(Touch, Thing),
    /// A system call is made: this one, or any.
    Call(Option<u32>),
    /// A trap is entered: this one, or any.
    Trap(Option<u32>),
    /// An interrupt is taken: this one, or any.
    Interrupt(Option<u32>),
    /// Something is printed: a text, met where its last byte is printed, or anything.
    Printed(Option<Vec<u8>>),
    /// The routine that begins here is entered.
    Entered(Addr),
    /// The routine that begins here is left.
    Left(Addr),
    /// A value becomes true that was not.
    True(BoundValue),
}

impl Where {
    /// The address of code that it is about, when it is about one: names of what is said of it mean what they do there.
    pub fn code(&self) -> Option<Addr> {
        match self {
            Self::Address(at) | Self::Entered(at) | Self::Left(at) => Some(*at),
            Self::Among(parts) => parts.first().map(|(from, _)| *from),
            _ => None,
        }
    }
}

/// Which of the times it is met it stops at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Times {
    /// Each.
    #[default]
    Each,
    /// The nth and all after it.
    From(u64),
    /// The nth, the 2nth, and so on.
    Every(u64),
}

impl Times {
    /// It stops at the time with this number, from 1.
    pub fn fits(self, number: u64) -> bool {
        match self {
            Self::Each => true,
            Self::From(first) => number >= first,
            Self::Every(each) => number.is_multiple_of(each.max(1)),
        }
    }
}

/// A value to be noted, with the words it was asked for in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotedValue {
    /// As it was written.
    pub text: String,
    /// What it is.
    pub value: BoundValue,
}

/// A stop, all its names known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StopAt {
    /// What it is at.
    pub place: Where,
    /// It is met only while this is true; a value that cannot be told counts as false.
    pub condition: Option<BoundValue>,
    /// Which of the times it is met count.
    pub times: Times,
    /// It is taken away when it has stopped the run.
    pub once: bool,
    /// Instead of stopping, these are noted; empty: that it was met.
    pub note: Option<Vec<NotedValue>>,
}

impl StopAt {
    /// A plain stop at an instruction.
    pub fn address(address: Addr) -> Self {
        Self::plain(Where::Address(address))
    }

    /// A stop at a moment, by its step.
    pub fn at_step(step: StepNo) -> Self {
        Self::plain(Where::Step(step))
    }

    /// A stop with nothing said beside its place.
    pub fn plain(place: Where) -> Self {
        Self { place, condition: None, times: Times::Each, once: false, note: None }
    }

    /// It is met when an instruction arrives.
    pub(crate) fn is_place(&self) -> bool {
        matches!(self.place, Where::Address(_) | Where::Among(..) | Where::Op(_))
    }

    /// It stops runs, instead of noting.
    pub fn stops(&self) -> bool {
        self.note.is_none()
    }
}
