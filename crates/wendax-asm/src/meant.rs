//! Warnings and hints that are meant so: a remark at their line, or a key of the manifest, says why, and they are told no
//! more.
//!
//! `; meant W050: its texts stand behind the call` hushes what W050 tells of that line. Nothing is hushed without a
//! reason, and no problem ever. A remark that hushes nothing is told: what it was for is gone.

use crate::codes;
use crate::lexer::comment_start;
use crate::problems::diagnostic;
use crate::syntax::Syntax;
use wendax_source::{Code, Diagnostic, FileId, Severity, Sources, Span};

/// Something that was found and is meant so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Meant {
    /// What would have been told.
    pub found: Diagnostic,
    /// Why it is meant, as the remark or the manifest says.
    pub why: String,
}

/// A kind of warning or hint that a manifest hushes, why, and where it says so.
pub type MeantKind = (Code, String, Span);

/// A remark of a line.
struct Remark {
    file: FileId,
    line: u32,
    code: Code,
    why: String,
    /// Where the code stands in it.
    span: Span,
    is_used: bool,
}

/// Parts what was found into what is told and what is meant.
pub(crate) fn hush(
    sources: &Sources,
    files: &[FileId],
    kinds: &[MeantKind],
    syntax: Syntax,
    found: Vec<Diagnostic>,
) -> (Vec<Diagnostic>, Vec<Meant>) {
    let mut remarks: Vec<Remark> = files.iter().flat_map(|file| remarks(sources, *file, syntax)).collect();
    if remarks.is_empty() && kinds.is_empty() {
        return (found, Vec::new());
    }
    let is_sound = found.iter().all(|found| found.severity != Severity::Problem);
    let (mut told, mut meant) = (Vec::new(), Vec::new());
    let mut used_kinds = vec![false; kinds.len()];
    for found in found {
        let place = found.primary.span;
        let line = sources.file(place.file).line_of(place.start);
        let is_here = |remark: &&mut Remark| {
            (remark.file, remark.line, remark.code) == (place.file, line, found.code) && !remark.why.is_empty()
        };
        let remark = remarks.iter_mut().find(is_here).filter(|_| found.severity != Severity::Problem);
        let kind =
            kinds.iter().position(|(code, ..)| *code == found.code).filter(|_| found.severity != Severity::Problem);
        let why = match (remark, kind) {
            (Some(remark), _) => {
                remark.is_used = true;
                remark.why.clone()
            }
            (None, Some(kind)) => {
                used_kinds[kind] = true;
                kinds[kind].1.clone()
            }
            (None, None) => {
                told.push(found);
                continue;
            }
        };
        meant.push(Meant { found, why });
    }
    for remark in &remarks {
        told.extend(about(remark.code, &remark.why, remark.span, remark.is_used || !is_sound));
    }
    for ((code, why, span), is_used) in kinds.iter().zip(used_kinds) {
        told.extend(about(*code, why, *span, is_used || !is_sound));
    }
    (told, meant)
}

/// What is wrong with a remark, if anything.
fn about(code: Code, why: &str, span: Span, is_used: bool) -> Option<Diagnostic> {
    let known = codes::CODES.iter().find(|info| info.code == code);
    let (message, right) = match known {
        None => {
            (format!("there is no `{code}`"), "a kind of warning or hint, such as W060: `wendax guide W060`".to_owned())
        }
        Some(info) if info.severity == Severity::Problem => {
            (format!("`{code}` is a problem, and no problem is meant"), "a mended line".to_owned())
        }
        Some(_) if why.is_empty() => {
            ("what is meant has a reason".to_owned(), format!("; meant {code}: why it is right so"))
        }
        Some(_) if !is_used => {
            (format!("nothing here is a case of `{code}` any more"), "the remark taken away".to_owned())
        }
        Some(_) => return None,
    };
    Some(diagnostic(codes::MEANT, span, message).with_expected(right))
}

/// The remarks of a text.
fn remarks(sources: &Sources, file: FileId, syntax: Syntax) -> Vec<Remark> {
    const WORD: &str = "meant W";
    let source = sources.file(file);
    let text = source.text();
    let mut found = Vec::new();
    for at in memchr::memmem::find_iter(text.as_bytes(), WORD.as_bytes()) {
        let line = source.line_of(u32::try_from(at).unwrap_or(u32::MAX));
        let start = source.line_start(line) as usize;
        let whole = source.line(line);
        let comment = comment_start(whole, syntax);
        // It is all that the comment says.
        if start + comment > at || !whole[comment..at - start].trim_matches([';', '#', ' ', '\t']).is_empty() {
            continue;
        }
        let said = &whole[at - start + WORD.len() - 1..];
        let (codes, why) = said.split_once(':').unwrap_or((said, ""));
        for word in codes.split([',', ' ']).filter(|word| !word.is_empty()) {
            let digits = word.strip_prefix('W').filter(|digits| digits.len() == 3);
            let Some(number) = digits.and_then(|digits| digits.parse().ok()) else { continue };
            // The words are pieces of the text, each at its own place.
            let from = at + WORD.len() - 1 + codes.find(word).unwrap_or(0);
            let span = Span::new(file, from, from + word.len());
            found.push(Remark { file, line, code: Code(number), why: why.trim().to_owned(), span, is_used: false });
        }
    }
    found
}
