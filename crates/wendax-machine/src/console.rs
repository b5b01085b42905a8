//! The console: what was typed and not read yet, and how much was printed.
//!
//! All that is ever typed stands on one tape, shared by a machine and its copies; a state only says how much of it has
//! been typed and how much read. So checkpoints cost the same however much input waits.

use std::sync::Arc;

/// How far typing and reading have come.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Console {
    /// Bytes typed since the start.
    pub(crate) typed: u64,
    /// Bytes read since the start.
    pub(crate) read: u64,
    /// No more will be typed.
    pub(crate) ended: bool,
    /// Bytes printed since the start.
    pub(crate) printed: u64,
}

impl Console {
    /// Takes back what was typed and has not been read, so many bytes at the most, and that there is no more.
    pub(crate) fn unfeed(&mut self, typed: u64, ended: bool) {
        self.typed -= typed.min(self.typed - self.read);
        self.ended &= !ended;
    }

    pub(crate) fn waiting(&self) -> usize {
        usize::try_from(self.typed - self.read).unwrap_or(usize::MAX)
    }
}

/// Everything typed.
#[derive(Debug, Clone, Default)]
pub(crate) struct Tape {
    bytes: Arc<Vec<u8>>,
    /// Bytes typed before those kept.
    base: u64,
}

impl Tape {
    fn index(&self, position: u64) -> usize {
        usize::try_from(position.saturating_sub(self.base)).unwrap_or(usize::MAX).min(self.bytes.len())
    }

    /// Writes what is typed at a position; what stood there and behind belongs to another branch.
    pub(crate) fn write(&mut self, position: u64, bytes: &[u8]) {
        let at = self.index(position);
        if self.bytes.get(at..at + bytes.len()) == Some(bytes) {
            return;
        }
        let all = Arc::make_mut(&mut self.bytes);
        all.truncate(at);
        all.extend_from_slice(bytes);
    }

    /// What waits to be read.
    pub(crate) fn waiting(&self, console: &Console) -> &[u8] {
        &self.bytes[self.index(console.read)..self.index(console.typed)]
    }

    /// Forgets what lies before a position, once that is worth it.
    pub(crate) fn forget_before(&mut self, position: u64) {
        let count = self.index(position);
        if count > self.bytes.len() / 2 && count > 0x1000 {
            self.bytes = Arc::new(self.bytes[count..].to_vec());
            self.base += count as u64;
        }
    }

    /// Bytes it keeps.
    pub(crate) fn len(&self) -> usize {
        self.bytes.len()
    }
}
