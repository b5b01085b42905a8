//! The file of a table: text to rows, with everything that is wrong with it and the line of each.
//!
//! Nothing is looked up in a program here. `docs/trials.md` says what a file may hold.

use crate::run::is_plain_path;
use crate::table::{
    Beside, Cells, Content, Ends, Form, Kind, Limits, Prints, Reference, Row, Rule, Strike, Table, Text,
};
use crate::values::Set;
use regex::RegexBuilder;
use serde_json::{Map, Value};
use std::ops::Range;
use std::sync::Arc;
use toml::Spanned;
use toml::de::{DeTable, DeValue};
use wendax_source::not_known_here;

/// Larger files are no tables.
const LARGEST: usize = 4 << 20;

/// Rows of one table, at most.
const MOST_ROWS: usize = 10_000;

/// Bytes that a regular expression may take when it is compiled.
const LARGEST_PATTERN: usize = 1 << 20;

const KEYS: [&str; 5] = ["about", "program", "limits", "rules", "row"];
const LIMITS: [&str; 4] = ["steps", "output", "seconds", "host"];
const ROW: [&str; 32] = [
    "name",
    "note",
    "program",
    "points",
    "hidden",
    "call",
    "with",
    "typed",
    "arguments",
    "seed",
    "files",
    "events",
    "set",
    "memory",
    "vary",
    "prints",
    "prints_trimmed",
    "prints_like",
    "status",
    "ends",
    "returns",
    "holds",
    "leaves",
    "writes",
    "touches",
    "lamps",
    "digits",
    "cycles",
    "steps",
    "code",
    "like",
    "strike",
];

/// How a file beside the table is named.
const FROM: &str = "{ from = \"long.txt\" }";

/// The keys that a row may have, in the order in which they are told.
pub fn row_keys() -> &'static [&'static str] {
    &ROW
}

/// Something wrong with a table.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// Its line, from 1.
    pub line: usize,
    /// What is wrong, and what was expected.
    pub message: String,
}

impl std::fmt::Display for Problem {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "line {}: {}", self.line, self.message)
    }
}

type Item<'a> = Spanned<DeValue<'a>>;

/// What is found while reading.
struct Door<'t> {
    text: &'t str,
    /// Where its lines end.
    ends: Vec<usize>,
    problems: Vec<Problem>,
}

impl Table {
    /// Reads a file.
    ///
    /// # Errors
    ///
    /// All that is wrong with it, in order.
    pub fn read(text: &str) -> Result<Self, Vec<Problem>> {
        let ends = text.bytes().enumerate().filter(|(_, byte)| *byte == b'\n').map(|(at, _)| at).collect();
        let mut door = Door { text, ends, problems: Vec::new() };
        let table = door.table();
        if door.problems.is_empty() {
            return Ok(table);
        }
        door.problems.sort_by_key(|problem| problem.line);
        Err(door.problems)
    }
}

impl Door<'_> {
    fn line(&self, at: usize) -> usize {
        self.ends.partition_point(|end| *end < at) + 1
    }

    fn tell(&mut self, at: &Range<usize>, message: impl Into<String>) {
        let line = self.line(at.start);
        self.problems.push(Problem { line, message: message.into() });
    }

    fn table(&mut self) -> Table {
        let mut table = Table::default();
        if self.text.len() > LARGEST {
            self.tell(&(0..0), "a table of more than 4 MiB is none");
            return table;
        }
        let parsed = match DeTable::parse(self.text) {
            Ok(parsed) => parsed,
            Err(error) => {
                let message = error.message().lines().next().unwrap_or_default().to_owned();
                self.tell(&error.span().unwrap_or_default(), message);
                return table;
            }
        };
        for (key, value) in parsed.get_ref() {
            let (name, at) = (key.get_ref().as_ref(), key.span());
            match name {
                "about" => table.about = self.string(name, value).unwrap_or_default(),
                "program" => table.program = self.string(name, value),
                "limits" => table.limits = self.limits(value),
                "rules" => table.rules = self.rules(value),
                "row" => table.rows = self.rows(value),
                _ => self.unknown(&at, name, &KEYS),
            }
        }
        if table.rows.is_empty() && self.problems.is_empty() {
            self.tell(&(0..0), "there is no row: write [[row]] with `name`, what is given and what is expected");
        }
        table
    }

    fn unknown(&mut self, at: &Range<usize>, name: &str, names: &[&str]) {
        self.tell(at, not_known_here(name, names));
    }

    fn string(&mut self, name: &str, value: &Item<'_>) -> Option<String> {
        let text = value.get_ref().as_str().map(str::to_owned);
        if text.is_none() {
            self.tell(&value.span(), format!("`{name}` takes a text in quotation marks"));
        }
        text
    }

    fn count(&mut self, name: &str, value: &Item<'_>) -> Option<u64> {
        let number = integer(value).and_then(|number| u64::try_from(number).ok());
        if number.is_none() {
            self.tell(&value.span(), format!("`{name}` takes a whole number from 0 on"));
        }
        number
    }

    fn members<'v, 'a>(
        &mut self,
        (name, example): (&str, &str),
        value: &'v Item<'a>,
    ) -> Vec<(&'v str, Range<usize>, &'v Item<'a>)> {
        let DeValue::Table(table) = value.get_ref() else {
            self.tell(&value.span(), format!("`{name}` takes names with values: {example}"));
            return Vec::new();
        };
        let mut members: Vec<_> =
            table.iter().map(|(key, value)| (key.get_ref().as_ref(), key.span(), value)).collect();
        members.sort_by_key(|(_, span, _)| span.start);
        members
    }

    fn list<'v, 'a>(&mut self, (name, example): (&str, &str), value: &'v Item<'a>) -> &'v [Item<'a>] {
        let DeValue::Array(list) = value.get_ref() else {
            self.tell(&value.span(), format!("`{name}` takes a list: {example}"));
            return &[];
        };
        list
    }

    fn limits(&mut self, value: &Item<'_>) -> Limits {
        let mut limits = Limits::default();
        for (name, at, value) in self.members(("limits", "{ steps = 100000, output = 5000 }"), value) {
            if !LIMITS.contains(&name) {
                self.unknown(&at, name, &LIMITS);
                continue;
            }
            let Some(number) = self.count(name, value) else { continue };
            match name {
                "steps" => limits.steps = number,
                "output" => limits.output = number,
                "seconds" => limits.seconds = number,
                _ => limits.host = number.saturating_mul(1000),
            }
        }
        limits
    }

    fn rules(&mut self, value: &Item<'_>) -> Vec<Rule> {
        let example = "\"instruction mul\", \"call put_text\", \"directive .macro\", \"name total\"";
        let mut rules = Vec::new();
        for (name, at, value) in self.members(("rules", "{ must = [\"instruction mul\"] }"), value) {
            if !["must", "never"].contains(&name) {
                self.unknown(&at, name, &["must", "never"]);
                continue;
            }
            for item in self.list((name, example), value) {
                let line = self.line(item.span().start);
                let words = item.get_ref().as_str().unwrap_or_default();
                let parts = words.trim().split_once(char::is_whitespace).and_then(|(kind, word)| {
                    let kind = Kind::ALL.iter().find(|(name, _)| *name == kind)?.1;
                    Some((kind, word.trim().to_owned())).filter(|(_, word)| !word.contains(char::is_whitespace))
                });
                match parts {
                    Some((kind, word)) => rules.push(Rule { is_must: name == "must", kind, word, line }),
                    None => self.tell(&item.span(), format!("`{name}` takes kinds of words with the word: {example}")),
                }
            }
        }
        rules
    }

    fn rows(&mut self, value: &Item<'_>) -> Vec<Row> {
        let DeValue::Array(list) = value.get_ref() else {
            self.tell(&value.span(), "rows are written as [[row]], each with its keys below");
            return Vec::new();
        };
        if list.len() > MOST_ROWS {
            self.tell(&value.span(), format!("there are {} rows; {MOST_ROWS} at most are gone through", list.len()));
            return Vec::new();
        }
        let mut rows: Vec<Row> = Vec::with_capacity(list.len());
        let mut known = std::collections::BTreeMap::new();
        for item in list {
            let DeValue::Table(table) = item.get_ref() else {
                self.tell(&item.span(), "expected a table: [[row]]");
                continue;
            };
            let row = self.row(table, &item.span());
            if let Some(line) = known.insert(row.name.clone(), row.line)
                && !row.name.is_empty()
            {
                self.tell(&item.span(), format!("another row is called {:?}: the one on line {line}", row.name));
            }
            rows.push(row);
        }
        rows
    }

    fn row(&mut self, table: &DeTable<'_>, at: &Range<usize>) -> Row {
        let mut row = Row { points: 1, line: self.line(at.start), ..Row::default() };
        // What texts may have places for is known first.
        if let Some(value) = table.get("vary") {
            row.given.vary = self.vary(value);
        }
        let names: Vec<String> = row.given.vary.iter().map(|(name, _)| name.clone()).collect();
        let names: Vec<&str> = names.iter().map(String::as_str).collect();
        let mut members: Vec<_> = table.iter().collect();
        members.sort_by_key(|(key, _)| key.span().start);
        for (key, value) in members {
            let (name, span) = (key.get_ref().as_ref(), key.span());
            if !ROW.contains(&name) {
                self.unknown(&span, name, &ROW);
                continue;
            }
            self.member(&mut row, (name, &span), value, &names);
        }
        self.whole(&row, at);
        row
    }

    /// What belongs together is there.
    fn whole(&mut self, row: &Row, at: &Range<usize>) {
        if row.name.trim().is_empty() {
            self.tell(at, "a row needs `name`");
        }
        let Row { given, expected, .. } = row;
        if row.is_call() {
            let of_programs = [(!given.arguments.is_empty(), "arguments"), (expected.status.is_some(), "status")];
            for (_, name) in of_programs.into_iter().filter(|(is_there, _)| *is_there) {
                self.tell(at, format!("`{name}` is of a whole program, and this row calls a routine"));
            }
        } else {
            let of_calls = [
                (!given.with.is_empty(), "with"),
                (expected.returns.is_some(), "returns"),
                (!expected.touches.is_empty(), "touches"),
            ];
            for (_, name) in of_calls.into_iter().filter(|(is_there, _)| *is_there) {
                self.tell(at, format!("`{name}` belongs to a routine: `call` says which"));
            }
        }
        let cases = row.cases();
        if cases > crate::values::MOST {
            let most = crate::values::MOST;
            self.tell(at, format!("the values of `vary` make {cases} runs together; {most} at most are gone through"));
        }
        let types = |event: &Map<String, Value>| ["text", "bytes", "end"].iter().any(|name| event.contains_key(*name));
        if given.typed.is_some() {
            let is_struck = row.strike.as_ref().is_some_and(|strike| types(&strike.what));
            let comes = given.events.iter().filter_map(Value::as_object).any(types);
            for (_, name) in [(is_struck, "strike"), (comes, "events")].into_iter().filter(|(is_there, _)| *is_there) {
                let instead = "type all by `events`: { asked = true, text = \"120\\n\" }";
                self.tell(at, format!("`typed` ends the input, behind which `{name}` types nothing more: {instead}"));
            }
        }
        if row.strike.is_some() && row.like.is_some() {
            self.tell(at, "`strike` and `like` do not go together: what strikes there strikes at other steps here");
        }
    }

    fn member(&mut self, row: &mut Row, (name, span): (&str, &Range<usize>), value: &Item<'_>, names: &[&str]) {
        let Row { given, expected, .. } = row;
        match name {
            "name" => row.name = self.string(name, value).unwrap_or_default(),
            "note" => row.note = self.string(name, value).unwrap_or_default(),
            "program" => row.program = self.string(name, value),
            "points" => {
                let points = self.count(name, value).unwrap_or(1);
                row.points = u32::try_from(points).unwrap_or(u32::MAX);
            }
            "hidden" => match value.get_ref() {
                DeValue::Boolean(is_hidden) => row.is_hidden = *is_hidden,
                _ => self.tell(&value.span(), "`hidden` is true or false"),
            },
            "call" => given.call = self.string(name, value),
            "with" => given.with = self.texts((name, "[\"list\", 3]"), value, names),
            "typed" => given.typed = self.content(name, value, names),
            "arguments" => given.arguments = self.texts((name, "[\"first\", \"second\"]"), value, names),
            "seed" => given.seed = self.count(name, value).unwrap_or(0),
            "files" => given.files = self.files((name, "{ \"loads.txt\" = \"120\\n\" }"), value, names),
            "events" => given.events = self.events(value, names),
            "set" => {
                let members = self.members((name, "{ r4 = 5 }"), value);
                given.set = members
                    .into_iter()
                    .filter_map(|(register, _, value)| Some((register.to_owned(), self.word(name, value, names)?)))
                    .collect();
            }
            "memory" => given.memory = self.memory(name, value, names),
            "vary" => {}
            "prints" => expected.prints = self.content(name, value, names).map(Prints::Exactly),
            "prints_trimmed" => expected.prints = self.content(name, value, names).map(Prints::Trimmed),
            "prints_like" => expected.prints = self.pattern(name, value, names),
            "status" => expected.status = self.word(name, value, names),
            "ends" => expected.ends = self.ends(value),
            "returns" if value.get_ref().as_str() == Some("any") => expected.returns_any = true,
            "returns" => expected.returns = self.word(name, value, names),
            "holds" => {
                let members = self.members((name, "{ r4 = 5, \"[total]\" = 12 }"), value);
                for (what, at, value) in members {
                    let what = self.checked(&at, what, names);
                    if let (Some(what), Some(value)) = (what, self.word(name, value, names)) {
                        expected.holds.push((what, value));
                    }
                }
            }
            "leaves" => expected.leaves = self.memory(name, value, names),
            "writes" => expected.writes = self.files((name, "{ \"report.txt\" = \"3 wagons\\n\" }"), value, names),
            "touches" => expected.touches = self.texts((name, "[\"buffer\"]"), value, names),
            "lamps" => expected.lamps = self.word(name, value, names),
            "digits" => expected.digits = self.texts((name, "[0x06, 0x5B, 0x4F, 0x66]"), value, names),
            "cycles" => expected.most.cycles = self.count(name, value),
            "steps" => expected.most.steps = self.count(name, value),
            "code" => expected.most.code = self.count(name, value),
            "like" => row.like = self.like(value),
            "strike" => row.strike = self.strike(value),
            _ => self.unknown(span, name, &ROW),
        }
    }

    fn checked(&mut self, at: &Range<usize>, text: &str, names: &[&str]) -> Option<Text> {
        Text::read(text, names).map_err(|message| self.tell(at, message)).ok()
    }

    fn text(&mut self, name: &str, value: &Item<'_>, names: &[&str]) -> Option<Text> {
        let text = self.string(name, value)?;
        self.checked(&value.span(), &text, names)
    }

    /// A text, or a file beside the table that has it.
    fn content(&mut self, name: &str, value: &Item<'_>, names: &[&str]) -> Option<Content> {
        let DeValue::Table(table) = value.get_ref() else {
            if value.get_ref().as_str().is_none() {
                self.tell(&value.span(), format!("`{name}` takes a text in quotation marks, or {FROM}"));
                return None;
            }
            return self.text(name, value, names).map(Content::Here);
        };
        let path = match table.iter().collect::<Vec<_>>().as_slice() {
            [(key, path)] if key.get_ref() == "from" => path.get_ref().as_str().filter(|path| is_path(path)),
            _ => None,
        };
        let Some(path) = path else {
            self.tell(&value.span(), format!("`{name}` takes a file beside the table, or below it, as {FROM}"));
            return None;
        };
        let line = self.line(value.span().start);
        Some(Content::From(Beside { path: path.to_owned(), line, bytes: Arc::default() }))
    }

    /// A number, or a value in words.
    fn word(&mut self, name: &str, value: &Item<'_>, names: &[&str]) -> Option<Text> {
        let text = match value.get_ref() {
            DeValue::String(text) => text.to_string(),
            DeValue::Integer(_) => match integer(value) {
                Some(number) => number.to_string(),
                None => String::new(),
            },
            _ => String::new(),
        };
        if text.trim().is_empty() {
            self.tell(
                &value.span(),
                format!("`{name}` takes a number, or a value in quotation marks: 5, \"list + 4\""),
            );
            return None;
        }
        self.checked(&value.span(), &text, names)
    }

    fn texts(&mut self, (name, example): (&str, &str), value: &Item<'_>, names: &[&str]) -> Vec<Text> {
        let mut texts = Vec::new();
        for item in self.list((name, example), value) {
            // Arguments of programs may be empty.
            let text = match item.get_ref() {
                DeValue::String(text) if name == "arguments" => self.checked(&item.span(), text, names),
                _ => self.word(name, item, names),
            };
            texts.extend(text);
        }
        texts
    }

    fn files(&mut self, (name, example): (&str, &str), value: &Item<'_>, names: &[&str]) -> Vec<(String, Content)> {
        let mut files = Vec::new();
        for (path, at, value) in self.members((name, example), value) {
            if !is_path(path) {
                self.tell(&at, format!("`{path}` is no path of a file of the program: list.txt, in/list.txt"));
                continue;
            }
            if let Some(content) = self.content(path, value, names) {
                files.push((path.to_owned(), content));
            }
        }
        files
    }

    fn memory(&mut self, name: &str, value: &Item<'_>, names: &[&str]) -> Vec<Cells> {
        let example = "{ list = [3, 1, 2], \"flags as bytes\" = [1, 0], name = \"north\" }";
        let mut all = Vec::new();
        for (place, at, value) in self.members((name, example), value) {
            let (place, form) = match place.rsplit_once(" as ") {
                None => (place, None),
                Some((place, "bytes")) => (place, Some(Form::Bytes)),
                Some((place, "words")) => (place, Some(Form::Words)),
                Some((place, "text")) => (place, Some(Form::Text)),
                Some((_, other)) => {
                    self.tell(&at, format!("`{other}` is no form of memory: bytes, words, text"));
                    continue;
                }
            };
            let Some(place) = self.checked(&at, place.trim(), names) else { continue };
            let cells = match (value.get_ref(), form) {
                (DeValue::String(_), None | Some(Form::Text)) => {
                    let Some(text) = self.text(name, value, names) else { continue };
                    Cells { at: place, form: Form::Text, values: vec![text] }
                }
                (DeValue::Array(_), Some(Form::Text)) => {
                    self.tell(&value.span(), "a text stands in quotation marks");
                    continue;
                }
                (DeValue::Array(_), form) => {
                    let values = self.texts((name, example), value, names);
                    Cells { at: place, form: form.unwrap_or(Form::Words), values }
                }
                (_, Some(Form::Text)) => {
                    self.tell(&value.span(), "a text stands in quotation marks");
                    continue;
                }
                (_, form) => {
                    let Some(value) = self.word(name, value, names) else { continue };
                    Cells { at: place, form: form.unwrap_or(Form::Words), values: vec![value] }
                }
            };
            all.push(cells);
        }
        all
    }

    fn vary(&mut self, value: &Item<'_>) -> Vec<(String, Set)> {
        let mut all = Vec::new();
        for (name, at, value) in self.members(("vary", "{ a = \"edges\", b = [1, 2, 9] }"), value) {
            if !name.chars().all(|sign| sign.is_ascii_alphanumeric() || sign == '_') || name.is_empty() {
                self.tell(&at, format!("`{name}` is no name: letters, digits and _"));
                continue;
            }
            let set = match value.get_ref() {
                DeValue::Array(list) => {
                    let numbers: Option<Vec<i64>> = list.iter().map(integer).collect();
                    let told = || format!("`{name}` takes numbers: [1, 2, 9]");
                    numbers.ok_or_else(told).and_then(|list| Set::List(list).checked(name))
                }
                DeValue::String(text) => Set::read(text),
                DeValue::Integer(_) => {
                    integer(value).map(|number| Set::List(vec![number])).ok_or_else(|| format!("`{name}` is too large"))
                }
                _ => Err(format!("`{name}` takes a list of numbers, or words: [1, 2, 9], \"1..9\", \"edges\"")),
            };
            match set {
                Ok(set) => all.push((name.to_owned(), set)),
                Err(message) => self.tell(&value.span(), message),
            }
        }
        all
    }

    fn pattern(&mut self, name: &str, value: &Item<'_>, names: &[&str]) -> Option<Prints> {
        let text = self.text(name, value, names)?;
        // Values of a run are plain numbers, so that they change nothing about whether it is one.
        let plain = text.with(&names.iter().map(|name| ((*name).to_owned(), 0)).collect());
        match RegexBuilder::new(&plain).size_limit(LARGEST_PATTERN).build() {
            Ok(regex) => Some(Prints::Like(text, regex)),
            Err(error) => {
                let why = error.to_string();
                let why = why.lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned();
                self.tell(&value.span(), format!("`{name}` is no regular expression: {why}"));
                None
            }
        }
    }

    fn ends(&mut self, value: &Item<'_>) -> Option<Ends> {
        let text = self.string("ends", value)?;
        let words: Vec<&str> = text.split_whitespace().collect();
        let ends = match words.as_slice() {
            ["by", "itself"] => Some(Ends::Finished),
            ["fault"] => Some(Ends::Fault(None)),
            ["fault", trap] => trap.parse().ok().map(|trap| Ends::Fault(Some(trap))),
            ["waiting"] => Some(Ends::Waiting),
            ["circling"] => Some(Ends::Circling),
            ["brk"] => Some(Ends::Brk),
            ["steps"] => Some(Ends::Steps),
            _ => None,
        };
        if ends.is_none() {
            self.tell(&value.span(), format!("`{text}` is no end of a run: {}", Ends::WORDS));
        }
        ends
    }

    fn like(&mut self, value: &Item<'_>) -> Option<Reference> {
        if let Some(routine) = value.get_ref().as_str() {
            return Some(Reference { program: None, call: Some(routine.to_owned()) });
        }
        let mut like = Reference { program: None, call: None };
        for (name, at, value) in self.members(("like", "\"slow_sum\", { program = \"plain.asm\" }"), value) {
            match name {
                "program" => like.program = self.string(name, value),
                "call" => like.call = self.string(name, value),
                _ => self.unknown(&at, name, &["program", "call"]),
            }
        }
        if like.program.is_none() && like.call.is_none() {
            self.tell(&value.span(), "`like` names a routine, or a program: \"slow_sum\", { program = \"plain.asm\" }");
            return None;
        }
        Some(like)
    }

    fn strike(&mut self, value: &Item<'_>) -> Option<Strike> {
        let mut strike = Strike { from: None, to: None, what: Map::new() };
        let example = "{ text = \"q\", from = \"main\", to = \"done\" }";
        for (name, at, value) in self.members(("strike", example), value) {
            match name {
                "from" => strike.from = self.string(name, value),
                "to" => strike.to = self.string(name, value),
                "text" | "bytes" | "levers" | "lever" | "up" => {
                    let json = self.json(value)?;
                    strike.what.insert(name.to_owned(), json);
                }
                _ => self.unknown(&at, name, &["from", "to", "text", "bytes", "levers", "lever", "up"]),
            }
        }
        if strike.what.is_empty() {
            self.tell(&value.span(), format!("`strike` says what comes: {example}"));
            return None;
        }
        Some(strike)
    }

    fn events(&mut self, value: &Item<'_>, names: &[&str]) -> Vec<Value> {
        let example = "[{ step = 120, lever = 3, up = true }]";
        let mut events = Vec::new();
        for item in self.list(("events", example), value) {
            if !matches!(item.get_ref(), DeValue::Table(_)) {
                self.tell(&item.span(), format!("each event is a table: {example}"));
                continue;
            }
            let json = self.json(item);
            if let Some(json) = json {
                self.places(&item.span(), &json, names);
                events.push(json);
            }
        }
        events
    }

    /// The texts of an event have places for values, too.
    fn places(&mut self, at: &Range<usize>, json: &Value, names: &[&str]) {
        match json {
            Value::String(text) => {
                self.checked(at, text, names);
            }
            Value::Array(list) => list.iter().for_each(|json| self.places(at, json, names)),
            Value::Object(members) => members.values().for_each(|json| self.places(at, json, names)),
            Value::Null | Value::Bool(_) | Value::Number(_) => {}
        }
    }

    fn json(&mut self, value: &Item<'_>) -> Option<Value> {
        Some(match value.get_ref() {
            DeValue::String(text) => Value::from(text.as_ref()),
            DeValue::Boolean(truth) => Value::from(*truth),
            DeValue::Integer(_) => {
                let number = integer(value);
                if number.is_none() {
                    self.tell(&value.span(), "this number is too large");
                }
                Value::from(number?)
            }
            DeValue::Array(list) => Value::Array(list.iter().filter_map(|item| self.json(item)).collect()),
            DeValue::Table(table) => {
                let members =
                    table.iter().filter_map(|(key, value)| Some((key.get_ref().to_string(), self.json(value)?)));
                Value::Object(members.collect())
            }
            DeValue::Float(_) | DeValue::Datetime(_) => {
                self.tell(&value.span(), "expected a whole number, a text, true or false");
                return None;
            }
        })
    }
}

/// A path that a file has below a folder.
fn is_path(path: &str) -> bool {
    is_plain_path(path) && !path.contains(['\\', '\n', '\0'])
}

fn integer(value: &Item<'_>) -> Option<i64> {
    let DeValue::Integer(number) = value.get_ref() else { return None };
    i64::from_str_radix(number.as_str(), number.radix()).ok()
}
