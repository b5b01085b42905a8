//! What fuzzers call, with the checks that must hold for any bytes. The targets in `fuzz/` run them for as long as
//! one likes, a test of this crate for a moment, so that they do not rot.
//!
//! What must hold: no panic; places of what is told lie in texts a person wrote; time and memory are bounded, which
//! the fuzzer's own limits see.

use crate::{Manifest, Project, mend};
use wendax_asm::{Assembler, Assembly, Inputs, Library, disassembly, listing, memory_map, symbol_table};
use wendax_image::{from_elf, from_hex, from_raw, from_srecord, to_elf, to_hex, to_raw, to_srecord};
use wendax_language::{Written, format, lexemes, offers, operand_help};
use wendax_source::{Edit, FileId, MemoryFiles, Sources, Style, render_all};

/// Bytes as sources: one or several, cut at NUL bytes, each of which may include the others.
pub fn sources(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let mut files = MemoryFiles::default();
    let mut names = Vec::new();
    for (number, part) in text.split('\0').take(4).enumerate() {
        let name = format!("{number}.asm");
        files = files.with(name.clone(), part);
        names.push(name);
    }
    let inputs = Inputs { sources: names.clone(), ..Inputs::default() };
    let mut assembler = Assembler::offering();
    let assembly = assembler.assemble(&inputs, &files);
    check(&assembly);
    let again = assembler.assemble(&inputs, &files);
    assert_eq!(again.image, assembly.image, "what is kept gives the same program");
    if assembly.is_runnable() {
        let _ = from_elf(&to_elf(&assembly.image, &assembly.sources));
        let roots: Vec<FileId> = names.iter().filter_map(|name| assembly.sources.find(name)).collect();
        let _ = listing(&assembly.sources, &roots, &assembly.image);
        let _ = (memory_map(&assembly.image), to_hex(&assembly.image), to_srecord(&assembly.image, "fuzz"));
    }
    if let Ok(object) = assembler.object(&names[0], None, &files) {
        let linked = Inputs { libraries: vec![Library::at("0.o")], ..Inputs::default() };
        check(&Assembler::default().assemble(&linked, &files.clone().with("0.o", object)));
    }
    let target = assembly.image.target;
    let formatted = format(&text, target);
    assert_eq!(format(&formatted, target), formatted, "formatting twice is formatting once");
    for line in text.lines().take(50) {
        let _ = (lexemes(line, assembly.image.target), operand_help(line, assembly.image.target));
        let _ = offers(&assembly, assembly.sources.find(&names[0]), line, line.len());
    }
}

/// A text, and behind a NUL edits to it: what is assembled warm after each is what is assembled anew.
pub fn edits(data: &[u8]) {
    let at = data.iter().position(|byte| *byte == 0).unwrap_or(data.len());
    let mut text = String::from_utf8_lossy(&data[..at]).into_owned();
    let script = data.get(at + 1..).unwrap_or_default();
    let inputs = Inputs { sources: vec!["a.asm".to_owned()], ..Inputs::default() };
    let mut warm = Assembler::default();
    for edit in script.chunks(4).take(12) {
        let &[high, low, length, byte] = edit else { break };
        let floor = |at: usize| (0..=at.min(text.len())).rev().find(|&at| text.is_char_boundary(at)).unwrap_or(0);
        let from = floor(usize::from(u16::from_be_bytes([high, low])) % (text.len() + 1));
        let to = floor(from + usize::from(length % 8)).max(from);
        let piece = ["", "\n", " ", "r1", "@x:", ".equ A, 5\n", "{", "\"", ",", "x"][usize::from(byte % 10)];
        text.replace_range(from..to, piece);
        let files = MemoryFiles::default().with("a.asm", text.as_str());
        let kept = warm.assemble(&inputs, &files);
        let anew = Assembler::default().assemble(&inputs, &files);
        let shown = |assembly: &Assembly| render_all(&assembly.sources, &assembly.diagnostics, Style::Plain);
        assert_eq!(shown(&kept), shown(&anew), "{text}");
        assert_eq!(kept.image.segments, anew.image.segments, "{text}");
        assert_eq!((kept.image.entry, kept.image.heap_start), (anew.image.entry, anew.image.heap_start), "{text}");
    }
}

/// A text whose fixes are applied: the certain ones all together, which leaves fewer problems and brings none; each by
/// itself, which never fails.
pub fn fixes(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let (sources, file) = Sources::single("a.asm", text.as_ref());
    let assembly = wendax_asm::assemble(&sources, file);
    let problems = |assembly: &Assembly| {
        assembly.diagnostics.iter().filter(|found| found.severity == wendax_source::Severity::Problem).count()
    };
    for fix in assembly.diagnostics.iter().filter_map(|found| found.fix.as_ref()).take(10) {
        assert!(fix.edits.iter().all(|edit| text.get(edit.span.range()).is_some()), "{fix:?}");
        let (sources, file) = Sources::single("a.asm", wendax_source::apply_edits(&text, &fix.edits));
        check(&wendax_asm::assemble(&sources, file));
    }
    let mut project = Project::of_files(vec!["a.asm".to_owned()], Vec::new());
    let mut disk = project.files();
    disk.edit("a.asm", text.as_ref().into());
    let mended = mend(&mut project, &mut Assembler::default(), &mut disk);
    if let Some((_, after)) = mended.texts.get("a.asm") {
        let (sources, file) = Sources::single("a.asm", after.as_str());
        let left = wendax_asm::assemble(&sources, file);
        let (before, after) = (problems(&assembly), problems(&left));
        assert!(after < before || before == 0 && after == 0, "{before} problems became {after}: {text}");
    }
}

/// A text whose names are given other spellings, one after the other: what it becomes stays the same.
pub fn renames(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let (sources, file) = Sources::single("a.asm", text.as_ref());
    let assembly = wendax_asm::assemble(&sources, file);
    if !assembly.is_runnable() {
        return;
    }
    let places: Vec<_> = assembly.image.symbols.iter().map(|symbol| symbol.span).take(12).collect();
    for place in places {
        let Some(name) = assembly.name_at(place.file, place.start) else { continue };
        let Ok(spans) = assembly.rename(name, "renamed_by_the_fuzzer") else { continue };
        let at = if text[name.range()].starts_with('@') { "@" } else { "" };
        let edit = |span| Edit { span, text: format!("{at}renamed_by_the_fuzzer") };
        let edits: Vec<Edit> = spans.into_iter().map(edit).collect();
        let (sources, file) = Sources::single("a.asm", wendax_source::apply_edits(&text, &edits));
        let renamed = wendax_asm::assemble(&sources, file);
        assert!(renamed.is_runnable(), "{} renamed in {text}: {:?}", &text[name.range()], renamed.diagnostics);
        assert_eq!(renamed.image.segments, assembly.image.segments, "{} renamed in {text}", &text[name.range()]);
    }
}

/// What is told lies where a person can see it, and can be shown.
fn check(assembly: &Assembly) {
    for found in assembly.diagnostics.iter().take(200) {
        let file = assembly.sources.file(found.primary.span.file);
        assert!(file.text().get(found.primary.span.range()).is_some(), "{found:?}");
        assert!(!file.name().ends_with(", unfolded"), "{found:?}");
    }
    let shown = &assembly.diagnostics[..assembly.diagnostics.len().min(20)];
    let _ = render_all(&assembly.sources, shown, Style::Plain);
}

/// Bytes as a manifest.
pub fn manifest(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let (manifest, found) = Manifest::parse(&text, FileId(0));
    for found in found {
        assert!(text.get(found.primary.span.range()).is_some(), "{found:?}");
    }
    let _ = manifest.select(&["src/a.asm".to_owned(), "lib/b.a".to_owned()]);
}

/// Bytes as an image in each form, or as an object or library to link.
pub fn images(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let loaded = [from_hex(&wendax_isa::w16::TARGET, &text), from_srecord(&wendax_isa::w16::TARGET, &text)]
        .into_iter()
        .flatten()
        .map(|loaded| loaded.image);
    let raw = from_raw(&wendax_isa::w16::TARGET, data, wendax_image::Addr(0x0200)).ok();
    let elf = from_elf(data).ok();
    let none = MemoryFiles::default();
    if let Some(elf) = &elf {
        let _ = elf.with_sources(&none);
    }
    for image in loaded.chain(raw).chain(elf.map(|elf| elf.bare_image())) {
        let (shown, with_lines) = disassembly(&image);
        assert!(with_lines.lines.iter().all(|line| shown.get(line.span.range()).is_some()));
        let _ = (to_raw(&image), memory_map(&image));
        let _ = symbol_table(&Sources::new(), &image, wendax_asm::SymbolOrder::Name);
    }
    let files = none.with("x.a", data).with("a.asm", "        .extern x\nstart:  call  x\n        sys   exit\n");
    let inputs = Inputs { sources: vec!["a.asm".to_owned()], libraries: vec![Library::at("x.a")], ..Inputs::default() };
    check(&Assembler::default().assemble(&inputs, &files));
}
