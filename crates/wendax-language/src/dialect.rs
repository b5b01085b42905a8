//! Words that people know from elsewhere, and what they are here.
//!
//! Nothing of this is part of the language: it only makes what is told of an unknown word say the right one. Words are
//! kept in lower case.

/// A word for a directive, and what does that here.
#[derive(Debug)]
pub struct OtherDirective {
    /// Without its dot.
    pub word: &'static str,
    /// The right form.
    pub form: &'static str,
    /// What can be put in the word's place, where the rest of the line stays as it is.
    pub instead: Option<&'static str>,
    /// It does the same, whatever follows.
    pub is_same: bool,
}

const fn same(word: &'static str, instead: &'static str, form: &'static str) -> OtherDirective {
    OtherDirective { word, form, instead: Some(instead), is_same: true }
}

const fn near(word: &'static str, instead: &'static str, form: &'static str) -> OtherDirective {
    OtherDirective { word, form, instead: Some(instead), is_same: false }
}

const fn other(word: &'static str, form: &'static str) -> OtherDirective {
    OtherDirective { word, form, instead: None, is_same: false }
}

const BYTES: &str = ".byte value, …  or text";
const WORDS: &str = ".word value, …";
const ROOM: &str = ".space n  keeps n bytes free";
const NUL: &str = ".asciz \"text\"  ends with a NUL; .ascii \"text\" does not";
const VALUE: &str = ".equ NAME, value";

const DIRECTIVES: &[OtherDirective] = &[
    same("db", ".byte", BYTES),
    same("dw", ".word", WORDS),
    same("half", ".word", WORDS),
    same("short", ".word", WORDS),
    other("long", "a word has 16 bits; of a larger number: .word low, high"),
    other("int", "a word has 16 bits; of a larger number: .word low, high"),
    other("dd", "a word has 16 bits; of a larger number: .word low, high"),
    other("quad", "a word has 16 bits; of a larger number: .word value, …"),
    same("text", ".code", ".code"),
    near("rodata", ".data", ".data"),
    other("bss", ".section room, zeroed"),
    near("string", ".asciz", NUL),
    same("stringz", ".asciz", NUL),
    near("str", ".asciz", NUL),
    near("zero", ".space", ROOM),
    near("skip", ".space", ROOM),
    near("ds", ".space", ROOM),
    near("fill", ".space", ".space n, byte"),
    same("incbin", ".embed", ".embed \"file\""),
    same("export", ".global", ".global name"),
    same("globl", ".global", ".global name"),
    same("public", ".global", ".global name"),
    same("import", ".extern", ".extern name"),
    near("external", ".extern", ".extern name"),
    near("define", ".equ", VALUE),
    near("const", ".equ", VALUE),
    same("set", ".let", ".let NAME, value"),
    other("ifdef", ".if defined(NAME)"),
    other("ifndef", ".if !defined(NAME)"),
    other("ifeq", ".if a == b"),
    same("elif", ".elseif", ".elseif value"),
    same("fi", ".endif", ".endif"),
    same("endm", ".endmacro", ".endmacro"),
    same("endr", ".endrepeat", ".endrepeat"),
    near("rept", ".repeat", ".repeat n, i  to .endrepeat"),
    near("rep", ".repeat", ".repeat n, i  to .endrepeat"),
    near("times", ".repeat", ".repeat n  to .endrepeat; for bytes .space n, byte"),
    same("even", ".align 2", ".align 2"),
    near("origin", ".org", ".org address"),
    other("end", "a text ends by itself; `.entry label` says where to begin"),
    near("err", ".error", ".error \"text\""),
    near("fail", ".error", ".error \"text\""),
];

/// A word for a directive, with or without its dot, in any case.
pub fn other_directive(word: &str) -> Option<&'static OtherDirective> {
    let word = word.strip_prefix('.').unwrap_or(word).to_ascii_lowercase();
    DIRECTIVES.iter().find(|known| known.word == word)
}

/// Words for instructions, and what does that here.
const INSTRUCTIONS: &[(&[&str], &str)] = &[
    (&["je", "beq", "breq"], "jeq"),
    (&["bne", "jneq", "brne"], "jne"),
    (&["jl", "jlts", "blt"], "jlt"),
    (&["jg", "jgts", "bgt"], "jgt"),
    (&["jgeq", "bge"], "jge"),
    (&["jleq", "ble"], "jle"),
    (&["jb", "bltu"], "jltu"),
    (&["ja", "bgtu"], "jgtu"),
    (&["jae", "bgeu"], "jgeu"),
    (&["jbe", "bleu"], "jleu"),
    (&["bz", "brz"], "jz"),
    (&["bnz", "brnz"], "jnz"),
    (&["bra", "b", "j", "jr", "jump", "goto", "rjmp"], "jmp"),
    (&["jsr", "bsr", "bl", "jal", "jalr", "rcall"], "call"),
    (&["rts", "return"], "ret"),
    (&["rti", "iret"], "reti"),
    (&["hlt", "stop", "end"], "halt"),
    (&["loop", "dbra", "dbf"], "djnz"),
    (&["int", "syscall", "trap", "ecall", "svc", "swi"], "sys"),
    (&["ld", "lw", "lh", "load", "ldr", "lda"], "ldw"),
    (&["lbu", "loadb"], "ldb"),
    (&["lb"], "ldsb"),
    (&["st", "sw", "sh", "store", "str", "sta"], "stw"),
    (&["sb", "storeb"], "stb"),
    (&["li", "la", "move", "mv", "ldi", "let"], "mov"),
    (&["addi"], "add"),
    (&["subi"], "sub"),
    (&["sbb"], "sbc"),
    (&["cmpi", "cpi", "compare", "cp"], "cmp"),
    (&["andi"], "and"),
    (&["ori"], "or"),
    (&["xori", "eor"], "xor"),
    (&["test", "bit"], "tst"),
    (&["sll", "lsl", "sal", "asl", "slli"], "shl"),
    (&["srl", "lsr", "srli"], "shr"),
    (&["sra", "sar", "srai"], "asr"),
    (&["imul", "mult"], "mul"),
    (&["divu", "udiv"], "div"),
    (&["idiv", "sdiv"], "divs"),
    (&["rem"], "mod"),
    (&["jo"], "jv"),
    (&["js"], "jn"),
    (&["rcl"], "rlc"),
    (&["rcr"], "rrc"),
    (&["inv"], "not"),
    (&["xchg"], "swap"),
    (&["sext"], "extb"),
    (&["zero", "clear"], "clr"),
    (&["sti"], "ei"),
    (&["cli"], "di"),
    (&["break"], "brk"),
    (&["pushf"], "push fl"),
    (&["popf"], "pop fl"),
    (&["noop"], "nop"),
];

/// A word for an instruction, in any case.
pub fn other_instruction(word: &str) -> Option<&'static str> {
    let word = word.to_ascii_lowercase();
    INSTRUCTIONS.iter().find(|(words, _)| words.contains(&word.as_str())).map(|(_, ours)| *ours)
}

/// Words for instructions that no single one here does the work of, and how that is done.
const WITHOUT: &[(&[&str], &str)] = &[
    (&["cbw"], "extb r1 extends the sign of the byte in r1"),
    (&["cdq", "cwd", "cwde", "cqo"], "a word is divided by a word: divs d, s"),
    (
        &["stc", "clc", "sec", "cmc"],
        "add, sub, cmp and shifts set C; by hand: push fl, pop r4, or r4, 1, push r4, pop fl",
    ),
    (&["inx", "iny", "dex", "dey"], "inc r1, dec r1"),
    (&["tax", "tay", "txa", "tya", "txs", "tsx"], "mov r1, r2"),
    (&["pusha", "popa", "pushad", "popad"], "push r0-r11, fp and pop r0-r11, fp"),
    (&["enter"], "push fp, then mov fp, sp, then sub sp, n"),
    (&["leave"], "mov sp, fp, then pop fp"),
    (
        &["lodsb", "lodsw", "stosb", "stosw", "movsb", "movsw", "scasb", "cmpsb", "rep", "repe", "repne"],
        "a loop: ldb r1, [r2], then inc r2, and djnz with the count",
    ),
    (&["retn", "retf"], "ret"),
    (&["rfe", "mret", "sret", "eret"], "reti"),
    (&["wfi"], "a loop that asks: clock, console and levers have device registers"),
    (&["mvn"], "mov d, s, then not d"),
    (&["rsb"], "neg d, then add d, s"),
    (&["lui", "auipc"], "mov r1, value takes a whole word"),
    (&["lds", "sts"], "ldw r1, [0x300] and stw [0x300], r1"),
    (&["jcxz", "jecxz", "cbz", "cbnz"], "tst r1, r1, then jz label or jnz label"),
    (&["loopne", "loope", "loopz", "loopnz"], "a jump such as jeq, then djnz r1, label"),
    (&["in", "out"], "device registers are memory: ldw r1, [0xFF30], stw [0xFF30], r1"),
];

/// How that is done here for which a word stands elsewhere, in any case, where no one instruction does it.
pub fn without_counterpart(word: &str) -> Option<&'static str> {
    let word = word.to_ascii_lowercase();
    WITHOUT.iter().find(|(words, _)| words.contains(&word.as_str())).map(|(_, how)| *how)
}

/// Words for what system calls do, and the call.
const CALLS: &[(&[&str], &str)] = &[
    (&["print", "puts", "echo", "write", "printf"], "put_text"),
    (&["putc", "putchar", "emit"], "put_char"),
    (&["getc", "getchar", "key"], "get_char"),
    (&["gets", "input", "readline", "read"], "get_line"),
    (&["quit"], "exit"),
];

/// The call that does what a word asks for, in any case.
pub fn call_for(word: &str) -> Option<&'static str> {
    let word = word.to_ascii_lowercase();
    CALLS.iter().find(|(words, _)| words.contains(&word.as_str())).map(|(_, call)| *call)
}

/// A name that is a register of other machines, or would be one of ours if there were so many.
pub fn reads_as_register(name: &str) -> bool {
    let lower = name.to_ascii_lowercase();
    let numbered = |letter: char| {
        lower
            .strip_prefix(letter)
            .is_some_and(|digits| (1..=2).contains(&digits.len()) && digits.bytes().all(|byte| byte.is_ascii_digit()))
    };
    let lettered = matches!(
        lower.as_str(),
        "ax" | "bx"
            | "cx"
            | "dx"
            | "al"
            | "bl"
            | "cl"
            | "dl"
            | "ah"
            | "bh"
            | "ch"
            | "dh"
            | "hl"
            | "bc"
            | "de"
            | "si"
            | "di"
            | "bp"
            | "ix"
            | "iy"
            | "acc"
            | "lr"
            | "ra"
            | "eax"
            | "ebx"
            | "ecx"
            | "edx"
            | "esi"
            | "edi"
    );
    numbered('r') || numbered('x') || numbered('d') || numbered('a') || numbered('t') || numbered('s') || lettered
}

/// Signs that look like plain ones, and the plain ones.
const LOOKALIKES: &[(&str, &str)] = &[
    ("\u{A0}\u{2007}\u{2009}\u{202F}\u{3000}\u{200A}\u{2002}\u{2003}", " "),
    ("\u{200B}\u{200C}\u{200D}\u{FEFF}\u{AD}", ""),
    ("“”„‟″＂«»", "\""),
    ("‘’‚‛′＇´", "'"),
    ("−–—‐‑‒﹣－", "-"),
    ("，、‚", ","),
    ("；", ";"),
    ("：", ":"),
    ("（", "("),
    ("）", ")"),
    ("［", "["),
    ("］", "]"),
    ("＋", "+"),
    ("×＊∗", "*"),
    ("÷∕／", "/"),
    ("＝", "="),
    ("＃", "#"),
    ("≤", "<="),
    ("≥", ">="),
    ("≠", "!="),
    ("＠", "@"),
    ("．", "."),
];

/// The plain sign that a sign looks like.
pub fn plain_sign(c: char) -> Option<&'static str> {
    LOOKALIKES.iter().find(|(signs, _)| signs.contains(c)).map(|(_, plain)| *plain)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::directives::directive;
    use crate::mnemonics::mnemonic;

    #[test]
    fn what_is_said_of_other_words_is_right_here() {
        for known in DIRECTIVES {
            assert!(directive(&format!(".{}", known.word)).is_none(), "{} is ours", known.word);
            let first = known.instead.map(|instead| instead.split(' ').next().unwrap_or_default());
            assert!(first.is_none_or(|first| directive(first).is_some()), "{}", known.word);
        }
        for (words, ours) in INSTRUCTIONS {
            let first = ours.split(' ').next().unwrap_or_default();
            assert!(mnemonic(first).is_some(), "{ours} is none of ours");
            assert!(words.iter().all(|word| mnemonic(word).is_none()), "{words:?}");
        }
    }

    #[test]
    fn calls_are_calls_of_ours() {
        let known = wendax_isa::w16::call_by_name;
        assert!(
            CALLS.iter().all(|(words, call)| known(call).is_some() && words.iter().all(|word| known(word).is_none()))
        );
    }

    #[test]
    fn registers_of_others_are_known_and_names_are_left_alone() {
        assert!(["r12", "R15", "ax", "x7", "lr"].into_iter().all(reads_as_register));
        assert!(!["total", "r", "rate", "r100", "axle", "d"].into_iter().any(reads_as_register));
    }
}
