//! What is offered at a place of a line, and what is wanted there.

use wendax_asm::{Assembler, Inputs, assemble};
use wendax_isa::w16;
use wendax_language::syntax::Syntax;
use wendax_language::{offers, operand_help};
use wendax_source::{FileId, MemoryFiles, Sources};

fn offered(text: &str, line: &str) -> Vec<String> {
    let (sources, file) = Sources::single("case.asm", text);
    let assembly = assemble(&sources, file);
    offers(&assembly, Some(file), line, line.len()).list.into_iter().map(|offer| offer.text).collect()
}

#[test]
fn what_is_offered_depends_on_the_place() {
    let text = "total: .word 1\n.equ TOP, 5\n.macro TWICE a\n.endmacro\ngo: nop\n@tail: halt\n";
    assert_eq!(offered(text, " dj"), ["djnz"]);
    assert_eq!(offered(text, "x: .asc"), [".ascii", ".asciz"]);
    assert_eq!(offered(text, " TW"), ["TWICE"]);
    assert_eq!(offered(text, " mov r1, to"), ["TOP", "total"], "letters count the same");
    assert_eq!(offered(text, " mov r1"), ["r10", "r11"]);
    assert_eq!(offered(text, " sys put_t"), ["put_text"]);
    assert_eq!(offered(text, " jmp @t"), ["@tail"]);
    assert_eq!(offered(text, " .word to"), ["TOP", "total"]);
    for nothing in [" mov r1, 5 ; to", " .asciz \"to", " mov r1, 'to", " zz"] {
        assert_eq!(offered(text, nothing), [] as [&str; 0], "{nothing}");
    }
    let found = offers(&assemble(&Sources::single("a", "").0, FileId(0)), None, "ö: mo", 6);
    assert_eq!((found.replaces, found.list[0].text.as_str()), (4..6, "mov"), "what is usual comes first");
    // What is written most often here goes before that.
    assert_eq!(offered("s: mods r1, r2\n mods r1, r3\n", " mo"), ["mods", "mov", "mod"]);
    assert_eq!(offered("total: nop\ntop: nop\n jmp top\n jmp top\n", " jmp to"), ["top", "total"]);
}

#[test]
fn files_are_offered_where_one_is_named() {
    let files = MemoryFiles::default()
        .with("own/a.asm", " .include \"lib/print.asm\"\n")
        .with("own/lib/print.asm", "nop\n")
        .with("own/lamps.bin", [1, 2])
        .with("own/frames.inc", "")
        .with("out/far.inc", "");
    let inputs = Inputs { sources: vec!["own/a.asm".into()], ..Inputs::default() };
    let assembly = Assembler::offering().assemble(&inputs, &files);
    let offered = |from: &str, line: &str, at: usize| {
        let found = offers(&assembly, assembly.sources.find(from), line, at);
        (found.replaces, found.list.into_iter().map(|offer| offer.text).collect::<Vec<_>>())
    };
    let all = ["frames.inc\"", "lib/print.asm\"", "lamps.bin\""].map(str::to_owned);
    assert_eq!(offered("own/a.asm", " .include \"", 11), (11..11, all.to_vec()));
    assert_eq!(
        offered("own/a.asm", "x: .embed \"l\" ; it", 12),
        (11..12, vec!["lamps.bin".into(), "lib/print.asm".into()])
    );
    assert_eq!(offered("own/lib/print.asm", " .include \"p", 12).1, [""; 0], "not itself");
    for line in ["; .include \"l", " .asciz \"l", " .include \"a.inc\", \"l"] {
        assert_eq!(offered("own/a.asm", line, line.len()).1, [""; 0], "{line}");
    }
}

#[test]
fn help_names_what_is_wanted() {
    let help = |line: &str| operand_help(line, &w16::TARGET).map(|lines| lines[0].clone()).unwrap_or_default();
    assert!(help("a: mov r1,").starts_with("mov d, s   "));
    assert!(help(" sys put_text").starts_with("sys put_text   "));
    assert!(help(".equ").starts_with(".equ NAME, value   "));
    assert_eq!(operand_help("a:", &w16::TARGET), None);
    assert_eq!(operand_help(" zz", &w16::TARGET), None);
}

/// What is usual on a machine comes first there, and is an instruction of it.
#[test]
fn what_is_usual_comes_first_on_both_machines() {
    let first = |machine: &str, line: &str| {
        let (sources, file) = Sources::single("case.asm", format!(".target {machine}\n nop\n"));
        let assembly = assemble(&sources, file);
        assert!(assembly.is_runnable(), "{machine}");
        offers(&assembly, Some(file), line, line.len()).list.remove(0).text
    };
    let machines =
        [("w16", Syntax::W16, ["mo mov", "j jmp", "l ldw"]), ("rv32", Syntax::Rv32, ["l la", "m mv", "b beqz"])];
    for (machine, syntax, cases) in machines {
        for case in cases {
            let (written, wanted) = case.split_once(' ').expect("both are there");
            assert_eq!(first(machine, &format!(" {written}")), wanted, "{machine}");
        }
        for word in syntax.usual() {
            assert!(syntax.is_mnemonic(word), "{word} of {machine}");
        }
    }
}
