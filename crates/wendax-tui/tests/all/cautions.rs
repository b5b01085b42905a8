//! Cautions in the bench: in the account, beside lines, as a list that leads to where it began.

use crate::common::{Stage, hides, shows};

const KEPT: &str = "\
start:  mov   r6, 3
next:   call  weigh
        djnz  r6, next
        clr   r0
        sys   exit
weigh:  mov   r6, 1
        mov   r0, 5
        ret
";

#[test]
fn what_looks_wrong_is_in_the_account_beside_its_line_and_in_a_list_that_leads_to_its_beginning() {
    let mut stage = Stage::new(KEPT).sized(120, 40);
    // In the account before it is done, as the walk comes there.
    stage.keys("Right Right Right Right");
    shows(&mut stage, "caution: `r6` is changed and not given back: 3 became");
    shows(&mut stage, "1 in `weigh`; changed by `mov r6, 1` on line 6 at");
    hides(&mut stage, "△");
    // Beside its line once it was done.
    stage.keys("g");
    shows(&mut stage, "△  8");
    stage.keys(":").text("cautions").keys("Enter");
    shows(&mut stage, "▸cautions");
    shows(&mut stage, "1 caution");
    shows(&mut stage, "step 4: `r6` is changed and not given back");
    // To the step that does it, and from there to where it began.
    stage.keys("Enter");
    shows(&mut stage, "step 4 of");
    shows(&mut stage, "caution: `r6` is changed and not given back");
    stage.keys("Enter");
    shows(&mut stage, "step 2 of");
    hides(&mut stage, "caution: `r6`");
    // Mended and replayed there is none.
    stage.keys("Esc e Ctrl-Home Down Down Down Down Down End Shift-Home").text("weigh:  mov   r2, 1").keys("Esc r g");
    stage.keys(":").text("cautions").keys("Enter");
    shows(&mut stage, "nothing in the run so far looks wrong");
    hides(&mut stage, "△");
}

#[test]
fn what_is_meant_is_told_no_more_and_going_back_tells_what_came_then() {
    let mut stage =
        Stage::new(&KEPT.replace("        ret", "        ret  ; meant C03: r6 is what it counts")).sized(120, 40);
    stage.keys("Right Right Right Right");
    hides(&mut stage, "caution:");
    stage.keys("g :").text("cautions").keys("Enter");
    shows(&mut stage, "nothing in the run so far looks wrong");
    // A value set in the past makes another run, which is gone through anew.
    let mut stage =
        Stage::new("start:  mov r1, 2\n mov r2, 7\nnext: djnz r1, next\n clr r0\n sys exit\n").sized(120, 40);
    stage.keys("g Home Right Right");
    hides(&mut stage, "caution:");
    stage.keys("=").text("r1 = 0").keys("Enter");
    shows(&mut stage, "caution: r1 is 0 before 1 is taken off: 65 536");
    // A person set it, and no step.
    hides(&mut stage, "set by `djnz");
    stage.keys("Ctrl-Z");
    hides(&mut stage, "caution:");
}

#[test]
fn what_comes_again_is_told_each_time_live_and_gone_back_to() {
    let text = "start: mov r7, 5\n mov r6, 3\nnext: call f\n djnz r6, next\n clr r0\n sys exit\nf: mov r7, r6\n ret\n";
    let mut stage = Stage::new(text).sized(130, 40);
    let told = [(4, "5 became"), (8, "3 became"), (12, "2 became")];
    // As the walk comes there for the first time.
    for (step, words) in told {
        stage.keys("t").text(&step.to_string()).keys("Enter");
        shows(&mut stage, words);
    }
    stage.keys("g");
    hides(&mut stage, "caution:");
    // And when it goes back there.
    for (step, words) in told.into_iter().rev() {
        stage.keys("t").text(&step.to_string()).keys("Enter");
        shows(&mut stage, words);
    }
    stage.keys("g :").text("cautions").keys("Enter");
    shows(&mut stage, "step 4, 3 times:");
}
