//! The board: timer, lamps, levers, digits, and what the last trap left.
//!
//! A machine maps its device registers onto these. The timer is never counted tick by tick: its count is computed from
//! the cycle counter when someone looks.

use wendax_isa::{Addr, DeviceKind};

/// An interrupt as it stands at a moment.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Interrupt {
    /// Its number.
    pub number: u32,
    /// The device that asks for it.
    pub device: DeviceKind,
    /// Its device is set to ask for it.
    pub is_on: bool,
    /// Its device asks for it now.
    pub asks: bool,
    /// Where its handler begins; none while its vector is 0.
    pub handler: Option<Addr>,
}

/// How many levers there are, and how many lamps.
pub const LEVERS: u32 = 16;

/// The state of the board.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Board {
    /// Number of the last trap, the address it was about, and its detail.
    pub(crate) trap: [u32; 3],
    pub(crate) key_interrupt: bool,
    pub(crate) timer: Timer,
    /// Sixteen lamps, one a bit.
    pub lamps: u16,
    /// Sixteen levers, one a bit.
    pub levers: u16,
    /// Levers whose change asks for an interrupt.
    pub(crate) lever_mask: u16,
    pub(crate) lever_moved: bool,
    /// The levers moved last were among those that ask.
    pub(crate) moved_masked: bool,
    /// Segments of the four digits, leftmost first.
    pub digits: [u8; 4],
}

impl Board {
    /// Cycles in which the timer's count goes round once, 1 to 65,536.
    pub fn timer_cycles(&self) -> u64 {
        self.timer.length()
    }

    /// So many cycles behind a moment, which is so many behind the start, the timer asks for its interrupt; `None` when it does
    /// not by itself.
    pub fn timer_asks_in(&self, cycles: u64) -> Option<u64> {
        let next = self.timer.next_expiry(cycles);
        (next < u64::MAX).then(|| next.saturating_sub(cycles))
    }

    pub(crate) fn move_levers(&mut self, levers: u16) {
        self.moved_masked = (levers ^ self.levers) & self.lever_mask != 0;
        self.lever_moved |= self.moved_masked;
        self.levers = levers;
    }

    /// What matters of it for what happens next when nobody looks at the timer, as numbers: where a timer that runs
    /// stands is left out, since that is a matter of cycles.
    pub(crate) fn without_time(&self) -> [u64; 6] {
        let bit = |on: bool, place: u32| u64::from(on) << place;
        let timer = &self.timer;
        [
            u64::from(self.trap[0]) << 32 | u64::from(self.trap[1]),
            u64::from(self.trap[2]) << 32 | u64::from(u32::from_le_bytes(self.digits)),
            u64::from(self.lamps) << 48 | u64::from(self.levers) << 32 | u64::from(self.lever_mask) << 16,
            u64::from(timer.period) << 16,
            if timer.running { 0 } else { timer.base },
            bit(self.key_interrupt, 0)
                | bit(self.lever_moved, 1)
                | bit(timer.running, 2)
                | bit(timer.interrupt, 3)
                | bit(timer.expired_before && !timer.running, 4),
        ]
    }
}

#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct Timer {
    pub(crate) running: bool,
    pub(crate) interrupt: bool,
    /// 0 stands for 65,536.
    pub(crate) period: u16,
    /// While it runs: the cycle at which its count was 0, less than no cycle when it was set ahead early in the run (wrapped around).
    /// Else: its count.
    base: u64,
    /// Expiries the program has acknowledged since `base`.
    acknowledged: u64,
    /// It had expired when it was last stopped.
    expired_before: bool,
}

impl Timer {
    #[inline]
    fn length(&self) -> u64 {
        if self.period == 0 { 0x1_0000 } else { self.period.into() }
    }

    /// Cycles since the count was 0; `base` may lie before the start of the run, wrapped around.
    #[inline]
    fn elapsed(&self, cycles: u64) -> u64 {
        cycles.wrapping_sub(self.base)
    }

    fn expiries(&self, cycles: u64) -> u64 {
        if self.running { self.elapsed(cycles) / self.length() } else { 0 }
    }

    pub(crate) fn expired(&self, cycles: u64) -> bool {
        self.expired_before || self.expiries(cycles) > self.acknowledged
    }

    pub(crate) fn count(&self, cycles: u64) -> u16 {
        let count = if self.running { self.elapsed(cycles) % self.length() } else { self.base };
        u16::try_from(count).unwrap_or(u16::MAX)
    }

    /// Starts counting from `count` anew, keeping whether it has expired.
    pub(crate) fn set(&mut self, cycles: u64, count: u16, running: bool) {
        self.expired_before = self.expired(cycles);
        self.running = running;
        self.base = if running { cycles.wrapping_sub(count.into()) } else { count.into() };
        // A count set at or above the period has not expired by that.
        self.acknowledged = self.expiries(cycles);
    }

    pub(crate) fn set_period(&mut self, cycles: u64, period: u16) {
        let (count, running) = (self.count(cycles), self.running);
        self.expired_before = self.expired(cycles);
        self.period = period;
        self.running = false;
        self.set(cycles, count, running);
    }

    /// Runs or stops, with or without interrupts; `clear` takes back that it has expired.
    pub(crate) fn control(&mut self, cycles: u64, running: bool, interrupt: bool, clear: bool) {
        if clear {
            self.expired_before = false;
            self.acknowledged = self.expiries(cycles);
        }
        self.interrupt = interrupt;
        if running != self.running {
            let count = self.count(cycles);
            self.set(cycles, count, running);
        }
    }

    /// The cycle of its next expiry, whether or not it asks then.
    #[inline]
    pub(crate) fn next_change(&self, cycles: u64) -> u64 {
        if !self.running {
            return u64::MAX;
        }
        let left = self.length() - self.elapsed(cycles) % self.length();
        cycles.saturating_add(left)
    }

    /// How often it has expired and was not acknowledged, and the cycle at which it did first, as far as that is known.
    pub(crate) fn pending(&self, cycles: u64) -> (u64, Option<u64>) {
        let expiries = self.expiries(cycles).saturating_sub(self.acknowledged);
        let first = self.base.wrapping_add((self.acknowledged + 1).wrapping_mul(self.length()));
        match (self.expired_before, expiries) {
            (true, _) => (expiries + 1, None),
            (false, 0) => (0, None),
            (false, _) => (expiries, Some(first)),
        }
    }

    /// It expires behind a cycle, and not behind another, later one.
    #[inline]
    pub(crate) fn expires_between(&self, from: u64, to: u64) -> bool {
        self.running && self.next_change(from) <= to
    }

    /// It may ask some time.
    pub(crate) fn may_ask(&self) -> bool {
        self.interrupt && (self.running || self.expired_before)
    }

    /// The cycle at which it next asks.
    pub(crate) fn next_expiry(&self, cycles: u64) -> u64 {
        if !self.interrupt {
            return u64::MAX;
        }
        if self.expired(cycles) {
            return cycles;
        }
        self.next_change(cycles)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_count_set_before_so_many_cycles_have_passed_is_kept() {
        let mut timer = Timer::default();
        timer.set(12, 40_000, false);
        timer.control(20, true, false, false);
        assert_eq!(timer.count(29), 40_009, "it read 9");
        assert!(!timer.expired(29));
        assert!(timer.expired(20 + 0x1_0000 - 40_000));
    }

    #[test]
    fn the_timer_expires_once_a_period_and_asks_until_it_is_answered() {
        let mut timer = Timer::default();
        timer.set_period(100, 50);
        timer.control(100, true, true, false);
        assert_eq!((timer.next_expiry(100), timer.next_expiry(149)), (150, 150));
        assert_eq!(timer.next_expiry(163), 163, "it asks now");
        timer.control(170, true, true, true);
        assert_eq!((timer.expired(170), timer.next_expiry(170)), (false, 200));
    }
}
