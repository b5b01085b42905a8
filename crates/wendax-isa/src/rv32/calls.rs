//! The system calls: those of the open generic table that compiled programs expect, and Wendax's own.
//!
//! Source of numbers and structures: the generic table for 32 bits of the operating system that compiled programs are
//! written for, as its headers have it.

use super::A0;
use crate::SystemCall;
use crate::calls::{call, calls};

/// Number of Wendax's own calls, plus their number on the other machine.
pub const OWN: u32 = 0x1000;

/// All calls, in order of their numbers.
pub const CALLS: &[SystemCall] = &joined();

const GENERIC: [SystemCall; 23] = [
    call!(false, 29, A0, "ioctl", [0 "descriptor", 1 "request"], "", "ask a device; none is a terminal"),
    call!(false, 56, A0, "openat", [0 "folder", 1 "path", 2 "flags", 3 "mode"], "descriptor", "open a file"),
    call!(false, 57, A0, "close", [0 "descriptor"], "0", "close a file"),
    call!(false, 62, A0, "lseek", [0 "descriptor", 1 "offset", 2 "whence"], "offset", "move to a place in a file"),
    call!(false, 63, A0, "read", [0 "descriptor", 1 "buffer", 2 "count"], "bytes read", "read from the console or a file"),
    call!(false, 64, A0, "write", [0 "descriptor", 1 "buffer", 2 "count"], "bytes written", "print, or write to a file"),
    call!(false, 66, A0, "writev", [0 "descriptor", 1 "list", 2 "count"], "bytes written", "print or write several pieces"),
    call!(false, 80, A0, "fstat", [0 "descriptor", 1 "room"], "0", "tell what a descriptor is"),
    call!(false, 93, A0, "exit", [0 "status"], "", "end the program with this status"),
    call!(false, 94, A0, "exit_group", [0 "status"], "", "end the program with this status"),
    call!(false, 96, A0, "set_tid_address", [0 "place"], "1", "accepted, does nothing"),
    call!(false, 99, A0, "set_robust_list", [0 "list", 1 "length"], "0", "accepted, does nothing"),
    call!(false, 101, A0, "nanosleep", [0 "time", 1 "rest"], "0", "let time pass"),
    call!(false, 113, A0, "clock_gettime", [0 "clock", 1 "room"], "0", "the time, seconds of 32 bits"),
    call!(false, 134, A0, "rt_sigaction", [0 "signal", 1 "new", 2 "old"], "0", "accepted, does nothing"),
    call!(false, 135, A0, "rt_sigprocmask", [0 "how", 1 "set", 2 "old"], "0", "accepted, does nothing"),
    call!(false, 172, A0, "getpid", [], "1", "the number of the process"),
    call!(false, 214, A0, "brk", [0 "end"], "end of the heap", "set where the heap ends; 0 asks"),
    call!(false, 215, A0, "munmap", [0 "start", 1 "length"], "0", "accepted, does nothing"),
    call!(false, 222, A0, "mmap", [0 "start", 1 "length", 2 "rights", 3 "flags"], "start", "more memory, from the heap"),
    call!(false, 278, A0, "getrandom", [0 "buffer", 1 "count"], "count", "random bytes"),
    call!(false, 403, A0, "clock_gettime64", [0 "clock", 1 "room"], "0", "the time, seconds of 64 bits"),
    call!(false, 407, A0, "clock_nanosleep", [0 "clock", 1 "flags", 2 "time", 3 "rest"], "0", "let time pass"),
];

const WENDAX: &[SystemCall] = calls!(OWN, A0, "print eight hexadecimal digits");

const fn joined() -> [SystemCall; GENERIC.len() + WENDAX.len()] {
    let mut all = [GENERIC[0]; GENERIC.len() + WENDAX.len()];
    let mut at = 0;
    while at < all.len() {
        all[at] = if at < GENERIC.len() { GENERIC[at] } else { WENDAX[at - GENERIC.len()] };
        at += 1;
    }
    all
}

/// What the number of an error says, in the words of the open standard (POSIX) cut short.
pub(super) fn errno(number: u32) -> &'static str {
    match number {
        2 => "not found",
        5 => "input/output failed",
        9 => "bad descriptor",
        12 => "no memory",
        13 => "not allowed",
        14 => "bad address",
        22 => "an argument that cannot be",
        24 => "too many files",
        25 => "no terminal",
        28 => "no room",
        29 => "no place can be sought there",
        38 => "no such call",
        _ => "an error",
    }
}
