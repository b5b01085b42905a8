//! The machine as everyone else sees it: one of those there are.
//!
//! What is asked is handed on once; loops over steps are each machine's own. What an answer means is the same for all.

use crate::activity::Moment;
use crate::board::{Board, Interrupt};
use crate::common::Common;
use crate::counts::Counts;
use crate::events::{Event, Run, Settings, Stop, Tone};
use crate::files::Files;
use crate::frames::Frame;
use crate::instructions::{Access, Computation, Field, InsnInfo, Uses, Way};
use crate::lookout::Lookout;
use crate::memory::{CellState, Difference, Region};
use crate::report::{Came, Observer, Report};
use crate::{rv32, w16};
use std::sync::Arc;
use wendax_image::Image;
use wendax_isa::{Addr, Reg, RegisterUse, StepNo, Target};

/// Who wrote something last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Writer {
    /// The instruction at this address.
    Instruction(Addr),
    /// The entry of this trap or interrupt.
    Entry(u32),
    /// A person, by hand.
    Person,
}

/// What a word of the stack was last written by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Note {
    /// Neither of these.
    Other,
    /// This register was put there.
    Register(Reg),
    /// The flags were.
    Flags,
    /// A return address was.
    Return,
}

/// A machine that runs, or could.
#[derive(Debug, Clone)]
pub struct Machine(Core);

#[derive(Debug, Clone)]
enum Core {
    W16(Box<w16::Machine>),
    Rv32(Box<rv32::Machine>),
}

/// A machine's state at a step.
#[derive(Debug, Clone)]
pub struct Snapshot(Kept);

#[derive(Debug, Clone)]
enum Kept {
    W16(Box<w16::Snapshot>),
    Rv32(Box<rv32::Snapshot>),
}

/// What is known of what a run costs so far; [`Self::counts`] sums it up.
#[derive(Debug, Clone)]
pub struct Counting(Counter);

#[derive(Debug, Clone)]
enum Counter {
    W16(Box<w16::Counting>),
    Rv32(Box<rv32::Counting>),
}

macro_rules! of {
    ($core:expr, $machine:ident => $what:expr) => {
        match $core {
            Core::W16($machine) => $what,
            Core::Rv32($machine) => $what,
        }
    };
}

/// Two that belong together are of one machine: they come from it, or from one it was cloned from. Of others nothing is
/// the same.
macro_rules! of_both {
    ($core:expr, $kept:expr, $kind:ident, ($machine:ident, $other:ident) => $what:expr, $otherwise:expr) => {
        match ($core, $kept) {
            (Core::W16($machine), $kind::W16($other)) => $what,
            (Core::Rv32($machine), $kind::Rv32($other)) => $what,
            _ => $otherwise,
        }
    };
}

impl Snapshot {
    fn common(&self) -> &Common {
        match &self.0 {
            Kept::W16(kept) => kept.common(),
            Kept::Rv32(kept) => kept.common(),
        }
    }

    /// The step it was taken at.
    pub fn step(&self) -> StepNo {
        StepNo(self.common().steps)
    }

    /// How many bytes had been printed.
    pub fn printed(&self) -> u64 {
        self.common().console.printed
    }

    /// Bytes of memory it takes beside what it shares with another one.
    pub fn bytes_beside(&self, other: &Self) -> usize {
        match (&self.0, &other.0) {
            (Kept::W16(kept), Kept::W16(other)) => kept.bytes_beside(other),
            (Kept::Rv32(kept), Kept::Rv32(other)) => kept.bytes_beside(other),
            _ => 0,
        }
    }

    /// Between this snapshot and a later one of the same run nothing was written to the page that holds an address.
    pub fn shares_page(&self, later: &Self, address: Addr) -> bool {
        match (&self.0, &later.0) {
            (Kept::W16(kept), Kept::W16(later)) => kept.shares_page(later, address),
            (Kept::Rv32(kept), Kept::Rv32(later)) => kept.shares_page(later, address),
            _ => false,
        }
    }
}

impl Counting {
    /// Begins where a machine is.
    pub fn new(machine: &mut Machine) -> Self {
        Self(match &mut machine.0 {
            Core::W16(machine) => Counter::W16(Box::new(w16::Counting::new(machine))),
            Core::Rv32(machine) => Counter::Rv32(Box::new(rv32::Counting::new(machine))),
        })
    }

    /// The moment counting has come to.
    pub fn now(&self) -> StepNo {
        match &self.0 {
            Counter::W16(counting) => counting.now(),
            Counter::Rv32(counting) => counting.now(),
        }
    }

    /// All that was counted up to now; routines that have not ended count up to here.
    pub fn counts(&self) -> Counts {
        match &self.0 {
            Counter::W16(counting) => counting.counts(),
            Counter::Rv32(counting) => counting.counts(),
        }
    }
}

/// What is only asked.
macro_rules! asked {
    ($($(#[$doc:meta])* $name:ident($($argument:ident: $kind:ty),*) -> $result:ty;)*) => {
        impl Machine {$(
            $(#[$doc])*
            pub fn $name(&self, $($argument: $kind),*) -> $result {
                of!(&self.0, machine => machine.$name($($argument),*))
            }
        )*}
    };
}

/// What may change the machine.
macro_rules! done {
    ($($(#[$doc:meta])* $name:ident($($argument:ident: $kind:ty),*) $(-> $result:ty)?;)*) => {
        impl Machine {$(
            $(#[$doc])*
            pub fn $name(&mut self, $($argument: $kind),*) $(-> $result)? {
                of!(&mut self.0, machine => machine.$name($($argument),*))
            }
        )*}
    };
}

/// What is asked of the part that all machines have in common.
macro_rules! shared {
    ($($(#[$doc:meta])* $name:ident($($argument:ident: $kind:ty),*) -> $result:ty = |$common:ident, $around:ident| $what:expr;)*) => {
        impl Machine {$(
            $(#[$doc])*
            pub fn $name(&self, $($argument: $kind),*) -> $result {
                let ($common, $around) = of!(&self.0, machine => machine.parts());
                let _ = ($common, $around);
                $what
            }
        )*}
    };
}

/// What changes that part.
macro_rules! shared_and_done {
    ($($(#[$doc:meta])* $name:ident($($argument:ident: $kind:ty),*) $(-> $result:ty)? = |$common:ident, $around:ident| $what:expr;)*) => {
        impl Machine {$(
            $(#[$doc])*
            pub fn $name(&mut self, $($argument: $kind),*) $(-> $result)? {
                let ($common, $around) = of!(&mut self.0, machine => machine.parts_mut());
                let _ = &$common;
                $what
            }
        )*}
    };
}

shared! {
    /// A mark for [`Self::effort_since`], of no meaning by itself.
    effort() -> u64 = |common, around| around.effort(common);
    /// What was done since a mark was taken, in steps that were really run and work worth as much; the machine has only run
    /// on since.
    effort_since(mark: u64) -> u64 = |common, around| around.effort(common).wrapping_sub(mark);
    /// Steps that were passed over since the machine was made: rounds of a wait that do the same again and again. They
    /// count as steps taken, with their cycles, and cost nothing.
    passed_over() -> u64 = |common, around| around.passed;
    /// Steps taken: instructions and trap entries.
    steps() -> StepNo = |common, around| StepNo(common.steps);
    /// Cycles taken.
    cycles() -> u64 = |common, around| common.cycles;
    /// Routines entered and not left, the outermost first.
    frames() -> &[Frame] = |common, around| common.frames.list();
    /// Timer, lamps, levers, digits.
    board() -> &Board = |common, around| &common.board;
    /// Bytes printed since the start.
    printed() -> u64 = |common, around| common.console.printed;
    /// Typed bytes the program has not read.
    pending_input() -> usize = |common, around| common.console.waiting();
    /// The status it ended with, if it did.
    finished() -> Option<u32> = |common, around| common.finished;
    /// What the program was given from the start.
    settings() -> &Settings = |common, around| &around.settings;
    /// The program's files.
    files() -> &Files = |common, around| &common.files;
    /// How often what is to be kept of files changed on the way to this state.
    file_changes() -> u64 = |common, around| common.files.changes;
    /// The milliseconds on the clock made of cycles.
    own_milliseconds() -> u64 = |common, around| common.milliseconds();
    /// The output not yet taken, from this position since the start on.
    output_since(position: u64) -> &[u8] = |common, around| around.output_since(common.console.printed, position);
    /// Bytes of input typed since the start, read or not.
    typed() -> u64 = |common, around| common.console.typed;
    /// No more input will be typed.
    input_ended() -> bool = |common, around| common.console.ended;
    /// Bytes of typed input read since the start.
    read() -> u64 = |common, around| common.console.read;
    /// Work done in the last run, beside plain steps; see [`Run::effort`].
    worked() -> u64 = |common, around| around.worked;
    /// Bytes of typed input that are kept.
    kept_input() -> usize = |common, around| around.tape.len();
    /// What came from outside at this moment and changed what a device register shows.
    came() -> &[Came] = |common, around| &around.came;
    /// What the last step of a run with an observer did.
    last_report() -> &Report = |common, around| &around.report;
    /// How often the timer has expired since that was acknowledged last.
    times_asked() -> u64 = |common, around| common.board.timer.pending(common.cycles).0;
    /// The levers that were moved last were among those that ask for an interrupt.
    moved_a_masked_lever() -> bool = |common, around| common.board.moved_masked;
}

shared_and_done! {
    /// Who runs it did work of their own on the way, worth as much as so many steps: it counts like the machine's, so that a
    /// slice ends on time whatever is asked of each step.
    note_work(steps: u64) = |common, around| around.worked += steps;
    /// Takes back what was fed at this very step and has not been looked at: typed bytes, that there are no more, an
    /// answer.
    unfeed(typed: u64, ended: bool) = |common, around| {
        common.console.unfeed(typed, ended);
        (common.answer, common.found) = (None, None);
        around.came.retain(|came| came.is_before);
        around.forget_repeats(common.steps);
    };
    /// The tones since this was last called.
    take_tones() -> Vec<Tone> = |common, around| std::mem::take(&mut around.tones);
    /// The output since this was last called.
    take_output() -> Vec<u8> = |common, around| std::mem::take(&mut around.output);
    /// Keeps what happens from now on, until [`Self::take_moments`].
    keep_moments() = |common, around| around.activity.keep_moments();
    /// What happened in the run since [`Self::keep_moments`].
    take_moments() -> Vec<Moment> = |common, around| around.activity.take_moments();
    /// The most frames there were since this was last called.
    take_deepest() -> u32 = |common, around| {
        let now = u32::try_from(common.frames.depth()).unwrap_or(u32::MAX);
        std::mem::replace(&mut around.calls.deepest, now)
    };
    /// From now on notes the last step that entered a routine from at most `depth` frames; `None` stops
    /// noting. Returns what was noted under the former setting.
    note_calls_from(depth: Option<u32>) -> Option<StepNo> = |common, around| {
        around.calls.shallow = depth;
        around.calls.last_shallow.take()
    };
}

asked! {
    /// What kind of machine it is.
    target() -> &'static Target;
    /// Address of the next instruction.
    pc() -> Addr;
    /// A register, by its index; 0 for one that does not exist.
    register(register: Reg) -> u32;
    /// Where the stack pointer leads.
    stack_pointer() -> Addr;
    /// A register was ever written.
    register_known(register: Reg) -> bool;
    /// The flags word; 0 where there are none.
    flags() -> u32;
    /// Who last set a flag, by its bit; `None` when nobody did.
    flag_writer(bit: u32) -> Option<Writer>;
    /// What the passing of time alone will interrupt by, of what is enabled, each with the cycles until it asks.
    time_brings() -> [(&'static str, Option<u64>); 2];
    /// A control and status register by its number; `None` where there is none.
    control(number: u16) -> Option<u32>;
    /// A byte of memory as it lies there; looking has no effect on devices.
    byte(address: Addr) -> u8;
    /// A word of memory, low byte first.
    word(address: Addr) -> u32;
    /// Whether a cell has a value.
    cell(address: Addr) -> CellState;
    /// Cells from an address up to another one as stretches in one state, each from its first address to behind its last.
    states(from: Addr, to: Addr) -> Vec<(Addr, Addr, CellState)>;
    /// What a word of the stack was last written by.
    note(address: Addr) -> Note;
    /// The regions of memory in order of address, the heap as far as it has grown.
    regions() -> Vec<Region>;
    /// What the instructions use that ran since [`Self::forget_code`]: all of that, and perhaps more; apart from what
    /// traps and interrupts do.
    uses_so_far() -> RegisterUse;
    /// The path of the file that the next instruction wants to open, when that is not known yet.
    wanted_file() -> Option<Arc<str>>;
    /// The next step is the entry of an interrupt.
    interrupt_comes() -> bool;
    /// The instruction that arrives at this moment: it is next, and no interrupt comes before it. None when the program
    /// has ended. What came from outside at this moment has to be fed before.
    arrives() -> Option<Addr>;
    /// Interrupts are taken, of those that ask and have a handler.
    interrupts_allowed() -> bool;
    /// The interrupts, the most urgent first.
    interrupts() -> Vec<Interrupt>;
    /// The cycle at which an interrupt was asked for that still asks, when its device knows that: the timer does.
    asked_at(number: u32) -> Option<u64>;
    /// The code between two addresses names device registers.
    names_devices(from: Addr, to: Addr) -> bool;
    /// What the code from an address up to another uses registers for.
    register_uses(from: Addr, to: Addr, is_label: &dyn Fn(Addr) -> bool) -> Uses;
    /// The code words at an address, as many as an instruction has at most.
    code_at(address: Addr) -> [u32; 2];
    /// The instruction at an address, whether or not it may be run; `None` when there is none.
    instruction_at(address: Addr) -> Option<InsnInfo>;
    /// The instruction that code words are which stand, or stood, at an address; `None` when they are none.
    instruction_of(address: Addr, code: [u32; 2]) -> Option<InsnInfo>;
    /// An instruction in the language, places by the names that `name` has for them. Constants that happen to equal an
    /// address keep their number where they are reckoned with.
    text_of(insn: &InsnInfo, name: &dyn Fn(Addr) -> Option<String>) -> String;
    /// What stands at an address may be run.
    may_execute(address: Addr) -> bool;
    /// What the instruction at an address would touch in memory with the registers as they are, apart from what a system
    /// call or a trap does.
    access_at(address: Addr) -> Option<Access>;
    /// The bytes of the instruction at an address, and where it leads; `None` when there is none.
    way_at(address: Addr) -> Option<(u32, Way)>;
    /// What the instruction at an address computes with the registers as they are, and of what; `None` where that is no sum,
    /// difference or shift without a carry coming in.
    computation_at(address: Addr) -> Option<(Computation, u32, u32)>;
    /// The code words of the instruction at an address, field by field.
    fields_at(address: Addr) -> Option<Vec<Field>>;
}

done! {
    /// Runs stop before instructions at these addresses, and no others.
    set_breakpoints(addresses: &[Addr]);
    /// Runs without an observer stop before what this says, and nothing else of the kind.
    set_lookout(lookout: &Lookout);
    /// Has all instructions decoded anew, so that [`Self::uses_so_far`] tells of those that run from now on.
    forget_code();
    /// Takes in an event.
    feed(event: &Event);
    /// Runs until something stops it. A breakpoint at the very first instruction does not, one at the
    /// step it runs to does.
    run(how: Run) -> Stop;
    /// The same past all that is looked out for; breakpoints stop it.
    run_past(how: Run) -> Stop;
    /// Takes one step of a run that is under way, with everything reported; see [`Self::last_report`].
    step_on(how: Run) -> Stop;
}

impl Machine {
    /// The number that so many bytes make, 1 to 4, the low one first. Byte by byte: a device register has none, and is read
    /// as a word.
    pub fn number(&self, address: Addr, bytes: u32) -> u32 {
        (0..bytes).rev().fold(0, |number, offset| number << 8 | u32::from(self.byte(address + offset)))
    }

    /// A machine with an image loaded, before its first step.
    pub fn new(image: &Image, settings: Settings) -> Self {
        Self(if *image.target == wendax_isa::rv32::TARGET {
            Core::Rv32(Box::new(rv32::Machine::new(image, settings)))
        } else {
            Core::W16(Box::new(w16::Machine::new(image, settings)))
        })
    }

    /// The same run with an observer that sees each step taken.
    pub fn run_observed<O: Observer>(&mut self, how: Run, observer: &mut O) -> Stop {
        of!(&mut self.0, machine => machine.run_observed(how, observer))
    }

    /// Takes one step, even from a breakpoint.
    pub fn step(&mut self) -> Stop {
        self.run(Run::until(self.steps() + 1))
    }

    /// Runs like [`Self::run_past`], with all that happens counted. The machine is the one the counting began with, or a
    /// copy of it, and nothing else ran it in between; what was changed by hand meanwhile is seen.
    pub fn run_counted(&mut self, how: Run, counting: &mut Counting) -> Stop {
        let kind = &mut counting.0;
        of_both!(&mut self.0, kind, Counter, (machine, counting) => machine.run_counted(how, counting), self.run_past(how))
    }

    /// The state now.
    pub fn snapshot(&mut self) -> Snapshot {
        Snapshot(match &mut self.0 {
            Core::W16(machine) => Kept::W16(Box::new(machine.snapshot())),
            Core::Rv32(machine) => Kept::Rv32(Box::new(machine.snapshot())),
        })
    }

    /// Puts a state back; it must come from this machine or one it was cloned from. Output not taken
    /// yet is dropped.
    pub fn restore(&mut self, snapshot: &Snapshot) {
        of_both!(&mut self.0, &snapshot.0, Kept, (machine, kept) => machine.restore(kept), ());
    }

    /// Forgets typed input that was read before a snapshot was taken: there will be no way back before it.
    pub fn forget_input_before(&mut self, snapshot: &Snapshot) {
        let (_, around) = of!(&mut self.0, machine => machine.parts_mut());
        around.tape.forget_before(snapshot.common().console.read);
    }

    /// Everything that matters for what happens next is the same in both.
    pub fn same_state(&self, other: &Self) -> bool {
        of_both!(&self.0, &other.0, Core, (machine, other) => machine.same_state(other), false)
    }

    /// The bytes of all memory are the same in both, those of devices left out.
    pub fn same_memory(&self, other: &Self) -> bool {
        of_both!(&self.0, &other.0, Core, (machine, other) => machine.same_memory(other), false)
    }

    /// Where memory differs from what it was in a snapshot, in order of address.
    pub fn memory_since(&self, snapshot: &Snapshot) -> Vec<Difference> {
        of_both!(&self.0, &snapshot.0, Kept, (machine, kept) => machine.memory_since(kept), Vec::new())
    }

    /// The device registers that read otherwise than in a snapshot: address, value then, value now. Those that count
    /// cycles are left out.
    pub fn devices_since(&self, snapshot: &Snapshot) -> Vec<(Addr, u32, u32)> {
        of_both!(&self.0, &snapshot.0, Kept, (machine, kept) => machine.devices_since(kept), Vec::new())
    }

    /// The program's files as they were in a snapshot.
    pub fn files_in(snapshot: &Snapshot) -> &Files {
        &snapshot.common().files
    }

    /// Which registers had been written by a snapshot, and their values then.
    pub fn registers_in(snapshot: &Snapshot) -> Vec<(u32, bool)> {
        match &snapshot.0 {
            Kept::W16(kept) => w16::Machine::registers_in(kept),
            Kept::Rv32(kept) => rv32::Machine::registers_in(kept),
        }
    }

    /// The flags word in a snapshot, and its cycles.
    pub fn flags_and_cycles_in(snapshot: &Snapshot) -> (u32, u64) {
        match &snapshot.0 {
            Kept::W16(kept) => w16::Machine::flags_and_cycles_in(kept),
            Kept::Rv32(kept) => rv32::Machine::flags_and_cycles_in(kept),
        }
    }

    /// How many bytes of input a snapshot had read.
    pub fn read_in(snapshot: &Snapshot) -> u64 {
        snapshot.common().console.read
    }
}
