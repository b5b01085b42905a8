//! The diagnostics found so far, and how those in unfolded text are told in the text a person wrote.

use crate::codes::{self, CodeInfo};
use crate::expansion::{Expansions, Led, Origin};
use crate::expr::EvalError;
use wendax_source::{Code, Diagnostic, Edit, Label, Severity, Span};

/// So many are kept; a text that is no assembly at all would otherwise give one a character.
const MOST: usize = 2000;

#[derive(Debug, Clone, Default)]
pub struct Problems {
    found: Vec<Diagnostic>,
}

impl Problems {
    /// Nothing was found that keeps the text from being built.
    pub fn is_sound(&self) -> bool {
        self.found.iter().all(|found| found.severity != Severity::Problem)
    }

    /// Takes in a diagnostic.
    pub fn push(&mut self, diagnostic: Diagnostic) {
        if self.found.len() < MOST {
            self.found.push(diagnostic);
        } else {
            self.one_more(diagnostic.severity);
        }
    }

    /// One more of a kind is there, which is counted and not told.
    pub fn one_more(&mut self, severity: Severity) {
        counted(&mut self.found, severity, 1);
    }

    /// Something has been found on this very place already: one cause gives one problem.
    pub fn has(&self, span: Span) -> bool {
        self.found.iter().rev().take(8).any(|known| known.primary.span == span)
    }

    /// The last one found is of this kind.
    pub fn ends_with(&self, code: Code) -> bool {
        self.found.last().is_some_and(|found| found.code == code)
    }

    /// All of them, in the order they were found.
    pub fn list(&self) -> &[Diagnostic] {
        &self.found
    }

    /// Only so many of the first are left.
    pub fn truncate(&mut self, length: usize) {
        self.found.truncate(length);
    }

    /// Those from one on, to be told better.
    pub fn since_mut(&mut self, first: usize) -> &mut [Diagnostic] {
        self.found.get_mut(first..).unwrap_or_default()
    }

    /// Keeps those for which `wanted` is true.
    pub fn retain(&mut self, wanted: impl Fn(&Diagnostic) -> bool) {
        self.found.retain(wanted);
    }

    /// Puts another in the place of the one about a span.
    pub fn replace(&mut self, span: Span, diagnostic: Diagnostic) {
        if let Some(known) = self.found.iter_mut().find(|known| known.primary.span == span) {
            *known = diagnostic;
        }
    }
}

/// All diagnostics in order of place, each once.
pub fn in_order(mut found: Vec<Diagnostic>) -> Vec<Diagnostic> {
    let key = |diagnostic: &Diagnostic| {
        let span = diagnostic.primary.span;
        (span.file, span.start, diagnostic.severity, diagnostic.code, span.end)
    };
    found.sort_by_key(key);
    // A line of a macro is wrong once, however often it is unfolded.
    found.dedup_by_key(|diagnostic| key(diagnostic));
    for left in found.split_off(found.len().min(MOST)) {
        counted(&mut found, left.severity, 1 + left.more);
    }
    found
}

/// What is not told counts with the last that is told of its kind.
pub fn counted(found: &mut [Diagnostic], severity: Severity, more: u32) {
    if let Some(last) = found.iter_mut().rev().find(|found| found.severity == severity) {
        last.more = last.more.saturating_add(more);
    }
}

/// A diagnostic as told in the text a person wrote: in the body of the macro when that is to blame, in the
/// call when its argument is.
pub fn led_back(mut found: Diagnostic, expansions: &Expansions) -> Diagnostic {
    let place = found.primary.span;
    for other in &mut found.others {
        if let Some(led) = expansions.origin(other.span) {
            other.span = led.span;
        }
    }
    found.fix = found.fix.take().and_then(|mut fix| {
        fix.edits = fix.edits.into_iter().map(|edit| edit_back(edit, expansions)).collect::<Option<_>>()?;
        Some(fix)
    });
    let Some(Led { origin, span }) = expansions.origin(place) else { return found };
    let calls = expansions.calls(place);
    let call = calls.last().map_or(span, |expansion| expansion.call);
    let says_itself = [codes::OWN_ERROR.code, codes::OWN_ASSERT.code].contains(&found.code);
    let other = match origin {
        _ if says_itself => {
            found.primary.span = call;
            Label { span, text: "said here".to_owned() }
        }
        Origin::Body => {
            found.primary.span = span;
            Label { span: call, text: "unfolded from here".to_owned() }
        }
        Origin::Argument => {
            found.primary.span = span;
            let definition = calls.first().map_or(call, |expansion| expansion.definition);
            let definition = expansions.origin(definition).map_or(definition, |led| led.span);
            Label { span: definition, text: "given to this".to_owned() }
        }
    };
    found.others.push(other);
    found
}

/// An edit where a person wrote the text, if it stands there in one piece.
fn edit_back(edit: Edit, expansions: &Expansions) -> Option<Edit> {
    let span = edit.span;
    if span.file != expansions.file {
        return Some(edit);
    }
    // What is put in belongs behind the character before it.
    let is_empty = span.start == span.end;
    let covered = if is_empty { Span { start: span.start.checked_sub(1)?, ..span } } else { span };
    let text = expansions.text.get(covered.range())?;
    let led = expansions.origin(covered)?.span;
    let whole = led.end - led.start == covered.end - covered.start;
    (whole && text != "\n").then(|| Edit { span: if is_empty { led.after() } else { led }, ..edit })
}

/// A diagnostic of a kind.
pub fn diagnostic(info: CodeInfo, span: Span, message: impl Into<String>) -> Diagnostic {
    Diagnostic::new(info.code, info.severity, span, message)
}

/// What is told of an expression without a value, which is all of `span`; nothing when that was done before.
pub fn without_value(error: EvalError, span: Span) -> Option<Diagnostic> {
    Some(match error {
        EvalError::Reported => return None,
        EvalError::Division(place) => {
            diagnostic(codes::DIVISION, place, "this divides by zero").with_expected("a divisor that is not 0")
        }
        EvalError::Shift(place, by) => diagnostic(codes::RANGE, place, format!("nothing can be shifted by {by}"))
            .with_expected("a shift by 0 to 63"),
        EvalError::Overflow => diagnostic(codes::RANGE, span, "this value is far out of any range"),
        EvalError::Unplaced => unplaced(span),
        EvalError::NoWord(value) => {
            diagnostic(codes::RANGE, span, format!("`hi` and `lo` are the bytes of a word, and {value} is none"))
                .with_expected("a value from -32768 to 65535; `& 0xFF` and `>> 16` take bytes of larger ones")
        }
    })
}

/// An expression that only linking could compute.
pub fn unplaced(span: Span) -> Diagnostic {
    let found = diagnostic(codes::UNPLACED, span, "this computes with an address that only linking knows");
    found.with_expected("label + number, hi(label), lo(label), or the difference of two labels of one section")
}

/// A piece of a source as a message quotes it: its first line, cut where it is long.
pub fn quoted(text: &str) -> String {
    const MOST: usize = 40;
    let line = text.lines().next().unwrap_or_default();
    let is_cut = line.len() < text.trim_end().len() || line.chars().count() > MOST;
    if is_cut { format!("{}…", line.chars().take(MOST).collect::<String>()) } else { line.to_owned() }
}
