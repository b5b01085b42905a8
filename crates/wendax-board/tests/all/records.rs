//! What comes over the line: the corpus that is kept, broken pieces of it, any bytes, and answers that never end.

#[path = "../../../../fuzz/kept.rs"]
mod kept;

use kept::corpus;
use proptest::prelude::*;
use std::io::{Read, Write};
use wendax_board::fuzzing::records;
use wendax_board::{Device, SendError, Sender};

#[test]
fn the_corpus_is_taken() {
    let all = corpus("records");
    assert!(all.len() >= 4, "{} files", all.len());
    for data in &all {
        records(data);
    }
}

#[test]
fn records_outside_of_memory_are_refused() {
    let mut device = Device::new(&wendax_isa::w16::TARGET);
    device.take(b"?\n:02000004FFFFFC\n:01FFFF000100\n= FFFFFFFF FFFFFFFF\n");
    let told = String::from_utf8(device.send()).expect("words");
    let answers: Vec<&str> = told.lines().collect();
    assert_eq!(answers.len(), 4, "{told}");
    assert!(answers[2].starts_with("- the bytes at 10000FFFE") || answers[2].contains("lie outside memory"), "{told}");
    assert_eq!(answers[3], "- that lies outside memory");
}

/// A peer that answers without ever ending its line.
struct Endless;

impl Read for Endless {
    fn read(&mut self, bytes: &mut [u8]) -> std::io::Result<usize> {
        bytes.fill(b'+');
        Ok(bytes.len())
    }
}

impl Write for Endless {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

#[test]
fn an_answer_without_end_is_no_answer() {
    let image = wendax_image::from_raw(&wendax_isa::w16::TARGET, &[2, 0], wendax_image::Addr(0x0200)).expect("it fits");
    let error = Sender::new(Endless).load(&image, |_, _| true).expect_err("nobody is there");
    assert!(matches!(error, SendError::NoBoard(said) if said.len() <= 80));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn broken_records_are_taken(
        which in any::<prop::sample::Index>(),
        edits in proptest::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 0..12),
        behind in proptest::collection::vec(any::<u8>(), 0..60),
    ) {
        let all = corpus("records");
        let mut data = all[which.index(all.len())].clone();
        for (at, byte) in edits {
            let at = at.index(data.len());
            data[at] = byte;
        }
        data.extend(behind);
        records(&data);
    }
}
