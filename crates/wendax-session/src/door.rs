//! The door of a session: what people set, type, move and change, and what then becomes of the command under way and of
//! what lay ahead.

use crate::journey::{Doing, Journey, State, Why};
use crate::log::Entry;
use crate::rerun::{self, Rerun};
use crate::ribbon::MarkKind;
use crate::script::Playing;
use crate::session::{Dropped, Session};
use crate::stops::{StopAt, StopId};
use wendax_isa::Addr;
use wendax_machine::Event;

impl Session {
    /// Where runs stop from the next command on, each with the owner's number.
    pub fn set_stops(&mut self, stops: impl IntoIterator<Item = (StopId, StopAt)>) {
        self.stops.set(stops);
        // What is under way goes by them at once.
        let resting = Doing::Rests(State::Paused(Why::Asked));
        match std::mem::replace(&mut self.doing, resting) {
            Doing::Travels(Journey::Forward(forward)) => self.set_out(Journey::Forward(forward)),
            other => self.doing = other,
        }
    }

    /// Stops at these addresses from the next command on, and nowhere else.
    pub fn set_breakpoints(&mut self, addresses: impl IntoIterator<Item = Addr>) {
        let stops = addresses.into_iter().zip(0..).map(|(address, id)| (StopId(id), StopAt::address(address)));
        self.set_stops(stops);
    }

    /// From now on this comes from outside by itself.
    pub fn set_script(&mut self, script: crate::Script) {
        self.script = Playing::new(script);
    }

    /// Input is typed; it is read when the program goes on. If the past is being looked at, a new branch begins here,
    /// and what was typed at this very step before gives way. A command that was waiting for input goes on. `None`
    /// when it cannot be taken: the program has ended, or the walk is on its way through the past.
    pub fn type_input(&mut self, bytes: &[u8]) -> Option<Dropped> {
        self.take_input(Event::Typed(bytes.to_vec()))
    }

    /// No more input will be typed. `None` when that cannot be taken, as with [`Self::type_input`].
    pub fn end_input(&mut self) -> Option<Dropped> {
        self.take_input(Event::InputEnds)
    }

    /// What is typed now can be taken: the program has not ended, and the walk is not on its way through the past.
    pub fn can_be_typed_to(&self) -> bool {
        let on_its_way = match &self.doing {
            Doing::Travels(Journey::Forward(_)) => self.now() != self.edge.step,
            Doing::Travels(_) => true,
            Doing::Rests(_) | Doing::Waits(_) => false,
        };
        !on_its_way && !matches!(self.state(), State::Finished(_)) && self.at.machine.finished().is_none()
    }

    fn take_input(&mut self, event: Event) -> Option<Dropped> {
        let at_edge = self.now() == self.edge.step;
        if !self.can_be_typed_to() {
            return None;
        }
        let dropped = if at_edge { Dropped::default() } else { self.branch(false) };
        self.push(event);
        self.take_back_arrival();
        if let Doing::Waits(forward) = &mut self.doing
            && let Some(forward) = forward.take()
        {
            self.edge.state = None;
            self.set_out(Journey::Forward(forward));
        } else if matches!(self.state(), State::Waiting | State::Idle { .. }) {
            self.edge.state = None;
            self.doing = Doing::Rests(State::Paused(Why::Typed));
        }
        Some(dropped)
    }

    /// The sixteen levers stand like this from now on. If the past is being looked at, a new branch begins here; a
    /// program that runs goes on. `None` when nothing was moved: the program has ended, or the walk is on its way through
    /// the past.
    pub fn move_levers(&mut self, levers: u32) -> Option<Dropped> {
        let at_edge = self.now() == self.edge.step;
        match &self.doing {
            Doing::Travels(Journey::Forward(_)) if at_edge && self.at.machine.finished().is_none() => {
                self.happen(Event::Levers(levers));
                Some(Dropped::default())
            }
            Doing::Travels(_) => None,
            Doing::Waits(_) => {
                let forward = if let Doing::Waits(forward) = &mut self.doing { forward.take() } else { None };
                let dropped = self.edit(Event::Levers(levers))?;
                if let Some(forward) = forward {
                    self.set_out(Journey::Forward(forward));
                }
                Some(dropped)
            }
            Doing::Rests(state) if at_edge && self.at.machine.finished().is_none() => {
                // Nothing lies ahead, and nothing that lies behind is another thing by this.
                let goes_on = matches!(state, State::Ready | State::Paused(_));
                self.happen(Event::Levers(levers));
                if !goes_on {
                    self.edge.state = None;
                    self.doing = Doing::Rests(State::Paused(Why::Edited));
                }
                Some(Dropped::default())
            }
            Doing::Rests(_) => self.edit(Event::Levers(levers)),
        }
    }

    /// Answers what [`crate::Progress::Asks`] asked.
    pub fn answer(&mut self, event: Event) {
        self.push(event);
    }

    /// Changes the state as it is now; a new branch begins here. `None` when nothing was changed, since a command is
    /// under way or the program has ended.
    pub fn edit(&mut self, event: Event) -> Option<Dropped> {
        if self.is_running() || self.at.machine.finished().is_some() {
            return None;
        }
        let was = self.found(&event);
        let dropped = self.branch(true);
        self.at.machine.feed(&event);
        let entry = Entry { step: self.now(), event, printed: self.at.machine.printed(), was };
        self.log.insert(self.at.fed, entry);
        self.at.fed += 1;
        self.mark(MarkKind::Edit);
        self.doing = Doing::Rests(State::Paused(Why::Edited));
        Some(dropped)
    }

    /// Takes back the changes by hand made at the present step, down to so many on the branch; what they dropped stays
    /// dropped. Tells whether there were any.
    pub fn take_back_edits(&mut self, left: usize) -> bool {
        let edits = self.edits();
        let gone = edits.get(left..).unwrap_or_default();
        if gone.is_empty() || gone.iter().any(|edit| edit.step != self.now()) || self.is_running() {
            return false;
        }
        self.branch(true);
        for _ in 0..gone.len() {
            self.at.fed -= 1;
            self.log.remove(self.at.fed);
        }
        // The state without them is that of the steps before, done again.
        let (now, fed) = (self.now(), self.at.fed);
        let rerun = Rerun::at(self.past(), now);
        let mut machine = rerun.at.machine;
        let here = self.log.before(self.log.index_at(now)).len();
        rerun::feed(&mut machine, &self.log.before(fed)[here..]);
        self.at.machine = machine;
        if left == 0 || edits.get(left - 1).is_none_or(|edit| edit.step != now) {
            self.left.unmark_edit(now);
        }
        self.doing = Doing::Rests(State::Paused(Why::Edited));
        true
    }
}
