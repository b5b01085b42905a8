//! Talks over the line, word for word: what `docs/board.md` promises a board of one's own, and what the sender makes of
//! boards that keep it badly.

use std::collections::VecDeque;
use std::io::{ErrorKind, Read, Write};
use wendax_board::{Device, Ended, SendError, Sender};
use wendax_image::Image;

fn image(text: &str) -> Image {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}: {:?}", assembly.diagnostics);
    assembly.image
}

/// What a board says to some lines.
fn said(device: &mut Device, lines: &str) -> Vec<String> {
    device.take(lines.as_bytes());
    let said = String::from_utf8_lossy(&device.send()).into_owned();
    said.lines().map(str::to_owned).collect()
}

/// A board with a program on it, which has not been started.
fn loaded(text: &str) -> Device {
    let mut device = Device::new(&wendax_isa::w16::TARGET);
    let records = wendax_image::to_hex(&image(text));
    let answers = said(&mut device, &format!("?\n{records}"));
    assert!(answers[1..].iter().all(|answer| answer == "+"), "{answers:?}");
    assert_eq!(answers.len(), 1 + records.lines().count());
    device
}

/// The same, started.
fn started(text: &str) -> Device {
    let mut device = loaded(text);
    assert_eq!(said(&mut device, "!\n"), ["+ runs"]);
    device
}

#[test]
fn each_line_is_answered_by_one_that_says_whether_it_was_done() {
    let mut device = Device::new(&wendax_isa::w16::TARGET);
    assert_eq!(said(&mut device, "?\n"), ["+ board 1 W16"]);
    assert_eq!(said(&mut device, "!\n"), ["- there is no whole program: its end record has not come"]);
    assert_eq!(said(&mut device, "= 0200 2\n"), [format!("+ {:08X}", crc32fast::hash(&[0, 0]))], "not given is 00");
    assert_eq!(said(&mut device, "= 0200\n"), ["- expected = ADDRESS COUNT in hexadecimal"]);
    assert_eq!(said(&mut device, "= 0200 2 3\n"), ["- expected = ADDRESS COUNT in hexadecimal"]);
    assert_eq!(said(&mut device, "= xyz 2\n"), ["- expected = ADDRESS COUNT in hexadecimal"]);
    assert_eq!(said(&mut device, "hello\n?!\n"), ["- no such command: ? : = ! are known"; 2]);
    // Two bytes at 0200: `halt`.
    assert_eq!(said(&mut device, ":020200000200FA\n"), ["+"]);
    assert_eq!(said(&mut device, ":020200000200FA\n"), ["- address 0x0200 is given twice"]);
    assert_eq!(said(&mut device, ":020200000200FB\n"), ["- the checksum of the record does not fit"]);
    let answer = &said(&mut device, ":02zz\n")[0];
    assert!(answer.starts_with("- no record: "), "{answer}");
    assert_eq!(said(&mut device, "= 0200 2\n"), [format!("+ {:08X}", crc32fast::hash(&[2, 0]))]);
    assert_eq!(said(&mut device, "!\n"), ["- there is no whole program: its end record has not come"]);
    assert_eq!(said(&mut device, ":00000001FF\n"), ["+"]);
    assert_eq!(said(&mut device, "!\n"), ["+ runs"]);
    // Who asks who is there begins anew.
    let mut device = loaded("start: halt\n");
    assert_eq!(
        said(&mut device, "?\n!\n"),
        ["+ board 1 W16", "- there is no whole program: its end record has not come"]
    );
}

#[test]
fn line_ends_are_of_both_kinds_and_what_was_half_written_can_be_dropped() {
    let mut device = Device::new(&wendax_isa::w16::TARGET);
    assert_eq!(said(&mut device, "?\r\n\r\n\n?\r"), ["+ board 1 W16"; 2]);
    assert!(said(&mut device, "= 02").is_empty(), "a line that has not ended is not answered");
    assert_eq!(said(&mut device, "\x03?\n"), ["+ board 1 W16"]);
    assert_eq!(said(&mut device, "  ?  \n"), ["+ board 1 W16"]);
    let long = format!("{}\n?\n", "?".repeat(5000));
    assert_eq!(said(&mut device, &long), ["- no such command: ? : = ! are known", "+ board 1 W16"]);
}

#[test]
fn a_running_program_has_the_line_for_its_console() {
    // It prints each sign that is typed, one further.
    let mut device =
        started("start: sys get_char\n jc done\n inc r0\n sys put_char\n jmp start\ndone: mov r0, 300\n sys exit\n");
    device.run_to(1);
    assert!(device.send().is_empty() && device.is_running(), "it waits");
    // Lines are no commands now, and the control signs come as what they stand for.
    device.take(b"?\n");
    device.take(&[0x10, 0x03 ^ 0x40, 0x10, 0x0F ^ 0x40]);
    device.run_to(3);
    assert_eq!(device.send(), [b'@', b'\n' + 1, 0x10, 0x04 ^ 0x40, 0x10, 0x10 ^ 0x40]);
    device.take(&[0x04]);
    device.run_to(5);
    assert_eq!(device.send(), b"\x04+ ended 300\n");
    assert!(!device.is_running());
    assert_eq!(said(&mut device, "?\n"), ["+ board 1 W16"], "and the line has commands again");
}

#[test]
fn however_a_program_ends_that_is_told_behind_its_console() {
    for (text, told) in [
        ("start: mov r0, 7\n sys exit\n", "+ ended 7"),
        ("start: halt\n", "+ ended 0"),
        ("start: clr r1\n div r0, r1\n", "- fault at 0202: "),
        ("start: jmp start\n", "- circling: it repeats one state for ever"),
        ("start: brk\n", "- stopped by a brk"),
    ] {
        let mut device = started(&format!("{text}\n"));
        device.run_to(50);
        let said = String::from_utf8(device.send()).expect("words");
        assert!(said.strip_prefix('\x04').is_some_and(|said| said.starts_with(told)), "{text}: {said:?}");
        assert!(said.ends_with('\n') && !device.is_running());
    }
    let mut device = started("start: inc r1\n jmp start\n");
    device.run_to(20);
    assert!(device.is_running() && device.milliseconds() >= 20);
    device.take(&[0x03]);
    assert_eq!(device.send(), b"\x04- stopped\n");
}

#[test]
fn lamps_and_levers_stay_as_they_are_between_programs() {
    let mut device = loaded("start: ldw r1, [0xFF32]\n stw [0xFF30], r1\n halt\n");
    device.move_levers(0b101);
    said(&mut device, "!\n");
    device.run_to(10);
    assert_eq!((device.board().lamps, device.board().levers), (0b101, 0b101));
    device.move_levers(0b11);
    assert_eq!((device.board().lamps, device.board().levers), (0b101, 0b11));
}

/// A board that answers as it is told to, whatever it is asked, and what it was asked.
struct Scripted {
    answers: VecDeque<&'static str>,
    back: VecDeque<u8>,
    asked: String,
}

impl Scripted {
    fn new(answers: &[&'static str]) -> Self {
        Self { answers: answers.iter().copied().collect(), back: VecDeque::new(), asked: String::new() }
    }
}

impl Read for &mut Scripted {
    fn read(&mut self, bytes: &mut [u8]) -> std::io::Result<usize> {
        let count = bytes.len().min(self.back.len());
        for (byte, come) in bytes.iter_mut().zip(self.back.drain(..count)) {
            *byte = come;
        }
        if count == 0 { Err(ErrorKind::TimedOut.into()) } else { Ok(count) }
    }
}

impl Write for &mut Scripted {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.asked.push_str(&String::from_utf8_lossy(bytes));
        // What begins a talk is no line of it.
        if bytes.ends_with(b"\n") && bytes.len() > 2 || bytes == b"?\n" || bytes == b"!\n" {
            let answer = self.answers.pop_front().unwrap_or("-");
            self.back.extend(answer.bytes());
        }
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

/// What comes of sending two bytes to such a board.
fn sent(answers: &[&'static str]) -> (Result<(), SendError>, String) {
    let mut board = Scripted::new(answers);
    let came = Sender::new(&mut board).load(
        &wendax_image::from_raw(&wendax_isa::w16::TARGET, &[2, 0], wendax_image::Addr(0x200)).expect("it fits"),
        |_, _| true,
    );
    (came, board.asked)
}

#[test]
fn a_board_that_keeps_the_protocol_badly_is_told_of() {
    const HELLO: &str = "+ board 1 W16\n";
    let right: &'static str = Box::leak(format!("+ {:08X}\n", crc32fast::hash(&[2, 0])).into_boxed_str());
    let records = wendax_image::to_hex(
        &wendax_image::from_raw(&wendax_isa::w16::TARGET, &[2, 0], wendax_image::Addr(0x200)).expect("it fits"),
    );
    let count = records.lines().count();
    let all = |record: &'static str, sum: &'static str| -> Vec<&'static str> {
        [HELLO].into_iter().chain(std::iter::repeat_n(record, count)).chain([sum]).collect()
    };
    let (came, asked) = sent(&all("+\n", right));
    came.expect("it is taken");
    assert!(asked.starts_with("\x03\n?\n:") && asked.trim_end().ends_with("= 0200 0002"), "{asked}");

    let (came, _) = sent(&["+ board 2 W32\n"]);
    assert!(matches!(&came, Err(SendError::OtherBoard { said, .. }) if said == "board 2 W32"), "{came:?}");
    let (came, _) = sent(&["- busy\n"]);
    assert!(matches!(&came, Err(SendError::NoBoard(said)) if said == "busy"), "{came:?}");
    let (came, _) = sent(&["login: \n"]);
    assert!(matches!(&came, Err(SendError::NoBoard(said)) if said == "login:"), "{came:?}");
    let (came, _) = sent(&all("+\n", "+ 00000000\n"));
    assert!(matches!(came, Err(SendError::Differs { at }) if at.1.0 == 0x200), "{came:?}");
    let (came, _) = sent(&all("+\n", "- no\n"));
    assert!(matches!(came, Err(SendError::Differs { .. })), "{came:?}");
    // A record is sent up to three times.
    let (came, asked) = sent(&[HELLO, "- spoilt\n", "- spoilt\n", "- spoilt\n"]);
    let Err(SendError::Refused { number: 1, record, why }) = came else { panic!("{came:?}") };
    assert_eq!((record.as_str(), why.as_str()), (records.lines().next().expect("a record"), "spoilt"));
    assert_eq!(asked.matches(&record).count(), 3);
    // One that was there already the second time had come though its answer did not.
    let mut answers = vec![HELLO, "- spoilt\n", "- address 0x0200 is given twice\n"];
    answers.extend(std::iter::repeat_n("+\n", count - 1));
    answers.push(right);
    let (came, _) = sent(&answers);
    came.expect("it is there");
    // The first time it is a refusal like any other.
    let (came, _) = sent(&[HELLO, "- address 0x0200 is given twice\n", "- no\n", "- no\n"]);
    assert!(matches!(came, Err(SendError::Refused { number: 1, .. })), "{came:?}");
}

#[test]
fn what_a_program_prints_and_how_it_ended_come_apart_from_each_other() {
    let mut board = Scripted::new(&["+ runs\n"]);
    let mut sender = Sender::new(&mut board);
    sender.start().expect("it runs");
    drop(sender);
    let mut listen = |come: &[u8]| {
        board.back.extend(come);
        let mut sender = Sender::new(&mut board);
        sender.listen().expect("the line holds")
    };
    assert_eq!(listen(b""), (Vec::new(), None));
    assert_eq!(listen(b"axle\x10D"), (b"axle\x04".to_vec(), None));
    assert_eq!(listen(b"last\x04+ ended 12\n"), (b"last".to_vec(), Some(Ended::Status(12))));
    assert_eq!(listen(b"\x04- circling\n").1, Some(Ended::Otherwise("circling".to_owned())));
    assert_eq!(listen(b"\x04+ ended -3\n").1, Some(Ended::Otherwise("ended -3".to_owned())), "no status");
    let mut board = Scripted::new(&["- there is no program\n"]);
    let came = Sender::new(&mut board).start();
    assert!(matches!(&came, Err(SendError::NotRun(why)) if why == "there is no program"), "{came:?}");
}
