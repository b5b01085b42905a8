//! The flow of the present routine: blocks of instructions, and the ways between them.

use super::{MEASURE, Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use crate::world::flows::{self, Shown};
use ratatui::layout::Rect;
use std::collections::BTreeMap;
use wendax_session::FlowBlock;

pub(super) struct Flow;

impl Pane for Flow {
    fn name(&self) -> &'static str {
        "flow"
    }

    fn command(&self) -> &'static str {
        "Flow: the present routine as blocks and the ways between them"
    }

    fn words(&self) -> &'static str {
        "graph control flow blocks branches diagram chart structure loops basic"
    }

    fn about(&self) -> &'static str {
        "The present routine as blocks that run from top to bottom, and the ways from one to another: with a condition \
         where there is a choice, and how often each was gone in the run so far. How wide a way is says how \
         often it was gone, and the one that is gone now is lit. The band is the instruction that comes next, and the page follows it; up \
         and down go through the instructions, Enter shows the line in the source."
    }

    fn work(&self) -> Option<Work> {
        Some(MEASURE)
    }

    fn need(&self, _: &App, column: Rect) -> Need {
        Need::rows(6, column.height)
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let shown = app.world.flows.shown.as_ref();
        let note = shown.map_or(String::new(), |shown| shown.laid.noted(&shown.flow.name));
        let body = head(app, pen, area, PaneId::Flow, &note);
        let Some(shown) = shown else {
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), "there is no code here", Ink::Faint);
            return;
        };
        let view = View::of(app, shown, body);
        view.ways(pen);
        for (index, block) in shown.flow.blocks.iter().enumerate() {
            view.block(app, pen, index, block);
        }
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.world.flows.shown.as_ref().map_or(0, |shown| instructions(shown).count()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        let shown = app.world.flows.shown.as_ref()?;
        let (block, line) = instructions(shown).nth(entry)?;
        let address = shown.flow.blocks[block].lines[line].address;
        let piece = app.session()?.image().line_at(address)?;
        let (document, line) = app.world.place_of(piece)?;
        Some(Order::Show(document, line))
    }
}

/// The instructions in order: block and line.
fn instructions(shown: &Shown) -> impl Iterator<Item = (usize, usize)> {
    let blocks = shown.flow.blocks.iter().enumerate();
    blocks.flat_map(|(index, block)| (0..block.lines.len()).map(move |line| (index, line)))
}

/// The entry of the instruction that is next.
pub(crate) fn present_entry(app: &App) -> Option<usize> {
    let shown = app.world.flows.shown.as_ref()?;
    let present = app.session()?.present_address();
    instructions(shown).position(|(block, line)| shown.flow.blocks[block].lines[line].address == present)
}

/// A part of the plane that is in view.
struct View<'a> {
    shown: &'a Shown,
    body: Rect,
    /// The cell of the plane in the left upper corner.
    corner: (i32, i32),
    chosen: Option<(usize, usize)>,
    /// The way that is gone now.
    way: Option<usize>,
}

/// Rows above a block's name, for the heads of arrows.
const ABOVE: i32 = 1;

impl<'a> View<'a> {
    fn of(app: &App, shown: &'a Shown, body: Rect) -> Self {
        let entry = app.screen.panes.of(PaneId::Flow).chosen;
        let chosen = instructions(shown).nth(entry);
        // What is chosen lies in the middle, as far as there is more on both sides.
        let (block, line) = chosen.unwrap_or((0, 0));
        let (x, y, width) = shown.laid.blocks.get(block).copied().unwrap_or_default();
        let line = i32::try_from(line).unwrap_or(0);
        let middle = |at: i32, room: u16, whole: i32| (at - i32::from(room) / 2).min(whole - i32::from(room)).max(0);
        let (wide, high) = shown.laid.size;
        let left = if wide < i32::from(body.width) {
            -(i32::from(body.width) - wide) / 2
        } else {
            middle(x + width / 2, body.width, wide)
        };
        let corner = (left, middle(y + line, body.height, high + 1));
        let taken = app.world.walk.explanation.as_ref().and_then(|account| account.taken);
        let way = app.session().and_then(|session| shown.flow.way_now(session.present_address(), taken));
        Self { shown, body, corner, chosen, way }
    }

    /// The cell of the screen for one of the plane, when it is in view.
    fn cell(&self, x: i32, y: i32) -> Option<(u16, u16)> {
        let (x, y) = (x - self.corner.0, y - self.corner.1);
        let (x, y) = (u16::try_from(x).ok()?, u16::try_from(y).ok()?);
        (x < self.body.width && y < self.body.height).then_some((self.body.x + x, self.body.y + y))
    }

    /// Writes a text from a cell of the plane on, as far as it is in view.
    fn text(&self, pen: &mut Pen<'_>, x: i32, y: i32, text: &str, ink: Ink) {
        let mut at = x;
        for sign in text.chars() {
            let wide = i32::from(crate::cells::width(sign.encode_utf8(&mut [0; 4])));
            if let Some((column, row)) = self.cell(at, y) {
                pen.text(column, row, self.body.right() - column, sign.encode_utf8(&mut [0; 4]), ink);
            }
            at += wide;
        }
    }

    fn block(&self, app: &App, pen: &mut Pen<'_>, index: usize, block: &FlowBlock) {
        let (x, y, width) = self.shown.laid.blocks[index];
        let present = app.session().map(wendax_session::Session::present_address);
        let is_never = block.times == Some(0);
        let ink = if is_never { Ink::Faint } else { Ink::Place };
        let top = y + ABOVE;
        let rule: String = "\u{2500}".repeat(usize::try_from(width).unwrap_or(0));
        self.text(pen, x, top, &rule, Ink::Rule);
        let name = flows::head(block);
        self.text(pen, x + 1, top, &format!(" {name} "), ink);
        for (line, row) in block.lines.iter().zip(1..) {
            let y = top + row;
            let place = format!("{} ", self.shown.flow.target.hex_address(line.address));
            let is_present = present == Some(line.address);
            if is_present {
                let from = self.cell(x.max(self.corner.0), y);
                if let Some((column, row)) = from {
                    let left = u16::try_from(x.max(self.corner.0) - x).unwrap_or(0);
                    let wide = u16::try_from(width).unwrap_or(0).saturating_sub(left).min(self.body.right() - column);
                    pen.band(Rect { x: column, y: row, width: wide, height: 1 });
                }
            }
            let is_chosen = self.chosen == Some((index, usize::try_from(row - 1).unwrap_or(0)));
            let sign = if is_present {
                "\u{258c}"
            } else if is_chosen {
                "\u{203a}"
            } else {
                " "
            };
            self.text(pen, x, y, sign, if is_present { Ink::Time } else { Ink::Place });
            let ink = if is_present { Ink::Time } else { Ink::Faint };
            self.text(pen, x + 1, y, &place, ink);
            self.text(
                pen,
                x + 1 + i32::try_from(place.len()).unwrap_or(0),
                y,
                &line.text,
                if is_never { Ink::Faint } else { Ink::Text },
            );
        }
    }

    /// The ways: lines that turn, with their heads and labels.
    fn ways(&self, pen: &mut Pen<'_>) {
        const UP: u8 = 1;
        const DOWN: u8 = 2;
        const LEFT: u8 = 4;
        const RIGHT: u8 = 8;
        const SIGNS: [&str; 16] = ["", "╵", "╷", "│", "╴", "┘", "┐", "┤", "╶", "└", "┌", "├", "─", "┴", "┬", "┼"];
        const WIDE: [&str; 16] = ["", "╹", "╻", "┃", "╸", "┛", "┓", "┫", "╺", "┗", "┏", "┣", "━", "┻", "┳", "╋"];
        let mut cells: BTreeMap<(i32, i32), (u8, Ink, bool)> = BTreeMap::new();
        let mut add = |x: i32, y: i32, part: u8, (ink, is_wide): (Ink, bool)| {
            let cell = cells.entry((x, y)).or_insert((0, ink, is_wide));
            cell.0 |= part;
            // The way that is gone now is seen where it crosses another one, too.
            if ink == Ink::Time {
                cell.1 = ink;
            }
            cell.2 |= is_wide;
        };
        let flow = &self.shown.flow;
        let most = flow.most();
        // What is out of view is not gone along: lines are as long as the whole routine.
        let (left, top) = self.corner;
        let (right, bottom) = (left + i32::from(self.body.width), top + i32::from(self.body.height));
        let mut heads = Vec::new();
        for line in self.shown.laid.lines() {
            let times = flow.along(&line.edges);
            let ink = match times {
                _ if self.way.is_some_and(|way| line.edges.contains(&way)) => Ink::Time,
                Some(0) => Ink::Rule,
                _ => Ink::Quiet,
            };
            // How wide it is says how often.
            let look = (ink, times.is_some_and(|times| times > 0 && times * 4 >= most));
            for pair in line.points.windows(2) {
                let ((x1, y1), (x2, y2)) = (pair[0], pair[1]);
                if x1 == x2 {
                    for y in y1.min(y2).max(top - 1)..y1.max(y2).min(bottom) {
                        add(x1, y, DOWN, look);
                        add(x1, y + 1, UP, look);
                    }
                } else {
                    for x in x1.min(x2).max(left - 1)..x1.max(x2).min(right) {
                        add(x, y1, RIGHT, look);
                        add(x + 1, y1, LEFT, look);
                    }
                }
            }
            if let Some(&(x, y)) = line.points.last().filter(|_| line.has_head) {
                heads.push((x, y, ink));
            }
        }
        for ((x, y), (parts, ink, is_wide)) in cells {
            let signs = if is_wide { WIDE } else { SIGNS };
            self.text(pen, x, y, signs[usize::from(parts & 15)], ink);
        }
        // The row above a block is its own: there the line comes down to it.
        for (x, y, ink) in heads {
            self.text(pen, x, y, "▾", ink);
        }
        for (edge, route) in self.shown.flow.edges.iter().zip(&self.shown.laid.routes) {
            if let Some((x, y)) = route.label {
                self.text(pen, x, y, &flows::label(edge), Ink::Quiet);
            }
        }
    }
}
