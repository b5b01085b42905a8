//! A wait for the timer is passed over, and everything is as if it had been run.

use proptest::prelude::*;
use std::ops::ControlFlow;
use wendax_machine::{Counting, Counts, Event, Machine, Observer, Report, Run, Settings, StepNo, Stop};
use wendax_source::Sources;

struct Nobody;

impl Observer for Nobody {
    const WRITES: bool = false;

    fn see(&mut self, _: &Report) -> ControlFlow<()> {
        ControlFlow::Continue(())
    }
}

fn machine(text: &str) -> Machine {
    let (sources, file) = Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
    Machine::new(&assembly.image, Settings::default())
}

/// A timer with a handler, and a loop that waits for it in one of several ways.
fn program(period: u16, wait: &str, handler: &str, extra: &str) -> String {
    format!(
        ".code\nstart: mov r0, tick\n stw [16], r0\n mov r0, {period}\n stw [0xFF22], r0\n mov r0, 3\n stw [0xFF24], r0\n \
         ei\nmain: {wait}\n{extra} jmp main\n\
         tick: push r0-r1\n mov r0, 7\n stw [0xFF24], r0\n ldw r0, [count]\n inc r0\n stw [count], r0\n{handler} pop r0-r1\n reti\n\
         look: push r1\n ldw r1, [count]\n pop r1\n ret\n\
         .data\ncount: .word 0\nseen: .word 0\ncell: .space 4\n"
    )
}

const WAITS: [&str; 9] = [
    "nop",
    "ldw r2, [count]\n cmp r2, 3\n jltu main",
    "call look\n ldw r4, [count]\n tst r4, 1",
    "inc r3",
    "mov r5, 40\ninner: djnz r5, inner",
    "ldw r2, [0xFF24]\n tst r2, 4\n jz main",
    "ldw r2, [0xFF20]\n stw [cell], r2",
    "ldw r2, [0xFF32]\n stw [0xFF30], r2",
    "xor r6, 1\n push r6\n pop r7\n ldw r2, [0xFF10]",
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Whether rounds are passed over or run: the same state at each step looked at.
    #[test]
    fn passing_over_a_wait_is_running_it(
        period in 20u16..3000, wait in 0..WAITS.len(), extra in 0..WAITS.len(), on in any::<bool>(),
        stops in proptest::collection::vec((1u64..9000, any::<bool>(), 0u32..4), 1..6),
    ) {
        let extra = WAITS[extra].replace("main", "next").replace("inner", "inmost");
        let wait = WAITS[wait];
        let text = program(period, wait, if on { "" } else { " nop\n" }, &format!("next: {extra}\n"));
        let (mut blind, mut seen) = (machine(&text), machine(&text));
        for (further, by_cycles, levers) in stops {
            blind.feed(&Event::Levers(levers));
            seen.feed(&Event::Levers(levers));
            let until = blind.steps() + further * 20;
            let run = if by_cycles {
                Run { cycles: blind.cycles() + further * 20, ..Run::until(StepNo::LAST) }
            } else {
                Run::until(until)
            };
            let stops = (blind.run(run), seen.run_observed(run, &mut Nobody));
            prop_assert_eq!(&stops.0, &stops.1, "{}", text);
            prop_assert_eq!((blind.steps(), blind.cycles()), (seen.steps(), seen.cycles()), "{}", text);
            prop_assert!(blind.same_state(&seen), "{}", text);
        }
        prop_assert_eq!(seen.passed_over(), 0);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    /// What is passed over is counted as often as it would have been run.
    #[test]
    fn rounds_passed_over_are_counted_like_rounds_that_are_run(
        period in 20u16..3000, wait in 0..WAITS.len(), extra in 0..WAITS.len(), steps in 2_000u64..30_000,
    ) {
        let extra = WAITS[extra].replace("main", "next").replace("inner", "inmost");
        let text = program(period, WAITS[wait], "", &format!("next: {extra}\n"));
        let (mut passing, mut single) = (machine(&text), machine(&text));
        let (mut counted, mut wanted) = (Counting::new(&mut passing), Counting::new(&mut single));
        passing.run_counted(Run::until(StepNo(steps)), &mut counted);
        for step in 1..=steps {
            single.run_counted(Run::until(StepNo(step)), &mut wanted);
        }
        // Over a wait the stack counts as deep as it is at its deepest; its short stretches are not told one by one.
        let plain = |counting: &Counting| {
            let mut counts = Counts { stretches: Vec::new(), shortest_stretch: 0, ..counting.counts() };
            counts.depths.bytes.clear();
            counts
        };
        prop_assert_eq!(single.passed_over(), 0);
        prop_assert_eq!(plain(&counted), plain(&wanted), "{} passed over\n{}", passing.passed_over(), text);
    }
}

#[test]
fn an_idle_loop_costs_next_to_nothing() {
    let text = program(10_000, "ldw r2, [count]\n cmp r2, 0xFFFF\n jltu main", "", "");
    let mut machine = machine(&text);
    assert_eq!(machine.run(Run::until(StepNo(100_000_000))), Stop::Steps);
    let run = machine.effort();
    assert!(run < 25_000_000, "{run} steps of 100 million were run, or worth of work done");
    // What is really run is bounded, whatever is passed over.
    assert_eq!(machine.run(Run { effort: 5_000, ..Run::until(StepNo::LAST) }), Stop::Worked);
    let plain = machine.effort_since(run);
    assert!((5_000..6_000).contains(&plain), "{plain}");
}

/// What was really run is known also where more was passed over once than was taken: after going back.
#[test]
fn steps_really_run_are_counted_after_going_back() {
    let text = program(10_000, "ldw r2, [count]\n cmp r2, 0xFFFF\n jltu main", "", "");
    let mut machine = machine(&text);
    let start = machine.snapshot();
    machine.run(Run::until(StepNo(400_000)));
    let passed = machine.passed_over();
    assert!((100_000..400_000).contains(&passed), "{passed}");
    machine.restore(&start);
    let mark = machine.effort();
    // Whoever observes sees each step: none is passed over, so that what is run comes to more than was passed over.
    machine.run_observed(Run::until(StepNo(passed + 50_000)), &mut Nobody);
    let done = machine.effort_since(mark);
    assert!((passed + 50_000..passed + 60_000).contains(&done), "{done}");
}

#[test]
fn a_wait_that_polls_the_timer_is_passed_over_and_one_that_nothing_ends_is_circling() {
    let polls = "start: mov r0, 5000\n stw [0xFF22], r0\n mov r0, 1\n stw [0xFF24], r0\n\
                 main: ldw r1, [0xFF24]\n tst r1, 4\n jz main\n mov r0, 5\n stw [0xFF24], r0\n inc r2\n jmp main\n";
    let mut machine = machine(polls);
    machine.run(Run { watch: wendax_machine::Watch::Idle, ..Run::until(StepNo(10_000_000)) });
    assert!(machine.steps() == StepNo(10_000_000) && machine.passed_over() > 8_000_000, "{}", machine.passed_over());
    let stopped = polls.replace("mov r0, 1\n", "clr r0\n");
    let mut machine = self::machine(&stopped);
    let stop = machine.run(Run { watch: wendax_machine::Watch::Circling, ..Run::until(StepNo(10_000_000)) });
    assert!(matches!(stop, Stop::Circling { .. }), "{stop:?}: a timer that stands never expires");
}
