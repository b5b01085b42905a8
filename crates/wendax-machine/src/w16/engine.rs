//! Running instructions, from one stop to the next.
//!
//! `plain` is the loop that takes one instruction after another and tells of each to what goes along, a [`Trace`]; `swift`
//! carries out several in one go, or one alone where somebody is told. Both leave as soon as anything rare comes up: [`Machine::run_with`]
//! deals with that and goes back in.

use super::plain::{Exit, Limits};
use super::prints::Prints;
use super::slots::{Kind, Slot};
use super::trace::{Blind, Done, Past, Trace, Traced};
use super::{Machine, State};
use crate::activity::Deed;
use crate::events::{Awaited, Run, Stop, Watch};
use crate::fault::{Fault, FaultKind};
use crate::memory::{DECODED, EXECUTE};
use crate::repeats::{Round, Task};
use crate::report::{Observer, Report, See, StepKind};
use rustc_hash::FxHasher;
use std::hash::Hasher;
use std::ops::ControlFlow;
#[cfg(test)]
use wendax_isa::StepNo;
use wendax_isa::w16::{I, Insn, decode};

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
                trace.go(self, bounded)
            };
            let stop = match exit {
                Exit::Horizon | Exit::Touched => None,
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
            return Ok(trace.go(self, limits));
        }
        let mut repeats = std::mem::take(&mut self.around.repeats);
        let exit = Prints { repeats: &mut repeats }.go(self, limits);
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
        cpu.registers.iter().chain(&cpu.flag_writers).for_each(|&word| hasher.write_u16(word));
        for word in [cpu.pc, cpu.flags, cpu.known, *heap_end] {
            hasher.write_u16(word);
        }
        common.hash(&mut hasher);
        hasher.finish()
    }

    /// Decodes the next instruction into its slot.
    fn decode_next(&mut self) -> Result<Insn, FaultKind> {
        self.decode_at(self.state.cpu.pc)
    }

    /// Decodes the instruction at an address into its slot.
    pub(super) fn decode_at(&mut self, pc: u16) -> Result<Insn, FaultKind> {
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
            self.memory.mark(pc.wrapping_add(offset), DECODED);
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
    use crate::repeats::Repeats;
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
