//! The system calls that Wendax gives every machine, as one table, and why they fail.
//!
//! A machine says where its numbers begin and which register takes the first argument.

macro_rules! call {
    ($own:literal, $number:expr, $first:expr, $name:literal, [$($register:literal $what:literal),*], $gives:literal, $meaning:expr) => {
        $crate::SystemCall {
            number: $number,
            name: $name,
            takes: &[$(($crate::Reg($first + $register), $what)),*],
            gives: $gives,
            meaning: $meaning,
            is_own: $own,
        }
    };
}

/// All calls, in order of their numbers.
macro_rules! calls {
    ($base:expr, $first:expr, $digits:literal) => {
        &[
            $crate::calls::call!(true, $base + 0x00, $first, "exit", [0 "status"], "", "end the program with this status"),
            $crate::calls::call!(true, $base + 0x01, $first, "arg_count", [], "number of arguments", "how many arguments the program was given"),
            $crate::calls::call!(true, $base + 0x02, $first, "arg_copy", [0 "index", 1 "buffer", 2 "capacity"], "length without NUL", "copy one argument as text"),
            $crate::calls::call!(true, $base + 0x10, $first, "put_char", [0 "character"], "", "print one character"),
            $crate::calls::call!(true, $base + 0x11, $first, "put_text", [0 "address"], "length printed", "print a text that ends with a NUL"),
            $crate::calls::call!(true, $base + 0x12, $first, "put_int", [0 "value"], "", "print a signed number"),
            $crate::calls::call!(true, $base + 0x13, $first, "put_uint", [0 "value"], "", "print an unsigned number"),
            $crate::calls::call!(true, $base + 0x14, $first, "put_hex", [0 "value"], "", $digits),
            $crate::calls::call!(true, $base + 0x20, $first, "get_char", [], "character", "read one character; fails at the end of input"),
            $crate::calls::call!(true, $base + 0x21, $first, "get_line", [0 "buffer", 1 "capacity"], "length", "read a line as text; what does not fit stays"),
            $crate::calls::call!(true, $base + 0x22, $first, "get_int", [], "number", "read a number, alone on its line: decimal, 0x or 0b"),
            $crate::calls::call!(true, $base + 0x30, $first, "file_open", [0 "path", 1 "mode"], "handle", "open a file: 0 read, 1 write anew, 2 append"),
            $crate::calls::call!(true, $base + 0x31, $first, "file_close", [0 "handle"], "", "close a file"),
            $crate::calls::call!(true, $base + 0x32, $first, "file_read", [0 "handle", 1 "buffer", 2 "count"], "bytes moved", "read from a file"),
            $crate::calls::call!(true, $base + 0x33, $first, "file_write", [0 "handle", 1 "buffer", 2 "count"], "bytes moved", "write to a file"),
            $crate::calls::call!(true, $base + 0x34, $first, "file_seek", [0 "handle", 1 "offset"], "offset", "move to a place in a file"),
            $crate::calls::call!(true, $base + 0x40, $first, "heap_grow", [0 "bytes"], "first address of the new space", "more heap; 0 asks where it ends"),
            $crate::calls::call!(true, $base + 0x50, $first, "clock_ms", [], "milliseconds, low word", "the host's clock"),
            $crate::calls::call!(true, $base + 0x51, $first, "wait_ms", [0 "milliseconds"], "", "let time pass"),
            $crate::calls::call!(true, $base + 0x52, $first, "random", [0 "bound"], "value", "a random number below the bound; 0 for any word"),
            $crate::calls::call!(true, $base + 0x60, $first, "tone", [0 "hertz", 1 "milliseconds"], "", "sound a tone"),
        ]
    };
}

pub(crate) use {call, calls};

/// Why a call failed: what it leaves as its result, or beside it.
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
    /// Its number.
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
pub(crate) const ERROR_WORDS: [&str; 9] = {
    let mut words = [""; 9];
    let mut at = 0;
    while at < words.len() {
        words[at] = ERRORS[at].1;
        at += 1;
    }
    words
};
