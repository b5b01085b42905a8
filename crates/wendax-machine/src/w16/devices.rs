//! Device registers: cycle counter, console, timer, lamps, levers, digits, mapped onto console and board.
//!
//! Looking at memory as a person does goes through [`value`], which has no effect.

use super::{Machine, State};
use crate::activity::Deed;
use crate::board::{Board, Interrupt};
use crate::console::{Console, Tape};
use wendax_isa::w16::{Insn, NO_BASE, Op, TARGET, address as at};
use wendax_isa::{Addr, DeviceKind};

const RUN: u16 = 1;
const INTERRUPT: u16 = 2;
const EXPIRED: u16 = 4;
const KEY_WAITS: u16 = 1;
const READY: u16 = 2;
const ENDED: u16 = 4;
const KEY_INTERRUPT: u16 = 16;

/// Trap numbers of the interrupts.
pub(super) const TIMER: u8 = 8;
pub(super) const KEY: u8 = 9;
pub(super) const LEVER: u8 = 10;

/// What a device register shows.
pub(super) fn value(board: &Board, console: &Console, tape: &Tape, cycles: u64, address: u16) -> u16 {
    let bit = |on: bool, bit: u16| if on { bit } else { 0 };
    let low = |number: u64| u16::try_from(number & 0xFFFF).unwrap_or(0);
    match address {
        at::TRAP_NUMBER => low(board.trap[0].into()),
        at::TRAP_ADDRESS => low(board.trap[1].into()),
        at::TRAP_DETAIL => low(board.trap[2].into()),
        at::CYCLES_LOW => low(cycles),
        at::CYCLES_HIGH => low(cycles >> 16),
        at::CONSOLE_STATE => {
            let waits = console.waiting() > 0;
            let interrupt = bit(board.key_interrupt, KEY_INTERRUPT);
            bit(waits, KEY_WAITS) | READY | bit(console.ended && !waits, ENDED) | interrupt
        }
        at::CONSOLE_DATA => tape.waiting(console).first().copied().unwrap_or(0).into(),
        at::TIMER_COUNT => board.timer.count(cycles),
        at::TIMER_PERIOD => board.timer.period,
        at::TIMER_CONTROL => {
            let timer = &board.timer;
            bit(timer.running, RUN) | bit(timer.interrupt, INTERRUPT) | bit(timer.expired(cycles), EXPIRED)
        }
        at::LAMPS => board.lamps,
        at::LEVERS => board.levers,
        at::LEVER_MASK => board.lever_mask,
        at::DIGIT_0..=at::DIGIT_3 => board.digits[digit(address)].into(),
        _ => 0,
    }
}

/// What a device register showed in a state.
pub(super) fn value_in(state: &State, tape: &Tape, address: u16) -> u16 {
    value(&state.board, &state.console, tape, state.cycles, address)
}

/// What a program that loads a register looks at, when that changes by itself.
pub(super) fn looks_at(address: u16) -> Option<Deed> {
    match address {
        at::CYCLES_LOW | at::CYCLES_HIGH | at::TIMER_COUNT => Some(Deed::Worked),
        // It stays the same from one expiry to the next.
        at::TIMER_CONTROL => Some(Deed::Timer),
        at::CONSOLE_STATE | at::CONSOLE_DATA => Some(Deed::Console),
        at::LEVERS => Some(Deed::Levers),
        _ => None,
    }
}

/// Storing to a register does nothing but set what is read back of it.
pub(super) fn only_shows(address: u16) -> bool {
    matches!(address, at::CONSOLE_STATE | at::LAMPS | at::LEVERS | at::LEVER_MASK | at::DIGIT_0..=at::DIGIT_3)
}

/// A program loaded a register: a key that was read is taken.
pub(super) fn loaded(console: &mut Console, address: u16) {
    if address == at::CONSOLE_DATA && console.waiting() > 0 {
        console.read += 1;
    }
}

/// A program stores to a register; true when its low byte is to be printed.
pub(super) fn store(board: &mut Board, cycles: u64, address: u16, value: u16) -> bool {
    match address {
        at::CONSOLE_STATE => board.key_interrupt = value & KEY_INTERRUPT != 0,
        at::CONSOLE_DATA => return true,
        at::TIMER_COUNT => {
            let running = board.timer.running;
            board.timer.set(cycles, value, running);
        }
        at::TIMER_PERIOD => board.timer.set_period(cycles, value),
        at::TIMER_CONTROL => {
            board.timer.control(cycles, value & RUN != 0, value & INTERRUPT != 0, value & EXPIRED != 0);
        }
        at::LAMPS => board.lamps = value,
        at::LEVER_MASK => board.lever_mask = value,
        at::DIGIT_0..=at::DIGIT_3 => board.digits[digit(address)] = value.to_le_bytes()[0],
        _ => {}
    }
    false
}

fn digit(address: u16) -> usize {
    usize::from((address - at::DIGIT_0) / 2).min(3)
}

impl Machine {
    /// What a device register shows, without touching it.
    pub(super) fn device_value(&self, address: u16) -> u16 {
        value_in(&self.state, &self.tape, address)
    }

    /// Interrupts that ask now, the most urgent first.
    pub(super) fn asking(&self) -> [Option<u8>; 3] {
        let (board, cycles) = (&self.state.board, self.state.cycles);
        [
            (board.timer.interrupt && board.timer.expired(cycles)).then_some(TIMER),
            (board.key_interrupt && self.state.console.waiting() > 0).then_some(KEY),
            board.lever_moved.then_some(LEVER),
        ]
    }

    /// The interrupts, the most urgent first.
    pub fn interrupts(&self) -> Vec<Interrupt> {
        let board = &self.state.board;
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
    pub fn asked_at(&self, number: u32) -> Option<u64> {
        let is_timer = number == u32::from(TIMER);
        self.state.board.timer.pending(self.state.cycles).1.filter(|_| is_timer)
    }

    /// How often the timer has expired since that was acknowledged last.
    pub fn times_asked(&self) -> u64 {
        self.state.board.timer.pending(self.state.cycles).0
    }

    /// The levers that were moved last were among those that ask for an interrupt.
    pub fn moved_a_masked_lever(&self) -> bool {
        self.state.board.moved_masked
    }

    /// The code between two addresses names device registers.
    pub fn names_devices(&self, from: Addr, to: Addr) -> bool {
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
        let board = &self.state.board;
        let on = |number: u8| self.memory.word(u16::from(number) * 2) != 0;
        [
            board.timer.may_ask() && on(TIMER),
            board.key_interrupt && on(KEY),
            (board.lever_mask != 0 || board.lever_moved) && on(LEVER),
        ]
    }
}
