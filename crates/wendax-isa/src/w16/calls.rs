//! The system calls, as one table, and their error codes.

use crate::{Reg, SystemCall};

/// Longest text a call looks at, in bytes: all of memory, so that a text without its NUL ends somewhere.
pub const TEXT_LIMIT: u32 = 0x10000;

macro_rules! call {
    ($number:literal, $name:literal, [$($register:literal $what:literal),*], $gives:literal, $meaning:literal) => {
        SystemCall { number: $number, name: $name, takes: &[$((Reg($register), $what)),*], gives: $gives, meaning: $meaning }
    };
}

/// All calls, in order of their numbers.
pub const CALLS: &[SystemCall] = &[
    call!(0x00, "exit", [0 "status"], "", "end the program with this status"),
    call!(0x01, "arg_count", [], "number of arguments", "how many arguments the program was given"),
    call!(0x02, "arg_copy", [0 "index", 1 "buffer", 2 "capacity"], "length without NUL", "copy one argument as text"),
    call!(0x10, "put_char", [0 "character"], "", "print one character"),
    call!(0x11, "put_text", [0 "address"], "length printed", "print a text that ends with a NUL"),
    call!(0x12, "put_int", [0 "value"], "", "print a signed number"),
    call!(0x13, "put_uint", [0 "value"], "", "print an unsigned number"),
    call!(0x14, "put_hex", [0 "value"], "", "print four hexadecimal digits"),
    call!(0x20, "get_char", [], "character", "read one character; fails at the end of input"),
    call!(0x21, "get_line", [0 "buffer", 1 "capacity"], "length", "read a line as text; what does not fit stays"),
    call!(0x22, "get_int", [], "number", "read a number, alone on its line: decimal, 0x or 0b"),
    call!(0x30, "file_open", [0 "path", 1 "mode"], "handle", "open a file: 0 read, 1 write anew, 2 append"),
    call!(0x31, "file_close", [0 "handle"], "", "close a file"),
    call!(0x32, "file_read", [0 "handle", 1 "buffer", 2 "count"], "bytes moved", "read from a file"),
    call!(0x33, "file_write", [0 "handle", 1 "buffer", 2 "count"], "bytes moved", "write to a file"),
    call!(0x34, "file_seek", [0 "handle", 1 "offset"], "offset", "move to a place in a file"),
    call!(0x40, "heap_grow", [0 "bytes"], "first address of the new space", "more heap; 0 asks where it ends"),
    call!(0x50, "clock_ms", [], "milliseconds, low word", "the host's clock"),
    call!(0x51, "wait_ms", [0 "milliseconds"], "", "let time pass"),
    call!(0x52, "random", [0 "bound"], "value", "a random number below the bound; 0 for any word"),
    call!(0x60, "tone", [0 "hertz", 1 "milliseconds"], "", "sound a tone"),
];

/// The call with this number.
pub fn call_by_number(number: u8) -> Option<&'static SystemCall> {
    CALLS.iter().find(|call| call.number == number)
}

/// The call with this name.
pub fn call_by_name(name: &str) -> Option<&'static SystemCall> {
    CALLS.iter().find(|call| call.name == name)
}

/// Why a call failed: what it leaves in `r0`, with C = 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[expect(missing_docs, reason = "the table below has the words")]
#[repr(u16)]
pub enum ErrorCode {
    NoSuchCall = 1,
    BadAddress = 2,
    NotFound = 3,
    NotAllowed = 4,
    BadHandle = 5,
    EndOfInput = 6,
    NotANumber = 7,
    NoRoom = 8,
    InputOutput = 9,
}

impl ErrorCode {
    /// What it leaves in `r0`.
    pub fn number(self) -> u16 {
        self as u16
    }

    /// In words.
    pub fn text(self) -> &'static str {
        ERRORS[usize::from(self.number()) - 1].1
    }
}

/// The error codes in words, in order of their numbers from 1.
pub const ERRORS: [(ErrorCode, &str); 9] = [
    (ErrorCode::NoSuchCall, "no such call"),
    (ErrorCode::BadAddress, "bad address"),
    (ErrorCode::NotFound, "not found"),
    (ErrorCode::NotAllowed, "not allowed"),
    (ErrorCode::BadHandle, "bad handle"),
    (ErrorCode::EndOfInput, "end of input"),
    (ErrorCode::NotANumber, "not a number"),
    (ErrorCode::NoRoom, "no room"),
    (ErrorCode::InputOutput, "input/output failed"),
];

/// The same without the codes, which are the places.
pub(super) const ERROR_WORDS: [&str; 9] = {
    let mut words = [""; 9];
    let mut at = 0;
    while at < words.len() {
        words[at] = ERRORS[at].1;
        at += 1;
    }
    words
};

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
