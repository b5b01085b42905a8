//! The steps of a run under way written down, all or those that a filter lets through: as text, comma-separated values or
//! JSON lines.

use crate::log::Entry;
use crate::rerun::{Question, Rerun, Seen};
use crate::session::Session;
use crate::stops::{Armed, Count, Hits, Judge, Looked, StopAt, StopId, look};
use rustc_hash::FxHashMap;
use serde::Serialize;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::ops::ControlFlow;
use std::path::Path;
use wendax_isa::{Addr, StepNo, Target};
use wendax_machine::{Machine, Observer, Report, Run, StepKind, Stop, Write};

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

impl TrailForm {
    /// What the ending of a file's name asks for.
    ///
    /// # Errors
    ///
    /// An ending that says something else, as a sentence.
    pub fn of(path: &Path) -> Result<Self, String> {
        match super::ending(path).as_str() {
            "csv" => Ok(Self::Csv),
            "jsonl" | "ndjson" => Ok(Self::JsonLines),
            "" | "txt" => Ok(Self::Text),
            other => Err(format!("{}: a trail goes to a .txt, .csv or .jsonl, not to a .{other}", path.display())),
        }
    }
}

/// Writes the steps of a run under way, behind it on a copy.
#[derive(Debug, Clone)]
pub struct TrailText {
    rerun: Rerun,
    branch: u64,
    filter: Option<Chosen>,
    writer: Writer,
}

/// The steps that a filter lets through, as they come.
#[derive(Debug, Clone)]
struct Chosen {
    judge: Judge,
    /// How often the filter was met.
    count: Count,
    /// The step to be written when it is taken, and the one written last.
    coming: Option<StepNo>,
    written: Option<StepNo>,
}

#[derive(Debug, Clone)]
struct Writer {
    form: Form,
    target: &'static Target,
    /// Of each address that an instruction was met at: its place and text as the code was.
    known: FxHashMap<Addr, Known>,
    /// What the step at hand did.
    did: String,
    out: String,
    /// Steps written down in all.
    count: u64,
    /// Bytes printed before the step at hand.
    printed: u64,
}

#[derive(Debug, Clone)]
enum Form {
    Text,
    /// With the rows that are not in the text yet.
    Csv(Vec<[String; 6]>),
    JsonLines,
}

impl TrailText {
    /// For a walk that stands before its first step.
    pub fn new(session: &Session, form: TrailForm, filter: Option<StopAt>) -> Self {
        let mut rerun = Rerun::at(session.past(), session.oldest());
        let filter = filter.map(|stop| {
            let judge = Judge::at(vec![Armed { id: StopId::UNTIL, stop }], &mut rerun);
            Chosen { judge, count: Count::default(), coming: None, written: None }
        });
        let target = rerun.at.machine.target();
        let form = match form {
            TrailForm::Text => Form::Text,
            TrailForm::Csv => {
                Form::Csv(vec![["step", "address", "place", "instruction", "cycles", "did"].map(str::to_owned)])
            }
            TrailForm::JsonLines => Form::JsonLines,
        };
        let (known, did, out) = (FxHashMap::default(), String::new(), String::new());
        let printed = rerun.at.machine.printed();
        let writer = Writer { form, target, known, did, out, count: 0, printed };
        Self { rerun, branch: session.branches(), filter, writer }
    }

    /// It is still of the branch of a session.
    pub fn is_of(&self, session: &Session) -> bool {
        self.branch == session.branches()
    }

    /// Steps gone through, and all there are.
    pub fn progress(&self, session: &Session) -> (u64, u64) {
        (self.rerun.at.machine.steps().0, session.end().0)
    }

    /// Takes in what the walk has done since; returns what that comes to in words.
    pub fn follow(&mut self, session: &Session) -> &str {
        self.work(session, u64::MAX);
        self.text()
    }

    /// Works for about as long as `budget` steps take; true when the walk has been caught up with.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        /// Steps between two looks at what was written, and how many a step that is written down costs.
        const STRETCH: u64 = 1_000;
        const COST: u64 = 64;
        let Self { rerun, filter, writer, .. } = self;
        let (past, until) = (session.past(), session.end());
        let mut left = budget.max(1);
        let is_done = loop {
            let (before, mut stretch) = (writer.count, STRETCH.min(left));
            let is_done = match filter {
                Some(chosen) => rerun.ask(past, until, &mut stretch, &mut Choosing { session, writer, chosen }),
                None => rerun.ask(past, until, &mut stretch, &mut Seen(&mut Steps { session, writer })),
            };
            left = left.saturating_sub(STRETCH + (writer.count - before) * COST);
            if is_done || left == 0 {
                break is_done;
            }
        };
        self.writer.gather();
        is_done
    }

    /// What was written down so far.
    pub fn text(&self) -> &str {
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
            chosen.count.meet(moment);
            let is_over = stop.once && chosen.written.is_some();
            if is_over || !stop.times.fits(chosen.count.times) || chosen.written == Some(hit.step) {
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
        let report = machine.last_report();
        if report.step == step {
            self.writer.printed = machine.printed() - report.printed;
            self.writer.step(self.session, report);
        } else {
            // Seen by the instruction it led to, and not itself.
            let mut before = Rerun::at(self.session.past(), step);
            self.writer.printed = before.at.machine.printed();
            let mut steps = Steps { session: self.session, writer: self.writer };
            before.go_through(self.session.past(), step + 1, &mut Seen(&mut steps));
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
            self.chosen.judge.enter(machine, &mut hits);
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
#[derive(Debug, Clone)]
struct Known {
    code: [u32; 2],
    place: String,
    text: String,
}

/// A step as a JSON object; `docs/trail.schema.json` says what is in it.
#[derive(Serialize)]
struct Row<'a> {
    step: u64,
    address: u32,
    place: &'a str,
    instruction: &'a str,
    cycles: u64,
    did: &'a str,
    kind: &'static str,
    next: u32,
    changes: Vec<Change<'a>>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    flags: BTreeMap<char, u8>,
    #[serde(skip_serializing_if = "Option::is_none")]
    printed: Option<Cow<'a, str>>,
    #[serde(skip_serializing_if = "is_zero")]
    printed_bytes: u64,
    #[serde(skip_serializing_if = "is_zero")]
    read_bytes: u64,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde hands it over so")]
fn is_zero(number: &u64) -> bool {
    *number == 0
}

/// Something a step wrote: what was there before, where it was ever set, and what is there now.
#[derive(Serialize)]
#[serde(untagged)]
enum Change<'a> {
    Register { register: &'a str, from: Option<u32>, to: u32 },
    Memory { memory: u32, bytes: u32, from: Option<u32>, to: u32 },
    Device { device: &'a str, address: u32, from: u32, to: u32 },
    Buffer { memory: u32, bytes: u32 },
}

fn change<'a>(target: &Target, write: Write) -> Change<'a> {
    match write {
        Write::Register { register, old, new, was_known } => {
            Change::Register { register: target.register_name(register), from: was_known.then_some(old), to: new }
        }
        Write::Memory { address, length, old, new, was_known } => {
            Change::Memory { memory: address.0, bytes: length, from: was_known.then_some(old), to: new }
        }
        Write::Device { address, old, new } => {
            let device = target.device(address).map_or("", |device| device.name);
            Change::Device { device, address: address.0, from: old, to: new }
        }
        Write::Buffer { address, length, .. } => Change::Buffer { memory: address.0, bytes: length },
    }
}

/// The flags that a step changed, with what they are now.
fn changed_flags<'t>(target: &'t Target, report: &Report) -> impl Iterator<Item = (char, u8)> + 't {
    let (changed, new) = (report.flags.old ^ report.flags.new, report.flags.new);
    let flags = target.flags.iter().filter(move |flag| changed & flag.bit != 0);
    flags.map(move |flag| (flag.name, u8::from(new & flag.bit != 0)))
}

impl Writer {
    fn step(&mut self, session: &Session, report: &Report) {
        let known = self.known.get(&report.pc).filter(|known| known.code == report.code);
        if known.is_none() {
            let line = session.image().line_at(report.pc);
            let file = line.and_then(|line| session.sources().get(line.span.file));
            let place = match (line, file) {
                (Some(line), Some(file)) if !file.name().is_empty() => format!("{}:{}", file.name(), line.line),
                (Some(line), _) => format!("line {}", line.line),
                (None, _) => self.target.hex_address(report.pc),
            };
            let text = crate::code_text(session, report.pc, report.code).unwrap_or_default();
            self.known.insert(report.pc, Known { code: report.code, place, text });
        }
        self.count += 1;
        self.did.clear();
        did(&mut self.did, self.target, report);
        let printed_from = self.printed;
        self.printed += report.printed;
        let Some(Known { place, text, .. }) = self.known.get(&report.pc) else { return };
        let did = self.did.trim_start();
        // Writing to memory never fails.
        let _ = match &mut self.form {
            Form::Text => {
                let (step, pc, gap) =
                    (report.step, self.target.hex_address(report.pc), if did.is_empty() { "" } else { " " });
                writeln!(self.out, "{step:>8}  {pc}  {place:<14}  {text:<22}{gap}{did}")
            }
            Form::Csv(rows) => {
                let address = format!("0x{}", self.target.hex_address(report.pc));
                let (step, cycles) = (report.step.to_string(), report.cycles.to_string());
                rows.push([step, address, place.clone(), text.clone(), cycles, did.to_owned()]);
                Ok(())
            }
            Form::JsonLines => {
                let (step, address, cycles) = (report.step.0, report.pc.0, report.cycles);
                let row = Row {
                    step,
                    address,
                    place,
                    instruction: text,
                    cycles,
                    did,
                    kind: match report.kind {
                        StepKind::Instruction => "instruction",
                        StepKind::Call(_) => "call",
                        StepKind::Trap(_) => "trap",
                        StepKind::Interrupt(_) => "interrupt",
                    },
                    next: report.next.0,
                    changes: crate::effects::written(report).map(|write| change(self.target, write)).collect(),
                    flags: changed_flags(self.target, report).collect(),
                    printed: session.left.printed_between(printed_from, self.printed).map(String::from_utf8_lossy),
                    printed_bytes: report.printed,
                    read_bytes: report.consumed,
                };
                writeln!(self.out, "{}", serde_json::to_string(&row).unwrap_or_default())
            }
        };
    }

    /// What was written since, as text.
    fn gather(&mut self) {
        if let Form::Csv(rows) = &mut self.form {
            let mut written = csv::Writer::from_writer(Vec::new());
            // Writing to memory never fails.
            let _ = rows.drain(..).try_for_each(|row| written.write_record(&row));
            let text = written.into_inner().ok().and_then(|bytes| String::from_utf8(bytes).ok());
            self.out.push_str(&text.unwrap_or_default());
        }
    }
}

/// Everything a step did, each thing behind a blank.
fn did(out: &mut String, target: &Target, report: &Report) {
    // Writing to a string never fails.
    let _ = match report.kind {
        StepKind::Interrupt(number) => write!(out, " interrupt {}", target.interrupt_name(number)),
        StepKind::Trap(number) => write!(out, " trap {}", target.trap_name(number)),
        StepKind::Instruction | StepKind::Call(_) => Ok(()),
    };
    for came in &report.came {
        let _ = write!(out, " {}", crate::words::came_words(target, came));
    }
    let is_entry = matches!(report.kind, StepKind::Trap(_) | StepKind::Interrupt(_));
    let hex = |word: u32| target.hex(word);
    for write in crate::effects::written(report) {
        let _ = match write {
            Write::Register { register, old, new, was_known: true } => {
                write!(out, " {} {}>{}", target.register_name(register), hex(old), hex(new))
            }
            Write::Register { register, new, .. } => write!(out, " {} >{}", target.register_name(register), hex(new)),
            Write::Memory { address, old, new, was_known: true, .. } => {
                write!(out, " [{}] {}>{}", target.hex_address(address), hex(old), hex(new))
            }
            Write::Memory { address, new, .. } => write!(out, " [{}] >{}", target.hex_address(address), hex(new)),
            // What the entry of a trap leaves there is told when it is another one.
            Write::Device { old, new, .. } if old == new && is_entry => Ok(()),
            Write::Device { address, old, new } => {
                let name = target.device(address).map_or("", |device| device.name).replace(' ', "_");
                write!(out, " {name}[{}] {}>{}", target.hex_address(address), hex(old), hex(new))
            }
            Write::Buffer { address, length, .. } => {
                write!(out, " [{}] {length} bytes", target.hex_address(address))
            }
        };
    }
    for (name, value) in changed_flags(target, report) {
        let _ = write!(out, " {name} {value}");
    }
    if report.printed > 0 {
        let _ = write!(out, " printed {}", report.printed);
    }
    if let Some((path, deed)) = &report.file {
        let _ = write!(out, " {}", crate::words::file_words(path, deed));
    }
    if let Some((hertz, milliseconds)) = report.tone {
        let _ = write!(out, " {}", crate::words::tone_words(hertz, milliseconds));
    }
    if report.expired {
        out.push_str(" the timer expired");
    }
    if !(report.length > 0 && report.next == report.pc + report.length) {
        let _ = write!(out, " to {}", target.hex_address(report.next));
    }
}
