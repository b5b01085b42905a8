//! The run as a strip: the height is how deep calls went, the signs are what happened.

use super::{Need, Order, Pane, PaneId, head};
use crate::app::App;
use crate::cells::width;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_machine::StepNo;
use wendax_session::{Command, MarkKind, grouped};

pub(super) struct Ribbon;

/// Where the run is drawn.
fn strip(area: Rect) -> Rect {
    Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area }
}

/// The column of a step.
fn column_of(strip: Rect, end: StepNo, step: StepNo) -> u16 {
    let last = strip.width.saturating_sub(1);
    let at = u128::from(step.0) * u128::from(last) / u128::from(end.0.max(1));
    strip.x + u16::try_from(at).unwrap_or(0).min(last)
}

impl Pane for Ribbon {
    fn name(&self) -> &'static str {
        "ribbon"
    }

    fn command(&self) -> &'static str {
        "Pane: ribbon"
    }

    fn words(&self) -> &'static str {
        "run time history timeline depth strip"
    }

    fn about(&self) -> &'static str {
        "The whole run from its first step to its furthest, left to right. The higher the bar, the more routines were \
         active, one called from the other. ┃ is where you are; the signs below are stops, what was typed, changes by \
         hand, faults, and ◎ moments with a name. A click goes to that place of the run."
    }

    fn need(&self, _: &App, page: Rect) -> Need {
        Need::rows(2, if page.height >= 32 { 3 } else { 2 })
    }

    /// To the step at that place, or to the mark that is seen there.
    fn click(&self, app: &App, area: Rect, (x, _): (u16, u16)) -> Option<Order> {
        let session = app.session().filter(|session| !session.is_running() && session.end() > StepNo::FIRST)?;
        let strip = strip(area);
        let at = u64::from(x.clamp(strip.x, strip.right().saturating_sub(1)) - strip.x);
        let mut signs = session.marks().iter().map(|mark| mark.step).chain(session.pins().iter().map(|pin| pin.step));
        let marked = signs.find(|step| column_of(strip, session.end(), *step) == x);
        let last = u64::from(strip.width.saturating_sub(1)).max(1);
        let step = StepNo(u64::try_from(u128::from(session.end().0) * u128::from(at) / u128::from(last)).unwrap_or(0));
        Some(Order::Travel(Command::Seek(marked.unwrap_or(step))))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let Some(session) = app.session() else {
            head(app, pen, area, PaneId::Ribbon, "");
            return;
        };
        let (now, end) = (session.now(), session.end());
        let note = if session.marks().is_empty() {
            String::new()
        } else {
            "◆ stop  ▾ typed  ✎ edited  ✕ fault".to_owned()
        };
        head(app, pen, area, PaneId::Ribbon, &note);
        let strip = strip(area);
        let columns = session.ribbon().columns(end, strip.width.into());
        let deepest = columns.iter().copied().max().unwrap_or(0).max(1);
        let column_of = |step: StepNo| column_of(strip, end, step);
        let here = column_of(now);
        let bars = area.y + 1;
        if area.height >= 2 && end > StepNo::FIRST {
            for (x, depth) in (strip.x..strip.right()).zip(columns) {
                const BARS: [&str; 8] = ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
                let bar = BARS[usize::try_from(depth * 7 / deepest).unwrap_or(7).min(7)];
                let ink = if x <= here { Ink::Time } else { Ink::Faint };
                pen.text(x, bars, 1, bar, ink);
            }
            pen.text(here, bars, 1, "┃", Ink::Text);
        } else if area.height >= 2 {
            pen.text(
                strip.x,
                bars,
                strip.width,
                "the run will be drawn here; left and right move through it",
                Ink::Faint,
            );
        }
        if area.height < 2 || end == StepNo::FIRST {
            return;
        }
        let marks = if area.height >= 3 { bars + 1 } else { bars };
        for mark in session.marks() {
            let (sign, ink) = match mark.kind {
                MarkKind::Stop => ("◆", Ink::Trouble),
                MarkKind::Input => ("▾", Ink::Fresh),
                MarkKind::Edit => ("✎", Ink::Fresh),
                MarkKind::Fault => ("✕", Ink::Trouble),
            };
            // On a low strip marks lie on the bars, and the present step stays seen.
            if marks > bars || column_of(mark.step) != here {
                pen.text(column_of(mark.step), marks, 1, sign, ink);
            }
        }
        for pin in session.pins() {
            if marks > bars || column_of(pin.step) != here {
                pen.text(column_of(pin.step), marks, 1, "◎", Ink::Place);
            }
        }
        // The number of the step stands there where no mark does.
        let text = grouped(now.0);
        let wide = width(&text);
        let at = here.min(strip.right().saturating_sub(wide));
        let is_free = |step: StepNo| !(at.saturating_sub(1)..=at + wide).contains(&column_of(step));
        let mut signs = session.marks().iter().map(|mark| mark.step).chain(session.pins().iter().map(|pin| pin.step));
        if marks > bars && signs.all(is_free) {
            pen.text(at, marks, wide, &text, Ink::Quiet);
        }
    }
}
