//! The mouse: a click puts the cursor there, dragging selects, the wheel scrolls.

use crate::state::{App, Pane};
use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};

/// Lines a turn of the wheel scrolls.
const TURN: isize = 3;

/// Where the source pane was drawn.
#[derive(Debug, Clone, Default)]
pub(crate) struct Drawn {
    /// First column and row of the pane, and one past the last.
    pub(crate) from: (u16, u16),
    pub(crate) to: (u16, u16),
    /// The column the text begins in.
    pub(crate) text: u16,
    /// Columns of text scrolled out to the left.
    pub(crate) scroll: usize,
    /// The line of each row.
    pub(crate) rows: Vec<usize>,
}

impl App {
    pub(crate) fn mouse(&mut self, event: MouseEvent) {
        let by = match event.kind {
            MouseEventKind::ScrollUp => -TURN,
            MouseEventKind::ScrollDown => TURN,
            _ => 0,
        };
        if self.overlay.is_some() {
            return;
        }
        let place = self.place_under(event.column, event.row);
        match event.kind {
            MouseEventKind::ScrollUp | MouseEventKind::ScrollDown if place.is_some() => self.editor.move_lines(by),
            MouseEventKind::ScrollUp | MouseEventKind::ScrollDown => {}
            MouseEventKind::Down(MouseButton::Left) => {
                let Some((line, column)) = place else { return };
                self.focus = Pane::Source;
                self.completion = None;
                self.editor.select(false);
                self.editor.go_to(line, column);
            }
            MouseEventKind::Drag(MouseButton::Left) => {
                let Some((line, column)) = place else { return };
                self.editor.select(true);
                self.editor.go_to(line, column);
            }
            _ => {}
        }
    }

    /// The line and column of the text that a cell of the screen shows.
    fn place_under(&self, column: u16, row: u16) -> Option<(usize, usize)> {
        let drawn = &self.drawn;
        let inside = (drawn.from.0..drawn.to.0).contains(&column) && (drawn.from.1..drawn.to.1).contains(&row);
        let line = *drawn.rows.get(usize::from(row.checked_sub(drawn.from.1)?)).filter(|_| inside)?;
        let wanted = usize::from(column.saturating_sub(drawn.text)) + drawn.scroll;
        let text = self.editor.line(line);
        let mut at = 0;
        let column = text.chars().take_while(|&c| {
            let before = at;
            at += crate::view::char_width(c, before);
            at <= wanted
        });
        Some((line, column.count()))
    }
}
