//! The blind run: instructions one after the other with nothing looked at in between. What it has no quick way for it leaves
//! to the step of `steps`, which does the same and tells of it; that both come to the same state is a property in tests.

use super::memory::{Hot, Memory};
use super::steps::{ACCESS, After, Decoded, GONE, PRODUCT, QUOTIENT, computed};
use super::{Cpu, Machine, State};
use crate::frames::{Frame, FrameKind};
use wendax_isa::rv32::{DEVICE_START, Format, Op, SP, goes, is_link};
use wendax_isa::{Addr, Reg, StepNo};

/// Cycles of the dearest instruction that a stretch has a quick way for.
const DEAREST: u64 = 1 + QUOTIENT;

/// Why a stretch ended.
enum Ended {
    /// So far it was to go.
    Bound,
    /// The next instruction was not decoded yet.
    Undecoded,
    /// The next instruction needs a closer look.
    Rare,
}

impl Machine {
    /// Runs instructions up to a step and a cycle, as long as none of them fails, waits, calls the host, leaves so many
    /// routines or has to do with control registers: those are left to who looks closer.
    /// Where interrupts are allowed nothing is run that could make one ask.
    pub(super) fn run_stretch(&mut self, (until, horizon, printed): (u64, u64, u64), depth: i64) {
        if self.state.cpu.control.allowed {
            while let Ended::Undecoded = self.run_on(until, horizon, depth >= 0) {
                if self.fetch().is_err() {
                    return;
                }
            }
            return;
        }
        while self.state.common.steps < until
            && self.state.common.cycles < horizon
            && self.state.common.console.printed < printed
        {
            match self.run_on(until, horizon, depth >= 0) {
                Ended::Bound => return,
                Ended::Undecoded if self.fetch().is_err() => return,
                Ended::Undecoded => continue,
                Ended::Rare => {}
            }
            let Ok(decoded) = self.fetch() else { return };
            let is_rare = matches!(decoded.format, Format::Csr | Format::CsrConstant | Format::Fixed);
            // What may leave a routine is looked at where it is asked for.
            if is_rare || depth >= 0 && (decoded.op == Op::Jalr || decoded.insn.rd == SP) {
                return;
            }
            if !matches!(self.step::<0>(), Ok(After::On)) {
                return;
            }
        }
    }

    /// Runs on to what has no quick way. Nothing that may leave a routine is run where that is asked for.
    fn run_on(&mut self, until: u64, horizon: u64, asks_for_depth: bool) -> Ended {
        let Self { state: State { cpu, common, .. }, memory, cache, around, .. } = self;
        let Cpu { registers, pc: place, known: ever_set, control } = cpu;
        let (mut pc, mut steps, mut cycles, mut code) = (*place, common.steps, common.cycles, memory.code());
        let mut known = *ever_set;
        let mut hot = Hot::default();
        // So many instructions may be run without asking how many cycles there are left.
        let mut sure = steps;
        let ended = loop {
            if steps >= sure {
                if steps >= until || cycles >= horizon {
                    break Ended::Bound;
                }
                sure = steps + ((horizon - cycles) / DEAREST).max(1).min(until - steps);
            }
            let Some(&Decoded { insn, op, .. }) = cache.known(pc, code) else { break Ended::Undecoded };
            let (rd, rs1, rs2, value) = (insn.rd & 31, insn.rs1 & 31, insn.rs2 & 31, insn.value);
            let (a, b) = (registers[usize::from(rs1)], registers[usize::from(rs2)]);
            let mut next = pc.wrapping_add(4);
            let mut cost = 1;
            macro_rules! set {
                ($value:expr) => {{
                    let value = $value;
                    if rd == SP {
                        if asks_for_depth {
                            break Ended::Rare;
                        }
                        common.frames.leave_below(Addr(value));
                    }
                    if rd != 0 {
                        registers[usize::from(rd)] = value;
                        known |= 1 << rd;
                    }
                }};
            }
            macro_rules! compute {
                ($op:ident, $other:expr) => {
                    set!(computed(Op::$op, a, $other))
                };
                ($op:ident, $other:expr, $more:expr) => {{
                    cost += $more;
                    set!(computed(Op::$op, a, $other))
                }};
            }
            macro_rules! load {
                ($length:literal, $extend:expr) => {{
                    let Some(found) = loaded(&hot, memory, a.wrapping_add(value), $length) else { break Ended::Rare };
                    cost += ACCESS;
                    set!($extend(found))
                }};
            }
            macro_rules! store {
                ($length:literal) => {{
                    let address = a.wrapping_add(value);
                    let note = if $length == 4 { rs2 + 1 } else { 0 };
                    if address >= DEVICE_START
                        || !address.is_multiple_of($length)
                        || !hot.store(memory, address, $length, b, note)
                    {
                        break Ended::Rare;
                    }
                    cost += ACCESS;
                    code = memory.code();
                }};
            }
            macro_rules! branch {
                ($op:ident) => {
                    if goes(Op::$op, a, b) {
                        next = pc.wrapping_add(value);
                        // A jump to itself may be a reason to stop.
                        if next & 3 != 0 || next == pc {
                            break Ended::Rare;
                        }
                        cost += GONE;
                    }
                };
            }
            match op {
                Op::Addi => compute!(Addi, value),
                Op::Add => compute!(Add, b),
                Op::Sub => compute!(Sub, b),
                Op::Lui => set!(value),
                Op::Auipc => set!(pc.wrapping_add(value)),
                Op::Slli => compute!(Slli, value),
                Op::Srli => compute!(Srli, value),
                Op::Srai => compute!(Srai, value),
                Op::Andi => compute!(Andi, value),
                Op::Ori => compute!(Ori, value),
                Op::Xori => compute!(Xori, value),
                Op::Slti => compute!(Slti, value),
                Op::Sltiu => compute!(Sltiu, value),
                Op::And => compute!(And, b),
                Op::Or => compute!(Or, b),
                Op::Xor => compute!(Xor, b),
                Op::Sll => compute!(Sll, b),
                Op::Srl => compute!(Srl, b),
                Op::Sra => compute!(Sra, b),
                Op::Slt => compute!(Slt, b),
                Op::Sltu => compute!(Sltu, b),
                Op::Mul => compute!(Mul, b, PRODUCT),
                Op::Mulh => compute!(Mulh, b, PRODUCT),
                Op::Mulhsu => compute!(Mulhsu, b, PRODUCT),
                Op::Mulhu => compute!(Mulhu, b, PRODUCT),
                Op::Div => compute!(Div, b, QUOTIENT),
                Op::Divu => compute!(Divu, b, QUOTIENT),
                Op::Rem => compute!(Rem, b, QUOTIENT),
                Op::Remu => compute!(Remu, b, QUOTIENT),
                Op::Lw => load!(4, |found| found),
                Op::Lbu => load!(1, |found| found),
                Op::Lhu => load!(2, |found| found),
                Op::Lb => load!(1, |found: u32| i32::from(found.to_le_bytes()[0].cast_signed()).cast_unsigned()),
                Op::Lh => load!(2, |found: u32| ((found << 16).cast_signed() >> 16).cast_unsigned()),
                Op::Sw => store!(4),
                Op::Sh => store!(2),
                Op::Sb => store!(1),
                Op::Beq => branch!(Beq),
                Op::Bne => branch!(Bne),
                Op::Blt => branch!(Blt),
                Op::Bge => branch!(Bge),
                Op::Bltu => branch!(Bltu),
                Op::Bgeu => branch!(Bgeu),
                Op::Jal | Op::Jalr => {
                    let is_jalr = op == Op::Jalr;
                    let following = next;
                    next = if is_jalr { a.wrapping_add(value) & !1 } else { pc.wrapping_add(value) };
                    if next & 3 != 0 || next == pc || is_jalr && asks_for_depth {
                        break Ended::Rare;
                    }
                    set!(following);
                    let stack = Addr(registers[usize::from(SP)]);
                    if is_jalr && is_link(Reg(rs1)) && rs1 != rd {
                        common.frames.leave_one(|frame| frame.back == Addr(next) && frame.slot <= stack);
                    }
                    if is_link(Reg(rd)) {
                        let (back, site, step) = (Addr(following), Addr(pc), StepNo(steps));
                        let frame = Frame { slot: stack, back, site, target: Addr(next), step, kind: FrameKind::Call };
                        around.calls.enter(&mut common.frames, frame);
                    }
                    cost += GONE;
                }
                Op::Fence | Op::FenceI => {}
                _ => break Ended::Rare,
            }
            pc = next;
            steps += 1;
            cycles += cost;
        };
        hot.settle(memory);
        control.done += steps - common.steps;
        (*place, *ever_set, common.steps, common.cycles) = (pc, known, steps, cycles);
        ended
    }
}

/// What lies at an address of plain memory; `None` where it is no multiple of the length, or may not be read so.
#[inline]
fn loaded(hot: &Hot, memory: &Memory, address: u32, length: u32) -> Option<u32> {
    if address >= DEVICE_START || !address.is_multiple_of(length) {
        return None;
    }
    hot.load(memory, address, length)
}
