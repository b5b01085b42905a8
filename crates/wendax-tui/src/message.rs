//! What reaches the interface, and what it asks of whoever owns terminal, files and clock.

use crate::world::editor::Text;
use std::path::PathBuf;
use std::sync::Arc;
use wendax_machine::{Files, Found, Tone};
use wendax_project::Built;
use wendax_trials::{Failing, Outcome, Subject, Table, Trials};

/// Something that happened.
#[derive(Debug, Clone)]
pub enum Message {
    /// A key was pressed.
    Key(crossterm::event::KeyEvent),
    /// Text was pasted.
    Paste(String),
    /// The terminal has this size now: columns, rows.
    Resized(u16, u16),
    /// There is time to go on with the run.
    Work,
    /// The mouse did something.
    Mouse(crossterm::event::MouseEvent),
    /// Texts have been assembled; the number is that of [`Effect::Assemble`].
    Assembled(u64, Box<Built>),
    /// They could not be, for a reason that is no problem of theirs: the number, and what is to be told.
    NotAssembled(u64, String),
    /// The text of a file was saved.
    Saved {
        /// The file's name.
        name: String,
        /// Where to.
        path: String,
        /// What was written.
        text: Text,
    },
    /// Something that was asked for is done; what is to be told of it.
    Done(String),
    /// It could not be done, and why.
    Failed(String),
    /// It could not be saved, and why.
    NotSaved(String),
    /// A file has another text on disk now: its name, the text it had when last read or written, the new one.
    Changed(String, String, String),
    /// A file is no longer on disk: its name.
    Gone(String),
    /// A file cannot be written, and why; or can be again.
    Locked(String, Option<String>),
    /// The host's clock shows so many milliseconds: the answer to the question with this number, as with those that follow.
    Clock(u64, u32),
    /// The time asked for has passed.
    Waited(u64),
    /// What lies where the program looks for a file.
    Found(u64, Arc<str>, Found),
    /// A file of events was read: its path and its text.
    Events(String, String),
    /// The file of an exercise was read: its path and its text.
    Exercise(String, String),
    /// A tally was read: its path and its text.
    Tally(String, String),
    /// A table of trials was read: its path and its text.
    Table(String, String),
    /// For the job with this number these files were read since this time, or should have been, beside the table and the
    /// program that is open.
    ReadForRows(u64, Vec<String>, std::time::SystemTime),
    /// One of them is another one now.
    RowsAgain,
    /// Rows are tried, of the job with this number.
    Trying(u64, Arc<Trials>),
    /// They cannot be, and why.
    NotTried(u64, String),
    /// One of them was.
    Tried(u64, Box<Outcome>),
    /// All of them were.
    TriedAll(u64),
    /// The run of a row can be walked: the job, the row by its name, and the run; or why it cannot.
    RowWalk(u64, String, Result<Box<wendax_trials::Walk>, String>),
    /// The file of a table could not be written, and why; the text that is there.
    NotWritten(String, Option<String>),
    /// Unsaved text of last time was found of a file of the program: its path, what the file held then, the text.
    Recovered(String, String, String),
    /// There is a file already where something is to be written, and it is none that was written here.
    Exists(Box<Effect>),
    /// The project wants to open these folders outside of its own, and nobody has decided whether it may.
    AskReach(Vec<PathBuf>),
    /// The time asked for with [`Effect::Tick`] has passed.
    Tick,
}

/// A file that is looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenFile {
    /// What the program calls it.
    pub name: String,
    /// Where it lies.
    pub path: String,
    /// The text it had there when it was last read here or written; `None` while there is no such file.
    pub base: Option<Arc<str>>,
}

/// A text that differs from its file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unsaved {
    /// What the program calls the file.
    pub name: String,
    /// Where it lies; `None` when it was never saved.
    pub path: Option<String>,
    /// The text the file has, as far as known.
    pub base: Option<Arc<str>>,
    /// The text as it is here.
    pub text: Text,
    /// Changes with the text.
    pub revision: u64,
}

/// The folder of a program's files, and the run that uses it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Folder {
    /// Another number is another run, which finds what lies there now.
    pub run: u64,
    /// The folder.
    pub path: PathBuf,
}

impl Effect {
    /// The file it writes beside the program.
    pub fn writes(&self) -> Option<&str> {
        match self {
            Self::Build(path) | Self::Write(path, _) | Self::WriteTones(path, _) => Some(path),
            _ => None,
        }
    }
}

/// Rows to be tried.
#[derive(Debug, Clone)]
pub struct TrialsJob {
    /// Its number: a later one takes the place of an earlier one.
    pub number: u64,
    /// The file of the table.
    pub path: String,
    /// The table.
    pub table: Table,
    /// The program as it is here, and the file or the folder it is.
    pub own: (Subject, Option<String>),
}

/// The run of a row that is to be walked.
#[derive(Debug, Clone)]
pub struct RowJob {
    /// The job that the rows were tried by.
    pub number: u64,
    /// The rows.
    pub trials: Arc<Trials>,
    /// The row, by its number and by its name.
    pub row: (usize, String),
    /// The run of it that failed.
    pub failing: Option<Failing>,
}

/// Jobs are the same when they have the same number.
impl PartialEq for TrialsJob {
    fn eq(&self, other: &Self) -> bool {
        self.number == other.number
    }
}

impl Eq for TrialsJob {}

impl PartialEq for RowJob {
    fn eq(&self, other: &Self) -> bool {
        (self.number, &self.row, &self.failing) == (other.number, &other.row, &other.failing)
    }
}

impl Eq for RowJob {}

/// Something for the owner of terminal and files to do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Effect {
    /// Assemble with these texts in the place of those files, by name; answer with the number.
    Assemble(u64, Vec<(String, Text)>),
    /// The source that the program is has another name now: the one it had, the new one.
    Rename(String, String),
    /// Save a text: the file's name, the path, the text.
    Save(String, String, Text),
    /// Write the program that was built last to this path, in the form its ending says.
    Build(String),
    /// Write these bytes to this path, which must not be one of the program's own.
    Write(String, Vec<u8>),
    /// Make a project in this folder, and open it when nothing is unsaved.
    NewProject(String),
    /// The bench opens another program that the table names, and walks this row of it.
    OpenForRow {
        /// The program, as a path from the table.
        program: String,
        /// The row by its name.
        row: String,
    },
    /// The project may open these folders outside of its own, or may not: remember it.
    Reach(Vec<PathBuf>, bool),
    /// Put a text into the system's clipboard.
    Copy(String),
    /// Tell the time: an answer to the program's question with this number, as with those that follow.
    TellTime(u64),
    /// Let so many milliseconds pass.
    Wait(u64, u32),
    /// Sound a tone, as far as a terminal can, and let its time pass.
    Sound(u64, Tone),
    /// Sound a tone that took none of the host's time.
    Ring,
    /// Tell what lies at a path of the program's folder.
    FindFile(u64, Folder, Arc<str>),
    /// Have the program's folder hold what this branch of its run has written.
    KeepFiles(Folder, Box<Files>),
    /// Write tones as a sound file.
    WriteTones(String, Vec<Tone>),
    /// Send the program that was built last to the board at this port, and run it there.
    Send(String),
    /// Look at the files again: what is run anew is to be what they hold.
    LookAgain,
    /// Do this, which writes a file, also when there is one.
    Over(Box<Self>),
    /// Read a file of events.
    ReadEvents(String),
    /// Read the file of an exercise.
    ReadExercise(String),
    /// Read a tally that was kept.
    ReadTally(String),
    /// Read a table of trials.
    ReadTable(String),
    /// Try the rows of a table; an earlier job is given up.
    Try(Box<TrialsJob>),
    /// Make the run of a row anew, so that it can be walked.
    WalkRow(Box<RowJob>),
    /// Write the text of a table to its path, where the text is still the one that it was; `None` where there was none.
    WriteTable {
        /// The file.
        path: String,
        /// What it held.
        base: Option<String>,
        /// What it is to hold.
        text: String,
    },
    /// Let so many milliseconds pass before the next steps of slow running; of several the last one counts.
    Tick(u32),
    /// End the program; unsaved text is to be forgotten.
    Quit,
}
