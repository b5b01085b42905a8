//! The colours of drawings: those of the bench, on dark ground and on light.

use crate::scene::Ink;

/// The ground of a drawing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Look {
    /// Dark signs on light ground, for paper.
    #[default]
    Light,
    /// Light signs on dark ground.
    Dark,
}

impl Look {
    /// Red, green and blue of an ink.
    pub fn rgb(self, ink: Ink) -> (u8, u8, u8) {
        match (self, ink) {
            (_, Ink::Given(red, green, blue)) => (red, green, blue),
            (Self::Dark, Ink::Ground) => (0x14, 0x17, 0x1c),
            (Self::Dark, Ink::Raised) => (0x22, 0x28, 0x30),
            (Self::Dark, Ink::Text) => (0xd8, 0xd4, 0xc8),
            (Self::Dark, Ink::Quiet) => (0x9a, 0x9f, 0xa8),
            (Self::Dark, Ink::Faint) => (0x6b, 0x72, 0x7d),
            (Self::Dark, Ink::Rule) => (0x3c, 0x44, 0x50),
            (Self::Dark, Ink::Time) => (0xe3, 0xa8, 0x5b),
            (Self::Dark, Ink::Place) => (0x6c, 0xb8, 0xa6),
            (Self::Dark, Ink::Fresh) => (0xc7, 0x9b, 0xd8),
            (Self::Dark, Ink::Trouble) => (0xe0, 0x7f, 0x68),
            (Self::Dark, Ink::Agreement) => (0x9c, 0xb8, 0x6a),
            (Self::Light, Ink::Ground) => (0xff, 0xff, 0xff),
            (Self::Light, Ink::Raised) => (0xf4, 0xf1, 0xe8),
            (Self::Light, Ink::Text) => (0x22, 0x25, 0x2a),
            (Self::Light, Ink::Quiet) => (0x5a, 0x5f, 0x67),
            (Self::Light, Ink::Faint) => (0x86, 0x89, 0x8a),
            (Self::Light, Ink::Rule) => (0xbf, 0xbb, 0xae),
            (Self::Light, Ink::Time) => (0x9a, 0x5f, 0x10),
            (Self::Light, Ink::Place) => (0x1d, 0x70, 0x61),
            (Self::Light, Ink::Fresh) => (0x7d, 0x3f, 0x98),
            (Self::Light, Ink::Trouble) => (0xb0, 0x3a, 0x20),
            (Self::Light, Ink::Agreement) => (0x51, 0x70, 0x16),
        }
    }
}
