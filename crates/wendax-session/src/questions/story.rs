//! The story of a thing: who wrote it last, who reads it next, when it becomes another value next, and all its changes.
//!
//! All of it is of one moment of one branch, and of what is known of that branch: what lies behind the furthest step
//! nobody has seen. It is worked out in slices; what is found first is told first.

use super::scan::{Finder, Interval, Nearest, Scan};
use crate::session::{ByHand, Session};
use crate::stops::{Hit, StopAt, Thing, Touch, Where, old_value};
use std::collections::VecDeque;
use wendax_isa::{Addr, Reg, StepNo, Target};
use wendax_machine::{Event, Machine, StepKind};

/// Changes kept on each side of the present moment.
const MOST_CHANGES: usize = 2_000;
/// Columns of a chart.
const COLUMNS: usize = 128;

/// A step that touched a thing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Toucher {
    /// The step.
    pub step: StepNo,
    /// Where its instruction is.
    pub pc: Addr,
    /// What kind of step.
    pub kind: StepKind,
    /// The code words that stood there.
    pub code: [u32; 2],
    /// What the thing held before; `None` when it had never been set, or was only read.
    pub old: Option<u32>,
    /// What it held behind the step.
    pub new: u32,
}

/// What was found.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum Answer {
    /// It is being looked for.
    #[default]
    Looking,
    /// There is none, as far as the run is known and kept.
    Nothing,
    /// This step.
    Step(Toucher),
    /// A person did it.
    ByHand(ByHand),
}

/// A change in a list of them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Change {
    /// By a step.
    Step(Toucher),
    /// By hand.
    ByHand(ByHand),
}

impl Change {
    /// The step that did it, or before which it was done.
    pub fn step(&self) -> StepNo {
        match self {
            Self::Step(toucher) => toucher.step,
            Self::ByHand(edit) => edit.step,
        }
    }
}

/// A piece of time in a chart: the values a thing had in it, as [`charted`] reads them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Chart {
    /// The least.
    pub least: i64,
    /// The greatest.
    pub most: i64,
    /// The one at its end.
    pub last: i64,
    /// It changed so often.
    pub changes: u64,
}

/// A value of a thing as a chart reads it: registers and words of memory are signed numbers, so that a small negative one
/// lies below; flags, single cells, device registers, and the registers that lead to the stack are not.
pub fn charted(target: &Target, thing: Thing, value: u32) -> i64 {
    let leads = |register| register == target.roles.stack || Some(register) == target.roles.frame;
    match thing {
        Thing::Register(register) if !leads(register) => target.signed(value).into(),
        Thing::Cells(from, to) if to - from == target.word_bytes() && target.device(from).is_none() => {
            target.signed(value).into()
        }
        Thing::Register(_) | Thing::Flag(_) | Thing::Cells(..) => value.into(),
    }
}

/// All changes of a thing in a run.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Changes {
    /// The changes around the moment that was asked about, in order.
    pub list: VecDeque<Change>,
    /// Where the part behind the moment begins in the list.
    pub present: usize,
    /// How many there were before those in the list.
    pub before: u64,
    /// How many there are after those in the list.
    pub after: u64,
    /// Pieces of the run, each as long, from its earliest moment kept to its furthest step.
    pub chart: Vec<Chart>,
}

impl Changes {
    /// How many there are in all, as far as they were found.
    pub fn count(&self) -> u64 {
        self.before + self.list.len() as u64 + self.after
    }
}

/// The story of a thing; see the module.
#[derive(Debug, Clone)]
pub struct Story {
    thing: Thing,
    at: StepNo,
    end: StepNo,
    branch: u64,
    /// Who wrote it last before the moment.
    pub written: Answer,
    /// Who reads it next, from the moment on.
    pub read: Answer,
    /// Who changes it next.
    pub changed: Answer,
    /// All its changes.
    pub changes: Changes,
    stage: Stage,
}

#[derive(Debug, Clone)]
enum Stage {
    Written(Scan<One>),
    Changed(Scan<One>),
    Read(Scan<One>),
    Changes(Scan<All>),
    Done,
}

impl Story {
    /// The story of a thing at the present moment of a walk.
    pub fn new(session: &Session, thing: Thing) -> Self {
        let (at, end) = (session.now(), session.end());
        Self {
            thing,
            at,
            end,
            branch: session.branches(),
            written: Answer::Looking,
            read: Answer::Looking,
            changed: Answer::Looking,
            changes: Changes::default(),
            stage: Stage::Written(Scan::new(touch(Touch::Write, thing), writing_before(session, thing, at))),
        }
    }

    /// What it is the story of.
    pub fn thing(&self) -> Thing {
        self.thing
    }

    /// It is of the moment a walk is at, and of its branch as far as that is known.
    pub fn is_of(&self, session: &Session) -> bool {
        (self.at, self.end, self.branch) == (session.now(), session.end(), session.branches())
    }

    /// All has been told.
    pub fn is_done(&self) -> bool {
        matches!(self.stage, Stage::Done)
    }

    /// Steps looked through of those that the present question needs.
    pub fn progress(&self) -> (u64, u64) {
        match &self.stage {
            Stage::Written(scan) => scan.progress(),
            Stage::Changed(scan) | Stage::Read(scan) => scan.progress(),
            Stage::Changes(scan) => scan.progress(),
            Stage::Done => (0, 0),
        }
    }

    /// Goes on finding out who wrote it last, and no more; true when that is told.
    pub fn find_writer(&mut self, session: &Session, budget: u64) -> bool {
        if self.written == Answer::Looking {
            self.work_on_stage(session, budget);
        }
        self.written != Answer::Looking
    }

    /// Goes on finding out, for about as long as `budget` steps take for each processor; true when all is told.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        // What is done quickly needs no slice of its own.
        loop {
            let stage = std::mem::discriminant(&self.stage);
            if self.work_on_stage(session, budget) || std::mem::discriminant(&self.stage) == stage {
                return self.is_done();
            }
        }
    }

    fn work_on_stage(&mut self, session: &Session, budget: u64) -> bool {
        let thing = self.thing;
        match &mut self.stage {
            Stage::Written(scan) => {
                let found = scan.work(session, budget, || One { thing, is_first: false, found: None });
                let step = found.iter().flatten().find_map(|last| last.found);
                if found.is_none() || step.is_some() {
                    self.written = latest(session, thing, self.at, step);
                    let stop = touch(Touch::Change, thing);
                    self.stage = Stage::Changed(Scan::new(stop, writing(session, thing, self.at, self.end)));
                }
            }
            Stage::Changed(scan) => {
                let Some(answer) = first(scan, session, budget, thing) else { return false };
                self.changed = answer;
                let stop = touch(Touch::Read, thing);
                self.stage = Stage::Read(Scan::new(stop, reading(session, thing, self.at, self.end)));
            }
            Stage::Read(scan) => {
                let Some(answer) = first(scan, session, budget, thing) else { return false };
                self.read = answer;
                // Cut at the moment: what is kept of many is what lies nearest to it.
                let mut intervals = writing(session, thing, session.oldest(), self.at);
                intervals.extend(writing(session, thing, self.at, self.end));
                self.stage = Stage::Changes(Scan::new(touch(Touch::Change, thing), intervals));
            }
            Stage::Changes(scan) => {
                let (at, range) = (self.at, (session.oldest(), self.end));
                let Some(found) = scan.work(session, budget, || All::new(thing, at, range)) else {
                    self.add_by_hand(session);
                    self.stage = Stage::Done;
                    return true;
                };
                for all in found {
                    self.add(all);
                }
            }
            Stage::Done => {}
        }
        self.is_done()
    }

    /// Changes of an interval behind those known.
    fn add(&mut self, found: All) {
        let chart = &mut self.changes.chart;
        if chart.is_empty() {
            let value = found.start;
            *chart = vec![Chart { least: value, most: value, last: value, changes: 0 }; COLUMNS];
        }
        for (column, of_interval) in found.columns {
            let known = &mut chart[column];
            if known.changes == 0 {
                known.least = known.last.min(of_interval.least);
                known.most = known.last.max(of_interval.most);
            }
            known.least = known.least.min(of_interval.least);
            known.most = known.most.max(of_interval.most);
            known.changes += of_interval.changes;
            known.last = of_interval.last;
            for later in &mut chart[column + 1..] {
                *later = Chart { least: of_interval.last, most: of_interval.last, last: of_interval.last, changes: 0 };
            }
        }
        let is_before = found.nearest.is_before();
        for toucher in found.nearest.list {
            self.put(Change::Step(toucher), is_before);
        }
        if is_before {
            self.changes.before += found.left_out;
        } else {
            self.changes.after += found.left_out;
        }
    }

    /// A change behind all that are in the list.
    fn put(&mut self, change: Change, is_before: bool) {
        let changes = &mut self.changes;
        if is_before {
            if changes.present == MOST_CHANGES {
                changes.list.pop_front();
                changes.before += 1;
                changes.present -= 1;
            }
            changes.list.push_back(change);
            changes.present += 1;
        } else if changes.list.len() - changes.present < MOST_CHANGES {
            changes.list.push_back(change);
        } else {
            changes.after += 1;
        }
    }

    fn add_by_hand(&mut self, session: &Session) {
        for edit in session.edits().into_iter().filter(|edit| is_set_by(self.thing, edit)) {
            // Done at the present moment, it is behind it.
            let is_before = edit.step <= self.at;
            let changes = &mut self.changes;
            let place = changes.list.partition_point(|known| known.step() < edit.step);
            if place == 0 && changes.before > 0 {
                changes.before += 1;
            } else if place == changes.list.len() && changes.after > 0 {
                changes.after += 1;
            } else {
                changes.list.insert(place, Change::ByHand(edit));
                changes.present += usize::from(is_before);
            }
        }
    }
}

/// A stop at a thing being touched.
fn touch(how: Touch, thing: Thing) -> StopAt {
    StopAt::plain(Where::Touched(how, thing))
}

/// Intervals before a moment in which the thing can have been written, the newest first.
pub(super) fn writing_before(session: &Session, thing: Thing, at: StepNo) -> Vec<Interval> {
    let mut intervals = writing(session, thing, session.oldest(), at);
    intervals.reverse();
    intervals
}

/// Intervals in which the thing can have been written.
fn writing(session: &Session, thing: Thing, at: StepNo, end: StepNo) -> Vec<Interval> {
    let mut intervals = session.intervals(at, end);
    // A register that is not set at the end of an interval was not written in it, nor was one that no instruction writes.
    if let Thing::Register(register) = thing {
        intervals.retain(|&(start, _)| {
            let Some(after) = session.history.after(start) else { return true };
            let registers = Machine::registers_in(&after.at.snapshot);
            registers.get(usize::from(register.0)).is_none_or(|&(_, is_known)| is_known)
                && (is_stack(session, register) || after.used.writes >> register.0 & 1 != 0)
        });
    }
    if let Thing::Cells(from, to) = thing {
        intervals.retain(|&(start, _)| {
            let (one, other) = (session.history.before(start), session.history.after(start));
            let page = session.machine().target().map.page;
            let is_same =
                |address: Addr| other.is_some_and(|other| one.at.snapshot.shares_page(&other.at.snapshot, address));
            let mut starts = (from.0 / page..=to.0.saturating_sub(1) / page).map(|number| Addr(number * page));
            // What devices show is in no page.
            let is_device = session.machine().target().map.devices_start < to;
            is_device || !starts.all(is_same)
        });
    }
    intervals
}

/// Intervals in which the thing can have been read.
fn reading(session: &Session, thing: Thing, at: StepNo, end: StepNo) -> Vec<Interval> {
    let mut intervals = session.intervals(at, end);
    if let Thing::Register(register) = thing {
        intervals.retain(|&(start, _)| {
            let after = session.history.after(start);
            after.is_none_or(|after| is_stack(session, register) || after.used.reads >> register.0 & 1 != 0)
        });
    }
    intervals
}

/// Traps and interrupts use it too.
fn is_stack(session: &Session, register: Reg) -> bool {
    session.machine().target().roles.stack == register
}

fn first(scan: &mut Scan<One>, session: &Session, budget: u64, thing: Thing) -> Option<Answer> {
    let Some(found) = scan.work(session, budget, || One { thing, is_first: true, found: None }) else {
        return Some(Answer::Nothing);
    };
    found.iter().find_map(|first| first.found).map(Answer::Step)
}

/// Who wrote it last: this step, or a person after it.
fn latest(session: &Session, thing: Thing, at: StepNo, step: Option<Toucher>) -> Answer {
    let since = step.map_or(StepNo::FIRST, |step| step.step + 1);
    let by_hand = set_by_hand(session, thing, since, at).map(Answer::ByHand);
    by_hand.or(step.map(Answer::Step)).unwrap_or(Answer::Nothing)
}

/// The last change by hand of a thing at these steps.
pub(super) fn set_by_hand(session: &Session, thing: Thing, since: StepNo, at: StepNo) -> Option<ByHand> {
    let edits = session.edits().into_iter().rev();
    edits.take_while(|edit| edit.step >= since).find(|edit| edit.step <= at && is_set_by(thing, edit))
}

/// A change by hand is of this thing.
fn is_set_by(thing: Thing, edit: &ByHand) -> bool {
    match (thing, &edit.event) {
        (Thing::Register(wanted), Event::SetRegister(register, _)) => wanted == *register,
        (Thing::Flag(bit), Event::SetFlags(flags)) => edit.was.is_none_or(|was| (was ^ flags) & bit != 0),
        (Thing::Cells(from, to), Event::SetByte(address, _)) => (from..to).contains(address),
        _ => false,
    }
}

/// What a thing holds: of several cells the first word.
pub(crate) fn value_of(machine: &Machine, thing: Thing) -> u32 {
    match thing {
        Thing::Register(register) => machine.register(register),
        Thing::Flag(bit) => (machine.flags() & bit != 0).into(),
        Thing::Cells(from, to) if from + 1 == to => machine.byte(from).into(),
        Thing::Cells(from, _) => machine.word(from),
    }
}

/// The step that tells of what was met: the one the machine has just taken, by its report; or what comes at its moment.
fn toucher(machine: &Machine, thing: Thing, hit: Hit) -> Toucher {
    let new = value_of(machine, thing);
    if hit.step == machine.steps() {
        let old = machine.came().first().map(|came| came.old);
        let (pc, code) = (machine.pc(), machine.code_at(machine.pc()));
        return Toucher { step: hit.step, pc, kind: StepKind::Instruction, code, old, new };
    }
    let report = machine.last_report();
    let by_step = old_value(report, thing, new, machine.target().word_bytes());
    let typed = report.came.iter().find(|came| matches!(thing, Thing::Cells(from, _) if from == came.address));
    let old = by_step.or(typed.map(|came| came.old));
    Toucher { step: report.step, pc: report.pc, kind: report.kind, code: report.code, old, new }
}

/// One meeting of an interval: the first, or the last.
#[derive(Debug, Clone)]
struct One {
    thing: Thing,
    is_first: bool,
    found: Option<Toucher>,
}

impl Finder for One {
    fn begin(&mut self, _: &Machine) {}

    fn met(&mut self, machine: &Machine, hit: Hit) -> bool {
        self.found = Some(toucher(machine, self.thing, hit));
        !self.is_first
    }
}

/// All of them: those nearest to a moment, and what they come to in a chart.
#[derive(Debug, Clone)]
struct All {
    thing: Thing,
    range: (StepNo, StepNo),
    start: i64,
    nearest: Nearest<Toucher>,
    left_out: u64,
    columns: Vec<(usize, Chart)>,
}

impl All {
    fn new(thing: Thing, at: StepNo, range: (StepNo, StepNo)) -> Self {
        let nearest = Nearest::to(at, MOST_CHANGES);
        Self { thing, range, start: 0, nearest, left_out: 0, columns: Vec::new() }
    }
}

impl Finder for All {
    fn begin(&mut self, machine: &Machine) {
        self.start = charted(machine.target(), self.thing, value_of(machine, self.thing));
        self.nearest.begin(machine);
    }

    fn met(&mut self, machine: &Machine, hit: Hit) -> bool {
        let toucher = toucher(machine, self.thing, hit);
        self.left_out += u64::from(!self.nearest.push(toucher));
        let (from, until) = self.range;
        let all = u128::from(until - from).max(1);
        let column = u128::from(toucher.step - from) * COLUMNS as u128 / all;
        let column = usize::try_from(column).unwrap_or(0).min(COLUMNS - 1);
        let value = charted(machine.target(), self.thing, toucher.new);
        match self.columns.last_mut().filter(|(known, _)| *known == column) {
            Some((_, chart)) => {
                *chart = Chart {
                    least: chart.least.min(value),
                    most: chart.most.max(value),
                    last: value,
                    changes: chart.changes + 1,
                };
            }
            None => self.columns.push((column, Chart { least: value, most: value, last: value, changes: 1 })),
        }
        true
    }
}
