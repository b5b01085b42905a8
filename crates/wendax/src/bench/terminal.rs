//! The terminal: entered, given back however the program ends, and what can be known of its colours.

use crate::cli::Look;
use crate::settings::{Ground, Settings};
use crossterm::event::{DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture};
use crossterm::execute;
use crossterm::terminal::{EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode};
use std::io::Write;
use wendax_tui::{Colours, Theme};

/// The terminal as it was, when this is dropped or the program panics.
pub(super) struct Screen;

impl Screen {
    pub(super) fn enter(mouse: bool) -> Result<Self, std::io::Error> {
        enable_raw_mode()?;
        execute!(std::io::stdout(), EnterAlternateScreen, EnableBracketedPaste)?;
        if mouse {
            execute!(std::io::stdout(), EnableMouseCapture)?;
        }
        Ok(Self)
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
/// ECMA-48), which every terminal answers: after that nothing more will come. Returns whether the ground is light, and
/// what was typed meanwhile.
pub(super) fn ask_ground() -> (Option<bool>, String) {
    use rustix::event::{PollFd, PollFlags, Timespec, poll};
    use std::io::Read;
    /// So long a silent terminal is waited for.
    const PATIENCE: std::time::Duration = std::time::Duration::from_millis(40);
    let mut out = std::io::stdout();
    if write!(out, "\u{1b}]11;?\u{7}\u{1b}[c").and_then(|()| out.flush()).is_err() {
        return (None, String::new());
    }
    let begun = std::time::Instant::now();
    let mut answer = Vec::new();
    let mut input = std::io::stdin();
    while !answers_end(&answer) {
        let left = PATIENCE.saturating_sub(begun.elapsed());
        let time = Timespec { tv_sec: 0, tv_nsec: left.as_nanos().try_into().unwrap_or(0) };
        let stdin = std::io::stdin();
        let mut wait = [PollFd::new(&stdin, PollFlags::IN)];
        if left.is_zero() || !matches!(poll(&mut wait, Some(&time)), Ok(1..)) {
            break;
        }
        let mut bytes = [0; 256];
        match input.read(&mut bytes) {
            Ok(count @ 1..) => answer.extend_from_slice(&bytes[..count]),
            _ => break,
        }
    }
    read_answers(&String::from_utf8_lossy(&answer))
}

/// The answer to the second question has come.
fn answers_end(answer: &[u8]) -> bool {
    let start = answer.windows(3).position(|window| window == b"\x1b[?");
    start.is_some_and(|at| answer[at..].contains(&b'c'))
}

/// Whether the ground is light, by the answers of a terminal, and what is none of them.
fn read_answers(text: &str) -> (Option<bool>, String) {
    let mut typed = text.to_owned();
    let mut is_light = None;
    if let Some(start) = typed.find("\u{1b}]11;") {
        let rest = &typed[start..];
        let end = rest.find('\u{7}').map(|at| at + 1).or(rest.find("\u{1b}\\").map(|at| at + 2)).unwrap_or(rest.len());
        is_light = brightness(&rest[..end]).map(|bright| bright > 0.5);
        typed.replace_range(start..start + end, "");
    }
    if let Some(start) = typed.find("\u{1b}[?")
        && let Some(end) = typed[start..].find('c')
    {
        typed.replace_range(start..=start + end, "");
    }
    (is_light, typed.chars().filter(|c| !c.is_control()).collect())
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
        let light = "\u{1b}]11;rgb:f4f4/f1f1/e8e8\u{7}\u{1b}[?62;22c";
        assert_eq!(read_answers(light), (Some(true), String::new()));
        assert_eq!(read_answers("g\u{1b}]11;rgb:14/17/1c\u{1b}\\\u{1b}[?1;2cb"), (Some(false), "gb".to_owned()));
        assert_eq!(read_answers("\u{1b}[?1;2c"), (None, String::new()));
        assert!(answers_end(light.as_bytes()) && !answers_end(b"\x1b]11;rgb:0/0/0\x07"));
        assert_eq!(
            (ground_of_variable("15;0"), ground_of_variable("0;15"), ground_of_variable("")),
            (Some(false), Some(true), None)
        );
    }
}
