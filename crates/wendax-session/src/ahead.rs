//! The coming steps as they will be, when nothing comes from outside: found out on a copy of the machine.

use crate::effects::{Effects, observe};
use crate::rerun::{On, Rerun};
use crate::session::Session;
use wendax_machine::{Fault, Need, Stop};

/// Why no further step is known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Horizon {
    /// There are more.
    More,
    /// The program waits for what is typed.
    Waits,
    /// It asks for the time, for a file, or that time passes.
    Asks,
    /// It ends with this status.
    Ends(u32),
    /// It fails.
    Fails(Fault),
    /// It repeats one state for ever, or stops at a `brk`.
    Stops,
}

/// The coming steps of a run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ahead {
    /// What each of them will do.
    pub steps: Vec<Effects>,
    /// What comes behind them.
    pub horizon: Horizon,
}

impl Session {
    /// The steps from the present moment on, at most so many: those that were taken already as they were, and those behind
    /// them as they will be when nothing comes from outside.
    pub fn ahead(&self, most: usize) -> Ahead {
        let mut steps = self.steps_from(self.now(), most);
        let mut horizon = Horizon::More;
        if steps.len() < most {
            let past = self.past();
            let rerun = Rerun::at(past, self.end());
            let machine = &mut rerun.last_moment(past, &mut On);
            while steps.len() < most && horizon == Horizon::More {
                let (stop, effects) = observe(machine);
                let is_step = effects.is_some();
                steps.extend(effects);
                horizon = match stop {
                    Stop::Needs(Need::Input) => Horizon::Waits,
                    Stop::Needs(_) => Horizon::Asks,
                    Stop::Finished(status) => Horizon::Ends(status),
                    Stop::Fault(fault) => Horizon::Fails(fault),
                    _ if !is_step => Horizon::Stops,
                    _ => Horizon::More,
                };
            }
        }
        Ahead { steps, horizon }
    }
}
