//! What comes from outside a run and what goes there: files, levers, tones, events of a file.

use proptest::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;
use wendax_isa::{Addr, Reg, StepNo};
use wendax_machine::{Clock, Event, Found, Need, Settings};
use wendax_session::{
    Apart, Command, Outcome, Progress, Record, Replay, Saving, Script, Session, State, TrailForm, TrailText,
    change_words,
};

fn session(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("case.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
    let settings = Settings { has_folder: true, clock: Clock::Cycles, ..Settings::default() };
    Session::new(assembly.image, settings).with_sources(sources).keeping_moments_each(super::SPAN)
}

type Disk = BTreeMap<Arc<str>, Vec<u8>>;

/// Carries a command through; files are found on the disk.
fn go(session: &mut Session, disk: &Disk, command: Command) {
    session.begin(command);
    for _ in 0..100_000 {
        match session.work(500) {
            Progress::Working => {}
            Progress::Asks(Need::File) => {
                let path = session.machine().wanted_file().expect("a file is asked for");
                let found = disk.get(&path).map_or(Found::Nothing, |bytes| Found::Bytes(bytes.clone().into()));
                session.answer(Event::File(path, found));
            }
            Progress::Asks(_) => session.answer(Event::Waited),
            Progress::Arrived if *session.state() == State::Waiting => {
                session.end_input();
            }
            Progress::Arrived => return,
        }
    }
    panic!("it never arrives");
}

const LINES: [&str; 16] = [
    "mov r0, one\n mov r1, 0\n sys file_open\n mov r6, r0",
    "mov r0, one\n mov r1, 1\n sys file_open\n mov r6, r0",
    "mov r0, two\n mov r1, {n}\n sys file_open\n mov r7, r0",
    "mov r0, r6\n mov r1, data\n mov r2, {n}\n sys file_read",
    "mov r0, r7\n mov r1, data\n mov r2, {n}\n sys file_write",
    "mov r0, r6\n mov r1, data\n mov r2, {n}\n sys file_write",
    "mov r0, r7\n mov r1, {n}\n sys file_seek",
    "mov r0, r6\n sys file_close",
    "mov r0, r7\n sys file_close",
    "ldw r3, [0xFF32]\n stw [0xFF30], r3",
    "inc r4\n stb [data + {n}], r4",
    "mov r0, 440\n mov r1, {n}\n sys tone",
    "mov r0, 700\n stw [0xFF22], r0\n mov r0, 3\n stw [0xFF24], r0\n ei",
    "mov r5, {n}0\nw{i}: djnz r5, w{i}",
    "ldw r3, [0xFF10]\n ldw r4, [0xFF12]",
    "stw [0xFF34], r3",
];

/// The same for RV32.
const LINES_RV32: [&str; 16] = [
    "la a0, one\n li a1, 0\n sys file_open\n mv s6, a0",
    "la a0, one\n li a1, 1\n sys file_open\n mv s6, a0",
    "la a0, two\n li a1, {n}\n sys file_open\n mv s7, a0",
    "mv a0, s6\n la a1, data\n li a2, {n}\n sys file_read",
    "mv a0, s7\n la a1, data\n li a2, {n}\n sys file_write",
    "li a7, 64\n mv a0, s6\n la a1, data\n li a2, {n}\n ecall",
    "mv a0, s7\n li a1, {n}\n sys file_seek",
    "mv a0, s6\n sys file_close",
    "li a7, 57\n mv a0, s7\n ecall",
    "lw a3, -412(zero)\n sw a3, -416(zero)",
    "addi a4, a4, 1\n la t0, data\n sb a4, {n}(t0)",
    "li a0, 440\n li a1, {n}\n sys tone",
    "li a0, 700\n sw a0, -444(zero)\n li a0, 3\n sw a0, -440(zero)\n csrsi mstatus, 8",
    "li a5, {n}0\nw{i}: addi a5, a5, -1\n bgtz a5, w{i}",
    "lw a3, -480(zero)\n lw a4, -476(zero)",
    "sw a3, -408(zero)\n csrw mtvec, zero",
];

/// A program for either machine.
fn program_for(is_rv32: bool, lines: &[(usize, u8)]) -> String {
    if !is_rv32 {
        return program(lines);
    }
    let mut text = ".target rv32\n_start: li a0, 0x7000000\n csrw mie, a0\n".to_owned();
    for (index, (line, n)) in lines.iter().enumerate() {
        let line = LINES_RV32[*line].replace("{n}", &n.to_string()).replace("{i}", &index.to_string());
        text.push_str(&format!(" {line}\n"));
        // From the third on interrupts have a handler, until one of the lines takes it away: then the host serves calls.
        if index == 2 && n % 2 == 0 {
            text.push_str(" la t0, handler\n csrw mtvec, t0\n");
        }
    }
    text + " sys exit\nhandler: csrrw t0, mcause, zero\n bltz t0, 1f\n csrr t0, mepc\n addi t0, t0, 4\n csrw mepc, t0\n\
            1: lw t0, -412(zero)\n li t0, 7\n sw t0, -440(zero)\n addi s9, s9, 1\n mret\n.data\none: .asciz \"one\"\n\
            two: .asciz \"two\"\ndata: .ascii \"abcdefghij\"\n .space 20\n"
}

fn program(lines: &[(usize, u8)]) -> String {
    let mut text = "start: mov r0, tick\n stw [16], r0\n mov r0, lever\n stw [20], r0\n".to_owned();
    for (index, (line, n)) in lines.iter().enumerate() {
        let line = LINES[*line].replace("{n}", &n.to_string()).replace("{i}", &index.to_string());
        text.push_str(&format!(" {line}\n"));
    }
    text + " djnz r8, start2\nstart2: sys exit\ntick: push r0\n mov r0, 7\n stw [0xFF24], r0\n inc r9\n pop r0\n reti\n\
            lever: inc r10\n reti\n.data\none: .asciz \"one\"\ntwo: .asciz \"two\"\ndata: .ascii \"abcdefghij\"\n .space 20\n"
}

/// Something a person does at a step.
fn any_acts() -> impl Strategy<Value = Vec<(u64, u8, u32)>> {
    proptest::collection::vec((0u64..300, 0u8..3, 0u32..16), 0..8)
}

fn act(session: &mut Session, kind: u8, value: u32) {
    match kind {
        0 => drop(session.move_levers(value)),
        1 => drop(session.type_input(&[b'a' + u8::try_from(value).unwrap_or(0)])),
        _ => {}
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if super::SPAN < 100 { 100 } else { 50 }))]

    /// Back and on: the same machine, files and board at every step, whatever was done when; and nobody asks the disk again.
    #[test]
    fn back_and_on_gives_the_same_files_and_board(
        is_rv32 in any::<bool>(),
        lines in proptest::collection::vec((0..LINES.len(), 0u8..10), 3..30), acts in any_acts(),
        visits in proptest::collection::vec(0u64..400, 1..6),
    ) {
        let disk = Disk::from([("one".into(), b"wagons".to_vec())]);
        let mut acts = acts;
        acts.sort_unstable();
        let mut session = session(&program_for(is_rv32, &lines));
        for (step, kind, value) in acts {
            go(&mut session, &disk, Command::Seek(StepNo(step)));
            act(&mut session, kind, value);
        }
        go(&mut session, &disk, Command::Seek(StepNo(400)));
        let end = session.end();
        // A second way through the same branch, step by step, sees each state.
        let mut slow = session.clone();
        go(&mut slow, &Disk::new(), Command::Seek(StepNo(0)));
        let mut states = vec![slow.machine().clone()];
        while slow.now() < end {
            go(&mut slow, &Disk::new(), Command::Step);
            states.push(slow.machine().clone());
        }
        prop_assert_eq!(slow.end(), end);
        for visit in visits {
            go(&mut session, &Disk::new(), Command::Seek(StepNo(visit.min(end.0))));
            let wanted = &states[usize::try_from(session.now().0).unwrap()];
            prop_assert!(session.machine().same_state(wanted), "at {}", session.now());
            prop_assert_eq!(session.machine().files(), wanted.files());
        }
    }

    /// A walk that was written down and is taken up again is the same one, wherever it stood and whatever was done in it;
    /// and what became another text on the way is refused or walked, never a panic.
    #[test]
    fn a_walk_written_down_is_taken_up_again(
        is_rv32 in any::<bool>(),
        lines in proptest::collection::vec((0..LINES.len(), 0u8..10), 3..30),
        acts in proptest::collection::vec((0u64..300, 0u8..5, 0u32..16), 0..8),
        stands in 0u64..500, slice in 1u64..90, damage in (any::<prop::sample::Index>(), 0u8..10),
    ) {
        let disk = Disk::from([("one".into(), b"wagons".to_vec())]);
        let text = program_for(is_rv32, &lines);
        let mut first = session(&text);
        let data = first.image().symbol("data").expect("it is there").address().expect("an address");
        let mut acts = acts;
        acts.sort_unstable();
        for (step, kind, value) in acts {
            go(&mut first, &disk, Command::Seek(StepNo(step)));
            match kind {
                3 => drop(first.edit(Event::SetRegister(Reg::at(value as usize % 13), value * 77))),
                4 => drop(first.edit(Event::SetByte(Addr(data.0 + value), value))),
                kind => act(&mut first, kind, value),
            }
        }
        go(&mut first, &disk, Command::Seek(StepNo(500)));
        let stands = StepNo(stands).min(first.end());
        go(&mut first, &Disk::new(), Command::Seek(stands));
        let Some(record) = Record::of(&first) else { return Ok(()) };
        let json = serde_json::to_string(&record).expect("it is written");
        let read: Record = serde_json::from_str(&json).expect("it is read");
        prop_assert_eq!(&read, &record);
        let mut replay = Replay::repeat(session(&text), read).expect("it is of this program");
        let outcome = std::iter::repeat_with(|| replay.work(slice)).flatten().next().expect("it ends");
        prop_assert_eq!(outcome, Outcome::There, "{}", json);
        let mut second = replay.into_session();
        prop_assert_eq!((second.now(), second.end()), (first.now(), first.end()));
        prop_assert!(second.machine().same_state(first.machine()), "{}\n{}", json, text);
        prop_assert_eq!(second.edits(), first.edits());
        for session in [&mut first, &mut second] {
            let end = session.end();
            go(session, &Disk::new(), Command::Seek(end));
        }
        prop_assert!(second.machine().same_state(first.machine()), "{}", json);
        prop_assert_eq!(second.machine().files(), first.machine().files());
        prop_assert_eq!(second.console(), first.console());
        prop_assert_eq!(second.tones(), first.tones());
        let trail = |session: &Session| TrailText::new(session, TrailForm::Text, None).follow(session).to_owned();
        prop_assert_eq!(trail(&first), trail(&second));
        // Another program, and a damaged record.
        prop_assert!(Replay::repeat(session("start: halt\n"), record).is_none());
        let (at, digit) = damage;
        let digits: Vec<usize> = json.match_indices(|sign: char| sign.is_ascii_digit()).map(|(at, _)| at).collect();
        let mut damaged = json.into_bytes();
        damaged[digits[at.index(digits.len())]] = b'0' + digit;
        if let Ok(record) = serde_json::from_slice::<Record>(&damaged)
            && let Some(mut replay) = Replay::repeat(session(&text), record)
        {
            for _ in 0..100 {
                if replay.work(100).is_some() {
                    break;
                }
            }
        }
    }

    /// What happened, saved as a file of events and played to the same program, gives the same run.
    #[test]
    fn events_saved_and_played_again_make_the_same_run(
        is_rv32 in any::<bool>(),
        lines in proptest::collection::vec((0..LINES.len(), 0u8..10), 3..30), acts in any_acts(),
    ) {
        let disk = Disk::from([("one".into(), b"wagons".to_vec())]);
        let text = program_for(is_rv32, &lines);
        let mut first = session(&text);
        let mut acts = acts;
        acts.sort_unstable();
        for (step, kind, value) in acts {
            go(&mut first, &disk, Command::Seek(StepNo(step)));
            act(&mut first, kind, value);
        }
        go(&mut first, &disk, Command::Seek(StepNo(500)));
        let mut saving = Saving::new(&first).expect("its beginning is kept");
        while !saving.work(&first, 70) {}
        let events = saving.text().to_owned();
        let mut second = session(&text);
        let script = Script::read(&events, &second).unwrap_or_else(|error| panic!("{error}\n{events}"));
        second.set_script(script);
        let end = first.now();
        go(&mut second, &disk, Command::Seek(end));
        prop_assert_eq!(second.now(), end, "{}", events);
        prop_assert!(second.machine().same_state(first.machine()), "{}\n{}", events, text);
        // Byte for byte, step by step.
        let trail = |session: &Session| TrailText::new(session, TrailForm::Text, None).follow(session).to_owned();
        prop_assert_eq!(trail(&first), trail(&second), "{}", events);
        prop_assert_eq!(second.missing_events().0, Vec::<usize>::new(), "{}", events);
        // Going back into the middle and on gives it again, from the log.
        go(&mut second, &Disk::new(), Command::Seek(StepNo(end.0 / 2)));
        go(&mut second, &Disk::new(), Command::Seek(end));
        prop_assert!(second.machine().same_state(first.machine()));
    }
}

const COPY: &str = "start: mov r0, from\n mov r1, 0\n sys file_open\n mov r6, r0\n mov r1, buffer\n mov r2, 16\n\
    sys file_read\n mov r8, r0\n mov r0, to\n mov r1, 1\n sys file_open\n mov r7, r0\n mov r1, buffer\n mov r2, r8\n\
    sys file_write\n mov r0, r7\n sys file_close\n sys exit\n\
    .data\nfrom: .asciz \"list.txt\"\nto: .asciz \"out/report.txt\"\nbuffer: .space 16\n";

#[test]
fn a_room_is_judged_by_what_comes_and_not_by_what_may_come() {
    // The room is the last 8 bytes below the end of the stack, behind which nothing may be written.
    let text = "start: mov r0, from\n clr r1\n sys file_open\n mov r1, ROOM\n mov r2, 400\n sys file_read\n \
                mov r6, r0\n push fl\n pop r7\n mov r0, ROOM\n mov r1, 400\n sys get_line\n mov r8, r0\n clr r0\n sys exit\n \
                .equ ROOM, 0xFDF8\n.data\nfrom: .asciz \"list.txt\"\n";
    for (length, is_read) in [(0, true), (6, true), (8, true), (9, false), (400, false), (500, false)] {
        let disk = Disk::from([("list.txt".into(), vec![b'x'; length])]);
        let mut session = session(text);
        session.type_input(&[vec![b'y'; length], b"\n".to_vec()].concat());
        go(&mut session, &disk, Command::Go);
        let register = |number| session.machine().register(Reg(number));
        let came = u32::try_from(length.min(400)).unwrap();
        assert_eq!((register(6), register(7) & 1 == 0), if is_read { (came, true) } else { (2, false) }, "{length}");
        // A line has a NUL more.
        let line = if length < 8 { came } else { 2 };
        assert_eq!(register(8), line, "{length}");
    }
}

#[test]
fn a_file_is_read_once_written_whole_and_told_in_words() {
    let disk = Disk::from([("list.txt".into(), b"coal 12\nore 7\n".to_vec())]);
    let mut session = session(COPY);
    let mut told = Vec::new();
    while !matches!(session.state(), State::Finished(_)) {
        go(&mut session, &disk, Command::Step);
        let last = session.last_step().expect("a step was taken");
        told.extend(change_words(&session, last).into_iter().filter(|words| words.contains(".txt")));
    }
    assert_eq!(
        told,
        [
            "list.txt opened to be read",
            "14 bytes read from list.txt at 0",
            "out/report.txt opened to be written anew",
            "14 bytes written to out/report.txt at 0",
            "out/report.txt closed",
        ]
    );
    // A stride over all of it tells of the same files, and so do strides over parts.
    let stride = |session: &mut Session, to: u64| {
        go(session, &disk, Command::Seek(StepNo(to)));
        let words = change_words(session, session.last_change().expect("something was done"));
        words.into_iter().filter(|words| words.contains(".txt")).collect::<Vec<_>>()
    };
    let end = session.now().0;
    let opened = (0..end).find(|&step| {
        go(&mut session, &Disk::new(), Command::Seek(StepNo(step)));
        session.machine().files().open().count() == 2
    });
    let opened = opened.expect("both are open at some step");
    go(&mut session, &disk, Command::Seek(StepNo(end)));
    let mut fresh = self::session(COPY);
    assert_eq!(stride(&mut fresh, opened), ["list.txt opened", "out/report.txt written: it has 0 bytes"]);
    assert_eq!(stride(&mut fresh, end), ["list.txt closed", "out/report.txt written: it has 14 bytes"]);
    let kept: Vec<_> = session.machine().files().to_keep().map(|(path, bytes)| (&**path, bytes.as_slice())).collect();
    assert_eq!(kept, [("out/report.txt", &b"coal 12\nore 7\n"[..])]);
    // Two moments beside each other tell what the file holds at each; two runs where they differ.
    let rows = |apart: &Apart| {
        let files = apart.rows().iter().filter(|row| row.name.contains(".txt")).cloned();
        files.map(|row| (row.name, row.was, row.now)).collect::<Vec<_>>()
    };
    let row = |name: &str, was: &str, now: &str| (name.to_owned(), was.to_owned(), now.to_owned());
    let told = rows(&Apart::between(&session, StepNo(opened), StepNo(end)).expect("both are kept"));
    let now = "14 bytes, line 1: \"coal 12\"";
    assert_eq!(told[1..], [row("out/report.txt", "0 bytes: it ends before line 1", now)]);
    let disk = Disk::from([("list.txt".into(), b"coal 12\nsalt 9\n".to_vec())]);
    let mut other = self::session(COPY);
    go(&mut other, &disk, Command::Go);
    let told = rows(&Apart::across(&session, session.end(), &other, other.end()).expect("both are kept"));
    let (was, now) = ("15 bytes, line 2: \"salt 9\"", "14 bytes, line 2: \"ore 7\"");
    assert!(told.contains(&row("out/report.txt", was, now)), "{told:?}");
    // Before it was closed nothing is to be kept, and the folder is not asked again.
    go(&mut session, &Disk::new(), Command::Seek(StepNo(15)));
    assert_eq!(session.machine().files().to_keep().count(), 0);
    assert!(session.machine().files().get("out/report.txt").unwrap().is_unfinished());
}

const LAMPS: &str = "start: mov r0, moved\n stw [20], r0\n mov r0, 0xFFFF\n stw [0xFF34], r0\n ei\nmain: inc r5\n jmp main\n\
                     moved: ldw r1, [0xFF32]\n stw [0xFF30], r1\n reti\n";

#[test]
fn levers_are_moved_while_it_runs_and_in_the_past() {
    let mut session = session(LAMPS);
    session.begin(Command::Seek(StepNo(100_000)));
    session.work(1000);
    assert!(session.is_running() && session.move_levers(5).is_some());
    let moved = session.now();
    while session.work(1000) == Progress::Working {}
    assert_eq!((session.machine().board().lamps, session.now()), (5, StepNo(100_000)));
    go(&mut session, &Disk::new(), Command::Seek(moved));
    assert_eq!((session.machine().board().levers, session.machine().board().lamps), (5, 0), "seen before it is taken");
    go(&mut session, &Disk::new(), Command::StepBack);
    assert_eq!(session.machine().board().levers, 0, "as it was");
    let dropped = session.move_levers(2).expect("the past can be changed");
    assert!(dropped.steps > 90_000 && dropped.edits == 1);
    go(&mut session, &Disk::new(), Command::Seek(moved + 50));
    assert_eq!(session.machine().board().lamps, 2);
}

#[test]
fn events_come_at_their_cycle_step_or_so_many_cycles_behind_a_place() {
    let mut session = session(LAMPS);
    let text = "{\"cycle\": 500, \"lever\": 3, \"up\": true}\n\n\
                {\"place\": \"main\", \"time\": 200, \"after\": 7, \"lever\": 0, \"up\": true, \"bounce\": {\"times\": 2, \"apart\": 40}}\n\
                {\"step\": 2000, \"levers\": 1, \"note\": \"all but one down\"}\n";
    session.set_script(Script::read(text, &session).expect("it is right"));
    let mut lamps = vec![(0, 0)];
    for step in 1..2100 {
        go(&mut session, &Disk::new(), Command::Step);
        assert_eq!(session.now(), StepNo(step));
        let now = session.machine().board().lamps;
        if lamps.last().is_none_or(|(_, last)| *last != now) {
            lamps.push((step, now));
        }
    }
    assert_eq!(lamps.iter().map(|(_, lamps)| *lamps).collect::<Vec<_>>(), [0, 8, 9, 8, 9, 8, 9, 1], "{lamps:?}");
    // At once the same comes of it.
    let mut fast = self::session(LAMPS);
    fast.set_script(Script::read(text, &fast).expect("it is right"));
    go(&mut fast, &Disk::new(), Command::Seek(StepNo(2099)));
    assert!(fast.machine().same_state(session.machine()));
    // A new branch gets what comes behind its beginning.
    go(&mut fast, &Disk::new(), Command::Seek(StepNo(300)));
    fast.edit(Event::SetRegister(Reg(5), 9));
    go(&mut fast, &Disk::new(), Command::Seek(StepNo(2099)));
    assert_eq!(fast.machine().board().lamps, 1);
}

#[test]
fn what_is_due_behind_a_place_comes_though_something_else_came_as_that_arrived() {
    // A key comes at the moment at which `second` arrives for that time, and so many cycles behind it a lever, which
    // interrupts: the same by cycles behind places as by steps.
    const TEXT: &str = "start: mov r0, handler\n stw [20], r0\n mov r0, 5\n stw [0xFF22], r0\n mov r0, 3\n \
        stw [0xFF24], r0\n mov r0, 0x5555\n stw [0xFF34], r0\n ei\nround: ldw r0, [data]\n mov r0, 0\n\
        first: ldw r0, [data]\nsecond: mov r0, 0\n jmp round\nhandler: reti\n.data\ndata: .word 0\n";
    let trail = |events: &str| {
        let mut session = session(TEXT);
        session.set_script(Script::read(events, &session).expect("it is right"));
        go(&mut session, &Disk::new(), Command::Seek(StepNo(700)));
        TrailText::new(&session, TrailForm::JsonLines, None).follow(&session).to_owned()
    };
    // Nine steps lead there, a round takes five.
    let by_step = trail("{\"step\": 652, \"text\": \"k\"}\n{\"step\": 653, \"levers\": 1}\n");
    let by_place = trail(
        "{\"place\": \"first\", \"time\": 129, \"after\": 3, \"text\": \"k\"}\n\
         {\"place\": \"second\", \"time\": 129, \"after\": 1, \"levers\": 1}\n",
    );
    assert_eq!(by_step, by_place);
    assert!(by_step.lines().nth(653).is_some_and(|row| row.contains("interrupt lever")), "{by_step}");
}

#[test]
fn two_texts_at_one_moment_are_both_there_when_they_are_played_again() {
    // The character is asked for, and there are two: the second one is polled.
    let text = "start: nop\nagain: sys get_char\n ldw r2, [0xFF12]\n sys get_char\n halt\n";
    let run = |events: &str| {
        let mut session = session(text);
        session.set_script(Script::read(events, &session).expect("it is right"));
        go(&mut session, &Disk::new(), Command::Go);
        session
    };
    let first =
        run("{\"step\": 1, \"text\": \"a\"}\n{\"step\": 1, \"text\": \"b\"}\n{\"asked\": true, \"text\": \"c\"}\n");
    assert_eq!(first.machine().register(Reg(2)), u32::from(b'b'));
    let mut saving = Saving::new(&first).expect("its beginning is kept");
    while !saving.work(&first, 1000) {}
    let again = run(saving.text());
    assert!(again.machine().same_state(first.machine()), "{}", saving.text());
    assert_eq!(saving.text().matches("asked").count(), 1, "what came alone comes when it is asked: {}", saving.text());
}

#[test]
fn files_of_events_say_what_is_wrong_with_them() {
    let session = session(LAMPS);
    for (text, wanted) in [
        ("{\"cycle\": 5}", "line 1: a line needs one thing that comes"),
        ("{\"text\": \"x\"}", "line 1: a line needs one moment"),
        ("{\"cycle\": 5, \"step\": 6, \"text\": \"x\"}", "one moment"),
        ("\n{\"cycle\": 5, \"lever\": 16, \"up\": true}", "line 2: \"lever\" is a whole number from 0 to 15"),
        ("{\"cycle\": 5, \"lever\": 1}", "a lever needs \"up\""),
        ("{\"place\": \"nowhere\", \"levers\": 1}", "nowhere"),
        ("{\"place\": \"change r1\", \"levers\": 1}", "a place is a label"),
        ("{\"cycle\": 5, \"tezt\": \"x\"}", "there is no member \"tezt\""),
        ("cycle 5", "each line is one JSON object"),
        ("{\"step\": 5, \"after\": 3, \"levers\": 1}", "belong to a \"place\""),
        ("{\"cycle\": 1, \"levers\": 65536}", "from 0 to 65535"),
    ] {
        let error = Script::read(text, &session).expect_err(text).to_string();
        assert!(error.contains(wanted), "{text}: {error}");
    }
}

#[test]
fn tones_are_kept_with_the_branch_in_the_programs_own_time() {
    let text = "start: mov r0, 440\n mov r1, 200\n sys tone\n mov r0, 50\n sys wait_ms\n mov r0, 523\n mov r1, 100\n sys tone\n sys exit\n";
    let mut session = session(text);
    go(&mut session, &Disk::new(), Command::Go);
    let tones: Vec<_> = session.tones().iter().map(|tone| (tone.at / 1000, tone.hertz, tone.milliseconds)).collect();
    assert_eq!(tones, [(0, 440, 200), (250, 523, 100)]);
    go(&mut session, &Disk::new(), Command::Seek(StepNo(3)));
    let words = change_words(&session, session.last_step().expect("a step"));
    assert!(words.contains(&"sounded 440 Hz (A4) for 200 ms".to_owned()), "{words:?}");
    assert_eq!(session.tones().len(), 2, "going back makes none and forgets none");
    session.edit(Event::SetRegister(Reg(5), 9));
    assert_eq!(session.tones().len(), 1, "a new branch has not made the second yet");
}

#[test]
fn a_stride_tells_how_many_tones_it_made() {
    let mut session =
        session("start: mov r7, 3\nnext: mov r0, 440\n mov r1, 5\n sys tone\n djnz r7, next\n sys exit\n");
    go(&mut session, &Disk::new(), Command::Seek(StepNo(13)));
    let words = change_words(&session, session.last_change().expect("something was done"));
    assert!(words.contains(&"3 tones".to_owned()), "{words:?}");
    go(&mut session, &Disk::new(), Command::Seek(StepNo(3)));
    go(&mut session, &Disk::new(), Command::Step);
    let words = change_words(&session, session.last_change().expect("a step was taken"));
    assert!(words.iter().any(|words| words.starts_with("sounded 440 Hz")), "{words:?}");
}
