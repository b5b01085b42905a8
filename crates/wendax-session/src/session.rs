//! A walk through one run: the machine at some step, and all that is needed to be at another.
//!
//! What always holds: every event of the log before index `fed` has been fed to the machine and no other; at rest those
//! are the events of earlier steps and the changes by hand at the present one, so that each step has one state, however
//! it is come to. `edge` is the furthest step taken on this branch; checkpoints, log, transcript and ribbon tell of
//! this branch only; `trail` ends at the present step or is empty. What the walk takes in memory has a bound: see
//! [`Session::with_budget`].

use crate::effects::{Effects, observe};
use crate::history::{Checkpoint, History, INTERVAL};
use crate::journey::{Doing, Forward, Journey, State, Why};
use crate::left::Left;
use crate::log::{Entry, Log};
use crate::lookers::LineLooker;
use crate::rerun::{self, Rerun, Tail};
use crate::ribbon::{Mark, MarkKind, Ribbon};
use crate::script::{Due, Playing, What};
use crate::stops::{Armed, Hits, Judge, Looked, StopAt, StopId, Stops, look};
use crate::transcript::Piece;
use std::collections::{BTreeSet, VecDeque};
use std::sync::Arc;
use wendax_image::Image;
use wendax_isa::{Addr, RegisterUse, StepNo};
use wendax_machine::{Event, Lookout, Machine, Observer, Run, Settings, Snapshot, Stop, Tone, Watch};
use wendax_source::Sources;

/// Steps of the past whose effects are kept at hand.
pub(crate) const TRAIL: u64 = 32;
/// Bytes that history and log may take unless told otherwise.
const BUDGET: usize = 256 << 20;

/// How far a branch goes, and what the program does there when that is more than being paused.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Edge {
    pub(crate) step: StepNo,
    pub(crate) state: Option<State>,
}

/// What a new branch leaves behind: what lay ahead of where it begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Dropped {
    /// Steps.
    pub steps: u64,
    /// Times something was typed.
    pub typed: usize,
    /// Changes by hand.
    pub edits: usize,
}

/// A change a person made by hand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ByHand {
    /// The step it belongs to.
    pub step: StepNo,
    /// What was done.
    pub event: Event,
    /// What was there; `None` when it had never been set.
    pub was: Option<u32>,
}

/// How far a walk goes by itself, and how much it keeps.
#[derive(Debug, Clone)]
pub(crate) struct Limits {
    /// Bytes that history and log may take.
    budget: usize,
    /// What a run looks out for that does nothing new.
    watch: Watch,
    /// Bytes that may be printed.
    output: u64,
    /// Steps that may be taken.
    pub(crate) steps: StepNo,
}

impl Default for Limits {
    fn default() -> Self {
        Self { budget: BUDGET, watch: Watch::Circling, output: u64::MAX, steps: StepNo::LAST }
    }
}

/// A walk through a run.
#[derive(Debug, Clone)]
pub struct Session {
    image: Arc<Image>,
    sources: Sources,
    pub(crate) machine: Machine,
    pub(crate) history: History,
    log: Log,
    pub(crate) fed: usize,
    /// Everything done from the start of the run up to now, in steps and work worth as much.
    pub(crate) effort: u64,
    /// The end of what was printed up to now.
    pub(crate) tail: Tail,
    pub(crate) left: Left,
    pub(crate) stops: Stops,
    pub(crate) edge: Edge,
    pub(crate) doing: Doing,
    trail: VecDeque<Effects>,
    /// What the last command changed as a whole, when it took several steps.
    stride: Option<Effects>,
    /// Addresses of the loop the program repeats, when it does.
    round: Vec<Addr>,
    pub(crate) line_looker: Option<LineLooker>,
    pub(crate) limits: Limits,
    /// Goes up with every new branch.
    branches: u64,
    /// Checkpoints kept so far.
    kept: u64,
    /// What is to come from outside by itself.
    pub(crate) script: Playing,
}

impl Session {
    /// A walk that stands before the first step.
    pub fn new(image: Image, settings: Settings) -> Self {
        let mut machine = Machine::new(&image, settings);
        let snapshot = machine.snapshot();
        let start = Checkpoint { snapshot, fed: 0, effort: 0, tail: Tail::default(), used: RegisterUse::default() };
        Self {
            image: Arc::new(image),
            sources: Sources::new(),
            machine,
            history: History::new(start),
            log: Log::default(),
            fed: 0,
            effort: 0,
            tail: Tail::default(),
            left: Left::default(),
            stops: Stops::default(),
            edge: Edge { step: StepNo::FIRST, state: None },
            doing: Doing::Rests(State::Ready),
            trail: VecDeque::new(),
            stride: None,
            round: Vec::new(),
            line_looker: None,
            limits: Limits::default(),
            branches: 0,
            kept: 0,
            script: Playing::default(),
        }
    }

    /// The same with the texts the program was made of, so that it can be told in its own words.
    #[must_use]
    pub fn with_sources(mut self, sources: Sources) -> Self {
        self.sources = sources;
        self
    }

    /// The same with a bound on what history and log may take, in bytes. Over it the past is kept more sparsely, and
    /// at last its beginning is forgotten.
    #[must_use]
    pub fn with_budget(mut self, bytes: usize) -> Self {
        self.limits.budget = bytes;
        self
    }

    /// The same, stopping also when the program waits by itself for a key or a lever; see [`State::Idle`].
    #[must_use]
    pub fn stopping_when_idle(mut self) -> Self {
        self.limits.watch = Watch::Idle;
        self
    }

    /// The same, stopping once so many bytes have been printed; see [`Why::Output`].
    #[must_use]
    pub fn stopping_after_output(mut self, bytes: u64) -> Self {
        self.limits.output = bytes;
        self
    }

    /// The same, stopping once so many steps have been taken; see [`Why::Steps`].
    #[must_use]
    pub fn stopping_after_steps(mut self, steps: StepNo) -> Self {
        self.limits.steps = steps;
        self
    }

    /// The same, stopping also at the very first moment when a stop is met there; otherwise whoever goes on from a moment
    /// has been there.
    #[must_use]
    pub fn judging_the_start(mut self) -> Self {
        self.stops.judges_start = true;
        self
    }

    // ---- looking

    /// The program walked through.
    pub fn image(&self) -> &Arc<Image> {
        &self.image
    }

    /// The texts it was made of.
    pub fn sources(&self) -> &Sources {
        &self.sources
    }

    /// The machine as it is at the present step.
    pub fn machine(&self) -> &Machine {
        &self.machine
    }

    /// What the program is doing.
    pub fn state(&self) -> &State {
        match &self.doing {
            Doing::Rests(state) => state,
            Doing::Waits(_) => &State::Waiting,
            Doing::Travels(_) => &State::Running,
        }
    }

    /// Address of the next instruction; of the last one when the program has ended, or has come to where there is no
    /// code.
    pub fn present_address(&self) -> Addr {
        let pc = self.machine.pc();
        match (self.state(), self.last_step()) {
            (State::Finished(_), Some(last)) => last.pc,
            (State::Fault(_), Some(last)) if self.image.line_at(pc).is_none() => last.pc,
            _ => pc,
        }
    }

    /// Steps taken up to the present moment.
    pub fn now(&self) -> StepNo {
        self.machine.steps()
    }

    /// Steps taken on this branch altogether.
    pub fn end(&self) -> StepNo {
        self.edge.step
    }

    /// The instruction that failed and ended the branch.
    pub(crate) fn failed_at(&self) -> Option<Addr> {
        match &self.edge.state {
            Some(State::Fault(fault)) => Some(fault.pc),
            _ => None,
        }
    }

    /// The earliest step there is a way back to: 0 unless what was kept grew past its bound.
    pub fn oldest(&self) -> StepNo {
        self.history.oldest().step()
    }

    /// Goes up with every new branch: what was computed of steps of an older one may not be true of this.
    pub fn branches(&self) -> u64 {
        self.branches
    }

    /// Bytes that history and log take.
    pub fn memory_in_use(&self) -> usize {
        self.history.bytes() + self.log.bytes() + self.machine.kept_input()
    }

    /// A command is under way.
    pub fn is_running(&self) -> bool {
        matches!(self.doing, Doing::Travels(_))
    }

    /// Effects of the latest steps, oldest first; the last one is that of the step just taken.
    pub fn trail(&self) -> impl DoubleEndedIterator<Item = &Effects> {
        self.trail.iter()
    }

    /// What the step just taken did.
    pub fn last_step(&self) -> Option<&Effects> {
        self.trail.back()
    }

    /// What the command that led here changed as a whole: the step just taken, or the stride.
    pub fn last_change(&self) -> Option<&Effects> {
        self.stride.as_ref().or(self.trail.back())
    }

    /// What a person changed by hand at the present step, in order.
    pub fn changes_by_hand(&self) -> Vec<ByHand> {
        let now = self.now();
        let here = self.log.from(self.log.index_at(now)).iter().take_while(|entry| entry.step == now);
        here.filter(|entry| entry.event.is_edit()).map(by_hand).collect()
    }

    /// All changes by hand on this branch, in order.
    pub fn edits(&self) -> Vec<ByHand> {
        self.log.entries().iter().filter(|entry| entry.event.is_edit()).map(by_hand).collect()
    }

    /// Depth of calls over the run.
    pub fn ribbon(&self) -> &Ribbon {
        &self.left.ribbon
    }

    /// What happened where, in order of step.
    pub fn marks(&self) -> &[Mark] {
        self.left.marks()
    }

    /// What was printed and typed up to now, in order, as far as it is kept.
    pub fn console(&self) -> Vec<Piece> {
        self.console_end(usize::MAX)
    }

    /// The end of [`Self::console`]: its last `most` bytes, without a copy of what lies before them.
    pub fn console_end(&self, most: usize) -> Vec<Piece> {
        self.placed_console(most).into_iter().map(|(_, piece)| piece).collect()
    }

    /// The same, each piece with the position of its first byte in all that was printed, or all that was typed: see
    /// [`Self::printed_at`] and [`Self::taken_at`].
    pub fn placed_console(&self, most: usize) -> Vec<(u64, Piece)> {
        let (base, output) = self.left.output_up_to(self.machine.printed());
        let index = |at: u64| usize::try_from(at.saturating_sub(base)).unwrap_or(usize::MAX).min(output.len());
        let skipped = |bytes: &[u8], left: usize| bytes.len().saturating_sub(left);
        let printed = |begin: usize, end: usize, left: usize| {
            let begin = begin + skipped(&output[begin..end], left);
            (base + begin as u64, Piece::Printed(output[begin..end].to_vec()))
        };
        // What was typed ahead at the present end stands there too.
        let known = if self.now() == self.edge.step { self.log.len() } else { self.fed };
        let typed = self.log.before(known).iter().rev().take_while(|entry| entry.printed >= base);
        let ahead = self.log.from(self.fed).iter().take(known.saturating_sub(self.fed));
        let ahead = ahead.map(|entry| if let Event::Typed(bytes) = &entry.event { bytes.len() as u64 } else { 0 });
        let mut typed_end = self.machine.typed() + ahead.sum::<u64>();
        // From the end to the beginning, as long as there is room.
        let mut pieces = Vec::new();
        let mut left = most;
        let mut end = output.len();
        for entry in typed {
            let Event::Typed(bytes) = &entry.event else { continue };
            let begin = index(entry.printed).min(end);
            if begin < end && left > 0 {
                pieces.push(printed(begin, end, left));
                left = left.saturating_sub(end - begin);
            }
            end = begin;
            if left == 0 {
                break;
            }
            typed_end = typed_end.saturating_sub(bytes.len() as u64);
            let from = skipped(bytes, left);
            pieces.push((typed_end + from as u64, Piece::Typed(bytes[from..].to_vec())));
            left = left.saturating_sub(bytes.len());
        }
        if end > 0 && left > 0 {
            pieces.push(printed(0, end, left));
        }
        pieces.reverse();
        pieces
    }

    /// Output from a position since the start up to now, as far as it is kept: all of it, when whoever asks does so
    /// after each call of [`Self::work`].
    pub fn printed_since(&self, position: u64) -> &[u8] {
        let (base, output) = self.left.output_up_to(self.machine.printed());
        let from = usize::try_from(position.saturating_sub(base)).unwrap_or(usize::MAX);
        output.get(from..).unwrap_or_default()
    }

    /// The tones of the branch, in order.
    pub fn tones(&self) -> &[Tone] {
        self.left.tones()
    }

    /// Input that was typed at this very step and will be taken when going on.
    pub fn recorded_input(&self) -> Option<&[u8]> {
        let mut here = self.log.from(self.fed).iter().take_while(|entry| entry.step == self.now());
        here.find_map(|entry| if let Event::Typed(bytes) = &entry.event { Some(bytes.as_slice()) } else { None })
    }

    /// All that was typed on this branch, in order.
    pub fn all_input(&self) -> Vec<u8> {
        let typed = self.log.entries().iter().filter_map(|entry| match &entry.event {
            Event::Typed(bytes) => Some(bytes.as_slice()),
            _ => None,
        });
        typed.collect::<Vec<_>>().concat()
    }

    /// What was typed before the first step, as one piece.
    pub fn first_input(&self) -> Option<&[u8]> {
        let first = self.log.entries().first().filter(|entry| entry.step == StepNo::FIRST)?;
        if let Event::Typed(bytes) = &first.event { Some(bytes) } else { None }
    }

    /// A copy of the machine that has been fed what comes at this step: what it does is what will happen.
    pub fn fork(&self) -> Machine {
        let mut machine = self.plain_copy();
        rerun::feed(&mut machine, self.log.due_at(self.fed, self.now()));
        machine
    }

    /// The addresses of a round of the loop the program repeats for ever, in order, each once.
    pub fn round(&self) -> &[Addr] {
        match self.state() {
            State::Circling { .. } | State::Idle { .. } => &self.round,
            _ => &[],
        }
    }

    /// Works the round out; it is asked for in every frame, and stays while the walk rests.
    fn find_round(&self) -> Vec<Addr> {
        const MOST: u64 = 200_000;
        let (State::Circling { period } | State::Idle { period, .. }) = *self.state() else { return Vec::new() };
        let mut places = BTreeSet::from([self.machine.pc()]);
        let mut machine = self.fork();
        let until = machine.steps() + period.min(MOST);
        machine.run_observed(Run::until(until), &mut Addresses(&mut places));
        places.into_iter().collect()
    }

    /// The same program came of another text: takes over its lines and names.
    pub fn relabel(&mut self, image: Image, sources: Sources) {
        (self.image, self.sources) = (Arc::new(image), sources);
    }

    // ---- stops

    /// Where runs stop from the next command on, each with the owner's number.
    pub fn set_stops(&mut self, stops: impl IntoIterator<Item = (StopId, StopAt)>) {
        self.stops.set(stops);
        // What is under way goes by them at once.
        let resting = Doing::Rests(State::Paused(Why::Asked));
        match std::mem::replace(&mut self.doing, resting) {
            Doing::Travels(Journey::Forward(forward)) => self.set_out(Journey::Forward(forward)),
            other => self.doing = other,
        }
    }

    /// The stops, with their numbers.
    pub fn stops(&self) -> impl Iterator<Item = (StopId, &StopAt)> {
        self.stops.list.iter().map(|armed| (armed.id, &armed.stop))
    }

    /// Stops at these addresses from the next command on, and nowhere else.
    pub fn set_breakpoints(&mut self, addresses: impl IntoIterator<Item = Addr>) {
        let stops = addresses.into_iter().zip(0..).map(|(address, id)| (StopId(id), StopAt::address(address)));
        self.set_stops(stops);
    }

    /// The stops that the present moment was stopped at for.
    pub fn met(&self) -> &[StopId] {
        &self.stops.met
    }

    /// The judge of some stops, for the present moment.
    pub(crate) fn judge_here(&self, stops: Vec<Armed>) -> Judge {
        let mut judge = Judge::new(stops, &self.machine);
        judge.stands_behind(&self.machine, self.tail.bytes());
        judge
    }

    // ---- the door

    /// Input is typed; it is read when the program goes on. If the past is being looked at, a new branch begins here,
    /// and what was typed at this very step before gives way. A command that was waiting for input goes on. `None`
    /// when it cannot be taken: the program has ended, or the walk is on its way through the past.
    pub fn type_input(&mut self, bytes: &[u8]) -> Option<Dropped> {
        self.take_input(Event::Typed(bytes.to_vec()))
    }

    /// No more input will be typed. `None` when that cannot be taken, as with [`Self::type_input`].
    pub fn end_input(&mut self) -> Option<Dropped> {
        self.take_input(Event::InputEnds)
    }

    fn take_input(&mut self, event: Event) -> Option<Dropped> {
        let at_edge = self.now() == self.edge.step;
        let travelling = match &self.doing {
            Doing::Travels(Journey::Forward(_)) => !at_edge,
            Doing::Travels(_) => true,
            Doing::Rests(_) | Doing::Waits(_) => false,
        };
        if travelling || matches!(self.state(), State::Finished(_)) || self.machine.finished().is_some() {
            return None;
        }
        let dropped = if at_edge { Dropped::default() } else { self.branch(false) };
        self.push(event);
        self.take_back_arrival();
        if let Doing::Waits(forward) = &mut self.doing
            && let Some(forward) = forward.take()
        {
            self.edge.state = None;
            self.set_out(Journey::Forward(forward));
        } else if matches!(self.state(), State::Waiting | State::Idle { .. }) {
            self.edge.state = None;
            self.doing = Doing::Rests(State::Paused(Why::Typed));
        }
        Some(dropped)
    }

    /// The sixteen levers stand like this from now on. If the past is being looked at, a new branch begins here; a
    /// program that runs goes on. `None` when nothing was moved: the program has ended, or the walk is on its way through
    /// the past.
    pub fn move_levers(&mut self, levers: u32) -> Option<Dropped> {
        let at_edge = self.now() == self.edge.step;
        match &self.doing {
            Doing::Travels(Journey::Forward(_)) if at_edge && self.machine.finished().is_none() => {
                self.happen(Event::Levers(levers));
                Some(Dropped::default())
            }
            Doing::Travels(_) => None,
            Doing::Waits(_) => {
                let forward = if let Doing::Waits(forward) = &mut self.doing { forward.take() } else { None };
                let dropped = self.edit(Event::Levers(levers))?;
                if let Some(forward) = forward {
                    self.set_out(Journey::Forward(forward));
                }
                Some(dropped)
            }
            Doing::Rests(state) if at_edge && self.machine.finished().is_none() => {
                // Nothing lies ahead, and nothing that lies behind is another thing by this.
                let goes_on = matches!(state, State::Ready | State::Paused(_));
                self.happen(Event::Levers(levers));
                if !goes_on {
                    self.edge.state = None;
                    self.doing = Doing::Rests(State::Paused(Why::Edited));
                }
                Some(Dropped::default())
            }
            Doing::Rests(_) => self.edit(Event::Levers(levers)),
        }
    }

    /// An event that changes the state itself comes at the end of the branch, while a command runs.
    fn happen(&mut self, event: Event) {
        self.take_back_due();
        let was = self.found(&event);
        match &mut self.stops.judge {
            Some(judge) => judge.move_levers(&mut self.machine, &event, &mut self.stops.moved),
            None => self.machine.feed(&event),
        }
        let entry = Entry { step: self.now(), event, printed: self.machine.printed(), was };
        self.log.insert(self.fed, entry);
        self.fed += 1;
        self.mark(MarkKind::Edit);
    }

    /// Answers what [`crate::Progress::Asks`] asked.
    pub fn answer(&mut self, event: Event) {
        self.push(event);
    }

    /// Changes the state as it is now; a new branch begins here. `None` when nothing was changed, since a command is
    /// under way or the program has ended.
    pub fn edit(&mut self, event: Event) -> Option<Dropped> {
        if self.is_running() || self.machine.finished().is_some() {
            return None;
        }
        let was = self.found(&event);
        let dropped = self.branch(true);
        self.machine.feed(&event);
        let entry = Entry { step: self.now(), event, printed: self.machine.printed(), was };
        self.log.insert(self.fed, entry);
        self.fed += 1;
        self.mark(MarkKind::Edit);
        self.doing = Doing::Rests(State::Paused(Why::Edited));
        Some(dropped)
    }

    /// Takes back the changes by hand made at the present step, down to so many on the branch; what they dropped stays
    /// dropped. Tells whether there were any.
    pub fn take_back_edits(&mut self, left: usize) -> bool {
        let edits = self.edits();
        let gone = edits.get(left..).unwrap_or_default();
        if gone.is_empty() || gone.iter().any(|edit| edit.step != self.now()) || self.is_running() {
            return false;
        }
        self.branch(true);
        for _ in 0..gone.len() {
            self.fed -= 1;
            self.log.remove(self.fed);
        }
        // The state without them is that of the steps before, done again.
        let (now, fed) = (self.now(), self.fed);
        let rerun = Rerun::at(self, now);
        let mut machine = rerun.machine;
        let here = self.log.before(self.log.index_at(now)).len();
        rerun::feed(&mut machine, &self.log.before(fed)[here..]);
        self.machine = machine;
        if left == 0 || edits.get(left - 1).is_none_or(|edit| edit.step != now) {
            self.left.unmark_edit(now);
        }
        self.doing = Doing::Rests(State::Paused(Why::Edited));
        true
    }

    /// What an event that changes the state finds there.
    fn found(&self, event: &Event) -> Option<u32> {
        let machine = &self.machine;
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

    /// Puts an event that is still to come behind all others. The input ends once: an end behind it says nothing, and what
    /// is taken back at a step must not bring the input back that ended before.
    fn push(&mut self, event: Event) {
        if event == Event::InputEnds && self.has_ended_input() {
            return;
        }
        let is_input = matches!(event, Event::Typed(_) | Event::InputEnds);
        self.log.push(Entry { step: self.now(), event, printed: self.machine.printed(), was: None });
        if is_input {
            self.mark(MarkKind::Input);
        }
    }

    pub(crate) fn mark(&mut self, kind: MarkKind) {
        self.left.mark(kind, self.machine.steps(), self.machine.pc());
    }

    /// Drops everything that lies ahead; what was typed at this very step stays when `with_typed`.
    fn branch(&mut self, with_typed: bool) -> Dropped {
        let now = self.now();
        let stays = |entry: &Entry| {
            with_typed && entry.step == now && matches!(entry.event, Event::Typed(_) | Event::InputEnds)
        };
        self.branches += 1;
        let gone = self.log.drop_from(self.fed, stays);
        let kept_input = self.log.len() > self.fed;
        self.history.drop_after(now);
        self.left.drop_from(now, self.machine.printed(), kept_input);
        self.stops.drop_from(now);
        self.script.truncate(now);
        let steps = std::mem::replace(&mut self.edge, Edge { step: now, state: None }).step - now;
        let typed = gone.iter().filter(|entry| matches!(entry.event, Event::Typed(_) | Event::InputEnds)).count();
        let edits = gone.iter().filter(|entry| entry.event.is_edit()).count();
        Dropped { steps, typed, edits }
    }

    // ---- moving; for `commands`

    /// Runs on, over the known part of the branch or into the open, to the next border: a step asked for,
    /// an event of the log, a checkpoint that is due, a piece of the ribbon, as much work as was asked for.
    pub(crate) fn run_slice(&mut self, run: Run) -> Stop {
        let now = self.now();
        if run.until == now + 1 && run.depth.is_none() && self.stops.judge.is_none() {
            return self.slice(run, |session, _| {
                let (stop, effects) = observe(&mut session.machine);
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
        let Some(mut judge) = self.stops.judge.take() else { return self.machine.run(run) };
        let mark = self.machine.effort();
        let stop = loop {
            let effort = run.effort.saturating_sub(self.machine.effort_since(mark));
            let (hits, stop) = match look(&mut self.machine, &mut judge, Run { effort, ..run }) {
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
        let (now, cycles) = (self.machine.steps(), self.machine.cycles());
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
        let entries = self.log.due_at(self.fed, self.machine.steps());
        if !entries.is_empty() {
            judge.feed(&mut self.machine, entries, hits);
            self.fed += entries.len();
        }
    }

    /// What is typed where the program asks may bring an interrupt that comes before the instruction that asked: then
    /// that has not arrived.
    pub(crate) fn take_back_arrival(&mut self) {
        let now = self.now();
        if self.fork().arrives().is_some() || now < self.edge.step {
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
            judge.arrive(&self.machine, &mut hits);
            self.count_hits(&judge, &hits);
            self.stops.judge = Some(judge);
        }
    }

    /// The same with an observer.
    pub(crate) fn run_observed_slice(&mut self, run: Run, observer: &mut impl Observer) -> Stop {
        self.slice(run, |session, run| {
            session.trail.clear();
            session.machine.run_observed(run, observer)
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
        let (now, printed) = (self.now(), self.machine.printed());
        let newest = self.history.newest().effort;
        let mut until = run.until.min(self.log.next_step(self.fed)).min(due.step);
        let cycles = run.cycles.min(due.cycle);
        let mut effort = run.effort;
        let mark = self.machine.effort();
        if fresh {
            self.machine.keep_moments();
            effort = effort.min((newest + INTERVAL).saturating_sub(self.effort).max(1));
            until = until.min(self.left.ribbon.piece_end(now)).min(self.limits.steps);
            self.machine.take_deepest();
        } else {
            until = until.min(self.edge.step);
        }
        let waits = due != Due::default();
        let watch = if fresh && !waits { self.limits.watch } else { Watch::Nothing };
        let printed_at_most = if fresh { self.limits.output } else { u64::MAX };
        let stop = go(self, Run { until, cycles, effort, watch, printed: printed_at_most, ..run });
        self.count(mark, printed);
        if self.now() > self.edge.step {
            let moments = self.machine.take_moments();
            self.edge = Edge { step: self.now(), state: None };
            let deepest = self.machine.take_deepest();
            self.left.reach(self.edge.step, moments, deepest);
            if self.effort >= newest + INTERVAL {
                self.keep_checkpoint();
                self.keep_to_budget();
            }
        }
        stop
    }

    pub(crate) fn keep_checkpoint(&mut self) {
        /// After so many checkpoints what ran is noted anew: often enough that what runs only once is soon left out.
        const ANEW: u64 = 16;
        let used = self.machine.uses_so_far();
        let (snapshot, tail) = (self.machine.snapshot(), self.tail.clone());
        let checkpoint = Checkpoint { snapshot, fed: self.fed, effort: self.effort, tail, used };
        self.history.push(checkpoint);
        self.kept += 1;
        if self.kept.is_multiple_of(ANEW) {
            self.machine.forget_code();
        }
    }

    /// Keeps less of the past when it takes more than it may.
    fn keep_to_budget(&mut self) {
        if self.memory_in_use() <= self.limits.budget {
            return;
        }
        // A log that takes more than half of it cannot be kept whole, and so neither can the way back.
        let share = self.limits.budget / 2;
        while self.log.bytes() + self.machine.kept_input() > share && self.log.entries().len() > 1 {
            let half = self.log.len() - self.log.entries().len() / 2;
            self.history.forget_before_event(half);
            let keep = self.history.oldest().fed;
            if keep <= self.log.len() - self.log.entries().len() {
                break;
            }
            self.forget_before_oldest(keep);
        }
        let left = self.limits.budget.saturating_sub(self.log.bytes() + self.machine.kept_input());
        self.history.shrink_to(left.min(self.limits.budget / 4 * 3));
        self.forget_before_oldest(self.history.oldest().fed);
    }

    fn forget_before_oldest(&mut self, fed: usize) {
        self.log.forget_before(fed);
        self.machine.forget_input_before(&self.history.oldest().snapshot);
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
        let entries = self.log.due_at(self.fed, self.machine.steps());
        rerun::feed(&mut self.machine, entries);
        self.fed += entries.len();
    }

    /// Steps at which something was typed, in order.
    pub(crate) fn typed_steps(&self) -> impl Iterator<Item = StepNo> {
        self.left.typed_steps()
    }

    /// What was typed or changed by hand, with its step, in order.
    pub(crate) fn entries(&self) -> &[Entry] {
        self.log.entries()
    }

    /// Output from a position up to the furthest step, as far as it is kept.
    pub(crate) fn output_from(&self, position: u64) -> &[u8] {
        self.left.output_from(position)
    }

    pub(crate) fn was_typed_at(&self, step: StepNo) -> bool {
        self.left.was_typed_at(step)
    }

    /// The entries of the log from an index on that come at a step, which is the next there is or one before.
    pub(crate) fn due_at(&self, fed: usize, step: StepNo) -> &[Entry] {
        self.log.due_at(fed, step)
    }

    /// The step of the next entry of the log behind an index.
    pub(crate) fn next_entry(&self, fed: usize) -> StepNo {
        self.log.next_step(fed)
    }

    /// How many entries of the log there are up to a moment.
    pub(crate) fn entries_up_to(&self, moment: StepNo) -> usize {
        self.log.index_at(moment + 1)
    }

    /// Events from outside, each with the step before which it happened.
    pub(crate) fn events(&self) -> impl Iterator<Item = (StepNo, &Event)> {
        self.log.entries().iter().map(|entry| (entry.step, &entry.event))
    }

    // ---- going back; for `commands`

    pub(crate) fn put_back(&mut self, snapshot: &Snapshot, fed: usize, effort: u64, tail: Tail) {
        self.machine.restore(snapshot);
        (self.fed, self.effort, self.tail) = (fed, effort, tail);
        self.trail.clear();
    }

    /// Goes to the newest checkpoint at or before `step`.
    pub(crate) fn restore_before(&mut self, step: StepNo) {
        let Checkpoint { snapshot, fed, effort, tail, .. } = self.history.before(step).clone();
        self.put_back(&snapshot, fed, effort, tail);
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
        let (mark, printed) = (self.machine.effort(), self.machine.printed());
        let until = until.min(self.log.next_step(self.fed));
        let stop = go(&mut self.machine, Run { effort, ..Run::until(until) });
        self.count(mark, printed);
        stop
    }

    /// The machine ran on since a mark of its effort, and from where it had printed so much: counts what was done and
    /// takes its output.
    fn count(&mut self, mark: u64, printed: u64) {
        self.effort += self.machine.effort_since(mark);
        let output = self.machine.take_output();
        self.tail.print(&output);
        self.left.take_in(printed, &output, self.machine.take_tones());
    }

    /// Puts the machine into the one state the present step has: changes by hand have been made, and what was typed
    /// here is still to come.
    pub(crate) fn settle(&mut self) {
        disarm(&mut self.machine);
        self.take_back_due();
        let now = self.now();
        while let Some(entry) = self.log.get(self.fed).filter(|entry| entry.step == now && entry.event.is_edit()) {
            self.machine.feed(&entry.event);
            self.fed += 1;
        }
    }

    /// What was fed at the present step, and changes by hand aside, is still to come.
    fn take_back_due(&mut self) {
        let now = self.now();
        let here = self.log.index_at(now);
        let (mut typed, mut ended) = (0, false);
        // Fed already, without a step since: taken back.
        let mut still_to_come = self.fed;
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
        if still_to_come < self.fed {
            self.machine.unfeed(typed, ended);
            self.fed = still_to_come;
        }
    }

    // ---- what comes by itself

    /// From now on this comes from outside by itself.
    pub fn set_script(&mut self, script: crate::Script) {
        self.script = Playing::new(script);
    }

    /// What is due at the end of the branch comes.
    fn play_due(&mut self) {
        while let Some(what) = self.script.take_due(self.now(), self.machine.cycles()) {
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
                let (levers, bit) = (u32::from(self.machine.board().levers), 1 << number);
                self.happen(Event::Levers(if is_up { levers | bit } else { levers & !bit }));
            }
        }
    }

    /// No more can be typed at the end of the branch.
    fn has_ended_input(&self) -> bool {
        let is_end = |entry: &Entry| matches!(entry.event, Event::InputEnds);
        self.machine.input_ended() || self.log.from(self.fed).iter().any(is_end)
    }

    /// What was to come from outside and did not on this branch: the lines of the file, and how many there are in it.
    pub fn missing_events(&self) -> (Vec<usize>, usize) {
        self.script.missing()
    }

    // ---- arriving

    /// Ends a command that went forward.
    pub(crate) fn arrive_forward(&mut self, state: State, forward: &Forward) -> crate::Progress {
        // Whoever goes on from here has been here.
        if self.machine.finished().is_none() {
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
            self.stride = Some(Effects::since(&self.machine, start, *pc, output));
        }
        crate::Progress::Arrived
    }

    pub(crate) fn look_out_for_nothing(&mut self) {
        disarm(&mut self.machine);
    }

    /// Ends a command.
    pub(crate) fn arrive(&mut self, state: State) {
        self.doing = Doing::Rests(state);
        self.stops.judge = None;
        disarm(&mut self.machine);
        self.machine.note_calls_from(None);
        self.line_looker = None;
        self.stride = None;
        self.round = self.find_round();
        self.refresh_trail();
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
        self.trail = self.steps_from(from, usize::try_from(now - from).unwrap_or(0)).into();
    }

    /// A copy of the machine that stops at nothing.
    pub(crate) fn plain_copy(&self) -> Machine {
        let mut machine = self.machine.clone();
        disarm(&mut machine);
        machine
    }
}

/// Has a machine stop at nothing.
fn disarm(machine: &mut Machine) {
    machine.set_breakpoints(&[]);
    machine.set_lookout(&Lookout::default());
}

fn by_hand(entry: &Entry) -> ByHand {
    ByHand { step: entry.step, event: entry.event.clone(), was: entry.was }
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
