//! The fuzz targets of this crate, for a moment: over the corpora that are kept, over broken pieces of them, and over any
//! bytes.

#![expect(clippy::disallowed_methods, reason = "a test, not the core: it reads the corpus")]

#[path = "../../../../fuzz/kept.rs"]
mod kept;

use kept::corpus;
use proptest::prelude::*;
use wendax_session::fuzzing::{events, exercises, stops, tallies, walks};

/// A target with the name of its corpus, and how many files are in that at least.
type Door = (&'static str, fn(&[u8]), usize);

const DOORS: [Door; 4] =
    [("events", events, 6), ("exercises", exercises, 5), ("tallies", tallies, 7), ("stops", stops, 8)];

#[test]
fn the_corpora_come_in_at_their_doors() {
    for (name, door, least) in DOORS {
        let all = corpus(name);
        assert!(all.len() >= least, "{name}: {} files", all.len());
        for data in &all {
            door(data);
        }
    }
}

#[test]
fn the_corpus_walks() {
    let all = corpus("walks");
    assert!(all.len() >= 6, "{} files", all.len());
    for data in &all {
        walks(data);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn broken_pieces_of_the_corpus_walk(
        which in any::<prop::sample::Index>(),
        edits in proptest::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 0..12),
    ) {
        let all = corpus("walks");
        let mut data = all[which.index(all.len())].clone();
        for (at, byte) in edits {
            let at = at.index(data.len());
            data[at] = byte;
        }
        walks(&data);
    }

    #[test]
    fn any_bytes_walk(data in proptest::collection::vec(any::<u8>(), 24..300)) {
        walks(&data);
    }

    #[test]
    fn broken_pieces_come_in_at_their_doors(
        door in 0..DOORS.len(),
        which in any::<prop::sample::Index>(),
        edits in proptest::collection::vec((any::<prop::sample::Index>(), any::<u8>(), 0u8..3), 1..9),
        numbers in proptest::collection::vec(any::<u64>(), 0..3),
    ) {
        let (name, door, _) = DOORS[door];
        let all = corpus(name);
        let mut data = all[which.index(all.len())].clone();
        for (at, byte, how) in edits {
            let at = at.index(data.len().max(1));
            match how {
                0 if at < data.len() => data[at] = byte,
                1 if at < data.len() => drop(data.remove(at)),
                _ => data.insert(at.min(data.len()), b"0123456789,:\"[]{}().-+ "[usize::from(byte) % 23]),
            }
        }
        door(&data);
        // Numbers become others.
        let text = String::from_utf8_lossy(&data).into_owned();
        for number in numbers {
            let digits = text.find(|sign: char| sign.is_ascii_digit()).map_or(0, |at| at);
            let end = text[digits..].find(|sign: char| !sign.is_ascii_digit()).map_or(text.len(), |end| digits + end);
            door(format!("{}{number}{}", &text[..digits], &text[end..]).as_bytes());
        }
    }
}
