//! Carrying out several instructions in one go, where nobody looks.
//!
//! Each even address of code that runs has a [`Group`]: one to four instructions that follow each other, and the function
//! that does them all and calls that of the group behind them. Such a call is the last thing a function does, so that it
//! becomes a jump; since nothing guarantees that, no more than `CHUNK` cycles are done before the functions return.
//! An instruction within a group has a group of its own, so that jumps into the middle need no care.
//!
//! What a group cannot do is left to `plain`, with nothing of it done: an access that memory does not grant in one go, a
//! division by zero, a shift by no places, frames that are left otherwise than by a return. So are instructions that stop
//! the run, touch interrupts or call the host, registers that nobody has written yet, instructions that are patched, and
//! what does not fit before the step or the cycle the run is to come to. What instructions compute is told by `alu`;
//! groups are put together in `grouping`.

#![expect(
    clippy::inline_always,
    reason = "functions of groups are made of these, and call nothing but the next of their kind"
)]

use super::alu::{self, Flags, How};
use super::plain::{Exit, Limits, pair, put_pair};
use super::slots::{Kind, Slots};
use super::trace::Trace;
use super::{Machine, NOTE_RETURN};
use crate::frames::{Frame, FrameKind, Frames};
use crate::memory::{BYTES, LOAD_BYTE, LOAD_WORD, NOTES, Planes, QUICK, STORE_BYTE, STORE_WORD};
use wendax_isa::StepNo;
use wendax_isa::w16::{Cond, I, SP};

/// Cycles that are done at most before functions return, for [`Watchful::Usual`] and [`Watchful::Closely`]; each instruction
/// takes one at least.
const CHUNK: [u64; 2] = [4096, 40];
/// With fewer cycles to go it is not worth beginning, likewise.
const LEAST: [u64; 2] = [16, 1];
/// Words that the instructions of a group cover at most.
const COVERED: usize = 8;

/// The operands whose value is how long a call at the end of the group is.
pub(super) const CALL: usize = 2;

const STACK: usize = SP as usize;

/// What is left of a chunk: cycles in the upper half, and in the lower one how many steps were taken in it.
pub(super) type Left = i32;

/// One cycle of what is left.
pub(super) const CYCLE: Left = 1 << 16;

/// Carries out a group, whose cost has been taken off, and all that follow it.
pub(super) type Handler = fn(&mut Core, &mut Planes, &[Group], &Group, Left) -> Out;

/// Operands of an instruction, as those of a slot.
#[derive(Debug, Clone, Copy, Default)]
#[repr(C, align(4))]
pub(super) struct Operands {
    pub(super) a: u8,
    pub(super) b: u8,
    pub(super) value: u16,
}

/// Instructions that are done in one go.
#[derive(Debug, Clone, Copy)]
#[repr(C, align(32))]
pub(super) struct Group {
    pub(super) run: Handler,
    /// Its cycles, those of a jump that is taken among them, less its steps, as [`Left`] counts them.
    pub(super) cost: Left,
    /// Where it begins, in the upper half.
    pub(super) mark: u32,
    /// What follows it, behind a call the way back: half its address.
    pub(super) next: u16,
    /// Where a jump or a call at its end leads, likewise.
    pub(super) target: u16,
    pub(super) operands: [Operands; 3],
}

impl Group {
    /// The one that stands where none was put together.
    fn unbuilt(pc: u16) -> Self {
        Self::new(pc, unbuilt)
    }

    /// One at an address that does nothing yet, by this function.
    pub(super) fn new(pc: u16, run: Handler) -> Self {
        Self { run, cost: 0, mark: u32::from(pc) << 16, next: 0, target: 0, operands: [Operands::default(); 3] }
    }

    fn pc(&self) -> u16 {
        let [_, _, low, high] = self.mark.to_le_bytes();
        u16::from_le_bytes([low, high])
    }

    /// One that is always left to others.
    pub(super) fn other(pc: u16) -> Self {
        Self::new(pc, other)
    }
}

/// Where and why functions returned, in one number, so that what a function returns is what the one behind it did: see
/// [`Out::new`].
#[derive(Debug, Clone, Copy)]
#[repr(transparent)]
pub(super) struct Out(u64);

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(u8)]
enum Why {
    /// The next group does not fit in what is left.
    Spent,
    /// The next one was not put together.
    Unbuilt,
    /// Something in the group was left to others.
    Missed,
}

impl Out {
    /// What is left; the group that was not begun, or in which something was left to others; the number of that instruction
    /// in it, of which those before it were done.
    #[inline(always)]
    fn new(left: Left, pc: u16, at: u8, why: Why) -> Self {
        Self(u64::from(left.cast_unsigned()) | u64::from(pc) << 32 | u64::from(at) << 48 | u64::from(why as u8) << 56)
    }

    fn steps(self) -> u64 {
        self.0 & 0xFFFF
    }

    fn cycles_left(self) -> u64 {
        self.0 >> 16 & 0xFFFF
    }

    fn pc(self) -> u16 {
        let [.., low, high, _, _] = self.0.to_le_bytes();
        u16::from_le_bytes([low, high])
    }

    fn at(self) -> u8 {
        self.0.to_le_bytes()[6]
    }

    fn why(self) -> Why {
        match self.0 >> 56 {
            0 => Why::Spent,
            1 => Why::Unbuilt,
            _ => Why::Missed,
        }
    }
}

/// Registers, flags and frames while groups are carried out.
#[derive(Debug)]
pub(super) struct Core {
    /// Indexed by any byte, so that no index needs to be checked; only those that exist are ever set.
    registers: [u16; 256],
    /// What the flags come of: two numbers.
    operands: u32,
    /// In which way, by the number of a [`How`]; above that the number of the instruction in its group that wrote them, and
    /// the place of that group in the upper half.
    mark: u32,
    frames: Frames,
    /// Where the way back of the innermost frame lies; past all of memory when there is none.
    innermost: u32,
    /// With so many frames or fewer, none is left here: the run stops at some depth.
    floor: i64,
    /// The most frames there were.
    deepest: u32,
    /// The step at which the chunk began.
    base: u64,
}

/// Stands for no instruction of a group: the flags are as they were before.
const NOBODY_HERE: u8 = 0xFF;

impl Core {
    fn new() -> Self {
        Self {
            registers: [0; 256],
            operands: 0,
            mark: 0,
            frames: Frames::default(),
            innermost: 0,
            floor: 0,
            deepest: 0,
            base: 0,
        }
    }

    /// Flags, and who wrote them: the instruction with this number of a group.
    #[inline(always)]
    fn set_flags(&mut self, flags: Flags, group: &Group, number: u8) {
        self.operands = u32::from(flags.a) | u32::from(flags.b) << 16;
        self.mark = group.mark | u32::from(number) << 8 | flags.how as u32;
    }

    /// Flags as they were before any group.
    fn begin_flags(&mut self, bits: u16) {
        self.operands = bits.into();
        self.mark = u32::from(NOBODY_HERE) << 8 | How::Bits as u32;
    }

    #[inline(always)]
    fn flags(&self) -> Flags {
        let [a, b, c, d] = self.operands.to_le_bytes();
        let how = match self.mark & 0xFF {
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
        let [_, number, low, high] = self.mark.to_le_bytes();
        (number != NOBODY_HERE).then(|| (u16::from_le_bytes([low, high]), number))
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

    #[inline(always)]
    fn set(&mut self, register: u8, value: u16) {
        self.registers[usize::from(register)] = value;
    }

    fn see_frames(&mut self) {
        self.innermost = self.frames.slots()[0].map_or(u32::MAX, |slot| slot.0);
    }
}

/// An instruction within a group.
pub(super) trait Part {
    /// Carries it out with the operands of this number; false when it is left to others, with nothing done.
    fn run<const N: usize>(core: &mut Core, planes: &mut Planes, group: &Group) -> bool;
}

/// An instruction within a group that leaves flags.
pub(super) trait Computes: Part {
    /// The same as [`Part::run`], which tells the flags it leaves.
    fn compute<const N: usize>(core: &mut Core, group: &Group) -> Option<Flags>;
}

/// Instructions that compute, from destination and source and the carry; `None` leaves them to others.
macro_rules! computing {
    ($($name:ident = |$d:pat_param, $s:pat_param, $core:pat_param| $result:expr, sets $sets:literal;)*) => {$(
        pub(super) struct $name;

        impl Part for $name {
            #[inline(always)]
            fn run<const N: usize>(core: &mut Core, _: &mut Planes, group: &Group) -> bool {
                Self::compute::<N>(core, group).is_some()
            }
        }

        impl Computes for $name {
            #[inline(always)]
            fn compute<const N: usize>(core: &mut Core, group: &Group) -> Option<Flags> {
                let operands = group.operands[N];
                let ($d, $s, $core) = (core.at(operands.a), core.source(operands), &*core);
                let result: Option<alu::Result> = $result;
                let (value, flags) = result?;
                if $sets {
                    core.set(operands.a, value);
                }
                core.set_flags(flags, group, N as u8);
                Some(flags)
            }
        }
    )*};
}

computing! {
    Add = |d, s, _| Some(alu::add(d, s)), sets true;
    Adc = |d, s, core| Some(alu::adc(d, s, core.flags().carry())), sets true;
    Sub = |d, s, _| Some(alu::sub(d, s)), sets true;
    Sbc = |d, s, core| Some(alu::sbc(d, s, core.flags().carry())), sets true;
    Cmp = |d, s, _| Some(alu::sub(d, s)), sets false;
    And = |d, s, _| Some(alu::and(d, s)), sets true;
    Or = |d, s, _| Some(alu::or(d, s)), sets true;
    Xor = |d, s, _| Some(alu::xor(d, s)), sets true;
    Tst = |d, s, _| Some(alu::and(d, s)), sets false;
    Shl = |d, s, _| (s & 15 != 0).then(|| alu::shl(d, s)), sets true;
    Shr = |d, s, _| (s & 15 != 0).then(|| alu::shr(d, s)), sets true;
    Asr = |d, s, _| (s & 15 != 0).then(|| alu::asr(d, s)), sets true;
    Mul = |d, s, _| Some(alu::mul(d, s)), sets true;
    Mulh = |d, s, _| Some(alu::mulh(d, s)), sets true;
    Mulhs = |d, s, _| Some(alu::mulhs(d, s)), sets true;
    Div = |d, s, _| alu::div(d, s), sets true;
    Mod = |d, s, _| alu::modulo(d, s), sets true;
    Divs = |d, s, _| alu::divs(d, s), sets true;
    Mods = |d, s, _| alu::mods(d, s), sets true;
    Not = |d, _, _| Some(alu::not(d)), sets true;
    Neg = |d, _, _| Some(alu::neg(d)), sets true;
    Swapb = |d, _, _| Some(alu::swapb(d)), sets true;
    Extb = |d, _, _| Some(alu::extb(d)), sets true;
    Rlc = |d, _, core| Some(alu::rlc(d, core.flags().carry())), sets true;
    Rrc = |d, _, core| Some(alu::rrc(d, core.flags().carry())), sets true;
}

/// Instructions that move; false leaves them to others.
macro_rules! moving {
    ($($name:ident = |$core:ident, $planes:pat_param, $operands:ident| $done:block;)*) => {$(
        pub(super) struct $name;

        impl Part for $name {
            #[inline(always)]
            fn run<const N: usize>($core: &mut Core, $planes: &mut Planes, group: &Group) -> bool {
                let $operands = group.operands[N];
                $done
            }
        }
    )*};
}

#[inline(always)]
fn may(planes: &Planes, address: u16, what: u8) -> bool {
    planes[QUICK][usize::from(address)] & what != 0
}

/// Stores a word where that may be done in one go.
#[inline(always)]
fn put_word(planes: &mut Planes, address: u16, value: u16, note: u8) -> bool {
    let may = may(planes, address, STORE_WORD);
    if may {
        put_pair(planes, address, value);
        planes[NOTES][usize::from(address >> 1)] = note;
    }
    may
}

moving! {
    Mov = |core, _, operands| {
        core.set(operands.a, core.source(operands));
        true
    };
    Swap = |core, _, operands| {
        let (d, s) = (core.at(operands.a), core.at(operands.b));
        core.set(operands.b, d);
        core.set(operands.a, s);
        true
    };
    Ldw = |core, planes, operands| {
        let address = core.source(operands);
        let may = may(planes, address, LOAD_WORD);
        if may {
            core.set(operands.a, pair(planes, address));
        }
        may
    };
    Ldb = |core, planes, operands| {
        let address = core.source(operands);
        let may = may(planes, address, LOAD_BYTE);
        if may {
            core.set(operands.a, planes[BYTES][usize::from(address)].into());
        }
        may
    };
    Ldsb = |core, planes, operands| {
        let address = core.source(operands);
        let may = may(planes, address, LOAD_BYTE);
        if may {
            core.set(operands.a, alu::sign_extended(planes[BYTES][usize::from(address)]));
        }
        may
    };
    Stw = |core, planes, operands| { put_word(planes, core.source(operands), core.at(operands.a), 0) };
    Stb = |core, planes, operands| {
        let address = core.source(operands);
        let may = may(planes, address, STORE_BYTE);
        if may {
            planes[BYTES][usize::from(address)] = core.at(operands.a).to_le_bytes()[0];
            planes[NOTES][usize::from(address >> 1)] = 0;
        }
        may
    };
    Push = |core, planes, operands| {
        let sp = core.registers[STACK].wrapping_sub(2);
        let done = put_word(planes, sp, core.at(operands.a), operands.a.wrapping_add(1));
        if done {
            core.registers[STACK] = sp;
        }
        done
    };
    Pop = |core, planes, operands| {
        let sp = core.registers[STACK];
        let behind = sp.wrapping_add(2);
        let may = may(planes, sp, LOAD_WORD) && core.innermost >= u32::from(behind);
        if may {
            core.registers[STACK] = behind;
            core.set(operands.a, pair(planes, sp));
        }
        may
    };
}

// ---- functions of groups

/// The group is left to others from this instruction on.
#[cold]
#[inline(always)]
fn missed(group: &Group, left: Left, at: u8) -> Out {
    Out::new(left.wrapping_add(group.cost), group.pc(), at, Why::Missed)
}

/// Never put together.
fn unbuilt(_: &mut Core, _: &mut Planes, _: &[Group], group: &Group, left: Left) -> Out {
    Out::new(left, group.pc(), 0, Why::Unbuilt)
}

/// Goes on with the group at an address, of which this is half.
#[inline(always)]
fn on(core: &mut Core, planes: &mut Planes, table: &[Group], half: u16, left: Left) -> Out {
    let Some(group) = table.get(usize::from(half)) else {
        return Out::new(left, half << 1, 0, Why::Unbuilt);
    };
    let rest = left.wrapping_sub(group.cost);
    if rest < 0 {
        return Out::new(left, half << 1, 0, Why::Spent);
    }
    (group.run)(core, planes, table, group, rest)
}

/// The same behind a jump that is taken or not.
#[inline(always)]
fn turn(core: &mut Core, planes: &mut Planes, table: &[Group], group: &Group, left: Left, is_taken: bool) -> Out {
    if is_taken {
        on(core, planes, table, group.target, left)
    } else {
        on(core, planes, table, group.next, left.wrapping_add(CYCLE))
    }
}

/// Carries out parts, each with the operands of its number, or returns.
macro_rules! parts {
    ($core:ident, $planes:ident, $group:ident, $left:ident: $($part:ident $number:literal),*) => {
        $(if !$part::run::<$number>($core, $planes, $group) {
            return missed($group, $left, $number);
        })*
    };
}

/// Defines the function of a group: its parts, and how it goes on.
macro_rules! groups {
    ($($(#[$doc:meta])* $name:ident<$($part:ident $number:literal),*; $($cond:ident)?> |$core:ident, $planes:ident, $table:ident, $group:ident, $left:ident| $end:expr;)*) => {$(
        $(#[$doc])*
        pub(super) fn $name<$($part: Part,)* $(const $cond: usize)?>(
            $core: &mut Core,
            $planes: &mut Planes,
            $table: &[Group],
            $group: &Group,
            $left: Left,
        ) -> Out {
            parts!($core, $planes, $group, $left: $($part $number),*);
            $end
        }
    )*};
}

groups! {
    /// Nothing but going on: `nop`, or a jump that is always taken.
    none<;> |core, planes, table, group, left| on(core, planes, table, group.next, left);
    one<A 0;> |core, planes, table, group, left| on(core, planes, table, group.next, left);
    two<A 0, B 1;> |core, planes, table, group, left| on(core, planes, table, group.next, left);
    three<A 0, B 1, D 2;> |core, planes, table, group, left| on(core, planes, table, group.next, left);
    branch<; COND> |core, planes, table, group, left| {
        let taken = core.flags().holds(Cond::ALL[COND]);
        turn(core, planes, table, group, left, taken)
    };
    count<;> |core, planes, table, group, left| {
        let taken = counted(core, group.operands[0]);
        turn(core, planes, table, group, left, taken)
    };
    one_count<A 0;> |core, planes, table, group, left| {
        let taken = counted(core, group.operands[1]);
        turn(core, planes, table, group, left, taken)
    };
    two_count<A 0, B 1;> |core, planes, table, group, left| {
        let taken = counted(core, group.operands[2]);
        turn(core, planes, table, group, left, taken)
    };
    call<;> |core, planes, table, group, left| {
        if !entered(core, planes, group, group.target << 1, left) {
            return missed(group, left, 0);
        }
        on(core, planes, table, group.target, left)
    };
    one_call<A 0;> |core, planes, table, group, left| {
        if !entered(core, planes, group, group.target << 1, left) {
            return missed(group, left, 1);
        }
        on(core, planes, table, group.target, left)
    };
    call_register<;> |core, planes, table, group, left| {
        let to = core.at(group.operands[0].a);
        if to & 1 != 0 || !entered(core, planes, group, to, left) {
            return missed(group, left, 0);
        }
        on(core, planes, table, to >> 1, left)
    };
    jump_register<;> |core, planes, table, group, left| {
        let to = core.at(group.operands[0].a);
        if to & 1 != 0 || to == group.pc() {
            return missed(group, left, 0);
        }
        on(core, planes, table, to >> 1, left)
    };
    back<;> |core, planes, table, group, left| {
        let Some(to) = returned(core, planes) else { return missed(group, left, 0) };
        on(core, planes, table, to >> 1, left)
    };
    one_back<A 0;> |core, planes, table, group, left| {
        let Some(to) = returned(core, planes) else { return missed(group, left, 1) };
        on(core, planes, table, to >> 1, left)
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
pub(super) fn two_branch<A: Part, B: Computes, const COND: usize>(
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
pub(super) fn stack<A: Part>(core: &mut Core, planes: &mut Planes, table: &[Group], group: &Group, left: Left) -> Out {
    let before = (core.registers[STACK], core.operands, core.mark);
    if !A::run::<0>(core, planes, group) {
        return missed(group, left, 0);
    }
    if core.innermost < u32::from(core.registers[STACK]) {
        (core.registers[STACK], core.operands, core.mark) = before;
        return missed(group, left, 0);
    }
    on(core, planes, table, group.next, left)
}

/// Never begun: the instruction is one for others.
fn other(_: &mut Core, _: &mut Planes, _: &[Group], group: &Group, left: Left) -> Out {
    missed(group, left, 0)
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
    if !core.frames.has_room() || !put_word(planes, sp, next, NOTE_RETURN) {
        return false;
    }
    core.registers[STACK] = sp;
    // The step of the call is the last of those that have been counted.
    let step = core.base.wrapping_add(u64::from(left as u16)).wrapping_sub(1);
    let site = next.wrapping_sub(group.operands[CALL].value);
    core.frames.enter(Frame {
        slot: sp.into(),
        back: next.into(),
        site: site.into(),
        target: target.into(),
        step: StepNo(step),
        kind: FrameKind::Call,
    });
    core.innermost = sp.into();
    core.deepest = core.deepest.max(core.frames.count());
    true
}

/// Leaves the innermost routine, and no other one; where that leads.
#[inline(always)]
fn returned(core: &mut Core, planes: &Planes) -> Option<u16> {
    let sp = core.registers[STACK];
    let to = pair(planes, sp);
    let behind = sp.wrapping_add(2);
    if !may(planes, sp, LOAD_WORD) || to & 1 != 0 {
        return None;
    }
    if core.innermost < u32::from(behind) {
        let around = core.frames.slots()[1].map_or(u32::MAX, |slot| slot.0);
        if core.frames.depth() <= core.floor || around < u32::from(behind) {
            return None;
        }
        core.frames.leave_innermost();
        core.innermost = around;
    }
    core.registers[STACK] = behind;
    Some(to)
}

// ---- the table

/// Groups of all code that ran, and what they work on. A copy has none of them: it puts its own together.
#[derive(Debug)]
pub(super) struct Groups {
    table: Vec<Group>,
    /// Registers that groups write without saying that they are known from then on.
    needed: u16,
    core: Box<Core>,
}

impl Default for Groups {
    fn default() -> Self {
        Self { table: Vec::new(), needed: 0, core: Box::new(Core::new()) }
    }
}

impl Clone for Groups {
    fn clone(&self) -> Self {
        Self::default()
    }
}

fn unbuilt_at(index: usize) -> Group {
    Group::unbuilt(u16::try_from(index * 2).unwrap_or(0))
}

impl Groups {
    /// The group at an address is this one; registers that it writes are known.
    pub(super) fn set(&mut self, group: Group, writes: u16) {
        let index = usize::from(group.pc() >> 1);
        if index >= self.table.len() {
            let to = (index + 1).next_multiple_of(super::PAGE_WORDS);
            self.table.extend((self.table.len()..to).map(unbuilt_at));
        }
        self.table[index] = group;
        self.needed |= writes;
    }

    /// Slots from this one on changed: groups that cover one of them are put together anew.
    pub(super) fn forget(&mut self, index: usize, count: usize) {
        let to = (index + count).min(self.table.len());
        let from = index.saturating_sub(COVERED - 1).min(to);
        for index in from..to {
            self.table[index] = unbuilt_at(index);
        }
    }

    /// Only these registers are known now.
    pub(super) fn known(&mut self, known: u16) {
        if self.needed & !known != 0 {
            self.table.clear();
            self.needed = 0;
        }
    }
}

// ---- running

impl Machine {
    /// Runs as far as nothing rare comes up, the fastest way there is.
    pub(super) fn go<T: Trace>(&mut self, limits: Limits, trace: &mut T) -> Exit {
        if !T::IS_BLIND || self.around.calls.shallow.is_some() {
            return self.plainly(limits, trace);
        }
        let horizon = self.cycle_horizon().min(limits.cycles);
        loop {
            let (at, why) = match self.swiftly(Limits { cycles: horizon, ..limits }) {
                Ok(out) => out,
                Err(()) => return self.plainly(limits, trace),
            };
            let is_over = self.state.common.steps >= limits.until || self.state.common.cycles >= horizon;
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

    /// Carries out groups until one is to be left to others; where that is, and why. Nothing else is left undone. An error
    /// when there is too little left to begin.
    fn swiftly(&mut self, limits: Limits) -> Result<(u16, Why), ()> {
        let watchful = self.around.settings.watchful as usize;
        let (chunk, fewest) = (CHUNK[watchful], LEAST[watchful]);
        let least = limits
            .until
            .saturating_sub(self.state.common.steps)
            .min(limits.cycles.saturating_sub(self.state.common.cycles));
        if least < fewest || self.state.cpu.pc & 1 != 0 {
            return Err(());
        }
        let Self { state, memory, slots, around, .. } = self;
        let Slots { groups, .. } = slots;
        let Groups { table, core, .. } = groups;
        let common = &mut state.common;
        core.registers[..16].copy_from_slice(&state.cpu.registers);
        core.begin_flags(state.cpu.flags & !I);
        core.frames = std::mem::take(&mut common.frames);
        core.see_frames();
        core.floor = limits.depth.saturating_add(1);
        core.deepest = around.calls.deepest;
        let (mut steps, mut cycles, mut pc) = (common.steps, common.cycles, state.cpu.pc);
        let (why, at) = loop {
            let left = limits.until.saturating_sub(steps).min(limits.cycles.saturating_sub(cycles)).min(chunk);
            if left < fewest {
                break (Why::Spent, 0);
            }
            core.base = steps;
            let out = on(core, &mut memory.planes, table, pc >> 1, (left as Left) << 16);
            steps += out.steps();
            cycles += left - out.cycles_left();
            pc = out.pc();
            if out.why() != Why::Spent || left < chunk {
                break (out.why(), out.at());
            }
        };
        let writer = core.flags_by();
        let flags = core.flags().bits();
        let deepest = core.deepest;
        state.cpu.registers.copy_from_slice(&core.registers[..16]);
        common.frames = std::mem::take(&mut core.frames);
        around.calls.deepest = deepest;
        for _ in 0..at {
            let slot = slots.at(pc);
            (steps, cycles, pc) = (steps + 1, cycles + u64::from(slot.cycles), slot.next);
        }
        if let Some((writer, number)) = writer {
            let writer = (0..number).fold(writer, |at, _| slots.at(at).next);
            state.cpu.flags = state.cpu.flags & I | flags;
            state.cpu.flag_writers[..2].fill(writer);
        }
        (common.steps, common.cycles, state.cpu.pc) = (steps, cycles, pc);
        Ok((pc, why))
    }
}
