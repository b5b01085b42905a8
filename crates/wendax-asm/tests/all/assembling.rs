//! Text to bytes: encodings, layout, shortest forms, expressions, names, the listing.

use wendax_asm::{Assembly, assemble, listing};
use wendax_image::Addr;
use wendax_image::{from_hex, to_hex, to_raw};
use wendax_source::{Sources, Style, render_all};

#[track_caller]
fn assembled(text: &str) -> Assembly {
    let (sources, file) = Sources::single("case.asm", text);
    let assembly = assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}\n{}", render_all(&sources, &assembly.diagnostics, Style::Plain));
    assembly
}

/// The code of a program as words.
#[track_caller]
fn words(text: &str) -> Vec<u16> {
    let assembly = assembled(text);
    let code = assembly.image.segments.first().expect("there is code");
    code.bytes.chunks(2).map(|pair| u16::from_le_bytes([pair[0], pair.get(1).copied().unwrap_or(0)])).collect()
}

#[test]
fn code_words_can_be_read_digit_by_digit() {
    for (line, wanted) in [
        ("add r3, r11", &[0x113B][..]),
        ("ADD R3, Fp", &[0x113C]),
        ("mov r1, 15", &[0x301F]),
        ("mov r1, 16", &[0x2010, 16]),
        ("mov r1, -1", &[0x2010, 0xFFFF]),
        ("mov r1, 'A'", &[0x2010, 65]),
        ("ldw r1, [r2]", &[0x6012]),
        ("ldw r1, [r2 + 0]", &[0x6012]),
        ("ldw r1, [r2 + 2]", &[0x6112, 2]),
        ("ldw r1, [r2 - 4 + 2]", &[0x6112, 0xFFFE]),
        ("ldw r1, [2 + r2]", &[0x6112, 2]),
        ("ldw r1, [0x1234]", &[0x611F, 0x1234]),
        ("ldw r1, [0]", &[0x601F]),
        ("stb [sp + 1], r9", &[0x739D, 1]),
        ("lea r1, [fp - 6]", &[0x671C, 0xFFFA]),
        ("push r6-r8, fp", &[0x4660, 0x4670, 0x4680, 0x46C0]),
        ("pop r6-r8, fp", &[0x47C0, 0x4780, 0x4770, 0x4760]),
        ("push fl, r1", &[0x0008, 0x4610]),
        ("pop fl", &[0x0009]),
        ("inc r1", &[0x3111]),
        ("dec sp", &[0x33D1]),
        ("clr r9", &[0x3090]),
        ("sys put_text", &[0x0111]),
        ("sys 0x10 + 2", &[0x0112]),
        ("call r5", &[0x4850]),
        ("jmp r5", &[0x4950]),
        ("mulhs r1, r2", &[0x5112]),
        ("brk", &[0x0007]),
    ] {
        assert_eq!(words(line), wanted, "{line}");
    }
}

#[test]
fn expressions_follow_the_usual_precedence() {
    for (text, value) in [
        ("2 + 3 * 4", 14),
        ("(2 + 3) * 4", 20),
        ("10 - 3 - 2", 5),
        ("100 / 7 % 5", 4),
        ("1 << 3 + 1", 16),
        ("0xF0 | 0x0F & 0x3C ^ 0x30", 0xFC),
        ("-2 * -3", 6),
        ("~0 & 0xFF", 255),
        ("hi(0x1234) << 8 | lo(0x1234)", 0x1234),
        ("HI(table)", 3),
        ("lo(table + 1)", 1),
        ("here", 0x0300),
        ("end - table", 4),
        ("'a' - 'A'", 32),
        ("1_000", 1000),
        ("0b1010_1010 >> 1", 85),
        ("SIZE * 2", 8),
        ("- - 5", 5),
        ("+5", 5),
    ] {
        let assembly =
            assembled(&format!("halt\n.data\ntable: .word {text}\n.word 0\nend:\n.equ SIZE, end - table\n.word SIZE"));
        let bytes = assembly.image.bytes(Addr(0x0300), 2);
        assert_eq!(u16::from_le_bytes([bytes[0], bytes[1]]), value, "{text}");
    }
}

#[test]
fn only_what_must_be_long_becomes_long() {
    // 127 words on is the furthest a short jump goes; the 128th makes it long, and nothing else.
    let program = |gap: usize| format!("start: jmp end\n{}end: jmp start\n", "nop\n".repeat(gap));
    assert_eq!(words(&program(127))[..2], [0x807F, 0x0001]);
    assert_eq!(words(&program(128))[..2], [0x9000, 0x0304]);
    assert_eq!(words(&program(126)).last(), Some(&0x8080), "and 128 back");
    let call = |gap: usize| format!("start: call end\n{}end: halt\n", "nop\n".repeat(gap));
    assert_eq!(words(&call(2047))[0], 0xC7FF);
    assert_eq!(words(&call(2048))[0], 0xD000);
    let count = |gap: usize| format!("start: djnz r1, end\n{}end: halt\n", "nop\n".repeat(gap));
    assert_eq!((words(&count(127))[0], words(&count(128))[0]), (0xA17F, 0xB100));
    // Lengthening one jump pushes the other out of reach: both grow, and the result is right.
    let chain = format!("a: jmp c\nb: jmp d\n{}c: nop\n{}d: jmp a\n", "nop\n".repeat(126), "nop\n");
    let code = words(&chain);
    assert_eq!((code[0], code[2]), (0x9000, 0x9000));
    assert_eq!(assembled(&chain).image.symbol("c").map(|s| s.value), Some(i64::from(code[1])));
}

#[test]
fn sections_org_align_and_space_lie_where_the_map_says() {
    let image = assembled(
        "start: jmp start\n.align 8\nnext: halt\n.data\nvectors_end: .org 0x0010\ntick: .word start\n\
         .org 0x0400\n.byte 1\n.align 4, 0xEE\nroom: .space 3\nfilled: .space 2, 7\ntext: .ascii \"ab\", \"c\"\n.asciz \"\"\n",
    )
    .image;
    let at = |name: &str| image.symbol(name).map(|symbol| symbol.value);
    assert_eq!(
        [at("start"), at("next"), at("tick"), at("room"), at("text")],
        [0x200, 0x208, 0x10, 0x404, 0x409].map(Some)
    );
    assert_eq!(image.bytes(Addr(0x0200), 12), [0xFF, 0x80, 1, 0, 1, 0, 1, 0, 2, 0], "code is filled with nop");
    assert_eq!(image.bytes(Addr(0x0400), 4), [1, 0xEE, 0xEE, 0xEE]);
    assert_eq!(image.bytes(Addr(0x0407), 9), [7, 7, b'a', b'b', b'c', 0]);
    assert_eq!(image.bytes(Addr(0x0010), 2), [0x00, 0x02]);
    let reserved: Vec<_> =
        image.segments.iter().filter(|segment| segment.reserved).map(|s| (s.start, s.bytes.len())).collect();
    assert_eq!(reserved, [(Addr(0x0404), 3)]);
    assert_eq!(image.heap_start, Addr(0x040E));
}

#[test]
fn data_begins_on_the_page_behind_the_code() {
    let start = |count: usize| {
        assembled(&format!("{} halt\n.data\nx: .word 1", "nop\n".repeat(count))).image.symbol("x").map(|s| s.value)
    };
    assert_eq!((start(0), start(127), start(128)), (Some(0x300), Some(0x300), Some(0x400)));
}

#[test]
fn entry_is_what_is_said_or_start_or_the_first_instruction() {
    let entry = |text: &str| assembled(text).image.entry;
    assert_eq!(entry("nop\n halt"), Addr(0x0200));
    assert_eq!(entry("nop\nstart: halt"), Addr(0x0202));
    assert_eq!(entry(".entry go\nstart: nop\ngo: halt"), Addr(0x0202));
    assert_eq!(entry(".data\n.word 1\n.code\nnop\n halt"), Addr(0x0200));
}

#[test]
fn local_labels_belong_to_the_label_above() {
    let code = words("one: jmp @end\n@end: nop\ntwo: jmp @end\nnop\n@end: jmp one\n");
    assert_eq!(code, [0x8000, 1, 0x8001, 1, 0x80FB]);
    let image = assembled("one: jmp @end\n@end: jmp one\n").image;
    assert!(image.symbol("one@end").is_some());
}

#[test]
fn odd_bytes_and_marks_in_the_text_do_no_harm() {
    let plain = words("start: mov r0, 1\n jmp start\n");
    for text in [
        "\u{feff}start: mov r0, 1\n jmp start\n",
        "start: mov r0, 1\r\n jmp start\r\n",
        "start:\tmov\tr0,1;x\n\n\n\tjmp start",
    ] {
        assert_eq!(words(text), plain, "{text:?}");
    }
}

#[test]
fn every_byte_knows_its_line() {
    let text = "start: nop\n add r1, 0x1000\n\n push r1-r3\n jmp start\n.data\nx: .word 1, 2\n";
    let image = assembled(text).image;
    let line = |address| image.line_at(address).map(|line| line.line);
    assert_eq!(
        [
            line(Addr(0x200)),
            line(Addr(0x202)),
            line(Addr(0x205)),
            line(Addr(0x206)),
            line(Addr(0x20B)),
            line(Addr(0x20C))
        ],
        [1, 2, 2, 4, 4, 5].map(Some)
    );
    assert_eq!((line(Addr(0x0303)), line(Addr(0x0304)), line(Addr(0x01FF))), (Some(7), None, None));
    assert_eq!(
        image.nearest_label(Addr(0x0204)).map(|(s, offset)| (s.name.clone(), offset)),
        Some(("start".into(), 4))
    );
    assert_eq!(image.nearest_label(Addr(0x0302)).map(|(s, _)| s.name.clone()), Some("x".into()));
}

#[test]
fn the_listing_shows_what_each_line_became() {
    let text = ".equ LIMIT, 560 ; cwt\nstart:  mov r0, LIMIT\n        push r6-r8\n@done:  jmp @done\n.data\nname:   .asciz \"weighbridge\"\nroom:   .space 20\n";
    let (sources, file) = Sources::single("small.asm", text);
    insta::assert_snapshot!(listing(&sources, &[file], &assemble(&sources, file).image));
}

#[test]
fn images_are_the_same_read_back() {
    let image =
        assembled("start: mov r0, text\n sys put_text\n sys exit\n.data\ntext: .asciz \"gate 2\"\nroom: .space 5\n")
            .image;
    let (start, raw) = to_raw(&image).expect("it lies close");
    assert_eq!((start, raw.len()), (Addr(0x0200), 0x010C));
    let back = from_hex(&wendax_isa::w16::TARGET, &to_hex(&image)).expect("what we write can be read").image;
    assert_eq!((back.entry, to_raw(&back).expect("it lies close")), (image.entry, (start, raw)));
}

#[test]
fn the_demo_is_without_remarks() {
    let text = include_str!("../../../../demos/weighbridge/weighbridge.asm");
    assert_eq!(assembled(text).diagnostics, []);
}

mod any {
    use super::*;
    use proptest::prelude::*;
    use wendax_isa::w16::{NumberStyle, decode, disassemble};

    proptest! {
        /// What disassembly writes, the assembler reads back to the same words.
        #[test]
        fn disassembly_assembles_to_itself(first: u16, second: u16) {
            let Some(insn) = decode(first, second) else { return Ok(()) };
            // A jump to an odd address is a problem, and rightly so.
            let row = insn.row();
            let jumps = row.operands.iter().any(|kind| matches!(kind, wendax_isa::w16::OperandKind::Far));
            prop_assume!(!jumps || second % 2 == 0);
            let text = disassemble(insn, 0x0200, NumberStyle::Hexadecimal, &|_| None);
            let assembly = assembled(&format!("{text}\n halt"));
            let bytes = assembly.image.bytes(Addr(0x0200), 4);
            let again = decode(u16::from_le_bytes([bytes[0], bytes[1]]), u16::from_le_bytes([bytes[2], bytes[3]])).expect("it was assembled");
            // The assembler takes the shortest form, so a long word may have become short; it means the same.
            let shown = disassemble(again, 0x0200, NumberStyle::Hexadecimal, &|_| None);
            prop_assert_eq!(shown, text);
        }

        #[test]
        fn any_text_assembles_or_is_told_why(text in any_source()) {
            let (sources, file) = Sources::single("any", text);
            let assembly = assemble(&sources, file);
            prop_assert!(render_all(&sources, &assembly.diagnostics, Style::Plain).len() < 10_000_000);
            for diagnostic in &assembly.diagnostics {
                prop_assert!(diagnostic.primary.span.end as usize <= sources.file(file).text().len());
            }
        }
    }

    /// Bytes, words of the language in any order, and whole programs with a piece cut out.
    fn any_source() -> impl Strategy<Value = String> {
        const WORDS: [&str; 44] = [
            "mov", "ldw", "stw", "push", "jz", "djnz", "call", "sys", "r0", "r11", "sp", "fl", "[", "]", "(", ")", ",",
            ":", "+", "-", "*", "/", "<<", "@x", "name", "name:", ".org", ".align", ".space", ".equ", ".byte", ".word",
            ".ascii", ".entry", ".data", ".code", "\"t\"", "'c'", "0xFFFF", "7", "here", "hi(", "\n", "\n",
        ];
        let words =
            proptest::collection::vec(proptest::sample::select(&WORDS[..]), 0..80).prop_map(|words| words.join(" "));
        let demo = include_str!("../../../../demos/weighbridge/weighbridge.asm");
        let cut = (0..demo.len(), 0usize..40).prop_map(move |(from, length)| {
            let to = (from + length).min(demo.len());
            let kept = |range: std::ops::Range<usize>| demo.get(range).unwrap_or_default();
            format!("{}{}", kept(0..from), kept(to..demo.len()))
        });
        let bytes = proptest::collection::vec(any::<u8>(), 0..300)
            .prop_map(|bytes| String::from_utf8_lossy(&bytes).into_owned());
        prop_oneof![words, cut, bytes, ".{0,200}"]
    }
}

#[test]
fn comparisons_are_one_or_zero_and_bind_loosest() {
    for (expression, value) in [
        ("3 == 3", 1),
        ("3 != 3", 0),
        ("2 < 3", 1),
        ("3 <= 3", 1),
        ("2 > 3", 0),
        ("3 >= 4", 0),
        ("1 + 1 == 2", 1),
        ("6 & 3 == 2", 1),
        ("(6 & 3) + (2 < 3) * 4", 6),
        ("-1 < 0", 1),
        ("end - start > 2", 1),
        ("defined(start) + defined(end)", 1),
        ("sizeof(start)", 6),
    ] {
        let text = format!("start: nop\n.word {expression}\n nop\nend: halt\n");
        let (sources, file) = Sources::single("case.asm", text.as_str());
        let assembly = assemble(&sources, file);
        let bytes = assembly.image.bytes(Addr(0x0202), 2);
        assert_eq!(u16::from_le_bytes([bytes[0], bytes[1]]), value, "{expression}: {:?}", assembly.diagnostics);
    }
}
