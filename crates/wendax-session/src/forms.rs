//! What was measured and what steps did, in forms for other programs: comma-separated values, JSON lines, LCOV.
//!
//! Nothing is measured here: who measures knows none of these forms. Comma-separated values follow RFC 4180.

mod coverage;
mod tallies;
mod trail;

pub use tallies::TallyForm;
pub use trail::{TrailForm, TrailText};

use std::path::Path;

/// The ending of a file's name in small letters, by which its form is chosen; empty when it has none.
pub fn ending(place: &Path) -> String {
    place.extension().and_then(std::ffi::OsStr::to_str).unwrap_or_default().to_ascii_lowercase()
}
