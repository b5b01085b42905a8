//! The fuzz target of this crate, for a moment: over the corpus that is kept, and over broken pieces of it.

#![expect(clippy::disallowed_methods, reason = "a test, not the core: it reads the corpus")]

#[path = "../../../../fuzz/kept.rs"]
mod kept;

use crate::common::subject;
use kept::corpus;
use proptest::prelude::*;
use wendax_trials::{Table, fuzzing};

#[test]
fn the_corpus_comes_in_at_its_door() {
    let all = corpus("tables");
    assert!(all.len() >= 7, "{} files", all.len());
    let tables = all.iter().filter(|data| Table::read(&String::from_utf8_lossy(data)).is_ok());
    assert_eq!(tables.count(), all.len() - 1, "all but one are tables");
    for data in &all {
        fuzzing::tables(data, &subject(fuzzing::PROGRAM));
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    /// Cells of all of them in one row, a routine's or a program's, with signs put in, taken away and changed.
    #[test]
    fn broken_pieces_come_in_at_its_door(
        is_call: bool,
        cells in proptest::collection::vec(any::<prop::sample::Index>(), 1..7),
        edits in proptest::collection::vec((any::<prop::sample::Index>(), any::<u8>(), 0u8..3), 0..3),
    ) {
        let all = String::from_utf8(corpus("tables").join(&b'\n')).expect("the corpus is text");
        let all: Vec<(&str, &str)> = all.lines().filter_map(|line| line.split_once(" = ")).collect();
        let mut row = std::collections::BTreeMap::from([("name", "\"it\"")]);
        if is_call {
            row.extend([("call", "\"sum\""), ("with", "[\"list\", 2]")]);
        }
        row.extend(cells.iter().map(|cell| all[cell.index(all.len())]));
        let cells: Vec<String> = row.iter().map(|(key, value)| format!("{key} = {value}\n")).collect();
        let mut data = format!("[[row]]\n{}", cells.concat()).into_bytes();
        for (at, byte, how) in edits {
            let at = at.index(data.len().max(1));
            match how {
                0 if at < data.len() => data[at] = byte,
                1 if at < data.len() => drop(data.remove(at)),
                _ => data.insert(at.min(data.len()), b"0123456789,=\"[]{}().-+ \n"[usize::from(byte) % 24]),
            }
        }
        fuzzing::tables(&data, &subject(fuzzing::PROGRAM));
    }
}
