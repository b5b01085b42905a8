//! What both sides agree on.
//!
//! While no program runs the sender writes lines and the board answers each with one line, which begins with `+` when it
//! was done and with `-` when not, and says why. While a program runs, bytes are its console; three control signs of
//! ASCII (ISO 646) have a meaning, and are written as DLE and themselves with bit 6 changed where the console has them.

use wendax_isa::Target;

/// Stops a running program.
pub const END_OF_TEXT: u8 = 0x03;
/// From the board: the program has ended. To the board: no more will be typed.
pub const END_OF_TRANSMISSION: u8 = 0x04;
/// The sign behind it is meant as itself, with bit 6 changed.
const ESCAPE: u8 = 0x10;
const CHANGED: u8 = 0x40;

/// The version of the protocol and the machine, as the answer to `?` says them.
pub(crate) fn hello(target: &Target) -> String {
    format!("board 1 {}", target.name)
}

/// Console bytes as they go over the line.
pub fn escape(bytes: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(bytes.len());
    for &byte in bytes {
        if matches!(byte, END_OF_TEXT | END_OF_TRANSMISSION | ESCAPE) {
            out.extend([ESCAPE, byte ^ CHANGED]);
        } else {
            out.push(byte);
        }
    }
    out
}

/// What came over the line while a program runs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sign {
    /// A byte of the console.
    Byte(u8),
    /// One of the control signs.
    Control(u8),
}

/// Takes escapes back, a byte at a time.
#[derive(Debug, Clone, Copy, Default)]
pub struct Unescape {
    is_escaped: bool,
}

impl Unescape {
    /// What a byte completes, if anything.
    pub fn take(&mut self, byte: u8) -> Option<Sign> {
        if std::mem::take(&mut self.is_escaped) {
            return Some(Sign::Byte(byte ^ CHANGED));
        }
        match byte {
            ESCAPE => {
                self.is_escaped = true;
                None
            }
            END_OF_TEXT | END_OF_TRANSMISSION => Some(Sign::Control(byte)),
            byte => Some(Sign::Byte(byte)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    proptest::proptest! {
        #[test]
        fn escapes_are_taken_back(bytes in proptest::collection::vec(0u8.., 0..60)) {
            let mut unescape = Unescape::default();
            let back: Vec<Sign> = escape(&bytes).into_iter().filter_map(|byte| unescape.take(byte)).collect();
            proptest::prop_assert_eq!(back, bytes.into_iter().map(Sign::Byte).collect::<Vec<_>>());
        }
    }
}
