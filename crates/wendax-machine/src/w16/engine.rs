//! Running instructions.
//!
//! `Machine::fast` is the loop: it keeps the counters and flags in locals and leaves as soon as anything
//! rare comes up. `Machine::run_on` deals with what is rare and goes back in. Each instruction has one place where it
//! is carried out: in the loop, or, for the few that stop the run or call the host, in `Machine::rare`.
//!
//! The loop is compiled once for each [`Trace`] that goes along with it: [`Blind`], which sees nothing and costs
//! nothing; [`Traced`], which reports each step to an observer; [`Prints`], which shows fingerprints of states to
//! `repeats`; and what `counting` has for measuring. An access to memory that is not plain takes the long way through `bus`, and the loop is left behind its
//! instruction, since a device may have changed what interrupts may come.

use super::bus::Bus;
use super::rounds::Told;
use super::slots::{Kind, Slot};
use super::{Frame, Machine, NOTE_FLAGS, NOTE_RETURN, State};
use crate::activity::Deed;
use crate::common::{Around, Common};
use crate::events::{Awaited, Run, Stop, Watch};
use crate::fault::{Fault, FaultKind};
use crate::files::FileDeed;
use crate::frames::FrameKind;
use crate::memory::{Cells, DECODED, DEVICE, DIRTY, EXECUTE, KNOWN, Memory, PAGE, READ, SIZE, SPECIAL, WATCHED, WRITE};
use crate::repeats::{Repeats, Round, Task};
use crate::report::{Came, FlagsChange, Observer, Report, StepKind, Write};
use rustc_hash::FxHasher;
use std::hash::Hasher;
use std::ops::ControlFlow;
use std::sync::Arc;
use wendax_isa::w16::{C, I, Insn, N, SP, V, Z, decode};
use wendax_isa::{Reg, StepNo};

/// Why the loop was left.
#[derive(Debug, Clone, Copy)]
pub(super) enum Exit {
    /// The step or the cycle it was to run to, or something changed that interrupts hang on.
    Horizon,
    Depth {
        returned: bool,
    },
    Observed,
    Breakpoint,
    /// The next instruction does what is looked out for.
    Watched,
    /// The next slot was never decoded.
    Undecoded,
    /// The next instruction is one that `rare` carries out.
    Rare(Slot),
    /// The next instruction cannot be carried out.
    Fault(FaultKind),
    /// A jump to itself.
    Loop,
}

/// A step as the loop tells of it.
pub(super) struct Done<'a> {
    pub(super) step: u64,
    pub(super) kind: StepKind,
    pub(super) pc: u16,
    pub(super) next: u16,
    pub(super) length: u16,
    pub(super) cycles: u64,
    pub(super) old_flags: u16,
    pub(super) flags: u16,
    pub(super) touched: u16,
    pub(super) registers: &'a [u16; 16],
    /// Of each a bit: it has been set.
    pub(super) known: u16,
    pub(super) returned: bool,
    pub(super) depth: i64,
    /// The timer expired.
    pub(super) expired: bool,
}

/// What goes along with a run.
pub(super) trait Trace {
    /// What a step writes is told.
    const WRITES: bool;
    /// The end of each step is told.
    const STEPS: bool;
    /// The run may look for states that repeat.
    const WATCHES: bool;
    /// The run stops before what is looked out for.
    const LOOKS: bool;
    /// What a step reads is told.
    const READS: bool = false;
    /// Rounds of a wait may be passed over.
    const PASSES: bool = false;
    /// Rounds that are passed over are told again, each step for so many.
    const RECORDS: bool = false;

    /// A step may begin: these words stand where it does.
    fn begin(&mut self, _code: [u16; 2]) {}
    fn write(&mut self, _write: Write) {}
    fn read(&mut self, _address: u16, _length: u32) {}
    fn buffer(&mut self, _old: &[u8], _new: &[u8]) {}
    fn moved(&mut self, _printed: u64, _consumed: u64) {}
    fn file(&mut self, _path: &Arc<str>, _deed: FileDeed) {}
    fn tone(&mut self, _hertz: u16, _milliseconds: u16) {}
    /// The system call failed.
    fn failed(&mut self) {}
    /// A system call reads so many bytes.
    fn bytes_read(&mut self, address: u16, length: u32) {
        self.read(address, length);
    }
    /// A device register is written, be it that nothing is read back of it.
    fn device_stored(&mut self, _address: u16) {}
    /// The instruction at an address, which is run next, was decoded.
    fn decoded(&mut self, _address: u16, _insn: Insn) {}
    /// The step enters a routine.
    fn entered(&mut self, _frame: &Frame) {}
    /// The step leaves routines, down to so many.
    fn left(&mut self, _depth: i64) {}
    fn end(&mut self, _done: &Done<'_>) -> ControlFlow<()> {
        ControlFlow::Continue(())
    }
    /// This happened so many times more.
    fn tell_again(&mut self, _told: &[Told], _times: u64) {}
}

/// Sees nothing.
pub(super) struct Blind;

impl Trace for Blind {
    const WRITES: bool = false;
    const STEPS: bool = false;
    const WATCHES: bool = true;
    const LOOKS: bool = true;
    const PASSES: bool = true;
}

/// Sees nothing, and does not stop for what is looked out for.
struct Past;

impl Trace for Past {
    const WRITES: bool = false;
    const STEPS: bool = false;
    const WATCHES: bool = false;
    const LOOKS: bool = false;
    const PASSES: bool = true;
}

/// What an observer does with a step. Behind a pointer, so that the loop is compiled once for each kind of report and not
/// once for each observer there is.
type See<'a> = &'a mut dyn FnMut(&Report) -> ControlFlow<()>;

/// Reports to an observer.
struct Traced<'a, const WRITES: bool, const READS: bool> {
    see: See<'a>,
    report: Report,
    /// What came from outside before the first step.
    came: Vec<Came>,
}

impl<const WRITES: bool, const READS: bool> Trace for Traced<'_, WRITES, READS> {
    const WRITES: bool = WRITES;
    const STEPS: bool = true;
    const WATCHES: bool = false;
    const LOOKS: bool = false;
    const READS: bool = READS;

    #[inline]
    fn begin(&mut self, code: [u16; 2]) {
        self.report.clear();
        self.report.code = code.map(u32::from);
    }

    #[inline]
    fn write(&mut self, write: Write) {
        self.report.writes.push(write);
    }

    #[inline]
    fn read(&mut self, address: u16, length: u32) {
        if Self::READS {
            self.report.reads.push((address.into(), length));
        }
    }

    fn buffer(&mut self, old: &[u8], new: &[u8]) {
        self.report.buffers.extend_from_slice(old);
        self.report.buffers.extend_from_slice(new);
    }

    fn moved(&mut self, printed: u64, consumed: u64) {
        (self.report.printed, self.report.consumed) = (printed, consumed);
    }

    fn file(&mut self, path: &Arc<str>, deed: FileDeed) {
        self.report.file = Some((Arc::clone(path), deed));
    }

    fn failed(&mut self) {
        self.report.failed = true;
    }

    fn tone(&mut self, hertz: u16, milliseconds: u16) {
        self.report.tone = Some((hertz.into(), milliseconds.into()));
    }

    #[inline]
    fn end(&mut self, done: &Done<'_>) -> ControlFlow<()> {
        let report = &mut self.report;
        (report.step, report.kind, report.cycles) = (StepNo(done.step), done.kind, done.cycles);
        (report.pc, report.next, report.length) = (done.pc.into(), done.next.into(), done.length.into());
        (report.returned, report.expired) = (done.returned, done.expired);
        report.depth = usize::try_from(done.depth).unwrap_or(0);
        report.came.clear();
        report.came.append(&mut self.came);
        if Self::WRITES {
            let (old, new) = (done.old_flags.into(), done.flags.into());
            report.flags = FlagsChange { old, new, touched: done.touched.into() };
        }
        (self.see)(report)
    }
}

/// Shows the fingerprint of each state to [`Repeats`].
struct Prints<'a> {
    repeats: &'a mut Repeats,
}

impl Trace for Prints<'_> {
    const WRITES: bool = false;
    const STEPS: bool = true;
    const WATCHES: bool = false;
    const LOOKS: bool = true;

    #[inline]
    fn end(&mut self, done: &Done<'_>) -> ControlFlow<()> {
        self.repeats.see(done.step + 1, fingerprint(done.registers, done.next, done.flags))
    }
}

/// A number that stands for registers, place and flags: a sum of them, each times an odd number of its own, mixed.
fn fingerprint(registers: &[u16; 16], pc: u16, flags: u16) -> u64 {
    const GOLDEN: u64 = 0x9E37_79B9_7F4A_7C15;
    let mut sum = (u64::from(pc) << 16 | u64::from(flags)).wrapping_mul(GOLDEN);
    let mut factor = GOLDEN;
    for &register in registers {
        factor = factor.wrapping_mul(0xD129_0D3F_9B0B_2C85 | 1);
        sum = sum.wrapping_add(u64::from(register).wrapping_mul(factor));
    }
    let mixed = (sum ^ sum >> 31).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    mixed ^ mixed >> 29
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

/// Two cells that begin at an even place, as one number.
#[inline]
fn pair(cells: &[u8; SIZE], at: usize) -> u16 {
    u16::from_le_bytes([cells[at], cells[at | 1]])
}

#[inline]
fn put_pair(cells: &mut [u8; SIZE], at: usize, value: u16) {
    cells[at..at + 2].copy_from_slice(&value.to_le_bytes());
}

/// An attribute of both cells of a pair.
const fn both(attributes: u8) -> u16 {
    u16::from_le_bytes([attributes, attributes])
}

/// The attribute of cells before which a run stops.
const fn looked_for<T: Trace>() -> u8 {
    if T::LOOKS { WATCHED } else { 0 }
}

const STACK: usize = SP as usize;

/// How far the loop may go.
#[derive(Debug, Clone, Copy)]
pub(super) struct Limits {
    pub(super) until: u64,
    pub(super) cycles: u64,
    pub(super) depth: i64,
}

impl Machine {
    /// Runs until something stops it. A breakpoint at the very first instruction does not, one at the
    /// step it runs to does.
    pub(crate) fn run(&mut self, how: Run) -> Stop {
        self.run_with(how, &mut Blind)
    }

    /// The same past all that is looked out for; breakpoints stop it.
    pub(crate) fn run_past(&mut self, how: Run) -> Stop {
        self.run_with(how, &mut Past)
    }

    /// The same with an observer that sees each step taken.
    pub(crate) fn run_observed<O: Observer>(&mut self, how: Run, observer: &mut O) -> Stop {
        let mut see = |report: &Report| observer.see(report);
        match (O::WRITES, O::READS) {
            (false, _) => self.run_told(how, &mut see),
            (true, false) => self.run_told_writes(how, &mut see),
            (true, true) => self.run_told_all(how, &mut see),
        }
    }

    fn run_told(&mut self, how: Run, see: See<'_>) -> Stop {
        self.run_traced::<false, false>(how, see)
    }

    fn run_told_writes(&mut self, how: Run, see: See<'_>) -> Stop {
        self.run_traced::<true, false>(how, see)
    }

    fn run_told_all(&mut self, how: Run, see: See<'_>) -> Stop {
        self.run_traced::<true, true>(how, see)
    }

    fn run_traced<const WRITES: bool, const READS: bool>(&mut self, how: Run, see: See<'_>) -> Stop {
        let came = std::mem::take(&mut self.around.came);
        let mut traced = Traced::<WRITES, READS> { see, report: std::mem::take(&mut self.around.report), came };
        let stop = self.run_with(how, &mut traced);
        // Without a step it is still to be told.
        (self.around.report, self.around.came) = (traced.report, traced.came);
        stop
    }

    /// Takes one step, even from a breakpoint.
    #[cfg(test)]
    fn step(&mut self) -> Stop {
        self.run(Run::until(self.steps() + 1))
    }

    /// Takes one step of a run that is under way, with everything reported; see [`Self::last_report`].
    pub(crate) fn step_on(&mut self, how: Run) -> Stop {
        let was_followed = self.around.repeats.is_at(self.state.common.steps);
        let one = Run { until: (self.steps() + 1).min(how.until), effort: u64::MAX, ..how };
        let stop = self.run_told_all(one, &mut |_| ControlFlow::Continue(()));
        if was_followed {
            self.around.repeats.moved(self.state.common.steps);
        }
        stop
    }

    pub(super) fn run_with<T: Trace>(&mut self, how: Run, trace: &mut T) -> Stop {
        self.around.worked_before += self.around.worked;
        self.around.worked = 0;
        let begun = self.state.common.steps;
        let stop = self.run_past_place(how, trace);
        if self.state.common.steps != begun {
            self.around.came.clear();
        }
        stop
    }

    /// Runs on, also from an instruction that has a breakpoint.
    fn run_past_place<T: Trace>(&mut self, how: Run, trace: &mut T) -> Stop {
        if let Some(status) = self.state.common.finished {
            return Stop::Finished(status);
        }
        let at = self.state.cpu.pc;
        if self.steps() < how.until && self.slots.is_patched(at) && (!T::LOOKS || self.slots.is_breakpoint(at)) {
            let stop = self.step_over_patch(how, trace);
            let back_here = self.slots.is_breakpoint(self.state.cpu.pc);
            if stop != Stop::Steps || back_here {
                return if back_here && stop == Stop::Steps { Stop::Breakpoint } else { stop };
            }
        }
        self.run_on(how, trace)
    }

    fn run_on<T: Trace>(&mut self, how: Run, trace: &mut T) -> Stop {
        let depth = how.depth.map_or(-1, i64::from);
        let watches = T::WATCHES && how.watch > Watch::Nothing;
        let mark = self.around.effort(&self.state.common);
        if watches {
            self.around.repeats.follow(self.state.common.steps);
        }
        loop {
            if self.steps() >= how.until {
                let stopped = self.slots.is_breakpoint(self.state.cpu.pc);
                return if stopped { Stop::Breakpoint } else { Stop::Steps };
            }
            self.decode_anew();
            if self.state.common.console.printed >= how.printed {
                return Stop::Printed;
            }
            // What is waited meanwhile brings the time nearer.
            let own_time = how.milliseconds.saturating_sub(self.state.common.waited);
            let horizon = how.cycles.min(own_time.saturating_mul(crate::CYCLES_A_MILLISECOND));
            if self.state.common.cycles >= horizon {
                return Stop::Cycles;
            }
            let left = how.effort.saturating_sub(self.around.effort(&self.state.common).wrapping_sub(mark));
            if left == 0 {
                return Stop::Worked;
            }
            let plain = self.state.common.steps.saturating_add(left);
            self.around.worked += 4;
            if T::LOOKS && self.around.looks_at_rare && self.interrupt_comes() {
                return Stop::Watched;
            }
            match self.interrupt_now(trace) {
                Some(Ok(flow)) => {
                    if watches {
                        self.around.repeats.moved(self.state.common.steps);
                    }
                    if flow.is_break() {
                        return Stop::Observed;
                    }
                    continue;
                }
                Some(Err(kind)) => return Stop::Fault(self.fault_of(kind)),
                None => {}
            }
            let limits = Limits { until: how.until.0, cycles: horizon, depth };
            // Who looks for states that repeat sees each step of a stretch, and the moment a guess is to be checked at.
            let is_looking = watches && self.around.repeats.is_looking();
            let look = if T::PASSES && !is_looking { self.look_for_rounds_at(horizon) } else { Some(u64::MAX) };
            let bounded = Limits { until: how.until.0.min(plain).min(look.unwrap_or(u64::MAX)), ..limits };
            let exit = if look.is_none() {
                let guess = if watches { self.around.repeats.guess_at() } else { u64::MAX };
                let passed = Limits { until: limits.until.min(guess.max(self.state.common.steps + 1)), ..limits };
                self.pass_over_rounds((passed, how.printed), trace).unwrap_or(Exit::Horizon)
            } else if watches {
                match self.run_watched(bounded, how.watch, trace) {
                    Ok(exit) => exit,
                    Err(stop) => return stop,
                }
            } else {
                self.fast(bounded, trace)
            };
            let stop = match exit {
                Exit::Horizon => None,
                Exit::Depth { returned } => Some(Stop::Depth { returned }),
                Exit::Observed => Some(Stop::Observed),
                Exit::Breakpoint => Some(Stop::Breakpoint),
                Exit::Watched if !T::LOOKS => {
                    Some(self.step_over_patch(how, trace)).filter(|stop| *stop != Stop::Steps)
                }
                Exit::Watched => Some(Stop::Watched),
                Exit::Rare(_) | Exit::Fault(_) if T::LOOKS && self.around.looks_at_rare => Some(Stop::Watched),
                Exit::Undecoded => match self.decode_next() {
                    Ok(insn) => {
                        trace.decoded(self.state.cpu.pc, insn);
                        None
                    }
                    Err(_) if T::LOOKS && self.around.looks_at_rare => Some(Stop::Watched),
                    Err(kind) => self.fault(kind, trace),
                },
                Exit::Rare(slot) => self.rare(slot, trace),
                Exit::Fault(kind) => self.fault(kind, trace),
                Exit::Loop => Some(Stop::Circling { period: 1 }),
            };
            if watches {
                self.around.repeats.moved(self.state.common.steps);
            }
            if let Some(stop) = stop {
                return stop;
            }
        }
    }

    /// One step over a patched instruction: past a breakpoint, and past what is looked out for when the run does not.
    fn step_over_patch<T: Trace>(&mut self, how: Run, trace: &mut T) -> Stop {
        let at = self.state.cpu.pc;
        let patched = self.slots.unpatch(at, !T::LOOKS);
        // Decoding is work: with a bound for that, little work might never get further.
        let stop = self.run_on(Run { until: self.steps() + 1, effort: u64::MAX, ..how }, trace);
        self.slots.patch(at, patched);
        stop
    }

    // ---- states that repeat

    /// Runs the loop with an eye on states that repeat.
    fn run_watched<T: Trace>(&mut self, limits: Limits, watch: Watch, trace: &mut T) -> Result<Exit, Stop> {
        while self.around.repeats.due() <= self.state.common.steps {
            if self.around.repeats.tend(self.state.common.steps) == Task::Hash {
                let hash = self.hash();
                let round = self.around.repeats.take_hash(self.state.common.steps, hash);
                if let Some(stop) = round.and_then(|round| self.stuck(round, watch)) {
                    return Err(stop);
                }
            }
        }
        let limits = Limits { until: limits.until.min(self.around.repeats.due()), ..limits };
        if !self.around.repeats.is_looking() {
            return Ok(self.fast(limits, trace));
        }
        let mut repeats = std::mem::take(&mut self.around.repeats);
        let exit = self.fast(limits, &mut Prints { repeats: &mut repeats });
        self.around.repeats = repeats;
        // That nothing more is to be seen is no reason to stop.
        Ok(if matches!(exit, Exit::Observed) { Exit::Horizon } else { exit })
    }

    /// A round of states that repeat was found: whether that is a reason to stop.
    fn stuck(&self, round: Round, watch: Watch) -> Option<Stop> {
        let did = |deed| self.around.activity.since(deed, round.since);
        let [timer, key, lever] = self.armed();
        let allowed = self.state.cpu.flags & I != 0 || did(Deed::Allowed);
        let ticks = did(Deed::Timer) && self.state.common.board.timer.running;
        if did(Deed::Worked) || allowed && timer || ticks {
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

    /// One number for the whole state, but for what only counts.
    fn hash(&mut self) -> u64 {
        let mut hasher = FxHasher::default();
        hasher.write_u64(self.memory.hash());
        let State { cpu, common, heap_end, .. } = &self.state;
        let Common { frames, board, console, random, answer, files, .. } = common;
        cpu.registers.iter().chain(&cpu.flag_writers).for_each(|&word| hasher.write_u16(word));
        for word in [cpu.pc, cpu.flags, cpu.known, *heap_end] {
            hasher.write_u16(word);
        }
        for frame in frames.list() {
            for word in [frame.slot, frame.back, frame.site, frame.target] {
                hasher.write_u32(word.0);
            }
        }
        for word in board.without_time() {
            hasher.write_u64(word);
        }
        hasher.write_u64(console.typed - console.read);
        hasher.write_u8(console.ended.into());
        hasher.write_u64(*random);
        for (handle, open) in files.open() {
            hasher.write_u32(handle);
            hasher.write_usize(open.position);
        }
        hasher.write_u64(answer.map_or(u64::MAX, u64::from));
        hasher.finish()
    }

    /// Decodes the instruction at `pc` into its slot.
    fn decode_next(&mut self) -> Result<Insn, FaultKind> {
        let pc = self.state.cpu.pc;
        for address in [pc, pc.wrapping_add(1)] {
            self.executable(address)?;
        }
        let (first, second) = (self.memory.word(pc), self.memory.word(pc.wrapping_add(2)));
        let insn = decode(first, second).ok_or(FaultKind::Illegal { word: first.into() })?;
        for offset in 0..insn.bytes() {
            let address = pc.wrapping_add(offset);
            self.executable(address)?;
        }
        for offset in 0..insn.bytes() {
            self.memory.attributes[usize::from(pc.wrapping_add(offset))] |= DECODED;
        }
        self.slots.fill(pc, insn);
        Ok(insn)
    }

    fn executable(&self, address: u16) -> Result<(), FaultKind> {
        if self.memory.attributes[usize::from(address)] & EXECUTE == 0 {
            return Err(FaultKind::Execute { address: address.into() });
        }
        Ok(())
    }

    /// The words at `pc`.
    pub(super) fn code(&self) -> [u16; 2] {
        let pc = self.state.cpu.pc;
        [self.memory.word(pc), self.memory.word(pc.wrapping_add(2))]
    }

    /// An interrupt could come while the program jumps to itself.
    fn interrupt_could_come(&self) -> bool {
        self.state.cpu.flags & I != 0 && self.armed().contains(&true)
    }

    /// The loop. Everything it carries out is complete when it is left.
    pub(super) fn fast<T: Trace>(&mut self, limits: Limits, trace: &mut T) -> Exit {
        let horizon = self.cycle_horizon().min(limits.cycles);
        let may_spin = self.interrupt_could_come();
        let Limits { mut until, depth, .. } = limits;
        let Self { state, memory, slots, rewritten, around, .. } = self;
        let Around { calls, tape, output, activity, .. } = around;
        let Memory { bytes, attributes, notes, dirty, .. } = memory;
        let (bytes, attributes, notes, dirty) = (&mut **bytes, &mut **attributes, &mut **notes, &mut **dirty);
        let State { cpu, common, .. } = state;
        let Common { frames, board, console, steps: all_steps, cycles: all_cycles, .. } = common;
        let table = &*slots.table;
        let mut registers = cpu.registers;
        let (mut pc, mut flags, mut known) = (cpu.pc, cpu.flags, cpu.known);
        let (mut steps, mut cycles) = (*all_steps, *all_cycles);
        let [mut carry_writer, mut flag_writer, _] = cpu.flag_writers;
        let mut leaving = Exit::Horizon;
        let exit = loop {
            if steps >= until || cycles >= horizon {
                break leaving;
            }
            if pc & 1 != 0 {
                break Exit::Fault(FaultKind::Misaligned { address: pc.into(), fetch: true });
            }
            let slot = &table[usize::from(pc >> 1)];
            let a = usize::from(slot.a & 15);
            let d = registers[a];
            let s = registers[usize::from(slot.b & 15)].wrapping_add(slot.value);
            let mut next = slot.next;
            let (old_flags, old_cycles) = (flags, cycles);
            let (mut touched, mut returned) = (0, false);
            if T::WRITES {
                let second = usize::from(pc.wrapping_add(2));
                trace.begin([pair(bytes, usize::from(pc)), pair(bytes, second)]);
            }

            // Leaves the loop behind this step.
            macro_rules! leave {
                ($why:expr) => {{
                    until = until.min(steps);
                    leaving = $why;
                }};
            }
            macro_rules! bus {
                () => {
                    Bus {
                        cells: Cells {
                            bytes: &mut *bytes,
                            attributes: &mut *attributes,
                            notes: &mut *notes,
                            dirty: &mut *dirty,
                        },
                        rewritten: &mut *rewritten,
                        board: &mut *board,
                        console: &mut *console,
                        tape: &*tape,
                        output: &mut *output,
                        activity: &mut *activity,
                        steps,
                        cycles,
                    }
                };
            }
            macro_rules! set_register {
                ($index:expr, $value:expr) => {{
                    let (index, value): (usize, u16) = ($index, $value);
                    if T::WRITES {
                        let (old, was_known) = (registers[index].into(), known >> index & 1 != 0);
                        trace.write(Write::Register { register: Reg::at(index), old, new: value.into(), was_known });
                    }
                    registers[index] = value;
                    known |= 1 << index;
                    if index == STACK {
                        let before = frames.depth();
                        let left = frames.leave_below(value.into());
                        if left < before {
                            trace.left(left);
                        }
                        if left <= depth && left < before {
                            leave!(Exit::Depth { returned });
                        }
                    }
                }};
            }
            macro_rules! set {
                ($value:expr) => {
                    set_register!(a, $value)
                };
            }
            // Sets the four flags of arithmetic.
            macro_rules! flag {
                ($value:expr) => {{
                    flags = flags & I | $value;
                    (carry_writer, flag_writer) = (pc, pc);
                    touched = C | Z | N | V;
                }};
            }
            // Sets all five, as they come from the stack.
            macro_rules! all_flags {
                ($value:expr) => {{
                    flags = $value & super::ALL_FLAGS;
                    (carry_writer, flag_writer) = (pc, pc);
                    cpu.flag_writers[2] = pc;
                    touched = super::ALL_FLAGS;
                    if flags & I != 0 {
                        activity.note(Deed::Allowed, steps);
                    }
                    leave!(leaving);
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
            // A word that is told of once the whole instruction is sure to happen.
            macro_rules! fetch_word {
                ($address:expr) => {{
                    let address: u16 = $address;
                    let at = usize::from(address & !1);
                    let rights = pair(attributes, at);
                    if rights & both(READ | DEVICE | looked_for::<T>()) == both(READ) && address & 1 == 0 {
                        pair(bytes, at)
                    } else if rights & both(looked_for::<T>()) != 0 {
                        break Exit::Watched;
                    } else {
                        let read = console.read;
                        match bus!().load_word(address) {
                            Ok(value) => {
                                if T::WRITES {
                                    trace.moved(0, console.read - read);
                                }
                                leave!(leaving);
                                value
                            }
                            Err(kind) => break Exit::Fault(kind),
                        }
                    }
                }};
            }
            macro_rules! load_word {
                ($address:expr) => {{
                    let address: u16 = $address;
                    let value = fetch_word!(address);
                    if T::READS {
                        trace.read(address, 2);
                    }
                    value
                }};
            }
            macro_rules! load_byte {
                () => {{
                    let rights = attributes[usize::from(s)];
                    let value = if rights & (READ | DEVICE | looked_for::<T>()) == READ {
                        bytes[usize::from(s)]
                    } else if rights & looked_for::<T>() != 0 {
                        break Exit::Watched;
                    } else {
                        match bus!().load_byte(s) {
                            Ok(value) => value,
                            Err(kind) => break Exit::Fault(kind),
                        }
                    };
                    if T::READS {
                        trace.read(s, 1);
                    }
                    value
                }};
            }
            // What the long way to memory gave.
            macro_rules! stored {
                ($printed:expr, $result:expr) => {{
                    let printed = $printed;
                    match $result {
                        Ok(write) => {
                            if T::WRITES {
                                trace.moved(console.printed - printed, 0);
                                if let Some(write) = write {
                                    trace.write(write);
                                }
                            }
                            leave!(leaving);
                        }
                        Err(kind) => break Exit::Fault(kind),
                    }
                }};
            }
            macro_rules! store_word {
                ($address:expr, $value:expr, $note:expr) => {{
                    let (address, value): (u16, u16) = ($address, $value);
                    let at = usize::from(address & !1);
                    let rights = pair(attributes, at);
                    let plain = both(WRITE | SPECIAL | DECODED | looked_for::<T>());
                    if rights & plain == both(WRITE) && address & 1 == 0 {
                        if T::WRITES {
                            let old = pair(bytes, at).into();
                            let was_known = rights & both(KNOWN) == both(KNOWN);
                            let (address, new) = (address.into(), value.into());
                            trace.write(Write::Memory { address, length: 2, old, new, was_known });
                        }
                        put_pair(bytes, at, value);
                        put_pair(attributes, at, rights | both(KNOWN));
                        notes[at >> 1] = $note;
                        dirty[at / PAGE] = DIRTY;
                    } else if rights & both(looked_for::<T>()) != 0 {
                        break Exit::Watched;
                    } else {
                        stored!(console.printed, bus!().store_word(address, value, $note));
                        if T::WRITES && rights & both(DEVICE) != 0 {
                            trace.device_stored(address);
                        }
                    }
                }};
            }
            macro_rules! push {
                ($value:expr, $note:expr) => {{
                    let value = $value;
                    let sp = registers[STACK].wrapping_sub(2);
                    store_word!(sp, value, $note);
                    if T::WRITES {
                        let (old, new) = (registers[STACK].into(), sp.into());
                        trace.write(Write::Register { register: Reg(SP), old, new, was_known: true });
                    }
                    registers[STACK] = sp;
                }};
            }
            macro_rules! enter {
                ($target:expr) => {{
                    next = $target;
                    push!(slot.next, NOTE_RETURN);
                    let frame = Frame {
                        slot: registers[STACK].into(),
                        back: slot.next.into(),
                        site: pc.into(),
                        target: next.into(),
                        step: StepNo(steps),
                        kind: FrameKind::Call,
                    };
                    calls.enter(frames, frame);
                    trace.entered(&frame);
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
                Kind::Watched => break Exit::Watched,
                Kind::Jump => {
                    let holds = u16::from_le_bytes([slot.a, slot.b]) >> (flags & 15) & 1;
                    if holds != 0 {
                        if slot.value == pc && !may_spin {
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
                    (flag_writer, touched) = (pc, Z | N | V);
                    if s & 15 != 0 {
                        (carry_writer, touched) = (pc, C | Z | N | V);
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
                    set_register!(usize::from(slot.b & 15), d);
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
                    if a != STACK {
                        set_register!(STACK, sp.wrapping_add(2));
                    }
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
                    let byte = d.to_le_bytes()[0];
                    if rights & (WRITE | SPECIAL | DECODED | looked_for::<T>()) == WRITE {
                        if T::WRITES {
                            let (old, was_known) = (bytes[at].into(), rights & KNOWN != 0);
                            let (address, new) = (s.into(), byte.into());
                            trace.write(Write::Memory { address, length: 1, old, new, was_known });
                        }
                        bytes[at] = byte;
                        attributes[at] = rights | KNOWN;
                        notes[at / 2] = 0;
                        dirty[at / PAGE] = DIRTY;
                    } else if rights & looked_for::<T>() != 0 {
                        break Exit::Watched;
                    } else {
                        stored!(console.printed, bus!().store_byte(s, byte));
                    }
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
                    if d == pc && !may_spin {
                        break Exit::Loop;
                    }
                    jump!(d);
                }
                Kind::Ret => {
                    let sp = registers[STACK];
                    next = load_word!(sp);
                    returned = true;
                    set_register!(STACK, sp.wrapping_add(2));
                }
                Kind::Reti => {
                    let sp = registers[STACK];
                    next = fetch_word!(sp);
                    let value = load_word!(sp.wrapping_add(2));
                    if T::READS {
                        trace.read(sp, 2);
                    }
                    returned = true;
                    set_register!(STACK, sp.wrapping_add(4));
                    all_flags!(value);
                }
                Kind::PopFl => {
                    let sp = registers[STACK];
                    let value = load_word!(sp);
                    set_register!(STACK, sp.wrapping_add(2));
                    all_flags!(value);
                }
                Kind::Ei | Kind::Di => {
                    flags = flags & !I | if slot.kind == Kind::Ei { I } else { 0 };
                    (cpu.flag_writers[2], touched) = (pc, I);
                    if slot.kind == Kind::Ei {
                        activity.note(Deed::Allowed, steps);
                    }
                    leave!(leaving);
                }
                Kind::Halt | Kind::Brk | Kind::Sys => break Exit::Rare(*slot),
            }
            cycles = cycles.wrapping_add(u64::from(slot.cycles));
            if T::STEPS {
                let done = Done {
                    step: steps,
                    kind: StepKind::Instruction,
                    pc,
                    next,
                    length: slot.next.wrapping_sub(pc),
                    cycles: cycles.wrapping_sub(old_cycles),
                    old_flags,
                    flags,
                    touched,
                    registers: &registers,
                    known,
                    returned,
                    depth: frames.depth(),
                    expired: T::WRITES && old_cycles < cycles && board.timer.expires_between(old_cycles, cycles),
                };
                if trace.end(&done).is_break() {
                    leave!(Exit::Observed);
                }
            }
            pc = next;
            steps = steps.wrapping_add(1);
        };
        cpu.registers = registers;
        (cpu.pc, cpu.flags, cpu.known) = (pc, flags, known);
        (cpu.flag_writers[0], cpu.flag_writers[1]) = (carry_writer, flag_writer);
        (*all_steps, *all_cycles) = (steps, cycles);
        exit
    }

    // ---- what is rare

    /// Carries out an instruction the loop leaves alone.
    fn rare<T: Trace>(&mut self, slot: Slot, trace: &mut T) -> Option<Stop> {
        trace.begin(self.code());
        match slot.kind {
            Kind::Halt => {
                // Whoever observes hears of it, and the run stops anyhow.
                let _ = self.done(slot, slot.next, StepKind::Instruction, trace);
                self.finish(0);
                Some(Stop::Finished(0))
            }
            Kind::Brk => self.brk(slot, trace),
            _ => self.system_call(slot, trace),
        }
    }

    /// Counts an instruction that touched no flags, goes on at `next`, and tells of it.
    pub(super) fn done<T: Trace>(&mut self, slot: Slot, next: u16, kind: StepKind, trace: &mut T) -> ControlFlow<()> {
        let flags = self.state.cpu.flags;
        self.done_with(slot, next, kind, (flags, 0), trace)
    }

    /// The same for one that touched flags: what they were, and which bits.
    pub(super) fn done_with<T: Trace>(
        &mut self,
        slot: Slot,
        next: u16,
        kind: StepKind,
        (old_flags, touched): (u16, u16),
        trace: &mut T,
    ) -> ControlFlow<()> {
        let (step, pc) = (self.state.common.steps, self.state.cpu.pc);
        let length = slot.next.wrapping_sub(pc);
        self.state.common.cycles += u64::from(slot.cycles);
        self.took(step, kind, (pc, next, length), u64::from(slot.cycles), (old_flags, touched), trace)
    }

    /// A step was taken whose cycles have been counted: tells of it.
    pub(super) fn took<T: Trace>(
        &mut self,
        step: u64,
        kind: StepKind,
        (pc, next, length): (u16, u16, u16),
        cycles: u64,
        (old_flags, touched): (u16, u16),
        trace: &mut T,
    ) -> ControlFlow<()> {
        self.state.common.steps = step + 1;
        self.state.cpu.pc = next;
        let flags = self.state.cpu.flags;
        let registers = &self.state.cpu.registers;
        let (returned, depth) = (false, self.state.common.frames.depth());
        let expired = T::WRITES && {
            let now = self.state.common.cycles;
            self.state.common.board.timer.expires_between(now - cycles, now)
        };
        trace.end(&Done {
            step,
            kind,
            pc,
            next,
            length,
            cycles,
            old_flags,
            flags,
            touched,
            registers,
            known: self.state.cpu.known,
            returned,
            depth,
            expired,
        })
    }

    /// The fault as it will be reported.
    pub(super) fn fault_of(&self, kind: FaultKind) -> Fault {
        Fault { pc: self.state.cpu.pc.into(), kind, trap: super::traps::trap_of(kind) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::events::{Event, Settings};
    use proptest::prelude::*;
    use rustc_hash::FxHashMap;

    fn machine(text: &str) -> Machine {
        let (sources, file) = wendax_source::Sources::single("case", text);
        let assembly = wendax_asm::assemble(&sources, file);
        assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
        Machine::new(&assembly.image, Settings::default())
    }

    /// The first step whose state was there before, with nothing done since that could be seen, and the length of
    /// the round: found by keeping every state.
    fn first_repeat(mut machine: Machine, most: u64) -> Option<(u64, u64)> {
        let mut seen: FxHashMap<u64, u64> = FxHashMap::default();
        while machine.steps() < StepNo(most) {
            let step = machine.steps();
            let hash = machine.hash();
            if let Some(before) =
                seen.insert(hash, step.0).filter(|&before| !machine.around.activity.since(Deed::Worked, before))
            {
                return Some((step.0, (step - before).0));
            }
            match machine.step() {
                Stop::Steps => {}
                Stop::Circling { .. } => return Some(((step + 1).0, 1)),
                _ => return None,
            }
        }
        None
    }

    const MOST: u64 = 20_000;
    const LATENCY: u64 = 1200;
    const LINES: [&str; 14] = [
        "inc r{d}",
        "add r{d}, r{s}",
        "mov r{d}, {n}",
        "xor r{d}, {n}",
        "and r{d}, 7",
        "ldw r{d}, [data + {m}]",
        "stw [data + {m}], r{s}",
        "djnz r{d}, l{l}",
        "cmp r{d}, r{s}",
        "jltu l{l}",
        "jz l{l}",
        "push r{d}",
        "pop r{d}",
        "stw [0xFF30], r{s}",
    ];

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(300))]

        /// Loops are noticed exactly when keeping every state would notice them, and soon.
        #[test]
        fn states_that_repeat_are_noticed_and_no_others(
            lines in proptest::collection::vec((0..LINES.len(), 0u8..4, 0u8..4, 0u16..9, 0usize..40), 2..14),
        ) {
            let count = lines.len();
            let mut text = ".code\n".to_owned();
            for (index, (line, d, s, n, l)) in lines.into_iter().enumerate() {
                let line = LINES[line].replace("{d}", &d.to_string()).replace("{s}", &s.to_string());
                let line = line.replace("{n}", &n.to_string()).replace("{m}", &(2 * (l % 3)).to_string());
                text.push_str(&format!("l{index}: {}\n", line.replace("{l}", &(l % count).to_string())));
            }
            text.push_str("jmp l0\n.data\ndata: .space 8\n");
            let naive = first_repeat(machine(&text), MOST);
            let mut watched = machine(&text);
            watched.around.repeats = Repeats::hasty();
            let stop = watched.run(Run { watch: Watch::Circling, ..Run::until(StepNo(MOST)) });
            match (naive, stop) {
                (Some((_, 1)), Stop::Circling { period: 1 }) => {}
                (Some((step, round)), Stop::Circling { period }) => {
                    prop_assert!(period % round == 0, "{period} steps for a round of {round}\n{text}");
                    prop_assert!(watched.steps() <= StepNo(step + LATENCY), "{} for {step}\n{text}", watched.steps());
                }
                (Some((step, round)), stop) => {
                    prop_assert!(step + round + LATENCY > MOST || stop != Stop::Steps, "{stop:?}, {naive:?}\n{text}");
                }
                (None, stop) => prop_assert!(!matches!(stop, Stop::Circling { .. }), "{stop:?}\n{text}"),
            }
        }
    }

    /// Its round is a little longer than a stretch, and of its few states hardly any has a marked fingerprint.
    #[test]
    fn a_round_of_few_states_is_noticed() {
        let text = "l0: and r1, 7\n jltu l0\n ldw r2, [data]\n ldw r2, [data]\n and r1, 7\n mov r3, 3\n inc r1\n\
                    and r0, 7\n jmp l0\n.data\ndata: .space 8\n";
        let mut watched = machine(text);
        watched.around.repeats = Repeats::hasty();
        let stop = watched.run(Run { watch: Watch::Circling, ..Run::until(StepNo(MOST)) });
        assert_eq!(stop, Stop::Circling { period: 72 });
    }

    /// Where a run stops that watches for everything, and why.
    fn stop(text: &str, watch: Watch, until: u64) -> (Stop, u64) {
        let mut machine = machine(text);
        let stop = machine.run(Run { watch, ..Run::until(StepNo(until)) });
        (stop, machine.steps().0)
    }

    #[test]
    fn a_round_of_any_length_is_noticed_within_a_million_steps() {
        let nested = "start: mov r1, 300\nouter: mov r2, 3000\ninner: djnz r2, inner\n djnz r1, outer\n jmp start\n";
        // r1 wraps: 65,536 rounds of two steps; the delay loop: 300 rounds of 3,000 steps and a few more.
        for (text, period) in [("start: inc r1\n jmp start\n", 131_072), (nested, 300 * 3002 + 2)] {
            let (stop, at) = stop(text, Watch::Circling, 10_000_000);
            let Stop::Circling { period: found } = stop else { panic!("{text}: {stop:?}") };
            assert_eq!(found % period, 0, "{text}: {found}");
            assert!(at <= period + 1_000_000, "{text}: noticed at {at}");
        }
    }

    #[test]
    fn programs_at_work_are_not_stuck() {
        let lamp = "start: xor r1, 1\n stw [0xFF30], r1\n jmp start\n";
        let prints = "start: mov r0, 46\n sys put_char\n jmp start\n";
        let clock = "start: ldw r1, [0xFF20]\n clr r1\n jmp start\n";
        let timer = "start: mov r1, tick\n stw [16], r1\n mov r1, 3\n stw [0xFF24], r1\n ei\nmain: nop\n nop\n jmp main\n\
                     tick: reti\n";
        for text in [lamp, prints, clock, timer] {
            assert_eq!(stop(text, Watch::Idle, 3_000_000).0, Stop::Steps, "{text}");
        }
    }

    #[test]
    fn waiting_for_a_key_or_a_lever_is_idle_and_not_circling() {
        let polls = "start: ldw r1, [0xFF10]\n tst r1, 1\n jz start\n halt\n";
        let levers = "start: ldw r1, [0xFF32]\n cmp r1, 0\n jz start\n halt\n";
        let key = "start: mov r1, key\n stw [18], r1\n mov r1, 16\n stw [0xFF10], r1\n ei\nmain: jmp main\nkey: halt\n";
        for (text, console) in [(polls, true), (levers, false), (key, true)] {
            let wanted = Awaited { console, levers: !console };
            let (found, _) = stop(text, Watch::Idle, 3_000_000);
            assert!(matches!(found, Stop::Idle { awaited, .. } if awaited == wanted), "{text}: {found:?}");
            assert_eq!(stop(text, Watch::Circling, 3_000_000).0, Stop::Steps, "{text}: something may come");
        }
        let mut machine = machine(polls);
        machine.run(Run { watch: Watch::Idle, ..Run::until(StepNo(3_000_000)) });
        machine.feed(&Event::Typed(b"k".to_vec()));
        assert_eq!(machine.run(Run { watch: Watch::Idle, ..Run::until(StepNo(9_000_000)) }), Stop::Finished(0));
    }
}
