//! Programs for either machine go into a file and come out again, and what cannot be run here is told why.

use super::{Contents, ElfError, Home, Section, Symbol, from_elf, to_elf};
use crate::{
    Bits, FormatError, Image, Rights, Segment, SymbolKind, TypeKind, from_hex, from_raw, from_srecord, to_hex, to_raw,
    to_srecord,
};
use object::elf;
use proptest::prelude::*;
use wendax_isa::{Addr, Place, Reg, Target, rv32, targets};
use wendax_source::Sources;

/// A program for RV32: code, data, room far above it.
fn contents() -> Contents {
    let section = |name: &str, flags, address, bytes: &[u8], room| Section {
        name: name.to_owned(),
        flags: elf::SHF_ALLOC | flags,
        address,
        align: 1,
        bytes: bytes.to_vec(),
        room,
        relocations: Vec::new(),
    };
    let symbol =
        |name: &str, home, value, kind| Symbol { name: name.to_owned(), home, value, size: 0, is_global: true, kind };
    Contents {
        kind: elf::ET_EXEC,
        entry: 0x1_0000,
        sections: vec![
            section(".text", elf::SHF_EXECINSTR, 0x1_0000, &[0x13, 5, 0x50, 0, 0x67, 0x80, 0, 0], None),
            section(".data", elf::SHF_WRITE, 0x1_1000, &[1, 2, 3, 4], None),
            section(".bss", elf::SHF_WRITE, 0x8000_0000, &[], Some(0x100)),
        ],
        symbols: vec![
            symbol("main", Home::Section(0), 0x1_0000, elf::STT_FUNC),
            symbol("on", Home::Section(0), 0x1_0004, elf::STT_NOTYPE),
            symbol("$x", Home::Section(0), 0x1_0000, elf::STT_NOTYPE),
            symbol("wagons", Home::Section(1), 0x1_1000, elf::STT_OBJECT),
            symbol("high", Home::Section(2), 0x8000_0000, elf::STT_OBJECT),
            symbol("LEAST", Home::Absolute, 0xFFFF_FFFB, elf::STT_NOTYPE),
        ],
        ..Contents::new(&rv32::TARGET)
    }
}

#[test]
fn a_program_for_the_other_machine_is_read_as_it_is() {
    let image = from_elf(&contents().to_bytes()).expect("it can be read").bare_image();
    assert_eq!(image.target.name, "RV32");
    let parts: Vec<_> = image.segments.iter().map(|part| (part.start.0, part.bytes.len(), part.reserved)).collect();
    assert_eq!(parts, [(0x1_0000, 8, false), (0x1_1000, 4, false), (0x8000_0000, 0x100, false)]);
    // Room is 0 by the rules of compilers' languages; what is written here leaves it unset, in a section of another name.
    let mut own = contents();
    own.sections[2].name = ".zeroed".to_owned();
    let own = from_elf(&own.to_bytes()).expect("it can be read").bare_image();
    assert_eq!(own.segments.iter().map(|part| part.reserved).collect::<Vec<_>>(), [false, false, true]);
    assert_eq!(image.heap_start, Addr(0x1_1004));
    let known: Vec<_> = image.symbols.iter().map(|one| (one.name.as_str(), one.value, one.kind)).collect();
    let wanted = [
        ("main", 0x1_0000, SymbolKind::Code),
        ("on", 0x1_0004, SymbolKind::Code),
        ("wagons", 0x1_1000, SymbolKind::Data),
        ("high", 0x8000_0000, SymbolKind::Data),
        ("LEAST", -5, SymbolKind::Constant),
    ];
    assert_eq!(known, wanted);
    // What is written of it is read as the same again.
    let again = from_elf(&to_elf(&image, &Sources::new())).expect("it can be read").bare_image();
    assert_eq!((again.target, &again.segments, again.entry), (image.target, &image.segments, image.entry));
    assert!(matches!(to_raw(&image), Err(FormatError::Apart(..))), "two gigabytes lie between");
}

#[test]
fn what_cannot_be_run_is_told_with_what_to_do() {
    let told = |change: &dyn Fn(&mut Vec<u8>)| {
        let mut bytes = contents().to_bytes();
        change(&mut bytes);
        from_elf(&bytes).expect_err("it is refused").to_string()
    };
    let flags = |flag: u8| told(&move |bytes| bytes[36] |= flag);
    let advice = "which RV32 does not have: compile and link it with -march=rv32im -mabi=ilp32";
    assert_eq!(flags(1), format!("it needs compressed instructions, {advice}"));
    assert_eq!(flags(4), format!("it needs floating point, {advice}"));
    assert_eq!(flags(8), format!("it needs the small set of registers, {advice}"));
    assert!(told(&|bytes| bytes[4] = 2).starts_with("it is a 64-bit ELF file"));
    assert!(told(&|bytes| bytes[5] = 2).starts_with("it is a high-byte-first ELF file"));
    let other = told(&|bytes| bytes[18] = 3);
    assert_eq!(other, "it is an ELF file for another machine (number 0x0003; W16 has 0x5716, RV32 has 0x00F3)");
    assert_eq!(told(&|bytes| bytes[24] = 2), "it begins at 0x00010002, where there is no code");
}

/// The contents, changed, and what comes of it.
fn refused(change: impl Fn(&mut Contents)) -> ElfError {
    let mut contents = contents();
    change(&mut contents);
    from_elf(&contents.to_bytes()).expect_err("it is refused")
}

#[test]
fn what_lies_where_no_program_may_is_told_with_its_place() {
    let place = |at: u32| ElfError::Place(Place(&rv32::TARGET, Addr(at)));
    for at in
        [0, 0xFFFC, rv32::STACK_START - 2, rv32::STACK_START, rv32::STACK_END - 4, rv32::DEVICE_START - 3, u32::MAX - 3]
    {
        assert_eq!(refused(|contents| contents.sections[1].address = at), place(at), "{at:X}");
    }
    assert_eq!(refused(|contents| contents.sections[1].address = 0x1_0004), place(0x1_0004));
    assert_eq!(refused(|contents| contents.sections[2].room = Some(65 << 20)), ElfError::TooLarge(64 << 20));
    let entry = refused(|contents| contents.entry = 0x1_1000);
    assert_eq!(entry.to_string(), "it begins at 0x00011000, where there is no code");
    assert_eq!(refused(|contents| contents.kind = elf::ET_REL), ElfError::NotProgram);
}

#[test]
fn atomic_instructions_are_told_by_the_attributes() {
    let mut list = b"\x05rv32i2p1_m2p0_a2p1\0".to_vec();
    let mut data = b"A".to_vec();
    let whole = u32::try_from(list.len() + 5).expect("it is short");
    data.extend((whole + 10).to_le_bytes());
    data.extend(b"riscv\0\x01");
    data.extend(whole.to_le_bytes());
    data.append(&mut list);
    let told = refused(|contents| {
        contents.sections.push(Section {
            name: ".riscv.attributes".to_owned(),
            flags: 0,
            address: 0,
            align: 1,
            bytes: data.clone(),
            room: None,
            relocations: Vec::new(),
        });
    });
    assert!(told.to_string().starts_with("it needs atomic instructions, which RV32 does not have"), "{told}");
}

/// A program of some pieces, for one of the machines.
fn some_image() -> impl Strategy<Value = Image> {
    let pieces = proptest::collection::btree_map(0u32..60, proptest::collection::vec(0u8.., 1..200), 1..5);
    (0..targets().len(), pieces, any::<proptest::sample::Index>()).prop_map(|(machine, pieces, entry)| {
        let target: &Target = targets()[machine];
        let apart = if target.address_bits > 16 { 0xFFF8 } else { 0x0400 };
        let start = |number: u32| target.map.code_start + number * apart;
        let segments: Vec<Segment> = pieces
            .into_iter()
            .map(|(number, bytes)| Segment { start: start(number), bytes, reserved: false, rights: Rights::ALL })
            .collect();
        let entry = entry.get(&segments).start;
        Image { entry, segments, ..Image::new(target_of(machine)) }
    })
}

fn target_of(machine: usize) -> &'static Target {
    targets()[machine]
}

proptest! {
    /// Each form says the same program, wherever it lies.
    #[test]
    fn programs_come_back_from_every_form(image in some_image()) {
        let target = image.target;
        let forms = [
            from_hex(target, &to_hex(&image)).expect("it is HEX").image,
            from_srecord(target, &to_srecord(&image, "yard")).expect("they are S-records").image,
            from_elf(&to_elf(&image, &Sources::new())).expect("it is ELF").bare_image(),
        ];
        for read in forms {
            prop_assert_eq!(read.target, target);
            prop_assert_eq!(read.entry, image.entry);
            prop_assert_eq!(read.segments, image.segments.clone());
        }
        let (start, bytes) = to_raw(&image).expect("it lies close");
        let raw = from_raw(target, &bytes, start).expect("it fits");
        for part in &image.segments {
            prop_assert_eq!(raw.bytes(part.start, u32::try_from(part.bytes.len()).unwrap_or(0)), &part.bytes[..]);
        }
    }

    #[test]
    fn damaged_programs_are_read_or_refused(at in 0usize..600, with: u8, cut in 0usize..900) {
        let mut bytes = contents().to_bytes();
        let length = bytes.len();
        bytes[at % length] = with;
        let _ = from_elf(&bytes);
        bytes.truncate(cut);
        let _ = from_elf(&bytes);
    }
}

const POINTS: [&[u8]; 2] = [
    include_bytes!("../../../wendax/tests/all/c/points0.elf"),
    include_bytes!("../../../wendax/tests/all/c/points2.elf"),
];

#[test]
fn variables_of_a_compiler_are_read_with_their_types() {
    for (bytes, is_plain) in POINTS.into_iter().zip([true, false]) {
        let image = from_elf(bytes).expect("it can be read").bare_image();
        let all = &image.variables;
        let yard = all.named("yard", image.entry).expect("it is there");
        let size = all.bytes(yard.of, image.target);
        let at = image.best_symbol("yard").and_then(crate::Symbol::address);
        assert_eq!((size, yard.fixed()), (48, at));
        let element = all.element(yard.of).expect("an array");
        let members: Vec<_> =
            all.members(element).iter().map(|one| (one.name.as_str(), one.offset, one.bits)).collect();
        let bits = |first, count| Some(Bits { first, count });
        assert_eq!(
            members,
            [
                ("straight", 0, bits(0, 3)),
                ("aside", 0, bits(3, 3)),
                ("lean", 0, bits(6, 4)),
                ("turns", 2, None),
                ("state", 4, None),
                ("taken", 8, None)
            ]
        );
        let state = all.members(element).iter().find(|one| one.name == "state").map(|one| all.kind(one.of));
        let names = [(0, "OPEN"), (4, "SHUT"), (-1, "BROKEN")].map(|(value, name)| (value, name.to_owned()));
        assert_eq!(state, Some(&TypeKind::Enumeration(4, true, names.to_vec())));
        assert_eq!((all.constant("SHUT"), all.constant("BROKEN"), all.constant("none")), (Some(4), Some(-1), None));
        let part =
            |offset, bytes| all.part_at(at.unwrap_or_default() + offset, bytes, image.target).map(|part| part.name);
        assert_eq!(part(0, None).as_deref(), Some("yard"));
        assert_eq!(part(14, Some(1)).as_deref(), Some("yard[1].turns"));
        assert_eq!(part(16, Some(4)).as_deref(), Some("yard[1].state"));
        assert_eq!(part(17, Some(1)).as_deref(), Some("yard[1].state + 1"));
        assert_ne!(part(48, None).as_deref(), Some("yard + 48"));
        // What belongs to a routine is known in it, from the first instruction of that on where it was handed over.
        let ways = image.best_symbol("ways").and_then(crate::Symbol::address).expect("a routine");
        let from = all.named("from", ways).expect("it is handed over");
        assert!(from.is_parameter && from.home(ways) == Some(crate::Home::Value(Some(Reg(10)), 0)), "{from:?}");
        assert!(all.named("from", image.entry).is_none_or(|other| other.scope != from.scope));
        if !is_plain {
            continue;
        }
        let here = all.named("here", ways).expect("its own");
        let end = from.scope.last().expect("code").1;
        assert_eq!((here.home(ways), here.is_parameter), (None, false), "nothing is put by before the entry has ended");
        let middle = ways + (end - ways) / 8 * 4;
        assert!(matches!(here.home(middle), Some(crate::Home::Near(Reg(8), _))), "{here:?}");
        // The caller's frame is taken back two instructions before the end.
        assert_eq!((here.home(end - 4), from.home(end - 8)), (None, None), "{here:?}");
        assert!(from.home(end - 16).is_some());
    }
}

proptest! {
    /// Whatever stands where a compiler tells of lines, types and places, a program is read with the bytes it has.
    #[test]
    fn spoilt_debug_information_is_left_out(
        which in 0..2_usize,
        spoilt in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..40),
    ) {
        use object::{Object, ObjectSection};
        let whole = from_elf(POINTS[which]).expect("it can be read").bare_image();
        let mut bytes = POINTS[which].to_vec();
        let file = object::File::parse(POINTS[which]).expect("an ELF file");
        let ranges: Vec<(u64, u64)> = file
            .sections()
            .filter(|section| section.name().is_ok_and(|name| name.starts_with(".debug")))
            .filter_map(|section| section.file_range())
            .collect();
        let total: u64 = ranges.iter().map(|(_, length)| length).sum();
        for (index, byte) in spoilt {
            let mut at = index.index(usize::try_from(total).unwrap()) as u64;
            for (start, length) in &ranges {
                if at < *length {
                    bytes[usize::try_from(start + at).unwrap()] = byte;
                    break;
                }
                at -= length;
            }
        }
        let read = from_elf(&bytes).expect("it still can be read").bare_image();
        prop_assert_eq!(&read.segments, &whole.segments);
        // What is known of it can be asked.
        for at in (0..0x400).step_by(4).map(|offset| read.entry + offset) {
            for variable in read.variables.locals_at(at) {
                let _ = (variable.home(at), read.variables.bytes(variable.of, read.target));
            }
            let _ = read.place_name(at + 0x2000);
        }
    }
}
