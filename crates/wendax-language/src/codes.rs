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
        $(pub const $name: CodeInfo = CodeInfo {
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
        "        halt\n.data\n        .word sign\nsign:   .asciz \"Gate 2" "        halt\n.data\n        .word sign\nsign:   .asciz \"Gate 2\"";
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
        "again   mov   r1, 2\n        jmp   again" "again:  mov   r1, 2\n        jmp   again";
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
    ORDER = 19 Problem "operands of a load or store in the wrong order"
        "        ldw   [total], r1\n        halt\n.data\ntotal:  .word 5" "        ldw   r1, [total]\n        halt\n.data\ntotal:  .word 5";
    UNKNOWN_NAME = 20 Problem "a name that is defined nowhere"
        "again:  jmp   agian" "again:  jmp   again";
    WRONG_CASE = 21 Problem "a name in other letters than it was defined with"
        "again:  jmp   Again" "again:  jmp   again";
    HEX_AS_NAME = 22 Problem "a hexadecimal number that reads as a name"
        "        mov   r1, FF\n        halt" "        mov   r1, 0xFF\n        halt";
    TWICE = 23 Problem "a name defined twice"
        "again:  mov   r1, 2\nagain:  jmp   again" "again:  mov   r1, 2\n        jz    back\nback:   jmp   again";
    RESERVED = 24 Problem "a name that means something already"
        "r1:     jmp   here" "first:  jmp   first";
    NO_SCOPE = 25 Problem "a local label before any label"
        "@next:  mov   r1, 2\n        halt" "count:  mov   r1, 2\n@next:  jz    @next\n        jmp   count";
    SELF_DEFINED = 26 Problem "a constant defined by itself"
        ".equ A, B + 1\n.equ B, A - 1\n        mov   r1, A\n        halt" ".equ A, 5\n.equ B, A - 1\n        mov   r1, B\n        halt";
    UNRESOLVED = 27 Problem "a name said to be in another file that no file makes known"
        "        .extern weigh\n        call  weigh\n        halt"
        "        .extern weigh\n        call  weigh\n        halt\n; file: weigh.asm\n        .global weigh\nweigh:  ret";
    OTHER_FILE = 28 Problem "a name of another file, used without saying so"
        "        call  weigh\n        halt\n; file: weigh.asm\n        .global weigh\nweigh:  ret"
        "        .extern weigh\n        call  weigh\n        halt\n; file: weigh.asm\n        .global weigh\nweigh:  ret";
    NOT_YET = 29 Problem "a value that must be known above, and is not"
        "        .if   LIMIT > 5\n        nop\n        .endif\n        halt\n.equ LIMIT, 9"
        ".equ LIMIT, 9\n        .if   LIMIT > 5\n        nop\n        .endif\n        halt";
    RANGE = 30 Problem "a value out of range"
        "        halt\n.data\n        .byte 256" "        halt\n.data\n        .word 256";
    ODD_TARGET = 31 Problem "a jump to an odd address"
        "        jmp   on\n        .byte 1\non:     halt" "        jmp   on\n        .byte 1\n        .align 2\non:     halt";
    DIVISION = 32 Problem "a division by zero in an expression"
        "        mov   r1, 100 / (3 - 3)\n        halt" "        mov   r1, 100 / 3\n        halt";
    UNKNOWN_CALL = 33 Problem "a system call that does not exist"
        "        sys   put_txet\n        halt" "        sys   put_text\n        halt";
    UNPLACED = 34 Problem "a value in an object file that only linking knows"
        "        .extern lamps\n        mov   r1, lamps / 2\n        halt"
        "        .extern lamps\n        mov   r1, lamps + 2\n        halt";
    FAR = 35 Problem "a jump out of memory"
        "start:  jmp   start - 1000" "start:  jmp   start";
    DATA_TARGET = 36 Warning "a jump to data"
        "        jmp   total\n.data\ntotal:  .word 5" "        jmp   on\non:     ldw   r1, [total]\n        halt\n.data\ntotal:  .word 5";
    NOT_CLOSED = 37 Problem "a macro, repeat or condition that is never closed"
        ".equ LAMPS, 1\n        .if   LAMPS\n        nop\n        halt" ".equ LAMPS, 1\n        .if   LAMPS\n        nop\n        .endif\n        halt";
    UNOPENED = 38 Problem "an end of a macro, repeat or condition that was never opened"
        "        nop\n        .endif\n        halt" ".equ LAMPS, 1\n        .if   LAMPS\n        nop\n        .endif\n        halt";
    ENDLESS = 39 Problem "something that unfolds or includes itself without end"
        "        .macro AGAIN\n        AGAIN\n        .endmacro\n        AGAIN\n        halt"
        "        .macro AGAIN n\n        nop\n        .if   {n}\n        AGAIN {n} - 1\n        .endif\n        .endmacro\n        AGAIN 3\n        halt";
    OVERLAP = 40 Problem "two things at the same address"
        "        halt\n.data\n.org 0x0200\n        .word 1" "        halt\n.data\n.org 0x0400\n        .word 1";
    NO_ROOM = 41 Problem "a program that does not fit"
        "        halt\n.data\n        .space 61000" "        halt\n.data\n        .space 600";
    UNSETTLED = 42 Problem "a size that depends on itself"
        "        halt\n.data\na:      .space b - a + 1\nb:      .word a" "        halt\n.data\na:      .space 8\nb:      .word a, b";
    BAD_ENTRY = 43 Problem "an entry that is no instruction"
        ".entry table\n        halt\n.data\ntable:  .word 1" ".entry go\ngo:     halt\n.data\n        .word 1";
    FILE = 44 Problem "a file that cannot be had"
        "        .include \"frame.inc\"\n        halt" "        .include \"frames.inc\"\n        halt\n; file: frames.inc";
    OWN_ERROR = 45 Problem "an error the source raises itself"
        ".equ LAMPS, 17\n        .if   LAMPS > 16\n        .error \"there are 16 lamps\"\n        .endif\n        halt"
        ".equ LAMPS, 16\n        .if   LAMPS > 16\n        .error \"there are 16 lamps\"\n        .endif\n        halt";
    OWN_ASSERT = 46 Problem "a claim of the source that does not hold"
        "        halt\n.data\nline:   .space 30\n        .assert sizeof(line) == 32, \"lines are 32 bytes\""
        "        halt\n.data\nline:   .space 32\n        .assert sizeof(line) == 32, \"lines are 32 bytes\"";
    INTO_DATA = 50 Warning "code that can run into data"
        "        mov   r1, 5\n        .word 1\n        halt" "        mov   r1, 5\n        halt\n        .word 1";
    PAST_END = 51 Warning "code that can run past its end"
        "        mov   r1, 5" "        mov   r1, 5\n        sys   exit";
    NO_CODE = 52 Warning "a source without instructions"
        "; nothing yet" "        halt";
    RET_UNCALLED = 53 Warning "a return that nothing called for"
        "start:  call  weigh\nweigh:  mov   r1, 2\n        ret" "start:  call  weigh\n        sys   exit\nweigh:  mov   r1, 2\n        ret";
    UNREACHED = 54 Warning "code that nothing reaches"
        "        sys   exit\nspare:  mov   r1, 2\n        jmp   spare" "        jz    spare\n        sys   exit\nspare:  mov   r1, 2\n        jmp   spare";
    ODD_WORD = 55 Warning "words at an odd address"
        "        ldw   r1, [load]\n        halt\n.data\nmark:   .byte 1\nload:   .word 120, mark"
        "        ldw   r1, [load]\n        halt\n.data\nmark:   .byte 1\n        .align 2\nload:   .word 120, mark";
    NO_NUL = 56 Warning "a text without its NUL, given to a call that needs one"
        "        mov   r0, sign\n        sys   put_text\n        sys   exit\n.data\nsign:   .ascii \"Gate 2\""
        "        mov   r0, sign\n        sys   put_text\n        sys   exit\n.data\nsign:   .asciz \"Gate 2\"";
    ZERO_DIVISOR = 57 Warning "a division by the constant 0"
        "        div   r1, 0\n        halt" "        div   r1, 10\n        halt";
    WIDE_SHIFT = 58 Warning "a shift by more places than there are"
        "        shl   r1, 16\n        halt" "        shl   r1, 15\n        halt";
    ODD_ACCESS = 59 Warning "a word at an odd address, loaded or stored"
        "        ldw   r1, [marks + 1]\n        halt\n.data\nmarks:  .byte 1, 2"
        "        ldb   r1, [marks + 1]\n        halt\n.data\nmarks:  .byte 1, 2";
    UNUSED = 60 Hint "a name that is never used"
        ".equ LIMIT, 5\n        halt" ".equ LIMIT, 5\n        mov   r1, LIMIT\n        halt";
    LOOKS_ALIKE = 61 Hint "a number with the same digits in both bases"
        ".equ LIMIT, 0x100\n        cmp   r1, LIMIT\n        cmp   r2, 100\n        halt"
        ".equ LIMIT, 0x100\n        cmp   r1, LIMIT\n        cmp   r2, 0x100\n        halt";
    LOOKS_OCTAL = 62 Hint "a decimal number that begins with 0"
        "        mov   r1, 010\n        halt" "        mov   r1, 10\n        halt";
    ADDRESS_FOR_VALUE = 63 Hint "an address where what lies there is meant"
        "        mov   r0, most\n        sys   put_uint\n        halt\n.data\nmost:   .word 200"
        "        ldw   r0, [most]\n        sys   put_uint\n        halt\n.data\nmost:   .word 200";
    BOTH_KINDS = 64 Hint "signed and unsigned jumps on one comparison"
        "start:  cmp   r1, r2\n        jlt   start\n        jgtu  start\n        halt"
        "start:  cmp   r1, r2\n        jltu  start\n        jgtu  start\n        halt";
    RUNS_ON = 65 Hint "a text without its NUL, which runs on into the next one"
        "        mov   r0, one\n        sys   put_text\n        mov   r0, two\n        sys   put_text\n        halt\n.data\none:    .ascii \"un\"\ntwo:    .asciz \"loaded\""
        "        mov   r0, one\n        sys   put_text\n        mov   r0, two\n        sys   put_text\n        halt\n.data\none:    .asciz \"un\"\ntwo:    .asciz \"loaded\"";
    MEANT = 66 Hint "a remark that something is meant, which hushes nothing"
        "start:  sys   exit            ; meant W060: it is for others" "start:  sys   exit            ; the end";
    RUNS_INTO = 67 Hint "a routine that runs on into another"
        "start:  call  show\n        call  line\n        halt\nshow:   sys   put_uint\nline:   mov   r0, '\\n'\n        sys   put_char\n        ret"
        "start:  call  show\n        call  line\n        halt\nshow:   sys   put_uint\n        ret\nline:   mov   r0, '\\n'\n        sys   put_char\n        ret";
    MANIFEST_FORM = 70 Problem "a manifest that is no TOML"
        "name = \"gate" "name = \"gate\"";
    MANIFEST_KEY = 71 Problem "a key no manifest has"
        "nmae = \"gate\"" "name = \"gate\"";
    MANIFEST_VALUE = 72 Problem "a value a manifest cannot take there"
        "sources = \"main.asm\"" "sources = [\"main.asm\"]";
    MANIFEST_FILES = 73 Problem "files a manifest names that are not there"
        "sources = [\"mian.asm\"]" "sources = [\"main.asm\"]";
    MANIFEST_REACH = 74 Problem "a folder outside of the project's that nobody has allowed"
        "files = \"../yard\"" "files = \"files\"";
    UNEVEN_STACK = 80 Warning "a return with words pushed and not popped, or popped and not pushed"
        "start:  call  weigh\n        halt\nweigh:  push  r6\n        mov   r6, 5\n        ret"
        "start:  call  weigh\n        halt\nweigh:  push  r6\n        mov   r6, 5\n        pop   r6\n        ret";
    STORE_TO_CODE = 81 Warning "a store to code"
        "        stw   [count], r1\n        halt\ncount:  .word 5"
        "        stw   [count], r1\n        halt\n.data\ncount:  .word 5";
    NO_CALL = 82 Warning "a system call by a number that none has"
        "        sys   0x77\n        halt" "        sys   0x10\n        halt";
    LABEL_LIKE_INSTRUCTION = 83 Warning "a label named like an instruction"
        "        inc   r1\nret:\n        halt" "        inc   r1\nback:   jz    back\n        halt";
    NEVER_SET = 84 Warning "a register that is read and never set"
        "        mov   r1, 3\nnext:   add   r6, r1\n        djnz  r1, next\n        halt"
        "        mov   r1, 3\n        clr   r6\nnext:   add   r6, r1\n        djnz  r1, next\n        halt";
    TURNED = 85 Warning "a sign that is not seen and turns the text beside it"
        "        halt            ; \u{202E}txet" "        halt            ; text";
    SEVERAL_BYTES = 86 Hint "a character that is several bytes in a text"
        "        mov   r0, 'é'\n        sys   put_char\n        halt"
        "        mov   r0, sign\n        sys   put_text\n        halt\n.data\nsign:   .asciz \"é\"";
    DEVICE_BYTE = 87 Warning "a byte of a device register"
        "        ldb   r0, [0xFF30]\n        halt" "        ldw   r0, [0xFF30]\n        halt";
    WIDE_ALIGNMENT = 88 Hint "an alignment that reads as bytes and is a power of two"
        ".target rv32\n        sys   exit\n        .align 16" ".target rv32\n        sys   exit\n        .balign 16";
    MACHINE = 89 Problem "a source for another machine"
        ".target w17\n        halt" ".target w16\n        halt";
    UNALIGNED = 90 Warning "a stack that is no multiple of 16 at a call"
        ".target rv32\n_start: call  weigh\n        sys   exit\nweigh:  addi  sp, sp, -4\n        sw    ra, 0(sp)\n        call  show\n        lw    ra, 0(sp)\n        addi  sp, sp, 4\n        ret\nshow:   sys   put_int\n        ret"
        ".target rv32\n_start: call  weigh\n        sys   exit\nweigh:  addi  sp, sp, -16\n        sw    ra, 12(sp)\n        call  show\n        lw    ra, 12(sp)\n        addi  sp, sp, 16\n        ret\nshow:   sys   put_int\n        ret";
    LOST_WAY = 91 Warning "a return whose way back a call took"
        ".target rv32\n_start: call  weigh\n        sys   exit\nweigh:  call  show\n        ret\nshow:   sys   put_int\n        ret"
        ".target rv32\n_start: call  weigh\n        sys   exit\nweigh:  addi  sp, sp, -16\n        sw    ra, 12(sp)\n        call  show\n        lw    ra, 12(sp)\n        addi  sp, sp, 16\n        ret\nshow:   sys   put_int\n        ret";
    KEPT = 92 Warning "a register that is to be kept and is not given back"
        ".target rv32\n_start: call  weigh\n        sys   exit\nweigh:  li    s0, 3\n        add   a0, a0, s0\n        ret"
        ".target rv32\n_start: call  weigh\n        sys   exit\nweigh:  li    t0, 3\n        add   a0, a0, t0\n        ret";
    TO_ZERO = 93 Hint "a result that is thrown away"
        ".target rv32\n_start: addi  zero, a0, 5\n        sys   exit" ".target rv32\n_start: addi  a0, a0, 5\n        sys   exit";
    APART = 94 Hint "a register that is set apart"
        ".target rv32\n_start: li    gp, 5\n        mv    a0, gp\n        sys   exit" ".target rv32\n_start: li    t0, 5\n        mv    a0, t0\n        sys   exit";
}

/// The kind of a file that cannot be had.
pub const UNREADABLE: Code = FILE.code;

/// The kind with this number, which must be one of [`CODES`].
pub fn code_info(number: u16) -> &'static CodeInfo {
    CODES.iter().find(|info| info.code.0 == number).expect("the numbers are those of the table")
}

impl CodeInfo {
    /// Its examples are manifests, not sources.
    pub fn is_of_manifest(&self) -> bool {
        (70..80).contains(&self.code.0)
    }
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
        let (wrong, right) = if info.is_of_manifest() { ("toml", "toml") } else { ("asm-wrong", "asm") };
        let _ = writeln!(out, "```{wrong}\n{}\n```\n\nRight:\n\n```{right}\n{}\n```", info.wrong, info.right);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use wendax_asm::{Assembler, Inputs};
    use wendax_source::MemoryFiles;

    /// What is found in an example, whose further files begin with a line that names them.
    fn found(text: &str, code: Code) -> Vec<Code> {
        let mut files = MemoryFiles::default();
        let mut paths = vec!["example.asm".to_owned()];
        for (index, part) in text.split("; file: ").enumerate() {
            let (name, text) =
                if index == 0 { ("example.asm", part) } else { part.split_once('\n').unwrap_or((part, "")) };
            files = files.with(name, text);
            if index > 0 && name.split('.').next_back() == Some("asm") {
                paths.push(name.to_owned());
            }
        }
        let mut assembler = Assembler::default();
        let inputs = Inputs { sources: paths, ..Inputs::default() };
        let found = if code == UNPLACED.code {
            assembler.object("example.asm", None, &files).map_or_else(|found| found, |_| Vec::new())
        } else {
            assembler.assemble(&inputs, &files).diagnostics
        };
        found.into_iter().map(|diagnostic| diagnostic.code).collect()
    }

    #[test]
    fn numbers_rise_and_so_never_repeat() {
        assert!(CODES.windows(2).all(|pair| pair[0].code < pair[1].code));
    }

    #[test]
    fn each_wrong_example_has_its_problem_alone_and_each_right_one_has_none() {
        let sources = || CODES.iter().filter(|info| !info.is_of_manifest());
        let wrong = sources().filter(|info| found(info.wrong, info.code) != [info.code]);
        let wrong: Vec<_> = wrong.map(|info| (info.code, info.wrong, found(info.wrong, info.code))).collect();
        assert!(wrong.is_empty(), "{wrong:#?}");
        let right = sources().filter(|info| !found(info.right, info.code).is_empty());
        let right: Vec<_> = right.map(|info| (info.code, info.right, found(info.right, info.code))).collect();
        assert!(right.is_empty(), "{right:#?}");
    }

    #[test]
    fn the_document_holds_todays_table() {
        let text = include_str!("../../../docs/problems.md");
        assert!(text == problems_document(), "run `cargo run -p wendax-asm --example problems`");
    }
}
