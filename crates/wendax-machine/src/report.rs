//! What a step was and what it wrote.
//!
//! The engine reports each step of a traced run to an [`Observer`]: what kind of step it was, and every register,
//! flag, byte and device register it wrote, old and new, also when both are the same. Nothing here is guessed from
//! states: the place that writes is the place that reports. What a report costs does not depend on the size of memory.

use crate::files::FileDeed;
use std::ops::ControlFlow;
use std::sync::Arc;
use wendax_isa::{Addr, Reg, StepNo};

/// What a step was.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum StepKind {
    /// An instruction was carried out.
    #[default]
    Instruction,
    /// An instruction was carried out that is a system call with this number, served by the host.
    Call(u32),
    /// The interrupt with this number was taken, between two instructions.
    Interrupt(u32),
    /// A trap of the program's own with this number was entered: by an instruction that failed and of which nothing
    /// happened, or by one that asks for it.
    Trap(u32),
}

/// One thing a step wrote.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Write {
    /// A register.
    Register {
        /// Which.
        register: Reg,
        /// Before.
        old: u32,
        /// After.
        new: u32,
        /// It had been written before.
        was_known: bool,
    },
    /// A byte or word of memory.
    Memory {
        /// Of its first byte.
        address: Addr,
        /// How many bytes: 1, or those of a word.
        length: u32,
        /// Before.
        old: u32,
        /// After.
        new: u32,
        /// It had a value before.
        was_known: bool,
    },
    /// Bytes filled in by a system call; see [`Report::buffer`].
    Buffer {
        /// Of the first byte.
        address: Addr,
        /// How many bytes.
        length: u32,
        /// All of them had a value before.
        was_known: bool,
    },
    /// A device register, as it is read back.
    Device {
        /// Its address.
        address: Addr,
        /// Before.
        old: u32,
        /// After.
        new: u32,
    },
}

/// What something from outside did to a device register, as that is read: a key, a lever, the end of the input.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Came {
    /// The register's address.
    pub address: Addr,
    /// Before.
    pub old: u32,
    /// After.
    pub new: u32,
    /// It had happened by the moment of the step; else it is part of the step itself, as what is typed is.
    pub is_before: bool,
}

/// The flags over a step.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct FlagsChange {
    /// Before.
    pub old: u32,
    /// After.
    pub new: u32,
    /// Bits that were written, whether or not they changed.
    pub touched: u32,
}

/// What one step did.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Report {
    /// Steps before it.
    pub step: StepNo,
    /// What it was.
    pub kind: StepKind,
    /// Where it happened.
    pub pc: Addr,
    /// Where it went.
    pub next: Addr,
    /// Bytes of the instruction carried out; 0 when there was none.
    pub length: u32,
    /// The code words that stood there before it, as many as an instruction has at most; for an observer that wants
    /// writes.
    pub code: [u32; 2],
    /// What came from outside at its moment.
    pub came: Vec<Came>,
    /// Cycles it took.
    pub cycles: u64,
    /// The flags.
    pub flags: FlagsChange,
    /// What it wrote, in order.
    pub writes: Vec<Write>,
    /// What it read of memory and devices: first address, and how many bytes; only for an observer that wants it.
    pub reads: Vec<(Addr, u32)>,
    /// Bytes it printed.
    pub printed: u64,
    /// Bytes of typed input it took.
    pub consumed: u64,
    /// What it did with which file.
    pub file: Option<(Arc<str>, FileDeed)>,
    /// The tone it made: hertz and milliseconds.
    pub tone: Option<(u32, u32)>,
    /// The timer expired while it was carried out.
    pub expired: bool,
    /// It left a routine by an instruction made for that.
    pub returned: bool,
    /// It was a system call that failed.
    pub failed: bool,
    /// Routines active after it.
    pub depth: usize,
    /// Bytes of the buffers among its writes: those before, then those after, one buffer behind the other.
    pub(crate) buffers: Vec<u8>,
}

impl Report {
    /// The bytes before and after of its buffer, of which there is at most one.
    pub fn buffer(&self) -> (&[u8], &[u8]) {
        self.buffers.split_at(self.buffers.len() / 2)
    }

    /// It went on at the following instruction.
    pub fn fell_through(&self) -> bool {
        self.length > 0 && self.next == self.pc + self.length
    }

    /// The instruction that arrived at the moment of the step: any step has one but an interrupt, which comes before it.
    pub fn arrived(&self) -> Option<Addr> {
        (!matches!(self.kind, StepKind::Interrupt(_))).then_some(self.pc)
    }

    /// For instructions that touch nothing outside, call nobody and do not fail, each of which has [`Self::begin`] called.
    pub(crate) fn begin_instructions(&mut self) {
        self.clear();
        (self.kind, self.expired) = (StepKind::Instruction, false);
    }

    /// For the next of those.
    #[inline]
    pub(crate) fn begin(&mut self) {
        self.writes.clear();
        self.reads.clear();
        self.returned = false;
    }

    /// For the next step: of most steps little is there that has to go.
    #[inline]
    pub(crate) fn clear(&mut self) {
        self.writes.clear();
        self.reads.clear();
        (self.printed, self.consumed, self.returned, self.failed) = (0, 0, false, false);
        self.flags.touched = 0;
        if !self.buffers.is_empty() || self.file.is_some() || self.tone.is_some() {
            self.clear_rare();
        }
    }

    #[cold]
    fn clear_rare(&mut self) {
        self.buffers.clear();
        (self.file, self.tone) = (None, None);
    }

    /// What came from outside at the moment of the step, and nothing that came before.
    #[inline]
    pub(crate) fn take_came(&mut self, came: &mut Vec<Came>) {
        if !self.came.is_empty() || !came.is_empty() {
            self.came.clear();
            self.came.append(came);
        }
    }
}

/// What an observer does with a step. Behind a pointer, so that loops are compiled once for each kind of report and not
/// once for each observer there is.
pub(crate) type See<'a> = &'a mut dyn FnMut(&Report) -> ControlFlow<()>;

/// Someone who looks at each step of a run.
pub trait Observer {
    /// Whether it wants to know what was written; without, reports have no writes and no flags, and cost less.
    const WRITES: bool;

    /// Whether it wants to know what was read of memory and devices; only together with [`Self::WRITES`].
    const READS: bool = false;

    /// Sees a step that has just been taken. [`ControlFlow::Break`] stops the run behind it.
    fn see(&mut self, report: &Report) -> ControlFlow<()>;
}
