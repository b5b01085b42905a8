//! What a run came to beside what was expected of it: the differences, the earliest first, in words.
//!
//! Comparing is cheap; where a difference began is looked for only when there is one.

use crate::run::Ending;
use crate::since::since;
use crate::subject::{self, Begun, address, number, word};
use crate::table::{Cells, Chosen, Expected, Form, Prints, Row, Text};
use std::ops::Range;
use wendax_isa::{Addr, Reg, StepNo, Target};
use wendax_machine::{Files, KnownFile, Snapshot};
use wendax_session::{LastWriter, Session, Thing, fault_causes, grouped, last_write, place};
use wendax_source::shown_line;

/// Characters of a text that are told, at most.
const LONGEST: usize = 60;

/// What a difference is one of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// How the run ended.
    Ends,
    /// What was printed.
    Prints,
    /// A value at the end: status, result, register, memory, lamps.
    Holds,
    /// A register that has to be given back.
    Kept,
    /// Memory that a routine may not change.
    Outside,
    /// A file.
    Files,
    /// It took more than it may.
    Most,
    /// The row does not fit the program.
    Row,
    /// A rule for the text.
    Rule,
}

impl Kind {
    /// A word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Ends => "ends",
            Self::Prints => "prints",
            Self::Holds => "holds",
            Self::Kept => "kept",
            Self::Outside => "outside",
            Self::Files => "files",
            Self::Most => "most",
            Self::Row => "row",
            Self::Rule => "rule",
        }
    }
}

/// Something that is otherwise than expected.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Difference {
    /// What it is one of.
    pub kind: Kind,
    /// What is otherwise, in a sentence: "`-3` was printed where `5` was expected".
    pub message: String,
    /// The step that did it: before it all was well.
    pub step: Option<StepNo>,
    /// The line of that step's instruction, with its file where there are several.
    pub line: Option<String>,
    /// Since when what it used was so: "r6 was last set on line 4".
    pub since: Option<String>,
}

impl Difference {
    pub(crate) fn plain(kind: Kind, message: String) -> Self {
        Self { kind, message, step: None, line: None, since: None }
    }

    /// One that began with a step, with its line; and, when it is what that printed, since when what it printed was so.
    fn begun_by(session: &Session, (kind, message): (Kind, String), step: StepNo, is_print: bool) -> Self {
        let (line, since) = since(session, step, is_print);
        Self { kind, message, step: Some(step), line, since }
    }

    /// One that began with the byte printed at a position.
    pub(crate) fn printed(session: &Session, (kind, message): (Kind, String), position: u64) -> Self {
        match session.printed_at(position) {
            Some(step) => Self::begun_by(session, (kind, message), step, true),
            None => Self::plain(kind, message),
        }
    }

    /// One that began when something was last written.
    pub(crate) fn written(session: &Session, (kind, message): (Kind, String), thing: Thing) -> Self {
        match last_write(session, thing, session.now()) {
            Some(LastWriter::Step(effects)) => Self::begun_by(session, (kind, message), effects.step, false),
            Some(LastWriter::ByHand(_)) | None => Self::plain(kind, message),
        }
    }

    /// The whole of it in words.
    pub fn words(&self) -> String {
        let mut text = self.message.clone();
        if let Some(step) = self.step {
            text.push_str(&format!(", at step {}", grouped(step.0)));
        }
        if let Some(line) = &self.line {
            text.push_str(&format!(" ({line})"));
        }
        if let Some(since) = &self.since {
            text.push_str(&format!("; {since}"));
        }
        text
    }
}

/// A run that was carried through, to be judged.
pub(crate) struct Judge<'a> {
    pub(crate) row: &'a Row,
    pub(crate) chosen: &'a Chosen,
    pub(crate) begun: &'a Begun,
    pub(crate) ending: &'a Ending,
    pub(crate) start: Option<&'a Snapshot>,
    /// Bytes of code of the whole program.
    pub(crate) code: u64,
    found: Vec<Found>,
}

/// A difference, and what to look for to know where it began.
struct Found {
    kind: Kind,
    message: String,
    at: At,
}

/// Where a difference began.
enum At {
    /// With the byte printed at this position.
    Printed(u64),
    /// With the last write of this.
    Write(Thing),
    /// With the last step.
    End,
    /// It is of the run as a whole.
    Whole,
}

impl<'a> Judge<'a> {
    pub(crate) fn new(
        (row, chosen): (&'a Row, &'a Chosen),
        (begun, ending, start): (&'a Begun, &'a Ending, Option<&'a Snapshot>),
        code: u64,
    ) -> Self {
        Self { row, chosen, begun, ending, start, code, found: Vec::new() }
    }

    /// What is otherwise, the earliest first.
    pub(crate) fn differences(mut self) -> Vec<Difference> {
        self.compare();
        self.located()
    }

    fn session(&self) -> &'a Session {
        &self.begun.session
    }

    fn target(&self) -> &'static Target {
        self.session().machine().target()
    }

    fn tell(&mut self, kind: Kind, at: At, message: String) {
        self.found.push(Found { kind, message, at });
    }

    fn compare(&mut self) {
        let expected = &self.row.expected;
        let is_end = match expected.ends {
            Some(ends) => self.ending.is(ends),
            None if self.row.is_call() => *self.ending == Ending::Returned,
            None => matches!(self.ending, Ending::Finished(_)),
        };
        if !is_end {
            let mut message = self.ending.words(self.session());
            match expected.ends {
                Some(ends) => message.push_str(&format!(", and was expected to end {}", ends.words())),
                None if self.row.is_call() && matches!(self.ending, Ending::Finished(_)) => {
                    message.push_str(", and was expected to come back");
                }
                None => {}
            }
            self.tell(Kind::Ends, At::End, message);
        }
        if let Some(prints) = &expected.prints {
            self.prints(prints);
        }
        // What was not finished is told once, not by each thing that is not there yet.
        if is_end {
            self.values(expected);
        }
        self.bounds(expected);
    }

    fn values(&mut self, expected: &Expected) {
        let target = self.target();
        if let (Some(text), Ending::Finished(status)) = (&expected.status, self.ending)
            && let Some(wanted) = self.number(text)
            && word(target, wanted) != *status
        {
            let message = format!("it ended with status {status} where {wanted} was expected");
            self.tell(Kind::Holds, At::End, message);
        }
        if let Some(text) = &expected.returns
            && let Some(wanted) = self.number(text)
            && let Some(&register) = target.roles.results.first()
        {
            self.register(Kind::Holds, register, word(target, wanted), "came back");
        }
        for (what, wanted) in &expected.holds {
            self.holds(what, wanted);
        }
        for cells in &expected.leaves {
            self.leaves(cells);
        }
        self.board(expected);
        for (path, content) in &expected.writes {
            self.file(path, &content.with(self.chosen));
        }
        if self.row.is_call() {
            for &(register, value) in &self.begun.kept {
                self.register(Kind::Kept, register, value, "was left in");
            }
            self.outside();
        }
    }

    /// A value that the table says, as it is at the end; what cannot be worked out is told.
    fn number(&mut self, text: &Text) -> Option<i64> {
        match number(self.session(), text, self.chosen) {
            Ok(number) => Some(number),
            Err(message) => {
                self.tell(Kind::Row, At::Whole, message);
                None
            }
        }
    }

    fn register(&mut self, kind: Kind, register: Reg, wanted: u32, verb: &str) {
        let machine = self.session().machine();
        let target = self.target();
        let is = machine.register(register);
        if is == wanted && (machine.register_known(register) || wanted == 0) {
            return;
        }
        let name = target.register_name(register);
        let plain = |value: u32| match kind {
            Kind::Kept => target.marked(value),
            _ => target.signed(value).to_string(),
        };
        let message = match kind {
            Kind::Kept if register == target.roles.stack => {
                format!("`{name}` came back as {} where {} was expected", plain(is), plain(wanted))
            }
            Kind::Kept => format!("`{name}` was not given back: it holds {}", target.signed(is)),
            _ if !machine.register_known(register) => {
                format!("nothing {verb} in `{name}` where {} was expected: it was never set", plain(wanted))
            }
            _ => format!("{} {verb} in `{name}` where {} was expected", plain(is), plain(wanted)),
        };
        self.tell(kind, At::Write(Thing::Register(register)), message);
    }

    fn holds(&mut self, what: &Text, wanted: &Text) {
        let target = self.target();
        let (Some(is), Some(wanted)) = (self.number(what), self.number(wanted)) else { return };
        // Words have no sign of their own; what is more than a word, such as cycles, is a number.
        let is_word = |value: i64| {
            let mask = i64::from(target.word_mask());
            (-(mask >> 1) - 1..=mask).contains(&value)
        };
        if is == wanted || is_word(is) && is_word(wanted) && word(target, is) == word(target, wanted) {
            return;
        }
        let name = what.with(self.chosen);
        let at = match (target.register(&name), name.strip_prefix('[').and_then(|name| name.strip_suffix(']'))) {
            (Some(register), _) => At::Write(Thing::Register(register)),
            (None, Some(place)) => match address(self.session(), &Text::plain(place), self.chosen) {
                Ok(at) => At::Write(Thing::Cells(at, at + target.word_bytes())),
                Err(_) => At::Whole,
            },
            (None, None) => {
                let flag = target.flags.iter().find(|flag| name.len() == 1 && name.starts_with(flag.name));
                flag.map_or(At::Whole, |flag| At::Write(Thing::Flag(flag.bit)))
            }
        };
        let signed = |value: i64| {
            let is_word = (0..=i64::from(target.word_mask())).contains(&value);
            if is_word { i64::from(target.signed(word(target, value))) } else { value }
        };
        self.tell(Kind::Holds, at, format!("`{name}` is {} where {} was expected", signed(is), signed(wanted)));
    }

    fn leaves(&mut self, cells: &Cells) {
        let (session, target) = (self.session(), self.target());
        let place = cells.at.with(self.chosen);
        let found = address(session, &cells.at, self.chosen)
            .and_then(|at| Ok((at, subject::bytes(session, cells, self.chosen)?)));
        let (at, wanted) = match found {
            Ok(found) => found,
            Err(message) => return self.tell(Kind::Row, At::Whole, message),
        };
        let length = u32::try_from(wanted.len()).unwrap_or(u32::MAX);
        let machine = session.machine();
        let is: Vec<u8> = (0..length).map(|offset| machine.byte(at + offset)).collect();
        let Some(first) = is.iter().zip(&wanted).position(|(is, wanted)| is != wanted) else { return };
        let size = match cells.form {
            Form::Words => target.word_bytes() as usize,
            Form::Bytes | Form::Text => 1,
        };
        let first = first - first % size;
        let from = at + u32::try_from(first).unwrap_or(0);
        let message = if cells.form == Form::Text {
            let end = is.iter().position(|byte| *byte == 0).unwrap_or(is.len());
            let (is, wanted) = (quoted(&is[..end]), quoted(&wanted[..wanted.len().saturating_sub(1)]));
            format!("`{place}` is {is} where {wanted} was expected")
        } else {
            let value = |bytes: &[u8]| {
                let part = bytes.get(first..first + size).unwrap_or_default();
                let number = part.iter().rev().fold(0, |number, byte| number << 8 | u32::from(*byte));
                if size == 1 { i64::from(number) } else { target.signed(number).into() }
            };
            let which = if cells.values.len() > 1 {
                format!("number {} of `{place}`", first / size + 1)
            } else {
                format!("`{place}`")
            };
            format!("{which} is {} where {} was expected", value(&is), value(&wanted))
        };
        let size = u32::try_from(size).unwrap_or(1);
        self.tell(Kind::Holds, At::Write(Thing::Cells(from, from + size)), message);
    }

    fn board(&mut self, expected: &Expected) {
        let board = self.session().machine().board();
        let (lamps, digits) = (u32::from(board.lamps), board.digits);
        if let Some(wanted) = expected.lamps.as_ref().and_then(|text| self.number(text))
            && i64::from(lamps) != wanted & 0xFFFF
        {
            let (is, wanted) = (lamp_words(lamps), lamp_words(u32::try_from(wanted & 0xFFFF).unwrap_or(0)));
            self.tell(Kind::Holds, At::Whole, format!("lamps lit: {is}; expected: {wanted}"));
        }
        for (index, text) in expected.digits.iter().enumerate() {
            let Some(wanted) = self.number(text) else { continue };
            let is = digits.get(index).copied().unwrap_or(0);
            if i64::from(is) != wanted & 0xFF {
                let message =
                    format!("digit {index} has the segments 0x{is:02X} where 0x{:02X} was expected", wanted & 0xFF);
                self.tell(Kind::Holds, At::Whole, message);
            }
        }
    }

    fn file(&mut self, path: &str, wanted: &[u8]) {
        let files = self.session().machine().files();
        let message = match (kept(files, path), files.get(path)) {
            (Some(bytes), _) if bytes == wanted => return,
            (Some(bytes), _) => {
                let at = first_difference(bytes, wanted);
                let (is, wanted) = (piece(bytes, at), piece(wanted, at));
                format!("file `{path}` has {is} where {wanted} was expected, at byte {at}")
            }
            (None, Some(file)) if KnownFile::is_unfinished(file) => {
                format!("file `{path}` was written and not closed")
            }
            (None, _) => format!("file `{path}` was not written"),
        };
        self.tell(Kind::Files, At::Whole, message);
    }

    fn outside(&mut self) {
        let (session, target) = (self.session(), self.target());
        let machine = session.machine();
        // What lies below the stack pointer of its start is a routine's own.
        let stack = self.begun.kept.iter().find(|(register, _)| *register == target.roles.stack);
        let own_stack = target.map.stack_start..stack.map_or(target.map.stack_start, |(_, value)| Addr(*value));
        let is_own = |at: Addr| {
            own_stack.contains(&at)
                || at >= session.image().heap_start
                    && at < target.map.stack_start
                    && session.image().segment_at(at).is_none()
                || self.begun.own.iter().any(|(from, to)| *from <= at && at < *to)
        };
        for difference in self.start.map(|start| machine.memory_since(start)).unwrap_or_default() {
            let pairs = difference.old.iter().zip(&difference.new).zip(0..);
            let mut changed = pairs.filter(|((old, new), _)| old != new).map(|(_, offset)| difference.address + offset);
            if let Some(at) = changed.find(|at| !is_own(*at)) {
                let name = place(session.image(), target, at);
                let message = format!("it changed memory that is not its own, at {name}");
                return self.tell(Kind::Outside, At::Write(Thing::Cells(at, at + 1)), message);
            }
        }
    }

    fn bounds(&mut self, expected: &Expected) {
        let machine = self.session().machine();
        let most = expected.most;
        let (cycles, steps, code) = (machine.cycles(), machine.steps().0, self.code);
        for (is, most, what) in
            [(cycles, most.cycles, "cycles"), (steps, most.steps, "steps"), (code, most.code, "bytes of code")]
        {
            if let Some(most) = most.filter(|most| is > *most) {
                let verb = if what == "bytes of code" { "it has" } else { "it took" };
                let message = format!("{verb} {} {what} where {} at most were expected", grouped(is), grouped(most));
                self.tell(Kind::Most, At::Whole, message);
            }
        }
    }

    fn prints(&mut self, prints: &Prints) {
        let printed = self.session().printed_since(0);
        if let Some((message, at)) = print_difference(printed, prints, self.chosen) {
            self.tell(Kind::Prints, at.map_or(At::End, At::Printed), message);
        }
    }

    /// Where each difference began, and since when what it used was so.
    fn located(self) -> Vec<Difference> {
        let session = self.session();
        let end = session.now();
        let mut all: Vec<Difference> = Vec::with_capacity(self.found.len());
        for Found { kind, message, at } in self.found {
            let told = (kind, message);
            let mut found = match at {
                At::Whole => Difference::plain(told.0, told.1),
                At::End => {
                    let step = match self.ending {
                        // The step that ended it was taken; what failed or waits was not.
                        Ending::Finished(_) | Ending::Brk => end.saturating_sub(1),
                        _ => end,
                    };
                    Difference::begun_by(session, told, step, false)
                }
                At::Printed(position) => Difference::printed(session, told, position),
                At::Write(thing) => Difference::written(session, told, thing),
            };
            if let (Kind::Ends, Ending::Fault(fault)) = (kind, self.ending) {
                found.since = fault_causes(session, fault).into_iter().next();
            }
            all.push(found);
        }
        in_order(&mut all);
        all
    }
}

/// The earliest first; what is of the run as a whole comes last.
pub(crate) fn in_order(differences: &mut [Difference]) {
    differences.sort_by_key(|difference| difference.step.unwrap_or(StepNo::LAST));
}

/// What a run left in a file that it closed.
pub(crate) fn kept<'a>(files: &'a Files, path: &str) -> Option<&'a [u8]> {
    files.to_keep().find(|(known, _)| &***known == path).map(|(_, bytes)| bytes.as_slice())
}

/// How what was printed differs from what was expected, and with which byte that began; `None` for that where something is
/// missing at the end.
pub(crate) fn print_difference(printed: &[u8], prints: &Prints, chosen: &Chosen) -> Option<(String, Option<u64>)> {
    match prints {
        Prints::Exactly(content) => bytes_differ(printed, &content.with(chosen), 0),
        Prints::Trimmed(content) => {
            let wanted = content.with(chosen);
            let wanted = String::from_utf8_lossy(&wanted);
            let is = String::from_utf8_lossy(printed);
            if trimmed(&is) == trimmed(&wanted) {
                return None;
            }
            lines_differ(printed, &wanted)
        }
        Prints::Like(text, regex) => {
            let own = text.with(chosen);
            let is = String::from_utf8_lossy(printed);
            let fits = if own == text.raw() {
                regex.is_match(&is)
            } else {
                regex::Regex::new(&own).is_ok_and(|regex| regex.is_match(&is))
            };
            (!fits).then(|| {
                let wanted = quoted(own.as_bytes());
                let message = match is.lines().rev().find(|line| !line.trim().is_empty()) {
                    None => format!("nothing was printed where something like {wanted} was expected"),
                    Some(last) => {
                        let last = quoted(last.as_bytes());
                        format!("nothing that was printed is like {wanted}; the last line is {last}")
                    }
                };
                (message, None)
            })
        }
    }
}

fn trimmed(text: &str) -> Vec<&str> {
    let mut lines: Vec<&str> = text.lines().map(str::trim_end).collect();
    while lines.last().is_some_and(|line| line.is_empty()) {
        lines.pop();
    }
    lines
}

/// The first line that differs, blanks at its end aside.
fn lines_differ(printed: &[u8], wanted: &str) -> Option<(String, Option<u64>)> {
    let mut wanted = trimmed(wanted).into_iter();
    let mut at = 0;
    for line in printed.split_inclusive(|byte| *byte == b'\n') {
        let text = String::from_utf8_lossy(line);
        let expected = wanted.next();
        if expected != Some(text.trim_end()) && !(expected.is_none() && text.trim_end().is_empty()) {
            let expected = expected.unwrap_or_default().as_bytes();
            return bytes_differ(text.trim_end().as_bytes(), expected, at);
        }
        at += line.len() as u64;
    }
    let rest = wanted.next()?;
    Some((format!("nothing more was printed where {} was expected", quoted(rest.as_bytes())), None))
}

fn bytes_differ(is: &[u8], wanted: &[u8], base: u64) -> Option<(String, Option<u64>)> {
    if is == wanted {
        return None;
    }
    let at = first_difference(is, wanted);
    let position = base + at as u64;
    Some(match (is.get(at), wanted.get(at)) {
        (None, _) => (format!("nothing more was printed where {} was expected", piece(wanted, at)), None),
        (Some(_), None) => {
            let more = if at == 0 { "nothing was expected" } else { "nothing more was expected" };
            (format!("{} was printed where {more}", piece(&is[at..], 0)), Some(position))
        }
        (Some(_), Some(_)) => {
            (format!("{} was printed where {} was expected", piece(is, at), piece(wanted, at)), Some(position))
        }
    })
}

pub(crate) fn first_difference(one: &[u8], other: &[u8]) -> usize {
    one.iter().zip(other).position(|(one, other)| one != other).unwrap_or(one.len().min(other.len()))
}

/// The word around a place of some bytes, as it is told.
pub(crate) fn piece(bytes: &[u8], at: usize) -> String {
    let is_blank = |byte: &u8| byte.is_ascii_whitespace();
    if at >= bytes.len() {
        return "its end".to_owned();
    }
    let range: Range<usize> = if is_blank(&bytes[at]) {
        at..at + 1
    } else {
        let from = bytes[..at].iter().rposition(is_blank).map_or(0, |before| before + 1);
        let to = bytes[at..].iter().position(is_blank).map_or(bytes.len(), |behind| at + behind);
        from..to
    };
    quoted(&bytes[range])
}

/// Bytes in one line, between signs that set them apart.
fn quoted(bytes: &[u8]) -> String {
    match bytes {
        b"\n" => return "the end of a line".to_owned(),
        b" " => return "a blank".to_owned(),
        b"" => return "nothing".to_owned(),
        _ => {}
    }
    let text = String::from_utf8_lossy(&bytes[..bytes.len().min(4 * LONGEST)]).replace('\n', "\u{23CE}");
    let shown = shown_line(&text);
    let mut short: String = shown.chars().take(LONGEST).collect();
    if short.len() < shown.len() || bytes.len() > 4 * LONGEST {
        short.push('…');
    }
    format!("`{short}`")
}

/// The numbers of lamps that are lit.
fn lamp_words(lamps: u32) -> String {
    let lit: Vec<String> = (0..16).filter(|lamp| lamps >> lamp & 1 != 0).map(|lamp: u32| lamp.to_string()).collect();
    if lit.is_empty() { "none".to_owned() } else { lit.join(" ") }
}
