//! What a walk can be told to do, and the work it is carried out by.
//!
//! Going forward is one run with conditions to stop. Going back is a search: the intervals between
//! checkpoints are replayed, newest first, until one holds the moment wanted. Both are cut into slices.

use crate::session::{Session, State, Why};
use std::collections::BTreeSet;
use wendax_isa::w16::Op;
use wendax_machine::{Need, Run, Stop};

/// An order to walk.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Command {
    /// One step.
    Step,
    /// Un-execute one step.
    StepBack,
    /// One step, with everything it calls.
    Over,
    /// Back over one step, with everything it called.
    OverBack,
    /// Until the present routine has returned.
    Out,
    /// Back to the call of the present routine.
    OutBack,
    /// On to another line of the source, with everything that is called.
    Line,
    /// Back to where the line before began.
    LineBack,
    /// On to the next stop.
    Go,
    /// Back to the last stop.
    GoBack,
    /// On until one of these addresses is next, or to a stop before.
    To(Vec<u32>),
    /// Back to when one of these addresses was last next.
    BackTo(Vec<u32>),
    /// To a step, wherever it lies.
    Seek(u64),
}

/// How far the work on a command is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Progress {
    /// There is more to do.
    Working,
    /// The program asks for something that is not typed input: answer with [`Session::answer`].
    Asks(Need),
    /// Done; see [`Session::state`].
    Arrived,
}

/// A command under way.
#[derive(Debug, Clone)]
pub(crate) enum Journey {
    Forward {
        goal: Goal,
        begun: u64,
    },
    /// To a step that was taken before.
    Seek {
        step: u64,
        why: Why,
    },
    Search(Search),
    /// Going back over a step: one step back, and on from there if that was inside something called.
    OverBack {
        depth: u32,
    },
}

#[derive(Debug, Clone)]
pub(crate) enum Goal {
    Step(u64),
    /// One step, and on while there are more frames than this.
    Over(u32),
    Depth(u32),
    /// One step, and on while the next instruction belongs to this range of addresses or there are more frames.
    Leave {
        from: u32,
        to: u32,
        depth: u32,
    },
    Stop,
    Addresses(Vec<u32>),
}

/// Looks for the last moment that fits.
#[derive(Debug, Clone)]
pub(crate) struct Search {
    wanted: Wanted,
    /// Where to go back to when it is given up.
    begun_at: u64,
    /// The interval being replayed ends here.
    until: u64,
    /// The last moment found in it.
    found: Option<u64>,
    why: Why,
    begun: bool,
}

impl Search {
    /// For moments before step `before`.
    fn new(wanted: Wanted, before: u64, why: Why) -> Self {
        Self { wanted, begun_at: before, until: before, found: None, why, begun: false }
    }
}

#[derive(Debug, Clone)]
enum Wanted {
    /// One of these addresses is next; or something was typed, when `input`.
    Addresses { set: Vec<u32>, input: bool },
    /// A routine is about to be entered from at most so many frames.
    CallFrom(u32),
}

impl Session {
    /// Takes up a command in place of what was under way.
    pub fn begin(&mut self, command: Command) {
        self.pause();
        let now = self.now();
        let depth = u32::try_from(self.machine.frames().len()).unwrap_or(u32::MAX);
        let journey = match command {
            Command::Step => Journey::Forward { goal: Goal::Step(now + 1), begun: now },
            Command::Over => Journey::Forward { goal: Goal::Over(depth), begun: now },
            Command::Line => {
                let (from, to) = self.line_range(self.machine.pc());
                Journey::Forward { goal: Goal::Leave { from, to, depth }, begun: now }
            }
            Command::LineBack => Journey::Seek { step: self.line_before(), why: Why::Stepped },
            Command::Out if depth > 0 => Journey::Forward { goal: Goal::Depth(depth - 1), begun: now },
            Command::Out | Command::Go => Journey::Forward { goal: Goal::Stop, begun: now },
            Command::To(addresses) => Journey::Forward { goal: Goal::Addresses(addresses), begun: now },
            Command::Seek(step) if step > self.end => Journey::Forward { goal: Goal::Step(step), begun: now },
            Command::Seek(step) => Journey::Seek { step, why: Why::Sought },
            Command::StepBack => Journey::Seek { step: now.saturating_sub(1), why: Why::Stepped },
            Command::OverBack => Journey::OverBack { depth },
            Command::OutBack if depth > 0 => {
                Journey::Search(Search::new(Wanted::CallFrom(depth - 1), now, Why::Stepped))
            }
            Command::OutBack => Journey::Seek { step: 0, why: Why::Sought },
            Command::GoBack => {
                let set = self.breakpoints().iter().copied().collect();
                Journey::Search(Search::new(Wanted::Addresses { set, input: true }, now, Why::Breakpoint))
            }
            Command::BackTo(set) => {
                Journey::Search(Search::new(Wanted::Addresses { set, input: false }, now, Why::Line))
            }
        };
        if !self.is_at_rest(&journey) {
            self.set_out(journey);
        }
    }

    /// Begins a journey, or goes on with one.
    pub(crate) fn set_out(&mut self, journey: Journey) {
        let addresses: BTreeSet<u32> = match &journey {
            Journey::Forward { goal: Goal::Addresses(more), .. } => {
                self.breakpoints().iter().chain(more).copied().collect()
            }
            Journey::Forward { .. } => self.breakpoints().clone(),
            Journey::Search(Search { wanted: Wanted::Addresses { set, .. }, .. }) => set.iter().copied().collect(),
            _ => BTreeSet::new(),
        };
        self.machine.set_breakpoints(&addresses.into_iter().collect::<Vec<_>>());
        self.state = State::Running;
        self.journey = Some(journey);
    }

    /// There is nowhere to go: forward from an end, back from the start.
    fn is_at_rest(&self, journey: &Journey) -> bool {
        match journey {
            Journey::Forward { .. } => matches!(self.state, State::Finished(_)),
            _ => self.now() == 0 && !matches!(journey, Journey::Seek { step: 1.., .. }),
        }
    }

    /// Works on the command under way for about `budget` steps.
    pub fn work(&mut self, budget: u64) -> Progress {
        let Some(journey) = self.journey.take() else { return Progress::Arrived };
        match journey {
            Journey::Forward { goal, begun } => self.work_forward(goal, begun, budget),
            Journey::Seek { step, why } => self.work_seek(step, why, budget),
            Journey::Search(search) => self.work_search(search, budget),
            Journey::OverBack { depth } => self.work_over_back(depth, budget),
        }
    }

    /// Stops what is under way, where it is. A search that is given up goes back to where it began.
    pub fn pause(&mut self) {
        match self.journey.take() {
            None => {}
            Some(Journey::Forward { .. }) => self.arrive(State::Paused(Why::Asked)),
            Some(Journey::Search(Search { begun_at, .. })) => self.finish_seek(begun_at, Why::Asked),
            Some(Journey::Seek { .. } | Journey::OverBack { .. }) => self.arrive(State::Paused(Why::Asked)),
        }
    }

    // ---- forward

    fn work_forward(&mut self, goal: Goal, begun: u64, budget: u64) -> Progress {
        let until = self.now().saturating_add(budget);
        while self.now() < until {
            if let Some(state) = self.reached(&goal, begun) {
                return self.arrive_at(state);
            }
            let (limit, depth) = match goal {
                Goal::Step(step) => (step, None),
                Goal::Over(_) if self.now() == begun => (begun + 1, None),
                Goal::Over(depth) | Goal::Depth(depth) => (u64::MAX, Some(depth)),
                // Inside the line one instruction at a time; what it calls at once.
                Goal::Leave { depth, .. } if self.depth() > depth => (u64::MAX, Some(depth)),
                Goal::Leave { .. } => (self.now() + 1, None),
                Goal::Stop | Goal::Addresses(_) => (u64::MAX, None),
            };
            let stop = self.run_slice(Run { until: limit.min(until), depth });
            match stop {
                Stop::Steps => {}
                Stop::Depth if matches!(goal, Goal::Leave { .. }) => {}
                Stop::Depth => return self.arrive_at(State::Paused(Why::Returned)),
                Stop::Breakpoint => {
                    let line = matches!(&goal, Goal::Addresses(set) if set.contains(&self.machine.pc()));
                    return self.arrive_at(State::Paused(if line { Why::Line } else { Why::Breakpoint }));
                }
                Stop::Brk => return self.arrive_at(State::Paused(Why::Brk)),
                Stop::Finished(status) => return self.arrive_at(State::Finished(status)),
                Stop::Fault(fault) => return self.arrive_at(State::Fault(fault)),
                Stop::Circling => return self.arrive_at(State::Circling),
                Stop::Needs(Need::Input) => {
                    self.wait_for_input(Journey::Forward { goal, begun });
                    return Progress::Arrived;
                }
                Stop::Needs(need) => {
                    self.journey = Some(Journey::Forward { goal, begun });
                    return Progress::Asks(need);
                }
            }
        }
        if let Some(state) = self.reached(&goal, begun) {
            return self.arrive_at(state);
        }
        self.journey = Some(Journey::Forward { goal, begun });
        Progress::Working
    }

    /// The state to stop in, when the goal has been reached without the machine saying so.
    fn reached(&self, goal: &Goal, begun: u64) -> Option<State> {
        let depth = u32::try_from(self.machine.frames().len()).unwrap_or(u32::MAX);
        let reached = match *goal {
            Goal::Step(step) => self.now() >= step,
            Goal::Over(wanted) => self.now() > begun && depth <= wanted,
            Goal::Leave { from, to, depth: wanted } => {
                self.now() > begun && depth <= wanted && !(from..to).contains(&self.machine.pc())
            }
            Goal::Depth(_) | Goal::Stop | Goal::Addresses(_) => false,
        };
        let status = self.machine.finished().filter(|_| reached);
        reached.then(|| status.map_or(State::Paused(Why::Stepped), State::Finished))
    }

    fn depth(&self) -> u32 {
        u32::try_from(self.machine.frames().len()).unwrap_or(u32::MAX)
    }

    /// The addresses that belong to the same line of the source as one of them, as far as they follow each other.
    fn line_range(&self, address: u32) -> (u32, u32) {
        let lines = &self.image().lines;
        let Some(at) = lines.iter().position(|line| line.address <= address && address < line.address + line.length)
        else {
            return (address, address + 1);
        };
        let same = |index: usize| lines[index].span == lines[at].span;
        let first = (0..=at).rev().take_while(|&index| same(index)).last().unwrap_or(at);
        let last = (at..lines.len()).take_while(|&index| same(index)).last().unwrap_or(at);
        (lines[first].address, lines[last].address + lines[last].length)
    }

    // ---- back

    /// The step at which the line began that was run before the present one: the latest steps are looked at, and
    /// what they called is passed over.
    fn line_before(&self) -> u64 {
        let now = self.now();
        // Frames more or fewer than now, while going back.
        let mut depth = 0i64;
        let mut found = now.saturating_sub(1);
        let mut range: Option<(u32, u32)> = None;
        for effects in self.trail().rev() {
            match effects.insn.map(|insn| insn.op()) {
                Some(Op::Call | Op::CallReg) => depth -= 1,
                Some(Op::Ret | Op::Reti) => depth += 1,
                _ => {}
            }
            if depth > 0 {
                continue;
            }
            match range {
                None => range = Some(self.line_range(effects.pc)),
                Some((from, to)) if (from..to).contains(&effects.pc) => {}
                Some(_) => break,
            }
            found = effects.step;
        }
        found
    }

    fn work_seek(&mut self, step: u64, why: Why, budget: u64) -> Progress {
        self.rewind_before(step);
        let until = self.now().saturating_add(budget).min(step);
        self.replay(until);
        if self.now() < step && self.now() == until {
            self.journey = Some(Journey::Seek { step, why });
            return Progress::Working;
        }
        self.finish_seek(step, why);
        Progress::Arrived
    }

    /// Goes to a step at once and stops there.
    fn finish_seek(&mut self, step: u64, why: Why) {
        self.rewind_before(step);
        self.replay(step);
        self.settle(step);
        let state = if self.now() == self.end { self.end_state.clone() } else { None };
        let ready = self.now() == 0;
        self.arrive(state.unwrap_or(if ready { State::Ready } else { State::Paused(why) }));
    }

    fn work_over_back(&mut self, depth: u32, budget: u64) -> Progress {
        let begun = self.now();
        let back = begun.saturating_sub(1);
        self.rewind_before(back);
        self.replay(back);
        let inside = self.machine.frames().len() > depth as usize;
        if !inside {
            self.finish_seek(back, Why::Stepped);
            return Progress::Arrived;
        }
        let search = Search::new(Wanted::CallFrom(depth), back, Why::Stepped);
        self.work_search(Search { begun_at: begun, ..search }, budget)
    }

    fn work_search(&mut self, mut search: Search, budget: u64) -> Progress {
        if !search.begun {
            search.begun = true;
            self.open_interval(&mut search);
        }
        let mut left = budget;
        loop {
            let from = self.now();
            self.replay_searching(&mut search, from.saturating_add(left));
            left = left.saturating_sub(self.now() - from);
            if self.now() >= search.until {
                if let Some(found) = self.close_interval(&mut search) {
                    self.finish_seek(found, search.why);
                    return Progress::Arrived;
                }
                self.open_interval(&mut search);
            }
            if left == 0 {
                self.journey = Some(Journey::Search(search));
                return Progress::Working;
            }
        }
    }

    /// Goes to the last checkpoint before the end of the interval.
    fn open_interval(&mut self, search: &mut Search) {
        self.restore_before(search.until.saturating_sub(1));
        search.found = None;
        if let Wanted::CallFrom(depth) = search.wanted {
            self.machine.note_calls_from(Some(depth));
        }
        self.look(search);
    }

    /// What the interval held; without anything, the next interval ends where this one began.
    fn close_interval(&mut self, search: &mut Search) -> Option<u64> {
        if let Wanted::CallFrom(_) = search.wanted {
            search.found = self.machine.note_calls_from(None);
        }
        let start = self.history.before(search.until.saturating_sub(1)).step();
        if let Wanted::Addresses { input: true, .. } = search.wanted {
            let typed = self.typed_steps().filter(|&step| step >= start && step < search.until).last();
            search.found = search.found.max(typed);
        }
        search.until = start;
        // With nothing found, the way leads to the start of the run.
        search.found.or((start == 0).then_some(0))
    }

    fn replay_searching(&mut self, search: &mut Search, until: u64) {
        let until = until.min(search.until);
        while self.now() < until {
            let from = self.now();
            let stop = self.replay_slice(until);
            if stop == Stop::Breakpoint {
                self.look(search);
            } else if self.now() == from {
                // The past always goes on; if it did not, searching on would be without end.
                search.until = self.now();
                break;
            }
        }
    }

    /// Notes the present moment if it is one that is looked for.
    fn look(&self, search: &mut Search) {
        if let Wanted::Addresses { set, .. } = &search.wanted
            && self.now() < search.until
            && set.contains(&self.machine.pc())
        {
            search.found = Some(self.now());
        }
    }
}
