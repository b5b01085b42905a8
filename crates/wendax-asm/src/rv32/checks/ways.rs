//! Follows all ways through each routine and remembers what registers and the stack hold of what was there at its entry.

use super::Step;
use crate::checks::{EXITS, View};
use crate::codes;
use crate::link::UnitIndex;
use crate::unit::What;
use std::collections::{BTreeMap, BTreeSet};
use wendax_isa::rv32::{A0, A7, CALLS, Format, GP, Op, RA, SP, TARGET, TP, ZERO};
use wendax_isa::{Addr, Leads, Reg};
use wendax_source::Diagnostic;

/// Steps followed in one routine; one that has more is passed over.
const MOST_STEPS: usize = 20_000;
/// Steps followed in all routines together: what routines share is followed for each of them.
const MOST_IN_ALL: usize = 400_000;
/// Different states of one instruction that are told apart; with more of them nothing is said of the routine.
const MOST_STATES: usize = 16;
/// The stack pointer is a multiple of it at a call.
const ALIGNED: i32 = 16;
/// Which interrupts may come.
const MIE: u32 = 0x304;
/// A word for handlers to put something by.
const MSCRATCH: u32 = 0x340;

/// What a register holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Held {
    /// What this register held at the entry.
    Entry(u8),
    /// The stack pointer at the entry, and so many bytes more.
    Frame(i32),
    /// A number.
    Number(u32),
    /// Something else: what was in it is not there any more.
    Lost,
    /// For the way back: a call took it.
    Called,
    /// Nothing is known.
    Unknown,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct State {
    registers: [Held; 32],
    /// Words of the stack that hold what a register held at the entry, by their distance from the stack pointer there.
    slots: BTreeMap<i32, u8>,
}

impl State {
    fn at_entry() -> Self {
        let mut registers: [Held; 32] = std::array::from_fn(|at| Held::Entry(u8::try_from(at).unwrap_or(0)));
        registers[usize::from(ZERO)] = Held::Number(0);
        registers[usize::from(SP)] = Held::Frame(0);
        Self { registers, slots: BTreeMap::new() }
    }

    fn get(&self, register: u8) -> Held {
        self.registers[usize::from(register & 31)]
    }

    fn set(&mut self, register: u8, held: Held) {
        if register != ZERO {
            self.registers[usize::from(register & 31)] = held;
        }
    }

    /// How far the stack pointer is from where it was.
    fn depth(&self) -> Option<i32> {
        match self.get(SP) {
            Held::Frame(depth) => Some(depth),
            _ => None,
        }
    }
}

/// How a routine is entered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Entered {
    /// The program begins there.
    Start,
    Called,
    /// Its address is used: it may be a handler, which is seen by how it ends.
    Elsewhere,
}

struct Ways<'w, 'v, 'a> {
    view: &'w View<'v, 'a>,
    steps: &'w [Step],
    /// Steps that something jumps to: there ways come together, and nowhere else.
    joins: Vec<bool>,
    /// Interrupts are enabled somewhere, and no handler puts registers by in a word of its own, past what is seen here.
    judges_handlers: bool,
    found: Vec<(UnitIndex, Diagnostic)>,
    /// Lines with the kinds told of them.
    told: BTreeSet<(usize, u16)>,
    /// The registers that a routine and what it calls may write, by their bits.
    writes: BTreeMap<u32, u32>,
    /// Steps that may still be followed, of routines and of what they write.
    left: usize,
    left_of_writes: usize,
}

pub(super) fn check(view: &View<'_, '_>, steps: &[Step]) -> Vec<(UnitIndex, Diagnostic)> {
    let called: BTreeSet<u32> = (0..steps.len()).filter_map(|index| called(steps, index)).collect();
    let entry = view.emitted.image.entry.0;
    // Tables of places within routines are data, and their labels no routines.
    let taken = |line: usize| match view.what(line) {
        What::Rv32(instruction) => view.value(line, instruction.address()?).and_then(|value| u32::try_from(value).ok()),
        _ => None,
    };
    let others: BTreeSet<u32> = (0..view.lines().len()).filter_map(taken).collect();
    let names = |control| steps.iter().any(|step| names_control(step, control));
    let mut ways = Ways {
        view,
        steps,
        joins: joins(steps),
        judges_handlers: names(MIE) && !names(MSCRATCH),
        found: Vec::new(),
        told: BTreeSet::new(),
        writes: BTreeMap::new(),
        left: MOST_IN_ALL,
        left_of_writes: MOST_IN_ALL,
    };
    for &routine in &called {
        let writes = ways.written_by(routine);
        ways.writes.insert(routine, writes);
    }
    for &routine in &called {
        ways.follow(routine, Entered::Called);
    }
    for &routine in others.iter().filter(|routine| !called.contains(routine) && **routine != entry) {
        ways.follow(routine, Entered::Elsewhere);
    }
    if !called.contains(&entry) && !crate::checks::is_library(view.program, view.emitted) {
        ways.follow(entry, Entered::Start);
    }
    ways.found
}

/// Which steps something jumps to.
fn joins(steps: &[Step]) -> Vec<bool> {
    let mut joins = vec![false; steps.len()];
    for step in steps {
        if let Leads::Either(target) | Leads::To(target) = step.insn.leads(Addr(step.at))
            && let Some(index) = index_of(steps, target.0)
        {
            joins[index] = true;
        }
    }
    joins
}

fn index_of(steps: &[Step], at: u32) -> Option<usize> {
    steps.binary_search_by_key(&at, |step| step.at).ok()
}

/// Where a call goes, also one that the instruction before it begins.
fn called(steps: &[Step], index: usize) -> Option<u32> {
    let second = steps.get(index)?;
    if let Leads::Call(Some(target)) = second.insn.leads(Addr(second.at)) {
        return Some(target.0);
    }
    let first = steps.get(index.checked_sub(1)?)?;
    let is_call = first.insn.op() == Op::Auipc
        && second.insn.op() == Op::Jalr
        && second.insn.rd != ZERO
        && second.insn.rs1 == first.insn.rd
        && second.at == first.at + 4;
    is_call.then(|| first.at.wrapping_add(first.insn.value).wrapping_add(second.insn.value))
}

impl Ways<'_, '_, '_> {
    fn index(&self, at: u32) -> Option<usize> {
        index_of(self.steps, at)
    }

    /// The step right behind one, at its address.
    fn behind(&self, index: usize) -> Option<usize> {
        let next = self.steps.get(index + 1)?;
        (next.at == self.steps[index].at + 4).then_some(index + 1)
    }

    /// The registers that a routine and what it calls may write; all where that is not known.
    fn written_by(&mut self, entry: u32) -> u32 {
        let mut seen = BTreeSet::new();
        let mut left = vec![entry];
        let mut writes = 0;
        while let Some(at) = left.pop() {
            if !seen.insert(at) {
                continue;
            }
            self.left_of_writes = self.left_of_writes.saturating_sub(1);
            let may_go_on = self.left_of_writes > 0 && seen.len() < MOST_STEPS;
            let Some(index) = self.index(at).filter(|_| may_go_on) else { return u32::MAX };
            let insn = self.steps[index].insn;
            writes |= insn.uses().writes;
            let leads = insn.leads(Addr(at));
            match leads {
                Leads::Either(target) | Leads::To(target) => left.push(target.0),
                Leads::Call(_) => match called(self.steps, index) {
                    Some(target) => left.push(target),
                    None => return u32::MAX,
                },
                // A jump by a register other than the way back may lead anywhere.
                Leads::Away if insn.op() == Op::Jalr && insn.rs1 != RA => return u32::MAX,
                Leads::Away | Leads::On => {}
            }
            if leads.goes_on() {
                let is_last_call = insn.op() == Op::Ecall && self.index(at + 4).is_none();
                left.extend((!is_last_call).then_some(at + 4));
            }
        }
        writes
    }

    fn follow(&mut self, entry: u32, entered: Entered) {
        let Some(entry) = self.index(entry) else { return };
        let mut seen: BTreeMap<usize, Vec<State>> = BTreeMap::new();
        let mut left = vec![(entry, State::at_entry())];
        let mut ends: Vec<(usize, State)> = Vec::new();
        let mut calls: Vec<(usize, i32)> = Vec::new();
        // Where each register was first changed.
        let mut changed: [Option<usize>; 32] = [None; 32];
        let mut count = 0;
        while let Some((index, mut state)) = left.pop() {
            count += 1;
            self.left = self.left.saturating_sub(1);
            if self.left == 0 || count > MOST_STEPS {
                return;
            }
            if self.joins[index] {
                let known = seen.entry(index).or_default();
                if known.len() > MOST_STATES {
                    return;
                }
                if known.contains(&state) {
                    continue;
                }
                known.push(state.clone());
            }
            let step = self.steps[index];
            let leads = step.insn.leads(Addr(step.at));
            match leads {
                Leads::Away => {
                    ends.push((index, state));
                    continue;
                }
                Leads::Call(_) => {
                    if let Some(depth) = state.depth().filter(|depth| depth % ALIGNED != 0) {
                        calls.push((index, depth));
                    }
                }
                _ => {}
            }
            let was = state.registers;
            self.apply(index, &mut state);
            let is_call = matches!(leads, Leads::Call(_)) || step.insn.op() == Op::Ecall;
            let writes = if is_call { u32::MAX } else { step.insn.uses().writes };
            for (register, first) in changed.iter_mut().enumerate().filter(|(at, _)| writes >> at & 1 != 0) {
                let is_change = was[register] != state.registers[register] && matches!(was[register], Held::Entry(_));
                if is_change && first.is_none() {
                    *first = Some(index);
                }
            }
            if matches!(leads, Leads::Either(_) | Leads::To(_) | Leads::Call(_)) {
                // Numbers are of use within a run of lines; told apart longer they would only make more states.
                let numbers = state.registers.iter_mut().skip(1).filter(|held| matches!(held, Held::Number(_)));
                numbers.for_each(|held| *held = Held::Lost);
            }
            if let Leads::Either(target) | Leads::To(target) = leads {
                left.extend(self.index(target.0).map(|target| (target, state.clone())));
            }
            if leads.goes_on() && !self.ends_program(index, &state) {
                left.extend(self.behind(index).map(|next| (next, state)));
            }
        }
        for (index, depth) in calls {
            self.unaligned(index, depth);
        }
        for (index, state) in ends {
            self.end(index, &state, entered, &changed);
        }
    }

    /// A system call that ends the program.
    fn ends_program(&self, index: usize, state: &State) -> bool {
        let Held::Number(number) = state.get(A7) else { return false };
        self.steps[index].insn.op() == Op::Ecall
            && CALLS.iter().any(|call| call.number == number && EXITS.contains(&call.name))
    }

    /// What an instruction makes of a state.
    fn apply(&self, index: usize, state: &mut State) {
        let step = self.steps[index];
        let insn = step.insn;
        let constant = insn.value.cast_signed();
        match (insn.op(), state.get(insn.rs1)) {
            (Op::Addi, Held::Frame(depth)) => state.set(insn.rd, Held::Frame(depth.wrapping_add(constant))),
            (Op::Addi, Held::Entry(register)) if constant == 0 => state.set(insn.rd, Held::Entry(register)),
            // A sum that goes round and round would be told apart each time.
            (Op::Addi, Held::Number(number)) if insn.rs1 == ZERO || number != 0 && number.is_multiple_of(0x1000) => {
                state.set(insn.rd, Held::Number(number.wrapping_add(insn.value)));
            }
            (Op::Lui, _) => state.set(insn.rd, Held::Number(insn.value)),
            (Op::Add | Op::Sub, left) => {
                let by = |number: u32| if insn.op() == Op::Add { number } else { number.wrapping_neg() }.cast_signed();
                let sum = match (left, state.get(insn.rs2)) {
                    (Held::Frame(depth), Held::Number(number)) => Some(Held::Frame(depth.wrapping_add(by(number)))),
                    (Held::Number(number), Held::Frame(depth)) if insn.op() == Op::Add => {
                        Some(Held::Frame(depth.wrapping_add(number.cast_signed())))
                    }
                    (Held::Entry(register), Held::Number(0)) => Some(Held::Entry(register)),
                    _ => None,
                };
                let lost = if insn.rd == SP { Held::Unknown } else { Held::Lost };
                state.set(insn.rd, sum.unwrap_or(lost));
            }
            (Op::Sw, Held::Frame(depth)) => {
                let slot = depth.wrapping_add(constant);
                match state.get(insn.rs2) {
                    Held::Entry(register) => state.slots.insert(slot, register),
                    _ => state.slots.remove(&slot),
                };
            }
            (Op::Lw, Held::Frame(depth)) => {
                let held = match state.slots.get(&depth.wrapping_add(constant)) {
                    Some(register) => Held::Entry(*register),
                    None => elsewhere(insn.rd),
                };
                state.set(insn.rd, held);
            }
            _ if insn.row().format == Format::Load => state.set(insn.rd, elsewhere(insn.rd)),
            _ => match insn.leads(Addr(step.at)) {
                Leads::Call(_) => {
                    let writes = called(self.steps, index).and_then(|target| self.writes.get(&target).copied());
                    for (number, info) in (0u8..).zip(TARGET.registers) {
                        let is_free = !info.kept && number > TP;
                        if is_free && writes.unwrap_or(u32::MAX) >> number & 1 != 0 {
                            state.set(number, Held::Lost);
                        }
                    }
                    state.set(insn.rd, Held::Called);
                    // What lies below the stack pointer may be used by what is called.
                    if let Some(depth) = state.depth() {
                        state.slots.retain(|slot, _| *slot >= depth);
                    }
                }
                _ if insn.op() == Op::Ecall => {
                    state.set(A0, Held::Lost);
                    state.set(A0 + 1, Held::Lost);
                }
                _ => {
                    let writes = insn.uses().writes;
                    for register in (1..32u8).filter(|register| writes >> register & 1 != 0) {
                        state.set(register, if register == SP || register == RA { Held::Unknown } else { Held::Lost });
                    }
                }
            },
        }
    }

    /// Tells something of a line once.
    fn tell(&mut self, index: usize, info: codes::CodeInfo, told: impl FnOnce(&Self, usize) -> Diagnostic) {
        let line = self.steps[index].line;
        if self.told.insert((line, info.code.0)) {
            let diagnostic = told(self, line);
            self.found.push((self.view.unit(line), diagnostic));
        }
    }

    fn unaligned(&mut self, index: usize, depth: i32) {
        self.tell(index, codes::UNALIGNED, |ways, line| {
            let word = ways.view.word(line);
            let message = format!(
                "`{word}` is reached with the stack pointer {} bytes from where it was: at a call that is a multiple of 16",
                depth.unsigned_abs()
            );
            let room = depth.unsigned_abs().next_multiple_of(ALIGNED.unsigned_abs());
            ways.view.tell(line, codes::UNALIGNED, message).with_expected(format!("addi sp, sp, -{room} for the room"))
        });
    }

    /// The end of a way: a return, or a jump by a register.
    fn end(&mut self, index: usize, state: &State, entered: Entered, changed: &[Option<usize>; 32]) {
        let insn = self.steps[index].insn;
        let is_handler = insn.op() == Op::Mret;
        let way = state.get(insn.rs1);
        if is_handler != (entered == Entered::Elsewhere) {
            return;
        }
        if !is_handler {
            if insn.rs1 == RA && way == Held::Called {
                self.lost_way(index, changed);
                return;
            }
            let is_return = way == Held::Entry(RA) || way == Held::Unknown && insn.rs1 == RA;
            if !is_return || insn.value != 0 {
                return;
            }
            if entered == Entered::Start {
                self.uncalled(index);
                return;
            }
        }
        let Some(depth) = state.depth() else { return };
        if depth != 0 {
            self.uneven(index, depth);
        }
        if is_handler && !self.judges_handlers {
            return;
        }
        let lost: Vec<u8> = (1..32u8)
            .filter(|&register| must_stay(register, is_handler))
            .filter(|&register| {
                !matches!(state.get(register), Held::Unknown) && state.get(register) != Held::Entry(register)
            })
            .collect();
        if lost.is_empty() {
            return;
        }
        self.tell(index, codes::KEPT, |ways, line| {
            let names: Vec<String> = lost.iter().map(|register| format!("`{}`", name_of(*register))).collect();
            let (are, them) = if lost.len() == 1 { ("is", "it") } else { ("are", "them") };
            let who = if is_handler { "what the interrupt came before" } else { "whoever called this routine" };
            let message = format!("{} {are} changed and not given back: {who} still needs {them}", names.join(", "));
            let mut told = ways.view.tell(line, codes::KEPT, message);
            let first = lost.first().and_then(|register| changed[usize::from(*register)]);
            if let Some(first) = first.map(|first| ways.steps[first].line).filter(|first| *first != line) {
                told = told.with_other(ways.view.lines()[first].span, "changed here");
            }
            let name = lost.first().map_or("", |register| name_of(*register));
            let free = if is_handler { "" } else { ", or a register of t0 to t6" };
            told.with_expected(format!("sw {name}, 0(sp) at the beginning and lw {name}, 0(sp) at the end{free}"))
        });
    }

    fn lost_way(&mut self, index: usize, changed: &[Option<usize>; 32]) {
        self.tell(index, codes::LOST_WAY, |ways, line| {
            let word = ways.view.word(line);
            let message = format!("`{word}` goes back to behind the last call, again and again: that call took `ra`");
            let mut told = ways.view.tell(line, codes::LOST_WAY, message);
            if let Some(first) = changed[usize::from(RA)] {
                told = told.with_other(ways.view.lines()[ways.steps[first].line].span, "`ra` is taken here");
            }
            told.with_expected("sw ra, 12(sp) before the first call and lw ra, 12(sp) before this")
        });
    }

    fn uncalled(&mut self, index: usize) {
        self.tell(index, codes::RET_UNCALLED, |ways, line| {
            let word = ways.view.word(line);
            let message = format!("the program runs to this `{word}` without a call, so there is nothing to return to");
            let told = ways.view.tell(line, codes::RET_UNCALLED, message);
            told.with_expected("`sys exit` before the routine, or `call` to get into it")
        });
    }

    fn uneven(&mut self, index: usize, depth: i32) {
        self.tell(index, codes::UNEVEN_STACK, |ways, line| {
            let word = ways.view.word(line);
            let (side, sign) = if depth < 0 { ("below", "") } else { ("above", "-") };
            let bytes = depth.unsigned_abs();
            let message =
                format!("`{word}` is reached with the stack pointer {bytes} bytes {side} where it was at the entry");
            ways.view
                .tell(line, codes::UNEVEN_STACK, message)
                .with_expected(format!("addi sp, sp, {sign}{bytes} before it"))
        });
    }
}

fn name_of(register: u8) -> &'static str {
    TARGET.register_name(Reg(register))
}

/// An instruction is about a control and status register.
fn names_control(step: &Step, number: u32) -> bool {
    matches!(step.insn.row().format, Format::Csr | Format::CsrConstant) && step.insn.value == number
}

/// What a register holds that was loaded from where nothing is known: a way back may well be one.
fn elsewhere(register: u8) -> Held {
    if register == RA || register == SP { Held::Unknown } else { Held::Lost }
}

/// Who called, or was interrupted, expects it to stay.
fn must_stay(register: u8, is_handler: bool) -> bool {
    let info = TARGET.registers.get(usize::from(register));
    // A handler that serves calls of its own gives results in them.
    let is_argument = (A0..=A7).contains(&register);
    let kept = info.is_some_and(|info| info.kept) && register != SP;
    kept || is_handler && !matches!(register, SP | GP | TP) && !is_argument
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_routine_keeps_twelve_and_a_handler_all_but_arguments() {
        assert_eq!((1..32).filter(|register| must_stay(*register, false)).count(), 12);
        let of_handlers: Vec<&str> = (1..32).filter(|register| must_stay(*register, true)).map(name_of).collect();
        assert_eq!(of_handlers.len(), 20, "{of_handlers:?}");
    }
}
