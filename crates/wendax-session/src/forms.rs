//! What was measured and what steps did, in forms for other programs: comma-separated values, JSON lines, LCOV.
//!
//! Nothing is measured here: who measures knows none of these forms. Comma-separated values follow RFC 4180.

mod coverage;
mod tallies;
mod trail;

pub use trail::{TrailForm, TrailText};
