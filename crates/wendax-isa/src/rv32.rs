//! RV32IM with Zicsr and Zifencei, of the open RISC-V standard: one hart in machine mode.
//!
//! One table, [`rows`], says of every instruction how it is encoded, written and described. Decoding, encoding and text
//! are computed from it, as for the other machine. Sources: the RISC-V Instruction Set Manual, volume I (RV32I 2.1, M 2.0,
//! Zicsr 2.0, Zifencei 2.0) and volume II (machine mode 1.12); names of registers and what they are for are the psABI's.

mod calls;
mod codec;
mod csr;
mod devices;
pub mod forms;
mod manual;
mod table;
mod text;
mod uses;

pub use calls::{CALLS, OWN};
pub use codec::{Insn, decode, encode, goes};
pub use csr::{Csr, csr_by_name, csr_name, csrs};
pub use manual::manual;
pub use table::{Format, Op, Row, rows};
pub use text::{mnemonics, names, text};

use crate::{Addr, ElfRules, Leads, MemoryMap, Reg, RegisterInfo, Roles, Target};

/// Number of the register that always reads 0.
pub const ZERO: u8 = 0;
/// Number of the register that holds the way back.
pub const RA: u8 = 1;
/// Number of the stack pointer.
pub const SP: u8 = 2;
/// Number of the global pointer.
pub const GP: u8 = 3;
/// Number of the thread pointer.
pub const TP: u8 = 4;
/// Number of the second register that may hold the way back.
pub const T0: u8 = 5;
/// Number of the register of the first argument and of the result.
pub const A0: u8 = 10;
/// Number of the register with the number of a call.
pub const A7: u8 = 17;

/// A jump that writes this register calls, and one by it goes back: the standard's hints (volume I, `JALR`).
pub fn is_link(register: Reg) -> bool {
    matches!(register, Reg(RA | T0))
}

/// Where code begins unless a program says otherwise; nothing lies below.
pub const CODE_START: u32 = 0x0001_0000;
/// Lowest address of the stack.
pub const STACK_START: u32 = 0x7FF0_0000;
/// One past the highest address of the stack.
pub const STACK_END: u32 = 0x8000_0000;
/// First address of the device registers, which reach to the top of memory.
pub const DEVICE_START: u32 = 0xFFFF_FE00;
/// The unit the areas of a program begin at.
pub const PAGE: u32 = 0x1000;

/// Names of the exceptions by their number in `mcause`; empty where there is none.
pub const TRAPS: [&str; 12] = [
    "misaligned jump",
    "forbidden code",
    "illegal instruction",
    "breakpoint",
    "misaligned load",
    "forbidden load",
    "misaligned store",
    "forbidden store",
    "",
    "",
    "",
    "environment call",
];

/// The bit of `mcause` that tells interrupts from exceptions.
pub const INTERRUPT: u32 = 0x8000_0000;

const fn register(name: &'static str, role: &'static str, kept: bool) -> RegisterInfo {
    RegisterInfo { name, role, kept }
}

const REGISTERS: [RegisterInfo; 32] = [
    register("zero", "always 0", false),
    register("ra", "the way back", false),
    register("sp", "stack pointer, kept", true),
    register("gp", "global pointer", false),
    register("tp", "thread pointer", false),
    register("t0", "free, second way back", false),
    register("t1", "free", false),
    register("t2", "free", false),
    register("s0", "frame pointer, kept", true),
    register("s1", "kept", true),
    register("a0", "argument, result", false),
    register("a1", "argument, second result", false),
    register("a2", "argument", false),
    register("a3", "argument", false),
    register("a4", "argument", false),
    register("a5", "argument", false),
    register("a6", "argument", false),
    register("a7", "argument, number of a call", false),
    register("s2", "kept", true),
    register("s3", "kept", true),
    register("s4", "kept", true),
    register("s5", "kept", true),
    register("s6", "kept", true),
    register("s7", "kept", true),
    register("s8", "kept", true),
    register("s9", "kept", true),
    register("s10", "kept", true),
    register("s11", "kept", true),
    register("t3", "free", false),
    register("t4", "free", false),
    register("t5", "free", false),
    register("t6", "free", false),
];

/// The register of this name, by its ABI name, `fp` or its number (`x10`), in any case.
pub fn register_by_name(name: &str) -> Option<Reg> {
    TARGET.register(name)
}

/// See [`Target::other_names`].
fn other_names(name: &str) -> Option<Reg> {
    if name.eq_ignore_ascii_case("fp") {
        return Some(Reg(8));
    }
    let number = name.strip_prefix(['x', 'X'])?;
    let has_zeros = number.len() > 1 && number.starts_with('0');
    number.parse().ok().filter(|number| *number < 32 && !has_zeros).map(Reg)
}

/// RV32 as views see it.
pub static TARGET: Target = Target {
    name: "RV32",
    elf: ElfRules {
        machine: 243,
        whole: 1,
        refused: &[(1, "compressed instructions"), (6, "floating point"), (8, "the small set of registers")],
        sets: &["i", "m", "zicsr", "zifencei", "zicntr", "zmmul"],
        advice: "compile and link it with -march=rv32im -mabi=ilp32",
    },
    word_bits: 32,
    address_bits: 32,
    code_align: 4,
    longest_code: 4,
    leads,
    call_code,
    uses: |code| Some(decode(u32::from_le_bytes(*code.first_chunk::<4>()?))?.uses()),
    text: text::text_at,
    cycles,
    registers: &REGISTERS,
    other_names,
    controls: csr_by_name,
    kept_controls: &[
        (0x300, "mstatus"),
        (0x304, "mie"),
        (0x305, "mtvec"),
        (0x340, "mscratch"),
        (0x341, "mepc"),
        (0x342, "mcause"),
        (0x343, "mtval"),
    ],
    flags: &[],
    roles: Roles {
        stack: Reg(SP),
        frame: Some(Reg(8)),
        link: Some(Reg(RA)),
        zero: Some(Reg(ZERO)),
        arguments: &[Reg(10), Reg(11), Reg(12), Reg(13), Reg(14), Reg(15), Reg(16), Reg(17)],
        results: &[Reg(10), Reg(11)],
    },
    map: MemoryMap {
        vectors_end: Addr(0),
        code_start: Addr(CODE_START),
        page: PAGE,
        stack_start: Addr(STACK_START),
        stack_end: Addr(STACK_END),
        devices_start: Addr(DEVICE_START),
        programs: &[(Addr(CODE_START), Addr(STACK_START)), (Addr(STACK_END), Addr(DEVICE_START))],
        most: 64 << 20,
    },
    traps: &TRAPS,
    interrupt_names: &[(7, "clock"), (24, "timer"), (25, "key"), (26, "lever")],
    console: Some(devices::CONSOLE),
    mnemonics,
    interrupts: &[7, 24, 25, 26],
    interrupts_flag: None,
    devices: &devices::ALL,
    calls: CALLS,
    errors: &crate::calls::ERROR_WORDS,
    ends_with: "an exit by `ecall`, `ret` or `j`",
    errno: calls::errno,
};

/// See [`Target::cycles`]. One an instruction, and more as the contract has it.
fn cycles(code: &[u8]) -> Option<(u32, u32)> {
    let insn = decode(u32::from_le_bytes(*code.first_chunk::<4>()?))?;
    Some(match insn.row().format {
        Format::Branch => (1, 2),
        Format::Jump | Format::Store => (2, 2),
        Format::Load => (2, 2),
        _ => match insn.op() {
            Op::Mul | Op::Mulh | Op::Mulhsu | Op::Mulhu => (4, 4),
            Op::Div | Op::Divu | Op::Rem | Op::Remu => (16, 16),
            Op::Mret => (2, 2),
            _ => (1, 1),
        },
    })
}

/// See [`Target::call_code`]: `auipc` and `jalr`, as `call` becomes.
fn call_code(from: Addr, to: Addr) -> Vec<u8> {
    let distance = to.0.wrapping_sub(from.0);
    let high = distance.wrapping_add(0x800) & 0xFFFF_F000;
    let first = Insn::new(Op::Auipc, (RA, 0, 0), high);
    let second = Insn::new(Op::Jalr, (RA, RA, 0), distance.wrapping_sub(high));
    [first, second].into_iter().flat_map(|insn| encode(insn).to_le_bytes()).collect()
}

/// See [`Target::leads`].
fn leads(code: &[u8], address: Addr) -> Option<(u32, Leads)> {
    let word = code.first_chunk::<4>()?;
    Some((4, decode(u32::from_le_bytes(*word))?.leads(address)))
}
