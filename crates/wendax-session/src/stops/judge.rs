//! Which stops are met at a moment.
//!
//! The judge says what a blind run has to look out for, takes the steps before which it stopped, and tells by their
//! reports which stops are met behind them. It remembers the end of what was printed, since a text may be printed in
//! pieces; nothing else of the past.

use super::{StopAt, StopId, Thing, Touch, Where};
use crate::values::{self, At};
use smallvec::SmallVec;
use wendax_asm::BoundValue;
use wendax_isa::{Addr, StepNo, Target};
use wendax_machine::{Lookout, Machine, Report, Run, StepKind, Stop, Write};

/// A stop with its number.
#[derive(Debug, Clone)]
pub(crate) struct Armed {
    pub(crate) id: StopId,
    pub(crate) stop: StopAt,
}

/// Stops met at one moment, by their index.
pub(crate) type Hits = SmallVec<[usize; 2]>;

#[derive(Debug, Clone)]
pub(crate) struct Judge {
    pub(crate) stops: Vec<Armed>,
    /// Instructions that are stops themselves.
    pub(crate) places: Vec<Addr>,
    /// Of each stop at instructions of a kind, those in order.
    kinds: Vec<Vec<Addr>>,
    pub(crate) lookout: Lookout,
    /// Moments that are stops by their step, in order.
    pub(crate) moments: Vec<StepNo>,
    /// Any step may be one that a stop is met behind.
    pub(crate) every: bool,
    // What has to be looked at before a step.
    reads: bool,
    calls: bool,
    leaves: bool,
    values: bool,
    /// The end of what was printed, as long as the longest text looked for.
    tail: Vec<u8>,
    longest: usize,
}

impl Judge {
    pub(crate) fn new(stops: Vec<Armed>, machine: &Machine) -> Self {
        let target = machine.target();
        let mut judge = Self {
            stops,
            places: Vec::new(),
            kinds: Vec::new(),
            moments: Vec::new(),
            lookout: Lookout::default(),
            every: false,
            reads: false,
            calls: false,
            leaves: false,
            values: false,
            tail: Vec::new(),
            longest: 0,
        };
        for armed in &judge.stops {
            let kinds = match &armed.stop.place {
                Where::Op(name) => instructions_named(machine, name),
                _ => Vec::new(),
            };
            judge.places.extend_from_slice(&kinds);
            judge.kinds.push(kinds);
            let lookout = &mut judge.lookout;
            match &armed.stop.place {
                Where::Address(address) | Where::Entered(address) => judge.places.push(*address),
                Where::Among(from, to) => {
                    let align = target.code_align;
                    let first = *from + (align - from.0 % align) % align;
                    judge.places.extend(first.up_to(*to).step_by(align as usize));
                }
                Where::Op(_) => {}
                Where::Step(step) => judge.moments.push(*step),
                Where::Touched(touch, thing) => {
                    lookout.rare |= is_touched_by_entries(*thing, target);
                    judge.reads |= *touch == Touch::Read;
                    match (*thing, *touch) {
                        (Thing::Register(register), Touch::Read) => lookout.uses.reads |= 1 << register.0,
                        (Thing::Register(register), _) => lookout.uses.writes |= 1 << register.0,
                        (Thing::Flag(bit), Touch::Read) => lookout.uses.flags_read |= bit,
                        (Thing::Flag(bit), _) => lookout.uses.flags_written |= bit,
                        (Thing::Cells(from, to), _) => lookout.cells.push((from, to)),
                    }
                }
                Where::Call(_) => {
                    lookout.rare = true;
                    judge.calls = true;
                }
                Where::Trap(_) | Where::Interrupt(_) => lookout.rare = true,
                Where::Printed(text) => {
                    lookout.rare = true;
                    judge.longest = judge.longest.max(text.as_ref().map_or(0, Vec::len));
                    lookout.cells.extend(target.console.map(|at| (at, at + target.word_bytes())));
                }
                Where::Left(_) => {
                    lookout.rare = true;
                    lookout.leaving = true;
                    judge.leaves = true;
                }
                Where::True(value) => {
                    judge.values = true;
                    match values::can_change(value, target) {
                        Some((uses, cells)) => {
                            let stack = uses.writes >> target.roles.stack.0 & 1 != 0;
                            lookout.rare |= stack || uses.flags_written != 0 || !cells.is_empty();
                            lookout.uses.writes |= uses.writes;
                            lookout.uses.flags_written |= uses.flags_written;
                            lookout.cells.extend(cells);
                        }
                        None => judge.every = true,
                    }
                }
            }
        }
        judge.moments.sort_unstable();
        judge.places.sort_unstable();
        judge.places.dedup();
        judge
    }

    /// The next moment behind a step that is a stop by its own.
    pub(crate) fn next_moment(&self, step: StepNo) -> StepNo {
        let after = self.moments.partition_point(|&moment| moment <= step);
        self.moments.get(after).copied().unwrap_or(StepNo::LAST)
    }

    /// Something else than instructions is looked out for.
    pub(crate) fn looks(&self) -> bool {
        self.every || !self.lookout.is_empty()
    }

    /// How much of what was printed before has to be known.
    pub(crate) fn longest(&self) -> usize {
        self.longest
    }

    /// The machine is about to go on from another moment, behind this output.
    pub(crate) fn stands_behind(&mut self, tail: &[u8]) {
        self.tail.clear();
        self.tail.extend_from_slice(&tail[tail.len().saturating_sub(self.longest)..]);
    }

    /// Has the machine look out.
    pub(crate) fn arm(&self, machine: &mut Machine) {
        machine.set_breakpoints(&self.places);
        machine.set_lookout(&self.lookout);
    }

    /// The instructions that are next and are stops.
    pub(crate) fn at_place(&self, machine: &Machine, hits: &mut Hits) {
        let pc = machine.pc();
        // Behind the last step no instruction is next.
        let is_moment = self.moments.binary_search(&machine.steps()).is_ok();
        let is_place = machine.finished().is_none() && self.places.binary_search(&pc).is_ok();
        if !is_moment && !is_place {
            return;
        }
        for (index, armed) in self.stops.iter().enumerate() {
            let is_there = match armed.stop.place {
                Where::Step(step) => step == machine.steps(),
                _ if !is_place => false,
                Where::Address(address) => address == pc,
                Where::Entered(address) => address == pc && was_entered(machine, address),
                Where::Among(from, to) => from <= pc && pc < to,
                Where::Op(_) => self.kinds[index].binary_search(&pc).is_ok(),
                _ => false,
            };
            if is_there && holds(&armed.stop, machine) {
                hits.push(index);
            }
        }
    }

    /// Takes one step and tells which stops are met behind it.
    pub(crate) fn step(&mut self, machine: &mut Machine, how: Run, hits: &mut Hits) -> Stop {
        let before = self.before(machine);
        let (step, printed) = (machine.steps(), machine.printed());
        let stop = machine.step_on(how);
        if machine.steps() == step {
            return stop;
        }
        let report = machine.last_report();
        let print_from = self.tail.len();
        if report.printed > 0 && self.longest > 0 {
            self.tail.extend_from_slice(machine.output_since(printed));
        }
        for (index, armed) in self.stops.iter().enumerate() {
            let is_met = match &armed.stop.place {
                Where::Address(_) | Where::Entered(_) | Where::Among(..) | Where::Op(_) | Where::Step(_) => false,
                Where::Touched(Touch::Read, thing) => has_read(report, *thing, &before),
                Where::Touched(Touch::Write, thing) => writes(report, *thing).any(|_| true),
                Where::Touched(Touch::Change, thing) => writes(report, *thing).any(|changed| changed),
                Where::Call(number) => {
                    // A program may serve its calls itself, by a trap.
                    let made = match report.kind {
                        StepKind::Call(made) => Some(made),
                        StepKind::Trap(CALL_TRAP) => before.call,
                        StepKind::Trap(_) | StepKind::Instruction | StepKind::Interrupt(_) => None,
                    };
                    made.is_some_and(|made| number.is_none_or(|number| number == made))
                }
                Where::Trap(number) => {
                    matches!(report.kind, StepKind::Trap(taken) if number.is_none_or(|number| number == taken))
                }
                Where::Interrupt(number) => {
                    matches!(report.kind, StepKind::Interrupt(taken) if number.is_none_or(|number| number == taken))
                }
                Where::Printed(None) => report.printed > 0,
                Where::Printed(Some(text)) => report.printed > 0 && ends_with_new(&self.tail, print_from, text),
                Where::Left(target) => {
                    let left = before.targets.len().saturating_sub(machine.frames().len());
                    before.targets.iter().rev().take(left).any(|routine| routine == target)
                }
                Where::True(value) => before.values.get(index) == Some(&false) && is_true(value, machine),
            };
            if is_met && holds(&armed.stop, machine) {
                hits.push(index);
            }
        }
        self.at_place(machine, hits);
        let over = self.tail.len().saturating_sub(self.longest);
        self.tail.drain(..over);
        stop
    }

    fn before(&self, machine: &Machine) -> Before {
        let mut before = Before::default();
        if self.reads {
            let uses = machine.uses_next();
            (before.reads, before.flags_read) = (uses.reads, uses.flags_read);
        }
        if self.calls {
            before.call = machine.call_next();
        }
        if self.leaves {
            before.targets = machine.frames().iter().map(|frame| frame.target).collect();
        }
        if self.values {
            let value = |armed: &Armed| match &armed.stop.place {
                Where::True(value) => is_true(value, machine),
                _ => true,
            };
            before.values = self.stops.iter().map(value).collect();
        }
        before
    }
}

/// Calls, traps and interrupts may touch it beside what their instruction says: all things but plain registers.
fn is_touched_by_entries(thing: Thing, target: &Target) -> bool {
    !matches!(thing, Thing::Register(register) if register != target.roles.stack)
}

/// The trap that a system call enters when the program serves it.
const CALL_TRAP: u32 = 7;

/// What has to be known of the state before a step.
#[derive(Default)]
struct Before {
    reads: u32,
    flags_read: u32,
    call: Option<u32>,
    /// The routines that are active, the innermost last.
    targets: Vec<Addr>,
    /// Of each stop: its value was true.
    values: Vec<bool>,
}

fn has_read(report: &Report, thing: Thing, before: &Before) -> bool {
    let is_entry = matches!(report.kind, StepKind::Interrupt(_)) || report.length == 0;
    match thing {
        // What comes in place of an instruction reads the stack pointer and the flags.
        Thing::Register(_) if is_entry => false,
        Thing::Flag(_) if is_entry => true,
        Thing::Register(register) => before.reads >> register.0 & 1 != 0,
        Thing::Flag(bit) => before.flags_read & bit != 0,
        Thing::Cells(from, to) => report.reads.iter().any(|&(at, length)| at < to && from < at + length),
    }
}

/// The writes to a thing, each with whether it became another value.
fn writes(report: &Report, thing: Thing) -> impl Iterator<Item = bool> {
    let flags = report.flags;
    let flag = match thing {
        Thing::Flag(bit) => (flags.touched & bit != 0).then_some((flags.old ^ flags.new) & bit != 0),
        Thing::Register(_) | Thing::Cells(..) => None,
    };
    let one = move |write: &Write| match (thing, *write) {
        (Thing::Register(wanted), Write::Register { register, old, new, .. }) => {
            (wanted == register).then_some(old != new)
        }
        (Thing::Cells(from, to), Write::Memory { address, length, old, new, .. }) => {
            let covered = |at: u32| (from..to).contains(&(address + at));
            let byte = |value: u32, at: u32| value >> (8 * at) & 0xFF;
            let mut cells = (0..length).filter(|&at| covered(at)).peekable();
            cells.peek().is_some().then(|| cells.any(|at| byte(old, at) != byte(new, at)))
        }
        (Thing::Cells(from, to), Write::Buffer { address, length, .. }) => (address < to && from < address + length)
            .then(|| {
                let (old, new) = report.buffer();
                let cells = old.iter().zip(new).zip(0..);
                cells.filter(|(_, at)| (from..to).contains(&(address + *at))).any(|((old, new), _)| old != new)
            }),
        (Thing::Cells(from, to), Write::Device { address, old, new }) => {
            (from..to).contains(&address).then_some(old != new)
        }
        (Thing::Register(_) | Thing::Flag(_) | Thing::Cells(..), _) => None,
    };
    flag.into_iter().chain(report.writes.iter().filter_map(one))
}

/// A step wrote to a thing.
pub(crate) fn is_written(report: &Report, thing: Thing) -> bool {
    writes(report, thing).any(|_| true)
}

/// What a thing held before a step, when that wrote to it and it had been set: of several cells the first word, `new`
/// what they hold behind it.
pub(crate) fn old_value(report: &Report, thing: Thing, new: u32, word_bytes: u32) -> Option<u32> {
    let mut value = None;
    match thing {
        Thing::Flag(bit) => {
            let touched = report.flags.touched & bit != 0;
            value = touched.then_some((report.flags.old & bit != 0).into());
        }
        Thing::Register(wanted) => {
            for write in &report.writes {
                if let Write::Register { register, old, was_known, .. } = *write
                    && register == wanted
                    && value.is_none()
                {
                    value = was_known.then_some(old);
                }
            }
        }
        Thing::Cells(from, to) => {
            let to = to.min(from + word_bytes);
            let mut bytes = new.to_le_bytes();
            let mut put = |address: Addr, byte: u8| {
                let offset = address.checked_sub(from.0).map(|offset| offset.0 as usize);
                if let Some(slot) = offset.and_then(|offset| bytes.get_mut(offset)) {
                    *slot = byte;
                    value = Some(0);
                }
            };
            // The latest first, so that what was there at the beginning is put last.
            for write in report.writes.iter().rev() {
                match *write {
                    Write::Memory { address, length, old, .. } => {
                        for (at, byte) in (0..length).zip(old.to_le_bytes()).filter(|(at, _)| address + *at < to) {
                            put(address + at, byte);
                        }
                    }
                    Write::Buffer { address, .. } => {
                        let (old, _) = report.buffer();
                        for (at, byte) in (0..).zip(old).filter(|(at, _)| address + *at < to) {
                            put(address + at, *byte);
                        }
                    }
                    Write::Device { address, old, .. } if (from..to).contains(&address) => {
                        for (at, byte) in (0..word_bytes).zip(old.to_le_bytes()).filter(|(at, _)| address + *at < to) {
                            put(address + at, byte);
                        }
                    }
                    Write::Register { .. } | Write::Device { .. } => {}
                }
            }
            value = value.map(|_| u32::from_le_bytes(bytes));
        }
    }
    value
}

/// A text ends among the bytes of `tail` from `from` on.
fn ends_with_new(tail: &[u8], from: usize, text: &[u8]) -> bool {
    let ends = from + 1..=tail.len();
    ends.filter_map(|end| tail.get(end.checked_sub(text.len())?..end)).any(|part| part == text)
}

/// The instructions with a mnemonic that stand in memory.
fn instructions_named(machine: &Machine, name: &str) -> Vec<Addr> {
    let target = machine.target();
    let is_named = |at: &Addr| machine.mnemonics_at(*at).iter().any(|known| known.eq_ignore_ascii_case(name));
    let regions = machine.regions().into_iter();
    let all = regions.flat_map(|region| region.start.up_to(region.end).step_by(target.code_align as usize));
    let mut found: Vec<Addr> = all.filter(|&at| machine.may_execute(at)).filter(is_named).collect();
    found.sort_unstable();
    found.dedup();
    found
}

fn was_entered(machine: &Machine, address: Addr) -> bool {
    machine.frames().last().is_some_and(|frame| frame.target == address && frame.step + 1 == machine.steps())
}

fn is_true(value: &BoundValue, machine: &Machine) -> bool {
    value.value(&At::new(machine)).is_ok_and(|value| value != 0)
}

/// What the stop is met under is true.
fn holds(stop: &StopAt, machine: &Machine) -> bool {
    stop.condition.as_ref().is_none_or(|condition| is_true(condition, machine))
}
