//! Sizes of RV32's instructions, which of their ways is taken, and their bytes.

use super::{Instruction, Modifier};
use crate::codes;
use crate::encode::{Encoder, Relocation};
use crate::expr::{Base, Expr, Value};
use crate::link::{Program, UnitIndex};
use crate::problems::{diagnostic, unplaced};
use crate::unit::{Definition, Patch, PatchKind, Rv32Patch, What};
use wendax_isa::rv32::forms::{Kind, Part, Piece, Slot, When, split};
use wendax_isa::rv32::{self, Format, Insn, Op, encode};

/// Bytes of a machine instruction.
const LENGTH: u32 = 4;

/// Bytes of an instruction in its shorter or longer way.
pub(crate) fn size(instruction: &Instruction, lengthened: bool) -> i64 {
    let (short, long) = instruction.form.lengths();
    let pieces = if lengthened { long } else { short };
    i64::from(LENGTH) * i64::try_from(pieces).unwrap_or(1)
}

/// The shorter way holds with what its value is now.
pub(crate) fn short_fits(program: &Program<'_>, unit: UnitIndex, instruction: &Instruction, at: Value) -> bool {
    if instruction.form.ways.len() < 2 {
        return true;
    }
    let Some(expr) = instruction.value else { return true };
    // What has no value is reported when it is emitted, and takes the short form until then.
    let Ok(value) = program.evaluate(unit, expr, at) else { return true };
    short_way(instruction, value, at).is_some()
}

/// The first of the shorter ways that holds.
fn short_way(instruction: &Instruction, value: Value, at: Value) -> Option<usize> {
    let is_number = value.base == Base::ZERO;
    let word = low_word(value.offset);
    let holds = |when| match when {
        When::Always => true,
        When::Short => is_number && is_short(word),
        When::Round => is_number && word.is_multiple_of(0x1000),
        When::Near => value.base == at.base && within(value.offset - at.offset, 12),
        // In an object calls are left open, as compilers leave them: what is called may come to lie anywhere.
        When::Far => is_number && value.base == at.base && within(value.offset - at.offset, 20),
    };
    let shorter = instruction.form.ways.len().saturating_sub(1);
    instruction.form.ways[..shorter].iter().position(|way| holds(way.when))
}

/// A word that 12 bits with their sign stand for.
fn is_short(word: u32) -> bool {
    (-2048..=2047).contains(&word.cast_signed())
}

/// A distance that so many bits and a sign hold.
fn within(distance: i64, bits: u32) -> bool {
    (-(1i64 << bits)..1i64 << bits).contains(&distance)
}

/// The low 32 bits of a value known to fit them, signed or not.
fn low_word(value: i64) -> u32 {
    u32::try_from(value & 0xFFFF_FFFF).unwrap_or(0)
}

impl Encoder<'_, '_> {
    pub(crate) fn rv32(&mut self, instruction: &Instruction, lengthened: bool) {
        let here = self.place.at;
        let start = low_word(here.offset);
        let form = instruction.form;
        let value = match instruction.value {
            Some(expr) => self.rv32_value(instruction, expr),
            None => Some(Value::number(0)),
        };
        let last = form.ways.len().saturating_sub(1);
        let way = match value {
            Some(value) if !lengthened && last > 0 => short_way(instruction, value, here).unwrap_or(0),
            _ if lengthened => last,
            _ => 0,
        };
        // What counts from the same base as this is as far from it wherever both come to lie.
        let is_open = value.is_some_and(|value| value.base != Base::ZERO && value.base != here.base);
        let is_beside = value.is_some_and(|value| value.base != Base::ZERO && value.base == here.base);
        let word = value.filter(|_| !is_open).map_or(start, |value| low_word(value.offset));
        let Some(way) = form.ways.get(way) else { return };
        for piece in &way.pieces {
            let at = u32::try_from(self.bytes.len()).unwrap_or(0);
            let open = value.filter(|_| is_open || is_beside && piece.value != Part::Distance);
            let mut insn = piece.insn(instruction.registers, word, instruction.other, (start, at));
            if let Some(value) = open {
                insn = self.leave_open(piece, insn, value, (instruction, at));
            }
            self.bytes.extend(encode(insn).to_le_bytes());
        }
        if let (Some(value), Some(expr)) = (value, instruction.value) {
            self.reach(instruction, expr, value, lengthened);
        }
    }

    /// A machine instruction of an object whose value only linking knows: as it is until then, with what is to be put in.
    fn leave_open(&mut self, piece: &Piece, insn: Insn, value: Value, (written, at): (&Instruction, u32)) -> Insn {
        let is_call = written.form.slots.contains(&Slot::Value(Kind::Label));
        let is_store = matches!(insn.row().format, Format::Store);
        let low = if is_store { Rv32Patch::LowOfStore } else { Rv32Patch::Low };
        let kind = match piece.value {
            Part::Fixed(_) | Part::Other => return insn,
            Part::Distance if insn.row().format == Format::Branch => Rv32Patch::Branch,
            Part::Distance => Rv32Patch::Jump,
            Part::HighDistance if is_call => Rv32Patch::Call,
            // It goes with the part above.
            Part::LowDistance if is_call => return insn.with_value(0),
            // The whole address in two parts instead of the distance, for which each would need a label.
            Part::HighDistance | Part::High => Rv32Patch::High,
            Part::LowDistance | Part::Low => low,
            Part::Whole => {
                if let Some(expr) = written.value {
                    self.problems.push(unplaced(expr.span));
                }
                return insn;
            }
        };
        self.relocations.push(Relocation { at, kind: PatchKind::Rv32(kind), value });
        let registers = (insn.rd, insn.rs1, insn.rs2);
        if piece.value == Part::HighDistance && !is_call {
            return Insn::new(Op::Lui, registers, 0);
        }
        insn.with_value(0)
    }

    /// Puts an address that is known now into the instructions of an object.
    pub(crate) fn rv32_patch(&mut self, patch: Patch, kind: Rv32Patch, number: i64) {
        let at = patch.at as usize;
        let place = low_word(self.place.at.offset).wrapping_add(patch.at);
        let address = low_word(number);
        let distance = address.wrapping_sub(place).cast_signed();
        let mut write = |at: usize, change: &dyn Fn(Insn) -> u32| {
            let Some(bytes) = self.bytes.get_mut(at..at + 4) else { return };
            let word = u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]);
            if let Some(insn) = rv32::decode(word) {
                bytes.copy_from_slice(&encode(insn.with_value(change(insn))).to_le_bytes());
            }
        };
        let (high, low) = split(if kind == Rv32Patch::Call { distance.cast_unsigned() } else { address });
        match kind {
            Rv32Patch::Branch | Rv32Patch::Jump => write(at, &|_| distance.cast_unsigned()),
            Rv32Patch::Call => {
                write(at, &|_| high);
                write(at + 4, &|_| low);
            }
            Rv32Patch::High => write(at, &|_| high),
            Rv32Patch::Low | Rv32Patch::LowOfStore => write(at, &|_| low),
        }
        let bits = match kind {
            Rv32Patch::Branch => 12,
            Rv32Patch::Jump => 20,
            _ => return,
        };
        if !within(distance.into(), bits) || distance % 4 != 0 {
            let message = format!("this jump out of an object does not reach {} bytes away", distance.unsigned_abs());
            let found = diagnostic(codes::FAR, patch.value.span, message);
            self.problems.push(found.with_expected("`call` or `tail`, which reach everywhere; jumps reach 1 MiB"));
        }
    }

    /// The value of an instruction in the range of its place; what is wrong is told.
    fn rv32_value(&mut self, instruction: &Instruction, expr: Expr) -> Option<Value> {
        let kind = instruction.form.slots.iter().find_map(|slot| match slot {
            Slot::Value(kind) => Some(*kind),
            Slot::Memory => Some(Kind::Constant),
            _ => None,
        })?;
        if instruction.part != Modifier::Whole {
            return self.part(instruction, kind, expr);
        }
        match kind {
            Kind::Constant => {
                // The same bits as a word are the same constant.
                let value = self.evaluate(expr)?;
                match value.as_number() {
                    Some(number) if (0xFFFF_F800..=0xFFFF_FFFF).contains(&number) => {
                        Some(Value::number(number - (1 << 32)))
                    }
                    Some(number) if !(-2048..=2047).contains(&number) => {
                        self.report_constant(instruction, expr, number);
                        None
                    }
                    _ => self.value(expr, -2048, 2047, "12 bits"),
                }
            }
            Kind::Count => self.value(expr, 0, 31, "a shift of a word"),
            Kind::Upper => self.value(expr, 0, 0xF_FFFF, "the upper 20 bits of a word"),
            Kind::Small => self.value(expr, 0, 31, "5 bits"),
            Kind::Word | Kind::Call => self.value(expr, -(1 << 31), (1 << 32) - 1, "a word"),
            Kind::Symbol => self.value(expr, -(1 << 31), (1 << 32) - 1, "an address"),
            Kind::Label => self.rv32_target(expr),
        }
    }

    /// `%hi(x)` and the like: as its place wants it, so that encoding takes it as it is.
    fn part(&mut self, instruction: &Instruction, kind: Kind, expr: Expr) -> Option<Value> {
        let is_upper = kind == Kind::Upper;
        let part = instruction.part;
        if part.is_upper() != is_upper || !matches!(kind, Kind::Upper | Kind::Constant) {
            let message = if part.is_upper() {
                "the upper part of a value belongs to `lui` and `auipc`"
            } else {
                "the lower part of a value belongs to `addi`, loads and stores"
            };
            let found = diagnostic(codes::OPERANDS, expr.span, message);
            self.problems.push(found.with_expected("lui a0, %hi(x), then addi a0, a0, %lo(x)"));
            return None;
        }
        let number = if part == Modifier::LowDistance {
            self.low_of_distance(expr)?
        } else {
            let value = self.value(expr, -(1 << 31), (1 << 32) - 1, "a word")?;
            let is_beside = part == Modifier::HighDistance && value.base == self.place.at.base;
            if value.base != Base::ZERO && !is_beside {
                self.leave_part_open(instruction, part, expr, value);
                return Some(Value::number(0));
            }
            low_word(value.offset)
        };
        let from = low_word(self.place.at.offset);
        Some(Value::number(match part {
            Modifier::High => (split(number).0 >> 12).into(),
            Modifier::HighDistance => (split(number.wrapping_sub(from)).0 >> 12).into(),
            Modifier::Low | Modifier::LowDistance => split(number).1.cast_signed().into(),
            Modifier::Whole => number.into(),
        }))
    }

    /// A part of an address that only linking knows.
    fn leave_part_open(&mut self, instruction: &Instruction, part: Modifier, expr: Expr, value: Value) {
        let is_store = instruction.last().is_some_and(|piece| matches!(piece.op, Op::Sb | Op::Sh | Op::Sw));
        let kind = match part {
            Modifier::High => Rv32Patch::High,
            Modifier::Low if is_store => Rv32Patch::LowOfStore,
            Modifier::Low => Rv32Patch::Low,
            _ => {
                let message = "in an object the distance to this is not known before linking";
                let found = diagnostic(codes::UNPLACED, expr.span, message);
                self.problems.push(found.with_expected("la a0, x, or lui a0, %hi(x) and addi a0, a0, %lo(x)"));
                return;
            }
        };
        self.relocations.push(Relocation { at: 0, kind: PatchKind::Rv32(kind), value });
    }

    /// The distance that the `auipc` at a label has begun.
    fn low_of_distance(&mut self, expr: Expr) -> Option<u32> {
        let unit = self.program.units[self.unit];
        let label = unit.sole_symbol(expr);
        let led = label.and_then(|label| {
            let (index, id) = self.program.meaning(self.unit, label);
            let of = self.program.units[index];
            let Definition::Label { section, statement } = of.name(id).definition else { return None };
            let begun = of.section(section).statements.get(statement as usize)?;
            let What::Rv32(begun) = &begun.what else { return None };
            let value = begun.value.filter(|_| begun.part == Modifier::HighDistance)?;
            let at = self.program.place(index, section, statement)?;
            Some((self.program.evaluate(index, value, at).ok()?, at))
        });
        let Some((value, at)) = led else {
            let found = diagnostic(
                codes::OPERANDS,
                expr.span,
                "`%pcrel_lo` names the label of the `auipc` that begins the address",
            );
            self.problems.push(found.with_expected("1: auipc a0, %pcrel_hi(x)   then   addi a0, a0, %pcrel_lo(1b)"));
            return None;
        };
        // What only linking knows is told at the part above.
        let is_known = value.base == Base::ZERO || value.base == at.base;
        is_known.then(|| low_word(value.offset).wrapping_sub(low_word(at.offset)))
    }

    /// Where a jump goes: an address that can hold an instruction.
    fn rv32_target(&mut self, expr: Expr) -> Option<Value> {
        let value = self.value(expr, 0, 0xFFFF_FFFF, "an address")?;
        let label = self.program.units[self.unit].sole_symbol(expr);
        if let Some(label) = label
            && self.data_target(expr, label)
        {
            return None;
        }
        if value.offset % i64::from(LENGTH) != 0 {
            let place =
                self.program.units[self.unit].syntax.target().marked_address(wendax_isa::Addr(low_word(value.offset)));
            let message = format!("this jump goes to {place}, which is no multiple of 4");
            let mut found = diagnostic(codes::ODD_TARGET, expr.span, message);
            if let Some(label) = label {
                found = found
                    .with_other(self.name(label).span, "the label stands here; instructions lie at multiples of 4");
            }
            self.problems.push(found.with_expected("a label before an instruction, or `.balign 4` before the label"));
            return None;
        }
        Some(value)
    }

    /// A jump whose target is farther away than any of its ways reaches.
    fn reach(&mut self, instruction: &Instruction, expr: Expr, value: Value, lengthened: bool) {
        if !instruction.form.slots.contains(&Slot::Value(Kind::Label)) {
            return;
        }
        if value.base != Base::ZERO && value.base != self.place.at.base {
            return;
        }
        let number = value.offset;
        let Some(way) = instruction.form.ways.get(if lengthened { instruction.form.ways.len() - 1 } else { 0 }) else {
            return;
        };
        let Some(piece) = way.pieces.iter().find(|piece| piece.value == Part::Distance) else { return };
        let bits = if piece.op.row().format == Format::Branch { 12 } else { 20 };
        let before = i64::from(LENGTH) * i64::try_from(way.pieces.len() - 1).unwrap_or(0);
        let distance = number - self.place.at.offset - before;
        if !within(distance, bits) {
            let direction = if distance < 0 { "back" } else { "ahead" };
            let message = format!("`{}` does not reach {} bytes {direction}", instruction.form.name, distance.abs());
            let found = diagnostic(codes::FAR, expr.span, message);
            self.problems.push(found.with_expected("`call` or `tail`, which reach everywhere; jumps reach 1 MiB"));
        }
    }

    /// A constant that does not fit, with what does it all the same.
    fn report_constant(&mut self, instruction: &Instruction, expr: Expr, number: i64) {
        let unit = self.program.units[self.unit];
        let text = crate::link::text_of(unit, self.sources, expr.span);
        let is = if text == number.to_string() { String::new() } else { format!(" is {number}, which") };
        let text = crate::problems::quoted(text);
        let message = format!("`{text}`{is} does not fit the 12 bits of `{}`: −2048 to 2047", instruction.form.name);
        let found = diagnostic(codes::RANGE, expr.span, message);
        let spare = if instruction.registers.contains(&5) { "t1" } else { "t0" };
        let register = |at: usize| {
            let number = instruction.registers.get(at).copied().unwrap_or(0);
            rv32::TARGET.register_name(wendax_isa::Reg(number))
        };
        let is_memory = instruction.form.slots.contains(&Slot::Memory);
        let right = if is_memory {
            format!(
                "li {spare}, {text}, then add {spare}, {spare}, {}, then {} {}, 0({spare})",
                register(1),
                instruction.form.name,
                register(0)
            )
        } else {
            // The instruction without a constant has the same name without its `i`.
            let plain = instruction.form.name.replacen("iu", "u", 1);
            let plain = if plain == instruction.form.name { plain.trim_end_matches('i').to_owned() } else { plain };
            format!("li {spare}, {text}, then {plain} {}, {}, {spare}", register(0), register(1))
        };
        self.problems.push(found.with_expected(right));
    }
}
