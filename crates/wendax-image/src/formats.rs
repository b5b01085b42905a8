//! Images as bytes without names: raw, Intel HEX and S-records.
//!
//! Room kept free is written as zeros, so that what is read back has the same extent.

mod hex;
mod srecord;

pub use hex::{from_hex, to_hex};
pub use srecord::{from_srecord, to_srecord};

use crate::image::{Image, Rights, Segment};
use std::collections::BTreeMap;
use wendax_isa::{Addr, Place, Target};

/// Why an image file cannot be read or written.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FormatError {
    /// There is nothing in it.
    #[error("it holds no bytes")]
    Empty,
    /// It does not fit memory from where it should lie.
    #[error("{length} bytes from address {at} reach past {}; load it lower with --at", last_of(at))]
    TooLarge {
        /// Its length in bytes.
        length: usize,
        /// The first address.
        at: Place,
    },
    /// A record gives bytes where no memory is.
    #[error("the bytes at {0} lie outside memory for programs, which goes from {first} to {last}", first = first_of(.0), last = last_of(.0))]
    Outside(Place),
    /// They lie so far apart that what is between them cannot be written.
    #[error("from {0} to {1} there is too much for raw bytes; the other forms can say it")]
    Apart(Place, Place),
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
    #[error("address {0} is given twice")]
    Twice(Place),
    /// The entry lies outside memory.
    #[error("the start address {0} is outside memory")]
    Entry(Place),
}

/// Where programs may begin, on the machine of a place.
fn first_of(place: &Place) -> Place {
    Place(place.0, place.0.map.programs.first().map_or(Addr(0), |(from, _)| *from))
}

/// The last address that a program may have there, on the machine of a place.
fn last_of(place: &Place) -> Place {
    let (last, Place(target, at)) = (|to: Addr| to.saturating_sub(1), *place);
    let own = target.map.programs.iter().find(|(from, to)| *from <= at && at < *to);
    Place(target, own.or(target.map.programs.last()).map_or(Addr(0), |(_, to)| last(*to)))
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
///
/// # Errors
///
/// When they lie further apart than a program may be large.
pub fn to_raw(image: &Image) -> Result<(Addr, Vec<u8>), FormatError> {
    let start = image.segments.first().map_or(Addr(0), |segment| segment.start);
    let end = image.segments.iter().map(Segment::end).max().unwrap_or(start);
    if end - start > image.target.map.most {
        return Err(FormatError::Apart(Place(image.target, start), Place(image.target, end)));
    }
    let mut bytes = vec![0; (end - start) as usize];
    for segment in &image.segments {
        let at = (segment.start - start) as usize;
        bytes[at..at + segment.bytes.len()].copy_from_slice(&segment.bytes);
    }
    Ok((start, bytes))
}

/// An image of raw bytes, loaded at `at`, which is also its entry.
pub fn from_raw(target: &'static Target, bytes: &[u8], at: Addr) -> Result<Image, FormatError> {
    if bytes.is_empty() {
        return Err(FormatError::Empty);
    }
    let place = Place(target, at);
    if !target.map.holds(at, 1) {
        return Err(FormatError::Outside(place));
    }
    if bytes.len() > target.map.most as usize || !target.map.holds(at, bytes.len() as u64) {
        return Err(FormatError::TooLarge { length: bytes.len(), at: place });
    }
    let segment = Segment { start: at, bytes: bytes.to_vec(), reserved: false, rights: Rights::ALL };
    let heap_start = segment.end().next_multiple_of(target.word_bytes());
    Ok(Image { entry: at, segments: vec![segment], heap_start, ..Image::new(target) })
}

/// Memory being filled by records.
struct Memory {
    target: &'static Target,
    bytes: BTreeMap<Addr, u8>,
}

impl Memory {
    fn new(target: &'static Target) -> Self {
        Self { target, bytes: BTreeMap::new() }
    }

    fn place(&mut self, at: Addr, value: &[u8]) -> Result<(), FormatError> {
        if !self.target.map.holds(at, value.len() as u64) {
            return Err(FormatError::Outside(Place(self.target, at)));
        }
        for (address, byte) in (at.0..).map(Addr).zip(value) {
            if self.bytes.insert(address, *byte).is_some() {
                return Err(FormatError::Twice(Place(self.target, address)));
            }
        }
        Ok(())
    }

    fn is_empty(&self) -> bool {
        self.bytes.is_empty()
    }

    /// The image, beginning at `entry` or at its lowest address.
    fn into_loaded(self, entry: Option<Addr>) -> Result<Loaded, FormatError> {
        let segments = segments(&self.bytes);
        let lowest = segments.first().ok_or(FormatError::Empty)?.start;
        if let Some(outside) = entry.filter(|&entry| !self.target.map.holds(entry, 1)) {
            return Err(FormatError::Entry(Place(self.target, outside)));
        }
        let mut image = Image { entry: entry.unwrap_or(lowest), segments, ..Image::new(self.target) };
        image.place_heap();
        Ok(Loaded { image, has_entry: entry.is_some() })
    }
}

fn segments(memory: &BTreeMap<Addr, u8>) -> Vec<Segment> {
    let mut segments: Vec<Segment> = Vec::new();
    for (&address, byte) in memory {
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
        let image = from_hex(&wendax_isa::w16::TARGET, ":0102000001FC\n:01020200AA51\n:00000001FF\n").unwrap().image;
        assert_eq!(to_raw(&image), Ok((Addr(0x0200), vec![1, 0, 0xAA])));
        assert_eq!(from_raw(&wendax_isa::w16::TARGET, &[], Addr(0)), Err(FormatError::Empty));
        assert_eq!(
            from_raw(&wendax_isa::w16::TARGET, &[1, 2], Addr(0xFFFF)),
            Err(FormatError::TooLarge { length: 2, at: Place(&wendax_isa::w16::TARGET, Addr(0xFFFF)) })
        );
        assert!(from_raw(&wendax_isa::w16::TARGET, &[1], Addr(0xFFFF)).is_ok());
    }

    #[test]
    fn wrong_records_are_refused_with_their_line() {
        let kind = |text: &str| from_hex(&wendax_isa::w16::TARGET, text).unwrap_err();
        let checksum = "line 2: the checksum is FD, but the record's bytes give FC";
        assert_eq!(kind("\n:0102000001FD\n").to_string(), checksum);
        assert!(matches!(kind("what"), FormatError::Record { line: 1, .. }));
        assert_eq!(kind(":00000001FF"), FormatError::Empty);
        assert_eq!(
            kind(":0102000001FC\n:0102000002FB\n:00000001FF\n"),
            FormatError::Twice(Place(&wendax_isa::w16::TARGET, Addr(0x0200)))
        );
        assert!(matches!(kind(":020000040001F9\n:0102000001FC\n"), FormatError::Outside(Place(_, Addr(0x1_0200)))));
        assert!(matches!(kind(":0102000001FC\n"), FormatError::Unfinished(_)), "no end record");
    }

    proptest::proptest! {
        #[test]
        fn hex_round_trips(bytes in proptest::collection::vec(0u8.., 1..300), at in 0u32..0xFE00) {
            let image = from_raw(&wendax_isa::w16::TARGET, &bytes, Addr(at)).unwrap();
            let read = from_hex(&wendax_isa::w16::TARGET, &to_hex(&image)).unwrap();
            proptest::prop_assert!(read.has_entry);
            proptest::prop_assert_eq!(read.image.segments, image.segments);
            proptest::prop_assert_eq!(read.image.entry, Addr(at));
        }

        #[test]
        fn any_text_is_read_or_refused(text in "[:0-9A-F\n]{0,80}|.{0,40}") {
            let _ = from_hex(&wendax_isa::w16::TARGET, &text);
        }
    }
}
