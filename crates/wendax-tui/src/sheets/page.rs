//! Pages that are read: what to try in a demo, the last messages, all keys. Headings, paragraphs, lists and tables of
//! Markdown, as far as such pages use them.

use super::sheet;
use crate::actions::Text;
use crate::app::App;
use crate::cells::{padded, width, wrap};
use crate::commands::told_in;
use crate::keys::Context;
use crate::parts::list::scroll_mark;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;

impl Text {
    /// Its name, and what is to be known of it.
    fn heads(self) -> (&'static str, &'static str) {
        match self {
            Self::Try => ("what to try", "Esc begins; : and \"try\" brings this back"),
            Self::Messages => ("the last messages", "the latest first"),
            Self::Keys => ("all keys", "by where they mean something"),
            Self::Settings => ("settings", "what is preferred"),
            Self::Guesses => ("guesses", "by kind of instruction"),
            Self::Exercise => ("exercise", "what was asked and answered"),
        }
    }

    fn words(self, app: &App) -> String {
        match self {
            Self::Try => app.screen.page.clone(),
            Self::Messages if app.screen.messages.is_empty() => "nothing was told yet".to_owned(),
            Self::Messages => {
                let told: Vec<String> = app.screen.messages.iter().rev().map(|(_, text)| format!("- {text}")).collect();
                told.join("\n")
            }
            Self::Keys => keys(),
            Self::Settings => app.screen.settings_page.clone(),
            Self::Guesses => app.world.guesses.page(),
            Self::Exercise => app.world.exercise_page(),
        }
    }
}

/// The table of keys, a part for each place where they mean something.
fn keys() -> String {
    let mut text = String::new();
    for context in Context::ALL {
        text.push_str(&format!("# {}\n", context.title()));
        for (keys, what) in told_in(context) {
            text.push_str(&format!("| `{:<18}` | {what} |\n", keys.join("  ")));
        }
        text.push('\n');
    }
    text
}

/// A line as it is drawn.
struct Line {
    text: String,
    is_heading: bool,
}

/// The page in lines of at most `room` cells: paragraphs are put together and broken anew.
fn lines(page: &str, room: u16) -> Vec<Line> {
    let mut lines: Vec<Line> = Vec::new();
    let mut paragraph = String::new();
    let flush = |paragraph: &mut String, lines: &mut Vec<Line>| {
        let (first, indent) =
            if let Some(rest) = paragraph.strip_prefix("- ") { ("· ", rest) } else { ("", &**paragraph) };
        let blanks = if first.is_empty() { "" } else { "  " };
        for (index, text) in
            wrap(indent, room.saturating_sub(2)).into_iter().enumerate().filter(|_| !paragraph.is_empty())
        {
            let lead = if index == 0 { first } else { blanks };
            lines.push(Line { text: format!("{lead}{text}"), is_heading: false });
        }
        paragraph.clear();
    };
    for line in page.lines() {
        let text = line.trim();
        let begins = text.is_empty() || text.starts_with("- ") || text.starts_with('#') || text.starts_with('|');
        if begins {
            flush(&mut paragraph, &mut lines);
        }
        if let Some(heading) = text.strip_prefix("# ") {
            lines.push(Line { text: heading.to_owned(), is_heading: true });
        } else if text.starts_with("|--") {
        } else if let Some(row) = text.strip_prefix('|') {
            let cells: Vec<&str> = row.trim_end_matches('|').split('|').map(str::trim).collect();
            let (last, first) = cells.split_last().unwrap_or((&"", &[]));
            let lead = first.iter().map(|cell| padded(cell, width(cell).max(11) + 1)).collect::<String>();
            // The last cell goes on below itself.
            let (at, blanks) = (width(&lead), " ".repeat(usize::from(width(&lead).saturating_sub(2))));
            for (index, text) in wrap(last, room.saturating_sub(at)).iter().enumerate() {
                let lead = if index == 0 { &lead } else { &blanks };
                lines.push(Line { text: format!("{lead}{text}"), is_heading: false });
            }
        } else if text.is_empty() {
            lines.push(Line { text: String::new(), is_heading: false });
        } else {
            if !paragraph.is_empty() {
                paragraph.push(' ');
            }
            paragraph.push_str(text);
        }
    }
    flush(&mut paragraph, &mut lines);
    lines
}

/// How many lines it can be scrolled by.
pub(super) fn count(app: &App, what: Text) -> usize {
    lines(&what.words(app), WIDE - 6).len()
}

const WIDE: u16 = 100;

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect, (what, scroll): (Text, usize)) {
    let room = WIDE.min(area.width).saturating_sub(6);
    let lines = lines(&what.words(app), room);
    let high = u16::try_from(lines.len() + 2).unwrap_or(u16::MAX).min(area.height.saturating_sub(4));
    let (name, note) = what.heads();
    let inner = sheet(pen, area, (WIDE, high), name, note);
    let rows = usize::from(inner.height);
    let from = scroll.min(lines.len().saturating_sub(rows));
    for (line, y) in lines[from..].iter().zip(inner.y..inner.bottom()) {
        if line.is_heading {
            pen.bold(inner.x, y, inner.width, &line.text, Ink::Text);
            continue;
        }
        // What stands between backticks is a key, a command or a name.
        let mut x = inner.x;
        for (index, piece) in line.text.split('`').enumerate() {
            let ink = if index % 2 == 1 { Ink::Place } else { Ink::Text };
            x = pen.text(x, y, inner.right().saturating_sub(x), piece, ink);
        }
    }
    scroll_mark(pen, inner, lines.len(), from);
}
