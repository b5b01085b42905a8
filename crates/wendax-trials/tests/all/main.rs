//! Tables of trials, asked from outside.

mod alike;
mod common;
mod door;
mod edits;
mod forms;
mod fuzz;
mod rows;
mod same;
