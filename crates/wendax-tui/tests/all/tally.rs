//! The tally: tables that sort and lead to lines and moments, what stands beside the lines, tallies kept and compared.

use crate::common::{Stage, hides, shows};

/// The screen has these words in a row, whatever the blanks between them.
#[track_caller]
fn tells(stage: &mut Stage, wanted: &str) {
    let screen = stage.screen();
    let is_there = |line: &str| line.split_whitespace().collect::<Vec<_>>().join(" ").contains(wanted);
    assert!(screen.lines().any(is_there), "`{wanted}` is not on\n{screen}");
}

const WORK: &str = "\
start:  mov   r1, 200
next:   add   r2, r1
        stw   [total], r2
        djnz  r1, next
        mov   r0, 3
        call  twice
        mov   r0, 5
        call  twice
        cmp   r2, 0
        jz    never
        mov   r0, 0
        sys   exit
never:  nop
        halt
twice:  mul   r0, r0
@round: djnz  r0, @round
        ret
.data
total:  .word 0
";

#[test]
fn what_a_run_cost_stands_in_tables_that_lead_to_lines_and_moments() {
    let mut stage = Stage::new(WORK);
    stage.keys(":tally_what_the_run");
    shows(&mut stage, "nothing was run yet");
    stage.keys(":tally_what_the_run g :tally_what_the_run");
    shows(&mut stage, "▸tally");
    shows(&mut stage, "15 of 17 ran");
    // Twice, once for each argument; the dearest is told with what it was given.
    tells(&mut stage, "twice 2");
    shows(&mut stage, "r0 = 5, r1 = 0");
    // Lines, dearest first; the one chosen is gone to.
    stage.keys("x");
    shows(&mut stage, "▸lines");
    stage.keys("Enter");
    shows(&mut stage, "▸source");
    shows(&mut stage, "line 3 of");
    // Another column, the other way round.
    stage.keys(":tally_what_the_run Shift-Right");
    shows(&mut stage, "▾line");
    stage.keys("Shift-Right Shift-Right");
    shows(&mut stage, "▾cycles");
    stage.keys(":tally_the_other_way_round");
    shows(&mut stage, "▴cycles");
    shows(&mut stage, "never");
    stage.keys("Esc");
    shows(&mut stage, "▸source");
    // From a routine to its dearest call.
    stage.keys(":tally_what_the_run :the_table_before Down Enter");
    shows(&mut stage, "step 615 of");
}

#[test]
fn beside_the_lines_stands_how_often_each_ran_and_what_instructions_take() {
    let mut stage = Stage::new(WORK);
    stage.keys(":beside_the_lines");
    shows(&mut stage, "how often each line ran");
    stage.keys("g");
    shows(&mut stage, "200 ━━━━━━         stw");
    let screen = stage.screen();
    let dead = screen.lines().find(|line| line.contains("halt")).expect("it is shown");
    assert!(dead.contains("never"), "{dead}");
    stage.keys(":beside_the_lines");
    let screen = stage.screen();
    let jump = screen.lines().find(|line| line.contains("djnz  r1, next")).expect("it is shown");
    assert!(jump.contains("1/2"), "{jump}");
    stage.keys(":beside_the_lines");
    hides(&mut stage, "1/2");
}

#[test]
fn tallies_are_kept_and_set_beside_the_present_run_also_after_an_edit() {
    let mut stage = Stage::new(WORK);
    // The first time there is nothing to set beside it: it is kept.
    stage.keys("g P c");
    shows(&mut stage, "keep the tally as");
    stage.keys("Ctrl-U").text("before").keys("Enter");
    shows(&mut stage, "kept as before");
    stage
        .keys("Esc /")
        .text("200")
        .keys("Enter e End Backspace Backspace Backspace")
        .text("20")
        .keys("Esc R g :tally_what_the_run c");
    shows(&mut stage, "beside before");
    tells(&mut stage, "before now difference ratio");
    // 180 rounds of 1, 3 and 2 cycles less.
    tells(&mut stage, "cycles 1 299 219 −1 080");
    // Saved and read again it is the same.
    stage.keys(":").text("save the tally").keys("Enter Ctrl-U").text("yard.json").keys("Enter");
    let (path, bytes) = stage.written.pop().expect("it is written");
    assert_eq!(path, "yard.json");
    stage.folder.insert("yard.json".into(), bytes);
    stage.keys(":").text("take one that was saved").keys("Enter").text("yard.json").keys("Enter");
    shows(&mut stage, "yard is kept now");
    stage.keys("c c");
    shows(&mut stage, "beside yard");
    hides(&mut stage, "−1 080");
    stage.folder.insert("no.json".into(), b"{}".to_vec());
    stage.keys(":").text("take one that was saved").keys("Enter").text("no.json").keys("Enter");
    shows(&mut stage, "this is no tally");
}

#[test]
fn passages_and_parts_of_a_run_are_measured() {
    let mut stage = Stage::new(WORK);
    stage.keys("g :").text("each passage").keys("Enter").text("twice to start").keys("Enter");
    shows(&mut stage, "▸tally");
    stage.keys(":").text("each passage").keys("Enter").text("twice").keys("Enter :the_table_before");
    shows(&mut stage, "▸spans");
    // 9 rounds, and the call between: from each time it is come to until the next.
    shows(&mut stage, "twice");
    stage.keys(":").text("only the part").keys("Enter").text("601 to now").keys("Enter");
    shows(&mut stage, "only steps 601 to");
    shows(&mut stage, "from 601 to");
    stage.keys(":").text("only the part").keys("Enter").text("7 to 3").keys("Enter");
    shows(&mut stage, "the second moment is to lie behind the first");
    stage.keys("Esc :").text("each passage").keys("Enter").text("nowhere to twice").keys("Enter");
    shows(&mut stage, "`nowhere`: nothing here has the name");
}
