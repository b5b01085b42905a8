//! Trials in the bench: rows are tried with each text, walked where they went wrong, made of runs, and changed in place.

use crate::common::{Stage, hides, shows};
use proptest::prelude::*;
use wendax_tui::Message;

const PROGRAM: &str = "start: sys get_int\n mov r6, r0\n add r6, r6\n mov r0, r6\n sys put_int\n clr r0\n sys exit\n\
    half: shr r0, 1\n ret\n.data\nspare: .word 0\n";

const TABLE: &str = "about = \"Twice.\"\n\n[[row]]\nname = \"four\"\ntyped = \"4\\n\"\nprints = \"8\"\nstatus = 0\n\n\
    [[row]]\nname = \"wrong\"\ntyped = \"5\\n\"\nprints = \"11\"\npoints = 3\n\n\
    [[row]]\nname = \"half\"\ncall = \"half\"\nwith = [9]\nreturns = 4\n\n\
    [[row]]\nname = \"quiet\"\nhidden = true\nprints = \"the secret\"\n";

const PATH: &str = "/yard/weighbridge.trials.toml";

fn stage(table: &str) -> Stage {
    let mut stage = Stage::new(PROGRAM).sized(140, 40);
    stage.folder.insert(PATH.to_owned(), table.as_bytes().to_vec());
    stage.keys(":trials_take_a_table");
    stage.keys("Enter");
    stage
}

fn written(stage: &Stage) -> String {
    String::from_utf8(stage.folder[PATH].clone()).expect("a table is text")
}

#[test]
fn rows_are_tried_and_the_header_counts_those_that_fail() {
    let mut stage = stage(TABLE);
    shows(&mut stage, "2 of 4 fail · 2 of 6 points");
    shows(&mut stage, "2 of 4 rows fail");
    shows(&mut stage, "`10` was printed where `11` was expected, at step 4 (line 5)");
    shows(&mut stage, "Twice.");
    // Of a hidden row nothing but its name is told, also when it is chosen.
    stage.keys("Down Down Down");
    shows(&mut stage, "▸ ✗  quiet");
    hides(&mut stage, "the secret");
    stage.keys("Enter");
    shows(&mut stage, "this row is hidden");
    // With each text they are tried anew, and what takes longer than before is told.
    stage.keys("Esc e Ctrl-Home Down Down End Enter").text(" nop").keys("Esc");
    stage.keys(":trials_rows_with");
    shows(&mut stage, "▴ 1");
    shows(&mut stage, "2 of 4 fail");
}

#[test]
fn a_row_is_walked_where_it_went_wrong_with_what_is_expected_beside_the_console() {
    let mut stage = stage(TABLE);
    stage.keys("Down Enter");
    shows(&mut stage, "step 4 of 7");
    shows(&mut stage, "`10` was printed where `11` was expected");
    shows(&mut stage, "expected");
    shows(&mut stage, "▸ 11");
    // Mended, the same row walks on with the present text, and the run before stands beside it.
    stage.keys("e Ctrl-Home Down Down End Enter").text(" inc r6").keys("Esc");
    shows(&mut stage, "the walk shows an older text");
    stage.keys("r");
    shows(&mut stage, "at the end of the run of row \"wrong\"");
    shows(&mut stage, "as expected");
    stage.keys(":both");
    shows(&mut stage, "before");
    stage.keys("Ctrl-Z");
    shows(&mut stage, "step 4 of 7");
}

#[test]
fn what_was_tried_with_an_older_text_says_so() {
    let mut stage = stage(TABLE);
    stage.keys("Esc e Ctrl-Home Down Down End Enter").text(" inx r6").keys("Esc");
    shows(&mut stage, "1 problem in the text");
    hides(&mut stage, "rows fail");
    stage.keys(":trials_rows_with");
    shows(&mut stage, "of the text before · 2 of 4 fail");
}

#[test]
fn a_routine_is_walked_and_stays_of_the_present_text() {
    let mut stage = stage(&TABLE.replace("returns = 4", "returns = 5"));
    stage.keys("Down Down Enter");
    shows(&mut stage, "4 came back in `r0` where 5 was expected, at step 1 (line 8)");
    shows(&mut stage, "shr r0, 1");
    hides(&mut stage, "an older text");
    stage.keys("Right Right");
    shows(&mut stage, "step 3 of 3");
    // A remark changes nothing of it.
    stage.keys("e Ctrl-Home").text("; twice").keys("Enter Esc");
    hides(&mut stage, "an older text");
    shows(&mut stage, "step 3 of 3");
    // Another run of the program is none of a row.
    stage.keys("R g");
    hides(&mut stage, "came back");
    shows(&mut stage, "waiting for input");
}

#[test]
fn cells_are_set_rows_added_copied_and_taken_away_and_all_of_it_taken_back() {
    let mut stage = stage(TABLE);
    stage.keys("Down x Shift-Right Shift-Right Shift-Right Shift-Right Shift-Right");
    stage.keys("e");
    shows(&mut stage, "set a cell");
    stage.keys("Ctrl-U").text("prints = \"10\"").keys("Enter");
    shows(&mut stage, "1 of 4 fails");
    assert_eq!(written(&stage), TABLE.replace("\"11\"", "\"10\""), "nothing else changes");
    // What would be no table is told, and not written.
    stage.keys("e Ctrl-U").text("prints = 10").keys("Enter");
    shows(&mut stage, "`prints` takes a text in quotation marks");
    stage.keys("Ctrl-U").text("points").keys("Enter");
    assert!(!written(&stage).contains("points"));
    stage.keys("c");
    assert!(written(&stage).contains("name = \"wrong 2\""));
    stage.keys("a Ctrl-U").text("four").keys("Enter");
    shows(&mut stage, "there is a row called \"four\" already");
    stage.keys("Ctrl-U").text("new one").keys("Enter");
    assert!(written(&stage).ends_with("\n[[row]]\nname = \"new one\"\n"));
    shows(&mut stage, "of 6");
    stage.keys("Delete");
    shows(&mut stage, "of 5");
    for _ in 0..5 {
        stage.keys("Ctrl-Z");
    }
    assert_eq!(written(&stage), TABLE);
    stage.keys("Ctrl-Z");
    shows(&mut stage, "the table was not changed here");
}

#[test]
fn what_someone_else_wrote_into_the_table_is_not_lost() {
    let mut stage = stage(TABLE);
    let other = TABLE.replace("Twice.", "Twice, by someone else.");
    stage.folder.insert(PATH.to_owned(), other.clone().into_bytes());
    stage.keys("c");
    shows(&mut stage, "changed by someone else");
    assert_eq!(written(&stage), other);
    shows(&mut stage, "Twice, by someone else.");
    stage.keys("c");
    assert!(written(&stage).starts_with(&other));
    // What is no table any more says what is wrong with it.
    stage.message(Message::Table(PATH.to_owned(), "[[row]]\ntyped = 3\n".to_owned()));
    shows(&mut stage, "line 2: `typed` takes a text in quotation marks");
    shows(&mut stage, "rows cannot be tried");
    stage.message(Message::Table(PATH.to_owned(), TABLE.to_owned()));
    shows(&mut stage, "2 of 4 fail");
}

#[test]
fn a_row_is_made_of_the_present_run_or_it_is_told_why_not() {
    let mut stage = Stage::new(PROGRAM).sized(140, 40);
    stage.keys(":make_a_row_of_the_present_run").keys("Enter");
    shows(&mut stage, "a row is made of a run that has ended: g goes on to its end");
    stage.keys("Esc g").text("12").keys("Enter");
    shows(&mut stage, "finished, status 0");
    stage.keys(":make_a_row_of_the_present_run").text(" and more").keys("Enter");
    shows(&mut stage, "1 row passes");
    assert_eq!(written(&stage), "[[row]]\nname = \"and more\"\ntyped = \"12\\n\"\nprints = \"24\"\nstatus = 0\n");
    // Changes by hand are none that a row does again.
    stage
        .keys("Home Right = Ctrl-U")
        .text("r6 = 3")
        .keys("Enter g")
        .keys(":make_a_row_of_the_present_run")
        .keys("Enter");
    shows(&mut stage, "changed by hand");
}

/// Writes what it reads from one file to another one.
const COPIES: &str = "start: mov r0, from\n clr r1\n sys file_open\n jc gone\n mov r6, r0\n mov r1, text\n mov r2, 4\n sys file_read\n\
    gone: mov r0, to\n mov r1, 1\n sys file_open\n mov r6, r0\n mov r1, text\n mov r2, 4\n sys file_write\n mov r0, r6\n sys file_close\n\
    clr r0\n sys exit\n.data\nfrom: .asciz \"in\"\nto: .asciz \"out\"\ntext: .ascii \"none\"\n";

#[test]
fn the_run_of_a_row_neither_reads_nor_writes_the_folder_of_the_program_and_is_none_to_be_taken_up() {
    let mut files = wendax_source::MemoryFiles::default();
    files.insert("main.asm", COPIES);
    let mut stage = Stage::project(&["main.asm"], files).sized(140, 40);
    stage.folder.insert("in".to_owned(), b"disk".to_vec());
    let table = "[[row]]\nname = \"copied\"\nfiles = { in = \"rows\" }\nwrites = { out = \"rows\" }\n";
    stage.folder.insert("/yard/trials.toml".to_owned(), table.as_bytes().to_vec());
    stage.keys(":trials_take_a_table").keys("Enter");
    shows(&mut stage, "1 row passes");
    stage.keys("Enter");
    shows(&mut stage, "at the end of the run of row");
    assert_eq!(stage.told, 0, "nothing was to be kept");
    // Walked on from its beginning it is given the same files.
    stage.keys("Home = ").text("r9 = 1").keys("Enter g");
    shows(&mut stage, "finished, status 0");
    assert!(stage.told == 0 && !stage.folder.contains_key("out"));
    assert!(stage.app.kept().walk.is_none(), "the table has what it was given");
    // A run of the program is another thing.
    stage.keys("R g");
    shows(&mut stage, "finished, status 0");
    assert_eq!(stage.folder.get("out").map(Vec::as_slice), Some(&b"disk"[..]));
}

#[test]
fn of_a_table_about_several_programs_the_rows_about_the_open_one_are_shown_and_changed() {
    let row = |name: &str, program: &str| {
        format!("[[row]]\nname = \"{name}\"\nprogram = \"{program}\"\ntyped = \"4\\n\"\nprints = \"8\"\n\n")
    };
    let table = row("first", "other.asm") + &row("second", "weighbridge.asm") + &row("third", "other.asm");
    let mut stage = stage(&table);
    shows(&mut stage, "1 row passes");
    shows(&mut stage, "second");
    hides(&mut stage, "first");
    stage.keys("Enter");
    shows(&mut stage, "at the end of the run of row \"second\"");
    stage.keys(":trials_rows_with");
    stage.keys("e").text("points = 3").keys("Enter");
    assert_eq!(
        written(&stage),
        table.replacen(
            "prints = \"8\"\n\n[[row]]\nname = \"third\"",
            "prints = \"8\"\npoints = 3\n\n[[row]]\nname = \"third\"",
            1
        )
    );
    stage.keys("Delete");
    assert!(
        written(&stage).contains("first") && written(&stage).contains("third") && !written(&stage).contains("second")
    );
    // None is about it: all are shown, and Enter opens what one is about.
    shows(&mut stage, "first");
    stage.keys("Enter");
    assert_eq!(stage.asked, ["other.asm: first"]);
}

#[test]
fn late_answers_of_a_job_that_was_given_up_are_dropped() {
    let mut stage = stage(TABLE);
    stage.answers_late();
    stage.keys("Esc e Ctrl-Home Down Down End Enter").text(" inc r6").keys("Esc");
    let mut left = 0;
    while stage.arrives(left) {
        left = (left * 7 + 3) % 11;
    }
    stage.rests();
    stage.keys(":trials_rows_with");
    while stage.arrives(0) {}
    // 4 gives 9 now, and 5 gives 11.
    shows(&mut stage, "`9` was printed where `8` was expected");
    shows(&mut stage, "2 of 4 fail");
}

#[test]
fn the_page_has_room_at_all_sizes() {
    for (width, height) in [(60, 16), (60, 20), (80, 24), (100, 30), (220, 60)] {
        let mut stage = stage(TABLE).sized(width, height);
        shows(&mut stage, "four");
        stage.keys("x Shift-Right Shift-Right Shift-Right Shift-Right Shift-Right Shift-Right Shift-Right");
        shows(&mut stage, "four");
        stage.keys("Down Enter");
        shows(&mut stage, "step 4 of 7");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, ..ProptestConfig::default() })]

    /// Whatever keys come in whatever order, with answers that come when they come: the table stays one, what is on the screen
    /// is of it, and taking everything back gives the text there was.
    #[test]
    fn any_keys_leave_a_table(keys in prop::collection::vec((0_usize..26, 0_usize..5), 1..60), late in any::<bool>()) {
        const KEYS: [&str; 26] = [
            "Enter", "Down", "Up", "x", "Shift-Right", "Shift-Left", "c", "Delete", "Ctrl-Z", "Esc", "P", "P P P P", "Right", "Left", "g", "r",
            "R", "Home", "End", "Tab", "o", "Ctrl-Y", ":trials_rows_with", ":make_a_row_of_the_present_run Enter", "e Enter", "a Enter",
        ];
        let mut stage = stage(TABLE);
        if late {
            stage.answers_late();
        }
        for (key, arrives) in keys {
            stage.keys(KEYS[key]);
            for nth in 0..arrives {
                stage.arrives(nth);
            }
            let _ = stage.screen();
        }
        while stage.arrives(0) {}
        stage.rests();
        let now = written(&stage);
        prop_assert!(now.is_empty() || wendax_trials::Table::read(&now).is_ok() || !now.contains("[[row]]"), "{now}");
        stage.keys("Esc Esc Esc :trials_rows_with");
        for _ in 0..130 {
            stage.keys("Ctrl-Z");
        }
        while stage.arrives(0) {}
        prop_assert_eq!(written(&stage), TABLE);
    }
}

#[test]
fn a_page_that_is_asked_for_by_its_name_is_there_also_when_it_was() {
    let mut stage = stage(TABLE);
    stage.keys(":trials_rows_with");
    shows(&mut stage, "what came of it");
    stage.keys(":trials_rows_with");
    shows(&mut stage, "what came of it");
    stage.keys("Esc");
    hides(&mut stage, "what came of it");
}

#[test]
fn where_there_is_no_row_there_is_none_to_walk() {
    let mut stage = Stage::new(PROGRAM).sized(140, 40);
    stage.keys(":trials_rows_with");
    shows(&mut stage, "there is no table of trials yet");
    stage.keys("Enter");
    shows(&mut stage, "there is no row here");
}
