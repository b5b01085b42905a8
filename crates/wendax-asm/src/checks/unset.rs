//! Registers that are read and never set, and routines that run on into others.
//!
//! A register is never set when each instruction of the whole program that writes it goes on from what it holds. It is
//! told where one of them does so round by round: a sum or a count that begins with what happens to be there.

use super::flow::{self, Flow};
use super::{View, statement};
use crate::codes;
use crate::link::UnitIndex;
use wendax_image::LineKind;
use wendax_isa::w16::{Insn, Op, TARGET, decode};
use wendax_source::Diagnostic;

/// The registers that programs compute with: fp and sp have uses of their own.
const REGISTERS: std::ops::Range<u8> = 0..12;

pub(super) fn check(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = never_set(view, flow);
    found.extend(runs_on(view, flow));
    found
}

/// The instructions of a line: a list pushes several.
fn instructions(view: &View<'_, '_>, line: usize) -> Vec<Insn> {
    let line = &view.lines()[line];
    let bytes = view.emitted.image.bytes(line.address, line.length);
    let word =
        |at: usize| u16::from_le_bytes([bytes.get(at).copied().unwrap_or(0), bytes.get(at + 1).copied().unwrap_or(0)]);
    let (mut at, mut found) = (0, Vec::new());
    while line.kind == LineKind::Code && at < bytes.len() {
        let Some(insn) = decode(word(at), word(at + 2)) else { break };
        at += usize::from(insn.bytes());
        found.push(insn);
    }
    found
}

fn never_set(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let mut set = 0u32;
    let mut first: [Option<usize>; 12] = [None; 12];
    for line in 0..view.lines().len() {
        for insn in instructions(view, line) {
            let uses = insn.uses();
            let is_clearing = matches!(insn.op(), Op::Xor | Op::Sub) && insn.a == insn.b;
            let own = if is_clearing { 0 } else { uses.reads };
            set |= uses.writes & !own;
            // What is only put by may hold anything, and what is exchanged is set on the other side.
            let counts = flow.reached[line] && !matches!(insn.op(), Op::Push | Op::Swap);
            let goes_on = own & uses.writes;
            for register in REGISTERS.filter(|register| counts && goes_on & (1 << register) != 0) {
                if first[usize::from(register)].is_none() && is_in_a_loop(view, line) {
                    first[usize::from(register)] = Some(line);
                }
            }
            if insn.op() == Op::Swap {
                set |= uses.writes;
            }
        }
    }
    let unset = REGISTERS.filter(|register| set & (1 << register) == 0);
    let told = unset.filter_map(|register| Some((register, first[usize::from(register)]?)));
    let one = |(register, line): (u8, usize)| {
        let name = TARGET.registers[usize::from(register)].name;
        let message = format!("nothing sets `{name}` before it is read: what it holds at the start is 0 by chance");
        let found = view.tell(line, codes::NEVER_SET, message);
        (view.unit(line), found.with_expected(format!("clr {name}, or mov {name}, value, before it")))
    };
    told.map(one).collect()
}

/// A jump behind a line leads back to it or to before it.
fn is_in_a_loop(view: &View<'_, '_>, line: usize) -> bool {
    const FAR: usize = 200;
    let behind = line..(line + FAR).min(view.lines().len());
    behind.into_iter().any(|jump| {
        let is_jump =
            view.instruction(jump).is_some_and(|instruction| matches!(instruction.short.op, Op::Jump(_) | Op::Djnz));
        is_jump && view.target(jump).is_some_and(|target| target <= line)
    })
}

/// A routine that is called and goes on, without a return, into another that is called.
fn runs_on(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let calls = (0..view.lines().len()).filter(|&line| {
        flow.reached[line] && view.instruction(line).is_some_and(|instruction| instruction.short.op == Op::Call)
    });
    let called: std::collections::BTreeMap<usize, usize> =
        calls.filter_map(|line| Some((view.target(line)?, line))).collect();
    let mut found = Vec::new();
    for (&entry, &call) in &called {
        let Some(above) = entry.checked_sub(1).filter(|&above| flow::next_line(view.lines(), above) == Some(entry))
        else {
            continue;
        };
        let source = view.emitted.origins[above];
        let goes_on = flow.reached[above]
            && view.lines()[above].kind == LineKind::Code
            && !flow::ends_flow(view.program, source.unit, &statement(view.program, source).what);
        // The routine it comes from, if that is one that is called.
        let Some((&other, _)) = called.range(..entry).next_back().filter(|_| goes_on) else { continue };
        let leaves = (other..entry).any(|line| {
            view.instruction(line).is_some_and(|instruction| {
                matches!(instruction.short.op, Op::Ret | Op::Reti | Op::JmpReg | Op::Jump(_) | Op::Djnz)
            })
        });
        if leaves {
            continue;
        }
        let name = |line: usize| view.emitted.image.place_name(view.lines()[line].address).unwrap_or_default();
        let message = format!("`{}` runs on into `{}`, which is called as well", name(other), name(entry));
        let told = view.tell(above, codes::RUNS_INTO, message).with_other(view.lines()[call].span, "called here");
        found.push((view.unit(above), told.with_expected("`ret` behind this line, unless it is meant")));
    }
    found
}
