//! Traps: faults, `brk`, and interrupts.
//!
//! Entering a trap is a step of its own, except for `brk` and `sys`, whose entry belongs to their own
//! step. A fault with a zero vector stops the run with nothing changed.

use super::slots::Slot;
use super::trace::Trace;
use super::{ENTRY, Machine, NOTE_FLAGS, NOTE_RETURN};
use crate::activity::Deed;
use crate::events::Stop;
use crate::fault::FaultKind;
use crate::frames::{Frame, FrameKind};
use crate::memory::WRITE;
use crate::report::{StepKind, Write};
use std::ops::ControlFlow;
use wendax_isa::w16::{I, SP, TRAP_CYCLES, address};
use wendax_isa::{Addr, Reg, StepNo};

/// What entering a trap is given.
#[derive(Debug, Clone, Copy)]
pub(super) struct Entry {
    pub(super) number: u8,
    /// The instruction that enters it, or before which it comes.
    pub(super) site: u16,
    /// Where it returns to.
    pub(super) back: u16,
    /// What is left in the registers that tell of the last trap: address and detail.
    pub(super) about: [u16; 2],
    pub(super) is_interrupt: bool,
}

/// The number of a fault's trap.
pub(super) fn trap_of(kind: FaultKind) -> u32 {
    match kind {
        FaultKind::Illegal { .. } => 1,
        FaultKind::Misaligned { .. } => 2,
        FaultKind::Read { .. } | FaultKind::Write { .. } | FaultKind::Execute { .. } | FaultKind::DeviceByte { .. } => {
            3
        }
        FaultKind::DivideByZero => 4,
        FaultKind::TrapEntry { number, .. } => number,
    }
}

impl Machine {
    pub(super) fn vector(&self, number: u8) -> u16 {
        self.memory.word(u16::from(number) * 2)
    }

    /// A fault: enters its trap as a step, or stops the run.
    pub(super) fn fault<T: Trace>(&mut self, kind: FaultKind, trace: &mut T) -> Option<Stop> {
        let pc = self.state.cpu.pc;
        let number = u8::try_from(trap_of(kind)).unwrap_or(0);
        if self.vector(number) == 0 {
            return Some(Stop::Fault(self.fault_of(kind)));
        }
        let detail = if let FaultKind::Illegal { word } = kind { super::word(word) } else { 0 };
        let about = [kind.address().map_or(pc, super::narrow), detail];
        let entry = Entry { number, site: pc, back: pc, about, is_interrupt: false };
        self.enter_as_step(entry, StepKind::Trap(number.into()), trace)
    }

    /// Enters a trap as a step of its own.
    fn enter_as_step<T: Trace>(&mut self, entry: Entry, kind: StepKind, trace: &mut T) -> Option<Stop> {
        let (step, pc, flags) = (self.state.common.steps, self.state.cpu.pc, self.state.cpu.flags);
        trace.begin(self.code());
        match self.enter_trap(entry, trace) {
            Ok(next) => {
                let flow = self.took(step, kind, (pc, next, 0), TRAP_CYCLES, (flags, I), trace);
                flow.is_break().then_some(Stop::Observed)
            }
            Err(kind) => Some(Stop::Fault(self.fault_of(kind))),
        }
    }

    /// Pushes flags and the way back, forbids interrupts; returns where the handler is. Counts cycles, not the step.
    /// Changes nothing when there is no stack to push to.
    fn enter_trap<T: Trace>(&mut self, entry: Entry, trace: &mut T) -> Result<u16, FaultKind> {
        let Entry { number, site, back, about, is_interrupt } = entry;
        let stack = usize::from(SP);
        let sp = self.state.cpu.registers[stack];
        let (first, second) = (sp.wrapping_sub(2), sp.wrapping_sub(4));
        for address in [first, second] {
            if address & 1 != 0 || !self.memory.all(address, 2, WRITE) {
                return Err(FaultKind::TrapEntry { number: number.into(), address: address.into() });
            }
        }
        let target = self.vector(number);
        for (address, value, note) in [(first, self.state.cpu.flags, NOTE_FLAGS), (second, back, NOTE_RETURN)] {
            if let Some(write) = self.bus().store_word(address, value, note)? {
                trace.write(write);
            }
        }
        let (old, new) = (sp.into(), second.into());
        trace.write(Write::Register { register: Reg(SP), old, new, was_known: true });
        self.state.cpu.registers[stack] = second;
        let number = u32::from(number);
        let frame = Frame {
            slot: second.into(),
            back: back.into(),
            site: site.into(),
            target: target.into(),
            step: StepNo(self.state.common.steps),
            kind: if is_interrupt { FrameKind::Interrupt(number) } else { FrameKind::Trap(number) },
        };
        self.around.calls.enter(&mut self.state.common.frames, frame);
        trace.entered(&frame);
        self.state.cpu.flags &= !I;
        self.state.cpu.flag_writers[2] = ENTRY + 2 * u16::from(entry.number);
        let told = [number, about[0].into(), about[1].into()];
        let places = [address::TRAP_NUMBER, address::TRAP_ADDRESS, address::TRAP_DETAIL];
        for ((old, new), place) in self.state.common.board.trap.into_iter().zip(told).zip(places) {
            trace.write(Write::Device { address: place.into(), old, new });
        }
        self.state.common.board.trap = told;
        self.state.common.cycles += TRAP_CYCLES;
        self.around.worked += 8;
        Ok(target)
    }

    /// `brk`: the program's own handler, or a pause behind it.
    pub(super) fn brk<T: Trace>(&mut self, slot: Slot, trace: &mut T) -> Option<Stop> {
        if self.vector(6) == 0 {
            // Whoever observes hears of it, and the run stops anyhow.
            let _ = self.done(slot, slot.next, StepKind::Instruction, trace);
            return Some(Stop::Brk);
        }
        self.own_trap(6, slot, 0, trace)
    }

    /// An instruction that enters a trap of the program's own.
    pub(super) fn own_trap<T: Trace>(&mut self, number: u8, slot: Slot, detail: u16, trace: &mut T) -> Option<Stop> {
        let (pc, flags) = (self.state.cpu.pc, self.state.cpu.flags);
        let cycles = self.state.common.cycles;
        let entry = Entry { number, site: pc, back: slot.next, about: [pc, detail], is_interrupt: false };
        let step = self.state.common.steps;
        match self.enter_trap(entry, trace) {
            Ok(target) => {
                self.state.common.cycles += u64::from(slot.cycles);
                let took = self.state.common.cycles - cycles;
                let place = (pc, target, slot.next.wrapping_sub(pc));
                let flow = self.took(step, StepKind::Trap(number.into()), place, took, (flags, I), trace);
                flow.is_break().then_some(Stop::Observed)
            }
            Err(kind) => Some(Stop::Fault(self.fault_of(kind))),
        }
    }

    /// The next step is the entry of an interrupt.
    pub(crate) fn interrupt_comes(&self) -> bool {
        self.state.cpu.flags & I != 0 && self.asking().into_iter().flatten().any(|number| self.vector(number) != 0)
    }

    /// The instruction that arrives at this moment: it is next, and no interrupt comes before it. None when the program
    /// has ended. What came from outside at this moment has to be fed before.
    pub(crate) fn arrives(&self) -> Option<Addr> {
        (self.state.common.finished.is_none() && !self.interrupt_comes()).then(|| self.pc())
    }

    /// Takes the most urgent interrupt as a step, if one asks and is allowed.
    pub(super) fn interrupt_now<T: Trace>(&mut self, trace: &mut T) -> Option<Result<ControlFlow<()>, FaultKind>> {
        if self.state.cpu.flags & I == 0 {
            return None;
        }
        let number = self.asking().into_iter().flatten().find(|&number| self.vector(number) != 0)?;
        let (step, pc, flags) = (self.state.common.steps, self.state.cpu.pc, self.state.cpu.flags);
        let entry = Entry { number, site: pc, back: pc, about: [0, 0], is_interrupt: true };
        trace.begin(self.code());
        let next = match self.enter_trap(entry, trace) {
            Ok(next) => next,
            Err(kind) => return Some(Err(kind)),
        };
        // Timer and console go on asking until the program has dealt with them; a moved lever asks once.
        if number == super::devices::LEVER {
            self.state.common.board.lever_moved = false;
        }
        self.around.activity.note(Deed::Worked, step);
        self.around.activity.interrupted(number.into(), step);
        let kind = StepKind::Interrupt(number.into());
        Some(Ok(self.took(step, kind, (pc, next, 0), TRAP_CYCLES, (flags, I), trace)))
    }

    /// The cycle at which the loop must look for interrupts.
    pub(super) fn cycle_horizon(&self) -> u64 {
        if self.state.cpu.flags & I == 0 || self.vector(8) == 0 {
            return u64::MAX;
        }
        self.state.common.board.timer.next_expiry(self.state.common.cycles)
    }
}
