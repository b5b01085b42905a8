//! Ribbon, console and the keys line.

use super::header::grouped;
use super::pen::{Pen, width};
use crate::keys::{BINDINGS, Context, shown};
use crate::state::{App, Mode, Overlay, Pane, Tone};
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_machine::StepNo;
use wendax_session::{MarkKind, Piece, Session, State};

/// The run as a strip: the height is how deep calls went, the signs are what happened.
pub(super) fn ribbon(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let Some(session) = &app.session else {
        pen.head(area, "ribbon", "", false);
        return;
    };
    let (now, end) = (session.now(), session.end());
    let note = if session.marks().is_empty() {
        String::new()
    } else {
        "◆ stop  ▾ typed  ✎ edited  ✕ fault".to_owned()
    };
    pen.head(area, "ribbon", &note, false);
    let strip = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
    let columns = session.ribbon().columns(end, strip.width.into());
    let deepest = columns.iter().copied().max().unwrap_or(0).max(1);
    let column_of = |step: StepNo| {
        let at = step.0 * u64::from(strip.width.saturating_sub(1)) / end.0.max(1);
        strip.x + u16::try_from(at).unwrap_or(0).min(strip.width.saturating_sub(1))
    };
    let here = column_of(now);
    let bars = area.y + 1;
    if area.height >= 2 && end > StepNo::FIRST {
        for (x, depth) in (strip.x..strip.right()).zip(columns) {
            const BARS: [&str; 8] = ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
            let bar = BARS[usize::try_from(depth * 7 / deepest).unwrap_or(7).min(7)];
            let ink = if x <= here { Ink::Time } else { Ink::Faint };
            pen.text(x, bars, 1, bar, ink);
        }
        pen.text(here, bars, 1, "┃", Ink::Text);
    } else if area.height >= 2 {
        pen.text(strip.x, bars, strip.width, "the run will be drawn here; left and right move through it", Ink::Faint);
    }
    if area.height < 2 || end == StepNo::FIRST {
        return;
    }
    let marks = if area.height >= 3 { bars + 1 } else { bars };
    if marks > bars {
        let text = grouped(now.0);
        let at = here.min(strip.right().saturating_sub(width(&text) + 1));
        pen.text(at, marks, width(&text), &text, Ink::Quiet);
    }
    for mark in session.marks() {
        let (sign, ink) = match mark.kind {
            MarkKind::Stop => ("◆", Ink::Trouble),
            MarkKind::Input => ("▾", Ink::Fresh),
            MarkKind::Edit => ("✎", Ink::Fresh),
            MarkKind::Fault => ("✕", Ink::Trouble),
        };
        // On a low strip marks lie on the bars, and the present step stays seen.
        if marks > bars || column_of(mark.step) != here {
            pen.text(column_of(mark.step), marks, 1, sign, ink);
        }
    }
}

/// A line of the console: pieces of text with their ink.
type ConsoleLine = Vec<(String, Ink)>;

/// The last `most` lines of the console.
fn console_lines(session: &Session, room: usize, most: usize) -> Vec<ConsoleLine> {
    let mut lines: Vec<ConsoleLine> = vec![Vec::new()];
    // No sign takes more than four bytes.
    for piece in session.console_end(most * room.max(1) * 4) {
        let (bytes, ink) = match &piece {
            Piece::Printed(bytes) => (bytes, Ink::Text),
            Piece::Typed(bytes) => (bytes, Ink::Fresh),
        };
        for (index, part) in String::from_utf8_lossy(bytes).split('\n').enumerate() {
            if index > 0 {
                lines.push(Vec::new());
            }
            for chunk in chunks(part, room, &lines) {
                if chunk.0 {
                    lines.push(Vec::new());
                }
                if let Some(line) = lines.last_mut() {
                    line.push((chunk.1, ink));
                }
            }
        }
    }
    let from = lines.len().saturating_sub(most);
    lines.split_off(from)
}

/// A text without line ends, cut where the line is full; true before what begins a new line.
fn chunks(text: &str, room: usize, lines: &[ConsoleLine]) -> Vec<(bool, String)> {
    let used: usize = lines.last().map_or(0, |line| line.iter().map(|(text, _)| usize::from(width(text))).sum());
    let mut chunks = Vec::new();
    let mut chunk = String::new();
    let mut at = used;
    let mut begins = false;
    for c in text.chars() {
        let wide = usize::from(width(c.encode_utf8(&mut [0; 4]))).max(1);
        if at + wide > room && at > 0 {
            chunks.push((begins, std::mem::take(&mut chunk)));
            (begins, at) = (true, 0);
        }
        chunk.push(c);
        at += wide;
    }
    chunks.push((begins, chunk));
    chunks
}

pub(super) fn console(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let waiting = app.state() == Some(&State::Waiting);
    let focused = app.takes_input() && app.overlay.is_none();
    let note = match (waiting, focused) {
        (true, true) => "Enter sends · Ctrl-D ends the input · Esc leaves",
        (true, false) => "the program waits for input; Tab comes here",
        (false, true) => "what is typed now is read when the program asks",
        (false, false) => "",
    };
    pen.head(area, "console", note, app.focus == Pane::Console);
    let Some(session) = &app.session else { return };
    let rows = usize::from(area.height.saturating_sub(1));
    let mut lines = console_lines(session, usize::from(area.width.saturating_sub(2)), rows);
    let input = waiting || focused;
    if input && lines.last().is_some_and(|last| !last.is_empty()) && !waiting {
        lines.push(Vec::new());
    }
    if lines.len() > rows {
        lines.remove(0);
    }
    let mut end = (area.x + 1, area.y + 1);
    for (y, line) in (area.y + 1..area.bottom()).zip(&lines) {
        let x = line
            .iter()
            .fold(area.x + 1, |x, (text, ink)| pen.text(x, y, area.right().saturating_sub(x + 1), text, *ink));
        end = (x, y);
    }
    if input && rows > 0 {
        let (x, y) = end;
        let x = if waiting || x > area.x + 1 { x } else { pen.text(x, y, 2, "▸ ", Ink::Fresh) };
        let room = area.right().saturating_sub(x + 2);
        // The end of a long line stays in view.
        let over = width(&app.input).saturating_sub(room);
        let visible: String = app.input.chars().skip(over.into()).collect();
        let x = pen.text(x, y, room, &visible, Ink::Fresh);
        if focused {
            pen.caret(x, y);
        }
    }
}

/// The keys that work here, now; a message takes their place.
pub(super) fn keys(app: &App, pen: &mut Pen<'_>, area: Rect) {
    pen.band(area);
    let room = area.width.saturating_sub(2);
    if let Some((tone, text)) = &app.message {
        let ink = if *tone == Tone::Fine { Ink::Agreement } else { Ink::Trouble };
        pen.text(area.x + 1, area.y, room, text, ink);
        return;
    }
    let mut at = area.x + 1;
    for (key, what) in key_list(app) {
        let needed = width(&key) + 1 + width(what) + 3;
        if at + needed > area.right() {
            break;
        }
        at = pen.bold(at, area.y, width(&key), &key, Ink::Time);
        at = pen.text(at + 1, area.y, width(what), what, Ink::Quiet) + 3;
    }
}

fn key_list(app: &App) -> Vec<(String, &'static str)> {
    let own = |list: &[(&str, &'static str)]| list.iter().map(|&(key, what)| (key.to_owned(), what)).collect();
    match &app.overlay {
        Some(Overlay::Palette { .. }) => return own(&[("↑ ↓", "choose"), ("Enter", "do it"), ("Esc", "leave")]),
        Some(Overlay::Files { .. }) => return own(&[("↑ ↓", "choose"), ("Enter", "look at it"), ("Esc", "leave")]),
        Some(Overlay::Guide { .. }) => {
            return own(&[
                ("↑ ↓", "choose"),
                ("PageDown", "scroll"),
                ("Enter", "put the example into the text"),
                ("Ctrl-U", "empty it"),
                ("Esc", "leave"),
            ]);
        }
        Some(Overlay::Conflict { .. }) => return own(&[("k", "keep yours"), ("t", "take what is on disk")]),
        Some(Overlay::Prompt { .. }) => return own(&[("Enter", "take it"), ("Ctrl-U", "empty it"), ("Esc", "leave")]),
        Some(Overlay::Leaving) => {
            return own(&[("s", "save and quit"), ("d", "drop the changes and quit"), ("Esc", "stay")]);
        }
        None => {}
    }
    if app.completion.is_some() {
        return own(&[("Tab", "take it"), ("↑ ↓", "choose"), ("Esc", "no, thanks")]);
    }
    if app.is_stale && app.mode == Mode::Walk && app.is_assembled() {
        return own(&[
            ("r", "replay the present text to here"),
            ("R", "restart it"),
            ("→", "step in the older one"),
            ("←", "back"),
            ("e", "write"),
        ]);
    }
    if app.takes_input() {
        return own(&[
            ("Enter", "send"),
            ("Ctrl-D", "end the input"),
            ("Esc", "to the source"),
            ("Tab", "next pane"),
            ("→", "step"),
            ("←", "back"),
        ]);
    }
    if app.session.as_ref().is_some_and(Session::is_running) {
        return own(&[("Space", "pause"), ("q", "quit")]);
    }
    let context = if app.mode == Mode::Write { Context::Write } else { Context::Walk };
    BINDINGS
        .iter()
        .filter(|binding| !binding.short.is_empty() && (binding.context == context || binding.context == Context::Both))
        .filter_map(|binding| {
            let key = binding.keys.iter().find(|key| context == Context::Walk || key.chars().count() > 1)?;
            Some((shown(key), binding.short))
        })
        .collect()
}
