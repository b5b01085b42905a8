//! The guide: everything the tables know, by word, with the keys among it.

use crate::keys::{BINDINGS, Context, shown};
use crate::state::{App, Overlay};
use nucleo_matcher::pattern::{AtomKind, CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher};
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
    for binding in BINDINGS {
        topics.push(Topic { word: key_words(binding.keys), title: format!("key: {}", binding.name) });
    }
    topics
}

fn key_words(keys: &[&str]) -> String {
    keys.iter().map(|key| shown(key)).collect::<Vec<_>>().join(" ")
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
    if let Some(binding) = BINDINGS.iter().find(|binding| topic.title == format!("key: {}", binding.name)) {
        let when = match binding.context {
            Context::Walk => "while walking",
            Context::Write => "while writing",
            Context::Both => "while walking and writing",
        };
        let title = format!("{}: {}", topic.word, binding.name);
        return vec![GuideEntry { title, lines: vec![when.to_owned()], example: None }];
    }
    guide(&topic.word)
}

impl App {
    /// Opens the guide at what is under the cursor.
    pub(crate) fn open_guide(&mut self) {
        let word = self.word_for_guide();
        let chosen =
            found("").iter().position(|topic| topic.word.trim_start_matches('.') == word.trim_start_matches('.'));
        self.overlay = Some(Overlay::Guide { query: String::new(), chosen: chosen.unwrap_or(0), scroll: 0 });
    }

    /// The number of the problem on the line, or the word under the cursor that the guide knows, or the first of its
    /// line.
    fn word_for_guide(&self) -> String {
        let (line, column) = self.editor.cursor();
        if let Some((diagnostic, _)) = self.diagnostics_on(line).next() {
            return diagnostic.code.to_string();
        }
        let text = self.editor.line(line);
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
