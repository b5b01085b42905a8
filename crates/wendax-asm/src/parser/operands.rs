//! Operands of instructions, and which encodings they allow.

use super::Parser;
use crate::codes;
use crate::dialect::reads_as_register;
use crate::expr::{Expr, Step, Unary};
use crate::lexer::{Kind, Mark};
use crate::mnemonics::{Mnemonic, register};
use crate::problems::{diagnostic, quoted};
use crate::unit::{Instruction, What};
use wendax_isa::w16::{NO_BASE, OperandKind, Row, call_by_name, encode};
use wendax_source::{Diagnostic, Edit, Grade, Span};

#[derive(Debug, Clone, Copy)]
pub(super) struct Operand {
    span: Span,
    what: Place,
}

#[derive(Debug, Clone, Copy)]
enum Place {
    Register(u8),
    Flags,
    /// `r6-r8`.
    Range(u8, u8),
    /// An address in brackets.
    Memory {
        base: u8,
        offset: Option<Expr>,
    },
    Value(Expr),
}

impl Place {
    fn words(self) -> &'static str {
        match self {
            Self::Register(_) => "a register",
            Self::Flags => "the flags",
            Self::Range(..) => "a range of registers",
            Self::Memory { .. } => "an address in brackets",
            Self::Value(_) => "a value",
        }
    }

    /// May stand where the table asks for `kind`.
    fn fits(self, kind: OperandKind) -> bool {
        match kind {
            OperandKind::Register => matches!(self, Self::Register(_)),
            OperandKind::Flags => matches!(self, Self::Flags),
            OperandKind::Base => matches!(self, Self::Memory { .. }),
            OperandKind::BaseOffset => matches!(self, Self::Memory { offset: Some(_), .. }),
            OperandKind::Constant | OperandKind::Small | OperandKind::Near8 | OperandKind::Near12 => {
                matches!(self, Self::Value(_))
            }
            OperandKind::Far | OperandKind::Call => matches!(self, Self::Value(_)),
        }
    }
}

/// The register that programs cannot name.
pub(super) fn about_pc(span: Span) -> Diagnostic {
    let found = diagnostic(codes::OPERANDS, span, "`pc` cannot be read or written by name");
    found.with_expected("`here` for the present address; `jmp` and `call` go elsewhere")
}

impl Parser<'_> {
    /// All operands up to the end of the line.
    pub(super) fn operands(&mut self) -> Option<Vec<Operand>> {
        let mut operands = Vec::with_capacity(2);
        if self.peek().is_none() {
            return Some(operands);
        }
        loop {
            let operand = self.operand()?;
            if self.is_computed(&operands, operand) {
                return None;
            }
            operands.push(operand);
            if !self.comma_or_end()? {
                return Some(operands);
            }
        }
    }

    /// What stands behind an operand makes it one that no instruction takes: `r1 + 5`, `4(r2)`, `x[r2]`. Told then.
    fn is_computed(&mut self, before: &[Operand], operand: Operand) -> bool {
        let Some(next) = self.peek() else { return false };
        let Kind::Mark(mark) = next.kind else { return false };
        let rest = Span { end: self.line_end, ..self.span(next) };
        let whole = operand.span.to(rest);
        let text = self.spelling(operand.span);
        let found = match (operand.what, mark) {
            (Place::Register(_) | Place::Flags, Mark::Plus | Mark::Minus | Mark::Star | Mark::Left | Mark::Right) => {
                let message =
                    format!("`{}` would have to be computed while the program runs", quoted(self.spelling(whole)));
                let found = diagnostic(codes::OPERANDS, whole, message);
                match before {
                    [first] if mark == Mark::Plus && self.is_offset() && self.mnemonic_word() == "mov" => {
                        let right = format!("lea {}, [{}]", self.spelling(first.span), self.spelling(whole));
                        let from = self.tokens[self.mnemonic_at()];
                        found.with_guess(format!("write `{right}`"), self.span(from).to(whole), right)
                    }
                    _ => found.with_expected("an instruction for it: add, sub, mul, shl, … before this one"),
                }
            }
            (Place::Value(_), Mark::ParenOpen | Mark::Open) => {
                let inner =
                    self.tokens.get(self.at + 1).map(|token| self.spelling(self.span(*token))).unwrap_or_default();
                if register(inner).is_none() || self.tokens.len() - self.at != 3 {
                    return false;
                }
                let right =
                    if mark == Mark::ParenOpen { format!("[{inner} + {text}]") } else { format!("[{text} + {inner}]") };
                let found = diagnostic(codes::OPERANDS, whole, "an address stands in brackets as a whole");
                found.with_guess(format!("write `{right}`"), whole, right)
            }
            _ => return false,
        };
        self.report(found);
        true
    }

    /// The mnemonic of the line, in lower case.
    pub(super) fn mnemonic_word(&self) -> String {
        let token = self.tokens.get(self.mnemonic_at());
        token.map_or(String::new(), |token| self.spelling(self.span(*token)).to_ascii_lowercase())
    }

    /// What stands behind `+` is all of the rest, and no register.
    fn is_offset(&self) -> bool {
        let last = self.tokens.get(self.at + 1).filter(|_| self.tokens.len() - self.at == 2);
        last.is_some_and(|last| register(self.spelling(self.span(*last))).is_none())
    }

    /// Where the mnemonic of the line stands among its tokens: behind its labels.
    fn mnemonic_at(&self) -> usize {
        let labels = self.tokens.iter().rposition(|token| token.kind == Kind::Mark(Mark::Colon));
        labels.map_or(0, |colon| colon + 1)
    }

    /// What an operand begins with.
    pub(crate) fn operand_token(&mut self) -> Option<crate::lexer::Token> {
        let first = self.peek();
        if first.is_none() {
            let place = self.behind();
            let found = diagnostic(codes::MISSING_VALUE, place, "an operand is missing after the comma");
            self.report(found.with_expected("another operand, or no comma"));
        }
        first
    }

    /// The names in a value that is wrong anyhow are not looked up: one cause gives one problem.
    pub(crate) fn forget(&mut self, value: Expr) {
        self.unit.steps[value.start as usize..value.end as usize].fill(Step::Unknown);
    }

    fn operand(&mut self) -> Option<Operand> {
        let token = self.operand_token()?;
        let span = self.span(token);
        let what = match token.kind {
            Kind::Mark(Mark::Open) => self.memory()?,
            Kind::Name => match register(self.spelling(span)) {
                Some(code) => self.register_or_range(code)?,
                None if self.spelling(span).eq_ignore_ascii_case("fl") => {
                    self.bump();
                    Place::Flags
                }
                None => Place::Value(self.expression()?),
            },
            Kind::Text => {
                let found = diagnostic(codes::OPERANDS, span, "a text cannot be an operand");
                self.report(found.with_expected("the label of a text in `.data`, or one character: 'a'"));
                return None;
            }
            _ => Place::Value(self.expression()?),
        };
        Some(Operand { span: span.to(self.behind()), what })
    }

    fn register_or_range(&mut self, code: u8) -> Option<Place> {
        self.bump();
        if !self.at_mark(Mark::Minus) {
            return Some(Place::Register(code));
        }
        let Some(last) = self.tokens.get(self.at + 1).copied() else { return Some(Place::Register(code)) };
        let span = self.span(last);
        let takes_list = matches!(self.mnemonic_word().as_str(), "push" | "pop");
        if !takes_list {
            return Some(Place::Register(code));
        }
        let Some(to) = register(self.spelling(span)) else {
            let found = diagnostic(codes::OPERANDS, span, "a range goes from a register to a register");
            self.report(found.with_expected("push r6-r8, fp"));
            return None;
        };
        self.at += 2;
        if to < code {
            let found = diagnostic(codes::OPERANDS, span, "a range goes from the lower register to the higher one");
            self.report(found.with_expected("push r6-r8, fp"));
            return None;
        }
        Some(Place::Range(code, to))
    }

    /// `[base]`, `[base + offset]`, `[offset + base]`, `[offset]`.
    fn memory(&mut self) -> Option<Place> {
        let open = self.bump().map(|token| self.span(token))?;
        let mut base = NO_BASE;
        let mut offset = None;
        if let Some(code) = self.opt_register() {
            base = code;
            offset = self.opt_offset()?;
        } else {
            offset = Some(self.expression()?).or(offset);
            if self.at_mark(Mark::Plus) {
                self.bump();
                base = self.opt_register().unwrap_or(NO_BASE);
            }
        }
        if self.eat(Mark::Close).is_some() {
            return Some(Place::Memory { base, offset });
        }
        if self.peek().is_none_or(|token| token.kind != Kind::Bad) {
            self.unclosed_address(open);
        }
        None
    }

    fn unclosed_address(&mut self, open: Span) {
        if let Some(second) = self.peek().filter(|token| register(self.spelling(self.span(*token))).is_some()) {
            let place = self.span(second);
            let found = diagnostic(codes::OPERANDS, place, "an address has at most one register");
            self.report(found.with_expected("[b]  [b + off]  [label]; add the second register with `add` first"));
            return;
        }
        if let Some(found) = self.other_address(open) {
            self.report(found);
            return;
        }
        let place = self.behind();
        // `[r2 4]`: a sum without its sign.
        let close = self.tokens.get(self.at + 1).filter(|token| token.kind == Kind::Mark(Mark::Close));
        if let (Some(next), Some(_)) =
            (self.peek().filter(|next| matches!(next.kind, Kind::Number(_) | Kind::Name)), close)
        {
            let between = Span { end: self.span(next).start, ..place };
            let found = diagnostic(codes::OPERANDS, between, "an address is a sum");
            self.report(found.with_guess("write `+` between them", between, " + "));
            return;
        }
        let found = diagnostic(codes::UNCLOSED, place, "a `]` is missing here");
        let grade = if self.peek().is_none() { Grade::Certain } else { Grade::Guess };
        let edits = vec![Edit { span: place, text: "]".to_owned() }];
        self.report(found.with_other(open, "opened here").with_change(grade, "close the address", edits));
    }

    /// `[r1 + r2 * 2]`, `[r2, 4]`: addresses in forms of others.
    fn other_address(&self, open: Span) -> Option<Diagnostic> {
        let next = self.peek()?;
        let close = self.tokens[self.at..].iter().find(|token| token.kind == Kind::Mark(Mark::Close))?;
        let whole = open.to(self.span(*close));
        match next.kind {
            Kind::Mark(Mark::Star | Mark::Left) => {
                let found = diagnostic(codes::OPERANDS, self.span(next), "an address is not scaled: it is a sum");
                Some(found.with_expected("[b]  [b + off]  [label]; shift or multiply the register first"))
            }
            Kind::Mark(Mark::Comma) => {
                let (before, behind) = (Span { start: open.end, end: self.span(next).start, ..open }, self.span(next));
                let behind = Span { start: behind.end, end: self.span(*close).start, ..open };
                let right = format!("[{} + {}]", self.spelling(before).trim(), self.spelling(behind).trim());
                let found = diagnostic(codes::OPERANDS, whole, "an address is a sum, without a comma");
                Some(found.with_guess(format!("write `{right}`"), whole, right))
            }
            _ => None,
        }
    }

    fn opt_register(&mut self) -> Option<u8> {
        let token = self.peek().filter(|token| token.kind == Kind::Name)?;
        let code = register(self.spelling(self.span(token)))?;
        self.bump();
        Some(code)
    }

    /// What follows the base register: `+ offset`, `- offset` or nothing.
    fn opt_offset(&mut self) -> Option<Option<Expr>> {
        let first = self.peek();
        let minus = self.at_mark(Mark::Minus);
        if !minus && !self.at_mark(Mark::Plus) {
            return Some(None);
        }
        self.bump();
        if let Some(second) = self.peek().filter(|token| register(self.spelling(self.span(*token))).is_some()) {
            let place = self.span(second);
            let found = diagnostic(codes::OPERANDS, place, "an address has at most one register");
            self.report(found.with_expected("[b]  [b + off]  [label]; add the second register with `add` first"));
            return None;
        }
        let start = self.unit.steps.len();
        if minus {
            // Only the first term is negated: [fp - 4 + 2] is fp − 2.
            self.binary(crate::expr::Binary::Add.precedence())?;
            self.unit.steps.push(Step::Unary(Unary::Minus));
            self.operators(0)?;
        } else {
            self.binary(0)?;
        }
        Some(Some(self.finish_expression(start, first)))
    }

    /// The instruction these operands make, or a problem that shows the right forms.
    pub(super) fn choose(&mut self, mnemonic: &'static Mnemonic, span: Span, operands: &[Operand]) -> Option<What> {
        if let Some(pseudo) = mnemonic.pseudo {
            return match operands {
                [Operand { what: Place::Register(code), .. }] => {
                    let code = *code;
                    let constant = self.constant(pseudo.constant.into(), span);
                    let rows =
                        mnemonic.rows.iter().copied().filter(|row| row.operands.get(1) == Some(&OperandKind::Small));
                    Some(What::Instruction(self.instruction_of(rows, &[code], Some(constant))?))
                }
                _ => self.wrong_operands(mnemonic, span, operands),
            };
        }
        if mnemonic.takes_list() && (operands.len() > 1 || matches!(operands, [Operand { what: Place::Range(..), .. }]))
        {
            return self.list(mnemonic, span, operands);
        }
        if mnemonic.name == "sys"
            && let [Operand { what: Place::Value(value), .. }] = operands
        {
            let number = self.call_number(*value);
            return Some(What::Instruction(self.instruction_of(mnemonic.rows.iter().copied(), &[], Some(number))?));
        }
        let fits = |row: &&'static Row| {
            row.operands.len() == operands.len()
                && row.operands.iter().zip(operands).all(|(kind, operand)| operand.what.fits(*kind))
        };
        let rows: Vec<&'static Row> = mnemonic.rows.iter().copied().filter(fits).collect();
        if rows.is_empty() {
            return self.wrong_operands(mnemonic, span, operands);
        }
        let registers: Vec<u8> = operands
            .iter()
            .filter_map(|operand| match operand.what {
                Place::Register(code) => Some(code),
                _ => None,
            })
            .collect();
        let mut instruction = self.instruction_of(rows.into_iter(), &registers, None)?;
        for operand in operands {
            match operand.what {
                Place::Memory { base, offset } => (instruction.b, instruction.value) = (base, offset),
                Place::Value(value) => instruction.value = Some(value),
                Place::Register(_) | Place::Flags | Place::Range(..) => {}
            }
        }
        Some(What::Instruction(instruction))
    }

    fn instruction_of(
        &self,
        mut rows: impl Iterator<Item = &'static Row>,
        registers: &[u8],
        value: Option<Expr>,
    ) -> Option<Instruction> {
        let short = rows.next()?;
        let a = registers.first().copied().unwrap_or(0);
        let b = registers.get(1).copied().unwrap_or(NO_BASE);
        Some(Instruction { short, long: rows.next(), a, b, value })
    }

    pub(crate) fn constant(&mut self, value: i64, span: Span) -> Expr {
        let start = u32::try_from(self.unit.steps.len()).unwrap_or(u32::MAX);
        self.unit.steps.push(Step::Number(value));
        Expr { start, end: start + 1, span }
    }

    /// The operand of `sys`: the name of a call, or an expression.
    fn call_number(&mut self, value: Expr) -> Expr {
        let name = self.spelling(value.span);
        let [Step::Name(..)] = self.unit.steps(value) else { return value };
        let place = value.start as usize;
        if let Some(call) = call_by_name(name) {
            self.unit.steps[place] = Step::Number(i64::from(call.number));
            return value;
        }
        // A constant, defined here or further down, or no call at all: `lookup` will know.
        self.calls.push(place);
        value
    }

    /// `push` and `pop` with several registers: `pop` goes from the last to the first, so that the same
    /// list undoes a `push`.
    fn list(&mut self, mnemonic: &'static Mnemonic, span: Span, operands: &[Operand]) -> Option<What> {
        let row_for = |kind: &[OperandKind]| mnemonic.rows.iter().copied().find(|row| row.operands == kind);
        let register_row = row_for(&[OperandKind::Register])?;
        let flags_row = row_for(&[OperandKind::Flags])?;
        let word = |row, code| encode(wendax_isa::w16::Insn::new(row, code, NO_BASE, 0)).0;
        let mut words = Vec::new();
        for operand in operands {
            match operand.what {
                Place::Register(code) => words.push(word(register_row, code)),
                Place::Range(from, to) => words.extend((from..=to).map(|code| word(register_row, code))),
                Place::Flags => words.push(word(flags_row, 0)),
                Place::Memory { .. } | Place::Value(_) => return self.wrong_operands(mnemonic, span, operands),
            }
        }
        if mnemonic.name == "pop" {
            words.reverse();
        }
        Some(What::Words(words))
    }

    fn wrong_operands(&mut self, mnemonic: &'static Mnemonic, span: Span, operands: &[Operand]) -> Option<What> {
        for operand in operands {
            if let Place::Value(expr) | Place::Memory { offset: Some(expr), .. } = operand.what {
                self.forget(expr);
            }
        }
        let whole = operands.last().map_or(span, |last| span.to(last.span));
        if let Some(found) =
            self.number_of_operands(mnemonic, span, operands).or_else(|| self.no_register(mnemonic, operands))
        {
            self.report(found);
            return None;
        }
        let given = listed(&operands.iter().map(|operand| operand.what.words()).collect::<Vec<_>>());
        let place = operands.first().map_or(span, |first| first.span.to(whole));
        let mut found = diagnostic(codes::OPERANDS, place, format!("`{}` does not take {given}", mnemonic.name));
        if let Some(form) = self.in_two_steps(mnemonic.name, operands) {
            self.report(found.with_expected(form));
            return None;
        }
        for form in mnemonic.forms() {
            found = found.with_expected(form);
        }
        self.report(self.operand_fix(mnemonic.name, span, operands, found));
        None
    }

    /// Too few or too many operands, where those that are there would fit.
    fn number_of_operands(&self, mnemonic: &Mnemonic, span: Span, operands: &[Operand]) -> Option<Diagnostic> {
        let counts = || mnemonic.rows.iter().map(|row| if mnemonic.pseudo.is_some() { 1 } else { row.operands.len() });
        let (least, most) = (counts().min()?, counts().max()?);
        let with_forms = |found: Diagnostic| mnemonic.forms().into_iter().fold(found, Diagnostic::with_expected);
        let name = mnemonic.name;
        if operands.len() < least {
            let fits = |row: &&&Row| row.operands.iter().zip(operands).all(|(kind, operand)| operand.what.fits(*kind));
            let is_label = |row: &&&Row| {
                matches!(
                    row.operands.get(operands.len()),
                    Some(OperandKind::Near8 | OperandKind::Near12 | OperandKind::Far)
                )
            };
            let row = mnemonic.rows.iter().filter(fits).find(is_label).or_else(|| mnemonic.rows.iter().find(fits))?;
            let place = operands.last().map_or(span, |last| last.span).after();
            let missing = row.operands.get(operands.len()).map_or("an operand", |kind| match kind {
                OperandKind::Near8 | OperandKind::Near12 | OperandKind::Far => "a label",
                OperandKind::Call => "the name of a call",
                OperandKind::Base | OperandKind::BaseOffset => "an address in brackets",
                OperandKind::Flags | OperandKind::Register if operands.is_empty() => "a register",
                OperandKind::Register | OperandKind::Constant | OperandKind::Small | OperandKind::Flags => {
                    "a second operand"
                }
            });
            let message = match (operands.len(), least) {
                (0, 2) => format!("`{name}` needs two operands"),
                _ => format!("`{name}` needs {missing}"),
            };
            return Some(with_forms(diagnostic(codes::OPERANDS, place, message)));
        }
        if operands.len() > most && !mnemonic.takes_list() {
            let extra = operands.get(most)?;
            let takes = match most {
                0 => "no operand".to_owned(),
                1 => "one operand".to_owned(),
                _ => "two operands".to_owned(),
            };
            let place = operands.last().map_or(extra.span, |last| extra.span.to(last.span));
            let message = format!("`{name}` takes {takes}; this is left over");
            return Some(with_forms(diagnostic(codes::OPERANDS, place, message)));
        }
        None
    }

    /// Something that is no register where only one can stand.
    fn no_register(&self, mnemonic: &Mnemonic, operands: &[Operand]) -> Option<Diagnostic> {
        let needs = |at: usize| {
            mnemonic.rows.iter().all(|row| row.operands.get(at).is_none_or(|kind| *kind == OperandKind::Register))
        };
        let (at, operand) = operands.iter().enumerate().find(|(at, operand)| {
            matches!(operand.what, Place::Value(_)) && (needs(*at) || reads_as_register(self.spelling(operand.span)))
        })?;
        let text = self.spelling(operand.span);
        let registers = "r0 to r11, fp, sp";
        if text.eq_ignore_ascii_case("pc") {
            return Some(about_pc(operand.span));
        }
        if reads_as_register(text) && !self.plain.contains_key(text) {
            let found = diagnostic(codes::OPERANDS, operand.span, format!("`{text}` is no register"));
            return Some(found.with_expected(registers));
        }
        let [first, second] = operands else { return None };
        if at > 0 || matches!(mnemonic.name, "stw" | "stb" | "djnz") {
            return None;
        }
        let is_number = text.starts_with(|c: char| c.is_ascii_digit() || c == '\'' || c == '-');
        let message = if is_number {
            "the destination comes first, and a number cannot be one".to_owned()
        } else {
            format!("`{}` is an address or a value, and the destination is a register", quoted(text))
        };
        let found = diagnostic(codes::OPERANDS, first.span, message);
        let whole = self.span(self.tokens[self.mnemonic_at()]).to(second.span);
        let right = match second.what {
            Place::Register(_) if is_number => format!("{} {}, {text}", mnemonic.name, self.spelling(second.span)),
            Place::Register(_) if mnemonic.name == "mov" => format!("stw [{text}], {}", self.spelling(second.span)),
            _ if is_number => return Some(found.with_expected(format!("{} d, s", mnemonic.name))),
            _ => {
                let forms = format!("ldw r1, [{text}] reads what lies there, stw [{text}], r1 writes it");
                return Some(found.with_expected(forms));
            }
        };
        Some(found.with_guess(format!("write `{right}`"), whole, right))
    }

    /// How what these operands ask for is done in two steps.
    fn in_two_steps(&self, name: &str, operands: &[Operand]) -> Option<String> {
        let text = |operand: &Operand| self.spelling(operand.span);
        Some(match (name, operands) {
            ("push", [one]) if matches!(one.what, Place::Value(_)) => format!("mov r4, {}, then push r4", text(one)),
            ("push" | "jmp" | "call", [one]) if matches!(one.what, Place::Memory { .. }) => {
                format!("ldw r4, {}, then {name} r4", text(one))
            }
            ("pop", [one]) if matches!(one.what, Place::Memory { .. }) => format!("pop r4, then stw {}, r4", text(one)),
            ("mov", [first, second]) => match (first.what, second.what) {
                (Place::Flags, Place::Register(_)) => format!("push {}, then pop fl", text(second)),
                (Place::Register(_), Place::Flags) => format!("push fl, then pop {}", text(first)),
                _ => return None,
            },
            ("mulh" | "mulhs" | "divs" | "mods" | "swap", [first, second])
                if matches!((first.what, second.what), (Place::Register(_), Place::Value(_))) =>
            {
                let spare = if text(first).eq_ignore_ascii_case("r4") { "r5" } else { "r4" };
                format!("mov {spare}, {}, then {name} {}, {spare}", text(second), text(first))
            }
            ("not" | "neg" | "swapb" | "extb" | "rlc" | "rrc", [one]) if matches!(one.what, Place::Value(_)) => {
                format!("mov r4, {}, then {name} r4", text(one))
            }
            ("djnz", [first, second]) if matches!((first.what, second.what), (Place::Value(_), Place::Register(_))) => {
                format!("djnz {}, {}", text(second), text(first))
            }
            _ => return None,
        })
    }

    /// Memory where an instruction computes or moves between registers: which instruction reads it, which writes it.
    fn memory_operand(
        &self,
        name: &str,
        (first, second): (&Operand, &Operand),
        found: &Diagnostic,
    ) -> Option<Diagnostic> {
        let text = |operand: &Operand| self.spelling(operand.span);
        if matches!(name, "ldw" | "ldb" | "ldsb" | "lea" | "stw" | "stb") {
            return None;
        }
        // A register that neither operand is.
        let spare = |operand: &Operand| if text(operand).eq_ignore_ascii_case("r4") { "r5" } else { "r4" };
        let told = |what: &str, form: String| {
            let message = format!("`{name}` does not {what} memory: only loads and stores do");
            Diagnostic { message, expected: vec![form], ..found.clone() }
        };
        match (first.what, second.what) {
            (Place::Register(_), Place::Memory { .. }) if name != "mov" => {
                let spare = spare(first);
                Some(told("read", format!("ldw {spare}, {}, then {name} {}, {spare}", text(second), text(first))))
            }
            (Place::Memory { .. }, Place::Value(_)) if name == "mov" => {
                Some(told("write", format!("mov r4, {}, then stw {}, r4", text(second), text(first))))
            }
            (Place::Memory { .. }, Place::Register(_) | Place::Value(_)) if name != "mov" => {
                let spare = spare(second);
                let (place, other) = (text(first), text(second));
                let back =
                    if matches!(name, "cmp" | "tst") { String::new() } else { format!(", then stw {place}, {spare}") };
                Some(told("read", format!("ldw {spare}, {place}, then {name} {spare}, {other}{back}")))
            }
            (Place::Memory { .. }, Place::Memory { .. }) => {
                Some(told("read", format!("ldw r4, {}, then stw {}, r4", text(second), text(first))))
            }
            _ => None,
        }
    }

    /// The fixes that can be known: a load or store meant, brackets left out, operands exchanged.
    fn operand_fix(&self, name: &str, span: Span, operands: &[Operand], found: Diagnostic) -> Diagnostic {
        let text = |operand: &Operand| self.spelling(operand.span);
        let [first, second] = operands else { return found };
        let whole = span.to(second.span);
        let load = matches!(name, "ldw" | "ldb" | "ldsb" | "lea");
        let store = matches!(name, "stw" | "stb");
        if let Some(found) = self.memory_operand(name, (first, second), &found) {
            return found;
        }
        let right = match (first.what, second.what) {
            (Place::Register(_), Place::Memory { .. }) if name == "mov" => {
                format!("ldw {}, {}", text(first), text(second))
            }
            (Place::Memory { .. }, Place::Register(_)) if name == "mov" => {
                format!("stw {}, {}", text(first), text(second))
            }
            (Place::Register(_), Place::Memory { .. }) if store => format!("{name} {}, {}", text(second), text(first)),
            (Place::Memory { .. }, Place::Register(_)) if load => format!("{name} {}, {}", text(second), text(first)),
            (Place::Register(_), Place::Value(_) | Place::Register(_)) if load => {
                format!("{name} {}, [{}]", text(first), text(second))
            }
            (Place::Value(_), Place::Register(_)) if store => format!("{name} [{}], {}", text(first), text(second)),
            (Place::Register(_), Place::Register(_)) if store => format!("{name} [{}], {}", text(first), text(second)),
            (Place::Register(_), Place::Value(_)) if store => format!("{name} [{}], {}", text(second), text(first)),
            _ => return found,
        };
        let exchanged = matches!(
            (first.what, second.what),
            (Place::Register(_) | Place::Value(_), Place::Memory { .. } | Place::Value(_))
                | (Place::Memory { .. }, Place::Register(_))
        );
        let found = if exchanged && (load || store) && right.contains(&format!("{name} {}", text(second))) {
            let whose = if load {
                "the register comes first, then where it is loaded from"
            } else {
                "the address comes first, then what is stored there"
            };
            Diagnostic {
                code: codes::ORDER.code,
                message: format!("the operands of `{name}` are exchanged: {whose}"),
                ..found
            }
        } else {
            found
        };
        // A store that names its register first can mean nothing else; elsewhere a load and a store, or an address and
        // what lies there, can be meant.
        let is_certain = store && matches!((first.what, second.what), (Place::Register(_), Place::Memory { .. }));
        let grade = if is_certain { Grade::Certain } else { Grade::Guess };
        let found = match name {
            "mov" => {
                let (what, by) = if right.starts_with("ldw") {
                    ("read", "`ldw` reads a word, `ldb` a byte")
                } else {
                    ("write", "`stw` writes a word, `stb` a byte")
                };
                Diagnostic { message: format!("`mov` does not {what} memory: {by}"), expected: Vec::new(), ..found }
            }
            _ => found,
        };
        found.with_change(grade, format!("write `{right}`"), vec![Edit { span: whole, text: right }])
    }
}

/// What was given, in words: `a register, a value and an address`.
pub(crate) fn listed(given: &[&str]) -> String {
    match given {
        [] => "nothing".to_owned(),
        [one] => (*one).to_owned(),
        [init @ .., last] => format!("{} and {last}", init.join(", ")),
    }
}
