//! Exercises: those of the demos are right, the shell tells their answers, the bench asks them in a real terminal, and files
//! of strangers open nothing else.

use crate::common::{Screen, run};
use serde_json::Value;
use std::path::{Path, PathBuf};

fn demos() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos")
}

#[test]
fn the_answers_of_the_demos_exercises_are_told() {
    for (demo, wanted) in [
        ("first", &["12", "17", "1", "taken", "20", "\"12\""][..]),
        ("axles", &["4", "not taken", "28", "410", "not taken", "\"heaviest 200\\n\""]),
    ] {
        let file = format!("{demo}.exercise.toml");
        let (status, out, err) = run(&demos().join(demo), &["exercise", &file, "--json"], "");
        assert_eq!((status, err.as_str()), (0, ""));
        let rows = out.lines().map(|line| serde_json::from_str::<Value>(line).expect("a line is JSON"));
        let answers: Vec<String> =
            rows.map(|row| row["answer"].as_str().expect("it has an answer").to_owned()).collect();
        assert_eq!(answers, wanted, "{demo}");
        let (status, text, _) = run(&demos().join(demo), &["exercise", &file], "");
        assert!(status == 0 && wanted.iter().all(|answer| text.contains(&format!(": {answer}\n"))), "{text}");
    }
}

#[test]
fn what_is_wrong_with_an_exercise_is_told_and_nothing_outside_is_opened() {
    let folder = tempfile::tempdir().expect("a folder");
    let (yard, hand) = (folder.path(), folder.path().join("hand"));
    std::fs::create_dir(&hand).expect("a folder");
    std::fs::write(yard.join("secret.asm"), "start: halt\n").expect("written");
    std::fs::write(hand.join("loop.asm"), "start: add r1, 1\n adc r2, 0\n jmp start\n").expect("written");
    std::os::unix::fs::symlink(yard.join("secret.asm"), hand.join("link.asm")).expect("a link");
    let question = "[[question]]\nask = \"a\"\nguess = \"r1\"\nat = \"when r4 == 1\"\n";
    for (program, told) in [
        ("../secret.asm", "`program` names a file beside this one or below it"),
        (&*yard.join("secret.asm").display().to_string(), "`program` names a file beside this one or below it"),
        ("link.asm", "`program` names a file beside this one or below it"),
        ("", "`program` names a file beside this one or below it"),
        ("gone.asm", "gone.asm"),
        ("loop.asm", "question 1: the run takes more work than 20 000 000 plain steps"),
    ] {
        let text = format!("program = {program:?}\n{question}");
        std::fs::write(hand.join("a.exercise.toml"), text).expect("written");
        let (status, out, err) = run(&hand, &["exercise", "a.exercise.toml"], "");
        assert!(status != 0 && out.is_empty() && err.contains(told), "{program}: {err}");
    }
    // What its program includes from outside is not opened either.
    std::fs::write(hand.join("thief.asm"), "start: halt\n .include \"../secret.asm\"\n").expect("written");
    std::fs::write(hand.join("a.exercise.toml"), format!("program = \"thief.asm\"\n{question}")).expect("written");
    let (status, out, err) = run(&hand, &["exercise", "a.exercise.toml", "--sealed"], "");
    assert!(status == 111 && out.is_empty() && err.contains("it lies outside"), "{status} {out} {err}");
    std::fs::write(yard.join("b.exercise.toml"), "title = \"x\"\n").expect("written");
    std::os::unix::fs::symlink(yard.join("b.exercise.toml"), hand.join("b.exercise.toml")).expect("a link");
    let (status, _, err) = run(&hand, &["exercise", "b.exercise.toml", "--sealed"], "");
    assert!(status != 0 && err.contains("with --sealed nothing leads out of the folder"), "{err}");
}

#[test]
fn the_bench_asks_the_questions_of_a_file() {
    let home = tempfile::tempdir().expect("a folder");
    for name in ["first.asm", "first.exercise.toml"] {
        std::fs::copy(demos().join("first").join(name), home.path().join(name)).expect("copied");
    }
    let file = home.path().join("first.exercise.toml");
    let screen = Screen::start(home.path(), &file.display().to_string(), 120, 40);
    screen.shows("1. An address goes into r1 first.");
    screen.keys("Right");
    screen.shows("your answer");
    screen.text("12");
    screen.keys("Enter");
    screen.shows("right; r2 takes");
    screen.keys("g");
    screen.shows("question 2 of 6 · 1 right");
    screen.keys("Right");
    screen.text("0x12");
    screen.keys("Enter");
    screen.shows("it is 17");
}
