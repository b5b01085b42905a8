//! What lies over the bench: palette, guide, files, prompts, the question before leaving.

use super::pen::{Pen, width, wrap};
use crate::guide;
use crate::keys::{palette, shown};
use crate::state::{App, Ask, Overlay};
use crate::theme::Ink;
use ratatui::layout::Rect;

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect) {
    match &app.overlay {
        None => {}
        Some(Overlay::Palette { query, chosen }) => draw_palette(pen, area, query, *chosen),
        Some(Overlay::Files { chosen }) => draw_files(app, pen, area, *chosen),
        Some(Overlay::Guide { query, chosen, scroll }) => draw_guide(pen, area, query, *chosen, *scroll),
        Some(Overlay::Conflict { name, .. }) => draw_conflict(pen, area, name),
        Some(Overlay::Prompt { ask, text }) => draw_prompt(pen, area, *ask, text),
        Some(Overlay::Leaving) => draw_leaving(app, pen, area),
    }
}

/// A sheet over the bench, its ground and its head; returns the area within.
fn sheet(pen: &mut Pen<'_>, area: Rect, wide: u16, high: u16, name: &str, note: &str) -> Rect {
    let margin = if wide >= area.width { 0 } else { 2 };
    let wide = wide.min(area.width.saturating_sub(2 * margin));
    let high = high.min(area.height.saturating_sub(if margin == 0 { 2 } else { 3 }));
    // Sheets rise from the keys line, so that the source and the state above stay in view.
    let x = area.x + margin;
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
        Ask::Step => ("to step", "the number of a step, such as 120; +3 or -3 from here"),
        Ask::Line => ("to line", "the number of a line"),
        Ask::BreakpointAt => ("breakpoint at", "a label or an address (0x0210); once more clears it"),
        Ask::Search => ("search", "any text; nothing for the same once more, as n does"),
        Ask::Replace => ("replace by", "what comes in the place of every text found, or of those selected"),
        Ask::Rename => ("rename", "the name under the cursor gets this spelling wherever it stands, in all files"),
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
    let names: Vec<String> = app.unsaved().into_iter().map(|unsaved| unsaved.name).collect();
    let name = match names.as_slice() {
        [one] => one.clone(),
        several => format!("{} files", several.len()),
    };
    pen.text(inner.x, inner.y, inner.width, &format!("Not saved: {name}"), Ink::Text);
    let keys = [("s", "save and quit"), ("d", "drop the changes and quit"), ("Esc", "stay")];
    for (y, (key, what)) in (inner.y + 1..inner.bottom()).zip(keys) {
        pen.pieces(inner.x, y, inner.width, &[(&format!("{key:>4}  "), Ink::Time), (what, Ink::Text)]);
    }
}

fn draw_files(app: &App, pen: &mut Pen<'_>, area: Rect, chosen: usize) {
    let count = app.documents.len();
    let high = u16::try_from(count + 3).unwrap_or(u16::MAX).min(24);
    let inner = sheet(pen, area, 110, high, "files of the program", "Enter looks at one");
    let rows = usize::from(inner.height.saturating_sub(1));
    let from = chosen.saturating_sub(rows.saturating_sub(1));
    let widest = app.documents.iter().map(|document| width(&document.name)).max().unwrap_or(0).min(inner.width / 2);
    for (y, index) in (inner.y..inner.bottom()).zip((0..count).skip(from)) {
        let document = &app.documents[index];
        let is_chosen = index == chosen;
        let sign = if is_chosen { "▸ " } else { "  " };
        let ink = if is_chosen { Ink::Time } else { Ink::Text };
        pen.pieces(inner.x, y, widest + 2, &[(sign, Ink::Time), (&document.name, ink)]);
        let at = inner.x + widest + 4;
        let at = pen.text(at, y, 10, document.role.words(), Ink::Quiet).max(at + 10);
        let (problems, lines) = app.about_file(index);
        let lines = if lines == 1 { "1 line".to_owned() } else { format!("{lines} lines") };
        pen.text(at, y, 12, &lines, Ink::Quiet);
        let unsaved = app.editor_of(index).is_some_and(crate::Editor::is_changed);
        let mut state: Vec<(String, Ink)> = Vec::new();
        if problems > 0 {
            let text = if problems == 1 { "1 problem".to_owned() } else { format!("{problems} problems") };
            state.push((text, Ink::Trouble));
        }
        if unsaved {
            state.push(("unsaved".to_owned(), Ink::Fresh));
        }
        if index == app.current {
            state.push(("shown".to_owned(), Ink::Quiet));
        }
        let texts: Vec<&str> = state.iter().map(|(text, _)| text.as_str()).collect();
        let ink = state.first().map_or(Ink::Quiet, |(_, ink)| *ink);
        pen.right(inner, y, &texts.join(" · "), ink);
    }
    let path = app.documents.get(chosen).and_then(|document| document.path.as_deref()).unwrap_or("never saved");
    pen.text(inner.x, inner.bottom().saturating_sub(1), inner.width, path, Ink::Faint);
}

fn draw_conflict(pen: &mut Pen<'_>, area: Rect, name: &str) {
    let inner = sheet(pen, area, 78, 6, "changed twice", "");
    let text = format!("{name} was changed here and on disk, at the same lines.");
    pen.text(inner.x, inner.y, inner.width, &text, Ink::Text);
    let keys = [
        ("k", "keep yours; saving puts it in the place of the other"),
        ("t", "take what is on disk; Ctrl-Z brings yours back"),
    ];
    for (y, (key, what)) in (inner.y + 1..inner.bottom()).zip(keys) {
        pen.pieces(inner.x, y, inner.width, &[(&format!("{key:>4}  "), Ink::Time), (what, Ink::Text)]);
    }
}

fn count_of(entries: usize) -> String {
    if entries == 1 { "1 entry".to_owned() } else { format!("{entries} entries") }
}

fn draw_guide(pen: &mut Pen<'_>, area: Rect, query: &str, chosen: usize, scroll: usize) {
    let found = guide::found(query);
    let inner = sheet(pen, area, area.width, area.height, "guide", &count_of(found.len()));
    let at = pen.text(inner.x, inner.y, inner.width, query, Ink::Text);
    pen.caret(at, inner.y);
    if query.is_empty() {
        pen.text(at + 2, inner.y, inner.width.saturating_sub(2), "a word, or what it should do", Ink::Faint);
    }
    let body = Rect { y: inner.y + 2, height: inner.height.saturating_sub(2), ..inner };
    let list = Rect { width: if body.width >= 90 { 30 } else { 16.min(body.width / 3) }, ..body };
    let rows = usize::from(list.height);
    let from = chosen.saturating_sub(rows.saturating_sub(1).min(rows * 2 / 3));
    for (y, (index, topic)) in (list.y..list.bottom()).zip(found.iter().enumerate().skip(from)) {
        let is_chosen = index == chosen;
        let sign = if is_chosen { "▸ " } else { "  " };
        let ink = if is_chosen { Ink::Time } else { Ink::Place };
        let end = pen.pieces(list.x, y, list.width, &[(sign, Ink::Time), (&topic.word, ink)]);
        let meaning = topic.title.split_once(": ").map_or("", |(_, meaning)| meaning);
        pen.text(end + 1, y, list.right().saturating_sub(end + 1), meaning, Ink::Faint);
    }
    let Some(topic) = found.get(chosen) else {
        pen.text(body.x, body.y, body.width, "the guide has nothing with these words", Ink::Quiet);
        return;
    };
    let page = Rect { x: list.right() + 2, width: body.width.saturating_sub(list.width + 2), ..body };
    let mut lines: Vec<(String, Ink)> = Vec::new();
    for entry in guide::entries(topic) {
        lines.extend(wrap(&entry.title, page.width).into_iter().map(|line| (line, Ink::Time)));
        // An example that the lines end with is shown once, with what can be done with it.
        let example: Vec<&str> = entry.example.as_deref().unwrap_or_default().lines().map(str::trim).collect();
        let ends = entry.lines.len().checked_sub(example.len()).filter(|&at| {
            !example.is_empty() && entry.lines[at..].iter().map(|line| line.trim()).eq(example.iter().copied())
        });
        for line in &entry.lines[..ends.unwrap_or(entry.lines.len())] {
            lines.extend(wrap_indented(line, page.width).into_iter().map(|line| (line, Ink::Text)));
        }
        if let Some(example) = &entry.example {
            lines.push(("Enter puts this into the text:".to_owned(), Ink::Quiet));
            lines.extend(example.lines().map(|line| (line.to_owned(), Ink::Agreement)));
        }
        lines.push((String::new(), Ink::Text));
    }
    let scroll = scroll.min(lines.len().saturating_sub(usize::from(page.height)));
    for (y, (text, ink)) in (page.y..page.bottom()).zip(lines.iter().skip(scroll)) {
        pen.text(page.x, y, page.width, text, *ink);
    }
}

fn wrap_indented(text: &str, room: u16) -> Vec<String> {
    if width(text) <= room {
        return vec![text.to_owned()];
    }
    let indent: String = text.chars().take_while(|c| *c == ' ').collect();
    let wrapped = wrap(text.trim_start(), room.saturating_sub(width(&indent)));
    wrapped.into_iter().map(|line| format!("{indent}{line}")).collect()
}
