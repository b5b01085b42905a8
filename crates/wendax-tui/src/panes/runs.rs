//! Runs: those that were left for another one, with where they part.

use super::{Need, Order, Pane, PaneId, head};
use crate::app::App;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use crate::world::walk::Parked;
use ratatui::layout::{Constraint, Rect};
use ratatui::text::Span;
use wendax_session::{Session, State, counted, grouped};

pub(super) struct Runs;

impl Pane for Runs {
    fn name(&self) -> &'static str {
        "runs"
    }

    fn command(&self) -> &'static str {
        "Pane: runs, those that were left for this one"
    }

    fn words(&self) -> &'static str {
        "branches branch other history undo alternatives what if"
    }

    fn about(&self) -> &'static str {
        "Runs that were left for another one: by typing otherwise, setting a value, moving a lever, another text. Each with what \
         it was left by, the step from which on it is another run than the present one, where it stands and how it ended. \
         Enter goes to one, and the one that is left takes its place here; x sets the present moment beside that of the chosen \
         run with as many steps. “Name it” in the palette names one. The latest twenty are kept."
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let count = u16::try_from(app.world.other_runs().len()).unwrap_or(u16::MAX);
        Need::rows(3, 1 + count.max(1).min(column.height / 3))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let count = app.world.other_runs().len();
        let named = &app.world.walk.name;
        let this = if named.is_empty() { String::new() } else { format!("this is {named} · ") };
        let others = counted(count as u64, "other run", "other runs");
        let body = head(app, pen, area, PaneId::Runs, &format!("{this}{others}"));
        let Some(session) = app.session() else { return };
        if count == 0 {
            let text = "no run was left for another one yet";
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), text, Ink::Faint);
            return;
        }
        let focused = app.screen.focus == PaneId::Runs;
        let chosen = focused.then(|| app.screen.panes.of(PaneId::Runs).chosen.min(count - 1));
        let runs: Vec<(&str, &Parked)> = app.world.other_runs();
        let widths = [Constraint::Fill(1), Constraint::Length(22), Constraint::Fill(1)];
        list::table(pen, body, &widths, (count, chosen), &|pen, index| row(pen, session, runs[index]));
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.world.other_runs().len())
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        (entry < app.world.other_runs().len()).then_some(Order::Run(entry))
    }
}

fn row(pen: &Pen<'_>, session: &Session, (by, parked): (&str, &Parked)) -> Vec<Span<'static>> {
    let other = parked.session();
    let name = if parked.name.is_empty() { format!("before {by}") } else { parked.name.clone() };
    let parts = match session.parts_from(other) {
        Some(step) => format!("parts at step {}", grouped(step.0)),
        None if session.is_same_program(other) => "the same so far".to_owned(),
        None => "another program".to_owned(),
    };
    let far = format!("step {} of {}", grouped(other.now().0), grouped(other.end().0));
    let how = match other.state() {
        State::Finished(status) => format!("ended with status {status}"),
        State::Fault(_) => "failed".to_owned(),
        State::Circling { .. } => "circling".to_owned(),
        State::Waiting | State::Idle { .. } => "waiting".to_owned(),
        State::Ready | State::Running | State::Paused(_) => "paused".to_owned(),
    };
    vec![pen.span(name, Ink::Text), pen.span(parts, Ink::Place), pen.span(format!("{how} · {far}"), Ink::Quiet)]
}
