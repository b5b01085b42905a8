//! Carrying out commands.
//!
//! Going forward is one run with conditions to stop. Going back is a search: the intervals between
//! checkpoints are replayed, newest first, until one holds the moment wanted. Both are cut into slices by what was
//! done, in steps and work worth as much.

use crate::journey::{
    Command, Doing, Forward, Goal, Home, Journey, LineSearch, Progress, Search, Seek, State, Wanted, Why,
};
use crate::lookers::{LineLooker, Places, Within, line_range};
use crate::session::{Session, TRAIL};
use std::collections::BTreeSet;
use wendax_isa::{Addr, StepNo};
use wendax_machine::{Need, Run, Stop};

/// A seek longer than this leaves a checkpoint [`NEAR`] steps before where it goes, so that going on
/// backwards from there is quick.
const LONG: u64 = 20_000;
const NEAR: u64 = 2_000;
/// What a slice costs beside what it does, in steps.
const SLICE: u64 = 16;

impl Session {
    /// Takes up a command in place of what was under way.
    pub fn begin(&mut self, command: Command) {
        self.pause();
        let now = self.now();
        let depth = self.machine.frames().len();
        let forward = |goal| Some(Journey::Forward(Forward { goal, begun: now, start: None, inside: None }));
        let seek = |step, why| Some(Journey::Seek(Seek::new(step, why)));
        let journey = match command {
            Command::Step => forward(Goal::Step(now + 1)),
            Command::Over => forward(Goal::Over(depth)),
            Command::Line => {
                let (from, to) = line_range(self.image(), self.machine.pc());
                forward(Goal::Leave { from, to, depth })
            }
            Command::Out if depth > 0 => forward(Goal::Out(depth - 1)),
            Command::Out | Command::Go => forward(Goal::Stop),
            Command::To(addresses) => forward(Goal::Addresses(addresses)),
            Command::Seek(step) if step > self.end() => forward(Goal::Step(step)),
            Command::Seek(step) => seek(step, Why::Sought),
            Command::StepBack => seek(now.saturating_sub(1), Why::Stepped),
            Command::OverBack if now > StepNo::FIRST => {
                let seek = Seek::new(now - 1, Why::Stepped);
                Some(Journey::OverBack { depth, home: self.home(), seek })
            }
            Command::OutBack if depth > 0 => self.search(Wanted::CallFrom(depth - 1), Why::Stepped),
            Command::OutBack => seek(StepNo::FIRST, Why::Sought),
            Command::GoBack => {
                let set = self.breakpoints().clone();
                self.search(Wanted::Addresses { set, input: true }, Why::Breakpoint)
            }
            Command::BackTo(addresses) => {
                let set = addresses.into_iter().collect();
                self.search(Wanted::Addresses { set, input: false }, Why::Line)
            }
            Command::LineBack => self.search(Wanted::Line(LineSearch { depth, known: None }), Why::Stepped),
            Command::OverBack => None,
        };
        let Some(journey) = journey.filter(|journey| !self.is_at_rest(journey)) else { return };
        self.set_out(journey);
    }

    fn home(&mut self) -> Home {
        let snapshot = self.machine.snapshot();
        Home { snapshot, fed: self.fed, effort: self.effort, state: self.state().clone() }
    }

    /// A search for a moment before now; `None` where there is none.
    fn search(&mut self, wanted: Wanted, why: Why) -> Option<Journey> {
        let now = self.now();
        (now > StepNo::FIRST).then(|| Journey::Search(Search::new(wanted, now, why, self.home())))
    }

    /// Begins a journey, or goes on with one.
    pub(crate) fn set_out(&mut self, mut journey: Journey) {
        if let Journey::Forward(forward) = &mut journey {
            let mut addresses: BTreeSet<Addr> = self.breakpoints().clone();
            if let Goal::Addresses(more) = &forward.goal {
                addresses.extend(more);
            }
            self.machine.set_breakpoints(&addresses.into_iter().collect::<Vec<_>>());
            if forward.start.is_none() && !matches!(forward.goal, Goal::Step(step) if step == forward.begun + 1) {
                forward.start = Some((self.machine.snapshot(), self.machine.pc()));
            }
        }
        self.doing = Doing::Travels(journey);
    }

    /// There is nowhere to go: forward from an end, back from the start.
    fn is_at_rest(&self, journey: &Journey) -> bool {
        match journey {
            Journey::Forward(_) => matches!(self.state(), State::Finished(_)),
            Journey::Seek(seek) => self.now() == StepNo::FIRST && seek.step == StepNo::FIRST,
            Journey::Search(_) | Journey::OverBack { .. } => false,
        }
    }

    /// Works on the command under way for about as long as `budget` steps take.
    pub fn work(&mut self, budget: u64) -> Progress {
        let resting = Doing::Rests(State::Paused(Why::Asked));
        match std::mem::replace(&mut self.doing, resting) {
            Doing::Travels(Journey::Forward(forward)) => self.work_forward(forward, budget),
            Doing::Travels(Journey::Seek(seek)) => self.work_seek(seek, budget),
            Doing::Travels(Journey::Search(search)) => self.work_search(search, budget),
            Doing::Travels(Journey::OverBack { depth, home, seek }) => self.work_over_back(depth, home, seek, budget),
            other => {
                self.doing = other;
                Progress::Arrived
            }
        }
    }

    /// Stops what is under way, where it is. A search that is given up goes back to where it began.
    pub fn pause(&mut self) {
        let resting = Doing::Rests(State::Paused(Why::Asked));
        match std::mem::replace(&mut self.doing, resting) {
            Doing::Travels(Journey::Forward(forward)) => {
                self.arrive_forward(State::Paused(Why::Asked), &forward);
            }
            Doing::Travels(Journey::Search(Search { home, .. }) | Journey::OverBack { home, .. }) => self.go_home(home),
            Doing::Travels(Journey::Seek(_)) => {
                self.settle();
                self.arrive(State::Paused(Why::Asked));
            }
            other => self.doing = other,
        }
    }

    fn go_home(&mut self, home: Home) {
        self.put_back(&home.snapshot, home.fed, home.effort);
        let state = if home.state == State::Running { State::Paused(Why::Asked) } else { home.state };
        self.arrive(match state {
            State::Paused(_) => State::Paused(Why::Asked),
            other => other,
        });
    }

    // ---- forward

    fn work_forward(&mut self, mut forward: Forward, budget: u64) -> Progress {
        let mut left = budget.max(1);
        loop {
            if let Some(state) = self.reached(&mut forward) {
                return self.arrive_forward(state, &forward);
            }
            if left == 0 {
                self.doing = Doing::Travels(Journey::Forward(forward));
                return Progress::Working;
            }
            let from = self.effort;
            let stop = self.forward_slice(&forward, left);
            left = left.saturating_sub(self.effort - from + SLICE);
            let state = match stop {
                Stop::Steps | Stop::Worked | Stop::Observed => continue,
                Stop::Depth { returned } => {
                    if !returned {
                        forward.inside = self.image().routine_around(self.machine.pc());
                    }
                    continue;
                }
                Stop::Breakpoint => {
                    let line = matches!(&forward.goal, Goal::Addresses(set) if set.contains(&self.machine.pc()));
                    State::Paused(if line { Why::Line } else { Why::Breakpoint })
                }
                Stop::Brk => State::Paused(Why::Brk),
                Stop::Printed => State::Paused(Why::Output),
                Stop::Finished(status) => State::Finished(status),
                Stop::Fault(fault) => State::Fault(fault),
                Stop::Circling { period } => State::Circling { period },
                Stop::Idle { period, awaited } => State::Idle { period, awaited },
                Stop::Needs(Need::Input) => {
                    self.arrive_forward(State::Waiting, &forward);
                    self.doing = Doing::Waits(Some(forward));
                    return Progress::Arrived;
                }
                Stop::Needs(need) => {
                    self.doing = Doing::Travels(Journey::Forward(forward));
                    return Progress::Asks(need);
                }
            };
            return self.arrive_forward(state, &forward);
        }
    }

    /// Runs on as the goal asks, for so much at the most.
    fn forward_slice(&mut self, forward: &Forward, left: u64) -> Stop {
        let now = self.now();
        let depth = self.machine.frames().len();
        let bound = |depth: usize| Some(u32::try_from(depth).unwrap_or(u32::MAX));
        let until = now.saturating_add(left);
        let plain = Run { work: left, ..Run::until(until) };
        let one = Run { work: left, ..Run::until(now + 1) };
        match (&forward.goal, forward.inside) {
            (Goal::Step(step), _) => self.run_slice(Run { until: until.min(*step), ..plain }),
            (Goal::Over(_), _) if now == forward.begun => self.run_slice(one),
            // What is called at once, the rest one instruction at a time.
            (Goal::Over(wanted) | Goal::Out(wanted) | Goal::Leave { depth: wanted, .. }, inside) => {
                if depth > *wanted {
                    self.run_slice(Run { depth: bound(*wanted), ..plain })
                } else if let (None, Goal::Leave { from, to, .. }) = (inside, &forward.goal) {
                    self.run_observed_slice(plain, &mut Within { from: *from, to: *to, depth: *wanted })
                } else {
                    self.run_slice(one)
                }
            }
            (Goal::Stop | Goal::Addresses(_), _) => self.run_slice(plain),
        }
    }

    /// The state to stop in, when the goal has been reached without the machine saying so.
    fn reached(&self, forward: &mut Forward) -> Option<State> {
        let (now, depth, pc) = (self.now(), self.machine.frames().len(), self.machine.pc());
        if now <= forward.begun && !matches!(forward.goal, Goal::Step(_)) {
            return None;
        }
        if forward.goal.depth().is_some_and(|wanted| depth <= wanted)
            && let Some((from, to)) = forward.inside
        {
            if (from..to).contains(&pc) {
                return None;
            }
            forward.inside = None;
        }
        let why = match forward.goal {
            Goal::Step(step) => (now >= step).then_some(Why::Stepped),
            Goal::Over(wanted) => {
                let why = if now == forward.begun + 1 { Why::Stepped } else { Why::Returned };
                (depth <= wanted).then_some(why)
            }
            Goal::Out(wanted) => (depth <= wanted).then_some(Why::Returned),
            Goal::Leave { from, to, depth: wanted } => {
                (depth <= wanted && !(from..to).contains(&pc)).then_some(Why::Stepped)
            }
            Goal::Stop | Goal::Addresses(_) => None,
        };
        let why = why?;
        Some(self.machine.finished().map_or(State::Paused(why), State::Finished))
    }

    // ---- back

    fn work_seek(&mut self, mut seek: Seek, budget: u64) -> Progress {
        if !seek.begun {
            seek.begun = true;
            self.rewind_before(seek.step);
        }
        let mut left = budget.max(1);
        while self.now() < seek.step {
            if left == 0 {
                self.doing = Doing::Travels(Journey::Seek(seek));
                return Progress::Working;
            }
            // A checkpoint near the goal, then up to the steps whose effects are kept, then those one by one.
            let (now, distance) = (self.now(), seek.step - self.now());
            let effort = self.effort;
            let stop = if distance > LONG {
                let stop = self.replay_slice(seek.step - NEAR, left);
                if self.now() == seek.step - NEAR {
                    self.keep_checkpoint();
                }
                stop
            } else if distance > TRAIL {
                self.replay_slice(seek.step - TRAIL, left)
            } else {
                self.replay_step()
            };
            left = left.saturating_sub(self.effort - effort + SLICE);
            if self.now() == now && is_stuck(&stop) {
                break;
            }
        }
        self.settle();
        let (now, why) = (self.now(), seek.why);
        let at_edge = if now == self.edge.step { self.edge.state.clone() } else { None };
        let why = if now > seek.step { Why::Oldest } else { why };
        let plain = if now == StepNo::FIRST { State::Ready } else { State::Paused(why) };
        self.arrive(at_edge.unwrap_or(plain));
        Progress::Arrived
    }

    fn work_over_back(&mut self, depth: usize, home: Home, mut seek: Seek, budget: u64) -> Progress {
        let is_there = seek.begun && self.now() == seek.step;
        if !is_there && self.work_seek(seek.clone(), budget) == Progress::Working {
            if let Doing::Travels(Journey::Seek(inner)) = &self.doing {
                seek = inner.clone();
            }
            self.doing = Doing::Travels(Journey::OverBack { depth, home, seek });
            return Progress::Working;
        }
        if self.machine.frames().len() <= depth {
            return Progress::Arrived;
        }
        let search = Search::new(Wanted::CallFrom(depth), self.now(), Why::Stepped, home);
        self.work_search(search, budget)
    }

    fn work_search(&mut self, mut search: Search, budget: u64) -> Progress {
        let mut left = budget.max(1);
        loop {
            if !search.begun {
                search.begun = true;
                self.open_interval(&mut search);
            }
            let effort = self.effort;
            self.look_through(&mut search, left);
            left = left.saturating_sub(self.effort - effort + SLICE);
            if self.now() >= search.until {
                if let Some(found) = self.close_interval(&mut search) {
                    let typed = matches!(search.wanted, Wanted::Addresses { input: true, .. });
                    let why = if typed && self.was_typed_at(found) { Why::Typed } else { search.why };
                    return self.work_seek(Seek::new(found, why), left);
                }
                search.begun = false;
            }
            if left == 0 {
                self.doing = Doing::Travels(Journey::Search(search));
                return Progress::Working;
            }
        }
    }

    /// Goes to the last checkpoint before the end of the interval.
    fn open_interval(&mut self, search: &mut Search) {
        self.restore_before(search.until.saturating_sub(1));
        search.found = None;
        if let Wanted::CallFrom(depth) = search.wanted {
            self.machine.note_calls_from(Some(u32::try_from(depth).unwrap_or(u32::MAX)));
        }
        if let Wanted::Addresses { set, .. } = &search.wanted
            && self.now() < search.until
            && set.contains(&self.machine.pc())
        {
            search.found = Some(self.now());
        }
        self.line_looker = None;
    }

    /// What the interval held; without anything, the next interval ends where this one began.
    fn close_interval(&mut self, search: &mut Search) -> Option<StepNo> {
        let start = self.history.before(search.until.saturating_sub(1)).step();
        let oldest = self.history.oldest().step();
        match &mut search.wanted {
            Wanted::CallFrom(_) => search.found = self.machine.note_calls_from(None),
            Wanted::Addresses { input: true, .. } => {
                let typed = self.typed_steps().filter(|&step| step >= start && step < search.until).last();
                search.found = search.found.max(typed);
            }
            Wanted::Addresses { .. } => {}
            Wanted::Line(line) => {
                if let Some(looker) = self.line_looker.take() {
                    search.found = looker.conclude(line);
                }
                if start <= oldest && search.found.is_none() {
                    search.found = line.known.map(|run| run.first);
                }
            }
        }
        search.until = start;
        // With nothing found, the way leads to the earliest moment there is.
        search.found.or((start <= oldest).then_some(oldest))
    }

    fn look_through(&mut self, search: &mut Search, budget: u64) {
        let until = search.until;
        if self.now() >= until {
            return;
        }
        let from = self.now();
        let stop = match &search.wanted {
            Wanted::CallFrom(_) => self.replay_slice(until, budget),
            Wanted::Addresses { set, .. } => {
                let mut places = Places { set, until, found: search.found };
                let stop = self.replay_observed(until, budget, &mut places);
                search.found = places.found;
                stop
            }
            Wanted::Line(line) => {
                let mut looker = self.line_looker.take().unwrap_or_else(|| {
                    let mut looker = LineLooker::new(self.image(), line.depth, until);
                    looker.state(self.now(), self.machine.pc(), self.machine.frames().len());
                    looker
                });
                let stop = self.replay_observed(until, budget, &mut looker);
                self.line_looker = Some(looker);
                stop
            }
        };
        if self.now() == from && is_stuck(&stop) {
            search.until = from;
        }
    }
}

/// A replay cannot go on. The past always goes on; if it did not, waiting for it would be without end.
pub(crate) fn is_stuck(stop: &Stop) -> bool {
    match stop {
        Stop::Needs(_) | Stop::Finished(_) | Stop::Fault(_) | Stop::Circling { .. } | Stop::Idle { .. } => true,
        Stop::Steps
        | Stop::Worked
        | Stop::Printed
        | Stop::Observed
        | Stop::Breakpoint
        | Stop::Depth { .. }
        | Stop::Brk => false,
    }
}
