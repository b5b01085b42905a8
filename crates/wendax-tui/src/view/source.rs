//! The source: mark, address, code words, text; values beside lines already run; problems under their line.

use super::pen::{Pen, width, wrap};
use crate::state::{App, Breakpoint, Mode, Pane};
use crate::theme::Ink;
use ratatui::layout::Rect;
use ratatui::style::Style;
use unicode_width::UnicodeWidthChar;
use wendax_asm::{Lexeme, Line, LineKind, lexemes};
use wendax_session::{Effects, Session};
use wendax_source::{Diagnostic, Severity};

/// A row of the pane.
enum Row {
    Line(usize),
    Problem(ProblemRow),
}

/// A row about a diagnostic; columns count from the margin of the text.
struct ProblemRow {
    severity: Severity,
    /// Where the sign under the place goes, on the first row.
    sign: Option<usize>,
    /// Where the words go, and the words.
    words: (usize, String),
}

/// Widths of the columns before the text.
struct Columns {
    address: u16,
    code: u16,
}

impl Columns {
    fn for_width(width: u16) -> Self {
        match width {
            0..50 => Self { address: 5, code: 0 },
            50..62 => Self { address: 5, code: 5 },
            _ => Self { address: 5, code: 11 },
        }
    }

    fn text(&self) -> u16 {
        3 + self.address + self.code
    }
}

pub(super) fn draw(app: &mut App, pen: &mut Pen<'_>, area: Rect) {
    let note = format!("line {} of {}", app.editor.cursor().0 + 1, app.editor.line_count());
    pen.head(area, "source", &note, app.focus == Pane::Source);
    if area.height < 2 {
        return;
    }
    let body = Rect { y: area.y + 1, height: area.height - 1, ..area };
    app.source_height = body.height.into();
    let columns = Columns::for_width(area.width);
    app.source_top = top(app, body.height.into(), problem_room(body.width, &columns));
    let scroll = text_scroll(app, body.width.saturating_sub(columns.text() + 1).into());
    let ran = notes_of_trail(app);
    let pieces = pieces_in(app, app.source_top..app.source_top + usize::from(body.height));
    for (y, row) in (body.y..body.bottom()).zip(rows(app, app.source_top, problem_room(body.width, &columns), scroll)) {
        let place = Rect { y, height: 1, ..body };
        match row {
            Row::Line(line) => {
                let piece = pieces.get(line - app.source_top).copied().flatten();
                let note = ran.iter().find(|(of, _)| *of == line).map(|(_, text)| text.as_str());
                line_row(app, pen, place, &columns, line, piece, note, scroll);
            }
            Row::Problem(row) => problem_row(pen, place, &columns, &row),
        }
    }
}

/// Columns there are for what is said of a problem.
fn problem_room(width: u16, columns: &Columns) -> u16 {
    width.saturating_sub(columns.text() + 3)
}

/// Lines from `top` on, each with its problems under it.
fn rows(app: &App, top: usize, room: u16, scroll: usize) -> impl Iterator<Item = Row> + '_ {
    (top..app.editor.line_count()).flat_map(move |line| {
        std::iter::once(Row::Line(line)).chain(problem_rows(app, line, room, scroll).into_iter().map(Row::Problem))
    })
}

/// What is shown of the problems of a line. Hints show only at the cursor.
fn problem_rows(app: &App, line: usize, room: u16, scroll: usize) -> Vec<ProblemRow> {
    let cursor = app.editor.cursor().0;
    let mut rows = Vec::new();
    for (diagnostic, column) in app.diagnostics_on(line) {
        if diagnostic.severity == Severity::Hint && line != cursor {
            continue;
        }
        let room = usize::from(room);
        let sign = display_column(&app.editor.line(line), column).saturating_sub(scroll).min(room);
        for (index, text) in problem_text(diagnostic, room).into_iter().enumerate() {
            let wide = usize::from(width(&text));
            let beside = (sign + 2).min(room.saturating_sub(wide));
            let mut row = ProblemRow { severity: diagnostic.severity, sign: None, words: (beside, text) };
            if index == 0 && beside < sign + 2 {
                // No room behind the sign: before it, or else on the next row.
                if wide < sign {
                    row.words.0 = sign - wide - 1;
                    row.sign = Some(sign);
                } else {
                    rows.push(ProblemRow {
                        severity: diagnostic.severity,
                        sign: Some(sign),
                        words: (0, String::new()),
                    });
                }
            } else if index == 0 {
                row.sign = Some(sign);
            }
            rows.push(row);
        }
    }
    rows
}

/// What is wrong and how to mend it: on one line when it fits, else on as many as it takes.
fn problem_text(diagnostic: &Diagnostic, room: usize) -> Vec<String> {
    let room = u16::try_from(room).unwrap_or(u16::MAX);
    let message = format!("{} {}", diagnostic.code, diagnostic.message);
    let way = match (&diagnostic.fix, diagnostic.expected.first()) {
        (Some(fix), _) => format!("Ctrl-T: {}", fix.title),
        (None, Some(form)) => format!("right: {form}"),
        (None, None) => return wrap(&message, room),
    };
    let whole = format!("{message} · {way}");
    if width(&whole) <= room {
        return vec![whole];
    }
    let mut lines = wrap(&message, room);
    lines.extend(wrap(&way, room));
    lines
}

/// The first line to show, so that the cursor's line and its problems are in view.
fn top(app: &App, height: usize, room: u16) -> usize {
    let cursor = app.editor.cursor().0;
    let margin = if height > 12 { 3 } else { 0 };
    let mut top = app.source_top.min(cursor.saturating_sub(margin)).min(app.editor.line_count().saturating_sub(1));
    // Far jumps land in the middle of the pane.
    if cursor > top + 3 * height {
        top = cursor - height / 2;
    }
    let last = (cursor + margin).min(app.editor.line_count() - 1);
    let mut needed: usize = (top..=last).map(|line| 1 + problem_rows(app, line, room, 0).len()).sum();
    while needed > height && top < cursor {
        needed -= 1 + problem_rows(app, top, room, 0).len();
        top += 1;
    }
    top
}

/// How many columns of text are scrolled out to the left while writing a long line.
fn text_scroll(app: &App, room: usize) -> usize {
    let (line, column) = app.editor.cursor();
    if app.mode != Mode::Write || room < 8 {
        return 0;
    }
    let at = display_column(&app.editor.line(line), column);
    if at < room { 0 } else { at - room + 8 }
}

/// The column on screen of a character, with tabs going to the next multiple of eight.
fn display_column(text: &str, column: usize) -> usize {
    text.chars().take(column).fold(0, |at, c| at + char_width(c, at))
}

fn char_width(c: char, at: usize) -> usize {
    if c == '\t' { 8 - at % 8 } else { c.width().unwrap_or(1).max(usize::from(c.is_control())) }
}

/// A line as it is shown: tabs as blanks, with a style for each byte range of the original.
fn shown_text(text: &str) -> String {
    let mut shown = String::with_capacity(text.len());
    let mut at = 0;
    for c in text.chars() {
        let wide = char_width(c, at);
        if c == '\t' {
            shown.push_str(&" ".repeat(wide));
        } else {
            shown.push(c);
        }
        at += wide;
    }
    shown
}

/// The statement of each line in a range.
fn pieces_in(app: &App, lines: std::ops::Range<usize>) -> Vec<Option<&Line>> {
    let mut pieces = vec![None; lines.len()];
    for piece in &app.assembly.image.lines {
        let line = piece.line as usize - 1;
        if lines.contains(&line) {
            pieces[line - lines.start].get_or_insert(piece);
        }
    }
    pieces
}

/// What the last run of each line did, for lines run lately: line and text.
fn notes_of_trail(app: &App) -> Vec<(usize, String)> {
    let Some(session) = app.session.as_ref().filter(|_| app.is_current()) else { return Vec::new() };
    let mut notes: Vec<(usize, String)> = Vec::new();
    for effects in session.trail().rev() {
        let Some(line) = session.image().line_at(effects.pc) else { continue };
        let line = line.line as usize - 1;
        if notes.iter().all(|(known, _)| *known != line) {
            notes.push((line, brief(session, effects)));
        }
    }
    notes
}

/// The values a step left behind, in a few signs.
fn brief(session: &Session, effects: &Effects) -> String {
    let target = session.machine().target();
    let mut parts: Vec<String> = effects
        .registers
        .iter()
        .filter(|change| change.register != target.stack_register)
        .map(|change| format!("{} {}", target.registers[change.register].name, short_value(session, change.new)))
        .collect();
    let jumped = effects.insn.is_some() && !effects.fell_through();
    if parts.is_empty() && !jumped {
        parts.extend(effects.memory.iter().take(1).map(|change| {
            format!("[{}] {}", target.hex_address(change.address), short_value(session, change.new_value()))
        }));
    }
    if parts.is_empty() && jumped {
        let to = session.image().line_at(effects.next).map_or(String::new(), |line| format!(" {}", line.line));
        parts.push(format!("went to{to}"));
    }
    parts.join("  ")
}

fn short_value(session: &Session, value: u32) -> String {
    match session.image().label_at(value).filter(|_| value >= 0x20) {
        Some(symbol) => symbol.name.clone(),
        None => session.machine().target().signed(value).to_string(),
    }
}

#[expect(clippy::too_many_arguments, reason = "all that one row shows")]
fn line_row(
    app: &App,
    pen: &mut Pen<'_>,
    area: Rect,
    columns: &Columns,
    line: usize,
    piece: Option<&Line>,
    note: Option<&str>,
    scroll: usize,
) {
    let present = app.is_current() && app.present_line() == Some(line);
    let (cursor, column) = app.editor.cursor();
    if present {
        pen.band(area);
    }
    marks(app, pen, area, line, present, cursor == line);
    if let Some(piece) = piece {
        let ink = if present { Ink::Time } else { Ink::Place };
        pen.text(area.x + 3, area.y, columns.address, &format!("{:04X}", piece.address), ink);
        if columns.code > 0 {
            let text = code_text(app, piece, columns.code);
            pen.text(area.x + 3 + columns.address, area.y, columns.code, &text, Ink::Faint);
        }
    }
    let x = area.x + columns.text();
    let room = area.right().saturating_sub(x + 1);
    let text = app.editor.line(line);
    let end = source_text(pen, x, area.y, room, &text, scroll);
    let free = area.right().saturating_sub(end + 3);
    // What the present line did last time is no news of what it will do now.
    if let Some(note) = note.filter(|note| width(note) <= free && !present) {
        pen.right(Rect { width: area.width - 1, ..area }, area.y, note, Ink::Quiet);
    }
    if cursor == line && app.overlay.is_none() && app.focus == Pane::Source && app.mode == Mode::Write {
        let at = display_column(&text, column).saturating_sub(scroll);
        pen.caret(x + u16::try_from(at).unwrap_or(u16::MAX).min(room), area.y);
    }
}

fn marks(app: &App, pen: &mut Pen<'_>, area: Rect, line: usize, present: bool, cursor: bool) {
    let breakpoint = app.breakpoints.iter().any(|breakpoint| match *breakpoint {
        Breakpoint::Line(known) => known == line,
        Breakpoint::Address(address) => app
            .session
            .as_ref()
            .and_then(|session| session.image().line_at(address))
            .is_some_and(|entry| entry.line as usize - 1 == line),
    });
    let severity = app.diagnostics_on(line).map(|(diagnostic, _)| diagnostic.severity).min();
    let (sign, ink) = match (present, cursor, severity) {
        (_, _, Some(Severity::Problem)) => ("✕", Ink::Trouble),
        (_, _, Some(Severity::Warning)) => ("!", Ink::Time),
        (true, _, _) => ("▌", Ink::Time),
        (_, true, _) => ("›", Ink::Place),
        (_, _, Some(Severity::Hint)) => ("·", Ink::Quiet),
        _ => (" ", Ink::Text),
    };
    pen.text(area.x, area.y, 1, sign, ink);
    if breakpoint {
        pen.text(area.x + 1, area.y, 1, "◆", Ink::Trouble);
    }
}

/// Code as words, data as bytes in order of address; what does not fit ends with a dot row.
fn code_text(app: &App, piece: &Line, room: u16) -> String {
    let bytes = app.assembly.image.bytes(piece.address, piece.length);
    let room = usize::from(room) - 1;
    let parts: Vec<String> = match piece.kind {
        LineKind::Reserved => return String::new(),
        LineKind::Code => {
            bytes.chunks(2).map(|pair| format!("{:02X}{:02X}", pair.get(1).copied().unwrap_or(0), pair[0])).collect()
        }
        LineKind::Data => bytes.iter().take(8).map(|byte| format!("{byte:02X}")).collect(),
    };
    let mut text = String::new();
    for part in &parts {
        let needed = part.len() + usize::from(!text.is_empty());
        if text.len() + needed > room {
            text.truncate(room - 1);
            return text.trim_end().to_owned() + "…";
        }
        if !text.is_empty() {
            text.push(' ');
        }
        text.push_str(part);
    }
    text
}

/// A line of source in its colours; returns the column behind it.
fn source_text(pen: &mut Pen<'_>, x: u16, y: u16, room: u16, text: &str, scroll: usize) -> u16 {
    // Very long lines are coloured and shown as far as anyone can see.
    let limit = text.char_indices().nth(scroll + 500).map_or(text.len(), |(at, _)| at);
    let text = &text[..limit];
    let mut styles: Vec<(std::ops::Range<usize>, Style)> = Vec::new();
    for (range, lexeme) in lexemes(text) {
        let ink = match lexeme {
            Lexeme::Mnemonic => Ink::Text,
            Lexeme::Register => Ink::Text,
            Lexeme::Directive => Ink::Quiet,
            Lexeme::Definition => Ink::Place,
            Lexeme::Name => Ink::Place,
            Lexeme::Number | Lexeme::Text => Ink::Agreement,
            Lexeme::Comment => Ink::Quiet,
            Lexeme::Mark => Ink::Quiet,
        };
        let bold = matches!(lexeme, Lexeme::Mnemonic | Lexeme::Definition);
        let style = pen.theme.ink(ink);
        let style = if bold { style.add_modifier(ratatui::style::Modifier::BOLD) } else { style };
        styles.push((range, style));
    }
    let mut end = x;
    for (range, style) in styles {
        let before = display_column(text, text[..range.start].chars().count());
        let piece = shown_text(&text[range]);
        let (skip, at) = if before >= scroll { (0, before - scroll) } else { (scroll - before, 0) };
        let visible: String = piece.chars().skip(skip).collect();
        let at = x.saturating_add(u16::try_from(at).unwrap_or(u16::MAX));
        let left = (x + room).saturating_sub(at);
        if left > 0 && !visible.is_empty() {
            end = end.max(pen.styled(at, y, left, &visible, style));
        }
    }
    end
}

/// A sign under the place of a problem, and words about it.
fn problem_row(pen: &mut Pen<'_>, area: Rect, columns: &Columns, row: &ProblemRow) {
    let ink = match row.severity {
        Severity::Problem => Ink::Trouble,
        Severity::Warning => Ink::Time,
        Severity::Hint => Ink::Quiet,
    };
    let start = area.x + columns.text();
    let mut put = |column: usize, text: &str| {
        let x = start.saturating_add(u16::try_from(column).unwrap_or(u16::MAX));
        pen.text(x, area.y, area.right().saturating_sub(x), text, ink);
    };
    put(row.words.0, &row.words.1);
    if let Some(sign) = row.sign {
        put(sign, "▲");
    }
}
