//! All tests of the crate's public side, one file per behaviour: one program, so that it is linked once.

mod asking;
mod bounds;
mod explaining;
mod flowing;
mod fuzz;
mod happening;
mod interrupting;
mod measuring;
mod one_run;
mod outside;
mod reaching;
mod replaying;
mod right;
mod slices;
mod stopping;
mod stories;
mod time;
mod truth;
mod walking;
