//! S-records (Motorola, in the form all readers share: S0 head, S1 data with 16-bit addresses, S5 count, S9 start; S3 and
//! S7 where addresses have 32 bits).

use super::{FormatError, Loaded, Memory};
use crate::image::Image;
use std::fmt::Write;
use wendax_isa::{Addr, Target};

/// Data bytes in a record.
const ROW: usize = 16;

/// An image as S-records, with its entry as start address and `name` in the head.
pub fn to_srecord(image: &Image, name: &str) -> String {
    let mut out = String::new();
    let head: Vec<u8> = name.bytes().take(ROW).collect();
    record(&mut out, b'0', 2, 0, &head);
    let mut count = 0u32;
    let (data, end, width) = if image.target.address_bits > 16 { (b'3', b'7', 4) } else { (b'1', b'9', 2) };
    for segment in &image.segments {
        for (index, chunk) in segment.bytes.chunks(ROW).enumerate() {
            let at = segment.start.index() + ROW * index;
            record(&mut out, data, width, u32::try_from(at).unwrap_or(u32::MAX), chunk);
            count += 1;
        }
    }
    // A count that its record has no room for is left out, as the form allows.
    if count <= 0xFFFF {
        record(&mut out, b'5', 2, count, &[]);
    } else if count <= 0x00FF_FFFF {
        record(&mut out, b'6', 3, count, &[]);
    }
    record(&mut out, end, width, image.entry.0, &[]);
    out
}

/// A record whose address takes `width` bytes.
fn record(out: &mut String, kind: u8, width: usize, address: u32, data: &[u8]) {
    let count = u8::try_from(data.len() + width + 1).expect("records hold 16 bytes");
    let mut bytes = vec![count];
    bytes.extend_from_slice(&address.to_be_bytes()[4 - width..]);
    bytes.extend_from_slice(data);
    bytes.push(checksum(&bytes));
    let _ = write!(out, "S{}", char::from(kind));
    for byte in bytes {
        // Writing to a String cannot fail.
        let _ = write!(out, "{byte:02X}");
    }
    out.push('\n');
}

/// The ones' complement of the low byte of the sum.
fn checksum(bytes: &[u8]) -> u8 {
    !bytes.iter().fold(0u8, |sum, byte| sum.wrapping_add(*byte))
}

/// Reads S-records; those with 24- and 32-bit addresses too, as long as they lie in memory.
pub fn from_srecord(target: &'static Target, text: &str) -> Result<Loaded, FormatError> {
    let mut memory = Memory::new(target);
    let mut entry = None;
    let mut count = 0u32;
    for (line, row) in (1..).zip(text.lines()).filter(|(_, row)| !row.trim().is_empty()) {
        let wrong = |what: String| FormatError::Record { line, what };
        let (kind, bytes) = parse(row.trim()).map_err(wrong)?;
        let address_bytes = match kind {
            b'1' | b'9' | b'0' | b'5' => 2,
            b'2' | b'8' | b'6' => 3,
            b'3' | b'7' => 4,
            _ => return Err(wrong(format!("S{} is no kind of record", char::from(kind)))),
        };
        if bytes.len() < address_bytes {
            return Err(wrong("the record is shorter than its address".to_owned()));
        }
        let address = Addr(bytes[..address_bytes].iter().fold(0u32, |value, byte| value << 8 | u32::from(*byte)));
        match kind {
            b'1'..=b'3' => {
                memory.place(address, &bytes[address_bytes..])?;
                count += 1;
            }
            b'5' | b'6' if address.0 != count => {
                return Err(wrong(format!("this counts {} records, but {count} came before it", address.0)));
            }
            b'7'..=b'9' => {
                entry = Some(address);
                break;
            }
            _ => {}
        }
    }
    if entry.is_none() && !memory.is_empty() {
        return Err(FormatError::Unfinished("there is no end record (S7, S8 or S9)".to_owned()));
    }
    memory.into_loaded(entry)
}

/// The kind of a record and what is between its count and its checksum.
fn parse(row: &str) -> Result<(u8, Vec<u8>), String> {
    let digits = row.strip_prefix(['S', 's']).ok_or("a record begins with S")?;
    let kind = *digits.as_bytes().first().ok_or("a record begins with S and a digit")?;
    let rest = digits.get(1..).unwrap_or_default();
    if !rest.len().is_multiple_of(2) || !rest.bytes().all(|b| b.is_ascii_hexdigit()) {
        return Err("a record holds pairs of hexadecimal digits".to_owned());
    }
    let bytes: Vec<u8> = rest
        .as_bytes()
        .chunks(2)
        .map(|pair| std::str::from_utf8(pair).ok().and_then(|pair| u8::from_str_radix(pair, 16).ok()).unwrap_or(0))
        .collect();
    let (count, data) = bytes.split_first().ok_or("the record has no count")?;
    if usize::from(*count) != data.len() || data.is_empty() {
        return Err(format!("the count is {count}, but {} bytes follow", data.len()));
    }
    let (sum, data) = data.split_last().ok_or("the record has no checksum")?;
    let right = checksum(&bytes[..bytes.len() - 1]);
    if *sum != right {
        return Err(format!("the checksum is {sum:02X}, but the record's bytes give {right:02X}"));
    }
    Ok((kind, data.to_vec()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::from_raw;

    #[test]
    fn records_are_as_the_form_says() {
        let mut image = from_raw(&wendax_isa::w16::TARGET, &[0x05, 0x30, 0x00], Addr(0x0200)).expect("it fits");
        image.entry = Addr(0x0202);
        assert_eq!(to_srecord(&image, "gate"), "S00700006761746557\nS1060200053000C2\nS5030001FB\nS9030202F8\n");
    }

    #[test]
    fn wrong_records_are_told_with_their_line() {
        let told = |text: &str| from_srecord(&wendax_isa::w16::TARGET, text).expect_err(text).to_string();
        assert_eq!(told("\nS1060200053000C3"), "line 2: the checksum is C3, but the record's bytes give C2");
        assert_eq!(told("S1070200053000C2"), "line 1: the count is 7, but 6 bytes follow");
        assert_eq!(told("S4030000FC"), "line 1: S4 is no kind of record");
        assert_eq!(told("X"), "line 1: a record begins with S");
        assert_eq!(told("S10"), "line 1: a record holds pairs of hexadecimal digits");
        assert_eq!(from_srecord(&wendax_isa::w16::TARGET, "S9030000FC\n").expect_err("no bytes"), FormatError::Empty);
        assert!(matches!(
            from_srecord(&wendax_isa::w16::TARGET, "S308000200000530 00"),
            Err(FormatError::Record { .. })
        ));
        assert!(
            from_srecord(&wendax_isa::w16::TARGET, "S1060200053000C2\nS1060201053000C1").is_err(),
            "two bytes for one address"
        );
        assert_eq!(
            told("S1060200053000C2\nS5030003F9\nS9030200FA"),
            "line 2: this counts 3 records, but 1 came before it"
        );
        assert!(
            matches!(from_srecord(&wendax_isa::w16::TARGET, "S1060200053000C2\n"), Err(FormatError::Unfinished(_))),
            "no end record"
        );
    }

    proptest::proptest! {
        #[test]
        fn records_round_trip(bytes in proptest::collection::vec(0u8.., 1..300), at in 0u32..0xFE00) {
            let image = from_raw(&wendax_isa::w16::TARGET, &bytes, Addr(at)).unwrap();
            let read = from_srecord(&wendax_isa::w16::TARGET, &to_srecord(&image, "a long name for a head")).unwrap();
            proptest::prop_assert!(read.has_entry);
            proptest::prop_assert_eq!(read.image.segments, image.segments);
            proptest::prop_assert_eq!(read.image.entry, Addr(at));
        }

        #[test]
        fn any_text_is_read_or_refused(text in "[S0-9A-F\n]{0,80}|.{0,40}") {
            let _ = from_srecord(&wendax_isa::w16::TARGET, &text);
        }
    }
}
