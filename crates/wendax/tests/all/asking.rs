//! `docs/stops.md` says what is true: its values, stops and shows are read, and its commands print what stands there.

use std::io::Read as _;
use std::path::Path;
use std::process::Command;

const PAGE: &str = include_str!("../../../../docs/stops.md");

/// The program of the page, in a folder.
fn folder() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    let program = PAGE.split("```asm\n").nth(1).and_then(|rest| rest.split("```").next()).expect("the page has it");
    std::fs::write(folder.path().join("loads.asm"), program).expect("it is written");
    folder
}

/// What a command prints on both outputs, as a terminal shows it, and its status.
fn run(folder: &Path, arguments: &[String]) -> (String, Option<i32>) {
    let (mut reader, writer) = std::io::pipe().expect("a pipe");
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    command.current_dir(folder).args(arguments).stdin(std::process::Stdio::null());
    let mut child = command.stdout(writer.try_clone().expect("another end")).stderr(writer).spawn().expect("it starts");
    // Its ends of the pipe are those of the process alone then.
    drop(command);
    let mut text = String::new();
    reader.read_to_string(&mut text).expect("UTF-8");
    if !text.ends_with('\n') {
        text.push('\n');
    }
    (text, child.wait().expect("it ends").code())
}

#[test]
fn the_commands_of_the_page_print_what_it_says() {
    let folder = folder();
    let commands: Vec<&str> =
        PAGE.split("```console\n$ ").skip(1).filter_map(|rest| rest.split("```").next()).collect();
    assert!(commands.len() >= 10, "the page has {} commands", commands.len());
    for block in commands {
        let (command, wanted) = block.split_once('\n').expect("what it prints stands below");
        let words = shlex::split(command).expect("it is written as in a shell");
        let (printed, status) = run(folder.path(), &words[1..]);
        assert_eq!(printed, wanted, "{command}");
        let is_unmet = printed.contains("the run did not come to");
        assert_eq!(
            status,
            Some(if command.contains("wrods") {
                110
            } else if is_unmet {
                118
            } else {
                0
            }),
            "{command}"
        );
    }
}

/// What stands first in the rows of a table of the page, below a heading.
fn first_cells(heading: &str) -> Vec<&'static str> {
    let section = PAGE.split(heading).nth(1).and_then(|rest| rest.split("\n## ").next()).expect("the page has it");
    section.lines().filter_map(|line| line.strip_prefix("| `")?.split('`').next()).collect()
}

#[test]
fn the_examples_of_the_page_are_read() {
    let folder = folder();
    let asked = |option: &str, text: &str| {
        let words = ["run", "loads.asm", option, text, "--until", "1 step"].map(str::to_owned);
        let (printed, status) = run(folder.path(), &words);
        assert_eq!(status, Some(0), "{text}: {printed}");
    };
    let (values, stops, shows) =
        (first_cells("\n## Values\n"), first_cells("\n## Stops\n"), first_cells("\n## What is shown\n"));
    assert!(values.len() > 10 && stops.len() > 20 && shows.len() > 10);
    for text in values.into_iter().chain(shows) {
        asked("--show", text);
    }
    for text in stops {
        // Notes are for the bench; the shell shows in their place.
        if !text.contains(" note ") {
            asked("--each", text);
        }
    }
}

#[test]
fn a_trail_has_every_step_in_each_form() {
    let folder = folder();
    let trail = |name: &str, more: &str| {
        let words = format!("run loads.asm --trail {name} --state state.json {more}");
        let (printed, status) = run(folder.path(), &shlex::split(&words).expect("words"));
        assert_eq!((printed.as_str(), status), ("in all 452\n", Some(0)));
        std::fs::read_to_string(folder.path().join(name)).expect("it was written")
    };
    let text = trail("trail.txt", "");
    let state: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string(folder.path().join("state.json")).expect("a state"))
            .expect("JSON");
    assert_eq!(Some(text.lines().count() as u64), state["steps"].as_u64());
    assert!(text.contains("call weigh             [FDFE] >020C sp FE00>FDFE to 021E"), "{text}");
    let csv = trail("trail.csv", "--trail-only 'op push'");
    let rows: Vec<&str> = csv.lines().collect();
    assert_eq!(rows[0], "step,address,place,instruction,cycles,did");
    assert_eq!(rows.len(), 5, "{csv}");
    assert_eq!(rows[1], "5,0x021E,loads.asm:15,push r7,2,[FDFC] >0004 sp FDFE>FDFC");
    let json = trail("trail.jsonl", "--trail-only 'in weigh'");
    let steps: Vec<serde_json::Value> =
        json.lines().map(|line| serde_json::from_str(line).expect("each line is an object")).collect();
    assert_eq!(steps.len(), 20);
    assert!(steps.iter().all(|step| step["address"].as_u64() >= Some(0x21E)), "{json}");
    let (told, status) = run(folder.path(), &shlex::split("run loads.asm --trail loads.asm").expect("words"));
    assert!(told.contains("would overwrite it") && status == Some(110), "{told}");
}

#[test]
fn what_is_shown_goes_to_a_file_and_the_state_says_so() {
    let folder = folder();
    let words = "run loads.asm --each weigh --show r1 --until 'call put_int' --shows shown.txt --state state.json";
    let (printed, status) = run(folder.path(), &shlex::split(words).expect("words"));
    assert_eq!((printed.as_str(), status), ("in all 452\n", Some(0)));
    let shown = std::fs::read_to_string(folder.path().join("shown.txt")).expect("it was written");
    assert_eq!(shown.matches("-- weigh · step").count(), 4, "{shown}");
    let state = std::fs::read_to_string(folder.path().join("state.json")).expect("it was written");
    assert!(state.contains("\"kind\": \"asked\""), "{state}");
    std::fs::write(folder.path().join("typed.txt"), "5\n").expect("it is written");
    for (wrong, told) in [
        ("run loads.asm --until 'weigh every 2'", "--until is for the first time"),
        ("run loads.asm --each 'weigh note r1'", "in place of `note`"),
        ("run loads.asm --until 'change r1 * 2'", "lies elsewhere at every moment"),
        ("run loads.asm --until 'call put_tet'", "no call is named `put_tet`"),
        ("run loads.asm --until 'weigh of 3'", "says nothing of a stop"),
        ("run loads.asm --until loads.asm:99", "there is no instruction on line 99"),
        ("run loads.asm --until 'print \"x'", "the quote that ends this text is missing"),
        ("run loads.asm --trail one.txt --show r1 --shows one.txt", "would both be written to it"),
        ("run loads.asm --input typed.txt --trail typed.txt", "would overwrite it"),
    ] {
        let (printed, status) = run(folder.path(), &shlex::split(wrong).expect("words"));
        assert!(printed.contains(told) && status == Some(110), "{wrong}: {printed}");
    }
}
