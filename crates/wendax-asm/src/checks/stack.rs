//! Pushes and pops along the ways through a routine.
//!
//! Each way is followed from the routine's first line with the number of bytes it has pushed, by the text alone. Where
//! ways that meet have pushed differently, all numbers are carried on; where they become too many (a loop that pushes),
//! or the stack pointer is set to what is not known, nothing is said any more. So what is told is so on some way.

use super::{View, flow};
use crate::codes;
use crate::link::UnitIndex;
use crate::unit::{Instruction, What};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::{BTreeMap, BTreeSet};
use wendax_isa::w16::{FP, Op, OperandKind, SP, decode};
use wendax_source::Diagnostic;

/// So many different depths at one line are a loop that pushes, and no slip.
const MOST_DEPTHS: usize = 4;

/// Lines looked at in one routine.
const MOST_LINES: usize = 20_000;

/// Lines looked at in all routines together: what routines share is looked at for each of them. Of the rest nothing is said.
const MOST_IN_ALL: usize = 400_000;

/// What is on the stack at a line: bytes pushed since the routine's first line, and what the frame pointer keeps of that.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Depth {
    bytes: i64,
    kept: Option<i64>,
}

/// What a line makes of a depth.
enum Change {
    To(Depth),
    /// Nothing is known of the stack behind it.
    Unknown,
}

pub(super) fn check(view: &View<'_, '_>) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = Vec::new();
    let mut told = BTreeSet::new();
    let joins = joins(view);
    let mut left = MOST_IN_ALL;
    let entries: BTreeSet<usize> = view.roads.iter().filter_map(|road| road.calls()).collect();
    // A routine that takes words from its caller's stack, by intent or not, leaves its callers uncertain.
    let alone: Vec<Ways> =
        entries.iter().map(|&entry| ways(view, &joins, entry, &BTreeSet::new(), &mut left)).collect();
    let uneven: BTreeSet<usize> =
        entries.iter().zip(&alone).filter(|(_, ways)| ways.is_uneven()).map(|(entry, _)| *entry).collect();
    for (entry, alone) in entries.into_iter().zip(alone) {
        let is_sure = alone.calls.is_disjoint(&uneven);
        let ways = if is_sure { alone } else { ways(view, &joins, entry, &uneven, &mut left) };
        for (line, depths) in ways.returns {
            if is_jump_by_return(view, line) {
                continue;
            }
            let wrong: Vec<Depth> = depths.iter().copied().filter(|depth| depth.bytes != 0).collect();
            let Some(first) = wrong.first() else { continue };
            // Pushed on some ways and popped on some, as often: both under one condition, which the text alone does not
            // tell. And words let go right before the return are let go on purpose.
            let is_both_ways = wrong.iter().any(|depth| depth.bytes > 0)
                && wrong.iter().all(|depth| wrong.iter().any(|other| other.bytes == -depth.bytes));
            if is_both_ways || lets_go(view, line) {
                continue;
            }
            if told.insert(line) {
                let some_way = wrong.len() < depths.len();
                found.push((view.unit(line), returned_with(view, line, first.bytes, some_way)));
            }
        }
    }
    found
}

/// Lines that something jumps to: there ways come together, and nowhere else.
fn joins(view: &View<'_, '_>) -> Vec<bool> {
    let mut joins = vec![false; view.lines().len()];
    for to in view.roads.iter().filter_map(|road| road.jumps_to()) {
        joins[to] = true;
    }
    joins
}

fn returned_with(view: &View<'_, '_>, line: usize, bytes: i64, some_way: bool) -> Diagnostic {
    let words = (bytes.abs() + 1) / 2;
    let count = if words == 1 { "1 word".to_owned() } else { format!("{words} words") };
    let way = if some_way { "on one way this is reached" } else { "this is reached" };
    let word = view.word(line);
    let (message, right) = if bytes > 0 {
        (
            format!("{way} with {count} pushed and not popped: `{word}` takes the last of them for the way back"),
            "a `pop` for each `push` before it",
        )
    } else {
        (
            format!(
                "{way} with {count} popped that the routine did not push: `{word}` takes what lies above for the way back"
            ),
            "a `push` for each `pop` before it",
        )
    };
    view.tell(line, codes::UNEVEN_STACK, message).with_expected(right)
}

/// `add sp, 2` right before `ret`: the way back of the routine before this one is taken.
fn lets_go(view: &View<'_, '_>, line: usize) -> bool {
    let before = line.checked_sub(1).filter(|&before| flow::next_line(view.lines(), before) == Some(line));
    let instruction = before.and_then(|before| view.instruction(before));
    instruction.is_some_and(|instruction| instruction.short.op == Op::Add && instruction.a == SP)
}

/// `push r1` right before `ret`: a jump by way of the stack.
fn is_jump_by_return(view: &View<'_, '_>, line: usize) -> bool {
    let before = line.checked_sub(1).filter(|&before| flow::next_line(view.lines(), before) == Some(line));
    before.and_then(|before| view.instruction(before)).is_some_and(|instruction| instruction.short.op == Op::Push)
}

/// What the ways through a routine come to.
#[derive(Default)]
struct Ways {
    /// The depths at each return of which enough is known.
    returns: BTreeMap<usize, BTreeSet<Depth>>,
    /// The routines it calls.
    calls: BTreeSet<usize>,
    /// It reaches below its own part of the stack, or sets the stack pointer to what is not known.
    is_odd: bool,
}

impl Ways {
    fn is_uneven(&self) -> bool {
        self.is_odd || self.returns.values().flatten().any(|depth| depth.bytes != 0)
    }
}

/// Follows all ways through a routine. What calls to `uneven` routines leave is not known.
fn ways(view: &View<'_, '_>, joins: &[bool], entry: usize, uneven: &BTreeSet<usize>, left_in_all: &mut usize) -> Ways {
    let mut found = Ways::default();
    let mut seen: FxHashMap<usize, Vec<Depth>> = FxHashMap::default();
    let mut unknown: FxHashSet<usize> = FxHashSet::default();
    let mut left = vec![(entry, Some(Depth { bytes: 0, kept: None }))];
    let mut count = 0;
    while let Some((line, mut depth)) = left.pop() {
        count += 1;
        *left_in_all = left_in_all.saturating_sub(1);
        if count > MOST_LINES || *left_in_all == 0 {
            return Ways::default();
        }
        if joins[line] {
            depth = depth.filter(|_| !unknown.contains(&line));
            if let Some(known) = depth {
                let depths = seen.entry(line).or_default();
                if depths.contains(&known) {
                    continue;
                }
                depths.push(known);
                depth = depth.filter(|_| depths.len() <= MOST_DEPTHS);
            }
            if depth.is_none() && !unknown.insert(line) {
                continue;
            }
        }
        if view.instruction(line).is_some_and(|instruction| instruction.short.op == Op::Ret) {
            match depth {
                Some(depth) => _ = found.returns.entry(line).or_default().insert(depth),
                None => _ = unknown.insert(line),
            }
        }
        let road = view.road(line);
        let call = road.calls();
        found.calls.extend(call);
        let calls_uneven = call.is_some_and(|target| uneven.contains(&target));
        let after = depth.filter(|_| !calls_uneven).and_then(|depth| match change(view, line, depth) {
            Change::To(depth) => Some(depth),
            Change::Unknown => {
                found.is_odd = true;
                None
            }
        });
        left.extend(road.jumps_to().map(|to| (to, after)));
        if !road.ends {
            left.extend(flow::next_line(view.lines(), line).map(|next| (next, after)));
        }
    }
    found.returns.retain(|line, _| !unknown.contains(line));
    found
}

/// What a line does to the stack.
fn change(view: &View<'_, '_>, line: usize, depth: Depth) -> Change {
    let by = |bytes: i64| Change::To(Depth { bytes: depth.bytes + bytes, ..depth });
    match view.what(line) {
        What::Instruction(instruction) => match instruction.short.op {
            // What it took from above it puts back: the way back, with something taken away below it.
            Op::Push | Op::PushFl if depth.bytes < 0 => Change::Unknown,
            Op::Push | Op::PushFl => by(2),
            Op::PopFl => by(-2),
            Op::Pop if instruction.a == SP => Change::Unknown,
            Op::Pop if instruction.a == FP => Change::To(Depth { bytes: depth.bytes - 2, kept: None }),
            Op::Pop => by(-2),
            op if op.writes_register() && instruction.a == SP => set_pointer(view, line, instruction, depth),
            Op::Mov if instruction.a == FP => {
                let kept = (instruction.b == SP && instruction.value.is_none()).then_some(depth.bytes);
                Change::To(Depth { kept, ..depth })
            }
            op if op.writes_register() && instruction.a == FP => Change::To(Depth { kept: None, ..depth }),
            Op::Swap if instruction.b == SP => Change::Unknown,
            _ => by(0),
        },
        What::Words(words) => Change::To(words.iter().fold(depth, |depth, word| {
            let (bytes, register) = match decode(*word, 0).map(|insn| (insn.op(), insn.a)) {
                Some((Op::Push | Op::PushFl, _)) => (2, 0),
                Some((Op::Pop, register)) => (-2, register),
                _ => (-2, 0),
            };
            let kept = depth.kept.filter(|_| register != FP);
            Depth { bytes: depth.bytes + bytes, kept }
        })),
        _ => by(0),
    }
}

/// An instruction that sets the stack pointer.
fn set_pointer(view: &View<'_, '_>, line: usize, instruction: &Instruction, depth: Depth) -> Change {
    let is_constant = instruction.short.operands.get(1).is_some_and(|kind| *kind == OperandKind::Small);
    let constant = instruction.value.filter(|_| is_constant).and_then(|value| view.value(line, value));
    match (instruction.short.op, constant) {
        (Op::Add, Some(by)) => Change::To(Depth { bytes: depth.bytes - by, ..depth }),
        (Op::Sub, Some(by)) => Change::To(Depth { bytes: depth.bytes + by, ..depth }),
        (Op::Mov, None) if instruction.b == FP => match depth.kept {
            Some(bytes) => Change::To(Depth { bytes, ..depth }),
            None => Change::Unknown,
        },
        (Op::Lea, _) if instruction.b == SP || instruction.b == FP => {
            let offset = match instruction.value {
                Some(value) => {
                    view.value(line, value).map(|value| if value > 0x7FFF { value - 0x1_0000 } else { value })
                }
                None => Some(0),
            };
            let from = if instruction.b == SP { Some(depth.bytes) } else { depth.kept };
            match from.zip(offset) {
                Some((from, offset)) => Change::To(Depth { bytes: from - offset, ..depth }),
                None => Change::Unknown,
            }
        }
        _ => Change::Unknown,
    }
}
