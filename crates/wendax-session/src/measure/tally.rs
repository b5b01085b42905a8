//! What a run cost, by kind of instruction, routine, line and label, in a form that stands by itself: it can be written
//! down, read back by a later version, and set beside another one without the program it came from.

use crate::code_text;
use crate::session::Session;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use wendax_image::{Image, LineKind};
use wendax_isa::{Addr, StepNo, Target, targets};
use wendax_machine::{CellCount, Counts, EventCount, Machine, PlaceCount, Region, RegionKind, RoutineCount, Way};

/// What a tally that is written down says of its form.
pub const TALLY_FORM: &str = "wendax tally 1";

/// Instructions of one name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct KindTally {
    /// The mnemonic.
    pub name: String,
    /// What instructions of its sort do.
    pub group: String,
    /// How often they were carried out.
    pub times: u64,
    /// Cycles they took.
    pub cycles: u64,
    /// Of jumps with a condition, how often they were taken.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub taken: Option<u64>,
}

/// The call that took most cycles.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Dearest {
    /// The step that entered it.
    pub step: StepNo,
    /// Steps up to its end.
    pub steps: u64,
    /// Cycles up to its end.
    pub cycles: u64,
    /// The registers that take arguments, with what was in them.
    pub arguments: Vec<(String, u32)>,
}

/// What a routine called.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Callee {
    /// The routine called.
    pub name: String,
    /// How often.
    pub times: u64,
    /// Cycles of those calls, with all they called.
    pub cycles: u64,
}

/// A routine.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct RoutineTally {
    /// Its label, or the address where it has none.
    pub name: String,
    /// Where it begins.
    pub address: Addr,
    /// How often it was called; 0 for what the program begins with.
    pub calls: u64,
    /// Steps of its own.
    pub own_steps: u64,
    /// Cycles of its own.
    pub own_cycles: u64,
    /// Steps with all it called.
    pub all_steps: u64,
    /// Cycles with all it called.
    pub all_cycles: u64,
    /// The call that took most cycles.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dearest: Option<Dearest>,
    /// What it called.
    #[serde(default)]
    pub callees: Vec<Callee>,
}

/// A line of a source that became instructions.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LineTally {
    /// The file.
    pub file: String,
    /// The line, from 1.
    pub line: u32,
    /// Its text.
    pub text: String,
    /// How often it was begun.
    pub times: u64,
    /// Instructions carried out.
    pub steps: u64,
    /// Cycles they took.
    pub cycles: u64,
    /// Of the jumps on it, how often they were taken and not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub taken: Option<(u64, u64)>,
    /// The routine that begins here, as far as something calls it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub routine: Option<String>,
    /// Each jump with a condition that the line became: how often it was taken, and how often not; none that never ran.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub jumps: Vec<Option<(u64, u64)>>,
}

/// An instruction at its address.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct InstructionTally {
    /// Where it stands.
    pub address: Addr,
    /// Its text.
    pub text: String,
    /// How often it was carried out.
    pub times: u64,
    /// Cycles it took.
    pub cycles: u64,
    /// Of a jump with a condition, how often it was taken.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub taken: Option<u64>,
}

/// A system call, trap or interrupt.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct EventTally {
    /// Its name.
    pub name: String,
    /// Its number.
    pub number: u32,
    /// How often it came.
    pub times: u64,
    /// Cycles it took: of traps and interrupts those of their entry.
    pub cycles: u64,
    /// How often it failed.
    #[serde(default)]
    pub failed: u64,
}

/// What lies under a label.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LabelTally {
    /// The label, or the device register.
    pub name: String,
    /// Where it begins.
    pub address: Addr,
    /// What it lies in.
    pub region: String,
    /// How often something of it was read.
    pub read: u64,
    /// How often something of it was written.
    pub written: u64,
}

/// A region of memory.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct RegionTally {
    /// What it is for.
    pub name: String,
    /// Its first address.
    pub start: Addr,
    /// One past its last address.
    pub end: Addr,
    /// How often something of it was read.
    pub read: u64,
    /// How often something of it was written.
    pub written: u64,
}

/// How deep the stack was.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct StackTally {
    /// Bytes below its start, at most.
    pub deepest: u32,
    /// The step that first reached that.
    pub step: StepNo,
    /// Steps that each of `depths` stands for.
    pub width: u64,
    /// The most bytes in each such stretch of time.
    pub depths: Vec<u32>,
}

/// A stretch of time spent in a routine and what it called.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct StretchTally {
    /// The routine, as an index into the tally's routines.
    pub routine: usize,
    /// Routines around it.
    pub depth: usize,
    /// The step that entered it.
    pub from: StepNo,
    /// The moment it was left.
    pub to: StepNo,
}

/// Passages from one place to another.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SpanTally {
    /// The two places, as asked for.
    pub words: String,
    /// How many passages there were.
    pub times: u64,
    /// Cycles of a passage: least, median, greatest.
    pub cycles: [u64; 3],
    /// Steps of a passage: least, median, greatest.
    pub steps: [u64; 3],
    /// The step at which the one that took most cycles began.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub greatest: Option<StepNo>,
    /// Cycles from which on, and how many passages took so many, in steps of one width.
    #[serde(default)]
    pub histogram: Vec<(u64, u64)>,
}

impl SpanTally {
    /// What was found of passages between places in these words.
    pub fn of(words: &str, told: &super::SpanTold) -> Self {
        let three = |spread: crate::Spread| [spread.least, spread.median, spread.greatest];
        Self {
            words: words.to_owned(),
            times: told.cycles.count,
            cycles: three(told.cycles),
            steps: three(told.steps),
            greatest: told.greatest.map(|passage| passage.from),
            histogram: told.histogram.clone(),
        }
    }
}

/// What a run, or a part of one, cost.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Tally {
    /// [`TALLY_FORM`].
    pub form: String,
    /// What it is called.
    pub name: String,
    /// The machine it was measured on, by its name; of tallies that do not say it, the first there was.
    #[serde(default)]
    pub machine: String,
    /// The moments it lies between.
    pub from: StepNo,
    /// See `from`.
    pub to: StepNo,
    /// Cycles between the two.
    pub cycles: u64,
    /// Instructions carried out: steps without the entries of interrupts and of traps of faults.
    pub instructions: u64,
    /// Bytes printed.
    pub printed: u64,
    /// Bytes of typed input taken.
    pub consumed: u64,
    /// Instructions by name, dearest first.
    pub kinds: Vec<KindTally>,
    /// Routines, dearest of their own first.
    pub routines: Vec<RoutineTally>,
    /// Lines that became instructions, by file and number, those that never ran among them.
    pub lines: Vec<LineTally>,
    /// Instructions that ran, by address.
    pub places: Vec<InstructionTally>,
    /// System calls.
    pub calls: Vec<EventTally>,
    /// Traps.
    pub traps: Vec<EventTally>,
    /// Interrupts.
    pub interrupts: Vec<EventTally>,
    /// Memory touched, by label.
    pub labels: Vec<LabelTally>,
    /// Memory touched, by region.
    pub regions: Vec<RegionTally>,
    /// The stack.
    pub stack: StackTally,
    /// Passages that were asked for.
    #[serde(default)]
    pub spans: Vec<SpanTally>,
    /// Cells of memory touched, by address; not written down.
    #[serde(skip)]
    pub cells: Vec<CellCount>,
    /// The longest stretches by routine, by where they begin.
    #[serde(default)]
    pub stretches: Vec<StretchTally>,
}

/// What the numbers of a tally come to at most: no run does a thousandth of that in a year.
const MOST: u64 = 1 << 58;

/// Why a text is no tally.
#[derive(Debug, thiserror::Error)]
pub enum TallyError {
    /// It is no JSON, or not of that shape.
    #[error("this is no tally: {0}; `wendax run PROGRAM --tally FILE.json` writes one")]
    NoTally(String),
    /// What it says cannot be.
    #[error("this is no tally of a run: {0}")]
    Unsound(String),
    /// It is of a form this version does not know.
    #[error("this is a tally of the form \"{0}\"; this version reads \"{TALLY_FORM}\"")]
    OtherForm(String),
}

/// Why something is no JSON of the shape it is to have.
fn in_words(error: &serde_json::Error) -> String {
    let line = error.line();
    match error.classify() {
        serde_json::error::Category::Eof => format!("it ends in line {line} before it is whole"),
        serde_json::error::Category::Data => {
            let text = error.to_string();
            let text = text.split(" at line ").next().unwrap_or_default();
            match text.split_once(": ").and_then(|(_, text)| text.split_once(", expected ")) {
                Some((found, expected)) => format!("in line {line} {found} stands where {expected} is expected"),
                None => format!("line {line}: {text}"),
            }
        }
        _ => format!("line {line}, column {}: this is no JSON", error.column()),
    }
}

impl Tally {
    /// An address in as many digits as addresses have on its machine.
    pub fn hex_address(&self, address: Addr) -> String {
        let known = targets().into_iter().find(|target| target.name == self.machine);
        known.unwrap_or(targets()[0]).hex_address(address)
    }

    /// Reads one that [`Self::to_json`] wrote.
    pub fn read(text: &str) -> Result<Self, TallyError> {
        let tally: Self = serde_json::from_str(text).map_err(|error| TallyError::NoTally(in_words(&error)))?;
        if tally.form != TALLY_FORM {
            return Err(TallyError::OtherForm(tally.form));
        }
        tally.check().map_err(TallyError::Unsound)?;
        Ok(tally)
    }

    /// All that is computed with fits together: nothing ends before it begins, is a part larger than the whole, or sums
    /// up to more than can be counted.
    fn check(&self) -> Result<(), String> {
        let holds = |holds: bool, what: &str| if holds { Ok(()) } else { Err(what.to_owned()) };
        holds(self.from <= self.to, "it ends before it begins")?;
        let most = [self.cycles, self.instructions, self.printed, self.consumed, self.to.0];
        holds(most.iter().all(|number| *number <= MOST), "a number in it is larger than any run")?;
        let mut all = 0u64;
        let mut add = |numbers: &[u64]| {
            for number in numbers {
                all = all.saturating_add(*number);
            }
        };
        for kind in &self.kinds {
            holds(kind.taken.is_none_or(|taken| taken <= kind.times), "a jump was taken more often than it was run")?;
            add(&[kind.times, kind.cycles]);
        }
        for routine in &self.routines {
            add(&[routine.calls, routine.own_steps, routine.own_cycles, routine.all_steps, routine.all_cycles]);
            routine.callees.iter().for_each(|callee| add(&[callee.times, callee.cycles]));
            routine.dearest.iter().for_each(|one| add(&[one.step.0, one.steps, one.cycles]));
        }
        for line in &self.lines {
            let (taken, not) = line.taken.unwrap_or_default();
            add(&[line.times, line.steps, line.cycles, taken, not]);
        }
        for place in &self.places {
            holds(place.taken.is_none_or(|taken| taken <= place.times), "a jump was taken more often than it was run")?;
            add(&[place.times, place.cycles]);
        }
        for event in self.calls.iter().chain(&self.traps).chain(&self.interrupts) {
            holds(event.failed <= event.times, "a call failed more often than it was made")?;
            add(&[event.times, event.cycles]);
        }
        self.labels.iter().for_each(|label| add(&[label.read, label.written]));
        for region in &self.regions {
            holds(region.start <= region.end, "a region ends before it begins")?;
            add(&[region.read, region.written]);
        }
        for stretch in &self.stretches {
            holds(stretch.from <= stretch.to, "a stretch ends before it begins")?;
            holds(stretch.routine < self.routines.len(), "a stretch is of a routine that is not there")?;
            add(&[stretch.to.0]);
        }
        for span in &self.spans {
            let in_order = |three: &[u64; 3]| three.is_sorted();
            holds(in_order(&span.cycles) && in_order(&span.steps), "a passage's least is above its greatest")?;
            add(&[span.times, span.cycles[2], span.steps[2]]);
            span.histogram.iter().for_each(|(from, times)| add(&[*from, *times]));
        }
        holds(self.stack.depths.is_empty() || self.stack.width > 0, "the stack is told over stretches of no length")?;
        add(&[self.stack.step.0, self.stack.width]);
        holds(all <= MOST, "its numbers are larger than any run")
    }

    /// The whole as JSON, to be kept.
    pub fn to_json(&self) -> Result<String, serde_json::Error> {
        serde_json::to_string_pretty(self).map(|text| text + "\n")
    }

    /// Steps between its moments.
    pub fn steps(&self) -> u64 {
        self.to - self.from
    }

    /// Lines that became instructions and ran, and all of them.
    pub fn covered(&self) -> (usize, usize) {
        (self.lines.iter().filter(|line| line.times > 0).count(), self.lines.len())
    }

    /// Jumps with a condition that were taken, and that were not.
    pub fn jumps(&self) -> (u64, u64) {
        let jumps = self.kinds.iter().filter_map(|kind| Some((kind.taken?, kind.times)));
        jumps.fold((0, 0), |sum, (taken, times)| (sum.0 + taken, sum.1 + times - taken))
    }

    /// What was counted, in the words of a session's program; the machine is where counting ended.
    pub(super) fn of(counts: &Counts, session: &Session, machine: &Machine) -> Self {
        let failed = session.failed_at().filter(|_| machine.steps() == session.end());
        let target = machine.target();
        let regions = machine.regions();
        let (routines, places_of) = routines(counts, session, target);
        Self {
            form: TALLY_FORM.to_owned(),
            name: String::new(),
            machine: target.name.to_owned(),
            from: counts.from,
            to: counts.to,
            cycles: counts.cycles,
            instructions: counts.places.iter().map(|place| place.times).sum(),
            printed: counts.printed,
            consumed: counts.consumed,
            kinds: kinds(counts.places.iter().filter(|place| place.times > 0)),
            routines,
            lines: lines(&counts.places, session, failed),
            places: counts
                .places
                .iter()
                .filter(|place| place.times > 0)
                .map(|place| instruction(place, session))
                .collect(),
            calls: events(&counts.calls, |number| match target.call(number) {
                Some(call) => call.name.to_owned(),
                None => format!("0x{number:02X}"),
            }),
            traps: events(&counts.traps, |number| target.trap_name(number)),
            interrupts: events(&counts.interrupts, |number| target.interrupt_name(number)),
            labels: labels(&counts.cells, session, target, &regions),
            regions: regions.iter().map(|region| region_tally(region, &counts.cells)).collect(),
            stack: StackTally {
                deepest: counts.depths.deepest.0,
                step: counts.depths.deepest.1,
                width: counts.depths.width,
                depths: counts.depths.bytes.clone(),
            },
            spans: Vec::new(),
            cells: counts.cells.clone(),
            stretches: stretches(counts, &places_of),
        }
    }
}

/// The sums of groups of instructions, dearest first: name, times, cycles.
pub fn group_sums(kinds: &[KindTally]) -> Vec<(String, u64, u64)> {
    let mut groups: Vec<(String, u64, u64)> = Vec::new();
    for kind in kinds {
        match groups.iter_mut().find(|group| group.0 == kind.group) {
            Some(group) => {
                group.1 += kind.times;
                group.2 += kind.cycles;
            }
            None => groups.push((kind.group.clone(), kind.times, kind.cycles)),
        }
    }
    groups.sort_by(|one, other| (other.2, &one.0).cmp(&(one.2, &other.0)));
    groups
}

fn kinds<'a>(places: impl Iterator<Item = &'a PlaceCount>) -> Vec<KindTally> {
    let mut kinds: BTreeMap<&str, KindTally> = BTreeMap::new();
    for place in places {
        let kind = kinds.entry(place.mnemonic).or_insert_with(|| KindTally {
            name: place.mnemonic.to_owned(),
            group: place.group.to_owned(),
            times: 0,
            cycles: 0,
            taken: None,
        });
        kind.times += place.times;
        kind.cycles += place.cycles;
        if let Some(taken) = place.taken {
            *kind.taken.get_or_insert(0) += taken;
        }
    }
    let mut kinds: Vec<KindTally> = kinds.into_values().collect();
    kinds.sort_by_key(|kind| std::cmp::Reverse(kind.cycles));
    kinds
}

/// A place by the label before it; by its address where there is none.
pub(super) fn name_of(image: &Image, target: &Target, address: Addr) -> String {
    image.place_name(address).unwrap_or_else(|| target.marked_address(address))
}

/// The same, told apart from what has that name in other files: things are found in a tally by their names.
fn sole_name(session: &Session, name: String, address: Addr) -> String {
    match session.image().told_apart(address, session.sources()) {
        Some(of) => format!("{name} ({of})"),
        None => name,
    }
}

/// The name of a routine in a tally.
fn routine_name(session: &Session, target: &Target, entry: Addr) -> String {
    sole_name(session, name_of(session.image(), target, entry), entry)
}

/// The routines, dearest first, and where each one of the counts has come to stand.
fn routines(counts: &Counts, session: &Session, target: &Target) -> (Vec<RoutineTally>, Vec<usize>) {
    let names: Vec<String> =
        counts.routines.iter().map(|routine| routine_name(session, target, routine.entry)).collect();
    let mut order: Vec<usize> = (0..names.len()).collect();
    order.sort_by_key(|&index| (std::cmp::Reverse(counts.routines[index].own_cycles), index));
    let mut places = vec![0; order.len()];
    for (place, &index) in order.iter().enumerate() {
        places[index] = place;
    }
    let tally = |routine: &RoutineCount, name: &String| RoutineTally {
        name: name.clone(),
        address: routine.entry,
        calls: routine.calls,
        own_steps: routine.own_steps,
        own_cycles: routine.own_cycles,
        all_steps: routine.all_steps,
        all_cycles: routine.all_cycles,
        dearest: routine.dearest.as_ref().map(|call| Dearest {
            step: call.step,
            steps: call.steps,
            cycles: call.cycles,
            arguments: call
                .arguments
                .iter()
                .map(|(register, value)| (target.register_name(*register).to_owned(), *value))
                .collect(),
        }),
        callees: routine
            .callees
            .iter()
            .map(|call| Callee { name: names[call.callee].clone(), times: call.times, cycles: call.cycles })
            .collect(),
    };
    (order.iter().map(|&index| tally(&counts.routines[index], &names[index])).collect(), places)
}

fn lines(places: &[PlaceCount], session: &Session, failed: Option<Addr>) -> Vec<LineTally> {
    let image = session.image();
    let mut lines: BTreeMap<(&str, u32), LineTally> = BTreeMap::new();
    // A line is begun where what it became begins, once for each time it became something.
    let mut begins: BTreeSet<Addr> = BTreeSet::new();
    let mut last: Option<(Addr, wendax_source::Span)> = None;
    for line in image.lines.iter().filter(|line| line.kind == LineKind::Code) {
        let Some(file) = session.sources().get(line.span.file) else { continue };
        lines.entry((file.name(), line.line)).or_insert_with(|| LineTally {
            file: file.name().to_owned(),
            line: line.line,
            text: file.line(line.line).trim_end_matches(['\n', '\r']).to_owned(),
            times: 0,
            steps: 0,
            cycles: 0,
            taken: None,
            routine: None,
            jumps: Vec::new(),
        });
        if last != Some((line.address, line.span)) {
            begins.insert(line.address);
        }
        last = Some((line.address + line.length, line.span));
    }
    let taken: BTreeMap<Addr, (u64, u64)> =
        places.iter().filter_map(|place| Some((place.address, (place.taken?, place.times - place.taken?)))).collect();
    let mut routines = BTreeSet::from([image.entry]);
    for line in image.lines.iter().filter(|line| line.kind == LineKind::Code) {
        let Some(file) = session.sources().get(line.span.file) else { continue };
        let Some(tally) = lines.get_mut(&(file.name(), line.line)) else { continue };
        let mut at = line.address;
        while at < line.address + line.length {
            let Some((length, way)) = session.machine().way_at(at) else { break };
            match way {
                Way::Either(..) => tally.jumps.push(taken.get(&at).copied()),
                Way::Call(target) => routines.extend(target),
                Way::On | Way::To(_) | Way::ByRegister(_) | Way::Back | Way::End => {}
            }
            at += length;
        }
    }
    for routine in routines {
        let line = image.line_at(routine).filter(|line| line.address == routine);
        let file = line.and_then(|line| session.sources().get(line.span.file));
        if let (Some(line), Some(file)) = (line, file)
            && let Some(tally) = lines.get_mut(&(file.name(), line.line))
        {
            tally.routine.get_or_insert_with(|| routine_name(session, session.machine().target(), routine));
        }
    }
    for place in places {
        let Some(line) = image.line_at(place.address).filter(|line| line.kind == LineKind::Code) else { continue };
        let Some(file) = session.sources().get(line.span.file) else { continue };
        let Some(tally) = lines.get_mut(&(file.name(), line.line)) else { continue };
        tally.steps += place.times;
        tally.cycles += place.cycles;
        if begins.contains(&place.address) {
            tally.times += place.times + place.failed;
        }
        if let Some(taken) = place.taken {
            let jumps = tally.taken.get_or_insert((0, 0));
            *jumps = (jumps.0 + taken, jumps.1 + place.times - taken);
        }
    }
    // The instruction that failed and ended the run was come to, and that was no step.
    let failed = failed.and_then(|address| Some((address, image.line_at(address)?)));
    if let Some((address, line)) = failed.filter(|(address, _)| begins.contains(address))
        && let Some(file) = session.sources().get(line.span.file)
        && let Some(tally) = lines.get_mut(&(file.name(), line.line))
    {
        debug_assert_eq!(address, line.address, "a line begins there");
        tally.times += 1;
    }
    lines.into_values().collect()
}

fn instruction(place: &PlaceCount, session: &Session) -> InstructionTally {
    InstructionTally {
        address: place.address,
        text: code_text(session, place.address, place.code).unwrap_or_else(|| place.mnemonic.to_owned()),
        times: place.times,
        cycles: place.cycles,
        taken: place.taken,
    }
}

fn events(counts: &BTreeMap<u32, EventCount>, name: impl Fn(u32) -> String) -> Vec<EventTally> {
    let told = counts.iter().map(|(&number, count)| EventTally {
        name: name(number),
        number,
        times: count.times,
        cycles: count.cycles,
        failed: count.failed,
    });
    told.collect()
}

/// What a region is for, in a word.
pub fn region_name(kind: RegionKind) -> &'static str {
    match kind {
        RegionKind::Vectors => "vectors",
        RegionKind::Code => "code",
        RegionKind::Data => "data",
        RegionKind::Heap => "heap",
        RegionKind::Stack => "stack",
        RegionKind::Devices => "devices",
    }
}

fn region_tally(region: &Region, cells: &[CellCount]) -> RegionTally {
    let inside = cells.iter().filter(|cell| region.contains(cell.address));
    let (read, written) = inside.fold((0, 0), |sum, cell| (sum.0 + cell.read, sum.1 + cell.written));
    RegionTally { name: region_name(region.kind).to_owned(), start: region.start, end: region.end(), read, written }
}

fn device_name(target: &Target, address: Addr) -> String {
    target.device(address).map_or_else(|| target.marked_address(address), |register| register.name.to_owned())
}

fn labels(cells: &[CellCount], session: &Session, target: &Target, regions: &[Region]) -> Vec<LabelTally> {
    let mut labels: BTreeMap<(Addr, String), LabelTally> = BTreeMap::new();
    for cell in cells {
        let region = regions.iter().find(|region| region.contains(cell.address));
        let kind = region.map(|region| region.kind);
        let (name, address) = match (kind, session.image().nearest_label(cell.address)) {
            (Some(RegionKind::Devices), _) => (device_name(target, cell.address), cell.address),
            (_, Some((symbol, offset))) => (symbol.name.clone(), cell.address.saturating_sub(offset)),
            (Some(kind), None) => (region_name(kind).to_owned(), region.map_or(cell.address, |region| region.start)),
            (None, None) => ("other memory".to_owned(), Addr(0)),
        };
        let region = kind.map_or("", region_name).to_owned();
        let label = labels.entry((address, name)).or_insert_with_key(|(address, name)| LabelTally {
            name: sole_name(session, name.clone(), *address),
            address: *address,
            region,
            read: 0,
            written: 0,
        });
        label.read += cell.read;
        label.written += cell.written;
    }
    labels.into_values().collect()
}

fn stretches(counts: &Counts, places: &[usize]) -> Vec<StretchTally> {
    let mut list: Vec<StretchTally> = counts
        .stretches
        .iter()
        .map(|stretch| StretchTally {
            routine: places[stretch.routine],
            depth: stretch.depth,
            from: stretch.from.max(counts.from),
            to: stretch.to,
        })
        .collect();
    list.sort_by_key(|stretch| (stretch.from, stretch.depth));
    list
}
