//! Keys and actions of writing.

use crate::state::{App, Mode, Tone};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use wendax_source::{Diagnostic, Severity};

impl App {
    pub(super) fn write_key(&mut self, key: KeyEvent) {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        let editor = &mut self.editor;
        match key.code {
            KeyCode::Char('d') if control => editor.delete_line(),
            KeyCode::Char(c) if !control && !key.modifiers.contains(KeyModifiers::ALT) => {
                editor.insert(c.encode_utf8(&mut [0; 4]));
            }
            KeyCode::Enter => editor.new_line(),
            KeyCode::Tab => editor.tab(),
            KeyCode::Backspace => editor.backspace(),
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
        let problems = self.problem_count(Severity::Problem);
        if problems > 0 {
            let what = if problems == 1 { "1 problem".to_owned() } else { format!("{problems} problems") };
            self.message = Some((Tone::Trouble, format!("{what} to mend before the program can run; N goes there")));
        } else if self.is_current() {
            self.show_present_line();
        }
    }

    /// Goes to the next problem or warning behind the cursor, around the end of the text.
    pub(super) fn next_problem(&mut self) {
        let (line, column) = self.editor.cursor();
        let told = self.assembly.diagnostics.iter().zip(&self.places);
        let places: Vec<(usize, usize)> =
            told.filter(|(diagnostic, _)| diagnostic.severity != Severity::Hint).map(|(_, place)| *place).collect();
        match places.iter().find(|&&place| place > (line, column)).or(places.first()) {
            Some(&(line, column)) => self.editor.go_to(line, column),
            None => self.message = Some((Tone::Fine, "there is no problem".to_owned())),
        }
    }

    /// Applies the fix of the diagnostic on this line that is nearest to the cursor.
    pub(super) fn mend(&mut self) {
        if self.assembled != Some(self.editor.revision()) {
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
        let edits: Vec<_> = fix.edits.iter().map(|edit| (edit.span.range(), edit.text.clone())).collect();
        self.editor.apply(&edits);
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
                self.editor.go_to(at, column);
                return;
            }
        }
        self.message = Some((Tone::Trouble, format!("`{}` is nowhere in the text", self.searched)));
    }
}
