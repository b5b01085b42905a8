//! The file of an exercise: text to questions, with what is wrong with it. `docs/exercises.md` says what it may hold.

use super::{Exercise, Question};
use toml::Spanned;
use toml::de::{DeTable, DeValue};
use wendax_source::not_known_here;

/// Larger files are no exercises.
const LARGEST: usize = 1 << 20;

/// Questions of one exercise, at most.
const MOST: usize = 200;

/// What a file may say, and what a question may.
const KEYS: [&str; 5] = ["title", "about", "program", "typed", "question"];
const QUESTION: [&str; 5] = ["ask", "at", "until", "guess", "hint"];

/// See [`Exercise::read`].
pub(super) fn read(text: &str) -> Result<Exercise, String> {
    if text.len() > LARGEST {
        return Err("an exercise of more than a megabyte is none".to_owned());
    }
    let line = |at: usize| text[..at.min(text.len())].matches('\n').count() + 1;
    let wrong = |at: usize, what: String| format!("line {}: {what}", line(at));
    let table = DeTable::parse(text).map_err(|error| {
        let at = error.span().map_or(0, |span| span.start);
        wrong(at, error.message().lines().next().unwrap_or_default().to_owned())
    })?;
    let mut exercise = Exercise::default();
    for (key, value) in table.get_ref() {
        let at = key.span().start;
        let name = key.get_ref().as_ref();
        known(name, &KEYS).map_err(|what| wrong(at, what))?;
        if name == "question" {
            let DeValue::Array(all) = value.get_ref() else {
                return Err(wrong(at, "questions are written as [[question]], each with its keys below".to_owned()));
            };
            for value in all {
                let DeValue::Table(table) = value.get_ref() else {
                    return Err(wrong(value.span().start, "expected a table: [[question]]".to_owned()));
                };
                exercise
                    .questions
                    .push(question(table).map_err(|(at, what)| wrong(at.unwrap_or(value.span().start), what))?);
            }
            continue;
        }
        let text = string(name, value).map_err(|what| wrong(value.span().start, what))?;
        match name {
            "title" => exercise.title = text,
            "about" => exercise.about = text,
            "program" => exercise.program = text,
            _ => exercise.typed = text,
        }
    }
    match exercise.questions.len() {
        0 => Err("there is no question: write [[question]] with `ask`, `at` and `guess`".to_owned()),
        count if count > MOST => Err(format!("there are {count} questions; {MOST} at most are asked")),
        _ => Ok(exercise),
    }
}

fn question(table: &DeTable<'_>) -> Result<Question, (Option<usize>, String)> {
    let mut question = Question::default();
    for (key, value) in table {
        let name = key.get_ref().as_ref();
        known(name, &QUESTION).map_err(|what| (Some(key.span().start), what))?;
        let text = string(name, value).map_err(|what| (Some(value.span().start), what))?;
        match name {
            "ask" => question.ask = text,
            "at" => question.at = Some(text),
            "until" => question.until = Some(text),
            "guess" => question.guess = text,
            _ => question.hint = text,
        }
    }
    for (name, text) in [("ask", &question.ask), ("guess", &question.guess)] {
        if text.trim().is_empty() {
            return Err((None, format!("a question needs `{name}`")));
        }
    }
    Ok(question)
}

fn string(name: &str, value: &Spanned<DeValue<'_>>) -> Result<String, String> {
    match value.get_ref() {
        DeValue::String(text) => Ok(text.to_string()),
        _ => Err(format!("`{name}` takes a text in quotation marks")),
    }
}

fn known(name: &str, names: &[&str]) -> Result<(), String> {
    if names.contains(&name) {
        return Ok(());
    }
    Err(not_known_here(name, names))
}
