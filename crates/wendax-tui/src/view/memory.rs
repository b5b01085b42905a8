//! Memory: bytes in address order, words, text; a row begins anew at each label.

use super::pen::Pen;
use crate::state::{App, Lens, Pane};
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_machine::{Addr, CellState, Machine, Reg, RegionKind};
use wendax_session::Session;

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
    match &app.lens {
        Lens::Data if session.machine().regions().iter().any(|region| region.kind == RegionKind::Data) => {
            "data".to_owned()
        }
        Lens::Data => "code; there is no data".to_owned(),
        Lens::At(address) => {
            let regions = session.machine().regions();
            let region = regions.iter().find(|region| region.start <= *address && *address < region.end);
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

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect) {
    if area.height == 0 {
        return;
    }
    let note = app.session.as_ref().map_or(String::new(), |session| title(app, session));
    pen.head(area, "memory", &note, app.focus == Pane::Memory);
    let (Some(session), Some(start)) = (&app.session, app.memory_start()) else { return };
    let cells = if area.width >= 68 { 8 } else { 4 };
    let scroll = app.memory_scroll * i64::from(cells);
    let mask = session.machine().target().address_mask();
    let first = (i64::from(session.machine().target().align(start)) + scroll).clamp(0, i64::from(mask));
    let first = Addr::try_from(first).unwrap_or_default();
    let mut rows = rows(session, first, cells).peekable();
    let mut y = area.y + 1;
    while y < area.bottom()
        && let Some(row) = rows.next()
    {
        draw_row(session, pen, Rect { y, height: 1, ..area }, &row, cells);
        y += 1;
        let mut folded = 0;
        while rows.next_if(|next| alike(session, &row, next)).is_some() {
            folded += 1;
        }
        if folded > 0 && y < area.bottom() {
            let text =
                if folded == 1 { "the same once more".to_owned() } else { format!("the same {folded} more times") };
            pen.text(area.x + 10, y, area.width.saturating_sub(10), &format!("     {text}"), Ink::Faint);
            y += 1;
        }
    }
}

/// Rows from an address to the end of memory, each ending before the next label.
fn rows(session: &Session, first: Addr, cells: u32) -> impl Iterator<Item = Row> {
    let machine = session.machine();
    let end = Addr(machine.target().address_mask()) + 1;
    let mut labels: Vec<(Addr, String)> = session
        .image()
        .labels()
        .filter_map(|symbol| Some((symbol.address()?, symbol.name.clone())))
        .filter(|&(address, _)| address >= first)
        .collect();
    labels.sort();
    labels.dedup_by_key(|(address, _)| *address);
    let mut labels = labels.into_iter().peekable();
    let regions = machine.regions();
    let mut address = first;
    std::iter::from_fn(move || {
        if address >= end {
            return None;
        }
        if machine.cell(address) == CellState::Unmapped {
            let next = regions.iter().map(|region| region.start).find(|&start| start > address).unwrap_or(end);
            while labels.next_if(|(at, _)| *at < next).is_some() {}
            let row = Row { address, length: next - address, label: None, gap: true };
            address = next;
            return Some(row);
        }
        let label = labels.next_if(|(at, _)| *at == address).map(|(_, name)| name);
        let next = labels.peek().map_or(end, |(at, _)| *at);
        let border = regions.iter().map(|region| region.end).find(|&at| at > address).unwrap_or(end);
        let length = cells.min(next - address).min(border - address);
        let row = Row { address, length, label, gap: false };
        address += row.length;
        Some(row)
    })
}

/// The second row shows nothing the first does not: no label, no pointer, no change, the same cells.
fn alike(session: &Session, row: &Row, next: &Row) -> bool {
    let machine = session.machine();
    next.label.is_none()
        && !row.gap
        && !next.gap
        && row.length == next.length
        && pointers(machine, next).is_empty()
        && !has_change(session, row)
        && !has_change(session, next)
        && (0..row.length).all(|offset| {
            let (a, b) = (row.address + offset, next.address + offset);
            machine.cell(a) == machine.cell(b)
                && machine.cell(a) != CellState::Device
                && machine.byte(a) == machine.byte(b)
        })
}

fn has_change(session: &Session, row: &Row) -> bool {
    row.address.up_to(row.address + row.length).any(|address| is_fresh(session, address))
}

fn is_fresh(session: &Session, address: Addr) -> bool {
    session
        .last_change()
        .is_some_and(|change| change.wrote(address) || change.devices.iter().any(|device| device.address == address))
}

/// The registers that point to a cell.
fn pointers(machine: &Machine, row: &Row) -> String {
    let target = machine.target();
    let points = |register: &Reg| {
        let place = Addr(machine.register(*register));
        machine.register_known(*register)
            && (row.address..row.address + row.length).contains(&place)
            && place >= target.map.code_start.min(Addr(target.map.page))
    };
    let names: Vec<&str> =
        target.registers().filter(|(register, _)| points(register)).map(|(_, info)| info.name).collect();
    names.join(" ")
}

fn draw_row(session: &Session, pen: &mut Pen<'_>, area: Rect, row: &Row, cells: u32) {
    let machine = session.machine();
    let target = machine.target();
    if row.gap {
        let text = format!(
            "{}  no memory up to {}",
            target.hex_address(row.address),
            target.hex_address(row.address + row.length - 1)
        );
        pen.text(area.x + 11, area.y, area.width.saturating_sub(11), &text, Ink::Faint);
        return;
    }
    let label: String = row.label.as_deref().unwrap_or_default().chars().take(9).collect();
    let pointers = pointers(machine, row);
    let (text, ink) = if label.is_empty() && !pointers.is_empty() {
        (format!("{pointers}→"), Ink::Time)
    } else {
        (label, Ink::Place)
    };
    pen.text(area.x + 1, area.y, 9, &text, ink);
    let mut x = area.x + 11;
    let end = area.right();
    pen.text(x, area.y, end.saturating_sub(x), &target.hex_address(row.address), Ink::Place);
    x += 6;
    for offset in 0..row.length {
        let (text, ink) = byte_text(session, row.address + offset);
        pen.text(x, area.y, end.saturating_sub(x), &text, ink);
        x += 3;
    }
    x = area.x + 18 + 3 * u16::try_from(cells).unwrap_or(0);
    let size = target.word_bytes();
    let aligned = row.address.is_multiple_of(size);
    for offset in (0..row.length).step_by(size as usize).filter(|offset| aligned && offset + size <= row.length) {
        let (text, ink) = word_text(session, row.address + offset);
        pen.text(x, area.y, end.saturating_sub(x), &text, ink);
        x += 5;
    }
    x = area.x + 19 + 3 * u16::try_from(cells).unwrap_or(0) + 5 * u16::try_from(cells / size).unwrap_or(0);
    for offset in 0..row.length {
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

fn word_text(session: &Session, address: Addr) -> (String, Ink) {
    let machine = session.machine();
    let cells = [machine.cell(address), machine.cell(address + 1)];
    if cells.contains(&CellState::Unmapped) {
        return (String::new(), Ink::Faint);
    }
    if cells.contains(&CellState::NeverWritten) {
        return ("····".to_owned(), Ink::Faint);
    }
    let ink = if is_fresh(session, address) { Ink::Fresh } else { Ink::Quiet };
    (machine.target().hex(machine.word(address)), ink)
}
