//! What a run did, counted while it ran.
//!
//! [`Counts`] is filled by [`crate::Machine::run_counted`], over as many calls as one likes, and is exact: each step is
//! counted once, with its cycles, at the instruction it carried out and for the routine it belongs to. A step belongs to
//! the routine whose frame is the innermost before it; the entry of an interrupt or of a fault's trap to the handler.
//! Routines are told apart by where they begin. What is named, summed up and compared lies with whoever asks.

use crate::frames::Frame;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
use wendax_isa::{Addr, Reg, StepNo};

/// An instruction at a place, and how it fared. Where code was rewritten a place stands here once for each instruction.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlaceCount {
    /// Where it stands.
    pub address: Addr,
    /// Bytes it takes.
    pub length: u32,
    /// Its mnemonic.
    pub mnemonic: &'static str,
    /// What instructions of its sort do.
    pub group: &'static str,
    /// Its code words, as many as an instruction has at most.
    pub code: [u32; 2],
    /// How often it was carried out.
    pub times: u64,
    /// How often it was come to and failed, and a trap was entered in its place.
    pub failed: u64,
    /// Cycles of all of them.
    pub cycles: u64,
    /// Of a jump with a condition, how often it was taken.
    pub taken: Option<u64>,
}

/// How often a routine was called by another one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct CallCount {
    /// The routine called, as an index of [`Counts::routines`].
    pub callee: usize,
    /// How often.
    pub times: u64,
    /// Cycles from entry to end, or to where counting ended.
    pub cycles: u64,
}

/// One call of a routine.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OneCall {
    /// The step that entered it.
    pub step: StepNo,
    /// Steps and cycles up to its end, or to the end of counting, with all it called.
    pub steps: u64,
    /// See `steps`.
    pub cycles: u64,
    /// The registers that take arguments, at its entry; those that were never set are not among them.
    pub arguments: Vec<(Reg, u32)>,
}

/// What a routine cost.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RoutineCount {
    /// Where it begins; of what ran in no routine, where the program did.
    pub entry: Addr,
    /// How often it was entered.
    pub calls: u64,
    /// Steps of its own.
    pub own_steps: u64,
    /// Cycles of its own.
    pub own_cycles: u64,
    /// Steps with all it called; what it called itself within counts once.
    pub all_steps: u64,
    /// Cycles likewise.
    pub all_cycles: u64,
    /// The call that took most cycles; the first of several.
    pub dearest: Option<OneCall>,
    /// What it called, in the order of the first call.
    pub callees: Vec<CallCount>,
}

/// How often a system call, trap or interrupt came.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct EventCount {
    /// How often.
    pub times: u64,
    /// Its cycles.
    pub cycles: u64,
    /// Of system calls those that failed.
    pub failed: u64,
}

/// How often a cell was touched. A word is one touch of its first byte; system calls touch each byte.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct CellCount {
    /// The first byte.
    pub address: Addr,
    /// Bytes of the touch.
    pub bytes: u32,
    /// How often it was read.
    pub read: u64,
    /// How often it was written.
    pub written: u64,
}

/// A stretch of the run spent in one call.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Stretch {
    /// The routine, as an index of [`Counts::routines`].
    pub routine: usize,
    /// Routines around it.
    pub depth: usize,
    /// The step that entered it.
    pub from: StepNo,
    /// The moment it was left.
    pub to: StepNo,
}

/// All that was counted.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Counts {
    /// The moment counting began.
    pub from: StepNo,
    /// The moment it ended.
    pub to: StepNo,
    /// Cycles between the two.
    pub cycles: u64,
    /// Instructions by place, in order of address.
    pub places: Vec<PlaceCount>,
    /// Routines, in the order they were first run in; the first is what runs in none.
    pub routines: Vec<RoutineCount>,
    /// System calls by number.
    pub calls: BTreeMap<u32, EventCount>,
    /// Traps by number.
    pub traps: BTreeMap<u32, EventCount>,
    /// Interrupts by number.
    pub interrupts: BTreeMap<u32, EventCount>,
    /// Cells touched, in order of address.
    pub cells: Vec<CellCount>,
    /// Bytes printed.
    pub printed: u64,
    /// Bytes of typed input taken.
    pub consumed: u64,
    /// Bytes the stack was deep at most, over time; see [`Depths`].
    pub depths: Depths,
    /// The longest stretches of the run by routine, in the order they ended in; short ones are left out when there are
    /// many. What has not ended ends where counting does.
    pub stretches: Vec<Stretch>,
    /// Shorter stretches than this many steps were left out.
    pub shortest_stretch: u64,
}

/// So many stretches of time at most, and the fewest there are once there were more.
const MOST_DEPTHS: usize = 1024;

/// How deep the stack was: the most bytes below its start in each of some stretches of time of one length. While a
/// program waits, doing the same again and again, it counts as deep all along as it is at its deepest.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Depths {
    /// Steps of a stretch: a power of two.
    pub width: u64,
    /// The depth in each, in bytes.
    pub bytes: Vec<u32>,
    /// The deepest, and the first step that reached it.
    pub deepest: (u32, StepNo),
}

impl Depths {
    pub(crate) fn new() -> Self {
        Self { width: 1, ..Self::default() }
    }

    /// At a step, counted from the beginning, the stack became so deep, having been `before`.
    #[inline]
    pub(crate) fn note(&mut self, begun: StepNo, since: u64, before: u32, depth: u32) {
        if depth > self.deepest.0 {
            self.deepest = (depth, begun + since);
        }
        let (index, length) = (since / self.width, self.length());
        match self.bytes.last_mut() {
            Some(last) if index + 1 == length => *last = (*last).max(depth),
            _ => self.reach(since, before, depth),
        }
    }

    /// From one step to another, neither of which is noted, the stack was so deep again and again, and no deeper than it
    /// had been before.
    pub(crate) fn fill(&mut self, from: u64, to: u64, depth: u32) {
        let Some(last) = to.checked_sub(1).filter(|last| *last >= from) else { return };
        self.reach(last, depth, depth);
        let (first, end) = (from / self.width, last / self.width);
        let inside = (0u64..).zip(&mut self.bytes).filter(|(index, _)| (first..=end).contains(index));
        inside.for_each(|(_, bytes)| *bytes = (*bytes).max(depth));
    }

    fn length(&self) -> u64 {
        self.bytes.len() as u64
    }

    /// Makes the stretches up to a step, at each of which the stack was `before` deep.
    fn reach(&mut self, since: u64, before: u32, depth: u32) {
        while since / self.width >= MOST_DEPTHS as u64 {
            let known = std::mem::take(&mut self.bytes);
            self.bytes = known.chunks(2).map(|pair| pair.iter().copied().max().unwrap_or(0)).collect();
            self.width *= 2;
        }
        while self.length() <= since / self.width {
            self.bytes.push(before);
        }
        if let Some(last) = self.bytes.last_mut() {
            *last = (*last).max(before).max(depth);
        }
    }
}

/// Stretches that are kept, at most.
const MOST_STRETCHES: usize = 8192;

/// The longest stretches of a run.
#[derive(Debug, Clone, Default)]
pub(crate) struct Stretches {
    pub(crate) list: Vec<Stretch>,
    pub(crate) shortest: u64,
}

impl Stretches {
    #[inline]
    pub(crate) fn add(&mut self, stretch: Stretch) {
        if stretch.to - stretch.from < self.shortest {
            return;
        }
        self.list.push(stretch);
        while self.list.len() > MOST_STRETCHES {
            self.shortest = (self.shortest * 2).max(2);
            let shortest = self.shortest;
            self.list.retain(|stretch| stretch.to - stretch.from >= shortest);
        }
    }
}

/// A routine that was entered, as counting knows it.
#[derive(Debug, Clone)]
pub(crate) struct Open {
    pub(crate) routine: usize,
    pub(crate) step: StepNo,
    /// Steps and cycles counted before it.
    pub(crate) since: (u64, u64),
    pub(crate) arguments: [Option<u32>; 4],
    /// It was entered while counting.
    pub(crate) is_whole: bool,
    /// How many calls it stands for.
    pub(crate) weight: u64,
}

/// What changes with each call of a routine: as much as comes with one look at memory.
#[derive(Debug, Clone, Default)]
#[repr(align(64))]
struct Hot {
    /// How many of its frames are open.
    frames: u32,
    /// Who called it last, and where it stands among the callees of that: mostly the same calls it again.
    caller: Option<(u32, u32)>,
    calls: u64,
    own_steps: u64,
    own_cycles: u64,
    all_steps: u64,
    all_cycles: u64,
    /// The cycles of its dearest call, and 1 more; 0 before there was one.
    dearest: u64,
}

/// The rest that is known of a routine.
#[derive(Debug, Clone)]
struct Known {
    entry: Addr,
    dearest: Option<OneCall>,
    callees: Vec<CallCount>,
}

/// Which routines are active, and what each cost.
#[derive(Debug, Clone)]
pub(crate) struct Routines {
    hot: Vec<Hot>,
    known: Vec<Known>,
    pub(crate) open: Vec<Open>,
    /// Where a callee stands among those of its caller.
    callees: FxHashMap<(u32, u32), u32>,
    /// Steps and cycles counted when the innermost one last changed.
    pub(crate) mark: (u64, u64),
    pub(crate) stretches: Stretches,
}

impl Routines {
    pub(crate) fn new(entry: Addr) -> Self {
        let mut routines = Self {
            hot: Vec::new(),
            known: Vec::new(),
            open: Vec::new(),
            callees: FxHashMap::default(),
            mark: (0, 0),
            stretches: Stretches::default(),
        };
        routines.add(entry);
        routines.hot[0].frames = 1;
        routines
    }

    /// A routine that was not known.
    pub(crate) fn add(&mut self, entry: Addr) -> usize {
        self.hot.push(Hot::default());
        self.known.push(Known { entry, dearest: None, callees: Vec::new() });
        self.known.len() - 1
    }

    /// What each cost; all of the run is that of what runs in none.
    pub(crate) fn into_counts(self, (all_steps, all_cycles): (u64, u64)) -> (Vec<RoutineCount>, Stretches) {
        let count = |(hot, known): (Hot, Known)| RoutineCount {
            entry: known.entry,
            calls: hot.calls,
            own_steps: hot.own_steps,
            own_cycles: hot.own_cycles,
            all_steps: hot.all_steps,
            all_cycles: hot.all_cycles,
            dearest: known.dearest,
            callees: known.callees,
        };
        let mut counts: Vec<RoutineCount> = self.hot.into_iter().zip(self.known).map(count).collect();
        if let Some(first) = counts.first_mut() {
            (first.all_steps, first.all_cycles) = (all_steps, all_cycles);
        }
        (counts, self.stretches)
    }

    fn innermost(&self) -> usize {
        self.open.last().map_or(0, |open| open.routine)
    }

    /// What was counted since the innermost routine last changed is its own.
    pub(crate) fn settle(&mut self, now: (u64, u64)) {
        let innermost = self.innermost();
        let routine = &mut self.hot[innermost];
        routine.own_steps += now.0 - self.mark.0;
        routine.own_cycles += now.1 - self.mark.1;
        self.mark = now;
    }

    pub(crate) fn enter(&mut self, open: Open, now: (u64, u64)) {
        self.settle(now);
        let (caller, callee) = (self.innermost(), open.routine);
        self.hot[callee].frames += 1;
        if open.is_whole {
            let place = self.place_among(caller, callee);
            self.hot[callee].calls += open.weight;
            self.known[caller].callees[place].times += open.weight;
        }
        self.open.push(open);
    }

    /// Where a callee stands among those of a caller, which may be a new one.
    fn place_among(&mut self, caller: usize, callee: usize) -> usize {
        // There are no more routines than addresses.
        let index = |routine: usize| u32::try_from(routine).unwrap_or(u32::MAX);
        if let Some((last, place)) = self.hot[callee].caller
            && last == index(caller)
        {
            return place as usize;
        }
        let known = &mut self.known[caller].callees;
        let place = *self.callees.entry((index(caller), index(callee))).or_insert_with(|| {
            known.push(CallCount { callee, times: 0, cycles: 0 });
            index(known.len() - 1)
        });
        self.hot[callee].caller = Some((index(caller), place));
        place as usize
    }

    /// Leaves the innermost routines down to so many; `registers` are those that take arguments.
    pub(crate) fn leave(&mut self, depth: usize, begun: StepNo, now: (u64, u64), registers: &[Reg]) {
        if depth >= self.open.len() {
            return;
        }
        self.settle(now);
        while self.open.len() > depth {
            let Some(open) = self.open.pop() else { break };
            let (steps, cycles) = (now.0 - open.since.0, now.1 - open.since.1);
            let (at, caller) = (open.routine, self.innermost());
            let routine = &mut self.hot[at];
            routine.frames -= 1;
            if routine.frames == 0 {
                routine.all_steps += steps;
                routine.all_cycles += cycles;
            }
            if open.is_whole {
                let (steps, cycles) = (steps / open.weight, cycles / open.weight);
                if cycles >= routine.dearest {
                    routine.dearest = cycles + 1;
                    let arguments = registers.iter().copied().zip(open.arguments);
                    let arguments = arguments.filter_map(|(register, value)| Some((register, value?))).collect();
                    self.known[at].dearest = Some(OneCall { step: open.step, steps, cycles, arguments });
                }
                let place = self.place_among(caller, at);
                self.known[caller].callees[place].cycles += cycles * open.weight;
            }
            // What stands for many is not one long one.
            if open.weight == 1 {
                // What runs in no routine is around all of them.
                let depth = self.open.len() + 1;
                self.stretches.add(Stretch { routine: at, depth, from: open.step, to: begun + now.0 });
            }
        }
    }

    /// Leaves what is not among these frames: a person has moved the stack pointer.
    pub(crate) fn keep(&mut self, frames: &[Frame], begun: StepNo, now: (u64, u64), registers: &[Reg]) {
        let same = self.open.iter().zip(frames).take_while(|(open, frame)| open.step == frame.step).count();
        self.leave(same, begun, now, registers);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// However stretches of time were merged: each tells of the deepest in it.
        #[test]
        fn depths_are_those_of_each_stretch_of_time(moves in proptest::collection::vec((0u64..400, 0u32..50), 1..60)) {
            let mut depths = Depths::new();
            let mut each: Vec<u32> = Vec::new();
            let (mut step, mut depth) = (0, 0);
            for (later, deep) in moves {
                step += later;
                let at = usize::try_from(step).expect("small");
                each.resize(each.len().max(at), depth);
                depths.note(StepNo(0), step, depth, deep * 2);
                // A step may move the stack several times.
                each.resize(each.len().max(at + 1), depth);
                let last = each.last_mut().expect("it is there");
                *last = (*last).max(depth).max(deep * 2);
                depth = deep * 2;
            }
            prop_assert!(depths.bytes.len() <= MOST_DEPTHS);
            let width = usize::try_from(depths.width).expect("small");
            let wanted: Vec<u32> = each.chunks(width).map(|part| part.iter().copied().max().unwrap_or(0)).collect();
            prop_assert_eq!(&depths.bytes, &wanted);
            prop_assert_eq!(depths.deepest.0, wanted.iter().copied().max().unwrap_or(0));
        }

        /// The longest stretches stay, and what is left out is shorter than said.
        #[test]
        fn long_stretches_are_kept(lengths in proptest::collection::vec(0u64..5000, 1..60), times in 1usize..400) {
            let mut stretches = Stretches::default();
            let mut all = 0;
            for (index, length) in (0..).zip(lengths.iter().cycle().take(lengths.len() * times)) {
                let from = StepNo(index * 10_000);
                stretches.add(Stretch { routine: 0, depth: 1, from, to: from + *length });
                all += 1;
            }
            prop_assert!(stretches.list.len() <= MOST_STRETCHES);
            let long = lengths.iter().filter(|length| **length >= stretches.shortest).count() * times;
            prop_assert_eq!(stretches.list.len(), long);
            prop_assert!(all <= MOST_STRETCHES || stretches.shortest > 0);
        }
    }
}
