//! Two moments of a run beside each other: what differs between them, and who changed it last.
//!
//! The machine is brought to both, so what differs is what is really there. Who wrote what differs is looked for afterwards, in
//! slices, in the steps just before the later one.

mod written;

use crate::effects::{Effects, FileChange};
use crate::held::cell;
use crate::numbers::{counted, grouped};
use crate::past::Past;
use crate::rerun::{Rerun, Seen};
use crate::session::Session;
use crate::stops::Thing;
use crate::words::{device_name, place, values_words};
use rustc_hash::FxHashMap;
use std::ops::ControlFlow;
use wendax_isa::{Addr, Reg, StepNo, Target};
use wendax_machine::{CellState, Frame, KnownFile, Machine, Observer, Report, Write};

/// Words of memory that are told one by one, at most.
const MOST_WORDS: usize = 500;

/// Steps before the later moment in which who wrote what is looked for, at most.
const MOST_STEPS: u64 = 3_000_000;

/// What a difference is one of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Side {
    /// Where the run is: the next instruction, the active routines.
    Place,
    /// A register.
    Register,
    /// A flag.
    Flag,
    /// A word of memory, or several alike.
    Memory,
    /// A device register.
    Device,
    /// What was printed, read, or done with files.
    Outside,
}

/// Something that is otherwise at the later moment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Difference {
    /// What it is one of.
    pub side: Side,
    /// What it is called.
    pub name: String,
    /// At the earlier moment; empty where there is nothing to say.
    pub was: String,
    /// At the later one.
    pub now: String,
    /// What it is, when it can be written.
    pub thing: Option<Thing>,
    /// The step that wrote it last before the later moment, and its instruction; as far as that is known.
    pub by: Option<(StepNo, Addr)>,
}

/// What differs between two moments of a run.
#[derive(Debug, Clone)]
pub struct Apart {
    from: StepNo,
    to: StepNo,
    branch: u64,
    /// Cycles between them.
    pub cycles: u64,
    rows: Vec<Difference>,
    /// Words that differ and are not told one by one.
    pub untold: usize,
    /// Who wrote what differs is looked for from here on.
    writers: Option<(Rerun, Places)>,
}

impl Apart {
    /// Of two moments of a session's run, in any order; `None` when the past up to one of them is not kept.
    pub fn between(session: &Session, one: StepNo, other: StepNo) -> Option<Self> {
        let (from, to) = (one.min(other), one.max(other).min(session.end()));
        let past = session.past();
        if from < past.oldest() || from > to {
            return None;
        }
        let (mut earlier, later) = (at(past, from), at(past, to));
        let start = earlier.at.machine.snapshot();
        let (was, is) = (&earlier.at.machine, &later.at.machine);
        let printed = session.output_from(start.printed());
        let length = usize::try_from(is.printed().saturating_sub(start.printed())).unwrap_or(usize::MAX);
        let output = printed.get(..length).unwrap_or_default();
        let effects = Effects::since(is, &start, was.pc(), output);
        let mut apart =
            Self { from, to, branch: past.branch, cycles: effects.cycles, rows: Vec::new(), untold: 0, writers: None };
        apart.fill(session, &effects, was, is);
        if apart.rows.iter().any(|row| row.thing.is_some()) {
            let since = from.max(StepNo(to.0.saturating_sub(MOST_STEPS)));
            apart.writers = Some((Rerun::at(past, since), Places::of(&apart.rows, is.target())));
        }
        Some(apart)
    }

    /// Of a moment of another run, and one of a session's own: what is otherwise here than there. Who changed it is looked
    /// for in the session's own run.
    pub fn across(session: &Session, here: StepNo, other: &Session, there: StepNo) -> Option<Self> {
        let (past, others) = (session.past(), other.past());
        let is_kept = |past: Past<'_>, step: StepNo| past.oldest() <= step && step <= past.end;
        if !is_kept(past, here) || !is_kept(others, there) || session.machine().target() != other.machine().target() {
            return None;
        }
        let (mut earlier, later) = (at(others, there), at(past, here));
        let start = earlier.at.machine.snapshot();
        let (was, is) = (&earlier.at.machine, &later.at.machine);
        let mut effects = Effects::since(is, &start, was.pc(), &[]);
        // What was printed and read by then is another thing in another run.
        (effects.printed, effects.consumed) = (0, 0);
        let cycles = is.cycles().abs_diff(was.cycles());
        let (from, to, branch) = (there, here, past.branch);
        let mut apart = Self { from, to, branch, cycles, rows: Vec::new(), untold: 0, writers: None };
        apart.fill(session, &effects, was, is);
        let told = |machine: &Machine| grouped(machine.printed());
        if was.printed() != is.printed() {
            let (side, name) = (Side::Outside, "bytes printed".to_owned());
            apart.rows.push(Difference { side, name, was: told(was), now: told(is), thing: None, by: None });
        }
        let since = StepNo(here.0.saturating_sub(MOST_STEPS)).max(past.oldest());
        apart.writers = Some((Rerun::at(past, since), Places::of(&apart.rows, is.target())));
        Some(apart)
    }

    /// The two moments, the earlier one first; of another run that of the other one.
    pub fn moments(&self) -> (StepNo, StepNo) {
        (self.from, self.to)
    }

    /// It is of the branch of a walk.
    pub fn is_of(&self, session: &Session) -> bool {
        self.branch == session.branches() && self.to <= session.end()
    }

    /// What differs: place, registers, flags, memory in order of address, devices, what came out.
    pub fn rows(&self) -> &[Difference] {
        &self.rows
    }

    /// Who wrote what differs is known, as far as it is looked for.
    pub fn is_done(&self) -> bool {
        self.writers.is_none()
    }

    /// Looks for who wrote what differs, for about as long as `budget` plain steps take; true when that is done.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        let is_of = self.is_of(session);
        let Some((mut rerun, places)) = self.writers.take().filter(|_| is_of) else { return true };
        let target = session.machine().target();
        let mut writers = Writers { places: &places, rows: &mut self.rows, target };
        let is_done = rerun.ask(session.past(), self.to, &mut budget.max(1), &mut Seen(&mut writers));
        if !is_done {
            self.writers = Some((rerun, places));
        }
        is_done
    }

    // ---- the rows

    fn fill(&mut self, session: &Session, effects: &Effects, was: &Machine, is: &Machine) {
        let (image, target) = (session.image(), is.target());
        let mut row = |side, name: String, was: String, now: String, thing| {
            self.rows.push(Difference { side, name, was, now, thing, by: None });
        };
        if was.pc() != is.pc() {
            let words = |machine: &Machine| place(image, target, machine.pc());
            row(Side::Place, "next".to_owned(), words(was), words(is), None);
        }
        let (before, after) = (routines(session, was.frames()), routines(session, is.frames()));
        if before != after {
            row(Side::Place, "inside of".to_owned(), before, after, None);
        }
        for change in &effects.registers {
            let thing = Thing::Register(change.register);
            let known = change.was_known.then_some(change.old);
            let (old, new) = values_words(session, thing, known, change.new);
            row(Side::Register, target.register_name(change.register).to_owned(), old, new, Some(thing));
        }
        for flag in target.flags {
            let bit = |flags: u32| u32::from(flags & flag.bit != 0);
            let (old, new) = (bit(effects.flags.old), bit(effects.flags.new));
            if old != new {
                let thing = Some(Thing::Flag(flag.bit));
                row(Side::Flag, flag.name.to_string(), old.to_string(), new.to_string(), thing);
            }
        }
        self.fill_memory(session, effects, was, is);
        let mut row = |side, name: String, was: String, now: String| {
            self.rows.push(Difference { side, name, was, now, thing: None, by: None });
        };
        for change in &effects.devices {
            let (old, new) = (target.marked(change.old), target.marked(change.new));
            row(Side::Device, device_name(target, change.address), old, new);
        }
        if effects.printed > 0 {
            let text: String = String::from_utf8_lossy(&effects.output).chars().take(60).collect();
            let much = if effects.printed > text.len() as u64 {
                format!(" … {} in all", counted(effects.printed, "byte", "bytes"))
            } else {
                String::new()
            };
            row(Side::Outside, "printed".to_owned(), String::new(), format!("{text:?}{much}"));
        }
        if effects.consumed > 0 {
            let taken = counted(effects.consumed, "byte", "bytes");
            row(Side::Outside, "input taken".to_owned(), String::new(), taken);
        }
        for (path, change) in &effects.files {
            let how = match change {
                FileChange::Written(_) => {
                    let [old, new] = [was, is].map(|machine| machine.files().get(path).and_then(KnownFile::bytes));
                    let (old, new) = contents(old, new);
                    row(Side::Outside, path.to_string(), old, new);
                    continue;
                }
                FileChange::Opened => "opened".to_owned(),
                FileChange::Closed => "closed".to_owned(),
                FileChange::Moved(at) => format!("goes on at {}", grouped(*at as u64)),
            };
            row(Side::Outside, path.to_string(), String::new(), how);
        }
    }

    /// Words of memory that differ, one by one; what both moments have left below the stack pointer counts together.
    fn fill_memory(&mut self, session: &Session, effects: &Effects, was: &Machine, is: &Machine) {
        let target = is.target();
        let unit = target.word_bytes();
        let low = was.stack_pointer().min(is.stack_pointer());
        let is_left = |at: Addr| target.map.stack_start <= at && at < low;
        let (mut left, mut told) = (0u32, 0usize);
        for change in &effects.memory {
            let mut at = change.address;
            let end = at + u32::try_from(change.new.len()).unwrap_or(0);
            while at < end {
                // A word at a time, from where words begin.
                let behind = end.min(target.align(at).saturating_add(unit));
                let bytes = behind - at;
                if is_left(at) {
                    left += bytes;
                } else if told == MOST_WORDS {
                    self.untold += 1;
                } else {
                    told += 1;
                    self.rows.push(word(session, was, is, at, bytes));
                }
                at = behind;
            }
        }
        if left > 0 {
            let now = counted(left.into(), "byte", "bytes");
            let name = "left below sp".to_owned();
            self.rows.push(Difference { side: Side::Memory, name, was: String::new(), now, thing: None, by: None });
        }
    }
}

/// What a file holds at two moments, in words: how much, and the first line that is another one.
fn contents(was: Option<&[u8]>, is: Option<&[u8]>) -> (String, String) {
    /// Signs of a line that are shown, at most.
    const MOST: usize = 40;
    let (one, other) = (was.unwrap_or_default(), is.unwrap_or_default());
    let same = one.iter().zip(other).take_while(|(one, other)| one == other).count();
    let begin = one[..same].iter().rposition(|byte| *byte == b'\n').map_or(0, |at| at + 1);
    let number = one[..begin].split(|byte| *byte == b'\n').count();
    let told = |bytes: Option<&[u8]>| {
        let Some(bytes) = bytes else { return "no such file".to_owned() };
        let count = counted(bytes.len() as u64, "byte", "bytes");
        let line = bytes.get(begin..).unwrap_or_default();
        let line = line.split(|byte| *byte == b'\n').next().unwrap_or_default();
        if begin >= bytes.len() {
            return format!("{count}: it ends before line {number}");
        }
        let text: String = String::from_utf8_lossy(line).chars().take(MOST).collect();
        format!("{count}, line {number}: {text:?}")
    };
    (told(was), told(is))
}

/// A copy of the machine at a moment, what was changed by hand there among it.
fn at(past: Past<'_>, step: StepNo) -> Rerun {
    let mut rerun = Rerun::at(past, step);
    rerun.at.feed_edits(past.log);
    rerun
}

/// The active routines, the outermost first.
fn routines(session: &Session, frames: &[Frame]) -> String {
    let image = session.image();
    let name = |frame: &Frame| {
        let label = image.label_at(frame.target).map(|label| label.name.clone());
        label.unwrap_or_else(|| session.machine().target().marked_address(frame.target))
    };
    match frames {
        [] => "no routine".to_owned(),
        [.., last] if frames.len() > 4 => format!("{} and {} more", name(last), frames.len() - 1),
        frames => frames.iter().map(name).collect::<Vec<_>>().join(", "),
    }
}

/// A word of memory, or what there is of one.
fn word(session: &Session, was: &Machine, is: &Machine, at: Addr, bytes: u32) -> Difference {
    let target = is.target();
    let thing = Thing::Cells(at, at + bytes);
    let is_known = (0..bytes).any(|offset| was.cell(at + offset) == CellState::Known);
    let (old, new) = values_words(session, thing, is_known.then(|| was.number(at, bytes)), is.number(at, bytes));
    let name = cell(session, Addr::FIRST, at, bytes).map(|cell| cell.name);
    let name = name.unwrap_or_else(|| place(session.image(), target, at));
    Difference { side: Side::Memory, name: format!("[{name}]"), was: old, now: new, thing: Some(thing), by: None }
}

/// Which rows are about what, so that each write finds its own.
#[derive(Debug, Clone)]
struct Places {
    registers: FxHashMap<Reg, usize>,
    flags: Vec<(u32, usize)>,
    /// By the word that it lies in.
    cells: FxHashMap<Addr, usize>,
}

impl Places {
    fn of(rows: &[Difference], target: &Target) -> Self {
        let mut places = Self { registers: FxHashMap::default(), flags: Vec::new(), cells: FxHashMap::default() };
        for (index, row) in rows.iter().enumerate() {
            match row.thing {
                Some(Thing::Register(register)) => _ = places.registers.insert(register, index),
                Some(Thing::Flag(bit)) => places.flags.push((bit, index)),
                Some(Thing::Cells(from, _)) => _ = places.cells.insert(target.align(from), index),
                None => {}
            }
        }
        places
    }
}

/// Who writes what differs.
struct Writers<'a> {
    places: &'a Places,
    rows: &'a mut [Difference],
    target: &'static Target,
}

impl Writers<'_> {
    fn wrote(&mut self, from: Addr, length: u32, by: (StepNo, Addr)) {
        let mut at = self.target.align(from);
        while at < from + length {
            if let Some(index) = self.places.cells.get(&at) {
                self.rows[*index].by = Some(by);
            }
            at += self.target.word_bytes();
        }
    }
}

impl Observer for Writers<'_> {
    const WRITES: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        let by = (report.step, report.pc);
        for write in &report.writes {
            match *write {
                Write::Register { register, .. } => {
                    if let Some(index) = self.places.registers.get(&register) {
                        self.rows[*index].by = Some(by);
                    }
                }
                Write::Memory { address, length, .. } | Write::Buffer { address, length, .. } => {
                    self.wrote(address, length, by);
                }
                Write::Device { .. } => {}
            }
        }
        for (bit, index) in &self.places.flags {
            if report.flags.touched & bit != 0 {
                self.rows[*index].by = Some(by);
            }
        }
        ControlFlow::Continue(())
    }
}

/// The registers that a routine is to keep and that differ between its entry and another moment.
pub fn not_kept(session: &Session, apart: &Apart) -> Vec<Reg> {
    let target = session.machine().target();
    let registers = target.registers().filter(|(register, info)| info.kept && *register != target.roles.stack);
    let differs = |register: Reg| apart.rows.iter().any(|row| row.thing == Some(Thing::Register(register)));
    registers.map(|(register, _)| register).filter(|register| differs(*register)).collect()
}
