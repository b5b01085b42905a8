//! Runs given what earlier runs were given: counting visits, coming to the same place, and walking by lines.

use proptest::prelude::*;
use std::collections::BTreeMap;
use wendax_image::Image;
use wendax_image::Symbol;
use wendax_machine::{Addr, Reg, StepNo};
use wendax_machine::{Event, Settings};
use wendax_session::{Command, Outcome, Progress, Replay, Session, State, Version};

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

fn label(session: &Session, name: &str) -> Addr {
    session.image().symbol(name).and_then(Symbol::address).expect("the label is there")
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

/// A version in which instructions have moved like this, and all others are where they were.
fn version(image: &Image, moved: &[(u32, u32)]) -> Version {
    let mut places: BTreeMap<Addr, Addr> = (0x0200..0x0300).step_by(2).map(|at| (Addr(at), Addr(at))).collect();
    places.extend(moved.iter().map(|&(from, to)| (Addr(from), Addr(to))));
    let (image, sources) = (image.clone(), wendax_source::Sources::new());
    Version { image, sources, settings: Settings::default(), moved: places }
}

fn again(walk: &Session, version: Version) -> (Outcome, Session) {
    finish(Replay::new(walk, version).expect("the past is kept"))
}

#[test]
fn the_same_program_comes_to_the_same_state() {
    let mut walk = session(SUMMING);
    let added = label(&walk, "added");
    walk.set_breakpoints([added]);
    let mut typed = vec!["5\n", "6\n", "7\n"];
    travel(&mut walk, Command::Go, &mut typed);
    travel(&mut walk, Command::Go, &mut typed);
    let (outcome, again) = again(&walk, version(walk.image(), &[]));
    assert_eq!(outcome, Outcome::There);
    assert_eq!((again.now(), again.machine().pc()), (walk.now(), walk.machine().pc()));
    for register in 0..14 {
        assert_eq!(again.machine().register(Reg(register)), walk.machine().register(Reg(register)));
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
    let (outcome, mut again) = again(&walk, version(&twice, &[(added.0, place)]));
    assert_eq!((outcome, again.machine().register(Reg(6))), (Outcome::There, 1005));
    travel(&mut again, Command::Go, &mut vec![]);
    assert_eq!(*again.state(), State::Waiting, "all that was typed has been read");
    again.end_input();
    travel(&mut again, Command::Go, &mut vec![]);
    assert_eq!(*again.state(), State::Finished(1011));
}

#[test]
fn input_typed_behind_the_place_is_typed_again_too() {
    let mut walk = session(SUMMING);
    travel(&mut walk, Command::Go, &mut vec!["5\n", "6\n"]);
    walk.end_input();
    travel(&mut walk, Command::Go, &mut vec![]);
    assert_eq!(*walk.state(), State::Finished(11));
    travel(&mut walk, Command::Seek(StepNo(0)), &mut vec![]);
    let (outcome, mut again) = again(&walk, version(walk.image(), &[]));
    assert_eq!((outcome, again.now()), (Outcome::There, StepNo(0)));
    travel(&mut again, Command::Go, &mut vec![]);
    assert_eq!(*again.state(), State::Finished(11), "it waited again before");
}

#[test]
fn a_walk_paused_behind_a_looping_brk_is_found_again() {
    let mut walk = session("start: inc r1\n brk\nthere: jmp start\n");
    for _ in 0..3 {
        travel(&mut walk, Command::Go, &mut vec![]);
    }
    assert_eq!(walk.machine().pc(), Addr(label(&walk, "there").0));
    let (outcome, again) = again(&walk, version(walk.image(), &[]));
    assert_eq!((outcome, again.now(), again.machine().register(Reg(1))), (Outcome::There, walk.now(), 3));
}

#[test]
fn an_answer_nobody_asks_for_any_more_holds_up_nothing() {
    let asks = "start: sys clock_ms\n clr r6\nnext: sys get_int\n jc next\nadded: add r6, r0\n jmp next\n";
    let mut walk = session(asks);
    let added = label(&walk, "added");
    walk.set_breakpoints([added]);
    travel(&mut walk, Command::Go, &mut vec!["5\n"]);
    let silent = image(&asks.replace("sys clock_ms", "nop"));
    let place = u32::try_from(silent.symbol("added").expect("it is there").value).expect("an address");
    let (outcome, again) = again(&walk, version(&silent, &[(added.0, place)]));
    assert_eq!((outcome, again.machine().register(Reg(0))), (Outcome::There, 5), "the clock's answer stood before it");
}

#[test]
fn a_program_that_ends_or_waits_before_is_elsewhere() {
    let mut walk = session(SUMMING);
    let added = label(&walk, "added");
    walk.set_breakpoints([added]);
    travel(&mut walk, Command::Go, &mut vec!["5\n"]);
    let ends = image("start: sys get_int\nadded: mov r0, 3\n sys exit\n");
    let (outcome, there) = again(&walk, version(&ends, &[(added.0, 0x0206)]));
    assert_eq!((outcome, there.state()), (Outcome::Elsewhere, &State::Finished(3)));
    let asks = image("start: sys get_int\n sys get_int\nadded: halt\n");
    let (outcome, there) = again(&walk, version(&asks, &[(added.0, 0x0204)]));
    assert_eq!((outcome, there.state()), (Outcome::Elsewhere, &State::Waiting));
    let fails = image("start: div r1, r2\n halt\n");
    let (outcome, there) = again(&walk, version(&fails, &[(added.0, 0x0202)]));
    assert!(matches!((outcome, there.state()), (Outcome::Elsewhere, State::Fault(_))));
}

#[test]
fn time_is_told_as_it_was_and_changes_by_hand_are_made_again_at_their_place() {
    let text = "start: sys clock_ms\n mov r6, r0\nagain: inc r7\nthere: nop\n cmp r7, 3\n jltu again\n halt\n";
    let mut walk = session(text);
    let (there, halt) = (label(&walk, "there"), 0x020C);
    travel(&mut walk, Command::To(vec![Addr(there.0)]), &mut vec![]);
    travel(&mut walk, Command::To(vec![Addr(there.0)]), &mut vec![]);
    assert!(walk.edit(Event::SetRegister(Reg(5), 9)).is_some());
    travel(&mut walk, Command::To(vec![Addr(halt)]), &mut vec![]);
    // One instruction more in front: all places and steps have moved.
    let longer = image(&text.replace("mov r6", "nop\n mov r6"));
    let moved: Vec<(u32, u32)> = (0x0202..=halt).step_by(2).map(|at| (at, at + 2)).collect();
    let (outcome, again) = again(&walk, version(&longer, &moved));
    assert_eq!((outcome, again.machine().register(Reg(6)), again.machine().register(Reg(5))), (Outcome::There, 77, 9));
    let edit = &again.edits()[0];
    assert_eq!((edit.step, &edit.event), (walk.edits()[0].step + 1, &Event::SetRegister(Reg(5), 9)));
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
    assert_eq!(walk.now(), StepNo(0), "back at the first instruction of the line");
    travel(&mut walk, Command::Step, &mut vec![]);
    travel(&mut walk, Command::Step, &mut vec![]);
    assert_eq!(line(&walk), Some(10), "by instruction the way leads into what is called");
    walk.set_breakpoints([label(&walk, "out") + 2]);
    travel(&mut walk, Command::Seek(StepNo(0)), &mut vec![]);
    travel(&mut walk, Command::Line, &mut vec![]);
    assert_eq!(line(&walk), Some(11), "a breakpoint inside stops all the same");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// A replay of the same program comes to the very same step, whatever the place and however often it was there.
    #[test]
    fn the_same_place_is_the_same_step(is_rv32 in any::<bool>(), steps in 0u64..120, count in 1u16..9, inner in 1u16..6) {
        let text = format!("start: mov r1, {count}\nouter: mov r2, {inner}\ninner: djnz r2, inner\n call out\n djnz r1, outer\n halt\nout: brk\n ret\n");
        let rv32 = format!(".target rv32\nstart: li s1, {count}\nouter: li s2, {inner}\ninner: addi s2, s2, -1\n bnez s2, inner\n call out\n addi s1, s1, -1\n bnez s1, outer\n li a0, 0\n sys exit\nout: ebreak\n ret\n");
        let mut walk = session(if is_rv32 { &rv32 } else { &text });
        travel(&mut walk, Command::Seek(StepNo(steps)), &mut vec![]);
        while !matches!(walk.state(), State::Finished(_)) && walk.now() < StepNo(steps) {
            travel(&mut walk, Command::Seek(StepNo(steps)), &mut vec![]);
        }
        let (_, again) = again(&walk, version(walk.image(), &[]));
        let ended = matches!(walk.state(), State::Finished(_));
        prop_assert_eq!(again.now() + u64::from(ended), walk.now());
    }
}
