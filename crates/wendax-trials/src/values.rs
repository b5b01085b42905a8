//! Values that a row goes through: a list, a range, the edges of what a word can hold, random ones.
//!
//! The same words give the same values on every machine that is told of.

use wendax_isa::Target;
use wendax_machine::by_chance;

/// Values of one set, at most.
pub const MOST: u64 = 100_000;

/// Numbers at which arithmetic goes over an edge.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Edges {
    /// Those of a signed word.
    Word,
    /// Those of an unsigned word.
    Unsigned,
    /// Those of a byte, signed and not.
    Byte,
}

/// Values to go through.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Set {
    /// These.
    List(Vec<i64>),
    /// From the first to the last, so far apart.
    Range {
        /// The first.
        from: i64,
        /// None is beyond this.
        to: i64,
        /// At least 1.
        by: i64,
    },
    /// Edges.
    Edges(Edges),
    /// So many of a range, by chance.
    Random {
        /// How many.
        count: u64,
        /// The least and the greatest; those of a signed word when it is not said.
        within: Option<(i64, i64)>,
        /// Where chance begins.
        seed: u64,
    },
}

/// How many edges each kind has.
const EDGES: usize = 10;

impl Set {
    /// Reads the words of one: `1..9`, `0..100 by 10`, `edges`, `edges unsigned`, `edges of byte`, `random 20`,
    /// `random 20 from -5 to 5 seed 3`.
    ///
    /// # Errors
    ///
    /// What it takes.
    pub fn read(text: &str) -> Result<Self, String> {
        let words: Vec<&str> = text.split_whitespace().collect();
        let wrong = || {
            format!(
                "`{text}` is no set of values: [1, 2, 9], \"1..9\", \"0..100 by 10\", \"edges\", \"edges unsigned\", \
                 \"edges of byte\", \"random 20 from -5 to 5 seed 3\""
            )
        };
        let number = |word: &str| whole(word).ok_or_else(wrong);
        let set = match words.as_slice() {
            ["edges"] => Self::Edges(Edges::Word),
            ["edges", "unsigned"] => Self::Edges(Edges::Unsigned),
            ["edges", "of", "byte"] => Self::Edges(Edges::Byte),
            ["random", count, rest @ ..] => {
                let count = u64::try_from(number(count)?).map_err(|_| wrong())?;
                let (within, rest) = match rest {
                    ["from", from, "to", to, rest @ ..] => (Some((number(from)?, number(to)?)), rest),
                    rest => (None, rest),
                };
                let seed = match rest {
                    [] => 0,
                    ["seed", seed] => u64::try_from(number(seed)?).map_err(|_| wrong())?,
                    _ => return Err(wrong()),
                };
                if within.is_some_and(|(from, to)| from > to) {
                    return Err(format!("`{text}`: the least comes first: from -5 to 5"));
                }
                Self::Random { count, within, seed }
            }
            [range, rest @ ..] if range.contains("..") => {
                let by = match rest {
                    [] => 1,
                    ["by", by] => number(by)?,
                    _ => return Err(wrong()),
                };
                let (from, to) = range.split_once("..").ok_or_else(wrong)?;
                let (from, to) = (number(from)?, number(to)?);
                if by < 1 || from > to {
                    return Err(format!("`{text}`: a range goes up: 1..9, 0..100 by 10"));
                }
                Self::Range { from, to, by }
            }
            _ => return Err(wrong()),
        };
        set.checked(text)
    }

    /// The same, when there are not too many.
    pub(crate) fn checked(self, text: &str) -> Result<Self, String> {
        match self.len() {
            0 => Err(format!("`{text}` has no value in it")),
            count if count > MOST => Err(format!("`{text}` has {count} values; {MOST} at most are gone through")),
            _ => Ok(self),
        }
    }

    /// How many there are.
    pub fn len(&self) -> u64 {
        match self {
            Self::List(list) => list.len() as u64,
            Self::Range { from, to, by } => {
                let more = (i128::from(*to) - i128::from(*from)) / i128::from(*by);
                u64::try_from(more).unwrap_or(u64::MAX).saturating_add(1)
            }
            Self::Edges(_) => EDGES as u64,
            Self::Random { count, .. } => *count,
        }
    }

    /// There is none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The one of a number below [`Self::len`].
    pub fn value(&self, index: u64, target: &Target) -> i64 {
        let top = i64::from(target.word_mask());
        let greatest = top >> 1;
        match self {
            Self::List(list) => usize::try_from(index).ok().and_then(|index| list.get(index)).copied().unwrap_or(0),
            Self::Range { from, by, .. } => {
                let more = i128::from(index) * i128::from(*by);
                i64::try_from(i128::from(*from) + more).unwrap_or(i64::MAX)
            }
            Self::Edges(kind) => {
                let edges: [i64; EDGES] = match kind {
                    Edges::Word => {
                        [0, 1, -1, 2, -2, greatest, -greatest - 1, greatest - 1, -greatest, greatest / 2 + 1]
                    }
                    Edges::Unsigned => [0, 1, 2, 127, 128, 255, 256, greatest, greatest + 1, top],
                    Edges::Byte => [0, 1, 2, 126, 127, 128, 129, 253, 254, 255],
                };
                usize::try_from(index).ok().and_then(|index| edges.get(index)).copied().unwrap_or(0)
            }
            Self::Random { within, seed, .. } => {
                let (from, to) = within.unwrap_or((-greatest - 1, greatest));
                let span = (i128::from(to) - i128::from(from) + 1).max(1);
                let more = i128::from(by_chance(*seed, index)) % span;
                i64::try_from(i128::from(from) + more).unwrap_or(from)
            }
        }
    }
}

/// A whole number: 12, -3, 0x1F, 0b101, with `_` where it is long.
fn whole(word: &str) -> Option<i64> {
    let plain = word.replace('_', "");
    let (sign, digits) = plain.strip_prefix('-').map_or((1, plain.as_str()), |digits| (-1, digits));
    let number = match digits.get(..2) {
        Some("0x" | "0X") => i64::from_str_radix(&digits[2..], 16),
        Some("0b" | "0B") => i64::from_str_radix(&digits[2..], 2),
        _ if digits.starts_with(|sign: char| sign.is_ascii_digit()) => digits.parse(),
        _ => return None,
    };
    number.ok()?.checked_mul(sign)
}
