//! The first steps of someone new: each asks for something, and sees that it was done.

use crate::common::{Stage, hides, shows};
use wendax_machine::Settings;
use wendax_tui::{App, Theme};

const FIRST: &str = include_str!("../../../../demos/first/first.asm");

fn stage_of(text: &str) -> Stage {
    Stage::with(App::new(Some("/yard/first.asm".to_owned()), text, Settings::default(), Theme::default()))
}

fn lesson(stage: &mut Stage) -> usize {
    let screen = stage.screen();
    let head = screen.lines().find(|line| line.contains("first steps ·")).unwrap_or_default();
    let number = head.split("first steps · ").nth(1).and_then(|rest| rest.split(' ').next()).unwrap_or_default();
    number.parse().unwrap_or(18)
}

/// Presses keys until something holds, as a lesson says "press until".
#[track_caller]
fn until(stage: &mut Stage, key: &str, holds: impl Fn(&mut Stage) -> bool) {
    for _ in 0..60 {
        if holds(stage) {
            return;
        }
        stage.keys(key);
    }
    panic!("{key} does not lead there:\n{}", stage.screen());
}

/// The cursor of the source is on a line that holds this.
fn is_on(stage: &Stage, text: &str) -> bool {
    let editor = stage.app.editor();
    editor.line(editor.cursor().0).contains(text)
}

/// Does what the words of a lesson say, and nothing else.
fn play(stage: &mut Stage, number: usize) {
    match number {
        1 => until(stage, "Tab", |stage| lesson(stage) > 1),
        2 => _ = stage.keys("Right"),
        3 => _ = stage.keys("Left"),
        4..=5 => until(stage, "Right", |stage| lesson(stage) > number),
        6 => _ = stage.keys("Right Right Right"),
        7 => {
            until(stage, "Down", |stage| is_on(stage, "ask:"));
            stage.keys(".");
        }
        8 => {
            // Down until r4 is lit: the registers have the keys.
            stage.keys("Down Down Down Down H");
        }
        9 => _ = stage.keys("g").text("many\n8\n"),
        10 => {
            until(stage, "Down", |stage| is_on(stage, "double:"));
            stage.keys("b G Right");
        }
        11 => {
            until(stage, "Up", |stage| is_on(stage, "start:"));
            stage.keys("e Home");
            let column = FIRST.lines().nth(3).and_then(|line| line.find('5')).expect("the number");
            for _ in 0..column {
                stage.keys("Right");
            }
            // However the number is written.
            stage.keys("Backspace Delete").text("6").keys("Esc r");
        }
        12 => {
            stage.keys("e");
            until(stage, "Down", |stage| is_on(stage, "pop   r0"));
            stage.keys("Ctrl-D Esc r");
            for _ in 0..4 {
                if lesson(stage) == 12 {
                    stage.keys("Right");
                }
            }
            if lesson(stage) == 12 {
                stage.keys("Left");
            }
        }
        13 => _ = stage.keys("Right :").text("cautions").keys("Enter Enter"),
        14 => {
            stage.keys("e");
            until(stage, "Ctrl-Z", |stage| stage.app.editor().text().contains("pop   r0"));
            stage.keys("Esc R :").text("pin this").keys("Enter Enter Right Right Right :");
            stage.text("compare this").keys("Enter Enter");
        }
        15 => {
            stage.keys("R g").text("3\n").keys("Home i").text("5\n").keys("Esc g :").text("pane: runs").keys("Enter");
        }
        16 => _ = stage.keys("R :").text("guess: hide").keys("Enter Right").text("r0 = 6").keys("Enter"),
        17 => {
            stage.keys(":").text("guess: hide").keys("Enter :").text("pane: inside").keys("Enter Right Right Right");
        }
        _ => {}
    }
}

#[test]
fn each_lesson_is_done_by_its_own_words_at_every_size() {
    for (width, height) in [(160, 50), (100, 30), (80, 24)] {
        let mut stage = stage_of(FIRST).sized(width, height);
        for number in 1..=17 {
            assert_eq!(lesson(&mut stage), number, "{width}×{height}\n{}", stage.screen());
            // Its last sentence is there whole.
            let screen = stage.screen();
            let rows: Vec<&str> = screen.lines().skip_while(|line| !line.contains("first steps ·")).collect();
            let last = rows[..rows.len() - 1].iter().rfind(|row| !row.is_empty()).expect("it has a text");
            assert!(last.ends_with(['.', '?']), "{width}×{height}: {last}");
            play(&mut stage, number);
            assert_eq!(lesson(&mut stage), number + 1, "{width}×{height}, lesson {number}\n{}", stage.screen());
        }
        shows(&mut stage, "all done");
    }
}

#[test]
fn lessons_see_what_was_done_and_never_stick() {
    let mut stage = stage_of(FIRST);
    stage.keys("Tab Tab Tab Tab Tab Tab");
    until(&mut stage, "Tab", |stage| lesson(stage) > 1);
    shows(&mut stage, "2 of 17 · one step");
    shows(&mut stage, "✓ the page");
    // A key of something else passes nothing, whatever the state is.
    stage.keys("F3 F2");
    shows(&mut stage, "2 of 17");
    stage.keys("x x s");
    assert_eq!(lesson(&mut stage), 2);
    // In the natural wrong order: everything at once, and then the lessons.
    let mut stage = stage_of(FIRST);
    stage.keys("g").text("8\n");
    shows(&mut stage, "finished");
    assert_eq!(lesson(&mut stage), 1);
    until(&mut stage, "Tab", |stage| lesson(stage) > 1);
    // At the end nothing goes on; Home, or a new run, and then as told.
    stage.keys("Home Right Left Right Right Right");
    assert_eq!(lesson(&mut stage), 5, "{}", stage.screen());
    stage.keys("End");
    assert_eq!(lesson(&mut stage), 5, "what was not done is not passed");
    stage.keys("Home");
    until(&mut stage, "Right", |stage| lesson(stage) > 5);
    until(&mut stage, "Right", |stage| lesson(stage) > 6);
    // Past the line of the next one, which says what to do.
    stage.keys("g Home");
    play(&mut stage, 7);
    assert_eq!(lesson(&mut stage), 8);
    // Going back four steps is not asking where a value comes from.
    stage.keys("Left Left Left Left");
    assert_eq!(lesson(&mut stage), 8);
    stage.keys("End");
    until(&mut stage, "Tab", |stage| stage.screen().contains("▸registers"));
    play(&mut stage, 8);
    assert_eq!(lesson(&mut stage), 9, "{}", stage.screen());
    stage.keys("g");
    assert_eq!(lesson(&mut stage), 10, "it was typed to already: {}", stage.screen());
}

#[test]
fn the_first_steps_are_left_and_taken_up_again() {
    let mut stage = stage_of(FIRST);
    until(&mut stage, "Tab", |stage| lesson(stage) > 1);
    stage.keys("Right F1");
    hides(&mut stage, "first steps ·");
    let app = App::new(Some("/yard/first.asm".to_owned()), FIRST, Settings::default(), Theme::default());
    let mut again = Stage::with(app.with_kept(stage.app.kept()));
    hides(&mut again, "first steps ·");
    stage.keys("F1");
    shows(&mut stage, "3 of 17 · and back");
    for _ in 0..17 {
        stage.keys("F3");
    }
    shows(&mut stage, "all done");
    stage.keys("F2");
    shows(&mut stage, "17 of 17");
    stage.keys("F3 F1");
    hides(&mut stage, "first steps ·");
    stage.keys("F1");
    shows(&mut stage, "1 of 17 · the page");
}

#[test]
fn other_programs_say_where_the_first_steps_are() {
    let mut stage = stage_of("start: halt\n");
    stage.keys("F1");
    shows(&mut stage, "start wendax demo first");
    let mut least = stage_of(FIRST).sized(60, 16);
    shows(&mut least, "Press Tab until it is the memory");
    let mut small = stage_of(FIRST).sized(80, 20);
    shows(&mut small, "1 of 17");
    shows(&mut small, "registers");
}
