//! What is wrong with a text, as data.
//!
//! A diagnostic says what is there, where, what was expected, and how to mend it where that can be
//! known. The terminal, the command line and other readers show the same value.

use crate::Span;

/// A diagnostic's number, shown as `W` and three digits. Each number stands for one kind of cause.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Code(pub u16);

impl std::fmt::Display for Code {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "W{:03}", self.0)
    }
}

/// How much a diagnostic matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Severity {
    /// Nothing can be built until this is mended.
    Problem,
    /// It builds, but will most likely not do what was meant.
    Warning,
    /// It builds and works; something could be clearer.
    Hint,
}

impl Severity {
    /// The word it is shown with.
    pub fn word(self) -> &'static str {
        match self {
            Self::Problem => "problem",
            Self::Warning => "warning",
            Self::Hint => "hint",
        }
    }
}

/// A place with a few words about it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Label {
    /// The place.
    pub span: Span,
    /// What about it.
    pub text: String,
}

/// Text put in the place of a span.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Edit {
    /// What is replaced; empty to insert.
    pub span: Span,
    /// What comes there.
    pub text: String,
}

/// How sure it is that a change is what was meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Grade {
    /// The text can mean nothing else: it may be changed unattended.
    Certain,
    /// One of several things that can have been meant: a person decides, at its place.
    Guess,
}

/// A change that mends a diagnostic.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fix {
    /// How sure it is.
    pub grade: Grade,
    /// What it does, as an order: `put a comma after r0`.
    pub title: String,
    /// The edits; they do not overlap.
    pub edits: Vec<Edit>,
}

/// One thing wrong with a source text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Diagnostic {
    /// Which kind of cause.
    pub code: Code,
    /// How much it matters.
    pub severity: Severity,
    /// What is there, in one line.
    pub message: String,
    /// The place the caret goes under, and a few words about it (may be empty).
    pub primary: Label,
    /// Other places that belong to it.
    pub others: Vec<Label>,
    /// What would be right there: correct forms, one an entry.
    pub expected: Vec<String>,
    /// A change that mends it.
    pub fix: Option<Fix>,
    /// So many more of its kind follow that are not told one by one.
    pub more: u32,
}

/// Words that a person reads: of what quotes a name or a number without end, beginning and end.
fn brief(text: String) -> String {
    /// So many signs are left of longer ones.
    const LONGEST: usize = 600;
    const END: usize = 200;
    if text.len() <= LONGEST {
        return text;
    }
    let count = text.chars().count();
    if count <= LONGEST {
        return text;
    }
    let begin = text.chars().take(LONGEST - END - 1);
    begin.chain(['…']).chain(text.chars().skip(count - END)).collect()
}

impl Diagnostic {
    /// A diagnostic about `span`.
    pub fn new(code: Code, severity: Severity, span: Span, message: impl Into<String>) -> Self {
        Self {
            code,
            severity,
            message: brief(message.into()),
            primary: Label { span, text: String::new() },
            others: Vec::new(),
            expected: Vec::new(),
            fix: None,
            more: 0,
        }
    }

    /// How many it stands for.
    pub fn count(&self) -> usize {
        1 + self.more as usize
    }

    /// The same with words at the caret.
    #[must_use]
    pub fn with_label(mut self, text: impl Into<String>) -> Self {
        self.primary.text = brief(text.into());
        self
    }

    /// The same with another place that belongs to it.
    #[must_use]
    pub fn with_other(mut self, span: Span, text: impl Into<String>) -> Self {
        self.others.push(Label { span, text: brief(text.into()) });
        self
    }

    /// The same with a correct form.
    #[must_use]
    pub fn with_expected(mut self, form: impl Into<String>) -> Self {
        self.expected.push(brief(form.into()));
        self
    }

    /// The same with a certain fix that replaces `span` by `text`.
    #[must_use]
    pub fn with_fix(self, title: impl Into<String>, span: Span, text: impl Into<String>) -> Self {
        self.with_change(Grade::Certain, title, vec![Edit { span, text: text.into() }])
    }

    /// The same with a guess that replaces `span` by `text`.
    #[must_use]
    pub fn with_guess(self, title: impl Into<String>, span: Span, text: impl Into<String>) -> Self {
        self.with_change(Grade::Guess, title, vec![Edit { span, text: text.into() }])
    }

    /// The same with a change of this grade, which may be in several places.
    #[must_use]
    pub fn with_change(mut self, grade: Grade, title: impl Into<String>, edits: Vec<Edit>) -> Self {
        self.fix = Some(Fix { grade, title: brief(title.into()), edits });
        self
    }
}

/// The text with `edits` carried out. Edits that overlap an earlier one, or do not fit the text, are
/// left out, so that no combination of fixes can damage a text.
pub fn apply_edits(text: &str, edits: &[Edit]) -> String {
    let mut sorted: Vec<&Edit> = edits.iter().collect();
    sorted.sort_by_key(|edit| (edit.span.start, edit.span.end));
    let mut result = String::with_capacity(text.len() + 16);
    let mut done = 0;
    for edit in sorted {
        let range = edit.span.range();
        if range.start < done || text.get(range.clone()).is_none() {
            continue;
        }
        result.push_str(&text[done..range.start]);
        result.push_str(&edit.text);
        done = range.end;
    }
    result.push_str(&text[done..]);
    result
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::FileId;

    fn edit(start: usize, end: usize, text: &str) -> Edit {
        Edit { span: Span::new(FileId(0), start, end), text: text.into() }
    }

    #[test]
    fn what_is_told_stays_readable_however_long_a_name_is() {
        let name = "ä".repeat(100_000);
        let span = Span::new(FileId(0), 0, 1);
        let found =
            Diagnostic::new(Code(1), Severity::Problem, span, format!("`{name}` is no name")).with_expected(&name);
        assert_eq!(found.message.chars().count(), 600);
        assert!(found.message.starts_with("`ää") && found.message.ends_with("ä` is no name"));
        assert_eq!(found.expected[0].chars().count(), 600);
        let fix = Diagnostic::new(Code(1), Severity::Hint, span, "short").with_guess("write it", span, name.clone());
        assert_eq!(fix.fix.map(|fix| fix.edits[0].text.clone()), Some(name), "what is put in is whole");
    }

    #[test]
    fn edits_apply_in_order_and_overlaps_are_dropped() {
        let edits = [edit(4, 5, "Z"), edit(0, 1, "A"), edit(1, 1, ","), edit(0, 3, "no"), edit(90, 91, "no")];
        assert_eq!(apply_edits("abcde", &edits), "A,bcdZ");
    }

    #[test]
    fn an_edit_inside_a_character_is_dropped() {
        assert_eq!(apply_edits("ö", &[edit(1, 2, "x")]), "ö");
    }
}
