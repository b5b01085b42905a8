//! Guessing what the coming step will do: hidden, asked, told right or wrong and why, counted.

use crate::common::{Stage, hides, shows};

const TEXT: &str = "\
start:  mov   r1, 5
        add   r1, 3
        cmp   r1, 8
        jne   start
        stw   [total], r1
        mov   r0, word
        sys   put_text
        sys   get_int
        clr   r0
        sys   exit
        .data
total:  .word 0
word:   .asciz \"a,b\"
";

#[test]
fn a_guess_is_told_right_or_wrong_and_why_and_counted_by_kind() {
    let mut stage = Stage::new(TEXT).sized(130, 40);
    stage.keys(":").text("guess: hide").keys("Enter");
    shows(&mut stage, "what will it do? → asks, and then shows it");
    hides(&mut stage, "r1 becomes 5");
    stage.keys("Right").text("r1 = 5").keys("Enter");
    shows(&mut stage, "right; r1 becomes 5");
    shows(&mut stage, "step 1 of 1");
    // Values are those of now; the account is of the next one, and hidden again.
    shows(&mut stage, "1 of 1 guessed");
    hides(&mut stage, "r1 becomes 5 + 3");
    stage.keys("Right").text("r1 = r1 + 2").keys("Enter");
    shows(&mut stage, "wrong: r1 is 8 behind it; r1 becomes 5 + 3 = 8");
    stage.keys("Right").text("Z = 1, C = 0").keys("Enter");
    shows(&mut stage, "right");
    stage.keys("Right").text("taken").keys("Enter");
    shows(&mut stage, "wrong: not taken");
    stage.keys("Right").text("word [total] = 8").keys("Enter");
    shows(&mut stage, "right");
    // Nothing is only a step; what cannot be read stays to be mended, and nothing is run.
    stage.keys("Right Enter");
    shows(&mut stage, "3 of 5 guessed");
    stage.keys("Right").text("banana").keys("Enter");
    shows(&mut stage, "write r1 = 5, Z = 1, [total] = 3, taken, not taken, prints \"x\"");
    shows(&mut stage, "step 6 of 6");
    stage.keys("Ctrl-U").text("prints \"a,b\"").keys("Enter");
    shows(&mut stage, "right");
    // Where something is typed there is nothing to guess.
    shows(&mut stage, "waits for something to be typed");
    stage.keys("Esc :").text("guesses: how many").keys("Enter");
    shows(&mut stage, "4 of 6 were right.");
    shows(&mut stage, "compare");
    stage.keys("Esc :").text("guess: hide").keys("Enter Left Left");
    shows(&mut stage, "r0 becomes");
}
