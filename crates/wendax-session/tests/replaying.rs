//! Runs given what earlier runs were given: counting visits, coming to the same place, and walking by lines.

use proptest::prelude::*;
use wendax_image::Image;
use wendax_machine::{Event, Settings};
use wendax_session::{Command, Outcome, Progress, Replay, Session, State};

fn image(text: &str) -> Image {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
    assembly.image
}

fn session(text: &str) -> Session {
    Session::new(image(text), Settings::default())
}

/// Carries out a command; typed input that is asked for comes from `typed`, one line each time.
fn travel(session: &mut Session, command: Command, typed: &mut Vec<&str>) {
    session.begin(command);
    loop {
        match session.work(1000) {
            Progress::Working => {}
            Progress::Asks(_) => session.answer(Event::Clock(77)),
            Progress::Arrived if *session.state() == State::Waiting && !typed.is_empty() => {
                session.type_input(typed.remove(0).as_bytes());
            }
            Progress::Arrived => return,
        }
    }
}

fn label(session: &Session, name: &str) -> u32 {
    u32::try_from(session.image().symbol(name).expect("the label is there").value).expect("an address")
}

fn finish(mut replay: Replay) -> (Outcome, Session) {
    loop {
        if let Some(outcome) = replay.work(50) {
            return (outcome, replay.into_session());
        }
    }
}

/// Reads numbers and adds them up, at `added`.
const SUMMING: &str = "start:  clr   r6\nnext:   sys   get_int\n        jc    done\nadded:  add   r6, r0\n        jmp   next\ndone:   mov   r0, r6\n        sys   exit\n";

#[test]
fn visits_count_the_present_moment_and_every_one_before() {
    let mut walk = session(SUMMING);
    let added = label(&walk, "added");
    assert_eq!(walk.visits(label(&walk, "start")), Some(1));
    assert_eq!(walk.visits(added), Some(0));
    walk.set_breakpoints([added]);
    let mut typed = vec!["5\n", "6\n", "7\n"];
    for wanted in 1..=3 {
        travel(&mut walk, Command::Go, &mut typed);
        assert_eq!(walk.visits(added), Some(wanted));
    }
    travel(&mut walk, Command::GoBack, &mut typed);
    travel(&mut walk, Command::GoBack, &mut typed);
    assert_eq!(walk.visits(added), Some(2), "the future does not count");
    assert_eq!(walk.visits(0x0300), Some(0));
}

#[test]
fn the_same_program_comes_to_the_same_state() {
    let mut walk = session(SUMMING);
    let added = label(&walk, "added");
    walk.set_breakpoints([added]);
    let mut typed = vec!["5\n", "6\n", "7\n"];
    travel(&mut walk, Command::Go, &mut typed);
    travel(&mut walk, Command::Go, &mut typed);
    let visits = walk.visits(added).expect("it is short");
    let (outcome, again) = finish(Replay::new(&walk, walk.image().clone(), Settings::default(), added, visits));
    assert_eq!(outcome, Outcome::There);
    assert_eq!((again.now(), again.machine().pc()), (walk.now(), walk.machine().pc()));
    for register in 0..14 {
        assert_eq!(again.machine().register(register), walk.machine().register(register));
    }
}

#[test]
fn another_program_gets_the_same_input_and_what_it_did_not_take_is_still_to_come() {
    let mut walk = session(SUMMING);
    let added = label(&walk, "added");
    walk.set_breakpoints([added]);
    travel(&mut walk, Command::Go, &mut vec!["5\n"]);
    travel(&mut walk, Command::Go, &mut vec!["6\n"]);
    let twice = image(&SUMMING.replace("clr   r6", "mov   r6, 1000\n nop"));
    let place = u32::try_from(twice.symbol("added").expect("it is there").value).expect("an address");
    let (outcome, mut again) = finish(Replay::new(&walk, twice, Settings::default(), place, 2));
    assert_eq!((outcome, again.machine().register(6)), (Outcome::There, 1005));
    travel(&mut again, Command::Go, &mut vec![]);
    assert_eq!(*again.state(), State::Waiting, "all that was typed has been read");
    again.end_input();
    travel(&mut again, Command::Go, &mut vec![]);
    assert_eq!(*again.state(), State::Finished(1011));
}

#[test]
fn a_program_that_ends_or_waits_before_is_elsewhere() {
    let mut walk = session(SUMMING);
    let added = label(&walk, "added");
    walk.set_breakpoints([added]);
    travel(&mut walk, Command::Go, &mut vec!["5\n"]);
    let ends = image("start: sys get_int\nadded: mov r0, 3\n sys exit\n");
    let (outcome, again) = finish(Replay::new(&walk, ends, Settings::default(), 0x0206, 1));
    assert_eq!((outcome, again.state()), (Outcome::Elsewhere, &State::Finished(3)));
    let asks = image("start: sys get_int\n sys get_int\nadded: halt\n");
    let (outcome, again) = finish(Replay::new(&walk, asks, Settings::default(), 0x0204, 1));
    assert_eq!((outcome, again.state()), (Outcome::Elsewhere, &State::Waiting));
    let fails = image("start: div r1, r2\n halt\n");
    let (outcome, again) = finish(Replay::new(&walk, fails, Settings::default(), 0x0202, 1));
    assert!(matches!((outcome, again.state()), (Outcome::Elsewhere, State::Fault(_))));
}

#[test]
fn time_is_told_as_it_was_and_changes_by_hand_are_left_out() {
    let mut walk = session("start: sys clock_ms\n mov r6, r0\nthere: nop\n halt\n");
    let there = label(&walk, "there");
    travel(&mut walk, Command::To(vec![there]), &mut vec![]);
    assert!(walk.edit(Event::SetRegister(5, 9)));
    assert_eq!(walk.edits(), 1);
    let (_, again) = finish(Replay::new(&walk, walk.image().clone(), Settings::default(), there, 1));
    assert_eq!((again.machine().register(6), again.machine().register(5)), (77, 0));
}

#[test]
fn a_line_is_stepped_with_all_it_became_and_all_it_calls() {
    let text = ".macro BOTH a\n inc {a}\n call out\n inc {a}\n.endmacro\nstart: BOTH r1\n nop\n BOTH r2\n halt\nout: inc r9\n ret\n";
    let mut walk = session(text);
    let line = |walk: &Session| walk.image().line_at(walk.machine().pc()).map(|line| line.line);
    let mut lines = vec![line(&walk)];
    for _ in 0..3 {
        travel(&mut walk, Command::Line, &mut vec![]);
        lines.push(line(&walk));
    }
    assert_eq!(lines, [Some(6), Some(7), Some(8), Some(9)]);
    for wanted in [8, 7, 6] {
        travel(&mut walk, Command::LineBack, &mut vec![]);
        assert_eq!(line(&walk), Some(wanted));
    }
    assert_eq!(walk.now(), 0, "back at the first instruction of the line");
    travel(&mut walk, Command::Step, &mut vec![]);
    travel(&mut walk, Command::Step, &mut vec![]);
    assert_eq!(line(&walk), Some(10), "by instruction the way leads into what is called");
    walk.set_breakpoints([label(&walk, "out") + 2]);
    travel(&mut walk, Command::Seek(0), &mut vec![]);
    travel(&mut walk, Command::Line, &mut vec![]);
    assert_eq!(line(&walk), Some(11), "a breakpoint inside stops all the same");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    /// Counting by replaying agrees with counting step by step.
    #[test]
    fn visits_agree_with_counting(steps in 0u64..120, count in 1u16..9, inner in 1u16..6) {
        let text = format!("start: mov r1, {count}\nouter: mov r2, {inner}\ninner: djnz r2, inner\n call out\n djnz r1, outer\n halt\nout: nop\n ret\n");
        let mut walk = session(&text);
        let mut seen = std::collections::BTreeMap::new();
        *seen.entry(walk.machine().pc()).or_insert(0u64) += 1;
        for _ in 0..steps {
            let before = walk.now();
            travel(&mut walk, Command::Step, &mut vec![]);
            if walk.now() > before && !matches!(walk.state(), State::Finished(_)) {
                *seen.entry(walk.machine().pc()).or_insert(0) += 1;
            }
        }
        if !matches!(walk.state(), State::Finished(_)) {
            for name in ["start", "outer", "inner", "out"] {
                let address = label(&walk, name);
                prop_assert_eq!(walk.visits(address), Some(seen.get(&address).copied().unwrap_or(0)), "{} in {}", name, text);
            }
        }
    }
}
