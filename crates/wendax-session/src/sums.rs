//! Additions, subtractions and shifts in columns of bits: what is carried, what comes out, and the flags that makes.
//!
//! Reckoned place by place, as one does by hand; tests hold it against what the machines do.

use std::num::IntErrorKind;
use wendax_machine::Computation;

/// Two numbers and what is done with them, in words of so many bits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Sum {
    /// The first.
    pub one: u32,
    /// The second; of a shift how many places.
    pub other: u32,
    /// What is done.
    pub operation: Computation,
    /// Bits of a word, up to 32.
    pub bits: u32,
}

/// The flags of a result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct SumFlags {
    /// Carry, or borrow; of a shift the last bit that left. None where it stays as it was.
    pub carry: Option<bool>,
    /// The result is zero.
    pub zero: bool,
    /// The sign of the result.
    pub negative: bool,
    /// The signed result has no room.
    pub overflow: bool,
}

impl Sum {
    /// Reads `120 + 40000`, `5 - 7`, `0x8001 << 3`, `-2 >> 1` and, with the sign, `-2 >>> 1`.
    pub fn read(text: &str, bits: u32) -> Result<Self, String> {
        let operations = [
            (">>>", Computation::ShiftSigned),
            ("<<", Computation::ShiftLeft),
            (">>", Computation::ShiftRight),
            ("+", Computation::Add),
            ("-", Computation::Subtract),
        ];
        let expected =
            "expected two numbers and what is done with them: 120 + 40000, 5 - 7, 0x8001 << 3, -2 >> 1, -2 >>> 1";
        // A sign before the first number is the number's.
        let begin = text.len() - text.trim_start().trim_start_matches('-').len();
        let signs = operations.iter().filter_map(|(sign, operation)| {
            let at = begin + text.get(begin..)?.find(sign)?;
            Some((at, text.get(at + sign.len()..)?, *operation))
        });
        // Of those that begin at one place the longest comes first in the list.
        let (at, other, operation) = signs.min_by_key(|(at, ..)| *at).ok_or(expected)?;
        let one = &text[..at];
        let mask = u32::MAX >> (32 - bits);
        let number = |text: &str| -> Result<u32, String> {
            let text = text.trim().replace('_', "");
            let (is_negative, digits) = text.strip_prefix('-').map_or((false, text.as_str()), |rest| (true, rest));
            let value = match (digits.strip_prefix("0x"), digits.strip_prefix("0b")) {
                (Some(hex), _) => u32::from_str_radix(hex, 16),
                (None, Some(binary)) => u32::from_str_radix(binary, 2),
                (None, None) => digits.parse(),
            };
            let value = value.map_err(|error| match error.kind() {
                IntErrorKind::PosOverflow => format!("`{}` has no room in {bits} bits", text.trim()),
                _ => format!("`{}` is no number; {expected}", text.trim()),
            })?;
            let value = i64::from(value);
            let value = if is_negative { -value } else { value };
            let range = -(i64::from(mask) / 2 + 1)..=i64::from(mask);
            if !range.contains(&value) {
                return Err(format!("{value} has no room in {bits} bits: {} to {}", range.start(), range.end()));
            }
            u32::try_from(value & i64::from(mask)).map_err(|error| error.to_string())
        };
        let (one, other) = (number(one)?, number(other)?);
        let is_shift = !matches!(operation, Computation::Add | Computation::Subtract);
        if is_shift && other >= bits {
            return Err(format!("a shift goes by 0 to {} places", bits - 1));
        }
        Ok(Self { one, other, operation, bits })
    }

    /// A bit of a number, by its place from the right.
    pub fn bit(value: u32, place: u32) -> u32 {
        value >> place & 1
    }

    /// What is carried into each place, and at last out of the highest; of a subtraction what is borrowed.
    pub fn carries(&self) -> Vec<bool> {
        let mut carries = vec![false];
        for place in 0..self.bits {
            let (one, other) = (Self::bit(self.one, place), Self::bit(self.other, place));
            let carry = u32::from(carries.last() == Some(&true));
            carries.push(match self.operation {
                Computation::Add => one + other + carry > 1,
                Computation::Subtract => one < other + carry,
                _ => false,
            });
        }
        carries
    }

    /// The result.
    pub fn result(&self) -> u32 {
        let mask = u32::MAX >> (32 - self.bits);
        let unused = 32 - self.bits;
        match self.operation {
            Computation::Add => self.one.wrapping_add(self.other) & mask,
            Computation::Subtract => self.one.wrapping_sub(self.other) & mask,
            Computation::ShiftLeft => self.one << self.other & mask,
            Computation::ShiftRight => self.one >> self.other,
            Computation::ShiftSigned => {
                ((self.one << unused).cast_signed() >> unused >> self.other).cast_unsigned() & mask
            }
        }
    }

    /// The flags it makes.
    pub fn flags(&self) -> SumFlags {
        let result = self.result();
        let top = self.bits - 1;
        let carries = self.carries();
        let out = match (self.operation, self.other) {
            (Computation::Add | Computation::Subtract, _) => carries.last().copied(),
            (_, 0) => None,
            (Computation::ShiftLeft, by) => Some(Self::bit(self.one, self.bits - by) != 0),
            (Computation::ShiftRight | Computation::ShiftSigned, by) => Some(Self::bit(self.one, by - 1) != 0),
        };
        let differs = |a: u32, b: u32| Self::bit(a, top) != Self::bit(b, top);
        let overflow = match self.operation {
            Computation::Add => differs(self.one, result) && differs(self.other, result),
            Computation::Subtract => differs(self.one, self.other) && differs(self.one, result),
            _ => false,
        };
        SumFlags { carry: out, zero: result == 0, negative: Self::bit(result, top) != 0, overflow }
    }
}

impl Sum {
    /// A sum or a difference in rows under each other, with what is carried above.
    pub(crate) fn rows(&self) -> Vec<String> {
        let (name, sign) = match self.operation {
            Computation::Add => ("carried", "+"),
            Computation::Subtract => ("borrowed", "\u{2212}"),
            _ => return Vec::new(),
        };
        let carries = self.carries();
        let into = (0..self.bits).filter(|place| carries[*place as usize]).fold(0, |sum, place| sum | 1 << place);
        let leaves = if carries.last() == Some(&true) { "  1 leaves" } else { "" };
        let row = |head: &str, value: u32, tail: &str| format!("{head:>8} {}{tail}", bits(value, self.bits));
        vec![row(name, into, leaves), row("", self.one, ""), row(sign, self.other, ""), row("=", self.result(), "")]
    }
}

/// A word in binary, in groups of four.
pub(crate) fn bits(value: u32, width: u32) -> String {
    let digits: Vec<char> = format!("{value:0width$b}", width = width as usize).chars().collect();
    digits.chunks(4).map(|group| group.iter().collect::<String>()).collect::<Vec<_>>().join(" ")
}
