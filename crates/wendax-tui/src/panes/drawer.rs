//! The program's files: what is open and where in it, what was moved last, and what is in it at this moment.

use super::{Need, Order, Pane, PaneId, head};
use crate::app::App;
use crate::cells::{fitted, padded};
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use ratatui::text::Span;
use wendax_machine::{FileMode, Found, KnownFile, OpenFile};
use wendax_session::grouped;
use wendax_session::{Command, Session};

pub(super) struct Drawer;

/// A file with what is open of it.
struct Entry<'a> {
    path: &'a str,
    file: &'a KnownFile,
    open: Vec<(u32, &'a OpenFile)>,
}

impl Pane for Drawer {
    fn name(&self) -> &'static str {
        "program's files"
    }

    fn command(&self) -> &'static str {
        "Pane: the program's files, what is open, and what is in them now"
    }

    fn words(&self) -> &'static str {
        "handles descriptors read write disk content data io"
    }

    fn about(&self) -> &'static str {
        "The files the program has come to know, as they are at this moment: which are open and by which handle, at which \
         byte, what was read or written last, and below what is in the chosen one, with what was moved last lit. Enter \
         goes to the step that moved it. A file that is written is on disk once it is closed; going back does not touch \
         the disk, a new branch does."
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let count = entries(app).len();
        if count == 0 {
            return Need::NOTHING;
        }
        let rows = u16::try_from(count).unwrap_or(u16::MAX).min(6);
        Need::rows(3, 1 + rows + (column.height / 4).clamp(2, 12))
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(entries(app).len())
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        let moved = entries(app).get(entry)?.file.moved?;
        Some(Order::Travel(Command::Seek(moved.step + 1)))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let note = app.world.folder().map_or(String::new(), |folder| format!("in {}", folder.display()));
        let body = head(app, pen, area, PaneId::Drawer, &fitted(&note, area.width.saturating_sub(24)));
        let entries = entries(app);
        if entries.is_empty() {
            let hint = match app.world.folder() {
                Some(_) => "the program has opened no file yet",
                None => "there is no folder for its files: `files` in wendax.toml or --files DIR gives one",
            };
            pen.fitted(body.x + 1, body.y, body.width.saturating_sub(1), hint, Ink::Faint);
            return;
        }
        let rows = u16::try_from(entries.len()).unwrap_or(u16::MAX).min(body.height.div_ceil(2).max(1));
        let state = app.screen.panes.of(PaneId::Drawer);
        // Without anyone looking, what was moved last is looked into.
        let latest = entries.iter().enumerate().max_by_key(|(_, entry)| entry.file.moved.map(|moved| moved.step));
        let in_focus = app.screen.focus == PaneId::Drawer;
        let chosen = if in_focus { state.chosen.min(entries.len() - 1) } else { latest.map_or(0, |(index, _)| index) };
        let list = Rect { height: rows, ..body };
        list::draw(pen, list, entries.len(), in_focus.then_some(chosen), &|pen, index| {
            row(pen, &entries[index], body.width.saturating_sub(2))
        });
        let below = Rect { y: body.y + rows, height: body.height - rows, ..body };
        if let Some(session) = app.session() {
            content(session, pen, below, &entries[chosen]);
        }
    }
}

fn entries(app: &App) -> Vec<Entry<'_>> {
    let Some(session) = app.session() else { return Vec::new() };
    let files = session.machine().files();
    let of = |path: &str| files.open().filter(|(_, open)| &*open.path == path).collect();
    files.known().map(|(path, file)| Entry { path, file, open: of(path) }).collect()
}

fn row(pen: &Pen<'_>, entry: &Entry<'_>, room: u16) -> Vec<Span<'static>> {
    let size = match (&entry.file.found, entry.file.bytes()) {
        (_, Some(bytes)) => format!("{:>7} bytes", grouped(bytes.len() as u64)),
        (Found::NotAllowed, _) => "not allowed".to_owned(),
        (Found::TooLarge, _) => "too large".to_owned(),
        (Found::Failed, _) => "not readable".to_owned(),
        (Found::Nothing | Found::NoFolder | Found::Bytes(_) | Found::Locked(_), None) => "not there".to_owned(),
    };
    let open = entry.open.iter().map(|(handle, open)| {
        let what = match open.mode {
            FileMode::Read => "read",
            FileMode::Write => "written anew",
            FileMode::Append => "written on",
        };
        format!("{handle} {what} at {}", open.position)
    });
    let mut state = open.collect::<Vec<_>>().join(", ");
    if state.is_empty() {
        state = if entry.file.bytes().is_some() { "closed".to_owned() } else { String::new() };
    }
    if entry.file.is_unfinished() {
        state.push_str("; not on disk yet");
    }
    let path = (room / 4).clamp(8, 28);
    vec![
        pen.span(padded(entry.path, path), Ink::Place),
        pen.span(format!("{size:>14}  "), Ink::Text),
        pen.span(fitted(&state, room.saturating_sub(path + 16)), Ink::Quiet),
    ]
}

/// What is in a file, around what was moved last; lines as they are, other signs as dots.
fn content(session: &Session, pen: &mut Pen<'_>, area: Rect, entry: &Entry<'_>) {
    let Some(bytes) = entry.file.bytes().filter(|_| area.height > 0) else { return };
    let moved = entry.file.moved.map(|moved| (moved, moved.from..moved.from + moved.length));
    // What the last step or stride moved.
    let is_recent =
        session.last_change().zip(entry.file.moved).is_some_and(|(change, moved)| change.step <= moved.step);
    let mut y = area.y;
    if let Some((moved, range)) = &moved {
        let what = if moved.is_written { "written" } else { "read" };
        let text = format!("{} {what} at {}, by step {}", bytes_words(range.len()), range.start, grouped(moved.step.0));
        pen.fitted(area.x + 1, y, area.width.saturating_sub(1), &text, if is_recent { Ink::Fresh } else { Ink::Quiet });
        y += 1;
    }
    // The line that holds what was moved last is in view.
    let from = moved.as_ref().map_or(0, |(_, range)| range.start.min(bytes.len()));
    let rows = usize::from(area.bottom().saturating_sub(y));
    let starts: Vec<usize> = std::iter::once(0)
        .chain(bytes.iter().enumerate().filter(|(_, byte)| **byte == b'\n').map(|(at, _)| at + 1))
        .collect();
    let line = starts.partition_point(|&start| start <= from).saturating_sub(1);
    let first = line.saturating_sub(rows.saturating_sub(1) / 2).min(starts.len().saturating_sub(rows));
    for (&start, y) in starts[first..].iter().zip(y..area.bottom()) {
        let end = bytes[start..].iter().position(|&byte| byte == b'\n').map_or(bytes.len(), |length| start + length);
        pen.text(area.x + 1, y, 6, &format!("{start:>5}"), Ink::Faint);
        let mut x = area.x + 8;
        let text = String::from_utf8_lossy(&bytes[start..end]).into_owned();
        let mut at = start;
        for sign in text.chars() {
            let is_moved = moved.as_ref().is_some_and(|(_, range)| range.contains(&at));
            at += sign.len_utf8();
            x = pen.text(
                x,
                y,
                area.right().saturating_sub(x),
                sign.encode_utf8(&mut [0; 4]),
                match (is_moved, is_recent) {
                    (true, true) => Ink::Fresh,
                    (true, false) => Ink::Text,
                    (false, _) => Ink::Quiet,
                },
            );
        }
    }
}

fn bytes_words(count: usize) -> String {
    if count == 1 { "1 byte".to_owned() } else { format!("{} bytes", grouped(count as u64)) }
}
