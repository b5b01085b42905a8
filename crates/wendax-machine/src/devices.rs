//! Device registers: console, timer, lamps, levers, digits, mapped onto console and board.
//!
//! What each does is the same for all machines. A register is told by its *place*: its offset in a page of words of two
//! bytes; where that page lies, and how wide its words are, is the machine's. Looking at memory as a person does goes
//! through [`value`], which has no effect.

use crate::activity::Deed;
use crate::board::Board;
use crate::console::{Console, Tape};

/// Places of registers.
pub(crate) mod at {
    pub(crate) const TRAP_NUMBER: u16 = 0x00;
    pub(crate) const TRAP_ADDRESS: u16 = 0x02;
    pub(crate) const TRAP_DETAIL: u16 = 0x04;
    pub(crate) const CYCLES_LOW: u16 = 0x08;
    pub(crate) const CYCLES_HIGH: u16 = 0x0A;
    pub(crate) const CONSOLE_STATE: u16 = 0x10;
    pub(crate) const CONSOLE_DATA: u16 = 0x12;
    pub(crate) const TIMER_COUNT: u16 = 0x20;
    pub(crate) const TIMER_PERIOD: u16 = 0x22;
    pub(crate) const TIMER_CONTROL: u16 = 0x24;
    pub(crate) const LAMPS: u16 = 0x30;
    pub(crate) const LEVERS: u16 = 0x32;
    pub(crate) const LEVER_MASK: u16 = 0x34;
    pub(crate) const DIGIT_0: u16 = 0x38;
    pub(crate) const DIGIT_3: u16 = 0x3E;
}

const RUN: u16 = 1;
const INTERRUPT: u16 = 2;
const EXPIRED: u16 = 4;
const KEY_WAITS: u16 = 1;
const READY: u16 = 2;
const ENDED: u16 = 4;
const KEY_INTERRUPT: u16 = 16;

/// What a device register shows.
pub(crate) fn value(board: &Board, console: &Console, tape: &Tape, cycles: u64, place: u16) -> u16 {
    let bit = |on: bool, bit: u16| if on { bit } else { 0 };
    let low = |number: u64| u16::try_from(number & 0xFFFF).unwrap_or(0);
    match place {
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
        at::DIGIT_0..=at::DIGIT_3 => board.digits[digit(place)].into(),
        _ => 0,
    }
}

/// What a program that loads a register looks at, when that changes by itself.
pub(crate) fn looks_at(place: u16) -> Option<Deed> {
    match place {
        at::CYCLES_LOW | at::CYCLES_HIGH | at::TIMER_COUNT => Some(Deed::Worked),
        // It stays the same from one expiry to the next.
        at::TIMER_CONTROL => Some(Deed::Timer),
        at::CONSOLE_STATE | at::CONSOLE_DATA => Some(Deed::Console),
        at::LEVERS => Some(Deed::Levers),
        _ => None,
    }
}

/// Storing to a register does nothing but set what is read back of it.
pub(crate) fn only_shows(place: u16) -> bool {
    matches!(place, at::CONSOLE_STATE | at::LAMPS | at::LEVERS | at::LEVER_MASK | at::DIGIT_0..=at::DIGIT_3)
}

/// A program loaded a register: a key that was read is taken.
pub(crate) fn loaded(console: &mut Console, place: u16) {
    if place == at::CONSOLE_DATA && console.waiting() > 0 {
        console.read += 1;
    }
}

/// A program stores to a register; true when its low byte is to be printed.
pub(crate) fn store(board: &mut Board, cycles: u64, place: u16, value: u16) -> bool {
    match place {
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
        at::DIGIT_0..=at::DIGIT_3 => board.digits[digit(place)] = value.to_le_bytes()[0],
        _ => {}
    }
    false
}

fn digit(place: u16) -> usize {
    usize::from((place - at::DIGIT_0) / 2).min(3)
}
