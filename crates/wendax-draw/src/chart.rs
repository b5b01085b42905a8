//! What charts have in common: shares of a length, and the axis below them.

use crate::plan::SMALL;
use crate::scene::{Anchor, Ink, MARGIN, Scene, Stroke};
use wendax_session::grouped;

/// A line with some marks that say how far it is.
pub(crate) fn axis(scene: &mut Scene, y: f32, width: f32, (from, to): (u64, u64), unit: &str) {
    const PARTS: u64 = 5;
    scene.line((MARGIN, y), (MARGIN + width, y), Stroke::thin(Ink::Rule));
    for part in 0..=PARTS {
        let value = from + (to - from) * part / PARTS;
        let x = MARGIN + share(part, PARTS) * width;
        scene.line((x, y), (x, y + 4.0), Stroke::thin(Ink::Rule));
        let anchor = match part {
            0 => Anchor::Start,
            PARTS => Anchor::End,
            _ => Anchor::Middle,
        };
        let text = if part == PARTS { format!("{} {unit}", grouped(value)) } else { grouped(value) };
        scene.write((x, y + 16.0), anchor, &text, Ink::Quiet, SMALL);
    }
}

#[expect(clippy::cast_precision_loss, clippy::cast_possible_truncation, reason = "a share is drawn, no more")]
pub(crate) fn share(part: u64, whole: u64) -> f32 {
    if whole == 0 { 0.0 } else { (part as f64 / whole as f64) as f32 }
}
