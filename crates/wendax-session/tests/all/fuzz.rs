//! The fuzz target of walks, for a moment: over the corpus that is kept, over broken pieces of it, and over any bytes.

#![expect(clippy::disallowed_methods, reason = "a test, not the core: it reads the corpus")]

use proptest::prelude::*;
use wendax_session::fuzzing::walks;

/// The kept corpus: commands and programs that once found something, or lead somewhere.
fn corpus() -> Vec<Vec<u8>> {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../fuzz/corpus/walks");
    let mut files: Vec<_> =
        std::fs::read_dir(folder).expect("the corpus is there").map(|entry| entry.expect("a file").path()).collect();
    files.sort();
    files.iter().map(|file| std::fs::read(file).expect("it can be read")).collect()
}

#[test]
fn the_corpus_walks() {
    let all = corpus();
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
        let all = corpus();
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
}
