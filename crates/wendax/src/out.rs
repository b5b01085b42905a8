//! What leaves the tool on standard output and standard error.
//!
//! What programs, their authors and boards wrote does nothing to a terminal: signs that would are shown by signs for
//! them. Files and pipes get each byte as it is.

use std::io::{IsTerminal, Write};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{LazyLock, Mutex};

/// The bytes of a sign that has not come whole yet.
static BEGUN: Mutex<Vec<u8>> = Mutex::new(Vec::new());

/// What was written to standard output last ended no line.
static IS_MID_LINE: AtomicBool = AtomicBool::new(false);

/// Standard output and standard error go to one place.
static IS_ONE: LazyLock<bool> = LazyLock::new(|| {
    let place = |stat: rustix::fs::Stat| (stat.st_dev, stat.st_ino);
    let (out, error) = (rustix::fs::fstat(std::io::stdout()), rustix::fs::fstat(std::io::stderr()));
    out.ok().zip(error.ok()).is_some_and(|(out, error)| place(out) == place(error))
});

static IS_TERMINAL: LazyLock<bool> = LazyLock::new(|| std::io::stdout().is_terminal());

/// What was written to standard output last ended no line.
pub(crate) fn is_mid_line() -> bool {
    IS_MID_LINE.load(Ordering::Relaxed)
}

/// Says something on standard error, whatever it quotes. Where standard output goes to the same place it begins a line.
pub(crate) fn tell(text: &str) {
    tell_rendered(&wendax_source::shown(text));
}

/// Says on standard error what was rendered: it shows what it quotes, and its colours are our own.
pub(crate) fn tell_rendered(text: &str) {
    if text.is_empty() {
        return;
    }
    let begins = if *IS_ONE && IS_MID_LINE.swap(false, Ordering::Relaxed) { "\n" } else { "" };
    // Nobody is left to tell when even this fails.
    let _ = std::io::stderr().write_all(format!("{begins}{text}").as_bytes());
}

/// Writes to standard output.
pub(crate) fn put(bytes: &[u8]) -> std::io::Result<()> {
    let mut out = std::io::stdout().lock();
    if let Some(last) = bytes.last() {
        IS_MID_LINE.store(*last != b'\n', Ordering::Relaxed);
    }
    if !*IS_TERMINAL {
        return out.write_all(bytes).and_then(|()| out.flush());
    }
    let mut begun = BEGUN.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    let text = for_terminal(&mut begun, bytes);
    out.write_all(text.as_bytes()).and_then(|()| out.flush())
}

/// Bytes as a terminal gets them; those of a sign that is not whole stay in `begun`.
fn for_terminal(begun: &mut Vec<u8>, bytes: &[u8]) -> String {
    begun.extend_from_slice(bytes);
    let mut whole = begun.len();
    if let Some(chunk) = begun.utf8_chunks().last()
        && let wrong = chunk.invalid()
        && !wrong.is_empty()
        && std::str::from_utf8(wrong).is_err_and(|error| error.error_len().is_none())
        && begun.ends_with(wrong)
    {
        whole -= wrong.len();
    }
    // A line end of two signs is one.
    let text = String::from_utf8_lossy(&begun[..whole]).replace("\r\n", "\n");
    let rest = begun.split_off(whole);
    *begun = rest;
    wendax_source::shown(&text).into_owned()
}

/// Standard output, for what writes as it goes.
#[derive(Debug)]
pub(crate) struct Out;

impl Write for Out {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        put(bytes).map(|()| bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        std::io::stdout().flush()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_terminal_gets_signs_whole_and_none_that_does_anything() {
        let mut begun = Vec::new();
        assert_eq!(for_terminal(&mut begun, b"caf\xC3"), "caf");
        assert_eq!(for_terminal(&mut begun, b"\xA9\r\n\x1B[2J\xFF"), "\u{e9}\n\u{241B}[2J\u{FFFD}");
        assert_eq!(for_terminal(&mut begun, "\u{202E}".as_bytes()), "\u{B7}");
        assert!(begun.is_empty());
    }

    proptest::proptest! {
        #[test]
        fn in_whatever_pieces_it_comes(bytes in proptest::collection::vec(0u8.., 0..40), cut in 0usize..40) {
            let (one, other) = bytes.split_at(cut.min(bytes.len()));
            let mut begun = Vec::new();
            let pieces = for_terminal(&mut begun, one) + &for_terminal(&mut begun, other);
            proptest::prop_assert!(begun.len() < 4);
            let is_plain = pieces.chars().all(|c| c == '\n' || c == '\t' || !wendax_source::is_hidden(c));
            proptest::prop_assert!(is_plain, "{pieces:?}");
        }
    }
}
