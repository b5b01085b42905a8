//! What a run has to do with the world beside its console: files, tones, events from a file, levers.

use crate::app::App;
use crate::message::{Effect, Folder};
use crate::world::writing::Writing;
use std::path::Path;
use wendax_machine::Clock;
use wendax_session::{Dropped, Saving, Script, counted, dropped_words};

/// What a new branch leaves behind, and how it is come back to.
pub(super) fn branch_words(dropped: Dropped) -> String {
    match dropped_words(dropped).as_str() {
        "" => String::new(),
        words => format!("{words}; Ctrl-Z brings that back"),
    }
}

/// The same behind other words.
pub(super) fn behind(words: &str) -> String {
    if words.is_empty() { String::new() } else { format!("; {words}") }
}

impl App {
    fn folder(&self) -> Option<Folder> {
        // The run of a row has files of its own: none of them lies in a folder.
        if self.world.walk.of_row.is_some() {
            return None;
        }
        Some(Folder { run: self.world.walk.runs, path: self.world.folder()?.clone() })
    }

    /// The file the program looks for.
    pub(super) fn file_to_find(&self, asked: u64) -> Option<Effect> {
        let path = self.session()?.machine().wanted_file()?;
        Some(Effect::FindFile(asked, self.folder()?, path))
    }

    /// What the furthest step of the branch has written is to be on disk; fresh tones are sounded.
    pub(super) fn keep_outside(&mut self, effects: &mut Vec<Effect>) {
        let folder = self.folder();
        let walk = &mut self.world.walk;
        let Some(session) = walk.session.as_ref().filter(|session| session.now() == session.end()) else { return };
        let machine = session.machine();
        let now = (walk.runs, session.branches(), machine.file_changes());
        let before = std::mem::replace(&mut walk.kept_files, now);
        let is_same = before.0 == now.0 && before.2 == now.2 && (before.1 == now.1 || now.2 == 0);
        if let Some(folder) = folder.filter(|_| !is_same && (now.2 > 0 || before.0 == now.0)) {
            effects.push(Effect::KeepFiles(folder, Box::new(machine.files().clone())));
        }
        let tones = session.tones();
        if tones.len() > walk.sounded && machine.settings().clock == Clock::Cycles {
            effects.extend(tones[walk.sounded..].iter().any(|tone| tone.hertz > 0).then_some(Effect::Ring));
        }
        walk.sounded = tones.len();
    }

    /// Runs get what comes from outside out of a file from now on, the first of them at once.
    pub(super) fn take_events(&mut self, path: &str, text: String) {
        let Some(session) = self.session() else { return self.screen.trouble("there is no program yet") };
        match Script::read(&text, session) {
            Err(error) => self.screen.trouble(format!("{path}, {error}")),
            Ok(script) => {
                let count = script.len();
                self.world.given.events = Some((path.to_owned(), text));
                let events = counted(count as u64, "event", "events");
                if !self.world.is_current() {
                    return self.screen.say(format!("{events} of {path} will come in the next runs: R starts one"));
                }
                self.begin_anew("another run");
                self.screen.say(format!("{events} of {path} will come in this run and the next ones"));
            }
        }
    }

    /// What came from outside in this run is to be saved as a file of events.
    pub(super) fn save_events(&mut self, path: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        let session = self.session().ok_or("there is no program yet")?;
        let saving = Saving::new(session)?;
        self.write_down(path, Writing::Events(Box::new(saving)), effects);
        Ok(())
    }

    /// Begins to write something of the run down for a file.
    pub(super) fn write_down(&mut self, path: &str, writing: Writing, effects: &mut Vec<Effect>) {
        self.world.saving = Some((path.to_owned(), writing));
        self.work_on_saving(effects);
    }

    /// Goes on with what is to be saved of the run; it is written when all is known.
    pub(super) fn work_on_saving(&mut self, effects: &mut Vec<Effect>) {
        let Some((path, mut writing)) = self.world.saving.take() else { return };
        let Some(session) = self.session() else { return };
        if !writing.is_of(session) {
            return self.screen.trouble(format!("{path} is not written: the run has become another one"));
        }
        if !writing.work(session, self.world.slice) {
            let (done, all) = writing.progress(session);
            let percent = done * 100 / all.max(1);
            self.screen.say(format!("going through the run for {path}: {percent} %; Esc stops"));
            self.world.saving = Some((path, writing));
        } else if writing.text().is_empty() {
            self.screen.trouble(match writing {
                Writing::Events(_) => "nothing came from outside in this run: no key, no lever",
                Writing::Trail(_) => "the filter lets no step through, or nothing was run yet",
            });
        } else {
            effects.push(Effect::Write(path, writing.text().as_bytes().to_vec()));
        }
    }

    /// The tones of this run, as a sound file.
    pub(super) fn tones_to_save(&self, path: &str) -> Result<Effect, String> {
        let session = self.session().ok_or("there is no program yet")?;
        if session.tones().is_empty() {
            return Err("no tone was made in this run".to_owned());
        }
        if !Path::new(path).extension().is_some_and(|ending| ending.eq_ignore_ascii_case("wav")) {
            return Err("a sound file ends in .wav".to_owned());
        }
        Ok(Effect::WriteTones(path.to_owned(), session.tones().to_vec()))
    }

    /// Moves a lever, now: of the past that begins a new branch.
    pub(crate) fn move_lever(&mut self, number: u32) {
        let before = self.world.walk.park();
        let Some(session) = &mut self.world.walk.session else { return };
        let levers = u32::from(session.machine().board().levers) ^ 1 << number;
        let Some(dropped) = session.move_levers(levers) else {
            let text = if session.machine().finished().is_some() {
                "the program has ended: nothing will look at the levers; the left arrow goes back"
            } else {
                "the walk is on its way through the past: Space stops it"
            };
            return self.screen.trouble(text);
        };
        let state = if levers >> number & 1 != 0 { "up" } else { "down" };
        self.world.note_walk("a lever", before);
        self.screen.say(format!("lever {number} is {state}{}", behind(&branch_words(dropped))));
    }
}
