//! All tests of the crate's public side, one file per behaviour: one program, so that it is linked once.

mod calls;
mod instructions;
mod model;
mod reports;
mod rv32;
mod swift;
mod traps;
mod waiting;
