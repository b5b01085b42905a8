//! The W16 machine.
//!
//! `engine` runs instructions, `slots` holds them decoded, `bus` is the long way to memory and devices, `calls` serves
//! system calls, `devices` maps registers onto the board, `traps` enters handlers. The registers live in an array of
//! sixteen, of which the last two do not exist and always read 0: so "no base" and "constant only" need no case of their
//! own.

mod access;
mod anatomy;
mod bus;
mod calls;
mod counting;
mod devices;
mod engine;
mod interest;
mod rounds;
mod slots;
mod traps;

pub(crate) use counting::Counting;

use crate::activity::Activity;
use crate::board::Board;
use crate::common::Calls;
use crate::console::{Console, Tape};
use crate::events::{Event, Settings, Tone};
use crate::files::{Files, Found};
use crate::frames::{Frame, Frames};
use crate::memory::{
    self, CellState, DEVICE, Difference, KNOWN, Memory, PAGE, Pages, READ, Region, RegionKind, SPECIAL, WRITE,
};
use crate::repeats::Repeats;
use crate::report::{Came, Report};
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
    steps: u64,
    cycles: u64,
    frames: Frames,
    board: Board,
    console: Console,
    heap_end: u16,
    random: u64,
    /// Milliseconds waited.
    waited: u64,
    files: Arc<Files>,
    /// What was found at a path, and not looked at yet.
    found: Option<(Arc<str>, Found)>,
    /// An answer that has been fed and not been used.
    answer: Option<u32>,
    /// The status the program ended with.
    finished: Option<u16>,
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
        let same = Self { steps: self.steps, cycles: self.cycles, ..other.clone() };
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
    tape: Tape,
    settings: Arc<Settings>,
    entry: u16,
    heap_start: u16,
    regions: Arc<[Region]>,
    /// Output not yet taken by the owner.
    output: Vec<u8>,
    /// Tones not yet taken by the owner.
    tones: Vec<Tone>,
    calls: Calls,
    activity: Activity,
    repeats: Repeats,
    rounds: rounds::Rounds,
    /// Work done in the last run, beside plain steps, and in all before it.
    worked: u64,
    worked_before: u64,
    /// What came from outside at this moment.
    came: Vec<Came>,
    /// Calls, traps and interrupts are looked out for.
    looks_at_rare: bool,
    /// Room for the report of a step, kept from run to run.
    report: Report,
}

/// A machine's state at a step.
#[derive(Debug, Clone)]
pub(crate) struct Snapshot {
    state: State,
    pages: Pages,
}

impl Snapshot {
    /// The step it was taken at.
    pub(crate) fn step(&self) -> StepNo {
        StepNo(self.state.steps)
    }

    /// How many bytes had been printed.
    pub(crate) fn printed(&self) -> u64 {
        self.state.console.printed
    }

    /// Bytes of memory it takes beside what it shares with another one.
    pub(crate) fn bytes_beside(&self, other: &Self) -> usize {
        let files = if Arc::ptr_eq(&self.state.files, &other.state.files) { 0 } else { self.state.files.size() };
        size_of::<Self>() + size_of_val(self.state.frames.list()) + self.pages.bytes_beside(&other.pages) + files
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
        let seed = settings.seed;
        Self {
            state: State {
                cpu: Cpu { registers, pc: narrow(image.entry), flags: 0, known: 1 << SP, flag_writers: [NOBODY; 3] },
                steps: 0,
                cycles: 0,
                frames: Frames::default(),
                board: Board::default(),
                console: Console::default(),
                heap_end: heap_start,
                random: seed,
                waited: 0,
                files: Arc::default(),
                found: None,
                answer: None,
                finished: None,
                by_hand: FlagsByHand { flags: 0, before: [NOBODY; 3] },
            },
            memory,
            slots: Slots::new(),
            rewritten: Vec::new(),
            tape: Tape::default(),
            rounds: rounds::Rounds::new(settings.watchful),
            settings: Arc::new(settings),
            entry: narrow(image.entry),
            heap_start,
            regions: kinds.into(),
            output: Vec::new(),
            tones: Vec::new(),
            calls: Calls::default(),
            activity: Activity::default(),
            repeats: Repeats::default(),
            worked: 0,
            worked_before: 0,
            came: Vec::new(),
            looks_at_rare: false,
            report: Report::default(),
        }
    }

    /// What kind of machine it is.
    pub(crate) fn target(&self) -> &'static Target {
        &TARGET
    }

    // ---- looking

    /// Steps taken: instructions and trap entries.
    pub(crate) fn steps(&self) -> StepNo {
        StepNo(self.state.steps)
    }

    /// Cycles taken.
    pub(crate) fn cycles(&self) -> u64 {
        self.state.cycles
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
        match self.memory.notes[usize::from(narrow(address) / 2)] {
            0 => Note::Other,
            NOTE_FLAGS => Note::Flags,
            NOTE_RETURN => Note::Return,
            code => Note::Register(Reg(code - 1)),
        }
    }

    /// Routines entered and not left, the outermost first.
    pub(crate) fn frames(&self) -> &[Frame] {
        self.state.frames.list()
    }

    /// Timer, lamps, levers, digits.
    pub(crate) fn board(&self) -> &Board {
        &self.state.board
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

    /// Bytes printed since the start.
    pub(crate) fn printed(&self) -> u64 {
        self.state.console.printed
    }

    /// Typed bytes the program has not read.
    pub(crate) fn pending_input(&self) -> usize {
        self.state.console.waiting()
    }

    /// The status it ended with, if it did.
    pub(crate) fn finished(&self) -> Option<u32> {
        self.state.finished.map(u32::from)
    }

    /// What the program was given from the start.
    pub(crate) fn settings(&self) -> &Settings {
        &self.settings
    }

    /// The program's files.
    pub(crate) fn files(&self) -> &Files {
        &self.state.files
    }

    /// How often what is to be kept of files changed on the way to this state.
    pub(crate) fn file_changes(&self) -> u64 {
        self.state.files.changes
    }

    /// The tones since this was last called.
    pub(crate) fn take_tones(&mut self) -> Vec<Tone> {
        std::mem::take(&mut self.tones)
    }

    /// The milliseconds on the clock made of cycles.
    pub(crate) fn own_milliseconds(&self) -> u64 {
        self.state.cycles / crate::CYCLES_A_MILLISECOND + self.state.waited
    }

    /// The output not yet taken, from this position since the start on.
    pub(crate) fn output_since(&self, position: u64) -> &[u8] {
        let fresh = usize::try_from(self.printed() - position.min(self.printed())).unwrap_or(usize::MAX);
        &self.output[self.output.len() - fresh.min(self.output.len())..]
    }

    /// The output since this was last called.
    pub(crate) fn take_output(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.output)
    }

    /// Keeps what happens from now on, until [`Self::take_moments`].
    pub(crate) fn keep_moments(&mut self) {
        self.activity.keep_moments();
    }

    /// What happened in the run since [`Self::keep_moments`].
    pub(crate) fn take_moments(&mut self) -> Vec<crate::activity::Moment> {
        self.activity.take_moments()
    }

    /// The most frames there were since this was last called.
    pub(crate) fn take_deepest(&mut self) -> u32 {
        let now = u32::try_from(self.state.frames.depth()).unwrap_or(u32::MAX);
        std::mem::replace(&mut self.calls.deepest, now)
    }

    /// From now on notes the last step that entered a routine from at most `depth` frames; `None` stops
    /// noting. Returns what was noted under the former setting.
    pub(crate) fn note_calls_from(&mut self, depth: Option<u32>) -> Option<StepNo> {
        self.calls.shallow = depth;
        self.calls.last_shallow.take()
    }

    /// Everything that matters for what happens next is the same in both.
    pub(crate) fn same_state(&self, other: &Self) -> bool {
        self.state == other.state
            && self.memory.same(&other.memory)
            && self.tape.waiting(&self.state.console) == other.tape.waiting(&other.state.console)
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

    /// The program's files as they were in a snapshot.
    pub(crate) fn files_in(snapshot: &Snapshot) -> &Files {
        &snapshot.state.files
    }

    /// Which registers had been written by a snapshot, and their values then.
    pub(crate) fn registers_in(snapshot: &Snapshot) -> Vec<(u32, bool)> {
        let cpu = &snapshot.state.cpu;
        let count = TARGET.registers.len();
        (0..count).map(|index| (cpu.registers[index].into(), cpu.known >> index & 1 != 0)).collect()
    }

    /// The flags word in a snapshot, and its cycles.
    pub(crate) fn flags_and_cycles_in(snapshot: &Snapshot) -> (u32, u64) {
        (snapshot.state.cpu.flags.into(), snapshot.state.cycles)
    }

    /// How many bytes of input a snapshot had read.
    pub(crate) fn read_in(snapshot: &Snapshot) -> u64 {
        snapshot.state.console.read
    }

    /// Bytes of input typed since the start, read or not.
    pub(crate) fn typed(&self) -> u64 {
        self.state.console.typed
    }

    /// No more input will be typed.
    pub(crate) fn input_ended(&self) -> bool {
        self.state.console.ended
    }

    /// Bytes of typed input read since the start.
    pub(crate) fn read(&self) -> u64 {
        self.state.console.read
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
                let old = devices::value_in(&snapshot.state, &self.tape, at);
                (register.address, old.into(), self.device_value(at).into())
            })
            .filter(|(_, old, new)| old != new)
            .collect()
    }

    /// Work done in the last run, beside plain steps; see [`crate::Run::work`].
    pub(crate) fn worked(&self) -> u64 {
        self.worked
    }

    /// A mark for [`Self::effort_since`], of no meaning by itself.
    pub(crate) fn effort(&self) -> u64 {
        // The steps it stands at less all that was passed over, which is more than that once the machine was put back.
        let plain = self.state.steps.wrapping_sub(self.rounds.passed);
        plain.wrapping_add(self.worked_before).wrapping_add(self.worked)
    }

    /// What was done since a mark was taken, in steps that were really run and work worth as much; the machine has only run
    /// on since.
    pub(crate) fn effort_since(&self, mark: u64) -> u64 {
        self.effort().wrapping_sub(mark)
    }

    /// Steps that were passed over since the machine was made: rounds of a wait that do the same again and again. They
    /// count as steps taken, with their cycles, and cost nothing.
    pub(crate) fn passed_over(&self) -> u64 {
        self.rounds.passed
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
        self.looks_at_rare = lookout.rare;
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
        self.output.clear();
        self.tones.clear();
        self.activity.forget_line();
        self.activity.take_moments();
        self.came.clear();
        self.calls.deepest = 0;
        self.forget_repeats();
    }

    /// Forgets typed input that was read before a snapshot was taken: there will be no way back before it.
    pub(crate) fn forget_input_before(&mut self, snapshot: &Snapshot) {
        self.tape.forget_before(snapshot.state.console.read);
    }

    /// Bytes of typed input that are kept.
    pub(crate) fn kept_input(&self) -> usize {
        self.tape.len()
    }

    /// What was seen of loops so far counts no more, and everything may have been done just now.
    fn forget_repeats(&mut self) {
        self.repeats.forget();
        for deed in [crate::activity::Deed::Worked, crate::activity::Deed::Allowed] {
            self.activity.note(deed, self.state.steps);
        }
    }

    // ---- the door

    /// What came from outside at this moment and changed what a device register shows.
    pub(crate) fn came(&self) -> &[Came] {
        &self.came
    }

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
                self.came.push(Came { address: address.into(), old: old.into(), new: new.into(), is_before });
            }
        }
    }

    fn take_in(&mut self, event: &Event) {
        self.forget_repeats();
        if matches!(event, Event::Typed(_)) {
            // What is typed ends its line on the console.
            self.activity.forget_line();
        }
        match event {
            Event::Typed(bytes) => {
                self.tape.write(self.state.console.typed, bytes);
                self.state.console.typed += bytes.len() as u64;
            }
            Event::InputEnds => self.state.console.ended = true,
            Event::Clock(time) => self.state.answer = Some(*time),
            Event::Waited => self.state.answer = Some(0),
            Event::File(path, found) => self.state.found = Some((Arc::clone(path), found.clone())),
            Event::Levers(levers) => self.state.board.move_levers(word(*levers)),
            Event::SetRegister(register, value) => {
                if register.0 <= SP {
                    self.state.cpu.registers[register.index()] = word(*value);
                    self.state.cpu.known |= 1 << register.0;
                    self.state.frames.leave_below(self.state.cpu.registers[usize::from(SP)].into());
                }
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
        }
    }

    /// Takes back what was fed at this very step and has not been looked at: typed bytes, that there are no more, an
    /// answer.
    pub(crate) fn unfeed(&mut self, typed: u64, ended: bool) {
        self.state.console.typed -= typed.min(self.state.console.typed - self.state.console.read);
        self.state.console.ended &= !ended;
        (self.state.answer, self.state.found) = (None, None);
        self.came.retain(|came| came.is_before);
        self.forget_repeats();
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
            board: &mut self.state.board,
            console: &mut self.state.console,
            tape: &self.tape,
            output: &mut self.output,
            activity: &mut self.activity,
            steps: self.state.steps,
            cycles: self.state.cycles,
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
    for address in 0..vectors {
        memory.attributes[address] |= SPECIAL;
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
