//! Trials: a table is taken, its rows are tried with each text, a row is walked, rows are made and changed.

use crate::actions::Look;
use crate::app::App;
use crate::message::{Effect, RowJob, TrialsJob};
use crate::panes::PaneId;
use crate::world::trials::Opened;
use crate::world::walk::OfRow;
use wendax_session::{Command, grouped};
use wendax_trials::{Subject, edit, record};

impl App {
    /// The table that is meant first: the one that is open, or one that belongs to the program.
    pub(super) fn first_table(&self) -> String {
        if self.world.trials.is_there() {
            return self.world.trials.path().to_owned();
        }
        let root = &self.world.root;
        if !root.is_empty() {
            return format!("{root}trials.toml");
        }
        self.path().map_or(String::new(), |path| {
            let stem = path.rsplit_once('.').map_or(path, |(stem, _)| stem);
            format!("{stem}.trials.toml")
        })
    }

    /// The program that is open, for a table that is about it, or about another one.
    pub(crate) fn opened(&self, is_other: bool) -> Opened {
        let root = self.world.root.as_str();
        let is_project = !root.is_empty();
        let place = if is_project { root } else { self.path().unwrap_or_default() };
        Opened { place: place.to_owned(), is_project, is_other }
    }

    /// A name that no row has yet.
    pub(super) fn first_row_name(&self, word: &str) -> String {
        let names = (1..).map(|number| format!("{word} {number}"));
        let is_new = |name: &String| !self.world.trials.heads().iter().any(|(known, _)| known == name);
        // There are more numbers than rows.
        names.into_iter().find(is_new).unwrap_or_default()
    }

    /// A table was read, or another one came to be in its file.
    pub(super) fn take_table(&mut self, path: String, text: String, effects: &mut Vec<Effect>) {
        let is_same = self.world.trials.file() == Some((path.as_str(), text.as_str()));
        let is_first = path != self.world.trials.path();
        if !is_same {
            // One that is taken by hand is meant for what is open.
            let opened = self.opened(!is_first && self.world.trials.is_of_other());
            self.world.trials.read(path, text, opened);
            self.try_rows(effects);
        }
        if is_first {
            self.show_page(PaneId::Trials);
        }
    }

    /// Has all rows tried once more: what they hang on beside the text is another.
    pub(super) fn try_rows_again(&mut self, effects: &mut Vec<Effect>) {
        self.world.trials.tried = None;
        self.try_rows(effects);
    }

    /// Has all rows tried with the present text, unless they were.
    pub(crate) fn try_rows(&mut self, effects: &mut Vec<Effect>) {
        if std::mem::take(&mut self.world.trials.is_wanted) {
            self.show_page(PaneId::Trials);
        }
        let world = &mut self.world;
        let generation = world.documents.generation();
        let is_ready = world.is_assembled() || world.is_image();
        let Some(Ok(table)) = world.trials.table().filter(|_| is_ready) else { return };
        let assembly = &world.program.assembly;
        if world.trials.tried == Some(generation) || !assembly.is_runnable() || assembly.image.segments.is_empty() {
            return;
        }
        let table = table.clone();
        let subject = Subject::new(assembly.image.clone(), assembly.sources.clone());
        // It may be one that rows name.
        let file = match world.root.as_str() {
            "" => world.documents.iter().next().and_then(|(_, document)| document.path.clone()),
            root => Some(root.to_owned()),
        };
        let number = world.trials.begin(generation);
        let path = world.trials.path().to_owned();
        effects.push(Effect::Try(Box::new(TrialsJob { number, path, table, own: (subject, file) })));
    }

    /// Walks the row that is waited for, when it was tried.
    pub(super) fn walk_wanted_row(&mut self, effects: &mut Vec<Effect>) {
        if let Some(index) = self.world.trials.take_wanted_row() {
            self.walk_row(index, effects);
        }
    }

    /// Has the run of a row made, to be walked: the one that failed, or the first one.
    pub(super) fn walk_row(&mut self, index: usize, effects: &mut Vec<Effect>) {
        let trials = &self.world.trials;
        if trials.heads().get(index).is_none() {
            return self.screen.trouble("there is no row here");
        }
        let Some(row) = trials.row_of(index) else {
            let why = trials.outcome(index).and_then(wendax_trials::Outcome::why);
            return self.screen.say(why.unwrap_or_else(|| "the text is as this rule has it".to_owned()));
        };
        let (Some(made), Some((name, _))) = (trials.trials(), trials.heads().get(index)) else {
            return self.screen.trouble("the rows are not tried yet");
        };
        let Some(written) = made.table().rows.get(row) else { return };
        if written.is_hidden {
            return self.screen.trouble("this row is hidden: nothing but its name is told");
        }
        if !trials.is_own(written) {
            let program = written.program.clone().unwrap_or_default();
            if self.is_changed() {
                let text =
                    format!("this row is about {program}, which is opened for it: save what is written here first");
                return self.screen.trouble(text);
            }
            return effects.push(Effect::OpenForRow { program, row: name.clone() });
        }
        let outcome = trials.outcome(index);
        let failing = outcome.and_then(|outcome| outcome.failing.clone());
        let (number, trials, row) = (trials.number, std::sync::Arc::clone(made), (row, name.clone()));
        effects.push(Effect::WalkRow(Box::new(RowJob { number, trials, row, failing })));
    }

    /// Walks the row again whose run is walked, with the present text.
    pub(super) fn walk_same_row(&mut self, effects: &mut Vec<Effect>) {
        let name = self.world.walk.of_row.as_ref().map(|row| row.name.clone()).unwrap_or_default();
        match self.world.trials.heads().iter().position(|(known, _)| *known == name) {
            Some(index) => self.walk_row(index, effects),
            None => self.screen.trouble(format!("there is no row {name:?} any more; R restarts the program")),
        }
    }

    /// The run of a row is there: it is walked, at the step where it went wrong.
    pub(super) fn take_row_walk(
        &mut self,
        number: u64,
        name: &str,
        walk: Result<Box<wendax_trials::Walk>, String>,
        effects: &mut Vec<Effect>,
    ) {
        if number != self.world.trials.number {
            return;
        }
        let walk = match walk {
            Ok(walk) => *walk,
            Err(why) => return self.screen.trouble(format!("{name}: {why}")),
        };
        if self.world.walk.is_running() || self.world.walk.replay.is_some() {
            return self.screen.trouble("the program is on its way: Space stops it, then a row can be walked");
        }
        let before = self.world.walk.park();
        // What it is compared with stands beside it; or the run of the same row as it was before.
        let same = self.world.walk.of_row.as_ref().is_some_and(|row| row.name == name);
        let beside = match walk.reference {
            Some(reference) => Some((reference, "the reference".to_owned())),
            None => self.world.walk.session.take().filter(|_| same).map(|session| (session, "before".to_owned())),
        };
        let of_row = OfRow { name: name.to_owned(), expected: walk.expected, yard: walk.yard, back: walk.back };
        let (end, step) = (walk.session.end(), walk.step);
        let mut session = walk.session;
        if let Some(left) = self.session() {
            session.branch_apart(left);
        }
        self.world.walk.runs += 1;
        // Nothing of it sounds, or is written to a folder.
        self.world.walk.sounded = session.tones().len();
        self.world.walk.begin(session);
        self.world.walk.name = format!("row: {name}");
        self.world.walk.of_row = Some(of_row);
        self.world.note_walk("the run of a row", before);
        if self.world.is_assembled() {
            self.world.compare_walk(false);
        }
        if let Some((run, called)) = beside {
            self.world.walk.beside.set((run.now(), called), Some(Box::new(run)));
        }
        if self.screen.focus.is_page() {
            self.look(Look::Back);
        }
        self.place_stops();
        self.arrived();
        let index = self.world.trials.heads().iter().position(|(known, _)| known == name);
        let why = index.and_then(|index| self.world.trials.outcome(index)).and_then(wendax_trials::Outcome::why);
        match why {
            Some(why) => self.screen.trouble(why),
            None => {
                self.screen.say(format!("row {name:?} passed: this is its run; Ctrl-Z goes back to the one before"));
            }
        }
        if let Some(step) = step.filter(|step| *step < end || end.0 == 0) {
            self.begin(Command::Seek(step), effects);
        } else {
            self.screen.was_read();
            self.screen.say(format!("at the end of the run of row {name:?}, step {}", grouped(end.0)));
        }
    }

    // ---- rows made and changed

    /// Takes a changed text of the table over, and has it written.
    fn write_table(&mut self, text: String, effects: &mut Vec<Effect>) {
        let (path, base) = self.table_in_file();
        self.world.trials.change(path.clone(), text.clone());
        effects.push(Effect::WriteTable { path, base, text });
        self.try_rows(effects);
    }

    /// The file of the table, and what is in it; nothing where that has still to be written.
    fn table_in_file(&self) -> (String, Option<String>) {
        match self.world.trials.file() {
            Some((path, text)) => (path.to_owned(), Some(text.to_owned())),
            None => (self.first_table(), None),
        }
    }

    /// The table could not be written: what is in the file now holds, when that is known.
    pub(super) fn table_not_written(&mut self, why: &str, text: Option<String>, effects: &mut Vec<Effect>) {
        if let Some(text) = text {
            let path = self.world.trials.path().to_owned();
            let opened = self.opened(self.world.trials.is_of_other());
            self.world.trials.read(path, text, opened);
            self.try_rows(effects);
        }
        self.screen.trouble(why);
    }

    /// Rows can be changed: the table is one, and they are written as such.
    fn may_change_rows(&self) -> Result<(), String> {
        match self.world.trials.table() {
            Some(Ok(_)) if !self.world.trials.is_written() => {
                Err("rows that are written as [[row]] can be changed here; these are changed in the file".to_owned())
            }
            _ => Ok(()),
        }
    }

    pub(super) fn row_of_run(&mut self, name: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        let session = self.session().ok_or("there is no run yet: g runs the program")?;
        if self.world.walk.is_stale {
            return Err("this run is of an older text: r replays it, then a row can be made of it".to_owned());
        }
        if self.world.walk.of_row.as_ref().is_some_and(|row| row.back.is_some()) {
            return Err("this is the run of a routine, which stands in a row already".to_owned());
        }
        let cells = record(session, name)?;
        self.add_row(name, &cells, effects)?;
        let path = self.world.trials.path().to_owned();
        self.screen.say(format!("row {name:?} stands in {path}; it is tried with each text from now on"));
        Ok(())
    }

    pub(super) fn new_row(&mut self, name: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        let name_cell = edit::cell("name", name);
        self.add_row(name, &vec![name_cell], effects)
    }

    fn add_row(&mut self, name: &str, cells: &edit::RowCells, effects: &mut Vec<Effect>) -> Result<(), String> {
        self.may_change_rows()?;
        if name.is_empty() {
            return Err("a row has a name".to_owned());
        }
        if self.world.trials.heads().iter().any(|(known, _)| known == name) {
            return Err(format!("there is a row called {name:?} already"));
        }
        if self.world.trials.path().is_empty() && self.first_table().is_empty() {
            return Err("the table lies beside the program: save that first".to_owned());
        }
        let text = edit::add(self.world.trials.text(), cells)?;
        self.write_table(text, effects);
        let last = self.world.trials.heads().len().saturating_sub(1);
        self.screen.panes.of_mut(PaneId::Trials).chosen = last;
        Ok(())
    }

    /// The row that is chosen.
    fn chosen_row(&self) -> Result<usize, String> {
        self.may_change_rows()?;
        let chosen = self.screen.panes.of(PaneId::Trials).chosen;
        // Of a table that cannot be read only its rows are told.
        let row = if self.world.trials.heads().is_empty() { Some(chosen) } else { self.world.trials.row_of(chosen) };
        row.ok_or_else(|| "this is a rule: rules are changed in the file".to_owned())
    }

    /// The place in the text of the row that is chosen.
    fn chosen_place(&self) -> Result<usize, String> {
        let row = self.chosen_row()?;
        self.world.trials.place_in_text(row).ok_or_else(|| "there is no such row".to_owned())
    }

    pub(super) fn change_row(&mut self, change: fn(&str, usize) -> Result<String, String>, effects: &mut Vec<Effect>) {
        let changed = self.chosen_place().and_then(|row| change(self.world.trials.text(), row));
        match changed {
            Ok(text) => self.write_table(text, effects),
            Err(why) => self.screen.trouble(why),
        }
    }

    pub(super) fn undo_row(&mut self, effects: &mut Vec<Effect>) {
        let Some(text) = self.world.trials.undo() else {
            return self.screen.trouble("the table was not changed here");
        };
        let (path, base) = self.table_in_file();
        self.world.trials.take_text(text.clone());
        effects.push(Effect::WriteTable { path, base, text });
        self.try_rows(effects);
        self.screen.say("the last change of the table is taken back");
    }

    /// The cell that is chosen, as it is written.
    pub(super) fn first_cell(&self) -> String {
        let Ok(row) = self.chosen_row() else { return String::new() };
        let trials = &self.world.trials;
        let columns = trials.columns();
        let Some(key) = columns.get(trials.column()).filter(|_| trials.is_cells) else { return String::new() };
        format!("{key} = {}", trials.cell(row, key))
    }

    pub(super) fn set_cell(&mut self, text: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        let row = self.chosen_place()?;
        let now = self.world.trials.text();
        let key = text.trim_end_matches(['=', ' ']);
        let is_key = key.chars().all(|sign| sign.is_ascii_alphanumeric() || sign == '_') && !key.is_empty();
        let changed = if is_key { edit::unset(now, row, key)? } else { edit::set(now, row, text)? };
        // What would be no table is told before anything is written.
        let told = |problems: Vec<wendax_trials::Problem>| {
            problems.first().map(|problem| problem.message.clone()).unwrap_or_default()
        };
        if wendax_trials::Table::read(now).is_ok() {
            wendax_trials::Table::read(&changed).map_err(told)?;
        }
        self.write_table(changed, effects);
        Ok(())
    }
}
