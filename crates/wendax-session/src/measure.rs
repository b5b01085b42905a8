//! What a run cost, and where: measured after the fact, by running it again from its log.
//!
//! `measuring` has the machine count, in slices; `tally` gives what was counted names, lines and labels, and is what is
//! kept, written down and compared; `compare` sets several side by side; `spans` measures the passages from one place to
//! another; `flow` is a routine as blocks with its counts, `levels` how chosen things changed over time. Nothing here walks, and nothing has to be switched on beforehand.

mod compare;
mod flow;
mod levels;
mod measuring;
mod spans;
mod tables;
mod tally;

pub use compare::{Comparison, Cost, Row, growth, growth_words};
pub use flow::{Flow, FlowBlock, FlowEdge, FlowLine};
pub use levels::{Level, Levels};
pub use measuring::Measuring;
pub use spans::{Passage, SpanTold, Spans, place_in_words};
pub use tables::{Cell, Leads, NEVER, Table, TableRow};
pub use tally::{
    Callee, Dearest, EventTally, InstructionTally, KindTally, LabelTally, LineTally, RegionTally, RoutineTally,
    SpanTally, StackTally, StretchTally, TALLY_FORM, Tally, TallyError, group_sums, region_name,
};

#[expect(clippy::cast_precision_loss, reason = "for sorting, shares, ratios and bars")]
fn float(number: u64) -> f64 {
    number as f64
}
