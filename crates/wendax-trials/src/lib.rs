//! Trials: a program, or one of its routines, run again and again with something else, and compared with what is expected
//! or with a reference.
//!
//! `read` makes a [`Table`] of a file; `values` are those a row goes through; `subject` is a program that is ready to be
//! run as a row wants it, `run` carries that through, `judge` and `like` say what is otherwise, `since` where that began,
//! `strike` has something come at every step of a stretch, `rules` look at the text. [`Trials`] does all of it for all rows,
//! on as many threads as are wanted. `forms` writes what came of it, `class` for many programs, `alike` which of them are;
//! `edit` changes rows in the text of a table, `record` makes one of a run.
//!
//! Nothing here opens files, looks at the time or knows of screens: programs, the host's milliseconds and the wish to end
//! are handed in.

mod alike;
mod class;
pub mod edit;
mod forms;
#[cfg(feature = "fuzzing")]
pub mod fuzzing;
mod judge;
mod like;
mod read;
mod record;
mod rules;
mod run;
mod since;
mod strike;
mod subject;
mod table;
mod trials;
mod values;

pub use alike::{Alike, Shape, alike};
pub use class::{Class, HandIn, Mark};
pub use forms::ReportForm;
pub use judge::{Difference, Kind};
pub use read::{Problem, row_keys};
pub use record::record;
pub use run::Yard;
pub use subject::Subject;
pub use table::{
    Beside, BesideIt, Cells, Chosen, Content, Ends, Expected, Given, Limits, Most, Prints, Reference, Row, Rule,
    Strike, Table, Text,
};
pub use trials::{Failing, How, Named, Outcome, Programs, Report, Span, Trials, Walk};
pub use values::{Edges, MOST, Set};
