//! Guesses of what the coming step will do: read, held against what it does on a copy of the machine, and counted by kind of
//! instruction.

use super::World;
use super::values::{Settable, assignment};
use std::collections::BTreeMap;
use wendax_machine::{Machine, Report};
use wendax_session::{Outlook, Session, number_words};

/// What may be guessed, for whoever asks.
pub(crate) const FORMS: &str =
    "write {argument} = 5, {flags}Z = 1, {end}[total] = 3, taken, not taken, prints \"x\", several with commas between";

/// Guesses so far.
#[derive(Debug, Clone, Default)]
pub(crate) struct Guesses {
    /// What the coming step will do is hidden, and asked.
    pub(crate) is_on: bool,
    /// By kind of instruction: right ones, and all.
    kinds: BTreeMap<&'static str, (u32, u32)>,
}

impl Guesses {
    /// Right ones, and all.
    pub(crate) fn count(&self) -> (u32, u32) {
        self.kinds.values().fold((0, 0), |sum, kind| (sum.0 + kind.0, sum.1 + kind.1))
    }

    /// A page about them.
    pub(crate) fn page(&self) -> String {
        let (right, all) = self.count();
        if all == 0 {
            return "nothing was guessed yet: “Guess” in the palette hides what the coming step will do, and asks"
                .to_owned();
        }
        let mut text = format!("{right} of {all} were right.\n\n");
        for (kind, (right, all)) in &self.kinds {
            text.push_str(&format!("| `{kind:<20}` | {right} of {all} |\n"));
        }
        text
    }
}

impl World {
    /// The coming step is one of which something can be guessed, and it is hidden.
    pub(crate) fn hides_next(&self) -> bool {
        let outlook = self.walk.explanation.as_ref().map(|explanation| &explanation.outlook);
        (self.guesses.is_on || self.question_here().is_some())
            && self.is_current()
            && matches!(outlook, Some(Outlook::Done(_)))
    }

    /// Holds a guess against what the coming step does: whether all of it is right, and what is so instead.
    pub(crate) fn judge_guess(&mut self, text: &str) -> Result<(bool, String), String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        let mut after = session.fork();
        after.step();
        let mut wrong = Vec::new();
        for claim in claims(text) {
            wrong.extend(self.wrong(session, &after, claim)?);
        }
        let kind = session.machine().instruction_at(session.machine().pc()).map_or("interrupts", |insn| insn.group);
        let count = self.guesses.kinds.entry(kind).or_default();
        count.0 += u32::from(wrong.is_empty());
        count.1 += 1;
        Ok((wrong.is_empty(), wrong.join(", ")))
    }

    /// What is so instead of what is claimed; nothing when the claim is right.
    fn wrong(&self, session: &Session, after: &Machine, claim: &str) -> Result<Option<String>, String> {
        let report: &Report = after.last_report();
        let target = session.machine().target();
        if let "taken" | "not taken" = claim {
            let is_jump = self.walk.explanation.as_ref().and_then(|explanation| explanation.taken);
            let is_taken = is_jump.ok_or("this is no jump that hangs on something")?;
            return Ok(
                (is_taken != (claim == "taken")).then(|| if is_taken { "taken" } else { "not taken" }.to_owned())
            );
        }
        if let Some(wanted) = claim.strip_prefix("prints") {
            let printed = after.output_since(session.machine().printed());
            let wanted = wanted.trim().trim_matches('"').replace("\\n", "\n");
            let printed = String::from_utf8_lossy(printed).into_owned();
            let what =
                || if report.printed == 0 { "nothing is printed".to_owned() } else { format!("prints {printed:?}") };
            return Ok((printed != wanted).then(what));
        }
        let (place, value) = assignment(claim).ok_or_else(|| target.spoken(FORMS))?;
        let mask = target.word_mask();
        let value = u32::try_from(self.value_of(value)? & i64::from(mask)).unwrap_or(0);
        let (is, bits) = match self.place_to_set(place)? {
            Settable::Register(register) => (after.register(register), mask),
            Settable::Flag(bit) => (u32::from(after.flags() & bit != 0), 1),
            Settable::Memory(from, bytes) => {
                let bytes = bytes.min(target.word_bytes());
                (after.number(from, bytes), u32::MAX >> (32 - 8 * bytes))
            }
        };
        Ok((is != value & bits).then(|| format!("{place} is {} behind it", number_words(target, is))))
    }
}

/// The claims of a guess: what stands between commas that are in no text.
fn claims(text: &str) -> impl Iterator<Item = &str> {
    let mut is_text = false;
    let claims = text.split(move |sign| {
        is_text ^= sign == '"';
        sign == ',' && !is_text
    });
    claims.map(str::trim).filter(|claim| !claim.is_empty())
}
