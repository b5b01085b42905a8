//! One statement to bytes, and the values that do not fit.
//!
//! Of a program whose places are known all bytes are final. Of an object, what counts from a base is left
//! zero and told as a [`Relocation`].

use crate::codes;
use crate::expr::{Expr, Part, Step, SymbolId, Value};
use crate::layout::nop_bytes;
use crate::link::Placed;
use crate::link::{Program, UnitIndex};
use crate::problems::{Problems, diagnostic, quoted, unplaced, without_value};
use crate::syntax::Syntax;
use crate::unit::{Definition, Instruction, PatchKind, SectionKind, Statement, What};
use wendax_image::LineKind;
use wendax_isa::w16::{Insn, OperandKind, encode};
use wendax_source::Sources;

/// Something that only linking knows, to be put into a statement's bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Relocation {
    /// Bytes into the statement.
    pub(crate) at: u32,
    pub(crate) kind: PatchKind,
    pub(crate) value: Value,
}

pub(crate) struct Encoder<'p, 'a> {
    pub(crate) sources: &'p Sources,
    pub(crate) program: &'p Program<'a>,
    pub(crate) unit: UnitIndex,
    pub(crate) problems: Problems,
    /// What the last statement became.
    pub(crate) bytes: Vec<u8>,
    pub(crate) relocations: Vec<Relocation>,
    pub(crate) place: Placed,
    /// The last instruction lay at an odd address, which was reported where that began.
    is_odd: bool,
}

impl<'p, 'a> Encoder<'p, 'a> {
    pub(crate) fn new(sources: &'p Sources, program: &'p Program<'a>, unit: UnitIndex) -> Self {
        let place = Placed { at: Value::number(0), size: 0 };
        Self {
            sources,
            program,
            unit,
            problems: Problems::default(),
            bytes: Vec::new(),
            relocations: Vec::new(),
            place,
            is_odd: false,
        }
    }

    /// Encodes a statement into `bytes`; tells what they are.
    pub(crate) fn statement(
        &mut self,
        kind: SectionKind,
        statement: &Statement,
        lengthened: bool,
        place: Placed,
    ) -> LineKind {
        self.bytes.clear();
        self.relocations.clear();
        self.place = place;
        let unit = self.program.units[self.unit];
        let mut line = match kind {
            SectionKind::Code => LineKind::Code,
            SectionKind::Data | SectionKind::Constants => LineKind::Data,
            SectionKind::Zeroed => LineKind::Reserved,
        };
        match &statement.what {
            What::Instruction(instruction) => self.instruction(instruction, lengthened),
            What::Rv32(instruction) => self.rv32(instruction, lengthened),
            What::Words(words) => words.iter().for_each(|word| self.bytes.extend(word.to_le_bytes())),
            What::Values { width, from, to } => {
                line = LineKind::Data;
                self.values(*width, *from..*to);
            }
            What::Bytes { from, to } => {
                line = LineKind::Data;
                self.bytes.extend_from_slice(&unit.bytes[*from as usize..*to as usize]);
            }
            What::Object { bytes: (from, to), patches: (first, last) } => {
                self.bytes.extend_from_slice(&unit.bytes[*from as usize..*to as usize]);
                unit.patches[*first as usize..*last as usize].iter().for_each(|patch| self.patch(*patch));
            }
            What::Space { count, fill } => {
                self.number(*count, 0, self.top(), "a size");
                let fill_byte = fill.map(|fill| self.byte_value(fill));
                line = if fill_byte.is_some() { LineKind::Data } else { LineKind::Reserved };
                self.bytes.resize(usize::try_from(place.size).unwrap_or(0), fill_byte.unwrap_or(0));
            }
            What::Align { to, fill } => self.align(kind, *to, *fill),
            What::Org(address) => {
                self.number(*address, 0, self.top() - 1, "an address");
            }
        }
        self.check_odd(statement);
        line
    }

    fn check_odd(&mut self, statement: &Statement) {
        let instruction = crate::emit::is_instruction(&statement.what);
        let align = i64::from(self.syntax().target().code_align);
        let odd = instruction && self.place.at.offset % align != 0;
        if odd && !self.is_odd {
            let (place, right) = match align {
                2 => ("an odd address".to_owned(), "`.align 2` before it".to_owned()),
                _ => (format!("an address that is no multiple of {align}"), format!("`.balign {align}` before it")),
            };
            let found = diagnostic(codes::ODD_TARGET, statement.span, format!("this instruction would lie at {place}"));
            self.problems.push(found.with_expected(right));
        }
        self.is_odd = odd || self.is_odd && !instruction;
    }

    fn instruction(&mut self, instruction: &Instruction, lengthened: bool) {
        let row = instruction.row(lengthened);
        let mut value = 0;
        for kind in row.operands {
            let Some(expr) = instruction.value else { continue };
            value = match kind {
                OperandKind::Constant | OperandKind::BaseOffset => {
                    let found = self.value(expr, -0x8000, 0xFFFF, "a word");
                    self.word_at(found, 2)
                }
                OperandKind::Small => low_word(self.number(expr, -0x80, 0xFF, "a byte").unwrap_or(0) & 0xFF),
                OperandKind::Call => low_word(self.number(expr, 0, 0xFF, "a call number").unwrap_or(0)),
                OperandKind::Near8 | OperandKind::Near12 => {
                    low_word(self.target(expr).offset - self.place.at.offset - 2)
                }
                OperandKind::Far => {
                    let target = self.target(expr);
                    self.word_at(Some(target), 2)
                }
                OperandKind::Register | OperandKind::Flags | OperandKind::Base => continue,
            };
        }
        let (first, second) = encode(Insn::new(row, instruction.a, instruction.b, value));
        self.bytes.extend(first.to_le_bytes());
        self.bytes.extend(second.iter().flat_map(|word| word.to_le_bytes()));
    }

    /// A word that goes to byte `at` of the statement: its value, or a relocation and 0.
    fn word_at(&mut self, value: Option<Value>, at: usize) -> u16 {
        let Some(value) = value else { return 0 };
        if let Some(number) = value.as_number() {
            return low_word(number);
        }
        let kind = match value.part {
            Part::Whole => PatchKind::Word,
            Part::High => PatchKind::High,
            Part::Low => PatchKind::Low,
        };
        self.relocations.push(Relocation { at: u32::try_from(at).unwrap_or(0), kind, value });
        0
    }

    /// Where a jump goes; odd places are reported.
    fn target(&mut self, expr: Expr) -> Value {
        let Some(target) = self.target_value(expr) else { return self.place.at };
        let label = self.program.units[self.unit].steps(expr).iter().find_map(|step| match step {
            Step::Symbol(id) => Some(*id),
            _ => None,
        });
        if let Some(label) = label
            && self.data_target(expr, label)
        {
            return target;
        }
        // An instruction that lies at an odd address is reported where it stands.
        if target.offset % 2 != 0 && !label.is_some_and(|label| self.is_instruction(label)) {
            let message = format!("this jump goes to the odd address 0x{:04X}", target.offset);
            let mut found = diagnostic(codes::ODD_TARGET, expr.span, message);
            if let Some(label) = label {
                let place = self.name(label).span;
                found = found.with_other(place, "the label stands here; instructions lie at even addresses");
            }
            let right = "a label before an instruction, or `.align 2` before the label";
            self.problems.push(found.with_expected(right));
        }
        target
    }

    /// The address a jump goes to; one outside memory is told with its distance.
    fn target_value(&mut self, expr: Expr) -> Option<Value> {
        let found = self.program.evaluate(self.unit, expr, self.place.at);
        let number = match found {
            Ok(value) => match value.as_number() {
                Some(number) if !(0..self.top()).contains(&number) => number,
                Some(_) | None => return Some(value),
            },
            // What is wrong with it is told there.
            Err(_) => return self.value(expr, 0, self.top() - 1, "an address"),
        };
        let distance = number - self.place.at.offset;
        let way = if distance < 0 { "back" } else { "ahead" };
        let message = format!("this jump goes to {number}, {} bytes {way}, where there is no memory", distance.abs());
        let found = diagnostic(codes::FAR, expr.span, message);
        self.problems.push(found.with_expected("a label; addresses go from 0 to 65535 (0xFFFF)"));
        None
    }

    fn syntax(&self) -> Syntax {
        self.program.units[self.unit].syntax
    }

    /// One past the highest address.
    fn top(&self) -> i64 {
        self.syntax().top()
    }

    pub(crate) fn name(&self, label: SymbolId) -> &'p crate::unit::Name {
        let (unit, label) = self.program.meaning(self.unit, label);
        self.program.units[unit].name(label)
    }

    /// A jump straight to a label of data: told, and true.
    pub(crate) fn data_target(&mut self, expr: Expr, label: SymbolId) -> bool {
        let (unit, id) = self.program.meaning(self.unit, label);
        let unit = self.program.units[unit];
        let Definition::Label { section, .. } = unit.name(id).definition else { return false };
        let is_data = unit.section(section).kind != SectionKind::Code;
        if !is_data || self.program.units[self.unit].sole_symbol(expr).is_none() {
            return false;
        }
        let name = unit.spelling(id);
        let message = format!("`{name}` is data, where nothing can be run");
        let found = diagnostic(codes::DATA_TARGET, expr.span, message).with_other(unit.name(id).span, "defined here");
        self.problems.push(found.with_expected("a label before an instruction in `.code`"));
        true
    }

    /// A label stands before an instruction.
    fn is_instruction(&self, label: SymbolId) -> bool {
        let (unit, id) = self.program.meaning(self.unit, label);
        let unit = self.program.units[unit];
        let Definition::Label { section, statement } = unit.name(id).definition else { return false };
        let statement = unit.section(section).statements.get(statement as usize);
        statement.is_some_and(|statement| crate::emit::is_instruction(&statement.what))
    }

    fn values(&mut self, width: u32, range: std::ops::Range<u32>) {
        let unit = self.program.units[self.unit];
        for index in range {
            let expr = unit.values[index as usize];
            if width == 1 {
                let byte = self.byte(expr);
                self.bytes.push(byte);
            } else if self.syntax().word() == 4 {
                self.wide(width, expr);
            } else {
                let value = self.value(expr, -0x8000, 0xFFFF, "a word");
                let word = self.word_at(value, self.bytes.len());
                self.bytes.extend(word.to_le_bytes());
            }
        }
    }

    /// A value of 2, 4 or 8 bytes, where addresses have 4.
    fn wide(&mut self, width: u32, expr: Expr) {
        let (low, high, what) = match width {
            2 => (-0x8000, 0xFFFF, "a half word"),
            4 => (-(1 << 31), (1 << 32) - 1, "a word"),
            _ => (i64::MIN, i64::MAX, "8 bytes"),
        };
        let value = self.value(expr, low, high, what);
        let number = match value {
            Some(value) => {
                if let Some(number) = value.as_number() {
                    number
                } else {
                    let at = u32::try_from(self.bytes.len()).unwrap_or(0);
                    if width == 4 && value.part == Part::Whole {
                        self.relocations.push(Relocation { at, kind: PatchKind::Address, value });
                    } else {
                        self.problems.push(unplaced(expr.span));
                    }
                    0
                }
            }
            None => 0,
        };
        self.bytes.extend_from_slice(&number.to_le_bytes()[..width as usize]);
    }

    fn patch(&mut self, patch: crate::unit::Patch) {
        let at = patch.at as usize;
        let value = match patch.kind {
            PatchKind::Byte => self.value(patch.value, -0x80, 0xFF, "a byte"),
            _ if self.syntax() == Syntax::W16 => self.value(patch.value, -0x8000, 0xFFFF, "a word"),
            _ => self.value(patch.value, -(1 << 31), (1 << 32) - 1, "a word"),
        };
        let Some(value) = value else { return };
        let Some(number) = value.as_number() else {
            self.relocations.push(Relocation { at: patch.at, kind: patch.kind, value });
            return;
        };
        let [first, second, third, fourth, ..] = number.to_le_bytes();
        let bytes: &[u8] = match patch.kind {
            PatchKind::Byte | PatchKind::Low => &[first],
            PatchKind::High => &[second],
            PatchKind::Word => &[first, second],
            PatchKind::Address if self.syntax() == Syntax::W16 => &[first, second, 0, 0],
            PatchKind::Address => &[first, second, third, fourth],
            PatchKind::Rv32(kind) => return self.rv32_patch(patch, kind, number),
        };
        if let Some(place) = self.bytes.get_mut(at..at + bytes.len()) {
            place.copy_from_slice(bytes);
        }
    }

    fn align(&mut self, kind: SectionKind, to: Expr, fill: Option<Expr>) {
        let most = self.top() / 2;
        if let Some(multiple) = self.number(to, 1, most, "an alignment")
            && multiple.count_ones() != 1
        {
            let found = diagnostic(codes::RANGE, to.span, format!("{multiple} is no power of two"));
            self.problems.push(found.with_expected(format!("1, 2, 4, 8, … {most}")));
        }
        let size = usize::try_from(self.place.size).unwrap_or(0);
        match (kind, fill) {
            (_, Some(fill)) => {
                let byte = self.byte_value(fill);
                self.bytes.resize(size, byte);
            }
            (SectionKind::Data | SectionKind::Constants | SectionKind::Zeroed, None) => self.bytes.resize(size, 0),
            // An odd place in code is filled with a zero up to the next word, then with words that do
            // nothing, so that code may run across.
            (SectionKind::Code, None) => {
                let nop = nop_bytes(self.syntax());
                let odd = size % nop.len();
                self.bytes.resize(odd, 0);
                self.bytes.extend(nop.iter().copied().cycle().take(size - odd));
            }
        }
    }

    /// A byte that may be part of an address.
    fn byte(&mut self, expr: Expr) -> u8 {
        let Some(value) = self.value(expr, -0x80, 0xFF, "a byte") else { return 0 };
        if let Some(number) = value.as_number() {
            return low_word(number & 0xFFFF).to_le_bytes()[0];
        }
        if self.syntax() == Syntax::Rv32 {
            // The psABI has nothing for a byte alone.
            self.problems.push(unplaced(expr.span));
            return 0;
        }
        let kind = match value.part {
            Part::Whole => PatchKind::Byte,
            Part::High => PatchKind::High,
            Part::Low => PatchKind::Low,
        };
        let at = u32::try_from(self.bytes.len()).unwrap_or(0);
        self.relocations.push(Relocation { at, kind, value });
        0
    }

    fn byte_value(&mut self, expr: Expr) -> u8 {
        let value = self.number(expr, -0x80, 0xFF, "a byte").unwrap_or(0);
        low_word(value).to_le_bytes()[0]
    }

    /// The value of an expression, whatever its range; what is wrong is reported.
    pub(crate) fn evaluate(&mut self, expr: Expr) -> Option<Value> {
        match self.program.evaluate(self.unit, expr, self.place.at) {
            Ok(value) => Some(value),
            Err(error) => {
                if let Some(found) = without_value(error, expr.span) {
                    self.problems.push(found);
                }
                None
            }
        }
    }

    /// A value that must be known now.
    pub(crate) fn number(&mut self, expr: Expr, low: i64, high: i64, what: &str) -> Option<i64> {
        let value = self.value(expr, low, high, what)?;
        if value.as_number().is_none() {
            self.problems.push(unplaced(expr.span));
        }
        value.as_number()
    }

    /// The value of an expression when it lies in `low..=high`; what is wrong is reported.
    pub(crate) fn value(&mut self, expr: Expr, low: i64, high: i64, what: &str) -> Option<Value> {
        let error = match self.program.evaluate(self.unit, expr, self.place.at) {
            Ok(value) if value.as_number().is_none_or(|number| (low..=high).contains(&number)) => return Some(value),
            Ok(Value { offset: value, .. }) => {
                let unit = self.program.units[self.unit];
                let text = crate::link::text_of(unit, self.sources, expr.span);
                let is = if text == value.to_string() { String::new() } else { format!(" is {value}, which") };
                let nearest = value.clamp(low, high);
                let right = match text.strip_prefix('\'').and_then(|text| text.strip_suffix('\'')) {
                    Some(sign) => format!("a text of several bytes, in `.data`: .asciz \"{sign}\""),
                    None => format!("{low} to {high}; the nearest is {nearest}"),
                };
                diagnostic(codes::RANGE, expr.span, format!("`{}`{is} does not fit {what}", quoted(text)))
                    .with_expected(right)
            }
            Err(error) => without_value(error, expr.span)?,
        };
        self.problems.push(error);
        None
    }
}

/// The low 16 bits of a value known to fit them, signed or not.
pub(crate) fn low_word(value: i64) -> u16 {
    u16::try_from(value & 0xFFFF).unwrap_or(0)
}
