//! Rules for the text of a program: words that must occur in it, or must not.
//!
//! Words of the machine are looked up in its tables first, so that a misspelt one is a problem of the table and never met.

use crate::judge::{Difference, Kind as Side};
use crate::subject::Subject;
use crate::table::{Kind, Rule};
use wendax_isa::Target;
use wendax_language::{Lexeme, lexemes};
use wendax_source::{meant, nearest};

/// What is wrong with a rule itself, for a machine.
pub(crate) fn problem(rule: &Rule, target: &'static Target) -> Option<String> {
    let syntax = wendax_language::syntax::Syntax::of(target);
    let word = rule.word.as_str();
    let names: Vec<&str> = match rule.kind {
        Kind::Instruction => (target.mnemonics)(),
        Kind::Call => target.calls.iter().map(|call| call.name).collect(),
        Kind::Directive => syntax.directive_names(),
        Kind::Name => return None,
    };
    if names.iter().any(|name| name.eq_ignore_ascii_case(word)) {
        return None;
    }
    let near = meant(nearest(word, names.iter().copied()));
    Some(format!("`{word}` is no {} of {}{near}", rule.kind.word(), target.name))
}

/// A rule in words.
pub(crate) fn words(rule: &Rule) -> String {
    let verb = if rule.is_must { "must have" } else { "must not have" };
    format!("{verb} {} {}", rule.kind.word(), rule.word)
}

/// How the text of a program breaks a rule.
pub(crate) fn broken(rule: &Rule, subject: &Subject) -> Option<Difference> {
    let is_written = subject.sources.iter().next().is_some();
    if !is_written {
        let message = "its text is not there, so that nothing is known of the words in it".to_owned();
        return Some(Difference::plain(Side::Rule, message));
    }
    let found = occurrence(rule, subject);
    let words = format!("{} `{}`", rule.kind.word(), rule.word);
    match (rule.is_must, found) {
        (true, Some(_)) | (false, None) => None,
        (true, None) => Some(Difference::plain(Side::Rule, format!("there is no {words} in it"))),
        (false, Some(line)) => {
            let message = format!("there is {words} in it");
            Some(Difference { line: Some(line), ..Difference::plain(Side::Rule, message) })
        }
    }
}

/// Where a word stands first.
fn occurrence(rule: &Rule, subject: &Subject) -> Option<String> {
    let target = subject.target();
    // What a macro was unfolded to stands in texts of their own.
    for file in subject.sources.iter().filter(|file| !file.is_stand_in()) {
        for (number, line) in (1..).zip(file.text().lines()) {
            if stands_in(rule, line, target) {
                let name = file.name().rsplit('/').next().unwrap_or_default();
                return Some(if name.is_empty() { format!("line {number}") } else { format!("{name}:{number}") });
            }
        }
    }
    None
}

fn stands_in(rule: &Rule, line: &str, target: &Target) -> bool {
    let word = rule.word.as_str();
    let pieces = lexemes(line, target);
    let mut after_call = false;
    for (range, lexeme) in pieces {
        let piece = &line[range];
        let is_it = piece.eq_ignore_ascii_case(word);
        let fits = match rule.kind {
            Kind::Instruction => lexeme == Lexeme::Mnemonic,
            Kind::Directive => lexeme == Lexeme::Directive,
            // Names differ by the case of their letters.
            Kind::Name => matches!(lexeme, Lexeme::Name | Lexeme::Definition) && piece == word,
            Kind::Call => after_call,
        };
        let is_number = || target.calls.iter().any(|call| call.name == word && piece == call.number.to_string());
        if fits && (is_it || rule.kind == Kind::Call && is_number()) {
            return true;
        }
        after_call = lexeme == Lexeme::Mnemonic && piece.eq_ignore_ascii_case("sys");
    }
    false
}
