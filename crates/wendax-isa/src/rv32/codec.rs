//! Words to instructions and back, computed from the table and the standard's formats.

use super::table::{Format, Op, Row, rows};
use crate::{Addr, Leads};
use std::sync::LazyLock;

/// A decoded instruction. Fields that its format does not have are 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Insn {
    /// Index of its row in [`rows`].
    row: u8,
    /// The register it writes.
    pub rd: u8,
    /// The first register it reads; the constant of a [`Format::CsrConstant`].
    pub rs1: u8,
    /// The second register it reads.
    pub rs2: u8,
    /// The constant, offset or distance with its sign extended; of [`Format::Upper`] the word it stands for; the count of a
    /// shift; the number of a control and status register; of a fence all 12 bits.
    pub value: u32,
}

/// Bits of a word, from `low` on, so many.
fn field(word: u32, low: u32, bits: u32) -> u32 {
    word >> low & ((1 << bits) - 1)
}

/// A number of so many bits, its sign extended.
fn signed(value: u32, bits: u32) -> u32 {
    crate::sign_extended(value, bits).cast_unsigned()
}

fn five(word: u32, low: u32) -> u8 {
    field(word, low, 5).to_le_bytes()[0]
}

impl Insn {
    /// An instruction of a row of the table.
    pub fn new(op: Op, (rd, rs1, rs2): (u8, u8, u8), value: u32) -> Self {
        let row = (0u8..).zip(rows()).find(|(_, row)| row.op == op).map_or(0, |(index, _)| index);
        Self { row, rd, rs1, rs2, value }
    }

    /// The same instruction with another constant, offset or distance.
    #[must_use]
    pub fn with_value(self, value: u32) -> Self {
        Self { value, ..self }
    }

    /// Its row of the table.
    pub fn row(&self) -> &'static Row {
        &rows()[usize::from(self.row)]
    }

    /// What it does.
    pub fn op(&self) -> Op {
        self.row().op
    }

    /// Where it leads when it stands at an address.
    pub fn leads(&self, address: Addr) -> Leads {
        let target = Addr(address.0.wrapping_add(self.value));
        match self.row().format {
            Format::Branch => Leads::Either(target),
            Format::Jump if self.rd == 0 => Leads::To(target),
            Format::Jump => Leads::Call(Some(target)),
            _ => match self.op() {
                Op::Jalr if self.rd != 0 => Leads::Call(None),
                Op::Jalr | Op::Mret => Leads::Away,
                _ => Leads::On,
            },
        }
    }
}

/// For opcode and funct3 of a word the rows it may belong to, in order.
static CANDIDATES: LazyLock<Vec<Vec<u8>>> = LazyLock::new(|| {
    let holds = |row: &Row, at: u32| {
        let (mask, word) = (row.mask & 0x707F, (at & 0x7F) | (at >> 7) << 12);
        word & mask == row.fixed & mask
    };
    let of = |at: u32| (0u8..).zip(rows()).filter(|(_, row)| holds(row, at)).map(|(index, _)| index).collect();
    (0..1 << 10).map(of).collect()
});

/// The instruction a word is; `None` when it is none.
pub fn decode(word: u32) -> Option<Insn> {
    let at = field(word, 0, 7) | field(word, 12, 3) << 7;
    let known = CANDIDATES.get(at as usize)?;
    let row = known.iter().copied().find(|index| {
        let row = &rows()[usize::from(*index)];
        word & row.mask == row.fixed
    })?;
    let (rd, rs1, rs2) = (five(word, 7), five(word, 15), five(word, 20));
    let upper = field(word, 20, 12);
    let insn = |rd, rs1, rs2, value| Insn { row, rd, rs1, rs2, value };
    Some(match rows()[usize::from(row)].format {
        Format::Registers => insn(rd, rs1, rs2, 0),
        Format::Immediate | Format::Load => insn(rd, rs1, 0, signed(upper, 12)),
        Format::Shift => insn(rd, rs1, 0, rs2.into()),
        Format::Store => insn(0, rs1, rs2, signed(field(word, 25, 7) << 5 | field(word, 7, 5), 12)),
        Format::Branch => {
            let distance = field(word, 31, 1) << 12 | field(word, 7, 1) << 11;
            insn(0, rs1, rs2, signed(distance | field(word, 25, 6) << 5 | field(word, 8, 4) << 1, 13))
        }
        Format::Upper => insn(rd, 0, 0, word & 0xFFFF_F000),
        Format::Jump => {
            let distance = field(word, 31, 1) << 20 | field(word, 12, 8) << 12;
            insn(rd, 0, 0, signed(distance | field(word, 20, 1) << 11 | field(word, 21, 10) << 1, 21))
        }
        Format::Csr | Format::CsrConstant | Format::Fence => insn(rd, rs1, 0, upper),
        Format::Fixed => insn(0, 0, 0, 0),
    })
}

/// The word of an instruction. Of constants the bits that its format has room for count.
pub fn encode(insn: Insn) -> u32 {
    let row = insn.row();
    let (rd, rs1, rs2) = (u32::from(insn.rd) << 7, u32::from(insn.rs1) << 15, u32::from(insn.rs2) << 20);
    let bits = |low: u32, bits: u32| field(insn.value, low, bits);
    row.fixed
        | match row.format {
            Format::Registers => rd | rs1 | rs2,
            Format::Immediate | Format::Load | Format::Csr | Format::CsrConstant | Format::Fence => {
                rd | rs1 | bits(0, 12) << 20
            }
            Format::Shift => rd | rs1 | bits(0, 5) << 20,
            Format::Store => rs1 | rs2 | bits(5, 7) << 25 | bits(0, 5) << 7,
            Format::Branch => rs1 | rs2 | bits(12, 1) << 31 | bits(5, 6) << 25 | bits(1, 4) << 8 | bits(11, 1) << 7,
            Format::Upper => rd | insn.value & 0xFFFF_F000,
            Format::Jump => rd | bits(20, 1) << 31 | bits(1, 10) << 21 | bits(11, 1) << 20 | bits(12, 8) << 12,
            Format::Fixed => 0,
        }
}

/// A branch goes.
#[expect(clippy::inline_always, reason = "with the operation known all but one of its cases falls away")]
#[inline(always)]
pub fn goes(op: Op, a: u32, b: u32) -> bool {
    match op {
        Op::Beq => a == b,
        Op::Bne => a != b,
        Op::Blt => a.cast_signed() < b.cast_signed(),
        Op::Bge => a.cast_signed() >= b.cast_signed(),
        Op::Bltu => a < b,
        _ => a >= b,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// What the standard's listing of opcodes says of a word, read off line by line: the name, and whether it is one.
    fn listed(word: u32) -> Option<&'static str> {
        let (funct3, funct7) = (word >> 12 & 7, word >> 25);
        let pick = |names: [&'static str; 8]| Some(names[funct3 as usize]).filter(|name| !name.is_empty());
        match word & 0x7F {
            0b011_0111 => Some("lui"),
            0b001_0111 => Some("auipc"),
            0b110_1111 => Some("jal"),
            0b110_0111 => Some("jalr").filter(|_| funct3 == 0),
            0b110_0011 => pick(["beq", "bne", "", "", "blt", "bge", "bltu", "bgeu"]),
            0b000_0011 => pick(["lb", "lh", "lw", "", "lbu", "lhu", "", ""]),
            0b010_0011 => pick(["sb", "sh", "sw", "", "", "", "", ""]),
            0b001_0011 => match (funct3, funct7) {
                (1, 0) => Some("slli"),
                (5, 0) => Some("srli"),
                (5, 0b010_0000) => Some("srai"),
                (1 | 5, _) => None,
                _ => pick(["addi", "", "slti", "sltiu", "xori", "", "ori", "andi"]),
            },
            0b011_0011 => match funct7 {
                0 => pick(["add", "sll", "slt", "sltu", "xor", "srl", "or", "and"]),
                1 => pick(["mul", "mulh", "mulhsu", "mulhu", "div", "divu", "rem", "remu"]),
                0b010_0000 => pick(["sub", "", "", "", "", "sra", "", ""]),
                _ => None,
            },
            0b000_1111 => pick(["fence", "fence.i", "", "", "", "", "", ""]),
            0b111_0011 => match (funct3, word >> 7) {
                (0, 0) => Some("ecall"),
                (0, 0x2000) => Some("ebreak"),
                (0, 0x0060_4000) => Some("mret"),
                (0, 0x0020_A000) => Some("wfi"),
                _ => pick(["", "csrrw", "csrrs", "csrrc", "", "csrrwi", "csrrsi", "csrrci"]),
            },
            _ => None,
        }
    }

    /// Distances and constants put together bit by bit, as the pictures of the formats have them.
    fn constant(word: u32) -> i64 {
        let bit = |at: u32| i64::from(word >> at & 1);
        let bits = |places: &[(u32, u32)], top: u32| {
            let sum: i64 = places.iter().map(|(from, to)| bit(*from) << to).sum();
            sum - (bit(31) << top)
        };
        let range = |from: u32, to: u32, count: u32| (0..count).map(move |at| (from + at, to + at));
        let all = |parts: &[(u32, u32, u32)]| {
            parts.iter().flat_map(|&(from, to, count)| range(from, to, count)).collect::<Vec<_>>()
        };
        match word & 0x7F {
            0b110_1111 => bits(&all(&[(21, 1, 10), (20, 11, 1), (12, 12, 8)]), 20),
            0b110_0011 => bits(&all(&[(8, 1, 4), (25, 5, 6), (7, 11, 1)]), 12),
            0b010_0011 => bits(&all(&[(7, 0, 5), (25, 5, 6)]), 11),
            _ => bits(&all(&[(20, 0, 11)]), 11),
        }
    }

    fn check(word: u32) {
        let decoded = decode(word);
        assert_eq!(decoded.map(|insn| insn.row().name), listed(word), "{word:08X}");
        let Some(insn) = decoded else { return };
        assert_eq!(encode(insn), word, "{word:08X} {insn:?}");
        if matches!(insn.row().format, Format::Jump | Format::Branch | Format::Store | Format::Immediate | Format::Load)
        {
            assert_eq!(i64::from(insn.value.cast_signed()), constant(word), "{word:08X}");
        }
        assert_eq!(Insn::new(insn.op(), (insn.rd, insn.rs1, insn.rs2), insn.value), insn);
    }

    /// All there is of what tells instructions apart, whatever their registers are.
    #[test]
    fn every_opcode_is_what_the_standard_lists() {
        for at in 0..1u32 << 17 {
            let (opcode, funct3, funct7) = (at & 0x7F, at >> 7 & 7, at >> 10);
            for registers in [0, 0x0010_0000, 0x0020_0000, 0x0050_0000, 0x01FF_8F80] {
                check(opcode | funct3 << 12 | funct7 << 25 | registers);
            }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(20_000))]

        #[test]
        fn words_are_what_the_standard_lists_and_come_back(word: u32, opcode in 0usize..12) {
            check(word);
            // Most words are no instruction: so that most of these are one.
            let codes = [0x37, 0x17, 0x6F, 0x67, 0x63, 0x03, 0x23, 0x13, 0x33, 0x0F, 0x73, 0x33];
            check(word & !0x7F | codes[opcode]);
            check(word & 0x41FF_FF80 | codes[opcode]);
        }

        /// What an instruction says it reads and writes are the registers its text names, and no others.
        #[test]
        fn registers_that_are_used_are_those_that_are_named(word: u32, opcode in 0usize..9) {
            let codes = [0x37, 0x17, 0x6F, 0x67, 0x63, 0x03, 0x23, 0x13, 0x33];
            let word = word & 0x41FF_FF80 | codes[opcode];
            if let Some(insn) = decode(word) {
                let uses = insn.uses();
                let text = super::super::text(insn, Addr(0x1_0000), &|_| None);
                let words: Vec<&str> = text.split(|sign: char| !sign.is_alphanumeric()).skip(1).collect();
                let named = words.iter().filter_map(|word| super::super::register_by_name(word));
                let named: u32 = named.filter(|register| register.0 != 0).map(|register| 1 << register.0).fold(0, |all, bit| all | bit);
                // The way back stands in `ret`, `jal` and `jalr` without being named.
                let quiet = if text.starts_with("ret") || text.starts_with("jal") { 1 << super::super::RA } else { 0 };
                prop_assert_eq!((uses.reads | uses.writes) & !quiet, named & !quiet, "{}", text);
            }
        }
    }
}
