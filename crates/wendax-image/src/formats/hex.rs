//! Intel HEX (Intel, "Hexadecimal Object File Format Specification", revision A, 1988).

use super::{FormatError, Loaded, Memory};
use crate::image::Image;
use ihex::Record;
use wendax_isa::{Addr, Target};

/// An image as Intel HEX, with its entry as start address.
pub fn to_hex(image: &Image) -> String {
    let (mut records, mut upper) = (Vec::new(), 0);
    for segment in &image.segments {
        for (index, chunk) in segment.bytes.chunks(16).enumerate() {
            // A record lies within one upper half of an address.
            let mut at = segment.start.index() + 16 * index;
            let first = chunk.len().min(0x1_0000 - at % 0x1_0000);
            for part in [&chunk[..first], &chunk[first..]].into_iter().filter(|part| !part.is_empty()) {
                let [low, more, high, top] = u32::try_from(at).unwrap_or(u32::MAX).to_le_bytes();
                let half = u16::from_le_bytes([high, top]);
                if half != upper {
                    records.push(Record::ExtendedLinearAddress(half));
                    upper = half;
                }
                records.push(Record::Data { offset: u16::from_le_bytes([low, more]), value: part.to_vec() });
                at += part.len();
            }
        }
    }
    records.push(Record::StartLinearAddress(image.entry.0));
    records.push(Record::EndOfFile);
    ihex::create_object_file_representation(&records).expect("records hold 16 bytes and end with their end record")
}

/// Reads Intel HEX.
pub fn from_hex(target: &'static Target, text: &str) -> Result<Loaded, FormatError> {
    let mut memory = Memory::new(target);
    let mut base = 0u32;
    let mut entry = None;
    let mut has_end = false;
    for (line, record) in records(text) {
        match record.map_err(|what| FormatError::Record { line, what })? {
            Record::Data { offset, value } => memory.place(Addr(base).saturating_add(offset.into()), &value)?,
            Record::ExtendedSegmentAddress(segment) => base = u32::from(segment) * 16,
            Record::ExtendedLinearAddress(high) => base = u32::from(high) << 16,
            Record::StartSegmentAddress { cs, ip } => entry = Some(Addr(u32::from(cs) * 16 + u32::from(ip))),
            Record::StartLinearAddress(address) => entry = Some(Addr(address)),
            Record::EndOfFile => {
                has_end = true;
                break;
            }
        }
    }
    if !has_end && !memory.is_empty() {
        return Err(FormatError::Unfinished("there is no end record (:00000001FF)".to_owned()));
    }
    memory.into_loaded(entry)
}

/// The records by line number; blank lines are passed over.
fn records(text: &str) -> impl Iterator<Item = (usize, Result<Record, String>)> {
    let lines = (1..).zip(text.lines()).filter(|(_, line)| !line.trim().is_empty());
    lines.map(|(number, line)| (number, Record::from_record_string(line.trim()).map_err(|error| plain(&error))))
}

/// What is wrong with a record, in plain words where they say more.
fn plain(error: &ihex::ReaderError) -> String {
    match error {
        ihex::ReaderError::ChecksumMismatch(computed, written) => {
            format!("the checksum is {written:02X}, but the record's bytes give {computed:02X}")
        }
        ihex::ReaderError::MissingStartCode => "a record begins with a colon".to_owned(),
        other => other.to_string(),
    }
}
