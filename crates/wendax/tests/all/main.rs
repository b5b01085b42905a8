//! All tests of the crate's public side, one file per behaviour: one program, so that it is linked once.

mod agreeing;
mod asking;
mod bench;
mod cautions;
mod command_line;
mod common;
mod compare;
mod compiled;
mod documents;
mod exercises;
mod faithful;
mod hostile;
mod measuring;
mod outside;
mod projects;
mod readers;
mod second_opinion;
mod structure;
mod trials;
mod whence;
