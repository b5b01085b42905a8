//! Both: two states next to each other, that of the present moment and that of another one, be it of another run.

use super::{Need, Pane, PaneId, Work, head};
use crate::app::App;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use crate::world::beside::States;
use ratatui::layout::{Constraint, Rect};
use wendax_session::{Thing, grouped};

pub(super) struct Both;

impl Pane for Both {
    fn name(&self) -> &'static str {
        "both"
    }

    fn command(&self) -> &'static str {
        "Pane: both, the present state and another one next to each other"
    }

    fn words(&self) -> &'static str {
        "side by side two runs states compare together both diff parallel"
    }

    fn about(&self) -> &'static str {
        "The present state on the left and that of another moment on the right: of this run, as “Compare” in the palette asks \
         for, or of another one, as x in the runs takes it. What differs is marked ≠. With the keys here and another run beside, the \
         right arrow takes both on to the next place that they have in common: step by step while they go the same way, and from \
         where they part each to what both come to again; the left arrow goes back."
    }

    fn work(&self) -> Option<Work> {
        Some(Work {
            is_wanted: |app, session| {
                app.world.walk.beside.states(session).is_none() && app.world.walk.beside.is_there(session)
            },
            slice: |app| app.world.set_beside(),
        })
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let count = states(app).map_or(1, |states| states.rows.len() + 1);
        Need::rows(5, 1 + u16::try_from(count).unwrap_or(u16::MAX).min(column.height / 2))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let beside = &app.world.walk.beside;
        let name = beside.moment.as_ref().map_or("", |(_, name)| name.as_str());
        let Some(session) = app.session() else {
            head(app, pen, area, PaneId::Both, "");
            return;
        };
        let step = beside.step(session).filter(|_| beside.is_there(session));
        let note = step.map_or(String::new(), |step| {
            // Where there is little room the two steps say enough.
            let name = if name.is_empty() || area.width < 60 { String::new() } else { format!("{name}, ") };
            format!("step {} · {name}step {}", grouped(session.now().0), grouped(step.0))
        });
        let body = head(app, pen, area, PaneId::Both, &note);
        let Some(states) = states(app) else {
            let text = "“Compare” in the palette asks with what; x in the runs takes another run";
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), text, Ink::Faint);
            return;
        };
        let focused = app.screen.focus == PaneId::Both;
        let last = states.rows.len().saturating_sub(1);
        let chosen = focused.then(|| app.screen.panes.of(PaneId::Both).chosen.min(last));
        let widest = states.rows.iter().map(|row| row.name.chars().count()).max().unwrap_or(0);
        let name = u16::try_from(widest).unwrap_or(u16::MAX).min(10);
        let widths = [Constraint::Length(1), Constraint::Length(name), Constraint::Fill(1), Constraint::Fill(1)];
        list::table(pen, body, &widths, (states.rows.len(), chosen), &|pen, index| {
            let row = &states.rows[index];
            let is_same = row.here == row.there;
            let ink = if is_same { Ink::Quiet } else { Ink::Fresh };
            let sign = if is_same { "" } else { "≠" };
            let cell = |text: &str| pen.span(text.to_owned(), ink);
            vec![pen.span(sign, Ink::Trouble), pen.span(row.name.clone(), Ink::Text), cell(&row.here), cell(&row.there)]
        });
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(states(app).map_or(0, |states| states.rows.len()))
    }

    fn thing(&self, app: &App, entry: usize) -> Option<Thing> {
        states(app)?.rows.get(entry)?.thing
    }
}

fn states(app: &App) -> Option<&States> {
    app.world.walk.beside.states(app.session()?)
}
