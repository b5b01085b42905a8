//! The transfers inside of an instruction are the step: put one by one into the state before they make the state behind it,
//! and their cycles are those that the tables of the contract give. On random programs for either machine with calls,
//! interrupts, faults with a handler and without one, devices and code that writes itself; and what some of them say.

use super::truth::{go, program, program_rv32};
use proptest::prelude::*;
use std::collections::BTreeMap;
use wendax_isa::{Addr, StepNo};
use wendax_machine::{Event, Machine, Settings, StepKind};
use wendax_session::{Command, Inside, Put, Session, Spot, State, inside};

/// What the transfers leave, put by hand into what was before.
fn is_the_step(taken: &Inside, before: &Machine, session: &Session) -> Result<(), TestCaseError> {
    let after = session.machine();
    let target = before.target();
    let mut registers: Vec<u32> = target.registers().map(|(register, _)| before.register(register)).collect();
    let (mut flags, mut place) = (before.flags(), before.pc());
    let (mut memory, mut devices, mut controls) = (BTreeMap::new(), BTreeMap::new(), BTreeMap::new());
    for put in taken.transfers.iter().flat_map(|transfer| &transfer.puts) {
        match put {
            Put::Register(register, value) => registers[register.index()] = *value,
            Put::Memory(at, bytes) => memory.extend((0..).zip(bytes).map(|(offset, byte)| (*at + offset, *byte))),
            Put::Device(at, value) => _ = devices.insert(*at, *value),
            Put::Control(number, value) => _ = controls.insert(*number, *value),
            Put::Flags(value) => flags = *value,
            Put::Place(at) => place = *at,
        }
    }
    let cycles: u64 = taken.transfers.iter().map(|transfer| transfer.cycles).sum();
    prop_assert!(taken.transfers.windows(2).all(|pair| pair[0].cycle <= pair[1].cycle));
    prop_assert_eq!(taken.transfers.last().map(|transfer| transfer.cycle), Some(cycles));
    if after.steps() == before.steps() {
        prop_assert_eq!((taken.cycles, cycles), (None, 0), "nothing happened: {:?}", taken);
        prop_assert!(taken.transfers.iter().all(|transfer| transfer.puts.is_empty()));
        return Ok(());
    }
    prop_assert_eq!((taken.cycles, cycles), (Some(after.cycles() - before.cycles()), after.cycles() - before.cycles()));
    for ((register, info), value) in target.registers().zip(registers) {
        prop_assert_eq!(value, after.register(register), "{} after {:?}", info.name, taken);
    }
    prop_assert_eq!((flags, place), (after.flags(), after.pc()), "{:?}", taken);
    for (number, name) in target.kept_controls {
        let value = controls.get(number).copied().or(before.control(*number));
        prop_assert_eq!(value, after.control(*number), "{}", name);
    }
    let looked: [std::ops::Range<u32>; 3] = match target.word_bits {
        32 => [0x1_0000..0x1_0200, 0x1_1000..0x1_1040, 0x7FFF_FE00..0x8000_0000],
        _ => [0..0x20, 0x0200..0x0400, 0xF800..0xFE00],
    };
    for address in looked.into_iter().flatten().map(Addr) {
        let value = memory.get(&address).copied().unwrap_or(before.byte(address));
        prop_assert_eq!(value, after.byte(address), "{:?} after {:?}", address, taken);
    }
    let step = session.last_step().expect("a step was taken");
    if step.kind == StepKind::Instruction {
        let code: Vec<u8> = (0..step.length).map(|offset| before.byte(step.pc + offset)).collect();
        let (least, most) = (target.cycles)(&code).expect("it is an instruction");
        prop_assert!(
            [u64::from(least), u64::from(most)].contains(&cycles),
            "{} of {least}, {most}: {:?}",
            cycles,
            taken
        );
        let words = taken.transfers.iter().filter(|it| it.to == Spot::Code && it.cycles == 1).count();
        prop_assert_eq!(words, (step.length / target.code_align) as usize);
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    #[test]
    fn the_sum_of_the_transfers_is_the_step(
        is_rv32 in any::<bool>(),
        lines in proptest::collection::vec((0usize..48, 0u8..6, 0u8..6, 0u16..40, 0usize..60), 4..24),
        handled in any::<u16>(),
        period in 5u16..60,
        typed in "([0-9x]{0,3}\n){0,4}",
        levers in any::<u16>(),
    ) {
        let image = if is_rv32 { program_rv32(&lines, handled, period) } else { program(&lines, handled, period) };
        let mut session = Session::new(image, Settings::default());
        session.type_input(typed.as_bytes());
        session.edit(Event::Levers(levers.into()));
        for _ in 0..120 {
            let Some(taken) = inside(&session) else {
                prop_assert!(matches!(session.state(), State::Finished(_)), "{:?}", session.state());
                break;
            };
            let before = session.machine().clone();
            go(&mut session, Command::Step);
            is_the_step(&taken, &before, &session)?;
            if session.now() == before.steps() {
                break;
            }
        }
    }
}

/// The lines of what comes at a label.
fn told(text: &str, label: &str) -> String {
    let (sources, file) = wendax_source::Sources::single("inside.asm", text.to_owned());
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let at = assembly.image.symbol(label).and_then(wendax_image::Symbol::address).expect("a label");
    let mut session = Session::new(assembly.image, Settings::default()).with_sources(assembly.sources);
    session.set_breakpoints([at]);
    go(&mut session, Command::Go);
    let taken = inside(&session).expect("there is a step");
    let mut text = format!("{}\n", taken.title);
    for transfer in &taken.transfers {
        let (from, to) = (transfer.from.name(), transfer.to.name());
        text.push_str(&format!("{} {from} > {to}: {}\n", transfer.cycle, transfer.words));
        transfer.bits.iter().for_each(|line| text.push_str(&format!("      | {line}\n")));
    }
    text
}

#[test]
fn each_sort_of_step_is_told_from_its_words_to_its_place() {
    let mut all = String::new();
    let text = "start: mov r1, 60000\n mov r2, list\nsum: add r1, 6000\nload: ldsb r3, [r2 + 1]\ncall: call sub\n\
                put: mov r0, 7\nsys: sys put_int\njump: jc start\nmul: mul r1, r3\nfail: ldw r4, [r2 + 1]\n halt\n\
                sub: push r6\nback: pop r6\nret: ret\n .data\nlist: .byte 3, -2\n";
    for label in ["sum", "load", "call", "sub", "back", "ret", "sys", "jump"] {
        all += &told(text, label);
    }
    all += &told(&text.replace("jc start", "jz start"), "mul");
    all += &told(&text.replace("jc start", "jz start"), "fail");
    let rv32 = "        .target rv32\n_start: la a1, list\n li a2, -3\nload: lb a3, 1(a1)\nsub: sub a4, a2, a3\ncall: call leaf\n\
                less: blt a2, a3, over\n nop\nover: csrw mscratch, a2\nmul: mul a2, a2, a3\nstore: sh a2, 2(a1)\n li a0, 0\n sys exit\n\
                leaf: ret\n .data\nlist: .byte 3, -2, 0, 0\n";
    for label in ["load", "sub", "call", "leaf", "less", "over", "mul", "store"] {
        all += &told(rv32, label);
    }
    insta::assert_snapshot!(all);
}

#[test]
fn an_interrupt_is_told_as_it_comes() {
    let text = "start: mov r0, tick\n stw [16], r0\n mov r0, 40\n stw [0xFF22], r0\n mov r0, 3\n stw [0xFF24], r0\n ei\nwait: jmp wait\ntick: reti\n";
    let (sources, file) = wendax_source::Sources::single("inside.asm", text.to_owned());
    let assembly = wendax_asm::assemble(&sources, file);
    let mut session = Session::new(assembly.image, Settings::default()).with_sources(assembly.sources);
    while !session.machine().interrupt_comes() {
        go(&mut session, Command::Step);
        assert!(session.now() < StepNo(1000));
    }
    let taken = inside(&session).expect("there is a step");
    assert_eq!((taken.title.as_str(), taken.cycles), ("interrupt timer (8)", Some(4)));
    let ways: Vec<(Spot, Spot)> =
        taken.transfers.iter().filter(|it| it.cycles > 0).map(|it| (it.from, it.to)).collect();
    assert_eq!(ways, [(Spot::Flags, Spot::Memory), (Spot::Place, Spot::Memory), (Spot::Memory, Spot::Place)]);
}
