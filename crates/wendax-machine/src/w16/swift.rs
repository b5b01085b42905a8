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
use super::plain::{Exit, Limits};
use super::slots::Kind;
use super::trace::Trace;
use super::{Machine, NOTE_RETURN};
use crate::memory::{Planes, put_quick_byte, put_quick_word, quick_byte, quick_word};
use crate::swift::{Ends, Engine, Left, Out, Part, Routines, Why, groups, missed, on, turn};
use wendax_isa::w16::{Cond, I, SP};

/// Words that the instructions of a group cover at most, but for the first.
pub(super) const COVERED: usize = 7;

/// The operands whose value is how long a call at the end of the group is.
pub(super) const CALL: usize = 2;

const STACK: usize = SP as usize;

/// The machine, as groups see it: the number of a place is half its address.
#[derive(Debug, Clone, Copy)]
pub(super) struct W16;

pub(super) type Group = crate::swift::Group<W16>;
pub(super) type Groups = crate::swift::Groups<W16>;
pub(super) type Handler = crate::swift::Handler<W16>;

impl Engine for W16 {
    type Core = Core;
    type Memory = Planes;
    type Operands = Operands;
    type Place = u16;
    const MOST: usize = 0x8000;

    fn core() -> Core {
        Core { registers: [0; 256], operands: 0, mark: 0, routines: Routines::default() }
    }

    fn routines(core: &mut Core) -> &mut Routines {
        &mut core.routines
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
    registers: [u16; 256],
    /// What the flags come of: two numbers.
    operands: u32,
    /// In which way, by the number of a [`How`], the number of the instruction in its group that wrote them, and the place of
    /// that group.
    mark: u32,
    routines: Routines,
}

/// Stands for no instruction of a group: the flags are as they were before.
const NOBODY_HERE: u8 = 0xFF;

impl Core {
    /// Flags, and who wrote them: the instruction with this number of a group.
    #[inline(always)]
    fn set_flags(&mut self, flags: Flags, group: &Group, number: usize) {
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
    fn set(&mut self, register: u8, value: u16) {
        self.registers[usize::from(register)] = value;
    }
}

/// An instruction within a group that leaves flags.
pub(super) trait Computes: Part<W16> {
    /// The same as [`Part::run`], which tells the flags it leaves.
    fn compute<const N: usize>(core: &mut Core, group: &Group) -> Option<Flags>;
}

/// Instructions that compute, from destination and source and the carry; `None` leaves them to others. Those named `…By` are for a
/// constant alone, which for shifts is not 0.
macro_rules! computing {
    ($($name:ident = |$d:pat_param, $source:ident $s:pat_param, $core:pat_param| $result:expr, sets $sets:literal;)*) => {$(
        pub(super) struct $name;

        impl Part<W16> for $name {
            #[inline(always)]
            fn run<const N: usize>(core: &mut Core, _: &mut Planes, group: &Group) -> bool {
                Self::compute::<N>(core, group).is_some()
            }
        }

        impl Computes for $name {
            #[inline(always)]
            fn compute<const N: usize>(core: &mut Core, group: &Group) -> Option<Flags> {
                let operands = group.operands[N];
                let ($d, $s, $core) = (core.at(operands.a), core.$source(operands), &*core);
                let result: Option<alu::Result> = $result;
                let (value, flags) = result?;
                if $sets {
                    core.set(operands.a, value);
                }
                core.set_flags(flags, group, N);
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
    ($($name:ident = |$core:ident, $planes:pat_param, $operands:ident| $done:block;)*) => {$(
        pub(super) struct $name;

        impl Part<W16> for $name {
            #[inline(always)]
            fn run<const N: usize>($core: &mut Core, $planes: &mut Planes, group: &Group) -> bool {
                let $operands = group.operands[N];
                $done
            }
        }
    )*};
}

moving! {
    Mov = |core, _, operands| {
        core.set(operands.a, core.source(operands));
        true
    };
    MovBy = |core, _, operands| {
        core.set(operands.a, operands.value);
        true
    };
    Swap = |core, _, operands| {
        let (d, s) = (core.at(operands.a), core.at(operands.b));
        core.set(operands.b, d);
        core.set(operands.a, s);
        true
    };
    Ldw = |core, planes, operands| {
        let Some(word) = quick_word(planes, core.source(operands)) else { return false };
        core.set(operands.a, word);
        true
    };
    Ldb = |core, planes, operands| {
        let Some(byte) = quick_byte(planes, core.source(operands)) else { return false };
        core.set(operands.a, byte.into());
        true
    };
    Ldsb = |core, planes, operands| {
        let Some(byte) = quick_byte(planes, core.source(operands)) else { return false };
        core.set(operands.a, alu::sign_extended(byte));
        true
    };
    Stw = |core, planes, operands| { put_quick_word(planes, core.source(operands), core.at(operands.a), 0) };
    Stb = |core, planes, operands| {
        put_quick_byte(planes, core.source(operands), core.at(operands.a).to_le_bytes()[0])
    };
    Push = |core, planes, operands| {
        let sp = core.registers[STACK].wrapping_sub(2);
        let done = put_quick_word(planes, sp, core.at(operands.a), operands.a.wrapping_add(1));
        if done {
            core.registers[STACK] = sp;
        }
        done
    };
    Pop = |core, planes, operands| {
        let sp = core.registers[STACK];
        let behind = sp.wrapping_add(2);
        let Some(word) = quick_word(planes, sp).filter(|_| core.routines.stay(behind.into())) else { return false };
        core.registers[STACK] = behind;
        core.set(operands.a, word);
        true
    };
}

// ---- functions of groups

groups! {
    W16;
    /// Nothing but going on: `nop`, or a jump that is always taken.
    none<;> |core, planes, table, group, left| on(core, planes, table, group.next.into(), left);
    one<A: Part 0;> |core, planes, table, group, left| on(core, planes, table, group.next.into(), left);
    two<A: Part 0, B: Part 1;> |core, planes, table, group, left| on(core, planes, table, group.next.into(), left);
    three<A: Part 0, B: Part 1, D: Part 2;> |core, planes, table, group, left| {
        on(core, planes, table, group.next.into(), left)
    };
    branch<; COND: usize> |core, planes, table, group, left| {
        let taken = core.flags().holds(Cond::ALL[COND]);
        turn(core, planes, table, group, left, taken)
    };
    count<;> |core, planes, table, group, left| {
        let taken = counted(core, group.operands[0]);
        turn(core, planes, table, group, left, taken)
    };
    one_count<A: Part 0;> |core, planes, table, group, left| {
        let taken = counted(core, group.operands[1]);
        turn(core, planes, table, group, left, taken)
    };
    two_count<A: Part 0, B: Part 1;> |core, planes, table, group, left| {
        let taken = counted(core, group.operands[2]);
        turn(core, planes, table, group, left, taken)
    };
    call<;> |core, planes, table, group, left| {
        if !entered(core, planes, group, group.target << 1, left) {
            return missed(group, left, 0);
        }
        on(core, planes, table, group.target.into(), left)
    };
    one_call<A: Part 0;> |core, planes, table, group, left| {
        if !entered(core, planes, group, group.target << 1, left) {
            return missed(group, left, 1);
        }
        on(core, planes, table, group.target.into(), left)
    };
    call_register<;> |core, planes, table, group, left| {
        let to = core.at(group.operands[0].a);
        if to & 1 != 0 || !entered(core, planes, group, to, left) {
            return missed(group, left, 0);
        }
        on(core, planes, table, (to >> 1).into(), left)
    };
    jump_register<;> |core, planes, table, group, left| {
        let to = core.at(group.operands[0].a);
        if to & 1 != 0 || u32::from(to >> 1) == group.place {
            return missed(group, left, 0);
        }
        on(core, planes, table, (to >> 1).into(), left)
    };
    back<;> |core, planes, table, group, left| {
        let Some(to) = returned(core, planes) else { return missed(group, left, 0) };
        on(core, planes, table, to.into(), left)
    };
    one_back<A: Part 0;> |core, planes, table, group, left| {
        let Some(to) = returned(core, planes) else { return missed(group, left, 1) };
        on(core, planes, table, to.into(), left)
    };
}

/// A part that leaves flags, and a jump that asks for them.
pub(super) fn one_branch<A: Computes, const COND: usize>(
    core: &mut Core,
    planes: &mut Planes,
    table: &[Group],
    group: &Group,
    left: Left,
) -> Out {
    let Some(flags) = A::compute::<0>(core, group) else { return missed(group, left, 0) };
    turn(core, planes, table, group, left, flags.holds(Cond::ALL[COND]))
}

/// The same behind another part.
pub(super) fn two_branch<A: Part<W16>, B: Computes, const COND: usize>(
    core: &mut Core,
    planes: &mut Planes,
    table: &[Group],
    group: &Group,
    left: Left,
) -> Out {
    if !A::run::<0>(core, planes, group) {
        return missed(group, left, 0);
    }
    let Some(flags) = B::compute::<1>(core, group) else { return missed(group, left, 1) };
    turn(core, planes, table, group, left, flags.holds(Cond::ALL[COND]))
}

/// A part that writes the stack pointer, where no frame is left by that.
pub(super) fn stack<A: Part<W16>>(
    core: &mut Core,
    planes: &mut Planes,
    table: &[Group],
    group: &Group,
    left: Left,
) -> Out {
    let before = (core.registers[STACK], core.operands, core.mark);
    if !A::run::<0>(core, planes, group) {
        return missed(group, left, 0);
    }
    if !core.routines.stay(core.registers[STACK].into()) {
        (core.registers[STACK], core.operands, core.mark) = before;
        return missed(group, left, 0);
    }
    on(core, planes, table, group.next.into(), left)
}

/// Counts a register down; it is not 0.
#[inline(always)]
fn counted(core: &mut Core, operands: Operands) -> bool {
    let left = core.at(operands.a).wrapping_sub(1);
    core.set(operands.a, left);
    left != 0
}

/// Enters a routine; it is the last instruction of the group.
#[inline(always)]
fn entered(core: &mut Core, planes: &mut Planes, group: &Group, target: u16, left: Left) -> bool {
    let (sp, next) = (core.registers[STACK].wrapping_sub(2), group.next << 1);
    if !core.routines.has_room() || !put_quick_word(planes, sp, next, NOTE_RETURN) {
        return false;
    }
    core.registers[STACK] = sp;
    let site = next.wrapping_sub(group.operands[CALL].value);
    core.routines.enter(sp.into(), next.into(), site.into(), target.into(), left);
    true
}

/// Leaves the innermost routine, and no other one; the place where that leads.
#[inline(always)]
fn returned(core: &mut Core, planes: &Planes) -> Option<u16> {
    let sp = core.registers[STACK];
    let behind = sp.wrapping_add(2);
    let to = quick_word(planes, sp).filter(|to| to & 1 == 0)?;
    if !core.routines.leave_below(behind.into()) {
        return None;
    }
    core.registers[STACK] = behind;
    Some(to >> 1)
}

// ---- running

impl Machine {
    /// Runs as far as nothing rare comes up, the fastest way there is.
    pub(super) fn go<T: Trace>(&mut self, limits: Limits, trace: &mut T) -> Exit {
        if !T::IS_BLIND || self.around.calls.shallow.is_some() {
            return self.plainly(limits, trace);
        }
        let limits = Limits { cycles: self.cycle_horizon().min(limits.cycles), ..limits };
        loop {
            let Some(why) = self.swiftly(limits) else { return self.plainly(limits, trace) };
            let at = self.state.cpu.pc;
            let is_over = self.state.common.steps >= limits.until || self.state.common.cycles >= limits.cycles;
            if why == Why::Unbuilt && at & 1 == 0 && !is_over {
                if self.slots.at(at).kind == Kind::Undecoded {
                    return Exit::Undecoded;
                }
                if self.build(at) {
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
    fn swiftly(&mut self, limits: Limits) -> Option<Why> {
        let ends = Ends { step: limits.until, cycle: limits.cycles, watchful: self.around.settings.watchful };
        let Self { state, memory, slots, around, .. } = self;
        let (common, cpu) = (&mut state.common, &mut state.cpu);
        let now = (common.steps, common.cycles);
        if !ends.are_far(now) || cpu.pc & 1 != 0 {
            return None;
        }
        let core = &mut slots.groups.core;
        core.registers[..16].copy_from_slice(&cpu.registers);
        core.begin_flags(cpu.flags & !I);
        core.routines.begin(&mut common.frames, &around.calls, limits.depth);
        let went = slots.groups.run(&mut memory.planes, (cpu.pc >> 1).into(), now, ends);
        let core = &mut slots.groups.core;
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
        Some(went.why)
    }
}
