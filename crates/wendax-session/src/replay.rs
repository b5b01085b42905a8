//! Another version of a program, given what an earlier run was given, up to the same place.
//!
//! What came from outside is given again in the same order: typed input when the program asks for it, or at the
//! step it was typed at when it does not ask; the clock when it looks. Changes a person made by hand belong to
//! the old program's state and are left out. The place is an address and how often it has been reached.

use crate::commands::{Command, Progress};
use crate::session::{Session, State};
use std::collections::VecDeque;
use wendax_image::Image;
use wendax_machine::{Event, Need, Run, Settings, Stop};

/// Counting visits goes over so many steps at the most, a second or so.
const MOST_COUNTED: u64 = 200_000_000;

/// How a replay ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    /// It is at the place.
    There,
    /// The program ended, failed or waits before it came there so often.
    Elsewhere,
}

/// A run on its way.
#[derive(Debug, Clone)]
pub struct Replay {
    session: Session,
    inputs: VecDeque<(u64, Event)>,
    address: u32,
    /// Visits still to come.
    left: u64,
}

impl Session {
    /// How often `address` has been next up to now, the present moment included; `None` when the run is too long
    /// to count.
    pub fn visits(&self, address: u32) -> Option<u64> {
        if self.now() > MOST_COUNTED {
            return None;
        }
        let mut copy = self.clone();
        copy.restore_before(0);
        let mut count = u64::from(copy.machine.pc() == address);
        copy.machine.set_breakpoints(&[address]);
        while copy.now() < self.now() {
            let from = copy.now();
            let stop = copy.replay_slice(self.now());
            let arrived = copy.machine.pc() == address && copy.now() > from;
            count += u64::from(arrived && (stop == Stop::Breakpoint || copy.now() == self.now()));
            if copy.now() == from && stop != Stop::Breakpoint {
                break;
            }
        }
        Some(count)
    }

    /// Changes made by hand in this run.
    pub fn edits(&self) -> usize {
        self.events().filter(|(_, event)| event.is_edit()).count()
    }
}

impl Replay {
    /// Brings `image` to where `address` has been reached `visits` times, given what `past` was given.
    pub fn new(past: &Session, image: Image, settings: Settings, address: u32, visits: u64) -> Self {
        let inputs = past.events().filter(|(_, event)| !event.is_edit()).map(|(step, event)| (step, event.clone()));
        Self { session: Session::new(image, settings), inputs: inputs.collect(), address, left: visits }
    }

    /// Goes on for about `budget` steps; the outcome when it is over.
    pub fn work(&mut self, budget: u64) -> Option<Outcome> {
        if self.left > 0 && self.session.now() == 0 && self.session.machine.pc() == self.address {
            self.left -= 1;
        }
        let until = self.session.now().saturating_add(budget);
        while self.left > 0 {
            if self.session.now() >= until {
                return None;
            }
            self.type_due();
            let next = self.inputs.front().map_or(u64::MAX, |(step, _)| (*step).max(self.session.now() + 1));
            self.session.machine.set_breakpoints(&[self.address]);
            let from = self.session.now();
            let stop = self.session.run_slice(Run { until: until.min(next), depth: None });
            self.session.machine.set_breakpoints(&[]);
            let arrived = self.session.now() > from && self.session.machine.pc() == self.address;
            match stop {
                Stop::Breakpoint | Stop::Steps | Stop::Depth if arrived => self.left -= 1,
                Stop::Breakpoint | Stop::Steps | Stop::Depth => {}
                Stop::Needs(need) => {
                    if !self.answer(need) {
                        return Some(self.stop_here());
                    }
                }
                Stop::Brk => {}
                Stop::Finished(_) | Stop::Fault(_) | Stop::Circling => return Some(self.stop_here()),
            }
        }
        Some(self.stop_here())
    }

    /// Input that was typed while the program did not ask is typed at its step.
    fn type_due(&mut self) {
        while let Some((step, event)) = self.inputs.front() {
            if *step > self.session.now() || !matches!(event, Event::Typed(_) | Event::InputEnds | Event::Levers(_)) {
                break;
            }
            if let Some((_, event)) = self.inputs.pop_front() {
                self.session.answer(event);
            }
        }
    }

    /// Gives what is asked for, out of what was given before; false when there is nothing more.
    fn answer(&mut self, need: Need) -> bool {
        let fits = |event: &Event| match need {
            Need::Input => matches!(event, Event::Typed(_) | Event::InputEnds),
            Need::Clock => matches!(event, Event::Clock(_)),
            Need::Wait(_) => matches!(event, Event::Waited),
        };
        let event = match self.inputs.iter().position(|(_, event)| fits(event)) {
            Some(at) => self.inputs.remove(at).map(|(_, event)| event),
            // Time that was not looked at before stands still.
            None => match need {
                Need::Input => None,
                Need::Clock => Some(Event::Clock(0)),
                Need::Wait(_) => Some(Event::Waited),
            },
        };
        event.is_some_and(|event| {
            self.session.answer(event);
            true
        })
    }

    /// Ends the way in the state the run is in, as a command would.
    fn stop_here(&mut self) -> Outcome {
        let now = self.session.now();
        if self.left == 0 {
            self.session.begin(Command::Seek(now));
        } else {
            self.session.begin(Command::Go);
        }
        while self.session.work(1000) == Progress::Working {}
        if self.left == 0 { Outcome::There } else { Outcome::Elsewhere }
    }

    /// The run as it is.
    pub fn into_session(self) -> Session {
        self.session
    }

    /// What the run is doing.
    pub fn state(&self) -> &State {
        self.session.state()
    }
}
