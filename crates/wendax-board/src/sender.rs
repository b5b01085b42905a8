//! The sender's side: a program goes to a board record by record, is checked there, and is run.

use crate::protocol::{END_OF_TEXT, END_OF_TRANSMISSION, Sign, Unescape, escape, hello};
use std::io::{ErrorKind, Read, Write};
use std::time::{Duration, Instant};
use wendax_image::{Image, to_hex};
use wendax_isa::Place;

/// So long an answer is waited for.
const PATIENCE: Duration = Duration::from_secs(2);
/// A record that was spoilt on the way is sent so often.
const TRIES: u32 = 3;
/// A line of an answer is at most so long; a program's console has no lines.
const LONGEST: usize = 600;
/// What is on its way when a talk begins is passed over, at most so much of it.
const MOST_BEFORE: usize = 1 << 20;

/// Why a program could not be sent.
#[derive(Debug, thiserror::Error)]
pub enum SendError {
    /// The port failed.
    #[error("the port failed: {0}")]
    Port(#[from] std::io::Error),
    /// Nothing came back.
    #[error("nothing answers there within {} seconds: is a board at this port, with the same speed?", PATIENCE.as_secs())]
    NoAnswer,
    /// What came back is no answer of a board.
    #[error("what answers there is no board that speaks this protocol; it said {0:?}")]
    NoBoard(String),
    /// It is a board for another machine.
    #[error("the board says `{said}`, and the program is for `{wanted}`")]
    OtherBoard {
        /// What the board says it is.
        said: String,
        /// What one for the program would say.
        wanted: String,
    },
    /// A record was refused.
    #[error("the board refused record {number}, `{record}`: {why}")]
    Refused {
        /// Its number, from 1.
        number: usize,
        /// The record.
        record: String,
        /// What the board said.
        why: String,
    },
    /// The board holds something else than was sent.
    #[error("what the board holds from {at} on is not what was sent: it was spoilt on the way; send it again")]
    Differs {
        /// Where the part begins.
        at: Place,
    },
    /// The board does not run it.
    #[error("the board does not run it: {0}")]
    NotRun(String),
}

/// How a program on a board ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Ended {
    /// With this status.
    Status(u32),
    /// Otherwise, as the board says.
    Otherwise(String),
}

/// The sender's end of a line. The port must give up reading after a short while ([`ErrorKind::TimedOut`] or
/// [`ErrorKind::WouldBlock`]), so that there is an end to waiting.
#[derive(Debug)]
pub struct Sender<P> {
    port: P,
    /// What came and was not looked at yet.
    come: Vec<u8>,
    unescape: Unescape,
}

impl<P: Read + Write> Sender<P> {
    /// Over this port.
    pub fn new(port: P) -> Self {
        Self { port, come: Vec::new(), unescape: Unescape::default() }
    }

    /// Sends a program and has it checked. `progress` is told how many records of how many are there; false ends it.
    pub fn load(&mut self, image: &Image, mut progress: impl FnMut(usize, usize) -> bool) -> Result<(), SendError> {
        // Whatever ran or was half written there is given up.
        self.port.write_all(&[END_OF_TEXT, b'\n'])?;
        self.drain()?;
        let said = self.ask("?")?.map_err(SendError::NoBoard)?;
        let wanted = hello(image.target);
        if said != wanted {
            return Err(SendError::OtherBoard { said, wanted });
        }
        let text = to_hex(image);
        let records: Vec<&str> = text.lines().collect();
        for (number, record) in (1..).zip(&records) {
            self.send_record(number, record)?;
            if !progress(number, records.len()) {
                return Ok(());
            }
        }
        for part in image.segments.iter().filter(|part| !part.bytes.is_empty()) {
            let answer = self.ask(&format!("= {} {:04X}", image.target.hex_address(part.start), part.bytes.len()))?;
            let sum = format!("{:08X}", crc32fast::hash(&part.bytes));
            if answer.as_ref() != Ok(&sum) {
                return Err(SendError::Differs { at: Place(image.target, part.start) });
            }
        }
        Ok(())
    }

    fn send_record(&mut self, number: usize, record: &str) -> Result<(), SendError> {
        let mut last = String::new();
        for _ in 0..TRIES {
            match self.ask(record)? {
                Ok(_) => return Ok(()),
                // Its answer may have been lost, and it may be there.
                Err(why) if why.contains("given twice") && !last.is_empty() => return Ok(()),
                Err(why) => last = why,
            }
        }
        Err(SendError::Refused { number, record: record.to_owned(), why: last })
    }

    /// Runs the program that was sent; from now on the line is its console.
    pub fn start(&mut self) -> Result<(), SendError> {
        self.ask("!")?.map(|_| ()).map_err(SendError::NotRun)
    }

    /// Types to the program.
    pub fn type_input(&mut self, bytes: &[u8]) -> Result<(), SendError> {
        Ok(self.port.write_all(&escape(bytes))?)
    }

    /// No more will be typed.
    pub fn end_input(&mut self) -> Result<(), SendError> {
        Ok(self.port.write_all(&[END_OF_TRANSMISSION])?)
    }

    /// Stops the program.
    pub fn stop(&mut self) -> Result<(), SendError> {
        Ok(self.port.write_all(&[END_OF_TEXT])?)
    }

    /// What the program has printed since, and how it ended, when it did.
    pub fn listen(&mut self) -> Result<(Vec<u8>, Option<Ended>), SendError> {
        self.read()?;
        let mut printed = Vec::new();
        let come = std::mem::take(&mut self.come);
        for (index, &byte) in come.iter().enumerate() {
            match self.unescape.take(byte) {
                Some(Sign::Byte(byte)) => printed.push(byte),
                Some(Sign::Control(END_OF_TRANSMISSION)) => {
                    self.come = come[index + 1..].to_vec();
                    let ended = match self.answer()? {
                        Ok(words) => words
                            .strip_prefix("ended ")
                            .and_then(|status| status.parse().ok())
                            .map_or_else(|| Ended::Otherwise(words.clone()), Ended::Status),
                        Err(words) => Ended::Otherwise(words),
                    };
                    return Ok((printed, Some(ended)));
                }
                Some(Sign::Control(_)) | None => {}
            }
        }
        Ok((printed, None))
    }

    // ---- lines

    /// Sends a line; the answer, done or not.
    fn ask(&mut self, line: &str) -> Result<Result<String, String>, SendError> {
        self.port.write_all(format!("{line}\n").as_bytes())?;
        self.port.flush()?;
        self.answer()
    }

    fn answer(&mut self) -> Result<Result<String, String>, SendError> {
        let until = Instant::now() + PATIENCE;
        loop {
            if let Some(end) = self.come.iter().position(|&byte| byte == b'\n') {
                let line: Vec<u8> = self.come.drain(..=end).collect();
                let text = String::from_utf8_lossy(&line).trim().to_owned();
                let words = text.get(1..).unwrap_or_default().trim().to_owned();
                match text.as_bytes().first() {
                    Some(b'+') => return Ok(Ok(words)),
                    Some(b'-') => return Ok(Err(words)),
                    None => continue,
                    Some(_) => return Err(SendError::NoBoard(text.chars().take(80).collect())),
                }
            }
            if self.come.len() > LONGEST {
                return Err(self.no_board());
            }
            if Instant::now() >= until {
                return Err(SendError::NoAnswer);
            }
            self.read()?;
        }
    }

    /// Reads what has come, or nothing.
    fn read(&mut self) -> Result<usize, SendError> {
        let mut bytes = [0; 4096];
        match self.port.read(&mut bytes) {
            Ok(0) => Err(SendError::Port(std::io::Error::from(ErrorKind::UnexpectedEof))),
            Ok(count) => {
                self.come.extend_from_slice(&bytes[..count]);
                Ok(count)
            }
            Err(error)
                if matches!(error.kind(), ErrorKind::TimedOut | ErrorKind::WouldBlock | ErrorKind::Interrupted) =>
            {
                Ok(0)
            }
            Err(error) => Err(error.into()),
        }
    }

    /// Passes over what is still on its way.
    fn drain(&mut self) -> Result<(), SendError> {
        // A read that came to nothing waited for a while.
        let mut passed = 0;
        loop {
            let count = self.read()?;
            if passed + count > MOST_BEFORE {
                return Err(self.no_board());
            }
            passed += count;
            self.come.clear();
            if count == 0 {
                break;
            }
        }
        self.unescape = Unescape::default();
        Ok(())
    }

    /// What came is no answer of a board; its beginning is told.
    fn no_board(&self) -> SendError {
        SendError::NoBoard(String::from_utf8_lossy(&self.come).chars().take(80).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Device;
    use proptest::prelude::*;
    use std::collections::VecDeque;

    /// A board at the other end of a line that may spoil bytes.
    struct Line {
        device: Device,
        back: VecDeque<u8>,
        /// Every so many bytes one is spoilt on its way there; never when 0.
        spoils: usize,
        sent: usize,
        time: u64,
    }

    impl Default for Line {
        fn default() -> Self {
            let device = Device::new(&wendax_isa::w16::TARGET);
            Self { device, back: VecDeque::new(), spoils: 0, sent: 0, time: 0 }
        }
    }

    impl Read for Line {
        fn read(&mut self, bytes: &mut [u8]) -> std::io::Result<usize> {
            self.time += 5;
            self.device.run_to(self.time);
            self.back.extend(self.device.send());
            let count = bytes.len().min(self.back.len());
            for (byte, come) in bytes.iter_mut().zip(self.back.drain(..count)) {
                *byte = come;
            }
            if count == 0 { Err(ErrorKind::TimedOut.into()) } else { Ok(count) }
        }
    }

    impl Write for Line {
        fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
            for &byte in bytes {
                self.sent += 1;
                let is_spoilt = self.spoils > 0 && self.sent.is_multiple_of(self.spoils) && byte.is_ascii_hexdigit();
                self.device.take(&[if is_spoilt { byte ^ 1 } else { byte }]);
            }
            Ok(bytes.len())
        }

        fn flush(&mut self) -> std::io::Result<()> {
            Ok(())
        }
    }

    fn image(text: &str) -> Image {
        let (sources, file) = wendax_source::Sources::single("case", text);
        wendax_asm::assemble(&sources, file).image
    }

    const ECHO: &str =
        "start: sys get_char\n jc done\n inc r0\n sys put_char\n jmp start\ndone: mov r0, 7\n sys exit\n";

    #[test]
    fn a_program_is_sent_checked_run_and_talked_to() {
        let mut sender = Sender::new(Line::default());
        let mut told = Vec::new();
        sender
            .load(&image(ECHO), |done, all| {
                told.push((done, all));
                true
            })
            .unwrap();
        assert_eq!(told.last(), Some(&(told.len(), told.len())));
        sender.start().unwrap();
        sender.type_input(&[b'a', 2, 3, 15, 0xFF]).unwrap();
        sender.end_input().unwrap();
        let mut printed = Vec::new();
        let ended = loop {
            let (more, ended) = sender.listen().unwrap();
            printed.extend(more);
            if let Some(ended) = ended {
                break ended;
            }
        };
        assert_eq!((printed.as_slice(), ended), (&[b'b', 3, 4, 16, 0][..], Ended::Status(7)));
        // Another one in its place.
        sender.load(&image("start: div r0, r1\n"), |_, _| true).unwrap();
        sender.start().unwrap();
        let ended = loop {
            if let (_, Some(ended)) = sender.listen().unwrap() {
                break ended;
            }
        };
        assert!(
            matches!(&ended, Ended::Otherwise(words) if words.starts_with("fault at 0200: a division")),
            "{ended:?}"
        );
        sender.load(&image("start: inc r1\n jmp start\n"), |_, _| true).unwrap();
        sender.start().unwrap();
        sender.stop().unwrap();
        assert_eq!(sender.listen().unwrap().1, Some(Ended::Otherwise("stopped".to_owned())));
    }

    #[test]
    fn what_is_no_board_is_told() {
        #[derive(Default)]
        struct Parrot(VecDeque<u8>);
        impl Read for Parrot {
            fn read(&mut self, bytes: &mut [u8]) -> std::io::Result<usize> {
                let Some(byte) = self.0.pop_front() else { return Err(ErrorKind::TimedOut.into()) };
                bytes[0] = byte;
                Ok(1)
            }
        }
        impl Write for Parrot {
            fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
                self.0.extend(bytes);
                Ok(bytes.len())
            }
            fn flush(&mut self) -> std::io::Result<()> {
                Ok(())
            }
        }
        let error = Sender::new(Parrot::default()).load(&image(ECHO), |_, _| true).unwrap_err();
        assert!(matches!(error, SendError::NoBoard(_)), "{error}");
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(40))]

        /// A line that spoils bytes never leaves another program on the board without saying so.
        #[test]
        fn a_spoilt_program_is_never_taken_for_the_right_one(
            bytes in proptest::collection::vec(0u8.., 1..400), spoils in 20usize..2000,
        ) {
            let image = wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, wendax_image::Addr(0x200)).unwrap();
            let mut sender = Sender::new(Line { spoils, ..Line::default() });
            if sender.load(&image, |_, _| true).is_ok() {
                let device = &mut sender.port.device;
                device.take(format!("= 0200 {:X}\n", bytes.len()).as_bytes());
                let answer = String::from_utf8(device.send()).unwrap();
                prop_assert_eq!(answer.trim(), format!("+ {:08X}", crc32fast::hash(&bytes)));
            }
        }

        /// Whatever comes over the line, the board answers or waits, and goes on.
        #[test]
        fn any_bytes_are_taken(bytes in proptest::collection::vec(0u8.., 0..300)) {
            let mut device = Device::new(&wendax_isa::w16::TARGET);
            device.take(&bytes);
            device.run_to(5);
            device.send();
            device.take(b"\x03\n?\n");
            device.run_to(6);
            prop_assert!(String::from_utf8_lossy(&device.send()).ends_with("+ board 1 W16\n"));
        }
    }
}
