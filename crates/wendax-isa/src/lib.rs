//! What instructions are: one table per instruction set.
//!
//! [`Target`] describes a machine in terms that hold for any of them (how wide a word is, which registers
//! and flags there are), so that screens and walks need no knowledge of a particular one. The rows of an
//! instruction set, and everything that follows from them, are in its own module: [`w16`], [`rv32`].
//!
//! What is counted everywhere (addresses, registers, steps) has types here: `ids`.
//!
//! This crate knows nothing of memory, files or screens.

mod calls;
mod ids;
pub mod rv32;
mod target;
pub mod w16;

/// The machines there are.
pub fn targets() -> [&'static Target; 2] {
    [&w16::TARGET, &rv32::TARGET]
}

/// The machine of this name, in any case.
pub fn target_named(name: &str) -> Option<&'static Target> {
    targets().into_iter().find(|target| target.name.eq_ignore_ascii_case(name))
}

pub use calls::ErrorCode;
pub use ids::{Addr, Reg, StepNo};
pub use target::{
    DeviceBit, DeviceKind, DeviceRegister, ElfRules, FlagInfo, Leads, LeadsAt, MemoryMap, Place, RegisterInfo,
    RegisterUse, Roles, SystemCall, Target, TextAt, sign_extended,
};
