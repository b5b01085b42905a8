//! The terminal: entered, given back however the program ends, and what can be known of its colours.

use crate::cli::Look;
use crate::settings::{Ground, Settings};
use crossterm::event::{DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use crossterm::execute;
use crossterm::terminal::{EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode};
use std::io::Write;
use wendax_tui::{Colours, Theme};

/// The terminal as it was, when this is dropped or the program panics.
pub(super) struct Screen {
    mouse: bool,
}

impl Screen {
    pub(super) fn enter(mouse: bool) -> Result<Self, std::io::Error> {
        let screen = Self { mouse };
        screen.enter_again()?;
        Ok(screen)
    }

    /// The program was stopped meanwhile, and the terminal was someone else's.
    pub(super) fn enter_again(&self) -> Result<(), std::io::Error> {
        enable_raw_mode()?;
        execute!(std::io::stdout(), EnterAlternateScreen, EnableBracketedPaste)?;
        if self.mouse {
            execute!(std::io::stdout(), EnableMouseCapture)?;
        }
        Ok(())
    }

    pub(super) fn leave() {
        let out = &mut std::io::stdout();
        let _ =
            execute!(out, DisableMouseCapture, DisableBracketedPaste, LeaveAlternateScreen, crossterm::cursor::Show);
        let _ = disable_raw_mode();
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        Self::leave();
    }
}

/// The theme that settings, options and the terminal make together.
pub(super) fn theme(look: Option<Look>, settings: &Settings) -> Theme {
    let variable = |name| std::env::var(name).unwrap_or_default();
    let term = variable("TERM");
    let colours = if !variable("NO_COLOR").is_empty() || term == "dumb" {
        Colours::None
    } else if matches!(variable("COLORTERM").as_str(), "truecolor" | "24bit") {
        Colours::Full
    } else if term.contains("256color") || term.contains("direct") {
        Colours::Indexed
    } else {
        Colours::Sixteen
    };
    let colours = match settings.colours {
        // What the environment forbids stays forbidden.
        Some(wanted) if colours != Colours::None || term == "dumb" => wanted,
        _ => colours,
    };
    let is_light = match (look, settings.ground) {
        (Some(look), _) => look == Look::Light,
        (None, Ground::Light) => true,
        (None, Ground::Dark) => false,
        (None, Ground::Terminal) => ground_of_variable(&variable("COLORFGBG")).unwrap_or(false),
    };
    Theme { look: if is_light { wendax_tui::Look::Light } else { wendax_tui::Look::Dark }, colours }
}

/// Whether the ground is light by the variable that several terminals set: colours of signs and ground by number.
fn ground_of_variable(value: &str) -> Option<bool> {
    let ground: u8 = value.rsplit(';').next()?.parse().ok()?;
    Some(matches!(ground, 7 | 9..=15))
}

/// Asks the terminal for its ground (OSC 11, as xterm's control sequences have it) and then for what it is (DA1 of
/// ECMA-48), which every terminal answers: after that nothing more will come.
pub(super) fn ask_ground() {
    let mut out = std::io::stdout();
    let _ = write!(out, "\u{1b}]11;?\u{7}\u{1b}[c").and_then(|()| out.flush());
}

/// What came from a terminal that was asked: answers, and what was typed meanwhile.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Answers {
    pub(super) is_light: Option<bool>,
    /// The last answer has come.
    pub(super) are_all: bool,
    pub(super) typed: Vec<KeyEvent>,
    /// The beginning of something whose rest is to come.
    pub(super) rest: Vec<u8>,
}

/// Takes what came apart. Keys of the first moment are the plain ones: signs, Enter, Esc, arrows, and Ctrl with a letter.
pub(super) fn read_answers(bytes: &[u8]) -> Answers {
    let mut answers = Answers::default();
    let mut at = 0;
    while at < bytes.len() {
        let rest = &bytes[at..];
        let Some(length) = sequence_length(rest) else {
            answers.rest = rest.to_vec();
            break;
        };
        let sequence = &rest[..length];
        at += length;
        match sequence {
            [0x1B, b']', b'1', b'1', b';', ..] => {
                let bright = brightness(&String::from_utf8_lossy(sequence));
                answers.is_light = bright.map(|bright| bright > 0.5).or(answers.is_light);
            }
            [0x1B, b'[', b'?', .., b'c'] => answers.are_all = true,
            _ => answers.typed.extend(key_of(sequence)),
        }
    }
    answers
}

/// How many bytes the first sign or sequence has; `None` when it goes on behind the end.
fn sequence_length(bytes: &[u8]) -> Option<usize> {
    match bytes {
        [0x1B, b']', rest @ ..] => {
            // It ends with BEL, or with Esc and a backslash.
            let end = rest.iter().position(|byte| matches!(byte, 0x07 | 0x1B))?;
            let length = if rest[end] == 0x1B { end + 2 } else { end + 1 };
            (rest.len() >= length).then_some(2 + length)
        }
        [0x1B, b'[', rest @ ..] => rest.iter().position(|byte| (0x40..=0x7E).contains(byte)).map(|end| 3 + end),
        // Esc, or the beginning of a sequence: what follows decides.
        [0x1B] => None,
        [first, ..] => {
            let length = match first {
                0xF0.. => 4,
                0xE0..=0xEF => 3,
                0xC0..=0xDF => 2,
                _ => 1,
            };
            (bytes.len() >= length).then_some(length)
        }
        [] => None,
    }
}

fn key_of(sequence: &[u8]) -> Option<KeyEvent> {
    let plain = |code| Some(KeyEvent::new(code, KeyModifiers::NONE));
    match sequence {
        [0x1B] => plain(KeyCode::Esc),
        [b'\r' | b'\n'] => plain(KeyCode::Enter),
        [b'\t'] => plain(KeyCode::Tab),
        [0x7F] => plain(KeyCode::Backspace),
        [byte @ 0x01..=0x1A] => Some(KeyEvent::new(KeyCode::Char(char::from(byte + 0x60)), KeyModifiers::CONTROL)),
        [0x1B, b'[', b'A'] => plain(KeyCode::Up),
        [0x1B, b'[', b'B'] => plain(KeyCode::Down),
        [0x1B, b'[', b'C'] => plain(KeyCode::Right),
        [0x1B, b'[', b'D'] => plain(KeyCode::Left),
        [0x1B, ..] => None,
        signs => plain(KeyCode::Char(std::str::from_utf8(signs).ok()?.chars().next()?)),
    }
}

/// How bright `rgb:RRRR/GGGG/BBBB` is, from 0 to 1, by the weights of ITU-R BT.709.
fn brightness(answer: &str) -> Option<f64> {
    let parts = answer.split("rgb:").nth(1)?.split('/');
    let level = |part: &str| {
        let digits: String = part.chars().take_while(char::is_ascii_hexdigit).take(4).collect();
        let most = 16f64.powi(i32::try_from(digits.len()).ok()?) - 1.0;
        Some(f64::from(u32::from_str_radix(&digits, 16).ok()?) / most)
    };
    let levels: Vec<f64> = parts.filter_map(level).collect();
    let [red, green, blue] = levels.as_slice() else { return None };
    Some(0.2126 * red + 0.7152 * green + 0.0722 * blue)
}

/// Asks the terminal to put a text into the system's clipboard (OSC 52 of ECMA-48's operating system commands,
/// as most terminals take it); those that do not know it pass it over.
pub(super) fn copy_to_system(text: &str) {
    use base64::Engine;
    /// Terminals take no more.
    const MOST: usize = 74_994;
    let encoded = base64::engine::general_purpose::STANDARD.encode(text);
    if encoded.len() <= MOST {
        let mut out = std::io::stdout();
        let _ = write!(out, "\u{1b}]52;c;{encoded}\u{7}").and_then(|()| out.flush());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_ground_is_told_from_the_answers_and_what_was_typed_is_kept() {
        let light = read_answers(b"\x1b]11;rgb:f4f4/f1f1/e8e8\x07\x1b[?62;22c");
        assert_eq!(light, Answers { is_light: Some(true), are_all: true, ..Answers::default() });
        let dark = read_answers("g\u{1b}]11;rgb:14/17/1c\u{1b}\\ö\u{1b}[C\u{1b}[?1;2c\r".as_bytes());
        let keys: Vec<KeyCode> = dark.typed.iter().map(|key| key.code).collect();
        assert_eq!((dark.is_light, dark.are_all), (Some(false), true));
        assert_eq!(keys, [KeyCode::Char('g'), KeyCode::Char('ö'), KeyCode::Right, KeyCode::Enter]);
        // Cut anywhere, the rest waits for more, and nothing of an answer becomes a key.
        let whole = b"\x1b]11;rgb:f4f4/f1f1/e8e8\x1b\\\x1b[?62;22c";
        for cut in 2..whole.len() {
            let first = read_answers(&whole[..cut]);
            let second = read_answers(&[first.rest.as_slice(), &whole[cut..]].concat());
            assert_eq!((first.typed.len(), second.typed.len(), second.are_all), (0, 0, true), "{cut}");
            assert_eq!(first.is_light.or(second.is_light), Some(true), "{cut}");
        }
        assert_eq!(
            (ground_of_variable("15;0"), ground_of_variable("0;15"), ground_of_variable("")),
            (Some(false), Some(true), None)
        );
    }
}
