//! What the guide says of RV32's instructions, calls, directives, and control and status registers.

use super::{GuideEntry, Related, directive_entry, drawn, given};
use crate::rv32::WORDS;
use wendax_isa::Reg;
use wendax_isa::rv32::forms::{Form, Kind, Slot, forms_of};
use wendax_isa::rv32::{CALLS, Format, Row, TARGET, csr_name, csrs, decode};

/// Words of the guide that belong together: what people call them, the words, and the topics that say more.
pub(super) const RELATED: &[Related] = &[
    (
        "copy assign put set value move immediate",
        &["mv", "li", "la", "lla", "lui", "auipc"],
        &["registers", "address", "constants"],
    ),
    ("read fetch load contents memory", &["lw", "lh", "lhu", "lb", "lbu"], &["address", "order"]),
    ("write store contents memory save", &["sw", "sh", "sb"], &["address", "order"]),
    ("plus sum minus difference subtract increment decrement negate", &["add", "addi", "sub", "neg"], &["arithmetic"]),
    ("multiply times product", &["mul", "mulh", "mulhsu", "mulhu"], &["arithmetic"]),
    ("divide quotient remainder modulo", &["div", "divu", "rem", "remu"], &["arithmetic"]),
    ("mask bit logic combine invert", &["and", "andi", "or", "ori", "xor", "xori", "not"], &["bits"]),
    ("shift double halve bit", &["sll", "slli", "srl", "srli", "sra", "srai"], &["bits", "arithmetic"]),
    ("extend sign zero widen", &["sext.b", "sext.h", "zext.b", "zext.h"], &["numbers", "bits"]),
    (
        "compare less greater set truth",
        &["slt", "slti", "sltu", "sltiu", "seqz", "snez", "sltz", "sgtz", "sgt", "sgtu"],
        &["compare"],
    ),
    ("compare equal same zero if branch condition", &["beq", "bne", "beqz", "bnez"], &["compare", "loops"]),
    (
        "compare less greater than signed negative if branch condition",
        &["blt", "bge", "bgt", "ble", "bltz", "bgez", "bgtz", "blez"],
        &["compare", "loops"],
    ),
    ("compare less greater than unsigned if branch condition", &["bltu", "bgeu", "bgtu", "bleu"], &["compare"]),
    ("goto branch jump", &["j", "jal", "jr", "jalr"], &["loops", "convention"]),
    ("routine function subroutine return procedure link", &["call", "ret", "tail"], &["convention", "stack"]),
    ("interrupt handler return wait", &["mret", "wfi"], &["interrupts", "traps"]),
    (
        "control status register machine mode",
        &[
            "csrr", "csrw", "csrs", "csrc", "csrwi", "csrsi", "csrci", "csrrw", "csrrs", "csrrc", "csrrwi", "csrrsi",
            "csrrci",
        ],
        &["controls", "traps"],
    ),
    ("cycle counter clock", &["rdcycle", "rdcycleh", "rdtime", "rdtimeh", "rdinstret", "rdinstreth"], &["cycles"]),
    ("system call service print read exit", &["sys", "ecall"], &["errors", "input", "text"]),
];

/// Words of expressions and of operands.
pub(super) const OTHER_WORDS: &[(&str, &str, &str)] = &[
    ("pc", "the address of the next instruction; programs do not name it", "        la    t0, here"),
    ("here", "the address of the statement it stands in; `.` is the same", "        j     here + 8\n        nop"),
    ("sizeof", "sizeof(label): bytes from a label to the next plain one of its section", ""),
    ("defined", "defined(NAME): 1 when the name is defined above, else 0", ""),
    ("hi", "hi(x): the second byte of a word; %hi(x) is something else", "        li    t0, hi(0x1234)"),
    ("lo", "lo(x): the lowest byte of a word; %lo(x) is something else", "        li    t0, lo(0x1234)"),
    (
        "%hi",
        "%hi(x): the upper 20 bits of an address, so that %lo(x) added gives it",
        "        lui   t0, %hi(here)\n        addi  t0, t0, %lo(here)",
    ),
    (
        "%lo",
        "%lo(x): the low 12 bits of an address, with their sign",
        "        lui   t0, %hi(0x12345)\n        lw    t1, %lo(0x12345)(t0)",
    ),
    (
        "%pcrel_hi",
        "%pcrel_hi(x): the upper 20 bits of the distance from this instruction",
        "1:      auipc t0, %pcrel_hi(here)\n        addi  t0, t0, %pcrel_lo(1b)",
    ),
    (
        "%pcrel_lo",
        "%pcrel_lo(label): the rest of the distance that the auipc at the label has begun",
        "1:      auipc t0, %pcrel_hi(here)\n        addi  t0, t0, %pcrel_lo(1b)",
    ),
];

pub(super) fn instruction(word: &str) -> Vec<GuideEntry> {
    let mut entries: Vec<GuideEntry> = Vec::new();
    for form in forms_of(word) {
        let title = format!("{}: {}", form.name, form.meaning);
        let mut lines = vec![form.text()];
        if form.is_pseudo {
            let ways = form.told_ways().map(|way| format!("  becomes {}   {}", way.text, way.when.words()));
            lines.extend(ways.map(|line| line.trim_end().to_owned()));
        } else if let Some(piece) = form.ways.first().and_then(|way| way.pieces.first()) {
            lines.push(cycles(piece.op.row()));
            lines.extend(cells(&piece.op.row().parts()));
        }
        entries.push(GuideEntry { title, lines, example: Some(example(form)), see: Vec::new() });
    }
    entries
}

/// How many cycles an instruction takes, as it is told.
fn cycles(row: &Row) -> String {
    let (least, most) = (TARGET.cycles)(&row.fixed.to_le_bytes()).unwrap_or((1, 1));
    if least == most { format!("cycles {least}") } else { format!("cycles {least}, taken {most}") }
}

/// The numbers of the first and last bit of each group, and how wide its cell is.
fn ends(parts: &[(String, u32)]) -> Vec<(String, String, usize)> {
    let mut top = 32;
    let group = |(text, count): &(String, u32)| {
        let (high, low) = ((top - 1).to_string(), (top - count).to_string());
        top -= count;
        let wide = text.chars().count().max(high.len() + 1 + low.len());
        (high, low, wide)
    };
    parts.iter().map(group).collect()
}

/// Cells of bits, the numbers of their first and last bits above.
fn cells(parts: &[(String, u32)]) -> [String; 2] {
    let (mut numbers, mut cells) = (String::from("  "), String::from("  "));
    for ((text, _), (high, low, wide)) in parts.iter().zip(ends(parts)) {
        let room = wide - high.len();
        numbers.push_str(&format!("  {high}{low:>room$} "));
        cells.push_str(&format!("│ {text:<wide$} "));
    }
    cells.push('│');
    [numbers.trim_end().to_owned(), cells]
}

/// The code word of an instruction taken apart: each group of bits with what it says here. Nothing for what is none.
pub(super) fn code_apart(bytes: &[u8]) -> Vec<String> {
    let Some(word) = bytes.first_chunk().map(|bytes| u32::from_le_bytes(*bytes)) else { return Vec::new() };
    let Some(insn) = decode(word) else { return Vec::new() };
    let mut top = 32;
    let mut parts: Vec<(String, String)> = Vec::new();
    let mut bits: Vec<(String, u32)> = Vec::new();
    for (name, count) in insn.row().parts() {
        top -= count;
        let value = word >> top & ((1 << count) - 1);
        let digits = format!("{value:0width$b}", width = count as usize);
        let register = |number: u8| TARGET.register_name(Reg(number));
        let meaning = match name.as_str() {
            "rd" => format!("rd: {}, written", register(insn.rd)),
            "rs1" => format!("rs1: {}", register(insn.rs1)),
            "rs2" => format!("rs2: {}", register(insn.rs2)),
            "csr" => format!("the register {}", u16::try_from(value).ok().and_then(csr_name).unwrap_or_default()),
            "count" => format!("the count {}", insn.value),
            "imm" => format!("the constant {}", insn.rs1),
            "fm" | "before" | "after" => format!("the accesses {name} it"),
            _ if name.starts_with("imm") => match insn.row().format {
                Format::Upper => format!("{name}: the upper bits of {:08X}", insn.value),
                Format::Branch | Format::Jump => format!("{name}: of the distance {}", insn.value.cast_signed()),
                _ => format!("{name}: of the constant {}", insn.value.cast_signed()),
            },
            _ => insn.row().name.to_owned(),
        };
        bits.push((digits.clone(), count));
        parts.push((digits, meaning));
    }
    let [numbers, _] = cells(&bits);
    let parts: Vec<(String, &str)> = parts
        .iter()
        .zip(ends(&bits))
        .map(|((digits, meaning), (_, _, wide))| (format!("{digits:<wide$}"), meaning.as_str()))
        .collect();
    let mut lines = vec![numbers];
    lines.extend(drawn(&parts, ""));
    lines
}

/// An instruction with operands of this form, to be put into a text.
fn example(form: &Form) -> String {
    let mut registers = ["a0", "a1", "a2"].into_iter();
    let operands: Vec<String> = form
        .slots
        .iter()
        .map(|slot| match slot {
            Slot::Register => registers.next().unwrap_or("t0").to_owned(),
            Slot::Memory => "8(sp)".to_owned(),
            Slot::Csr => "mscratch".to_owned(),
            Slot::Accesses => "rw".to_owned(),
            Slot::Value(kind) => match kind {
                Kind::Constant => "5",
                Kind::Count | Kind::Small => "3",
                Kind::Upper => "0x12",
                Kind::Label => "here + 8",
                Kind::Word => "1000",
                Kind::Symbol => "here",
                Kind::Call => "put_int",
            }
            .to_owned(),
        })
        .collect();
    format!("        {:<6}{}", format!("{} ", form.name), operands.join(", ")).trim_end().to_owned()
}

/// A directive that only sources for this machine have, or that means something else there.
pub(super) fn directive(word: &str) -> Option<GuideEntry> {
    let info = WORDS.iter().find(|info| info.names.iter().any(|name| *name == word || name[1..] == *word))?;
    Some(directive_entry(info.names, info.form, info.meaning, info.example))
}

pub(super) fn call(word: &str) -> Option<GuideEntry> {
    let call = CALLS.iter().find(|call| call.name == word)?;
    let (mut lines, mut example) = given(call, &TARGET, |name, what| format!("li    {name}, 0           # {what}"));
    let gives = if call.gives.is_empty() { "nothing" } else { call.gives };
    let number = if call.is_own {
        lines.push(format!("gives in a0: {gives}; a1 is 0, or the error code when it fails"));
        example.push_str(&format!("        sys   {}", call.name));
        format!("0x{:X}", call.number)
    } else {
        lines.push(format!("gives in a0: {gives}; less than 0 when it fails"));
        example.push_str(&format!("        li    a7, {}\n        ecall", call.number));
        call.number.to_string()
    };
    let title = format!("{}, call {number}: {}", call.name, call.meaning);
    Some(GuideEntry { title, lines, example: Some(example), see: vec!["errors".to_owned()] })
}

/// A control and status register, by its name.
pub(super) fn control(word: &str) -> Option<GuideEntry> {
    let csr = csrs().iter().find(|csr| csr.name == word)?;
    let is_read_only = csr.number >> 10 == 3;
    let may = if is_read_only { "a program may read it" } else { "a program may read and write it" };
    let lines = vec![format!("number 0x{:03X}; {may}", csr.number)];
    let title = format!("{}: control and status register, {}", csr.name, csr.meaning);
    let example = Some(format!("        csrr  t0, {}", csr.name));
    Some(GuideEntry { title, lines, example, see: vec!["controls".to_owned()] })
}
