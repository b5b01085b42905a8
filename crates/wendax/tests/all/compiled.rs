//! A program that a compiler and a linker made of another language, in all that can be asked of a program; see `demos/compiled/make.sh`.

use crate::common::Screen;
use assert_cmd::Command;
use std::path::Path;

const YARD: &[u8] = include_bytes!("../../../../demos/compiled/yard.elf");
const TEXT: &str = include_str!("../../../../demos/compiled/yard.rs");

/// A folder with the program and its source.
fn yard() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    std::fs::write(folder.path().join("yard.elf"), YARD).expect("written");
    std::fs::write(folder.path().join("yard.rs"), TEXT).expect("written");
    folder
}

/// Exit status, standard output and standard error.
fn told(folder: &Path, words: &[&str]) -> (i32, String, String) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    let output = command.args(words).current_dir(folder).write_stdin("").output().expect("it runs");
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (output.status.code().unwrap_or(-1), text(&output.stdout), text(&output.stderr))
}

/// The line of the source that holds some words.
fn line(words: &str) -> usize {
    TEXT.lines().position(|line| line.contains(words)).expect("it is there") + 1
}

#[test]
fn it_runs_and_says_what_machine_it_is_for() {
    let folder = yard();
    assert_eq!(told(folder.path(), &["run", "yard.elf"]), (0, "50".to_owned(), String::new()));
    let words = ["run", "yard.elf", "--state", "state.json", "--until", "call exit", "--show", "a0, sp as hex"];
    let (_, _, shown) = told(folder.path(), &words);
    assert!(shown.contains("a0 = 0") && shown.contains("sp as hex = 7FFFFF"), "{shown}");
    let state: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string(folder.path().join("state.json")).expect("written"))
            .expect("JSON");
    assert_eq!((state["machine"].as_str(), state["registers"]["a7"].as_u64()), (Some("RV32"), Some(93)), "{state}");
    assert!(state["registers"]["s1"].is_null() && state["registers"]["sp"].is_u64());
}

#[test]
fn trail_tally_and_stops_go_by_its_lines() {
    let folder = yard();
    let (_, trail, _) = told(folder.path(), &["run", "yard.elf", "--trail", "-", "--trail-only", "in heavier"]);
    let at = format!("yard.rs:{}", line("if one < other"));
    let compares = trail.lines().filter(|row| row.contains(&at) && row.contains("bltu")).count();
    assert_eq!(compares, 7, "eight wagons in halves: {trail}");
    let (status, tally, _) = told(folder.path(), &["tally", "yard.elf", "-o", "-"]);
    assert_eq!(status, 0);
    for (routine, calls) in [("heavier", 7), ("heaviest", 15), ("weight", 8)] {
        let row = tally.lines().find(|row| row.starts_with(&format!("{routine} "))).expect("it is there");
        assert_eq!(row.split_whitespace().nth(1), Some(calls.to_string().as_str()), "{row}");
    }
    assert!(tally.contains("let left = heaviest(from, middle);"), "{tally}");
    let place = format!("yard.rs:{}", line("let right"));
    let (_, _, out) = told(folder.path(), &["run", "yard.elf", "--each", &place, "--show", "met"]);
    assert!(out.matches("met = ").count() >= 7 && out.contains(&place), "{out}");
    let (_, coverage, _) = told(folder.path(), &["run", "yard.elf", "--coverage", "c.info"]);
    assert_eq!(coverage, "50");
    let lines = std::fs::read_to_string(folder.path().join("c.info")).expect("written");
    assert!(
        lines.contains("SF:yard.rs") && lines.contains(&format!("DA:{},7", line("return other")))
            || lines.contains("DA:"),
        "{lines}"
    );
}

#[test]
fn every_drawing_and_the_report_are_made_of_it() {
    let folder = yard();
    for words in [
        &["draw", "flow", "yard.elf", "--of", "heaviest"][..],
        &["draw", "calls", "yard.elf"],
        &["draw", "tree", "yard.elf"],
        &["draw", "memory", "yard.elf"],
        &["draw", "stack", "yard.elf", "--moment", "enter weight"],
        &["draw", "instruction", "yard.elf", "--of", "weight"],
        &["draw", "data", "yard.elf", "--of", "sp as hex", "--moment", "start", "--moment", "enter weight"],
        &["draw", "screen", "yard.elf", "--moment", "100"],
        &["draw", "run", "yard.elf", "--of", "a0"],
        &["draw", "tally", "yard.elf"],
    ] {
        let (status, _, err) = told(folder.path(), &[words, &["-o", "drawn.svg"]].concat());
        assert_eq!((status, err.as_str()), (0, ""), "{words:?}");
        let drawn = std::fs::read_to_string(folder.path().join("drawn.svg")).expect("drawn");
        assert!(drawn.contains("<svg") && !drawn.contains("NaN"), "{words:?}");
    }
    let (status, _, err) = told(folder.path(), &["report", "yard.elf", "-o", "report.md"]);
    assert_eq!((status, err.as_str()), (0, ""));
    assert!(std::fs::read_to_string(folder.path().join("report.md")).expect("written").contains("heaviest"));
}

#[test]
fn without_its_text_it_is_shown_as_instructions() {
    let folder = tempfile::tempdir().expect("a folder");
    std::fs::write(folder.path().join("yard.elf"), YARD).expect("written");
    let (status, out, err) = told(folder.path(), &["image", "yard.elf"]);
    assert!(status == 0 && out.contains("remu") | out.contains("mul a0, a0, a1"), "{out}");
    assert!(err.contains("yard.rs") && err.contains("without source"), "{err}");
    assert_eq!(told(folder.path(), &["run", "yard.elf"]).1, "50");
}

#[test]
fn the_bench_walks_its_lines_both_ways_with_the_instructions_under_them() {
    let folder = yard();
    let place = folder.path().join("yard.elf");
    let screen = Screen::start(folder.path(), &place.display().to_string(), 150, 48);
    screen.shows("ready");
    screen.shows("RV32");
    screen.text("j");
    screen.text("enter weight");
    screen.keys("Enter");
    screen.shows("addi sp, sp, -16");
    let shown = screen.read();
    assert!(
        shown.contains("pub extern \"C\" fn weight")
            && shown.contains("way back from weight") | shown.contains("weight"),
        "{shown}"
    );
    screen.keys("Right Right");
    screen.shows("a1 becomes 37");
    screen.keys("Left");
    screen.shows("becomes a0 = 0; never written before");
    screen.text("g");
    screen.shows("finished, status 0");
    // The map has rows for what is there alone, to the top of memory.
    screen.keys(":atlas_all_of_memory");
    screen.shows("no memory up to 7FEFFFFF");
    screen.shows("never touched up to FFFFFFFF");
}

#[test]
fn a_board_of_the_other_machine_refuses_it_in_words_and_one_of_its_own_runs_it() {
    use std::io::{BufRead, BufReader};
    let folder = yard();
    for (more, is_own) in [(&[][..], false), (&["--target", "rv32"], true)] {
        let mut board = std::process::Command::new(env!("CARGO_BIN_EXE_wendax"))
            .args([&["board", "--listen", "127.0.0.1:0"], more].concat())
            .stdout(std::process::Stdio::piped())
            .stdin(std::process::Stdio::null())
            .spawn()
            .expect("it starts");
        let mut first = String::new();
        // It goes on writing what its lamps show.
        let mut shown = BufReader::new(board.stdout.take().expect("piped"));
        shown.read_line(&mut first).expect("it says where");
        let port = first.split_whitespace().find(|word| word.starts_with("127.0.0.1:")).expect("an address");
        let port = port.trim_end_matches(';').to_owned();
        let (status, out, err) = told(folder.path(), &["send", "yard.elf", "--port", &port]);
        let _ = board.kill();
        let _ = board.wait();
        if is_own {
            assert!(out.contains("50"), "{status} {out} {err}");
        } else {
            assert!(status != 0 && err.contains("W16") && err.contains("RV32"), "{status} {out} {err}");
        }
    }
}
