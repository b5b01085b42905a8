//! Carrying instructions out, one after the other.
//!
//! [`Machine::step`] has one place for each instruction. It changes nothing before it is certain that the instruction
//! does not fail. How much is told of a step is a number: nothing, that it was taken, what it wrote, what it read too.

use super::hook::{Blind, Looker, Observing};
use super::prints::{Prints, fingerprint};
use super::{Cpu, Machine, State};
use crate::activity::Deed;
use crate::common::Common;
use crate::events::{Awaited, Run, Stop, Watch};
use crate::fault::{Fault, FaultKind};
use crate::frames::{Frame, FrameKind};
use crate::memory::EXECUTE;
use crate::repeats::{Round, Task};
use crate::report::{FlagsChange, Observer, Report, StepKind, Write};
use rustc_hash::FxHasher;
use std::hash::Hasher;
use std::ops::ControlFlow;
use wendax_isa::rv32::{DEVICE_START, Format, Insn, Op, SP, csr_name, decode, goes, is_link};
use wendax_isa::{Addr, Reg, StepNo, sign_extended};

/// How much is told.
const STEPS: u8 = 1;
pub(super) const WRITES: u8 = 2;
pub(super) const READS: u8 = 3;

/// Cycles of the entry of a trap, and those more of an access, of a way that is gone, of products and quotients.
pub(super) const TRAP: u64 = 4;
pub(super) const ACCESS: u64 = 1;
pub(super) const GONE: u64 = 1;
pub(super) const PRODUCT: u64 = 3;
pub(super) const QUOTIENT: u64 = 15;
/// Those more of a call that the host serves.
const CALL: u64 = 10;

/// Why an instruction cannot be carried out.
#[derive(Debug, Clone, Copy)]
pub(super) struct Fail {
    /// Its number in `mcause`, and what `mtval` tells.
    pub(super) cause: u32,
    pub(super) about: u32,
    pub(super) kind: FaultKind,
}

/// What came of a step that was taken.
pub(super) enum After {
    On,
    Brk,
    Finished(u32),
}

/// Why a step was not taken.
pub(super) enum Halt {
    Fails(Fail),
    Stops(Stop),
}

impl From<Fail> for Halt {
    fn from(fail: Fail) -> Self {
        Self::Fails(fail)
    }
}

/// An instruction with what is asked of it again and again.
#[derive(Debug, Clone, Copy)]
pub(super) struct Decoded {
    pub(super) insn: Insn,
    pub(super) op: Op,
    pub(super) format: Format,
    word: u32,
}

/// Instructions decoded before, by where they stand; each counts as long as nothing was written to code since.
#[derive(Debug, Clone)]
pub(super) struct Cache {
    slots: Box<[(u32, u64, Decoded); SLOTS]>,
}

const SLOTS: usize = 4096;

impl Default for Cache {
    fn default() -> Self {
        let insn = Insn::new(Op::Addi, (0, 0, 0), 0);
        let none = Decoded { insn, op: Op::Addi, format: Format::Immediate, word: 0 };
        Self { slots: Box::new(std::array::from_fn(|_| (0, 0, none))) }
    }
}

impl Cache {
    fn slot(pc: u32) -> usize {
        (pc >> 2) as usize & (SLOTS - 1)
    }

    /// What was decoded there while code was as it is.
    #[inline]
    pub(super) fn known(&self, pc: u32, code: u64) -> Option<&Decoded> {
        let (at, when, decoded) = &self.slots[Self::slot(pc)];
        (*at == pc && *when == code).then_some(decoded)
    }

    fn keep(&mut self, pc: u32, code: u64, decoded: Decoded) {
        self.slots[Self::slot(pc)] = (pc, code, decoded);
    }

    /// All has to be decoded anew.
    pub(super) fn clear(&mut self) {
        self.slots.iter_mut().for_each(|slot| slot.1 = 0);
    }
}

/// Signed quotient and remainder as the standard has them, also by zero and at the overflow.
fn division(op: Op, a: u32, b: u32) -> u32 {
    let (signed_a, signed_b) = (a.cast_signed(), b.cast_signed());
    match op {
        Op::Div if b == 0 => u32::MAX,
        Op::Div => signed_a.wrapping_div(signed_b).cast_unsigned(),
        Op::Divu => a.checked_div(b).unwrap_or(u32::MAX),
        Op::Rem if b == 0 => a,
        Op::Rem => signed_a.wrapping_rem(signed_b).cast_unsigned(),
        _ => a.checked_rem(b).unwrap_or(a),
    }
}

/// The high word of a product.
fn high(product: i64) -> u32 {
    let [.., e, f, g, h] = product.to_le_bytes();
    u32::from_le_bytes([e, f, g, h])
}

/// What an instruction of registers or constants computes of two values.
#[expect(clippy::inline_always, reason = "with the operation known all but one of its cases falls away")]
#[inline(always)]
pub(super) fn computed(op: Op, a: u32, b: u32) -> u32 {
    let signed = |value: u32| i64::from(value.cast_signed());
    let count = b & 31;
    match op {
        Op::Add | Op::Addi => a.wrapping_add(b),
        Op::Sub => a.wrapping_sub(b),
        Op::Sll | Op::Slli => a << count,
        Op::Srl | Op::Srli => a >> count,
        Op::Sra | Op::Srai => (a.cast_signed() >> count).cast_unsigned(),
        Op::Slt | Op::Slti => (a.cast_signed() < b.cast_signed()).into(),
        Op::Sltu | Op::Sltiu => (a < b).into(),
        Op::Xor | Op::Xori => a ^ b,
        Op::Or | Op::Ori => a | b,
        Op::And | Op::Andi => a & b,
        Op::Mul => a.wrapping_mul(b),
        Op::Mulh => high(signed(a) * signed(b)),
        Op::Mulhsu => high(signed(a) * i64::from(b)),
        Op::Mulhu => high((u64::from(a) * u64::from(b)).cast_signed()),
        _ => division(op, a, b),
    }
}

/// How an access is made: bytes, and whether the sign is extended.
pub(super) fn width(op: Op) -> (u32, bool) {
    match op {
        Op::Lb => (1, true),
        Op::Lbu | Op::Sb => (1, false),
        Op::Lh => (2, true),
        Op::Lhu | Op::Sh => (2, false),
        _ => (4, false),
    }
}

impl Machine {
    pub(crate) fn run(&mut self, how: Run) -> Stop {
        self.run_with::<0, _>(how, true, &mut Blind)
    }

    pub(crate) fn run_past(&mut self, how: Run) -> Stop {
        self.run_with::<0, _>(how, false, &mut Blind)
    }

    pub(crate) fn run_observed<O: Observer>(&mut self, how: Run, observer: &mut O) -> Stop {
        let see = &mut |report: &Report| observer.see(report);
        match (O::WRITES, O::READS) {
            (false, _) => self.run_with::<STEPS, _>(how, false, &mut Observing { see, wants: [false, false] }),
            (true, false) => self.run_with::<WRITES, _>(how, false, &mut Observing { see, wants: [true, false] }),
            (true, true) => self.run_told(how, &mut Observing { see, wants: [true, true] }),
        }
    }

    /// The same with everything told.
    pub(super) fn run_told(&mut self, how: Run, looker: &mut impl Looker) -> Stop {
        self.run_with::<READS, _>(how, false, looker)
    }

    pub(crate) fn step_on(&mut self, how: Run) -> Stop {
        let was_followed = self.around.repeats.is_at(self.state.common.steps);
        let one = Run { until: (self.steps() + 1).min(how.until), effort: u64::MAX, ..how };
        let stop = self.run_told(one, &mut Observing { see: &mut |_| ControlFlow::Continue(()), wants: [true, true] });
        if was_followed {
            self.around.repeats.moved(self.state.common.steps);
        }
        stop
    }

    fn run_with<const TOLD: u8, L: Looker>(&mut self, how: Run, looks: bool, looker: &mut L) -> Stop {
        self.around.worked_before += self.around.worked;
        self.around.worked = 0;
        let begun = self.state.common.steps;
        let stop = self.go::<TOLD, L>(how, looks, looker);
        if self.state.common.steps != begun {
            self.around.came.clear();
        }
        stop
    }

    fn go<const TOLD: u8, L: Looker>(&mut self, how: Run, looks: bool, looker: &mut L) -> Stop {
        if let Some(status) = self.state.common.finished {
            return Stop::Finished(status);
        }
        let depth = how.depth.map_or(-1, i64::from);
        let watches = TOLD == 0 && looks && how.watch > Watch::Nothing;
        let mark = self.around.effort(&self.state.common);
        if watches {
            self.around.repeats.follow(self.state.common.steps);
        }
        let looks_at_rare = TOLD == 0 && looks && self.around.looks_at_rare;
        let looks = TOLD == 0 && looks && !self.lookout.is_empty();
        let mut is_first = true;
        loop {
            let Common { steps, cycles, waited, .. } = self.state.common;
            if StepNo(steps) >= how.until {
                let stopped = self.breakpoints.contains(&self.state.cpu.pc);
                return if stopped { Stop::Breakpoint } else { Stop::Steps };
            }
            if self.state.common.console.printed >= how.printed {
                return Stop::Printed;
            }
            let own_time = how.milliseconds.saturating_sub(waited);
            if cycles >= how.cycles.min(own_time.saturating_mul(crate::CYCLES_A_MILLISECOND)) {
                return Stop::Cycles;
            }
            if self.around.effort(&self.state.common).wrapping_sub(mark) >= how.effort {
                return Stop::Worked;
            }
            if watches && let Some(stop) = self.tend(how.watch) {
                return stop;
            }
            // Where nothing else is to be looked at in between, a stretch is run at one go.
            if !self.interrupt_comes() {
                let left = how.effort.saturating_sub(self.around.effort(&self.state.common).wrapping_sub(mark));
                let due = if watches { self.around.repeats.due() } else { u64::MAX };
                let until = how.until.0.min(steps.saturating_add(left)).min(due);
                let horizon = how.cycles.min(own_time.saturating_mul(crate::CYCLES_A_MILLISECOND));
                let quiet = self.quiet_until();
                let ends = if self.state.cpu.control.allowed { horizon.min(quiet) } else { horizon };
                let mut is_over = true;
                if TOLD > 0 {
                    let (is_seen, is_far) = self.run_told_stretch((until, ends), depth, looker);
                    if is_seen {
                        return Stop::Observed;
                    }
                    is_over = is_far;
                } else if watches && self.around.repeats.is_looking() {
                    let mut repeats = std::mem::take(&mut self.around.repeats);
                    // That nothing more is to be seen is no reason to stop.
                    let (is_seen, is_far) = self.run_told_stretch((until, ends), depth, &mut Prints(&mut repeats));
                    self.around.repeats = repeats;
                    is_over = is_seen || is_far;
                } else {
                    self.run_stretch((until, ends, how.printed), depth, looks);
                    // A wait arrives where it waits again and again: who stops there is not to miss that.
                    let is_passed = self.state.common.steps == steps
                        && self.waits()
                        && !self.breakpoints.contains(&self.state.cpu.pc)
                        && !(looks && self.is_looked_for());
                    if is_passed {
                        self.pass_wait(how.until.0.min(due), horizon.min(quiet));
                    }
                }
                if watches {
                    self.around.repeats.moved(self.state.common.steps);
                }
                if self.state.common.steps != steps {
                    is_first = false;
                    if is_over {
                        continue;
                    }
                }
            }
            let before = self.state.common.frames.depth();
            let taken = if let Some(number) = self.interrupt_next() {
                if looks_at_rare {
                    return Stop::Watched;
                }
                self.enter_interrupt::<TOLD>(number);
                After::On
            } else {
                if !is_first && !self.breakpoints.is_empty() && self.breakpoints.contains(&self.state.cpu.pc) {
                    return Stop::Breakpoint;
                }
                if looks && self.is_looked_for() {
                    return Stop::Watched;
                }
                match self.step::<TOLD>() {
                    Ok(after) => after,
                    Err(Halt::Stops(stop)) => return stop,
                    Err(Halt::Fails(_)) if looks_at_rare => return Stop::Watched,
                    Err(Halt::Fails(fail)) => {
                        if self.state.cpu.control.mtvec == 0 {
                            return Stop::Fault(Fault { pc: self.pc(), kind: fail.kind, trap: fail.cause });
                        }
                        self.enter_fault::<TOLD>(fail);
                        After::On
                    }
                }
            };
            is_first = false;
            if watches {
                self.around.repeats.moved(self.state.common.steps);
                if self.around.repeats.is_looking() {
                    // That nothing more is to be seen is no reason to stop.
                    let _ = self.around.repeats.see(self.state.common.steps, fingerprint(&self.state.cpu));
                }
            }
            let flow = looker.see(&self.around.report, &self.state);
            match taken {
                After::Finished(status) => return Stop::Finished(status),
                After::Brk => return Stop::Brk,
                After::On => {}
            }
            let left = self.state.common.frames.depth();
            if left < before && left <= depth {
                return Stop::Depth { returned: self.around.report.returned };
            }
            if flow.is_break() {
                return Stop::Observed;
            }
        }
    }

    // ---- states that repeat

    /// Does what is due; a reason to stop when a round was found that nothing could end.
    fn tend(&mut self, watch: Watch) -> Option<Stop> {
        let steps = self.state.common.steps;
        while self.around.repeats.due() <= steps {
            if self.around.repeats.tend(steps) == Task::Hash {
                let hash = self.hash();
                let round = self.around.repeats.take_hash(steps, hash);
                if let Some(stop) = round.and_then(|round| self.stuck(round, watch)) {
                    return Some(stop);
                }
            }
        }
        None
    }

    /// A round of states that repeat was found: whether that is a reason to stop.
    fn stuck(&self, round: Round, watch: Watch) -> Option<Stop> {
        let did = |deed| self.around.activity.since(deed, round.since);
        let waits = self.waits();
        let [clock, timer, key, lever] = self.armed(waits);
        let allowed = waits || self.state.cpu.control.allowed || did(Deed::Allowed);
        let ticks = did(Deed::Timer) && self.state.common.board.timer.running;
        if did(Deed::Worked) || allowed && (clock || timer) || ticks {
            return None;
        }
        let awaited =
            Awaited { console: did(Deed::Console) || allowed && key, levers: did(Deed::Levers) || allowed && lever };
        let period = round.period;
        if awaited == Awaited::default() {
            return Some(Stop::Circling { period });
        }
        (watch == Watch::Idle).then_some(Stop::Idle { period, awaited })
    }

    /// The next instruction is one that waits for an interrupt.
    fn waits(&self) -> bool {
        decode(self.memory.word(self.state.cpu.pc)).is_some_and(|insn| insn.op() == Op::Wfi)
    }

    /// One number for the whole state, but for what only counts.
    fn hash(&self) -> u64 {
        let mut hasher = FxHasher::default();
        hasher.write_u64(self.memory.hash());
        let State { cpu, common, heap_end } = &self.state;
        for word in cpu.registers.iter().chain(&cpu.control.words()).chain(&[cpu.pc, cpu.known, *heap_end]) {
            hasher.write_u32(*word);
        }
        for word in Self::clock_words(common, &cpu.control) {
            hasher.write_u64(word);
        }
        common.hash(&mut hasher);
        hasher.finish()
    }

    // ---- one instruction

    /// The next instruction, if it can be run.
    #[inline]
    pub(super) fn fetch(&mut self) -> Result<Decoded, Fail> {
        self.fetch_at(self.state.cpu.pc)
    }

    /// The instruction at an address, if it can be run.
    #[inline]
    pub(super) fn fetch_at(&mut self, pc: u32) -> Result<Decoded, Fail> {
        match self.cache.known(pc, self.memory.code()) {
            Some(decoded) => Ok(*decoded),
            None => self.decode_at(pc),
        }
    }

    #[cold]
    fn decode_at(&mut self, pc: u32) -> Result<Decoded, Fail> {
        let address = Addr(pc);
        if pc & 3 != 0 {
            return Err(Fail { cause: 0, about: pc, kind: FaultKind::Misaligned { address, fetch: true } });
        }
        if !self.memory.all(pc, 4, EXECUTE) {
            return Err(Fail { cause: 1, about: pc, kind: FaultKind::Execute { address } });
        }
        let word = self.memory.word(pc);
        let insn = decode(word).ok_or(Fail { cause: 2, about: word, kind: FaultKind::Illegal { word } })?;
        self.used = self.used.with(insn.may_use());
        self.memory.note_decoded(pc);
        let decoded = Decoded { insn, op: insn.op(), format: insn.row().format, word };
        self.cache.keep(pc, self.memory.code(), decoded);
        Ok(decoded)
    }

    /// Takes one instruction as a step.
    pub(super) fn step<const TOLD: u8>(&mut self) -> Result<After, Halt> {
        let Decoded { insn, op, format, word } = self.fetch()?;
        let pc = self.state.cpu.pc;
        if TOLD > 0 {
            self.begin(word);
        }
        let a = self.state.cpu.registers[usize::from(insn.rs1 & 31)];
        let b = self.state.cpu.registers[usize::from(insn.rs2 & 31)];
        let following = pc.wrapping_add(4);
        let mut next = following;
        let mut cycles = 1;
        let mut returned = false;
        match format {
            Format::Registers | Format::Immediate | Format::Shift if op != Op::Jalr => {
                let other = if format == Format::Registers { b } else { insn.value };
                cycles += match op {
                    Op::Mul | Op::Mulh | Op::Mulhsu | Op::Mulhu => PRODUCT,
                    Op::Div | Op::Divu | Op::Rem | Op::Remu => QUOTIENT,
                    _ => 0,
                };
                self.set::<TOLD>(insn.rd, computed(op, a, other));
            }
            Format::Upper => {
                let value = if op == Op::Lui { insn.value } else { pc.wrapping_add(insn.value) };
                self.set::<TOLD>(insn.rd, value);
            }
            Format::Load if op != Op::Jalr => {
                let (length, is_signed) = width(op);
                let value = self.load::<TOLD>(a.wrapping_add(insn.value), length)?;
                let value = if is_signed { sign_extended(value, 8 * length).cast_unsigned() } else { value };
                cycles += ACCESS;
                self.set::<TOLD>(insn.rd, value);
            }
            Format::Store => {
                self.store::<TOLD>(a.wrapping_add(insn.value), width(op).0, b, insn.rs2)?;
                cycles += ACCESS;
            }
            Format::Branch => {
                if goes(op, a, b) {
                    next = target(pc.wrapping_add(insn.value))?;
                    self.may_go_there(pc, next)?;
                    cycles += GONE;
                }
            }
            Format::Jump => {
                next = target(pc.wrapping_add(insn.value))?;
                if insn.rd == 0 {
                    self.may_go_there(pc, next)?;
                }
                self.set::<TOLD>(insn.rd, following);
                self.calls(insn.rd, pc, next);
                cycles += GONE;
            }
            Format::Csr | Format::CsrConstant => self.access_control::<TOLD>(insn, a, word)?,
            Format::Fence => {}
            // `jalr` is laid out like loads and sums, and goes.
            Format::Registers | Format::Immediate | Format::Shift | Format::Load => {
                next = target(a.wrapping_add(insn.value) & !1)?;
                self.set::<TOLD>(insn.rd, following);
                // The standard's hints: what comes from a register that holds a way back returns, unless it is the one that
                // gets another way back.
                if is_link(Reg(insn.rs1)) && insn.rs1 != insn.rd {
                    returned = self.returns(next);
                }
                self.calls(insn.rd, pc, next);
                cycles += GONE;
            }
            Format::Fixed => match op {
                Op::Ecall => return self.ecall::<TOLD>(),
                Op::Ebreak if self.state.cpu.control.mtvec != 0 => {
                    self.enter_own::<TOLD>(3, pc);
                    return Ok(After::On);
                }
                Op::Ebreak => {
                    self.took::<TOLD>(StepKind::Instruction, following, 4, cycles, false);
                    return Ok(After::Brk);
                }
                Op::Mret => {
                    next = self.leave_handler();
                    returned = true;
                    cycles += GONE;
                }
                Op::Wfi => {
                    let enabled = self.state.cpu.control.mie;
                    if enabled != 0 && self.pending() & enabled == 0 {
                        next = pc;
                        // It is not done yet.
                        self.state.cpu.control.done_is_set = true;
                    }
                }
                _ => {}
            },
        }
        self.took::<TOLD>(StepKind::Instruction, next, 4, cycles, returned);
        Ok(After::On)
    }

    /// A jump to itself that nothing could end is a reason to stop.
    fn may_go_there(&self, pc: u32, next: u32) -> Result<(), Halt> {
        let is_stuck = next == pc && !(self.state.cpu.control.allowed && self.armed(false).contains(&true));
        if is_stuck { Err(Halt::Stops(Stop::Circling { period: 1 })) } else { Ok(()) }
    }

    /// Writes a register.
    pub(super) fn set<const TOLD: u8>(&mut self, register: u8, value: u32) {
        if register == 0 {
            return;
        }
        let index = usize::from(register & 31);
        let Cpu { registers, known, .. } = &mut self.state.cpu;
        if TOLD >= WRITES {
            let (old, was_known) = (registers[index], *known >> index & 1 != 0);
            self.around.report.writes.push(Write::Register { register: Reg(register), old, new: value, was_known });
        }
        registers[index] = value;
        *known |= 1 << index;
        if register == SP {
            self.state.common.frames.leave_below(Addr(value));
        }
    }

    fn load<const TOLD: u8>(&mut self, address: u32, length: u32) -> Result<u32, Fail> {
        let at = Addr(address);
        if !address.is_multiple_of(length) {
            return Err(Fail { cause: 4, about: address, kind: FaultKind::Misaligned { address: at, fetch: false } });
        }
        let fail = |kind| Fail { cause: 5, about: address, kind };
        let value = if address >= DEVICE_START {
            if length != 4 {
                return Err(fail(FaultKind::DeviceByte { address: at }));
            }
            if !super::devices::is_register(address) {
                return Err(fail(FaultKind::Read { address: at }));
            }
            let read = self.state.common.console.read;
            let value = self.device_load(address);
            if TOLD > 0 {
                self.around.report.consumed += self.state.common.console.read - read;
            }
            value
        } else {
            self.memory.read(address, length).ok_or_else(|| fail(FaultKind::Read { address: at }))?
        };
        if TOLD >= READS {
            self.around.report.reads.push((at, length));
        }
        Ok(value)
    }

    fn store<const TOLD: u8>(&mut self, address: u32, length: u32, value: u32, register: u8) -> Result<(), Fail> {
        let at = Addr(address);
        if !address.is_multiple_of(length) {
            return Err(Fail { cause: 6, about: address, kind: FaultKind::Misaligned { address: at, fetch: false } });
        }
        let fail = |kind| Fail { cause: 7, about: address, kind };
        if address >= DEVICE_START {
            if length != 4 {
                return Err(fail(FaultKind::DeviceByte { address: at }));
            }
            let is_known = wendax_isa::rv32::TARGET.device(at).is_some_and(|register| register.writable);
            if !is_known {
                return Err(fail(FaultKind::Write { address: at }));
            }
            let write = self.device_store(address, value);
            if TOLD >= WRITES {
                self.around.report.writes.extend(write);
                let printed = u64::from(write.is_none());
                self.around.report.printed += printed;
            }
            return Ok(());
        }
        // Of what is no word nobody asks who put it there.
        let note = if length == 4 { register + 1 } else { 0 };
        let Some((old, was_known)) = self.memory.store(address, length, value, note) else {
            return Err(fail(FaultKind::Write { address: at }));
        };
        if TOLD >= WRITES {
            let new = if length == 4 { value } else { value & ((1 << (8 * length)) - 1) };
            self.around.report.writes.push(Write::Memory { address: at, length, old, new, was_known });
        }
        Ok(())
    }

    /// An instruction about a control and status register.
    fn access_control<const TOLD: u8>(&mut self, insn: Insn, register: u32, word: u32) -> Result<(), Fail> {
        let illegal = Fail { cause: 2, about: word, kind: FaultKind::Illegal { word } };
        let number = u16::try_from(insn.value & 0xFFF).unwrap_or(0);
        let old = self.control_value(number).filter(|_| csr_name(number).is_some()).ok_or(illegal)?;
        let given = if insn.row().format == Format::CsrConstant { insn.rs1.into() } else { register };
        let (new, writes) = match insn.op() {
            Op::Csrrw | Op::Csrrwi => (given, true),
            Op::Csrrs | Op::Csrrsi => (old | given, insn.rs1 != 0),
            _ => (old & !given, insn.rs1 != 0),
        };
        // The standard's: numbers whose upper two bits are 3 can only be read.
        if writes && number >> 10 == 3 {
            return Err(illegal);
        }
        if matches!(number, 0xB00 | 0xB80 | 0xC00 | 0xC80 | 0xC01 | 0xC81) {
            self.around.activity.note(Deed::Worked, self.state.common.steps);
        }
        if writes {
            self.set_control(number, new);
            if self.state.cpu.control.allowed {
                self.around.activity.note(Deed::Allowed, self.state.common.steps);
            }
        }
        self.set::<TOLD>(insn.rd, old);
        Ok(())
    }

    // ---- routines

    /// A register that holds ways back was written by a jump: a routine is entered.
    fn calls(&mut self, register: u8, pc: u32, next: u32) {
        if is_link(Reg(register)) {
            self.enter(Addr(pc.wrapping_add(4)), Addr(next), FrameKind::Call);
        }
    }

    /// A routine or handler is entered at an address, to come back to another one.
    pub(super) fn enter(&mut self, back: Addr, target: Addr, kind: FrameKind) {
        let frame = Frame { slot: self.stack_pointer(), back, site: self.pc(), target, step: self.steps(), kind };
        self.around.calls.enter(&mut self.state.common.frames, frame);
    }

    /// The program goes to where a routine was to return to, with the stack no lower than at its entry: it is left, with
    /// all that were entered from it. False when none returns there.
    fn returns(&mut self, next: u32) -> bool {
        let sp = self.stack_pointer();
        self.state.common.frames.leave_one(|frame| frame.back == Addr(next) && frame.slot <= sp)
    }

    // ---- what is told

    /// A step begins at the word that stands there.
    pub(super) fn begin(&mut self, word: u32) {
        self.around.report.clear();
        self.around.report.code = [word, 0];
    }

    /// A step was taken.
    pub(super) fn took<const TOLD: u8>(&mut self, kind: StepKind, next: u32, length: u32, cycles: u64, returned: bool) {
        let State { cpu, common, .. } = &mut self.state;
        let (pc, step, begun) = (cpu.pc, common.steps, common.cycles);
        cpu.pc = next;
        common.steps += 1;
        common.cycles += cycles;
        let is_done = length > 0 && !matches!(kind, StepKind::Trap(_));
        cpu.control.done += u64::from(is_done && !std::mem::take(&mut cpu.control.done_is_set));
        let report = &mut self.around.report;
        report.returned = returned;
        if TOLD > 0 {
            (report.step, report.kind, report.cycles) = (StepNo(step), kind, cycles);
            (report.pc, report.next, report.length) = (Addr(pc), Addr(next), length);
            report.expired = common.board.timer.expires_between(begun, common.cycles);
            report.depth = usize::try_from(common.frames.depth()).unwrap_or(0);
            report.take_came(&mut self.around.came);
            report.flags = FlagsChange::default();
        }
    }

    /// What is looked out for may come with the next instruction.
    pub(super) fn is_looked_for(&mut self) -> bool {
        let Ok(Decoded { insn, .. }) = self.fetch() else { return self.around.looks_at_rare };
        let lookout = &self.lookout;
        let is_call = matches!(insn.op(), Op::Ecall | Op::Ebreak);
        let reaches = || {
            let Some(access) = self.access_of(insn) else { return is_call && !lookout.cells.is_empty() };
            let (from, to) = (u64::from(access.address.0), u64::from(access.address.0) + u64::from(access.bytes));
            lookout.cells.iter().any(|(first, end)| from < u64::from(end.0) && u64::from(first.0) < to)
        };
        self.may_be_looked_for(insn) || !lookout.cells.is_empty() && reaches()
    }

    /// The instruction may do what is looked out for, apart from the cells it touches.
    pub(super) fn may_be_looked_for(&self, insn: Insn) -> bool {
        let is_call = matches!(insn.op(), Op::Ecall | Op::Ebreak);
        let own = insn.may_use();
        let (wanted, lookout) = (self.lookout.uses, &self.lookout);
        let touches = own.reads & wanted.reads | own.writes & wanted.writes;
        let is_named =
            || super::looking::names_of(insn).iter().any(|name| lookout.mnemonics.iter().any(|known| known == name));
        let may_leave = || insn.op() == Op::Mret || insn.op() == Op::Jalr || insn.rd == SP && insn.uses().writes != 0;
        touches != 0
            || is_call && lookout.rare
            || lookout.leaving && may_leave()
            || !lookout.mnemonics.is_empty() && is_named()
    }

    /// `ecall`: the program's own handler, or the host.
    fn ecall<const TOLD: u8>(&mut self) -> Result<After, Halt> {
        if self.state.cpu.control.mtvec != 0 {
            self.enter_own::<TOLD>(11, 0);
            return Ok(After::On);
        }
        self.serve::<TOLD>(1 + CALL).map_err(Halt::Stops)
    }
}

/// Where a jump goes: to a multiple of 4.
fn target(next: u32) -> Result<u32, Fail> {
    if next.is_multiple_of(4) {
        return Ok(next);
    }
    Err(Fail { cause: 0, about: next, kind: FaultKind::Misaligned { address: Addr(next), fetch: true } })
}
