//! Every way an instruction can be written, with what it becomes: the instructions of the table as they are, and the
//! pseudo-instructions of the open assembly manual (RISC-V Assembly Programmer's Manual, "Pseudoinstructions").
//!
//! A form is data: its operands in order, and one or several ways to say it in machine instructions, each with what must
//! hold for it. The assembler takes the first way that holds; guide, help and manual show the same table.

use super::codec::Insn;
use super::register_by_name;
use super::table::{Format, Op, Row, rows};
use std::collections::HashMap;
use std::sync::LazyLock;

/// What stands in one place of a form.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Slot {
    /// A register.
    Register,
    /// `offset(register)`, the offset left out when it is 0.
    Memory,
    /// A value, of the kind.
    Value(Kind),
    /// A control and status register, by name or number.
    Csr,
    /// Which accesses a fence orders: letters out of `iorw`.
    Accesses,
}

/// Which values may stand in a place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// 12 bits: −2048 to 2047, or the same bits as a word.
    Constant,
    /// The places of a shift, 0 to 31.
    Count,
    /// The upper 20 bits of a word, 0 to 0xFFFFF.
    Upper,
    /// 5 bits, 0 to 31.
    Small,
    /// Where a jump goes.
    Label,
    /// Any word.
    Word,
    /// The address of something.
    Symbol,
    /// A system call, by name or number.
    Call,
}

/// A register of a machine instruction of a form.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum From {
    /// Always this one.
    Fixed(u8),
    /// The operand of this number, counting registers alone.
    Operand(u8),
    /// The value of the form, 5 bits of it.
    Value,
}

/// The value of a machine instruction of a form.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// Always this one.
    Fixed(i32),
    /// The value of the form as it is.
    Whole,
    /// Its upper 20 bits, so that with [`Self::Low`] added they give the value.
    High,
    /// Its low 12 bits, with their sign.
    Low,
    /// The same of its distance from the first machine instruction of the form.
    HighDistance,
    /// See [`Self::HighDistance`].
    LowDistance,
    /// Its distance from this machine instruction.
    Distance,
    /// The number of the control and status register, or the accesses of a fence.
    Other,
}

/// One machine instruction of a form.
#[derive(Debug, Clone, Copy)]
pub struct Piece {
    /// What it does.
    pub op: Op,
    /// The register it writes.
    pub rd: From,
    /// The first it reads.
    pub rs1: From,
    /// The second it reads.
    pub rs2: From,
    /// Its constant.
    pub value: Part,
}

/// What must hold for a way to be taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum When {
    /// Nothing.
    Always,
    /// The value fits 12 bits with their sign, as a word.
    Short,
    /// The low 12 bits of the value are 0.
    Round,
    /// The value is within ±4 KiB of the first machine instruction.
    Near,
    /// The same, ±1 MiB.
    Far,
}

impl When {
    /// The same in words; nothing where the last resort of a branch, or no other way, needs none.
    pub fn words(self) -> &'static str {
        match self {
            Self::Always | Self::Near => "",
            Self::Short => "where 12 bits hold it",
            Self::Round => "where its low 12 bits are 0",
            Self::Far => "within 1 MiB",
        }
    }
}

/// Machine instructions that do what a form says.
#[derive(Debug, Clone)]
pub struct Way {
    /// When it is taken.
    pub when: When,
    /// One after the other.
    pub pieces: Vec<Piece>,
    /// The same as text.
    pub text: String,
}

/// A way to write an instruction.
#[derive(Debug)]
pub struct Form {
    /// Its mnemonic.
    pub name: &'static str,
    /// Its operands as they are written.
    pub written: &'static str,
    /// What stands where.
    pub slots: Vec<Slot>,
    /// What it does, in a line.
    pub meaning: &'static str,
    /// Ways to say it, the shortest first; the last one always holds, or is the only one.
    pub ways: Vec<Way>,
    /// It is a pseudo-instruction.
    pub is_pseudo: bool,
}

impl Form {
    /// Mnemonic and operands.
    pub fn text(&self) -> String {
        format!("{} {}", self.name, self.written).trim_end().to_owned()
    }

    /// The ways that are told of: that a branch which does not reach is turned round is told once for all.
    pub fn told_ways(&self) -> impl Iterator<Item = &Way> {
        let is_branch = self.ways.first().is_some_and(|way| way.when == When::Near);
        self.ways.iter().filter(move |way| !(is_branch && way.when == When::Always))
    }

    /// How many machine instructions its shortest and its longest way have.
    pub fn lengths(&self) -> (usize, usize) {
        let of = |way: Option<&Way>| way.map_or(1, |way| way.pieces.len());
        (of(self.ways.first()), of(self.ways.last()))
    }
}

/// Mnemonic, operands, ways, what it does. Several ways stand behind each other with `|`, each with what must hold in front
/// of it; several machine instructions with `;`.
const PSEUDO: &[(&str, &str, &str, &str)] = &[
    ("nop", "", "addi zero, zero, 0", "does nothing"),
    ("mv", "rd, rs", "addi rd, rs, 0", "rd ← rs"),
    ("not", "rd, rs", "xori rd, rs, -1", "rd ← every bit of rs turned"),
    ("neg", "rd, rs", "sub rd, zero, rs", "rd ← −rs"),
    ("seqz", "rd, rs", "sltiu rd, rs, 1", "rd ← 1 if rs = 0, else 0"),
    ("snez", "rd, rs", "sltu rd, zero, rs", "rd ← 1 if rs ≠ 0, else 0"),
    ("sltz", "rd, rs", "slt rd, rs, zero", "rd ← 1 if rs < 0, signed, else 0"),
    ("sgtz", "rd, rs", "slt rd, zero, rs", "rd ← 1 if rs > 0, signed, else 0"),
    ("sgt", "rd, rs1, rs2", "slt rd, rs2, rs1", "rd ← 1 if rs1 > rs2, signed, else 0"),
    ("sgtu", "rd, rs1, rs2", "sltu rd, rs2, rs1", "rd ← 1 if rs1 > rs2, unsigned, else 0"),
    ("sext.b", "rd, rs", "slli rd, rs, 24; srai rd, rd, 24", "rd ← low byte of rs, sign extended"),
    ("sext.h", "rd, rs", "slli rd, rs, 16; srai rd, rd, 16", "rd ← low half of rs, sign extended"),
    ("zext.b", "rd, rs", "andi rd, rs, 255", "rd ← low byte of rs, zero extended"),
    ("zext.h", "rd, rs", "slli rd, rs, 16; srli rd, rd, 16", "rd ← low half of rs, zero extended"),
    ("beqz", "rs, label", "beq rs, zero, label", "jump if rs = 0"),
    ("bnez", "rs, label", "bne rs, zero, label", "jump if rs ≠ 0"),
    ("blez", "rs, label", "bge zero, rs, label", "jump if rs ≤ 0, signed"),
    ("bgez", "rs, label", "bge rs, zero, label", "jump if rs ≥ 0, signed"),
    ("bltz", "rs, label", "blt rs, zero, label", "jump if rs < 0, signed"),
    ("bgtz", "rs, label", "blt zero, rs, label", "jump if rs > 0, signed"),
    ("bgt", "rs1, rs2, label", "blt rs2, rs1, label", "jump if rs1 > rs2, signed"),
    ("ble", "rs1, rs2, label", "bge rs2, rs1, label", "jump if rs1 ≤ rs2, signed"),
    ("bgtu", "rs1, rs2, label", "bltu rs2, rs1, label", "jump if rs1 > rs2, unsigned"),
    ("bleu", "rs1, rs2, label", "bgeu rs2, rs1, label", "jump if rs1 ≤ rs2, unsigned"),
    ("j", "label", "jal zero, label", "jump"),
    ("jal", "label", "jal ra, label", "ra ← the following address; jump"),
    ("jr", "rs", "jalr zero, 0(rs)", "jump to rs"),
    ("jr", "offset(rs)", "jalr zero, offset(rs)", "jump to rs + offset"),
    ("jalr", "rs", "jalr ra, 0(rs)", "ra ← the following address; jump to rs"),
    ("jalr", "rd, rs", "jalr rd, 0(rs)", "rd ← the following address; jump to rs"),
    ("jalr", "rd, rs, constant", "jalr rd, constant(rs)", "rd ← the following address; jump to rs + constant"),
    ("ret", "", "jalr zero, 0(ra)", "go back to where ra says"),
    (
        "call",
        "label",
        "far: jal ra, label | auipc ra, %pcrel_hi(label); jalr ra, %pcrel_lo(label)(ra)",
        "ra ← the following address; jump to a routine, wherever it is",
    ),
    (
        "tail",
        "label",
        "far: jal zero, label | auipc t1, %pcrel_hi(label); jalr zero, %pcrel_lo(label)(t1)",
        "jump to a routine, wherever it is, which goes back for this one; t1 may change",
    ),
    (
        "li",
        "rd, value",
        "short: addi rd, zero, value | round: lui rd, %hi(value) | lui rd, %hi(value); addi rd, rd, %lo(value)",
        "rd ← the value, any word",
    ),
    (
        "la",
        "rd, symbol",
        "short: addi rd, zero, symbol | round: lui rd, %hi(symbol) | auipc rd, %pcrel_hi(symbol); addi rd, rd, %pcrel_lo(symbol)",
        "rd ← the address",
    ),
    (
        "lla",
        "rd, symbol",
        "short: addi rd, zero, symbol | round: lui rd, %hi(symbol) | auipc rd, %pcrel_hi(symbol); addi rd, rd, %pcrel_lo(symbol)",
        "rd ← the address, as `la`",
    ),
    ("csrr", "rd, csr", "csrrs rd, csr, zero", "rd ← csr"),
    ("csrw", "csr, rs", "csrrw zero, csr, rs", "csr ← rs"),
    ("csrs", "csr, rs", "csrrs zero, csr, rs", "the bits of rs are set in csr"),
    ("csrc", "csr, rs", "csrrc zero, csr, rs", "the bits of rs are cleared in csr"),
    ("csrwi", "csr, small", "csrrwi zero, csr, small", "csr ← constant"),
    ("csrsi", "csr, small", "csrrsi zero, csr, small", "the bits of the constant are set in csr"),
    ("csrci", "csr, small", "csrrci zero, csr, small", "the bits of the constant are cleared in csr"),
    ("rdcycle", "rd", "csrrs rd, cycle, zero", "rd ← cycles, low word"),
    ("rdcycleh", "rd", "csrrs rd, cycleh, zero", "rd ← cycles, high word"),
    ("rdtime", "rd", "csrrs rd, time, zero", "rd ← the clock, low word"),
    ("rdtimeh", "rd", "csrrs rd, timeh, zero", "rd ← the clock, high word"),
    ("rdinstret", "rd", "csrrs rd, instret, zero", "rd ← instructions done, low word"),
    ("rdinstreth", "rd", "csrrs rd, instreth, zero", "rd ← instructions done, high word"),
    ("fence", "", "fence 255", "all accesses before it are done before those after it"),
    ("fence.tso", "", "fence 2099", "accesses are done in order, but loads may pass stores"),
    ("unimp", "", "csrrw zero, cycle, zero", "no instruction: it traps"),
    (
        "sys",
        "call",
        "short: addi a7, zero, call; ecall | round: lui a7, %hi(call); ecall | lui a7, %hi(call); addi a7, a7, %lo(call); ecall",
        "call the host by the name of a call; a7, a0 and a1 change",
    ),
];

/// Loads and stores of what a symbol names.
const LOADS: &[(&str, &str)] = &[
    ("lb", "rd ← the byte there, sign extended"),
    ("lh", "rd ← the half word there, sign extended"),
    ("lw", "rd ← the word there"),
    ("lbu", "rd ← the byte there, zero extended"),
    ("lhu", "rd ← the half word there, zero extended"),
];
const STORES: &[(&str, &str)] = &[
    ("sb", "the byte there ← rs; rt changes"),
    ("sh", "the half word there ← rs; rt changes"),
    ("sw", "the word there ← rs; rt changes"),
];

/// All forms; those of one mnemonic stand together, the machine's own first.
pub fn forms() -> &'static [Form] {
    &FORMS
}

static FORMS: LazyLock<Vec<Form>> = LazyLock::new(|| {
    let mut all: Vec<Form> = rows().iter().filter_map(own).collect();
    for (name, written, ways, meaning) in PSEUDO {
        all.extend(form(name, written, meaning, ways));
    }
    for (name, meaning) in LOADS {
        let long = format!("auipc rd, %pcrel_hi(symbol); {name} rd, %pcrel_lo(symbol)(rd)");
        all.extend(form(name, "rd, symbol", meaning, &format!("short: {name} rd, symbol(zero) | {long}")));
    }
    for (name, meaning) in STORES {
        let long = format!("auipc rt, %pcrel_hi(symbol); {name} rs, %pcrel_lo(symbol)(rt)");
        all.extend(form(name, "rs, symbol, rt", meaning, &format!("short: {name} rs, symbol(zero) | {long}")));
    }
    for form in &mut all {
        turn_round(form);
    }
    all.sort_by_key(|form| (form.name, form.is_pseudo));
    all
});

/// The forms of a mnemonic, in any case; none when there is no such.
pub fn forms_of(name: &str) -> &'static [Form] {
    static RANGES: LazyLock<HashMap<&str, (usize, usize)>> = LazyLock::new(|| {
        let mut ranges: HashMap<&str, (usize, usize)> = HashMap::new();
        for (at, form) in FORMS.iter().enumerate() {
            ranges.entry(form.name).or_insert((at, at)).1 = at + 1;
        }
        ranges
    });
    let range = match RANGES.get(name) {
        Some(range) => Some(range),
        None if name.bytes().any(|byte| byte.is_ascii_uppercase()) => RANGES.get(name.to_ascii_lowercase().as_str()),
        None => None,
    };
    range.map_or(&[], |&(from, to)| &FORMS[from..to])
}

/// A branch beyond its reach goes the other way over a jump.
fn turn_round(form: &mut Form) {
    let [way] = form.ways.as_slice() else { return };
    let [piece] = way.pieces.as_slice() else { return };
    let other = match piece.op {
        Op::Beq => Op::Bne,
        Op::Bne => Op::Beq,
        Op::Blt => Op::Bge,
        Op::Bge => Op::Blt,
        Op::Bltu => Op::Bgeu,
        Op::Bgeu => Op::Bltu,
        _ => return,
    };
    let over = Piece { op: other, value: Part::Fixed(8), ..*piece };
    let none = From::Fixed(0);
    let jump = Piece { op: Op::Jal, rd: none, rs1: none, rs2: none, value: Part::Distance };
    let name = |op| rows().iter().find(|row| row.op == op).map_or("", |row| row.name);
    let text = way.text.replacen(name(piece.op), name(other), 1).replace("label", "over it");
    let text = format!("{text}; jal zero, label");
    form.ways[0].when = When::Near;
    form.ways.push(Way { when: When::Always, pieces: vec![over, jump], text });
}

/// A row of the table as it is written: what it becomes is itself.
fn own(row: &'static Row) -> Option<Form> {
    let written = written(row);
    let text = match row.op {
        Op::Fence => format!("{} accesses", row.name),
        Op::FenceI => format!("{} 0", row.name),
        _ => format!("{} {written}", row.name),
    };
    Some(Form { is_pseudo: false, ..form(row.name, written, row.meaning, &text)? })
}

/// The operands of a row.
pub(super) fn written(row: &Row) -> &'static str {
    match row.format {
        Format::Registers => "rd, rs1, rs2",
        Format::Immediate => "rd, rs1, constant",
        Format::Shift => "rd, rs1, count",
        Format::Load => "rd, offset(rs1)",
        Format::Store => "rs2, offset(rs1)",
        Format::Branch => "rs1, rs2, label",
        Format::Upper => "rd, upper",
        Format::Jump => "rd, label",
        Format::Csr => "rd, csr, rs1",
        Format::CsrConstant => "rd, csr, small",
        Format::Fence if row.op == Op::Fence => "before, after",
        Format::Fence | Format::Fixed => "",
    }
}

/// What stands in a place, by its word.
fn slot(word: &str) -> Option<Slot> {
    Some(match word {
        "rd" | "rs" | "rs1" | "rs2" | "rt" => Slot::Register,
        "constant" => Slot::Value(Kind::Constant),
        "count" => Slot::Value(Kind::Count),
        "upper" => Slot::Value(Kind::Upper),
        "small" => Slot::Value(Kind::Small),
        "label" => Slot::Value(Kind::Label),
        "value" => Slot::Value(Kind::Word),
        "symbol" => Slot::Value(Kind::Symbol),
        "call" => Slot::Value(Kind::Call),
        "csr" => Slot::Csr,
        "before" | "after" => Slot::Accesses,
        _ if word.starts_with("offset(") => Slot::Memory,
        _ => return None,
    })
}

fn form(name: &'static str, written: &'static str, meaning: &'static str, ways: &str) -> Option<Form> {
    let words: Vec<&str> = written.split(", ").filter(|word| !word.is_empty()).collect();
    let slots = words.iter().map(|word| slot(word)).collect::<Option<Vec<_>>>()?;
    // Registers by their names, in order.
    let registers: Vec<&str> = words
        .iter()
        .zip(&slots)
        .filter_map(|(word, slot)| match slot {
            Slot::Register => Some(*word),
            Slot::Memory => word.strip_prefix("offset(")?.strip_suffix(')'),
            _ => None,
        })
        .collect();
    let way = |text: &str| {
        let (when, text) = match text.trim().split_once(": ") {
            Some(("short", rest)) => (When::Short, rest),
            Some(("round", rest)) => (When::Round, rest),
            Some(("far", rest)) => (When::Far, rest),
            _ => (When::Always, text.trim()),
        };
        let pieces = text.split("; ").map(|piece| self::piece(piece.trim(), &registers)).collect::<Option<Vec<_>>>()?;
        Some(Way { when, pieces, text: text.to_owned() })
    };
    let ways = ways.split(" | ").map(way).collect::<Option<Vec<_>>>()?;
    Some(Form { name, written, slots, meaning, ways, is_pseudo: true })
}

/// A machine instruction of a form, from its text.
fn piece(text: &str, registers: &[&str]) -> Option<Piece> {
    let (name, rest) = text.split_once(' ').unwrap_or((text, ""));
    let row = rows().iter().find(|row| row.name == name)?;
    let operands: Vec<&str> = rest.split(", ").filter(|word| !word.is_empty()).collect();
    let register = |at: usize| {
        let word = *operands.get(at)?;
        let operand = registers.iter().position(|known| *known == word);
        operand
            .and_then(|at| u8::try_from(at).ok())
            .map(From::Operand)
            .or_else(|| register_by_name(word).map(|register| From::Fixed(register.0)))
    };
    let value = |word: &str| {
        Some(match word {
            "constant" | "count" | "offset" | "upper" | "value" | "symbol" | "call" => Part::Whole,
            "csr" | "accesses" => Part::Other,
            "label" => Part::Distance,
            _ if word.starts_with("%hi(") => Part::High,
            _ if word.starts_with("%lo(") => Part::Low,
            _ if word.starts_with("%pcrel_hi(") => Part::HighDistance,
            _ if word.starts_with("%pcrel_lo(") => Part::LowDistance,
            _ => Part::Fixed(word.parse().ok().or_else(|| super::csr_by_name(word).map(i32::from))?),
        })
    };
    let none = From::Fixed(0);
    let nothing = Part::Fixed(0);
    let piece = |rd, rs1, rs2, value| Some(Piece { op: row.op, rd, rs1, rs2, value });
    // `offset(rs)`: the last bracket holds the register.
    let memory = |at: usize| {
        let word = *operands.get(at)?;
        let (offset, inner) = word.strip_suffix(')')?.rsplit_once('(')?;
        let known = registers.iter().position(|known| *known == inner).and_then(|at| u8::try_from(at).ok());
        let base =
            known.map(From::Operand).or_else(|| register_by_name(inner).map(|register| From::Fixed(register.0)))?;
        Some((value(offset)?, base))
    };
    match row.format {
        Format::Registers => piece(register(0)?, register(1)?, register(2)?, nothing),
        Format::Immediate | Format::Shift => piece(register(0)?, register(1)?, none, value(operands.get(2)?)?),
        Format::Load => memory(1).and_then(|(offset, base)| piece(register(0)?, base, none, offset)),
        Format::Store => memory(1).and_then(|(offset, base)| piece(none, base, register(0)?, offset)),
        Format::Branch => piece(none, register(0)?, register(1)?, value(operands.get(2)?)?),
        Format::Upper => piece(register(0)?, none, none, value(operands.get(1)?)?),
        Format::Jump => piece(register(0)?, none, none, value(operands.get(1)?)?),
        Format::Csr => piece(register(0)?, register(2)?, none, value(operands.get(1)?)?),
        Format::CsrConstant => piece(register(0)?, From::Value, none, value(operands.get(1)?)?),
        Format::Fence => piece(none, none, none, value(operands.first()?)?),
        Format::Fixed => piece(none, none, none, nothing),
    }
}

/// The two parts of a value that `lui` and a constant of 12 bits put together: the upper bits as the word they stand for,
/// and the rest.
pub fn split(value: u32) -> (u32, u32) {
    let high = value.wrapping_add(0x800) & 0xFFFF_F000;
    (high, value.wrapping_sub(high))
}

impl Piece {
    /// The instruction at byte `at` of its form, whose registers and value are these; `other` is the control and status
    /// register or the accesses of a fence, `start` where the form stands.
    pub fn insn(&self, registers: [u8; 3], value: u32, other: u32, (start, at): (u32, u32)) -> Insn {
        let register = |from| match from {
            From::Fixed(number) => number,
            From::Operand(at) => registers.get(usize::from(at)).copied().unwrap_or(0),
            From::Value => value.to_le_bytes()[0] & 31,
        };
        let distance = value.wrapping_sub(start);
        let is_upper = matches!(self.op, Op::Lui | Op::Auipc);
        let value = match self.value {
            Part::Fixed(number) => number.cast_unsigned(),
            Part::Whole if is_upper => value << 12,
            Part::Whole => value,
            Part::High => split(value).0,
            Part::Low => split(value).1,
            Part::HighDistance => split(distance).0,
            Part::LowDistance => split(distance).1,
            Part::Distance => distance.wrapping_sub(at),
            Part::Other => other,
        };
        Insn::new(self.op, (register(self.rd), register(self.rs1), register(self.rs2)), value)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_form_is_read_and_its_pieces_name_operands_it_has() {
        let rows_and_more = rows().len() + PSEUDO.len() + LOADS.len() + STORES.len();
        assert_eq!(forms().len(), rows_and_more);
        for form in forms() {
            assert!(!form.ways.is_empty(), "{}", form.text());
            let registers = form.slots.iter().filter(|slot| matches!(slot, Slot::Register | Slot::Memory)).count();
            for piece in form.ways.iter().flat_map(|way| &way.pieces) {
                for from in [piece.rd, piece.rs1, piece.rs2] {
                    assert!(!matches!(from, From::Operand(at) if usize::from(at) >= registers), "{}", form.text());
                }
            }
            let last = form.ways.last().map(|way| way.when);
            assert!(form.ways.len() == 1 || last == Some(When::Always), "{}", form.text());
            assert!(forms_of(&form.name.to_uppercase()).iter().any(|known| known.written == form.written));
        }
        assert!(forms_of("mov").is_empty());
    }

    proptest::proptest! {
        #[test]
        fn the_two_parts_of_a_value_give_it_again(value: u32) {
            let (high, low) = split(value);
            proptest::prop_assert_eq!(high & 0xFFF, 0);
            proptest::prop_assert!((-2048..=2047).contains(&low.cast_signed()));
            proptest::prop_assert_eq!(high.wrapping_add(low), value);
        }
    }
}
