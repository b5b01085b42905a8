//! Cautions: what looks wrong in a run, with where it began.
//!
//! The whole run is gone through once, in slices, by a [`watcher`] that remembers what mistakes are known by; it goes on as the
//! run does. Each caution is kept once a place, the first time it came, with how often it came. What the source says is meant
//! is left out.

mod facts;
mod watcher;
mod words;
mod written;

pub use watcher::Caution;
pub use written::CautionForm;

use crate::log::Entry;
use crate::rerun::{self, Question, Rerun};
use crate::session::Session;
use facts::Facts;
use std::collections::BTreeMap;
use watcher::{State, Watcher};
use wendax_isa::{Addr, StepNo};
use wendax_language::CautionKind;
use wendax_machine::{Machine, Run, Stop};

/// Places and kinds that are kept, at most.
const MOST: usize = 2000;

/// Times that one came that are kept with their steps, at most: the first ones.
const MOST_TIMES: usize = 50_000;

/// What looks wrong in a run.
#[derive(Debug, Clone)]
pub struct Cautions {
    rerun: Rerun,
    state: State,
    facts: Facts,
    found: Found,
    /// Kinds that are meant in all of the program, each with why.
    meant: Vec<(CautionKind, String)>,
    branches: u64,
    from: StepNo,
    to: StepNo,
}

/// What was found, in the order it came.
#[derive(Debug, Clone, Default)]
struct Found {
    list: Vec<Caution>,
    places: BTreeMap<(CautionKind, Addr, Option<u8>), usize>,
    /// Each time one came, in order of steps.
    times: Vec<Caution>,
    /// There were more than are kept.
    is_full: bool,
}

impl Found {
    fn take(&mut self, caution: Caution) {
        if self.times.len() < MOST_TIMES {
            self.times.push(caution.clone());
        }
        let place = (caution.kind, caution.pc, caution.register.map(|register| register.0));
        if let Some(&at) = self.places.get(&place) {
            self.list[at].times += 1;
        } else if self.list.len() < MOST {
            self.places.insert(place, self.list.len());
            self.list.push(caution);
        } else {
            self.is_full = true;
        }
    }
}

impl Cautions {
    /// Of a session's run, as far as it is kept.
    pub fn new(session: &Session) -> Self {
        let from = session.oldest();
        let mut rerun = Rerun::at(session.past(), from);
        rerun.at.feed_edits(session.past().log);
        let state = State::new(&rerun.at.machine);
        let facts = Facts::new(session.image());
        let (found, meant) = (Found::default(), Vec::new());
        Self { rerun, state, facts, found, meant, branches: session.branches(), from, to: from }
    }

    /// Leaves out kinds that are meant in all of the program, each with why.
    #[must_use]
    pub fn with_meant(mut self, meant: &[(CautionKind, String)]) -> Self {
        self.meant = meant.to_vec();
        self
    }

    /// The kinds that are meant in all of the program, each with why.
    pub fn meant_in_all(&self) -> &[(CautionKind, String)] {
        &self.meant
    }

    /// They are of the branch of a walk.
    pub fn is_of(&self, session: &Session) -> bool {
        self.branches == session.branches() && self.to <= session.end()
    }

    /// Steps looked at, and all there are.
    pub fn progress(&self, session: &Session) -> (u64, u64) {
        let now = self.rerun.at.machine.steps();
        (now - self.from, session.end().max(now) - self.from)
    }

    /// All of the run was looked at, as far as it is known.
    pub fn is_done(&self, session: &Session) -> bool {
        self.rerun.is_over(session.end())
    }

    /// Goes on for about as long as `budget` plain steps take; true when all of the run was looked at.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        self.to = session.end();
        let mut found = std::mem::take(&mut self.found);
        let known = found.list.len();
        let mut watched = Watched {
            state: &mut self.state,
            facts: &mut self.facts,
            session,
            tell: &mut |caution| found.take(caution),
        };
        let is_done = self.rerun.ask(session.past(), self.to, &mut budget.max(1), &mut watched);
        self.found = found;
        // Who put there what was taken for a way back is asked once.
        for caution in self.found.list.iter_mut().skip(known).filter(|caution| caution.began.is_none()) {
            caution.began = caution.asked(session);
        }
        is_done
    }

    /// What was found so far and is not meant, in the order it came.
    pub fn list<'a>(&'a self, session: &'a Session) -> impl Iterator<Item = &'a Caution> {
        self.found.list.iter().filter(|caution| self.why(session, caution).is_none())
    }

    /// What was found and is meant, with the reason.
    pub fn meant<'a>(&'a self, session: &'a Session) -> impl Iterator<Item = (&'a Caution, &'a str)> {
        self.found.list.iter().filter_map(|caution| Some((caution, self.why(session, caution)?)))
    }

    /// Why a caution is meant, when source or manifest say so.
    fn why<'a>(&'a self, session: &'a Session, caution: &Caution) -> Option<&'a str> {
        let in_all = self.meant.iter().find(|(kind, _)| *kind == caution.kind).map(|(_, why)| why.as_str());
        why_meant(session, caution).or(in_all)
    }

    /// There were more than are kept.
    pub fn is_full(&self) -> bool {
        self.found.is_full
    }

    /// What looks wrong about the step that comes next; nothing while the run up to it was not looked at.
    pub fn coming(&mut self, session: &Session) -> Vec<Caution> {
        let now = session.now();
        if now < session.end() {
            let times = &self.found.times;
            let from = times.partition_point(|caution| caution.step < now);
            let here = times[from..].iter().take_while(|caution| caution.step == now);
            return here.filter(|caution| self.why(session, caution).is_none()).cloned().collect();
        }
        if !self.is_of(session) || self.rerun.at.machine.steps() != now {
            return Vec::new();
        }
        let mut state = self.state.clone();
        let mut machine = session.fork();
        state.look_again(&machine);
        let mut coming = Vec::new();
        let mut tell = |caution| coming.push(caution);
        let mut watched = Watched { state: &mut state, facts: &mut self.facts, session, tell: &mut tell };
        watched.run(&mut machine, Run::until(now + 1));
        coming.retain(|caution| self.why(session, caution).is_none());
        coming
    }
}

/// Why what the line of a caution does is meant, when the source says so: `; meant C07: the reason`. Of a text without its end
/// the line of the text may say it as well, also as the warning that is told of it while it is written.
fn why_meant<'a>(session: &'a Session, caution: &Caution) -> Option<&'a str> {
    let said = |address: Addr, is_named: &dyn Fn(&str) -> bool| {
        let line = session.image().line_at(address)?;
        let (_, said) = session.sources().get(line.span.file)?.line(line.line).split_once("meant ")?;
        let (codes, why) = said.split_once(':')?;
        (codes.split([',', ' ']).any(is_named) && !why.trim().is_empty()).then(|| why.trim())
    };
    let is_it = |code: &str| CautionKind::of_code(code) == Some(caution.kind);
    let text = caution.place.filter(|_| caution.kind == CautionKind::NoEnd);
    let by_text = text.and_then(|text| said(text, &|code| is_it(code) || matches!(code, "W056" | "W065")));
    said(caution.pc, &is_it).or(by_text)
}

/// All steps, looked at by a watcher.
struct Watched<'a> {
    state: &'a mut State,
    facts: &'a mut Facts,
    session: &'a Session,
    tell: &'a mut dyn FnMut(Caution),
}

impl Question for Watched<'_> {
    fn feed(&mut self, machine: &mut Machine, entries: &[Entry]) {
        rerun::feed(machine, entries);
        self.state.look_again(machine);
    }

    fn run(&mut self, machine: &mut Machine, run: Run) -> Stop {
        let mut watcher = Watcher { state: self.state, facts: self.facts, session: self.session, tell: self.tell };
        machine.run_observed(run, &mut watcher)
    }
}
