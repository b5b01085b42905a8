//! What was printed and typed, as far as it is kept.
//!
//! Printed bytes are known by their position since the start of the run, so that computing a piece of the
//! past again prints nothing twice. Of a program that prints without end only the last part is kept.

/// So much output is kept at least; twice as much at most.
const KEPT: usize = 4 << 20;

/// A piece of the console.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Piece {
    /// The program printed this.
    Printed(Vec<u8>),
    /// This was typed.
    Typed(Vec<u8>),
}

/// The output of a run: its last part, and a part of the past when that is looked at and lies before it.
#[derive(Debug, Clone, Default)]
pub struct Transcript {
    latest: Window,
    past: Window,
}

/// Output that follows without a gap.
#[derive(Debug, Clone, Default)]
struct Window {
    /// Position of the first byte kept.
    base: u64,
    bytes: Vec<u8>,
}

impl Window {
    fn end(&self) -> u64 {
        self.base + self.bytes.len() as u64
    }

    /// Takes in output that began at `position`. What is known already is the same and is passed over.
    fn record(&mut self, position: u64, output: &[u8]) {
        if position > self.end() || position < self.base {
            // What lies between was let go: begin again from here.
            (self.base, self.bytes) = (position, output.to_vec());
        } else {
            let known = usize::try_from(self.end() - position).unwrap_or(usize::MAX);
            self.bytes.extend_from_slice(output.get(known..).unwrap_or_default());
        }
        if self.bytes.len() > 2 * KEPT {
            let dropped = self.bytes.len() - KEPT;
            self.bytes.drain(..dropped);
            self.base += dropped as u64;
        }
    }

    fn up_to(&self, position: u64) -> (u64, &[u8]) {
        let length = usize::try_from(position.saturating_sub(self.base)).unwrap_or(usize::MAX);
        (self.base, &self.bytes[..length.min(self.bytes.len())])
    }
}

impl Transcript {
    /// Takes in output that began at `position`, computed for the first time or again.
    pub(crate) fn record(&mut self, position: u64, output: &[u8]) {
        if position < self.latest.base {
            self.past.record(position, output);
        }
        let behind = usize::try_from(self.latest.base.saturating_sub(position)).unwrap_or(usize::MAX);
        if behind <= output.len() {
            self.latest.record(position.max(self.latest.base), &output[behind..]);
        }
    }

    /// Forgets what was printed from `position` on.
    pub(crate) fn truncate(&mut self, position: u64) {
        if position < self.latest.base {
            self.latest = std::mem::take(&mut self.past);
        }
        let length = usize::try_from(position.saturating_sub(self.latest.base)).unwrap_or(usize::MAX);
        self.latest.bytes.truncate(length);
        self.latest.base = self.latest.base.min(position);
        self.past = Window::default();
    }

    /// The output up to `position`, as far as it is kept, and the position it begins at.
    pub fn up_to(&self, position: u64) -> (u64, &[u8]) {
        if position < self.latest.base { self.past.up_to(position) } else { self.latest.up_to(position) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn repeated_output_is_kept_once_and_gaps_begin_anew() {
        let mut transcript = Transcript::default();
        transcript.record(0, b"abc");
        transcript.record(1, b"bcde");
        assert_eq!(transcript.up_to(4), (0, &b"abcd"[..]));
        transcript.truncate(2);
        assert_eq!(transcript.up_to(9), (0, &b"ab"[..]));
        transcript.record(10, b"xy");
        assert_eq!(transcript.up_to(11), (10, &b"x"[..]));
    }

    #[test]
    fn looking_at_the_far_past_does_not_cost_what_is_kept_of_the_end() {
        let mut transcript = Transcript::default();
        let piece = vec![b'x'; 1 << 20];
        (0..40u64).for_each(|number| transcript.record(number << 20, &piece));
        let (base, kept) = transcript.up_to(40 << 20);
        let kept = kept.len();
        transcript.record(1 << 20, b"far back");
        assert_eq!(transcript.up_to((1 << 20) + 3), (1 << 20, &b"far"[..]));
        assert_eq!((transcript.up_to(40 << 20).0, transcript.up_to(40 << 20).1.len()), (base, kept));
        transcript.truncate((1 << 20) + 5);
        assert_eq!(transcript.up_to(9 << 20), (1 << 20, &b"far b"[..]));
    }

    #[test]
    fn endless_output_keeps_its_last_part() {
        let mut transcript = Transcript::default();
        let mut position = 0;
        for _ in 0..40 {
            transcript.record(position, &vec![b'x'; 1 << 20]);
            position += 1 << 20;
        }
        let (base, bytes) = transcript.up_to(position);
        assert_eq!(base + bytes.len() as u64, position);
        assert!(bytes.len() >= KEPT && bytes.len() <= 2 * KEPT);
    }
}
