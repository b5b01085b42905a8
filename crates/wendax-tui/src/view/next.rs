//! What the last step did, and what the coming instruction will do.

use super::header::grouped;
use super::pen::{Pen, width, wrap};
use crate::state::App;
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_session::{Session, by_hand_words, change_words};

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let title = app.explanation.as_ref().map_or(String::new(), |explanation| {
        let cycles = match explanation.cycles {
            None => String::new(),
            Some(1) => "1 cycle".to_owned(),
            Some(cycles) => format!("{cycles} cycles"),
        };
        let between = if cycles.is_empty() || explanation.meaning.is_empty() { "" } else { " · " };
        format!("{}{between}{cycles}", explanation.meaning)
    });
    pen.head(area, "next", &title, false);
    if area.height < 2 {
        return;
    }
    let body = Rect { x: area.x + 1, y: area.y + 1, width: area.width - 2, height: area.height - 1 };
    if !app.is_current() && !app.is_stale {
        pen.text(body.x, body.y, body.width, "the text has to be in order before the program can run", Ink::Quiet);
        return;
    }
    let Some(session) = &app.session else { return };
    if session.is_running() {
        pen.text(body.x, body.y, body.width, "running; Space pauses", Ink::Time);
        return;
    }
    // What was changed keeps the last rows, so that it is always found at the same place; with room, two of them.
    let told = rows_told(body.height);
    let last = Rect { y: body.bottom() - told, height: told, ..body };
    let bottom = if body.height > 2 { last.y } else { body.bottom() };
    let mut lines = account(app, body.width);
    // The figure shows in other signs what the sentences say: it gives way first.
    if let Some(explanation) = &app.explanation
        && lines.len() + explanation.figure.len() <= usize::from(bottom.saturating_sub(body.y))
    {
        lines.extend(explanation.figure.iter().map(|line| (line.clone(), Ink::Quiet)));
    }
    if body.height <= 2 {
        lines.retain(|(_, ink)| *ink != Ink::Time);
    }
    for (y, (text, ink)) in (body.y..bottom).zip(&lines) {
        if *ink == Ink::Time {
            pen.bold(body.x, y, body.width, text, *ink);
        } else {
            pen.text(body.x, y, body.width, text, *ink);
        }
    }
    if body.height > 2 {
        last_change(session, pen, last);
    }
}

/// Rows for what was changed, in a body of so many.
fn rows_told(height: u16) -> u16 {
    if height >= 7 { 2 } else { 1 }
}

/// The rows that would show everything, with the head.
pub(super) fn rows(app: &App, width: u16) -> u16 {
    let figure = app.explanation.as_ref().map_or(0, |explanation| explanation.figure.len());
    let lines = account(app, width.saturating_sub(2)).len() + figure;
    let lines = u16::try_from(lines).unwrap_or(u16::MAX);
    let all = lines.saturating_add(2);
    all + rows_told(all - 1) - 1
}

/// The account line by line: the instruction, a caution, sentences.
fn account(app: &App, width: u16) -> Vec<(String, Ink)> {
    let Some(explanation) = &app.explanation else { return Vec::new() };
    let text = Some((explanation.text.clone(), Ink::Time)).filter(|(text, _)| !text.is_empty());
    let caution = explanation.caution.iter().map(|text| (format!("caution: {text}"), Ink::Trouble));
    let sentences = explanation.sentences.iter().map(|text| (text.clone(), Ink::Text));
    let mut lines: Vec<(String, Ink)> = text.into_iter().collect();
    for (text, ink) in caution.chain(sentences) {
        lines.extend(wrap(&text, width).into_iter().map(|line| (line, ink)));
    }
    lines
}

/// What the command that led here changed, and that nothing else changed: as many rows as there are.
fn last_change(session: &Session, pen: &mut Pen<'_>, area: Rect) {
    let by_hand = session.changes_by_hand();
    let mut changes: Vec<String> = Vec::new();
    let mut head = "before the first step";
    let mut nothing_else = "";
    if let Some(effects) = session.last_change() {
        changes = change_words(session, effects);
        head = if effects.steps > 1 { "stride" } else { "last step" };
        if effects.steps > 1 {
            changes.insert(0, format!("{} steps, {} cycles", grouped(effects.steps), grouped(effects.cycles)));
        }
        if changes.is_empty() {
            changes.push("changed nothing but pc".to_owned());
        } else if by_hand.is_empty() {
            nothing_else = if effects.steps > 1 { "; all else as before" } else { "; nothing else" };
        }
    }
    changes.extend(by_hand.iter().map(|change| by_hand_words(session, change)));
    let at = pen.text(area.x, area.y, area.width, &format!("{head}  "), Ink::Quiet);
    let room = area.right().saturating_sub(at);
    // That nothing else changed is said where there is room for it.
    let mut whole = changes.clone();
    if let Some(last) = whole.last_mut() {
        last.push_str(nothing_else);
    }
    let lines = usize::from(area.height);
    let shown = match fitted(&whole, room, lines) {
        (shown, Fit::Whole) => shown,
        (_, Fit::Cut) => fitted(&changes, room, lines).0,
    };
    for (index, line) in shown.iter().enumerate() {
        pen.text(at, area.y + u16::try_from(index).unwrap_or(0), room, line, Ink::Fresh);
    }
}

/// Whether everything is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Fit {
    Whole,
    Cut,
}

/// Changes one behind the other in so many lines; of those that do not fit, how many they are.
fn fitted(changes: &[String], room: u16, lines: usize) -> (Vec<String>, Fit) {
    let mut all: Vec<String> = vec![String::new()];
    let mut fit = Fit::Whole;
    for (index, change) in changes.iter().enumerate() {
        let more = format!(" + {} more", changes.len() - index);
        let last = all.len() == lines;
        let Some(line) = all.last_mut() else { break };
        let comma = if line.is_empty() { 0 } else { 2 };
        let reserve = if last && index + 1 < changes.len() { width(&more) } else { 0 };
        if width(line) + comma + width(change) + reserve > room && !line.is_empty() {
            if last {
                line.push_str(&more);
                fit = Fit::Cut;
                break;
            }
            line.push(',');
            all.push(change.clone());
            continue;
        }
        if comma > 0 {
            line.push_str(", ");
        }
        line.push_str(change);
    }
    for line in all.iter_mut().filter(|line| width(line) > room) {
        *line = line.chars().take(usize::from(room.saturating_sub(1))).chain(['…']).collect();
        fit = Fit::Cut;
    }
    (all, fit)
}

#[cfg(test)]
mod tests {
    use super::{Fit, fitted};

    #[test]
    fn changes_that_do_not_fit_are_counted_and_cut_with_a_sign() {
        let changes = ["r0 1 → 2".to_owned(), "r1 not set → 3".to_owned(), "C 0 → 1; nothing else".to_owned()];
        let whole = |lines: &[&str]| (lines.iter().map(|&line| line.to_owned()).collect::<Vec<_>>(), Fit::Whole);
        let cut = |lines: &[&str]| (whole(lines).0, Fit::Cut);
        assert_eq!(fitted(&changes, 80, 1), whole(&["r0 1 → 2, r1 not set → 3, C 0 → 1; nothing else"]));
        assert_eq!(fitted(&changes, 34, 1), cut(&["r0 1 → 2, r1 not set → 3 + 1 more"]));
        assert_eq!(fitted(&changes, 26, 2), whole(&["r0 1 → 2, r1 not set → 3,", "C 0 → 1; nothing else"]));
        assert_eq!(fitted(&changes[1..2], 10, 1), cut(&["r1 not se…"]));
        assert_eq!(fitted(&[], 10, 2), whole(&[""]));
    }
}
