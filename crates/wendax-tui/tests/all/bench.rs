//! What keys do on the bench: walking, writing, breakpoints, input, saving, leaving.

use crate::common::{DEMO, Stage, shows};
use proptest::prelude::*;
use wendax_machine::Addr;
use wendax_machine::Settings;
use wendax_tui::{App, Message, Mode, Theme, bindings};

/// The part of the header that tells state and step.
fn header(stage: &mut Stage) -> String {
    stage.screen().lines().next().unwrap_or_default().to_owned()
}

#[test]
fn left_undoes_what_right_did() {
    let mut stage = Stage::new(DEMO);
    let start = stage.screen();
    stage.keys("Right Right Right");
    shows(&mut stage, "step 3 of 3");
    shows(&mut stage, "last step  r6 not set → 0x0300; nothing else");
    stage.keys("Left Left Left");
    let back = stage.screen();
    let without_ribbon = |text: &str| {
        text.lines().enumerate().filter(|(row, _)| (1..38).contains(row)).map(|(_, l)| l.to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(without_ribbon(&back), without_ribbon(&start));
    shows(&mut stage, "step 0 of 3");
    stage.keys("Left");
    shows(&mut stage, "this is the start of the run");
}

#[test]
fn breakpoints_stop_both_ways_and_stay_with_their_lines() {
    let mut stage = Stage::new(DEMO);
    stage.text("/inc   r7").keys("Enter b");
    shows(&mut stage, "◆34 022C");
    stage.keys("g").text("120\n");
    assert!(header(&mut stage).contains("paused: breakpoint"), "{}", header(&mut stage));
    stage.keys("Esc g").text("99\n");
    shows(&mut stage, "axle 2: 99");
    stage.keys("Esc G");
    shows(&mut stage, "axle 2:");
    stage.keys("G");
    assert!(header(&mut stage).contains("line 34"), "{}", header(&mut stage));
    stage.keys("p e Ctrl-Home").text("\n\n");
    stage.keys("Esc");
    shows(&mut stage, "◆36 022C 3171               inc   r7");
}

#[test]
fn a_faulty_line_is_shown_mended_and_run() {
    let mut stage = Stage::new("start:  mov r0, 1\n        sys exit\n");
    stage.keys("e End").text("\nadd r0 5");
    shows(&mut stage, "▲ W010 a comma is missing after `r0`");
    shows(&mut stage, "Ctrl-T: put a comma after `r0`");
    shows(&mut stage, "1 problem in the text");
    stage.keys("Esc Right");
    shows(&mut stage, "the text has a problem");
    stage.keys("Ctrl-T g");
    assert!(header(&mut stage).contains("finished, status 6"), "{}", header(&mut stage));
    assert!(header(&mut stage).contains("unsaved"));
}

#[test]
fn walking_with_a_problem_is_refused_kindly_and_comments_keep_the_walk() {
    let mut stage = Stage::new(DEMO);
    stage.keys("Right Right e Ctrl-Home").text("; a note\n").keys("Esc");
    shows(&mut stage, "step 2 of 2");
    stage.keys("e Ctrl-Z Ctrl-Z").keys("Esc");
    shows(&mut stage, "step 2 of 2");
    assert!(!stage.app.is_changed());
}

#[test]
fn registers_and_memory_can_be_set_and_begin_a_branch() {
    let mut stage = Stage::new("start:  mov r1, 5\n        add r1, 1\n        sys exit\n.data\nx: .word 1\n");
    stage.keys("g Left Left =").text("r1 = 0x10").keys("Enter");
    shows(&mut stage, "edited, a new branch");
    stage.keys("Right");
    shows(&mut stage, "r1 16 → 17");
    stage.keys("=").text("x = -2").keys("Enter");
    shows(&mut stage, "FE FF");
    for (text, why) in [
        ("r1", "write `r1 = 5`"),
        ("r1 = 70000", "does not fit"),
        ("nowhere = 1", "nothing here has the name `nowhere`"),
        ("0x9000 = 1", "no memory"),
    ] {
        stage.keys("=").text(text).keys("Enter");
        shows(&mut stage, why);
        stage.keys("Esc");
    }
    for (text, shown) in [
        ("r2 = x + 4", "r2  0304"),
        ("[x] = 'H'", "48 00"),
        ("byte [x + 1] = r1 & 0xF", "48 01"),
        ("Z = 1", "Z  1"),
        ("r3 = [x] - 1", "r3  0147"),
    ] {
        stage.keys("=").text(text).keys("Enter");
        shows(&mut stage, shown);
    }
    stage.keys("Ctrl-Z");
    shows(&mut stage, "taken back: a value set by hand");
    shows(&mut stage, "r3  ····");
    stage.keys("Ctrl-Z");
    shows(&mut stage, "Z  0");
    // Whatever lay ahead is there again, also from another step, and the other way round.
    stage.keys("Ctrl-Z Ctrl-Z Ctrl-Z Ctrl-Z Left Left Ctrl-Z");
    shows(&mut stage, "0300 01 00");
    stage.keys("Ctrl-Z");
    shows(&mut stage, "step 1 of 3");
    stage.keys("Left Ctrl-Y End");
    shows(&mut stage, "r1  0011");
}

#[test]
fn memory_follows_labels_addresses_and_registers() {
    let mut stage = Stage::new(DEMO);
    stage.keys("m").text("verdict_unit").keys("Enter");
    shows(&mut stage, "20 63 77 74 20 6F 6E 20");
    stage.keys("m").text("sp").keys("Enter");
    shows(&mut stage, "where sp points");
    stage.keys("m").text("0xFF00").keys("Enter");
    shows(&mut stage, "device registers");
    stage.keys("m").text("elsewhere").keys("Enter");
    shows(&mut stage, "nothing here has the name `elsewhere`");
    for (text, shown) in [
        ("[sp - 2]", "nothing was ever written"),
        ("sign + 4", "0316"),
        ("stack", "where sp points"),
        ("heap", "no heap yet"),
    ] {
        stage.keys("Esc m").text(text).keys("Enter");
        shows(&mut stage, shown);
    }
    stage.keys("Esc m").text("verdict").keys("Tab");
    shows(&mut stage, "verdict_unit");
}

#[test]
fn leaving_with_unsaved_text_asks() {
    let mut stage = Stage::new(DEMO);
    stage.keys("e").keys("Ctrl-Home").text("; x\n").keys("Esc q");
    shows(&mut stage, "Not saved: ");
    assert!(!stage.ended);
    stage.keys("x Esc");
    assert!(!stage.ended);
    stage.keys("q s");
    assert!(stage.ended && stage.saved.len() == 1 && stage.saved[0].1.starts_with("; x\n"));
    let mut stage = Stage::new(DEMO);
    stage.keys("q");
    assert!(stage.ended, "nothing to lose, nothing to ask");
}

#[test]
fn a_text_without_name_asks_for_one() {
    let mut stage = Stage::with(App::new(None, "", Settings::default(), Theme::default()));
    assert_eq!(stage.app.mode(), Mode::Write);
    stage.text("start: jmp start").keys("Ctrl-S");
    shows(&mut stage, "save as");
    stage.keys("Enter");
    shows(&mut stage, "a file needs a name");
    stage.text("circle.asm").keys("Enter");
    assert_eq!(stage.saved, [("circle.asm".to_owned(), "start: jmp start".to_owned())]);
    stage.keys("Esc g");
    shows(&mut stage, "circling");
}

#[test]
fn recovered_text_is_unsaved_and_can_be_taken_back() {
    let app = App::new(Some("a.asm".into()), "halt\n", Settings::default(), Theme::default())
        .with_recovered("nop\nhalt\n", None);
    let mut stage = Stage::with(app);
    shows(&mut stage, "recovered");
    assert!(stage.app.is_changed());
    stage.keys("e Ctrl-Z");
    assert_eq!(stage.app.editor().text(), "halt\n");
}

#[test]
fn input_typed_in_the_past_begins_a_branch() {
    let mut stage = Stage::new(DEMO);
    stage.keys("g").text("120\n99\n0\n");
    assert!(header(&mut stage).contains("finished"));
    shows(&mut stage, "219 cwt on the bridge: may pass.");
    stage.keys("G G Right");
    shows(&mut stage, "axle 2: 99");
    // Where one comes to by it, digits are for the program: they move no lever.
    stage.keys("End G G").text("500\n");
    shows(&mut stage, "Ctrl-Z brings that back");
    stage.keys("g").text("0\n");
    shows(&mut stage, "620 cwt on the bridge: too heavy, stays in the yard.");
    // What lay ahead is there again: what was typed behind the 500 goes first, then the 500.
    stage.keys("Ctrl-Z Ctrl-Z End");
    shows(&mut stage, "219 cwt on the bridge: may pass.");
    stage.keys("Ctrl-Y Ctrl-Y End");
    shows(&mut stage, "620 cwt on the bridge: too heavy, stays in the yard.");
}

#[test]
fn an_image_is_walked_by_its_disassembly_and_not_written() {
    let bytes: Vec<u8> = [0x3015u16, 0x3111, 0x81FE, 0x0002].iter().flat_map(|word| word.to_le_bytes()).collect();
    let image = wendax_image::from_raw(wendax_project::default_target(), &bytes, Addr(0x0200)).expect("it fits");
    let mut stage =
        Stage::with(App::for_image("/yard/scale.bin".to_owned(), &image, Settings::default(), Theme::default()));
    shows(&mut stage, "0200 3015               mov r1, 5");
    stage.keys("Right Right");
    shows(&mut stage, "last step  r1 5 → 6; nothing else");
    stage.keys("e");
    shows(&mut stage, "it can be walked, but not written");
    stage.text("x").keys("Ctrl-S g");
    shows(&mut stage, "finished, status 0");
    assert!(!stage.app.is_changed() && stage.saved.is_empty());
}

#[test]
fn esc_with_a_key_right_behind_it_is_both() {
    use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
    let mut stage = Stage::new(DEMO);
    stage.keys("e").text("; x");
    stage.message(Message::Key(KeyEvent::new(KeyCode::Char('q'), KeyModifiers::ALT)));
    shows(&mut stage, "Not saved: ");
}

#[test]
fn an_endless_program_can_be_paused() {
    let mut stage = Stage::new("start:  add r1, 1\n        adc r2, 0\n        adc r3, 0\n        jmp start\n");
    stage.keys("g");
    assert!(stage.app.has_work());
    shows(&mut stage, "running");
    stage.keys("Space");
    shows(&mut stage, "paused: as asked");
    // What looks wrong in the run so far is found meanwhile; then there is rest.
    stage.rests();
    stage.keys("g").text("e");
    assert!(stage.app.has_work(), "what is typed goes to the program");
    shows(&mut stage, "▸ e");
    stage.keys("Ctrl-C");
    stage.rests();
    stage.keys("g Esc e");
    stage.rests();
    assert_eq!(stage.app.mode(), Mode::Write);
}

/// A program of RV32 with devices and interrupts.
const CROSSING: &str = include_str!("../../../../demos/crossing/crossing.asm");

/// The board of a machine of 32 bits, whose timer has the same 16: beside the source, by itself, and at small sizes.
#[test]
fn the_board_of_rv32_is_drawn_before_anything_is_set() {
    let mut stage = Stage::new(CROSSING);
    stage.keys("L");
    shows(&mut stage, "timer 0 of 65536");
    stage.keys("L");
    shows(&mut stage, "FFFFFE60  00000000  0000000000000000");
    shows(&mut stage, "mtimecmp          FFFFFE88  FFFFFFFF");
    for (width, height) in [(160, 53), (100, 30), (80, 24), (60, 20), (20, 6)] {
        stage.resize(width, height);
        stage.screen();
    }
    stage.resize(160, 53);
    stage.keys("Esc g");
    stage.keys("L");
    shows(&mut stage, " of 50000, runs, interrupts");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    /// Any keys in any order on any screen, commands of the palette among them, for a program of either machine: no panic, no text that differs from its
    /// file without that being known, and an end with one only after a question.
    #[test]
    fn any_keys_and_sizes(is_rv32: bool, steps in proptest::collection::vec((0usize..320, 1u16..200, 1u16..70), 1..60)) {
        const MORE: [&str; 10] =
            ["Up", "Down", "Enter", "Esc", "Backspace", "Delete", "Tab", "Shift-Down", "Shift-Left", "Enter"];
        let bound: Vec<&str> = bindings().flat_map(|binding| binding.keys).copied().chain(MORE).collect();
        let text = if is_rv32 { CROSSING } else { DEMO };
        let mut stage = Stage::new(text);
        // A program that runs on does so for three slices behind each sign that is typed.
        stage.app = stage.app.clone().with_slice(2_000);
        for (choice, width, height) in steps {
            // A screen too small shows no question, and asks it all the same; many keys at once may answer it too.
            stage.resize(160, 50);
            let asked = choice >= bound.len() || stage.screen().contains("Not saved");
            match (bound.get(choice), bindings().nth(choice.saturating_sub(bound.len()))) {
                (Some(name), _) => { stage.keys(name); }
                (None, Some(command)) => { stage.keys("Ctrl-P").text(command.name).keys("Enter"); }
                (None, None) if choice % 3 == 0 => stage.message(Message::Resized(width, height)),
                (None, None) if choice % 3 == 1 => { stage.text("7\n"); }
                (None, None) => stage.message(Message::Paste("mov r1, [x\n\tö\u{0}".to_owned())),
            }
            let lost = stage.nothing_is_lost(&[text.to_owned()]);
            prop_assert!(lost.is_ok(), "{lost:?}");
            prop_assert!(!stage.ended || asked || !stage.app.is_changed(), "it ended with texts not saved");
            if stage.ended {
                break;
            }
            stage.resize(width, height);
            stage.screen();
        }
    }
}

#[test]
fn lines_are_moved_doubled_and_commented_and_numbers_written_otherwise() {
    let text = |stage: &mut Stage| stage.app.editor().text();
    let mut stage = Stage::new("start:  mov   r0, 300\n        inc   r0\n        halt\n");
    stage.keys("b e Ctrl-Down");
    assert_eq!(text(&mut stage), "        inc   r0\nstart:  mov   r0, 300\n        halt\n");
    let screen = stage.screen();
    let stop = screen.lines().find(|line| line.contains('◆')).expect("the stop is shown");
    assert!(stop.contains("start:"), "it went with its line: {stop}");
    stage.keys("Ctrl-Up :put_the_line_below");
    assert_eq!(text(&mut stage).lines().filter(|line| line.contains("300")).count(), 2);
    stage.keys("Ctrl-Z Ctrl-Home End :write_the_number");
    assert_eq!(text(&mut stage).lines().next(), Some("start:  mov   r0, 0x12C"));
    stage.keys(":write_the_number :write_the_number");
    assert_eq!(text(&mut stage).lines().next(), Some("start:  mov   r0, 300"));
    stage.keys(":a_comment_on_this_line").text("three hundred");
    assert_eq!(text(&mut stage).lines().next(), Some("start:  mov   r0, 300        ; three hundred"));
    // Where there is one, it is gone to.
    stage.keys("Home :a_comment_on_this_line").text("about ");
    assert_eq!(text(&mut stage).lines().next(), Some("start:  mov   r0, 300        ; about three hundred"));
    stage.keys("Ctrl-Home Ctrl-Up");
    assert!(stage.screen().contains("there is no line above"));
}

#[test]
fn columns_are_selected_written_into_and_put_elsewhere_as_rectangles() {
    let text = |stage: &mut Stage| stage.app.editor().text();
    let mut stage = Stage::new("start:  mov   r1, 1\n        add   r1, 2\n        halt\n");
    stage.keys("e Ctrl-Home");
    for _ in 0..14 {
        stage.keys("Right");
    }
    stage.keys("Alt-Shift-Down Alt-Shift-Right Alt-Shift-Right").text("r2");
    assert_eq!(text(&mut stage), "start:  mov   r2, 1\n        add   r2, 2\n        halt\n");
    // What is typed goes on in each line, and is one step of undo.
    stage.text("0").keys("Backspace Ctrl-Z Ctrl-Z");
    assert_eq!(text(&mut stage), "start:  mov   r1, 1\n        add   r1, 2\n        halt\n");
    // Without that key, the palette makes a rectangle of what is selected, and Shift with arrows changes it.
    stage.keys("Ctrl-Home End Shift-Down :rectangle Shift-Left Shift-Left Shift-Left Ctrl-C");
    assert_eq!(stage.copied, ", 1\n, 2");
    stage.keys("Esc e Ctrl-End Ctrl-V");
    assert!(text(&mut stage).ends_with("halt\n, 1\n, 2"), "{}", text(&mut stage));
    // A field has no rectangle: what was one is a text there.
    stage.keys("Ctrl-Z Ctrl-F Ctrl-V");
    assert!(stage.screen().contains(", 1"));
}

#[test]
fn a_pattern_is_replaced_by_its_groups() {
    let mut stage = Stage::new("start:  mov   r1, 10\n        mov   r2, 20\n        halt\n");
    stage
        .text("/")
        .keys("Tab Tab")
        .text("mov +(r.), (.*)")
        .keys("Enter e Ctrl-R")
        .text("ldw   $1, [$2]")
        .keys("Enter y a");
    assert_eq!(stage.app.editor().text(), "start:  ldw   r1, [10]\n        ldw   r2, [20]\n        halt\n");
}
