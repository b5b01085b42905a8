//! Words to instructions and back, computed from the patterns of the table.

use super::table::{ALIASES, Cond, Op, OperandKind, Row, rows};
use super::{NO_BASE, SP};
use crate::{Addr, Leads};
use std::sync::LazyLock;

/// See [`crate::Target::call_code`].
pub(super) fn call_code(_: Addr, to: Addr) -> Vec<u8> {
    let is_far = |row: &&Row| row.op == Op::Call && row.operands.contains(&OperandKind::Far);
    let Some(row) = rows().iter().find(is_far) else { return Vec::new() };
    let to = u16::try_from(to.0).unwrap_or(u16::MAX);
    let (first, second) = encode(Insn::new(row, 0, 0, to));
    [Some(first), second].into_iter().flatten().flat_map(u16::to_le_bytes).collect()
}

/// A decoded instruction.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Insn {
    /// Index of its row in [`rows`].
    row: u8,
    /// The register in the place of `d` (of `s` in a store); 0 where there is none.
    pub a: u8,
    /// The register in the place of `s` or `b`; [`NO_BASE`] where there is none.
    pub b: u8,
    /// The constant, offset, call number or absolute target; of a near jump the distance in bytes from
    /// the following instruction, wrapped to 16 bits.
    pub value: u16,
}

impl Insn {
    /// An instruction of a row of the table with these operands.
    pub fn new(row: &'static Row, a: u8, b: u8, value: u16) -> Self {
        let rows = rows();
        let index = (std::ptr::from_ref(row).addr().wrapping_sub(rows.as_ptr().addr())) / size_of::<Row>();
        let row = u8::try_from(index).ok().filter(|index| usize::from(*index) < rows.len());
        let row = row.expect("rows come from the table, which has under 256");
        Self { row, a, b, value }
    }

    /// Its row of the table.
    pub fn row(&self) -> &'static Row {
        &rows()[self.row as usize]
    }

    /// Every mnemonic it can be written with, the one disassembly shows first.
    pub fn names(&self) -> impl Iterator<Item = &'static str> {
        let row = self.row();
        let has_constant = row.operands.iter().any(|kind| matches!(kind, OperandKind::Constant | OperandKind::Small));
        let value = self.value;
        let aliases = ALIASES
            .iter()
            .filter(move |alias| has_constant && alias.constant == value && row.names.contains(&alias.real));
        row.names.iter().copied().chain(aliases.map(|alias| alias.name))
    }

    /// What it does.
    pub fn op(&self) -> Op {
        self.row().op
    }

    /// Its length in bytes: 2 or 4.
    pub fn bytes(&self) -> u16 {
        2 * u16::from(self.row().words())
    }

    /// It is a jump that is taken whatever the flags are.
    pub fn always_jumps(&self) -> bool {
        self.op() == Op::Jump(Cond::Always)
    }

    /// Where a jump, `djnz` or `call` with a label at `address` goes; of no meaning for others.
    pub fn target(&self, address: u16) -> u16 {
        if self.row().has_word() { self.value } else { address.wrapping_add(2).wrapping_add(self.value) }
    }

    /// Where it leads when it stands at an address.
    pub fn leads(&self, address: u16) -> Leads {
        let target = || Addr::from(self.target(address));
        match self.row().op {
            Op::Jump(Cond::Always) => Leads::To(target()),
            Op::Jump(_) | Op::Djnz => Leads::Either(target()),
            Op::Call => Leads::Call(Some(target())),
            Op::CallReg => Leads::Call(None),
            Op::JmpReg | Op::Ret | Op::Reti | Op::Halt => Leads::Away,
            Op::Sys if self.value.to_le_bytes()[0] == 0 => Leads::Away,
            _ => Leads::On,
        }
    }
}

/// See [`crate::Target::leads`].
pub(super) fn leads(code: &[u8], address: Addr) -> Option<(u32, Leads)> {
    let insn = decode_bytes(code)?;
    let address = u16::try_from(address.0).ok()?;
    Some((insn.bytes().into(), insn.leads(address)))
}

/// See [`crate::Target::cycles`].
pub(super) fn cycles(code: &[u8]) -> Option<(u32, u32)> {
    use super::Cond;
    let insn = decode_bytes(code)?;
    let plain = u32::from(insn.row().cycles);
    Some(match insn.op() {
        Op::Jump(Cond::Always) | Op::JmpReg => (plain + 1, plain + 1),
        Op::Jump(_) | Op::Djnz => (plain, plain + 1),
        _ => (plain, plain),
    })
}

/// The instruction that some bytes begin with; `None` when it is none, or not whole.
pub(super) fn decode_bytes(code: &[u8]) -> Option<Insn> {
    let word = |at: usize| Some(u16::from_le_bytes([*code.get(at)?, *code.get(at + 1)?]));
    let insn = decode(word(0)?, word(2).unwrap_or(0))?;
    (code.len() >= usize::from(insn.bytes())).then_some(insn)
}

/// A row's pattern taken apart for decoding.
#[derive(Debug, Clone, Copy, Default)]
struct Shape {
    /// Bits that are fixed, and what they are.
    mask: u16,
    fixed: u16,
    /// Where the register that goes to `a` stands, as a shift; 0 for none (it never is the last digit).
    a_shift: u8,
    /// The last digit is a register.
    b_register: bool,
    /// The last digit may be F, no base.
    b_base: bool,
    /// How many low bits are a constant or distance.
    value_bits: u8,
    /// The constant is a signed distance in words.
    distance: bool,
    second: bool,
}

fn shape(row: &Row) -> Shape {
    let mut shape = Shape { second: row.has_word(), ..Shape::default() };
    for (index, letter) in row.pattern.bytes().take(4).enumerate() {
        let shift = u8::try_from(12 - 4 * index).unwrap_or(0);
        match letter {
            b'd' | b's' if shift > 0 => shape.a_shift = shift,
            b's' => shape.b_register = true,
            b'b' => (shape.b_register, shape.b_base) = (true, true),
            b'k' | b'n' | b'x' => {
                shape.value_bits += 4;
                shape.distance = letter == b'x';
            }
            digit => {
                let value = char::from(digit).to_digit(16).and_then(|v| u16::try_from(v).ok()).unwrap_or(0);
                shape.mask |= 0xF << shift;
                shape.fixed |= value << shift;
            }
        }
    }
    shape
}

static SHAPES: LazyLock<Vec<Shape>> = LazyLock::new(|| rows().iter().map(shape).collect());

/// For every upper byte of a first word the rows that words with it can be of, as [`SHAPES`] has them.
static CANDIDATES: LazyLock<Vec<Vec<u8>>> = LazyLock::new(|| {
    (0..=0xFFu16)
        .map(|upper| {
            let begins = |shape: &Shape| upper << 8 & shape.mask == shape.fixed & 0xFF00;
            (0..=u8::MAX).zip(SHAPES.iter()).filter(|(_, shape)| begins(shape)).map(|(row, _)| row).collect()
        })
        .collect()
});

fn digit(word: u16, shift: u8) -> u8 {
    u8::try_from(word >> shift & 0xF).unwrap_or(0)
}

fn registers_exist(shape: Shape, word: u16) -> bool {
    let b = digit(word, 0);
    (shape.a_shift == 0 || digit(word, shape.a_shift) <= SP)
        && (!shape.b_register || b <= SP || shape.b_base && b == NO_BASE)
}

/// The instruction whose first word is `first`; `second` is the word behind it, used only by
/// instructions of two words. `None` when it is no instruction.
pub fn decode(first: u16, second: u16) -> Option<Insn> {
    let of = |shape: &Shape| first & shape.mask == shape.fixed && registers_exist(*shape, first);
    let (row, shape) = CANDIDATES[usize::from(first >> 8)]
        .iter()
        .map(|row| (*row, SHAPES[usize::from(*row)]))
        .find(|(_, shape)| of(shape))?;
    let a = if shape.a_shift == 0 { 0 } else { digit(first, shape.a_shift) };
    let b = if shape.b_register { digit(first, 0) } else { NO_BASE };
    let value = if shape.second {
        second
    } else if shape.distance {
        let unused = 16 - shape.value_bits;
        // Sign extended, and doubled from words to bytes.
        ((first << unused).cast_signed() >> unused << 1).cast_unsigned()
    } else {
        first & ((1 << shape.value_bits) - 1)
    };
    Some(Insn { row, a, b, value })
}

/// The code words of an instruction; the second is there when its row has one. The parts of `value`
/// that do not fit its place are cut off: who builds an [`Insn`] checks the range.
pub fn encode(insn: Insn) -> (u16, Option<u16>) {
    let shape = SHAPES[usize::from(insn.row)];
    let mut word = shape.fixed;
    if shape.a_shift > 0 {
        word |= u16::from(insn.a & 0xF) << shape.a_shift;
    }
    if shape.b_register {
        word |= u16::from(insn.b & 0xF);
    }
    if shape.second {
        return (word, Some(insn.value));
    }
    let value = if shape.distance { insn.value >> 1 } else { insn.value };
    (word | value & ((1 << shape.value_bits) - 1), None)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::w16::{Cond, rows_named};

    #[test]
    fn every_first_word_decodes_to_itself_or_not_at_all() {
        let mut legal = 0;
        for first in 0..=0xFFFFu16 {
            let Some(insn) = decode(first, 0xBEEF) else { continue };
            legal += 1;
            let second = insn.row().has_word().then_some(0xBEEF);
            assert_eq!(encode(insn), (first, second), "{first:04X} as {insn:?}");
        }
        // Counted by hand from the contract: see the test below for what is left out.
        let plain = 9 + 256;
        let alu = 16 * (14 * 14 + 14 + 14 * 16);
        let one = 10 * 14;
        let two = 5 * 14 * 14;
        let memory = 8 * 14 * 15 + 4 * 14 * 15;
        let jumps = 15 * 256 + 15 + 14 * 256 + 14 + 4096 + 1;
        assert_eq!(legal, plain + alu + one + two + memory + jumps);
    }

    #[test]
    fn rows_never_claim_the_same_word() {
        for word in 0..=0xFFFFu16 {
            let claims = SHAPES.iter().filter(|s| word & s.mask == s.fixed).count();
            assert!(claims <= 1, "{word:04X} is claimed {claims} times");
        }
    }

    #[test]
    fn what_the_contract_leaves_out_is_illegal() {
        for word in [
            0x0000, 0x000A, 0x00FF, 0x0201, 0x10E0, 0x100F, 0x2001, 0x20E0, 0x30F1, 0x4A00, 0x4001, 0x5501, 0x600E,
            0x6800, 0x7400, 0x8F00, 0x9001, 0x9F00, 0xAE00, 0xB001, 0xBF00, 0xD001, 0xE000, 0xFFFF,
        ] {
            assert_eq!(decode(word, 0), None, "{word:04X}");
        }
        assert!(decode(0x600F, 0).is_some(), "base F means no base");
    }

    #[test]
    fn distances_are_signed_words_from_the_following_instruction() {
        let jump = |word| decode(word, 0).map(|insn| insn.target(0x0200));
        assert_eq!(jump(0x80FF), Some(0x0200), "a jump to itself");
        assert_eq!(jump(0x807F), Some(0x0300));
        assert_eq!(jump(0x8080), Some(0x0102));
        assert_eq!(jump(0xC7FF), Some(0x1200));
        assert_eq!(jump(0xC800), Some(0xF202), "wraps at 65,536");
        assert_eq!(decode(0x9300, 0x1234).map(|insn| insn.target(0x0200)), Some(0x1234));
    }

    #[test]
    fn names_and_conditions_agree_with_the_contract() {
        let pairs = [("jz", "jeq"), ("jnz", "jne"), ("jc", "jltu"), ("jnc", "jgeu")];
        for (one, other) in pairs {
            let ops = |name| rows_named(name).map(|row| row.op).collect::<Vec<_>>();
            assert_eq!(ops(one), ops(other));
        }
        // Every comparison against arithmetic, over edges of both kinds.
        for (a, b) in [(0u16, 0u16), (1, 2), (0x7FFF, 0x8000), (0x8000, 0x7FFF), (0xFFFF, 1), (5, 5), (0x8000, 0x8000)]
        {
            let (less, difference) = (a < b, a.wrapping_sub(b));
            let overflow = (a ^ b) & (a ^ difference) & 0x8000 != 0;
            let flags = [(less, 1), (difference == 0, 2), (difference & 0x8000 != 0, 4), (overflow, 8)];
            let flags = flags.iter().filter(|f| f.0).map(|f| f.1).sum();
            let (sa, sb) = (a.cast_signed(), b.cast_signed());
            let wanted = [
                (Cond::Eq, a == b),
                (Cond::Ne, a != b),
                (Cond::Ltu, a < b),
                (Cond::Geu, a >= b),
                (Cond::Gtu, a > b),
                (Cond::Leu, a <= b),
                (Cond::Lt, sa < sb),
                (Cond::Ge, sa >= sb),
                (Cond::Gt, sa > sb),
                (Cond::Le, sa <= sb),
            ];
            for (cond, holds) in wanted {
                assert_eq!(cond.holds(flags), holds, "{cond:?} of {a:04X} and {b:04X}");
            }
        }
    }

    proptest::proptest! {
        #[test]
        fn two_words_round_trip(first: u16, second: u16) {
            if let Some(insn) = decode(first, second) {
                let (one, two) = encode(insn);
                proptest::prop_assert_eq!(one, first);
                proptest::prop_assert_eq!(two.unwrap_or(second), second);
                proptest::prop_assert_eq!(decode(one, two.unwrap_or(0)), Some(insn));
            }
        }
    }
}
