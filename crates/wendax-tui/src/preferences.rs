//! What a person prefers, whatever program is open.

use crate::app::App;

/// The form of numbers where nothing else decides.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Numbers {
    /// Signed decimal numbers.
    #[default]
    Decimal,
    /// Hexadecimal digits, as many as a word has.
    Hexadecimal,
}

/// What is shown, and how.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Preferences {
    /// The form of numbers.
    pub numbers: Numbers,
    /// Registers show their bits.
    pub binary: bool,
    /// Code words are put away.
    pub without_code: bool,
    /// Long lines go on in the next row.
    pub wraps: bool,
}

impl App {
    /// The same, as a person prefers it.
    #[must_use]
    pub fn with_preferences(mut self, preferences: Preferences) -> Self {
        self.screen.preferences = preferences;
        self.screen.binary = preferences.binary;
        self.screen.source.without_code = preferences.without_code;
        self.screen.source.wraps = preferences.wraps;
        self
    }

    /// A value as the person prefers numbers.
    pub(crate) fn number(&self, session: &wendax_session::Session, value: u32) -> String {
        let target = session.machine().target();
        match self.screen.preferences.numbers {
            Numbers::Decimal => target.signed(value).to_string(),
            Numbers::Hexadecimal => target.hex(value),
        }
    }

    /// From now on it stands on another ground.
    pub fn stand_on(&mut self, look: crate::theme::Look) {
        self.screen.theme.look = look;
    }
}
