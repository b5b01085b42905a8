//! A walk through one run: the machine at some step, and all that is needed to be at another. Here is what it is made of
//! and what can be seen of it; how it moves lies in `moving`, what people do to it in `door`.
//!
//! What always holds: every event of the log before the cursor's index `fed` has been fed to the machine and no other; at rest those
//! are the events of earlier steps and the changes by hand at the present one, so that each step has one state, however
//! it is come to. `edge` is the furthest step taken on this branch; checkpoints, log, transcript and ribbon tell of
//! this branch only; `trail` ends at the present step or is empty. What the walk takes in memory has a bound: see
//! [`Session::with_budget`].

use crate::cursor::Cursor;
use crate::effects::Effects;
use crate::history::{Checkpoint, History};
use crate::journey::{Doing, State};
use crate::left::{Left, Pin};
use crate::log::{Entry, Log};
use crate::lookers::LineLooker;
use crate::past::Past;
use crate::rerun;
use crate::ribbon::{Mark, Ribbon};
use crate::script::Playing;
use crate::stops::{Armed, Judge, Met, Noted, StopAt, StopId, Stops, times_met};
use crate::transcript::Piece;
use std::collections::VecDeque;
use std::sync::Arc;
use wendax_image::Image;
use wendax_isa::{Addr, RegisterUse, StepNo};
use wendax_machine::{Event, Machine, Settings, Tone, Watch};
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

/// Where a walk stands, and in what: as long as that is the same, so is all that is told of the present moment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stand {
    step: StepNo,
    branch: u64,
    /// What came from outside so far, also what is still to come at this step.
    entries: usize,
    state: State,
    /// How often lines and names became other ones.
    texts: u64,
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
    pub(crate) budget: usize,
    /// What a run looks out for that does nothing new.
    pub(crate) watch: Watch,
    /// Bytes that may be printed.
    pub(crate) output: u64,
    /// Steps that may be taken.
    pub(crate) steps: StepNo,
    /// Milliseconds that may pass on the clock made of cycles.
    pub(crate) milliseconds: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Self { budget: BUDGET, watch: Watch::Circling, output: u64::MAX, steps: StepNo::LAST, milliseconds: u64::MAX }
    }
}

/// A walk through a run.
#[derive(Debug, Clone)]
pub struct Session {
    pub(crate) image: Arc<Image>,
    pub(crate) sources: Sources,
    /// How often both became other ones.
    texts: u64,
    /// Where it stands.
    pub(crate) at: Cursor,
    pub(crate) history: History,
    pub(crate) log: Log,
    pub(crate) left: Left,
    pub(crate) stops: Stops,
    pub(crate) edge: Edge,
    pub(crate) doing: Doing,
    pub(crate) trail: VecDeque<Effects>,
    /// What the last command changed as a whole, when it took several steps.
    pub(crate) stride: Option<Effects>,
    /// Addresses of the loop the program repeats, when it does.
    pub(crate) round: Vec<Addr>,
    pub(crate) line_looker: Option<LineLooker>,
    pub(crate) limits: Limits,
    /// Goes up with every new branch.
    pub(crate) branches: u64,
    /// Checkpoints kept so far.
    pub(crate) kept: u64,
    /// What is to come from outside by itself.
    pub(crate) script: Playing,
}

impl Session {
    /// A walk that stands before the first step.
    pub fn new(image: impl Into<Arc<Image>>, settings: Settings) -> Self {
        let image = image.into();
        let mut at = Cursor::new(Machine::new(&image, settings));
        let start = Checkpoint { at: at.keep(), used: RegisterUse::default() };
        Self {
            image,
            sources: Sources::new(),
            texts: 0,
            at,
            history: History::new(start),
            log: Log::default(),
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

    /// The same with moments of the past kept so much effort apart, at least 1: steps, and work worth as much. Half a
    /// million when it is not said; fewer take less room, and going back takes longer.
    #[must_use]
    pub fn keeping_moments_each(mut self, effort: u64) -> Self {
        self.history.interval = effort.max(1);
        self
    }

    /// The same with the depth of calls noted for so many steps at once, at least 1, instead of as closely as there is room
    /// for: a short run, of which nobody sees the ribbon, goes on without a stop for each piece of it.
    #[must_use]
    pub fn noting_depth_each(mut self, steps: u64) -> Self {
        self.left.ribbon = Ribbon::coarse(steps);
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

    /// The same, stopping once so many milliseconds have passed on the clock made of cycles; see [`Why::Time`].
    #[must_use]
    pub fn stopping_after_milliseconds(mut self, milliseconds: u64) -> Self {
        self.limits.milliseconds = milliseconds;
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
        &self.at.machine
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
        let pc = self.at.machine.pc();
        match (self.state(), self.last_step()) {
            (State::Finished(_), Some(last)) => last.pc,
            (State::Fault(_), Some(last)) if self.image.line_at(pc).is_none() => last.pc,
            _ => pc,
        }
    }

    /// Steps taken up to the present moment.
    pub fn now(&self) -> StepNo {
        self.at.machine.steps()
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

    /// The state at [`Self::oldest`], changes by hand there left aside.
    pub fn oldest_state(&self) -> &wendax_machine::Snapshot {
        &self.history.oldest().at.snapshot
    }

    /// Goes up with every new branch: what was computed of steps of an older one may not be true of this.
    pub fn branches(&self) -> u64 {
        self.branches
    }

    /// The moments that are kept, in order: what lies between is done again from the one before.
    pub fn kept_moments(&self) -> impl Iterator<Item = StepNo> {
        self.history.steps()
    }

    /// Bytes that history and log take.
    pub fn memory_in_use(&self) -> usize {
        self.history.bytes() + self.log.bytes() + self.at.machine.kept_input()
    }

    /// Where it stands.
    pub fn stand(&self) -> Stand {
        let (step, branch, entries) = (self.now(), self.branches, self.log.len());
        Stand { step, branch, entries, state: self.state().clone(), texts: self.texts }
    }

    /// It takes the place of another one that was perhaps a branch of it: what was found out about a branch of that one is
    /// not taken for true of this.
    pub fn branch_apart(&mut self, other: &Self) {
        self.branches = self.branches.max(other.branches) + 1;
    }

    /// Moments that were given names, in order of time. They go with what lay ahead when a new branch begins before them.
    pub fn pins(&self) -> &[Pin] {
        self.left.pins()
    }

    /// Gives the present moment a name; a moment that had it before has it no more.
    ///
    /// # Errors
    ///
    /// A name that reads as something else, as a sentence.
    pub fn pin(&mut self, name: &str) -> Result<(), String> {
        let name = name.trim();
        let is_word = name.chars().all(|sign| sign.is_alphanumeric() || "_-".contains(sign));
        let is_number = name.starts_with(|sign: char| sign.is_ascii_digit() || sign == '-');
        if name.is_empty() || !is_word || is_number || ["start", "now", "end", "entry", "round"].contains(&name) {
            return Err(
                "a name is a word of letters and digits that is no number, and none of start, now, end, entry, \
                        round"
                    .to_owned(),
            );
        }
        let now = self.now();
        self.left.pin(now, name);
        Ok(())
    }

    /// Takes a name away from its moment; true when there was one.
    pub fn unpin(&mut self, name: &str) -> bool {
        self.left.unpin(name)
    }

    /// The step from which on another run of the same program is another one: the first at which something else came from
    /// outside. `None` where they are the same as far as both go, and where the programs or what they were given are others.
    pub fn parts_from(&self, other: &Self) -> Option<StepNo> {
        if !self.is_same_program(other) {
            return None;
        }
        let (mine, others) = (self.entries(), other.entries());
        let same =
            mine.iter().zip(others).take_while(|(one, other)| (one.step, &one.event) == (other.step, &other.event));
        let at = same.count();
        [mine.get(at), others.get(at)].into_iter().flatten().map(|entry| entry.step).min()
    }

    /// Another run is of the same program, given the same.
    pub fn is_same_program(&self, other: &Self) -> bool {
        self.machine().target() == other.machine().target()
            && (Arc::ptr_eq(&self.image, &other.image) || self.image.segments == other.image.segments)
            && self.image.entry == other.image.entry
            && self.machine().settings() == other.machine().settings()
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

    /// Bytes that were printed before those of [`Self::console`] and are no longer kept.
    pub fn forgotten_output(&self) -> u64 {
        self.left.output_up_to(self.at.machine.printed()).0
    }

    /// The end of [`Self::console`]: its last `most` bytes, without a copy of what lies before them.
    pub fn console_end(&self, most: usize) -> Vec<Piece> {
        self.placed_console(most).into_iter().map(|(_, piece)| piece).collect()
    }

    /// The same, each piece with the position of its first byte in all that was printed, or all that was typed: see
    /// [`Self::printed_at`] and [`Self::taken_at`].
    pub fn placed_console(&self, most: usize) -> Vec<(u64, Piece)> {
        let (base, output) = self.left.output_up_to(self.at.machine.printed());
        let index = |at: u64| usize::try_from(at.saturating_sub(base)).unwrap_or(usize::MAX).min(output.len());
        let skipped = |bytes: &[u8], left: usize| bytes.len().saturating_sub(left);
        let printed = |begin: usize, end: usize, left: usize| {
            let begin = begin + skipped(&output[begin..end], left);
            (base + begin as u64, Piece::Printed(output[begin..end].to_vec()))
        };
        // What was typed ahead at the present end stands there too.
        let known = if self.now() == self.edge.step { self.log.len() } else { self.at.fed };
        let typed = self.log.before(known).iter().rev().take_while(|entry| entry.printed >= base);
        let ahead = self.log.from(self.at.fed).iter().take(known.saturating_sub(self.at.fed));
        let ahead = ahead.map(|entry| if let Event::Typed(bytes) = &entry.event { bytes.len() as u64 } else { 0 });
        let mut typed_end = self.at.machine.typed() + ahead.sum::<u64>();
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
        let (base, output) = self.left.output_up_to(self.at.machine.printed());
        let from = usize::try_from(position.saturating_sub(base)).unwrap_or(usize::MAX);
        output.get(from..).unwrap_or_default()
    }

    /// The tones of the branch, in order.
    pub fn tones(&self) -> &[Tone] {
        self.left.tones()
    }

    /// Input that was typed at this very step and will be taken when going on.
    pub fn recorded_input(&self) -> Option<&[u8]> {
        let mut here = self.log.from(self.at.fed).iter().take_while(|entry| entry.step == self.now());
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
        let mut machine = rerun::plain(&self.at.machine);
        rerun::feed(&mut machine, self.log.due_at(self.at.fed, self.now()));
        machine
    }

    /// The addresses of a round of the loop the program repeats for ever, in order, each once.
    pub fn round(&self) -> &[Addr] {
        match self.state() {
            State::Circling { .. } | State::Idle { .. } => &self.round,
            _ => &[],
        }
    }

    /// The same program came of another text: takes over its lines and names.
    pub fn relabel(&mut self, image: Image, sources: Sources) {
        (self.image, self.sources) = (Arc::new(image), sources);
        self.texts += 1;
    }

    // ---- stops

    /// The stops, with their numbers.
    pub fn stops(&self) -> impl Iterator<Item = (StopId, &StopAt)> {
        self.stops.list.iter().map(|armed| (armed.id, &armed.stop))
    }

    /// How often a stop was met on this branch, as far as that was counted: see [`Self::count_meetings`].
    pub fn met_so_far(&self, id: StopId) -> Option<Met> {
        self.stops.meetings.met_so_far(id)
    }

    /// All that was noted on this branch, as far as that was counted, in order of step; of each stop the latest.
    pub fn notes(&self) -> Vec<Noted> {
        self.stops.meetings.notes()
    }

    /// How many notes were taken before those that are kept.
    pub fn forgotten_notes(&self) -> u64 {
        self.stops.meetings.forgotten_notes()
    }

    /// Counts meetings up to the end of the branch, for about as long as `budget` steps take; true when nothing is left
    /// to count.
    pub fn count_meetings(&mut self, budget: u64) -> bool {
        self.count_up_to(self.end(), budget)
    }

    pub(crate) fn count_up_to(&mut self, step: StepNo, budget: u64) -> bool {
        let mut meetings = std::mem::take(&mut self.stops.meetings);
        let is_over = meetings.count_up_to(&self.stops.list, self.past(), step, budget);
        self.stops.meetings = meetings;
        is_over
    }

    /// Nothing is left to count; see [`Self::count_meetings`].
    pub fn is_counted(&self) -> bool {
        self.stops.meetings.is_counted(self.past())
    }

    /// How often a stop was met on this branch up to a moment, what arrives there included: counted from the beginning.
    pub fn times_met(&self, stop: &StopAt, step: StepNo) -> u64 {
        times_met(self.past(), stop, step)
    }

    /// The stops that the present moment was stopped at for.
    pub fn met(&self) -> &[StopId] {
        &self.stops.met
    }

    /// The judge of some stops, for the present moment.
    pub(crate) fn judge_here(&self, stops: Vec<Armed>) -> Judge {
        let mut judge = Judge::new(stops, &self.at.machine);
        judge.stands_behind(&self.at.machine, self.at.tail.bytes());
        judge
    }

    /// What is known of the branch, to be gone through again.
    pub(crate) fn past(&self) -> Past<'_> {
        Past {
            machine: &self.at.machine,
            history: &self.history,
            log: &self.log,
            end: self.edge.step,
            branch: self.branches,
        }
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

    /// Events from outside, each with the step before which it happened.
    pub(crate) fn events(&self) -> impl Iterator<Item = (StepNo, &Event)> {
        self.log.entries().iter().map(|entry| (entry.step, &entry.event))
    }

    /// What was to come from outside and did not on this branch: the lines of the file, and how many there are in it.
    pub fn missing_events(&self) -> (Vec<usize>, usize) {
        self.script.missing()
    }
}

fn by_hand(entry: &Entry) -> ByHand {
    ByHand { step: entry.step, event: entry.event.clone(), was: entry.was }
}
