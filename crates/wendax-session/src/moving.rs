//! A session's moves: slices of running, on and again, what comes from outside on the way, going back, arriving.
//!
//! A slice ends at the next border: a step asked for, an event of the log, something due, a checkpoint, a piece of the
//! ribbon, as much work as was asked for. What a command makes of slices lies in `commands`.

use crate::cursor::Kept;
use crate::effects::{Effects, observe, steps_between};
use crate::history::Checkpoint;
use crate::journey::{Doing, Forward, State, Why};
use crate::log::Entry;
use crate::rerun::{self, disarm};
use crate::ribbon::MarkKind;
use crate::script::{Due, What};
use crate::session::{Dropped, Edge, Session, TRAIL};
use crate::stops::{Hits, Judge, Looked, look};
use std::collections::BTreeSet;
use wendax_isa::{Addr, StepNo};
use wendax_machine::{Event, Machine, Observer, Run, Stop, Watch};

impl Session {
    // ---- on

    /// Runs on, over the known part of the branch or into the open, to the next border: a step asked for,
    /// an event of the log, a checkpoint that is due, a piece of the ribbon, as much work as was asked for.
    pub(crate) fn run_slice(&mut self, run: Run) -> Stop {
        let now = self.now();
        if run.until == now + 1 && run.depth.is_none() && self.stops.judge.is_none() {
            return self.slice(run, |session, _| {
                let (stop, effects) = observe(&mut session.at.machine);
                if let Some(effects) = effects {
                    session.push_trail(effects);
                }
                stop
            });
        }
        self.slice(run, |session, run| {
            session.trail.clear();
            session.look_on(run)
        })
    }

    /// Runs on to the next stop, if the command has any, or as `run` says.
    fn look_on(&mut self, run: Run) -> Stop {
        let Some(mut judge) = self.stops.judge.take() else { return self.at.machine.run(run) };
        let mark = self.at.machine.effort();
        let stop = loop {
            let effort = run.effort.saturating_sub(self.at.machine.effort_since(mark));
            let (hits, stop) = match look(&mut self.at.machine, &mut judge, Run { effort, ..run }) {
                Looked::Met(hits, stop) => (hits, stop),
                Looked::Stopped(stop) => break stop,
            };
            let has_come = self.count_hits(&judge, &hits);
            match stop {
                Stop::Steps | Stop::Breakpoint | Stop::Observed if self.stops.met.is_empty() && has_come => {
                    break Stop::Steps;
                }
                Stop::Steps | Stop::Breakpoint | Stop::Observed if self.stops.met.is_empty() => {}
                stop if stop.is_end() || stop == Stop::Brk || self.stops.met.is_empty() => break stop,
                _ => break Stop::Breakpoint,
            }
        };
        self.stops.judge = Some(judge);
        stop
    }

    /// Counts what is met at the present moment, each stop once, and takes down those that stop the run; true when
    /// something is to come from outside by that.
    fn count_hits(&mut self, judge: &Judge, hits: &Hits) -> bool {
        let (now, cycles) = (self.at.machine.steps(), self.at.machine.cycles());
        let Self { stops, script, .. } = self;
        stops.count(judge, hits, now, |id| script.met(id, now, cycles))
    }

    /// Feeds what comes at the present moment, and sees what that meets and what arrives.
    fn enter_moment(&mut self) {
        let Some(mut judge) = self.stops.judge.take() else { return self.feed_due() };
        let mut hits = std::mem::take(&mut self.stops.moved);
        self.feed_judged(&mut judge, &mut hits);
        self.count_hits(&judge, &hits);
        self.stops.judge = Some(judge);
    }

    /// Feeds what comes at the present moment, if anything does, with a judge looking on.
    pub(crate) fn feed_judged(&mut self, judge: &mut Judge, hits: &mut Hits) {
        let entries = self.log.due_at(self.at.fed, self.at.machine.steps());
        if !entries.is_empty() {
            judge.feed(&mut self.at.machine, entries, hits);
            self.at.fed += entries.len();
        }
    }

    /// What is typed where the program asks may bring an interrupt that comes before the instruction that asked: then
    /// that has not arrived.
    pub(crate) fn take_back_arrival(&mut self) {
        let now = self.now();
        if now < self.edge.step || !self.at.machine.interrupts_allowed() || self.fork().arrives().is_some() {
            return;
        }
        self.script.did_not_arrive(now);
        self.stops.take_back_arrivals(now);
    }

    /// The way ends at the present moment, which nobody leaves now: whether it is one to stop at.
    pub(crate) fn meet_last_moment(&mut self) {
        if self.now() >= self.edge.step {
            self.play_due();
        }
        self.enter_moment();
        if let Some(mut judge) = self.stops.judge.take() {
            let mut hits = Hits::new();
            judge.arrive(&self.at.machine, &mut hits);
            self.count_hits(&judge, &hits);
            self.stops.judge = Some(judge);
        }
    }

    /// The same with an observer.
    pub(crate) fn run_observed_slice(&mut self, run: Run, observer: &mut impl Observer) -> Stop {
        self.slice(run, |session, run| {
            session.trail.clear();
            session.at.machine.run_observed(run, observer)
        })
    }

    fn slice(&mut self, run: Run, go: impl FnOnce(&mut Self, Run) -> Stop) -> Stop {
        let fresh = self.now() >= self.edge.step;
        if fresh {
            self.play_due();
        }
        self.enter_moment();
        if !self.stops.met.is_empty() {
            return Stop::Breakpoint;
        }
        // Only now: what arrived at this moment may have something due behind it.
        let due = if fresh { self.script.next_due() } else { Due::default() };
        let (now, printed) = (self.now(), self.at.machine.printed());
        let newest = self.history.newest().at.effort;
        let mut until = run.until.min(self.log.next_step(self.at.fed)).min(due.step);
        let cycles = run.cycles.min(due.cycle);
        let mut effort = run.effort;
        let mark = self.at.machine.effort();
        if fresh {
            self.at.machine.keep_moments();
            effort = effort.min((newest + self.history.interval).saturating_sub(self.at.effort).max(1));
            until = until.min(self.left.ribbon.piece_end(now)).min(self.limits.steps);
            self.at.machine.take_deepest();
        } else {
            until = until.min(self.edge.step);
        }
        let waits = due != Due::default();
        let watch = if fresh && !waits { self.limits.watch } else { Watch::Nothing };
        let (printed_at_most, milliseconds) =
            if fresh { (self.limits.output, self.limits.milliseconds) } else { (u64::MAX, u64::MAX) };
        let stop = go(self, Run { until, cycles, milliseconds, effort, watch, printed: printed_at_most, ..run });
        self.count(mark, printed);
        if self.now() > self.edge.step {
            let moments = self.at.machine.take_moments();
            self.edge = Edge { step: self.now(), state: None };
            let deepest = self.at.machine.take_deepest();
            self.left.reach(self.edge.step, moments, deepest);
            if self.at.effort >= newest + self.history.interval {
                self.keep_checkpoint();
                self.keep_to_budget();
            }
        }
        stop
    }

    pub(crate) fn keep_checkpoint(&mut self) {
        /// After so many checkpoints what ran is noted anew: often enough that what runs only once is soon left out.
        const ANEW: u64 = 16;
        let used = self.at.machine.uses_so_far();
        self.history.push(Checkpoint { at: self.at.keep(), used });
        self.kept += 1;
        if self.kept.is_multiple_of(ANEW) {
            self.at.machine.forget_code();
        }
    }

    /// Keeps less of the past when it takes more than it may.
    fn keep_to_budget(&mut self) {
        if self.memory_in_use() <= self.limits.budget {
            return;
        }
        // A log that takes more than half of it cannot be kept whole, and so neither can the way back.
        let share = self.limits.budget / 2;
        while self.log.bytes() + self.at.machine.kept_input() > share && self.log.entries().len() > 1 {
            let half = self.log.len() - self.log.entries().len() / 2;
            self.history.forget_before_event(half);
            let keep = self.history.oldest().at.fed;
            if keep <= self.log.len() - self.log.entries().len() {
                break;
            }
            self.forget_before_oldest(keep);
        }
        let left = self.limits.budget.saturating_sub(self.log.bytes() + self.at.machine.kept_input());
        self.history.shrink_to(left.min(self.limits.budget / 4 * 3));
        self.forget_before_oldest(self.history.oldest().at.fed);
    }

    fn forget_before_oldest(&mut self, fed: usize) {
        self.log.forget_before(fed);
        self.at.machine.forget_input_before(&self.history.oldest().at.snapshot);
        self.left.forget_before(self.oldest());
    }

    fn push_trail(&mut self, effects: Effects) {
        if self.trail.back().is_some_and(|last| last.step + 1 != effects.step) {
            self.trail.clear();
        }
        self.trail.push_back(effects);
        if self.trail.len() as u64 > TRAIL {
            self.trail.pop_front();
        }
    }

    /// Feeds the events of the log that come at the present step.
    fn feed_due(&mut self) {
        let entries = self.log.due_at(self.at.fed, self.at.machine.steps());
        rerun::feed(&mut self.at.machine, entries);
        self.at.fed += entries.len();
    }

    // ---- what comes from outside

    /// An event that changes the state itself comes at the end of the branch, while a command runs.
    pub(crate) fn happen(&mut self, event: Event) {
        self.take_back_due();
        let was = self.found(&event);
        match &mut self.stops.judge {
            Some(judge) => judge.move_levers(&mut self.at.machine, &event, &mut self.stops.moved),
            None => self.at.machine.feed(&event),
        }
        let entry = Entry { step: self.now(), event, printed: self.at.machine.printed(), was };
        self.log.insert(self.at.fed, entry);
        self.at.fed += 1;
        self.mark(MarkKind::Edit);
    }

    /// Puts an event that is still to come behind all others. The input ends once: an end behind it says nothing, and what
    /// is taken back at a step must not bring the input back that ended before.
    pub(crate) fn push(&mut self, event: Event) {
        if event == Event::InputEnds && self.has_ended_input() {
            return;
        }
        let is_input = event.is_input();
        self.log.push(Entry { step: self.now(), event, printed: self.at.machine.printed(), was: None });
        if is_input {
            self.mark(MarkKind::Input);
        }
    }

    /// What an event that changes the state finds there.
    pub(crate) fn found(&self, event: &Event) -> Option<u32> {
        let machine = &self.at.machine;
        match *event {
            Event::SetRegister(register, _) => machine.register_known(register).then(|| machine.register(register)),
            Event::SetFlags(_) => Some(machine.flags()),
            Event::SetByte(address, _) => {
                let known = machine.cell(address) == wendax_machine::CellState::Known;
                known.then(|| machine.byte(address).into())
            }
            Event::Levers(_) => Some(machine.board().levers.into()),
            Event::Typed(_) | Event::InputEnds | Event::Clock(_) | Event::Waited | Event::File(..) => None,
        }
    }

    pub(crate) fn mark(&mut self, kind: MarkKind) {
        self.left.mark(kind, self.at.machine.steps(), self.at.machine.pc());
    }

    /// Drops everything that lies ahead; what was typed at this very step stays when `with_typed`.
    pub(crate) fn branch(&mut self, with_typed: bool) -> Dropped {
        let now = self.now();
        let stays = |entry: &Entry| with_typed && entry.step == now && entry.event.is_input();
        self.branches += 1;
        let gone = self.log.drop_from(self.at.fed, stays);
        let kept_input = self.log.len() > self.at.fed;
        self.history.drop_after(now);
        self.left.drop_from(now, self.at.machine.printed(), kept_input);
        self.stops.drop_from(now);
        self.script.truncate(now);
        let steps = std::mem::replace(&mut self.edge, Edge { step: now, state: None }).step - now;
        let typed = gone.iter().filter(|entry| entry.event.is_input()).count();
        let edits = gone.iter().filter(|entry| entry.event.is_edit()).count();
        Dropped { steps, typed, edits }
    }

    /// What is due at the end of the branch comes.
    fn play_due(&mut self) {
        while let Some(what) = self.script.take_due(self.now(), self.at.machine.cycles()) {
            self.play(what);
        }
    }

    /// The program asks for typed input: what is there for that comes; false when there is nothing.
    pub(crate) fn play_asked(&mut self) -> bool {
        let Some(what) = self.script.take_asked(self.now()) else { return false };
        self.play(what);
        self.take_back_arrival();
        true
    }

    fn play(&mut self, (index, what): (usize, What)) {
        match what {
            // Behind the end nothing is typed.
            What::Text(_) if self.has_ended_input() => self.script.did_not_come(index),
            What::Text(bytes) => self.push(Event::Typed(bytes)),
            What::End => self.push(Event::InputEnds),
            What::Levers(levers) => self.happen(Event::Levers(levers)),
            What::Lever(number, is_up) => {
                let (levers, bit) = (u32::from(self.at.machine.board().levers), 1 << number);
                self.happen(Event::Levers(if is_up { levers | bit } else { levers & !bit }));
            }
        }
    }

    /// No more can be typed at the end of the branch.
    fn has_ended_input(&self) -> bool {
        let is_end = |entry: &Entry| matches!(entry.event, Event::InputEnds);
        self.at.machine.input_ended() || self.log.from(self.at.fed).iter().any(is_end)
    }

    // ---- back, and the same again

    pub(crate) fn put_back(&mut self, kept: &Kept) {
        self.at.put_back(kept);
        self.trail.clear();
    }

    /// Goes to the newest checkpoint at or before `step`.
    pub(crate) fn restore_before(&mut self, step: StepNo) {
        let kept = self.history.before(step).at.clone();
        self.put_back(&kept);
    }

    /// Goes back before `step`, or stays when already there and no checkpoint is nearer.
    pub(crate) fn rewind_before(&mut self, step: StepNo) {
        let now = self.now();
        // A step or two back: the effects of the steps before are to be told too.
        let near = self.history.before(step).step();
        if now > step || near > now {
            self.restore_before(step);
        }
    }

    /// Repeats steps up to `until`, the next event of the log, or as much work.
    pub(crate) fn replay_slice(&mut self, until: StepNo, effort: u64) -> Stop {
        self.trail.clear();
        self.replay(until, effort, Machine::run)
    }

    /// The same with an observer.
    pub(crate) fn replay_observed(&mut self, until: StepNo, effort: u64, observer: &mut impl Observer) -> Stop {
        self.trail.clear();
        self.replay(until, effort, |machine, run| machine.run_observed(run, observer))
    }

    /// Repeats one step and keeps its effects.
    pub(crate) fn replay_step(&mut self) -> Stop {
        let mut seen = None;
        let stop = self.replay(self.now() + 1, u64::MAX, |machine, _| {
            let (stop, effects) = observe(machine);
            seen = effects;
            stop
        });
        if let Some(effects) = seen {
            self.push_trail(effects);
        }
        stop
    }

    pub(crate) fn replay(&mut self, until: StepNo, effort: u64, go: impl FnOnce(&mut Machine, Run) -> Stop) -> Stop {
        self.feed_due();
        let (mark, printed) = (self.at.machine.effort(), self.at.machine.printed());
        let until = until.min(self.log.next_step(self.at.fed));
        let stop = go(&mut self.at.machine, Run { effort, ..Run::until(until) });
        self.count(mark, printed);
        stop
    }

    /// The machine ran on since a mark of its effort, and from where it had printed so much: counts what was done and
    /// takes its output.
    fn count(&mut self, mark: u64, printed: u64) {
        let output = self.at.count(mark);
        self.left.take_in(printed, &output, self.at.machine.take_tones());
    }

    /// Puts the machine into the one state the present step has: changes by hand have been made, and what was typed
    /// here is still to come.
    pub(crate) fn settle(&mut self) {
        disarm(&mut self.at.machine);
        self.take_back_due();
        self.at.feed_edits(&self.log);
    }

    /// What was fed at the present step, and changes by hand aside, is still to come.
    fn take_back_due(&mut self) {
        let now = self.now();
        let here = self.log.index_at(now);
        let (mut typed, mut ended) = (0, false);
        // Fed already, without a step since: taken back.
        let mut still_to_come = self.at.fed;
        while still_to_come > here
            && let Some(entry) = self.log.get(still_to_come - 1).filter(|entry| !entry.event.is_edit())
        {
            match &entry.event {
                Event::Typed(bytes) => typed += bytes.len() as u64,
                Event::InputEnds => ended = true,
                _ => {}
            }
            still_to_come -= 1;
        }
        if still_to_come < self.at.fed {
            self.at.machine.unfeed(typed, ended);
            self.at.fed = still_to_come;
        }
    }

    // ---- arriving

    /// Ends a command that went forward.
    pub(crate) fn arrive_forward(&mut self, state: State, forward: &Forward) -> crate::Progress {
        // Whoever goes on from here has been here.
        if self.at.machine.finished().is_none() {
            self.meet_last_moment();
        }
        self.settle();
        let kind = match state {
            State::Paused(Why::Breakpoint | Why::Brk) => Some(MarkKind::Stop),
            State::Fault(_) => Some(MarkKind::Fault),
            _ => None,
        };
        if let Some(kind) = kind {
            self.mark(kind);
        }
        if self.now() == self.edge.step {
            self.edge.state = match state {
                State::Finished(_) | State::Fault(_) | State::Circling { .. } | State::Idle { .. } | State::Waiting => {
                    Some(state.clone())
                }
                State::Ready | State::Running | State::Paused(_) => None,
            };
        }
        self.arrive(state);
        if let Some((start, pc)) = &forward.start
            && self.now() > start.step() + 1
        {
            let output = self.printed_since(start.printed());
            self.stride = Some(Effects::since(&self.at.machine, start, *pc, output));
        }
        crate::Progress::Arrived
    }

    pub(crate) fn look_out_for_nothing(&mut self) {
        disarm(&mut self.at.machine);
    }

    /// Ends a command.
    pub(crate) fn arrive(&mut self, state: State) {
        self.doing = Doing::Rests(state);
        self.stops.judge = None;
        disarm(&mut self.at.machine);
        self.at.machine.note_calls_from(None);
        self.line_looker = None;
        self.stride = None;
        self.round = self.find_round();
        self.refresh_trail();
    }

    /// Works the round out; it is asked for in every frame, and stays while the walk rests.
    fn find_round(&self) -> Vec<Addr> {
        const MOST: u64 = 200_000;
        let (State::Circling { period } | State::Idle { period, .. }) = *self.state() else { return Vec::new() };
        let mut places = BTreeSet::from([self.at.machine.pc()]);
        let mut machine = self.fork();
        let until = machine.steps() + period.min(MOST);
        machine.run_observed(Run::until(until), &mut Addresses(&mut places));
        places.into_iter().collect()
    }

    /// Brings the trail to the present step.
    fn refresh_trail(&mut self) {
        let now = self.now();
        while self.trail.back().is_some_and(|last| last.step + 1 > now) {
            self.trail.pop_back();
        }
        let current = self.trail.back().is_some_and(|last| last.step + 1 == now);
        let enough = self.trail.len() as u64 >= now.0.min(TRAIL / 4);
        if now == StepNo::FIRST || current && enough {
            return;
        }
        let from = now.saturating_sub(TRAIL).max(self.oldest());
        self.trail = steps_between(self.past(), from, now).into();
    }
}

/// Gathers the addresses steps go to.
struct Addresses<'a>(&'a mut BTreeSet<Addr>);

impl Observer for Addresses<'_> {
    const WRITES: bool = false;

    fn see(&mut self, report: &wendax_machine::Report) -> std::ops::ControlFlow<()> {
        self.0.insert(report.next);
        std::ops::ControlFlow::Continue(())
    }
}
