//! Typing to the program.

use crate::actions::ConsoleAction;
use crate::app::App;
use crate::screen::Typing;
use wendax_session::{State, dropped_words};

impl App {
    pub(super) fn console(&mut self, action: ConsoleAction) {
        match action {
            ConsoleAction::Type => {
                self.screen.typing = Typing::Program;
                self.screen.say("what you type goes to the program now; Esc ends that");
            }
            ConsoleAction::KeepKeys => {
                let held = self.screen.typing == Typing::Program && !self.is_waiting() && !self.world.walk.is_running();
                self.screen.typing = if held { Typing::ByState } else { Typing::Commands };
            }
            ConsoleAction::Send => {
                let line = self.screen.input.take() + "\n";
                self.send_input(Some(line.into_bytes()));
            }
            ConsoleAction::EndInput => {
                self.send_input(None);
                self.screen.said.get_or_insert((crate::screen::Tone::Fine, "the typed input ends here".to_owned()));
            }
        }
    }

    /// Sends a line to the program, or the end of input.
    fn send_input(&mut self, line: Option<Vec<u8>>) {
        let Some(session) = &mut self.world.walk.session else { return };
        let waiting = *session.state() == State::Waiting;
        let dropped = match line {
            Some(line) => session.type_input(&line),
            None => session.end_input(),
        };
        let Some(dropped) = dropped else {
            let text = if session.machine().finished().is_some() {
                "the program has ended: nothing will read what is typed; the left arrow goes back"
            } else {
                "the walk is on its way through the past: Space stops it, then type"
            };
            return self.screen.trouble(text);
        };
        let branch = dropped_words(dropped);
        if !branch.is_empty() {
            self.screen.say(branch);
        } else if !waiting && !self.world.walk.is_running() {
            self.screen.say("typed ahead: the program will read it when it asks");
        }
        self.world.walk.refresh();
    }
}
