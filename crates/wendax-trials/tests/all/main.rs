//! Tables of trials, asked from outside.

mod rows;
