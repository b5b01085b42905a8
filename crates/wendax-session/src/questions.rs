//! Questions about the run, answered by computing parts of it again on copies of the machine. Nothing here walks, and no
//! answer changes what is asked about.
//!
//! `writers` answers at once, for the account of the present instruction, and looks no further than takes some
//! hundredths of a second. `scan` runs intervals between checkpoints again, several at a time, looking for what a stop
//! would be met by; `story` and `trail` are made of it: who wrote a thing last, who reads it next, how it changes; which
//! steps a filter lets through. `printing` finds the steps that printed and took texts;
//! `interruptions` tells how interrupts fared.

mod interruptions;
mod printing;
mod scan;
mod story;
mod trail;
mod writers;

pub use interruptions::{Delay, Interruptions, Off, Passages, Spread, Told};
pub use story::{Answer, Change, Changes, Chart, Story, Toucher, charted};
pub use trail::Filtered;
pub use writers::{LastWriter, last_write};
