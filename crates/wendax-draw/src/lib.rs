//! Charts and drawings of programs and runs, as SVG and PDF.
//!
//! What is drawn comes from a session and from what was measured; this crate knows nothing of terminals and files. `scene`
//! is a picture as data, which `svg` and `pdf` write; `request` is the list of all that can be drawn; `layered` lays graphs out; each other module draws one thing and
//! answers with a [`Scene`]. The same input gives the same bytes.

mod arithmetic;
mod calls;
mod chart;
mod class;
mod data;
mod document;
mod flow;
mod inside;
mod instruction;
mod layered;
mod look;
mod memory;
mod pdf;
mod plan;
mod request;
mod run;
mod scene;
mod screen;
mod stack;
mod svg;
mod tally;

pub use arithmetic::arithmetic;
pub use calls::{calls, tree};
pub use class::class;
pub use data::{Picture, data};
pub use document::{Part, pages};
pub use flow::flow;
pub use inside::inside;
pub use instruction::instruction;
pub use layered::{Block, Edge, End, Laid, Line, Pitch, Route, Trunk, lay_out};
pub use look::Look;
pub use memory::memory;
pub use pdf::{PdfError, to_pdf};
pub use request::{Drawing, Form, Given, scene};
pub use run::{run, to_vcd, too_much_changes};
pub use scene::{Anchor, Area, Ink, Item, Point, Scene, Stroke, Written, text_width};
pub use screen::{Grid, Run, screen};
pub use stack::stack;
pub use svg::to_svg;
pub use tally::tallies;
