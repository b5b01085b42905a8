//! The stops of a walk: which there are, how often the command under way has met each, and which stand at the present
//! moment.
//!
//! A judge tells what is met; here it is counted and decided what that means: to stop, or to let something come.

use super::judge::{Armed, Hit, Hits, Judge};
use super::meetings::{Count, Meetings};
use super::{StopAt, StopId};
use wendax_isa::StepNo;

/// The stops of a walk.
#[derive(Debug, Clone, Default)]
pub(crate) struct Stops {
    /// Where runs are to stop.
    pub(crate) list: Vec<Armed>,
    pub(crate) meetings: Meetings,
    /// Tells what the command under way meets: its own stops, those of the list, those that events wait for.
    pub(crate) judge: Option<Box<Judge>>,
    /// How often each stop of the judge has been met.
    pub(crate) times: Vec<Count>,
    /// What levers met that were moved since the last slice.
    pub(crate) moved: Hits,
    /// What arrives at the very first moment is judged by the first command too.
    pub(crate) judges_start: bool,
    /// Stops that are met at the present moment.
    pub(crate) met: Vec<StopId>,
}

impl Stops {
    /// These are the stops from now on.
    pub(crate) fn set(&mut self, stops: impl IntoIterator<Item = (StopId, StopAt)>) {
        self.list = stops.into_iter().map(|(id, stop)| Armed { id, stop }).collect();
        self.meetings.follow(&self.list);
    }

    /// What lies at or behind a step is gone.
    pub(crate) fn drop_from(&mut self, now: StepNo) {
        self.met.clear();
        self.meetings.truncate(now);
    }

    /// A command begins with this judge; none of its stops has been met yet.
    pub(crate) fn begin(&mut self, judge: Judge) {
        self.times = vec![Count::default(); judge.stops.len()];
        self.judge = Some(Box::new(judge));
    }

    /// A stop of the judge is met at a moment: see [`Count::meet`].
    pub(crate) fn meet(&mut self, hit: &Hit, now: StepNo) -> Option<u64> {
        self.times.get_mut(hit.index)?.meet(now)
    }

    /// Counts what is met at a moment, each stop once, and takes down those that stop the run. What belongs to events is
    /// told to `event`, which says whether something comes by that; true when something does.
    pub(crate) fn count(
        &mut self,
        judge: &Judge,
        hits: &[Hit],
        now: StepNo,
        mut event: impl FnMut(StopId) -> bool,
    ) -> bool {
        let mut has_come = false;
        for hit in hits {
            let Some(times) = self.meet(hit, now) else { continue };
            let Armed { id, stop } = &judge.stops[hit.index];
            if *id >= StopId::SCRIPT && *id < StopId::UNTIL {
                has_come |= event(*id);
            } else if stop.stops() && stop.times.fits(times) {
                self.met.push(*id);
            }
        }
        has_come
    }

    /// No place has been met at a moment after all: nothing arrived there.
    pub(crate) fn take_back_arrivals(&mut self, now: StepNo) {
        let Some(judge) = &self.judge else { return };
        for (count, armed) in self.times.iter_mut().zip(&judge.stops) {
            if count.last == Some(now) && armed.stop.is_place() {
                *count = Count { times: count.times - 1, last: now.checked_sub(1) };
            }
        }
    }

    /// The command under way has stops that are no instructions.
    pub(crate) fn looks(&self) -> bool {
        self.judge.as_ref().is_some_and(|judge| judge.looks())
    }
}
