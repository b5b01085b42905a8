//! The properties of time once more with moments kept every few steps, so that what is rare in use is common.

const SPAN: u64 = 7;

#[path = "outside.rs"]
mod outside;
#[path = "stopping.rs"]
mod stopping;
#[path = "stories.rs"]
mod stories;
#[path = "time.rs"]
mod time;
#[path = "truth.rs"]
mod truth;
