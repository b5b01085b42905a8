//! Registers, flags and stack.

use super::pen::{Pen, width};
use crate::state::{App, Pane};
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_machine::{Addr, Event, FrameKind, Reg, Writer};
use wendax_session::{ByHand, Meaning, Meanings, Session, StackWord, WordKind, read_stack};

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
    let (meanings, by_hand) = (Meanings::of(session), session.changes_by_hand());
    let columns = register_columns(whole);
    let rows = usize::from(register_rows(app, whole));
    let wide = area.width / columns;
    for (index, (register, _)) in session.machine().target().registers().enumerate() {
        let (column, row) = (u16::try_from(index / rows).unwrap_or(0), u16::try_from(index % rows).unwrap_or(0));
        if row + 1 < area.height {
            let cell = Rect { x: area.x + column * wide, y: area.y + 1 + row, width: wide, height: 1 };
            register_row(session, (&meanings, &by_hand), pen, cell, register);
        }
    }
}

/// Name, hexadecimal, decimal, and the old value or what it points to.
fn register_row(
    session: &Session,
    (meanings, by_hand): (&Meanings, &[ByHand]),
    pen: &mut Pen<'_>,
    area: Rect,
    register: Reg,
) {
    let machine = session.machine();
    let target = machine.target();
    let value = machine.register(register);
    let change = session.last_change().and_then(|change| change.register(register));
    let by_hand = by_hand.iter().any(|change| match change.event {
        Event::SetRegister(set, _) => set == register,
        _ => false,
    });
    let fresh = change.is_some() || by_hand;
    let sign = if fresh { "•" } else { " " };
    let at = pen.text(area.x, area.y, area.width, sign, Ink::Fresh);
    let name = format!("{:<4}", target.register_name(register));
    let at = pen.text(at, area.y, 4, &name, if fresh { Ink::Fresh } else { Ink::Quiet });
    if !machine.register_known(register) {
        let text = if area.width >= 20 { "····  not set" } else { "····" };
        pen.text(at, area.y, area.right().saturating_sub(at), text, Ink::Faint);
        return;
    }
    let ink = if fresh { Ink::Fresh } else { Ink::Text };
    let at = pen.text(at, area.y, 4, &target.hex(value), ink);
    let room = area.right().saturating_sub(at + 1);
    // An address is no number to reckon with: its decimal form would only be read as one.
    let is_address = meanings.register(register) == Meaning::Address;
    let decimal = if is_address { String::new() } else { target.signed(value).to_string() };
    let decimal = if area.width >= 24 { format!("{decimal:>7}") } else { format!(" {decimal}") };
    if width(&decimal) > room {
        return;
    }
    let at = pen.text(at, area.y, room, &decimal, ink);
    let room = area.right().saturating_sub(at + 3);
    let note = match change.filter(|_| !by_hand) {
        None if by_hand => "set by hand".to_owned(),
        Some(change) if !change.was_known => "was not set".to_owned(),
        Some(change) if change.old == value => "the same again".to_owned(),
        Some(change) => format!("was {}", target.hex(change.old)),
        None => points_to(session, meanings.register(register), value, room),
    };
    if width(&note) <= room {
        pen.text(at + 2, area.y, room, &note, if fresh { Ink::Quiet } else { Ink::Place });
    }
}

/// The label a value points to, the character it is, or its unsigned reading when that differs.
fn points_to(session: &Session, meaning: Meaning, value: u32, room: u16) -> String {
    let image = session.image();
    let target = session.machine().target();
    let label = image.nearest_label(Addr(value)).filter(|_| Addr(value) >= target.map.vectors_end);
    let unsigned = if target.signed(value) < 0 { format!("or {value}") } else { String::new() };
    let text = match (meaning, label, char::from_u32(value).filter(char::is_ascii_graphic)) {
        (Meaning::Address, Some((symbol, 0)), _) => format!("→ {}", symbol.name),
        (Meaning::Address, Some((symbol, offset)), _) => format!("→ {} + {offset}", symbol.name),
        (Meaning::Address, None, _) => String::new(),
        (Meaning::Character, _, Some(c)) => format!("'{c}'"),
        (Meaning::Character | Meaning::Number, ..) => unsigned,
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
    session.last_change().is_some_and(|change| (change.flags.old ^ change.flags.new) & bit != 0)
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
        let meaning = match (on, machine.flag_writer(flag.bit)) {
            (false, None) => "not set yet",
            (true, _) => flag.when_set,
            (false, Some(_)) => flag.when_clear,
        };
        let was = if fresh { format!("was {}", u8::from(!on)) } else { String::new() };
        pen.text(area.x, y, 1, sign, Ink::Fresh);
        pen.bold(area.x + 1, y, 5, &format!("{}  {}", flag.name, u8::from(on)), ink);
        pen.text(area.x + 8, y, 18, meaning, ink);
        pen.text(area.x + 27, y, 6, &was, Ink::Quiet);
        let by = match machine.flag_writer(flag.bit) {
            Some(Writer::Instruction(address)) => session.image().line_at(address).map(|line| app.place_words(line)),
            Some(Writer::Entry(number)) => Some(format!("entry of {}", machine.target().trap_name(number))),
            Some(Writer::Person) => Some("hand".to_owned()),
            None => None,
        };
        if let Some(by) = by {
            let room = area.right().saturating_sub(area.x + 34);
            pen.text(area.x + 34, y, room, &format!("by {by}"), Ink::Place);
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
        let sp = session.machine().stack_pointer();
        let empty = sp == session.machine().target().map.stack_end;
        let text = if empty { "empty" } else { "sp points outside the stack" };
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
    let points_here = |register| Addr(machine.register(register)) == word.address;
    let pointer = match (points_here(target.roles.stack), target.roles.frame.filter(|&fp| machine.register_known(fp))) {
        (true, _) => "sp",
        (false, Some(fp)) if points_here(fp) => "fp",
        _ => "",
    };
    let fresh = session.last_change().is_some_and(|change| change.wrote(word.address));
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
            let line = session.image().line_at(frame.site).map_or(String::new(), |line| app.place_words(line));
            let how = match (frame.kind, line.is_empty()) {
                (FrameKind::Call, true) => String::new(),
                (FrameKind::Call, false) => format!(", called on {line}"),
                (FrameKind::Interrupt(number), true) => format!(", interrupt {}", target.trap_name(number)),
                (FrameKind::Interrupt(number), false) => {
                    format!(", interrupt {} before {line}", target.trap_name(number))
                }
                (FrameKind::Trap(number), _) => format!(", trap {} on {line}", target.trap_name(number)),
            };
            (format!("way back from {name}{how}"), Ink::Time)
        }
        WordKind::Saved(register) => {
            (format!("pushed {} = {}", target.register_name(register), target.signed(word.value)), Ink::Text)
        }
        WordKind::Flags => ("pushed flags".to_owned(), Ink::Text),
        WordKind::Other => (format!("{}", target.signed(word.value)), Ink::Quiet),
        WordKind::NeverWritten => (String::new(), Ink::Faint),
    };
    let x = area.x + 16;
    pen.text(x, area.y, area.right().saturating_sub(x), &format!("{indent}{text}"), ink);
}
