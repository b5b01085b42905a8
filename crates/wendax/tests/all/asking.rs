//! `docs/stops.md` says what is true: its values, stops and shows are read, and its commands print what stands there.

use serde_json::Value;
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
    let state: Value =
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
    let steps: Vec<Value> =
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

/// What a JSON Schema (draft 2020-12) says against a value, of what the schema of the trail uses.
fn against(schema: &Value, value: &Value, at: &str) -> Vec<String> {
    let mut wrong = Vec::new();
    if let Some(types) = schema.get("type") {
        let is = |name: &str| match name {
            "object" => value.is_object(),
            "array" => value.is_array(),
            "string" => value.is_string(),
            "integer" => value.is_u64() || value.is_i64(),
            "null" => value.is_null(),
            other => panic!("a type {other}"),
        };
        let names: Vec<&str> = types.as_array().map_or_else(
            || types.as_str().into_iter().collect(),
            |list| list.iter().filter_map(Value::as_str).collect(),
        );
        wrong.extend((!names.iter().any(|name| is(name))).then(|| format!("{at}: {value} is no {names:?}")));
    }
    if let Some(known) = schema.get("enum").and_then(Value::as_array) {
        wrong.extend((!known.contains(value)).then(|| format!("{at}: {value} is none of {known:?}")));
    }
    if let (Some(least), Some(number)) = (schema.get("minimum").and_then(Value::as_u64), value.as_u64()) {
        wrong.extend((number < least).then(|| format!("{at}: {number} is less than {least}")));
    }
    if let Some(forms) = schema.get("anyOf").and_then(Value::as_array) {
        let fits = forms.iter().any(|form| against(form, value, at).is_empty());
        wrong.extend((!fits).then(|| format!("{at}: {value} has none of the forms")));
    }
    if let (Some(items), Some(list)) = (schema.get("items"), value.as_array()) {
        wrong.extend(list.iter().flat_map(|item| against(items, item, at)));
    }
    let Some(members) = value.as_object() else { return wrong };
    for name in schema.get("required").and_then(Value::as_array).into_iter().flatten().filter_map(Value::as_str) {
        wrong.extend((!members.contains_key(name)).then(|| format!("{at}: there is no {name}")));
    }
    for (name, member) in members {
        match (schema["properties"].get(name), schema.get("additionalProperties")) {
            (Some(schema), _) => wrong.extend(against(schema, member, name)),
            (None, Some(Value::Bool(false))) => wrong.push(format!("{at}: nothing is said of {name}")),
            (None, Some(schema)) => wrong.extend(against(schema, member, name)),
            (None, None) => {}
        }
    }
    wrong
}

#[test]
fn each_line_of_a_trail_is_as_its_schema_says_and_tells_what_the_text_does() {
    let schema: Value = serde_json::from_str(include_str!("../../../../docs/trail.schema.json")).expect("JSON");
    let folder = folder();
    let demos = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos");
    let signals = demos.join("signals/signals.asm").display().to_string();
    let hand = demos.join("../docs/drawings/hand.jsonl").display().to_string();
    let weights = demos.join("weighbridge/weighbridge.asm").display().to_string();
    std::fs::write(folder.path().join("typed"), "120\n212\n0\n").expect("it is written");
    let manifest = demos.join("manifest").display().to_string();
    let runs: [&[&str]; 4] = [
        &["run", "loads.asm"],
        &["run", &weights, "--input", "typed"],
        &["run", &signals, "--events", &hand, "--clock", "virtual", "--steps", "30000"],
        &["run", &manifest, "--files", "."],
    ];
    let mut seen = std::collections::BTreeSet::new();
    for words in runs {
        let mut words: Vec<String> = words.iter().map(|word| (*word).to_owned()).collect();
        words.extend(["--trail".to_owned(), "all.jsonl".to_owned()]);
        run(folder.path(), &words);
        let text = std::fs::read_to_string(folder.path().join("all.jsonl")).expect("it was written");
        let mut printed = String::new();
        for line in text.lines() {
            let row: Value = serde_json::from_str(line).expect("JSON");
            assert_eq!(against(&schema, &row, "step"), Vec::<String>::new(), "{line}");
            seen.extend(row.as_object().expect("a step").keys().cloned());
            printed.push_str(row["printed"].as_str().unwrap_or_default());
            for change in row["changes"].as_array().expect("a list") {
                seen.extend(change.as_object().expect("a change").keys().cloned());
                // What it became stands in the words too.
                if let (Some(name), Some(to)) = (change["register"].as_str(), change["to"].as_u64()) {
                    let wanted = format!("{name} ");
                    let did = row["did"].as_str().expect("words");
                    assert!(did.contains(&wanted) && did.contains(&format!(">{to:04X}")), "{line}");
                }
            }
        }
        let (out, _) = run(folder.path(), &words[..words.len() - 2]);
        assert!(out.contains(printed.trim_end()), "all that was printed: {printed:?} in {out:?}");
    }
    let all = schema["properties"].as_object().expect("members");
    let unseen: Vec<&String> = all.keys().filter(|name| !seen.contains(*name)).collect();
    assert!(unseen.is_empty(), "no run had {unseen:?}");
}
