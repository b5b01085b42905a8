//! Stops: where the run stops, how often each was met, and what was noted there.

use super::{Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::{fitted, padded};
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use crate::world::stops::Stop;
use ratatui::layout::Rect;
use ratatui::text::Span;
use wendax_session::{Command, Met, Noted, Session, StopAt, Times, Where, grouped};

pub(super) struct Stops;

impl Pane for Stops {
    fn name(&self) -> &'static str {
        "stops"
    }

    fn command(&self) -> &'static str {
        "Pane: stops, how often each was met, and what was noted"
    }

    fn words(&self) -> &'static str {
        "breakpoints watchpoints conditions tracepoints hits counts halt notes log"
    }

    fn about(&self) -> &'static str {
        "Everything the run stops at, with how often it was met in the run so far and the step of the last time. Below \
         stand the values that stops with `note` wrote down. Enter goes to the line of a stop, or to the moment; \
         Delete takes it away, a adds one. The palette says more of one, and turns it off and on."
    }

    fn work(&self) -> Option<Work> {
        let slice = |app: &mut App| {
            let slice = app.world.slice;
            if let Some(session) = &mut app.world.walk.session {
                session.count_meetings(slice);
            }
        };
        Some(Work { is_wanted: |_, session| !session.is_counted(), slice })
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let count = rows(app).len().max(1);
        Need::rows(3, 1 + u16::try_from(count).unwrap_or(u16::MAX).min(column.height / 2))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let forgotten = app.session().map_or(0, Session::forgotten_notes);
        let note = match app.session().is_some_and(|session| !session.is_counted()) {
            true => "counting".to_owned(),
            false if forgotten > 0 => format!("{} earlier notes: run --each shows all", grouped(forgotten)),
            false => String::new(),
        };
        let body = head(app, pen, area, PaneId::Stops, &note);
        let Some(session) = app.session() else { return };
        let rows = rows(app);
        if rows.is_empty() {
            let hint = "no stop: b sets one on a line, a at anything";
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), hint, Ink::Faint);
            return;
        }
        let chosen = (app.screen.focus == PaneId::Stops).then_some(app.screen.panes.of(PaneId::Stops).chosen);
        let chosen = chosen.map(|chosen| chosen.min(rows.len() - 1));
        // Where it is narrow the words are worth more than the step of the last meeting.
        let counts = if body.width >= COUNTS + 6 + LEAST { COUNTS } else { COUNTS / 2 };
        let room = |counts: u16| body.width.saturating_sub(counts + 6);
        list::draw(pen, body, rows.len(), chosen, &|pen, index| match &rows[index] {
            Entry::Stop(stop) => stop_row(app, session, pen, stop, room(counts), counts),
            Entry::Noted(noted) => noted_row(app, pen, noted, room(COUNTS)),
        });
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(rows(app).len())
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        match rows(app).into_iter().nth(entry)? {
            Entry::Stop(stop) => match app.world.place_of_stop(stop) {
                Some((document, line, _)) => Some(Order::Show(document, line)),
                None => Some(Order::Travel(Command::Seek(app.session()?.met_so_far(stop.id)?.last?))),
            },
            Entry::Noted(noted) => Some(Order::Travel(Command::Seek(noted.step))),
        }
    }
}

/// Cells for how often it was met, and when last.
const COUNTS: u16 = 28;
/// Cells for the words of a stop, at least, where there is room for all of that.
const LEAST: u16 = 12;
/// Notes shown, the latest ones.
const NOTES: usize = 1000;

enum Entry<'a> {
    Stop(&'a Stop),
    Noted(Noted),
}

fn rows(app: &App) -> Vec<Entry<'_>> {
    let mut notes = app.session().map(Session::notes).unwrap_or_default();
    let over = notes.len().saturating_sub(NOTES);
    let stops = app.world.stops.list.iter().map(Entry::Stop);
    stops.chain(notes.drain(over..).map(Entry::Noted)).collect()
}

/// The sign of a stop: plain, with more said of it, noting, or off.
pub(crate) fn sign(app: &App, stop: &Stop) -> (&'static str, Ink) {
    match app.world.stops.meaning(stop.id) {
        _ if stop.is_off => ("◇", Ink::Quiet),
        Some(Err(_)) => ("✕", Ink::Trouble),
        Some(Ok(StopAt { note: Some(_), .. })) => ("◈", Ink::Fresh),
        Some(Ok(StopAt { place: Where::Address(_), condition: None, times: Times::Each, .. })) => ("◆", Ink::Trouble),
        None if stop.is_plain() => ("◆", Ink::Trouble),
        _ => ("◈", Ink::Trouble),
    }
}

fn stop_row(app: &App, session: &Session, pen: &Pen<'_>, stop: &Stop, room: u16, counts: u16) -> Vec<Span<'static>> {
    let (sign, ink) = sign(app, stop);
    let words = app.world.stop_words(stop);
    let mut spans = vec![pen.span(format!("{sign} "), ink)];
    if let Some(Err(why)) = app.world.stops.meaning(stop.id) {
        spans.push(pen.span(fitted(&format!("{words}: {why}"), room + counts), Ink::Text));
        return spans;
    }
    let (met, last) = match session.met_so_far(stop.id) {
        Some(Met { times: 0, .. }) => ("not met".to_owned(), None),
        Some(Met { times, last, .. }) => (format!("met {} ×", grouped(times)), last),
        None => (if stop.is_off { "off" } else { "" }.to_owned(), None),
    };
    spans.push(pen.span(padded(&words, room), if stop.is_off { Ink::Quiet } else { Ink::Text }));
    spans.push(pen.span(format!("{met:>14}"), Ink::Quiet));
    let last = last.filter(|_| counts == COUNTS);
    spans.push(pen.span(format!("{:>14}", last.map_or(String::new(), |last| grouped(last.0))), Ink::Time));
    spans
}

fn noted_row(app: &App, pen: &Pen<'_>, noted: &Noted, room: u16) -> Vec<Span<'static>> {
    let value = |(text, value): &(String, Option<i64>)| {
        format!("{text} {}", value.map_or_else(|| "?".to_owned(), |value| value.to_string()))
    };
    let words = if noted.values.is_empty() {
        app.world.stops.get(noted.id).map_or(String::new(), |stop| app.world.stop_words(stop))
    } else {
        noted.values.iter().map(value).collect::<Vec<_>>().join("   ")
    };
    vec![
        pen.span(format!("  {}", padded(&words, room + 14)), Ink::Fresh),
        pen.span(format!("{:>14}", grouped(noted.step.0)), Ink::Time),
    ]
}
