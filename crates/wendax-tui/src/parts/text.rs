//! A sheet of text: paragraphs wrapped by a library, scrolled as far as there is more.

use super::list::scroll_mark;
use super::pen::Pen;
use crate::cells::{fitted, wrap_indented};
use crate::theme::Ink;
use ratatui::layout::Rect;

/// Lines as they fit a width.
pub(crate) fn wrapped(lines: &[(String, Ink)], width: u16) -> Vec<(String, Ink)> {
    let wrap = |(text, ink): &(String, Ink)| {
        // A drawing is cut, not broken.
        let is_drawn = text.contains(['│', '└']);
        let lines = if is_drawn { vec![fitted(text, width)] } else { wrap_indented(text, width) };
        let ink = *ink;
        lines.into_iter().map(move |line| (line, ink))
    };
    lines.iter().flat_map(wrap).collect()
}

/// Draws lines that were wrapped, from line `scroll` on or as far as there is more, with a mark that says where that is.
pub(crate) fn draw(pen: &mut Pen<'_>, area: Rect, lines: &[(String, Ink)], scroll: usize) {
    let from = scroll.min(lines.len().saturating_sub(usize::from(area.height)));
    for (y, (text, ink)) in (area.y..area.bottom()).zip(lines.iter().skip(from)) {
        pen.text(area.x, y, area.width, text, *ink);
    }
    scroll_mark(pen, Rect { width: area.width + 1, ..area }, lines.len(), from);
}
