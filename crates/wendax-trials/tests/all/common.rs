//! Programs and tables for tests.

use std::sync::atomic::AtomicBool;
use wendax_trials::{How, Outcome, Programs, Report, Subject, Table, Trials};

pub(crate) fn subject(text: &str) -> Subject {
    let (sources, file) = wendax_source::Sources::single("main.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    let is_problem = |found: &wendax_source::Diagnostic| found.severity == wendax_source::Severity::Problem;
    assert!(!assembly.diagnostics.iter().any(is_problem), "{:?}", assembly.diagnostics);
    Subject::new(assembly.image, assembly.sources)
}

pub(crate) fn trials(program: &str, table: &str) -> Trials {
    let table = Table::read(table).unwrap_or_else(|problems| panic!("{problems:?}"));
    Trials::new(table, Programs { own: Some(subject(program)), ..Programs::default() }).expect("its rules are words")
}

/// Runs all of it; the host's clock stands still.
pub(crate) fn run(trials: &Trials, threads: usize) -> Report {
    let over = AtomicBool::new(false);
    trials.run(How { threads, now: &|| 0, is_over: &over }, &|_| {}).expect("nobody ends it")
}

pub(crate) fn report(program: &str, table: &str, threads: usize) -> Report {
    run(&trials(program, table), threads)
}

/// What comes of one row.
pub(crate) fn only(program: &str, row: &str) -> Outcome {
    let mut report = report(program, &format!("[[row]]\nname = \"it\"\n{row}"), 1);
    report.outcomes.pop().expect("there is a row")
}

/// What is said of a row that fails.
pub(crate) fn words(program: &str, row: &str) -> String {
    let failing = only(program, row).failing;
    failing.map_or_else(|| panic!("it passes: {row}"), |failing| failing.words())
}
