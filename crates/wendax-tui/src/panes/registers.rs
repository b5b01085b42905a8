//! Registers: name, hexadecimal, decimal or bits, and what a value is or was.

use super::{Need, Order, Pane, PaneId, head};
use crate::app::App;
use crate::cells::width;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_isa::Target;
use wendax_machine::{Addr, Event, Reg};
use wendax_session::{ByHand, Meaning, Meanings, Session, Thing};

/// Cells of a register, as wide as its machine's words are.
#[derive(Debug, Clone, Copy)]
struct Cells {
    /// Of the name, with a blank behind it.
    name: u16,
    hexadecimal: u16,
    /// Of the decimal number, with a blank before it.
    decimal: u16,
}

impl Cells {
    fn of(target: &Target) -> Self {
        let count = |length: usize| u16::try_from(length).unwrap_or(u16::MAX);
        let name = target.registers.iter().map(|register| register.name.len()).max().unwrap_or(0);
        Self {
            name: count(name) + 1,
            hexadecimal: count(target.hex(0).len()),
            decimal: count(target.signed(target.word_mask() / 2 + 1).to_string().len()) + 1,
        }
    }

    /// With all that is said of it.
    fn widest(self) -> u16 {
        self.narrowest() + self.decimal + 8
    }

    /// Sign, name and hexadecimal value.
    fn narrowest(self) -> u16 {
        1 + self.name + self.hexadecimal
    }
}

pub(super) struct Registers;

/// Columns that show everything, and columns when there are few rows.
fn columns(app: &App, width: u16) -> (u16, u16) {
    // A blank between two columns, unless that would take the third one.
    let cells = Cells::of(app.world.target());
    let narrow = if width / (cells.narrowest() + 1) >= 3 { cells.narrowest() + 1 } else { cells.narrowest() };
    let bits = u16::try_from(app.world.target().word_bits).unwrap_or(u16::MAX);
    // Groups of four with a blank between.
    let least = if app.screen.binary { cells.narrowest() + bits + bits / 4 - 1 } else { narrow };
    (2.min(width / least).max(1), (width / least).clamp(1, 5))
}

fn rows(app: &App, columns: u16) -> u16 {
    let count = app.session().map_or(14, |session| session.machine().target().registers.len());
    u16::try_from(count).unwrap_or(u16::MAX).div_ceil(columns)
}

impl Pane for Registers {
    fn name(&self) -> &'static str {
        "registers"
    }

    fn command(&self) -> &'static str {
        "Pane: registers"
    }

    fn words(&self) -> &'static str {
        "cpu processor r0 r1 sp fp values variables"
    }

    fn about(&self) -> &'static str {
        "What each register holds now: its hexadecimal digits, then the same as a decimal number (signed), then \
         where it points, which character it is, or its unsigned reading. • marks what the last step wrote, with what \
         was there before. ···· has never been set. x shows the bits instead of decimal numbers. Enter \
         goes to the step that wrote one last, h shows all its changes."
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let (few, many) = columns(app, column.width);
        Need::either(1 + rows(app, many), 1 + rows(app, few))
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.session().map_or(0, |session| session.machine().target().registers.len()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        self.thing(app, entry).map(Order::WrittenBy)
    }

    fn thing(&self, app: &App, entry: usize) -> Option<Thing> {
        app.session()?.machine().target().registers().nth(entry).map(|(register, _)| Thing::Register(register))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let note = app.session().map_or(String::new(), |session| {
            format!("pc {}", session.machine().target().hex_address(session.machine().pc()))
        });
        let body = head(app, pen, area, PaneId::Registers, &note);
        let Some(session) = app.session() else { return };
        let (meanings, by_hand) = (Meanings::of(session), session.changes_by_hand());
        let (few, many) = columns(app, area.width);
        let columns = if body.height >= rows(app, few) { few } else { many };
        let high = usize::from(rows(app, columns));
        let wide = area.width / columns;
        for (index, (register, _)) in session.machine().target().registers().enumerate() {
            let (column, row) = (u16::try_from(index / high).unwrap_or(0), u16::try_from(index % high).unwrap_or(0));
            if row < body.height {
                let cell = Rect { x: body.x + column * wide, y: body.y + row, width: wide, height: 1 };
                register_row(app, session, (&meanings, &by_hand), pen, cell, register);
                if app.is_chosen(PaneId::Registers, index) {
                    pen.chosen(Rect { width: cell.width.saturating_sub(1), ..cell });
                }
            }
        }
    }
}

/// The bits of a value in groups of four.
fn bits(value: u32, count: u32) -> String {
    let group = |nibble: u32| format!("{:04b}", value >> (nibble * 4) & 0xF);
    (0..count / 4).rev().map(group).collect::<Vec<_>>().join(" ")
}

/// Name, hexadecimal, decimal, and the old value or what it points to.
fn register_row(
    app: &App,
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
    let cells = Cells::of(target);
    let name = format!("{:<1$}", target.register_name(register), usize::from(cells.name));
    let at = pen.text(at, area.y, cells.name, &name, if fresh { Ink::Fresh } else { Ink::Quiet });
    if !machine.register_known(register) {
        let dots = "·".repeat(usize::from(cells.hexadecimal));
        let text = if area.width >= cells.narrowest() + 11 { format!("{dots}  not set") } else { dots };
        pen.text(at, area.y, area.right().saturating_sub(at), &text, Ink::Faint);
        return;
    }
    let ink = if fresh { Ink::Fresh } else { Ink::Text };
    let at = pen.text(at, area.y, cells.hexadecimal, &target.hex(value), ink);
    let room = area.right().saturating_sub(at + 1);
    if app.screen.binary {
        pen.text(at + 2, area.y, room, &bits(value, target.word_bits), ink);
        return;
    }
    // An address is no number to reckon with: its decimal form would only be read as one.
    let is_address = meanings.register(register) == Meaning::Address;
    let decimal = if is_address { String::new() } else { target.signed(value).to_string() };
    let decimal = if area.width >= cells.widest() {
        format!("{decimal:>0$}", usize::from(cells.decimal))
    } else {
        format!(" {decimal}")
    };
    if width(&decimal) > room {
        return;
    }
    let at = pen.text(at, area.y, room, &decimal, ink);
    let room = area.right().saturating_sub(at + 3);
    let note = match change.filter(|_| !by_hand) {
        None if by_hand => "set by hand".to_owned(),
        Some(change) if change.was_known && change.old == value => "the same again".to_owned(),
        Some(change) => {
            // What the new value is comes first, and what was there where there is room for both.
            let was =
                if change.was_known { format!("was {}", target.marked(change.old)) } else { "was not set".to_owned() };
            let what = points_to(session, meanings.register(register), value, room);
            let both = format!("{what}  {was}");
            match () {
                () if what.is_empty() => was,
                () if width(&both) <= room => both,
                () if width(&was) <= room => was,
                () => what,
            }
        }
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
    let label = image.place_name(Addr(value)).filter(|_| Addr(value) >= target.map.vectors_end);
    let unsigned = if target.signed(value) < 0 { format!("or {value}") } else { String::new() };
    let text = match (meaning, label, char::from_u32(value).filter(char::is_ascii_graphic)) {
        (Meaning::Address, Some(name), _) => format!("→ {name}"),
        (Meaning::Address, None, _) => String::new(),
        (Meaning::Character, _, Some(c)) => format!("'{c}'"),
        (Meaning::Character | Meaning::Number, ..) => unsigned,
    };
    if width(&text) <= room { text } else { String::new() }
}
