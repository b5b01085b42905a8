//! What a run is asked for on the way: where it goes to, and what is shown there.
//!
//! `--until`, `--each` and `--show` are read in the order they stand in: what is shown belongs to the stop before it, or
//! to the start. With an `--until` the run ends behind the last one.

use super::world::{End, World};
use crate::Failure;
use crate::files::{self, Stream};
use crate::out::tell;
use serde::Serialize;
use serde_json::{Map, Value, json};
use std::io::Write;
use std::path::{Path, PathBuf};
use wendax_session::{Command, Held, Names, Reading, Session, Show, Shown, State, StopAt, StopId, Times, Why};

/// An option, in its place among the others.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Turn {
    Until(String),
    Each(String),
    Show(String),
    Must(String),
    Never(String),
}

/// Where a run stops, and what is shown there.
struct Part {
    at: At,
    words: String,
    shows: Vec<Show>,
}

enum At {
    Start,
    Until(Box<StopAt>),
    Steps(u64),
    /// Whenever this is met; no longer when it was meant for once and has been.
    Each {
        stop: Box<StopAt>,
        is_over: bool,
    },
    /// The run must come to this, or has by now.
    Must(Option<Box<StopAt>>),
    /// The run must not come to this, and ends where it does.
    Never(Box<StopAt>),
}

/// Where what is shown goes.
enum To {
    /// Standard error, beside the program's output.
    Beside,
    /// Standard output, among the program's.
    Among,
    File(Stream, PathBuf),
}

/// How a run that was asked for things went.
pub(super) struct Went {
    pub(super) end: End,
    /// What was asked for and not met, or was not to be met and was, as it stands on the command line.
    pub(super) wrong: Vec<String>,
}

pub(super) struct Orders {
    parts: Vec<Part>,
    as_json: bool,
    to: To,
}

impl Orders {
    /// Reads what was asked for.
    pub(super) fn read(
        orders: &[Turn],
        session: &Session,
        (as_json, place): (bool, Option<&Path>),
    ) -> Result<Self, Failure> {
        let image = session.image();
        let names = Names::new(image, session.machine().target(), image.entry);
        let wrong = |option: &str, text: &str, error: &wendax_language::ValueError| {
            let marks = format!("{}^", " ".repeat(text.get(..error.at).map_or(0, |before| before.chars().count())));
            Failure::usage(format!("--{option} {text}: {}\n  {text}\n  {marks}", error.message))
        };
        let mut parts = vec![Part { at: At::Start, words: "start".to_owned(), shows: Vec::new() }];
        for order in orders {
            match order {
                Turn::Show(text) => {
                    // What is shown at a place has the names that it has there.
                    let there = match parts.last().map(|part| &part.at) {
                        Some(At::Until(stop)) => stop.place.code(),
                        Some(At::Each { stop, .. }) => stop.place.code(),
                        _ => None,
                    };
                    let names = Names::new(image, session.machine().target(), there.unwrap_or(image.entry));
                    let shows = Show::read_list(text, &names).map_err(|error| wrong("show", text, &error))?;
                    if let Some(part) = parts.last_mut() {
                        part.shows.extend(shows);
                    }
                }
                Turn::Until(text) => {
                    let steps = text.strip_suffix("steps").or(text.strip_suffix("step")).map(str::trim);
                    let at = if let Some(steps) = steps.and_then(|steps| steps.replace('_', "").parse().ok()) {
                        At::Steps(steps)
                    } else {
                        let read = StopAt::read(text, &names, session.sources());
                        let stop = read.map_err(|error| wrong("until", text, &error))?;
                        if stop.times != Times::Each || !stop.stops() || stop.once {
                            let why = "--until is for the first time; `from`, `every` and `note` go with --each";
                            return Err(Failure::usage(why.to_owned()));
                        }
                        At::Until(Box::new(stop))
                    };
                    parts.push(Part { at, words: text.clone(), shows: Vec::new() });
                }
                Turn::Must(text) | Turn::Never(text) => {
                    let is_must = matches!(order, Turn::Must(_));
                    let option = if is_must { "must" } else { "never" };
                    let read = StopAt::read(text, &names, session.sources());
                    let stop = Box::new(read.map_err(|error| wrong(option, text, &error))?);
                    let at = if is_must { At::Must(Some(stop)) } else { At::Never(stop) };
                    parts.push(Part { at, words: text.clone(), shows: Vec::new() });
                }
                Turn::Each(text) => {
                    let read = StopAt::read(text, &names, session.sources());
                    let stop = read.map_err(|error| wrong("each", text, &error))?;
                    if stop.note.is_some() {
                        return Err(Failure::usage(
                            "--each shows what --show behind it says, in place of `note`".to_owned(),
                        ));
                    }
                    let at = At::Each { stop: Box::new(stop), is_over: false };
                    parts.push(Part { at, words: text.clone(), shows: Vec::new() });
                }
            }
        }
        let to = match place {
            None => To::Beside,
            Some(place) if place.as_os_str() == "-" => To::Among,
            Some(place) => To::File(Stream::new(place)?, place.to_owned()),
        };
        Ok(Self { parts, as_json, to })
    }

    /// Carries the run through, to its end or the last `--until`.
    pub(super) fn run(&mut self, world: &mut World, session: &mut Session) -> Result<Went, Failure> {
        let mut wrong = Vec::new();
        let end = self.run_to_end(world, session, &mut wrong)?;
        self.close(world)?;
        if !matches!(end, End::Never) {
            let unmet = self.parts.iter().filter(|part| matches!(part.at, At::Must(Some(_))));
            wrong.extend(unmet.map(|part| format!("--must {}", part.words)));
        }
        for asked in &wrong {
            match asked.split_once(' ') {
                Some(("--never", words)) => {
                    let place =
                        wendax_session::place(session.image(), session.machine().target(), session.machine().pc());
                    tell(&format!("the run came to `{words}`, as it never must: step {}, {place}\n", session.now()));
                }
                Some(("--must", words)) => tell(&format!("the run did not come to `{words}`, as it must\n")),
                _ => {}
            }
        }
        Ok(Went { end, wrong })
    }

    fn run_to_end(
        &mut self,
        world: &mut World,
        session: &mut Session,
        wrong: &mut Vec<String>,
    ) -> Result<End, Failure> {
        self.set_stops(session);
        self.show(world, session, 0)?;
        let goals: Vec<usize> = (0..self.parts.len()).filter(|&index| self.parts[index].is_goal()).collect();
        for index in &goals {
            let command = match &self.parts[*index].at {
                At::Until(stop) => Command::Until(stop.clone()),
                At::Steps(steps) => Command::Seek(session.now().saturating_add(*steps)),
                At::Start | At::Each { .. } | At::Must(_) | At::Never(_) => continue,
            };
            if let Some(end) = self.drive(world, session, &command, wrong)? {
                if !matches!(end, End::Never) {
                    let words = &self.parts[*index].words;
                    tell(&format!("the run did not come to `{words}`\n"));
                    wrong.push(format!("--until {words}"));
                }
                return Ok(end);
            }
            self.show(world, session, *index)?;
        }
        let end = if goals.is_empty() { self.drive(world, session, &Command::Go, wrong)? } else { None };
        let state = session.state().clone();
        let is_over = matches!(state, State::Finished(_));
        Ok(end.unwrap_or(if is_over { End::Program(state) } else { End::Asked }))
    }

    /// On until the command is done, showing what is asked for on the way; `None` when it is done as it was meant.
    fn drive(
        &mut self,
        world: &mut World,
        session: &mut Session,
        command: &Command,
        wrong: &mut Vec<String>,
    ) -> Result<Option<End>, Failure> {
        loop {
            let end = world.drive(session, command)?;
            let met: Vec<StopId> = session.met().to_vec();
            for StopId(index) in met.iter().copied().filter(|id| id.0 < u32::MAX) {
                self.show(world, session, index as usize)?;
                match self.parts.get_mut(index as usize) {
                    Some(Part { at: At::Must(stop), .. }) => {
                        *stop = None;
                        self.set_stops(session);
                        continue;
                    }
                    Some(Part { at: At::Never(_), words, .. }) => {
                        wrong.push(format!("--never {words}"));
                        return Ok(Some(End::Never));
                    }
                    _ => {}
                }
                if let Some(At::Each { stop, is_over }) = self.parts.get_mut(index as usize).map(|part| &mut part.at)
                    && stop.once
                {
                    *is_over = true;
                    self.set_stops(session);
                }
            }
            match (end, command) {
                // Also where the program ends by the step that meets it.
                (End::Program(_), Command::Until(_)) if met.contains(&StopId::UNTIL) => return Ok(None),
                (End::Program(State::Paused(_) | State::Finished(_)), Command::Seek(step))
                    if session.now() == *step =>
                {
                    return Ok(None);
                }
                (End::Program(State::Paused(Why::Breakpoint)), _) if !met.is_empty() => {}
                (end, _) => return Ok(Some(end)),
            }
        }
    }

    fn set_stops(&self, session: &mut Session) {
        let stops = self.parts.iter().zip(0..).filter_map(|(part, id)| match &part.at {
            At::Each { stop, is_over: false } => Some((StopId(id), StopAt::clone(stop))),
            At::Must(Some(stop)) | At::Never(stop) => Some((StopId(id), StopAt::clone(stop))),
            At::Each { .. } | At::Start | At::Until(_) | At::Steps(_) | At::Must(None) => None,
        });
        session.set_stops(stops);
    }

    fn show(&mut self, world: &mut World, session: &mut Session, index: usize) -> Result<(), Failure> {
        let Some(part) = self.parts.get(index).filter(|part| !part.shows.is_empty()) else { return Ok(()) };
        let mut met = 0;
        if part.shows.iter().any(Show::asks_met) {
            met = match &part.at {
                At::Until(stop) => session.times_met(stop, session.now()),
                At::Start | At::Steps(_) | At::Must(_) | At::Never(_) => 0,
                At::Each { .. } => {
                    while !session.count_meetings(u64::MAX) {}
                    u32::try_from(index).ok().and_then(|id| session.met_so_far(StopId(id))).map_or(0, |met| met.times)
                }
            };
        }
        let target = session.machine().target();
        let mut text = String::new();
        if self.as_json {
            let shows: Map<String, Value> =
                part.shows.iter().map(|show| (show.text.clone(), json(&show.shown(session, met)))).collect();
            let place = session.image().line_at(session.machine().pc());
            let file = place.and_then(|line| session.sources().get(line.span.file)).map(|file| file.name().to_owned());
            let moment = Moment {
                at: &part.words,
                step: session.now().0,
                pc: session.machine().pc().0,
                file: file.filter(|name| !name.is_empty()),
                line: place.map(|line| line.line),
                shows,
            };
            text = serde_json::to_string(&moment).map_err(|error| Failure::usage(error.to_string()))? + "\n";
        } else {
            let place = wendax_session::place(session.image(), target, session.machine().pc());
            text.push_str(&format!("-- {} · step {} · {place}\n", part.words, session.now()));
            for show in &part.shows {
                for line in show.shown(session, met).lines(&show.text, target) {
                    text.push_str(&line);
                    text.push('\n');
                }
            }
        }
        match &mut self.to {
            To::File(to, _) => {
                to.write_all(text.as_bytes()).map_err(|error| files::cannot_write("what is shown", &error))
            }
            To::Among => world.say(&text),
            To::Beside => {
                tell(&text);
                Ok(())
            }
        }
    }

    /// What goes to a file is there.
    fn close(&mut self, world: &World) -> Result<(), Failure> {
        let To::File(to, place) = std::mem::replace(&mut self.to, To::Beside) else { return Ok(()) };
        world.keep_apart("--shows", &place)?;
        to.finish().map_err(|error| files::cannot_write("what is shown", &error))
    }
}

impl Part {
    fn is_goal(&self) -> bool {
        matches!(self.at, At::Until(_) | At::Steps(_))
    }
}

/// A moment for programs: one line of JSON.
#[derive(Serialize)]
struct Moment<'a> {
    at: &'a str,
    step: u64,
    pc: u32,
    #[serde(skip_serializing_if = "Option::is_none")]
    file: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<u32>,
    shows: Map<String, Value>,
}

fn json(shown: &Shown) -> Value {
    match shown {
        Shown::Registers(registers) => {
            let one = |(name, value): &(&str, Option<u32>)| ((*name).to_owned(), json!(value));
            Value::Object(registers.iter().map(one).collect())
        }
        Shown::Flags(flags) => {
            let one = |(name, is_set): &(char, bool)| (name.to_string(), json!(u8::from(*is_set)));
            Value::Object(flags.iter().map(one).collect())
        }
        Shown::Stack(words) => {
            let one = |(address, value, what): &(wendax_isa::Addr, Option<u32>, String)| json!({ "address": address.0, "value": value, "what": what });
            words.iter().map(one).collect()
        }
        Shown::Last(steps) => {
            let one = |(step, place, did): &(u64, String, String)| json!({ "step": step, "place": place, "did": did });
            steps.iter().map(one).collect()
        }
        Shown::Value(Reading::Number(number, _)) => json!(number),
        Shown::Value(Reading::Text(address, text)) => json!({ "address": address.0, "text": text }),
        Shown::Value(Reading::Held(address, held)) => json!({ "address": address.0, "parts": held_json(held) }),
        Shown::Value(Reading::Nothing(why)) => json!({ "none": why }),
        Shown::Value(Reading::Cells(cells)) => {
            let signed = |(index, value): (usize, &Option<u32>)| match value {
                Some(word) if cells.is_signed && cells.parts[index % cells.parts.len()] > 1 => {
                    json!(cells.signed(index, *word))
                }
                other => json!(other),
            };
            let values: Vec<Value> = cells.values.iter().enumerate().map(signed).collect();
            if cells.parts.len() > 1 {
                let records: Vec<&[Value]> = values.chunks(cells.parts.len()).collect();
                return json!({ "address": cells.address.0, "records": records });
            }
            json!({ "address": cells.address.0, "values": values })
        }
    }
}

/// What lies in memory by the types of a compiled program: structures by their members, arrays in order.
fn held_json(held: &Held) -> Value {
    match held {
        Held::Number(number, _) => json!(number),
        Held::Text(text) => json!(text),
        Held::Fraction(text) => json!(text.parse::<f64>().ok()),
        Held::Nothing(why) => json!({ "none": why }),
        Held::Parts(parts) if parts.iter().all(|(name, _)| name.starts_with('[')) => {
            parts.iter().map(|(_, held)| held_json(held)).collect()
        }
        Held::Parts(parts) => Value::Object(parts.iter().map(|(name, held)| (name.clone(), held_json(held))).collect()),
    }
}
