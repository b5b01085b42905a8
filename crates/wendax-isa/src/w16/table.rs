//! The table of W16: one row for each way an instruction is encoded.
//!
//! A row's pattern is the code word digit by digit: a hexadecimal digit stands for itself; `d`, `s` a
//! register; `b` a base register or F for none; `k`, `n`, `x` digits of a constant, number or distance;
//! `w` after a space a further word. Rows of one name stand shortest first, which is the order the
//! assembler tries them in.

use super::{C, FLAG_BITS, I, N, V, Z};
use std::sync::LazyLock;

/// What an instruction does; its operands are in [`super::Insn`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table below says what each one does")]
pub enum Op {
    Nop,
    Halt,
    Ret,
    Reti,
    Ei,
    Di,
    Brk,
    PushFl,
    PopFl,
    Sys,
    Mov,
    Add,
    Adc,
    Sub,
    Sbc,
    Cmp,
    And,
    Or,
    Xor,
    Tst,
    Shl,
    Shr,
    Asr,
    Mul,
    Div,
    Mod,
    Not,
    Neg,
    Swapb,
    Extb,
    Rlc,
    Rrc,
    Push,
    Pop,
    CallReg,
    JmpReg,
    Mulh,
    Mulhs,
    Divs,
    Mods,
    Swap,
    Ldw,
    Ldb,
    Ldsb,
    Lea,
    Stw,
    Stb,
    Jump(Cond),
    Djnz,
    Call,
}

impl Op {
    /// What instructions of its sort do, in a word or two.
    pub fn group(self) -> &'static str {
        match self {
            Self::Mov | Self::Swap | Self::Lea | Self::Nop => "moves",
            Self::Add | Self::Adc | Self::Sub | Self::Sbc | Self::Neg | Self::Extb => "arithmetic",
            Self::Mul | Self::Div | Self::Mod | Self::Mulh | Self::Mulhs | Self::Divs | Self::Mods => {
                "multiply, divide"
            }
            Self::Cmp | Self::Tst => "compare",
            Self::And | Self::Or | Self::Xor | Self::Not | Self::Swapb => "bits",
            Self::Shl | Self::Shr | Self::Asr | Self::Rlc | Self::Rrc => "shifts",
            Self::Ldw | Self::Ldb | Self::Ldsb => "loads",
            Self::Stw | Self::Stb => "stores",
            Self::Push | Self::Pop | Self::PushFl | Self::PopFl => "stack",
            Self::Jump(_) | Self::Djnz | Self::JmpReg => "jumps",
            Self::Call | Self::CallReg | Self::Ret | Self::Reti => "calls",
            Self::Sys | Self::Brk | Self::Halt | Self::Ei | Self::Di => "system",
        }
    }

    /// It writes the register in its first place.
    pub fn writes_register(self) -> bool {
        match self {
            Self::Nop | Self::Halt | Self::Ret | Self::Reti | Self::Ei | Self::Di | Self::Brk | Self::Sys => false,
            Self::PushFl | Self::PopFl | Self::Push | Self::CallReg | Self::JmpReg | Self::Jump(_) | Self::Call => {
                false
            }
            Self::Cmp | Self::Tst | Self::Stw | Self::Stb => false,
            Self::Mov | Self::Add | Self::Adc | Self::Sub | Self::Sbc | Self::And | Self::Or | Self::Xor => true,
            Self::Shl | Self::Shr | Self::Asr | Self::Mul | Self::Div | Self::Mod | Self::Not | Self::Neg => true,
            Self::Swapb | Self::Extb | Self::Rlc | Self::Rrc | Self::Pop | Self::Mulh | Self::Mulhs => true,
            Self::Divs | Self::Mods | Self::Swap | Self::Ldw | Self::Ldb | Self::Ldsb | Self::Lea | Self::Djnz => true,
        }
    }
}

/// When a jump is taken. Names ending in `u` compare unsigned, the other comparisons are signed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table below says what each one tests")]
pub enum Cond {
    Always,
    Eq,
    Ne,
    Ltu,
    Geu,
    Neg,
    NotNeg,
    Overflow,
    NoOverflow,
    Gtu,
    Leu,
    Lt,
    Ge,
    Gt,
    Le,
}

impl Cond {
    /// All, in order of their codes.
    pub const ALL: [Self; 15] = [
        Self::Always,
        Self::Eq,
        Self::Ne,
        Self::Ltu,
        Self::Geu,
        Self::Neg,
        Self::NotNeg,
        Self::Overflow,
        Self::NoOverflow,
        Self::Gtu,
        Self::Leu,
        Self::Lt,
        Self::Ge,
        Self::Gt,
        Self::Le,
    ];

    /// Whether a jump with this condition is taken with these flags.
    #[inline]
    pub fn holds(self, flags: u16) -> bool {
        let on = |bit| flags & bit != 0;
        let less = on(N) != on(V);
        match self {
            Self::Always => true,
            Self::Eq => on(Z),
            Self::Ne => !on(Z),
            Self::Ltu => on(C),
            Self::Geu => !on(C),
            Self::Neg => on(N),
            Self::NotNeg => !on(N),
            Self::Overflow => on(V),
            Self::NoOverflow => !on(V),
            Self::Gtu => !on(C) && !on(Z),
            Self::Leu => on(C) || on(Z),
            Self::Lt => less,
            Self::Ge => !less,
            Self::Gt => !less && !on(Z),
            Self::Le => less || on(Z),
        }
    }

    /// The one that holds when this does not; of always, always.
    #[must_use]
    pub fn opposite(self) -> Self {
        match self {
            Self::Always => Self::Always,
            Self::Eq => Self::Ne,
            Self::Ne => Self::Eq,
            Self::Ltu => Self::Geu,
            Self::Geu => Self::Ltu,
            Self::Neg => Self::NotNeg,
            Self::NotNeg => Self::Neg,
            Self::Overflow => Self::NoOverflow,
            Self::NoOverflow => Self::Overflow,
            Self::Gtu => Self::Leu,
            Self::Leu => Self::Gtu,
            Self::Lt => Self::Ge,
            Self::Ge => Self::Lt,
            Self::Gt => Self::Le,
            Self::Le => Self::Gt,
        }
    }

    /// The flags it looks at.
    pub fn flags(self) -> u16 {
        match self {
            Self::Always => 0,
            Self::Eq | Self::Ne => Z,
            Self::Ltu | Self::Geu => C,
            Self::Neg | Self::NotNeg => N,
            Self::Overflow | Self::NoOverflow => V,
            Self::Gtu | Self::Leu => C | Z,
            Self::Lt | Self::Ge => N | V,
            Self::Gt | Self::Le => N | V | Z,
        }
    }

    /// What it tests, as a formula over flags.
    pub fn formula(self) -> &'static str {
        match self {
            Self::Always => "always",
            Self::Eq => "Z = 1",
            Self::Ne => "Z = 0",
            Self::Ltu => "C = 1",
            Self::Geu => "C = 0",
            Self::Neg => "N = 1",
            Self::NotNeg => "N = 0",
            Self::Overflow => "V = 1",
            Self::NoOverflow => "V = 0",
            Self::Gtu => "C = 0 and Z = 0",
            Self::Leu => "C = 1 or Z = 1",
            Self::Lt => "N ≠ V",
            Self::Ge => "N = V",
            Self::Gt => "N = V and Z = 0",
            Self::Le => "N ≠ V or Z = 1",
        }
    }

    /// The names of a jump with this condition, and what it means after a comparison.
    fn jump(self) -> (&'static [&'static str], &'static str) {
        match self {
            Self::Always => (&["jmp"], "jump"),
            Self::Eq => (&["jz", "jeq"], "jump if zero, if equal"),
            Self::Ne => (&["jnz", "jne"], "jump if not zero, if not equal"),
            Self::Ltu => (&["jc", "jltu"], "jump on carry, if less (unsigned)"),
            Self::Geu => (&["jnc", "jgeu"], "jump on no carry, if greater or equal (unsigned)"),
            Self::Neg => (&["jn"], "jump if negative"),
            Self::NotNeg => (&["jnn"], "jump if not negative"),
            Self::Overflow => (&["jv"], "jump on signed overflow"),
            Self::NoOverflow => (&["jnv"], "jump on no signed overflow"),
            Self::Gtu => (&["jgtu"], "jump if greater (unsigned)"),
            Self::Leu => (&["jleu"], "jump if less or equal (unsigned)"),
            Self::Lt => (&["jlt"], "jump if less (signed)"),
            Self::Ge => (&["jge"], "jump if greater or equal (signed)"),
            Self::Gt => (&["jgt"], "jump if greater (signed)"),
            Self::Le => (&["jle"], "jump if less or equal (signed)"),
        }
    }
}

/// What an instruction does to the flags.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FlagRule {
    /// Leaves all as they are.
    None,
    /// Z N C V by the result of an addition or subtraction.
    Arithmetic,
    /// Z N by the result; C and V become 0.
    Logic,
    /// Z N; C takes the last bit shifted out, and stays when the count is 0; V becomes 0.
    Shift,
    /// Z N; C and V become 1 when the unsigned product needs more than 16 bits, else 0.
    Product,
    /// Z N C; V becomes 0.
    Rotate,
    /// Z N; C becomes 0; V becomes 1 for −32768 ÷ −1, else 0.
    SignedQuotient,
    /// All, from the stack.
    Loaded,
    /// I becomes 1.
    Allow,
    /// I becomes 0.
    Forbid,
    /// C tells whether the call failed.
    Call,
}

impl FlagRule {
    /// The flags it may change.
    pub fn touched(self) -> u16 {
        match self {
            Self::None => 0,
            Self::Arithmetic | Self::Logic | Self::Shift | Self::Product | Self::Rotate | Self::SignedQuotient => {
                C | Z | N | V
            }
            Self::Loaded => FLAG_BITS,
            Self::Allow | Self::Forbid => I,
            Self::Call => C,
        }
    }

    /// In the words of the manual.
    pub fn text(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Arithmetic => "Z N C V",
            Self::Logic => "Z N; C = V = 0",
            Self::Shift => "Z N; C = last bit out (kept when the count is 0); V = 0",
            Self::Product => "Z N; C = V = 1 when the unsigned product needs more than 16 bits",
            Self::Rotate => "Z N C; V = 0",
            Self::SignedQuotient => "Z N; C = 0; V = 1 for −32768 ÷ −1",
            Self::Loaded => "all, from the stack",
            Self::Allow => "I = 1",
            Self::Forbid => "I = 0",
            Self::Call => "C = 1 when it failed",
        }
    }
}

/// What stands in one operand's place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OperandKind {
    /// A register.
    Register,
    /// The word `fl`.
    Flags,
    /// A constant of 16 bits.
    Constant,
    /// A constant from 0 to 15.
    Small,
    /// `[b]`: the address in a register.
    Base,
    /// `[b + off]`, or `[label]` with no base.
    BaseOffset,
    /// A label at most 128 words back or 127 on from the following instruction.
    Near8,
    /// A label at most 2,048 words back or 2,047 on from the following instruction.
    Near12,
    /// Any label.
    Far,
    /// The number or name of a system call.
    Call,
}

/// One way to encode an instruction.
#[derive(Debug, Clone, Copy)]
pub struct Row {
    /// What it does.
    pub op: Op,
    /// Its mnemonics; the first is the one disassembly shows.
    pub names: &'static [&'static str],
    /// The code word, digit by digit, as the module says.
    pub pattern: &'static str,
    /// What stands in its operands' places.
    pub operands: &'static [OperandKind],
    /// Its operands as the manual writes them.
    pub form: &'static str,
    /// What it does to the flags.
    pub flags: FlagRule,
    /// Cycles; one more when it is a jump that is taken.
    pub cycles: u8,
    /// What it does, in one line.
    pub meaning: &'static str,
}

/// A mnemonic that the assembler writes as another one with a constant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Alias {
    /// As it is written.
    pub name: &'static str,
    /// The mnemonic it stands for.
    pub real: &'static str,
    /// That one's constant.
    pub constant: u16,
    /// What it does, in one line.
    pub meaning: &'static str,
}

/// All of them.
pub const ALIASES: [Alias; 3] = [
    Alias { name: "inc", real: "add", constant: 1, meaning: "d ← d + 1" },
    Alias { name: "dec", real: "sub", constant: 1, meaning: "d ← d − 1" },
    Alias { name: "clr", real: "mov", constant: 0, meaning: "d ← 0" },
];

/// What digits of a code word mean that say which instruction it is.
pub const FIXED_DIGITS: &str = "which instruction it is";

impl Row {
    /// Its pattern in parts: digits that mean one thing together, and what they mean.
    pub fn parts(&self) -> Vec<(String, &'static str)> {
        let (first, second) = self.pattern.split_once(' ').unwrap_or((self.pattern, ""));
        let mut parts: Vec<(String, &str)> = Vec::new();
        for digit in first.chars() {
            let (shown, meaning) = match digit {
                'd' => ("d".to_owned(), "destination register"),
                's' => ("s".to_owned(), "source register"),
                'b' => ("b".to_owned(), "base register, F for none"),
                'k' => ("k".to_owned(), "constant 0 to 15"),
                'n' => ("n".to_owned(), "number of the call"),
                'x' => ("x".to_owned(), "signed distance in words from the next instruction"),
                '0' if parts.iter().any(|(_, meaning)| *meaning != FIXED_DIGITS) => ("0".to_owned(), "always 0"),
                fixed => (fixed.to_string(), FIXED_DIGITS),
            };
            match parts.last_mut() {
                Some((text, known)) if *known == meaning => text.push_str(&shown),
                _ => parts.push((shown, meaning)),
            }
        }
        if !second.is_empty() {
            let meaning = match self.operands.last() {
                Some(Far) => "a second word: the address",
                Some(BaseOffset) => "a second word: the offset",
                _ if self.operands.contains(&BaseOffset) => "a second word: the offset",
                _ => "a second word: the constant",
            };
            parts.push(("wwww".to_owned(), meaning));
        }
        parts
    }

    /// Code words: 1 or 2.
    pub fn words(&self) -> u8 {
        if self.has_word() { 2 } else { 1 }
    }

    /// A further word follows the first.
    pub fn has_word(&self) -> bool {
        matches!(self.pattern.as_bytes(), [.., b'w'])
    }
}

use FlagRule::{Allow, Arithmetic, Forbid, Loaded, Logic, Product, Rotate, Shift, SignedQuotient};
use OperandKind::{Base, BaseOffset, Constant, Far, Flags, Near8, Near12, Register, Small};

macro_rules! row {
    ($pattern:expr, $op:expr, $names:expr, $form:literal, [$($kind:expr),*], $flags:expr, $cycles:expr, $meaning:literal) => {
        Row {
            op: $op, names: $names, pattern: $pattern, operands: &[$($kind),*],
            form: $form, flags: $flags, cycles: $cycles, meaning: $meaning,
        }
    };
}

/// The three encodings of an operation on a register and a register or constant; `extra` cycles on top
/// of one for each code word.
macro_rules! three {
    ($digit:literal, $op:expr, $name:literal, $flags:expr, $extra:literal, $meaning:literal) => {
        [
            row!(concat!("1", $digit, "ds"), $op, &[$name], "d, s", [Register, Register], $flags, 1 + $extra, $meaning),
            row!(concat!("3", $digit, "dk"), $op, &[$name], "d, k", [Register, Small], $flags, 1 + $extra, $meaning),
            row!(
                concat!("2", $digit, "d0 w"),
                $op,
                &[$name],
                "d, imm16",
                [Register, Constant],
                $flags,
                2 + $extra,
                $meaning
            ),
        ]
    };
}

/// The encodings of a load or store without and with an offset word.
macro_rules! access {
    ($short:literal, $long:literal, $op:expr, $name:literal, load, $meaning:literal) => {
        [
            row!($short, $op, &[$name], "d, [b]", [Register, Base], FlagRule::None, 2, $meaning),
            row!($long, $op, &[$name], "d, [b + off]", [Register, BaseOffset], FlagRule::None, 3, $meaning),
        ]
    };
    ($short:literal, $long:literal, $op:expr, $name:literal, store, $meaning:literal) => {
        [
            row!($short, $op, &[$name], "[b], s", [Base, Register], FlagRule::None, 2, $meaning),
            row!($long, $op, &[$name], "[b + off], s", [BaseOffset, Register], FlagRule::None, 3, $meaning),
        ]
    };
}

const PLAIN: [Row; 10] = [
    row!("0001", Op::Nop, &["nop"], "", [], FlagRule::None, 1, "nothing"),
    row!("0002", Op::Halt, &["halt"], "", [], FlagRule::None, 1, "stop the machine"),
    row!("0003", Op::Ret, &["ret"], "", [], FlagRule::None, 2, "return: pop pc"),
    row!("0004", Op::Reti, &["reti"], "", [], Loaded, 3, "return from a trap: pop pc, then pop fl"),
    row!("0005", Op::Ei, &["ei"], "", [], Allow, 1, "allow interrupts"),
    row!("0006", Op::Di, &["di"], "", [], Forbid, 1, "forbid interrupts"),
    row!("0007", Op::Brk, &["brk"], "", [], FlagRule::None, 1, "trap 6: pause, or the program's own handler"),
    row!("0008", Op::PushFl, &["push"], "fl", [Flags], FlagRule::None, 2, "push the flags"),
    row!("0009", Op::PopFl, &["pop"], "fl", [Flags], Loaded, 2, "pop the flags"),
    row!("01nn", Op::Sys, &["sys"], "nn", [OperandKind::Call], FlagRule::Call, 11, "system call nn"),
];

const THREE: [[Row; 3]; 16] = [
    three!("0", Op::Mov, "mov", FlagRule::None, 0, "d ← s"),
    three!("1", Op::Add, "add", Arithmetic, 0, "d ← d + s"),
    three!("2", Op::Adc, "adc", Arithmetic, 0, "d ← d + s + C"),
    three!("3", Op::Sub, "sub", Arithmetic, 0, "d ← d − s; C = 1 when a borrow was needed"),
    three!("4", Op::Sbc, "sbc", Arithmetic, 0, "d ← d − s − C; C = 1 when a borrow was needed"),
    three!("5", Op::Cmp, "cmp", Arithmetic, 0, "compare: the flags of d − s"),
    three!("6", Op::And, "and", Logic, 0, "d ← d and s, bit by bit"),
    three!("7", Op::Or, "or", Logic, 0, "d ← d or s, bit by bit"),
    three!("8", Op::Xor, "xor", Logic, 0, "d ← d exclusive-or s, bit by bit"),
    three!("9", Op::Tst, "tst", Logic, 0, "test: the flags of d and s"),
    three!("A", Op::Shl, "shl", Shift, 0, "d ← d shifted left by the low 4 bits of s"),
    three!("B", Op::Shr, "shr", Shift, 0, "d ← d shifted right by the low 4 bits of s, zeros come in"),
    three!("C", Op::Asr, "asr", Shift, 0, "d ← d shifted right by the low 4 bits of s, the sign comes in"),
    three!("D", Op::Mul, "mul", Product, 3, "d ← low word of d × s"),
    three!("E", Op::Div, "div", Logic, 15, "d ← d ÷ s, unsigned; s = 0 is trap 4"),
    three!("F", Op::Mod, "mod", Logic, 15, "d ← remainder of d ÷ s, unsigned; s = 0 is trap 4"),
];

const ONE: [Row; 9] = [
    row!("40d0", Op::Not, &["not"], "d", [Register], Logic, 1, "d ← d with every bit inverted"),
    row!("41d0", Op::Neg, &["neg"], "d", [Register], Arithmetic, 1, "d ← 0 − d"),
    row!("42d0", Op::Swapb, &["swapb"], "d", [Register], Logic, 1, "d ← d with its two bytes exchanged"),
    row!("43d0", Op::Extb, &["extb"], "d", [Register], Logic, 1, "d ← its low byte, sign extended"),
    row!("44d0", Op::Rlc, &["rlc"], "d", [Register], Rotate, 1, "rotate d left one place through C"),
    row!("45d0", Op::Rrc, &["rrc"], "d", [Register], Rotate, 1, "rotate d right one place through C"),
    row!("46d0", Op::Push, &["push"], "d", [Register], FlagRule::None, 2, "sp ← sp − 2; word at sp ← d"),
    row!("47d0", Op::Pop, &["pop"], "d", [Register], FlagRule::None, 2, "d ← word at sp; sp ← sp + 2"),
    row!("49d0", Op::JmpReg, &["jmp"], "d", [Register], FlagRule::None, 1, "jump to the address in d"),
];

const CALL_REGISTER: Row = row!(
    "48d0",
    Op::CallReg,
    &["call"],
    "d",
    [Register],
    FlagRule::None,
    2,
    "push the following address, jump to the address in d"
);

const TWO: [Row; 5] = [
    row!("50ds", Op::Mulh, &["mulh"], "d, s", [Register, Register], Logic, 4, "d ← high word of d × s, unsigned"),
    row!("51ds", Op::Mulhs, &["mulhs"], "d, s", [Register, Register], Logic, 4, "d ← high word of d × s, signed"),
    row!(
        "52ds",
        Op::Divs,
        &["divs"],
        "d, s",
        [Register, Register],
        SignedQuotient,
        16,
        "d ← d ÷ s, signed, toward zero; s = 0 is trap 4"
    ),
    row!(
        "53ds",
        Op::Mods,
        &["mods"],
        "d, s",
        [Register, Register],
        SignedQuotient,
        16,
        "d ← remainder of d ÷ s, signed; s = 0 is trap 4"
    ),
    row!("54ds", Op::Swap, &["swap"], "d, s", [Register, Register], FlagRule::None, 1, "exchange d and s"),
];

const ACCESS: [[Row; 2]; 5] = [
    access!("60db", "61db w", Op::Ldw, "ldw", load, "d ← word at the address"),
    access!("62db", "63db w", Op::Ldb, "ldb", load, "d ← byte at the address, zero extended"),
    access!("64db", "65db w", Op::Ldsb, "ldsb", load, "d ← byte at the address, sign extended"),
    access!("70sb", "71sb w", Op::Stw, "stw", store, "word at the address ← s"),
    access!("72sb", "73sb w", Op::Stb, "stb", store, "byte at the address ← low byte of s"),
];

const LEA: [Row; 2] = [
    row!("66db", Op::Lea, &["lea"], "d, [b]", [Register, Base], FlagRule::None, 1, "d ← the address itself"),
    row!(
        "67db w",
        Op::Lea,
        &["lea"],
        "d, [b + off]",
        [Register, BaseOffset],
        FlagRule::None,
        2,
        "d ← the address itself"
    ),
];

const LOOP: [Row; 2] = [
    row!(
        "Adxx",
        Op::Djnz,
        &["djnz"],
        "d, label",
        [Register, Near8],
        FlagRule::None,
        1,
        "d ← d − 1; jump while d is not zero"
    ),
    row!(
        "Bd00 w",
        Op::Djnz,
        &["djnz"],
        "d, label",
        [Register, Far],
        FlagRule::None,
        2,
        "d ← d − 1; jump while d is not zero"
    ),
];

const CALL: [Row; 2] = [
    row!("Cxxx", Op::Call, &["call"], "label", [Near12], FlagRule::None, 2, "push the following address, jump"),
    row!("D000 w", Op::Call, &["call"], "label", [Far], FlagRule::None, 3, "push the following address, jump"),
];

const SHORT_JUMPS: [&str; 15] = [
    "80xx", "81xx", "82xx", "83xx", "84xx", "85xx", "86xx", "87xx", "88xx", "89xx", "8Axx", "8Bxx", "8Cxx", "8Dxx",
    "8Exx",
];
const LONG_JUMPS: [&str; 15] = [
    "9000 w", "9100 w", "9200 w", "9300 w", "9400 w", "9500 w", "9600 w", "9700 w", "9800 w", "9900 w", "9A00 w",
    "9B00 w", "9C00 w", "9D00 w", "9E00 w",
];

static ROWS: LazyLock<Vec<Row>> = LazyLock::new(|| {
    let mut rows = PLAIN.to_vec();
    rows.extend(THREE.iter().flatten());
    rows.extend(ONE);
    rows.push(CALL_REGISTER);
    rows.extend(TWO);
    rows.extend(ACCESS.iter().flatten());
    rows.extend(LEA);
    for (index, cond) in Cond::ALL.into_iter().enumerate() {
        let (names, meaning) = cond.jump();
        for (pattern, operands, cycles) in [(SHORT_JUMPS[index], &[Near8][..], 1), (LONG_JUMPS[index], &[Far][..], 2)] {
            let (op, form, flags) = (Op::Jump(cond), "label", FlagRule::None);
            rows.push(Row { op, names, pattern, operands, form, flags, cycles, meaning });
        }
    }
    rows.extend(LOOP);
    rows.extend(CALL);
    rows
});

/// The whole table.
pub fn rows() -> &'static [Row] {
    &ROWS
}

/// The rows of a mnemonic (in lower case), shortest encoding first; none when there is no such one.
pub fn rows_named(name: &str) -> impl Iterator<Item = &'static Row> {
    ROWS.iter().filter(move |row| row.names.contains(&name))
}

/// Every mnemonic there is, in alphabetical order, each once.
pub fn mnemonics() -> Vec<&'static str> {
    let real = rows().iter().flat_map(|row| row.names.iter().copied());
    let mut names: Vec<&str> = real.chain(ALIASES.iter().map(|alias| alias.name)).collect();
    names.sort_unstable();
    names.dedup();
    names
}
