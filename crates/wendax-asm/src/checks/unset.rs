//! Registers that are read and never set, and routines that run on into others.
//!
//! A register is never set when each instruction of the whole program that writes it goes on from what it holds. It is
//! told where one of them does so round by round: a sum or a count that begins with what happens to be there.

use super::View;
use super::flow::{self, Flow};
use crate::codes;
use crate::link::UnitIndex;
use crate::syntax::Syntax;
use std::collections::BTreeMap;
use wendax_image::LineKind;
use wendax_isa::rv32;
use wendax_isa::w16::{self, Op, decode};
use wendax_source::Diagnostic;

pub(super) fn check(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let mut found = never_set(view, flow);
    found.extend(runs_on(view, flow));
    found
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

/// Looks at what the instructions of a line use, one after the other: a list pushes several.
fn each_use(view: &View<'_, '_>, line: usize, mut see: impl FnMut(Uses)) {
    let line = &view.lines()[line];
    if line.kind != LineKind::Code {
        return;
    }
    let mut bytes = view.emitted.image.bytes(line.address, line.length);
    match view.program.syntax() {
        Syntax::W16 => {
            let word = |bytes: &[u8]| bytes.first_chunk().map_or(0, |word| u16::from_le_bytes(*word));
            while let Some(insn) = decode(word(bytes), word(bytes.get(2..).unwrap_or_default())) {
                see(of_w16(insn));
                match bytes.get(usize::from(insn.bytes())..) {
                    Some(rest) if !rest.is_empty() => bytes = rest,
                    _ => break,
                }
            }
        }
        Syntax::Rv32 => crate::rv32::instructions(bytes).map(of_rv32).for_each(see),
    }
}

fn of_w16(insn: w16::Insn) -> Uses {
    let uses = insn.uses();
    let is_clearing = matches!(insn.op(), Op::Xor | Op::Sub) && insn.a == insn.b;
    let exchanges = insn.op() == Op::Swap;
    let own = if is_clearing { 0 } else { uses.reads };
    Uses { own, writes: uses.writes, is_apart: insn.op() == Op::Push || exchanges, exchanges }
}

fn of_rv32(insn: rv32::Insn) -> Uses {
    let uses = insn.uses();
    let is_clearing = matches!(insn.op(), rv32::Op::Xor | rv32::Op::Sub) && insn.rs1 == insn.rs2
        || insn.op() == rv32::Op::Andi && insn.value == 0;
    Uses { own: if is_clearing { 0 } else { uses.reads }, writes: uses.writes, is_apart: false, exchanges: false }
}

fn never_set(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let target = view.program.syntax().target();
    let mut set = view.program.syntax().set_from_start();
    let mut first = [None; u32::BITS as usize];
    for line in 0..view.lines().len() {
        each_use(view, line, |uses| {
            set |= uses.writes & !uses.own;
            // What is only put by may hold anything, and what is exchanged is set on the other side.
            let mut goes_on = if flow.reached[line] && !uses.is_apart { uses.own & uses.writes & !set } else { 0 };
            while goes_on != 0 {
                let first = &mut first[goes_on.trailing_zeros() as usize];
                if first.is_none() && is_in_a_loop(view, line) {
                    *first = Some(line);
                }
                goes_on &= goes_on - 1;
            }
            if uses.exchanges {
                set |= uses.writes;
            }
        });
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
    behind.into_iter().any(|jump| view.road(jump).jumps_to().is_some_and(|target| target <= line))
}

/// A routine that is called and goes on, without a return, into another that is called.
fn runs_on(view: &View<'_, '_>, flow: &Flow) -> Vec<(UnitIndex, Diagnostic)> {
    let reached = (0..view.lines().len()).filter(|&line| flow.reached[line]);
    let called: BTreeMap<usize, usize> = reached.filter_map(|line| Some((view.road(line).calls()?, line))).collect();
    let mut found = Vec::new();
    for (&entry, &call) in &called {
        let Some(above) = entry.checked_sub(1).filter(|&above| flow::next_line(view.lines(), above) == Some(entry))
        else {
            continue;
        };
        let goes_on = flow.reached[above] && view.lines()[above].kind == LineKind::Code && !view.road(above).ends;
        // The routine it comes from, if that is one that is called.
        let Some((&other, _)) = called.range(..entry).next_back().filter(|_| goes_on) else { continue };
        if (other..entry).any(|line| view.road(line).leaves()) {
            continue;
        }
        let name = |line: usize| view.emitted.image.place_name(view.lines()[line].address).unwrap_or_default();
        let message = format!("`{}` runs on into `{}`, which is called as well", name(other), name(entry));
        let told = view.tell(above, codes::RUNS_INTO, message).with_other(view.lines()[call].span, "called here");
        found.push((view.unit(above), told.with_expected("`ret` behind this line, unless it is meant")));
    }
    found
}
