//! What the guide says of W16's instructions and calls.

use super::{GuideEntry, Related, drawn, given};
use crate::mnemonics::mnemonics;
use wendax_isa::w16::{Cond, Op, Row, TARGET, call_by_name, rows_named};

/// Words of the guide that belong together: what people call them, the words, and the topics that say more.
pub(super) const RELATED: &[Related] = &[
    ("copy assign put set value load immediate", &["mov", "clr", "lea", "swap"], &["registers", "address"]),
    ("read fetch load contents memory", &["ldw", "ldb", "ldsb"], &["address", "order"]),
    ("write store contents memory save", &["stw", "stb"], &["address", "order"]),
    (
        "plus sum minus difference subtract carry",
        &["add", "adc", "sub", "sbc", "inc", "dec", "neg"],
        &["arithmetic", "flags"],
    ),
    ("multiply times product", &["mul", "mulh", "mulhs"], &["arithmetic"]),
    ("divide quotient remainder modulo", &["div", "divs", "mod", "mods"], &["arithmetic", "traps"]),
    ("mask bit logic combine invert", &["and", "or", "xor", "not", "tst"], &["bits", "flags"]),
    ("shift rotate double halve bit", &["shl", "shr", "asr", "rlc", "rrc"], &["bits", "arithmetic"]),
    ("compare less greater equal than if", &["cmp", "tst"], &["compare", "flags"]),
    ("equal same zero if branch condition", &["jeq", "jne", "jz", "jnz"], &["compare", "loops"]),
    (
        "less greater than signed negative if branch condition",
        &["jlt", "jle", "jgt", "jge", "jn", "jnn"],
        &["compare", "loops"],
    ),
    (
        "less greater than unsigned if branch condition carry",
        &["jltu", "jleu", "jgtu", "jgeu", "jc", "jnc"],
        &["compare", "errors"],
    ),
    ("loop repeat count goto branch", &["djnz", "jmp"], &["loops"]),
    ("put by save restore stack", &["push", "pop"], &["stack", "convention"]),
    ("routine function subroutine return procedure", &["call", "ret"], &["convention", "stack"]),
    ("interrupt handler vector return", &["reti", "ei", "di", "trap", "brk"], &["interrupts", "traps"]),
    ("system call service print read exit", &["sys"], &["errors", "input", "text"]),
];

/// Words of expressions and registers that programs do not name.
pub(super) const OTHER_WORDS: &[(&str, &str, &str)] = &[
    ("fl", "the flags as a word, in push and pop", "        push  fl\n        pop   fl"),
    ("pc", "the address of the next instruction; programs do not name it", "        mov   r1, here"),
    ("here", "the address of the statement it stands in", "        jmp   here + 2"),
    ("sizeof", "sizeof(label): bytes from a label to the next plain one of its section", ""),
    ("defined", "defined(NAME): 1 when the name is defined above, else 0", ""),
    ("hi", "hi(x): the high byte of a word", "        mov   r1, hi(0x1234)"),
    ("lo", "lo(x): the low byte of a word", "        mov   r1, lo(0x1234)"),
];

pub(super) fn instruction(word: &str) -> Vec<GuideEntry> {
    let mut entries: Vec<GuideEntry> = Vec::new();
    for row in rows_named(word) {
        let title = format!("{word}: {}", row.meaning);
        if entries.last().is_none_or(|last| last.title != title) {
            let lines = vec![format!("flags: {}", row.flags.text())];
            entries.push(GuideEntry { title, lines, example: Some(example(word, row.form)), see: Vec::new() });
        }
        let form = format!("{word} {}", row.form);
        if let Some(last) = entries.last_mut() {
            let cycles = match row.op {
                Op::Jump(Cond::Always) | Op::JmpReg => format!("{}", row.cycles + 1),
                Op::Jump(_) | Op::Djnz => format!("{}, taken {}", row.cycles, row.cycles + 1),
                _ => row.cycles.to_string(),
            };
            last.lines.push(format!("{form:<22} cycles {cycles}"));
            last.lines.extend(digits(row));
        }
    }
    if entries.is_empty() {
        let meaning = mnemonics().find(|(name, _)| *name == word);
        entries.extend(meaning.map(|(name, meaning)| GuideEntry {
            title: format!("{name} d: {meaning}"),
            lines: vec!["written by the assembler as another instruction, which the listing shows".to_owned()],
            example: Some(example(name, "d")),
            see: Vec::new(),
        }));
    }
    entries
}

/// The code of an instruction drawn in cells, a digit each, with what each is.
fn digits(row: &Row) -> Vec<String> {
    drawn(&row.parts(), " ")
}

/// The code words of an instruction taken apart: each digit with what it says here. Nothing for what is no instruction.
pub(super) fn code_apart(bytes: &[u8]) -> Vec<String> {
    let words: Vec<u16> = bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
    let Some(&first) = words.first() else { return Vec::new() };
    let Some(decoded) = wendax_isa::w16::decode(first, words.get(1).copied().unwrap_or(0)) else { return Vec::new() };
    let row = decoded.row();
    let digits = format!("{first:04X}");
    let pattern: Vec<char> = row.pattern.split(' ').next().unwrap_or_default().chars().collect();
    let mut parts: Vec<(String, String)> = Vec::new();
    for (digit, kind) in digits.chars().zip(pattern) {
        let value = digit.to_digit(16).unwrap_or(0);
        let register =
            |role: &str| format!("{role} {}", TARGET.registers.get(value as usize).map_or("none", |info| info.name));
        let meaning = match kind {
            'd' => register("destination"),
            's' => register("source"),
            'b' => register("base"),
            'k' => format!("the constant {value}"),
            'n' => "the number of the call".to_owned(),
            'x' => "the distance in words".to_owned(),
            '0' if parts.iter().any(|(_, meaning)| meaning != row.names[0]) => "always 0".to_owned(),
            _ => row.names[0].to_owned(),
        };
        match parts.last_mut() {
            Some((text, known)) if *known == meaning => text.push(digit),
            _ => parts.push((digit.to_string(), meaning)),
        }
    }
    if let Some(second) = words.get(1).filter(|_| row.pattern.contains(' ')) {
        parts.push((format!("{second:04X}"), "the second word".to_owned()));
    }
    let parts: Vec<(String, &str)> = parts.iter().map(|(digits, meaning)| (digits.clone(), meaning.as_str())).collect();
    drawn(&parts, " ")
}

/// An instruction with operands of this form, to be put into a text.
fn example(name: &str, form: &str) -> String {
    let operands: Vec<String> = form
        .split(", ")
        .filter(|part| !part.is_empty())
        .map(|part| match part {
            "d" => "r1".to_owned(),
            "s" => "r2".to_owned(),
            "k" => "5".to_owned(),
            "imm16" => "1000".to_owned(),
            "label" => "here + 4".to_owned(),
            "nn" => "put_uint".to_owned(),
            other => other.replace("[b", "[r3").replace("off", "4"),
        })
        .collect();
    format!("        {name:<6}{}", operands.join(", ")).trim_end().to_owned()
}

pub(super) fn call(word: &str) -> Option<GuideEntry> {
    let call = call_by_name(word)?;
    let (mut lines, mut example) = given(call, &TARGET, |name, what| format!("mov   {name}, 0           ; {what}"));
    let gives = if call.gives.is_empty() { "nothing" } else { call.gives };
    lines.push(format!("gives in r0: {gives}; C = 1 and an error code when it fails"));
    example.push_str(&format!("        sys   {}", call.name));
    let title = format!("{}, call {:02X}: {}", call.name, call.number, call.meaning);
    Some(GuideEntry { title, lines, example: Some(example), see: Vec::new() })
}
