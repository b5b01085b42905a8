//! Lines to the parser: conditions are followed, bodies of macros and repeats gathered.
//!
//! What opens a block must close it in the same text: a file, or the lines a macro unfolds to. What is never
//! closed is told at its opening, together with where the text ended.

use super::Parser;
use super::block::Block;
use super::unfold::Macro;
use crate::codes;
use crate::dialect::other_directive;
use crate::directives::{DIRECTIVES, Directive, block_directive, directive};
use crate::lexer::{Kind, Lexer, Mark};
use crate::problems::diagnostic;
use crate::syntax::Syntax;
use std::rc::Rc;
use wendax_source::{Span, nearest};

/// Files, macros and repeats within one another.
const DEEPEST: u32 = 64;
/// Rounds of one repeat.
const MOST_ROUNDS: i64 = 0x1_0000;

/// An `.if` that is open.
#[derive(Debug)]
pub(super) struct Condition {
    opening: Span,
    /// It was opened by a word that is none here, which was told; the same may close it.
    is_other: bool,
    /// Its lines count, as far as it is concerned.
    holds: bool,
    /// Some of its lines have counted: no further case does.
    was_met: bool,
    /// Lines around it count.
    around: bool,
    other: Option<Span>,
}

/// A macro or repeat whose lines are being gathered.
struct Gathering<'a> {
    directive: Directive,
    opening: Span,
    /// Of the opening.
    line: u32,
    body: usize,
    /// Blocks of the same kind within it.
    inner: u32,
    head: Option<Head<'a>>,
}

/// What stands behind the opening.
enum Head<'a> {
    Macro(Macro<'a>),
    /// How often, and the name of the count.
    Repeat(i64, Option<&'a str>),
}

/// Where a line has the word of another dialect that ends what is being gathered.
fn other_end(line: &str, open: Directive) -> Option<std::ops::Range<usize>> {
    let from = line.len() - line.trim_start().len();
    let length = line[from..].find(|c: char| !c.is_ascii_alphanumeric() && c != '.').unwrap_or(line.len() - from);
    let word = line[from..from + length].to_ascii_lowercase();
    let ends = match open {
        Directive::Macro => [".endm", ".mend", "endm", "mend", "endmacro"].contains(&word.as_str()),
        _ => [".endr", ".endrep", "endr", "endrep", "endrepeat"].contains(&word.as_str()),
    };
    ends.then_some(from..from + length)
}

impl<'a> Parser<'a> {
    /// Reads all lines of a block.
    pub(super) fn read(&mut self, block: Block<'a>) {
        let outer = std::mem::replace(&mut self.block, block);
        let conditions = std::mem::take(&mut self.conditions);
        if block.expansion.is_none() && !self.real.iter().any(|(file, _)| *file == block.file) {
            self.real.push((block.file, block.text));
        }
        if block.expansion.is_none() {
            self.note_turned(block);
        }
        if block.expansion.is_none() && self.lines_end_otherwise() {
            self.is_partial = true;
            self.block = outer;
            self.conditions = conditions;
            return;
        }
        self.nesting += 1;
        let mut gathering: Option<Gathering<'a>> = None;
        let (mut start, mut number) = (0, 0);
        while start < block.text.len() && !self.is_stopped {
            let length = memchr::memchr(b'\n', &block.text.as_bytes()[start..]);
            let end = length.map_or(block.text.len(), |length| start + length);
            number += 1;
            let line = &block.text[start..end];
            if says_nothing(line, self.unit.syntax) {
                start = end + 1;
                continue;
            }
            let word =
                block_directive(line).map(|(directive, range)| (directive, range.start + start..range.end + start));
            match &gathering {
                Some(open) if word.is_none() => {
                    if let Some(range) = other_end(line, open.directive) {
                        let open = gathering.take();
                        self.ends_otherwise(open, start + range.start..start + range.end, start);
                    }
                }
                Some(_) => {
                    if let (Some(open), Some((directive, range))) = (gathering.take(), word) {
                        gathering = self.gather(open, directive, range, (start, end), number);
                    }
                }
                None => match word {
                    Some((directive, range)) => {
                        self.labels_before(start..range.start, number);
                        gathering = self.block_line(directive, range, end, number);
                    }
                    None if self.conditions.last().is_some_and(|last| !(last.holds && last.around)) => {
                        self.end_of_other_condition(line);
                        self.misspelt_branch(start, line);
                    }
                    None => {
                        let before = (self.unit.problems.list().len(), self.unit.steps.len());
                        let bare = self.bare_labels.len();
                        self.lex(start, end);
                        self.line(number);
                        let is_retold = self.unit.syntax == Syntax::W16;
                        if self.unit.problems.list().len() > before.0 && is_retold {
                            self.retell(start, end, before);
                        } else if is_retold && self.bare_labels.len() > bare {
                            self.retell_label(start, end);
                        }
                        if let Some((lines, after)) = self.rest_of_open_text(end) {
                            (number, start) = (number + lines, after);
                            continue;
                        }
                    }
                },
            }
            start = end + 1;
        }
        self.close(gathering.as_ref());
        self.nesting -= 1;
        self.conditions = conditions;
        self.block = outer;
    }

    /// A macro or repeat ends by a word that ends one elsewhere.
    fn ends_otherwise(&mut self, open: Option<Gathering<'a>>, range: std::ops::Range<usize>, start: usize) {
        let Some(open) = open else { return };
        let ours = if open.directive == Directive::Macro { ".endmacro" } else { ".endrepeat" };
        let span = self.place(range.clone());
        let word = &self.block.text[range];
        let found = diagnostic(codes::UNKNOWN_DIRECTIVE, span, format!("`{word}` is no directive"));
        let found = found.with_other(open.opening, "what it ends").with_expected(ours);
        self.report(found.with_fix(format!("here it is `{ours}`"), span, ours));
        self.gathered(open, start);
    }

    fn lex(&mut self, start: usize, end: usize) {
        let mut tokens = std::mem::take(&mut self.tokens);
        let block = self.block;
        Lexer::line(block.file, block.base, block.text, start, end)
            .of(self.unit.syntax)
            .run(&mut tokens, &mut self.unit.problems);
        self.tokens = tokens;
    }

    /// A line that does not count, in a condition of another dialect: its end without a dot is one.
    fn end_of_other_condition(&mut self, line: &str) {
        let is_end = line.trim().eq_ignore_ascii_case("endif");
        if is_end && self.conditions.last().is_some_and(|last| last.is_other) {
            self.conditions.pop();
        }
    }

    /// A line that does not count, with a word that only reads like one that ends or turns a condition: without it the
    /// rest would be passed over in silence.
    fn misspelt_branch(&mut self, start: usize, line: &str) {
        const BRANCHES: [&str; 3] = [".elseif", ".else", ".endif"];
        let begin = line.len() - line.trim_start().len();
        let rest = &line[begin..];
        let length = rest.find(|c: char| !c.is_ascii_alphanumeric() && !matches!(c, '.' | '_')).unwrap_or(rest.len());
        let word = &rest[..length];
        if !word.starts_with('.') || word.len() < 3 || directive(word).is_some() {
            return;
        }
        let other = other_directive(word).and_then(|other| other.instead).filter(|word| BRANCHES.contains(word));
        let near = other.or_else(|| {
            let near = nearest(word, DIRECTIVES.iter().map(|info| info.name))?;
            BRANCHES.into_iter().find(|branch| *branch == near)
        });
        let Some(near) = near else { return };
        let span = self.place(start + begin..start + begin + length);
        let found = diagnostic(codes::UNKNOWN_DIRECTIVE, span, format!("`{word}` is no directive"));
        let opening = self.conditions.last().map(|open| open.opening);
        let found =
            opening.map_or(found.clone(), |opening| found.with_other(opening, "this condition goes on behind it"));
        self.report(found.with_guess(format!("here it is `{near}`"), span, near));
    }

    /// Lines that belong to a text which the line before `end` leaves open, told with that: how many, and where what
    /// follows them begins.
    fn rest_of_open_text(&self, end: usize) -> Option<(u32, usize)> {
        const MOST: u32 = 20;
        let last = self.tokens.last().filter(|token| token.kind == Kind::Bad)?;
        if !self.unit.problems.ends_with(codes::UNTERMINATED.code) || !self.spelling(self.span(*last)).starts_with('"')
        {
            return None;
        }
        let rest = self.block.text.get(end + 1..)?;
        let mut after = end + 1;
        for (count, line) in (1..=MOST).zip(rest.split_inclusive('\n')) {
            after += line.len();
            match line.matches('"').count() {
                0 => {}
                // It ends here, with nothing but a comment behind it.
                1 if line
                    .rsplit('"')
                    .next()
                    .is_some_and(|behind| behind.trim().is_empty() || behind.trim().starts_with(';')) =>
                {
                    return Some((count, after));
                }
                _ => return None,
            }
        }
        None
    }

    /// A range of the block's text.
    pub(super) fn place(&self, range: std::ops::Range<usize>) -> Span {
        let base = self.block.base as usize;
        Span::new(self.block.file, base + range.start, base + range.end)
    }

    /// Gets ready to parse what stands behind a block directive.
    fn begin(&mut self, start: usize, end: usize, number: u32) {
        self.lex(start, end);
        (self.at, self.line, self.depth) = (1, number, 0);
        self.line_end = self.tokens.last().map_or(0, |token| token.end);
    }

    /// Labels that stand before a block directive, where its lines count.
    fn labels_before(&mut self, range: std::ops::Range<usize>, number: u32) {
        let counts = self.conditions.last().is_none_or(|last| last.holds && last.around);
        if counts && !self.block.text[range.clone()].trim().is_empty() {
            self.lex(range.start, range.end);
            self.line(number);
        }
    }

    /// A line with a block directive, where nothing is being gathered.
    fn block_line(
        &mut self,
        directive: Directive,
        range: std::ops::Range<usize>,
        end: usize,
        number: u32,
    ) -> Option<Gathering<'a>> {
        let span = self.place(range.clone());
        let counts = self.conditions.last().is_none_or(|last| last.holds && last.around);
        match directive {
            Directive::If => self.open_condition(span, counts, range.start, end, number),
            Directive::ElseIf => {
                self.begin(range.start, end, number);
                self.further_case(span);
            }
            Directive::Else | Directive::EndIf => {
                self.begin(range.start, end, number);
                self.turn_condition(directive, span);
                self.end_of_line();
            }
            _ if !counts => {}
            Directive::Macro | Directive::Repeat => {
                self.begin(range.start, end, number);
                let head = if directive == Directive::Macro {
                    self.macro_head().map(Head::Macro)
                } else {
                    self.repeat_head().map(|(rounds, name)| Head::Repeat(rounds, name))
                };
                if head.is_some() {
                    self.end_of_line();
                } else {
                    // What it would have defined is missing by this.
                    self.is_partial = true;
                }
                return Some(Gathering { directive, opening: span, line: number, body: end + 1, inner: 0, head });
            }
            _ => {
                let (name, opening) =
                    if directive == Directive::EndMacro { (".endmacro", ".macro") } else { (".endrepeat", ".repeat") };
                let found =
                    diagnostic(codes::UNOPENED, span, format!("`{name}` ends nothing: no `{opening}` is open here"));
                self.report(found.with_expected(format!("`{opening} …` above it")));
            }
        }
        None
    }

    fn open_condition(&mut self, opening: Span, around: bool, start: usize, end: usize, number: u32) {
        let mut holds = false;
        if around {
            self.begin(start, end, number);
            let value = self.known_value();
            if value.is_some() {
                self.end_of_line();
            } else {
                // Neither side counts; what it would have defined is missing by this.
                self.is_partial = true;
            }
            holds = value.unwrap_or(0) != 0;
            let around = value.is_some();
            self.conditions.push(Condition { opening, is_other: false, holds, was_met: holds, around, other: None });
            return;
        }
        self.conditions.push(Condition { opening, is_other: false, holds, was_met: holds, around, other: None });
    }

    /// A condition that cannot be understood, which was told: neither side of it counts.
    pub(super) fn open_unknown_condition(&mut self, opening: Span) {
        self.is_partial = true;
        self.conditions.push(Condition {
            opening,
            holds: false,
            is_other: true,
            was_met: false,
            around: false,
            other: None,
        });
    }

    /// `.elseif value`.
    fn further_case(&mut self, span: Span) {
        let Some(open) = self.conditions.last_mut() else {
            let found =
                diagnostic(codes::UNOPENED, span, "`.elseif` belongs to no `.if`: none is open here".to_owned());
            self.report(found.with_expected("`.if value` above it"));
            return;
        };
        if let Some(other) = open.other {
            let found = diagnostic(codes::UNOPENED, span, "no further case comes behind `.else`");
            let found = found.with_other(open.opening, "the condition").with_other(other, "its `.else`");
            self.report(found.with_expected("every `.elseif` before the `.else`"));
            return;
        }
        let asks = open.around && !open.was_met;
        open.holds = false;
        if !asks {
            return;
        }
        let value = self.known_value();
        if value.is_some() {
            self.end_of_line();
        } else {
            self.is_partial = true;
        }
        let Some(open) = self.conditions.last_mut() else { return };
        open.holds = value.is_some_and(|value| value != 0);
        open.was_met = open.holds || value.is_none();
    }

    pub(super) fn turn_condition(&mut self, directive: Directive, span: Span) {
        let name = if directive == Directive::Else { ".else" } else { ".endif" };
        let Some(open) = self.conditions.last_mut() else {
            let found = diagnostic(codes::UNOPENED, span, format!("`{name}` belongs to no `.if`: none is open here"));
            self.report(found.with_expected("`.if value` above it"));
            return;
        };
        if directive == Directive::EndIf {
            self.conditions.pop();
        } else if let Some(first) = open.other {
            let found = diagnostic(codes::UNOPENED, span, "this `.else` is the second of its `.if`");
            let found = found.with_other(open.opening, "the condition").with_other(first, "its first `.else`");
            self.report(found.with_expected("one `.else`; an `.if` of its own within it for a further case"));
        } else {
            open.other = Some(span);
            open.holds = !open.was_met;
            open.was_met = true;
        }
    }

    /// A block directive while lines are gathered; gives back what is still open.
    fn gather(
        &mut self,
        mut open: Gathering<'a>,
        directive: Directive,
        range: std::ops::Range<usize>,
        (start, end): (usize, usize),
        number: u32,
    ) -> Option<Gathering<'a>> {
        let closing = if open.directive == Directive::Macro { Directive::EndMacro } else { Directive::EndRepeat };
        if directive == closing && open.inner > 0 {
            open.inner -= 1;
        } else if directive == closing {
            self.begin(range.start, end, number);
            self.end_of_line();
            self.gathered(open, start);
            return None;
        } else if directive == open.directive && directive == Directive::Macro && open.inner == 0 {
            // Macros are not defined within macros, so the first one has lost its end.
            let here = self.place(range.clone());
            self.unclosed(&open, here, "another one begins here");
            self.gathered(open, start);
            return self.block_line(directive, range, end, number);
        } else if directive == open.directive {
            open.inner += 1;
        }
        Some(open)
    }

    /// All lines of a macro or repeat are there.
    fn gathered(&mut self, open: Gathering<'a>, end: usize) {
        let body = &self.block.text[open.body.min(end)..end];
        let base = self.place(open.body.min(end)..end).start;
        match open.head {
            Some(Head::Macro(mut found)) => {
                found.set_body(self.unit.syntax, (self.block.file, base), body);
                self.define_macro(found);
            }
            Some(Head::Repeat(rounds, name)) => self.repeat(open.opening, open.line, (rounds, name), base, body),
            None => {}
        }
    }

    /// The text of a block has ended.
    fn close(&mut self, gathering: Option<&Gathering<'a>>) {
        if self.is_stopped {
            return;
        }
        let end = self.place(self.block.text.len()..self.block.text.len());
        if let Some(open) = gathering {
            self.unclosed(open, end, "the text ends here");
            return;
        }
        let Some(open) = self.conditions.pop() else { return };
        self.is_partial = true;
        let found = diagnostic(codes::NOT_CLOSED, open.opening, "this `.if` is never closed");
        let found = match open.other {
            Some(other) => found.with_other(other, "its `.else`"),
            None => found,
        };
        let found = found
            .with_other(end, "the text ends here")
            .with_expected("`.endif` behind the last line that belongs to it");
        let text = self.closing_text(".endif");
        self.report(found.with_guess("put `.endif` at the end", end, text));
    }

    fn unclosed(&mut self, open: &Gathering<'a>, place: Span, words: &str) {
        let (opening, closing) =
            if open.directive == Directive::Macro { (".macro", ".endmacro") } else { (".repeat", ".endrepeat") };
        self.is_partial = true;
        let found = diagnostic(codes::NOT_CLOSED, open.opening, format!("this `{opening}` is never closed"));
        let text = if place.start == place.end { self.closing_text(closing) } else { format!("{closing}\n\n") };
        let found = found.with_other(place, words);
        let found = found.with_expected(format!("`{closing}` behind the last line that belongs to it"));
        self.report(found.with_guess(format!("put `{closing}` there"), place.before(), text));
    }

    /// A closing directive behind the last line.
    fn closing_text(&self, closing: &str) -> String {
        let line_end = if self.block.text.ends_with('\n') || self.block.text.is_empty() { "" } else { "\n" };
        format!("{line_end}{closing}\n")
    }

    /// `n [, name]` behind `.repeat`.
    fn repeat_head(&mut self) -> Option<(i64, Option<&'a str>)> {
        let first = self.peek_or_behind();
        let rounds = self.known_value()?;
        let place = first.to(self.behind());
        if !(0..=MOST_ROUNDS).contains(&rounds) {
            let found = diagnostic(codes::RANGE, place, format!("{rounds} rounds cannot be done"));
            self.report(
                found.with_expected(format!("0 to {MOST_ROUNDS}; the nearest is {}", rounds.clamp(0, MOST_ROUNDS))),
            );
            return None;
        }
        if self.eat(Mark::Comma).is_none() {
            return Some((rounds, None));
        }
        let name = self.name_token(".repeat n, i")?;
        Some((rounds, Some(self.spelling(name))))
    }

    /// Signs that turn the direction of the text beside them (Unicode UAX #9), so that it reads as something else.
    fn note_turned(&mut self, block: Block<'a>) {
        /// The first byte in UTF-8 of all of them.
        const FIRST: u8 = 0xE2;
        let mut told_in = None;
        for at in memchr::memchr_iter(FIRST, block.text.as_bytes()) {
            let Some(sign @ ('\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}')) = block.text[at..].chars().next()
            else {
                continue;
            };
            let line = block.text[..at].rfind('\n');
            if told_in != Some(line) {
                told_in = Some(line);
                let span = Span::new(block.file, at, at + sign.len_utf8());
                let message =
                    format!("here stands U+{:04X}, which is not seen and turns the text beside it", u32::from(sign));
                let found = diagnostic(codes::TURNED, span, message);
                self.unit
                    .remarks
                    .push(found.with_expected("the text without it; in a text of the program, its bytes as \\x.."));
            }
        }
    }

    /// Another block may be read within this one; if not, that is reported with the chain that led here.
    pub(super) fn may_nest(&mut self, span: Span) -> bool {
        if self.is_stopped {
            return false;
        }
        if self.nesting < DEEPEST {
            return true;
        }
        self.is_stopped = true;
        self.report_chain(span, &format!("this would be the {} level of blocks within blocks", ordinal(DEEPEST + 1)));
        false
    }

    /// Unfolding has no end: the chain of calls, innermost first.
    pub(super) fn report_chain(&mut self, span: Span, message: &str) {
        const SHOWN: usize = 5;
        let expansions = &self.unit.expansions;
        let inner = self.block.expansion.map_or(span, |_| Span { file: expansions.file, ..span });
        let chain: Vec<(Span, Span)> =
            expansions.calls(inner).into_iter().map(|expansion| (expansion.definition, expansion.call)).collect();
        let names: Vec<&str> = chain.iter().rev().map(|(definition, _)| self.spelling(*definition)).collect();
        let outermost = chain.last().map_or(span, |(_, call)| *call);
        let text = match names.as_slice() {
            [] => message.to_owned(),
            names if names.len() <= SHOWN => format!("{message}: {}", names.join(" → ")),
            names => format!("{message}: {} → …", names[..SHOWN].join(" → ")),
        };
        let mut found = diagnostic(codes::ENDLESS, outermost, text);
        let mut told: Vec<Span> = Vec::new();
        for (definition, _) in chain.iter().rev() {
            if !told.contains(definition) && told.len() < SHOWN {
                told.push(*definition);
                found = found.with_other(*definition, "unfolded on the way");
            }
        }
        let found = found.with_expected("a condition (`.if`) that ends it, or fewer levels");
        self.unit.problems.push(found);
        self.is_partial = true;
    }

    fn macro_head(&mut self) -> Option<Macro<'a>> {
        const FORM: &str = ".macro NAME a, b = default";
        let name = self.name_token(FORM)?;
        let mut found = Macro::new(self.spelling(name), name);
        if self.peek().is_none() {
            return Some(found);
        }
        loop {
            let parameter = self.name_token(FORM)?;
            let spelling = self.spelling(parameter);
            if found.has_parameter(spelling) {
                let twice = diagnostic(codes::TWICE, parameter, format!("`{spelling}` is a parameter already"));
                self.report(twice.with_expected("a name of its own for each parameter"));
                return None;
            }
            let default = if self.eat(Mark::Equals).is_some() { Some(self.raw_argument()) } else { None };
            found.add_parameter(spelling, default);
            if !self.comma_or_end()? {
                return Some(found);
            }
        }
    }

    fn define_macro(&mut self, found: Macro<'a>) {
        let (name, span) = (found.name, found.span);
        if let Some(first) = self.macros.get(name).map(|known| known.span) {
            let twice = diagnostic(codes::TWICE, span, format!("the macro `{name}` is defined a second time"));
            let twice = twice.with_label("again here").with_other(first, "first here");
            self.report(twice.with_expected("a name of its own for one of them"));
            return;
        }
        if self.unit.syntax.is_mnemonic(name) || super::meaning_of(self.unit.syntax, name).is_some() {
            let found =
                diagnostic(codes::RESERVED, span, format!("`{name}` has a meaning already and cannot be a macro"));
            self.report(found.with_expected("a name of its own, such as `LOAD_PAIR`"));
            return;
        }
        self.macros.insert(name, Rc::new(found));
    }

    /// The text up to the next comma outside brackets, as it stands; all between braces without them.
    pub(super) fn raw_argument(&mut self) -> (&'a str, Span) {
        let place = self.peek_or_behind();
        if let Some(inner) = self.braced_argument() {
            return inner;
        }
        let mut whole: Option<Span> = None;
        let mut depth = 0u32;
        while let Some(token) = self.peek() {
            match token.kind {
                Kind::Mark(Mark::Comma) if depth == 0 => break,
                Kind::Mark(Mark::Open | Mark::ParenOpen) => depth += 1,
                Kind::Mark(Mark::Close | Mark::ParenClose) => depth = depth.saturating_sub(1),
                _ => {}
            }
            let span = self.span(token);
            whole = Some(whole.map_or(span, |whole| whole.to(span)));
            self.at += 1;
        }
        let span = whole.unwrap_or(place.before());
        (self.spelling(span), span)
    }
}

impl<'a> Parser<'a> {
    /// `{a, b}`, when it is a whole argument.
    fn braced_argument(&mut self) -> Option<(&'a str, Span)> {
        if !self.at_mark(Mark::BraceOpen) {
            return None;
        }
        let mut depth = 0i32;
        let rest = &self.tokens[self.at..];
        let close = rest.iter().position(|token| {
            depth += match token.kind {
                Kind::Mark(Mark::BraceOpen) => 1,
                Kind::Mark(Mark::BraceClose) => -1,
                _ => 0,
            };
            depth == 0
        })?;
        if rest.get(close + 1).is_some_and(|next| next.kind != Kind::Mark(Mark::Comma)) {
            return None;
        }
        let (open, close_span) = (self.span(rest[0]), self.span(rest[close]));
        let inner = Span { start: open.end, end: close_span.start, ..open };
        self.at += close + 1;
        Some((self.spelling(inner).trim(), inner))
    }
}

fn ordinal(number: u32) -> String {
    let ending = match (number % 10, number % 100) {
        (1, 0..=10 | 12..) => "st",
        (2, 0..=11 | 13..) => "nd",
        (3, 0..=12 | 14..) => "rd",
        _ => "th",
    };
    format!("{number}{ending}")
}

/// A line of blanks and a comment, as about half of all are.
fn says_nothing(line: &str, syntax: Syntax) -> bool {
    let first = line.bytes().find(|byte| !matches!(byte, b' ' | b'\t' | b'\r'));
    first.is_none_or(|byte| syntax.is_remark(byte.into()))
}
