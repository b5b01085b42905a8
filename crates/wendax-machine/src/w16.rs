//! The W16 machine.
//!
//! `engine` runs instructions, `slots` holds them decoded, `system` serves system calls, `devices` and
//! `traps` do what their names say. The registers live in an array of sixteen, of which the last two do
//! not exist and always read 0: so "no base" and "constant only" need no case of their own.

mod access;
mod calls;
mod devices;
mod engine;
mod slots;
mod traps;

pub use access::{Access, AccessKind};
pub use devices::Devices;
pub use traps::{Fault, FaultKind};

use crate::events::{Event, Settings, Stop};
use crate::memory::{
    self, CellState, DECODED, DEVICE, KNOWN, Memory, PAGE, Page, READ, Region, RegionKind, SPECIAL, WRITE,
};
use engine::Calls;
use slots::Slots;
use std::collections::VecDeque;
use std::sync::Arc;
use wendax_image::Image;
use wendax_isa::w16::{DEVICE_START, FLAG_BITS, SP, STACK_END, STACK_START, TARGET, VECTORS_END};
use wendax_isa::{Target, w16};

/// In the place of an address: no instruction has done this yet. Instructions lie at even addresses.
const NOBODY: u16 = 1;

/// Registers and flags.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Cpu {
    registers: [u16; 16],
    pc: u16,
    flags: u16,
    /// Bit n: register n was ever written.
    known: u16,
    /// Addresses of the instructions that last set C, then Z N V, then I; or [`NOBODY`].
    flag_writers: [u16; 3],
}

/// What makes a frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FrameKind {
    /// A `call`.
    Call,
    /// A trap or interrupt with this number.
    Trap(u32),
}

/// A routine that has been entered and not left.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Frame {
    /// Where on the stack its return address lies.
    pub slot: u32,
    /// The instruction that entered it.
    pub site: u32,
    /// Its first instruction.
    pub target: u32,
    /// How it was entered.
    pub kind: FrameKind,
}

/// What a word of the stack was last written by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Note {
    /// Not by a push.
    Other,
    /// A push of this register, by its index.
    Register(u32),
    /// A push of the flags.
    Flags,
    /// A return address.
    Return,
}

const NOTE_FLAGS: u8 = 0x20;
const NOTE_RETURN: u8 = 0x21;

/// How far to run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Run {
    /// Stop at this step at the latest.
    pub until: u64,
    /// Stop once a return has left at most so many frames.
    pub depth: Option<u32>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Console {
    pending: VecDeque<u8>,
    ended: bool,
    /// Bytes printed since the start.
    printed: u64,
}

/// All of a machine's state but memory and decodings.
#[derive(Debug, Clone, PartialEq, Eq)]
struct State {
    cpu: Cpu,
    steps: u64,
    cycles: u64,
    frames: Vec<Frame>,
    devices: Devices,
    console: Console,
    heap_end: u16,
    random: u64,
    /// An answer that has been fed and not been used.
    answer: Option<u32>,
    /// The status the program ended with.
    finished: Option<u16>,
}

/// A machine that runs, or could.
#[derive(Debug, Clone)]
pub struct Machine {
    state: State,
    memory: Memory,
    slots: Slots,
    settings: Arc<Settings>,
    heap_start: u16,
    regions: Arc<[Region]>,
    /// Output not yet taken by the owner.
    output: Vec<u8>,
    /// Ranges written by the last step otherwise than by its own operands: address and length.
    side_writes: Vec<(u16, u16)>,
    calls: Calls,
}

/// A machine's state at a step.
#[derive(Debug, Clone)]
pub struct Snapshot {
    state: State,
    pages: Vec<Arc<Page>>,
}

impl Snapshot {
    /// The step it was taken at.
    pub fn step(&self) -> u64 {
        self.state.steps
    }

    /// How many bytes had been printed.
    pub fn printed(&self) -> u64 {
        self.state.console.printed
    }
}

impl Machine {
    /// A machine with an image loaded, before its first step.
    pub fn new(image: &Image, settings: Settings) -> Self {
        let mut memory = Memory::new();
        let kinds = map(&mut memory, image);
        let heap_start = word(image.heap_start);
        let mut registers = [0; 16];
        registers[usize::from(SP)] = STACK_END;
        let seed = settings.seed;
        Self {
            state: State {
                cpu: Cpu { registers, pc: word(image.entry), flags: 0, known: 1 << SP, flag_writers: [NOBODY; 3] },
                steps: 0,
                cycles: 0,
                frames: Vec::new(),
                devices: Devices::default(),
                console: Console { pending: VecDeque::new(), ended: false, printed: 0 },
                heap_end: heap_start,
                random: seed,
                answer: None,
                finished: None,
            },
            memory,
            slots: Slots::new(),
            settings: Arc::new(settings),
            heap_start,
            regions: kinds.into(),
            output: Vec::new(),
            side_writes: Vec::new(),
            calls: Calls::default(),
        }
    }

    /// What kind of machine it is.
    pub fn target(&self) -> &'static Target {
        &TARGET
    }

    // ---- looking

    /// Steps taken: instructions and trap entries.
    pub fn steps(&self) -> u64 {
        self.state.steps
    }

    /// Cycles taken.
    pub fn cycles(&self) -> u64 {
        self.state.cycles
    }

    /// Address of the next instruction.
    pub fn pc(&self) -> u32 {
        self.state.cpu.pc.into()
    }

    /// A register, by its index; 0 for one that does not exist.
    pub fn register(&self, index: usize) -> u32 {
        self.state.cpu.registers.get(index).copied().unwrap_or(0).into()
    }

    /// A register was ever written.
    pub fn register_known(&self, index: usize) -> bool {
        index < 16 && self.state.cpu.known >> index & 1 != 0
    }

    /// The flags word.
    pub fn flags(&self) -> u32 {
        self.state.cpu.flags.into()
    }

    /// The instruction that last set a flag, by its bit.
    pub fn flag_writer(&self, bit: u32) -> Option<u32> {
        let [carry, result, interrupt] = self.state.cpu.flag_writers;
        let writer = match bit {
            bit if bit == u32::from(w16::C) => carry,
            bit if bit == u32::from(w16::I) => interrupt,
            _ => result,
        };
        (writer != NOBODY).then_some(writer.into())
    }

    /// A byte of memory as it lies there; looking has no effect on devices.
    pub fn byte(&self, address: u32) -> u8 {
        let address = word(address);
        if self.memory.cell(address) == CellState::Device {
            let value = self.device_value(address & !1).to_le_bytes();
            return value[usize::from(address & 1)];
        }
        self.memory.bytes[usize::from(address)]
    }

    /// A word of memory, low byte first.
    pub fn word(&self, address: u32) -> u32 {
        u16::from_le_bytes([self.byte(address), self.byte(address + 1)]).into()
    }

    /// Whether a cell has a value.
    pub fn cell(&self, address: u32) -> CellState {
        self.memory.cell(word(address))
    }

    /// What a word of the stack was last written by.
    pub fn note(&self, address: u32) -> Note {
        match self.memory.notes[usize::from(word(address) / 2)] {
            0 => Note::Other,
            NOTE_FLAGS => Note::Flags,
            NOTE_RETURN => Note::Return,
            code => Note::Register(u32::from(code) - 1),
        }
    }

    /// Routines entered and not left, the outermost first.
    pub fn frames(&self) -> &[Frame] {
        &self.state.frames
    }

    /// The device registers.
    pub fn devices(&self) -> &Devices {
        &self.state.devices
    }

    /// The regions of memory in order of address, the heap as far as it has grown.
    pub fn regions(&self) -> Vec<Region> {
        let mut regions = self.regions.to_vec();
        if self.state.heap_end > self.heap_start {
            let heap =
                Region { start: self.heap_start.into(), end: self.state.heap_end.into(), kind: RegionKind::Heap };
            regions.push(heap);
            regions.sort_by_key(|region| region.start);
        }
        regions
    }

    /// Bytes printed since the start.
    pub fn printed(&self) -> u64 {
        self.state.console.printed
    }

    /// Typed bytes the program has not read.
    pub fn pending_input(&self) -> usize {
        self.state.console.pending.len()
    }

    /// The status it ended with, if it did.
    pub fn finished(&self) -> Option<u32> {
        self.state.finished.map(u32::from)
    }

    /// All bytes of memory by address as they lie there, those of device registers without meaning.
    pub fn raw_memory(&self) -> &[u8] {
        &*self.memory.bytes
    }

    /// The output not yet taken, from this position since the start on.
    pub fn output_since(&self, position: u64) -> &[u8] {
        let fresh = usize::try_from(self.printed() - position.min(self.printed())).unwrap_or(usize::MAX);
        &self.output[self.output.len() - fresh.min(self.output.len())..]
    }

    /// The output since this was last called.
    pub fn take_output(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.output)
    }

    /// The most frames there were since this was last called.
    pub fn take_deepest(&mut self) -> u32 {
        let now = self.depth();
        std::mem::replace(&mut self.calls.deepest, now)
    }

    fn depth(&self) -> u32 {
        u32::try_from(self.state.frames.len()).unwrap_or(u32::MAX)
    }

    /// From now on notes the last step that entered a routine from at most `depth` frames; `None` stops
    /// noting. Returns what was noted under the former setting.
    pub fn note_calls_from(&mut self, depth: Option<u32>) -> Option<u64> {
        self.calls.shallow = depth;
        self.calls.last_shallow.take()
    }

    /// Everything that matters for what happens next is the same in both.
    pub fn same_state(&self, other: &Self) -> bool {
        self.state == other.state && self.memory.same(&other.memory)
    }

    // ---- breakpoints

    /// Runs stop before instructions at these addresses, and no others.
    pub fn set_breakpoints(&mut self, addresses: &[u32]) {
        let addresses: Vec<u16> = addresses.iter().map(|&address| word(address)).collect();
        self.slots.set_breakpoints(&addresses);
    }

    // ---- history

    /// The state now.
    pub fn snapshot(&mut self) -> Snapshot {
        Snapshot { state: self.state.clone(), pages: self.memory.snapshot() }
    }

    /// Puts a state back; it must come from this machine or one it was cloned from. Output not taken
    /// yet is dropped.
    pub fn restore(&mut self, snapshot: &Snapshot) {
        self.state.clone_from(&snapshot.state);
        let slots = &mut self.slots;
        self.memory.restore(&snapshot.pages, |page| slots.forget_page(page));
        self.output.clear();
    }

    // ---- the door

    /// Takes in an event.
    pub fn feed(&mut self, event: &Event) {
        match event {
            Event::Typed(bytes) => self.state.console.pending.extend(bytes),
            Event::InputEnds => self.state.console.ended = true,
            Event::Clock(time) => self.state.answer = Some(*time),
            Event::Waited => self.state.answer = Some(0),
            Event::Levers(levers) => self.state.devices.move_levers(word(*levers)),
            Event::SetRegister(index, value) => {
                if let Some(register) =
                    self.state.cpu.registers.get_mut(*index as usize).filter(|_| *index <= SP.into())
                {
                    *register = word(*value);
                    self.state.cpu.known |= 1 << index;
                }
            }
            Event::SetFlags(flags) => {
                self.state.cpu.flags = word(*flags) & ALL_FLAGS;
                self.state.cpu.flag_writers = [NOBODY; 3];
            }
            Event::SetByte(address, value) => {
                let address = word(*address);
                if !matches!(self.memory.cell(address), CellState::Device | CellState::Unmapped) {
                    self.memory.put(address, value.to_le_bytes()[0]);
                    self.forget_decoded(address);
                }
            }
        }
    }

    /// Output of the program.
    fn print(&mut self, bytes: &[u8]) {
        self.output.extend_from_slice(bytes);
        self.state.console.printed += bytes.len() as u64;
    }

    /// Drops what was decoded from a byte, and the mark that it was.
    fn forget_decoded(&mut self, address: u16) {
        if self.memory.attributes[usize::from(address)] & DECODED != 0 {
            self.memory.attributes[usize::from(address)] &= !DECODED;
            self.slots.forget(address);
        }
    }

    /// Takes one step, even from a breakpoint.
    pub fn step(&mut self) -> Stop {
        let until = self.state.steps + 1;
        self.run(Run { until, depth: None })
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
        Region { start: 0, end: VECTORS_END.into(), kind: RegionKind::Vectors },
        Region { start: STACK_START.into(), end: STACK_END.into(), kind: RegionKind::Stack },
        Region { start: DEVICE_START.into(), end: 0x1_0000, kind: RegionKind::Devices },
    ];
    for segment in &image.segments {
        let (start, end) = (segment.start as usize, segment.end() as usize);
        let known = if segment.reserved { 0 } else { KNOWN };
        memory.map(start, end, memory::attributes_of(segment.rights) | known);
        memory.load(start, &segment.bytes);
        let kind = if segment.rights.execute { RegionKind::Code } else { RegionKind::Data };
        match regions.last_mut().filter(|last| last.kind == kind && last.end == segment.start) {
            Some(last) => last.end = segment.end(),
            None if segment.start >= VECTORS_END.into() => {
                regions.push(Region { start: segment.start, end: segment.end(), kind });
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
