//! What is done to the run by hand: breakpoints, values, and taking that back.

use crate::actions::Hand;
use crate::app::App;
use crate::world::stops::{Breakpoint, Deed};
use wendax_machine::Addr;
use wendax_session::dropped_words;

impl App {
    pub(super) fn by_hand(&mut self, hand: Hand) {
        match hand {
            Hand::Breakpoint => self.toggle_breakpoint(),
            Hand::ClearBreakpoints => self.clear_breakpoints(),
            Hand::TakeBack => self.take_back(),
        }
    }

    /// Sets or clears a breakpoint. It moves down to the line that has the instruction, so that the mark is where the
    /// stop will be.
    fn toggle_breakpoint(&mut self) {
        if !self.world.is_assembled() || !self.world.program.is_runnable() {
            return self.say_not_ready();
        }
        let here = self.screen.shown;
        if let place @ Breakpoint::Part { nth, .. } = self.place_under_cursor()
            && let Some(address) = self.world.address_of(&place)
        {
            // The first one is where the line is.
            let line = Breakpoint::Line { document: here, line: self.editor().cursor().0 };
            return self.toggle(if nth == 0 { line } else { place }, address);
        }
        let number = u32::try_from(self.editor().cursor().0 + 1).unwrap_or(u32::MAX);
        let piece =
            self.world.file_id(here).and_then(|file| self.world.program.assembly.image.code_from_line(file, number));
        let Some((address, line)) = piece.map(|piece| (piece.address, piece.line as usize - 1)) else {
            return self.screen.trouble("there is no instruction on this line or below it");
        };
        self.toggle(Breakpoint::Line { document: here, line }, address);
    }

    /// Sets a breakpoint, or clears the one that stands for the same.
    fn toggle(&mut self, breakpoint: Breakpoint, address: Addr) {
        self.world.stops.change(|list| {
            match list.iter().position(|known| *known == breakpoint || *known == Breakpoint::Address(address)) {
                Some(index) => {
                    list.remove(index);
                }
                None => list.push(breakpoint),
            }
        });
        self.place_breakpoints();
    }

    pub(super) fn toggle_address(&mut self, address: Addr) -> Result<(), String> {
        let align = self.session().map_or(1, |session| session.machine().target().code_align);
        if !address.is_multiple_of(align) {
            return Err(format!("there is no instruction at the odd address {address:04X}"));
        }
        let is_set = self.world.stops.list.contains(&Breakpoint::Address(address));
        self.toggle(Breakpoint::Address(address), address);
        self.screen.say(format!("breakpoint at {address:04X} {}", if is_set { "cleared" } else { "set" }));
        Ok(())
    }

    fn clear_breakpoints(&mut self) {
        let count = self.world.stops.list.len();
        self.world.stops.change(Vec::clear);
        self.place_breakpoints();
        match count {
            0 => self.screen.trouble("there is no breakpoint"),
            1 => self.screen.say("the breakpoint is cleared; Ctrl-Z brings it back"),
            _ => self.screen.say(format!("{count} breakpoints are cleared; Ctrl-Z brings them back")),
        }
    }

    /// Sets a register or memory cell as written in a prompt.
    pub(super) fn set_value(&mut self, text: &str) -> Result<(), String> {
        let step = self.session().map(wendax_session::Session::now);
        let before = self.session().map_or(0, |session| session.edits().len());
        let dropped = self.world.set_value(text)?;
        if let Some(step) = step {
            self.world.stops.note(Deed::Value { step, edits: before });
        }
        let words = dropped_words(dropped);
        let more = if words.is_empty() { String::new() } else { format!("; {words}") };
        self.screen.say(format!("set at this step{more}"));
        Ok(())
    }

    /// Takes back what was done by hand last.
    fn take_back(&mut self) {
        match self.world.stops.deeds.pop() {
            None => {
                self.screen.trouble("nothing was done by hand that could be taken back; while writing, Ctrl-Z undoes");
            }
            Some(Deed::Stops(list)) => {
                self.world.stops.list = list;
                self.place_breakpoints();
                let count = self.world.stops.list.len();
                self.screen.say(format!("breakpoints are as they were: {count} of them"));
            }
            Some(Deed::Texts(documents, _)) => {
                let undone = self.world.undo_in(&documents);
                let what = if undone == 1 { "the text is".to_owned() } else { format!("{undone} texts are") };
                self.screen.say(format!("{what} as before that command"));
            }
            Some(Deed::Value { step, edits }) => {
                let session = self.world.walk.session.as_mut();
                let taken = session.is_some_and(|session| session.now() == step && session.take_back_edits(edits));
                if taken {
                    self.world.walk.refresh();
                    self.screen.say("the value is as it was before");
                } else {
                    self.screen.trouble(format!("the value was set at step {step}: go there to take it back"));
                    self.world.stops.deeds.push(Deed::Value { step, edits });
                }
            }
        }
    }
}
