//! What tests know of each machine by themselves: what stands somewhere, decoded by the tables alone, and how the roles are
//! shared out, so that one property holds for both.

use wendax_isa::{Addr, Reg, RegisterUse, rv32, w16};
use wendax_machine::Machine;

/// It is the machine with the open standard's instructions.
pub(crate) fn is_rv32(machine: &Machine) -> bool {
    machine.target() == &rv32::TARGET
}

/// The mnemonics of what is next.
pub(crate) fn names(machine: &Machine) -> Vec<&'static str> {
    match next(machine) {
        Some(Next::W16(insn)) => insn.names().collect(),
        Some(Next::Rv32(insn)) => rv32::names(insn),
        None => Vec::new(),
    }
}

/// The registers and flags that what is next reads and writes.
pub(crate) fn uses(machine: &Machine) -> RegisterUse {
    match next(machine) {
        Some(Next::W16(insn)) => insn.uses(),
        Some(Next::Rv32(insn)) => insn.uses(),
        None => RegisterUse::default(),
    }
}

/// Interrupts are allowed.
pub(crate) fn allows(machine: &Machine) -> bool {
    // MIE of mstatus.
    if is_rv32(machine) {
        machine.control(0x300).is_some_and(|status| status & 8 != 0)
    } else {
        machine.flags() & u32::from(w16::I) != 0
    }
}

/// The register that carries the argument of a number, from 0.
pub(crate) fn argument(machine: &Machine, number: u8) -> Reg {
    Reg(number + if is_rv32(machine) { 10 } else { 0 })
}

enum Next {
    W16(w16::Insn),
    Rv32(rv32::Insn),
}

fn next(machine: &Machine) -> Option<Next> {
    if is_rv32(machine) {
        let bytes: Vec<u8> = (0..4).map(|at| machine.byte(Addr(machine.pc().0.wrapping_add(at)))).collect();
        return rv32::decode(u32::from_le_bytes(bytes.try_into().ok()?)).map(Next::Rv32);
    }
    let [first, second] = machine.code_at(machine.pc()).map(|word| u16::try_from(word).expect("a word"));
    w16::decode(first, second).map(Next::W16)
}
