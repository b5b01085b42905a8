//! All tests of the crate's public side.

mod records;
mod talks;
