//! Putting groups together: which instructions are done in one go, and by which function of `swift`.
//!
//! A group takes as many instructions as there is a function for: parts that only compute and move, and at the end a jump,
//! a call or a return. There is a function for any two of the parts that are common, for any three of the most common ones,
//! and for one or two of them before a jump; the rest stand alone. Instructions that follow are decoded for that, as if
//! they ran.

use super::Machine;
use super::hook::{Blind, Hook};
use super::slots::Kind;
use super::swift::{
    Adc, Add, AddBy, And, Asr, Cmp, CmpBy, Computes, Div, Divs, Extb, Group, Handler, LENGTH, Ldb, Ldsb, Ldw, Mod,
    Mods, Mov, MovBy, Mul, Mulh, Mulhs, Neg, Not, Operands, Or, Pop, Push, Rlc, Rrc, Sbc, Shl, ShlBy, Shr, ShrBy, Stb,
    Stw, Sub, SubBy, Swap, Swapb, Tst, W16, Xor, back, branch, call, call_register, count, jump_register, none, one,
    one_back, one_branch, one_call, one_count, stack, three, two, two_branch, two_count,
};
use crate::swift::{BUILDING, CYCLE, Left, PARTS, Part, with, with_number};
use wendax_isa::w16::{Cond, Insn, NO_BASE, Op, SP};

/// Instructions as groups tell them apart: `lea` is what `mov` is, and those with a constant alone are others where that is
/// worth it.
macro_rules! forms {
    ($($form:ident)*) => {
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        pub(super) enum Form {
            $($form,)*
            MovBy,
            AddBy,
            SubBy,
            CmpBy,
            ShlBy,
            ShrBy,
            /// The number of its condition.
            Jump(usize),
            Djnz,
            Call,
            CallReg,
            JmpReg,
            Ret,
            Nop,
            /// One for others.
            Other,
        }

        impl Form {
            fn of(insn: Insn) -> Self {
                let is_constant = insn.b & 15 == NO_BASE;
                match insn.op() {
                    Op::Mov | Op::Lea if is_constant => Self::MovBy,
                    Op::Lea => Self::Mov,
                    Op::Add if is_constant => Self::AddBy,
                    Op::Sub if is_constant => Self::SubBy,
                    Op::Cmp if is_constant => Self::CmpBy,
                    Op::Shl if is_constant && insn.value & 15 != 0 => Self::ShlBy,
                    Op::Shr if is_constant && insn.value & 15 != 0 => Self::ShrBy,
                    $(Op::$form => Self::$form,)*
                    Op::Jump(cond) => Self::Jump(Cond::ALL.iter().position(|known| *known == cond).unwrap_or(0)),
                    Op::Djnz => Self::Djnz,
                    Op::Call => Self::Call,
                    Op::CallReg => Self::CallReg,
                    Op::JmpReg => Self::JmpReg,
                    Op::Ret => Self::Ret,
                    Op::Nop => Self::Nop,
                    Op::Halt | Op::Reti | Op::Ei | Op::Di | Op::Brk | Op::PushFl | Op::PopFl | Op::Sys => Self::Other,
                }
            }
        }
    };
}

forms! {
    Mov Add Adc Sub Sbc Cmp And Or Xor Tst Shl Shr Asr Mul Mulh Mulhs Div Mod Divs Mods Not Neg Swapb Extb Rlc Rrc Swap
    Ldw Ldb Ldsb Stw Stb Push Pop
}

/// The function of one part, where nobody looks.
pub(super) fn of_one(op: Form) -> Option<Handler<Blind>> {
    with!(op, Form::[
        MovBy AddBy SubBy CmpBy ShlBy ShrBy Mov Add Adc Sub Sbc Cmp And Or Xor Tst Shl Shr Asr Mul Mulh Mulhs Div Mod Divs Mods Not Neg Swapb Extb Rlc Rrc Swap
        Ldw Ldb Ldsb Stw Stb Push Pop
    ], A => Some(one::<Blind, A> as Handler<Blind>))
}

/// The function of one part that writes the stack pointer.
fn of_stack<H: Hook>(op: Form) -> Option<Handler<H>> {
    with!(op, Form::[Mov MovBy Add AddBy Sub SubBy And Ldw], A => Some(stack::<H, A> as Handler<H>))
}

/// The common parts.
macro_rules! with_common {
    ($op:expr, $type:ident => $what:expr) => {
        with!($op, Form::[Mov MovBy Add AddBy Sub SubBy Cmp CmpBy And Or Xor Tst ShlBy ShrBy Ldw Ldb Stw Stb Push Pop], $type => $what)
    };
}

/// The function of one part for who is told: of the common ones, since there is one for each of who may be.
pub(super) fn of_common<H: Hook>(op: Form) -> Option<Handler<H>> {
    with_common!(op, A => Some(one::<H, A> as Handler<H>))
}

fn of_two(first: Form, second: Form) -> Option<Handler<Blind>> {
    fn behind<A: Part<W16<Blind>>>(second: Form) -> Option<Handler<Blind>> {
        with_common!(second, B => Some(two::<Blind, A, B> as Handler<Blind>))
    }
    with_common!(first, A => behind::<A>(second))
}

/// The most common parts.
macro_rules! with_most_common {
    ($op:expr, $type:ident => $what:expr) => {
        with!($op, Form::[Mov Add AddBy Ldw Ldb Stw Stb], $type => $what)
    };
}

fn of_three(ops: [Form; 3]) -> Option<Handler<Blind>> {
    fn behind<A: Part<W16<Blind>>>(ops: [Form; 2]) -> Option<Handler<Blind>> {
        fn behind<A: Part<W16<Blind>>, B: Part<W16<Blind>>>(third: Form) -> Option<Handler<Blind>> {
            with_most_common!(third, D => Some(three::<Blind, A, B, D> as Handler<Blind>))
        }
        with_most_common!(ops[0], B => behind::<A, B>(ops[1]))
    }
    with_most_common!(ops[0], A => behind::<A>([ops[1], ops[2]]))
}

/// A jump with a condition, by itself.
fn of_branch<H: Hook>(cond: usize) -> Option<Handler<H>> {
    with_number!(cond, [1 2 3 4 5 6 7 8 9 10 11 12 13 14], COND => branch::<H, COND> as Handler<H>)
}

/// One behind a part that leaves flags.
fn of_one_branch(op: Form, cond: usize) -> Option<Handler<Blind>> {
    fn behind<A: Computes<Blind>>(cond: usize) -> Option<Handler<Blind>> {
        with_number!(cond, [1 2 3 4 5 6 9 10 11 12 13 14], COND => one_branch::<Blind, A, COND> as Handler<Blind>)
    }
    with!(op, Form::[Cmp CmpBy Tst Sub SubBy Add AddBy And Or Xor ShlBy ShrBy], A => behind::<A>(cond))
}

/// One behind a comparison, and a part before that.
fn of_two_branch(ops: [Form; 2], cond: usize) -> Option<Handler<Blind>> {
    fn behind<A: Part<W16<Blind>>>(op: Form, cond: usize) -> Option<Handler<Blind>> {
        fn compared<A: Part<W16<Blind>>, B: Computes<Blind>>(cond: usize) -> Option<Handler<Blind>> {
            with_number!(cond, [1 2 3 4 9 10 11 12 13 14], COND => two_branch::<Blind, A, B, COND> as Handler<Blind>)
        }
        fn behind<A: Part<W16<Blind>>, B: Computes<Blind>>(cond: usize) -> Option<Handler<Blind>> {
            with_number!(cond, [1 2], COND => two_branch::<Blind, A, B, COND> as Handler<Blind>)
        }
        match op {
            Form::Cmp => return compared::<A, Cmp>(cond),
            Form::CmpBy => return compared::<A, CmpBy>(cond),
            _ => {}
        }
        with!(op, Form::[Tst SubBy AddBy And], B => behind::<A, B>(cond))
    }
    with_common!(ops[0], A => behind::<A>(ops[1], cond))
}

fn of_one_count(op: Form) -> Option<Handler<Blind>> {
    with_common!(op, A => Some(one_count::<Blind, A> as Handler<Blind>))
}

fn of_two_count(ops: [Form; 2]) -> Option<Handler<Blind>> {
    fn behind<A: Part<W16<Blind>>>(op: Form) -> Option<Handler<Blind>> {
        with_common!(op, B => Some(two_count::<Blind, A, B> as Handler<Blind>))
    }
    with_most_common!(ops[0], A => behind::<A>(ops[1]))
}

fn of_one_call(op: Form) -> Option<Handler<Blind>> {
    with_common!(op, A => Some(one_call::<Blind, A> as Handler<Blind>))
}

fn of_one_back(op: Form) -> Option<Handler<Blind>> {
    with_common!(op, A => Some(one_back::<Blind, A> as Handler<Blind>))
}

/// An instruction as groups see it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Seen {
    insn: Insn,
    form: Form,
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
        match self.insn.op() {
            Op::Swap => a | 1 << (self.insn.b & 15),
            op if op.writes_register() => a,
            _ => 0,
        }
    }

    /// Nothing stands behind it in a group.
    fn ends(self) -> bool {
        matches!(self.form, Form::Jump(_) | Form::Djnz | Form::Call | Form::CallReg | Form::JmpReg | Form::Ret)
    }

    /// Where a jump or a call leads.
    fn target(self) -> u16 {
        self.insn.target(self.at)
    }
}

const STACK_BIT: u16 = 1 << SP;

/// What was found: the function, and how many instructions it does.
pub(super) type Choice<H> = (Handler<H>, usize);

/// The function that does one instruction alone, for who is told of each.
pub(super) fn choose_one<H: Hook>(seen: &[Seen]) -> Option<Choice<H>> {
    let first = seen.first()?;
    let alone: Option<Handler<H>> = if first.writes() & STACK_BIT != 0 {
        // One that is taken back must not have been told.
        (!H::TELLS || first.form != Form::Ldw).then(|| of_stack::<H>(first.form))?
    } else {
        match of_end::<H>(first.form) {
            Some(handler) => Some(handler),
            None => H::alone(first.form),
        }
    };
    Some((alone?, 1))
}

/// The function of what ends a group, or does nothing.
fn of_end<H: Hook>(form: Form) -> Option<Handler<H>> {
    match form {
        Form::Jump(0) | Form::Nop => Some(none::<H> as Handler<H>),
        Form::Jump(cond) => of_branch(cond),
        Form::Djnz => Some(count::<H> as Handler<H>),
        Form::Call => Some(call::<H> as Handler<H>),
        Form::CallReg => Some(call_register::<H> as Handler<H>),
        Form::JmpReg => Some(jump_register::<H> as Handler<H>),
        Form::Ret => Some(back::<H> as Handler<H>),
        _ => None,
    }
}

/// The function that does the most of what follows, where nobody looks.
pub(super) fn choose(seen: &[Seen]) -> Option<Choice<Blind>> {
    let form = |index: usize| seen.get(index).map(|seen| seen.form);
    let first = form(0)?;
    let cond = |form: Option<Form>| match form {
        Some(Form::Jump(cond)) if cond > 0 => Some(cond),
        _ => None,
    };
    if seen[0].writes() & STACK_BIT != 0 || of_end::<Blind>(first).is_some() {
        return choose_one(seen);
    }
    // Some parts, and what ends a group.
    let ends_two = match (form(1), form(2)) {
        (Some(second), Some(Form::Jump(cond))) => of_two_branch([first, second], cond),
        (Some(second), Some(Form::Djnz)) => of_two_count([first, second]),
        _ => None,
    };
    if let Some(handler) = ends_two {
        return Some((handler, 3));
    }
    let ends_one = match form(1) {
        Some(Form::Jump(cond)) => of_one_branch(first, cond),
        Some(Form::Djnz) => of_one_count(first),
        Some(Form::Call) => of_one_call(first),
        Some(Form::Ret) => of_one_back(first),
        _ => None,
    };
    if let Some(handler) = ends_one {
        return Some((handler, 2));
    }
    // Three, unless the third belongs better to the jump behind it.
    let takes_third = |third: Form| {
        form(3) == Some(Form::Djnz) || cond(form(3)).is_some_and(|cond| of_one_branch(third, cond).is_some())
    };
    if let (Some(second), Some(third)) = (form(1), form(2))
        && !takes_third(third)
        && let Some(handler) = of_three([first, second, third])
    {
        return Some((handler, 3));
    }
    // Likewise of two.
    let takes_second = |second: Form| cond(form(2)).is_some_and(|cond| of_one_branch(second, cond).is_some());
    if let Some(second) = form(1)
        && !takes_second(second)
        && let Some(handler) = of_two(first, second)
    {
        return Some((handler, 2));
    }
    choose_one(seen)
}

impl Machine {
    /// Puts the group at an address together, whose first instruction is decoded; false when it is one for others, at least for
    /// now.
    pub(super) fn build<H: Hook>(&mut self, at: u16) -> bool {
        self.around.worked += BUILDING;
        let place = u32::from(at >> 1);
        let mut seen = Vec::with_capacity(PARTS + 1);
        let most = if H::TELLS { 1 } else { PARTS + 1 };
        // A jump that is always taken belongs to the group as if what it leads to stood behind what comes before it.
        let mut jump: Option<(usize, Seen)> = None;
        let mut from = at;
        while seen.len() < most {
            let Some(next) = self.see(from) else { break };
            if next.form == Form::Jump(0) && !H::TELLS {
                if jump.is_some() {
                    break;
                }
                jump = Some((seen.len(), next));
                from = next.target();
                continue;
            }
            // What writes the stack pointer stands alone.
            let moves_stack = next.writes() & STACK_BIT != 0;
            if moves_stack && (jump.is_some() || !seen.is_empty()) {
                break;
            }
            seen.push(next);
            if moves_stack || next.ends() || next.next <= from {
                break;
            }
            from = next.next;
        }
        let choice = if seen.is_empty() { jump.map(|_| (none::<H> as Handler<H>, 0)) } else { H::choose(&seen) };
        let Some((run, count)) = choice else {
            let is_for_now = self.decoded_at(at.into()).is_some_and(|insn| insn.op().writes_register());
            if !is_for_now {
                H::groups(&mut self.slots.groups).set(Group::other(place), 0);
            }
            return false;
        };
        let taken = &seen[..count];
        let jump = jump.filter(|(index, _)| *index <= count);
        let last = taken.last().copied();
        let costs = taken.iter().map(|seen| seen.cycles()).sum::<u32>()
            + u32::from(last.is_some_and(|last| matches!(last.form, Form::Jump(_) | Form::Djnz | Form::JmpReg)))
            + jump.map_or(0, |(_, jump)| jump.cycles() + 1);
        let steps = count + usize::from(jump.is_some());
        let (Ok(cycles), Ok(steps)) = (Left::try_from(costs), Left::try_from(steps)) else { return false };
        let mut operands = [Operands::default(); PARTS];
        for (operands, seen) in operands.iter_mut().zip(taken) {
            *operands = seen.operands();
        }
        if let Some(last) = last.filter(|last| H::TELLS || matches!(last.form, Form::Call | Form::CallReg)) {
            operands[LENGTH].value = last.insn.bytes();
        }
        let behind = match (jump, last) {
            (Some((index, jump)), _) if index == count => jump.target(),
            (_, Some(last)) if last.form == Form::Jump(0) => last.target(),
            (_, Some(last)) => last.next,
            (_, None) => return false,
        };
        let (next, target) = (behind / 2, last.map_or(0, Seen::target) / 2);
        let writes = taken.iter().fold(0, |writes, seen| writes | seen.writes());
        let group = Group { cost: cycles * CYCLE - steps, next, target, operands, ..Group::new(place, run) };
        let groups = H::groups(&mut self.slots.groups);
        groups.set(group, writes.into());
        if let (Some((index, _)), Some(last)) = (jump, last)
            && index < count
        {
            groups.also_covers(place, usize::from(taken[index].at / 2)..usize::from(last.next / 2));
        }
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
        let seen = Seen { insn, form: Form::of(insn), at, next: at.wrapping_add(insn.bytes()) };
        let leads = match seen.form {
            Form::Jump(_) | Form::Djnz | Form::Call => seen.target() & 1 == 0 && seen.target() != at,
            Form::Other => false,
            _ => true,
        };
        let is_known = seen.writes() & !self.state.cpu.known == 0;
        (leads && is_known).then_some(seen)
    }
}
