//! Waiting without running the wait: a loop that does the same again and again until the timer expires.
//!
//! A few steps are looked at closely. When registers, place and flags come again, twice at the same distance, that may be
//! a round: the whole state is put aside, one round more is run, and the whole state compared with what it was. Only when
//! nothing but the counters of steps and cycles differs, and no byte of memory was changed on the way, is all that follows
//! known: as many rounds as fit before the timer's next change, or before what is to come at some cycle, are counted as
//! taken without being run. So nothing has to know what a program might do in a wait: what it takes, moves or asks for is
//! part of the state. Whoever observes a run sees each of its steps; nothing is passed over there.

use super::Machine;
use super::plain::{Exit, Limits};
use super::trace::{Done, Trace};
use crate::activity::Deed;
use crate::events::Watchful;
use crate::frames::Frame;
use crate::report::Write;
use std::ops::ControlFlow;

/// Steps that are looked at in one go; longer rounds are not found.
const GLANCE: u64 = 256;
/// Steps from one look to the next, for [`Watchful::Usual`] and [`Watchful::Closely`]: at first, and at most after looking
/// in vain.
const SOON: [u64; 2] = [64, 1];
const LATE: [u64; 2] = [1 << 16, 8];

/// When to look, and what came of it.
#[derive(Debug, Clone)]
pub(super) struct Rounds {
    next: u64,
    gap: u64,
    soon: u64,
    late: u64,
}

impl Rounds {
    pub(super) fn new(watchful: Watchful) -> Self {
        let (soon, late) = (SOON[watchful as usize], LATE[watchful as usize]);
        Self { next: soon, gap: soon, soon, late }
    }

    /// The step at which to look; one that lies far ahead is of another part of the run.
    fn due(&mut self, step: u64) -> u64 {
        self.next = self.next.min(step + self.late);
        self.next
    }

    /// A look ended at a step, and found something or not.
    fn looked(&mut self, step: u64, has_found: bool) {
        self.gap = if has_found { self.soon } else { (self.gap * 2).min(self.late) };
        self.next = step + self.gap;
    }
}

/// Where a step led, but for memory.
type Place = ([u16; 16], u16, u16);

/// Looks for a place that comes again.
struct Glance {
    /// The place waited for, the step and cycle it was met at, and the steps until another one takes its turn.
    place: Option<(Place, u64, u64)>,
    turn: u64,
    /// The distance at which it was met again once.
    period: Option<u64>,
    /// The last step that changed memory.
    changed: u64,
    step: u64,
    cycles: u64,
    /// Steps and cycles of what may be a round.
    found: Option<(u64, u64)>,
}

impl Trace for Glance {
    const WRITES: bool = true;
    const STEPS: bool = true;
    const WATCHES: bool = false;
    const LOOKS: bool = true;

    fn write(&mut self, write: Write) {
        let is_same = match write {
            // Of these the whole state knows.
            Write::Register { .. } | Write::Device { .. } => true,
            Write::Memory { old, new, was_known, .. } => old == new && was_known,
            Write::Buffer { .. } => false,
        };
        if !is_same {
            self.changed = self.step + 1;
        }
    }

    fn end(&mut self, done: &Done<'_>) -> ControlFlow<()> {
        self.step = done.step + 1;
        self.cycles += done.cycles;
        let place = (*done.registers, done.next, done.flags);
        match &self.place {
            Some((wanted, at, cycles)) if *wanted == place => {
                let (steps, took) = (self.step - at, self.cycles - cycles);
                if self.changed <= *at && self.period == Some(steps) {
                    self.found = Some((steps, took));
                    return ControlFlow::Break(());
                }
                self.period = Some(steps);
                self.turn = self.turn.max(steps);
                self.place = Some((place, self.step, self.cycles));
            }
            Some(_) if self.turn > 0 => self.turn -= 1,
            before => {
                // Each place is waited for twice as long as the one before: one of them lies within the loop.
                let waited = before.as_ref().map_or(1, |(_, at, _)| self.step - at);
                self.turn = waited * 2;
                self.period = None;
                self.place = Some((place, self.step, self.cycles));
            }
        }
        ControlFlow::Continue(())
    }
}

/// Something the loop told while rounds were looked for.
#[derive(Debug, Clone)]
pub(super) enum Told {
    Write(Write),
    Read(u16, u32),
    DeviceStored(u16),
    Moved(u64, u64),
    Entered(Frame),
    Left(i64),
    /// The end of a plain instruction.
    End {
        step: u64,
        pc: u16,
        cycles: u64,
        registers: [u16; 16],
        known: u16,
    },
}

/// A glance, and what goes along with the run beside it; what that is told is kept, to be told again for rounds that are
/// passed over.
struct Beside<'a, T> {
    glance: Glance,
    trace: &'a mut T,
    told: Vec<Told>,
}

impl<T: Trace> Beside<'_, T> {
    fn keep(&mut self, told: Told) {
        if T::RECORDS {
            self.told.push(told);
        }
    }

    /// The steps from one on once more, each for so many.
    fn tell_again(&mut self, since: u64, times: u64) {
        let first_end = |told: &Told| matches!(told, Told::End { step, .. } if *step < since);
        let from = self.told.iter().rposition(first_end).map_or(0, |last| last + 1);
        self.trace.tell_again(&self.told[from..], times);
    }
}

impl<T: Trace> Trace for Beside<'_, T> {
    const WRITES: bool = true;
    const STEPS: bool = true;
    const WATCHES: bool = false;
    const LOOKS: bool = T::LOOKS;
    const READS: bool = T::READS;

    fn begin(&mut self, code: [u16; 2]) {
        self.trace.begin(code);
    }

    fn write(&mut self, write: Write) {
        self.glance.write(write);
        self.trace.write(write);
        self.keep(Told::Write(write));
    }

    fn read(&mut self, address: u16, length: u32) {
        self.trace.read(address, length);
        self.keep(Told::Read(address, length));
    }

    fn device_stored(&mut self, address: u16) {
        self.trace.device_stored(address);
        self.keep(Told::DeviceStored(address));
    }

    fn moved(&mut self, printed: u64, consumed: u64) {
        self.trace.moved(printed, consumed);
        self.keep(Told::Moved(printed, consumed));
    }

    fn entered(&mut self, frame: &Frame) {
        self.trace.entered(frame);
        self.keep(Told::Entered(*frame));
    }

    fn left(&mut self, depth: i64) {
        self.trace.left(depth);
        self.keep(Told::Left(depth));
    }

    fn end(&mut self, done: &Done<'_>) -> ControlFlow<()> {
        let &Done { step, pc, cycles, registers, known, .. } = done;
        let flow = self.trace.end(done);
        self.keep(Told::End { step, pc, cycles, registers: *registers, known });
        if flow.is_break() { flow } else { self.glance.end(done) }
    }
}

impl Machine {
    /// How far a run may go before it is time to look for rounds that could be passed over; `None` when it is now.
    /// Without anything that will come by itself there is nothing to wait for.
    pub(super) fn look_for_rounds_at(&mut self, cycles: u64) -> Option<u64> {
        let step = self.state.common.steps;
        if self.will_come_after(self.state.common.cycles, cycles) == u64::MAX || self.around.calls.shallow.is_some() {
            return Some(u64::MAX);
        }
        let due = self.rounds.due(step);
        (due > step).then_some(due)
    }

    /// The cycle behind another one at which something changes by itself, or at which a run is to stop.
    fn will_come_after(&self, begun: u64, stop: u64) -> u64 {
        self.state.common.board.timer.next_change(begun).min(stop)
    }

    /// Looks at some steps, and passes over as many rounds as can be, until so much is printed at the most; tells why the
    /// run cannot simply go on.
    pub(super) fn pass_over_rounds<T: Trace>(
        &mut self,
        (limits, printed): (Limits, u64),
        trace: &mut T,
    ) -> Option<Exit> {
        let (begun, passed) = (self.state.common.steps, self.around.passed);
        let until = limits.until.min(begun + GLANCE);
        let (changed, step, cycles) = (begun, begun, self.state.common.cycles);
        let glance = Glance { place: None, turn: 0, period: None, changed, step, cycles, found: None };
        let mut beside = Beside { glance, trace, told: Vec::new() };
        let mut exit = self.run_beside((Limits { until, ..limits }, printed), &mut beside);
        let mut rounds = 0;
        if let Some((steps, cycles)) = beside.glance.found.take().filter(|_| exit.is_none()) {
            // One round more, with all of the state compared.
            let before = self.state.clone();
            let since = before.common.steps;
            beside.glance.place = None;
            let one = Limits { until: limits.until.min(since + steps), ..limits };
            exit = self.run_beside((one, printed), &mut beside);
            let is_round = exit.is_none()
                && self.state.common.steps == since + steps
                && self.state.common.cycles == before.common.cycles + cycles
                && beside.glance.changed <= since
                && self.state.is_but_for_time(&before);
            if is_round {
                rounds = self.pass_over((steps, cycles, since), limits);
                if T::RECORDS && rounds > 0 {
                    beside.tell_again(since, rounds);
                }
            }
        }
        // Looking closely costs about as much as running several times as far.
        let looked = self.state.common.steps - begun - (self.around.passed - passed);
        self.around.worked += looked * 4 + 32;
        self.rounds.looked(self.state.common.steps, rounds > 0);
        exit
    }

    /// Runs with a glance beside, through all that only leaves the loop for a moment.
    fn run_beside<T: Trace>(&mut self, (limits, printed): (Limits, u64), beside: &mut Beside<'_, T>) -> Option<Exit> {
        loop {
            // What was rewritten on the way is not run as it was.
            self.decode_anew();
            let before = self.state.common.steps;
            let exit = self.plainly(limits, beside);
            let is_over = self.state.common.steps >= limits.until
                || self.state.common.steps == before
                || self.state.common.console.printed >= printed
                || self.interrupt_comes();
            match exit {
                Exit::Horizon | Exit::Touched if !is_over => {}
                Exit::Horizon | Exit::Touched | Exit::Observed => return None,
                other => return Some(other),
            }
        }
    }

    /// How many rounds were passed over.
    fn pass_over(&mut self, (steps, cycles, since): (u64, u64, u64), limits: Limits) -> u64 {
        if self.around.activity.since(Deed::Worked, since) || cycles == 0 {
            return 0;
        }
        // Up to just before it comes, seen from where the round began: it may have come with its last step.
        let begun = self.state.common.cycles - cycles;
        let until = self.will_come_after(begun, limits.cycles).saturating_sub(1);
        let rounds = (until.saturating_sub(self.state.common.cycles) / cycles)
            .min(limits.until.saturating_sub(self.state.common.steps) / steps);
        self.state.common.steps += rounds * steps;
        self.state.common.cycles += rounds * cycles;
        self.around.passed += rounds * steps;
        self.around.activity.repeat(since, rounds * steps);
        rounds
    }
}
