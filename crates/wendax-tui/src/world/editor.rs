//! The text being written: a rope, a cursor, and what was done to it.
//!
//! Lines and columns count from 0 here, columns in characters. Every change goes through one place,
//! [`Editor::replace`], which keeps the undo list and tells how lines moved, so that what belongs to a line
//! can follow it. What looks like one sign (a letter with its marks) is moved over and erased as one.

pub(crate) mod rectangle;

use crate::cells;
use ropey::Rope;
use similar::{DiffOp, TextDiff};

/// Columns instructions and their parts stand at.
const STOP: usize = 8;

/// How a change moved lines.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LineShift {
    /// The line the change began on, from 0.
    pub line: usize,
    /// The change began at the first column of its line.
    pub at_margin: bool,
    /// Line ends taken away.
    pub removed: usize,
    /// Line ends put in.
    pub added: usize,
}

#[derive(Debug, Clone)]
struct Change {
    at: usize,
    removed: String,
    inserted: String,
    /// Undone and redone together with the one before it.
    joined: bool,
    /// Its number among all that were ever made.
    number: u64,
}

/// What the last change was, to tell which keystrokes belong together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Last {
    Nothing,
    Typed {
        end: usize,
    },
    Erased {
        at: usize,
    },
    /// Signs were put into a rectangle that has no columns now, at this one.
    Filled {
        column: usize,
    },
}

/// A text as it was at some moment; cheap to copy, whatever its length.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Text(Rope);

impl std::fmt::Display for Text {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.chunks().try_for_each(|chunk| f.write_str(chunk))
    }
}

impl From<&str> for Text {
    fn from(text: &str) -> Self {
        Self(Rope::from_str(text))
    }
}

/// The text being written.
#[derive(Debug, Clone)]
pub struct Editor {
    rope: Rope,
    line: usize,
    column: usize,
    /// The column of cells vertical moves try to keep; behind everything for the end of the line.
    wanted: usize,
    /// Where a selection began, in characters; the cursor is its other end.
    anchor: Option<usize>,
    /// Where a rectangle began: line and column of cells.
    corner: Option<(usize, usize)>,
    done: Vec<Change>,
    undone: Vec<Change>,
    /// Changes that were ever made.
    made: u64,
    last: Last,
    /// The line that was begun last, and how many blanks it was given.
    begun: Option<(usize, usize)>,
    revision: u64,
    /// Length of `done` when the text was last the same as the file; `None` when it cannot come back.
    saved: Option<usize>,
    shifts: Vec<LineShift>,
}

impl Editor {
    /// A text as it is in its file.
    pub fn new(text: &str) -> Self {
        Self {
            rope: Rope::from_str(text),
            line: 0,
            column: 0,
            wanted: 0,
            anchor: None,
            corner: None,
            done: Vec::new(),
            undone: Vec::new(),
            made: 0,
            last: Last::Nothing,
            begun: None,
            revision: 0,
            saved: Some(0),
            shifts: Vec::new(),
        }
    }

    // ---- looking

    /// The whole text.
    pub fn text(&self) -> String {
        self.rope.to_string()
    }

    /// The whole text, without a copy of it.
    pub fn shared_text(&self) -> Text {
        Text(self.rope.clone())
    }

    /// There is no text.
    pub fn is_empty(&self) -> bool {
        self.rope.len_chars() == 0
    }

    /// Goes up with every change.
    pub fn revision(&self) -> u64 {
        self.revision
    }

    /// The text differs from its file.
    pub fn is_changed(&self) -> bool {
        self.saved != Some(self.done.len())
    }

    /// How many lines there are; a text that ends with a line end has an empty last one.
    pub fn line_count(&self) -> usize {
        self.rope.len_lines()
    }

    /// A line without its line end; empty when there is none.
    pub fn line(&self, line: usize) -> String {
        let Some(slice) = self.rope.get_line(line) else { return String::new() };
        let mut text = slice.to_string();
        text.truncate(text.trim_end_matches(['\n', '\r']).len());
        text
    }

    /// Line and column of the cursor.
    pub fn cursor(&self) -> (usize, usize) {
        (self.line, self.column)
    }

    /// The lines and columns of what is selected, from where to where.
    pub fn selection(&self) -> Option<((usize, usize), (usize, usize))> {
        let range = self.selected_range()?;
        Some((self.place(range.start), self.place(range.end)))
    }

    /// What is selected; a rectangle row by row.
    pub fn selected_text(&self) -> Option<String> {
        if let Some(rectangle) = self.rectangle() {
            return Some(self.text_of(&rectangle));
        }
        Some(self.rope.slice(self.selected_range()?).to_string())
    }

    fn selected_range(&self) -> Option<std::ops::Range<usize>> {
        let anchor = self.anchor?.min(self.rope.len_chars());
        let at = self.offset();
        (anchor != at).then(|| anchor.min(at)..anchor.max(at))
    }

    fn place(&self, offset: usize) -> (usize, usize) {
        let line = self.rope.char_to_line(offset);
        (line, offset - self.rope.line_to_char(line))
    }

    /// The byte of the text that a line and column stand for.
    pub fn byte_at(&self, line: usize, column: usize) -> usize {
        let line = line.min(self.line_count().saturating_sub(1));
        self.rope.char_to_byte(self.rope.line_to_char(line) + column.min(self.length(line)))
    }

    /// Line and column of a byte.
    pub fn place_of_byte(&self, byte: usize) -> (usize, usize) {
        self.place(self.rope.byte_to_char(byte.min(self.rope.len_bytes())))
    }

    // ---- selecting

    /// From now on moves select, or no longer do.
    pub fn select(&mut self, on: bool) {
        if !on || self.corner.is_some() {
            (self.anchor, self.corner) = (None, None);
        }
        if on && self.anchor.is_none() {
            self.anchor = Some(self.offset());
        }
    }

    /// Selects everything.
    pub fn select_all(&mut self) {
        self.corner = None;
        self.go_to(usize::MAX, usize::MAX);
        self.anchor = Some(0);
    }

    /// Selects a place of the text, in lines and columns.
    pub fn select_range(&mut self, from: (usize, usize), to: (usize, usize)) {
        self.corner = None;
        self.go_to(from.0, from.1);
        self.anchor = Some(self.offset());
        self.go_to(to.0, to.1);
    }

    /// Takes out what is selected; tells if there was anything.
    pub fn erase_selection(&mut self) -> bool {
        if self.erase_rectangle(None) {
            return true;
        }
        let Some(range) = self.selected_range() else { return false };
        self.anchor = None;
        self.replace(range.start, range.len(), "", false);
        self.last = Last::Nothing;
        self.go_to_offset(range.start);
        true
    }

    /// The first and last line that is selected, or that of the cursor.
    pub fn selected_lines(&self) -> (usize, usize) {
        if let Some(rectangle) = self.rectangle() {
            return rectangle.lines.into_inner();
        }
        match self.selection() {
            // A selection that ends at a margin does not reach into that line.
            Some((from, (to, 0))) if to > from.0 => (from.0, to - 1),
            Some((from, to)) => (from.0, to.0),
            None => (self.line, self.line),
        }
    }

    /// Puts other lines in the place of the selected ones, in one undo step.
    pub fn change_lines(&mut self, change: impl Fn(&str) -> String) {
        let (first, last) = self.selected_lines();
        // What is selected stays so, as far as whole lines go.
        let anchored = self.anchor.map(|anchor| self.place(anchor.min(self.rope.len_chars())));
        let mut joined = false;
        for line in first..=last {
            let before = self.line(line);
            let after = change(&before);
            if after != before {
                let start = self.rope.line_to_char(line);
                self.replace(start, before.chars().count(), &after, joined);
                joined = true;
            }
        }
        self.anchor = anchored.map(|(line, column)| {
            let line = line.min(self.line_count().saturating_sub(1));
            self.rope.line_to_char(line) + column.min(self.length(line))
        });
        self.last = Last::Nothing;
        self.go_to(self.line, self.column);
    }

    /// The bytes of some lines, with their line ends, and whether the last of them has one.
    fn bytes_of_lines(&self, first: usize, last: usize) -> (std::ops::Range<usize>, bool) {
        let start = self.rope.line_to_byte(first);
        let end = self.rope.line_to_byte((last + 1).min(self.rope.len_lines()));
        let has_end = self.rope.byte_slice(start..end).to_string().ends_with('\n');
        (start..end, has_end)
    }

    /// Selected lines, or that of the cursor, change places with the line above or below; what was selected stays so. False
    /// where there is none.
    pub fn shift_lines(&mut self, down: bool) -> bool {
        let (first, last) = self.selected_lines();
        let neighbour =
            if down { Some(last + 1).filter(|line| *line < self.line_count()) } else { first.checked_sub(1) };
        let Some(neighbour) = neighbour else { return false };
        let (block, block_has_end) = self.bytes_of_lines(first, last);
        let (other, other_has_end) = self.bytes_of_lines(neighbour, neighbour);
        let text = self.rope.byte_slice(other.clone()).to_string();
        // Behind the last line end there is no line.
        if down && text.is_empty() {
            return false;
        }
        let line_end = if self.has_crlf() { "\r\n" } else { "\n" };
        let edits = match (down, block_has_end, other_has_end) {
            (true, _, true) => vec![(block.start..block.start, text), (other, String::new())],
            // The line that has no end goes up, and the block is the last now.
            (true, _, false) => {
                let end = block.end - line_end.len();
                vec![(block.start..block.start, text + line_end), (end..other.end, String::new())]
            }
            (false, true, _) => vec![(other, String::new()), (block.end..block.end, text)],
            (false, false, _) => {
                let text = format!("{line_end}{}", text.trim_end_matches(['\r', '\n']));
                vec![(other, String::new()), (block.end..block.end, text)]
            }
        };
        let by = |line: usize| if down { line + 1 } else { line.saturating_sub(1) };
        let (cursor, anchor) = (self.cursor(), self.anchor.map(|anchor| self.place(anchor.min(self.rope.len_chars()))));
        self.apply(&edits);
        self.select_again(anchor.map(|(line, column)| (by(line), column)), (by(cursor.0), cursor.1));
        true
    }

    /// Puts selected lines, or that of the cursor, below themselves once more, and goes to the copy.
    pub fn double_lines(&mut self) {
        let (first, last) = self.selected_lines();
        let (block, has_end) = self.bytes_of_lines(first, last);
        let text = self.rope.byte_slice(block.clone()).to_string();
        let line_end = if self.has_crlf() { "\r\n" } else { "\n" };
        let text = if has_end { text } else { format!("{line_end}{text}") };
        let by = last + 1 - first;
        let (cursor, anchor) = (self.cursor(), self.anchor.map(|anchor| self.place(anchor.min(self.rope.len_chars()))));
        self.apply(&[(block.end..block.end, text)]);
        self.select_again(anchor.map(|(line, column)| (line + by, column)), (cursor.0 + by, cursor.1));
    }

    fn select_again(&mut self, anchor: Option<(usize, usize)>, (line, column): (usize, usize)) {
        match anchor {
            Some(anchor) => self.select_range(anchor, (line, column)),
            None => self.go_to(line, column),
        }
    }

    fn length(&self, line: usize) -> usize {
        self.line(line).chars().count()
    }

    fn offset(&self) -> usize {
        self.rope.line_to_char(self.line) + self.column
    }

    // ---- moving

    /// Puts the cursor at a line and column, or as near as the text allows.
    pub fn go_to(&mut self, line: usize, column: usize) {
        self.line = line.min(self.line_count().saturating_sub(1));
        let text = self.line(self.line);
        self.column = column.min(text.chars().count());
        self.wanted = cells::column_of(&text, self.column);
        self.last = Last::Nothing;
    }

    /// Moves by lines, keeping the column of cells where lines are long enough.
    pub fn move_lines(&mut self, by: isize) {
        let wanted = self.wanted;
        let line = self.line.saturating_add_signed(by).min(self.line_count().saturating_sub(1));
        self.go_to(line, cells::place_at(&self.line(line), wanted));
        self.wanted = wanted;
    }

    /// Moves by one sign, over line ends.
    pub fn move_sign(&mut self, forward: bool) {
        match cells::next_place(&self.line(self.line), self.column, forward) {
            Some(column) => self.go_to(self.line, column),
            None if forward && self.line + 1 < self.line_count() => self.go_to(self.line + 1, 0),
            None if !forward && self.line > 0 => self.go_to(self.line - 1, usize::MAX),
            None => self.last = Last::Nothing,
        }
    }

    /// Moves to the start of the next word, or of this or the last one.
    pub fn move_word(&mut self, forward: bool) {
        let text: Vec<char> = self.line(self.line).chars().collect();
        let word = |at: usize| text.get(at).is_some_and(|c| c.is_alphanumeric() || matches!(c, '_' | '@' | '.'));
        let starts = |at: usize| word(at) && (at == 0 || !word(at - 1));
        let found = if forward {
            (self.column + 1..text.len()).find(|&at| starts(at))
        } else {
            (0..self.column).rev().find(|&at| starts(at))
        };
        match found {
            Some(column) => self.go_to(self.line, column),
            None if forward && self.column < text.len() => self.go_to(self.line, text.len()),
            None if !forward && self.column > 0 => self.go_to(self.line, 0),
            None => self.move_sign(forward),
        }
    }

    /// Moves to the first sign of the line, or from there to its margin.
    pub fn move_home(&mut self) {
        let indent = self.line(self.line).chars().take_while(|c| c.is_whitespace()).count();
        self.go_to(self.line, if self.column == indent { 0 } else { indent });
    }

    /// Moves to the end of the line.
    pub fn move_end(&mut self) {
        self.go_to(self.line, usize::MAX);
    }

    fn go_to_offset(&mut self, offset: usize) {
        let line = self.rope.char_to_line(offset);
        let column = offset - self.rope.line_to_char(line);
        let last = self.last;
        self.go_to(line, column);
        self.last = last;
    }

    // ---- changing

    /// Types a text at the cursor.
    pub fn insert(&mut self, text: &str) {
        if self.fill_rectangle(text) {
            return;
        }
        let replaced = self.erase_selection();
        if !text.starts_with(char::is_whitespace) {
            self.take_back_indentation();
        }
        let at = self.offset();
        let joined = replaced || matches!(self.last, Last::Typed { end } if end == at) && !text.contains('\n');
        self.anchor = None;
        self.replace(at, 0, text, joined);
        let end = at + text.chars().count();
        self.last = if text.contains('\n') { Last::Nothing } else { Last::Typed { end } };
        self.go_to_offset(end);
    }

    /// Begins a new line, indented like this one; the label of this line does not count as indentation.
    pub fn new_line(&mut self) {
        let line: Vec<char> = self.line(self.line).chars().take(self.column).collect();
        let indent: String = line.iter().take_while(|c| c.is_whitespace()).collect();
        let end = if self.has_crlf() { "\r\n" } else { "\n" };
        self.insert(&format!("{end}{indent}"));
        self.begun = Some((self.line, self.column));
    }

    /// Someone who typed the blanks of a new line as well as being given them wants them once.
    fn take_back_indentation(&mut self) {
        let Some((line, given)) = self.begun.take() else { return };
        let text = self.line(self.line);
        let is_double = self.column == given * 2 && text.chars().count() == self.column;
        if line == self.line && given > 0 && is_double && text.chars().all(|c| c == ' ') {
            let start = self.rope.line_to_char(line);
            self.replace(start, given, "", false);
            self.go_to(line, given);
        }
    }

    fn has_crlf(&self) -> bool {
        self.rope.get_line(0).is_some_and(|first| first.to_string().ends_with("\r\n"))
    }

    /// Goes on to the next column instructions and their parts stand at; selected lines go further in.
    pub fn tab(&mut self) {
        if self.tab_rectangle() {
            return;
        }
        if self.selection().is_some_and(|(from, to)| from.0 != to.0) {
            return self.change_lines(|line| if line.is_empty() { String::new() } else { " ".repeat(STOP) + line });
        }
        let column = cells::column_of(&self.line(self.line), self.column);
        self.insert(&" ".repeat(STOP - column % STOP));
    }

    /// Takes a stop's worth of blanks from the beginning of the line, or of those selected.
    pub fn tab_back(&mut self) {
        self.change_lines(|line| {
            let blanks = line.chars().take(STOP).take_while(|c| *c == ' ').count();
            line.strip_prefix('\t').unwrap_or(&line[blanks..]).to_owned()
        });
    }

    /// Erases the sign before the cursor; back to the last column stop in an indentation.
    pub fn backspace(&mut self) {
        if self.erase_rectangle(Some(false)) || self.erase_selection() {
            return;
        }
        let at = self.offset();
        let line = self.line(self.line);
        let before: String = line.chars().take(self.column).collect();
        let blank = !before.is_empty() && before.chars().all(|c| c == ' ');
        let count = match cells::next_place(&line, self.column, false) {
            Some(_) if blank => (self.column - 1) % STOP + 1,
            Some(place) => self.column - place,
            None if at >= 2 && self.rope.slice(at - 2..at) == "\r\n" => 2,
            None => 1,
        };
        if at >= count {
            self.erase(at - count, count);
        }
    }

    /// Erases the sign under the cursor.
    pub fn delete(&mut self) {
        if self.erase_rectangle(Some(true)) || self.erase_selection() {
            return;
        }
        let at = self.offset();
        let left = self.rope.len_chars() - at;
        let count = match cells::next_place(&self.line(self.line), self.column, true) {
            Some(place) => place - self.column,
            None if left >= 2 && self.rope.slice(at..at + 2) == "\r\n" => 2,
            None => 1,
        };
        if count <= left {
            self.erase(at, count);
        }
    }

    /// Erases the whole line.
    pub fn delete_line(&mut self) {
        let start = self.rope.line_to_char(self.line);
        let end = self.rope.line_to_char((self.line + 1).min(self.line_count()));
        self.column = 0;
        self.replace(start, end - start, "", false);
        self.last = Last::Nothing;
        self.go_to(self.line, 0);
    }

    fn erase(&mut self, at: usize, count: usize) {
        let joined = matches!(self.last, Last::Erased { at: last } if last == at || last == at + count);
        self.replace(at, count, "", joined);
        self.last = Last::Erased { at };
        self.go_to_offset(at);
    }

    /// Replaces ranges of bytes by texts, all in one undo step. Ranges must not overlap.
    pub fn apply(&mut self, edits: &[(std::ops::Range<usize>, String)]) {
        let mut sorted: Vec<_> = edits.iter().filter(|(range, _)| range.end <= self.rope.len_bytes()).collect();
        // From the end on; what is put in before a range that goes comes after it.
        sorted.sort_by_key(|(range, _)| std::cmp::Reverse((range.start, range.end)));
        for (index, (range, text)) in sorted.into_iter().enumerate() {
            let at = self.rope.byte_to_char(range.start);
            let count = self.rope.byte_to_char(range.end) - at;
            let known = self.shifts.len();
            self.replace(at, count, text, index > 0);
            // The cursor stays with its line.
            if let Some(shift) = self.shifts.get(known) {
                self.line = shift.moved(self.line).unwrap_or(shift.line);
            }
        }
        self.last = Last::Nothing;
        self.go_to(self.line, self.column);
    }

    /// Makes the text another one by changing the lines that differ, as one change: what belongs to the others stays
    /// with them.
    pub fn become_text(&mut self, text: &str) {
        let before = self.text();
        self.apply(&changed_lines(&before, text));
    }

    fn replace(&mut self, at: usize, count: usize, text: &str, joined: bool) {
        (self.anchor, self.corner) = (None, None);
        let removed = self.rope.slice(at..at + count).to_string();
        if removed.is_empty() && text.is_empty() {
            return;
        }
        if self.saved.is_some_and(|saved| saved > self.done.len()) {
            self.saved = None;
        }
        self.undone.clear();
        self.made += 1;
        let change = Change { at, removed, inserted: text.to_owned(), joined, number: self.made };
        self.carry_out(&change);
        self.done.push(change);
    }

    fn carry_out(&mut self, change: &Change) {
        let line = self.rope.char_to_line(change.at);
        let at_margin = self.rope.line_to_char(line) == change.at;
        let ends = |text: &str| text.matches('\n').count();
        self.rope.remove(change.at..change.at + change.removed.chars().count());
        self.rope.insert(change.at, &change.inserted);
        self.shifts.push(LineShift { line, at_margin, removed: ends(&change.removed), added: ends(&change.inserted) });
        self.revision += 1;
    }

    /// Takes back the last group of changes; tells if there was one.
    pub fn undo(&mut self) -> bool {
        let mut any = false;
        while let Some(change) = self.done.pop() {
            let back = Change { removed: change.inserted.clone(), inserted: change.removed.clone(), ..change };
            self.carry_out(&back);
            self.go_to_offset(change.at + change.removed.chars().count());
            let joined = change.joined;
            self.undone.push(change);
            any = true;
            if !joined {
                break;
            }
        }
        self.last = Last::Nothing;
        self.corner = None;
        any
    }

    /// Does again what was taken back last; tells if there was anything.
    pub fn redo(&mut self) -> bool {
        let mut any = false;
        while let Some(change) = self.undone.pop() {
            self.carry_out(&change);
            self.go_to_offset(change.at + change.inserted.chars().count());
            self.done.push(change);
            any = true;
            if !self.undone.last().is_some_and(|next| next.joined) {
                break;
            }
        }
        self.last = Last::Nothing;
        self.corner = None;
        any
    }

    /// The text is now the same as its file.
    pub fn mark_saved(&mut self) {
        self.saved = Some(self.done.len());
        self.last = Last::Nothing;
    }

    /// From now on no text of this editor is the one on disk.
    pub fn mark_unsaved(&mut self) {
        self.saved = None;
    }

    /// Which of its states the text is in: undone or done again, it is in the same one as before.
    pub fn state(&self) -> u64 {
        self.done.last().map_or(0, |change| change.number)
    }

    /// How lines moved since this was last called.
    pub fn take_shifts(&mut self) -> Vec<LineShift> {
        std::mem::take(&mut self.shifts)
    }
}

impl LineShift {
    /// Where something that belongs to `line` goes; `None` when its line is gone.
    pub fn moved(&self, line: usize) -> Option<usize> {
        if line < self.line || line == self.line && !(self.at_margin && self.added > 0 && self.removed == 0) {
            // The line the change began on stays itself, unless its whole text is pushed down or taken out.
            let taken = line == self.line && self.at_margin && self.removed > 0 && self.added == 0;
            return (!taken).then_some(line);
        }
        if line > self.line && line < self.line + self.removed {
            return None;
        }
        if line == self.line + self.removed && self.removed > 0 && !self.at_margin && self.added == 0 {
            // Joined to the line before it.
            return Some(self.line);
        }
        Some(line + self.added - self.removed)
    }
}

/// The edits that make one text of another: ranges of bytes and what comes in their place, line by line.
fn changed_lines(before: &str, after: &str) -> Vec<(std::ops::Range<usize>, String)> {
    /// Of more lines that differ it is not worked out which are the same: that takes time.
    const MOST: usize = 5_000;
    let (old, new): (Vec<&str>, Vec<&str>) =
        (before.split_inclusive('\n').collect(), after.split_inclusive('\n').collect());
    let same = old.iter().zip(&new).take_while(|(old, new)| old == new).count();
    let left = old[same..].iter().rev().zip(new[same..].iter().rev()).take_while(|(old, new)| old == new).count();
    let (old, new) = (&old[same..old.len() - left], &new[same..new.len() - left]);
    let start = before.split_inclusive('\n').take(same).map(str::len).sum::<usize>();
    let starts: Vec<usize> = std::iter::once(start)
        .chain(old.iter().scan(start, |at, line| {
            *at += line.len();
            Some(*at)
        }))
        .collect();
    if old.len() + new.len() > MOST {
        return vec![(start..starts[old.len()], new.concat())];
    }
    let mut edits = Vec::new();
    // Where an operation lies is counted here: of insertions the library tells it less exactly.
    let mut at = (0, 0);
    for op in TextDiff::from_slices(old, new).ops() {
        let (from, to) = (at.0..at.0 + op.old_range().len(), at.1..at.1 + op.new_range().len());
        at = (from.end, to.end);
        if matches!(op, DiffOp::Equal { .. }) {
            continue;
        }
        // Lines that were changed one by one stay the lines they are.
        if from.len() == to.len() {
            edits.extend(from.zip(to).map(|(line, by)| (starts[line]..starts[line + 1], new[by].to_owned())));
        } else {
            edits.push((starts[from.start]..starts[from.end], new[to].concat()));
        }
    }
    edits
}
