//! The door: a file of events, read and checked whole before anything is computed with it.

use super::{Entry, Script, What, When};
use crate::session::Session;
use crate::stops::{StopAt, Where};
use crate::values::Names;
use serde_json::{Map, Value};
use std::collections::BTreeMap;
use wendax_isa::{Addr, StepNo};
use wendax_machine::LEVERS;

/// Bounces of one line, lines of a file, and things that come by it in all, at most.
const MOST_BOUNCES: u64 = 1000;
const MOST_LINES: usize = 10_000;
const MOST_THINGS: usize = 100_000;
/// The members a line may have.
const MEMBERS: [&str; 14] = [
    "cycle", "step", "place", "time", "after", "asked", "text", "bytes", "levers", "lever", "up", "bounce", "end",
    "note",
];

/// What is wrong with a file of events.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("line {line}: {message}")]
pub struct ScriptError {
    /// The line, from 1.
    pub line: usize,
    /// What is wrong, and what was expected.
    pub message: String,
}

impl Script {
    /// Reads a file of events for a program.
    pub fn read(text: &str, session: &Session) -> Result<Self, ScriptError> {
        let names = Names::new(session.image(), session.machine().target(), session.image().entry);
        let mut script = Self::default();
        let mut known: BTreeMap<Addr, usize> = BTreeMap::new();
        // A byte order mark says nothing.
        let text = text.strip_prefix('\u{FEFF}').unwrap_or(text);
        for (line, text) in (1..).zip(text.lines()).filter(|(_, text)| !text.trim().is_empty()) {
            let wrong = |message: String| ScriptError { line, message };
            if line > MOST_LINES {
                return Err(wrong(format!("a file of events has at most {MOST_LINES} lines")));
            }
            let members = Members::read(text).map_err(wrong)?;
            let mut place = |address: Addr| {
                *known.entry(address).or_insert_with(|| {
                    script.places.push(address);
                    script.places.len() - 1
                })
            };
            let when = members.when(&names, session, &mut place).map_err(wrong)?;
            let what = members.what().map_err(wrong)?;
            for (when, what) in members.bounced(when, what).map_err(wrong)? {
                script.entries.push(Entry { when, what, line });
            }
            if script.entries.len() > MOST_THINGS {
                return Err(wrong(format!(
                    "more than {MOST_THINGS} things come by this file; bounces count one by one"
                )));
            }
        }
        script.check_end()?;
        Ok(script)
    }

    /// Nothing is typed behind the end of the input, as far as moments of one kind tell.
    fn check_end(&self) -> Result<(), ScriptError> {
        let mut ended: [Option<(u64, usize)>; 3] = [None; 3];
        let order = |index: usize, when: &When| match when {
            When::Cycle(cycle) => Some((0, *cycle)),
            When::Step(step) => Some((1, step.0)),
            When::Asked => Some((2, index as u64)),
            When::Met { .. } => None,
        };
        for (index, entry) in self.entries.iter().enumerate().filter(|(_, entry)| entry.what == What::End) {
            if let Some((kind, at)) = order(index, &entry.when)
                && ended[kind].is_none_or(|known| (at, entry.line) < known)
            {
                ended[kind] = Some((at, entry.line));
            }
        }
        for (index, entry) in self.entries.iter().enumerate() {
            let Some((kind, at)) = order(index, &entry.when) else { continue };
            if let (What::Text(_), Some((end, line))) = (&entry.what, ended[kind])
                && (at, entry.line) > (end, line)
            {
                let message = format!("nothing is typed behind the end of the input, which line {line} brings");
                return Err(ScriptError { line: entry.line, message });
            }
        }
        Ok(())
    }
}

/// A line as it is written: its members, none of them looked at.
struct Members(Map<String, Value>);

impl Members {
    fn read(text: &str) -> Result<Self, String> {
        let value: Value = serde_json::from_str(text).map_err(|error| {
            format!(
                "each line is one JSON object, and this ends at its sign {}: {{\"cycle\": 5000, \"text\": \"q\"}}",
                error.column()
            )
        })?;
        let Value::Object(members) = value else {
            return Err("each line is one JSON object, in braces: {\"cycle\": 5000, \"text\": \"q\"}".to_owned());
        };
        match members.keys().find(|name| !MEMBERS.contains(&name.as_str())) {
            Some(name) => Err(format!("there is no member \"{name}\"; there are {}", MEMBERS.join(", "))),
            None => Ok(Self(members)),
        }
    }

    fn get(&self, name: &str) -> Option<&Value> {
        self.0.get(name).filter(|value| !value.is_null())
    }

    /// A number in a range.
    fn number(&self, name: &str, least: u64, most: u64) -> Result<Option<u64>, String> {
        let Some(value) = self.get(name) else { return Ok(None) };
        in_range(value, name, least, most).map(Some)
    }

    fn truth(&self, name: &str) -> Result<Option<bool>, String> {
        let Some(value) = self.get(name) else { return Ok(None) };
        value.as_bool().map(Some).ok_or_else(|| format!("\"{name}\" is true or false"))
    }

    fn text(&self, name: &str) -> Result<Option<&str>, String> {
        let Some(value) = self.get(name) else { return Ok(None) };
        value.as_str().map(Some).ok_or_else(|| format!("\"{name}\" is a text in quotes"))
    }

    /// Of these members exactly one is there.
    fn one_of(&self, names: &[&str]) -> bool {
        let is_there = |name: &&&str| self.get(name).is_some_and(|value| value != &Value::Bool(false));
        names.iter().filter(is_there).count() == 1
    }

    fn when(
        &self,
        names: &Names<'_>,
        session: &Session,
        known: &mut impl FnMut(Addr) -> usize,
    ) -> Result<When, String> {
        let (cycle, step) = (self.number("cycle", 0, u64::MAX)?, self.number("step", 0, u64::MAX)?);
        let (time, after) = (self.number("time", 1, u64::MAX)?, self.number("after", 0, u64::MAX)?);
        self.truth("asked")?;
        if !self.one_of(&["cycle", "step", "place", "asked"]) {
            return Err(
                "a line needs one moment: \"cycle\": 5000, \"step\": 120, \"place\": \"main\" or \"asked\": true"
                    .to_owned(),
            );
        }
        let place = self.text("place")?;
        if place.is_none() && (time.is_some() || after.is_some()) {
            return Err("\"time\" and \"after\" belong to a \"place\"".to_owned());
        }
        match (cycle, step, place) {
            (Some(cycle), ..) => Ok(When::Cycle(cycle)),
            (_, Some(step), _) => Ok(When::Step(StepNo(step))),
            (.., None) => Ok(When::Asked),
            (.., Some(place)) => {
                let stop = StopAt::read(place, names, session.sources());
                let stop = stop.map_err(|error| format!("{place}: {}", error.message))?;
                let Where::Address(address) = stop.place else {
                    return Err(format!("{place}: a place is a label, or a line such as main.asm:12"));
                };
                if stop != StopAt::address(address) {
                    return Err(format!("{place}: a place is a label, or a line such as main.asm:12"));
                }
                if !session.machine().may_execute(address) {
                    return Err(format!("{place}: no code stands there, so it never is the next instruction"));
                }
                Ok(When::Met { place: known(address), time: time.unwrap_or(1), after: after.unwrap_or(0) })
            }
        }
    }

    fn what(&self) -> Result<What, String> {
        self.truth("end")?;
        self.text("note")?;
        if !self.one_of(&["text", "bytes", "levers", "lever", "end"]) {
            return Err("a line needs one thing that comes: \"text\": \"120\\n\", \"bytes\": [27], \"levers\": 5, \
                 \"lever\": 3 with \"up\": true or false, or \"end\": true"
                .to_owned());
        }
        let (levers, lever) =
            (self.number("levers", 0, (1 << LEVERS) - 1)?, self.number("lever", 0, u64::from(LEVERS) - 1)?);
        let up = self.truth("up")?;
        if lever.is_none() && (up.is_some() || self.get("bounce").is_some()) {
            return Err("\"up\" and \"bounce\" belong to a \"lever\"".to_owned());
        }
        let narrow = |number: u64| u32::try_from(number).unwrap_or(u32::MAX);
        if let Some(text) = self.text("text")? {
            return match text {
                "" => Err("\"text\" is empty; \"end\": true ends the input".to_owned()),
                text => Ok(What::Text(text.as_bytes().to_vec())),
            };
        }
        if let Some(bytes) = self.get("bytes") {
            let told = "\"bytes\" is a list of numbers from 0 to 255, and not empty";
            let list = bytes.as_array().filter(|list| !list.is_empty()).ok_or(told)?;
            let byte = |value: &Value| value.as_u64().and_then(|byte| u8::try_from(byte).ok()).ok_or(told);
            return Ok(What::Text(list.iter().map(byte).collect::<Result<_, _>>()?));
        }
        match (levers, lever, up) {
            (Some(levers), ..) => Ok(What::Levers(narrow(levers))),
            (_, Some(lever), Some(up)) => Ok(What::Lever(narrow(lever), up)),
            (_, Some(_), None) => Err("a lever needs \"up\": true or false".to_owned()),
            _ => Ok(What::End),
        }
    }

    /// A lever that bounces is moved several times.
    fn bounced(&self, when: When, what: What) -> Result<Vec<(When, What)>, String> {
        let (Some(bounce), What::Lever(lever, is_up)) = (self.get("bounce"), &what) else {
            return Ok(vec![(when, what)]);
        };
        let told = format!("\"bounce\" is {{\"times\": 0 to {MOST_BOUNCES}, \"apart\": 1 or more}}");
        let members = bounce.as_object().filter(|members| members.len() == 2).ok_or(&told)?;
        let number = |name: &str, least, most| in_range(members.get(name).ok_or(&told)?, name, least, most);
        let (times, apart) = (number("times", 0, MOST_BOUNCES)?, number("apart", 1, u64::MAX)?);
        let moved = |index: u64| {
            let later = index.saturating_mul(apart);
            let when = match when {
                When::Cycle(cycle) => When::Cycle(cycle.saturating_add(later)),
                When::Step(step) => When::Step(step.saturating_add(later)),
                // The first comes behind the instruction, whatever is said.
                When::Met { place, time, after } => {
                    When::Met { place, time, after: after.max(1).saturating_add(later) }
                }
                When::Asked => return Err("a lever does not come when the program asks".to_owned()),
            };
            Ok((when, What::Lever(*lever, *is_up == index.is_multiple_of(2))))
        };
        (0..=times * 2).map(moved).collect()
    }
}

fn in_range(value: &Value, name: &str, least: u64, most: u64) -> Result<u64, String> {
    match value.as_u64() {
        Some(number) if (least..=most).contains(&number) => Ok(number),
        _ if most == u64::MAX => Err(format!("\"{name}\" is a whole number from {least} on")),
        _ => Err(format!("\"{name}\" is a whole number from {least} to {most}")),
    }
}
