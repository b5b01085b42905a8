//! Running a machine to the next moment at which a stop is met.
//!
//! Blind as far as nothing that is looked out for comes, and one step with the judge where it does.

use super::judge::{Hits, Judge};
use crate::log::Entry;
use crate::rerun::Question;
use std::ops::ControlFlow;
use wendax_machine::{Machine, Run, Stop};

/// How a run ended that was looking.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Looked {
    /// At least one stop is met here; the step before ended so.
    Met(Hits, Stop),
    /// Something else stopped it.
    Stopped(Stop),
}

/// What it costs to stop at a moment and judge it, in steps, and what each stop adds: from 0.5 to 2 µs, and some tenths of one
/// (measured; a slice of 150,000 is to end within 8 ms).
const LOOK: u64 = 32;
const EACH: u64 = 5;

/// Runs on to the next moment at which a stop is met, or as `how` says. The machine must have been armed by the judge, and
/// what comes at its moment been fed. What arrives at a moment is told when that is about to be left, so nothing is said
/// of the one it is to run to, unless a step that led there met a stop.
pub(crate) fn look(machine: &mut Machine, judge: &mut Judge, how: Run) -> Looked {
    let mark = machine.effort();
    let mut hits = Hits::new();
    loop {
        judge.enter(machine, &mut hits);
        if !hits.is_empty() {
            return Looked::Met(hits, Stop::Breakpoint);
        }
        let left = how.effort.saturating_sub(machine.effort_since(mark));
        let is_over = match () {
            () if machine.steps() >= how.until => Some(Stop::Steps),
            () if machine.cycles() >= how.cycles => Some(Stop::Cycles),
            () if left == 0 => Some(Stop::Worked),
            () => None,
        };
        if let Some(stop) = is_over {
            return Looked::Stopped(stop);
        }
        judge.arrive(machine, &mut hits);
        if !hits.is_empty() {
            return Looked::Met(hits, Stop::Breakpoint);
        }
        let until = how.until.min(judge.next_moment(machine.steps()));
        let run = Run { effort: left, until, ..how };
        let stop = if judge.takes_each_step() { Stop::Watched } else { machine.run(run) };
        if matches!(stop, Stop::Breakpoint | Stop::Watched) {
            machine.note_work(LOOK + EACH * judge.stops.len() as u64);
        }
        // Whatever stopped it: what the last step entered belongs to that step.
        judge.enter(machine, &mut hits);
        match stop {
            Stop::Steps | Stop::Breakpoint | Stop::Observed => {}
            Stop::Watched => {
                judge.arrive(machine, &mut hits);
                if !hits.is_empty() {
                    return Looked::Met(hits, Stop::Breakpoint);
                }
                let stop = judge.step(machine, how, &mut hits);
                judge.enter(machine, &mut hits);
                if !hits.is_empty() {
                    if machine.steps() < how.until {
                        judge.arrive(machine, &mut hits);
                    }
                    return Looked::Met(hits, stop);
                }
                if !matches!(stop, Stop::Steps | Stop::Breakpoint | Stop::Observed) {
                    return Looked::Stopped(stop);
                }
            }
            other if hits.is_empty() => return Looked::Stopped(other),
            other => return Looked::Met(hits, other),
        }
    }
}

/// The moments at which stops are met, told one after the other; one at which several are met may be told several times.
pub(crate) struct Judged<'a, F> {
    judge: &'a mut Judge,
    met: F,
    is_answered: bool,
}

impl<'a, F: FnMut(&Machine, &Judge, &Hits) -> ControlFlow<()>> Judged<'a, F> {
    pub(crate) fn new(judge: &'a mut Judge, met: F) -> Self {
        Self { judge, met, is_answered: false }
    }

    fn tell(&mut self, machine: &Machine, hits: &Hits) {
        self.is_answered |= (self.met)(machine, self.judge, hits).is_break();
    }
}

impl<F: FnMut(&Machine, &Judge, &Hits) -> ControlFlow<()>> Question for Judged<'_, F> {
    fn feed(&mut self, machine: &mut Machine, entries: &[Entry]) {
        let mut hits = Hits::new();
        self.judge.feed(machine, entries, &mut hits);
        if !hits.is_empty() {
            self.tell(machine, &hits);
        }
    }

    fn run(&mut self, machine: &mut Machine, run: Run) -> Stop {
        match look(machine, self.judge, run) {
            Looked::Met(hits, stop) => {
                self.tell(machine, &hits);
                stop
            }
            Looked::Stopped(stop) => stop,
        }
    }

    fn is_answered(&self) -> bool {
        self.is_answered
    }
}
