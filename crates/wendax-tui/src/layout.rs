//! Where everything lies: pages as constant trees of slots, and the pure functions that lay them out for a size.
//!
//! Rows go to what has something to say. In a column every pane first gets the least it can do with, in order of need;
//! then, in the same order, as many as it has a use for. What gets nothing is folded away, but the pane in focus is
//! always there. The account of the next instruction is never cut while others have rows: console and ribbon give way
//! first, then the panes below it.

use crate::app::App;
use crate::panes::{Need, PaneId};
use crate::screen::{Arrangement, Layout};
use ratatui::layout::Rect;

/// Smaller screens show nothing.
pub(crate) const SMALLEST: (u16, u16) = (60, 16);

/// A pane in a column; what is needed most has the lowest rank.
struct Slot {
    pane: PaneId,
    rank: u8,
    /// It is there only while it is in focus.
    is_asked_for: bool,
}

const fn slot(pane: PaneId, rank: u8) -> Slot {
    Slot { pane, rank, is_asked_for: false }
}

const fn when_asked(pane: PaneId, rank: u8) -> Slot {
    Slot { pane, rank, is_asked_for: true }
}

/// A column of a page.
struct Column {
    slots: &'static [Slot],
    /// Cells it has; the first column, the source, takes what the others leave.
    width: fn(u16) -> u16,
}

/// The columns of a page from a width on.
struct Columns {
    from: u16,
    columns: &'static [Column],
}

const STATE: &[Slot] = &[
    slot(PaneId::Next, 0),
    slot(PaneId::Registers, 1),
    slot(PaneId::Flags, 2),
    slot(PaneId::Board, 3),
    slot(PaneId::Stack, 3),
    slot(PaneId::Calls, 5),
    slot(PaneId::Watches, 3),
    slot(PaneId::Memory, 4),
    slot(PaneId::Drawer, 3),
    when_asked(PaneId::Marks, 6),
    when_asked(PaneId::Ahead, 6),
    when_asked(PaneId::Inside, 6),
    when_asked(PaneId::Cautions, 6),
    when_asked(PaneId::Differences, 6),
    when_asked(PaneId::Both, 6),
    when_asked(PaneId::Runs, 6),
    when_asked(PaneId::Stops, 6),
    when_asked(PaneId::History, 6),
    when_asked(PaneId::Trail, 6),
    when_asked(PaneId::Tally, 6),
    when_asked(PaneId::Flow, 6),
    when_asked(PaneId::Atlas, 6),
    when_asked(PaneId::Trials, 6),
];
const SOURCE: Column = Column { slots: &[slot(PaneId::Source, 0)], width: |_| 0 };

/// The bench: the widest arrangement that fits is taken.
const BENCH: &[Columns] = &[
    Columns {
        from: 220,
        columns: &[
            SOURCE,
            Column {
                slots: &[
                    slot(PaneId::Next, 0),
                    slot(PaneId::Registers, 1),
                    slot(PaneId::Flags, 2),
                    slot(PaneId::Board, 3),
                    slot(PaneId::Stack, 3),
                    slot(PaneId::Calls, 4),
                ],
                width: |_| 74,
            },
            Column {
                slots: &[
                    slot(PaneId::Watches, 0),
                    slot(PaneId::Drawer, 0),
                    slot(PaneId::Memory, 1),
                    slot(PaneId::Marks, 0),
                    when_asked(PaneId::Ahead, 2),
                    when_asked(PaneId::Inside, 2),
                    when_asked(PaneId::Cautions, 2),
                    when_asked(PaneId::Differences, 2),
                    when_asked(PaneId::Both, 2),
                    when_asked(PaneId::Runs, 2),
                    when_asked(PaneId::Stops, 2),
                    when_asked(PaneId::History, 2),
                    when_asked(PaneId::Trail, 3),
                    when_asked(PaneId::Tally, 3),
                    when_asked(PaneId::Flow, 3),
                    when_asked(PaneId::Atlas, 3),
                    when_asked(PaneId::Trials, 3),
                ],
                width: |width| (width / 3).min(74),
            },
        ],
    },
    Columns { from: 140, columns: &[SOURCE, Column { slots: STATE, width: |width| (width * 45 / 100).clamp(74, 90) }] },
    Columns { from: 90, columns: &[SOURCE, Column { slots: STATE, width: |width| width * 46 / 100 }] },
    Columns { from: 0, columns: &[SOURCE, Column { slots: STATE, width: |width| width * 45 / 100 }] },
];

impl App {
    /// The rows a pane can do with; the one in focus always some.
    pub(crate) fn need(&self, id: PaneId, column: Rect) -> Need {
        let need = id.pane().need(self, column);
        if id == self.screen.focus { Need { least: need.least.max(2), most: need.most.max(3), ..need } } else { need }
    }
}

/// Lays a screen of this size out.
pub(crate) fn lay_out(app: &App, (width, height): (u16, u16)) -> Layout {
    if width < SMALLEST.0 || height < SMALLEST.1 {
        return Layout::default();
    }
    let row = |y: u16, height: u16| Rect { x: 0, y, width, height };
    let lesson = app.lesson_rows();
    let lesson = row(height - 1 - lesson, lesson);
    let mut layout = Layout { header: row(0, 1), keys: row(height - 1, 1), lesson, panes: Vec::new() };
    let page = row(1, height - 2 - lesson.height);
    match app.screen.arrangement {
        Arrangement::Alone => layout.panes.push((app.screen.focus, page)),
        Arrangement::Showing(pane) => showing(app, page, pane, &mut layout.panes),
        Arrangement::Bench => bench(app, page, &mut layout.panes),
    }
    layout
}

fn bench(app: &App, page: Rect, panes: &mut Vec<(PaneId, Rect)>) {
    let Some(columns) = BENCH.iter().find(|columns| page.width >= columns.from) else { return };
    let areas = widths(columns.columns, page);
    let (ribbon, console) = lower_rows(app, page, &areas);
    let middle = page.height - ribbon - console;
    for (column, area) in &areas {
        stacked(app, Rect { height: middle, ..*area }, column.slots, panes);
    }
    let below = Rect { y: page.y + middle, height: ribbon, ..page };
    panes.extend((ribbon > 0).then_some((PaneId::Ribbon, below)));
    let below = Rect { y: below.bottom(), height: console, ..page };
    panes.extend((console > 0).then_some((PaneId::Console, below)));
}

/// The area of each column, with a blank between two.
fn widths(columns: &'static [Column], page: Rect) -> Vec<(&'static Column, Rect)> {
    let others: u16 = columns[1..].iter().map(|column| (column.width)(page.width) + 1).sum();
    let mut x = page.x;
    let mut areas = Vec::new();
    for (index, column) in columns.iter().enumerate() {
        let width = if index == 0 { page.width - others } else { (column.width)(page.width) };
        areas.push((column, Rect { x, width, ..page }));
        x += width + 1;
    }
    areas
}

/// Rows of ribbon and console: what they want, less what the columns above need more.
fn lower_rows(app: &App, page: Rect, areas: &[(&Column, Rect)]) -> (u16, u16) {
    let need = |id: PaneId| app.need(id, page);
    let (ribbon, console) = (need(PaneId::Ribbon), need(PaneId::Console));
    // What a column wants so that nothing in it is cut, and what it cannot do without.
    let wanted = |(column, area): &(&Column, Rect)| -> (u16, u16) {
        let there = column.slots.iter().filter(|slot| !slot.is_asked_for || slot.pane == app.screen.focus);
        let needs = there.map(|slot| (slot.pane, app.need(slot.pane, *area)));
        needs.fold((0, 0), |(most, least), (pane, need)| match pane {
            PaneId::Next => (most + need.most, least + need.least),
            PaneId::Registers | PaneId::Flags => (most + need.most, least + need.least),
            _ if pane == app.screen.focus => (most + need.most.min(8), least + need.least),
            _ => (most + need.most.min(4), least),
        })
    };
    let (most, least) = areas[1..].iter().map(wanted).fold((0, 0), |a, b| (a.0.max(b.0), a.1.max(b.1)));
    let height = page.height;
    let mut rows = (ribbon.most, console.most);
    let over = |rows: (u16, u16), needed: u16| (rows.0 + rows.1 + needed).saturating_sub(height);
    // Down to a few rows so that all is shown in full; further only for what must not be cut.
    rows.1 -= over(rows, most).min(rows.1.saturating_sub(console.least.max(console.most.min(3))));
    rows.1 -= over(rows, least).min(rows.1.saturating_sub(console.least));
    rows.0 -= over(rows, least).min(rows.0.saturating_sub(ribbon.least));
    if app.screen.focus != PaneId::Ribbon && over(rows, least) >= rows.0 {
        rows.0 = 0;
    }
    rows
}

/// Panes of a column, one below the other.
fn stacked(app: &App, area: Rect, slots: &[Slot], panes: &mut Vec<(PaneId, Rect)>) {
    let want = |slot: &Slot| {
        let in_focus = slot.pane == app.screen.focus;
        let need = if slot.is_asked_for && !in_focus { Need::NOTHING } else { app.need(slot.pane, area) };
        (need, slot.rank, in_focus)
    };
    let wants: Vec<(Need, u8, bool)> = slots.iter().map(want).collect();
    let mut y = area.y;
    for (slot, rows) in slots.iter().zip(share(area.height, &wants)) {
        panes.extend((rows > 0).then_some((slot.pane, Rect { y, height: rows, ..area })));
        y += rows;
    }
}

/// Shares rows among panes: what each needs, the rank of its need (lowest first), and whether it is in focus.
pub fn share(height: u16, wants: &[(Need, u8, bool)]) -> Vec<u16> {
    let mut order: Vec<usize> = (0..wants.len()).collect();
    order.sort_by_key(|&index| (!wants[index].2, wants[index].1));
    let mut rows = vec![0; wants.len()];
    let mut left = height;
    let grow = |rows: &mut Vec<u16>, left: &mut u16, index: usize| {
        let need = wants[index].0;
        let more = need.most.saturating_sub(rows[index]);
        let more = if need.is_either && more > *left { 0 } else { more.min(*left) };
        rows[index] += more;
        *left -= more;
    };
    for is_late in [false, true] {
        for &index in order.iter().filter(|&&index| (wants[index].1 >= LATE && !wants[index].2) == is_late) {
            let (need, _, in_focus) = wants[index];
            let least = if in_focus { need.least.min(left) } else { need.least };
            if need.most > 0 && least <= left {
                rows[index] = least;
                left -= least;
            }
        }
        // What is shown in full needs more than what is shown only then.
        for index in 0..wants.len() {
            if rows[index] > 0 && wants[index].0.is_either {
                grow(&mut rows, &mut left, index);
            }
        }
    }
    // What can do with any number of rows takes what is left.
    order.sort_by_key(|&index| (wants[index].0.most == u16::MAX, wants[index].1));
    for index in order {
        if rows[index] > 0 {
            grow(&mut rows, &mut left, index);
        }
    }
    rows
}

/// Panes of this rank and higher ones get rows when the others are shown in full.
const LATE: u8 = 5;

/// For showing to others: large source, what comes next, and the chosen pane.
fn showing(app: &App, page: Rect, pane: PaneId, panes: &mut Vec<(PaneId, Rect)>) {
    // What the program prints and asks is part of what is shown.
    let speaks = app.session().is_some_and(|session| {
        session.is_running() || app.is_waiting() || app.was_typed_here() || !session.console_end(1).is_empty()
    });
    let rows = if speaks { app.need(PaneId::Console, page).most.clamp(3, (page.height / 4).max(3)) } else { 0 };
    if speaks {
        panes.push((PaneId::Console, Rect { y: page.bottom() - rows, height: rows, ..page }));
    }
    let page = Rect { height: page.height - rows, ..page };
    let left = Rect { width: page.width * 58 / 100, ..page };
    let right = Rect { x: left.right() + 1, width: page.width - left.width - 1, ..page };
    panes.push((PaneId::Source, left));
    let next = app.need(PaneId::Next, right).most.min(page.height);
    panes.push((PaneId::Next, Rect { height: next, ..right }));
    let below = Rect { y: right.y + next, height: page.height - next, ..right };
    if below.height > 0 {
        panes.push((pane, below));
    }
}
