//! Time: going back and on again changes nothing, on random programs with random input, for either machine.

use proptest::prelude::*;
use wendax_isa::rv32;
use wendax_isa::w16::{Insn, encode, rows};
use wendax_machine::Settings;
use wendax_machine::{Addr, StepNo};
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

/// Any words for RV32: instructions of every format over near places, and words that are none.
fn any_words_rv32() -> impl Strategy<Value = wendax_image::Image> {
    let word = prop_oneof![
        8 => (any::<u32>(), 0..rv32::rows().len()).prop_map(|(bits, row)| {
            // What may vary of it is left as it comes; constants are small, so that jumps land near.
            let row = &rv32::rows()[row];
            row.fixed & row.mask | bits & 0x01FF_8F80 & !row.mask
        }),
        1 => any::<u32>(),
    ];
    proptest::collection::vec(word, 5..60).prop_map(|words| {
        let bytes: Vec<u8> = words.into_iter().flat_map(u32::to_le_bytes).collect();
        wendax_image::from_raw(&rv32::TARGET, &bytes, rv32::TARGET.map.code_start).expect("it fits")
    })
}

/// The same for RV32 as [`LINES`] are for W16.
const LINES_RV32: [&str; 33] = [
    "li a{d}, {n}",
    "add a{d}, a{d}, a{s}",
    "addi a{d}, a{d}, -{n}",
    "xor a{d}, a{d}, a{s}",
    "mul a{d}, a{d}, a{s}",
    "sll a{d}, a{d}, a{s}",
    "addi a{d}, a{d}, 1",
    "lw a{d}, {m}",
    "sw a{s}, {m}, t0",
    "sb a{s}, {m}, t0",
    "lbu a{d}, {m}",
    "sltu a{d}, a{s}, a{d}",
    "beqz a{d}, {l}",
    "bltu a{d}, a{s}, {l}",
    "blt a{d}, a{s}, {l}",
    "addi a{d}, a{d}, -1\n bnez a{d}, {l}",
    "addi a{d}, a{d}, -1\n bnez a{d}, {l}",
    "jal {l}",
    "call {l}",
    "ret",
    "addi sp, sp, -16\n sw ra, 12(sp)",
    "lw ra, 12(sp)\n addi sp, sp, 16",
    "sw a{d}, -4(sp)",
    "lw a{d}, -4(sp)",
    "divu a{d}, a{d}, a{s}",
    "csrrw a{d}, mscratch, a{s}",
    "sys get_int",
    "sys get_char",
    "sys put_int",
    "sys random",
    "sys clock_ms",
    "sys wait_ms",
    "sw a{d}, code, t0",
];

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

fn mostly_sensible(is_rv32: bool) -> impl Strategy<Value = wendax_image::Image> {
    let known: &[&str] = if is_rv32 { &LINES_RV32 } else { &LINES };
    let word = if is_rv32 { 4 } else { 2 };
    proptest::collection::vec((0..known.len(), 0u8..6, 0u8..6, 0u16..40, 0usize..60), 4..40).prop_map(move |lines| {
        let count = lines.len();
        let begin = if is_rv32 { ".target rv32\n.code\naddi sp, sp, -1024\n" } else { ".code\nmov sp, 0xF800\n" };
        let mut text = begin.to_owned();
        for (index, (line, d, s, n, l)) in lines.into_iter().enumerate() {
            let line = known[line]
                .replace("{d}", &d.to_string())
                .replace("{s}", &s.to_string())
                .replace("{n}", &n.to_string());
            let line =
                line.replace("{l}", &format!("l{}", l % count)).replace("{m}", &format!("data + {}", word * (l % 4)));
            text.push_str(&format!("l{index}: {line}\n"));
        }
        let jump = if is_rv32 { "j" } else { "jmp" };
        text.push_str(&format!("{jump} l0\n.data\ndata: .space {}\n.word 7\ncode: .word 0\n", 3 * word));
        let (sources, file) = wendax_source::Sources::single("random", text);
        let assembly = wendax_asm::assemble(&sources, file);
        assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
        assembly.image
    })
}

pub(crate) fn program() -> impl Strategy<Value = wendax_image::Image> {
    prop_oneof![
        4 => mostly_sensible(false),
        1 => any_words(),
        4 => mostly_sensible(true),
        1 => any_words_rv32(),
    ]
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
    #![proptest_config(ProptestConfig::with_cases(if super::SPAN < 100 { 150 } else { 75 }))]

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
            for (register, _) in image.target.registers() {
                prop_assert_eq!(session.machine().register(register), settled.register(register));
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
        let (end, address) = (session.now().0, image.entry + image.target.code_align * offset);
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
