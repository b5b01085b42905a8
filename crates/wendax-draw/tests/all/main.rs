//! All tests of the crate's public side: one program, so that it is linked once.

mod anything;
mod common;
mod drawings;
mod layered;
mod sums;
mod third;
