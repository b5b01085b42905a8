//! Pages that follow the walk: the flow of the present routine, the atlas of memory; and drawings by palette.

use crate::common::{Stage, hides, shows};

const YARD: &str = "\
start:  mov   r0, wagons
        mov   r1, 4
        call  total
        stw   [sum], r0
        mov   r0, 0
        sys   exit
total:  clr   r2
@next:  ldw   r3, [r0]
        cmp   r3, 200
        jltu  @small
        add   r2, r3
@small: add   r0, 2
        djnz  r1, @next
        mov   r0, r2
        ret
.data
wagons: .word 120, 340, 260, 90
sum:    .word 0
";

#[test]
fn the_flow_of_the_present_routine_follows_the_walk_and_leads_to_lines() {
    let mut stage = Stage::new(YARD);
    stage.keys("P");
    shows(&mut stage, "▸tally");
    shows(&mut stage, "P: flow");
    stage.keys("P");
    shows(&mut stage, "▸flow");
    shows(&mut stage, "mov r0, wagons");
    hides(&mut stage, "@small");
    // Into the routine: the page goes with it, without counts of what has not run.
    stage.keys("Right Right Right");
    shows(&mut stage, "▌0210 clr r2");
    shows(&mut stage, "jltu @small");
    stage.keys("Left");
    shows(&mut stage, "▌0206 call total");
    // With a run behind it there are counts: two of four are small.
    stage.keys("g G Right Right Right Right");
    shows(&mut stage, "C = 1  2×");
    shows(&mut stage, "r1 ≠ 0  3×");
    shows(&mut stage, "@next  4×");
    stage.keys("Ctrl-Home Down Down Enter");
    shows(&mut stage, "▸source");
    shows(&mut stage, "line 9 of");
    // The same key, and Esc, lead back.
    stage.keys("P");
    shows(&mut stage, "▸flow");
    stage.keys("Esc");
    hides(&mut stage, "▸flow");
}

#[test]
fn the_atlas_maps_memory_and_leads_into_it() {
    let mut stage = Stage::new(YARD);
    stage.keys(":atlas_all_of_memory");
    shows(&mut stage, "no memory up to");
    shows(&mut stage, "data:  wagons  sum");
    shows(&mut stage, "· never written up to FDFF   stack:");
    shows(&mut stage, "▫ never touched up to FFFF   devices:");
    shows(&mut stage, "▶");
    hides(&mut stage, "▓▓");
    // What ran and what was touched, the loop and its words most often.
    stage.keys("g");
    shows(&mut stage, "0200   ▒▒▒▒▒▒▒▒▒▒▒▒▒▒▶▒▒▒▓▓▓▓▓▓▓▓▓▓▓▓▓▓▒▒▒▒");
    // With how often each was come to; the stack is no longer one piece.
    shows(&mut stage, "start 1×  total 1×");
    shows(&mut stage, "never written up to FDBF");
    // What was changed just now, and where a register points.
    stage.keys("G");
    shows(&mut stage, "◂");
    stage.keys("Ctrl-Home Down Down");
    shows(&mut stage, "0200 (start), in code");
    stage.keys("Shift-Right");
    shows(&mut stage, "in code");
    stage.keys("Enter");
    shows(&mut stage, "▸memory");
    hides(&mut stage, "▸atlas");
}

/// The file written last, as text.
fn written(stage: &mut Stage) -> (String, String) {
    let (path, bytes) = stage.written.pop().unwrap_or_else(|| panic!("nothing was written\n{}", stage.screen()));
    (path, String::from_utf8_lossy(&bytes).into_owned())
}

fn draw(stage: &mut Stage, words: &str, answer: &str) {
    stage.keys(":").text(words).keys("Enter");
    if !answer.is_empty() {
        stage.keys("Ctrl-U").text(answer);
    }
    stage.keys("Enter");
}

#[test]
fn drawings_of_what_is_looked_at_go_to_files() {
    let mut stage = Stage::new(YARD);
    stage.keys("g t").text("5").keys("Enter");
    draw(&mut stage, "draw the flow", "");
    let (path, text) = written(&mut stage);
    assert_eq!(path, "flow-total.svg");
    assert!(text.contains("jltu @small") && text.contains("C = 1"), "{text}");
    for (words, wanted) in [
        ("draw which routine calls", "with calls"),
        ("draw the calls of the run", "calls over time"),
        ("draw the map of memory", "wagons"),
        ("draw the stack as it is", "way back to"),
        ("draw the code words", "destination register"),
        ("draw the screen", "insert"),
        ("draw the pane in focus before", "source, step 4"),
        ("draw things followed", "depth of calls"),
        ("draw the tally as bars", "own cycles by routine"),
    ] {
        draw(&mut stage, words, "");
        let (path, text) = written(&mut stage);
        assert_eq!(path.rsplit('.').next(), Some("svg"));
        assert!(text.contains(wanted) || wanted == "insert" && text.contains("total"), "{words}: {text}");
    }
    draw(&mut stage, "draw data in cells", "wagons as words 4 at 0, now to yard.pdf");
    assert!(written(&mut stage).1.starts_with("%PDF"));
    draw(&mut stage, "draw the arithmetic", "40000 + 40000 to sum.svg");
    assert!(written(&mut stage).1.contains("carry leaves the highest place"));
    draw(&mut stage, "draw things followed", "r2, sum to run.vcd");
    assert!(written(&mut stage).1.contains("$var wire 16"));
    draw(&mut stage, "draw the map of memory", "way to the yard.svg");
    assert_eq!(written(&mut stage).0, "way to the yard.svg", "only what is drawn of something is split");
    // What cannot be drawn is said, and nothing is written.
    draw(&mut stage, "draw the screen", "screen.png");
    shows(&mut stage, "`screen.png`: a drawing goes to a .svg or a .pdf");
    stage.keys("Esc");
    draw(&mut stage, "draw things followed", "nowhere to run.svg");
    shows(&mut stage, "nothing here has the name");
    stage.keys("Esc");
    draw(&mut stage, "draw data in cells", "wagons at 9999 to data.svg");
    shows(&mut stage, "the run has");
    assert!(stage.written.is_empty());
}
