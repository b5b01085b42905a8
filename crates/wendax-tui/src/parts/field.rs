//! A line of text that is typed into.
//!
//! It is an editor that never gets a second line, so that every key of editing works in it as it does in the source.

use super::pen::Pen;
use crate::cells;
use crate::theme::Ink;
use crate::world::editor::Editor;
use ratatui::layout::Rect;

#[derive(Debug, Clone)]
pub(crate) struct Field(Editor);

impl Default for Field {
    fn default() -> Self {
        Self::new("")
    }
}

impl Field {
    /// With a text, the cursor behind it.
    pub(crate) fn new(text: &str) -> Self {
        let mut editor = Editor::new(text);
        editor.go_to(0, usize::MAX);
        Self(editor)
    }

    /// With a text that is only proposed: what is typed takes its place, and keys that move in it keep it.
    pub(crate) fn proposed(text: &str) -> Self {
        let mut field = Self::new(text);
        field.0.select_all();
        field
    }

    pub(crate) fn text(&self) -> String {
        self.0.text()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Types a text; what is no sign of a line is left out.
    pub(crate) fn insert(&mut self, text: &str) {
        let signs: String = text.chars().filter(|c| !c.is_control()).collect();
        if !signs.is_empty() {
            self.0.insert(&signs);
        }
    }

    /// Takes everything out of it and returns it.
    pub(crate) fn take(&mut self) -> String {
        std::mem::take(self).text()
    }

    /// For the keys of editing: none of them gives it a second line.
    pub(crate) fn editor(&mut self) -> &mut Editor {
        &mut self.0
    }

    /// Draws it with its caret, scrolled so that the caret is in view; returns the column behind it.
    pub(crate) fn draw(&self, pen: &mut Pen<'_>, area: Rect, ink: Ink, has_caret: bool) -> u16 {
        let text = self.0.text();
        let place = self.0.cursor().1;
        let at = cells::column_of(&text, place);
        let room = usize::from(area.width.saturating_sub(1));
        let scrolled = at.saturating_sub(room);
        let end = pen.text(area.x, area.y, area.width, &cells::without_first(&text, scrolled), ink);
        let cell = |column: usize| {
            area.x.saturating_add(u16::try_from(column.saturating_sub(scrolled)).unwrap_or(u16::MAX)).min(area.right())
        };
        if let Some((from, to)) = self.0.selection() {
            let (from, to) = (cell(cells::column_of(&text, from.1)), cell(cells::column_of(&text, to.1)));
            pen.chosen(Rect { x: from, width: to.saturating_sub(from), height: 1, ..area });
        }
        if has_caret && area.width > 0 {
            pen.caret(cell(at).min(area.right().saturating_sub(1)), area.y);
        }
        end
    }
}
