//! Tokens to statements and names.
//!
//! Every line is taken for itself: a problem ends its line, never the next. Names are collected on the
//! way and looked up when all are known. Functions named `opt_` may find nothing and say nothing; the
//! others report what they miss and return `None`, which drops the line.

mod lookup;
mod operands;

use crate::codes;
use crate::directives::{DIRECTIVES, Directive, directive};
use crate::expr::{Binary, Expr, Step, SymbolId, Unary};
use crate::lexer::{Kind, Lexer, Mark, Token, unescape};
use crate::mnemonics::{mnemonic, mnemonics, register};
use crate::problems::diagnostic;
use crate::unit::{Definition, Name, Section, Statement, Unit, What};
use rustc_hash::FxHashMap;
use wendax_source::{Diagnostic, FileId, Sources, Span, nearest};

/// Brackets and unary operators may nest so deep.
const DEEPEST: u32 = 64;

/// Parses a text.
pub(crate) fn parse(sources: &Sources, file: FileId) -> Unit {
    let text = sources.file(file).text();
    let mut parser = Parser::new(file, text);
    let mut tokens = Vec::new();
    let mut start = 0;
    for (number, line) in (1u32..).zip(text.split_inclusive('\n')) {
        let end = start + line.trim_end_matches('\n').len();
        Lexer::line(file, text, start, end).run(&mut tokens, &mut parser.unit.problems);
        parser.line(&tokens, number);
        start += line.len();
    }
    lookup::resolve(&mut parser);
    parser.unit
}

/// What a name in the place of a definition means already, if anything.
fn meaning_of(name: &str) -> Option<&'static str> {
    if register(name).is_some() {
        return Some("a register");
    }
    match name.to_ascii_lowercase().as_str() {
        "fl" => Some("the flags"),
        "here" => Some("the present address"),
        "hi" | "lo" => Some("a byte of a word"),
        _ => None,
    }
}

struct Parser<'a> {
    text: &'a str,
    unit: Unit,
    section: Section,
    /// The last plain label, which local ones belong to.
    scope: Option<SymbolId>,
    plain: FxHashMap<&'a str, SymbolId>,
    local: FxHashMap<(SymbolId, &'a str), SymbolId>,
    /// Where in `steps` names stand that are operands of `sys`, in rising order.
    calls: Vec<usize>,
    tokens: Vec<Token>,
    at: usize,
    line: u32,
    /// Where the line's tokens end.
    line_end: u32,
    depth: u32,
}

impl<'a> Parser<'a> {
    fn new(file: FileId, text: &'a str) -> Self {
        Self {
            text,
            unit: Unit::new(file),
            section: Section::Code,
            scope: None,
            plain: FxHashMap::default(),
            local: FxHashMap::default(),
            calls: Vec::new(),
            tokens: Vec::new(),
            at: 0,
            line: 0,
            line_end: 0,
            depth: 0,
        }
    }

    // ---- the cursor

    fn peek(&self) -> Option<Token> {
        self.tokens.get(self.at).copied()
    }

    fn at_mark(&self, mark: Mark) -> bool {
        self.peek().is_some_and(|token| token.kind == Kind::Mark(mark))
    }

    fn bump(&mut self) -> Option<Token> {
        let token = self.peek()?;
        self.at += 1;
        Some(token)
    }

    fn eat(&mut self, mark: Mark) -> Option<Token> {
        if self.at_mark(mark) { self.bump() } else { None }
    }

    fn span(&self, token: Token) -> Span {
        Span { file: self.unit.file, start: token.start, end: token.end }
    }

    /// Right behind the last token taken.
    fn behind(&self) -> Span {
        let end = self.at.checked_sub(1).and_then(|at| self.tokens.get(at)).map_or(self.line_end, |token| token.end);
        Span { file: self.unit.file, start: end, end }
    }

    fn spelling(&self, span: Span) -> &'a str {
        &self.text[span.range()]
    }

    fn report(&mut self, found: Diagnostic) {
        self.unit.problems.push(found);
    }

    // ---- lines

    fn line(&mut self, tokens: &[Token], number: u32) {
        self.tokens.clear();
        self.tokens.extend_from_slice(tokens);
        (self.at, self.line, self.depth) = (0, number, 0);
        self.line_end = tokens.last().map_or(0, |token| token.end);
        while self.opt_label() {}
        let Some(first) = self.peek() else { return };
        let span = self.span(first);
        let done = match first.kind {
            Kind::Directive => self.directive(span),
            Kind::Name => self.instruction(span),
            Kind::Bad => None,
            Kind::Local => self.missing_colon(span),
            Kind::Number(_) | Kind::Char(_) | Kind::Text | Kind::Mark(_) => {
                let found = diagnostic(
                    codes::UNKNOWN_MNEMONIC,
                    span,
                    "a line begins with a label, an instruction or a directive",
                );
                self.report(found.with_expected("name:  mov r0, 1  ; comment"));
                None
            }
        };
        if done.is_some() {
            self.end_of_line();
        }
    }

    fn end_of_line(&mut self) {
        let Some(extra) = self.peek().filter(|token| token.kind != Kind::Bad) else { return };
        let whole = self.span(extra).to(Span { end: self.line_end, ..self.span(extra) });
        let what = self.spelling(whole);
        let found = diagnostic(codes::EXTRA, whole, format!("`{what}` is left over at the end of the line"));
        self.report(found.with_expected("one instruction or directive a line; a comment begins with `;`"));
    }

    /// `name:` or `@name:`, if the line goes on with one.
    fn opt_label(&mut self) -> bool {
        let Some(first) = self.peek().filter(|token| matches!(token.kind, Kind::Name | Kind::Local)) else {
            return false;
        };
        if self.tokens.get(self.at + 1).is_none_or(|next| next.kind != Kind::Mark(Mark::Colon)) {
            return false;
        }
        self.at += 2;
        self.define_label(self.span(first), first.kind == Kind::Local);
        true
    }

    fn define_label(&mut self, span: Span, local: bool) {
        let statement = u32::try_from(self.unit.section(self.section).len()).unwrap_or(u32::MAX);
        let definition = Definition::Label { section: self.section, statement };
        if !local {
            // The scope changes even when the name is refused, so that its local labels find an owner.
            let id = self.define(span, None, definition);
            self.scope = id.or(self.scope);
        } else if let Some(owner) = self.scope {
            self.define(span, Some(owner), definition);
        } else {
            let found = diagnostic(
                codes::NO_SCOPE,
                span,
                "a local label belongs to the plain label above it, and there is none",
            );
            let name = &self.spelling(span)[1..];
            self.report(found.with_fix(format!("make it a plain label, `{name}`"), span, name));
        }
    }

    /// Takes in a name, unless it is one already or reserved.
    fn define(&mut self, span: Span, owner: Option<SymbolId>, definition: Definition) -> Option<SymbolId> {
        let name = self.spelling(span);
        if let Some(meaning) = meaning_of(name) {
            let found = diagnostic(codes::RESERVED, span, format!("`{name}` is {meaning} and cannot be defined"));
            self.report(found.with_expected("a name of its own, such as `total` or `next_axle`"));
            return None;
        }
        let id = SymbolId(u32::try_from(self.unit.names.len()).unwrap_or(u32::MAX));
        let known = match owner {
            None => *self.plain.entry(name).or_insert(id),
            Some(owner) => *self.local.entry((owner, name)).or_insert(id),
        };
        if known != id {
            let first = self.unit.name(known).span;
            let found = diagnostic(codes::TWICE, span, format!("`{name}` is defined a second time"));
            self.report(found.with_label("again here").with_other(first, "first here"));
            return Some(known);
        }
        self.unit.names.push(Name { span, owner, definition, used: false, value: None });
        let spelling = match owner {
            Some(owner) => format!("{}{name}", self.unit.spellings[owner.0 as usize]),
            None => name.to_owned(),
        };
        self.unit.spellings.push(spelling);
        Some(id)
    }

    fn push(&mut self, what: What, from: Span) {
        let span = from.to(self.behind());
        let statement = Statement { what, span, line: self.line };
        match self.section {
            Section::Code => self.unit.code.push(statement),
            Section::Data => self.unit.data.push(statement),
        }
    }

    // ---- instructions

    fn instruction(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        let Some(mnemonic) = mnemonic(name) else { return self.unknown_start(span) };
        self.bump();
        let operands = self.operands()?;
        let what = self.choose(mnemonic, span, &operands)?;
        if self.section == Section::Data {
            let found =
                diagnostic(codes::OPERANDS, span, format!("`{name}` stands in `.data`, where nothing can be run"));
            self.report(found.with_expected("instructions after `.code`"));
            return None;
        }
        self.push(what, span);
        Some(())
    }

    /// A line that begins with a name that is no instruction: a label without its colon, or a misspelling.
    fn unknown_start(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        let near = nearest(name, mnemonics().map(|(name, _)| name));
        let next = self.tokens.get(self.at + 1).copied();
        let next_word = next.map(|token| self.spelling(self.span(token)));
        let before_statement = next.is_some_and(|token| token.kind == Kind::Directive)
            || next_word.is_some_and(|word| mnemonic(word).is_some());
        let at_margin = span.start == 0 || self.text.as_bytes().get(span.start as usize - 1) == Some(&b'\n');
        if next_word == Some("=") || next_word.is_some_and(|word| word.eq_ignore_ascii_case("equ")) {
            return self.equ_of_another_dialect(span);
        }
        if before_statement || next.is_none() && (at_margin || near.is_none()) {
            return self.missing_colon(span);
        }
        let mut found = diagnostic(codes::UNKNOWN_MNEMONIC, span, format!("`{name}` is no instruction"));
        if let Some(dotted) = directive(&format!(".{name}")) {
            found = found.with_fix(format!("it is a directive: `{}`", dotted.name), span, dotted.name);
        } else if let Some(near) = near {
            found = found.with_fix(format!("did you mean `{near}`?"), span, near);
        } else {
            found = found.with_expected("an instruction of the table, such as mov, add, ldw, stw, cmp, jz, call");
        }
        self.report(found);
        None
    }

    fn missing_colon(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        let found = diagnostic(codes::MISSING_COLON, span, format!("`{name}` would be a label, but has no colon"));
        self.report(found.with_fix(format!("write `{name}:`"), span.after(), ":"));
        // Defined all the same, so that its uses do not become problems too.
        let names = self.unit.names.len();
        self.define_label(span, name.starts_with('@'));
        self.unit.names[names..].iter_mut().for_each(|name| name.used = true);
        None
    }

    /// `NAME = value`, `NAME equ value`.
    fn equ_of_another_dialect(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        self.at += 2;
        let value = self.expression()?;
        let whole = span.to(value.span);
        let right = format!(".equ {name}, {}", self.spelling(value.span));
        let found = diagnostic(codes::UNKNOWN_MNEMONIC, whole, format!("a value is given to `{name}` by `.equ`"));
        self.report(found.with_expected(".equ NAME, value").with_fix(format!("write `{right}`"), whole, right));
        self.define(span, None, Definition::Constant(value));
        None
    }

    // ---- directives

    fn directive(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        let Some(info) = directive(name) else {
            let mut found = diagnostic(codes::UNKNOWN_DIRECTIVE, span, format!("`{name}` is no directive"));
            if let Some(near) = nearest(name, DIRECTIVES.iter().map(|info| info.name)) {
                found = found.with_fix(format!("did you mean `{near}`?"), span, near);
            } else {
                let all: Vec<&str> = DIRECTIVES.iter().map(|info| info.name).collect();
                found = found.with_expected(all.join(" "));
            }
            self.report(found);
            return None;
        };
        self.bump();
        match info.directive {
            Directive::Code => self.section = Section::Code,
            Directive::Data => self.section = Section::Data,
            Directive::Org => {
                let address = self.expression()?;
                self.push(What::Org(address), span);
            }
            Directive::Align => {
                let (to, fill) = self.value_and_fill()?;
                self.push(What::Align { to, fill }, span);
            }
            Directive::Space => {
                let (count, fill) = self.value_and_fill()?;
                self.push(What::Space { count, fill }, span);
            }
            Directive::Byte => self.values(1, span)?,
            Directive::Word => self.values(2, span)?,
            Directive::Ascii => self.texts(false, info.form, span)?,
            Directive::Asciz => self.texts(true, info.form, span)?,
            Directive::Equ => self.equ(info.form)?,
            Directive::Entry => {
                let label = self.expression()?;
                self.unit.entry = Some((label, span));
            }
        }
        Some(())
    }

    fn value_and_fill(&mut self) -> Option<(Expr, Option<Expr>)> {
        let value = self.expression()?;
        let fill = if self.eat(Mark::Comma).is_some() { Some(self.expression()?) } else { None };
        Some((value, fill))
    }

    fn values(&mut self, width: u32, span: Span) -> Option<()> {
        let count = |values: &Vec<Expr>| u32::try_from(values.len()).unwrap_or(u32::MAX);
        let from = count(&self.unit.values);
        loop {
            if let Some(text) = self.peek().filter(|token| token.kind == Kind::Text) {
                let place = self.span(text);
                let found = diagnostic(codes::OPERANDS, place, "a text stands in a list of numbers");
                self.report(found.with_expected(".ascii \"text\", or .asciz \"text\" with a NUL behind it"));
                return None;
            }
            let value = self.expression()?;
            self.unit.values.push(value);
            if !self.comma_or_end()? {
                break;
            }
        }
        let to = count(&self.unit.values);
        self.push(What::Values { width, from, to }, span);
        Some(())
    }

    fn texts(&mut self, nul: bool, form: &str, span: Span) -> Option<()> {
        let count = |bytes: &Vec<u8>| u32::try_from(bytes.len()).unwrap_or(u32::MAX);
        let from = count(&self.unit.bytes);
        loop {
            let Some(token) = self.bump().filter(|token| token.kind == Kind::Text) else {
                self.at = self.at.min(self.tokens.len());
                if self.tokens.last().is_none_or(|token| token.kind != Kind::Bad) {
                    let place = self.peek_or_behind();
                    self.report(diagnostic(codes::MISSING_VALUE, place, "a text is missing here").with_expected(form));
                }
                return None;
            };
            let spelling = self.spelling(self.span(token));
            unescape(spelling, &mut self.unit.bytes);
            if nul {
                self.unit.bytes.push(0);
            }
            if !self.comma_or_end()? {
                break;
            }
        }
        let to = count(&self.unit.bytes);
        self.push(What::Bytes { from, to }, span);
        Some(())
    }

    fn peek_or_behind(&self) -> Span {
        self.peek().map_or(self.behind(), |token| self.span(token))
    }

    fn equ(&mut self, form: &str) -> Option<()> {
        let Some(name) = self.bump().filter(|token| token.kind == Kind::Name) else {
            let place = self.behind();
            self.report(diagnostic(codes::MISSING_VALUE, place, "a name is missing here").with_expected(form));
            return None;
        };
        if self.eat(Mark::Equals).is_some() {
            let place = self.span(self.tokens[self.at - 1]);
            let found = diagnostic(codes::MISSING_COMMA, place, "a comma stands between the name and its value");
            self.report(found.with_expected(form).with_fix("write a comma", place, ","));
        } else {
            self.comma()?;
        }
        let value = self.expression()?;
        self.define(self.span(name), None, Definition::Constant(value));
        Some(())
    }

    /// A comma that must be there.
    fn comma(&mut self) -> Option<()> {
        if self.eat(Mark::Comma).is_some() {
            return Some(());
        }
        let place = self.behind();
        let before = self.spelling(self.span(self.tokens[self.at - 1]));
        let found = diagnostic(codes::MISSING_COMMA, place, format!("a comma is missing after `{before}`"));
        self.report(found.with_fix(format!("put a comma after `{before}`"), place, ","));
        None
    }

    /// Between the entries of a list: true when another one follows.
    fn comma_or_end(&mut self) -> Option<bool> {
        match self.peek() {
            None => Some(false),
            Some(token) if token.kind == Kind::Bad => None,
            Some(token) if token.kind == Kind::Mark(Mark::Comma) => {
                self.bump();
                Some(true)
            }
            Some(token) if matches!(token.kind, Kind::Mark(Mark::ParenClose | Mark::Close)) => {
                let place = self.span(token);
                let what = self.spelling(place);
                let found = diagnostic(codes::UNCLOSED, place, format!("`{what}` has no partner before it"));
                self.report(found.with_fix("take it away", place, ""));
                None
            }
            Some(_) => self.comma().map(|()| true),
        }
    }

    // ---- expressions

    fn expression(&mut self) -> Option<Expr> {
        let start = self.unit.steps.len();
        let first = self.peek();
        self.binary(0)?;
        Some(self.finish_expression(start, first))
    }

    fn finish_expression(&self, start: usize, first: Option<Token>) -> Expr {
        let offset = |at: usize| u32::try_from(at).unwrap_or(u32::MAX);
        let span = first.map_or(self.behind(), |token| self.span(token)).to(self.behind());
        Expr { start: offset(start), end: offset(self.unit.steps.len()), span }
    }

    /// Precedence climbing: a primary, then operators that bind tighter than `above`.
    fn binary(&mut self, above: u8) -> Option<()> {
        self.primary()?;
        self.operators(above)
    }

    fn operators(&mut self, above: u8) -> Option<()> {
        while let Some((operator, token)) = self.opt_operator().filter(|(operator, _)| operator.precedence() > above) {
            // `label + r1` in an address: what follows is a register, which ends the expression.
            let register_next =
                self.tokens.get(self.at + 1).is_some_and(|next| register(self.spelling(self.span(*next))).is_some());
            if operator == Binary::Add && register_next {
                return Some(());
            }
            self.bump();
            self.nested(|parser| parser.binary(operator.precedence()))?;
            let span = self.span(token);
            self.unit.steps.push(Step::Binary(operator, span));
        }
        Some(())
    }

    fn opt_operator(&self) -> Option<(Binary, Token)> {
        let token = self.peek()?;
        let Kind::Mark(mark) = token.kind else { return None };
        let operator = match mark {
            Mark::Star => Binary::Multiply,
            Mark::Slash => Binary::Divide,
            Mark::Percent => Binary::Remainder,
            Mark::Plus => Binary::Add,
            Mark::Minus => Binary::Subtract,
            Mark::Left => Binary::Left,
            Mark::Right => Binary::Right,
            Mark::And => Binary::And,
            Mark::Xor => Binary::Xor,
            Mark::Or => Binary::Or,
            _ => return None,
        };
        Some((operator, token))
    }

    fn nested(&mut self, inner: impl FnOnce(&mut Self) -> Option<()>) -> Option<()> {
        self.depth += 1;
        if self.depth > DEEPEST {
            let place = self.peek_or_behind();
            if !self.unit.problems.has(place) {
                self.report(diagnostic(codes::TOO_DEEP, place, format!("this is nested more than {DEEPEST} deep")));
            }
            return None;
        }
        let done = inner(self);
        self.depth -= 1;
        done
    }

    fn primary(&mut self) -> Option<()> {
        let Some(token) = self.peek() else {
            let place = self.behind();
            self.report(
                diagnostic(codes::MISSING_VALUE, place, "a value is missing here")
                    .with_expected("a number, a name or an expression"),
            );
            return None;
        };
        let span = self.span(token);
        match token.kind {
            Kind::Number(value) | Kind::Char(value) => {
                self.bump();
                self.unit.steps.push(Step::Number(value));
                Some(())
            }
            Kind::Name => self.name(span),
            Kind::Local => {
                self.bump();
                self.unit.steps.push(Step::Name(span, self.scope));
                Some(())
            }
            Kind::Mark(Mark::Minus) => self.unary(Unary::Minus),
            Kind::Mark(Mark::Not) => self.unary(Unary::Not),
            Kind::Mark(Mark::Plus) => {
                self.bump();
                self.nested(Self::primary)
            }
            Kind::Mark(Mark::ParenOpen) => {
                self.bump();
                self.parenthesis(span)
            }
            Kind::Mark(Mark::Percent) => self.percent_number(span),
            Kind::Bad => None,
            Kind::Text | Kind::Directive | Kind::Mark(_) => {
                let what = self.spelling(span);
                self.report(
                    diagnostic(codes::MISSING_VALUE, span, format!("a value is missing before `{what}`"))
                        .with_expected("a number, a name or an expression"),
                );
                None
            }
        }
    }

    /// `%101`: a binary number in another dialect's form.
    fn percent_number(&mut self, span: Span) -> Option<()> {
        let next = self.tokens.get(self.at + 1).map(|token| self.span(*token)).filter(|next| next.start == span.end);
        let digits = next.map(|next| self.spelling(next)).filter(|word| word.bytes().all(|b| matches!(b, b'0' | b'1')));
        let whole = next.map_or(span, |next| span.to(next));
        let mut found =
            diagnostic(codes::MISSING_VALUE, span, "a value is missing before `%`, the remainder of a division");
        if let Some(digits) = digits {
            let right = format!("0b{digits}");
            found = diagnostic(codes::OTHER_NUMBER, whole, "binary numbers are written with 0b").with_fix(
                format!("write `{right}`"),
                whole,
                right,
            );
        }
        self.report(found);
        None
    }

    fn unary(&mut self, operator: Unary) -> Option<()> {
        self.bump();
        self.nested(Self::primary)?;
        self.unit.steps.push(Step::Unary(operator));
        Some(())
    }

    /// The rest of `( expression )`.
    fn parenthesis(&mut self, open: Span) -> Option<()> {
        self.nested(|parser| parser.binary(0))?;
        if self.eat(Mark::ParenClose).is_some() {
            return Some(());
        }
        if self.peek().is_none_or(|token| token.kind != Kind::Bad) {
            let place = self.behind();
            let found = diagnostic(codes::UNCLOSED, place, "a `)` is missing here");
            self.report(found.with_other(open, "opened here").with_fix("close it", place, ")"));
        }
        None
    }

    fn name(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        self.bump();
        let function = match name.to_ascii_lowercase().as_str() {
            "here" => {
                self.unit.steps.push(Step::Here);
                return Some(());
            }
            "hi" => Some(Unary::High),
            "lo" => Some(Unary::Low),
            _ => None,
        };
        if let Some(function) = function {
            let Some(open) = self.eat(Mark::ParenOpen) else {
                let found =
                    diagnostic(codes::MISSING_VALUE, span.after(), format!("`{name}` takes a value in parentheses"));
                self.report(found.with_expected(format!("{name}(label)")));
                return None;
            };
            self.parenthesis(self.span(open))?;
            self.unit.steps.push(Step::Unary(function));
            return Some(());
        }
        if register(name).is_some() {
            let found =
                diagnostic(codes::OPERANDS, span, format!("the register `{name}` cannot be part of an expression"));
            self.report(found.with_expected("numbers and names; in brackets a register may stand first: [r1 + 4]"));
            return None;
        }
        self.unit.steps.push(Step::Name(span, None));
        Some(())
    }
}
