//! The terminal: entered, given back however the program ends, and what can be known of its colours.

use crate::cli::Look;
use crossterm::event::{DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture};
use crossterm::execute;
use crossterm::terminal::{EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode};
use std::io::Write;
use wendax_tui::{Colours, Theme};

/// The terminal as it was, when this is dropped or the program panics.
pub(super) struct Screen;

impl Screen {
    pub(super) fn enter() -> Result<Self, std::io::Error> {
        enable_raw_mode()?;
        execute!(std::io::stdout(), EnterAlternateScreen, EnableBracketedPaste, EnableMouseCapture)?;
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

pub(super) fn theme(look: Look) -> Theme {
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
    let look = if look == Look::Light { wendax_tui::Look::Light } else { wendax_tui::Look::Dark };
    Theme { look, colours }
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
