//! Tallies: kept under a name, written to files, read from them.

use crate::app::App;
use crate::message::Effect;
use std::path::Path;
use wendax_session::{Tally, TallyForm};

impl App {
    /// Keeps what the present run cost under a name.
    pub(super) fn keep_tally(&mut self, name: &str) -> Result<(), String> {
        if name.is_empty() {
            return Err("a name is wanted, such as before".to_owned());
        }
        let mut tally = self.measured()?.clone();
        name.clone_into(&mut tally.name);
        self.world.tallies.keep(tally);
        self.screen.say(format!("kept as {name}: c sets the present run beside it, also after an edit"));
        Ok(())
    }

    /// Where a file of the program lies.
    fn path_of(&self, name: &str) -> String {
        let document = self.world.documents.find(name).and_then(|id| self.world.documents.get(id));
        document.and_then(|document| document.path.clone()).unwrap_or_else(|| name.to_owned())
    }

    fn measured(&self) -> Result<&Tally, String> {
        let session = self.session().ok_or("there is no program yet")?;
        match &self.world.tallies.present {
            Some(tally) if self.world.tallies.is_current(session) => Ok(tally),
            Some(_) => Err("it is still being measured".to_owned()),
            None => Err("nothing was measured yet: P shows the tally".to_owned()),
        }
    }

    /// The present tally in the form the ending of a path asks for.
    pub(super) fn tally_to_save(&self, path: &str) -> Result<Effect, String> {
        if path.is_empty() {
            return Err("a file needs a name, such as before.json".to_owned());
        }
        let form = TallyForm::of(Path::new(path))?;
        let mut tally = self.measured()?.clone();
        let file = path.rsplit('/').next().unwrap_or(path);
        file.rsplit_once('.').map_or(file, |(stem, _)| stem).clone_into(&mut tally.name);
        let text = tally.written(form, usize::MAX, |name| self.path_of(name));
        let text = text.map_err(|error| error.to_string())?;
        Ok(Effect::Write(path.to_owned(), text.into_bytes()))
    }

    /// A tally was read from a file: it is kept, and the present one is set beside it.
    pub(super) fn take_tally(&mut self, path: &str, text: &str) {
        match Tally::read(text) {
            Ok(mut tally) => {
                if tally.name.is_empty() {
                    path.clone_into(&mut tally.name);
                }
                self.screen.say(format!("{} is kept now: c in the tally sets the present run beside it", tally.name));
                self.world.tallies.keep(tally);
            }
            Err(error) => self.screen.trouble(format!("{path}: {error}")),
        }
    }
}
