//! Instructions of RV32 as groups carry them out, see [`crate::swift`].
//!
//! What is left to who looks closer: what fails, touches devices or control registers, calls the host or waits; registers that
//! nobody has written yet; jumps to themselves; frames that are left otherwise than by a return to where they came from; code
//! that is written; what a run stops at or looks out for. What instructions compute is told by `steps`; groups are put
//! together in `grouping`.

#![expect(
    clippy::inline_always,
    reason = "functions of groups are made of these, and call nothing but the next of their kind"
)]

use super::hook::{Access, Hook};
use super::steps::{computed, width};
use crate::swift::{Engine, Left, Out, Part, Routines, Turn, groups, missed, onward, turn};
use std::marker::PhantomData;
use wendax_isa::rv32::{Format, Insn, Op, SP, goes, is_link};
use wendax_isa::{Addr, Reg};

/// The register that is written where nothing is: it is never read.
pub(super) const NOWHERE: u8 = 32;

const STACK: usize = SP as usize;

/// The machine, as groups see it, with what is told of them: places are counted in words from where code begins.
#[derive(Debug, Clone, Copy)]
pub(super) struct Rv32<H>(PhantomData<H>);

pub(super) type Group<H> = crate::swift::Group<Rv32<H>>;
pub(super) type Groups<H> = crate::swift::Groups<Rv32<H>>;
pub(super) type Handler<H> = crate::swift::Handler<Rv32<H>>;

/// A megabyte of code.
const MOST: usize = 0x4_0000;

/// The operands that tell of a group of one instruction, where it is told of: its word, and whether it may enter or leave a
/// routine or move the stack, as the first register.
pub(super) const ABOUT: usize = 2;

impl<H: Hook> Engine for Rv32<H> {
    type Core = Core;
    type Memory<'a> = H::Memory<'a>;
    type Operands = Operands;
    type Place = u32;
    const MOST: usize = MOST;
    const TELLS: bool = H::TELLS;

    fn core() -> Core {
        Core { registers: [0; 256], routines: Routines::default(), origin: 0 }
    }

    fn routines(core: &mut Core) -> &mut Routines {
        &mut core.routines
    }

    #[inline(always)]
    fn begins(memory: &mut H::Memory<'_>, group: &Group<H>) {
        memory.begins(group.operands[ABOUT].value);
    }

    #[inline(always)]
    fn ended(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>, turn: Turn) -> bool {
        H::ended(core, memory, group, turn)
    }
}

/// Operands of an instruction.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Operands {
    pub(super) rd: u8,
    pub(super) rs1: u8,
    pub(super) rs2: u8,
    /// The constant or the offset; of `auipc` what it comes to.
    pub(super) value: u32,
}

/// The place of an address, where there may be groups, of code that begins somewhere.
#[inline(always)]
pub(super) fn place_of(address: u32, origin: u32) -> Option<u32> {
    let place = address.wrapping_sub(origin) >> 2;
    (address.is_multiple_of(4) && (place as usize) < MOST).then_some(place)
}

/// Registers and frames while groups are carried out.
#[derive(Debug)]
pub(super) struct Core {
    /// Indexed by any byte, so that no index needs to be checked; only those that exist are read.
    pub(super) registers: [u32; 256],
    pub(super) routines: Routines,
    /// Where code begins.
    pub(super) origin: u32,
}

impl Core {
    #[inline(always)]
    fn at(&self, register: u8) -> u32 {
        self.registers[usize::from(register)]
    }

    #[inline(always)]
    fn set(&mut self, register: u8, value: u32, access: &mut impl Access) {
        let there = &mut self.registers[usize::from(register)];
        access.wrote(register, *there, value);
        *there = value;
    }

    /// The address of a place.
    #[inline(always)]
    pub(super) fn at_place(&self, place: u32) -> u32 {
        self.origin.wrapping_add(place << 2)
    }

    /// Where an access leads.
    #[inline(always)]
    fn address(&self, operands: Operands) -> u32 {
        self.at(operands.rs1).wrapping_add(operands.value)
    }

    /// Where an instruction that loads or stores would do that: how many bytes, and whether it stores.
    pub(super) fn access(&self, insn: Insn) -> Option<(u32, u32, bool)> {
        let is_store = insn.row().format == Format::Store;
        let is_load = matches!(insn.op(), Op::Lw | Op::Lh | Op::Lhu | Op::Lb | Op::Lbu);
        let address = self.at(insn.rs1 & 31).wrapping_add(insn.value);
        (is_load || is_store).then(|| (address, width(insn.op()).0, is_store))
    }

    /// The place of an address where there may be groups.
    #[inline(always)]
    fn place(&self, address: u32) -> Option<u32> {
        place_of(address, self.origin)
    }
}

/// Instructions that compute of two registers, or of one and a constant.
macro_rules! computing {
    ($($of:ident: $($name:ident)*;)*) => {$($(
        pub(super) struct $name;

        impl<H: Hook> Part<Rv32<H>> for $name {
            #[inline(always)]
            fn run<const N: usize>(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>) -> bool {
                let operands = group.operands[N];
                let value = computed(Op::$name, core.at(operands.rs1), computing!(core, operands, $of));
                core.set(operands.rd, value, memory);
                true
            }
        }
    )*)*};
    ($core:ident, $operands:ident, registers) => {
        $core.at($operands.rs2)
    };
    ($core:ident, $operands:ident, constant) => {
        $operands.value
    };
}

computing! {
    constant: Addi Slti Sltiu Xori Ori Andi Slli Srli Srai;
    registers: Add Sub Sll Slt Sltu Xor Srl Sra Or And Mul Mulh Mulhsu Mulhu Div Divu Rem Remu;
}

/// A constant: `lui`, and `auipc` with what that comes to.
pub(super) struct Lui;

impl<H: Hook> Part<Rv32<H>> for Lui {
    #[inline(always)]
    fn run<const N: usize>(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>) -> bool {
        core.set(group.operands[N].rd, group.operands[N].value, memory);
        true
    }
}

/// Instructions that load so many bytes, and what becomes of them.
macro_rules! loading {
    ($($name:ident = $length:literal, |$found:ident| $value:expr;)*) => {$(
        pub(super) struct $name;

        impl<H: Hook> Part<Rv32<H>> for $name {
            #[inline(always)]
            fn run<const N: usize>(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>) -> bool {
                let operands = group.operands[N];
                let Some($found) = memory.load::<$length>(core.address(operands)) else { return false };
                core.set(operands.rd, $value, memory);
                true
            }
        }
    )*};
}

loading! {
    Lw = 4, |found| found;
    Lhu = 2, |found| found;
    Lbu = 1, |found| found;
    Lh = 2, |found| ((found << 16).cast_signed() >> 16).cast_unsigned();
    Lb = 1, |found| ((found << 24).cast_signed() >> 24).cast_unsigned();
}

macro_rules! storing {
    ($($name:ident = $length:literal;)*) => {$(
        pub(super) struct $name;

        impl<H: Hook> Part<Rv32<H>> for $name {
            #[inline(always)]
            fn run<const N: usize>(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>) -> bool {
                let operands = group.operands[N];
                // Of what is no word nobody asks who put it there.
                let note = if $length == 4 { operands.rs2.wrapping_add(1) } else { 0 };
                memory.store::<$length>(core.address(operands), core.at(operands.rs2), note)
            }
        }
    )*};
}

storing! {
    Sw = 4;
    Sh = 2;
    Sb = 1;
}

/// A jump with a condition, by the number of its operation: see [`BRANCHES`].
#[inline(always)]
fn taken<H: Hook, const BRANCH: usize, const N: usize>(core: &Core, group: &Group<H>) -> bool {
    let operands = group.operands[N];
    goes(BRANCHES[BRANCH], core.at(operands.rs1), core.at(operands.rs2))
}

/// Jumps with a condition.
pub(super) const BRANCHES: [Op; 6] = [Op::Beq, Op::Bne, Op::Blt, Op::Bge, Op::Bltu, Op::Bgeu];

groups! {
    Rv32<Hook>;
    /// Nothing but going on: a fence, or a jump that is always taken.
    none<;> |core, memory, table, group, left| onward(core, memory, table, group, group.next, left);
    one<A: Part 0;> |core, memory, table, group, left| onward(core, memory, table, group, group.next, left);
    two<A: Part 0, B: Part 1;> |core, memory, table, group, left| onward(core, memory, table, group, group.next, left);
    three<A: Part 0, B: Part 1, C: Part 2;> |core, memory, table, group, left| onward(core, memory, table, group, group.next, left);
    branch<; BRANCH: usize> |core, memory, table, group, left| {
        let taken = taken::<H, BRANCH, 0>(core, group);
        turn(core, memory, table, group, left, taken)
    };
    one_branch<A: Part 0; BRANCH: usize> |core, memory, table, group, left| {
        let taken = taken::<H, BRANCH, 1>(core, group);
        turn(core, memory, table, group, left, taken)
    };
    two_branch<A: Part 0, B: Part 1; BRANCH: usize> |core, memory, table, group, left| {
        let taken = taken::<H, BRANCH, 2>(core, group);
        turn(core, memory, table, group, left, taken)
    };
    call<;> |core, memory, table, group, left| {
        if !entered::<H, 0>(core, memory, group, left) {
            return missed(group, left, 0);
        }
        onward(core, memory, table, group, group.target, left)
    };
    one_call<A: Part 0;> |core, memory, table, group, left| {
        if !entered::<H, 1>(core, memory, group, left) {
            return missed(group, left, 1);
        }
        onward(core, memory, table, group, group.target, left)
    };
    /// A jump to where a register leads, back from a routine or into one, or neither.
    indirect<;> |core, memory, table, group, left| {
        let Some(to) = indirectly::<H, 0>(core, memory, group, left) else { return missed(group, left, 0) };
        onward(core, memory, table, group, to, left)
    };
    one_indirect<A: Part 0;> |core, memory, table, group, left| {
        let Some(to) = indirectly::<H, 1>(core, memory, group, left) else { return missed(group, left, 1) };
        onward(core, memory, table, group, to, left)
    };
}

/// A part that writes the stack pointer, where no frame is left by that.
pub(super) fn stack<H: Hook, A: Part<Rv32<H>>>(
    core: &mut Core,
    memory: &mut H::Memory<'_>,
    table: &[Group<H>],
    group: &Group<H>,
    left: Left,
) -> Out {
    memory.begins(group.operands[ABOUT].value);
    let before = core.registers[STACK];
    if !A::run::<0>(core, memory, group) {
        return missed(group, left, 0);
    }
    if !core.routines.stay(core.registers[STACK]) {
        core.registers[STACK] = before;
        return missed(group, left, 0);
    }
    onward(core, memory, table, group, group.next, left)
}

impl Core {
    /// The way back of a call, or of what may be one, that is the last instruction of a group.
    #[inline(always)]
    fn way_back<H: Hook>(&self, group: &Group<H>) -> u32 {
        self.at_place(group.next)
    }

    /// A routine is entered by the last instruction of a group.
    #[inline(always)]
    fn enter(&mut self, back: u32, target: u32, left: Left) {
        let (slot, site) = (Addr(self.registers[STACK]), Addr(back.wrapping_sub(4)));
        self.routines.enter(slot, Addr(back), site, Addr(target), left);
    }

    /// The program goes back to an address: what returns there is left; false where the run may stop for that.
    #[inline(always)]
    fn leave(&mut self, to: u32) -> bool {
        let stack = Addr(self.registers[STACK]);
        self.routines.leave(|frame| frame.back == Addr(to) && frame.slot <= stack)
    }
}

/// Enters a routine by the instruction with this number, which is the last of the group; false when there is no room for its
/// frame.
#[inline(always)]
fn entered<H: Hook, const N: usize>(core: &mut Core, memory: &mut H::Memory<'_>, group: &Group<H>, left: Left) -> bool {
    let has_room = core.routines.has_room();
    if has_room {
        let back = core.way_back(group);
        core.set(group.operands[N].rd, back, memory);
        core.enter(back, core.at_place(group.target), left);
    }
    has_room
}

/// A jump to where a register leads, with the way back in another one; to which place, when there may be groups. By the
/// standard's hints what comes from a register that holds a way back returns, unless it is the one that gets another.
#[inline(always)]
fn indirectly<H: Hook, const N: usize>(
    core: &mut Core,
    memory: &mut H::Memory<'_>,
    group: &Group<H>,
    left: Left,
) -> Option<u32> {
    let operands = group.operands[N];
    let (to, back) = (core.address(operands) & !1, core.way_back(group));
    let place = core.place(to)?;
    let enters = is_link(Reg(operands.rd));
    if to == back.wrapping_sub(4) || enters && !core.routines.has_room() {
        return None;
    }
    if is_link(Reg(operands.rs1)) && operands.rs1 != operands.rd {
        let before = core.routines.frames().count();
        if !core.leave(to) {
            return None;
        }
        if core.routines.frames().count() < before {
            memory.returns();
        }
    }
    core.set(operands.rd, back, memory);
    if enters {
        core.enter(back, to, left);
    }
    Some(place)
}
