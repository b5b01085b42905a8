//! What a branch has left behind on its way: output, tones, marks, lines and interrupts, how deep calls went.
//!
//! It is taken in when steps are done for the first time, and is never needed to compute a moment again. It knows
//! nothing of the machine: whoever runs that tells what came of it.

use crate::ribbon::{Mark, MarkKind, Ribbon};
use crate::transcript::Transcript;
use std::collections::BTreeMap;
use wendax_isa::{Addr, StepNo};
use wendax_machine::{Moment, Tone};

/// As many tones of a run are kept, the first ones.
const MOST_TONES: usize = 100_000;

/// Lines and interrupts kept, at least; twice as many at most.
const KEPT: usize = 4096;

/// Lines and interrupts of a branch, the latest ones.
#[derive(Debug, Clone, Default)]
pub(crate) struct Moments {
    pub(crate) list: Vec<Moment>,
    /// How many there were before those.
    pub(crate) forgotten: u64,
}

fn step_of(moment: &Moment) -> StepNo {
    match moment {
        Moment::Line { step, .. } | Moment::Interrupt { step, .. } => *step,
    }
}

impl Moments {
    /// Takes in what happened in steps that were done for the first time.
    fn record(&mut self, fresh: Vec<Moment>) {
        self.list.extend(fresh);
        if self.list.len() > 2 * KEPT {
            self.forgotten += (self.list.len() - KEPT) as u64;
            self.list.drain(..self.list.len() - KEPT);
        }
    }

    /// Forgets what lies at or behind a step.
    fn truncate(&mut self, step: StepNo) {
        self.list.retain(|moment| step_of(moment) < step);
    }
}

/// What a branch has left behind.
#[derive(Debug, Clone, Default)]
pub(crate) struct Left {
    transcript: Transcript,
    pub(crate) ribbon: Ribbon,
    /// Where the run stopped or failed, and where things were typed or changed, in order.
    marks: Vec<Mark>,
    /// Where the run stopped or failed, by step.
    stopped: BTreeMap<StepNo, Addr>,
    moments: Moments,
    tones: Vec<Tone>,
    /// Moments that were given names, in order.
    pins: Vec<Pin>,
}

/// A moment that was given a name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pin {
    /// The moment.
    pub step: StepNo,
    /// Its name.
    pub name: String,
}

impl Left {
    pub(crate) fn marks(&self) -> &[Mark] {
        &self.marks
    }

    /// Lines that were printed and interrupts that were taken, the latest ones.
    pub(crate) fn moments(&self) -> &Moments {
        &self.moments
    }

    pub(crate) fn tones(&self) -> &[Tone] {
        &self.tones
    }

    pub(crate) fn pins(&self) -> &[Pin] {
        &self.pins
    }

    /// Gives a moment a name, which no other one has then.
    pub(crate) fn pin(&mut self, step: StepNo, name: &str) {
        self.unpin(name);
        let at = self.pins.partition_point(|pin| pin.step <= step);
        self.pins.insert(at, Pin { step, name: name.to_owned() });
    }

    /// Takes a name away; true when there was one.
    pub(crate) fn unpin(&mut self, name: &str) -> bool {
        let count = self.pins.len();
        self.pins.retain(|pin| pin.name != name);
        self.pins.len() < count
    }

    /// The address at which the run stopped or failed at a step.
    pub(crate) fn stopped_at(&self, step: StepNo) -> Option<Addr> {
        self.stopped.get(&step).copied()
    }

    /// Something happened at a step, at which this instruction was next.
    pub(crate) fn mark(&mut self, kind: MarkKind, step: StepNo, pc: Addr) {
        let mark = Mark { step, kind };
        if matches!(kind, MarkKind::Stop | MarkKind::Fault) {
            self.stopped.insert(step, pc);
        }
        let at = self.marks.partition_point(|known| *known < mark);
        if self.marks.get(at) != Some(&mark) {
            self.marks.insert(at, mark);
        }
    }

    /// No change by hand is left at a step.
    pub(crate) fn unmark_edit(&mut self, step: StepNo) {
        self.marks.retain(|mark| *mark != Mark { step, kind: MarkKind::Edit });
    }

    /// Whether something was typed at a step.
    pub(crate) fn was_typed_at(&self, step: StepNo) -> bool {
        self.marks.binary_search(&Mark { step, kind: MarkKind::Input }).is_ok()
    }

    /// Steps at which something was typed, in order.
    pub(crate) fn typed_steps(&self) -> impl Iterator<Item = StepNo> {
        self.marks.iter().filter(|mark| mark.kind == MarkKind::Input).map(|mark| mark.step)
    }

    /// Steps done just now, or again, printed this from a position since the start on, and sounded these tones.
    pub(crate) fn take_in(&mut self, printed: u64, output: &[u8], tones: Vec<Tone>) {
        self.transcript.record(printed, output);
        let last = self.tones.last().map(|tone| tone.step);
        let room = MOST_TONES.saturating_sub(self.tones.len());
        self.tones.extend(tones.into_iter().filter(|tone| Some(tone.step) > last).take(room));
    }

    /// Steps up to this one were done for the first time: their lines and interrupts, and how deep calls went.
    pub(crate) fn reach(&mut self, step: StepNo, moments: Vec<Moment>, deepest: u32) {
        self.moments.record(moments);
        self.ribbon.note(step, deepest);
    }

    /// A new branch begins at a step, at which so much had been printed. What was typed there stays when `with_input`.
    pub(crate) fn drop_from(&mut self, now: StepNo, printed: u64, with_input: bool) {
        self.transcript.truncate(printed);
        self.ribbon.truncate(now);
        self.moments.truncate(now);
        self.tones.retain(|tone| tone.step < now);
        self.pins.retain(|pin| pin.step <= now);
        self.stopped.split_off(&now);
        self.marks.retain(|mark| match mark.kind {
            MarkKind::Fault | MarkKind::Stop => mark.step < now,
            MarkKind::Input => mark.step < now || mark.step == now && with_input,
            MarkKind::Edit => mark.step <= now,
        });
    }

    /// The past before a step can no longer be gone to.
    pub(crate) fn forget_before(&mut self, oldest: StepNo) {
        self.marks.retain(|mark| mark.step >= oldest);
        self.pins.retain(|pin| pin.step >= oldest);
    }

    /// What was printed up to a position since the start, as far as it is kept, and the position it begins at.
    pub(crate) fn output_up_to(&self, position: u64) -> (u64, &[u8]) {
        self.transcript.up_to(position)
    }

    /// What was printed between two positions, when there was something and it is kept.
    pub(crate) fn printed_between(&self, from: u64, to: u64) -> Option<&[u8]> {
        let length = usize::try_from(to - from).ok().filter(|length| *length > 0)?;
        self.output_from(from).get(..length)
    }

    /// What was printed from a position on, as far as it is kept.
    pub(crate) fn output_from(&self, position: u64) -> &[u8] {
        let (base, output) = self.transcript.up_to(u64::MAX);
        let from = position.checked_sub(base).and_then(|from| usize::try_from(from).ok()).unwrap_or(usize::MAX);
        output.get(from..).unwrap_or_default()
    }
}
