//! Putting groups together: which instructions are done in one go, and by which function of `swift`.
//!
//! A group takes as many instructions as there is a function for: parts that only compute and move, and at the end a jump,
//! a call or a return. There is a function for any two of the parts that are common, for any three of the most common ones,
//! and for one or two of them before a jump; the rest stand alone. Instructions that follow are decoded for that, as if
//! they ran.

use super::Machine;
use super::slots::Kind;
use super::swift::{
    Adc, Add, And, Asr, CALL, CYCLE, Cmp, Computes, Div, Divs, Extb, Group, Handler, Ldb, Ldsb, Ldw, Left, Mod, Mods,
    Mov, Mul, Mulh, Mulhs, Neg, Not, Operands, Or, Part, Pop, Push, Rlc, Rrc, Sbc, Shl, Shr, Stb, Stw, Sub, Swap,
    Swapb, Tst, Xor, back, branch, call, call_register, count, jump_register, none, one, one_back, one_branch,
    one_call, one_count, stack, three, two, two_branch, two_count,
};
use wendax_isa::w16::{Cond, Insn, Op, SP};

/// Parts at most.
const PARTS: usize = 3;

/// Cycles of a group at most.
const COSTLIEST: u32 = 200;

/// What is told of the type of the part that an operation is. `None` for operations that are not in the list.
macro_rules! with {
    ($op:expr, [$($part:ident)*], $type:ident => $what:expr) => {
        match $op {
            $(Op::$part => {
                type $type = $part;
                $what
            })*
            _ => None,
        }
    };
}

/// The same of a condition, by its number.
macro_rules! with_condition {
    ($cond:expr, [$($number:literal)*], $name:ident => $what:expr) => {
        match $cond {
            $($number => {
                const $name: usize = $number;
                Some($what as Handler)
            })*
            _ => None,
        }
    };
}

/// The function of one part.
fn of_one(op: Op) -> Option<Handler> {
    with!(op, [
        Mov Add Adc Sub Sbc Cmp And Or Xor Tst Shl Shr Asr Mul Mulh Mulhs Div Mod Divs Mods Not Neg Swapb Extb Rlc Rrc Swap
        Ldw Ldb Ldsb Stw Stb Push Pop
    ], A => Some(one::<A> as Handler))
}

/// The function of one part that writes the stack pointer.
fn of_stack(op: Op) -> Option<Handler> {
    with!(op, [Mov Add Sub And Ldw], A => Some(stack::<A> as Handler))
}

/// The common parts.
macro_rules! with_common {
    ($op:expr, $type:ident => $what:expr) => {
        with!($op, [Mov Add Sub Cmp And Or Xor Tst Shl Shr Mul Ldw Ldb Stw Stb Push Pop], $type => $what)
    };
}

fn of_two(first: Op, second: Op) -> Option<Handler> {
    fn behind<A: Part>(second: Op) -> Option<Handler> {
        with_common!(second, B => Some(two::<A, B> as Handler))
    }
    with_common!(first, A => behind::<A>(second))
}

/// The most common parts.
macro_rules! with_most_common {
    ($op:expr, $type:ident => $what:expr) => {
        with!($op, [Mov Add Sub Ldw Ldb Stw Stb], $type => $what)
    };
}

fn of_three(ops: [Op; 3]) -> Option<Handler> {
    fn behind<A: Part>(ops: [Op; 2]) -> Option<Handler> {
        fn behind<A: Part, B: Part>(third: Op) -> Option<Handler> {
            with_most_common!(third, D => Some(three::<A, B, D> as Handler))
        }
        with_most_common!(ops[0], B => behind::<A, B>(ops[1]))
    }
    with_most_common!(ops[0], A => behind::<A>([ops[1], ops[2]]))
}

/// A jump with a condition, by itself.
fn of_branch(cond: usize) -> Option<Handler> {
    with_condition!(cond, [1 2 3 4 5 6 7 8 9 10 11 12 13 14], COND => branch::<COND>)
}

/// One behind a part that leaves flags.
fn of_one_branch(op: Op, cond: usize) -> Option<Handler> {
    fn behind<A: Computes>(cond: usize) -> Option<Handler> {
        with_condition!(cond, [1 2 3 4 5 6 9 10 11 12 13 14], COND => one_branch::<A, COND>)
    }
    with!(op, [Cmp Tst Sub Add And Or Xor Shl Shr], A => behind::<A>(cond))
}

/// One behind a comparison, and a part before that.
fn of_two_branch(ops: [Op; 2], cond: usize) -> Option<Handler> {
    fn behind<A: Part>(op: Op, cond: usize) -> Option<Handler> {
        fn compared<A: Part>(cond: usize) -> Option<Handler> {
            with_condition!(cond, [1 2 3 4 9 10 11 12 13 14], COND => two_branch::<A, Cmp, COND>)
        }
        fn behind<A: Part, B: Computes>(cond: usize) -> Option<Handler> {
            with_condition!(cond, [1 2], COND => two_branch::<A, B, COND>)
        }
        if op == Op::Cmp {
            return compared::<A>(cond);
        }
        with!(op, [Tst Sub Add And], B => behind::<A, B>(cond))
    }
    with_common!(ops[0], A => behind::<A>(ops[1], cond))
}

fn of_one_count(op: Op) -> Option<Handler> {
    with_common!(op, A => Some(one_count::<A> as Handler))
}

fn of_two_count(ops: [Op; 2]) -> Option<Handler> {
    fn behind<A: Part>(op: Op) -> Option<Handler> {
        with_common!(op, B => Some(two_count::<A, B> as Handler))
    }
    with_common!(ops[0], A => behind::<A>(ops[1]))
}

fn of_one_call(op: Op) -> Option<Handler> {
    with_common!(op, A => Some(one_call::<A> as Handler))
}

fn of_one_back(op: Op) -> Option<Handler> {
    with_common!(op, A => Some(one_back::<A> as Handler))
}

/// An instruction as groups see it.
#[derive(Debug, Clone, Copy)]
struct Seen {
    insn: Insn,
    /// `lea` is the same as `mov` here.
    op: Op,
    at: u16,
    next: u16,
}

impl Seen {
    fn operands(self) -> Operands {
        Operands { a: self.insn.a & 15, b: self.insn.b & 15, value: self.insn.value }
    }

    fn cycles(self) -> u32 {
        self.insn.row().cycles.into()
    }

    /// Registers it writes, each a bit; those of the stack left out that pushes, pops, calls and returns move.
    fn writes(self) -> u16 {
        let a = 1 << (self.insn.a & 15);
        match self.op {
            Op::Swap => a | 1 << (self.insn.b & 15),
            op if op.writes_register() => a,
            _ => 0,
        }
    }

    /// It leads on at its end, if it does that in a way known beforehand.
    fn target(self) -> u16 {
        self.insn.target(self.at)
    }
}

const STACK_BIT: u16 = 1 << SP;

/// What was found: the function, how many instructions it does, whether a jump behind them belongs to it too.
type Choice = (Handler, usize);

/// The function that does the most of what follows.
fn choose(seen: &[Seen]) -> Option<Choice> {
    let op = |index: usize| seen.get(index).map(|seen| seen.op);
    let cond = |index: usize| match op(index) {
        Some(Op::Jump(cond)) if cond != Cond::Always => Cond::ALL.iter().position(|known| *known == cond),
        _ => None,
    };
    let first = op(0)?;
    let one = |end: usize| -> Option<Handler> {
        match (op(end)?, cond(end)) {
            (_, Some(cond)) => of_one_branch(first, cond),
            (Op::Djnz, _) => of_one_count(first),
            (Op::Call, _) => of_one_call(first),
            (Op::Ret, _) => of_one_back(first),
            _ => None,
        }
    };
    let two = |end: usize| -> Option<Handler> {
        let ops = [first, op(1)?];
        match (op(end)?, cond(end)) {
            (_, Some(cond)) => of_two_branch(ops, cond),
            (Op::Djnz, _) => of_two_count(ops),
            _ => None,
        }
    };
    if seen[0].writes() & STACK_BIT != 0 {
        return of_stack(first).map(|handler| (handler, 1));
    }
    // Alone: what ends a group.
    match (first, cond(0)) {
        (_, Some(cond)) => return of_branch(cond).map(|handler| (handler, 1)),
        (Op::Djnz, _) => return Some((count, 1)),
        (Op::Call, _) => return Some((call, 1)),
        (Op::CallReg, _) => return Some((call_register, 1)),
        (Op::JmpReg, _) => return Some((jump_register, 1)),
        (Op::Ret, _) => return Some((back, 1)),
        (Op::Nop, _) => return Some((none, 1)),
        (Op::Jump(_), _) => return Some((none, 0)),
        _ => {}
    }
    if let Some(handler) = two(2) {
        return Some((handler, 3));
    }
    if let Some(handler) = one(1) {
        return Some((handler, 2));
    }
    // Three, unless the third belongs better to the jump behind it.
    let takes_third = matches!((op(2), op(3)), (Some(third), Some(Op::Jump(_) | Op::Djnz)) if {
        cond(3).is_some_and(|cond| of_one_branch(third, cond).is_some()) || op(3) == Some(Op::Djnz)
    });
    if let (Some(second), Some(third), false) = (op(1), op(2), takes_third)
        && let Some(handler) = of_three([first, second, third])
    {
        return Some((handler, 3));
    }
    if let Some(second) = op(1)
        && let Some(handler) = of_two(first, second)
    {
        return Some((handler, 2));
    }
    of_one(first).map(|handler| (handler, 1))
}

impl Machine {
    /// Puts the group at an address together, whose first instruction is decoded; false when it is one for others, at least for
    /// now.
    pub(super) fn build(&mut self, at: u16) -> bool {
        let mut seen = Vec::with_capacity(PARTS + 1);
        let mut place = at;
        while seen.len() <= PARTS {
            let Some(next) = self.see(place) else { break };
            seen.push(next);
            let leads_on = !matches!(next.op, Op::Jump(_) | Op::Djnz | Op::Call | Op::CallReg | Op::JmpReg | Op::Ret);
            if !leads_on || next.next <= place || next.writes() & STACK_BIT != 0 {
                break;
            }
            place = next.next;
        }
        let Some((run, count)) = choose(&seen) else {
            let is_for_now = seen.is_empty() && matches!(self.slots.at(at).kind, Kind::Undecoded);
            if !is_for_now && self.decoded_at(at.into()).is_none_or(|insn| !insn.op().writes_register()) {
                self.slots.groups.set(Group::other(at), 0);
            }
            return false;
        };
        let mut taken: &[Seen] = &seen[..count];
        // A jump that is always taken costs nothing behind whatever leads on.
        let jumps = seen.get(count).filter(|next| next.insn.always_jumps());
        let leads_on = taken.last().is_none_or(|last| {
            !matches!(last.op, Op::Jump(_) | Op::Djnz | Op::Call | Op::CallReg | Op::JmpReg | Op::Ret)
        });
        let jumps = jumps.filter(|_| leads_on);
        if jumps.is_some() {
            taken = &seen[..=count];
        }
        let Some(last) = taken.last() else { return false };
        let cycles = taken.iter().map(|seen| seen.cycles()).sum::<u32>()
            + u32::from(matches!(last.op, Op::Jump(_) | Op::Djnz | Op::JmpReg));
        if cycles > COSTLIEST {
            return false;
        }
        let cost = Left::try_from(cycles).unwrap_or(0) * CYCLE - Left::try_from(taken.len()).unwrap_or(0);
        let mut operands = [Operands::default(); PARTS];
        for (operands, seen) in operands.iter_mut().zip(taken) {
            *operands = seen.operands();
        }
        if matches!(last.op, Op::Call | Op::CallReg) {
            operands[CALL].value = last.insn.bytes();
        }
        let target = last.target() / 2;
        let next = if jumps.is_some() { target } else { last.next / 2 };
        let writes = taken.iter().fold(0, |writes, seen| writes | seen.writes());
        self.slots.groups.set(Group { cost, next, target, operands, ..Group::new(at, run) }, writes);
        true
    }

    /// The instruction at an address, decoded, when groups may have it.
    fn see(&mut self, at: u16) -> Option<Seen> {
        if self.slots.at(at).kind == Kind::Undecoded {
            self.decode_at(at).ok()?;
        }
        if matches!(self.slots.at(at).kind, Kind::Undecoded | Kind::Breakpoint | Kind::Watched) {
            return None;
        }
        let insn = self.decoded_at(at.into())?;
        let op = if insn.op() == Op::Lea { Op::Mov } else { insn.op() };
        let seen = Seen { insn, op, at, next: at.wrapping_add(insn.bytes()) };
        let leads = match op {
            Op::Jump(_) | Op::Djnz | Op::Call => seen.target() & 1 == 0 && seen.target() != at,
            Op::Halt | Op::Reti | Op::Ei | Op::Di | Op::Brk | Op::PushFl | Op::PopFl | Op::Sys => false,
            _ => true,
        };
        let is_known = seen.writes() & !self.state.cpu.known == 0;
        (leads && is_known).then_some(seen)
    }
}
