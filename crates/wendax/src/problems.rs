//! Problems as they leave the tool: text for people, or a JSON object a line for other tools.

use crate::Failure;
use crate::cli::Problems;
use serde::Serialize;
use std::io::IsTerminal;
use std::path::Path;
use wendax_source::{Diagnostic, Grade, Label, Sources, Span, Style, is_hidden, render_all};

#[derive(Serialize)]
struct Place<'a> {
    file: &'a str,
    /// From 1; columns are counted in characters.
    line: u32,
    column: u32,
    end_line: u32,
    end_column: u32,
}

#[derive(Serialize)]
struct Problem<'a> {
    #[serde(flatten)]
    place: Place<'a>,
    severity: &'static str,
    code: String,
    message: &'a str,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    others: Vec<Other<'a>>,
    #[serde(skip_serializing_if = "<[_]>::is_empty")]
    right: &'a [String],
    #[serde(skip_serializing_if = "Option::is_none")]
    fix: Option<Mend<'a>>,
    /// So many more of its kind that are not told one by one.
    #[serde(skip_serializing_if = "is_none")]
    more: u32,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "as the serialiser calls it")]
fn is_none(count: &u32) -> bool {
    *count == 0
}

#[derive(Serialize)]
struct Other<'a> {
    #[serde(flatten)]
    place: Place<'a>,
    text: &'a str,
}

#[derive(Serialize)]
struct Mend<'a> {
    grade: &'static str,
    title: &'a str,
    edits: Vec<Change<'a>>,
}

#[derive(Serialize)]
struct Change<'a> {
    #[serde(flatten)]
    place: Place<'a>,
    text: &'a str,
}

fn place(sources: &Sources, span: Span) -> Place<'_> {
    let file = sources.file(span.file);
    let (from, to) = (file.place(span.start), file.place(span.end));
    Place { file: file.name(), line: from.line, column: from.column, end_line: to.line, end_column: to.column }
}

fn as_json(sources: &Sources, found: &Diagnostic) -> String {
    let others = found.others.iter().map(|Label { span, text }| Other { place: place(sources, *span), text });
    let fix = found.fix.as_ref().map(|fix| Mend {
        grade: if fix.grade == Grade::Certain { "certain" } else { "guess" },
        title: &fix.title,
        edits: fix.edits.iter().map(|edit| Change { place: place(sources, edit.span), text: &edit.text }).collect(),
    });
    let problem = Problem {
        place: place(sources, found.primary.span),
        severity: found.severity.word(),
        code: found.code.to_string(),
        message: &found.message,
        others: others.collect(),
        right: &found.expected,
        fix,
        more: found.more,
    };
    escaped(&serde_json::to_string(&problem).unwrap_or_default())
}

/// A source that cannot be read, as the problem of a file that cannot be had.
pub(crate) fn unread(path: &Path, failure: Failure, form: Problems) -> Failure {
    if form == Problems::Text {
        return failure;
    }
    let file = path.display().to_string();
    // The text begins with the name, and where it is known with the line.
    let text = failure.text.strip_prefix(&file).and_then(|text| text.strip_prefix(':')).unwrap_or(&failure.text);
    let (line, message) = match text.split_once(':') {
        Some((line, message)) if line.parse::<u32>().is_ok() => (line.parse().unwrap_or(1), message),
        _ => (1, text),
    };
    let problem = Problem {
        place: Place { file: &file, line, column: 1, end_line: line, end_column: 1 },
        severity: wendax_source::Severity::Problem.word(),
        code: wendax_language::UNREADABLE.to_string(),
        message: message.trim(),
        others: Vec::new(),
        right: &[],
        fix: None,
        more: 0,
    };
    Failure { text: escaped(&serde_json::to_string(&problem).unwrap_or_default()), is_rendered: true, ..failure }
}

/// JSON in which what would do something to a terminal is escaped (RFC 8259, 7): it says the same.
fn escaped(json: &str) -> String {
    let mut out = String::with_capacity(json.len());
    for c in json.chars() {
        if is_hidden(c) {
            let mut units = [0; 2];
            c.encode_utf16(&mut units).iter().for_each(|unit| out.push_str(&format!("\\u{unit:04x}")));
        } else {
            out.push(c);
        }
    }
    out
}

/// All of them, ready to be written to standard error.
pub(crate) fn told(sources: &Sources, found: &[Diagnostic], form: Problems) -> String {
    match form {
        Problems::Text => render_all(sources, found, style()),
        Problems::Json => found.iter().map(|found| as_json(sources, found) + "\n").collect(),
    }
}

/// How text is rendered on standard error.
fn style() -> Style {
    let plain = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
    if std::io::stderr().is_terminal() && !plain { Style::Coloured } else { Style::Plain }
}
