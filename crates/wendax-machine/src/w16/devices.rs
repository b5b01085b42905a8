//! Device registers: cycle counter, console, timer, lamps, levers, digits.
//!
//! The timer is never counted tick by tick: its count is computed from the cycle counter when someone
//! looks. Loads of a person looking at memory go through [`Machine::device_value`], which has no effect.

use super::Machine;
use wendax_isa::w16::address as at;

const RUN: u16 = 1;
const INTERRUPT: u16 = 2;
const EXPIRED: u16 = 4;
const KEY_WAITS: u16 = 1;
const READY: u16 = 2;
const KEY_INTERRUPT: u16 = 16;

/// Trap numbers of the interrupts.
const TIMER: u8 = 8;
const KEY: u8 = 9;
const LEVER: u8 = 10;

/// The state of all devices.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Devices {
    trap: [u16; 3],
    key_interrupt: bool,
    timer: Timer,
    /// Sixteen lamps, one a bit.
    pub lamps: u16,
    /// Sixteen levers, one a bit.
    pub levers: u16,
    lever_mask: u16,
    lever_moved: bool,
    /// Segments of the four digits, leftmost first.
    pub digits: [u8; 4],
}

#[derive(Debug, Clone, PartialEq, Eq, Default)]
struct Timer {
    running: bool,
    interrupt: bool,
    /// 0 stands for 65,536.
    period: u16,
    /// While it runs: the cycle at which its count was 0. Else: its count.
    base: u64,
    /// Expiries the program has acknowledged since `base`.
    acknowledged: u64,
    /// It had expired when it was last stopped.
    expired_before: bool,
}

impl Timer {
    fn length(&self) -> u64 {
        if self.period == 0 { 0x1_0000 } else { self.period.into() }
    }

    fn expiries(&self, cycles: u64) -> u64 {
        if self.running { cycles.saturating_sub(self.base) / self.length() } else { 0 }
    }

    fn expired(&self, cycles: u64) -> bool {
        self.expired_before || self.expiries(cycles) > self.acknowledged
    }

    fn count(&self, cycles: u64) -> u16 {
        let count = if self.running { cycles.saturating_sub(self.base) % self.length() } else { self.base };
        u16::try_from(count).unwrap_or(u16::MAX)
    }

    /// Starts counting from `count` anew, keeping whether it has expired.
    fn set(&mut self, cycles: u64, count: u16, running: bool) {
        self.expired_before = self.expired(cycles);
        self.acknowledged = 0;
        self.running = running;
        self.base = if running { cycles.saturating_sub(count.into()) } else { count.into() };
    }

    fn control(&mut self, cycles: u64, value: u16) {
        if value & EXPIRED != 0 {
            self.expired_before = false;
            self.acknowledged = self.expiries(cycles);
        }
        self.interrupt = value & INTERRUPT != 0;
        let running = value & RUN != 0;
        if running != self.running {
            let count = self.count(cycles);
            self.set(cycles, count, running);
        }
    }
}

impl Devices {
    pub(super) fn note_trap(&mut self, number: u8, address: u16, detail: u16) {
        self.trap = [number.into(), address, detail];
    }

    pub(super) fn move_levers(&mut self, levers: u16) {
        self.lever_moved |= (levers ^ self.levers) & self.lever_mask != 0;
        self.levers = levers;
    }

    /// Interrupts that ask now, the most urgent first.
    pub(super) fn pending(&self, cycles: u64, key_waits: bool) -> [Option<u8>; 3] {
        [
            (self.timer.interrupt && self.timer.expired(cycles)).then_some(TIMER),
            (self.key_interrupt && key_waits).then_some(KEY),
            self.lever_moved.then_some(LEVER),
        ]
    }

    /// Interrupts that may ask some time.
    pub(super) fn armed(&self) -> [Option<u8>; 3] {
        let timer = self.timer.interrupt && (self.timer.running || self.timer.expired_before);
        [timer.then_some(TIMER), self.key_interrupt.then_some(KEY), (self.lever_mask != 0).then_some(LEVER)]
    }

    /// An interrupt was taken. The timer and the console go on asking until the program has dealt with
    /// them; a moved lever asks once.
    pub(super) fn taken(&mut self, number: u8) {
        if number == LEVER {
            self.lever_moved = false;
        }
    }

    /// The cycle at which the timer next asks.
    pub(super) fn next_expiry(&self, cycles: u64) -> u64 {
        let timer = &self.timer;
        if !timer.interrupt {
            return u64::MAX;
        }
        if timer.expired(cycles) {
            return cycles;
        }
        if timer.running { timer.base + (timer.expiries(cycles) + 1) * timer.length() } else { u64::MAX }
    }
}

impl Machine {
    /// What a device register shows, without touching it.
    pub(super) fn device_value(&self, address: u16) -> u16 {
        let devices = &self.state.devices;
        let cycles = self.state.cycles;
        let bit = |on: bool, bit: u16| if on { bit } else { 0 };
        let part = |shift: u32| u16::try_from(cycles >> shift & 0xFFFF).unwrap_or(0);
        match address {
            at::TRAP_NUMBER => devices.trap[0],
            at::TRAP_ADDRESS => devices.trap[1],
            at::TRAP_DETAIL => devices.trap[2],
            at::CYCLES_LOW => part(0),
            at::CYCLES_HIGH => part(16),
            at::CONSOLE_STATE => {
                let waits = !self.state.console.pending.is_empty();
                bit(waits, KEY_WAITS) | READY | bit(devices.key_interrupt, KEY_INTERRUPT)
            }
            at::CONSOLE_DATA => self.state.console.pending.front().copied().unwrap_or(0).into(),
            at::TIMER_COUNT => devices.timer.count(cycles),
            at::TIMER_PERIOD => devices.timer.period,
            at::TIMER_CONTROL => {
                let timer = &devices.timer;
                bit(timer.running, RUN) | bit(timer.interrupt, INTERRUPT) | bit(timer.expired(cycles), EXPIRED)
            }
            at::LAMPS => devices.lamps,
            at::LEVERS => devices.levers,
            at::LEVER_MASK => devices.lever_mask,
            at::DIGIT_0..=at::DIGIT_3 => devices.digits[digit(address)].into(),
            _ => 0,
        }
    }

    /// A program loads a device register.
    pub(super) fn device_load(&mut self, address: u16) -> u16 {
        let value = self.device_value(address);
        if address == at::CONSOLE_DATA {
            self.state.console.pending.pop_front();
        }
        value
    }

    /// A program stores to a device register.
    pub(super) fn device_store(&mut self, address: u16, value: u16) {
        let cycles = self.state.cycles;
        let devices = &mut self.state.devices;
        match address {
            at::CONSOLE_STATE => devices.key_interrupt = value & KEY_INTERRUPT != 0,
            at::CONSOLE_DATA => self.print(&value.to_le_bytes()[..1]),
            at::TIMER_COUNT => {
                let running = devices.timer.running;
                devices.timer.set(cycles, value, running);
            }
            at::TIMER_PERIOD => {
                let (count, running) = (devices.timer.count(cycles), devices.timer.running);
                devices.timer.set(cycles, count, running);
                devices.timer.period = value;
            }
            at::TIMER_CONTROL => devices.timer.control(cycles, value),
            at::LAMPS => devices.lamps = value,
            at::LEVER_MASK => devices.lever_mask = value,
            at::DIGIT_0..=at::DIGIT_3 => devices.digits[digit(address)] = value.to_le_bytes()[0],
            _ => {}
        }
    }
}

fn digit(address: u16) -> usize {
    usize::from((address - at::DIGIT_0) / 2).min(3)
}
