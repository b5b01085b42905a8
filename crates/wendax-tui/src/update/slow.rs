//! Slow running: a few steps, a while, and so on, with everything on the screen following.
//!
//! The owner of the clock sends [`crate::Message::Tick`] when it was asked to. Stops are met as when running at full
//! speed; only the program's end, a stop, or a person ends it.

use crate::app::App;
use crate::message::Effect;
use wendax_session::{Command, State, StopAt, Why};

/// How far it goes between two looks.
#[derive(Debug, Clone, Copy)]
enum Far {
    Steps(u64),
    Cycles(u64),
    /// At full speed, without looking.
    On,
}

use Far::{Cycles, On, Steps};

/// Milliseconds between two looks, what is done in between, and that in words.
const PACES: [(u32, Far, &str); 13] = [
    (3000, Steps(1), "a step in 3 seconds"),
    (1000, Steps(1), "a step a second"),
    (500, Steps(1), "2 steps a second"),
    (200, Steps(1), "5 steps a second"),
    (100, Steps(1), "10 steps a second"),
    (40, Steps(1), "25 steps a second"),
    (20, Steps(2), "100 steps a second"),
    (20, Steps(10), "500 steps a second"),
    (20, Steps(40), "2000 steps a second"),
    (20, Steps(200), "10 000 steps a second"),
    (20, Steps(2_000), "100 000 steps a second"),
    (20, Cycles(20_000), "in real time: a million cycles a second"),
    (0, On, "full speed"),
];

/// The pace that is chosen first for a program that has to do with devices: those are made for people's time.
pub(crate) const REAL_TIME: usize = 11;

/// A pace in words.
pub(crate) fn words(pace: usize) -> &'static str {
    PACES.get(pace).map_or("", |pace| pace.2)
}

impl App {
    /// Begins to run slowly, or ends that.
    pub(super) fn run_slowly(&mut self, effects: &mut Vec<Effect>) {
        if self.world.walk.is_slow {
            self.pause();
            self.end_slow();
            return self.screen.say("paused; k goes on slowly, g at full speed");
        }
        if matches!(self.world.walk.state(), Some(State::Finished(_))) {
            return self.screen.trouble("the program has ended; the left arrow goes back, R restarts");
        }
        self.pause();
        self.world.walk.is_slow = true;
        self.screen.say(format!("{}; + and - change that, k pauses", words(self.screen.pace)));
        self.tick(effects);
    }

    pub(super) fn end_slow(&mut self) {
        self.world.walk.is_slow = false;
    }

    /// Changes the pace, also while it runs.
    pub(super) fn change_pace(&mut self, is_faster: bool, effects: &mut Vec<Effect>) {
        let pace = &mut self.screen.pace;
        *pace = if is_faster { (*pace + 1).min(PACES.len() - 1) } else { pace.saturating_sub(1) };
        self.screen.say(words(self.screen.pace));
        if self.world.walk.is_slow {
            self.pause();
            self.tick(effects);
        }
    }

    /// The next steps are due.
    pub(super) fn tick(&mut self, effects: &mut Vec<Effect>) {
        if !self.world.walk.is_slow || self.world.walk.is_running() {
            return;
        }
        let Some(session) = &self.world.walk.session else { return self.end_slow() };
        let (wait, far, _) = PACES[self.screen.pace];
        let command = match far {
            On => Command::Go,
            // Stops are met on the way, as with any command.
            Steps(steps) => Command::Until(Box::new(StopAt::at_step(session.now().saturating_add(steps)))),
            Cycles(cycles) => Command::Cycles(session.machine().cycles().saturating_add(cycles)),
        };
        let is_waiting = matches!(session.state(), State::Waiting);
        let said = self.screen.said.take();
        if !is_waiting {
            self.world.walk.visited.is_going = true;
            self.begin(command, effects);
            self.world.walk.visited.is_going = false;
        }
        self.screen.said = self.screen.said.take().or(said);
        if self.world.walk.is_slow && !matches!(far, On) {
            effects.push(Effect::Tick(wait));
        }
    }

    /// A command of slow running has arrived: at where it was to go, or somewhere that ends it.
    pub(super) fn look_at_slow(&mut self) {
        let goes_on = matches!(
            self.world.walk.state(),
            Some(State::Paused(Why::Until | Why::Asked) | State::Waiting | State::Running)
        );
        if self.world.walk.is_slow && !goes_on {
            self.end_slow();
        }
    }

    /// So far it has come at this pace.
    pub(crate) fn slow_words(&self) -> Option<&'static str> {
        self.world.walk.is_slow.then(|| words(self.screen.pace))
    }
}
