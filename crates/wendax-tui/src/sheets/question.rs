//! Questions that must be answered before anything else is done.

use super::sheet;
use crate::app::App;
use crate::cells::wrap;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_source::Span;

/// A question and its answers, each with its key.
fn draw_question(pen: &mut Pen<'_>, area: Rect, name: &str, question: &str, answers: &[(&str, &str)]) {
    let lines = wrap(question, area.width.saturating_sub(8).min(74));
    let high = u16::try_from(lines.len() + answers.len() + 2).unwrap_or(u16::MAX);
    let inner = sheet(pen, area, (78, high), name, "");
    let mut y = inner.y;
    for line in &lines {
        pen.text(inner.x, y, inner.width, line, Ink::Text);
        y += 1;
    }
    for (y, (key, what)) in (y..inner.bottom()).zip(answers) {
        pen.pieces(inner.x, y, inner.width, &[(&format!("{key:>4}  "), Ink::Time), (what, Ink::Text)]);
    }
}

pub(super) fn draw_leaving(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let names: Vec<String> = app.unsaved().into_iter().map(|unsaved| unsaved.name).collect();
    let name = match names.as_slice() {
        [one] => one.clone(),
        several => format!("{} files", several.len()),
    };
    let answers = [("s", "save and quit"), ("d", "drop the changes and quit"), ("Esc", "stay")];
    draw_question(pen, area, "unsaved text", &format!("Not saved: {name}"), &answers);
}

pub(super) fn draw_conflict(pen: &mut Pen<'_>, area: Rect, name: &str) {
    let question = format!("{name} was changed here and on disk, at the same lines.");
    let answers = [
        ("k", "keep yours; saving puts it in the place of the other"),
        ("t", "take what is on disk; undo brings yours back"),
    ];
    draw_question(pen, area, "changed twice", &question, &answers);
}

pub(super) fn draw_replacing(app: &App, pen: &mut Pen<'_>, area: Rect, with: &str) {
    let count = app.matches().len();
    let places = if count == 1 { "1 place".to_owned() } else { format!("{count} places") };
    let question = format!("Replace `{}` by `{with}`: {places} are left.", app.screen.search.text);
    let answers = [("y", "replace this one"), ("n", "leave it as it is"), ("a", "replace all"), ("Esc", "stop")];
    draw_question(pen, area, "replace", &question, &answers);
}

pub(super) fn draw_names(pen: &mut Pen<'_>, area: Rect, names: &[(Span, String)], chosen: usize) {
    let high = u16::try_from(names.len() + 2).unwrap_or(u16::MAX).min(14);
    let inner = sheet(pen, area, (60, high), "which name", "");
    list::draw(pen, inner, names.len(), Some(chosen), &|pen, index| {
        let ink = if index == chosen { Ink::Time } else { Ink::Place };
        vec![pen.span(names[index].1.clone(), ink)]
    });
}
