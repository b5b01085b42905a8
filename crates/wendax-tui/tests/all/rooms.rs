//! What the page shows and how: calls and marks, one pane alone, the layout for showing, forms of what is shown, and
//! what can be taken back.

use crate::common::{DEMO, Stage, hides, shows};
use ratatui::style::Modifier;
use wendax_machine::Settings;
use wendax_tui::{App, Message, Mode, Numbers, Preferences, Theme};

const CALLS: &str = "\
start:  mov   r0, 3
        mov   r1, seats
        call  outer
        halt
outer:  push  r6
        push  r7
        mov   r0, 9
        call  inner
        pop   r7
        pop   r6
        ret
inner:  mov   r2, 1
        ret
        .data
seats:  .word 4
";

/// In `inner`, called by `outer`.
fn deep() -> Stage {
    let mut stage = Stage::new(CALLS);
    stage.text("/inner:").keys("Enter .");
    stage
}

#[test]
fn calls_tell_arguments_at_entry_ways_back_and_words_on_the_stack() {
    let mut stage = deep();
    shows(&mut stage, "inner               r0 9  r1 seats");
    shows(&mut stage, "back to line 9    0 words");
    shows(&mut stage, "outer               r0 3  r1 seats");
    shows(&mut stage, "back to line 4    2 words");
    // Enter shows the line of the call, once more the moment of entry.
    stage.keys("Tab Tab Tab Tab Down Enter");
    shows(&mut stage, "line 3 of 16");
    stage.keys("Enter");
    shows(&mut stage, "step 3 of");
    shows(&mut stage, "outer, line 5");
    stage.keys("Home");
    hides(&mut stage, "─ calls");
}

#[test]
fn marks_list_what_happened_and_lead_there() {
    let mut stage = Stage::new(DEMO);
    stage.text("/inc   r7").keys("Enter b g").text("120\n").keys("=").text("r7 = 2").keys("Enter g Esc");
    stage.keys(":").text("everything happened").keys("Enter");
    for wanted in ["printed   Ostrey yard weighbridge", "printed   axle 4:", "▾ typed     120", "✎ by hand   r7"] {
        shows(&mut stage, wanted);
    }
    let before = stage.screen();
    let step = before.lines().find(|line| line.contains("by hand   r7")).expect("it is there").to_owned();
    let number = step.split("✎").next().expect("before it").split_whitespace().last().expect("a step").to_owned();
    for _ in 0..9 {
        stage.keys("Up");
    }
    stage.keys("Down Down Down Enter");
    hides(&mut stage, "running");
    stage.keys("t").text(&number).keys("Enter");
    shows(&mut stage, &format!("step {number} of"));
}

#[test]
fn interrupts_are_among_the_marks() {
    const TICKS: &str = "start: mov r1, tick\n stw [2 * 8], r1\n mov r1, 50\n stw [0xFF22], r1\n mov r1, 3\n stw [0xFF24], r1\n ei\nwait: cmp r6, 2\n jltu wait\n halt\ntick: mov r1, 7\n stw [0xFF24], r1\n inc r6\n reti\n";
    let mut stage = Stage::new(TICKS);
    stage.keys("g");
    shows(&mut stage, "finished");
    stage.keys(":").text("pane marks").keys("Enter");
    shows(&mut stage, "! came      interrupt timer");
}

#[test]
fn a_pane_fills_the_page_and_back_and_there_is_a_layout_for_showing() {
    let mut stage = deep().sized(100, 30);
    stage.keys("Tab Tab Tab o");
    hides(&mut stage, "─ registers");
    shows(&mut stage, "pushed r6");
    stage.keys("o");
    shows(&mut stage, "─ registers");
    stage.keys(":show_to_others");
    shows(&mut stage, "for showing");
    shows(&mut stage, "▸stack");
    for hidden in ["─ registers", "─ ribbon", "─ console"] {
        hides(&mut stage, hidden);
    }
    stage.keys(":").text("pane registers").keys("Enter");
    shows(&mut stage, "▸registers");
    hides(&mut stage, "stack");
    stage.keys(":show_to_others");
    shows(&mut stage, "─ memory");
    insta::assert_snapshot!(deep().sized(230, 60).screen());
}

#[test]
fn registers_in_binary_code_put_away_lines_wrapped_and_seen_sideways() {
    let long = format!("start:  mov   r1, 5         ; {} END\n        halt\n", "a long remark ".repeat(9));
    let mut stage = Stage::new(&long).sized(120, 30);
    shows(&mut stage, "0200 3015");
    hides(&mut stage, "END");
    let cut = stage.screen().lines().find(|line| line.contains("mov   r1")).expect("it is there").to_owned();
    assert!(cut.contains('…'), "what is cut says so: {cut}");
    stage.keys(":code_words_beside");
    hides(&mut stage, "0200 3015");
    stage.keys(":wrap_long_lines");
    shows(&mut stage, "END");
    stage.keys(":wrap_long_lines :code_words_beside");
    for _ in 0..9 {
        stage.keys("Shift-Right");
    }
    shows(&mut stage, "sideways");
    stage.keys("Shift-Right Shift-Right Shift-Right Shift-Right Shift-Right Shift-Right");
    shows(&mut stage, "END");
    stage.keys("Right :registers_in_binary");
    shows(&mut stage, "0000 0000 0000 0101");
}

#[test]
fn numbers_have_the_form_that_is_preferred() {
    let preferences = Preferences { numbers: Numbers::Hexadecimal, ..Preferences::default() };
    let mut stage = Stage::new("start: mov r6, 300\n push r6\n halt\n");
    stage.app = stage.app.clone().with_preferences(preferences);
    stage.keys("Right Right");
    shows(&mut stage, "pushed r6 = 0x012C");
    shows(&mut stage, "r6 0x012C");
}

#[test]
fn what_was_done_by_hand_is_taken_back_in_the_walk() {
    let mut stage = deep();
    stage.keys("b Home :clear_all_stops");
    shows(&mut stage, "the stop is cleared; Ctrl-Z brings it back");
    stage.keys("Ctrl-Z");
    shows(&mut stage, "◆12");
    stage.keys("Ctrl-Z");
    hides(&mut stage, "◆12");
    stage.keys("/").text("inner").keys("Enter Ctrl-R").text("within").keys("Enter y a");
    shows(&mut stage, "Ctrl-Z takes it back");
    shows(&mut stage, "within:");
    stage.keys("Ctrl-Z Ctrl-Z");
    shows(&mut stage, "inner:");
    assert!(!stage.app.is_changed());
    stage.keys("Ctrl-Z");
    shows(&mut stage, "nothing was done by hand");
}

#[test]
fn names_of_a_line_are_asked_for_when_there_are_several() {
    let mut stage = Stage::new(CALLS);
    stage.keys("l").text("3").keys("Enter d");
    shows(&mut stage, "line 5 of 16");
    stage.keys("Ctrl-U");
    shows(&mut stage, "`outer`: 1 of 2 places");
    let mut stage = Stage::new("a: mov r1, b + c\n halt\nb: .word 1\nc: .word 2\n");
    stage.keys("d");
    shows(&mut stage, "which name");
    stage.keys("Down Down Enter");
    shows(&mut stage, "line 4 of 5");
    stage.keys("l").text("1").keys("Enter Ctrl-E Ctrl-U").text("again").keys("Enter");
    shows(&mut stage, "`a` is `again` now");
}

#[test]
fn a_search_tells_how_many_there_are_while_it_is_written() {
    let mut stage = Stage::new(CALLS);
    stage.text("/call");
    shows(&mut stage, "2 places");
    let buffer = stage.buffer();
    let marked = (0..buffer.area.height).flat_map(|y| (0..buffer.area.width).map(move |x| (x, y)));
    let marked = marked.filter(|&(x, y)| buffer[(x, y)].modifier.contains(Modifier::UNDERLINED)).count();
    assert_eq!(marked, 2 * "call".len(), "all matches are marked");
    stage.text("x");
    shows(&mut stage, "`callx` is nowhere in the program");
    stage.keys("Backspace Enter");
    shows(&mut stage, "`call`: 1 of 2");
    stage.keys("n n :back_to_the_last_place");
    shows(&mut stage, "`call`: 2 of 2");
}

#[test]
fn esc_leaves_writing_at_the_line_that_was_written() {
    let mut stage = Stage::new(CALLS);
    stage.keys("l").text("9").keys("Enter e End Enter").text("        ret");
    stage.keys("Esc");
    assert_eq!(stage.app.mode(), Mode::Walk);
    shows(&mut stage, "line 10 of 17");
    stage.keys("Up").keys("e Shift-Down Shift-Down Ctrl-End").text("Q");
    shows(&mut stage, "seats:  .word 4");
    stage.keys("Ctrl-Z l");
}

#[test]
fn the_guide_is_followed_and_come_back_from() {
    let mut stage = Stage::new(CALLS);
    stage.keys("l").text("5").keys("Enter ?");
    shows(&mut stage, "in your program, line 5");
    shows(&mut stage, "destination r6");
    stage.keys("Tab");
    shows(&mut stage, "▸stack");
    stage.keys("Enter");
    shows(&mut stage, "about stack");
    stage.keys("Backspace");
    shows(&mut stage, "push: ");
    stage.keys("Esc Tab Tab Tab ?");
    shows(&mut stage, "the pane “stack”");
}

#[test]
fn a_fault_of_the_assembler_is_told_and_the_work_goes_on() {
    let mut stage = Stage::new(CALLS);
    stage.keys("Right e Ctrl-Home");
    let effects = wendax_tui::update(&mut stage.app, Message::Paste("; x\n".to_owned()));
    let [wendax_tui::Effect::Assemble(number, _)] = effects.as_slice() else { panic!("{effects:?}") };
    stage.message(Message::NotAssembled(*number, "the assembler failed: a sign".to_owned()));
    shows(&mut stage, "the assembler failed: a sign");
    stage.text("; y\n").keys("Esc Right");
    shows(&mut stage, "step 2 of 2");
}

/// The same program opened again, with another text on disk, looked at as the last time.
fn again(stage: &Stage, text: &str) -> Stage {
    let path = Some("/yard/weighbridge.asm".to_owned());
    let app = App::new(path, text, Settings::default(), Theme::default());
    Stage::with(app.with_kept(stage.app.kept()))
}

#[test]
fn how_it_was_looked_at_is_kept_by_the_text_of_lines() {
    let mut stage = Stage::new(CALLS);
    stage
        .keys("l")
        .text("12")
        .keys("Enter b a")
        .text("outer")
        .keys("Enter m")
        .text("seats")
        .keys("Enter :registers_in_binary :code_words_beside :wrap_long_lines");
    stage.keys("l").text("9").keys("Enter");
    let mut same = again(&stage, CALLS);
    for wanted in ["◆12", "◆ 5", "▸memory", "seats", "line 9 of 16"] {
        shows(&mut same, wanted);
    }
    assert_eq!(same.app.kept(), stage.app.kept());
    // Lines came above, and one that had a breakpoint went.
    let mut moved = again(&stage, &format!("; one\n; two\n{CALLS}"));
    shows(&mut moved, "◆14");
    shows(&mut moved, "line 11 of 18");
    let mut gone = again(&stage, &CALLS.replace("inner:  mov   r2, 1", "inner:  mov   r2, 2"));
    shows(&mut gone, "a stop is gone: the line it was on is nowhere in the text any more");
    hides(&mut gone, "◆12");
}

#[test]
fn commands_used_last_are_kept_and_come_first_again() {
    let mut stage = Stage::new(CALLS);
    stage.keys(":").text("wrap long").keys("Enter :").text("code words").keys("Enter");
    let mut same = again(&stage, CALLS);
    same.keys(":");
    let screen = same.screen();
    let first = screen.lines().find(|line| line.contains("▸ ")).unwrap_or_default();
    assert!(first.contains("code words"), "{screen}");
}

#[test]
fn what_runs_are_given_is_asked_for_and_used_by_the_next() {
    const ECHO: &str = "start: sys get_int\n sys exit\n";
    let mut stage = Stage::new(ECHO);
    stage
        .keys(":arguments_for")
        .text("north \"south east\"")
        .keys("Enter :typed_input_for")
        .text("5\\n")
        .keys("Enter R g");
    shows(&mut stage, "finished, status 5");
    shows(&mut stage, "the first input was typed as given with I");
    stage.keys(":arguments_for");
    shows(&mut stage, "north 'south east'");
    stage.keys("Ctrl-U").text("\"open").keys("Enter");
    shows(&mut stage, "a quotation mark is not closed");
    stage.keys("Esc :").text("seed").keys("Enter Ctrl-U").text("many").keys("Enter");
    shows(&mut stage, "`many` is no number");
    stage.keys("Ctrl-U").text("7").keys("Enter");
    shows(&mut stage, "the next run gets it");
    stage.keys(":build_elf");
    shows(&mut stage, "weighbridge.elf");
    stage.keys("Enter");
    assert_eq!(stage.asked, ["/yard/weighbridge.elf"]);
    stage.message(Message::Done("written".to_owned()));
    shows(&mut stage, "written");
    stage.keys(":").text("new file").keys("Enter").text("gate.asm").keys("Enter");
    shows(&mut stage, "gate.asm is there once it is saved");
    stage.text("gate: ret").keys("Ctrl-S");
    assert!(stage.saved.iter().any(|(path, text)| path == "/yard/gate.asm" && text == "gate: ret"));
}

#[test]
fn typing_goes_to_a_program_that_waits_and_keys_can_be_kept() {
    let mut stage = Stage::new(DEMO);
    stage.keys("g");
    shows(&mut stage, "what you type goes to the program");
    stage.text("12");
    stage.keys("Left Backspace").text("3").keys("End").text("0");
    shows(&mut stage, "axle 1: 320");
    stage.keys("Esc");
    shows(&mut stage, "the program waits for input; i types to it");
    stage.keys("Left");
    shows(&mut stage, "paused: stepped");
    stage.keys("g");
    shows(&mut stage, "what you type goes to the program");
    stage.keys("Enter");
    shows(&mut stage, "axle 2:");
}

#[test]
fn lines_labels_problems_and_calls_are_gone_to_by_a_few_letters() {
    let mut stage =
        Stage::new("start:  call weigh\n        halt\nweigh:  mov r1, 3\n        ret\n        .equ limit, 5\n");
    stage.keys("Right l");
    shows(&mut stage, "▸go to");
    // The call that is under way, then the labels in the order of the text.
    let screen = stage.screen();
    let at = |word: &str| screen.lines().position(|line| line.contains(word)).expect("it is offered");
    assert!(at("weigh") < at("start"), "{screen}");
    // Where it is stands whole, however long the path of its file is.
    assert!(screen.lines().any(|line| line.contains("start") && line.contains("line 1")), "{screen}");
    stage.text("wei").keys("Down Enter");
    shows(&mut stage, "line 3 of");
    stage.keys("l").text("2").keys("Enter");
    shows(&mut stage, "line 2 of");
    // What is neither stays there to be mended, and is said.
    stage.keys("l").text("nowhere").keys("Enter");
    shows(&mut stage, "`nowhere` is no line, and in no label, problem or call");
    shows(&mut stage, "▸go to");
    stage.keys("Esc e Ctrl-End").text("        jmp wiegh");
    stage.keys("Ctrl-L").text("prob").keys("Enter");
    shows(&mut stage, "line 6 of");
}

#[test]
fn a_search_goes_over_all_files_and_can_ask_for_whole_words() {
    let files = wendax_source::MemoryFiles::default()
        .with("main.asm", "start:  mov r1, limit\n        mov r2, limits\n        halt\n.include \"sub/more.asm\"\n")
        .with("sub/more.asm", "        .equ limits, 9\n        .equ limit, 4 ; the limit\n");
    let mut stage = Stage::project(&["main.asm"], files);
    stage.text("/limit");
    shows(&mut stage, "5 places in 2 files; Tab: whole words only");
    stage.keys("Tab");
    shows(&mut stage, "3 places in 2 files; whole words only");
    stage.keys("Tab");
    shows(&mut stage, "5 places in 2 files; a regular expression");
    stage.text("s? *,");
    shows(&mut stage, "2 places; a regular expression");
    stage.text("(");
    shows(&mut stage, "this is no regular expression: unclosed group");
    stage.keys("Backspace Backspace Backspace Backspace Backspace Backspace Tab Tab");
    stage.keys("Enter");
    shows(&mut stage, "`limit`: 1 of 3 in 2 files");
    stage.keys("n");
    shows(&mut stage, "`limit`: 2 of 3 in 2 files");
    shows(&mut stage, "more.asm");
    stage.keys("n n");
    shows(&mut stage, "`limit`: 1 of 3 in 2 files");
    shows(&mut stage, "main.asm");
    stage.keys(":back_to_the_last_place");
    shows(&mut stage, "`limit`: 3 of 3 in 2 files");
}

#[test]
fn search_and_other_forms_are_those_of_what_has_the_keys() {
    let mut stage = Stage::new(DEMO);
    stage.keys("Tab").keys("x");
    shows(&mut stage, "registers show their bits");
    stage.keys("T /");
    shows(&mut stage, "the trail shows only");
    stage.keys("Esc m Enter /");
    shows(&mut stage, "find in memory");
    stage.text("\"yard\"").keys("Enter");
    shows(&mut stage, "▸memory");
    stage.keys("x");
    shows(&mut stage, "words of memory are shown as signed numbers");
    stage.keys("Esc s x");
    shows(&mut stage, "stops has one form");
}
