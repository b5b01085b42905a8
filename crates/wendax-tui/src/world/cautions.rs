//! What looks wrong in the run, as it is gone through between two looks at the keys.
//!
//! A short run is gone through by itself, so that the account and the source can say it; a long one while somebody looks at
//! the list.

use super::World;
use wendax_session::{Caution, Cautions, Session};

/// Steps that are gone through by themselves, at most: some tenths of a second.
const BY_ITSELF: u64 = 2_000_000;

/// What looks wrong in the run that is walked through.
#[derive(Debug, Clone, Default)]
pub(crate) struct Cautioned {
    found: Option<Cautions>,
    /// Of which session.
    of: u64,
    /// What looks wrong about the step that comes next.
    pub(crate) coming: Vec<Caution>,
}

impl Cautioned {
    /// What was found so far in a session's run.
    pub(crate) fn list<'a>(&'a self, session: &'a Session) -> impl Iterator<Item = &'a Caution> {
        self.found.iter().filter(|found| found.is_of(session)).flat_map(|found| found.list(session))
    }

    /// How far the run was gone through: steps, and all there are.
    pub(crate) fn progress(&self, session: &Session) -> (u64, u64) {
        self.found.as_ref().map_or((0, 1), |found| found.progress(session))
    }

    /// Not all of a session's run was gone through.
    pub(crate) fn is_behind(&self, session: &Session) -> bool {
        !self.found.as_ref().is_some_and(|found| found.is_of(session) && found.is_done(session))
    }

    /// There were more than are kept.
    pub(crate) fn is_full(&self) -> bool {
        self.found.as_ref().is_some_and(Cautions::is_full)
    }
}

impl World {
    /// The run has steps that were not gone through; `by_itself`: so few that it is done unasked.
    pub(crate) fn is_to_look_through(&self, session: &Session, by_itself: bool) -> bool {
        let (cautioned, sessions) = (&self.walk.cautions, self.walk.sessions);
        let known = cautioned.found.as_ref().filter(|found| cautioned.of == sessions && found.is_of(session));
        match known {
            Some(found) if found.is_done(session) => false,
            Some(found) => {
                let (done, all) = found.progress(session);
                !by_itself || all - done <= BY_ITSELF
            }
            None => !by_itself || session.end() - session.oldest() <= BY_ITSELF,
        }
    }

    /// Goes through the run for a slice.
    pub(crate) fn look_through(&mut self, slice: u64) {
        let Some(session) = &self.walk.session else { return };
        let cautioned = &mut self.walk.cautions;
        let meant = &[self.program.meant_in_runs.as_slice(), self.hushed.as_slice()].concat();
        let is_it = |found: &Cautions| found.is_of(session) && found.meant_in_all() == meant;
        let is_known = cautioned.of == self.walk.sessions && cautioned.found.as_ref().is_some_and(is_it);
        if !is_known {
            (cautioned.found, cautioned.of) = (Some(Cautions::new(session).with_meant(meant)), self.walk.sessions);
        }
        let Some(found) = &mut cautioned.found else { return };
        if found.work(session, slice) {
            cautioned.coming = found.coming(session);
        }
    }

    /// What looks wrong about the present moment's step, as far as that is known.
    pub(super) fn follow_cautions(&mut self) {
        let Some(session) = &self.walk.session else { return };
        let (cautioned, sessions) = (&mut self.walk.cautions, self.walk.sessions);
        let known = cautioned.found.as_mut().filter(|found| cautioned.of == sessions && found.is_of(session));
        cautioned.coming = known.map_or_else(Vec::new, |found| found.coming(session));
    }
}
