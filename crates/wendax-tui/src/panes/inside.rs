//! Inside: the step that comes next, taken apart.

use super::{Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::wrap;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::{Constraint, Rect};
use ratatui::text::Span;
use wendax_session::{Inside as Taken, Put, Spot, Thing, Transfer};

/// Cells from one place of the machine to the next.
const APART: usize = 3;

pub(super) struct Inside;

impl Pane for Inside {
    fn name(&self) -> &'static str {
        "inside"
    }

    fn command(&self) -> &'static str {
        "Pane: inside, the next instruction taken apart, cycle by cycle"
    }

    fn words(&self) -> &'static str {
        "micro chain transfers datapath fetch decode execute cycles bits carry internals"
    }

    fn about(&self) -> &'static str {
        "What goes from where to where until the next instruction is done: its words come from memory and are taken apart, \
         registers are read, the operation makes something of them, flags, memory, and where the run goes on; in front the \
         cycle. Below stands the chosen one bit by bit, where that teaches. With the keys here, the right arrow goes through \
         them, and behind the last one takes the step; the left arrow goes back the same way. The letters are memory, code, \
         registers, operation, flags, next, host. Enter on what goes to memory shows it there."
    }

    fn work(&self) -> Option<Work> {
        Some(Work {
            is_wanted: |app, session| app.world.walk.inside.as_ref().is_none_or(|inside| inside.at != session.stand()),
            slice: App::look_inside,
        })
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let below = |taken: &Taken| taken.transfers.iter().map(|transfer| transfer.bits.len()).max().unwrap_or(0);
        let rows = taken(app).map_or(6, |taken| taken.transfers.len() + 2 + below(taken));
        Need::rows(5, 1 + u16::try_from(rows).unwrap_or(u16::MAX).min(column.height * 2 / 3))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let Some(taken) = taken(app) else {
            head(app, pen, area, PaneId::Inside, "");
            return;
        };
        if app.world.hides_next() {
            let body = head(app, pen, area, PaneId::Inside, "");
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), "hidden until it is guessed", Ink::Faint);
            return;
        }
        let body = head(app, pen, area, PaneId::Inside, &format!("{} · {}", taken.title, taken.takes()));
        let count = taken.transfers.len();
        let Some(last) = count.checked_sub(1) else { return };
        let focused = app.screen.focus == PaneId::Inside;
        let chosen = app.screen.panes.of(PaneId::Inside).chosen.min(last);
        let told = &taken.transfers[chosen];
        // The chosen one stands below whole, and bit by bit.
        let way = match (told.from, told.to) {
            (from, to) if from == to => from.name().to_owned(),
            (from, to) => format!("{} to {}", from.name(), to.name()),
        };
        let mut below = wrap(&format!("{way}: {}", told.words), body.width.saturating_sub(3));
        below.extend(told.bits.iter().cloned());
        let few = |count: usize| u16::try_from(count).unwrap_or(u16::MAX);
        let high = few(count + 1).min(body.height.saturating_sub(few(below.len())).max(3)).min(body.height);
        let is_wide = body.width >= 46;
        let way = if is_wide { APART * (Spot::ALL.len() - 1) + 1 } else { 3 };
        let widths = [Constraint::Length(3), Constraint::Length(few(way)), Constraint::Fill(1)];
        if is_wide {
            let letters: Vec<String> = Spot::ALL.iter().map(|spot| format!("{:<APART$}", letter(*spot))).collect();
            pen.text(body.x + 2 + 5, body.y, body.width.saturating_sub(7), letters.concat().trim_end(), Ink::Place);
        }
        let rows = Rect { y: body.y + u16::from(is_wide), height: high.saturating_sub(u16::from(is_wide)), ..body };
        list::table(pen, rows, &widths, (count, Some(chosen).filter(|_| focused)), &|pen, index| {
            row(pen, &taken.transfers, index, is_wide)
        });
        for (y, line) in (rows.bottom()..body.bottom()).zip(&below) {
            pen.text(body.x + 2, y, body.width.saturating_sub(2), line, Ink::Quiet);
        }
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(taken(app).filter(|_| !app.world.hides_next()).map_or(0, |taken| taken.transfers.len()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        match self.thing(app, entry)? {
            Thing::Cells(from, _) => Some(Order::Memory(from)),
            Thing::Register(_) | Thing::Flag(_) => None,
        }
    }

    fn thing(&self, app: &App, entry: usize) -> Option<Thing> {
        let puts = &taken(app)?.transfers.get(entry)?.puts;
        puts.iter().find_map(|put| match put {
            Put::Register(register, _) => Some(Thing::Register(*register)),
            Put::Memory(at, bytes) => Some(Thing::Cells(*at, *at + u32::try_from(bytes.len()).ok()?)),
            Put::Device(..) | Put::Control(..) | Put::Flags(_) | Put::Place(_) => None,
        })
    }
}

/// What is known of the present step.
fn taken(app: &App) -> Option<&Taken> {
    let inside = app.world.walk.inside.as_ref()?;
    inside.taken.as_ref().filter(|_| app.session().is_some_and(|session| session.stand() == inside.at))
}

fn letter(spot: Spot) -> String {
    spot.name().chars().take(1).flat_map(char::to_uppercase).collect()
}

fn row(pen: &Pen<'_>, transfers: &[Transfer], index: usize, is_wide: bool) -> Vec<Span<'static>> {
    let transfer = &transfers[index];
    let is_same = index > 0 && transfers[index - 1].cycle == transfer.cycle;
    let cycle = match transfer.cycle {
        0 if index == 0 => "–".to_owned(),
        _ if is_same => String::new(),
        cycle => cycle.to_string(),
    };
    let way = if is_wide { way(transfer) } else { format!("{}▸{}", letter(transfer.from), letter(transfer.to)) };
    vec![pen.span(cycle, Ink::Time), pen.span(way, Ink::Fresh), pen.span(transfer.words.clone(), Ink::Text)]
}

/// A transfer as an arrow between the places of the machine, one beside the other.
fn way(transfer: &Transfer) -> String {
    let at = |spot: Spot| Spot::ALL.iter().position(|it| *it == spot).unwrap_or(0) * APART;
    let (from, to) = (at(transfer.from), at(transfer.to));
    let (low, high) = (from.min(to), from.max(to));
    let sign = |cell: usize| match cell {
        cell if cell == from && from == to => '◆',
        cell if cell == from => '●',
        cell if cell == to => {
            if from < to {
                '▸'
            } else {
                '◂'
            }
        }
        cell if low < cell && cell < high => '─',
        cell if cell.is_multiple_of(APART) => '·',
        _ => ' ',
    };
    (0..=at(Spot::Host)).map(sign).collect()
}
