//! Another moment beside the present one: which one, and what differs, as it follows the walk.

use super::World;
use wendax_isa::{Addr, StepNo};
use wendax_machine::Machine;
use wendax_session::{
    Apart, Session, StackWord, Thing, WordKind, code_text, grouped, line_words, number_words, place, read_stack,
};

/// Words of the stack that are shown.
const WORDS: usize = 6;

/// A row of the two states.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Row {
    pub(crate) name: String,
    pub(crate) here: String,
    pub(crate) there: String,
    pub(crate) thing: Option<Thing>,
}

/// Two states row by row, and of which moments.
#[derive(Debug, Clone)]
pub(crate) struct States {
    /// Those of this run and of the other one.
    moments: (StepNo, StepNo),
    /// Which branch of this run it is.
    branch: u64,
    pub(crate) rows: Vec<Row>,
}

/// The moment that the present one is compared with.
#[derive(Debug, Clone, Default)]
pub(crate) struct Beside {
    /// It, and what it is called.
    pub(crate) moment: Option<(StepNo, String)>,
    /// Another run, of which the moment with as many steps as the present one has is meant.
    pub(crate) run: Option<Box<Session>>,
    /// The moment is the entry of a routine.
    pub(crate) is_entry: bool,
    /// Moments of this run and of the other one at which both stood at the same place, as they were walked together.
    pairs: Vec<(StepNo, StepNo)>,
    apart: Option<Apart>,
    states: Option<States>,
}

impl Beside {
    /// What differs, when that is known of the present moment.
    pub(crate) fn apart(&self, session: &Session) -> Option<&Apart> {
        let (moment, now) = (self.step(session)?, session.now());
        let moments = if self.run.is_some() { (moment, now) } else { (moment.min(now), moment.max(now)) };
        self.apart.as_ref().filter(|apart| apart.is_of(session) && apart.moments() == moments)
    }

    /// The step of the moment.
    pub(crate) fn step(&self, session: &Session) -> Option<StepNo> {
        let (moment, _) = self.moment.as_ref()?;
        let Some(run) = &self.run else { return Some(*moment) };
        let now = session.now();
        // Where they were walked together, the moment that belongs to this one; else that with as many steps.
        let is_apart = || session.parts_from(run).is_none_or(|parts| now > parts);
        let pair = self.pairs.iter().rev().find(|(here, _)| *here <= now);
        Some(match pair {
            Some((here, there)) if *here == now || is_apart() => *there,
            _ => now.min(run.end()),
        })
    }

    /// The two states row by row, when they are known of the present moment.
    pub(crate) fn states(&self, session: &Session) -> Option<&States> {
        let moments = (session.now(), self.step(session)?);
        self.states.as_ref().filter(|states| states.moments == moments && states.branch == session.branches())
    }

    /// Another moment is meant from now on.
    pub(crate) fn set(&mut self, moment: (StepNo, String), run: Option<Box<Session>>) {
        *self = Self { moment: Some(moment), run, ..Self::default() };
    }

    /// There is such a moment.
    pub(crate) fn is_there(&self, session: &Session) -> bool {
        let of = self.run.as_deref().unwrap_or(session);
        self.step(session).is_some_and(|step| of.oldest() <= step && step <= of.end())
    }
}

impl World {
    /// Sets the two states next to each other.
    pub(crate) fn set_beside(&mut self) {
        let Some(session) = &self.walk.session else { return };
        let beside = &mut self.walk.beside;
        let Some(step) = beside.step(session) else { return };
        let of = beside.run.as_deref().unwrap_or(session);
        let there = of.machine_at(step);
        beside.states = there.map(|there| states_of(session, of, &there, (session.now(), step)));
    }

    /// The next moment of this run at which another one that stands beside comes to the same place, or the one before; notes
    /// which moment of that belongs to it. Nothing where there is none.
    pub(crate) fn together(&mut self, is_on: bool) -> Option<StepNo> {
        let session = self.walk.session.as_ref()?;
        let beside = &mut self.walk.beside;
        let (now, there) = (session.now(), beside.step(session)?);
        let run = beside.run.as_ref()?;
        if is_on {
            let (here, other) = session.next_together(now, run, there)?;
            beside.pairs.retain(|(here, _)| *here <= now);
            if beside.pairs.last() != Some(&(now, there)) {
                beside.pairs.push((now, there));
            }
            beside.pairs.push((here, other));
            return Some(here);
        }
        beside.pairs.retain(|(here, _)| *here < now);
        beside.pairs.last().map(|(here, _)| *here)
    }

    /// Something is to be found out of how the two moments differ.
    pub(crate) fn is_to_compare(&self, session: &Session) -> bool {
        let beside = &self.walk.beside;
        beside.is_there(session) && beside.apart(session).is_none_or(|apart| !apart.is_done())
    }

    /// Finds it out for a slice.
    pub(crate) fn compare(&mut self, slice: u64) {
        let Some(session) = &self.walk.session else { return };
        let beside = &mut self.walk.beside;
        if beside.apart(session).is_none() {
            let (now, moment) = (session.now(), beside.step(session));
            beside.apart = moment.and_then(|moment| match &beside.run {
                Some(run) => Apart::across(session, now, run, moment),
                None => Apart::between(session, moment, now),
            });
        } else if let Some(apart) = &mut beside.apart {
            apart.work(session, slice);
        }
    }
}

/// Two states row by row: where they are, registers that were ever set, flags, the newest words of the stack, what was printed
/// last.
fn states_of(session: &Session, other: &Session, there: &Machine, moments: (StepNo, StepNo)) -> States {
    let here = session.machine();
    let target = here.target();
    let mut rows = Vec::new();
    let mut row = |name: &str, here: String, there: String, thing| {
        rows.push(Row { name: name.to_owned(), here, there, thing });
    };
    let line = |of: &Session, machine: &Machine| {
        line_words(of, machine.pc()).unwrap_or_else(|| place(of.image(), target, machine.pc()))
    };
    row("line", line(session, here), line(other, there), None);
    let next = |of: &Session, machine: &Machine| {
        code_text(of, machine.pc(), machine.code_at(machine.pc())).unwrap_or_default()
    };
    row("next", next(session, here), next(other, there), None);
    for (register, info) in target.registers() {
        let is_set = here.register_known(register) || there.register_known(register);
        if is_set && target.roles.zero != Some(register) {
            let told = |machine: &Machine| {
                if machine.register_known(register) && register == target.roles.stack {
                    target.marked_address(Addr(machine.register(register)))
                } else if machine.register_known(register) {
                    number_words(target, machine.register(register))
                } else {
                    "not set".to_owned()
                }
            };
            row(info.name, told(here), told(there), Some(Thing::Register(register)));
        }
    }
    let flags = |machine: &Machine| {
        let set = target.flags.iter().filter(|flag| machine.flags() & flag.bit != 0);
        let told: Vec<String> = set.map(|flag| flag.name.to_string()).collect();
        if told.is_empty() { "none set".to_owned() } else { told.join(" ") }
    };
    if !target.flags.is_empty() {
        row("flags", flags(here), flags(there), None);
    }
    let (mine, others) = (read_stack(here, WORDS), read_stack(there, WORDS));
    for index in 0..mine.len().max(others.len()) {
        let told = |words: &[StackWord]| match words.get(index) {
            Some(word) if word.kind == WordKind::NeverWritten => "not set".to_owned(),
            Some(word) => number_words(target, word.value),
            None => String::new(),
        };
        let name =
            if index == 0 { "[sp]".to_owned() } else { format!("[sp + {}]", index * target.word_bytes() as usize) };
        row(&name, told(&mine), told(&others), None);
    }
    let printed = |machine: &Machine| format!("{} bytes", grouped(machine.printed()));
    row("printed", printed(here), printed(there), None);
    // Behind the place what differs stands first.
    if let Some(rows) = rows.get_mut(2..) {
        rows.sort_by_key(|row| row.here == row.there);
    }
    States { moments, branch: session.branches(), rows }
}
