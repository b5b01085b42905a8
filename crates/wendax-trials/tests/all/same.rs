//! A trial gives exactly what running the program gives; rows do not hang on their order, their number or on threads.

use crate::common::report;
use proptest::prelude::*;
use std::fmt::Write as _;
use wendax_machine::{Clock, Event, Machine, Run, Settings, StepNo, Stop};
use wendax_trials::Outcome;

/// A program of random instructions that reads, prints and ends, or not.
fn program() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        (0_u8..8, -40_i32..40).prop_map(|(register, value)| format!(" mov r{register}, {value}")),
        (0_u8..8, 0_u8..8).prop_map(|(a, b)| format!(" add r{a}, r{b}")),
        (0_u8..8, 0_u8..8).prop_map(|(a, b)| format!(" sub r{a}, r{b}")),
        (0_u8..8, 0_u8..8).prop_map(|(a, b)| format!(" div r{a}, r{b}")),
        Just(" sys get_int".to_owned()),
        Just(" sys put_int".to_owned()),
        Just(" mov r0, 9\n sys random".to_owned()),
        Just(" sys get_char".to_owned()),
        (0_u8..8).prop_map(|register| format!(" stw [cell], r{register}")),
        (0_u8..8).prop_map(|register| format!(" ldw r{register}, [cell]")),
        (0_usize..12).prop_map(|to| format!(" jz l{to}")),
        (0_usize..12).prop_map(|to| format!(" jc l{to}")),
        Just(" sys exit".to_owned()),
    ];
    prop::collection::vec(piece, 12..20).prop_map(|pieces| {
        let mut text = "start:\n".to_owned();
        for (index, piece) in pieces.iter().enumerate() {
            let _ = writeln!(text, "l{index}:{piece}");
        }
        text + " mov r0, 1\n sys exit\n.data\ncell: .word 3\n"
    })
}

/// The simpler way: a machine alone, run to its end.
fn plain(program: &str, typed: &str, seed: u64) -> (Stop, Vec<u8>, u64, Vec<u32>) {
    let (sources, file) = wendax_source::Sources::single("main.asm", program);
    let image = wendax_asm::assemble(&sources, file).image;
    let mut machine = Machine::new(&image, Settings { seed, clock: Clock::Cycles, ..Settings::default() });
    machine.feed(&Event::Typed(typed.as_bytes().to_vec()));
    machine.feed(&Event::InputEnds);
    let mut printed = Vec::new();
    loop {
        let stop = machine.run(Run { watch: wendax_machine::Watch::Idle, ..Run::until(StepNo(20_000)) });
        printed.extend(machine.take_output());
        if let Stop::Needs(_) = stop {
            machine.feed(&Event::Waited);
            continue;
        }
        let registers = machine.target().registers().map(|(register, _)| machine.register(register)).collect();
        return (stop, printed, machine.cycles(), registers);
    }
}

/// The row that expects just that.
fn row(
    name: &str,
    typed: &str,
    seed: u64,
    (stop, printed, cycles, registers): &(Stop, Vec<u8>, u64, Vec<u32>),
) -> String {
    let printed = String::from_utf8_lossy(printed).replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n");
    let end = match stop {
        Stop::Finished(status) => format!("status = {status}"),
        Stop::Fault(fault) => format!("ends = \"fault {}\"", fault.trap),
        _ => "ends = \"brk\"".to_owned(),
    };
    let holds: Vec<String> =
        registers.iter().take(8).enumerate().map(|(index, value)| format!("r{index} = {value}")).collect();
    format!(
        "[[row]]\nname = \"{name}\"\ntyped = \"{}\"\nseed = {seed}\nprints = \"{printed}\"\n{end}\nholds = {{ {} }}\ncycles = {cycles}\n",
        typed.replace('\n', "\\n"),
        holds.join(", ")
    )
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, ..ProptestConfig::default() })]

    #[test]
    fn a_trial_is_what_a_run_is(text in program(), inputs in prop::collection::vec(("(-?[0-9]{1,3}\n){0,4}", 0_u64..9), 1..6), threads in 1_usize..4) {
        let runs = inputs.iter().map(|(typed, seed)| plain(&text, typed, *seed));
        // When it is seen that a run goes round and round is the matter of whoever looks.
        let ends = |stop: &Stop| matches!(stop, Stop::Finished(_) | Stop::Fault(_) | Stop::Brk);
        let (inputs, runs): (Vec<_>, Vec<_>) = inputs.iter().zip(runs).filter(|(_, run)| ends(&run.0)).unzip();
        prop_assume!(!runs.is_empty());
        // What is printed may be no text; then nothing can be written of it in a table.
        let is_text = |bytes: &[u8]| std::str::from_utf8(bytes).is_ok_and(|text| !text.contains(|sign: char| sign.is_control() && sign != '\n'));
        prop_assume!(runs.iter().all(|run| is_text(&run.1)));
        let rows: Vec<String> = inputs.iter().zip(&runs).enumerate()
            .map(|(index, ((typed, seed), run))| row(&format!("row {index}"), typed, *seed, run)).collect();
        let table = format!("limits = {{ steps = 20000 }}\n{}", rows.concat());
        let one = report(&text, &table, 1);
        for (outcome, run) in one.outcomes.iter().zip(&runs) {
            prop_assert!(outcome.is_passed(), "{text}\n{table}\n{:?}", outcome.why());
            prop_assert_eq!(outcome.cycles.unwrap().most, run.2);
        }
        // In another order and on several threads each is the same.
        let turned: Vec<String> = rows.iter().rev().cloned().collect();
        let other = report(&text, &format!("limits = {{ steps = 20000 }}\n{}", turned.concat()), threads);
        let plain = |outcome: &Outcome| (outcome.name.clone(), outcome.failed, outcome.failing.clone(), outcome.cycles);
        let mut back: Vec<_> = other.outcomes.iter().map(plain).collect();
        back.reverse();
        prop_assert_eq!(back, one.outcomes.iter().map(plain).collect::<Vec<_>>());
    }

    /// Whichever thread comes to a failing run first: the first one by its values is told.
    #[test]
    fn the_first_run_that_fails_is_told_on_any_number_of_threads(limit in -20_i64..20) {
        let text = "start: sys get_int\n cmp r0, 7\n jgt high\n clr r0\n sys exit\nhigh: mov r0, 1\n sys exit\n";
        let table = format!("[[row]]\nname = \"it\"\nvary = {{ a = \"-30..30\" }}\ntyped = \"{{a}}\\n\"\nstatus = \"{{a}} > {limit}\"\n");
        let told: Vec<_> = [1, 2, 5].map(|threads| report(text, &table, threads)).into();
        prop_assert_eq!(&told[0], &told[1]);
        prop_assert_eq!(&told[0], &told[2]);
        let failing = told[0].outcomes[0].failing.as_ref();
        let wanted = (-30..=30).find(|a| (*a > 7) != (*a > limit));
        prop_assert_eq!(failing.map(|failing| i64::try_from(failing.case).unwrap() - 30), wanted);
    }
}

#[test]
fn a_row_that_never_ends_costs_its_limit_and_not_the_others_theirs() {
    let text = "start: sys get_int\n jc done\nround: inc r1\n jmp round\ndone: clr r0\n sys exit\n";
    let table = "limits = { steps = 5000 }\n[[row]]\nname = \"endless\"\ntyped = \"1\\n\"\n[[row]]\nname = \"well\"\nstatus = 0\n";
    let report = report(text, table, 2);
    assert!(
        report.outcomes[0].why().unwrap().starts_with("it had not ended when its steps were used up, at step 5 000")
    );
    assert!(report.outcomes[1].is_passed());
}
