//! The fuzz targets, for a moment each: broken pieces of real sources, manifests and images; and what only a person
//! thinks of.

#[path = "../../../../fuzz/kept.rs"]
mod kept;

use kept::corpus;
use proptest::prelude::*;
use wendax_asm::{Assembler, Inputs, to_library};
use wendax_image::{to_elf, to_hex, to_srecord};
use wendax_project::fuzzing;
use wendax_source::MemoryFiles;

const SOURCES: [&str; 4] = [
    include_str!("../../../../demos/weighbridge/weighbridge.asm"),
    include_str!("../../../../demos/manifest/src/main.asm"),
    include_str!("../../../../demos/manifest/src/wagons.asm"),
    include_str!("../../../../demos/manifest/src/frames.inc"),
];
const MANIFEST: &str = include_str!("../../../../demos/manifest/wendax.toml");

/// Bytes cut out, put in, doubled or changed.
fn broken(seed: &[u8], edits: &[(usize, u8, u8)]) -> Vec<u8> {
    let mut data = seed.to_vec();
    for &(at, kind, byte) in edits {
        let at = at % data.len().max(1);
        let end = (at + usize::from(byte)).min(data.len());
        match kind % 5 {
            0 if at < data.len() => data[at] = byte,
            1 => data.insert(at.min(data.len()), byte),
            2 => drop(data.drain(at..end)),
            3 => data.extend_from_within(at..end),
            _ => data.splice(at..at, *b"\n.macro M a\n M {a}\n.endmacro\n M 1\n.repeat 9\n").for_each(drop),
        }
    }
    data
}

fn edits() -> impl Strategy<Value = Vec<(usize, u8, u8)>> {
    proptest::collection::vec((any::<usize>(), any::<u8>(), any::<u8>()), 0..8)
}

/// Images and objects of a demo in all forms.
fn images() -> Vec<Vec<u8>> {
    let files = MemoryFiles::default().with("a.asm", SOURCES[0]);
    let inputs = Inputs { sources: vec!["a.asm".into()], ..Inputs::default() };
    let mut assembler = Assembler::default();
    let assembly = assembler.assemble(&inputs, &files);
    let object = assembler.object("a.asm", None, &files).expect("the demo is in order");
    let image = &assembly.image;
    vec![
        to_elf(image, &assembly.sources),
        to_hex(image).into_bytes(),
        to_srecord(image, "demo").into_bytes(),
        to_library(&[("a.o".into(), object.clone()), ("b.o".into(), object.clone())]),
        object,
    ]
}

#[test]
fn the_kept_corpora() {
    for (target, run) in
        [("edits", fuzzing::edits as fn(&[u8])), ("fixes", fuzzing::fixes), ("renames", fuzzing::renames)]
    {
        let all = corpus(target);
        assert!(all.len() >= 3, "{target}");
        for data in &all {
            run(data);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn edits_over_time(which in 0usize..4, script in proptest::collection::vec(any::<u8>(), 4..40)) {
        let mut data = SOURCES[which].as_bytes().to_vec();
        data.push(0);
        data.extend(script);
        fuzzing::edits(&data);
    }

    #[test]
    fn fixes_of_broken_sources(which in 0usize..4, edits in edits()) {
        fuzzing::fixes(&broken(SOURCES[which].as_bytes(), &edits));
    }

    #[test]
    fn renames_in_sources(which in 0usize..4, edits in proptest::collection::vec((any::<usize>(), any::<u8>(), any::<u8>()), 0..3)) {
        fuzzing::renames(&broken(SOURCES[which].as_bytes(), &edits));
    }

    #[test]
    fn broken_sources(which in 0usize..4, edits in edits()) {
        fuzzing::sources(&broken(SOURCES[which].as_bytes(), &edits));
    }

    #[test]
    fn broken_manifests(edits in edits()) {
        fuzzing::manifest(&broken(MANIFEST.as_bytes(), &edits));
    }

    #[test]
    fn broken_images(which in 0usize..5, edits in edits()) {
        fuzzing::images(&broken(&images()[which], &edits));
    }

    #[test]
    fn any_bytes(data in proptest::collection::vec(any::<u8>(), 0..300)) {
        fuzzing::sources(&data);
        fuzzing::manifest(&data);
        fuzzing::images(&data);
    }
}

#[test]
fn what_only_a_person_thinks_of() {
    let long = format!("start: mov r0, {}5\n", "(".repeat(5000));
    let wide = format!("x: .byte {}1\n", "1, ".repeat(40_000));
    let name = format!("{}: jmp {}\n", "n".repeat(70_000), "n".repeat(70_000));
    for text in [
        ".space 65536\n",
        ".space 0x7FFFFFFFFFFFFFFF\n",
        ".data\n.space 65536\n.space 65536\n.space 65536\n",
        ".align 32768\n.org 0xFFFF\n.byte 1, 2\n",
        "start: halt\r\n.data\r\nx: .word 1\r\n",
        "\u{feff}start: halt\n",
        "\0\0\0",
        ".include \"0.asm\"\n",
        ".include \"1.asm\"\n\0.include \"0.asm\"\n",
        ".embed \"0.asm\"\n.embed \"/dev/null\"\n.include \"\"\n",
        ".repeat 65536\n.repeat 65536\n.endrepeat\n.endrepeat\n",
        ".macro A a = {a}\n A {a}, {a}\n.endmacro\n A 1\n A \"\n",
        ".if 1\n.if 0\n.else\n.macro X\n.endif\n",
        "a: b: c: .equ a, b\n.equ b, c\n.equ c, a\n.word sizeof(a), defined(, hi(",
        &long,
        &wide,
        &name,
    ] {
        fuzzing::sources(text.as_bytes());
    }
}
