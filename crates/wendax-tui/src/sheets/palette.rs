//! The palette: every command that fits, found by any of its words or by other words people have for it.

use super::sheet;
use crate::app::App;
use crate::commands::commands;
use crate::keys::{Binding, Context, all_shown};
use crate::parts::field::Field;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use nucleo_matcher::pattern::{AtomKind, CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};
use ratatui::layout::Rect;
use wendax_session::counted;

/// Commands that fit a query, best first: by their names, then by other words. For an empty query those used last come
/// first.
pub(crate) fn found(app: &App, query: &str) -> Vec<Binding> {
    let recent = |binding: &Binding| app.screen.recent.iter().position(|action| *action == binding.action);
    let contexts = app.page_contexts();
    let (here, elsewhere): (Vec<Binding>, Vec<Binding>) =
        commands().partition(|binding| fits_in(app, &contexts, binding));
    let mut found = ranked(here.into_iter(), query, recent);
    if !query.trim().is_empty() {
        // What is done elsewhere is told with where, and its keys.
        found.extend(ranked(elsewhere.into_iter(), query, |_| None));
    }
    found
}

/// A command can be done now.
pub(crate) fn fits(app: &App, binding: &Binding) -> bool {
    fits_in(app, &app.page_contexts(), binding)
}

fn fits_in(app: &App, contexts: &[Context], binding: &Binding) -> bool {
    contexts.iter().any(|context| binding.is_of(*context)) && !(app.world.is_image() && binding.action.writes())
}

/// Where a command belongs that cannot be done now, and its keys there.
pub(crate) fn elsewhere(app: &App, binding: &Binding) -> String {
    if app.world.is_image() && binding.action.writes() {
        return "an image is not written".to_owned();
    }
    let place = binding.contexts.first().map_or("", |context| context.words());
    if binding.keys.is_empty() { place.to_owned() } else { format!("{place}: {}", all_shown(binding.keys)) }
}

/// Commands that a query finds, the best first; without a query those that were used last.
pub fn ranked(
    commands: impl Iterator<Item = Binding>,
    query: &str,
    recent: impl Fn(&Binding) -> Option<usize>,
) -> Vec<Binding> {
    let mut commands: Vec<Binding> = commands.collect();
    if query.trim().is_empty() {
        commands.sort_by_key(|binding| recent(binding).unwrap_or(usize::MAX));
        return commands;
    }
    let mut matcher = Matcher::new(Config::DEFAULT);
    let pattern = Pattern::new(query, CaseMatching::Ignore, Normalization::Smart, AtomKind::Substring);
    let mut score = |text: &str| {
        let mut buffer = Vec::new();
        pattern.score(Utf32Str::new(text, &mut buffer), &mut matcher)
    };
    let has_word = |text: &str| {
        let words: Vec<String> = text.to_lowercase().split(|c: char| !c.is_alphanumeric()).map(str::to_owned).collect();
        query.to_lowercase().split_whitespace().all(|word| words.iter().any(|known| known == word))
    };
    // What is named so and nothing else (`Pane: stack`) goes first. Whole words go before parts of words; what people
    // call a thing goes before what its name happens to hold.
    let asked = query.split_whitespace().count();
    let is_named = |name: &str| has_word(name) && (asked..=asked + 1).contains(&name.split_whitespace().count());
    let mut found = Vec::new();
    for binding in commands {
        let all = format!("{} {}", binding.name, binding.words);
        let by_name = score(binding.name);
        if let Some(points) = by_name.or_else(|| score(&all)) {
            found.push((
                (is_named(binding.name), has_word(&all), has_word(binding.words), by_name.is_some(), points),
                binding,
            ));
        }
    }
    found.sort_by_key(|(points, binding)| (std::cmp::Reverse(*points), recent(binding).unwrap_or(usize::MAX)));
    found.into_iter().map(|(_, binding)| binding).collect()
}

/// Commands that are shown at once on a screen so high: a page of them.
pub(super) fn rows(high: u16) -> u16 {
    (high / 2).clamp(6, 30).min(high.saturating_sub(6))
}

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect, query: &Field, chosen: usize) {
    let text = query.text();
    let found = found(app, &text);
    let note = counted(found.len() as u64, "command", "commands");
    let inner = sheet(
        pen,
        area,
        (96, rows(area.height).min(u16::try_from(found.len()).unwrap_or(u16::MAX).max(10)) + 3),
        "palette",
        &note,
    );
    let at = query.draw(pen, Rect { height: 1, ..inner }, Ink::Text, true);
    if query.is_empty() {
        pen.text(at + 2, inner.y, inner.width.saturating_sub(2), "any words of a command", Ink::Faint);
    }
    let body = Rect { y: inner.y + 2, height: inner.height.saturating_sub(2), ..inner };
    if found.is_empty() {
        pen.text(body.x, body.y, body.width, "no command has these words", Ink::Quiet);
        return;
    }
    list::draw(pen, body, found.len(), Some(chosen), &|pen, index| {
        let ink = match fits(app, &found[index]) {
            false => Ink::Quiet,
            true if index == chosen => Ink::Time,
            true => Ink::Text,
        };
        vec![pen.span(found[index].name, ink)]
    });
    let from = list::first_shown(chosen, found.len(), body.height);
    for (y, binding) in (body.y..body.bottom()).zip(&found[from..]) {
        let keys = if fits(app, binding) { all_shown(binding.keys) } else { elsewhere(app, binding) };
        pen.right(Rect { width: body.width - 1, ..body }, y, &format!("  {keys}"), Ink::Place);
    }
}
