//! Several files to one program: names across files, objects, libraries, and what they are read back as.

use wendax_asm::{Assembler, Assembly, Inputs, Library, to_library};
use wendax_image::Addr;
use wendax_image::{LineKind, from_elf, to_elf};
use wendax_source::{MemoryFiles, Style, render_all};

const MAIN: &str = "\
        .extern weigh, GATES, tare
        .global count
start:  mov   r1, GATES
        call  weigh
        ldw   r2, [tare]
        mov   r3, hi(tare)
        jmp   start
        .data
count:  .word weigh, tare + 2
        .byte lo(tare), hi(weigh)
        .section rooms, zeroed
room:   .space 10
";

const SCALE: &str = "\
        .global weigh, GATES, tare
        .extern count
.equ GATES, 12
weigh:  ldw   r4, [count]
        ret
        .data
tare:   .word 7, 9
        .section rooms, zeroed
more:   .space 4
";

const SPARE: &str = "        .global spare\nspare:  nop\n        ret\n";

fn files() -> MemoryFiles {
    MemoryFiles::default().with("main.asm", MAIN).with("scale.asm", SCALE).with("spare.asm", SPARE)
}

/// A program of these sources, objects and libraries.
pub(crate) fn assemble(files: &MemoryFiles, sources: &[&str], libraries: &[&str]) -> Assembly {
    let owned = |paths: &[&str]| paths.iter().map(|path| (*path).to_owned()).collect();
    let inputs = Inputs {
        sources: owned(sources),
        libraries: libraries.iter().map(|path| Library::at(*path)).collect(),
        ..Inputs::default()
    };
    Assembler::default().assemble(&inputs, files)
}

fn told(assembly: &Assembly) -> String {
    render_all(&assembly.sources, &assembly.diagnostics, Style::Plain)
}

/// The same, without a problem.
pub(crate) fn sound(files: &MemoryFiles, sources: &[&str], libraries: &[&str]) -> Assembly {
    let assembly = assemble(files, sources, libraries);
    assert!(assembly.is_runnable(), "{}", told(&assembly));
    assembly
}

fn value(assembly: &Assembly, name: &str) -> i64 {
    assembly.image.best_symbol(name).unwrap_or_else(|| panic!("{name}")).value
}

#[test]
fn names_of_other_files_have_their_values() {
    let assembly = sound(&files(), &["main.asm", "scale.asm"], &[]);
    let image = &assembly.image;
    let (weigh, tare) = (value(&assembly, "weigh"), value(&assembly, "tare"));
    assert_eq!(value(&assembly, "start"), 0x0200);
    assert!(weigh > 0x0200 && tare >= 0x0300, "code of all files, then data of all files");
    let word = |at: u32| u16::from_le_bytes(image.bytes(Addr(at), 2).try_into().expect("two bytes"));
    let count = u32::try_from(value(&assembly, "count")).expect("an address");
    assert_eq!(i64::from(word(count)), weigh);
    assert_eq!(i64::from(word(count + 2)), tare + 2);
    assert_eq!(image.bytes(Addr(count + 4), 2), [tare.to_le_bytes()[0], weigh.to_le_bytes()[1]]);
    assert_eq!(value(&assembly, "more"), value(&assembly, "room") + 10, "sections of one name lie together");
    assert!(value(&assembly, "room") > tare, "zeroed data lies behind data");
}

#[test]
fn objects_and_libraries_give_the_same_program_as_sources() {
    let plain = sound(&files(), &["main.asm", "scale.asm"], &[]);
    let mut assembler = Assembler::default();
    let mut object = |path: &str| assembler.object(path, None, &files()).unwrap_or_else(|found| panic!("{found:?}"));
    let (scale, spare) = (object("scale.asm"), object("spare.asm"));
    let library = to_library(&[("spare.o".into(), spare), ("scale.o".into(), scale.clone())]);
    let files = files().with("scale.o", &scale).with("yard.a", &library);
    for other in ["scale.o", "yard.a"] {
        let linked = sound(&files, &["main.asm"], &[other]);
        for name in ["start", "weigh", "tare", "count", "GATES"] {
            assert_eq!(value(&linked, name), value(&plain, name), "{name} with {other}");
        }
        assert!(linked.image.best_symbol("spare").is_none(), "what nobody uses stays in the library");
        let bytes = |assembly: &Assembly| wendax_image::to_raw(&assembly.image);
        assert_eq!(bytes(&linked), bytes(&plain), "{other}");
    }
    let object_of_main = assembler.object("main.asm", None, &files).expect("it assembles");
    let all = files.with("main.o", &object_of_main);
    let linked = sound(&all, &[], &["main.o", "scale.o"]);
    // Calls of foreign names have their long form in an object, whose distances nobody knew.
    let count = u32::try_from(value(&linked, "count")).expect("an address");
    let words: Vec<i64> =
        linked.image.bytes(Addr(count), 4).chunks(2).map(|w| i64::from(w[0]) | i64::from(w[1]) << 8).collect();
    assert_eq!(words, [value(&linked, "weigh"), value(&linked, "tare") + 2]);
    let tare = value(&linked, "tare").to_le_bytes();
    assert_eq!(linked.image.bytes(Addr(count + 4), 2), [tare[0], value(&linked, "weigh").to_le_bytes()[1]]);
    assert_eq!(linked.image.bytes(Addr(0x0200 + 12), 2), [0x30, 0x20], "mov r3, with a word behind it");
    assert_eq!(linked.image.bytes(Addr(0x0200 + 14), 2), [tare[1], 0]);
}

#[test]
fn what_is_missing_doubled_or_hidden_is_told_with_both_places() {
    let case = |main: &str, other: &str| {
        let files = MemoryFiles::default().with("main.asm", main).with("other.asm", other);
        told(&assemble(&files, &["main.asm", "other.asm"], &[]))
    };
    let missing = case(" .extern weigh\n call weigh\n halt\n", " .global weight\nweight: ret\n");
    let doubled = case(" .global gate\ngate: jmp gate\n", " .global gate\ngate: jmp gate\n");
    let hidden = case("; the yard\n\n call weigh\n halt\n", "weigh: ret\n");
    let told = [missing, doubled, hidden].join("\n----\n");
    insta::assert_snapshot!(told);
}

#[test]
fn fixes_in_two_files_mend_what_they_promise() {
    let mut files =
        MemoryFiles::default().with("main.asm", "start: call weigh\n sys exit\n").with("w.asm", "weigh: ret\n");
    let assembly = assemble(&files, &["main.asm", "w.asm"], &[]);
    let fix = assembly.diagnostics[0].fix.as_ref().expect("it can be mended");
    for name in ["main.asm", "w.asm"] {
        let file = assembly.sources.find(name).expect("it is a source");
        let edits: Vec<_> = fix.edits.iter().filter(|edit| edit.span.file == file).cloned().collect();
        let mended = wendax_source::apply_edits(assembly.sources.file(file).text(), &edits);
        files = files.with(name, mended);
    }
    sound(&files, &["main.asm", "w.asm"], &[]);
}

#[test]
fn an_elf_program_brings_bytes_names_and_lines_back() {
    let assembly = sound(&files(), &["main.asm", "scale.asm"], &[]);
    let elf = to_elf(&assembly.image, &assembly.sources);
    assert_eq!(elf, to_elf(&assembly.image, &assembly.sources), "the same input gives the same bytes");
    let program = from_elf(&elf).expect("it is one");
    let (image, sources) = program.with_sources(&files()).expect("it has lines").expect("its sources are there");
    assert_eq!(image.segments, assembly.image.segments);
    assert_eq!((image.entry, image.heap_start), (assembly.image.entry, assembly.image.heap_start));
    let named = |image: &wendax_image::Image| {
        let mut all: Vec<_> = image.symbols.iter().map(|s| (s.name.clone(), s.value, s.kind, s.is_global)).collect();
        all.sort_by(|a, b| a.0.cmp(&b.0));
        all
    };
    assert_eq!(named(&image), named(&assembly.image));
    let place = |image: &wendax_image::Image, sources: &wendax_source::Sources, at: u32| {
        let line = image.line_at(Addr(at))?;
        Some((sources.file(line.span.file).name().to_owned(), line.line, line.kind, line.length))
    };
    for line in assembly.image.lines.iter().filter(|line| line.kind != LineKind::Reserved) {
        assert_eq!(place(&image, &sources, line.address.0), place(&assembly.image, &assembly.sources, line.address.0));
    }
    let label = image.best_symbol("weigh").map(|symbol| sources.text_of(symbol.span));
    assert_eq!(label, Some("weigh"), "labels are found in the text again");
    let changed = files().with("scale.asm", format!("{SCALE}; more"));
    let told = program.with_sources(&changed).expect("it has lines").expect_err("it is not the same text").to_string();
    assert!(told.contains("scale.asm has changed"), "{told}");
    assert!(program.with_sources(&MemoryFiles::default()).expect("it has lines").is_err());
}

#[test]
fn damaged_and_foreign_files_are_refused() {
    let assembly = sound(&files(), &["main.asm", "scale.asm"], &[]);
    let elf = to_elf(&assembly.image, &assembly.sources);
    for cut in [0, 10, 60, elf.len() / 2] {
        assert!(from_elf(&elf[..cut]).is_err(), "{cut}");
    }
    let mut other = elf.clone();
    other[18] = 0x3E;
    other[19] = 0;
    assert!(from_elf(&other).unwrap_err().to_string().contains("another machine"));
    let object = Assembler::default().object("spare.asm", None, &files()).expect("it assembles");
    assert!(from_elf(&object).unwrap_err().to_string().contains("object"));
    let refused = assemble(&files().with("x.o", &elf), &["main.asm", "scale.asm"], &["x.o"]);
    assert!(told(&refused).contains("`x.o` cannot be linked"), "{}", told(&refused));
    let none = assemble(&files(), &["main.asm", "scale.asm"], &["no.a"]);
    assert!(told(&none).contains("no such file"), "{}", told(&none));
}

#[test]
fn assembling_again_gives_what_assembling_anew_does() {
    let inputs = Inputs { sources: vec!["main.asm".into(), "scale.asm".into()], ..Inputs::default() };
    let mut assembler = Assembler::default();
    let first = assembler.assemble(&inputs, &files());
    let again = assembler.assemble(&inputs, &files());
    assert_eq!(first.image, again.image);
    let edited = files().with("scale.asm", SCALE.replace("12", "13"));
    let warm = assembler.assemble(&inputs, &edited);
    let cold = Assembler::default().assemble(&inputs, &edited);
    assert_eq!(warm.image.segments, cold.image.segments);
    assert_ne!(warm.image.segments, first.image.segments);
}

proptest::proptest! {
    #![proptest_config(proptest::test_runner::Config::with_cases(64))]
    /// Damage anywhere in a file is told or does no harm.
    #[test]
    fn damage_is_told_or_harmless(at in 0usize..4000, byte in 0u8..) {
        let assembly = assemble(&files(), &["main.asm", "scale.asm"], &[]);
        let mut elf = to_elf(&assembly.image, &assembly.sources);
        let length = elf.len();
        elf[at % length] = byte;
        if let Ok(program) = from_elf(&elf) {
            let _ = program.with_sources(&files());
        }
        let mut object = Assembler::default().object("main.asm", None, &files()).expect("it assembles");
        let length = object.len();
        object[at % length] = byte;
        let _ = assemble(&files().with("main.o", &object), &["scale.asm"], &["main.o"]);
    }
}

#[test]
fn a_program_begins_at_an_instruction_and_nowhere_else() {
    let text = ".equ GATE, 0x200\nfirst:  nop\nsecond: sys  exit\n        .data\nwagons: .word 4\n";
    let files = MemoryFiles::default().with("a.asm", text);
    let begins_at = |name: &str| {
        let mut assembler = Assembler::default();
        let manifest: std::sync::Arc<str> = format!("entry = \"{name}\"\n").into();
        let file = assembler.place("wendax.toml", &manifest);
        let entry = Some((name.to_owned(), wendax_source::Span::new(file, 8, manifest.len() - 1)));
        let inputs = Inputs { sources: vec!["a.asm".to_owned()], entry, ..Inputs::default() };
        let assembly = assembler.assemble(&inputs, &files);
        let told = assembly
            .diagnostics
            .iter()
            .filter(|found| found.severity == wendax_source::Severity::Problem)
            .map(|found| format!("{}: {}", found.code, found.message));
        told.chain(assembly.is_runnable().then(|| format!("{:04X}", assembly.image.entry))).collect::<Vec<_>>()
    };
    assert_eq!(begins_at("second"), ["0202"]);
    assert_eq!(begins_at("GATE"), ["W043: `GATE` is a constant, not a label"]);
    assert_eq!(begins_at("wagons"), ["W043: there is no instruction at `wagons`"]);
    assert_eq!(begins_at("secand"), ["W043: no source has a label `secand`"]);
}

#[test]
fn what_org_puts_elsewhere_takes_no_other_file_along() {
    let files = MemoryFiles::default()
        .with("a.asm", "start:  jmp there\n        .org 0x208\nnear:   nop\n        .org 0x4000\nthere:  sys exit\n")
        .with("b.asm", "        .global short\nshort:  ret\n")
        .with(
            "c.asm",
            "        .extern short\nlong:   nop\n        nop\n        ret\n        .data\nkept:   .word long, short\n",
        );
    let image = sound(&files, &["a.asm", "b.asm", "c.asm"], &[]).image;
    let at = |name: &str| image.best_symbol(name).unwrap_or_else(|| panic!("{name}")).value;
    assert_eq!(
        ["start", "short", "near", "long", "there", "kept"].map(at),
        [0x200, 0x204, 0x208, 0x20A, 0x4000, 0x4100]
    );
}
