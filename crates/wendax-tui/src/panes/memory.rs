//! Memory: bytes in address order, words, text; a row begins anew at each label.

use super::{Need, Order, Pane, PaneId, PaneState, head};
use crate::app::App;
use crate::cells::{fitted, width};
use crate::parts::pen::Pen;
use crate::screen::WordForm;
use crate::theme::Ink;
use crate::world::values::Lens;
use ratatui::layout::Rect;
use wendax_isa::Target;
use wendax_machine::{Addr, CellState, Machine, Reg, Region, RegionKind};
use wendax_session::{Session, Thing};

/// A row: so many cells from an address on.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Row {
    address: Addr,
    length: u32,
    label: Option<String>,
    /// No memory up to the next region.
    gap: bool,
}

fn title(app: &App, session: &Session) -> String {
    match &app.screen.lens {
        Lens::Data if session.machine().regions().iter().any(|region| region.kind == RegionKind::Data) => {
            "data".to_owned()
        }
        Lens::Data => "code; there is no data".to_owned(),
        Lens::At(address) => {
            let regions = session.machine().regions();
            let region = regions.iter().find(|region| region.contains(*address));
            let name = region.map_or("unmapped", |region| match region.kind {
                RegionKind::Vectors => "trap vectors",
                RegionKind::Code => "code",
                RegionKind::Data => "data",
                RegionKind::Heap => "heap",
                RegionKind::Stack => "stack",
                RegionKind::Devices => "device registers",
            });
            format!("{} {name}", session.machine().target().hex_address(*address))
        }
        Lens::Register(register) => {
            format!("where {} points", session.machine().target().register_name(*register))
        }
        Lens::Label(name) => name.clone(),
    }
}

/// Cells of a row in a pane so wide.
fn cells_in(width: u16) -> u32 {
    if width >= 68 { 8 } else { 4 }
}

pub(super) struct Memory;

impl Pane for Memory {
    fn name(&self) -> &'static str {
        "memory"
    }

    fn command(&self) -> &'static str {
        "Pane: memory"
    }

    fn words(&self) -> &'static str {
        "data dump bytes hexadecimal variables array text heap lens"
    }

    fn about(&self) -> &'static str {
        "Cells of memory, a row for each few: the label that begins there or the registers that point into it, the \
         address of the first cell, the bytes in order of address, the same cells as words (the second byte of a word \
         is its higher half), and as text. ·· was never written. Rows that are all alike are folded. m goes to a label, \
         an address or a register; / looks for a value or a text. x shows words as numbers. \
         Enter goes to the step that wrote the cell of the cursor, h shows all its changes, = sets it."
    }

    fn need(&self, _: &App, _: Rect) -> Need {
        Need::rows(2, u16::MAX)
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let note = app.session().map_or(String::new(), |session| title(app, session));
        let body = head(app, pen, area, PaneId::Memory, &note);
        let (Some(session), Some(start)) = (app.session(), app.memory_start()) else { return };
        let columns = Columns::of(app.world.target(), body.width, app.screen.words);
        let state = app.screen.panes.of(PaneId::Memory);
        let cursor = (app.screen.focus == PaneId::Memory).then(|| cursor(state, session, start));
        for (y, row) in (body.y..body.bottom()).zip(shown(state, session, start, body)) {
            match row {
                Shown::Row(row) => {
                    draw_row(session, pen, Rect { y, height: 1, ..body }, &row, &columns);
                    let offset = cursor.and_then(|at| at.checked_sub(row.address.0)).map(|offset| offset.0);
                    if let Some(offset) = offset.filter(|&offset| !row.gap && offset < row.length) {
                        let x = body.x + columns.bytes() + 3 * u16::try_from(offset).unwrap_or(0);
                        pen.chosen(Rect { x, y, width: 2, height: 1 }.intersection(body));
                    }
                }
                Shown::Alike(count) => {
                    let text = if count == 1 {
                        "the same once more".to_owned()
                    } else {
                        format!("the same {count} more times")
                    };
                    let x = body.x + columns.bytes();
                    pen.text(x, y, body.right().saturating_sub(x), &text, Ink::Faint);
                }
            }
        }
    }

    fn entries(&self, app: &App) -> Option<usize> {
        app.session().map(|session| session.machine().target().address_mask() as usize + 1)
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        self.thing(app, entry).map(Order::WrittenBy)
    }

    /// The word the cursor is in, or the byte where only that can be meant.
    fn thing(&self, app: &App, _: usize) -> Option<Thing> {
        let session = app.session()?;
        let machine = session.machine();
        let at = cursor(app.screen.panes.of(PaneId::Memory), session, app.memory_start()?);
        let size = machine.target().word_bytes();
        let is_word = at.is_multiple_of(size) && machine.cell(at + 1) == machine.cell(at);
        Some(Thing::Cells(at, at + if is_word { size } else { 1 }))
    }

    fn moved(&self, app: &App, area: Rect, by: isize) -> Option<PaneState> {
        let (session, start) = (app.session()?, app.memory_start()?);
        let mut state = app.screen.panes.of(PaneId::Memory);
        let body = Rect { height: area.height.saturating_sub(1).max(1), ..area };
        let (least, most) = self.scroll_range(app, area);
        if by.unsigned_abs() > FAR {
            return Some(at_end(state, session, (start, body), if by > 0 { most } else { least }, by > 0));
        }
        let mut left = by.unsigned_abs();
        while left > 0 {
            let (rows, is_end) = in_sight(state, session, start, body);
            let at = cursor(state, session, start);
            let here = rows.iter().rposition(|row| row.address <= at);
            let there = match here {
                // It went out of sight at the top.
                None if by > 0 => Some(0),
                None => None,
                Some(here) if by > 0 => here.checked_add(1),
                Some(here) => here.checked_sub(1),
            };
            if let Some(row) = there.and_then(|there| rows.get(there)) {
                let offset = here.and_then(|here| rows.get(here)).map_or(0, |row| at.0.saturating_sub(row.address.0));
                state.chosen = (row.address.0 + offset.min(row.length - 1)) as usize + 1;
                left -= 1;
                continue;
            }
            let scrolled = (state.scroll + pace(state, session, start, body, by < 0)).clamp(least, most);
            if scrolled == state.scroll || by > 0 && is_end {
                break;
            }
            state.scroll = scrolled;
        }
        Some(state)
    }

    fn scroll_range(&self, app: &App, area: Rect) -> (i64, i64) {
        // Never past either end of memory, so that the way back is as long as the way there.
        let cells = i64::from(cells_in(area.width));
        let start = app.memory_start().map_or(0, i64::from);
        let end = app.session().map_or(0, |session| i64::from(session.machine().target().address_mask()));
        (-(start / cells), (end - start) / cells)
    }
}

/// Further than this is to one of the ends.
const FAR: usize = 1000;

/// The rows in sight of what programs may touch, and whether memory ends with them.
fn in_sight(state: PaneState, session: &Session, start: Addr, body: Rect) -> (Vec<Row>, bool) {
    let shown: Vec<Shown> = shown(state, session, start, body).take(usize::from(body.height)).collect();
    let is_end = shown.len() < usize::from(body.height);
    let row = |shown| match shown {
        Shown::Row(row) if !row.gap => Some(row),
        Shown::Row(_) | Shown::Alike(_) => None,
    };
    (shown.into_iter().filter_map(row).collect(), is_end)
}

/// At the first or the last row there is of what programs may touch.
fn at_end(
    mut state: PaneState,
    session: &Session,
    (start, body): (Addr, Rect),
    farthest: i64,
    is_last: bool,
) -> PaneState {
    let regions = session.machine().regions();
    let (from, cells) = (i64::from(session.machine().target().align(start)), i64::from(cells_in(body.width)));
    state.scroll = farthest;
    let mut address = regions.iter().map(|region| region.start).min();
    if is_last && let Some(end) = regions.iter().map(Region::end).max() {
        // With rows that end at labels as many cells as that may be more than there is room for.
        for rows in (1..=i64::from(body.height)).rev() {
            state.scroll = ((i64::from(end) - from + cells - 1).div_euclid(cells) - rows).min(farthest);
            let (rows, _) = in_sight(state, session, start, body);
            address = rows.last().map(|row| row.address).or(address);
            if rows.last().is_some_and(|row| row.address + row.length >= end) {
                break;
            }
        }
    }
    state.chosen = address.map_or(state.chosen, |address| address.0 as usize + 1);
    state
}

/// Rows to scroll from the first one that is shown to come past it, with those that are like it and what no program may touch.
fn pace(state: PaneState, session: &Session, start: Addr, body: Rect, is_back: bool) -> i64 {
    let (machine, cells) = (session.machine(), cells_in(body.width));
    if is_back {
        let first = first_shown(state, session, start, body);
        let regions = machine.regions();
        let end = regions.iter().map(Region::end).filter(|&end| end <= first).max().unwrap_or_default();
        let from = match first.checked_sub(1).map(|before| machine.cell(before)) {
            Some(CellState::Unmapped) => return -i64::from((first - end).div_ceil(cells).max(1)),
            Some(CellState::NeverWritten) => blank_from(session, first),
            _ => first,
        };
        return -i64::from(((first - from) / cells).max(1));
    }
    let mut shown = shown(state, session, start, body);
    let first = match shown.next() {
        Some(Shown::Row(row)) => i64::from((row.length / cells).max(1)),
        _ => 1,
    };
    let alike = match shown.next() {
        Some(Shown::Alike(count)) => i64::try_from(count).unwrap_or(0),
        _ => 0,
    };
    first + alike
}

/// Where the cells begin that end before an address, were never written, and show nothing else.
fn blank_from(session: &Session, end: Addr) -> Addr {
    let machine = session.machine();
    let border =
        machine.regions().iter().map(|region| region.start).filter(|start| *start < end).max().unwrap_or_default();
    let labels = session.image().labels().filter_map(wendax_image::Symbol::address);
    let busy = pointers_of(machine).map(|(place, _)| place).chain(labels).chain(changed(session).map(|(_, to)| to));
    let border = busy.filter(|at| *at < end).fold(border, Addr::max);
    blank_to(machine, end, border)
}

/// How far cells that were never written go from an address towards a border before or behind it. In larger and larger pieces:
/// what lies far away is not looked at for what is near.
fn blank_to(machine: &Machine, from: Addr, border: Addr) -> Addr {
    let is_back = border < from;
    let (mut at, mut piece) = (from, 64);
    while at != border {
        let to = if is_back {
            at.checked_sub(piece).unwrap_or_default().max(border)
        } else {
            at.saturating_add(piece).min(border)
        };
        let states = machine.states(at.min(to), at.max(to));
        let next = if is_back { states.last() } else { states.first() };
        let Some((begins, ends, CellState::NeverWritten)) = next else { break };
        at = if is_back { *begins } else { *ends };
        if at != to {
            break;
        }
        piece = piece.saturating_mul(8);
    }
    at
}

/// What the last step changed of memory: from where to where.
fn changed(session: &Session) -> impl Iterator<Item = (Addr, Addr)> {
    let all = session.last_change().into_iter().flat_map(|change| change.memory.iter());
    all.map(|change| {
        (change.address, change.address.saturating_add(u32::try_from(change.new.len()).unwrap_or(u32::MAX)))
    })
}

/// A row of the pane.
enum Shown {
    Row(Row),
    /// So many more rows like the one above.
    Alike(usize),
}

/// The rows that stand in a pane, from where it is scrolled to.
fn shown(state: PaneState, session: &Session, start: Addr, body: Rect) -> impl Iterator<Item = Shown> + use<'_> {
    let first = first_shown(state, session, start, body);
    let mut rows = rows(session, first, cells_in(body.width));
    let (mut waiting, mut next) = (None, None);
    std::iter::from_fn(move || {
        if let Some(folded) = waiting.take() {
            return Some(Shown::Alike(folded));
        }
        let row = next.take().or_else(|| rows.next())?;
        let mut folded = rows.pass_blank(session, &row);
        next = rows.next();
        while next.as_ref().is_some_and(|next| alike(session, &row, next)) {
            folded += 1;
            next = rows.next();
        }
        waiting = (folded > 0).then_some(folded);
        Some(Shown::Row(row))
    })
}

/// The first address that is shown.
fn first_shown(state: PaneState, session: &Session, start: Addr, body: Rect) -> Addr {
    let scroll = state.scroll.saturating_mul(i64::from(cells_in(body.width)));
    let target = session.machine().target();
    let first = i64::from(target.align(start)).saturating_add(scroll).clamp(0, i64::from(target.address_mask()));
    Addr::try_from(first).unwrap_or_default()
}

/// The cell the cursor is on.
fn cursor(state: PaneState, session: &Session, start: Addr) -> Addr {
    let at = state.chosen.checked_sub(1).and_then(|at| Addr::try_from(i64::try_from(at).ok()?).ok());
    at.unwrap_or(start).min(Addr(session.machine().target().address_mask()))
}

/// Rows from an address to the end of memory, each ending before the next label.
struct Rows<'a> {
    machine: &'a Machine,
    cells: u32,
    regions: Vec<Region>,
    labels: std::iter::Peekable<std::vec::IntoIter<(Addr, String)>>,
    /// Of the next row.
    address: Addr,
    /// Behind the last.
    end: Addr,
}

fn rows(session: &Session, first: Addr, cells: u32) -> Rows<'_> {
    let machine = session.machine();
    let end = Addr(machine.target().address_mask()) + 1;
    let labels = session.image().labels().filter_map(|symbol| Some((symbol.address()?, symbol.name.clone())));
    // Device registers have the names that constants give them, else their own.
    let regions = machine.regions();
    let devices = regions.iter().find(|region| region.kind == RegionKind::Devices);
    let constants = session.image().symbols.iter().filter(|symbol| symbol.address().is_none());
    let named = constants.filter_map(|symbol| Some((Addr::try_from(symbol.value).ok()?, symbol.name.clone())));
    let is_device = |address: Addr| devices.is_some_and(|region| region.contains(address));
    let named =
        named.filter(|(address, _)| is_device(*address) && address.is_multiple_of(machine.target().word_bytes()));
    let own = machine.target().devices.iter().map(|device| (device.address, device.name.to_owned()));
    let all = labels.chain(named).chain(own);
    let mut labels: Vec<(Addr, String)> = all.filter(|&(address, _)| address >= first).collect();
    labels.sort_by_key(|(address, _)| *address);
    labels.dedup_by_key(|(address, _)| *address);
    Rows { machine, cells, regions, labels: labels.into_iter().peekable(), address: first, end }
}

impl Iterator for Rows<'_> {
    type Item = Row;

    fn next(&mut self) -> Option<Row> {
        let Self { machine, regions, labels, address, end, .. } = self;
        if *address >= *end {
            return None;
        }
        if machine.cell(*address) == CellState::Unmapped {
            let next = regions.iter().map(|region| region.start).find(|start| *start > *address).unwrap_or(*end);
            while labels.next_if(|(at, _)| *at < next).is_some() {}
            let row = Row { address: *address, length: next - *address, label: None, gap: true };
            *address = next;
            return Some(row);
        }
        let label = labels.next_if(|(at, _)| at == address).map(|(_, name)| name);
        let length = self.cells.min(self.border() - self.address);
        let row = Row { address: self.address, length, label, gap: false };
        self.address += row.length;
        Some(row)
    }
}

impl Rows<'_> {
    /// Where the next row ends at the latest: at the next label, or with its region.
    fn border(&mut self) -> Addr {
        let label = self.labels.peek().map_or(self.end, |(at, _)| *at);
        let ends = self.regions.iter().map(Region::end);
        ends.filter(|at| *at > self.address).min().unwrap_or(self.end).min(label)
    }

    /// Passes the rows behind one that was never written which were not either, and show nothing else; how many.
    fn pass_blank(&mut self, session: &Session, row: &Row) -> usize {
        let behind = row.address + row.length;
        let is_blank = |at: Addr| self.machine.cell(at) == CellState::NeverWritten;
        if row.gap || row.length != self.cells || behind != self.address || has_change(session, row) {
            return 0;
        }
        if !row.address.up_to(behind).all(is_blank) || self.address >= self.end || !is_blank(behind) {
            return 0;
        }
        let border = self.border();
        let end = blank_to(self.machine, behind, border);
        let busy = pointers_of(self.machine).map(|(place, _)| place).chain(changed(session).map(|(from, _)| from));
        let end = busy.filter(|at| *at >= behind).fold(end, Addr::min);
        let count = (end - behind) / self.cells;
        self.address += count * self.cells;
        count as usize
    }
}

/// The second row shows nothing the first does not: no label, no pointer, no change, the same cells.
fn alike(session: &Session, row: &Row, next: &Row) -> bool {
    let machine = session.machine();
    next.label.is_none()
        && !row.gap
        && !next.gap
        && row.length == next.length
        && pointing(machine, next).next().is_none()
        && !has_change(session, row)
        && !has_change(session, next)
        && (0..row.length).all(|offset| {
            let (a, b) = (row.address + offset, next.address + offset);
            machine.cell(a) == machine.cell(b)
                && machine.target().device(a).is_none()
                && machine.target().device(b).is_none()
                && machine.byte(a) == machine.byte(b)
        })
}

fn has_change(session: &Session, row: &Row) -> bool {
    let Some(change) = session.last_change() else { return false };
    let (from, to) = (row.address, row.address.saturating_add(row.length));
    let is_here = |at: Addr, bytes: u32| at < to && from < at.saturating_add(bytes);
    change.memory.iter().any(|change| is_here(change.address, u32::try_from(change.new.len()).unwrap_or(u32::MAX)))
        || change.devices.iter().any(|device| is_here(device.address, 1))
}

fn is_fresh(session: &Session, address: Addr) -> bool {
    session
        .last_change()
        .is_some_and(|change| change.wrote(address) || change.devices.iter().any(|device| device.address == address))
}

/// The registers that point to a cell.
fn pointers(machine: &Machine, row: &Row) -> String {
    pointing(machine, row).collect::<Vec<_>>().join(" ")
}

/// Their names one by one.
fn pointing(machine: &Machine, row: &Row) -> impl Iterator<Item = &'static str> {
    let cells = row.address..row.address.saturating_add(row.length);
    pointers_of(machine).filter(move |(place, _)| cells.contains(place)).map(|(_, name)| name)
}

/// Where registers point that do so, with their names.
fn pointers_of(machine: &Machine) -> impl Iterator<Item = (Addr, &'static str)> {
    let target = machine.target();
    let known = target.registers().filter(|(register, _)| machine.register_known(*register));
    let places = known.map(|(register, info)| (Addr(machine.register(register)), info.name));
    places.filter(|(place, _)| *place >= target.map.code_start.min(Addr(target.map.page)))
}

/// Where the parts of a row stand in a pane of some width.
struct Columns {
    cells: u32,
    /// Those of an address, and of a word with the blank behind it.
    address: u16,
    word: u16,
    /// Cells of the screen for label and pointers.
    label: u16,
    has_text: bool,
    words: WordForm,
}

impl Columns {
    fn of(target: &Target, width: u16, words: WordForm) -> Self {
        let digits = |text: String| u16::try_from(text.len()).unwrap_or(0);
        let address = digits(target.hex_address(Addr(0)));
        let number = match words {
            WordForm::Hexadecimal => digits(target.hex(0)),
            _ => digits(target.signed(target.word_mask() / 2 + 1).to_string()),
        };
        let (cells, word) = (cells_in(width), number + 1);
        let count = u16::try_from(cells).unwrap_or(4);
        let size = u16::try_from(target.word_bytes()).unwrap_or(2);
        // Address, bytes, words; the text where there is room.
        let least = address + 2 + 3 * count + 1 + word * count / size;
        let has_text = width >= least + count + 9;
        let used = least + if has_text { count + 1 } else { 0 };
        let label = width.saturating_sub(used + 2).clamp(4, 20);
        Self { cells, address, word, label, has_text, words }
    }

    fn bytes(&self) -> u16 {
        self.label + self.address + 3
    }

    fn words(&self) -> u16 {
        self.bytes() + 3 * u16::try_from(self.cells).unwrap_or(0) + 1
    }

    fn text(&self, word_bytes: u32) -> u16 {
        self.words() + self.word * u16::try_from(self.cells / word_bytes).unwrap_or(0) + 1
    }
}

fn draw_row(session: &Session, pen: &mut Pen<'_>, area: Rect, row: &Row, columns: &Columns) {
    let machine = session.machine();
    let target = machine.target();
    let end = area.right();
    if row.gap {
        let x = area.x + columns.label + 1;
        let last = target.hex_address(row.address + row.length - 1);
        let text = format!("{}  no memory up to {last}", target.hex_address(row.address));
        pen.text(x, area.y, end.saturating_sub(x), &text, Ink::Faint);
        return;
    }
    let room = columns.label.saturating_sub(1);
    let pointers = pointers(machine, row);
    let label = row.label.as_deref().unwrap_or_default();
    // What points there is told beside the label, where there is room; the cell it points to is marked anyway.
    let arrows = fitted(&format!("{pointers}→"), room);
    let needed = width(&arrows) + if label.is_empty() { 0 } else { 6 };
    let arrows = if pointers.is_empty() || needed > room { String::new() } else { arrows };
    let left = room.saturating_sub(if arrows.is_empty() { 0 } else { width(&arrows) + 1 });
    pen.fitted(area.x + 1, area.y, left, label, Ink::Place);
    pen.right(Rect { x: area.x + 1, width: room, ..area }, area.y, &arrows, Ink::Time);
    let mut x = area.x + columns.label + 1;
    pen.text(x, area.y, end.saturating_sub(x), &target.hex_address(row.address), Ink::Place);
    x = area.x + columns.bytes();
    for offset in 0..row.length {
        let (text, ink) = byte_text(session, row.address + offset);
        pen.text(x, area.y, end.saturating_sub(x), &text, ink);
        if is_pointed_at(machine, row.address + offset) && !pointers.is_empty() {
            pen.mark(Rect { x, width: 2, ..area });
        }
        x += 3;
    }
    x = area.x + columns.words();
    let size = target.word_bytes();
    let aligned = row.address.is_multiple_of(size);
    for offset in (0..row.length).step_by(size as usize).filter(|offset| aligned && offset + size <= row.length) {
        let (text, ink) = word_text(session, row.address + offset, columns);
        pen.text(x, area.y, end.saturating_sub(x), &text, ink);
        x += columns.word;
    }
    x = area.x + columns.text(size);
    for offset in (0..row.length).filter(|_| columns.has_text) {
        let address = row.address + offset;
        let shown = matches!(machine.cell(address), CellState::Known);
        let byte = machine.byte(address);
        let sign = if shown && (0x20..0x7F).contains(&byte) { char::from(byte).to_string() } else { "·".to_owned() };
        let ink = if is_fresh(session, address) {
            Ink::Fresh
        } else if sign == "·" {
            Ink::Faint
        } else {
            Ink::Agreement
        };
        pen.text(x, area.y, end.saturating_sub(x), &sign, ink);
        x += 1;
    }
}

fn is_pointed_at(machine: &Machine, address: Addr) -> bool {
    let points = |register: Reg| machine.register_known(register) && Addr(machine.register(register)) == address;
    machine.target().registers().any(|(register, _)| points(register))
}

fn byte_text(session: &Session, address: Addr) -> (String, Ink) {
    let machine = session.machine();
    let fresh = is_fresh(session, address);
    match machine.cell(address) {
        CellState::Unmapped => ("  ".to_owned(), Ink::Faint),
        CellState::NeverWritten => ("··".to_owned(), Ink::Faint),
        CellState::Known | CellState::Device => {
            (format!("{:02X}", machine.byte(address)), if fresh { Ink::Fresh } else { Ink::Text })
        }
    }
}

fn word_text(session: &Session, address: Addr, columns: &Columns) -> (String, Ink) {
    let machine = session.machine();
    let cells: Vec<CellState> = (0..machine.target().word_bytes()).map(|at| machine.cell(address + at)).collect();
    let room = usize::from(columns.word) - 1;
    if cells.contains(&CellState::Unmapped) {
        return (String::new(), Ink::Faint);
    }
    if cells.contains(&CellState::NeverWritten) {
        return ("·".repeat(machine.target().hex(0).len()), Ink::Faint);
    }
    let ink = if is_fresh(session, address) { Ink::Fresh } else { Ink::Quiet };
    let (target, word) = (machine.target(), machine.word(address));
    let text = match columns.words {
        WordForm::Hexadecimal => target.hex(word),
        WordForm::Signed => format!("{:>room$}", target.signed(word)),
        WordForm::Unsigned => format!("{word:>room$}"),
    };
    (text, ink)
}
