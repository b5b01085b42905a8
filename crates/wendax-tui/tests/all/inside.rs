//! What goes on inside of an instruction, walked with the arrows that walk the run.

use crate::common::{Stage, shows};

const SUM: &str = "start: mov r1, 60000\n add r1, 6000\n stw [total], r1\n clr r0\n sys exit\n .data\ntotal: .word 0\n";

#[test]
fn the_arrows_go_through_the_transfers_and_then_take_the_step() {
    let mut stage = Stage::new(SUM).sized(160, 50);
    stage.keys("Right :pane_inside");
    shows(&mut stage, "── add r1, 6000 · 2 cycles");
    shows(&mut stage, "M  C  R  O  F  N  H");
    shows(&mut stage, "●──▸  ·  ·  ·  ·  ·  the code word 2110 at 0x0204");
    shows(&mut stage, "step 1 of");
    stage.keys("Right Right Right Right");
    shows(&mut stage, "carried 1111 1100 1100 0000  1 leaves");
    shows(&mut stage, "step 1 of");
    stage.keys("Right Right Right Right");
    shows(&mut stage, "── stw [total], r1 · 3 cycles");
    shows(&mut stage, "step 2 of");
    // And back: into the end of the one before.
    stage.keys("Left");
    shows(&mut stage, "── add r1, 6000 · 2 cycles");
    shows(&mut stage, "▸");
    stage.keys("Left Left Left");
    shows(&mut stage, "carried 1111 1100 1100 0000  1 leaves");
    // At the start of the run there is nothing before.
    stage.keys("Home");
    for _ in 0..9 {
        stage.keys("Left");
    }
    shows(&mut stage, "this is the start of the run");
    stage.keys("Right Right Right Right");
    shows(&mut stage, "r1 was 0, and is 60000 (-5536)");
    // Enter shows where it goes to in memory.
    stage.keys("t").text("2").keys("Enter");
    for _ in 0..5 {
        stage.keys("Down");
    }
    shows(&mut stage, "464 at 0x0300 (total)");
    stage.keys("Enter");
    shows(&mut stage, "▸memory");
}

#[test]
fn what_is_inside_is_hidden_while_it_is_guessed() {
    let mut stage = Stage::new(SUM).sized(120, 40);
    stage.keys(":").text("guess: hide").keys("Enter");
    for pane in [":pane_inside", ":pane_ahead"] {
        stage.keys(pane);
        shows(&mut stage, "hidden until it is guessed");
    }
}

#[test]
fn a_small_screen_has_its_letters() {
    let mut stage = Stage::new(SUM).sized(80, 24);
    stage.keys("Right :pane_inside");
    shows(&mut stage, "M▸C");
    for _ in 0..30 {
        stage.keys("Right");
    }
    shows(&mut stage, "ended");
}
