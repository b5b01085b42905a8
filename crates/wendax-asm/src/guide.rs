//! The guide: what the tables say of a word.
//!
//! A word may be a mnemonic, a directive, a system call, a register, a flag, a device register by its address, a trap, a
//! word of expressions, the number of a problem, or a topic: those are the sections of `docs/topics.md`. The bench, the
//! shell and the documents tell the same.

use crate::codes::CODES;
use crate::directives::DIRECTIVES;
use crate::mnemonics::mnemonics;
use std::fmt::Write;
use wendax_isa::Addr;
use wendax_isa::w16::{CALLS, Cond, DEVICES, Op, Row, TARGET, call_by_name, rows_named};
use wendax_source::nearest;

/// What the guide says of one thing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GuideEntry {
    /// What it is, in one line.
    pub title: String,
    /// More about it, a line each.
    pub lines: Vec<String>,
    /// Lines of source that use it.
    pub example: Option<String>,
    /// Other words of the guide that it leads to.
    pub see: Vec<String>,
}

/// Everything the tables say of a word, in any case.
///
/// ```
/// let entries = wendax_asm::guide("ADD");
/// assert_eq!(entries[0].title, "add: d ← d + s");
/// ```
pub fn guide(word: &str) -> Vec<GuideEntry> {
    let word = word.to_ascii_lowercase();
    let mut entries = instruction(&word);
    entries.extend(directive(&word));
    entries.extend(call(&word));
    entries.extend(register(&word));
    entries.extend(flag(&word));
    entries.extend(device(&word));
    entries.extend(problem(&word));
    entries.extend(word_of_expressions(&word));
    entries.extend(trap(&word));
    entries.extend(topic(&word));
    let see = related(&word);
    for entry in &mut entries {
        for more in &see {
            if !entry.see.iter().any(|known| known == more) {
                entry.see.push((*more).to_owned());
            }
        }
        entry.see.retain(|known| *known != word);
    }
    entries
}

/// Words of the guide that belong together: what people call them, the words, and the topics that say more.
const RELATED: [(&str, &[&str], &[&str]); 17] = [
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

/// The topics that say more of a word.
fn related(word: &str) -> Vec<&'static str> {
    let about = RELATED.iter().filter(|(_, words, _)| words.contains(&word));
    about.flat_map(|(_, _, topics)| topics.iter().copied()).collect()
}

/// What people call a thing that the guide knows by another word.
pub fn guide_other_words(word: &str) -> String {
    let by_kind = RELATED.iter().filter(|(_, words, _)| words.contains(&word)).map(|(others, ..)| *others);
    let by_topic = topics().filter(|(name, ..)| *name == word).map(|(_, others, _)| others);
    by_kind.chain(by_topic).collect::<Vec<_>>().join(" ")
}

/// The text of the topics, a section each.
const TOPICS: &str = include_str!("../../../docs/topics.md");

/// The topics: name, other words they are found by, text.
fn topics() -> impl Iterator<Item = (&'static str, &'static str, &'static str)> {
    TOPICS.split("\n## ").skip(1).map(|section| {
        let (head, text) = section.split_once('\n').unwrap_or((section, ""));
        let (name, words) = head.split_once(": ").unwrap_or((head, ""));
        (name, words, text.trim())
    })
}

fn topic(word: &str) -> Option<GuideEntry> {
    let names = |name: &str, words: &str| name == word || words.split(' ').any(|known| known == word);
    let (name, _, text) =
        topics().find(|(name, ..)| *name == word).or_else(|| topics().find(|(name, words, _)| names(name, words)))?;
    let mut lines = Vec::new();
    let mut example = String::new();
    let mut is_code = false;
    for line in text.lines() {
        if line.starts_with("```") {
            is_code = !is_code;
        } else if is_code {
            example.push_str(line);
            example.push('\n');
            lines.push(format!("  {line}"));
        } else {
            lines.push(line.replace('`', ""));
        }
    }
    let example = (!example.is_empty()).then(|| example.trim_end().to_owned());
    let see = words_in(text, name);
    Some(GuideEntry { title: format!("about {name}"), lines, example, see })
}

/// Words of the guide that a text names: instructions and calls in backticks, and other topics.
fn words_in(text: &str, own: &str) -> Vec<String> {
    /// More would be no help.
    const MOST: usize = 10;
    let prose: String = text.split("```").step_by(2).collect();
    let mut words: Vec<String> = Vec::new();
    let marked = prose.split('`').skip(1).step_by(2).flat_map(|code| code.split_whitespace());
    let named = topics().map(|(name, ..)| name).filter(|name| {
        let mut words = prose.split(|c: char| !c.is_alphanumeric());
        *name != own && words.any(|word| word == *name)
    });
    let known = |word: &str| mnemonics().any(|(name, _)| name == word) || call_by_name(word).is_some();
    let is_word = |word: &&str| !["sys", "r0"].contains(word) && known(word);
    for word in named.chain(marked.filter(is_word)) {
        if !words.iter().any(|known| known == word) && words.len() < MOST {
            words.push(word.to_owned());
        }
    }
    words
}

/// Words of expressions and registers that programs do not name.
const OTHER_WORDS: [(&str, &str, &str); 7] = [
    ("fl", "the flags as a word, in push and pop", "        push  fl\n        pop   fl"),
    ("pc", "the address of the next instruction; programs do not name it", "        mov   r1, here"),
    ("here", "the address of the statement it stands in", "        jmp   here + 2"),
    ("sizeof", "sizeof(label): bytes from a label to the next plain one of its section", ""),
    ("defined", "defined(NAME): 1 when the name is defined above, else 0", ""),
    ("hi", "hi(x): the high byte of a word", "        mov   r1, hi(0x1234)"),
    ("lo", "lo(x): the low byte of a word", "        mov   r1, lo(0x1234)"),
];

fn word_of_expressions(word: &str) -> Option<GuideEntry> {
    let (name, meaning, example) = OTHER_WORDS.iter().find(|(name, ..)| *name == word)?;
    let title = if meaning.starts_with(name) { (*meaning).to_owned() } else { format!("{name}: {meaning}") };
    Some(GuideEntry {
        title,
        lines: Vec::new(),
        example: (!example.is_empty()).then(|| (*example).to_owned()),
        see: Vec::new(),
    })
}

/// A trap or interrupt by its name.
fn trap(word: &str) -> Option<GuideEntry> {
    let number = TARGET.traps.iter().position(|name| !name.is_empty() && *name == word)?;
    let lines = vec![format!("its vector is the word at 0x{:04X}; wendax guide traps says more", 2 * number)];
    Some(GuideEntry { title: format!("{word}: trap {number:X}"), lines, example: None, see: vec!["traps".to_owned()] })
}

/// The words the guide knows, by kind.
pub fn guide_words() -> Vec<(&'static str, Vec<String>)> {
    let owned = |words: &mut dyn Iterator<Item = &'static str>| words.map(str::to_owned).collect::<Vec<_>>();
    vec![
        ("instructions", owned(&mut mnemonics().map(|(name, _)| name))),
        ("directives", owned(&mut DIRECTIVES.iter().map(|info| info.name))),
        ("system calls", owned(&mut CALLS.iter().map(|call| call.name))),
        ("registers", owned(&mut TARGET.registers.iter().map(|info| info.name))),
        ("flags", TARGET.flags.iter().map(|flag| flag.name.to_string()).collect()),
        ("device registers", DEVICES.iter().map(|device| format!("{:04X}", device.address)).collect()),
        ("words of expressions", OTHER_WORDS.iter().map(|(name, ..)| (*name).to_owned()).collect()),
        ("traps", TARGET.traps.iter().filter(|name| !name.is_empty()).map(|name| (*name).to_owned()).collect()),
        ("topics", topics().map(|(name, ..)| name.to_owned()).collect()),
        ("problems", CODES.iter().map(|info| info.code.to_string()).collect()),
    ]
}

/// `docs/guide.md`, whole: what the guide says of every word but the problems, which have a document of their own.
pub fn guide_document() -> String {
    let mut out = String::from(
        "# The guide\n\n<!-- Written by `cargo run -p wendax-asm --example guide`; a test holds it to the code. -->\n\n\
         What `?` in the bench and `wendax guide WORD` say of each word. [Problems](problems.md), [topics](topics.md) and\n\
         [keys](keys.md) have documents of their own.\n",
    );
    for (kind, words) in guide_words().into_iter().filter(|(kind, _)| !["problems", "topics"].contains(kind)) {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "\n## {}{}\n", kind[..1].to_uppercase(), &kind[1..]);
        for entry in words.iter().flat_map(|word| guide(word)) {
            let _ = writeln!(out, "**{}**\n\n```text", entry.title);
            for line in &entry.lines {
                let _ = writeln!(out, "{line}");
            }
            if let Some(example) =
                entry.example.filter(|example| !entry.lines.iter().any(|line| line.contains(example.as_str())))
            {
                let _ = writeln!(out, "example:\n{example}");
            }
            let _ = writeln!(out, "```\n");
        }
    }
    out
}

/// The word of the guide that is closest to one it does not know.
pub fn guide_nearest(word: &str) -> Option<String> {
    let words = guide_words();
    let all = words.iter().flat_map(|(_, words)| words.iter().map(String::as_str));
    nearest(word, all).map(str::to_owned)
}

fn instruction(word: &str) -> Vec<GuideEntry> {
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
    drawn(&row.parts())
}

/// Cells of digits, and under each group a line to what it means.
fn drawn(parts: &[(String, &str)]) -> Vec<String> {
    let mut cells = String::from("  ");
    let mut starts = Vec::new();
    for (digits, _) in parts {
        cells.push_str("│ ");
        starts.push(cells.chars().count());
        let spaced: Vec<String> = digits.chars().map(String::from).collect();
        cells.push_str(&spaced.join(" "));
        cells.push(' ');
    }
    cells.push('│');
    let mut lines = vec![cells];
    for (index, (_, meaning)) in parts.iter().enumerate().rev() {
        let mut line = String::new();
        for &start in &starts[..index] {
            line.push_str(&" ".repeat(start - line.chars().count()));
            line.push('│');
        }
        line.push_str(&" ".repeat(starts[index] - line.chars().count()));
        line.push_str("└ ");
        line.push_str(meaning);
        lines.push(line);
    }
    lines
}

/// The code words of an instruction taken apart: each digit with what it says here. Nothing for what is no instruction.
pub fn code_apart(words: &[u16]) -> Vec<String> {
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
    drawn(&parts)
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

fn directive(word: &str) -> Option<GuideEntry> {
    let info = DIRECTIVES.iter().find(|info| info.name == word || info.name[1..] == *word)?;
    let mut lines = vec![info.form.to_owned(), "for example:".to_owned()];
    lines.extend(info.example.lines().map(|line| format!("  {line}")));
    let title = format!("{}: {}", info.name, info.meaning);
    Some(GuideEntry { title, lines, example: Some(info.example.to_owned()), see: Vec::new() })
}

fn call(word: &str) -> Option<GuideEntry> {
    let call = call_by_name(word)?;
    let mut lines: Vec<String> =
        call.takes.iter().map(|(register, what)| format!("{}: {what}", TARGET.register_name(*register))).collect();
    let gives = if call.gives.is_empty() { "nothing" } else { call.gives };
    lines.push(format!("gives in r0: {gives}; C = 1 and an error code when it fails"));
    let mut example = String::new();
    for (register, what) in call.takes {
        let name = TARGET.register_name(*register);
        example.push_str(&format!("        mov   {name}, 0           ; {what}\n"));
    }
    example.push_str(&format!("        sys   {}", call.name));
    let title = format!("{}, call {:02X}: {}", call.name, call.number, call.meaning);
    Some(GuideEntry { title, lines, example: Some(example), see: Vec::new() })
}

fn register(word: &str) -> Option<GuideEntry> {
    let info = TARGET.registers.get(TARGET.register(word)?.index())?;
    let kept = if info.kept { "a routine gives it back as it found it" } else { "a routine may change it" };
    let title = format!("{}: {}", info.name, info.role);
    Some(GuideEntry { title, lines: vec![kept.to_owned()], example: None, see: Vec::new() })
}

fn flag(word: &str) -> Option<GuideEntry> {
    let flag = TARGET.flags.iter().find(|flag| flag.name.to_string().eq_ignore_ascii_case(word))?;
    let lines = vec![format!("1: {}", flag.when_set), format!("0: {}", flag.when_clear)];
    let title = format!("{}: a flag, bit {} of fl", flag.name, flag.bit.trailing_zeros());
    Some(GuideEntry { title, lines, example: None, see: Vec::new() })
}

fn device(word: &str) -> Option<GuideEntry> {
    let address = Addr(u32::from_str_radix(word.strip_prefix("0x").unwrap_or(word), 16).ok()?);
    let device = TARGET.device(address)?;
    let may = if device.writable { "a program may read and write it" } else { "a program may read it" };
    let lines = vec![device.meaning.to_owned(), may.to_owned()];
    let access =
        if device.writable { format!("stw   [0x{address:04X}], r1") } else { format!("ldw   r1, [0x{address:04X}]") };
    let title = format!("{:04X}: device register, {}", device.address, device.name);
    Some(GuideEntry { title, lines, example: Some(format!("        {access}")), see: Vec::new() })
}

fn problem(word: &str) -> Option<GuideEntry> {
    let info = CODES.iter().find(|info| info.code.to_string().eq_ignore_ascii_case(word))?;
    let mut lines = vec!["wrong:".to_owned()];
    lines.extend(info.wrong.lines().map(|line| format!("  {line}")));
    lines.push("right:".to_owned());
    lines.extend(info.right.lines().map(|line| format!("  {line}")));
    let title = format!("{}, a {}: {}", info.code, info.severity.word(), info.title);
    Some(GuideEntry { title, lines, example: None, see: Vec::new() })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_word_has_an_entry() {
        for (kind, words) in guide_words() {
            assert!(!words.is_empty(), "{kind}");
            for word in words {
                let entries = guide(&word);
                assert!(!entries.is_empty() && entries.iter().all(|entry| !entry.title.is_empty()), "{kind}: {word}");
            }
        }
        assert_eq!(guide("elsewhere"), []);
        assert_eq!(guide_nearest("put_txet").as_deref(), Some("put_text"));
    }

    #[test]
    fn topics_are_found_by_the_words_of_beginners_and_their_examples_run() {
        for word in ["array", "variable", "divide", "loop", "two", "byte", "convention", "interrupt", "handler"] {
            assert!(!guide(word).is_empty(), "{word}");
        }
        for (name, _, _) in topics() {
            let entry = topic(name).expect("it is one");
            assert!(!entry.lines.is_empty(), "{name}");
            if let Some(example) = entry.example {
                let text = if example.contains("start:") { example } else { format!("start:\n{example}") };
                let (sources, file) = wendax_source::Sources::single("example", text.as_str());
                let assembly = crate::assemble(&sources, file);
                assert!(assembly.diagnostics.is_empty(), "{name}: {:?}", assembly.diagnostics);
            }
        }
    }

    #[test]
    fn every_example_of_an_instruction_call_or_device_assembles() {
        for (kind, words) in guide_words() {
            if !["instructions", "system calls", "device registers"].contains(&kind) {
                continue;
            }
            for word in words {
                for entry in guide(&word).into_iter().take(1) {
                    let Some(example) = entry.example else { panic!("{word} has no example") };
                    let text = format!("start:\n{example}\n        halt\n        halt\n");
                    let (sources, file) = wendax_source::Sources::single("example", text.as_str());
                    assert!(crate::assemble(&sources, file).is_runnable(), "{text}");
                }
            }
        }
    }

    #[test]
    fn the_document_holds_todays_tables() {
        let text = include_str!("../../../docs/guide.md");
        assert!(text == guide_document(), "run `cargo run -p wendax-asm --example guide`");
    }

    #[test]
    fn codes_are_taken_apart_digit_by_digit() {
        let lines = &guide("ldw")[0].lines;
        let drawn = [
            "  │ 6 1 │ d │ b │ w w w w │",
            "    │     │   │   └ a second word: the offset",
            "    │     │   └ base register, F for none",
            "    │     └ destination register",
            "    └ which instruction it is",
        ];
        assert!(lines.windows(5).any(|window| window == drawn), "{lines:#?}");
        let apart = ["  │ 3 1 │ 6 │ 2 │", "    │     │   └ the constant 2", "    │     └ destination r6", "    └ add"];
        assert_eq!(code_apart(&[0x3162]), apart);
        assert!(code_apart(&[0xFFFF, 0]).is_empty() && code_apart(&[]).is_empty());
    }

    #[test]
    fn words_of_two_kinds_have_two_entries() {
        let titles: Vec<String> = guide("jmp").into_iter().map(|entry| entry.title).collect();
        assert_eq!(titles, ["jmp: jump to the address in d", "jmp: jump"]);
        assert_eq!(guide("0xff30")[0].title, "FF30: device register, lamps");
        assert_eq!(guide("SPACE")[0].title, ".space: n bytes kept free, or n times the byte fill");
    }
}
