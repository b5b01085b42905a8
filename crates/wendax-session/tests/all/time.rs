//! Time: going back and on again changes nothing, on random programs with random input.

use proptest::prelude::*;
use wendax_isa::w16::{Insn, encode, rows};
use wendax_machine::Settings;
use wendax_machine::{Addr, Reg, StepNo};
use wendax_session::{Command, Progress, Session, State};

/// Small enough that checkpoints matter little, large enough for loops to turn.
const STEPS: u64 = 400;

fn image(words: &[(usize, u8, u8, u16)]) -> wendax_image::Image {
    let mut bytes = Vec::new();
    for &(row, a, b, value) in words {
        let row = &rows()[row % rows().len()];
        // Near targets stay near, so that jumps land inside the program; bases are often none.
        let (first, second) = encode(Insn::new(row, a, if b > 13 { 15 } else { b }, value));
        bytes.extend(first.to_le_bytes());
        bytes.extend(second.iter().flat_map(|word| word.to_le_bytes()));
    }
    wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, Addr(0x0200)).expect("it fits")
}

fn any_words() -> impl Strategy<Value = wendax_image::Image> {
    let value = prop_oneof![0u16..16, 0x0200u16..0x0260, 0xEE00u16..0xFE00, Just(0xFFFE), any::<u16>()];
    let row = prop_oneof![10usize..rows().len(), 0usize..rows().len()];
    proptest::collection::vec((row, 0u8..14, 0u8..17, value), 5..60).prop_map(|words| image(&words))
}

/// Lines that mostly run on: `{d}` `{s}` registers, `{n}` a number, `{l}` a label, `{m}` a place in data.
const LINES: [&str; 30] = [
    "mov r{d}, {n}",
    "add r{d}, r{s}",
    "sub r{d}, {n}",
    "xor r{d}, r{s}",
    "mul r{d}, r{s}",
    "shl r{d}, {n}",
    "inc r{d}",
    "ldw r{d}, [{m}]",
    "stw [{m}], r{s}",
    "stb [{m}], r{s}",
    "ldb r{d}, [{m}]",
    "cmp r{d}, r{s}",
    "jz {l}",
    "jc {l}",
    "jlt {l}",
    "djnz r{d}, {l}",
    "djnz r{d}, {l}",
    "call {l}",
    "call {l}",
    "ret",
    "push r{d}",
    "pop r{d}",
    "push r{s}",
    "sys get_int",
    "sys get_char",
    "sys put_int",
    "sys random",
    "sys clock_ms",
    "sys wait_ms",
    "stw [code], r{d}",
];

fn mostly_sensible() -> impl Strategy<Value = wendax_image::Image> {
    proptest::collection::vec((0..LINES.len(), 0u8..6, 0u8..6, 0u16..40, 0usize..60), 4..40).prop_map(|lines| {
        let count = lines.len();
        let mut text = ".code\nmov sp, 0xF800\n".to_owned();
        for (index, (line, d, s, n, l)) in lines.into_iter().enumerate() {
            let line = LINES[line]
                .replace("{d}", &d.to_string())
                .replace("{s}", &s.to_string())
                .replace("{n}", &n.to_string());
            let line =
                line.replace("{l}", &format!("l{}", l % count)).replace("{m}", &format!("data + {}", 2 * (l % 4)));
            text.push_str(&format!("l{index}: {line}\n"));
        }
        text.push_str("jmp l0\n.data\ndata: .space 6\n.word 7\ncode: .word 0\n");
        let (sources, file) = wendax_source::Sources::single("random", text);
        let assembly = wendax_asm::assemble(&sources, file);
        assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
        assembly.image
    })
}

pub(crate) fn program() -> impl Strategy<Value = wendax_image::Image> {
    prop_oneof![4 => mostly_sensible(), 1 => any_words()]
}

pub(crate) fn finish(session: &mut Session, inputs: &mut impl Iterator<Item = Vec<u8>>) {
    for _ in 0..10_000 {
        match session.work(1000) {
            Progress::Working => {}
            Progress::Asks(need) => session.answer(match need {
                wendax_machine::Need::Wait(_) => wendax_machine::Event::Waited,
                _ => wendax_machine::Event::Clock(77),
            }),
            Progress::Arrived if *session.state() == State::Waiting => match inputs.next() {
                Some(bytes) => drop(session.type_input(&bytes)),
                None => drop(session.end_input()),
            },
            Progress::Arrived => return,
        }
    }
    panic!("never arrives: {:?}", session.state());
}

pub(crate) fn go(session: &mut Session, command: Command) {
    session.begin(command);
    finish(session, &mut std::iter::empty());
}

/// Runs a program for at most [`STEPS`] steps.
pub(crate) fn run(image: &wendax_image::Image, inputs: &[Vec<u8>]) -> Session {
    let mut session =
        Session::new(image.clone(), Settings { arguments: vec![b"gate".to_vec()], seed: 5, ..Settings::default() })
            .keeping_moments_each(super::SPAN);
    session.begin(Command::Seek(StepNo(STEPS)));
    finish(&mut session, &mut inputs.iter().cloned());
    session
}

pub(crate) fn typed() -> impl Strategy<Value = Vec<Vec<u8>>> {
    proptest::collection::vec("[0-9a-z]{0,5}\n".prop_map(String::into_bytes), 0..4)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    #[test]
    fn back_and_on_again_is_the_same(image in program(), inputs in proptest::collection::vec("[0-9a-z]{0,5}\n", 0..4),
            visits in proptest::collection::vec(0u64..STEPS, 1..6)) {
        let inputs: Vec<Vec<u8>> = inputs.into_iter().map(String::into_bytes).collect();
        let mut session = run(&image, &inputs);
        let end = session.end().0;
        go(&mut session, Command::Seek(StepNo(0)));
        go(&mut session, Command::Seek(StepNo(end)));
        let at_end = session.machine().clone();
        let console = session.console();
        // A second walk, one step at a time, is the judge of every moment.
        let mut slow = run(&image, &inputs);
        go(&mut slow, Command::Seek(StepNo(0)));
        let mut moments = vec![slow.machine().clone()];
        while slow.now().0 < end {
            go(&mut slow, Command::Step);
            prop_assert_eq!(slow.now().0, moments.len() as u64);
            moments.push(slow.machine().clone());
        }
        prop_assert_eq!(slow.end().0, end);
        for visit in visits {
            let step = visit.min(end);
            go(&mut session, Command::Seek(StepNo(step)));
            prop_assert_eq!(session.now().0, step);
            let settled = &moments[usize::try_from(step).unwrap()];
            // What was typed at this very step is fed on the way on; everything else is the same now.
            prop_assert_eq!(session.machine().cycles(), settled.cycles());
            prop_assert_eq!(session.machine().pc(), settled.pc());
            prop_assert!(session.machine().same_memory(settled));
            prop_assert_eq!(session.machine().printed(), settled.printed());
            for register in 0..14 {
                prop_assert_eq!(session.machine().register(Reg(register)), settled.register(Reg(register)));
            }
            if step > 0 {
                go(&mut session, Command::StepBack);
                prop_assert_eq!(session.now().0, step - 1);
                go(&mut session, Command::Step);
                prop_assert_eq!(session.now().0, step);
            }
        }
        go(&mut session, Command::Seek(StepNo(end)));
        prop_assert!(session.machine().same_state(&at_end));
        prop_assert_eq!(session.console(), console);
        prop_assert_eq!(session.end().0, end);
    }

    #[test]
    fn stops_found_backwards_are_the_last_ones_met_forwards(image in program(), offset in 0u32..20) {
        let mut session = run(&image, &[]);
        let (end, address) = (session.now().0, image.entry + 2 * offset);
        let mut met = Vec::new();
        go(&mut session, Command::Seek(StepNo(0)));
        for step in 0..end {
            if session.machine().pc() == address {
                met.push(step);
            }
            go(&mut session, Command::Step);
        }
        session.set_breakpoints([address]);
        for &wanted in met.iter().rev() {
            go(&mut session, Command::BackTo(vec![address]));
            prop_assert_eq!(session.now().0, wanted);
        }
        go(&mut session, Command::BackTo(vec![address]));
        prop_assert_eq!(session.now().0, 0);
    }

    #[test]
    fn over_and_out_agree_with_the_depth_of_calls(image in program(), start in 0u64..STEPS) {
        let mut session = run(&image, &[]);
        let end = session.now().0;
        go(&mut session, Command::Seek(StepNo(0)));
        let mut depths = vec![0];
        for _ in 0..end {
            go(&mut session, Command::Step);
            depths.push(session.machine().frames().len());
        }
        let start = start.min(end);
        let now = usize::try_from(start).unwrap();
        let back = |limit: usize| (0..now).rev().find(|&step| depths[step] <= limit).unwrap_or(0) as u64;
        go(&mut session, Command::Seek(StepNo(start)));
        go(&mut session, Command::OverBack);
        prop_assert_eq!(session.now().0, if start == 0 { 0 } else { back(depths[now]) });
        go(&mut session, Command::Seek(StepNo(start)));
        go(&mut session, Command::OutBack);
        prop_assert_eq!(session.now().0, if depths[now] == 0 { 0 } else { back(depths[now] - 1) });
    }
}
