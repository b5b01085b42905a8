//! The mouse: a click puts the cursor or the focus there, dragging selects, the wheel scrolls what is under it.

use crate::app::App;
use crate::frame::keys_line;
use crate::message::Effect;
use crate::panes::{PaneId, source};
use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};

/// Lines a turn of the wheel scrolls.
const TURN: isize = 3;

impl App {
    /// Presses the key that the keys line shows at a column.
    fn press_shown(&mut self, column: u16, effects: &mut Vec<Effect>) {
        if let Some(key) = keys_line::key_at(self, column) {
            self.key(key, effects);
        }
    }

    pub(super) fn mouse(&mut self, event: MouseEvent, effects: &mut Vec<Effect>) {
        if event.row == self.screen.layout.keys.y && event.kind == MouseEventKind::Down(MouseButton::Left) {
            return self.press_shown(event.column, effects);
        }
        if self.screen.sheet.is_some() {
            let by = match event.kind {
                MouseEventKind::ScrollUp => -1,
                MouseEventKind::ScrollDown => 1,
                _ => return,
            };
            return self.move_by(by);
        }
        let Some((pane, area)) = self.screen.layout.pane_at(event.column, event.row) else { return };
        let at = (event.column, event.row);
        let place = if pane == PaneId::Source { source::place_under(self, area, at) } else { None };
        match event.kind {
            MouseEventKind::ScrollUp => self.move_in_pane(pane, -TURN),
            MouseEventKind::ScrollDown => self.move_in_pane(pane, TURN),
            MouseEventKind::Down(MouseButton::Left) => {
                self.focus_on(pane);
                if let Some(order) = pane.pane().click(self, area, at) {
                    return self.obey(order, effects);
                }
                let Some((line, column)) = place else { return };
                self.screen.offering = None;
                self.editor_mut().select(false);
                self.editor_mut().go_to(line, column);
            }
            MouseEventKind::Drag(MouseButton::Left) => {
                let Some((line, column)) = place else { return };
                self.editor_mut().select(true);
                self.editor_mut().go_to(line, column);
            }
            _ => {}
        }
    }
}
