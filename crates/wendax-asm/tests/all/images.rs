//! What an image tells of addresses, lines and names, and that every byte is accounted for.

use proptest::prelude::*;
use wendax_asm::assemble;
use wendax_image::Addr;
use wendax_image::{Image, LineKind, SymbolKind, from_hex, to_hex, to_raw};
use wendax_language::{lexemes, mnemonics};
use wendax_source::{FileId, Sources};

fn image(text: &str) -> Image {
    let (sources, file) = Sources::single("case", text);
    let assembly = assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}: {:?}", assembly.diagnostics);
    assembly.image
}

#[test]
fn labels_and_constants_are_told_apart() {
    let image = image(".equ LIMIT, 0x0200\nstart: nop\n@in: jmp @in\n.data\nx: .word LIMIT\n");
    let kind = |name: &str| image.symbol(name).map(|symbol| symbol.kind);
    assert_eq!(kind("LIMIT"), Some(SymbolKind::Constant));
    assert_eq!(kind("start@in"), Some(SymbolKind::Code));
    assert_eq!(kind("x"), Some(SymbolKind::Data));
    assert_eq!(
        image.label_at(Addr(0x0200)).map(|symbol| symbol.name.as_str()),
        Some("start"),
        "a constant names no address"
    );
    assert_eq!(image.labels().count(), 3);
}

#[test]
fn a_plain_label_is_nearer_than_a_local_one_at_the_same_place() {
    let image = image("one: nop\n@a: jmp @a\n@end: nop\ntwo: jmp @b\n@b: jmp one\n jmp @b\n");
    let near = |address| image.nearest_label(address).map(|(symbol, offset)| (symbol.name.clone(), offset));
    assert_eq!(near(Addr(0x0202)), Some(("one@a".into(), 0)));
    assert_eq!(near(Addr(0x0206)), Some(("two".into(), 0)));
    assert_eq!(near(Addr(0x020A)), Some(("two@b".into(), 2)));
    assert_eq!((near(Addr(0x01FE)), near(Addr(0x0300))), (None, None), "outside there is none");
}

#[test]
fn code_of_a_line_is_found_and_data_is_not() {
    let image = image("start: nop\n\n jmp start\n.data\nx: .byte 1\n");
    assert_eq!(image.code_from_line(FileId(0), 3).map(|line| line.address), Some(Addr(0x0202)));
    assert_eq!(image.code_from_line(FileId(0), 2).map(|line| line.line), Some(3), "the next line that has any");
    assert_eq!(image.code_from_line(FileId(0), 9), None);
    assert_eq!(image.code_from_line(FileId(1), 1), None);
    assert_eq!(image.bytes(Addr(0x0203), 10).len(), 1, "as far as the segment goes");
    assert!(image.bytes(Addr(0x0250), 4).is_empty());
}

#[test]
fn every_mnemonic_is_coloured_as_one() {
    for (name, meaning) in mnemonics() {
        assert!(!meaning.is_empty());
        let pieces = lexemes(name, &wendax_isa::w16::TARGET);
        assert_eq!(pieces, [(0..name.len(), wendax_language::Lexeme::Mnemonic)], "{name}");
    }
}

#[test]
fn a_line_falls_into_its_pieces() {
    use wendax_language::Lexeme::{Comment, Definition, Directive, Mark, Mnemonic, Name, Number, Register, Text};
    let kinds = |line: &str| {
        lexemes(line, &wendax_isa::w16::TARGET)
            .into_iter()
            .map(|(range, kind)| (line[range].to_owned(), kind))
            .collect::<Vec<_>>()
    };
    let owned = |list: &[(&str, wendax_language::Lexeme)]| {
        list.iter().map(|(text, kind)| ((*text).to_owned(), *kind)).collect::<Vec<_>>()
    };
    let line = "a: ldw r1, [b + 2] ; c";
    let wanted = [
        ("a", Definition),
        (":", Mark),
        ("ldw", Mnemonic),
        ("r1", Register),
        (",", Mark),
        ("[", Mark),
        ("b", Name),
        ("+", Mark),
        ("2", Number),
        ("]", Mark),
        ("; c", Comment),
    ];
    assert_eq!(kinds(line), owned(&wanted));
    assert_eq!(kinds(".asciz \"a;b\""), owned(&[(".asciz", Directive), ("\"a;b\"", Text)]));
    assert_eq!(kinds("; öß"), owned(&[("; öß", Comment)]));
}

/// Statements that always assemble, in both sections.
fn program() -> impl Strategy<Value = String> {
    const LINES: [&str; 13] = [
        "nop",
        "mov r1, 5",
        "mov r1, 500",
        "ldw r2, [x]",
        "jmp start",
        "call start",
        "push r1-r3",
        ".word 1, 2",
        ".byte 1\n.align 2",
        ".space 6",
        ".data\n.byte 1\n.space 3\n.code",
        ".data\n.asciz \"siding\"\n.align 8, 1\n.code",
        ".align 16",
    ];
    proptest::collection::vec(proptest::sample::select(&LINES[..]), 0..60)
        .prop_map(|lines| format!("start: nop\n{}\n.data\nx: .word 7\n", lines.join("\n")))
}

proptest! {
    /// Lines tile the segments: each byte comes from exactly one statement.
    #[test]
    fn lines_tile_the_segments(text in program()) {
        let image = image(&text);
        let total: u32 = image.segments.iter().map(|segment| segment.end() - segment.start).sum();
        let told: u32 = image.lines.iter().map(|line| line.length).sum();
        prop_assert_eq!(total, told);
        for pair in image.lines.windows(2) {
            prop_assert!(pair[0].address + pair[0].length <= pair[1].address);
        }
        for line in &image.lines {
            let bytes = image.bytes(line.address, line.length);
            prop_assert_eq!(u32::try_from(bytes.len()).expect("small"), line.length);
            prop_assert!(line.kind != LineKind::Reserved || bytes.iter().all(|&byte| byte == 0));
            prop_assert_eq!(image.line_at(line.address + line.length - 1), Some(line));
        }
    }

    /// The same text always gives the same image, and its file forms hold the same bytes.
    #[test]
    fn images_are_the_same_in_every_form(text in program()) {
        let image = image(&text);
        prop_assert_eq!(&self::image(&text), &image);
        let back = from_hex(&wendax_isa::w16::TARGET, &to_hex(&image)).expect("what is written can be read").image;
        prop_assert_eq!(to_raw(&back), to_raw(&image));
    }
}
