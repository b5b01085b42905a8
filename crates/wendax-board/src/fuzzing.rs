//! What a fuzzer calls: any bytes from the line, given to a board in pieces. The target in `fuzz/` runs it for as long as one
//! likes, a test of this crate over the kept corpus and for a moment.
//!
//! What must hold: no panic, and what comes back does not hang on where the pieces are cut.

use crate::Device;

/// Bytes that came over the line.
pub fn records(data: &[u8]) {
    let talk = |piece: usize| {
        let (mut device, mut sent) = (Device::new(&wendax_isa::w16::TARGET), Vec::new());
        for bytes in data.chunks(piece) {
            device.take(bytes);
            sent.extend(device.send());
        }
        device.run_to(2);
        sent.extend(device.send());
        sent
    };
    assert_eq!(talk(1), talk(data.len().max(1)), "the same came, in other pieces");
}
