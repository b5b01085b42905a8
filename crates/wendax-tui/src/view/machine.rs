//! Registers, flags and stack.

use super::pen::{Pen, width};
use crate::state::{App, Pane};
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_session::{Session, StackWord, WordKind, read_stack};

/// Columns the registers stand in: two with everything about them, or as many as there is width for when
/// there are few rows.
fn register_columns(area: Rect) -> u16 {
    const NARROWEST: u16 = 9;
    if area.height >= 14 { 2 } else { (area.width / NARROWEST).clamp(2, 5) }
}

/// Rows the registers take in a column of this size, without the head.
pub(super) fn register_rows(app: &App, area: Rect) -> u16 {
    let count = app.session.as_ref().map_or(14, |session| session.machine().target().registers.len());
    u16::try_from(count).unwrap_or(u16::MAX).div_ceil(register_columns(area))
}

pub(super) fn registers(app: &App, pen: &mut Pen<'_>, area: Rect, whole: Rect) {
    let note = app.session.as_ref().map_or(String::new(), |session| {
        format!("pc {}", session.machine().target().hex_address(session.machine().pc()))
    });
    pen.head(area, "registers", &note, false);
    let Some(session) = &app.session else { return };
    let count = session.machine().target().registers.len();
    let columns = register_columns(whole);
    let rows = usize::from(register_rows(app, whole));
    let wide = area.width / columns;
    for index in 0..count {
        let (column, row) = (u16::try_from(index / rows).unwrap_or(0), u16::try_from(index % rows).unwrap_or(0));
        if row + 1 < area.height {
            let cell = Rect { x: area.x + column * wide, y: area.y + 1 + row, width: wide, height: 1 };
            register(session, pen, cell, index);
        }
    }
}

/// Name, hexadecimal, decimal, and the old value or what it points to.
fn register(session: &Session, pen: &mut Pen<'_>, area: Rect, index: usize) {
    let machine = session.machine();
    let target = machine.target();
    let value = machine.register(index);
    let change = session.last_step().and_then(|step| step.registers.iter().find(|change| change.register == index));
    let fresh = change.is_some();
    let sign = if fresh { "•" } else { " " };
    let at = pen.text(area.x, area.y, area.width, sign, Ink::Fresh);
    let name = format!("{:<4}", target.registers[index].name);
    let at = pen.text(at, area.y, 4, &name, if fresh { Ink::Fresh } else { Ink::Quiet });
    if !machine.register_known(index) {
        let text = if area.width >= 20 { "····  not set" } else { "····" };
        pen.text(at, area.y, area.right().saturating_sub(at), text, Ink::Faint);
        return;
    }
    let ink = if fresh { Ink::Fresh } else { Ink::Text };
    let at = pen.text(at, area.y, 4, &target.hex(value), ink);
    let room = area.right().saturating_sub(at + 1);
    let decimal = format!("{:>7}", target.signed(value));
    let decimal = if area.width >= 24 { decimal } else { format!(" {}", target.signed(value)) };
    if width(&decimal) > room {
        return;
    }
    let at = pen.text(at, area.y, room, &decimal, ink);
    let room = area.right().saturating_sub(at + 3);
    let note = match change {
        Some(change) if !change.was_known => "was not set".to_owned(),
        Some(change) if change.old == value => "the same again".to_owned(),
        Some(change) => format!("was {}", target.hex(change.old)),
        None => points_to(session, value, room),
    };
    if width(&note) <= room {
        pen.text(at + 2, area.y, room, &note, if fresh { Ink::Quiet } else { Ink::Place });
    }
}

/// The label a value points to, the character it is, or its unsigned reading when that differs.
fn points_to(session: &Session, value: u32, room: u16) -> String {
    let image = session.image();
    let target = session.machine().target();
    let label = image.nearest_label(value).filter(|_| value >= 0x20);
    let text = match label {
        Some((symbol, 0)) => format!("→ {}", symbol.name),
        Some((symbol, offset)) => format!("→ {} + {offset}", symbol.name),
        None => match char::from_u32(value) {
            Some(c) if c.is_ascii_graphic() => format!("'{c}'"),
            _ if target.signed(value) < 0 => format!("or {value}"),
            _ => String::new(),
        },
    };
    if width(&text) <= room { text } else { String::new() }
}

pub(super) fn flags(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let Some(session) = &app.session else { return };
    if area.height > 1 {
        pen.head(area, "flags", "", false);
        flag_rows(app, session, pen, area);
        return;
    }
    let machine = session.machine();
    let mut at = area.x + 1;
    for flag in machine.target().flags {
        let on = machine.flags() & flag.bit != 0;
        let ink = if is_fresh(session, flag.bit) {
            Ink::Fresh
        } else if on {
            Ink::Text
        } else {
            Ink::Quiet
        };
        at = pen.text(at, area.y, area.right().saturating_sub(at), &format!("{} {}  ", flag.name, u8::from(on)), ink);
    }
    pen.right(area, area.y, "flags ", Ink::Faint);
}

fn is_fresh(session: &Session, bit: u32) -> bool {
    session.last_step().is_some_and(|step| (step.flags.old ^ step.flags.new) & bit != 0)
}

fn flag_rows(app: &App, session: &Session, pen: &mut Pen<'_>, area: Rect) {
    let machine = session.machine();
    for (y, flag) in (area.y + 1..area.bottom()).zip(machine.target().flags) {
        let on = machine.flags() & flag.bit != 0;
        let fresh = is_fresh(session, flag.bit);
        let ink = if fresh {
            Ink::Fresh
        } else if on {
            Ink::Text
        } else {
            Ink::Quiet
        };
        let sign = if fresh { "•" } else { " " };
        let meaning = if on { flag.when_set } else { flag.when_clear };
        let was = if fresh { format!("was {}", u8::from(!on)) } else { String::new() };
        pen.text(area.x, y, 1, sign, Ink::Fresh);
        pen.bold(area.x + 1, y, 5, &format!("{}  {}", flag.name, u8::from(on)), ink);
        pen.text(area.x + 8, y, 18, meaning, ink);
        pen.text(area.x + 27, y, 6, &was, Ink::Quiet);
        let writer = machine.flag_writer(flag.bit).and_then(|address| session.image().line_at(address));
        if let Some(line) = writer {
            let room = area.right().saturating_sub(area.x + 34);
            pen.text(area.x + 34, y, room, &format!("by {}", app.place_words(line)), Ink::Place);
        }
    }
}

pub(super) fn stack(app: &App, pen: &mut Pen<'_>, area: Rect) {
    if area.height == 0 {
        return;
    }
    let depth = app.session.as_ref().map_or(0, |session| session.machine().frames().len());
    let note = match depth {
        0 => String::new(),
        1 => "in 1 routine".to_owned(),
        _ => format!("in {depth} routines"),
    };
    pen.head(area, "stack", &note, app.focus == Pane::Stack);
    let Some(session) = &app.session else { return };
    let rows = usize::from(area.height) - 1;
    let scroll = if app.focus == Pane::Stack { app.stack_scroll } else { 0 };
    let words = read_stack(session.machine(), scroll + rows);
    if words.is_empty() {
        let sp = session.machine().register(session.machine().target().stack_register);
        let text = if sp == 0xFE00 { "empty" } else { "sp points outside the stack" };
        pen.text(area.x + 1, area.y + 1, area.width.saturating_sub(1), text, Ink::Faint);
    }
    let skipped = scroll.min(words.len().saturating_sub(1));
    for (y, word) in (area.y + 1..area.bottom()).zip(words.iter().skip(skipped)) {
        stack_row(app, session, pen, Rect { y, height: 1, ..area }, word);
    }
}

fn stack_row(app: &App, session: &Session, pen: &mut Pen<'_>, area: Rect, word: &StackWord) {
    let machine = session.machine();
    let target = machine.target();
    let register = |index: usize| machine.register(index) == word.address;
    let pointer =
        match (register(target.stack_register), target.register("fp").filter(|&fp| machine.register_known(fp))) {
            (true, _) => "sp",
            (false, Some(fp)) if register(fp) => "fp",
            _ => "",
        };
    let fresh = session.last_step().is_some_and(|step| {
        step.memory.iter().any(|change| (change.address..change.address + 2).contains(&word.address))
    });
    pen.text(area.x, area.y, 1, if fresh { "•" } else { " " }, Ink::Fresh);
    pen.text(area.x + 1, area.y, 3, pointer, Ink::Time);
    pen.text(area.x + 4, area.y, 5, &target.hex_address(word.address), Ink::Place);
    let known = word.kind != WordKind::NeverWritten;
    let value = if known { target.hex(word.value) } else { "····".to_owned() };
    let ink = if fresh { Ink::Fresh } else { Ink::Text };
    pen.text(area.x + 10, area.y, 5, &value, if known { ink } else { Ink::Faint });
    let indent = "  ".repeat(word.depth.min(6));
    let (text, ink) = match word.kind {
        WordKind::Return(frame) => {
            let name = session
                .image()
                .label_at(frame.target)
                .map_or_else(|| target.hex_address(frame.target), |s| s.name.clone());
            let line = session
                .image()
                .line_at(frame.site)
                .map_or(String::new(), |line| format!(", called on {}", app.place_words(line)));
            (format!("way back from {name}{line}"), Ink::Time)
        }
        WordKind::Saved(index) => (
            format!("pushed {} = {}", target.registers.get(index).map_or("?", |r| r.name), target.signed(word.value)),
            Ink::Text,
        ),
        WordKind::Flags => ("pushed flags".to_owned(), Ink::Text),
        WordKind::Other => (format!("{}", target.signed(word.value)), Ink::Quiet),
        WordKind::NeverWritten => (String::new(), Ink::Faint),
    };
    let x = area.x + 16;
    pen.text(x, area.y, area.right().saturating_sub(x), &format!("{indent}{text}"), ink);
}
