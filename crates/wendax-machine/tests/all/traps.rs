//! Faults, traps, interrupts, circling, and what an instruction that fails leaves alone.

use wendax_machine::CellState::{Known, NeverWritten, Unmapped};
use wendax_machine::{Addr, Reg, StepNo};
use wendax_machine::{Event, FaultKind, FrameKind, Machine, Need, Note, Run, Settings, Stop};

fn load(text: &str) -> (Machine, wendax_image::Image) {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    (Machine::new(&assembly.image, Settings::default()), assembly.image)
}

fn go(machine: &mut Machine) -> Stop {
    machine.run(Run::until(StepNo(100_000)))
}

#[track_caller]
fn fault(text: &str, kind: FaultKind) {
    let (mut machine, _) = load(text);
    let stop = go(&mut machine);
    let Stop::Fault(fault) = stop else { panic!("{text}: {stop:?}") };
    assert_eq!(fault.kind, kind, "{text}");
    // The same again: nothing has happened.
    let before = machine.clone();
    assert_eq!(go(&mut machine), Stop::Fault(fault));
    assert!(machine.same_state(&before));
}

#[test]
fn each_kind_of_fault_is_told_with_its_values() {
    fault("mov r1, 5\n div r1, r2\n halt", FaultKind::DivideByZero);
    fault("mods r1, r2\n halt", FaultKind::DivideByZero);
    fault(
        "mov r1, 0x0301\n ldw r2, [r1]\n halt\n.data\nx: .word 1, 2",
        FaultKind::Misaligned { address: Addr(0x0301), fetch: false },
    );
    fault("mov r1, 0x0201\n jmp r1", FaultKind::Misaligned { address: Addr(0x0201), fetch: true });
    fault("ldw r1, [0x8000]\n halt", FaultKind::Read { address: Addr(0x8000) });
    fault("ldb r1, [0x0100]\n halt", FaultKind::Read { address: Addr(0x0100) });
    fault("start: stw [start], r1\n halt", FaultKind::Write { address: Addr(0x0200) });
    fault("stb [0xEDFF], r1\n halt", FaultKind::Write { address: Addr(0xEDFF) });
    fault("jmp there\n.data\nthere: .word 1", FaultKind::Execute { address: Addr(0x0300) });
    fault("ldb r1, [0xFF30]\n halt", FaultKind::DeviceByte { address: Addr(0xFF30) });
    fault("stb [0xFF31], r1\n halt", FaultKind::DeviceByte { address: Addr(0xFF31) });
    fault("nop", FaultKind::Execute { address: Addr(0x0202) });
    fault(".word 0x0000", FaultKind::Illegal { word: 0 });
    fault(".word 0xF00F", FaultKind::Illegal { word: 0xF00F });
    fault("ret", FaultKind::Read { address: Addr(0xFE00) });
    fault("mov sp, 0xEE00\n push r1\n halt", FaultKind::Write { address: Addr(0xEDFE) });
    fault("a: call a", FaultKind::Write { address: Addr(0xEDFE) });
}

#[test]
fn a_program_handles_its_own_traps() {
    let (mut machine, image) = load(
        "start: mov r1, divided\n stw [8], r1\n mov r1, 7\n add r2, 0\n back: div r1, r3\n after: halt\n\
         divided: mov r3, 2\n ldw r5, [0xFF00]\n reti",
    );
    let symbol = |name: &str| image.symbol(name).and_then(wendax_image::Symbol::address).unwrap();
    while machine.pc() != Addr(symbol("back").0) {
        machine.step();
    }
    let (steps, cycles, flags) = (machine.steps(), machine.cycles(), machine.flags());
    assert_eq!(machine.step(), Stop::Steps);
    assert_eq!((machine.pc(), machine.steps(), machine.cycles()), (symbol("divided"), steps + 1, cycles + 4));
    assert_eq!(
        (machine.word(Addr(0xFDFC)), machine.word(Addr(0xFDFE))),
        (symbol("back").0, flags),
        "the failed instruction, then the flags"
    );
    assert_eq!(machine.frames().len(), 1);
    assert_eq!(machine.frames()[0].kind, FrameKind::Trap(4));
    assert_eq!((machine.note(Addr(0xFDFC)), machine.note(Addr(0xFDFE))), (Note::Return, Note::Flags));
    assert_eq!(go(&mut machine), Stop::Finished(0));
    assert_eq!((machine.register(Reg(1)), machine.register(Reg(5)), machine.frames().len()), (3, 4, 0));
    assert_eq!(machine.flags() & 2, 0, "flags came back by reti, then div set them");
}

#[test]
fn a_fault_while_entering_a_trap_stops_the_machine() {
    let (mut machine, _) = load("mov r1, h\n stw [8], r1\n mov sp, 0xEE02\n div r1, r2\n halt\nh: reti");
    let stop = go(&mut machine);
    let Stop::Fault(fault) = stop else { panic!("{stop:?}") };
    assert_eq!(fault.kind, FaultKind::TrapEntry { number: 4, address: Addr(0xEDFE) });
    assert_eq!(machine.word(Addr(0xEE00)), 0, "nothing was pushed");
}

#[test]
fn brk_pauses_behind_itself_or_enters_trap_six() {
    let (mut machine, _) = load("brk\n mov r1, 1\n halt");
    assert_eq!(go(&mut machine), Stop::Brk);
    assert_eq!((machine.pc(), machine.steps()), (Addr(0x0202), StepNo(1)));
    let (mut machine, _) = load("mov r1, h\n stw [12], r1\n brk\nafter: halt\nh: mov r2, 9\n reti");
    assert_eq!(go(&mut machine), Stop::Finished(0));
    assert_eq!((machine.register(Reg(2)), machine.cycles()), (9, 2 + 3 + (1 + 4) + 1 + 3 + 1));
}

#[test]
fn a_system_call_with_a_vector_is_the_programs_own() {
    let (mut machine, _) = load("mov r1, h\n stw [14], r1\n sys 0xAB\n halt\nh: ldw r2, [0xFF04]\n reti");
    assert_eq!(go(&mut machine), Stop::Finished(0));
    assert_eq!(machine.register(Reg(2)), 0xAB, "the call number is the trap detail");
}

#[test]
fn the_timer_interrupts_and_its_handler_counts() {
    let (mut machine, _) = load(
        "start: mov r1, tick\n stw [16], r1\n mov r1, 50\n stw [0xFF22], r1\n mov r1, 3\n stw [0xFF24], r1\n ei\n\
         wait: cmp r6, 3\n jltu wait\n di\n halt\n\
         tick: push r1\n inc r6\n mov r1, 7\n stw [0xFF24], r1\n pop r1\n reti",
    );
    assert_eq!(go(&mut machine), Stop::Finished(0));
    assert_eq!(machine.register(Reg(6)), 3);
    assert!((150..300).contains(&machine.cycles()), "{} cycles for three periods of 50", machine.cycles());
    assert_eq!(machine.register(Reg(13)), 0xFE00, "the stack is even");
}

#[test]
fn keys_and_levers_interrupt_when_they_are_armed() {
    let (mut machine, _) = load(
        "start: mov r1, key\n stw [18], r1\n mov r1, lever\n stw [20], r1\n mov r1, 16\n stw [0xFF10], r1\n\
         mov r1, 4\n stw [0xFF34], r1\n ei\nwait: jmp wait\n\
         key: ldw r6, [0xFF12]\n reti\nlever: ldw r7, [0xFF32]\n reti",
    );
    assert_eq!(machine.run(Run::until(StepNo(1000))), Stop::Steps, "an interrupt could come: it does not circle");
    machine.feed(&Event::Typed(b"k".to_vec()));
    machine.run(Run::until(StepNo(1100)));
    assert_eq!(machine.register(Reg(6)), u32::from(b'k'));
    machine.feed(&Event::Levers(2));
    machine.run(Run::until(StepNo(1200)));
    assert_eq!(machine.register(Reg(7)), 0, "that lever is not armed");
    machine.feed(&Event::Levers(6));
    machine.run(Run::until(StepNo(1300)));
    assert_eq!(machine.register(Reg(7)), 6);
}

#[test]
fn jumping_to_itself_is_circling_and_djnz_is_not() {
    for text in
        ["here_: jmp here_", "mov r1, here_\nhere_: jmp r1", "cmp r1, 0\nhere_: jz here_", "ei\nhere_: jmp here_"]
    {
        let (mut machine, _) = load(text);
        assert_eq!(go(&mut machine), Stop::Circling { period: 1 }, "{text}");
    }
    let (mut machine, _) = load("mov r1, 1000\nhere_: djnz r1, here_\n halt");
    assert_eq!(go(&mut machine), Stop::Finished(0));
    assert_eq!(machine.steps(), StepNo(1002));
}

#[test]
fn code_that_writes_code_runs_what_it_wrote() {
    // A raw image may write itself: the second word of `mov r1, 5` becomes 7 between two rounds.
    let bytes: Vec<u8> = [0x2010u16, 5, 0x2020, 7, 0x712F, 0x0202, 0x2030, 2, 0x5403, 0x3101, 0x3502, 0x82F4, 0x0002]
        .iter()
        .flat_map(|word| word.to_le_bytes())
        .collect();
    let image = wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, Addr(0x0200)).unwrap();
    let mut machine = Machine::new(&image, Settings::default());
    machine.run(Run::until(StepNo(3)));
    assert_eq!((machine.register(Reg(1)), machine.word(Addr(0x0202))), (5, 7));
    machine.feed(&Event::SetByte(Addr(0x0200), 0x20));
    assert_eq!(machine.instruction_at(Addr(0x0200)).map(|insn| insn.uses.writes), Some(1 << 2));
}

#[test]
fn memory_knows_what_was_never_written() {
    let (mut machine, _) = load("mov r1, 1\n stb [buffer + 1], r1\n halt\n.data\nbuffer: .space 4\nset: .byte 0");
    assert_eq!(machine.cell(Addr(0x0301)), NeverWritten);
    go(&mut machine);
    let cells: Vec<_> = (0x0300..0x0306).map(|address| machine.cell(Addr(address))).collect();

    assert_eq!(cells, [NeverWritten, Known, NeverWritten, NeverWritten, Known, Unmapped]);
    assert!(machine.register_known(Reg(1)) && !machine.register_known(Reg(2)) && machine.register_known(Reg(13)));
}

#[test]
fn breakpoints_stop_before_and_never_hold_up_what_starts_there() {
    let (mut machine, _) = load("start: inc r1\n inc r1\nloop_: djnz r2, loop_\n halt");
    machine.set_breakpoints(&[Addr(0x0202), Addr(0x0204)]);
    assert_eq!((go(&mut machine), machine.steps()), (Stop::Breakpoint, StepNo(1)));
    assert_eq!((go(&mut machine), machine.steps()), (Stop::Breakpoint, StepNo(2)));
    assert_eq!(
        (go(&mut machine), machine.steps()),
        (Stop::Breakpoint, StepNo(3)),
        "a jump to itself stops at itself again"
    );
    machine.set_breakpoints(&[]);
    assert_eq!(go(&mut machine), Stop::Finished(0));
}

#[test]
fn snapshots_bring_everything_back() {
    let (mut machine, _) = load(
        "start: call deep\n sys get_char\n sys put_char\n sys random\n stw [x], r0\n sys heap_grow\n jmp start\n\
         deep: push r1\n pop r1\n ret\n.data\nx: .space 2",
    );
    machine.run(Run::until(StepNo(2)));
    let early = machine.snapshot();
    let kept = machine.clone();
    machine.feed(&Event::Typed(b"abcdef".to_vec()));
    machine.run(Run::until(StepNo(40)));
    let late = machine.clone();
    machine.restore(&early);
    assert!(machine.same_state(&kept));
    machine.feed(&Event::Typed(b"abcdef".to_vec()));
    machine.run(Run::until(StepNo(40)));
    assert!(machine.same_state(&late));
    assert_eq!(machine.take_output(), b"abcd", "of the second time; the first was dropped");
}

#[test]
fn the_world_is_asked_for_and_answered() {
    let (mut machine, _) = load("sys clock_ms\n mov r6, r0\n mov r0, 250\n sys wait_ms\n halt");
    assert_eq!(go(&mut machine), Stop::Needs(Need::Clock));
    assert_eq!((machine.steps(), machine.cycles()), (StepNo(0), 0));
    machine.feed(&Event::Clock(0x1_2345));
    assert_eq!(go(&mut machine), Stop::Needs(Need::Wait(250)));
    machine.feed(&Event::Waited);
    assert_eq!(go(&mut machine), Stop::Finished(0));
    assert_eq!((machine.register(Reg(6)), machine.register(Reg(0))), (0x2345, 250));
}
