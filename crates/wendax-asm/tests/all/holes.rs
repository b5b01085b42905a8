//! Where the language once did something else than it says, in silence.

use wendax_asm::{Assembler, Assembly, Inputs, SymbolOrder, assemble, symbol_table};
use wendax_source::{MemoryFiles, Severity, Sources, Style, render_all};

fn assembled(text: &str) -> Assembly {
    let (sources, file) = Sources::single("hole.asm", text);
    assemble(&sources, file)
}

/// The bytes of the image, when nothing is wrong with the text.
fn bytes(text: &str) -> Vec<u8> {
    let assembly = assembled(text);
    let wrong: Vec<_> = assembly.diagnostics.iter().filter(|found| found.severity == Severity::Problem).collect();
    assert!(wrong.is_empty(), "{text}: {wrong:?}");
    assembly.image.segments.iter().flat_map(|segment| segment.bytes.iter().copied()).collect()
}

/// What is told, as `line code`.
fn told(text: &str) -> Vec<String> {
    let (sources, file) = Sources::single("hole.asm", text);
    let found = assemble(&sources, file).diagnostics;
    let line = |found: &wendax_source::Diagnostic| sources.place(found.primary.span).line;
    found
        .iter()
        .filter(|found| found.severity == Severity::Problem)
        .map(|found| format!("{} {}", line(found), found.code))
        .collect()
}

#[test]
fn files_that_include_twice_are_bounded_and_told() {
    let mut files = MemoryFiles::default().with("main.asm", "        .include \"e0.inc\"\nstart:  sys   exit\n");
    for level in 0..40 {
        let next = format!(".include \"e{0}.inc\"\n.include \"e{0}.inc\"\n", level + 1);
        files = files.with(format!("e{level}.inc"), next);
    }
    let files = files.with("e40.inc", "; nothing\n");
    let inputs = Inputs { sources: vec!["main.asm".to_owned()], ..Inputs::default() };
    let found = Assembler::default().assemble(&inputs, &files).diagnostics;
    let problem = found.iter().find(|found| found.severity == Severity::Problem).expect("it is told");
    assert!(problem.message.contains("more than any program needs"), "{problem:?}");
    // A hundred files that are small are none of it.
    let many: String = (0..100).map(|_| ".include \"e40.inc\"\n").collect();
    let files = files.with("main.asm", format!("{many}start:  sys   exit\n"));
    let found = Assembler::default().assemble(&inputs, &files).diagnostics;
    assert!(found.iter().all(|found| found.severity != Severity::Problem), "{found:?}");
}

#[test]
fn a_misspelt_branch_is_told_in_a_part_that_is_passed_over_too() {
    for (wrong, near) in
        [(".elif N == 5", ".elseif"), (".esle", ".else"), (".elsif N == 5", ".elseif"), (".fi", ".endif")]
    {
        for value in [4, 5] {
            let text =
                format!(".equ N, {value}\nstart:\n.if N == 4\n mov r0, 4\n{wrong}\n mov r0, 6\n.endif\n sys exit\n");
            let assembly = assembled(&text);
            let found = assembly.diagnostics.iter().find(|found| found.severity == Severity::Problem).expect("told");
            let fix = found.fix.as_ref().expect("what is meant");
            assert_eq!(fix.edits.last().map(|edit| edit.text.as_str()), Some(near), "{text}");
        }
    }
    // What another dialect says in a part for it is nobody's business.
    let text = "start:\n.if 0\n.cpu fast\n.globl start\n mov eax, 5\n.endif\n sys exit\n";
    assert_eq!(told(text), [] as [&str; 0]);
}

#[test]
fn a_value_that_let_gives_is_not_there_above_it() {
    let text = "start: mov r0, N\n.let N, 5\n mov r2, N\n.let N, 6\n mov r3, N\n sys exit\n";
    assert_eq!(told(text), ["1 W029"]);
    let right = text.replace(" mov r0, N\n", " nop\n");
    assert_eq!(bytes(&right), bytes("start: nop\n mov r2, 5\n mov r3, 6\n sys exit\n"));
    assert_eq!(told(".equ A, N\n.let N, 5\nstart: mov r0, A\n sys exit\n"), ["1 W029"]);
}

#[test]
fn the_count_of_a_repeat_within_hides_that_around_it() {
    let data = |body: &str| bytes(&format!("start: sys exit\n.data\n{body}"));
    let plain = |values: &str| data(&format!(" .byte {values}\n"));
    assert_eq!(data(".repeat 2, i\n.repeat 2, i\n .byte {i}\n.endrepeat\n.endrepeat\n"), plain("0, 1, 0, 1"));
    assert_eq!(data(".repeat 2, i\n.repeat 2, j\n .byte {i}, {j}\n.endrepeat\n.endrepeat\n"), plain("0,0,0,1,1,0,1,1"));
    let text = ".repeat 2, i\n .byte {i}\n.repeat 2, i\n .byte {i}\n.endrepeat\n .byte {i}\n.endrepeat\n";
    assert_eq!(data(text), plain("0,0,1,0, 1,0,1,1"));
    let text = ".macro M i\n.repeat {i}, i\n .byte {i}\n.endrepeat\n .byte {i}\n.endmacro\nM 3\n";
    assert_eq!(data(text), plain("0,1,2,3"));
}

#[test]
fn the_shortest_forms_are_the_shortest_that_hold() {
    let nops = |count: usize| " nop\n".repeat(count);
    // What was long on the way need not be in the end.
    let text = format!("start:\n{} jz p\nb:\n{} .align 32\np: jv b\n sys exit\n", nops(15), nops(119));
    let with_nops = text.replace(" jz p\n", " nop\n nop\n");
    let (long, short) = (bytes(&text), bytes(&with_nops));
    assert_eq!(&long[long.len() - 4..], &short[short.len() - 4..], "the jump back is one word");
    let text = format!("start: ldw r4, [r5 + l1 - l0 - 4]\nl0: jz far\nl1:\n{}far: sys exit\n", nops(130));
    assert_eq!(bytes(&text)[..2], bytes("start: ldw r4, [r5]\n sys exit\n")[..2]);
}

proptest::proptest! {
    #![proptest_config(proptest::test_runner::Config::with_cases(60))]
    /// No instruction of a layout could be shorter by itself: with its short form named by what it holds, it would be the
    /// same program.
    #[test]
    fn nothing_stays_long_that_could_be_short(gaps in proptest::collection::vec((0usize..140, 0usize..4), 2..7)) {
        let mut text = "start:\n".to_owned();
        for (number, (gap, kind)) in gaps.iter().enumerate() {
            let to = (number + kind) % gaps.len();
            text.push_str(&format!("l{number}: jz l{to}\n{}", " nop\n".repeat(*gap)));
            if *kind == 3 {
                text.push_str(" .align 32\n");
            }
        }
        text.push_str(" sys exit\n");
        let assembly = assembled(&text);
        let address = |name: &str| {
            assembly.image.symbols.iter().find(|symbol| symbol.name == name).map(|symbol| symbol.value).unwrap_or_default()
        };
        let code = &assembly.image.segments[0];
        for (number, (_, kind)) in gaps.iter().enumerate() {
            let (from, to) = (address(&format!("l{number}")), address(&format!("l{}", (number + kind) % gaps.len())));
            let at = usize::try_from(from - i64::from(code.start)).unwrap_or(0);
            let is_long = wendax_isa::w16::decode(
                u16::from_le_bytes([code.bytes[at], code.bytes[at + 1]]),
                u16::from_le_bytes([code.bytes[at + 2], code.bytes[at + 3]]),
            )
            .is_some_and(|insn| insn.bytes() == 4);
            // A shorter one would take a word less: what lies behind comes that much nearer, and no more.
            let distance = to - from - 2;
            let would_fit = (-254..=252).contains(&distance);
            proptest::prop_assert!(!is_long || !would_fit, "l{number} to {to:04X} from {from:04X}\n{text}");
        }
    }
}

#[test]
fn escapes_that_look_octal_are_told() {
    for text in ["\"\\033[1m\"", "\"\\012\"", "\"\\07x\""] {
        let assembly = assembled(&format!("start: sys exit\n.data\nt: .asciz {text}\n"));
        let found = assembly.diagnostics.iter().find(|found| found.code.to_string() == "W062").expect("told");
        assert!(found.message.contains("not octal"), "{found:?}");
    }
    for text in ["\"\\0\"", "\"a\\0b\"", "\"\\08\"", "\"\\x033\""] {
        let assembly = assembled(&format!("start: sys exit\n.data\nt: .asciz {text}\n"));
        assert!(assembly.diagnostics.iter().all(|found| found.code.to_string() != "W062"), "{text}");
    }
}

#[test]
fn bytes_are_taken_of_words_alone() {
    assert_eq!(
        told(".equ BIG, 0x12345\nstart: mov r0, hi(BIG)\n mov r1, lo(70000)\n sys exit\n"),
        ["2 W030", "3 W030"]
    );
    assert_eq!(
        bytes("start: mov r0, hi(-1)\n mov r1, lo(0x1234)\n sys exit\n"),
        bytes("start: mov r0, 255\n mov r1, 0x34\n sys exit\n")
    );
}

#[test]
fn a_size_is_not_told_in_terms_of_itself() {
    for text in [
        "a: .space b - a\nb: .word 1\n",
        "a: .space b - a + 1\nb: .word 1\n",
        "a: .space c\nb: .word 1\n.equ c, b - a\n",
    ] {
        assert_eq!(told(&format!("start: sys exit\n.data\n{text}")), ["3 W042"], "{text}");
    }
    for text in
        ["a: .space c - b\nb: .word 1\nc:\n", "a: .word 1\nb: .space b - a\n", "a: .space sizeof(b)\nb: .word 1, 2\n"]
    {
        assert_eq!(told(&format!("start: sys exit\n.data\n{text}")), [] as [&str; 0], "{text}");
    }
}

#[test]
fn a_place_is_not_told_in_terms_of_itself() {
    assert_eq!(told(".org start\nstart: sys exit\n"), ["1 W042"]);
    assert_eq!(told("start: sys exit\n.data\n.org x + 0x600\nx: .word 1\n"), ["3 W042"]);
    // What another `.org` places, and how far things are apart, is not moved by it.
    for text in [
        "start: sys exit\n.data\n.org 0x600 + b - a\na: .word 1\nb: .word 2\n",
        "start: sys exit\n.data\n.org x - 16\na: .word 1\n.org 0x700\nx: .word 2\n",
        "start: sys exit\n.data\nx: .word 1\n.org x + 16\n.word 2\n",
    ] {
        assert_eq!(told(text), [] as [&str; 0], "{text}");
    }
}

fn assembled_of(files: &MemoryFiles, sources: &[&str]) -> String {
    let sources = sources.iter().map(|source| (*source).to_owned()).collect();
    let assembly = Assembler::default().assemble(&Inputs { sources, ..Inputs::default() }, files);
    render_all(&assembly.sources, &assembly.diagnostics, Style::Plain)
}

#[test]
fn a_file_that_is_included_twice_is_told_by_its_two_lines() {
    let files = MemoryFiles::default()
        .with("a.inc", ".equ N, 3\nx: .byte N\n")
        .with("fine.inc", " .byte 1\n")
        .with("twice.asm", "start: sys exit\n.data\n.include \"a.inc\"\n.include \"a.inc\"\n")
        .with("fine.asm", "start: sys exit\n.data\n.include \"fine.inc\"\n.include \"fine.inc\"\n");
    let told = assembled_of(&files, &["twice.asm"]);
    assert!(
        told.starts_with("twice.asm:4:10  problem W023  `a.inc` is included a second time, and defines `N`"),
        "{told}"
    );
    assert!(told.contains("^ first here") && told.ends_with("1 problem\n"), "once, however much it defines: {told}");
    assert_eq!(assembled_of(&files, &["fine.asm"]), "");
}

#[test]
fn files_that_are_not_there_are_told_with_those_that_may_be_meant() {
    let files = MemoryFiles::default()
        .with("own/main.asm", "start: sys exit\n")
        .with("own/lib/print.asm", "")
        .with("own/frames.inc", "")
        .with("own/b.inc", "");
    for (named, near) in [
        ("frame.inc", Some("frames.inc")),
        ("FRAMES.INC", Some("frames.inc")),
        ("print.asm", Some("lib/print.asm")),
        ("a.inc", None),
        ("other.inc", None),
    ] {
        let files = files.clone().with("own/main.asm", format!("start: sys exit\n.data\n.include \"{named}\"\n"));
        let told = assembled_of(&files, &["own/main.asm"]);
        assert!(told.contains(&format!("`{named}` cannot be included")), "{told}");
        assert_eq!(told.contains("did you mean"), near.is_some(), "{told}");
        assert!(near.is_none_or(|near| told.contains(&format!("did you mean `{near}`?"))), "{told}");
    }
}

#[test]
fn constants_that_go_in_a_circle_and_claims_say_what_they_are_made_of() {
    let (sources, file) = Sources::single("a.asm", ".equ A, B\n.equ B, C\n.equ C, A\nstart: mov r0, A\n sys exit\n");
    let found = assemble(&sources, file).diagnostics;
    let ways: Vec<&str> = found[0].others.iter().map(|other| other.text.as_str()).collect();
    assert_eq!(ways, ["by way of this, which is made of `C`", "by way of this, which is made of `A`"]);
    assert_eq!(found.len(), 1);
    let text = ".equ N, 3\n.assert N * 2 == M, \"N\"\n.equ M, 8\n.assert start == 5\nstart: sys exit\n";
    let (sources, file) = Sources::single("a.asm", text);
    let said: Vec<String> = assemble(&sources, file).diagnostics.into_iter().map(|found| found.primary.text).collect();
    assert_eq!(said, ["`N` is 3, `M` is 8", "`start` is 0200"]);
}

#[test]
fn what_an_object_lacks_is_told_by_its_name() {
    let files = MemoryFiles::default().with("m.asm", ".global f\n.extern g\nf: call g\n ret\n");
    let object = Assembler::default().object("m.asm", None, &files).expect("an object");
    let files = files.with("m.o", object).with("main.asm", ".extern f\nstart: call f\n sys exit\n");
    let inputs = Inputs {
        sources: vec!["main.asm".to_owned()],
        libraries: vec![wendax_asm::Library::at("m.o")],
        ..Inputs::default()
    };
    let assembly = Assembler::default().assemble(&inputs, &files);
    let told = render_all(&assembly.sources, &assembly.diagnostics, Style::Plain);
    assert!(told.starts_with("m.o  problem W027  no file of the program makes `g` known\n"), "{told}");
    assert!(!told.contains("did you mean") && told.ends_with("\n1 problem\n"), "{told}");
}

#[test]
fn tables_of_names_have_whole_constants() {
    let text = ".equ BIG, 100000\n.equ LESS, -5\nstart: mov r0, BIG / 2\n mov r1, LESS\n sys exit\n";
    let (sources, file) = Sources::single("hole.asm", text);
    let assembly = assemble(&sources, file);
    let table = symbol_table(&sources, &assembly.image, SymbolOrder::Address);
    assert!(table.contains(" 186A0  constant") && table.contains("   -5  constant"), "{table}");
}

/// Ten thousand names beside ten thousand that are nearly them: counted, not timed.
#[test]
fn very_many_unknown_names_are_told_without_comparing_all_with_all() {
    let labels = (0..10_000).map(|number| format!("lab{number}x: nop\n"));
    let jumps = (0..10_000).map(|number| format!(" jmp lab{number}y\n"));
    let text: String = labels.chain(jumps).collect::<Vec<_>>().concat();
    let found = assembled(&text).diagnostics;
    let with_near = found.iter().filter(|found| found.fix.is_some()).count();
    assert!((50..200).contains(&with_near), "{with_near} have a near name");
}

/// A constant made of `here` is made of the place it stands at, whatever stands before it becomes how long.
#[test]
fn here_in_a_constant_is_where_the_constant_stands() {
    let text = "start: mov r1, COUNT\n mov r2, LATER\n jmp start\n .equ LATER, here - start\n .assert LATER == here - start\n\
        .data\nlist: .word 1, 2, 3, 4\n .equ COUNT, (here - list) / 2\n .equ FIRST, here\nmore: .byte 1\n .assert FIRST == more\n";
    let (sources, file) = Sources::single("here.asm", text);
    let assembly = assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let value =
        |name: &str| assembly.image.symbols.iter().find(|symbol| symbol.name == name).map(|symbol| symbol.value);
    assert_eq!((value("COUNT"), value("LATER"), value("FIRST")), (Some(4), Some(6), Some(0x0308)));
}

/// All that is told, as `line code message`.
fn all_told(text: &str) -> Vec<String> {
    let (sources, file) = Sources::single("hole.asm", text);
    let found = assemble(&sources, file).diagnostics;
    let line = |found: &wendax_source::Diagnostic| sources.place(found.primary.span).line;
    found.iter().map(|found| format!("{} {} {}", line(found), found.code, found.message)).collect()
}

#[test]
fn what_is_counted_and_not_told_counts() {
    let text = (0..10_000).map(|n| format!(" jmp lab{n}y\n")).collect::<Vec<_>>().concat();
    let (sources, file) = Sources::single("many.asm", format!("start: sys exit\n{text}"));
    let found = assemble(&sources, file).diagnostics;
    let shown = render_all(&sources, &found, Style::Plain);
    assert!(shown.ends_with("… and 9950 more, not shown\n10000 problems\n"), "{}", &shown[shown.len() - 80..]);
    let text = (0..10_000).map(|n| format!(" muv r{}, 5\n", n % 8)).collect::<Vec<_>>().concat();
    let (sources, file) = Sources::single("many.asm", format!("start: sys exit\n{text}"));
    let found = assemble(&sources, file).diagnostics;
    assert!(render_all(&sources, &found, Style::Plain).ends_with("10000 problems\n"));
    let text = (0..3_000).map(|n| format!(".equ SPARE{n}, {n}\n")).collect::<Vec<_>>().concat();
    let (sources, file) = Sources::single("many.asm", format!("start: nop\n sys exit\n{text}"));
    let found = assemble(&sources, file).diagnostics;
    let hints = found.iter().filter(|found| found.severity == Severity::Hint).map(wendax_source::Diagnostic::count);
    assert_eq!(hints.sum::<usize>(), 3_000);
}

#[test]
fn what_stands_for_a_name_is_named() {
    assert_eq!(
        all_told(" .global @a\n .macro M(a)\n .endmacro\nstart: sys exit\n .section 5\n"),
        [
            "1 W016 `@a` is a local name, and a plain one stands here",
            "2 W016 `(` is no name, and one is to stand here",
            "5 W016 `5` is no name, and one is to stand here",
        ]
    );
    // One letter is no number, whatever it may stand for.
    let found = all_told(" .weak f\nstart: mov r1, f\n sys exit\n");
    assert_eq!(found[1], "2 W020 `f` is defined nowhere", "{found:?}");
}

#[test]
fn signs_of_several_bytes_and_signs_that_turn_text_are_told() {
    assert_eq!(
        all_told("start: mov r0, 'é'\n sys put_char\n sys exit ; a\u{202E}b\u{202C}\n"),
        [
            "1 W086 `'é'` is the number 233 here; in texts and in what is typed it is the bytes C3 A9",
            "3 W085 here stands U+202E, which is not seen and turns the text beside it",
        ]
    );
    let (sources, file) = Sources::single("sign.asm", "start: mov r0, '😀'\n sys exit\n");
    let found = assemble(&sources, file).diagnostics;
    assert_eq!(found[0].expected, ["a text of several bytes, in `.data`: .asciz \"😀\""]);
    assert!(all_told("start: mov r0, '\\xE9'\n sys exit ; ein Maß, 5 – 3 “so”\n").is_empty());
}

#[test]
fn bytes_of_devices_and_programs_past_the_end_are_told_with_what_is_right() {
    assert_eq!(
        all_told("start: ldb r0, [0xFF30]\n stb [0xFF32], r0\n ldb r1, [0x0300]\n sys exit\n"),
        [
            "1 W087 FF30 is a device register, of which no byte can be touched: trap 3, forbidden address",
            "2 W087 FF32 is a device register, of which no byte can be touched: trap 3, forbidden address",
        ]
    );
    let (sources, file) = Sources::single("far.asm", " .org 0xFFFF\nstart: sys exit\n");
    assert_eq!(assemble(&sources, file).diagnostics[0].expected, ["code and data below EE00"]);
    assert_eq!(
        all_told("start: sys exit\n .data\n .space 60900\n"),
        ["3 W041 this reaches 740 bytes into the stack, which begins at EE00"],
    );
}

#[test]
fn a_library_may_begin_with_a_routine() {
    assert!(all_told(" .global place\nplace: clr r0\n ret\n").is_empty());
    assert_eq!(all_told("place: clr r0\n ret\n").len(), 1, "this begins at a routine");
    assert_eq!(all_told(" .global start\nstart: clr r0\n ret\n").len(), 1, "and this says that it begins");
}
