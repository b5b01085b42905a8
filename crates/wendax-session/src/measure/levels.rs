//! How chosen things changed over a run: registers, flags, cells of memory, device registers, levers.
//!
//! The run is gone through once, in slices, with an observer that follows what was written; what a person did or moved
//! comes from the log.

use crate::log::Entry;
use crate::rerun::{Question, Rerun};
use crate::session::Session;
use crate::stops::{StopAt, Thing, Where};
use crate::values::Names;
use std::ops::ControlFlow;
use wendax_isa::{Addr, DeviceKind, StepNo, Target};
use wendax_machine::{Machine, Observer, Report, Run, Stop, Write};

/// Changes that are kept of all things together.
const MOST: usize = 1_000_000;

/// Something that is followed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Level {
    /// What it is called.
    pub name: String,
    /// What it is.
    pub thing: Thing,
    /// Its bits.
    pub bits: u32,
    /// The moments at which it became another value, and the value; the first is the moment the run begins at.
    pub changes: Vec<(StepNo, u64)>,
}

/// Levels being followed.
#[derive(Debug, Clone)]
pub struct Levels {
    rerun: Rerun,
    until: StepNo,
    levels: Vec<Level>,
    is_full: bool,
    /// Somebody said what is to be followed.
    is_asked: bool,
}

impl Levels {
    /// Things by their words: `r1`, `total`, `[0x0310]`, `C`, `lamps`; with none, the device registers that hold something
    /// to be seen, and the levers.
    pub fn read(session: &Session, things: &[String]) -> Result<Self, String> {
        let rerun = Rerun::at(session.past(), session.oldest());
        let machine = &rerun.at.machine;
        let target = machine.target();
        let names = Names::new(session.image(), target, session.image().entry);
        let mut found = Vec::new();
        for text in things {
            let stop = StopAt::read(&format!("change {text}"), &names, session.sources());
            match stop.map(|stop| stop.place) {
                Ok(Where::Touched(_, thing)) => found.push((text.clone(), thing)),
                Ok(_) => return Err(format!("`{text}` is nothing that has a value over time")),
                Err(error) => return Err(format!("`{text}`: {}", error.message)),
            }
        }
        if things.is_empty() {
            let shown = [DeviceKind::Lamps, DeviceKind::Levers, DeviceKind::Digit];
            let devices = target.devices.iter().filter(|device| shown.contains(&device.kind));
            let size = target.word_bytes();
            found.extend(
                devices.map(|device| (device.name.to_owned(), Thing::Cells(device.address, device.address + size))),
            );
        }
        let oldest = session.oldest();
        let levels = found.into_iter().map(|(name, thing)| {
            let bits = match thing {
                Thing::Register(_) => target.word_bits,
                Thing::Flag(_) => 1,
                Thing::Cells(from, to) => ((to - from) * 8).min(64),
            };
            Level { name, thing, bits, changes: vec![(oldest, value_of(machine, thing))] }
        });
        let levels = levels.collect();
        Ok(Self { rerun, until: session.end(), levels, is_full: false, is_asked: !things.is_empty() })
    }

    /// Steps gone through, and all there are.
    pub fn progress(&self) -> (u64, u64) {
        (self.rerun.at.machine.steps().0, self.until.0)
    }

    /// The moment up to which all is known: that reached so far, and no later one when there are more changes than are kept.
    pub fn known_to(&self) -> StepNo {
        self.rerun.at.machine.steps()
    }

    /// What was found; things that never changed are among it.
    pub fn levels(&self) -> &[Level] {
        &self.levels
    }

    /// What of it is worth showing: of what nobody asked for, only what changed.
    pub fn told(&self) -> Vec<Level> {
        let is_told = |level: &&Level| self.is_asked || level.changes.len() > 1;
        self.levels.iter().filter(is_told).cloned().collect()
    }

    /// Works for about as long as `budget` steps take; true when all was gone through.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        let word = self.rerun.at.machine.target().word_bytes() as usize;
        let count = self.levels.iter().map(|level| level.changes.len()).sum();
        let target = self.rerun.at.machine.target();
        let is_unsteady = self.levels.iter().any(|level| is_unsteady(level.thing, target));
        let mut follower = Follower { levels: &mut self.levels, is_unsteady, count, word };
        let is_over = self.rerun.ask(session.past(), self.until, &mut budget.max(1), &mut follower);
        self.is_full = follower.count >= MOST;
        if is_over && !self.is_full {
            // What came at the last moment has not been left behind yet.
            self.rerun.last_moment(session.past(), &mut follower);
        }
        is_over
    }
}

impl Level {
    fn value(&self) -> u64 {
        self.changes.last().map_or(0, |change| change.1)
    }

    fn note(&mut self, step: StepNo, value: u64) {
        if value == self.value() {
            return;
        }
        match self.changes.last_mut().filter(|last| last.0 == step) {
            Some(last) => last.1 = value,
            None => self.changes.push((step, value)),
        }
    }

    /// Bytes were written from an address on: what of them is its own takes the place of what it had.
    fn bytes(&mut self, step: StepNo, address: Addr, bytes: &[u8]) {
        let Thing::Cells(from, to) = self.thing else { return };
        let mut value = self.value();
        for (at, byte) in address.up_to(Addr::LAST).zip(bytes) {
            if (from..to).contains(&at) && at - from < 8 {
                let shift = (at - from) * 8;
                value = value & !(0xFF << shift) | u64::from(*byte) << shift;
            }
        }
        self.note(step, value);
    }
}

/// It may change without being written: a register of a device that does more than keep what it is told.
fn is_unsteady(thing: Thing, target: &Target) -> bool {
    let kept = [DeviceKind::Lamps, DeviceKind::Levers, DeviceKind::LeverMask, DeviceKind::Digit];
    let Thing::Cells(from, to) = thing else { return false };
    to > target.map.devices_start
        && target.devices.iter().any(|device| {
            let touches = from < device.address + target.word_bytes() && device.address < to;
            touches && !kept.contains(&device.kind)
        })
}

/// The value of a thing: cells with the first one as the lowest byte.
fn value_of(machine: &Machine, thing: Thing) -> u64 {
    match thing {
        Thing::Register(register) => machine.register(register).into(),
        Thing::Flag(bit) => u64::from(machine.flags() & bit != 0),
        Thing::Cells(from, to) => {
            let cells = from.up_to(to).take(8).zip(0u32..);
            cells.map(|(at, place)| u64::from(machine.byte(at)) << (8 * place)).sum()
        }
    }
}

struct Follower<'a> {
    levels: &'a mut [Level],
    /// Something is among them that may change without being written, as a count of cycles does.
    is_unsteady: bool,
    count: usize,
    /// Bytes of a word.
    word: usize,
}

impl Follower<'_> {
    /// What holds now is noted, whatever led to it.
    fn look(&mut self, machine: &Machine) {
        let now = machine.steps();
        for level in self.levels.iter_mut() {
            let before = level.changes.len();
            level.note(now, value_of(machine, level.thing));
            self.count += level.changes.len() - before;
        }
    }
}

impl Question for Follower<'_> {
    fn feed(&mut self, machine: &mut Machine, entries: &[Entry]) {
        // A person and levers change the moment itself; what is typed at it belongs to the step that begins there.
        let (edits, typed): (Vec<&Entry>, Vec<&Entry>) = entries.iter().partition(|entry| entry.event.is_edit());
        for entry in edits {
            machine.feed(&entry.event);
        }
        self.look(machine);
        for entry in typed {
            machine.feed(&entry.event);
        }
    }

    fn run(&mut self, machine: &mut Machine, run: Run) -> Stop {
        if !self.is_unsteady {
            return machine.run_observed(run, self);
        }
        let from = machine.steps();
        let stop = machine.run_past(Run { until: run.until.min(from + 1), ..run });
        if machine.steps() > from {
            self.look(machine);
        }
        stop
    }

    fn is_answered(&self) -> bool {
        self.count >= MOST
    }
}

impl Observer for Follower<'_> {
    const WRITES: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        let step = report.step + 1;
        for level in self.levels.iter_mut() {
            let before = level.changes.len();
            match level.thing {
                Thing::Flag(bit) => level.note(step, u64::from(report.flags.new & bit != 0)),
                Thing::Register(wanted) => {
                    let wrote = report.writes.iter().rev().find_map(|write| match write {
                        Write::Register { register, new, .. } if *register == wanted => Some(*new),
                        _ => None,
                    });
                    if let Some(new) = wrote {
                        level.note(step, new.into());
                    }
                }
                Thing::Cells(..) => {
                    for write in &report.writes {
                        match write {
                            Write::Memory { address, length, new, .. } => {
                                level.bytes(step, *address, &new.to_le_bytes()[..*length as usize]);
                            }
                            Write::Device { address, new, .. } => {
                                level.bytes(step, *address, &new.to_le_bytes()[..self.word]);
                            }
                            Write::Buffer { address, .. } => level.bytes(step, *address, report.buffer().1),
                            Write::Register { .. } => {}
                        }
                    }
                }
            }
            self.count += level.changes.len() - before;
        }
        if self.count >= MOST { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    }
}
