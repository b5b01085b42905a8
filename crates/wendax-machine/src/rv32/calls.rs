//! System calls served by the host: those of the open generic table that compiled programs expect, and Wendax's own.
//!
//! A call either does all it is to do or nothing. One that needs the world stops the run with the [`Need`] and runs anew
//! once it has been fed.

use super::Machine;
use super::looking::A7;
use super::memory::PAGE;
use super::steps::{After, READS, WRITES};
use crate::activity::Deed;
use crate::common::BYTES_A_STEP;
use crate::events::{Clock, Need, Stop, Tone};
use crate::files::{FileDeed, FileError, FileMode, path_within};
use crate::memory::{EXECUTE, KNOWN, READ, WRITE};
use crate::numbers::read_int;
use crate::random::next_below;
use crate::report::{StepKind, Write};
use memchr::memchr;
use std::sync::Arc;
use wendax_isa::rv32::{A0, OWN, TARGET};
use wendax_isa::{Addr, ErrorCode, StepNo};

/// Longest text a call looks at, in bytes, so that one without its NUL ends somewhere.
const LONGEST_TEXT: u32 = 1 << 20;
/// Standard input, output and errors; files come behind them.
const STANDARD: u32 = 3;

/// Why calls of the generic table fail: the numbers of the open standard (POSIX) as its generic table has them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Errno {
    NotFound = 2,
    InputOutput = 5,
    BadHandle = 9,
    NoMemory = 12,
    NotAllowed = 13,
    Fault = 14,
    Invalid = 22,
    TooManyOpen = 24,
    NoTerminal = 25,
    NoSpace = 28,
    NoSeek = 29,
    NoSuchCall = 38,
}

/// What a call came to.
enum Outcome {
    /// Done; what it leaves in `a0`, if anything.
    Done(Option<u32>),
    /// Done, and so is one of Wendax's own: `a1` says that it did not fail.
    Own(Option<u32>),
    Failed(ErrorCode),
    Wrong(Errno),
    Needs(Need),
    Exit(u32),
}

use Outcome::{Done, Exit, Failed, Needs, Own, Wrong};

/// What a call did beside its result.
#[derive(Default)]
struct Deeds {
    /// Buffers that were filled: where, what was there, what is there, and whether all of it was known.
    filled: Vec<(u32, Vec<u8>, Vec<u8>, bool)>,
    read: Vec<(u32, u32)>,
    file: Option<(Arc<str>, FileDeed)>,
    tone: Option<(u32, u32)>,
}

impl From<FileError> for Errno {
    fn from(error: FileError) -> Self {
        match error {
            FileError::NotFound => Self::NotFound,
            FileError::NotAllowed => Self::NotAllowed,
            FileError::BadHandle => Self::BadHandle,
            FileError::NoRoom => Self::NoSpace,
            FileError::Failed => Self::InputOutput,
        }
    }
}

fn own_error(error: FileError) -> ErrorCode {
    match error {
        FileError::NotFound => ErrorCode::NotFound,
        FileError::NotAllowed => ErrorCode::NotAllowed,
        FileError::BadHandle => ErrorCode::BadHandle,
        FileError::NoRoom => ErrorCode::NoRoom,
        FileError::Failed => ErrorCode::InputOutput,
    }
}

/// Numbers as a program counts; no buffer is longer than memory.
fn short(length: usize) -> u32 {
    u32::try_from(length).unwrap_or(u32::MAX)
}

impl Machine {
    /// `ecall`, served; `cycles` is what it takes.
    pub(super) fn serve<const TOLD: u8>(&mut self, cycles: u64) -> Result<After, Stop> {
        let number = self.state.cpu.registers[A7];
        let (printed, read) = (self.state.common.console.printed, self.state.common.console.read);
        let mut deeds = Deeds::default();
        let arguments: [u32; 6] = std::array::from_fn(|index| self.state.cpu.registers[usize::from(A0) + index]);
        let outcome = match number.checked_sub(OWN) {
            Some(own) => self.own_call(own, arguments, &mut deeds),
            None => self.generic_call(number, arguments, &mut deeds),
        };
        let (printed, read) = (self.state.common.console.printed - printed, self.state.common.console.read - read);
        self.around.worked += 8 + (printed + read) / BYTES_A_STEP;
        let next = self.state.cpu.pc.wrapping_add(4);
        let kind = StepKind::Call(number);
        let failed = matches!(outcome, Failed(_) | Wrong(_));
        let (result, second) = match outcome {
            Needs(need) => return Err(Stop::Needs(need)),
            Exit(status) => {
                self.took::<TOLD>(kind, next, 4, cycles, false);
                self.state.common.finish(status);
                return Ok(After::Finished(status));
            }
            Done(result) => (result, None),
            Own(result) => (result, Some(0)),
            Failed(code) => (None, Some(code.number().into())),
            Wrong(why) => (Some((why as u32).wrapping_neg()), None),
        };
        if let Some(result) = result {
            self.set::<TOLD>(A0, result);
        }
        if let Some(second) = second {
            self.set::<TOLD>(A0 + 1, second);
        }
        if TOLD >= WRITES {
            let report = &mut self.around.report;
            for (start, _, new, was_known) in &deeds.filled {
                let length = short(new.len());
                report.writes.push(Write::Buffer { address: Addr(*start), length, was_known: *was_known });
            }
            // Those before all, then those after, one behind the other.
            for (_, old, ..) in &deeds.filled {
                report.buffers.extend_from_slice(old);
            }
            for (_, _, new, _) in &deeds.filled {
                report.buffers.extend_from_slice(new);
            }
        }
        if TOLD >= READS {
            self.around.report.reads.extend(deeds.read.iter().map(|(at, length)| (Addr(*at), *length)));
        }
        if TOLD > 0 {
            let report = &mut self.around.report;
            (report.printed, report.consumed, report.failed) = (printed, read, failed);
            (report.file, report.tone) = (deeds.file, deeds.tone);
        }
        self.took::<TOLD>(kind, next, 4, cycles, false);
        Ok(After::On)
    }

    // ---- memory

    /// So many bytes that a call reads, if a program may read them.
    fn given(&self, start: u32, length: u32, deeds: &mut Deeds) -> Option<Vec<u8>> {
        if length > 0 && (start >= wendax_isa::rv32::DEVICE_START || !self.memory.all(start, length, READ)) {
            return None;
        }
        if length > 0 {
            deeds.read.push((start, length));
        }
        Some(self.memory.range(start, length))
    }

    /// The bytes of a text up to its NUL, which has to be readable too.
    fn text(&self, start: u32) -> Option<Vec<u8>> {
        let mut text = Vec::new();
        let mut at = start;
        loop {
            // As far as its page goes.
            let length = (PAGE - at % PAGE).min(LONGEST_TEXT - short(text.len()));
            let piece = self.memory.range(at, length);
            let end = memchr(0, &piece);
            let touched = end.map_or(length, |end| short(end) + 1);
            if at >= wendax_isa::rv32::DEVICE_START || !self.memory.all(at, touched, READ) {
                return None;
            }
            text.extend_from_slice(&piece[..end.unwrap_or(piece.len())]);
            if end.is_some() || text.len() >= LONGEST_TEXT as usize {
                return Some(text);
            }
            at = at.checked_add(length)?;
        }
    }

    /// Fills a buffer, if a program may write there.
    fn fill(&mut self, start: u32, new: Vec<u8>, deeds: &mut Deeds) -> Option<()> {
        let length = short(new.len());
        if !self.may_fill(start, length) {
            return None;
        }
        let (old, was_known) = (self.memory.range(start, length), self.memory.all(start, length, KNOWN));
        self.memory.put(start, &new);
        self.around.worked += u64::from(length) / BYTES_A_STEP;
        deeds.filled.push((start, old, new, was_known));
        Some(())
    }

    fn may_fill(&self, start: u32, length: u32) -> bool {
        length == 0 || start < wendax_isa::rv32::DEVICE_START && self.memory.all(start, length, WRITE)
    }

    /// Bytes above the end of the heap, as much as the machine has; where they begin.
    fn grow(&mut self, bytes: u32) -> Option<u32> {
        let start = self.state.heap_end;
        let end = start.checked_add(bytes).filter(|end| *end <= TARGET.map.stack_start.0)?;
        let has_room = self.memory.mapped() + u64::from(bytes) <= u64::from(TARGET.map.most);
        // Another part of the program may lie there.
        let is_free = !self.regions.iter().any(|region| region.start.0 < end && start < region.end().0);
        if !has_room || !is_free || bytes > 0 && self.memory.any(start, bytes.min(PAGE), READ | WRITE | EXECUTE) {
            return None;
        }
        self.memory.map(start, end, READ | WRITE);
        self.state.heap_end = end;
        self.around.worked += u64::from(bytes) / BYTES_A_STEP;
        Some(start)
    }

    // ---- console and time

    fn print(&mut self, bytes: &[u8]) {
        self.around.print(&mut self.state.common, bytes);
    }

    /// How many pending bytes belong to the next line, and whether its end is among them; none at the end of the input.
    fn pending_line(&self) -> Result<Option<(usize, bool)>, Need> {
        let console = &self.state.common.console;
        let waiting = self.around.tape.waiting(console);
        match memchr(b'\n', waiting) {
            Some(length) => Ok(Some((length, true))),
            None if !console.ended => Err(Need::Input),
            None if waiting.is_empty() => Ok(None),
            None => Ok(Some((waiting.len(), false))),
        }
    }

    /// The host's time or the program's, in milliseconds.
    fn time(&mut self) -> Result<u64, Need> {
        self.around.activity.note(Deed::Worked, self.state.common.steps);
        match (self.around.settings.clock, self.state.common.answer.take()) {
            (Clock::Cycles, _) => Ok(self.state.common.milliseconds()),
            (Clock::Host, Some(time)) => Ok(time.into()),
            (Clock::Host, None) => Err(Need::Clock),
        }
    }

    fn wait(&mut self, milliseconds: u32) -> Result<(), Need> {
        self.around.activity.note(Deed::Worked, self.state.common.steps);
        if self.around.settings.clock == Clock::Host && self.state.common.answer.take().is_none() {
            return Err(Need::Wait(milliseconds));
        }
        self.state.common.waited += u64::from(milliseconds);
        Ok(())
    }

    // ---- the open generic table

    fn generic_call(&mut self, number: u32, [a, b, c, d, ..]: [u32; 6], deeds: &mut Deeds) -> Outcome {
        match number {
            93 | 94 => Exit(a),
            63 => self.read_some(a, b, c, deeds),
            64 => self.write_some(a, &[(b, c)], deeds),
            66 => {
                let Some(list) = c.checked_mul(8).filter(|_| c <= 1024) else { return Wrong(Errno::Invalid) };
                let Some(bytes) = self.given(b, list, deeds) else { return Wrong(Errno::Fault) };
                let word = |at: &[u8]| at.first_chunk::<4>().map_or(0, |bytes| u32::from_le_bytes(*bytes));
                let pieces: Vec<_> = bytes.chunks(8).map(|piece| (word(piece), word(&piece[4..]))).collect();
                self.write_some(a, &pieces, deeds)
            }
            56 => self.open(b, c, deeds),
            57 => self.close(a, deeds),
            62 => self.seek(a, b, c, deeds),
            80 => self.status_of(a, b, deeds),
            29 => Wrong(if self.is_open(a) { Errno::NoTerminal } else { Errno::BadHandle }),
            96 | 172 => Done(Some(1)),
            99 | 134 | 135 | 215 => Done(Some(0)),
            101 | 407 => {
                let (at, is_wide, is_absolute) = if number == 101 { (a, false, false) } else { (c, true, b & 1 != 0) };
                self.sleep(at, is_wide, is_absolute, deeds)
            }
            113 | 403 => self.tell_time(b, number == 403, deeds),
            214 => self.set_heap(a),
            222 if d & 0x20 != 0 && b > 0 => {
                // Without a file, on pages of its own.
                let gap = self.state.heap_end.wrapping_neg() % PAGE;
                let whole = b.checked_next_multiple_of(PAGE).and_then(|bytes| bytes.checked_add(gap));
                match whole.and_then(|bytes| self.grow(bytes)) {
                    Some(start) => Done(Some(start + gap)),
                    None => Wrong(Errno::NoMemory),
                }
            }
            222 => Wrong(Errno::Invalid),
            278 => {
                if !self.may_fill(a, b) || b > 1 << 20 {
                    return Wrong(if b > 1 << 20 { Errno::Invalid } else { Errno::Fault });
                }
                let random = &mut self.state.common.random;
                let bytes = (0..b).map(|_| next_below(random, 256).to_le_bytes()[0]).collect();
                match self.fill(a, bytes, deeds) {
                    Some(()) => Done(Some(b)),
                    None => Wrong(Errno::Fault),
                }
            }
            _ => Wrong(Errno::NoSuchCall),
        }
    }

    fn is_open(&self, descriptor: u32) -> bool {
        descriptor < STANDARD || self.handle(descriptor).is_some()
    }

    /// The file that a descriptor stands for.
    fn handle(&self, descriptor: u32) -> Option<u32> {
        let handle = descriptor.checked_sub(STANDARD - 1)?;
        self.state.common.files.by_handle(handle).map(|_| handle)
    }

    fn read_some(&mut self, descriptor: u32, buffer: u32, count: u32, deeds: &mut Deeds) -> Outcome {
        if let Some(handle) = self.handle(descriptor) {
            let length = short(self.state.common.files.would_read(handle, count as usize));
            if !self.may_fill(buffer, length) {
                return Wrong(Errno::Fault);
            }
            return match self.move_file(handle, deeds, |files, step| {
                files.read(handle, count as usize, step).map(|(from, bytes)| (FileDeed::Read(from, bytes.len()), bytes))
            }) {
                Ok(bytes) => {
                    let length = short(bytes.len());
                    let _ = self.fill(buffer, bytes, deeds);
                    Done(Some(length))
                }
                Err(error) => Wrong(error.into()),
            };
        }
        if descriptor != 0 {
            return Wrong(Errno::BadHandle);
        }
        self.around.activity.note(Deed::Console, self.state.common.steps);
        if count == 0 {
            return Done(Some(0));
        }
        // What is there, to the end of a line.
        let console = self.state.common.console;
        let waiting = self.around.tape.waiting(&console);
        if waiting.is_empty() {
            return if console.ended { Done(Some(0)) } else { Needs(Need::Input) };
        }
        let line = memchr(b'\n', waiting).map_or(waiting.len(), |end| end + 1);
        let bytes = waiting[..line.min(count as usize)].to_vec();
        let length = bytes.len();
        match self.fill(buffer, bytes, deeds) {
            Some(()) => {
                self.state.common.console.read += length as u64;
                Done(Some(short(length)))
            }
            None => Wrong(Errno::Fault),
        }
    }

    fn write_some(&mut self, descriptor: u32, pieces: &[(u32, u32)], deeds: &mut Deeds) -> Outcome {
        let mut bytes = Vec::new();
        for &(start, length) in pieces {
            // No more than there is memory for.
            match self.given(start, length, deeds) {
                Some(piece) if bytes.len() + piece.len() <= TARGET.map.most as usize => bytes.extend_from_slice(&piece),
                Some(_) => return Wrong(Errno::Invalid),
                None => return Wrong(Errno::Fault),
            }
        }
        if let Some(handle) = self.handle(descriptor) {
            let length = bytes.len();
            self.around.worked += length as u64 / BYTES_A_STEP;
            return match self.move_file(handle, deeds, |files, step| {
                files.write(handle, &bytes, step).map(|(from, copied)| (FileDeed::Written(from, length), copied))
            }) {
                Ok(copied) => {
                    self.around.worked += copied as u64 / BYTES_A_STEP;
                    Done(Some(short(length)))
                }
                Err(error) => Wrong(error.into()),
            };
        }
        if !matches!(descriptor, 1 | 2) {
            return Wrong(Errno::BadHandle);
        }
        if !bytes.is_empty() {
            self.print(&bytes);
        }
        Done(Some(short(bytes.len())))
    }

    /// Does something with an open file.
    fn move_file<T>(
        &mut self,
        handle: u32,
        deeds: &mut Deeds,
        act: impl FnOnce(&mut crate::files::Files, StepNo) -> Result<(FileDeed, T), FileError>,
    ) -> Result<T, FileError> {
        let step = StepNo(self.state.common.steps);
        let open = self.state.common.files.by_handle(handle).ok_or(FileError::BadHandle)?;
        let path = Arc::clone(&open.path);
        let (deed, result) = act(Arc::make_mut(&mut self.state.common.files), step)?;
        if !matches!(deed, FileDeed::Read(..) | FileDeed::Sought(_)) {
            self.around.activity.note(Deed::Worked, step.0);
        }
        deeds.file = Some((path, deed));
        Ok(result)
    }

    /// Opens a file by the text of its path; its handle.
    fn open_path(&mut self, path: u32, mode: FileMode, deeds: &mut Deeds) -> Result<u32, Result<FileError, Need>> {
        let Some(text) = self.text(path) else { return Err(Ok(FileError::Failed)) };
        let path = path_within(&text).map_err(Ok)?;
        let common = &mut self.state.common;
        let files = Arc::make_mut(&mut common.files);
        if files.get(&path).is_none() {
            if !files.has_room() {
                return Err(Ok(FileError::NoRoom));
            }
            match common.found.take() {
                Some((at, found)) if at == path => files.learn(Arc::clone(&path), found),
                _ => return Err(Err(Need::File)),
            }
        }
        self.around.activity.note(Deed::Worked, common.steps);
        let handle = files.open_file(&path, mode).map_err(Ok)?;
        deeds.file = Some((path, FileDeed::Opened(mode)));
        Ok(handle)
    }

    /// The path of the file that the next instruction wants to open, when that is not known yet.
    pub(crate) fn wanted_file(&self) -> Option<Arc<str>> {
        let path = match self.call_next()? {
            56 => self.state.cpu.registers[usize::from(A0) + 1],
            number if number == OWN + 0x30 => self.state.cpu.registers[usize::from(A0)],
            _ => return None,
        };
        let text = self.text(path)?;
        path_within(&text).ok().filter(|path| self.state.common.files.get(path).is_none())
    }

    fn open(&mut self, path: u32, flags: u32, deeds: &mut Deeds) -> Outcome {
        const WRITE_ONLY: u32 = 1;
        const BOTH: u32 = 2;
        const ANEW: u32 = 0x200;
        const APPEND: u32 = 0x400;
        if !self.around.settings.has_folder {
            Arc::make_mut(&mut self.state.common.files).was_refused = true;
            return Wrong(Errno::NotAllowed);
        }
        if self.text(path).is_none() {
            return Wrong(Errno::Fault);
        }
        let mode = match flags & (WRITE_ONLY | BOTH) {
            0 => FileMode::Read,
            WRITE_ONLY if flags & APPEND != 0 => FileMode::Append,
            WRITE_ONLY if flags & ANEW != 0 => FileMode::Write,
            _ => return Wrong(Errno::Invalid),
        };
        match self.open_path(path, mode, deeds) {
            Ok(handle) => Done(Some(handle + STANDARD - 1)),
            Err(Ok(FileError::NoRoom)) => Wrong(Errno::TooManyOpen),
            Err(Ok(error)) => Wrong(error.into()),
            Err(Err(need)) => Needs(need),
        }
    }

    fn close(&mut self, descriptor: u32, deeds: &mut Deeds) -> Outcome {
        let Some(handle) = self.handle(descriptor) else {
            return if descriptor < STANDARD { Done(Some(0)) } else { Wrong(Errno::BadHandle) };
        };
        match self.move_file(handle, deeds, |files, _| files.close(handle).map(|_| (FileDeed::Closed, ()))) {
            Ok(()) => Done(Some(0)),
            Err(error) => Wrong(error.into()),
        }
    }

    fn seek(&mut self, descriptor: u32, offset: u32, whence: u32, deeds: &mut Deeds) -> Outcome {
        let Some(handle) = self.handle(descriptor) else {
            return Wrong(if descriptor < STANDARD { Errno::NoSeek } else { Errno::BadHandle });
        };
        let files = &self.state.common.files;
        let open = files.by_handle(handle);
        let length = open.and_then(|open| files.get(&open.path)?.bytes()).map_or(0, <[u8]>::len);
        let from = match whence {
            0 => 0,
            1 => open.map_or(0, |open| open.position),
            2 => length,
            _ => return Wrong(Errno::Invalid),
        };
        let place = i64::from(short(from)) + i64::from(offset.cast_signed());
        let Ok(place) = usize::try_from(place) else { return Wrong(Errno::Invalid) };
        let went = self.move_file(handle, deeds, |files, _| {
            files.seek(handle, place).map(|place| (FileDeed::Sought(place), place))
        });
        match went {
            Ok(place) => Done(Some(short(place))),
            Err(error) => Wrong(error.into()),
        }
    }

    /// What a descriptor is, laid out as the generic table has it for 32 bits with sizes of 64: 104 bytes.
    fn status_of(&mut self, descriptor: u32, room: u32, deeds: &mut Deeds) -> Outcome {
        const CONSOLE: u32 = 0o020_620;
        const FILE: u32 = 0o100_644;
        if !self.is_open(descriptor) {
            return Wrong(Errno::BadHandle);
        }
        let files = &self.state.common.files;
        let open = self.handle(descriptor).and_then(|handle| files.by_handle(handle));
        let length = open.and_then(|open| files.get(&open.path)?.bytes()).map_or(0, <[u8]>::len) as u64;
        let mut bytes = vec![0; 104];
        let mut put = |at: usize, value: &[u8]| bytes[at..at + value.len()].copy_from_slice(value);
        put(8, &u64::from(descriptor + 1).to_le_bytes());
        put(16, &(if open.is_some() { FILE } else { CONSOLE }).to_le_bytes());
        put(20, &1u32.to_le_bytes());
        put(48, &length.to_le_bytes());
        put(56, &512u32.to_le_bytes());
        put(64, &length.div_ceil(512).to_le_bytes());
        match self.fill(room, bytes, deeds) {
            Some(()) => Done(Some(0)),
            None => Wrong(Errno::Fault),
        }
    }

    fn tell_time(&mut self, room: u32, is_wide: bool, deeds: &mut Deeds) -> Outcome {
        let length = if is_wide { 16 } else { 8 };
        if !self.may_fill(room, length) {
            return Wrong(Errno::Fault);
        }
        let milliseconds = match self.time() {
            Ok(time) => time,
            Err(need) => return Needs(need),
        };
        let (seconds, rest) = (milliseconds / 1000, milliseconds % 1000 * 1_000_000);
        let mut bytes = Vec::new();
        for number in [seconds, rest] {
            bytes.extend_from_slice(&number.to_le_bytes()[..length as usize / 2]);
        }
        let _ = self.fill(room, bytes, deeds);
        Done(Some(0))
    }

    /// Waits for a time that is told by seconds and what is beside them.
    fn sleep(&mut self, at: u32, is_wide: bool, is_absolute: bool, deeds: &mut Deeds) -> Outcome {
        let part = if is_wide { 8 } else { 4 };
        let Some(bytes) = self.given(at, 2 * part, deeds) else { return Wrong(Errno::Fault) };
        let number = |from: usize| {
            let mut whole = [0; 8];
            whole[..part as usize].copy_from_slice(&bytes[from..from + part as usize]);
            u64::from_le_bytes(whole)
        };
        // Of the second one only the low word counts.
        let (seconds, rest) = (number(0), number(part as usize) & 0xFFFF_FFFF);
        if rest >= 1_000_000_000 || seconds > u64::from(u32::MAX) {
            return Wrong(Errno::Invalid);
        }
        let milliseconds = seconds * 1000 + rest.div_ceil(1_000_000);
        let left = if is_absolute && self.around.settings.clock == Clock::Cycles {
            milliseconds.saturating_sub(self.state.common.milliseconds())
        } else if is_absolute {
            return Wrong(Errno::Invalid);
        } else {
            milliseconds
        };
        match u32::try_from(left).map(|left| self.wait(left)) {
            Ok(Ok(())) => Done(Some(0)),
            Ok(Err(need)) => Needs(need),
            Err(_) => Wrong(Errno::Invalid),
        }
    }

    /// Sets where the heap ends; where it does then, be it as before.
    fn set_heap(&mut self, end: u32) -> Outcome {
        let now = self.state.heap_end;
        if end > now {
            let _ = self.grow(end - now);
        } else if end >= self.heap_start && end < now {
            self.memory.unmap(end, now);
            self.around.worked += u64::from(now - end) / BYTES_A_STEP;
            self.state.heap_end = end;
        }
        Done(Some(self.state.heap_end))
    }

    // ---- Wendax's own

    fn own_call(&mut self, number: u32, [a, b, c, ..]: [u32; 6], deeds: &mut Deeds) -> Outcome {
        match number {
            0x00 => Exit(a),
            0x01 => Own(Some(short(self.around.settings.arguments.len()))),
            0x02 => self.argument(a, b, c, deeds),
            0x10 => self.put(&a.to_le_bytes()[..1]),
            0x11 => match self.text(a) {
                Some(text) => {
                    deeds.read.push((a, short(text.len()) + 1));
                    self.print(&text);
                    Own(Some(short(text.len())))
                }
                None => Failed(ErrorCode::BadAddress),
            },
            0x12 => self.put(a.cast_signed().to_string().as_bytes()),
            0x13 => self.put(a.to_string().as_bytes()),
            0x14 => self.put(format!("{a:08X}").as_bytes()),
            0x20..=0x22 => {
                self.around.activity.note(Deed::Console, self.state.common.steps);
                match number {
                    0x20 => self.get_char(),
                    0x21 => self.get_line(a, b, deeds),
                    _ => self.get_int(),
                }
            }
            0x30..=0x34 if !self.around.settings.has_folder => {
                Arc::make_mut(&mut self.state.common.files).was_refused = true;
                Failed(ErrorCode::NotAllowed)
            }
            0x30 => {
                let mode = match b {
                    0 => FileMode::Read,
                    1 => FileMode::Write,
                    2 => FileMode::Append,
                    _ => return Failed(ErrorCode::NotAllowed),
                };
                if self.text(a).is_none() {
                    return Failed(ErrorCode::BadAddress);
                }
                match self.open_path(a, mode, deeds) {
                    Ok(handle) => Own(Some(handle)),
                    Err(Ok(error)) => Failed(own_error(error)),
                    Err(Err(need)) => Needs(need),
                }
            }
            0x31..=0x34 => self.own_file(number, a, b, c, deeds),
            0x40 => self.grow(a).map_or(Failed(ErrorCode::NoRoom), |start| Own(Some(start))),
            0x50 => match self.time() {
                Ok(time) => Own(Some(u32::try_from(time & 0xFFFF_FFFF).unwrap_or(0))),
                Err(need) => Needs(need),
            },
            0x51 => match self.wait(a) {
                Ok(()) => Own(None),
                Err(need) => Needs(need),
            },
            0x52 => {
                let random = &mut self.state.common.random;
                // Two halves make any word.
                let any = |random: &mut u64| next_below(random, 0x1_0000) << 16 | next_below(random, 0x1_0000);
                Own(Some(if a == 0 { any(random) } else { next_below(random, a) }))
            }
            0x60 => self.tone(a, b, deeds),
            _ => Failed(ErrorCode::NoSuchCall),
        }
    }

    fn put(&mut self, bytes: &[u8]) -> Outcome {
        self.print(bytes);
        Own(None)
    }

    fn argument(&mut self, index: u32, buffer: u32, capacity: u32, deeds: &mut Deeds) -> Outcome {
        let settings = Arc::clone(&self.around.settings);
        let Some(argument) = settings.arguments.get(index as usize) else { return Failed(ErrorCode::NotFound) };
        if argument.len() >= capacity as usize {
            return Failed(ErrorCode::NoRoom);
        }
        match self.fill(buffer, argument.iter().copied().chain([0]).collect(), deeds) {
            Some(()) => Own(Some(short(argument.len()))),
            None => Failed(ErrorCode::BadAddress),
        }
    }

    fn get_char(&mut self) -> Outcome {
        let console = &mut self.state.common.console;
        match self.around.tape.waiting(console).first().copied() {
            Some(byte) => {
                console.read += 1;
                Own(Some(byte.into()))
            }
            None if console.ended => Failed(ErrorCode::EndOfInput),
            None => Needs(Need::Input),
        }
    }

    fn get_line(&mut self, buffer: u32, capacity: u32, deeds: &mut Deeds) -> Outcome {
        let Some(room) = capacity.checked_sub(1) else { return Failed(ErrorCode::NoRoom) };
        let (length, ended) = match self.pending_line() {
            Ok(Some(line)) => line,
            Ok(None) => return Failed(ErrorCode::EndOfInput),
            Err(need) => return Needs(need),
        };
        let taken = length.min(room as usize);
        let waiting = self.around.tape.waiting(&self.state.common.console);
        let bytes = waiting[..taken].iter().copied().chain([0]).collect();
        match self.fill(buffer, bytes, deeds) {
            Some(()) => {
                self.state.common.console.read += taken as u64 + u64::from(taken == length && ended);
                Own(Some(short(taken)))
            }
            None => Failed(ErrorCode::BadAddress),
        }
    }

    fn get_int(&mut self) -> Outcome {
        let (length, ended) = match self.pending_line() {
            Ok(Some(line)) => line,
            Ok(None) => return Failed(ErrorCode::EndOfInput),
            Err(need) => return Needs(need),
        };
        let value = read_int(&self.around.tape.waiting(&self.state.common.console)[..length], TARGET.word_bits);
        self.state.common.console.read += length as u64 + u64::from(ended);
        value.map_or(Failed(ErrorCode::NotANumber), |value| Own(Some(value)))
    }

    fn own_file(&mut self, number: u32, handle: u32, at: u32, count: u32, deeds: &mut Deeds) -> Outcome {
        if self.state.common.files.by_handle(handle).is_none() {
            return Failed(ErrorCode::BadHandle);
        }
        // Handles are counted from 1, behind what a descriptor is.
        let descriptor = handle + STANDARD - 1;
        let code = |why: Errno| match why {
            Errno::Fault => ErrorCode::BadAddress,
            Errno::BadHandle => ErrorCode::BadHandle,
            Errno::NotFound => ErrorCode::NotFound,
            Errno::NoSpace => ErrorCode::NoRoom,
            Errno::InputOutput => ErrorCode::InputOutput,
            _ => ErrorCode::NotAllowed,
        };
        let outcome = match number {
            0x31 => self.close(descriptor, deeds),
            0x32 => self.read_some(descriptor, at, count, deeds),
            0x33 => self.write_some(descriptor, &[(at, count)], deeds),
            _ => self.seek(descriptor, at, 0, deeds),
        };
        match outcome {
            Done(_) if number == 0x31 => Own(None),
            Done(result) => Own(result),
            Wrong(why) => Failed(code(why)),
            other => other,
        }
    }

    fn tone(&mut self, hertz: u32, milliseconds: u32, deeds: &mut Deeds) -> Outcome {
        let common = &mut self.state.common;
        self.around.activity.note(Deed::Worked, common.steps);
        let at = common.cycles + common.waited * crate::CYCLES_A_MILLISECOND;
        let tone = Tone { step: StepNo(common.steps), at, hertz, milliseconds };
        if self.around.settings.clock == Clock::Host && common.answer.take().is_none() {
            return Needs(Need::Sound(tone));
        }
        common.waited += u64::from(milliseconds);
        self.around.sound(tone);
        deeds.tone = Some((hertz, milliseconds));
        Own(None)
    }
}
