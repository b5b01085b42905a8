//! Another moment beside the present one: which one, and what differs, as it follows the walk.

use super::World;
use wendax_machine::StepNo;
use wendax_session::{Apart, Session};

/// The moment that the present one is compared with.
#[derive(Debug, Clone, Default)]
pub(crate) struct Beside {
    /// It, and what it is called.
    pub(crate) moment: Option<(StepNo, String)>,
    /// Another run, of which the moment with as many steps as the present one has is meant.
    pub(crate) run: Option<Box<Session>>,
    apart: Option<Apart>,
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
        Some(self.run.as_ref().map_or(*moment, |run| session.now().min(run.end())))
    }

    /// There is such a moment.
    pub(crate) fn is_there(&self, session: &Session) -> bool {
        let of = self.run.as_deref().unwrap_or(session);
        self.step(session).is_some_and(|step| of.oldest() <= step && step <= of.end())
    }
}

impl World {
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
