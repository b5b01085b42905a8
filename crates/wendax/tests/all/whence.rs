//! Questions about the run, asked in a real terminal: stops, where things come from, watches, the trail, slow running.

use crate::common::Screen;

const LOADS: &str = "\
start:  mov   r6, loads
        mov   r7, 4
        clr   r2
next:   ldw   r1, [r6]
        call  weigh
        add   r6, 2
        djnz  r7, next
        mov   r0, r2
        sys   put_int
        sys   exit
weigh:  push  r7
        add   r2, r1
        stw   [total], r2
        pop   r7
        ret
        .data
loads:  .word 120, 99, -7, 240
total:  .word 0
";

fn bench(home: &tempfile::TempDir) -> Screen {
    let path = home.path().join("loads.asm");
    std::fs::write(&path, LOADS).expect("a source");
    let screen = Screen::start(home.path(), &path.display().to_string(), 160, 50);
    screen.shows("ready");
    screen
}

#[test]
fn stops_are_set_listed_and_kept_over_an_end() {
    let home = tempfile::tempdir().expect("a folder");
    let screen = bench(&home);
    screen.text("achange total if r2 > 200");
    screen.keys("Enter");
    screen.shows("the run stops at: change total if r2 > 200");
    screen.text("g");
    screen.shows("paused: change total if r2 > 200");
    screen.shows("step 17 of 17");
    screen.text("gG");
    screen.shows("step 17 of 26");
    screen.text("s");
    screen.shows("met 2 ×");
    screen.text("jleave weigh");
    screen.keys("Enter");
    screen.shows("paused: leave weigh");
    screen.text("q");
    screen.shows("ended with 0");
    drop(screen);
    let screen = bench(&home);
    screen.text("g");
    screen.shows("paused: change total if r2 > 200");
    screen.text("q");
    screen.shows("ended with 0");
}

#[test]
fn a_word_of_the_stack_and_a_printed_line_lead_to_their_steps() {
    let home = tempfile::tempdir().expect("a folder");
    let screen = bench(&home);
    screen.text("g");
    screen.shows("finished, status 452");
    screen.shows("which `mov r0, r2` on line 8 left");
    screen.text("Jenter weigh");
    screen.keys("Enter");
    screen.shows("way back from weigh");
    screen.keys("Tab Tab Tab Right");
    screen.text("h");
    screen.shows("written last");
    screen.shows("push r7");
    screen.keys("Enter");
    screen.shows("weigh, line 11");
    screen.text("(");
    screen.shows("weigh + 2, line 12");
    screen.text(":pane console");
    screen.keys("Enter");
    screen.keys("End Enter");
    screen.shows("line 9");
    screen.text("q");
    screen.shows("ended with 0");
}

#[test]
fn watches_trail_and_slow_running_follow_the_run() {
    let home = tempfile::tempdir().expect("a folder");
    let screen = bench(&home);
    screen.text("vloads as words 4, [total] as hex");
    screen.keys("Enter");
    screen.shows("120     99     -7    240");
    screen.text("jchange total");
    screen.keys("Enter");
    screen.shows("•[total] as hex");
    screen.shows("0078  was 0000");
    screen.text("gT/in weigh");
    screen.keys("Enter");
    screen.shows("in weigh · 20 found");
    screen.keys("C-Home Enter");
    screen.shows("step 5 of");
    // Slowly, faster, and to the end.
    screen.keys("Home");
    screen.text("k");
    screen.shows("running, 2 steps a second");
    screen.text("+++++");
    screen.shows("finished, status 452");
    screen.text("q");
    screen.shows("ended with 0");
}

#[test]
fn the_first_steps_go_on_where_they_were_left() {
    let home = tempfile::tempdir().expect("a folder");
    for lesson in ["1 of 17", "2 of 17", "3 of 17"] {
        let screen = Screen::start(home.path(), "demo first", 120, 36);
        screen.shows(lesson);
        screen.shows("ready");
        match lesson {
            "1 of 17" => screen.keys("Tab Tab Tab Tab"),
            "2 of 17" => screen.keys("Right"),
            _ => screen.keys("Right Left"),
        }
        screen.shows("✓ ");
        screen.text("q");
        screen.shows("ended with 0");
    }
}
