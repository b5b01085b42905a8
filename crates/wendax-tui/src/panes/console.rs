//! The console: what the program printed, what was typed to it, and the line being typed.

use super::{Need, Order, Pane, PaneId, head};
use crate::app::App;
use crate::cells::width;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::screen::Typing;
use crate::theme::Ink;
use ratatui::layout::Rect;
use unicode_segmentation::UnicodeSegmentation;
use wendax_session::{Command, Piece, Session, grouped};

pub(super) struct Console;

/// What is expected stands beside the console from so many cells on.
const WIDE: u16 = 70;

/// What the row prints whose run this is, when all is well.
fn expected(app: &App) -> Option<&str> {
    app.world.walk.of_row.as_ref()?.expected.as_deref()
}

/// What is expected, with a sign at the first line that was not printed so up to now.
fn draw_expected(session: &Session, expected: &str, pen: &mut Pen<'_>, area: Rect) {
    let printed = session.printed_since(0);
    let same = printed.iter().zip(expected.as_bytes()).take_while(|(is, wanted)| is == wanted).count();
    let is_whole = printed == expected.as_bytes();
    let next = String::from_utf8_lossy(&expected.as_bytes()[..same]).matches('\n').count();
    let lines: Vec<&str> = expected.lines().collect();
    pen.text(area.x, area.y, area.width, if is_whole { "as expected" } else { "expected" }, Ink::Faint);
    let rows = usize::from(area.height.saturating_sub(1));
    let from = (next + 1).saturating_sub(rows.max(1)).min(lines.len());
    for (y, (index, line)) in (area.y + 1..area.bottom()).zip(lines.iter().enumerate().skip(from)) {
        let is_next = index == next && !is_whole;
        pen.text(area.x, y, 2, if is_next { "▸ " } else { "  " }, Ink::Time);
        let ink = if is_next || index > next { Ink::Text } else { Ink::Quiet };
        pen.text(area.x + 2, y, area.width.saturating_sub(2), line, ink);
    }
}

impl Pane for Console {
    fn name(&self) -> &'static str {
        "console"
    }

    fn command(&self) -> &'static str {
        "Pane: console"
    }

    fn words(&self) -> &'static str {
        "output input terminal print typed screen stdout stdin"
    }

    fn about(&self) -> &'static str {
        "What the program printed, and in another colour what was typed to it. While it waits for input or runs, what \
         you type goes to it and Enter sends the line; Esc keeps the keys for commands, i types to it at any time. With the \
         focus the arrows choose a line, and Enter goes to the step that printed it, or took what was typed there."
    }

    fn need(&self, app: &App, page: Rect) -> Need {
        let cap = if app.screen.focus == PaneId::Console { page.height / 2 } else { page.height / 5 };
        let room = usize::from(page.width.saturating_sub(2));
        let printed = app.session().map_or(0, |session| console_lines(session, room, cap.into()).len());
        let waits = app.takes_input() || app.is_waiting();
        // A console on which nothing stands leaves its rows to the others.
        let bare = app.session().is_none_or(|session| session.console_end(1).is_empty());
        let wanted = expected(app).map_or(0, |text| text.lines().count() + 1);
        let lines = if bare { 1 } else { u16::try_from(printed).unwrap_or(u16::MAX) };
        let lines = lines.max(u16::try_from(wanted).unwrap_or(u16::MAX));
        let least = if waits { 2 } else { 0 };
        let most = 1 + lines + u16::from(waits);
        if bare && !waits && page.height < 26 { Need::rows(0, 0) } else { Need::rows(least, most.min(1 + cap).max(2)) }
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let (waiting, typing) = (app.is_waiting(), app.takes_input());
        let by: String;
        let note = match (waiting, typing) {
            (true, true) => {
                "what you type goes to the program · Enter sends · Ctrl-D ends the input · Esc keeps the keys"
            }
            (true, false) => "the program waits for input; i types to it",
            (false, true) if app.screen.typing == Typing::Program => {
                "what you type is read when the program asks · Esc ends that"
            }
            (false, true) if app.was_typed_here() => {
                "something was typed here: type something else · G goes further back · Esc keeps the keys"
            }
            (false, true) => "what you type goes to the program · Ctrl-C pauses it",
            (false, false) => match app.world.typed() {
                Some((typed, who)) if app.typed_at_start(typed) => {
                    by = format!("the first input was typed {who}");
                    &by
                }
                _ => match app.session().map_or(0, Session::forgotten_output) {
                    0 => "",
                    count => {
                        by = format!("{} bytes printed before are not kept", grouped(count));
                        &by
                    }
                },
            },
        };
        let note = if width(note) + 14 > area.width && typing { "you type to the program · Esc" } else { note };
        let body = head(app, pen, area, PaneId::Console, note);
        let Some(session) = app.session() else { return };
        let (body, area) = match expected(app).filter(|_| body.width >= WIDE) {
            Some(expected) => {
                let half = Rect { width: body.width / 2, ..body };
                let beside = Rect { x: half.right() + 1, width: body.right().saturating_sub(half.right() + 2), ..body };
                draw_expected(session, expected, pen, beside);
                (half, Rect { width: half.width, ..area })
            }
            None => (body, area),
        };
        if self.entries(app).is_some() {
            return chosen_rows(app, pen, body);
        }
        let rows = usize::from(body.height);
        let scroll = usize::try_from(-app.screen.panes.of(PaneId::Console).scroll).unwrap_or(0);
        let mut lines = console_lines(session, usize::from(area.width.saturating_sub(2)), rows + scroll + 1);
        lines.truncate(lines.len().saturating_sub(scroll));
        if !typing && !waiting && lines.last().is_some_and(Vec::is_empty) {
            lines.pop();
        }
        let last_is_full = lines.last().is_some_and(|last| !last.is_empty());
        if typing && last_is_full && !waiting {
            lines.push(Vec::new());
        }
        let from = lines.len().saturating_sub(rows);
        let mut end = (body.x + 1, body.y);
        for (y, line) in (body.y..body.bottom()).zip(&lines[from..]) {
            end = (draw_line(pen, body, y, line), y);
        }
        if (typing || waiting) && rows > 0 && scroll == 0 {
            let (x, y) = end;
            let sign = typing && (!waiting || x == body.x + 1);
            let x = if sign { pen.text(x, y, 2, "▸ ", Ink::Fresh) } else { x };
            let room = Rect { x, y, width: body.right().saturating_sub(x + 1), height: 1 };
            app.screen.input.draw(pen, room, Ink::Fresh, typing && app.screen.sheet.is_none());
        }
    }

    fn scroll_range(&self, app: &App, area: Rect) -> (i64, i64) {
        const MOST: usize = 10_000;
        let rows = usize::from(area.height.saturating_sub(1));
        let room = usize::from(area.width.saturating_sub(2));
        let lines = app.session().map_or(0, |session| console_lines(session, room, MOST).len());
        (-i64::try_from(lines.saturating_sub(rows)).unwrap_or(0), 0)
    }

    fn entries(&self, app: &App) -> Option<usize> {
        // While it is typed to, the keys are for that.
        (app.screen.focus == PaneId::Console && !app.takes_input()).then(|| rows(app).len())
    }

    /// To the step that printed the row, or took what was typed there.
    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        let session = app.session()?;
        let row = rows(app).into_iter().nth(entry)?;
        let step = row.iter().find_map(|chunk| {
            if chunk.is_typed { session.taken_at(chunk.position) } else { session.printed_at(chunk.position) }
        })?;
        Some(Order::Travel(Command::Seek(step)))
    }
}

/// Draws a line; returns where it ends.
fn draw_line(pen: &mut Pen<'_>, body: Rect, y: u16, line: &ConsoleLine) -> u16 {
    line.iter().fold(body.x + 1, |x, chunk| {
        let ink = if chunk.is_typed { Ink::Fresh } else { Ink::Text };
        pen.text(x, y, body.right().saturating_sub(x + 1), &chunk.text, ink)
    })
}

/// The rows around the chosen one, which is lit.
fn chosen_rows(app: &App, pen: &mut Pen<'_>, body: Rect) {
    let rows = rows(app);
    let chosen = app.screen.panes.of(PaneId::Console).chosen.min(rows.len().saturating_sub(1));
    let from = list::first_shown(chosen, rows.len(), body.height);
    for ((y, row), index) in (body.y..body.bottom()).zip(rows.iter().skip(from)).zip(from..) {
        draw_line(pen, body, y, row);
        if index == chosen {
            pen.chosen(Rect { y, height: 1, ..body });
        }
    }
    list::scroll_mark(pen, body, rows.len(), from);
}

/// Rows that can be gone through one by one; all that was printed before them is among the marks.
const MOST: usize = 500;

/// The last rows, as the pane shows them.
fn rows(app: &App) -> Vec<ConsoleLine> {
    let width = app.screen.layout.area(PaneId::Console).map_or(80, |area| area.width);
    let mut rows = app
        .session()
        .map_or_else(Vec::new, |session| console_lines(session, usize::from(width.saturating_sub(2)), MOST));
    if rows.last().is_some_and(Vec::is_empty) {
        rows.pop();
    }
    rows
}

/// A line of the console: pieces of text.
type ConsoleLine = Vec<Chunk>;

struct Chunk {
    text: String,
    is_typed: bool,
    /// Of its first byte in all that was printed, or typed.
    position: u64,
}

/// As much of the end as has so many line ends. A line takes a row at least, so what lies before need not be laid out.
fn last_lines(pieces: Vec<(u64, Piece)>, most: usize) -> Vec<(u64, Piece)> {
    let mut left = most;
    let mut kept = Vec::new();
    for (position, mut piece) in pieces.into_iter().rev() {
        let (Piece::Printed(bytes) | Piece::Typed(bytes)) = &mut piece;
        let ends: Vec<usize> = (0..bytes.len()).filter(|&at| bytes[at] == b'\n').collect();
        if let Some(end) = ends.len().checked_sub(left + 1).map(|index| ends[index]) {
            bytes.drain(..=end);
            kept.push((position + end as u64 + 1, piece));
            break;
        }
        left -= ends.len();
        kept.push((position, piece));
    }
    kept.reverse();
    kept
}

/// The last `most` lines of the console.
fn console_lines(session: &Session, room: usize, most: usize) -> Vec<ConsoleLine> {
    let mut lines: Vec<ConsoleLine> = vec![Vec::new()];
    // No sign takes more than four bytes.
    for (position, piece) in last_lines(session.placed_console(most.saturating_mul(room.max(1) * 4)), most) {
        let (bytes, is_typed) = match &piece {
            Piece::Printed(bytes) => (bytes, false),
            Piece::Typed(bytes) => (bytes, true),
        };
        let mut position = position;
        for (index, part) in bytes.split(|&byte| byte == b'\n').enumerate() {
            if index > 0 {
                lines.push(Vec::new());
            }
            let end = position + part.len() as u64;
            for (begins, text) in chunks(&String::from_utf8_lossy(part), room, &lines) {
                if begins {
                    lines.push(Vec::new());
                }
                let length = text.len() as u64;
                if let Some(line) = lines.last_mut().filter(|_| !text.is_empty()) {
                    line.push(Chunk { text, is_typed, position: position.min(end.saturating_sub(1)) });
                }
                position += length;
            }
            position = end + 1;
        }
    }
    let from = lines.len().saturating_sub(most);
    lines.split_off(from)
}

/// A text without line ends, cut where the line is full; true before what begins a new line.
fn chunks(text: &str, room: usize, lines: &[ConsoleLine]) -> Vec<(bool, String)> {
    let used: usize = lines.last().map_or(0, |line| line.iter().map(|chunk| usize::from(width(&chunk.text))).sum());
    let mut chunks = Vec::new();
    let mut chunk = String::new();
    let mut at = used;
    let mut begins = false;
    for grapheme in text.graphemes(true) {
        let wide = usize::from(width(grapheme)).max(1);
        if at + wide > room && at > 0 {
            chunks.push((begins, std::mem::take(&mut chunk)));
            (begins, at) = (true, 0);
        }
        chunk.push_str(grapheme);
        at += wide;
    }
    chunks.push((begins, chunk));
    chunks
}
