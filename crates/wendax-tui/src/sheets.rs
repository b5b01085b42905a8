//! What lies over the page and takes the keys: palette, files, guide, prompts, questions.
//!
//! A sheet has a field that is typed into, a list that is chosen from, or a question with answers. What Enter or an
//! answer does is in `update/sheet.rs`.

pub(crate) mod files;
pub(crate) mod go_to;
pub(crate) mod guide;
pub(crate) mod page;
pub(crate) mod palette;
pub(crate) mod prompt;
pub(crate) mod question;

use crate::app::App;
use crate::parts::pen::Pen;
use crate::sheet::Sheet;
use ratatui::layout::Rect;

impl Sheet {
    /// How many entries its list has.
    pub(crate) fn count(&self, app: &App) -> usize {
        match self {
            Self::Palette { query, .. } => palette::found(app, &query.text()).len(),
            Self::Files { query, .. } => files::found(app, &query.text()).len(),
            Self::GoTo { query, .. } => go_to::found(app, &query.text()).len(),
            Self::Guide(reading) => guide::found(&reading.query.text(), reading.machine).len(),
            Self::Names { names, .. } => names.len(),
            Self::Page { what, .. } => page::count(app, *what),
            Self::Prompt { .. } | Self::Leaving | Self::Conflict { .. } => 0,
            Self::Replacing { .. } | Self::Exists { .. } | Self::Reach { .. } => 0,
        }
    }

    /// Rows of a page of its list on a screen so high.
    pub(crate) fn page(&self, high: u16) -> u16 {
        if matches!(self, Self::Palette { .. } | Self::GoTo { .. }) { palette::rows(high) } else { high / 2 }
    }
}

/// Draws what lies over the page, if anything does.
pub(crate) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect) {
    match &app.screen.sheet {
        None => {}
        Some(Sheet::Palette { query, chosen }) => palette::draw(app, pen, area, query, *chosen),
        Some(Sheet::Files { query, chosen }) => files::draw(app, pen, area, query, *chosen),
        Some(Sheet::GoTo { query, chosen }) => go_to::draw(app, pen, area, query, *chosen),
        Some(Sheet::Guide(reading)) => guide::draw(pen, area, reading),
        Some(Sheet::Page { what, scroll }) => page::draw(app, pen, area, (*what, *scroll)),
        Some(Sheet::Prompt { ask, field }) => prompt::draw(app, pen, area, *ask, field),
        Some(Sheet::Names { names, chosen, .. }) => question::draw_names(pen, area, names, *chosen),
        Some(Sheet::Leaving) => question::draw_leaving(app, pen, area),
        Some(Sheet::Conflict { name, theirs }) => question::draw_conflict(app, pen, area, (name, theirs)),
        Some(Sheet::Exists { effect }) => question::draw_exists(pen, area, effect),
        Some(Sheet::Reach { folders }) => question::draw_reach(pen, area, folders),
        Some(Sheet::Replacing { with }) => question::draw_replacing(app, pen, area, with),
    }
}

/// A sheet over the page, its ground and its head; returns the area within.
fn sheet(pen: &mut Pen<'_>, area: Rect, (wide, high): (u16, u16), name: &str, note: &str) -> Rect {
    let margin = if wide >= area.width { 0 } else { 2 };
    let wide = wide.min(area.width.saturating_sub(2 * margin));
    let high = high.min(area.height.saturating_sub(if margin == 0 { 2 } else { 3 }));
    // Sheets rise from the keys line, so that the source and the state above stay in view.
    let x = area.x + margin;
    let y = area.bottom() - 1 - high;
    let whole = Rect { x, y, width: wide, height: high };
    pen.clear(whole);
    pen.raise(whole);
    let inner = Rect { x: x + 1, width: wide - 2, ..whole };
    pen.head(inner, name, note, true);
    Rect { x: inner.x + 1, y: y + 1, width: inner.width.saturating_sub(2), height: high.saturating_sub(1) }
}
