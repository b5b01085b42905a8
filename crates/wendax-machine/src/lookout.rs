//! What a run looks out for.
//!
//! A run without an observer stops before a step that may do such a thing; whoever asked takes that step with an
//! observer and judges by its report. So a lookout may name more than is meant, but never less, and costs nothing
//! while nothing of the kind comes: instructions are patched slots, cells have an attribute that loads and stores look
//! at anyway.

use wendax_isa::{Addr, RegisterUse};

/// What a run looks out for.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Lookout {
    /// Instructions that read or write one of these registers, or read or may write one of these flags.
    pub uses: RegisterUse,
    /// Instructions that can be written with one of these mnemonics, in small letters.
    pub mnemonics: Vec<String>,
    /// Cells of memory and device registers that are read or written, each range from its first address to behind its
    /// last.
    pub cells: Vec<(Addr, Addr)>,
    /// Instructions that may leave a routine.
    pub leaving: bool,
    /// System calls, traps, interrupts.
    pub rare: bool,
}

impl Lookout {
    /// There is nothing to look out for.
    pub fn is_empty(&self) -> bool {
        let Self { uses, mnemonics, cells, leaving, rare } = self;
        *uses == RegisterUse::default() && mnemonics.is_empty() && cells.is_empty() && !leaving && !rare
    }
}
