//! Instructions as text, in the syntax and with the pseudo-instructions of the open assembly manual.

use super::codec::{Insn, decode};
use super::csr::csr_name;
use super::forms::forms;
use super::table::{Format, Op};
use super::{RA, REGISTERS};
use crate::Addr;

/// Every mnemonic that can be written, in alphabetical order.
pub fn mnemonics() -> Vec<&'static str> {
    let mut all: Vec<&str> = forms().iter().map(|form| form.name).collect();
    all.sort_unstable();
    all.dedup();
    all
}

/// What there is to say of an instruction: its mnemonic, and its operands as they are written.
struct Written {
    name: &'static str,
    operands: String,
}

fn register(number: u8) -> &'static str {
    REGISTERS.get(usize::from(number)).map_or("?", |register| register.name)
}

/// Accesses that a fence orders; empty when it names none.
fn accesses(set: u32) -> String {
    [(8, 'i'), (4, 'o'), (2, 'r'), (1, 'w')]
        .into_iter()
        .filter(|(bit, _)| set & bit != 0)
        .map(|(_, sign)| sign)
        .collect()
}

/// As a pseudo-instruction of the manual.
fn pseudo(insn: Insn, place: &dyn Fn() -> String) -> Option<Written> {
    let Insn { rd, rs1, rs2, value, .. } = insn;
    let (d, a, b) = (register(rd), register(rs1), register(rs2));
    let signed = value.cast_signed();
    let csr = || csr_text(value);
    let written = |name, operands: String| Some(Written { name, operands });
    let two = |name, from: &str| written(name, format!("{d}, {from}"));
    match insn.op() {
        Op::Addi if (rd, rs1, signed) == (0, 0, 0) => written("nop", String::new()),
        Op::Addi if rs1 == 0 => written("li", format!("{d}, {signed}")),
        Op::Addi if signed == 0 => two("mv", a),
        Op::Xori if signed == -1 => two("not", a),
        Op::Andi if signed == 255 => two("zext.b", a),
        Op::Sltiu if signed == 1 => two("seqz", a),
        Op::Sub if rs1 == 0 => two("neg", b),
        Op::Sltu if rs1 == 0 => two("snez", b),
        Op::Slt if rs2 == 0 => two("sltz", a),
        Op::Slt if rs1 == 0 => two("sgtz", b),
        Op::Beq if rs2 == 0 => written("beqz", format!("{a}, {}", place())),
        Op::Bne if rs2 == 0 => written("bnez", format!("{a}, {}", place())),
        Op::Bge if rs2 == 0 => written("bgez", format!("{a}, {}", place())),
        Op::Bge if rs1 == 0 => written("blez", format!("{b}, {}", place())),
        Op::Blt if rs2 == 0 => written("bltz", format!("{a}, {}", place())),
        Op::Blt if rs1 == 0 => written("bgtz", format!("{b}, {}", place())),
        Op::Jal if rd == 0 => written("j", place()),
        Op::Jal if rd == RA => written("jal", place()),
        Op::Jalr if (rd, rs1, signed) == (0, RA, 0) => written("ret", String::new()),
        Op::Jalr if (rd, signed) == (0, 0) => written("jr", a.to_owned()),
        Op::Jalr if (rd, signed) == (RA, 0) => written("jalr", a.to_owned()),
        Op::Csrrs if rs1 == 0 => match value {
            0xC00 => written("rdcycle", d.to_owned()),
            0xC01 => written("rdtime", d.to_owned()),
            0xC02 => written("rdinstret", d.to_owned()),
            0xC80 => written("rdcycleh", d.to_owned()),
            0xC81 => written("rdtimeh", d.to_owned()),
            0xC82 => written("rdinstreth", d.to_owned()),
            _ => two("csrr", &csr()),
        },
        Op::Csrrw if rd == 0 => written("csrw", format!("{}, {a}", csr())),
        Op::Csrrs if rd == 0 => written("csrs", format!("{}, {a}", csr())),
        Op::Csrrc if rd == 0 => written("csrc", format!("{}, {a}", csr())),
        Op::Csrrwi if rd == 0 => written("csrwi", format!("{}, {rs1}", csr())),
        Op::Csrrsi if rd == 0 => written("csrsi", format!("{}, {rs1}", csr())),
        Op::Csrrci if rd == 0 => written("csrci", format!("{}, {rs1}", csr())),
        Op::Fence if (rd, rs1, value) == (0, 0, 0x0FF) => written("fence", String::new()),
        Op::Fence if (rd, rs1, value) == (0, 0, 0x833) => written("fence.tso", String::new()),
        _ => None,
    }
}

fn csr_text(number: u32) -> String {
    let name = u16::try_from(number).ok().and_then(csr_name);
    name.unwrap_or_else(|| format!("0x{number:03X}"))
}

/// By its own name. A fence whose other bits are not as the manual writes them is the word it is.
fn plain(insn: Insn, place: &dyn Fn() -> String) -> Written {
    let Insn { rd, rs1, rs2, value, .. } = insn;
    let (d, a, b) = (register(rd), register(rs1), register(rs2));
    let signed = value.cast_signed();
    let operands = match insn.row().format {
        Format::Registers => format!("{d}, {a}, {b}"),
        Format::Immediate => format!("{d}, {a}, {signed}"),
        Format::Shift => format!("{d}, {a}, {value}"),
        Format::Load => format!("{d}, {signed}({a})"),
        Format::Store => format!("{b}, {signed}({a})"),
        Format::Branch => format!("{a}, {b}, {}", place()),
        Format::Upper => format!("{d}, 0x{:X}", value >> 12),
        Format::Jump => format!("{d}, {}", place()),
        Format::Csr => format!("{d}, {}, {a}", csr_text(value)),
        Format::CsrConstant => format!("{d}, {}, {rs1}", csr_text(value)),
        Format::Fixed => String::new(),
        Format::Fence => {
            let (before, after) = (accesses(value >> 4 & 15), accesses(value & 15));
            let is_plain = (rd, rs1) == (0, 0);
            match insn.op() {
                Op::FenceI if is_plain && value == 0 => String::new(),
                Op::Fence if is_plain && value >> 8 == 0 && !before.is_empty() && !after.is_empty() => {
                    format!("{before}, {after}")
                }
                _ => return Written { name: ".word", operands: format!("0x{:08X}", super::encode(insn)) },
            }
        }
    };
    Written { name: insn.row().name, operands }
}

/// Every mnemonic it can be written with, the one disassembly shows first.
pub fn names(insn: Insn) -> Vec<&'static str> {
    let shown = pseudo(insn, &String::new).map(|written| written.name);
    let own = insn.row().name;
    shown.filter(|name| *name != own).into_iter().chain([own]).collect()
}

/// The instruction at an address as the assembler reads it. `name` gives the name of a place, if it has one; of others the
/// address is written.
pub fn text(insn: Insn, address: Addr, name: &dyn Fn(Addr) -> Option<String>) -> String {
    let place = || place_of(insn, address, name);
    joined(pseudo(insn, &place).unwrap_or_else(|| plain(insn, &place)))
}

/// Where a label stands that it names.
fn place_of(insn: Insn, address: Addr, name: &dyn Fn(Addr) -> Option<String>) -> String {
    let target = Addr(address.0.wrapping_add(insn.value));
    name(target).unwrap_or_else(|| format!("0x{target:08X}"))
}

fn joined(Written { name, operands }: Written) -> String {
    if operands.is_empty() { name.to_owned() } else { format!("{name} {operands}") }
}

/// See [`crate::Target::text`].
pub(super) fn text_at(code: &[u8], address: Addr, name: &dyn Fn(Addr) -> Option<String>) -> Option<String> {
    let word = code.first_chunk::<4>()?;
    Some(text(decode(u32::from_le_bytes(*word))?, address, name))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shown(word: u32) -> String {
        let name = |address: Addr| (address == Addr(0x1_0040)).then(|| "weigh".to_owned());
        text(decode(word).expect("an instruction"), Addr(0x1_0000), &name)
    }

    /// Words as the standard's formats give them, put together by hand.
    #[test]
    fn instructions_read_as_the_manual_writes_them() {
        for (word, wanted) in [
            (0x0000_0013, "nop"),
            (0x0000_8067, "ret"),
            (0x0000_0073, "ecall"),
            (0x0010_0073, "ebreak"),
            (0x3020_0073, "mret"),
            (0x1050_0073, "wfi"),
            (0x0FF0_000F, "fence"),
            (0x8330_000F, "fence.tso"),
            (0x0310_000F, "fence rw, w"),
            (0x0000_100F, "fence.i"),
            (0x0FF0_008F, ".word 0x0FF0008F"),
            (0xFF01_0113, "addi sp, sp, -16"),
            (0x0050_0513, "li a0, 5"),
            (0x0005_8513, "mv a0, a1"),
            (0xFFF5_C513, "not a0, a1"),
            (0x40B0_0533, "neg a0, a1"),
            (0x0015_B513, "seqz a0, a1"),
            (0x00B0_3533, "snez a0, a1"),
            (0x0FF5_7513, "zext.b a0, a0"),
            (0x0011_2623, "sw ra, 12(sp)"),
            (0xFE01_2E23, "sw zero, -4(sp)"),
            (0x0005_2503, "lw a0, 0(a0)"),
            (0x8005_4503, "lbu a0, -2048(a0)"),
            (0x1234_5537, "lui a0, 0x12345"),
            (0xFFFF_F517, "auipc a0, 0xFFFFF"),
            (0x0400_00EF, "jal weigh"),
            (0x0400_006F, "j weigh"),
            (0x0400_02EF, "jal t0, weigh"),
            (0xFEB5_0EE3, "beq a0, a1, 0x0000FFFC"),
            (0x0405_0063, "beqz a0, weigh"),
            (0x00A0_5463, "blez a0, 0x00010008"),
            (0x02C5_8533, "mul a0, a1, a2"),
            (0x02C5_D533, "divu a0, a1, a2"),
            (0x4035_5513, "srai a0, a0, 3"),
            (0x01F5_1513, "slli a0, a0, 31"),
            (0x3052_9073, "csrw mtvec, t0"),
            (0x3000_2573, "csrr a0, mstatus"),
            (0x3004_6073, "csrsi mstatus, 8"),
            (0xC000_2573, "rdcycle a0"),
            (0x7C05_1573, "csrrw a0, 0x7C0, a0"),
            (0xB035_2573, "csrrs a0, mhpmcounter3, a0"),
            (0x0005_0067, "jr a0"),
            (0x0005_00E7, "jalr a0"),
            (0x0085_02E7, "jalr t0, 8(a0)"),
        ] {
            assert_eq!(shown(word), wanted, "{word:08X}");
        }
    }

    #[test]
    fn every_name_that_is_shown_is_a_mnemonic() {
        let all = mnemonics();
        assert!(all.windows(2).all(|pair| pair[0] < pair[1]), "in order, each once");
        for word in [0x0000_0013, 0x0005_8513, 0x0000_8067, 0x3052_9073, 0x0400_00EF] {
            let names = names(decode(word).expect("an instruction"));
            assert!(names.iter().all(|name| all.contains(name)), "{names:?}");
        }
    }
}
