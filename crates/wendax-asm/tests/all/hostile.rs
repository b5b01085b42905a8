//! Files made to do harm: ELF headers that lie, records that reach too far, sources that would take all there is.

use wendax_asm::{Assembler, Assembly, Inputs, assemble};
use wendax_image::Addr;
use wendax_image::{FormatError, from_elf, from_hex, from_srecord, to_elf};
use wendax_isa::Place;
use wendax_source::{MemoryFiles, Sources};

/// A small program with code, data and room, as ELF.
fn elf() -> Vec<u8> {
    let text =
        "start:  ldw   r1, [x]\n        halt\n        .data\nx:      .word 5\nroom:   .space 8\n        .word room\n";
    let (sources, file) = Sources::single("a.asm", text);
    let assembly = assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    to_elf(&assembly.image, &assembly.sources)
}

/// Offset of the program header with this number; they follow the file header.
fn program_header(number: usize) -> usize {
    52 + 32 * number
}

/// The bytes with a word of four bytes put in somewhere.
fn with(at: usize, value: u32) -> Vec<u8> {
    let mut bytes = elf();
    bytes[at..at + 4].copy_from_slice(&value.to_le_bytes());
    bytes
}

#[track_caller]
fn refused(bytes: &[u8], because: &str) {
    let told = from_elf(bytes).expect_err("it is refused").to_string();
    assert!(told.contains(because), "{told}");
}

#[test]
fn headers_that_lie_are_refused() {
    const ENTRY: usize = 24;
    const ADDRESS: usize = 8;
    const OFFSET: usize = 4;
    const STORED: usize = 16;
    const WHOLE: usize = 20;
    assert!(from_elf(&elf()).is_ok());
    refused(&with(ENTRY, 0x1_0000), "begins at 0x10000, where there is no code");
    refused(&with(ENTRY, 0x0201), "begins at 0x0201, where there is no code");
    refused(&with(program_header(0) + ADDRESS, 0x1_0000), "lies outside memory");
    refused(&with(program_header(0) + ADDRESS, 0xFFFF_FFFE), "lies outside memory");
    refused(&with(program_header(0) + ADDRESS, 0x0300), "over another part");
    refused(&with(program_header(0) + WHOLE, 0xFFFF_FFFF), "lies outside memory");
    refused(&with(program_header(0) + WHOLE, 0), "lies outside memory");
    refused(&with(program_header(0) + STORED, 0xFFFF), "no whole ELF file");
    refused(&with(program_header(0) + OFFSET, 0xFFFF_FF00), "no whole ELF file");
    let mut many = elf();
    many[44..46].copy_from_slice(&0xFFFFu16.to_le_bytes());
    assert!(from_elf(&many).is_err(), "more headers than there are");
    let mut none = elf();
    none[44..46].copy_from_slice(&0u16.to_le_bytes());
    refused(&none, "nothing to load");
    let mut big = elf();
    big[5] = 2;
    refused(&big, "high-byte-first ELF file");
    let mut wide = elf();
    wide[4] = 2;
    refused(&wide, "64-bit ELF file");
}

#[test]
fn a_program_with_broken_lines_runs_without_them() {
    let whole = elf();
    let lines = from_elf(&whole).expect("it is one");
    let files = MemoryFiles::default();
    assert!(lines.with_sources(&files).is_some(), "there are lines, but no source");
    // The debug sections lie behind the loaded bytes and before the symbols.
    let name = whole.windows(12).position(|window| window == b".debug_line\0").expect("it is named");
    let mut unnamed = whole.clone();
    unnamed[name + 1] = b'x';
    let unnamed = from_elf(&unnamed).expect("it is still a program");
    assert!(unnamed.with_sources(&files).is_none());
    assert_eq!(unnamed.bare_image().segments, lines.bare_image().segments);
}

/// An S-record of this kind with its count and checksum.
fn record(kind: char, bytes: &[u8]) -> String {
    let count = u8::try_from(bytes.len() + 1).expect("it is short");
    let sum = bytes.iter().fold(count, |sum, byte| sum.wrapping_add(*byte));
    let digits: Vec<String> = [count].iter().chain(bytes).chain(&[!sum]).map(|byte| format!("{byte:02X}")).collect();
    format!("S{kind}{}\n", digits.concat())
}

#[test]
fn records_that_reach_too_far_are_refused() {
    let far = record('3', &[0, 1, 0, 0, 7]);
    assert!(matches!(
        from_srecord(&wendax_isa::w16::TARGET, &far),
        Err(FormatError::Outside(Place(_, Addr(0x1_0000))))
    ));
    let over = record('2', &[0, 0xFF, 0xFE, 1, 2, 3, 4]);
    assert!(matches!(from_srecord(&wendax_isa::w16::TARGET, &over), Err(FormatError::Outside(Place(_, Addr(0xFFFE))))));
    let wide = record('3', &[0, 0, 2, 0, 5, 6, 7, 8]) + &record('7', &[0, 0, 2, 2]);
    let loaded = from_srecord(&wendax_isa::w16::TARGET, &wide).expect("it lies in memory");
    assert_eq!((loaded.image.entry, loaded.image.segments[0].bytes.as_slice()), (Addr(0x0202), &[5, 6, 7, 8][..]));
    let outside = record('1', &[2, 0, 5]) + &record('7', &[0, 1, 0, 0]);
    assert!(matches!(
        from_srecord(&wendax_isa::w16::TARGET, &outside),
        Err(FormatError::Entry(Place(_, Addr(0x1_0000))))
    ));
    let short = record('3', &[0, 0]);
    assert!(matches!(from_srecord(&wendax_isa::w16::TARGET, &short), Err(FormatError::Record { line: 1, .. })));
    assert!(matches!(from_hex(&wendax_isa::w16::TARGET, ":02FFFF000102FD\n:00000001FF"), Err(FormatError::Outside(_))));
    assert!(matches!(
        from_hex(&wendax_isa::w16::TARGET, ":0400000500010000F6\n:0102000001FC\n:00000001FF"),
        Err(FormatError::Entry(Place(_, Addr(0x1_0000))))
    ));
}

fn codes(assembly: &Assembly) -> Vec<String> {
    assembly.diagnostics.iter().map(|found| found.code.to_string()).collect()
}

fn of(text: &str) -> Vec<String> {
    let (sources, file) = Sources::single("a.asm", text);
    codes(&assemble(&sources, file))
}

#[test]
fn sources_that_want_all_there_is_get_one_clear_problem() {
    for (text, wanted) in [
        ("start: halt\n.data\n.space 65536\n", "W041"),
        ("start: halt\n.data\n.space 1 << 40\n", "W041"),
        ("start: halt\n.data\n.space 0x7FFFFFFF * 0x7FFFFFFF * 4\n", "W030"),
        ("start: halt\n.org 0x10000\n", "W030"),
        ("start: halt\n.align 65536\n", "W030"),
        (".repeat 1 << 30\n nop\n.endrepeat\nstart: halt\n", "W030"),
        (".repeat 65536\n.repeat 65536\n.endrepeat\n.endrepeat\nstart: halt\n", "W039"),
    ] {
        assert_eq!(of(text), [wanted], "{text}");
    }
    let deep = format!("start: mov r1, {}1{}\n halt\n", "(".repeat(5000), ")".repeat(5000));
    assert_eq!(of(&deep), ["W018"]);
    let many = "x: .word 1\n".repeat(5000);
    assert!(of(&many).len() <= 2000, "what nobody would read is not told");
}

#[test]
fn files_that_include_each_other_or_are_no_text_are_told() {
    let files = MemoryFiles::default()
        .with("a.asm", " .include \"b.inc\"\nstart: halt\n")
        .with("b.inc", " .include \"c.inc\"\n")
        .with("c.inc", " .include \"b.inc\"\n")
        .with("d.asm", " .include \"e.inc\"\nstart: halt\n")
        .with("e.inc", [0xFF, 0xFE, 0x00]);
    let assembled = |path: &str| {
        let inputs = Inputs { sources: vec![path.to_owned()], ..Inputs::default() };
        Assembler::default().assemble(&inputs, &files)
    };
    let looped = assembled("a.asm");
    assert_eq!(codes(&looped), ["W039"]);
    assert!(looped.diagnostics[0].others.len() >= 2, "the way there is told: {:?}", looped.diagnostics[0]);
    let no_text = assembled("d.asm");
    assert!(no_text.diagnostics[0].message.contains("no UTF-8"), "{:?}", no_text.diagnostics);
    let same_twice = MemoryFiles::default()
        .with("a.asm", " .include \"c.inc\"\n .include \"c.inc\"\nstart: mov r1, C\n halt\n")
        .with("c.inc", ".equ C, 1\n");
    let inputs = Inputs { sources: vec!["a.asm".to_owned()], ..Inputs::default() };
    assert_eq!(codes(&Assembler::default().assemble(&inputs, &same_twice)), ["W023"], "defined twice, so told");
}

#[test]
fn a_large_argument_put_in_many_times_is_refused_before_it_is_written() {
    // 20 GiB, were it unfolded.
    let text =
        format!(".macro MANY a\n{}\n.endmacro\nstart: MANY {}\n halt\n", "{a} ".repeat(10_000), "x".repeat(2 << 20));
    let (sources, file) = Sources::single("a.asm", text);
    let assembly = assemble(&sources, file);
    let told: Vec<&str> = assembly.diagnostics.iter().map(|found| found.message.as_str()).collect();
    assert!(told.iter().any(|text| text.contains("more text than any program needs")), "{told:?}");
}
