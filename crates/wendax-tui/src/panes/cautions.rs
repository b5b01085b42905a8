//! Cautions: what looks wrong in the run, with where it began.

use super::{Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::{width, wrap};
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::{Constraint, Rect};
use wendax_session::{Caution, Command, Session, counted};

pub(super) struct Cautions;

/// Has the run gone through, also a long one.
const LOOK: Work = Work {
    is_wanted: |app, session| app.world.is_to_look_through(session, false),
    slice: |app| app.world.look_through(app.world.slice),
};

/// The same of a short run, unasked.
pub(super) const LOOK_BY_ITSELF: Work =
    Work { is_wanted: |app, session| app.world.is_to_look_through(session, true), ..LOOK };

impl Pane for Cautions {
    fn name(&self) -> &'static str {
        "cautions"
    }

    fn command(&self) -> &'static str {
        "Pane: cautions, what looks wrong in the run"
    }

    fn words(&self) -> &'static str {
        "warnings mistakes bugs errors wrong check lint suspicious analysis"
    }

    fn about(&self) -> &'static str {
        "What looks wrong in the run so far: a way back that is none, a register that was never set or not given back, an \
         address that reaches too far, and more, each once a line, with how often it came. Below stands the whole sentence \
         of the chosen one, and where it began. Enter goes to the step that does it; there, Enter goes to where it began. \
         △ stands in the source beside lines with one. `; meant C07: why` in the line says that it is meant."
    }

    fn work(&self) -> Option<Work> {
        Some(LOOK)
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let count = app.session().map_or(0, |session| app.world.walk.cautions.list(session).count());
        Need::rows(5, 4 + u16::try_from(count.max(1)).unwrap_or(u16::MAX).min(column.height / 3))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let cautioned = &app.world.walk.cautions;
        let Some(session) = app.session() else {
            head(app, pen, area, PaneId::Cautions, "");
            return;
        };
        let all: Vec<&Caution> = cautioned.list(session).collect();
        let looks = app.world.is_to_look_through(session, false);
        let more = if cautioned.is_full() { "at least " } else { "" };
        let note = match cautioned.progress(session) {
            (done, of) if looks => format!("looking through the run: {} %", done * 100 / of.max(1)),
            _ => format!("{more}{}", counted(all.len() as u64, "caution", "cautions")),
        };
        let body = head(app, pen, area, PaneId::Cautions, &note);
        if all.is_empty() {
            let text = if looks { "nothing so far" } else { "nothing in the run so far looks wrong" };
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), text, Ink::Faint);
            return;
        }
        let chosen = app.screen.panes.of(PaneId::Cautions).chosen.min(all.len() - 1);
        // The sentence of the chosen one stands whole below, where there is room for a list besides.
        let words = sentence(session, all[chosen], body.width.saturating_sub(3));
        let few = |count: usize| u16::try_from(count).unwrap_or(u16::MAX);
        let high = few(all.len()).min(body.height.saturating_sub(few(words.len())).max(1));
        let rows = Rect { height: high.min(body.height), ..body };
        let longest = all.iter().map(|caution| width(&caution.line(session))).max().unwrap_or(0);
        let widths = [Constraint::Length(3), Constraint::Length(longest.min(18)), Constraint::Fill(1)];
        list::table(pen, rows, &widths, (all.len(), Some(chosen)), &|pen, index| {
            let caution = all[index];
            vec![
                pen.span(caution.kind.to_string(), Ink::Trouble),
                pen.span(caution.line(session), Ink::Place),
                pen.span(caution.words(session), Ink::Text),
            ]
        });
        for (y, line) in (rows.bottom()..body.bottom()).zip(&words) {
            pen.text(body.x + 2, y, body.width.saturating_sub(2), line, Ink::Quiet);
        }
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.session().map_or(0, |session| app.world.walk.cautions.list(session).count()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        let session = app.session()?;
        let caution = app.world.walk.cautions.list(session).nth(entry)?;
        let began = caution.beginning(session).map(|(step, ..)| step);
        let step = if session.now() == caution.step { began.unwrap_or(caution.step) } else { caution.step };
        Some(Order::Travel(Command::Seek(step)))
    }
}

/// A caution whole: what it is, when it came, where it began.
fn sentence(session: &Session, caution: &Caution, room: u16) -> Vec<String> {
    let mut text = format!("{}: {}", caution.at_step(), caution.words(session));
    if let Some((.., words)) = caution.beginning(session) {
        text.push_str("; ");
        text.push_str(&words);
    }
    wrap(&text, room)
}
