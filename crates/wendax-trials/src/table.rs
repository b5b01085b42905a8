//! A table of trials as it is written: what each row gives and what it expects, none of it looked up in a program yet.
//!
//! `read` makes it of a file; `docs/trials.md` has the format. Numbers are kept as the words of a value, since labels and
//! the values that a row goes through may stand in them; a [`Text`] has places for those.

use crate::values::Set;
use regex::Regex;
use serde_json::Value;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::sync::Arc;

/// Values that a row goes through, by name, as they are in one of its runs.
pub type Chosen = BTreeMap<String, i64>;

/// A text in which `{name}` stands for a value that the row goes through; `{{` and `}}` are the braces themselves.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Text(String);

impl Text {
    /// Reads one, in which these names may stand.
    ///
    /// # Errors
    ///
    /// What is wrong with a brace.
    pub(crate) fn read(text: &str, names: &[&str]) -> Result<Self, String> {
        let mut wrong = None;
        replaced(text, |name| {
            if !names.contains(&name) && wrong.is_none() {
                let there = if names.is_empty() { "there is none".to_owned() } else { names.join(", ") };
                wrong = Some(format!(
                    "`{{{name}}}` stands for a value of `vary` ({there}); a brace itself is written twice: {{{{"
                ));
            }
            Some(0)
        })?;
        wrong.map_or_else(|| Ok(Self(text.to_owned())), Err)
    }

    /// One whose braces have been looked at.
    pub(crate) fn plain(text: &str) -> Self {
        Self(text.to_owned())
    }

    /// The text with the values of a run in it.
    pub(crate) fn with(&self, chosen: &Chosen) -> String {
        replaced(&self.0, |name| chosen.get(name).copied()).unwrap_or_else(|_| self.0.clone())
    }

    /// As it is written.
    pub fn raw(&self) -> &str {
        &self.0
    }
}

/// A text with a value for each name in braces.
fn replaced(text: &str, mut value: impl FnMut(&str) -> Option<i64>) -> Result<String, String> {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find(['{', '}']) {
        out.push_str(&rest[..at]);
        let sign = &rest[at..=at];
        rest = &rest[at + 1..];
        if let Some(behind) = rest.strip_prefix(sign) {
            out.push_str(sign);
            rest = behind;
            continue;
        }
        if sign == "}" {
            return Err("a `}` without a `{`; the brace itself is written twice: }}".to_owned());
        }
        let Some((name, behind)) = rest.split_once('}') else {
            return Err("a `{` without a `}`; the brace itself is written twice: {{".to_owned());
        };
        // Writing to a String cannot fail.
        if let Some(number) = value(name.trim()) {
            let _ = write!(out, "{number}");
        }
        rest = behind;
    }
    out.push_str(rest);
    Ok(out)
}

/// What is in a file, typed or printed: written in the row, or in a file beside the table.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Content {
    /// In the row.
    Here(Text),
    /// In a file, byte by byte: no values of the row stand in it.
    From(Beside),
}

impl Content {
    /// Its bytes, with the values of a run in them.
    pub(crate) fn with(&self, chosen: &Chosen) -> Cow<'_, [u8]> {
        match self {
            Self::Here(text) => text.with(chosen).into_bytes().into(),
            Self::From(beside) => beside.bytes.as_slice().into(),
        }
    }

    /// The same, to be kept.
    pub(crate) fn shared(&self, chosen: &Chosen) -> Arc<Vec<u8>> {
        match self {
            Self::Here(text) => Arc::new(text.with(chosen).into_bytes()),
            Self::From(beside) => Arc::clone(&beside.bytes),
        }
    }
}

/// A file beside a table, or below it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Beside {
    /// Where it is, from the table.
    pub path: String,
    /// The line of the table that names it.
    pub line: usize,
    /// What is in it, once it was read.
    pub(crate) bytes: Arc<Vec<u8>>,
}

/// Files beside a table by their paths in it; or why one cannot be read.
pub type BesideIt = BTreeMap<String, Result<Arc<Vec<u8>>, String>>;

/// How numbers lie in memory.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// A byte each.
    Bytes,
    /// A word each.
    Words,
    /// The bytes of a text, and a NUL.
    Text,
}

/// Memory from a place on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cells {
    /// Where: a label, or any value.
    pub at: Text,
    /// How it is read.
    pub form: Form,
    /// What lies there: numbers, or the one text.
    pub values: Vec<Text>,
}

/// What a row gives.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Given {
    /// The routine that is called directly, instead of the whole program.
    pub call: Option<String>,
    /// Its arguments, by the convention for calls.
    pub with: Vec<Text>,
    /// What is typed at the start; nothing more comes then.
    pub typed: Option<Content>,
    /// The arguments of the program.
    pub arguments: Vec<Text>,
    /// Where random numbers begin.
    pub seed: u64,
    /// The files it finds, by path.
    pub files: Vec<(String, Content)>,
    /// What comes from outside by itself: an object for each, as in a file of events.
    pub events: Vec<Value>,
    /// Registers that are set at the start.
    pub set: Vec<(String, Text)>,
    /// Memory that is set at the start.
    pub memory: Vec<Cells>,
    /// Values that the row goes through.
    pub vary: Vec<(String, Set)>,
}

/// How what was printed is compared.
#[derive(Debug, Clone)]
pub enum Prints {
    /// Byte by byte.
    Exactly(Content),
    /// Without blanks at ends of lines, and without empty lines at its end.
    Trimmed(Content),
    /// A regular expression finds something in it.
    Like(Text, Regex),
}

impl Prints {
    /// What is expected byte by byte or line by line.
    pub(crate) fn content(&self) -> Option<&Content> {
        match self {
            Self::Exactly(content) | Self::Trimmed(content) => Some(content),
            Self::Like(..) => None,
        }
    }
}

/// How a run ends, as it is expected.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ends {
    /// By itself.
    Finished,
    /// By a fault, of this trap when one is said.
    Fault(Option<u32>),
    /// It waits for what does not come.
    Waiting,
    /// It repeats one state for ever.
    Circling,
    /// It ran a `brk`.
    Brk,
    /// It used all the steps it may.
    Steps,
}

impl Ends {
    /// The words for it in a table.
    pub const WORDS: &str = "by itself, fault, fault 4, waiting, circling, brk, steps";

    /// What is expected, in words.
    pub(crate) fn words(self) -> String {
        match self {
            Self::Finished => "by itself".to_owned(),
            Self::Fault(None) => "by a fault".to_owned(),
            Self::Fault(Some(trap)) => format!("by a fault, trap {trap}"),
            Self::Waiting => "waiting".to_owned(),
            Self::Circling => "circling".to_owned(),
            Self::Brk => "at a brk".to_owned(),
            Self::Steps => "at the limit of steps".to_owned(),
        }
    }
}

/// At most so much may be used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Most {
    /// Cycles.
    pub cycles: Option<u64>,
    /// Steps.
    pub steps: Option<u64>,
    /// Bytes of code that the whole program has.
    pub code: Option<u64>,
}

/// What a row expects.
#[derive(Debug, Clone, Default)]
pub struct Expected {
    /// What is printed.
    pub prints: Option<Prints>,
    /// The status it ends with.
    pub status: Option<Text>,
    /// How it ends; by itself, or back from the routine, when it is not said.
    pub ends: Option<Ends>,
    /// What the routine gives back.
    pub returns: Option<Text>,
    /// What the routine gives back is nobody's matter, and is not compared with a reference either.
    pub returns_any: bool,
    /// Values at the end: a register, a flag, `[total]`, and what it is.
    pub holds: Vec<(Text, Text)>,
    /// Memory at the end.
    pub leaves: Vec<Cells>,
    /// What is in files that it closed, by path.
    pub writes: Vec<(String, Content)>,
    /// Labels whose cells a routine may change, beside those that `memory` and `leaves` name.
    pub touches: Vec<Text>,
    /// The lamps, a bit each.
    pub lamps: Option<Text>,
    /// The segments of the digits, the leftmost first.
    pub digits: Vec<Text>,
    /// Bounds.
    pub most: Most,
}

/// What the same is done with, to be compared.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reference {
    /// The program, as a path from the table; the same program when it is not said.
    pub program: Option<String>,
    /// The routine; the whole program when it is not said.
    pub call: Option<String>,
}

/// Something that comes at every step of a stretch, in a run for each.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Strike {
    /// The place where the stretch begins, when it is first come to; the first step when it is not said.
    pub from: Option<String>,
    /// The place where it ends, when it is next come to; the end of the run when it is not said.
    pub to: Option<String>,
    /// What comes: the members of an event without its moment.
    pub what: serde_json::Map<String, Value>,
}

/// A row.
#[derive(Debug, Clone, Default)]
pub struct Row {
    /// What it is called; each row's name is its own.
    pub name: String,
    /// What it is about.
    pub note: String,
    /// What it counts.
    pub points: u32,
    /// A failure tells its name only.
    pub is_hidden: bool,
    /// The line it begins on.
    pub line: usize,
    /// The program, as a path from the table; that of the table when it is not said.
    pub program: Option<String>,
    /// What it gives.
    pub given: Given,
    /// What it expects.
    pub expected: Expected,
    /// What it is compared with.
    pub like: Option<Reference>,
    /// What comes at every step of a stretch.
    pub strike: Option<Strike>,
}

impl Row {
    /// A routine is called directly.
    pub fn is_call(&self) -> bool {
        self.given.call.is_some()
    }

    /// What stands in the row or in a file beside the table.
    fn contents(&self) -> impl Iterator<Item = &Content> {
        let Self { given, expected, .. } = self;
        let printed = expected.prints.as_ref().and_then(Prints::content);
        let files = given.files.iter().chain(&expected.writes).map(|(_, content)| content);
        given.typed.iter().chain(printed).chain(files)
    }

    /// The same, to be filled.
    fn contents_mut(&mut self) -> impl Iterator<Item = &mut Content> {
        let Self { given, expected, .. } = self;
        let printed = match &mut expected.prints {
            Some(Prints::Exactly(content) | Prints::Trimmed(content)) => Some(content),
            Some(Prints::Like(..)) | None => None,
        };
        let files = given.files.iter_mut().chain(&mut expected.writes).map(|(_, content)| content);
        given.typed.iter_mut().chain(printed).chain(files)
    }

    /// How many runs it stands for, what comes at every step of a stretch aside; at most [`crate::values::MOST`] of each
    /// value it goes through.
    pub fn cases(&self) -> u64 {
        self.given.vary.iter().fold(1, |all, (_, set)| all.saturating_mul(set.len()))
    }

    /// The values of one of its runs, by number.
    pub fn chosen(&self, case: u64, target: &wendax_isa::Target) -> Chosen {
        let mut rest = case;
        let mut chosen = Chosen::new();
        for (name, set) in &self.given.vary {
            let (count, index) = (set.len().max(1), rest % set.len().max(1));
            chosen.insert(name.clone(), set.value(index, target));
            rest /= count;
        }
        chosen
    }
}

/// A word that the text of a program must have, or must not.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rule {
    /// It must be there; otherwise it must not.
    pub is_must: bool,
    /// What kind of word.
    pub kind: Kind,
    /// The word.
    pub word: String,
    /// The line of the table.
    pub line: usize,
}

/// What a rule is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A mnemonic.
    Instruction,
    /// A system call.
    Call,
    /// A directive.
    Directive,
    /// A name that is defined or used.
    Name,
}

impl Kind {
    /// All of them, by the words for them.
    pub const ALL: [(&str, Self); 4] = [
        ("instruction", Self::Instruction),
        ("call", Self::Call),
        ("directive", Self::Directive),
        ("name", Self::Name),
    ];

    /// The word for it.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, kind)| *kind == self).map_or("", |(word, _)| word)
    }
}

/// What one run may use.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// Steps.
    pub steps: u64,
    /// Bytes printed.
    pub output: u64,
    /// Seconds on the clock made of cycles.
    pub seconds: u64,
    /// Milliseconds of the host, for all runs of a row together.
    pub host: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Self { steps: 10_000_000, output: 1 << 20, seconds: 3600, host: 60_000 }
    }
}

/// A table of trials.
#[derive(Debug, Clone, Default)]
pub struct Table {
    /// What it is about.
    pub about: String,
    /// The program, as a path from the table; the project around it when it is not said.
    pub program: Option<String>,
    /// What each run may use.
    pub limits: Limits,
    /// What the text must have, or must not.
    pub rules: Vec<Rule>,
    /// The rows.
    pub rows: Vec<Row>,
}

impl Table {
    /// The programs that rows try in place of that of the table, each once.
    pub fn tried(&self) -> Vec<&str> {
        once(self.rows.iter().filter_map(|row| row.program.as_deref()))
    }

    /// The programs that rows are compared with, each once.
    pub fn references(&self) -> Vec<&str> {
        once(self.rows.iter().filter_map(|row| row.like.as_ref()?.program.as_deref()))
    }

    /// Files beside the table that rows name, each once.
    pub fn beside(&self) -> Vec<&str> {
        let contents = self.rows.iter().flat_map(Row::contents);
        once(contents.filter_map(|content| match content {
            Content::From(beside) => Some(beside.path.as_str()),
            Content::Here(_) => None,
        }))
    }

    /// Takes in what is in the files beside it; those that cannot be read are told with their lines.
    pub(crate) fn take_beside(&mut self, files: &BesideIt) -> Vec<crate::Problem> {
        let mut problems = Vec::new();
        for content in self.rows.iter_mut().flat_map(Row::contents_mut) {
            let Content::From(beside) = content else { continue };
            let read = files.get(&beside.path).cloned().unwrap_or_else(|| Err("it was not read".to_owned()));
            match read {
                Ok(bytes) => beside.bytes = bytes,
                Err(why) => {
                    let message = format!("`{}` cannot be read: {why}", beside.path);
                    problems.push(crate::Problem { line: beside.line, message });
                }
            }
        }
        problems
    }

    /// Something is asked of the program of the table itself.
    pub fn is_about_its_own(&self) -> bool {
        !self.rules.is_empty() || self.rows.iter().any(|row| row.program.is_none())
    }
}

fn once<'a>(names: impl Iterator<Item = &'a str>) -> Vec<&'a str> {
    names.collect::<std::collections::BTreeSet<_>>().into_iter().collect()
}
