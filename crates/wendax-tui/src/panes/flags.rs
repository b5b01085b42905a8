//! Flags: value, meaning in words, and who set them.

use super::{Need, Order, Pane, PaneId, head};
use crate::app::App;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_machine::Writer;
use wendax_session::{Session, Thing};

pub(super) struct Flags;

impl Pane for Flags {
    fn name(&self) -> &'static str {
        "flags"
    }

    fn command(&self) -> &'static str {
        "Pane: flags"
    }

    fn words(&self) -> &'static str {
        "condition codes status zero carry negative overflow interrupt"
    }

    fn about(&self) -> &'static str {
        "One bit each about the last result: was it zero, was there a carry, was it negative, did it leave the signed \
         range; and whether interrupts may come. Jumps look at them. Beside each stands which line set it; Enter \
         goes to that step."
    }

    fn need(&self, app: &App, _: Rect) -> Need {
        let count = app.session().map_or(5, |session| session.machine().target().flags.len());
        if count == 0 { Need::NOTHING } else { Need::either(1, 1 + u16::try_from(count).unwrap_or(u16::MAX)) }
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.session().map_or(0, |session| session.machine().target().flags.len()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        self.thing(app, entry).map(Order::WrittenBy)
    }

    fn thing(&self, app: &App, entry: usize) -> Option<Thing> {
        app.session()?.machine().target().flags.get(entry).map(|flag| Thing::Flag(flag.bit))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let Some(session) = app.session() else { return };
        if area.height > 1 {
            head(app, pen, area, PaneId::Flags, "");
            flag_rows(app, session, pen, area);
        } else {
            flag_line(app, session, pen, area);
        }
    }
}

/// All flags on one row.
fn flag_line(app: &App, session: &Session, pen: &mut Pen<'_>, area: Rect) {
    let machine = session.machine();
    let mut at = area.x + 1;
    for (index, flag) in machine.target().flags.iter().enumerate() {
        let on = machine.flags() & flag.bit != 0;
        let ink = ink(session, flag.bit, on);
        if app.is_chosen(PaneId::Flags, index) {
            pen.chosen(Rect { x: at, width: 3, ..area }.intersection(area));
        }
        at = pen.text(at, area.y, area.right().saturating_sub(at), &format!("{} {}  ", flag.name, u8::from(on)), ink);
    }
    if at + 6 <= area.right() {
        pen.right(area, area.y, "flags ", Ink::Faint);
    }
}

fn ink(session: &Session, bit: u32, on: bool) -> Ink {
    match (is_fresh(session, bit), on) {
        (true, _) => Ink::Fresh,
        (false, true) => Ink::Text,
        (false, false) => Ink::Quiet,
    }
}

fn is_fresh(session: &Session, bit: u32) -> bool {
    session.last_change().is_some_and(|change| (change.flags.old ^ change.flags.new) & bit != 0)
}

fn flag_rows(app: &App, session: &Session, pen: &mut Pen<'_>, area: Rect) {
    let machine = session.machine();
    for ((y, flag), index) in (area.y + 1..area.bottom()).zip(machine.target().flags).zip(0..) {
        let on = machine.flags() & flag.bit != 0;
        let fresh = is_fresh(session, flag.bit);
        let ink = ink(session, flag.bit, on);
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
        if app.is_chosen(PaneId::Flags, index) {
            pen.chosen(Rect { y, height: 1, ..area });
        }
    }
}
