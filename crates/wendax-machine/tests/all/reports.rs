//! What the machine reports of each step: its kind, what it wrote, and that a traced run is the same run.

use proptest::prelude::*;
use std::ops::ControlFlow;
use wendax_machine::{Addr, Reg, StepNo};
use wendax_machine::{Event, Machine, Observer, Report, Run, Settings, StepKind, Stop, Write, Writer};

/// Keeps every report.
#[derive(Default)]
struct All(Vec<Report>);

impl Observer for All {
    const WRITES: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        self.0.push(report.clone());
        ControlFlow::Continue(())
    }
}

fn machine(text: &str) -> Machine {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}: {:?}", assembly.diagnostics);
    Machine::new(&assembly.image, Settings::default())
}

fn reports(machine: &mut Machine, steps: u64) -> Vec<Report> {
    let mut all = All::default();
    machine.run_observed(Run::until(StepNo(steps)), &mut all);
    all.0
}

#[test]
fn each_kind_of_step_says_so() {
    let mut machine = machine(
        "start: mov r1, h\n stw [8], r1\n mov r1, g\n stw [12], r1\n stw [16], r1\n mov r1, 3\n stw [0xFF22], r1\n stw [0xFF24], r1\n\
         sys put_int\n div r1, r2\n brk\n ei\n nop\n halt\nh: pop r5\n add r5, 2\n push r5\ng: reti\n",
    );
    let all = reports(&mut machine, 40);
    let kinds: Vec<StepKind> =
        all.iter().map(|report| report.kind).filter(|kind| *kind != StepKind::Instruction).collect();
    let wanted = [StepKind::Call(0x12), StepKind::Trap(4), StepKind::Trap(6), StepKind::Interrupt(8)];
    assert_eq!(kinds[..4], wanted);
    let trap = all.iter().find(|report| report.kind == StepKind::Trap(4)).expect("it was entered");
    assert_eq!((trap.length, trap.cycles), (0, 4), "nothing of the division happened");
    let brk = all.iter().find(|report| report.kind == StepKind::Trap(6)).expect("it was entered");
    assert_eq!((brk.length, brk.cycles), (2, 5), "the entry belongs to the instruction");
    let interrupt = all.iter().find(|report| report.kind == StepKind::Interrupt(8)).expect("the timer asked");
    let stored = interrupt.writes.iter().filter(|write| matches!(write, Write::Memory { .. })).count();
    assert_eq!((stored, interrupt.flags.touched), (2, 16), "flags and the way back; I is cleared");
}

#[test]
fn what_a_step_writes_is_told_old_and_new_even_when_it_is_the_same() {
    let mut machine = machine(
        "start: mov r1, 5\n mov r1, 5\n stw [room], r1\n stw [room], r1\n stw [0xFF24], r1\n mov r0, room + 2\n mov r1, 6\n\
         sys get_line\n mov r0, room + 2\n sys get_line\n halt\n.data\nroom: .space 20\n",
    );
    machine.feed(&Event::Typed(b"ab\ncd\n".to_vec()));
    let all = reports(&mut machine, 10);
    let register = |step: usize| all[step].writes[0];
    assert_eq!(register(0), Write::Register { register: Reg(1), old: 0, new: 5, was_known: false });
    assert_eq!(register(1), Write::Register { register: Reg(1), old: 5, new: 5, was_known: true });
    assert_eq!(register(2), Write::Memory { address: Addr(0x0300), length: 2, old: 0, new: 5, was_known: false });
    assert_eq!(register(3), Write::Memory { address: Addr(0x0300), length: 2, old: 5, new: 5, was_known: true });
    assert_eq!(register(4), Write::Device { address: Addr(0xFF24), old: 0, new: 1 });
    assert_eq!(all[7].writes[1], Write::Buffer { address: Addr(0x0302), length: 3, was_known: false });
    assert_eq!((all[7].buffer(), all[7].consumed), ((&b"\0\0\0"[..], &b"ab\0"[..]), 3));
    assert_eq!(all[9].writes[1], Write::Buffer { address: Addr(0x0302), length: 3, was_known: true });
    assert_eq!(all[9].buffer(), (&b"ab\0"[..], &b"cd\0"[..]));
}

#[test]
fn a_breakpoint_stays_when_a_run_fails_at_its_odd_neighbour() {
    let mut machine = machine("start: mov r1, 0x0207\n jmp r1\n nop\n halt\n");
    machine.set_breakpoints(&[Addr(0x0206)]);
    let start = machine.snapshot();
    for _ in 0..2 {
        assert!(matches!(machine.run(Run::until(StepNo(9))), Stop::Fault(_)));
    }
    machine.restore(&start);
    machine.run(Run::until(StepNo(1)));
    machine.feed(&Event::SetRegister(Reg(1), 0x0206));
    assert_eq!(machine.run(Run::until(StepNo(9))), Stop::Breakpoint);
}

#[test]
fn flags_know_who_wrote_them() {
    let mut machine = machine("start: mov r1, h\n stw [12], r1\n add r2, 1\n shl r2, r3\n brk\nh: halt\n");
    let flag = |machine: &Machine, bit: u32| machine.flag_writer(bit);
    machine.run(Run::until(StepNo(2)));
    assert_eq!(flag(&machine, 1), None);
    machine.run(Run::until(StepNo(4)));
    let by = |address: u32| Some(Writer::Instruction(Addr(address)));
    assert_eq!((flag(&machine, 1), flag(&machine, 2)), (by(0x0208), by(0x020A)), "a shift by nothing leaves C");
    machine.run(Run::until(StepNo(5)));
    assert_eq!(flag(&machine, 16), Some(Writer::Entry(6)));
    machine.feed(&Event::SetFlags(3));
    assert_eq!(flag(&machine, 2), Some(Writer::Person));
}

#[test]
fn a_clock_made_of_cycles_asks_nobody() {
    let (sources, file) = wendax_source::Sources::single(
        "clock",
        "start: mov r0, 250\n sys wait_ms\n mov r1, 3000\n@l: djnz r1, @l\n sys clock_ms\n halt\n",
    );
    let settings = Settings { clock: wendax_machine::Clock::Cycles, ..Settings::default() };
    let mut machine = Machine::new(&wendax_asm::assemble(&sources, file).image, settings);
    assert_eq!(machine.run(Run::until(StepNo(10_000))), Stop::Finished(0));
    assert_eq!(machine.register(Reg(0)), 256, "250 waited, and 6,000 cycles of counting");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Traced, observed one step at a time, or blind: the same run, whatever the bytes.
    #[test]
    fn a_traced_run_is_the_same_run(bytes in proptest::collection::vec(any::<u8>(), 2..200), typed in "[ -~\n]{0,12}") {
        let image = wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, Addr(0x0200)).expect("it fits");
        let mut blind = Machine::new(&image, Settings::default());
        blind.feed(&Event::Typed(typed.into_bytes()));
        blind.feed(&Event::InputEnds);
        let (mut traced, mut single) = (blind.clone(), blind.clone());
        let mut all = All::default();
        let stop = blind.run(Run::until(StepNo(300)));
        prop_assert_eq!(&traced.run_observed(Run::until(StepNo(300)), &mut all), &stop);
        while single.steps() < blind.steps() {
            single.run_observed(Run::until(single.steps() + 1), &mut All::default());
        }
        prop_assert!(blind.same_state(&traced) && blind.same_state(&single));
        prop_assert_eq!(StepNo(all.0.len() as u64), blind.steps());
        for (report, step) in all.0.iter().zip(0..) {
            prop_assert_eq!(report.step, StepNo(step));
        }
        prop_assert!(all.0.windows(2).all(|pair| pair[0].next == pair[1].pc));
    }
}

/// Keeps what came from outside at each step, and asks for nothing else.
#[derive(Default)]
struct Arrivals(Vec<usize>);

impl Observer for Arrivals {
    const WRITES: bool = false;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        self.0.push(report.came.len());
        ControlFlow::Continue(())
    }
}

#[test]
fn what_came_from_outside_is_told_by_one_step_alone() {
    for text in ["start: inc r1\n nop\n jmp start\n", ".target rv32\n_start: addi t0, t0, 1\n nop\n j _start\n"] {
        let mut machine = machine(text);
        machine.run(Run::until(StepNo(2)));
        machine.feed(&Event::Levers(5));
        let mut arrivals = Arrivals::default();
        machine.run_observed(Run::until(StepNo(6)), &mut arrivals);
        assert_eq!(arrivals.0, [1, 0, 0, 0], "{text}");
    }
}
