//! What lies over the bench: palette, help, prompts, the question before leaving.

use super::pen::{Pen, width, wrap};
use crate::keys::{BINDINGS, Context, shown};
use crate::state::{App, Ask, Overlay};
use crate::theme::Ink;
use crate::update::palette;
use ratatui::layout::Rect;
use wendax_asm::{DIRECTIVES, Lexeme, lexemes, mnemonics};
use wendax_isa::w16::{call_by_name, rows_named};

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

/// All lines of the help with their ink.
pub(crate) fn help_lines(app: &App) -> Vec<(String, Ink)> {
    let mut lines = Vec::new();
    lines.extend(about_cursor(app));
    for (title, context) in [("walking", Context::Walk), ("writing", Context::Write)] {
        lines.push((title.to_owned(), Ink::Place));
        for binding in BINDINGS.iter().filter(|binding| binding.context == context || binding.context == Context::Both)
        {
            let keys: Vec<String> = binding
                .keys
                .iter()
                .filter(|key| context == Context::Walk || key.chars().count() > 1)
                .map(|key| shown(key))
                .collect();
            if !keys.is_empty() {
                lines.push((format!("  {:<14} {}", keys.join(" "), binding.name), Ink::Text));
            }
        }
        lines.push((String::new(), Ink::Text));
    }
    lines.push(("Left and right are time, up and down are place.".to_owned(), Ink::Quiet));
    lines.push(("The language and the instruction set are described in docs/ of the project.".to_owned(), Ink::Quiet));
    lines
}

/// What the tables say of the instruction, directive and system call on the line of the cursor.
fn about_cursor(app: &App) -> Vec<(String, Ink)> {
    let line = app.editor.line(app.editor.cursor().0);
    let mut lines = Vec::new();
    for (range, lexeme) in lexemes(&line) {
        let word = line[range].to_ascii_lowercase();
        match lexeme {
            Lexeme::Mnemonic => lines.extend(about_instruction(&word)),
            Lexeme::Directive => {
                for info in DIRECTIVES.iter().filter(|info| info.name == word) {
                    lines.push((info.form.to_owned(), Ink::Time));
                    lines.push((format!("  {}", info.meaning), Ink::Text));
                }
            }
            Lexeme::Name => lines.extend(about_call(&word)),
            _ => {}
        }
    }
    if !lines.is_empty() {
        lines.push((String::new(), Ink::Text));
    }
    lines
}

fn about_instruction(word: &str) -> Vec<(String, Ink)> {
    let mut lines = Vec::new();
    let mut meaning = "";
    for row in rows_named(word) {
        if row.meaning != meaning {
            meaning = row.meaning;
            lines.push((format!("{word}: {meaning}"), Ink::Time));
            lines.push((format!("  flags: {}", row.flags.text()), Ink::Text));
        }
        let form = format!("{word} {}", row.form);
        lines.push((format!("  {form:<22} code {:<8} cycles {}", row.pattern, row.cycles), Ink::Text));
    }
    if lines.is_empty() {
        let meaning = mnemonics().find(|(name, _)| *name == word).map(|(_, meaning)| meaning);
        lines.extend(meaning.map(|meaning| (format!("{word} d: {meaning}"), Ink::Time)));
    }
    lines
}

fn about_call(word: &str) -> Vec<(String, Ink)> {
    let Some(call) = call_by_name(word) else { return Vec::new() };
    let mut lines = vec![(format!("{}, call {:02X}: {}", call.name, call.number, call.meaning), Ink::Time)];
    lines.extend(call.takes.iter().map(|(register, what)| (format!("  r{register}: {what}"), Ink::Text)));
    let gives = if call.gives.is_empty() { "nothing" } else { call.gives };
    lines.push((format!("  gives in r0: {gives}; C = 1 and an error code when it fails"), Ink::Text));
    lines
}

fn draw_help(app: &App, pen: &mut Pen<'_>, area: Rect, scroll: usize) {
    let inner = sheet(pen, area, 90, area.height, "help", "↑ ↓ scroll, Esc leaves");
    let lines: Vec<(String, Ink)> = help_lines(app)
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
