//! The routines a walk is inside of, with what each was given and keeps.
//!
//! What a routine was given stands in registers at its entry only, so it is computed again from there; what was found
//! is kept for as long as the routine is active on the same branch.

use crate::rerun::Rerun;
use crate::session::Session;
use wendax_isa::{Reg, StepNo};
use wendax_machine::{Frame, FrameKind};

/// A routine that has been entered and not left.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Routine {
    /// How and where it was entered.
    pub frame: Frame,
    /// The registers that take arguments by the calling convention, as far as they had been set, with their values at
    /// its entry; none for what was not called.
    pub arguments: Vec<(Reg, u32)>,
    /// Words it has put on the stack and not taken off, without its way back.
    pub words: u32,
}

/// The active routines, the innermost first.
#[derive(Debug, Clone, Default)]
pub struct Routines {
    list: Vec<Routine>,
    branch: u64,
}

impl Routines {
    /// Brings the list to the present moment; at most `most` of the innermost ones.
    pub fn refresh(&mut self, session: &Session, most: usize) {
        let known = std::mem::take(&mut self.list);
        let is_known = self.branch == session.branches();
        self.branch = session.branches();
        let machine = session.machine();
        let (frames, word) = (machine.frames(), machine.target().word_bytes());
        let mut inner = machine.stack_pointer();
        for frame in frames.iter().rev().take(most) {
            let words = if frame.slot > inner { (frame.slot - inner) / word } else { 0 };
            inner = frame.slot + word;
            let before = known.iter().find(|routine| is_known && routine.frame == *frame);
            let arguments = before.map_or_else(Vec::new, |routine| routine.arguments.clone());
            self.list.push(Routine { frame: *frame, arguments, words });
        }
        // Those that are new are looked at in order of their entry, so that no step is computed twice.
        let mut past: Option<Rerun> = None;
        for routine in self.list.iter_mut().rev() {
            let is_new = !known.iter().any(|before| is_known && before.frame == routine.frame);
            if !is_new || routine.frame.kind != FrameKind::Call || routine.frame.step < session.oldest() {
                continue;
            }
            let entry = routine.frame.step + 1;
            if entry == session.now() {
                routine.arguments = arguments(session.machine());
                continue;
            }
            let rerun = past.get_or_insert_with(|| Rerun::at(session.past(), entry));
            rerun.go_to(session.past(), entry);
            routine.arguments = arguments(&rerun.at.machine);
        }
    }

    /// The routines, the innermost first.
    pub fn list(&self) -> &[Routine] {
        &self.list
    }

    /// The step at which a routine stood before its first instruction.
    pub fn entry(routine: &Routine) -> StepNo {
        routine.frame.step + 1
    }
}

fn arguments(machine: &wendax_machine::Machine) -> Vec<(Reg, u32)> {
    let registers = machine.target().roles.arguments.iter();
    registers
        .filter(|register| machine.register_known(**register))
        .map(|&register| (register, machine.register(register)))
        .collect()
}
