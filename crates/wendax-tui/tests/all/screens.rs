//! Whole screens at usual, narrow and tiny sizes.

use crate::common::{DEMO, Stage};

/// The demo with two weights typed, paused in the routine that sums them.
fn in_the_routine() -> Stage {
    let mut stage = Stage::new(DEMO);
    stage.keys("g").text("120\n99\n");
    stage.keys("Esc").text("/wagon_weight:").keys("Enter .").text("0\n").keys("Right Right Right ] ] ] ] ]");
    stage
}

#[test]
fn ready() {
    insta::assert_snapshot!(Stage::new(DEMO).screen());
}

#[test]
fn waiting_for_input() {
    let mut stage = Stage::new(DEMO);
    stage.keys("g").text("120\n9");
    insta::assert_snapshot!(stage.screen());
}

#[test]
fn paused_in_a_routine() {
    insta::assert_snapshot!(in_the_routine().screen());
}

#[test]
fn paused_on_a_usual_terminal() {
    insta::assert_snapshot!(in_the_routine().sized(80, 24).screen());
}

#[test]
fn the_smallest_screen_there_is_room_on() {
    insta::assert_snapshot!(in_the_routine().sized(60, 16).screen());
}

#[test]
fn below_that_it_says_so() {
    let screen = in_the_routine().sized(59, 16).screen();
    assert!(screen.contains("a little more room") && screen.contains("59 × 16"), "{screen}");
}

#[test]
fn writing_with_a_problem() {
    let mut stage = Stage::new(DEMO);
    stage.keys("e Down End").text("\nldw r0 axels");
    insta::assert_snapshot!(stage.sized(120, 30).screen());
}

#[test]
fn palette_and_help() {
    let mut stage = Stage::new(DEMO).sized(100, 30);
    stage.keys(":").text("back call");
    insta::assert_snapshot!("palette", stage.screen());
    stage.keys("Esc ?");
    insta::assert_snapshot!("help", stage.screen());
}

#[test]
fn a_fault_is_told_with_its_cause() {
    let mut stage = Stage::new("start:  mov r1, 7\n        div r1, r2\n        sys exit\n").sized(120, 30);
    stage.keys("g");
    insta::assert_snapshot!(stage.screen());
}
