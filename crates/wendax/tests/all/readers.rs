//! Independent readers agree with what is written: general libraries of another language read headers, symbols,
//! relocations, lines and bytes of built images. They are skipped, with a word, where they are not there; `./test` puts
//! them into `target/readers` when it can.

use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Command;
use wendax_asm::{Assembler, Inputs};
use wendax_image::{LineKind, to_elf, to_hex, to_srecord};
use wendax_source::{Files, MemoryFiles};

const SCRIPT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/all/readers/read.py");
const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/manifest");

/// A Python that has the libraries.
fn python() -> Option<PathBuf> {
    let own = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/readers/bin/python");
    [own, PathBuf::from("python3")].into_iter().find(|python| {
        let asked = Command::new(python).args(["-c", "import elftools, intelhex, bincopy"]).output();
        asked.is_ok_and(|answer| answer.status.success())
    })
}

/// The demo of several files, kept in memory.
fn demo() -> (Inputs, MemoryFiles) {
    let names = [
        "src/main.asm",
        "src/report.asm",
        "src/totals.asm",
        "src/wagons.asm",
        "lib/print.asm",
        "src/wagon.inc",
        "src/frames.inc",
    ];
    let mut files = MemoryFiles::default();
    for name in names {
        files = files.with(name, std::fs::read(Path::new(DEMO).join(name)).expect("the demo is there"));
    }
    let sources = names[..5].iter().map(|name| (*name).to_owned()).collect();
    (Inputs { sources, ..Inputs::default() }, files)
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().fold(String::new(), |text, byte| text + &format!("{byte:02x}"))
}

/// Runs of bytes by address, those that follow each other as one.
fn runs(image: &wendax_image::Image) -> Vec<(u32, Vec<u8>)> {
    let mut runs: Vec<(u32, Vec<u8>)> = Vec::new();
    for segment in &image.segments {
        match runs.last_mut() {
            Some((start, bytes)) if *start as usize + bytes.len() == segment.start.index() => {
                bytes.extend(&segment.bytes);
            }
            _ => runs.push((segment.start.0, segment.bytes.clone())),
        }
    }
    runs
}

#[test]
fn general_libraries_read_what_was_meant() {
    let Some(python) = python() else {
        // `./test` says so when it has put them there.
        assert!(std::env::var_os("WENDAX_READERS").is_none(), "the readers were installed and cannot be used");
        println!("skipped: no Python with pyelftools, intelhex and bincopy; ./test installs them where it can");
        return;
    };
    let (inputs, files) = demo();
    let mut assembler = Assembler::default();
    let assembly = assembler.assemble(&inputs, &files);
    assert!(assembly.is_runnable());
    let object = assembler.object("src/totals.asm", None, &files).expect("it assembles");
    let (image, sources) = (&assembly.image, &assembly.sources);
    let folder = tempfile::tempdir().expect("a folder");
    let write = |name: &str, bytes: &[u8]| {
        let path = folder.path().join(name);
        std::fs::write(&path, bytes).expect("written");
        path
    };
    let paths = [
        write("a.elf", &to_elf(image, sources)),
        write("a.o", &object),
        write("a.hex", to_hex(image).as_bytes()),
        write("a.srec", to_srecord(image, "manifest").as_bytes()),
    ];
    let output = Command::new(python).arg(SCRIPT).args(&paths).output().expect("it runs");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let read: Value = serde_json::from_slice(&output.stdout).expect("it tells JSON");

    let program = &read["program"];
    assert_eq!((&program["class"], &program["little"]), (&json!(32), &json!(true)));
    assert_eq!(
        (&program["machine"], &program["type"]),
        (&json!(wendax_isa::w16::TARGET.elf.machine), &json!("ET_EXEC"))
    );
    assert_eq!(program["entry"], json!(image.entry.0));
    let segments: Vec<Value> = image
        .segments
        .iter()
        .map(|segment| {
            let stored = if segment.reserved { String::new() } else { hex(&segment.bytes) };
            let flags = 4 | u32::from(segment.rights.write) << 1 | u32::from(segment.rights.execute);
            json!([segment.start.0, segment.bytes.len(), stored, flags])
        })
        .collect();
    assert_eq!(program["segments"], json!(segments));
    let symbols: BTreeMap<&str, &Value> = program["symbols"]
        .as_array()
        .expect("a list")
        .iter()
        .map(|symbol| (symbol[0].as_str().expect("a name"), symbol))
        .collect();
    for symbol in &image.symbols {
        let found = symbols.get(symbol.name.as_str()).unwrap_or_else(|| panic!("{} is missing", symbol.name));
        let bind = if symbol.is_global { "STB_GLOBAL" } else { "STB_LOCAL" };
        assert_eq!((&found[1], &found[2]), (&json!(symbol.value), &json!(bind)), "{}", symbol.name);
    }
    let mut lines: Vec<Value> = program["lines"].as_array().expect("a list").clone();
    lines.sort_by_key(|line| line[0].as_u64());
    let wanted: Vec<Value> = image
        .lines
        .iter()
        .map(|line| {
            let name = sources.file(line.span.file).name();
            json!([line.address.0, line.length, name, line.line, line.kind == LineKind::Code])
        })
        .collect();
    assert_eq!(json!(lines), json!(wanted));

    let object = &read["object"];
    assert_eq!((&object["type"], &object["segments"]), (&json!("ET_REL"), &json!([])));
    let text = files.text("src/totals.asm").expect("it is there");
    let places: Vec<u64> =
        object["relocations"].as_array().expect("a list").iter().filter_map(|r| r[1].as_u64()).collect();
    assert_eq!(places, [4, 10], "the offsets of ldw and stw in\n{text}");
    let names: Vec<&str> =
        object["symbols"].as_array().expect("a list").iter().filter_map(|symbol| symbol[0].as_str()).collect();
    assert!(names.contains(&"add_to_siding") && names.contains(&"siding_totals"), "{names:?}");
    let rows: Vec<u64> = object["lines"].as_array().expect("a list").iter().filter_map(|row| row[3].as_u64()).collect();
    assert_eq!(rows, [8, 9, 10, 11, 12, 17, 17, 17]);

    let runs = runs(image);
    let bytes: Vec<Value> = runs.iter().map(|(start, bytes)| json!([start, hex(bytes)])).collect();
    let with_ends: Vec<Value> =
        runs.iter().map(|(start, bytes)| json!([start, *start as usize + bytes.len(), hex(bytes)])).collect();
    assert_eq!((&read["hex"]["segments"], &read["hex"]["same"]), (&json!(with_ends), &json!(bytes)));
    assert_eq!(read["hex"]["entry"], json!(image.entry.0));
    assert_eq!(read["srec"], json!({ "entry": image.entry.0, "header": "manifest", "segments": bytes }));
}
