//! The trail: the steps of a run, one after the other, all or those that a filter lets through.
//!
//! No step is stored. A window around some step is computed again; a filter is a stop, and the steps at which that is
//! met are looked for outwards from the present one. [`TrailText`] writes steps of a run under way.

use super::scan::{Finder, Scan};
use crate::effects::{Effects, observe};
use crate::log::Entry;
use crate::rerun::{Question, Rerun, Seen};
use crate::session::Session;
use crate::stops::{Armed, Hit, Hits, Judge, Looked, StopAt, StopId, look};
use rustc_hash::FxHashMap;
use std::collections::VecDeque;
use std::fmt::Write as _;
use std::ops::ControlFlow;
use wendax_isa::{Addr, StepNo, Target};
use wendax_machine::{Machine, Observer, Report, Run, StepKind, Stop, Write};

/// Steps found on each side of the present one, at most.
const MOST_FOUND: usize = 5_000;

/// Takes down what each step did.
#[derive(Default)]
struct Did(Vec<Effects>);

impl Question for Did {
    fn run(&mut self, machine: &mut Machine, _: Run) -> Stop {
        let (stop, effects) = observe(machine);
        self.0.extend(effects);
        stop
    }
}

impl Session {
    /// What the steps from one on did: at most `most`, as far as the run is known.
    pub fn steps_from(&self, step: StepNo, most: usize) -> Vec<Effects> {
        let from = step.max(self.oldest());
        let until = from.saturating_add(most as u64).min(self.end());
        let mut did = Did::default();
        Rerun::at(self, from).go_through(self, until, &mut did);
        did.0
    }

    /// What each of these steps did, given in order.
    pub fn steps_at(&self, steps: &[StepNo]) -> Vec<Effects> {
        let mut did = Did::default();
        let mut rerun: Option<Rerun> = None;
        for &step in steps.iter().filter(|&&step| step >= self.oldest()) {
            // The next one is mostly near the one before.
            let rerun = rerun.get_or_insert_with(|| Rerun::at(self, step));
            rerun.go_to(self, step);
            rerun.go_through(self, (step + 1).min(self.end()), &mut did);
        }
        did.0
    }
}

/// The steps of a run that a filter lets through, around the moment a walk was at.
#[derive(Debug, Clone)]
pub struct Filtered {
    filter: StopAt,
    at: StepNo,
    end: StepNo,
    branch: u64,
    /// Steps before the moment, and from it on, in order.
    steps: VecDeque<StepNo>,
    /// How many of them lie before the moment.
    before: usize,
    back: Option<Scan<Found>>,
    on: Option<Scan<Found>>,
}

impl Filtered {
    /// Looks for steps around the present moment of a walk.
    pub fn new(session: &Session, filter: StopAt) -> Self {
        let (at, end) = (session.now(), session.end());
        let mut before = session.intervals(session.oldest(), at);
        before.reverse();
        let after = session.intervals(at, end);
        Self {
            at,
            end,
            branch: session.branches(),
            steps: VecDeque::new(),
            before: 0,
            back: Some(Scan::new(filter.clone(), before)),
            on: Some(Scan::new(filter.clone(), after)),
            filter,
        }
    }

    /// What it lets through.
    pub fn filter(&self) -> &StopAt {
        &self.filter
    }

    /// It is of the branch of a walk, as far as that is known.
    pub fn is_of(&self, session: &Session) -> bool {
        (self.end, self.branch) == (session.end(), session.branches())
    }

    /// All steps were looked through, or as many found as are kept.
    pub fn is_done(&self) -> bool {
        self.back.is_none() && self.on.is_none()
    }

    /// The steps found, in order.
    pub fn steps(&self) -> &VecDeque<StepNo> {
        &self.steps
    }

    /// How many of them lie before the moment it was begun at.
    pub fn before(&self) -> usize {
        self.before
    }

    /// Steps looked through, and all there are.
    pub fn progress(&self) -> (u64, u64) {
        let scans = [&self.back, &self.on].into_iter().flatten().map(Scan::progress);
        scans.fold((0, 0), |(done, all), (more, of)| (done + more, all + of))
    }

    /// Goes on looking, for about as long as `budget` steps take for each processor; true when all is found.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        let at = self.at;
        let finder = || Found { at, is_before: false, steps: VecDeque::new() };
        if let Some(scan) = &mut self.on {
            match scan.work(session, budget, finder) {
                None => self.on = None,
                Some(found) => {
                    self.steps.extend(found.into_iter().flat_map(|found| found.steps));
                    if self.steps.len() - self.before >= MOST_FOUND {
                        self.on = None;
                    }
                }
            }
        }
        if let Some(scan) = &mut self.back {
            match scan.work(session, budget, finder) {
                None => self.back = None,
                Some(found) => {
                    for step in found.into_iter().flat_map(|found| found.steps.into_iter().rev()) {
                        self.steps.push_front(step);
                        self.before += 1;
                    }
                    if self.before >= MOST_FOUND {
                        self.back = None;
                    }
                }
            }
        }
        self.is_done()
    }
}

/// The steps of an interval that tell of a stop being met, those nearest to a moment.
#[derive(Debug, Clone)]
struct Found {
    at: StepNo,
    /// The interval lies before the moment: its last ones are nearest, else its first ones.
    is_before: bool,
    steps: VecDeque<StepNo>,
}

impl Finder for Found {
    fn begin(&mut self, machine: &Machine) {
        self.is_before = machine.steps() < self.at;
    }

    fn met(&mut self, _: &Machine, hit: Hit) -> bool {
        if self.steps.back() != Some(&hit.step) {
            self.steps.push_back(hit.step);
        }
        if self.steps.len() > MOST_FOUND {
            self.steps.pop_front();
        }
        self.is_before || self.steps.len() < MOST_FOUND
    }
}

/// How the steps of a run are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TrailForm {
    /// A line each, for people.
    Text,
    /// Values with commas, a heading first.
    Csv,
    /// A JSON object each.
    JsonLines,
}

/// Writes the steps of a run under way, behind it on a copy.
#[derive(Debug, Clone)]
pub struct TrailText {
    rerun: Rerun,
    filter: Option<Chosen>,
    writer: Writer,
}

/// The steps that a filter lets through, as they come.
#[derive(Debug, Clone)]
struct Chosen {
    judge: Judge,
    times: u64,
    /// The moment at which the filter was met last.
    last: Option<StepNo>,
    /// The step to be written when it is taken, and the one written last.
    coming: Option<StepNo>,
    written: Option<StepNo>,
}

#[derive(Debug, Clone)]
struct Writer {
    form: TrailForm,
    target: &'static Target,
    /// Of each address that an instruction was met at: its place and text as the code was.
    known: FxHashMap<Addr, Known>,
    out: String,
}

impl TrailText {
    /// For a walk that stands before its first step.
    pub fn new(session: &Session, form: TrailForm, filter: Option<StopAt>) -> Self {
        let mut rerun = Rerun::at(session, session.oldest());
        let filter = filter.map(|stop| {
            let judge = Judge::at(vec![Armed { id: StopId::UNTIL, stop }], &rerun);
            judge.arm(&mut rerun.machine);
            Chosen { judge, times: 0, last: None, coming: None, written: None }
        });
        let target = rerun.machine.target();
        let mut writer = Writer { form, target, known: FxHashMap::default(), out: String::new() };
        if form == TrailForm::Csv {
            writer.out.push_str("step,address,place,instruction,cycles,did\n");
        }
        Self { rerun, filter, writer }
    }

    /// Takes in what the walk has done since; returns what that comes to in words.
    pub fn follow(&mut self, session: &Session) -> &str {
        let Self { rerun, filter, writer } = self;
        match filter {
            Some(chosen) => rerun.go_through(session, session.end(), &mut Choosing { session, writer, chosen }),
            None => rerun.go_through(session, session.end(), &mut Seen(&mut Steps { session, writer })),
        }
        &self.writer.out
    }

    /// What was returned has been written down.
    pub fn taken(&mut self) {
        self.writer.out.clear();
    }
}

struct Steps<'a> {
    session: &'a Session,
    writer: &'a mut Writer,
}

impl Observer for Steps<'_> {
    const WRITES: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        self.writer.step(self.session, report);
        ControlFlow::Continue(())
    }
}

/// Writes the steps that tell of the filter being met.
struct Choosing<'a> {
    session: &'a Session,
    writer: &'a mut Writer,
    chosen: &'a mut Chosen,
}

impl Choosing<'_> {
    /// The filter is met; of the times it is, those count that it names.
    fn take(&mut self, machine: &Machine, hits: &Hits) {
        let moment = machine.steps();
        for hit in hits {
            let chosen = &mut *self.chosen;
            let stop = &chosen.judge.stops[hit.index].stop;
            if chosen.last != Some(moment) {
                (chosen.last, chosen.times) = (Some(moment), chosen.times + 1);
            }
            let is_over = stop.once && chosen.written.is_some();
            if is_over || !stop.times.fits(chosen.times) || chosen.written == Some(hit.step) {
                continue;
            }
            if hit.step == moment {
                chosen.coming = Some(moment);
            } else {
                self.write(machine, hit.step);
            }
        }
    }

    fn write(&mut self, machine: &Machine, step: StepNo) {
        self.chosen.written = Some(step);
        if machine.last_report().step == step {
            self.writer.step(self.session, machine.last_report());
        } else {
            // Seen by the instruction it led to, and not itself.
            let mut before = Rerun::at(self.session, step);
            let mut steps = Steps { session: self.session, writer: self.writer };
            before.go_through(self.session, step + 1, &mut Seen(&mut steps));
        }
    }
}

impl Question for Choosing<'_> {
    fn feed(&mut self, machine: &mut Machine, entries: &[Entry]) {
        let mut hits = Hits::new();
        self.chosen.judge.feed(machine, entries, &mut hits);
        self.take(machine, &hits);
    }

    fn run(&mut self, machine: &mut Machine, run: Run) -> Stop {
        let mut hits = Hits::new();
        let (looked, stop) = if self.chosen.coming == Some(machine.steps()) {
            let stop = self.chosen.judge.step(machine, run, &mut hits);
            (hits, stop)
        } else {
            match look(machine, &mut self.chosen.judge, run) {
                Looked::Met(hits, stop) => (hits, stop),
                Looked::Stopped(stop) => (hits, stop),
            }
        };
        if let Some(step) = self.chosen.coming.take_if(|step| *step < machine.steps()) {
            self.write(machine, step);
        }
        self.take(machine, &looked);
        stop
    }
}

/// What stands at a place: its code words, and what is written of it.
type Known = ([u32; 2], Box<str>);

impl Writer {
    fn step(&mut self, session: &Session, report: &Report) {
        let known = self.known.get(&report.pc).filter(|known| known.0 == report.code);
        if known.is_none() {
            let line = session.image().line_at(report.pc);
            let file = line.and_then(|line| session.sources().get(line.span.file));
            let place = match (line, file) {
                (Some(line), Some(file)) if !file.name().is_empty() => format!("{}:{}", file.name(), line.line),
                (Some(line), _) => format!("line {}", line.line),
                (None, _) => self.target.hex_address(report.pc),
            };
            let text = crate::code_text(session, report.pc, report.code).unwrap_or_default();
            let words = match self.form {
                TrailForm::Text => format!("{place:<14}  {text:<22}"),
                TrailForm::Csv => format!("{},{}", quoted(&place), quoted(&text)),
                TrailForm::JsonLines => {
                    format!("\"place\":\"{}\",\"instruction\":\"{}\"", escaped(&place), escaped(&text))
                }
            };
            self.known.insert(report.pc, (report.code, words.into()));
        }
        let words = self.known.get(&report.pc).map_or("", |known| &known.1);
        let out = &mut self.out;
        // Writing to a string never fails.
        let _ = match self.form {
            TrailForm::Text => write!(out, "{:>8}  {:04X}  {words}", report.step, report.pc.0),
            TrailForm::Csv => write!(out, "{},0x{:04X},{words},{},\"", report.step, report.pc.0, report.cycles),
            TrailForm::JsonLines => write!(
                out,
                "{{\"step\":{},\"address\":{},{words},\"cycles\":{},\"did\":\"",
                report.step, report.pc.0, report.cycles
            ),
        };
        let begin = out.len();
        match report.kind {
            StepKind::Interrupt(number) => {
                let _ = write!(out, " interrupt {}", self.target.trap_name(number));
            }
            StepKind::Trap(number) => {
                let _ = write!(out, " trap {}", self.target.trap_name(number));
            }
            StepKind::Instruction | StepKind::Call(_) => {}
        }
        for came in &report.came {
            let _ = write!(out, " {}", crate::words::came_words(self.target, came));
        }
        let is_entry = matches!(report.kind, StepKind::Trap(_) | StepKind::Interrupt(_));
        for write in &report.writes {
            let _ = match *write {
                Write::Register { register, old, new, was_known: true } => {
                    write!(out, " {} {old:04X}>{new:04X}", self.target.register_name(register))
                }
                Write::Register { register, new, .. } => {
                    write!(out, " {} >{new:04X}", self.target.register_name(register))
                }
                Write::Memory { address, old, new, .. } => {
                    write!(out, " [{:04X}] {old:04X}>{new:04X}", address.0)
                }
                // What the entry of a trap leaves there is told when it is another one.
                Write::Device { old, new, .. } if old == new && is_entry => Ok(()),
                Write::Device { address, old, new } => {
                    let name = self.target.device(address).map_or("", |device| device.name).replace(' ', "_");
                    write!(out, " {name}[{:04X}] {old:04X}>{new:04X}", address.0)
                }
                Write::Buffer { address, length, .. } => write!(out, " [{:04X}] {length} bytes", address.0),
            };
        }
        let changed = report.flags.old ^ report.flags.new;
        for flag in self.target.flags.iter().filter(|flag| changed & flag.bit != 0) {
            let _ = write!(out, " {} {}", flag.name, u8::from(report.flags.new & flag.bit != 0));
        }
        if report.printed > 0 {
            let _ = write!(out, " printed {}", report.printed);
        }
        if let Some((path, deed)) = &report.file {
            let words = crate::words::file_words(path, deed);
            let words = if self.form == TrailForm::JsonLines { escaped(&words) } else { words.replace('"', "\"\"") };
            let _ = write!(out, " {words}");
        }
        if let Some((hertz, milliseconds)) = report.tone {
            let _ = write!(out, " {}", crate::words::tone_words(hertz, milliseconds));
        }
        if report.expired {
            out.push_str(" the timer expired");
        }
        if !(report.length > 0 && report.next == report.pc + report.length) {
            let _ = write!(out, " to {:04X}", report.next.0);
        }
        if self.form != TrailForm::Text && out.len() > begin {
            out.remove(begin);
        }
        out.push_str(match self.form {
            TrailForm::Text => "\n",
            TrailForm::Csv => "\"\n",
            TrailForm::JsonLines => "\"}\n",
        });
    }
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('"', "\"\""))
}

/// A text within the quotes of JSON.
fn escaped(text: &str) -> String {
    text.chars().fold(String::new(), |mut out, sign| {
        match sign {
            '"' | '\\' => {
                out.push('\\');
                out.push(sign);
            }
            sign if sign < ' ' => {
                let _ = write!(out, "\\u{:04x}", u32::from(sign));
            }
            sign => out.push(sign),
        }
        out
    })
}
