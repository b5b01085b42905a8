//! What a fuzzer calls: any bytes as a program, run and walked both ways, with the checks that must hold for it. The
//! target in `fuzz/` runs it for as long as one likes, a test of this crate for a moment and over the kept corpus. The
//! other doors of this crate likewise: files of events, tallies, stops and shows, exercises.
//!
//! What must hold: no panic; a command arrives in a bounded number of slices; a step of a branch has one state.

use crate::{
    Command, Exercise, Names, Progress, Script, Session, Show, State, StopAt, Tally, Truth, change_words, explain,
    read_stack, state_words,
};
use std::collections::BTreeMap;
use wendax_image::{Symbol, SymbolKind};
use wendax_isa::{Addr, Reg, StepNo};
use wendax_machine::{Event, Machine, Settings};

/// A small program with a handler, a wait for keys, and data, that what comes in is about:
///
/// ```text
/// start: mov r0, tick       main: ldw r1, [0xFF10]     tick: push r1
///        stw [16], r0             tst r1, 1                  mov r1, 7
///        mov r0, 90               jz main                    stw [0xFF24], r1
///        stw [0xFF22], r0         sys get_char               pop r1
///        mov r0, 3                inc r5                     reti
///        stw [0xFF24], r0         stw [total], r5
///        ei                       cmp r5, 40
///                                 jltu main
///                                 halt
/// ```
const YARD: &[u8] = &[
    0x00, 0x20, 0x30, 0x02, 0x0F, 0x71, 0x10, 0x00, 0x00, 0x20, 0x5A, 0x00, 0x0F, 0x71, 0x22, 0xFF, 0x03, 0x30, 0x0F,
    0x71, 0x24, 0xFF, 0x05, 0x00, 0x1F, 0x61, 0x10, 0xFF, 0x11, 0x39, 0xFC, 0x81, 0x20, 0x01, 0x51, 0x31, 0x5F, 0x71,
    0x00, 0x03, 0x50, 0x25, 0x28, 0x00, 0xF5, 0x83, 0x02, 0x00, 0x10, 0x46, 0x17, 0x30, 0x1F, 0x71, 0x24, 0xFF, 0x10,
    0x47, 0x04,
];

const NAMES: [(&str, i64, SymbolKind); 5] = [
    ("start", 0x0200, SymbolKind::Code),
    ("main", 0x0218, SymbolKind::Code),
    ("tick", 0x0230, SymbolKind::Code),
    ("total", 0x0300, SymbolKind::Data),
    ("name", 0x0302, SymbolKind::Data),
];

fn yard() -> Option<Session> {
    let mut bytes = YARD.to_vec();
    bytes.resize(0x0102, 0);
    bytes.extend(b"Ostrey\0");
    let mut image =
        wendax_image::from_raw(wendax_isa::targets()[0], &bytes, wendax_isa::targets()[0].map.code_start).ok()?;
    let span = wendax_source::Span::new(wendax_source::FileId(0), 0, 0);
    let symbol = |(name, value, kind): (&str, i64, SymbolKind)| Symbol {
        name: name.to_owned(),
        value,
        kind,
        span,
        is_global: true,
        bytes: 0,
    };
    image.symbols = NAMES.into_iter().map(symbol).collect();
    let settings = Settings { clock: wendax_machine::Clock::Cycles, ..Settings::default() };
    Some(Session::new(image, settings).with_budget(1 << 20))
}

/// Any text as a file of events: it is told what is wrong with it, or the run it makes is the same at once and in pieces.
pub fn events(data: &[u8]) {
    let (Ok(text), Some(session)) = (std::str::from_utf8(data), yard()) else { return };
    let script = match Script::read(text, &session) {
        Ok(script) => script,
        Err(error) => return assert!(error.line > 0 && error.message.len() < 1000, "{error}"),
    };
    let run = |slice: u64| {
        let mut session = session.clone();
        session.set_script(script.clone());
        session.begin(Command::Seek(StepNo(FURTHEST)));
        for _ in 0..40_000 {
            match session.work(slice) {
                Progress::Working => {}
                Progress::Asks(_) => session.answer(Event::Waited),
                Progress::Arrived if *session.state() == State::Waiting => drop(session.end_input()),
                Progress::Arrived => break,
            }
        }
        session
    };
    let (one, other) = (run(1_000_000), run(50));
    assert!(one.now() == other.now() && one.machine().same_state(other.machine()), "{text}");
    let (missing, all) = one.missing_events();
    assert!(missing.len() <= all);
}

/// Any text as a tally: refused in words, or everything that is made of one can be made of it.
pub fn tallies(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    match Tally::read(text) {
        Ok(tally) => {
            let tables = tally.tables();
            let _ = (tally.to_text(20), tally.to_csv(), tally.to_lcov(str::to_owned), tally.jumps(), tally.steps());
            let both = crate::Comparison::of(&[&tally, &tally]);
            let _ = (both.to_text(20), both.to_csv(), tables.len());
            if let Ok(again) = tally.to_json() {
                assert!(Tally::read(&again).is_ok(), "what was read is written soundly");
            }
        }
        Err(error) => assert!(!error.to_string().is_empty()),
    }
}

/// Any text as an exercise about a program: refused with words, or each question is asked at moments in order, and its own answer is
/// right.
pub fn exercises(data: &[u8]) {
    let (Ok(text), Some(mut session)) = (std::str::from_utf8(data), yard()) else { return };
    let exercise = match Exercise::read(text) {
        Ok(exercise) => exercise,
        Err(why) => return assert!(!why.is_empty() && why.len() < 2000, "{why}"),
    };
    session.type_input(exercise.typed.as_bytes());
    match exercise.asked(&session) {
        Ok(asked) => {
            assert_eq!(asked.len(), exercise.questions.len());
            assert!(asked.windows(2).all(|pair| pair[0].step <= pair[1].step), "{text}");
            for asked in &asked {
                assert!(asked.step < asked.behind, "{text}");
                // A value in words has its signed form beside it; the number stands first.
                let words = asked.words(&session);
                let answer =
                    words.split(' ').next().filter(|_| matches!(asked.truth, Truth::Value(_))).unwrap_or(&words);
                let told = asked.is_right(&session, answer);
                assert!(told == Ok(true) || matches!(asked.truth, Truth::Printed(_)), "{answer}: {told:?}");
            }
        }
        Err((question, why)) => assert!(question < exercise.questions.len() && !why.is_empty()),
    }
}

/// Any text as a stop and as something to be shown: refused with its place, or it can be asked of a run.
pub fn stops(data: &[u8]) {
    let (Ok(text), Some(mut session)) = (std::str::from_utf8(data), yard()) else { return };
    if text.len() > 300 {
        return;
    }
    let image = std::sync::Arc::clone(session.image());
    let names = Names::new(&image, session.machine().target(), image.entry);
    session.type_input(b"axle");
    match Show::read_list(text, &names) {
        Ok(shows) => shows.iter().for_each(|show| {
            show.shown(&session, 3).lines(&show.text, session.machine().target());
        }),
        Err(error) => assert!(error.at <= text.len() && !error.message.is_empty(), "{error:?}"),
    }
    match StopAt::read(text, &names, session.sources()) {
        Ok(stop) => {
            session.set_stops([(crate::StopId(0), stop.clone())]);
            session.begin(Command::Seek(StepNo(400)));
            settle(&mut session);
            while !session.count_meetings(1000) {}
            let counted = session.met_so_far(crate::StopId(0)).map_or(0, |met| met.times);
            assert_eq!(counted, session.times_met(&stop, session.end()), "{text}");
        }
        Err(error) => assert!(error.at <= text.len() && !error.message.is_empty(), "{error:?}"),
    }
}

/// Commands at the front of the data.
const COMMANDS: usize = 24;
/// No walk goes further, so that a moment is enough for many.
const FURTHEST: u64 = 3_000;

/// The first bytes as commands, the rest as a program that begins at the place for code.
pub fn walks(data: &[u8]) {
    let (commands, code) = data.split_at(data.len().min(COMMANDS));
    let Ok(image) = wendax_image::from_raw(wendax_isa::targets()[0], code, wendax_isa::targets()[0].map.code_start)
    else {
        return;
    };
    let mut session = Session::new(image, Settings { seed: 1, ..Settings::default() }).with_budget(1 << 20);
    let mut states: BTreeMap<StepNo, Machine> = BTreeMap::new();
    for pair in commands.chunks(2) {
        let (kind, value) = (pair[0], u32::from(pair.get(1).copied().unwrap_or(0)));
        let now = session.now();
        match kind % 16 {
            0 | 1 => go(&mut session, Command::Step),
            2 => go(&mut session, Command::StepBack),
            3 => go(&mut session, Command::Over),
            4 => go(&mut session, Command::OverBack),
            5 => go(&mut session, Command::Out),
            6 => go(&mut session, Command::OutBack),
            7 => go(&mut session, Command::Line),
            8 => go(&mut session, Command::LineBack),
            9 => go(&mut session, Command::Seek(StepNo(u64::from(value) * 9))),
            10 => go(&mut session, Command::BackTo(vec![Addr(0x0200 + 2 * value)])),
            11 => go(&mut session, Command::GoBack),
            12 => {
                session.set_breakpoints([Addr(0x0200 + 2 * value)]);
                go(&mut session, Command::Go);
            }
            13 => {
                if session.edit(Event::SetRegister(Reg(pair[1] % 14), value.wrapping_mul(0x0101))).is_some() {
                    states.retain(|step, _| *step < now);
                }
            }
            14 => {
                let address = if value % 2 == 0 { value % 32 } else { 0x0200 + value };
                if session.edit(Event::SetByte(Addr(address), value)).is_some() {
                    states.retain(|step, _| *step < now);
                }
            }
            _ => {
                if session.type_input(&[value.to_le_bytes()[0], b'\n']).is_some_and(|dropped| dropped.steps > 0) {
                    states.retain(|step, _| *step <= now);
                }
                settle(&mut session);
            }
        }
        let told = explain(&session);
        assert!(told.sentences.iter().chain(&told.figure).all(|text| text.len() < 1000), "{told:?}");
        let _ = (state_words(&session), read_stack(session.machine(), 40));
        if let Some(change) = session.last_change() {
            let _ = change_words(&session, change);
        }
        match states.get(&session.now()) {
            Some(known) => assert!(known.same_state(session.machine()), "step {} has two states", session.now()),
            None => drop(states.insert(session.now(), session.machine().clone())),
        }
    }
}

fn go(session: &mut Session, command: Command) {
    session.begin(command);
    settle(session);
}

/// Works until the command has arrived, or the walk is far enough.
fn settle(session: &mut Session) {
    for _ in 0..10_000 {
        match session.work(500) {
            Progress::Working if session.now() > StepNo(FURTHEST) && session.now() == session.end() => session.pause(),
            Progress::Working => {}
            Progress::Asks(_) => session.answer(Event::Clock(3)),
            Progress::Arrived => return,
        }
    }
    assert_ne!(*session.state(), State::Running, "a command never arrives");
}
