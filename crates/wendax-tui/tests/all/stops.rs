//! Stops on anything, from the bench: set, said more of, met both ways, listed, kept, lost.

use crate::common::{Stage, shows};

const SUMS: &str = "\
start:  mov   r1, 10
next:   add   r2, r1
        stw   [total], r2
        call  twice
        djnz  r1, next
        mov   r0, r2
        sys   put_int
        sys   exit
twice:  mov   r3, r2
        add   r3, r3
        ret
.data
total:  .word 0
";

#[test]
fn a_stop_can_be_at_anything_and_is_met_both_ways() {
    let mut stage = Stage::new(SUMS);
    stage.keys("a").text("change total if r2 > 30").keys("Enter");
    shows(&mut stage, "the run stops at: change total if r2 > 30");
    stage.keys("g");
    shows(&mut stage, "paused: change total if r2 > 30");
    shows(&mut stage, "r2  0022");
    stage.keys("g");
    shows(&mut stage, "r2  0028");
    stage.keys("G");
    shows(&mut stage, "r2  0022");
    shows(&mut stage, "paused: change total if r2 > 30");
    // The list tells how often each was met in the run so far.
    stage.keys("End g g g g g g g g g s");
    shows(&mut stage, "▸stops");
    shows(&mut stage, "met 7 ×");
    stage.keys(":turn_the_stop");
    shows(&mut stage, "◇ change total");
    stage.keys("Home g");
    shows(&mut stage, "finished");
    stage.keys("Delete");
    shows(&mut stage, "no stop: b sets one on a line, a at anything");
    stage.keys("Ctrl-Z :turn_the_stop Home g");
    shows(&mut stage, "r2  0022");
}

#[test]
fn more_is_said_of_the_stop_of_a_line() {
    let mut stage = Stage::new(SUMS);
    stage.keys("l").text("10").keys("Enter b");
    shows(&mut stage, "◆10");
    stage.keys(":say_more_of_the_stop").text("if r3 >").keys("Enter");
    shows(&mut stage, "a value is missing here");
    stage.text(" 50 every 2").keys("Enter");
    shows(&mut stage, "◈10");
    stage.keys("Home g");
    // It is 52 the first time, then 54.
    shows(&mut stage, "paused: if r3 > 50 every 2");
    shows(&mut stage, "r3  0036");
    // Once is once.
    stage.keys(":clear_all_stops a").text("twice once").keys("Enter Home g");
    shows(&mut stage, "met, and meant for once: twice once");
    stage.keys("g");
    shows(&mut stage, "finished");
}

#[test]
fn values_are_noted_where_a_stop_is_met() {
    let mut stage = Stage::new(SUMS);
    stage.keys("a").text("twice if r1 < 4 note r2, met, [total] * 2").keys("Enter g s");
    shows(&mut stage, "finished");
    shows(&mut stage, "r2 55   met 3   [total] * 2 110");
    stage.keys("Ctrl-End Up");
    shows(&mut stage, "▸   r2 54");
    stage.keys("Enter");
    shows(&mut stage, "twice, line 9");
    shows(&mut stage, "r1  0002");
}

#[test]
fn the_walk_goes_on_and_back_until_anything() {
    let mut stage = Stage::new(SUMS);
    stage.keys("j").text("when r2 > 30").keys("Enter");
    shows(&mut stage, "paused: when r2 > 30");
    shows(&mut stage, "r2  0022");
    stage.keys("j Ctrl-U").text("leave twice").keys("Enter");
    shows(&mut stage, "next + 8, line 5");
    stage.keys("j Ctrl-U").text("print").keys("Enter");
    shows(&mut stage, "paused: print");
    stage.keys("J Ctrl-U").text("read r1").keys("Enter");
    shows(&mut stage, "r1  0000");
    shows(&mut stage, "step 71 of 73");
    stage.keys("J Ctrl-U").text("3 steps").keys("Enter");
    shows(&mut stage, "step 68 of 73");
    stage.keys("j").keys("Enter");
    shows(&mut stage, "step 71 of 73");
    stage.keys("j Ctrl-U").text("from").keys("Enter");
    shows(&mut stage, "nothing here has the name `from`");
}

#[test]
fn a_stop_that_loses_its_place_says_so() {
    let mut stage = Stage::new(SUMS);
    stage.keys("a").text("enter twice").keys("Enter");
    shows(&mut stage, "◈ 9");
    stage.keys("/").text("twice").keys("Enter Ctrl-R").text("double").keys("Enter a");
    shows(&mut stage, "the stop `enter twice` has lost its place: nothing here has the name `twice`");
    stage.keys("s");
    shows(&mut stage, "✕ enter twice: nothing here has the name `twice`");
    stage.keys("Tab Ctrl-Z");
    shows(&mut stage, "◈ 9");
}

/// Where the pane is narrow the words keep room, and what does not fit ends in a sign that says so.
#[test]
fn in_a_small_terminal_a_stop_keeps_its_words() {
    let mut stage = Stage::new(SUMS).sized(60, 20);
    stage.keys("a").text("enter twice").keys("Enter g s");
    shows(&mut stage, "◈ enter …");
    shows(&mut stage, "met 1 ×");
    let mut stage = Stage::new(SUMS).sized(60, 20);
    stage.keys("a").text("enter twice").keys("Enter");
    stage.keys("/").text("twice").keys("Enter Ctrl-R").text("double").keys("Enter a s");
    let screen = stage.screen();
    let lost = screen.lines().find(|line| line.contains('✕')).unwrap_or_else(|| panic!("{screen}"));
    assert!(lost.trim_end().ends_with('…'), "{lost}");
}
