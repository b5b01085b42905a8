//! The atlas: all of memory as a map, a sign for some cells: what is mapped, used, touched, changed, and where pointers lead.

use super::{MEASURE, Need, Order, Pane, PaneId, PaneState, Work, head};
use crate::app::App;
use crate::cells::fitted;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use std::collections::BTreeMap;
use wendax_machine::{Addr, CellState, RegionKind};
use wendax_session::grouped;
use wendax_session::{Session, Thing, region_name};

pub(super) struct Atlas;

/// Signs in a row: the first of these beside which names have room too.
const ACROSS: [u32; 3] = [128, 64, 32];
/// Columns for names.
const NAMES: u32 = 48;
/// Cells a sign may stand for.
const SCALES: [u32; 8] = [1, 2, 4, 8, 16, 32, 64, 128];

impl Pane for Atlas {
    fn name(&self) -> &'static str {
        "atlas"
    }

    fn command(&self) -> &'static str {
        "Atlas: all of memory as a map"
    }

    fn words(&self) -> &'static str {
        "memory map overview regions heap stack usage layout touched changed pointers"
    }

    fn about(&self) -> &'static str {
        "All of memory as a map: each sign stands for some cells in order of address, as said at its head. · was never \
         written, ▫ has a value, ░ ▒ ▓ were read and written, or ran, in the run, more often the darker; ■ changed in the \
         last step or stride, ▶ is the instruction that comes next, ▼ where the stack ends, ◂ where a register points. What is not \
         mapped, and what was never touched and has no name, is told in a row. Up, down, Shift-→ and Shift-← move the cursor, Enter shows memory there."
    }

    fn work(&self) -> Option<Work> {
        Some(MEASURE)
    }

    fn need(&self, _: &App, column: Rect) -> Need {
        Need::rows(6, column.height)
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let Some(session) = app.session() else {
            head(app, pen, area, PaneId::Atlas, "");
            return;
        };
        let marks = Marks::of(app, session);
        let map = Map::of(session, &marks, area);
        let note = format!("a sign is {} cells", map.scale);
        let body = head(app, pen, area, PaneId::Atlas, if map.scale == 1 { "a sign is a cell" } else { &note });
        let cursor = Addr(u32::try_from(app.screen.panes.of(PaneId::Atlas).chosen).unwrap_or(0));
        let for_address = room_for_address(session);
        let rows = body.height.saturating_sub(BELOW);
        let at = map.row_of(cursor);
        let from = at.saturating_sub(usize::from(rows) * 2 / 3).min(map.rows.len().saturating_sub(usize::from(rows)));
        for (y, row) in (body.y..body.y + rows).zip(map.rows.iter().skip(from)) {
            let place = Rect { y, height: 1, ..body };
            match *row {
                Row::Cells(start) => {
                    let names = names(&marks, session, start, start + map.across * map.scale);
                    cells_row(session, pen, place, (start, map.scale, map.across), &marks, cursor);
                    let x = place.x + for_address + u16::try_from(map.across).unwrap_or(0) + 2;
                    let room = place.right().saturating_sub(x + 1);
                    pen.text(x, y, room, &fitted(&names, room), Ink::Quiet);
                }
                Row::Alike(start, last, kind) => {
                    let target = session.machine().target();
                    pen.text(place.x + 1, y, for_address, &target.hex_address(start), Ink::Place);
                    let end = target.hex_address(last);
                    let what = match kind {
                        Kind::Unmapped => "  no memory",
                        Kind::Fresh => "· never written",
                        Kind::Idle => "▫ never touched",
                    };
                    let at =
                        pen.text(place.x + for_address, y, place.width, &format!("{what} up to {end}"), Ink::Faint);
                    let names =
                        if kind == Kind::Unmapped { String::new() } else { names(&marks, session, start, last + 1) };
                    pen.text(at + 3, y, place.right().saturating_sub(at + 4), &names, Ink::Quiet);
                    if (start..=last).contains(&cursor) {
                        pen.chosen(Rect { x: place.x + for_address, width: 1, ..place });
                    }
                }
            }
        }
        let below = Rect { y: body.bottom().saturating_sub(BELOW), height: BELOW.min(body.height), ..body };
        about_cursor(app, session, pen, below, cursor, map.scale);
    }

    fn entries(&self, app: &App) -> Option<usize> {
        app.session().map(|session| session.machine().target().address_mask() as usize + 1)
    }

    fn enter(&self, _: &App, entry: usize) -> Option<Order> {
        Some(Order::Memory(Addr(u32::try_from(entry).ok()?)))
    }

    fn thing(&self, _: &App, entry: usize) -> Option<Thing> {
        let at = Addr(u32::try_from(entry).ok()?);
        Some(Thing::Cells(at, at + 1))
    }

    fn moved(&self, app: &App, area: Rect, by: isize) -> Option<PaneState> {
        let session = app.session()?;
        let map = Map::of(session, &Marks::of(app, session), area);
        let state = app.screen.panes.of(PaneId::Atlas);
        let cursor = Addr(u32::try_from(state.chosen).unwrap_or(0));
        let row = map.row_of(cursor).saturating_add_signed(by).min(map.rows.len().saturating_sub(1));
        let chosen = match map.rows.get(row)? {
            Row::Alike(start, ..) => start.index(),
            Row::Cells(start) => {
                let across = (map.across * map.scale) as usize;
                start.index() + state.chosen % across / map.scale as usize * map.scale as usize
            }
        };
        Some(PaneState { chosen, ..state })
    }
}

/// The cursor by so many signs.
pub(crate) fn sideways(app: &App, area: Rect, by: isize) -> Option<PaneState> {
    let session = app.session()?;
    let scale = Map::of(session, &Marks::of(app, session), area).scale as usize;
    let state = app.screen.panes.of(PaneId::Atlas);
    let last = session.machine().target().address_mask() as usize;
    let chosen = (state.chosen / scale * scale).saturating_add_signed(by * scale.cast_signed()).min(last);
    Some(PaneState { chosen, ..state })
}

/// Rows below the map.
const BELOW: u16 = 4;

/// What is to be seen of a cell.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Kind {
    Unmapped,
    /// Never written.
    Fresh,
    /// It has a value, and nothing happened to it.
    Idle,
}

enum Row {
    /// Cells from an address on.
    Cells(Addr),
    /// From an address to another, with both, all is of this kind.
    Alike(Addr, Addr, Kind),
}

struct Map {
    rows: Vec<Row>,
    /// Signs in a row.
    across: u32,
    /// Cells a sign stands for.
    scale: u32,
}

impl Map {
    /// The finest map that has room.
    fn of(session: &Session, marks: &Marks, area: Rect) -> Self {
        let rows = usize::from(area.height.saturating_sub(1 + BELOW));
        let has_room = |across: &&u32| u32::from(area.width) >= **across + u32::from(room_for_address(session)) + NAMES;
        let across = ACROSS.iter().find(has_room).copied().unwrap_or(ACROSS[ACROSS.len() - 1]);
        let kinds = Kinds::of(marks, session);
        let mut last = None;
        for scale in SCALES {
            let map = Self::in_scale(session, &kinds, scale, across);
            if map.rows.len() <= rows {
                return map;
            }
            last = Some(map);
        }
        last.unwrap_or(Self { rows: Vec::new(), across, scale: 1 })
    }

    fn in_scale(session: &Session, kinds: &Kinds, scale: u32, signs: u32) -> Self {
        let across = u64::from(signs) * u64::from(scale);
        let whole = session.machine().target().memory_size();
        let place = |at: u64| Addr(u32::try_from(at).unwrap_or(u32::MAX));
        let mut rows: Vec<Row> = Vec::new();
        let mut at = 0;
        while at < whole {
            let (end, kind) = kinds.alike_from(at, whole);
            // Whole rows, up to where something else comes.
            let to = end / across * across;
            if to > at {
                match rows.last_mut() {
                    Some(Row::Alike(_, last, known)) if *known == kind => *last = place(to - 1),
                    _ => rows.push(Row::Alike(place(at), place(to - 1), kind)),
                }
                at = to;
            } else {
                rows.push(Row::Cells(place(at)));
                at += across;
            }
        }
        Self { rows, across: signs, scale }
    }

    fn row_of(&self, address: Addr) -> usize {
        let start = |row: &Row| match row {
            Row::Cells(start) | Row::Alike(start, ..) => *start,
        };
        self.rows.partition_point(|row| start(row) <= address).saturating_sub(1)
    }
}

/// Stretches of memory in which all cells are alike, and the cells that are marked.
struct Kinds {
    /// In order of address; what lies between is not mapped.
    stretches: Vec<(Addr, Addr, Kind)>,
    marked: Vec<Addr>,
}

impl Kinds {
    fn of(marks: &Marks, session: &Session) -> Self {
        let machine = session.machine();
        let kind = |state| match state {
            CellState::Unmapped => Kind::Unmapped,
            CellState::Known | CellState::Device => Kind::Idle,
            CellState::NeverWritten => Kind::Fresh,
        };
        let states = machine.regions().into_iter().flat_map(|region| machine.states(region.start, region.end()));
        let stretches = states.map(|(from, to, state)| (from, to, kind(state))).collect();
        let labels =
            session.image().labels().filter(|label| !label.is_private()).filter_map(wendax_image::Symbol::address);
        let touched = marks.touched.at.iter().chain(&marks.ran.at).map(|place| place.0);
        let changed = marks.changed.iter().flat_map(|(from, to)| from.up_to(*to));
        let single = [marks.present, marks.stack].into_iter().chain(marks.pointers.iter().copied());
        // What is marked and not mapped has no sign.
        let is_mapped = |at: &Addr| machine.cell(*at) != CellState::Unmapped;
        let mut marked: Vec<Addr> = labels.chain(touched).chain(changed).chain(single).filter(is_mapped).collect();
        marked.sort_unstable();
        marked.dedup();
        Self { stretches, marked }
    }

    /// How far all cells from an address on are as that one is, and what they are.
    fn alike_from(&self, at: u64, whole: u64) -> (u64, Kind) {
        let number = |address: Addr| u64::from(address.0);
        // The very last address has none behind it.
        let end_of = |address: Addr| if address == Addr::LAST { whole } else { number(address) };
        let next = self.stretches.partition_point(|stretch| end_of(stretch.1) <= at);
        let (end, kind) = match self.stretches.get(next) {
            Some((from, to, kind)) if number(*from) <= at => (end_of(*to), *kind),
            Some((from, ..)) => (number(*from), Kind::Unmapped),
            None => (whole, Kind::Unmapped),
        };
        let mark = self.marked.partition_point(|mark| number(*mark) < at);
        (self.marked.get(mark).map_or(end, |mark| end.min(number(*mark))), kind)
    }
}

/// What is marked on the map.
struct Marks {
    present: Addr,
    stack: Addr,
    pointers: Vec<Addr>,
    changed: Vec<(Addr, Addr)>,
    /// Cells that were read and written, and how often.
    touched: Often,
    /// Instructions that ran, and how often.
    ran: Often,
    /// How often what a label names was read and written, or ran.
    come_to: BTreeMap<Addr, u64>,
}

/// How often something happened at addresses, in their order.
struct Often {
    at: Vec<(Addr, u64)>,
    most: u64,
}

impl Often {
    fn of(at: impl Iterator<Item = (Addr, u64)>) -> Self {
        let at: Vec<(Addr, u64)> = at.filter(|place| place.1 > 0).collect();
        let most = at.iter().map(|place| place.1).max().unwrap_or(0);
        Self { at, most }
    }

    /// The sign for what happened most often in some cells; none where nothing did.
    fn sign(&self, from: Addr, to: Addr) -> Option<&'static str> {
        let first = self.at.partition_point(|place| place.0 < from);
        let times = self.at[first..].iter().take_while(|place| place.0 < to).map(|place| place.1).max()?;
        // Tenths of the most: a half and more, a tenth and more, less.
        Some(match u128::from(times) * 10 / u128::from(self.most) {
            5.. => "▓",
            1.. => "▒",
            0 => "░",
        })
    }
}

impl Marks {
    fn of(app: &App, session: &Session) -> Self {
        let machine = session.machine();
        let target = machine.target();
        let stack = target.roles.stack;
        let is_pointer = |at: &Addr| {
            let regions = machine.regions();
            regions.iter().any(|region| {
                region.contains(*at) && matches!(region.kind, RegionKind::Data | RegionKind::Heap | RegionKind::Stack)
            })
        };
        let registers = target.registers().map(|(register, _)| register);
        let registers = registers.filter(|&register| register != stack && machine.register_known(register));
        let pointers = registers.map(|register| Addr(machine.register(register))).filter(is_pointer).collect();
        let changes = session.last_change().map_or(&[][..], |effects| &effects.memory);
        let changed = changes.iter().map(|change| (change.address, change.address + length(change.new.len())));
        let tally = app.world.tallies.present.as_ref();
        let cells = tally.map_or(&[][..], |tally| &tally.cells).iter();
        let places = tally.map_or(&[][..], |tally| &tally.places).iter();
        let labels = tally.map_or(&[][..], |tally| &tally.labels).iter();
        let named = labels.map(|label| (label.address, label.read + label.written));
        let come_to = named.chain(places.clone().map(|place| (place.address, place.times)));
        Self {
            come_to: come_to.filter(|(_, times)| *times > 0).collect(),
            present: session.present_address(),
            stack: machine.stack_pointer(),
            pointers,
            changed: changed.collect(),
            touched: Often::of(cells.map(|cell| (cell.address, cell.read + cell.written))),
            ran: Often::of(places.flat_map(|place| {
                let length = machine.way_at(place.address).map_or(1, |(length, _)| length);
                place.address.up_to(place.address + length).map(|at| (at, place.times))
            })),
        }
    }

    /// What is to be seen of each cell of the regions of memory; where a label is, something is.
    /// The sign of some cells, and its ink.
    fn sign(&self, session: &Session, from: Addr, to: Addr) -> (&'static str, Ink) {
        let inside = |at: &Addr| (from..to).contains(at);
        if inside(&self.present) {
            return ("▶", Ink::Time);
        }
        if self.changed.iter().any(|(start, end)| *start < to && from < *end) {
            return ("■", Ink::Fresh);
        }
        if inside(&self.stack) {
            return ("▼", Ink::Time);
        }
        if self.pointers.iter().any(inside) {
            return ("◂", Ink::Place);
        }
        let machine = session.machine();
        let states = from.up_to(to).map(|at| machine.cell(at));
        let (mut is_mapped, mut is_known) = (false, false);
        for state in states {
            is_mapped |= state != CellState::Unmapped;
            is_known |= matches!(state, CellState::Known | CellState::Device);
        }
        if !is_mapped {
            return (" ", Ink::Faint);
        }
        let ran = self.ran.sign(from, to).map(|sign| (sign, Ink::Time));
        let touched = || self.touched.sign(from, to).map(|sign| (sign, Ink::Agreement));
        let rest = if is_known { ("▫", Ink::Quiet) } else { ("·", Ink::Faint) };
        ran.or_else(touched).unwrap_or(rest)
    }
}

fn length(bytes: usize) -> u32 {
    u32::try_from(bytes).unwrap_or(0)
}

/// Columns for an address, with blanks around it.
fn room_for_address(session: &Session) -> u16 {
    let target = session.machine().target();
    u16::try_from(target.hex_address(Addr(0)).len()).unwrap_or(0) + 4
}

fn cells_row(
    session: &Session,
    pen: &mut Pen<'_>,
    area: Rect,
    (start, scale, across): (Addr, u32, u32),
    marks: &Marks,
    cursor: Addr,
) {
    let target = session.machine().target();
    let for_address = room_for_address(session);
    pen.text(area.x + 1, area.y, for_address, &target.hex_address(start), Ink::Place);
    for sign in 0..across {
        let from = start + sign * scale;
        let to = from + scale;
        let x = area.x + for_address + u16::try_from(sign).unwrap_or(0);
        let (text, ink) = marks.sign(session, from, to);
        pen.text(x, area.y, 1, text, ink);
        if (from..to).contains(&cursor) {
            pen.chosen(Rect { x, y: area.y, width: 1, height: 1 });
        }
    }
}

/// The regions that begin in a row, and the labels that begin in it, with how often what stands there ran or was touched.
fn names(marks: &Marks, session: &Session, from: Addr, to: Addr) -> String {
    let regions = session.machine().regions();
    let mut parts: Vec<String> = regions
        .iter()
        .filter(|region| (from..to).contains(&region.start))
        .map(|region| format!("{}:", region_name(region.kind)))
        .collect();
    let mut labels: Vec<(Addr, &str)> = session
        .image()
        .labels()
        .filter(|label| !label.is_private())
        .filter_map(|label| Some((label.address()?, label.name.as_str())))
        .filter(|(at, _)| (from..to).contains(at))
        .collect();
    labels.sort_unstable();
    parts.extend(labels.into_iter().map(|(at, name)| match marks.come_to.get(&at) {
        Some(times) => format!("{name} {}×", grouped(*times)),
        None => name.to_owned(),
    }));
    parts.join("  ")
}

/// What is known of the cells under the cursor.
fn about_cursor(app: &App, session: &Session, pen: &mut Pen<'_>, area: Rect, cursor: Addr, scale: u32) {
    let machine = session.machine();
    let target = machine.target();
    let regions = machine.regions();
    let region = regions.iter().find(|region| region.contains(cursor));
    let to = cursor + scale;
    let mut first = match region {
        Some(region) => {
            let place = wendax_session::place(session.image(), target, cursor);
            format!("{place}, in {} ({} bytes)", region_name(region.kind), grouped(region.length.into()))
        }
        None => format!("{}: no memory", target.marked_address(cursor)),
    };
    let bytes: Vec<String> =
        cursor
            .up_to(to)
            .take(16)
            .map(|at| {
                if machine.cell(at) == CellState::Known {
                    format!("{:02X}", machine.byte(at))
                } else {
                    "··".to_owned()
                }
            })
            .collect();
    if region.is_some() {
        first.push_str("   ");
        first.push_str(&bytes.join(" "));
    }
    let mut second = Vec::new();
    if let Some(tally) = &app.world.tallies.present {
        let inside = tally.cells.iter().filter(|cell| (cursor..to).contains(&cell.address));
        let (read, written) = inside.fold((0, 0), |sum, cell| (sum.0 + cell.read, sum.1 + cell.written));
        let ran = tally.places.iter().filter(|place| (cursor..to).contains(&place.address)).map(|place| place.times);
        let ran = ran.max().filter(|&ran| ran > 0).map(|ran| format!(", ran {}×", grouped(ran)));
        let (read, written) = (grouped(read), grouped(written));
        second.push(format!("in the run: read {read}×, written {written}×{}", ran.unwrap_or_default()));
    }
    let pointing: Vec<&str> = target
        .registers()
        .filter(|(register, _)| machine.register_known(*register))
        .filter(|(register, _)| (cursor..to).contains(&Addr(machine.register(*register))))
        .map(|(_, info)| info.name)
        .collect();
    if !pointing.is_empty() {
        second.push(format!("{} point{} here", pointing.join(", "), if pointing.len() == 1 { "s" } else { "" }));
    }
    let room = area.width.saturating_sub(2);
    for (y, text) in (area.y + 1..area.bottom()).zip([&first, &second.join("; ")]) {
        pen.text(area.x + 1, y, room, &fitted(text, room), Ink::Text);
    }
    let legend = "· never written  ▫ a value  ░▒▓ touched, ran  ■ changed just now  ▶ next  ▼ stack  ◂ pointed to";
    if area.height >= 4 {
        pen.text(area.x + 1, area.y + 3, room, &fitted(legend, room), Ink::Faint);
    }
}
