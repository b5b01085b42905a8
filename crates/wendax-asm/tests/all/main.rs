//! All tests of the crate's public side, one file per behaviour: one program, so that it is linked once.

mod assembling;
mod checks;
mod compiled;
mod holes;
mod hostile;
mod images;
mod large;
mod linking;
mod listings;
mod naming;
mod objects;
mod offering;
mod problems;
mod rv32;
mod slips;
mod teaching;
mod unfolding;
mod variables;
