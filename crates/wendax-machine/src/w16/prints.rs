//! Looking for states that repeat: the fingerprint of each state is shown to [`Repeats`], in groups and without.

#![expect(clippy::inline_always, reason = "functions of groups are made of these")]

use super::Machine;
use super::alu::Flags;
use super::hook::{Access, Begin, Hook, Tables};
use super::plain::{Exit, Limits};
use super::swift::{Core, Group, Groups, address_of};
use super::trace::{Done, Swift, Trace};
use crate::memory::Planes;
use crate::repeats::{Print, Repeats};
use crate::swift::Turn;
use std::ops::ControlFlow;
use wendax_isa::w16::I;

/// Shows the fingerprint of each state to [`Repeats`].
pub(super) struct Prints<'a> {
    pub(super) repeats: &'a mut Repeats,
}

fn print_of(registers: &[u16]) -> Print {
    Print::new(registers.iter().map(|register| u64::from(*register)))
}

/// What else there is of a state that may repeat.
#[inline(always)]
fn place_of(pc: u16, flags: u16) -> u64 {
    u64::from(pc) << 16 | u64::from(flags)
}

impl Trace for Prints<'_> {
    const WRITES: bool = false;
    const STEPS: bool = true;
    const WATCHES: bool = false;
    const LOOKS: bool = true;

    #[inline]
    fn end(&mut self, done: &Done<'_>) -> ControlFlow<()> {
        self.repeats.see(done.step + 1, print_of(done.registers).at(place_of(done.next, done.flags)))
    }

    fn go(&mut self, machine: &mut Machine, limits: Limits) -> Exit {
        machine.go_swiftly(limits, self)
    }
}

/// Fingerprints are taken.
#[derive(Debug)]
pub(super) struct Printed;

/// Memory, and the fingerprint of what the state is.
pub(super) struct Printing<'a> {
    planes: &'a mut Planes,
    repeats: &'a mut Repeats,
    print: Print,
    flags: u16,
}

impl Hook for Printed {
    type Memory<'a> = Printing<'a>;
    const TELLS: bool = true;

    fn groups(tables: &mut Tables) -> &mut Groups<Self> {
        &mut tables.printed
    }

    #[inline(never)]
    fn ended(core: &mut Core, memory: &mut Printing<'_>, _: &Group<Self>, turn: Turn) -> bool {
        let (step, _) = core.routines.now(turn.left);
        memory.repeats.see(step, memory.print.at(place_of(address_of(turn.place), memory.flags))).is_continue()
    }
}

impl Access for Printing<'_> {
    #[inline(always)]
    fn planes(&mut self) -> &mut Planes {
        self.planes
    }

    #[inline(always)]
    fn wrote(&mut self, register: usize, old: u16, new: u16) {
        self.print.wrote(register, old.into(), new.into());
    }

    #[inline(always)]
    fn flagged(&mut self, flags: Flags) {
        self.flags = self.flags & I | flags.bits();
    }
}

impl Swift for Prints<'_> {
    type Hook = Printed;

    fn along<R>(&mut self, planes: &mut Planes, begin: Begin<'_>, run: impl FnOnce(&mut Printing<'_>) -> R) -> R {
        let print = print_of(begin.registers);
        run(&mut Printing { planes, repeats: &mut *self.repeats, print, flags: begin.flags })
    }
}
