//! Intel HEX (Intel, "Hexadecimal Object File Format Specification", revision A, 1988).

use super::{FormatError, Loaded, Memory};
use crate::image::Image;
use ihex::Record;
use wendax_isa::Addr;

/// An image as Intel HEX, with its entry as start address.
pub fn to_hex(image: &Image) -> String {
    let mut records = Vec::new();
    for segment in &image.segments {
        for (index, chunk) in segment.bytes.chunks(16).enumerate() {
            let offset = segment.start.index() + 16 * index;
            let offset = u16::try_from(offset).expect("segments lie within 16-bit addresses");
            records.push(Record::Data { offset, value: chunk.to_vec() });
        }
    }
    records.push(Record::StartLinearAddress(image.entry.0));
    records.push(Record::EndOfFile);
    ihex::create_object_file_representation(&records).expect("records hold 16 bytes and end with their end record")
}

/// Reads Intel HEX.
pub fn from_hex(text: &str) -> Result<Loaded, FormatError> {
    let mut memory = Memory::default();
    let mut base = 0u32;
    let mut entry = None;
    let mut has_end = false;
    for (line, record) in records(text) {
        match record.map_err(|what| FormatError::Record { line, what })? {
            Record::Data { offset, value } => memory.place(Addr(base) + u32::from(offset), &value)?,
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
