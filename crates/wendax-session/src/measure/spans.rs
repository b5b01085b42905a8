//! Passages from one place of the code to another, each measured in steps and cycles.
//!
//! A passage begins when its first place is come to and none is under way, and ends when its second is come to: what comes
//! to the first place meanwhile is counted, and begins nothing. Both may be the same place, then each passage ends where
//! the next begins. A place is come to when its instruction arrives, as it is for stops.

use crate::questions::Spread;
use crate::rerun::Rerun;
use crate::session::Session;
use crate::stops::{Armed, Judge, Judged, StopAt, StopId, Where};
use crate::values::Names;
use std::collections::BTreeMap;
use std::ops::ControlFlow;
use wendax_isa::{Addr, StepNo};
use wendax_machine::Machine;

/// One passage.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Passage {
    /// The moment it began.
    pub from: StepNo,
    /// The moment it ended.
    pub to: StepNo,
    /// Cycles between.
    pub cycles: u64,
}

/// What passages were found.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SpanTold {
    /// Cycles of each.
    pub cycles: Spread,
    /// Steps of each.
    pub steps: Spread,
    /// The one that took most cycles, the first of several.
    pub greatest: Option<Passage>,
    /// Passages by their cycles: the cycles from which on, and how many; of equal width.
    pub histogram: Vec<(u64, u64)>,
    /// How often the first place was come to while one was under way.
    pub again: u64,
    /// The last one has not ended.
    pub is_open: bool,
}

/// Bars of a histogram, at most.
const BARS: u64 = 24;

/// A place of the code by a label or a line; else why it is none.
pub fn place_in_words(session: &Session, text: &str) -> Result<Addr, String> {
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    match StopAt::read(text, &names, session.sources()).map(|stop| stop.place) {
        Ok(Where::Address(address)) => Ok(address),
        Ok(_) => Err("expected a label or a line, such as weigh or main.asm:12".to_owned()),
        Err(error) => Err(error.message),
    }
}

/// Passages being looked for.
#[derive(Debug, Clone)]
pub struct Spans {
    rerun: Rerun,
    /// Of two stops: the place where passages begin, and the one where they end.
    judge: Judge,
    until: StepNo,
    found: Found,
    /// The last moment has been looked at too.
    is_closed: bool,
}

/// What was found so far.
#[derive(Debug, Clone, Default)]
struct Found {
    open: Option<(StepNo, u64)>,
    cycles: BTreeMap<u64, u64>,
    steps: BTreeMap<u64, u64>,
    greatest: Option<Passage>,
    begun_again: u64,
}

impl Spans {
    /// Between places in words: `weigh to weigh@done`, `main.asm:12 to main.asm:20`; one place alone is from each time it
    /// is come to until the next.
    pub fn read(session: &Session, text: &str) -> Result<Self, String> {
        let place =
            |text: &str| place_in_words(session, text.trim()).map_err(|why| format!("`{}`: {why}", text.trim()));
        let (from, to) = text.split_once(" to ").unwrap_or((text, text));
        Ok(Self::new(session, place(from)?, place(to)?))
    }

    /// From the instruction at `from` to that at `to`, in all of a session's run that is kept.
    pub fn new(session: &Session, from: Addr, to: Addr) -> Self {
        let mut rerun = Rerun::at(session.past(), session.oldest());
        let places = [from, to].map(|place| Armed { id: StopId::UNTIL, stop: StopAt::address(place) });
        let judge = Judge::at(places.into(), &mut rerun);
        Self { rerun, judge, until: session.end(), found: Found::default(), is_closed: false }
    }

    /// Steps gone through, and all there are.
    pub fn progress(&self) -> (u64, u64) {
        (self.rerun.at.machine.steps().0, self.until.0)
    }

    /// Works for about as long as `budget` plain steps take; true when all was gone through.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        let found = &mut self.found;
        let mut question = Judged::new(&mut self.judge, |machine, _, hits| {
            let comes_to = |place| hits.iter().any(|hit| hit.index == place);
            found.look(machine, comes_to(0), comes_to(1));
            ControlFlow::Continue(())
        });
        let is_over = self.rerun.ask(session.past(), self.until, &mut budget.max(1), &mut question);
        if is_over && !self.is_closed {
            self.is_closed = true;
            self.rerun.last_moment(session.past(), &mut question);
        }
        is_over
    }

    /// What was found so far.
    pub fn told(&self) -> SpanTold {
        let Found { open, cycles, steps, greatest, begun_again } = &self.found;
        SpanTold {
            cycles: Spread::of(cycles),
            steps: Spread::of(steps),
            greatest: *greatest,
            histogram: histogram(cycles),
            again: *begun_again,
            is_open: open.is_some(),
        }
    }
}

impl Found {
    /// The machine stands at one of the places, or at both.
    fn look(&mut self, machine: &Machine, begins: bool, ends: bool) {
        let (step, now) = (machine.steps(), machine.cycles());
        if let Some((from, since)) = self.open.take_if(|_| ends) {
            let passage = Passage { from, to: step, cycles: now - since };
            *self.cycles.entry(passage.cycles).or_insert(0) += 1;
            *self.steps.entry(step - from).or_insert(0) += 1;
            if self.greatest.is_none_or(|known| passage.cycles > known.cycles) {
                self.greatest = Some(passage);
            }
        }
        match self.open {
            _ if !begins => {}
            Some(_) => self.begun_again += 1,
            None => self.open = Some((step, now)),
        }
    }
}

fn histogram(lengths: &BTreeMap<u64, u64>) -> Vec<(u64, u64)> {
    let (Some((&least, _)), Some((&greatest, _))) = (lengths.first_key_value(), lengths.last_key_value()) else {
        return Vec::new();
    };
    let width = ((greatest - least) / BARS + 1).max(1);
    let count = (greatest - least) / width + 1;
    let mut bars: Vec<(u64, u64)> = (0..count).map(|index| (least + index * width, 0)).collect();
    for (&length, &times) in lengths {
        let index = usize::try_from((length - least) / width).unwrap_or(usize::MAX);
        if let Some(bar) = bars.get_mut(index) {
            bar.1 += times;
        }
    }
    bars
}
