//! The board: lamps, levers, digits, timer, console, and how the interrupts stand. On a page of its own every device
//! register, with what each bit says.

use super::{Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::{width, wrap};
use crate::face::{DIGIT, LAMP, LEVER, NAMES, SEGMENTS, place_of};
use crate::parts::list::first_shown;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::{Position, Rect};
use wendax_machine::{Addr, DeviceKind, DeviceRegister, Interrupt, LEVERS, Machine, StepNo};
use wendax_session::grouped;
use wendax_session::{Interruptions, Passages, Session, Spread, Thing, interrupt_words, tone_words};

pub(super) struct Board;

/// Rows of what is always shown: lamps, numbers, levers, digits.
const FACE: u16 = 6;
const LEVER_COUNT: usize = LEVERS as usize;

impl Pane for Board {
    fn name(&self) -> &'static str {
        "board"
    }

    fn command(&self) -> &'static str {
        "Pane: board, with lamps, levers, digits, timer and interrupts; L again gives it the page"
    }

    fn words(&self) -> &'static str {
        "devices registers peripherals lamps leds lights switches buttons levers digits display timer io hardware"
    }

    fn about(&self) -> &'static str {
        "The devices of the machine. The keys 0 to 9 move levers 0 to 9; a click moves any, and so does Enter on the one \
         chosen with up and down, at any moment: in the past that begins a new branch. K, or a click on the head, strikes keys: \
         each goes to the program at once. L once more shows every device register with what its bits say, and for each interrupt how it \
         stands, how long it took from being asked for to its handler and to the handler's end, and what was lost."
    }

    /// How interrupts fared is told where there is room for it.
    fn work(&self) -> Option<Work> {
        Some(Work {
            is_wanted: |app, session| {
                let has_room = app.screen.layout.area(PaneId::Board).is_some_and(|area| area.height > LEAST);
                let is_done = app.world.walk.passages.as_ref().is_some_and(|passages| passages.is_done(session));
                has_room && session.end() > StepNo::FIRST && !is_done
            },
            slice: |app| {
                let (walk, slice) = (&mut app.world.walk, app.world.slice);
                let Some(session) = &walk.session else { return };
                walk.passages.get_or_insert_with(|| Box::new(Interruptions::new(session))).work(session, slice);
            },
        })
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        if app.session().is_none() || !(app.world.walk.uses_devices || app.screen.focus == PaneId::Board) {
            return Need::NOTHING;
        }
        // Where there is little room, lamps and levers only.
        if column.height < 26 { Need::rows(3, 4) } else { Need::either(4, 1 + FACE) }
    }

    fn entries(&self, app: &App) -> Option<usize> {
        let registers = app.session().map_or(0, |session| session.machine().target().devices.len());
        Some(LEVER_COUNT + registers)
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        match u32::try_from(entry).ok().filter(|number| *number < LEVERS) {
            Some(number) => Some(Order::Lever(LEVERS - 1 - number)),
            None => self.thing(app, entry).map(Order::WrittenBy),
        }
    }

    fn thing(&self, app: &App, entry: usize) -> Option<Thing> {
        let target = app.session()?.machine().target();
        let device = match entry.checked_sub(LEVER_COUNT) {
            Some(index) => target.devices.get(index)?,
            None => target.devices_of(DeviceKind::Levers).next()?,
        };
        Some(Thing::Cells(device.address, device.address + target.word_bytes()))
    }

    fn click(&self, _: &App, area: Rect, (x, y): (u16, u16)) -> Option<Order> {
        if y == area.y {
            return Some(Order::Strike);
        }
        let is_lever = y == area.y + 1 + lever_row(area.height.saturating_sub(1));
        let number = (0..LEVERS).find(|number| place_of(area.x, *number) == x).filter(|_| is_lever);
        number.map(Order::Lever)
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let note = if app.screen.focus == PaneId::Board { "0–9 move levers, : “strike keys”" } else { "L" };
        let body = head(app, pen, area, PaneId::Board, note);
        let Some(session) = app.session() else { return };
        face(app, session, pen, body);
        let below = Rect { y: body.y + FACE + 1, height: body.height.saturating_sub(FACE + 1), ..body };
        if area.height > LEAST {
            page(app, session, pen, below);
        }
    }
}

/// In so many rows there are the head and the face; in more, what is told of devices and interrupts.
const LEAST: u16 = 1 + FACE + 1 + 3;

/// What a device register held before the last stride, when that changed it.
fn was(session: &Session, address: Addr) -> Option<u32> {
    let change = session.last_change()?;
    let device = change.devices.iter().find(|device| device.address == address)?;
    (device.old != device.new).then_some(device.old)
}

fn register_of(machine: &Machine, kind: DeviceKind) -> Option<&'static DeviceRegister> {
    machine.target().devices_of(kind).next()
}

/// The row of the levers among so many: the numbers come before them where there is room.
fn lever_row(rows: u16) -> u16 {
    if rows > 2 { 2 } else { 1 }
}

/// Lamps, levers, digits, and in a few words what else there is.
fn face(app: &App, session: &Session, pen: &mut Pen<'_>, area: Rect) {
    let machine = session.machine();
    let rows = [("lamps", DeviceKind::Lamps, area.y), ("levers", DeviceKind::Levers, area.y + lever_row(area.height))];
    let mask = register_of(machine, DeviceKind::LeverMask).map_or(0, |register| machine.word(register.address));
    for (name, kind, y) in rows {
        let Some(register) = register_of(machine, kind).filter(|_| y < area.bottom()) else { continue };
        let value = machine.word(register.address);
        let was = was(session, register.address);
        pen.text(area.x + 1, y, NAMES, name, Ink::Quiet);
        for number in 0..LEVERS {
            let is_on = value >> number & 1 != 0;
            let is_fresh = was.is_some_and(|was| (was ^ value) >> number & 1 != 0);
            let (sign, ink) = match (kind, is_on) {
                (DeviceKind::Lamps, true) => (LAMP[1], Ink::Time),
                (DeviceKind::Lamps, false) => (LAMP[0], Ink::Faint),
                (_, true) => (LEVER[1], Ink::Place),
                (_, false) => (LEVER[0], Ink::Quiet),
            };
            let x = place_of(area.x, number);
            pen.text(x, y, area.right().saturating_sub(x), sign, if is_fresh { Ink::Fresh } else { ink });
        }
        let x = place_of(area.x, 0) + 2;
        let text = machine.target().hex(value);
        let x = pen.text(x, y, area.right().saturating_sub(x), &text, Ink::Text);
        if let Some(was) = was {
            let text = format!("  was {}", machine.target().hex(was));
            pen.text(x, y, area.right().saturating_sub(x), &text, Ink::Quiet);
        } else if kind == DeviceKind::Levers && mask != 0 {
            let text = format!("  {} interrupt", machine.target().hex(mask));
            pen.text(x, y, area.right().saturating_sub(x), &text, Ink::Quiet);
        }
    }
    for number in (0..LEVERS).filter(|_| lever_row(area.height) > 1) {
        let ink = if mask >> number & 1 != 0 { Ink::Time } else { Ink::Faint };
        let x = place_of(area.x, number);
        pen.text(x, area.y + 1, area.right().saturating_sub(x), &format!("{number:X}"), ink);
    }
    // The lever that is chosen: by its number, since a half cell reversed is another one.
    let chosen = (0..LEVERS).find(|number| app.is_chosen(PaneId::Board, (LEVERS - 1 - number) as usize));
    if let Some(x) = chosen.map(|number| place_of(area.x, number)) {
        match lever_row(area.height) {
            2 => pen.chosen(Rect { x, y: area.y + 1, width: 1, height: 1 }),
            row => pen.mark(Rect { x, y: area.y + row, width: 1, height: 1 }),
        }
    }
    let below = Rect { y: area.y + 3, height: area.height.saturating_sub(3).min(3), ..area };
    if below.height == 3 {
        digits(session, pen, below);
        let x = area.x + 1 + NAMES + 4 * DIGIT + 1;
        words(session, pen, Rect { x, width: area.right().saturating_sub(x), ..below });
    }
}

fn digits(session: &Session, pen: &mut Pen<'_>, area: Rect) {
    let machine = session.machine();
    let has_ghosts = pen.theme.has_grounds();
    pen.text(area.x + 1, area.y, NAMES, "digits", Ink::Quiet);
    for (register, place) in machine.target().devices_of(DeviceKind::Digit).zip(0..) {
        let (value, was) = (machine.word(register.address), was(session, register.address));
        let x = area.x + 1 + NAMES + place * DIGIT;
        let lit = if was.is_some() { Ink::Fresh } else { Ink::Time };
        for (bit, right, down, sign) in SEGMENTS {
            let (x, y, is_lit) = (x + right, area.y + down, value & bit != 0);
            if (is_lit || has_ghosts) && x + width(sign) <= area.right() {
                pen.text(x, y, width(sign), sign, if is_lit { lit } else { Ink::Rule });
            }
        }
    }
}

/// Timer, console and interrupts in a few words.
fn words(session: &Session, pen: &mut Pen<'_>, area: Rect) {
    let machine = session.machine();
    let target = machine.target();
    let value = |register: &DeviceRegister| machine.word(register.address);
    let timer: Vec<&DeviceRegister> = target.devices_of(DeviceKind::Timer).collect();
    let console = target.devices_of(DeviceKind::Console).find(|register| !register.bits.is_empty());
    let mut lines = Vec::new();
    if let [count, _, control, ..] = timer[..] {
        let period = machine.board().timer_cycles();
        lines.push(format!("timer {} of {period}, {}", value(count), control.words(value(control))));
    }
    lines.extend(console.map(|register| register.words(value(register))));
    let asking: Vec<Interrupt> =
        machine.interrupts().into_iter().filter(|interrupt| interrupt.asks || interrupt.is_on).collect();
    let waiting = asking.iter().find(|interrupt| interrupt.asks).or(asking.first());
    lines.push(waiting.map_or_else(
        || "no device interrupts".to_owned(),
        |interrupt| format!("{} {}", target.interrupt_name(interrupt.number), interrupt_words(session, interrupt)),
    ));
    for ((line, y), index) in lines.iter().zip(area.y..area.bottom()).zip(0..) {
        let is_pressing = index == 2 && waiting.is_some_and(|interrupt| interrupt.asks);
        pen.fitted(area.x, y, area.width, line, if is_pressing { Ink::Time } else { Ink::Quiet });
    }
}

/// Columns before what is told of an interrupt.
const TOLD: u16 = 18;

/// Every device register, the interrupts, the tones.
fn page(app: &App, session: &Session, pen: &mut Pen<'_>, area: Rect) {
    let interrupts = session.machine().interrupts();
    let known = app.world.walk.passages.as_deref();
    let passages = known.map(Interruptions::told);
    let is_known = session.end() == StepNo::FIRST || known.is_some_and(|known| known.is_done(session));
    let taken = |interrupt: &Interrupt| match passages.and_then(|told| told.of(interrupt.number)) {
        Some(passages) => wrap(&passage_words(session, passages), area.width.saturating_sub(TOLD + 1)),
        None if is_known => vec!["not taken in this run".to_owned()],
        None => vec!["looking how it fared".to_owned()],
    };
    let taken: Vec<Vec<String>> = interrupts.iter().map(taken).collect();
    let told: usize = taken.iter().map(|lines| 1 + lines.len()).sum();
    let tones = u16::try_from(session.tones().len()).unwrap_or(u16::MAX).min(3);
    let needed = 2 + u16::try_from(told).unwrap_or(0) + 1 + if tones > 0 { tones + 1 } else { 0 };
    let count = session.machine().target().devices.len();
    let rows = area.height.saturating_sub(needed).max(4).min(u16::try_from(count).unwrap_or(u16::MAX)).min(area.height);
    let chosen = app.screen.panes.of(PaneId::Board).chosen.checked_sub(LEVER_COUNT);
    let from = first_shown(chosen.unwrap_or(0), count, rows);
    for (y, index) in (area.y..area.y + rows).zip(from..count) {
        register_row(session, pen, Rect { y, height: 1, ..area }, &session.machine().target().devices[index]);
        if app.is_chosen(PaneId::Board, LEVER_COUNT + index) {
            pen.chosen(Rect { y, height: 1, ..area });
        }
    }
    let mut y = area.y + rows + 1;
    let mut line = |pen: &mut Pen<'_>, x: u16, text: &str, ink: Ink| {
        if y < area.bottom() {
            pen.fitted(area.x + x, y, area.width.saturating_sub(x), text, ink);
        }
        y += 1;
    };
    let target = session.machine().target();
    for (interrupt, taken) in interrupts.iter().zip(&taken) {
        let handler = interrupt.handler.map_or_else(
            || "no handler".to_owned(),
            |handler| format!("handler {}", wendax_session::place(session.image(), target, handler)),
        );
        let name = target.interrupt_name(interrupt.number);
        let text = format!("{name:<17}{handler:<30}{}", interrupt_words(session, interrupt));
        line(pen, 1, &text, if interrupt.asks { Ink::Time } else { Ink::Text });
        for text in taken {
            line(pen, TOLD, text, Ink::Quiet);
        }
    }
    if let Some(off) = passages.and_then(|told| told.longest_off) {
        let lines = wendax_session::lines_words(session, &[off.from, off.to]);
        let (cycles, step) = (grouped(off.cycles), grouped(off.step.0));
        let text = format!("interrupts off for {cycles} cycles at the longest, at step {step}: {lines}");
        line(pen, 1, &text, Ink::Quiet);
    }
    for tone in session.tones().iter().rev().take(tones.into()) {
        let text = format!("tone at step {}: {}", grouped(tone.step.0), tone_words(tone.hertz, tone.milliseconds));
        line(pen, 1, &text, Ink::Quiet);
    }
}

/// What passed from being asked for to the end of handlers, in one line.
fn passage_words(session: &Session, passages: &Passages) -> String {
    let of =
        |spread: &Spread| format!("{} least, {} median, {} greatest", spread.least, spread.median, spread.greatest);
    let mut text = format!("taken {} ×; cycles to its handler: {}", grouped(passages.taken), of(&passages.entered));
    if passages.ended.count > 0 {
        text.push_str(&format!("; to its end: {}", of(&passages.ended)));
    }
    text.push_str(&format!("; slowest at step {}: {}", grouped(passages.worst.0), passages.delay_words(session)));
    if passages.lost > 0 {
        text.push_str(&format!("; {} lost", grouped(passages.lost)));
    }
    text
}

fn register_row(session: &Session, pen: &mut Pen<'_>, area: Rect, register: &DeviceRegister) {
    let machine = session.machine();
    let target = machine.target();
    let value = machine.word(register.address);
    let was = was(session, register.address);
    pen.text(area.x, area.y, 1, if was.is_some() { "•" } else { " " }, Ink::Fresh);
    pen.fitted(area.x + 1, area.y, 17, register.name, Ink::Text);
    let ink = if was.is_some() { Ink::Fresh } else { Ink::Text };
    let room = |x: u16| area.right().saturating_sub(x);
    let x = area.x + 19;
    let x = pen.text(x, area.y, room(x), &target.hex_address(register.address), Ink::Place) + 2;
    let behind = pen.text(x, area.y, room(x), &target.hex(value), ink) + 2;
    let words = match (register.bits.is_empty(), register.kind) {
        (false, DeviceKind::Digit) if value == 0 => "dark".to_owned(),
        (false, _) => register.words(value),
        (true, DeviceKind::Lamps | DeviceKind::Levers | DeviceKind::LeverMask) => format!("{value:016b}"),
        (true, _) => value.to_string(),
    };
    let was = was.map_or(String::new(), |was| format!("was {}  ", target.hex(was)));
    let x = pen.text(behind, area.y, room(behind), &was, Ink::Quiet);
    let x = pen.fitted(x, area.y, area.right().saturating_sub(x), &words, Ink::Quiet);
    let left = area.right().saturating_sub(x + 2);
    if Position::new(x, area.y).x + 2 < area.right() && left > 20 {
        pen.fitted(x + 2, area.y, left, register.meaning, Ink::Faint);
    }
}
