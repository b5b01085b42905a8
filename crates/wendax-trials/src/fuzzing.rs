//! What a fuzzer calls: any text as a table of trials, changed in place and tried on a small program. The target in `fuzz/`
//! runs it for as long as one likes, a test of this crate over the kept corpus and for a moment.
//!
//! What must hold: no panic; what is wrong is told with its line; rows come to the same on one thread and on two; a row
//! that is copied and taken away again leaves the table it was.

use crate::edit;
use crate::{How, Programs, Subject, Table, Trials};
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

/// The program that tables are tried on, as W16 assembles it: two routines and data.
pub const PROGRAM: &str = "start: sys get_int\n jc done\n add r0, r0\n sys put_int\ndone: clr r0\n sys exit\n\
    sum: clr r2\n@next: ldw r3, [r0]\n add r2, r3\n add r0, 2\n djnz r1, @next\n mov r0, r2\n ret\n\
    twice: add r0, r0\n stw [total], r0\n ret\n.data\nlist: .word 3, 4\n .space 8\nname: .space 8\ntotal: .word 0\n";

/// Runs of all rows together, at most: what takes longer finds nothing more.
const MOST_RUNS: u64 = 40;

/// Any text as a table, for [`PROGRAM`].
pub fn tables(data: &[u8], program: &Subject) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    let written = edit::rows(text);
    let mut table = match Table::read(text) {
        Ok(table) => table,
        Err(problems) => {
            assert!(!problems.is_empty());
            assert!(problems.windows(2).all(|pair| pair[0].line <= pair[1].line), "{problems:?}");
            let lines = text.matches('\n').count() + 1;
            for problem in problems {
                assert!((1..=lines).contains(&problem.line) && !problem.message.is_empty(), "{problem:?}");
            }
            return;
        }
    };
    if written.len() == table.rows.len()
        && let Ok(copied) = edit::copy(text, 0)
    {
        // A name of its own is all that is another.
        let more = Table::read(&copied).unwrap_or_else(|problems| panic!("{copied}: {problems:?}"));
        assert_eq!(more.rows.len(), table.rows.len() + 1);
        let less = edit::remove(&copied, written.len()).ok().and_then(|text| Table::read(&text).ok());
        let names = |table: &Table| table.rows.iter().map(|row| row.name.clone()).collect::<Vec<_>>();
        assert_eq!(less.as_ref().map(names), Some(names(&table)));
    }
    table.limits.steps = table.limits.steps.min(300);
    table.limits.output = table.limits.output.min(300);
    if table.rows.iter().fold(0, |all, row| row.cases().saturating_add(all)) <= MOST_RUNS {
        let one = tried(&table, program, 1);
        assert_eq!(one, tried(&table, program, 2), "{text}");
    }
}

/// What comes of it on so many threads; the host's clock stands still.
fn tried(table: &Table, program: &Subject, threads: usize) -> Option<crate::Report> {
    let beside = table.beside().into_iter().map(|path| (path.to_owned(), Ok(Arc::new(path.as_bytes().to_vec()))));
    let programs = Programs { own: Some(program.clone()), beside: beside.collect(), ..Programs::default() };
    let trials = Trials::new(table.clone(), programs).ok()?;
    let over = AtomicBool::new(false);
    trials.run(How { threads, now: &|| 0, is_over: &over }, &|_| {})
}
