//! Who wrote something last, asked by the account of an instruction.
//!
//! The intervals between checkpoints in which it can have happened are run again on a copy of the machine, the newest
//! first, with someone who looks at each step's report.

use super::story::{set_by_hand, writing_before};
use crate::effects::{Effects, Last};
use crate::rerun::{Rerun, Seen};
use crate::session::{ByHand, Session};
use crate::stops::{Thing, is_written};
use wendax_isa::{Addr, StepNo};
use wendax_machine::Report;

/// Questions asked by themselves look at so many steps at the most, some hundredths of a second.
const MOST_STEPS: u64 = 3_000_000;

/// Who wrote something last.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LastWriter {
    /// This step.
    Step(Box<Effects>),
    /// A person.
    ByHand(ByHand),
}

/// Who wrote something last before a step; `None` when nobody did, or it was so long ago that it would take a while to
/// find out.
pub fn last_write(session: &Session, thing: Thing, before: StepNo) -> Option<LastWriter> {
    let step = last_step_that_wrote(session, thing, before);
    let since = step.as_ref().map_or(StepNo::FIRST, |effects| effects.step + 1);
    let by_hand = set_by_hand(session, thing, since, before).map(LastWriter::ByHand);
    by_hand.or_else(|| step.map(|effects| LastWriter::Step(Box::new(effects))))
}

fn last_step_that_wrote(session: &Session, thing: Thing, before: StepNo) -> Option<Effects> {
    let mut looked_at = 0;
    for (from, until) in writing_before(session, thing, before) {
        if looked_at >= MOST_STEPS {
            return None;
        }
        looked_at += until - from;
        let found = last_in_interval(session, thing, from, until);
        if found.is_some() {
            return found;
        }
    }
    None
}

fn last_in_interval(session: &Session, thing: Thing, from: StepNo, until: StepNo) -> Option<Effects> {
    let mut rerun = Rerun::at(session.past(), from);
    let word_bytes = rerun.at.machine.target().word_bytes();
    let mut last = Last { fits: |report: &Report| is_written(report, thing), found: None, word_bytes };
    rerun.go_through(session.past(), until, &mut Seen(&mut last));
    last.found
}

impl Session {
    /// The last moment before the present one at which an instruction arrived; `None` when there is none, or it was so long
    /// ago that it would take a while to find out.
    pub fn last_arrival(&self, address: Addr) -> Option<StepNo> {
        let mut looked_at = 0;
        for (from, until) in self.intervals(self.oldest(), self.now()).into_iter().rev() {
            if looked_at >= MOST_STEPS {
                return None;
            }
            looked_at += until - from;
            let mut rerun = Rerun::at(self.past(), from);
            let word_bytes = rerun.at.machine.target().word_bytes();
            let fits = |report: &Report| report.arrived() == Some(address);
            let mut last = Last { fits, found: None, word_bytes };
            rerun.go_through(self.past(), until, &mut Seen(&mut last));
            if let Some(effects) = last.found {
                return Some(effects.step);
            }
        }
        None
    }
}
