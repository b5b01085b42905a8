//! The kinds of cautions, as one table, each with a program that has it and the same as it is right. They are found in runs,
//! by the session; here stands what they are called, for guide, manifests and remarks.
//!
//! `docs/cautions.md` is written from this table, and tests run every example. What the text alone shows is a warning of the
//! assembler, in the same words; what is here shows in a run.

use std::fmt::{self, Write};

/// A kind of caution.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum CautionKind {
    /// A return that takes no way back.
    WayBack,
    /// A return with the stack pointer elsewhere than at the entry.
    Uneven,
    /// A register that is to be kept, and is not given back.
    Kept,
    /// A handler that leaves a register of what it interrupted changed.
    Handler,
    /// A counter or sum that a routine changed which was called meanwhile.
    Relied,
    /// A register that is read and was never set.
    NeverSet,
    /// An address made from a label that reaches past what lies there.
    Beyond,
    /// A room that is smaller than a call was told.
    Room,
    /// A text without its NUL.
    NoEnd,
    /// An address where what lies there was meant.
    Address,
    /// A count-down that begins at 0.
    FromZero,
    /// A counter that is set anew in each round.
    SetAnew,
    /// A stack that grows with each round.
    Growing,
    /// A comparison of which nothing is left when a jump looks.
    Overwritten,
    /// A failed call whose failure nobody looked at.
    Unlooked,
    /// Data that is run as code.
    IntoData,
    /// A jump whose condition is the same for any value.
    Settled,
    /// A carry that is lost between the words of a number.
    Carry,
    /// A routine that runs on into another.
    RunsOn,
    /// Numbers compared as if they had no sign, or addresses as if they had one.
    Signs,
    /// Data read in another width than it is given in.
    Width,
}

/// What a kind is, in words, with its examples.
#[derive(Debug, Clone, Copy)]
pub struct CautionInfo {
    /// The kind.
    pub kind: CautionKind,
    /// Its number, for the code.
    pub number: u16,
    /// What it is about, in a few words: those of the warning, where one tells it while writing.
    pub title: &'static str,
    /// The warnings and hints that tell it while writing, as far as the text alone shows it.
    pub warnings: &'static [u16],
    /// What is behind it, and what to do.
    pub about: &'static str,
    /// A program that has it and no other; what is typed stands behind `; typed:` in its last line.
    pub wrong: &'static str,
    /// The program as it is right.
    pub right: &'static str,
}

impl CautionKind {
    /// What is to be said of it.
    pub fn info(self) -> &'static CautionInfo {
        // Each kind has its row: a test goes through all.
        CAUTIONS.iter().find(|info| info.kind == self).unwrap_or(&CAUTIONS[0])
    }

    /// The kind of a code, as it is shown.
    pub fn of_code(code: &str) -> Option<Self> {
        let number: u16 = code.strip_prefix('C').filter(|digits| digits.len() == 2)?.parse().ok()?;
        CAUTIONS.iter().find(|info| info.number == number).map(|info| info.kind)
    }
}

/// Its code: `C07`.
impl fmt::Display for CautionKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "C{:02}", self.info().number)
    }
}

macro_rules! kinds {
    ($($kind:ident = $number:literal $([$($warning:literal),*])? $title:literal $about:literal $wrong:literal $right:literal;)*) => {
        /// All kinds, in order of their numbers.
        pub const CAUTIONS: &[CautionInfo] = &[$(CautionInfo {
            kind: CautionKind::$kind, number: $number, title: $title, warnings: &[$($($warning),*)?], about: $about, wrong: $wrong, right: $right,
        }),*];
    };
}

kinds! {
    WayBack = 1 [80, 53, 91] "a return that takes no way back"
        "A return goes to what it takes for the way back. Here that is another word: one that was pushed and not popped, or the way back was written over, or nothing was called at all."
        "start:  call  weigh\n        clr   r0\n        sys   exit\nweigh:  mov   r6, 2\n        push  r6\n        mov   r6, 3\n        ret"
        "start:  call  weigh\n        clr   r0\n        sys   exit\nweigh:  push  r6\n        mov   r6, 2\n        pop   r6\n        ret";
    Uneven = 2 [80] "a return with the stack pointer elsewhere than at the entry"
        "The way back is right, but the stack pointer is not where it was when the routine was entered, so whoever called finds other words on the stack."
        "        .target rv32\n_start: addi  sp, sp, -16\n        call  weigh\n        addi  sp, sp, 16\n        li    a0, 0\n        sys   exit\nweigh:  addi  sp, sp, -16\n        sw    a0, 12(sp)\n        addi  sp, sp, 12\n        ret"
        "        .target rv32\n_start: addi  sp, sp, -16\n        call  weigh\n        addi  sp, sp, 16\n        li    a0, 0\n        sys   exit\nweigh:  addi  sp, sp, -16\n        sw    a0, 12(sp)\n        addi  sp, sp, 16\n        ret";
    Kept = 3 [92] "a register that is to be kept and is not given back"
        "By convention a routine gives some registers back as it found them. Whoever called it goes on with another value than the one put there."
        "start:  mov   r6, 4\n        call  weigh\n        mov   r0, r6\n        sys   exit\nweigh:  mov   r6, 0\n        ret"
        "start:  mov   r6, 0\n        call  weigh\n        mov   r0, r6\n        sys   exit\nweigh:  push  r6\n        mov   r6, 1\n        pop   r6\n        ret";
    Handler = 4 "a handler that leaves a register of what it interrupted changed"
        "An interrupt comes between any two instructions. What its handler uses it must put by and give back, or the program goes on with values it never had."
        "start:  mov   r0, tick\n        stw   [16], r0\n        mov   r0, 60\n        stw   [0xFF22], r0\n        mov   r0, 3\n        stw   [0xFF24], r0\n        mov   r1, 40\n        ei\nwait:   djnz  r1, wait\n        di\n        clr   r0\n        sys   exit\ntick:   mov   r0, 4\n        stw   [0xFF24], r0\n        reti"
        "start:  mov   r0, tick\n        stw   [16], r0\n        mov   r0, 60\n        stw   [0xFF22], r0\n        mov   r0, 3\n        stw   [0xFF24], r0\n        mov   r1, 40\n        ei\nwait:   djnz  r1, wait\n        di\n        clr   r0\n        sys   exit\ntick:   push  r0\n        mov   r0, 4\n        stw   [0xFF24], r0\n        pop   r0\n        reti";
    Relied = 5 "a counter or sum that a routine changed which was called meanwhile"
        "A register that no routine has to keep counts or sums over a call, and what was called used it for something else. Put it by, or take one that is kept."
        "start:  mov   r2, 3\nnext:   call  weigh\n        djnz  r2, next\n        clr   r0\n        sys   exit\nweigh:  mov   r2, 1\n        ret"
        "start:  mov   r6, 3\nnext:   call  weigh\n        djnz  r6, next\n        clr   r0\n        sys   exit\nweigh:  mov   r2, 1\n        ret";
    NeverSet = 6 [84] "a register that is read and never set"
        "It holds 0 here, which is chance: nothing of the program put that there. In any role: as what is added to, as a counter, as an address."
        "start:  mov   r1, 3\nnext:   add   r6, r1\n        djnz  r1, next\n        mov   r0, 0\n        sys   exit"
        "start:  mov   r1, 3\n        clr   r6\nnext:   add   r6, r1\n        djnz  r1, next\n        mov   r0, 0\n        sys   exit";
    Beyond = 7 "an address made from a label that reaches past what lies there"
        "What is touched lies behind what the label names: in what another label names, or where nothing is. Mostly an index goes one too far, or counts words where bytes are meant."
        "start:  mov   r6, list\n        mov   r7, 4\n        clr   r1\nnext:   ldw   r2, [r6]\n        add   r1, r2\n        add   r6, 2\n        djnz  r7, next\n        clr   r0\n        sys   exit\n        .data\nlist:   .word 3, 4, 5\nother:  .word 1234, other"
        "start:  mov   r6, list\n        mov   r7, 3\n        clr   r1\nnext:   ldw   r2, [r6]\n        add   r1, r2\n        add   r6, 2\n        djnz  r7, next\n        clr   r0\n        sys   exit\n        .data\nlist:   .word 3, 4, 5\nother:  .word 1234, other";
    Room = 8 "a room that is smaller than a call was told"
        "A call fills a buffer up to the capacity it is told. The room named here is smaller, so what comes may go over what lies behind it."
        "start:  mov   r0, name\n        mov   r1, 40\n        sys   get_line\n        jc    none\nnone:   clr   r0\n        sys   exit\n        .data\nname:   .space 8\nsign:   .word 5, sign\n; typed: Ostrey"
        "start:  mov   r0, name\n        mov   r1, sizeof(name)\n        sys   get_line\n        jc    none\nnone:   clr   r0\n        sys   exit\n        .data\nname:   .space 8\nsign:   .word 5, sign\n; typed: Ostrey";
    NoEnd = 9 [56, 65] "a text without its NUL"
        "A text ends with a NUL. This one has none, so what lies behind it was printed too."
        "start:  mov   r0, sign\n        sys   put_text\n        clr   r0\n        sys   exit\n        .data\nsign:   .ascii \"Gate 2\"\nmore:   .word 0x4141, 0, more"
        "start:  mov   r0, sign\n        sys   put_text\n        clr   r0\n        sys   exit\n        .data\nsign:   .asciz \"Gate 2\"\n        .align 2\nmore:   .word 0x4141, 0, more";
    Address = 10 [63] "an address where what lies there is meant"
        "A label by itself is an address. To have what lies there it is loaded from."
        "start:  mov   r1, most\n        mov   r0, r1\n        sys   put_uint\n        clr   r0\n        sys   exit\n        .data\nmost:   .word 200"
        "start:  mov   r1, most\n        ldw   r0, [r1]\n        sys   put_uint\n        clr   r0\n        sys   exit\n        .data\nmost:   .word 200";
    FromZero = 11 "a count-down that begins at 0"
        "1 is taken off 0, which gives the largest number there is, and the loop goes on: as many rounds as there are numbers. Look whether there is anything to do before the loop."
        "start:  mov   r7, 2\n        sub   r7, 2\n        mov   r5, 3\nnext:   djnz  r5, on\n        clr   r0\n        sys   exit\non:     djnz  r7, next\n        clr   r0\n        sys   exit"
        "start:  mov   r7, 2\n        sub   r7, 1\n        mov   r5, 3\nnext:   djnz  r5, on\n        clr   r0\n        sys   exit\non:     djnz  r7, next\n        clr   r0\n        sys   exit";
    SetAnew = 12 "a counter that is set anew in each round"
        "The counter of the loop gets its first value within the loop, so it never comes to its end. What sets it belongs before the label that is jumped to."
        "start:  clr   r1\nnext:   mov   r7, 3\n        inc   r1\n        cmp   r1, 9\n        jeq   done\n        djnz  r7, next\ndone:   clr   r0\n        sys   exit"
        "start:  clr   r1\n        mov   r7, 3\nnext:   inc   r1\n        cmp   r1, 9\n        jeq   done\n        djnz  r7, next\ndone:   clr   r0\n        sys   exit";
    Growing = 13 "a stack that grows with each round"
        "Each round of the loop leaves a word on the stack. After some hundred rounds it reaches what lies below."
        "start:  mov   r7, 200\nnext:   push  r7\n        djnz  r7, next\n        mov   sp, 0xFE00\n        clr   r0\n        sys   exit"
        "start:  mov   r7, 200\nnext:   push  r7\n        pop   r6\n        djnz  r7, next\n        clr   r0\n        sys   exit";
    Overwritten = 14 "a comparison of which nothing is left when a jump looks"
        "Between a comparison and the jump that is to look at it another instruction set the flags. The jump sees those."
        "start:  mov   r1, 5\n        cmp   r1, 5\n        add   r1, 3\n        jeq   done\n        mov   r1, 0\ndone:   clr   r0\n        sys   exit"
        "start:  mov   r1, 5\n        add   r1, 3\n        cmp   r1, 8\n        jeq   done\n        mov   r1, 0\ndone:   clr   r0\n        sys   exit";
    Unlooked = 15 "a failed call whose failure nobody looked at"
        "The call failed, and what it left is the number of the error, which is no data. The program went on with it as if it were."
        "start:  sys   get_int\n        add   r0, 5\n        sys   put_int\n        clr   r0\n        sys   exit\n; typed: many"
        "start:  sys   get_int\n        jc    none\n        add   r0, 5\n        sys   put_int\nnone:   clr   r0\n        sys   exit\n; typed: many";
    IntoData = 16 [50, 51] "data that is run as code"
        "Execution went on past the last instruction into bytes that the source gives as data."
        "start:  mov   r1, 3\n        .word 0x2010\n        .word 0\n        clr   r0\n        sys   exit"
        "start:  mov   r1, 3\n        clr   r0\n        sys   exit\n        .word 0x2010\n        .word 0";
    Settled = 17 "a jump whose condition is the same for any value"
        "As unsigned numbers, nothing is less than 0: the jump is taken each time, or never. To tell numbers below 0 apart take the jump for signed ones."
        "start:  mov   r1, -3\n        cmp   r1, 0\n        jgeu  warm\n        neg   r1\nwarm:   clr   r0\n        sys   exit"
        "start:  mov   r1, -3\n        cmp   r1, 0\n        jge   warm\n        neg   r1\nwarm:   clr   r0\n        sys   exit";
    Carry = 18 "a carry that is lost between the words of a number"
        "Two numbers of several words are added, the lower words first. Their sum did not fit, and the sum of the next words does not take the carry: `adc` does, and `sbc` the borrow."
        "start:  ldw   r0, [west]\n        ldw   r1, [west + 2]\n        ldw   r2, [east]\n        ldw   r3, [east + 2]\n        add   r0, r2\n        add   r1, r3\n        clr   r0\n        sys   exit\n        .data\nwest:   .word 40000, 1\neast:   .word 30000, 1"
        "start:  ldw   r0, [west]\n        ldw   r1, [west + 2]\n        ldw   r2, [east]\n        ldw   r3, [east + 2]\n        add   r0, r2\n        adc   r1, r3\n        clr   r0\n        sys   exit\n        .data\nwest:   .word 40000, 1\neast:   .word 30000, 1";
    RunsOn = 19 [67] "a routine that runs on into another"
        "There is no return between them, so what comes behind is done as well, and here what the first one left as its result is written over. A routine that is meant to go on in the next one reads what it was given there."
        "start:  mov   r0, 3\n        call  twice\n        mov   r6, r0\n        call  most\n        sys   exit\ntwice:  add   r0, r0\nmost:   mov   r0, 9\n        ret"
        "start:  mov   r0, 3\n        call  twice\n        mov   r6, r0\n        call  most\n        sys   exit\ntwice:  add   r0, r0\n        ret\nmost:   mov   r0, 9\n        ret";
    Signs = 20 [64] "numbers compared as if they had no sign, or addresses as if they had one"
        "Of two numbers one is below 0, and the jump takes both as unsigned ones, where the one below 0 is the larger. Or an address is compared as a signed number. The other jump gives the other answer here."
        "start:  ldw   r1, [cold]\n        ldw   r2, [cold + 2]\n        cmp   r1, r2\n        jltu  first\n        mov   r1, r2\nfirst:  clr   r0\n        sys   exit\n        .data\ncold:   .word -3, 5"
        "start:  ldw   r1, [cold]\n        ldw   r2, [cold + 2]\n        cmp   r1, r2\n        jlt   first\n        mov   r1, r2\nfirst:  clr   r0\n        sys   exit\n        .data\ncold:   .word -3, 5";
    Width = 21 "data read in another width than it is given in"
        "Words are read where the source gives bytes, so that each takes two of them together; or bytes where it gives words, so that the upper part is lost."
        "start:  mov   r6, axles\n        mov   r7, 2\n        clr   r1\nnext:   ldw   r0, [r6]\n        add   r1, r0\n        add   r6, 2\n        djnz  r7, next\n        clr   r0\n        sys   exit\n        .data\naxles:  .byte 4, 2, 6, 4"
        "start:  mov   r6, axles\n        mov   r7, 4\n        clr   r1\nnext:   ldb   r0, [r6]\n        add   r1, r0\n        add   r6, 1\n        djnz  r7, next\n        clr   r0\n        sys   exit\n        .data\naxles:  .byte 4, 2, 6, 4";
}

/// `docs/cautions.md`, whole.
pub fn cautions_document() -> String {
    let mut out = String::from(
        "# Cautions\n\n<!-- Written by `cargo run -p wendax-asm --example problems`; a test holds it to the code. -->\n\n\
         A caution is what looks wrong *in a run*: at a step, with where it began. In the bench the account of the next\n\
         instruction tells it, a sign stands beside the line afterwards, and the pane `cautions` (`:` cautions) lists all of the run;\n\
         Enter goes to the step, and Enter once more to where it began. In the shell `wendax run --cautions FILE` writes them (text, or\n\
         JSON lines by the ending; `-` for standard error), and `--cautions-fail` makes them a status.\n\n\
         What is meant so is hushed at its line, with the reason: `; meant C07: the second table is read as a part of the\n\
         first`; for a whole program by the manifest, `meant = { C07 = \"why\" }`; for whatever program is open in the bench by\n\
         the settings, `hushed-cautions = [\"C07\"]`. What the text alone shows is told as a warning or a hint while it is\n\
         written, in the same words.\n",
    );
    for info in CAUTIONS {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "\n## {}: {}\n\n{}\n", info.kind, info.title, info.about);
        if !info.warnings.is_empty() {
            let codes: Vec<String> = info.warnings.iter().map(|code| format!("W{code:03}")).collect();
            let _ = writeln!(out, "While writing, as far as the text shows it: {}.\n", codes.join(", "));
        }
        let _ = writeln!(out, "```asm-wrong\n{}\n```\n\nRight:\n\n```asm\n{}\n```", info.wrong, info.right);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_kind_has_its_row_and_its_code_leads_back_to_it() {
        assert!(CAUTIONS.windows(2).all(|pair| pair[0].number < pair[1].number));
        for info in CAUTIONS {
            assert_eq!(info.kind.info().number, info.number);
            assert_eq!(CautionKind::of_code(&info.kind.to_string()), Some(info.kind));
        }
        assert_eq!([CautionKind::of_code("C7"), CautionKind::of_code("C99"), CautionKind::of_code("W07")], [None; 3]);
    }

    /// What is told while writing and in a run is told in the same words.
    #[test]
    fn warnings_of_the_same_have_the_same_words() {
        for info in CAUTIONS {
            for code in info.warnings {
                assert_eq!(crate::codes::code_info(*code).code.0, *code, "{}", info.kind);
            }
            if let [code] = info.warnings
                && info.kind != CautionKind::Uneven
                && info.kind != CautionKind::Signs
            {
                assert_eq!(crate::codes::code_info(*code).title, info.title);
            }
        }
        assert!(crate::codes::code_info(56).title.starts_with(CautionKind::NoEnd.info().title));
    }

    #[test]
    fn the_document_holds_todays_table() {
        let text = include_str!("../../../docs/cautions.md");
        assert!(text == cautions_document(), "run `cargo run -p wendax-asm --example problems`");
    }
}
