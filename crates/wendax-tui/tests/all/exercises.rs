//! Exercises in the bench: each question at its moment, what is said of an answer, and what they are told to be at the end.

use crate::common::{Stage, hides, shows};

const PROGRAM: &str =
    "start: mov r1, 5\nnext: add r2, r1\n djnz r1, next\n mov r0, r2\n sys put_int\n clr r0\n sys exit\n";

const FILE: &str = "title = \"A sum\"\nabout = \"Say it first.\"\nprogram = \"weighbridge.asm\"\n\n\
    [[question]]\nask = \"What is in r2 behind it?\"\nat = \"next\"\nguess = \"r2\"\nhint = \"r1 is 5\"\n\n\
    [[question]]\nask = \"Is it taken?\"\nat = \"op djnz\"\nguess = \"taken\"\n\n\
    [[question]]\nask = \"What is printed?\"\nuntil = \"op sys from 2\"\nguess = \"prints\"\n";

fn stage(file: &str) -> Stage {
    let mut stage = Stage::new(PROGRAM).sized(120, 40);
    stage.folder.insert("sum.exercise.toml".to_owned(), file.as_bytes().to_vec());
    stage.keys(":").text("exercise").keys("Enter Ctrl-U").text("sum.exercise.toml").keys("Enter");
    stage
}

#[test]
fn questions_are_asked_at_their_moments_and_answers_are_told_right_or_not() {
    let mut stage = stage(FILE);
    shows(&mut stage, "1. What is in r2 behind it?");
    shows(&mut stage, "question 1 of 3 · 0 right");
    hides(&mut stage, "r2 becomes");
    stage.keys("Right").text("?").keys("Enter");
    shows(&mut stage, "r1 is 5");
    stage.keys("Esc Right").text("what").keys("Enter");
    shows(&mut stage, "`what`");
    stage.keys("Esc Right").text("r2 = 5").keys("Enter");
    shows(&mut stage, "right; r2 becomes 0 + 5 = 5; g goes on to the next question");
    // Walking about is free, and g goes to the question.
    stage.keys("Home g");
    shows(&mut stage, "2. Is it taken?");
    stage.keys("Right").text("no").keys("Enter");
    shows(&mut stage, "it is taken");
    stage.keys("g");
    shows(&mut stage, "3. What is printed?");
    stage.keys("Right").text("15").keys("Enter");
    shows(&mut stage, "2 of 3 answers were right");
    shows(&mut stage, "2. Is it taken? You said no: it is taken.");
    stage.keys("Esc g");
    hides(&mut stage, "question 3 of 3");
}

#[test]
fn what_is_no_exercise_is_told_and_changes_nothing() {
    for (file, told) in [
        ("title = 5\n", "line 1: `title` takes a text in quotation marks"),
        ("titel = \"x\"\n", "line 1: `titel` is not known here; did you mean `title`?"),
        ("title = \"x\"\n", "there is no question"),
        ("[[question]]\nask = \"a\"\n", "line 1: a question needs `guess`"),
        ("[[question]]\nask = \"a\"\nguess = \"r1\"\nat = \"nowhere\"\n", "question 1: `nowhere`"),
        ("[[question]]\nask = \"a\"\nguess = \"taken\"\n", "question 1: there is no jump that hangs on something"),
        (
            "[[question]]\nask = \"a\"\nguess = \"r1\"\nat = \"when r1 == 77\"\n",
            "the run does not come to `when r1 == 77`",
        ),
        ("question = 3\n", "line 1: questions are written as [[question]]"),
        ("[[question]\n", "line 1"),
    ] {
        let mut stage = stage(file);
        shows(&mut stage, told);
        hides(&mut stage, "question 1 of");
    }
}

#[test]
fn another_run_or_leaving_ends_the_asking() {
    let mut stage = stage(FILE);
    stage.keys("R");
    hides(&mut stage, "What is in r2 behind it?");
    let mut stage = self::stage(FILE);
    stage.keys(":").text("leave the questions").keys("Enter Right");
    shows(&mut stage, "step 2 of 2");
}
