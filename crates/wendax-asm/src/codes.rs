//! The kinds of things that can be wrong, as one table.

use wendax_source::{Code, Severity};

/// A kind of diagnostic.
#[derive(Debug, Clone, Copy)]
pub struct CodeInfo {
    /// Its number.
    pub code: Code,
    /// How much it matters.
    pub severity: Severity,
    /// What it is about, in a few words.
    pub title: &'static str,
}

macro_rules! codes {
    ($($name:ident = $number:literal $severity:ident $title:literal;)*) => {
        $(pub(crate) const $name: CodeInfo =
            CodeInfo { code: Code($number), severity: Severity::$severity, title: $title };)*
        /// All kinds, in order of their numbers.
        pub const CODES: &[CodeInfo] = &[$($name),*];
    };
}

codes! {
    STRAY = 1 Problem "a character that belongs to nothing";
    UNTERMINATED = 2 Problem "a text or character without its closing quote";
    ESCAPE = 3 Problem "an escape that is none";
    NUMBER = 4 Problem "a number that cannot be read";
    OTHER_NUMBER = 5 Problem "a number in the form of another dialect";
    OTHER_COMMENT = 6 Problem "a comment mark of another dialect";
    MISSING_COMMA = 10 Problem "a missing comma";
    MISSING_COLON = 11 Problem "a label without its colon";
    UNKNOWN_MNEMONIC = 12 Problem "an instruction that does not exist";
    UNKNOWN_DIRECTIVE = 13 Problem "a directive that does not exist";
    OPERANDS = 14 Problem "operands an instruction or directive does not take";
    EXTRA = 15 Problem "something left over at the end of a line";
    MISSING_VALUE = 16 Problem "a value is missing";
    UNCLOSED = 17 Problem "a bracket without its partner";
    TOO_DEEP = 18 Problem "an expression nested too deeply";
    UNKNOWN_NAME = 20 Problem "a name that is defined nowhere";
    WRONG_CASE = 21 Problem "a name in other letters than it was defined with";
    HEX_AS_NAME = 22 Problem "a hexadecimal number that reads as a name";
    TWICE = 23 Problem "a name defined twice";
    RESERVED = 24 Problem "a name that means something already";
    NO_SCOPE = 25 Problem "a local label before any label";
    SELF_DEFINED = 26 Problem "a constant defined by itself";
    RANGE = 30 Problem "a value out of range";
    ODD_TARGET = 31 Problem "a jump to an odd address";
    DIVISION = 32 Problem "a division by zero in an expression";
    UNKNOWN_CALL = 33 Problem "a system call that does not exist";
    OVERLAP = 40 Problem "two things at the same address";
    NO_ROOM = 41 Problem "a program that does not fit";
    UNSETTLED = 42 Problem "a size that depends on itself";
    BAD_ENTRY = 43 Problem "an entry that is no instruction";
    INTO_DATA = 50 Warning "code that can run into data";
    PAST_END = 51 Warning "code that can run past its end";
    NO_CODE = 52 Warning "a source without instructions";
    UNUSED = 60 Hint "a name that is never used";
}

#[cfg(test)]
mod tests {
    #[test]
    fn numbers_rise_and_so_never_repeat() {
        assert!(super::CODES.windows(2).all(|pair| pair[0].code < pair[1].code));
    }
}
