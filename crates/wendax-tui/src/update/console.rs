//! Typing to the program.

use super::outside::branch_words;
use crate::actions::Talk;
use crate::app::App;
use crate::screen::{Mode, Typing};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use wendax_session::State;

impl App {
    pub(super) fn console(&mut self, action: Talk) {
        match action {
            Talk::Type => {
                self.screen.typing = Typing::Program;
                self.screen.say("what you type goes to the program now; Esc ends that");
            }
            Talk::Strike => {
                self.screen.typing = Typing::Keys;
                self.screen.say("each key goes to the program at once now; Esc ends that");
            }
            Talk::KeepKeys => {
                let held = self.screen.typing == Typing::Program && !self.is_waiting() && !self.world.walk.is_running();
                self.screen.typing = if held { Typing::ByState } else { Typing::Commands };
            }
            Talk::Send => {
                let line = self.screen.input.take() + "\n";
                self.send_input(Some(line.into_bytes()));
            }
            Talk::EndInput => {
                self.send_input(None);
                self.screen.said.get_or_insert((crate::screen::Tone::Fine, "the typed input ends here".to_owned()));
            }
        }
    }

    /// Sends a key to the program, while keys are struck; false when it is for someone else.
    pub(super) fn strikes(&mut self, key: KeyEvent) -> bool {
        if self.screen.typing != Typing::Keys || self.screen.sheet.is_some() || self.screen.mode != Mode::Walk {
            return false;
        }
        let is_plain = !key.modifiers.contains(KeyModifiers::CONTROL);
        let text = match key.code {
            KeyCode::Esc => {
                self.screen.typing = Typing::ByState;
                self.screen.say("keys are commands again");
                return true;
            }
            KeyCode::Char(sign) if is_plain => sign.to_string(),
            KeyCode::Enter => "\n".to_owned(),
            KeyCode::Tab => "\t".to_owned(),
            KeyCode::Backspace => "\x08".to_owned(),
            _ => return false,
        };
        self.send_input(Some(text.into_bytes()));
        true
    }

    /// Sends a line to the program, or the end of input.
    fn send_input(&mut self, line: Option<Vec<u8>>) {
        let before = self.world.walk.park();
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
        self.world.note_walk("what was typed", before);
        let branch = branch_words(dropped);
        if !branch.is_empty() {
            self.screen.say(branch);
        } else if !waiting && !self.world.walk.is_running() {
            self.screen.say("typed ahead: the program will read it when it asks");
        }
    }
}
