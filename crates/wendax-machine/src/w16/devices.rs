//! Where the device registers lie, and which interrupts devices ask for.

use super::{Machine, State};
use crate::activity::Deed;
use crate::board::{Board, Interrupt};
use crate::console::{Console, Tape};
use crate::devices;
use wendax_isa::w16::{DEVICE_START, I, Insn, NO_BASE, Op, TARGET};
use wendax_isa::{Addr, DeviceKind};

/// Trap numbers of the interrupts.
pub(super) const TIMER: u8 = 8;
pub(super) const KEY: u8 = 9;
pub(super) const LEVER: u8 = 10;

/// The place of a register.
fn place(address: u16) -> u16 {
    address.wrapping_sub(DEVICE_START)
}

/// What a device register shows.
pub(super) fn value(board: &Board, console: &Console, tape: &Tape, cycles: u64, address: u16) -> u16 {
    devices::value(board, console, tape, cycles, place(address))
}

/// What a device register showed in a state.
pub(super) fn value_in(state: &State, tape: &Tape, address: u16) -> u16 {
    value(&state.common.board, &state.common.console, tape, state.common.cycles, address)
}

/// What a program that loads a register looks at, when that changes by itself.
pub(super) fn looks_at(address: u16) -> Option<Deed> {
    devices::looks_at(place(address))
}

/// Storing to a register does nothing but set what is read back of it.
pub(super) fn only_shows(address: u16) -> bool {
    devices::only_shows(place(address))
}

/// A program loaded a register: a key that was read is taken.
pub(super) fn loaded(console: &mut Console, address: u16) {
    devices::loaded(console, place(address));
}

/// A program stores to a register; true when its low byte is to be printed.
pub(super) fn store(board: &mut Board, cycles: u64, address: u16, value: u16) -> bool {
    devices::store(board, cycles, place(address), value)
}

impl Machine {
    /// What a device register shows, without touching it.
    pub(super) fn device_value(&self, address: u16) -> u16 {
        value_in(&self.state, &self.around.tape, address)
    }

    /// Interrupts that ask now, the most urgent first.
    pub(super) fn asking(&self) -> [Option<u8>; 3] {
        let (board, cycles) = (&self.state.common.board, self.state.common.cycles);
        [
            (board.timer.interrupt && board.timer.expired(cycles)).then_some(TIMER),
            (board.key_interrupt && self.state.common.console.waiting() > 0).then_some(KEY),
            board.lever_moved.then_some(LEVER),
        ]
    }

    /// Interrupts are taken.
    pub(crate) fn interrupts_allowed(&self) -> bool {
        self.state.cpu.flags & I != 0
    }

    /// The interrupts, the most urgent first.
    pub(crate) fn interrupts(&self) -> Vec<Interrupt> {
        let board = &self.state.common.board;
        let is_on = [board.timer.interrupt, board.key_interrupt, board.lever_mask != 0];
        let sources = [(TIMER, DeviceKind::Timer), (KEY, DeviceKind::Console), (LEVER, DeviceKind::Levers)];
        let all = sources.into_iter().zip(is_on).zip(self.asking());
        all.map(|(((number, device), is_on), asks)| {
            let handler = Addr::from(self.vector(number));
            let handler = (handler != Addr::FIRST).then_some(handler);
            Interrupt { number: number.into(), device, is_on, asks: asks.is_some(), handler }
        })
        .collect()
    }

    /// The cycle at which an interrupt was asked for that still asks, when its device knows that: the timer does.
    pub(crate) fn asked_at(&self, number: u32) -> Option<u64> {
        let is_timer = number == u32::from(TIMER);
        self.state.common.board.timer.pending(self.state.common.cycles).1.filter(|_| is_timer)
    }

    /// The code between two addresses names device registers.
    pub(crate) fn names_devices(&self, from: Addr, to: Addr) -> bool {
        let mut at = from;
        while at < to {
            let insn = self.decoded_at(at);
            let is_one = |insn: &Insn| {
                let moves =
                    matches!(insn.op(), Op::Ldw | Op::Stw | Op::Lea) || insn.op() == Op::Mov && insn.b == NO_BASE;
                moves && TARGET.device(insn.value.into()).is_some()
            };
            if insn.as_ref().is_some_and(is_one) {
                return true;
            }
            at += insn.map_or(2, |insn| u32::from(insn.bytes()));
        }
        false
    }

    /// Interrupts that have a handler and may ask some time: timer, key, lever.
    pub(super) fn armed(&self) -> [bool; 3] {
        let board = &self.state.common.board;
        let on = |number: u8| self.memory.word(u16::from(number) * 2) != 0;
        [
            board.timer.may_ask() && on(TIMER),
            board.key_interrupt && on(KEY),
            (board.lever_mask != 0 || board.lever_moved) && on(LEVER),
        ]
    }
}
