//! A program of several files: looked at, walked through, problems and names across them, what macros became.

use crate::common::{Stage, hides, shows};
use crossterm::event::{KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use wendax_machine::Settings;
use wendax_source::MemoryFiles;
use wendax_tui::{App, Effect, Message, Theme};

const MAIN: &str = "\
        .extern weigh
        .include \"pair.inc\"
start:  PAIR  r1
        call  weigh
        push  r1-r2
        pop   r1-r2
        sys   exit
";
const SCALE: &str = "        .global weigh\nweigh:  inc   r3\n        ret\n";
const PAIR: &str = "        .macro PAIR r\n        inc   {r}\n        dec   {r}\n        .endmacro\n";

fn yard() -> Stage {
    let files = MemoryFiles::default().with("main.asm", MAIN).with("scale.asm", SCALE).with("pair.inc", PAIR);
    Stage::project(&["main.asm", "scale.asm"], files).sized(140, 40)
}

#[test]
fn the_walk_goes_to_the_file_it_is_in() {
    let mut stage = yard();
    shows(&mut stage, "/yard/main.asm");
    stage.keys("] ] Right");
    shows(&mut stage, "/yard/scale.asm");
    shows(&mut stage, "way back from weigh, called on main.asm:4");
    stage.keys("Left");
    shows(&mut stage, "/yard/main.asm");
}

#[test]
fn files_are_chosen_and_keep_what_belongs_to_their_lines() {
    let mut stage = yard();
    stage.keys("f");
    for wanted in ["files of the program", "pair.inc", "included", "/yard/main.asm"] {
        shows(&mut stage, wanted);
    }
    stage.keys("Down Enter l").text("2").keys("Enter b f Up Enter g");
    shows(&mut stage, "paused: breakpoint");
    shows(&mut stage, "/yard/scale.asm");
    stage.keys("e").text("; above\n").keys("Ctrl-S");
    assert_eq!(stage.saved.len(), 1);
    assert_eq!(stage.saved[0].0, "/yard/scale.asm");
    assert!(stage.saved[0].1.contains("; above\n"));
}

#[test]
fn a_macro_unfolds_and_is_stepped_as_a_line_or_by_instruction() {
    let mut stage = yard();
    shows(&mut stage, "┊ inc   r1");
    shows(&mut stage, "┊ dec   r1");
    stage.keys("Right");
    shows(&mut stage, "start + 2, line 3");
    stage.keys("<");
    shows(&mut stage, "step 0 of 1");
    stage.keys(">");
    shows(&mut stage, "start + 4, line 4");
    stage.keys("> l").text("5").keys("Enter u");
    shows(&mut stage, "start + 6, line 5");
    shows(&mut stage, "┊ push r2");
    stage.keys("> <");
    shows(&mut stage, "start + 6, line 5");
    stage.keys("< <");
    shows(&mut stage, "step 0 of");
}

#[test]
fn a_breakpoint_can_be_inside_of_what_a_line_became() {
    let mut stage = yard();
    // Under the present line stand the instructions it became: down to the second one.
    stage.keys("Down Down b");
    shows(&mut stage, "›◆   0202");
    stage.keys("Home g");
    shows(&mut stage, "paused: breakpoint");
    shows(&mut stage, "start + 2, line 3");
    // It goes with its line, is drawn on it when that is folded, and is cleared where it was set.
    stage.keys("Home e Ctrl-Home").text("; above\n").keys("Esc R Right Right");
    shows(&mut stage, "◆ 4 0200");
    stage.keys("Left Down Down b Home g");
    shows(&mut stage, "finished, status 0");
    stage.keys("Home a").text("main.asm:5").keys("Enter");
    shows(&mut stage, "the run stops at: main.asm:5");
}

#[test]
fn problems_are_gone_through_in_all_files_and_mended_in_all() {
    let files = MemoryFiles::default()
        .with("a.asm", "start: call weigh\n sys exit\n")
        .with("b.asm", "weigh: muv r1, 2\n ret\n");
    let mut stage = Stage::project(&["a.asm", "b.asm"], files);
    shows(&mut stage, "2 problems in the text");
    stage.keys("Ctrl-T N");
    shows(&mut stage, "/yard/b.asm");
    stage.keys("Ctrl-T g");
    shows(&mut stage, "finished, status 0");
    stage.keys("Ctrl-S");
    let mut saved: Vec<&str> = stage.saved.iter().map(|(path, _)| path.as_str()).collect();
    saved.sort_unstable();
    assert_eq!(saved, ["/yard/a.asm", "/yard/b.asm"]);
}

#[test]
fn names_are_followed_and_renamed_across_files() {
    let mut stage = yard();
    stage.keys("l").text("4").keys("Enter e End d");
    stage.keys("Backspace Ctrl-G");
    shows(&mut stage, "/yard/scale.asm");
    stage.keys("Ctrl-U");
    shows(&mut stage, "`weigh`: 1 of 4 places");
    stage.keys("Ctrl-E Ctrl-U").text("scale").keys("Enter");
    shows(&mut stage, "`weigh` is `scale` now, at 4 places in 2 files");
    stage.keys("Ctrl-S Esc g");
    shows(&mut stage, "finished, status 0");
    assert!(stage.saved.iter().any(|(path, text)| path.ends_with("main.asm") && text.contains("call  scale")));
    stage.keys("l").text("4").keys("Enter e End Ctrl-E Ctrl-U").text("r1").keys("Enter");
    shows(&mut stage, "cannot be a name");
}

#[test]
fn words_are_offered_with_their_meaning_and_taken_by_tab() {
    let mut stage = yard();
    stage.keys("l").text("6").keys("Enter e End Enter").text("sys put_t");
    shows(&mut stage, "▸put_text");
    stage.keys("Tab");
    shows(&mut stage, "takes r0");
    shows(&mut stage, "sys put_text");
    stage.text("\n djn");
    shows(&mut stage, "▸djnz");
    stage.keys("Ctrl-N");
    assert!(!stage.screen().contains("▸djnz"), "it can be declined");
    stage.keys("Backspace Ctrl-N Esc");
    assert_eq!(stage.app.mode(), wendax_tui::Mode::Walk, "an offer does not stand in the way of leaving");
    stage.keys("e").text("nz r1, we");
    shows(&mut stage, "a name of another file");
    shows(&mut stage, "djnz d, label");
    stage.keys("Down Up Tab");
    shows(&mut stage, "djnz r1, weigh");
}

#[test]
fn files_are_offered_where_one_is_named() {
    let files = MemoryFiles::default()
        .with("main.asm", "start:  halt\n.data\n")
        .with("lib/frames.inc", "")
        .with("lamps.bin", [1, 2]);
    let mut stage = Stage::project(&["main.asm"], files);
    stage.keys("e Ctrl-End").text(".include \"");
    shows(&mut stage, "▸lib/frames.inc\"");
    shows(&mut stage, "lamps.bin\"");
    stage.text("li").keys("Tab");
    assert!(stage.app.editor().text().ends_with(".include \"lib/frames.inc\""));
    assert!(stage.app.assembly().is_runnable());
}

#[test]
fn text_is_selected_copied_replaced_and_made_a_comment() {
    let mut stage = yard();
    stage.keys("l").text("4").keys("Enter e Home Shift-Down Ctrl-C");
    assert_eq!(stage.copied, "call  weigh\n        ");
    stage.keys("Ctrl-X");
    shows(&mut stage, "                   push  r1-r2".trim_start());
    stage.keys("Ctrl-Z Ctrl-Home Ctrl-A Ctrl-K");
    shows(&mut stage, "; start:  PAIR  r1");
    stage.keys("Ctrl-A Ctrl-K Ctrl-F").text("r1").keys("Enter Esc e Ctrl-R").text("r4").keys("Enter");
    shows(&mut stage, "3 places are left");
    stage.keys("a");
    shows(&mut stage, "replaced at 3 places");
    shows(&mut stage, "push  r4-r2");
    stage.keys("Ctrl-Z");
    shows(&mut stage, "push  r1-r2");
    stage.keys("Ctrl-End").text("\tmov r1 ,(2+ 3)").keys("Ctrl-B");
    shows(&mut stage, "mov   r1, (2+ 3)");
    stage.keys("End Ctrl-J");
    assert_eq!(
        stage.app.editor().line(stage.app.editor().cursor().0).chars().nth(stage.app.editor().cursor().1),
        Some('(')
    );
}

#[test]
fn the_mouse_puts_the_cursor_selects_and_scrolls() {
    let mut stage = yard();
    stage.screen();
    let mut mouse = |kind, column, row| {
        stage.message(Message::Mouse(MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE }));
        stage.app.editor().cursor()
    };
    let text = 16;
    // The line the walk is at is unfolded, so what follows lies two rows lower.
    assert_eq!(mouse(MouseEventKind::Down(MouseButton::Left), text + 2, 2 + 2), (2, 2));
    assert_eq!(mouse(MouseEventKind::Down(MouseButton::Left), text + 8, 2 + 5), (3, 8));
    assert_eq!(mouse(MouseEventKind::Drag(MouseButton::Left), text + 12, 2 + 5), (3, 12));
    assert_eq!(mouse(MouseEventKind::ScrollDown, text, 3), (6, 12));
    assert_eq!(mouse(MouseEventKind::Down(MouseButton::Left), 120, 3), (6, 12), "elsewhere nothing happens");
}

#[test]
fn the_mouse_goes_through_the_run_and_presses_the_keys_that_are_shown() {
    let mut stage = Stage::new("start: mov r1, 50\nagain: djnz r1, again\n halt\n");
    stage.keys("g");
    let click = |stage: &mut Stage, kind, column: usize, row: usize| {
        let (column, row) = (u16::try_from(column).expect("on the screen"), u16::try_from(row).expect("on the screen"));
        stage.message(Message::Mouse(MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE }));
    };
    let down = MouseEventKind::Down(MouseButton::Left);
    let row_of = |stage: &mut Stage, text: &str| {
        stage.screen().lines().position(|line| line.contains(text)).expect("it is shown")
    };
    let ribbon = row_of(&mut stage, "ribbon") + 1;
    click(&mut stage, down, 1, ribbon);
    shows(&mut stage, "step 0 of 52");
    click(&mut stage, down, 158, ribbon);
    shows(&mut stage, "step 52 of 52");
    click(&mut stage, down, 80, ribbon);
    shows(&mut stage, "step 26 of 52");
    let keys = stage.screen();
    let keys = keys.lines().last().expect("a keys line");
    let at = keys.chars().take_while(|sign| *sign != '→').count();
    click(&mut stage, down, at + 3, 49);
    shows(&mut stage, "step 27 of 52");
    // In the palette the wheel chooses.
    stage.keys(":").text("step");
    let chosen = |stage: &mut Stage| {
        stage.screen().lines().position(|line| line.trim_start().starts_with('▸') && line.contains("tep"))
    };
    let before = chosen(&mut stage);
    click(&mut stage, MouseEventKind::ScrollDown, 30, 40);
    assert_ne!(chosen(&mut stage), before);
    let keys = stage.screen();
    let at = keys.lines().last().expect("a keys line").find("Esc").expect("it is shown");
    let at = keys.lines().last().expect("a keys line")[..at].chars().count();
    click(&mut stage, down, at, 49);
    hides(&mut stage, "palette ─");
}

#[test]
fn files_changed_on_disk_are_taken_merged_or_asked_about() {
    let changed = |stage: &mut Stage, base: &str, theirs: &str| {
        stage.message(Message::Changed("main.asm".into(), base.into(), theirs.into()));
    };
    let mut stage = yard();
    let theirs = MAIN.replace("PAIR  r1", "PAIR  r5");
    changed(&mut stage, MAIN, &theirs);
    shows(&mut stage, "changed by someone else, and is shown as it is now");
    assert!(!stage.app.is_changed());
    let mut stage = yard();
    stage.keys("e Ctrl-End").text("; mine");
    changed(&mut stage, MAIN, &theirs);
    shows(&mut stage, "both changes are in the text now");
    shows(&mut stage, "PAIR  r5");
    shows(&mut stage, "; mine");
    let mut stage = yard();
    stage.keys("l").text("3").keys("Enter e End").text("; mine");
    changed(&mut stage, MAIN, &theirs);
    shows(&mut stage, "changed on disk too, at the same lines");
    stage.keys("Ctrl-S x t");
    shows(&mut stage, "PAIR  r5");
    stage.keys("Ctrl-Z");
    shows(&mut stage, "PAIR  r1; mine");
}

/// The demo of several files.
fn manifest() -> Stage {
    const FILES: [(&str, &str); 7] = [
        ("src/main.asm", include_str!("../../../../demos/manifest/src/main.asm")),
        ("src/totals.asm", include_str!("../../../../demos/manifest/src/totals.asm")),
        ("src/report.asm", include_str!("../../../../demos/manifest/src/report.asm")),
        ("src/wagons.asm", include_str!("../../../../demos/manifest/src/wagons.asm")),
        ("lib/print.asm", include_str!("../../../../demos/manifest/lib/print.asm")),
        ("src/wagon.inc", include_str!("../../../../demos/manifest/src/wagon.inc")),
        ("src/frames.inc", include_str!("../../../../demos/manifest/src/frames.inc")),
    ];
    let files = FILES.iter().fold(MemoryFiles::default(), |files, (name, text)| files.with(*name, text));
    let sources = ["src/main.asm", "src/report.asm", "src/totals.asm", "src/wagons.asm", "lib/print.asm"];
    let mut stage = Stage::project(&sources, files);
    let list = include_bytes!("../../../../demos/manifest/files/list.txt");
    stage.folder.insert("list.txt".to_owned(), list.to_vec());
    stage
}

#[test]
fn a_macro_unfolded_on_a_wide_screen() {
    let mut stage = manifest();
    stage.text("/by_siding").keys("Enter . Right");
    insta::assert_snapshot!(stage.screen());
}

#[test]
fn words_offered_on_a_usual_terminal() {
    let mut stage = manifest().sized(80, 24);
    stage.text("/clr   r8").keys("Enter e End Enter").text("mov   r0, wa");
    insta::assert_snapshot!(stage.screen());
}

#[test]
fn the_files_of_a_program_on_a_usual_terminal() {
    let mut stage = manifest().sized(80, 24);
    stage.keys("e").text("; mine ").keys("Esc f Down");
    insta::assert_snapshot!(stage.screen());
}

#[test]
fn the_guide_on_the_smallest_screen_and_a_usual_one() {
    let mut stage = manifest().sized(60, 16);
    stage.text("/djnz").keys("Enter ?");
    let small = stage.screen();
    let mut stage = manifest().sized(100, 30);
    stage.text("/.include").keys("Enter ?");
    insta::assert_snapshot!(format!("{small}\n\n{}", stage.screen()));
}

#[test]
fn stepping_leads_through_files_and_back_to_the_same_screen() {
    let mut stage = manifest();
    let mut seen = std::collections::BTreeSet::new();
    for _ in 0..40 {
        stage.keys("Right");
        seen.insert(
            stage.screen().lines().next().unwrap_or_default().split_whitespace().nth(1).unwrap_or_default().to_owned(),
        );
    }
    assert_eq!(seen.into_iter().collect::<Vec<_>>(), ["/yard/src/wagons.asm"]);
    for _ in 0..40 {
        stage.keys("Left");
    }
    for wanted in ["/yard/src/main.asm", "step 0 of 40", "before the first step"] {
        shows(&mut stage, wanted);
    }
    stage.keys("g");
    shows(&mut stage, "finished, status 0");
    shows(&mut stage, "2123 cwt, the engine pulls it");
}

#[test]
fn a_file_that_leaves_the_program_stays_while_it_has_changes() {
    let files = MemoryFiles::default()
        .with("a.asm", " .include \"b.inc\"\nstart: mov r0, B\n sys exit\n")
        .with("b.inc", ".equ B, 3\n");
    let mut stage = Stage::project(&["a.asm"], files);
    stage.keys("f Down Enter e End").text(" + 1").keys("Esc f Up Enter g");
    shows(&mut stage, "finished, status 4");
    stage.keys("l").text("1").keys("Enter e Ctrl-K l Esc f");
    shows(&mut stage, "b.inc");
    shows(&mut stage, "unsaved");
    stage.keys("Esc q");
    shows(&mut stage, "Not saved: 2 files");
    stage.keys("s");
    assert!(stage.ended, "everything was saved");
    assert_eq!(stage.saved.len(), 2);
}

proptest::proptest! {
    #![proptest_config(proptest::test_runner::Config::with_cases(24))]
    /// Any keys in any order over several files: no panic, every screen can be drawn, and the texts that differ from
    /// their files are known.
    #[test]
    fn any_keys_over_several_files(steps in proptest::collection::vec((0usize..56, 40u16..170, 10u16..50), 1..50)) {
        const NAMES: [&str; 48] = [
            "Right", "Left", ">", "<", "]", "[", "g", "G", "b", "e", "Esc", "Enter", "Tab", "Up", "Down", "Home", "End", "PageDown", "Backspace",
            "Delete", "f", "u", "r", "R", "d", "U", "Ctrl-E", "Ctrl-R", "Ctrl-N", "Ctrl-C", "Ctrl-X", "Ctrl-V", "Ctrl-A", "Ctrl-K", "Ctrl-B", "Ctrl-J",
            "Ctrl-G", "Ctrl-U", "Ctrl-Z", "Ctrl-Y", "Ctrl-T", "Ctrl-S", "?", "N", "Shift-Down", "Shift-Left", "k", "t",
        ];
        let mut stage = yard();
        let mut disk: Vec<String> = stage.app.open_files().into_iter().filter_map(|file| file.base).map(|base| base.to_string()).collect();
        disk.extend([MAIN, SCALE, PAIR].map(str::to_owned));
        for (choice, width, height) in steps {
            match NAMES.get(choice) {
                Some(name) => { stage.keys(name); }
                None if choice % 2 == 0 => { stage.text("PAIR r"); }
                None => {
                    let theirs = format!("{SCALE}; {width}\n");
                    disk.push(theirs.clone());
                    stage.message(Message::Changed("scale.asm".into(), SCALE.into(), theirs));
                }
            }
            stage.resize(width, height);
            stage.screen();
            let (line, column) = stage.app.editor().cursor();
            proptest::prop_assert!(line < stage.app.editor().line_count() && column <= stage.app.editor().line(line).chars().count());
            let lost = stage.nothing_is_lost(&disk);
            proptest::prop_assert!(lost.is_ok(), "{lost:?}");
        }
    }
}

#[test]
fn two_texts_changed_elsewhere_are_asked_about_one_after_the_other() {
    let mut stage = yard();
    stage.keys("l").text("3").keys("Enter e End").text("; mine").keys("Esc f Down Enter");
    shows(&mut stage, "/yard/scale.asm");
    stage.keys("e Ctrl-Home").text("; mine ");
    let theirs = (MAIN.replace("PAIR  r1", "PAIR  r5"), format!("; theirs {SCALE}"));
    stage.message(Message::Changed("main.asm".into(), MAIN.into(), theirs.0.clone()));
    stage.message(Message::Changed("scale.asm".into(), SCALE.into(), theirs.1));
    stage.keys("Ctrl-S");
    shows(&mut stage, "/yard/main.asm");
    let base = |stage: &Stage, name: &str| {
        let file = stage.app.open_files().into_iter().find(|file| file.name == name).expect("it is open");
        file.base.expect("it has a file").to_string()
    };
    assert_eq!(base(&stage, "main.asm"), MAIN, "nothing is written over it before it was answered");
    stage.keys("t");
    assert_eq!(base(&stage, "main.asm"), theirs.0);
    shows(&mut stage, "/yard/scale.asm");
    shows(&mut stage, "changed twice");
    stage.keys("k");
    assert!(stage.app.text_of("scale.asm").expect("it is open").starts_with("; mine"));
}

#[test]
fn all_recovered_texts_are_assembled() {
    let app = App::in_project("/yard", "main.asm", MAIN, Settings::default(), Theme::default());
    let mut app = app.with_recovered_file("/yard/scale.asm", SCALE, "; mine\n");
    let effects = app.first_effects();
    let [Effect::Assemble(_, texts)] = effects.as_slice() else { panic!("{effects:?}") };
    let names: Vec<&str> = texts.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["main.asm", "scale.asm"]);
}

#[test]
fn a_rename_over_two_files_is_taken_back_in_both() {
    for keys in ["Ctrl-Z", "Esc Ctrl-Z"] {
        let mut stage = yard();
        stage.keys("l").text("4").keys("Enter e End Ctrl-E Ctrl-U").text("scale").keys("Enter");
        shows(&mut stage, "in 2 files; Ctrl-Z takes it back");
        assert_eq!(stage.app.unsaved().len(), 2);
        stage.keys(keys);
        assert!(stage.app.unsaved().is_empty(), "{keys}: {:?}", stage.app.unsaved());
        stage.keys("Esc g");
        shows(&mut stage, "finished, status 0");
    }
}

#[test]
fn a_copy_of_a_projects_file_leaves_the_program_as_it_was_made() {
    let mut stage = yard();
    stage.keys("e").text("; mine ").keys("Esc :save_under_another Ctrl-U").text("/yard/copy.asm").keys("Enter");
    shows(&mut stage, "a copy is saved as /yard/copy.asm; the program goes on with main.asm");
    assert!(stage.app.is_changed(), "main.asm itself was not saved");
    stage.keys("Ctrl-S");
    assert!(stage.saved.iter().any(|(path, text)| path == "/yard/main.asm" && text.contains("; mine ")));
    assert!(!stage.app.is_changed());
}

#[test]
fn a_source_by_itself_goes_on_under_the_name_it_is_saved_by() {
    let mut stage = Stage::with(App::new(None, "", Settings::default(), Theme::default()));
    stage.text("start: halt").keys("Ctrl-S").text("/yard/new.asm").keys("Enter");
    shows(&mut stage, "/yard/new.asm");
    stage.text(" ; more").keys("Ctrl-S");
    assert_eq!(stage.saved.last().map(|(path, _)| path.as_str()), Some("/yard/new.asm"));
    stage.keys("Esc g");
    shows(&mut stage, "finished, status 0");
}

#[test]
fn what_someone_else_changed_keeps_breakpoints_cursor_and_undo() {
    let mut stage = yard();
    stage.keys("l").text("5").keys("Enter b");
    let theirs = format!("; new\n; lines\n{MAIN}");
    stage.message(Message::Changed("main.asm".into(), MAIN.into(), theirs));
    shows(&mut stage, "◆ 7");
    shows(&mut stage, "line 7 of");
    stage.keys("g");
    shows(&mut stage, "paused: breakpoint");
    stage.keys("e Ctrl-Z");
    assert_eq!(stage.app.editor().text(), MAIN);
}

#[test]
fn what_two_files_call_alike_is_asked_where_it_is_clear() {
    let part = |name: &str, value: u32| {
        format!(
            "        .global {name}\n{name}:    ldw   r1, [count]\n        ret\n        .data\ncount:  .word {value}\n"
        )
    };
    let files = MemoryFiles::default()
        .with(
            "main.asm",
            "        .extern one\n        .extern two\nstart:  call  one\n        call  two\n        sys   exit\n",
        )
        .with("one.asm", part("one", 17))
        .with("two.asm", part("two", 34));
    let mut stage = Stage::project(&["main.asm", "one.asm", "two.asm"], files).sized(140, 40);
    // From the main file neither is meant.
    stage.keys("m").text("count").keys("Enter");
    shows(&mut stage, "in another: write which of these");
    stage.keys("Esc v").text("[count]").keys("Enter");
    shows(&mut stage, "in another: write which of these");
    // In each of the others its own.
    stage.keys("Esc Right v").text("[count]").keys("Enter");
    shows(&mut stage, "[count]               17");
    stage.keys("m").text("count").keys("Enter");
    shows(&mut stage, "count       0300");
    stage.keys("Right Right Right");
    shows(&mut stage, "[count]               34");
    // The memory that was asked for stays.
    shows(&mut stage, "count       0300");
}
