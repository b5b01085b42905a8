//! Ways to a place in the text: what was searched for, names, problems.

use super::prompts;
use crate::actions::Find;
use crate::app::App;
use crate::panes::PaneId;
use crate::pattern::{MOST, Pattern};
use crate::screen::Mode;
use crate::sheet::Sheet;
use crate::world::documents::DocumentId;
use crate::world::editor::Editor;
use std::ops::Range;
use wendax_language::Written;
use wendax_session::{counted, grouped};
use wendax_source::{FileId, Severity, Span};

impl App {
    pub(super) fn find(&mut self, find: Find) {
        match find {
            Find::Again if self.screen.focus == PaneId::Memory => self.find_on_in_memory(false),
            Find::Again => self.search_on(true),
            Find::InMemoryBack => self.find_on_in_memory(true),
            Find::SearchBack => self.search_on(false),
            Find::NextProblem => self.next_problem(),
            Find::Definition | Find::NextUse => self.find_name(find),
            Find::Present => self.show_present_line(),
        }
    }

    fn find_on_in_memory(&mut self, is_back: bool) {
        if self.screen.memory_search.is_empty() {
            self.screen.trouble("nothing was looked for in memory yet; / asks where the memory has the keys");
        } else if let Err(why) = self.find_in_memory(is_back) {
            self.screen.trouble(why);
        }
    }

    // ---- searching

    /// What is being searched for: as it is written now, or as it was written last; `None` when that is nothing, or no
    /// pattern.
    fn searched(&self) -> Option<Pattern> {
        let search = &self.screen.search;
        let text = match &self.screen.sheet {
            Some(Sheet::Prompt { ask: prompts::SEARCH, field }) if !field.is_empty() => field.text(),
            _ => search.text.clone(),
        };
        if text.is_empty() { None } else { Pattern::new(&text, search.meant).ok() }
    }

    /// What is searched for, while its places are shown.
    pub(crate) fn shown_pattern(&self) -> Option<Pattern> {
        let is_shown = matches!(
            self.screen.sheet,
            Some(Sheet::Prompt { ask: prompts::SEARCH | prompts::REPLACE, .. } | Sheet::Replacing { .. })
        );
        if is_shown { self.searched() } else { None }
    }

    /// All places of the file that is shown that hold what is searched for, in order: line and places in characters.
    pub(crate) fn matches(&self) -> Vec<(usize, Range<usize>)> {
        self.searched().map_or_else(Vec::new, |pattern| in_editor(&pattern, self.editor()))
    }

    /// All places of all files of the program, in their order.
    fn places_of(&self, wanted: &Pattern) -> Vec<(DocumentId, usize, Range<usize>)> {
        let mut places = Vec::new();
        for (id, document) in self.world.documents.iter() {
            let found = match (document.editor(), self.world.file_id(id)) {
                (Some(editor), _) => in_editor(wanted, editor),
                (None, Some(file)) => {
                    let text = self.world.program.assembly.sources.file(file).text();
                    wanted.in_lines(text.lines().map(str::to_owned))
                }
                (None, None) => Vec::new(),
            };
            places.extend(found.into_iter().map(|(line, range)| (id, line, range)));
        }
        places
    }

    /// How many places hold what is written in the prompt of the search.
    pub(crate) fn search_words(&self, text: &str) -> Option<String> {
        if text.is_empty() {
            return None;
        }
        let meant = self.screen.search.meant;
        let places = match Pattern::new(text, meant) {
            Ok(pattern) => self.places_of(&pattern),
            Err(why) => return Some(format!("{why}; {}", meant.words())),
        };
        let found = match places.len() {
            0 => format!("`{text}` is nowhere in the program"),
            1 => "1 place".to_owned(),
            _ => {
                let (count, files) = extent(&places);
                format!("{count} places{files}")
            }
        };
        Some(format!("{found}; {}", meant.words()))
    }

    /// Searches from the cursor, through all files and around the end of the last.
    pub(super) fn search_on(&mut self, forward: bool) {
        let wanted = self.screen.search.text.clone();
        if wanted.is_empty() {
            return self.screen.trouble("nothing was searched for yet; / asks");
        }
        let all = match Pattern::new(&wanted, self.screen.search.meant) {
            Ok(pattern) => self.places_of(&pattern),
            Err(why) => return self.screen.trouble(why),
        };
        let (line, column) = match self.editor().selection() {
            Some((from, _)) => from,
            None => self.editor().cursor(),
        };
        let order = |id: DocumentId| self.world.documents.place(id);
        let here = (order(self.screen.shown), line, column);
        let place = |(id, line, range): &(DocumentId, usize, Range<usize>)| (order(*id), *line, range.start);
        let found = if forward {
            all.iter().position(|found| place(found) > here).or(Some(0))
        } else {
            all.iter().rposition(|found| place(found) < here).or(all.len().checked_sub(1))
        };
        let Some((number, (id, line, range))) = found.and_then(|index| Some((index + 1, all.get(index)?.clone())))
        else {
            return self.screen.trouble(format!("`{wanted}` is nowhere in the program"));
        };
        if id != self.screen.shown {
            self.show_document(id);
        }
        if self.screen.mode == Mode::Write {
            self.editor_mut().select_range((line, range.end), (line, range.start));
        } else {
            self.editor_mut().go_to(line, range.start);
        }
        let (count, files) = extent(&all);
        self.screen.say(format!("`{wanted}`: {} of {count}{files}", grouped(number as u64)));
    }

    // ---- replacing

    /// Begins to replace what was searched for, one place after the other; what is selected at once.
    pub(super) fn begin_replacing(&mut self, with: &str) -> Result<(), String> {
        with.clone_into(&mut self.screen.search.replacement);
        Pattern::new(&self.screen.search.text, self.screen.search.meant)?;
        let all = self.matches();
        if all.is_empty() {
            return Err(format!("`{}` is nowhere in this file", self.screen.search.text));
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
        let all = self.matches();
        let here = self.editor().selection().map_or(self.editor().cursor(), |(from, _)| from);
        let bytes = |editor: &Editor, line: usize, range: &Range<usize>| {
            editor.byte_at(line, range.start)..editor.byte_at(line, range.end)
        };
        let Some(pattern) = self.searched() else { return };
        let edit = |editor: &Editor, line: usize, range: &Range<usize>| {
            (bytes(editor, line, range), pattern.replacement(&editor.line(line), range.start, with))
        };
        // How long the text is that came in the place of this one.
        let mut came = 1;
        match answer {
            'a' => {
                let editor = self.editor();
                let edits: Vec<_> = all.iter().map(|(line, range)| edit(editor, *line, range)).collect();
                self.editor_mut().select(false);
                self.editor_mut().apply(&edits);
                self.world.note_texts(&[self.screen.shown]);
                let places = counted(edits.len() as u64, "place", "places");
                return self.screen.say(format!("replaced at {places}; Ctrl-Z takes it back"));
            }
            'y' => {
                if let Some((line, range)) = all.iter().find(|(line, range)| (*line, range.start) == here) {
                    let change = edit(self.editor(), *line, range);
                    came = change.1.chars().count();
                    self.editor_mut().select(false);
                    self.editor_mut().apply(&[change]);
                    self.world.note_texts(&[self.screen.shown]);
                }
            }
            _ => {}
        }
        // On to the next place behind this one.
        let behind = (here.0, here.1 + came);
        let left = self.matches();
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

/// The places of a text that is written.
fn in_editor(pattern: &Pattern, editor: &Editor) -> Vec<(usize, Range<usize>)> {
    pattern.in_lines((0..editor.line_count()).map(|line| editor.line(line)))
}

/// How many places there are, more when a file has more than are looked for; and ` in 3 files`, when it is more than one.
fn extent(places: &[(DocumentId, usize, Range<usize>)]) -> (String, String) {
    let files: Vec<usize> = places.chunk_by(|one, other| one.0 == other.0).map(<[_]>::len).collect();
    let more = if files.contains(&MOST) { "more than " } else { "" };
    let count = format!("{more}{}", grouped(places.len() as u64));
    (count, if files.len() > 1 { format!(" in {} files", files.len()) } else { String::new() })
}
