//! The corpora that are kept beside the fuzz targets, for the tests of each crate: they include this file by its path.

/// What is kept of a target, in order of file names: what once found something, or leads somewhere.
pub(crate) fn corpus(target: &str) -> Vec<Vec<u8>> {
    let folder = format!("{}/../../fuzz/corpus/{target}", env!("CARGO_MANIFEST_DIR"));
    let mut files: Vec<_> =
        std::fs::read_dir(folder).expect("the corpus is there").map(|entry| entry.expect("a file").path()).collect();
    files.sort();
    files.iter().map(|file| std::fs::read(file).expect("it can be read")).collect()
}
