//! What an instruction could not do.

use wendax_isa::Addr;

/// What an instruction could not do. Addresses are what it was about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FaultKind {
    /// The word at `pc` is no instruction.
    Illegal {
        /// The word.
        word: u32,
    },
    /// A word at an odd address.
    Misaligned {
        /// The address.
        address: Addr,
        /// It was to be run, not loaded or stored.
        fetch: bool,
    },
    /// This address may not be loaded from.
    Read {
        /// The address.
        address: Addr,
    },
    /// This address may not be stored to.
    Write {
        /// The address.
        address: Addr,
    },
    /// This address may not be run.
    Execute {
        /// The address.
        address: Addr,
    },
    /// A byte of a device register.
    DeviceByte {
        /// The address.
        address: Addr,
    },
    /// A division by zero.
    DivideByZero,
    /// Entering trap `number` failed: there is no stack at `address`.
    TrapEntry {
        /// The trap that was to be entered.
        number: u32,
        /// Where the stack pointer led.
        address: Addr,
    },
}

/// A fault: which instruction, and what it could not do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fault {
    /// The instruction.
    pub pc: Addr,
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
            Self::TrapEntry { number, .. } => number,
        }
    }

    /// The address it is about.
    pub fn address(self) -> Option<Addr> {
        match self {
            Self::Misaligned { address, .. } | Self::Read { address } | Self::Write { address } => Some(address),
            Self::Execute { address } | Self::DeviceByte { address } => Some(address),
            Self::TrapEntry { address, .. } => Some(address),
            Self::Illegal { .. } | Self::DivideByZero => None,
        }
    }
}

impl std::fmt::Display for FaultKind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match *self {
            Self::Illegal { word: 0 } => write!(f, "the word 0000 is no instruction: this looks like empty memory"),
            Self::Illegal { word } => write!(f, "the word 0x{word:04X} is no instruction"),
            Self::Misaligned { address, fetch: true } => {
                write!(f, "there is no instruction at the odd address 0x{address:04X}")
            }
            Self::Misaligned { address, fetch: false } => {
                write!(f, "a word cannot lie at the odd address 0x{address:04X}")
            }
            Self::Read { address } => write!(f, "address 0x{address:04X} may not be read"),
            Self::Write { address } => write!(f, "address 0x{address:04X} may not be written"),
            Self::Execute { address } => write!(f, "what lies at 0x{address:04X} may not be run"),
            Self::DeviceByte { address } => write!(f, "the device register at 0x{address:04X} takes words only"),
            Self::DivideByZero => write!(f, "a division by zero"),
            Self::TrapEntry { number, address } => {
                write!(f, "trap {number:X} could not be entered: the stack at 0x{address:04X} may not be written")
            }
        }
    }
}
