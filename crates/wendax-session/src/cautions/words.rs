//! Cautions in words: what looks wrong, where it began, what it led to.

use super::Caution;
use crate::numbers::grouped;
use crate::questions::{LastWriter, last_write};
use crate::session::Session;
use crate::stops::Thing;
use crate::words::{line_words, never_set_words, place, told};
use wendax_isa::{Addr, StepNo};
use wendax_language::CautionKind;

impl Caution {
    /// When it came: the step, with how often where that is more than once, as in `step 12, 3 times`.
    pub fn at_step(&self) -> String {
        let often = if self.times > 1 { format!(", {} times", grouped(self.times)) } else { String::new() };
        format!("step {}{often}", grouped(self.step.0))
    }

    /// What looks wrong, in a sentence.
    pub fn words(&self, session: &Session) -> String {
        let target = session.machine().target();
        let image = session.image();
        let register = self.register.map_or("", |register| target.register_name(register));
        let [one, other] = self.values;
        let name = |address: Addr| image.place_name(address).unwrap_or_else(|| target.marked_address(address));
        let named = self.place.map_or_else(String::new, name);
        match self.kind {
            CautionKind::WayBack => {
                let what = format!("it goes to {}", place(image, target, Addr(other)));
                match self.place {
                    None => format!("no routine was called that this could return from: {what}"),
                    Some(_) => format!("this is no way back of `{named}`: {what}"),
                }
            }
            CautionKind::Uneven => {
                let (by, way) = if one < other { (other - one, "below") } else { (one - other, "above") };
                format!(
                    "sp is {by} bytes {way} where it was at the entry of `{named}`: what was put by is not all taken off"
                )
            }
            CautionKind::Kept => {
                format!(
                    "`{register}` is changed and not given back: {} became {} in `{named}`",
                    shown(session, one),
                    shown(session, other)
                )
            }
            CautionKind::Handler => format!(
                "the handler `{named}` leaves {register} changed for what it interrupted: it was {} and is {}",
                shown(session, one),
                shown(session, other)
            ),
            CautionKind::Relied => format!("`{named}`, which was called meanwhile, changed {register}"),
            CautionKind::NeverSet => never_set_words(register, &shown(session, one)),
            CautionKind::Beyond => {
                let start = self.place.unwrap_or_default();
                let behind = one.saturating_sub(start.0);
                let there = match image.place_name(Addr(one)).filter(|there| !there.starts_with(&named)) {
                    Some(there) => format!("this is `{there}`"),
                    None => "nothing is named there".to_owned(),
                };
                format!("this is {behind} behind `{named}`, which has {other} bytes: {there}")
            }
            CautionKind::Room => format!("`{named}` has room for {one} bytes, and the call may fill {other}"),
            CautionKind::NoEnd => {
                format!(
                    "what is printed goes up to a NUL, and the text at `{named}` has none in its {one} bytes: {} were \
                     printed",
                    grouped(other.into())
                )
            }
            CautionKind::Address => {
                let is_plain = self.place == Some(Addr(one));
                let what = if is_plain { "is an address" } else { "is an address, and this one is made from it" };
                format!("`{named}` {what}, and that is printed: {}", shown(session, one))
            }
            CautionKind::FromZero => {
                let most = u64::from(target.word_mask()) + 1;
                format!("{register} is 0 before 1 is taken off: {} rounds", grouped(most))
            }
            CautionKind::SetAnew => {
                format!("{register} is {} here in each round: it is set anew within the loop", shown(session, one))
            }
            CautionKind::Growing => format!("each round leaves {one} bytes on the stack, {other} times so far"),
            CautionKind::Overwritten => {
                let compared = self.place.map_or_else(String::new, |place| told(session, place));
                format!("the flags are no longer those of {compared}")
            }
            CautionKind::Unlooked => {
                let call = target.call(one).map_or("the call", |call| call.name);
                format!("`{call}` failed, and nobody looked: {register} holds the number of the error")
            }
            CautionKind::IntoData => "data is run as code".to_owned(),
            CautionKind::RunsOn => {
                let from = name(Addr(one));
                format!("`{from}` runs on into `{named}`, which is called as well: its result is written over here")
            }
            CautionKind::Signs => {
                let both = |value: u32| match target.signed(value) {
                    signed if signed < 0 => format!("{signed} ({value})"),
                    _ => value.to_string(),
                };
                let (less, with) = if target.signed(one) < target.signed(other) { (one, other) } else { (other, one) };
                format!(
                    "with a sign {} is less than {}, without one it is more: the jump of the other kind goes the other way",
                    both(less),
                    both(with)
                )
            }
            CautionKind::Width => {
                let read = if one == 1 {
                    "a word is read, and bytes are given there"
                } else {
                    "a byte is read, and words are given there"
                };
                format!("at `{named}` {read}: {register} holds {}", shown(session, other))
            }
            CautionKind::Carry => {
                format!("the sum of the lower words, at `{named}`, left a carry, which is not taken here")
            }
            CautionKind::Settled => {
                let how = if one == 1 { "is taken each time" } else { "is never taken" };
                format!("as an unsigned number nothing is less than 0: this jump {how}, whatever is compared")
            }
        }
    }

    /// Where it began: the step, its instruction, and that in words.
    pub fn beginning(&self, session: &Session) -> Option<(StepNo, Addr, String)> {
        let (step, pc) = self.began?;
        let how = match self.kind {
            CautionKind::WayBack => "it was put there by",
            CautionKind::Kept | CautionKind::Handler | CautionKind::Relied => "changed by",
            CautionKind::Overwritten => "they are those of",
            CautionKind::Settled | CautionKind::Signs | CautionKind::RunsOn => "after",
            CautionKind::Width => "loaded by",
            CautionKind::Carry => "left by",
            CautionKind::Unlooked => "it was called by",
            CautionKind::IntoData => "behind",
            CautionKind::FromZero | CautionKind::SetAnew => "set by",
            _ => "made by",
        };
        Some((step, pc, format!("{how} {} at step {}", told(session, pc), grouped(step.0))))
    }

    /// Of a way back that is none: who put there what was taken for one.
    pub(super) fn asked(&self, session: &Session) -> Option<(StepNo, Addr)> {
        if self.kind != CautionKind::WayBack {
            return None;
        }
        let roles = session.machine().target().roles;
        let stack = Addr(self.values[0]);
        let thing = match roles.link {
            Some(link) => Thing::Register(link),
            None => Thing::Cells(stack, stack + session.machine().target().word_bytes()),
        };
        match last_write(session, thing, self.step)? {
            LastWriter::Step(effects) => Some((effects.step, effects.pc)),
            LastWriter::ByHand(_) => None,
        }
    }

    /// Its line, as people call it: `line 12`.
    pub fn line(&self, session: &Session) -> String {
        line_words(session, self.pc).unwrap_or_else(|| session.machine().target().marked_address(self.pc))
    }
}

/// A number as it is read: signed too where that is another one.
fn shown(session: &Session, value: u32) -> String {
    let target = session.machine().target();
    match session.image().label_at(Addr(value)).filter(|_| Addr(value) >= target.map.vectors_end) {
        Some(label) => format!("{} ({})", target.marked(value), label.name),
        None => crate::words::number_words(target, value),
    }
}
