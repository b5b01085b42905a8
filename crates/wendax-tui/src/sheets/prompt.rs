//! Prompts: what is asked for, and what may be written.

use super::sheet;
use crate::actions::Ask;
use crate::app::App;
use crate::cells::wrap;
use crate::parts::field::Field;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use crate::update::prompts::{self, Trait};
use ratatui::layout::Rect;

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect, ask: Ask, field: &Field) {
    let prompt = ask.prompt();
    let hint = app.machine().spoken(prompt.hint);
    let hint = match ask {
        _ if prompt.traits.contains(&Trait::Values) => match app.completions(&field.text()).as_slice() {
            [] => hint,
            names => format!("Tab: {}", names.join("  ")),
        },
        prompts::SEARCH => app.search_words(&field.text()).unwrap_or(hint),
        _ => hint,
    };
    let hints = wrap(&hint, area.width.saturating_sub(8).min(92));
    let high = 3 + u16::try_from(hints.len()).unwrap_or(1);
    let inner = sheet(pen, area, (96, high), ask.0, "");
    field.draw(pen, Rect { height: 1, ..inner }, Ink::Text, true);
    for (y, hint) in (inner.y + 1..inner.bottom()).zip(&hints) {
        pen.text(inner.x, y, inner.width, hint, Ink::Quiet);
    }
}
