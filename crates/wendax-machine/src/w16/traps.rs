//! Traps: faults, `brk`, and interrupts.
//!
//! Entering a trap is a step of its own, except for `brk` and `sys`, whose entry belongs to their own
//! step. A fault with a zero vector stops the run with nothing changed.

use super::slots::Slot;
use super::{FrameKind, Machine, NOTE_FLAGS, NOTE_RETURN};
use crate::events::Stop;
use crate::memory::WRITE;
use wendax_isa::w16::{I, SP, TRAP_CYCLES};

/// What an instruction could not do. Addresses are what it was about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FaultKind {
    /// The word at `pc` is no instruction.
    Illegal {
        /// The word.
        word: u16,
    },
    /// A word at an odd address.
    Misaligned {
        /// The address.
        address: u16,
        /// It was to be run, not loaded or stored.
        fetch: bool,
    },
    /// This address may not be loaded from.
    Read {
        /// The address.
        address: u16,
    },
    /// This address may not be stored to.
    Write {
        /// The address.
        address: u16,
    },
    /// This address may not be run.
    Execute {
        /// The address.
        address: u16,
    },
    /// A byte of a device register.
    DeviceByte {
        /// The address.
        address: u16,
    },
    /// A division by zero.
    DivideByZero,
    /// Entering trap `number` failed: there is no stack at `address`.
    TrapEntry {
        /// The trap that was to be entered.
        number: u8,
        /// Where the stack pointer led.
        address: u16,
    },
}

/// A fault: which instruction, and what it could not do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fault {
    /// The instruction.
    pub pc: u32,
    /// What it could not do.
    pub kind: FaultKind,
}

impl FaultKind {
    /// Its trap number.
    pub fn trap(self) -> u32 {
        match self {
            Self::Illegal { .. } => 1,
            Self::Misaligned { .. } => 2,
            Self::Read { .. } | Self::Write { .. } | Self::Execute { .. } | Self::DeviceByte { .. } => 3,
            Self::DivideByZero => 4,
            Self::TrapEntry { number, .. } => number.into(),
        }
    }

    /// The address it is about.
    pub fn address(self) -> Option<u32> {
        match self {
            Self::Misaligned { address, .. } | Self::Read { address } | Self::Write { address } => Some(address.into()),
            Self::Execute { address } | Self::DeviceByte { address } => Some(address.into()),
            Self::TrapEntry { address, .. } => Some(address.into()),
            Self::Illegal { .. } | Self::DivideByZero => None,
        }
    }
}

impl std::fmt::Display for FaultKind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match *self {
            Self::Illegal { word: 0 } => write!(f, "the word 0000 is no instruction: this looks like empty memory"),
            Self::Illegal { word } => write!(f, "the word {word:04X} is no instruction"),
            Self::Misaligned { address, fetch: true } => {
                write!(f, "there is no instruction at the odd address {address:04X}")
            }
            Self::Misaligned { address, fetch: false } => {
                write!(f, "a word cannot lie at the odd address {address:04X}")
            }
            Self::Read { address } => write!(f, "address {address:04X} may not be read"),
            Self::Write { address } => write!(f, "address {address:04X} may not be written"),
            Self::Execute { address } => write!(f, "what lies at {address:04X} may not be run"),
            Self::DeviceByte { address } => write!(f, "the device register at {address:04X} takes words only"),
            Self::DivideByZero => write!(f, "a division by zero"),
            Self::TrapEntry { number, address } => {
                write!(f, "trap {number:X} could not be entered: the stack at {address:04X} may not be written")
            }
        }
    }
}

impl Machine {
    fn vector(&self, number: u8) -> u16 {
        self.memory.word(u16::from(number) * 2)
    }

    /// A fault: enters its trap as a step, or stops the run.
    pub(super) fn fault(&mut self, kind: FaultKind) -> Option<Stop> {
        let pc = self.state.cpu.pc;
        let number = u8::try_from(kind.trap()).unwrap_or(0);
        if self.vector(number) == 0 {
            return Some(Stop::Fault(self.fault_of(kind)));
        }
        let detail = if let FaultKind::Illegal { word } = kind { word } else { 0 };
        let address = kind.address().and_then(|a| u16::try_from(a).ok()).unwrap_or(pc);
        match self.enter_trap(number, pc, pc) {
            Ok(()) => {
                self.state.steps += 1;
                self.state.devices.note_trap(number, address, detail);
                None
            }
            Err(kind) => Some(Stop::Fault(self.fault_of(kind))),
        }
    }

    /// Pushes flags and `back`, forbids interrupts, goes to the vector. Counts cycles, not the step.
    /// Changes nothing when there is no stack to push to.
    pub(super) fn enter_trap(&mut self, number: u8, site: u16, back: u16) -> Result<(), FaultKind> {
        let sp = self.state.cpu.registers[usize::from(SP)];
        let (first, second) = (sp.wrapping_sub(2), sp.wrapping_sub(4));
        for address in [first, second] {
            if address & 1 != 0 || !self.memory.all(address, 2, WRITE) {
                return Err(FaultKind::TrapEntry { number, address });
            }
        }
        let target = self.vector(number);
        for (address, value, note) in [(first, self.state.cpu.flags, NOTE_FLAGS), (second, back, NOTE_RETURN)] {
            self.store_word(address, value, note)?;
            self.side_writes.push((address, 2));
        }
        self.state.cpu.registers[usize::from(SP)] = second;
        self.push_frame(site, target, FrameKind::Trap(number.into()));
        self.set_flags(self.state.cpu.flags & !I, site);
        self.state.cpu.pc = target;
        self.state.cycles += TRAP_CYCLES;
        Ok(())
    }

    /// `brk`: the program's own handler, or a pause behind it.
    pub(super) fn brk(&mut self, slot: Slot) -> Option<Stop> {
        let pc = self.state.cpu.pc;
        if self.vector(6) == 0 {
            self.done(slot, slot.next);
            return Some(Stop::Brk);
        }
        self.own_trap(6, slot, pc, 0)
    }

    /// An instruction that enters a trap of the program's own.
    pub(super) fn own_trap(&mut self, number: u8, slot: Slot, pc: u16, detail: u16) -> Option<Stop> {
        match self.enter_trap(number, pc, slot.next) {
            Ok(()) => {
                let target = self.state.cpu.pc;
                self.done(slot, target);
                self.state.devices.note_trap(number, pc, detail);
                None
            }
            Err(kind) => Some(Stop::Fault(self.fault_of(kind))),
        }
    }

    /// Takes the most urgent interrupt as a step, if one is pending and allowed.
    pub(super) fn interrupt_now(&mut self) -> Option<Result<(), FaultKind>> {
        if self.state.cpu.flags & I == 0 {
            return None;
        }
        let key_waits = !self.state.console.pending.is_empty();
        let pending = self.state.devices.pending(self.state.cycles, key_waits);
        let number = pending.into_iter().flatten().find(|&number| self.vector(number) != 0)?;
        let pc = self.state.cpu.pc;
        if let Err(kind) = self.enter_trap(number, pc, pc) {
            return Some(Err(kind));
        }
        self.state.devices.taken(number);
        self.state.steps += 1;
        self.state.devices.note_trap(number, 0, 0);
        Some(Ok(()))
    }

    /// With things as they are, an interrupt may come some time.
    pub(super) fn interrupt_could_come(&self) -> bool {
        let on = |number| self.vector(number) != 0;
        self.state.cpu.flags & I != 0 && self.state.devices.armed().into_iter().flatten().any(on)
    }

    /// The cycle at which the loop must look for interrupts.
    pub(super) fn cycle_horizon(&self) -> u64 {
        if self.state.cpu.flags & I == 0 || self.vector(8) == 0 {
            return u64::MAX;
        }
        self.state.devices.next_expiry(self.state.cycles)
    }
}
