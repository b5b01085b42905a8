//! Another version of a program, given what an earlier run was given, up to the same place.
//!
//! What came from outside is given again in the same order: typed input when the program asks for it, or at the
//! step it was typed at when it does not ask; the clock when it looks. A place is an address and how often it has been
//! reached, since steps move when a text changes: the walk goes to the place it was at, and changes by hand are made
//! again at theirs. What had been typed behind that place is typed ahead once it has been reached.

use crate::journey::{Command, Progress, State};
use crate::record::{Record, Repeating};
use crate::session::{ByHand, Session};
use crate::visits::Visits;
use std::collections::{BTreeMap, VecDeque};
use wendax_image::Image;
use wendax_isa::{Addr, StepNo};
use wendax_machine::{Event, Need, Run, Settings, Stop};
use wendax_source::Sources;

/// How a replay ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    /// It is at the place.
    There,
    /// The program ended, failed or waits before it came there so often.
    Elsewhere,
}

/// The new version of a program.
#[derive(Debug, Clone)]
pub struct Version {
    /// The program.
    pub image: Image,
    /// Its texts.
    pub sources: Sources,
    /// What its run is given.
    pub settings: Settings,
    /// Where instructions of the old version are now.
    pub moved: BTreeMap<Addr, Addr>,
}

/// Something that happens when a place is reached for the n-th time.
#[derive(Debug, Clone)]
struct Appointment {
    address: Addr,
    /// Visits still to come.
    left: u64,
    /// The change to be made there; without one it is where the walk is to stop.
    event: Option<Event>,
}

/// A run on its way.
#[derive(Debug, Clone)]
pub struct Replay {
    stage: Stage,
    lost: usize,
}

#[derive(Debug, Clone)]
enum Stage {
    /// Counting how often the old version had been where.
    Counting(Box<Counting>),
    Running(Box<Running>),
    /// The same program again, step by step.
    Repeating(Box<Repeating>),
}

#[derive(Debug, Clone)]
struct Counting {
    /// A copy of the old walk, on its way from the start to where it was.
    past: Session,
    until: StepNo,
    /// Its place there; of a program that has ended the last one.
    place: Addr,
    edits: VecDeque<ByHand>,
    visits: Visits,
    found: Vec<Appointment>,
    version: Version,
    typed: VecDeque<(StepNo, Event)>,
    answers: VecDeque<Event>,
}

#[derive(Debug, Clone)]
struct Running {
    session: Session,
    /// Input, with the step it was typed at.
    typed: VecDeque<(StepNo, Event)>,
    /// Answers to what the program asked.
    answers: VecDeque<Event>,
    appointments: Vec<Appointment>,
    arrived: bool,
}

impl Replay {
    /// Brings a new version of a program to where `past` is, given what that was given. `None` when the beginning of
    /// the past is no longer kept.
    pub fn new(past: &Session, version: Version) -> Option<Self> {
        if past.oldest() > StepNo::FIRST {
            return None;
        }
        let mut typed = VecDeque::new();
        let mut answers = VecDeque::new();
        for (step, event) in past.events() {
            match event {
                Event::Typed(_) | Event::InputEnds => typed.push_back((step, event.clone())),
                Event::Clock(_) | Event::Waited | Event::File(..) => answers.push_back(event.clone()),
                Event::Levers(_) | Event::SetRegister(..) | Event::SetFlags(_) | Event::SetByte(..) => {}
            }
        }
        let (until, place) = (past.now(), past.present_address());
        let edits = past.edits().into_iter().filter(|edit| edit.step <= until).collect();
        let mut copy = past.clone();
        copy.pause();
        copy.restore_before(StepNo::FIRST);
        let mut visits = Visits::default();
        visits.count(copy.machine().pc());
        let found = Vec::new();
        let counting = Counting { past: copy, until, place, edits, visits, found, version, typed, answers };
        Some(Self { stage: Stage::Counting(Box::new(counting)), lost: 0 })
    }

    /// Takes up a walk of this very program that was written down; `session` stands before its first step. `None` when it
    /// is of another one.
    pub fn repeat(session: Session, record: Record) -> Option<Self> {
        let stage = record.is_of(&session).then(|| Stage::Repeating(Box::new(Repeating::new(session, record))))?;
        Some(Self { stage, lost: 0 })
    }

    /// It is a walk that was written down.
    pub fn is_repeated(&self) -> bool {
        matches!(self.stage, Stage::Repeating(_))
    }

    /// Goes on for about as long as `budget` steps take; the outcome when it is over.
    pub fn work(&mut self, budget: u64) -> Option<Outcome> {
        match &mut self.stage {
            Stage::Counting(counting) => {
                if counting.work(budget) {
                    let (running, lost) = counting.conclude();
                    self.lost = lost;
                    self.stage = Stage::Running(Box::new(running));
                }
                None
            }
            Stage::Running(running) => running.work(budget),
            Stage::Repeating(repeating) => {
                repeating.work(budget).map(|is_same| if is_same { Outcome::There } else { Outcome::Elsewhere })
            }
        }
    }

    /// Changes by hand that were not made again, since their place is gone or was not reached.
    pub fn lost_edits(&self) -> usize {
        let waiting = match &self.stage {
            Stage::Counting(_) | Stage::Repeating(_) => 0,
            Stage::Running(running) => running.appointments.iter().filter(|one| one.event.is_some()).count(),
        };
        self.lost + waiting
    }

    /// The run as it is.
    pub fn into_session(self) -> Session {
        match self.stage {
            Stage::Counting(counting) => counting.past,
            Stage::Running(running) => running.session,
            Stage::Repeating(repeating) => repeating.session,
        }
    }
}

impl Counting {
    /// True when all has been counted.
    fn work(&mut self, budget: u64) -> bool {
        let mut left = budget;
        loop {
            let now = self.past.now();
            while self.edits.front().is_some_and(|edit| edit.step <= now) {
                let Some(edit) = self.edits.pop_front() else { break };
                let address = self.past.machine().pc();
                let left = self.visits.of(address);
                self.found.push(Appointment { address, left, event: Some(edit.event) });
            }
            if now >= self.until {
                return true;
            }
            if left == 0 {
                return false;
            }
            let until = self.edits.front().map_or(self.until, |edit| edit.step.min(self.until));
            let effort = self.past.at.effort;
            let stop = self.past.replay_observed(until, left, &mut self.visits);
            if self.past.now() == now && stop.is_end() {
                return true;
            }
            left = left.saturating_sub(self.past.at.effort - effort);
        }
    }

    /// The run to be made, and how many changes by hand have no place in it.
    fn conclude(&mut self) -> (Running, usize) {
        let moved = &self.version.moved;
        let (old, new) = (self.past.image(), &self.version.image);
        let place = Appointment { address: self.place, left: self.visits.of(self.place).max(1), event: None };
        let all = self.found.len();
        let here = |one: Appointment| Some(Appointment { address: *moved.get(&one.address)?, ..one });
        let mut appointments: Vec<Appointment> = self.found.drain(..).filter_map(here).collect();
        let lost = all - appointments.len();
        for one in &mut appointments {
            if let Some(Event::SetByte(address, _)) = &mut one.event {
                *address = moved_by_label(old, new, *address);
            }
        }
        let address = moved.get(&place.address).copied().unwrap_or(place.address);
        appointments.push(Appointment { address, ..place });
        let (image, sources) = (self.version.image.clone(), self.version.sources.clone());
        let session = Session::new(image, self.version.settings.clone()).with_sources(sources);
        let (typed, answers) = (std::mem::take(&mut self.typed), std::mem::take(&mut self.answers));
        let mut running = Running { session, typed, answers, appointments, arrived: false };
        running.visit(running.session.machine().pc());
        (running, lost)
    }
}

/// Where a byte of data is in another version: behind the same label, if that is still there.
fn moved_by_label(old: &Image, new: &Image, address: Addr) -> Addr {
    let place = old.nearest_label(address).and_then(|(symbol, offset)| {
        // Of several of that name, which files may have, the one in its place among them.
        let (before, now) = (old.symbols_named(&symbol.name), new.symbols_named(&symbol.name));
        let number = before.iter().position(|known| std::ptr::eq(*known, symbol))?;
        let there = now.get(number).or(now.first())?;
        there.address().map(|there| there.saturating_add(offset))
    });
    place.unwrap_or(address)
}

impl Running {
    /// An address is next: keeps the appointments made for that.
    fn visit(&mut self, address: Addr) {
        let mut due = Vec::new();
        self.appointments.retain_mut(|one| {
            if one.address == address && !(self.arrived && one.event.is_none()) {
                one.left -= 1;
            }
            let is_due = one.left == 0;
            if is_due {
                due.push(one.event.take());
            }
            !is_due
        });
        for event in due {
            match event {
                Some(event) => {
                    self.session.edit(event);
                }
                None => self.arrived = true,
            }
        }
    }

    fn work(&mut self, budget: u64) -> Option<Outcome> {
        let mut left = budget;
        while !self.arrived {
            if left == 0 {
                return None;
            }
            self.type_due();
            let now = self.session.now();
            let until = self.typed.front().map_or(StepNo::LAST, |(step, _)| (*step).max(now + 1));
            let addresses = self.appointments.iter().map(|one| one.address);
            let mut visits = Visits::until_next(addresses);
            let effort = self.session.at.effort;
            let run = Run { effort: left, ..Run::until(until) };
            let stop = self.session.run_observed_slice(run, &mut visits);
            left = left.saturating_sub(self.session.at.effort - effort + 16);
            // What stands behind an instruction that ended the program was not reached.
            if let Some(address) = visits.reached().filter(|_| !matches!(stop, Stop::Finished(_))) {
                self.session.settle();
                self.visit(address);
            }
            match stop {
                Stop::Steps
                | Stop::Cycles
                | Stop::Worked
                | Stop::Observed
                | Stop::Breakpoint
                | Stop::Watched
                | Stop::Depth { .. }
                | Stop::Brk => {}
                Stop::Printed => return Some(self.stop_here()),
                Stop::Needs(need) => {
                    if !self.arrived && !self.answer(need) {
                        return Some(self.stop_here());
                    }
                }
                Stop::Finished(_) | Stop::Fault(_) | Stop::Circling { .. } | Stop::Idle { .. } => {
                    return Some(self.stop_here());
                }
            }
        }
        Some(self.stop_here())
    }

    /// Input that was typed while the program did not ask is typed at its step.
    fn type_due(&mut self) {
        while self.typed.front().is_some_and(|(step, _)| *step <= self.session.now()) {
            if let Some((_, event)) = self.typed.pop_front() {
                self.session.answer(event);
            }
        }
    }

    /// Gives what is asked for, out of what was given before; false when there is nothing more.
    fn answer(&mut self, need: Need) -> bool {
        let fits = |event: &Event| match need {
            Need::Input => false,
            Need::Clock => matches!(event, Event::Clock(_)),
            Need::Wait(_) | Need::Sound(_) => matches!(event, Event::Waited),
            Need::File => {
                let wanted = self.session.machine().wanted_file();
                matches!(event, Event::File(path, _) if Some(path) == wanted.as_ref())
            }
        };
        let known = self.answers.iter().position(fits).and_then(|at| self.answers.remove(at));
        let event = match need {
            Need::Input => self.typed.pop_front().map(|(_, event)| event),
            // Time that was not looked at before stands still.
            Need::Clock => Some(known.unwrap_or(Event::Clock(0))),
            Need::Wait(_) | Need::Sound(_) => Some(known.unwrap_or(Event::Waited)),
            // A file that was not looked at before is looked at when the run goes on from here.
            Need::File => known,
        };
        event.is_some_and(|event| {
            self.session.answer(event);
            true
        })
    }

    /// Ends the way in the state the run is in, as a command would; what is left of the input is typed ahead.
    fn stop_here(&mut self) -> Outcome {
        let session = &mut self.session;
        session.settle();
        if self.arrived {
            let now = session.now();
            session.begin(Command::Seek(now));
        } else {
            session.begin(Command::Go);
        }
        while session.work(100_000) == Progress::Working {}
        if !matches!(session.state(), State::Finished(_)) {
            for (_, event) in self.typed.drain(..) {
                session.answer(event);
            }
        }
        if self.arrived { Outcome::There } else { Outcome::Elsewhere }
    }
}
