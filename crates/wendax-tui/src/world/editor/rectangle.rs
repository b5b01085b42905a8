//! A rectangle of columns: what is selected in the same cells of several lines, and changes of all of them at once.
//!
//! Its one corner is kept, the other is the cursor with the column of cells it keeps to. So it may reach behind short
//! lines, and holds nothing there.

use super::{Editor, Last, STOP};
use crate::cells;
use std::ops::{Range, RangeInclusive};

/// A rectangle: lines, and columns of cells.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rectangle {
    /// Its lines, from 0.
    pub lines: RangeInclusive<usize>,
    /// Its columns of cells; none where signs are only to be put in.
    pub cells: Range<usize>,
}

impl Editor {
    /// What is selected as a rectangle.
    pub fn rectangle(&self) -> Option<Rectangle> {
        let (line, cell) = self.corner?;
        let line = line.min(self.line_count().saturating_sub(1));
        Some(Rectangle {
            lines: line.min(self.line)..=line.max(self.line),
            cells: cell.min(self.wanted)..cell.max(self.wanted),
        })
    }

    /// From now on moves with selecting change a rectangle that has one corner here; or the signs from here to there
    /// are selected again, as usual.
    pub fn turn_rectangle(&mut self) {
        if let Some((line, cell)) = self.corner.take() {
            let line = line.min(self.line_count().saturating_sub(1));
            let column = cells::place_at(&self.line(line), cell);
            return self.select_range((line, column), self.cursor());
        }
        let (line, column) =
            self.anchor.take().map_or(self.cursor(), |anchor| self.place(anchor.min(self.rope.len_chars())));
        self.corner = Some((line, cells::column_of(&self.line(line), column)));
    }

    /// Moves the corner at the cursor by a line or a cell; begins a rectangle where there is none.
    pub fn stretch(&mut self, lines: isize, columns: isize) {
        if self.corner.is_none() {
            self.turn_rectangle();
        }
        let corner = self.corner;
        let wanted = self.wanted.saturating_add_signed(columns);
        let line = self.line.saturating_add_signed(lines).min(self.line_count().saturating_sub(1));
        self.go_to(line, cells::place_at(&self.line(line), wanted));
        (self.wanted, self.corner) = (wanted, corner);
    }

    /// The characters of a line that lie in columns of cells.
    fn within(&self, line: usize, columns: &Range<usize>) -> Range<usize> {
        let text = self.line(line);
        cells::place_at(&text, columns.start)..cells::place_at(&text, columns.end)
    }

    /// What a rectangle holds, row by row.
    pub(super) fn text_of(&self, rectangle: &Rectangle) -> String {
        let row = |line| {
            let range = self.within(line, &rectangle.cells);
            self.line(line).chars().skip(range.start).take(range.len()).collect::<String>()
        };
        rectangle.lines.clone().map(row).collect::<Vec<_>>().join("\n")
    }

    /// Puts a row into each line of a rectangle, in the place of what it holds there: the same one everywhere, or the
    /// first, second and so on. Lines that do not reach so far are made longer by blanks. One step of undo, with what was typed
    /// into it right before.
    fn fill(&mut self, rectangle: &Rectangle, rows: &[&str]) {
        let left = rectangle.cells.start;
        let first = *rectangle.lines.start();
        let mut joined = matches!(self.last, Last::Filled { column } if column == left);
        let cursor = self.line;
        for line in rectangle.lines.clone().rev() {
            let row = if rows.len() == 1 { rows.first() } else { rows.get(line - first) }.copied().unwrap_or_default();
            let range = self.within(line, &rectangle.cells);
            let wide = cells::column_of(&self.line(line), range.start);
            let pad = if row.is_empty() { 0 } else { left.saturating_sub(wide) };
            let start = self.rope.line_to_char(line) + range.start;
            self.replace(start, range.len(), &format!("{}{row}", " ".repeat(pad)), joined);
            joined = true;
        }
        let widest = rows.iter().map(|row| cells::behind(row, left)).max().unwrap_or(left);
        let other = if cursor == first { *rectangle.lines.end() } else { first };
        self.go_to(cursor, cells::place_at(&self.line(cursor), widest));
        (self.wanted, self.corner) = (widest, Some((other, widest)));
        self.last = Last::Filled { column: widest };
    }

    /// Types a text into each line of the rectangle; tells if there is one. What has several lines is no text for that.
    pub(super) fn fill_rectangle(&mut self, text: &str) -> bool {
        let Some(rectangle) = self.rectangle().filter(|_| !text.contains('\n')) else { return false };
        self.fill(&rectangle, &[text]);
        true
    }

    /// Goes on to the next column stop in each line of the rectangle; tells if there is one.
    pub(super) fn tab_rectangle(&mut self) -> bool {
        let Some(rectangle) = self.rectangle() else { return false };
        let blanks = " ".repeat(STOP - rectangle.cells.start % STOP);
        self.fill(&rectangle, &[&blanks]);
        true
    }

    /// Erases what the rectangle holds, and in one without columns the cell before or behind; tells if there is one.
    pub(super) fn erase_rectangle(&mut self, forward: Option<bool>) -> bool {
        let Some(mut rectangle) = self.rectangle() else { return false };
        if rectangle.cells.is_empty() {
            match forward {
                Some(true) => rectangle.cells.end += 1,
                Some(false) => rectangle.cells.start = rectangle.cells.start.saturating_sub(1),
                None => {}
            }
        }
        self.fill(&rectangle, &[""]);
        true
    }

    /// Puts in what was a rectangle as one: its rows into this line and those below, at the cursor's column.
    pub fn paste_rectangle(&mut self, text: &str) {
        let rows: Vec<&str> = text.lines().collect();
        let mut rectangle = self.rectangle().unwrap_or_else(|| {
            let cell = cells::column_of(&self.line(self.line), self.column);
            Rectangle { lines: self.line..=self.line, cells: cell..cell }
        });
        let first = *rectangle.lines.start();
        // One row goes into each line of the rectangle that is selected.
        let last = if rows.len() == 1 { *rectangle.lines.end() } else { first + rows.len().saturating_sub(1) };
        rectangle.lines = first..=last;
        self.last = Last::Nothing;
        let missing = (last + 1).saturating_sub(self.line_count());
        if missing > 0 {
            let end = if self.has_crlf() { "\r\n" } else { "\n" };
            self.replace(self.rope.len_chars(), 0, &end.repeat(missing), false);
            self.last = Last::Filled { column: rectangle.cells.start };
        }
        // Rows of one width keep what stands behind them in its column.
        let wide = rows.iter().map(|row| cells::behind(row, 0)).max().unwrap_or(0);
        let padded = |row: &&str| format!("{row}{}", " ".repeat(wide - cells::behind(row, 0)));
        let is_behind = |line: usize| {
            let text = self.line(line);
            cells::place_at(&text, rectangle.cells.end) < text.chars().count()
        };
        let rows: Vec<String> = if rectangle.lines.clone().any(is_behind) {
            rows.iter().map(padded).collect()
        } else {
            rows.iter().map(|row| (*row).to_owned()).collect()
        };
        self.line = first;
        self.fill(&rectangle, &rows.iter().map(String::as_str).collect::<Vec<_>>());
        self.corner = None;
    }
}
