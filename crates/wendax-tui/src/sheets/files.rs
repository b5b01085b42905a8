//! The files of the program: which there are, what is the matter with each, and the way to another one.

use super::sheet;
use crate::app::App;
use crate::cells::fitted_end;
use crate::parts::field::Field;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use crate::world::documents::DocumentId;
use ratatui::layout::{Constraint, Rect};
use ratatui::text::Span;

/// Files whose names hold a query, in the program's order.
pub(crate) fn found(app: &App, query: &str) -> Vec<DocumentId> {
    let wanted = query.to_lowercase();
    let named = app.world.documents.iter().filter(|(_, document)| document.name.to_lowercase().contains(&wanted));
    named.map(|(id, _)| id).collect()
}

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect, query: &Field, chosen: usize) {
    let found = found(app, &query.text());
    let high = u16::try_from(app.world.documents.len() + 4).unwrap_or(u16::MAX).min(24);
    let inner = sheet(pen, area, (110, high), "files of the program", "Enter looks at one");
    let at = query.draw(pen, Rect { height: 1, ..inner }, Ink::Text, true);
    if query.is_empty() {
        pen.text(at + 2, inner.y, inner.width.saturating_sub(2), "part of a name", Ink::Faint);
    }
    let rows = Rect { y: inner.y + 1, height: inner.height.saturating_sub(2), ..inner };
    // The sign of the chosen row and the gaps take 8 columns; names get three parts of five of what is left.
    let named = inner.width.saturating_sub(8 + 8 + 12) * 3 / 5;
    let widths = [Constraint::Length(named), Constraint::Length(8), Constraint::Length(12), Constraint::Fill(1)];
    list::table(pen, rows, &widths, (found.len(), Some(chosen)), &|pen, index| {
        row(app, pen, found[index], (named, index == chosen))
    });
    let path =
        found.get(chosen).and_then(|id| app.world.documents.get(*id)).and_then(|document| document.path.as_deref());
    pen.fitted(inner.x, inner.bottom().saturating_sub(1), inner.width, path.unwrap_or("never saved"), Ink::Faint);
}

fn row(app: &App, pen: &Pen<'_>, id: DocumentId, (named, is_chosen): (u16, bool)) -> Vec<Span<'static>> {
    let Some(document) = app.world.documents.get(id) else { return Vec::new() };
    let ink = if is_chosen { Ink::Time } else { Ink::Text };
    let (problems, lines) = app.world.about_document(id);
    let lines = if lines == 1 { "1 line".to_owned() } else { format!("{lines} lines") };
    let mut state: Vec<String> = Vec::new();
    let mut state_ink = Ink::Quiet;
    if problems > 0 {
        state.push(if problems == 1 { "1 problem".to_owned() } else { format!("{problems} problems") });
        state_ink = Ink::Trouble;
    }
    if document.is_changed() {
        state.push("unsaved".to_owned());
        state_ink = if problems > 0 { Ink::Trouble } else { Ink::Fresh };
    }
    if let Some(why) = &document.locked {
        state.push(why.clone());
    }
    if id == app.screen.shown {
        state.push("shown".to_owned());
    }
    vec![
        pen.span(fitted_end(&document.name, named), ink),
        pen.span(document.role.words(), Ink::Quiet),
        pen.span(lines, Ink::Quiet),
        pen.span(state.join(" · "), state_ink),
    ]
}
