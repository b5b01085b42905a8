//! Lists: one row an entry, one of them chosen; ratatui's list and scroll bar with our signs.

use super::pen::Pen;
use crate::cells::fitted;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::{
    Cell, List, ListItem, ListState, Row, Scrollbar, ScrollbarOrientation, ScrollbarState, StatefulWidget, Table,
    TableState,
};

/// The first entry to show so that the chosen one is in view, with some of those behind it.
pub fn first_shown(chosen: usize, count: usize, rows: u16) -> usize {
    let rows = usize::from(rows);
    chosen.saturating_sub(rows * 2 / 3).min(count.saturating_sub(rows))
}

/// An entry: pieces of text with their styles.
pub(crate) type Entry = Vec<Span<'static>>;

/// Draws entries of which one is chosen, and a scroll mark when there are more than rows.
pub(crate) fn draw(
    pen: &mut Pen<'_>,
    area: Rect,
    count: usize,
    chosen: Option<usize>,
    entry: &dyn Fn(&Pen<'_>, usize) -> Entry,
) {
    if area.is_empty() {
        return;
    }
    let from = first_shown(chosen.unwrap_or(0), count, area.height);
    let shown = from..count.min(from + usize::from(area.height));
    let items: Vec<ListItem<'_>> = shown.clone().map(|index| ListItem::new(Line::from(entry(pen, index)))).collect();
    let list = List::new(items).highlight_symbol(Line::styled("▸ ", pen.theme.ink(crate::theme::Ink::Time)));
    let mut state = ListState::default().with_selected(chosen.and_then(|chosen| chosen.checked_sub(from)));
    let inner = Rect { width: area.width - u16::from(count > shown.len()), ..area };
    StatefulWidget::render(list, inner, pen.buffer(), &mut state);
    scroll_mark(pen, area, count, from);
}

/// Draws rows of cells in columns of these widths, one row chosen or none.
pub(crate) fn table(
    pen: &mut Pen<'_>,
    area: Rect,
    widths: &[Constraint],
    (count, chosen): (usize, Option<usize>),
    row: &dyn Fn(&Pen<'_>, usize) -> Vec<Span<'static>>,
) {
    if area.is_empty() {
        return;
    }
    let from = first_shown(chosen.unwrap_or(0), count, area.height);
    let shown = from..count.min(from + usize::from(area.height));
    let sign = Line::styled("▸ ", pen.theme.ink(crate::theme::Ink::Time));
    let inner = Rect { width: area.width - u16::from(count > shown.len()), ..area };
    // What is cut ends with a sign that says so: a number without its end is another number.
    let beside = Rect { width: inner.width.saturating_sub(u16::try_from(sign.width()).unwrap_or(0)), ..inner };
    let columns = Layout::horizontal(widths).spacing(2).split(beside);
    let rows: Vec<Row<'_>> = shown
        .clone()
        .map(|index| {
            let cells = row(pen, index).into_iter().zip(columns.iter());
            Row::new(
                cells.map(|(cell, column)| Cell::from(Span::styled(fitted(&cell.content, column.width), cell.style))),
            )
        })
        .collect();
    let table = Table::new(rows, widths.iter().copied()).column_spacing(2).highlight_symbol(sign);
    let table = table.highlight_spacing(ratatui::widgets::HighlightSpacing::Always);
    let mut state = TableState::default().with_selected(chosen.and_then(|chosen| chosen.checked_sub(from)));
    StatefulWidget::render(table, inner, pen.buffer(), &mut state);
    scroll_mark(pen, area, count, from);
}

/// A mark at the right edge that says which part of `count` rows is shown, from row `from` on; nothing when all are.
pub(crate) fn scroll_mark(pen: &mut Pen<'_>, area: Rect, count: usize, from: usize) {
    let rows = usize::from(area.height);
    if count <= rows || area.is_empty() {
        return;
    }
    let bar = Scrollbar::new(ScrollbarOrientation::VerticalRight)
        .begin_symbol(None)
        .end_symbol(None)
        .track_symbol(Some(" "))
        .thumb_symbol("▐")
        .thumb_style(pen.theme.ink(crate::theme::Ink::Faint));
    let mut state = ScrollbarState::new(count - rows).position(from).viewport_content_length(rows);
    StatefulWidget::render(bar, area, pen.buffer(), &mut state);
}
