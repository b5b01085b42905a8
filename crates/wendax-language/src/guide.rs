//! The guide: what the tables say of a word.
//!
//! A word may be a mnemonic, a directive, a system call, a register, a flag, a device register by its address, a trap, a
//! control register, a word of expressions, the number of a problem, or a topic: those are the sections of
//! `docs/topics.md`, and of `docs/topics-rv32.md` where RV32 has it otherwise. The bench, the shell and the documents tell
//! the same, each of one machine only: what is a machine's alone stands in `w16` and `rv32`.

mod rv32;
mod w16;

use crate::cautions::CAUTIONS;
use crate::codes::CODES;
use crate::directives::DIRECTIVES;
use crate::syntax::Syntax;
use std::fmt::Write;
use std::sync::LazyLock;
use wendax_isa::{Addr, SystemCall, Target};
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

/// Words that belong together: what people call them, the words, and the topics that say more.
type Related = (&'static str, &'static [&'static str], &'static [&'static str]);

/// Everything the tables say of a word of this machine, in any case.
///
/// ```
/// let entries = wendax_language::guide("ADD", &wendax_isa::w16::TARGET);
/// assert_eq!(entries[0].title, "add: d ← d + s");
/// ```
pub fn guide(word: &str, target: &Target) -> Vec<GuideEntry> {
    let syntax = Syntax::of(target);
    let word = word.to_ascii_lowercase();
    let mut entries = match syntax {
        Syntax::W16 => w16::instruction(&word),
        Syntax::Rv32 => rv32::instruction(&word),
    };
    entries.extend(directive(&word, syntax));
    entries.extend(match syntax {
        Syntax::W16 => w16::call(&word),
        Syntax::Rv32 => rv32::call(&word).or_else(|| rv32::control(&word)),
    });
    entries.extend(register(&word, syntax));
    entries.extend(flag(&word, target));
    entries.extend(device(&word, syntax));
    entries.extend(problem(&word, syntax));
    entries.extend(caution(&word, syntax));
    entries.extend(word_of_expressions(&word, syntax));
    entries.extend(trap(&word, syntax));
    entries.extend(topic(&word, syntax));
    let see = related(&word, syntax);
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

fn all_related(syntax: Syntax) -> &'static [Related] {
    match syntax {
        Syntax::W16 => w16::RELATED,
        Syntax::Rv32 => rv32::RELATED,
    }
}

/// The topics that say more of a word.
fn related(word: &str, syntax: Syntax) -> Vec<&'static str> {
    let about = all_related(syntax).iter().filter(|(_, words, _)| words.contains(&word));
    about.flat_map(|(_, _, topics)| topics.iter().copied()).collect()
}

/// What people call a thing that the guide knows by another word.
pub fn guide_other_words(word: &str, target: &Target) -> String {
    let syntax = Syntax::of(target);
    let by_kind = all_related(syntax).iter().filter(|(_, words, _)| words.contains(&word)).map(|(others, ..)| *others);
    let by_topic = topics(syntax).iter().filter(|(name, ..)| *name == word).map(|(_, others, _)| *others);
    by_kind.chain(by_topic).collect::<Vec<_>>().join(" ")
}

/// The text of the topics, a section each.
const TOPICS: &str = include_str!("../../../docs/topics.md");
/// Those that sources and programs for RV32 have otherwise, or alone.
const TOPICS_RV32: &str = include_str!("../../../docs/topics-rv32.md");
/// Topics about W16's flags, which RV32 has nothing in place of.
const W16_ALONE: [&str; 1] = ["flags"];

/// A topic: name, other words it is found by, text.
type Topic = (&'static str, &'static str, &'static str);

fn sections(text: &'static str) -> impl Iterator<Item = Topic> {
    text.split("\n## ").skip(1).map(|section| {
        let (head, text) = section.split_once('\n').unwrap_or((section, ""));
        let (name, words) = head.split_once(": ").unwrap_or((head, ""));
        (name, words, text.trim())
    })
}

/// The topics of a machine, in the order of the pages.
fn topics(syntax: Syntax) -> &'static [Topic] {
    static W16: LazyLock<Vec<Topic>> = LazyLock::new(|| sections(TOPICS).collect());
    static RV32: LazyLock<Vec<Topic>> = LazyLock::new(|| {
        let mut own: Vec<Topic> = sections(TOPICS_RV32).collect();
        let kept = sections(TOPICS).filter(|(name, ..)| !W16_ALONE.contains(name));
        let instead = |topic: Topic| match own.iter().position(|(name, ..)| *name == topic.0) {
            Some(at) => own.remove(at),
            None => topic,
        };
        let mut found: Vec<Topic> = kept.map(instead).collect();
        found.extend(own);
        found
    });
    match syntax {
        Syntax::W16 => &W16,
        Syntax::Rv32 => &RV32,
    }
}

fn topic(word: &str, syntax: Syntax) -> Option<GuideEntry> {
    let names = |name: &str, words: &str| name == word || words.split(' ').any(|known| known == word);
    let topics = topics(syntax);
    let (name, _, text) = topics
        .iter()
        .find(|(name, ..)| *name == word)
        .or_else(|| topics.iter().find(|(name, words, _)| names(name, words)))?;
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
    let see = words_in(text, name, syntax);
    Some(GuideEntry { title: format!("about {name}"), lines, example, see })
}

/// Words of the guide that a text names: instructions and calls in backticks, and other topics.
fn words_in(text: &str, own: &str, syntax: Syntax) -> Vec<String> {
    /// More would be no help.
    const MOST: usize = 10;
    let prose: String = text.split("```").step_by(2).collect();
    let mut words: Vec<String> = Vec::new();
    let marked = prose.split('`').skip(1).step_by(2).flat_map(|code| code.split_whitespace());
    let named = topics(syntax).iter().map(|(name, ..)| *name).filter(|name| {
        let mut words = prose.split(|c: char| !c.is_alphanumeric());
        *name != own && words.any(|word| word == *name)
    });
    let known = |word: &str| {
        syntax.mnemonics().iter().any(|(name, _)| *name == word)
            || syntax.target().calls.iter().any(|call| call.name == word)
    };
    let is_word = |word: &&str| !["sys", "r0"].contains(word) && known(word);
    for word in named.chain(marked.filter(is_word)) {
        if !words.iter().any(|known| known == word) && words.len() < MOST {
            words.push(word.to_owned());
        }
    }
    words
}

fn other_words(syntax: Syntax) -> &'static [(&'static str, &'static str, &'static str)] {
    match syntax {
        Syntax::W16 => w16::OTHER_WORDS,
        Syntax::Rv32 => rv32::OTHER_WORDS,
    }
}

fn word_of_expressions(word: &str, syntax: Syntax) -> Option<GuideEntry> {
    let (name, meaning, example) = other_words(syntax).iter().find(|(name, ..)| *name == word)?;
    let title = if meaning.starts_with(name) { (*meaning).to_owned() } else { format!("{name}: {meaning}") };
    Some(GuideEntry {
        title,
        lines: Vec::new(),
        example: (!example.is_empty()).then(|| (*example).to_owned()),
        see: Vec::new(),
    })
}

/// A trap or interrupt by its name.
fn trap(word: &str, syntax: Syntax) -> Option<GuideEntry> {
    let target = syntax.target();
    let traps = target.entries(false).into_iter().map(|(number, name)| (number, name, false));
    let interrupts = target.entries(true).into_iter().map(|(number, name)| (number, name, true));
    let (number, name, is_interrupt) = traps.chain(interrupts).find(|(_, name, _)| *name == word)?;
    let kind = if is_interrupt && syntax == Syntax::Rv32 { "interrupt" } else { "trap" };
    let (number, line) = match syntax {
        Syntax::W16 => (
            format!("{number:X}"),
            format!("its vector is the word at 0x{:04X}; wendax guide traps says more", 2 * number),
        ),
        Syntax::Rv32 => (number.to_string(), format!("mcause says so; wendax guide {kind}s says more")),
    };
    let see = vec![format!("{kind}s")];
    Some(GuideEntry { title: format!("{name}: {kind} {number}"), lines: vec![line], example: None, see })
}

/// The words the guide knows of a machine, by kind.
pub fn guide_words(target: &Target) -> Vec<(&'static str, Vec<String>)> {
    let syntax = Syntax::of(target);
    let owned = |words: &mut dyn Iterator<Item = &'static str>| words.map(str::to_owned).collect::<Vec<_>>();
    let mut entries = target.entries(false);
    entries.extend(target.entries(true));
    let traps = entries.into_iter().map(|(_, name)| name.to_owned()).collect();
    let controls = match syntax {
        Syntax::W16 => Vec::new(),
        Syntax::Rv32 => wendax_isa::rv32::csrs().iter().map(|csr| csr.name.to_owned()).collect(),
    };
    let mut words = vec![
        ("instructions", owned(&mut syntax.mnemonics().iter().map(|(name, _)| *name))),
        ("directives", owned(&mut syntax.directive_words().into_iter().map(|(name, _)| name))),
        ("system calls", owned(&mut target.calls.iter().map(|call| call.name))),
        ("registers", owned(&mut target.registers.iter().map(|info| info.name))),
        ("flags", target.flags.iter().map(|flag| flag.name.to_string()).collect()),
        ("control and status registers", controls),
        ("device registers", target.devices.iter().map(|device| target.hex_address(device.address)).collect()),
        ("words of expressions", owned(&mut other_words(syntax).iter().map(|(name, ..)| *name))),
        ("traps", traps),
        ("topics", owned(&mut topics(syntax).iter().map(|(name, ..)| *name))),
        ("problems", CODES.iter().map(|info| info.code.to_string()).collect()),
        ("cautions", CAUTIONS.iter().map(|info| info.kind.to_string()).collect()),
    ];
    words.retain(|(_, words)| !words.is_empty());
    words
}

/// `docs/guide.md` or `docs/guide-rv32.md`, whole: what the guide says of every word but the problems, which have a document of their own.
pub fn guide_document(target: &Target) -> String {
    let (heading, how, topics) = match Syntax::of(target) {
        Syntax::W16 => ("# The guide", "wendax guide WORD", "[topics](topics.md)"),
        Syntax::Rv32 => (
            "# The guide, for RV32",
            "wendax guide --target rv32 WORD",
            "[topics](topics.md), [those of RV32](topics-rv32.md)",
        ),
    };
    let mut out = format!(
        "{heading}\n\n<!-- Written by `cargo run -p wendax-asm --example guide`; a test holds it to the code. -->\n\n\
         What `?` in the bench and `{how}` say of each word. [Problems](problems.md), {topics} and\n\
         [keys](keys.md) have documents of their own.\n",
    );
    for (kind, words) in
        guide_words(target).into_iter().filter(|(kind, _)| !["problems", "cautions", "topics"].contains(kind))
    {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "\n## {}{}\n", kind[..1].to_uppercase(), &kind[1..]);
        for entry in words.iter().flat_map(|word| guide(word, target)) {
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
pub fn guide_nearest(word: &str, target: &Target) -> Option<String> {
    let words = guide_words(target);
    let all = words.iter().flat_map(|(_, words)| words.iter().map(String::as_str));
    nearest(word, all).map(str::to_owned)
}

/// The code of an instruction taken apart: its digits or bits, each group with what it says here. Nothing for what is no
/// instruction.
pub fn code_apart(bytes: &[u8], target: &Target) -> Vec<String> {
    match Syntax::of(target) {
        Syntax::W16 => w16::code_apart(bytes),
        Syntax::Rv32 => rv32::code_apart(bytes),
    }
}

/// Cells of digits, and under each group a line to what it means.
fn drawn(parts: &[(String, &str)], between: &str) -> Vec<String> {
    let mut cells = String::from("  ");
    let mut starts = Vec::new();
    for (digits, _) in parts {
        cells.push_str("│ ");
        starts.push(cells.chars().count());
        let spaced: Vec<String> = digits.chars().map(String::from).collect();
        cells.push_str(&spaced.join(between));
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

fn directive(word: &str, syntax: Syntax) -> Option<GuideEntry> {
    if let Some(own) = (syntax == Syntax::Rv32).then(|| rv32::directive(word)).flatten() {
        return Some(own);
    }
    let info = DIRECTIVES.iter().find(|info| info.name == word || info.name[1..] == *word)?;
    Some(directive_entry(&[info.name], info.form, info.meaning, info.example))
}

/// What is said of a directive with these names, the usual one first.
fn directive_entry(names: &[&str], form: &str, meaning: &str, example: &str) -> GuideEntry {
    let mut lines = vec![form.to_owned()];
    if names.len() > 1 {
        lines.push(format!("also written {}", names[1..].join(", ")));
    }
    let example = (!example.is_empty()).then(|| example.to_owned());
    if let Some(example) = &example {
        lines.push("for example:".to_owned());
        lines.extend(example.lines().map(|line| format!("  {line}")));
    }
    GuideEntry { title: format!("{}: {meaning}", names[0]), lines, example, see: Vec::new() }
}

/// What a call is given, a line each, and lines that set it, as `set` writes one with a register and what goes there.
fn given(call: &SystemCall, target: &Target, set: impl Fn(&str, &str) -> String) -> (Vec<String>, String) {
    let takes = call.takes.iter().map(|(register, what)| (target.register_name(*register), *what));
    let lines = takes.clone().map(|(name, what)| format!("{name}: {what}")).collect();
    (lines, takes.map(|(name, what)| format!("        {}\n", set(name, what))).collect::<Vec<_>>().concat())
}

fn register(word: &str, syntax: Syntax) -> Option<GuideEntry> {
    let target = syntax.target();
    let register = target.register(word)?;
    let info = target.registers.get(register.index())?;
    let kept = if info.kept { "a routine gives it back as it found it" } else { "a routine may change it" };
    let kept = match syntax {
        Syntax::W16 => kept.to_owned(),
        Syntax::Rv32 if Some(register) == target.roles.zero => "x0; what is written to it is thrown away".to_owned(),
        Syntax::Rv32 if matches!(register.0, wendax_isa::rv32::GP | wendax_isa::rv32::TP) => {
            format!("x{}; a program leaves it as it is", register.0)
        }
        Syntax::Rv32 => format!("x{}; {kept}", register.0),
    };
    let title = format!("{}: {}", info.name, info.role);
    Some(GuideEntry { title, lines: vec![kept], example: None, see: Vec::new() })
}

fn flag(word: &str, target: &Target) -> Option<GuideEntry> {
    let flag = target.flags.iter().find(|flag| flag.name.to_string().eq_ignore_ascii_case(word))?;
    let lines = vec![format!("1: {}", flag.when_set), format!("0: {}", flag.when_clear)];
    let title = format!("{}: a flag, bit {} of fl", flag.name, flag.bit.trailing_zeros());
    Some(GuideEntry { title, lines, example: None, see: Vec::new() })
}

fn device(word: &str, syntax: Syntax) -> Option<GuideEntry> {
    let target = syntax.target();
    let address = Addr(u32::from_str_radix(word.strip_prefix("0x").unwrap_or(word), 16).ok()?);
    let device = target.device(address).filter(|device| device.address == address)?;
    let may = if device.writable { "a program may read and write it" } else { "a program may read it" };
    let mut lines = vec![device.meaning.to_owned(), may.to_owned()];
    let access = match (syntax, device.writable) {
        (Syntax::W16, true) => format!("stw   [0x{address:04X}], r1"),
        (Syntax::W16, false) => format!("ldw   r1, [0x{address:04X}]"),
        (Syntax::Rv32, writable) => {
            // They lie at the top of memory, so that a distance back from `zero` reaches them.
            let distance = address.0.cast_signed();
            lines.push(format!("reached from zero: {distance}(zero)"));
            format!("{}    t0, {distance}(zero)", if writable { "sw" } else { "lw" })
        }
    };
    let title = format!("{}: device register, {}", target.hex_address(device.address), device.name);
    Some(GuideEntry { title, lines, example: Some(format!("        {access}")), see: Vec::new() })
}

fn problem(word: &str, syntax: Syntax) -> Option<GuideEntry> {
    let info = CODES.iter().find(|info| info.code.to_string().eq_ignore_ascii_case(word))?;
    let title = format!("{}, a {}: {}", info.code, info.severity.word(), info.title);
    let lines = wrong_and_right(info.wrong, info.right, syntax, !info.is_of_manifest());
    // What is told of the same in a run.
    let in_runs = CAUTIONS.iter().filter(|caution| caution.warnings.contains(&info.code.0));
    let see = in_runs.map(|caution| caution.kind.to_string()).collect();
    Some(GuideEntry { title, lines, example: None, see })
}

fn caution(word: &str, syntax: Syntax) -> Option<GuideEntry> {
    let info = CAUTIONS.iter().find(|info| info.kind.to_string().eq_ignore_ascii_case(word))?;
    let title = format!("{}, a caution: {}", info.kind, info.title);
    let mut lines: Vec<String> =
        info.about.split_inclusive(". ").map(|sentence| sentence.trim_end().to_owned()).collect();
    lines.extend(wrong_and_right(info.wrong, info.right, syntax, true));
    // What is told of the same while writing.
    let see = info.warnings.iter().map(|code| wendax_source::Code(*code).to_string()).collect();
    Some(GuideEntry { title, lines, example: None, see })
}

/// An example of what is wrong with the same as it is right; of the other machine it is said that it is.
fn wrong_and_right(wrong: &str, right: &str, syntax: Syntax, is_source: bool) -> Vec<String> {
    let of = crate::machine_of(wrong).map_or(Syntax::W16, Syntax::of);
    let on = if of == syntax || !is_source { String::new() } else { format!(", on {}", of.target().name) };
    let mut lines = vec![format!("wrong{on}:")];
    lines.extend(wrong.lines().map(|line| format!("  {line}")));
    lines.push("right:".to_owned());
    lines.extend(right.lines().map(|line| format!("  {line}")));
    lines
}

#[cfg(test)]
mod tests {
    use super::*;
    use wendax_isa::{rv32, targets, w16};

    /// The problems of lines as a source for a machine.
    fn problems(lines: &str, target: &Target) -> Vec<String> {
        let text = match Syntax::of(target) {
            Syntax::W16 => format!("start:\n{lines}\n        halt\n        halt\n"),
            Syntax::Rv32 => format!(".target rv32\n{lines}\n        nop\n        nop\n        sys exit\n"),
        };
        let (sources, file) = wendax_source::Sources::single("example", text.as_str());
        let assembly = wendax_asm::assemble(&sources, file);
        let found = assembly.diagnostics.iter().filter(|found| found.severity == wendax_source::Severity::Problem);
        found.map(|found| format!("{}\n{text}", found.message)).collect()
    }

    #[test]
    fn every_word_has_an_entry() {
        for target in targets() {
            for (kind, words) in guide_words(target) {
                for word in words {
                    let entries = guide(&word, target);
                    assert!(
                        !entries.is_empty() && entries.iter().all(|entry| !entry.title.is_empty()),
                        "{kind}: {word}"
                    );
                }
            }
            assert_eq!(guide("elsewhere", target), []);
            assert_eq!(guide_nearest("put_txet", target).as_deref(), Some("put_text"));
        }
    }

    #[test]
    fn a_machine_tells_of_its_own_words_alone() {
        let knows = |word: &str| targets().map(|target| !guide(word, target).is_empty());
        for (word, known) in [
            ("djnz", [true, false]),
            ("fl", [true, false]),
            ("flags", [true, true]),
            ("addi", [false, true]),
            ("bnez", [false, true]),
            ("mepc", [false, true]),
            ("openat", [false, true]),
            (".rodata", [false, true]),
            ("%hi", [false, true]),
            ("put_text", [true, true]),
            ("convention", [true, true]),
            ("FF30", [true, false]),
            ("FFFFFE60", [false, true]),
        ] {
            assert_eq!(knows(word), known, "{word}");
        }
        // What both have is told of the one that is asked for.
        let said = |word: &str, target| format!("{:?}", guide(word, target));
        assert!(
            said("convention", &rv32::TARGET).contains("way back into ra")
                && said("stack", &w16::TARGET).contains("pop")
        );
        assert!(said("compare", &rv32::TARGET).contains("There are no flags"));
        assert!(said("div", &rv32::TARGET).contains("when rs2 is 0") && said("x17", &rv32::TARGET).contains("a7"));
        for (_, words) in guide_words(&rv32::TARGET).into_iter().filter(|(kind, _)| *kind == "topics") {
            for word in words {
                let entries = guide(&word, &rv32::TARGET);
                let text = entries.iter().map(|entry| entry.lines.join(" ")).collect::<Vec<_>>().join(" ");
                for other in [" r1", " ldw", "djnz", " jc ", "cmp"] {
                    assert!(
                        !text.contains(other) || word == "stops" || word == "watches",
                        "{word} speaks of {other}: {text}"
                    );
                }
            }
        }
    }

    #[test]
    fn topics_are_found_by_the_words_of_beginners_and_their_examples_assemble() {
        for target in targets() {
            for word in ["array", "variable", "divide", "loop", "two", "byte", "convention", "interrupt", "handler"] {
                assert!(!guide(word, target).is_empty(), "{word}");
            }
            for (name, _, _) in topics(Syntax::of(target)) {
                let entry = topic(name, Syntax::of(target)).expect("it is one");
                assert!(!entry.lines.is_empty(), "{name}");
                let Some(example) = entry.example else { continue };
                let first = if target.flags.is_empty() { ".target rv32\n" } else { "" };
                let begun = example.contains("start:");
                let text = if begun { format!("{first}{example}") } else { format!("{first}start:\n{example}") };
                let (sources, file) = wendax_source::Sources::single("example", text.as_str());
                let assembly = wendax_asm::assemble(&sources, file);
                assert!(assembly.diagnostics.is_empty(), "{name}: {:?}", assembly.diagnostics);
            }
        }
    }

    #[test]
    fn every_example_assembles() {
        const KINDS: [&str; 4] = ["instructions", "system calls", "device registers", "control and status registers"];
        for target in targets() {
            for (kind, words) in guide_words(target).into_iter().filter(|(kind, _)| KINDS.contains(kind)) {
                for word in words {
                    let entry = guide(&word, target).into_iter().next().expect("it is told");
                    let Some(example) = entry.example else { panic!("{kind}: {word} has no example") };
                    assert_eq!(problems(&example, target), [] as [&str; 0], "{kind}: {word}");
                }
            }
        }
        for words in crate::rv32::WORDS {
            assert!(words.form.starts_with(words.names[0]), "{}", words.form);
            assert!(words.example.is_empty() || words.example.contains(words.names[0]), "{}", words.example);
            let example = words.example.replace(" print_line", " start");
            let example = format!("        .data\n{example}\n        .balign 4\n        .text\nstart:");
            assert_eq!(problems(&example, &rv32::TARGET), [] as [&str; 0], "{}", words.form);
            for name in words.names {
                assert!(
                    Syntax::Rv32.other_directive(name).is_some() || Syntax::Rv32.directive(name).is_some(),
                    "{name}"
                );
            }
        }
        for (word, _, example) in super::rv32::OTHER_WORDS {
            assert_eq!(problems(example, &rv32::TARGET), [] as [&str; 0], "{word}");
        }
    }

    #[test]
    fn the_documents_hold_todays_tables() {
        let run = "run `cargo run -p wendax-asm --example guide`";
        assert!(include_str!("../../../docs/guide.md") == guide_document(&w16::TARGET), "{run}");
        assert!(include_str!("../../../docs/guide-rv32.md") == guide_document(&rv32::TARGET), "{run}");
    }

    #[test]
    fn codes_are_taken_apart_digit_by_digit_and_bit_by_bit() {
        let lines = &guide("ldw", &w16::TARGET)[0].lines;
        let drawn = [
            "  │ 6 1 │ d │ b │ w w w w │",
            "    │     │   │   └ a second word: the offset",
            "    │     │   └ base register, F for none",
            "    │     └ destination register",
            "    └ which instruction it is",
        ];
        assert!(lines.windows(5).any(|window| window == drawn), "{lines:#?}");
        let apart = ["  │ 3 1 │ 6 │ 2 │", "    │     │   └ the constant 2", "    │     └ destination r6", "    └ add"];
        assert_eq!(code_apart(&[0x62, 0x31], &w16::TARGET), apart);
        assert!(code_apart(&[0xFF, 0xFF, 0, 0], &w16::TARGET).is_empty() && code_apart(&[], &w16::TARGET).is_empty());

        let lines = &guide("lw", &rv32::TARGET)[0].lines;
        let drawn =
            ["    31     20   19 15   14 12   11 7   6     0", "  │ imm[11:0] │ rs1   │ 010   │ rd   │ 0000011 │"];
        assert!(lines.windows(2).any(|window| window == drawn), "{lines:#?}");
        let apart = [
            "    31        20   19 15   14 12   11  7   6     0",
            "  │ 111111111100 │ 00010 │ 010   │ 01010 │ 0000011 │",
            "    │              │       │       │       └ lw",
            "    │              │       │       └ rd: a0, written",
            "    │              │       └ lw",
            "    │              └ rs1: sp",
            "    └ imm[11:0]: of the constant -4",
        ];
        assert_eq!(code_apart(&0xFFC1_2503_u32.to_le_bytes(), &rv32::TARGET), apart);
        assert!(code_apart(&[0; 4], &rv32::TARGET).is_empty() && code_apart(&[3], &rv32::TARGET).is_empty());
    }

    #[test]
    fn words_of_two_kinds_have_two_entries() {
        let titles: Vec<String> = guide("jmp", &w16::TARGET).into_iter().map(|entry| entry.title).collect();
        assert_eq!(titles, ["jmp: jump to the address in d", "jmp: jump"]);
        assert_eq!(guide("0xff30", &w16::TARGET)[0].title, "FF30: device register, lamps");
        assert_eq!(guide("SPACE", &w16::TARGET)[0].title, ".space: n bytes kept free, or n times the byte fill");
    }
}
