//! Writing signs into cells, never outside of what it is given.

use crate::cells::{fitted, width};
use crate::theme::{Colours, Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::{Position, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::Span;
use wendax_source::shown_sign;

pub(crate) struct Pen<'a> {
    buffer: &'a mut Buffer,
    pub(crate) theme: Theme,
}

impl<'a> Pen<'a> {
    pub(crate) fn new(buffer: &'a mut Buffer, theme: Theme) -> Self {
        Self { buffer, theme }
    }

    /// For widgets that draw themselves.
    pub(crate) fn buffer(&mut self) -> &mut Buffer {
        self.buffer
    }

    /// A piece of text with the style of an ink.
    pub(crate) fn span(&self, text: impl Into<String>, ink: Ink) -> Span<'static> {
        // What would upset the terminal is shown by a sign for it.
        let text: String = text.into().chars().map(shown_sign).collect();
        Span::styled(text, self.theme.ink(ink))
    }

    /// With sixteen colours the band is made by reversing, which would turn each coloured sign in it into a coloured
    /// block: there signs have no colour.
    pub(crate) fn calm(&mut self, area: Rect) {
        if self.theme.colours != Colours::Sixteen {
            return;
        }
        for place in area.intersection(self.buffer.area).positions() {
            if let Some(cell) = self.buffer.cell_mut(place).filter(|cell| cell.modifier.contains(Modifier::REVERSED)) {
                cell.set_fg(Color::Reset);
            }
        }
    }

    /// Makes an area plain ground.
    pub(crate) fn clear(&mut self, area: Rect) {
        let style = self.theme.ground();
        let area = area.intersection(self.buffer.area);
        for y in area.top()..area.bottom() {
            for x in area.left()..area.right() {
                let cell = &mut self.buffer[(x, y)];
                cell.reset();
                cell.set_style(style);
            }
        }
    }

    /// Gives an area the ground of what is chosen.
    pub(crate) fn band(&mut self, area: Rect) {
        let style = self.theme.band();
        self.buffer.set_style(area.intersection(self.buffer.area), style);
    }

    /// Gives an area the ground of what lies over the rest; without colours for that, an edge on both sides.
    pub(crate) fn raise(&mut self, area: Rect) {
        if self.theme.has_grounds() {
            return self.band(area);
        }
        for y in area.top()..area.bottom() {
            self.text(area.x, y, 1, "│", Ink::Rule);
            self.text(area.right().saturating_sub(1), y, 1, "│", Ink::Rule);
        }
    }

    /// Marks cells as selected.
    pub(crate) fn chosen(&mut self, area: Rect) {
        for place in area.intersection(self.buffer.area).positions() {
            self.stand_out(place);
        }
    }

    /// Marks cells as found: underlined, so that caret and selection are still seen in them.
    pub(crate) fn mark(&mut self, area: Rect) {
        let style = self.theme.ink(Ink::Time).underlined();
        self.buffer.set_style(area.intersection(self.buffer.area), style);
    }

    /// Reverses a cell; where the band is reversed, as with few colours, it stands out by being none of it.
    fn stand_out(&mut self, place: Position) {
        if let Some(cell) = self.buffer.cell_mut(place) {
            let is_in_band = cell.modifier.contains(Modifier::REVERSED);
            cell.set_style(if is_in_band { Style::new().not_reversed().underlined() } else { Style::new().reversed() });
        }
    }

    /// Writes at most `room` columns; returns the column behind what was written.
    pub(crate) fn text(&mut self, x: u16, y: u16, room: u16, text: &str, ink: Ink) -> u16 {
        self.styled(x, y, room, text, self.theme.ink(ink))
    }

    /// The same; what is cut ends with a sign that says so.
    pub(crate) fn fitted(&mut self, x: u16, y: u16, room: u16, text: &str, ink: Ink) -> u16 {
        self.text(x, y, room, &fitted(text, room), ink)
    }

    /// The same in bold.
    pub(crate) fn bold(&mut self, x: u16, y: u16, room: u16, text: &str, ink: Ink) -> u16 {
        self.styled(x, y, room, text, self.theme.ink(ink).add_modifier(Modifier::BOLD))
    }

    pub(crate) fn styled(&mut self, x: u16, y: u16, room: u16, text: &str, style: Style) -> u16 {
        if !self.buffer.area.contains(Position { x, y }) {
            return x;
        }
        // What would upset the terminal is shown by a sign for it.
        let clean: String = text.chars().map(shown_sign).collect();
        let (end, _) = self.buffer.set_stringn(x, y, clean, room.into(), style);
        end
    }

    /// Writes pieces one behind the other.
    pub(crate) fn pieces(&mut self, x: u16, y: u16, room: u16, pieces: &[(&str, Ink)]) -> u16 {
        let end = x + room;
        pieces.iter().fold(x, |at, (text, ink)| self.text(at, y, end.saturating_sub(at), text, *ink))
    }

    /// Writes so that the text ends at the right border of the area.
    pub(crate) fn right(&mut self, area: Rect, y: u16, text: &str, ink: Ink) {
        let wide = width(text).min(area.width);
        self.text(area.right() - wide, y, wide, text, ink);
    }

    /// The head of a section: a thin rule with its name, and a few words at its end.
    pub(crate) fn head(&mut self, area: Rect, name: &str, note: &str, focused: bool) {
        if area.height == 0 {
            return;
        }
        let rule = "─".repeat(area.width.into());
        self.text(area.x, area.y, area.width, &rule, Ink::Rule);
        let sign = if focused { "▸" } else { " " };
        let ink = if focused { Ink::Place } else { Ink::Quiet };
        let end = self.text(area.x + 1, area.y, area.width.saturating_sub(1), &format!("{sign}{name} "), ink);
        let room = area.right().saturating_sub(end + 2);
        if !note.is_empty() && width(note) + 2 <= room {
            let at = area.right() - width(note) - 2;
            self.text(at, area.y, width(note) + 1, &format!(" {note}"), Ink::Faint);
            self.text(area.right() - 1, area.y, 1, " ", Ink::Faint);
        }
    }

    /// Turns a cell into the place where typing goes.
    pub(crate) fn caret(&mut self, x: u16, y: u16) {
        self.stand_out(Position { x, y });
    }
}
