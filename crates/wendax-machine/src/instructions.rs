//! Instructions as they leave the machine: data that means the same for any instruction set.
//!
//! Only the module of an instruction set knows what its code words are; sentences about one are the account's, which
//! decodes them by itself.

use wendax_isa::{Addr, Reg, RegisterUse};

/// An instruction: what its code words say, whatever the state is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InsnInfo {
    /// Where it stands.
    pub address: Addr,
    /// Its length in bytes.
    pub length: u32,
    /// Its code words, as many as an instruction has at most.
    pub code: [u32; 2],
    /// Every mnemonic it can be written with, the one disassembly shows first.
    pub names: Vec<&'static str>,
    /// What instructions of its sort do, in a word or two.
    pub group: &'static str,
    /// The registers and flags it reads and may write, traps and interrupts left aside.
    pub uses: RegisterUse,
    /// The number of the system call that it is.
    pub call: Option<u32>,
    /// What it is for.
    pub sort: Sort,
}

/// What an instruction is for, as far as every machine has its like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sort {
    /// Puts a value into a register that hangs on its own code alone.
    Constant,
    /// Puts what one register holds into another one.
    Copy,
    /// Adds to what a register holds, or subtracts from it.
    Sum,
    /// Only finds out how two values compare; the second one where it is a constant.
    Compare(Option<u32>),
    /// Takes 1 off a register and jumps while that is not 0.
    CountDown,
    /// Loads from where a register says, or from a place of its own.
    Load(Option<Reg>),
    /// Stores there the register of the second place.
    Store(Option<Reg>, Reg),
    /// Puts something on the stack.
    Push,
    /// Takes something off it.
    Pop,
    /// Jumps or not, by how two values are in order.
    Branch(Order),
    /// Jumps, and is no return.
    Jump,
    /// Calls a routine.
    Call,
    /// Returns from a routine.
    Return,
    /// Returns from a handler.
    HandlerReturn,
    /// Something else.
    Other,
}

/// How a jump takes two values to be in order.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Order {
    /// Whether they are the same.
    Same,
    /// As signed numbers.
    Signed,
    /// As unsigned numbers.
    Unsigned,
    /// As unsigned numbers, the second one being 0.
    AboveZero,
    /// It looks at something else.
    Other,
}

/// How memory is touched.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AccessKind {
    /// Loaded from.
    Read,
    /// Stored to.
    Write,
}

/// A touch of memory.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Access {
    /// First byte.
    pub address: Addr,
    /// 1 or 2 (4 for `reti`).
    pub bytes: u32,
    /// How.
    pub kind: AccessKind,
}

/// What registers are used for by a stretch of code: one bit a register.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Uses {
    /// They hold addresses: something is loaded, stored or gone to by them.
    pub addresses: u32,
    /// A label is put into them.
    pub labels: u32,
    /// They hold characters: bytes are loaded into them.
    pub characters: u32,
}

/// Where an instruction leads.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Way {
    /// To the following one.
    On,
    /// To this one.
    To(Addr),
    /// To this one or to the following one, with what holds when it does and when not.
    Either(Addr, String, String),
    /// To a routine and then on; it is known which, or not.
    Call(Option<Addr>),
    /// To where a register says.
    ByRegister(Reg),
    /// Back from a routine or handler.
    Back,
    /// To the end of the program.
    End,
}

/// What an instruction computes in columns of bits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Computation {
    /// The sum.
    Add,
    /// The difference.
    Subtract,
    /// To the left by so many places.
    ShiftLeft,
    /// To the right, zeros coming in.
    ShiftRight,
    /// To the right, the sign coming in.
    ShiftSigned,
}

/// A field of a code word.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Field {
    /// Its digits, in hexadecimal.
    pub digits: String,
    /// What they stand for.
    pub meaning: &'static str,
    /// What they are here: a register, a number, a place.
    pub value: String,
}
