//! Running instructions.
//!
//! `Machine::fast` is the loop: it keeps the counters and flags in locals and leaves as soon as anything
//! rare comes up, with the state as it was before the instruction that is rare. `Machine::run` deals with
//! what is rare and goes back in. Each instruction has one place where it is carried out.

use super::slots::{Kind, Slot};
use super::traps::{Fault, FaultKind};
use super::{Frame, FrameKind, Machine, NOTE_FLAGS, NOTE_RETURN, Run, State};
use crate::events::Stop;
use crate::memory::{DECODED, DEVICE, EXECUTE, KNOWN, Memory, PAGE, READ, SPECIAL, WRITE};
use wendax_isa::w16::{C, I, N, SP, V, Z, decode};

/// Why the loop was left.
enum Exit {
    /// The step or the cycle it was to run to.
    Horizon,
    Depth,
    Breakpoint,
    /// The next slot was never decoded.
    Undecoded,
    /// The next instruction is one that `rare` carries out.
    Rare(Slot),
    /// The next instruction cannot be carried out.
    Fault(FaultKind),
    /// A jump to itself.
    Loop,
}

/// The flags for a result, without C and V.
#[inline]
fn sign_and_zero(result: u16) -> u16 {
    (if result == 0 { Z } else { 0 }) | (result >> 15) * N
}

#[inline]
fn sum(a: u16, b: u16, carry: u16) -> (u16, u16) {
    let wide = u32::from(a) + u32::from(b) + u32::from(carry);
    let result = a.wrapping_add(b).wrapping_add(carry);
    let overflow = (a ^ result) & (b ^ result);
    let flags = sign_and_zero(result) | (if wide > 0xFFFF { C } else { 0 }) | (overflow >> 15) * V;
    (result, flags)
}

#[inline]
fn difference(a: u16, b: u16, borrow: u16) -> (u16, u16) {
    let result = a.wrapping_sub(b).wrapping_sub(borrow);
    let needed = u32::from(a) < u32::from(b) + u32::from(borrow);
    let overflow = (a ^ b) & (a ^ result);
    let flags = sign_and_zero(result) | (if needed { C } else { 0 }) | (overflow >> 15) * V;
    (result, flags)
}

/// Shifts one place `count` (0 to 15) times; `old` are the flags before, whose C stays when `count` is 0.
#[inline]
fn shift(kind: Kind, value: u16, count: u16, old: u16) -> (u16, u16) {
    if count == 0 {
        return (value, sign_and_zero(value) | old & C);
    }
    let (result, out) = match kind {
        Kind::Shl => (value << count, value >> (16 - count) & 1),
        Kind::Asr => {
            ((value.cast_signed() >> count).cast_unsigned(), (value.cast_signed() >> (count - 1)).cast_unsigned() & 1)
        }
        _ => (value >> count, value >> (count - 1) & 1),
    };
    (result, sign_and_zero(result) | out * C)
}

/// Signed quotient and remainder toward zero, and V.
fn signed_division(a: u16, b: u16) -> (u16, u16, u16) {
    let (a, b) = (a.cast_signed(), b.cast_signed());
    let overflow = if a == i16::MIN && b == -1 { V } else { 0 };
    (a.wrapping_div(b).cast_unsigned(), a.wrapping_rem(b).cast_unsigned(), overflow)
}

/// Low and high word of a 32-bit product.
#[inline]
fn words(product: u32) -> (u16, u16) {
    let [a, b, c, d] = product.to_le_bytes();
    (u16::from_le_bytes([a, b]), u16::from_le_bytes([c, d]))
}

/// What a machine notes of calls beside its state.
#[derive(Debug, Clone, Default)]
pub(super) struct Calls {
    /// The most frames there were since this was last asked.
    pub(super) deepest: u32,
    /// Calls made from at most so many frames are noted.
    pub(super) shallow: Option<u32>,
    /// The step of the last such call.
    pub(super) last_shallow: Option<u64>,
}

impl Calls {
    #[inline]
    fn enter(&mut self, frames: &mut Vec<Frame>, frame: Frame, step: u64) {
        let count = |frames: &[Frame]| u32::try_from(frames.len()).unwrap_or(u32::MAX);
        if self.shallow.is_some_and(|shallow| count(frames) <= shallow) {
            self.last_shallow = Some(step);
        }
        // Frames at or below the new one were left without a return.
        while frames.last().is_some_and(|known| known.slot <= frame.slot) {
            frames.pop();
        }
        frames.push(frame);
        self.deepest = self.deepest.max(count(frames));
    }
}

/// Leaves all routines whose return address lies at or below `slot`; returns how many are left.
#[inline]
fn drop_frames(frames: &mut Vec<Frame>, slot: u16) -> i64 {
    while frames.last().is_some_and(|frame| frame.slot <= slot.into()) {
        frames.pop();
    }
    // At most one a word of memory.
    i64::try_from(frames.len()).unwrap_or(i64::MAX)
}

const STACK: usize = SP as usize;

impl Machine {
    /// Runs until something stops it. A breakpoint at the very first instruction does not, one at the
    /// step it runs to does.
    pub fn run(&mut self, how: Run) -> Stop {
        self.side_writes.clear();
        if let Some(status) = self.state.finished {
            return Stop::Finished(status.into());
        }
        if self.state.steps < how.until && self.slots.is_breakpoint(self.state.cpu.pc) {
            let at = self.state.cpu.pc;
            self.slots.unpatch(at);
            let until = self.state.steps + 1;
            let stop = self.run_on(Run { until, ..how });
            self.slots.patch(at);
            let back_here = self.slots.is_breakpoint(self.state.cpu.pc);
            if stop != Stop::Steps || back_here {
                return if back_here && stop == Stop::Steps { Stop::Breakpoint } else { stop };
            }
        }
        self.run_on(how)
    }

    fn run_on(&mut self, how: Run) -> Stop {
        let depth = how.depth.map_or(-1, i64::from);
        loop {
            if self.state.steps >= how.until {
                let stopped = self.slots.is_breakpoint(self.state.cpu.pc);
                return if stopped { Stop::Breakpoint } else { Stop::Steps };
            }
            match self.interrupt_now() {
                Some(Ok(())) => continue,
                Some(Err(kind)) => return Stop::Fault(self.fault_of(kind)),
                None => {}
            }
            let stop = match self.fast(how.until, depth) {
                Exit::Horizon => None,
                Exit::Depth => Some(Stop::Depth),
                Exit::Breakpoint => Some(Stop::Breakpoint),
                Exit::Undecoded => match self.decode_next() {
                    Ok(()) => None,
                    Err(kind) => self.fault(kind),
                },
                Exit::Rare(slot) => self.rare(slot, depth),
                Exit::Fault(kind) => self.fault(kind),
                Exit::Loop => self.circling(),
            };
            if let Some(stop) = stop {
                return stop;
            }
        }
    }

    /// Decodes the instruction at `pc` into its slot.
    fn decode_next(&mut self) -> Result<(), FaultKind> {
        let pc = self.state.cpu.pc;
        for address in [pc, pc.wrapping_add(1)] {
            self.executable(address)?;
        }
        let (first, second) = (self.memory.word(pc), self.memory.word(pc.wrapping_add(2)));
        let insn = decode(first, second).ok_or(FaultKind::Illegal { word: first })?;
        for offset in 0..insn.bytes() {
            let address = pc.wrapping_add(offset);
            self.executable(address)?;
            self.memory.attributes[usize::from(address)] |= DECODED;
        }
        self.slots.table[usize::from(pc >> 1)] = Slot::new(insn, pc);
        Ok(())
    }

    fn executable(&self, address: u16) -> Result<(), FaultKind> {
        if self.memory.attributes[usize::from(address)] & EXECUTE == 0 {
            return Err(FaultKind::Execute { address });
        }
        Ok(())
    }

    /// A taken jump to itself: the run stops unless an interrupt could come.
    fn circling(&mut self) -> Option<Stop> {
        if !self.interrupt_could_come() {
            return Some(Stop::Circling);
        }
        // One round, so that time goes on: the loop leaves it to us.
        self.state.steps += 1;
        self.state.cycles += u64::from(self.slots.table[usize::from(self.state.cpu.pc >> 1)].cycles) + 1;
        None
    }

    /// The loop. Everything it carries out is complete when it is left; an access to memory that is not
    /// plain (a device, a vector, decoded code, a fault) leaves it before anything of its instruction is done.
    fn fast(&mut self, until: u64, depth: i64) -> Exit {
        let horizon = self.cycle_horizon();
        let Self { state, memory, slots, calls, .. } = self;
        let Memory { bytes, attributes, notes, dirty, .. } = memory;
        let (bytes, attributes, notes, dirty) = (&mut **bytes, &mut **attributes, &mut **notes, &mut **dirty);
        let table = &*slots.table;
        let State { cpu, frames, .. } = state;
        let mut registers = cpu.registers;
        let (mut pc, mut flags, mut known) = (cpu.pc, cpu.flags, cpu.known);
        let (mut steps, mut cycles) = (state.steps, state.cycles);
        let [mut carry_writer, mut flag_writer, interrupt_writer] = cpu.flag_writers;
        let exit = loop {
            if steps >= until || cycles >= horizon {
                break Exit::Horizon;
            }
            if pc & 1 != 0 {
                break Exit::Fault(FaultKind::Misaligned { address: pc, fetch: true });
            }
            let slot = &table[usize::from(pc >> 1)];
            let a = usize::from(slot.a & 15);
            let d = registers[a];
            let s = registers[usize::from(slot.b & 15)].wrapping_add(slot.value);
            let mut next = slot.next;

            macro_rules! set {
                ($value:expr) => {{
                    registers[a] = $value;
                    known |= 1 << a;
                }};
            }
            // Sets the four flags of arithmetic.
            macro_rules! flag {
                ($value:expr) => {{
                    flags = flags & I | $value;
                    (carry_writer, flag_writer) = (pc, pc);
                }};
            }
            macro_rules! arithmetic {
                ($result:expr) => {{
                    let (value, new) = $result;
                    set!(value);
                    flag!(new);
                }};
            }
            macro_rules! logic {
                ($value:expr) => {{
                    let value = $value;
                    set!(value);
                    flag!(sign_and_zero(value));
                }};
            }
            macro_rules! load_word {
                ($address:expr) => {{
                    let address: u16 = $address;
                    let at = usize::from(address & !1);
                    let rights = attributes[at] & attributes[at | 1] & (READ | DEVICE);
                    if rights != READ || address & 1 != 0 {
                        break Exit::Rare(*slot);
                    }
                    u16::from_le_bytes([bytes[at], bytes[at | 1]])
                }};
            }
            macro_rules! load_byte {
                () => {{
                    if attributes[usize::from(s)] & (READ | DEVICE) != READ {
                        break Exit::Rare(*slot);
                    }
                    bytes[usize::from(s)]
                }};
            }
            macro_rules! store_word {
                ($address:expr, $value:expr, $note:expr) => {{
                    let address: u16 = $address;
                    let at = usize::from(address & !1);
                    let (low, high) = (attributes[at], attributes[at | 1]);
                    if low & high & WRITE == 0 || (low | high) & (SPECIAL | DECODED) != 0 || address & 1 != 0 {
                        break Exit::Rare(*slot);
                    }
                    let [low_byte, high_byte] = u16::to_le_bytes($value);
                    (bytes[at], bytes[at | 1]) = (low_byte, high_byte);
                    (attributes[at], attributes[at | 1]) = (low | KNOWN, high | KNOWN);
                    notes[at >> 1] = $note;
                    dirty[at / PAGE] = true;
                }};
            }
            macro_rules! push {
                ($value:expr, $note:expr) => {{
                    let value = $value;
                    let sp = registers[STACK].wrapping_sub(2);
                    store_word!(sp, value, $note);
                    registers[STACK] = sp;
                }};
            }
            macro_rules! enter {
                ($target:expr) => {{
                    next = $target;
                    push!(slot.next, NOTE_RETURN);
                    let slot = u32::from(registers[STACK]);
                    let frame = Frame { slot, site: pc.into(), target: next.into(), kind: FrameKind::Call };
                    calls.enter(frames, frame, steps);
                }};
            }
            macro_rules! jump {
                ($target:expr) => {{
                    next = $target;
                    cycles = cycles.wrapping_add(1);
                }};
            }

            match slot.kind {
                Kind::Undecoded => break Exit::Undecoded,
                Kind::Breakpoint => break Exit::Breakpoint,
                Kind::Jump => {
                    let holds = u16::from_le_bytes([slot.a, slot.b]) >> (flags & 15) & 1;
                    if holds != 0 {
                        if slot.value == pc {
                            break Exit::Loop;
                        }
                        jump!(slot.value);
                    }
                }
                Kind::Nop => {}
                Kind::Mov => set!(s),
                Kind::Add => arithmetic!(sum(d, s, 0)),
                Kind::Adc => arithmetic!(sum(d, s, flags & C)),
                Kind::Sub => arithmetic!(difference(d, s, 0)),
                Kind::Sbc => arithmetic!(difference(d, s, flags & C)),
                Kind::Cmp => flag!(difference(d, s, 0).1),
                Kind::And => logic!(d & s),
                Kind::Or => logic!(d | s),
                Kind::Xor => logic!(d ^ s),
                Kind::Tst => flag!(sign_and_zero(d & s)),
                Kind::Shl | Kind::Shr | Kind::Asr => {
                    let (value, new) = shift(slot.kind, d, s & 15, flags);
                    set!(value);
                    flags = flags & I | new;
                    flag_writer = pc;
                    if s & 15 != 0 {
                        carry_writer = pc;
                    }
                }
                Kind::Mul => {
                    let (low, high) = words(u32::from(d) * u32::from(s));
                    set!(low);
                    flag!(sign_and_zero(low) | if high == 0 { 0 } else { C | V });
                }
                Kind::Div | Kind::Mod | Kind::Divs | Kind::Mods if s == 0 => {
                    break Exit::Fault(FaultKind::DivideByZero);
                }
                Kind::Div => logic!(d / s),
                Kind::Mod => logic!(d % s),
                Kind::Divs => {
                    let (value, _, overflow) = signed_division(d, s);
                    set!(value);
                    flag!(sign_and_zero(value) | overflow);
                }
                Kind::Mods => {
                    let (_, value, overflow) = signed_division(d, s);
                    set!(value);
                    flag!(sign_and_zero(value) | overflow);
                }
                Kind::Mulh => logic!(words(u32::from(d) * u32::from(s)).1),
                Kind::Mulhs => {
                    logic!(words((i32::from(d.cast_signed()) * i32::from(s.cast_signed())).cast_unsigned()).1);
                }
                Kind::Swap => {
                    registers[usize::from(slot.b & 15)] = d;
                    known |= 1 << (slot.b & 15);
                    set!(s);
                }
                Kind::Not => logic!(!d),
                Kind::Neg => arithmetic!(difference(0, d, 0)),
                Kind::Swapb => logic!(d.swap_bytes()),
                Kind::Extb => logic!(((d << 8).cast_signed() >> 8).cast_unsigned()),
                Kind::Rlc => {
                    let value = d << 1 | flags & C;
                    set!(value);
                    flag!(sign_and_zero(value) | (d >> 15) * C);
                }
                Kind::Rrc => {
                    let value = d >> 1 | (flags & C) << 15;
                    set!(value);
                    flag!(sign_and_zero(value) | (d & 1) * C);
                }
                Kind::Push => push!(d, slot.a + 1),
                Kind::PushFl => push!(flags, NOTE_FLAGS),
                Kind::Pop => {
                    let sp = registers[STACK];
                    let value = load_word!(sp);
                    registers[STACK] = sp.wrapping_add(2);
                    set!(value);
                }
                Kind::Ldw => set!(load_word!(s)),
                Kind::Ldb => set!(load_byte!().into()),
                Kind::Ldsb => set!(i16::from(load_byte!().cast_signed()).cast_unsigned()),
                Kind::Lea => set!(s),
                Kind::Stw => store_word!(s, d, 0),
                Kind::Stb => {
                    let at = usize::from(s);
                    let rights = attributes[at];
                    if rights & (WRITE | SPECIAL | DECODED) != WRITE {
                        break Exit::Rare(*slot);
                    }
                    bytes[at] = d.to_le_bytes()[0];
                    attributes[at] = rights | KNOWN;
                    notes[at / 2] = 0;
                    dirty[at / PAGE] = true;
                }
                Kind::Djnz => {
                    let left = d.wrapping_sub(1);
                    set!(left);
                    if left != 0 {
                        jump!(slot.value);
                    }
                }
                Kind::Call => enter!(slot.value),
                Kind::CallReg => enter!(d),
                Kind::JmpReg => {
                    if d == pc {
                        break Exit::Loop;
                    }
                    jump!(d);
                }
                Kind::Ret => {
                    let sp = registers[STACK];
                    next = load_word!(sp);
                    registers[STACK] = sp.wrapping_add(2);
                    if drop_frames(frames, sp) <= depth {
                        pc = next;
                        steps = steps.wrapping_add(1);
                        cycles = cycles.wrapping_add(u64::from(slot.cycles));
                        break Exit::Depth;
                    }
                }
                Kind::Halt | Kind::Reti | Kind::Ei | Kind::Di | Kind::Brk | Kind::PopFl | Kind::Sys => {
                    break Exit::Rare(*slot);
                }
            }
            pc = next;
            steps = steps.wrapping_add(1);
            cycles = cycles.wrapping_add(u64::from(slot.cycles));
        };
        cpu.registers = registers;
        (cpu.pc, cpu.flags, cpu.known) = (pc, flags, known);
        cpu.flag_writers = [carry_writer, flag_writer, interrupt_writer];
        (state.steps, state.cycles) = (steps, cycles);
        exit
    }

    // ---- the long way to memory

    fn load_word(&mut self, address: u16) -> Result<u16, FaultKind> {
        if address & 1 != 0 {
            return Err(FaultKind::Misaligned { address, fetch: false });
        }
        if !self.memory.all(address, 2, READ) {
            return Err(FaultKind::Read { address });
        }
        if self.memory.all(address, 1, DEVICE) { Ok(self.device_load(address)) } else { Ok(self.memory.word(address)) }
    }

    fn load_byte(&self, address: u16) -> Result<u8, FaultKind> {
        if self.memory.all(address, 1, DEVICE) {
            return Err(FaultKind::DeviceByte { address });
        }
        if !self.memory.all(address, 1, READ) {
            return Err(FaultKind::Read { address });
        }
        Ok(self.memory.bytes[usize::from(address)])
    }

    pub(super) fn store_word(&mut self, address: u16, value: u16, note: u8) -> Result<(), FaultKind> {
        if address & 1 != 0 {
            return Err(FaultKind::Misaligned { address, fetch: false });
        }
        if !self.memory.all(address, 2, WRITE) {
            return Err(FaultKind::Write { address });
        }
        if self.memory.all(address, 1, DEVICE) {
            self.device_store(address, value);
            return Ok(());
        }
        for (offset, byte) in (0..).zip(value.to_le_bytes()) {
            self.memory.put(address + offset, byte);
            self.forget_decoded(address + offset);
        }
        self.memory.notes[usize::from(address / 2)] = note;
        Ok(())
    }

    fn store_byte(&mut self, address: u16, value: u8) -> Result<(), FaultKind> {
        if self.memory.all(address, 1, DEVICE) {
            return Err(FaultKind::DeviceByte { address });
        }
        if !self.memory.all(address, 1, WRITE) {
            return Err(FaultKind::Write { address });
        }
        self.memory.put(address, value);
        self.forget_decoded(address);
        Ok(())
    }

    /// An instruction whose access to memory is not plain.
    fn access(&mut self, slot: Slot, depth: i64) -> Result<Option<Stop>, FaultKind> {
        let pc = self.state.cpu.pc;
        let a = usize::from(slot.a & 15);
        let registers = self.state.cpu.registers;
        let (d, sp) = (registers[a], registers[STACK]);
        let s = registers[usize::from(slot.b & 15)].wrapping_add(slot.value);
        let below = sp.wrapping_sub(2);
        let mut next = slot.next;
        match slot.kind {
            Kind::Ldw => {
                let value = self.load_word(s)?;
                self.set(a, value);
            }
            Kind::Ldb => {
                let value = self.load_byte(s)?;
                self.set(a, value.into());
            }
            Kind::Ldsb => {
                let value = self.load_byte(s)?;
                self.set(a, i16::from(value.cast_signed()).cast_unsigned());
            }
            Kind::Stw => self.store_word(s, d, 0)?,
            Kind::Stb => self.store_byte(s, d.to_le_bytes()[0])?,
            Kind::Push => {
                self.store_word(below, d, slot.a + 1)?;
                self.set(STACK, below);
            }
            Kind::PushFl => {
                self.store_word(below, self.state.cpu.flags, NOTE_FLAGS)?;
                self.set(STACK, below);
            }
            Kind::Pop => {
                let value = self.load_word(sp)?;
                self.set(STACK, sp.wrapping_add(2));
                self.set(a, value);
            }
            Kind::PopFl => {
                let value = self.load_word(sp)?;
                self.set(STACK, sp.wrapping_add(2));
                self.set_flags(value, pc);
            }
            Kind::Call | Kind::CallReg => {
                self.store_word(below, slot.next, NOTE_RETURN)?;
                self.set(STACK, below);
                next = if slot.kind == Kind::Call { slot.value } else { d };
                self.push_frame(pc, next, FrameKind::Call);
            }
            Kind::Ret => {
                next = self.load_word(sp)?;
                self.set(STACK, sp.wrapping_add(2));
            }
            Kind::Reti => {
                next = self.load_word(sp)?;
                let flags = self.load_word(sp.wrapping_add(2))?;
                self.set(STACK, sp.wrapping_add(4));
                self.set_flags(flags, pc);
            }
            _ => return Ok(None),
        }
        self.done(slot, next);
        let left = matches!(slot.kind, Kind::Ret | Kind::Reti) && drop_frames(&mut self.state.frames, sp) <= depth;
        Ok(left.then_some(Stop::Depth))
    }

    fn set(&mut self, register: usize, value: u16) {
        self.state.cpu.registers[register] = value;
        self.state.cpu.known |= 1 << register;
    }

    /// Enters a routine whose return address has just been pushed.
    pub(super) fn push_frame(&mut self, site: u16, target: u16, kind: FrameKind) {
        let slot = u32::from(self.state.cpu.registers[STACK]);
        let frame = Frame { slot, site: site.into(), target: target.into(), kind };
        self.calls.enter(&mut self.state.frames, frame, self.state.steps);
    }

    // ---- what is rare

    /// Carries out an instruction the loop leaves alone.
    fn rare(&mut self, slot: Slot, depth: i64) -> Option<Stop> {
        let pc = self.state.cpu.pc;
        match slot.kind {
            Kind::Halt => {
                self.done(slot, slot.next);
                self.state.finished = Some(0);
                Some(Stop::Finished(0))
            }
            Kind::Ei | Kind::Di => {
                self.done(slot, slot.next);
                let allowed = if slot.kind == Kind::Ei { I } else { 0 };
                self.set_flags(self.state.cpu.flags & !I | allowed, pc);
                None
            }
            Kind::Brk => self.brk(slot),
            Kind::Sys => self.system_call(slot),
            _ => match self.access(slot, depth) {
                Ok(stop) => stop,
                Err(kind) => self.fault(kind),
            },
        }
    }

    /// Counts an instruction and goes on at `next`.
    pub(super) fn done(&mut self, slot: Slot, next: u16) {
        self.state.steps += 1;
        self.state.cycles += u64::from(slot.cycles);
        self.state.cpu.pc = next;
    }

    /// Sets all flags.
    pub(super) fn set_flags(&mut self, flags: u16, writer: u16) {
        let interrupts_only = (flags ^ self.state.cpu.flags) & !I == 0;
        self.state.cpu.flags = flags & super::ALL_FLAGS;
        self.state.cpu.flag_writers[2] = writer;
        if !interrupts_only {
            self.state.cpu.flag_writers = [writer; 3];
        }
    }

    /// The fault as it will be reported.
    pub(super) fn fault_of(&self, kind: FaultKind) -> Fault {
        Fault { pc: self.state.cpu.pc.into(), kind }
    }
}
