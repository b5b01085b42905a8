//! Instructions of W16 as groups carry them out, see [`crate::swift`].
//!
//! What is left to `plain`: an access that memory does not grant in one go, a division by zero, a shift by no places, frames
//! that are left otherwise than by a return; instructions that stop the run, touch interrupts or call the host, registers that
//! nobody has written yet, instructions that are patched, and what does not fit before the step or the cycle the run is to come
//! to. What instructions compute is told by `alu`; groups are put together in `grouping`.

#![expect(
    clippy::inline_always,
    reason = "functions of groups are made of these, and call nothing but the next of their kind"
)]

use super::alu::{self, Flags, How};
use super::hook::{Access, Begin, Hook};
use super::plain::{Exit, Limits};
use super::slots::Kind;
use super::trace::Swift;
use super::{Machine, NOTE_RETURN};
use crate::swift::{Ends, Engine, Left, Out, Part, Routines, Turn, Why, groups, missed, onward, turn};
use std::marker::PhantomData;
use wendax_isa::w16::{Cond, I, SP};

/// Words that the instructions of a group cover at most, but for the first.
pub(super) const COVERED: usize = 7;

/// The operands whose value is how long a call at the end of the group is, or any instruction that is told of.
pub(super) const LENGTH: usize = 2;

const STACK: usize = SP as usize;

/// The machine, as groups see it, with what is told of them: the number of a place is half its address.
#[derive(Debug, Clone, Copy)]
pub(super) struct W16<H>(PhantomData<H>);

pub(super) type Group<H> = crate::swift::Group<W16<H>>;
pub(super) type Groups<H> = crate::swift::Groups<W16<H>>;
pub(super) type Handler<H> = crate::swift::Handler<W16<H>>;

/// The address of a place.
#[inline(always)]
pub(super) fn address_of(place: u32) -> u16 {
    u16::try_from(place << 1 & 0xFFFE).unwrap_or(0)
}

impl<H: Hook> Engine for W16<H> {
    type Core = Core;
    type Memory<'a> = H::Memory<'a>;
    type Operands = Operands;
    type Place = u16;
    const MOST: usize = 0x8000;
    const TELLS: bool = H::TELLS;

    fn core() -> Core {
        Core { registers: [0; 256], operands: 0, mark: 0, routines: Routines::default() }
    }

    fn routines(core: &mut Core) -> &mut Routines {
        &mut core.routines
    }

    #[inline(always)]
    fn begins(memory: &mut H::Memory<'_>, group: &Group<H>) {
        memory.begins(group.place);
    }

    #[inline(always)]
    fn ended(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>, turn: Turn) -> bool {
        H::ended(core, memory, group, turn)
    }
}

/// Operands of an instruction, as those of a slot.
#[derive(Debug, Clone, Copy, Default)]
#[repr(C, align(4))]
pub(super) struct Operands {
    pub(super) a: u8,
    pub(super) b: u8,
    pub(super) value: u16,
}

/// Registers, flags and frames while groups are carried out.
#[derive(Debug)]
pub(super) struct Core {
    /// Indexed by any byte, so that no index needs to be checked; only those that exist are ever set.
    pub(super) registers: [u16; 256],
    /// What the flags come of: two numbers.
    operands: u32,
    /// In which way, by the number of a [`How`], the number of the instruction in its group that wrote them, and the place of
    /// that group.
    mark: u32,
    pub(super) routines: Routines,
}

/// Stands for no instruction of a group: the flags are as they were before.
const NOBODY_HERE: u8 = 0xFF;

impl Core {
    /// Flags, and who wrote them: the instruction with this number of a group.
    #[inline(always)]
    fn set_flags<H: Hook>(&mut self, flags: Flags, group: &Group<H>, number: usize) {
        self.operands = u32::from(flags.a) | u32::from(flags.b) << 16;
        let number = u32::try_from(number).unwrap_or(0);
        self.mark = group.place | number << 16 | (flags.how as u32) << 24;
    }

    /// Flags as they were before any group.
    fn begin_flags(&mut self, bits: u16) {
        self.operands = bits.into();
        self.mark = u32::from(NOBODY_HERE) << 16 | (How::Bits as u32) << 24;
    }

    #[inline(always)]
    fn flags(&self) -> Flags {
        let [a, b, c, d] = self.operands.to_le_bytes();
        let how = match self.mark >> 24 {
            1 => How::Difference,
            2 => How::Sum,
            3 => How::Left,
            4 => How::Right,
            5 => How::SignedRight,
            _ => How::Bits,
        };
        Flags { a: u16::from_le_bytes([a, b]), b: u16::from_le_bytes([c, d]), how }
    }

    /// Who wrote the flags: group and number within it; `None` when none of the groups did.
    fn flags_by(&self) -> Option<(u16, u8)> {
        let [low, high, number, _] = self.mark.to_le_bytes();
        (number != NOBODY_HERE).then(|| (u16::from_le_bytes([low, high]) << 1, number))
    }

    /// The stack pointer.
    #[inline(always)]
    pub(super) fn stack(&self) -> u16 {
        self.registers[STACK]
    }

    #[inline(always)]
    fn at(&self, register: u8) -> u16 {
        self.registers[usize::from(register)]
    }

    /// The second operand.
    #[inline(always)]
    fn source(&self, operands: Operands) -> u16 {
        self.at(operands.b).wrapping_add(operands.value)
    }

    /// The same where no register belongs to it.
    #[inline(always)]
    #[expect(clippy::unused_self, reason = "asked for like the other")]
    fn constant(&self, operands: Operands) -> u16 {
        operands.value
    }

    #[inline(always)]
    fn set(&mut self, register: u8, value: u16, access: &mut impl Access) {
        let register = usize::from(register);
        access.wrote(register, self.registers[register], value);
        self.registers[register] = value;
    }

    /// Sets the stack pointer.
    #[inline(always)]
    fn set_stack(&mut self, value: u16, access: &mut impl Access) {
        self.set(SP, value, access);
    }
}

/// An instruction within a group that leaves flags.
pub(super) trait Computes<H: Hook>: Part<W16<H>> {
    /// The same as [`Part::run`], which tells the flags it leaves.
    fn compute<const N: usize>(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>) -> Option<Flags>;
}

/// Instructions that compute, from destination and source and the carry; `None` leaves them to others. Those named `…By` are for a
/// constant alone, which for shifts is not 0.
macro_rules! computing {
    ($($name:ident = |$d:pat_param, $source:ident $s:pat_param, $core:pat_param| $result:expr, sets $sets:literal;)*) => {$(
        pub(super) struct $name;

        impl<H: Hook> Part<W16<H>> for $name {
            #[inline(always)]
            fn run<const N: usize>(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>) -> bool {
                Self::compute::<N>(core, memory, group).is_some()
            }
        }

        impl<H: Hook> Computes<H> for $name {
            #[inline(always)]
            fn compute<const N: usize>(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>) -> Option<Flags> {
                let operands = group.operands[N];
                let ($d, $s, $core) = (core.at(operands.a), core.$source(operands), &*core);
                let result: Option<alu::Result> = $result;
                let (value, flags) = result?;
                if $sets {
                    core.set(operands.a, value, memory);
                }
                core.set_flags(flags, group, N);
                memory.flagged(flags);
                Some(flags)
            }
        }
    )*};
}

computing! {
    Add = |d, source s, _| Some(alu::add(d, s)), sets true;
    AddBy = |d, constant s, _| Some(alu::add(d, s)), sets true;
    Adc = |d, source s, core| Some(alu::adc(d, s, core.flags().carry())), sets true;
    Sub = |d, source s, _| Some(alu::sub(d, s)), sets true;
    SubBy = |d, constant s, _| Some(alu::sub(d, s)), sets true;
    Sbc = |d, source s, core| Some(alu::sbc(d, s, core.flags().carry())), sets true;
    Cmp = |d, source s, _| Some(alu::sub(d, s)), sets false;
    CmpBy = |d, constant s, _| Some(alu::sub(d, s)), sets false;
    And = |d, source s, _| Some(alu::and(d, s)), sets true;
    Or = |d, source s, _| Some(alu::or(d, s)), sets true;
    Xor = |d, source s, _| Some(alu::xor(d, s)), sets true;
    Tst = |d, source s, _| Some(alu::and(d, s)), sets false;
    Shl = |d, source s, _| (s & 15 != 0).then(|| alu::shl(d, s)), sets true;
    ShlBy = |d, constant s, _| Some(alu::shl(d, s)), sets true;
    Shr = |d, source s, _| (s & 15 != 0).then(|| alu::shr(d, s)), sets true;
    ShrBy = |d, constant s, _| Some(alu::shr(d, s)), sets true;
    Asr = |d, source s, _| (s & 15 != 0).then(|| alu::asr(d, s)), sets true;
    Mul = |d, source s, _| Some(alu::mul(d, s)), sets true;
    Mulh = |d, source s, _| Some(alu::mulh(d, s)), sets true;
    Mulhs = |d, source s, _| Some(alu::mulhs(d, s)), sets true;
    Div = |d, source s, _| alu::div(d, s), sets true;
    Mod = |d, source s, _| alu::modulo(d, s), sets true;
    Divs = |d, source s, _| alu::divs(d, s), sets true;
    Mods = |d, source s, _| alu::mods(d, s), sets true;
    Not = |d, source _, _| Some(alu::not(d)), sets true;
    Neg = |d, source _, _| Some(alu::neg(d)), sets true;
    Swapb = |d, source _, _| Some(alu::swapb(d)), sets true;
    Extb = |d, source _, _| Some(alu::extb(d)), sets true;
    Rlc = |d, source _, core| Some(alu::rlc(d, core.flags().carry())), sets true;
    Rrc = |d, source _, core| Some(alu::rrc(d, core.flags().carry())), sets true;
}

/// Instructions that move; false leaves them to others.
macro_rules! moving {
    ($($name:ident = |$core:ident, $memory:ident, $operands:ident| $done:block;)*) => {$(
        pub(super) struct $name;

        impl<H: Hook> Part<W16<H>> for $name {
            #[inline(always)]
            fn run<const N: usize>($core: &mut Core, $memory: &mut H::Memory<'_>, group: &Group<H>) -> bool {
                let $operands = group.operands[N];
                $done
            }
        }
    )*};
}

moving! {
    Mov = |core, memory, operands| {
        core.set(operands.a, core.source(operands), memory);
        true
    };
    MovBy = |core, memory, operands| {
        core.set(operands.a, operands.value, memory);
        true
    };
    Swap = |core, memory, operands| {
        let (d, s) = (core.at(operands.a), core.at(operands.b));
        core.set(operands.b, d, memory);
        core.set(operands.a, s, memory);
        true
    };
    Ldw = |core, memory, operands| {
        let address = core.source(operands);
        let Some(word) = memory.word(address) else { return false };
        memory.read(address, 2);
        core.set(operands.a, word, memory);
        true
    };
    Ldb = |core, memory, operands| {
        let Some(byte) = byte(core, memory, operands) else { return false };
        core.set(operands.a, byte.into(), memory);
        true
    };
    Ldsb = |core, memory, operands| {
        let Some(byte) = byte(core, memory, operands) else { return false };
        core.set(operands.a, alu::sign_extended(byte), memory);
        true
    };
    Stw = |core, memory, operands| { memory.put_word(core.source(operands), core.at(operands.a), 0) };
    Stb = |core, memory, operands| { memory.put_byte(core.source(operands), core.at(operands.a).to_le_bytes()[0]) };
    Push = |core, memory, operands| {
        let sp = core.registers[STACK].wrapping_sub(2);
        let done = memory.put_word(sp, core.at(operands.a), operands.a.wrapping_add(1));
        if done {
            core.set_stack(sp, memory);
        }
        done
    };
    Pop = |core, memory, operands| {
        let sp = core.registers[STACK];
        let behind = sp.wrapping_add(2);
        let Some(word) = memory.word(sp).filter(|_| core.routines.stay(behind.into())) else { return false };
        memory.read(sp, 2);
        core.set_stack(behind, memory);
        core.set(operands.a, word, memory);
        true
    };
}

/// What a load of a byte finds.
#[inline(always)]
fn byte(core: &Core, memory: &mut impl Access, operands: Operands) -> Option<u8> {
    let address = core.source(operands);
    let byte = memory.byte(address)?;
    memory.read(address, 1);
    Some(byte)
}

// ---- functions of groups

groups! {
    W16<Hook>;
    /// Nothing but going on: `nop`, or a jump that is always taken.
    none<;> |core, memory, table, group, left| onward(core, memory, table, group, group.next.into(), left);
    one<A: Part 0;> |core, memory, table, group, left| onward(core, memory, table, group, group.next.into(), left);
    two<A: Part 0, B: Part 1;> |core, memory, table, group, left| onward(core, memory, table, group, group.next.into(), left);
    three<A: Part 0, B: Part 1, D: Part 2;> |core, memory, table, group, left| {
        onward(core, memory, table, group, group.next.into(), left)
    };
    branch<; COND: usize> |core, memory, table, group, left| {
        let taken = core.flags().holds(Cond::ALL[COND]);
        turn(core, memory, table, group, left, taken)
    };
    count<;> |core, memory, table, group, left| {
        let taken = counted(core, memory, group.operands[0]);
        turn(core, memory, table, group, left, taken)
    };
    one_count<A: Part 0;> |core, memory, table, group, left| {
        let taken = counted(core, memory, group.operands[1]);
        turn(core, memory, table, group, left, taken)
    };
    two_count<A: Part 0, B: Part 1;> |core, memory, table, group, left| {
        let taken = counted(core, memory, group.operands[2]);
        turn(core, memory, table, group, left, taken)
    };
    call<;> |core, memory, table, group, left| {
        if !entered(core, memory, group, group.target << 1, left) {
            return missed(group, left, 0);
        }
        onward(core, memory, table, group, group.target.into(), left)
    };
    one_call<A: Part 0;> |core, memory, table, group, left| {
        if !entered(core, memory, group, group.target << 1, left) {
            return missed(group, left, 1);
        }
        onward(core, memory, table, group, group.target.into(), left)
    };
    call_register<;> |core, memory, table, group, left| {
        let to = core.at(group.operands[0].a);
        if to & 1 != 0 || !entered(core, memory, group, to, left) {
            return missed(group, left, 0);
        }
        onward(core, memory, table, group, (to >> 1).into(), left)
    };
    jump_register<;> |core, memory, table, group, left| {
        let to = core.at(group.operands[0].a);
        if to & 1 != 0 || u32::from(to >> 1) == group.place {
            return missed(group, left, 0);
        }
        onward(core, memory, table, group, (to >> 1).into(), left)
    };
    back<;> |core, memory, table, group, left| {
        let Some(to) = returned(core, memory) else { return missed(group, left, 0) };
        onward(core, memory, table, group, to.into(), left)
    };
    one_back<A: Part 0;> |core, memory, table, group, left| {
        let Some(to) = returned(core, memory) else { return missed(group, left, 1) };
        onward(core, memory, table, group, to.into(), left)
    };
}

/// A part that leaves flags, and a jump that asks for them.
pub(super) fn one_branch<H: Hook, A: Computes<H>, const COND: usize>(
    core: &mut Core,
    memory: &mut H::Memory<'_>,
    table: &[Group<H>],
    group: &Group<H>,
    left: Left,
) -> Out {
    let Some(flags) = A::compute::<0>(core, memory, group) else { return missed(group, left, 0) };
    turn(core, memory, table, group, left, flags.holds(Cond::ALL[COND]))
}

/// The same behind another part.
pub(super) fn two_branch<H: Hook, A: Part<W16<H>>, B: Computes<H>, const COND: usize>(
    core: &mut Core,
    memory: &mut H::Memory<'_>,
    table: &[Group<H>],
    group: &Group<H>,
    left: Left,
) -> Out {
    if !A::run::<0>(core, memory, group) {
        return missed(group, left, 0);
    }
    let Some(flags) = B::compute::<1>(core, memory, group) else { return missed(group, left, 1) };
    turn(core, memory, table, group, left, flags.holds(Cond::ALL[COND]))
}

/// A part that writes the stack pointer, where no frame is left by that.
pub(super) fn stack<H: Hook, A: Part<W16<H>>>(
    core: &mut Core,
    memory: &mut H::Memory<'_>,
    table: &[Group<H>],
    group: &Group<H>,
    left: Left,
) -> Out {
    memory.begins(group.place);
    let before = (core.registers[STACK], core.operands, core.mark);
    if !A::run::<0>(core, memory, group) {
        return missed(group, left, 0);
    }
    if !core.routines.stay(core.registers[STACK].into()) {
        (core.registers[STACK], core.operands, core.mark) = before;
        return missed(group, left, 0);
    }
    onward(core, memory, table, group, group.next.into(), left)
}

/// Counts a register down; it is not 0.
#[inline(always)]
fn counted(core: &mut Core, memory: &mut impl Access, operands: Operands) -> bool {
    let left = core.at(operands.a).wrapping_sub(1);
    core.set(operands.a, left, memory);
    left != 0
}

/// Enters a routine; it is the last instruction of the group.
#[inline(always)]
fn entered<H: Hook>(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>, target: u16, left: Left) -> bool {
    let (sp, next) = (core.registers[STACK].wrapping_sub(2), group.next << 1);
    if !core.routines.has_room() || !memory.put_word(sp, next, NOTE_RETURN) {
        return false;
    }
    core.set_stack(sp, memory);
    let site = next.wrapping_sub(group.operands[LENGTH].value);
    core.routines.enter(sp.into(), next.into(), site.into(), target.into(), left);
    true
}

/// Leaves the innermost routine, and no other one; the place where that leads.
#[inline(always)]
fn returned(core: &mut Core, memory: &mut impl Access) -> Option<u16> {
    let sp = core.registers[STACK];
    let behind = sp.wrapping_add(2);
    let to = memory.word(sp).filter(|to| to & 1 == 0)?;
    if !core.routines.leave_below(behind.into()) {
        return None;
    }
    memory.read(sp, 2);
    memory.returns();
    core.set_stack(behind, memory);
    Some(to >> 1)
}

// ---- running

impl Machine {
    /// Runs as far as nothing rare comes up, in groups.
    pub(super) fn go_swiftly<T: Swift>(&mut self, limits: Limits, trace: &mut T) -> Exit {
        if self.around.calls.shallow.is_some() {
            return self.plainly(limits, trace);
        }
        let limits = Limits { cycles: self.cycle_horizon().min(limits.cycles), ..limits };
        loop {
            let Some(why) = self.swiftly(limits, trace) else { return self.plainly(limits, trace) };
            if why == Why::Observed {
                return Exit::Observed;
            }
            let at = self.state.cpu.pc;
            let is_over = self.state.common.steps >= limits.until || self.state.common.cycles >= limits.cycles;
            if why == Why::Unbuilt && at & 1 == 0 && !is_over {
                if self.slots.at(at).kind == Kind::Undecoded {
                    return Exit::Undecoded;
                }
                if self.build::<T::Hook>(at) {
                    continue;
                }
            }
            // One step the other way, and on.
            let until = (self.state.common.steps + 1).min(limits.until);
            let exit = self.plainly(Limits { until, ..limits }, trace);
            if !matches!(exit, Exit::Horizon) || self.state.common.steps < until {
                return exit;
            }
        }
    }

    /// Carries out groups until something is left to others, and why; `None` when there is too little left to begin.
    fn swiftly<T: Swift>(&mut self, limits: Limits, trace: &mut T) -> Option<Why> {
        let ends = Ends { step: limits.until, cycle: limits.cycles, watchful: self.around.settings.watchful };
        let Self { state, memory, slots, around, .. } = self;
        let (common, cpu) = (&mut state.common, &mut state.cpu);
        let now = (common.steps, common.cycles);
        if !ends.are_far(now) || cpu.pc & 1 != 0 {
            return None;
        }
        let begin = Begin {
            now,
            registers: &cpu.registers,
            flags: cpu.flags,
            known: cpu.known,
            depth: common.frames.depth(),
            timer: &common.board.timer,
        };
        let groups = T::Hook::groups(&mut slots.groups);
        groups.core.registers[..16].copy_from_slice(&cpu.registers);
        groups.core.begin_flags(cpu.flags & !I);
        groups.core.routines.begin(&mut common.frames, &around.calls, limits.depth);
        let place = (cpu.pc >> 1).into();
        let went = trace.along(&mut memory.planes, begin, |memory| groups.run(memory, place, now, ends));
        let core = &mut groups.core;
        cpu.registers.copy_from_slice(&core.registers[..16]);
        core.routines.settle(&mut common.frames, &mut around.calls);
        let (flags, writer) = (core.flags().bits(), core.flags_by());
        // What lies behind so many parts of the group at an address, with the steps and cycles of those.
        let along = |from: u16, parts: u8| {
            let (mut at, mut steps, mut cycles, mut left) = (from, 0, 0, parts);
            while left > 0 {
                let slot = slots.at(at);
                let jumps = slot.always_jumps();
                left -= u8::from(!jumps);
                (steps, cycles) = (steps + 1, cycles + u64::from(slot.cycles) + u64::from(jumps));
                at = if jumps { slot.value } else { slot.next };
            }
            (at, steps, cycles)
        };
        if let Some((group, number)) = writer {
            let (mut at, ..) = along(group, number);
            if slots.at(at).always_jumps() {
                at = slots.at(at).value;
            }
            cpu.flags = cpu.flags & I | flags;
            cpu.flag_writers[..2].fill(at);
        }
        let (at, steps, cycles) = along(u16::try_from(went.place).unwrap_or(0) << 1, went.at);
        (common.steps, common.cycles, cpu.pc) = (went.steps + steps, went.cycles + cycles, at);
        trace.went((common.steps, common.cycles));
        Some(went.why)
    }
}
