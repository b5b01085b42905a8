//! A large program is what its parts are: halves of it may be done at once.

use proptest::prelude::*;
use std::collections::BTreeSet;
use wendax_asm::{Assembler, Assembly, Inputs};
use wendax_source::MemoryFiles;

/// Routines of a file, each with or without something to be told of; all that is told of one stands within it.
const ROUTINES: [&str; 8] = [
    "{}: add r0, 1\n jmp @out\n nop\n@out: ret\n",
    "{}: push r6\n ret\n",
    "{}: cmp r0, 1\n jlt @low\n jltu @low\n@low: ret\n",
    "{}: mov r0, {}_text\n sys put_text\n ret\n.data\n{}_text: .ascii \"axle\"\n.code\n",
    "{}: ldw r0, [{}_count]\n cmp r0, {}_count\n jeq @same\n@same: ret\n.data\n{}_count: .word 1\n.code\n",
    "{}: mov r1, 0\n div r0, 0\n shl r0, 17\n ret\n",
    "{}: mov r1, 40\n@on: djnz r1, @on\n ret\n{}_never: ret\n",
    "{}: push r6\n mov r6, r0\n mov r0, r6\n pop r6\n ret\n.align 2\n",
];

/// A file of routines, the first of which calls the others.
fn file(name: &str, of: &[usize]) -> String {
    let mut text = format!("        .global {name}\n{name}:\n");
    for number in 0..of.len() {
        text.push_str(&format!(" call {name}_{number}\n"));
    }
    text.push_str(" ret\n");
    for (number, kind) in of.iter().enumerate() {
        text.push_str(&ROUTINES[*kind].replace("{}", &format!("{name}_{number}")));
    }
    text
}

/// A program that calls the files, and what is told of it: file, place in it, code, words.
fn told(files: &[(String, String)]) -> (Assembly, BTreeSet<(String, u32, u16, String)>) {
    let mut begin = "start:\n".to_owned();
    for (name, _) in files {
        begin.push_str(&format!(" .extern {name}\n call {name}\n"));
    }
    begin.push_str(" sys exit\n");
    let mut all = MemoryFiles::default().with("begin.asm", begin);
    let mut sources = vec!["begin.asm".to_owned()];
    for (name, text) in files {
        all = all.with(format!("{name}.asm"), text.clone());
        sources.push(format!("{name}.asm"));
    }
    let assembly = Assembler::default().assemble(&Inputs { sources, ..Inputs::default() }, &all);
    let found = assembly.diagnostics.iter().map(|found| {
        let file = assembly.sources.file(found.primary.span.file).name().to_owned();
        (file, found.primary.span.start, found.code.0, found.message.clone())
    });
    let found = found.collect();
    (assembly, found)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, ..ProptestConfig::default() })]

    /// As many lines as are done at once, in several files: the same is told of each file as when it is alone, and code and
    /// data are one piece each, with each routine's code words as they are alone.
    #[test]
    fn a_large_program_is_told_as_its_files_are(kinds in prop::collection::vec(prop::collection::vec(0..8_usize, 150..250), 8)) {
        let named = kinds.iter().enumerate().map(|(number, of)| (format!("f{number}"), file(&format!("f{number}"), of)));
        let files: Vec<(String, String)> = named.collect();
        let (whole, found) = told(&files);
        prop_assert!(whole.image.lines.len() > 5_000, "{} lines", whole.image.lines.len());
        prop_assert!(whole.is_runnable());
        let mut alone = BTreeSet::new();
        let code = |assembly: &Assembly, from: &str, to: Option<&str>| {
            let at = |name: &str| u32::try_from(assembly.image.symbol(name).expect("it is there").value).expect("an address");
            let segment = assembly.image.segments.iter().find(|part| part.rights.execute).expect("there is code");
            let first = at(from) - segment.start.0;
            let last = to.map_or(u32::try_from(segment.bytes.len()).expect("few"), |to| at(to) - segment.start.0);
            segment.bytes[first as usize..last as usize].to_vec()
        };
        for (number, one) in files.iter().enumerate() {
            let (part, told) = told(std::slice::from_ref(one));
            alone.extend(told);
            let next = files.get(number + 1).map(|(name, _)| name.as_str());
            // Where data lies is another matter: the length is the same.
            prop_assert_eq!(code(&whole, &one.0, next).len(), code(&part, &one.0, None).len());
        }
        prop_assert_eq!(&found, &alone);
        let pieces = whole.image.segments.iter().map(|part| (part.rights.execute, part.reserved)).collect::<Vec<_>>();
        prop_assert_eq!(pieces, [(true, false), (false, false)]);
        let lines = &whole.image.lines;
        prop_assert!(lines.windows(2).all(|pair| pair[0].address + pair[0].length <= pair[1].address));
    }
}

/// So many lines, by their numbers.
fn many(count: usize, line: &dyn Fn(usize) -> String) -> String {
    (0..count).map(line).collect()
}

/// So many of a line, which costs as much as so many lines, and no more: each took tens of seconds or minutes once.
#[test]
fn what_is_there_a_thousand_times_costs_a_thousand_times_as_much() {
    let texts = [
        // Routines that run on into each other.
        "start: call f0\n sys exit\n".to_owned() + &many(8_000, &|at| format!("f{at}: call f{}\n", (at + 1) % 8_000)),
        // Calls that do not exist.
        "start: sys exit\n".to_owned() + &many(25_000, &|_| " sys 200\n".to_owned()),
        // Texts without an end.
        "start: sys exit\n".to_owned()
            + &many(7_000, &|at| format!(" mov r0, t{at}\n sys put_text\n"))
            + ".data\n"
            + &many(7_000, &|at| format!("t{at}: .ascii \"a\"\n")),
        ".target rv32\n_start: li a7, 93\n ecall\n".to_owned()
            + &many(10_000, &|_| " la a0, t\n li a7, 0x1011\n ecall\n".to_owned())
            + ".data\nt:\n"
            + &many(10_000, &|_| ".ascii \"a\"\n".to_owned()),
        // Sections, and places far from each other.
        ".target rv32\n_start: li a7, 93\n ecall\n".to_owned()
            + &many(20_000, &|at| format!(".section .text.s{at}\nq{at}: nop\n")),
        "start: sys exit\n".to_owned() + &many(8_000, &|at| format!(" .org {}\nq{at}: nop\n", 0x400 + 4 * at)),
    ];
    for text in texts {
        let (sources, file) = wendax_source::Sources::single("many.asm", text);
        let assembly = wendax_asm::assemble(&sources, file);
        assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics.first());
    }
}

/// Names that are not known, each among as many that are nearly the same: minutes once.
#[test]
fn what_thousands_of_unknown_names_may_mean_is_looked_for_within_bounds() {
    let foreign = "start: sys exit\n".to_owned()
        + &many(12_000, &|at| format!(".global glob{at}\nglob{at}:\n .extern golb{at}\n.equ a{at}, golb{at}\n"));
    let unknown =
        ".target rv32\n_start: nop\n".to_owned() + &many(12_000, &|at| format!("name_{at}: la a0, nmae_{at}\n"));
    for (text, near) in [(foreign, "did you mean `glob"), (unknown, "did you mean `name_")] {
        let (sources, file) = wendax_source::Sources::single("many.asm", text);
        let found = wendax_asm::assemble(&sources, file).diagnostics;
        let titles = found.iter().filter_map(|found| found.fix.as_ref()).map(|fix| fix.title.as_str());
        let guessed = titles.filter(|title| title.starts_with(near)).count();
        assert!((10..200).contains(&guessed), "{guessed} of {}", found.len());
    }
}
