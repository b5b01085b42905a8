//! The first steps of someone new: each asks for something, and sees that it was done.

use crate::common::{Stage, hides, shows};
use wendax_machine::Settings;
use wendax_tui::{App, Theme};

const FIRST: &str = include_str!("../../../../demos/first/first.asm");

fn stage_of(text: &str) -> Stage {
    Stage::with(App::new(Some("/yard/first.asm".to_owned()), text, Settings::default(), Theme::default()))
}

#[test]
fn the_first_steps_are_taken_one_after_the_other() {
    let mut stage = stage_of(FIRST);
    shows(&mut stage, "first steps · 1 of 12 · the page");
    stage.keys("Right");
    shows(&mut stage, "1 of 12");
    stage.keys("Left Tab Tab Tab Tab");
    shows(&mut stage, "2 of 12 · one step");
    shows(&mut stage, "✓ done");
    stage.keys("Right");
    shows(&mut stage, "3 of 12 · and back");
    stage.keys("Left");
    shows(&mut stage, "4 of 12 · address and contents");
    stage.keys("Right Right");
    shows(&mut stage, "4 of 12");
    stage.keys("Right");
    shows(&mut stage, "5 of 12 · writing to memory");
    // Left, and taken up again.
    stage.keys("F1");
    hides(&mut stage, "first steps ·");
    let app = App::new(Some("/yard/first.asm".to_owned()), FIRST, Settings::default(), Theme::default());
    let mut again = Stage::with(app.with_kept(stage.app.kept()));
    hides(&mut again, "first steps ·");
    stage.keys("F1");
    shows(&mut stage, "5 of 12 · writing to memory");
    stage.keys("Right Right");
    shows(&mut stage, "6 of 12 · comparing");
    stage.keys("Right Right");
    shows(&mut stage, "7 of 12 · a loop");
    stage.keys(":").text("pane source").keys("Enter /").text("ask:").keys("Enter .");
    shows(&mut stage, "8 of 12 · any moment again");
    stage.keys("Tab Down Down Down Down H");
    shows(&mut stage, "here r4 becomes 0014");
    shows(&mut stage, "9 of 12 · input");
    stage.keys("( g").text("many\n8\n");
    shows(&mut stage, "10 of 12 · calls and the stack");
    stage.keys(":").text("pane source").keys("Enter /").text("double:").keys("Enter b G Right");
    shows(&mut stage, "11 of 12 · changing the program");
    stage.keys("l").text("4").keys("Enter e Home");
    let column = FIRST.lines().nth(3).and_then(|line| line.find('5')).expect("the number");
    for _ in 0..column {
        stage.keys("Right");
    }
    stage.keys("Delete").text("6").keys("Esc r");
    shows(&mut stage, "12 of 12 · a mistake");
    stage.keys("/").text("pop   r0").keys("Enter e Ctrl-D Esc r Right Right Right");
    shows(&mut stage, "all done");
    stage.keys("F1");
    hides(&mut stage, "first steps ·");
    stage.keys("F1");
    shows(&mut stage, "1 of 12 · the page");
}

#[test]
fn other_programs_say_where_the_first_steps_are() {
    let mut stage = stage_of("start: halt\n");
    stage.keys("F1");
    shows(&mut stage, "start wendax demo first");
    let mut least = stage_of(FIRST).sized(60, 16);
    shows(&mut least, "Press Tab until it is the memory");
    let mut small = stage_of(FIRST).sized(80, 20);
    shows(&mut small, "1 of 12");
    shows(&mut small, "registers");
}
