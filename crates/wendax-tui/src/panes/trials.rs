//! Trials: rows with what is given and what is expected, tried with each text; or their cells, to be changed.

use super::{Need, Order, Pane, PaneId, head};
use crate::app::App;
use crate::cells::{fitted, padded, width, wrap};
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use crate::world::trials::{Pace, Trying};
use ratatui::layout::{Constraint, Rect};
use ratatui::text::Span;
use wendax_session::{counted, grouped};
use wendax_trials::Outcome;

pub(super) struct Trials;

/// Letters of a row's name, at most.
const NAME: u16 = 36;
/// From so many cells on there is room for what rows cost.
const WIDE: u16 = 90;
/// Letters of a cell, at most.
const CELL: u16 = 28;

impl Pane for Trials {
    fn name(&self) -> &'static str {
        "trials"
    }

    fn command(&self) -> &'static str {
        "Trials: rows with what is given and expected, tried with each text"
    }

    fn words(&self) -> &'static str {
        "tests unit test cases table check grade expected assert"
    }

    fn about(&self) -> &'static str {
        "A table of rows: each gives the program, or one of its routines, something, and says what is to come of it. All are \
         tried with each text as it is assembled, and the header counts those that fail. Below stands what is otherwise in \
         the chosen one, with where it began; Enter walks that run, at the step where it went wrong. x shows the cells of \
         the rows: Shift-→ and Shift-← choose one, e sets it, a adds a row, c copies one, Delete takes one away, Ctrl-Z \
         takes that back. “Make a row of the present run” in the palette does what it says. The table is a file: \
         docs/trials.md."
    }

    fn need(&self, _: &App, column: Rect) -> Need {
        Need::rows(6, column.height)
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let trials = &app.world.trials;
        let is_present = trials.tried == Some(app.world.documents.generation()) || trials.tried.is_none();
        let older = if is_present { "" } else { "of the text before · " };
        let body = head(app, pen, area, PaneId::Trials, &format!("{older}{}", note(trials)));
        let inner = Rect { x: body.x + 1, width: body.width.saturating_sub(2), ..body };
        if !trials.is_there() {
            let text = "there is no table of trials yet: “Trials: make a row of the present run” in the palette begins one, \
                        when a run has ended; “take a table” reads one";
            for (y, line) in (inner.y..inner.bottom()).zip(wrap(text, inner.width)) {
                pen.text(inner.x, y, inner.width, &line, Ink::Faint);
            }
            return;
        }
        pen.text(inner.x, inner.y, inner.width, &about(trials), Ink::Quiet);
        let below = Rect { y: inner.y + 2, height: inner.height.saturating_sub(2), ..inner };
        if let Some(why) = trials.why_not() {
            let lines = why.lines().flat_map(|line| wrap(line, below.width));
            for (y, line) in (below.y..below.bottom()).zip(lines) {
                pen.text(below.x, y, below.width, &line, Ink::Trouble);
            }
            return;
        }
        let count = trials.heads().len();
        let chosen = app.screen.panes.of(PaneId::Trials).chosen.min(count.saturating_sub(1));
        let told = told(trials, chosen, below.width.saturating_sub(3));
        let lines = u16::try_from(told.len()).unwrap_or(u16::MAX);
        // What is told of the chosen one has room, and the list at least a part of it.
        let high = below.height.saturating_sub(lines + 1).max(below.height / 3).min(below.height);
        let needed = u16::try_from(count + 1).unwrap_or(u16::MAX).min(high);
        let rows = Rect { height: needed, ..below };
        if trials.is_cells {
            cells(trials, pen, rows, chosen);
        } else {
            results(trials, pen, rows, chosen);
        }
        let rest = Rect { y: rows.bottom() + 1, height: below.bottom().saturating_sub(rows.bottom() + 1), ..below };
        for (y, (line, ink)) in (rest.y..rest.bottom()).zip(told) {
            pen.text(rest.x + 2, y, rest.width.saturating_sub(2), &line, ink);
        }
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.world.trials.heads().len())
    }

    fn enter(&self, _: &App, entry: usize) -> Option<Order> {
        Some(Order::Row(entry))
    }
}

fn note(trials: &Trying) -> String {
    if !trials.is_there() || trials.why_not().is_some() {
        return String::new();
    }
    let (failed, tried, all) = trials.counts();
    let (points, of) = trials.points();
    let points =
        if of > 0 { format!(" · {} of {}", grouped(points), counted(of, "point", "points")) } else { String::new() };
    match (trials.is_done(), failed) {
        (false, _) => format!("trying: {tried} of {all}"),
        (true, 0) if all == 1 => format!("it passes{points}"),
        (true, 0) => format!("all {all} pass{points}"),
        (true, 1) => format!("1 of {all} fails{points}"),
        (true, failed) => format!("{failed} of {all} fail{points}"),
    }
}

/// The file, and what the table is about.
fn about(trials: &Trying) -> String {
    let about = match trials.table() {
        Some(Ok(table)) if !table.about.is_empty() => format!(" · {}", table.about),
        _ => String::new(),
    };
    format!("{}{about}", trials.path())
}

fn mark(outcome: Option<&Outcome>) -> (&'static str, Ink) {
    match outcome {
        None => ("·", Ink::Faint),
        Some(outcome) if outcome.is_passed() => ("✓", Ink::Agreement),
        Some(_) => ("✗", Ink::Trouble),
    }
}

/// What came of each row.
fn results(trials: &Trying, pen: &mut Pen<'_>, area: Rect, chosen: usize) {
    let heads = trials.heads();
    // Where there is little room, what came of rows is told before what they cost.
    let is_wide = area.width >= WIDE;
    let name = heads.iter().map(|(name, _)| width(name)).max().unwrap_or(0).clamp(4, NAME).min(area.width * 2 / 5);
    let cost = |index: usize| trials.outcome(index).map(Outcome::cost).unwrap_or_default().replace(" cycles", "");
    let costs = (0..heads.len()).map(|index| width(&cost(index))).max().unwrap_or(0).clamp(6, 26);
    let pace = |index: usize| match trials.outcome(index).and_then(|outcome| trials.pace(outcome)) {
        None => (String::new(), Ink::Faint),
        Some(Pace::Faster(by)) => (format!("▾ {}", grouped(by)), Ink::Agreement),
        Some(Pace::Slower(by)) => (format!("▴ {}", grouped(by)), Ink::Trouble),
    };
    let paces = (0..heads.len()).map(|index| width(&pace(index).0)).max().unwrap_or(0);
    let paces = if is_wide { paces } else { 0 };
    let head = Rect { height: 1, ..area };
    // As far to the right as the sign of the chosen row is wide.
    let at = [2, 5, 5 + name + 2];
    for (x, text) in at.into_iter().zip(["", "row", "what came of it"]) {
        pen.text(area.x + x, head.y, area.width.saturating_sub(x), text, Ink::Faint);
    }
    let right = costs + if paces > 0 { paces + 2 } else { 0 };
    let mut widths = vec![Constraint::Length(1), Constraint::Length(name), Constraint::Fill(1)];
    if is_wide {
        pen.text(area.right().saturating_sub(right), head.y, right, "cycles", Ink::Faint);
        widths.push(Constraint::Length(costs));
    }
    if paces > 0 {
        widths.push(Constraint::Length(paces));
    }
    let below = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    list::table(pen, below, &widths, (heads.len(), Some(chosen)), &|pen, index| {
        let outcome = trials.outcome(index);
        let (sign, ink) = mark(outcome);
        let came = match outcome {
            None => String::new(),
            Some(outcome) => outcome.why().unwrap_or_else(|| match outcome.runs {
                0 | 1 => String::new(),
                runs => counted(runs, "run", "runs"),
            }),
        };
        let is_failed = outcome.is_some_and(|outcome| !outcome.is_passed());
        let mut cells: Vec<Span<'static>> = vec![
            pen.span(sign, ink),
            pen.span(heads[index].0.clone(), if is_failed { Ink::Text } else { Ink::Place }),
            pen.span(came, if is_failed { Ink::Text } else { Ink::Quiet }),
        ];
        if is_wide {
            cells.push(pen.span(cost(index), Ink::Quiet));
        }
        if paces > 0 {
            let (text, ink) = pace(index);
            cells.push(pen.span(text, ink));
        }
        cells
    });
}

/// The cells of each row, in columns that any row has; the one that is chosen stands out.
fn cells(trials: &Trying, pen: &mut Pen<'_>, area: Rect, chosen: usize) {
    let columns = trials.columns();
    let present = trials.column();
    let written = |row: usize, key: &str| {
        let value = trials.cell(row, key);
        if key == "name" { value.trim_matches('"') } else { value }
    };
    let wide = |key: &str| {
        let most = (0..trials.written_rows()).map(|row| width(written(row, key))).max().unwrap_or(0);
        most.max(width(key)).min(CELL)
    };
    let widths: Vec<u16> = columns.iter().map(|key| wide(key)).collect();
    // The first column stays; of the others as many as fit, the chosen one among them.
    let room = area.width.saturating_sub(5 + widths.first().copied().unwrap_or(0));
    let mut first = 1;
    let needed = |first: usize| widths.iter().take(present + 1).skip(first).map(|wide| wide + 2).sum::<u16>();
    while first < present && needed(first) > room {
        first += 1;
    }
    let shown: Vec<usize> = std::iter::once(0).chain(first..columns.len()).collect();
    let mut at = area.x + 5;
    for &column in &shown {
        let left = area.right().saturating_sub(at);
        let Some(key) = columns.get(column).filter(|_| left > 1) else { break };
        let text = fitted(key, widths[column].min(left));
        if column == present {
            pen.bold(at, area.y, left, &text, Ink::Time);
        } else {
            pen.text(at, area.y, left, &text, Ink::Faint);
        }
        at += widths[column] + 2;
    }
    let below = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    list::draw(pen, below, trials.heads().len(), Some(chosen), &|pen, index| {
        let (sign, ink) = mark(trials.outcome(index));
        let mut spans = vec![pen.span(format!("{sign}  "), ink)];
        let Some(row) = trials.row_of(index) else {
            spans.push(pen.span(trials.heads()[index].0.clone(), Ink::Quiet));
            return spans;
        };
        for &column in &shown {
            let text = padded(&fitted(written(row, columns[column]), widths[column]), widths[column] + 2);
            let is_it = index == chosen && column == present;
            spans.push(pen.span(
                text,
                if is_it {
                    Ink::Time
                } else if column == 0 {
                    Ink::Place
                } else {
                    Ink::Text
                },
            ));
        }
        spans
    });
}

/// What is to be said of the chosen row: what is otherwise, and its cells.
fn told(trials: &Trying, chosen: usize, room: u16) -> Vec<(String, Ink)> {
    let mut lines = Vec::new();
    let outcome = trials.outcome(chosen);
    if let Some(why) = outcome.and_then(Outcome::why) {
        lines.extend(wrap(&why, room).into_iter().map(|line| (line, Ink::Text)));
        let rest =
            outcome.and_then(|outcome| outcome.failing.as_ref()).filter(|_| outcome.is_some_and(|it| !it.is_hidden));
        for difference in rest.iter().flat_map(|failing| failing.differences.iter().skip(1)) {
            let lined = wrap(&format!("also {}", difference.words()), room);
            lines.extend(lined.into_iter().map(|line| (line, Ink::Quiet)));
        }
        lines.push((String::new(), Ink::Quiet));
    }
    let is_hidden = outcome.is_some_and(|outcome| outcome.is_hidden);
    if let Some(row) = trials.row_of(chosen).filter(|_| !is_hidden) {
        for (key, value) in trials.cells(row).iter().filter(|(key, _)| key != "name") {
            lines.push((fitted(&format!("{key} = {value}"), room), Ink::Quiet));
        }
    }
    lines
}
