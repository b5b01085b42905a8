//! What comes from outside by itself: keys, text, levers, the end of input, at moments that a file names.
//!
//! `docs/events.md` has the format: one JSON object a line, each a moment and what comes then. A [`Script`] is read once;
//! `Playing` is how far a branch of a run has come in it. What came is an event of the branch's log like any other, so
//! going back and on again needs no script; a new branch gets what comes behind where it begins.

use crate::session::Session;
use crate::stops::{Armed, StopAt, StopId};
use crate::values::Names;
use crate::visits::Visits;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use wendax_image::SymbolKind;
use wendax_isa::{Addr, StepNo};
use wendax_machine::{Event, LEVERS, Machine};

/// Bounces of one line, and lines of a file, at most.
const MOST_BOUNCES: u32 = 1000;
const MOST_LINES: usize = 10_000;
/// Times a place may be asked to have been met.
const MOST_TIMES: u64 = 1_000_000;

/// A line as it is written.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    #[serde(skip_serializing_if = "Option::is_none")]
    cycle: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    step: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    place: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    time: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    after: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    asked: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    text: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    bytes: Option<Vec<u8>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    levers: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    lever: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    up: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    bounce: Option<Bounce>,
    #[serde(skip_serializing_if = "Option::is_none")]
    end: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    note: Option<String>,
}

/// A contact that does not close cleanly.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Bounce {
    /// How often it falls back.
    times: u32,
    /// Cycles, or steps where the moment is one, from one change to the next.
    apart: u64,
}

/// What is wrong with a file of events.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("line {line}: {message}")]
pub struct ScriptError {
    /// The line, from 1.
    pub line: usize,
    /// What is wrong, and what was expected.
    pub message: String,
}

/// When something comes.
#[derive(Debug, Clone, PartialEq, Eq)]
enum When {
    /// With the step that takes the cycle counter to this.
    Cycle(u64),
    Step(StepNo),
    /// So many cycles after a place was met so often.
    Met {
        stop: Box<StopAt>,
        time: u64,
        after: u64,
    },
    /// When the program asks for typed input.
    Asked,
}

/// What comes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum What {
    Text(Vec<u8>),
    Levers(u32),
    /// One lever, by its number: up or down.
    Lever(u32, bool),
    End,
}

/// What comes from outside by itself in a run.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Script {
    entries: Vec<(When, What)>,
}

impl Script {
    /// Reads a file of events for a program.
    pub fn read(text: &str, session: &Session) -> Result<Self, ScriptError> {
        let image = session.image();
        let names = Names::new(image, session.machine().target(), image.entry);
        let mut entries = Vec::new();
        for (line, text) in (1..).zip(text.lines()).filter(|(_, text)| !text.trim().is_empty()) {
            let wrong = |message: String| ScriptError { line, message };
            if line > MOST_LINES {
                return Err(wrong(format!("a file of events has at most {MOST_LINES} lines")));
            }
            let written: Written = serde_json::from_str(text).map_err(|error| {
                let place = if error.is_syntax() || error.is_eof() { " (each line is one JSON object)" } else { "" };
                wrong(format!("{}{place}", told(&error)))
            })?;
            let when = when(&written, &names, session).map_err(wrong)?;
            let what = what(&written).map_err(wrong)?;
            entries.extend(bounced(&written, when, what).map_err(wrong)?);
        }
        Ok(Self { entries })
    }

    /// It has nothing in it.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    /// How many things come.
    pub fn len(&self) -> usize {
        self.entries.len()
    }

    /// What came from outside in a run, so that it comes again in another one: what was typed where the program asks
    /// comes when it asks; the rest so many cycles after its label was met so often, so that an edit elsewhere does not
    /// move it. Empty when nothing came.
    pub fn text_of(session: &Session) -> String {
        let mut lines = String::new();
        let mut visited = Visited::new(session);
        for (step, event) in session.events() {
            let mut written = match event {
                Event::Typed(bytes) => match std::str::from_utf8(bytes) {
                    Ok(text) => Written { text: Some(text.to_owned()), ..Written::default() },
                    Err(_) => Written { bytes: Some(bytes.clone()), ..Written::default() },
                },
                Event::InputEnds => Written { end: Some(true), ..Written::default() },
                Event::Levers(levers) => Written { levers: Some(*levers), ..Written::default() },
                Event::Clock(_)
                | Event::Waited
                | Event::File(..)
                | Event::SetRegister(..)
                | Event::SetFlags(_)
                | Event::SetByte(..) => continue,
            };
            visited.go_to(session, step);
            if written.levers.is_none() && visited.asks(session) {
                written.asked = Some(true);
            } else {
                match visited.nearest() {
                    Some((place, time, after)) => {
                        (written.place, written.time) = (Some(place), Some(time));
                        written.after = Some(after).filter(|after| *after > 0);
                    }
                    None => written.cycle = Some(visited.machine.cycles()),
                }
            }
            // What was read just now can be written.
            lines.push_str(&serde_json::to_string(&written).unwrap_or_default());
            lines.push('\n');
        }
        lines
    }
}

/// An error of the JSON reader without its own idea of lines.
fn told(error: &serde_json::Error) -> String {
    let text = error.to_string();
    text.split(" at line ").next().unwrap_or(&text).to_owned()
}

fn when(written: &Written, names: &Names<'_>, session: &Session) -> Result<When, String> {
    let Written { cycle, step, place, time, after, asked, .. } = written;
    let chosen = [cycle.is_some(), step.is_some(), place.is_some(), *asked == Some(true)];
    if chosen.iter().filter(|is_there| **is_there).count() != 1 {
        return Err("a line needs one moment: \"cycle\": 5000, \"step\": 120, \"place\": \"main\" or \"asked\": true"
            .to_owned());
    }
    if place.is_none() && (time.is_some() || after.is_some()) {
        return Err("\"time\" and \"after\" belong to a \"place\"".to_owned());
    }
    if let Some(cycle) = cycle {
        return Ok(When::Cycle(*cycle));
    }
    if let Some(step) = step {
        return Ok(When::Step(StepNo(*step)));
    }
    let Some(place) = place else { return Ok(When::Asked) };
    let stop = StopAt::read(place, names, session.sources()).map_err(|error| format!("{place}: {}", error.message))?;
    let is_plain = stop.is_place() && stop.condition.is_none() && stop == StopAt::plain(stop.place.clone());
    if !is_plain {
        return Err(format!("{place}: a place is a label, or a line such as main.asm:12"));
    }
    let time = time.unwrap_or(1);
    if !(1..=MOST_TIMES).contains(&time) {
        return Err(format!("\"time\" is 1 to {MOST_TIMES}: the how-manieth time the place is met"));
    }
    Ok(When::Met { stop: Box::new(stop), time, after: after.unwrap_or(0) })
}

fn what(written: &Written) -> Result<What, String> {
    let Written { text, bytes, levers, lever, up, end, bounce, .. } = written;
    let chosen = [text.is_some(), bytes.is_some(), levers.is_some(), lever.is_some(), *end == Some(true)];
    if chosen.iter().filter(|is_there| **is_there).count() != 1 {
        return Err("a line needs one thing that comes: \"text\": \"120\\n\", \"bytes\": [27], \"levers\": 5, \
             \"lever\": 3 with \"up\": true or false, or \"end\": true"
            .to_owned());
    }
    if lever.is_none() && (up.is_some() || bounce.is_some()) {
        return Err("\"up\" and \"bounce\" belong to a \"lever\"".to_owned());
    }
    match (text, bytes, levers, lever) {
        (Some(text), ..) if text.is_empty() => Err("\"text\" is empty; \"end\": true ends the input".to_owned()),
        (Some(text), ..) => Ok(What::Text(text.clone().into_bytes())),
        (_, Some(bytes), ..) => Ok(What::Text(bytes.clone())),
        (_, _, Some(levers), _) if *levers >= 1 << LEVERS => Err("\"levers\" is 0 to 65535, a bit for each".to_owned()),
        (_, _, Some(levers), _) => Ok(What::Levers(*levers)),
        (.., Some(lever)) if *lever >= LEVERS => Err("\"lever\" is 0 to 15".to_owned()),
        (.., Some(lever)) => match up {
            Some(up) => Ok(What::Lever(*lever, *up)),
            None => Err("a lever needs \"up\": true or false".to_owned()),
        },
        _ => Ok(What::End),
    }
}

/// A lever that bounces is moved several times.
fn bounced(written: &Written, when: When, what: What) -> Result<Vec<(When, What)>, String> {
    let Some(Bounce { times, apart }) = written.bounce else { return Ok(vec![(when, what)]) };
    let What::Lever(lever, is_up) = what else { return Ok(vec![(when, what)]) };
    if times > MOST_BOUNCES || apart == 0 {
        return Err(format!("\"bounce\" has at most {MOST_BOUNCES} \"times\", and at least 1 \"apart\""));
    }
    let at = |index: u64| {
        let later = index * apart;
        match &when {
            When::Cycle(cycle) => Ok(When::Cycle(cycle.saturating_add(later))),
            When::Step(step) => Ok(When::Step(step.saturating_add(later))),
            When::Met { stop, time, after } => {
                Ok(When::Met { stop: stop.clone(), time: *time, after: after.saturating_add(later) })
            }
            When::Asked => Err("a lever does not come when the program asks".to_owned()),
        }
    };
    (0..=u64::from(times) * 2)
        .map(|index| Ok((at(index)?, What::Lever(lever, is_up == index.is_multiple_of(2)))))
        .collect()
}

/// When the next thing is due.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Due {
    pub(crate) step: StepNo,
    pub(crate) cycle: u64,
}

impl Default for Due {
    fn default() -> Self {
        Self { step: StepNo::LAST, cycle: u64::MAX }
    }
}

/// How far a branch has come in a script.
#[derive(Debug, Clone, Default)]
pub(crate) struct Playing {
    script: Script,
    /// Of each entry the step at which it came.
    came: Vec<Option<StepNo>>,
    /// Of each entry with a place the moments at which that was met, up to the one that counts.
    met: Vec<Vec<(StepNo, u64)>>,
    /// No entry before this one is still to come, and none behind it whose moment is a step or a cycle has come.
    waiting: usize,
}

impl Playing {
    pub(crate) fn new(script: Script, machine: &Machine) -> Self {
        let count = script.entries.len();
        let mut playing = Self { script, came: vec![None; count], met: vec![Vec::new(); count], waiting: 0 };
        // What is next at the start is met there.
        for index in 0..count {
            if playing.address(index) == Some(machine.pc()) {
                playing.met[index].push((machine.steps(), machine.cycles()));
            }
        }
        playing
    }

    fn address(&self, index: usize) -> Option<Addr> {
        match &self.script.entries[index].0 {
            When::Met { stop, .. } => match stop.place {
                crate::stops::Where::Address(address) => Some(address),
                _ => None,
            },
            When::Cycle(_) | When::Step(_) | When::Asked => None,
        }
    }

    fn pending(&self) -> impl Iterator<Item = (usize, &When)> {
        let entries = self.script.entries.iter().enumerate().skip(self.waiting);
        entries.filter(|(index, _)| self.came[*index].is_none()).map(|(index, (when, _))| (index, when))
    }

    /// A place is still to be met.
    pub(crate) fn is_watching(&self) -> bool {
        self.pending()
            .any(|(index, when)| matches!(when, When::Met { time, .. } if self.met[index].len() as u64 != *time))
    }

    /// The places that are still to be met, as stops.
    pub(crate) fn watched(&self) -> Vec<Armed> {
        let armed = self.pending().filter_map(|(index, when)| match when {
            When::Met { stop, time, .. } if self.met[index].len() as u64 != *time => {
                let id = StopId(StopId::SCRIPT.0 + u32::try_from(index).ok()?);
                Some(Armed { id, stop: StopAt::clone(stop) })
            }
            _ => None,
        });
        armed.collect()
    }

    /// A place is met; true when that was the time that counts.
    pub(crate) fn met(&mut self, id: StopId, step: StepNo, cycle: u64) -> bool {
        let index = (id.0 - StopId::SCRIPT.0) as usize;
        let (Some((When::Met { time, .. }, _)), Some(met)) = (self.script.entries.get(index), self.met.get_mut(index))
        else {
            return false;
        };
        let is_new = met.last().is_none_or(|(last, _)| *last < step);
        if is_new && (met.len() as u64) < *time {
            met.push((step, cycle));
        }
        is_new && met.len() as u64 == *time
    }

    fn due(&self, index: usize) -> Due {
        match &self.script.entries[index].0 {
            When::Cycle(cycle) => Due { cycle: *cycle, ..Due::default() },
            When::Step(step) => Due { step: *step, ..Due::default() },
            When::Met { time, after, .. } => match self.met[index].last() {
                Some((_, cycle)) if self.met[index].len() as u64 == *time => {
                    Due { cycle: cycle.saturating_add(*after), ..Due::default() }
                }
                _ => Due::default(),
            },
            When::Asked => Due::default(),
        }
    }

    /// The next thing that is due by a moment.
    pub(crate) fn take_due(&mut self, step: StepNo, cycle: u64) -> Option<What> {
        let is_due = |due: Due| due.step <= step || due.cycle <= cycle;
        let index = self.pending().map(|(index, _)| index).find(|index| is_due(self.due(*index)))?;
        Some(self.take(index, step))
    }

    /// What comes when the program asks.
    pub(crate) fn take_asked(&mut self, step: StepNo) -> Option<What> {
        let index = self.pending().find(|(_, when)| **when == When::Asked).map(|(index, _)| index)?;
        Some(self.take(index, step))
    }

    fn take(&mut self, index: usize, step: StepNo) -> What {
        self.came[index] = Some(step);
        while self.came.get(self.waiting).is_some_and(Option::is_some) {
            self.waiting += 1;
        }
        self.script.entries[index].1.clone()
    }

    /// When the next thing is due whose moment is known.
    pub(crate) fn next_due(&self) -> Due {
        let all = self.pending().map(|(index, _)| self.due(index));
        all.fold(Due::default(), |next, due| Due { step: next.step.min(due.step), cycle: next.cycle.min(due.cycle) })
    }

    /// What came behind a moment is still to come.
    pub(crate) fn truncate(&mut self, now: StepNo) {
        for came in &mut self.came {
            *came = came.filter(|came| *came <= now);
        }
        for met in &mut self.met {
            met.retain(|(step, _)| *step <= now);
        }
        self.waiting = 0;
    }
}

/// Goes through a run and keeps how often labels of code were met, and when last.
struct Visited {
    machine: Machine,
    fed: usize,
    visits: Visits,
    last: BTreeMap<Addr, u64>,
    labels: BTreeMap<Addr, String>,
}

impl Visited {
    fn new(session: &Session) -> Self {
        let (machine, fed) = session.machine_at(session.oldest());
        let mut visits = Visits::default();
        visits.count(machine.pc());
        // Those that whoever looks at the start knows: private ones are left out.
        let image = session.image();
        let labels = image.labels().filter(|label| label.kind == SymbolKind::Code && !label.name.contains('@'));
        let labels = labels.filter(|label| image.symbol(&label.name).is_some_and(|known| known.value == label.value));
        let labels: BTreeMap<Addr, String> =
            labels.filter_map(|label| Some((label.address()?, label.name.clone()))).collect();
        let here = machine.pc();
        let last = labels.contains_key(&here).then_some((here, machine.cycles()));
        Self { machine, fed, visits, last: last.into_iter().collect(), labels }
    }

    fn go_to(&mut self, session: &Session, step: StepNo) {
        let Self { machine, fed, visits, last, labels } = self;
        let mut looker = Labels { labels, visits, last, cycles: 0 };
        session.repeat(machine, fed, step, |machine, run| {
            looker.cycles = machine.cycles();
            machine.run_observed(run, &mut looker);
        });
    }

    /// The program asks for typed input here.
    fn asks(&self, session: &Session) -> bool {
        let mut machine = self.machine.clone();
        let mut fed = self.fed;
        // What was typed here is left out, and what else came here is not.
        while let Some((_, event)) = session.event(fed).filter(|(step, _)| *step == machine.steps()) {
            if !matches!(event, Event::Typed(_) | Event::InputEnds) {
                machine.feed(event);
            }
            fed += 1;
        }
        matches!(machine.step(), wendax_machine::Stop::Needs(wendax_machine::Need::Input))
    }

    /// The label met last: its name, how often it was met, and cycles since.
    fn nearest(&self) -> Option<(String, u64, u64)> {
        let (address, cycle) = self.last.iter().max_by_key(|(_, cycle)| **cycle)?;
        let name = self.labels.get(address)?.clone();
        Some((name, self.visits.of(*address), self.machine.cycles() - cycle))
    }
}

struct Labels<'a> {
    labels: &'a BTreeMap<Addr, String>,
    visits: &'a mut Visits,
    last: &'a mut BTreeMap<Addr, u64>,
    cycles: u64,
}

impl wendax_machine::Observer for Labels<'_> {
    const WRITES: bool = false;

    fn see(&mut self, report: &wendax_machine::Report) -> std::ops::ControlFlow<()> {
        self.cycles += report.cycles;
        if self.labels.contains_key(&report.next) {
            self.visits.count(report.next);
            self.last.insert(report.next, self.cycles);
        }
        std::ops::ControlFlow::Continue(())
    }
}
