//! What a general compiler puts out as assembly becomes the same code and data, byte for byte, as the object that it makes
//! itself, and leaves the same open for linking. `sources/compiled/make.sh` says how it was made.

use object::{Object, ObjectSection, ObjectSymbol, RelocationFlags, RelocationTarget, SectionFlags, elf};
use std::collections::BTreeMap;
use wendax_asm::Assembler;
use wendax_isa::rv32::TARGET;
use wendax_source::MemoryFiles;

/// Where a relocation leads: a section and a place in it, or a name that is elsewhere.
type Led = (String, i64);
/// The bytes of a section, and what is left open in them: where, of what kind, and where it leads.
type Section = (Vec<u8>, Vec<(u64, u32, Led)>);

/// The sections of an object that come to lie in memory and have bytes, by their names.
fn sections(bytes: &[u8]) -> BTreeMap<String, Section> {
    let file = object::File::parse(bytes).expect("an object");
    let is_kept = |flags| matches!(flags, SectionFlags::Elf { sh_flags } if sh_flags & u64::from(elf::SHF_ALLOC) != 0);
    let mut found = BTreeMap::new();
    for section in file.sections().filter(|section| is_kept(section.flags())) {
        let name = section.name().expect("a name").to_owned();
        let led = |target, addend: i64| {
            let RelocationTarget::Symbol(symbol) = target else { panic!("a relocation to {target:?}") };
            let symbol = file.symbol_by_index(symbol).expect("a symbol");
            match symbol.section_index() {
                Some(home) => {
                    let home = file.section_by_index(home).expect("a section");
                    let value = i64::try_from(symbol.address()).expect("it fits");
                    (home.name().expect("a name").to_owned(), value + addend)
                }
                None => (symbol.name().expect("a name").to_owned(), addend),
            }
        };
        let open = section.relocations().map(|(at, relocation)| {
            let RelocationFlags::Elf { r_type } = relocation.flags() else { panic!("of no kind") };
            (at, r_type, led(relocation.target(), relocation.addend()))
        });
        let open: Vec<_> = open.collect();
        let bytes = section.data().expect("bytes").to_vec();
        if !bytes.is_empty() {
            found.insert(name, (bytes, open));
        }
    }
    found
}

#[test]
fn assembly_of_a_compiler_becomes_its_own_object() {
    const CASES: [(&str, &str, &[u8]); 2] = [
        ("mixed0.s", include_str!("sources/compiled/mixed0.s"), include_bytes!("sources/compiled/mixed0.o")),
        ("mixed2.s", include_str!("sources/compiled/mixed2.s"), include_bytes!("sources/compiled/mixed2.o")),
    ];
    for (path, text, theirs) in CASES {
        let files = MemoryFiles::default().with(path, text);
        let ours = Assembler::default().object(path, Some(&TARGET), &files);
        let ours = sections(&ours.unwrap_or_else(|found| panic!("{path}: {found:#?}")));
        let theirs = sections(theirs);
        let code: usize =
            theirs.iter().filter(|(name, _)| name.starts_with(".text")).map(|(_, (bytes, _))| bytes.len()).sum();
        let open: usize = theirs.values().map(|(_, open)| open.len()).sum();
        assert!(code > 400 && open > 15, "{path}: {code} bytes of code, {open} left open");
        let names = |sections: &BTreeMap<String, Section>| sections.keys().cloned().collect::<Vec<_>>();
        assert_eq!(names(&ours), names(&theirs), "{path}");
        for (name, (bytes, open)) in &theirs {
            assert_eq!(&ours[name].0, bytes, "{path}: the bytes of {name}");
            assert_eq!(&ours[name].1, open, "{path}: what {name} leaves open");
        }
    }
}
