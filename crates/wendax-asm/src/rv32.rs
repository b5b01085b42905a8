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
pub(crate) use encode::{short_fits, size};
pub(crate) use slips::reads_as_register;

use crate::checks::{NEAR, before};
use crate::emit::Source;
use crate::expr::Expr;
use crate::link::Program;
use crate::unit::What;
use wendax_isa::rv32::forms::{Form, From, Kind, Piece, Slot};
use wendax_isa::rv32::{A7, Insn, Op, decode};

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

impl Instruction {
    /// The machine instruction that its shortest way ends with.
    fn last(&self) -> Option<&'static Piece> {
        self.form.ways.first()?.pieces.last()
    }

    /// The register that it writes at last.
    fn result(&self) -> u8 {
        match self.last().map(|piece| piece.rd) {
            Some(From::Fixed(number)) => number,
            Some(From::Operand(at)) => self.registers.get(usize::from(at)).copied().unwrap_or(0),
            Some(From::Value) | None => 0,
        }
    }

    /// Where it jumps, and whether it is a call.
    pub(crate) fn jump(&self) -> Option<(Expr, bool)> {
        let is_jump = self.form.slots.contains(&Slot::Value(Kind::Label));
        let is_call = self.last().is_some_and(|piece| piece.op == Op::Jal) && self.result() != 0;
        Some((self.value.filter(|_| is_jump)?, is_call))
    }

    /// It always goes elsewhere, and not to come back.
    pub(crate) fn leaves(&self) -> bool {
        let op = self.last().map(|piece| piece.op);
        matches!(op, Some(Op::Jal | Op::Jalr)) && self.result() == 0
            || op == Some(Op::Mret)
            || self.form.name == "unimp"
    }

    /// It may go elsewhere, or have something done elsewhere.
    pub(crate) fn goes_elsewhere(&self) -> bool {
        matches!(self.last().map(|piece| piece.op), Some(Op::Jal | Op::Jalr | Op::Ecall | Op::Ebreak | Op::Mret))
            || self.jump().is_some()
    }

    /// It sets a register.
    pub(crate) fn sets(&self, register: u8) -> bool {
        register != 0 && self.result() == register
    }

    /// What it loads the address of.
    pub(crate) fn address(&self) -> Option<Expr> {
        let is_symbol = self.form.slots.contains(&Slot::Value(Kind::Symbol));
        let is_sum = self.last().is_some_and(|piece| piece.op == Op::Addi);
        self.value.filter(|_| is_sum && (is_symbol || self.part == Modifier::Low))
    }

    /// The address that it stores at, where it names one.
    pub(crate) fn stored_at(&self) -> Option<Expr> {
        let stores = self.last().is_some_and(|piece| matches!(piece.op, Op::Sb | Op::Sh | Op::Sw));
        self.value.filter(|_| stores && self.form.slots.contains(&Slot::Value(Kind::Symbol)))
    }

    /// The number that it sets a register to.
    fn constant(&self) -> Option<Expr> {
        let is_number = self.form.name == "li" || self.form.name == "addi" && self.registers.get(1) == Some(&0);
        self.value.filter(|_| is_number && self.part == Modifier::Whole)
    }
}

/// The number of the system call a statement makes: said there, or put into `a7` shortly before.
pub(crate) fn called_number(program: &Program<'_>, source: Source, instruction: &Instruction) -> Option<Expr> {
    if instruction.form.slots.contains(&Slot::Value(Kind::Call)) {
        return instruction.value;
    }
    if instruction.last().is_none_or(|piece| piece.op != Op::Ecall) {
        return None;
    }
    let set = before(program, source).take(NEAR).find_map(|statement| match &statement.what {
        What::Rv32(before) if before.sets(A7) => Some(before.constant()),
        What::Rv32(before) if !before.goes_elsewhere() => None,
        _ => Some(None),
    });
    set.flatten()
}

/// The instructions that bytes of code are, up to the first that is none.
pub(crate) fn instructions(bytes: &[u8]) -> impl Iterator<Item = Insn> {
    let words = bytes.chunks_exact(4).map(|word| u32::from_le_bytes([word[0], word[1], word[2], word[3]]));
    words.map_while(decode)
}
