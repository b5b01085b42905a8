//! The trail: the steps of the run, one a row, around the present one.

use super::{Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::{fitted, padded};
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use crate::world::trail::Row;
use ratatui::layout::Rect;
use ratatui::text::Span;
use wendax_machine::StepKind;
use wendax_session::grouped;
use wendax_session::{Command, Effects, Session, change_words, code_text};

pub(super) struct Trail;

impl Pane for Trail {
    fn name(&self) -> &'static str {
        "trail"
    }

    fn command(&self) -> &'static str {
        "Pane: trail, the steps of the run"
    }

    fn words(&self) -> &'static str {
        "trace history steps log executed instructions timeline"
    }

    fn about(&self) -> &'static str {
        "The steps of the run around the present one (▌): number, line, instruction, cycles, and what it did. What repeats \
         is folded; x shows it in full. / lets only some through: in weigh, op push, change total, call. Enter goes to \
         the step."
    }

    fn work(&self) -> Option<Work> {
        Some(Work {
            is_wanted: |app, session| app.world.trail.is_looking(session),
            slice: |app| {
                let chosen = app.screen.panes.of(PaneId::Trail).chosen;
                let step = app.world.trail.rows.get(chosen).map(|row| row.step());
                if app.world.look_along_trail(app.world.slice) {
                    // What was chosen stays chosen; at first that is what is nearest to the present step.
                    let step = step.or(app.session().map(Session::now)).unwrap_or_default();
                    app.screen.panes.of_mut(PaneId::Trail).chosen = app.world.trail.row_of(step);
                }
            },
        })
    }

    fn need(&self, _: &App, column: Rect) -> Need {
        Need::rows(5, column.height * 2 / 3)
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let body = head(app, pen, area, PaneId::Trail, &note(app));
        let Some(session) = app.session() else { return };
        let trail = &app.world.trail;
        if trail.rows.is_empty() {
            let text = match &trail.filter {
                Some(_) if trail.is_looking(session) => "looking",
                Some(_) => "no step of the run so far is let through; F lets others through",
                None => "nothing was run yet",
            };
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), text, Ink::Faint);
            return;
        }
        let focused = app.screen.focus == PaneId::Trail;
        let present = trail.row_of(session.now());
        let chosen = if focused { app.screen.panes.of(PaneId::Trail).chosen } else { present };
        let chosen = chosen.min(trail.rows.len() - 1);
        list::draw(pen, body, trail.rows.len(), Some(chosen), &|pen, index| {
            row(app, session, pen, trail.rows[index], body.width)
        });
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.world.trail.rows.len())
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        Some(Order::Travel(Command::Seek(app.world.trail.rows.get(entry)?.step())))
    }
}

fn note(app: &App) -> String {
    let Some((text, found)) = &app.world.trail.filter else { return String::new() };
    let count = grouped(found.steps().len() as u64);
    if found.is_done() {
        let more = match found.has_more() {
            (false, false) => "",
            (true, false) => ", and more before",
            (false, true) => ", and more behind",
            (true, true) => " around here, and more on both sides",
        };
        return format!("{text} · {count} found{more}");
    }
    let (done, all) = found.progress();
    format!("{text} · {count} found, {} %", done * 100 / all.max(1))
}

fn row(app: &App, session: &Session, pen: &Pen<'_>, row: Row, room: u16) -> Vec<Span<'static>> {
    let step = match row {
        Row::Step(step) => step,
        Row::Fold { lines, times, is_open, .. } => {
            let what = if lines == 1 { "this line".to_owned() } else { format!("these {lines} lines") };
            let more = if is_open { "times and more" } else { "times more" };
            return vec![pen.span(format!("{:>12}    {what} {} {more}", "", grouped(times as u64)), Ink::Faint)];
        }
    };
    let is_present = step == session.now();
    let mark = if is_present { "▌" } else { " " };
    let number = pen.span(format!("{mark}{:>11}  ", grouped(step.0)), if is_present { Ink::Time } else { Ink::Quiet });
    let Some(effects) = app.world.trail.effects(step) else { return vec![number] };
    let place = session.image().line_at(effects.pc);
    let place =
        place.map_or_else(|| session.machine().target().marked_address(effects.pc), |line| app.place_words(line));
    let text = what(session, effects);
    let did = change_words(session, effects).join(", ");
    let left = room.saturating_sub(18 + PLACE + TEXT + 6);
    vec![
        number,
        pen.span(padded(&place, PLACE) + " ", Ink::Place),
        pen.span(padded(&text, TEXT) + " ", Ink::Text),
        pen.span(format!("{:>3}  ", effects.cycles), Ink::Faint),
        pen.span(fitted(&did, left), Ink::Fresh),
    ]
}

const PLACE: u16 = 10;
const TEXT: u16 = 20;

fn what(session: &Session, effects: &Effects) -> String {
    let target = session.machine().target();
    match effects.kind {
        StepKind::Interrupt(number) => format!("! {}", target.interrupt_name(number)),
        StepKind::Trap(number) => format!("trap {}", target.trap_name(number)),
        StepKind::Instruction | StepKind::Call(_) => code_text(session, effects.pc, effects.code).unwrap_or_default(),
    }
}
