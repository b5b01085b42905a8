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
    pub fn record(&mut self, position: u64, output: &[u8]) {
        if position < self.latest.base {
            self.past.record(position, output);
        }
        let behind = usize::try_from(self.latest.base.saturating_sub(position)).unwrap_or(usize::MAX);
        if behind <= output.len() {
            self.latest.record(position.max(self.latest.base), &output[behind..]);
        }
    }

    /// Forgets what was printed from `position` on.
    pub fn truncate(&mut self, position: u64) {
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
