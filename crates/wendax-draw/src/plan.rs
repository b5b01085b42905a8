//! Graphs on paper: the units in which `layered` lays them out, and where those lie.

use crate::layered::Pitch;
use crate::scene::{MARGIN, Point, TOP};

/// The unit that layouts reckon in.
pub(crate) const UNIT: f32 = 6.0;
/// Distances between lanes and tracks, and the height of a label.
pub(crate) const PITCH: Pitch = Pitch { lane: 2, track: 2, label: 3 };
/// The size of labels.
pub(crate) const SMALL: f32 = 10.0;

/// A length in units, rounded up.
#[expect(clippy::cast_possible_truncation, reason = "drawings are small")]
pub(crate) fn units(size: f32) -> i32 {
    (size / UNIT).ceil() as i32
}

/// Units as a length.
#[expect(clippy::cast_precision_loss, reason = "drawings are small")]
pub(crate) fn size(units: i32) -> f32 {
    units as f32 * UNIT
}

/// Where a place of a layout lies.
pub(crate) fn place((x, y): (i32, i32)) -> Point {
    (MARGIN + size(x), TOP + size(y))
}
