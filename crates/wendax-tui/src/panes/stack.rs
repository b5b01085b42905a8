//! The stack: address, word, and what each word is.

use super::{Need, Order, Pane, PaneId, head};
use crate::app::App;
use crate::cells::width;
use crate::parts::list::{first_shown, scroll_mark};
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_machine::{Addr, FrameKind};
use wendax_session::{Session, StackWord, Thing, WordKind, read_stack};

/// Words looked at, at most.
const MOST: usize = 0x8000;

pub(super) struct Stack;

impl Pane for Stack {
    fn name(&self) -> &'static str {
        "stack"
    }

    fn command(&self) -> &'static str {
        "Pane: stack"
    }

    fn words(&self) -> &'static str {
        "push pop sp frame local backtrace"
    }

    fn about(&self) -> &'static str {
        "The words on the stack, the last one pushed first, where sp points: address, value, and what it is: a register \
         or the flags put by, or the way back from a routine. What was pushed before stands below it. Enter \
         goes to the step that put it there."
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        // Of a deep stack the upper part tells; the rest is scrolled to.
        let most = usize::from(column.height / 4).max(4);
        let words = app.session().map_or(0, |session| read_stack(session.machine(), most).len());
        Need::rows(2, 1 + u16::try_from(words.max(1)).unwrap_or(u16::MAX))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let depth = app.session().map_or(0, |session| session.machine().frames().len());
        let note = match depth {
            0 => String::new(),
            1 => "in 1 routine".to_owned(),
            _ => format!("in {depth} routines"),
        };
        let body = head(app, pen, area, PaneId::Stack, &note);
        let Some(session) = app.session() else { return };
        let words = read_stack(session.machine(), MOST);
        if words.is_empty() {
            let sp = session.machine().stack_pointer();
            let empty = sp == session.machine().target().map.stack_end;
            let text = if empty { "empty" } else { "sp points outside the stack" };
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), text, Ink::Faint);
        }
        let chosen = app.screen.panes.of(PaneId::Stack).chosen.min(words.len().saturating_sub(1));
        let skipped = if app.screen.focus == PaneId::Stack { first_shown(chosen, words.len(), body.height) } else { 0 };
        for ((y, word), index) in (body.y..body.bottom()).zip(words.iter().skip(skipped)).zip(skipped..) {
            let row = Rect { y, height: 1, ..body };
            stack_row(app, session, pen, row, word);
            if app.is_chosen(PaneId::Stack, index) {
                pen.chosen(row);
            }
        }
        scroll_mark(pen, body, words.len(), skipped);
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.session().map_or(0, |session| read_stack(session.machine(), MOST).len()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        self.thing(app, entry).map(Order::WrittenBy)
    }

    fn thing(&self, app: &App, entry: usize) -> Option<Thing> {
        let machine = app.session()?.machine();
        let word = read_stack(machine, entry + 1).get(entry)?.address;
        Some(Thing::Cells(word, word + machine.target().word_bytes()))
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
    let address = target.hex_address(word.address);
    let known = word.kind != WordKind::NeverWritten;
    let hex = target.hex(word.value);
    // A blank behind each.
    let [for_address, for_value] = [&address, &hex].map(|text| width(text) + 1);
    pen.text(area.x + 4, area.y, for_address, &address, Ink::Place);
    let value = if known { hex } else { "·".repeat(hex.len()) };
    let ink = if fresh { Ink::Fresh } else { Ink::Text };
    let at = area.x + 5 + for_address;
    pen.text(at, area.y, for_value, &value, if known { ink } else { Ink::Faint });
    // How deep it stands is shown as far as the words have room.
    let room = area.right().saturating_sub(at + for_value + 1);
    let indent = "  ".repeat(word.depth.min(6).min(usize::from(room.saturating_sub(24) / 2)));
    let (text, ink) = match word.kind {
        WordKind::Saved(_) | WordKind::Other | WordKind::NeverWritten
            if let Some(held) = wendax_session::framed(session, word.address) =>
        {
            (held, Ink::Text)
        }
        WordKind::Return(frame) => {
            let name = session
                .image()
                .label_at(frame.target)
                .map_or_else(|| target.marked_address(frame.target), |s| s.name.clone());
            let line = session.image().line_at(frame.site).map_or(String::new(), |line| app.place_words(line));
            let how = match (frame.kind, line.is_empty()) {
                (FrameKind::Call, true) => String::new(),
                (FrameKind::Call, false) => format!(", called on {line}"),
                (FrameKind::Interrupt(number), true) => format!(", interrupt {}", target.interrupt_name(number)),
                (FrameKind::Interrupt(number), false) => {
                    format!(", interrupt {} before {line}", target.interrupt_name(number))
                }
                (FrameKind::Trap(number), _) => format!(", trap {} on {line}", target.trap_name(number)),
            };
            (format!("way back from {name}{how}"), Ink::Time)
        }
        WordKind::Saved(register) => {
            (format!("pushed {} = {}", target.register_name(register), app.number(session, word.value)), Ink::Text)
        }
        WordKind::Flags => ("pushed flags".to_owned(), Ink::Text),
        WordKind::Other => (app.number(session, word.value).clone(), Ink::Quiet),
        WordKind::NeverWritten => (String::new(), Ink::Faint),
    };
    let x = at + for_value + 1;
    pen.fitted(x, area.y, area.right().saturating_sub(x), &format!("{indent}{text}"), ink);
}
