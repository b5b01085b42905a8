//! How interrupts fared in a run: how long each took from being asked for to its handler's first instruction and to the
//! handler's end, what delayed the slowest, what was asked for again meanwhile and so lost, and how long interrupts were
//! off at a stretch.
//!
//! Nothing is noted on the way. The run is gone through again on a copy of the machine, blind but for what interrupts
//! hang on, in slices; when the branch has grown, from where that ended.

use crate::log::Entry;
use crate::rerun::{Question, Rerun};
use crate::session::Session;
use crate::words::told;
use std::collections::BTreeMap;
use wendax_isa::{Addr, DeviceKind, StepNo, Target};
use wendax_machine::{Event, Lookout, Machine, Run, StepKind, Stop, Writer};

/// Least, median and greatest of some lengths of time, in cycles.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Spread {
    /// How many there are; the others are 0 when there are none.
    pub count: u64,
    /// The shortest.
    pub least: u64,
    /// The one in the middle; of two the shorter.
    pub median: u64,
    /// The longest.
    pub greatest: u64,
}

impl Spread {
    /// Of lengths, each with how often it came.
    pub(crate) fn of(lengths: &BTreeMap<u64, u64>) -> Self {
        let count: u64 = lengths.values().sum();
        let mut before = 0;
        let median = lengths.iter().find(|(_, times)| {
            before += **times;
            before * 2 >= count
        });
        Self {
            count,
            least: lengths.first_key_value().map_or(0, |(length, _)| *length),
            median: median.map_or(0, |(length, _)| *length),
            greatest: lengths.last_key_value().map_or(0, |(length, _)| *length),
        }
    }
}

/// Lengths of time, by how often each came.
#[derive(Debug, Clone, Default)]
struct Lengths(BTreeMap<u64, u64>);

impl Lengths {
    fn add(&mut self, length: u64) {
        *self.0.entry(length).or_insert(0) += 1;
    }

    fn spread(&self) -> Spread {
        Spread::of(&self.0)
    }
}

/// What kept an interrupt waiting.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Delay {
    /// The instruction that was under way.
    Instruction,
    /// Interrupts were off, by this; in the handler of that interrupt.
    Off(Option<Writer>, Option<u32>),
    /// This one is more urgent.
    Urgent(u32),
    /// It had no handler.
    NoHandler,
}

/// How one interrupt fared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Passages {
    /// Its number.
    pub number: u32,
    /// How often it was taken.
    pub taken: u64,
    /// Cycles from being asked for to the handler's first instruction.
    pub entered: Spread,
    /// Cycles from being asked for to the handler's end.
    pub ended: Spread,
    /// The step that took the one that waited longest.
    pub worst: StepNo,
    /// What that waited for.
    pub delay: Delay,
    /// How often it was asked for again before the first was answered.
    pub lost: u64,
}

impl Passages {
    /// What the one that waited longest waited for, in words.
    pub fn delay_words(&self, session: &Session) -> String {
        let target = session.machine().target();
        match self.delay {
            Delay::Instruction => "the instruction under way".to_owned(),
            Delay::Off(_, Some(number)) => format!("the handler of {} ran", target.interrupt_name(number)),
            Delay::Off(Some(Writer::Instruction(address)), None) => {
                format!("interrupts were off by {}", told(session, address))
            }
            Delay::Off(..) => "interrupts were off".to_owned(),
            Delay::Urgent(number) => format!("{} came first", target.interrupt_name(number)),
            Delay::NoHandler => "it had no handler yet".to_owned(),
        }
    }
}

/// A stretch of a run in which interrupts were off.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Off {
    /// Its length.
    pub cycles: u64,
    /// The step that turned them off.
    pub step: StepNo,
    /// The instruction that did; of an interrupt the one it came before.
    pub from: Addr,
    /// The interrupt whose entry turned them off.
    pub by: Option<u32>,
    /// The instruction that allowed them again.
    pub to: Addr,
}

impl Off {
    /// From where to where, in words.
    pub fn words(&self, session: &Session) -> String {
        let from = match self.by {
            Some(number) => format!("the entry of {}", session.machine().target().interrupt_name(number)),
            None => told(session, self.from),
        };
        format!("from {from} to {}", told(session, self.to))
    }
}

/// What was found out.
#[derive(Debug, Clone, Default)]
pub struct Told {
    passages: Vec<Passages>,
    /// The longest stretch without interrupts, after they were allowed for the first time.
    pub longest_off: Option<Off>,
}

impl Told {
    /// How an interrupt fared; `None` when it was never taken.
    pub fn of(&self, number: u32) -> Option<&Passages> {
        self.passages.iter().find(|passages| passages.number == number)
    }
}

/// A request that has not been taken.
#[derive(Debug, Clone, Copy)]
struct Asked {
    cycle: u64,
    delay: Delay,
}

#[derive(Debug, Clone)]
struct Source {
    number: u32,
    asked: Option<Asked>,
    entered: Lengths,
    ended: Lengths,
    worst: Option<(u64, StepNo, Delay)>,
    lost: u64,
}

/// A handler that runs: which interrupt, the step that entered it, and the cycle it was asked for at.
type Running = (usize, StepNo, u64);

/// The run being gone through.
#[derive(Debug, Clone)]
pub struct Interruptions {
    rerun: Rerun,
    branches: u64,
    seen: Seen,
    told: Told,
}

/// What was seen of it.
#[derive(Debug, Clone)]
struct Seen {
    sources: Vec<Source>,
    running: Vec<Running>,
    /// The stretch without interrupts that is under way: where and when it began.
    off: Option<Off>,
    longest: Option<Off>,
}

impl Interruptions {
    /// For the run of a session.
    pub fn new(session: &Session) -> Self {
        let mut rerun = Rerun::at(session.past(), session.oldest());
        let machine = &mut rerun.at.machine;
        let numbers = machine.target().interrupts;
        let source = |&number: &u32| Source {
            number,
            asked: None,
            entered: Lengths::default(),
            ended: Lengths::default(),
            worst: None,
            lost: 0,
        };
        machine.set_lookout(&lookout(machine.target()));
        let sources = numbers.iter().map(source).collect();
        let seen = Seen { sources, running: Vec::new(), off: None, longest: None };
        Self { rerun, branches: session.branches(), seen, told: Told::default() }
    }

    /// It is of this session's branch, and has come to its end.
    pub fn is_done(&self, session: &Session) -> bool {
        self.is_of(session) && self.rerun.is_over(session.end())
    }

    fn is_of(&self, session: &Session) -> bool {
        self.branches == session.branches() && self.rerun.at.machine.steps() <= session.end()
    }

    /// What was found out so far.
    pub fn told(&self) -> &Told {
        &self.told
    }

    /// Goes on for about as long as `budget` steps take; true when the end of the branch is reached.
    pub fn work(&mut self, session: &Session, budget: u64) -> bool {
        if !self.is_of(session) {
            *self = Self::new(session);
        }
        let is_over = self.rerun.ask(session.past(), session.end(), &mut budget.max(1), &mut self.seen);
        self.told = self.seen.conclude();
        is_over
    }
}

impl Question for Seen {
    fn feed(&mut self, machine: &mut Machine, entries: &[Entry]) {
        for entry in entries {
            let before = machine.interrupts();
            machine.feed(&entry.event);
            let again = matches!(entry.event, Event::Levers(_)) && machine.moved_a_masked_lever();
            for (source, before) in self.sources.iter_mut().zip(before) {
                source.lost += u64::from(again && before.device == DeviceKind::Levers && before.asks);
            }
        }
        self.look(machine);
    }

    fn run(&mut self, machine: &mut Machine, run: Run) -> Stop {
        let stop = machine.run(run);
        self.look(machine);
        if stop == Stop::Watched {
            self.step(machine, run);
        }
        stop
    }
}

impl Seen {
    /// Notes what is asked for since the last look.
    fn look(&mut self, machine: &Machine) {
        let interrupts = machine.interrupts();
        let target = machine.target();
        let is_allowed = target.interrupts_flag.is_none_or(|bit| machine.flags() & bit != 0);
        for (source, interrupt) in self.sources.iter_mut().zip(&interrupts) {
            if !interrupt.asks {
                source.asked = None;
                continue;
            }
            if source.asked.is_some() {
                continue;
            }
            let urgent = interrupts.iter().find(|other| other.asks && other.handler.is_some());
            let delay = if interrupt.handler.is_none() {
                Delay::NoHandler
            } else if !is_allowed {
                let writer = target.interrupts_flag.and_then(|bit| machine.flag_writer(bit));
                let handler = self.running.last().map(|(index, ..)| target.interrupts[*index]);
                Delay::Off(writer, handler)
            } else {
                match urgent.filter(|urgent| urgent.number != interrupt.number) {
                    Some(urgent) => Delay::Urgent(urgent.number),
                    None => Delay::Instruction,
                }
            };
            // The timer knows when it expired; what else asks has just begun to.
            let cycle = machine.asked_at(interrupt.number).unwrap_or(machine.cycles());
            source.asked = Some(Asked { cycle, delay });
        }
    }

    /// Takes a step that interrupts may hang on.
    fn step(&mut self, machine: &mut Machine, run: Run) {
        let before = machine.interrupts();
        let timer = before.iter().find(|interrupt| interrupt.device == DeviceKind::Timer);
        let since = timer.and_then(|timer| machine.asked_at(timer.number));
        let pending = machine.times_asked();
        let flag = machine.target().interrupts_flag;
        let is_on = |machine: &Machine| flag.is_none_or(|bit| machine.flags() & bit != 0);
        let was_on = is_on(machine);
        let read = machine.read();
        machine.step_on(run);
        let report = machine.last_report();
        let (step, pc, kind) = (report.step, report.pc, report.kind);
        let cycle = machine.cycles();
        if let StepKind::Interrupt(number) = kind
            && let Some(index) = self.sources.iter().position(|source| source.number == number)
        {
            let source = &mut self.sources[index];
            if let Some(Asked { cycle: asked, delay }) = source.asked {
                let length = cycle - asked.min(cycle);
                source.entered.add(length);
                if source.worst.is_none_or(|(worst, ..)| length > worst) {
                    source.worst = Some((length, step, delay));
                }
                self.running.push((index, step, asked));
            }
            // What goes on asking is answered now all the same; it asks anew when it is entered again.
            source.asked = Some(Asked { cycle, delay: Delay::Off(Some(Writer::Entry(number)), Some(number)) });
        }
        // Answered: what came meanwhile was one with the first.
        let is_answered = |number| {
            let now = machine.asked_at(number);
            machine.times_asked() == 0 || now.is_some() && now != since
        };
        for (source, before) in self.sources.iter_mut().zip(&before) {
            if before.device == DeviceKind::Timer && pending > 0 && is_answered(before.number) {
                source.lost += pending - 1;
                source.asked = None;
            }
        }
        let frames = machine.frames();
        let mut ended = Vec::new();
        self.running.retain(|running| {
            let is_there = frames.iter().any(|frame| frame.step == running.1);
            if !is_there {
                ended.push(*running);
            }
            is_there
        });
        for (index, _, asked) in ended {
            self.sources[index].ended.add(cycle - asked.min(cycle));
        }
        match (was_on, is_on(machine)) {
            (true, false) => {
                let by = if let StepKind::Interrupt(number) = kind { Some(number) } else { None };
                // Its length is known when it ends; until then this is when it began.
                self.off = Some(Off { cycles: cycle, step, from: pc, by, to: pc });
            }
            (false, true) => {
                let ended = self.off.take().map(|off| Off { cycles: cycle - off.cycles, to: pc, ..off });
                let is_longer = |off: &Off| self.longest.is_none_or(|longest| off.cycles > longest.cycles);
                if let Some(off) = ended.filter(is_longer) {
                    self.longest = Some(off);
                }
            }
            _ => {}
        }
        // A key that was read asks no more; the next one does from now on.
        if machine.read() > read {
            for (source, before) in self.sources.iter_mut().zip(&before) {
                if before.device == DeviceKind::Console {
                    source.asked = None;
                }
            }
        }
        self.look(machine);
    }

    fn conclude(&self) -> Told {
        let passages = self.sources.iter().filter_map(|source| {
            let (_, worst, delay) = source.worst?;
            let entered = source.entered.spread();
            Some(Passages {
                number: source.number,
                taken: entered.count,
                entered,
                ended: source.ended.spread(),
                worst,
                delay,
                lost: source.lost,
            })
        });
        Told { passages: passages.collect(), longest_off: self.longest }
    }
}

/// What interrupts hang on.
fn lookout(target: &Target) -> Lookout {
    let word = target.word_bytes();
    let kinds = [DeviceKind::Timer, DeviceKind::Console, DeviceKind::LeverMask];
    let devices = target.devices.iter().filter(|register| kinds.contains(&register.kind));
    let has_vectors = target.map.vectors_end > Addr::FIRST;
    let vectors = target.interrupts.iter().filter(|_| has_vectors).map(|number| target.vector_of(*number));
    let mut lookout = Lookout { rare: true, leaving: true, ..Lookout::default() };
    lookout.uses.flags_written = target.interrupts_flag.unwrap_or(0);
    lookout.cells = devices.map(|register| register.address).chain(vectors).map(|at| (at, at + word)).collect();
    lookout
}
