//! Nothing that was made in the bench is lost: two benches on a file, files that change behind the back, early ends, files
//! that are there already, programs that are stopped.

use crate::common::{Screen, count_kept, home, is_kept};
use std::fs;
use std::path::Path;

const SPIN: &str = "start:  nop\n        jmp start\n";

fn open(home: &Path, file: &Path) -> Screen {
    let screen = Screen::start(home, &file.display().to_string(), 120, 30);
    screen.shows("ready");
    screen
}

#[test]
fn each_of_two_benches_on_a_file_keeps_its_own_text() {
    let (home, file) = home(SPIN);
    let one = open(home.path(), &file);
    one.text("e; of one ");
    one.until("the text is kept", || is_kept(home.path(), "of one"));
    let other = open(home.path(), &file);
    other.shows("another bench has this file open");
    other.text("e; of two ");
    other.until("the text is kept", || is_kept(home.path(), "of two"));
    other.keys("Escape");
    other.text("q");
    other.shows("Not saved");
    other.text("d");
    other.shows("ended with 0");
    assert!(is_kept(home.path(), "of one") && !is_kept(home.path(), "of two"));
    one.kill("KILL");
    // Found again whatever the path is spelled like.
    fs::create_dir(home.path().join("sub")).expect("it is made");
    let again = Screen::start(home.path(), &home.path().join("sub/../gate.asm").display().to_string(), 120, 30);
    again.shows("; of one");
    again.shows("recovered");
}

#[test]
fn a_walk_is_taken_up_again_by_the_next_bench() {
    let (home, file) = home("start:  sys get_int\n        mov r1, r0\nmore:   add r1, 1\n        jmp more\n");
    let screen = open(home.path(), &file);
    screen.text("g");
    screen.shows("waiting for input");
    screen.text("41");
    screen.keys("Enter");
    screen.shows("circling");
    screen.text("t4");
    screen.keys("Enter");
    screen.shows("step 4 of");
    let header = screen.read().lines().next().unwrap_or_default().to_owned();
    let numbers = header[header.find("step 4").expect("it is there")..].to_owned();
    screen.text("q");
    screen.shows("ended with 0");
    let again = open(home.path(), &file);
    again.shows("with what was typed once: Ctrl-Y takes it up again");
    again.keys("C-y");
    again.shows("the walk of last time, where it stood");
    again.shows(&numbers);
    again.shows("r1  002A");
    assert!(!again.read().contains("older text"));
}

#[test]
fn the_first_steps_begin_afresh_when_asked_to() {
    let home = tempfile::tempdir().expect("a folder");
    let screen = Screen::start(home.path(), "demo first", 120, 30);
    screen.shows("1 of 17");
    screen.text("e; mine ");
    screen.keys("Escape C-s");
    screen.shows("saved as");
    screen.text("q");
    screen.shows("ended with 0");
    let again = Screen::start(home.path(), "demo first", 120, 30);
    again.shows("; mine");
    again.text("q");
    let fresh = Screen::start(home.path(), "demo first --fresh", 120, 30);
    assert!(!fresh.shows("1 of 17").contains("; mine"));
}

/// The first walk of the README, as it stands there.
#[test]
fn the_first_walk_of_the_readme_does_what_it_says() {
    let readme = include_str!("../../../../README.md");
    for words in [
        "type `120` and Enter, another, then `0`",
        "Go back with `G` and type",
        "a new branch of the run begins there; `Ctrl-Z` brings back what lay ahead",
    ] {
        assert!(readme.contains(words), "the README has other words by now: {words}");
    }
    let home = tempfile::tempdir().expect("a folder");
    let screen = Screen::start(home.path(), "demo weighbridge", 120, 36);
    screen.shows("what to try");
    screen.shows("ready");
    screen.keys("Escape");
    screen.until("the page is put away", || !screen.read().contains("what to try"));
    screen.keys("Right Right");
    screen.shows("step 2 of 2");
    screen.keys("Left");
    screen.shows("step 1 of 2");
    screen.text("g");
    screen.shows("waiting for input");
    for (asked, weight) in [("axle 1:", "120"), ("axle 2:", "99"), ("axle 3:", "0")] {
        screen.shows(asked);
        screen.shows("waiting for input");
        screen.text(weight);
        screen.keys("Enter");
    }
    screen.shows("219 cwt on the bridge");
    screen.text("G");
    screen.shows("something was typed here");
    screen.text("500");
    screen.keys("Enter");
    screen.shows("a new branch begins here");
    screen.text("g");
    screen.shows("waiting for input");
    screen.text("0");
    screen.keys("Enter");
    screen.shows("719 cwt on the bridge");
    screen.keys("C-z C-z");
    screen.shows("taken back: what was typed");
    screen.keys("End");
    screen.shows("219 cwt on the bridge");
}

#[test]
fn text_that_was_undone_is_not_unsaved_text() {
    let (home, file) = home(SPIN);
    let screen = open(home.path(), &file);
    screen.text("ex");
    screen.until("the text is kept", || count_kept(home.path()) == 1);
    screen.keys("C-z");
    screen.until("it is forgotten", || count_kept(home.path()) == 0);
    screen.kill("KILL");
    let again = open(home.path(), &file);
    assert!(!again.read().contains("recovered"));
}

#[test]
fn unsaved_text_of_an_included_file_is_found_again() {
    let (home, file) = home("        .include \"lib/b.inc\"\nstart:  mov r1, B\n        halt\n");
    let folder = home.path().join("lib");
    fs::create_dir(&folder).expect("it is made");
    fs::write(folder.join("b.inc"), "        .equ B, 5\n").expect("written");
    let screen = open(home.path(), &file);
    screen.text("f");
    screen.shows("files of the program");
    screen.text("b.inc");
    screen.keys("Enter");
    screen.shows("lib/b.inc");
    screen.text("e; to be kept ");
    screen.until("the text is kept", || is_kept(home.path(), "to be kept"));
    screen.kill("KILL");
    let again = Screen::start(home.path(), &file.display().to_string(), 120, 30);
    again.shows("recovered, also of");
    again.text("f");
    again.shows("files of the program");
    again.text("b.inc");
    again.keys("Enter");
    again.shows("; to be kept");
}

#[test]
fn a_bench_that_is_left_before_its_program_is_there_keeps_stops() {
    let (home, file) = home(SPIN);
    let screen = open(home.path(), &file);
    screen.text("b");
    screen.shows("◆");
    screen.text("q");
    screen.shows("ended with 0");
    // Left at once, and closed at once.
    let early = Screen::start(home.path(), &file.display().to_string(), 120, 30);
    early.text("q");
    early.shows("ended with 0");
    open(home.path(), &file).shows("◆");
}

#[test]
fn an_included_file_that_nobody_opened_is_looked_at_when_it_changes() {
    let (home, file) = home("        .include \"lib/b.inc\"\nstart:  mov r1, B\n        halt\n");
    let folder = home.path().join("lib");
    fs::create_dir(&folder).expect("it is made");
    fs::write(folder.join("b.inc"), "        .equ B, 5\n").expect("written");
    let screen = open(home.path(), &file);
    screen.shows("r1 becomes 5");
    fs::write(folder.join("b.inc"), "        .equ B, 9\n").expect("written");
    screen.shows("r1 becomes 9");
}

#[test]
fn a_file_that_is_written_in_two_goes_keeps_its_stops() {
    let (home, file) = home(SPIN);
    let screen = open(home.path(), &file);
    screen.text("b");
    screen.shows("◆");
    fs::write(&file, "").expect("written");
    // Seen or not, and then the text again with one line more: the stop is where its line is.
    fs::write(&file, format!("; above\n{SPIN}")).expect("written");
    screen.shows("; above");
    screen.shows("◆ 2");
    fs::remove_file(&file).expect("removed");
    screen.shows("no longer on disk");
    fs::write(&file, SPIN).expect("written");
    screen.shows("◆ 1");
    assert!(!screen.read().contains("changed on disk too"));
}

#[test]
fn a_file_that_was_not_written_here_is_written_over_only_when_that_is_said() {
    let (home, file) = home(SPIN);
    let notes = home.path().join("notes.txt");
    fs::write(&notes, "precious").expect("written");
    let screen = open(home.path(), &file);
    screen.keys("Right Right");
    screen.shows("step 2 of 2");
    let save = |place: &Path| {
        screen.text(":");
        screen.shows("palette");
        screen.text("save the trail");
        screen.keys("Enter");
        screen.shows("trail.txt");
        // What is proposed gives way to what is typed.
        screen.text(&place.display().to_string());
        screen.keys("Enter");
    };
    save(&notes);
    screen.shows("is there already");
    screen.keys("Escape");
    screen.shows("stays as it is");
    assert_eq!(fs::read_to_string(&notes).expect("it is there"), "precious");
    save(&notes);
    screen.shows("is there already");
    screen.text("y");
    screen.shows("bytes written");
    assert!(fs::read_to_string(&notes).expect("it is there").contains("jmp start"));
    // What was written here is not asked about.
    save(&notes);
    screen.shows("bytes written");
    // The source itself is refused at once, not after a question.
    save(&file);
    screen.shows("not to a .asm");
    assert!(!screen.read().contains("is there already"));
    assert_eq!(fs::read_to_string(&file).expect("it is there"), SPIN);
}

#[test]
fn a_file_that_is_no_text_any_more_is_told_and_can_be_written_over() {
    let (home, file) = home(SPIN);
    let screen = open(home.path(), &file);
    fs::write(&file, b"start: \xE9\n").expect("written");
    screen.shows("no text in UTF-8");
    screen.text("e; mine ");
    screen.keys("C-s");
    screen.shows("saving once more writes yours over it");
    screen.keys("C-s");
    screen.shows("saved as");
    assert!(fs::read_to_string(&file).expect("it is text again").starts_with("; mine"));
}

#[test]
fn a_bench_that_is_stopped_gives_the_terminal_back_and_takes_it_again() {
    let (home, file) = home(SPIN);
    let screen = open(home.path(), &file);
    screen.kill("TSTP");
    screen.until("the terminal is the shell's", || !screen.read().contains("registers"));
    screen.kill("CONT");
    screen.shows("registers");
    screen.keys("Right");
    screen.shows("step 1 of 1");
    screen.text("q");
    let end = screen.shows("ended with 0");
    assert!(!end.contains("registers"), "the terminal is as it was before:\n{end}");
}
