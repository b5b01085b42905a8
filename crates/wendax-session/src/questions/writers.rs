//! Who wrote something last, asked by the account of an instruction.
//!
//! The intervals between checkpoints are run again on a copy of the machine, the newest first, with someone who looks
//! at each step's report. An interval in which nothing can have happened (the page in question is one and the same at
//! both ends) is passed over.

use super::story::is_set_by;
use crate::effects::{Effects, Last};
use crate::session::{ByHand, Session};
use crate::stops::{Thing, is_written};
use wendax_isa::StepNo;
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
    let by_hand = session.edits().into_iter().rev().find(|edit| edit.step <= before && is_set_by(thing, &edit.event));
    match by_hand {
        Some(edit) if edit.step >= since => Some(LastWriter::ByHand(edit)),
        _ => step.map(|effects| LastWriter::Step(Box::new(effects))),
    }
}

fn last_step_that_wrote(session: &Session, thing: Thing, before: StepNo) -> Option<Effects> {
    let mut until = before;
    let mut looked_at = 0;
    while until > session.oldest() && looked_at < MOST_STEPS {
        let start = session.history.before(until - 1);
        let next = session.history.after(until - 1);
        let unchanged = match (thing, next) {
            (Thing::Cells(from, to), Some(next)) if from + 1 == to => start.snapshot.shares_page(&next.snapshot, from),
            _ => false,
        };
        let from = start.step();
        if !unchanged {
            looked_at += until - from;
            let found = last_in_interval(session, thing, from, until);
            if found.is_some() {
                return found;
            }
        }
        until = from;
    }
    None
}

fn last_in_interval(session: &Session, thing: Thing, from: StepNo, until: StepNo) -> Option<Effects> {
    let (mut machine, mut fed) = session.machine_at(from);
    let word_bytes = machine.target().word_bytes();
    let mut last = Last { fits: |report: &Report| is_written(report, thing), found: None, word_bytes };
    session.repeat(&mut machine, &mut fed, until, |machine, run| {
        machine.run_observed(run, &mut last);
    });
    last.found
}
