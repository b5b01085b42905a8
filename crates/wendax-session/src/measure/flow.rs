//! The blocks of a routine and the ways between them, with how often each was gone when that was measured.

use super::tally::{Tally, name_of};
use crate::instruction_text;
use crate::numbers::grouped;
use crate::session::Session;
use std::collections::{BTreeMap, BTreeSet};
use wendax_image::Extent;
use wendax_isa::{Addr, Target};
use wendax_machine::{Machine, Way};

/// An instruction of a block.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FlowLine {
    /// Where it stands.
    pub address: Addr,
    /// Its text.
    pub text: String,
}

/// Instructions that run one after the other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FlowBlock {
    /// The label at its beginning; the address where there is none. Of what lies outside of the routine where it is.
    pub name: String,
    /// Where it begins, and the address behind it.
    pub from: Addr,
    /// See `from`.
    pub to: Addr,
    /// Its instructions; none of what lies outside of the routine.
    pub lines: Vec<FlowLine>,
    /// How often it was begun, when that was measured.
    pub times: Option<u64>,
}

/// A way from a block to another one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FlowEdge {
    /// The block it begins at.
    pub from: usize,
    /// The block it leads to.
    pub to: usize,
    /// When it is gone; empty when always.
    pub condition: String,
    /// How often it was gone, when that was measured.
    pub times: Option<u64>,
    /// It is a jump; else it leads to the following instruction.
    pub is_jump: bool,
}

impl FlowEdge {
    /// Its condition and how often it was gone, with a sign behind the number; empty when neither is known.
    pub fn words(&self, sign: &str) -> String {
        let times = self.times.map(|times| grouped(times) + sign);
        let condition = Some(self.condition.clone()).filter(|condition| !condition.is_empty());
        condition.into_iter().chain(times).collect::<Vec<_>>().join("  ")
    }
}

/// A routine as blocks and ways; the first block is where it begins.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Flow {
    /// The machine it is of.
    pub target: &'static Target,
    /// The routine.
    pub name: String,
    /// Its blocks, and behind them what lies outside and is jumped to.
    pub blocks: Vec<FlowBlock>,
    /// The ways between them.
    pub edges: Vec<FlowEdge>,
}

/// Instructions that are drawn, at most.
const MOST: usize = 20_000;

impl Flow {
    /// How often a line was gone that these edges share, when that was measured.
    pub fn along(&self, edges: &[usize]) -> Option<u64> {
        edges.iter().filter_map(|&edge| self.edges.get(edge)).map(|edge| edge.times).sum()
    }

    /// How often the way was gone that was gone most, when that was measured.
    pub fn most(&self) -> u64 {
        self.edges.iter().filter_map(|edge| edge.times).max().unwrap_or(0)
    }

    /// The way that is gone now from the instruction at an address, when it is the last one of its block: a jump is taken
    /// or not.
    pub fn way_now(&self, present: Addr, is_taken: Option<bool>) -> Option<usize> {
        let ends = |block: &FlowBlock| block.lines.last().is_some_and(|line| line.address == present);
        let from = self.blocks.iter().position(ends)?;
        let ways = || self.edges.iter().enumerate().filter(move |(_, edge)| edge.from == from);
        let is_one = ways().count() == 1;
        ways().find(|(_, edge)| is_one || is_taken == Some(edge.is_jump)).map(|(index, _)| index)
    }

    /// Of the routine that holds an address, as its code is now; counts come from a tally of the run.
    pub fn of(session: &Session, address: Addr, tally: Option<&Tally>) -> Option<Self> {
        let image = session.image();
        let machine = session.machine();
        let extent = image.routine_around(address).or_else(|| {
            let region = image.segment_at(address)?;
            Some(Extent { entry: region.start, parts: vec![(region.start, region.end())] })
        })?;
        let start = extent.entry;
        let insns = instructions(machine, &extent);
        let leaders = leaders(&insns, &extent);
        let whole = |at: Addr| name_of(image, machine.target(), at);
        let routine = whole(start);
        // Private labels of the routine go by their own names.
        let name = |at: Addr| {
            let name = whole(at);
            name.strip_prefix(&routine).filter(|rest| rest.starts_with('@')).map_or(name.clone(), str::to_owned)
        };
        let counts = tally.map(Counts::of);
        let mut blocks: Vec<FlowBlock> = Vec::new();
        let mut ends: Vec<(Addr, u32, Way)> = Vec::new();
        for (at, length, way) in &insns {
            let is_apart = blocks.last().is_none_or(|block| block.to != *at);
            if leaders.contains(at) || is_apart {
                let times = counts.as_ref().map(|counts| counts.times(*at));
                blocks.push(FlowBlock { name: name(*at), from: *at, to: *at, lines: Vec::new(), times });
                ends.push((*at, *length, way.clone()));
            }
            if let (Some(block), Some(last)) = (blocks.last_mut(), ends.last_mut()) {
                let text = instruction_text(session, *at).unwrap_or_default();
                block.lines.push(FlowLine { address: *at, text });
                block.to = *at + *length;
                *last = (*at, *length, way.clone());
            }
        }
        let mut places: BTreeMap<Addr, usize> =
            blocks.iter().enumerate().map(|(index, block)| (block.from, index)).collect();
        let mut edges = Vec::new();
        for (index, (at, length, way)) in ends.into_iter().enumerate() {
            let mut add = |to: Addr, condition: String, times: Option<u64>, is_jump: bool| {
                let place = *places.entry(to).or_insert_with(|| {
                    blocks.push(FlowBlock { name: name(to), from: to, to, lines: Vec::new(), times: None });
                    blocks.len() - 1
                });
                edges.push(FlowEdge { from: index, to: place, condition, times, is_jump });
            };
            let next = at + length;
            let times = counts.as_ref().map(|counts| counts.times(at));
            let taken = counts.as_ref().map(|counts| counts.taken(at));
            match way {
                Way::On | Way::Call(_) if extent.contains(next) => add(next, String::new(), times, false),
                Way::To(to) => add(to, String::new(), times, true),
                Way::Either(to, holds, holds_not) => {
                    add(to, holds, taken, true);
                    let not = times.zip(taken).map(|(times, taken)| times - taken);
                    add(next, holds_not, not, false);
                }
                Way::On | Way::Call(_) | Way::ByRegister(_) | Way::Back | Way::End => {}
            }
        }
        Some(Self { target: session.machine().target(), name: routine, blocks, edges })
    }

    /// The block that holds an address.
    pub fn block_at(&self, address: Addr) -> Option<usize> {
        self.blocks.iter().position(|block| (block.from..block.to).contains(&address))
    }
}

/// How often instructions ran, by address.
struct Counts(BTreeMap<Addr, (u64, u64)>);

impl Counts {
    fn of(tally: &Tally) -> Self {
        let mut counts: BTreeMap<Addr, (u64, u64)> = BTreeMap::new();
        for place in &tally.places {
            let count = counts.entry(place.address).or_default();
            *count = (count.0 + place.times, count.1 + place.taken.unwrap_or(0));
        }
        Self(counts)
    }

    fn times(&self, address: Addr) -> u64 {
        self.0.get(&address).map_or(0, |count| count.0)
    }

    fn taken(&self, address: Addr) -> u64 {
        self.0.get(&address).map_or(0, |count| count.1)
    }
}

/// The instructions of a routine, those first that come from where it begins on; what is none ends a part.
fn instructions(machine: &Machine, extent: &Extent) -> Vec<(Addr, u32, Way)> {
    let mut all = Vec::new();
    for &(mut at, end) in &extent.parts {
        while at < end && all.len() < MOST {
            let Some((length, way)) = machine.way_at(at) else { break };
            all.push((at, length, way));
            at += length;
        }
    }
    all.sort_by_key(|(at, ..)| (*at < extent.entry, *at));
    all
}

/// Where blocks begin: what is jumped to, and what follows an instruction that may lead elsewhere.
fn leaders(insns: &[(Addr, u32, Way)], extent: &Extent) -> BTreeSet<Addr> {
    let known: BTreeSet<Addr> = insns.iter().map(|(at, ..)| *at).collect();
    let mut leaders = BTreeSet::from([extent.entry]);
    for (at, length, way) in insns {
        let next = *at + *length;
        match way {
            Way::On | Way::Call(_) => {}
            Way::To(to) | Way::Either(to, ..) => {
                leaders.extend([next]);
                leaders.extend(extent.contains(*to).then_some(*to));
            }
            Way::ByRegister(_) | Way::Back | Way::End => {
                leaders.insert(next);
            }
        }
    }
    leaders.retain(|at| known.contains(at));
    leaders
}
