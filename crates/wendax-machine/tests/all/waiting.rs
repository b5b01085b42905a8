//! A wait for the timer is passed over, and everything is as if it had been run.

use proptest::prelude::*;
use std::ops::ControlFlow;
use wendax_machine::{
    Clock, Counting, Counts, Event, Machine, Need, Observer, Report, Run, Settings, StepNo, Stop, Watchful,
};
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

/// What programs do with every device, and waits that hang on each, on keys they take, on calls and on what they keep.
const DEEDS: [&str; 23] = [
    "ldw r{d}, [0xFF{xx}]",
    "ldw r{d}, [0xFF{xx}]",
    "stw [0xFF{xx}], r{s}",
    "w{i}: ldw r1, [0xFF12]\n cmp r1, 'q'\n jnz w{i}",
    "w{i}: ldw r1, [0xFF10]\n tst r1, 1\n jz w{i}",
    "w{i}: ldw r1, [0xFF12]\n tst r1, r1\n jnz w{i}",
    "w{i}: ldw r1, [0xFF24]\n tst r1, 4\n jz w{i}\n mov r1, 5\n stw [0xFF24], r1",
    "w{i}: ldw r1, [0xFF32]\n tst r1, {n}\n jz w{i}",
    "w{i}: stw [0xFF30], r{s}\n ldw r1, [0xFF32]\n tst r1, 1\n jz w{i}",
    "mov r{d}, 6\nw{i}: sys random\n djnz r{d}, w{i}",
    "w{i}: sys get_char\n cmp r0, 'a'\n jz w{i}",
    "w{i}: mov r0, 2\n sys heap_grow\n jnc w{i}",
    "w{i}: clr r0\n sys wait_ms\n ldw r1, [0xFF24]\n tst r1, 4\n jz w{i}",
    "w{i}: mov r0, 1\n mov r1, cell\n mov r2, 2\n sys file_read\n cmp r0, 2\n jz w{i}",
    "mov r0, path\n clr r1\n sys file_open",
    "mov r{d}, {n}",
    "xor r{d}, r{s}",
    "stw [cell], r{s}",
    "push r{s}\n pop r{d}",
    "w{i}: push r{s}\n pop r{d}\n ldw r1, [0xFF24]\n tst r1, 4\n jz w{i}",
    "ei",
    "di",
    // Rewrites an instruction of its own: only where all may be written, else it fails.
    "ldw r1, [p{i}]\n xor r1, 3\n stw [p{i}], r1\np{i}: add r5, 1",
];

/// The same program as bytes alone, all of which may be written.
fn raw(image: &wendax_image::Image) -> wendax_image::Image {
    let (start, bytes) = wendax_image::to_raw(image).expect("it lies close");
    wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, start).expect("it fits")
}

/// Runs on to a step or cycle, in pieces or at once, blind or seen, and answers what is asked.
fn go_on(machine: &mut Machine, run: Run, is_seen: bool) -> Stop {
    for _ in 0..100_000 {
        let stop = if is_seen { machine.run_observed(run, &mut Nobody) } else { machine.run(run) };
        match stop {
            Stop::Needs(Need::Input) => machine.feed(&Event::InputEnds),
            Stop::Needs(Need::File) => {
                let path = machine.wanted_file().expect("it asks for one");
                let found = wendax_machine::Found::Bytes(std::sync::Arc::new(vec![9; 300]));
                machine.feed(&Event::File(path, found));
            }
            Stop::Needs(_) => machine.feed(&Event::Waited),
            Stop::Worked => {}
            other => return other,
        }
    }
    panic!("it comes no further");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Blind, in slices, looking for waits all the time or rarely, or one step at a time: the same machine, whatever a
    /// program does with its devices, keys, files and calls.
    #[test]
    fn blind_is_observed_whatever_the_program_does(
        deeds in proptest::collection::vec((0..DEEDS.len(), 0u8..6, 0u8..6, 0u16..40, 0u32..32), 2..9),
        period in 3u16..400,
        handler in any::<bool>(),
        typed in prop_oneof![Just(String::new()), "a{20,200}q?", "[abq]{1,12}"],
        pieces in proptest::collection::vec((1u64..400, any::<bool>(), 0u32..4, any::<bool>()), 1..8),
        effort in prop_oneof![Just(7u64), Just(60), Just(u64::MAX)],
        is_raw in any::<bool>(),
    ) {
        let mut text = ".code\nstart: mov r0, tick\n".to_owned();
        if handler {
            text.push_str(" stw [16], r0\n stw [18], r0\n stw [20], r0\n mov r0, 0xFFFF\n stw [0xFF34], r0\n");
        }
        text.push_str(&format!(" mov r0, {period}\n stw [0xFF22], r0\n mov r0, 3\n stw [0xFF24], r0\n ei\nagain:\n"));
        for (index, (deed, d, s, n, x)) in deeds.iter().enumerate() {
            let line = DEEDS[*deed].replace("{d}", &d.to_string()).replace("{s}", &s.to_string());
            let line = line.replace("{n}", &n.to_string()).replace("{i}", &index.to_string());
            text.push_str(&format!(" {}\n", line.replace("{xx}", &format!("{:02X}", x * 2))));
        }
        text.push_str(" jmp again\ntick: push r0\n mov r0, 7\n stw [0xFF24], r0\n ldw r0, [0xFF12]\n pop r0\n reti\n");
        text.push_str(".data\ncell: .space 4\npath: .asciz \"list\"\n");
        let (sources, file) = Sources::single("case", text.clone());
        let assembly = wendax_asm::assemble(&sources, file);
        prop_assert!(assembly.is_runnable(), "{}\n{:?}", text, assembly.diagnostics.first());
        let image = if is_raw { raw(&assembly.image) } else { assembly.image };
        let make = |watchful| {
            let settings = Settings { clock: Clock::Cycles, has_folder: true, watchful, ..Settings::default() };
            let mut machine = Machine::new(&image, settings);
            if !typed.is_empty() {
                machine.feed(&Event::Typed(typed.clone().into_bytes()));
            }
            machine
        };
        let (mut close, mut usual, mut single) =
            (make(Watchful::Closely), make(Watchful::Usual), make(Watchful::Usual));
        for (further, by_cycles, levers, more) in pieces {
            for machine in [&mut close, &mut usual, &mut single] {
                machine.feed(&Event::Levers(levers));
                if more && !machine.input_ended() {
                    machine.feed(&Event::Typed(b"aq".to_vec()));
                }
            }
            let run = if by_cycles {
                Run { cycles: single.cycles() + further, ..Run::until(StepNo::LAST) }
            } else {
                Run::until(single.steps() + further)
            };
            let stops = (
                go_on(&mut close, Run { effort, ..run }, false),
                go_on(&mut usual, run, false),
                go_on(&mut single, run, true),
            );
            prop_assert!(stops.0 == stops.2 && stops.1 == stops.2, "{:?}\n{}", stops, text);
            let at = |machine: &Machine| (machine.steps(), machine.cycles(), machine.read(), machine.own_milliseconds());
            prop_assert_eq!((at(&close), at(&usual)), (at(&single), at(&single)), "{}", text);
            prop_assert!(close.same_state(&single) && usual.same_state(&single), "{}", text);
            if stops.2.is_end() {
                break;
            }
        }
        prop_assert_eq!(single.passed_over(), 0);
    }
}

/// A wait is passed over with and without keys waiting: what counts is what changes.
#[test]
fn a_wait_with_keys_that_nobody_takes_is_passed_over() {
    let text = program(10_000, "ldw r2, [0xFF10]\n cmp r2, 0xFFFF\n jltu main", "", "");
    let mut machine = machine(&text);
    machine.feed(&Event::Typed(b"waiting".to_vec()));
    machine.run(Run::until(StepNo(5_000_000)));
    assert!(machine.passed_over() > 4_000_000 && machine.pending_input() == 7, "{}", machine.passed_over());
    let text = program(10_000, "ldw r2, [0xFF12]\n cmp r2, 'x'\n jnz main", "", "");
    let mut machine = self::machine(&text);
    machine.feed(&Event::Typed(vec![b'a'; 500_000]));
    machine.run(Run::until(StepNo(600_000)));
    // Each key is taken by a step of its own; nothing was passed over while there were any.
    assert_eq!(machine.passed_over(), 0);
    assert!(machine.read() > 150_000);
}

/// While rounds are looked for, an instruction that was just rewritten is not run as it was.
#[test]
fn what_is_rewritten_on_the_way_is_run_as_it_is_now() {
    let text = "start: mov r0, 60000\n stw [0xFF22], r0\n mov r0, 1\n stw [0xFF24], r0\n\
                again: ldw r1, [patch]\n xor r1, 3\n stw [patch], r1\npatch: add r5, 1\n djnz r6, again\n halt\n";
    let (sources, file) = Sources::single("case", text);
    let image = raw(&wendax_asm::assemble(&sources, file).image);
    for watchful in [Watchful::Closely, Watchful::Usual] {
        let settings = Settings { watchful, ..Settings::default() };
        let (mut blind, mut counted) = (Machine::new(&image, settings.clone()), Machine::new(&image, settings));
        blind.run(Run::until(StepNo(40_000)));
        // It adds 2 and 1 by turns.
        assert_eq!(blind.register(wendax_machine::Reg(5)), 3 * 4_000 - 1, "{watchful:?}");
        let mut counting = Counting::new(&mut counted);
        counted.run_counted(Run::until(StepNo(40_000)), &mut counting);
        let patch = counting.counts().places;
        let times: Vec<u64> =
            patch.iter().filter(|place| place.code[0] & 0xFFFC == 0x3150).map(|place| place.times).collect();
        assert_eq!(times.iter().sum::<u64>(), 7_999, "{watchful:?}: {times:?}");
        assert_eq!(times.len(), 2);
    }
}

/// A bound of output is met at the same step whether or not rounds are looked for meanwhile.
#[test]
fn a_bound_of_output_is_met_at_one_step_whoever_looks() {
    let text = "start: mov r0, 60000\n stw [0xFF22], r0\n mov r0, 1\n stw [0xFF24], r0\n mov r1, 'x'\n\
                again: stw [0xFF12], r1\n xor r2, 1\n jmp again\n";
    let (sources, file) = Sources::single("case", text);
    let image = wendax_asm::assemble(&sources, file).image;
    for watchful in [Watchful::Closely, Watchful::Usual] {
        let settings = Settings { watchful, ..Settings::default() };
        let make = || Machine::new(&image, settings.clone());
        let (mut blind, mut seen, mut counted) = (make(), make(), make());
        let mut counting = Counting::new(&mut counted);
        for printed in [3, 100, 5_000] {
            let run = Run { printed, ..Run::until(StepNo(100_000)) };
            let stops = [blind.run(run), seen.run_observed(run, &mut Nobody), counted.run_counted(run, &mut counting)];
            assert_eq!(stops, [Stop::Printed, Stop::Printed, Stop::Printed], "{watchful:?} {printed}");
            assert_eq!([blind.printed(), seen.printed(), counted.printed()], [printed; 3], "{watchful:?}");
            assert_eq!([blind.steps(), counted.steps()], [seen.steps(); 2], "{watchful:?} {printed}");
        }
    }
}
