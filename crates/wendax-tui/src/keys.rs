//! Keys: where each means something, what it is called, how it is shown. What each does is in `commands.rs`.

use crate::actions::Action;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use std::fmt::Write;

/// Where a key means something.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Context {
    /// While walking.
    Walk,
    /// In a pane that is a list, while walking.
    List,
    /// On a page other than the bench.
    Page,
    /// In the tally.
    Tally,
    /// In the trials.
    Trials,
    /// Where the board is shown.
    Board,
    /// While the first steps are shown.
    Lessons,
    /// While writing.
    Write,
    /// While words are offered.
    Offer,
    /// In a field of a sheet, with its list when it has one.
    Field,
    /// While a question is asked.
    Question,
    /// While what is typed goes to the program.
    Console,
}

impl Context {
    /// All of them, in the order of `docs/keys.md`.
    pub const ALL: [Self; 12] = [
        Self::Walk,
        Self::List,
        Self::Page,
        Self::Tally,
        Self::Trials,
        Self::Board,
        Self::Lessons,
        Self::Write,
        Self::Offer,
        Self::Field,
        Self::Question,
        Self::Console,
    ];

    /// Plain signs are text there.
    pub(crate) fn takes_text(self) -> bool {
        match self {
            Self::Write | Self::Field | Self::Console | Self::Offer => true,
            Self::Walk | Self::List | Self::Page | Self::Tally | Self::Trials | Self::Board | Self::Lessons => false,
            Self::Question => false,
        }
    }

    /// What stands over its keys where they are listed.
    pub fn title(self) -> &'static str {
        match self {
            Self::Walk => "Walking",
            Self::List => "In a pane that is a list (calls, marks, stops)",
            Self::Page => "On a page: tally, flow, atlas, trials",
            Self::Tally => "In the tally",
            Self::Trials => "In the trials",
            Self::Board => "Where the board is shown",
            Self::Lessons => "While the first steps are shown",
            Self::Write => "Writing",
            Self::Offer => "While words are offered",
            Self::Field => "In palette, guide, files and prompts",
            Self::Question => "While something is asked",
            Self::Console => "While what is typed goes to the program",
        }
    }

    /// In a few words, for the guide.
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Walk => "while walking",
            Self::List => "in a list",
            Self::Page => "on a page",
            Self::Tally => "in the tally",
            Self::Trials => "in the trials",
            Self::Board => "where the board is shown",
            Self::Lessons => "while the first steps are shown",
            Self::Write => "while writing",
            Self::Offer => "while words are offered",
            Self::Field => "in a field",
            Self::Question => "while something is asked",
            Self::Console => "while the program is typed to",
        }
    }
}

/// Keys for an action.
#[derive(Debug, Clone, Copy)]
pub struct Binding {
    /// The keys by name, as in [`key_name`]; none for what only the palette has.
    pub keys: &'static [&'static str],
    /// Where they mean this.
    pub contexts: &'static [Context],
    /// What they do.
    pub action: Action,
    /// In a word or two, for the keys line; empty when it is not shown there.
    pub short: &'static str,
    /// In full, for palette and guide.
    pub name: &'static str,
    /// Other words people have for it, by which the palette finds it; empty for what nobody looks for: moves of a cursor,
    /// answers.
    pub words: &'static str,
}

impl Binding {
    /// It means something in a context.
    pub fn is_of(&self, context: Context) -> bool {
        self.contexts.contains(&context)
    }

    /// Its keys that are told of in a context. Plain signs are text where text is taken; where they are not, a key with
    /// Ctrl beside one is for those who come from there.
    pub fn keys_in(&self, context: Context) -> impl Iterator<Item = &'static str> {
        let is_plain = |key: &str| key.chars().count() == 1;
        let has_plain = !context.takes_text() && self.keys.iter().any(|key| is_plain(key));
        let is_told = move |key: &&str| {
            if context.takes_text() { !is_plain(key) } else { !has_plain || !key.starts_with("Ctrl-") }
        };
        self.keys.iter().copied().filter(is_told)
    }

    /// It is found by its words.
    pub(crate) fn is_command(&self) -> bool {
        let of_page =
            [Context::Walk, Context::Write, Context::Tally, Context::Trials].iter().any(|context| self.is_of(*context));
        of_page && !self.words.is_empty()
    }
}

/// The name of a key: `g`, `G`, `Ctrl-S`, `Right`, `Space`.
pub fn key_name(key: KeyEvent) -> String {
    let mut name = String::new();
    let shifts = !matches!(key.code, KeyCode::Char(_) | KeyCode::BackTab);
    for (modifier, text) in
        [(KeyModifiers::CONTROL, "Ctrl-"), (KeyModifiers::ALT, "Alt-"), (KeyModifiers::SHIFT, "Shift-")]
    {
        if key.modifiers.contains(modifier) && (modifier != KeyModifiers::SHIFT || shifts) {
            name.push_str(text);
        }
    }
    match key.code {
        KeyCode::F(number) => {
            // Writing to a string never fails.
            let _ = write!(name, "F{number}");
        }
        KeyCode::Char(' ') => name.push_str("Space"),
        KeyCode::Char(c) if key.modifiers.contains(KeyModifiers::CONTROL) => name.push(c.to_ascii_uppercase()),
        KeyCode::Char(c) => name.push(c),
        KeyCode::BackTab => name.push_str("Backtab"),
        code => name.push_str(&format!("{code:?}")),
    }
    name
}

/// The key that is shown so; `None` when that is several, or none.
pub fn event_of(shown: &str) -> Option<KeyEvent> {
    if shown == "Shift-Tab" {
        return Some(KeyEvent::new(KeyCode::BackTab, KeyModifiers::NONE));
    }
    let (mut modifiers, mut rest) = (KeyModifiers::NONE, shown);
    for (name, modifier) in
        [("Ctrl-", KeyModifiers::CONTROL), ("Alt-", KeyModifiers::ALT), ("Shift-", KeyModifiers::SHIFT)]
    {
        if let Some(key) = rest.strip_prefix(name).filter(|key| !key.is_empty()) {
            (modifiers, rest) = (modifiers | modifier, key);
        }
    }
    let code = match rest {
        "→" => KeyCode::Right,
        "←" => KeyCode::Left,
        "↑" => KeyCode::Up,
        "↓" => KeyCode::Down,
        "Enter" => KeyCode::Enter,
        "Esc" => KeyCode::Esc,
        "Tab" => KeyCode::Tab,
        "Space" => KeyCode::Char(' '),
        "Home" => KeyCode::Home,
        "End" => KeyCode::End,
        "PageUp" => KeyCode::PageUp,
        "PageDown" => KeyCode::PageDown,
        "Backspace" => KeyCode::Backspace,
        "Delete" => KeyCode::Delete,
        key if key.chars().count() == 1 => {
            let sign = key.chars().next()?;
            KeyCode::Char(if modifiers == KeyModifiers::NONE { sign } else { sign.to_ascii_lowercase() })
        }
        key => KeyCode::F(key.strip_prefix('F')?.parse().ok()?),
    };
    Some(KeyEvent::new(code, modifiers))
}

/// Keys shown with arrows, as on the keys line.
pub fn shown(key: &str) -> String {
    match key.rsplit_once('-') {
        Some((modifier, rest)) if !rest.is_empty() && rest != key => format!("{modifier}-{}", shown(rest)),
        _ => match key {
            "Right" => "→".to_owned(),
            "Left" => "←".to_owned(),
            "Up" => "↑".to_owned(),
            "Down" => "↓".to_owned(),
            "Backtab" => "Shift-Tab".to_owned(),
            key => key.to_owned(),
        },
    }
}

/// All keys of an action as they are shown, with blanks between them.
pub(crate) fn all_shown(keys: &[&str]) -> String {
    keys.iter().map(|key| shown(key)).collect::<Vec<_>>().join(" ")
}
