//! The kinds of things that can be wrong, as one table, each with an example of it and of how it is right.
//!
//! The guide to problems, `docs/problems.md`, is written from this table; a test holds every example to it.

use std::fmt::Write;
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
    /// A text that has it.
    pub wrong: &'static str,
    /// The text as it is right.
    pub right: &'static str,
}

macro_rules! codes {
    ($($name:ident = $number:literal $severity:ident $title:literal $wrong:literal $right:literal;)*) => {
        $(pub(crate) const $name: CodeInfo = CodeInfo {
            code: Code($number), severity: Severity::$severity, title: $title, wrong: $wrong, right: $right,
        };)*
        /// All kinds, in order of their numbers.
        pub const CODES: &[CodeInfo] = &[$($name),*];
    };
}

codes! {
    STRAY = 1 Problem "a character that belongs to nothing"
        "        mov   r1, 5 ?\n        halt" "        mov   r1, 5\n        halt";
    UNTERMINATED = 2 Problem "a text or character without its closing quote"
        "        halt\n.data\nsign:   .asciz \"Gate 2\n        .word sign" "        halt\n.data\nsign:   .asciz \"Gate 2\"\n        .word sign";
    ESCAPE = 3 Problem "an escape that is none"
        "        mov   r1, '\\q'\n        halt" "        mov   r1, '\\n'\n        halt";
    NUMBER = 4 Problem "a number that cannot be read"
        "        mov   r1, 0b102\n        halt" "        mov   r1, 0b101\n        halt";
    OTHER_NUMBER = 5 Problem "a number in the form of another dialect"
        "        mov   r1, 0FFh\n        halt" "        mov   r1, 0xFF\n        halt";
    OTHER_COMMENT = 6 Problem "a comment mark of another dialect"
        "        halt            // the end" "        halt            ; the end";
    MISSING_COMMA = 10 Problem "a missing comma"
        "        mov   r1 5\n        halt" "        mov   r1, 5\n        halt";
    MISSING_COLON = 11 Problem "a label without its colon"
        "again   inc   r1\n        jmp   again" "again:  inc   r1\n        jmp   again";
    UNKNOWN_MNEMONIC = 12 Problem "an instruction that does not exist"
        "        muv   r1, 5\n        halt" "        mov   r1, 5\n        halt";
    UNKNOWN_DIRECTIVE = 13 Problem "a directive that does not exist"
        "        halt\n.date" "        halt\n.data";
    OPERANDS = 14 Problem "operands an instruction or directive does not take"
        "        ldw   r1, total\n        halt\n.data\ntotal:  .word 5" "        ldw   r1, [total]\n        halt\n.data\ntotal:  .word 5";
    EXTRA = 15 Problem "something left over at the end of a line"
        "        .code now\n        halt" "        .code           ; now\n        halt";
    MISSING_VALUE = 16 Problem "a value is missing"
        "        mov   r1, 2 +\n        halt" "        mov   r1, 2 + 3\n        halt";
    UNCLOSED = 17 Problem "a bracket without its partner"
        "        mov   r1, (2 + 3\n        halt" "        mov   r1, (2 + 3)\n        halt";
    TOO_DEEP = 18 Problem "an expression nested too deeply"
        "        .word ----------------------------------------------------------------------5"
        "        .word -5";
    UNKNOWN_NAME = 20 Problem "a name that is defined nowhere"
        "again:  jmp   agian" "again:  jmp   again";
    WRONG_CASE = 21 Problem "a name in other letters than it was defined with"
        "again:  jmp   Again" "again:  jmp   again";
    HEX_AS_NAME = 22 Problem "a hexadecimal number that reads as a name"
        "        mov   r1, FF\n        halt" "        mov   r1, 0xFF\n        halt";
    TWICE = 23 Problem "a name defined twice"
        "again:  inc   r1\nagain:  jmp   again" "again:  inc   r1\nback:   jmp   again\n        jmp   back";
    RESERVED = 24 Problem "a name that means something already"
        "r1:     jmp   here" "first:  jmp   first";
    NO_SCOPE = 25 Problem "a local label before any label"
        "@next:  inc   r1\n        halt" "count:  inc   r1\n@next:  jmp   @next\n        jmp   count";
    SELF_DEFINED = 26 Problem "a constant defined by itself"
        ".equ A, B + 1\n.equ B, A - 1\n        mov   r1, A\n        halt" ".equ A, 5\n.equ B, A - 1\n        mov   r1, B\n        halt";
    RANGE = 30 Problem "a value out of range"
        "        halt\n.data\n        .byte 256" "        halt\n.data\n        .word 256";
    ODD_TARGET = 31 Problem "a jump to an odd address"
        "        jmp   on\n        .byte 1\non:     halt" "        jmp   on\n        .byte 1\n        .align 2\non:     halt";
    DIVISION = 32 Problem "a division by zero in an expression"
        "        mov   r1, 100 / (3 - 3)\n        halt" "        mov   r1, 100 / 3\n        halt";
    UNKNOWN_CALL = 33 Problem "a system call that does not exist"
        "        sys   put_txet\n        halt" "        sys   put_text\n        halt";
    OVERLAP = 40 Problem "two things at the same address"
        "        halt\n.data\n.org 0x0200\n        .word 1" "        halt\n.data\n.org 0x0400\n        .word 1";
    NO_ROOM = 41 Problem "a program that does not fit"
        "        halt\n.data\n        .space 61000" "        halt\n.data\n        .space 600";
    UNSETTLED = 42 Problem "a size that depends on itself"
        "        halt\n.data\na:      .space b - a + 1\nb:      .word a" "        halt\n.data\na:      .space 8\nb:      .word a, b";
    BAD_ENTRY = 43 Problem "an entry that is no instruction"
        ".entry table\n        halt\n.data\ntable:  .word 1" ".entry go\ngo:     halt\n.data\n        .word 1";
    INTO_DATA = 50 Warning "code that can run into data"
        "        mov   r1, 5\n        .word 1\n        halt" "        mov   r1, 5\n        halt\n        .word 1";
    PAST_END = 51 Warning "code that can run past its end"
        "        mov   r1, 5" "        mov   r1, 5\n        sys   exit";
    NO_CODE = 52 Warning "a source without instructions"
        "; nothing yet" "        halt";
    UNUSED = 60 Hint "a name that is never used"
        "        halt\nspare:  halt" "        jmp   spare\nspare:  halt";
}

/// `docs/problems.md`, whole.
pub fn problems_document() -> String {
    let mut out = String::from(
        "# Problems, warnings and hints\n\n<!-- Written by `cargo run -p wendax-asm --example problems`; a test holds it to the code. -->\n\n\
         Each kind of thing that can be wrong with a source has a number, and here an example of it with the same text\n\
         as it is right.\n",
    );
    for info in CODES {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "\n## {}: {}\n\nA {}.\n", info.code, info.title, info.severity.word());
        let _ = writeln!(out, "```asm-wrong\n{}\n```\n\nRight:\n\n```asm\n{}\n```", info.wrong, info.right);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assemble;
    use wendax_source::Sources;

    fn found(text: &str) -> Vec<Code> {
        let (sources, file) = Sources::single("example", text);
        assemble(&sources, file).diagnostics.into_iter().map(|diagnostic| diagnostic.code).collect()
    }

    #[test]
    fn numbers_rise_and_so_never_repeat() {
        assert!(CODES.windows(2).all(|pair| pair[0].code < pair[1].code));
    }

    #[test]
    fn each_wrong_example_has_its_problem_alone_and_each_right_one_has_none() {
        let wrong = CODES.iter().filter(|info| found(info.wrong) != [info.code]);
        let wrong: Vec<_> = wrong.map(|info| (info.code, info.wrong, found(info.wrong))).collect();
        assert!(wrong.is_empty(), "{wrong:#?}");
        let right = CODES.iter().filter(|info| !found(info.right).is_empty());
        let right: Vec<_> = right.map(|info| (info.code, info.right, found(info.right))).collect();
        assert!(right.is_empty(), "{right:#?}");
    }

    #[test]
    fn the_document_holds_todays_table() {
        let text = include_str!("../../../docs/problems.md");
        assert!(text == problems_document(), "run `cargo run -p wendax-asm --example problems`");
    }
}
