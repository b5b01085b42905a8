//! Finding things in memory, and writing parts of it and of the trail to files.

use crate::app::App;
use crate::message::Effect;
use crate::panes::{PaneId, PaneState};
use crate::world::names::names_of;
use crate::world::values::Lens;
use crate::world::writing::Writing;
use std::path::Path;
use wendax_machine::{Addr, CellState, Machine};
use wendax_session::{Reading, Show, Shown, TrailForm, TrailText};

/// Of a longer run the trail is for the command line.
const MOST_STEPS: u64 = 1_000_000;

impl App {
    /// Goes to the next place in memory, or the one before, that holds what was asked for.
    pub(super) fn find_in_memory(&mut self, is_back: bool) -> Result<(), String> {
        let wanted = self.bytes_looked_for(&self.screen.memory_search)?;
        let start = self.memory_start().unwrap_or_default();
        let session = self.session().ok_or("there is no program yet")?;
        let machine = session.machine();
        let mask = machine.target().address_mask();
        let state = self.screen.panes.of(PaneId::Memory);
        let here = state.chosen.checked_sub(1).and_then(|at| u32::try_from(at).ok()).unwrap_or(start.0);
        // Once around, the present place last.
        let count = mask + 1;
        let away = |distance: u32| {
            let at = if is_back { here + count - distance } else { here + distance };
            Addr(at % count)
        };
        // What was asked for just now may stand at the very place.
        let first = u32::from(state.chosen > 0 || is_back);
        let found = (first..count + first).map(away).find(|&at| holds(machine, at, &wanted));
        let Some(at) = found else { return Err("no cell of memory holds that".to_owned()) };
        self.screen.lens = Lens::At(at);
        *self.screen.panes.of_mut(PaneId::Memory) = PaneState { chosen: at.0 as usize + 1, ..PaneState::default() };
        self.focus_on(PaneId::Memory);
        Ok(())
    }

    /// A word, a byte, or a text as its bytes.
    fn bytes_looked_for(&self, text: &str) -> Result<Vec<u8>, String> {
        if let Some(quoted) = text.strip_prefix('"') {
            let quoted = quoted.strip_suffix('"').unwrap_or(quoted);
            if quoted.is_empty() {
                return Err("there is no text between these quotes".to_owned());
            }
            return Ok(quoted.as_bytes().to_vec());
        }
        let (count, value) = match text.strip_prefix("byte ").filter(|rest| !rest.trim_start().starts_with('[')) {
            Some(rest) => (1, self.world.value_of(rest)?),
            None => (2, self.world.value_of(text)?),
        };
        Ok(value.to_le_bytes()[..count].to_vec())
    }

    /// `weights as bytes 32 to part.bin`: what goes to which file.
    pub(super) fn memory_to_save(&self, text: &str) -> Result<Effect, String> {
        const FORM: &str = "write what is saved, `to`, and the file: weights as bytes 32 to part.bin";
        let (what, path) = text.rsplit_once(" to ").ok_or(FORM)?;
        let path = path.trim();
        let session = self.session().ok_or("there is no program yet")?;
        let show = Show::read(what, &names_of(session)).map_err(|error| error.message)?;
        let shown = show.shown(session, 0);
        let is_binary = path.rsplit_once('.').is_some_and(|(_, ending)| ending == "bin" || ending == "raw");
        if !is_binary {
            let lines = shown.lines(&show.text, session.machine().target());
            return Ok(Effect::Write(path.to_owned(), (lines.join("\n") + "\n").into_bytes()));
        }
        let Shown::Value(Reading::Cells(cells)) = shown else {
            return Err("of bytes and words a .bin file can be made: weights as bytes 32 to part.bin".to_owned());
        };
        let mut bytes = Vec::new();
        for (index, value) in cells.values.iter().enumerate() {
            let size = cells.parts[index % cells.parts.len()] as usize;
            let at = cells.address_of(index);
            let value = value.ok_or_else(|| {
                format!("nothing was ever written at {}", session.machine().target().marked_address(at))
            })?;
            bytes.extend_from_slice(&value.to_le_bytes()[..size]);
        }
        Ok(Effect::Write(path.to_owned(), bytes))
    }

    /// The steps of the run, or those the filter lets through, in the form the file's ending says.
    pub(super) fn save_trail(&mut self, path: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        let session = self.session().ok_or("there is no program yet")?;
        if session.end().0 > MOST_STEPS {
            return Err(format!(
                "the run has {} steps; wendax run --trail FILE writes any number of them, as they come",
                session.end()
            ));
        }
        let filter = self.world.trail.filter.as_ref().map(|(_, found)| found.filter().clone());
        let text = TrailText::new(session, TrailForm::of(Path::new(path))?, filter);
        self.write_down(path, Writing::Trail(Box::new(text)), effects);
        Ok(())
    }
}

fn holds(machine: &Machine, at: Addr, wanted: &[u8]) -> bool {
    let mask = machine.target().address_mask();
    wanted.iter().zip(at.0..).all(|(&byte, place)| {
        let place = Addr(place);
        place.0 <= mask && machine.cell(place) == CellState::Known && machine.byte(place) == byte
    })
}
