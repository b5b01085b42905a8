//! Problems that teach: what is told of the mistakes people make, in full, and what each fix makes of the text.

use wendax_asm::assemble;
use wendax_source::{Sources, Style, apply_edits, render_all};

fn told(text: &str) -> String {
    let (sources, file) = Sources::single("gate.asm", text);
    render_all(&sources, &assemble(&sources, file).diagnostics, Style::Plain)
}

/// The text with all fixes applied, which then has nothing left to be told.
#[track_caller]
fn mended(text: &str) -> String {
    let (sources, file) = Sources::single("gate.asm", text);
    let found = assemble(&sources, file).diagnostics;
    let edits: Vec<_> = found.iter().filter_map(|found| found.fix.clone()).flat_map(|fix| fix.edits).collect();
    let mended = apply_edits(text, &edits);
    assert_eq!(told(&mended), "", "{mended}");
    mended
}

#[test]
fn mistakes_are_told_with_what_is_there_what_is_right_and_where_it_began() {
    let cases = [
        "        ldw   [total], r1\n        stw   r1, [total]\n        halt\n        .data\ntotal:  .word 5\n",
        "        jmp   total\n        call  total\n        .data\ntotal:  .word 5\n",
        "        halt\n        .data\n        .byte 256, -129, 'a' * 3\n",
        "        mov   r0, sign\n        sys   put_text\n        sys   exit\n        .data\nsign:   .ascii \"Gate 2\"\nnext:   .word next\n",
        "start:  call  weigh\n        inc   r1\nweigh:  inc   r2\n        ret\n",
        "start:  sys   exit\n        inc   r1\n        inc   r2\n        halt\n",
        "start:  jmp   start + 70000\n        jz    start - 600\n        halt\n",
        "        ldw   r1, [load]\n        halt\n        .data\nmark:   .byte 1\nload:   .word 120, mark\n        .word 1\n",
        ".equ LIMIT, 0x100\nstart:  cmp   r1, LIMIT\n        cmp   r2, 100\n        halt\n",
        "        .if   1\n        nop\n        .macro M\n        halt\n        .endmacro\n        M\n",
        "        halt\n        .data\nsign:   .asciz \"Gate 2\n        .word sign\n",
    ];
    let told: Vec<String> = cases.iter().map(|case| told(case)).collect();
    insta::assert_snapshot!(told.join("\n----\n"));
}

#[test]
fn fixes_make_of_a_text_what_was_meant() {
    let pairs = [
        (
            "start:  ldw   [x], r1\n        halt\n        .data\nx:      .word 5\n",
            "start:  ldw r1, [x]\n        halt\n        .data\nx:      .word 5\n",
        ),
        (
            "start:  mov   r0, s\n        sys   put_text\n        halt\n        .data\ns:      .ascii \"a\"\n",
            "start:  mov   r0, s\n        sys   put_text\n        halt\n        .data\ns:      .asciz \"a\"\n",
        ),
        (
            "start:  ldw   r1, [w]\n        halt\n        .data\nm:      .byte 1\nw:      .word m\n",
            "start:  ldw   r1, [w]\n        halt\n        .data\nm:      .byte 1\n        .align 2\nw:      .word m\n",
        ),
        (
            ".equ A, 0x100\nstart:  cmp   r1, A\n        cmp   r2, 100\n        halt\n",
            ".equ A, 0x100\nstart:  cmp   r1, A\n        cmp   r2, 0x100\n        halt\n",
        ),
        (".equ A, 1\n        .if   A\nstart:  halt\n", ".equ A, 1\n        .if   A\nstart:  halt\n.endif\n"),
        (
            "        .macro M\n        halt\n        .macro N\n        nop\n        .endmacro\nstart:  N\n        M\n",
            "        .macro M\n        halt\n        .endmacro\n\n.macro N\n        nop\n        .endmacro\nstart:  N\n        M\n",
        ),
    ];
    for (wrong, right) in pairs {
        assert_eq!(mended(wrong), right);
    }
}

#[test]
fn one_cause_gives_one_problem() {
    let one = |text: &str| {
        let told = told(text);
        assert!(told.ends_with("\n1 problem\n"), "{text}\n{told}");
    };
    one(
        "        .macro M a\n        mov   {a}, lost\n        .endmacro\nstart:  M r1\n        M r2\n        M r3\n        halt\n",
    );
    one("        .include \"none.inc\"\nstart:  mov   r1, FROM_THERE\n        M r1\n        halt\n"
        .replace("        M r1\n", "")
        .as_str());
    one("        .if   LATER\nstart:  nop\nstop:   halt\n        .endif\n        jmp   stop\n.equ LATER, 1\n");
    one("start:  jmp   again\n        .macro M\nagain:  halt\n");
    one("start:  mov   r1, 5 / (2 - 2)\n        halt\n");
}
