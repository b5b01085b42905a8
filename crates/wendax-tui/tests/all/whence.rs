//! Where things come from: writers, readers, changes, and the way back to where one was.

use crate::common::{Stage, hides, shows};

const SUMS: &str = "\
start:  mov   r1, 4
next:   add   r2, r1
        stw   [total], r2
        call  twice
        djnz  r1, next
        mov   r0, r2
        sys   put_int
        sys   exit
twice:  push  r2
        pop   r3
        ret
.data
total:  .word 0
label:  .asciz \"ab\"
";

#[test]
fn enter_on_a_register_goes_to_who_wrote_it() {
    let mut stage = Stage::new(SUMS);
    stage.keys("a").text("sys_never").keys("Esc g");
    shows(&mut stage, "finished");
    // r2 is the third register.
    stage.keys("Tab Down Down Enter");
    shows(&mut stage, "here r2 becomes 10");
    shows(&mut stage, "next, line 2");
    stage.keys("(");
    shows(&mut stage, "finished");
    stage.keys(")");
    shows(&mut stage, "next, line 2");
    stage.keys(")");
    shows(&mut stage, "there is no moment to go forth to");
    // What was set by hand was set by hand.
    stage.keys("=").text("7").keys("Enter Right H");
    shows(&mut stage, "here r2 becomes 8");
    stage.keys("Up Up Up Down Down H");
    shows(&mut stage, "here r2 was set by hand");
    stage.keys("Home H");
    shows(&mut stage, "nothing wrote r2");
}

#[test]
fn a_chart_has_the_range_of_what_there_was_and_the_stack_pointer_leads_somewhere() {
    let mut stage = Stage::new("start: mov r1, 5\n mov r1, 0xFFFF\n mov r1, 3\n push r1\n pop r1\n halt\n");
    stage.keys("g h").text("r1").keys("Enter");
    shows(&mut stage, "-1 … 5");
    stage.keys("h").text("sp").keys("Enter");
    shows(&mut stage, "0xFDFE … 0xFE00");
}

#[test]
fn the_changes_of_a_word_of_the_stack_are_listed() {
    let mut stage = Stage::new(SUMS);
    stage.keys("g Home j").text("when r3 == 7").keys("Enter");
    shows(&mut stage, "way back from twice");
    stage.keys("Tab Tab Tab");
    shows(&mut stage, "▸stack");
    stage.keys("h");
    shows(&mut stage, "▸changes");
    shows(&mut stage, "written last");
    shows(&mut stage, "line 4  call twice   the same again");
    shows(&mut stage, "read next");
    shows(&mut stage, "line 11  ret");
    shows(&mut stage, "· 1 change");
    stage.keys("Enter");
    shows(&mut stage, "line 4");
    stage.keys("h").text("total").keys("Enter");
    shows(&mut stage, "total · 4 changes");
    shows(&mut stage, "0 → 4");
    stage.keys("Down Down Down Enter");
    shows(&mut stage, "step 2 of");
    stage.keys("(");
    hides(&mut stage, "step 2 of");
    stage.keys("h").text("what").keys("Enter");
    shows(&mut stage, "nothing here has the name `what`");
}

#[test]
fn a_long_search_tells_how_far_it_is_and_is_given_up() {
    let mut stage = Stage::new(
        "start: mov r5, 7\n mov r1, 0\nnext: add r2, 1\n adc r3, 0\n djnz r1, next\n add r4, 1\n jmp next\n",
    );
    stage.keys("t").text("12000000").keys("Enter");
    while stage.app.has_work() {
        stage.message(wendax_tui::Message::Work);
    }
    shows(&mut stage, "step 12 000 000");
    stage.keys("Tab Down Down Down Down Down Enter");
    shows(&mut stage, "looking for the step that wrote r5");
    stage.keys("Esc");
    shows(&mut stage, "no longer looked for");
    stage.keys("Enter");
    while stage.app.has_work() {
        stage.message(wendax_tui::Message::Work);
    }
    shows(&mut stage, "here r5 becomes 7");
}

#[test]
fn the_memory_has_a_cursor_that_asks() {
    let mut stage = Stage::new(SUMS);
    stage.keys("g m").keys("Enter H");
    shows(&mut stage, "here total becomes 10");
    stage.keys("m").text("label").keys("Enter Shift-Right H");
    shows(&mut stage, "nothing wrote byte [label + 1]");
    stage.keys("Up H");
    shows(&mut stage, "here byte [total + 1] becomes");
}

#[test]
fn lines_of_the_console_lead_to_their_steps() {
    let mut stage = Stage::new(
        "start: sys get_int\n mov r1, r0\n mov r0, 'x'\n sys put_char\n mov r0, 10\n sys put_char\n mov r0, r1\n sys put_int\n sys exit\n",
    );
    stage.keys("g").text("41\n");
    shows(&mut stage, "finished");
    stage.keys(":").text("pane console").keys("Enter Up Enter");
    shows(&mut stage, "start + 8, line 4");
    stage.keys("Up Enter");
    shows(&mut stage, "start, line 1");
}

/// Of much output the last rows can be gone through, each to its own step.
#[test]
fn rows_of_much_output_lead_to_their_steps() {
    let mut stage = Stage::new(
        "start: mov r1, 2000\nnext: mov r0, r1\n sys put_uint\n mov r0, 10\n sys put_char\n djnz r1, next\n mov r0, 0\n sys exit\n",
    );
    stage.keys("g");
    while stage.app.has_work() {
        stage.message(wendax_tui::Message::Work);
    }
    // Below 1 stands the last row.
    stage.keys(":").text("pane console").keys("Enter Up Up Enter");
    shows(&mut stage, "r0  0003");
    shows(&mut stage, "put_uint: print an unsigned number");
    stage.keys("Ctrl-Home Enter");
    shows(&mut stage, "put_uint: print an unsigned number");
    shows(&mut stage, "r0  01F6");
}
