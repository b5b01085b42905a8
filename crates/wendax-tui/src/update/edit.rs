//! Actions on the text: names, selections, lines, and the words offered.

use crate::actions::Action;
use crate::documents::Role;
use crate::state::{App, Ask, Effect, Tone};
use crossterm::event::{KeyCode, KeyEvent};
use wendax_asm::format;
use wendax_source::Span;

impl App {
    /// A key while words are offered; true when it was for them.
    pub(super) fn completion_key(&mut self, key: KeyEvent) -> bool {
        match key.code {
            KeyCode::Tab => self.take_offer(),
            KeyCode::Up => {
                self.choose_offer(-1);
                true
            }
            KeyCode::Down => {
                self.choose_offer(1);
                true
            }
            KeyCode::Esc => {
                self.completion = None;
                true
            }
            _ => false,
        }
    }

    /// The name under the cursor: its place and spelling.
    pub(super) fn name_under_cursor(&self) -> Option<(Span, String)> {
        let file = self.current_id()?;
        let (line, column) = self.editor.cursor();
        let byte = u32::try_from(self.editor.byte_at(line, column)).ok()?;
        let span = self.assembly.name_at(file, byte)?;
        Some((span, self.assembly.sources.text_of(span).to_owned()))
    }

    pub(super) fn about_name(&mut self, action: Action) {
        if !self.is_assembled() {
            return self.trouble("the text is still being assembled");
        }
        let Some((span, name)) = self.name_under_cursor() else {
            return self.trouble("there is no name of the program under the cursor");
        };
        match action {
            Action::Rename => self.prompt(Ask::Rename),
            Action::Definition => match self.assembly.definition(span) {
                Some(place) => self.show_span(place),
                None => self.trouble(&format!("`{name}` is defined in no file of the program")),
            },
            _ => {
                let all = self.assembly.occurrences(span);
                let at = all.iter().position(|found| found.span == span).map_or(0, |at| at + 1);
                let next = all.get(at).or(all.first()).map(|found| found.span);
                if let Some(place) = next {
                    self.show_span(place);
                    let number = all.iter().position(|found| found.span == place).unwrap_or(0) + 1;
                    self.message = Some((Tone::Fine, format!("`{name}`: {number} of {} places", all.len())));
                }
            }
        }
    }

    /// Looks at a place of the text that was assembled.
    pub(super) fn show_span(&mut self, span: Span) {
        let Some(index) = self.index_of(span.file) else {
            return self.trouble("that place is in a file that is not part of the program any more");
        };
        self.show_document(index);
        let (line, column) = self.editor.place_of_byte(span.start as usize);
        self.editor.select(false);
        self.editor.go_to(line, column);
    }

    /// Gives the name under the cursor another spelling wherever it stands.
    pub(super) fn rename(&mut self, to: &str) -> Result<(), String> {
        let (span, from) = self.name_under_cursor().ok_or("there is no name under the cursor")?;
        let to = if from.starts_with('@') && !to.starts_with('@') { format!("@{to}") } else { to.to_owned() };
        let places = self.assembly.rename(span, &to).map_err(|error| error.to_string())?;
        let mut files = Vec::new();
        for place in &places {
            let Some(index) = self.index_of(place.file) else { continue };
            if !files.contains(&index) {
                files.push(index);
            }
        }
        for index in &files {
            let id = self.file_id(*index);
            let edits: Vec<_> =
                places.iter().filter(|place| Some(place.file) == id).map(|place| (place.range(), to.clone())).collect();
            self.editor_of_mut(*index).apply(&edits);
        }
        let where_to = if files.len() == 1 { String::new() } else { format!(" in {} files", files.len()) };
        self.message = Some((Tone::Fine, format!("`{from}` is `{to}` now, at {} places{where_to}", places.len())));
        Ok(())
    }

    pub(super) fn copy(&mut self, cut: bool, effects: &mut Vec<Effect>) {
        if self.editor.selection().is_none() {
            let line = self.editor.cursor().0;
            self.editor.select_range((line, 0), (line + 1, 0));
            if self.editor.selection().is_none_or(|(from, to)| from.0 == to.0) {
                self.editor.select_range((line, 0), (line, usize::MAX));
            }
        }
        let Some(text) = self.editor.selected_text() else { return };
        self.clipboard.clone_from(&text);
        effects.push(Effect::Copy(text));
        if cut {
            self.editor.erase_selection();
        }
    }

    /// Lines become comments, or, when all of them are, no comments again.
    pub(super) fn toggle_comment(&mut self) {
        let (first, last) = self.editor.selected_lines();
        let sign = if self.document().role == Role::Manifest { '#' } else { ';' };
        let is_comment = |line: &str| line.trim_start().starts_with(sign);
        let all =
            (first..=last).map(|line| self.editor.line(line)).all(|line| line.trim().is_empty() || is_comment(&line));
        self.editor.change_lines(|line| match line.find(sign) {
            _ if line.trim().is_empty() => line.to_owned(),
            Some(at) if all => {
                let rest = &line[at + 1..];
                format!("{}{}", &line[..at], rest.strip_prefix(' ').unwrap_or(rest))
            }
            _ => format!("{sign} {line}"),
        });
    }

    /// Puts the text in columns.
    pub(super) fn put_in_columns(&mut self) {
        if self.document().role == Role::Manifest {
            return self.trouble("a manifest is no source: its columns are yours");
        }
        let before = self.editor.text();
        let after = format(&before);
        if after == before {
            self.message = Some((Tone::Fine, "the text is in columns".to_owned()));
            return;
        }
        // Line by line, so that what belongs to a line stays with it.
        let mut edits = Vec::new();
        let mut at = 0;
        for (old, new) in before.split_inclusive('\n').zip(after.split_inclusive('\n')) {
            if old != new {
                edits.push((at..at + old.trim_end_matches('\n').len(), new.trim_end_matches('\n').to_owned()));
            }
            at += old.len();
        }
        self.editor.apply(&edits);
    }

    /// Goes to the partner of the bracket under or right before the cursor.
    pub(super) fn go_to_bracket(&mut self) {
        match self.bracket_partner() {
            Some((line, column)) => self.editor.go_to(line, column),
            None => self.trouble("there is no bracket with a partner under the cursor"),
        }
    }

    /// Where the partner of the bracket at the cursor stands.
    pub(crate) fn bracket_partner(&self) -> Option<(usize, usize)> {
        let (line, column) = self.editor.cursor();
        let text: Vec<char> = self.editor.line(line).chars().collect();
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

    /// Replaces the text searched for at the cursor and goes to the next, or, for `everywhere`, all of it.
    pub(super) fn replace_found(&mut self, with: &str) {
        let wanted = self.searched.clone();
        with.clone_into(&mut self.replacement);
        let text = self.editor.text();
        let edits: Vec<(std::ops::Range<usize>, String)> =
            text.match_indices(&wanted).map(|(at, found)| (at..at + found.len(), with.to_owned())).collect();
        let range = self
            .editor
            .selection()
            .map(|(from, to)| self.editor.byte_at(from.0, from.1)..self.editor.byte_at(to.0, to.1));
        let inside = |edit: &std::ops::Range<usize>| {
            range.as_ref().is_none_or(|range| range.start <= edit.start && edit.end <= range.end)
        };
        let edits: Vec<_> = edits.into_iter().filter(|(edit, _)| inside(edit)).collect();
        if edits.is_empty() {
            return self.trouble(&format!("`{wanted}` is not there in these letters"));
        }
        let count = edits.len();
        self.editor.apply(&edits);
        let places = if count == 1 { "1 place".to_owned() } else { format!("{count} places") };
        self.message = Some((Tone::Fine, format!("replaced at {places}; Ctrl-Z takes it back")));
    }

    /// Shows what a line became, or no longer.
    pub(super) fn toggle_unfolded(&mut self) {
        let place = (self.document().name.clone(), self.editor.cursor().0);
        match self.unfolded.iter().position(|known| *known == place) {
            Some(at) => {
                self.unfolded.remove(at);
            }
            None => self.unfolded.push(place),
        }
    }
}
