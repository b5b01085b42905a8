//! What goes along with groups: nothing, an observer that gets a report of each instruction, or counts of all they do.
//!
//! Where something does, groups are of one instruction each, so that it can be told before and behind each of them; what the
//! instructions do is the same text as where nobody looks. What is not done in groups `plain` tells a [`super::trace::Trace`];
//! both tell the same of the same instruction.

#![expect(clippy::inline_always, reason = "functions of groups are made of these")]

use super::alu::Flags;
use super::grouping::{self, Choice, Form, Seen};
use super::swift::{Core, Group, Groups, Handler, LENGTH, address_of};
use crate::board::Timer;
use crate::memory::{BYTES, Planes, put_quick_byte, put_quick_word, quick_byte, quick_word, word_of};
use crate::report::{Came, FlagsChange, Report, See, Write};
use crate::swift::Turn;
use std::fmt;
use wendax_isa::w16::{C, I, N, V, Z};
use wendax_isa::{Reg, StepNo};

/// What goes along with groups.
pub(super) trait Hook: fmt::Debug + Sized + 'static {
    /// Memory, and who is told.
    type Memory<'a>: Access;

    /// It is told of each instruction.
    const TELLS: bool;

    /// The table of groups that are its own.
    fn groups(tables: &mut Tables) -> &mut Groups<Self>;

    /// The function that does the most of what follows.
    fn choose(seen: &[Seen]) -> Option<Choice<Self>> {
        grouping::choose_one(seen)
    }

    /// The function of a part that stands alone.
    fn alone(form: Form) -> Option<Handler<Self>> {
        grouping::of_common(form)
    }

    /// An instruction was carried out; false stops the run behind it.
    fn ended(_core: &mut Core, _memory: &mut Self::Memory<'_>, _group: &Group<Self>, _turn: Turn) -> bool {
        true
    }
}

/// Memory as instructions of groups see it. What is not done in one go is left to others: `None`, or false.
pub(super) trait Access {
    /// Memory itself.
    fn planes(&mut self) -> &mut Planes;

    /// A word, which is not told of by that.
    #[inline(always)]
    fn word(&mut self, address: u16) -> Option<u16> {
        quick_word(self.planes(), address)
    }

    /// A byte likewise.
    #[inline(always)]
    fn byte(&mut self, address: u16) -> Option<u8> {
        quick_byte(self.planes(), address)
    }

    #[inline(always)]
    fn put_word(&mut self, address: u16, value: u16, note: u8) -> bool {
        let done = put_quick_word(self.planes(), address, value, note);
        if done {
            self.stored(address, 2);
        }
        done
    }

    #[inline(always)]
    fn put_byte(&mut self, address: u16, value: u8) -> bool {
        let done = put_quick_byte(self.planes(), address, value);
        if done {
            self.stored(address, 1);
        }
        done
    }

    /// The instruction at a place is about to be carried out.
    #[inline(always)]
    fn begins(&mut self, _place: u32) {}
    /// So many bytes were read.
    #[inline(always)]
    fn read(&mut self, _address: u16, _length: u32) {}
    /// So many were written.
    #[inline(always)]
    fn stored(&mut self, _address: u16, _length: u32) {}
    /// A register was written.
    #[inline(always)]
    fn wrote(&mut self, _register: usize, _old: u16, _new: u16) {}
    /// The four flags of arithmetic were written.
    #[inline(always)]
    fn flagged(&mut self, _flags: Flags) {}
    /// A routine is left by an instruction made for that.
    #[inline(always)]
    fn returns(&mut self) {}
}

/// How things stand when groups begin.
#[derive(Debug, Clone, Copy)]
pub(super) struct Begin<'a> {
    /// Steps and cycles since the start.
    pub(super) now: (u64, u64),
    pub(super) registers: &'a [u16; 16],
    pub(super) flags: u16,
    pub(super) known: u16,
    pub(super) depth: i64,
    pub(super) timer: &'a Timer,
}

/// The groups there are for each of them.
#[derive(Debug, Clone, Default)]
pub(super) struct Tables {
    pub(super) blind: Groups<Blind>,
    pub(super) told: Groups<Told>,
    pub(super) counted: Groups<super::counting::Counted>,
    pub(super) printed: Groups<super::prints::Printed>,
}

impl Tables {
    /// See [`crate::swift::Groups::forget`].
    pub(super) fn forget(&mut self, place: usize, count: usize, before: usize) {
        self.blind.forget(place, count, before);
        self.told.forget(place, count, 0);
        self.counted.forget(place, count, 0);
        self.printed.forget(place, count, 0);
    }

    /// See [`crate::swift::Groups::known`].
    pub(super) fn known(&mut self, known: u32) {
        self.blind.known(known);
        self.told.known(known);
        self.counted.known(known);
        self.printed.known(known);
    }
}

// ---- nobody

/// Nobody looks.
#[derive(Debug)]
pub(super) struct Blind;

impl Hook for Blind {
    type Memory<'a> = Planes;
    const TELLS: bool = false;

    fn groups(tables: &mut Tables) -> &mut Groups<Self> {
        &mut tables.blind
    }

    fn choose(seen: &[Seen]) -> Option<Choice<Self>> {
        grouping::choose(seen)
    }

    fn alone(form: Form) -> Option<Handler<Self>> {
        grouping::of_one(form)
    }
}

impl Access for Planes {
    #[inline(always)]
    fn planes(&mut self) -> &mut Planes {
        self
    }
}

// ---- an observer

/// An observer is told.
#[derive(Debug)]
pub(super) struct Told;

/// Memory, and the observer that is told what is done to it.
pub(super) struct Telling<'a> {
    pub(super) planes: &'a mut Planes,
    pub(super) see: See<'a>,
    pub(super) report: &'a mut Report,
    pub(super) came: &'a mut Vec<Came>,
    /// It wants to know of writes, and of reads.
    pub(super) wants: [bool; 2],
    /// The flags before the instruction and behind it, and which of them it wrote.
    pub(super) flags: FlagsChange,
    pub(super) timer: &'a Timer,
}

impl Hook for Told {
    type Memory<'a> = Telling<'a>;
    const TELLS: bool = true;

    fn groups(tables: &mut Tables) -> &mut Groups<Self> {
        &mut tables.told
    }

    #[inline(never)]
    fn ended(core: &mut Core, memory: &mut Telling<'_>, group: &Group<Self>, turn: Turn) -> bool {
        let (steps, cycles) = core.routines.now(turn.left);
        let (operands, report) = (group.operands[LENGTH], &mut *memory.report);
        (report.step, report.cycles) = (StepNo(steps.wrapping_sub(1)), turn.cycles());
        (report.pc, report.next) = (address_of(group.place).into(), address_of(turn.place).into());
        report.length = operands.value.into();
        report.depth = core.routines.frames().list().len();
        report.take_came(memory.came);
        if memory.wants[0] {
            report.flags = memory.flags;
            report.expired = memory.timer.expires_between(cycles.wrapping_sub(report.cycles), cycles);
        }
        (memory.see)(report).is_continue()
    }
}

impl Access for Telling<'_> {
    #[inline(always)]
    fn planes(&mut self) -> &mut Planes {
        self.planes
    }

    #[inline(never)]
    fn put_word(&mut self, address: u16, value: u16, note: u8) -> bool {
        let old = word_of(self.planes, address);
        let done = put_quick_word(self.planes, address, value, note);
        if done && self.wants[0] {
            let (address, old, new) = (address.into(), old.into(), value.into());
            self.report.writes.push(Write::Memory { address, length: 2, old, new, was_known: true });
        }
        done
    }

    #[inline(never)]
    fn put_byte(&mut self, address: u16, value: u8) -> bool {
        let old = self.planes[BYTES][usize::from(address)];
        let done = put_quick_byte(self.planes, address, value);
        if done && self.wants[0] {
            let (address, old, new) = (address.into(), old.into(), value.into());
            self.report.writes.push(Write::Memory { address, length: 1, old, new, was_known: true });
        }
        done
    }

    #[inline(never)]
    fn begins(&mut self, place: u32) {
        let pc = address_of(place);
        self.report.begin();
        (self.flags.old, self.flags.touched) = (self.flags.new, 0);
        self.report.code = [word_of(self.planes, pc).into(), word_of(self.planes, pc.wrapping_add(2)).into()];
    }

    #[inline(always)]
    fn read(&mut self, address: u16, length: u32) {
        if self.wants[1] {
            self.report.reads.push((address.into(), length));
        }
    }

    #[inline(never)]
    fn wrote(&mut self, register: usize, old: u16, new: u16) {
        if self.wants[0] {
            let (register, old, new) = (Reg::at(register), old.into(), new.into());
            self.report.writes.push(Write::Register { register, old, new, was_known: true });
        }
    }

    #[inline(always)]
    fn flagged(&mut self, flags: Flags) {
        self.flags.new = self.flags.old & u32::from(I) | u32::from(flags.bits());
        self.flags.touched = (C | Z | N | V).into();
    }

    #[inline(always)]
    fn returns(&mut self) {
        self.report.returned = true;
    }
}
