//! The source: mark, address, code words, text; values beside lines already run; problems under their line.

use super::{MEASURE, Need, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::{self, width, wrap};
use crate::parts::pen::Pen;
use crate::pattern::Pattern;
use crate::screen::Mode;
use crate::theme::Ink;
use crate::world::Part;
use crate::world::documents::Role;
use crate::world::tallies::Beside;
use ratatui::layout::Rect;
use ratatui::style::Style;
use std::collections::BTreeSet;
use wendax_image::{Line, LineKind};
use wendax_isa::Target;
use wendax_language::operand_help;
use wendax_language::{Lexeme, lexemes};
use wendax_machine::Addr;
use wendax_session::grouped;
use wendax_session::{Effects, Routines, Session, cell, typed_words};
use wendax_source::{Diagnostic, Grade, Severity, Sources, mended_line};

/// A row of the pane.
enum Row {
    /// A line, from a column of cells on, up to another.
    Line(usize, usize, usize),
    /// What a line became: the line, which of its parts, and the part.
    Unfolded(usize, usize, Part),
    Problem(usize, ProblemRow),
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
    number: u16,
    address: u16,
    code: u16,
    /// What a line cost, where that is asked for.
    beside: u16,
}

/// Cells for how often a line ran, and for the bar of its cycles.
const TIMES: u16 = 9;
const COST: u16 = 6;
/// Cells for the signs at the margin.
const SIGNS: u16 = 2;

impl Columns {
    /// Line numbers are always there, since everything speaks of lines; code words and addresses where there is room.
    fn of(app: &App, width: u16) -> Self {
        let digits = app.editor().line_count().to_string().len().max(2);
        let number = u16::try_from(digits).unwrap_or(0) + 1;
        let place = u16::try_from(app.world.target().address_bits / 4).unwrap_or(0) + 1;
        let cells = |bytes: u32| u16::try_from(bytes).unwrap_or(0);
        let (align, longest) = (cells(app.world.target().code_align), cells(app.world.target().longest_code));
        let beside = match app.world.tallies.beside {
            Beside::Nothing => 0,
            Beside::Counts if width < 58 => TIMES - 1,
            Beside::Counts => TIMES + COST + 2,
            Beside::Cycles => 6,
        };
        let code = match width - beside {
            _ if app.screen.source.without_code => 0,
            0..58 => 0,
            58..70 => 2 * align + 2,
            _ => 2 * longest + longest / align + 1,
        };
        Self { number, address: if width < 44 { 0 } else { place }, code, beside }
    }

    fn text(&self) -> u16 {
        SIGNS + self.number + self.address + self.code + self.beside
    }

    /// Cells of the text in a pane so wide.
    fn room(&self, width: u16) -> u16 {
        width.saturating_sub(self.text() + 1)
    }
}

pub(super) struct Source;

impl Pane for Source {
    fn name(&self) -> &'static str {
        "source"
    }

    fn command(&self) -> &'static str {
        "Pane: source"
    }

    fn words(&self) -> &'static str {
        "text code program listing editor"
    }

    fn about(&self) -> &'static str {
        "The text of the program: the number of each line, the address of its instruction or data, its code as words of \
         two bytes in hexadecimal, and the text. The band is the line that comes next. Values at the right are what a \
         line's latest run left, in steps just taken; they are not what is there now. Problems stand under their line."
    }

    fn work(&self) -> Option<Work> {
        let is_wanted = |app: &App, session: &Session| {
            app.world.tallies.beside == Beside::Counts && (MEASURE.is_wanted)(app, session)
        };
        Some(Work { is_wanted, ..MEASURE })
    }

    fn need(&self, _: &App, _: Rect) -> Need {
        Need::rows(3, u16::MAX)
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        draw(app, pen, area);
    }
}

/// The rows of the text in a pane: all but the head and what is wanted by the instruction being written.
fn body(app: &App, area: Rect) -> (Rect, Vec<String>) {
    let help = operand_rows(app, area);
    let high = area.height.saturating_sub(1 + u16::try_from(help.len()).unwrap_or(0));
    (Rect { y: area.y + 1, height: high, ..area }, help)
}

/// Scrolls so that the cursor is in view; to be called when text, cursor or size have changed.
pub(crate) fn settle(app: &mut App) {
    let Some(area) = app.screen.layout.area(PaneId::Source) else { return };
    let (body, _) = body(app, area);
    app.screen.source.top = top(app, body);
    if app.screen.mode == Mode::Write && !app.screen.source.wraps {
        let room = usize::from(Columns::of(app, area.width).room(area.width));
        app.screen.source.sideways = text_scroll(app, room);
    }
}

/// The line and place of the text that a cell of the screen shows.
pub(crate) fn place_under(app: &App, area: Rect, (column, row): (u16, u16)) -> Option<(usize, usize)> {
    let (body, _) = body(app, area);
    let columns = Columns::of(app, area.width);
    let index = usize::from(row.checked_sub(body.y)?);
    let shown = rows(app, app.screen.source.top, body.width, &columns).nth(index).filter(|_| row < body.bottom())?;
    let wanted = usize::from(column.saturating_sub(body.x + columns.text()));
    Some(match shown {
        Row::Line(line, from, _) => (line, cells::place_at(&app.editor().line(line), wanted + from)),
        Row::Unfolded(line, ..) | Row::Problem(line, _) => (line, 0),
    })
}

fn draw(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let count = app.world.documents.len();
    let place = app.world.documents.place(app.screen.shown) + 1;
    let which = if count > 1 { format!("file {place} of {count} · ") } else { String::new() };
    let sideways = if app.screen.source.sideways > 0 { "sideways · " } else { "" };
    let note = format!("{which}{sideways}line {} of {}", app.editor().cursor().0 + 1, app.editor().line_count());
    head(app, pen, area, PaneId::Source, &note);
    if area.height < 2 {
        return;
    }
    let (body, help) = body(app, area);
    for (y, text) in (body.bottom()..area.bottom()).zip(&help) {
        pen.text(area.x + 1, y, area.width.saturating_sub(2), text, Ink::Quiet);
    }
    let columns = Columns::of(app, area.width);
    let top = app.screen.source.top;
    let ran = notes_of_trail(app);
    let pieces = pieces_in(app, top..top + usize::from(body.height));
    let present = app.world.present_piece().and(app.session()).map(Session::present_address);
    let searched = app.shown_pattern();
    let searched = searched.as_ref();
    let cautioned = cautioned_lines(app);
    let mut caret_row = None;
    for (y, row) in (body.y..body.bottom()).zip(rows(app, top, body.width, &columns)) {
        let place = Rect { y, height: 1, ..body };
        match row {
            Row::Line(line, from, to) => {
                if line == app.editor().cursor().0 {
                    caret_row = Some(y);
                }
                let piece = pieces.get(line - top).copied().flatten();
                let note = ran.iter().find(|(of, _)| *of == line).map(|(_, text)| text.as_str());
                let cautioned = cautioned.contains(&line);
                line_row(app, pen, place, &columns, &LineRow { line, from, to, piece, note, searched, cautioned });
            }
            Row::Unfolded(line, nth, part) => {
                let is_next = app.world.is_current() && present == Some(part.address);
                part_row(app, pen, place, &columns, (line, nth, is_next), &part);
            }
            Row::Problem(_, row) => problem_row(pen, place, &columns, &row),
        }
    }
    if let Some(y) = caret_row {
        offered(app, pen, body, y, &columns);
    }
}

/// What is wanted by the instruction being written.
fn operand_rows(app: &App, area: Rect) -> Vec<String> {
    if app.screen.mode != Mode::Write || area.height < 10 || app.document().role == Role::Manifest {
        return Vec::new();
    }
    let Some(forms) = operand_help(&app.editor().line(app.editor().cursor().0), app.machine()) else {
        return Vec::new();
    };
    let room = area.width.saturating_sub(2);
    let mut rows = wrap(&forms[0], room);
    if forms.len() > 1 {
        rows.extend(wrap(&forms[1..].join("   "), room));
    }
    rows.truncate(2);
    rows
}

/// Words offered at once, at most.
const MOST: u16 = 8;

/// The words offered, below the cursor or above it.
fn offered(app: &App, pen: &mut Pen<'_>, body: Rect, y: u16, columns: &Columns) {
    let scroll = app.screen.source.sideways;
    let Some(completion) = app.screen.offering.as_ref().filter(|_| app.screen.sheet.is_none()) else { return };
    let list = &completion.offers.list;
    let (line, _) = app.editor().cursor();
    let text = app.editor().line(line);
    let start = text.get(..completion.offers.replaces.start).unwrap_or_default().chars().count();
    let at = cells::column_of(&text, start).saturating_sub(scroll);
    let rows = u16::try_from(list.len()).unwrap_or(MOST).min(MOST);
    let below = body.bottom().saturating_sub(y + 1);
    let top = if below >= rows { y + 1 } else { y.saturating_sub(rows).max(body.y) };
    let rows = if below >= rows { rows } else { rows.min(y - body.y) };
    let from = crate::parts::list::first_shown(completion.chosen, list.len(), rows);
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
fn part_row(
    app: &App,
    pen: &mut Pen<'_>,
    area: Rect,
    columns: &Columns,
    (line, nth, is_next): (usize, usize, bool),
    row: &Part,
) {
    if is_next {
        pen.band(area);
    }
    let has_cursor = app.part_under_cursor() == Some(nth) && app.editor().cursor().0 == line;
    let sign = if is_next { "▌" } else { "›" };
    if is_next || has_cursor {
        pen.text(area.x, area.y, 1, sign, if is_next { Ink::Time } else { Ink::Place });
    }
    if let Some(stop) = app.world.stops_at(row.address).next()
        && app.world.parts(app.screen.shown, line).len() > 1
    {
        let (sign, ink) = super::stops::sign(app, stop);
        pen.text(area.x + 1, area.y, 1, sign, ink);
    }
    let ink = if is_next { Ink::Time } else { Ink::Place };
    let at = area.x + SIGNS + columns.number;
    pen.text(at, area.y, columns.address, &app.world.target().hex_address(row.address), ink);
    if columns.code > 0 {
        let text = code_of(app, row.address, row.length, row.kind, columns.code);
        pen.text(at + columns.address, area.y, columns.code, &text, Ink::Faint);
    }
    let x = area.x + columns.text();
    if app.world.tallies.beside == Beside::Cycles && row.kind == LineKind::Code {
        let words = cycles_words(app, row.address, row.length);
        pen.right(Rect { x: area.x, width: columns.text() - 1, ..area }, area.y, &words, Ink::Fresh);
    }
    let at = pen.text(x, area.y, 8, "      ┊ ", Ink::Rule);
    let room = area.right().saturating_sub(at + 1);
    source_text(pen, (at, area.y), room, (row.text.trim(), Some(app.machine())), 0);
}

/// Cells there are for what is said of a problem.
fn problem_room(width: u16, columns: &Columns) -> u16 {
    width.saturating_sub(columns.text() + 3)
}

/// Lines from `top` on, each with its problems under it.
fn rows<'a>(app: &'a App, top: usize, width: u16, columns: &Columns) -> impl Iterator<Item = Row> + use<'a> {
    let room = (columns.room(width), problem_room(width, columns));
    (top..app.editor().line_count()).flat_map(move |line| rows_of(app, line, room))
}

/// The rows of a line, in so many cells for its text and for problems.
fn rows_of(app: &App, line: usize, (room, problem_room): (u16, u16)) -> impl Iterator<Item = Row> + use<> {
    let problems = problem_rows(app, line, problem_room).into_iter().map(move |row| Row::Problem(line, row));
    let parts = parts_shown(app, line).into_iter().enumerate();
    let unfolded = parts.map(move |(nth, part)| Row::Unfolded(line, nth, part));
    let pieces: Vec<(usize, usize)> = if app.screen.source.wraps {
        wrapped(&app.editor().line(line), usize::from(room.max(1)))
    } else {
        vec![(app.screen.source.sideways, usize::MAX)]
    };
    pieces.into_iter().map(move |(from, to)| Row::Line(line, from, to)).chain(problems).chain(unfolded)
}

/// Where a line that is wrapped goes on in the next row: columns of cells, from and to. It is broken behind blanks where
/// there are some.
fn wrapped(text: &str, room: usize) -> Vec<(usize, usize)> {
    let wide = cells::column_of(text, usize::MAX);
    let shown: Vec<char> = cells::shown(text, 0).chars().collect();
    let mut pieces = Vec::new();
    let mut from = 0;
    while wide > from + room {
        // Signs of two cells are taken for one here, which breaks a little later or earlier, never outside.
        let blank = (from + room / 2..from + room).rev().find(|&at| shown.get(at) == Some(&' '));
        let to = blank.map_or(from + room, |at| at + 1);
        pieces.push((from, to));
        from = to;
    }
    pieces.push((from, usize::MAX));
    pieces
}

/// What a line became, when it is to be shown: for lines that were asked for, and for the present one while
/// there is more than one instruction to be in.
pub(crate) fn parts_shown(app: &App, line: usize) -> Vec<Part> {
    let asked = app.screen.source.unfolded.contains(&(app.screen.shown, line));
    let present = app.world.is_current() && app.screen.mode == Mode::Walk && app.present_line() == Some(line);
    if !asked && !present {
        return Vec::new();
    }
    let parts = app.world.parts(app.screen.shown, line);
    // One instruction is where its line is.
    if !asked && parts.len() < 2 { Vec::new() } else { parts }
}

/// What is shown of the problems of a line. Hints show only at the cursor.
fn problem_rows(app: &App, line: usize, room: u16) -> Vec<ProblemRow> {
    let scroll = app.screen.source.sideways;
    let cursor = app.editor().cursor().0;
    let mut rows = Vec::new();
    // A word that is being written is not wrong yet.
    if line == cursor && app.screen.offering.is_some() {
        return rows;
    }
    for (diagnostic, column) in app.world.diagnostics_on(app.screen.shown, line) {
        if diagnostic.severity == Severity::Hint && line != cursor {
            continue;
        }
        let room = usize::from(room);
        let sign = cells::column_of(&app.editor().line(line), column).saturating_sub(scroll).min(room);
        let texts = problem_text(&app.world.program.assembly.sources, diagnostic, room);
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
fn top(app: &App, body: Rect) -> usize {
    let columns = Columns::of(app, body.width);
    let room = (columns.room(body.width), problem_room(body.width, &columns));
    let height = usize::from(body.height);
    let (cursor, lines) = (app.editor().cursor().0, app.editor().line_count());
    let margin = if height > 12 { 3 } else { 0 };
    let mut top = app.screen.source.top.min(cursor.saturating_sub(margin)).min(lines.saturating_sub(1));
    // Far jumps land in the middle of the pane.
    if cursor > top + 3 * height {
        top = cursor - height / 2;
    }
    let last = (cursor + margin).min(lines - 1);
    let rows = |line: usize| rows_of(app, line, room).count();
    let mut needed: usize = (top..=last).map(rows).sum();
    while needed > height && top < cursor {
        needed -= rows(top);
        top += 1;
    }
    top
}

/// How many cells of text are scrolled out to the left while writing a long line.
fn text_scroll(app: &App, room: usize) -> usize {
    let (line, place) = app.editor().cursor();
    let at = cells::column_of(&app.editor().line(line), place);
    if room < 8 || at < room { 0 } else { at - room + 8 }
}

/// The statement of each line in a range.
fn pieces_in(app: &App, lines: std::ops::Range<usize>) -> Vec<Option<&Line>> {
    let mut pieces = vec![None; lines.len()];
    let file = app.world.file_id(app.screen.shown);
    for piece in app.world.program.assembly.image.lines.iter().filter(|piece| Some(piece.span.file) == file) {
        let line = piece.line as usize - 1;
        if lines.contains(&line) {
            pieces[line - lines.start].get_or_insert(piece);
        }
    }
    pieces
}

/// What the last run of each line did, for lines run lately: line and text.
fn notes_of_trail(app: &App) -> Vec<(usize, String)> {
    let Some(session) = app.session().filter(|_| app.world.is_current()) else { return Vec::new() };
    let mut notes: Vec<(usize, String)> = Vec::new();
    // What an interrupt's entry wrote is not the doing of the line it came before.
    for effects in session.trail().rev().filter(|effects| effects.length > 0) {
        let piece = session.image().line_at(effects.pc);
        let Some((document, line)) = piece.and_then(|piece| app.world.place_of(piece)) else { continue };
        if document != app.screen.shown {
            continue;
        }
        if notes.iter().all(|(known, _)| *known != line) {
            notes.push((line, brief(app, session, effects)));
        }
    }
    notes
}

/// The values a step left behind, in a few signs.
fn brief(app: &App, session: &Session, effects: &Effects) -> String {
    let target = session.machine().target();
    let mut parts: Vec<String> = effects
        .registers
        .iter()
        // Where a call goes says more than the way back.
        .filter(|change| change.register != target.roles.stack && Some(change.register) != target.roles.link)
        .map(|change| format!("{} {}", target.register_name(change.register), short_value(app, session, change.new)))
        .collect();
    let jumped = effects.length > 0 && !effects.fell_through();
    if parts.is_empty() && !jumped {
        parts.extend(effects.memory.iter().take(1).map(|change| {
            let bytes = u32::try_from(change.new.len()).unwrap_or(1);
            // In the frame of the present routine things have names since that was entered.
            let entered = app.world.walk.routines.list().first().map(Routines::entry);
            let next = if entered.is_some_and(|entered| entered <= effects.step) {
                session.machine().pc()
            } else {
                Addr::FIRST
            };
            let word = change.new_value(target);
            let value = || short_value(app, session, word);
            match cell(session, next, change.address, bytes).filter(|_| !session.image().variables.is_empty()) {
                Some(cell) => {
                    format!("{} {}", cell.name, typed_words(session, cell.of, word).unwrap_or_else(value))
                }
                None => format!("[{}] {}", target.marked_address(change.address), value()),
            }
        }));
    }
    if parts.is_empty() && jumped {
        let to = session.image().line_at(effects.next).map_or(String::new(), |line| format!(" {}", line.line));
        parts.push(format!("went to{to}"));
    }
    parts.join("  ")
}

fn short_value(app: &App, session: &Session, value: u32) -> String {
    match session.image().label_at(Addr(value)).filter(|_| Addr(value) >= session.machine().target().map.vectors_end) {
        Some(symbol) => symbol.name.clone(),
        None => app.number(session, value),
    }
}

/// What one row of a line shows.
struct LineRow<'a> {
    line: usize,
    /// The cell of the text it begins with.
    from: usize,
    /// The cell behind its last.
    to: usize,
    piece: Option<&'a Line>,
    /// What the line's latest run left.
    note: Option<&'a str>,
    /// What is searched for, while that is shown.
    searched: Option<&'a Pattern>,
    /// Something looks wrong with it in the run.
    cautioned: bool,
}

fn line_row(app: &App, pen: &mut Pen<'_>, area: Rect, columns: &Columns, row: &LineRow<'_>) {
    let LineRow { line, from, to, piece, note, searched, cautioned } = *row;
    let is_continued = app.screen.source.wraps && from > 0;
    let present = app.session().is_some() && app.present_line() == Some(line);
    let (cursor, place) = app.editor().cursor();
    if present {
        pen.band(area);
    }
    if !is_continued {
        marks(app, pen, area, line, (present, cursor == line, cautioned));
        let ink = if present { Ink::Time } else { Ink::Faint };
        let number = format!("{:>1$}", line + 1, usize::from(columns.number - 1));
        pen.text(area.x + SIGNS, area.y, columns.number, &number, ink);
    }
    if let Some(piece) = piece.filter(|_| !is_continued) {
        let ink = if present { Ink::Time } else { Ink::Place };
        let at = area.x + SIGNS + columns.number;
        pen.text(at, area.y, columns.address, &app.world.target().hex_address(piece.address), ink);
        if columns.code > 0 {
            let text = code_text(app, piece, columns.code);
            pen.text(at + columns.address, area.y, columns.code, &text, Ink::Faint);
        }
    }
    let x = area.x + columns.text();
    if columns.beside > 0 && !is_continued {
        let place = Rect { x: x - columns.beside, width: columns.beside, ..area };
        cost(app, pen, place, line, piece);
    }
    let room = area.right().saturating_sub(x + 1);
    let text = app.editor().line(line);
    let piece_room = room.min(u16::try_from(to - from).unwrap_or(u16::MAX));
    let file = app.world.file_id(app.screen.shown);
    let file = file.and_then(|file| app.world.program.assembly.sources.get(file));
    let language = Some(app.machine()).filter(|_| !file.is_some_and(wendax_source::SourceFile::is_foreign));
    let end = source_text(pen, (x, area.y), piece_room, (&text, language), from);
    let cut = !app.screen.source.wraps && cells::column_of(&text, usize::MAX) > from + usize::from(room);
    chosen_text(app, pen, Rect { x, width: piece_room, ..area }, (line, &text, from), searched);
    let free = area.right().saturating_sub(end + 3);
    // What the present line did last time is no news of what it will do now.
    if cut {
        pen.text(area.right().saturating_sub(1), area.y, 1, "…", Ink::Quiet);
    } else if let Some(note) = note.filter(|note| width(note) <= free && !present && !is_continued) {
        pen.right(Rect { width: area.width - 1, ..area }, area.y, note, Ink::Quiet);
    }
    let at = cells::column_of(&text, place);
    let is_here = !app.screen.source.wraps || (from..to).contains(&at);
    if cursor == line && is_here && app.screen.sheet.is_none() && app.screen.mode == Mode::Write {
        pen.caret(x + u16::try_from(at.saturating_sub(from)).unwrap_or(u16::MAX).min(room), area.y);
    }
}

/// What a line cost: how often it ran and a bar of its cycles, or the cycles of its instructions.
fn cost(app: &App, pen: &mut Pen<'_>, area: Rect, line: usize, piece: Option<&Line>) {
    let Some(piece) = piece.filter(|piece| piece.kind == LineKind::Code) else { return };
    let tallies = &app.world.tallies;
    match tallies.beside {
        Beside::Nothing => {}
        Beside::Cycles => {
            let words = cycles_words(app, piece.address, piece.length);
            pen.right(Rect { width: area.width - 1, ..area }, area.y, &words, Ink::Fresh);
        }
        // Counts are of the text that ran.
        Beside::Counts if !app.world.is_current() || app.world.file_id(app.screen.shown).is_none() => {}
        Beside::Counts => {
            let Ok(number) = u32::try_from(line + 1) else { return };
            let Some(cost) = tallies.line(&app.document().name, number) else { return };
            let (text, ink) = if cost.cycles == 0 {
                ("never".to_owned(), Ink::Trouble)
            } else {
                (short_count(cost.times), Ink::Quiet)
            };
            pen.right(Rect { width: TIMES.min(area.width - 1), ..area }, area.y, &text, ink);
            if area.width < TIMES + COST {
                return;
            }
            #[expect(clippy::cast_precision_loss, reason = "for a bar")]
            let bar = super::tally::bar(cost.cycles as f64, tallies.dearest as f64, usize::from(COST));
            pen.text(area.x + TIMES + 1, area.y, COST, &bar, Ink::Time);
        }
    }
}

/// A count in at most seven signs: `12 345`, `1.2 M`.
fn short_count(count: u64) -> String {
    let tenths = |unit: u64| format!("{}.{}", count / unit, count % unit * 10 / unit);
    match count {
        0..1_000_000 => grouped(count),
        1_000_000..1_000_000_000 => tenths(1_000_000) + " M",
        _ => tenths(1_000_000_000) + " G",
    }
}

/// The cycles of the instructions from an address on: `2`, `1/2` not taken and taken, `6` of several together.
fn cycles_words(app: &App, address: Addr, length: u32) -> String {
    let image = &app.world.program.assembly.image;
    wendax_asm::cycles_words(image.bytes(address, length), image.target)
}

/// Gives what is selected its ground, what was searched for, and the brackets that belong together theirs.
fn chosen_text(
    app: &App,
    pen: &mut Pen<'_>,
    area: Rect,
    (line, text, scroll): (usize, &str, usize),
    searched: Option<&Pattern>,
) {
    let cells = |from: usize, to: usize| {
        let from = cells::column_of(text, from).saturating_sub(scroll);
        let to = cells::column_of(text, to).saturating_sub(scroll);
        let at = area.x + u16::try_from(from).unwrap_or(u16::MAX).min(area.width);
        let end = area.x + u16::try_from(to).unwrap_or(u16::MAX).min(area.width);
        Rect { x: at, width: end.saturating_sub(at), ..area }
    };
    for found in searched.map_or_else(Vec::new, |pattern| pattern.in_line(text)) {
        pen.mark(cells(found.start, found.end));
    }
    if let Some((from, to)) = app.editor().selection()
        && (from.0..=to.0).contains(&line)
    {
        let first = if line == from.0 { from.1 } else { 0 };
        let mut chosen = cells(first, if line == to.0 { to.1 } else { text.chars().count() });
        // A whole line shows its end as one sign more.
        chosen.width += u16::from(line != to.0);
        pen.chosen(chosen.intersection(Rect { width: area.width + 1, ..area }));
    }
    if let Some(rectangle) = app.editor().rectangle().filter(|rectangle| rectangle.lines.contains(&line)) {
        let cell =
            |column: usize| area.x + u16::try_from(column.saturating_sub(scroll)).unwrap_or(u16::MAX).min(area.width);
        let (from, to) = (cell(rectangle.cells.start), cell(rectangle.cells.end));
        // Where signs are only to be put in, that is seen as well.
        pen.chosen(Rect { x: from, width: (to - from).max(1), ..area }.intersection(area));
    }
    if app.screen.mode == Mode::Write
        && let Some((of, column)) = app.bracket_partner()
        && of == line
    {
        pen.chosen(cells(column, column + 1));
    }
}

/// The lines of the text that is shown with which something looks wrong in the run.
fn cautioned_lines(app: &App) -> BTreeSet<usize> {
    let Some(session) = app.session().filter(|_| app.world.is_current()) else { return BTreeSet::new() };
    let places = app.world.walk.cautions.list(session);
    let places = places.filter_map(|caution| app.world.place_of(session.image().line_at(caution.pc)?));
    places.filter(|(document, _)| *document == app.screen.shown).map(|(_, line)| line).collect()
}

fn marks(app: &App, pen: &mut Pen<'_>, area: Rect, line: usize, (present, cursor, cautioned): (bool, bool, bool)) {
    let (is_part, shown) = (app.part_under_cursor().is_some(), parts_shown(app, line));
    let mut stops = app.world.stops.list.iter().filter(|stop| {
        app.world.place_of_stop(stop).is_some_and(|(id, at, part)| {
            // One inside of what a line became is drawn there, when that is shown.
            id == app.screen.shown && at == line && (part == 0 || shown.len() < 2)
        })
    });
    let severity = app.world.diagnostics_on(app.screen.shown, line).map(|(diagnostic, _)| diagnostic.severity).min();
    let (sign, ink) = match (present, cursor, severity) {
        (_, _, Some(Severity::Problem)) => ("✕", Ink::Trouble),
        (_, _, Some(Severity::Warning)) => ("!", Ink::Time),
        (true, _, _) => ("▌", Ink::Time),
        _ if cautioned => ("△", Ink::Trouble),
        (_, true, _) if !is_part => ("›", Ink::Place),
        (_, _, Some(Severity::Hint)) => ("·", Ink::Quiet),
        _ => (" ", Ink::Text),
    };
    pen.text(area.x, area.y, 1, sign, ink);
    if let Some(stop) = stops.next() {
        let (sign, ink) = super::stops::sign(app, stop);
        pen.text(area.x + 1, area.y, 1, sign, ink);
    }
}

/// Code as words, data as bytes in order of address; what does not fit ends with a dot row.
fn code_text(app: &App, piece: &Line, room: u16) -> String {
    code_of(app, piece.address, piece.length, piece.kind, room)
}

fn code_of(app: &App, address: Addr, length: u32, kind: LineKind, room: u16) -> String {
    let made = app.world.program.assembly.image.bytes(address, length);
    // Code that was written to is what it is now; data is shown as it was made, and memory says what it is.
    let now: Vec<u8> = match app.session().filter(|_| app.world.is_current() && kind == LineKind::Code) {
        Some(session) => address.up_to(address + length).map(|at| session.machine().byte(at)).collect(),
        None => made.to_vec(),
    };
    let bytes = now.as_slice();
    let room = usize::from(room) - 1;
    let parts: Vec<String> = match kind {
        LineKind::Reserved => return String::new(),
        LineKind::Code => {
            // Each word as the number it is.
            let unit = app.world.target().code_align as usize;
            let word =
                |bytes: &[u8]| bytes.iter().rev().fold(String::new(), |word, byte| word + &format!("{byte:02X}"));
            bytes.chunks(unit).map(word).collect()
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

/// A line of source in its colours, from a cell of it on; returns the column behind it. Of other languages only lines of
/// remarks have one.
fn source_text(
    pen: &mut Pen<'_>,
    (x, y): (u16, u16),
    room: u16,
    (text, target): (&str, Option<&Target>),
    scroll: usize,
) -> u16 {
    // Very long lines are coloured and shown as far as anyone can see.
    let limit = text.char_indices().nth(scroll + 500).map_or(text.len(), |(at, _)| at);
    let text = &text[..limit];
    let mut end = x;
    // Pieces come in order: each begins where the one before ends.
    let mut column = 0;
    let mut piece = |pen: &mut Pen<'_>, range: std::ops::Range<usize>, style: Style| {
        let before = column;
        let shown = cells::shown(&text[range.clone()], before);
        column = cells::behind(&text[range], before);
        if column <= scroll || before >= scroll + usize::from(room) {
            return;
        }
        let (skip, at) = if before >= scroll { (0, before - scroll) } else { (scroll - before, 0) };
        let visible = cells::without_first(&shown, skip);
        let at = x.saturating_add(u16::try_from(at).unwrap_or(u16::MAX));
        let left = (x + room).saturating_sub(at);
        if left > 0 && !visible.is_empty() {
            end = end.max(pen.styled(at, y, left, &visible, style));
        }
    };
    let mut known = 0;
    let is_remark = target.is_none() && ["//", "/*", "* "].iter().any(|sign| text.trim_start().starts_with(sign));
    let plain = pen.theme.ink(if is_remark { Ink::Quiet } else { Ink::Text });
    for (range, lexeme) in target.map(|target| lexemes(text, target)).unwrap_or_default() {
        // What is no sign of the language is shown as it is.
        if range.start > known {
            piece(pen, known..range.start, plain);
        }
        known = range.end;
        let style = lexeme_style(pen, lexeme);
        piece(pen, range, style);
    }
    if known < text.len() {
        piece(pen, known..text.len(), plain);
    }
    end
}

fn lexeme_style(pen: &Pen<'_>, lexeme: Lexeme) -> Style {
    let ink = match lexeme {
        Lexeme::Mnemonic | Lexeme::Register => Ink::Text,
        Lexeme::Directive | Lexeme::Comment | Lexeme::Mark => Ink::Quiet,
        Lexeme::Definition | Lexeme::Name => Ink::Place,
        Lexeme::Number | Lexeme::Text => Ink::Agreement,
    };
    let style = pen.theme.ink(ink);
    if matches!(lexeme, Lexeme::Mnemonic | Lexeme::Definition) {
        style.add_modifier(ratatui::style::Modifier::BOLD)
    } else {
        style
    }
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
