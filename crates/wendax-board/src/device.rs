//! The board's side: takes a program, checks it, runs it on a machine, and passes its console on.
//!
//! Nothing here waits: bytes come in by [`Device::take`], what is to be sent is fetched with [`Device::send`], and the
//! program runs as far as its owner says.

use crate::protocol::{END_OF_TEXT, END_OF_TRANSMISSION, Sign, Unescape, escape, hello};
use ihex::Record;
use std::collections::BTreeSet;
use wendax_image::from_hex;
use wendax_isa::Target;
use wendax_machine::{Addr, Board, Clock, Event, Machine, Need, Run, Settings, StepNo, Stop};

/// A line of a command may be so long.
const LONGEST: usize = 600;
/// As many records are taken.
const MOST_RECORDS: usize = 20_000;

/// A board that is not there in earnest.
#[derive(Debug)]
pub struct Device {
    /// The machine it has.
    target: &'static Target,
    /// What came of the present line.
    line: Vec<u8>,
    /// Records taken since the last `?`, as lines.
    records: String,
    count: usize,
    has_end: bool,
    /// What is added to the addresses of records, and the addresses that were given.
    base: u32,
    given: BTreeSet<u64>,
    out: Vec<u8>,
    unescape: Unescape,
    /// The program that runs.
    machine: Option<Machine>,
    /// It asks for input.
    is_asking: bool,
    /// What the board showed when its program ended.
    shown: Board,
}

impl Device {
    /// One with a machine, and nothing loaded.
    pub fn new(target: &'static Target) -> Self {
        Self {
            target,
            line: Vec::new(),
            records: String::new(),
            count: 0,
            has_end: false,
            base: 0,
            given: BTreeSet::new(),
            out: Vec::new(),
            unescape: Unescape::default(),
            machine: None,
            is_asking: false,
            shown: Board::default(),
        }
    }

    /// A program runs.
    pub fn is_running(&self) -> bool {
        self.machine.is_some()
    }

    /// Lamps, levers and digits, as they are or were last.
    pub fn board(&self) -> &Board {
        self.machine.as_ref().map_or(&self.shown, Machine::board)
    }

    /// Milliseconds of the program's own time.
    pub fn milliseconds(&self) -> u64 {
        self.machine.as_ref().map_or(0, Machine::own_milliseconds)
    }

    /// Moves the levers.
    pub fn move_levers(&mut self, levers: u16) {
        if let Some(machine) = &mut self.machine {
            machine.feed(&Event::Levers(levers.into()));
        } else {
            self.shown.levers = levers;
        }
    }

    /// What is to be sent.
    pub fn send(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.out)
    }

    /// Takes bytes that came over the line.
    pub fn take(&mut self, bytes: &[u8]) {
        for &byte in bytes {
            if self.machine.is_some() {
                self.take_console(byte);
            } else if byte == b'\n' || byte == b'\r' {
                let line = std::mem::take(&mut self.line);
                if !line.is_empty() {
                    self.obey(&line);
                }
            } else if byte == END_OF_TEXT {
                // Whoever does not know where the other side is begins anew with it.
                self.line.clear();
            } else if self.line.len() <= LONGEST {
                self.line.push(byte);
            }
        }
    }

    fn take_console(&mut self, byte: u8) {
        let Some(machine) = &mut self.machine else { return };
        match self.unescape.take(byte) {
            Some(Sign::Byte(byte)) => {
                machine.feed(&Event::Typed(vec![byte]));
                self.is_asking = false;
            }
            Some(Sign::Control(END_OF_TRANSMISSION)) => {
                machine.feed(&Event::InputEnds);
                self.is_asking = false;
            }
            Some(Sign::Control(_)) => self.end("- stopped"),
            None => {}
        }
    }

    fn answer(&mut self, text: &str) {
        self.out.extend_from_slice(text.as_bytes());
        self.out.push(b'\n');
    }

    fn obey(&mut self, line: &[u8]) {
        let text = String::from_utf8_lossy(line);
        let text = text.trim();
        let answer = match text.as_bytes().first() {
            Some(b'?') if text == "?" => {
                (self.records, self.count, self.has_end) = (String::new(), 0, false);
                (self.base, self.given) = (0, BTreeSet::new());
                Ok(hello(self.target))
            }
            Some(b':') => self.take_record(text),
            Some(b'=') => self.check(&text[1..]),
            Some(b'!') if text == "!" => self.start(),
            _ => Err("no such command: ? : = ! are known".to_owned()),
        };
        match answer {
            Ok(words) => self.answer(format!("+ {words}").trim_end()),
            Err(why) => self.answer(&format!("- {why}")),
        }
    }

    fn take_record(&mut self, text: &str) -> Result<String, String> {
        let record = Record::from_record_string(text).map_err(|error| match error {
            ihex::ReaderError::ChecksumMismatch(..) => "the checksum of the record does not fit".to_owned(),
            other => format!("no record: {other}"),
        })?;
        if self.count >= MOST_RECORDS {
            return Err("too many records".to_owned());
        }
        match &record {
            Record::Data { offset, value } => {
                let from = u64::from(self.base) + u64::from(*offset);
                let width = self.target.hex_address(Addr(0)).len();
                let cells = from..from + value.len() as u64;
                if cells.end > self.target.memory_size() {
                    return Err(format!("the bytes at 0x{from:0width$X} lie outside memory"));
                }
                if cells.clone().any(|cell| self.given.contains(&cell)) {
                    return Err(format!("address 0x{from:0width$X} is given twice"));
                }
                self.given.extend(cells);
            }
            Record::ExtendedSegmentAddress(segment) => self.base = u32::from(*segment) * 16,
            Record::ExtendedLinearAddress(high) => self.base = u32::from(*high) << 16,
            Record::EndOfFile => self.has_end = true,
            Record::StartSegmentAddress { .. } | Record::StartLinearAddress(_) => {}
        }
        self.records.push_str(text);
        self.records.push('\n');
        self.count += 1;
        Ok(String::new())
    }

    /// The program, as far as it was sent.
    fn program(&self) -> Result<Option<wendax_image::Image>, String> {
        let text = if self.has_end { self.records.clone() } else { format!("{}:00000001FF\n", self.records) };
        match from_hex(self.target, &text) {
            Ok(loaded) => Ok(Some(loaded.image)),
            Err(wendax_image::FormatError::Empty) => Ok(None),
            Err(wendax_image::FormatError::Record { what, .. }) => Err(what),
            Err(error) => Err(error.to_string()),
        }
    }

    /// The checksum (CRC-32 of ISO 3309) of so many bytes from an address on.
    fn check(&self, text: &str) -> Result<String, String> {
        let wrong = || "expected = ADDRESS COUNT in hexadecimal".to_owned();
        let mut words = text.split_whitespace().map(|word| u32::from_str_radix(word, 16));
        let (Some(Ok(from)), Some(Ok(count)), None) = (words.next(), words.next(), words.next()) else {
            return Err(wrong());
        };
        let image = self.program()?.unwrap_or_else(|| wendax_image::Image::new(self.target));
        if u64::from(from) + u64::from(count) > self.target.memory_size() {
            return Err("that lies outside memory".to_owned());
        }
        let byte = |at: u32| {
            let part = image.segment_at(Addr(at));
            part.map_or(0, |part| part.bytes[(Addr(at) - part.start) as usize])
        };
        let bytes: Vec<u8> = (from..from + count).map(byte).collect();
        Ok(format!("{:08X}", crc32fast::hash(&bytes)))
    }

    fn start(&mut self) -> Result<String, String> {
        if !self.has_end {
            return Err("there is no whole program: its end record has not come".to_owned());
        }
        let image = self.program()?.ok_or("the program has no bytes")?;
        let settings = Settings { clock: Clock::Cycles, ..Settings::default() };
        let mut machine = Machine::new(&image, settings);
        machine.feed(&Event::Levers(self.shown.levers.into()));
        self.machine = Some(machine);
        (self.unescape, self.is_asking) = (Unescape::default(), false);
        Ok("runs".to_owned())
    }

    /// The program has ended: that is told behind its console.
    fn end(&mut self, words: &str) {
        if let Some(machine) = self.machine.take() {
            self.shown = machine.board().clone();
        }
        self.out.push(END_OF_TRANSMISSION);
        self.answer(words);
    }

    /// Goes on with the program until its own time has come to so many milliseconds, or it waits for something typed.
    pub fn run_to(&mut self, milliseconds: u64) {
        /// Cycles between two looks at the clock of the program, which `wait_ms` puts ahead.
        const SLICE: u64 = 2_000;
        while let Some(machine) = &mut self.machine {
            if self.is_asking || machine.own_milliseconds() >= milliseconds {
                return;
            }
            let run = Run { cycles: machine.cycles() + SLICE, ..Run::until(StepNo::LAST) };
            let stop = machine.run(run);
            let printed = machine.take_output();
            machine.take_tones();
            self.out.extend(escape(&printed));
            match stop {
                Stop::Needs(Need::Input) => self.is_asking = true,
                Stop::Finished(status) => self.end(&format!("+ ended {status}")),
                Stop::Fault(fault) => {
                    self.end(&format!(
                        "- fault at {}: {}",
                        self.target.hex_address(fault.pc),
                        fault.kind.words(self.target)
                    ));
                }
                Stop::Circling { .. } => self.end("- circling: it repeats one state for ever"),
                Stop::Brk => self.end("- stopped by a brk"),
                Stop::Steps
                | Stop::Cycles
                | Stop::Worked
                | Stop::Printed
                | Stop::Observed
                | Stop::Breakpoint
                | Stop::Watched
                | Stop::Depth { .. }
                | Stop::Idle { .. }
                | Stop::Needs(_) => {}
            }
        }
    }
}
