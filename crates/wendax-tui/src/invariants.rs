//! What always holds between two messages, whatever came in whatever order: for tests, which ask after each one.
//!
//! Each is worked out anew here, in the plainest way, and compared with what the screen is drawn from.

use crate::app::App;
use crate::world::documents::Document;
use crate::world::stops::Place;
use std::collections::BTreeSet;
use wendax_language::Written;
use wendax_session::{Apart, At, Cautions, Routines, Show, StopId, explain};

impl App {
    /// What does not hold, in words; `None` when all does.
    pub fn broken(&self) -> Option<String> {
        self.broken_account().or_else(|| self.broken_texts()).or_else(|| self.broken_stops())
    }

    /// Account, routines and watches are those of the present moment.
    fn broken_account(&self) -> Option<String> {
        let session = self.session().filter(|session| !session.is_running())?;
        let walk = &self.world.walk;
        if walk.explanation.as_ref() != Some(&explain(session)) {
            return Some(format!("next is not that of step {}: {:?}", session.now(), walk.explanation));
        }
        // As far as the run was gone through, what looks wrong about the coming step is what going through it anew finds.
        if !self.world.is_to_look_through(session, true) && !self.world.walk.cautions.is_behind(session) {
            let mut anew = Cautions::new(session);
            while !anew.work(session, u64::MAX) {}
            let coming: Vec<_> = anew.coming(session).into_iter().map(|caution| (caution.kind, caution.pc)).collect();
            let told = self.world.walk.cautions.coming.iter().map(|caution| (caution.kind, caution.pc));
            if !told.eq(coming.iter().copied()) {
                return Some(format!("cautions at step {} are {coming:?}, and not those told", session.now()));
            }
        }
        // What is told to differ from another moment is what differs from it now.
        let beside = &self.world.walk.beside;
        if let Some((apart, (step, _))) =
            beside.apart(session).zip(beside.moment.as_ref()).filter(|_| beside.run.is_none())
        {
            let anew = Apart::between(session, *step, session.now());
            let rows =
                |apart: &Apart| apart.rows().iter().map(|row| (row.name.clone(), row.change())).collect::<Vec<_>>();
            if anew.as_ref().map(rows) != Some(rows(apart)) {
                return Some(format!("what differs between {step} and {} is not what is told", session.now()));
            }
        }
        let mut routines = Routines::default();
        routines.refresh(session, 24);
        let same = routines.list().iter().map(|routine| routine.frame).eq(walk
            .routines
            .list()
            .iter()
            .map(|routine| routine.frame));
        if !same {
            return Some(format!("calls are not those of step {}", session.now()));
        }
        for row in &self.world.watches.rows {
            let names = crate::world::names::names_of(session);
            let now =
                Show::read(&row.words, &names).ok().and_then(|show| show.reading(session, &At::new(session.machine())));
            if row.now.clone().ok() != now {
                return Some(format!("the watch {} shows {:?} and is {now:?}", row.words, row.now));
            }
        }
        None
    }

    /// What is called the present text is: of the editor, of the program, of the walk.
    fn broken_texts(&self) -> Option<String> {
        let world = &self.world;
        if world.is_image() || !world.is_assembled() {
            return None;
        }
        let used: BTreeSet<_> = world.program.assembly.files().into_iter().collect();
        for (id, document) in world.documents.iter() {
            let file = world.file_id(id).filter(|file| used.contains(file));
            let (Some(editor), Some(file)) = (document.editor(), file) else { continue };
            if *editor.text() != *world.program.assembly.sources.file(file).text() {
                return Some(format!("the program is of another text of {}", document.name));
            }
        }
        let session = self.session().filter(|_| world.is_current())?;
        let image = &world.program.assembly.image;
        if session.image().segments != image.segments || session.image().lines != image.lines {
            return Some("the walk is through another program, and does not say so".to_owned());
        }
        let (piece, (id, line)) = (world.present_piece()?, world.present_place()?);
        let here = world.documents.get(id).and_then(Document::editor).map(|editor| editor.line(line));
        let there = session.sources().file(piece.span.file).text().lines().nth(piece.line as usize - 1);
        let differs = here.as_deref().zip(there).is_some_and(|(here, there)| here != there.trim_end_matches('\r'));
        differs.then(|| format!("the band stands on {here:?}, and next is {there:?}"))
    }

    /// Stops lie within their texts; those that mean something are those the run stops at.
    fn broken_stops(&self) -> Option<String> {
        let world = &self.world;
        for stop in &world.stops.list {
            if let Place::Line { document, line } | Place::Part { document, line, .. } = stop.place {
                let Some(document) = world.documents.get(document) else {
                    return Some("a stop is in no document".to_owned());
                };
                if document.editor().is_some_and(|editor| line >= editor.line_count()) {
                    return Some(format!("a stop is on line {} of {}, which is not there", line + 1, document.name));
                }
            }
        }
        if self.kept().stops.len() < world.stops.list.len() {
            return Some("not all stops are kept".to_owned());
        }
        let session = self.session().filter(|_| world.is_current())?;
        let placed: BTreeSet<StopId> = session.stops().map(|(id, _)| id).collect();
        let is_meant = |id: StopId| matches!(world.stops.meaning(id), Some(Ok(_)));
        let meant =
            world.stops.list.iter().filter(|stop| !stop.is_off && is_meant(stop.id)).map(|stop| stop.id).collect();
        if placed != meant {
            return Some(format!("the run stops at {placed:?}, and the screen shows {meant:?}"));
        }
        for stop in &world.stops.list {
            let Some(Ok(meaning)) = world.stops.meaning(stop.id) else { continue };
            if let (Place::Line { .. } | Place::Part { .. }, wendax_session::Where::Address(at)) =
                (stop.place, &meaning.place)
                && world.address_of(&stop.place) != Some(*at)
            {
                return Some(format!("{} stops at another place than its line", world.stop_words(stop)));
            }
        }
        None
    }
}
