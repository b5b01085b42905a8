//! What the last step did, and what the coming instruction will do.

use super::pen::{Pen, width, wrap};
use crate::state::App;
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_session::{Effects, Session};

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let title = app.explanation.as_ref().map_or(String::new(), |explanation| explanation.meaning.to_owned());
    pen.head(area, "next", &title, false);
    if area.height < 2 {
        return;
    }
    let body = Rect { x: area.x + 1, y: area.y + 1, width: area.width - 2, height: area.height - 1 };
    if !app.is_current() && !app.is_stale {
        pen.text(body.x, body.y, body.width, "the text has to be in order before the program can run", Ink::Quiet);
        return;
    }
    let Some(session) = &app.session else { return };
    if session.is_running() {
        pen.text(body.x, body.y, body.width, "running; Space pauses", Ink::Time);
        return;
    }
    // The account of the last step keeps the last row, so that it is always found at the same place.
    let last = Rect { y: body.bottom() - 1, height: 1, ..body };
    let mut y = body.y;
    let bottom = if body.height > 2 { last.y } else { body.bottom() };
    if let Some(explanation) = &app.explanation {
        if !explanation.text.is_empty() && body.height > 2 {
            pen.bold(body.x, y, body.width, &explanation.text, Ink::Time);
            y += 1;
        }
        let caution = explanation.caution.iter().map(|text| (format!("caution: {text}"), Ink::Trouble));
        let sentences = explanation.sentences.iter().map(|text| (text.clone(), Ink::Text));
        for (text, ink) in caution.chain(sentences) {
            for line in wrap(&text, body.width) {
                if y < bottom {
                    pen.text(body.x, y, body.width, &line, ink);
                    y += 1;
                }
            }
        }
    }
    if body.height > 2 {
        last_step(session, pen, last);
    }
}

/// One line: what the step just taken changed, and that nothing else changed.
fn last_step(session: &Session, pen: &mut Pen<'_>, area: Rect) {
    let Some(effects) = session.last_step() else {
        pen.text(area.x, area.y, area.width, "before the first step", Ink::Faint);
        return;
    };
    let at = pen.text(area.x, area.y, area.width, "last step  ", Ink::Quiet);
    let changes = changes(session, effects);
    let room = area.right().saturating_sub(at);
    let full = match changes.as_slice() {
        [] => "changed nothing but pc".to_owned(),
        all => format!("{}; nothing else", all.join(", ")),
    };
    let text = if width(&full) <= room { full } else { changes.join(", ") };
    if width(&text) <= room {
        pen.text(at, area.y, room, &text, Ink::Fresh);
        return;
    }
    // Too much for one line: as many as fit, and how many more.
    let mut shown = String::new();
    for (index, change) in changes.iter().enumerate() {
        let more = format!(" + {} more", changes.len() - index);
        if width(&shown) + width(change) + 2 + width(&more) > room {
            shown.push_str(&more);
            break;
        }
        if index > 0 {
            shown.push_str(", ");
        }
        shown.push_str(change);
    }
    pen.text(at, area.y, room, &shown, Ink::Fresh);
}

/// Every change of a step, old and new.
fn changes(session: &Session, effects: &Effects) -> Vec<String> {
    let target = session.machine().target();
    let mut changes = Vec::new();
    for change in &effects.registers {
        let name = target.registers[change.register].name;
        let value = |value: u32| {
            let pointer =
                change.register == target.stack_register || session.image().label_at(value).is_some() && value >= 0x20;
            if pointer { target.hex(value) } else { target.signed(value).to_string() }
        };
        changes.push(match (change.was_known, change.old == change.new) {
            (false, _) => format!("{name} not set → {}", value(change.new)),
            (true, true) => format!("{name} {} again", value(change.new)),
            (true, false) => format!("{name} {} → {}", value(change.old), value(change.new)),
        });
    }
    for change in &effects.memory {
        let place = target.hex_address(change.address);
        changes.push(match (change.new.len(), change.was_known) {
            (3.., _) => format!("{} bytes at {place}", change.new.len()),
            (_, false) => format!("[{place}] not set → {}", change.new_value()),
            (_, true) if change.old == change.new => format!("[{place}] {} again", change.new_value()),
            (_, true) => format!("[{place}] {} → {}", change.old_value(), change.new_value()),
        });
    }
    for flag in target.flags {
        let (old, new) = (effects.flags.old & flag.bit != 0, effects.flags.new & flag.bit != 0);
        if old != new {
            changes.push(format!("{} {} → {}", flag.name, u8::from(old), u8::from(new)));
        }
    }
    if !effects.output.is_empty() {
        let text: String = String::from_utf8_lossy(&effects.output).chars().take(12).collect();
        let more = if effects.output.len() > 12 { "…" } else { "" };
        changes.push(format!("printed {text:?}{more}"));
    }
    if effects.consumed > 0 {
        changes.push(format!("{} bytes of input taken", effects.consumed));
    }
    changes
}
