//! Fixes applied unattended: only certain ones, only those that leave fewer problems and bring none.

use wendax_asm::Assembler;
use wendax_project::{Mended, Project, mend};
use wendax_source::Grade;

fn mended_files(files: &[(&str, &str)]) -> Mended {
    let folder = tempfile::tempdir().expect("it is there");
    for (name, text) in files {
        std::fs::write(folder.path().join(name), text).expect("it is there");
    }
    let path = if files.len() > 1 { folder.path().to_owned() } else { folder.path().join(files[0].0) };
    let mut project = Project::at(&path).expect("it is there");
    let mut disk = project.files();
    let mended = mend(&mut project, &mut Assembler::default(), &mut disk);
    for (name, text) in files {
        assert_eq!(
            std::fs::read_to_string(folder.path().join(name)).expect("it is there"),
            *text,
            "nothing is written"
        );
    }
    mended
}

/// What a single source becomes.
fn mended(text: &str) -> String {
    let mut texts = mended_files(&[("gate.asm", text)]).texts;
    texts.pop_first().map_or_else(|| text.to_owned(), |(_, (_, after))| after)
}

#[test]
fn what_can_mean_nothing_else_is_mended() {
    for (wrong, right) in [
        ("mov r0 5\n halt", "mov r0, 5\n halt"),
        ("ldw r0, [r1 + 2\n halt", "ldw r0, [r1 + 2]\n halt"),
        ("mov r2, 0FFh\n halt", "mov r2, 0xFF\n halt"),
        ("mov r2, #12\n halt // done", "mov r2, 12\n halt ; done"),
        ("stw r0, [total]\n halt\n.data\ntotal: .word 1", "stw [total], r0\n halt\n.data\ntotal: .word 1"),
        ("again mov r0, 1\n jmp again", "again: mov r0, 1\n jmp again"),
        ("Total: jmp total", "Total: jmp Total"),
        (".equ A 5\n mov r0, A\n halt", ".equ A, 5\n mov r0, A\n halt"),
        ("A = 5\n mov r0, A\n halt", ".equ A, 5\n mov r0, A\n halt"),
        ("halt\n.data\nword 1, 2", "halt\n.data\n.word 1, 2"),
    ] {
        assert_eq!(mended(wrong), right);
    }
}

#[test]
fn guesses_are_left_to_a_person() {
    for text in [
        "start: je start\n",
        "start: jl start\n",
        "jgeq there\nthere: halt",
        "ld r1, [r2]\n halt",
        "st [r2], r1\n halt",
        "halt\n.data\n.long 5",
        "start: rts\n",
        "start: nop\n return",
        "ldw r1, 5\n halt",
        "ldw [5], r1\n halt",
        "mov r0, A\n halt",
        "mov r0, %101\n halt",
        "mov r2, $12\n halt",
        "bra there\nthere: halt",
        "loop r1, there\nthere: halt",
        "again: jmp agian",
        "sys put_txet\n halt",
        "mov r0, [there]\nthere: halt",
        "mov r0, (1 + 2\n halt",
        ".macro M\n nop\nstart: halt",
        "rept 3\n nop\n.endrepeat\n halt",
        "halt\n.data\n.ascii \"open\n",
    ] {
        assert_eq!(mended(text), text);
    }
}

#[test]
fn a_change_that_does_not_help_is_not_made() {
    for text in [
        "mov r0, 1.5\n halt",
        "mov r0, 5 put five in\n halt",
        "mov r0, r1 + 5\n halt",
        "ldw r0, [r1 + r2*2]\n halt",
        "ldw r0, [x + r2*2]\n halt\n.data\nx: .word 1",
        "mov r0 5 6\n halt",
        "halt\n.data\n.word 1 kilo",
        "ldw r0, 4(r2)\n halt",
    ] {
        assert_eq!(mended(text), text);
    }
}

#[test]
fn good_fixes_are_made_beside_those_that_do_not_hold() {
    let text = "mov r0 5\n mov r1, 0FFh\n mov r2 5 6\n halt // end\n";
    assert_eq!(mended(text), "mov r0, 5\n mov r1, 0xFF\n mov r2 5 6\n halt ; end\n");
}

/// Lines with two mistakes: mending one brings up the other.
#[test]
fn a_line_with_several_certain_mistakes_is_mended_whole() {
    for (text, wanted) in [
        (
            "start: mov r0, 0FFh // all\n mov r1, #5 // five\n sys exit\n",
            "start: mov r0, 0xFF ; all\n mov r1, 5 ; five\n sys exit\n",
        ),
        ("start: mov r0 0FFh // all\n sys exit\n", "start: mov r0, 0xFF ; all\n sys exit\n"),
        ("start:\u{a0}mov r0 #5 // five\n sys exit\n", "start: mov r0, 5 ; five\n sys exit\n"),
    ] {
        assert_eq!(mended(text), wanted);
    }
}

/// Programs in which what certain fixes look for is meant, or could be: what is right in them stays as it is.
#[test]
fn no_certain_fix_changes_what_is_meant() {
    // Beside each, what it becomes; nothing where it stays.
    let cases: &[(&str, Option<&str>)] = &[
        // Signs that only look like plain ones, within texts and characters.
        (
            "start: mov r0, t\n sys put_text\n sys exit\n.data\nt:\u{a0}.asciz \"5 – 3 × 2 ‘ok’, 10\u{a0}kg\"\n",
            Some("start: mov r0, t\n sys put_text\n sys exit\n.data\nt: .asciz \"5 – 3 × 2 ‘ok’, 10\u{a0}kg\"\n"),
        ),
        ("start:\u{a0}mov r0, '−'\n sys exit\n", Some("start: mov r0, '−'\n sys exit\n")),
        ("start:\u{a0}mov r0, '\\''\n sys exit ; a – b\n", Some("start: mov r0, '\\''\n sys exit ; a – b\n")),
        ("start: sys exit\n.data\n.asciz “5 – 3”\n", Some("start: sys exit\n.data\n.asciz \"5 – 3\"\n")),
        ("start: sys exit\n.data\n.asciz “he said \"hi\"”\n", None),
        ("start: sys exit\n.data\n.asciz “open\n", None),
        ("start: sys exit ; “quoted” – and\u{a0}so\n", None),
        // Texts side by side, which one NUL ends.
        ("start: sys exit\n.data\n.asciz \"Hello \" \"world\"\n", None),
        ("start: sys exit\n.data\n.ascii \"a\" \"b\"\n", Some("start: sys exit\n.data\n.ascii \"a\", \"b\"\n")),
        // A division that another dialect writes so, and remarks.
        (".equ N, 8\nstart: mov r0, N // 2\n sys exit\n", None),
        (".equ N, 8\n.equ M, 2\nstart: mov r0, N // M\n sys exit\n", None),
        (".equ N, 8\nstart: mov r0, (N) // (1 + 1)\n sys exit\n", None),
        ("start: mov r0, 8 // eight\n sys exit // 2 ways\n", Some("start: mov r0, 8 ; eight\n sys exit // 2 ways\n")),
        ("start: mov r0, 8 // eight\n sys exit // the end\n", Some("start: mov r0, 8 ; eight\n sys exit ; the end\n")),
        ("start: mov r0, r1 // 2\n sys exit\n", Some("start: mov r0, r1 ; 2\n sys exit\n")),
        ("start: mov r0, t\n sys exit\n.data\nt: .asciz \"http://x\"\n", None),
        // Names that differ by case alone.
        (".equ Limit, 5\n.equ LIMIT, 500\nstart: mov r0, limit\n sys exit\n", None),
        (".equ Limit, 5\nstart: mov r0, limit\n sys exit\n", Some(".equ Limit, 5\nstart: mov r0, Limit\n sys exit\n")),
        // A text that runs on into the next one, and one whose NUL the program writes.
        (
            "start: mov r0, t\n sys put_text\n mov r0, u\n sys put_text\n clr r0\n sys exit\n.data\nt: .ascii \"un\"\n\
             u: .asciz \"loaded \"\n",
            None,
        ),
        (
            "start: clr r1\n stb [t + 2], r1\n mov r0, t\n sys put_text\n clr r0\n sys exit\n.data\nt: .ascii \"ab\"\n .space 1\n",
            None,
        ),
        ("start: mov r0, t\n sys put_text\n clr r0\n sys exit\n.data\nt: .ascii \"ab\"\n", None),
    ];
    for (text, wanted) in cases {
        assert_eq!(mended(text), wanted.unwrap_or(text), "of {text}");
    }
}

#[test]
fn a_name_of_another_file_is_made_known_where_it_is_used_and_not_in_the_other() {
    let manifest = ("wendax.toml", "sources = [\"*.asm\"]\n");
    let known =
        mended_files(&[manifest, ("a.asm", "start: call weigh\n halt\n"), ("b.asm", ".global weigh\nweigh: ret\n")]);
    let (_, after) = &known.texts["a.asm"];
    assert!(after.contains(".extern weigh"), "{after}");
    assert_eq!((known.texts.len(), known.done.len()), (1, 1));
    let hidden = mended_files(&[manifest, ("a.asm", "start: call weigh\n halt\n"), ("b.asm", "weigh: ret\n")]);
    assert_eq!(hidden, Mended::default(), "another file is changed by its maker");
}

/// The slips of the corpus, whose first lines say how they are written.
fn slips() -> impl Iterator<Item = String> {
    let lines = include_str!("../../../wendax-asm/tests/all/sources/slips.txt").lines();
    lines.filter(|line| !line.starts_with('#') && !line.is_empty()).map(|line| {
        let (kind, slip) = line.split_once(' ').expect("a kind, and the slip");
        let slip = slip.replace('⏎', "\n").replace(" ;!", "");
        match kind {
            "c" => format!("start:\n{slip}\n halt\n"),
            "d" => format!("start: halt\n.data\n{slip}\n"),
            _ => format!("{slip}\n"),
        }
    })
}

#[test]
fn no_slip_becomes_worse_and_none_is_mended_by_a_guess() {
    let found = |text: &str| {
        let (sources, file) = wendax_source::Sources::single("gate.asm", text);
        wendax_asm::assemble(&sources, file).diagnostics
    };
    let mut changed = 0;
    for text in slips() {
        let (before, after) = (found(&text), mended(&text));
        if after == text {
            continue;
        }
        changed += 1;
        let certain = before.iter().all(|found| found.fix.as_ref().is_some_and(|fix| fix.grade == Grade::Certain));
        assert!(certain, "{text} was changed by a guess: {before:?}");
        let left = found(&after);
        let problems = |list: &[wendax_source::Diagnostic]| {
            list.iter().filter(|found| found.severity == wendax_source::Severity::Problem).count()
        };
        assert!(problems(&left) < problems(&before).max(1), "{text}\nbecame\n{after}\n{left:?}");
    }
    assert!(changed > 25, "only {changed} were mended at all");
}
