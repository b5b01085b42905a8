//! The run as a strip: the height is how deep calls went, the signs are what happened.

use super::{Need, Pane, PaneId, head};
use crate::app::App;
use crate::cells::width;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_machine::StepNo;
use wendax_session::grouped;
use wendax_session::{Mark, MarkKind};

pub(super) struct Ribbon;

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
         hand and faults."
    }

    fn need(&self, _: &App, page: Rect) -> Need {
        Need::rows(2, if page.height >= 32 { 3 } else { 2 })
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
        let strip = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
        let columns = session.ribbon().columns(end, strip.width.into());
        let deepest = columns.iter().copied().max().unwrap_or(0).max(1);
        let column_of = |step: StepNo| {
            let at = step.0 * u64::from(strip.width.saturating_sub(1)) / end.0.max(1);
            strip.x + u16::try_from(at).unwrap_or(0).min(strip.width.saturating_sub(1))
        };
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
        // The number of the step stands there where no mark does.
        let text = grouped(now.0);
        let wide = width(&text);
        let at = here.min(strip.right().saturating_sub(wide));
        let is_free = |mark: &Mark| !(at.saturating_sub(1)..=at + wide).contains(&column_of(mark.step));
        if marks > bars && session.marks().iter().all(is_free) {
            pen.text(at, marks, wide, &text, Ink::Quiet);
        }
    }
}
