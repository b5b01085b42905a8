//! Another moment beside the present one: which one, and what differs, as it follows the walk.

use super::World;
use wendax_machine::StepNo;
use wendax_session::{Apart, Session};

/// The moment that the present one is compared with.
#[derive(Debug, Clone, Default)]
pub(crate) struct Beside {
    /// It, and what it is called.
    pub(crate) moment: Option<(StepNo, String)>,
    apart: Option<Apart>,
}

impl Beside {
    /// What differs, when that is known of the present moment.
    pub(crate) fn apart(&self, session: &Session) -> Option<&Apart> {
        let (moment, _) = self.moment.as_ref()?;
        let is_it = |apart: &&Apart| {
            let (from, to) = apart.moments();
            apart.is_of(session) && [from, to] == [(*moment).min(session.now()), (*moment).max(session.now())]
        };
        self.apart.as_ref().filter(is_it)
    }
}

impl World {
    /// Something is to be found out of how the two moments differ.
    pub(crate) fn is_to_compare(&self, session: &Session) -> bool {
        let beside = &self.walk.beside;
        beside.moment.as_ref().is_some_and(|(step, _)| *step >= session.oldest() && *step <= session.end())
            && beside.apart(session).is_none_or(|apart| !apart.is_done())
    }

    /// Finds it out for a slice.
    pub(crate) fn compare(&mut self, slice: u64) {
        let Some(session) = &self.walk.session else { return };
        let beside = &mut self.walk.beside;
        if beside.apart(session).is_none() {
            beside.apart = beside.moment.as_ref().and_then(|(step, _)| Apart::between(session, *step, session.now()));
        } else if let Some(apart) = &mut beside.apart {
            apart.work(session, slice);
        }
    }
}
