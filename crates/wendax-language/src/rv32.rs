//! The directives of the open assembly manual (RISC-V Assembly Programmer's Manual, "Assembler Directives"): other names
//! of ours, and what compilers write besides, which is read and matters for nothing here.

use crate::directives::{DirectiveInfo, directive as ours};
use wendax_isa::rv32::forms::forms;

/// Other names for directives of ours that take the same.
const SAME: &[(&str, &str)] = &[
    (".text", ".code"),
    (".globl", ".global"),
    (".weak", ".global"),
    (".string", ".asciz"),
    (".set", ".equ"),
    (".balign", ".align"),
    (".skip", ".space"),
];

/// A directive that only sources for RV32 have, or that means something else there, as users know it.
#[derive(Debug, Clone, Copy)]
pub struct Words {
    /// Its names, the usual one first.
    pub names: &'static [&'static str],
    /// How it is written.
    pub form: &'static str,
    /// What it does, in one line.
    pub meaning: &'static str,
    /// Lines that use it; empty where there is nothing to it.
    pub example: &'static str,
}

const fn words(
    names: &'static [&'static str],
    form: &'static str,
    meaning: &'static str,
    example: &'static str,
) -> Words {
    Words { names, form, meaning, example }
}

/// All of them.
pub const WORDS: &[Words] = &[
    words(&[".text"], ".text", "what follows is code, as `.code`", "        .text"),
    words(
        &[".rodata"],
        ".rodata",
        "what follows is constants: read, and neither written nor run",
        "        .rodata\nlimit:  .word 240",
    ),
    words(
        &[".bss"],
        ".bss",
        "what follows is room: it reads 0 and counts as never written",
        "        .bss\nroom:   .space 64",
    ),
    words(
        &[".section"],
        ".section name [, \"flags\"]",
        "what follows goes into the section of this name; flags: a in memory, w written, x run",
        "        .section .rodata\nlimit:  .word 240",
    ),
    words(
        &[".word", ".long", ".4byte"],
        ".word value, …",
        "words of 4 bytes, low byte first, each −2147483648 to 4294967295; labels make a table of places",
        "loads:  .word 120, 0x7FF, -4",
    ),
    words(
        &[".half", ".short", ".2byte"],
        ".half value, …",
        "values of 2 bytes, each −32768 to 65535",
        "marks:  .half 120, 0xFFFF",
    ),
    words(
        &[".quad", ".dword", ".8byte"],
        ".quad value, …",
        "values of 8 bytes, low byte first",
        "long:   .quad 1 << 40",
    ),
    words(
        &[".align", ".p2align"],
        ".align n [, fill]",
        "fill up to the next multiple of 2 to the n: `.align 2` is a multiple of 4",
        "        .align 2",
    ),
    words(&[".balign"], ".balign n [, fill]", "fill up to the next multiple of n, a power of two", "        .balign 4"),
    words(
        &[".string"],
        ".string \"text\", …",
        "the bytes of each text and a NUL, as `.asciz`",
        "sign:   .string \"Gate 2\"",
    ),
    words(
        &[".zero"],
        ".zero n",
        "n bytes that are 0 and count as written; room where a section is room",
        "marks:  .zero 16",
    ),
    words(&[".skip"], ".skip n [, fill]", "n bytes kept free, as `.space`", "line:   .skip 32"),
    words(&[".comm"], ".comm name, size [, alignment]", "room with this name in `.bss`", "        .comm loads, 64, 4"),
    words(
        &[".globl", ".weak"],
        ".globl name, …",
        "names of this file that others may use, as `.global`",
        "        .globl print_line",
    ),
    words(&[".local"], ".local name, …", "names that stay in this file, which they do anyhow", ""),
    words(&[".set"], ".set NAME, value", "a name for a value, as `.equ`", "        .set  LIMIT, 240"),
    words(
        &[".uleb128"],
        ".uleb128 value, …",
        "numbers in groups of 7 bits, the lowest first",
        "        .uleb128 624485",
    ),
    words(
        &[".sleb128"],
        ".sleb128 value, …",
        "numbers with their sign in groups of 7 bits, the lowest first",
        "        .sleb128 -2",
    ),
    words(
        &[".option"],
        ".option word",
        "how a compiler wants it assembled; it changes nothing here",
        "        .option norvc",
    ),
];

/// The directive of ours that another name stands for.
pub fn directive(name: &str) -> Option<&'static DirectiveInfo> {
    SAME.iter().find(|(known, _)| known.eq_ignore_ascii_case(name)).and_then(|(_, name)| ours(name))
}

/// What only sources for RV32 have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Other {
    /// Values of so many bytes.
    Values(u32),
    /// `.align n`: 2 to the n.
    Power,
    /// `.section name, "flags", …`.
    Section,
    ReadOnly,
    Zeroed,
    /// `.zero n`: as many zeros, which count as written.
    Zeros,
    /// `.comm name, size, alignment`.
    Common,
    /// Numbers in groups of 7 bits; with their sign.
    Leb128(bool),
    Option,
    /// Names that stay in this file, which they do anyhow.
    Local,
    /// It says nothing that matters here.
    Nothing,
}

const OTHER: &[(&str, Other)] = &[
    (".half", Other::Values(2)),
    (".short", Other::Values(2)),
    (".2byte", Other::Values(2)),
    (".word", Other::Values(4)),
    (".long", Other::Values(4)),
    (".4byte", Other::Values(4)),
    (".quad", Other::Values(8)),
    (".dword", Other::Values(8)),
    (".8byte", Other::Values(8)),
    (".align", Other::Power),
    (".p2align", Other::Power),
    (".section", Other::Section),
    (".rodata", Other::ReadOnly),
    (".bss", Other::Zeroed),
    (".zero", Other::Zeros),
    (".comm", Other::Common),
    (".uleb128", Other::Leb128(false)),
    (".sleb128", Other::Leb128(true)),
    (".option", Other::Option),
    (".local", Other::Local),
];

/// What compilers write about a file, its parts and how it was made.
const NOTHING: &[&str] =
    &[".file", ".loc", ".ident", ".type", ".size", ".attribute", ".addrsig", ".addrsig_sym", ".hidden", ".protected"];

/// The directive of this name, in any case, that sources for RV32 have or read otherwise.
pub fn other(name: &str) -> Option<Other> {
    let known = OTHER.iter().find(|(known, _)| known.eq_ignore_ascii_case(name)).map(|(_, other)| *other);
    let is_nothing = NOTHING.iter().any(|known| known.eq_ignore_ascii_case(name))
        || name.get(..5).is_some_and(|start| start.eq_ignore_ascii_case(".cfi_"));
    known.or(is_nothing.then_some(Other::Nothing))
}

/// All names of directives that only sources for RV32 have, or that mean something else there.
pub fn names() -> impl Iterator<Item = &'static str> {
    WORDS.iter().flat_map(|words| words.names).copied()
}

/// Instructions that most programs are made of.
pub const USUAL: [&str; 16] =
    ["li", "la", "mv", "lw", "sw", "lbu", "sb", "add", "addi", "sub", "j", "call", "ret", "beqz", "bnez", "ecall"];

/// All mnemonics in alphabetical order, each with what it does in one line.
pub fn mnemonics() -> Vec<(&'static str, &'static str)> {
    let mut all: Vec<(&str, &str)> = forms().iter().map(|form| (form.name, form.meaning)).collect();
    all.dedup_by_key(|(name, _)| *name);
    all
}
