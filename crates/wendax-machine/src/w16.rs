//! The W16 machine.
//!
//! `engine` runs from one stop to the next; `plain` takes one instruction after another and tells what goes along, a `trace`;
//! `swift` carries out several in one go, which `grouping` puts together; `alu` is what they compute. `slots` holds instructions decoded,
//! `bus` is the long way to memory and devices, `calls` serves system calls, `devices` maps registers onto the board, `traps` enters handlers. The registers live in an array of
//! sixteen, of which the last two do not exist and always read 0: so "no base" and "constant only" need no case of their
//! own.

mod access;
mod alu;
mod anatomy;
mod bus;
mod calls;
mod counting;
mod devices;
mod engine;
mod grouping;
mod hook;
mod interest;
mod plain;
mod prints;
mod rounds;
mod slots;
mod swift;
mod trace;
mod traps;

pub(crate) use counting::Counting;

use crate::common::{Around, Common};
use crate::events::{Event, Settings};
use crate::frames::Frame;
use crate::memory::{
    self, CellState, DEVICE, Difference, KNOWN, Memory, PAGE, Pages, READ, Region, RegionKind, SPECIAL, WRITE,
};
use crate::report::Came;
use crate::{Note, Writer};
use bus::Bus;
use slots::Slots;
use std::sync::Arc;
use wendax_image::Image;
use wendax_isa::w16::{DEVICE_START, FLAG_BITS, SP, STACK_END, STACK_START, TARGET, VECTORS_END};
use wendax_isa::{Addr, Reg, StepNo, Target, w16};

// Who wrote a flag, in one word. Instructions lie at even addresses, so odd values have other meanings.

/// No instruction has done this yet.
const NOBODY: u16 = 1;
/// A person did.
const PERSON: u16 = 3;
/// The entry of trap or interrupt n is this plus 2n.
const ENTRY: u16 = 0x101;

/// Registers and flags.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Cpu {
    registers: [u16; 16],
    pc: u16,
    flags: u16,
    /// Bit n: register n was ever written.
    known: u16,
    /// Who last wrote C, then Z N V, then I: the address of an instruction, [`NOBODY`], [`PERSON`] or an [`ENTRY`].
    flag_writers: [u16; 3],
}

const NOTE_FLAGS: u8 = 0x20;
const NOTE_RETURN: u8 = 0x21;

/// All of a machine's state but memory and decodings.
#[derive(Debug, Clone, PartialEq, Eq)]
struct State {
    cpu: Cpu,
    common: Common,
    heap_end: u16,
    by_hand: FlagsByHand,
}

/// Flags that were set by hand since an instruction wrote those of their kind.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct FlagsByHand {
    flags: u16,
    /// Who wrote those of each kind before, as in [`Cpu::flag_writers`].
    before: [u16; 3],
}

/// The flags of each kind, in the order of [`Cpu::flag_writers`].
const FLAG_KINDS: [u16; 3] = [w16::C, w16::Z | w16::N | w16::V, w16::I];

impl State {
    /// It is another one, but for the counters of steps and cycles.
    fn is_but_for_time(&self, other: &Self) -> bool {
        let mut same = other.clone();
        (same.common.steps, same.common.cycles) = (self.common.steps, self.common.cycles);
        *self == same
    }
}

/// A machine that runs, or could.
#[derive(Debug, Clone)]
pub(crate) struct Machine {
    state: State,
    memory: Memory,
    slots: Slots,
    /// Bytes of decoded code written since slots were last put in order; empty between runs.
    rewritten: Vec<u16>,
    entry: u16,
    heap_start: u16,
    regions: Arc<[Region]>,
    rounds: rounds::Rounds,
    around: Around,
}

/// A machine's state at a step.
#[derive(Debug, Clone)]
pub(crate) struct Snapshot {
    state: State,
    pages: Pages,
}

impl Snapshot {
    pub(crate) fn common(&self) -> &Common {
        &self.state.common
    }

    /// Bytes of memory it takes beside what it shares with another one.
    pub(crate) fn bytes_beside(&self, other: &Self) -> usize {
        let files = if Arc::ptr_eq(&self.state.common.files, &other.state.common.files) {
            0
        } else {
            self.state.common.files.size()
        };
        size_of::<Self>() + size_of_val(self.state.common.frames.list()) + self.pages.bytes_beside(&other.pages) + files
    }

    /// Between this snapshot and a later one of the same run nothing was written to the page that holds an address.
    pub(crate) fn shares_page(&self, later: &Self, address: Addr) -> bool {
        self.pages.share(&later.pages, narrow(address))
    }
}

impl Machine {
    /// A machine with an image loaded, before its first step.
    pub(crate) fn new(image: &Image, settings: Settings) -> Self {
        let mut memory = Memory::new();
        let kinds = map(&mut memory, image);
        let heap_start = u16::try_from(image.heap_start.0).unwrap_or(u16::MAX);
        let mut registers = [0; 16];
        registers[usize::from(SP)] = STACK_END;
        Self {
            state: State {
                cpu: Cpu { registers, pc: narrow(image.entry), flags: 0, known: 1 << SP, flag_writers: [NOBODY; 3] },
                common: Common::new(settings.seed),
                heap_end: heap_start,
                by_hand: FlagsByHand { flags: 0, before: [NOBODY; 3] },
            },
            memory,
            slots: Slots::new(),
            rewritten: Vec::new(),
            rounds: rounds::Rounds::new(settings.watchful),
            entry: narrow(image.entry),
            heap_start,
            regions: kinds.into(),
            around: Around::new(settings),
        }
    }

    // ---- what all machines have in common

    pub(crate) fn parts(&self) -> (&Common, &Around) {
        (&self.state.common, &self.around)
    }

    pub(crate) fn parts_mut(&mut self) -> (&mut Common, &mut Around) {
        (&mut self.state.common, &mut self.around)
    }

    /// What kind of machine it is.
    pub(crate) fn target(&self) -> &'static Target {
        &TARGET
    }

    // ---- looking

    /// Steps taken: instructions and trap entries.
    pub(crate) fn steps(&self) -> StepNo {
        StepNo(self.state.common.steps)
    }

    /// Address of the next instruction.
    pub(crate) fn pc(&self) -> Addr {
        self.state.cpu.pc.into()
    }

    /// A register, by its index; 0 for one that does not exist.
    pub(crate) fn register(&self, register: Reg) -> u32 {
        self.state.cpu.registers.get(register.index()).copied().unwrap_or(0).into()
    }

    /// Where the stack pointer leads.
    pub(crate) fn stack_pointer(&self) -> Addr {
        self.state.cpu.registers[usize::from(SP)].into()
    }

    /// A register was ever written.
    pub(crate) fn register_known(&self, register: Reg) -> bool {
        register.0 < 16 && self.state.cpu.known >> register.0 & 1 != 0
    }

    /// The flags word.
    pub(crate) fn flags(&self) -> u32 {
        self.state.cpu.flags.into()
    }

    pub(crate) fn time_brings(&self) -> [(&'static str, Option<u64>); 2] {
        let common = &self.state.common;
        [("timer", common.board.timer_asks_in(common.cycles)), ("clock", None)]
    }

    /// There are no control and status registers.
    pub(crate) fn control(&self, _number: u16) -> Option<u32> {
        None
    }

    /// Who last set a flag, by its bit; `None` when nobody did.
    pub(crate) fn flag_writer(&self, bit: u32) -> Option<Writer> {
        let kind = FLAG_KINDS.iter().position(|kind| u32::from(*kind) & bit != 0).unwrap_or(1);
        let FlagsByHand { flags, before } = self.state.by_hand;
        let writer = match self.state.cpu.flag_writers[kind] {
            // Of several flags of a kind a person may have set one.
            PERSON if u32::from(flags) & bit == 0 => before[kind],
            writer => writer,
        };
        match writer {
            NOBODY => None,
            PERSON => Some(Writer::Person),
            entry if entry & 1 != 0 => Some(Writer::Entry(u32::from(entry - ENTRY) / 2)),
            address => Some(Writer::Instruction(address.into())),
        }
    }

    /// A byte of memory as it lies there; looking has no effect on devices.
    pub(crate) fn byte(&self, address: Addr) -> u8 {
        let address = narrow(address);
        if self.memory.cell(address) == CellState::Device {
            let value = self.device_value(address & !1).to_le_bytes();
            return value[usize::from(address & 1)];
        }
        self.memory.range(address, 1).first().copied().unwrap_or(0)
    }

    /// A word of memory, low byte first.
    pub(crate) fn word(&self, address: Addr) -> u32 {
        u16::from_le_bytes([self.byte(address), self.byte(address + 1)]).into()
    }

    /// Whether a cell has a value.
    pub(crate) fn cell(&self, address: Addr) -> CellState {
        self.memory.cell(narrow(address))
    }

    /// Stretches of cells in one state.
    pub(crate) fn states(&self, from: Addr, to: Addr) -> Vec<(Addr, Addr, CellState)> {
        let mut states = Vec::new();
        for at in from.up_to(to) {
            memory::put_state(&mut states, at, at + 1, self.cell(at));
        }
        states
    }

    /// What a word of the stack was last written by.
    pub(crate) fn note(&self, address: Addr) -> Note {
        match self.memory.note(narrow(address)) {
            0 => Note::Other,
            NOTE_FLAGS => Note::Flags,
            NOTE_RETURN => Note::Return,
            code => Note::Register(Reg(code - 1)),
        }
    }

    /// Routines entered and not left, the outermost first.
    pub(crate) fn frames(&self) -> &[Frame] {
        self.state.common.frames.list()
    }

    /// The regions of memory in order of address, the heap as far as it has grown.
    pub(crate) fn regions(&self) -> Vec<Region> {
        let mut regions = self.regions.to_vec();
        if self.state.heap_end > self.heap_start {
            let heap = Region::between(self.heap_start.into(), self.state.heap_end.into(), RegionKind::Heap);
            regions.push(heap);
            regions.sort_by_key(|region| region.start);
        }
        regions
    }

    /// The milliseconds on the clock made of cycles.
    pub(crate) fn own_milliseconds(&self) -> u64 {
        self.state.common.cycles / crate::CYCLES_A_MILLISECOND + self.state.common.waited
    }

    /// Everything that matters for what happens next is the same in both.
    pub(crate) fn same_state(&self, other: &Self) -> bool {
        self.state == other.state
            && self.memory.same(&other.memory)
            && self.around.tape.waiting(&self.state.common.console)
                == other.around.tape.waiting(&other.state.common.console)
    }

    /// The bytes of all memory are the same in both, those of devices left out.
    pub(crate) fn same_memory(&self, other: &Self) -> bool {
        let plain = usize::from(DEVICE_START);
        self.memory.range(0, plain) == other.memory.range(0, plain)
    }

    /// Where memory differs from what it was in a snapshot, in order of address.
    pub(crate) fn memory_since(&self, snapshot: &Snapshot) -> Vec<Difference> {
        self.memory.differences(&snapshot.pages)
    }

    /// Which registers had been written by a snapshot, and their values then.
    pub(crate) fn registers_in(snapshot: &Snapshot) -> Vec<(u32, bool)> {
        let cpu = &snapshot.state.cpu;
        let count = TARGET.registers.len();
        (0..count).map(|index| (cpu.registers[index].into(), cpu.known >> index & 1 != 0)).collect()
    }

    /// The flags word in a snapshot, and its cycles.
    pub(crate) fn flags_and_cycles_in(snapshot: &Snapshot) -> (u32, u64) {
        (snapshot.state.cpu.flags.into(), snapshot.state.common.cycles)
    }

    /// The device registers that read otherwise than in a snapshot: address, value then, value now. Those that count
    /// cycles are left out.
    pub(crate) fn devices_since(&self, snapshot: &Snapshot) -> Vec<(Addr, u32, u32)> {
        let counts = [w16::address::CYCLES_LOW, w16::address::CYCLES_HIGH, w16::address::TIMER_COUNT].map(Addr::from);
        TARGET
            .devices
            .iter()
            .filter(|register| !counts.contains(&register.address))
            .map(|register| {
                let at = narrow(register.address);
                let old = devices::value_in(&snapshot.state, &self.around.tape, at);
                (register.address, old.into(), self.device_value(at).into())
            })
            .filter(|(_, old, new)| old != new)
            .collect()
    }

    // ---- breakpoints

    /// Runs stop before instructions at these addresses, and no others.
    pub(crate) fn set_breakpoints(&mut self, addresses: &[Addr]) {
        let even = addresses.iter().filter(|address| address.is_multiple_of(2));
        let addresses: Vec<u16> = even.map(|&address| narrow(address)).collect();
        self.slots.set_breakpoints(&addresses);
    }

    /// Runs without an observer stop before what this says, and nothing else of the kind.
    pub(crate) fn set_lookout(&mut self, lookout: &crate::Lookout) {
        self.slots.set_interest(interest::Interest::of(lookout));
        self.memory.watch(lookout.cells.iter().map(|(from, to)| (from.index(), to.index())).collect());
        self.around.looks_at_rare = lookout.rare;
    }

    // ---- history

    /// What the instructions use that ran since [`Self::forget_code`]: all of that, and perhaps more; apart from what
    /// traps and interrupts do.
    pub(crate) fn uses_so_far(&self) -> wendax_isa::RegisterUse {
        self.slots.used()
    }

    /// Has all instructions decoded anew, so that [`Self::uses_so_far`] tells of those that run from now on.
    pub(crate) fn forget_code(&mut self) {
        self.slots.clear();
    }

    /// The state now.
    pub(crate) fn snapshot(&mut self) -> Snapshot {
        Snapshot { state: self.state.clone(), pages: self.memory.snapshot() }
    }

    /// Puts a state back; it must come from this machine or one it was cloned from. Output not taken
    /// yet is dropped.
    pub(crate) fn restore(&mut self, snapshot: &Snapshot) {
        self.state.clone_from(&snapshot.state);
        let slots = &mut self.slots;
        self.memory.restore(&snapshot.pages, |page| slots.forget_page(page));
        self.slots.groups.known(self.state.cpu.known.into());
        self.around.put_back(self.state.common.steps);
    }

    // ---- the door

    /// Takes in an event.
    pub(crate) fn feed(&mut self, event: &Event) {
        let seen = match event {
            Event::Typed(_) | Event::InputEnds => &[w16::address::CONSOLE_STATE, w16::address::CONSOLE_DATA][..],
            Event::Levers(_) => &[w16::address::LEVERS],
            _ => &[],
        };
        let before: [u16; 2] = std::array::from_fn(|at| seen.get(at).map_or(0, |&at| self.device_value(at)));
        self.take_in(event);
        for (&address, old) in seen.iter().zip(before) {
            let new = self.device_value(address);
            if old != new {
                let is_before = event.is_edit();
                self.around.came.push(Came { address: address.into(), old: old.into(), new: new.into(), is_before });
            }
        }
    }

    fn take_in(&mut self, event: &Event) {
        if self.around.take_in(&mut self.state.common, event) {
            return;
        }
        match event {
            Event::SetRegister(register, value) if register.0 <= SP => {
                self.state.cpu.registers[register.index()] = word(*value);
                self.state.cpu.known |= 1 << register.0;
                self.state.common.frames.leave_below(self.state.cpu.registers[usize::from(SP)].into());
            }
            Event::SetFlags(flags) => {
                let State { cpu, by_hand, .. } = &mut self.state;
                let new = word(*flags) & ALL_FLAGS;
                let changed = std::mem::replace(&mut cpu.flags, new) ^ new;
                let kinds = FLAG_KINDS.iter().zip(&mut cpu.flag_writers).zip(&mut by_hand.before);
                for ((kind, writer), before) in kinds.filter(|((kind, _), _)| changed & **kind != 0) {
                    if *writer != PERSON {
                        *before = *writer;
                        by_hand.flags &= !kind;
                    }
                    by_hand.flags |= changed & kind;
                    *writer = PERSON;
                }
            }
            Event::SetByte(address, value) => {
                let address = narrow(*address);
                if !matches!(self.memory.cell(address), CellState::Device | CellState::Unmapped) {
                    self.bus().put(address, value.to_le_bytes()[0]);
                    self.decode_anew();
                }
            }
            _ => {}
        }
    }

    /// Code that was written is decoded anew when it is next run.
    fn decode_anew(&mut self) {
        while let Some(address) = self.rewritten.pop() {
            self.slots.forget(address);
        }
    }

    /// Memory and devices, for who writes to them; [`Self::decode_anew`] belongs behind that.
    fn bus(&mut self) -> Bus<'_> {
        Bus {
            cells: self.memory.cells(),
            rewritten: &mut self.rewritten,
            board: &mut self.state.common.board,
            console: &mut self.state.common.console,
            tape: &self.around.tape,
            output: &mut self.around.output,
            activity: &mut self.around.activity,
            steps: self.state.common.steps,
            cycles: self.state.common.cycles,
        }
    }
}

/// Sets up memory for an image; returns its regions.
fn map(memory: &mut Memory, image: &Image) -> Vec<Region> {
    let vectors = usize::from(VECTORS_END);
    let stack = usize::from(STACK_START)..usize::from(STACK_END);
    let devices = usize::from(DEVICE_START);
    memory.map(0, vectors, READ | WRITE | KNOWN);
    memory.map(stack.start, stack.end, READ | WRITE);
    let mut regions = vec![
        Region::between(Addr(0), VECTORS_END.into(), RegionKind::Vectors),
        Region::between(STACK_START.into(), STACK_END.into(), RegionKind::Stack),
        Region::between(DEVICE_START.into(), Addr(0x1_0000), RegionKind::Devices),
    ];
    for segment in &image.segments {
        let (start, end) = (segment.start.index(), segment.end().index());
        let known = if segment.reserved { 0 } else { KNOWN };
        memory.map(start, end, memory::attributes_of(segment.rights) | known);
        memory.load(start, &segment.bytes);
        let kind = if segment.rights.execute { RegionKind::Code } else { RegionKind::Data };
        match regions.last_mut().filter(|last| last.kind == kind && last.end() == segment.start) {
            Some(last) => last.length = segment.end() - last.start,
            None if segment.start >= VECTORS_END.into() => {
                regions.push(Region::between(segment.start, segment.end(), kind));
            }
            None => {}
        }
    }
    for address in 0..VECTORS_END {
        memory.mark(address, SPECIAL);
    }
    memory.map(devices, memory::SIZE, READ | WRITE | SPECIAL | DEVICE);
    regions.sort_by_key(|region| region.start);
    regions
}

/// An address as W16 has it.
fn narrow(address: Addr) -> u16 {
    word(address.0)
}

/// The low 16 bits.
fn word(value: u32) -> u16 {
    u16::try_from(value & 0xFFFF).unwrap_or(0)
}

/// The number of pages is what slots need to forget one of them.
const PAGE_WORDS: usize = PAGE / 2;
/// All flags that exist.
const ALL_FLAGS: u16 = FLAG_BITS;
/// All flags but C.
const NO_CARRY: u16 = FLAG_BITS & !w16::C;
