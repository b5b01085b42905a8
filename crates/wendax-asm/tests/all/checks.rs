//! No false alarm: forms that are right, however unusual, are told nothing of.

use wendax_asm::assemble;
use wendax_source::{Sources, Style, render_all};

#[track_caller]
fn quiet(text: &str) {
    let (sources, file) = Sources::single("right.asm", text);
    let found = assemble(&sources, file).diagnostics;
    assert!(found.is_empty(), "{text}\n{}", render_all(&sources, &found, Style::Plain));
}

#[test]
fn digits_pushed_in_one_loop_and_popped_in_another() {
    quiet(
        "start: mov r0, 4711\n call print\n sys exit\n\
         print: clr r4\n@next: mov r1, r0\n mod r1, 10\n push r1\n inc r4\n div r0, 10\n jnz @next\n\
         @out: pop r0\n add r0, '0'\n sys put_char\n djnz r4, @out\n ret\n",
    );
}

#[test]
fn frames_arguments_and_early_returns() {
    quiet(
        "start: mov r0, 5\n push r0\n push r0\n call sum\n add sp, 4\n sys exit\n\
         sum: push fp\n mov fp, sp\n sub sp, 4\n ldw r1, [fp + 4]\n stw [fp - 2], r1\n tst r1, r1\n jz @none\n\
         ldw r0, [fp + 6]\n add r0, r1\n mov sp, fp\n pop fp\n ret\n\
         @none: clr r0\n mov sp, fp\n pop fp\n ret\n",
    );
    quiet("start: call f\n sys exit\nf: push r6-r8, fp\n mov r6, r0\n mov r0, r6\n pop r6-r8, fp\n ret\n");
    quiet("start: call f\n sys exit\nf: push fl\n push r6\n mov r6, 5\n pop r6\n pop fl\n ret\n");
}

#[test]
fn the_way_back_taken_off_moved_or_made() {
    quiet("start: call f\n sys exit\nf: pop r4\n inc r0\n jmp r4\n");
    // The routine takes its arguments off itself.
    quiet("start: mov r0, 5\n push r0\n call f\n call g\n sys exit\nf: pop r4\n pop r0\n push r4\n ret\ng: ret\n");
    // Jumps by way of the stack, and to another routine at the end.
    quiet("start: call f\n sys exit\nf: mov r4, g\n push r4\n ret\ng: ret\n");
    quiet("start: call f\n sys exit\nf: push r6\n pop r6\n jmp g\ng: ret\n");
    // A second stack.
    quiet(
        "start: call f\n sys exit\nf: mov r4, sp\n mov sp, room + 16\n push r0\n mov sp, r4\n ret\n.data\nroom: .space 16\n",
    );
}

#[test]
fn addresses_where_addresses_are_meant() {
    quiet(
        "start: mov r1, table\n mov r2, end\n@on: ldw r3, [r1]\n add r1, 2\n cmp r1, end\n jltu @on\n stw [r2], r3\n sys exit\n.data\ntable: .word 1, 2, 3\nend: .word 0\n",
    );
    quiet("start: mov r1, r0\n add r1, table\n ldb r2, [r1]\n mov r0, r2\n sys exit\n.data\ntable: .byte 1, 2, 3\n");
    quiet(
        "start: mov r0, count\n call bump\n sys exit\nbump: ldw r1, [r0]\n inc r1\n stw [r0], r1\n ret\n.data\ncount: .word 5\n",
    );
    quiet("start: mov r0, sign\n sys put_text\n mov r0, 5\n sys put_int\n sys exit\n.data\nsign: .asciz \"a\"\n");
    quiet("start: mov r0, count\n sys put_hex\n sys exit\n.data\ncount: .word 5\n");
    quiet("start: mov r1, handler\n stw [16], r1\n ei\n@wait: jmp @wait\nhandler: reti\n");
}

#[test]
fn comparisons_shifts_and_names() {
    quiet("start: cmp r1, r2\n jlt start\n cmp r1, r2\n jltu start\n sys exit\n");
    quiet("start: cmp r1, r2\n jc start\n jge start\n sys exit\n");
    quiet("start: shl r1, 15\n shr r1, 0\n div r1, 1\n ldb r2, [0x0301]\n sys exit\n");
    quiet("start: mov r1, 08\n mov r2, 00\n mov r3, 0\n sys exit\n");
    quiet("add_all: jz add_all\n sys exit\n");
}

#[test]
fn what_looks_odd_and_is_right_is_not_told() {
    for text in [
        // Pushed and popped under one condition.
        "start: mov r1, 1\n call f\n sys exit\nf: tst r1, 1\n jz @a\n push r6\n@a: mov r6, 2\n tst r1, 1\n jz @b\n pop r6\n@b: ret",
        // Two levels are left at once.
        "start: call f\n sys exit\nf: call g\n ret\ng: add sp, 2\n ret",
        // Calls that do not exist have a handler of the program's own.
        "start: mov r0, own\n stw [14], r0\n sys 0x77\n clr r0\n sys exit\nown: reti",
        // A second entry that one runs into.
        "start: mov r0, 5\n call show\n clr r0\n sys exit\nshow: sys put_uint\nline: mov r0, '\\n'\n sys put_char\n ret",
        // What is summed has a beginning, wherever it is given.
        "start: call first\nnext: add r6, 2\n cmp r6, 20\n jlt next\n mov r0, r6\n sys exit\nfirst: clr r6\n ret",
        "start: mov r1, 3\nnext: pop r6\n add r6, 1\n push r6\n djnz r1, next\n mov r0, r6\n sys exit",
        "start: xor r6, r6\nnext: inc r6\n cmp r6, 9\n jne next\n mov r0, r6\n sys exit",
        // Put by for whoever called.
        "start: call f\n clr r0\n sys exit\nf: push r6-r8\n mov r6, 3\n@l: djnz r6, @l\n pop r6-r8\n ret",
        // The program ends a text itself.
        "start: clr r1\n stb [t + 2], r1\n mov r0, t\n sys put_text\n clr r0\n sys exit\n.data\nt: .ascii \"ab\"\n .space 1",
    ] {
        let found: Vec<_> = warnings(text);
        assert!(found.is_empty(), "{text}\n{found:?}");
    }
}

fn warnings(text: &str) -> Vec<String> {
    let (sources, file) = Sources::single("right.asm", text);
    let found = assemble(&sources, file).diagnostics;
    let loud = found.iter().filter(|found| found.severity != wendax_source::Severity::Hint);
    loud.map(|found| format!("{} {}", found.code, found.message)).collect()
}

#[test]
fn a_sum_that_begins_with_what_happens_to_be_there_is_told() {
    for text in [
        "start: mov r1, 3\nnext: add r6, r1\n djnz r1, next\n mov r0, r6\n sys exit",
        "start: inc r5\n cmp r5, 10\n jne start\n sys exit",
        "start: mov r0, 1\nnext: shl r0, 1\n djnz r7, next\n sys exit",
    ] {
        let found = warnings(text);
        assert!(found.len() == 1 && found[0].starts_with("W084"), "{text}\n{found:?}");
    }
}

#[test]
fn what_is_meant_is_hushed_with_its_reason_and_no_problem_is() {
    let assembled = |text: &str| {
        let (sources, file) = Sources::single("meant.asm", text);
        assemble(&sources, file)
    };
    let codes = |text: &str| assembled(text).diagnostics.iter().map(|found| found.code.to_string()).collect::<Vec<_>>();
    let loud = "start: inc r5 ; count\n cmp r5, 10\n jne start\n sys exit\n";
    assert_eq!(codes(loud), ["W084"]);
    let meant = loud.replace("; count", "; meant W084: rounds since the power came on");
    let assembly = assembled(&meant);
    assert!(assembly.diagnostics.is_empty(), "{:?}", assembly.diagnostics);
    assert_eq!(assembly.meant.len(), 1);
    assert_eq!(assembly.meant[0].why, "rounds since the power came on");
    // Without a reason, of another line, of what is gone, of no kind, of a problem: it is told.
    for (text, wanted) in [
        (loud.replace("; count", "; meant W084"), vec!["W066", "W084"]),
        (loud.replace("; count", "; meant W084:"), vec!["W066", "W084"]),
        (format!("{loud}; meant W084: above\n"), vec!["W084", "W066"]),
        (meant.replace("start: inc r5", "start: clr r5\nnext: inc r5").replace("jne start", "jne next"), vec!["W066"]),
        (loud.replace("; count", "; meant W999: no"), vec!["W066", "W084"]),
        (loud.replace("; count", "; meant W012: no"), vec!["W066", "W084"]),
        // Words about it are no remark.
        (loud.replace("; count", "; see what is meant by W084: here"), vec!["W084"]),
        ("start: muv r1, 5 ; meant W012: so\n sys exit\n".to_owned(), vec!["W066", "W012"]),
        // Several at once.
        (loud.replace("; count", "; meant W084, W060: both"), vec!["W066"]),
    ] {
        let mut found = codes(&text);
        found.sort();
        let mut wanted: Vec<String> = wanted.into_iter().map(str::to_owned).collect();
        wanted.sort();
        assert_eq!(found, wanted, "{text}");
    }
}
