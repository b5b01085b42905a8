//! Several instructions in one go against one after another: whatever stands where within a group, and wherever a slice,
//! a stop, an interrupt or a fault falls, both come to the same.
//!
//! A run of single steps never has room for a group, so it is the reference; [`Watchful::Closely`] begins groups however
//! little is left and returns from them often.

use proptest::prelude::*;
use std::ops::ControlFlow;
use wendax_isa::w16::{Cond, Insn, Op, Row, encode, rows};
use wendax_machine::{
    Addr, Counting, Event, Lookout, Machine, Observer, Reg, Report, Run, Settings, StepNo, Stop, Watchful,
};

/// Where code begins; behind it lies data that it may write as well, and code that it may rewrite.
const START: u16 = 0x0200;

fn settings(watchful: Watchful) -> Settings {
    Settings { watchful, seed: 7, ..Settings::default() }
}

fn image(code: &[u16]) -> wendax_image::Image {
    let mut bytes: Vec<u8> = code.iter().flat_map(|word| word.to_le_bytes()).collect();
    bytes.resize(0x300, 0x55);
    wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, Addr(START.into())).expect("it fits")
}

/// Takes one step after another up to a step, or to where something else stops it.
pub(crate) fn step_by_step(machine: &mut Machine, how: Run) -> Stop {
    loop {
        let until = StepNo((machine.steps() + 1).0.min(how.until.0));
        match machine.run(Run { until, ..how }) {
            Stop::Steps if machine.steps() < how.until => {}
            stop => return stop,
        }
    }
}

/// Both are the same to whoever looks, and will be.
#[track_caller]
fn same(fast: &mut Machine, slow: &mut Machine, what: &dyn std::fmt::Debug) -> Result<(), TestCaseError> {
    prop_assert_eq!(fast.steps(), slow.steps(), "steps of {:?}", what);
    prop_assert_eq!(fast.cycles(), slow.cycles(), "cycles of {:?}", what);
    prop_assert_eq!(fast.pc(), slow.pc(), "pc of {:?}", what);
    for index in 0..14 {
        let register = Reg::at(index);
        prop_assert_eq!(fast.register(register), slow.register(register), "r{} of {:?}", index, what);
        prop_assert_eq!(fast.register_known(register), slow.register_known(register), "r{} of {:?}", index, what);
    }
    prop_assert_eq!(fast.flags(), slow.flags(), "flags of {:?}", what);
    for bit in [1, 2, 16] {
        prop_assert_eq!(fast.flag_writer(bit), slow.flag_writer(bit), "who wrote flag {} of {:?}", bit, what);
    }
    prop_assert_eq!(fast.frames(), slow.frames(), "frames of {:?}", what);
    prop_assert!(fast.same_state(slow), "state of {:?}", what);
    Ok(())
}

/// Any instruction, with operands that often lead to code, data, the stack and devices.
fn instruction(rewrites: bool) -> impl Strategy<Value = Vec<u16>> {
    let usable: Vec<&'static Row> = rows().iter().filter(|row| !matches!(row.op, Op::Halt | Op::Brk)).collect();
    let value = prop_oneof![
        4 => 0u16..16,
        4 => (0u16..40).prop_map(|n| START + 0x200 + 2 * n),
        3 => (0u16..40).prop_map(move |n| START + 2 * n + if rewrites { 0 } else { 0x100 }),
        1 => Just(0xFDF0u16),
        1 => (0u16..10).prop_map(|n| 0xFF10 + 2 * n),
        1 => any::<u16>()
    ];
    (0..usable.len(), 0u8..14, prop_oneof![0u8..14, Just(15u8)], value).prop_map(move |(row, a, b, value)| {
        let near = usable[row].pattern.ends_with('x');
        let value = if near { (value % 32).wrapping_sub(12).wrapping_mul(2) } else { value };
        let b = if usable[row].form.contains("[b") { b } else { b.min(13) };
        let a = if a == 13 { 12 } else { a };
        words(Insn::new(usable[row], a, b, value)).collect()
    })
}

/// A machine before its first step: registers of which some are known, a handler for each vector or none, a timer.
fn made(
    code: &[u16],
    watchful: Watchful,
    (registers, known): ([u16; 13], u16),
    (handler, timer): (Option<u16>, Option<u16>),
) -> Machine {
    let mut machine = Machine::new(&image(code), settings(watchful));
    for (index, value) in registers.into_iter().enumerate().filter(|(index, _)| known >> index & 1 != 0) {
        machine.feed(&Event::SetRegister(Reg::at(index), value.into()));
    }
    if let Some(handler) = handler {
        for vector in 1..11u32 {
            let [low, high] = handler.to_le_bytes();
            machine.feed(&Event::SetByte(Addr(2 * vector), low.into()));
            machine.feed(&Event::SetByte(Addr(2 * vector + 1), high.into()));
        }
    }
    if let Some(period) = timer {
        // What a program would store, by instructions of its own that run first.
        machine.feed(&Event::SetRegister(Reg(12), period.into()));
    }
    machine.feed(&Event::Typed(b"some text\n12\n".to_vec()));
    machine.feed(&Event::InputEnds);
    machine
}

/// What starts the timer with the period in r12 and allows interrupts.
fn start_timer() -> Vec<u16> {
    let row = |op: Op, words: u8| rows().iter().find(|row| row.op == op && row.words() == words).expect("it exists");
    let store = |address| Insn::new(row(Op::Stw, 2), 12, 15, address);
    let insns = [
        store(0xFF22),
        Insn::new(rows().iter().find(|row| row.op == Op::Mov && row.has_word()).expect("it exists"), 12, 15, 3),
        store(0xFF24),
        Insn::new(row(Op::Ei, 1), 0, 15, 0),
    ];
    insns.into_iter().flat_map(words).collect()
}

/// The words of an instruction.
fn words(insn: Insn) -> impl Iterator<Item = u16> {
    let (first, second) = encode(insn);
    std::iter::once(first).chain(second)
}

/// A jump that is always taken, to where code begins.
fn back_to_start() -> impl Iterator<Item = u16> {
    let jump = rows().iter().find(|row| matches!(row.op, Op::Jump(Cond::Always)) && row.has_word());
    words(Insn::new(jump.expect("it exists"), 0, 15, START))
}

/// Looks at each step and does nothing with it.
struct Nothing;

impl Observer for Nothing {
    const WRITES: bool = true;

    fn see(&mut self, _: &Report) -> ControlFlow<()> {
        ControlFlow::Continue(())
    }
}

/// Keeps what it is told, until it has seen so much.
struct Kept<'a, const WRITES: bool, const READS: bool>(&'a mut Vec<Report>, usize);

impl<const WRITES: bool, const READS: bool> Observer for Kept<'_, WRITES, READS> {
    const WRITES: bool = WRITES;
    const READS: bool = READS;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        self.0.push(report.clone());
        if self.0.len() < self.1 { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    }
}

fn told(machine: &mut Machine, how: Run, (wants, most): (u8, usize), reports: &mut Vec<Report>) -> Stop {
    match wants {
        0 => machine.run_observed(how, &mut Kept::<false, false>(reports, most)),
        1 => machine.run_observed(how, &mut Kept::<true, false>(reports, most)),
        _ => machine.run_observed(how, &mut Kept::<true, true>(reports, most)),
    }
}

/// Who looks at steps, and who counts them, is told the same however many go at once, and so is who has seen enough.
pub(crate) fn told_alike(
    fast: &mut Machine,
    slow: &mut Machine,
    how: Run,
    who: (u8, usize),
) -> Result<Stop, TestCaseError> {
    let (mut of_fast, mut of_slow) = (Vec::new(), Vec::new());
    let (mut counted, mut single) = (slow.clone(), slow.clone());
    let stop = told(fast, how, who, &mut of_fast);
    let one = |machine: &Machine| Run { until: StepNo((machine.steps() + 1).0.min(how.until.0)), ..how };
    let wanted = loop {
        match told(slow, one(slow), who, &mut of_slow) {
            Stop::Steps if slow.steps() < how.until => {}
            stop => break stop,
        }
    };
    for (fast, slow) in of_fast.iter().zip(&of_slow) {
        prop_assert_eq!(fast, slow);
    }
    prop_assert_eq!((&stop, of_fast.len()), (&wanted, of_slow.len()));
    let mut counts = [Counting::new(&mut counted), Counting::new(&mut single)];
    let stop = counted.run_counted(how, &mut counts[0]);
    let single_stop = loop {
        match single.run_counted(one(&single), &mut counts[1]) {
            Stop::Steps if single.steps() < how.until => {}
            stop => break stop,
        }
    };
    prop_assert_eq!(stop, single_stop);
    prop_assert!(counted.same_state(&single));
    let [mut counts, mut wanted_counts] = counts.map(|counting| counting.counts());
    // Rounds of a wait that are passed over count as deep as the deepest of them all along.
    let depths = [&mut counts, &mut wanted_counts].map(|counts| std::mem::take(&mut counts.depths.bytes));
    prop_assert!(depths[0].iter().zip(&depths[1]).all(|(passed, single)| passed >= single), "{:?}", depths);
    if counted.passed_over() > 0 {
        // Its short stretches are not told one by one.
        for counts in [&mut counts, &mut wanted_counts] {
            (counts.stretches, counts.shortest_stretch) = (Vec::new(), 0);
        }
    }
    prop_assert_eq!(counts, wanted_counts);
    Ok(wanted)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1500))]

    /// Random programs that loop, rewrite themselves or not, with interrupts or without: the same at the end of each slice.
    #[test]
    fn one_go_is_one_step_after_another(
        body in any::<bool>().prop_flat_map(|rewrites| proptest::collection::vec(instruction(rewrites), 1..24)),
        registers in proptest::array::uniform13(prop_oneof![0u16..40, START..START + 0x300, any::<u16>()]),
        known in prop_oneof![Just(0x1FFFu16), any::<u16>()],
        has_timer in any::<bool>(), period in 17u16..300, has_handler in any::<bool>(),
        slices in proptest::collection::vec(1u64..400, 1..8),
        closely in any::<bool>(),
    ) {
        let mut code = if has_timer { start_timer() } else { Vec::new() };
        code.extend(body.concat());
        // Back to the start, and what a handler does.
        code.extend(back_to_start());
        let handler = START + 2 * u16::try_from(code.len()).expect("it is short");
        let reti = rows().iter().find(|row| row.op == Op::Reti).expect("it exists");
        code.push(encode(Insn::new(reti, 0, 15, 0)).0);
        let make = |watchful| {
            made(&code, watchful, (registers, known), (has_handler.then_some(handler), has_timer.then_some(period)))
        };
        let (mut fast, mut slow) = (make(if closely { Watchful::Closely } else { Watchful::Usual }), make(Watchful::Usual));
        for slice in slices {
            let until = slow.steps() + slice;
            let (found, wanted) = (fast.run(Run::until(until)), step_by_step(&mut slow, Run::until(until)));
            prop_assert_eq!(&found, &wanted, "{:04X?}", code);
            same(&mut fast, &mut slow, &code)?;
            prop_assert_eq!(fast.take_deepest(), slow.take_deepest());
            match found {
                Stop::Steps => {}
                Stop::Needs(_) => [&mut fast, &mut slow].into_iter().for_each(|machine| machine.feed(&Event::Waited)),
                _ => break,
            }
        }
    }

    /// With stops of all kinds in the way: the same stop at the same step.
    #[test]
    fn stops_are_met_within_groups(
        body in proptest::collection::vec(instruction(false), 2..16),
        registers in proptest::array::uniform13(prop_oneof![0u16..40, START + 0x180..START + 0x300]),
        breakpoints in proptest::collection::vec(0u16..24, 0..3),
        watched in proptest::option::of((0u32..0x100, 1u32..4)),
        depth in proptest::option::of(0u32..3),
        slices in proptest::collection::vec(1u64..200, 1..6),
    ) {
        let mut code = body.concat();
        code.extend(back_to_start());
        let make = |watchful| {
            let mut machine = made(&code, watchful, (registers, 0x1FFF), (None, None));
            let places: Vec<Addr> = breakpoints.iter().map(|at| Addr::from(START + 2 * at)).collect();
            machine.set_breakpoints(&places);
            if let Some((from, length)) = watched {
                let from = Addr(u32::from(START) + 0x180 + from);
                machine.set_lookout(&Lookout { cells: vec![(from, from + length)], ..Lookout::default() });
            }
            machine
        };
        let (mut fast, mut slow) = (make(Watchful::Closely), make(Watchful::Usual));
        for slice in slices {
            let how = Run { depth, ..Run::until(slow.steps() + slice) };
            let (found, wanted) = (fast.run(how), step_by_step(&mut slow, how));
            prop_assert_eq!(&found, &wanted, "{:04X?}", code);
            same(&mut fast, &mut slow, &code)?;
            if matches!(found, Stop::Fault(_) | Stop::Finished(_) | Stop::Needs(_) | Stop::Circling { .. }) {
                break;
            }
        }
    }

    /// What is told of each step, and what is counted, is the same in groups and without.
    #[test]
    fn whoever_looks_is_told_the_same(
        body in any::<bool>().prop_flat_map(|rewrites| proptest::collection::vec(instruction(rewrites), 2..20)),
        registers in proptest::array::uniform13(prop_oneof![0u16..40, START..START + 0x300]),
        known in prop_oneof![Just(0x1FFFu16), any::<u16>()],
        period in proptest::option::of(17u16..300),
        breakpoints in proptest::collection::vec(0u16..24, 0..2),
        depth in proptest::option::of(0u32..3),
        slices in proptest::collection::vec((1u64..300, 0u8..3, prop_oneof![Just(usize::MAX), 1usize..90]), 1..4),
        closely in any::<bool>(),
    ) {
        let mut code = if period.is_some() { start_timer() } else { Vec::new() };
        code.extend(body.concat());
        code.extend(back_to_start());
        let make = |watchful| {
            let mut machine = made(&code, watchful, (registers, known), (None, period));
            let places: Vec<Addr> = breakpoints.iter().map(|at| Addr::from(START + 2 * at)).collect();
            machine.set_breakpoints(&places);
            machine
        };
        let (mut fast, mut slow) = (make(if closely { Watchful::Closely } else { Watchful::Usual }), make(Watchful::Usual));
        for (slice, wants, most) in slices {
            let how = Run { depth, ..Run::until(slow.steps() + slice) };
            let stop = told_alike(&mut fast, &mut slow, how, (wants, most))?;
            same(&mut fast, &mut slow, &code)?;
            if !matches!(stop, Stop::Steps | Stop::Observed | Stop::Breakpoint | Stop::Depth { .. }) {
                break;
            }
        }
    }

    /// Put back, forked, looked at for a while, and gone on: what was put together before is never wrong.
    #[test]
    fn groups_outlive_what_they_were_made_for_only_where_they_are_right(
        body in proptest::collection::vec(instruction(true), 2..20),
        registers in proptest::array::uniform13(prop_oneof![0u16..40, START..START + 0x300]),
        known in any::<u16>(),
        deeds in proptest::collection::vec((0u8..6, 1u64..150), 2..12),
    ) {
        let mut code = body.concat();
        code.extend(back_to_start());
        let make = |watchful| made(&code, watchful, (registers, known), (None, None));
        let (mut fast, mut slow) = (make(Watchful::Closely), make(Watchful::Usual));
        let mut kept = vec![(fast.snapshot(), slow.snapshot())];
        for (deed, steps) in deeds {
            match deed {
                0 => kept.push((fast.snapshot(), slow.snapshot())),
                1 => {
                    let (of_fast, of_slow) = &kept[usize::try_from(steps).expect("small") % kept.len()];
                    fast.restore(of_fast);
                    slow.restore(of_slow);
                }
                2 => fast = fast.clone(),
                3 => {
                    fast.run_observed(Run::until(fast.steps() + steps), &mut Nothing);
                    let until = slow.steps() + steps;
                    step_by_step(&mut slow, Run::until(until));
                }
                4 => {
                    let at = Addr(u32::from(START) + u32::try_from(steps).expect("small") % 64);
                    for machine in [&mut fast, &mut slow] {
                        machine.feed(&Event::SetByte(at, 0x31));
                    }
                }
                _ => {
                    let until = slow.steps() + steps;
                    let (found, wanted) = (fast.run(Run::until(until)), step_by_step(&mut slow, Run::until(until)));
                    prop_assert_eq!(&found, &wanted, "{:04X?}", code);
                }
            }
            same(&mut fast, &mut slow, &code)?;
        }
    }
}

fn assembled(text: &str) -> wendax_image::Image {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
    assembly.image
}

/// Instructions that go together, and what lies in wait at each place among them.
const PARTS: [&str; 10] = [
    "add r1, r2",
    "sub r1, 3",
    "mov r3, r1",
    "ldw r4, [r6]",
    "stw [r6 + 2], r1",
    "ldb r4, [r6]",
    "stb [r6 + 5], r1",
    "shl r2, 1",
    "push r2\n pop r3",
    "cmp r1, r2",
];
const ENDS: [&str; 8] = [
    "jmp start",
    "djnz r7, start\n jmp start",
    "cmp r1, 9\n jltu start\n jmp start",
    "tst r2, 4\n jz start\n jmp start",
    "call leaf\n jmp start",
    "sub r2, 5\n jnz start\n jmp start",
    "mov r8, start\n jmp r8",
    "mov r8, leaf\n call r8\n jmp start",
];
const CAUSES: [&str; 17] = [
    "call drop\nback: nop",
    "call pops\nback: nop",
    "jmp far\nback: stb [far + 2], r5",
    "ldw r5, [0x8000]",
    "stw [0x8000], r5",
    "ldw r5, [r6 + 1]",
    "stb [start], r5",
    "ldw r5, [0xFF20]",
    "stw [0xFF30], r1",
    "mov r9, 0\n div r1, r9",
    "mov r9, 0\n shl r1, r9",
    "push fl\n pop fl",
    "add sp, 2\n sub sp, 2",
    "mov r10, 7",
    "swap r1, r2",
    "adc r1, r2",
    "sys put_char",
];

/// Each cause at each place of a group, before each end, with slices that end at each step: the same as one after another.
#[test]
fn whatever_lies_in_wait_at_each_place_of_a_group() {
    let mut tried = 0u32;
    for (number, cause) in CAUSES.into_iter().enumerate() {
        for (end_number, end) in ENDS.into_iter().enumerate() {
            for place in 0..=4 {
                // Four parts of the list, others for each end and cause.
                let mut lines: Vec<&str> =
                    (0..4).map(|at| PARTS[(at * 3 + end_number + number) % PARTS.len()]).collect();
                lines.insert(place, cause);
                let text = format!(
                    ".entry begin\nbegin: mov r0, 46\n clr r1\n mov r2, 11\n clr r3\n clr r4\n clr r5\n mov r6, cells\n mov r7, 5\n \
                     start: {}\n {end}\nleaf: ret\n\
                     drop: mov r9, r1\n add sp, 2\n mov r9, r2\n jmp back2\npops: mov r9, r1\n pop r9\n jmp r9\n\
                     far: add r1, 0\n mov r3, r1\n jmp back2\nback2: mov r9, 1\n jmp {back}\n .data\n\
                     cells: .word 1, 2, 3, 4\n",
                    lines.join("\n "),
                    back = if cause.contains("back:") { "back" } else { "begin" },
                );
                let image = assembled(&text);
                for watchful in [Watchful::Closely, Watchful::Usual] {
                    let mut slow = Machine::new(&image, settings(Watchful::Usual));
                    let mut whole = Machine::new(&image, settings(watchful));
                    for until in (20..60).step_by(if watchful == Watchful::Usual { 7 } else { 1 }) {
                        let wanted = step_by_step(&mut slow, Run::until(StepNo(until)));
                        let mut fast = Machine::new(&image, settings(watchful));
                        let found = fast.run(Run::until(StepNo(until)));
                        assert_eq!(found, wanted, "{watchful:?} {until} {text}");
                        same(&mut fast, &mut slow, &text).expect("they agree");
                        whole.run(Run::until(StepNo(until)));
                        same(&mut whole, &mut slow, &text).expect("they agree after slices");
                        tried += 1;
                    }
                }
            }
        }
    }
    assert!(tried > 10_000, "{tried}");
}

/// A timer that expires at each cycle of a loop, and a breakpoint and a watched cell at each of its instructions.
#[test]
fn an_interrupt_and_a_stop_at_each_place_of_a_group() {
    for end in ENDS {
        let text = |period: u32| {
            format!(
                ".entry begin\nbegin: mov r0, tick\n stw [16], r0\n mov r0, {period}\n stw [0xFF22], r0\n mov r0, 3\n stw [0xFF24], r0\n \
                 clr r1\n mov r2, 11\n clr r3\n clr r4\n mov r6, cells\n mov r7, 5\n clr r11\n ei\n\
                 start: add r1, r2\n ldw r4, [r6]\n stw [r6 + 2], r1\n mov r3, r1\n push r3\n pop r4\n {end}\nleaf: ret\n\
                 tick: push r0\n mov r0, 7\n stw [0xFF24], r0\n add r11, 1\n pop r0\n reti\n.data\ncells: .word 1, 2, 3, 4\n"
            )
        };
        for period in 61..110 {
            let image = assembled(&text(period));
            let mut slow = Machine::new(&image, settings(Watchful::Usual));
            let mut closely = Machine::new(&image, settings(Watchful::Closely));
            let mut usual = Machine::new(&image, settings(Watchful::Usual));
            for until in [150, 151, 400] {
                step_by_step(&mut slow, Run::until(StepNo(until)));
                for fast in [&mut closely, &mut usual] {
                    fast.run(Run::until(StepNo(until)));
                    same(fast, &mut slow, &(period, end)).expect("they agree");
                }
            }
            assert!(slow.register(Reg(11)) > 2, "the timer ticks");
        }
        let image = assembled(&text(5000));
        let start = u32::try_from(image.symbol("start").expect("it is there").value).expect("an address");
        let cells = u32::try_from(image.symbol("cells").expect("it is there").value).expect("an address");
        for at in 0..24u32 {
            for watched in [None, Some(cells + at % 4)] {
                let make = |watchful| {
                    let mut machine = Machine::new(&image, settings(watchful));
                    machine.run(Run::until(StepNo(200)));
                    machine.set_breakpoints(&[Addr(start + 2 * at)]);
                    if let Some(from) = watched {
                        machine
                            .set_lookout(&Lookout { cells: vec![(Addr(from), Addr(from + 1))], ..Lookout::default() });
                    }
                    machine
                };
                let (mut fast, mut slow) = (make(Watchful::Closely), make(Watchful::Usual));
                for _ in 0..6 {
                    let until = slow.steps() + 300;
                    let (found, wanted) = (fast.run(Run::until(until)), step_by_step(&mut slow, Run::until(until)));
                    assert_eq!(found, wanted, "{at} {watched:?} {end}");
                    same(&mut fast, &mut slow, &(at, end)).expect("they agree");
                }
            }
        }
    }
}
