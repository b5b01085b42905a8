//! The blind run: groups of instructions in one go, with nothing looked at in between, see `swift`. What they leave to others
//! is taken here step by step as `steps` has it, as far as nobody needs to look at it closer.

use super::Machine;
use super::hook::{Begin, Blind, Hook, Looker};
use super::steps::After;
use crate::swift::{Ends, Why};
use wendax_isa::Addr;
use wendax_isa::rv32::{DEVICE_START, Format, Op, SP, decode};

/// Steps without a change of code after which groups are put together again, for [`Watchful::Usual`](crate::Watchful::Usual) and
/// [`Watchful::Closely`](crate::Watchful::Closely).
const QUIET: [u64; 2] = [512, 2];

impl Machine {
    /// Runs instructions up to a step and a cycle, as long as none of them fails, waits, calls the host, leaves so many
    /// routines, has to do with control registers, has a breakpoint or does what is looked out for: those are left to who
    /// looks closer. Where interrupts are allowed nothing is run that could make one ask.
    pub(super) fn run_stretch(&mut self, (until, horizon, printed): (u64, u64, u64), depth: i64, looks: bool) {
        let ends = Ends { step: until, cycle: horizon, watchful: self.around.settings.watchful };
        while self.state.common.console.printed < printed {
            let why = self.swiftly(ends, depth, &mut Blind);
            if self.state.common.steps >= until || self.state.common.cycles >= horizon {
                return;
            }
            let pc = self.state.cpu.pc;
            if why == Some(Why::Unbuilt) && self.build::<Blind>(pc) {
                continue;
            }
            let Ok(decoded) = self.fetch() else { return };
            let is_rare = matches!(decoded.format, Format::Csr | Format::CsrConstant | Format::Fixed);
            // What may leave a routine is looked at where it is asked for.
            let leaves = depth >= 0 && (decoded.op == Op::Jalr || decoded.insn.rd == SP);
            let is_asking = self.state.cpu.control.allowed
                && matches!(decoded.format, Format::Load | Format::Store)
                && self.access_of(decoded.insn).is_none_or(|access| access.address >= Addr(DEVICE_START));
            let is_stopped = self.breakpoints.contains(&pc) || looks && self.is_looked_for();
            if is_rare || leaves || is_asking || is_stopped || !matches!(self.step::<0>(), Ok(After::On)) {
                return;
            }
        }
    }

    /// Runs instructions likewise with someone told of each. Whether the run is to stop for that, and whether it came as far as
    /// it was to; else the next step is one for others.
    pub(super) fn run_told_stretch(
        &mut self,
        (until, horizon): (u64, u64),
        depth: i64,
        looker: &mut impl Looker,
    ) -> (bool, bool) {
        let ends = Ends { step: until, cycle: horizon, watchful: self.around.settings.watchful };
        loop {
            let why = self.swiftly(ends, depth, looker);
            let is_over = self.state.common.steps >= until || self.state.common.cycles >= horizon;
            match why {
                Some(Why::Unbuilt) if !is_over && self.build_for(looker) => {}
                _ => return (why == Some(Why::Observed), is_over),
            }
        }
    }

    fn build_for<L: Looker>(&mut self, _: &L) -> bool {
        self.build::<L::Hook>(self.state.cpu.pc)
    }

    /// Carries out groups until something is left to others, and why; `None` when there is too little left to begin.
    fn swiftly<L: Looker>(&mut self, ends: Ends, depth: i64, looker: &mut L) -> Option<Why> {
        let steps = self.state.common.steps;
        if self.groups_of != self.memory.code() {
            // Code that is written again and again, or data beside it, would have all put together anew each time.
            (self.groups_of, self.groups_from) = (self.memory.code(), steps + QUIET[ends.watchful as usize]);
            self.groups_are_old = true;
        }
        if steps < self.groups_from {
            return None;
        }
        if std::mem::take(&mut self.groups_are_old) {
            self.groups.clear();
        }
        let place = self.place(self.state.cpu.pc)?;
        let Self { state, memory, groups, near, around, code_start, .. } = self;
        let (common, cpu) = (&mut state.common, &mut state.cpu);
        let now = (common.steps, common.cycles);
        if !ends.are_far(now) || around.calls.shallow.is_some() {
            return None;
        }
        let groups = L::Hook::groups(groups);
        let core = &mut groups.core;
        core.registers[..32].copy_from_slice(&cpu.registers);
        core.routines.begin(&mut common.frames, &around.calls, depth);
        core.origin = *code_start;
        near.begin(memory);
        let (mut place, mut steps, mut cycles) = (place, now.0, now.1);
        let why = loop {
            // What was carried out so far stands in the registers of groups alone.
            let registers: [u32; 32] = groups.core.registers.first_chunk().copied().unwrap_or_default();
            let begin =
                Begin { now: (steps, cycles), registers: &registers, known: cpu.known, timer: &common.board.timer };
            let told = (&mut around.report, &mut around.came);
            let went = looker.along(near, told, begin, |memory| groups.run(memory, place, (steps, cycles), ends));
            looker.went((went.steps, went.cycles));
            (place, steps, cycles) = (went.place, went.steps, went.cycles);
            // Of who is told groups are of one instruction.
            for at in 0..u32::from(went.at) {
                let insn = decode(near.code(code_start.wrapping_add((went.place + at) << 2)));
                (place, steps, cycles) = (place + 1, steps + 1, cycles + insn.map_or(0, super::grouping::cycles));
            }
            // What was not at hand may be fetched.
            let insn = decode(near.code(code_start.wrapping_add(place << 2))).filter(|_| went.why == Why::Missed);
            let access = insn.and_then(|insn| groups.core.access(insn));
            if !access.is_some_and(|(address, length, is_store)| near.fetch(address, length, is_store)) {
                break went.why;
            }
        };
        near.settle(memory);
        let core = &mut groups.core;
        cpu.registers.copy_from_slice(&core.registers[..32]);
        core.routines.settle(&mut common.frames, &mut around.calls);
        (common.steps, common.cycles) = (steps, cycles);
        cpu.pc = code_start.wrapping_add(place << 2);
        cpu.control.done += steps - now.0;
        Some(why)
    }
}
