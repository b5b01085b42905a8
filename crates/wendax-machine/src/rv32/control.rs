//! Control and status registers of machine mode, and the interrupts that wait.
//!
//! Source: the RISC-V Instruction Set Manual, volume II, machine mode 1.12; what the standard leaves open is the
//! contract's: see `docs/instruction-set-rv32.md`.

use super::Machine;
use crate::board::Interrupt;
use wendax_isa::rv32::{Op, csr_name};
use wendax_isa::{Addr, DeviceKind};

/// Interrupts allowed, now and before the last trap, in `mstatus`.
const MIE: u32 = 1 << 3;
const MPIE: u32 = 1 << 7;
/// The mode before the last trap: always machine mode.
const MPP: u32 = 3 << 11;
/// 32 bits, I and M, in `misa`.
const MISA: u32 = 1 << 30 | 1 << 8 | 1 << 12;

/// The interrupts by number, the most urgent first.
pub(super) const CLOCK: u32 = 7;
pub(super) const TIMER: u32 = 24;
pub(super) const KEY: u32 = 25;
pub(super) const LEVER: u32 = 26;
pub(super) const INTERRUPTS: [(u32, DeviceKind); 4] =
    [(CLOCK, DeviceKind::Cycles), (TIMER, DeviceKind::Timer), (KEY, DeviceKind::Console), (LEVER, DeviceKind::Levers)];
/// Bits of `mie` that hold what is written: of the software and external interrupts too, which nothing asks for.
const ENABLES: u32 = 1 << 3 | 1 << CLOCK | 1 << 11 | 1 << TIMER | 1 << KEY | 1 << LEVER;

/// The control and status registers that hold something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Control {
    /// Interrupts are allowed, and were before the last trap.
    pub(super) allowed: bool,
    pub(super) allowed_before: bool,
    pub(super) mie: u32,
    pub(super) mtvec: u32,
    mscratch: u32,
    pub(super) mepc: u32,
    pub(super) mcause: u32,
    pub(super) mtval: u32,
    /// What `mcycle` and `mtime` show more than cycles have passed.
    cycle_ahead: u64,
    time_ahead: u64,
    /// Instructions done, as `minstret` shows them.
    pub(super) done: u64,
    /// The instruction under way has set `minstret` itself.
    pub(super) done_is_set: bool,
    pub(super) mtimecmp: u64,
}

impl Default for Control {
    fn default() -> Self {
        Self {
            allowed: false,
            allowed_before: false,
            mie: 0,
            mtvec: 0,
            mscratch: 0,
            mepc: 0,
            mcause: 0,
            mtval: 0,
            cycle_ahead: 0,
            time_ahead: 0,
            done: 0,
            done_is_set: false,
            mtimecmp: u64::MAX,
        }
    }
}

/// The low or the high word of a number.
fn half(number: u64, is_high: bool) -> u32 {
    let shifted = if is_high { number >> 32 } else { number & 0xFFFF_FFFF };
    u32::try_from(shifted).unwrap_or(0)
}

/// A number of which one word is another one.
fn with_half(number: u64, is_high: bool, word: u32) -> u64 {
    if is_high { u64::from(word) << 32 | number & 0xFFFF_FFFF } else { number & !0xFFFF_FFFF | u64::from(word) }
}

impl Control {
    /// What the clock shows.
    pub(super) fn time(&self, cycles: u64) -> u64 {
        cycles.wrapping_add(self.time_ahead)
    }

    /// A word of the clock, as a device register.
    pub(super) fn time_half(&self, cycles: u64, is_high: bool) -> u32 {
        half(self.time(cycles), is_high)
    }

    pub(super) fn set_time_half(&mut self, cycles: u64, is_high: bool, word: u32) {
        self.time_ahead = with_half(self.time(cycles), is_high, word).wrapping_sub(cycles);
    }

    pub(super) fn compare_half(&self, is_high: bool) -> u32 {
        half(self.mtimecmp, is_high)
    }

    pub(super) fn set_compare_half(&mut self, is_high: bool, word: u32) {
        self.mtimecmp = with_half(self.mtimecmp, is_high, word);
    }

    fn status(&self) -> u32 {
        let bit = |on: bool, bit: u32| if on { bit } else { 0 };
        MPP | bit(self.allowed, MIE) | bit(self.allowed_before, MPIE)
    }

    /// Numbers that stand for all of it that does not count time.
    pub(super) fn words(&self) -> [u32; 7] {
        [self.status(), self.mie, self.mtvec, self.mscratch, self.mepc, self.mcause, self.mtval]
    }
}

impl Machine {
    /// What a control and status register shows before the present instruction; `None` where there is none of this number.
    pub(super) fn control_value(&self, number: u16) -> Option<u32> {
        let (control, cycles) = (&self.state.cpu.control, self.state.common.cycles);
        let count = cycles.wrapping_add(control.cycle_ahead);
        Some(match number {
            0x300 => control.status(),
            0x301 => MISA,
            0x304 => control.mie,
            0x305 => control.mtvec,
            0x340 => control.mscratch,
            0x341 => control.mepc,
            0x342 => control.mcause,
            0x343 => control.mtval,
            0x344 => self.pending(),
            0xB00 | 0xC00 => half(count, false),
            0xB80 | 0xC80 => half(count, true),
            0xC01 => control.time_half(cycles, false),
            0xC81 => control.time_half(cycles, true),
            0xB02 | 0xC02 => half(control.done, false),
            0xB82 | 0xC82 => half(control.done, true),
            _ => {
                // The others that there are read 0.
                csr_name(number)?;
                0
            }
        })
    }

    /// Writes a control and status register that may be written. An instruction of one cycle does; what it writes is there
    /// behind it.
    pub(super) fn set_control(&mut self, number: u16, value: u32) {
        let behind = self.state.common.cycles + 1;
        let control = &mut self.state.cpu.control;
        match number {
            0x300 => (control.allowed, control.allowed_before) = (value & MIE != 0, value & MPIE != 0),
            0x304 => control.mie = value & ENABLES,
            // Direct or vectored.
            0x305 => control.mtvec = value & !2,
            0x340 => control.mscratch = value,
            0x341 => control.mepc = value & !3,
            0x342 => control.mcause = value,
            0x343 => control.mtval = value,
            0xB00 | 0xB80 => {
                let now = self.state.common.cycles.wrapping_add(control.cycle_ahead);
                control.cycle_ahead = with_half(now, number == 0xB80, value).wrapping_sub(behind);
            }
            0xB02 | 0xB82 => {
                control.done = with_half(control.done, number == 0xB82, value);
                control.done_is_set = true;
            }
            _ => {}
        }
    }

    /// The interrupts that wait, as `mip` shows them.
    pub(super) fn pending(&self) -> u32 {
        let (common, control) = (&self.state.common, &self.state.cpu.control);
        let timer = common.board.timer.interrupt && common.board.timer.expired(common.cycles);
        let key = common.board.key_interrupt && common.console.waiting() > 0;
        let bit = |on: bool, number: u32| if on { 1 << number } else { 0 };
        bit(control.time(common.cycles) >= control.mtimecmp, CLOCK)
            | bit(timer, TIMER)
            | bit(key, KEY)
            | bit(common.board.lever_moved, LEVER)
    }

    /// The interrupt that is taken before the next instruction.
    pub(super) fn interrupt_next(&self) -> Option<u32> {
        let control = &self.state.cpu.control;
        if !control.allowed || control.mtvec == 0 || control.mie == 0 {
            return None;
        }
        let now = self.pending() & control.mie;
        INTERRUPTS.iter().map(|(number, _)| *number).find(|number| now >> number & 1 != 0)
    }

    /// The cycle at which one that is enabled next asks by the passing of time alone, as far as nothing is done about it.
    pub(super) fn quiet_until(&self) -> u64 {
        let next = self.time_brings().into_iter().filter_map(|(_, left)| left).min();
        next.map_or(u64::MAX, |left| self.state.common.cycles.saturating_add(left))
    }

    /// What the passing of time alone will interrupt by, of what is enabled, each with the cycles until it asks.
    pub(crate) fn time_brings(&self) -> [(&'static str, Option<u64>); 2] {
        let (common, control) = (&self.state.common, &self.state.cpu.control);
        let is_on = |number: u32| control.mie >> number & 1 != 0;
        let timer = common.board.timer_asks_in(common.cycles).filter(|_| is_on(TIMER));
        let left = control.mtimecmp.saturating_sub(control.time(common.cycles));
        [("timer", timer), ("clock", is_on(CLOCK).then_some(left))]
    }

    /// Passes over what is waited for by an instruction that does nothing else, up to a step and a cycle: each of its cycles
    /// is a step, and all of them leave the same state but for what counts. What only someone outside could end is not
    /// passed over.
    pub(super) fn pass_wait(&mut self, until: u64, horizon: u64) {
        let (enabled, steps, cycles) = (self.state.cpu.control.mie, self.state.common.steps, self.state.common.cycles);
        let is_waiting = enabled != 0
            && self.pending() & enabled == 0
            && self.quiet_until() < u64::MAX
            && self.fetch().is_ok_and(|next| next.insn.op() == Op::Wfi);
        if is_waiting {
            let passed = until.saturating_sub(steps).min(horizon.saturating_sub(cycles));
            self.state.common.steps += passed;
            self.state.common.cycles += passed;
            self.around.passed += passed;
        }
    }

    /// Interrupts that may ask some time and have a handler, or need none since they are waited for: clock, timer, key,
    /// lever.
    pub(super) fn armed(&self, waits: bool) -> [bool; 4] {
        let (board, control) = (&self.state.common.board, &self.state.cpu.control);
        let on = |number: u32| (waits || control.mtvec != 0) && control.mie >> number & 1 != 0;
        [
            control.mtimecmp != u64::MAX && on(CLOCK),
            board.timer.may_ask() && on(TIMER),
            board.key_interrupt && on(KEY),
            (board.lever_mask != 0 || board.lever_moved) && on(LEVER),
        ]
    }

    /// The next step is the entry of an interrupt.
    pub(crate) fn interrupt_comes(&self) -> bool {
        self.interrupt_next().is_some()
    }

    /// The instruction that arrives at this moment.
    pub(crate) fn arrives(&self) -> Option<Addr> {
        (self.state.common.finished.is_none() && !self.interrupt_comes()).then(|| self.pc())
    }

    pub(crate) fn interrupts_allowed(&self) -> bool {
        self.state.cpu.control.allowed
    }

    pub(crate) fn interrupts(&self) -> Vec<Interrupt> {
        let (control, asking) = (&self.state.cpu.control, self.pending());
        let all = INTERRUPTS.iter().map(|&(number, device)| Interrupt {
            number,
            device,
            is_on: control.mie >> number & 1 != 0,
            asks: asking >> number & 1 != 0,
            handler: Some(Addr(control.mtvec & !3)).filter(|_| control.mtvec != 0),
        });
        all.collect()
    }

    pub(crate) fn asked_at(&self, number: u32) -> Option<u64> {
        let (common, control) = (&self.state.common, &self.state.cpu.control);
        match number {
            TIMER => common.board.timer.pending(common.cycles).1,
            CLOCK if control.time(common.cycles) >= control.mtimecmp => {
                common.cycles.checked_sub(control.time(common.cycles) - control.mtimecmp)
            }
            _ => None,
        }
    }
}
