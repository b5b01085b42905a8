//! Go to: a line by its number; a problem, a call or a label by a few letters of it.

use super::sheet;
use crate::app::App;
use crate::panes::{Order, PaneId};
use crate::parts::field::Field;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::{Constraint, Rect};
use wendax_session::counted;
use wendax_source::{Severity, Span};

/// Somewhere to go to.
pub(crate) struct Place {
    /// What is there: a name, a message.
    words: String,
    /// What it is, and where.
    what: &'static str,
    place: String,
    ink: Ink,
    pub(crate) to: Order,
}

/// The line a place of the assembled text is on.
fn line_of(app: &App, span: Span) -> Option<(String, Order)> {
    let document = app.world.document_of(span.file)?;
    let file = app.world.program.assembly.sources.get(span.file)?;
    let line = file.line_of(span.start) as usize - 1;
    Some((app.line_words(document, line), Order::Show(document, line)))
}

/// All that fits what is written: a line when it is a number; else problems, calls and labels that hold it.
pub(crate) fn found(app: &App, query: &str) -> Vec<Place> {
    let wanted = query.trim().to_lowercase();
    if let Ok(line) = wanted.parse::<usize>() {
        let last = app.editor().line_count();
        let line = line.clamp(1, last);
        let words = app.editor().line(line - 1).trim().to_owned();
        let place = app.line_words(app.screen.shown, line - 1);
        return vec![Place { words, what: "line", place, ink: Ink::Text, to: Order::Show(app.screen.shown, line - 1) }];
    }
    let mut places = Vec::new();
    for (problem, _) in app.world.program.with_places().filter(|(problem, _)| problem.severity != Severity::Hint) {
        if let Some((place, to)) = line_of(app, problem.primary.span) {
            let what = if problem.severity == Severity::Problem { "problem" } else { "warning" };
            places.push(Place { words: problem.message.clone(), what, place, ink: Ink::Trouble, to });
        }
    }
    for (entry, routine) in app.world.walk.routines.list().iter().enumerate() {
        let Some(to) = PaneId::Calls.pane().enter(app, entry) else { continue };
        let Some(session) = app.session() else { break };
        let target = session.machine().target();
        let name = session.image().label_at(routine.frame.target);
        let name = name.map_or_else(|| target.marked_address(routine.frame.target), |label| label.name.clone());
        let site = session.image().line_at(routine.frame.site).map_or(String::new(), |piece| app.place_words(piece));
        places.push(Place { words: name, what: "call", place: site, ink: Ink::Time, to });
    }
    for symbol in &app.world.program.assembly.image.symbols {
        if let Some((place, to)) = line_of(app, symbol.span) {
            let what = if symbol.address().is_some() { "label" } else { "constant" };
            places.push(Place { words: symbol.name.clone(), what, place, ink: Ink::Place, to });
        }
    }
    places.retain(|place| place.words.to_lowercase().contains(&wanted) || place.what.starts_with(&wanted));
    // What begins so is meant before what merely holds it.
    let begins = |place: &Place| !place.words.to_lowercase().starts_with(&wanted);
    if !wanted.is_empty() {
        places.sort_by_key(begins);
    }
    places
}

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect, query: &Field, chosen: usize) {
    let text = query.text();
    let found = found(app, &text);
    let note = counted(found.len() as u64, "place", "places");
    let high = super::palette::rows(area.height) + 3;
    let inner = sheet(pen, area, (110, high), "go to", &note);
    let at = query.draw(pen, Rect { height: 1, ..inner }, Ink::Text, true);
    if query.is_empty() {
        let hint = "the number of a line, or letters of a label, a problem, a call";
        pen.text(at + 2, inner.y, inner.width.saturating_sub(2), hint, Ink::Faint);
    }
    let rows = Rect { y: inner.y + 2, height: inner.height.saturating_sub(2), ..inner };
    if found.is_empty() {
        pen.text(rows.x, rows.y, rows.width, "no label, problem or call has these letters", Ink::Quiet);
    }
    let widths = [Constraint::Fill(1), Constraint::Length(8), Constraint::Max(24)];
    list::table(pen, rows, &widths, (found.len(), Some(chosen)), &|pen, index| {
        let place = &found[index];
        let ink = if index == chosen { Ink::Time } else { place.ink };
        vec![
            pen.span(place.words.clone(), ink),
            pen.span(place.what, Ink::Quiet),
            pen.span(place.place.clone(), Ink::Quiet),
        ]
    });
}
