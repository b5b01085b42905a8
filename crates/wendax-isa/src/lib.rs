//! What instructions are: one table per instruction set.
//!
//! [`Target`] describes a machine in terms that hold for any of them (how wide a word is, which registers
//! and flags there are), so that screens and walks need no knowledge of a particular one. The rows of an
//! instruction set, and everything that follows from them, are in its own module: [`w16`].
//!
//! What is counted everywhere (addresses, registers, steps) has types here: `ids`.
//!
//! This crate knows nothing of memory, files or screens.

mod ids;
mod target;
pub mod w16;

/// The machine that programs are for when nothing else is said.
pub fn target() -> &'static Target {
    &w16::TARGET
}

pub use ids::{Addr, Reg, StepNo};
pub use target::{
    DeviceBit, DeviceKind, DeviceRegister, FlagInfo, Leads, LeadsAt, MemoryMap, RegisterInfo, RegisterUse, Roles,
    SystemCall, Target,
};
