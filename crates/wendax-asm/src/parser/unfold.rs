//! Macros and repeats to lines.
//!
//! Parameters are replaced as text, so that an argument can be a register, a value, a text or a part of a
//! name. Where each piece came from is kept in [`crate::expansion::Expansions`].

use super::Parser;
use super::block::Block;
use crate::codes;
use crate::directives::{Directive, block_directive};
use crate::expansion::{Expansion, Origin};
use crate::expr::Scope;
use crate::lexer::{Kind, Mark, comment_start};
use crate::problems::{diagnostic, quoted};
use crate::syntax::Syntax;
use std::sync::Arc;
use wendax_source::{FileId, Span};

/// Unfolded text of one unit, in bytes: a program for 64 KiB needs a small part of it.
const MOST_TEXT: usize = 1 << 23;

/// Macros and rounds unfolded in one unit.
const MOST_EXPANSIONS: usize = 1 << 18;

/// A piece of a body.
#[derive(Debug, Clone, Copy)]
enum Part<'a> {
    Text(&'a str, Span),
    /// The parameter of this number.
    Parameter(usize),
}

#[derive(Debug)]
pub(super) struct Macro<'a> {
    pub(super) name: &'a str,
    /// Its name where it is defined.
    pub(super) span: Span,
    parameters: Vec<(&'a str, Option<(&'a str, Span)>)>,
    body: Vec<Part<'a>>,
}

impl<'a> Macro<'a> {
    pub(super) fn new(name: &'a str, span: Span) -> Self {
        Self { name, span, parameters: Vec::new(), body: Vec::new() }
    }

    pub(super) fn parameter_names(&self) -> Vec<&'a str> {
        self.parameters.iter().map(|(name, _)| *name).collect()
    }

    pub(super) fn has_parameter(&self, name: &str) -> bool {
        self.parameters.iter().any(|(known, _)| *known == name)
    }

    pub(super) fn add_parameter(&mut self, name: &'a str, default: Option<(&'a str, Span)>) {
        self.parameters.push((name, default));
    }

    pub(super) fn set_body(&mut self, syntax: Syntax, (file, base): (FileId, u32), text: &'a str) {
        let names: Vec<&str> = self.parameters.iter().map(|(name, _)| *name).collect();
        self.body = parts(syntax, (file, base), text, &names);
    }

    /// How it is written: `NAME a, b = 1`.
    fn form(&self) -> String {
        let parameters: Vec<String> = self
            .parameters
            .iter()
            .map(|(name, default)| match default {
                Some((text, _)) => format!("{name} = {text}"),
                None => (*name).to_owned(),
            })
            .collect();
        format!("{} {}", self.name, parameters.join(", ")).trim().to_owned()
    }
}

/// A body cut at its parameters; comments are left out.
fn parts<'a>(syntax: Syntax, (file, base): (FileId, u32), text: &'a str, names: &[&str]) -> Vec<Part<'a>> {
    let mut parts = Vec::new();
    let piece = |range: std::ops::Range<usize>| {
        let span = Span::new(file, base as usize + range.start, base as usize + range.end);
        Part::Text(&text[range], span)
    };
    let mut start = 0;
    // Of each repeat within, the name that means its own count there.
    let mut hidden: Vec<Option<usize>> = Vec::new();
    for line in text.split_inclusive('\n') {
        let within = block_directive(line.trim_end_matches(['\n', '\r']));
        if matches!(within, Some((Directive::EndRepeat, _))) {
            hidden.pop();
        }
        let content = comment_start(line.trim_end_matches(['\n', '\r']), syntax);
        let mut at = 0;
        let mut from = 0;
        while let Some(open) = line[at..content].find('{').map(|open| at + open) {
            let close = line[open..content].find('}').map(|close| open + close);
            let name = close.map(|close| line[open + 1..close].trim());
            let number = name.and_then(|name| names.iter().position(|known| *known == name));
            let number = number.filter(|number| !hidden.contains(&Some(*number)));
            let Some((number, close)) = number.zip(close) else {
                at = open + 1;
                continue;
            };
            if from < open {
                parts.push(piece(start + from..start + open));
            }
            parts.push(Part::Parameter(number));
            (at, from) = (close + 1, close + 1);
        }
        if from < content {
            parts.push(piece(start + from..start + content));
        }
        if line.ends_with('\n') {
            parts.push(piece(start + line.len() - 1..start + line.len()));
        }
        if let Some((Directive::Repeat, range)) = within {
            let counter = line[range.end..content.max(range.end)].rsplit_once(',').map(|(_, name)| name.trim());
            hidden.push(counter.and_then(|counter| names.iter().position(|known| *known == counter)));
        }
        start += line.len();
    }
    parts
}

impl<'a> Parser<'a> {
    /// A line that calls a macro.
    pub(super) fn call_macro(&mut self, found: &Macro<'a>, span: Span) -> Option<()> {
        self.bump();
        if self.tokens.last().is_some_and(|token| token.kind == Kind::Bad) {
            return None;
        }
        let mut given: Vec<(&'a str, Span)> = Vec::new();
        while self.peek().is_some() {
            given.push(self.raw_argument());
            if self.eat(Mark::Comma).is_some() && self.peek().is_none() {
                given.push(("", self.behind()));
            }
        }
        let arguments = self.match_arguments(found, span, &given)?;
        let call = span.to(self.behind());
        self.unfold(&found.body, &arguments, (found.span, call, None), self.line)
    }

    fn match_arguments(
        &mut self,
        found: &Macro<'a>,
        span: Span,
        given: &[(&'a str, Span)],
    ) -> Option<Vec<(&'a str, Span)>> {
        if let Some((text, place)) = given.get(found.parameters.len()) {
            let message = format!("`{}` is one more than `{}` takes", quoted(text), found.name);
            let problem = diagnostic(codes::OPERANDS, *place, message).with_other(found.span, "defined here");
            self.report(problem.with_expected(found.form()));
            return None;
        }
        let mut arguments = Vec::with_capacity(found.parameters.len());
        for (index, (name, default)) in found.parameters.iter().enumerate() {
            let argument = given.get(index).copied().filter(|(text, _)| !text.is_empty()).or(*default);
            let Some(argument) = argument else {
                let place = given.get(index).map_or(span.to(self.behind()), |(_, place)| *place);
                let message = format!("`{}` needs something for `{name}`", found.name);
                let problem = diagnostic(codes::OPERANDS, place, message).with_other(found.span, "defined here");
                self.report(problem.with_expected(found.form()));
                return None;
            };
            arguments.push(argument);
        }
        Some(arguments)
    }

    /// All rounds of a repeat.
    pub(super) fn repeat(
        &mut self,
        opening: Span,
        line: u32,
        (rounds, name): (i64, Option<&'a str>),
        base: u32,
        body: &'a str,
    ) {
        let names: Vec<&str> = name.into_iter().collect();
        let parts = parts(self.unit.syntax, (self.block.file, base), body, &names);
        let around = match (self.block.expansion, self.scope) {
            (Some(expansion), _) => Scope::Expansion(expansion),
            (None, Some(label)) => Scope::Label(label),
            (None, None) => Scope::Unit,
        };
        for round in 0..rounds {
            let text: &'a str = self.arena.alloc(Arc::from(round.to_string()));
            if self.unfold(&parts, &[(text, opening)], (opening, opening, Some(around)), line).is_none() {
                return;
            }
        }
    }

    /// Writes the lines of a body and reads them.
    fn unfold(
        &mut self,
        body: &[Part<'a>],
        arguments: &[(&'a str, Span)],
        (definition, call, around): (Span, Span, Option<Scope>),
        line: u32,
    ) -> Option<()> {
        if !self.may_nest(call) {
            return None;
        }
        let base = self.unit.expansions.length();
        // Measured before it is written: a body of many parameters with a large argument must not fill memory first.
        let length = |part: &Part<'a>| match *part {
            Part::Text(text, _) => text.len(),
            Part::Parameter(number) => arguments.get(number).map_or(0, |(text, _)| text.len()),
        };
        let added = body.iter().map(length).fold(0, usize::saturating_add);
        if self.unit.expansions.text.len().saturating_add(added) > MOST_TEXT {
            self.is_stopped = true;
            self.report_chain(call, "this unfolds to more text than any program needs, over 8 MiB");
            return None;
        }
        for part in body {
            match *part {
                Part::Text(text, span) => self.unit.expansions.push(Origin::Body, span, text),
                Part::Parameter(number) => {
                    let (text, span) = arguments.get(number).copied().unwrap_or(("", call));
                    self.unit.expansions.push(Origin::Argument, span, text);
                }
            }
        }
        if !self.unit.expansions.text.ends_with('\n') {
            self.unit.expansions.text.push('\n');
        }
        if self.unit.expansions.list.len() >= MOST_EXPANSIONS {
            self.is_stopped = true;
            self.report_chain(call, "this unfolds more often than any program needs, 262144 times");
            return None;
        }
        let text: &'a str = self.arena.alloc(Arc::from(&self.unit.expansions.text[base as usize..]));
        self.made.push((base, text));
        let number = u32::try_from(self.unit.expansions.list.len()).unwrap_or(u32::MAX);
        let parent = self.block.expansion;
        self.unit.expansions.list.push(Expansion { at: base, definition, call, parent, around });
        let site = self.site;
        self.site = site.or(Some((call, line)));
        let tokens = std::mem::take(&mut self.tokens);
        self.read(Block { file: self.unit.expansions.file, base, text, expansion: Some(number) });
        self.tokens = tokens;
        self.at = self.tokens.len();
        self.site = site;
        Some(())
    }
}
