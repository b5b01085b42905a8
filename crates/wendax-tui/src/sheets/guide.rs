//! The guide: everything the tables know, by word, with the keys among it.

use super::{Sheet, sheet};
use crate::app::App;
use crate::cells::{fitted, width};
use crate::keys::{BINDINGS, Binding, all_shown};
use crate::panes::{self, PaneId};
use crate::parts::field::Field;
use crate::parts::pen::Pen;
use crate::parts::{list, text};
use crate::theme::Ink;
use nucleo_matcher::pattern::{AtomKind, CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher};
use ratatui::layout::Rect;
use wendax_asm::{GuideEntry, guide, guide_words, lexemes};

/// A word of the guide.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Topic {
    pub(crate) word: String,
    /// What it is, in one line.
    pub(crate) title: String,
}

/// All words, those of the language first, then the keys.
fn topics() -> Vec<Topic> {
    let mut topics: Vec<Topic> = Vec::new();
    for (_, words) in guide_words() {
        for word in words {
            let title = guide(&word).first().map_or(String::new(), |entry| entry.title.clone());
            topics.push(Topic { word, title });
        }
    }
    for (id, pane) in panes::all() {
        topics.push(Topic { word: pane_word(id), title: format!("pane: {}", pane.about()) });
    }
    for binding in BINDINGS.iter().filter(|binding| !binding.keys.is_empty()) {
        topics.push(Topic { word: all_shown(binding.keys), title: format!("key: {}", binding.name) });
    }
    topics
}

fn pane_word(id: PaneId) -> String {
    format!("pane {}", id.pane().name())
}

/// Words that fit a query, best first: the word itself, words that begin so, then any whose title fits.
pub(crate) fn found(query: &str) -> Vec<Topic> {
    let all = topics();
    let wanted = query.trim().to_lowercase();
    if wanted.is_empty() {
        return all;
    }
    let mut matcher = Matcher::new(Config::DEFAULT);
    let pattern = Pattern::new(&wanted, CaseMatching::Ignore, Normalization::Smart, AtomKind::Substring);
    let mut ranked: Vec<(u32, Topic)> = Vec::new();
    for topic in all {
        let word = topic.word.to_lowercase();
        let plain = word.trim_start_matches('.');
        let rank = if plain == wanted || word == wanted {
            Some(u32::MAX)
        } else if plain.starts_with(&wanted) {
            Some(u32::MAX - 1)
        } else {
            let line = format!("{} {}", topic.word, topic.title);
            let mut buffer = Vec::new();
            pattern.score(nucleo_matcher::Utf32Str::new(&line, &mut buffer), &mut matcher)
        };
        ranked.extend(rank.map(|rank| (rank, topic)));
    }
    ranked.sort_by_key(|(rank, _)| std::cmp::Reverse(*rank));
    ranked.into_iter().map(|(_, topic)| topic).collect()
}

/// What is said of a word.
pub(crate) fn entries(topic: &Topic) -> Vec<GuideEntry> {
    let is_it = |binding: &&Binding| topic.word == all_shown(binding.keys) && topic.title.ends_with(binding.name);
    if let Some(binding) = BINDINGS.iter().find(is_it) {
        let when: Vec<&str> = binding.contexts.iter().map(|context| context.words()).collect();
        let title = format!("{}: {}", topic.word, binding.name);
        return vec![GuideEntry { title, lines: vec![when.join(", ")], example: None }];
    }
    if let Some((id, pane)) = panes::all().find(|(id, _)| topic.word == pane_word(*id)) {
        let title = format!("the pane “{}”", id.pane().name());
        return vec![GuideEntry { title, lines: vec![pane.about().to_owned()], example: None }];
    }
    guide(&topic.word)
}

/// What is read in the guide.
#[derive(Debug, Clone, Default)]
pub(crate) struct Reading {
    pub(crate) query: Field,
    pub(crate) chosen: usize,
    /// Lines the page is scrolled by.
    pub(crate) scroll: usize,
}

impl Reading {
    /// Opened at a word, by its plain spelling.
    fn at(word: &str) -> Self {
        let plain = |text: &str| text.trim_start_matches('.').to_owned();
        let chosen = found("").iter().position(|topic| plain(&topic.word) == plain(word)).unwrap_or(0);
        Self { chosen, ..Self::default() }
    }

    /// An example of what is read, to be put into the text.
    pub(crate) fn example(&self) -> Option<String> {
        let found = found(&self.query.text());
        entries(found.get(self.chosen)?).into_iter().find_map(|entry| entry.example)
    }
}

pub(super) fn draw(pen: &mut Pen<'_>, area: Rect, reading: &Reading) {
    let query = reading.query.text();
    let found = found(&query);
    let body = sheet(pen, area, (area.width, area.height - 2), "guide", "everything there is");
    let at = reading.query.draw(pen, Rect { height: 1, ..body }, Ink::Text, true);
    if query.is_empty() {
        pen.text(at + 2, body.y, body.width.saturating_sub(2), "a word, or what it should do", Ink::Faint);
    }
    let body = Rect { y: body.y + 2, height: body.height.saturating_sub(2), ..body };
    let wide = (body.width * 36 / 100).clamp(22, 56);
    let index = Rect { width: wide, ..body };
    list::draw(pen, index, found.len(), Some(reading.chosen), &|pen, index| {
        let topic = &found[index];
        let ink = if index == reading.chosen { Ink::Time } else { Ink::Place };
        let meaning = topic.title.split_once(": ").map_or("", |(_, meaning)| meaning);
        let room = wide.saturating_sub(width(&topic.word) + 5);
        vec![pen.span(topic.word.clone(), ink), pen.span(format!(" {}", fitted(meaning, room)), Ink::Faint)]
    });
    let page = Rect { x: index.right() + 2, width: body.width.saturating_sub(index.width + 3), ..body };
    let Some(topic) = found.get(reading.chosen) else {
        pen.text(page.x, page.y, page.width, "the guide has nothing with these words", Ink::Quiet);
        return;
    };
    text::draw(pen, page, &text::wrapped(&lines(topic), page.width), reading.scroll);
}

/// What is said of a topic, line by line.
fn lines(topic: &Topic) -> Vec<(String, Ink)> {
    let mut lines: Vec<(String, Ink)> = Vec::new();
    for entry in entries(topic) {
        lines.push((entry.title.clone(), Ink::Time));
        // An example that the lines end with is shown once, with what can be done with it.
        let example: Vec<&str> = entry.example.as_deref().unwrap_or_default().lines().map(str::trim).collect();
        let ends = entry.lines.len().checked_sub(example.len()).filter(|&at| {
            !example.is_empty() && entry.lines[at..].iter().map(|line| line.trim()).eq(example.iter().copied())
        });
        let said = &entry.lines[..ends.unwrap_or(entry.lines.len())];
        lines.extend(said.iter().map(|line| (line.clone(), Ink::Text)));
        if let Some(example) = &entry.example {
            lines.push(("Enter puts this into the text:".to_owned(), Ink::Quiet));
            lines.extend(example.lines().map(|line| (line.to_owned(), Ink::Agreement)));
        }
        lines.push((String::new(), Ink::Text));
    }
    lines
}

impl App {
    /// Opens the guide at what is under the cursor.
    pub(crate) fn open_guide(&mut self) {
        let word = match self.screen.focus {
            PaneId::Source => self.word_for_guide(),
            pane => pane_word(pane),
        };
        self.screen.sheet = Some(Sheet::Guide(Reading::at(&word)));
    }

    /// The number of the problem on the line, or the word under the cursor that the guide knows, or the first of its
    /// line.
    fn word_for_guide(&self) -> String {
        let (line, column) = self.editor().cursor();
        if let Some((diagnostic, _)) = self.world.diagnostics_on(self.screen.shown, line).next() {
            return diagnostic.code.to_string();
        }
        let text = self.editor().line(line);
        let byte = text.char_indices().nth(column).map_or(text.len(), |(at, _)| at);
        let words: Vec<std::ops::Range<usize>> = lexemes(&text).into_iter().map(|(range, _)| range).collect();
        let known = |range: &&std::ops::Range<usize>| !guide(&text[(*range).clone()]).is_empty();
        let first = words.iter().find(known);
        // What is called tells more than that something is.
        let call = first.filter(|range| text[(*range).clone()].eq_ignore_ascii_case("sys"));
        let call = call.and_then(|sys| words.iter().find(|range| range.start > sys.start && known(range)));
        let here = words.iter().find(|range| range.start <= byte && byte <= range.end && known(range));
        here.or(call).or(first).map_or(String::new(), |range| text[range.clone()].to_lowercase())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_found_by_themselves_by_beginnings_and_by_meaning() {
        let first = |query: &str| found(query).first().map(|topic| topic.word.clone()).unwrap_or_default();
        assert_eq!(first("ldw"), "ldw");
        assert_eq!(first("SPACE"), ".space");
        assert_eq!(first("W031"), "W031");
        assert_eq!(first("breakpoint this line"), "b");
        assert!(found("zzzzzz").is_empty());
        for topic in found("") {
            assert!(!entries(&topic).is_empty(), "{topic:?}");
        }
    }
}
