//! A walk through one run: the machine at some step, and all that is needed to be at another.
//!
//! What always holds: every event of the log before index `fed` has been fed to the machine and no other;
//! `end` is the furthest step taken on this branch; checkpoints, log, transcript and ribbon tell of this
//! branch only; `trail` ends at the present step or is empty.

use crate::commands::{Journey, Progress};
use crate::effects::{Effects, observe};
use crate::history::{Checkpoint, History, INTERVAL};
use crate::log::{Entry, Log};
use crate::ribbon::{Mark, MarkKind, Ribbon};
use crate::transcript::{Piece, Transcript};
use std::collections::{BTreeSet, VecDeque};
use wendax_image::Image;
use wendax_machine::{Event, Fault, Machine, Run, Settings, Stop};

/// Steps of the past whose effects are kept at hand.
const TRAIL: u64 = 32;
/// A replay longer than this leaves a checkpoint [`NEAR`] steps before where it goes, so that going on
/// backwards from there is quick.
const LONG: u64 = 20_000;
const NEAR: u64 = 2_000;

/// What the program is doing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum State {
    /// Before its first step.
    Ready,
    /// A command is under way.
    Running,
    /// It asks for typed input.
    Waiting,
    /// Between two steps.
    Paused(Why),
    /// It ended with this status.
    Finished(u32),
    /// An instruction failed.
    Fault(Fault),
    /// It repeats one state for ever.
    Circling,
}

/// Why a walk paused.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Why {
    /// The step was done.
    Stepped,
    /// The routine returned.
    Returned,
    /// There is a breakpoint.
    Breakpoint,
    /// This is the line that was asked for.
    Line,
    /// Someone asked it to pause.
    Asked,
    /// It ran a `brk`.
    Brk,
    /// This is the step that was asked for.
    Sought,
    /// Someone changed the state.
    Edited,
}

/// A walk through a run.
#[derive(Debug, Clone)]
pub struct Session {
    image: Image,
    pub(crate) machine: Machine,
    pub(crate) history: History,
    log: Log,
    fed: usize,
    transcript: Transcript,
    ribbon: Ribbon,
    marks: Vec<Mark>,
    breakpoints: BTreeSet<u32>,
    pub(crate) end: u64,
    /// What the program is doing at `end`, when that is more than being paused.
    pub(crate) end_state: Option<State>,
    pub(crate) state: State,
    pub(crate) journey: Option<Journey>,
    /// What was under way when the program began to wait for input.
    interrupted: Option<Journey>,
    trail: VecDeque<Effects>,
}

impl Session {
    /// A walk that stands before the first step.
    pub fn new(image: Image, settings: Settings) -> Self {
        let mut machine = Machine::new(&image, settings);
        let start = Checkpoint { snapshot: machine.snapshot(), fed: 0 };
        Self {
            image,
            machine,
            history: History::new(start),
            log: Log::default(),
            fed: 0,
            transcript: Transcript::default(),
            ribbon: Ribbon::default(),
            marks: Vec::new(),
            breakpoints: BTreeSet::new(),
            end: 0,
            end_state: None,
            state: State::Ready,
            journey: None,
            interrupted: None,
            trail: VecDeque::new(),
        }
    }

    // ---- looking

    /// The program walked through.
    pub fn image(&self) -> &Image {
        &self.image
    }

    /// The machine as it is at the present step.
    pub fn machine(&self) -> &Machine {
        &self.machine
    }

    /// What the program is doing.
    pub fn state(&self) -> &State {
        &self.state
    }

    /// Address of the next instruction; of the last one when the program has ended.
    pub fn present_address(&self) -> u32 {
        match (&self.state, self.last_step()) {
            (State::Finished(_), Some(last)) => last.pc,
            _ => self.machine.pc(),
        }
    }

    /// Steps taken up to the present moment.
    pub fn now(&self) -> u64 {
        self.machine.steps()
    }

    /// Steps taken on this branch altogether.
    pub fn end(&self) -> u64 {
        self.end
    }

    /// A command is under way.
    pub fn is_running(&self) -> bool {
        self.journey.is_some()
    }

    /// Effects of the latest steps, oldest first; the last one is that of the step just taken.
    pub fn trail(&self) -> impl DoubleEndedIterator<Item = &Effects> {
        self.trail.iter()
    }

    /// What the step just taken did.
    pub fn last_step(&self) -> Option<&Effects> {
        self.trail.back()
    }

    /// Depth of calls over the run.
    pub fn ribbon(&self) -> &Ribbon {
        &self.ribbon
    }

    /// What happened where, in order of step.
    pub fn marks(&self) -> Vec<Mark> {
        let of_log = self.log.entries().iter().filter_map(|entry| match entry.event {
            Event::Typed(_) | Event::InputEnds => Some(Mark { step: entry.step, kind: MarkKind::Input }),
            Event::SetRegister(..) | Event::SetFlags(_) | Event::SetByte(..) | Event::Levers(_) => {
                Some(Mark { step: entry.step, kind: MarkKind::Edit })
            }
            Event::Clock(_) | Event::Waited => None,
        });
        let mut marks: Vec<Mark> = self.marks.iter().copied().chain(of_log).collect();
        marks.sort_by_key(|mark| (mark.step, mark.kind));
        marks
    }

    /// What was printed and typed up to now, in order, as far as it is kept.
    pub fn console(&self) -> Vec<Piece> {
        self.console_end(usize::MAX)
    }

    /// The end of [`Self::console`]: its last `most` bytes, without a copy of what lies before them.
    pub fn console_end(&self, most: usize) -> Vec<Piece> {
        let (base, output) = self.transcript.up_to(self.machine.printed());
        let index = |at: u64| usize::try_from(at.saturating_sub(base)).unwrap_or(usize::MAX).min(output.len());
        let last = |bytes: &[u8], left: usize| bytes[bytes.len().saturating_sub(left)..].to_vec();
        let typed = self.log.entries().iter().take(self.fed).rev().filter(|entry| entry.printed >= base);
        // From the end to the beginning, as long as there is room.
        let mut pieces = Vec::new();
        let mut left = most;
        let mut end = output.len();
        for entry in typed {
            let Event::Typed(bytes) = &entry.event else { continue };
            let begin = index(entry.printed).min(end);
            if begin < end && left > 0 {
                pieces.push(Piece::Printed(last(&output[begin..end], left)));
                left = left.saturating_sub(end - begin);
            }
            end = begin;
            if left == 0 {
                break;
            }
            pieces.push(Piece::Typed(last(bytes, left)));
            left = left.saturating_sub(bytes.len());
        }
        if end > 0 && left > 0 {
            pieces.push(Piece::Printed(last(&output[..end], left)));
        }
        pieces.reverse();
        pieces
    }

    /// Output from a position since the start up to now, as far as it is kept.
    pub fn printed_since(&self, position: u64) -> &[u8] {
        let (base, output) = self.transcript.up_to(self.machine.printed());
        let from = usize::try_from(position.saturating_sub(base)).unwrap_or(usize::MAX);
        output.get(from..).unwrap_or_default()
    }

    /// Input that was typed at this very step and will be taken again when going on.
    pub fn recorded_input(&self) -> Option<&[u8]> {
        let next = self.log.get(self.fed).filter(|entry| entry.step == self.now())?;
        match &next.event {
            Event::Typed(bytes) => Some(bytes),
            _ => None,
        }
    }

    /// A copy of the machine that has been fed what comes at this step: what it does is what will happen.
    pub fn fork(&self) -> Machine {
        let mut machine = self.machine.clone();
        machine.set_breakpoints(&[]);
        for entry in self.log.entries().iter().skip(self.fed).take_while(|entry| entry.step == self.now()) {
            machine.feed(&entry.event);
        }
        machine
    }

    /// The same program came of another text: takes over its lines and names.
    pub fn relabel(&mut self, image: Image) {
        self.image = image;
    }

    // ---- breakpoints

    /// Addresses with a breakpoint.
    pub fn breakpoints(&self) -> &BTreeSet<u32> {
        &self.breakpoints
    }

    /// Stops at these addresses from the next command on.
    pub fn set_breakpoints(&mut self, addresses: impl IntoIterator<Item = u32>) {
        self.breakpoints = addresses.into_iter().collect();
    }

    // ---- the door

    /// Input is typed. If the past is being looked at, a new branch begins here. A command that was
    /// waiting for input goes on.
    pub fn type_input(&mut self, bytes: &[u8]) {
        self.happen(Event::Typed(bytes.to_vec()));
        self.resume();
    }

    /// No more input will be typed.
    pub fn end_input(&mut self) {
        self.happen(Event::InputEnds);
        self.resume();
    }

    /// Answers what [`Progress::Asks`] asked.
    pub fn answer(&mut self, event: Event) {
        self.record(event);
    }

    /// Changes the state as it is now; a new branch begins here. While a command is under way or after the
    /// program has ended nothing is changed, and the answer is false.
    pub fn edit(&mut self, event: Event) -> bool {
        if self.is_running() || matches!(self.state, State::Finished(_)) {
            return false;
        }
        self.happen(event);
        self.interrupted = None;
        self.state = State::Paused(Why::Edited);
        true
    }

    fn happen(&mut self, event: Event) {
        let running = self.is_running() && self.now() == self.end && self.fed == self.log.len();
        if !running {
            self.branch();
        }
        self.record(event);
    }

    fn record(&mut self, event: Event) {
        self.machine.feed(&event);
        self.log.push(Entry { step: self.now(), event, printed: self.machine.printed() });
        self.fed = self.log.len();
    }

    /// Drops everything that lies ahead.
    fn branch(&mut self) {
        let now = self.now();
        self.log.truncate(self.fed);
        self.history.drop_after(now);
        self.transcript.truncate(self.machine.printed());
        self.ribbon.truncate(now);
        self.marks.retain(|mark| mark.step <= now && mark.kind != MarkKind::Fault);
        self.end = now;
        self.end_state = None;
    }

    fn resume(&mut self) {
        if self.state == State::Waiting
            && let Some(journey) = self.interrupted.take()
        {
            self.set_out(journey);
        }
    }

    // ---- moving; for `commands`

    /// Runs on, over the known part of the branch or into the open, to the next border: a step asked for,
    /// an event of the log, a checkpoint that is due, a piece of the ribbon.
    pub(crate) fn run_slice(&mut self, run: Run) -> Stop {
        self.feed_due();
        let now = self.now();
        let printed = self.machine.printed();
        let fresh = now >= self.end;
        let mut until = run.until.min(self.next_event_step());
        if fresh {
            until = until.min(self.ribbon.piece_end(now)).min((self.history.newest_step() + INTERVAL).max(now + 1));
            self.machine.take_deepest();
        } else {
            until = until.min(self.end);
        }
        let stop = if run.until == now + 1 && run.depth.is_none() {
            let (stop, effects) = observe(&mut self.machine);
            if self.now() > now {
                self.push_trail(effects);
            }
            stop
        } else {
            self.trail.clear();
            self.machine.run(Run { until, depth: run.depth })
        };
        let output = self.machine.take_output();
        self.transcript.record(printed, &output);
        if self.now() > self.end {
            self.end = self.now();
            self.end_state = None;
            let deepest = self.machine.take_deepest();
            self.ribbon.note(self.end, deepest);
            if self.end >= self.history.newest_step() + INTERVAL {
                self.keep_checkpoint();
            }
        }
        stop
    }

    fn keep_checkpoint(&mut self) {
        let checkpoint = Checkpoint { snapshot: self.machine.snapshot(), fed: self.fed };
        self.history.push(checkpoint);
    }

    fn push_trail(&mut self, effects: Effects) {
        self.trail.push_back(effects);
        if self.trail.len() as u64 > TRAIL {
            self.trail.pop_front();
        }
    }

    /// Feeds the events of the log that come at the present step.
    fn feed_due(&mut self) {
        while let Some(entry) = self.log.get(self.fed).filter(|entry| entry.step == self.machine.steps()) {
            self.machine.feed(&entry.event);
            self.fed += 1;
        }
    }

    fn next_event_step(&self) -> u64 {
        self.log.get(self.fed).map_or(u64::MAX, |entry| entry.step)
    }

    /// What came from outside up to the present moment, with the steps.
    pub(crate) fn events(&self) -> impl Iterator<Item = (u64, &Event)> {
        self.log.entries().iter().take(self.fed).map(|entry| (entry.step, &entry.event))
    }

    /// Steps at which something was typed.
    pub(crate) fn typed_steps(&self) -> impl Iterator<Item = u64> {
        self.log.entries().iter().filter(|entry| !entry.event.is_edit()).map(|entry| entry.step)
    }

    /// Goes to the newest checkpoint at or before `step`.
    pub(crate) fn restore_before(&mut self, step: u64) {
        let checkpoint = self.history.before(step);
        self.machine.restore(&checkpoint.snapshot);
        self.fed = checkpoint.fed;
    }

    /// Goes back before `step`, or stays when already there and no checkpoint is nearer.
    pub(crate) fn rewind_before(&mut self, step: u64) {
        let now = self.now();
        if now > step || self.history.before(step).step() > now {
            self.restore_before(step);
        }
    }

    /// Repeats steps that were taken before, up to `step`.
    pub(crate) fn replay(&mut self, step: u64) {
        if step.saturating_sub(self.now()) > LONG {
            self.replay_plain(step - NEAR);
            if self.now() == step - NEAR {
                self.keep_checkpoint();
            }
        }
        self.replay_plain(step);
    }

    fn replay_plain(&mut self, step: u64) {
        while self.now() < step {
            let from = self.now();
            let stop = self.replay_slice(step);
            if self.now() == from && stop != Stop::Breakpoint {
                break;
            }
        }
    }

    /// Repeats steps up to `until`, the next event of the log or a breakpoint.
    pub(crate) fn replay_slice(&mut self, until: u64) -> Stop {
        self.feed_due();
        let printed = self.machine.printed();
        let stop = self.machine.run(Run { until: until.min(self.next_event_step()), depth: None });
        let output = self.machine.take_output();
        self.transcript.record(printed, &output);
        stop
    }

    /// At the step gone to: makes the edits that were made there.
    pub(crate) fn settle(&mut self, step: u64) {
        self.machine.set_breakpoints(&[]);
        let happened = self.log.happened_by(step, self.fed);
        while self.fed < happened {
            if let Some(entry) = self.log.get(self.fed) {
                self.machine.feed(&entry.event);
            }
            self.fed += 1;
        }
    }

    // ---- arriving

    /// Ends a command that went forward.
    pub(crate) fn arrive_at(&mut self, state: State) -> Progress {
        let fresh = self.now() == self.end;
        let mark = match state {
            State::Paused(Why::Breakpoint | Why::Brk) => Some(MarkKind::Stop),
            State::Fault(_) => Some(MarkKind::Fault),
            _ => None,
        };
        if let Some(kind) = mark {
            let mark = Mark { step: self.now(), kind };
            if !self.marks.contains(&mark) {
                self.marks.push(mark);
            }
        }
        if fresh {
            self.end_state = match state {
                State::Finished(_) | State::Fault(_) | State::Circling | State::Waiting => Some(state.clone()),
                State::Ready | State::Running | State::Paused(_) => None,
            };
        }
        self.arrive(state);
        Progress::Arrived
    }

    /// Ends a command.
    pub(crate) fn arrive(&mut self, state: State) {
        self.state = state;
        self.journey = None;
        self.machine.set_breakpoints(&[]);
        self.machine.note_calls_from(None);
        self.refresh_trail();
    }

    /// Keeps what was going on, for when input comes.
    pub(crate) fn wait_for_input(&mut self, journey: Journey) {
        self.arrive_at(State::Waiting);
        self.interrupted = Some(journey);
    }

    /// Brings the trail to the present step.
    fn refresh_trail(&mut self) {
        let now = self.now();
        while self.trail.back().is_some_and(|last| last.step + 1 > now) {
            self.trail.pop_back();
        }
        let current = self.trail.back().is_some_and(|last| last.step + 1 == now);
        let enough = self.trail.len() as u64 >= now.min(TRAIL / 4);
        if now == 0 || current && enough {
            return;
        }
        self.trail.clear();
        let (mut past, mut fed) = self.machine_at(now.saturating_sub(TRAIL));
        while past.steps() < now {
            self.feed_copy(&mut past, &mut fed);
            let (_, effects) = observe(&mut past);
            past.take_output();
            if effects.cycles == 0 {
                break;
            }
            self.push_trail(effects);
        }
    }

    /// A copy of the machine as it was at a step, and how much of the log it has been fed.
    fn machine_at(&self, step: u64) -> (Machine, usize) {
        let checkpoint = self.history.before(step);
        let mut machine = self.machine.clone();
        machine.set_breakpoints(&[]);
        machine.restore(&checkpoint.snapshot);
        let mut fed = checkpoint.fed;
        while machine.steps() < step {
            self.feed_copy(&mut machine, &mut fed);
            let next = self.log.get(fed).map_or(u64::MAX, |entry| entry.step);
            let from = machine.steps();
            machine.run(Run { until: step.min(next), depth: None });
            machine.take_output();
            if machine.steps() == from {
                break;
            }
        }
        (machine, fed)
    }

    /// Feeds a copy of the machine what comes at its step.
    fn feed_copy(&self, machine: &mut Machine, fed: &mut usize) {
        while let Some(entry) = self.log.get(*fed).filter(|entry| entry.step == machine.steps()) {
            machine.feed(&entry.event);
            *fed += 1;
        }
    }
}
