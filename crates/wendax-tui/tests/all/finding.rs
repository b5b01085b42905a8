//! What is found by its words: topics of the guide, commands of the palette.

use wendax_tui::inside::{commands, entries, found, ranked, topics};
use wendax_tui::{Action, LookAction};

#[test]
fn words_are_found_by_themselves_by_beginnings_and_by_meaning() {
    for machine in wendax_isa::targets() {
        let first = |query: &str| found(query, machine).first().map(|topic| topic.word.clone()).unwrap_or_default();
        let load = if machine.name == "W16" { "ldw" } else { "lw" };
        assert_eq!(first(load), load);
        assert_eq!(first("SPACE"), ".space");
        assert_eq!(first("W031"), "W031");
        assert_eq!(first("breakpoint this line"), "b");
        assert!(found("zzzzzz", machine).is_empty());
        for topic in topics(machine) {
            assert!(!entries(topic, machine).is_empty(), "{topic:?}");
            for word in entries(topic, machine).into_iter().flat_map(|entry| entry.see) {
                assert!(topics(machine).iter().any(|known| known.word == word), "{topic:?} leads to {word}");
            }
        }
    }
}

#[test]
fn what_people_ask_for_is_found() {
    for (query, wanted) in [
        ("divide", "arithmetic"),
        ("multiply", "arithmetic"),
        ("loop", "loops"),
        ("less than", "compare"),
        ("array", "labels"),
        ("string", "text"),
        ("convention", "convention"),
        ("vector", "traps"),
        ("memory map", "memory"),
        ("register", "registers"),
        ("interrupt", "interrupts"),
        ("variable", "labels"),
        ("pointer", "address"),
        ("two complement", "numbers"),
        ("calling", "convention"),
        ("ribbon", "screen"),
        ("branch", "time"),
        ("listing", "program"),
        ("breakpoint", "stops"),
        ("undo", "time"),
    ] {
        for machine in wendax_isa::targets() {
            let found = found(query, machine);
            let words: Vec<String> = found.into_iter().take(5).map(|topic| topic.word.clone()).collect();
            assert!(words.iter().any(|word| word == wanted), "{}, {query}: {words:?}", machine.name);
        }
    }
}

fn first(query: &str) -> &'static str {
    ranked(commands(), query, |_| None).first().map_or("", |binding| binding.name)
}

#[test]
fn commands_are_found_by_any_word() {
    assert_eq!(first("breakpoint line"), "Breakpoint on this line: set or clear");
    assert_eq!(first("pane source"), "Pane: source");
    assert_eq!(first("un-execute"), "Step back: un-execute one instruction");
    assert_eq!(first("zzzzz"), "");
}

/// What people look for, and the command that should be among the first three.
#[test]
fn commands_are_found_by_what_people_call_things() {
    for (query, wanted) in [
        ("help", "Guide"),
        ("format", "Put the text in columns"),
        ("continue", "Go on to the next stop"),
        ("run", "Go on to the next stop"),
        ("until", "Go on to the line under the cursor"),
        ("jump", "Go to a line"),
        ("finish", "Step out of the routine"),
        ("reload", "Replay"),
        ("list", "Files of the program"),
        ("value", "Set a register or memory cell"),
        ("flag", "Pane: flags"),
        ("lamp", "Memory: next region"),
        ("device", "Memory: next region"),
        ("watch", "Memory at"),
        ("open", "Files of the program"),
        ("find", "Search: the text"),
        ("undo", "Undo the last change"),
        ("exit", "Quit"),
        ("error", "To the next problem"),
        ("backtrace", "Pane: calls"),
        ("events", "Pane: marks"),
        ("binary", "Registers in binary"),
        ("tutorial", "Guide"),
        ("changed", "Pane: next"),
        ("export", "Save under another name"),
        ("settings", "Settings"),
        ("theme", "Settings"),
        ("messages", "The last messages"),
        ("stop", "Stop at anything"),
        ("wrong", "Pane: cautions"),
        ("diff", "Compare this moment"),
        ("bookmark", "Pin this moment"),
        ("predict", "Guess: hide"),
        ("future", "Pane: ahead"),
        ("branches", "Pane: runs"),
    ] {
        let found = ranked(commands(), query, |_| None);
        let names: Vec<&str> = found.iter().take(4).map(|binding| binding.name).collect();
        assert!(names.iter().any(|name| name.starts_with(wanted)), "{query}: {names:?}");
    }
}

#[test]
fn what_was_used_last_comes_first() {
    let last = Action::Look(LookAction::Files);
    let found = ranked(commands(), "", |binding| (binding.action == last).then_some(0));
    assert_eq!(found.first().map(|binding| binding.action), Some(last));
}
