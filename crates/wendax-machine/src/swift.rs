//! Carrying out several instructions in one go: what all machines do alike.
//!
//! Each place of code that runs has a [`Group`]: instructions that follow each other, and the function that does them all and
//! calls that of the group behind them. Such a call is the last thing a function does, so that it becomes a jump; since
//! nothing guarantees that, no more than `CHUNK` cycles are done before the functions return. An instruction within a group
//! has a group of its own, so that jumps into the middle need no care.
//!
//! Where somebody is told of each instruction a group is of one alone, and what is told is said where it is done: see
//! [`Engine::TELLS`].
//!
//! What a group cannot do is left to the machine's own loop, with nothing of it done: see [`missed`]. A machine says what its
//! registers and its memory are ([`Engine`]), what its instructions do ([`Part`]), how its groups may end, and which
//! instructions it puts together.

#![expect(
    clippy::inline_always,
    reason = "functions of groups are made of these, and call nothing but the next of their kind"
)]

use crate::common::Calls;
use crate::events::Watchful;
use crate::frames::{Frame, FrameKind, Frames};
use std::fmt;
use std::ops::Range;
use wendax_isa::{Addr, StepNo};

/// Cycles that are done at most before functions return, for [`Watchful::Usual`] and [`Watchful::Closely`]; each instruction
/// takes one at least.
const CHUNK: [u64; 2] = [4096, 40];
/// With fewer cycles to go it is not worth beginning, likewise.
const LEAST: [u64; 2] = [16, 1];

/// What it costs to put a group together, in steps (measured): code that is written again and again has that done each time.
pub(crate) const BUILDING: u64 = 16;

/// Instructions of a group that have operands.
pub(crate) const PARTS: usize = 3;

/// What is left of a chunk: cycles in the upper half, and in the lower one how many steps were taken in it.
pub(crate) type Left = i32;

/// One cycle of what is left.
pub(crate) const CYCLE: Left = 1 << 16;

/// Steps that were taken in a chunk.
#[inline(always)]
fn steps_of(left: Left) -> u64 {
    u64::from(left.cast_unsigned() & 0xFFFF)
}

#[inline(always)]
fn cycles_of(left: Left) -> u64 {
    u64::from(left.cast_unsigned() >> 16)
}

/// What groups of a machine work on.
pub(crate) trait Engine: Sized + 'static {
    /// Registers, and what else groups need of the state.
    type Core: fmt::Debug;
    /// Memory as groups see it, and who is told of what is done, for as long as a run goes on.
    type Memory<'a>;
    /// Operands of an instruction.
    type Operands: Copy + Default + fmt::Debug;
    /// Where a group lies, as it is written down in others: places are counted from the first one there may be.
    type Place: Copy + Default + Into<u32> + fmt::Debug;
    /// As many places as there can be groups at.
    const MOST: usize;

    /// Registers of nothing.
    fn core() -> Self::Core;

    /// What of a core is about routines.
    fn routines(core: &mut Self::Core) -> &mut Routines;

    /// Somebody is told of each instruction: groups are of one alone then.
    const TELLS: bool = false;

    /// The instruction of a group is about to be carried out; one that is left to others is told of by those.
    #[inline(always)]
    fn begins(_memory: &mut Self::Memory<'_>, _group: &Group<Self>) {}

    /// It was carried out; false where the run is to stop.
    #[inline(always)]
    fn ended(_core: &mut Self::Core, _memory: &mut Self::Memory<'_>, _group: &Group<Self>, _turn: Turn) -> bool {
        true
    }
}

/// How a group of one instruction ended, which is told of.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Turn {
    /// What it cost, as [`Group::cost`] counts it.
    cost: Left,
    /// What is left behind it.
    pub(crate) left: Left,
    /// The place that follows.
    pub(crate) place: u32,
}

impl Turn {
    /// Cycles it took.
    #[inline(always)]
    pub(crate) fn cycles(self) -> u64 {
        cycles_of(self.cost.wrapping_add(1))
    }
}

/// Routines that are entered and left while groups are carried out.
#[derive(Debug, Default)]
pub(crate) struct Routines {
    frames: Frames,
    /// Where the stack stood when the innermost was entered; past all of memory when there is none.
    innermost: u64,
    /// With so many or fewer, none is left here: the run stops at some depth.
    floor: i64,
    /// The most there were.
    deepest: u32,
    /// The step at which the chunk began, and the cycle at which it ends.
    base: u64,
    end: u64,
}

impl Routines {
    /// Takes the frames of a state in, for a run that stops once there are only so many.
    pub(crate) fn begin(&mut self, frames: &mut Frames, calls: &Calls, depth: i64) {
        self.frames = std::mem::take(frames);
        (self.floor, self.deepest) = (depth.saturating_add(1), calls.deepest);
        self.look();
    }

    /// Gives them back.
    pub(crate) fn settle(&mut self, frames: &mut Frames, calls: &mut Calls) {
        *frames = std::mem::take(&mut self.frames);
        calls.deepest = self.deepest;
    }

    /// The frames there are.
    #[inline(always)]
    pub(crate) fn frames(&self) -> &Frames {
        &self.frames
    }

    /// Steps and cycles since the start, with so much left.
    #[inline(always)]
    pub(crate) fn now(&self, left: Left) -> (u64, u64) {
        (self.base.wrapping_add(steps_of(left)), self.end.wrapping_sub(cycles_of(left)))
    }

    fn look(&mut self) {
        self.innermost = self.frames.slots()[0].map_or(u64::MAX, |slot| slot.0.into());
    }

    /// None is left by a stack pointer that leads here.
    #[inline(always)]
    pub(crate) fn stay(&self, stack: u32) -> bool {
        self.innermost >= u64::from(stack)
    }

    /// One more can be entered.
    #[inline(always)]
    pub(crate) fn has_room(&self) -> bool {
        self.frames.has_room()
    }

    /// One is entered by the last instruction of a group, where the stack stands at `slot`.
    #[inline(always)]
    pub(crate) fn enter(&mut self, slot: Addr, back: Addr, site: Addr, target: Addr, left: Left) {
        // The step of the call is the last of those that have been counted.
        let step = StepNo(self.base.wrapping_add(steps_of(left)).wrapping_sub(1));
        self.frames.enter(Frame { slot, back, site, target, step, kind: FrameKind::Call });
        self.innermost = slot.0.into();
        self.deepest = self.deepest.max(self.frames.count());
    }

    /// The innermost one of which this holds is left, if there is one; false where the run may stop for that.
    #[inline(always)]
    pub(crate) fn leave(&mut self, is_it: impl Fn(&Frame) -> bool) -> bool {
        if self.frames.list().last().is_some_and(&is_it) {
            if self.frames.depth() <= self.floor {
                return false;
            }
            self.frames.leave_innermost();
        } else if self.floor > 0 {
            return false;
        } else {
            self.frames.leave_one(is_it);
        }
        self.look();
        true
    }

    /// All are left that a stack pointer which leads here leaves, of which there is one at most; false where there are more, or
    /// the run stops for that.
    #[inline(always)]
    pub(crate) fn leave_below(&mut self, stack: u32) -> bool {
        if self.stay(stack) {
            return true;
        }
        let around = self.frames.slots()[1].map_or(u64::MAX, |slot| slot.0.into());
        if self.frames.depth() <= self.floor || around < u64::from(stack) {
            return false;
        }
        self.frames.leave_innermost();
        self.innermost = around;
        true
    }
}

/// Carries out a group, whose cost has been taken off, and all that follow it.
pub(crate) type Handler<E> =
    fn(&mut <E as Engine>::Core, &mut <E as Engine>::Memory<'_>, &[Group<E>], &Group<E>, Left) -> Out;

/// Instructions that are done in one go.
#[derive(Debug)]
#[repr(C)]
pub(crate) struct Group<E: Engine> {
    pub(crate) run: Handler<E>,
    /// Its cycles, those of a jump that is taken among them, less its steps, as [`Left`] counts them.
    pub(crate) cost: Left,
    /// Its place.
    pub(crate) place: u32,
    /// The place of what follows it; behind a call that of the way back.
    pub(crate) next: E::Place,
    /// The place where a jump or a call at its end leads.
    pub(crate) target: E::Place,
    pub(crate) operands: [E::Operands; PARTS],
}

impl<E: Engine> Group<E> {
    /// One that does nothing yet, by this function.
    pub(crate) fn new(place: u32, run: Handler<E>) -> Self {
        let (next, target) = Default::default();
        Self { run, cost: 0, place, next, target, operands: [E::Operands::default(); PARTS] }
    }

    /// One that is always left to others.
    pub(crate) fn other(place: u32) -> Self {
        Self::new(place, other::<E>)
    }
}

/// Where and why functions returned, in one number, so that what a function returns is what the one behind it did.
#[derive(Debug, Clone, Copy)]
#[repr(transparent)]
pub(crate) struct Out(u64);

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(u8)]
pub(crate) enum Why {
    /// The next group does not fit in what is left.
    Spent,
    /// The next one was not put together.
    Unbuilt,
    /// Something in the group was left to others.
    Missed,
    /// Who is told of instructions has seen enough.
    Observed,
}

impl Out {
    /// What is left; the place of the group that was not begun, or in which something was left to others; the number of that
    /// instruction in it, of which those before it were done.
    #[inline(always)]
    fn new(left: Left, place: u32, at: u8, why: Why) -> Self {
        Self(
            u64::from(left.cast_unsigned()) | u64::from(place) << 32 | u64::from(at) << 58 | u64::from(why as u8) << 62,
        )
    }

    fn left(self) -> Left {
        let [a, b, c, d, ..] = self.0.to_le_bytes();
        Left::from_le_bytes([a, b, c, d])
    }

    fn place(self) -> u32 {
        let [.., a, b, c, d] = self.0.to_le_bytes();
        u32::from_le_bytes([a, b, c, d & 3])
    }

    fn at(self) -> u8 {
        (self.0 >> 56).to_le_bytes()[0] >> 2 & 15
    }

    fn why(self) -> Why {
        match self.0 >> 62 {
            0 => Why::Spent,
            1 => Why::Unbuilt,
            2 => Why::Missed,
            _ => Why::Observed,
        }
    }
}

/// An instruction within a group.
pub(crate) trait Part<E: Engine> {
    /// Carries it out with the operands of this number; false when it is left to others, with nothing done.
    fn run<const N: usize>(core: &mut E::Core, memory: &mut E::Memory<'_>, group: &Group<E>) -> bool;
}

// ---- how functions of groups go on

/// The group is left to others from this instruction on.
#[cold]
#[inline(never)]
pub(crate) fn missed<E: Engine>(group: &Group<E>, left: Left, at: u8) -> Out {
    Out::new(left.wrapping_add(group.cost), group.place, at, Why::Missed)
}

#[cold]
#[inline(never)]
fn never_built(left: Left, place: u32) -> Out {
    Out::new(left, place, 0, Why::Unbuilt)
}

/// Who is told has seen enough.
#[cold]
#[inline(never)]
fn observed(left: Left, place: u32) -> Out {
    Out::new(left, place, 0, Why::Observed)
}

/// There was less left than this group costs.
#[cold]
#[inline(never)]
fn spent<E: Engine>(group: &Group<E>, rest: Left) -> Out {
    Out::new(rest.wrapping_add(group.cost), group.place, 0, Why::Spent)
}

/// Goes on with the group at a place.
#[inline(always)]
pub(crate) fn on<E: Engine>(
    core: &mut E::Core,
    memory: &mut E::Memory<'_>,
    table: &[Group<E>],
    place: u32,
    left: Left,
) -> Out {
    let Some(group) = table.get(place as usize) else {
        return never_built(left, place);
    };
    let rest = left.wrapping_sub(group.cost);
    if rest < 0 {
        return spent(group, rest);
    }
    (group.run)(core, memory, table, group, rest)
}

/// The same behind a group that was carried out.
#[inline(always)]
pub(crate) fn onward<E: Engine>(
    core: &mut E::Core,
    memory: &mut E::Memory<'_>,
    table: &[Group<E>],
    group: &Group<E>,
    place: u32,
    left: Left,
) -> Out {
    behind(core, memory, table, group, Turn { cost: group.cost, left, place })
}

/// The same behind a jump that is taken or not.
#[inline(always)]
pub(crate) fn turn<E: Engine>(
    core: &mut E::Core,
    memory: &mut E::Memory<'_>,
    table: &[Group<E>],
    group: &Group<E>,
    left: Left,
    is_taken: bool,
) -> Out {
    if is_taken {
        return onward(core, memory, table, group, group.target.into(), left);
    }
    let (cost, left) = (group.cost.wrapping_sub(CYCLE), left.wrapping_add(CYCLE));
    behind(core, memory, table, group, Turn { cost, left, place: group.next.into() })
}

#[inline(always)]
fn behind<E: Engine>(
    core: &mut E::Core,
    memory: &mut E::Memory<'_>,
    table: &[Group<E>],
    group: &Group<E>,
    turn: Turn,
) -> Out {
    if E::TELLS && !E::ended(core, memory, group, turn) {
        return observed(turn.left, turn.place);
    }
    on(core, memory, table, turn.place, turn.left)
}

/// Defines functions of groups: of parts, each with the operands of its number, and of how they go on behind those; for
/// everything that may be told of instructions.
macro_rules! groups {
    ($engine:ident<$hook:ident>;
        $($(#[$doc:meta])* $name:ident<$($part:ident: $kind:ident $number:literal),*; $($cond:ident: $of:ty)?>
        |$core:ident, $memory:ident, $table:ident, $group:ident, $left:ident| $end:expr;)*) => {$(
        $(#[$doc])*
        pub(super) fn $name<H: $hook, $($part: $kind<$engine<H>>,)* $(const $cond: $of)?>(
            $core: &mut <$engine<H> as $crate::swift::Engine>::Core,
            $memory: &mut <$engine<H> as $crate::swift::Engine>::Memory<'_>,
            $table: &[$crate::swift::Group<$engine<H>>],
            $group: &$crate::swift::Group<$engine<H>>,
            $left: $crate::swift::Left,
        ) -> $crate::swift::Out {
            <$engine<H> as $crate::swift::Engine>::begins($memory, $group);
            $(if !$part::run::<$number>($core, $memory, $group) {
                return $crate::swift::missed($group, $left, $number);
            })*
            $end
        }
    )*};
}

/// What is told of the type of the part that an operation is. `None` for operations that are not in the list.
macro_rules! with {
    ($op:expr, $operations:ident::[$($part:ident)*], $type:ident => $what:expr) => {
        match $op {
            $($operations::$part => {
                type $type = $part;
                $what
            })*
            _ => None,
        }
    };
}

/// What is told of something by its number, where that is one of these.
macro_rules! with_number {
    ($value:expr, [$($number:literal)*], $name:ident => $what:expr) => {
        match $value {
            $($number => {
                const $name: usize = $number;
                Some($what)
            })*
            _ => None,
        }
    };
}

pub(crate) use {groups, with, with_number};

/// Never put together.
fn unbuilt<E: Engine>(_: &mut E::Core, _: &mut E::Memory<'_>, _: &[Group<E>], group: &Group<E>, left: Left) -> Out {
    Out::new(left, group.place, 0, Why::Unbuilt)
}

fn other<E: Engine>(_: &mut E::Core, _: &mut E::Memory<'_>, _: &[Group<E>], group: &Group<E>, left: Left) -> Out {
    missed(group, left, 0)
}

// ---- the table

/// Groups of all code that ran, and what they work on. A copy has none of them: it puts its own together.
#[derive(Debug)]
pub(crate) struct Groups<E: Engine> {
    table: Vec<Group<E>>,
    /// Registers that groups write without saying that they are known from then on.
    needed: u32,
    /// Groups that go on behind a jump, by their places, and the places they cover there.
    far: Vec<(u32, Range<usize>)>,
    pub(crate) core: Box<E::Core>,
}

impl<E: Engine> Default for Groups<E> {
    fn default() -> Self {
        Self { table: Vec::new(), needed: 0, far: Vec::new(), core: Box::new(E::core()) }
    }
}

impl<E: Engine> Clone for Groups<E> {
    fn clone(&self) -> Self {
        Self::default()
    }
}

/// How far a run may go.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Ends {
    pub(crate) step: u64,
    pub(crate) cycle: u64,
    pub(crate) watchful: Watchful,
}

/// How far it went: steps and cycles since the start, the place of the group that was not begun or was left to others from
/// the instruction with a number on, and why.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Went {
    pub(crate) steps: u64,
    pub(crate) cycles: u64,
    pub(crate) place: u32,
    pub(crate) at: u8,
    pub(crate) why: Why,
}

impl Ends {
    fn cycles_from(self, (steps, cycles): (u64, u64)) -> u64 {
        self.step.saturating_sub(steps).min(self.cycle.saturating_sub(cycles))
    }

    /// There is enough to go from this step and cycle that it is worth beginning.
    pub(crate) fn are_far(self, now: (u64, u64)) -> bool {
        self.cycles_from(now) >= LEAST[self.watchful as usize]
    }
}

impl<E: Engine> Groups<E> {
    /// The group at its place is this one; registers that it writes, each a bit, are known.
    pub(crate) fn set(&mut self, group: Group<E>, writes: u32) {
        /// Groups that there is room for at once.
        const ROOM: usize = 128;
        let index = group.place as usize;
        if index >= self.table.len() && index < E::MOST {
            let to = (index + 1).next_multiple_of(ROOM);
            self.table.extend((self.table.len()..to).map(unbuilt_at));
        }
        if let Some(there) = self.table.get_mut(index) {
            *there = group;
            self.needed |= writes;
        }
    }

    /// From this place on what stands at so many changed: groups that cover so many places before are put together anew
    /// with them.
    pub(crate) fn forget(&mut self, place: usize, count: usize, before: usize) {
        let to = (place + count).min(self.table.len());
        let from = place.saturating_sub(before).min(to);
        for index in from..to {
            self.table[index] = unbuilt_at(index);
        }
        let Self { table, far, .. } = self;
        far.retain(|(group, covered)| {
            let is_right = covered.end <= place || place + count <= covered.start;
            if let Some(there) = table.get_mut(*group as usize).filter(|_| !is_right) {
                *there = unbuilt_at(*group as usize);
            }
            is_right
        });
    }

    /// The group at a place covers these places too.
    pub(crate) fn also_covers(&mut self, place: u32, covered: Range<usize>) {
        self.far.push((place, covered));
    }

    /// All groups are put together anew.
    pub(crate) fn clear(&mut self) {
        self.table.clear();
        self.far.clear();
        self.needed = 0;
    }

    /// Only these registers are known now.
    pub(crate) fn known(&mut self, known: u32) {
        if self.needed & !known != 0 {
            self.clear();
        }
    }

    /// Carries out groups from a place, a step and a cycle on until one is left to others or it is far enough; see
    /// [`Ends::are_far`].
    pub(crate) fn run(&mut self, memory: &mut E::Memory<'_>, place: u32, now: (u64, u64), ends: Ends) -> Went {
        let Self { table, core, .. } = self;
        let (chunk, least) = (CHUNK[ends.watchful as usize], LEAST[ends.watchful as usize]);
        let mut went = Went { steps: now.0, cycles: now.1, place, at: 0, why: Why::Spent };
        loop {
            let left = ends.cycles_from((went.steps, went.cycles)).min(chunk);
            if left < least {
                return went;
            }
            let routines = E::routines(core);
            (routines.base, routines.end) = (went.steps, went.cycles + left);
            let out = on(&mut **core, memory, table, went.place, Left::try_from(left).unwrap_or(0) * CYCLE);
            went.steps += steps_of(out.left());
            went.cycles += left - cycles_of(out.left());
            (went.place, went.at, went.why) = (out.place(), out.at(), out.why());
            if out.why() != Why::Spent || left < chunk {
                return went;
            }
        }
    }
}

fn unbuilt_at<E: Engine>(index: usize) -> Group<E> {
    Group::new(u32::try_from(index).unwrap_or(u32::MAX), unbuilt::<E>)
}
