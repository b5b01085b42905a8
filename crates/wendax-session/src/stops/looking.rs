//! Running a machine to the next moment at which a stop is met.
//!
//! Blind as far as nothing that is looked out for comes, and one step with the judge where it does.

use super::judge::{Hits, Judge};
use wendax_machine::{Machine, Run, Stop};

/// How a run ended that was looking.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Looked {
    /// At least one stop is met here, by index; the step before ended so.
    Met(Hits, Stop),
    /// Something else stopped it.
    Stopped(Stop),
}

/// Runs on to the next moment at which a stop is met, or as `how` says. Returns also the work done beside plain steps.
/// The machine must have been armed by the judge; an instruction that is a stop itself and is next does not count.
pub(crate) fn look(machine: &mut Machine, judge: &mut Judge, how: Run) -> (Looked, u64) {
    let mut worked = 0;
    let ran = machine.plain_steps();
    let mut hits = Hits::new();
    loop {
        let until = how.until.min(judge.next_moment(machine.steps()));
        let plain = how.plain.saturating_sub(machine.plain_since(ran));
        let left = Run { work: how.work.saturating_sub(worked), plain, until, ..how };
        let is_worked = left.work == 0 || left.plain == 0;
        if machine.steps() >= how.until || machine.cycles() >= how.cycles || is_worked {
            let stop = match () {
                () if is_worked => Stop::Worked,
                () if machine.steps() >= how.until => Stop::Steps,
                () => Stop::Cycles,
            };
            return (Looked::Stopped(stop), worked);
        }
        let from = machine.steps();
        let stop = if judge.every { Stop::Watched } else { machine.run(left) };
        worked += if judge.every { 1 } else { machine.worked() };
        let stop = match stop {
            Stop::Watched => {
                let stop = judge.step(machine, left, &mut hits);
                worked += machine.worked();
                stop
            }
            Stop::Breakpoint => {
                judge.at_place(machine, &mut hits);
                stop
            }
            other => {
                // It may have been stopped at a place; going on from there would pass that.
                if machine.steps() > from {
                    judge.at_place(machine, &mut hits);
                }
                other
            }
        };
        if !hits.is_empty() {
            return (Looked::Met(hits, stop), worked);
        }
        // A place whose condition does not hold is none; neither is the end of a single step.
        if !matches!(stop, Stop::Steps | Stop::Breakpoint | Stop::Observed) {
            return (Looked::Stopped(stop), worked);
        }
    }
}
