//! What a step, or a stride of several, did: old and new.
//!
//! Effects of a step come from the machine's report of it. Those of a stride come from what differs between its
//! beginning and its end; what was written and is the same as before is not among them.

use crate::past::Past;
use crate::rerun::{Question, Rerun};
use std::ops::ControlFlow;
use std::sync::Arc;
use wendax_isa::Target;
use wendax_isa::{Addr, Reg, StepNo};
use wendax_machine::{
    Came, Difference, FileDeed, Files, FlagsChange, KnownFile, Machine, Observer, Report, Run, Snapshot, StepKind,
    Stop, Write,
};

/// A register that was written, also when it was written what it held.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RegisterChange {
    /// Its index.
    pub register: Reg,
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
    pub address: Addr,
    /// Before.
    pub old: Vec<u8>,
    /// After.
    pub new: Vec<u8>,
    /// They had a value before.
    pub was_known: bool,
}

impl MemoryChange {
    /// Before, as a number: of more than a word its first one.
    pub fn old_value(&self, target: &Target) -> u32 {
        number(&self.old, target)
    }

    /// After, as a number: of more than a word its first one.
    pub fn new_value(&self, target: &Target) -> u32 {
        number(&self.new, target)
    }

    /// An address is among those that were written.
    pub fn covers(&self, address: Addr) -> bool {
        let length = u32::try_from(self.new.len()).unwrap_or(u32::MAX);
        self.address <= address && address < self.address + length
    }
}

/// A device register that was written, as it is read back.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DeviceChange {
    /// Its address.
    pub address: Addr,
    /// Before.
    pub old: u32,
    /// After.
    pub new: u32,
}

/// The first word of some bytes, low one first, or their only byte.
pub(crate) fn number(bytes: &[u8], target: &Target) -> u32 {
    let word = bytes.iter().take(target.word_bytes() as usize);
    word.rev().fold(0, |number, byte| number << 8 | u32::from(*byte))
}

/// How a stride left a file, beside what it was before.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileChange {
    /// Something else is in it: so many bytes.
    Written(usize),
    /// It was opened, and is so still.
    Opened,
    /// It was closed.
    Closed,
    /// It is read, or written with the same, up to this byte.
    Moved(usize),
}

/// How the files of a run differ from what they were.
fn file_changes(before: &Files, now: &Files) -> Vec<(Arc<str>, FileChange)> {
    let place =
        |files: &Files, path: &str| files.open().find(|(_, open)| *open.path == *path).map(|(_, it)| it.position);
    let change = |(path, file): (&str, &KnownFile)| {
        let was = before.get(path).and_then(KnownFile::bytes);
        let bytes = file.bytes();
        let change = match (place(before, path), place(now, path)) {
            // What was not known before was found as it is, unless it was written.
            _ if bytes != was && (before.get(path).is_some() || file.is_written()) => {
                FileChange::Written(bytes.map_or(0, <[u8]>::len))
            }
            (None, Some(_)) => FileChange::Opened,
            (Some(_), None) => FileChange::Closed,
            (Some(was), Some(is)) if was != is => FileChange::Moved(is),
            (None, None) if before.get(path).is_none() => FileChange::Closed,
            _ => return None,
        };
        Some((Arc::from(path), change))
    };
    now.known().filter_map(change).collect()
}

/// Everything one step did, or a stride of several.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Effects {
    /// Steps before it.
    pub step: StepNo,
    /// How many steps it is.
    pub steps: u64,
    /// What the step was; of a stride its last one counts for nothing.
    pub kind: StepKind,
    /// Where it happened, or began.
    pub pc: Addr,
    /// Where it went.
    pub next: Addr,
    /// Bytes of the instruction; 0 when there was none, or several.
    pub length: u32,
    /// The code words that stood there; of a stride none.
    pub code: [u32; 2],
    /// Registers written.
    pub registers: Vec<RegisterChange>,
    /// Memory written.
    pub memory: Vec<MemoryChange>,
    /// Device registers written.
    pub devices: Vec<DeviceChange>,
    /// What came from outside at its moment, or with it.
    pub came: Vec<Came>,
    /// The flags.
    pub flags: FlagsChange,
    /// Printed, or the end of it when it is much; see [`Self::printed`].
    pub output: Vec<u8>,
    /// Bytes printed.
    pub printed: u64,
    /// Bytes of typed input it took.
    pub consumed: u64,
    /// What it did with which file; of a stride nothing.
    pub file: Option<(Arc<str>, FileDeed)>,
    /// Of a stride, how it left the files that it did something with.
    pub files: Vec<(Arc<str>, FileChange)>,
    /// The tone it made: hertz and milliseconds.
    pub tone: Option<(u32, u32)>,
    /// The timer expired while it was carried out.
    pub expired: bool,
    /// Cycles it took.
    pub cycles: u64,
    /// It was a system call that failed; of several steps nothing is told.
    pub failed: bool,
    /// It returned from a routine by an instruction made for that.
    pub returned: bool,
}

/// Output kept with effects.
const OUTPUT: usize = 4096;

fn end_of(output: &[u8]) -> Vec<u8> {
    output[output.len().saturating_sub(OUTPUT)..].to_vec()
}

/// What a step wrote. A register that one instruction writes twice, as when it is swapped with itself, was written once.
pub(crate) fn written(report: &Report) -> impl Iterator<Item = Write> {
    let register = |at: usize| match report.writes.get(at) {
        Some(Write::Register { register, .. }) => Some(*register),
        _ => None,
    };
    let is_told = move |at: usize| register(at).is_some() && at > 0 && register(at - 1) == register(at);
    report.writes.iter().enumerate().filter(move |(at, _)| !is_told(*at)).map(|(_, write)| *write)
}

impl Effects {
    /// It went on at the following instruction.
    pub fn fell_through(&self) -> bool {
        self.length > 0 && self.next == self.pc + self.length
    }

    /// It wrote an address.
    pub fn wrote(&self, address: Addr) -> bool {
        self.memory.iter().any(|change| change.covers(address))
    }

    /// What it did to a register.
    pub fn register(&self, register: Reg) -> Option<&RegisterChange> {
        self.registers.iter().find(|change| change.register == register)
    }

    /// Effects of a step out of its report, without what was printed.
    fn of(report: &Report, word_bytes: u32) -> Self {
        let mut effects = Self {
            step: report.step,
            steps: 1,
            kind: report.kind,
            pc: report.pc,
            next: report.next,
            length: report.length,
            code: report.code,
            came: report.came.clone(),
            registers: Vec::new(),
            memory: Vec::new(),
            devices: Vec::new(),
            flags: report.flags,
            output: Vec::new(),
            printed: report.printed,
            consumed: report.consumed,
            file: report.file.clone(),
            files: Vec::new(),
            tone: report.tone,
            expired: report.expired,
            cycles: report.cycles,
            failed: report.failed,
            returned: report.returned,
        };
        let bytes = |value: u32, length: u32| value.to_le_bytes()[..length.min(word_bytes) as usize].to_vec();
        for write in written(report) {
            match write {
                Write::Register { register, old, new, was_known } => {
                    effects.registers.push(RegisterChange { register, old, new, was_known });
                }
                Write::Memory { address, length, old, new, was_known } => effects.memory.push(MemoryChange {
                    address,
                    old: bytes(old, length),
                    new: bytes(new, length),
                    was_known,
                }),
                Write::Buffer { address, was_known, .. } => {
                    let (old, new) = report.buffer();
                    effects.memory.push(MemoryChange { address, old: old.to_vec(), new: new.to_vec(), was_known });
                }
                Write::Device { address, old, new } => effects.devices.push(DeviceChange { address, old, new }),
            }
        }
        effects
    }

    /// What differs between a snapshot and now. When it is of another run, what grows on the way may have been more there: that
    /// counts as nothing.
    pub(crate) fn since(machine: &Machine, start: &Snapshot, pc: Addr, output: &[u8]) -> Self {
        let (old_flags, old_cycles) = Machine::flags_and_cycles_in(start);
        let registers = (0..)
            .map(Reg)
            .zip(Machine::registers_in(start))
            .map(|(register, (old, was_known))| RegisterChange {
                register,
                old,
                new: machine.register(register),
                was_known,
            })
            .filter(|change| change.old != change.new || change.was_known != machine.register_known(change.register));
        let memory = machine
            .memory_since(start)
            .into_iter()
            .map(|Difference { address, old, new, was_known }| MemoryChange { address, old, new, was_known });
        let devices = machine.devices_since(start).into_iter();
        Self {
            step: start.step(),
            steps: machine.steps().0.saturating_sub(start.step().0),
            kind: StepKind::Instruction,
            pc,
            next: machine.pc(),
            length: 0,
            code: [0; 2],
            came: Vec::new(),
            registers: registers.collect(),
            memory: memory.collect(),
            devices: devices.map(|(address, old, new)| DeviceChange { address, old, new }).collect(),
            flags: FlagsChange { old: old_flags, new: machine.flags(), touched: old_flags ^ machine.flags() },
            output: end_of(output),
            printed: machine.printed().saturating_sub(start.printed()),
            consumed: machine.read().saturating_sub(Machine::read_in(start)),
            file: None,
            files: file_changes(Machine::files_in(start), machine.files()),
            tone: None,
            expired: false,
            cycles: machine.cycles().saturating_sub(old_cycles),
            failed: false,
            returned: false,
        }
    }
}

/// Keeps the effects of the one step it sees.
#[derive(Default)]
struct Once {
    effects: Option<Effects>,
    word_bytes: u32,
}

impl Observer for Once {
    const WRITES: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        self.effects = Some(Effects::of(report, self.word_bytes));
        ControlFlow::Continue(())
    }
}

/// Takes one step and tells what it did, if it happened; the output stays with the machine.
pub(crate) fn observe(machine: &mut Machine) -> (Stop, Option<Effects>) {
    let printed = machine.printed();
    let mut once = Once { effects: None, word_bytes: machine.target().word_bytes() };
    let stop = machine.run_observed(Run::until(machine.steps() + 1), &mut once);
    let effects = once.effects.map(|mut effects| {
        effects.output = end_of(machine.output_since(printed));
        effects
    });
    (stop, effects)
}

/// Keeps the effects of the last step of a run that fits.
pub(crate) struct Last<F> {
    pub(crate) fits: F,
    pub(crate) found: Option<Effects>,
    pub(crate) word_bytes: u32,
}

impl<F: FnMut(&Report) -> bool> Observer for Last<F> {
    const WRITES: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        if (self.fits)(report) {
            self.found = Some(Effects::of(report, self.word_bytes));
        }
        ControlFlow::Continue(())
    }
}

/// Takes down what each step did.
#[derive(Default)]
struct Did(Vec<Effects>);

impl Question for Did {
    fn run(&mut self, machine: &mut Machine, _: Run) -> Stop {
        let (stop, effects) = observe(machine);
        self.0.extend(effects);
        stop
    }
}

/// What the steps of a branch between two moments did.
pub(crate) fn steps_between(past: Past<'_>, from: StepNo, until: StepNo) -> Vec<Effects> {
    steps_of(&mut Rerun::at(past, from), past, until)
}

/// What the steps do that a rerun takes up to a moment.
pub(crate) fn steps_of(rerun: &mut Rerun, past: Past<'_>, until: StepNo) -> Vec<Effects> {
    let mut did = Did::default();
    rerun.go_through(past, until, &mut did);
    did.0
}
