//! The account foretells what then happens, and a step has one state: on random programs for either machine with calls, interrupts, trap
//! handlers of their own, code that writes itself, changed returns, typed input and values set by hand.

use crate::sides::{allows, is_rv32};
use proptest::prelude::*;
use std::collections::BTreeMap;
use wendax_isa::w16::{C, Insn, Op, Z, decode};
use wendax_machine::{Addr, Reg, StepNo};
use wendax_machine::{CellState, Event, Machine, Settings, StepKind, Writer};
use wendax_session::{Command, Effects, Explanation, Outlook, Progress, Session, State, explain};

/// Lines of programs: `{d}` `{s}` registers, `{n}` a number, `{l}` a label, `{m}` a place in data.
pub(crate) const LINES: [&str; 44] = [
    "mov r{d}, {n}",
    "add r{d}, r{s}",
    "adc r{d}, r{s}",
    "sub r{d}, {n}",
    "cmp r{d}, r{s}",
    "xor r{d}, r{s}",
    "shl r{d}, r{s}",
    "rlc r{d}",
    "mul r{d}, r{s}",
    "div r{d}, r{s}",
    "swap r{d}, r{s}",
    "not r{d}",
    "ldw r{d}, [{m}]",
    "stw [{m}], r{s}",
    "stb [{m}], r{s}",
    "ldw r{d}, [r{s}]",
    "stw [l{l}], r{d}",
    "jz l{l}",
    "jc l{l}",
    "jlt l{l}",
    "jgtu l{l}",
    "jn l{l}",
    "djnz r{d}, l{l}",
    "call l{l}",
    "call l{l}",
    "ret",
    "reti",
    "push r{d}",
    "pop r{d}",
    "push fl",
    "pop fl",
    "ei",
    "di",
    "brk",
    "jmp r{d}",
    "mov sp, 0xF900",
    "stw [0xFF30], r{s}",
    "ldw r{d}, [0xFF10]",
    "ldw r{d}, [0xFF12]",
    "sys get_int",
    "sys get_line",
    "sys put_int",
    "sys put_text",
    "sys exit",
];

/// The same for RV32.
const LINES_RV32: [&str; 48] = [
    "li a{d}, {n}",
    "li a{d}, 0x12345678 + {n}",
    "add a{d}, a{d}, a{s}",
    "sub a{d}, a{s}, a{d}",
    "slti a{d}, a{s}, {n}",
    "sltu a{d}, a{d}, a{s}",
    "xori a{d}, a{s}, -{n}",
    "sll a{d}, a{d}, a{s}",
    "srai a{d}, a{d}, 3",
    "mul a{d}, a{d}, a{s}",
    "mulhsu a{d}, a{d}, a{s}",
    "div a{d}, a{d}, a{s}",
    "remu a{d}, a{d}, a{s}",
    "auipc a{d}, {n}",
    "lw a{d}, {m}",
    "sw a{s}, {m}, t0",
    "sh a{s}, {m}, t0",
    "lb a{d}, {m}",
    "lhu a{d}, 2(a{s})",
    "sw a{d}, l{l}, t0",
    "beq a{d}, a{s}, l{l}",
    "bne a{d}, a{s}, l{l}",
    "blt a{d}, a{s}, l{l}",
    "bgeu a{d}, a{s}, l{l}",
    "addi a{d}, a{d}, -1\n bnez a{d}, l{l}",
    "jal l{l}",
    "call l{l}",
    "ret",
    "jalr a{d}, 4(a{s})",
    "mret",
    "addi sp, sp, -16\n sw ra, 12(sp)",
    "lw ra, 12(sp)\n addi sp, sp, 16",
    "csrrw a{d}, mscratch, a{s}",
    "csrrs a{d}, mstatus, a{s}",
    "csrr a{d}, mip",
    "csrsi mstatus, 8",
    "csrci mstatus, 8",
    "csrw mtvec, zero",
    "csrr a{d}, mcycle",
    "ebreak",
    "ecall",
    "fence",
    "sw a{s}, -416(zero)",
    "lw a{d}, -480(zero)",
    "lw a{d}, -476(zero)",
    "sys get_int",
    "sys put_int",
    "sys exit",
];

/// A program for RV32 with a handler or without one, all of it writable, with a timer of this period.
pub(crate) fn program_rv32(lines: &[Line], handled: u16, period: u16) -> wendax_image::Image {
    let count = lines.len();
    let mut text = ".target rv32\n.code\n_start: ".to_owned();
    if !handled.is_multiple_of(3) {
        text.push_str("la a0, handler\ncsrw mtvec, a0\n");
    }
    text.push_str(&format!(
        "li a0, {period}\nsw a0, -444(zero)\nli a0, 3\nsw a0, -440(zero)\nli a0, 2\nsw a0, -480(zero)\n"
    ));
    text.push_str("li a0, 0x7000080\ncsrw mie, a0\ncsrsi mstatus, 8\n");
    for (index, &(line, d, s, n, l)) in lines.iter().enumerate() {
        let line = LINES_RV32[line % LINES_RV32.len()].replace("{d}", &d.to_string()).replace("{s}", &s.to_string());
        let line = line.replace("{n}", &n.to_string()).replace("{m}", &format!("data + {}", 4 * (l % 4)));
        text.push_str(&format!("l{index}: {}\n", line.replace("{l}", &(l % count).to_string())));
    }
    text.push_str("j l0\n.balign 4\nhandler: addi a5, a5, 1\ncsrw mscratch, t0\ncsrr t0, mcause\nbltz t0, outside\n");
    text.push_str(
        "csrr t0, mepc\naddi t0, t0, 4\ncsrw mepc, t0\noutside: lw a4, -476(zero)\nli t0, 7\nsw t0, -440(zero)\n",
    );
    text.push_str("csrr t0, mscratch\nmret\n.data\ndata: .space 16\n.asciz \"gate\"\n");
    let (sources, file) = wendax_source::Sources::single("random", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let (start, bytes) = wendax_image::to_raw(&assembly.image).expect("it lies close");
    wendax_image::from_raw(&wendax_isa::rv32::TARGET, &bytes, start).expect("it fits")
}

pub(crate) type Line = (usize, u8, u8, u16, usize);

/// A program whose handlers are for the traps in `handled`, all of it writable, with a timer of this period.
pub(crate) fn program(lines: &[Line], handled: u16, period: u16) -> wendax_image::Image {
    let count = lines.len();
    let mut text = ".code\nstart: mov r0, handler\n".to_owned();
    for trap in (1..11).filter(|trap| handled >> trap & 1 != 0) {
        text.push_str(&format!("stw [{}], r0\n", 2 * trap));
    }
    text.push_str(&format!("mov r0, {period}\nstw [0xFF22], r0\nmov r0, 3\nstw [0xFF24], r0\nmov r0, 16\n"));
    text.push_str("stw [0xFF10], r0\nei\n");
    for (index, &(line, d, s, n, l)) in lines.iter().enumerate() {
        let line = LINES[line % LINES.len()].replace("{d}", &d.to_string()).replace("{s}", &s.to_string());
        let line = line.replace("{n}", &n.to_string()).replace("{m}", &format!("data + {}", 2 * (l % 4)));
        text.push_str(&format!("l{index}: {}\n", line.replace("{l}", &(l % count).to_string())));
    }
    text.push_str("jmp l0\nhandler: inc r5\nldw r4, [0xFF12]\nreti\n.data\ndata: .space 8\n.asciz \"gate\"\n");
    let (sources, file) = wendax_source::Sources::single("random", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let (start, bytes) = wendax_image::to_raw(&assembly.image).expect("it lies close");
    wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, start).expect("it fits")
}

#[derive(Debug, Clone)]
enum Action {
    Step,
    Back,
    Seek(u64),
    Set(Reg, u16),
    Flags(u16),
    Byte(u32, u8),
    Type(String),
    Over,
    Levers(u16),
}

fn action() -> impl Strategy<Value = Action> {
    prop_oneof![
        20 => Just(Action::Step),
        3 => Just(Action::Back),
        2 => (0u64..80).prop_map(Action::Seek),
        2 => (0u8..14, any::<u16>()).prop_map(|(register, value)| Action::Set(Reg(register), value)),
        1 => (0u16..32).prop_map(Action::Flags),
        1 => (0x0200u32..0x0280, any::<u8>()).prop_map(|(address, value)| Action::Byte(address, value)),
        2 => "[0-9x]{0,3}\n".prop_map(Action::Type),
        1 => Just(Action::Over),
        1 => any::<u16>().prop_map(Action::Levers),
    ]
}

fn work(session: &mut Session) {
    for _ in 0..200 {
        match session.work(500) {
            Progress::Working => {}
            Progress::Asks(_) => session.answer(Event::Clock(9)),
            Progress::Arrived => return,
        }
    }
    session.pause();
}

pub(crate) fn go(session: &mut Session, command: Command) {
    session.begin(command);
    work(session);
}

/// The next instruction, decoded by the table.
pub(crate) fn next_insn(machine: &Machine) -> Option<Insn> {
    let [first, second] = machine.code_at(machine.pc()).map(|word| u16::try_from(word).expect("a word"));
    decode(first, second)
}

/// Who wrote each flag, by looking at what each step was, and nothing else.
fn follow_flags(writers: &mut BTreeMap<char, Writer>, before: &Machine, effects: &Effects) {
    let mut write = |flags: &str, writer: Writer| {
        for flag in flags.chars() {
            writers.insert(flag, writer);
        }
    };
    match effects.kind {
        StepKind::Interrupt(number) | StepKind::Trap(number) => write("I", Writer::Entry(number)),
        StepKind::Call(_) if before.finished().is_none() && effects.flags.touched == 0 => {}
        StepKind::Call(_) => write("C", Writer::Instruction(effects.pc)),
        StepKind::Instruction => {
            let insn = next_insn(before).expect("it was carried out");
            let source = if insn.b < 14 { before.register(Reg(insn.b)) } else { u32::from(insn.value) };
            let flags = match insn.op() {
                Op::Shl | Op::Shr | Op::Asr if source % 16 == 0 => "ZNV",
                Op::Ei | Op::Di => "I",
                Op::PopFl | Op::Reti => "CZNVI",
                _ if insn.row().flags.touched() != 0 => "CZNV",
                _ => "",
            };
            write(flags, Writer::Instruction(effects.pc));
        }
    }
}

/// What was foretold against what there was before and is now.
fn is_true(told: &Explanation, before: &Machine, after: &Session) -> Result<(), TestCaseError> {
    let now = after.machine();
    let is_rv32 = is_rv32(now);
    let effects = match &told.outlook {
        Outlook::Done(effects) => effects,
        Outlook::Fails(fault) => {
            prop_assert_eq!(after.state(), &State::Fault(*fault));
            prop_assert_eq!(now.steps(), before.steps());
            return Ok(());
        }
        Outlook::Waits => {
            prop_assert_eq!(after.state(), &State::Waiting);
            return Ok(());
        }
        Outlook::Circles => {
            prop_assert_eq!(after.state(), &State::Circling { period: 1 });
            return Ok(());
        }
        Outlook::Asks | Outlook::Over => return Ok(()),
    };
    prop_assert_eq!(after.last_step(), Some(&**effects));
    if !after.changes_by_hand().is_empty() {
        // What was changed by hand there has happened too.
        return Ok(());
    }
    prop_assert_eq!((now.steps(), now.pc()), (before.steps() + 1, effects.next));
    prop_assert_eq!(now.cycles() - before.cycles(), effects.cycles);
    prop_assert_eq!(told.cycles, Some(effects.cycles));
    prop_assert_eq!((effects.flags.old, effects.flags.new), (before.flags(), now.flags()));
    prop_assert_eq!((before.flags() ^ now.flags()) & !effects.flags.touched, 0, "a flag changed that nobody touched");
    for (register, _) in now.target().registers() {
        let (old, new) = (before.register(register), now.register(register));
        if let Some(change) = effects.registers.iter().rev().find(|change| change.register == register) {
            let first = effects.register(register).expect("it is there");
            prop_assert_eq!((first.old, change.new), (old, new), "{:?}", register);
            prop_assert_eq!(first.was_known, before.register_known(register));
        } else {
            prop_assert_eq!(old, new, "{:?} changed in silence", register);
        }
    }
    let looked: [std::ops::Range<u32>; 3] = if is_rv32 {
        [0x1_0000..0x1_0200, 0x1_1000..0x1_1040, 0x7FFF_FE00..0x8000_0000]
    } else {
        [0..0x20, 0x0200..0x0400, 0xF800..0xFE00]
    };
    for address in looked.into_iter().flatten().map(Addr) {
        let (old, new) = (before.byte(address), now.byte(address));
        if let Some(change) = effects.memory.iter().find(|change| change.covers(address)) {
            let at = (address - change.address) as usize;
            prop_assert_eq!((change.old[at], change.new[at]), (old, new), "byte {:04X}", address);
        } else {
            prop_assert_eq!(old, new, "byte {:04X} changed in silence", address);
        }
    }
    prop_assert_eq!(now.printed() - before.printed(), effects.printed);
    prop_assert_eq!(now.read() - before.read(), effects.consumed);
    if let Some(taken) = told.taken {
        let plain = if is_rv32 { 1 } else { next_insn(before).expect("it was carried out").row().cycles.into() };
        let is_done = !matches!(effects.kind, StepKind::Trap(_));
        prop_assert!(!is_done || effects.cycles == plain + u64::from(taken), "a jump taken costs one more: {told:?}");
        prop_assert!(taken || effects.fell_through());
    }
    if let StepKind::Interrupt(_) = effects.kind {
        prop_assert!(allows(before), "interrupts were off");
        if is_rv32 {
            // mepc is where it goes on.
            prop_assert_eq!(now.control(0x341), Some(before.pc().0));
            return Ok(());
        }
        // A stack among the device registers takes nothing and gives 0.
        let in_memory = (0..4).all(|byte| now.cell(now.stack_pointer() + byte) == CellState::Known);
        let kept = (now.word(now.stack_pointer()), now.word(now.stack_pointer() + 2));
        prop_assert!(!in_memory || kept == (before.pc().0, before.flags()), "{:?}", kept);
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if super::SPAN < 100 { 125 } else { 62 }))]

    #[test]
    fn what_is_foretold_happens_and_a_step_has_one_state(
        is_rv32 in any::<bool>(),
        lines in proptest::collection::vec((0..LINES_RV32.len(), 0u8..6, 0u8..6, 0u16..40, 0usize..60), 4..24),
        handled in any::<u16>(),
        period in 5u16..60,
        actions in proptest::collection::vec(action(), 20..120),
    ) {
        let image = if is_rv32 { program_rv32(&lines, handled, period) } else { program(&lines, handled, period) };
        let mut session = Session::new(image, Settings::default()).keeping_moments_each(super::SPAN);
        // What each step of the branch looked like when it was last come to.
        let mut states: BTreeMap<StepNo, Machine> = BTreeMap::new();
        let mut writers: BTreeMap<StepNo, BTreeMap<char, Writer>> = BTreeMap::from([(StepNo::FIRST, BTreeMap::new())]);
        for action in actions {
            let told = explain(&session);
            let (before, now) = (session.machine().clone(), session.now());
            let known = writers.get(&now).cloned();
            if let Some(known) = &known {
                for cause in &told.causes {
                    prop_assert_eq!(cause.writer, known.get(&cause.flag).copied(), "who set {}", cause.flag);
                }
            }
            let by_hand = |session: &mut Session, event: Event, states: &mut BTreeMap<StepNo, Machine>| {
                let is_set = session.edit(event).is_some();
                if is_set {
                    states.retain(|step, _| *step < now);
                }
                is_set
            };
            match action {
                Action::Step => {
                    go(&mut session, Command::Step);
                    is_true(&told, &before, &session)?;
                    if session.now() == now + 1
                        && let Some(mut known) = known.filter(|_| !is_rv32)
                    {
                        let effects = session.last_step().expect("a step was taken");
                        follow_flags(&mut known, &before, effects);
                        for change in session.changes_by_hand() {
                            if let (Event::SetFlags(now), Some(was)) = (&change.event, change.was) {
                                let target = session.machine().target();
                                let set = target.flags.iter().filter(|flag| (was ^ now) & flag.bit != 0);
                                known.extend(set.map(|flag| (flag.name, Writer::Person)));
                            }
                        }
                        writers.insert(now + 1, known);
                    }
                }
                Action::Back => go(&mut session, Command::StepBack),
                Action::Over => go(&mut session, Command::Over),
                Action::Seek(step) => {
                    let step = step.min(session.end().0);
                    go(&mut session, Command::Seek(StepNo(step)));
                }
                Action::Set(register, value) => {
                    // The stack pointer stays usable, so that entries and calls are not all faults.
                    let value = if register == Reg(13) && !is_rv32 { 0xF800 | value & 0xFE } else { value };
                    // Of RV32 those from t0 on.
                    let register = if is_rv32 { Reg(register.0 + 5) } else { register };
                    by_hand(&mut session, Event::SetRegister(register, value.into()), &mut states);
                    writers.retain(|step, _| *step <= now);
                }
                Action::Flags(flags) => {
                    if !is_rv32 && by_hand(&mut session, Event::SetFlags(flags.into()), &mut states) {
                        writers.retain(|step, _| *step < now);
                        // What became another one, and nothing else.
                        let changed = before.flags() ^ session.machine().flags();
                        let set = before.target().flags.iter().filter(|flag| changed & flag.bit != 0);
                        if let Some(mut known) = known {
                            known.extend(set.map(|flag| (flag.name, Writer::Person)));
                            writers.insert(now, known);
                        }
                    }
                }
                Action::Byte(address, value) => {
                    let address = if is_rv32 { 0x1_0000 + address - 0x200 } else { address };
                    by_hand(&mut session, Event::SetByte(Addr(address), value.into()), &mut states);
                    writers.retain(|step, _| *step <= now);
                }
                Action::Levers(levers) => {
                    by_hand(&mut session, Event::Levers(levers.into()), &mut states);
                    writers.retain(|step, _| *step <= now);
                }
                Action::Type(text) => {
                    if session.type_input(text.as_bytes()).is_some_and(|dropped| dropped.steps > 0) {
                        states.retain(|step, _| *step <= now);
                        writers.retain(|step, _| *step <= now);
                    }
                    work(&mut session);
                }
            }
            match states.get(&session.now()) {
                Some(known) => prop_assert!(known.same_state(session.machine()), "step {} has two states", session.now()),
                None => {
                    states.insert(session.now(), session.machine().clone());
                }
            }
        }
    }
}

#[test]
fn flags_that_come_from_the_stack_are_set_by_what_took_them_even_when_they_are_the_same() {
    let (sources, file) =
        wendax_source::Sources::single("flags", "start: add r1, 2\n push fl\n add r1, 3\n pop fl\n jz start\n halt\n");
    let assembly = wendax_asm::assemble(&sources, file);
    let mut session = Session::new(assembly.image, Settings::default())
        .with_sources(assembly.sources)
        .keeping_moments_each(super::SPAN);
    go(&mut session, Command::Seek(StepNo(4)));
    assert_eq!(session.machine().flags() & u32::from(C | Z), 0);
    let told = explain(&session);
    assert!(told.sentences.contains(&"set by `pop fl` on line 4".to_owned()), "{:?}", told.sentences);
}
