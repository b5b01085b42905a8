//! What goes along with groups: nothing, an observer that gets a report of each instruction, or counts of all they do.
//!
//! Where something does, groups are of one instruction each, so that it can be told before and behind each of them; what the
//! instructions do is the same text as where nobody looks. What is not done in groups `steps` tells of; both tell the same of
//! the same instruction.

#![expect(clippy::inline_always, reason = "functions of groups are made of these")]

use super::State;
use super::counting::Counted;
use super::grouping::{self, Choice, Seen};
use super::memory::Near;
use super::prints::Printed;
use super::swift::{Core, Group, Groups, NOWHERE};
use crate::board::Timer;
use crate::report::{Came, FlagsChange, Report, See, Write};
use crate::swift::Turn;
use std::fmt;
use std::ops::ControlFlow;
use wendax_isa::{Addr, Reg, StepNo};

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

    /// An instruction was carried out; false stops the run behind it.
    fn ended(_core: &mut Core, _memory: &mut Self::Memory<'_>, _group: &Group<Self>, _turn: Turn) -> bool {
        true
    }
}

/// Memory as instructions of groups see it. What is not done in one go is left to others: `None`, or false.
pub(super) trait Access {
    fn load<const LENGTH: u32>(&mut self, address: u32) -> Option<u32>;
    fn store<const LENGTH: u32>(&mut self, address: u32, value: u32, note: u8) -> bool;

    /// An instruction, this word, is about to be carried out.
    #[inline(always)]
    fn begins(&mut self, _word: u32) {}
    /// A register was written, or nothing by its number.
    #[inline(always)]
    fn wrote(&mut self, _register: u8, _old: u32, _new: u32) {}
    /// A routine was left by an instruction made for that.
    #[inline(always)]
    fn returns(&mut self) {}
}

/// How things stand when groups begin.
#[derive(Debug, Clone, Copy)]
pub(super) struct Begin<'a> {
    /// Steps and cycles since the start.
    pub(super) now: (u64, u64),
    pub(super) registers: &'a [u32],
    pub(super) known: u32,
    pub(super) timer: &'a Timer,
}

/// Who looks at a run.
pub(super) trait Looker {
    /// In which way groups are told of.
    type Hook: Hook;

    /// Sees a step that was taken, and the state behind it.
    fn see(&mut self, report: &Report, state: &State) -> ControlFlow<()>;

    /// Has groups carried out with it going along.
    fn along<R>(
        &mut self,
        near: &mut Near,
        report: (&mut Report, &mut Vec<Came>),
        begin: Begin<'_>,
        run: impl FnOnce(&mut <Self::Hook as Hook>::Memory<'_>) -> R,
    ) -> R;

    /// They came to this step and cycle.
    fn went(&mut self, _now: (u64, u64)) {}
}

/// The groups there are for each of them.
#[derive(Debug, Clone, Default)]
pub(super) struct Tables {
    blind: Groups<Blind>,
    told: Groups<Told>,
    pub(super) counted: Groups<Counted>,
    pub(super) printed: Groups<Printed>,
}

impl Tables {
    /// See [`crate::swift::Groups::clear`].
    pub(super) fn clear(&mut self) {
        self.blind.clear();
        self.told.clear();
        self.counted.clear();
        self.printed.clear();
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
    type Memory<'a> = Near;
    const TELLS: bool = false;

    fn groups(tables: &mut Tables) -> &mut Groups<Self> {
        &mut tables.blind
    }

    fn choose(seen: &[Seen]) -> Option<Choice<Self>> {
        grouping::choose(seen)
    }
}

impl Access for Near {
    #[inline(always)]
    fn load<const LENGTH: u32>(&mut self, address: u32) -> Option<u32> {
        Self::load::<LENGTH>(self, address)
    }

    #[inline(always)]
    fn store<const LENGTH: u32>(&mut self, address: u32, value: u32, note: u8) -> bool {
        Self::store::<LENGTH>(self, address, value, note)
    }
}

impl Looker for Blind {
    type Hook = Self;

    fn see(&mut self, _: &Report, _: &State) -> ControlFlow<()> {
        ControlFlow::Continue(())
    }

    fn along<R>(
        &mut self,
        near: &mut Near,
        _: (&mut Report, &mut Vec<Came>),
        _: Begin<'_>,
        run: impl FnOnce(&mut Near) -> R,
    ) -> R {
        run(near)
    }
}

// ---- an observer

/// An observer is told.
#[derive(Debug)]
pub(super) struct Told;

/// An observer, and whether it wants to know of writes, and of reads.
pub(super) struct Observing<'a> {
    pub(super) see: See<'a>,
    pub(super) wants: [bool; 2],
}

/// Memory, and the observer that is told what is done to it.
pub(super) struct Telling<'a> {
    near: &'a mut Near,
    see: See<'a>,
    wants: [bool; 2],
    report: &'a mut Report,
    came: &'a mut Vec<Came>,
    timer: &'a Timer,
}

impl Looker for Observing<'_> {
    type Hook = Told;

    fn see(&mut self, report: &Report, _: &State) -> ControlFlow<()> {
        (self.see)(report)
    }

    fn along<R>(
        &mut self,
        near: &mut Near,
        (report, came): (&mut Report, &mut Vec<Came>),
        begin: Begin<'_>,
        run: impl FnOnce(&mut Telling<'_>) -> R,
    ) -> R {
        report.begin_instructions();
        (report.length, report.flags) = (4, FlagsChange::default());
        run(&mut Telling { near, see: &mut *self.see, wants: self.wants, report, came, timer: begin.timer })
    }
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
        let report = &mut *memory.report;
        (report.step, report.cycles) = (StepNo(steps.wrapping_sub(1)), turn.cycles());
        (report.pc, report.next) = (Addr(core.at_place(group.place)), Addr(core.at_place(turn.place)));
        report.expired = memory.timer.expires_between(cycles.wrapping_sub(report.cycles), cycles);
        report.depth = core.routines.frames().list().len();
        report.take_came(memory.came);
        (memory.see)(report).is_continue()
    }
}

impl Access for Telling<'_> {
    #[inline(always)]
    fn load<const LENGTH: u32>(&mut self, address: u32) -> Option<u32> {
        let value = self.near.load::<LENGTH>(address)?;
        if self.wants[1] {
            self.report.reads.push((Addr(address), LENGTH));
        }
        Some(value)
    }

    #[inline(never)]
    fn store<const LENGTH: u32>(&mut self, address: u32, value: u32, note: u8) -> bool {
        let (old, was_known) = self.near.at_hand::<LENGTH>(address);
        let done = self.near.store::<LENGTH>(address, value, note);
        if done && self.wants[0] {
            let new = if LENGTH == 4 { value } else { value & ((1 << (8 * LENGTH)) - 1) };
            self.report.writes.push(Write::Memory { address: Addr(address), length: LENGTH, old, new, was_known });
        }
        done
    }

    #[inline(always)]
    fn begins(&mut self, word: u32) {
        self.report.begin();
        self.report.code = [word, 0];
    }

    #[inline(always)]
    fn wrote(&mut self, register: u8, old: u32, new: u32) {
        if self.wants[0] && register != NOWHERE {
            self.report.writes.push(Write::Register { register: Reg(register), old, new, was_known: true });
        }
    }

    #[inline(always)]
    fn returns(&mut self) {
        self.report.returned = true;
    }
}
