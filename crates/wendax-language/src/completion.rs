//! What may be written at a place of a line, and what is wanted there: out of the tables and the names of the
//! program.

use crate::lexer::{Kind, Lexer, Mark, comment_start};
use crate::problems::Problems;
use crate::syntax::Syntax;
use crate::{Written, directives::directive};
use wendax_isa::Target;
use wendax_source::{FileId, path_to};

/// Something that can be written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Offer {
    /// What is written.
    pub text: String,
    /// What it means, in one line.
    pub meaning: String,
}

/// What can be written at a place.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Offers {
    /// Bytes of the line that are replaced: the word the place is in, up to the place.
    pub replaces: std::ops::Range<usize>,
    /// What may come there, best first.
    pub list: Vec<Offer>,
}

/// So many are offered.
const MOST: usize = 200;

/// What may be written at byte `at` of a line of a file.
pub fn offers(program: &dyn Written, file: Option<FileId>, line: &str, at: usize) -> Offers {
    let before = line.get(..at).unwrap_or_default();
    let target = program.target();
    let syntax = Syntax::of(target);
    if comment_start(line, syntax) < at {
        return Offers::default();
    }
    if in_text(before) {
        return path_offers(program, file, line, at).unwrap_or_default();
    }
    let start = before
        .rfind(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '@' | '.')))
        .map_or(0, |found| found + before[found..].chars().next().map_or(1, char::len_utf8));
    let word = &before[start..];
    let head = before[..start].trim_end();
    let mut list: Vec<Offer> = Vec::new();
    let opens = head.is_empty() || head.ends_with(':');
    if opens {
        list.extend(syntax.mnemonics().iter().map(|(name, meaning)| offer(name, meaning)));
        list.extend(syntax.directive_words().into_iter().map(|(name, meaning)| offer(name, meaning)));
        list.extend(names(program, file).into_iter().filter(|offer| offer.meaning == "a macro"));
    } else if !word.starts_with('.') {
        let operation = head.split_whitespace().find(|part| !part.ends_with(':')).unwrap_or_default();
        if operation.eq_ignore_ascii_case("sys") {
            list.extend(target.calls.iter().filter(|call| call.is_own).map(|call| offer(call.name, call.meaning)));
        } else {
            if syntax.is_mnemonic(operation) || directive(operation).is_none() {
                list.extend(target.registers.iter().map(|info| offer(info.name, info.role)));
            }
            list.extend(names(program, file));
            list.extend(local_names(program, file, word));
        }
    }
    let fits = |offer: &Offer| offer.text.len() > word.len() && starts(&offer.text, word);
    let mut list: Vec<Offer> = list.into_iter().filter(fits).collect();
    // What is written most often here comes first, then what is usual anywhere, then by the alphabet.
    let text = file.and_then(|file| program.sources().get(file)).map_or("", |file| file.text());
    let used = uses(text, &list);
    let usual = |offer: &Offer| syntax.usual().contains(&offer.text.as_str());
    list.sort_by_cached_key(|offer| {
        let times = used.get(&offer.text).copied().unwrap_or(0);
        (std::cmp::Reverse((times, usual(offer))), offer.text.clone())
    });
    list.dedup_by(|one, other| one.text == other.text);
    list.truncate(MOST);
    Offers { replaces: start..at, list }
}

/// Files that can be named in the text a place is in, when that is the path of a directive.
fn path_offers(program: &dyn Written, file: Option<FileId>, line: &str, at: usize) -> Option<Offers> {
    let (head, written) = line.get(..at)?.rsplit_once('"')?;
    let directive = head.split_whitespace().next_back()?.to_ascii_lowercase();
    let is_source = directive == ".include";
    if !is_source && directive != ".embed" {
        return None;
    }
    let from = program.sources().get(file?)?.name();
    let paths = program.paths_around().into_iter().filter(|path| *path != from);
    let closes = if line.get(at..)?.contains('"') { "" } else { "\"" };
    let is_likely = |name: &str| is_source && [".asm", ".inc"].iter().any(|ending| name.ends_with(ending));
    let mut names: Vec<&str> = paths
        .filter_map(|path| path_to(from, path))
        .filter(|name| name.len() > written.len() && starts(name, written) && !name.contains(['"', '\\']))
        .collect();
    names.sort_unstable();
    names.sort_by_key(|name| !is_likely(name));
    names.dedup();
    names.truncate(MOST);
    let list = names.into_iter().map(|name| offer(&format!("{name}{closes}"), "a file")).collect();
    Some(Offers { replaces: at - written.len()..at, list })
}

/// How often each of these stands in a text; of a long one its beginning is looked at.
fn uses(text: &str, offers: &[Offer]) -> std::collections::HashMap<String, u32> {
    const MOST_BYTES: usize = 1 << 17;
    let mut found: std::collections::HashMap<String, u32> =
        offers.iter().map(|offer| (offer.text.clone(), 0)).collect();
    let end = (0..=text.len().min(MOST_BYTES)).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
    let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '@' | '.');
    for word in text[..end].split(|c: char| !is_part(c)).filter(|word| !word.is_empty()) {
        if let Some(count) = found.get_mut(word) {
            *count += 1;
        }
    }
    found
}

fn offer(text: &str, meaning: &str) -> Offer {
    Offer { text: text.to_owned(), meaning: meaning.to_owned() }
}

fn starts(text: &str, word: &str) -> bool {
    text.get(..word.len()).is_some_and(|beginning| beginning.eq_ignore_ascii_case(word))
}

fn names(program: &dyn Written, file: Option<FileId>) -> Vec<Offer> {
    let Some(file) = file else { return Vec::new() };
    program.known_names(file).into_iter().map(|(name, what)| Offer { text: name, meaning: what.to_owned() }).collect()
}

/// Local labels of the file, when the word begins as one.
fn local_names(program: &dyn Written, file: Option<FileId>, word: &str) -> Vec<Offer> {
    let Some(text) = file.and_then(|file| program.sources().get(file)).filter(|_| word.starts_with('@')) else {
        return Vec::new();
    };
    let labels = text.text().split(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '@' | ':')));
    labels
        .filter_map(|part| part.strip_suffix(':'))
        .filter(|part| part.starts_with('@'))
        .map(|name| offer(name, "a local label"))
        .collect()
}

/// A place within an open text or character.
fn in_text(before: &str) -> bool {
    let mut quote = None;
    let mut escaped = false;
    for c in before.chars() {
        match quote {
            Some(_) if escaped => escaped = false,
            Some(_) if c == '\\' => escaped = true,
            Some(open) if c == open => quote = None,
            None if matches!(c, '"' | '\'') => quote = Some(c),
            _ => {}
        }
    }
    quote.is_some()
}

/// What is wanted by the instruction, directive or system call of a line of a source for a machine: its forms, one an
/// entry, the first with what it does.
pub fn operand_help(line: &str, target: &Target) -> Option<Vec<String>> {
    let syntax = Syntax::of(target);
    let mut tokens = Vec::new();
    Lexer::line(FileId(0), 0, line, 0, line.len()).of(syntax).run(&mut tokens, &mut Problems::default());
    let words: Vec<(&str, Kind)> =
        tokens.iter().map(|token| (&line[token.start as usize..token.end as usize], token.kind)).collect();
    let is_label = |index: usize| words.get(index + 1).is_some_and(|(_, kind)| *kind == Kind::Mark(Mark::Colon));
    let first = (0..words.len()).find(|&index| words[index].1 != Kind::Mark(Mark::Colon) && !is_label(index))?;
    let (word, kind) = words[first];
    if kind == Kind::Directive {
        let (form, meaning) = syntax.directive_form(word)?;
        return Some(vec![format!("{form}   {meaning}")]);
    }
    if word.eq_ignore_ascii_case("sys")
        && let Some(call) = words
            .get(first + 1)
            .and_then(|(name, _)| target.calls.iter().find(|call| call.is_own && call.name == *name))
    {
        let takes: Vec<String> =
            call.takes.iter().map(|(register, what)| format!("{} {what}", target.register_name(*register))).collect();
        let takes = if takes.is_empty() { "nothing".to_owned() } else { takes.join(", ") };
        let gives = if call.gives.is_empty() { "nothing" } else { call.gives };
        return Some(vec![format!("sys {}   {}: takes {takes}; gives {gives}", call.name, call.meaning)]);
    }
    let lower = word.to_ascii_lowercase();
    let (_, meaning) = syntax.mnemonics().iter().find(|(name, _)| *name == lower)?;
    let mut forms = syntax.forms(&lower);
    if let Some(first) = forms.first_mut() {
        *first = format!("{first}   {meaning}");
    }
    Some(forms)
}
