//! Names of a program by where they stand in its texts: what a name means, where it is defined, used, and what
//! changes when it gets another spelling.
//!
//! Answers are for the texts that were assembled. Names in bodies of macros are found like any others by
//! their spelling, since what they stand for may differ from call to call.

use crate::lexer::{Kind, Lexer, Mark, Token};
use crate::problems::Problems;
use crate::syntax::Syntax;
use wendax_isa::Target;
use wendax_source::{FileId, Sources, Span};

/// Where a name stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Occurrence {
    /// The name, with its `@` if it has one.
    pub span: Span,
    /// It is defined here.
    pub is_definition: bool,
}

/// Why a name cannot get another spelling.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum RenameError {
    /// There is no name at the place.
    #[error("there is no name of the program under the cursor")]
    NoName,
    /// The new spelling is none.
    #[error("`{0}` cannot be a name: it begins with a letter or `_`, and goes on with these and digits")]
    NotAName(String),
    /// The new spelling means something already.
    #[error("`{0}` has a meaning already")]
    Taken(String),
    /// A macro or repeat puts names together that the name may be one of.
    #[error("the name may be put together by `{0}`, and would not be found there any more")]
    Composed(String),
}

/// Names in one file: spelling, place, and the plain label above.
struct Word<'t> {
    text: &'t str,
    span: Span,
    /// Where the plain label stands that a local name belongs to.
    owner: Option<u32>,
    is_definition: bool,
}

/// Texts that were assembled, and what is known of them besides: which files share a name, and what it is.
///
/// The assembler gives these answers; all that is asked of names goes by them and by the texts.
pub trait Written {
    /// The machine the texts are for.
    fn target(&self) -> &'static Target;

    /// All texts the program speaks of.
    fn sources(&self) -> &Sources;

    /// The sources and the files they include, each once.
    fn files(&self) -> Vec<FileId>;

    /// Paths of files that the sources could name.
    fn paths_around(&self) -> Vec<&str>;

    /// Files in which a plain name means the same as in one of them; that one is always among them.
    fn files_that_share(&self, file: FileId, name: &str) -> Vec<FileId>;

    /// Plain names that may be used in a file, each with what it is in a few words.
    fn known_names(&self, file: FileId) -> Vec<(String, &'static str)>;

    /// The name that covers a byte of a file, or ends right before it.
    fn name_at(&self, file: FileId, byte: u32) -> Option<Span> {
        let text = self.sources().get(file)?.text();
        words(file, text, Syntax::of(self.target()))
            .into_iter()
            .find(|word| word.span.start <= byte && byte <= word.span.end)
            .map(|word| word.span)
    }

    /// Everywhere the name at a place stands, in the order of files and places.
    fn occurrences(&self, at: Span) -> Vec<Occurrence> {
        let Some(file) = self.sources().get(at.file) else { return Vec::new() };
        let here = words(at.file, file.text(), Syntax::of(self.target()));
        let Some(wanted) = here.iter().find(|word| word.span == at) else { return Vec::new() };
        if wanted.text.starts_with('@') {
            let same = here.iter().filter(|word| word.text == wanted.text && word.owner == wanted.owner);
            return same.map(|word| Occurrence { span: word.span, is_definition: word.is_definition }).collect();
        }
        let mut found = Vec::new();
        for id in self.files_that_share(at.file, wanted.text) {
            let same = words(id, self.sources().file(id).text(), Syntax::of(self.target()));
            let same = same.into_iter().filter(|word| word.text == wanted.text);
            found.extend(same.map(|word| Occurrence { span: word.span, is_definition: word.is_definition }));
        }
        found
    }

    /// Where the name at a place is defined; of several places that say so the first.
    fn definition(&self, at: Span) -> Option<Span> {
        self.occurrences(at).into_iter().find(|found| found.is_definition).map(|found| found.span)
    }

    /// Everywhere the name at a place stands, when it can be called `name`.
    fn rename(&self, at: Span, name: &str) -> Result<Vec<Span>, RenameError> {
        let found = self.occurrences(at);
        let syntax = Syntax::of(self.target());
        let old = self.sources().get(at.file).map_or("", |file| file.text().get(at.range()).unwrap_or_default());
        if found.is_empty() || !found.iter().any(|found| found.is_definition) {
            return Err(RenameError::NoName);
        }
        let local = old.starts_with('@');
        let spelling = if local && !name.starts_with('@') { format!("@{name}") } else { name.to_owned() };
        let plain = spelling.strip_prefix('@').filter(|_| local).unwrap_or(&spelling);
        let one = words(FileId(0), plain, syntax);
        let is_name =
            matches!(one.as_slice(), [word] if word.text == plain) && !plain.is_empty() && !plain.starts_with('@');
        if !is_name {
            return Err(RenameError::NotAName(name.to_owned()));
        }
        let meaning = syntax.is_mnemonic(plain)
            || syntax.register(plain).is_some()
            || matches!(plain.to_ascii_lowercase().as_str(), "fl" | "here" | "hi" | "lo" | "sizeof" | "defined");
        let mut files: Vec<FileId> = found.iter().map(|found| found.span.file).collect();
        files.dedup();
        let known = files.iter().any(|&file| {
            words(file, self.sources().file(file).text(), syntax)
                .iter()
                .any(|word| word.is_definition && word.text == spelling)
        });
        let owner = |words: &[Word<'_>]| words.iter().find(|word| word.span == at).and_then(|word| word.owner);
        let here = words(at.file, self.sources().file(at.file).text(), syntax);
        let in_scope = here.iter().any(|word| word.text == spelling && word.owner == owner(&here));
        if !local && (meaning || known) || local && in_scope {
            return Err(RenameError::Taken(name.to_owned()));
        }
        let bare = old.trim_start_matches('@');
        files.extend(self.files());
        if let Some(piece) = files.iter().find_map(|file| composing(self.sources().file(*file).text(), bare)) {
            return Err(RenameError::Composed(piece));
        }
        Ok(found.into_iter().map(|found| found.span).collect())
    }
}

/// The name is one of a macro's parameters: in braces, or in its head.
fn is_parameter(tokens: &[Token], index: usize, directive: &str) -> bool {
    let mark = |at: Option<usize>| at.and_then(|at| tokens.get(at)).map(|token| token.kind);
    let (before, after) = (mark(index.checked_sub(1)), mark(Some(index + 1)));
    if before == Some(Kind::Mark(Mark::BraceOpen)) && after == Some(Kind::Mark(Mark::BraceClose)) {
        return true;
    }
    let at = tokens.iter().position(|token| token.kind == Kind::Directive);
    let in_head = directive.eq_ignore_ascii_case(".macro") && at.is_some_and(|at| index > at + 1);
    let in_repeat = directive.eq_ignore_ascii_case(".repeat") && before == Some(Kind::Mark(Mark::Comma));
    // What stands behind `=` is a default, made of names of the program.
    in_repeat || in_head && before != Some(Kind::Mark(Mark::Equals))
}

/// A piece of a text that puts together names with a parameter, one of which could be this name: `load_{n}`.
fn composing(text: &str, name: &str) -> Option<String> {
    let is_sign = |c: char| c.is_alphanumeric() || matches!(c, '_');
    for (open, _) in text.match_indices('{') {
        let head = &text[..open];
        let prefix = &head[head.trim_end_matches(is_sign).len()..];
        let Some(close) = text[open..].find(['}', '\n']).map(|at| open + at).filter(|at| text[*at..].starts_with('}'))
        else {
            continue;
        };
        let tail = &text[close + 1..];
        let suffix = &tail[..tail.len() - tail.trim_start_matches(is_sign).len()];
        let fits = name.len() > prefix.len() + suffix.len() && name.starts_with(prefix) && name.ends_with(suffix);
        if fits && (!prefix.is_empty() || !suffix.is_empty()) {
            return Some(format!("{prefix}{}{suffix}", &text[open..=close]));
        }
    }
    None
}

/// All names of a text that are no registers or mnemonics in their places.
fn words(file: FileId, text: &str, syntax: Syntax) -> Vec<Word<'_>> {
    let mut found = Vec::new();
    let mut tokens: Vec<Token> = Vec::new();
    let mut owner = None;
    let mut start = 0;
    for line in text.split_inclusive('\n') {
        let end = start + line.trim_end_matches('\n').len();
        Lexer::line(file, 0, text, start, end).of(syntax).run(&mut tokens, &mut Problems::default());
        let mut directive = "";
        let mut first = true;
        for (index, token) in tokens.iter().enumerate() {
            let spelling = text.get(token.start as usize..token.end as usize).unwrap_or_default();
            let labels = tokens.get(index + 1).is_some_and(|next| next.kind == Kind::Mark(Mark::Colon));
            let is_dotted =
                token.kind == Kind::Directive && syntax.in_name(b'.') && (labels || !first || !directive.is_empty());
            match token.kind {
                Kind::Directive if !is_dotted => directive = spelling,
                Kind::Name | Kind::Local | Kind::Directive => {
                    let span = Span { file, start: token.start, end: token.end };
                    let is_word =
                        syntax.register(spelling).is_some() || first && !labels && syntax.is_mnemonic(spelling);
                    if labels && token.kind != Kind::Local {
                        owner = Some(token.start);
                    }
                    let defines = ["equ", "let", "macro"]
                        .iter()
                        .any(|name| directive[directive.len().min(1)..].eq_ignore_ascii_case(name));
                    let is_first_operand =
                        index.checked_sub(1).is_some_and(|before| tokens[before].kind == Kind::Directive);
                    if !is_word && !is_parameter(&tokens, index, directive) {
                        let is_definition = labels || defines && is_first_operand;
                        found.push(Word { text: spelling, span, owner, is_definition });
                    }
                    if !labels {
                        first = false;
                    }
                }
                Kind::Mark(Mark::Colon) => {}
                _ => first = false,
            }
        }
        start += line.len();
    }
    found
}
