//! The source: mark, address, code words, text; values beside lines already run; problems under their line.

use super::pen::{Pen, width, wrap};
use crate::documents::Role;
use crate::state::{App, Breakpoint, Mode, Pane};
use crate::theme::Ink;
use ratatui::layout::Rect;
use ratatui::style::Style;
use unicode_width::UnicodeWidthChar;
use wendax_asm::{Lexeme, instructions, lexemes, operand_help};
use wendax_image::{Line, LineKind};
use wendax_machine::Addr;
use wendax_session::{Effects, Session};
use wendax_source::{Diagnostic, Grade, Severity, Sources, mended_line};

/// A row of the pane.
enum Row {
    Line(usize),
    /// What a line became: the line, address, code, text, and whether it is next.
    Unfolded(usize, UnfoldedRow),
    Problem(usize, ProblemRow),
}

/// An instruction or some bytes that a line became.
struct UnfoldedRow {
    address: Addr,
    length: u32,
    kind: LineKind,
    text: String,
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
    let count = app.documents.len();
    let which = if count > 1 { format!("file {} of {count} · ", app.current + 1) } else { String::new() };
    let note = format!("{which}line {} of {}", app.editor.cursor().0 + 1, app.editor.line_count());
    pen.head(area, "source", &note, app.focus == Pane::Source);
    if area.height < 2 {
        return;
    }
    let help = operand_rows(app, area);
    let high = area.height - 1 - u16::try_from(help.len()).unwrap_or(0);
    let body = Rect { y: area.y + 1, height: high, ..area };
    for (y, text) in (body.bottom()..area.bottom()).zip(&help) {
        pen.text(area.x + 1, y, area.width.saturating_sub(2), text, Ink::Quiet);
    }
    app.source_height = body.height.into();
    let columns = Columns::for_width(area.width);
    app.source_top = top(app, body.height.into(), problem_room(body.width, &columns));
    let scroll = text_scroll(app, body.width.saturating_sub(columns.text() + 1).into());
    let ran = notes_of_trail(app);
    let pieces = pieces_in(app, app.source_top..app.source_top + usize::from(body.height));
    let present = app.present_piece().and(app.session.as_ref()).map(Session::present_address);
    let mut drawn = crate::mouse::Drawn {
        from: (body.x, body.y),
        to: (body.right(), body.bottom()),
        text: body.x + columns.text(),
        scroll,
        rows: Vec::new(),
    };
    let mut caret_row = None;
    for (y, row) in (body.y..body.bottom()).zip(rows(app, app.source_top, problem_room(body.width, &columns), scroll)) {
        let place = Rect { y, height: 1, ..body };
        match row {
            Row::Line(line) => {
                drawn.rows.push(line);
                if line == app.editor.cursor().0 {
                    caret_row = Some(y);
                }
                let piece = pieces.get(line - app.source_top).copied().flatten();
                let note = ran.iter().find(|(of, _)| *of == line).map(|(_, text)| text.as_str());
                line_row(app, pen, place, &columns, line, piece, note, scroll);
            }
            Row::Unfolded(line, row) => {
                drawn.rows.push(line);
                let is_next = app.is_current() && present == Some(row.address);
                unfolded_row(app, pen, place, &columns, &row, is_next);
            }
            Row::Problem(line, row) => {
                drawn.rows.push(line);
                problem_row(pen, place, &columns, &row);
            }
        }
    }
    app.drawn = drawn;
    if let Some(y) = caret_row {
        offered(app, pen, body, y, &columns, scroll);
    }
}

/// What is wanted by the instruction being written.
fn operand_rows(app: &App, area: Rect) -> Vec<String> {
    if app.mode != Mode::Write || area.height < 10 || app.document().role == Role::Manifest {
        return Vec::new();
    }
    let Some(forms) = operand_help(&app.editor.line(app.editor.cursor().0)) else { return Vec::new() };
    let room = area.width.saturating_sub(2);
    let mut rows = wrap(&forms[0], room);
    if forms.len() > 1 {
        rows.extend(wrap(&forms[1..].join("   "), room));
    }
    rows.truncate(2);
    rows
}

/// The words offered, below the cursor or above it.
fn offered(app: &App, pen: &mut Pen<'_>, body: Rect, y: u16, columns: &Columns, scroll: usize) {
    const MOST: u16 = 8;
    let Some(completion) = app.completion.as_ref().filter(|_| app.overlay.is_none()) else { return };
    let list = &completion.offers.list;
    let (line, _) = app.editor.cursor();
    let text = app.editor.line(line);
    let start = text.get(..completion.offers.replaces.start).unwrap_or_default().chars().count();
    let at = display_column(&text, start).saturating_sub(scroll);
    let rows = u16::try_from(list.len()).unwrap_or(MOST).min(MOST);
    let below = body.bottom().saturating_sub(y + 1);
    let top = if below >= rows { y + 1 } else { y.saturating_sub(rows).max(body.y) };
    let rows = if below >= rows { rows } else { rows.min(y - body.y) };
    let from = completion.chosen.saturating_sub(usize::from(rows.saturating_sub(1)));
    let shown: Vec<_> = list.iter().enumerate().skip(from).take(rows.into()).collect();
    let widest = shown.iter().map(|(_, offer)| width(&offer.text)).max().unwrap_or(0);
    let meaning = shown.iter().map(|(_, offer)| width(&offer.meaning)).max().unwrap_or(0);
    let wide = (widest + meaning + 5).min(body.width.saturating_sub(2));
    let x = (body.x + columns.text() + u16::try_from(at).unwrap_or(0)).min(body.right().saturating_sub(wide));
    for (row, (index, offer)) in (top..).zip(shown) {
        let place = Rect { x, y: row, width: wide, height: 1 };
        pen.clear(place);
        pen.band(place);
        let is_chosen = index == completion.chosen;
        let ink = if is_chosen { Ink::Time } else { Ink::Text };
        let sign = if is_chosen { "▸" } else { " " };
        pen.pieces(x, row, wide, &[(sign, Ink::Time), (&offer.text, ink)]);
        pen.text(x + widest + 3, row, wide.saturating_sub(widest + 4), &offer.meaning, Ink::Quiet);
    }
}

/// A row of what a line became, under the line.
fn unfolded_row(app: &App, pen: &mut Pen<'_>, area: Rect, columns: &Columns, row: &UnfoldedRow, is_next: bool) {
    if is_next {
        pen.band(area);
        pen.text(area.x, area.y, 1, "▌", Ink::Time);
    }
    let ink = if is_next { Ink::Time } else { Ink::Place };
    pen.text(area.x + 3, area.y, columns.address, &format!("{:04X}", row.address), ink);
    if columns.code > 0 {
        let text = code_of(app, row.address, row.length, row.kind, columns.code);
        pen.text(area.x + 3 + columns.address, area.y, columns.code, &text, Ink::Faint);
    }
    let x = area.x + columns.text();
    let at = pen.text(x, area.y, 8, "      ┊ ", Ink::Rule);
    source_text(pen, at, area.y, area.right().saturating_sub(at + 1), row.text.trim(), 0);
}

/// Columns there are for what is said of a problem.
fn problem_room(width: u16, columns: &Columns) -> u16 {
    width.saturating_sub(columns.text() + 3)
}

/// Lines from `top` on, each with its problems under it.
fn rows(app: &App, top: usize, room: u16, scroll: usize) -> impl Iterator<Item = Row> + '_ {
    (top..app.editor.line_count()).flat_map(move |line| {
        let problems = problem_rows(app, line, room, scroll).into_iter().map(move |row| Row::Problem(line, row));
        let unfolded = unfolded_rows(app, line).into_iter().map(move |row| Row::Unfolded(line, row));
        std::iter::once(Row::Line(line)).chain(problems).chain(unfolded)
    })
}

/// What a line became, when it is to be shown: for lines that were asked for, and for the present one while
/// there is more than one instruction to be in.
fn unfolded_rows(app: &App, line: usize) -> Vec<UnfoldedRow> {
    let asked = app.unfolded.iter().any(|(file, at)| *at == line && *file == app.document().name);
    let present = app.is_current() && app.mode == Mode::Walk && app.present_line() == Some(line);
    let Some(file) = app.current_id().filter(|_| asked || present) else { return Vec::new() };
    let number = u32::try_from(line + 1).unwrap_or(u32::MAX);
    let mut pieces: Vec<&Line> =
        app.assembly.image.lines.iter().filter(|piece| piece.span.file == file && piece.line == number).collect();
    pieces.sort_by_key(|piece| piece.address);
    let mut rows = Vec::new();
    for piece in pieces {
        let made = piece.unfolded.map(|span| app.assembly.sources.text_of(span).to_owned());
        let instructions = if piece.kind == LineKind::Code {
            instructions(&app.assembly.image, piece.address, piece.length)
        } else {
            Vec::new()
        };
        if instructions.len() > 1 || made.is_none() && !instructions.is_empty() {
            rows.extend(instructions.into_iter().map(|(address, length, text)| UnfoldedRow {
                address,
                length,
                kind: LineKind::Code,
                text,
            }));
        } else {
            let text = made.unwrap_or_default();
            rows.push(UnfoldedRow { address: piece.address, length: piece.length, kind: piece.kind, text });
        }
    }
    // One instruction is where its line is.
    if !asked && rows.len() < 2 { Vec::new() } else { rows }
}

/// What is shown of the problems of a line. Hints show only at the cursor.
fn problem_rows(app: &App, line: usize, room: u16, scroll: usize) -> Vec<ProblemRow> {
    let cursor = app.editor.cursor().0;
    let mut rows = Vec::new();
    // A word that is being written is not wrong yet.
    if line == cursor && app.completion.is_some() {
        return rows;
    }
    for (diagnostic, column) in app.diagnostics_on(line) {
        if diagnostic.severity == Severity::Hint && line != cursor {
            continue;
        }
        let room = usize::from(room);
        let sign = display_column(&app.editor.line(line), column).saturating_sub(scroll).min(room);
        let texts = problem_text(&app.assembly.sources, diagnostic, room);
        // Rows of one problem begin in one column.
        let widest = texts.iter().map(|text| usize::from(width(text))).max().unwrap_or(0);
        let beside = (sign + 2).min(room.saturating_sub(widest));
        for (index, text) in texts.into_iter().enumerate() {
            let wide = usize::from(width(&text));
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
fn problem_text(sources: &Sources, diagnostic: &Diagnostic, room: usize) -> Vec<String> {
    let room = u16::try_from(room).unwrap_or(u16::MAX);
    let message = format!("{} {}", diagnostic.code, diagnostic.message);
    let way = match (&diagnostic.fix, diagnostic.expected.first()) {
        (Some(fix), _) if fix.grade == Grade::Certain => format!("Ctrl-T: {}", fix.title),
        // A guess says what would become of the line, so that it can be judged before it is taken.
        (Some(fix), _) => match mended_line(sources, fix) {
            Some(line) if !fix.title.contains(&plain(&line)) => {
                format!("Ctrl-T, a guess: {} → `{}`", fix.title, plain(&line))
            }
            _ => format!("Ctrl-T, a guess: {}", fix.title),
        },
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

/// A line without the blanks that put it in columns; those in texts stay.
fn plain(line: &str) -> String {
    let mut out = String::new();
    let mut in_text = false;
    for c in line.trim().chars() {
        in_text ^= c == '"';
        if in_text || !c.is_whitespace() {
            out.push(c);
        } else if !out.ends_with(' ') {
            out.push(' ');
        }
    }
    out
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
    let rows_of = |line: usize| 1 + problem_rows(app, line, room, 0).len() + unfolded_rows(app, line).len();
    let mut needed: usize = (top..=last).map(rows_of).sum();
    while needed > height && top < cursor {
        needed -= rows_of(top);
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

pub(crate) fn char_width(c: char, at: usize) -> usize {
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
    let file = app.current_id();
    for piece in app.assembly.image.lines.iter().filter(|piece| Some(piece.span.file) == file) {
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
    // What an interrupt's entry wrote is not the doing of the line it came before.
    for effects in session.trail().rev().filter(|effects| effects.length > 0) {
        let Some((file, line)) = session.image().line_at(effects.pc).and_then(|piece| app.place_of(piece)) else {
            continue;
        };
        if file != app.current {
            continue;
        }
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
        .filter(|change| change.register != target.roles.stack)
        .map(|change| format!("{} {}", target.register_name(change.register), short_value(session, change.new)))
        .collect();
    let jumped = effects.length > 0 && !effects.fell_through();
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
    match session.image().label_at(Addr(value)).filter(|_| Addr(value) >= session.machine().target().map.vectors_end) {
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
    let present = app.session.is_some() && app.present_line() == Some(line);
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
    chosen_text(app, pen, Rect { x, width: room, ..area }, line, &text, scroll);
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

/// Gives what is selected its ground, and the brackets that belong together theirs.
fn chosen_text(app: &App, pen: &mut Pen<'_>, area: Rect, line: usize, text: &str, scroll: usize) {
    let mut shade = |from: usize, to: usize| {
        let from = display_column(text, from).saturating_sub(scroll);
        let to = display_column(text, to).saturating_sub(scroll);
        let at = area.x + u16::try_from(from).unwrap_or(u16::MAX).min(area.width);
        let end = area.x + u16::try_from(to).unwrap_or(u16::MAX).min(area.width);
        pen.chosen(Rect { x: at, width: end.saturating_sub(at), ..area });
    };
    if let Some((from, to)) = app.editor.selection()
        && (from.0..=to.0).contains(&line)
    {
        let first = if line == from.0 { from.1 } else { 0 };
        // A whole line shows its end as one sign more.
        let last = if line == to.0 { to.1 } else { text.chars().count() + 1 };
        shade(first, last);
    }
    if app.mode == Mode::Write
        && let Some((of, column)) = app.bracket_partner()
        && of == line
    {
        shade(column, column + 1);
    }
}

fn marks(app: &App, pen: &mut Pen<'_>, area: Rect, line: usize, present: bool, cursor: bool) {
    let breakpoint = app.breakpoints.iter().any(|breakpoint| match breakpoint {
        Breakpoint::Line { file, line: known } => *known == line && *file == app.document().name,
        Breakpoint::Address(address) => app
            .session
            .as_ref()
            .and_then(|session| session.image().line_at(*address))
            .is_some_and(|entry| app.place_of(entry) == Some((app.current, line))),
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
    code_of(app, piece.address, piece.length, piece.kind, room)
}

fn code_of(app: &App, address: Addr, length: u32, kind: LineKind, room: u16) -> String {
    let bytes = app.assembly.image.bytes(address, length);
    let room = usize::from(room) - 1;
    let parts: Vec<String> = match kind {
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
