//! What goes along with a run and is told of it: nothing, reports for an observer; what `counting`, `prints` and `rounds` have of
//! the kind stands there.

use super::hook::{Begin, Blind as Nobody, Hook, Telling, Told as ToldOf};
use super::plain::{Exit, Limits};
use super::rounds::Told;
use super::{Frame, Machine};
use crate::files::FileDeed;
use crate::memory::Planes;
use crate::report::{Came, FlagsChange, Report, See, StepKind, Write};
use std::ops::ControlFlow;
use std::sync::Arc;
use wendax_isa::StepNo;
use wendax_isa::w16::Insn;

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

    /// Runs as far as nothing rare comes up, the fastest way there is with it.
    fn go(&mut self, machine: &mut Machine, limits: Limits) -> Exit
    where
        Self: Sized,
    {
        machine.plainly(limits, self)
    }
}

/// What can go along with groups.
pub(super) trait Swift: Trace {
    /// In which way.
    type Hook: Hook;

    /// Has groups carried out with it going along.
    fn along<R>(
        &mut self,
        planes: &mut Planes,
        begin: Begin<'_>,
        run: impl FnOnce(&mut <Self::Hook as Hook>::Memory<'_>) -> R,
    ) -> R;

    /// They came to this step and cycle.
    fn went(&mut self, _now: (u64, u64)) {}
}

/// Sees nothing.
pub(super) struct Blind;

impl Trace for Blind {
    const WRITES: bool = false;
    const STEPS: bool = false;
    const WATCHES: bool = true;
    const LOOKS: bool = true;
    const PASSES: bool = true;

    fn go(&mut self, machine: &mut Machine, limits: Limits) -> Exit {
        machine.go_swiftly(limits, self)
    }
}

impl Swift for Blind {
    type Hook = Nobody;

    fn along<R>(&mut self, planes: &mut Planes, _: Begin<'_>, run: impl FnOnce(&mut Planes) -> R) -> R {
        run(planes)
    }
}

/// Sees nothing, and does not stop for what is looked out for.
pub(super) struct Past;

impl Trace for Past {
    const WRITES: bool = false;
    const STEPS: bool = false;
    const WATCHES: bool = false;
    const LOOKS: bool = false;
    const PASSES: bool = true;

    fn go(&mut self, machine: &mut Machine, limits: Limits) -> Exit {
        machine.go_swiftly(limits, self)
    }
}

impl Swift for Past {
    type Hook = Nobody;

    fn along<R>(&mut self, planes: &mut Planes, _: Begin<'_>, run: impl FnOnce(&mut Planes) -> R) -> R {
        run(planes)
    }
}

/// Reports to an observer.
pub(super) struct Traced<'a, const WRITES: bool, const READS: bool> {
    pub(super) see: See<'a>,
    pub(super) report: Report,
    /// What came from outside before the first step.
    pub(super) came: Vec<Came>,
}

impl<const WRITES: bool, const READS: bool> Trace for Traced<'_, WRITES, READS> {
    const WRITES: bool = WRITES;
    const STEPS: bool = true;
    const WATCHES: bool = false;
    const LOOKS: bool = false;
    const READS: bool = READS;

    #[inline]
    fn begin(&mut self, [first, second]: [u16; 2]) {
        self.report.clear();
        self.report.code = [first.into(), second.into()];
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
        report.take_came(&mut self.came);
        if Self::WRITES {
            let (old, new) = (done.old_flags.into(), done.flags.into());
            report.flags = FlagsChange { old, new, touched: done.touched.into() };
        }
        (self.see)(report)
    }

    fn go(&mut self, machine: &mut Machine, limits: Limits) -> Exit {
        machine.go_swiftly(limits, self)
    }
}

impl<const WRITES: bool, const READS: bool> Swift for Traced<'_, WRITES, READS> {
    type Hook = ToldOf;

    fn along<R>(&mut self, planes: &mut Planes, begin: Begin<'_>, run: impl FnOnce(&mut Telling<'_>) -> R) -> R {
        self.report.begin_instructions();
        run(&mut Telling {
            planes,
            see: &mut *self.see,
            report: &mut self.report,
            came: &mut self.came,
            wants: [WRITES, READS],
            flags: FlagsChange { old: 0, new: begin.flags.into(), touched: 0 },
            timer: begin.timer,
        })
    }
}
