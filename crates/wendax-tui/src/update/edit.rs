//! Changes of text, and moves in it: in the source, in the field of a sheet, in the line typed to the program.

use super::prompts;
use crate::actions::Edit;
use crate::app::App;
use crate::message::Effect;
use crate::parts::field::Field;
use crate::screen::{Mode, Offering};
use crate::sheet::Sheet;
use crate::world::Clipping;
use crate::world::deeds::Taken;
use crate::world::documents::Role;
use crate::world::editor::Editor;
use wendax_language::{format, offers};
use wendax_session::counted;
use wendax_source::FileId;

/// The column of comments, as `wendax format` puts them.
const COMMENTS: usize = wendax_language::COMMENTS;

/// Letters of a word before anything is offered by itself.
const TELLING: usize = 2;

impl App {
    pub(super) fn edit(&mut self, edit: Edit, effects: &mut Vec<Effect>) {
        let was = (self.screen.sheet.as_mut().and_then(Sheet::field_mut)).map(|field| field.text());
        self.edit_text(edit, effects);
        let is = (self.screen.sheet.as_mut().and_then(Sheet::field_mut)).map(|field| field.text());
        if was.is_some() && was != is {
            self.query_changed();
        }
    }

    fn edit_text(&mut self, edit: Edit, effects: &mut Vec<Effect>) {
        let offered = self.screen.offering.is_some();
        // What was offered for another place is offered no longer.
        if !matches!(edit, Edit::Complete | Edit::TakeOffer | Edit::Backspace) {
            self.screen.offering = None;
        }
        match edit {
            Edit::Left => self.moves(false, |editor| editor.move_sign(false)),
            Edit::Right => self.moves(false, |editor| editor.move_sign(true)),
            Edit::WordLeft => self.moves(false, |editor| editor.move_word(false)),
            Edit::WordRight => self.moves(false, |editor| editor.move_word(true)),
            Edit::Home => self.moves(false, Editor::move_home),
            Edit::End => self.moves(false, Editor::move_end),
            Edit::SelectLeft => self.stretches((0, -1), |editor| editor.move_sign(false)),
            Edit::StretchLeft => self.editor_mut().stretch(0, -1),
            Edit::SelectRight => self.stretches((0, 1), |editor| editor.move_sign(true)),
            Edit::StretchRight => self.editor_mut().stretch(0, 1),
            Edit::SelectWordLeft => self.moves(true, |editor| editor.move_word(false)),
            Edit::SelectWordRight => self.moves(true, |editor| editor.move_word(true)),
            Edit::SelectHome => self.moves(true, Editor::move_home),
            Edit::SelectEnd => self.moves(true, Editor::move_end),
            Edit::SelectUp => self.stretches((-1, 0), |editor| editor.move_lines(-1)),
            Edit::StretchUp => self.editor_mut().stretch(-1, 0),
            Edit::SelectDown => self.stretches((1, 0), |editor| editor.move_lines(1)),
            Edit::StretchDown => self.editor_mut().stretch(1, 0),
            Edit::Rectangle => self.editor_mut().turn_rectangle(),
            Edit::SelectAll => self.target().select_all(),
            Edit::NewLine => self.target().new_line(),
            Edit::Tab => self.target().tab(),
            Edit::TabBack => self.target().tab_back(),
            Edit::Backspace if self.goes_back_in_guide() => {}
            Edit::Backspace => {
                self.target().backspace();
                self.screen.offering = None;
                if offered {
                    self.offer(false);
                }
            }
            Edit::Delete => self.target().delete(),
            Edit::DeleteLine => self.target().delete_line(),
            Edit::Empty => {
                self.target().select_all();
                self.target().erase_selection();
            }
            Edit::Undo | Edit::Redo => self.undo(edit == Edit::Redo),
            Edit::Copy => self.copy(false, effects),
            Edit::Cut => self.copy(true, effects),
            Edit::Paste => {
                let Clipping { text, is_rectangle } = self.world.clipboard.clone();
                if is_rectangle && self.screen.sheet.is_none() && !self.takes_input() {
                    self.editor_mut().paste_rectangle(&text);
                } else {
                    self.typed(&text);
                }
                self.screen.offering = None;
            }
            Edit::Comment => self.toggle_comment(),
            Edit::CommentHere => self.comment_here(),
            Edit::LineUp | Edit::LineDown => {
                let down = edit == Edit::LineDown;
                if !self.editor_mut().shift_lines(down) {
                    self.screen.trouble(if down { "there is no line below" } else { "there is no line above" });
                }
            }
            Edit::Double => self.editor_mut().double_lines(),
            Edit::OtherNumber => self.write_number_otherwise(),
            Edit::Columns => self.put_in_columns(),
            Edit::Bracket => match self.bracket_partner() {
                Some((line, column)) => self.editor_mut().go_to(line, column),
                None => self.screen.trouble("there is no bracket with a partner under the cursor"),
            },
            Edit::Complete if offered => self.screen.offering = None,
            Edit::Complete => {
                self.offer(true);
                if self.screen.offering.is_none() {
                    self.screen.say("nothing is known that could stand here");
                }
            }
            Edit::TakeOffer if self.screen.sheet.is_some() => {
                if let Some(Sheet::Guide(reading)) = &mut self.screen.sheet {
                    reading.next_reference();
                } else {
                    self.complete_field();
                }
            }
            Edit::TakeOffer => {
                if let Some(offering) = self.screen.offering.take() {
                    self.take_offer(&offering);
                }
            }
            Edit::Mend => self.mend(),
            Edit::Rename => self.ask_for_name(),
            Edit::Replace if self.screen.search.text.is_empty() => {
                self.screen.trouble("nothing was searched for yet; Ctrl-F asks");
            }
            Edit::Replace => self.prompt(prompts::REPLACE),
        }
    }

    /// With nothing written in the guide's field, Backspace goes back to what was read before.
    fn goes_back_in_guide(&mut self) -> bool {
        match &mut self.screen.sheet {
            Some(Sheet::Guide(reading)) => reading.query.is_empty() && reading.back(),
            _ => false,
        }
    }

    /// The text that keys of editing are for now.
    fn target(&mut self) -> &mut Editor {
        let (takes_input, shown) = (self.takes_input(), self.screen.shown);
        match self.screen.sheet.as_mut().and_then(Sheet::field_mut) {
            Some(field) => field.editor(),
            None if takes_input => self.screen.input.editor(),
            None => self.world.shown_editor(shown),
        }
    }

    fn moves(&mut self, selects: bool, go: impl FnOnce(&mut Editor)) {
        let editor = self.target();
        editor.select(selects);
        go(editor);
    }

    /// The same with selecting; a rectangle changes by a line or a cell.
    fn stretches(&mut self, (lines, columns): (isize, isize), go: impl FnOnce(&mut Editor)) {
        if self.target().rectangle().is_some() {
            self.target().stretch(lines, columns);
        } else {
            self.moves(true, go);
        }
    }

    /// Undoes the last change, or does the last one again; one of several texts in all of them.
    fn undo(&mut self, again: bool) {
        let is_source = self.screen.sheet.is_none() && !self.takes_input();
        if !is_source || !self.world.is_changed_together(self.screen.shown, again) {
            let editor = self.target();
            if !if again { editor.redo() } else { editor.undo() } {
                self.screen.trouble(if again { "nothing was undone" } else { "there is nothing to undo" });
            }
        } else if let Taken::Texts(count @ 2..) = self.world.take_back(again) {
            let done = if again { "done again" } else { "taken back" };
            self.screen.say(format!("{done} in {count} files"));
        }
    }

    fn copy(&mut self, cut: bool, effects: &mut Vec<Effect>) {
        let is_source = self.screen.sheet.is_none() && !self.takes_input();
        let editor = self.target();
        let is_rectangle = editor.rectangle().is_some();
        if editor.selection().is_none() && is_source && !is_rectangle {
            let line = editor.cursor().0;
            editor.select_range((line, 0), (line + 1, 0));
            if editor.selection().is_none_or(|(from, to)| from.0 == to.0) {
                editor.select_range((line, 0), (line, usize::MAX));
            }
        }
        let Some(text) = editor.selected_text() else { return };
        if cut {
            editor.erase_selection();
        }
        self.world.clipboard = Clipping { text: text.clone(), is_rectangle };
        effects.push(Effect::Copy(text));
    }

    // ---- lines

    /// Lines become comments, or, when all of them are, no comments again.
    fn toggle_comment(&mut self) {
        let sign = if self.document().role == Role::Manifest { '#' } else { ';' };
        let editor = self.editor_mut();
        let (first, last) = editor.selected_lines();
        let is_comment = |line: &str| line.trim_start().starts_with(sign);
        let mut lines = (first..=last).map(|line| editor.line(line));
        let all = lines.all(|line| line.trim().is_empty() || is_comment(&line));
        editor.change_lines(|line| match line.find(sign) {
            _ if line.trim().is_empty() => line.to_owned(),
            Some(at) if all => {
                let rest = &line[at + 1..];
                format!("{}{}", &line[..at], rest.strip_prefix(' ').unwrap_or(rest))
            }
            _ => format!("{sign} {line}"),
        });
    }

    /// Goes to the comment of the line, or begins one in the column where comments stand.
    fn comment_here(&mut self) {
        let sign = if self.document().role == Role::Manifest { '#' } else { ';' };
        let (number, _) = self.editor().cursor();
        let line = self.editor().line(number);
        let at = wendax_language::comment_column(&line, self.world.program.assembly.image.target);
        let editor = self.editor_mut();
        if let Some(column) = at {
            let behind = line.chars().skip(column + 1).take_while(|c| *c == ' ').count();
            return editor.go_to(number, column + 1 + behind);
        }
        let written = line.trim_end().chars().count();
        editor.go_to(number, written);
        editor.select_range((number, written), (number, line.chars().count()));
        editor.erase_selection();
        let pad = COMMENTS.saturating_sub(written).max(usize::from(written > 0));
        editor.insert(&format!("{}{sign} ", " ".repeat(pad)));
    }

    /// The number under the cursor in the next form: decimal, hexadecimal, binary.
    fn write_number_otherwise(&mut self) {
        let (number, column) = self.editor().cursor();
        let line: Vec<char> = self.editor().line(number).chars().collect();
        let is_part = |at: &usize| line.get(*at).is_some_and(|c| c.is_alphanumeric() || *c == '_');
        let from =
            (0..=column.min(line.len())).rev().take_while(|at| is_part(at) || *at == column).last().unwrap_or(column);
        let from = if is_part(&from) { from } else { from + 1 };
        let to = (from..line.len()).take_while(is_part).last().map_or(from, |last| last + 1);
        let word: String = line.get(from..to).unwrap_or_default().iter().collect();
        let Some(other) = wendax_language::other_form(&word) else {
            return self.screen.trouble("there is no number under the cursor");
        };
        let editor = self.editor_mut();
        let range = editor.byte_at(number, from)..editor.byte_at(number, to);
        editor.apply(&[(range, other)]);
        editor.go_to(number, from);
    }

    /// Puts the text in columns.
    fn put_in_columns(&mut self) {
        if self.document().role == Role::Manifest {
            return self.screen.trouble("a manifest is no source: its columns are yours");
        }
        let before = self.editor().text();
        let after = format(&before, self.world.program.assembly.image.target);
        if after == before {
            return self.screen.say("the text is in columns");
        }
        self.editor_mut().become_text(&after);
        // The line may be shorter now than the view was scrolled for.
        self.screen.source.sideways = 0;
        self.screen.say("the text is in columns now; Ctrl-Z takes it back");
    }

    /// Where the partner of the bracket under or right before the cursor stands.
    pub(crate) fn bracket_partner(&self) -> Option<(usize, usize)> {
        let (line, column) = self.editor().cursor();
        let text: Vec<char> = self.editor().line(line).chars().collect();
        let is_bracket = |at: &usize| text.get(*at).is_some_and(|c| "()[]{}".contains(*c));
        let at = [Some(column), column.checked_sub(1)].into_iter().flatten().find(is_bracket)?;
        let (opens, partner) = match text[at] {
            '(' => (true, ')'),
            '[' => (true, ']'),
            '{' => (true, '}'),
            ')' => (false, '('),
            ']' => (false, '['),
            _ => (false, '{'),
        };
        let mut depth = 0;
        let range: Vec<usize> = if opens { (at..text.len()).collect() } else { (0..=at).rev().collect() };
        for index in range {
            if text[index] == text[at] {
                depth += 1;
            } else if text[index] == partner {
                depth -= 1;
                if depth == 0 {
                    return Some((line, index));
                }
            }
        }
        None
    }

    // ---- fixes and names

    /// Applies the fix of the diagnostic on this line that is nearest to the cursor.
    fn mend(&mut self) {
        if !self.world.is_assembled() {
            return;
        }
        let (line, column) = self.editor().cursor();
        let here = self.world.diagnostics_on(self.screen.shown, line);
        let fixed = here.filter(|(diagnostic, _)| diagnostic.fix.is_some());
        let nearest = fixed.min_by_key(|(_, at)| at.abs_diff(column)).map(|(diagnostic, _)| diagnostic.clone());
        let Some(fix) = nearest.and_then(|diagnostic| diagnostic.fix) else {
            return self.screen.trouble("no fix is known for this line");
        };
        let mut files: Vec<FileId> = fix.edits.iter().map(|edit| edit.span.file).collect();
        files.sort_unstable();
        files.dedup();
        let mut documents = Vec::new();
        for file in files {
            let Some(id) = self.world.document_of(file) else { continue };
            let here = fix.edits.iter().filter(|edit| edit.span.file == file);
            let edits: Vec<_> = here.map(|edit| (edit.span.range(), edit.text.clone())).collect();
            if let Some(editor) = self.world.open(id) {
                editor.apply(&edits);
                documents.push(id);
            }
        }
        self.world.note_texts(&documents);
        self.screen.say(format!("done: {}", fix.title));
    }

    /// Asks for another spelling of the name that is meant.
    fn ask_for_name(&mut self) {
        if !self.world.is_assembled() {
            return self.screen.trouble("the text is still being assembled");
        }
        match self.names_meant().first() {
            Some((span, name)) => {
                let (span, name) = (*span, name.clone());
                // With several on the line it is said which one this is about.
                if let Some(id) = self.world.document_of(span.file) {
                    self.show_document(id);
                    let editor = self.editor_mut();
                    let (line, column) = editor.place_of_byte(span.start as usize);
                    editor.go_to(line, column);
                }
                self.screen.ask(prompts::RENAME, Field::proposed(&name));
            }
            None => self.screen.trouble("there is no name of the program on this line"),
        }
    }

    pub(super) fn rename(&mut self, to: &str) -> Result<(), String> {
        let (line, column) = self.editor().cursor();
        let here = self.world.name_at(self.screen.shown, self.editor().byte_at(line, column));
        let (span, from) = here.ok_or("there is no name under the cursor")?;
        let (places, documents) = self.world.rename(span, &from, to)?;
        let places = counted(places as u64, "place", "places");
        let files = documents.len();
        self.world.note_texts(&documents);
        let where_to = if files == 1 { String::new() } else { format!(" in {files} files") };
        self.screen.say(format!("`{from}` is `{to}` now, at {places}{where_to}; Ctrl-Z takes it back"));
        Ok(())
    }

    // ---- words offered

    /// Names that begin with the word a text ends with, when values can be written there; a few of them.
    pub(crate) fn completions(&self, text: &str) -> Vec<String> {
        const MOST: usize = 8;
        let word = last_word(text);
        if word.is_empty() {
            return Vec::new();
        }
        let mut names = self.world.names_beginning(word);
        names.truncate(MOST);
        names
    }

    /// Writes the rest of the name in a prompt, as far as all that could be meant agree.
    fn complete_field(&mut self) {
        let Some(Sheet::Prompt { ask, field }) = &self.screen.sheet else { return };
        let (ask, text) = (*ask, field.text());
        if ask == prompts::SEARCH {
            self.screen.search.meant = self.screen.search.meant.next();
        }
        if !ask.prompt().traits.contains(&prompts::Trait::Values) {
            return;
        }
        let names = self.completions(&text);
        let word = last_word(&text);
        let Some(first) = names.first() else { return };
        let agree = first
            .char_indices()
            .map(|(at, c)| at + c.len_utf8())
            .take_while(|&end| names.iter().all(|name| name.get(..end) == first.get(..end)));
        let rest = first[word.len()..agree.last().unwrap_or(0).max(word.len())].to_owned();
        self.typed(&rest);
    }

    fn take_offer(&mut self, offering: &Offering) {
        let Some(offer) = offering.offers.list.get(offering.chosen) else { return };
        let editor = self.editor_mut();
        let start = editor.byte_at(editor.cursor().0, 0);
        let range = start + offering.offers.replaces.start..start + offering.offers.replaces.end;
        let end = range.start + offer.text.len();
        editor.apply(&[(range, offer.text.clone())]);
        let (line, column) = editor.place_of_byte(end);
        editor.go_to(line, column);
    }

    /// Offers words for the place of the cursor; `asked` even when hardly anything was written yet.
    pub(super) fn offer(&mut self, asked: bool) {
        self.screen.offering = None;
        if self.screen.mode != Mode::Write || self.document().role == Role::Manifest || self.screen.sheet.is_some() {
            return;
        }
        // What is typed into several lines at once is no word of one.
        if !asked && self.editor().rectangle().is_some() {
            return;
        }
        let (line, column) = self.editor().cursor();
        let text = self.editor().line(line);
        let at = text.char_indices().nth(column).map_or(text.len(), |(at, _)| at);
        let found = offers(&self.world.program.assembly, self.world.file_id(self.screen.shown), &text, at);
        // Behind `sys` a name must come, and the name of a file where one is opened: nothing needs to be written first.
        let before = text[..found.replaces.start.min(text.len())].trim_end().to_ascii_lowercase();
        let call = before.ends_with("sys") || before.ends_with('"');
        if !found.list.is_empty() && (asked || call || found.replaces.len() >= TELLING) {
            self.screen.offering = Some(Offering { offers: found, chosen: 0 });
        }
    }

    /// The program is another one now: offers what there is to offer, and keeps the one that was chosen.
    pub(super) fn renew_offer(&mut self) {
        let chosen = self.screen.offering.as_ref().and_then(|known| known.offers.list.get(known.chosen).cloned());
        self.offer(true);
        if let (Some(chosen), Some(offering)) = (chosen, &mut self.screen.offering) {
            offering.chosen = offering.offers.list.iter().position(|offer| offer.text == chosen.text).unwrap_or(0);
        }
    }
}

/// The name a text ends with.
fn last_word(text: &str) -> &str {
    let start = text.rfind(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '@' | '.'))).map_or(0, |at| at + 1);
    text.get(start..).unwrap_or_default()
}
