//! Looking for states that repeat: the fingerprint of each state is shown to [`Repeats`], in groups and without.

use super::hook::{Access, Begin, Hook, Looker, Tables};
use super::memory::Near;
use super::swift::{Core, Group, Groups};
use super::{Cpu, State};
use crate::repeats::{Print, Repeats};
use crate::report::{Came, Report};
use crate::swift::Turn;
use std::ops::ControlFlow;

/// Shows the fingerprint of each state to [`Repeats`].
pub(super) struct Prints<'a>(pub(super) &'a mut Repeats);

fn print_of(registers: &[u32]) -> Print {
    Print::new(registers.iter().map(|register| u64::from(*register)))
}

/// The fingerprint of a state.
pub(super) fn fingerprint(cpu: &Cpu) -> u64 {
    print_of(&cpu.registers).at(cpu.pc.into())
}

/// Fingerprints are taken.
#[derive(Debug)]
pub(super) struct Printed;

/// Memory, and the fingerprint of what the state is.
pub(super) struct Printing<'a> {
    near: &'a mut Near,
    repeats: &'a mut Repeats,
    print: Print,
}

impl Looker for Prints<'_> {
    type Hook = Printed;

    fn see(&mut self, _: &Report, state: &State) -> ControlFlow<()> {
        self.0.see(state.common.steps, fingerprint(&state.cpu))
    }

    fn along<R>(
        &mut self,
        near: &mut Near,
        _: (&mut Report, &mut Vec<Came>),
        begin: Begin<'_>,
        run: impl FnOnce(&mut Printing<'_>) -> R,
    ) -> R {
        run(&mut Printing { near, repeats: &mut *self.0, print: print_of(begin.registers) })
    }
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
        memory.repeats.see(step, memory.print.at(core.at_place(turn.place).into())).is_continue()
    }
}

impl Access for Printing<'_> {
    #[inline]
    fn load<const LENGTH: u32>(&mut self, address: u32) -> Option<u32> {
        self.near.load::<LENGTH>(address)
    }

    #[inline]
    fn store<const LENGTH: u32>(&mut self, address: u32, value: u32, note: u8) -> bool {
        self.near.store::<LENGTH>(address, value, note)
    }

    #[inline]
    fn wrote(&mut self, register: u8, old: u32, new: u32) {
        self.print.wrote(register.into(), old.into(), new.into());
    }
}
