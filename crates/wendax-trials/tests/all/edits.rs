//! Rows changed in the text of a table: what is not meant stays as it is; rows made of runs pass.

use crate::common::report;
use proptest::prelude::*;
use wendax_machine::{Clock, Event, Settings};
use wendax_session::{Command, Progress, Session};
use wendax_trials::{Table, edit, record};

const TEXT: &str = "# A table.\nabout = \"x\"  # kept\n\n[[row]]\nname = \"first\"   # its name\ntyped = \"1\\n\"\nstatus = 0\n\n# The second one.\n[[row]]\nname = \"second\"\nprints = \"\"\"\na\nb\"\"\"\n";

#[test]
fn cells_are_set_and_taken_away_and_remarks_stay() {
    let rows = edit::rows(TEXT);
    assert_eq!(rows[0][1], ("typed".to_owned(), "\"1\\n\"".to_owned()));
    assert_eq!(rows[1][1], ("prints".to_owned(), "\"a\\nb\"".to_owned()), "on one line");
    let set = edit::set(TEXT, 0, "typed = \"22\\n\"").unwrap();
    assert_eq!(set, TEXT.replace("typed = \"1\\n\"", "typed = \"22\\n\""));
    let new = edit::set(TEXT, 0, "points = 3").unwrap();
    assert_eq!(new, TEXT.replace("status = 0\n", "status = 0\npoints = 3\n"));
    assert_eq!(edit::unset(&new, 0, "points").unwrap(), TEXT);
    assert!(edit::set(TEXT, 0, "points").unwrap_err().contains("a cell is a key with its value"));
    assert!(edit::set(TEXT, 0, "a = 1\nb = 2").unwrap_err().contains("one key at a time"));
    assert!(edit::set(TEXT, 7, "points = 3").unwrap_err().contains("no such row"));
    assert!(edit::set("row = [{ name = \"a\" }]", 0, "points = 3").unwrap_err().contains("[[row]]"));
}

#[test]
fn rows_are_copied_and_removed() {
    let copied = edit::copy(TEXT, 0).unwrap();
    assert!(copied.starts_with(TEXT), "{copied}");
    let names: Vec<String> = Table::read(&copied).unwrap().rows.into_iter().map(|row| row.name).collect();
    assert_eq!(names, ["first", "second", "first 2"]);
    assert_eq!(edit::remove(&copied, 2).unwrap().trim_end(), TEXT.trim_end());
    let less = edit::remove(TEXT, 0).unwrap();
    assert!(less.contains("# A table.") && less.contains("# kept") && !less.contains("first"), "{less}");
    let made = edit::add("", &vec![edit::cell("name", "say \"hello\"\\")]).unwrap();
    assert_eq!(Table::read(&made).unwrap().rows[0].name, "say \"hello\"\\");
}

/// Walks a program to its end; what is typed comes as it asks.
fn walked(program: &str, lines: &[&str], arguments: &[&str]) -> Session {
    let (sources, file) = wendax_source::Sources::single("main.asm", program);
    let assembly = wendax_asm::assemble(&sources, file);
    let arguments = arguments.iter().map(|word| word.as_bytes().to_vec()).collect();
    let settings = Settings { arguments, seed: 5, clock: Clock::Cycles, ..Settings::default() };
    let mut session = Session::new(assembly.image, settings).with_sources(assembly.sources);
    let mut lines = lines.iter();
    session.begin(Command::Go);
    loop {
        match session.work(100_000) {
            Progress::Working => {}
            Progress::Asks(_) => session.answer(Event::Waited),
            Progress::Arrived if *session.state() == wendax_session::State::Waiting => match lines.next() {
                Some(line) => drop(session.type_input(line.as_bytes())),
                None => drop(session.end_input()),
            },
            Progress::Arrived => return session,
        }
    }
}

const ADDS: &str = "start: clr r6\nnext: sys get_int\n jc done\n add r6, r0\n jmp next\ndone: mov r0, r6\n sys put_int\n mov r0, 10\n sys random\n sys put_uint\n clr r0\n sys exit\n";

#[test]
fn a_row_made_of_a_run_passes() {
    for (lines, arguments) in
        [(vec!["3\n", "4\n"], vec![]), (vec![], vec!["{yard}", "a b"]), (vec!["{x}\n", "2\n"], vec!["\"q\""])]
    {
        let cells = record(&walked(ADDS, &lines, &arguments), "made").unwrap();
        let text = edit::add("", &cells).unwrap();
        let report = report(ADDS, &text, 1);
        assert_eq!(report.failed(), 0, "{text}\n{report:?}");
        assert!(text.contains("seed = 5") && text.contains("prints = "), "{text}");
    }
    let unfinished = Session::new(
        wendax_asm::assemble(
            &wendax_source::Sources::single("a", "start: nop\n sys exit\n").0,
            wendax_source::FileId(0),
        )
        .image,
        Settings::default(),
    );
    assert!(record(&unfinished, "x").unwrap_err().contains("a run that has ended"));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    /// Whatever a row holds, setting a cell sets that one, and all other cells stay.
    #[test]
    fn setting_a_cell_changes_nothing_else(texts in prop::collection::vec("[ -~\u{e9}\n\t]{0,12}", 1..5), which in 0_usize..5, new in "[ -~\n]{0,12}") {
        let cells: edit::RowCells = texts.iter().enumerate().map(|(index, text)| edit::cell(&format!("k{index}"), text)).collect();
        let text = edit::add(TEXT, &cells).unwrap();
        let rows = edit::rows(&text);
        let before = &rows[2];
        prop_assert_eq!(before.len(), texts.len());
        let which = which % texts.len();
        let (key, value) = edit::cell(&format!("k{which}"), &new);
        let changed = edit::set(&text, 2, &format!("{key} = {value}")).unwrap();
        let after = &edit::rows(&changed)[2];
        for (index, cell) in after.iter().enumerate() {
            let wanted = if index == which { &value } else { &before[index].1 };
            prop_assert_eq!(&cell.1, wanted);
        }
        prop_assert_eq!(&edit::rows(&changed)[..2], &edit::rows(TEXT)[..]);
    }
}
