//! What a fuzzer calls: any bytes as a program, run and walked both ways, with the checks that must hold for it. The
//! target in `fuzz/` runs it for as long as one likes, a test of this crate for a moment and over the kept corpus.
//!
//! What must hold: no panic; a command arrives in a bounded number of slices; a step of a branch has one state.

use crate::{Command, Progress, Session, State, change_words, explain, read_stack, state_words};
use std::collections::BTreeMap;
use wendax_isa::{Addr, Reg, StepNo};
use wendax_machine::{Event, Machine, Settings};

/// Commands at the front of the data.
const COMMANDS: usize = 24;
/// No walk goes further, so that a moment is enough for many.
const FURTHEST: u64 = 3_000;

/// The first bytes as commands, the rest as a program that begins at the place for code.
pub fn walks(data: &[u8]) {
    let (commands, code) = data.split_at(data.len().min(COMMANDS));
    let Ok(image) = wendax_image::from_raw(code, wendax_isa::target().map.code_start) else { return };
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
