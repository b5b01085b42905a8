//! Mistakes with RV32's instructions: what was meant, and how it is written.

use super::operands::{Operand, Place};
use crate::codes;
use crate::lexer::{Kind, Mark};
use crate::parser::{Parser, listed};
use crate::problems::{diagnostic, quoted};
use wendax_isa::rv32::forms::{Form, Kind as ValueKind, Slot, forms};
use wendax_source::{Diagnostic, Grade, Span, nearest};

/// Words of other machines, with what does the same here.
const ELSEWHERE: &[(&str, &str)] = &[
    ("mov", "mv for a register, li for a number, la for an address"),
    ("move", "mv"),
    ("push", "addi sp, sp, -4, then sw a0, 0(sp); a routine makes room for all it puts by at once"),
    ("pop", "lw a0, 0(sp), then addi sp, sp, 4"),
    ("jmp", "j label"),
    ("br", "j label"),
    ("bra", "j label"),
    ("b", "j label"),
    ("goto", "j label"),
    ("cmp", "a branch that compares: blt a0, a1, label"),
    ("cmpi", "a branch that compares: blt a0, a1, label"),
    ("tst", "and t0, a0, a1, then bnez t0, label"),
    ("test", "and t0, a0, a1, then bnez t0, label"),
    ("je", "beq a0, a1, label"),
    ("jeq", "beq a0, a1, label"),
    ("jz", "beqz a0, label"),
    ("jne", "bne a0, a1, label"),
    ("jnz", "bnez a0, label"),
    ("jl", "blt a0, a1, label"),
    ("jlt", "blt a0, a1, label"),
    ("jg", "bgt a0, a1, label"),
    ("jgt", "bgt a0, a1, label"),
    ("jge", "bge a0, a1, label"),
    ("jle", "ble a0, a1, label"),
    ("jlo", "bltu a0, a1, label"),
    ("jhs", "bgeu a0, a1, label"),
    ("jb", "bltu a0, a1, label"),
    ("ja", "bgtu a0, a1, label"),
    ("beqi", "li t0, 5, then beq a0, t0, label"),
    ("inc", "addi a0, a0, 1"),
    ("dec", "addi a0, a0, -1"),
    ("djnz", "addi a0, a0, -1, then bnez a0, label"),
    ("loop", "addi a0, a0, -1, then bnez a0, label"),
    ("subi", "addi a0, a0, -5: the constant may be negative"),
    ("subiu", "addi a0, a0, -5: the constant may be negative"),
    ("addu", "add"),
    ("addiu", "addi"),
    ("subu", "sub"),
    ("addl", "add"),
    ("muli", "li t0, 5, then mul a0, a0, t0"),
    ("divi", "li t0, 5, then div a0, a0, t0"),
    ("mod", "rem, or remu without signs"),
    ("mods", "rem"),
    ("divs", "div"),
    ("nori", "or, then not"),
    ("nor", "or, then not"),
    ("nand", "and, then not"),
    ("shl", "slli a0, a0, 2, or sll by a register"),
    ("lsl", "slli a0, a0, 2, or sll by a register"),
    ("shr", "srli a0, a0, 2, or srl by a register"),
    ("lsr", "srli a0, a0, 2, or srl by a register"),
    ("sar", "srai a0, a0, 2, or sra by a register"),
    ("asr", "srai a0, a0, 2, or sra by a register"),
    ("rol", "sll and srl, then or"),
    ("ror", "srl and sll, then or"),
    ("ld", "lw a0, 0(a1) loads a word, lb a byte"),
    ("ldr", "lw a0, 0(a1) loads a word, lb a byte"),
    ("ldw", "lw"),
    ("ldb", "lbu"),
    ("ldsb", "lb"),
    ("ldh", "lhu"),
    ("load", "lw"),
    ("st", "sw a0, 0(a1) stores a word, sb a byte"),
    ("str", "sw a0, 0(a1) stores a word, sb a byte"),
    ("stw", "sw"),
    ("stb", "sb"),
    ("sth", "sh"),
    ("store", "sw"),
    ("sbu", "sb: stores have no sign"),
    ("shu", "sh: stores have no sign"),
    ("lea", "la a0, label, or addi a0, a1, 8"),
    ("adr", "la a0, label"),
    ("syscall", "ecall, with the number of the call in a7; sys put_text writes both"),
    ("int", "ecall, with the number of the call in a7; sys put_text writes both"),
    ("svc", "ecall, with the number of the call in a7; sys put_text writes both"),
    ("swi", "ecall, with the number of the call in a7; sys put_text writes both"),
    ("trap", "ecall, or ebreak to pause"),
    ("scall", "ecall"),
    ("sbreak", "ebreak"),
    ("break", "ebreak"),
    ("brk", "ebreak"),
    ("halt", "sys exit, with the status in a0"),
    ("hlt", "sys exit, with the status in a0"),
    ("exit", "sys exit, with the status in a0"),
    ("ei", "csrsi mstatus, 8"),
    ("di", "csrci mstatus, 8"),
    ("iret", "mret"),
    ("reti", "mret"),
    ("eret", "mret"),
    ("return", "ret"),
    ("rts", "ret"),
    ("bl", "call label"),
    ("jsr", "call label"),
    ("bsr", "call label"),
    ("clr", "li a0, 0"),
    ("clear", "li a0, 0"),
    ("swap", "mv t0, a0, then mv a0, a1, then mv a1, t0"),
    ("swapb", "shifts and or"),
    ("extb", "sext.b a0, a0"),
    ("sxtb", "sext.b a0, a0"),
    ("uxtb", "zext.b a0, a0"),
    ("set", "li a0, 1"),
    ("ldi", "li a0, 5"),
    ("lui.w", "lui"),
    ("wait", "wfi"),
    ("idle", "wfi"),
];

/// Sets of the standard that this machine does not have, by how their mnemonics begin.
const SETS: &[(&str, &str)] = &[
    ("c.", "compressed instructions"),
    ("fl", "floating point"),
    ("fs", "floating point"),
    ("fadd", "floating point"),
    ("fmul", "floating point"),
    ("fsub", "floating point"),
    ("fdiv", "floating point"),
    ("fcvt", "floating point"),
    ("fmv", "floating point"),
    ("lr.", "atomic instructions"),
    ("sc.", "atomic instructions"),
    ("amo", "atomic instructions"),
    ("vset", "vectors"),
    ("vadd", "vectors"),
];

/// Instructions on words of a machine of 64 bits.
const WIDE: &[(&str, &str)] = &[
    ("ld", "lw"),
    ("sd", "sw"),
    ("lwu", "lw"),
    ("addw", "add"),
    ("subw", "sub"),
    ("addiw", "addi"),
    ("sllw", "sll"),
    ("srlw", "srl"),
    ("sraw", "sra"),
    ("slliw", "slli"),
    ("srliw", "srli"),
    ("sraiw", "srai"),
    ("mulw", "mul"),
    ("divw", "div"),
    ("remw", "rem"),
    ("divuw", "divu"),
    ("remuw", "remu"),
    ("negw", "neg"),
    ("sext.w", "mv"),
];

/// The instruction with a constant for one with a register, and the other way round.
fn counterpart(name: &str) -> Option<&'static str> {
    const PAIRS: [(&str, &str); 9] = [
        ("add", "addi"),
        ("and", "andi"),
        ("or", "ori"),
        ("xor", "xori"),
        ("sll", "slli"),
        ("srl", "srli"),
        ("sra", "srai"),
        ("slt", "slti"),
        ("sltu", "sltiu"),
    ];
    PAIRS.iter().find_map(|(register, constant)| {
        if name.eq_ignore_ascii_case(register) {
            Some(*constant)
        } else {
            name.eq_ignore_ascii_case(constant).then_some(*register)
        }
    })
}

impl Parser<'_> {
    /// A line that begins with a name that is no instruction of this machine but one of another.
    pub(crate) fn rv32_unknown(&self, span: Span) -> Option<Diagnostic> {
        let name = self.spelling(span).to_ascii_lowercase();
        let found = diagnostic(codes::UNKNOWN_MNEMONIC, span, format!("`{name}` is no instruction of RV32"));
        if let Some((_, here)) = WIDE.iter().find(|(word, _)| *word == name) {
            let found =
                Diagnostic { message: format!("`{name}` is for words of 64 bits, and here they have 32"), ..found };
            return Some(found.with_guess(format!("here it is `{here}`"), span, *here));
        }
        if let Some((_, right)) = ELSEWHERE.iter().find(|(word, _)| *word == name) {
            // A word alone can take its place; whole instructions are shown.
            let is_word = !right.contains(' ');
            return Some(match self.rv32_instead(&name, right, span, &found) {
                Some(whole) => whole,
                None if is_word => found.with_guess(format!("here it is `{right}`"), span, *right),
                None => found.with_expected(*right),
            });
        }
        if let Some((start, set)) = SETS.iter().find(|(start, _)| name.starts_with(start)).filter(|_| name.len() > 2) {
            let near = nearest(&name, self.unit.syntax.mnemonics().iter().map(|(name, _)| *name));
            if near.is_none() || start.ends_with('.') {
                let found = Diagnostic {
                    message: format!("`{name}` is of the set for {set}, which this machine does not have"),
                    ..found
                };
                return Some(found.with_expected("the instructions of RV32I and M, Zicsr and Zifencei"));
            }
        }
        None
    }

    /// What a line of another machine is here, where its operands tell.
    fn rv32_instead(&self, name: &str, word: &str, span: Span, found: &Diagnostic) -> Option<Diagnostic> {
        let rest = Span { start: span.end, end: self.line_end, ..span };
        let text = self.spelling(rest).trim();
        let parts: Vec<&str> = text.split(',').map(str::trim).collect();
        let is_register = |word: &str| self.register(word).is_some();
        let whole = Span { end: self.line_end, ..span };
        let right = match (name, parts.as_slice()) {
            ("push", [one]) if is_register(one) => {
                return Some(found.clone().with_expected(format!("addi sp, sp, -4, then sw {one}, 0(sp)")));
            }
            ("pop", [one]) if is_register(one) => {
                return Some(found.clone().with_expected(format!("lw {one}, 0(sp), then addi sp, sp, 4")));
            }
            ("ldr" | "ldw" | "ldb" | "ldsb" | "ldh" | "load", [to, from]) if is_register(to) => {
                let word = if name == "ldr" { "lw" } else { word };
                format!("{word} {to}, {}", self.bracketed(from)?)
            }
            ("str", [from, to]) if is_register(from) => format!("sw {from}, {}", self.bracketed(to)?),
            ("stw" | "stb" | "sth" | "store", [to, from]) if is_register(from) => {
                format!("{word} {from}, {}", self.bracketed(to)?)
            }
            ("mov", [to, from]) if is_register(to) && is_register(from) => format!("mv {to}, {from}"),
            ("mov" | "ldi", [to, from]) if is_register(to) && is_number(from) => format!("li {to}, {from}"),
            ("mov" | "lea" | "adr", [to, from]) if is_register(to) && self.is_plain_name(from) => {
                format!("la {to}, {from}")
            }
            ("jmp" | "br" | "bra" | "b" | "goto", [to]) if self.is_plain_name(to) => format!("j {to}"),
            ("bl" | "jsr" | "bsr", [to]) if self.is_plain_name(to) => format!("call {to}"),
            ("inc", [one]) if is_register(one) => format!("addi {one}, {one}, 1"),
            ("dec", [one]) if is_register(one) => format!("addi {one}, {one}, -1"),
            ("clr" | "clear", [one]) if is_register(one) => format!("li {one}, 0"),
            ("subi", [to, from, by]) if is_number(by) && !by.starts_with('-') => format!("addi {to}, {from}, -{by}"),
            ("shl" | "lsl", [to, from, by]) if is_number(by) => format!("slli {to}, {from}, {by}"),
            ("shr" | "lsr", [to, from, by]) if is_number(by) => format!("srli {to}, {from}, {by}"),
            ("sar" | "asr", [to, from, by]) if is_number(by) => format!("srai {to}, {from}, {by}"),
            _ => return None,
        };
        Some(found.clone().with_guess(format!("write `{right}`"), whole, right))
    }

    /// An address in brackets as it is written here: `[a1 + 4]` is `4(a1)`, and `[x]` is `x`.
    fn bracketed(&self, text: &str) -> Option<String> {
        let inner = text.strip_prefix('[')?.strip_suffix(']')?.trim();
        if self.register(inner).is_some() {
            return Some(format!("0({inner})"));
        }
        for (sign, before) in [("+", ""), ("-", "-"), (",", "")] {
            let Some((one, other)) = inner.split_once(sign) else { continue };
            let (one, other) = (one.trim(), other.trim().trim_start_matches('#'));
            if self.register(one).is_some() && self.register(other).is_none() && !other.is_empty() {
                return Some(format!("{before}{other}({one})"));
            }
            if self.register(other).is_some() && self.register(one).is_none() && before.is_empty() && !one.is_empty() {
                return Some(format!("{one}({other})"));
            }
        }
        self.is_plain_name(inner).then(|| inner.to_owned())
    }

    /// `[a1 + 4]` where an operand stands.
    pub(super) fn address_in_brackets(&self, open: Span) -> Diagnostic {
        let rest = Span { end: self.line_end, ..open };
        let text = self.spelling(rest);
        let length = text.find(']').map_or(text.len(), |close| close + 1);
        let whole = Span { end: open.start + u32::try_from(length).unwrap_or(0), ..open };
        let found = diagnostic(
            codes::OPERANDS,
            whole,
            "an address is an offset with a register in parentheses, without brackets",
        );
        match self.bracketed(self.spelling(whole)) {
            Some(right) => found.with_guess(format!("write `{right}`"), whole, right),
            None => found.with_expected("4(a1), 0(a1), or a label"),
        }
    }

    /// The mnemonic nearest to a word among those that take as many operands as stand behind it, of the kind of the last.
    pub(crate) fn nearest_rv32(&self, name: &str) -> Option<&'static str> {
        let rest = &self.tokens[self.at + 1..];
        let commas = rest.iter().filter(|token| token.kind == Kind::Mark(Mark::Comma)).count();
        let count = if rest.is_empty() { 0 } else { commas + 1 };
        let last = rest.last().map(|token| self.spelling(self.span(*token))).unwrap_or_default();
        let ends_in = |slot: Slot| match slot {
            Slot::Register => self.register(last).is_some(),
            Slot::Memory => last == ")",
            _ => self.register(last).is_none() && last != ")",
        };
        let fits = |form: &&Form| form.slots.len() == count && form.slots.last().is_none_or(|slot| ends_in(*slot));
        nearest(name, forms().iter().filter(fits).map(|form| form.name))
    }

    fn is_plain_name(&self, word: &str) -> bool {
        let begins = word.starts_with(|sign: char| sign.is_alphabetic() || matches!(sign, '_' | '.' | '@'));
        begins
            && self.register(word).is_none()
            && word.chars().all(|sign| sign.is_alphanumeric() || matches!(sign, '_' | '.' | '@' | '$'))
    }

    /// What an operand shows to be a mistake by itself or by what stands behind it.
    pub(super) fn odd_operand(&self, forms: &[Form], before: &[Operand], operand: Operand) -> Option<Diagnostic> {
        let text = self.spelling(operand.span);
        let next = self.peek();
        let next_mark = match next.map(|token| token.kind) {
            Some(Kind::Mark(mark)) => Some(mark),
            _ => None,
        };
        // `[a1 + 4]`, `a1(4)`, `4[a1]`: addresses in other forms.
        if let (Place::Register(_), Some(Mark::ParenOpen | Mark::Open)) = (operand.what, next_mark) {
            let rest = self.tokens.get(self.at + 1).map(|token| self.spelling(self.span(*token))).unwrap_or_default();
            let last = self.tokens.get(self.at + 2).map(|token| self.span(*token));
            let whole = operand.span.to(last.unwrap_or(operand.span));
            let found =
                diagnostic(codes::OPERANDS, whole, "the offset stands before the parentheses, the register in them");
            let right = format!("{rest}({text})");
            return Some(found.with_guess(format!("write `{right}`"), whole, right));
        }
        if let (Place::Value(..), Some(Mark::ParenOpen | Mark::Open)) = (operand.what, next_mark) {
            return Some(self.odd_parentheses(operand.span));
        }
        if let (Place::Register(_), Some(Mark::Plus | Mark::Minus | Mark::Star | Mark::Left)) =
            (operand.what, next_mark)
        {
            let whole = operand.span.to(Span { end: self.line_end, ..operand.span });
            let whole_text = self.spelling(whole);
            let takes_address = forms.iter().any(|form| form.slots.get(before.len()) == Some(&Slot::Memory));
            if let Some(right) = self.bracketed(&format!("[{whole_text}]")).filter(|_| takes_address) {
                let message = "the offset stands before the parentheses, the register in them";
                let found = diagnostic(codes::OPERANDS, whole, message);
                return Some(found.with_guess(format!("write `{right}`"), whole, right));
            }
            let message = format!("`{}` would have to be computed while the program runs", quoted(whole_text));
            let found = diagnostic(codes::OPERANDS, whole, message);
            return Some(found.with_expected("an instruction for it: addi, add, sub, slli, … before this one"));
        }
        let marked = text.strip_prefix(['$', '%']).filter(|name| self.register(name).is_some());
        if let Some(plain) = marked.filter(|_| !self.plain.contains_key(text)) {
            let found = diagnostic(codes::OPERANDS, operand.span, "registers are written without a mark");
            return Some(found.with_guess(format!("write `{plain}`"), operand.span, plain));
        }
        // Something that reads as a register where only one can stand.
        let at = before.len();
        let wants_register = forms.iter().all(|form| form.slots.get(at).is_none_or(|slot| *slot == Slot::Register));
        let Place::Value(..) = operand.what else { return None };
        if !reads_as_register(text)
            || self.plain.contains_key(text)
            || !(wants_register || at + 1 < forms.iter().map(|form| form.slots.len()).max()?)
        {
            return None;
        }
        let found = diagnostic(codes::OPERANDS, operand.span, format!("`{text}` is no register"));
        // All of a line are mended at once.
        let names = self.tokens.iter().filter(|token| token.kind == Kind::Name).map(|token| self.span(*token));
        let edits: Vec<wendax_source::Edit> = names
            .filter_map(|span| Some(wendax_source::Edit { span, text: other_register(self.spelling(span))? }))
            .collect();
        Some(match other_register(text) {
            Some(near) => found.with_change(Grade::Guess, format!("here it is `{near}`"), edits),
            None => found.with_expected("zero ra sp gp tp, t0 to t6, s0 to s11, a0 to a7, or x0 to x31"),
        })
    }

    /// Parentheses behind a value that hold no register, or do not close.
    fn odd_parentheses(&self, before: Span) -> Diagnostic {
        let rest: Vec<Span> = self.tokens[self.at..].iter().map(|token| self.span(*token)).collect();
        let offset = self.spelling(before);
        let inner = rest.get(1).map(|span| self.spelling(*span)).unwrap_or_default();
        let last = rest.get(2).copied();
        let whole = before.to(last.or(rest.get(1).copied()).unwrap_or(before));
        let is_register = self.register(inner).is_some();
        if is_register && rest.len() == 2 {
            let place = rest[1].after();
            let found = diagnostic(codes::UNCLOSED, place, "a `)` is missing here").with_other(rest[0], "opened here");
            return found.with_change(
                Grade::Certain,
                "close the address",
                vec![wendax_source::Edit { span: place, text: ")".to_owned() }],
            );
        }
        let found = diagnostic(codes::OPERANDS, whole, "an address is an offset with a register in parentheses");
        if is_register {
            let right = format!("{offset}({inner})");
            return found.with_guess(format!("write `{right}`"), whole, right);
        }
        found.with_expected(format!("{offset}(a1), with the register that holds the address"))
    }

    /// Operands that no form of a mnemonic takes.
    pub(super) fn wrong_rv32_operands(
        &self,
        name: &str,
        span: Span,
        forms: &'static [Form],
        operands: &[Operand],
    ) -> Diagnostic {
        let place = match (operands.first(), operands.last()) {
            (Some(first), Some(last)) => first.span.to(last.span),
            _ => span,
        };
        let whole = span.to(operands.last().map_or(span, |last| last.span));
        let text = |operand: &Operand| self.spelling(operand.span);
        let with_forms = |found: Diagnostic| forms.iter().map(Form::text).fold(found, Diagnostic::with_expected);
        let told = |message: String| diagnostic(codes::OPERANDS, place, message);
        let fix = |found: Diagnostic, grade: Grade, right: String| {
            let edits = vec![wendax_source::Edit { span: whole, text: right.clone() }];
            found.with_change(grade, format!("write `{right}`"), edits)
        };
        // A constant where a register belongs, or the other way round.
        if let (Some(other), [first, second, third]) = (counterpart(name), operands) {
            let forms_register = forms.iter().any(|form| form.slots.iter().all(|slot| *slot == Slot::Register));
            let registers = matches!((first.what, second.what), (Place::Register(_), Place::Register(_)));
            match third.what {
                Place::Value(..) if registers && forms_register => {
                    let found = told(format!("`{name}` takes three registers; with a constant it is `{other}`"));
                    let right = format!("{other} {}, {}, {}", text(first), text(second), text(third));
                    return fix(found, Grade::Certain, right);
                }
                Place::Register(_) if registers && !forms_register => {
                    let found = told(format!("`{name}` takes a constant; with a register it is `{other}`"));
                    let right = format!("{other} {}, {}, {}", text(first), text(second), text(third));
                    return fix(found, Grade::Certain, right);
                }
                _ => {}
            }
        }
        let lower = name.to_ascii_lowercase();
        if let ("sub", [first, second, third]) = (lower.as_str(), operands)
            && matches!(third.what, Place::Value(..))
        {
            let found = told("`sub` takes three registers; a constant is added with its sign turned".to_owned());
            let value = text(third);
            let right = match value.strip_prefix('-') {
                Some(value) => format!("addi {}, {}, {value}", text(first), text(second)),
                None if value.starts_with(|sign: char| sign.is_ascii_digit()) => {
                    format!("addi {}, {}, -{value}", text(first), text(second))
                }
                None => format!("addi {}, {}, -({value})", text(first), text(second)),
            };
            return fix(found, Grade::Guess, right);
        }
        match operands {
            [Operand { what: Place::Register(_), .. }, Operand { what: Place::Register(_), .. }, third]
                if matches!(third.what, Place::Value(..))
                    && forms.iter().all(|form| form.slots == [Slot::Register; 3]) =>
            {
                let spare = if operands[..2].iter().any(|one| text(one) == "t0") { "t1" } else { "t0" };
                let found = told(format!("`{name}` takes three registers, and `{}` is a value", quoted(text(third))));
                let (first, second) = (text(&operands[0]), text(&operands[1]));
                return found
                    .with_expected(format!("li {spare}, {}, then {name} {first}, {second}, {spare}", text(third)));
            }
            [first, second, third]
                if matches!(
                    (first.what, second.what, third.what),
                    (Place::Register(_), Place::Register(_), Place::Value(..))
                ) && lower.starts_with('b')
                    && lower.ends_with('z') =>
            {
                let right =
                    format!("{} {}, {}, {}", lower.trim_end_matches('z'), text(first), text(second), text(third));
                return fix(told(format!("`{name}` compares one register with 0")), Grade::Guess, right);
            }
            [first, second]
                if lower == "jal" && matches!((first.what, second.what), (Place::Register(_), Place::Register(_))) =>
            {
                let found = told(format!("`{name}` takes a label; where a register says it is `jalr`"));
                return fix(found, Grade::Certain, format!("jalr {}, {}", text(first), text(second)));
            }
            [first, second]
                if matches!(lower.as_str(), "li" | "la" | "lui" | "auipc")
                    && matches!((first.what, second.what), (Place::Value(..), Place::Register(_))) =>
            {
                let found =
                    Diagnostic { code: codes::ORDER.code, ..told(format!("`{name}` names its register first")) };
                return fix(found, Grade::Certain, format!("{name} {}, {}", text(second), text(first)));
            }
            [first, second]
                if matches!(
                    (first.what, second.what),
                    (Place::Csr(_), Place::Register(_)) | (Place::Register(_), Place::Csr(_))
                ) && forms.iter().all(|form| form.slots.len() == 2) =>
            {
                let found =
                    Diagnostic { code: codes::ORDER.code, ..told(format!("the operands of `{name}` are exchanged")) };
                let grade = Grade::Guess;
                return fix(found, grade, format!("{name} {}, {}", text(second), text(first)));
            }
            [first, second] if matches!((first.what, second.what), (Place::Csr(_), Place::Value(..))) => {
                let found = told(format!("`{name}` takes a register; with a constant of 0 to 31 it is `{name}i`"));
                return fix(found, Grade::Guess, format!("{name}i {}, {}", text(first), text(second)));
            }
            [first, second]
                if lower.starts_with('s')
                    && matches!((first.what, second.what), (Place::Value(..), Place::Memory { .. })) =>
            {
                let found = told(format!("`{name}` stores a register, and `{}` is a value", quoted(text(first))));
                let load = if is_number(text(first)) { "li" } else { "la" };
                return found.with_expected(format!("{load} t0, {}, then {name} t0, {}", text(first), text(second)));
            }
            [first, second, third]
                if matches!(
                    (first.what, second.what, third.what),
                    (Place::Register(_), Place::Value(..), Place::Register(_))
                ) && forms.iter().any(|form| form.slots.contains(&Slot::Memory)) =>
            {
                let found = told(format!("`{name}` takes an address: an offset with a register in parentheses"));
                return fix(found, Grade::Guess, format!("{name} {}, {}({})", text(first), text(second), text(third)));
            }
            _ => {}
        }
        let takes_memory = forms.iter().any(|form| form.slots.contains(&Slot::Memory));
        match operands {
            // Two operands where three are wanted: the destination is named by itself.
            [first, second] if forms.iter().all(|form| form.slots.len() == 3) && !takes_memory => {
                let third = forms.first().and_then(|form| form.slots.get(2).copied());
                let is_branch = third == Some(Slot::Value(ValueKind::Label));
                if is_branch {
                    let found = told(format!("`{name}` compares two registers and takes a label"));
                    return match (first.what, second.what) {
                        (Place::Register(_), Place::Value(..)) if matches!(name, "beq" | "bne" | "blt" | "bge") => {
                            fix(found, Grade::Guess, format!("{name}z {}, {}", text(first), text(second)))
                        }
                        _ => with_forms(found),
                    };
                }
                let found = told(format!("`{name}` takes three operands: where it goes, and two it is made of"));
                let right = match (second.what, counterpart(name)) {
                    (Place::Value(..), Some(other)) if third == Some(Slot::Register) => {
                        format!("{other} {0}, {0}, {1}", text(first), text(second))
                    }
                    (Place::Register(_), Some(other)) if third != Some(Slot::Register) => {
                        format!("{other} {0}, {0}, {1}", text(first), text(second))
                    }
                    _ => format!("{name} {0}, {0}, {1}", text(first), text(second)),
                };
                return fix(found, Grade::Guess, right);
            }
            // A constant compared by a branch.
            [first, second, third]
                if forms
                    .iter()
                    .any(|form| form.slots == [Slot::Register, Slot::Register, Slot::Value(ValueKind::Label)])
                    && matches!(
                        (first.what, second.what, third.what),
                        (Place::Register(_), Place::Value(..), Place::Value(..))
                    ) =>
            {
                let found = told(format!("`{name}` compares two registers, and `{}` is a value", quoted(text(second))));
                if text(second) == "0" {
                    return fix(found, Grade::Guess, format!("{name} {}, zero, {}", text(first), text(third)));
                }
                let spare = if text(first) == "t0" { "t1" } else { "t0" };
                return found.with_expected(format!(
                    "li {spare}, {}, then {name} {}, {spare}, {}",
                    text(second),
                    text(first),
                    text(third)
                ));
            }
            [first, second]
                if takes_memory && matches!((first.what, second.what), (Place::Register(_), Place::Register(_))) =>
            {
                let found =
                    told(format!("`{name}` takes an address: the register that holds it stands in parentheses"));
                return fix(found, Grade::Certain, format!("{name} {}, 0({})", text(first), text(second)));
            }
            [first, second, third]
                if takes_memory
                    && matches!(
                        (first.what, second.what, third.what),
                        (Place::Register(_), Place::Register(_), Place::Value(..))
                    ) =>
            {
                let found = told(format!("`{name}` takes its offset before the register"));
                return fix(found, Grade::Guess, format!("{name} {}, {}({})", text(first), text(third), text(second)));
            }
            [first, second]
                if takes_memory
                    && matches!(
                        (first.what, second.what),
                        (Place::Memory { .. } | Place::Value(..), Place::Register(_))
                    ) =>
            {
                let found = told(format!("`{name}` names its register first, then the address"));
                let found = Diagnostic { code: codes::ORDER.code, ..found };
                return match first.what {
                    Place::Memory { .. } => {
                        fix(found, Grade::Certain, format!("{name} {}, {}", text(second), text(first)))
                    }
                    _ => with_forms(found),
                };
            }
            [first, second]
                if takes_memory
                    && name.starts_with('s')
                    && matches!((first.what, second.what), (Place::Register(_), Place::Value(..))) =>
            {
                let spare = if text(first) == "t0" { "t1" } else { "t0" };
                let found = told(format!("`{name}` to a label needs a register for the address"));
                return fix(found, Grade::Guess, format!("{name} {}, {}, {spare}", text(first), text(second)));
            }
            [one]
                if matches!(lower.as_str(), "j" | "jal" | "call" | "tail")
                    && matches!(one.what, Place::Register(_)) =>
            {
                let right = if matches!(lower.as_str(), "j" | "tail") { "jr" } else { "jalr" };
                let found = told(format!("`{name}` takes a label; where a register says it is `{right}`"));
                return fix(found, Grade::Certain, format!("{right} {}", text(one)));
            }
            [one] if matches!(lower.as_str(), "jr" | "jalr") && matches!(one.what, Place::Value(..)) => {
                let right = if name.eq_ignore_ascii_case("jr") { "j" } else { "call" };
                let found = told(format!("`{name}` takes a register; to a label it is `{right}`"));
                return fix(found, Grade::Certain, format!("{right} {}", text(one)));
            }
            [first, second]
                if matches!(lower.as_str(), "mv")
                    && matches!((first.what, second.what), (Place::Register(_), Place::Value(..))) =>
            {
                let number = is_number(text(second));
                let right = if number { "li" } else { "la" };
                let what = if number { "a number" } else { "an address" };
                let found = told(format!("`mv` copies a register; {what} is loaded by `{right}`"));
                return fix(found, Grade::Guess, format!("{right} {}, {}", text(first), text(second)));
            }
            [first, second]
                if matches!(lower.as_str(), "li" | "la")
                    && matches!((first.what, second.what), (Place::Register(_), Place::Register(_))) =>
            {
                let found = told(format!("`{name}` takes a value; a register is copied by `mv`"));
                return fix(found, Grade::Certain, format!("mv {}, {}", text(first), text(second)));
            }
            _ => {}
        }
        let wanted: Vec<usize> = forms.iter().map(|form| form.slots.len()).collect();
        let (least, most) = (wanted.iter().min().copied().unwrap_or(0), wanted.iter().max().copied().unwrap_or(0));
        if operands.len() > most {
            let extra = &operands[most];
            let last = operands.last().map_or(extra.span, |last| last.span);
            let count = ["no operand", "one operand", "two operands", "three operands"]
                .get(most)
                .copied()
                .unwrap_or("fewer operands");
            return with_forms(diagnostic(
                codes::OPERANDS,
                extra.span.to(last),
                format!("`{name}` takes {count}; this is left over"),
            ));
        }
        if operands.len() < least {
            let place = operands.last().map_or(span, |last| last.span).after();
            let missing = least - operands.len();
            let words = if missing == 1 {
                "an operand is missing".to_owned()
            } else {
                format!("{missing} operands are missing")
            };
            return with_forms(diagnostic(codes::OPERANDS, place, format!("`{name}`: {words}")));
        }
        let given = listed(&operands.iter().map(|operand| operand.what.words()).collect::<Vec<_>>());
        with_forms(told(format!("`{name}` does not take {given}")))
    }
}

/// It reads as a number or a character.
fn is_number(word: &str) -> bool {
    word.starts_with(|sign: char| sign.is_ascii_digit() || matches!(sign, '-' | '\''))
}

/// It reads as the name of a register, of this machine or another.
pub(crate) fn reads_as_register(name: &str) -> bool {
    let lower = name.to_ascii_lowercase();
    let digits = lower.trim_start_matches(|sign: char| sign.is_ascii_alphabetic());
    let letters = &lower[..lower.len() - digits.len()];
    let is_number = !digits.is_empty() && digits.len() <= 2 && digits.bytes().all(|digit| digit.is_ascii_digit());
    is_number && ["r", "x", "a", "t", "s", "w", "d", "f", "ft", "fa", "fs"].contains(&letters)
        || matches!(
            lower.as_str(),
            "pc" | "lr" | "ax" | "bx" | "cx" | "dx" | "eax" | "ebx" | "ecx" | "edx" | "rax" | "fl"
        )
}

/// The register here that is used for the same.
fn other_register(name: &str) -> Option<String> {
    let lower = name.to_ascii_lowercase();
    if lower == "lr" {
        return Some("ra".to_owned());
    }
    let number: u32 = lower.strip_prefix('r')?.parse().ok().filter(|number| *number < 32)?;
    Some(format!("x{number}"))
}
