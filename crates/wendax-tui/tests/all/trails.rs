//! The trail: all steps as a list, what repeats folded, filters, and its ends.

use crate::common::{Stage, hides, shows};

const ROUNDS: &str = "\
start:  mov   r1, 200
next:   add   r2, r1
        stw   [total], r2
        djnz  r1, next
        call  twice
        call  twice
        mov   r0, 0
        sys   exit
twice:  push  r2
        pop   r3
        ret
.data
total:  .word 0
";

#[test]
fn steps_are_listed_with_what_they_did_and_repeats_are_folded() {
    let mut stage = Stage::new(ROUNDS);
    stage.keys("g T");
    shows(&mut stage, "▸trail");
    shows(&mut stage, "push r2");
    shows(&mut stage, "sp 0xFE00 → 0xFDFE");
    // Of the rounds before the present step the last one stands there.
    shows(&mut stage, "these 3 lines 199 times more");
    shows(&mut stage, "600  line 4     djnz r1, next");
    stage.keys("x");
    hides(&mut stage, "times more");
    stage.keys("x Ctrl-Home");
    shows(&mut stage, "0  line 1     mov r1, 200");
    stage.keys("Enter");
    shows(&mut stage, "step 0 of 611");
    // From the start the first round stands there, and the rest of them below it.
    shows(&mut stage, "these 3 lines 199 times more");
    stage.keys("Down Down Enter");
    shows(&mut stage, "step 2 of 611");
    // Of a round that goes on beyond what is at hand that is said.
    let mut long = Stage::new(&ROUNDS.replace("200", "9000"));
    long.keys("t").text("20000").keys("Enter T");
    shows(&mut long, "these 3 lines 499 times and more");
}

#[test]
fn a_filter_lets_some_steps_through() {
    let mut stage = Stage::new(ROUNDS);
    stage.keys("g :trail_show_only").text("in twice").keys("Enter");
    shows(&mut stage, "in twice · 6 found");
    shows(&mut stage, "pop r3");
    hides(&mut stage, "call twice   ");
    stage.keys(":trail_show_only Ctrl-U").text("op djnz if r1 < 4").keys("Enter");
    shows(&mut stage, "· 3 found");
    stage.keys("Ctrl-Home Enter");
    shows(&mut stage, "next + 6, line 4");
    shows(&mut stage, "r1  0003");
    stage.keys(":trail_show_only Ctrl-U").text("change total if r2 > 20090").keys("Enter");
    shows(&mut stage, "stw [total], r2");
    shows(&mut stage, "· 4 found");
    stage.keys(":trail_show_only Ctrl-U").text("in twice of 3").keys("Enter");
    shows(&mut stage, "says nothing of a stop");
    stage.keys("Ctrl-U").keys("Enter");
    hides(&mut stage, "found");
}

#[test]
fn a_run_can_be_slow_and_its_pace_changed() {
    let mut stage = Stage::new(ROUNDS);
    stage.keys("l").text("5").keys("Enter b k");
    shows(&mut stage, "running, 2 steps a second");
    shows(&mut stage, "step 1 of 1");
    assert_eq!(stage.tick.take(), Some(500));
    stage.message(wendax_tui::Message::Tick);
    shows(&mut stage, "step 2 of 2");
    stage.keys("- -");
    shows(&mut stage, "a step in 3 seconds");
    assert_eq!(stage.tick.take(), Some(3000));
    stage.keys("+ + + + + + +");
    shows(&mut stage, "running, 500 steps a second");
    for _ in 0..20 {
        stage.message(wendax_tui::Message::Tick);
    }
    stage.keys("k");
    shows(&mut stage, "paused; k goes on slowly");
    stage.tick = None;
    stage.message(wendax_tui::Message::Tick);
    assert_eq!(stage.tick, None, "it is paused");
    // A stop ends it, at full speed too.
    stage.keys("k + + + + + + + + +");
    shows(&mut stage, "paused: breakpoint");
    shows(&mut stage, "next + 8, line 5");
    stage.keys("b Home k");
    shows(&mut stage, "finished");
}

#[test]
fn a_long_trail_is_written_while_keys_are_taken_and_esc_stops_it() {
    let mut stage = Stage::new("start:  mov r1, 60000\nnext:   inc r2\n        djnz r1, next\n        halt\n");
    stage.keys("g");
    for _ in 0..10 {
        stage.works();
    }
    shows(&mut stage, "finished");
    stage.keys(":save_the_trail Ctrl-U").text("yard.csv").keys("Enter");
    shows(&mut stage, "going through the run for yard.csv: ");
    assert!(stage.written.is_empty(), "it takes more than a moment");
    // Keys are answered, and it goes on.
    stage.keys("Up");
    let mut slices = 0;
    while stage.written.is_empty() {
        stage.works();
        slices += 1;
        assert!(slices < 200, "it does not come to an end");
    }
    let (path, bytes) = stage.written.pop().expect("it is written");
    let text = String::from_utf8(bytes).expect("it is text");
    assert_eq!((path.as_str(), text.lines().count()), ("yard.csv", 120_003));
    assert!(text.starts_with("step,address,place,instruction,cycles,did\n0,0x0200,"), "{}", &text[..80]);
    stage.keys(":save_the_trail Ctrl-U").text("yard.txt").keys("Enter Esc");
    shows(&mut stage, "not saved");
    for _ in 0..50 {
        stage.works();
    }
    assert!(stage.written.is_empty(), "it was stopped");
}
