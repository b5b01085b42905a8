//! What a person prefers, whatever program is open.

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
