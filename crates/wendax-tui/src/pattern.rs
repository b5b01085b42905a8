//! What is searched for in texts: signs, whole words, or a pattern; in whatever case.

use regex::{Regex, RegexBuilder};
use std::ops::Range;

/// Places found in a file, at most.
pub(crate) const MOST: usize = 10_000;

/// Bytes of memory a pattern may take, compiled.
const LARGEST: usize = 1 << 20;

/// How what is written is meant.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Meant {
    /// As it is, parts of words too.
    #[default]
    Signs,
    /// As it is, whole words only.
    Words,
    /// As a regular expression.
    Pattern,
}

impl Meant {
    /// What Tab makes of it.
    pub(crate) fn next(self) -> Self {
        match self {
            Self::Signs => Self::Words,
            Self::Words => Self::Pattern,
            Self::Pattern => Self::Signs,
        }
    }

    /// In words, with what Tab leads to.
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Signs => "Tab: whole words only",
            Self::Words => "whole words only; Tab: a regular expression",
            Self::Pattern => "a regular expression; Tab: the signs as they are",
        }
    }
}

/// What is searched for, in whatever case.
#[derive(Debug, Clone)]
pub struct Pattern {
    regex: Regex,
    meant: Meant,
}

impl Pattern {
    /// # Errors
    ///
    /// In a sentence, when it is no regular expression and is meant as one, or too large a one.
    pub fn new(text: &str, meant: Meant) -> Result<Self, String> {
        let written = if meant == Meant::Pattern { text.to_owned() } else { regex::escape(text) };
        let regex = RegexBuilder::new(&written).case_insensitive(true).size_limit(LARGEST).build();
        let regex = regex.map_err(|error| match error {
            regex::Error::CompiledTooBig(_) => "the regular expression is too large".to_owned(),
            error => {
                // Its last line says what is wrong; those before show where.
                let told = error.to_string();
                let last = told.lines().last().unwrap_or_default();
                format!("this is no regular expression: {}", last.strip_prefix("error: ").unwrap_or(last))
            }
        })?;
        Ok(Self { regex, meant })
    }

    /// The places of a line, in bytes, that hold it; never one without a sign.
    fn bytes_in<'t>(&'t self, line: &'t str) -> impl Iterator<Item = Range<usize>> + 't {
        let is_word = |sign: Option<char>| sign.is_some_and(|sign| sign.is_alphanumeric() || sign == '_');
        let mut at = 0;
        std::iter::from_fn(move || {
            loop {
                let found = self.regex.find_at(line, at)?.range();
                let is_part =
                    is_word(line[..found.start].chars().next_back()) || is_word(line[found.end..].chars().next());
                let is_meant = !(found.is_empty() || self.meant == Meant::Words && is_part);
                let step = line[found.start..].chars().next().map_or(1, char::len_utf8);
                at = if is_meant { found.end } else { found.start + step };
                if is_meant {
                    return Some(found);
                }
                if at > line.len() {
                    return None;
                }
            }
        })
    }

    /// The places of a line, in characters, that hold it.
    pub fn in_line(&self, line: &str) -> Vec<Range<usize>> {
        let place = |byte: usize| if line.is_ascii() { byte } else { line[..byte].chars().count() };
        self.bytes_in(line).map(|found| place(found.start)..place(found.end)).collect()
    }

    /// The places of lines: the number of the line from 0, and where, in characters; at most [`MOST`].
    pub(crate) fn in_lines(&self, lines: impl Iterator<Item = String>) -> Vec<(usize, Range<usize>)> {
        let places = |(line, text): (usize, String)| self.in_line(&text).into_iter().map(move |range| (line, range));
        lines.enumerate().flat_map(places).take(MOST).collect()
    }

    /// What comes in the place of what begins at a character of a line: `with`, in which `$1` and `${name}` are groups when
    /// what is searched for is a regular expression.
    pub fn replacement(&self, line: &str, at: usize, with: &str) -> String {
        let byte = line.char_indices().nth(at).map_or(line.len(), |(byte, _)| byte);
        if self.meant != Meant::Pattern {
            return with.to_owned();
        }
        let mut text = String::new();
        match self.regex.captures_at(line, byte) {
            Some(groups) => groups.expand(with, &mut text),
            None => text.push_str(with),
        }
        text
    }
}
