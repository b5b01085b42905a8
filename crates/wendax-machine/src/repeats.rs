//! Noticing that a run repeats a state, whatever the length of a round, at next to no cost.
//!
//! Every [`Pace::between`] steps a *stretch* of the run is looked at step by step: of each state a fingerprint (a hash of
//! registers, flags and place) is worked out, and those that are *marked* by their own value, one in so many, are
//! kept; at the end of the stretch the whole state is hashed. Besides, every [`Pace::probe`] steps, a little less than
//! the length of a stretch, a few steps are looked at until one has a marked fingerprint. If the run repeats, one round
//! after a stretch its states come again in the same order, so one of these probes must meet one of its marked states,
//! wherever in the stretch it falls. That gives the length of a round, if it is one; one round after the end of that
//! stretch the whole state is hashed again, and is the same, or not. Rounds shorter than a stretch are found by its
//! first state coming again.
//!
//! So a round of any length up to [`Pace::kept`] times the distance of two stretches is noticed at the latest that distance
//! and a little after it began to repeat; longer ones later, since older stretches are kept more sparsely.
//!
//! This module knows nothing of machines; who runs one shows it fingerprints and hashes.

use rustc_hash::FxHashMap;
use std::ops::ControlFlow;

/// A fingerprint that led astray so often is not asked again.
const PATIENCE: u8 = 3;
/// When registers repeat within a stretch and memory does not, so many multiples of that length are tried, and so many
/// steps at the most: a flag in memory that is toggled makes a round twice as long.
const MULTIPLES: u64 = 32;
const MULTIPLES_WITHIN: u64 = 100_000;

/// How often to look; all in steps.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Pace {
    /// From the beginning of a stretch to that of the next.
    between: u64,
    /// How long a stretch is.
    stretch: u64,
    /// From probe to probe.
    probe: u64,
    /// How long a probe goes on at the most.
    glance: u64,
    /// Stretches of which all is kept.
    kept: u64,
    /// One fingerprint in so many is marked: few enough of a stretch that one without any is out of the question.
    marked: u64,
}

/// Stretches are 0.5 % of all steps, probes 0.4 %. Between two stretches lies so much that a round is noticed within a
/// million steps after it began to repeat.
const USUAL: Pace = Pace { between: 800_000, stretch: 4096, probe: 3900, glance: 190, kept: 384, marked: 16 };

#[derive(Debug, Clone, Copy)]
struct Stretch {
    end: u64,
    /// Of the whole state at its end.
    hash: u64,
}

/// Where a marked fingerprint was seen.
#[derive(Debug, Clone, Copy)]
struct Seen {
    step: u64,
    stretch: u32,
    astray: u8,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Doing {
    Nothing,
    /// Looking at a stretch: its beginning, and the first step seen of it with its fingerprint.
    Stretch {
        begun: u64,
        first: Option<(u64, u64)>,
    },
    /// Looking for a marked state, up to this step.
    Probe {
        until: u64,
    },
}

/// A round that may be one: at `at` the state is what it was at the end of the stretch, or it is none.
#[derive(Debug, Clone, Copy)]
struct Guess {
    at: u64,
    period: u64,
    stretch: u32,
    /// What led to it.
    lead: Lead,
}

#[derive(Debug, Clone, Copy)]
enum Lead {
    /// A marked fingerprint that was met again.
    Mark(u64),
    /// The registers at the beginning of a stretch came again after so many steps; multiples of them are tried.
    First { apart: u64, left: u64 },
}

/// What is to be done at a step that [`Repeats::due`] named.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Task {
    /// Nothing yet.
    None,
    /// Hash the whole state, and give it to [`Repeats::take_hash`].
    Hash,
}

/// A round that was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Round {
    /// Its length in steps.
    pub(crate) period: u64,
    /// A step at which it had begun for certain, one round ago.
    pub(crate) since: u64,
}

/// A number that stands for registers and where a program is: a sum of them, each times an odd number of its own, mixed.
/// Kept up while registers are written it costs a product each.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Print {
    /// The part of the registers.
    sum: u64,
}

/// Registers there may be.
const REGISTERS: usize = 32;

const GOLDEN: u64 = 0x9E37_79B9_7F4A_7C15;

/// The odd numbers of registers.
const FACTORS: [u64; REGISTERS] = {
    let (mut factors, mut factor, mut at) = ([0; REGISTERS], GOLDEN, 0);
    while at < REGISTERS {
        factor = factor.wrapping_mul(0xD129_0D3F_9B0B_2C85);
        factors[at] = factor;
        at += 1;
    }
    factors
};

impl Print {
    pub(crate) fn new(registers: impl Iterator<Item = u64>) -> Self {
        let each = FACTORS.iter().zip(registers).map(|(factor, register)| register.wrapping_mul(*factor));
        Self { sum: each.fold(0, u64::wrapping_add) }
    }

    /// A register has another value; a number that none has counts for nothing.
    #[inline]
    pub(crate) fn wrote(&mut self, register: usize, old: u64, new: u64) {
        let factor = FACTORS.get(register).copied().unwrap_or(0);
        self.sum = self.sum.wrapping_add(new.wrapping_sub(old).wrapping_mul(factor));
    }

    /// With where it is and what else there is of a state.
    #[inline]
    pub(crate) fn at(self, place: u64) -> u64 {
        let sum = self.sum.wrapping_add(place.wrapping_mul(GOLDEN));
        let mixed = (sum ^ sum >> 31).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        mixed ^ mixed >> 29
    }
}

/// What was seen of a run so far.
#[derive(Debug)]
pub(crate) struct Repeats {
    pace: Pace,
    stretches: FxHashMap<u32, Stretch>,
    seen: FxHashMap<u64, Seen>,
    doing: Doing,
    next_stretch: u64,
    next_probe: u64,
    guess: Option<Guess>,
    /// The step up to which it has followed.
    now: u64,
}

/// A copy of a machine has seen nothing: it is about something else.
impl Clone for Repeats {
    fn clone(&self) -> Self {
        Self::new(self.pace)
    }
}

impl Default for Repeats {
    fn default() -> Self {
        Self::new(USUAL)
    }
}

impl Repeats {
    fn new(pace: Pace) -> Self {
        Self {
            pace,
            stretches: FxHashMap::default(),
            seen: FxHashMap::default(),
            doing: Doing::Nothing,
            next_stretch: 0,
            next_probe: 0,
            guess: None,
            now: 0,
        }
    }

    /// Looks far more often, so that what is rare in use is common under test.
    #[cfg(test)]
    pub(crate) fn hasty() -> Self {
        Self::new(Pace { between: 400, stretch: 64, probe: 30, glance: 34, kept: 1 << 10, marked: 4 })
    }

    /// What was seen so far is of another run, or of this one before something came from outside.
    pub(crate) fn forget(&mut self) {
        // The next stretch keeps its place: a run to which something happens again and again must not be looked at all
        // the time.
        let (next_stretch, next_probe) = (self.next_stretch, self.next_probe);
        *self = Self { next_stretch, next_probe, now: self.now, ..Self::new(self.pace) };
    }

    /// The run stands at a step. When it was not followed up to there, what was seen counts no more.
    pub(crate) fn follow(&mut self, step: u64) {
        if self.now != step {
            self.forget();
            self.now = step;
            // When the run went back, that place may lie far ahead.
            self.next_stretch = self.next_stretch.min(step + self.pace.between);
            self.next_probe = self.next_probe.min(step + self.pace.probe);
        }
    }

    /// The run has been followed up to here.
    pub(crate) fn is_at(&self, step: u64) -> bool {
        self.now == step
    }

    /// The run came to a step, without anyone having to look before.
    pub(crate) fn moved(&mut self, step: u64) {
        self.now = step;
    }

    /// The step at which something is to be done; it may be the present one.
    pub(crate) fn due(&self) -> u64 {
        let doing = match self.doing {
            Doing::Nothing => self.next_stretch.min(self.next_probe),
            Doing::Stretch { begun, .. } => begun + self.pace.stretch,
            Doing::Probe { until } => until,
        };
        doing.min(self.guess.map_or(u64::MAX, |guess| guess.at))
    }

    /// Each step is to be shown to [`Self::see`] now.
    pub(crate) fn is_looking(&self) -> bool {
        self.doing != Doing::Nothing
    }

    /// The step at which a round that may be one is to be checked.
    pub(crate) fn guess_at(&self) -> u64 {
        self.guess.map_or(u64::MAX, |guess| guess.at)
    }

    /// Does what is due at `step`.
    pub(crate) fn tend(&mut self, step: u64) -> Task {
        if self.guess.is_some_and(|guess| guess.at < step) {
            self.guess = None;
        }
        if self.guess.is_some_and(|guess| guess.at == step) {
            return Task::Hash;
        }
        match self.doing {
            Doing::Stretch { begun, .. } if step >= begun + self.pace.stretch => return Task::Hash,
            Doing::Probe { until } if step >= until => self.rest(step),
            Doing::Stretch { .. } | Doing::Probe { .. } => {}
            Doing::Nothing if step >= self.next_stretch => {
                self.doing = Doing::Stretch { begun: step, first: None };
                self.next_stretch = step + self.pace.between;
            }
            Doing::Nothing if step >= self.next_probe => {
                self.next_probe = step + self.pace.probe;
                // With a guess to be checked there is nothing to look for.
                if self.guess.is_none() {
                    self.doing = Doing::Probe { until: step + self.pace.glance };
                }
            }
            Doing::Nothing => {}
        }
        Task::None
    }

    fn rest(&mut self, step: u64) {
        self.doing = Doing::Nothing;
        self.next_probe = self.next_probe.max(step + 1);
    }

    fn number(&self, step: u64) -> u32 {
        u32::try_from(step / self.pace.between).unwrap_or(u32::MAX)
    }

    /// The state at `step` has this fingerprint. Break when nothing more is to be seen for now.
    pub(crate) fn see(&mut self, step: u64, print: u64) -> ControlFlow<()> {
        let marked = print.is_multiple_of(self.pace.marked);
        match self.doing {
            Doing::Nothing => return ControlFlow::Break(()),
            Doing::Stretch { begun, first } => {
                let number = self.number(begun);
                match first {
                    None => self.doing = Doing::Stretch { begun, first: Some((step, print)) },
                    Some((at, first)) if first == print && self.guess.is_none() => {
                        let (apart, end) = (step - at, begun + self.pace.stretch);
                        let left = MULTIPLES.min(MULTIPLES_WITHIN / apart);
                        let lead = Lead::First { apart, left };
                        self.guess = Some(Guess { at: end + apart, period: apart, stretch: number, lead });
                    }
                    Some(_) => {}
                }
                if marked {
                    let astray = self.seen.get(&print).map_or(0, |seen| seen.astray);
                    self.seen.insert(print, Seen { step, stretch: number, astray });
                }
            }
            Doing::Probe { .. } if marked => {
                let seen = self.seen.get(&print).filter(|seen| seen.step < step);
                if seen.is_some_and(|seen| seen.astray >= PATIENCE) {
                    return ControlFlow::Continue(());
                }
                if let Some(seen) = seen
                    && let Some(stretch) = self.stretches.get(&seen.stretch)
                {
                    let period = step - seen.step;
                    let lead = Lead::Mark(print);
                    self.guess = Some(Guess { at: stretch.end + period, period, stretch: seen.stretch, lead });
                }
                self.rest(step);
                return ControlFlow::Break(());
            }
            Doing::Probe { .. } => {}
        }
        ControlFlow::Continue(())
    }

    /// Takes the hash of the whole state at `step`, which [`Self::tend`] asked for; a round when there is one.
    pub(crate) fn take_hash(&mut self, step: u64, hash: u64) -> Option<Round> {
        if let Doing::Stretch { begun, .. } = self.doing
            && step >= begun + self.pace.stretch
        {
            self.stretches.insert(self.number(begun), Stretch { end: step, hash });
            self.rest(step);
            self.thin(begun);
        }
        let guess = self.guess.take_if(|guess| guess.at == step)?;
        let stretch = self.stretches.get(&guess.stretch)?;
        if stretch.hash == hash && stretch.end < step {
            return Some(Round { period: guess.period, since: stretch.end });
        }
        match guess.lead {
            Lead::Mark(print) => {
                if let Some(seen) = self.seen.get_mut(&print) {
                    seen.astray += 1;
                }
            }
            Lead::First { apart, left } if left > 1 => {
                let lead = Lead::First { apart, left: left - 1 };
                self.guess = Some(Guess { at: guess.at + apart, period: guess.period + apart, lead, ..guess });
            }
            Lead::First { .. } => {}
        }
        None
    }

    /// Of older stretches one is kept in two, four, eight…, the older the sparser.
    fn thin(&mut self, begun: u64) {
        let newest = self.number(begun);
        let kept = u32::try_from(self.pace.kept).unwrap_or(u32::MAX);
        if !newest.is_multiple_of(kept / 4 + 1) {
            return;
        }
        let stays = |number: u32| {
            let age = (newest - number) / kept;
            age == 0 || number.is_multiple_of(2 << age.ilog2())
        };
        self.stretches.retain(|&number, _| stays(number));
        let stretches = &self.stretches;
        self.seen.retain(|_, seen| stretches.contains_key(&seen.stretch));
    }
}
