//! Macros, repeats, conditions and included files: what they become, and how mistakes in them are told.

use wendax_asm::{Assembler, Assembly, Inputs, assemble};
use wendax_image::Addr;
use wendax_source::{MemoryFiles, Sources, Style, render_all};

fn assembled(text: &str) -> Assembly {
    let (sources, file) = Sources::single("case.asm", text);
    assemble(&sources, file)
}

fn with_files(files: &MemoryFiles) -> Assembly {
    let inputs = Inputs { sources: vec!["case.asm".to_owned()], ..Inputs::default() };
    Assembler::default().assemble(&inputs, files)
}

fn told(assembly: &Assembly) -> String {
    render_all(&assembly.sources, &assembly.diagnostics, Style::Plain)
}

/// The bytes of a text, which must be without problems.
fn bytes(text: &str) -> Vec<u8> {
    let assembly = assembled(text);
    assert!(assembly.is_runnable(), "{text}\n{}", told(&assembly));
    wendax_image::to_raw(&assembly.image).expect("it lies close").1
}

/// Two texts that mean the same.
#[track_caller]
fn same(one: &str, other: &str) {
    assert_eq!(bytes(one), bytes(other), "{one}\n--\n{other}");
}

#[test]
fn arguments_are_registers_values_texts_and_parts_of_names() {
    same(
        ".macro PUT to, what = 5\n mov {to}, {what}\n.endmacro\n PUT r1\n PUT r2, (3 + 4)\n halt",
        "mov r1, 5\n mov r2, 7\n halt",
    );
    same(
        ".macro NAMED n\nload_{n}: inc r{n}\n.endmacro\nNAMED 1\nNAMED 2\n jmp load_1\n jmp load_2",
        "a: inc r1\nb: inc r2\n jmp a\n jmp b",
    );
    same(".macro SAY text\n .asciz {text}\n.endmacro\nhalt\n.data\n SAY \"a;b\"", "halt\n.data\n.asciz \"a;b\"");
    same(".macro MARK letter\n .ascii \"<{letter}>\"\n.endmacro\nhalt\n.data\n MARK w", "halt\n.data\n.ascii \"<w>\"");
    same(".macro AT place\n ldw r1, {place}\n.endmacro\n AT [r2 + 4]\n halt", "ldw r1, [r2 + 4]\n halt");
}

#[test]
fn private_names_are_private_to_each_unfolding() {
    same(
        ".macro WAIT n\n mov r1, {n}\n@again: djnz r1, @again\n.endmacro\nstart: WAIT 3\n WAIT 4\n@again: jmp @again",
        "start: mov r1, 3\na: djnz r1, a\n mov r1, 4\nb: djnz r1, b\nc: jmp c",
    );
    // A private name given as an argument is the caller's.
    same(
        ".macro UNLESS r, to\n tst {r}, {r}\n jnz @on\n jmp {to}\n@on:\n.endmacro\nstart: UNLESS r1, @out\n nop\n@out: halt",
        "start: tst r1, r1\n jnz on\n jmp out\non: nop\nout: halt",
    );
    let lost = assembled(".macro LEAP\n jmp @out\n.endmacro\nstart: LEAP\n@out: halt");
    assert!(told(&lost).contains("not among the names private"), "{}", told(&lost));
}

#[test]
fn repeats_count_and_see_the_names_around_them() {
    same(
        ".repeat 3, i\n .word {i} * 2, tab{i}\n.endrepeat\ntab0: halt\ntab1: halt\ntab2: halt",
        ".word 0, a, 2, b, 4, c\na: halt\nb: halt\nc: halt",
    );
    same("start: nop\n.repeat 2\n jz @out\n.endrepeat\n nop\n@out: halt", "nop\n jz o\n jz o\n nop\no: halt");
    same(
        ".repeat 2, i\n.repeat 2, j\n.byte {i} * 16 + {j}\n.endrepeat\n.endrepeat\n halt",
        ".byte 0, 1, 16, 17\n halt",
    );
    same("t: u: .repeat 2\n .word t - u\n.endrepeat\n halt\n .word t", "t: .word 0, 0\n halt\n .word t");
    same(".repeat 0\n nonsense\n.endrepeat\n halt", "halt");
}

#[test]
fn conditions_choose_and_may_end_a_recursion() {
    same(
        ".equ A, 5\n.if A > 4\n inc r1\n.else\n inc r2\n.endif\n.if A == 4\n inc r3\n.else\n.if A != 5\n inc r4\n.else\n inc r5\n.endif\n.endif\n halt",
        "inc r1\n inc r5\n halt",
    );
    same(
        ".macro DOWN n\n .byte {n}\n .if {n}\n DOWN {n} - 1\n .endif\n.endmacro\n DOWN 3\n halt",
        ".byte 3, 2, 1, 0\n halt",
    );
    same(
        ".if defined(FAST)\n inc r1\n.else\n.equ FAST, 1\n.endif\n.if defined(FAST)\n inc r2\n.endif\n halt\n .byte FAST",
        "inc r2\n halt\n .byte 1",
    );
    same(".if 0\n.if 1\n bad bad\n.else\n worse\n.endif\n.endif\n halt", "halt");
}

#[test]
fn sizes_are_those_of_the_data_up_to_the_next_label() {
    same(
        "halt\n.data\na: .word 1, 2\n .byte 3\n.align 4\nb: .space 7\nc:\nd: .byte sizeof(a), sizeof(b), sizeof(c), sizeof(d)\n.assert sizeof(a) == 5\n.assert d - b == 7",
        "halt\n.data\n.word 1, 2\n .byte 3\n.align 4\n.space 7\n.byte 5, 7, 4, 4",
    );
    let wrong = assembled("halt\n.data\nline: .space 30\n.assert sizeof(line) == 32, \"lines are 32 bytes\"");
    assert!(told(&wrong).contains("lines are 32 bytes"), "{}", told(&wrong));
}

#[test]
fn files_are_included_and_embedded_from_where_they_are_named() {
    let files = MemoryFiles::default()
        .with("case.asm", " .include \"lib/frames.inc\"\nstart: ENTER 4\n halt\n .data\n .embed \"lib/lamps.bin\", 1, 2\n .embed \"lib/lamps.bin\"\n")
        .with("lib/frames.inc", " .include \"sizes.inc\"\n .macro ENTER n\n push fp\n sub sp, {n} * WORD\n .endmacro\n")
        .with("lib/sizes.inc", ".equ WORD, 2\n")
        .with("lib/lamps.bin", [7, 8, 9, 10]);
    let assembly = with_files(&files);
    assert!(assembly.is_runnable(), "{}", told(&assembly));
    assert_eq!(assembly.image.bytes(Addr(0x0200), 20), [0xC0, 0x46, 0xD8, 0x33, 0x02, 0x00]);
    assert_eq!(assembly.image.bytes(Addr(0x0300), 20), [8, 9, 7, 8, 9, 10]);
    let again = with_files(&files.clone().with("lib/sizes.inc", " .include \"../case.asm\"\n.equ WORD, 2\n"));
    assert!(told(&again).contains("includes itself without end"), "{}", told(&again));
    let short = with_files(&files.with("lib/lamps.bin", [7]));
    assert!(told(&short).contains("has 1 bytes"), "{}", told(&short));
}

#[test]
fn mistakes_in_and_around_macros_are_told_where_they_were_made() {
    let cases = [
        "        .macro PUT to\n        mov   {to}, total\n        .endmacro\n        PUT   r1\n        PUT   r2\n        halt",
        "        .macro PUT to\n        mov   {to}, 5\n        .endmacro\n        PUT   muv\n        PUT\n        PUT   r1, r2\n        halt",
        "        .macro PUT to\n        mov   {to}, {what}\n        .endmacro\n        PUT   r1\n        halt",
        "        .macro ONE\n        TWO\n        .endmacro\n        .macro TWO\n        ONE\n        .endmacro\n        ONE\n        halt",
        "        .macro ONE\n        nop\n        .macro TWO\n        inc   r1\n        .endmacro\n        ONE\n        TWO\n        halt",
        ".equ A, 1\n        .if   A\n        nop\n        .else\n        halt\n        .macro M\n        .endif\n        .endmacro\nlate:   halt",
        "        .repeat 70000\n        nop\n        .endrepeat\n        .endmacro\n        .else\n        halt",
        "        .macro CHECK n\n        .if   {n} > 4\n        .error \"{n} is more than 4\"\n        .endif\n        .endmacro\n        CHECK 5\n        halt",
        "        .macro mov a\n        .endmacro\n        .macro DUP a, a\n        .endmacro\n        halt",
    ];
    let told: Vec<String> = cases.iter().map(|case| told(&assembled(case))).collect();
    insta::assert_snapshot!(told.join("\n----\n"));
}

#[test]
fn bombs_end_soon_with_one_problem() {
    let one = |n: usize| format!(".macro M{n}\n M{}\n M{}\n.endmacro\n", n + 1, n + 1);
    let doubling = (0..40).map(one).collect::<Vec<_>>().concat();
    let cases = [
        format!("{doubling}.macro M40\n nop\n.endmacro\n M0\n halt"),
        ".repeat 60000\n.repeat 60000\n nop\n.endrepeat\n.endrepeat\n halt".to_owned(),
        ".macro GROW a\n GROW {a}{a}\n.endmacro\n GROW x\n halt".to_owned(),
        format!("{}{} halt", ".repeat 1\n".repeat(100), ".endrepeat\n".repeat(100)),
    ];
    for case in cases {
        let assembly = assembled(&case);
        let codes: Vec<String> = assembly.diagnostics.iter().map(|found| found.code.to_string()).collect();
        assert_eq!(codes, ["W039"], "{}", told(&assembly));
    }
}

#[test]
fn each_byte_of_an_unfolded_line_knows_the_call_and_the_line() {
    let text = ".macro PAIR a\n inc {a} ; first\n dec {a}\n.endmacro\nstart: PAIR r1\n PAIR r2\n halt";
    let assembly = assembled(text);
    let shown: Vec<(u32, u32, String)> = assembly
        .image
        .lines
        .iter()
        .map(|line| {
            let unfolded = line.unfolded.map_or("", |span| assembly.sources.text_of(span));
            (line.address.0, line.line, unfolded.to_owned())
        })
        .collect();
    let wanted =
        [(0x0200, 5, "inc r1"), (0x0202, 5, "dec r1"), (0x0204, 6, "inc r2"), (0x0206, 6, "dec r2"), (0x0208, 7, "")];
    assert_eq!(shown, wanted.map(|(address, line, text)| (address, line, text.to_owned())));
}

proptest::proptest! {
    /// Lines of block directives in any order are told or assembled, never more than that.
    #[test]
    fn blocks_in_any_order_do_no_harm(lines in proptest::collection::vec(0usize..16, 0..24)) {
        const LINES: [&str; 16] = [
            ".macro M a, b = 1", ".endmacro", ".repeat 3, i", ".endrepeat", ".if A", ".if 0", ".else", ".endif",
            " M r1", " M {a}, 2", "@x: mov {a}, {i}", "y{i}: jmp @x", ".equ A, 2", " .byte {b}", " .include \"case.asm\"", " N",
        ];
        let text: Vec<&str> = lines.iter().map(|at| LINES[*at]).collect();
        let text = text.join("\n");
        let assembly = with_files(&MemoryFiles::default().with("case.asm", &text));
        for found in &assembly.diagnostics {
            let file = assembly.sources.file(found.primary.span.file);
            proptest::prop_assert_eq!(file.name(), "case.asm", "told in a text a person wrote: {:?}", found);
            proptest::prop_assert!(file.text().get(found.primary.span.range()).is_some());
        }
        for line in &assembly.image.lines {
            proptest::prop_assert_eq!(assembly.sources.line(line.span), line.line);
        }
    }
}

#[test]
fn labels_of_a_macro_leave_local_ones_of_its_caller_alone() {
    let text = "\
        .macro leave_unless value, place
unless{value}:
        cmp   r1, {value}
        jnz   {place}
inner{value}: nop
        .endmacro
        .macro routine name, way_out
{name}: cmp   r2, 1
        jz    {way_out}
        .endmacro
start:  leave_unless 4, @done
        leave_unless 5, @done
        nop
@done:  routine walk, @over
@over:  ret
@done:  .repeat 2, round
row{round}: nop
@done:  djnz  r1, @done
        .endrepeat
@done:  jmp   @done
";
    let assembly = assembled(text);
    assert!(assembly.is_runnable(), "{}", told(&assembly));
    let image = &assembly.image;
    let at = |name: &str| image.best_symbol(name).unwrap_or_else(|| panic!("{name}")).value;
    let names = ["start@done", "walk@over", "walk@done", "row1@done"];
    assert!(names.map(at).is_sorted(), "{:?}", names.map(at));
}
