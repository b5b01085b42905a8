//! What each pane of the bench shows, and the commands that are about one pane.

use crate::common::{DEMO, Stage, hides, shows};
use ratatui::buffer::Buffer;
use ratatui::style::Modifier;
use wendax_machine::Settings;
use wendax_tui::{App, Colours, Look, Mode, Theme};

/// The rows of the screen that hold a text.
fn rows_with(stage: &mut Stage, wanted: &str) -> Vec<String> {
    stage.screen().lines().filter(|row| row.contains(wanted)).map(str::to_owned).collect()
}

const DATA: &str = "\
start:  mov   r1, 0x1234
        stw   [zeros + 30], r1
        stb   [text], r1
        lea   r6, [zeros + 8]
        sys   exit
.data
words:  .word 1, 0xFFFE
text:   .asciz \"Wend\"
odd:    .byte 7
zeros:  .space 64, 0
after:  .word 9
";

#[test]
fn memory_begins_a_row_at_each_label_and_folds_what_is_equal() {
    let mut stage = Stage::new(DATA);
    shows(&mut stage, "words       0300  01 00 FE FF              0001 FFFE            ····");
    shows(&mut stage, "text        0304  57 65 6E 64 00           6557 646E            Wend·");
    shows(&mut stage, "odd         0309  07                                            ·");
    shows(&mut stage, "zeros       030A  00 00 00 00 00 00 00 00  0000 0000 0000 0000  ········");
    shows(&mut stage, "the same 7 more times");
    shows(&mut stage, "no memory up to");
}

#[test]
fn a_change_in_a_fold_is_seen() {
    let mut stage = Stage::new(DATA);
    stage.keys("Right Right");
    shows(&mut stage, "0322  00 00 00 00 00 00 34 12  0000 0000 0000 1234");
    shows(&mut stage, "the same 2 more times");
    shows(&mut stage, "[0x0328] 0 → 4660");
    stage.keys("Right Right");
    shows(&mut stage, "r6→ 0312");
}

#[test]
fn memory_scrolls_and_goes_through_the_regions() {
    let mut stage = Stage::new(DATA).sized(160, 34);
    stage.keys("Tab Tab Tab Tab");
    shows(&mut stage, "▸memory");
    for _ in 0..120 {
        stage.keys("Down");
    }
    shows(&mut stage, "FF40  ");
    stage.keys("Ctrl-Home");
    shows(&mut stage, "0000 ");
    stage.keys("m").text("data").keys("Enter Up Up Up Up");
    shows(&mut stage, "no memory up to 02FF");
    let mut titles = Vec::new();
    for _ in 0..5 {
        stage.keys(":memory_next_region");
        titles.push(
            ["EE00 stack", "FF00 device", "0000 trap", "0200 code", "── data"]
                .into_iter()
                .find(|title| stage.screen().contains(title)),
        );
    }
    assert_eq!(
        titles,
        [Some("EE00 stack"), Some("FF00 device"), Some("0000 trap"), Some("0200 code"), Some("── data")]
    );
}

/// Between the regions of a machine of four gigabytes lie hundreds of millions of rows: each is passed in one go.
#[test]
fn memory_of_four_gigabytes_is_gone_through_at_any_size() {
    let text = include_str!("../../../../demos/crossing/crossing.asm");
    let mut stage = Stage::new(text).sized(160, 40);
    stage.keys("m").text("_start").keys("Enter");
    shows(&mut stage, "▸memory");
    for (width, height) in [(160, 40), (160, 16), (100, 30), (60, 20)] {
        stage.resize(width, height);
        for _ in 0..6 {
            stage.keys(":memory_next_region");
            stage.keys("Up Up Down Down Down PageUp PageDown PageDown");
        }
        stage.keys("Ctrl-End Up Ctrl-Home Down");
        stage.screen();
    }
}

/// The last rows are short, a device register each: the end is the last of them all the same.
#[test]
fn the_end_of_memory_is_its_last_row() {
    let crossing = include_str!("../../../../demos/crossing/crossing.asm");
    for (text, begin, last) in [(DATA, "start", "FFF8  "), (crossing, "_start", "FFFFFFF8  ")] {
        for height in [34, 40, 50] {
            let mut stage = Stage::new(text).sized(160, height);
            stage.keys("m").text(begin).keys("Enter");
            shows(&mut stage, "▸memory");
            stage.keys("Ctrl-End");
            shows(&mut stage, last);
            let at_end = stage.screen();
            stage.keys("Down");
            assert_eq!(stage.screen(), at_end, "there is nothing behind it");
        }
    }
}

#[test]
fn registers_show_old_values_signs_characters_and_where_they_point() {
    let mut stage = Stage::new(
        "start: mov r0, text\n mov r1, -5\n mov r2, 'k'\n mov r1, -5\n mov r1, 6\n halt\n.data\ntext: .byte 1\n",
    );
    stage.keys("Right Right Right");
    shows(&mut stage, "r0  0300         → text");
    shows(&mut stage, "r1  FFFB     -5  or 65531");
    shows(&mut stage, "•r2  006B    107  'k'  was not set");
    stage.keys("Right");
    shows(&mut stage, "•r1  FFFB     -5  the same again");
    shows(&mut stage, "r2  006B    107  'k'");
    shows(&mut stage, "last step  r1 65531 (-5) again; nothing else");
    stage.keys("Right");
    shows(&mut stage, "•r1  0006      6  was 0xFFFB");
}

#[test]
fn flags_say_what_they_mean_and_who_set_them() {
    let mut stage = Stage::new("start: mov r1, 5\n cmp r1, 5\n jeq start\n halt\n");
    stage.keys("Right Right");
    shows(&mut stage, "•Z  1   result 0, or equal was 0  by line 2");
    shows(&mut stage, "taken: wants Z = 1, Z is 1; goes to 0x0200 (start)");
    shows(&mut stage, "set by `cmp r1, 5` on line 2");
}

#[test]
fn the_stack_names_its_words() {
    let mut stage = Stage::new(
        "start: mov r6, 3\n call outer\n halt\nouter: push r6\n push fl\n call inner\n pop fl\n pop r6\n ret\ninner: ret\n",
    );
    stage.keys("Right Right Right Right Right");
    for wanted in [
        "in 2 routines",
        "way back from inner, called on line 6",
        "pushed flags",
        "pushed r6 = 3",
        "way back from outer, called on line 2",
    ] {
        shows(&mut stage, wanted);
    }
    let mut stage = stage.sized(80, 24);
    stage.keys("Tab Tab Tab Ctrl-End");
    shows(&mut stage, "way back from outer");
    stage.keys("Enter");
    shows(&mut stage, "becomes");
}

#[test]
fn on_a_low_screen_every_pane_is_a_key_away() {
    let mut stage = Stage::new(DATA).sized(60, 16);
    shows(&mut stage, "registers");
    stage.keys("Tab Tab Tab");
    shows(&mut stage, "▸stack");
    stage.keys("Tab");
    shows(&mut stage, "▸memory");
    shows(&mut stage, "words");
    shows(&mut stage, "0300  01 00 FE FF");
    stage.keys("Tab Tab");
    shows(&mut stage, "registers");
}

#[test]
fn the_console_wraps_and_keeps_the_end_in_view() {
    let mut stage = Stage::new("start: mov r0, text\n sys put_text\n sys put_text\n sys get_int\n halt\n.data\ntext: .asciz \"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa\\nsecond\\tline\\x01 \"\n").sized(80, 40);
    stage.keys("g").text("12");
    shows(&mut stage, "second\u{2409}line\u{2401} 12");
    let long = rows_with(&mut stage, " aaaaaaaa");
    assert_eq!(long.len(), 2, "wrapped into two rows: {long:?}");
}

#[test]
fn the_console_says_what_it_no_longer_keeps() {
    let text = "start: mov r5, 430\nagain: mov r0, text\n sys put_text\n djnz r5, again\n halt\n.data\n\
                text: .space 20000, 46\n .asciz \"\\n\"\n";
    let mut stage = Stage::new(text);
    stage.keys("g");
    while stage.screen().contains("running") {
        stage.message(wendax_tui::Message::Work);
    }
    shows(&mut stage, "finished");
    let printed: u64 = 430 * 20_001;
    let head = rows_with(&mut stage, "bytes printed before are not kept");
    let told: String =
        head[0].split("bytes printed").next().expect("the number").chars().filter(char::is_ascii_digit).collect();
    let forgotten: u64 = told.parse().expect("a number");
    assert!(forgotten > 0 && (4 << 20..=8 << 20).contains(&(printed - forgotten)), "{head:?}");
    // At the beginning of the run all is there.
    stage.keys("Home").text("t40").keys("Enter");
    assert!(rows_with(&mut stage, "are not kept").is_empty());
}

#[test]
fn search_goes_around_and_says_when_there_is_nothing() {
    let mut stage = Stage::new(DEMO);
    stage.text("/PUSH").keys("Enter");
    shows(&mut stage, "line 67 of 97");
    stage.keys("n");
    shows(&mut stage, "line 67 of 97");
    stage.text("/nowhere to be found").keys("Enter");
    shows(&mut stage, "`nowhere to be found` is nowhere in the program");
    stage.keys("l").text("17").keys("Enter");
    shows(&mut stage, "line 17 of 97");
    stage.keys("l").text("many").keys("Enter");
    shows(&mut stage, "`many` is no line, and in no label, problem or call");
}

#[test]
fn problems_are_gone_through_in_order() {
    let mut stage = Stage::new("start: mov r0 1\n nop\n muv r1, 2\n halt\n .data\nspare: .word 1\n");
    shows(&mut stage, "2 problems in the text");
    shows(&mut stage, "line 1 of 7");
    stage.keys("N");
    shows(&mut stage, "line 3 of 7");
    stage.keys("N");
    shows(&mut stage, "line 1 of 7");
    stage.keys("Ctrl-T N Ctrl-T");
    shows(&mut stage, "ready");
    stage.keys("l").text("6").keys("Enter");
    shows(&mut stage, "W060 the label `spare` is never used");
    stage.keys("Ctrl-T");
    shows(&mut stage, "no fix is known for this line");
    stage.keys("N");
    shows(&mut stage, "there is no problem");
}

#[test]
fn breakpoints_can_be_at_addresses_and_are_cleared_at_once() {
    let mut stage = Stage::new(DEMO);
    stage.keys("a").text("wagon_weight").keys("Enter");
    shows(&mut stage, "the run stops at: wagon_weight");
    stage.keys("a").text("0x0203").keys("Enter");
    shows(&mut stage, "no instruction at 0x0203, which is no multiple of 2");
    stage.keys("Esc g").text("5\n0\n");
    shows(&mut stage, "paused: wagon_weight");
    shows(&mut stage, "wagon_weight, line 67");
    stage.keys(":clear_all_stops R");
    shows(&mut stage, "a new run, from the entry");
    stage.keys("g").text("0\n");
    shows(&mut stage, "finished, status 0");
}

#[test]
fn steps_are_reached_by_number_and_by_their_ends() {
    let mut stage = Stage::new(DEMO);
    stage.keys("g").text("5\n0\n").keys("t").text("7").keys("Enter");
    shows(&mut stage, "step 7 of 60");
    stage.keys("End");
    shows(&mut stage, "finished, status 0");
    stage.keys("Home");
    shows(&mut stage, "ready");
    stage.keys("t").text("x").keys("Enter");
    shows(&mut stage, "`x` is no step number");
}

#[test]
fn the_palette_has_what_fits_and_what_was_used_last_first() {
    let mut stage = Stage::new(DEMO);
    stage.keys("e Ctrl-P").text("execute one");
    shows(&mut stage, "while walking: →");
    stage.keys("Esc Esc :").text("execute one").keys("Enter");
    assert_eq!(stage.app.mode(), Mode::Walk);
    shows(&mut stage, "step 1 of 1");
    // What belongs to a page is told as that.
    stage.keys(":").text("tally other way round");
    shows(&mut stage, "in the tally");
    hides(&mut stage, "while writing");
    stage.keys("Esc :").text("no such words").keys("Enter");
    shows(&mut stage, "step 1 of 1");
    stage.keys("Esc : Enter");
    shows(&mut stage, "step 2 of 2");
    stage.keys(": Down Down Up Enter");
    shows(&mut stage, "step 1 of 2");
}

#[test]
fn help_tells_of_the_line_under_the_cursor() {
    let mut stage = Stage::new(DEMO);
    for (line, wanted) in [
        ("88", ".space n [, fill]"),
        ("27", "get_int, call 22: read a number"),
        ("75", "add: d ← d + s"),
        ("34", "inc d: d ← d + 1"),
    ] {
        stage.keys("l").text(line).keys("Enter ?");
        shows(&mut stage, wanted);
        stage.keys("Esc");
    }
    stage.keys("? Ctrl-U").text("step back").keys("Down");
    shows(&mut stage, "Step back over a call");
    stage.keys("Ctrl-E");
    shows(&mut stage, "there is no example here");
    // Looking a word up writes nothing.
    let before = stage.app.editor().text();
    stage.keys("Ctrl-U").text("djnz").keys("Enter");
    assert_eq!(stage.app.editor().text(), before);
    shows(&mut stage, "Ctrl-E puts the example into the text");
    stage.keys("Ctrl-E");
    shows(&mut stage, "djnz  r1, here + 4");
    assert_eq!(stage.app.mode(), Mode::Write);
}

#[test]
fn the_end_of_input_is_told_to_the_program() {
    let mut stage = Stage::new("start: sys get_char\n jc done\n jmp start\ndone: mov r0, 3\n sys exit\n");
    stage.keys("g").text("ab\n").keys("Ctrl-D");
    shows(&mut stage, "finished, status 3");
}

#[test]
fn time_is_asked_for_and_waited_for() {
    let mut stage = Stage::new("start: sys clock_ms\n mov r6, r0\n mov r0, 100\n sys wait_ms\n halt\n");
    stage.keys("g");
    shows(&mut stage, "finished, status 0");
    shows(&mut stage, "r6  0005");
}

#[test]
fn without_colours_nothing_is_lost() {
    let with = |colours, keys: &str| {
        let theme = Theme { look: Look::Light, colours };
        let mut stage = Stage::with(App::new(Some("w.asm".to_owned()), DEMO, Settings::default(), theme));
        stage.keys(keys);
        (stage.screen(), stage.buffer())
    };
    // Walking, writing with the caret on the present line, a selection; a sheet over it has a test of its own.
    for keys in ["Right Right b Right", "Right e Right Right", "e Shift-Down Shift-Right"] {
        let (full, shown) = with(Colours::Full, keys);
        let ground = |buffer: &Buffer, x: u16, y: u16| (buffer[(x, y)].bg, buffer[(x, y)].modifier);
        let edges = |buffer: &Buffer| {
            let all = (0..buffer.area.height).flat_map(|y| (1..buffer.area.width).map(move |x| (x, y)));
            all.filter(|&(x, y)| ground(buffer, x, y) != ground(buffer, x - 1, y)).collect::<Vec<_>>()
        };
        // Where a band, the caret or a selection begins or ends.
        let wanted: Vec<_> = edges(&shown)
            .into_iter()
            .filter(|&(x, y)| {
                shown[(x, y)].bg != shown[(x - 1, y)].bg || shown[(x, y)].modifier.contains(Modifier::REVERSED)
            })
            .collect();
        assert!(!wanted.is_empty(), "{keys}");
        for colours in [Colours::Indexed, Colours::Sixteen, Colours::None] {
            let (text, buffer) = with(colours, keys);
            assert_eq!(text, full, "{keys} {colours:?}");
            let seen = edges(&buffer);
            let lost: Vec<_> = wanted.iter().filter(|edge| !seen.contains(edge)).collect();
            assert!(lost.is_empty(), "{keys} {colours:?}: no edge at {lost:?}\n{full}");
        }
    }
    let (full, _) = with(Colours::None, "Right Right b Right");
    assert!(full.contains("▌") && full.contains("◆") && full.contains("•r6"), "{full}");
}

#[test]
fn long_lines_scroll_with_the_cursor_and_tabs_keep_their_columns() {
    let long = format!("start:\tmov\tr0, 1 ; {}END\n\tsys\texit\n", "x".repeat(300));
    let mut stage = Stage::new(&long).sized(100, 30);
    shows(&mut stage, "start:  mov     r0, 1");
    stage.keys("e End");
    shows(&mut stage, "xEND");
    stage.keys("Home");
    shows(&mut stage, "start:  mov     r0, 1");
}

#[test]
fn a_step_is_asked_for_by_number_or_from_here() {
    let mut stage = Stage::new("start: mov r1, 20\n@l: djnz r1, @l\n halt\n");
    stage.keys("g");
    shows(&mut stage, "step 22 of 22");
    stage.keys("t").text("300").keys("Enter");
    shows(&mut stage, "the program ended after step 22; there is no step 300");
    stage.keys("Esc t").text("-9").keys("Enter");
    shows(&mut stage, "step 13 of 22");
    stage.keys("t").text("+3").keys("Enter");
    shows(&mut stage, "step 16 of 22");
    stage.keys("t").text("-17").keys("Enter");
    shows(&mut stage, "there are only 16 steps before this one");
}

#[test]
fn a_guess_says_once_what_the_line_would_become() {
    let mut stage = Stage::new("start:  ldw   r1, 5\n        ja    start\n        sys   exit\n");
    shows(&mut stage, "Ctrl-T, a guess: write `ldw r1, [5]`");
    assert!(!stage.screen().contains("→ `ldw"), "it is said already");
    shows(&mut stage, "Ctrl-T, a guess: here it is `jgtu` → `jgtu start`");
}

#[test]
fn a_topic_shows_its_example_once() {
    let mut stage = Stage::new(DEMO);
    stage.keys("?").text("numbers");
    shows(&mut stage, "about numbers");
    assert_eq!(rows_with(&mut stage, "65535 is greater than 1").len(), 1);
}

#[test]
fn a_flag_set_by_hand_is_told_of_alone() {
    let mut stage = Stage::new("start:  cmp r1, 5\n        jz start\n        halt\n");
    stage.keys("Right =").text("Z = 1").keys("Enter");
    let screen = stage.screen();
    let row = |name: &str| {
        let row = screen.lines().find(|line| line.contains(&format!("{name}  ")) && line.contains(" by "));
        row.unwrap_or_else(|| panic!("{name}\n{screen}")).to_owned()
    };
    assert!(row("Z").contains("by hand"), "{screen}");
    for other in ["C", "N", "V"] {
        assert!(row(other).contains("by line 1"), "{other}: {screen}");
    }
    shows(&mut stage, "Z was 0, set by hand to 1");
    shows(&mut stage, "I  0   not set yet");
}
