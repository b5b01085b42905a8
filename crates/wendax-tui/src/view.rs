//! State to cells.
//!
//! [`draw`] lays the bench out; each section is a module that draws into the area it is given and copes
//! with any size of it, also none. Sections are headed by a thin rule with their name and have no boxes.

mod bottom;
mod header;
mod machine;
mod memory;
mod next;
mod overlays;
mod pen;
mod source;

use crate::state::{App, Depth, Pane};
use crate::theme::Ink;
use pen::Pen;
use ratatui::Frame;
use ratatui::layout::Rect;
pub(crate) use source::char_width;
use wendax_session::State;

/// Draws everything.
pub fn draw(app: &mut App, frame: &mut Frame<'_>) {
    let area = frame.area();
    app.size = (area.width, area.height);
    let mut pen = Pen::new(frame.buffer_mut(), app.theme);
    pen.clear(area);
    if app.depth() == Depth::TooSmall {
        too_small(&mut pen, area);
        return;
    }
    bench(app, &mut pen, area);
    overlays::draw(app, &mut pen, area);
}

fn too_small(pen: &mut Pen<'_>, area: Rect) {
    let lines = [
        "Wendax needs a little more room:".to_owned(),
        format!("60 × 16 signs; here are {} × {}.", area.width, area.height),
        "Nothing is lost; make the window larger.".to_owned(),
    ];
    for (row, line) in (area.y..area.bottom()).zip(lines) {
        pen.text(area.x, row, area.width, &line, Ink::Time);
    }
}

/// Rows of the parts below the two columns: ribbon and console.
fn lower_rows(app: &App, height: u16) -> (u16, u16) {
    let ribbon = if height >= 30 { 3 } else { 2 };
    let console = match height {
        0..24 => 3,
        24..30 => 5,
        30..40 => 7,
        _ => 9,
    };
    // A console on which nothing stands leaves its rows to the others.
    let is_bare = app.session.as_ref().is_none_or(|session| session.console_end(1).is_empty());
    let is_used = app.focus == Pane::Console || app.state() == Some(&State::Waiting);
    let console = if is_bare && !is_used { console.min(3) } else { console };
    let grown = if app.focus == Pane::Console && height < 30 { console + 2 } else { console };
    (ribbon, grown)
}

fn bench(app: &mut App, pen: &mut Pen<'_>, area: Rect) {
    let (ribbon, console) = lower_rows(app, area.height);
    let row = |y: u16, height: u16| Rect { y: area.y + y, height, ..area };
    let middle = area.height - 2 - ribbon - console;
    header::draw(app, pen, row(0, 1));
    let right = match area.width {
        0..90 => area.width * 45 / 100,
        90..140 => area.width * 46 / 100,
        _ => 74,
    };
    let columns = row(1, middle);
    let left = Rect { width: area.width - right - 1, ..columns };
    source::draw(app, pen, left);
    let state = Rect { x: area.x + area.width - right, width: right, ..columns };
    right_column(app, pen, state);
    bottom::ribbon(app, pen, row(1 + middle, ribbon));
    bottom::console(app, pen, row(1 + middle + ribbon, console));
    bottom::keys(app, pen, row(area.height - 1, 1));
}

/// Rows that stack and memory keep when the account is long.
const STACK_AND_MEMORY: u16 = 3;

/// Next, registers, flags, stack, memory: each as many rows as it needs while there are some, the pane in
/// focus first of the two that can do with any number.
fn right_column(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let registers = 1 + machine::register_rows(app, area);
    let flags = if area.height >= 30 { 6 } else { 1 };
    let least = match area.height {
        0..10 => 2,
        10..14 => 3,
        14..20 => 4,
        20..30 => 6,
        _ => 9,
    };
    // The account takes rows from stack and memory before it is cut, as far as these keep a few.
    let free = area.height.saturating_sub(registers + flags + STACK_AND_MEMORY);
    let next = next::rows(app, area.width).clamp(least, free.max(least));
    // On a low screen the pane in focus takes the place of the registers: nothing is lost, only a key away.
    let low = area.height < 16 && matches!(app.focus, Pane::Stack | Pane::Memory);
    let registers = if low { 0 } else { registers };
    let fixed = next + registers + flags;
    let rest = area.height.saturating_sub(fixed);
    let (stack, memory) = match (app.focus, rest) {
        (Pane::Stack, 0..12) => (rest, 0),
        (Pane::Memory, 0..12) => (0, rest),
        (_, 0..6) => (rest, 0),
        (_, 6..12) => (rest / 2, rest - rest / 2),
        _ => (rest * 2 / 5, rest - rest * 2 / 5),
    };
    let mut y = area.y;
    let mut section = |height: u16| {
        let part = Rect { y, height: height.min(area.bottom().saturating_sub(y)), ..area };
        y += part.height;
        part
    };
    next::draw(app, pen, section(next));
    machine::registers(app, pen, section(registers), area);
    machine::flags(app, pen, section(flags));
    machine::stack(app, pen, section(stack));
    memory::draw(app, pen, section(memory));
}
