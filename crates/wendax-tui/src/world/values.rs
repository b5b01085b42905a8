//! What people write where a step, an address or a value is asked for.

use super::World;
use crate::screen::Lens;
use wendax_machine::{Addr, CellState, Event, StepNo};
use wendax_session::{Dropped, State};

impl World {
    /// `120`, or `+3` and `-3` from the present step.
    pub(crate) fn step_asked_for(&self, text: &str) -> Result<StepNo, String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        let (now, end) = (session.now(), session.end());
        let clean = text.replace('_', "");
        let digits = clean.trim_start_matches(['+', '-']);
        let number: u64 =
            digits.parse().map_err(|_| format!("`{text}` is no step number; write 120, or +3 and -3 from here"))?;
        let step = match clean.chars().next() {
            Some('+') => now.saturating_add(number),
            Some('-') => {
                now.checked_sub(number).ok_or_else(|| format!("there are only {now} steps before this one"))?
            }
            _ => StepNo(number),
        };
        if step > end && matches!(session.state(), State::Finished(_)) {
            return Err(format!("the program ended after step {end}; there is no step {step}"));
        }
        if step < session.oldest() {
            return Err(format!("the past before step {} is no longer kept", session.oldest()));
        }
        Ok(step)
    }

    pub(crate) fn lens_for(&self, text: &str) -> Result<Lens, String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        if text.is_empty() {
            return Ok(Lens::Data);
        }
        if let Some(register) = session.machine().target().register(text) {
            return Ok(Lens::Register(register));
        }
        if session.image().symbol(text).is_some() {
            return Ok(Lens::Label(text.to_owned()));
        }
        self.address(text).map(Lens::At)
    }

    /// An address by number or label.
    pub(crate) fn address(&self, text: &str) -> Result<Addr, String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        if let Some(symbol) = session.image().symbol(text) {
            return Addr::try_from(symbol.value & i64::from(session.machine().target().address_mask()))
                .map_err(|_| "that is no address".to_owned());
        }
        let mask = session.machine().target().address_mask();
        match number(text) {
            Some(value) if value >= 0 && value <= i64::from(mask) => {
                Addr::try_from(value).map_err(|error| error.to_string())
            }
            Some(_) => Err(format!("addresses go from 0 to 0x{mask:X}")),
            None => Err(format!("`{text}` is no label, register or address; write one such as 0x0300")),
        }
    }

    /// `r1 = 5`, `0x0310 = 0xFF`, `total = 3`: a register, or a word of memory (a byte with `byte` before it).
    pub(crate) fn set_value(&mut self, text: &str) -> Result<Dropped, String> {
        const ENDED: &str = "the program has ended; go back a step, and set it there";
        const FORM: &str = "write `r1 = 5`, `total = 0x30` for a word of memory, or `byte total = 7`";
        let (place, value) = text.split_once('=').ok_or(FORM)?;
        let (place, value) = (place.trim(), value.trim());
        let value = number(value).ok_or_else(|| format!("`{value}` is no number; {FORM}"))?;
        let session = self.walk.session.as_mut().ok_or("there is no program yet")?;
        let target = session.machine().target();
        let fits = |bits: u32| value >= -(1 << (bits - 1)) && value < 1 << bits;
        let (byte, place) = match place.strip_prefix("byte ") {
            Some(rest) => (true, rest.trim()),
            None => (false, place),
        };
        let bits = if byte { 8 } else { target.word_bits };
        if !fits(bits) {
            return Err(format!("{value} does not fit {bits} bits"));
        }
        let value = u32::try_from(value & i64::from(target.word_mask())).unwrap_or(0);
        let mut dropped = Dropped::default();
        if let Some(register) = target.register(place).filter(|_| !byte) {
            dropped = session.edit(Event::SetRegister(register, value)).ok_or(ENDED)?;
        } else {
            let address = self.address(place)?;
            let session = self.walk.session.as_mut().ok_or("there is no program yet")?;
            let count = if byte { 1 } else { target.word_bytes() };
            for offset in 0..count {
                let cell = session.machine().cell(address + offset);
                if !matches!(cell, CellState::Known | CellState::NeverWritten) {
                    return Err(format!("{:04X} cannot be set: it is no memory of the program", address + offset));
                }
            }
            for (offset, byte) in (0..count).zip(value.to_le_bytes()) {
                let more = session.edit(Event::SetByte(address + offset, byte.into())).ok_or(ENDED)?;
                // What lay ahead went with the first byte.
                if offset == 0 {
                    dropped = more;
                }
            }
        }
        self.walk.refresh();
        Ok(dropped)
    }
}

/// A number as in source: decimal, 0x, 0b, with an optional sign, or four hexadecimal digits with a letter.
fn number(text: &str) -> Option<i64> {
    let (negative, digits) = match text.strip_prefix('-') {
        Some(rest) => (true, rest),
        None => (false, text),
    };
    let clean = digits.replace('_', "").to_ascii_lowercase();
    let value = match (clean.strip_prefix("0x"), clean.strip_prefix("0b")) {
        (Some(hex), _) => i64::from_str_radix(hex, 16).ok(),
        (None, Some(binary)) => i64::from_str_radix(binary, 2).ok(),
        (None, None) => clean.parse().ok(),
    }?;
    Some(if negative { -value } else { value })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_as_in_source() {
        for (text, value) in
            [("0x_ff", Some(255)), ("-5", Some(-5)), ("0b11", Some(3)), ("1_000", Some(1000)), ("x", None), ("", None)]
        {
            assert_eq!(number(text), value, "{text}");
        }
    }
}
