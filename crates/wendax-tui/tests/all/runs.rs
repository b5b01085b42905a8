//! Runs that were left for another one: listed, gone to, named, compared with, dropped.

use crate::common::{Stage, hides, shows};

const SUM: &str = "\
start:  sys   get_int
        mov   r6, r0
        sys   get_int
        add   r6, r0
        mov   r0, r6
        sys   put_int
        clr   r0
        sys   exit
";

#[test]
fn what_was_left_by_typing_otherwise_is_another_run_that_can_be_gone_to() {
    let mut stage = Stage::new(SUM).sized(150, 50);
    stage.keys(":").text("pane: runs").keys("Enter");
    shows(&mut stage, "no run was left for another one yet");
    stage.keys("Esc g").text("5").keys("Enter").text("7").keys("Enter");
    shows(&mut stage, "finished, status 0");
    // Another second number: the first run stays.
    stage.keys("G").text("8").keys("Enter g");
    shows(&mut stage, "13");
    stage.keys(":").text("pane: runs").keys("Enter");
    shows(&mut stage, "▸runs");
    shows(&mut stage, "1 other run");
    shows(&mut stage, "before what was typed");
    shows(&mut stage, "parts at step 2");
    shows(&mut stage, "step 2 of 8");
    // It gets a name; the present moment beside the same one of it.
    stage.keys(":").text("branch that is chosen").keys("Enter Ctrl-U").text("twelve").keys("Enter");
    shows(&mut stage, "twelve");
    stage.keys("x");
    shows(&mut stage, "here, and twelve at step 8");
    shows(&mut stage, "12 → 13");
    stage.keys("Left Left Left Left Left Left");
    shows(&mut stage, "here, and twelve at step 2");
    shows(&mut stage, "nothing differs");
    // Gone to: it is as it was left, and the other one is in the list for it.
    stage.keys(":").text("pane: runs").keys("Enter Enter");
    shows(&mut stage, "this is another run now");
    shows(&mut stage, "this is twelve · 1 other run");
    stage.keys("End");
    shows(&mut stage, "12");
    hides(&mut stage, "13");
    // And back, by Ctrl-Z and by the list.
    stage.keys("Ctrl-Z End");
    shows(&mut stage, "13");
    stage.keys("Ctrl-Y End");
    hides(&mut stage, "13");
    stage.keys(":").text("pane: runs").keys("Enter Delete");
    shows(&mut stage, "that run is in the list no more");
    shows(&mut stage, "0 other runs");
    // What Ctrl-Z leads to is there all the same.
    stage.keys("Ctrl-Z End");
    shows(&mut stage, "13");
}

#[test]
fn nothing_that_was_run_is_thrown_away_by_a_key() {
    let mut stage = Stage::new("start:  mov r1, 1\n        add r1, 1\n        halt\n").sized(150, 50);
    stage.keys("g Home Right =").text("r1 = 5").keys("Enter g Home Right Ctrl-Z =").text("r1 = 6").keys("Enter g");
    // The one that was taken back is no longer ahead of Ctrl-Y, and still a run.
    stage.keys(":").text("pane: runs").keys("Enter");
    shows(&mut stage, "2 other runs");
    stage.keys("Down Enter");
    shows(&mut stage, "this is another run now");
    stage.keys("End");
    shows(&mut stage, "r1  0006");
}

#[test]
fn two_runs_are_walked_together_and_part_and_meet_again() {
    let text = "start:  sys   get_int\n        cmp   r0, 10\n        jlt   small\n        mov   r1, 1\n        mov   r2, 2\n        jmp   both\n\
                small:  mov   r1, 7\nboth:   add   r1, r0\n        halt\n";
    let mut stage = Stage::new(text).sized(150, 50);
    stage.keys("g").text("5").keys("Enter Home i").text("50").keys("Enter Esc g :").text("pane: runs").keys("Enter x");
    stage.keys("Home :").text("pane: both").keys("Enter");
    shows(&mut stage, "▸both");
    stage.keys("Right Right");
    shows(&mut stage, "step 2 · the run before");
    // Here they part: four instructions here, two there, and both are at the sum.
    stage.keys("Right");
    shows(&mut stage, "step 6 of 8");
    shows(&mut stage, "step 4");
    shows(&mut stage, "≠");
    shows(&mut stage, "add r1, r0");
    stage.keys("Right");
    shows(&mut stage, "step 7 of 8");
    // And back the same way.
    stage.keys("Left Left");
    shows(&mut stage, "step 2 of 8");
    stage.keys("Right");
    shows(&mut stage, "step 6 of 8");
    // What differs stands first, right behind the place.
    let rows: Vec<String> =
        stage.screen().lines().skip_while(|line| !line.contains("▸both")).map(str::to_owned).collect();
    let (differs, same): (Vec<usize>, Vec<usize>) = (3..9).partition(|at| rows[*at].contains('≠'));
    assert!(differs.iter().max() < same.iter().min() && !differs.is_empty(), "{rows:#?}");
    stage.keys("End Right");
    shows(&mut stage, "they come to no common place any more");
}
