//! Which stops are met at a moment.
//!
//! The judge says what a blind run has to look out for, takes the steps before which it stopped, and tells by their
//! reports which stops are met behind them. A place is met when its instruction *arrives*: when a moment is left and no
//! interrupt comes first. What comes from outside changes values as steps do: a lever at its moment, what is typed with
//! the step that begins there. The judge remembers the end of what was printed, since a text may be printed in pieces,
//! and the moment it judged last; nothing else of the past.

use super::{StopAt, StopId, Thing, Touch, Where};
use crate::log::Entry;
use crate::rerun::Rerun;
use crate::values::{self, At};
use smallvec::SmallVec;
use wendax_isa::{Addr, RegisterUse, StepNo, Target};
use wendax_language::BoundValue;
use wendax_machine::{Came, Event, InsnInfo, Lookout, Machine, Report, Run, StepKind, Stop, Write};

/// A stop with its number.
#[derive(Debug, Clone)]
pub(crate) struct Armed {
    pub(crate) id: StopId,
    pub(crate) stop: StopAt,
}

/// A stop that is met.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Hit {
    /// Its index.
    pub(crate) index: usize,
    /// The step that tells of it: for a place and a lever the one that begins at the moment, else the one before.
    pub(crate) step: StepNo,
    /// It is known when the moment is left; else with the step that led there.
    pub(crate) is_of_moment: bool,
}

/// Stops met at one moment.
pub(crate) type Hits = SmallVec<[Hit; 2]>;

#[derive(Debug, Clone)]
pub(crate) struct Judge {
    pub(crate) stops: Vec<Armed>,
    /// Instructions that are stops themselves.
    places: Vec<Addr>,
    lookout: Lookout,
    /// Moments that are stops by their step, in order.
    moments: Vec<StepNo>,
    /// Any step may be one that a stop is met behind.
    every: bool,
    // What has to be looked at before a step.
    reads: bool,
    calls: bool,
    leaves: bool,
    values: bool,
    /// Places by mnemonics are among the stops.
    by_mnemonic: bool,
    /// The end of what was printed, as long as the longest text looked for.
    tail: Vec<u8>,
    longest: usize,
    /// The moment at which arrivals have been judged.
    judged: Option<StepNo>,
    /// Routines being entered are among the stops; the moment up to which that has been told, or the judge began at.
    enters: bool,
    stood: Option<StepNo>,
    /// Something was typed at this moment: the values before, of each stop.
    typed: Option<Typed>,
    /// Levers were moved at this moment.
    moved: Option<Moved>,
}

/// The values of stops before the first lever was moved at a moment, and how much had come there before.
#[derive(Debug, Clone)]
struct Moved {
    step: StepNo,
    before: Vec<bool>,
    count: usize,
}

/// The values of stops before something was typed and behind it.
#[derive(Debug, Clone)]
struct Typed {
    step: StepNo,
    before: Vec<bool>,
    behind: Vec<bool>,
}

impl Judge {
    pub(crate) fn new(stops: Vec<Armed>, machine: &Machine) -> Self {
        let target = machine.target();
        let mut judge = Self {
            stops,
            places: Vec::new(),
            moments: Vec::new(),
            lookout: Lookout::default(),
            every: false,
            reads: false,
            calls: false,
            leaves: false,
            values: false,
            by_mnemonic: false,
            tail: Vec::new(),
            longest: 0,
            judged: None,
            enters: false,
            stood: Some(machine.steps()),
            typed: None,
            moved: None,
        };
        for armed in &judge.stops {
            let lookout = &mut judge.lookout;
            match &armed.stop.place {
                Where::Address(address) => judge.places.push(*address),
                Where::Entered(address) => {
                    judge.places.push(*address);
                    // An interrupt may come before its first instruction.
                    lookout.rare = true;
                    judge.enters = true;
                }
                Where::Among(parts) => {
                    let align = target.code_align;
                    for &(from, to) in parts {
                        let first = from + (align - from.0 % align) % align;
                        judge.places.extend(first.up_to(to).step_by(align as usize));
                    }
                }
                Where::Op(name) => {
                    lookout.mnemonics.push(name.clone());
                    judge.by_mnemonic = true;
                }
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

    /// For a machine that goes through a run again, and looks out from now on.
    pub(crate) fn at(stops: Vec<Armed>, rerun: &mut Rerun) -> Self {
        let mut judge = Self::new(stops, &rerun.at.machine);
        judge.stands_behind(&rerun.at.machine, rerun.tail());
        judge.arm(&mut rerun.at.machine);
        judge
    }

    /// The next moment behind a step that is a stop by its own.
    pub(crate) fn next_moment(&self, step: StepNo) -> StepNo {
        let after = self.moments.partition_point(|&moment| moment <= step);
        self.moments.get(after).copied().unwrap_or(StepNo::LAST)
    }

    /// Something else than instructions at fixed places is looked out for.
    pub(crate) fn looks(&self) -> bool {
        self.every || !self.lookout.is_empty()
    }

    /// The step that comes has to be judged, whatever it is.
    pub(super) fn takes_each_step(&self) -> bool {
        self.every || self.typed.is_some()
    }

    /// The machine is about to go on from another moment, behind this output.
    pub(crate) fn stands_behind(&mut self, machine: &Machine, tail: &[u8]) {
        self.tail.clear();
        self.tail.extend_from_slice(&tail[tail.len().saturating_sub(self.longest)..]);
        (self.judged, self.typed, self.moved, self.stood) = (None, None, None, Some(machine.steps()));
    }

    /// What arrives at a moment has been told.
    pub(crate) fn is_judged(&self, moment: StepNo) -> bool {
        self.judged == Some(moment)
    }

    /// What arrives at a moment is known, or of no interest.
    pub(crate) fn has_judged(&mut self, moment: StepNo) {
        self.judged = Some(moment);
    }

    /// Has the machine look out.
    pub(crate) fn arm(&self, machine: &mut Machine) {
        machine.set_breakpoints(&self.places);
        machine.set_lookout(&self.lookout);
    }

    /// Feeds what comes from outside at the machine's moment, and tells what that meets and what arrives.
    pub(crate) fn feed(&mut self, machine: &mut Machine, entries: &[Entry], hits: &mut Hits) {
        let moment = machine.steps();
        for entry in entries.iter().filter(|entry| entry.event.is_edit()) {
            self.move_levers(machine, &entry.event, hits);
        }
        // Conditions are asked of the state people see: what is typed at a moment is still to come there.
        let mut arriving = Hits::new();
        let is_new = self.judged.replace(moment) != Some(moment);
        if is_new {
            self.candidates(machine, &mut arriving);
        }
        let before = if self.values { self.all_values(machine) } else { Vec::new() };
        let count = machine.came().len();
        for entry in entries.iter().filter(|entry| !entry.event.is_edit()) {
            machine.feed(&entry.event);
        }
        if machine.came().len() > count {
            let behind = if self.values { self.all_values(machine) } else { Vec::new() };
            self.typed = Some(Typed { step: moment, before, behind });
        }
        self.keep_arriving(machine, arriving, hits);
    }

    /// Feeds an event that changes the state itself, and tells what it meets when it comes from outside. Levers that are
    /// moved at one moment are one change of it: what was there for nobody to see meets nothing. `hits` holds what levers
    /// have met there so far, and nothing else.
    pub(crate) fn move_levers(&mut self, machine: &mut Machine, event: &Event, hits: &mut Hits) {
        let step = machine.steps();
        if !matches!(event, Event::Levers(_)) {
            machine.feed(event);
            // What a person sets is no matter of the levers.
            if let Some(moved) = self.moved.as_mut().filter(|moved| moved.step == step) {
                moved.before = if self.values { all_values(&self.stops, machine) } else { Vec::new() };
            }
            return;
        }
        if self.moved.as_ref().is_none_or(|moved| moved.step != step) {
            let before = if self.values { self.all_values(machine) } else { Vec::new() };
            self.moved = Some(Moved { step, before, count: machine.came().len() });
        }
        machine.feed(event);
        let Some(moved) = &self.moved else { return };
        let came = machine.came().get(moved.count..).unwrap_or_default();
        hits.clear();
        for (index, armed) in self.stops.iter().enumerate() {
            let is_met = match &armed.stop.place {
                Where::Touched(touch, thing) => came.iter().any(|came| is_touched_by(*touch, *thing, came)),
                Where::True(value) => moved.before.get(index) == Some(&false) && is_true(value, machine),
                _ => false,
            };
            if is_met && holds(&armed.stop, machine) {
                hits.push(Hit { index, step, is_of_moment: true });
            }
        }
    }

    /// What arrives at the machine's moment, unless that has been told; what comes from outside there has been fed.
    pub(crate) fn arrive(&mut self, machine: &Machine, hits: &mut Hits) {
        let moment = machine.steps();
        if self.judged.replace(moment) != Some(moment) {
            let mut arriving = Hits::new();
            self.candidates(machine, &mut arriving);
            self.keep_arriving(machine, arriving, hits);
        }
    }

    /// The routines that the step before the machine's moment entered, unless that has been told. The judge was there.
    pub(crate) fn enter(&mut self, machine: &Machine, hits: &mut Hits) {
        let (pc, moment) = (machine.pc(), machine.steps());
        if !self.enters || self.stood == Some(moment) || self.places.binary_search(&pc).is_err() {
            return;
        }
        self.stood = Some(moment);
        if !was_entered(machine, pc) {
            return;
        }
        for (index, armed) in self.stops.iter().enumerate() {
            if armed.stop.place == Where::Entered(pc) && holds(&armed.stop, machine) {
                hits.push(Hit { index, step: moment.saturating_sub(1), is_of_moment: false });
            }
        }
    }

    /// Of what is next at a moment, what arrives.
    fn keep_arriving(&self, machine: &Machine, arriving: Hits, hits: &mut Hits) {
        if !arriving.is_empty() {
            let arrives = machine.arrives().is_some();
            let is_moment = |hit: &Hit| matches!(self.stops[hit.index].stop.place, Where::Step(_));
            hits.extend(arriving.into_iter().filter(|hit| arrives || is_moment(hit)));
        }
    }

    /// The stops that are met at the machine's moment if its instruction arrives, and those that are met there anyhow.
    fn candidates(&self, machine: &Machine, hits: &mut Hits) {
        let (pc, step) = (machine.pc(), machine.steps());
        // Behind the last step no instruction is next.
        let is_moment = self.moments.binary_search(&step).is_ok();
        let is_next = machine.finished().is_none();
        let is_place = is_next && self.places.binary_search(&pc).is_ok();
        if !(is_moment || is_place || is_next && self.by_mnemonic) {
            return;
        }
        let insn = if self.by_mnemonic { machine.instruction_at(pc) } else { None };
        let mnemonics = insn.map_or(Vec::new(), |insn| insn.names);
        for (index, armed) in self.stops.iter().enumerate() {
            let is_there = match &armed.stop.place {
                Where::Step(at) => *at == step,
                Where::Op(name) => is_next && mnemonics.contains(&name.as_str()),
                _ if !is_place => false,
                Where::Address(address) => *address == pc,
                Where::Among(parts) => parts.iter().any(|&(from, to)| from <= pc && pc < to),
                _ => false,
            };
            if is_there && holds(&armed.stop, machine) {
                hits.push(Hit { index, step, is_of_moment: true });
            }
        }
    }

    /// Takes one step and tells which stops are met behind it.
    pub(crate) fn step(&mut self, machine: &mut Machine, how: Run, hits: &mut Hits) -> Stop {
        let mut before = self.before(machine);
        let (step, printed) = (machine.steps(), machine.printed());
        let stop = machine.step_on(how);
        if machine.steps() == step {
            return stop;
        }
        // What was typed is part of the step: true before it, behind it, or between.
        let between = self.typed.take().filter(|typed| typed.step == step).map(|typed| {
            before.values = typed.before;
            typed.behind
        });
        let report = machine.last_report();
        let print_from = self.tail.len();
        if report.printed > 0 && self.longest > 0 {
            self.tail.extend_from_slice(machine.output_since(printed));
        }
        for (index, armed) in self.stops.iter().enumerate() {
            let is_met = match &armed.stop.place {
                Where::Address(_) | Where::Entered(_) | Where::Among(..) | Where::Op(_) | Where::Step(_) => false,
                Where::Touched(Touch::Read, thing) => has_read(report, *thing, &before, machine.target()),
                Where::Touched(touch, thing) => {
                    let by_step = writes(report, *thing).any(|changed| changed || *touch == Touch::Write);
                    let typed = report.came.iter().filter(|came| !came.is_before);
                    by_step || typed.into_iter().any(|came| is_touched_by(*touch, *thing, came))
                }
                Where::Call(number) => {
                    // A program may serve its calls itself, by a trap.
                    let made = match report.kind {
                        StepKind::Call(made) => Some(made),
                        StepKind::Trap(_) if report.length > 0 => before.next.as_ref().and_then(|next| next.call),
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
                Where::True(value) => {
                    let was = |values: &Vec<bool>| values.get(index) == Some(&true);
                    let between = between.as_ref().map_or(was(&before.values), was);
                    !was(&before.values) && between || !between && is_true(value, machine)
                }
            };
            if is_met && holds(&armed.stop, machine) {
                hits.push(Hit { index, step, is_of_moment: false });
            }
        }
        let over = self.tail.len().saturating_sub(self.longest);
        self.tail.drain(..over);
        stop
    }

    fn before(&self, machine: &Machine) -> Before {
        let mut before = Before::default();
        if self.reads || self.calls {
            before.next = machine.instruction_at(machine.pc());
        }
        if self.leaves {
            before.targets = machine.frames().iter().map(|frame| frame.target).collect();
        }
        if self.values {
            before.values = self.all_values(machine);
        }
        before
    }

    /// Of each stop whether its value is true.
    fn all_values(&self, machine: &Machine) -> Vec<bool> {
        all_values(&self.stops, machine)
    }
}

fn all_values(stops: &[Armed], machine: &Machine) -> Vec<bool> {
    let value = |armed: &Armed| match &armed.stop.place {
        Where::True(value) => is_true(value, machine),
        _ => true,
    };
    stops.iter().map(value).collect()
}

/// What came from outside touched a thing.
fn is_touched_by(touch: Touch, thing: Thing, came: &Came) -> bool {
    let Thing::Cells(from, to) = thing else { return false };
    let is_there = (from..to).contains(&came.address) || (from..to).contains(&(came.address + 1));
    match touch {
        Touch::Read => false,
        Touch::Write => is_there,
        Touch::Change => is_there && came.old != came.new,
    }
}

/// Calls, traps and interrupts may touch it beside what their instruction says: all things but plain registers.
fn is_touched_by_entries(thing: Thing, target: &Target) -> bool {
    !matches!(thing, Thing::Register(register) if register != target.roles.stack)
}

/// What has to be known of the state before a step.
#[derive(Default)]
struct Before {
    next: Option<InsnInfo>,
    /// The routines that are active, the innermost last.
    targets: Vec<Addr>,
    /// Of each stop: its value was true.
    values: Vec<bool>,
}

impl Before {
    fn uses(&self) -> RegisterUse {
        self.next.as_ref().map_or(RegisterUse::default(), |next| next.uses)
    }
}

fn has_read(report: &Report, thing: Thing, before: &Before, target: &Target) -> bool {
    // The entry of a trap or interrupt pushes the flags and the way back: it reads both, whatever led to it. Where a register
    // of its own takes the way back it reads none.
    let is_entry = matches!(report.kind, StepKind::Interrupt(_) | StepKind::Trap(_));
    let pushes = target.interrupts_flag.is_some();
    match thing {
        Thing::Register(register) if is_entry => pushes && register == target.roles.stack,
        Thing::Flag(_) if is_entry => true,
        Thing::Register(register) => before.uses().reads >> register.0 & 1 != 0,
        Thing::Flag(bit) => before.uses().flags_read & bit != 0,
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
