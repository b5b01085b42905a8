//! Ways to a place in the text: what was searched for, names, problems.

use crate::actions::Find;
use crate::app::App;
use crate::screen::Mode;
use crate::sheets::Sheet;
use crate::world::editor::Editor;
use std::ops::Range;
use wendax_session::counted;
use wendax_source::{FileId, Severity, Span};

/// Matches told of, at most.
const MOST: usize = 10_000;

impl App {
    pub(super) fn find(&mut self, find: Find) {
        match find {
            Find::SearchAgain => self.search_on(true),
            Find::InMemory | Find::InMemoryBack => {
                if self.screen.memory_search.is_empty() {
                    return self.screen.trouble("nothing was looked for in memory yet; Y asks for it");
                }
                if let Err(why) = self.find_in_memory(find == Find::InMemoryBack) {
                    self.screen.trouble(why);
                }
            }
            Find::SearchBack => self.search_on(false),
            Find::NextProblem => self.next_problem(),
            Find::Definition | Find::NextUse => self.find_name(find),
            Find::Present => self.show_present_line(),
        }
    }

    // ---- searching

    /// What is being searched for: as it is written now, or as it was written last.
    fn searched(&self) -> String {
        match &self.screen.sheet {
            Some(Sheet::Prompt { ask: crate::actions::Ask::Search, field }) if !field.is_empty() => field.text(),
            _ => self.screen.search.text.clone(),
        }
    }

    /// The places (in characters) on a line that hold what is searched for, while that is shown.
    pub(crate) fn matches_on(&self, line: usize) -> Vec<Range<usize>> {
        let is_shown = matches!(
            self.screen.sheet,
            Some(
                Sheet::Prompt { ask: crate::actions::Ask::Search | crate::actions::Ask::Replace, .. }
                    | Sheet::Replacing { .. }
            )
        );
        let wanted = if is_shown { self.searched() } else { String::new() };
        if wanted.is_empty() { Vec::new() } else { matches_in(&self.editor().line(line), &wanted) }
    }

    /// All places that hold what is searched for, in order: line and places in characters.
    pub(crate) fn matches(&self) -> Vec<(usize, Range<usize>)> {
        all_matches(self.editor(), &self.searched())
    }

    /// How many places hold what is written in the prompt of the search.
    pub(crate) fn search_words(&self, text: &str) -> Option<String> {
        if text.is_empty() {
            return None;
        }
        Some(match all_matches(self.editor(), text).len() {
            0 => format!("`{text}` is nowhere in the text"),
            1 => "1 place".to_owned(),
            MOST.. => format!("more than {MOST} places"),
            count => format!("{count} places"),
        })
    }

    /// Searches from the cursor, around the end of the text.
    pub(super) fn search_on(&mut self, forward: bool) {
        let wanted = self.screen.search.text.clone();
        if wanted.is_empty() {
            return self.screen.trouble("nothing was searched for yet; / asks");
        }
        let all = all_matches(self.editor(), &wanted);
        let here = match self.editor().selection() {
            Some((from, _)) => from,
            None => self.editor().cursor(),
        };
        let found = if forward {
            all.iter().position(|(line, range)| (*line, range.start) > here).or(Some(0))
        } else {
            all.iter().rposition(|(line, range)| (*line, range.start) < here).or(all.len().checked_sub(1))
        };
        let Some((number, (line, range))) = found.and_then(|index| Some((index + 1, all.get(index)?.clone()))) else {
            return self.screen.trouble(format!("`{wanted}` is nowhere in the text"));
        };
        if self.screen.mode == Mode::Write {
            self.editor_mut().select_range((line, range.end), (line, range.start));
        } else {
            self.editor_mut().go_to(line, range.start);
        }
        self.screen.say(format!("`{wanted}`: {number} of {}", all.len()));
    }

    // ---- replacing

    /// Begins to replace what was searched for, one place after the other; what is selected at once.
    pub(super) fn begin_replacing(&mut self, with: &str) -> Result<(), String> {
        with.clone_into(&mut self.screen.search.replacement);
        let wanted = self.screen.search.text.clone();
        let all = all_matches(self.editor(), &wanted);
        if all.is_empty() {
            return Err(format!("`{wanted}` is nowhere in the text"));
        }
        let here = self.editor().selection().map_or(self.editor().cursor(), |(from, _)| from);
        let (line, range) =
            all.iter().find(|(line, range)| (*line, range.start) >= here).or(all.first()).cloned().unwrap_or_default();
        self.editor_mut().select_range((line, range.end), (line, range.start));
        self.screen.sheet = Some(Sheet::Replacing { with: with.to_owned() });
        Ok(())
    }

    /// Answers what becomes of the place that is selected.
    pub(super) fn replace(&mut self, with: &str, answer: char) {
        let all = all_matches(self.editor(), &self.screen.search.text);
        let here = self.editor().selection().map_or(self.editor().cursor(), |(from, _)| from);
        let bytes = |editor: &Editor, line: usize, range: &Range<usize>| {
            editor.byte_at(line, range.start)..editor.byte_at(line, range.end)
        };
        match answer {
            'a' => {
                let editor = self.editor();
                let edits: Vec<_> =
                    all.iter().map(|(line, range)| (bytes(editor, *line, range), with.to_owned())).collect();
                self.editor_mut().select(false);
                self.editor_mut().apply(&edits);
                self.world.note_texts(&[self.screen.shown]);
                let places = counted(edits.len() as u64, "place", "places");
                return self.screen.say(format!("replaced at {places}; Ctrl-Z takes it back"));
            }
            'y' => {
                if let Some((line, range)) = all.iter().find(|(line, range)| (*line, range.start) == here) {
                    let range = bytes(self.editor(), *line, range);
                    self.editor_mut().select(false);
                    self.editor_mut().apply(&[(range, with.to_owned())]);
                    self.world.note_texts(&[self.screen.shown]);
                }
            }
            _ => {}
        }
        // On to the next place behind this one.
        let behind = (here.0, here.1 + if answer == 'y' { with.chars().count() } else { 1 });
        let left = all_matches(self.editor(), &self.screen.search.text);
        if let Some((line, range)) = left.iter().find(|(line, range)| (*line, range.start) >= behind).cloned() {
            self.editor_mut().select_range((line, range.end), (line, range.start));
            self.screen.sheet = Some(Sheet::Replacing { with: with.to_owned() });
        } else {
            self.editor_mut().select(false);
            self.screen.say("that was the last one");
        }
    }

    // ---- names

    /// The names that are meant: the one under the cursor, or those on the line.
    pub(super) fn names_meant(&self) -> Vec<(Span, String)> {
        let (line, column) = self.editor().cursor();
        let under = self.world.name_at(self.screen.shown, self.editor().byte_at(line, column));
        match under {
            // While walking the cursor stands at the margin, where the label does: the line's names are meant.
            Some(name) if self.screen.mode == Mode::Write || column > 0 => vec![name],
            _ => self.world.names_on(self.screen.shown, line),
        }
    }

    fn find_name(&mut self, wanted: Find) {
        if !self.world.is_assembled() {
            return self.screen.trouble("the text is still being assembled");
        }
        let mut names = self.names_meant();
        match names.len() {
            0 => self.screen.trouble("there is no name of the program on this line"),
            1 => {
                let (span, name) = names.remove(0);
                self.about_name(wanted, span, &name);
            }
            _ => self.screen.sheet = Some(Sheet::Names { names, chosen: 0, wanted }),
        }
    }

    /// Goes to where a name is defined, or to the next place that uses it.
    pub(super) fn about_name(&mut self, wanted: Find, span: Span, name: &str) {
        if wanted == Find::Definition {
            match self.world.program.assembly.definition(span) {
                Some(place) => self.show_span(place),
                None => self.screen.trouble(format!("`{name}` is defined in no file of the program")),
            }
            return;
        }
        let all = self.world.program.assembly.occurrences(span);
        let at = all.iter().position(|found| found.span == span).map_or(0, |at| at + 1);
        if let Some(place) = all.get(at).or(all.first()).map(|found| found.span) {
            self.show_span(place);
            let number = all.iter().position(|found| found.span == place).unwrap_or(0) + 1;
            self.screen.say(format!("`{name}`: {number} of {} places", all.len()));
        }
    }

    /// Looks at a place of the text that was assembled.
    fn show_span(&mut self, span: Span) {
        let Some(id) = self.world.document_of(span.file) else {
            return self.screen.trouble("that place is in a file that is not part of the program any more");
        };
        self.show_document(id);
        let editor = self.editor_mut();
        let (line, column) = editor.place_of_byte(span.start as usize);
        editor.select(false);
        editor.go_to(line, column);
    }

    // ---- problems

    /// Goes to the next problem or warning behind the cursor, in this file, then in the others.
    pub(super) fn next_problem(&mut self) {
        let (line, column) = self.editor().cursor();
        let here = self.world.file_id(self.screen.shown).map(|file| (file, line, column));
        let told = self.world.program.with_places();
        let places: Vec<(FileId, usize, usize)> =
            told.filter(|(found, _)| found.severity != Severity::Hint).map(|(_, place)| place).collect();
        let next = places.iter().find(|&&place| here.is_some_and(|here| place > here)).or(places.first()).copied();
        let Some((file, line, column)) = next else { return self.screen.say("there is no problem") };
        if let Some(id) = self.world.document_of(file) {
            self.show_document(id);
            let editor = self.editor_mut();
            editor.select(false);
            editor.go_to(line, column);
        } else {
            let found = self.world.program.with_places().find(|(_, (of, ..))| *of == file);
            let text = found.map_or(String::new(), |(diagnostic, _)| diagnostic.message.clone());
            self.screen.trouble(text);
        }
    }
}

/// The places of a line, in characters, that hold a text in whatever case.
fn matches_in(line: &str, wanted: &str) -> Vec<Range<usize>> {
    let lower = |text: &str| text.chars().map(|c| c.to_lowercase().next().unwrap_or(c)).collect::<Vec<char>>();
    let (line, wanted) = (lower(line), lower(wanted));
    let mut found = Vec::new();
    let mut at = 0;
    while !wanted.is_empty() && at + wanted.len() <= line.len() {
        if line[at..at + wanted.len()] == wanted[..] {
            found.push(at..at + wanted.len());
            at += wanted.len();
        } else {
            at += 1;
        }
    }
    found
}

fn all_matches(editor: &Editor, wanted: &str) -> Vec<(usize, Range<usize>)> {
    if wanted.is_empty() {
        return Vec::new();
    }
    let lines = 0..editor.line_count();
    let all = lines.flat_map(|line| matches_in(&editor.line(line), wanted).into_iter().map(move |range| (line, range)));
    all.take(MOST).collect()
}
