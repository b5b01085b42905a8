//! Bytes, line map and names, and the values that do not fit.

use crate::codes;
use crate::expr::{EvalError, Expr, Step, SymbolId, evaluate};
use crate::image::{Image, Line, LineKind, Rights, Segment, Symbol, SymbolKind};
use crate::layout::{Layout, Placed, nop_bytes};
use crate::problems::diagnostic;
use crate::unit::{Definition, Instruction, Section, Statement, Unit, What};
use wendax_isa::w16::{DEVICE_START, Insn, OperandKind, STACK_END, STACK_START, encode};
use wendax_source::{Sources, Span};

/// One past the last address.
const TOP: i64 = 0x1_0000;

pub(crate) fn emit(sources: &Sources, unit: &mut Unit, layout: &mut Layout) -> Image {
    let mut emitter = Emitter { sources, unit, image: Image::default(), open: None, odd: false };
    emitter.section(Section::Code, &layout.code);
    emitter.section(Section::Data, &layout.data);
    emitter.close();
    emitter.image.segments.sort_by_key(|segment| segment.start);
    emitter.image.lines.sort_by_key(|line| line.address);
    emitter.overlaps();
    emitter.limits();
    emitter.symbols();
    emitter.entry();
    let mut image = emitter.image;
    image.heap_start = u32::try_from(layout.end.clamp(0, i64::from(STACK_START))).unwrap_or(0).next_multiple_of(2);
    image
}

struct Emitter<'a> {
    sources: &'a Sources,
    unit: &'a mut Unit,
    image: Image,
    /// The segment being written.
    open: Option<Segment>,
    /// The last instruction lay at an odd address, which was reported where that began.
    odd: bool,
}

impl Emitter<'_> {
    fn section(&mut self, section: Section, placed: &[Placed]) {
        let statements = self.unit.section(section).to_vec();
        for (statement, place) in statements.iter().zip(placed) {
            if place.address + place.size > TOP {
                let found = diagnostic(
                    codes::NO_ROOM,
                    statement.span,
                    "from here on the program lies behind the end of memory",
                );
                self.unit.problems.push(found.with_expected("addresses up to 0xFFFF"));
                return;
            }
            self.statement(section, statement, *place);
        }
    }

    fn statement(&mut self, section: Section, statement: &Statement, place: Placed) {
        let mut bytes = Vec::new();
        let mut kind = if section == Section::Code { LineKind::Code } else { LineKind::Data };
        match &statement.what {
            What::Instruction(instruction) => self.instruction(instruction, place, &mut bytes),
            What::Words(words) => words.iter().for_each(|word| bytes.extend(word.to_le_bytes())),
            What::Values { width, from, to } => {
                kind = LineKind::Data;
                self.values(*width, *from..*to, place, &mut bytes);
            }
            What::Bytes { from, to } => {
                kind = LineKind::Data;
                bytes.extend_from_slice(&self.unit.bytes[*from as usize..*to as usize]);
            }
            What::Space { count, fill } => {
                self.value(*count, place, 0, TOP, "a size");
                let fill_byte = fill.map(|fill| self.byte(fill, place));
                kind = if fill_byte.is_some() { LineKind::Data } else { LineKind::Reserved };
                bytes.resize(usize::try_from(place.size).unwrap_or(0), fill_byte.unwrap_or(0));
            }
            What::Align { to, fill } => self.align(section, *to, *fill, place, &mut bytes),
            What::Org(address) => {
                self.value(*address, place, 0, TOP - 1, "an address");
            }
        }
        let instruction = matches!(statement.what, What::Instruction(_) | What::Words(_));
        let odd = instruction && place.address % 2 != 0;
        if odd && !self.odd {
            let found = diagnostic(codes::ODD_TARGET, statement.span, "this instruction would lie at an odd address");
            self.unit.problems.push(found.with_expected("`.align 2` before it"));
        }
        self.odd = odd || self.odd && !instruction;
        self.append(section, statement, place, kind, bytes);
    }

    fn append(&mut self, section: Section, statement: &Statement, place: Placed, kind: LineKind, bytes: Vec<u8>) {
        let (Ok(address), Ok(length)) = (u32::try_from(place.address), u32::try_from(bytes.len())) else { return };
        if length == 0 {
            return;
        }
        self.image.lines.push(Line { address, length, kind, span: statement.span, line: statement.line });
        let rights = if section == Section::Code { Rights::CODE } else { Rights::DATA };
        let reserved = kind == LineKind::Reserved;
        let follows = |open: &Segment| open.end() == address && open.reserved == reserved && open.rights == rights;
        if !self.open.as_ref().is_some_and(follows) {
            self.close();
            self.open = Some(Segment { start: address, bytes: Vec::new(), reserved, rights });
        }
        if let Some(open) = &mut self.open {
            open.bytes.extend(bytes);
        }
    }

    fn close(&mut self) {
        self.image.segments.extend(self.open.take());
    }

    fn instruction(&mut self, instruction: &Instruction, place: Placed, bytes: &mut Vec<u8>) {
        let row = instruction.row();
        let mut value = 0;
        for kind in row.operands {
            let Some(expr) = instruction.value else { continue };
            value = match kind {
                OperandKind::Constant => self.word(expr, place),
                OperandKind::BaseOffset => self.word(expr, place),
                OperandKind::Small | OperandKind::Call => self.byte_number(expr, place),
                OperandKind::Near8 | OperandKind::Near12 => {
                    let distance = self.target(expr, place) - place.address - 2;
                    low_word(distance)
                }
                OperandKind::Far => low_word(self.target(expr, place)),
                OperandKind::Register | OperandKind::Flags | OperandKind::Base => continue,
            };
        }
        let (first, second) = encode(Insn::new(row, instruction.a, instruction.b, value));
        bytes.extend(first.to_le_bytes());
        bytes.extend(second.iter().flat_map(|word| word.to_le_bytes()));
    }

    /// Where a jump goes; odd places are reported.
    fn target(&mut self, expr: Expr, place: Placed) -> i64 {
        let Some(target) = self.value(expr, place, 0, TOP - 1, "an address") else { return place.address };
        let label = self.unit.steps(expr).iter().find_map(|step| match step {
            Step::Symbol(id) => Some(*id),
            _ => None,
        });
        // An instruction that lies at an odd address is reported where it stands.
        if target % 2 != 0 && !label.is_some_and(|label| self.is_instruction(label)) {
            let message = format!("this jump goes to the odd address 0x{target:04X}");
            let mut found = diagnostic(codes::ODD_TARGET, expr.span, message);
            if let Some(label) = label {
                let place = self.unit.name(label).span;
                found = found.with_other(place, "the label stands here; instructions lie at even addresses");
            }
            let right = "a label before an instruction, or `.align 2` before the label";
            self.unit.problems.push(found.with_expected(right));
        }
        target
    }

    /// A label stands before an instruction.
    fn is_instruction(&self, label: SymbolId) -> bool {
        let Definition::Label { section: Section::Code, statement } = self.unit.name(label).definition else {
            return false;
        };
        let statement = self.unit.code.get(statement as usize);
        statement.is_some_and(|statement| matches!(statement.what, What::Instruction(_) | What::Words(_)))
    }

    fn values(&mut self, width: u32, range: std::ops::Range<u32>, place: Placed, bytes: &mut Vec<u8>) {
        for index in range {
            let expr = self.unit.values[index as usize];
            if width == 1 {
                bytes.push(self.byte(expr, place));
            } else {
                bytes.extend(self.word(expr, place).to_le_bytes());
            }
        }
    }

    fn align(&mut self, section: Section, to: Expr, fill: Option<Expr>, place: Placed, bytes: &mut Vec<u8>) {
        if let Some(multiple) = self.value(to, place, 1, 0x8000, "an alignment")
            && multiple.count_ones() != 1
        {
            let found = diagnostic(codes::RANGE, to.span, format!("{multiple} is no power of two"));
            self.unit.problems.push(found.with_expected("1, 2, 4, 8, … 32768"));
        }
        let size = usize::try_from(place.size).unwrap_or(0);
        let fill = fill.map(|fill| self.byte(fill, place));
        match (section, fill) {
            (_, Some(byte)) => bytes.resize(size, byte),
            (Section::Data, None) => bytes.resize(size, 0),
            // An odd place in code is filled with a zero up to the next word, then with words that do
            // nothing, so that code may run across.
            (Section::Code, None) => {
                bytes.resize(size % 2, 0);
                bytes.extend(nop_bytes().into_iter().cycle().take(size - size % 2));
            }
        }
    }

    fn word(&mut self, expr: Expr, place: Placed) -> u16 {
        self.value(expr, place, -0x8000, 0xFFFF, "a word").map_or(0, low_word)
    }

    fn byte(&mut self, expr: Expr, place: Placed) -> u8 {
        let value = self.value(expr, place, -0x80, 0xFF, "a byte").unwrap_or(0);
        low_word(value).to_le_bytes()[0]
    }

    fn byte_number(&mut self, expr: Expr, place: Placed) -> u16 {
        self.value(expr, place, 0, 0xFF, "a call number").map_or(0, low_word)
    }

    /// The value of an expression when it lies in `low..=high`; what is wrong is reported.
    fn value(&mut self, expr: Expr, place: Placed, low: i64, high: i64, what: &str) -> Option<i64> {
        let error = match evaluate(self.unit.steps(expr), &*self.unit, place.address) {
            Ok(value) if (low..=high).contains(&value) => return Some(value),
            Ok(value) => {
                let text = self.sources.text_of(expr.span);
                let is = if text == value.to_string() { String::new() } else { format!(" is {value}, which") };
                let nearest = value.clamp(low, high);
                diagnostic(codes::RANGE, expr.span, format!("`{text}`{is} does not fit {what}"))
                    .with_expected(format!("{low} to {high}; the nearest is {nearest}"))
            }
            Err(EvalError::Reported) => return None,
            Err(EvalError::Division(span)) => diagnostic(codes::DIVISION, span, "this divides by zero"),
            Err(EvalError::Overflow) => diagnostic(codes::RANGE, expr.span, "this value is far out of any range"),
        };
        self.unit.problems.push(error);
        None
    }

    fn span_at(&self, address: u32) -> Option<Span> {
        self.image
            .lines
            .iter()
            .find(|line| line.address <= address && address < line.address + line.length)
            .map(|line| line.span)
    }

    fn overlaps(&mut self) {
        let mut end: (u32, Option<Span>) = (0, None);
        let lines = std::mem::take(&mut self.image.lines);
        for line in &lines {
            if line.address < end.0 {
                let found =
                    diagnostic(codes::OVERLAP, line.span, format!("address {:04X} is taken already", line.address));
                let found = match end.1 {
                    Some(other) => found.with_label("this").with_other(other, "by this"),
                    None => found,
                };
                self.unit.problems.push(found.with_expected("an `.org` with an address that is free"));
                break;
            }
            end = (line.address + line.length, Some(line.span));
        }
        self.image.lines = lines;
    }

    /// Nothing may lie in the stack or among the device registers.
    fn limits(&mut self) {
        let areas =
            [(STACK_START, u32::from(STACK_END), "the stack"), (DEVICE_START, 0x1_0000, "the device registers")];
        for (start, end, name) in areas {
            let start = u32::from(start);
            let Some(segment) = self.image.segments.iter().find(|s| s.start < end && s.end() > start) else { continue };
            let first = segment.start.max(start);
            let Some(span) = self.span_at(first) else { continue };
            let found =
                diagnostic(codes::NO_ROOM, span, format!("this reaches into {name}, which begins at {start:04X}"));
            self.unit.problems.push(found.with_expected("code and data below EE00"));
        }
    }

    fn symbols(&mut self) {
        for (name, spelling) in self.unit.names.iter().zip(&self.unit.spellings) {
            let kind = match name.definition {
                Definition::Constant(_) => SymbolKind::Constant,
                Definition::Label { section: Section::Code, .. } => SymbolKind::Code,
                Definition::Label { section: Section::Data, .. } => SymbolKind::Data,
            };
            if let Some(value) = name.value {
                self.image.symbols.push(Symbol { name: spelling.clone(), value, kind, span: name.span });
            }
        }
    }

    /// The entry: what `.entry` says, else the label `start`, else the first instruction of the text.
    fn entry(&mut self) {
        let first =
            self.image.lines.iter().filter(|line| line.kind == LineKind::Code).min_by_key(|line| line.span.start);
        let start = self.image.symbol("start").filter(|symbol| symbol.kind == SymbolKind::Code);
        self.image.entry = match (start, first) {
            (Some(symbol), _) => u32::try_from(symbol.value).unwrap_or(0),
            (None, Some(line)) => line.address,
            // Code written as numbers is code all the same.
            (None, None) => self.image.segments.iter().find(|s| s.rights.execute).map_or(0, |segment| segment.start),
        };
        let Some((expr, span)) = self.unit.entry else { return };
        let here = Placed { address: 0, size: 0 };
        let Some(entry) = self.value(expr, here, 0, TOP - 1, "an address") else { return };
        let entry = u32::try_from(entry).unwrap_or(0);
        if self.image.line_at(entry).is_some_and(|line| line.kind == LineKind::Code) {
            self.image.entry = entry;
        } else {
            let found =
                diagnostic(codes::BAD_ENTRY, span.to(expr.span), format!("there is no instruction at {entry:04X}"));
            self.unit.problems.push(found.with_expected(".entry label, with a label in `.code`"));
        }
    }
}

/// The low 16 bits of a value known to fit them, signed or not.
fn low_word(value: i64) -> u16 {
    u16::try_from(value & 0xFFFF).unwrap_or(0)
}
