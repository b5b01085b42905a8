//! Running with all that is done counted: what goes along with the loop for [`Machine::run_counted`].
//!
//! Counts stand in tables that cover all of memory, so that a step costs a few additions; routines are looked at only
//! where frames change. Rounds of a wait that are passed over are counted as often as they were.

#![expect(clippy::inline_always, reason = "functions of groups are made of these")]

use super::Machine;
use super::hook::{Access, Begin, Hook, Tables};
use super::plain::{Exit, Limits};
use super::rounds::Told;
use super::swift::{Core, Group, Groups, address_of};
use super::trace::{Done, Swift, Trace};
use crate::counts::{CellCount, Counts, Depths, EventCount, Open, PlaceCount, Routines, Stretch};
use crate::events::{Run, Stop};
use crate::frames::Frame;
use crate::memory::{Planes, SIZE};
use crate::report::{StepKind, Write};
use crate::swift::Turn;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
use std::ops::ControlFlow;
use wendax_isa::w16::{C, Insn, Op, SP, STACK_END, STACK_START, TARGET, TRAP_CYCLES, encode};
use wendax_isa::{Addr, Reg, StepNo};

/// What was counted at one place since the instruction there is what it is.
#[derive(Debug, Clone, Copy, Default)]
struct Place {
    times: u64,
    cycles: u64,
    /// How often it failed, and a trap was entered in its place.
    failed: u64,
}

/// How often something was read and written.
#[derive(Debug, Clone, Copy, Default)]
struct Touches {
    read: u64,
    written: u64,
}

/// What is known of a run so far; [`Self::counts`] sums it up.
#[derive(Debug, Clone)]
pub(crate) struct Counting {
    begun: StepNo,
    /// Steps and cycles counted.
    now: (u64, u64),
    /// What has to be added to steps and cycles since the start for those, while groups are carried out.
    base: (u64, u64),
    places: Box<[Place]>,
    insns: Box<[Option<Insn>]>,
    /// What was counted for instructions that were overwritten.
    former: FxHashMap<(u16, Insn), Place>,
    /// Touches of words, by their number, and of bytes.
    words: Box<[Touches]>,
    bytes: Box<[Touches]>,
    routines: Routines,
    /// The number of the routine that begins at an address, counted from 1.
    begins: Box<[u32]>,
    /// What the step under way does to the routines.
    has_moved: bool,
    entered: Option<Frame>,
    left: Option<usize>,
    calls: BTreeMap<u32, EventCount>,
    traps: BTreeMap<u32, EventCount>,
    interrupts: BTreeMap<u32, EventCount>,
    printed: u64,
    consumed: u64,
    /// How deep the stack is.
    depth: u32,
    depths: Depths,
}

fn table<T: Clone>(value: T, length: usize) -> Box<[T]> {
    vec![value; length].into_boxed_slice()
}

/// Bytes below the start of the stack; a stack pointer that leads elsewhere is not told of.
fn depth_at(sp: u16) -> Option<u32> {
    (STACK_START..=STACK_END).contains(&sp).then(|| (STACK_END - sp).into())
}

impl Counting {
    /// Begins where a machine is. What was decoded is forgotten, so that each instruction is seen.
    pub(crate) fn new(machine: &mut Machine) -> Self {
        machine.slots.clear();
        let entry = machine.entry;
        let mut counting = Self {
            begun: machine.steps(),
            now: (0, 0),
            base: (0, 0),
            places: table(Place::default(), SIZE / 2),
            insns: table(None, SIZE / 2),
            former: FxHashMap::default(),
            words: table(Touches::default(), SIZE / 2),
            bytes: table(Touches::default(), SIZE),
            routines: Routines::new(entry.into()),
            begins: table(0, SIZE),
            has_moved: false,
            entered: None,
            left: None,
            calls: BTreeMap::new(),
            traps: BTreeMap::new(),
            interrupts: BTreeMap::new(),
            printed: 0,
            consumed: 0,
            depth: 0,
            depths: Depths::new(),
        };
        counting.begins[usize::from(entry)] = 1;
        for frame in machine.frames() {
            counting.enter(frame, [None; 4], false, 1);
        }
        counting.stack(machine.state.cpu.registers[usize::from(SP)]);
        counting
    }

    /// The moment counting has come to.
    pub(crate) fn now(&self) -> StepNo {
        self.begun + self.now.0
    }

    fn enter(&mut self, frame: &Frame, arguments: [Option<u32>; 4], is_whole: bool, weight: u64) {
        let target = frame.target.index();
        let routine = match self.begins[target] {
            0 => {
                let index = self.routines.add(frame.target);
                self.begins[target] = u32::try_from(index + 1).unwrap_or(u32::MAX);
                index
            }
            known => known as usize - 1,
        };
        let (step, since) = (frame.step, self.now);
        self.routines.enter(Open { routine, step, since, arguments, is_whole, weight }, self.now);
    }

    #[inline]
    fn stack(&mut self, sp: u16) {
        let depth = depth_at(sp).unwrap_or(0);
        self.depths.note(self.begun, self.now.0, self.depth, depth);
        self.depth = depth;
    }

    /// The step that was just counted changed which routines are active. Of one that only enters a handler these are the
    /// cycles, which are the handler's own.
    fn move_on(&mut self, of_entry: Option<u64>, (registers, known): (&[u16; 16], u16), weight: u64) {
        self.has_moved = false;
        let now = self.now;
        if let Some(cycles) = of_entry {
            self.now = (now.0 - 1, now.1 - cycles);
        }
        if let Some(depth) = self.left.take() {
            self.routines.leave(depth, self.begun, self.now, TARGET.roles.arguments);
        }
        if let Some(frame) = self.entered.take() {
            let mut arguments = [None; 4];
            for (argument, register) in arguments.iter_mut().zip(TARGET.roles.arguments) {
                let index = register.index() & 15;
                *argument = (known >> index & 1 != 0).then_some(registers[index].into());
            }
            self.enter(&frame, arguments, true, weight);
        }
        self.now = now;
    }

    /// A step that is no plain instruction.
    #[cold]
    fn rare(&mut self, done: &Done<'_>) {
        let count = |counts: &mut BTreeMap<u32, EventCount>, number: u32, cycles: u64, failed: u64| {
            let count = counts.entry(number).or_default();
            count.times += 1;
            count.cycles += cycles;
            count.failed += failed;
        };
        let mut at_place = done.cycles;
        match done.kind {
            StepKind::Instruction => {}
            StepKind::Call(number) => {
                // One that does not come back cannot fail, whatever the flags are.
                count(&mut self.calls, number, done.cycles, (done.flags & done.touched & C).into());
            }
            StepKind::Interrupt(number) => count(&mut self.interrupts, number, TRAP_CYCLES, 0),
            StepKind::Trap(number) => {
                count(&mut self.traps, number, TRAP_CYCLES, 0);
                at_place -= TRAP_CYCLES.min(at_place);
            }
        }
        if done.length > 0 {
            self.at_place(done.pc, at_place, 1);
        } else if matches!(done.kind, StepKind::Trap(_)) {
            self.places[usize::from(done.pc >> 1)].failed += 1;
        }
    }

    #[inline]
    fn at_place(&mut self, pc: u16, cycles: u64, times: u64) {
        let place = &mut self.places[usize::from(pc >> 1)];
        place.times = place.times.wrapping_add(times);
        place.cycles = place.cycles.wrapping_add(cycles.wrapping_mul(times));
    }

    /// Something was stored in memory.
    #[inline]
    fn stored(&mut self, write: Write, times: u64) {
        match write {
            Write::Memory { address, length: 1, .. } => {
                let touches = &mut self.bytes[address.index() & 0xFFFF];
                touches.written = touches.written.wrapping_add(times);
            }
            Write::Memory { address, .. } => {
                let touches = &mut self.words[address.index() / 2 & 0x7FFF];
                touches.written = touches.written.wrapping_add(times);
            }
            Write::Buffer { address, length, .. } => {
                for at in address.up_to(address + length) {
                    self.bytes[at.index() & 0xFFFF].written += times;
                }
            }
            // What the entry of a trap leaves in device registers is no deed of the program's.
            Write::Register { .. } | Write::Device { .. } => {}
        }
    }

    #[inline]
    fn touches(&mut self, address: u16, length: u32) -> &mut Touches {
        if length == 1 { &mut self.bytes[usize::from(address)] } else { &mut self.words[usize::from(address) / 2] }
    }

    #[inline]
    fn loaded(&mut self, address: u16, length: u32, times: u64) {
        let touches = self.touches(address, length);
        touches.read = touches.read.wrapping_add(times);
    }

    /// All that was counted up to now; routines that have not ended count up to here.
    pub(crate) fn counts(&self) -> Counts {
        let mut routines = self.routines.clone();
        routines.leave(0, self.begun, self.now, TARGET.roles.arguments);
        routines.settle(self.now);
        let (all_steps, all_cycles) = self.now;
        let (routines, mut stretches) = routines.into_counts(self.now);
        stretches.list.push(Stretch { routine: 0, depth: 0, from: self.begun, to: self.now() });
        let mut depths = self.depths.clone();
        if let Some(last) = all_steps.checked_sub(1) {
            depths.note(self.begun, last, self.depth, self.depth);
        }
        Counts {
            from: self.begun,
            to: self.now(),
            cycles: all_cycles,
            places: self.place_counts(),
            routines,
            calls: self.calls.clone(),
            traps: self.traps.clone(),
            interrupts: self.interrupts.clone(),
            cells: self.cell_counts(),
            printed: self.printed,
            consumed: self.consumed,
            depths,
            stretches: stretches.list,
            shortest_stretch: stretches.shortest,
        }
    }

    fn place_counts(&self) -> Vec<PlaceCount> {
        let present = (0..=u16::MAX).step_by(2).zip(self.insns.iter().zip(&self.places));
        let present = present.filter_map(|(at, (insn, place))| insn.map(|insn| (at, insn, *place)));
        let mut merged: BTreeMap<(u16, Insn), Place> = BTreeMap::new();
        let former = self.former.iter().map(|(&(at, insn), place)| (at, insn, *place));
        for (at, insn, place) in former.chain(present).filter(|(.., place)| place.times + place.failed > 0) {
            merged.entry((at, insn)).or_default().add(place);
        }
        let told = merged.into_iter().map(|((at, insn), place)| {
            let base = u64::from(insn.row().cycles) * place.times;
            let has_condition = matches!(insn.op(), Op::Djnz | Op::Jump(_)) && !insn.always_jumps();
            PlaceCount {
                address: at.into(),
                length: insn.bytes().into(),
                mnemonic: insn.row().names[0],
                group: insn.op().group(),
                code: code(insn),
                times: place.times,
                failed: place.failed,
                cycles: place.cycles,
                taken: has_condition.then(|| place.cycles - base),
            }
        });
        told.collect()
    }

    fn cell_counts(&self) -> Vec<CellCount> {
        let words = (0u32..).step_by(2).zip(&self.words).map(|(at, touches)| (at, 2, touches));
        let bytes = (0u32..).zip(&self.bytes).map(|(at, touches)| (at, 1, touches));
        let touched = words.chain(bytes).filter(|(.., touches)| touches.read + touches.written > 0);
        let mut cells: Vec<_> = touched
            .map(|(at, bytes, touches)| CellCount {
                address: Addr(at),
                bytes,
                read: touches.read,
                written: touches.written,
            })
            .collect();
        cells.sort_by_key(|cell| (cell.address, cell.bytes));
        cells
    }
}

fn code(insn: Insn) -> [u32; 2] {
    let (first, second) = encode(insn);
    [first.into(), second.unwrap_or(0).into()]
}

impl Place {
    fn add(&mut self, other: Self) {
        self.times += other.times;
        self.cycles += other.cycles;
        self.failed += other.failed;
    }
}

impl Trace for Counting {
    const WRITES: bool = true;
    const STEPS: bool = true;
    const WATCHES: bool = false;
    const LOOKS: bool = false;
    const READS: bool = true;
    const PASSES: bool = true;
    const RECORDS: bool = true;

    #[inline]
    fn write(&mut self, write: Write) {
        match write {
            Write::Register { register: Reg(SP), new, .. } => self.stack(super::word(new)),
            write => self.stored(write, 1),
        }
    }

    #[inline]
    fn read(&mut self, address: u16, length: u32) {
        self.loaded(address, length, 1);
    }

    fn device_stored(&mut self, address: u16) {
        self.words[usize::from(address) / 2].written += 1;
    }

    fn bytes_read(&mut self, address: u16, length: u32) {
        for at in Addr::from(address).up_to(Addr::from(address) + length) {
            self.bytes[at.index() & 0xFFFF].read += 1;
        }
    }

    #[inline]
    fn moved(&mut self, printed: u64, consumed: u64) {
        self.printed += printed;
        self.consumed += consumed;
    }

    fn decoded(&mut self, address: u16, insn: Insn) {
        let index = usize::from(address >> 1);
        let known = self.insns[index].replace(insn);
        if let Some(known) = known.filter(|known| *known != insn) {
            let place = std::mem::take(&mut self.places[index]);
            if place.times + place.failed > 0 {
                self.former.entry((address, known)).or_default().add(place);
            }
        }
    }

    #[inline]
    fn entered(&mut self, frame: &Frame) {
        self.has_moved = true;
        self.entered = Some(*frame);
    }

    #[inline]
    fn left(&mut self, depth: i64) {
        self.has_moved = true;
        self.left = usize::try_from(depth).ok();
    }

    #[inline]
    fn end(&mut self, done: &Done<'_>) -> ControlFlow<()> {
        self.now.0 = self.now.0.wrapping_add(1);
        self.now.1 = self.now.1.wrapping_add(done.cycles);
        if done.kind == StepKind::Instruction {
            self.at_place(done.pc, done.cycles, 1);
        } else {
            self.rare(done);
        }
        if self.has_moved {
            let is_entry = done.length == 0 && done.kind != StepKind::Instruction;
            self.move_on(is_entry.then_some(done.cycles), (done.registers, done.known), 1);
        }
        ControlFlow::Continue(())
    }

    fn go(&mut self, machine: &mut Machine, limits: Limits) -> Exit {
        machine.go_swiftly(limits, self)
    }

    fn tell_again(&mut self, told: &[Told], times: u64) {
        let (begun, mut deepest) = (self.now.0, self.depth);
        for told in told {
            match told {
                Told::Write(Write::Register { register: Reg(SP), new, .. }) => {
                    self.depth = depth_at(super::word(*new)).unwrap_or(0);
                    deepest = deepest.max(self.depth);
                }
                Told::Write(write) => self.stored(*write, times),
                Told::Read(address, length) => self.loaded(*address, *length, times),
                Told::DeviceStored(address) => self.words[usize::from(*address) / 2].written += times,
                Told::Moved(printed, consumed) => self.moved(printed * times, consumed * times),
                Told::Entered(frame) => self.entered(frame),
                Told::Left(depth) => self.left(*depth),
                Told::End { pc, cycles, registers, known, .. } => {
                    self.now = (self.now.0 + times, self.now.1 + cycles * times);
                    self.at_place(*pc, *cycles, times);
                    if self.has_moved {
                        self.move_on(None, (registers, *known), times);
                    }
                }
            }
        }
        // Each of the rounds was as deep.
        self.depths.fill(begun, self.now.0, deepest);
    }
}

// ---- along with groups

/// All is counted.
#[derive(Debug)]
pub(super) struct Counted;

/// Memory, and the counts of what is done to it.
pub(super) struct Tallied<'a> {
    planes: &'a mut Planes,
    counting: &'a mut Counting,
    stack: u16,
    known: u16,
    depth: i64,
}

impl Tallied<'_> {
    /// An instruction moved the stack.
    #[inline(never)]
    fn moved(&mut self, core: &Core, turn: Turn) {
        self.counting.went(core.routines.now(turn.left));
        let (steps, cycles) = self.counting.now;
        self.counting.now = (steps.wrapping_sub(1), cycles.wrapping_sub(turn.cycles()));
        self.stack = core.stack();
        self.counting.stack(self.stack);
        self.counting.now = (steps, cycles);
        let frames = core.routines.frames();
        if frames.depth() == self.depth {
            return;
        }
        match frames.list().last().filter(|_| frames.depth() > self.depth) {
            Some(frame) => self.counting.entered(frame),
            None => self.counting.left(frames.depth()),
        }
        self.depth = frames.depth();
        if let Some(registers) = core.registers.first_chunk() {
            self.counting.move_on(None, (registers, self.known), 1);
        }
    }
}

impl Hook for Counted {
    type Memory<'a> = Tallied<'a>;
    const TELLS: bool = true;

    fn groups(tables: &mut Tables) -> &mut Groups<Self> {
        &mut tables.counted
    }

    #[inline(always)]
    fn ended(core: &mut Core, memory: &mut Tallied<'_>, group: &Group<Self>, turn: Turn) -> bool {
        memory.counting.at_place(address_of(group.place), turn.cycles(), 1);
        // Routines are entered and left with the stack.
        if core.stack() != memory.stack {
            memory.moved(core, turn);
        }
        true
    }
}

impl Access for Tallied<'_> {
    #[inline(always)]
    fn planes(&mut self) -> &mut Planes {
        self.planes
    }

    #[inline(always)]
    fn read(&mut self, address: u16, length: u32) {
        self.counting.loaded(address, length, 1);
    }

    #[inline(always)]
    fn stored(&mut self, address: u16, length: u32) {
        let touches = self.counting.touches(address, length);
        touches.written = touches.written.wrapping_add(1);
    }
}

impl Swift for Counting {
    type Hook = Counted;

    fn along<R>(&mut self, planes: &mut Planes, begin: Begin<'_>, run: impl FnOnce(&mut Tallied<'_>) -> R) -> R {
        self.base = (self.now.0.wrapping_sub(begin.now.0), self.now.1.wrapping_sub(begin.now.1));
        run(&mut Tallied {
            planes,
            counting: self,
            stack: begin.registers[usize::from(SP)],
            known: begin.known,
            depth: begin.depth,
        })
    }

    fn went(&mut self, (steps, cycles): (u64, u64)) {
        self.now = (steps.wrapping_add(self.base.0), cycles.wrapping_add(self.base.1));
    }
}

impl Machine {
    /// Runs like [`Self::run_past`], with all that happens counted. The machine is the one the counting began with, or a
    /// copy of it, and nothing else ran it in between; what was changed by hand meanwhile is seen.
    pub(crate) fn run_counted(&mut self, how: Run, counting: &mut Counting) -> Stop {
        let (begun, now) = (counting.begun, counting.now);
        counting.routines.keep(self.state.common.frames.list(), begun, now, TARGET.roles.arguments);
        // What was changed by hand; a step may not follow.
        let sp = self.state.cpu.registers[usize::from(SP)];
        if depth_at(sp).unwrap_or(0) != counting.depth {
            counting.stack(sp);
        }
        self.run_with(how, counting)
    }
}
