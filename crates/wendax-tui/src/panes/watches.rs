//! Watches: chosen values, each in its form, with what it was and who wrote it last.

use super::{Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::{fitted, width};
use crate::parts::pen::Pen;
use crate::theme::Ink;
use crate::world::watches::Watched;
use ratatui::layout::Rect;
use wendax_session::grouped;
use wendax_session::{Answer, Cells, Held, Reading, Session, Thing};

pub(super) struct Watches;

/// Cells for the words of a watch.
const WORDS: u16 = 22;

impl Pane for Watches {
    fn name(&self) -> &'static str {
        "watches"
    }

    fn command(&self) -> &'static str {
        "Pane: watches, the values that were chosen"
    }

    fn words(&self) -> &'static str {
        "variables expressions locals display inspect arrays table"
    }

    fn about(&self) -> &'static str {
        "Values that you chose with v, each in its form: r1, [total] as signed, weights as words 6, name as text. • marks \
         what the last stride changed, with what it was; behind it stands who wrote it last, and Enter goes there. In a \
         table the elements that changed are lit. “Watch what the present routine uses” in the palette adds \
         that by itself; of programs that a compiler made it is there from the beginning. = sets, Delete takes one away."
    }

    fn work(&self) -> Option<Work> {
        Some(Work {
            is_wanted: |app, _| app.world.is_watch_asked(),
            slice: |app| app.world.ask_of_watches(app.world.slice),
        })
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let rows: u16 = app.world.watches.rows.iter().map(|row| height(row, column.width)).sum();
        if rows == 0 {
            return Need::NOTHING;
        }
        // What was chosen is there, before the stack shows words of routines further out.
        let most = 1 + rows.min((column.height / 3).max(4));
        Need::rows(most.min((column.height / 5).max(2)), most)
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let note = if app.world.watches_routine() { "with what the routine uses" } else { "" };
        let body = head(app, pen, area, PaneId::Watches, note);
        let Some(session) = app.session() else { return };
        let rows = &app.world.watches.rows;
        if rows.is_empty() {
            let hint = "nothing is watched: v adds a value";
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), hint, Ink::Faint);
            return;
        }
        // The chosen one is in view.
        let chosen = app.screen.panes.of(PaneId::Watches).chosen.min(rows.len() - 1);
        let end: u16 = rows.iter().take(chosen + 1).map(|row| height(row, body.width)).sum();
        let mut skipped = if app.screen.focus == PaneId::Watches { end.saturating_sub(body.height) } else { 0 };
        let mut y = body.y;
        for (index, row) in rows.iter().enumerate() {
            let high = height(row, body.width);
            if skipped > 0 {
                skipped = skipped.saturating_sub(high);
                continue;
            }
            let room = Rect { y, height: high.min(body.bottom().saturating_sub(y)), ..body };
            if room.height == 0 {
                break;
            }
            draw_row(app, session, pen, room, row);
            if app.is_chosen(PaneId::Watches, index) {
                pen.text(body.x, y, 1, "▸", Ink::Time);
            }
            y += high;
        }
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.world.watches.rows.len())
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        self.thing(app, entry).map(Order::WrittenBy)
    }

    fn thing(&self, app: &App, entry: usize) -> Option<Thing> {
        app.world.watches.rows.get(entry)?.thing
    }
}

/// Elements in a row of a table.
fn per_row(cells: &Cells, room: u16) -> usize {
    if cells.parts.len() > 1 {
        return cells.parts.len();
    }
    let each = if cells.parts == [1] { 3 } else { 7 };
    let fit = usize::from(room.saturating_sub(9)) / each;
    [16, 8, 4, 2].into_iter().find(|&count| count <= fit).unwrap_or(1)
}

/// The parts of something that has some.
fn parts(reading: &Reading) -> &[(String, Held)] {
    match reading {
        Reading::Held(_, Held::Parts(parts)) => parts,
        _ => &[],
    }
}

/// One value alone is no table.
fn is_table(reading: &Reading) -> bool {
    matches!(reading, Reading::Cells(cells) if cells.values.len() > 1)
}

fn height(row: &Watched, room: u16) -> u16 {
    match &row.now {
        Ok(reading @ Reading::Cells(cells)) if is_table(reading) => {
            1 + u16::try_from(cells.values.len().div_ceil(per_row(cells, room))).unwrap_or(u16::MAX)
        }
        Ok(reading) => 1 + u16::try_from(parts(reading).len()).unwrap_or(u16::MAX),
        Err(_) => 1,
    }
}

fn draw_row(app: &App, session: &Session, pen: &mut Pen<'_>, area: Rect, row: &Watched) {
    let is_fresh = matches!((&row.now, &row.was), (Ok(now), Some(was)) if now != was);
    pen.text(area.x, area.y, 1, if is_fresh { "•" } else { " " }, Ink::Fresh);
    let ink = if row.is_of_routine { Ink::Quiet } else { Ink::Place };
    // On a narrow screen the value has more room than its name.
    let words_width = WORDS.min(area.width * 2 / 5);
    pen.fitted(area.x + 1, area.y, words_width.saturating_sub(1), &row.words, ink);
    let x = area.x + words_width + 1;
    let room = area.right().saturating_sub(x);
    match &row.now {
        Err(why) => {
            pen.fitted(x, area.y, room, why, Ink::Trouble);
        }
        Ok(reading @ Reading::Cells(cells)) if is_table(reading) => {
            let text = format!("at {}", session.machine().target().marked_address(cells.address));
            let used = words_width + 2 + width(&text);
            pen.fitted(x, area.y, room, &text, Ink::Quiet);
            writer(app, pen, Rect { height: 1, ..area }, row, used);
            let was = match &row.was {
                Some(Reading::Cells(was)) => was.values.as_slice(),
                _ => &[],
            };
            table(session, pen, Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area }, cells, was);
        }
        Ok(Reading::Held(address, held @ Held::Parts(_))) => {
            let text = format!("at {}", session.machine().target().marked_address(*address));
            let used = words_width + 2 + width(&text);
            pen.fitted(x, area.y, room, &text, Ink::Quiet);
            writer(app, pen, Rect { height: 1, ..area }, row, used);
            let was = row.was.as_ref().map(parts).unwrap_or_default();
            let Held::Parts(parts) = held else { return };
            let wide = parts.iter().map(|(name, _)| width(name)).max().unwrap_or(0).min(WORDS - 3);
            for (index, (y, (name, held))) in (area.y + 1..area.bottom()).zip(parts).enumerate() {
                let is_fresh = was.get(index).is_some_and(|(_, was)| was != held);
                pen.fitted(area.x + 3, y, wide, name, Ink::Quiet);
                let ink = if is_fresh { Ink::Fresh } else { Ink::Text };
                let left = area.x + 4 + wide;
                pen.fitted(left, y, area.right().saturating_sub(left), &held.line(), ink);
            }
        }
        Ok(reading) => {
            let text = words(session, reading);
            let ink = match reading {
                Reading::Nothing(_) => Ink::Faint,
                _ if is_fresh => Ink::Fresh,
                _ => Ink::Text,
            };
            let mut used = words_width + 1 + width(&text).min(room);
            pen.fitted(x, area.y, room, &text, ink);
            if let (true, Some(was)) = (is_fresh, &row.was) {
                // Why there was none is told by what is there now.
                let was = match was {
                    Reading::Nothing(_) => "  was not set".to_owned(),
                    was => format!("  was {}", words(session, was)),
                };
                let left = area.width.saturating_sub(used);
                pen.fitted(area.x + used, area.y, left, &was, Ink::Quiet);
                used += width(&was).min(left);
            }
            writer(app, pen, Rect { height: 1, ..area }, row, used);
        }
    }
}

/// A value in words.
fn words(session: &Session, reading: &Reading) -> String {
    match reading {
        Reading::Number(_, text) => text.clone(),
        Reading::Text(_, text) => format!("\"{text}\""),
        Reading::Nothing(why) => why.clone(),
        Reading::Held(_, held) => held.line(),
        Reading::Cells(cells) => {
            let value = cells.values.first().copied().flatten();
            value.map_or_else(
                || "····".to_owned(),
                |value| cells.words(0, Some(value), session.machine().target()).trim().to_owned(),
            )
        }
    }
}

/// Elements with the index of the first one of each row; those that were others before are lit.
fn table(session: &Session, pen: &mut Pen<'_>, area: Rect, cells: &Cells, was: &[Option<u32>]) {
    let count = per_row(cells, area.width);
    for (row, (y, values)) in (area.y..area.bottom()).zip(cells.values.chunks(count)).enumerate() {
        let first = if cells.parts.len() > 1 { row } else { row * count };
        let mut x = pen.text(area.x + 1, y, 6, &format!("{first:>5} "), Ink::Faint) + 1;
        for (offset, value) in values.iter().enumerate() {
            let index = row * count + offset;
            let text = cells.words(index, *value, session.machine().target());
            let is_fresh = was.get(index).is_some_and(|was| was != value);
            let ink = if is_fresh { Ink::Fresh } else { Ink::Text };
            let blanks = text.len() - text.trim_start().len();
            x = pen.text(x, y, area.right().saturating_sub(x), &text[..blanks], Ink::Text);
            x = pen.text(x, y, area.right().saturating_sub(x), text.trim_start(), ink) + 1;
        }
    }
}

/// Who wrote it last, at the right, where there is room.
fn writer(app: &App, pen: &mut Pen<'_>, area: Rect, row: &Watched, used: u16) {
    let text = match row.story.as_ref().map(|story| &story.written) {
        Some(Answer::Step(toucher)) => {
            let line = app.session().and_then(|session| session.image().line_at(toucher.pc));
            let place = line.map(|line| app.place_words(line)).unwrap_or_default();
            format!("by {place} at {}", grouped(toucher.step.0))
        }
        Some(Answer::ByHand(edit)) => format!("by hand at {}", grouped(edit.step.0)),
        _ => return,
    };
    let room = area.width.saturating_sub(used + 2);
    if width(&text) <= room {
        pen.right(Rect { width: area.width.saturating_sub(1), ..area }, area.y, &fitted(&text, room), Ink::Quiet);
    }
}
