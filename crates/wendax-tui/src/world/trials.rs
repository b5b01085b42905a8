//! Rows of trials that are tried with each text of the program: the table, what came of each row, and what it took the time
//! before.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use wendax_trials::edit::{self, RowCells};
use wendax_trials::{Outcome, Row, Table, Trials};

/// Texts of the table that can be come back to, at most.
const MOST_UNDONE: usize = 100;

/// A table, and how it fares.
#[derive(Debug, Clone, Default)]
pub(crate) struct Trying {
    /// The file; empty where there is no table.
    path: String,
    /// What is in it, as far as is known.
    text: String,
    /// What is in it, or what is wrong with it.
    table: Option<Result<Table, String>>,
    /// Rules and rows by name, as they are told.
    heads: Vec<(String, u32)>,
    /// Of each row its place in the text, and its cells.
    cells: Vec<(usize, RowCells)>,
    /// All rows can be changed in the text.
    is_written: bool,
    /// The program that is open: rows about others are left out.
    opened: Opened,
    /// Goes up with each job.
    pub(crate) number: u64,
    /// The generation of the texts that the present job is about.
    pub(crate) tried: Option<u64>,
    /// Files that were read for it, beside the table and the program that is open.
    files: Vec<String>,
    trials: Option<Arc<Trials>>,
    outcomes: BTreeMap<usize, Outcome>,
    is_done: bool,
    why_not: Option<String>,
    /// The greatest cycles of each row, when all were tried the last time before.
    before: BTreeMap<String, u64>,
    undone: Vec<String>,
    /// It is to be looked at first, when there is a program.
    pub(crate) is_wanted: bool,
    /// This row is to be walked as soon as it was tried.
    pub(crate) wanted_row: Option<String>,
    /// The cells are shown, instead of what came of the rows.
    pub(crate) is_cells: bool,
    column: usize,
}

/// The program that is open, as rows name programs.
#[derive(Debug, Clone, Default)]
pub(crate) struct Opened {
    /// The file of a source by itself, or the folder of a project.
    pub(crate) place: String,
    /// It is a project: of its table all rows are shown.
    pub(crate) is_project: bool,
    /// The table is about another program where a row does not say which: so it was when it was opened.
    pub(crate) is_other: bool,
}

impl Opened {
    /// A row of the table at a path is about it.
    fn is_of(&self, row: &Row, path: &str) -> bool {
        row.program
            .as_ref()
            .map_or(!self.is_other, |program| Path::new(path).with_file_name(program) == Path::new(&self.place))
    }
}

/// Whether a row takes more or less than it did.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Pace {
    Faster(u64),
    Slower(u64),
}

impl Trying {
    /// There is a table.
    pub(crate) fn is_there(&self) -> bool {
        self.table.is_some()
    }

    pub(crate) fn path(&self) -> &str {
        &self.path
    }

    /// The file, with the text that is known to be in it.
    pub(crate) fn file(&self) -> Option<(&str, &str)> {
        self.is_there().then_some((self.path.as_str(), self.text.as_str()))
    }

    /// The table; or what is wrong with it.
    pub(crate) fn table(&self) -> Option<&Result<Table, String>> {
        self.table.as_ref()
    }

    pub(crate) fn text(&self) -> &str {
        &self.text
    }

    /// A table was read from its file, for the program that is open.
    pub(crate) fn read(&mut self, path: String, text: String, opened: Opened) {
        self.opened = opened;
        if path != self.path {
            self.undone.clear();
            self.before.clear();
            self.path = path;
        }
        // A change that could not be written is none to be taken back.
        if self.undone.last() == Some(&text) {
            self.undone.pop();
        }
        self.take_text(text);
    }

    /// The text was changed here; what it was before can be come back to.
    pub(crate) fn change(&mut self, path: String, text: String) {
        if self.is_there() {
            self.undone.push(std::mem::take(&mut self.text));
            if self.undone.len() > MOST_UNDONE {
                self.undone.remove(0);
            }
        }
        self.path = path;
        self.take_text(text);
    }

    /// The text before the last change, when there is one.
    pub(crate) fn undo(&mut self) -> Option<String> {
        self.undone.pop()
    }

    /// The text as it is now, before a change that takes none along.
    pub(crate) fn take_text(&mut self, text: String) {
        let written = edit::rows(&text);
        self.is_written = true;
        self.cells.clear();
        let told = |problems: Vec<wendax_trials::Problem>| {
            problems.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")
        };
        let mut table = Table::read(&text).map_err(told);
        if let Ok(table) = &mut table {
            self.is_written = table.rows.len() == written.len();
            let (path, opened) = (&self.path, &self.opened);
            let is_own = |row| opened.is_project && !opened.is_other || opened.is_of(row, path);
            let own: Vec<bool> = table.rows.iter().map(is_own).collect();
            if opened.is_other {
                // They are about the text of the table's own program.
                table.rules.clear();
            }
            // Where none is about it, all of them are shown, as long as each says what it is about.
            let own = if own.contains(&true) || opened.is_other { own } else { vec![true; own.len()] };
            let mut kept = own.iter();
            table.rows.retain(|_| kept.next().copied().unwrap_or(true));
            self.cells =
                written.into_iter().enumerate().filter(|(at, _)| own.get(*at).copied().unwrap_or(true)).collect();
        } else {
            self.cells = written.into_iter().enumerate().collect();
        }
        self.table = Some(table);
        self.text = text;
        self.heads = self.table.iter().flatten().flat_map(Trials::names).collect();
        self.tried = None;
        self.forget();
    }

    /// What came of the rows is that of the present text no more.
    fn forget(&mut self) {
        self.outcomes.clear();
        (self.trials, self.why_not, self.is_done) = (None, None, false);
    }

    /// A job begins: what came of the rows before is what it is compared with.
    pub(crate) fn begin(&mut self, generation: u64) -> u64 {
        if self.is_done {
            let cost = |outcome: &Outcome| Some((outcome.name.clone(), outcome.cycles?.most));
            self.before = self.outcomes.values().filter_map(cost).collect();
        }
        self.number += 1;
        self.tried = Some(generation);
        self.forget();
        self.number
    }

    // ---- what comes back; of a job that was given up nothing is taken

    pub(crate) fn take_files(&mut self, number: u64, files: Vec<String>) {
        if number == self.number {
            self.files = files;
        }
    }

    pub(crate) fn begun(&mut self, number: u64, trials: Arc<Trials>) {
        if number == self.number {
            self.trials = Some(trials);
        }
    }

    pub(crate) fn failed(&mut self, number: u64, why: String) {
        if number == self.number {
            self.why_not = Some(why);
        }
    }

    pub(crate) fn take(&mut self, number: u64, outcome: Outcome) {
        if number != self.number {
            return;
        }
        let rules = self.rules();
        let index = match outcome.row {
            Some(row) => Some(rules + row),
            None => self.heads.iter().take(rules).position(|(name, _)| *name == outcome.name),
        };
        if let Some(index) = index {
            self.outcomes.insert(index, outcome);
        }
    }

    pub(crate) fn done(&mut self, number: u64) {
        self.is_done |= number == self.number;
    }

    // ---- what is asked

    /// Files that rows hang on beside the table and the program that is open: other programs, texts that are given.
    pub(crate) fn files(&self) -> &[String] {
        &self.files
    }

    fn rules(&self) -> usize {
        self.table.iter().flatten().map(|table| table.rules.len()).sum()
    }

    /// The number of a row, by its place among rules and rows.
    pub(crate) fn row_of(&self, index: usize) -> Option<usize> {
        index.checked_sub(self.rules()).filter(|row| *row < self.cells.len().max(self.heads.len()))
    }

    /// A row is about the program that is open.
    pub(crate) fn is_own(&self, row: &Row) -> bool {
        self.opened.is_of(row, &self.path)
    }

    /// Where a row does not say it, the table is about another program than is open.
    pub(crate) fn is_of_other(&self) -> bool {
        self.opened.is_other
    }

    /// The row that is to be walked, once it was tried.
    pub(crate) fn take_wanted_row(&mut self) -> Option<usize> {
        let name = self.wanted_row.as_ref()?;
        let index = self.heads.iter().position(|(known, _)| known == name)?;
        self.outcomes.get(&index)?;
        self.wanted_row = None;
        Some(index)
    }

    /// Rules and rows by name.
    pub(crate) fn heads(&self) -> &[(String, u32)] {
        &self.heads
    }

    /// What came of one of them.
    pub(crate) fn outcome(&self, index: usize) -> Option<&Outcome> {
        self.outcomes.get(&index)
    }

    /// Cells of a row.
    pub(crate) fn cells(&self, row: usize) -> &[(String, String)] {
        self.cells.get(row).map_or(&[], |(_, cells)| cells.as_slice())
    }

    /// The one of a key, as it is written; empty where there is none.
    pub(crate) fn cell(&self, row: usize, key: &str) -> &str {
        self.cells(row).iter().find(|(known, _)| known == key).map_or("", |(_, value)| value.as_str())
    }

    /// How many rows are written as such.
    pub(crate) fn written_rows(&self) -> usize {
        self.cells.len()
    }

    /// All rows are written so that they can be changed.
    pub(crate) fn is_written(&self) -> bool {
        self.is_written
    }

    /// The place of a row in the text.
    pub(crate) fn place_in_text(&self, row: usize) -> Option<usize> {
        self.cells.get(row).map(|(place, _)| *place)
    }

    /// The keys that any row has, in the order in which they are told.
    pub(crate) fn columns(&self) -> Vec<&'static str> {
        let is_used = |key: &str| self.cells.iter().flat_map(|(_, cells)| cells).any(|(used, _)| used == key);
        wendax_trials::row_keys().iter().copied().filter(|key| is_used(key)).collect()
    }

    /// The column that is chosen among them.
    pub(crate) fn column(&self) -> usize {
        self.column.min(self.columns().len().saturating_sub(1))
    }

    pub(crate) fn move_column(&mut self, by: isize) {
        self.is_cells = true;
        let most = self.columns().len().saturating_sub(1);
        self.column = self.column().saturating_add_signed(by).min(most);
    }

    /// How many failed so far, how many were tried, and all.
    pub(crate) fn counts(&self) -> (usize, usize, usize) {
        let failed = self.outcomes.values().filter(|outcome| !outcome.is_passed()).count();
        (failed, self.outcomes.len(), self.heads.len())
    }

    /// Points that were reached, and those there are.
    pub(crate) fn points(&self) -> (u64, u64) {
        let passed = self.outcomes.values().filter(|outcome| outcome.is_passed());
        let all = self.heads.iter().map(|(_, points)| u64::from(*points)).sum();
        (passed.map(|outcome| u64::from(outcome.points)).sum(), all)
    }

    /// All rows were tried with the present text.
    pub(crate) fn is_done(&self) -> bool {
        self.is_done
    }

    /// Why none can be.
    pub(crate) fn why_not(&self) -> Option<&str> {
        match &self.table {
            Some(Err(why)) => Some(why),
            _ => self.why_not.as_deref(),
        }
    }

    pub(crate) fn trials(&self) -> Option<&Arc<Trials>> {
        self.trials.as_ref()
    }

    /// How much a row takes beside the time before; `None` when that is as much, or not known.
    pub(crate) fn pace(&self, outcome: &Outcome) -> Option<Pace> {
        let (now, before) = (outcome.cycles?.most, *self.before.get(&outcome.name)?);
        match (now > before, now < before) {
            (true, _) => Some(Pace::Slower(now - before)),
            (_, true) => Some(Pace::Faster(before - now)),
            _ => None,
        }
    }
}
