//! Numbers as people type them to a program.

/// The number a line holds, alone but for blanks: decimal, 0x or 0b, each with an optional sign, of as many bits as a word
/// has, read as signed or as unsigned.
pub(crate) fn read_int(line: &[u8], bits: u32) -> Option<u32> {
    let text = std::str::from_utf8(line).ok()?.trim();
    let (negative, digits) = match text.strip_prefix('-') {
        Some(rest) => (true, rest),
        None => (false, text.strip_prefix('+').unwrap_or(text)),
    };
    let lower = digits.to_ascii_lowercase();
    let (base, digits) = match (lower.strip_prefix("0x"), lower.strip_prefix("0b")) {
        (Some(hex), _) => (16, hex),
        (None, Some(binary)) => (2, binary),
        (None, None) => (10, lower.as_str()),
    };
    if !digits.starts_with(|c: char| c.is_digit(base)) {
        return None;
    }
    let value = i64::from_str_radix(digits, base).ok()?;
    let value = if negative { -value } else { value };
    let mask = (1i64 << bits) - 1;
    (-(mask / 2 + 1)..=mask).contains(&value).then(|| u32::try_from(value & mask).unwrap_or(0))
}

#[cfg(test)]
mod tests {
    use super::read_int;

    #[test]
    fn numbers_as_people_type_them() {
        for (line, value) in [
            ("12", Some(12)),
            (" -1 \r", Some(0xFFFF)),
            ("0xfF", Some(255)),
            ("0b101", Some(5)),
            ("+7", Some(7)),
            ("65535", Some(0xFFFF)),
            ("-32768", Some(0x8000)),
            ("65536", None),
            ("-32769", None),
            ("", None),
            ("--1", None),
            ("0x", None),
            ("0x-1", None),
            ("1 2", None),
            ("99999999999999999999", None),
            ("zwölf", None),
        ] {
            assert_eq!(read_int(line.as_bytes(), 16), value, "{line}");
        }
        assert_eq!(read_int(b"-2147483648", 32), Some(0x8000_0000));
        assert_eq!(read_int(b"4294967295", 32), Some(u32::MAX));
        assert_eq!((read_int(b"4294967296", 32), read_int(b"-2147483649", 32)), (None, None));
    }
}
