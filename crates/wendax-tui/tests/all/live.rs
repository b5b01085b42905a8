//! Writing while walking: what the walk says of an older text, and how the present one gets to the same place.

use crate::common::{Stage, shows};

const ASKS: &str = "start:  clr   r6\n@next:  sys   get_int\n        jc    @done\n        add   r6, r0\n        jmp   @next\n@done:  mov   r0, r6\n        sys   exit\n";

/// A walk that stands at `add r6, r0` for the second time, with 5 and 7 typed.
fn second_visit() -> Stage {
    let mut stage = Stage::new(ASKS);
    stage.keys("l").text("4").keys("Enter b g").text("5\n").keys("g").text("7\n");
    shows(&mut stage, "line 4");
    shows(&mut stage, "r6  0005");
    stage
}

#[test]
fn the_walk_says_that_it_is_of_an_older_text_and_goes_on_in_it() {
    let mut stage = second_visit();
    stage.keys("e Ctrl-Home").text("        nop\n").keys("Esc");
    shows(&mut stage, "the walk shows an older text");
    shows(&mut stage, "r replays the present one");
    stage.keys("Right");
    shows(&mut stage, "r6  000C");
    shows(&mut stage, "line 6");
    stage.keys("Left R");
    shows(&mut stage, "ready");
    shows(&mut stage, "start, line 2");
}

#[test]
fn the_present_text_is_replayed_to_the_same_line_and_visit() {
    let mut stage = second_visit();
    stage.keys("l").text("1").keys("Enter e End Enter").text("mov r6, 100").keys("Esc r");
    shows(&mut stage, "with the same input, at the same place");
    shows(&mut stage, "r6  0069");
    shows(&mut stage, "line 5");
    // The breakpoint went with its line, and the same input is there to be read again.
    stage.keys("g").keys("Ctrl-D");
    shows(&mut stage, "finished, status 112");
    stage.keys("G G");
    shows(&mut stage, "r6  0069");
}

#[test]
fn what_cannot_be_placed_is_said() {
    let mut stage = second_visit();
    stage.keys("l").text("4").keys("Enter e Ctrl-D");
    shows(&mut stage, "a stop is gone with its line");
    stage.keys("Esc r");
    shows(&mut stage, "the line the walk was at has no instruction any more");
    let mut stage = second_visit();
    // The program ends before it comes to the place so often.
    stage.keys("l").text("4").keys("Enter e End Enter").text("jmp @done").keys("Esc r");
    shows(&mut stage, "did not come to that place so often");
    shows(&mut stage, "finished");
    let mut stage = second_visit();
    stage.keys("=").text("r6 = 9").keys("Enter l").text("1").keys("Enter e End Enter").text("nop").keys("Esc r");
    shows(&mut stage, "the present text, with the same input, at the same place");
    shows(&mut stage, "set by hand to 9");
}

#[test]
fn a_text_with_a_problem_keeps_the_walk_and_says_so() {
    let mut stage = second_visit();
    stage.keys("e Ctrl-Home").text("        muv\n").keys("Esc");
    shows(&mut stage, "1 problem");
    stage.keys("Right");
    shows(&mut stage, "r6  000C");
    stage.keys("r");
    shows(&mut stage, "the text has a problem");
}
