//! Entering and leaving handlers.
//!
//! The entry of a trap or an interrupt is a step of its own: an instruction that fails, `ebreak` and `ecall` cost it alone.

use super::Machine;
use super::steps::{Fail, TRAP};
use crate::activity::Deed;
use crate::frames::FrameKind;
use crate::report::StepKind;
use wendax_isa::Addr;
use wendax_isa::rv32::{INTERRUPT, Op};

impl Machine {
    /// An instruction failed, and the program handles that.
    pub(super) fn enter_fault<const TOLD: u8>(&mut self, fail: Fail) {
        self.enter_handler::<TOLD>(StepKind::Trap(fail.cause), (fail.cause, fail.about), 0, self.state.cpu.pc);
    }

    /// An instruction that asks for a trap of the program's own.
    pub(super) fn enter_own<const TOLD: u8>(&mut self, cause: u32, about: u32) {
        self.enter_handler::<TOLD>(StepKind::Trap(cause), (cause, about), 4, self.state.cpu.pc);
    }

    /// An interrupt comes before the next instruction; a `wfi` that is next has ended with it, so the way back leads behind it
    /// (volume II, `WFI`: the trap is taken on the following instruction).
    pub(super) fn enter_interrupt<const TOLD: u8>(&mut self, number: u32) {
        let step = self.state.common.steps;
        self.around.activity.note(Deed::Worked, step);
        self.around.activity.interrupted(number, step);
        let mut back = self.state.cpu.pc;
        if self.fetch().is_ok_and(|next| next.insn.op() == Op::Wfi) {
            back = back.wrapping_add(4);
            self.state.cpu.control.done += 1;
        }
        self.enter_handler::<TOLD>(StepKind::Interrupt(number), (INTERRUPT | number, 0), 0, back);
    }

    fn enter_handler<const TOLD: u8>(&mut self, kind: StepKind, (cause, about): (u32, u32), length: u32, back: u32) {
        let pc = self.state.cpu.pc;
        if TOLD > 0 {
            self.begin(self.memory.word(pc));
        }
        let control = &mut self.state.cpu.control;
        (control.mepc, control.mcause, control.mtval) = (back, cause, about);
        control.allowed_before = std::mem::take(&mut control.allowed);
        let base = control.mtvec & !3;
        let is_vectored = control.mtvec & 1 != 0 && cause & INTERRUPT != 0;
        let target = if is_vectored { base.wrapping_add(4 * (cause & !INTERRUPT)) } else { base };
        let frame = match kind {
            StepKind::Interrupt(number) => FrameKind::Interrupt(number),
            _ => FrameKind::Trap(cause),
        };
        self.enter(Addr(back), Addr(target), frame);
        self.around.worked += 8;
        self.took::<TOLD>(kind, target, length, TRAP, false);
    }

    /// `mret`: returns where it goes.
    pub(super) fn leave_handler(&mut self) -> u32 {
        let control = &mut self.state.cpu.control;
        control.allowed = std::mem::replace(&mut control.allowed_before, true);
        let back = control.mepc;
        if control.allowed {
            self.around.activity.note(Deed::Allowed, self.state.common.steps);
        }
        let sp = self.stack_pointer();
        self.state.common.frames.leave_one(|frame| frame.kind != FrameKind::Call && frame.slot <= sp);
        back
    }
}
