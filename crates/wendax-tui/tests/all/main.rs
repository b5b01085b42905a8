//! All tests of the crate's public side, one file per behaviour: one program, so that it is linked once.

mod bench;
mod beside;
mod cautions;
mod common;
mod files;
mod guesses;
mod keeping;
mod late;
mod lessons;
mod live;
mod looks;
mod pages;
mod panes;
mod rooms;
mod runs;
mod screens;
mod stops;
mod tally;
mod trails;
mod watching;
mod whence;
mod world;
