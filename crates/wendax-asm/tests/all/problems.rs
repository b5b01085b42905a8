//! What is told about a text that is wrong: all of it in one go, one problem for one cause.

use wendax_asm::{Assembly, assemble};
use wendax_source::{Severity, Sources, Style, apply_edits, render_all};

fn assembled(text: &str) -> (Sources, Assembly) {
    let (sources, file) = Sources::single("problems.asm", text);
    let assembly = assemble(&sources, file);
    (sources, assembly)
}

/// Code and severity of everything found.
fn found(text: &str) -> Vec<String> {
    let (_, assembly) = assembled(text);
    assembly.diagnostics.iter().map(|d| format!("{} {}", d.severity.word(), d.code)).collect()
}

#[test]
fn a_text_full_of_mistakes() {
    let (sources, assembly) = assembled(include_str!("sources/problems.asm"));
    insta::assert_snapshot!(render_all(&sources, &assembly.diagnostics, Style::Plain));
}

#[test]
fn each_fix_takes_its_problem_away() {
    // One mistake each; mended, the text assembles without any problem.
    for text in [
        "mov r0 5\n halt",
        "mov r1, FF\n halt",
        "mov r2, 0FFh\n halt",
        "mov r2, $12\n halt",
        "mov r2, %101\n halt",
        "mov r2, #12\n halt",
        "ldw r0, total\n halt\n.data\ntotal: .word 1",
        "stw r0, [total]\n halt\n.data\ntotal: .word 1",
        "stw total, r0\n halt\n.data\ntotal: .word 1",
        "mov r0, [r1]\n halt",
        "mov [r1], r0\n halt",
        "ldb [r1], r0\n halt",
        "muv r0, 1\n halt",
        "sys put_txet\n halt",
        "again mov r0, 1\n jmp again",
        "again\n jmp again",
        "Total: jmp total",
        "axles: jmp axels",
        ".ascii \"open\n halt",
        "halt // what",
        "# what\nhalt",
        "mov r0, (1 + 2\n halt",
        "mov r0, 1)\n halt",
        "ldw r0, [r1 + 2\n halt",
        ".wrod 1",
        "word 1",
        "X = 5\n mov r0, X\n halt",
        "X equ 5\n mov r0, X\n halt",
        ".equ X = 5\n mov r0, X\n halt",
        "@x: jmp x",
    ] {
        let (_, assembly) = assembled(text);
        let fixes: Vec<_> = assembly.diagnostics.iter().filter_map(|d| d.fix.as_ref()).collect();
        assert!(!assembly.is_runnable() && !fixes.is_empty(), "{text}: {:?}", assembly.diagnostics);
        let edits: Vec<_> = fixes.iter().flat_map(|fix| fix.edits.clone()).collect();
        let mended = apply_edits(text, &edits);
        let (sources, assembly) = assembled(&mended);
        assert!(
            assembly.is_runnable(),
            "{text}\nbecame\n{mended}\n{}",
            render_all(&sources, &assembly.diagnostics, Style::Plain)
        );
    }
}

#[test]
fn values_out_of_range_at_both_ends() {
    for (line, fits) in [
        (".byte -128, 255", true),
        (".byte 256", false),
        (".byte -129", false),
        (".word -32768, 65535", true),
        (".word 65536", false),
        (".word -32769", false),
        ("mov r0, 65535", true),
        ("mov r0, 1 << 16", false),
        ("sys 255", true),
        ("sys 256", false),
        (".space -1", false),
        (".align 3", false),
        (".org 0x10000", false),
        ("jmp 0x10000", false),
        ("jmp 0x0301", false),
        (".word 1 << 63", false),
        (".word 5 / (3 - 3)", false),
        (".word 5 % 0", false),
        ("ldw r0, [r1 - 32768]", true),
        ("ldw r0, [r1 + 65536]", false),
    ] {
        let text = if line.starts_with('.') { format!("halt\n.data\n{line}") } else { format!("{line}\n halt") };
        let problems = found(&text).iter().filter(|text| text.starts_with("problem")).count();
        assert_eq!(problems, usize::from(!fits), "{line}: {:?}", found(&text));
    }
}

#[test]
fn programs_that_build_but_look_wrong() {
    assert_eq!(found("nop"), ["warning W051"]);
    assert_eq!(found("nop\n.byte 1, 2\n halt"), ["warning W050"]);
    assert_eq!(found("halt\n.data\nspare: .word 1"), ["hint W060"]);
    assert_eq!(found("halt\nspare: nop\n nop\n halt"), ["warning W054"], "told once for all of it");
    assert_eq!(found(".equ SPARE, 5\n halt"), ["hint W060"]);
    assert_eq!(found("; nothing yet"), ["warning W052"]);
    for ending in ["halt", "reti", "jmp start", "jmp r1", "sys exit", "sys 0"] {
        assert_eq!(found(&format!("start: nop\n {ending}")), [] as [&str; 0], "{ending}");
    }
    assert_eq!(found("start: jz start"), ["warning W051"]);
    assert_eq!(found("start: nop\n ret"), ["warning W053"]);
    assert_eq!(found("start: mov r0, 512\n push r0\n ret"), [] as [&str; 0], "it pushed where it returns to");
    assert_eq!(found("start: jmp r1\n.align 2\n.word there\nthere: halt"), [] as [&str; 0], "a table leads there");
    assert_eq!(found(".equ A, 100\n mov r1, A\n cmp r1, 0x100\n halt"), ["hint W061"]);
    assert_eq!(found(".equ A, 10\n mov r1, A\n cmp r1, 0x10\n halt"), [] as [&str; 0], "short ones are usual");
    assert_eq!(found("start: jmp there\n.byte 1\n.align 2\nthere: halt"), [] as [&str; 0]);
}

#[test]
fn places_that_do_not_fit() {
    assert_eq!(found("halt\n.data\n.org 0x0200\n.word 1"), ["problem W040"]);
    assert_eq!(found("halt\n.data\n.org 0xEE00\n.word 1"), ["problem W041"]);
    assert_eq!(found("halt\n.data\n.space 65536\n.word 1"), ["problem W041"]);
    assert_eq!(found("halt\n.data\n.org 0xFFFE\n.word 1, 2"), ["problem W041"]);
    assert_eq!(found(".entry there\n halt\n.data\nthere: .word 1"), ["problem W043"]);
    assert_eq!(found("halt\n.data\na: .space b - a + 1\nb: .space a\n.word b"), ["problem W042"]);
    assert_eq!(found("halt\n.data\nmov r0, 1"), ["problem W014"]);
}

#[test]
fn expressions_without_end_and_without_bottom() {
    let deep = format!(".word {}1{}\n", "(".repeat(5000), ")".repeat(5000));
    assert_eq!(found(&deep), ["problem W018"]);
    let minus = format!(".word {}1\n", "-".repeat(5000));
    assert_eq!(found(&minus), ["problem W018"]);
    let long = format!("halt\n.data\nx: .word {}1 - x + x\n", "1 + ".repeat(70_000));
    assert_eq!(found(&long), ["problem W030"], "70,001 is no word");
    let chain: Vec<String> = (0..5000).map(|n| format!(".equ c{n}, c{} + 1\n", n + 1)).collect();
    let chain = chain.concat();
    let (_, assembly) = assembled(&format!("{chain}.equ c5000, 1\n mov r0, c0\n halt"));
    assert!(assembly.is_runnable(), "a chain of constants in the worst order");
    assert_eq!(assembly.image.symbol("c0").map(|symbol| symbol.value), Some(5001));
}

#[test]
fn no_problem_is_told_twice() {
    for text in [
        "mov r0 5",
        "mov r0, 'ab'",
        "sys nothing_of_the_kind",
        "mov r0, axels",
        "ldw r0, [r1 + r2]",
        "x: nop\nx: halt",
        "foo bar",
    ] {
        let (_, assembly) = assembled(&format!("{text}\n halt"));
        let problems = assembly.diagnostics.iter().filter(|d| d.severity == Severity::Problem).count();
        assert_eq!(problems, 1, "{text}: {:?}", assembly.diagnostics);
    }
}
