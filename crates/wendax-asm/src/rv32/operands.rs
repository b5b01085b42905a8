//! Operands of RV32's instructions, and the form they make.

use super::{Instruction, Modifier};
use crate::codes;
use crate::expr::{Binary, Expr, Step};
use crate::lexer::{Kind, Mark};
use crate::parser::Parser;
use crate::problems::{diagnostic, quoted};
use wendax_isa::rv32::forms::{Form, Kind as ValueKind, Slot, forms_of};
use wendax_isa::rv32::{CALLS, OWN, csr_by_name};
use wendax_source::Span;

/// What stands in the place of an operand.
#[derive(Debug, Clone, Copy)]
pub(super) struct Operand {
    pub(super) span: Span,
    pub(super) what: Place,
}

#[derive(Debug, Clone, Copy)]
pub(super) enum Place {
    Register(u8),
    /// `offset(base)`.
    Memory {
        base: u8,
        offset: Option<(Expr, Modifier)>,
    },
    Value(Expr, Modifier),
    /// A control and status register.
    Csr(u16),
    /// What a fence orders.
    Accesses(u32),
}

impl Place {
    pub(super) fn words(self) -> &'static str {
        match self {
            Self::Register(_) => "a register",
            Self::Memory { .. } => "an address with a register",
            Self::Value(..) => "a value",
            Self::Csr(_) => "a control and status register",
            Self::Accesses(_) => "accesses",
        }
    }

    pub(super) fn fits(self, slot: Slot) -> bool {
        match slot {
            Slot::Register => matches!(self, Self::Register(_)),
            Slot::Memory => matches!(self, Self::Memory { .. }),
            Slot::Value(_) => matches!(self, Self::Value(..)),
            Slot::Csr => matches!(self, Self::Csr(_)),
            Slot::Accesses => matches!(self, Self::Accesses(_)),
        }
    }
}

impl Parser<'_> {
    /// The instruction that the rest of the line makes; its mnemonic was just taken.
    pub(crate) fn rv32_instruction(&mut self, span: Span) -> Option<Instruction> {
        let name = self.spelling(span);
        let forms = forms_of(name);
        let mut operands: Vec<Operand> = Vec::with_capacity(3);
        if self.peek().is_some() {
            loop {
                let at = operands.len();
                let wants = |slot: Slot| forms.iter().any(|form| form.slots.get(at) == Some(&slot));
                let is_register =
                    self.peek().is_some_and(|token| self.register(self.spelling(self.span(token))).is_some());
                let about_csr = forms.iter().any(|form| form.slots.contains(&Slot::Csr));
                let is_csr = about_csr
                    && self.peek().is_some_and(|token| csr_by_name(self.spelling(self.span(token))).is_some());
                let operand = if is_csr || wants(Slot::Csr) && !is_register {
                    self.csr()?
                } else if wants(Slot::Accesses) {
                    self.accesses()?
                } else {
                    self.rv32_operand()?
                };
                if let Some(found) = self.odd_operand(forms, &operands, operand) {
                    self.forget_all(&operands);
                    self.forget_all(&[operand]);
                    self.report(found);
                    return None;
                }
                operands.push(operand);
                if !self.comma_or_end()? {
                    break;
                }
            }
        }
        let fits = |form: &&'static Form| {
            form.slots.len() == operands.len()
                && form.slots.iter().zip(&operands).all(|(slot, one)| one.what.fits(*slot))
        };
        let Some(form) = forms.iter().find(fits) else {
            self.forget_all(&operands);
            let found = self.wrong_rv32_operands(name, span, forms, &operands);
            self.report(found);
            return None;
        };
        let mut instruction = Instruction { form, registers: [0; 3], other: 0, value: None, part: Modifier::Whole };
        let mut registers = instruction.registers.iter_mut();
        for operand in &operands {
            match operand.what {
                Place::Register(number) => {
                    if let Some(register) = registers.next() {
                        *register = number;
                    }
                }
                Place::Memory { base, offset } => {
                    if let Some(register) = registers.next() {
                        *register = base;
                    }
                    if let Some((expr, part)) = offset {
                        (instruction.value, instruction.part) = (Some(expr), part);
                    }
                }
                Place::Value(expr, part) => (instruction.value, instruction.part) = (Some(expr), part),
                Place::Csr(number) => instruction.other = number.into(),
                Place::Accesses(set) => instruction.other = instruction.other << 4 | set,
            }
        }
        if form.slots.contains(&Slot::Value(ValueKind::Call)) {
            instruction.value = instruction.value.map(|value| self.rv32_call(value));
        }
        Some(instruction)
    }

    fn forget_all(&mut self, operands: &[Operand]) {
        for operand in operands {
            if let Place::Value(expr, _) | Place::Memory { offset: Some((expr, _)), .. } = operand.what {
                self.forget(expr);
            }
        }
    }

    fn rv32_operand(&mut self) -> Option<Operand> {
        let token = self.operand_token()?;
        let span = self.span(token);
        let what = match token.kind {
            Kind::Name if self.register(self.spelling(span)).is_some() => {
                self.bump();
                Place::Register(self.register(self.spelling(span))?)
            }
            Kind::Mark(Mark::Open) => {
                let found = self.address_in_brackets(span);
                self.report(found);
                return None;
            }
            // `(rs)` alone.
            Kind::Mark(Mark::ParenOpen) if self.register_in_parentheses().is_some() => {
                let base = self.register_in_parentheses()?;
                self.at += 3;
                Place::Memory { base, offset: None }
            }
            Kind::Text => {
                let found = diagnostic(codes::OPERANDS, span, "a text cannot be an operand");
                self.report(found.with_expected("the label of a text in `.data`, or one character: 'a'"));
                return None;
            }
            _ => {
                let (value, part) = match self.modifier()? {
                    Some(part) => part,
                    None => (self.expression()?, Modifier::Whole),
                };
                match self.register_in_parentheses() {
                    Some(base) => {
                        self.at += 3;
                        Place::Memory { base, offset: Some((value, part)) }
                    }
                    None => Place::Value(value, part),
                }
            }
        };
        Some(Operand { span: span.to(self.behind()), what })
    }

    /// `%hi(label)` and the like, if one stands here.
    fn modifier(&mut self) -> Option<Option<(Expr, Modifier)>> {
        let first = self.peek();
        if !self.at_mark(Mark::Percent) {
            return Some(None);
        }
        let word = self.tokens.get(self.at + 1).copied().filter(|token| token.kind == Kind::Name);
        let name = word.map(|token| self.spelling(self.span(token))).unwrap_or_default();
        let known = Modifier::WORDS.iter().find(|(word, _)| word.eq_ignore_ascii_case(name));
        let words = "%hi(x)  %lo(x)  %pcrel_hi(x)  %pcrel_lo(label of the auipc)";
        let Some((_, part)) = known else {
            let whole = self.span(first?).to(word.map_or(self.span(first?), |token| self.span(token)));
            let found =
                diagnostic(codes::OPERANDS, whole, format!("`{}` names no part of a value", self.spelling(whole)));
            self.report(found.with_expected(words));
            return None;
        };
        self.at += 2;
        if self.eat(Mark::ParenOpen).is_none() {
            let place = self.behind();
            let found = diagnostic(codes::MISSING_VALUE, place, format!("`%{name}` takes a value in parentheses"));
            self.report(found.with_expected(format!("%{name}(label)")));
            return None;
        }
        let start = self.unit.steps.len();
        let inner = self.peek();
        self.binary(0)?;
        let value = self.finish_expression(start, inner);
        if self.eat(Mark::ParenClose).is_none() {
            let place = self.behind();
            let found = diagnostic(codes::UNCLOSED, place, "a `)` is missing here");
            self.report(found.with_guess("close it", place, ")"));
            return None;
        }
        Some(Some((value, *part)))
    }

    /// The register of `(register)` that stands here.
    fn register_in_parentheses(&self) -> Option<u8> {
        let [open, name, close] = self.tokens.get(self.at..self.at + 3)? else { return None };
        let marks = (open.kind, close.kind) == (Kind::Mark(Mark::ParenOpen), Kind::Mark(Mark::ParenClose));
        self.register(self.spelling(self.span(*name))).filter(|_| marks && name.kind == Kind::Name)
    }

    /// A control and status register, by name or number.
    fn csr(&mut self) -> Option<Operand> {
        let place = self.peek_or_behind();
        let name = self.spelling(place);
        let known = csr_by_name(name);
        let number = match known {
            Some(number) => {
                self.bump();
                i64::from(number)
            }
            None if self.peek().is_some_and(|token| token.kind == Kind::Name && self.register(name).is_none())
                && !self.plain.contains_key(name) =>
            {
                let all = wendax_isa::rv32::csrs().iter().map(|csr| csr.name);
                let found = diagnostic(codes::OPERANDS, place, format!("`{name}` is no control and status register"));
                let near = wendax_source::nearest(name, all.clone());
                self.report(match near {
                    Some(near) => found.with_guess(format!("did you mean `{near}`?"), place, near),
                    None => {
                        found.with_expected("mstatus, mie, mtvec, mscratch, mepc, mcause, mip, mcycle, …, or a number")
                    }
                });
                return None;
            }
            None => self.known_value()?,
        };
        let span = place.to(self.behind());
        if let Some(number) = u16::try_from(number).ok().filter(|number| *number < 0x1000) {
            Some(Operand { span, what: Place::Csr(number) })
        } else {
            let found =
                diagnostic(codes::RANGE, span, format!("{number} is no number of a control and status register"));
            self.report(found.with_expected("0 to 4095 (0xFFF), or a name"));
            None
        }
    }

    /// Letters out of `iorw`, or the number they stand for.
    fn accesses(&mut self) -> Option<Operand> {
        let place = self.peek_or_behind();
        let word = self.spelling(place);
        let bit = |sign: char| match sign.to_ascii_lowercase() {
            'i' => Some(8),
            'o' => Some(4),
            'r' => Some(2),
            'w' => Some(1),
            _ => None,
        };
        let set = word.chars().map(bit).collect::<Option<Vec<u32>>>().filter(|bits| !bits.is_empty());
        let set = set.map(|bits| bits.into_iter().fold(0, |all, bit| all | bit));
        let number = word.parse::<u32>().ok().filter(|number| *number < 16);
        let Some(set) = set.or(number) else {
            let found = diagnostic(codes::OPERANDS, place, format!("`{}` names no accesses", quoted(word)));
            self.report(found.with_expected("letters out of iorw, such as fence rw, w"));
            return None;
        };
        self.bump();
        Some(Operand { span: place, what: Place::Accesses(set) })
    }

    /// The number of a call of `sys`: by its name, or as the other machine numbers it.
    fn rv32_call(&mut self, value: Expr) -> Expr {
        let name = self.spelling(value.span);
        if let [Step::Name(..)] = self.unit.steps(value) {
            let place = value.start as usize;
            let known = CALLS.iter().find(|call| call.is_own && call.name.eq_ignore_ascii_case(name));
            match known {
                Some(call) => self.unit.steps[place] = Step::Number(call.number.into()),
                None if self.plain.contains_key(name) => {}
                None => self.calls.push(place),
            }
            if known.is_some() {
                return value;
            }
        }
        // The sum stands at the end of the steps, wherever the value was.
        let start = self.unit.steps.len();
        self.unit.steps.extend_from_within(value.start as usize..value.end as usize);
        if self.calls.last() == Some(&(value.start as usize)) {
            self.calls.pop();
            self.calls.push(start);
            self.unit.steps[value.start as usize..value.end as usize].fill(Step::Unknown);
        }
        self.unit.steps.push(Step::Number(OWN.into()));
        self.unit.steps.push(Step::Binary(Binary::Add, value.span));
        let offset = |at: usize| u32::try_from(at).unwrap_or(u32::MAX);
        Expr { start: offset(start), end: offset(self.unit.steps.len()), span: value.span }
    }
}
