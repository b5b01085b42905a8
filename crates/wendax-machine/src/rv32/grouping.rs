//! Putting groups together: which instructions are done in one go, and by which function of `swift`.
//!
//! There is a function for any two of the parts that are common, for any three of the most common ones, and for one or two
//! of them before a jump; the rest stand alone. Instructions that follow are decoded for that, as if they ran.

use super::Machine;
use super::hook::{Blind, Hook};
use super::steps::{ACCESS, Decoded, GONE, PRODUCT, QUOTIENT};
use super::swift::{
    ABOUT, Add, Addi, And, Andi, BRANCHES, Div, Divu, Group, Handler, Lb, Lbu, Lh, Lhu, Lui, Lw, Mul, Mulh, Mulhsu,
    Mulhu, NOWHERE, Operands, Or, Ori, Rem, Remu, Rv32, Sb, Sh, Sll, Slli, Slt, Slti, Sltiu, Sltu, Sra, Srai, Srl,
    Srli, Sub, Sw, Xor, Xori, branch, call, indirect, none, one, one_branch, one_call, one_indirect, place_of, stack,
    three, two, two_branch,
};
use crate::swift::{BUILDING, CYCLE, Left, PARTS, Part, with, with_number};
use wendax_isa::Reg;
use wendax_isa::rv32::{Insn, Op, SP, encode, is_link};

/// What is told of a jump with a condition, by its number.
macro_rules! with_branch {
    ($branch:expr, $name:ident => $what:expr) => {
        with_number!($branch, [0 1 2 3 4 5], $name => $what)
    };
}

/// The function of one part.
fn of_one<H: Hook>(op: Op) -> Option<Handler<H>> {
    with!(op, Op::[
        Addi Slti Sltiu Xori Ori Andi Slli Srli Srai Add Sub Sll Slt Sltu Xor Srl Sra Or And Mul Mulh Mulhsu Mulhu Div
        Divu Rem Remu Lui Lw Lhu Lbu Lh Lb Sw Sh Sb
    ], A => Some(one::<H, A> as Handler<H>))
}

/// The function of one part that writes the stack pointer.
fn of_stack<H: Hook>(op: Op) -> Option<Handler<H>> {
    with!(op, Op::[Addi Add Sub Andi Lw], A => Some(stack::<H, A> as Handler<H>))
}

/// The common parts.
macro_rules! with_common {
    ($op:expr, $type:ident => $what:expr) => {
        with!($op, Op::[Addi Add Sub Lui Slli Srli Srai Andi And Or Xor Mul Sltu Lw Lbu Lhu Sw Sb], $type => $what)
    };
}

/// The most common parts.
macro_rules! with_most_common {
    ($op:expr, $type:ident => $what:expr) => {
        with!($op, Op::[Addi Add Slli Lw Lbu Sw], $type => $what)
    };
}

fn of_two(first: Op, second: Op) -> Option<Handler<Blind>> {
    fn behind<A: Part<Rv32<Blind>>>(second: Op) -> Option<Handler<Blind>> {
        with_common!(second, B => Some(two::<Blind, A, B> as Handler<Blind>))
    }
    with_common!(first, A => behind::<A>(second))
}

fn of_three(ops: [Op; 3]) -> Option<Handler<Blind>> {
    fn behind<A: Part<Rv32<Blind>>>(ops: [Op; 2]) -> Option<Handler<Blind>> {
        fn behind<A: Part<Rv32<Blind>>, B: Part<Rv32<Blind>>>(third: Op) -> Option<Handler<Blind>> {
            with_most_common!(third, D => Some(three::<Blind, A, B, D> as Handler<Blind>))
        }
        with_most_common!(ops[0], B => behind::<A, B>(ops[1]))
    }
    with_most_common!(ops[0], A => behind::<A>([ops[1], ops[2]]))
}

fn of_branch<H: Hook>(number: usize) -> Option<Handler<H>> {
    with_branch!(number, BRANCH => branch::<H, BRANCH> as Handler<H>)
}

fn of_one_branch(op: Op, number: usize) -> Option<Handler<Blind>> {
    fn behind<A: Part<Rv32<Blind>>>(number: usize) -> Option<Handler<Blind>> {
        with_branch!(number, BRANCH => one_branch::<Blind, A, BRANCH> as Handler<Blind>)
    }
    with_common!(op, A => behind::<A>(number))
}

fn of_two_branch(ops: [Op; 2], number: usize) -> Option<Handler<Blind>> {
    fn behind<A: Part<Rv32<Blind>>>(op: Op, number: usize) -> Option<Handler<Blind>> {
        fn behind<A: Part<Rv32<Blind>>, B: Part<Rv32<Blind>>>(number: usize) -> Option<Handler<Blind>> {
            with_branch!(number, BRANCH => two_branch::<Blind, A, B, BRANCH> as Handler<Blind>)
        }
        with_most_common!(op, B => behind::<A, B>(number))
    }
    with_most_common!(ops[0], A => behind::<A>(ops[1], number))
}

fn of_one_call(op: Op) -> Option<Handler<Blind>> {
    with_common!(op, A => Some(one_call::<Blind, A> as Handler<Blind>))
}

fn of_one_indirect(op: Op) -> Option<Handler<Blind>> {
    with_common!(op, A => Some(one_indirect::<Blind, A> as Handler<Blind>))
}

/// Cycles of an instruction that goes nowhere.
pub(super) fn cycles(insn: Insn) -> u64 {
    let more = match insn.op() {
        Op::Mul | Op::Mulh | Op::Mulhsu | Op::Mulhu => PRODUCT,
        Op::Div | Op::Divu | Op::Rem | Op::Remu => QUOTIENT,
        Op::Lw | Op::Lh | Op::Lhu | Op::Lb | Op::Lbu | Op::Sw | Op::Sh | Op::Sb => ACCESS,
        _ => 0,
    };
    1 + more
}

/// An instruction as groups see it: `auipc` is a constant there.
#[derive(Debug, Clone, Copy)]
pub(super) struct Seen {
    insn: Insn,
    op: Op,
    at: u32,
}

impl Seen {
    fn operands(self) -> Operands {
        let Insn { rd, rs1, rs2, value, .. } = self.insn;
        let value = if self.insn.op() == Op::Auipc { self.at.wrapping_add(value) } else { value };
        Operands { rd: if rd == 0 { NOWHERE } else { rd & 31 }, rs1: rs1 & 31, rs2: rs2 & 31, value }
    }

    /// Registers it writes, each a bit.
    fn writes(self) -> u32 {
        self.insn.uses().writes & !1
    }

    /// Cycles, those of a way that is gone among them.
    fn cycles(self) -> u64 {
        cycles(self.insn) + if self.ends() { GONE } else { 0 }
    }

    /// The number of its kind, of a jump with a condition.
    fn branch(self) -> Option<usize> {
        BRANCHES.iter().position(|op| *op == self.op)
    }

    /// Nothing stands behind it in a group.
    fn ends(self) -> bool {
        self.branch().is_some() || matches!(self.op, Op::Jal | Op::Jalr)
    }

    /// It is a jump that is always taken, with no way back.
    fn just_jumps(self) -> bool {
        self.op == Op::Jal && self.insn.rd == 0
    }

    /// Where a jump with a distance leads.
    fn target(self) -> u32 {
        self.at.wrapping_add(self.insn.value)
    }

    fn writes_stack(self) -> bool {
        self.writes() >> SP & 1 != 0
    }
}

/// What was found: the function, and how many instructions it does.
pub(super) type Choice<H> = (Handler<H>, usize);

/// The function that does one instruction alone, for who is told of each.
pub(super) fn choose_one<H: Hook>(seen: &[Seen]) -> Option<Choice<H>> {
    let first = seen.first()?;
    let alone: Option<Handler<H>> = if first.writes_stack() {
        // One that is taken back must not have been told.
        (!H::TELLS || first.op != Op::Lw).then(|| of_stack::<H>(first.op))?
    } else {
        match of_end::<H>(*first) {
            Some(handler) => Some(handler),
            None => of_one::<H>(first.op),
        }
    };
    Some((alone?, 1))
}

/// The function of what ends a group, or does nothing.
fn of_end<H: Hook>(seen: Seen) -> Option<Handler<H>> {
    match seen.op {
        Op::Jal if seen.just_jumps() => Some(none::<H> as Handler<H>),
        Op::Jal => Some(call::<H> as Handler<H>),
        Op::Jalr => Some(indirect::<H> as Handler<H>),
        Op::Fence | Op::FenceI => Some(none::<H> as Handler<H>),
        _ => of_branch(seen.branch()?),
    }
}

/// The function that does the most of what follows, where nobody looks.
pub(super) fn choose(seen: &[Seen]) -> Option<Choice<Blind>> {
    let op = |index: usize| seen.get(index).map(|seen| seen.op);
    let branches = |index: usize| seen.get(index).and_then(|seen| seen.branch());
    let first = *seen.first()?;
    if first.writes_stack() || of_end::<Blind>(first).is_some() {
        return choose_one(seen);
    }
    let first = first.op;
    // One or two parts, and what ends a group.
    if let (Some(second), Some(number)) = (op(1), branches(2))
        && let Some(handler) = of_two_branch([first, second], number)
    {
        return Some((handler, 3));
    }
    let ends_one = match (op(1), branches(1)) {
        (_, Some(number)) => of_one_branch(first, number),
        (Some(Op::Jal), _) => of_one_call(first),
        (Some(Op::Jalr), _) => of_one_indirect(first),
        _ => None,
    };
    if let Some(handler) = ends_one {
        return Some((handler, 2));
    }
    // Three or two, unless the last of them belongs better to what ends a group behind it.
    let ends = |index: usize| seen.get(index).is_some_and(|seen| seen.ends());
    if let (Some(second), Some(third)) = (op(1), op(2))
        && !ends(3)
        && let Some(handler) = of_three([first, second, third])
    {
        return Some((handler, 3));
    }
    if let Some(second) = op(1)
        && !ends(2)
        && let Some(handler) = of_two(first, second)
    {
        return Some((handler, 2));
    }
    choose_one(seen)
}

impl Machine {
    /// The place of an address in the table of groups.
    pub(super) fn place(&self, address: u32) -> Option<u32> {
        place_of(address, self.code_start)
    }

    /// Puts the group at an address together; false when its first instruction is one for others, at least for now.
    pub(super) fn build<H: Hook>(&mut self, at: u32) -> bool {
        self.around.worked += BUILDING;
        let Some(place) = self.place(at) else { return false };
        let mut seen = Vec::with_capacity(PARTS + 1);
        let mut jump = None;
        let mut from = at;
        let most = if H::TELLS { 1 } else { PARTS + 1 };
        while seen.len() < most {
            let Some(next) = self.see(from) else { break };
            if next.just_jumps() && !H::TELLS {
                jump = Some((seen.len(), next));
                break;
            }
            // What writes the stack pointer stands alone.
            if next.writes_stack() && !seen.is_empty() {
                break;
            }
            seen.push(next);
            if next.writes_stack() || next.ends() {
                break;
            }
            from = from.wrapping_add(4);
        }
        let choice = if seen.is_empty() { jump.map(|_| (none::<H> as Handler<H>, 0)) } else { H::choose(&seen) };
        let Some((run, count)) = choice else {
            return false;
        };
        let taken = &seen[..count];
        let jump = jump.filter(|(index, _)| *index == count).map(|(_, jump)| jump);
        let last = taken.last().copied();
        let cycles = taken.iter().copied().chain(jump).map(Seen::cycles).sum::<u64>();
        let steps = count + usize::from(jump.is_some());
        let (Ok(cycles), Ok(steps)) = (Left::try_from(cycles), Left::try_from(steps)) else { return false };
        let mut operands = [Operands::default(); PARTS];
        for (operands, seen) in operands.iter_mut().zip(taken) {
            *operands = seen.operands();
        }
        if let Some(last) = last.filter(|_| H::TELLS) {
            let moves = matches!(last.op, Op::Jal | Op::Jalr) || last.writes_stack();
            operands[ABOUT] = Operands { rd: moves.into(), rs1: 0, rs2: 0, value: encode(last.insn) };
        }
        let jump = jump.or(last.filter(|last| last.just_jumps()));
        let behind = jump.map_or_else(|| last.map_or(at, |last| last.at.wrapping_add(4)), Seen::target);
        let target = last.filter(|last| last.op == Op::Jal || last.branch().is_some()).map_or(at, Seen::target);
        // What leads further than groups go is no matter: it is looked at when it is come to.
        let (Some(next), Some(target)) = (self.place(behind), self.place(target)) else { return false };
        let writes = taken.iter().fold(0, |writes, seen| writes | seen.writes());
        let group = Group { cost: cycles * CYCLE - steps, next, target, operands, ..Group::new(place, run) };
        H::groups(&mut self.groups).set(group, writes);
        true
    }

    /// The instruction at an address, when groups may have it.
    fn see(&mut self, at: u32) -> Option<Seen> {
        if self.breakpoints.contains(&at) {
            return None;
        }
        let Decoded { insn, op, .. } = self.fetch_at(at).ok()?;
        if !self.lookout.is_empty() && self.may_be_looked_for(insn) {
            return None;
        }
        let op = if op == Op::Auipc { Op::Lui } else { op };
        let seen = Seen { insn, op, at };
        let is_right = match op {
            Op::Jal => {
                // A way back is noted of registers that are made for that alone.
                let is_call = insn.rd == 0 || is_link(Reg(insn.rd));
                is_call && seen.target() != at && seen.target().is_multiple_of(4)
            }
            Op::Jalr => insn.rd != SP,
            _ if seen.branch().is_some() => seen.target() != at && seen.target().is_multiple_of(4),
            Op::Fence | Op::FenceI => true,
            _ => of_one::<Blind>(op).is_some(),
        };
        let is_known = seen.writes() & !self.state.cpu.known == 0;
        (is_right && is_known).then_some(seen)
    }
}
