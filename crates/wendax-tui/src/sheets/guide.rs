//! The guide: everything the tables know, by word, with the keys among it.

use super::sheet;
use crate::app::App;
use crate::cells::{fitted, width};
use crate::commands::bindings;
use crate::keys::{Binding, all_shown};
use crate::panes::{self, PaneId};
use crate::parts::field::Field;
use crate::parts::pen::Pen;
use crate::parts::{list, text};
use crate::sheet::{Reading, Sheet};
use crate::theme::Ink;
use nucleo_matcher::pattern::{AtomKind, CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher};
use ratatui::layout::Rect;
use std::sync::OnceLock;
use wendax_image::LineKind;
use wendax_isa::Target;
use wendax_language::{GuideEntry, code_apart, guide, guide_other_words, guide_words, lexemes};

/// A word of the guide.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Topic {
    /// The word by itself.
    pub word: String,
    /// What it is, in one line.
    pub title: String,
    /// What people call it.
    called: String,
    /// The word and what people call it, in small letters.
    others: String,
}

impl Topic {
    fn new(word: String, title: String, machine: &Target) -> Self {
        let called = guide_other_words(&word, machine);
        let others = format!("{word} {called}").to_lowercase();
        Self { word, title, called, others }
    }
}

/// All words: topics, those of a machine's language, panes, keys. They are those of constant tables.
pub fn topics(machine: &'static Target) -> &'static [Topic] {
    static ALL: [OnceLock<Vec<Topic>>; 2] = [const { OnceLock::new() }; 2];
    let kept = wendax_isa::targets().into_iter().zip(&ALL).find(|(known, _)| *known == machine);
    kept.map_or(&[], |(_, topics)| topics.get_or_init(|| gathered(machine)))
}

fn gathered(machine: &Target) -> Vec<Topic> {
    let mut topics: Vec<Topic> = Vec::new();
    // What someone new looks for comes first.
    let mut kinds = guide_words(machine);
    kinds.sort_by_key(|(kind, _)| *kind != "topics");
    for (_, words) in kinds {
        for word in words {
            let title = guide(&word, machine).first().map_or(String::new(), |entry| entry.title.clone());
            topics.push(Topic::new(word, title, machine));
        }
    }
    for (id, pane) in panes::all() {
        topics.push(Topic::new(pane_word(id), format!("pane: {}", pane.about()), machine));
    }
    for binding in bindings().filter(|binding| !binding.keys.is_empty()) {
        topics.push(Topic::new(all_shown(binding.keys), format!("key: {}", binding.name), machine));
    }
    topics
}

fn pane_word(id: PaneId) -> String {
    format!("pane {}", id.pane().name())
}

/// Words that fit a query, best first: the word itself, words that begin so, then any whose title fits.
pub fn found(query: &str, machine: &'static Target) -> Vec<&'static Topic> {
    let all = topics(machine);
    let wanted = query.trim().to_lowercase();
    if wanted.is_empty() {
        return all.iter().collect();
    }
    let mut matcher = Matcher::new(Config::DEFAULT);
    let pattern = Pattern::new(&wanted, CaseMatching::Ignore, Normalization::Smart, AtomKind::Substring);
    let mut ranked: Vec<(u32, &Topic)> = Vec::new();
    for topic in all {
        let word = topic.word.to_lowercase();
        let plain = word.trim_start_matches('.');
        let rank = if plain == wanted || word == wanted {
            Some(u32::MAX)
        } else if plain.starts_with(&wanted) {
            Some(u32::MAX - 1)
        } else {
            if wanted.split_whitespace().all(|word| topic.others.split(' ').any(|known| known == word)) {
                // A topic says more of what people ask for than a word does.
                let is_topic = topic.title.starts_with("about ");
                ranked.push((if is_topic { u32::MAX - 1 } else { u32::MAX - 2 }, topic));
                continue;
            }
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
pub fn entries(topic: &Topic, machine: &Target) -> Vec<GuideEntry> {
    let is_it = |binding: &&Binding| topic.word == all_shown(binding.keys) && topic.title.ends_with(binding.name);
    if let Some(binding) = bindings().find(is_it) {
        let when: Vec<&str> = binding.contexts.iter().map(|context| context.words()).collect();
        let title = format!("{}: {}", topic.word, binding.name);
        return vec![GuideEntry { title, lines: vec![when.join(", ")], example: None, see: Vec::new() }];
    }
    if let Some((id, pane)) = panes::all().find(|(id, _)| topic.word == pane_word(*id)) {
        let title = format!("the pane “{}”", id.pane().name());
        return vec![GuideEntry {
            title,
            lines: vec![pane.about().to_owned()],
            example: None,
            see: vec!["screen".to_owned()],
        }];
    }
    guide(&topic.word, machine)
}

impl Reading {
    /// Opened at a word, by its plain spelling.
    fn at(word: &str, machine: &'static Target) -> Self {
        Self {
            machine,
            query: Field::default(),
            chosen: place_of(word, machine),
            scroll: 0,
            reference: 0,
            before: Vec::new(),
            here: Vec::new(),
            word: word.to_owned(),
        }
    }

    /// The word that is read.
    fn topic(&self) -> Option<&'static Topic> {
        found(&self.query.text(), self.machine).get(self.chosen).copied()
    }

    /// The words that what is read leads to.
    fn references(&self) -> Vec<String> {
        let mut words: Vec<String> = Vec::new();
        let entries = self.topic().map_or(Vec::new(), |topic| entries(topic, self.machine));
        for word in entries.into_iter().flat_map(|entry| entry.see) {
            if !words.contains(&word) {
                words.push(word);
            }
        }
        words
    }

    /// Chooses the next reference, or none after the last.
    pub(crate) fn next_reference(&mut self) {
        let count = self.references().len();
        self.reference = if self.reference < count { self.reference + 1 } else { 0 };
    }

    /// Goes to the reference that is chosen; true when there is one.
    pub(crate) fn follow(&mut self) -> bool {
        let Some(word) = self.reference.checked_sub(1).and_then(|index| self.references().into_iter().nth(index))
        else {
            return false;
        };
        self.before.extend(self.topic().map(|topic| topic.word.clone()));
        self.query = Field::default();
        (self.chosen, self.scroll, self.reference) = (place_of(&word, self.machine), 0, 0);
        true
    }

    /// Goes back to the word read before; true when there is one.
    pub(crate) fn back(&mut self) -> bool {
        let Some(word) = self.before.pop() else { return false };
        self.query = Field::default();
        (self.chosen, self.scroll, self.reference) = (place_of(&word, self.machine), 0, 0);
        true
    }

    /// An example of what is read, to be put into the text.
    pub(crate) fn example(&self) -> Option<String> {
        let found = found(&self.query.text(), self.machine);
        entries(found.get(self.chosen)?, self.machine).into_iter().find_map(|entry| entry.example)
    }
}

/// The place of a word among all of the guide.
fn place_of(word: &str, machine: &'static Target) -> usize {
    let plain = |text: &str| text.trim_start_matches('.').to_owned();
    topics(machine).iter().position(|topic| plain(&topic.word) == plain(word)).unwrap_or(0)
}

pub(super) fn draw(pen: &mut Pen<'_>, area: Rect, reading: &Reading) {
    let query = reading.query.text();
    let found = found(&query, reading.machine);
    let body = sheet(pen, area, (area.width, area.height - 2), "guide", "everything there is");
    let at = reading.query.draw(pen, Rect { height: 1, ..body }, Ink::Text, true);
    if query.is_empty() {
        pen.text(at + 2, body.y, body.width.saturating_sub(2), "a word, or what it should do", Ink::Faint);
    }
    let body = Rect { y: body.y + 2, height: body.height.saturating_sub(2), ..body };
    let wide = (body.width * 36 / 100).clamp(22, 56);
    let index = Rect { width: wide, ..body };
    list::draw(pen, index, found.len(), Some(reading.chosen), &|pen, index| {
        let topic = found[index];
        let ink = if index == reading.chosen { Ink::Time } else { Ink::Place };
        let meaning = topic.title.split_once(": ").map_or(topic.called.as_str(), |(_, meaning)| meaning);
        let room = wide.saturating_sub(width(&topic.word) + 5);
        vec![pen.span(topic.word.clone(), ink), pen.span(format!(" {}", fitted(meaning, room)), Ink::Faint)]
    });
    let page = Rect { x: index.right() + 2, width: body.width.saturating_sub(index.width + 3), ..body };
    let Some(topic) = found.get(reading.chosen) else {
        pen.text(page.x, page.y, page.width, "the guide has nothing with these words", Ink::Quiet);
        return;
    };
    let mut said = lines(topic, reading.machine);
    if topic.word.trim_start_matches('.') == reading.word.trim_start_matches('.') {
        said.extend(reading.here.iter().cloned());
    }
    let references = reading.references();
    let high = u16::from(!references.is_empty());
    let text = Rect { height: page.height.saturating_sub(2 * high), ..page };
    // Text is read best in lines that are not too long.
    let text = Rect { width: text.width.min(92), ..text };
    text::draw(pen, text, &text::wrapped(&said, text.width), reading.scroll);
    if references.is_empty() {
        return;
    }
    let y = page.bottom().saturating_sub(1);
    let mut x = pen.text(page.x, y, page.width, "see also  ", Ink::Quiet);
    for (index, word) in references.iter().enumerate() {
        let ink = if index + 1 == reading.reference { Ink::Time } else { Ink::Place };
        let sign = if index + 1 == reading.reference { "▸" } else { " " };
        let room = page.right().saturating_sub(x);
        if width(word) + 3 > room {
            break;
        }
        x = pen.text(x, y, room, &format!("{sign}{word}  "), ink);
    }
}

/// Lines of prose as paragraphs, to be broken anew; indented ones stay as they are.
fn paragraphs(lines: &[String]) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    let mut is_open = false;
    for line in lines {
        let is_prose = !line.is_empty() && !line.starts_with(' ');
        match out.last_mut().filter(|_| is_open && is_prose) {
            Some(last) => {
                last.push(' ');
                last.push_str(line);
            }
            None => out.push(line.clone()),
        }
        is_open = is_prose;
    }
    out
}

/// What is said of a topic, line by line.
fn lines(topic: &Topic, machine: &Target) -> Vec<(String, Ink)> {
    let mut lines: Vec<(String, Ink)> = Vec::new();
    for entry in entries(topic, machine) {
        lines.push((entry.title.clone(), Ink::Time));
        // An example that the lines end with is shown once, with what can be done with it.
        let example: Vec<&str> = entry.example.as_deref().unwrap_or_default().lines().map(str::trim).collect();
        let ends = entry.lines.len().checked_sub(example.len()).filter(|&at| {
            !example.is_empty() && entry.lines[at..].iter().map(|line| line.trim()).eq(example.iter().copied())
        });
        let said = &entry.lines[..ends.unwrap_or(entry.lines.len())];
        if entry.title.starts_with("about ") {
            lines.extend(paragraphs(said).into_iter().map(|line| (line, Ink::Text)));
        } else {
            lines.extend(said.iter().map(|line| (line.clone(), Ink::Text)));
        }
        if let Some(example) = &entry.example {
            lines.push(("Ctrl-E puts this into the text:".to_owned(), Ink::Quiet));
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
        let mut reading = Reading::at(&word, self.machine());
        if self.screen.focus == PaneId::Source {
            reading.here = self.said_of_this_line();
        }
        self.screen.sheet = Some(Sheet::Guide(reading));
    }

    /// What can be said of the instruction under the cursor in this program: its code taken apart, and what it will do
    /// when it is next.
    fn said_of_this_line(&self) -> Vec<(String, Ink)> {
        let line = self.editor().cursor().0;
        let parts = self.world.parts(self.screen.shown, line);
        let Some(part) = parts.get(self.part_under_cursor().unwrap_or(0)) else { return Vec::new() };
        let image = &self.world.program.assembly.image;
        let bytes = image.bytes(part.address, part.length);
        let drawn = code_apart(bytes, image.target);
        if drawn.is_empty() || part.kind != LineKind::Code {
            return Vec::new();
        }
        let mut said = vec![(format!("in your program, line {}", line + 1), Ink::Time)];
        said.extend(drawn.into_iter().map(|line| (line, Ink::Text)));
        let is_next = self.session().is_some_and(|session| session.present_address() == part.address);
        if let Some(explanation) = self.world.walk.explanation.as_ref().filter(|_| is_next) {
            said.push(("it comes next, with the present values:".to_owned(), Ink::Quiet));
            said.extend(explanation.sentences.iter().map(|line| (line.clone(), Ink::Text)));
        }
        said
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
        let words: Vec<std::ops::Range<usize>> =
            lexemes(&text, self.machine()).into_iter().map(|(range, _)| range).collect();
        let known = |range: &&std::ops::Range<usize>| !guide(&text[(*range).clone()], self.machine()).is_empty();
        let first = words.iter().find(known);
        // What is called tells more than that something is.
        let call = first.filter(|range| text[(*range).clone()].eq_ignore_ascii_case("sys"));
        let call = call.and_then(|sys| words.iter().find(|range| range.start > sys.start && known(range)));
        let here = words.iter().find(|range| range.start <= byte && byte <= range.end && known(range));
        here.or(call).or(first).map_or(String::new(), |range| text[range.clone()].to_lowercase())
    }
}
