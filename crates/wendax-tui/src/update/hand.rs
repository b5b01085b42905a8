//! What is done to the run by hand: stops, values, and taking that back.

use super::outside::{behind, branch_words};
use crate::actions::Hand;
use crate::app::App;
use crate::panes::PaneId;
use crate::world::deeds::Taken;
use crate::world::stops::{Place, Stop};
use wendax_machine::Addr;
use wendax_session::{StopId, Where};

impl App {
    pub(super) fn by_hand(&mut self, hand: Hand) {
        match hand {
            Hand::Breakpoint => self.toggle_breakpoint(),
            Hand::ClearBreakpoints => self.clear_stops(),
            Hand::StopOnOff => self.turn_stop(),
            Hand::Remove => self.remove_chosen(),
            Hand::WatchRoutine => {
                self.world.watches.with_routine = !self.world.watches.with_routine;
                self.world.read_watches();
                self.screen.say(if self.world.watches_routine() {
                    "what the present routine uses is watched; the same command ends that"
                } else {
                    "only what was chosen is watched"
                });
            }
            Hand::Lever(number) => self.move_lever(number),
            Hand::TakeBack | Hand::DoAgain => self.take_back(hand == Hand::DoAgain),
        }
    }

    /// Sets or clears a breakpoint. It moves down to the line that has the instruction, so that the mark is where the
    /// stop will be.
    fn toggle_breakpoint(&mut self) {
        let Some((place, address)) = self.instruction_under_cursor() else { return };
        let there: Vec<StopId> = self.world.stops_at(address).map(|stop| stop.id).collect();
        if there.is_empty() {
            let stop = self.world.stops.made(place, "");
            self.world.change_stops(|list| list.push(stop));
        } else {
            let with_words = there.iter().filter_map(|id| self.world.stops.get(*id)).any(|stop| !stop.words.is_empty());
            self.world.change_stops(|list| list.retain(|stop| !there.contains(&stop.id)));
            if with_words {
                self.screen.say("the stop is cleared with what it was met under; Ctrl-Z brings it back");
            }
        }
        self.place_stops();
    }

    /// The instruction that a stop on the line of the cursor would be at; says so when there is none.
    fn instruction_under_cursor(&mut self) -> Option<(Place, Addr)> {
        if !self.world.is_assembled() || !self.world.program.is_runnable() {
            self.say_not_ready();
            return None;
        }
        let here = self.screen.shown;
        if let place @ Place::Part { nth, .. } = self.place_under_cursor()
            && let Some(address) = self.world.address_of(&place)
        {
            // The first one is where the line is.
            let line = Place::Line { document: here, line: self.editor().cursor().0 };
            return Some((if nth == 0 { line } else { place }, address));
        }
        let number = u32::try_from(self.editor().cursor().0 + 1).unwrap_or(u32::MAX);
        let image = &self.world.program.assembly.image;
        let piece = self.world.file_id(here).and_then(|file| image.code_from_line(file, number));
        let Some(piece) = piece else {
            self.screen.trouble("there is no instruction on this line or below it");
            return None;
        };
        Some((Place::Line { document: here, line: piece.line as usize - 1 }, piece.address))
    }

    /// Stops at what is written; what stops there already is taken away.
    pub(super) fn stop_at(&mut self, text: &str) -> Result<(), String> {
        if let Some(at) = self.world.stops.list.iter().position(|stop| stop.place == Place::Words && stop.words == text)
        {
            self.world.change_stops(|list| drop(list.remove(at)));
            self.screen.say(format!("no stop any more: {text}"));
            self.place_stops();
            return Ok(());
        }
        let meant = self.world.stop_asked_for(text)?;
        // A line stays that line when lines move.
        let (first, rest) = text.split_once(char::is_whitespace).unwrap_or((text, ""));
        let line = match meant.place {
            Where::Address(address) if first.contains(':') => {
                let image = self.session().map(wendax_session::Session::image);
                image.and_then(|image| image.line_at(address)).and_then(|piece| self.world.place_of(piece))
            }
            _ => None,
        };
        let stop = match line {
            Some((document, line)) => self.world.stops.made(Place::Line { document, line }, rest.trim()),
            None => self.world.stops.made(Place::Words, text),
        };
        self.world.change_stops(|list| list.push(stop));
        let what = if meant.stops() { "the run stops" } else { "values are noted" };
        self.screen.say(format!("{what} at: {text}; s shows all stops"));
        self.place_stops();
        Ok(())
    }

    /// The stop that is meant: the one chosen in their list, or one on the line of the cursor.
    pub(super) fn stop_meant(&self) -> Option<&Stop> {
        if self.screen.focus == PaneId::Stops {
            return self.world.stops.list.get(self.screen.panes.of(PaneId::Stops).chosen);
        }
        let place = self.place_under_cursor();
        let address = self.world.address_of(&place)?;
        self.world.stops_at(address).next()
    }

    /// Says something else of the stop that is meant; without one, of a new one on the line of the cursor.
    pub(super) fn say_of_stop(&mut self, text: &str) -> Result<(), String> {
        if let Some(Stop { id, place, .. }) = self.stop_meant().cloned() {
            if place == Place::Words {
                self.world.stop_asked_for(text)?;
            } else {
                self.world.rule_asked_for(place, text)?;
            }
            self.world.change_stops(|list| {
                if let Some(stop) = list.iter_mut().find(|stop| stop.id == id) {
                    text.clone_into(&mut stop.words);
                }
            });
        } else {
            let Some((place, _)) = self.instruction_under_cursor() else { return Ok(()) };
            self.world.rule_asked_for(place, text)?;
            let stop = self.world.stops.made(place, text);
            self.world.change_stops(|list| list.push(stop));
        }
        self.place_stops();
        Ok(())
    }

    fn turn_stop(&mut self) {
        let Some(id) = self.stop_meant().map(|stop| stop.id) else {
            return self.screen.trouble("there is no stop here; b sets one, a sets one at anything");
        };
        let mut is_off = false;
        self.world.change_stops(|list| {
            if let Some(stop) = list.iter_mut().find(|stop| stop.id == id) {
                stop.is_off = !stop.is_off;
                is_off = stop.is_off;
            }
        });
        self.screen.say(if is_off { "the stop is off; the same command turns it on again" } else { "the stop is on" });
        self.place_stops();
    }

    /// Takes away what is chosen in the list in focus.
    fn remove_chosen(&mut self) {
        let chosen = self.screen.panes.of(self.screen.focus).chosen;
        match self.screen.focus {
            PaneId::Stops if chosen < self.world.stops.list.len() => {
                self.world.change_stops(|list| drop(list.remove(chosen)));
                self.screen.say("the stop is gone; Ctrl-Z brings it back");
                self.place_stops();
            }
            PaneId::Watches if chosen < self.world.watches.list.len() => {
                let words = self.world.watches.list.remove(chosen);
                self.world.read_watches();
                self.screen.say(format!("no longer watched: {words}"));
            }
            PaneId::Watches if !self.world.watches.rows.is_empty() => {
                self.screen.trouble("the routine uses this; : “watch routine” ends watching that");
            }
            PaneId::Runs if chosen < self.world.other_runs().len() => {
                self.world.drop_run(chosen);
                self.screen.say("that run is in the list no more");
            }
            _ => self.screen.trouble("nothing is taken away here"),
        }
    }

    fn clear_stops(&mut self) {
        let count = self.world.stops.list.len();
        self.world.change_stops(Vec::clear);
        self.place_stops();
        match count {
            0 => self.screen.trouble("there is no stop"),
            1 => self.screen.say("the stop is cleared; Ctrl-Z brings it back"),
            _ => self.screen.say(format!("{count} stops are cleared; Ctrl-Z brings them back")),
        }
    }

    /// Sets a register or memory cell as written in a prompt.
    pub(super) fn set_value(&mut self, text: &str) -> Result<(), String> {
        let before = self.world.walk.park();
        let dropped = self.world.set_value(text)?;
        self.world.note_walk("a value set by hand", before);
        self.screen.say(format!("set at this step{}", behind(&branch_words(dropped))));
        Ok(())
    }

    /// Takes back what was done by hand last, or does again what was taken back last.
    fn take_back(&mut self, again: bool) {
        let done = if again { "done again" } else { "taken back" };
        match self.world.take_back(again) {
            Taken::Nothing if again && self.world.take_up_last() => {}
            Taken::Nothing if again => self.screen.trouble("nothing was taken back that could be done again"),
            Taken::Nothing => {
                self.screen.trouble("nothing was done by hand that could be taken back; while writing, Ctrl-Z undoes");
            }
            Taken::NotNow => self.screen.trouble("the program is on its way: Space stops it, then this can be done"),
            Taken::Stops => {
                self.place_stops();
                let count = self.world.stops.list.len();
                self.screen.say(format!("stops are as they were: {count} of them"));
            }
            Taken::Texts(count) => {
                let what = if count == 1 { "the text is".to_owned() } else { format!("{count} texts are") };
                let side = if again { "behind" } else { "before" };
                self.screen.say(format!("{what} as {side} that command"));
            }
            Taken::Walk(by) => {
                self.place_stops();
                self.arrived();
                let back = if again { "Ctrl-Z takes it back" } else { "Ctrl-Y does it again" };
                self.screen.say(format!("{done}: {by}; {back}"));
            }
        }
    }
}
