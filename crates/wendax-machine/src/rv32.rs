//! The RV32 machine: one hart of RV32IM in machine mode.
//!
//! `memory` keeps what was touched of four gigabytes; `steps` carries instructions out, one after the other; `stretch` runs where nobody
//! looks, `swift` carries several out in one go there, which `grouping` puts together; `control`
//! holds the control and status registers and the interrupts that wait; `traps` enters handlers; `devices` maps
//! registers onto the board; `calls` serves `ecall`; `looking` tells what stands in memory before it runs. What any
//! machine has beside that is in [`crate::common`].
//!
//! Nothing is passed over here: a step that is counted was carried out.

mod calls;
mod control;
mod counting;
mod devices;
mod grouping;
mod hook;
mod looking;
mod memory;
mod prints;
mod steps;
mod stretch;
mod swift;
mod traps;

pub(crate) use counting::Counting;

use crate::common::{Around, Common};
use crate::events::{Event, Settings};
use crate::frames::Frame;
use crate::lookout::Lookout;
use crate::memory::{CellState, Difference, KNOWN, READ, Region, RegionKind, WRITE, attributes_of};
use crate::report::Came;
use crate::{Note, Writer};
use control::Control;
use memory::Memory;
use rustc_hash::FxHashSet;
use std::sync::Arc;
use steps::Cache;
use wendax_image::Image;
use wendax_isa::rv32::{A0, DEVICE_START, GP, RA, SP, STACK_END, STACK_START, TARGET};
use wendax_isa::{Addr, Reg, RegisterUse, StepNo, Target};

/// Registers and place.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Cpu {
    registers: [u32; 32],
    pc: u32,
    /// Bit n: register n was ever written.
    known: u32,
    control: Control,
}

/// All of a machine's state but memory.
#[derive(Debug, Clone, PartialEq, Eq)]
struct State {
    cpu: Cpu,
    common: Common,
    heap_end: u32,
}

/// A machine that runs, or could.
#[derive(Debug, Clone)]
pub(crate) struct Machine {
    state: State,
    memory: Memory,
    around: Around,
    entry: u32,
    heap_start: u32,
    /// Where the stack pointer stood at the start.
    stack_top: u32,
    regions: Arc<[Region]>,
    breakpoints: FxHashSet<u32>,
    lookout: Lookout,
    cache: Cache,
    /// Where code begins.
    code_start: u32,
    groups: hook::Tables,
    /// What [`Memory::code`] said when groups were put together.
    groups_of: u64,
    /// The step from which on they are carried out, and whether they are those of code that was.
    groups_from: u64,
    groups_are_old: bool,
    near: memory::Near,
    /// What instructions used that ran since that was forgotten.
    used: RegisterUse,
}

/// A machine's state at a step.
#[derive(Debug, Clone)]
pub(crate) struct Snapshot {
    state: State,
    memory: Memory,
}

impl Snapshot {
    pub(crate) fn common(&self) -> &Common {
        &self.state.common
    }

    pub(crate) fn bytes_beside(&self, other: &Self) -> usize {
        let (own, theirs) = (&self.state.common.files, &other.state.common.files);
        let files = if Arc::ptr_eq(own, theirs) { 0 } else { own.size() };
        let frames = size_of_val(self.state.common.frames.list());
        size_of::<Self>() + frames + self.memory.bytes_beside(&other.memory) + files
    }

    pub(crate) fn shares_page(&self, later: &Self, address: Addr) -> bool {
        self.memory.shares(&later.memory, address.0)
    }
}

impl Machine {
    /// A machine with an image loaded, before its first step.
    pub(crate) fn new(image: &Image, settings: Settings) -> Self {
        let mut memory = Memory::new();
        let regions = map(&mut memory, image);
        let heap_start = image.heap_start.0;
        let code = regions.iter().filter(|region| region.kind == RegionKind::Code).map(|region| region.start.0);
        let code_start = code.min().unwrap_or(0) & !3;
        let mut cpu = Cpu { registers: [0; 32], pc: image.entry.0, known: 1, control: Control::default() };
        let (sp, list) = arguments(&mut memory, &settings);
        let count = u32::try_from(settings.arguments.len()).unwrap_or(u32::MAX);
        let mut set = |register: u8, value| {
            cpu.registers[usize::from(register)] = value;
            cpu.known |= 1 << register;
        };
        set(SP, sp);
        set(A0, count);
        set(A0 + 1, list);
        // Linkers give it as a label or as a number.
        if let Some(global) = image.best_symbol("__global_pointer$") {
            set(GP, u32::try_from(global.value & 0xFFFF_FFFF).unwrap_or(0));
        }
        let groups_of = memory.code();
        Self {
            state: State { cpu, common: Common::new(settings.seed), heap_end: heap_start },
            memory,
            around: Around::new(settings),
            entry: image.entry.0,
            heap_start,
            stack_top: sp,
            regions: regions.into(),
            breakpoints: FxHashSet::default(),
            lookout: Lookout::default(),
            cache: Cache::default(),
            code_start,
            groups: hook::Tables::default(),
            groups_of,
            groups_from: 0,
            groups_are_old: false,
            near: memory::Near::default(),
            used: RegisterUse::default(),
        }
    }

    // ---- what all machines have in common

    pub(crate) fn parts(&self) -> (&Common, &Around) {
        (&self.state.common, &self.around)
    }

    pub(crate) fn parts_mut(&mut self) -> (&mut Common, &mut Around) {
        (&mut self.state.common, &mut self.around)
    }

    pub(crate) fn target(&self) -> &'static Target {
        &TARGET
    }

    // ---- looking

    pub(crate) fn steps(&self) -> StepNo {
        StepNo(self.state.common.steps)
    }

    pub(crate) fn pc(&self) -> Addr {
        Addr(self.state.cpu.pc)
    }

    pub(crate) fn register(&self, register: Reg) -> u32 {
        self.state.cpu.registers.get(register.index()).copied().unwrap_or(0)
    }

    pub(crate) fn stack_pointer(&self) -> Addr {
        Addr(self.state.cpu.registers[usize::from(SP)])
    }

    pub(crate) fn register_known(&self, register: Reg) -> bool {
        register.0 < 32 && self.state.cpu.known >> register.0 & 1 != 0
    }

    pub(crate) fn flags(&self) -> u32 {
        0
    }

    pub(crate) fn control(&self, number: u16) -> Option<u32> {
        self.control_value(number)
    }

    pub(crate) fn flag_writer(&self, _bit: u32) -> Option<Writer> {
        None
    }

    pub(crate) fn byte(&self, address: Addr) -> u8 {
        if address.0 >= DEVICE_START {
            return self.device_value(address.0 & !3).to_le_bytes()[address.index() & 3];
        }
        self.memory.byte(address.0)
    }

    pub(crate) fn word(&self, address: Addr) -> u32 {
        u32::from_le_bytes(std::array::from_fn(|offset| {
            self.byte(Addr(address.0.wrapping_add(u32::try_from(offset).unwrap_or(0))))
        }))
    }

    pub(crate) fn cell(&self, address: Addr) -> CellState {
        if address.0 >= DEVICE_START { CellState::Device } else { self.memory.cell(address.0) }
    }

    pub(crate) fn states(&self, from: Addr, to: Addr) -> Vec<(Addr, Addr, CellState)> {
        let mut states = Vec::new();
        let plain = to.min(Addr(DEVICE_START));
        self.memory.states(from.0, plain.0, &mut states);
        if to > plain {
            crate::memory::put_state(&mut states, from.max(plain), to, CellState::Device);
        }
        states
    }

    pub(crate) fn note(&self, address: Addr) -> Note {
        match self.memory.note(address.0) {
            0 => Note::Other,
            note if note == RA + 1 => Note::Return,
            note => Note::Register(Reg(note - 1)),
        }
    }

    pub(crate) fn frames(&self) -> &[Frame] {
        self.state.common.frames.list()
    }

    pub(crate) fn regions(&self) -> Vec<Region> {
        let mut regions = self.regions.to_vec();
        if self.state.heap_end > self.heap_start {
            regions.push(Region::between(Addr(self.heap_start), Addr(self.state.heap_end), RegionKind::Heap));
            regions.sort_by_key(|region| region.start);
        }
        regions
    }

    pub(crate) fn same_state(&self, other: &Self) -> bool {
        let waiting = |machine: &Self| machine.around.tape.waiting(&machine.state.common.console).to_vec();
        self.state == other.state && self.memory.same(&other.memory) && waiting(self) == waiting(other)
    }

    pub(crate) fn same_memory(&self, other: &Self) -> bool {
        self.memory.same_bytes(&other.memory)
    }

    pub(crate) fn memory_since(&self, snapshot: &Snapshot) -> Vec<Difference> {
        self.memory.differences(&snapshot.memory)
    }

    pub(crate) fn registers_in(snapshot: &Snapshot) -> Vec<(u32, bool)> {
        let cpu = &snapshot.state.cpu;
        cpu.registers.iter().enumerate().map(|(index, value)| (*value, cpu.known >> index & 1 != 0)).collect()
    }

    pub(crate) fn flags_and_cycles_in(snapshot: &Snapshot) -> (u32, u64) {
        (0, snapshot.state.common.cycles)
    }

    // ---- breakpoints

    pub(crate) fn set_breakpoints(&mut self, addresses: &[Addr]) {
        let breakpoints = addresses.iter().map(|address| address.0).collect();
        if self.breakpoints != breakpoints {
            self.breakpoints = breakpoints;
            self.groups.clear();
        }
    }

    pub(crate) fn set_lookout(&mut self, lookout: &Lookout) {
        if self.lookout != *lookout {
            self.lookout = lookout.clone();
            self.near.watch(&lookout.cells);
            self.groups.clear();
        }
        self.around.looks_at_rare = lookout.rare;
    }

    // ---- history

    pub(crate) fn uses_so_far(&self) -> RegisterUse {
        self.used
    }

    pub(crate) fn forget_code(&mut self) {
        self.cache.clear();
        self.groups.clear();
        self.used = RegisterUse::default();
    }

    pub(crate) fn snapshot(&mut self) -> Snapshot {
        Snapshot { state: self.state.clone(), memory: self.memory.clone() }
    }

    pub(crate) fn restore(&mut self, snapshot: &Snapshot) {
        self.state.clone_from(&snapshot.state);
        self.memory.put_back(&snapshot.memory);
        self.groups.known(self.state.cpu.known);
        self.around.put_back(self.state.common.steps);
    }

    // ---- the door

    pub(crate) fn feed(&mut self, event: &Event) {
        let seen = devices::seen_by(event);
        let before: Vec<u32> = seen.iter().map(|at| self.device_value(*at)).collect();
        self.take_in(event);
        for (&address, old) in seen.iter().zip(before) {
            let new = self.device_value(address);
            if old != new {
                let is_before = event.is_edit();
                self.around.came.push(Came { address: Addr(address), old, new, is_before });
            }
        }
    }

    fn take_in(&mut self, event: &Event) {
        if self.around.take_in(&mut self.state.common, event) {
            return;
        }
        match event {
            Event::SetRegister(register, value) if (1..32).contains(&register.0) => {
                self.state.cpu.registers[register.index()] = *value;
                self.state.cpu.known |= 1 << register.0;
                self.state.common.frames.leave_below(Addr(self.state.cpu.registers[usize::from(SP)]));
            }
            Event::SetByte(address, value)
                if !matches!(self.cell(*address), CellState::Device | CellState::Unmapped) =>
            {
                self.memory.put(address.0, &value.to_le_bytes()[..1]);
            }
            _ => {}
        }
    }
}

/// Sets up memory for an image; returns its regions.
fn map(memory: &mut Memory, image: &Image) -> Vec<Region> {
    memory.map(STACK_START, STACK_END, READ | WRITE);
    let mut regions = vec![
        Region::between(Addr(STACK_START), Addr(STACK_END), RegionKind::Stack),
        Region { start: Addr(DEVICE_START), length: 0x200, kind: RegionKind::Devices },
    ];
    for segment in &image.segments {
        let known = if segment.reserved { 0 } else { KNOWN };
        memory.map(segment.start.0, segment.end().0, attributes_of(segment.rights) | known);
        memory.load(segment.start.0, &segment.bytes);
        let kind = if segment.rights.execute { RegionKind::Code } else { RegionKind::Data };
        match regions.last_mut().filter(|last| last.kind == kind && last.end() == segment.start) {
            Some(last) => last.length = segment.end() - last.start,
            None => regions.push(Region::between(segment.start, segment.end(), kind)),
        }
    }
    regions.sort_by_key(|region| region.start);
    regions
}

/// Puts the arguments on the stack as the psABI has them; returns the stack pointer, and where their addresses begin.
fn arguments(memory: &mut Memory, settings: &Settings) -> (u32, u32) {
    let mut at = STACK_END;
    let mut places = Vec::new();
    for argument in &settings.arguments {
        let length = u32::try_from(argument.len()).unwrap_or(u32::MAX);
        let Some(place) = at.checked_sub(length.saturating_add(1)).filter(|place| *place >= STACK_START + 0x1000)
        else {
            break;
        };
        memory.put(place, argument);
        memory.put(place + length, &[0]);
        places.push(place);
        at = place;
    }
    // The number of arguments, their addresses, and after each list an end; two words of 0 close the last.
    let count = u32::try_from(places.len()).unwrap_or(0);
    let words: Vec<u32> = [count].into_iter().chain(places).chain([0, 0, 0, 0]).collect();
    let length = u32::try_from(words.len() * 4).unwrap_or(0);
    let sp = (at - length) & !15;
    for (word, place) in words.iter().zip((sp..).step_by(4)) {
        memory.put(place, &word.to_le_bytes());
    }
    (sp, sp + 4)
}
