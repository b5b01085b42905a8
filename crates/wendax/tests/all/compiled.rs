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

/// A folder with the programs in C, each optimised (`2`) and not (`0`), and their sources.
fn c() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    for from in [root.join("tests/all/c"), root.join("../../demos/compiled")] {
        for file in std::fs::read_dir(from).expect("a folder") {
            let file = file.expect("a file");
            std::fs::copy(file.path(), folder.path().join(file.file_name())).expect("copied");
        }
    }
    std::fs::rename(folder.path().join("marshal.elf"), folder.path().join("marshal0.elf")).expect("renamed");
    folder
}

/// Wagons as they are typed.
const TYPED: &str = "timber 340\ncoal 120\nmilk 777\n";

/// What a program in C that reads wagons shows, a line each.
fn shown(folder: &Path, program: &str, words: &[&str]) -> Vec<String> {
    let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
    let output =
        command.args(["run", program]).args(words).current_dir(folder).write_stdin(TYPED).output().expect("runs");
    let text = String::from_utf8_lossy(&output.stderr).into_owned();
    text.lines().map(str::to_owned).collect()
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

#[test]
fn programs_in_c_do_what_they_say_optimised_or_not() {
    let folder = c();
    std::fs::create_dir(folder.path().join("files")).expect("a folder");
    std::fs::write(folder.path().join("files/loads.txt"), "120\n99\n-7\n240\n15\n").expect("written");
    for level in ["0", "2"] {
        let mut command = Command::new(env!("CARGO_BIN_EXE_wendax"));
        let run = command.args(["run", &format!("marshal{level}.elf")]).current_dir(folder.path()).write_stdin(TYPED);
        let output = run.output().expect("it runs");
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        assert_eq!(text, "milk 777\ntimber 340\ncoal 120\nin all 1237\n", "{level}");
        assert_eq!(output.status.code(), Some(3), "as many as there are wagons");
        let ledger = format!("ledger{level}.elf");
        let (status, out, _) = told(folder.path(), &["run", &ledger, "--files", "files"]);
        assert_eq!((status, out.as_str()), (0, "5 lines, in all 467\n"));
        // 135, 99, -7 and 240, each by its last digit.
        let written = std::fs::read(folder.path().join("files/ledger.txt")).expect("written");
        assert_eq!(written, [b'5', b'9', b'0' - 7, b'0']);
        std::fs::remove_file(folder.path().join("files/ledger.txt")).expect("removed");
        let (status, out, _) = told(folder.path(), &["run", &ledger, "--files", "files", "--", "none.txt"]);
        assert_eq!((status, out.as_str()), (1, "there is no such file\n"));
    }
}

/// What the program prints of its variables is what they are told to be: numbers of every size, bits, arrays of arrays, parts
/// of what shares a place.
#[test]
fn variables_are_what_the_program_itself_says_they_are() {
    let folder = c();
    let mut names = vec!["calls".to_owned()];
    for index in 0..4 {
        for member in ["straight", "aside", "lean", "turns", "state", "taken"] {
            names.push(format!("yard[{index}].{member}"));
        }
    }
    names.extend((0..6).map(|index| format!("grid[{}][{}]", index / 3, index % 3)));
    names.extend((0..4).map(|index| format!("mixed.parts[{index}]")));
    names.extend(["mixed.whole", "far == -4294967295", "nowhere == 0"].map(str::to_owned));
    for level in ["0", "2"] {
        let program = format!("points{level}.elf");
        let (_, out, _) = told(folder.path(), &["run", &program]);
        let mut printed = out.lines();
        assert_eq!(printed.next(), Some("Ostrey"));
        assert_eq!(printed.next(), Some("1"), "ways there are");
        let printed: Vec<&str> = printed.collect();
        // An optimised program may keep what never changes nowhere.
        let known =
            |name: &String| level == "0" || !["mixed", "nowhere", "far"].iter().any(|gone| name.starts_with(gone));
        let asked: Vec<&str> = names.iter().filter(|name| known(name)).map(String::as_str).collect();
        let (_, _, shown) =
            told(folder.path(), &["run", &program, "--until", "call exit", "--show", &asked.join(", ")]);
        for (name, printed) in names.iter().zip(&printed).filter(|(name, _)| known(name)) {
            let line = shown
                .lines()
                .find(|line| line.starts_with(&format!("{name} = ")))
                .unwrap_or_else(|| panic!("{name}: {shown}"));
            let value = line.rsplit(" = ").next().expect("a value");
            // Truths and numbers with names are told by word too.
            let value = match value {
                "false" => "0",
                "true" => "1",
                other => other.rsplit_once('(').map_or(other, |(_, number)| number.trim_end_matches(')')),
            };
            assert_eq!(value, *printed, "{name} at level {level}");
        }
        assert_eq!(names.len(), printed.len());
        let (_, _, shown) =
            told(folder.path(), &["run", &program, "--until", "call exit", "--show", "yard[3], grid[1]"]);
        for wanted in ["state     BROKEN (-1)", "lean      -8", "turns     -5", "400   -500    600"] {
            assert!(shown.contains(wanted), "{wanted}: {shown}");
        }
    }
}

#[test]
fn values_of_the_page_are_those_of_the_demo() {
    let folder = c();
    let page = include_str!("../../../../docs/stops.md");
    let section = page.split("## Variables of compiled programs").nth(1).and_then(|rest| rest.split("\n## ").next());
    let rows = section.expect("a section").lines().filter_map(|line| line.strip_prefix("| `")?.split('`').next());
    let rows: Vec<&str> = rows.collect();
    assert!(rows.len() >= 8);
    let lines =
        shown(folder.path(), "marshal0.elf", &["--until", "couple if wagon->load == 777", "--show", &rows.join(", ")]);
    let text = lines.join("\n");
    for wanted in [
        "train.loads = 460",
        "wagon->load = 777",
        "train.first->next = 0x000",
        "*train.first, at 0x00012",
        "  name  \"timber\"",
        "&train.loads = 7",
        "kinds[1] = 0x000",
        "\"timber\"",
        "wagon->kind == GRAIN = 0",
        "sizeof(train) = 4",
    ] {
        assert!(text.contains(wanted), "{wanted}: {text}");
    }
    for (stop, wanted) in [
        ("change train.loads", &["train.loads = 340", "train.loads = 460", "train.loads = 1237"][..]),
        ("couple if wagon->load > 300", &["train.loads = 0", "train.loads = 460"]),
        ("enter couple if wagon->kind == OTHER", &["train.loads = 460"]),
        ("when train.wagons == 2", &["train.loads = 340"]),
        ("when wagon->load == 120 once", &["train.loads = 340"]),
        ("read kinds[2]", &["train.loads = 460"]),
    ] {
        let lines = shown(folder.path(), "marshal0.elf", &["--each", stop, "--show", "train.loads"]);
        let told: Vec<&str> = lines.iter().map(String::as_str).filter(|line| line.starts_with("train.loads")).collect();
        assert_eq!(told, *wanted, "{stop}: {lines:?}");
    }
}

/// Arguments are known from the first instruction of a routine on, and what belongs to a routine nowhere else.
#[test]
fn what_a_routine_is_handed_is_known_at_its_first_instruction() {
    let folder = c();
    for level in ["0", "2"] {
        let program = format!("marshal{level}.elf");
        let stop = if level == "0" { "couple" } else { "marshal.c:65" };
        let lines = shown(folder.path(), &program, &["--each", stop, "--show", "wagon->load, wagon->name"]);
        let loads: Vec<&str> = lines.iter().filter_map(|line| line.strip_prefix("wagon->load = ")).collect();
        let mut once = loads.clone();
        once.dedup();
        assert_eq!(once, ["340", "120", "777"], "{level}: {lines:?}");
    }
    let lines = shown(folder.path(), "marshal0.elf", &["--until", "same", "--show", "one, wagon, digits"]);
    let text = lines.join("\n");
    assert!(text.contains("one = 0x0001") && text.contains("\"timber\""), "{text}");
    assert!(text.contains("`wagon` means nothing at this place"), "{text}");
    assert!(text.contains("`digits` means nothing at this place"), "{text}");
}

#[test]
fn what_is_wrong_with_a_part_of_a_variable_is_told_with_its_place() {
    let folder = c();
    for (value, wanted) in [
        ("train.load", "no member `load`; there is `loads`"),
        ("train.x", "no member `x`; there are first wagons loads"),
        ("train.loads.x", "it is a number and has no members"),
        ("train[1]", "it is a structure and has no elements"),
        ("*train", "it is a structure and is no address"),
        ("[train.loads]", "its name alone is what it holds"),
        ("nothing", "nothing here has the name `nothing`"),
        ("couple.x", "nothing is known of what `couple` is made of"),
        ("kinds[", "a value is missing"),
        ("*", "the name of a variable belongs here"),
        ("&a0", "`a0` lies in no memory"),
        ("wagon->", "the name of a member belongs behind"),
    ] {
        let text = shown(folder.path(), "marshal0.elf", &["--until", "main", "--show", value]).join("\n");
        assert!(text.contains(wanted), "{value}: {text}");
    }
}

#[test]
fn the_bench_shows_a_program_in_c_by_its_names() {
    let folder = c();
    let place = folder.path().join("marshal0.elf");
    let screen = Screen::start(folder.path(), &place.display().to_string(), 160, 60);
    screen.shows("ready");
    screen.text("j");
    screen.text("when train.wagons == 2");
    screen.keys("Enter");
    screen.shows("waits for something to be typed");
    screen.text("timber 340");
    screen.keys("Enter");
    screen.text("coal 120");
    screen.keys("Enter");
    screen.shows("paused: when train.wagons == 2");
    // Beside lines, in the stack and among the calls.
    screen.shows("train.wagons 2");
    screen.shows("wagon = 0x000");
    screen.shows("with what the routine uses");
    screen.shows("place = 0x000");
    // What a name says needs no address beside it where room is scarce, and what is cut does not look whole.
    screen.shows("train train  wagon 0…");
    screen.text("v");
    screen.text("*train.first");
    screen.keys("Enter");
    screen.shows("TIMBER (1)");
    screen.shows("\"timber\"");
    screen.text("=");
    screen.keys("C-u");
    screen.text("train.first->load = 999");
    screen.keys("Enter");
    screen.shows("load 999");
    screen.text("=");
    screen.keys("C-u");
    screen.text("train.first->load = 70000");
    screen.keys("Enter");
    screen.shows("70000 does not fit 16 bits");
}

#[test]
fn a_variable_where_a_place_is_meant_is_told_with_what_would_be_right() {
    let folder = c();
    let lines = shown(folder.path(), "marshal0.elf", &["--until", "train.loads"]).join("\n");
    assert!(lines.contains("`train.loads` is a variable: `change train.loads` stops"), "{lines}");
    let lines =
        shown(folder.path(), "marshal0.elf", &["--until", "change train.loads", "--show", "train.loads"]).join("\n");
    assert!(lines.contains("train.loads = 340"), "{lines}");
}

/// The words of routines further out have their names too, by the frames that those inside have put by.
#[test]
fn the_stack_names_the_variables_of_all_routines_under_way() {
    let folder = c();
    let words = ["draw", "stack", "marshal0.elf", "--moment", "enter same", "--input", "typed.txt", "-o", "drawn.svg"];
    std::fs::write(folder.path().join("typed.txt"), TYPED).expect("written");
    let (status, _, err) = told(folder.path(), &words);
    assert_eq!(status, 0, "{err}");
    let drawn = std::fs::read_to_string(folder.path().join("drawn.svg")).expect("drawn");
    let texts: Vec<&str> = drawn.split("</text>").filter_map(|part| part.rsplit('>').next()).map(str::trim).collect();
    // The routine that compares names is called by the one that makes a wagon, and that by `main`.
    for wanted in ["wagon = 0x000", "text = 0x000", "at = 10", "most = 9", "count = 0", "stack = 0x7FFF"] {
        assert!(texts.iter().any(|text| text.starts_with(wanted)), "{wanted}: {texts:?}");
    }
}
