//! Why an instruction fails: not only what it could not do, but where that began.

use super::{Known, insn_at, rv32};
use crate::effects::Effects;
use crate::questions::{LastWriter, last_write};
use crate::session::Session;
use crate::stops::Thing;
use crate::words::{place, told};
use wendax_isa::w16::{Insn, NO_BASE, Op};
use wendax_isa::{Addr, Reg};
use wendax_machine::{Fault, FaultKind, Frame, RegionKind};

/// The causes of a fault of the present instruction, in sentences, the nearest first; none when nothing more is known
/// than the fault says.
pub fn fault_causes(session: &Session, fault: &Fault) -> Vec<String> {
    let insn = insn_at(session.machine(), fault.pc);
    match fault.kind {
        FaultKind::Execute { .. } | FaultKind::Illegal { .. } | FaultKind::Misaligned { fetch: true, .. } => {
            vec![how_it_came_here(session)]
        }
        FaultKind::DivideByZero => match insn {
            Some(Known::W16(insn)) => vec![divisor(session, insn)],
            _ => Vec::new(),
        },
        FaultKind::TrapEntry { .. } => Vec::new(),
        FaultKind::Read { address } | FaultKind::Write { address } => {
            let stack = match insn {
                Some(Known::W16(insn)) => stack_limit(session, insn, address),
                Some(Known::Rv32(_)) => full_stack(session, address),
                None => None,
            };
            let mut causes = stack.unwrap_or_else(|| base(session, insn));
            causes.extend(nowhere(session, address));
            causes
        }
        FaultKind::Misaligned { .. } | FaultKind::DeviceByte { .. } => base(session, insn),
    }
}

/// That nothing is ever mapped where a pointer leads that is 0.
fn nowhere(session: &Session, address: Addr) -> Option<String> {
    let map = &session.machine().target().map;
    let is_nowhere = map.vectors_end == Addr::FIRST && address < map.code_start;
    let first = session.machine().target().marked_address(map.code_start);
    is_nowhere.then(|| format!("nothing lies below {first}: a pointer that holds 0 leads there"))
}

/// Who wrote something, in words.
fn writer(session: &Session, writer: &LastWriter) -> String {
    match writer {
        LastWriter::Step(effects) => format!("by {} at step {}", told(session, effects.pc), effects.step),
        LastWriter::ByHand(change) => format!("by hand at step {}", change.step),
    }
}

/// The way that led to where there is no instruction.
fn how_it_came_here(session: &Session) -> String {
    let target = session.machine().target();
    let hex = target.marked_address(session.machine().pc());
    let Some(last) = session.last_step() else { return "the program begins there".to_owned() };
    if last.returned && target.roles.link.is_none() {
        return wrong_return(session, last);
    }
    if last.fell_through() {
        return format!(
            "it ran past the end of the code: the last instruction that ran is {}; nothing stops it there ({} does)",
            told(session, last.pc),
            target.ends_with
        );
    }
    if last.length == 0 {
        return format!("the vector of that trap leads there, entered at {}", place(session.image(), target, last.pc));
    }
    if rv32::is_return(session, last) {
        return format!("{} went back to {hex}, but no routine was called", told(session, last.pc));
    }
    format!("{} went to {hex}", told(session, last.pc))
}

/// A return that took something that is no way back, and where that word came from.
fn wrong_return(session: &Session, last: &Effects) -> String {
    let target = session.machine().target();
    let slot = Addr(last.register(target.roles.stack).map_or(0, |change| change.old));
    let mut text = format!(
        "{} took {} from the stack at {} for the way back",
        told(session, last.pc),
        target.marked(last.next.0),
        target.marked_address(slot)
    );
    match last_write(session, Thing::Cells(slot, slot + target.word_bytes()), last.step) {
        Some(found) => text.push_str(&format!("; it was put there {}", writer(session, &found))),
        None => text.push_str("; nothing was ever pushed there"),
    }
    text
}

/// What the divisor holds, and since when.
fn divisor(session: &Session, insn: Insn) -> String {
    if insn.b == NO_BASE {
        return "the divisor is written as 0".to_owned();
    }
    register_since(session, Reg(insn.b), "0")
}

/// The register an address comes from, and since when it holds that.
fn base(session: &Session, insn: Option<Known>) -> Vec<String> {
    let stack = session.machine().target().roles.stack;
    let register = match insn {
        Some(Known::W16(insn)) => match insn.op() {
            Op::Ldw | Op::Ldb | Op::Ldsb | Op::Stw | Op::Stb if insn.b != NO_BASE => Reg(insn.b),
            Op::Push | Op::Pop | Op::PushFl | Op::PopFl | Op::Call | Op::CallReg | Op::Ret | Op::Reti => stack,
            _ => return Vec::new(),
        },
        Some(Known::Rv32(insn)) => match rv32::base(insn) {
            Some(register) => register,
            None => return Vec::new(),
        },
        None => return Vec::new(),
    };
    let value = session.machine().target().marked(session.machine().register(register));
    vec![register_since(session, register, &value)]
}

fn register_since(session: &Session, register: Reg, value: &str) -> String {
    let name = session.machine().target().register_name(register);
    match last_write(session, Thing::Register(register), session.now()) {
        Some(found) => format!("{name} holds {value}, set {}", writer(session, &found)),
        None if !session.machine().register_known(register) => format!("{name} was never set, and reads {value}"),
        None => format!("{name} holds {value}"),
    }
}

/// That a push found the stack full, or a pop empty.
fn stack_limit(session: &Session, insn: Insn, address: Addr) -> Option<Vec<String>> {
    let machine = session.machine();
    let target = machine.target();
    let stack = machine.regions().into_iter().find(|region| region.kind == RegionKind::Stack)?;
    let hex = |address| target.marked_address(address);
    match insn.op() {
        Op::Push | Op::PushFl | Op::Call | Op::CallReg if address + target.word_bytes() == stack.start => {
            Some(is_full(session, stack.start))
        }
        Op::Pop | Op::PopFl | Op::Ret | Op::Reti if address == stack.end() => {
            let mut sentences = vec![format!("the stack is empty: nothing lies above {}", hex(stack.last()))];
            if matches!(insn.op(), Op::Ret | Op::Reti) {
                sentences.push("no routine was called that this could return from".to_owned());
            }
            Some(sentences)
        }
        _ => None,
    }
}

/// That something reached below the stack, many routines deep.
fn full_stack(session: &Session, address: Addr) -> Option<Vec<String>> {
    /// Frames are no larger than that, as a rule.
    const FAR: u32 = 0x1000;
    let regions = session.machine().regions();
    let stack = regions.iter().find(|region| region.kind == RegionKind::Stack)?;
    let is_below = address < stack.start && stack.start - address <= FAR;
    (is_below && !session.machine().frames().is_empty()).then(|| is_full(session, stack.start))
}

fn is_full(session: &Session, end: Addr) -> Vec<String> {
    let machine = session.machine();
    let (hex, depth) = (machine.target().marked_address(end), machine.frames().len());
    let mut sentences = vec![format!("the stack is full: it ends at {hex}, {depth} routines deep")];
    sentences.extend(deepest_caller(session, machine.frames()));
    sentences
}

/// The routine that most of the frames are of, and the call that made most of them.
fn deepest_caller(session: &Session, frames: &[Frame]) -> Option<String> {
    let mut calls: Vec<(Addr, Addr, usize)> = Vec::new();
    for frame in frames {
        match calls.iter_mut().find(|(site, target, _)| (*site, *target) == (frame.site, frame.target)) {
            Some((_, _, count)) => *count += 1,
            None => calls.push((frame.site, frame.target, 1)),
        }
    }
    let (site, routine, count) = calls.into_iter().max_by_key(|(_, _, count)| *count)?;
    let target = session.machine().target();
    Some(format!(
        "{count} of them are of {}, called by {}",
        place(session.image(), target, routine),
        told(session, site)
    ))
}
