//! What comes of rows: programs and routines that are right, and such that are not, with the words for it.

use std::sync::atomic::AtomicBool;
use wendax_trials::{How, Outcome, Programs, Report, Subject, Table, Trials};

pub(crate) fn subject(text: &str) -> Subject {
    let (sources, file) = wendax_source::Sources::single("main.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(
        assembly.diagnostics.iter().all(|found| found.severity != wendax_source::Severity::Problem),
        "{:?}",
        assembly.diagnostics
    );
    Subject::new(assembly.image, assembly.sources)
}

pub(crate) fn report(program: &str, table: &str, threads: usize) -> Report {
    let table = Table::read(table).unwrap_or_else(|problems| panic!("{problems:?}"));
    let trials = Trials::new(table, Programs { own: Some(subject(program)), ..Programs::default() }).unwrap();
    let over = AtomicBool::new(false);
    trials.run(How { threads, now: &|| 0, is_over: &over }, &|_| {}).unwrap()
}

fn only(program: &str, row: &str) -> Outcome {
    let mut report = report(program, &format!("[[row]]\nname = \"it\"\n{row}"), 1);
    report.outcomes.pop().unwrap()
}

/// What is said of a row that fails.
fn words(program: &str, row: &str) -> String {
    only(program, row).failing.expect("it fails").words()
}

const DOUBLE: &str = "\
start:  sys get_int
        mov r6, r0
        add r6, r6
        mov r0, r6
        sys put_int
        clr r0
        sys exit
";

#[test]
fn what_was_printed_is_told_with_step_line_and_where_it_came_from() {
    assert!(only(DOUBLE, "typed = \"4\\n\"\nprints = \"8\"\nstatus = 0").is_passed());
    assert_eq!(words(DOUBLE, "typed = \"4\\n\"\nprints = \"5\""), "");
}
