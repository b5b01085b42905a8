//! Colours and styles, as one table.
//!
//! Colour is never the only sign: what it marks is also marked by a word, a sign or a place, so that the
//! look without colours loses nothing.

use ratatui::style::{Color, Modifier, Style};

/// Dark or light ground.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Look {
    /// Light signs on dark ground.
    #[default]
    Dark,
    /// Dark signs on light ground.
    Light,
}

/// How many colours the terminal shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Colours {
    /// Sixteen million.
    #[default]
    Full,
    /// The palette of 256.
    Indexed,
    /// The sixteen named ones, on the terminal's own ground.
    Sixteen,
    /// None; only weight and reversal.
    None,
}

/// What a piece of the screen says, by which its colour is chosen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ink {
    /// What is read.
    Text,
    /// What is read besides.
    Quiet,
    /// What is there for whoever looks for it.
    Faint,
    /// Lines and edges.
    Rule,
    /// Steps and moments.
    Time,
    /// Addresses and names of places.
    Place,
    /// What changed just now.
    Fresh,
    /// What is wrong.
    Trouble,
    /// What is well.
    Agreement,
}

/// The colours in use.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Theme {
    /// Dark or light.
    pub look: Look,
    /// How many colours there are.
    pub colours: Colours,
}

impl Theme {
    /// Red, green and blue of an ink.
    pub fn rgb(self, ink: Ink) -> (u8, u8, u8) {
        match (self.look, ink) {
            (Look::Dark, Ink::Text) => (0xd8, 0xd4, 0xc8),
            (Look::Dark, Ink::Quiet) => (0xa9, 0xad, 0xb4),
            (Look::Dark, Ink::Faint) => (0x93, 0x97, 0x9e),
            (Look::Dark, Ink::Rule) => (0x31, 0x38, 0x44),
            (Look::Dark, Ink::Time) => (0xe3, 0xa8, 0x5b),
            (Look::Dark, Ink::Place) => (0x6c, 0xb8, 0xa6),
            (Look::Dark, Ink::Fresh) => (0xc7, 0x9b, 0xd8),
            (Look::Dark, Ink::Trouble) => (0xe0, 0x7f, 0x68),
            (Look::Dark, Ink::Agreement) => (0x9c, 0xb8, 0x6a),
            (Look::Light, Ink::Text) => (0x24, 0x26, 0x2b),
            (Look::Light, Ink::Quiet) => (0x4a, 0x4e, 0x55),
            (Look::Light, Ink::Faint) => (0x60, 0x63, 0x63),
            (Look::Light, Ink::Rule) => (0xcd, 0xc9, 0xbd),
            (Look::Light, Ink::Time) => (0x8a, 0x52, 0x0a),
            (Look::Light, Ink::Place) => (0x1a, 0x65, 0x57),
            (Look::Light, Ink::Fresh) => (0x7d, 0x3f, 0x98),
            (Look::Light, Ink::Trouble) => (0xab, 0x36, 0x1c),
            (Look::Light, Ink::Agreement) => (0x45, 0x60, 0x12),
        }
    }

    /// Red, green and blue of the ground, plain or raised.
    pub fn ground_rgb(self, raised: bool) -> (u8, u8, u8) {
        match (self.look, raised) {
            (Look::Dark, false) => (0x14, 0x17, 0x1c),
            (Look::Dark, true) => (0x2a, 0x2c, 0x2e),
            (Look::Light, false) => (0xf4, 0xf1, 0xe8),
            (Look::Light, true) => (0xe6, 0xdf, 0xcc),
        }
    }

    /// Red, green and blue of plain text, whatever the terminal shows.
    pub(crate) fn plain_ink(self) -> (u8, u8, u8) {
        self.rgb(Ink::Text)
    }

    /// Red, green and blue of the ground.
    pub(crate) fn plain_ground(self) -> (u8, u8, u8) {
        self.ground_rgb(false)
    }

    fn colour(self, rgb: (u8, u8, u8)) -> Option<Color> {
        match self.colours {
            Colours::Full => Some(Color::Rgb(rgb.0, rgb.1, rgb.2)),
            Colours::Indexed => Some(Color::Indexed(nearest_index(rgb))),
            Colours::Sixteen | Colours::None => None,
        }
    }

    fn named(self, ink: Ink) -> Color {
        match ink {
            Ink::Text => Color::Reset,
            Ink::Quiet | Ink::Faint | Ink::Rule => Color::DarkGray,
            Ink::Time => Color::Yellow,
            Ink::Place => Color::Cyan,
            Ink::Fresh => Color::Magenta,
            Ink::Trouble => Color::Red,
            Ink::Agreement => Color::Green,
        }
    }

    /// The style of plain ground.
    pub(crate) fn ground(self) -> Style {
        match self.colour(self.ground_rgb(false)) {
            Some(ground) => self.ink(Ink::Text).bg(ground),
            None => Style::reset(),
        }
    }

    /// The style of an ink; leaves the ground as it is.
    pub(crate) fn ink(self, ink: Ink) -> Style {
        match self.colours {
            Colours::None if matches!(ink, Ink::Time | Ink::Fresh | Ink::Trouble) => {
                Style::new().add_modifier(Modifier::BOLD)
            }
            Colours::None if matches!(ink, Ink::Faint | Ink::Rule) => Style::new().add_modifier(Modifier::DIM),
            Colours::None => Style::new(),
            Colours::Sixteen => Style::new().fg(self.named(ink)),
            Colours::Full | Colours::Indexed => Style::new().fg(self.colour(self.rgb(ink)).unwrap_or(Color::Reset)),
        }
    }

    /// There is more than one ground for signs to stand on.
    pub(crate) fn has_grounds(self) -> bool {
        matches!(self.colours, Colours::Full | Colours::Indexed)
    }

    /// The ground of the present line and of what is chosen.
    pub(crate) fn band(self) -> Style {
        match self.colour(self.ground_rgb(true)) {
            Some(ground) => Style::new().bg(ground),
            None => Style::new().add_modifier(Modifier::REVERSED),
        }
    }
}

/// The nearest of the 216 cube colours and 24 greys of the palette of 256.
pub fn nearest_index((red, green, blue): (u8, u8, u8)) -> u8 {
    const LEVELS: [u8; 6] = [0, 95, 135, 175, 215, 255];
    let level = |value: u8| (0u8..6).min_by_key(|&index| LEVELS[usize::from(index)].abs_diff(value)).unwrap_or(0);
    let far = |a: (u8, u8, u8)| {
        let square = |x: u8, y: u8| u32::from(x.abs_diff(y)).pow(2);
        square(a.0, red) + square(a.1, green) + square(a.2, blue)
    };
    let cube = [level(red), level(green), level(blue)];
    let shown = cube.map(|index| LEVELS[usize::from(index)]);
    let grey = (0u8..24).min_by_key(|&index| far((8 + 10 * index, 8 + 10 * index, 8 + 10 * index))).unwrap_or(0);
    let grey_value = 8 + 10 * grey;
    if far((grey_value, grey_value, grey_value)) < far((shown[0], shown[1], shown[2])) {
        232 + grey
    } else {
        16 + 36 * cube[0] + 6 * cube[1] + cube[2]
    }
}
