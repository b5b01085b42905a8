//! What lies over the bench: palette, help, prompts, the question before leaving.

use super::pen::{Pen, width, wrap};
use crate::help;
use crate::keys::{palette, shown};
use crate::state::{App, Ask, Overlay};
use crate::theme::Ink;
use ratatui::layout::Rect;

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect) {
    match &app.overlay {
        None => {}
        Some(Overlay::Palette { query, chosen }) => draw_palette(pen, area, query, *chosen),
        Some(Overlay::Help { scroll }) => draw_help(app, pen, area, *scroll),
        Some(Overlay::Prompt { ask, text }) => draw_prompt(pen, area, *ask, text),
        Some(Overlay::Leaving) => draw_leaving(app, pen, area),
    }
}

/// A sheet over the bench, its ground and its head; returns the area within.
fn sheet(pen: &mut Pen<'_>, area: Rect, wide: u16, high: u16, name: &str, note: &str) -> Rect {
    let wide = wide.min(area.width.saturating_sub(4));
    let high = high.min(area.height.saturating_sub(3));
    // Sheets rise from the keys line, so that the source and the state above stay in view.
    let x = area.x + 2;
    let y = area.bottom() - 1 - high;
    let whole = Rect { x, y, width: wide, height: high };
    pen.clear(whole);
    pen.band(whole);
    let inner = Rect { x: x + 1, width: wide - 2, ..whole };
    pen.head(inner, name, note, true);
    Rect { x: inner.x + 1, y: y + 1, width: inner.width.saturating_sub(2), height: high.saturating_sub(1) }
}

fn draw_palette(pen: &mut Pen<'_>, area: Rect, query: &str, chosen: usize) {
    let found = palette(query);
    let inner = sheet(pen, area, 96, 16, "palette", &format!("{} commands", found.len()));
    let at = pen.text(inner.x, inner.y, inner.width, query, Ink::Text);
    pen.caret(at, inner.y);
    if query.is_empty() {
        pen.text(at + 2, inner.y, inner.width.saturating_sub(2), "any words of a command", Ink::Faint);
    }
    let rows = usize::from(inner.height.saturating_sub(2));
    let from = chosen.saturating_sub(rows.saturating_sub(1));
    for (y, (index, binding)) in (inner.y + 2..inner.bottom()).zip(found.iter().enumerate().skip(from)) {
        let is_chosen = index == chosen;
        let sign = if is_chosen { "▸ " } else { "  " };
        let ink = if is_chosen { Ink::Time } else { Ink::Text };
        let keys = binding.keys.iter().map(|key| shown(key)).collect::<Vec<_>>().join(" ");
        let room = inner.width.saturating_sub(width(&keys) + 2);
        pen.pieces(inner.x, y, room, &[(sign, Ink::Time), (binding.name, ink)]);
        pen.right(inner, y, &keys, Ink::Place);
    }
    if found.is_empty() {
        pen.text(inner.x, inner.y + 2, inner.width, "no command has these words", Ink::Quiet);
    }
}

fn draw_prompt(pen: &mut Pen<'_>, area: Rect, ask: Ask, text: &str) {
    let (name, hint) = match ask {
        Ask::MemoryAt => ("memory at", "a label, an address (0x0300), or a register to follow; empty for the data"),
        Ask::Value => ("set", "r1 = 5    total = 0x30    byte total = 7"),
        Ask::Step => ("to step", "the number of a step, such as 120"),
        Ask::Line => ("to line", "the number of a line"),
        Ask::BreakpointAt => ("breakpoint at", "a label or an address (0x0210); once more clears it"),
        Ask::Search => ("search", "any text; nothing for the same once more, as n does"),
        Ask::Name { .. } => ("save as", "the name of the file"),
    };
    let inner = sheet(pen, area, 96, 4, name, "");
    let over = width(text).saturating_sub(inner.width.saturating_sub(1));
    let visible: String = text.chars().skip(over.into()).collect();
    let at = pen.text(inner.x, inner.y, inner.width, &visible, Ink::Text);
    pen.caret(at, inner.y);
    pen.text(inner.x, inner.y + 1, inner.width, hint, Ink::Quiet);
}

fn draw_leaving(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let inner = sheet(pen, area, 64, 6, "unsaved text", "");
    let name = app.path.as_deref().unwrap_or("the new text");
    pen.text(inner.x, inner.y, inner.width, &format!("{name} has changes that are not saved."), Ink::Text);
    let keys = [("s", "save and quit"), ("d", "drop the changes and quit"), ("Esc", "stay")];
    for (y, (key, what)) in (inner.y + 1..inner.bottom()).zip(keys) {
        pen.pieces(inner.x, y, inner.width, &[(&format!("{key:>4}  "), Ink::Time), (what, Ink::Text)]);
    }
}

fn draw_help(app: &App, pen: &mut Pen<'_>, area: Rect, scroll: usize) {
    let inner = sheet(pen, area, 82, area.height, "help", "↑ ↓ scroll, Esc leaves");
    let lines: Vec<(String, Ink)> = help::lines(app)
        .into_iter()
        .flat_map(|(text, ink)| wrap_indented(&text, inner.width).into_iter().map(move |line| (line, ink)))
        .collect();
    for (y, (text, ink)) in (inner.y..inner.bottom()).zip(lines.iter().skip(scroll)) {
        pen.text(inner.x, y, inner.width, text, *ink);
    }
}

fn wrap_indented(text: &str, room: u16) -> Vec<String> {
    if width(text) <= room { vec![text.to_owned()] } else { wrap(text, room) }
}
