//! The account of RV32's instructions.

use super::{Explanation, Teller};
use crate::effects::Effects;
use crate::numbers::counted;
use crate::questions::{LastWriter, last_write};
use crate::session::Session;
use crate::stops::Thing;
use crate::words::{line_words, told};
use wendax_isa::rv32::{Format, Insn, Op, RA, csr_name, csrs, decode, goes};
use wendax_isa::{Addr, Reg};
use wendax_machine::{FrameKind, Note};

/// Bits of registers that have names: which register, which bit, and what it says when it is 1.
const BITS: [(u16, u32, &str); 12] = [
    (0x300, 3, "interrupts are allowed"),
    (0x300, 7, "they were before the last trap"),
    (0x304, 3, "software interrupts enabled"),
    (0x304, 7, "the clock enabled"),
    (0x304, 11, "external interrupts enabled"),
    (0x304, 24, "the timer enabled"),
    (0x304, 25, "keys enabled"),
    (0x304, 26, "levers enabled"),
    (0x344, 7, "the clock waits"),
    (0x344, 24, "the timer waits"),
    (0x344, 25, "a key waits"),
    (0x344, 26, "a lever waits"),
];

/// The account of an instruction that is carried out.
pub(super) fn fill(teller: &Teller<'_>, insn: Insn, effects: &Effects, explanation: &mut Explanation) {
    explanation.caution = caution(teller, insn, effects);
    explanation.sentences.extend(sentences(teller, insn, effects));
    if insn.row().format == Format::Branch {
        explanation.taken = Some(is_taken(teller, insn));
    }
    explanation.figure = figure(teller, insn, effects);
}

/// A step was a return that left no routine.
pub(super) fn is_return(session: &Session, last: &Effects) -> bool {
    let is_this = *session.machine().target() == wendax_isa::rv32::TARGET;
    let insn = decode(last.code[0]).filter(|_| is_this && !last.returned);
    insn.is_some_and(|insn| insn.op() == Op::Jalr && insn.rd == 0 && insn.rs1 == RA)
}

/// The register that an access takes its address from.
pub(super) fn base(insn: Insn) -> Option<Reg> {
    let is_access = matches!(insn.row().format, Format::Load | Format::Store);
    (is_access && insn.rs1 != 0).then_some(Reg(insn.rs1))
}

fn sentences(teller: &Teller<'_>, insn: Insn, effects: &Effects) -> Vec<String> {
    let rd = teller.register(insn.rd);
    let result = effects.register(Reg(insn.rd)).map(|change| change.new);
    let becomes = |what: &str| match result {
        Some(value) => {
            let same = teller.same(Reg(insn.rd), value);
            format!("{rd} becomes {what}{}{same}", teller.value_in(Reg(insn.rd), value))
        }
        None => format!("computes {}nothing that is kept: zero stays 0", what.replace(" = ", ", ")),
    };
    match insn.row().format {
        Format::Branch => vec![branch(teller, insn, effects)],
        Format::Jump => jump(teller, insn, effects),
        Format::Store => teller.stored(Reg(insn.rs2), effects),
        Format::Upper => upper(teller, insn, effects, &becomes),
        Format::Csr | Format::CsrConstant => vec![control(teller, insn, effects)],
        Format::Fence => vec!["orders what was stored before what comes: here that is so anyway".to_owned()],
        Format::Fixed => fixed(teller, insn, effects),
        Format::Load if insn.op() != Op::Jalr => {
            let Some(access) = teller.machine.access_at(effects.pc) else { return Vec::new() };
            let place = teller.device_or_place(access.address, access.bytes);
            let what = teller.width_word(access.bytes as usize);
            let value =
                result.map_or_else(|| "what is not kept".to_owned(), |value| teller.value_in(Reg(insn.rd), value));
            let same = result.map_or("", |value| teller.same(Reg(insn.rd), value));
            let mut sentences = vec![format!("{rd} takes the {what} at {place}: {value}{same}")];
            let is_negative = result.is_some_and(|value| value >> 31 != 0);
            if is_negative && matches!(insn.op(), Op::Lb | Op::Lh) {
                let bits = access.bytes * 8;
                let raw = result.unwrap_or(0) & ((1 << bits) - 1);
                sentences.push(format!(
                    "its top bit is set: {raw:#X} is taken as {} with the sign in all bits above",
                    teller.target.signed(result.unwrap_or(0))
                ));
            }
            sentences
        }
        _ if insn.op() == Op::Jalr => jump(teller, insn, effects),
        _ if insn.rd == 0 && insn.op() == Op::Addi && insn.rs1 == 0 && insn.value == 0 => {
            vec!["does nothing".to_owned()]
        }
        // A constant, or another register.
        _ if insn.op() == Op::Addi && insn.rs1 == 0 => vec![becomes("")],
        _ if insn.op() == Op::Addi && insn.value == 0 => vec![becomes(&format!("{} = ", teller.register(insn.rs1)))],
        _ => {
            let mut sentences = vec![computed(teller, insn, result, &becomes)];
            sentences.extend(quotient(teller, insn));
            sentences
        }
    }
}

/// The second operand: a register or a constant.
fn other(teller: &Teller<'_>, insn: Insn) -> u32 {
    if insn.row().format == Format::Registers { teller.machine.register(Reg(insn.rs2)) } else { insn.value }
}

fn computed(teller: &Teller<'_>, insn: Insn, result: Option<u32>, becomes: &dyn Fn(&str) -> String) -> String {
    let first = teller.machine.register(Reg(insn.rs1));
    let second = other(teller, insn);
    let (a, b) = (teller.held(Reg(insn.rs1)), teller.value(second));
    let signed = |value: u32| teller.target.signed(value).to_string();
    let count = second & 31;
    let compared = |a: &str, b: &str, how: &str| {
        let is_less = result == Some(1);
        let word = if is_less { "is less than" } else { "is not less than" };
        let rd = teller.register(insn.rd);
        let value = u8::from(is_less);
        format!("{rd} becomes {value}: {a} {word} {b}, {how}")
    };
    match insn.op() {
        // A constant that is taken away is written with its sign.
        Op::Addi if insn.value.cast_signed() < 0 => {
            becomes(&format!("{a} − {} = ", insn.value.cast_signed().unsigned_abs()))
        }
        Op::Add | Op::Addi => becomes(&format!("{a} + {b} = ")),
        Op::Sub => becomes(&format!("{a} − {b} = ")),
        Op::And | Op::Andi => becomes(&format!("{a} and {b}, bit by bit, = ")),
        Op::Or | Op::Ori => becomes(&format!("{a} or {b}, bit by bit, = ")),
        Op::Xori if insn.value == u32::MAX => becomes(&format!("{a} with every bit inverted = ")),
        Op::Xor | Op::Xori => becomes(&format!("{a} exclusive-or {b} = ")),
        Op::Sll | Op::Slli => becomes(&format!("{a} shifted left by {count} = ")),
        Op::Srl | Op::Srli => becomes(&format!("{a} shifted right by {count} = ")),
        Op::Sra | Op::Srai => becomes(&format!("{a} shifted right by {count}, keeping its sign, = ")),
        Op::Slt | Op::Slti if insn.rd != 0 => compared(&signed(first), &signed(second), "as signed numbers"),
        Op::Sltu | Op::Sltiu if insn.rd != 0 => compared(&first.to_string(), &second.to_string(), "unsigned"),
        Op::Mul => becomes(&format!("{a} × {b} = ")),
        Op::Mulh => becomes(&format!("the high word of {a} × {b}, both signed, = ")),
        Op::Mulhu => becomes(&format!("the high word of {a} × {b}, unsigned, = ")),
        Op::Mulhsu => becomes(&format!("the high word of {a}, signed, × {b}, unsigned, = ")),
        Op::Div => becomes(&format!("{} ÷ {}, signed, = ", signed(first), signed(second))),
        Op::Divu => becomes(&format!("{a} ÷ {b}, unsigned, = ")),
        Op::Rem => becomes(&format!("the remainder of {} ÷ {}, signed, = ", signed(first), signed(second))),
        Op::Remu => becomes(&format!("the remainder of {a} ÷ {b}, unsigned, = ")),
        _ => becomes(""),
    }
}

/// What is reckoned, by itself; nothing of what does not reckon.
pub(super) fn formula(teller: &Teller<'_>, insn: Insn, result: Option<u32>) -> Option<String> {
    let reckons = matches!(insn.row().format, Format::Registers | Format::Immediate | Format::Shift);
    (reckons && insn.op() != Op::Jalr)
        .then(|| computed(teller, insn, result, &|what| what.trim_end_matches(" = ").trim_end_matches(',').to_owned()))
}

/// What the standard says of a division by zero, or of the one quotient that has no room.
fn quotient(teller: &Teller<'_>, insn: Insn) -> Option<String> {
    if !matches!(insn.op(), Op::Div | Op::Divu | Op::Rem | Op::Remu) {
        return None;
    }
    let (a, b) = (teller.machine.register(Reg(insn.rs1)), teller.machine.register(Reg(insn.rs2)));
    let is_quotient = matches!(insn.op(), Op::Div | Op::Divu);
    let is_signed = matches!(insn.op(), Op::Div | Op::Rem);
    if b == 0 {
        let what = if is_quotient { "the quotient all ones" } else { "the remainder what was divided" };
        return Some(format!("a division by zero is no trap here: the standard makes {what}"));
    }
    (is_signed && a == 0x8000_0000 && b == u32::MAX).then(|| {
        "the true quotient has no room: the standard makes it what was divided, and the remainder 0".to_owned()
    })
}

fn branch(teller: &Teller<'_>, insn: Insn, effects: &Effects) -> String {
    let (a, b) = (teller.machine.register(Reg(insn.rs1)), teller.machine.register(Reg(insn.rs2)));
    let is_signed = matches!(insn.op(), Op::Blt | Op::Bge);
    let is_equality = matches!(insn.op(), Op::Beq | Op::Bne);
    let number = |value: u32| match is_signed {
        true => teller.target.signed(value).to_string(),
        false if is_equality => teller.value(value),
        false => value.to_string(),
    };
    let named = |register: u8, value: u32| match register {
        0 => "0".to_owned(),
        _ => format!("{} = {}", teller.register(register), number(value)),
    };
    let holds = match insn.op() {
        Op::Beq | Op::Bne => a == b,
        Op::Blt | Op::Bge => a.cast_signed() < b.cast_signed(),
        _ => a < b,
    };
    let relation = match (is_equality, holds) {
        (true, true) => "is equal to",
        (true, false) => "is not equal to",
        (false, true) => "is less than",
        (false, false) if a == b => "is equal to",
        (false, false) => "is greater than",
    };
    let how = match insn.op() {
        Op::Beq | Op::Bne => "",
        Op::Blt | Op::Bge => ", as signed numbers",
        _ => ", unsigned",
    };
    let both = if is_equality || (a < b) == (a.cast_signed() < b.cast_signed()) {
        String::new()
    } else {
        let other =
            if is_signed { ("unsigned", a < b) } else { ("as signed numbers", a.cast_signed() < b.cast_signed()) };
        format!(" ({} it is {})", other.0, if other.1 { "less" } else { "greater" })
    };
    let said = format!("{} {relation} {}{how}{both}", named(insn.rs1, a), named(insn.rs2, b));
    if is_taken(teller, insn) {
        format!("taken: {said}; goes to {}", teller.place(effects.next))
    } else {
        format!("not taken: {said}")
    }
}

/// A branch goes to its target, which may be the following instruction too.
fn is_taken(teller: &Teller<'_>, insn: Insn) -> bool {
    let [a, b] = [insn.rs1, insn.rs2].map(|register| teller.machine.register(Reg(register)));
    goes(insn.op(), a, b)
}

/// Where the way back of the present routine lies, when it was put by: the cell that holds it.
fn put_by(teller: &Teller<'_>, back: u32) -> Option<Addr> {
    let frame = teller.machine.frames().last()?;
    let size = teller.target.word_bytes();
    let (from, to) = (teller.machine.stack_pointer(), frame.slot);
    let words = (from.0..to.0).step_by(size as usize).map(Addr);
    words.take(1024).find(|at| teller.machine.note(*at) == Note::Return && teller.machine.word(*at) == back)
}

fn jump(teller: &Teller<'_>, insn: Insn, effects: &Effects) -> Vec<String> {
    let goes = teller.place(effects.next);
    if insn.rd == 0 {
        if effects.returned {
            let line = line_words(teller.session, effects.next).map_or(String::new(), |line| format!(", {line}"));
            return vec![format!("returns to {goes}{line}")];
        }
        return vec![format!("goes to {goes}")];
    }
    let link = teller.register(insn.rd);
    let mut sentences =
        vec![format!("goes to {goes}"), format!("the way back, {}, goes into {link}", teller.place(effects.pc + 4))];
    sentences.extend(way_back_gone(teller, insn));
    sentences
}

/// A register that holds the way back of the present routine gets another value: where that way back is now.
fn way_back_gone(teller: &Teller<'_>, insn: Insn) -> Option<String> {
    let link = teller.register(insn.rd);
    let old = teller.machine.register(Reg(insn.rd));
    teller.machine.frames().last().filter(|frame| insn.rd != 0 && frame.back == Addr(old))?;
    let was = teller.place(Addr(old));
    Some(match put_by(teller, old) {
        Some(at) => format!("the way back that was in {link}, {was}, lies at {}", teller.target.marked_address(at)),
        None => format!("the way back that was in {link}, {was}, is lost: it was not put by"),
    })
}

/// What `lui` and `auipc` begin, and what the next line makes of it.
fn upper(teller: &Teller<'_>, insn: Insn, effects: &Effects, becomes: &dyn Fn(&str) -> String) -> Vec<String> {
    let value = effects.register(Reg(insn.rd)).map_or(0, |change| change.new);
    let what = if insn.op() == Op::Lui {
        "the upper 20 bits of a word, ".to_owned()
    } else {
        format!("this place and {} more, ", teller.target.marked(insn.value))
    };
    let mut sentences = vec![becomes(&what)];
    let next = teller.machine.instruction_at(effects.pc + 4).and_then(|next| decode(next.code[0]));
    if let Some(next) = next.filter(|next| next.rs1 == insn.rd && insn.rd != 0) {
        let whole = Addr(value.wrapping_add(next.value));
        let place = teller.place(whole);
        match next.row().format {
            Format::Immediate if next.op() == Op::Addi => {
                sentences.push(format!("the next line adds {} to it: {place}", next.value.cast_signed()));
            }
            Format::Load | Format::Store => sentences.push(format!("the next line goes to {place} by it")),
            _ => {}
        }
    }
    sentences.extend(way_back_gone(teller, insn));
    sentences
}

fn control(teller: &Teller<'_>, insn: Insn, effects: &Effects) -> String {
    let number = u16::try_from(insn.value & 0xFFF).unwrap_or(0);
    let name = csr_name(number).unwrap_or_default();
    let meaning = csrs().iter().find(|csr| csr.number == number).map_or("", |csr| csr.meaning);
    let old = teller.machine.control(number).unwrap_or(0);
    let mut fork = teller.session.fork();
    let _ = fork.step();
    let new = fork.control(number).unwrap_or(old);
    let words = |value: u32| {
        let bits = BITS.iter().filter(|(of, bit, _)| *of == number && value >> bit & 1 != 0);
        let said: Vec<&str> = bits.map(|(.., words)| *words).collect();
        let said = if said.is_empty() { String::new() } else { format!(" ({})", said.join(", ")) };
        format!("{}{said}", teller.target.marked(value))
    };
    let writes = matches!(insn.op(), Op::Csrrw | Op::Csrrwi) || insn.rs1 != 0;
    let read = (insn.rd != 0).then(|| format!("{} takes {name}, {meaning}: {}", teller.register(insn.rd), words(old)));
    let written = writes.then(|| match (insn.rd != 0, old == new) {
        (true, true) => format!("{name} stays so"),
        (false, true) => format!("{name} stays {}", words(new)),
        (true, false) => format!("{name} becomes {}", words(new)),
        (false, false) => format!("{name}, {meaning}, becomes {}", words(new)),
    });
    let _ = effects;
    read.into_iter().chain(written).collect::<Vec<_>>().join("; ")
}

/// Which of the interrupts that are enabled time alone will bring, and when.
fn asks_next(teller: &Teller<'_>) -> String {
    // What is further off than days is none that was set.
    let told = teller.machine.time_brings().into_iter().filter_map(|(name, left)| {
        let cycles = counted(left.filter(|&left| left < 1 << 40)?, "cycle", "cycles");
        Some(format!("; the {name} asks in {cycles}"))
    });
    told.collect()
}

fn fixed(teller: &Teller<'_>, insn: Insn, effects: &Effects) -> Vec<String> {
    match insn.op() {
        Op::Ecall => teller.served(effects),
        Op::Ebreak => vec!["pauses here".to_owned()],
        Op::Wfi if effects.next == effects.pc => {
            vec![format!("waits for an interrupt that is enabled: none waits yet{}", asks_next(teller))]
        }
        Op::Wfi => vec!["waits for nothing: an interrupt that is enabled waits already, or none is enabled".to_owned()],
        Op::Mret => {
            let status = teller.machine.control(0x300).unwrap_or(0);
            let allowed = if status >> 7 & 1 != 0 { "interrupts are allowed again" } else { "interrupts stay off" };
            vec![format!("the handler is left: goes back to {}; {allowed}", teller.place(effects.next))]
        }
        _ => Vec::new(),
    }
}

/// What the entry of a trap or an interrupt keeps, and where.
pub(super) fn kept_by_entry(teller: &Teller<'_>, effects: &Effects) -> String {
    let mut entered = teller.session.fork();
    entered.step();
    let back = entered.control(0x341).map_or(effects.pc, Addr);
    let behind = if back == effects.pc { "" } else { ", behind what waited for it" };
    format!("mepc keeps {}{behind}, mcause tells why; interrupts are off until `mret`", teller.place(back))
}

// ---- what looks wrong

fn caution(teller: &Teller<'_>, insn: Insn, effects: &Effects) -> Option<String> {
    let is_return = insn.op() == Op::Jalr && insn.rd == 0 && insn.rs1 == RA;
    if is_return && !effects.returned && !teller.is_other_stack() {
        return Some(wrong_return(teller));
    }
    if insn.op() == Op::Mret && !teller.machine.frames().iter().any(|frame| frame.kind != FrameKind::Call) {
        return Some("no handler was entered that this could leave".to_owned());
    }
    if insn.op() == Op::Jalr && insn.rd == 0 && is_return_from_handler(teller) {
        return Some("a handler returns with `mret`: interrupts stay off".to_owned());
    }
    teller.nothing_there(insn.uses().reads)
}

fn is_return_from_handler(teller: &Teller<'_>) -> bool {
    teller
        .machine
        .frames()
        .last()
        .is_some_and(|frame| frame.kind != FrameKind::Call && teller.machine.register(Reg(RA)) == frame.back.0)
}

/// A return that takes no way back of a routine.
fn wrong_return(teller: &Teller<'_>) -> String {
    let held = teller.machine.register(Reg(RA));
    let hex = |value: u32| teller.target.marked_address(Addr(value));
    let by = match last_write(teller.session, Thing::Register(Reg(RA)), teller.session.now()) {
        Some(LastWriter::Step(effects)) => format!(", set by {}", told(teller.session, effects.pc)),
        Some(LastWriter::ByHand(_)) => ", set by hand".to_owned(),
        None => ", which nothing ever set".to_owned(),
    };
    match teller.machine.frames().last() {
        None => format!("no routine was called that this could return from: ra is {}{by}", hex(held)),
        Some(frame) if frame.back.0 == held => {
            format!(
                "sp is not where it was at the entry, {}: something was put by and not taken off",
                hex(frame.slot.0)
            )
        }
        Some(frame) => format!("the way back of this routine is {}; ra holds {}{by}", hex(frame.back.0), hex(held)),
    }
}

/// Operations that work bit by bit, with their bits under each other.
fn figure(teller: &Teller<'_>, insn: Insn, effects: &Effects) -> Vec<String> {
    let Some(result) = effects.register(Reg(insn.rd)).map(|change| change.new) else { return Vec::new() };
    let (a, b) = (teller.machine.register(Reg(insn.rs1)), other(teller, insn));
    let source = if insn.row().format == Format::Registers { teller.register(insn.rs2) } else { "" };
    let row = |head: &str, value: u32, tail: &str| {
        format!("{head:>5} {}  {tail}", crate::sums::bits(value, teller.target.word_bits)).trim_end().to_owned()
    };
    let three = |word: &str| vec![row("", a, teller.register(insn.rs1)), row(word, b, source), row("=", result, "")];
    let shifted =
        |word: &str| vec![row("", a, teller.register(insn.rs1)), row(word, result, &format!("by {}", b & 31))];
    match insn.op() {
        Op::And | Op::Andi => three("and"),
        Op::Or | Op::Ori => three("or"),
        Op::Xor | Op::Xori => three("xor"),
        Op::Sll | Op::Slli => shifted("left"),
        Op::Srl | Op::Srli => shifted("right"),
        Op::Sra | Op::Srai => shifted("right"),
        _ => Vec::new(),
    }
}
