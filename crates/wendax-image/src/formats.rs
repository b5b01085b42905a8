//! Images as bytes without names: raw, Intel HEX and S-records.
//!
//! Room kept free is written as zeros, so that what is read back has the same extent.

mod hex;
mod srecord;

pub use hex::{from_hex, to_hex};
pub use srecord::{from_srecord, to_srecord};

use crate::image::{Image, Rights, Segment};
use wendax_isa::Addr;

/// Why an image file cannot be read or written.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FormatError {
    /// There is nothing in it.
    #[error("it holds no bytes")]
    Empty,
    /// It does not fit memory from where it should lie.
    #[error("{length} bytes from address 0x{at:04X} reach past the end of memory, 0xFFFF; load it lower with --at")]
    TooLarge {
        /// Its length in bytes.
        length: usize,
        /// The first address.
        at: Addr,
    },
    /// A record gives bytes where no memory is.
    #[error("the bytes at 0x{0:04X} lie outside memory, which goes from 0 to 0xFFFF")]
    Outside(Addr),
    /// Something is missing at the end of a file of records.
    #[error("{0}: the file is cut off, or was never finished")]
    Unfinished(String),
    /// A record of a file is wrong.
    #[error("line {line}: {what}")]
    Record {
        /// The line, from 1.
        line: usize,
        /// What is wrong with it.
        what: String,
    },
    /// Two records give a byte to the same address.
    #[error("address 0x{0:04X} is given twice")]
    Twice(Addr),
    /// The entry lies outside memory.
    #[error("the start address 0x{0:X} is outside memory")]
    Entry(Addr),
}

/// What a file of records holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Loaded {
    /// The program: all of it may be read, written and executed.
    pub image: Image,
    /// The file says where to start; otherwise the entry is the lowest address.
    pub has_entry: bool,
}

/// All bytes from the lowest address to the highest, gaps filled with zeros, and the lowest address.
pub fn to_raw(image: &Image) -> (Addr, Vec<u8>) {
    let start = image.segments.first().map_or(Addr(0), |segment| segment.start);
    let end = image.segments.iter().map(Segment::end).max().unwrap_or(start);
    let mut bytes = vec![0; (end - start) as usize];
    for segment in &image.segments {
        let at = (segment.start - start) as usize;
        bytes[at..at + segment.bytes.len()].copy_from_slice(&segment.bytes);
    }
    (start, bytes)
}

/// An image of raw bytes, loaded at `at`, which is also its entry.
pub fn from_raw(bytes: &[u8], at: Addr) -> Result<Image, FormatError> {
    if bytes.is_empty() {
        return Err(FormatError::Empty);
    }
    if at.index() + bytes.len() > 0x1_0000 {
        return Err(FormatError::TooLarge { length: bytes.len(), at });
    }
    let segment = Segment { start: at, bytes: bytes.to_vec(), reserved: false, rights: Rights::ALL };
    let heap_start = segment.end().next_multiple_of(2);
    Ok(Image { entry: at, segments: vec![segment], heap_start, ..Image::default() })
}

/// Memory being filled by records.
struct Memory {
    bytes: Vec<Option<u8>>,
}

impl Default for Memory {
    fn default() -> Self {
        Self { bytes: vec![None; 0x1_0000] }
    }
}

impl Memory {
    fn place(&mut self, at: Addr, value: &[u8]) -> Result<(), FormatError> {
        for (offset, byte) in value.iter().enumerate() {
            let address = at.index() + offset;
            let cell = self.bytes.get_mut(address).ok_or(FormatError::Outside(at))?;
            if cell.replace(*byte).is_some() {
                return Err(FormatError::Twice(at.saturating_add(u32::try_from(offset).unwrap_or(u32::MAX))));
            }
        }
        Ok(())
    }

    fn is_empty(&self) -> bool {
        self.bytes.iter().all(Option::is_none)
    }

    /// The image, beginning at `entry` or at its lowest address.
    fn into_loaded(self, entry: Option<Addr>) -> Result<Loaded, FormatError> {
        let segments = segments(&self.bytes);
        let lowest = segments.first().ok_or(FormatError::Empty)?.start;
        if let Some(outside) = entry.filter(|&entry| entry > Addr(0xFFFF)) {
            return Err(FormatError::Entry(outside));
        }
        let top = segments.iter().map(Segment::end).filter(|&end| end <= Addr(0xEE00)).max().unwrap_or_default();
        let image =
            Image { entry: entry.unwrap_or(lowest), segments, heap_start: top.next_multiple_of(2), ..Image::default() };
        Ok(Loaded { image, has_entry: entry.is_some() })
    }
}

fn segments(memory: &[Option<u8>]) -> Vec<Segment> {
    let mut segments: Vec<Segment> = Vec::new();
    for (address, byte) in (0..).map(Addr).zip(memory) {
        let Some(byte) = byte else { continue };
        match segments.last_mut().filter(|last| last.end() == address) {
            Some(last) => last.bytes.push(*byte),
            None => segments.push(Segment { start: address, bytes: vec![*byte], reserved: false, rights: Rights::ALL }),
        }
    }
    segments
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn raw_fills_gaps_and_refuses_what_does_not_fit() {
        let image = from_hex(":0102000001FC\n:01020200AA51\n:00000001FF\n").unwrap().image;
        assert_eq!(to_raw(&image), (Addr(0x0200), vec![1, 0, 0xAA]));
        assert_eq!(from_raw(&[], Addr(0)), Err(FormatError::Empty));
        assert_eq!(from_raw(&[1, 2], Addr(0xFFFF)), Err(FormatError::TooLarge { length: 2, at: Addr(0xFFFF) }));
        assert!(from_raw(&[1], Addr(0xFFFF)).is_ok());
    }

    #[test]
    fn wrong_records_are_refused_with_their_line() {
        let kind = |text: &str| from_hex(text).unwrap_err();
        let checksum = "line 2: the checksum is FD, but the record's bytes give FC";
        assert_eq!(kind("\n:0102000001FD\n").to_string(), checksum);
        assert!(matches!(kind("what"), FormatError::Record { line: 1, .. }));
        assert_eq!(kind(":00000001FF"), FormatError::Empty);
        assert_eq!(kind(":0102000001FC\n:0102000002FB\n:00000001FF\n"), FormatError::Twice(Addr(0x0200)));
        assert!(matches!(kind(":020000040001F9\n:0102000001FC\n"), FormatError::Outside(Addr(0x1_0200))));
        assert!(matches!(kind(":0102000001FC\n"), FormatError::Unfinished(_)), "no end record");
    }

    proptest::proptest! {
        #[test]
        fn hex_round_trips(bytes in proptest::collection::vec(0u8.., 1..300), at in 0u32..0xFE00) {
            let image = from_raw(&bytes, Addr(at)).unwrap();
            let read = from_hex(&to_hex(&image)).unwrap();
            proptest::prop_assert!(read.has_entry);
            proptest::prop_assert_eq!(read.image.segments, image.segments);
            proptest::prop_assert_eq!(read.image.entry, Addr(at));
        }

        #[test]
        fn any_text_is_read_or_refused(text in "[:0-9A-F\n]{0,80}|.{0,40}") {
            let _ = from_hex(&text);
        }
    }
}
