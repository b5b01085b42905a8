//! What one step did, old and new.

use wendax_isa::w16::Insn;
use wendax_machine::{AccessKind, CellState, Machine, Stop};

/// A register that was written, also when it was written what it held.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RegisterChange {
    /// Its index.
    pub register: usize,
    /// Before.
    pub old: u32,
    /// After.
    pub new: u32,
    /// It had been written before.
    pub was_known: bool,
}

/// Bytes of memory that were written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MemoryChange {
    /// First address.
    pub address: u32,
    /// Before.
    pub old: Vec<u8>,
    /// After.
    pub new: Vec<u8>,
    /// They had a value before.
    pub was_known: bool,
}

impl MemoryChange {
    /// Before, as a number: of more than a word its first one.
    pub fn old_value(&self) -> u32 {
        number(&self.old)
    }

    /// After, as a number: of more than a word its first one.
    pub fn new_value(&self) -> u32 {
        number(&self.new)
    }

    /// An address is among those that were written.
    pub fn covers(&self, address: u32) -> bool {
        let length = u32::try_from(self.new.len()).unwrap_or(u32::MAX);
        address.checked_sub(self.address).is_some_and(|offset| offset < length)
    }
}

/// The first word of some bytes, or their only byte.
fn number(bytes: &[u8]) -> u32 {
    let byte = |at| u32::from(bytes.get(at).copied().unwrap_or(0));
    byte(1) << 8 | byte(0)
}

/// The flags over one step.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FlagsChange {
    /// Before.
    pub old: u32,
    /// After.
    pub new: u32,
    /// Bits the instruction may change.
    pub touched: u32,
}

/// Everything one step did.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Effects {
    /// Steps before it.
    pub step: u64,
    /// Where it happened.
    pub pc: u32,
    /// Where it went.
    pub next: u32,
    /// The instruction; `None` when it was an interrupt.
    pub insn: Option<Insn>,
    /// Registers written.
    pub registers: Vec<RegisterChange>,
    /// Memory written.
    pub memory: Vec<MemoryChange>,
    /// The flags.
    pub flags: FlagsChange,
    /// Printed.
    pub output: Vec<u8>,
    /// Bytes of typed input it took.
    pub consumed: usize,
    /// Cycles it took.
    pub cycles: u64,
}

impl Effects {
    /// It went on at the following instruction.
    pub fn fell_through(&self) -> bool {
        self.insn.is_some_and(|insn| self.next == self.pc + u32::from(insn.bytes()))
    }
}

/// Takes one step and tells what it did; the output stays with the machine. When the step did not
/// happen, the effects are empty.
pub(crate) fn observe(machine: &mut Machine) -> (Stop, Effects) {
    let before = Before::of(machine);
    let stop = machine.step();
    let effects = before.compare(machine);
    (stop, effects)
}

struct Before {
    step: u64,
    pc: u32,
    cycles: u64,
    printed: u64,
    pending: usize,
    flags: u32,
    insn: Option<Insn>,
    registers: Vec<(u32, bool)>,
    written: Vec<usize>,
    store: Option<(u32, u32)>,
    memory: Vec<u8>,
    depth: usize,
    known: Vec<bool>,
}

impl Before {
    fn of(machine: &Machine) -> Self {
        let insn = machine.instruction_at(machine.pc());
        let access = insn.and_then(|insn| machine.access_of(insn)).filter(|access| access.kind == AccessKind::Write);
        let count = machine.target().registers.len();
        let store = access.map(|access| (access.address, access.bytes));
        Self {
            step: machine.steps(),
            pc: machine.pc(),
            cycles: machine.cycles(),
            printed: machine.printed(),
            pending: machine.pending_input(),
            flags: machine.flags(),
            insn,
            registers: (0..count).map(|index| (machine.register(index), machine.register_known(index))).collect(),
            written: insn.map(|insn| machine.registers_written_by(insn)).unwrap_or_default(),
            store,
            memory: machine.raw_memory().to_vec(),
            known: store.map_or(Vec::new(), |(address, bytes)| {
                (address..address + bytes).map(|at| machine.cell(at) != CellState::NeverWritten).collect()
            }),
            depth: machine.frames().len(),
        }
    }

    fn compare(self, machine: &Machine) -> Effects {
        let happened = machine.steps() > self.step;
        // An interrupt is a step without an instruction: it pushes a frame whose way back is where it came.
        let interrupted = machine.frames().len() > self.depth
            && machine.frames().last().is_some_and(|frame| {
                machine.word(frame.slot) == self.pc && matches!(frame.kind, wendax_machine::FrameKind::Trap(_))
            });
        let insn = self.insn.filter(|_| happened && !interrupted);
        let registers = (0..self.registers.len())
            .filter(|_| happened)
            .filter(|&index| {
                let written = insn.is_some() && self.written.contains(&index);
                let known = machine.register_known(index) != self.registers[index].1;
                written || known || machine.register(index) != self.registers[index].0
            })
            .map(|index| {
                let (old, was_known) = self.registers[index];
                RegisterChange { register: index, old, new: machine.register(index), was_known }
            })
            .collect();
        let old_bytes = |address: u32, length: u32| {
            (address..address + length)
                .map(|at| self.memory.get(at as usize).copied().unwrap_or(0))
                .collect::<Vec<u8>>()
        };
        let new_bytes = |address: u32, length: u32| (address..address + length).map(|at| machine.byte(at)).collect();
        let change = |(address, length): (u32, u32), was_known| MemoryChange {
            address,
            old: old_bytes(address, length),
            new: new_bytes(address, length),
            was_known,
        };
        let mut memory: Vec<MemoryChange> = machine.side_writes().map(|range| change(range, true)).collect();
        if let Some(range) = self.store.filter(|_| insn.is_some()) {
            memory.push(change(range, self.known.iter().all(|&known| known)));
        }
        let rule = insn.map_or(0, |insn| insn.row().flags.touched());
        let new_flags = machine.flags();
        Effects {
            step: self.step,
            pc: self.pc,
            next: machine.pc(),
            insn,
            registers,
            memory: if happened { memory } else { Vec::new() },
            flags: FlagsChange { old: self.flags, new: new_flags, touched: u32::from(rule) | (self.flags ^ new_flags) },
            output: machine.output_since(self.printed).to_vec(),
            consumed: self.pending.saturating_sub(machine.pending_input()),
            cycles: machine.cycles() - self.cycles,
        }
    }
}
