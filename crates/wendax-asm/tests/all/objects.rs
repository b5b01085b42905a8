//! Objects: what of a source waits for linking, and that linking puts it in where it belongs.

use crate::linking::assemble;
use proptest::prelude::*;
use wendax_asm::{Assembler, to_library};
use wendax_image::Addr;
use wendax_image::Image;
use wendax_source::MemoryFiles;

fn sound(files: &MemoryFiles, sources: &[&str], libraries: &[&str]) -> Image {
    crate::linking::sound(files, sources, libraries).image
}

fn object(files: &MemoryFiles, path: &str) -> Vec<u8> {
    Assembler::default().object(path, None, files).unwrap_or_else(|found| panic!("{found:#?}"))
}

fn value(image: &Image, name: &str) -> i64 {
    image.best_symbol(name).unwrap_or_else(|| panic!("{name}")).value
}

/// The word at a label, some bytes further.
fn word(image: &Image, name: &str, offset: u32) -> i64 {
    let at = u32::try_from(value(image, name)).expect("an address") + offset;
    let bytes = image.bytes(Addr(at), 2);
    i64::from(bytes[0]) | i64::from(bytes[1]) << 8
}

#[test]
fn everything_an_object_can_leave_open_is_put_in() {
    let part = "\
        .global table, go, count
        .extern far, LIMIT
go:     mov   r1, far + 4
        ldw   r2, [far - 2]
        jmp   far
        jz    go
        call  go
        djnz  r3, go
        mov   r4, LIMIT
        ret
        .data
table:  .word far, far + 6, go, table, LIMIT, -LIMIT + LIMIT
        .byte hi(far), lo(far), hi(table), lo(table)
.equ count, (here_ends - table) / 2
here_ends:
";
    let main = "        .global far, LIMIT\n        .extern go, table, count\n.equ LIMIT, 9\nstart:  call  go\n        mov   r5, count\n        sys   exit\nfar:    nop\n        jmp   start\n        .data\nkept:   .word table\n";
    let files = MemoryFiles::default().with("main.asm", main).with("part.asm", part.replace(", -LIMIT + LIMIT", ", 0"));
    let files = files.clone().with("part.o", object(&files, "part.asm"));
    let image = sound(&files, &["main.asm"], &["part.o"]);
    let (far, table, go) = (value(&image, "far"), value(&image, "table"), value(&image, "go"));
    assert_eq!((word(&image, "go", 2), word(&image, "go", 6), word(&image, "go", 10)), (far + 4, far - 2, far));
    assert_eq!(word(&image, "go", 12) & 0xFF00, 0x8100, "a jump within the section stays short");
    assert_eq!(word(&image, "go", 20), 9, "a constant of another file");
    let words: Vec<i64> = (0..6).map(|index| word(&image, "table", 2 * index)).collect();
    assert_eq!(words, [far, far + 6, go, table, 9, 0]);
    let bytes = image.bytes(Addr(u32::try_from(table).expect("an address") + 12), 4);
    assert_eq!(bytes, [far.to_le_bytes()[1], far.to_le_bytes()[0], table.to_le_bytes()[1], table.to_le_bytes()[0]]);
    assert_eq!((value(&image, "count"), word(&image, "kept", 0)), (8, table));
}

#[test]
fn what_only_linking_could_compute_is_refused_with_the_forms_that_can_be_kept() {
    for line in [
        "mov r1, far * 2",
        "mov r1, far - near",
        "mov r1, -far",
        "mov r1, hi(far) + 1",
        ".space far",
        ".align far",
        "sys far",
    ] {
        let text = format!("        .extern far\nnear:   nop\n        {line}\n        jmp near\n");
        let files = MemoryFiles::default().with("a.asm", text);
        let found = Assembler::default().object("a.asm", None, &files).expect_err(line);
        let codes: Vec<String> = found.iter().map(|found| found.code.to_string()).collect();
        assert_eq!(codes, ["W034"], "{line}");
    }
}

#[test]
fn places_and_alignments_of_an_object_hold_in_the_program() {
    let part = "        .global fixed, even, room, piece\n        .data\n        .byte 1\n        .align 16\neven:   .word 7\n        .org  0x4000\nfixed:  .word 8, even\n        .section rooms, zeroed\n        .align 8\nroom:   .space 6\n        .section more, code\npiece:  ret\n";
    let main = "        .extern fixed, even, room, piece\nstart:  call  piece\n        ldw   r1, [fixed]\n        ldw   r2, [even]\n        mov   r3, room\n        sys   exit\n        .data\n        .byte 1, 2, 3\n";
    let files = MemoryFiles::default().with("main.asm", main).with("part.asm", part);
    let files = files.clone().with("part.o", object(&files, "part.asm"));
    let image = sound(&files, &["main.asm"], &["part.o"]);
    assert_eq!((value(&image, "fixed"), word(&image, "fixed", 0)), (0x4000, 8));
    assert_eq!((value(&image, "even") % 16, word(&image, "even", 0)), (0, 7));
    assert_eq!(word(&image, "fixed", 2), value(&image, "even"));
    assert_eq!(value(&image, "room") % 8, 0);
    let room = u32::try_from(value(&image, "room")).expect("an address");
    assert!(
        image.segments.iter().any(|segment| segment.reserved && segment.start <= Addr(room) && room < segment.end().0)
    );
    let piece = u32::try_from(value(&image, "piece")).expect("an address");
    assert!(image.segments.iter().any(|s| s.rights.execute && s.start <= Addr(piece) && piece < s.end().0));
}

#[test]
fn a_library_is_taken_from_as_far_as_each_part_needs_the_next() {
    let part = |name: &str, needs: &str| {
        let uses = if needs.is_empty() { String::new() } else { format!("        .extern {needs}\n") };
        let calls = if needs.is_empty() { String::new() } else { format!("        call  {needs}\n") };
        format!("        .global {name}\n{uses}{name}:\n{calls}        ret\n")
    };
    let mut files =
        MemoryFiles::default().with("main.asm", "        .extern one\nstart:  call  one\n        sys   exit\n");
    let mut members = Vec::new();
    for (name, needs) in [("four", ""), ("two", "three"), ("one", "two"), ("three", ""), ("five", "one")] {
        let path = format!("{name}.asm");
        files = files.with(path.clone(), part(name, needs));
        members.push((format!("{name}_with_a_name_longer_than_usual.o"), object(&files, &path)));
    }
    let files = files.with("lib.a", to_library(&members));
    let image = sound(&files, &["main.asm"], &["lib.a"]);
    let known = |name: &str| image.best_symbol(name).is_some();
    assert_eq!(["one", "two", "three", "four", "five"].map(known), [true, true, true, false, false]);
    let own = files.with("own.asm", part("two", ""));
    let image = sound(&own, &["main.asm", "own.asm"], &["lib.a"]);
    assert!(image.best_symbol("three").is_none(), "a name of a source goes before that of a library");
}

#[test]
fn sections_of_one_name_lie_together_and_have_one_kind() {
    let one = ".section b, code\nb1: jmp b1\n.section a, data\na1: .word 1\n.section z, zeroed\nz1: .space 2\n.code\nstart: jmp b1\n.section a\na2: .word a1, a2, z1, z2\n.section b\nb2: jmp b2\n.section z\nz2: .space 2\n";
    let files = MemoryFiles::default().with("one.asm", one);
    let image = sound(&files, &["one.asm"], &[]);
    let order: Vec<i64> =
        ["start", "b1", "b2", "a1", "a2", "z1", "z2"].iter().map(|name| value(&image, name)).collect();
    assert!(order.is_sorted(), "{order:x?}");
    assert_eq!(value(&image, "z1"), value(&image, "a2") + 8, "zeroed right behind data");
    for (text, code) in [
        (".section a, code\nstart: halt\n.section a, data\n.word 1\n", "W023"),
        (".section a, zeroed\n.word 1\n.code\nstart: halt\n", "W014"),
        (".section a, what\nstart: halt\n", "W014"),
        (".section a\n nop\n.code\nstart: halt\n", "W014"),
        (".section\nstart: halt\n", "W016"),
    ] {
        let assembly = assemble(&MemoryFiles::default().with("a.asm", text), &["a.asm"], &[]);
        let codes: Vec<String> = assembly.diagnostics.iter().map(|found| found.code.to_string()).collect();
        assert_eq!(codes, [code], "{text}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// However a program is cut into files, its words say the same: each names the place it named.
    #[test]
    fn cutting_a_program_into_files_changes_no_meaning(targets in proptest::collection::vec(0usize..12, 12), cut in 1usize..11, as_object: bool) {
        let line = |index: usize| {
            let target = targets[index];
            match index % 4 {
                0 => format!("p{index}: jmp p{target}\n"),
                1 => format!("p{index}: mov r1, p{target} + 2\n"),
                2 => format!("p{index}: call p{target}\n"),
                _ => format!("p{index}: djnz r2, p{target}\n"),
            }
        };
        let half = |range: std::ops::Range<usize>, others: std::ops::Range<usize>| {
            let names = |range: std::ops::Range<usize>| range.map(|i| format!("p{i}")).collect::<Vec<_>>().join(", ");
            let lines: String = range.clone().map(line).collect();
            let table: Vec<String> = range.clone().map(|i| format!(".word p{}\n", targets[i])).collect();
            let table = table.concat();
            format!(".global {}\n.extern {}\n{lines} jmp here\n.data\nt{}: {table}", names(range.clone()), names(others), range.start)
        };
        let files = MemoryFiles::default().with("a.asm", half(0..cut, cut..12)).with("b.asm", half(cut..12, 0..cut));
        let image = if as_object {
            let files = files.clone().with("b.o", object(&files, "b.asm"));
            sound(&files, &["a.asm"], &["b.o"])
        } else {
            sound(&files, &["a.asm", "b.asm"], &[])
        };
        let table = |name: &str, count: usize| (0..count).map(|i| word(&image, name, 2 * u32::try_from(i).expect("few"))).collect::<Vec<_>>();
        let mut said = table("t0", cut);
        said.extend(table(&format!("t{cut}"), 12 - cut));
        let meant: Vec<i64> = targets.iter().map(|target| value(&image, &format!("p{target}"))).collect();
        prop_assert_eq!(said, meant);
    }
}

#[test]
fn names_without_bytes_and_places_at_zero_are_kept() {
    let part = "        .global heap, mark, wall, last, first\n        .section vectors, data\n        .org  0\nfirst:  .word 11, 22\n        .code\n        mov   r0, heap\n        ldw   r1, [mark]\n        mov   r2, wall\n        ret\nlast:\n        .section room, zeroed\nheap:\n        .data\nmark:\n        .org  0x4000\nwall:\n";
    let main = "        .extern heap, mark, wall, last, first\nstart:  mov   r1, last\n        sys   exit\n        .data\n        .word heap, mark, wall, last, first\n        .align 2\n        .section room, zeroed\n        .space 6\n";
    let files = MemoryFiles::default().with("main.asm", main).with("part.asm", part);
    let whole = sound(&files, &["main.asm", "part.asm"], &[]);
    let files = files.clone().with("part.o", object(&files, "part.asm"));
    let linked = sound(&files, &["main.asm"], &["part.o"]);
    for name in ["heap", "mark", "wall", "last", "first"] {
        assert_eq!(value(&linked, name), value(&whole, name), "{name}");
    }
    assert_eq!((value(&linked, "first"), word(&linked, "first", 2), value(&linked, "wall")), (0, 22, 0x4000));
    for segment in whole.segments.iter().filter(|segment| !segment.reserved) {
        let length = u32::try_from(segment.bytes.len()).expect("short");
        assert_eq!(linked.bytes(segment.start, length), segment.bytes, "at {:04X}", segment.start);
    }
}

#[test]
fn what_is_asserted_is_looked_at_or_refused() {
    let codes = |text: &str| -> Vec<String> {
        let files = MemoryFiles::default().with("a.asm", text);
        let of = |found: &[wendax_source::Diagnostic]| found.iter().map(|found| found.code.to_string()).collect();
        Assembler::default().object("a.asm", None, &files).map_or_else(|found| of(&found), |_| Vec::new())
    };
    let with = |claim: &str| format!("        .extern far\none:    nop\ntwo:    jmp   far\n        {claim}\n");
    assert_eq!(codes(&with(".assert two - one == 2")), [""; 0]);
    assert_eq!(codes(&with(".assert two - one == 4, \"too near\"")), ["W046"]);
    assert_eq!(codes(&with(".assert one < 0x300")), ["W034"], "only linking knows");
    assert_eq!(codes(&with(".assert far")), ["W034"]);
    let files = MemoryFiles::default().with("a.asm", "start:  sys exit\n        .assert 1 / (start - start)\n");
    let found = assemble(&files, &["a.asm"], &[]).diagnostics;
    assert_eq!(found.iter().map(|found| found.code.to_string()).collect::<Vec<_>>(), ["W032"]);
}

#[test]
fn lines_of_objects_are_lines_of_their_sources() {
    let part = "; walks about\n        .global step, stride\nstep:   add   r1, 2\n@more:  djnz  r1, @more\n        ret\n        .data\nstride: .word 7\n";
    let main = "        .extern step, stride\nstart:  ldw   r1, [stride]\n        call  step\n        sys   exit\n";
    let files = MemoryFiles::default().with("main.asm", main).with("lib/walk.asm", part);
    let member = {
        let beside = MemoryFiles::default().with("walk.asm", part);
        ("walk.o".to_owned(), object(&beside, "walk.asm"))
    };
    let files = files.with("lib/build/lib.a", to_library(&[member]));
    let assembly = assemble(&files, &["main.asm"], &["lib/build/lib.a"]);
    assert!(assembly.is_runnable());
    let spoken = |image: &Image, sources: &wendax_source::Sources, address: u32| {
        let line = image.line_at(Addr(address)).expect("a line");
        let file = sources.file(line.span.file);
        (file.name().to_owned(), line.line, file.text()[line.span.start as usize..line.span.end as usize].to_owned())
    };
    let at = |name: &str| u32::try_from(value(&assembly.image, name)).expect("an address");
    let wanted = |line: u32, text: &str| ("lib/walk.asm".to_owned(), line, text.to_owned());
    assert_eq!(spoken(&assembly.image, &assembly.sources, at("step")), wanted(3, "step:   add   r1, 2"));
    assert_eq!(spoken(&assembly.image, &assembly.sources, at("step") + 4), wanted(5, "ret"));
    assert_eq!(spoken(&assembly.image, &assembly.sources, at("stride")), wanted(7, "stride: .word 7"));
    let named = assembly.image.best_symbol("step").expect("a name").span;
    assert_eq!((assembly.sources.file(named.file).name(), assembly.sources.line(named)), ("lib/walk.asm", 3));
    // The program as a file tells the same, and tells its own lines when the library's sources are not there.
    let elf = wendax_image::elf::to_elf(&assembly.image, &assembly.sources);
    let (image, sources) = wendax_image::elf::from_elf(&elf)
        .expect("a program")
        .with_sources(&files)
        .expect("lines")
        .expect("all sources are there");
    assert_eq!(spoken(&image, &sources, at("step") + 4), wanted(5, "ret"));
    let changed = files.with("lib/walk.asm", format!("{part}; another text\n"));
    let assembly = assemble(&changed, &["main.asm"], &["lib/build/lib.a"]);
    let elf = wendax_image::elf::to_elf(&assembly.image, &assembly.sources);
    let program = wendax_image::elf::from_elf(&elf).expect("a program");
    let (image, sources) = program.with_sources(&changed).expect("lines").expect("its own sources are there");
    let start = u32::try_from(value(&image, "start")).expect("an address");
    assert_eq!(spoken(&image, &sources, start).1, 2);
    assert!(image.line_at(Addr(u32::try_from(value(&image, "step")).expect("an address"))).is_none());
}

/// The value of the address that instructions of RV32 at a place make, a register set by `lui` or `auipc` and completed; or
/// the place where a jump or branch goes.
fn meant_at(image: &Image, at: u32) -> i64 {
    use wendax_isa::rv32::{Format, Op, decode};
    let insn = |at: u32| {
        let bytes = image.bytes(Addr(at), 4);
        decode(u32::from_le_bytes(bytes.try_into().expect("a word"))).expect("an instruction")
    };
    let (first, second) = (insn(at), insn(at + 4));
    let place = match (first.op(), first.row().format) {
        (Op::Lui, _) => first.value.wrapping_add(second.value),
        (Op::Auipc, _) => at.wrapping_add(first.value).wrapping_add(second.value),
        // A branch that does not reach is turned round, over a jump.
        (_, Format::Branch) if first.value == 8 && second.op() == Op::Jal => (at + 4).wrapping_add(second.value),
        (_, Format::Branch | Format::Jump) => at.wrapping_add(first.value),
        (Op::Addi, _) => first.value,
        found => panic!("{found:?}"),
    };
    i64::from(place)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// The same for RV32, with its relocations: whatever names a place names it still, by distance or by its parts.
    #[test]
    fn cutting_a_program_for_rv32_into_files_changes_no_meaning(targets in proptest::collection::vec(0usize..12, 12), cut in 1usize..11, how in 0u8..3) {
        let line = |index: usize| {
            let target = targets[index];
            let what = match index % 8 {
                0 => format!("call p{target}"),
                1 => format!("la a0, p{target}"),
                2 => format!("lui a0, %hi(p{target})\n sw a1, %lo(p{target})(a0)"),
                3 => format!("beqz a0, p{target}"),
                4 => format!("j p{target}"),
                5 => format!("li a0, p{target}"),
                6 => format!("tail p{target}"),
                _ => format!("lui a0, %hi(p{target})\n lbu a1, %lo(p{target})(a0)"),
            };
            format!("p{index}: {what}\n nop\n")
        };
        let half = |range: std::ops::Range<usize>| {
            let names = range.clone().map(|i| format!("p{i}")).collect::<Vec<_>>().join(", ");
            let lines: String = range.clone().map(line).collect();
            let table: Vec<String> = range.clone().map(|i| format!(".word p{}\n", targets[i])).collect();
            let table = table.concat();
            format!(".target rv32\n.globl {names}\n{lines} j here\n.data\nlist{}: {table}", range.start)
        };
        let files = MemoryFiles::default().with("a.asm", half(0..cut)).with("b.asm", half(cut..12));
        let image = match how {
            0 => sound(&files, &["a.asm", "b.asm"], &[]),
            1 => sound(&files.clone().with("b.o", object(&files, "b.asm")), &["a.asm"], &["b.o"]),
            _ => {
                let both = files.clone().with("a.o", object(&files, "a.asm")).with("b.o", object(&files, "b.asm"));
                sound(&both, &[], &["a.o", "b.o"])
            }
        };
        let at = |name: &str| u32::try_from(value(&image, name)).expect("an address");
        let word = |at: u32| i64::from(u32::from_le_bytes(image.bytes(Addr(at), 4).try_into().expect("a word")));
        let meant: Vec<i64> = targets.iter().map(|target| value(&image, &format!("p{target}"))).collect();
        let mut said: Vec<i64> = (0..).take(cut).map(|i| word(at("list0") + 4 * i)).collect();
        said.extend((0..).take(12 - cut).map(|i| word(at(&format!("list{cut}")) + 4 * i)));
        prop_assert_eq!(&said, &meant);
        let gone: Vec<i64> = (0..12).map(|index| meant_at(&image, at(&format!("p{index}")))).collect();
        prop_assert_eq!(&gone, &meant);
    }
}

#[test]
fn what_an_object_for_rv32_cannot_leave_open_is_refused() {
    for (line, count) in [
        ("addi a0, zero, far", 1),
        ("lui a0, far", 1),
        ("slli a0, a0, far", 1),
        ("1: auipc a0, %pcrel_hi(far)\n addi a0, a0, %pcrel_lo(1b)", 1),
        (".half far", 1),
        (".quad far", 1),
        (".byte far", 1),
        (".byte lo(far)", 1),
        (".word -far", 1),
    ] {
        let text = format!(".target rv32\n.extern far\ngo: nop\n {line}\n .balign 4\n ret\n");
        let files = MemoryFiles::default().with("a.asm", text.as_str());
        let found = Assembler::default().object("a.asm", None, &files).expect_err(&text);
        assert_eq!(found.len(), count, "{line}: {found:#?}");
    }
    // What lies in the same section is as far away wherever that comes to lie.
    let text = ".target rv32\ngo: beqz a0, go\n call go\n1: auipc a0, %pcrel_hi(go)\n addi a0, a0, %pcrel_lo(1b)\n j go\n nop\n .word go - here\n";
    let files = MemoryFiles::default().with("a.asm", text);
    let files = files.clone().with("a.o", object(&files, "a.asm"));
    let image = sound(&files, &[], &["a.o"]);
    let (at, go) = (0x10000, value(&image, "go"));
    let places: Vec<i64> = [0, 4, 12, 20].iter().map(|behind| meant_at(&image, at + behind)).collect();
    assert_eq!(places, [go; 4]);
}

#[test]
fn an_object_for_another_machine_is_refused_with_both_named() {
    let files = MemoryFiles::default()
        .with("w.asm", ".global far\nfar: ret\n")
        .with("r.asm", ".target rv32\n_start: call far\n sys exit\n")
        .with("s.asm", "start: sys exit\n");
    let objects = files.clone().with("w.o", object(&files, "w.asm")).with("r.o", object(&files, "r.asm"));
    for (source, library, first, other) in [("r.asm", "w.o", "RV32", "W16"), ("s.asm", "r.o", "W16", "RV32")] {
        let found = assemble(&objects, &[source], &[library]).diagnostics;
        let told = found.iter().find(|one| one.code.0 == 89).unwrap_or_else(|| panic!("{found:#?}"));
        assert_eq!(told.message, format!("`{library}` is for {other}, and the rest of the program for {first}"));
    }
}
