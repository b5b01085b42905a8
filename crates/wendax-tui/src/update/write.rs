//! Keys and actions of writing.

use crate::state::{App, Mode, Tone};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use wendax_source::{Diagnostic, FileId, Severity};

/// What is said when text and walk are no longer of one program.
const STALE: &str = "the walk is through the text as it was: r replays the present one to this place, R restarts";

impl App {
    pub(super) fn write_key(&mut self, key: KeyEvent) {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        let shift = key.modifiers.contains(KeyModifiers::SHIFT);
        let editor = &mut self.editor;
        let moves = matches!(
            key.code,
            KeyCode::Left | KeyCode::Right | KeyCode::Up | KeyCode::Down | KeyCode::Home | KeyCode::End
        );
        if moves {
            editor.select(shift);
            self.completion = None;
        }
        match key.code {
            KeyCode::Char('d') if control => editor.delete_line(),
            KeyCode::Char(c) if !control && !key.modifiers.contains(KeyModifiers::ALT) => {
                editor.insert(c.encode_utf8(&mut [0; 4]));
                self.offer(false);
            }
            KeyCode::Enter => {
                self.completion = None;
                editor.new_line();
            }
            KeyCode::Tab => editor.tab(),
            KeyCode::Backspace => {
                editor.backspace();
                let offered = self.completion.is_some();
                self.completion = None;
                if offered {
                    self.offer(false);
                }
            }
            KeyCode::Delete => editor.delete(),
            KeyCode::Left if control => editor.move_word(false),
            KeyCode::Right if control => editor.move_word(true),
            KeyCode::Left => editor.move_chars(-1),
            KeyCode::Right => editor.move_chars(1),
            KeyCode::Up => editor.move_lines(-1),
            KeyCode::Down => editor.move_lines(1),
            KeyCode::Home => editor.move_home(),
            KeyCode::End => editor.move_end(),
            _ => {}
        }
    }

    /// Back to the walk; with a problem in the text the walk waits for it to be mended.
    pub(super) fn leave_writing(&mut self) {
        self.mode = Mode::Walk;
        self.completion = None;
        self.editor.select(false);
        let problems = self.problem_count(Severity::Problem);
        if problems > 0 {
            let what = if problems == 1 { "1 problem".to_owned() } else { format!("{problems} problems") };
            self.message = Some((Tone::Trouble, format!("{what} to mend before the program can run; N goes there")));
        } else if self.is_stale {
            self.message = Some((Tone::Trouble, STALE.to_owned()));
        } else if self.is_current() {
            self.show_present_line();
        }
    }

    /// Goes to the next problem or warning behind the cursor, in this file, then in the others.
    pub(super) fn next_problem(&mut self) {
        let (line, column) = self.editor.cursor();
        let here = self.current_id().map(|file| (file, line, column));
        let told = self.assembly.diagnostics.iter().zip(&self.places);
        let places: Vec<(FileId, usize, usize)> =
            told.filter(|(diagnostic, _)| diagnostic.severity != Severity::Hint).map(|(_, place)| *place).collect();
        let next = places.iter().find(|&&place| here.is_some_and(|here| place > here)).or(places.first()).copied();
        let Some((file, line, column)) = next else {
            self.message = Some((Tone::Fine, "there is no problem".to_owned()));
            return;
        };
        if let Some(index) = self.index_of(file) {
            self.show_document(index);
            self.editor.select(false);
            self.editor.go_to(line, column);
        } else {
            let found = self.assembly.diagnostics.iter().zip(&self.places).find(|(_, (of, ..))| *of == file);
            let text = found.map_or(String::new(), |(diagnostic, _)| diagnostic.message.clone());
            self.message = Some((Tone::Trouble, text));
        }
    }

    /// Applies the fix of the diagnostic on this line that is nearest to the cursor.
    pub(super) fn mend(&mut self) {
        if !self.is_assembled() {
            return;
        }
        let (line, column) = self.editor.cursor();
        let found: Option<Diagnostic> = self
            .diagnostics_on(line)
            .filter(|(diagnostic, _)| diagnostic.fix.is_some())
            .min_by_key(|(_, at)| at.abs_diff(column))
            .map(|(diagnostic, _)| diagnostic.clone());
        let Some(fix) = found.and_then(|diagnostic| diagnostic.fix) else {
            self.message = Some((Tone::Trouble, "no fix is known for this line".to_owned()));
            return;
        };
        let mut files: Vec<FileId> = fix.edits.iter().map(|edit| edit.span.file).collect();
        files.sort_unstable();
        files.dedup();
        for file in files {
            let Some(index) = self.index_of(file) else { continue };
            let here = fix.edits.iter().filter(|edit| edit.span.file == file);
            let edits: Vec<_> = here.map(|edit| (edit.span.range(), edit.text.clone())).collect();
            self.editor_of_mut(index).apply(&edits);
        }
        self.message = Some((Tone::Fine, format!("done: {}", fix.title)));
    }

    /// Searches from behind the cursor, around the end of the text.
    pub(super) fn search_on(&mut self) {
        if self.searched.is_empty() {
            self.message = Some((Tone::Trouble, "nothing was searched for yet; / asks".to_owned()));
            return;
        }
        let wanted = self.searched.to_lowercase();
        let (line, column) = self.editor.cursor();
        let count = self.editor.line_count();
        for offset in 0..=count {
            let at = (line + offset) % count;
            let text = self.editor.line(at).to_lowercase();
            let skip = if offset == 0 { column + 1 } else { 0 };
            let from = text.char_indices().nth(skip).map_or(text.len(), |(byte, _)| byte);
            if let Some(found) = text.get(from..).and_then(|rest| rest.find(&wanted)) {
                let column = text[..from + found].chars().count();
                let end = column + wanted.chars().count();
                if self.mode == Mode::Write {
                    self.editor.select_range((at, end), (at, column));
                } else {
                    self.editor.go_to(at, column);
                }
                return;
            }
        }
        self.message = Some((Tone::Trouble, format!("`{}` is nowhere in the text", self.searched)));
    }
}
