//! Another moment beside the present one: pins, what a routine changed, and who changed it.

use crate::common::{Stage, hides, shows};

const SUMS: &str = "\
start:  mov   r6, 3
        clr   r8
next:   mov   r0, r6
        call  twice
        add   r8, r0
        djnz  r6, next
        mov   r0, r8
        sys   put_int
        clr   r0
        sys   exit
twice:  push  r7
        mov   r7, r0
        add   r0, r7
        pop   r7
        ret
";

#[test]
fn a_moment_gets_a_name_and_is_compared_with_the_present_one() {
    let mut stage = Stage::new(SUMS).sized(150, 50);
    stage.keys("Right Right Right :").text("pin this").keys("Enter");
    stage.text("before").keys("Enter");
    shows(&mut stage, "step 3 is before now");
    shows(&mut stage, "◎");
    stage.keys("] :").text("compare this").keys("Enter");
    // What was pinned last is offered.
    shows(&mut stage, "compare with");
    stage.keys("Enter");
    shows(&mut stage, "▸differences");
    shows(&mut stage, "6 steps since before (step 3)");
    shows(&mut stage, "r0             3 → 6");
    shows(&mut stage, "by line 13 at 6");
    // It follows the walk; Enter goes to who changed it.
    stage.keys("Right");
    shows(&mut stage, "7 steps since before (step 3)");
    shows(&mut stage, "r8             0 → 6");
    stage.keys("Down Down Enter");
    shows(&mut stage, "step 7 of 10");
    // The list of marks has it too, and leads there.
    stage.keys(":").text("marks").keys("Enter");
    shows(&mut stage, "◎ pin");
    // With the same place one round earlier, by a step, and with what is none.
    stage.keys(":").text("compare this").keys("Enter Ctrl-U").text("nowhere").keys("Enter");
    shows(&mut stage, "`nowhere` is no pin (before), step, start, end, entry or round");
    stage.keys("Ctrl-U").text("0").keys("Enter");
    shows(&mut stage, "7 steps since step 0");
    stage.keys(":").text("compare this").keys("Enter Ctrl-U").text("round").keys("Enter");
    shows(&mut stage, "this place was not come to before");
    stage
        .keys("Esc g Home j")
        .text("next")
        .keys("Enter j Enter :")
        .text("compare this")
        .keys("Enter Ctrl-U")
        .text("round")
        .keys("Enter");
    shows(&mut stage, "since one round earlier");
    shows(&mut stage, "3 → 2");
    // Taken away it is gone from ribbon and marks.
    stage.keys(":").text("take a pin").keys("Enter Enter");
    hides(&mut stage, "◎");
    // Another run has neither the pin nor the comparison.
    stage.keys("R :").text("differences").keys("Enter");
    shows(&mut stage, "“Compare” in the palette asks with what");
}

#[test]
fn what_a_routine_changed_is_a_key_away_in_the_calls() {
    let mut stage = Stage::new(&SUMS.replace("        pop   r7\n", "        add   sp, 2\n")).sized(150, 50);
    stage.keys("j").text("leave twice").keys("Enter Left :").text("pane: calls").keys("Enter x");
    // With what it was handed, and which of the differences is its result.
    shows(&mut stage, "since the entry of twice with r0 3");
    shows(&mut stage, "r0             3 → 6");
    shows(&mut stage, "its result; by line 13");
    // A register that is to be kept and is not what it was, told before the return.
    shows(&mut stage, "to be kept; by line 12 at 5");
    // Going on, the moment is still there; a change before it takes the comparison away with what lay ahead.
    stage.keys("Right");
    shows(&mut stage, "since the entry of twice");
    stage.keys("Home =").text("r6 = 1").keys("Enter :").text("pane: differences").keys("Enter");
    shows(&mut stage, "that moment is not in this run");
    stage.keys("Ctrl-Z :").text("pane: differences").keys("Enter");
    shows(&mut stage, "4 steps until the entry of twice");
}

#[test]
fn the_coming_steps_stand_there_as_they_will_be_and_can_be_gone_to() {
    let mut stage = Stage::new(SUMS).sized(150, 50);
    stage.keys(":").text("pane: ahead").keys("Enter");
    shows(&mut stage, "▸ahead");
    shows(&mut stage, "to line 11, sp 0xFE00 → 0xFDFE");
    shows(&mut stage, "r0 3 → 6");
    // Nothing was run for that; Enter goes on to one of them.
    shows(&mut stage, "step 0 of 0");
    stage.keys("Down Down Down Enter");
    shows(&mut stage, "step 3 of 3");
    stage.keys("PageDown PageDown PageDown");
    shows(&mut stage, "the program ends with status 0");
    // In the past what was run already is what comes, and what is typed is waited for.
    stage.keys("g Home");
    shows(&mut stage, "r6 not set → 3");
    let mut stage = Stage::new("start: sys get_int\n add r0, 5\n halt\n").sized(150, 50);
    stage.keys(":").text("pane: ahead").keys("Enter");
    shows(&mut stage, "waits for something to be typed");
}
