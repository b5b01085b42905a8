//! Sources for RV32: what is written otherwise than for W16. Operands and forms (`operands`), sizes and bytes (`encode`),
//! the directives of the open assembly manual (`directives`), mistakes (`slips`) and what looks wrong in what builds
//! (`checks`).
//!
//! The forms themselves are a table of `wendax_isa::rv32::forms`; nothing here knows an instruction by its name but where a
//! mistake is told.

mod checks;
mod directives;
mod encode;
mod operands;
mod slips;

pub(crate) use checks::check;
pub(crate) use directives::{Other, directive, names as directive_names, other};
pub(crate) use encode::{short_fits, size};
pub(crate) use slips::reads_as_register;

use crate::expr::Expr;
use wendax_isa::rv32::forms::{Form, forms};

/// Which part of its value an operand asks for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Modifier {
    #[default]
    Whole,
    /// `%hi(…)`.
    High,
    /// `%lo(…)`.
    Low,
    /// `%pcrel_hi(…)`.
    HighDistance,
    /// `%pcrel_lo(…)`, of the label of the instruction with the other part.
    LowDistance,
}

impl Modifier {
    pub(crate) const WORDS: [(&'static str, Self); 4] =
        [("hi", Self::High), ("lo", Self::Low), ("pcrel_hi", Self::HighDistance), ("pcrel_lo", Self::LowDistance)];

    /// It stands in the upper 20 bits of a word.
    fn is_upper(self) -> bool {
        matches!(self, Self::High | Self::HighDistance)
    }
}

/// An instruction as it is written: a form and what stands in its places.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Instruction {
    pub(crate) form: &'static Form,
    /// Its registers, in the order they stand.
    pub(crate) registers: [u8; 3],
    /// A control and status register, or the accesses of a fence.
    pub(crate) other: u32,
    pub(crate) value: Option<Expr>,
    pub(crate) part: Modifier,
}

/// All mnemonics in alphabetical order, each with what it does in one line.
pub(crate) fn mnemonics() -> Vec<(&'static str, &'static str)> {
    let mut all: Vec<(&str, &str)> = forms().iter().map(|form| (form.name, form.meaning)).collect();
    all.dedup_by_key(|(name, _)| *name);
    all
}
