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
