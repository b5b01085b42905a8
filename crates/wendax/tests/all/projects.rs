//! Projects on the command line: made, run, built, shown and put in columns; and every form read back.

use assert_cmd::Command;
use std::path::{Path, PathBuf};

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/manifest");

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Self(tempfile::tempdir().expect("a folder"))
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn file(&self, name: &str, bytes: impl AsRef<[u8]>) -> PathBuf {
        let path = self.path(name);
        std::fs::create_dir_all(path.parent().expect("it is in a folder")).expect("made");
        std::fs::write(&path, bytes).expect("written");
        path
    }

    fn text(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).unwrap_or_else(|error| panic!("{name}: {error}"))
    }
}

/// Runs in a folder; exit status, standard output and standard error.
fn run(folder: &Path, arguments: &[&str]) -> (i32, String, String) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    let output = command.current_dir(folder).args(arguments).output().expect("it runs");
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (output.status.code().unwrap_or(-1), text(&output.stdout), text(&output.stderr))
}

/// A copy of the demo of several files.
fn demo() -> Folder {
    let folder = Folder::new();
    for path in [
        "wendax.toml",
        "src/main.asm",
        "src/wagon.inc",
        "src/frames.inc",
        "src/wagons.asm",
        "src/totals.asm",
        "src/report.asm",
        "lib/print.asm",
        "files/list.txt",
    ] {
        folder.file(path, std::fs::read(Path::new(DEMO).join(path)).expect("the demo is there"));
    }
    folder
}

#[test]
fn a_new_project_runs_and_is_not_made_twice() {
    let folder = Folder::new();
    let (status, out, err) = run(folder.0.path(), &["new", "yard"]);
    assert_eq!((status, err.as_str()), (0, ""));
    assert!(out.contains("yard/wendax.toml") && out.contains("wendax run yard"), "{out}");
    let (status, out, err) = run(folder.0.path(), &["run", "yard"]);
    assert_eq!((status, out.as_str(), err.as_str()), (0, "total 219", ""));
    assert_eq!(run(&folder.path("yard"), &["run"]).1, "total 219", "where the project is, nothing needs to be named");
    let (status, _, err) = run(folder.0.path(), &["new", "yard"]);
    assert_eq!((status, err.contains("not empty")), (110, true), "{err}");
    assert_eq!(run(&folder.path("yard"), &["format", "--check"]), (0, String::new(), String::new()));
    let typed = folder.file("typed.txt", "5\n6\n");
    let (_, out, _) = run(folder.0.path(), &["run", "yard", "--input", &typed.display().to_string()]);
    assert_eq!(out, "total 11");
}

#[test]
fn the_demo_of_several_files_runs_without_remarks() {
    let demo = demo();
    let (status, out, err) = run(demo.0.path(), &["run"]);
    assert_eq!((status, err.as_str()), (0, ""));
    assert!(
        out.contains(" 1305 slate    448 A")
            && out.contains("C     392")
            && out.ends_with("2123 cwt, the engine pulls it\n"),
        "{out}"
    );
}

#[test]
fn every_form_of_an_image_runs_the_same() {
    let demo = demo();
    let wanted = run(demo.0.path(), &["run"]).1;
    for (format, name) in [
        ("elf", "build/manifest.elf"),
        ("hex", "build/manifest.hex"),
        ("srec", "build/manifest.srec"),
        ("bin", "build/manifest.bin"),
    ] {
        let (status, _, err) = run(demo.0.path(), &["build", "--format", format]);
        assert_eq!(status, 0, "{err}");
        let (status, out, err) = run(demo.0.path(), &["run", name, "--files", "files"]);
        assert_eq!((status, out.as_str()), (0, wanted.as_str()), "{name}: {err}");
        let again = std::fs::read(demo.path(name)).expect("it was written");
        run(demo.0.path(), &["build", "--format", format]);
        assert_eq!(
            std::fs::read(demo.path(name)).expect("it was written"),
            again,
            "the same input gives the same bytes"
        );
    }
    // From one form to another and back nothing is lost.
    let (_, hex, _) = run(demo.0.path(), &["image", "build/manifest.elf", "--format", "hex"]);
    assert_eq!(hex, demo.text("build/manifest.hex"));
}

#[test]
fn an_image_shows_map_names_code_and_lines() {
    let demo = demo();
    run(demo.0.path(), &["build"]);
    let (status, out, err) = run(demo.0.path(), &["image", "build/manifest.elf"]);
    assert_eq!((status, err.as_str()), (0, ""));
    for wanted in [
        "an ELF program",
        "left: heap",
        "print_padded  (lib/print.asm)",
        "call print_wagon",
        "print_wagon:",
        "add_to_siding:",
    ] {
        assert!(out.contains(wanted), "{wanted} is not in\n{out}");
    }
    let (_, lines, _) = run(demo.0.path(), &["image", "build/manifest.elf", "--show", "lines"]);
    assert!(lines.contains("ENTER r6") && lines.contains("lib/print.asm, entry at 0200"), "{lines}");
    let (_, names, _) = run(demo.0.path(), &["image", "build/manifest.elf", "--show", "symbols", "--order", "name"]);
    let labels: Vec<&str> = names.lines().skip(1).filter_map(|line| line.split_whitespace().nth(3)).collect();
    assert!(labels.len() > 20 && labels.is_sorted(), "{labels:?}");
    demo.file("src/main.asm", demo.text("src/main.asm") + "; changed");
    let (_, _, err) = run(demo.0.path(), &["image", "build/manifest.elf"]);
    assert!(err.contains("src/main.asm has changed since it was built"), "{err}");
    let (status, _, err) = run(demo.0.path(), &["image", "build/manifest.elf", "--show", "lines"]);
    assert_eq!((status, err.contains("no lines of source")), (110, true), "{err}");
}

#[test]
fn listing_names_and_map_are_written_beside_the_image() {
    let demo = demo();
    let arguments = ["build", "--listing", "l.txt", "--symbols", "s.txt", "--map", "m.txt"];
    assert_eq!(run(demo.0.path(), &arguments).0, 0);
    let listing = demo.text("l.txt");
    assert!(listing.contains("    +  push  r6-r6") && listing.contains("src/wagons.asm, entry"), "{listing}");
    assert!(demo.text("s.txt").contains("read_wagons"));
    assert!(demo.text("m.txt").contains("code"));
    let (status, _, err) = run(demo.0.path(), &["build", "--listing", "src/main.asm"]);
    assert_eq!((status, err.contains("would overwrite it")), (110, true), "{err}");
}

#[test]
fn a_library_gives_what_is_used_and_nothing_else() {
    let demo = demo();
    demo.file("lib/unused.asm", "        .global unused\nunused: ret\n");
    let (status, _, err) = run(demo.0.path(), &["build", "lib/print.asm", "lib/unused.asm", "-o", "lib/yard.a"]);
    assert_eq!(status, 0, "{err}");
    let manifest = demo.text("wendax.toml").replace(", \"lib/*.asm\"", "") + "libraries = [\"lib/*.a\"]\n";
    let before = run(demo.0.path(), &["run"]).1;
    demo.file("wendax.toml", manifest);
    let (status, out, err) = run(demo.0.path(), &["run"]);
    assert_eq!((status, out.as_str()), (0, before.as_str()), "{err}");
    let (_, names, _) = run(demo.0.path(), &["image", ".", "--show", "symbols"]);
    assert!(names.contains("print_padded") && !names.contains("unused"), "{names}");
}

#[test]
fn problems_of_manifest_and_sources_are_told_alike() {
    let demo = demo();
    demo.file(
        "wendax.toml",
        "nmae = \"x\"\nsources = [\"src/*.asm\", \"lib/*.amd\"]\nentry = \"strat\"\nlimits = { steps = -1 }\n",
    );
    let (status, _, err) = run(demo.0.path(), &["build"]);
    assert_eq!(status, 111);
    for wanted in [
        "wendax.toml:1:1  problem W071  a manifest has no key `nmae` here",
        "did you mean `name`?",
        "wendax.toml:2:25  problem W073  `lib/*.amd` finds no file",
        "wendax.toml:4:20  problem W072  `steps` takes a number",
        "src/main.asm:11:17  problem W027  no file of the program makes `print_padded` known",
    ] {
        assert!(err.contains(wanted), "{wanted} is not in\n{err}");
    }
    demo.file("wendax.toml", "name = \"a\nsources = [\"src/*.asm\"]\n");
    let (status, _, err) = run(demo.0.path(), &["run"]);
    assert_eq!((status, err.contains("wendax.toml:1:") && err.contains("W070")), (111, true), "{err}");
}

#[test]
fn limits_of_the_manifest_stop_a_run() {
    let folder = Folder::new();
    folder.file("wendax.toml", "limits = { steps = 1000, output = 20 }\n");
    folder.file("a.asm", "start: jmp start2\nstart2: jmp start\n");
    let (status, _, err) = run(folder.0.path(), &["run"]);
    assert_eq!((status, err.contains("stopped after 1000 steps")), (115, true), "{err}");
    folder.file("a.asm", "start: mov r0, 'x'\n sys put_char\n jmp start\n");
    folder.file("wendax.toml", "limits = { output = 20 }\n");
    let (status, out, err) = run(folder.0.path(), &["run"]);
    assert_eq!((status, err.contains("the limit `output`")), (115, true), "{err}");
    assert_eq!(out, "x".repeat(20));
    folder.file("a.asm", "start: mov r0, 60000\n sys wait_ms\n jmp start\n");
    folder.file("wendax.toml", "limits = { seconds = 1, history = 16 }\n");
    let (status, _, err) = run(folder.0.path(), &["run"]);
    assert_eq!((status, err.contains("the limit `seconds`")), (115, true), "{err}");
    folder.file("wendax.toml", "clock = \"virtual\"\nlimits = { seconds = 3600 }\n");
    let (status, _, err) = run(folder.0.path(), &["run"]);
    assert_eq!((status, err.contains("the limit `seconds`")), (115, true), "sixty minutes, in no time: {err}");
}

#[test]
fn fixes_reach_into_every_file_that_needs_one() {
    let folder = Folder::new();
    folder.file("wendax.toml", "sources = [\"*.asm\"]\n");
    folder.file("a.asm", "start:  call  weigh\n        sys   exit\n");
    folder.file("b.asm", "; the scale\n        .global weigh\nweigh:  mov   r1 5\n        ret\n");
    let (status, _, err) = run(folder.0.path(), &["build", "--fix"]);
    assert_eq!(status, 0, "{err}");
    assert_eq!(folder.text("a.asm"), "        .extern weigh\nstart:  call  weigh\n        sys   exit\n");
    assert_eq!(folder.text("b.asm"), "; the scale\n        .global weigh\nweigh:  mov   r1, 5\n        ret\n");
}

#[test]
fn columns_change_blanks_only() {
    let folder = Folder::new();
    folder.file("a.asm", "start:mov r1,5;five\n jmp start\n");
    let before = run(folder.0.path(), &["build", "a.asm", "-o", "-", "--format", "hex"]).1;
    let (status, _, err) = run(folder.0.path(), &["format", "--check", "a.asm"]);
    assert_eq!((status, err.as_str()), (111, "a.asm: is not in columns\n"));
    assert_eq!(run(folder.0.path(), &["format", "a.asm"]).0, 0);
    assert_eq!(folder.text("a.asm"), "start:  mov   r1, 5          ;five\n        jmp   start\n");
    assert_eq!(run(folder.0.path(), &["build", "a.asm", "-o", "-", "--format", "hex"]).1, before);
    assert_eq!(run(folder.0.path(), &["format", "--check", "a.asm"]).0, 0);
}

#[test]
fn wrong_use_of_build_image_and_format_is_told_with_what_would_be_right() {
    let folder = Folder::new();
    folder.file("a.asm", "        .extern far\nstart:  call  far\n        sys   exit\n");
    folder.file("b.asm", "        .global far\nfar:    ret\n");
    let told = |arguments: &[&str], status: i32, wanted: &str| {
        let (ended, _, err) = run(folder.0.path(), arguments);
        assert_eq!((ended, err.contains(wanted)), (status, true), "{arguments:?}: {err}");
    };
    told(&["build"], 110, "there is no wendax.toml in this folder (`wendax new FOLDER` makes a project)");
    told(&["run"], 110, "name a source, an image or a project");
    told(&["build", "a.asm", "b.asm", "-o", "x.o"], 110, "an object is made of one source");
    told(&["build", "a.asm"], 111, "no file of the program makes `far` known");
    assert_eq!(run(folder.0.path(), &["build", "a.asm", "-o", "a.o"]).0, 0);
    told(&["run", "a.o"], 110, "this is an ELF object; `wendax build a.o -o program.elf` links it");
    told(&["build", "a.o"], 111, "no file of the program makes `far` known");
    told(&["image", "b.asm", "--format", "object"], 110, "an image cannot be made an object again");
    told(&["image", "nowhere.elf"], 110, "there is no such file");
    told(&["format", "nowhere.asm"], 110, "there is no such file");
    told(&["build", "b.asm", "--format", "object", "-o", "b.asm"], 110, "would overwrite it");
    folder.file("bad.elf", b"\x7FELF\x01\x01\x01");
    told(&["run", "bad.elf"], 111, "it is no whole ELF file");
    folder.file("c.asm", b"start: \xFF\n");
    told(&["run", "c.asm"], 111, "c.asm:1: the byte 0xFF is no UTF-8");
    told(&["format", "c.asm"], 111, "is no UTF-8");
    // Objects are linked by a manifest that names them.
    assert_eq!(run(folder.0.path(), &["build", "b.asm", "-o", "b.o"]).0, 0);
    folder.file("wendax.toml", "sources = [\"a.asm\"]\nlibraries = [\"b.o\"]\n");
    assert_eq!(run(folder.0.path(), &["run"]).0, 0);
}

#[test]
fn the_demo_and_a_fresh_project_behave_well_with_empty_and_piped_input() {
    let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos/weighbridge/weighbridge.asm");
    let run = |place: &str, folder: &Path, typed: &str| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
        let output = command.current_dir(folder).args(["run", place]).write_stdin(typed).output().expect("it runs");
        (output.status.code(), String::from_utf8_lossy(&output.stdout).into_owned())
    };
    let folder = Folder::new();
    let (status, out) = run(demo, folder.0.path(), "");
    assert_eq!((status, out.ends_with("axle 1: \n0 cwt on the bridge: may pass.\n")), (Some(0), true), "{out}");
    let (status, out) = run(demo, folder.0.path(), "300\nheavy\n400");
    assert_eq!(
        (status, out.ends_with("700 cwt on the bridge: too heavy, stays in the yard.\n")),
        (Some(0), true),
        "{out}"
    );
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    assert!(
        command.current_dir(folder.0.path()).args(["new", "yard"]).output().is_ok_and(|output| output.status.success())
    );
    let yard = folder.0.path().join("yard");
    assert_eq!(run(".", &yard, ""), (Some(0), "total 219".to_owned()), "nothing is piped: what the manifest types");
    assert_eq!(run(".", &yard, "1\n2\n"), (Some(0), "total 3".to_owned()), "what is piped is typed");
}

#[test]
fn a_project_reaches_its_folder_and_those_it_lists() {
    let folder = Folder::new();
    for (path, text) in [
        ("yard/wendax.toml", "sources = [\"*.asm\"]\n"),
        ("yard/a.asm", "        .include \"../common/c.inc\"\nstart:  mov r0, LIMIT\n        sys exit\n"),
        ("common/c.inc", ".equ LIMIT, 7\n"),
    ] {
        folder.file(path, text);
    }
    let yard = folder.0.path().join("yard");
    let (status, _, err) = run(&yard, &["run"]);
    assert_eq!((status, err.contains("outside the folders")), (111, true), "{err}");
    folder.file("yard/wendax.toml", "sources = [\"*.asm\"]\nreach = [\"../common\"]\n");
    let (status, _, err) = run(&yard, &["run"]);
    assert_eq!((status, err.contains("`../common` lies outside of the project's folder")), (111, true), "{err}");
    let (status, _, err) = run(&yard, &["run", "--reach", "../common"]);
    assert_eq!((status, err.contains("uses folders outside of its own: ../common")), (7, true), "{err}");
    folder.file("yard/wendax.toml", "sources = [\"*.asm\"]\nreach = [\"../commno\"]\n");
    let (status, _, err) = run(&yard, &["build"]);
    assert!(status == 111 && err.contains("`../commno` is no folder"), "{err}");
    // A source by itself reads what the person may, and with --sealed its own folder.
    std::fs::remove_file(yard.join("wendax.toml")).expect("it is there");
    assert_eq!(run(&yard, &["run", "a.asm"]).0, 7);
    assert_eq!(run(&yard, &["run", "--sealed", "a.asm"]).0, 111);
    assert_eq!(run(folder.0.path(), &["run", "--sealed", "yard/a.asm"]).0, 111);
}

#[test]
fn a_library_that_is_none_is_told_in_the_manifest() {
    let folder = Folder::new();
    folder.file("wendax.toml", "sources = [\"a.asm\"]\nlibraries = [\"a.asm\"]\n");
    folder.file("a.asm", "start: halt\n");
    let (status, _, err) = run(folder.0.path(), &["build"]);
    assert!(status == 111 && err.contains("wendax.toml:2:14  problem W044"), "{err}");
}
