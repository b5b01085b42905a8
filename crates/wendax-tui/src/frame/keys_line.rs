//! The last row: the keys that work here, now, from the table of keys; a message takes their place.

use crate::app::App;
use crate::cells::{width, wrap};
use crate::commands::bindings;
use crate::keys::{self, Context, shown};
use crate::parts::pen::Pen;
use crate::screen::{Mode, Tone};
use crate::theme::Ink;
use crossterm::event::KeyEvent;
use ratatui::layout::Rect;

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect) {
    pen.band(area);
    let room = area.width.saturating_sub(2);
    if let Some((tone, text)) = &app.screen.said {
        let ink = if *tone == Tone::Fine { Ink::Agreement } else { Ink::Trouble };
        // In full, over what lies above.
        let lines = wrap(text, room);
        for (up, line) in lines.iter().rev().enumerate() {
            let y = area.y.saturating_sub(u16::try_from(up).unwrap_or(u16::MAX));
            if up > 0 {
                let row = Rect { y, ..area };
                pen.clear(row);
                pen.band(row);
            }
            pen.text(area.x + 1, y, room, line, ink);
        }
        return;
    }
    for (x, key, what) in placed(app, area) {
        let at = pen.bold(x, area.y, width(&key), &key, Ink::Time);
        pen.text(at + 1, area.y, width(what), what, Ink::Quiet);
    }
}

/// The keys that have room, with their columns.
fn placed(app: &App, area: Rect) -> Vec<(u16, String, &'static str)> {
    let mut at = area.x + 1;
    let mut placed = Vec::new();
    for (key, what) in list(app) {
        let needed = width(&key) + 1 + width(what) + 3;
        if at + needed > area.right() {
            break;
        }
        placed.push((at, key, what));
        at += needed;
    }
    placed
}

/// The key that is shown at a column, when nothing is told there.
pub(crate) fn key_at(app: &App, column: u16) -> Option<KeyEvent> {
    if app.screen.said.is_some() {
        return None;
    }
    let placed = placed(app, app.screen.layout.keys);
    let holds = |(x, key, what): &&(u16, String, &str)| (*x..x + width(key) + 1 + width(what)).contains(&column);
    let (_, key, _) = placed.iter().find(holds)?;
    keys::event_of(key)
}

/// Keys with what they do in a word or two, those that matter most first.
fn list(app: &App) -> Vec<(String, &'static str)> {
    let own =
        |list: &[(&str, &'static str)]| list.iter().map(|&(key, what)| (key.to_owned(), what)).collect::<Vec<_>>();
    if let Some(sheet) = &app.screen.sheet {
        return own(sheet.keys());
    }
    let mut keys = if app.takes_input() && app.world.walk.is_running() {
        own(&[("Ctrl-C", "pause")])
    } else if app.world.walk.is_running() {
        return own(&[("Space", "pause"), ("q", "quit")]);
    } else if app.world.walk.is_stale && app.screen.mode == Mode::Walk && app.world.is_assembled() {
        own(&[("r", "replay the present text to here"), ("R", "restart it")])
    } else {
        Vec::new()
    };
    let contexts = app.contexts();
    for context in contexts {
        // While the program is typed to, the keys of the walk are those that are no text.
        let is_behind = context == Context::Walk && app.takes_input();
        for binding in bindings().filter(|binding| binding.is_of(context) && !binding.short.is_empty()) {
            let key = if is_behind {
                binding.keys.iter().copied().find(|key| key.chars().count() > 1)
            } else {
                binding.keys_in(context).next()
            };
            if let Some(key) = key.filter(|key| !keys.iter().any(|(known, _)| *known == shown(key))) {
                keys.push((shown(key), binding.short));
            }
        }
    }
    keys
}
