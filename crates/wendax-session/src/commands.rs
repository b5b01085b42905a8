//! Carrying out commands.
//!
//! Going forward is one run with conditions to stop. Going back is a search: the intervals between
//! checkpoints are replayed, newest first, until one holds the moment wanted. Both are cut into slices by what was
//! done, in steps and work worth as much.

use crate::journey::{
    Command, Doing, Forward, Goal, Home, Journey, LineSearch, Progress, Search, Seek, State, Wanted, Why,
};
use crate::lookers::{LineLooker, Within, line_range};
use crate::session::{Session, TRAIL};
use crate::stops::{Armed, Count, Hits, Judge, Looked, StopAt, StopId, Times, look};
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
        let depth = self.at.machine.frames().len();
        self.stops.met.clear();
        let on_with = |goal, own, why| {
            let forward = Forward { goal, begun: now, start: None, inside: None, counted: false, own, why };
            Some(Journey::Forward(forward))
        };
        let forward = |goal| on_with(goal, Vec::new(), Why::Breakpoint);
        let seek = |step, why| Some(Journey::Seek(Seek::new(step, why)));
        let journey = match command {
            Command::Step => forward(Goal::Step(now + 1)),
            Command::Over => forward(Goal::Over(depth)),
            Command::Line => {
                let (from, to) = line_range(self.image(), self.at.machine.pc());
                forward(Goal::Leave { from, to, depth })
            }
            Command::Out if depth > 0 => forward(Goal::Out(depth - 1)),
            Command::Out | Command::Go => forward(Goal::Stop),
            Command::To(addresses) => on_with(Goal::Until, at_addresses(addresses), Why::Line),
            Command::Cycles(cycles) => forward(Goal::Cycles(cycles)),
            Command::Until(stop) => on_with(Goal::Until, vec![*stop], Why::Until),
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
                let stops = self.stops.list.clone();
                self.search_stops(stops, true, Why::Breakpoint)
            }
            Command::BackTo(addresses) => self.search_stops(of_command(at_addresses(addresses)), false, Why::Line),
            Command::BackUntil(stop) => self.search_stops(of_command(vec![*stop]), false, Why::Until),
            Command::LineBack => self.search(Wanted::Line(LineSearch { depth, known: None }), Why::Stepped),
            Command::OverBack => None,
        };
        let Some(journey) = journey.filter(|journey| !self.is_at_rest(journey)) else { return };
        self.set_out(journey);
    }

    fn home(&mut self) -> Home {
        Home { at: self.at.keep(), state: self.state().clone() }
    }

    /// A search for a moment before now; `None` where there is none.
    fn search(&mut self, wanted: Wanted, why: Why) -> Option<Journey> {
        let now = self.now();
        (now > StepNo::FIRST).then(|| Journey::Search(Search::new(wanted, now, why, self.home())))
    }

    /// A search for the last moment before now at which one of these is met.
    fn search_stops(&mut self, stops: Vec<Armed>, input: bool, why: Why) -> Option<Journey> {
        let stops = stops.into_iter().filter(|armed| armed.stop.stops()).collect();
        let Some(Journey::Search(search)) = self.search(Wanted::Stops { input }, why) else { return None };
        Some(Journey::Search(Search { stops, ..search }))
    }

    /// Begins a journey, or goes on with one.
    pub(crate) fn set_out(&mut self, mut journey: Journey) {
        if let Journey::Forward(forward) = &mut journey {
            forward.counted = false;
            // Single steps stop by themselves.
            if !matches!(forward.goal, Goal::Step(step) if step == forward.begun + 1) || self.script.is_watching() {
                // Notes are taken when they are asked for.
                let mut stops: Vec<Armed> =
                    self.stops.list.iter().filter(|armed| armed.stop.stops()).cloned().collect();
                stops.extend(of_command(forward.own.clone()));
                let mut script = std::mem::take(&mut self.script);
                script.catch_up(self.past());
                stops.extend(script.watched());
                self.script = script;
                let mut judge = self.judge_here(stops);
                judge.arm(&mut self.at.machine);
                // Whoever goes on from a moment has been there.
                if !std::mem::take(&mut self.stops.judges_start) || self.now() > StepNo::FIRST {
                    judge.has_judged(self.now());
                }
                self.stops.begin(judge);
            }
            if forward.start.is_none() && !matches!(forward.goal, Goal::Step(step) if step == forward.begun + 1) {
                forward.start = Some((self.at.machine.snapshot(), self.at.machine.pc()));
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
        self.put_back(&home.at);
        let state = if home.state == State::Running { State::Paused(Why::Asked) } else { home.state };
        self.arrive(match state {
            State::Paused(_) => State::Paused(Why::Asked),
            other => other,
        });
    }

    // ---- forward

    fn work_forward(&mut self, mut forward: Forward, budget: u64) -> Progress {
        let mut left = budget.max(1);
        // A single step stops by itself, and nothing has to be counted for it.
        if !forward.counted && self.stops.judge.is_some() {
            if !self.count_first(self.now(), &mut left) {
                self.doing = Doing::Travels(Journey::Forward(forward));
                return Progress::Working;
            }
            forward.counted = true;
            if let Some(judge) = self.stops.judge.as_ref().filter(|judge| judge.is_judged(self.now())) {
                self.stops.times = self.stops.meetings.times_by(self.past(), &judge.stops, self.now());
            }
        }
        loop {
            if let Some(state) = self.reached(&mut forward) {
                return self.rest_at(state, &forward);
            }
            if self.now() >= self.limits.steps {
                return self.rest_at(State::Paused(Why::Steps), &forward);
            }
            if self.at.machine.own_milliseconds() >= self.limits.milliseconds {
                return self.rest_at(State::Paused(Why::Time), &forward);
            }
            if left == 0 {
                self.doing = Doing::Travels(Journey::Forward(forward));
                return Progress::Working;
            }
            let from = self.at.effort;
            let stop = self.forward_slice(&forward, left);
            left = left.saturating_sub(self.at.effort - from + SLICE);
            let state = match stop {
                Stop::Steps | Stop::Cycles | Stop::Worked | Stop::Observed | Stop::Watched => continue,
                Stop::Depth { returned } => {
                    if !returned {
                        forward.inside = self.image().routine_at(self.at.machine.pc());
                    }
                    continue;
                }
                // One that was met without counting was passed.
                Stop::Breakpoint if self.stops.met.is_empty() => continue,
                Stop::Breakpoint => return self.rest_at(State::Paused(Why::Breakpoint), &forward),
                Stop::Brk => State::Paused(Why::Brk),
                Stop::Printed => State::Paused(Why::Output),
                Stop::Finished(status) => State::Finished(status),
                Stop::Fault(fault) => State::Fault(fault),
                // Something waits for a place of the round to come so often.
                Stop::Circling { period } | Stop::Idle { period, .. }
                    if period > 1 && self.script.has_met_since(self.now().saturating_sub(period)) =>
                {
                    continue;
                }
                Stop::Circling { period } => State::Circling { period },
                Stop::Idle { period, awaited } => State::Idle { period, awaited },
                Stop::Needs(Need::Input) if self.play_asked() => continue,
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

    /// Ends a command that went forward where it was to end, or at the stops that are met there.
    fn rest_at(&mut self, state: State, forward: &Forward) -> Progress {
        if matches!(state, State::Paused(_)) {
            self.meet_last_moment();
        }
        let state = match self.at.machine.finished() {
            _ if self.stops.met.is_empty() => state,
            Some(status) => State::Finished(status),
            None if self.stops.met.contains(&StopId::UNTIL) => State::Paused(forward.why),
            None => State::Paused(Why::Breakpoint),
        };
        self.arrive_forward(state, forward)
    }

    /// Runs on as the goal asks, for so much at the most.
    fn forward_slice(&mut self, forward: &Forward, left: u64) -> Stop {
        let now = self.now();
        let depth = self.at.machine.frames().len();
        let bound = |depth: usize| Some(u32::try_from(depth).unwrap_or(u32::MAX));
        let plain = Run { effort: left, ..Run::until(StepNo::LAST) };
        let one = Run { effort: left, ..Run::until(now + 1) };
        match (&forward.goal, forward.inside) {
            (Goal::Step(step), _) => self.run_slice(Run { until: *step, ..plain }),
            (Goal::Over(_), _) if now == forward.begun => self.run_slice(one),
            // What is called at once, the rest one instruction at a time.
            (Goal::Over(wanted) | Goal::Out(wanted) | Goal::Leave { depth: wanted, .. }, inside) => {
                if depth > *wanted {
                    self.run_slice(Run { depth: bound(*wanted), ..plain })
                } else if let (None, Goal::Leave { from, to, .. }, false) = (inside, &forward.goal, self.looks()) {
                    self.run_observed_slice(plain, &mut Within { from: *from, to: *to, depth: *wanted })
                } else {
                    self.run_slice(one)
                }
            }
            (Goal::Cycles(cycles), _) => self.run_slice(Run { cycles: *cycles, ..plain }),
            (Goal::Stop | Goal::Until, _) => self.run_slice(plain),
        }
    }

    /// The command under way has stops that are no instructions.
    fn looks(&self) -> bool {
        self.script.is_watching() || self.stops.looks()
    }

    /// Counts meetings up to a step, when a stop hangs on them; true when that is done.
    fn count_first(&mut self, step: StepNo, left: &mut u64) -> bool {
        if self.stops.list.iter().all(|armed| armed.stop.times == Times::Each || !armed.stop.stops()) {
            return true;
        }
        let done = self.count_up_to(step, *left);
        *left = if done { *left } else { 0 };
        done
    }

    /// The state to stop in, when the goal has been reached without the machine saying so.
    fn reached(&self, forward: &mut Forward) -> Option<State> {
        let (now, depth, pc) = (self.now(), self.at.machine.frames().len(), self.at.machine.pc());
        if now <= forward.begun && !matches!(forward.goal, Goal::Step(_)) {
            return None;
        }
        if forward.goal.depth().is_some_and(|wanted| depth <= wanted)
            && let Some(routine) = forward.inside
        {
            if self.image().routine_at(pc) == Some(routine) {
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
            Goal::Cycles(cycles) => (self.at.machine.cycles() >= cycles).then_some(Why::Asked),
            Goal::Stop | Goal::Until => None,
        };
        let why = why?;
        Some(self.at.machine.finished().map_or(State::Paused(why), State::Finished))
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
            let effort = self.at.effort;
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
            left = left.saturating_sub(self.at.effort - effort + SLICE);
            if self.now() == now && stop.is_end() {
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
        if self.at.machine.frames().len() <= depth {
            return Progress::Arrived;
        }
        let search = Search::new(Wanted::CallFrom(depth), self.now(), Why::Stepped, home);
        self.work_search(search, budget)
    }

    fn work_search(&mut self, mut search: Search, budget: u64) -> Progress {
        let mut left = budget.max(1);
        if search.why == Why::Breakpoint && !self.count_first(search.until.saturating_sub(1), &mut left) {
            self.doing = Doing::Travels(Journey::Search(search));
            return Progress::Working;
        }
        loop {
            if !search.begun {
                search.begun = true;
                self.open_interval(&mut search);
            }
            let effort = self.at.effort;
            self.look_through(&mut search, left);
            left = left.saturating_sub(self.at.effort - effort + SLICE);
            if self.now() >= search.last() {
                if let Some(found) = self.close_interval(&mut search) {
                    self.stops.judge = None;
                    self.look_out_for_nothing();
                    let typed = matches!(search.wanted, Wanted::Stops { input: true });
                    let stopped = !search.met.is_empty();
                    let why = if typed && !stopped && self.was_typed_at(found) { Why::Typed } else { search.why };
                    let progress = self.work_seek(Seek::new(found, why), left);
                    self.stops.met = search.met;
                    return progress;
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
        // A stop that is no instruction belongs to the step before, so that has to be within the interval.
        let last = search.until.saturating_sub(1);
        let is_stops = matches!(search.wanted, Wanted::Stops { .. });
        self.restore_before(if is_stops { last.saturating_sub(1) } else { last });
        search.found = None;
        if let Wanted::CallFrom(depth) = search.wanted {
            self.at.machine.note_calls_from(Some(u32::try_from(depth).unwrap_or(u32::MAX)));
        }
        if is_stops {
            self.open_stops(search);
        }
        self.line_looker = None;
    }

    fn open_stops(&mut self, search: &mut Search) {
        // One judge serves all intervals: what it looks out for takes a while to find out.
        let mut judge = match self.stops.judge.take() {
            Some(judge) => judge,
            None => Box::new(Judge::new(search.stops.clone(), &self.at.machine)),
        };
        judge.stands_behind(&self.at.machine, self.at.tail.bytes());
        judge.arm(&mut self.at.machine);
        if self.now() > StepNo::FIRST {
            self.stops.times = self.stops.meetings.times_by(self.past(), &search.stops, self.now());
            // What arrives where an interval begins belongs to the one before.
            judge.has_judged(self.now());
        } else {
            self.stops.times = vec![Count::default(); search.stops.len()];
        }
        self.stops.judge = Some(judge);
    }

    /// Stops are met at the present moment.
    fn take_hits(&mut self, search: &mut Search, stops: &[Armed], hits: &Hits) {
        let now = self.now();
        let mut met = Vec::new();
        for hit in hits {
            let Some(times) = self.stops.meet(hit, now) else { continue };
            let Armed { id, stop } = &stops[hit.index];
            if stop.times.fits(times) {
                met.push(*id);
            }
        }
        if !met.is_empty() {
            if search.found != Some(now) {
                search.met.clear();
            }
            search.found = Some(now);
            search.met.extend(met);
        }
    }

    /// What the interval held; without anything, the next interval ends where this one began.
    fn close_interval(&mut self, search: &mut Search) -> Option<StepNo> {
        let last = search.until.saturating_sub(1);
        let is_stops = matches!(search.wanted, Wanted::Stops { .. });
        let start = self.history.before(if is_stops { last.saturating_sub(1) } else { last }).step();
        let oldest = self.history.oldest().step();
        match &mut search.wanted {
            Wanted::CallFrom(_) => search.found = self.at.machine.note_calls_from(None),
            Wanted::Stops { input } => {
                let from = if start <= oldest { start } else { start + 1 };
                let typed = self.typed_steps().filter(|&step| step >= from && step < search.until).last();
                if *input && typed > search.found {
                    search.found = typed;
                    search.met.clear();
                }
            }
            Wanted::Line(line) => {
                if let Some(looker) = self.line_looker.take() {
                    search.found = looker.conclude(line);
                }
                if start <= oldest && search.found.is_none() {
                    search.found = line.known.map(|run| run.first);
                }
            }
        }
        // The moment at the start of an interval of stops belongs to the one before.
        search.until = if is_stops { start + 1 } else { start };
        // With nothing found, the way leads to the earliest moment there is.
        search.found.or((start <= oldest).then_some(oldest))
    }

    /// Goes on through the interval, up to its last moment, and looks at that too.
    fn look_back(&mut self, search: &mut Search, effort: u64) -> Stop {
        let Some(mut judge) = self.stops.judge.take() else { return Stop::Steps };
        let last = search.last();
        let mut left = effort.max(1);
        let stop = loop {
            let mut hits = Hits::new();
            self.feed_judged(&mut judge, &mut hits);
            if self.now() >= last {
                judge.arrive(&self.at.machine, &mut hits);
            }
            self.take_hits(search, &judge.stops, &hits);
            if self.now() >= last || left == 0 {
                break Stop::Steps;
            }
            let (now, effort) = (self.now(), self.at.effort);
            let mut hits = Hits::new();
            let stop = self.replay(last, left, |machine, run| match look(machine, &mut judge, run) {
                Looked::Met(met, stop) => {
                    hits = met;
                    stop
                }
                Looked::Stopped(stop) => stop,
            });
            self.take_hits(search, &judge.stops, &hits);
            left = left.saturating_sub(self.at.effort - effort + 1);
            if self.now() == now && stop.is_end() {
                break stop;
            }
        };
        self.stops.judge = Some(judge);
        stop
    }

    fn look_through(&mut self, search: &mut Search, budget: u64) {
        let until = search.until;
        if self.now() >= search.last() && !matches!(search.wanted, Wanted::Stops { .. }) {
            return;
        }
        let from = self.now();
        let stop = match &search.wanted {
            Wanted::CallFrom(_) => self.replay_slice(until, budget),
            Wanted::Stops { .. } => self.look_back(search, budget),
            Wanted::Line(line) => {
                let mut looker = self.line_looker.take().unwrap_or_else(|| {
                    let mut looker = LineLooker::new(self.image(), line.depth, until);
                    looker.state(self.now(), self.at.machine.pc(), self.at.machine.frames().len());
                    looker
                });
                let stop = self.replay_observed(until, budget, &mut looker);
                self.line_looker = Some(looker);
                stop
            }
        };
        if self.now() == from && stop.is_end() {
            search.until = from + (search.until - search.last());
        }
    }
}

/// The stops of a command's own.
fn of_command(own: Vec<StopAt>) -> Vec<Armed> {
    own.into_iter().map(|stop| Armed { id: StopId::UNTIL, stop }).collect()
}

fn at_addresses(addresses: Vec<Addr>) -> Vec<StopAt> {
    addresses.into_iter().map(StopAt::address).collect()
}
