//! The trail: the steps of a run, one after the other, all or those that a filter lets through.
//!
//! No step is stored. A window around some step is computed again; a filter is a stop, and the steps at which that is
//! met are looked for outwards from the present one. [`TrailText`] writes steps of a run under way.

use super::scan::{Finder, Scan};
use crate::effects::{Effects, observe};
use crate::session::Session;
use crate::stops::{Armed, Hits, Judge, Looked, StopAt, StopId, look};
use std::collections::VecDeque;
use std::fmt::Write as _;
use std::ops::ControlFlow;
use wendax_isa::{StepNo, Target};
use wendax_machine::{Machine, Observer, Report, Run, StepKind, Write};

/// Steps found on each side of the present one, at most.
const MOST_FOUND: usize = 5_000;

impl Session {
    /// What the steps from one on did: at most `most`, as far as the run is known.
    pub fn steps_from(&self, step: StepNo, most: usize) -> Vec<Effects> {
        let mut steps = Vec::new();
        let from = step.max(self.oldest());
        let (mut past, mut fed) = self.machine_at(from);
        let until = from.saturating_add(most as u64).min(self.end());
        self.repeat(&mut past, &mut fed, until, |past, _| steps.extend(observe(past).1));
        steps
    }

    /// What each of these steps did, given in order.
    pub fn steps_at(&self, steps: &[StepNo]) -> Vec<Effects> {
        let mut found = Vec::new();
        let mut copy: Option<(Machine, usize)> = None;
        for &step in steps {
            // The next one is mostly near the one before.
            let near = self.history.before(step).step();
            let (mut machine, mut fed) = match copy.take() {
                Some((machine, fed)) if machine.steps() <= step && machine.steps() >= near => (machine, fed),
                _ => self.machine_at(step),
            };
            self.advance(&mut machine, &mut fed, step);
            self.feed_copy(&mut machine, &mut fed);
            let (_, effects) = observe(&mut machine);
            machine.take_output();
            found.extend(effects.filter(|effects| effects.step == step));
            copy = Some((machine, fed));
        }
        found
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
        let is_place = self.filter.is_place();
        let starts = [session.oldest(), self.at];
        let finder = || Found { is_place, starts, steps: VecDeque::new() };
        if let Some(scan) = &mut self.on {
            match scan.work(session, budget, finder) {
                None => self.on = None,
                Some(found) => {
                    let (at, end) = (self.at, self.end);
                    let steps = found.into_iter().flat_map(|found| found.steps);
                    self.steps.extend(steps.filter(|&step| step >= at && step < end));
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
                        if step < self.at {
                            self.steps.push_front(step);
                            self.before += 1;
                        }
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

/// The steps of an interval at which a stop is met.
#[derive(Debug, Clone)]
struct Found {
    is_place: bool,
    /// Where no other interval ends.
    starts: [StepNo; 2],
    steps: VecDeque<StepNo>,
}

impl Finder for Found {
    fn begin(&mut self, machine: &Machine, judge: &Judge) {
        // What is met where an interval begins is met behind no step of it, but mostly behind the last one of another.
        let mut hits = Hits::new();
        if self.is_place && self.starts.contains(&machine.steps()) {
            judge.at_place(machine, &mut hits);
        }
        if !hits.is_empty() {
            self.steps.push_back(machine.steps());
        }
    }

    fn met(&mut self, machine: &Machine) -> bool {
        let step = if self.is_place { machine.steps() } else { machine.steps().saturating_sub(1) };
        self.steps.push_back(step);
        if self.steps.len() > 2 * MOST_FOUND {
            self.steps.pop_front();
        }
        true
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
    filter: Option<StopAt>,
    machine: Machine,
    fed: usize,
    judge: Option<Judge>,
    writer: Writer,
}

#[derive(Debug, Clone)]
struct Writer {
    form: TrailForm,
    target: &'static Target,
    /// Of each address that an instruction was met at: its place and text.
    known: Vec<Option<Box<str>>>,
    out: String,
}

impl TrailText {
    /// For a walk that stands before its first step.
    pub fn new(session: &Session, form: TrailForm, filter: Option<StopAt>) -> Self {
        let (machine, fed) = session.machine_at(session.oldest());
        let judge = filter.clone().map(|stop| session.judge_for(vec![Armed { id: StopId::UNTIL, stop }], &machine));
        let target = machine.target();
        let known = vec![None; target.address_mask() as usize + 1];
        let mut writer = Writer { form, target, known, out: String::new() };
        if form == TrailForm::Csv {
            writer.out.push_str("step,address,place,instruction,cycles,did\n");
        }
        Self { filter, machine, fed, judge, writer }
    }

    /// Takes in what the walk has done since; returns what that comes to in words.
    pub fn follow(&mut self, session: &Session) -> &str {
        let until = session.end();
        let Self { machine, fed, filter, judge, writer } = self;
        let is_place = filter.as_ref().is_some_and(StopAt::is_place);
        session.repeat(machine, fed, until, |machine, run| match judge {
            Some(judge) => writer.met(session, machine, judge, is_place, run),
            None => {
                machine.run_observed(run, &mut Steps { session, writer });
            }
        });
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

impl Writer {
    /// Writes the steps of a piece of the run at which the filter is met.
    fn met(&mut self, session: &Session, machine: &mut Machine, judge: &mut Judge, is_place: bool, run: Run) {
        judge.arm(machine);
        while machine.steps() < run.until {
            let mut hits = Hits::new();
            if is_place {
                judge.at_place(machine, &mut hits);
            }
            if !hits.is_empty() {
                let one = Run::until((machine.steps() + 1).min(run.until));
                machine.run_observed(one, &mut Steps { session, writer: self });
                continue;
            }
            let from = machine.steps();
            let (looked, _) = look(machine, judge, run);
            match looked {
                Looked::Met(..) if is_place => {}
                Looked::Met(..) if machine.last_report().step + 1 == machine.steps() => {
                    self.step(session, machine.last_report());
                }
                // Seen by the instruction it led to, and not itself.
                Looked::Met(..) => {
                    let (mut before, mut fed) = session.machine_at(machine.steps().saturating_sub(1));
                    session.feed_copy(&mut before, &mut fed);
                    before.run_observed(Run::until(machine.steps()), &mut Steps { session, writer: self });
                }
                Looked::Stopped(_) if machine.steps() == from => break,
                Looked::Stopped(_) => {}
            }
        }
    }

    fn step(&mut self, session: &Session, report: &Report) {
        let index = report.pc.0 as usize;
        if self.known.get(index).is_some_and(Option::is_none) {
            let line = session.image().line_at(report.pc);
            let file = line.and_then(|line| session.sources().get(line.span.file));
            let place = match (line, file) {
                (Some(line), Some(file)) if !file.name().is_empty() => format!("{}:{}", file.name(), line.line),
                (Some(line), _) => format!("line {}", line.line),
                (None, _) => self.target.hex_address(report.pc),
            };
            let text = crate::instruction_text(session, report.pc).unwrap_or_default();
            let words = match self.form {
                TrailForm::Text => format!("{place:<14}  {text:<22}"),
                TrailForm::Csv => format!("{},{}", quoted(&place), quoted(&text)),
                TrailForm::JsonLines => {
                    format!("\"place\":\"{}\",\"instruction\":\"{}\"", escaped(&place), escaped(&text))
                }
            };
            self.known[index] = Some(words.into());
        }
        let words = self.known.get(index).and_then(Option::as_deref).unwrap_or_default();
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
