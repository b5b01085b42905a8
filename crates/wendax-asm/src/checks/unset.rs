//! Registers that are read and never set, and routines that run on into others.
//!
//! A register is never set when each instruction of the whole program that writes it goes on from what it holds. It is
//! told where one of them does so round by round: a sum or a count that begins with what happens to be there.

use super::View;
use super::flow::{self, Flow};
use crate::codes;
use crate::link::UnitIndex;
use crate::syntax::Syntax;
use wendax_image::LineKind;
use wendax_isa::rv32;
use wendax_isa::w16::{Op, decode};
use wendax_source::Diagnostic;

pub(super) fn check(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = never_set(view, flow);
    found.extend(runs_on(view, flow));
    found
}

/// What the instructions of a line use.
fn uses(view: &View<'_, '_>, line: usize) -> Vec<Uses> {
    let line = &view.lines()[line];
    if line.kind != LineKind::Code {
        return Vec::new();
    }
    let bytes = view.emitted.image.bytes(line.address, line.length);
    match view.program.syntax() {
        Syntax::W16 => of_w16(bytes),
        Syntax::Rv32 => of_rv32(bytes),
    }
}

/// What an instruction does with registers.
struct Uses {
    /// Read to go on from what they hold.
    own: u32,
    writes: u32,
    /// Only put by, or set on another side.
    is_apart: bool,
    exchanges: bool,
}

/// A list pushes several.
fn of_w16(bytes: &[u8]) -> Vec<Uses> {
    let word =
        |at: usize| u16::from_le_bytes([bytes.get(at).copied().unwrap_or(0), bytes.get(at + 1).copied().unwrap_or(0)]);
    let (mut at, mut found) = (0, Vec::new());
    while at < bytes.len() {
        let Some(insn) = decode(word(at), word(at + 2)) else { break };
        at += usize::from(insn.bytes());
        let uses = insn.uses();
        let is_clearing = matches!(insn.op(), Op::Xor | Op::Sub) && insn.a == insn.b;
        let exchanges = insn.op() == Op::Swap;
        let own = if is_clearing { 0 } else { uses.reads };
        found.push(Uses { own, writes: uses.writes, is_apart: insn.op() == Op::Push || exchanges, exchanges });
    }
    found
}

fn of_rv32(bytes: &[u8]) -> Vec<Uses> {
    let insns = crate::rv32::instructions(bytes);
    let uses = insns.iter().map(|insn| {
        let uses = insn.uses();
        let is_clearing = matches!(insn.op(), rv32::Op::Xor | rv32::Op::Sub) && insn.rs1 == insn.rs2
            || insn.op() == rv32::Op::Andi && insn.value == 0;
        Uses { own: if is_clearing { 0 } else { uses.reads }, writes: uses.writes, is_apart: false, exchanges: false }
    });
    uses.collect()
}

fn never_set(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let target = view.program.syntax().target();
    let mut set = view.program.syntax().set_from_start();
    let mut first = [None; 32];
    for line in 0..view.lines().len() {
        for uses in uses(view, line) {
            set |= uses.writes & !uses.own;
            // What is only put by may hold anything, and what is exchanged is set on the other side.
            let goes_on = if flow.reached[line] && !uses.is_apart { uses.own & uses.writes & !set } else { 0 };
            for (register, first) in first.iter_mut().enumerate() {
                if goes_on >> register & 1 != 0 && first.is_none() && is_in_a_loop(view, line) {
                    *first = Some(line);
                }
            }
            if uses.exchanges {
                set |= uses.writes;
            }
        }
    }
    let told = first.iter().zip(target.registers).enumerate().filter_map(|(register, (line, info))| {
        let line = (*line).filter(|_| set >> register & 1 == 0)?;
        let name = info.name;
        let message = format!("nothing sets `{name}` before it is read: what it holds at the start is 0 by chance");
        let found = view.tell(line, codes::NEVER_SET, message);
        Some((view.unit(line), found.with_expected(view.program.syntax().setting(name))))
    });
    told.collect()
}

/// A jump behind a line leads back to it or to before it.
fn is_in_a_loop(view: &View<'_, '_>, line: usize) -> bool {
    const FAR: usize = 200;
    let behind = line..(line + FAR).min(view.lines().len());
    behind.into_iter().any(|jump| {
        let is_jump = flow::jump(view.what(jump)).is_some_and(|(_, is_call)| !is_call);
        is_jump && view.target(jump).is_some_and(|target| target <= line)
    })
}

/// A routine that is called and goes on, without a return, into another that is called.
fn runs_on(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let calls = (0..view.lines().len())
        .filter(|&line| flow.reached[line] && flow::jump(view.what(line)).is_some_and(|(_, is_call)| is_call));
    let called: std::collections::BTreeMap<usize, usize> =
        calls.filter_map(|line| Some((view.target(line)?, line))).collect();
    let mut found = Vec::new();
    for (&entry, &call) in &called {
        let Some(above) = entry.checked_sub(1).filter(|&above| flow::next_line(view.lines(), above) == Some(entry))
        else {
            continue;
        };
        let source = view.emitted.origins[above];
        let goes_on =
            flow.reached[above] && view.lines()[above].kind == LineKind::Code && !flow::ends_flow(view.program, source);
        // The routine it comes from, if that is one that is called.
        let Some((&other, _)) = called.range(..entry).next_back().filter(|_| goes_on) else { continue };
        let leaves = (other..entry).any(|line| {
            flow::jump(view.what(line)).is_some_and(|(_, is_call)| !is_call)
                || flow::ends_flow(view.program, view.emitted.origins[line])
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
