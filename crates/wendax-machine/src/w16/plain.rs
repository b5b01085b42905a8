//! The loop that takes one instruction after another.
//!
//! It keeps the counters and flags in locals and leaves as soon as anything rare comes up. Each instruction has one place
//! where it is carried out: here, or, for the few that stop the run or call the host, in `Machine::rare`; what it computes
//! is told by `alu`.
//!
//! The loop is compiled once for each [`Trace`] that goes along with it. An access to memory that is not plain takes the
//! long way through `bus`, and the loop is left behind its instruction, since a device may have changed what interrupts may
//! come. Most runs go through `swift`, and come here for what is not done there.

use super::alu::{self, Flags};
use super::bus::Bus;
use super::slots::{Kind, Slot};
use super::trace::{Done, Trace};
use super::{Frame, Machine, NOTE_FLAGS, NOTE_RETURN, State};
use crate::activity::Deed;
use crate::common::{Around, Common};
use crate::fault::FaultKind;
use crate::frames::FrameKind;
use crate::memory::{
    BYTES, Cells, DECODED, DEVICE, SPECIAL, WATCHED, put_quick_byte, put_quick_word, quick_byte, quick_word, word_of,
};
use crate::report::{StepKind, Write};
use wendax_isa::w16::{C, I, N, SP, V, Z};
use wendax_isa::{Reg, StepNo};

/// Why the loop was left.
#[derive(Debug, Clone, Copy)]
pub(super) enum Exit {
    /// The step or the cycle it was to run to.
    Horizon,
    /// Something changed that interrupts hang on, or decoded code was written.
    Touched,
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

/// How far the loop may go.
#[derive(Debug, Clone, Copy)]
pub(super) struct Limits {
    pub(super) until: u64,
    pub(super) cycles: u64,
    pub(super) depth: i64,
}

/// The attribute of cells before which a run stops.
const fn looked_for<T: Trace>() -> u8 {
    if T::LOOKS { WATCHED } else { 0 }
}

const STACK: usize = SP as usize;

impl Machine {
    /// An interrupt could come while the program jumps to itself.
    fn interrupt_could_come(&self) -> bool {
        self.state.cpu.flags & I != 0 && self.armed().contains(&true)
    }

    /// The loop. Everything it carries out is complete when it is left.
    pub(super) fn plainly<T: Trace>(&mut self, limits: Limits, trace: &mut T) -> Exit {
        let horizon = self.cycle_horizon().min(limits.cycles);
        let may_spin = self.interrupt_could_come();
        let Limits { mut until, depth, .. } = limits;
        let Self { state, memory, slots, rewritten, around, .. } = self;
        let Around { calls, tape, output, activity, .. } = around;
        let Cells { planes, attributes, dirty } = memory.cells();
        let State { cpu, common, .. } = state;
        let Common { frames, board, console, steps: all_steps, cycles: all_cycles, .. } = common;
        let table = slots.table();
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
            let Some(slot) = table.get(usize::from(pc >> 1)) else { break Exit::Undecoded };
            let a = usize::from(slot.a & 15);
            let d = registers[a];
            let s = registers[usize::from(slot.b & 15)].wrapping_add(slot.value);
            let mut next = slot.next;
            let (old_flags, old_cycles) = (flags, cycles);
            let (mut touched, mut returned) = (0, false);
            if T::STEPS {
                trace.begin([word_of(planes, pc), word_of(planes, pc.wrapping_add(2))]);
            }

            // Leaves the loop behind this step.
            macro_rules! leave {
                ($why:expr) => {{
                    until = until.min(steps);
                    leaving = $why;
                }};
            }
            // The same since something outside was touched.
            macro_rules! touched {
                () => {
                    leave!(if matches!(leaving, Exit::Horizon) { Exit::Touched } else { leaving })
                };
            }
            macro_rules! bus {
                () => {
                    Bus {
                        cells: Cells { planes: &mut *planes, attributes: &mut *attributes, dirty: &mut *dirty },
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
                ($flags:expr) => {{
                    let new: Flags = $flags;
                    flags = flags & I | new.bits();
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
                    touched!();
                }};
            }
            macro_rules! compute {
                ($result:expr) => {{
                    let (value, new) = $result;
                    set!(value);
                    flag!(new);
                }};
            }
            macro_rules! divide {
                ($result:expr) => {
                    match $result {
                        Some(result) => compute!(result),
                        None => break Exit::Fault(FaultKind::DivideByZero),
                    }
                };
            }
            macro_rules! shift {
                ($shifted:expr) => {{
                    let places = s & 15;
                    if places == 0 {
                        let (value, new) = alu::unshifted(d, flags & C);
                        set!(value);
                        flags = flags & I | new.bits();
                        (flag_writer, touched) = (pc, Z | N | V);
                    } else {
                        compute!($shifted);
                    }
                }};
            }
            // A word that is told of once the whole instruction is sure to happen.
            macro_rules! fetch_word {
                ($address:expr) => {{
                    let address: u16 = $address;
                    if let Some(word) = quick_word(planes, address) {
                        word
                    } else {
                        let mut bus = bus!();
                        if bus.cells.word_has(address, looked_for::<T>()) {
                            break Exit::Watched;
                        }
                        let (read, is_device) = (bus.console.read, bus.cells.word_has(address, DEVICE));
                        match bus.load_word(address) {
                            Ok(value) => {
                                if is_device {
                                    if T::WRITES {
                                        trace.moved(0, console.read - read);
                                    }
                                    touched!();
                                }
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
                    let value = if let Some(byte) = quick_byte(planes, s) {
                        byte
                    } else if bus!().cells.has(s, looked_for::<T>()) {
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
            // The long way to memory: its result, and whether something else may come of the store.
            macro_rules! stored {
                ($is_special:expr, $store:expr) => {{
                    let (is_special, printed) = ($is_special, console.printed);
                    match $store {
                        Ok(write) => {
                            if T::WRITES {
                                if console.printed != printed {
                                    trace.moved(console.printed - printed, 0);
                                }
                                if let Some(write) = write {
                                    trace.write(write);
                                }
                            }
                            if is_special {
                                touched!();
                            }
                        }
                        Err(kind) => break Exit::Fault(kind),
                    }
                }};
            }
            macro_rules! store_word {
                ($address:expr, $value:expr, $note:expr) => {{
                    let (address, value): (u16, u16) = ($address, $value);
                    let old = if T::WRITES { word_of(planes, address) } else { 0 };
                    if put_quick_word(planes, address, value, $note) {
                        if T::WRITES {
                            let (address, old, new) = (address.into(), old.into(), value.into());
                            trace.write(Write::Memory { address, length: 2, old, new, was_known: true });
                        }
                    } else if bus!().cells.word_has(address, looked_for::<T>()) {
                        break Exit::Watched;
                    } else {
                        let is_device = bus!().cells.word_has(address, DEVICE);
                        let is_special = bus!().cells.word_has(address, SPECIAL | DEVICE | DECODED);
                        stored!(is_special, bus!().store_word(address, value, $note));
                        if T::WRITES && is_device {
                            trace.device_stored(address);
                        }
                    }
                }};
            }
            macro_rules! store_byte {
                ($byte:expr) => {{
                    let (old, byte): (u8, u8) = (planes[BYTES][usize::from(s)], $byte);
                    if put_quick_byte(planes, s, byte) {
                        if T::WRITES {
                            let (address, old, new) = (s.into(), old.into(), byte.into());
                            trace.write(Write::Memory { address, length: 1, old, new, was_known: true });
                        }
                    } else if bus!().cells.has(s, looked_for::<T>()) {
                        break Exit::Watched;
                    } else {
                        let is_special = bus!().cells.has(s, SPECIAL | DEVICE | DECODED);
                        stored!(is_special, bus!().store_byte(s, byte));
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
                Kind::Add => compute!(alu::add(d, s)),
                Kind::Adc => compute!(alu::adc(d, s, flags & C)),
                Kind::Sub => compute!(alu::sub(d, s)),
                Kind::Sbc => compute!(alu::sbc(d, s, flags & C)),
                Kind::Cmp => flag!(alu::sub(d, s).1),
                Kind::And => compute!(alu::and(d, s)),
                Kind::Or => compute!(alu::or(d, s)),
                Kind::Xor => compute!(alu::xor(d, s)),
                Kind::Tst => flag!(alu::and(d, s).1),
                Kind::Shl => shift!(alu::shl(d, s)),
                Kind::Shr => shift!(alu::shr(d, s)),
                Kind::Asr => shift!(alu::asr(d, s)),
                Kind::Mul => compute!(alu::mul(d, s)),
                Kind::Mulh => compute!(alu::mulh(d, s)),
                Kind::Mulhs => compute!(alu::mulhs(d, s)),
                Kind::Div => divide!(alu::div(d, s)),
                Kind::Mod => divide!(alu::modulo(d, s)),
                Kind::Divs => divide!(alu::divs(d, s)),
                Kind::Mods => divide!(alu::mods(d, s)),
                Kind::Swap => {
                    set_register!(usize::from(slot.b & 15), d);
                    set!(s);
                }
                Kind::Not => compute!(alu::not(d)),
                Kind::Neg => compute!(alu::neg(d)),
                Kind::Swapb => compute!(alu::swapb(d)),
                Kind::Extb => compute!(alu::extb(d)),
                Kind::Rlc => compute!(alu::rlc(d, flags & C)),
                Kind::Rrc => compute!(alu::rrc(d, flags & C)),
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
                Kind::Ldsb => set!(alu::sign_extended(load_byte!())),
                Kind::Lea => set!(s),
                Kind::Stw => store_word!(s, d, 0),
                Kind::Stb => store_byte!(d.to_le_bytes()[0]),
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
                    touched!();
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
                    expired: T::WRITES && board.timer.expires_between(old_cycles, cycles),
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
}
