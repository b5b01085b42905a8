//! Another moment beside the present one: which one, and what differs, as it follows the walk.

use super::World;
use crate::panes::both::{States, states_of};
use wendax_machine::StepNo;
use wendax_session::{Apart, Session};

/// The moment that the present one is compared with.
#[derive(Debug, Clone, Default)]
pub(crate) struct Beside {
    /// It, and what it is called.
    pub(crate) moment: Option<(StepNo, String)>,
    /// Another run, of which the moment with as many steps as the present one has is meant.
    pub(crate) run: Option<Box<Session>>,
    /// Moments of this run and of the other one at which both stood at the same place, as they were walked together.
    pairs: Vec<(StepNo, StepNo)>,
    apart: Option<Apart>,
    states: Option<States>,
}

impl Beside {
    /// What differs, when that is known of the present moment.
    pub(crate) fn apart(&self, session: &Session) -> Option<&Apart> {
        let (moment, now) = (self.step(session)?, session.now());
        let moments = if self.run.is_some() { (moment, now) } else { (moment.min(now), moment.max(now)) };
        self.apart.as_ref().filter(|apart| apart.is_of(session) && apart.moments() == moments)
    }

    /// The step of the moment.
    pub(crate) fn step(&self, session: &Session) -> Option<StepNo> {
        let (moment, _) = self.moment.as_ref()?;
        let Some(run) = &self.run else { return Some(*moment) };
        let now = session.now();
        // Where they were walked together, the moment that belongs to this one; else that with as many steps.
        let pair = self.pairs.iter().rev().find(|(here, _)| *here <= now);
        let is_apart = session.parts_from(run).is_none_or(|parts| now > parts);
        Some(match pair {
            Some((here, there)) if *here == now || is_apart => *there,
            _ => now.min(run.end()),
        })
    }

    /// The two states row by row, when they are known of the present moment.
    pub(crate) fn states(&self, session: &Session) -> Option<&States> {
        let moments = (session.now(), self.step(session)?);
        self.states.as_ref().filter(|states| states.moments == moments && states.branch == session.branches())
    }

    /// Another moment is meant from now on.
    pub(crate) fn set(&mut self, moment: (StepNo, String), run: Option<Box<Session>>) {
        *self = Self { moment: Some(moment), run, ..Self::default() };
    }

    /// There is such a moment.
    pub(crate) fn is_there(&self, session: &Session) -> bool {
        let of = self.run.as_deref().unwrap_or(session);
        self.step(session).is_some_and(|step| of.oldest() <= step && step <= of.end())
    }
}

impl World {
    /// Sets the two states next to each other.
    pub(crate) fn set_beside(&mut self) {
        let Some(session) = &self.walk.session else { return };
        let beside = &mut self.walk.beside;
        let Some(step) = beside.step(session) else { return };
        let of = beside.run.as_deref().unwrap_or(session);
        let there = of.machine_at(step);
        beside.states = there.map(|there| states_of(session, of, &there, (session.now(), step)));
    }

    /// The next moment of this run at which another one that stands beside comes to the same place, or the one before; notes
    /// which moment of that belongs to it. Nothing where there is none.
    pub(crate) fn together(&mut self, is_on: bool) -> Option<StepNo> {
        let session = self.walk.session.as_ref()?;
        let beside = &mut self.walk.beside;
        let (now, there) = (session.now(), beside.step(session)?);
        let run = beside.run.as_ref()?;
        if is_on {
            let (here, other) = session.next_together(now, run, there)?;
            beside.pairs.retain(|(here, _)| *here <= now);
            if beside.pairs.last() != Some(&(now, there)) {
                beside.pairs.push((now, there));
            }
            beside.pairs.push((here, other));
            return Some(here);
        }
        beside.pairs.retain(|(here, _)| *here < now);
        beside.pairs.last().map(|(here, _)| *here)
    }

    /// Something is to be found out of how the two moments differ.
    pub(crate) fn is_to_compare(&self, session: &Session) -> bool {
        let beside = &self.walk.beside;
        beside.is_there(session) && beside.apart(session).is_none_or(|apart| !apart.is_done())
    }

    /// Finds it out for a slice.
    pub(crate) fn compare(&mut self, slice: u64) {
        let Some(session) = &self.walk.session else { return };
        let beside = &mut self.walk.beside;
        if beside.apart(session).is_none() {
            let (now, moment) = (session.now(), beside.step(session));
            beside.apart = moment.and_then(|moment| match &beside.run {
                Some(run) => Apart::across(session, now, run, moment),
                None => Apart::between(session, moment, now),
            });
        } else if let Some(apart) = &mut beside.apart {
            apart.work(session, slice);
        }
    }
}
