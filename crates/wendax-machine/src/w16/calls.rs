//! System calls served by the host.
//!
//! A call either does all it is to do or nothing. One that needs the world returns the [`Need`] and runs
//! anew once it has been fed.

use super::slots::Slot;
use super::trace::Trace;
use super::{Machine, NO_CARRY};
use crate::activity::Deed;
use crate::events::{Clock, Need, Stop, Tone};
use crate::files::{FileDeed, FileError, FileMode, path_within};
use crate::memory::{DEVICE, EXECUTE, KNOWN, READ, WRITE};
use crate::numbers::read_int;
use crate::random::next_below;
use crate::report::{StepKind, Write};
use memchr::memchr;
use std::sync::Arc;
use wendax_isa::w16::{C, ErrorCode, STACK_START, TEXT_LIMIT};
use wendax_isa::{Reg, StepNo};

/// What a call came to.
enum Outcome {
    /// Done; what it leaves in `r0`, if anything.
    Done(Option<u16>),
    Failed(ErrorCode),
    Needs(Need),
    Exit(u16),
}

use Outcome::{Done, Exit, Failed, Needs};

/// As many tones wait for the owner; of a copy of a machine nobody may ask for them.
const MOST_TONES: usize = 1 << 16;

/// So many bytes that are moved for a program count as a step.
const BYTES_A_STEP: u64 = 4;

/// What a call did outside the machine, for whoever observes.
enum Outside {
    File(Arc<str>, FileDeed),
    Tone(u16, u16),
}

/// A buffer that was filled, with what was in it.
struct Filled {
    start: u16,
    was_known: bool,
    old: Vec<u8>,
    new: Vec<u8>,
}

impl Machine {
    /// `sys`: the program's own handler, or the host.
    pub(super) fn system_call<T: Trace>(&mut self, slot: Slot, trace: &mut T) -> Option<Stop> {
        let pc = self.state.cpu.pc;
        let number = slot.value.to_le_bytes()[0];
        if self.vector(7) != 0 {
            return self.own_trap(7, slot, number.into(), trace);
        }
        let (printed, read) = (self.state.common.console.printed, self.state.common.console.read);
        let mut filled = None;
        if T::READS {
            let [first, second, third, ..] = self.state.cpu.registers;
            match number {
                0x11 | 0x30 => {
                    let bytes = &self.memory.bytes()[usize::from(first)..];
                    let length = bytes.iter().position(|byte| *byte == 0).map_or(0, |at| at + 1);
                    trace.bytes_read(first, u32::try_from(length).unwrap_or(0));
                }
                0x33 => trace.bytes_read(second, third.into()),
                _ => {}
            }
        }
        let mut deed = None;
        let outcome = self.serve(number, &mut filled, &mut deed);
        let (printed, read) = (self.state.common.console.printed - printed, self.state.common.console.read - read);
        self.around.worked += 8 + (printed + read) / BYTES_A_STEP;
        let kind = StepKind::Call(number.into());
        let (result, failed) = match outcome {
            Needs(need) => return Some(Stop::Needs(need)),
            Exit(status) => {
                // Whoever observes hears of it, and the run stops anyhow.
                let _ = self.done(slot, slot.next, kind, trace);
                self.finish(status);
                return Some(Stop::Finished(status.into()));
            }
            Done(result) => (result, false),
            Failed(code) => (Some(code.number()), true),
        };
        if let Some(result) = result {
            let (old, was_known) = (self.state.cpu.registers[0].into(), self.state.cpu.known & 1 != 0);
            trace.write(Write::Register { register: Reg(0), old, new: result.into(), was_known });
            self.state.cpu.registers[0] = result;
            self.state.cpu.known |= 1;
        }
        if let Some(Filled { start, was_known, old, new }) = filled {
            let length = u32::try_from(new.len()).unwrap_or(u32::MAX);
            trace.write(Write::Buffer { address: start.into(), length, was_known });
            trace.buffer(&old, &new);
        }
        if failed {
            trace.failed();
        }
        trace.moved(printed, read);
        match deed {
            Some(Outside::File(path, deed)) => trace.file(&path, deed),
            Some(Outside::Tone(hertz, milliseconds)) => trace.tone(hertz, milliseconds),
            None => {}
        }
        let flags = self.state.cpu.flags;
        self.state.cpu.flags = flags & NO_CARRY | if failed { C } else { 0 };
        self.state.cpu.flag_writers[0] = pc;
        let flow = self.done_with(slot, slot.next, kind, (flags, C), trace);
        flow.is_break().then_some(Stop::Observed)
    }

    fn serve(&mut self, number: u8, filled: &mut Option<Filled>, deed: &mut Option<Outside>) -> Outcome {
        let [r0, r1, r2, ..] = self.state.cpu.registers;
        match number {
            0x00 => Exit(r0),
            0x01 => Done(Some(u16::try_from(self.around.settings.arguments.len()).unwrap_or(u16::MAX))),
            0x02 => self.argument(r0, r1, r2, filled),
            0x10 => {
                self.bus().print(&r0.to_le_bytes()[..1]);
                Done(None)
            }
            0x11 => self.put_text(r0),
            0x12 => self.put_number(&r0.cast_signed().to_string()),
            0x13 => self.put_number(&r0.to_string()),
            0x14 => self.put_number(&format!("{r0:04X}")),
            0x20..=0x22 => {
                self.around.activity.note(Deed::Console, self.state.common.steps);
                match number {
                    0x20 => self.get_char(),
                    0x21 => self.get_line(r0, r1, filled),
                    _ => self.get_int(),
                }
            }
            0x30..=0x34 if !self.around.settings.has_folder => {
                Arc::make_mut(&mut self.state.common.files).was_refused = true;
                Failed(ErrorCode::NotAllowed)
            }
            0x30 => self.file_open(r0, r1, deed),
            0x31..=0x34 => self.file_call(number, (r0, r1, r2), filled, deed),
            0x40 => self.heap_grow(r0),
            0x50 | 0x51 => {
                self.around.activity.note(Deed::Worked, self.state.common.steps);
                if number == 0x50 { self.clock() } else { self.wait(r0) }
            }
            0x52 => Done(Some(super::word(next_below(&mut self.state.common.random, r0.into())))),
            0x60 => self.tone(r0, r1, deed),
            _ => Failed(ErrorCode::NoSuchCall),
        }
    }

    fn put_number(&mut self, text: &str) -> Outcome {
        self.bus().print(text.as_bytes());
        Done(None)
    }

    /// The bytes of a text up to its NUL; it may go on at address 0 behind the end of memory.
    fn text(&self, address: u16) -> Result<Vec<u8>, ErrorCode> {
        let (start, whole) = (usize::from(address), TEXT_LIMIT as usize);
        let bytes = self.memory.bytes();
        let to_end = memchr(0, &bytes[start..]);
        let length = to_end.or_else(|| memchr(0, &bytes[..start]).map(|at| whole - start + at));
        // The NUL has to be readable too.
        let touched = length.map_or(whole, |length| length + 1);
        let at_end = touched.min(whole - start);
        let attributes = &self.memory.attributes;
        // Folded rather than found, since that is done many bytes at a time.
        let wrong = |part: &[u8]| part.iter().fold(0, |wrong, has| wrong | has & (READ | DEVICE) ^ READ) != 0;
        if wrong(&attributes[start..start + at_end]) || wrong(&attributes[..touched - at_end]) {
            return Err(ErrorCode::BadAddress);
        }
        let length = length.unwrap_or(whole);
        let first = length.min(whole - start);
        let mut text = bytes[start..start + first].to_vec();
        text.extend_from_slice(&bytes[..length - first]);
        Ok(text)
    }

    fn put_text(&mut self, address: u16) -> Outcome {
        match self.text(address) {
            Ok(text) => {
                self.bus().print(&text);
                Done(Some(u16::try_from(text.len()).unwrap_or(u16::MAX)))
            }
            Err(code) => Failed(code),
        }
    }

    /// Copies bytes and a NUL to a buffer, or says what is wrong with the buffer.
    fn fill(&mut self, buffer: u16, bytes: &[u8], filled: &mut Option<Filled>) -> Result<u16, ErrorCode> {
        let new = bytes.iter().copied().chain([0]).collect();
        Ok(self.fill_bytes(buffer, new, filled)? - 1)
    }

    /// The same without a NUL.
    fn fill_bytes(&mut self, buffer: u16, new: Vec<u8>, filled: &mut Option<Filled>) -> Result<u16, ErrorCode> {
        let whole = u16::try_from(new.len()).map_err(|_| ErrorCode::NoRoom)?;
        self.may_fill(buffer, whole)?;
        let old = self.memory.range(buffer, new.len()).to_vec();
        let was_known = self.memory.all(buffer, whole, KNOWN);
        self.bus().put_all(buffer, &new);
        self.around.worked += u64::from(whole) / BYTES_A_STEP;
        *filled = Some(Filled { start: buffer, was_known, old, new });
        Ok(whole)
    }

    /// A call may write so many bytes to a buffer.
    fn may_fill(&self, buffer: u16, length: u16) -> Result<(), ErrorCode> {
        if !self.memory.all(buffer, length, WRITE) || self.memory.attributes_any(buffer, length, DEVICE) {
            return Err(ErrorCode::BadAddress);
        }
        Ok(())
    }

    fn argument(&mut self, index: u16, buffer: u16, capacity: u16, filled: &mut Option<Filled>) -> Outcome {
        let settings = Arc::clone(&self.around.settings);
        let Some(argument) = settings.arguments.get(usize::from(index)) else { return Failed(ErrorCode::NotFound) };
        if argument.len() >= usize::from(capacity) {
            return Failed(ErrorCode::NoRoom);
        }
        match self.fill(buffer, argument, filled) {
            Ok(length) => Done(Some(length)),
            Err(code) => Failed(code),
        }
    }

    fn waiting(&self) -> &[u8] {
        self.around.tape.waiting(&self.state.common.console)
    }

    fn get_char(&mut self) -> Outcome {
        match self.waiting().first().copied() {
            Some(byte) => {
                self.state.common.console.read += 1;
                Done(Some(byte.into()))
            }
            None if self.state.common.console.ended => Failed(ErrorCode::EndOfInput),
            None => Needs(Need::Input),
        }
    }

    /// How many pending bytes belong to the next line, and whether its end is among them.
    fn pending_line(&self) -> Result<(usize, bool), Outcome> {
        let (waiting, ended) = (self.waiting(), self.state.common.console.ended);
        match memchr(b'\n', waiting) {
            Some(length) => Ok((length, true)),
            None if !ended => Err(Needs(Need::Input)),
            None if waiting.is_empty() => Err(Failed(ErrorCode::EndOfInput)),
            None => Ok((waiting.len(), false)),
        }
    }

    fn get_line(&mut self, buffer: u16, capacity: u16, filled: &mut Option<Filled>) -> Outcome {
        let Some(room) = capacity.checked_sub(1) else { return Failed(ErrorCode::NoRoom) };
        let (length, ended) = match self.pending_line() {
            Ok(line) => line,
            Err(outcome) => return outcome,
        };
        let taken = length.min(room.into());
        let bytes = self.waiting()[..taken].to_vec();
        match self.fill(buffer, &bytes, filled) {
            Ok(count) => {
                let whole = taken == length && ended;
                self.state.common.console.read += taken as u64 + u64::from(whole);
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
        let value = read_int(&self.waiting()[..length], 16).map(super::word);
        self.state.common.console.read += length as u64 + u64::from(ended);
        match value {
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
        self.around.worked += u64::from(bytes) / BYTES_A_STEP;
        Done(Some(start))
    }

    /// The program has ended, and what it has open is closed.
    pub(super) fn finish(&mut self, status: u16) {
        self.state.common.finish(status.into());
    }

    /// The path of the file that the next instruction wants to open, when that is not known yet.
    pub(crate) fn wanted_file(&self) -> Option<Arc<str>> {
        self.call_next().filter(|call| *call == 0x30)?;
        let text = self.text(self.state.cpu.registers[0]).ok()?;
        path_within(&text).ok().filter(|path| self.state.common.files.get(path).is_none())
    }

    fn file_open(&mut self, path: u16, mode: u16, deed: &mut Option<Outside>) -> Outcome {
        let mode = match mode {
            0 => FileMode::Read,
            1 => FileMode::Write,
            2 => FileMode::Append,
            _ => return Failed(ErrorCode::NotAllowed),
        };
        let path = match self.text(path).and_then(|text| path_within(&text).map_err(code)) {
            Ok(path) => path,
            Err(code) => return Failed(code),
        };
        let files = Arc::make_mut(&mut self.state.common.files);
        if files.get(&path).is_none() {
            if !files.has_room() {
                return Failed(ErrorCode::NoRoom);
            }
            match self.state.common.found.take() {
                Some((at, found)) if at == path => files.learn(Arc::clone(&path), found),
                _ => return Needs(Need::File),
            }
        }
        self.around.activity.note(Deed::Worked, self.state.common.steps);
        match files.open_file(&path, mode) {
            Ok(handle) => {
                *deed = Some(Outside::File(path, FileDeed::Opened(mode)));
                Done(Some(super::word(handle)))
            }
            Err(error) => Failed(code(error)),
        }
    }

    /// Calls about a file that is open.
    fn file_call(
        &mut self,
        number: u8,
        (handle, at, count): (u16, u16, u16),
        filled: &mut Option<Filled>,
        deed: &mut Option<Outside>,
    ) -> Outcome {
        let handle = u32::from(handle);
        let step = StepNo(self.state.common.steps);
        let Some(path) = self.state.common.files.by_handle(handle).map(|open| Arc::clone(&open.path)) else {
            return Failed(ErrorCode::BadHandle);
        };
        let moved = match number {
            0x32 => {
                let length = self.state.common.files.would_read(handle, count.into());
                self.may_fill(at, u16::try_from(length).unwrap_or(count))
            }
            0x33 if self.memory.attributes_any(at, count, DEVICE) || !self.memory.all(at, count, READ) => {
                Err(ErrorCode::BadAddress)
            }
            _ => Ok(()),
        };
        if let Err(code) = moved {
            return Failed(code);
        }
        let bytes = if number == 0x33 { self.memory.range(at, count.into()).to_vec() } else { Vec::new() };
        self.around.worked += u64::from(count) / BYTES_A_STEP;
        if number != 0x32 && number != 0x34 {
            self.around.activity.note(Deed::Worked, self.state.common.steps);
        }
        let files = Arc::make_mut(&mut self.state.common.files);
        let done = match number {
            0x31 => files.close(handle).map(|_| (None, FileDeed::Closed)),
            0x32 => match files.read(handle, count.into(), step) {
                Ok((from, read)) => {
                    let length = read.len();
                    if length > 0 {
                        // It was seen above that the buffer may be filled.
                        let _ = self.fill_bytes(at, read, filled);
                    }
                    Ok((Some(length), FileDeed::Read(from, length)))
                }
                Err(error) => Err(error),
            },
            0x33 => files.write(handle, &bytes, step).map(|(from, copied)| {
                self.around.worked += (copied as u64) / BYTES_A_STEP;
                (Some(bytes.len()), FileDeed::Written(from, bytes.len()))
            }),
            _ => files.seek(handle, at.into()).map(|place| (Some(place), FileDeed::Sought(place))),
        };
        match done {
            Ok((result, did)) => {
                *deed = Some(Outside::File(path, did));
                Done(result.map(|result| u16::try_from(result).unwrap_or(u16::MAX)))
            }
            Err(error) => Failed(code(error)),
        }
    }

    /// A tone sounds, and the program goes on when it has.
    fn tone(&mut self, hertz: u16, milliseconds: u16, deed: &mut Option<Outside>) -> Outcome {
        self.around.activity.note(Deed::Worked, self.state.common.steps);
        let at = self.state.common.cycles + self.state.common.waited * crate::CYCLES_A_MILLISECOND;
        let tone =
            Tone { step: StepNo(self.state.common.steps), at, hertz: hertz.into(), milliseconds: milliseconds.into() };
        if self.around.settings.clock == Clock::Host && self.state.common.answer.take().is_none() {
            return Needs(Need::Sound(tone));
        }
        self.state.common.waited += u64::from(milliseconds);
        if self.around.tones.len() < MOST_TONES {
            self.around.tones.push(tone);
        }
        *deed = Some(Outside::Tone(hertz, milliseconds));
        Done(None)
    }

    fn clock(&mut self) -> Outcome {
        let low = |milliseconds: u64| u16::try_from(milliseconds & 0xFFFF).unwrap_or(0);
        match (self.around.settings.clock, self.state.common.answer.take()) {
            (Clock::Cycles, _) => Done(Some(low(self.own_milliseconds()))),
            (Clock::Host, Some(time)) => Done(Some(super::word(time))),
            (Clock::Host, None) => Needs(Need::Clock),
        }
    }

    fn wait(&mut self, milliseconds: u16) -> Outcome {
        match (self.around.settings.clock, self.state.common.answer.take()) {
            (Clock::Cycles, _) => {
                self.state.common.waited += u64::from(milliseconds);
                Done(None)
            }
            (Clock::Host, Some(_)) => {
                self.state.common.waited += u64::from(milliseconds);
                Done(None)
            }
            (Clock::Host, None) => Needs(Need::Wait(milliseconds.into())),
        }
    }
}

fn code(error: FileError) -> ErrorCode {
    match error {
        FileError::NotFound => ErrorCode::NotFound,
        FileError::NotAllowed => ErrorCode::NotAllowed,
        FileError::BadHandle => ErrorCode::BadHandle,
        FileError::NoRoom => ErrorCode::NoRoom,
        FileError::Failed => ErrorCode::InputOutput,
    }
}
