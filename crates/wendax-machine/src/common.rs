//! What any machine has beside its processor and its memory: the part that belongs to its state, and what is around it.

use crate::activity::{Activity, Deed};
use crate::board::Board;
use crate::console::{Console, Tape};
use crate::events::{CYCLES_A_MILLISECOND, Event, Settings, Tone};
use crate::files::{Files, Found};
use crate::frames::{Frame, Frames};
use crate::repeats::Repeats;
use crate::report::{Came, Report};
use rustc_hash::FxHasher;
use std::hash::Hasher;
use std::sync::Arc;
use wendax_isa::StepNo;

/// As many tones wait for the owner; of a copy of a machine nobody may ask for them.
const MOST_TONES: usize = 1 << 16;

/// So many bytes that are moved for a program count as a step.
pub(crate) const BYTES_A_STEP: u64 = 4;

/// The part of the state that is no machine's own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Common {
    pub(crate) steps: u64,
    pub(crate) cycles: u64,
    pub(crate) frames: Frames,
    pub(crate) board: Board,
    pub(crate) console: Console,
    pub(crate) random: u64,
    /// Milliseconds waited.
    pub(crate) waited: u64,
    pub(crate) files: Arc<Files>,
    /// What was found at a path, and not looked at yet.
    pub(crate) found: Option<(Arc<str>, Found)>,
    /// An answer that has been fed and not been used.
    pub(crate) answer: Option<u32>,
    /// The status the program ended with.
    pub(crate) finished: Option<u32>,
}

impl Common {
    pub(crate) fn new(seed: u64) -> Self {
        Self {
            steps: 0,
            cycles: 0,
            frames: Frames::default(),
            board: Board::default(),
            console: Console::default(),
            random: seed,
            waited: 0,
            files: Arc::default(),
            found: None,
            answer: None,
            finished: None,
        }
    }

    /// The milliseconds on the clock made of cycles.
    pub(crate) fn milliseconds(&self) -> u64 {
        self.cycles / CYCLES_A_MILLISECOND + self.waited
    }

    /// The program has ended, and what it has open is closed.
    pub(crate) fn finish(&mut self, status: u32) {
        self.finished = Some(status);
        if self.files.open().next().is_some() {
            Arc::make_mut(&mut self.files).close_all();
        }
    }

    /// All of it that matters for what happens next, but for counters.
    pub(crate) fn hash(&self, hasher: &mut FxHasher) {
        for frame in self.frames.list() {
            for word in [frame.slot, frame.back, frame.site, frame.target] {
                hasher.write_u32(word.0);
            }
        }
        for word in self.board.without_time() {
            hasher.write_u64(word);
        }
        hasher.write_u64(self.console.typed - self.console.read);
        hasher.write_u8(self.console.ended.into());
        hasher.write_u64(self.random);
        for (handle, open) in self.files.open() {
            hasher.write_u32(handle);
            hasher.write_usize(open.position);
        }
        hasher.write_u64(self.answer.map_or(u64::MAX, u64::from));
    }
}

/// What a machine notes of calls beside its state.
#[derive(Debug, Clone, Default)]
pub(crate) struct Calls {
    /// The most frames there were since this was last asked.
    pub(crate) deepest: u32,
    /// Calls made from at most so many frames are noted.
    pub(crate) shallow: Option<u32>,
    /// The step of the last such call.
    pub(crate) last_shallow: Option<StepNo>,
}

impl Calls {
    #[inline]
    pub(crate) fn enter(&mut self, frames: &mut Frames, frame: Frame) {
        if self.shallow.is_some_and(|shallow| frames.count() <= shallow) {
            self.last_shallow = Some(frame.step);
        }
        frames.enter(frame);
        self.deepest = self.deepest.max(frames.count());
    }
}

/// What is around the state of a machine: what it was given, what it has left for its owner, what is noted of its run.
#[derive(Debug, Clone)]
pub(crate) struct Around {
    pub(crate) tape: Tape,
    pub(crate) settings: Arc<Settings>,
    /// Output not yet taken by the owner.
    pub(crate) output: Vec<u8>,
    /// Tones not yet taken by the owner.
    pub(crate) tones: Vec<Tone>,
    pub(crate) calls: Calls,
    pub(crate) activity: Activity,
    pub(crate) repeats: Repeats,
    /// Work done in the last run, beside plain steps, and in all before it.
    pub(crate) worked: u64,
    pub(crate) worked_before: u64,
    /// Steps of waits that were passed over.
    pub(crate) passed: u64,
    /// What came from outside at this moment.
    pub(crate) came: Vec<Came>,
    /// Calls, traps and interrupts are looked out for.
    pub(crate) looks_at_rare: bool,
    /// Room for the report of a step, kept from run to run.
    pub(crate) report: Report,
}

impl Around {
    pub(crate) fn new(settings: Settings) -> Self {
        Self {
            tape: Tape::default(),
            settings: Arc::new(settings),
            output: Vec::new(),
            tones: Vec::new(),
            calls: Calls::default(),
            activity: Activity::default(),
            repeats: Repeats::default(),
            worked: 0,
            worked_before: 0,
            passed: 0,
            came: Vec::new(),
            looks_at_rare: false,
            report: Report::default(),
        }
    }

    /// The program prints.
    pub(crate) fn print(&mut self, common: &mut Common, bytes: &[u8]) {
        self.activity.note(Deed::Worked, common.steps);
        self.activity.printed(bytes, common.console.printed, common.steps);
        self.output.extend_from_slice(bytes);
        common.console.printed += bytes.len() as u64;
    }

    /// A tone sounds.
    pub(crate) fn sound(&mut self, tone: Tone) {
        if self.tones.len() < MOST_TONES {
            self.tones.push(tone);
        }
    }

    /// The output not yet taken, from a position since the start on.
    pub(crate) fn output_since(&self, printed: u64, position: u64) -> &[u8] {
        let fresh = usize::try_from(printed - position.min(printed)).unwrap_or(usize::MAX);
        &self.output[self.output.len() - fresh.min(self.output.len())..]
    }

    /// What was seen of loops so far counts no more, and everything may have been done just now.
    pub(crate) fn forget_repeats(&mut self, steps: u64) {
        self.repeats.forget();
        for deed in [Deed::Worked, Deed::Allowed] {
            self.activity.note(deed, steps);
        }
    }

    /// What was done: the steps that are stood at less all that was passed over, which is more than that once the machine was
    /// put back, and work beside them.
    pub(crate) fn effort(&self, common: &Common) -> u64 {
        common.steps.wrapping_sub(self.passed).wrapping_add(self.worked_before).wrapping_add(self.worked)
    }

    /// Takes in what is no machine's own of an event; false when it is.
    pub(crate) fn take_in(&mut self, common: &mut Common, event: &Event) -> bool {
        self.forget_repeats(common.steps);
        let Common { console, board, answer, found, .. } = common;
        match event {
            Event::Typed(bytes) => {
                // What is typed ends its line on the console.
                self.activity.forget_line();
                self.tape.write(console.typed, bytes);
                console.typed += bytes.len() as u64;
            }
            Event::InputEnds => console.ended = true,
            Event::Clock(time) => *answer = Some(*time),
            Event::Waited => *answer = Some(0),
            Event::File(path, file) => *found = Some((Arc::clone(path), file.clone())),
            Event::Levers(levers) => board.move_levers(u16::try_from(levers & 0xFFFF).unwrap_or(0)),
            Event::SetRegister(..) | Event::SetFlags(_) | Event::SetByte(..) => return false,
        }
        true
    }

    /// A state was put back: what belongs to the one before is dropped.
    pub(crate) fn put_back(&mut self, steps: u64) {
        self.output.clear();
        self.tones.clear();
        self.activity.forget_line();
        self.activity.take_moments();
        self.came.clear();
        self.calls.deepest = 0;
        self.forget_repeats(steps);
    }
}
