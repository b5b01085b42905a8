//! Ahead: the coming steps as they will be.

use super::{Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::{Constraint, Rect};
use ratatui::text::Span;
use wendax_session::{Command, Effects, Horizon, Session, change_words, code_text, line_words};

/// Steps that are looked ahead.
const STEPS: usize = 60;

pub(super) struct Ahead;

impl Pane for Ahead {
    fn name(&self) -> &'static str {
        "ahead"
    }

    fn command(&self) -> &'static str {
        "Pane: ahead, the coming steps as they will be"
    }

    fn words(&self) -> &'static str {
        "future next steps forecast preview predict coming"
    }

    fn about(&self) -> &'static str {
        "The coming steps as they will be when nothing comes from outside: line, instruction, and what it will do, where a jump \
         goes, what will be printed; found out on a copy of the machine, so that nothing is run. Enter goes on to the step that \
         is chosen. The last row says why no more are known."
    }

    fn work(&self) -> Option<Work> {
        Some(Work {
            is_wanted: |app, session| app.world.walk.ahead.as_ref().is_none_or(|(at, _)| *at != session.stand()),
            slice: |app| {
                let Some(session) = app.session() else { return };
                app.world.walk.ahead = Some((session.stand(), session.ahead(STEPS)));
                // What comes next stands at the top.
                app.screen.panes.of_mut(PaneId::Ahead).chosen = 0;
            },
        })
    }

    fn need(&self, _: &App, column: Rect) -> Need {
        Need::rows(5, column.height / 2)
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let body = head(app, pen, area, PaneId::Ahead, "if nothing comes from outside");
        let Some(session) = app.session() else { return };
        if app.world.hides_next() {
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), "hidden until it is guessed", Ink::Faint);
            return;
        }
        let Some((_, ahead)) = app.world.walk.ahead.as_ref().filter(|(at, _)| *at == session.stand()) else { return };
        let focused = app.screen.focus == PaneId::Ahead;
        let count = ahead.steps.len() + 1;
        let chosen = focused.then(|| app.screen.panes.of(PaneId::Ahead).chosen.min(count - 1));
        let is_wide = body.width >= 56;
        let widths = if is_wide {
            [Constraint::Length(9), Constraint::Length(22), Constraint::Fill(1)]
        } else {
            [Constraint::Length(7), Constraint::Fill(1), Constraint::Fill(1)]
        };
        list::table(pen, body, &widths, (count, chosen), &|pen, index| match ahead.steps.get(index) {
            Some(effects) => row(session, pen, effects),
            None => vec![
                pen.span("", Ink::Quiet),
                pen.span("", Ink::Quiet),
                pen.span(horizon_words(session, &ahead.horizon), Ink::Time),
            ],
        });
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.world.walk.ahead.as_ref().map_or(0, |(_, ahead)| ahead.steps.len()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        let (at, ahead) = app.world.walk.ahead.as_ref()?;
        let step = ahead.steps.get(entry)?.step;
        (*at == app.session()?.stand()).then_some(Order::Travel(Command::Seek(step)))
    }
}

fn row(session: &Session, pen: &Pen<'_>, effects: &Effects) -> Vec<Span<'static>> {
    let text = match effects.length {
        0 => String::new(),
        _ => code_text(session, effects.pc, effects.code).unwrap_or_default(),
    };
    let mut words = change_words(session, effects);
    if effects.length > 0 && !effects.fell_through() {
        let line = line_words(session, effects.next);
        let place = || session.machine().target().marked_address(effects.next);
        words.insert(0, format!("to {}", line.unwrap_or_else(place)));
    }
    let line = line_words(session, effects.pc).unwrap_or_default();
    vec![pen.span(line, Ink::Place), pen.span(text, Ink::Text), pen.span(words.join(", "), Ink::Fresh)]
}

fn horizon_words(session: &Session, horizon: &Horizon) -> String {
    match horizon {
        Horizon::More => "and so on".to_owned(),
        Horizon::Waits => "waits for something to be typed".to_owned(),
        Horizon::Asks => "asks for the time or a file, which comes from outside".to_owned(),
        Horizon::Ends(status) => format!("the program ends with status {status}"),
        Horizon::Fails(fault) => format!("fails: {}", fault.kind.words(session.machine().target())),
        Horizon::Stops => "goes no further by itself".to_owned(),
    }
}
