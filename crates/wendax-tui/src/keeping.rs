//! What is kept of how a program was looked at: gathered when it is left, put back when it is opened again.

use crate::actions::Action;
use crate::app::App;
use crate::kept::{Kept, KeptStop, Line};
use crate::panes::{self, PaneId};
use crate::screen::Arrangement;
use crate::world::documents::DocumentId;
use crate::world::editor::Editor;
use crate::world::stops::{Place, Stop};
use crate::world::values::Lens;
use wendax_session::{Record, grouped};

/// Commands remembered.
const COMMANDS: usize = 12;

/// What was chosen, when it is not what is preferred.
fn other_than(preferred: bool, chosen: bool) -> Option<bool> {
    (preferred != chosen).then_some(chosen)
}

impl App {
    /// How the program is looked at now.
    pub fn kept(&self) -> Kept {
        let screen = &self.screen;
        let name = |action: &Action| crate::commands::commands().find(|known| known.action == *action);
        let mut kept = Kept {
            cursor: self.kept_line(screen.shown, self.editor().cursor().0),
            memory: match &screen.lens {
                Lens::Data => String::new(),
                Lens::At(address) => self.world.target().marked_address(*address),
                Lens::Label(name) => name.clone(),
                Lens::Register(register) => self
                    .session()
                    .map_or(String::new(), |session| session.machine().target().register_name(*register).to_owned()),
            },
            focus: screen.focus.pane().name().to_owned(),
            layout: match screen.arrangement {
                Arrangement::Bench => "",
                Arrangement::Alone => "alone",
                Arrangement::Showing(_) => "showing",
            }
            .to_owned(),
            wraps: other_than(screen.preferences.wraps, screen.source.wraps),
            without_code: other_than(screen.preferences.without_code, screen.source.without_code),
            binary: other_than(screen.preferences.binary, screen.binary),
            commands: screen.recent.iter().take(COMMANDS).filter_map(name).map(|known| known.name.to_owned()).collect(),
            ..Kept::default()
        };
        (kept.lesson, kept.lessons_hidden) = (self.screen.course.at, self.screen.course.is_hidden);
        // A walk that was not taken up waits on.
        // The run of a row is given what stands in its table, and is walked from there.
        let is_kept = !self.world.walk.is_stale && self.world.walk.has_begun() && self.world.walk.of_row.is_none();
        let walk = self.session().filter(|_| is_kept);
        kept.walk = walk.and_then(Record::of).or_else(|| self.world.walk.of_last_time.clone());
        kept.watches.clone_from(&self.world.watches.list);
        kept.watches_routine = self.world.watches.with_routine;
        let kept_stop = |stop: &Stop| KeptStop {
            line: match stop.place {
                // Which of the instructions it was is not kept: the line is what people come back to.
                Place::Line { document, line } | Place::Part { document, line, .. } => {
                    Some(self.kept_line(document, line))
                }
                Place::Words => None,
            },
            words: stop.words.clone(),
            off: stop.is_off,
        };
        kept.stops = self.world.stops.list.iter().map(kept_stop).collect();
        // What still waits for the program is kept as it was, with what was made meanwhile.
        if let Some(waiting) = &self.screen.kept {
            kept.stops.splice(0..0, waiting.stops.iter().cloned());
            kept.watches.splice(0..0, waiting.watches.iter().cloned());
            kept.watches_routine |= waiting.watches_routine;
            kept.walk = kept.walk.or_else(|| waiting.walk.clone());
            kept.memory.clone_from(&waiting.memory);
            kept.cursor.clone_from(&waiting.cursor);
        }
        kept
    }

    fn kept_line(&self, id: DocumentId, line: usize) -> Line {
        let Some(document) = self.world.documents.get(id) else { return Line::default() };
        let text = document.editor().map_or(String::new(), |editor| editor.line(line));
        Line { file: document.name.clone(), line: line + 1, text }
    }

    /// The same, looked at as the last time. What needs the program is done when it has been assembled.
    #[must_use]
    pub fn with_kept(mut self, kept: Kept) -> Self {
        let preferences = self.screen.preferences;
        self.screen.source.wraps = kept.wraps.unwrap_or(preferences.wraps);
        self.screen.source.without_code = kept.without_code.unwrap_or(preferences.without_code);
        self.screen.binary = kept.binary.unwrap_or(preferences.binary);
        let action =
            |name: &String| crate::commands::commands().find(|known| known.name == name).map(|known| known.action);
        self.screen.recent = kept.commands.iter().filter_map(action).collect();
        let focus = panes::all().find(|(_, pane)| pane.name() == kept.focus).map_or(PaneId::Source, |(id, _)| id);
        self.screen.focus = focus;
        self.screen.arrangement = match kept.layout.as_str() {
            "alone" => Arrangement::Alone,
            "showing" => Arrangement::Showing(if focus == PaneId::Source { PaneId::Registers } else { focus }),
            _ => Arrangement::Bench,
        };
        (self.screen.course.at, self.screen.course.is_hidden) = (kept.lesson, kept.lessons_hidden);
        self.screen.kept = Some(kept);
        self
    }

    /// Puts back what was waiting for the program.
    pub(crate) fn take_kept(&mut self) {
        let Some(kept) = self.screen.kept.take() else { return };
        let mut lost = 0;
        for KeptStop { line, words, off } in &kept.stops {
            let place = match line {
                None => Some(Place::Words),
                Some(line) => self.line_now(line).map(|(document, line)| Place::Line { document, line }),
            };
            let Some(place) = place else {
                lost += 1;
                continue;
            };
            let mut stop = self.world.stops.made(place, words);
            stop.is_off = *off;
            self.world.stops.list.push(stop);
        }
        let made = std::mem::replace(&mut self.world.watches.list, kept.watches);
        let known = &mut self.world.watches.list;
        known.extend(made.into_iter().filter(|words| !known.contains(words)).collect::<Vec<_>>());
        self.world.watches.with_routine |= kept.watches_routine;
        self.world.read_watches();
        if !kept.memory.is_empty() {
            self.screen.lens = self.world.lens_for(&kept.memory).unwrap_or(Lens::Data);
        }
        if let Some((document, line)) = self.line_now(&kept.cursor) {
            self.show_line(document, line);
        }
        let session = self.session();
        self.world.walk.of_last_time = kept.walk.filter(|walk| session.is_some_and(|session| walk.is_of(session)));
        if let Some(walk) = self.world.walk.of_last_time.as_ref().filter(|_| self.screen.said.is_none()) {
            let (now, steps, typed) = walk.told();
            let typed = match typed {
                0 => String::new(),
                1 => ", with what was typed once".to_owned(),
                times => format!(", with what was typed {times} times"),
            };
            let (now, steps) = (grouped(now), grouped(steps));
            self.screen.say(format!("the last walk stood at step {now} of {steps}{typed}: Ctrl-Y takes it up again"));
        }
        if lost > 0 {
            let what = if lost == 1 { "a stop is".to_owned() } else { format!("{lost} stops are") };
            self.screen.trouble(format!("{what} gone: the line it was on is nowhere in the text any more"));
        }
    }

    /// Where a line is now: where it was, or else the nearest line with its text.
    fn line_now(&mut self, line: &Line) -> Option<(DocumentId, usize)> {
        let id = self.world.documents.find(&line.file)?;
        let editor: &Editor = self.world.open(id)?;
        let at = line.line.checked_sub(1)?;
        let fits = |at: &usize| editor.line(*at) == line.text;
        let nearest = (0..editor.line_count()).filter(fits).min_by_key(|found| found.abs_diff(at))?;
        Some((id, nearest))
    }
}
