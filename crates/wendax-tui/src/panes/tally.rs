//! The tally: what the run cost, as tables that can be sorted, with the stack over time below.

use super::{MEASURE, Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::{fitted, padded, width};
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use ratatui::text::Span;
use wendax_machine::StepNo;
use wendax_session::grouped;
use wendax_session::{Cell, Command, Leads, NEVER, StackTally, Table, TableRow, Tally as Measured};

pub(super) struct Tally;

impl Pane for Tally {
    fn name(&self) -> &'static str {
        "tally"
    }

    fn command(&self) -> &'static str {
        "Tally: what the run cost, and where"
    }

    fn words(&self) -> &'static str {
        "profile profiler performance cost cycles count statistics hot spots time measure compare benchmark coverage"
    }

    fn about(&self) -> &'static str {
        "What the run cost up to its furthest step: cycles by routine, line and kind of instruction, calls, jumps, memory, \
         and how deep the stack was. Own cycles are those of a routine without what it called. x shows the next table, \
         Shift-→ and Shift-← sort by another column, Enter goes to the line or the moment. c keeps the tally under a \
         name, and from then on sets the present run beside one that was kept."
    }

    fn work(&self) -> Option<Work> {
        Some(MEASURE)
    }

    fn need(&self, _: &App, column: Rect) -> Need {
        Need::rows(6, column.height)
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let body = head(app, pen, area, PaneId::Tally, &note(app));
        let Some(tally) = &app.world.tallies.present else {
            let text = match app.session() {
                Some(session) if session.end() > StepNo::FIRST => "measuring",
                _ => "nothing was run yet: g runs the program, and then stands here what that cost",
            };
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), text, Ink::Faint);
            return;
        };
        let inner = Rect { x: body.x + 1, width: body.width.saturating_sub(2), ..body };
        let below = summary(pen, inner, tally);
        let below = names(app, pen, below);
        let chart = if below.height >= 14 && app.world.tallies.against.is_none() { CHART } else { 0 };
        let table = Rect { height: below.height - chart, ..below };
        let Some(shown) = app.world.tallies.table() else { return };
        let needed = u16::try_from(shown.rows.len() + 1).unwrap_or(u16::MAX).min(table.height);
        let chosen = app.screen.panes.of(PaneId::Tally).chosen.min(shown.rows.len().saturating_sub(1));
        rows(app, pen, Rect { height: needed, ..table }, shown, Some(chosen));
        // What a short table leaves is for those behind it.
        let mut free = Rect { y: table.y + needed, height: table.height - needed, ..table };
        let all = app.world.tallies.tables.iter();
        for next in all.skip_while(|one| one.name != shown.name).skip(1) {
            if free.height < 7 {
                break;
            }
            let high = u16::try_from(next.rows.len() + 2).unwrap_or(u16::MAX).min(free.height - 1);
            pen.text(free.x, free.y + 1, free.width, next.name, Ink::Quiet);
            let place = Rect { y: free.y + 2, height: high - 1, ..free };
            rows(app, pen, place, next, None);
            free = Rect { y: place.bottom(), height: free.bottom().saturating_sub(place.bottom()), ..free };
        }
        if chart > 0 {
            stack(pen, Rect { y: table.bottom() + 1, height: chart - 1, ..below }, &tally.stack, tally);
        }
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.world.tallies.table().map_or(0, |table| table.rows.len()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        match &app.world.tallies.table()?.rows.get(entry)?.leads {
            Leads::Nowhere => None,
            Leads::Step(step) => Some(Order::Travel(Command::Seek(*step))),
            Leads::Line(file, line) => {
                Some(Order::Show(app.world.documents.find(file)?, (*line as usize).saturating_sub(1)))
            }
            Leads::Address(address) => {
                let place = app.session()?.image().line_at(*address).and_then(|line| app.world.place_of(line));
                place.map(|(document, line)| Order::Show(document, line)).or(Some(Order::Memory(*address)))
            }
        }
    }
}

/// Rows of the chart of the stack, its head and the blank above it among them.
const CHART: u16 = 6;
/// Cells of a bar.
const BAR: usize = 16;

fn note(app: &App) -> String {
    let tallies = &app.world.tallies;
    let Some(session) = app.session() else { return String::new() };
    let mut parts = Vec::new();
    if let Some((from, to)) = tallies.part {
        let to = if to == StepNo::LAST { "the end".to_owned() } else { grouped(to.0) };
        parts.push(format!("only steps {} to {to}", grouped(from.0)));
    }
    if !tallies.is_current(session) && session.end() > StepNo::FIRST {
        parts.push(if session.is_running() {
            "of the run so far".to_owned()
        } else {
            format!("measuring, {} %", tallies.percent())
        });
    }
    if let Some(kept) = tallies.against.and_then(|index| tallies.kept.get(index)) {
        parts.push(format!("beside {}", kept.name));
    } else if !tallies.kept.is_empty() {
        parts.push(format!("{} kept", tallies.kept.len()));
    }
    parts.join(" · ")
}

/// The whole in some lines, in as many columns as fit; returns what is left below.
fn summary(pen: &mut Pen<'_>, area: Rect, tally: &Measured) -> Rect {
    const NAME: u16 = 15;
    let lines = tally.summary();
    let columns = if area.width >= 116 { 2 } else { 1 };
    let most = if area.height < 20 { 3 } else { lines.len() };
    let shown = &lines[..lines.len().min(most)];
    let high = shown.len().div_ceil(columns);
    let wide = area.width / u16::try_from(columns).unwrap_or(1);
    for (index, (name, figure)) in shown.iter().enumerate() {
        let (column, row) = (index / high, index % high);
        let x = area.x + wide * u16::try_from(column).unwrap_or(0);
        let y = area.y + u16::try_from(row).unwrap_or(0);
        if y < area.bottom() {
            pen.text(x, y, NAME, name, Ink::Quiet);
            pen.text(x + NAME, y, wide.saturating_sub(NAME + 2), figure, Ink::Text);
        }
    }
    let high = u16::try_from(high).unwrap_or(0).saturating_add(1).min(area.height);
    Rect { y: area.y + high, height: area.height - high, ..area }
}

/// The names of the tables, the one that is shown among them standing out.
fn names(app: &App, pen: &mut Pen<'_>, area: Rect) -> Rect {
    if area.height < 2 {
        return area;
    }
    let shown = app.world.tallies.table().map(|table| table.name);
    let mut at = area.x;
    let tables = &app.world.tallies.tables;
    // Where they have no room, those before the one that is shown give way.
    let wide = |table: &Table| width(table.name) + 4;
    let before: u16 = tables.iter().take_while(|table| Some(table.name) != shown).map(wide).sum();
    let first = if before + 20 > area.width { tables.iter().position(|table| Some(table.name) == shown) } else { None };
    for table in tables.iter().skip(first.unwrap_or(0)) {
        let is_shown = Some(table.name) == shown;
        let text = format!("{}{}   ", if is_shown { "▸" } else { " " }, table.name);
        let room = area.right().saturating_sub(at);
        at = if is_shown {
            pen.bold(at, area.y, room, &text, Ink::Time)
        } else {
            pen.text(at, area.y, room, &text, Ink::Quiet)
        };
    }
    Rect { y: area.y + 1, height: area.height - 1, ..area }
}

/// The widths of the columns in so many cells, 0 for those left out. What does not fit is taken from the texts; then columns
/// of numbers are left out from the right, but for the first ones.
fn widths(table: &Table, room: usize) -> Vec<usize> {
    const NEEDED: usize = 3;
    const TEXT: usize = 14;
    const LEAST: usize = 7;
    let mut widths = table.widths();
    // Each head has room for the sign that it is sorted by.
    for (wide, name) in widths.iter_mut().zip(&table.columns) {
        *wide = (*wide).max(name.chars().count() + 1);
    }
    let numeric: Vec<bool> = (0..widths.len()).map(|column| table.is_numeric(column)).collect();
    let fits = |widths: &[usize]| widths.iter().filter(|wide| **wide > 0).map(|wide| wide + 2).sum::<usize>() <= room;
    for least in [TEXT, LEAST] {
        while !fits(&widths) {
            let texts = (0..widths.len()).filter(|&column| !numeric[column] && widths[column] > least);
            let Some(widest) = texts.max_by_key(|&column| widths[column]) else { break };
            widths[widest] -= 1;
        }
        while !fits(&widths) {
            let number = (NEEDED..widths.len()).rev().find(|&column| numeric[column] && widths[column] > 0);
            let Some(number) = number else { break };
            widths[number] = 0;
        }
    }
    while !fits(&widths) {
        let Some(last) = (1..widths.len()).rev().find(|&column| widths[column] > 0) else { break };
        widths[last] = 0;
    }
    widths
}

fn rows(app: &App, pen: &mut Pen<'_>, area: Rect, table: &Table, chosen: Option<usize>) {
    if area.height < 2 {
        return;
    }
    let bars = table.bars.filter(|_| area.width >= 80);
    let room = usize::from(area.width.saturating_sub(3)) - if bars.is_some() { BAR + 2 } else { 0 };
    let widths = widths(table, room);
    let numeric: Vec<bool> = (0..widths.len()).map(|column| table.is_numeric(column)).collect();
    let sorted = app.world.tallies.sorted.filter(|_| chosen.is_some());
    let mut at = area.x + 2;
    let shown = |column: &usize| widths[*column] > 0;
    for (column, (name, wide)) in table.columns.iter().zip(&widths).enumerate().filter(|(column, _)| shown(column)) {
        let sign = match sorted {
            Some((by, false)) if by == column => "▾",
            Some((by, true)) if by == column => "▴",
            _ => "",
        };
        let text = format!("{sign}{name}");
        let wide = u16::try_from(*wide).unwrap_or(u16::MAX);
        let text = aligned(&text, wide, numeric[column]);
        let ink = if sign.is_empty() { Ink::Faint } else { Ink::Time };
        pen.text(at, area.y, wide.min(area.right().saturating_sub(at)), &text, ink);
        at += wide + 2;
    }
    let most = bars.and_then(|column| {
        let values = table.rows.iter().filter_map(|row| row.cells.get(column).and_then(Cell::value));
        values.max_by(f64::total_cmp)
    });
    let below = Rect { y: area.y + 1, height: area.height - 1, ..area };
    list::draw(pen, below, table.rows.len(), chosen, &|pen, index| {
        let row = &table.rows[index];
        let margin = if chosen.is_some() { "" } else { "  " };
        let mut spans: Vec<Span<'static>> = vec![Span::raw(margin)];
        for (column, (cell, wide)) in row.cells.iter().zip(&widths).enumerate().filter(|(column, _)| shown(column)) {
            let wide = u16::try_from(*wide).unwrap_or(u16::MAX);
            let text = aligned(&cell.words(), wide, numeric[column]);
            spans.push(pen.span(text + "  ", ink(row, column, cell)));
        }
        if let (Some(column), Some(most)) = (bars, most) {
            let value = row.cells.get(column).and_then(Cell::value).unwrap_or(0.0);
            spans.push(pen.span(bar(value, most, BAR), Ink::Time));
        }
        spans
    });
}

fn ink(row: &TableRow, column: usize, cell: &Cell) -> Ink {
    let is_dead = row.cells.get(1) == Some(&Cell::Text(NEVER.to_owned()));
    match cell {
        _ if is_dead => Ink::Faint,
        _ if column == 0 => Ink::Place,
        Cell::Difference(difference) if *difference < 0 => Ink::Agreement,
        Cell::Difference(difference) if *difference > 0 => Ink::Trouble,
        Cell::Share(_) => Ink::Quiet,
        _ => Ink::Text,
    }
}

fn aligned(text: &str, wide: u16, on_the_right: bool) -> String {
    let text = fitted(text, wide);
    if on_the_right {
        format!("{}{text}", " ".repeat(usize::from(wide.saturating_sub(width(&text)))))
    } else {
        padded(&text, wide)
    }
}

/// A bar of half cells; what is more than nothing shows at least one.
pub(super) fn bar(value: f64, most: f64, cells: usize) -> String {
    if most <= 0.0 || value <= 0.0 {
        return String::new();
    }
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, clippy::cast_precision_loss, reason = "cells")]
    let halves = ((value / most * cells as f64 * 2.0).round() as usize).clamp(1, cells * 2);
    "━".repeat(halves / 2) + if halves.is_multiple_of(2) { "" } else { "╸" }
}

/// How deep the stack was over time, as columns.
fn stack(pen: &mut Pen<'_>, area: Rect, stack: &StackTally, tally: &Measured) {
    const PARTS: [char; 9] = [' ', '▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let text = format!(
        "stack over the run: {} bytes at most, first at step {}",
        grouped(stack.deepest.into()),
        grouped(stack.step.0)
    );
    pen.text(area.x, area.y, area.width, &text, Ink::Quiet);
    let plot = Rect { y: area.y + 1, height: area.height - 1, ..area };
    let steps = tally.steps().max(1);
    let high = u64::from(plot.height) * 8;
    for column in 0..plot.width {
        // The deepest of the stretches of time that this column stands for.
        let from = steps * u64::from(column) / u64::from(plot.width) / stack.width.max(1);
        let to = (steps * u64::from(column + 1)).div_ceil(u64::from(plot.width)).div_ceil(stack.width.max(1));
        let index = |at: u64| usize::try_from(at).unwrap_or(usize::MAX).min(stack.depths.len());
        let shown = &stack.depths[index(from)..index(to.max(from + 1))];
        let depth = shown.iter().copied().max().unwrap_or(0);
        let eighths = (u64::from(depth) * high).div_ceil(u64::from(stack.deepest.max(1))).min(high);
        for row in 0..plot.height {
            let base = u64::from(plot.height - 1 - row) * 8;
            let part = usize::try_from(eighths.saturating_sub(base).min(8)).unwrap_or(8);
            let mut text = [0; 4];
            pen.text(plot.x + column, plot.y + row, 1, PARTS[part].encode_utf8(&mut text), Ink::Faint);
        }
    }
}
