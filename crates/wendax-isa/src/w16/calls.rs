//! The numbers of the system calls.

use crate::SystemCall;

pub use crate::calls::{ERRORS, ErrorCode};

/// Longest text a call looks at, in bytes: all of memory, so that a text without its NUL ends somewhere.
pub const TEXT_LIMIT: u32 = 0x10000;

/// All calls, in order of their numbers.
pub const CALLS: &[SystemCall] = crate::calls::calls!(0, 0, "print four hexadecimal digits");

/// The call with this number.
pub fn call_by_number(number: u32) -> Option<&'static SystemCall> {
    CALLS.iter().find(|call| call.number == number)
}

/// The call with this name.
pub fn call_by_name(name: &str) -> Option<&'static SystemCall> {
    CALLS.iter().find(|call| call.name == name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn calls_are_sorted_and_errors_sit_at_their_numbers() {
        assert!(CALLS.windows(2).all(|pair| pair[0].number < pair[1].number));
        for (index, (code, text)) in ERRORS.iter().enumerate() {
            assert_eq!((usize::from(code.number()), code.text()), (index + 1, *text));
        }
        assert_eq!(call_by_name("get_line").map(|c| c.number), Some(0x21));
        assert!(call_by_number(0x03).is_none() && call_by_name("Exit").is_none());
    }
}
