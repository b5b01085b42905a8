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

use crate::actions::{Ask, Find, Text};
use crate::app::App;
use crate::message::Effect;
use crate::parts::field::Field;
use crate::parts::pen::Pen;
use ratatui::layout::Rect;
use wendax_source::Span;

#[derive(Debug, Clone)]
pub(crate) enum Sheet {
    /// A command by its words.
    Palette { query: Field, chosen: usize },
    /// The files of the program.
    Files { query: Field, chosen: usize },
    /// Somewhere to go to: lines, labels, problems, calls.
    GoTo { query: Field, chosen: usize },
    /// The guide: words found, and what is said of the chosen one.
    Guide(guide::Reading),
    /// A text that is read, scrolled by so many lines.
    Page { what: Text, scroll: usize },
    /// Something is to be written.
    Prompt { ask: Ask, field: Field },
    /// Which of several names is meant, and what is wanted of it.
    Names { names: Vec<(Span, String)>, chosen: usize, wanted: Find },
    /// Unsaved text: save, drop, stay?
    Leaving,
    /// A file was changed by someone else while it was changed here: its name, and the text it has there.
    Conflict { name: String, theirs: String },
    /// A file that was not written here is to be written over.
    Exists { effect: Box<Effect> },
    /// What was found is to be replaced by something: this one, all of them?
    Replacing { with: String },
}

impl Sheet {
    /// It asks something that is answered by a letter.
    pub(crate) fn is_question(&self) -> bool {
        match self {
            Self::Leaving | Self::Conflict { .. } | Self::Replacing { .. } | Self::Exists { .. } => true,
            Self::Palette { .. } | Self::Files { .. } | Self::GoTo { .. } | Self::Guide(_) | Self::Prompt { .. } => {
                false
            }
            Self::Names { .. } | Self::Page { .. } => false,
        }
    }

    /// What is typed goes there.
    pub(crate) fn field_mut(&mut self) -> Option<&mut Field> {
        match self {
            Self::Palette { query, .. } | Self::Files { query, .. } | Self::GoTo { query, .. } => Some(query),
            Self::Guide(reading) => Some(&mut reading.query),
            Self::Prompt { field, .. } => Some(field),
            Self::Names { .. } | Self::Page { .. } => None,
            Self::Leaving | Self::Conflict { .. } | Self::Replacing { .. } | Self::Exists { .. } => None,
        }
    }

    /// The entry chosen of its list.
    pub(crate) fn chosen_mut(&mut self) -> Option<&mut usize> {
        match self {
            Self::Palette { chosen, .. } | Self::Files { chosen, .. } | Self::Names { chosen, .. } => Some(chosen),
            Self::GoTo { chosen, .. } => Some(chosen),
            Self::Guide(reading) => Some(&mut reading.chosen),
            Self::Page { scroll, .. } => Some(scroll),
            Self::Prompt { .. } | Self::Leaving | Self::Conflict { .. } => None,
            Self::Replacing { .. } | Self::Exists { .. } => None,
        }
    }

    /// How many entries its list has.
    pub(crate) fn count(&self, app: &App) -> usize {
        match self {
            Self::Palette { query, .. } => palette::found(app, &query.text()).len(),
            Self::Files { query, .. } => files::found(app, &query.text()).len(),
            Self::GoTo { query, .. } => go_to::found(app, &query.text()).len(),
            Self::Guide(reading) => guide::found(&reading.query.text()).len(),
            Self::Names { names, .. } => names.len(),
            Self::Page { what, .. } => page::count(app, *what),
            Self::Prompt { .. } | Self::Leaving | Self::Conflict { .. } => 0,
            Self::Replacing { .. } | Self::Exists { .. } => 0,
        }
    }

    /// Rows of a page of its list on a screen so high.
    pub(crate) fn page(&self, high: u16) -> u16 {
        if matches!(self, Self::Palette { .. } | Self::GoTo { .. }) { palette::rows(high) } else { high / 2 }
    }

    /// The keys line while it is there, beside what the table of keys says.
    pub(crate) fn keys(&self) -> &'static [(&'static str, &'static str)] {
        match self {
            Self::Palette { .. } => &[("↑ ↓", "choose"), ("Enter", "do it"), ("Esc", "leave")],
            Self::Files { .. } => &[("↑ ↓", "choose"), ("Enter", "look at it"), ("Esc", "leave")],
            Self::GoTo { .. } => &[("↑ ↓", "choose"), ("Enter", "go there"), ("Esc", "leave")],
            Self::Names { .. } => &[("↑ ↓", "choose"), ("Enter", "this name"), ("Esc", "leave")],
            Self::Guide(_) => &[
                ("↑ ↓", "choose"),
                ("Esc", "leave"),
                ("Tab", "see also"),
                ("Enter", "follow"),
                ("Ctrl-E", "put the example into the text"),
                ("PageDown", "scroll"),
                ("Backspace", "back"),
                ("Ctrl-U", "empty it"),
            ],
            Self::Page { what: Text::Try, .. } => &[("Esc", "begin"), ("↑ ↓", "scroll")],
            Self::Page { .. } => &[("Esc", "back"), ("↑ ↓", "scroll")],
            Self::Prompt { .. } => &[("Enter", "take it"), ("Ctrl-U", "empty it"), ("Esc", "leave")],
            Self::Leaving => &[("s", "save and quit"), ("d", "drop the changes and quit"), ("Esc", "stay")],
            Self::Conflict { .. } => &[("k", "keep yours"), ("t", "take what is on disk"), ("Esc", "decide later")],
            Self::Exists { .. } => &[("y", "write over it"), ("Esc", "leave it as it is")],
            Self::Replacing { .. } => {
                &[("y", "replace this one"), ("n", "leave it"), ("a", "replace all"), ("Esc", "stop")]
            }
        }
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
