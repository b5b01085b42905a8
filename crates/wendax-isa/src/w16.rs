//! W16, the instruction set Wendax ships with.
//!
//! One table, [`rows`], says of every instruction how it is written, encoded and described, which flags it
//! touches and what it costs. Encoding, decoding, disassembly and the manual are computed from it; the
//! engine's costs are taken from it. The contract behind the numbers is `docs/instruction-set.md`.

mod calls;
mod codec;
mod devices;
mod manual;
mod table;
mod text;
mod uses;

pub use calls::{CALLS, ERRORS, ErrorCode, TEXT_LIMIT, call_by_name, call_by_number};
pub use codec::{Insn, decode, encode};
pub use devices::{DEVICES, address, device};
pub use manual::{manual, tables};
pub use table::{ALIASES, Alias, Cond, FIXED_DIGITS, FlagRule, Op, OperandKind, Row, mnemonics, rows, rows_named};
pub use text::{NumberStyle, disassemble, reason};

use crate::{Addr, ElfRules, FlagInfo, MemoryMap, Reg, RegisterInfo, Roles, Target};

/// Code of the frame pointer.
pub const FP: u8 = 0xC;
/// Code of the stack pointer.
pub const SP: u8 = 0xD;
/// In the place of a base register: no base.
pub const NO_BASE: u8 = 0xF;

/// Flag bit: carry, or borrow.
pub const C: u16 = 1;
/// Flag bit: the result was zero.
pub const Z: u16 = 2;
/// Flag bit: the result was negative.
pub const N: u16 = 4;
/// Flag bit: signed overflow.
pub const V: u16 = 8;
/// Flag bit: interrupts allowed.
pub const I: u16 = 16;
/// The five flag bits; the others read 0.
pub const FLAG_BITS: u16 = C | Z | N | V | I;

/// Where trap vectors lie: one word each for traps 0 to 15.
pub const VECTORS_END: u16 = 0x0020;
/// Where code begins unless a source says otherwise.
pub const CODE_START: u16 = 0x0200;
/// Lowest address of the stack.
pub const STACK_START: u16 = 0xEE00;
/// What `sp` starts at: one past the highest address of the stack.
pub const STACK_END: u16 = 0xFE00;
/// First address of the device registers, which reach to the top of memory.
pub const DEVICE_START: u16 = 0xFF00;
/// The unit the areas of a program begin at.
pub const PAGE: u16 = 0x0100;

/// W16 has no number among those given to machines, so this one is ours.
const ELF_MACHINE: u16 = 0x5716;

/// Names of the traps by number; empty where there is none.
pub const TRAPS: [&str; 16] = [
    "reset",
    "illegal instruction",
    "misaligned word",
    "forbidden address",
    "divide by zero",
    "",
    "brk",
    "system call",
    "timer",
    "console key",
    "lever",
    "",
    "",
    "",
    "",
    "",
];

/// Cycles that entering a trap takes.
pub const TRAP_CYCLES: u64 = 4;

const fn register(name: &'static str, role: &'static str, kept: bool) -> RegisterInfo {
    RegisterInfo { name, role, kept }
}

const REGISTERS: [RegisterInfo; 14] = [
    register("r0", "argument, result", false),
    register("r1", "argument, second result", false),
    register("r2", "argument", false),
    register("r3", "argument", false),
    register("r4", "free", false),
    register("r5", "free", false),
    register("r6", "kept", true),
    register("r7", "kept", true),
    register("r8", "kept", true),
    register("r9", "kept", true),
    register("r10", "kept", true),
    register("r11", "kept", true),
    register("fp", "frame pointer, kept", true),
    register("sp", "stack pointer, kept", true),
];

const fn flag(name: char, bit: u16, when_set: &'static str, when_clear: &'static str) -> FlagInfo {
    FlagInfo { name, bit: bit as u32, when_set, when_clear }
}

const FLAGS: [FlagInfo; 5] = [
    flag('C', C, "carry or borrow", "no carry"),
    flag('Z', Z, "result 0, or equal", "result not 0"),
    flag('N', N, "top bit set", "top bit clear"),
    flag('V', V, "signed overflow", "no overflow"),
    flag('I', I, "interrupts on", "interrupts off"),
];

/// W16 as views see it.
pub static TARGET: Target = Target {
    name: "W16",
    elf: ElfRules { machine: ELF_MACHINE, whole: 5, refused: &[], sets: &[], advice: "" },
    word_bits: 16,
    address_bits: 16,
    code_align: 2,
    longest_code: 4,
    leads: codec::leads,
    call_code: codec::call_code,
    uses: |code| Some(codec::decode_bytes(code)?.uses()),
    text: text::text_at,
    cycles: codec::cycles,
    registers: &REGISTERS,
    other_names: |_| None,
    controls: |_| None,
    kept_controls: &[],
    flags: &FLAGS,
    roles: Roles {
        stack: Reg(SP),
        frame: Some(Reg(FP)),
        link: None,
        zero: None,
        arguments: &[Reg(0), Reg(1), Reg(2), Reg(3)],
        results: &[Reg(0), Reg(1)],
    },
    map: MemoryMap {
        vectors_end: Addr(VECTORS_END as u32),
        code_start: Addr(CODE_START as u32),
        page: PAGE as u32,
        stack_start: Addr(STACK_START as u32),
        stack_end: Addr(STACK_END as u32),
        devices_start: Addr(DEVICE_START as u32),
        programs: &[(Addr(0), Addr(0x1_0000))],
        most: 0x1_0000,
    },
    traps: &TRAPS,
    interrupt_names: &[],
    console: Some(Addr(address::CONSOLE_DATA as u32)),
    mnemonics,
    interrupts: &[8, 9, 10],
    interrupts_flag: Some(I as u32),
    devices: DEVICES,
    calls: CALLS,
    errors: &crate::calls::ERROR_WORDS,
    ends_with: "a `sys exit`, `halt`, `ret` or `jmp`",
    errno: |_| "",
};
