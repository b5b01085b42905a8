//! What came from outside in a run, written down so that it comes again in another one.
//!
//! What alone was typed where the program asks comes when it asks; the rest so many cycles after a label arrived so often,
//! so that an edit elsewhere does not move it. What is played then is the same run, step by step.

use crate::log::Entry;
use crate::rerun::{Question, Rerun};
use crate::session::Session;
use crate::visits::Visits;
use serde::Serialize;
use std::collections::BTreeMap;
use std::ops::ControlFlow;
use wendax_image::SymbolKind;
use wendax_isa::Addr;
use wendax_machine::{Event, Machine, Need, Observer, Report, Run, Stop};

/// A line as it is written.
#[derive(Debug, Clone, Default, Serialize)]
struct Written<'a> {
    #[serde(skip_serializing_if = "Option::is_none")]
    cycle: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    place: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    time: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    after: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    asked: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    text: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    bytes: Option<&'a [u8]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    levers: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    end: Option<bool>,
}

/// A file of events being made.
#[derive(Debug, Clone)]
pub struct Saving {
    rerun: Rerun,
    arrivals: Arrivals,
    /// The entry of the log that is next.
    next: usize,
    branch: u64,
    text: String,
}

/// How often labels of code arrived, and when last.
#[derive(Debug, Clone)]
struct Arrivals {
    labels: BTreeMap<Addr, String>,
    visits: Visits,
    /// The label that arrived last, and the cycle then.
    last: Option<(Addr, u64)>,
    cycles: u64,
}

impl Saving {
    /// Of the run of a session; else why there is nothing to be saved.
    pub fn new(session: &Session) -> Result<Self, String> {
        if session.oldest().0 > 0 {
            return Err(
                "the beginning of this run is no longer kept, so what came from outside is not known whole".to_owned()
            );
        }
        // Those that whoever looks at the start knows: private ones are left out.
        let image = session.image();
        let labels = image.labels().filter(|label| label.kind == SymbolKind::Code && !label.is_private());
        let known = |name: &str| image.symbol_from(name, image.entry);
        let labels = labels.filter(|label| known(&label.name).is_some_and(|known| known.value == label.value));
        let labels = labels.filter_map(|label| Some((label.address()?, label.name.clone()))).collect();
        let arrivals = Arrivals { labels, visits: Visits::default(), last: None, cycles: 0 };
        Ok(Self {
            rerun: Rerun::at(session.past(), session.oldest()),
            arrivals,
            next: 0,
            branch: session.branches(),
            text: String::new(),
        })
    }

    /// It is still of the branch of a session.
    pub fn is_of(&self, session: &Session) -> bool {
        self.branch == session.branches()
    }

    /// Steps gone through, and all there are.
    pub fn progress(&self, session: &Session) -> (u64, u64) {
        (self.rerun.at.machine.steps().0, session.entries().last().map_or(0, |entry| entry.step.0))
    }

    /// Works for about as long as `budget` steps take; true when all is written down.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        let mut left = budget.max(1);
        while let Some(entry) = session.entries().get(self.next) {
            if !self.rerun.ask(session.past(), entry.step, &mut left, &mut self.arrivals) {
                return false;
            }
            self.write(session, entry);
            self.next += 1;
        }
        true
    }

    /// What was written down; empty when nothing came.
    pub fn text(&self) -> &str {
        &self.text
    }

    fn write(&mut self, session: &Session, entry: &Entry) {
        let mut written = Written::default();
        match &entry.event {
            Event::Typed(bytes) => match std::str::from_utf8(bytes) {
                Ok(text) => written.text = Some(text),
                Err(_) => written.bytes = Some(bytes),
            },
            Event::InputEnds => written.end = Some(true),
            Event::Levers(levers) => written.levers = Some(*levers),
            Event::Clock(_)
            | Event::Waited
            | Event::File(..)
            | Event::SetRegister(..)
            | Event::SetFlags(_)
            | Event::SetByte(..) => return,
        }
        // What comes when the program asks comes alone: of several things of one moment the others would have to wait for
        // it to ask again.
        let entries = session.entries();
        let with =
            |other: usize| entries.get(other).is_some_and(|other| other.step == entry.step && other.event.is_input());
        let is_alone = !with(self.next.wrapping_sub(1)) && !with(self.next + 1);
        if written.levers.is_none() && is_alone && self.asks(session) {
            written.asked = Some(true);
        } else {
            let cycles = self.rerun.at.machine.cycles();
            match self.arrivals.last {
                Some((address, since)) => {
                    written.place = self.arrivals.labels.get(&address).map(String::as_str);
                    written.time = Some(self.arrivals.visits.of(address));
                    written.after = Some(cycles - since);
                }
                None => written.cycle = Some(cycles),
            }
        }
        // It holds numbers and texts only, and those can be written.
        self.text.push_str(&serde_json::to_string(&written).unwrap_or_default());
        self.text.push('\n');
    }

    /// The program asks for typed input here.
    fn asks(&self, session: &Session) -> bool {
        struct Untyped;
        impl Question for Untyped {
            fn feed(&mut self, machine: &mut Machine, entries: &[Entry]) {
                // What was typed here is left out, and what else came here is not.
                entries.iter().filter(|entry| !entry.event.is_input()).for_each(|entry| machine.feed(&entry.event));
            }

            fn run(&mut self, machine: &mut Machine, run: Run) -> Stop {
                machine.run_past(run)
            }
        }
        let mut machine = self.rerun.last_moment(session.past(), &mut Untyped);
        matches!(machine.step(), Stop::Needs(Need::Input))
    }
}

impl Question for Arrivals {
    fn run(&mut self, machine: &mut Machine, run: Run) -> Stop {
        self.cycles = machine.cycles();
        machine.run_observed(run, self)
    }
}

impl Observer for Arrivals {
    const WRITES: bool = false;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        if let Some(address) = report.arrived().filter(|address| self.labels.contains_key(address)) {
            self.visits.count(address);
            self.last = Some((address, self.cycles));
        }
        self.cycles += report.cycles;
        ControlFlow::Continue(())
    }
}
