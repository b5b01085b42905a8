//! Expressions to postfix code, and the values of those that must be known while reading.

use super::Parser;
use crate::codes;
use crate::expr::{Binary, EvalError, Expr, Names, Scope, Step, SymbolId, Unary, Value, evaluate};
use crate::lexer::{Kind, Mark, Token};
use crate::problems::{diagnostic, quoted, without_value};
use crate::syntax::Syntax;
use crate::unit::Definition;
use wendax_source::Span;

/// Brackets and unary operators may nest so deep.
const DEEPEST: u32 = 64;

/// Constants may refer to others so deep to be known while reading.
const DEEPEST_CONSTANT: u32 = 64;

/// Digits from which on a number in both bases is worth a hint; shorter ones are too usual.
const TELLING: usize = 3;

impl Parser<'_> {
    pub(crate) fn expression(&mut self) -> Option<Expr> {
        let start = self.unit.steps.len();
        let first = self.peek();
        self.binary(0)?;
        Some(self.finish_expression(start, first))
    }

    pub(crate) fn finish_expression(&self, start: usize, first: Option<Token>) -> Expr {
        let offset = |at: usize| u32::try_from(at).unwrap_or(u32::MAX);
        let span = first.map_or(self.behind(), |token| self.span(token)).to(self.behind());
        Expr { start: offset(start), end: offset(self.unit.steps.len()), span }
    }

    /// Precedence climbing: a primary, then operators that bind tighter than `above`.
    pub(crate) fn binary(&mut self, above: u8) -> Option<()> {
        self.primary()?;
        self.operators(above)
    }

    pub(crate) fn operators(&mut self, above: u8) -> Option<()> {
        while let Some((operator, token)) = self.opt_operator().filter(|(operator, _)| operator.precedence() > above) {
            // `label + r1` in an address: what follows is a register, which ends the expression.
            let register_next = self
                .tokens
                .get(self.at + 1)
                .is_some_and(|next| self.register(self.spelling(self.span(*next))).is_some());
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
        Some((Binary::of(mark)?, token))
    }

    pub(crate) fn nested(&mut self, inner: impl FnOnce(&mut Self) -> Option<()>) -> Option<()> {
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
                if token.kind == Kind::Char(value) {
                    self.note_character(span, value);
                } else {
                    self.note_digits(span);
                }
                self.unit.steps.push(Step::Number(value));
                Some(())
            }
            Kind::Name => self.name(span),
            Kind::Directive if self.unit.syntax.in_name(b'.') => self.name(span),
            Kind::Numbered => {
                self.bump();
                self.numbered_step(span);
                Some(())
            }
            Kind::Local => {
                self.bump();
                let scope = self.scope_of(span);
                self.unit.steps.push(Step::Name(span, scope));
                Some(())
            }
            Kind::Mark(Mark::Minus) => self.unary(Unary::Minus),
            Kind::Mark(Mark::Not) => self.unary(Unary::Not),
            Kind::Mark(Mark::Bang) => self.unary(Unary::Bang),
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
            // The label it names was told already, or will be.
            Kind::Directive if self.told.contains(self.spelling(span)) => None,
            Kind::Text | Kind::Directive | Kind::Mark(_) => {
                let what = quoted(self.spelling(span));
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
            found = diagnostic(codes::OTHER_NUMBER, whole, "binary numbers are written with 0b").with_guess(
                format!("write `{right}`"),
                whole,
                right,
            );
        }
        self.report(found);
        None
    }

    /// `1b`, `1f`.
    fn numbered_step(&mut self, span: Span) {
        let word = self.spelling(span);
        let (digits, way) = word.split_at(word.len() - 1);
        let (last, ahead) = self.numbered.entry(digits).or_default();
        if way == "f" {
            ahead.push((self.unit.steps.len(), span));
            self.unit.steps.push(Step::Unknown);
        } else if let Some(id) = *last {
            self.unit.names[id.0 as usize].used.get_or_insert(span);
            self.unit.steps.push(Step::Symbol(id));
        } else {
            self.unit.steps.push(Step::Unknown);
            let found = diagnostic(codes::UNKNOWN_NAME, span, format!("there is no `{digits}:` above this"));
            self.report(found.with_expected(format!("`{digits}:` above, or `{digits}f` for the next one below")));
        }
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
            self.report(found.with_other(open, "opened here").with_guess("close it", place, ")"));
        }
        None
    }

    fn name(&mut self, span: Span) -> Option<()> {
        let name = self.spelling(span);
        self.bump();
        let function = match name.to_ascii_lowercase().as_str() {
            "here" | "." => {
                self.unit.steps.push(Step::Here);
                return Some(());
            }
            "sizeof" => return self.about_name(name, span, About::Size),
            "defined" => return self.about_name(name, span, About::Defined),
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
        if self.register(name).is_some() {
            let found =
                diagnostic(codes::OPERANDS, span, format!("the register `{name}` cannot be part of an expression"));
            let right = match self.unit.syntax {
                Syntax::W16 => "numbers and names; in brackets a register may stand first: [r1 + 4]",
                Syntax::Rv32 => "numbers and names; an address is an offset with a register in parentheses: 4(a0)",
            };
            self.report(found.with_expected(right));
            return None;
        }
        let begins_value =
            |token: &Token| matches!(token.kind, Kind::Number(_) | Kind::Char(_) | Kind::Name | Kind::Local);
        if name.eq_ignore_ascii_case("not") && self.peek().as_ref().is_some_and(begins_value) {
            let found = self.word_operator(self.at - 1)?;
            self.report(found);
            return None;
        }
        if let Some(&value) = self.present.get(name) {
            if let Some(id) = self.plain.get(name) {
                self.unit.names[id.0 as usize].used.get_or_insert(span);
            }
            self.unit.steps.push(Step::Number(value));
            return Some(());
        }
        self.unit.steps.push(Step::Name(span, Scope::Unit));
        Some(())
    }

    /// `sizeof(label)`, `defined(NAME)`.
    fn about_name(&mut self, function: &str, span: Span, about: About) -> Option<()> {
        let open = self.eat(Mark::ParenOpen);
        let name = self.peek().filter(|token| open.is_some() && matches!(token.kind, Kind::Name | Kind::Local));
        let Some(name) = name else {
            let place = self.peek_or_behind();
            let found = diagnostic(codes::MISSING_VALUE, place, format!("`{function}` takes a name in parentheses"));
            self.report(found.with_expected(format!("{function}(label)")));
            return None;
        };
        self.bump();
        let (name, kind) = (self.span(name), name.kind);
        if self.eat(Mark::ParenClose).is_none() {
            let place = self.behind();
            let found = diagnostic(codes::UNCLOSED, place, "a `)` is missing here");
            let open = open.map_or(span, |open| self.span(open));
            self.report(found.with_other(open, "opened here").with_guess("close it", place, ")"));
            return None;
        }
        let scope = if kind == Kind::Local { self.scope_of(name) } else { Scope::Unit };
        self.unit.steps.push(match about {
            About::Size => Step::SizeOfName(name, scope),
            About::Defined => Step::Number(self.plain.contains_key(self.spelling(name)).into()),
        });
        Some(())
    }

    // ---- values known while reading

    /// The value of an expression made of numbers and of constants defined above; what is not known yet is
    /// reported.
    pub(crate) fn known_value(&mut self) -> Option<i64> {
        let expr = self.expression()?;
        let steps = self.unit.steps(expr).to_vec();
        // It leaves no trace: nothing of it is looked up later.
        self.unit.steps.truncate(expr.start as usize);
        match self.value_now(&steps, 0) {
            Ok(value) => Some(value),
            Err(NotKnown::Name(span)) => {
                if !self.is_partial {
                    let name = self.spelling(span);
                    let found = diagnostic(codes::NOT_YET, span, format!("`{name}` has no value here yet"));
                    self.report(found.with_expected("numbers, and constants that `.equ` defines above"));
                }
                None
            }
            Err(NotKnown::Other(error)) => {
                if let Some(found) = without_value(error, expr.span) {
                    self.report(found);
                }
                None
            }
        }
    }

    fn value_now(&mut self, steps: &[Step], depth: u32) -> Result<i64, NotKnown> {
        let mut plain = Vec::with_capacity(steps.len());
        // What is not known is only missed when it decides: `defined(N) && N > 5`.
        let mut unknown = None;
        for step in steps {
            plain.push(match *step {
                Step::Name(span, Scope::Unit) => match self.constant_now(span, depth) {
                    Ok(value) => Step::Number(value),
                    Err(NotKnown::Name(span)) => {
                        unknown.get_or_insert(span);
                        Step::Unknown
                    }
                    Err(other) => return Err(other),
                },
                Step::Name(span, _) | Step::SizeOfName(span, _) => {
                    unknown.get_or_insert(span);
                    Step::Unknown
                }
                other => other,
            });
        }
        match (evaluate(&plain, &NoNames, Value::number(0)), unknown) {
            (Ok(value), _) => Ok(value.offset),
            (Err(EvalError::Reported), Some(span)) => Err(NotKnown::Name(span)),
            (Err(error), _) => Err(NotKnown::Other(error)),
        }
    }

    fn constant_now(&mut self, span: Span, depth: u32) -> Result<i64, NotKnown> {
        let known = self.plain.get(self.spelling(span)).copied().filter(|_| depth < DEEPEST_CONSTANT);
        let id = known.ok_or(NotKnown::Name(span))?;
        let Definition::Constant(expr) = self.unit.name(id).definition else { return Err(NotKnown::Name(span)) };
        self.unit.names[id.0 as usize].used.get_or_insert(span);
        let steps = self.unit.steps(expr).to_vec();
        self.value_now(&steps, depth + 1)
    }

    // ---- numbers that look alike

    /// `010`, which is ten here.
    fn leading_zero(&mut self, span: Span, word: &str) {
        let digits = word.trim_start_matches('0');
        let is_octal = digits.len() > 1 && digits.bytes().all(|b| b < b'8');
        if is_octal {
            let message = format!("`{word}` is the decimal number {digits}: a 0 in front changes nothing");
            let found = diagnostic(codes::LOOKS_OCTAL, span, message);
            self.unit.remarks.push(found.with_guess(format!("write `{digits}`"), span, digits));
        }
    }

    /// Notes a number that may stand in both bases.
    fn note_digits(&mut self, span: Span) {
        let word = self.spelling(span);
        if word.len() > 1 && word.starts_with('0') && word.bytes().all(|b| b.is_ascii_digit()) {
            self.leading_zero(span, word);
            return;
        }
        let hexadecimal = word.strip_prefix("0x");
        let digits = hexadecimal.unwrap_or(word);
        if digits.len() < TELLING || digits.starts_with('0') || !digits.bytes().all(|b| b.is_ascii_digit()) {
            return;
        }
        if hexadecimal.is_some() {
            self.hexadecimals.entry(digits).or_insert(span);
        } else {
            self.decimals.push((digits, span));
        }
    }

    /// A character beyond ASCII is one number here, and in a text the bytes of UTF-8.
    fn note_character(&mut self, span: Span, value: i64) {
        let Some(c) = u32::try_from(value).ok().and_then(char::from_u32).filter(|c| !c.is_ascii()) else { return };
        // Written by its number it is meant so.
        if !self.spelling(span).contains(c) {
            return;
        }
        let mut room = [0; 4];
        let bytes: Vec<String> = c.encode_utf8(&mut room).bytes().map(|byte| format!("{byte:02X}")).collect();
        let message = format!(
            "`'{c}'` is the number {value} here; in texts and in what is typed it is the bytes {}",
            bytes.join(" ")
        );
        let found = diagnostic(codes::SEVERAL_BYTES, span, message);
        let right = format!(".asciz \"{c}\" and put_text; the number itself as 0x{value:X}");
        self.unit.remarks.push(found.with_expected(right));
    }

    /// Tells when the same digits stand in both bases.
    pub(crate) fn compare_digits(&mut self) {
        for (digits, decimal) in std::mem::take(&mut self.decimals) {
            if self.hexadecimals.is_empty() {
                return;
            }
            let Some(hexadecimal) = self.hexadecimals.remove(digits) else { continue };
            let value = i64::from_str_radix(digits, 16).unwrap_or(0);
            let message = format!("`{digits}` stands here, and `0x{digits}`, which is {value}, elsewhere");
            let right = format!("0x{digits}");
            let found = diagnostic(codes::LOOKS_ALIKE, decimal, message)
                .with_other(hexadecimal, format!("{value} in decimal"))
                .with_guess(format!("if it was meant, write `{right}`"), decimal, right);
            self.unit.remarks.push(found);
        }
    }
}

#[derive(Clone, Copy)]
enum About {
    Size,
    Defined,
}

/// Why a value is not known while reading.
enum NotKnown {
    Name(Span),
    Other(EvalError),
}

/// No symbol has a value before all is read.
struct NoNames;

impl Names for NoNames {
    fn value(&self, _: SymbolId) -> Option<Value> {
        None
    }

    fn size(&self, _: SymbolId) -> Option<i64> {
        None
    }
}
