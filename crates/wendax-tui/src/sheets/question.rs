//! Questions that must be answered before anything else is done.

use super::sheet;
use crate::app::App;
use crate::cells::wrap;
use crate::message::Effect;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use std::path::PathBuf;
use wendax_session::counted;
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

/// Lines in which two texts differ, those of one beside those of the other.
fn differing(ours: &str, theirs: &str) -> Vec<(Option<String>, Option<String>)> {
    let diff = similar::TextDiff::from_lines(ours, theirs);
    let mut rows = Vec::new();
    for hunk in diff.ops().iter().filter(|op| op.tag() != similar::DiffTag::Equal) {
        let line = |text: &&str| text.trim_end().to_owned();
        let (mut one, mut other) = (
            diff.old_slices()[hunk.old_range()].iter().map(line),
            diff.new_slices()[hunk.new_range()].iter().map(line),
        );
        loop {
            match (one.next(), other.next()) {
                (None, None) => break,
                row => rows.push(row),
            }
        }
    }
    rows
}

pub(super) fn draw_conflict(app: &App, pen: &mut Pen<'_>, area: Rect, (name, theirs): (&str, &str)) {
    let answers = [
        ("k", "keep yours; saving puts it in the place of the other"),
        ("t", "take what is on disk; undo brings yours back"),
        ("Esc", "decide later; nothing is saved until then"),
    ];
    let ours = app.text_of(name).unwrap_or_default();
    let rows = differing(&ours, theirs);
    let most = usize::from(area.height.saturating_sub(12)).max(2);
    let shown = rows.len().min(most);
    let high = u16::try_from(shown + answers.len() + 5).unwrap_or(u16::MAX);
    let inner = sheet(pen, area, (140, high), "changed twice", name);
    let half = inner.width / 2;
    let mut y = inner.y;
    let more =
        if shown < rows.len() { format!(" · the first {shown} of {} lines", rows.len()) } else { String::new() };
    pen.text(inner.x, y, half, &format!("yours, where they differ{more}"), Ink::Faint);
    pen.text(inner.x + half, y, inner.width - half, "on disk", Ink::Faint);
    for (one, other) in &rows[..shown] {
        y += 1;
        pen.fitted(inner.x, y, half.saturating_sub(2), one.as_deref().unwrap_or(""), Ink::Fresh);
        pen.fitted(inner.x + half, y, inner.width - half, other.as_deref().unwrap_or(""), Ink::Text);
    }
    for (y, (key, what)) in (y + 2..inner.bottom()).zip(answers) {
        pen.pieces(inner.x, y, inner.width, &[(&format!("{key:>4}  "), Ink::Time), (what, Ink::Text)]);
    }
}

pub(super) fn draw_exists(pen: &mut Pen<'_>, area: Rect, effect: &Effect) {
    let path = effect.writes().unwrap_or_default();
    let answers = [("y", "write over it; later times are not asked about"), ("Esc", "leave it as it is")];
    draw_question(
        pen,
        area,
        "there is a file",
        &format!("{path} is there already, and was not written here."),
        &answers,
    );
}

/// Its letters are capitals: nobody types one in passing, while the bench has only begun to be there.
pub(super) fn draw_reach(pen: &mut Pen<'_>, area: Rect, folders: &[PathBuf]) {
    /// So many are named; the answers have to stay in view.
    const NAMED: usize = 4;
    let answers = [
        ("A", "allow it, also the next times"),
        ("N", "do not, and ask no more; --reach on the command line allows it once"),
        ("Esc", "decide later: until then they stay closed"),
    ];
    let mut names: Vec<String> = folders.iter().take(NAMED).map(|folder| folder.display().to_string()).collect();
    if folders.len() > NAMED {
        names.push(format!("and {} more", folders.len() - NAMED));
    }
    let question = format!(
        "The manifest of this project names what lies outside of its folder: {}. What the project is made of, and its \
         program, could read there, and the program write.",
        names.join(", ")
    );
    draw_question(pen, area, "outside of the project", &question, &answers);
}

pub(super) fn draw_replacing(app: &App, pen: &mut Pen<'_>, area: Rect, with: &str) {
    let count = app.matches().len();
    let places = counted(count as u64, "place", "places");
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
