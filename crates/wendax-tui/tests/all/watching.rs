//! Watches: values in their forms, what they were, who wrote them, what the routine uses.

use crate::common::{Stage, hides, shows};
use wendax_machine::Settings;
use wendax_tui::{App, Message, Theme};

const SORT: &str = "\
start:  mov   r6, weights
        mov   r7, 3
        call  next
        sys   exit
next:   ldw   r1, [r6]
        add   r1, 100
        stw   [r6], r1
        add   r6, 2
        djnz  r7, next
        mov   r0, 0
        ret
.data
weights: .word 5, -7, 300
name:   .asciz \"Ostrey\"
";

#[test]
fn values_are_watched_in_their_forms() {
    let mut stage = Stage::new(SORT);
    stage.keys("v").text("weights as words 3, name as text, r1 as binary").keys("Enter");
    shows(&mut stage, "\"Ostrey\"");
    shows(&mut stage, "0       5     -7    300");
    stage.keys("j").text("change weights").keys("Enter");
    shows(&mut stage, "0     105     -7    300");
    shows(&mut stage, "•weights as words 3");
    shows(&mut stage, "by line 7 at 5");
    shows(&mut stage, "0000 0000 0110 1001  was not set");
    // What is chosen is set in place, and leads to who wrote it.
    stage.keys(":").text("pane watches").keys("Enter Ctrl-Home Enter");
    shows(&mut stage, "step 5 of");
    stage.keys("v").text("nothing_here").keys("Enter");
    shows(&mut stage, "nothing here has the name `nothing_here`");
    stage.keys("Esc Delete");
    shows(&mut stage, "no longer watched: weights as words 3");
    hides(&mut stage, "-7    300");
    // They are there again when the program is opened the next time.
    let app = App::new(Some("/yard/w.asm".to_owned()), SORT, Settings::default(), Theme::default());
    let mut again = Stage::with(app.with_kept(stage.app.kept()));
    shows(&mut again, "name as text");
}

#[test]
fn what_the_routine_uses_is_watched() {
    let mut stage = Stage::new(SORT);
    stage.keys(":watch_what_the_present");
    shows(&mut stage, "with what the routine uses");
    shows(&mut stage, "weights");
    stage.keys("j").text("enter next").keys("Enter");
    shows(&mut stage, "─ watches");
    shows(&mut stage, "by line 2 at 1");
    stage.keys(":watch_what_the_present");
    hides(&mut stage, "─ watches");
    // A register is chosen, and set where it stands.
    stage.keys("Tab = ").text("42").keys("Enter");
    shows(&mut stage, "r0  002A");
    stage.keys("m").text("weights").keys("Enter = ").text("0x1234").keys("Enter");
    shows(&mut stage, "34 12 F9 FF");
}

#[test]
fn memory_is_searched_shown_as_numbers_and_saved() {
    let mut stage = Stage::new(SORT);
    stage.keys(":find_in_memory_a_word").text("\"trey\"").keys("Enter");
    shows(&mut stage, "▸memory");
    shows(&mut stage, "0308 data");
    stage.keys(":find_in_memory_a_word Ctrl-U").text("300").keys("Enter");
    shows(&mut stage, "0304 data");
    stage.keys(":find_in_memory_a_word Ctrl-U").text("byte 0xFF").keys("Enter");
    shows(&mut stage, "0303 data");
    stage.keys("n");
    shows(&mut stage, "0303 data");
    stage.keys(":find_in_memory_a_word Ctrl-U").text("0x7777").keys("Enter");
    shows(&mut stage, "no cell of memory holds that");
    stage.keys("Esc m").text("weights").keys("Enter x");
    shows(&mut stage, "     5     -7    300");
    stage.keys("x");
    shows(&mut stage, "     5  65529    300");
    stage.keys(":").text("save part memory").keys("Enter Ctrl-U").text("weights as bytes 6 to part.bin").keys("Enter");
    stage.keys(":").text("save part memory").keys("Enter Ctrl-U").text("weights as words 3 to part.txt").keys("Enter");
    assert_eq!(stage.written[0], ("part.bin".to_owned(), vec![5, 0, 0xF9, 0xFF, 0x2C, 1]));
    assert_eq!(stage.written[1].1, b"weights as words 3, at 0x0300\n   0       5     -7    300\n");
    stage.keys("g :").text("save trail").keys("Enter Ctrl-U").text("t.csv").keys("Enter");
    let text = String::from_utf8(stage.written[2].1.clone()).expect("it is text");
    assert!(text.starts_with("step,address") && text.lines().count() == 22, "{text}");
}

#[test]
fn what_was_never_set_and_what_goes_nowhere_is_told_in_plain_words() {
    let mut stage = Stage::new("start: mov r1, 5\n stw [cell], r1\n halt\n.data\ncell: .space 2\n");
    stage.keys("v").text("[cell], r1").keys("Enter Right");
    shows(&mut stage, "was not set");
    stage.keys("Right");
    shows(&mut stage, "was not set");
    hides(&mut stage, "was nothing");
    stage.keys("=").text("[levers] = 3").keys("Enter");
    shows(&mut stage, "levers are moved with 0 to 9 where the board is shown");
    stage.keys("Esc");
    stage.message(Message::Paste("mov r1, 5\n".to_owned()));
    shows(&mut stage, "e writes in the text");
    assert!(!stage.app.is_changed());
}
