//! What an instruction could not do.

use wendax_isa::{Addr, Place, Target};

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
    /// The number of its trap.
    pub trap: u32,
}

impl FaultKind {
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

impl FaultKind {
    /// In words, with as many digits as words and addresses of its machine have.
    pub fn words(self, target: &'static Target) -> String {
        let at = |address| Place(target, address);
        match self {
            Self::Illegal { word: 0 } => {
                format!("the word {} is no instruction: this looks like empty memory", target.hex(0))
            }
            Self::Illegal { word } => format!("the word {} is no instruction", target.marked(word)),
            Self::Misaligned { address, fetch } => {
                let what = if fetch { "there is no instruction at" } else { "a word cannot lie at" };
                let align = if fetch { target.code_align } else { target.word_bytes() };
                let kind = if align == 2 { "the odd address" } else { "an address that is no multiple of its size:" };
                format!("{what} {kind} {}", at(address))
            }
            Self::Read { address } => format!("address {} may not be read", at(address)),
            Self::Write { address } => format!("address {} may not be written", at(address)),
            Self::Execute { address } => format!("what lies at {} may not be run", at(address)),
            Self::DeviceByte { address } => format!("the device register at {} takes words only", at(address)),
            Self::DivideByZero => "a division by zero".to_owned(),
            Self::TrapEntry { number, address } => {
                format!("trap {number:X} could not be entered: the stack at {} may not be written", at(address))
            }
        }
    }
}
