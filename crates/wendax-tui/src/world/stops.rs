//! Where the run is to stop.
//!
//! A stop on a line goes with its line; every other one is kept in the words it was asked for in, and read anew whenever
//! the program is another one. What the words mean is told by the session's stops.

use super::World;
use super::documents::{Document, DocumentId};
use super::editor::LineShift;
use super::names::names_of;
use std::collections::BTreeMap;
use wendax_machine::Addr;
use wendax_session::{Names, StopAt, StopId, Where};

/// What a stop is bound to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Place {
    /// A line of a document, from 0.
    Line { document: DocumentId, line: usize },
    /// One of the instructions that such a line became, from 0.
    Part { document: DocumentId, line: usize, nth: usize },
    /// What its words say.
    Words,
}

/// Something the run is to stop at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Stop {
    pub(crate) id: StopId,
    pub(crate) place: Place,
    /// What is said of a line; or all of it, with its place.
    pub(crate) words: String,
    pub(crate) is_off: bool,
    /// What stands on its line.
    pub(crate) text: String,
}

impl Stop {
    /// It says nothing but where.
    pub(crate) fn is_plain(&self) -> bool {
        !self.is_off && self.place != Place::Words && self.words.is_empty()
    }
}

/// Lines of a document moved: a stop goes with its line. False when the line is gone.
pub(crate) fn follow_line(stop: &mut Stop, id: DocumentId, shift: LineShift) -> bool {
    match &mut stop.place {
        Place::Line { document, line } | Place::Part { document, line, .. } if *document == id => {
            let moved = shift.moved(*line);
            *line = moved.unwrap_or(*line);
            moved.is_some()
        }
        Place::Line { .. } | Place::Part { .. } | Place::Words => true,
    }
}

#[derive(Debug, Clone, Default)]
pub(crate) struct Stops {
    pub(crate) list: Vec<Stop>,
    /// Stops that went with their lines: they come back when these do.
    gone: Vec<Stop>,
    /// What each is in the present program, or why it is nothing there.
    read: BTreeMap<StopId, Result<StopAt, String>>,
    next: u32,
}

impl Stops {
    /// A stop with a number of its own.
    pub(crate) fn made(&mut self, place: Place, words: &str) -> Stop {
        self.next += 1;
        Stop { id: StopId(self.next), place, words: words.to_owned(), is_off: false, text: String::new() }
    }

    pub(crate) fn get(&self, id: StopId) -> Option<&Stop> {
        self.list.iter().find(|stop| stop.id == id)
    }

    /// What a stop is in the present program, or why it is nothing there.
    pub(crate) fn meaning(&self, id: StopId) -> Option<&Result<StopAt, String>> {
        self.read.get(&id)
    }

    /// Lines of a document moved: stops go with them. Returns how many are gone with theirs.
    pub(crate) fn follow(&mut self, id: DocumentId, shift: LineShift) -> usize {
        /// Stops that are remembered.
        const MOST: usize = 1000;
        let mut gone: Vec<Stop> = self.list.extract_if(.., |stop| !follow_line(stop, id, shift)).collect();
        let count = gone.len();
        self.gone.append(&mut gone);
        self.gone.drain(..self.gone.len().saturating_sub(MOST));
        count
    }

    /// Lines of a document that came, or were changed, from this one on: what went with a line that reads so comes back
    /// with it. Returns how many came back.
    pub(crate) fn come_back<'a>(&mut self, id: DocumentId, lines: impl Iterator<Item = (usize, &'a str)>) -> usize {
        let mut count = 0;
        for (at, text) in lines {
            let is_it = |stop: &Stop| match stop.place {
                Place::Line { document, .. } | Place::Part { document, .. } => document == id && stop.text == text,
                Place::Words => false,
            };
            // All that were on the line at one time; those of another time are of another line that reads alike.
            let Some(first) = self.gone.iter().rfind(|stop| is_it(stop)) else { continue };
            let line_of = |stop: &Stop| match stop.place {
                Place::Line { line, .. } | Place::Part { line, .. } => Some(line),
                Place::Words => None,
            };
            let was = line_of(first);
            for mut stop in self.gone.extract_if(.., |stop| is_it(stop) && line_of(stop) == was).collect::<Vec<_>>() {
                if let Place::Line { line, .. } | Place::Part { line, .. } = &mut stop.place {
                    *line = at;
                }
                self.list.push(stop);
                count += 1;
            }
        }
        count
    }

    /// Some stop went with its line.
    pub(crate) fn has_gone(&self) -> bool {
        !self.gone.is_empty()
    }
}

impl World {
    /// Notes what stands on the lines of stops, so that these are known again.
    pub(crate) fn note_lines_of_stops(&mut self) {
        for stop in &mut self.stops.list {
            if let Place::Line { document, line } | Place::Part { document, line, .. } = stop.place
                && let Some(editor) = self.documents.get(document).and_then(Document::editor)
            {
                stop.text = editor.line(line);
            }
        }
    }

    /// The address a line or part stands for in the present program.
    pub(crate) fn address_of(&self, place: &Place) -> Option<Addr> {
        match place {
            Place::Words => None,
            Place::Line { document, line } => {
                let number = u32::try_from(line + 1).ok()?;
                self.program.assembly.image.code_from_line(self.file_id(*document)?, number).map(|piece| piece.address)
            }
            Place::Part { document, line, nth } => self.parts(*document, *line).get(*nth).map(|part| part.address),
        }
    }

    /// The instruction a stop is at, if it is at one.
    fn instruction_of(&self, stop: &Stop) -> Option<Addr> {
        match (stop.place, self.stops.meaning(stop.id)) {
            (Place::Words, Some(Ok(StopAt { place: Where::Address(at) | Where::Entered(at), .. }))) => Some(*at),
            (Place::Words, _) => None,
            (place, _) => self.address_of(&place),
        }
    }

    /// The stops at an instruction.
    pub(crate) fn stops_at(&self, address: Addr) -> impl Iterator<Item = &Stop> {
        self.stops.list.iter().filter(move |stop| self.instruction_of(stop) == Some(address))
    }

    /// The document, line and part of it that a stop is on.
    pub(crate) fn place_of_stop(&self, stop: &Stop) -> Option<(DocumentId, usize, usize)> {
        match stop.place {
            Place::Line { document, line } => Some((document, line, 0)),
            Place::Part { document, line, nth } => Some((document, line, nth)),
            Place::Words => {
                let address = self.instruction_of(stop)?;
                let piece = self.walk.session.as_ref()?.image().line_at(address)?;
                let (id, line) = self.place_of(piece)?;
                let parts = self.parts(id, line);
                Some((id, line, parts.iter().position(|part| part.address == address).unwrap_or(0)))
            }
        }
    }

    /// What a stop means in the present program.
    fn read_stop(&self, stop: &Stop) -> Result<StopAt, String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        let target = session.machine().target();
        let read = match stop.place {
            Place::Words => StopAt::read(
                &stop.words,
                &Names::new(session.image(), target, session.image().entry),
                session.sources(),
            ),
            Place::Line { .. } | Place::Part { .. } => {
                let address = self.address_of(&stop.place).filter(|&at| !session.image().bytes(at, 1).is_empty());
                let address = address.ok_or("its line has no instruction any more")?;
                StopAt::read_rule(Where::Address(address), &stop.words, &Names::new(session.image(), target, address))
            }
        };
        read.map_err(|error| error.message)
    }

    /// Reads a stop that is asked for at the present moment.
    pub(crate) fn stop_asked_for(&self, words: &str) -> Result<StopAt, String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        let read = StopAt::read(words, &names_of(session), session.sources());
        let stop = read.map_err(|error| error.message)?;
        let target = session.machine().target();
        match stop.place {
            Where::Address(at) | Where::Entered(at) | Where::Left(at) if !at.is_multiple_of(target.code_align) => {
                let (at, align) = (target.marked_address(at), target.code_align);
                Err(format!("there is no instruction at {at}, which is no multiple of {align}"))
            }
            _ => Ok(stop),
        }
    }

    /// Reads what is said of a stop on a line.
    pub(crate) fn rule_asked_for(&self, place: Place, words: &str) -> Result<StopAt, String> {
        let stop = Stop { id: StopId(0), place, words: words.to_owned(), is_off: false, text: String::new() };
        self.read_stop(&stop)
    }

    /// Tells the session where to stop; returns the stops that mean nothing in this program, each with the reason.
    pub(crate) fn place_stops(&mut self) -> Vec<(String, String)> {
        if self.walk.is_stale {
            return Vec::new();
        }
        self.stops.read = self.stops.list.iter().map(|stop| (stop.id, self.read_stop(stop))).collect();
        let Stops { list, read, .. } = &self.stops;
        let mut lost = Vec::new();
        let mut placed = Vec::new();
        for stop in list {
            match read.get(&stop.id) {
                Some(Ok(meant)) if !stop.is_off => placed.push((stop.id, meant.clone())),
                Some(Err(why)) => lost.push((self.stop_words(stop), why.clone())),
                _ => {}
            }
        }
        if let Some(session) = &mut self.walk.session {
            session.set_stops(placed);
        }
        lost
    }

    /// A stop in words: `main.asm:12 if r1 > 5`.
    pub(crate) fn stop_words(&self, stop: &Stop) -> String {
        match stop.place {
            Place::Words => stop.words.clone(),
            Place::Line { document, line } | Place::Part { document, line, .. } => {
                let name = self.documents.get(document).map_or("", |document| document.name.as_str());
                let name = name.rsplit('/').next().unwrap_or(name);
                format!("{name}:{} {}", line + 1, stop.words).trim_end().to_owned()
            }
        }
    }

    /// The stop the walk stands at, in words; nothing for one on a line of which nothing else is said.
    pub(crate) fn met_words(&self) -> Option<String> {
        let session = self.walk.session.as_ref()?;
        let met = session.met().iter().find_map(|id| self.stops.get(*id).filter(|stop| !stop.is_plain()))?;
        let words = if met.words.is_empty() { self.stop_words(met) } else { met.words.clone() };
        Some(words)
    }
}
