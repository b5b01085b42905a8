//! All tests of the crate's public side, one file per behaviour: one program, so that it is linked once.

#![expect(clippy::duplicate_mod, reason = "the same properties of two spans between moments that are kept")]

mod ahead;
mod apart;
mod asking;
mod bounds;
mod cautions;
mod close;
mod exercising;
mod explaining;
mod flowing;
mod fuzz;
mod happening;
mod inside;
mod interrupting;
mod keeping;
mod measuring;
mod one_run;
mod outside;
mod reaching;
mod replaying;
mod right;
mod rv32;
mod several;
mod sides;
mod slices;
mod stopping;
mod stories;
mod time;
mod together;
mod truth;
mod walking;

/// Between moments of the past that are kept, as in use.
const SPAN: u64 = 500_000;
