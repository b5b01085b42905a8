//! The flow of a routine: its blocks hold each instruction once, and its ways were gone as often as single steps say.

use proptest::prelude::*;
use std::collections::BTreeMap;
use wendax_machine::{Addr, Settings, StepNo};
use wendax_session::{Command, Flow, Level, Levels, Measuring, Progress, Session, explain};

const LINES: [&str; 9] = [
    "add r{d}, 3",
    "sub r{d}, r{s}",
    "cmp r{d}, r{s}",
    "jz l{l}",
    "jltu l{l}",
    "jgt l{l}",
    "djnz r{d}, l{l}",
    "jmp l{l}",
    "mov r{d}, 7",
];

/// The same for RV32.
const LINES_RV32: [&str; 9] = [
    "addi a{d}, a{d}, 3",
    "sub a{d}, a{d}, a{s}",
    "slt a{d}, a{d}, a{s}",
    "beqz a{d}, l{l}",
    "bltu a{d}, a{s}, l{l}",
    "bgt a{d}, a{s}, l{l}",
    "addi a{d}, a{d}, -1\n bnez a{d}, l{l}",
    "j l{l}",
    "li a{d}, 7",
];

fn session(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
    Session::new(assembly.image, Settings::default()).with_sources(sources)
}

fn go(session: &mut Session, command: Command) {
    session.begin(command);
    while session.work(100_000) == Progress::Working {}
}

#[test]
fn what_changes_too_often_is_known_up_to_a_moment_that_is_told() {
    let mut session = session("start: add r1, 1\n adc r2, 0\n jmp start\n");
    go(&mut session, Command::Seek(StepNo(3_200_000)));
    let follow = |budget: u64| {
        let mut levels = Levels::read(&session, &["r1".to_owned()]).expect("a register");
        while !levels.work(&session, budget) {}
        (levels.known_to(), levels.levels()[0].changes.len(), levels.levels()[0].changes.last().copied())
    };
    let (known, count, last) = follow(700_000);
    assert!((900_000..=1_000_001).contains(&count) && known < session.end(), "{count}");
    // One change in three steps, beside the first value.
    let changes = known.0.div_ceil(3);
    assert_eq!((count as u64, last), (changes + 1, Some((StepNo(changes * 3 - 2), changes & 0xFFFF))));
    assert_eq!(follow(u64::MAX), (known, count, last));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn ways_are_gone_as_often_as_single_steps_say(
        is_rv32 in any::<bool>(),
        lines in proptest::collection::vec((0..LINES.len(), 0u8..4, 0u8..4, 0usize..40), 3..30),
    ) {
        let count = lines.len();
        let (known, begin) = if is_rv32 { (&LINES_RV32, ".target rv32\n_start:\n") } else { (&LINES, "start:\n") };
        let mut text = begin.to_owned();
        for (index, (line, d, s, l)) in lines.into_iter().enumerate() {
            let line = known[line].replace("{d}", &d.to_string()).replace("{s}", &s.to_string());
            text.push_str(&format!("@l{index}: {}\n", line.replace("l{l}", &format!("@l{}", l % count))));
        }
        text.push_str(if is_rv32 { " li a7, 93\n ecall\n" } else { " halt\n" });
        let mut session = session(&text);
        go(&mut session, Command::Seek(StepNo(400)));
        let mut measuring = Measuring::all(&session);
        while !measuring.work(&session, 1000) {}
        let tally = measuring.tally(&session);
        let flow = Flow::of(&session, session.image().entry, Some(&tally)).expect("there is code");
        // Each instruction stands in one block.
        let mut places: BTreeMap<Addr, usize> = BTreeMap::new();
        for (index, block) in flow.blocks.iter().enumerate() {
            for line in &block.lines {
                prop_assert!(places.insert(line.address, index).is_none(), "{:04X} stands twice", line.address);
            }
        }
        prop_assert!(flow.edges.iter().all(|edge| flow.blocks[edge.from].lines.last().is_some()));
        let end = session.end();
        go(&mut session, Command::Seek(StepNo(0)));
        let mut gone: BTreeMap<(usize, Addr), u64> = BTreeMap::new();
        while session.now() < end {
            let from = session.machine().pc();
            let way = flow.way_now(from, explain(&session).taken);
            go(&mut session, Command::Step);
            let to = session.machine().pc();
            let block = places[&from];
            let is_last = flow.blocks[block].lines.last().is_some_and(|line| line.address == from);
            // The way that is lit is the one that is gone.
            if let Some(way) = way {
                prop_assert_eq!(flow.blocks[flow.edges[way].to].from, to, "{}", text);
            }
            let leads = is_last && flow.edges.iter().any(|edge| edge.from == block);
            prop_assert_eq!(way.is_some(), leads, "at {:04X} of {}", from, text);
            if is_last {
                *gone.entry((block, to)).or_default() += 1;
            } else {
                prop_assert_eq!(places.get(&to), Some(&block), "within a block nothing leads elsewhere");
            }
        }
        let mut told: BTreeMap<(usize, Addr), u64> = BTreeMap::new();
        for edge in &flow.edges {
            *told.entry((edge.from, flow.blocks[edge.to].from)).or_default() += edge.times.expect("it was measured");
        }
        told.retain(|_, times| *times > 0);
        // What ends the program leads nowhere.
        gone.retain(|(block, _), _| flow.edges.iter().any(|edge| edge.from == *block));
        prop_assert_eq!(told, gone, "{}", text);
    }

    /// What is followed has the values that looking at each step finds.
    #[test]
    fn levels_are_those_of_single_steps(
        values in proptest::collection::vec((0u16..6, 0u8..4), 1..20), budget in prop_oneof![Just(3u64), Just(100_000)], lever in 1u64..30,
    ) {
        let mut text = "start: ldw r3, [0xFF32]\n".to_owned();
        for (value, what) in values {
            text.push_str(&match what {
                0 => format!(" mov r1, {value}\n"),
                1 => format!(" mov r1, {value}\n stw [cell], r1\n"),
                2 => format!(" mov r1, {value}\n stb [cell + 1], r1\n"),
                _ => format!(" mov r1, {value}\n stw [0xFF30], r1\n cmp r1, 3\n"),
            });
        }
        text.push_str(" halt\n.data\ncell: .word 7\n");
        let mut session = session(&text);
        go(&mut session, Command::Seek(StepNo(lever)));
        session.move_levers(5);
        go(&mut session, Command::Go);
        let names = ["r1", "cell", "lamps", "levers", "Z"].map(str::to_owned);
        let mut levels = Levels::read(&session, &names).expect("all have values");
        while !levels.work(&session, budget) {}
        let end = session.end();
        let at = |level: &Level, step: StepNo| {
            let known = level.changes.partition_point(|change| change.0 <= step);
            level.changes[known - 1].1
        };
        for step in (0..=end.0).map(StepNo) {
            go(&mut session, Command::Seek(step));
            let machine = session.machine();
            let device = |kind| {
                let address = machine.target().devices_of(kind).next().expect("there is one").address;
                u64::from(machine.word(address))
            };
            let cell = session.image().symbol("cell").and_then(wendax_image::Symbol::address).expect("a label");
            let now = [
                machine.register(wendax_machine::Reg(1)).into(),
                machine.word(cell).into(),
                device(wendax_isa::DeviceKind::Lamps),
                device(wendax_isa::DeviceKind::Levers),
                u64::from(machine.flags() & 2 != 0),
            ];
            for (level, now) in levels.levels().iter().zip(now) {
                prop_assert_eq!(at(level, step), now, "{} at step {}\n{}", level.name, step, text);
            }
        }
    }
}
