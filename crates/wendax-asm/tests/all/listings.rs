//! What is told of a program of several files: the listing with what was unfolded, the names, the map of memory.

use wendax_asm::{Assembler, Assembly, Inputs, SymbolOrder, disassembly, listing, memory_map, symbol_table};
use wendax_image::{from_elf, to_elf};
use wendax_language::Written;
use wendax_source::{FileId, MemoryFiles};

fn program() -> Assembly {
    let main = "        .extern load\n        .include \"pair.inc\"\nstart:  PAIR  r1, 2\n        ldw   r2, [load]\n        sys   exit\n        .section rooms, zeroed\nroom:   .space 12\n";
    let load = "        .global load\n        .data\nload:   .repeat 3, i\n        .word {i} + 7\n        .endrepeat\n        .org  0x4000\n        .byte 1\n";
    let pair = ".equ STEP, 3\n        .macro PAIR r, n\n        add   {r}, {n}   ; once\n        add   {r}, STEP\n        .endmacro\n";
    let files = MemoryFiles::default().with("main.asm", main).with("load.asm", load).with("pair.inc", pair);
    let inputs = Inputs { sources: vec!["main.asm".into(), "load.asm".into()], ..Inputs::default() };
    let assembly = Assembler::default().assemble(&inputs, &files);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    assembly
}

#[test]
fn the_listing_shows_what_was_unfolded_under_its_line() {
    let assembly = program();
    let files: Vec<FileId> = assembly.files();
    insta::assert_snapshot!(listing(&assembly.sources, &files, &assembly.image));
}

#[test]
fn names_are_told_by_address_or_by_name_with_their_files() {
    let assembly = program();
    let table = |order| symbol_table(&assembly.sources, &assembly.image, order);
    let names = |table: &str| -> Vec<String> {
        table.lines().skip(1).filter_map(|row| row.split_whitespace().nth(3).map(str::to_owned)).collect()
    };
    assert_eq!(names(&table(SymbolOrder::Address)), ["start", "load", "room", "STEP"]);
    assert_eq!(names(&table(SymbolOrder::Name)), ["STEP", "load", "room", "start"]);
    assert!(table(SymbolOrder::Name).contains("(pair.inc)"));
}

#[test]
fn the_map_tells_sizes_and_what_is_left() {
    insta::assert_snapshot!(memory_map(&program().image));
}

#[test]
fn a_disassembly_calls_places_by_the_names_there_are() {
    let assembly = program();
    let elf = from_elf(&to_elf(&assembly.image, &assembly.sources)).expect("it is one");
    let (text, shown) = disassembly(&elf.bare_image());
    for wanted in ["start:\n        add r1, 2", "load:\n        .byte 0x07", "room:\n"] {
        assert!(text.contains(wanted), "{wanted} is not in\n{text}");
    }
    assert_eq!(
        shown.lines.iter().map(|line| line.length).sum::<u32>(),
        assembly.image.lines.iter().map(|line| line.length).sum()
    );
    assert!(!text.contains("once"), "comments are not kept");
}
