//! Marks: everything that happened in the run, in order of time.

use super::{Need, Order, Pane, PaneId, head};
use crate::app::App;
use crate::cells::fitted;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::{Constraint, Rect};
use ratatui::text::Span;
use wendax_session::{Command, Happening, What, forgotten_happenings, grouped, happenings};

pub(super) struct Marks;

impl Pane for Marks {
    fn name(&self) -> &'static str {
        "marks"
    }

    fn command(&self) -> &'static str {
        "Pane: marks, everything that happened in the run"
    }

    fn words(&self) -> &'static str {
        "events history log stops output interrupts faults edits timeline bookmarks"
    }

    fn about(&self) -> &'static str {
        "Everything that happened in the run, with the step before which it did: stops at breakpoints, what was typed, \
         values set by hand, faults, interrupts that were taken, moments with a name, and each line that was printed. Enter goes \
         to that moment."
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let count = app.session().map_or(0, |session| happenings(session).len());
        Need::rows(3, 1 + u16::try_from(count.max(1)).unwrap_or(u16::MAX).min(column.height / 3))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let note = match app.session().map_or(0, forgotten_happenings) {
            0 => String::new(),
            count => format!("{} earlier lines and interrupts: T, F print", grouped(count)),
        };
        let body = head(app, pen, area, PaneId::Marks, &note);
        let Some(session) = app.session() else { return };
        let all = happenings(session);
        if all.is_empty() {
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), "nothing happened yet", Ink::Faint);
            return;
        }
        let focused = app.screen.focus == PaneId::Marks;
        let now = all.partition_point(|happening| happening.step <= session.now());
        // Without the focus the list follows the walk.
        let chosen = if focused { app.screen.panes.of(PaneId::Marks).chosen } else { now.saturating_sub(1) };
        let widths = [Constraint::Length(12), Constraint::Max(10), Constraint::Fill(1)];
        list::table(pen, body, &widths, (all.len(), Some(chosen)), &|pen, index| row(pen, &all[index], body.width));
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.session().map_or(0, |session| happenings(session).len()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        Some(Order::Travel(Command::Seek(happenings(app.session()?).get(entry)?.step)))
    }
}

/// Cells that are not those of the text: the sign of the chosen one, step, kind, and blanks between.
const OTHERS: u16 = 30;

fn row(pen: &Pen<'_>, happening: &Happening, width: u16) -> Vec<Span<'static>> {
    let (sign, ink) = match happening.what {
        What::Stop => ("◆ stop", Ink::Trouble),
        What::Typed => ("▾ typed", Ink::Fresh),
        What::ByHand => ("✎ by hand", Ink::Fresh),
        What::Fault => ("✕ fault", Ink::Trouble),
        What::Interrupt => ("! came", Ink::Time),
        What::Printed => ("  printed", Ink::Quiet),
        What::Pin => ("◎ pin", Ink::Place),
    };
    vec![
        pen.span(format!("{:>12}", grouped(happening.step.0)), Ink::Quiet),
        pen.span(sign, ink),
        pen.span(fitted(&happening.text, width.saturating_sub(OTHERS)), Ink::Text),
    ]
}
