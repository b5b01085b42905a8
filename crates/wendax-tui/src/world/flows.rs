//! The present routine as blocks and ways, laid out in cells, for as long as it stays the same.

use super::World;
use std::sync::Arc;
use wendax_draw::{Block, Edge, Laid, Pitch, lay_out};
use wendax_machine::Addr;
use wendax_session::{Flow, FlowEdge, grouped};

/// Distances in cells.
const PITCH: Pitch = Pitch { lane: 2, track: 1, label: 1 };

/// A routine that is shown.
#[derive(Debug, Clone)]
pub(crate) struct Shown {
    pub(crate) flow: Flow,
    pub(crate) laid: Laid,
}

#[derive(Debug, Clone, Default)]
pub(crate) struct Flows {
    pub(crate) shown: Option<Arc<Shown>>,
    /// It was made for this: the session, its branch and end, the routine, whether counts were known.
    made_for: Option<(u64, u64, Addr, Option<u64>)>,
}

/// What stands at a way: its condition and how often it was gone.
pub(crate) fn label(edge: &FlowEdge) -> String {
    edge.words("\u{d7}")
}

/// What stands at the head of a block.
pub(crate) fn head(block: &wendax_session::FlowBlock) -> String {
    match block.times {
        Some(0) => format!("{}  never", block.name),
        Some(times) => format!("{}  {}\u{d7}", block.name, grouped(times)),
        None => block.name.clone(),
    }
}

impl World {
    /// Has the routine at hand that the present instruction is in.
    pub(crate) fn make_flow(&mut self) {
        let Some(session) = self.walk.session.as_ref().filter(|session| !session.is_running()) else { return };
        let present = session.present_address();
        let start = session.image().routine_at(present).unwrap_or(present);
        let tally = self.tallies.present.as_ref().filter(|_| self.tallies.is_current(session));
        let wanted = Some((self.walk.sessions, session.branches(), start, tally.map(|tally| tally.to.0)));
        if self.flows.made_for == wanted {
            return;
        }
        self.flows.made_for = wanted;
        self.flows.shown = Flow::of(session, present, tally.map(Arc::as_ref)).map(|flow| {
            let laid = laid(&flow);
            Arc::new(Shown { flow, laid })
        });
    }
}

fn laid(flow: &Flow) -> Laid {
    let wide = |text: &str| i32::from(crate::cells::width(text));
    let before = wide(&flow.target.hex_address(Addr(0)));
    let blocks: Vec<Block> = flow
        .blocks
        .iter()
        .map(|block| {
            let lines = block.lines.iter().map(|line| wide(&line.text) + 3 + before);
            let width = lines.chain([wide(&head(block)) + 2]).max().unwrap_or(0) + 1;
            // A row above each for the heads of arrows, one for its name.
            let rows = i32::try_from(block.lines.len()).unwrap_or(i32::MAX / 8);
            Block { width, height: rows + 2 }
        })
        .collect();
    let edges: Vec<Edge> =
        flow.edges.iter().map(|edge| Edge { from: edge.from, to: edge.to, label: wide(&label(edge)) }).collect();
    lay_out(&blocks, &edges, PITCH)
}
