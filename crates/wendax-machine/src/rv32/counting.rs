//! What a run costs, counted step by step from what each tells.

use super::hook::{Access, Begin, Hook, Looker, Tables};
use super::memory::Near;
use super::steps::TRAP;
use super::swift::{ABOUT, Core, Group, Groups};
use super::{Machine, State};
use crate::counts::{CellCount, Counts, Depths, EventCount, Open, PlaceCount, Routines, Stretch};
use crate::events::{Run, Stop};
use crate::frames::Frame;
use crate::report::{Came, Report, StepKind, Write};
use crate::swift::Turn;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
use std::ops::ControlFlow;
use wendax_isa::rv32::{Format, SP, STACK_START, TARGET, decode};
use wendax_isa::{Addr, Reg, StepNo};

/// What an instruction cost.
#[derive(Debug, Clone, Copy, Default)]
struct Place {
    times: u64,
    cycles: u64,
    failed: u64,
}

/// Something of each pair of numbers that was met, those met again and again at hand.
#[derive(Debug, Clone)]
struct ByPair<V> {
    list: Vec<((u32, u32), V)>,
    numbers: FxHashMap<(u32, u32), usize>,
    /// The number of what was met last, by a few bits of the first of the pair.
    last: Box<[usize; LAST]>,
}

const LAST: usize = 1024;

impl<V> Default for ByPair<V> {
    fn default() -> Self {
        Self { list: Vec::new(), numbers: FxHashMap::default(), last: Box::new([0; LAST]) }
    }
}

impl<V: Default> ByPair<V> {
    #[inline]
    fn at(&mut self, pair: (u32, u32)) -> &mut V {
        let last = &mut self.last[(pair.0 >> 2) as usize % LAST];
        if self.list.get(*last).is_none_or(|(known, _)| *known != pair) {
            let list = &mut self.list;
            *last = *self.numbers.entry(pair).or_insert_with(|| {
                list.push((pair, V::default()));
                list.len() - 1
            });
        }
        &mut self.list[*last].1
    }
}

/// What is known of a run so far.
#[derive(Debug, Clone)]
pub(crate) struct Counting {
    begun: StepNo,
    /// Steps and cycles counted.
    now: (u64, u64),
    /// What has to be added to steps and cycles since the start for those, while groups are carried out.
    base: (u64, u64),
    /// By address and word.
    places: ByPair<Place>,
    /// Reads and writes, by address and length.
    cells: ByPair<(u64, u64)>,
    routines: Routines,
    /// The number of the routine that begins at an address.
    begins: FxHashMap<Addr, usize>,
    calls: BTreeMap<u32, EventCount>,
    traps: BTreeMap<u32, EventCount>,
    interrupts: BTreeMap<u32, EventCount>,
    printed: u64,
    consumed: u64,
    /// How deep the stack is.
    depth: u32,
    depths: Depths,
    stack_top: u32,
}

impl Counting {
    pub(crate) fn new(machine: &mut Machine) -> Self {
        let mut counting = Self {
            begun: machine.steps(),
            now: (0, 0),
            base: (0, 0),
            places: ByPair::default(),
            cells: ByPair::default(),
            routines: Routines::new(Addr(machine.entry)),
            begins: FxHashMap::from_iter([(Addr(machine.entry), 0)]),
            calls: BTreeMap::new(),
            traps: BTreeMap::new(),
            interrupts: BTreeMap::new(),
            printed: 0,
            consumed: 0,
            depth: 0,
            depths: Depths::new(),
            stack_top: machine.stack_top,
        };
        for frame in machine.frames() {
            counting.enter(frame, [None; 4], false);
        }
        counting.stack(machine.state.cpu.registers[usize::from(SP)]);
        counting
    }

    pub(crate) fn now(&self) -> StepNo {
        self.begun + self.now.0
    }

    fn enter(&mut self, frame: &Frame, arguments: [Option<u32>; 4], is_whole: bool) {
        let routines = &mut self.routines;
        let routine = *self.begins.entry(frame.target).or_insert_with(|| routines.add(frame.target));
        let (step, since) = (frame.step, self.now);
        self.routines.enter(Open { routine, step, since, arguments, is_whole, weight: 1 }, self.now);
    }

    /// A stack pointer that leads elsewhere is not told of.
    fn depth_at(&self, sp: u32) -> u32 {
        if (STACK_START..=self.stack_top).contains(&sp) { self.stack_top - sp } else { 0 }
    }

    fn stack(&mut self, sp: u32) {
        let depth = self.depth_at(sp);
        self.depths.note(self.begun, self.now.0, self.depth, depth);
        self.depth = depth;
    }

    /// A step was taken.
    fn count(&mut self, report: &Report, frames: &[Frame], registers: &[u32; 32], known: u32) {
        for write in &report.writes {
            match *write {
                Write::Register { register: Reg(SP), new, .. } => self.stack(new),
                Write::Memory { address, length, .. } => self.touched(address, length).1 += 1,
                Write::Buffer { address, length, .. } => {
                    for at in address.up_to(address.saturating_add(length)) {
                        self.touched(at, 1).1 += 1;
                    }
                }
                Write::Device { address, .. } => self.touched(address, 4).1 += 1,
                Write::Register { .. } => {}
            }
        }
        let is_call = matches!(report.kind, StepKind::Call(_));
        for &(address, length) in &report.reads {
            if is_call {
                for at in address.up_to(address.saturating_add(length)) {
                    self.touched(at, 1).0 += 1;
                }
            } else {
                self.touched(address, length).0 += 1;
            }
        }
        self.printed += report.printed;
        self.consumed += report.consumed;
        self.now = (self.now.0 + 1, self.now.1 + report.cycles);
        let mut at_place = report.cycles;
        let count = |counts: &mut BTreeMap<u32, EventCount>, number: u32, cycles: u64, failed: bool| {
            let count = counts.entry(number).or_default();
            count.times += 1;
            count.cycles += cycles;
            count.failed += u64::from(failed);
        };
        match report.kind {
            StepKind::Instruction => {}
            StepKind::Call(number) => count(&mut self.calls, number, report.cycles, report.failed),
            StepKind::Interrupt(number) => count(&mut self.interrupts, number, TRAP, false),
            StepKind::Trap(number) => {
                count(&mut self.traps, number, TRAP, false);
                at_place -= TRAP.min(at_place);
            }
        }
        let place = (report.pc.0, report.code[0]);
        if report.length > 0 {
            let place = self.places.at(place);
            place.times += 1;
            place.cycles += at_place;
        } else if matches!(report.kind, StepKind::Trap(_)) {
            self.places.at(place).failed += 1;
        }
        // The cycles of an entry are the handler's own.
        let is_entry = matches!(report.kind, StepKind::Interrupt(_) | StepKind::Trap(_));
        self.move_on(is_entry.then_some(report.cycles), report.step, frames, (registers, known));
    }

    /// A step was counted that may have changed which routines are active. Of one that only enters a handler these are the
    /// cycles.
    fn move_on(&mut self, of_entry: Option<u64>, step: StepNo, frames: &[Frame], (registers, known): (&[u32], u32)) {
        let entered = frames.last().filter(|frame| frame.step == step);
        let left = frames.len() - usize::from(entered.is_some());
        let now = self.now;
        if let Some(cycles) = of_entry {
            self.now = (now.0 - 1, now.1 - cycles);
        }
        if left < self.routines.open.len() {
            self.routines.leave(left, self.begun, self.now, TARGET.roles.arguments);
        }
        if let Some(frame) = entered {
            let mut arguments = [None; 4];
            for (argument, register) in arguments.iter_mut().zip(TARGET.roles.arguments) {
                let index = register.index();
                *argument = registers.get(index).copied().filter(|_| known >> index & 1 != 0);
            }
            self.enter(frame, arguments, true);
        }
        self.now = now;
    }

    #[inline]
    fn touched(&mut self, address: Addr, length: u32) -> &mut (u64, u64) {
        self.cells.at((address.0, length))
    }

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
        let mut counts: Vec<PlaceCount> = self
            .places
            .list
            .iter()
            .filter_map(|((address, word), place)| {
                let (address, word) = (*address, *word);
                let insn = decode(word)?;
                let has_condition = insn.row().format == Format::Branch;
                Some(PlaceCount {
                    address: Addr(address),
                    length: 4,
                    mnemonic: insn.row().name,
                    group: super::looking::group(insn),
                    code: [word, 0],
                    times: place.times,
                    failed: place.failed,
                    cycles: place.cycles,
                    taken: has_condition.then(|| place.cycles - place.times),
                })
            })
            .collect();
        counts.sort_by_key(|place| (place.address, place.code));
        counts
    }

    fn cell_counts(&self) -> Vec<CellCount> {
        let cell = |&((address, bytes), (read, written)): &((u32, u32), (u64, u64))| CellCount {
            address: Addr(address),
            bytes,
            read,
            written,
        };
        let mut cells: Vec<CellCount> = self.cells.list.iter().map(cell).collect();
        cells.sort_by_key(|cell| (cell.address, cell.bytes));
        cells
    }
}

// ---- along with groups

/// All is counted.
#[derive(Debug)]
pub(super) struct Counted;

/// Memory, and the counts of what is done to it.
pub(super) struct Tallied<'a> {
    near: &'a mut Near,
    counting: &'a mut Counting,
    known: u32,
}

impl Tallied<'_> {
    /// An instruction may have moved the stack, or entered or left a routine.
    #[inline(never)]
    fn moved(&mut self, core: &Core, turn: Turn) {
        let (counting, (steps, cycles)) = (&mut *self.counting, core.routines.now(turn.left));
        counting.went((steps, cycles));
        let now = counting.now;
        counting.now = (now.0.wrapping_sub(1), now.1.wrapping_sub(turn.cycles()));
        counting.stack(core.registers[usize::from(SP)]);
        counting.now = now;
        let (step, frames) = (StepNo(steps.wrapping_sub(1)), core.routines.frames().list());
        counting.move_on(None, step, frames, (&core.registers, self.known));
    }
}

impl Hook for Counted {
    type Memory<'a> = Tallied<'a>;
    const TELLS: bool = true;

    fn groups(tables: &mut Tables) -> &mut Groups<Self> {
        &mut tables.counted
    }

    #[inline]
    fn ended(core: &mut Core, memory: &mut Tallied<'_>, group: &Group<Self>, turn: Turn) -> bool {
        let about = group.operands[ABOUT];
        let place = memory.counting.places.at((core.at_place(group.place), about.value));
        place.times += 1;
        place.cycles += turn.cycles();
        if about.rd != 0 {
            memory.moved(core, turn);
        }
        true
    }
}

impl Access for Tallied<'_> {
    #[inline]
    fn load<const LENGTH: u32>(&mut self, address: u32) -> Option<u32> {
        let value = self.near.load::<LENGTH>(address)?;
        self.counting.touched(Addr(address), LENGTH).0 += 1;
        Some(value)
    }

    #[inline]
    fn store<const LENGTH: u32>(&mut self, address: u32, value: u32, note: u8) -> bool {
        let done = self.near.store::<LENGTH>(address, value, note);
        if done {
            self.counting.touched(Addr(address), LENGTH).1 += 1;
        }
        done
    }
}

impl Looker for Counting {
    type Hook = Counted;

    fn see(&mut self, report: &Report, state: &State) -> ControlFlow<()> {
        self.count(report, state.common.frames.list(), &state.cpu.registers, state.cpu.known);
        ControlFlow::Continue(())
    }

    fn along<R>(
        &mut self,
        near: &mut Near,
        _: (&mut Report, &mut Vec<Came>),
        begin: Begin<'_>,
        run: impl FnOnce(&mut Tallied<'_>) -> R,
    ) -> R {
        self.base = (self.now.0.wrapping_sub(begin.now.0), self.now.1.wrapping_sub(begin.now.1));
        run(&mut Tallied { near, counting: self, known: begin.known })
    }

    fn went(&mut self, (steps, cycles): (u64, u64)) {
        self.now = (steps.wrapping_add(self.base.0), cycles.wrapping_add(self.base.1));
    }
}

impl Machine {
    pub(crate) fn run_counted(&mut self, how: Run, counting: &mut Counting) -> Stop {
        let (begun, now) = (counting.begun, counting.now);
        counting.routines.keep(self.state.common.frames.list(), begun, now, TARGET.roles.arguments);
        // What was changed by hand; a step may not follow.
        let sp = self.state.cpu.registers[usize::from(SP)];
        if counting.depth_at(sp) != counting.depth {
            counting.stack(sp);
        }
        self.run_told(how, counting)
    }
}
