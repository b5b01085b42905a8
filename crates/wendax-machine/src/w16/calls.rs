//! System calls served by the host.
//!
//! A call either does all it is to do or nothing. One that needs the world returns the [`Need`] and runs
//! anew once it has been fed. Files and tones do not exist yet; their calls fail with "not allowed".

use super::slots::Slot;
use super::{Machine, NO_CARRY};
use crate::events::{Need, Stop};
use crate::memory::{EXECUTE, READ, WRITE};
use wendax_isa::w16::{C, ErrorCode, STACK_START, TEXT_LIMIT};

/// What a call came to.
enum Outcome {
    /// Done; what it leaves in `r0`, if anything.
    Done(Option<u16>),
    Failed(ErrorCode),
    Needs(Need),
    Exit(u16),
}

use Outcome::{Done, Exit, Failed, Needs};

impl Machine {
    /// `sys`: the program's own handler, or the host.
    pub(super) fn system_call(&mut self, slot: Slot) -> Option<Stop> {
        let pc = self.state.cpu.pc;
        let number = slot.value.to_le_bytes()[0];
        if self.memory.word(2 * 7) != 0 {
            return self.own_trap(7, slot, pc, number.into());
        }
        let (result, failed) = match self.serve(number) {
            Needs(need) => return Some(Stop::Needs(need)),
            Exit(status) => {
                self.done(slot, slot.next);
                self.state.finished = Some(status);
                return Some(Stop::Finished(status.into()));
            }
            Done(result) => (result, false),
            Failed(code) => (Some(code.number()), true),
        };
        if let Some(result) = result {
            self.state.cpu.registers[0] = result;
            self.state.cpu.known |= 1;
        }
        self.state.cpu.flags = self.state.cpu.flags & NO_CARRY | if failed { C } else { 0 };
        self.state.cpu.flag_writers[0] = pc;
        self.done(slot, slot.next);
        None
    }

    fn serve(&mut self, number: u8) -> Outcome {
        let [r0, r1, r2, ..] = self.state.cpu.registers;
        match number {
            0x00 => Exit(r0),
            0x01 => Done(Some(u16::try_from(self.settings.arguments.len()).unwrap_or(u16::MAX))),
            0x02 => self.argument(r0, r1, r2),
            0x10 => {
                self.print(&r0.to_le_bytes()[..1]);
                Done(None)
            }
            0x11 => self.put_text(r0),
            0x12 => self.put_number(&r0.cast_signed().to_string()),
            0x13 => self.put_number(&r0.to_string()),
            0x14 => self.put_number(&format!("{r0:04X}")),
            0x20 => self.get_char(),
            0x21 => self.get_line(r0, r1),
            0x22 => self.get_int(),
            0x30..=0x34 | 0x60 => Failed(ErrorCode::NotAllowed),
            0x40 => self.heap_grow(r0),
            0x50 => match self.state.answer.take() {
                Some(time) => Done(Some(super::word(time))),
                None => Needs(Need::Clock),
            },
            0x51 => match self.state.answer.take() {
                Some(_) => Done(None),
                None => Needs(Need::Wait(r0.into())),
            },
            0x52 => Done(Some(self.random(r0))),
            _ => Failed(ErrorCode::NoSuchCall),
        }
    }

    fn put_number(&mut self, text: &str) -> Outcome {
        self.print(text.as_bytes());
        Done(None)
    }

    fn put_text(&mut self, address: u16) -> Outcome {
        let mut text = Vec::new();
        for offset in 0..TEXT_LIMIT {
            let at = super::word(u32::from(address).wrapping_add(offset));
            if !self.memory.all(at, 1, READ) || self.memory.all(at, 1, crate::memory::DEVICE) {
                return Failed(ErrorCode::BadAddress);
            }
            match self.memory.bytes[usize::from(at)] {
                0 => break,
                byte => text.push(byte),
            }
        }
        self.print(&text);
        Done(Some(u16::try_from(text.len()).unwrap_or(u16::MAX)))
    }

    /// Copies bytes and a NUL to a buffer, or says what is wrong with the buffer.
    fn fill(&mut self, buffer: u16, bytes: &[u8]) -> Result<u16, ErrorCode> {
        let length = u16::try_from(bytes.len()).map_err(|_| ErrorCode::NoRoom)?;
        let whole = length.checked_add(1).ok_or(ErrorCode::NoRoom)?;
        if !self.memory.all(buffer, whole, WRITE) || self.memory.attributes_any(buffer, whole, crate::memory::DEVICE) {
            return Err(ErrorCode::BadAddress);
        }
        for (offset, byte) in (0..whole).zip(bytes.iter().chain(&[0])) {
            self.memory.put(buffer + offset, *byte);
            self.forget_decoded(buffer + offset);
        }
        self.side_writes.push((buffer, whole));
        Ok(length)
    }

    fn argument(&mut self, index: u16, buffer: u16, capacity: u16) -> Outcome {
        let settings = std::sync::Arc::clone(&self.settings);
        let Some(argument) = settings.arguments.get(usize::from(index)) else { return Failed(ErrorCode::NotFound) };
        if argument.len() >= usize::from(capacity) {
            return Failed(ErrorCode::NoRoom);
        }
        match self.fill(buffer, argument) {
            Ok(length) => Done(Some(length)),
            Err(code) => Failed(code),
        }
    }

    fn get_char(&mut self) -> Outcome {
        let console = &mut self.state.console;
        match console.pending.pop_front() {
            Some(byte) => Done(Some(byte.into())),
            None if console.ended => Failed(ErrorCode::EndOfInput),
            None => Needs(Need::Input),
        }
    }

    /// How many pending bytes belong to the next line, and whether its end is among them.
    fn pending_line(&self) -> Result<(usize, bool), Outcome> {
        let console = &self.state.console;
        match console.pending.iter().position(|&byte| byte == b'\n') {
            Some(length) => Ok((length, true)),
            None if !console.ended => Err(Needs(Need::Input)),
            None if console.pending.is_empty() => Err(Failed(ErrorCode::EndOfInput)),
            None => Ok((console.pending.len(), false)),
        }
    }

    fn get_line(&mut self, buffer: u16, capacity: u16) -> Outcome {
        let Some(room) = capacity.checked_sub(1) else { return Failed(ErrorCode::NoRoom) };
        let (length, ended) = match self.pending_line() {
            Ok(line) => line,
            Err(outcome) => return outcome,
        };
        let taken = length.min(room.into());
        let bytes: Vec<u8> = self.state.console.pending.iter().take(taken).copied().collect();
        match self.fill(buffer, &bytes) {
            Ok(count) => {
                let whole = taken == length && ended;
                self.state.console.pending.drain(..taken + usize::from(whole));
                Done(Some(count))
            }
            Err(code) => Failed(code),
        }
    }

    fn get_int(&mut self) -> Outcome {
        let (length, ended) = match self.pending_line() {
            Ok(line) => line,
            Err(outcome) => return outcome,
        };
        let line: Vec<u8> = self.state.console.pending.drain(..length).collect();
        if ended {
            self.state.console.pending.pop_front();
        }
        match read_int(&line) {
            Some(value) => Done(Some(value)),
            None => Failed(ErrorCode::NotANumber),
        }
    }

    fn heap_grow(&mut self, bytes: u16) -> Outcome {
        let start = self.state.heap_end;
        let Some(end) = start.checked_add(bytes).filter(|&end| end <= STACK_START) else {
            return Failed(ErrorCode::NoRoom);
        };
        if self.memory.attributes_any(start, bytes, READ | WRITE | EXECUTE) {
            return Failed(ErrorCode::NoRoom);
        }
        self.memory.map(start.into(), end.into(), READ | WRITE);
        self.state.heap_end = end;
        Done(Some(start))
    }

    /// A number below `bound` (0: any word), by splitmix64 (Steele, Lea, Flood 2014).
    fn random(&mut self, bound: u16) -> u16 {
        self.state.random = self.state.random.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut mixed = self.state.random;
        mixed = (mixed ^ mixed >> 30).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        mixed = (mixed ^ mixed >> 27).wrapping_mul(0x94D0_49BB_1331_11EB);
        let high = (mixed ^ mixed >> 31) >> 32;
        let range = if bound == 0 { 0x1_0000 } else { u64::from(bound) };
        u16::try_from(high * range >> 32).unwrap_or(0)
    }
}

/// The number a line holds, alone but for blanks: a decimal one from −32768 to 65535, or 0x, 0b up to 16
/// bits, each with an optional sign.
fn read_int(line: &[u8]) -> Option<u16> {
    let text = std::str::from_utf8(line).ok()?.trim();
    let (negative, digits) = match text.strip_prefix('-') {
        Some(rest) => (true, rest),
        None => (false, text.strip_prefix('+').unwrap_or(text)),
    };
    let lower = digits.to_ascii_lowercase();
    let (base, digits) = match (lower.strip_prefix("0x"), lower.strip_prefix("0b")) {
        (Some(hex), _) => (16, hex),
        (None, Some(binary)) => (2, binary),
        (None, None) => (10, lower.as_str()),
    };
    if !digits.starts_with(|c: char| c.is_digit(base)) {
        return None;
    }
    let value = i64::from_str_radix(digits, base).ok()?;
    let value = if negative { -value } else { value };
    (-0x8000..=0xFFFF).contains(&value).then(|| u16::try_from(value & 0xFFFF).unwrap_or(0))
}

#[cfg(test)]
mod tests {
    use super::read_int;

    #[test]
    fn numbers_as_people_type_them() {
        for (line, value) in [
            ("12", Some(12)),
            (" -1 \r", Some(0xFFFF)),
            ("0xfF", Some(255)),
            ("0b101", Some(5)),
            ("+7", Some(7)),
            ("65535", Some(0xFFFF)),
            ("-32768", Some(0x8000)),
            ("65536", None),
            ("-32769", None),
            ("", None),
            ("--1", None),
            ("0x", None),
            ("0x-1", None),
            ("1 2", None),
            ("99999999999999999999", None),
            ("zwölf", None),
        ] {
            assert_eq!(read_int(line.as_bytes()), value, "{line}");
        }
    }
}
