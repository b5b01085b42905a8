//! The line between a person's machine and a board.
//!
//! `protocol` is what both sides agree on (`docs/board.md` tells it to those who build a board of their own): commands
//! and answers as lines of text, a program as Intel HEX records, and the console of a running program on the same line.
//! [`Device`] is the board's side with a machine behind it: bytes in, bytes out, no clock, no port. [`Sender`] is the
//! other side, over anything that reads and writes. Neither opens a port; whoever has one owns it.

mod device;
#[cfg(feature = "fuzzing")]
pub mod fuzzing;
mod protocol;
mod sender;

pub use device::Device;
pub use protocol::{END_OF_TEXT, END_OF_TRANSMISSION, Unescape, escape};
pub use sender::{Ended, SendError, Sender};
