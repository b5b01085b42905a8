//! What a run cost, against adding up single steps by looking at the machine before and behind each: on random programs
//! with calls, recursion, changed returns, interrupts, handlers of their own, code that writes itself, values set by hand.

use crate::truth::{LINES, go, next_insn, program};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use wendax_isa::w16::{Op, TRAP_CYCLES};
use wendax_machine::{Addr, Event, Machine, Reg, Settings, StepKind, StepNo};
use wendax_session::{Command, Comparison, Measuring, Session, Spans, Tally, growth, growth_words};

fn measured(session: &Session, from: u64, to: u64, budget: u64) -> Tally {
    let mut measuring = Measuring::new(session, StepNo(from), StepNo(to));
    while !measuring.work(session, budget) {}
    measuring.tally(session)
}

/// A routine as judged: calls, own steps and cycles, those with all it called, cycles of the dearest call.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
struct Routine {
    calls: u64,
    own: (u64, u64),
    all: (u64, u64),
    dearest: Option<(u64, u64, u64, Vec<u32>)>,
}

/// A call under way: where it began, what it was given, its steps and cycles so far, and whether its entry was seen.
struct Open {
    target: u32,
    arguments: Vec<u32>,
    cost: (u64, u64),
    is_whole: bool,
}

#[derive(Default)]
struct Judged {
    places: BTreeMap<(u32, &'static str), (u64, u64, u64)>,
    routines: BTreeMap<u32, Routine>,
    open: BTreeMap<StepNo, Open>,
    touched: BTreeMap<u32, (u64, u64)>,
    calls: BTreeMap<u32, (u64, u64)>,
    entries: [u64; 2],
    deepest: u32,
    cycles: u64,
}

impl Judged {
    fn touch(&mut self, address: Addr, read: u64, written: u64) {
        let cell = self.touched.entry(address.0 & 0xFFFF).or_default();
        *cell = (cell.0 + read, cell.1 + written);
    }

    /// The words and bytes an instruction touches, told by the registers before it.
    fn accesses(&mut self, before: &Machine, after: &Machine, kind: StepKind, length: u32) {
        let sp = before.stack_pointer();
        let down = |by: u32| Addr(sp.0.wrapping_sub(by) & 0xFFFF);
        if matches!(kind, StepKind::Interrupt(_) | StepKind::Trap(_)) {
            for by in [2, 4] {
                self.touch(down(by), 0, 1);
            }
            return;
        }
        if length == 0 {
            return;
        }
        let insn = next_insn(before).expect("it was carried out");
        let base = if insn.b < 14 { before.register(Reg(insn.b)) } else { 0 };
        let at = Addr((base + u32::from(insn.value)) & 0xFFFF);
        match insn.op() {
            Op::Ldw | Op::Ldb | Op::Ldsb => self.touch(at, 1, 0),
            Op::Stw | Op::Stb => self.touch(at, 0, 1),
            Op::Push | Op::PushFl | Op::Call | Op::CallReg => self.touch(down(2), 0, 1),
            Op::Pop | Op::PopFl | Op::Ret => self.touch(sp, 1, 0),
            Op::Reti => [0, 2].into_iter().for_each(|by| self.touch(sp + by, 1, 0)),
            _ => {}
        }
        match kind {
            StepKind::Call(0x11) => {
                let first = Addr(before.register(Reg(0)));
                let length = first.up_to(Addr(0x1_0000)).position(|at| before.byte(at) == 0).map_or(0, |at| at + 1);
                first.up_to(first + u32::try_from(length).expect("small")).for_each(|at| self.touch(at, 1, 0));
            }
            StepKind::Call(0x21) if after.flags() & 1 == 0 => {
                let first = Addr(before.register(Reg(0)));
                first.up_to(first + after.register(Reg(0)) + 1).for_each(|at| self.touch(at, 0, 1));
            }
            _ => {}
        }
    }

    fn step(&mut self, before: &Machine, session: &Session) {
        let after = session.machine();
        let effects = session.last_step().expect("a step");
        let (kind, length, cycles) = (effects.kind, effects.length, effects.cycles);
        self.cycles += cycles;
        let mut at_place = cycles;
        match kind {
            StepKind::Trap(_) => {
                self.entries[0] += 1;
                at_place -= TRAP_CYCLES;
            }
            StepKind::Interrupt(_) => self.entries[1] += 1,
            StepKind::Call(number) => {
                let call = self.calls.entry(number).or_default();
                let has_failed = number != 0 && after.flags() & 1 != 0;
                *call = (call.0 + 1, call.1 + u64::from(has_failed));
            }
            StepKind::Instruction => {}
        }
        if length > 0 {
            let insn = next_insn(before).expect("it was carried out");
            let taken = u64::from(at_place > u64::from(insn.row().cycles));
            let place = self.places.entry((before.pc().0, insn.row().names[0])).or_default();
            *place = (place.0 + 1, place.1 + at_place, place.2 + taken);
        }
        self.accesses(before, after, kind, length);
        // Whose step it is: the entry of a handler is the handler's.
        let is_entry = length == 0;
        let frames = |machine: &Machine| -> Vec<(StepNo, u32)> {
            machine.frames().iter().map(|frame| (frame.step, frame.target.0)).collect()
        };
        let mut active = frames(before);
        if is_entry {
            active.push((before.steps(), effects.next.0));
        }
        let owner = active.last().map_or(0x0200, |(_, target)| *target);
        let own = &mut self.routines.entry(owner).or_default().own;
        *own = (own.0 + 1, own.1 + cycles);
        let around: BTreeSet<u32> = active.iter().map(|(_, target)| *target).chain([0x0200]).collect();
        for target in around {
            let all = &mut self.routines.entry(target).or_default().all;
            *all = (all.0 + 1, all.1 + cycles);
        }
        let is_call = kind == StepKind::Instruction
            && next_insn(before).is_some_and(|insn| matches!(insn.op(), Op::Call | Op::CallReg));
        if is_call || matches!(kind, StepKind::Interrupt(_) | StepKind::Trap(_)) {
            let target = effects.next.0;
            self.routines.entry(target).or_default().calls += 1;
            let set = (0..4).map(Reg).filter(|register| before.register_known(*register));
            let arguments = set.map(|register| before.register(register)).collect();
            self.open.insert(before.steps(), Open { target, arguments, cost: (0, 0), is_whole: true });
        }
        for (step, target) in &active {
            let unseen = || Open { target: *target, arguments: Vec::new(), cost: (0, 0), is_whole: false };
            let cost = &mut self.open.entry(*step).or_insert_with(unseen).cost;
            *cost = (cost.0 + 1, cost.1 + cycles);
        }
        // What a person did there is looked at before the next step.
        if session.changes_by_hand().is_empty() {
            self.close(after);
        }
        let moved = effects.registers.iter().rev().find(|change| change.register == Reg(13)).map(|change| change.new);
        for sp in [before.stack_pointer().0].into_iter().chain(moved).filter(|sp| (0xEE00..=0xFE00).contains(sp)) {
            self.deepest = self.deepest.max(0xFE00 - sp);
        }
    }

    /// Calls that are no longer on the stack have ended; of two left at once the inner one first.
    fn close(&mut self, after: &Machine) {
        let there: BTreeSet<StepNo> = after.frames().iter().map(|frame| frame.step).collect();
        self.close_but(&there);
    }

    fn close_but(&mut self, there: &BTreeSet<StepNo>) {
        let over: Vec<StepNo> = self.open.keys().rev().copied().filter(|step| !there.contains(step)).collect();
        for step in over {
            let open = self.open.remove(&step).expect("it is there");
            let routine = self.routines.entry(open.target).or_default();
            let is_dearer = routine.dearest.as_ref().is_none_or(|known| open.cost.1 > known.2);
            if open.is_whole && is_dearer {
                routine.dearest = Some((step.0, open.cost.0, open.cost.1, open.arguments));
            }
        }
    }
}

fn told(tally: &Tally) -> BTreeMap<u32, Routine> {
    let routine = |told: &wendax_session::RoutineTally| Routine {
        calls: told.calls,
        own: (told.own_steps, told.own_cycles),
        all: (told.all_steps, told.all_cycles),
        dearest: told.dearest.as_ref().map(|call| {
            (call.step.0, call.steps, call.cycles, call.arguments.iter().map(|(_, value)| *value).collect())
        }),
    };
    let ran = tally.routines.iter().filter(|told| told.all_steps > 0 || told.calls > 0);
    ran.map(|told| (told.address.0, routine(told))).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn a_tally_is_the_sum_of_single_steps(
        lines in proptest::collection::vec((0..LINES.len(), 0u8..6, 0u8..6, 0u16..40, 0usize..60), 4..24),
        handled in any::<u16>(),
        period in 5u16..60,
        by_hand in proptest::collection::vec((0u64..200, 0u16..0x80), 0..3),
        budget in prop_oneof![Just(7u64), Just(100_000)],
        part in (0u64..60, 1u64..250),
    ) {
        let mut session = Session::new(program(&lines, handled, period), Settings::default());
        session.type_input(b"17\nx\n-3\ngate\n40000\n5\n");
        let steps = 250;
        for (step, value) in by_hand {
            go(&mut session, Command::Seek(StepNo(step)));
            session.edit(Event::SetRegister(Reg(13), (0xFD00 | u32::from(value) * 2).min(0xFE00)));
        }
        go(&mut session, Command::Seek(StepNo(steps)));
        let end = session.end().0;
        let (from, to) = (part.0.min(end), part.1.clamp(part.0.min(end), end));
        let tally = measured(&session, from, to, budget);
        let mut judged = Judged::default();
        go(&mut session, Command::Seek(StepNo(from)));
        while session.now() < StepNo(to) {
            let before = session.machine().clone();
            // A stack pointer moved by hand leaves routines too.
            judged.close(&before);
            go(&mut session, Command::Step);
            judged.step(&before, &session);
        }
        // Calls that have not ended count up to here.
        judged.close_but(&BTreeSet::new());
        prop_assert_eq!((tally.steps(), tally.cycles), (to - from, judged.cycles));
        let mut places: BTreeMap<(u32, &str), (u64, u64)> = BTreeMap::new();
        for ((address, name), (times, cycles, _)) in &judged.places {
            places.insert((*address, *name), (*times, *cycles));
        }
        // Two instructions of one name at one place are one here.
        let mut told_places: BTreeMap<(u32, String), (u64, u64)> = BTreeMap::new();
        for place in &tally.places {
            let name = place.text.split(' ').next().unwrap_or_default().to_owned();
            let sum = told_places.entry((place.address.0, name)).or_default();
            *sum = (sum.0 + place.times, sum.1 + place.cycles);
        }
        prop_assert_eq!(told_places.values().copied().collect::<Vec<_>>(), places.values().copied().collect::<Vec<_>>());
        let taken: u64 = judged.places.iter().filter(|((_, name), _)| name.starts_with(['j', 'd'])
            && !["jmp", "div", "divs", "di", "dec"].contains(name)).map(|(_, (_, _, taken))| taken).sum();
        prop_assert_eq!(tally.jumps().0, taken);
        judged.routines.entry(0x0200).or_default();
        let mut found = told(&tally);
        found.entry(0x0200).or_default();
        prop_assert_eq!(found, judged.routines);
        let mut touched: BTreeMap<String, (u64, u64)> = BTreeMap::new();
        for region in &tally.regions {
            let inside = judged.touched.range(region.start.0..region.end.0);
            let sum = inside.fold((0, 0), |sum, (_, cell)| (sum.0 + cell.0, sum.1 + cell.1));
            prop_assert_eq!((region.read, region.written), sum, "{}", region.name);
            touched.insert(region.name.clone(), sum);
        }
        let all = |list: &[wendax_session::EventTally]| list.iter().map(|one| one.times).sum::<u64>();
        prop_assert_eq!([all(&tally.traps), all(&tally.interrupts)], judged.entries);
        let calls: BTreeMap<u32, (u64, u64)> =
            tally.calls.iter().map(|call| (call.number, (call.times, call.failed))).collect();
        prop_assert_eq!(calls, judged.calls);
        if to > from {
            prop_assert_eq!(tally.stack.deepest, judged.deepest);
        }
        prop_assert!(tally.stack.depths.iter().max().copied().unwrap_or(0) == tally.stack.deepest || to == from);
    }
}

fn ran(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("case.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
    let mut session = Session::new(assembly.image, Settings::default()).with_sources(sources);
    go(&mut session, Command::Go);
    session
}

fn all(session: &Session) -> Tally {
    measured(session, 0, u64::MAX, 1_000_000)
}

const CALLS: &str = "start: mov r1, 5\nnext: mov r0, r1\n call work\n djnz r1, next\n cmp r1, 1\n jz never\n sys exit\n\
    never: halt\nwork: mul r0, r0\n@round: djnz r0, @round\n ret\n";

#[test]
fn names_lines_and_coverage_are_those_of_the_program() {
    let tally = all(&ran(CALLS));
    let work = &tally.routines[0];
    assert_eq!((work.name.as_str(), work.calls), ("work", 5));
    let dearest = work.dearest.as_ref().expect("it was called");
    assert_eq!(dearest.arguments[0], ("r0".to_owned(), 5));
    // mul: 1 + 3; 25 rounds: 1 each and 1 more for each jump but the last; ret: 1 and a word.
    assert_eq!(dearest.cycles, 4 + 25 + 24 + 2);
    let line = |number: u32| tally.lines.iter().find(|line| line.line == number).expect("it became code");
    assert_eq!((line(2).times, line(8).times, line(8).steps), (5, 0, 0));
    assert_eq!(line(4).taken, Some((4, 1)));
    assert_eq!(tally.covered(), (10, 11));
    let lcov = tally.to_lcov(str::to_owned);
    let head = "TN:\nSF:case.asm\nFN:1,start\nFN:9,work\nFNDA:1,start\nFNDA:5,work\nFNF:2\nFNH:2\n";
    assert!(lcov.starts_with(head) && lcov.contains("\nDA:1,1\nDA:2,5\n"), "{lcov}");
    assert!(lcov.contains("DA:8,0\n") && lcov.contains("LF:11\nLH:10\n"), "{lcov}");
    assert!(lcov.contains("BRDA:4,0,0,4\nBRDA:4,0,1,1\n"), "{lcov}");
    let json = tally.to_json().expect("it can be written");
    assert_eq!(Tally::read(&json).expect("it can be read"), Tally { cells: Vec::new(), ..tally.clone() });
    let other = json.replacen("wendax tally 1", "wendax tally 9", 1);
    assert!(Tally::read(&other).expect_err("of another form").to_string().contains("wendax tally 9"));
    let csv = tally.to_csv();
    let columns = csv.lines().next().map(|head| head.split(',').count());
    assert!(csv.contains("\nroutine,work,,,0x"), "{csv}");
    assert!(
        csv.lines().filter(|line| !line.contains('"')).all(|line| Some(line.split(',').count()) == columns),
        "{csv}"
    );
}

#[test]
fn routines_and_data_of_one_name_in_several_files_are_told_apart() {
    let files = wendax_source::MemoryFiles::default()
        .with("a.asm", "start: call sum\n call other\n sys exit\n .extern other\nsum: ldw r0, [count]\n .include \"end.inc\"\n.data\ncount: .word 1\n")
        .with("b.asm", " .global other\nother: mov r1, 10\n@on: call sum\n djnz r1, @on\n ret\nsum: ldw r0, [count]\n call last\n .include \"end.inc\"\n.data\ncount: .word 2\n")
        .with("end.inc", "last: ret\n");
    let sources = vec!["a.asm".to_owned(), "b.asm".to_owned()];
    let inputs = wendax_asm::Inputs { sources, ..wendax_asm::Inputs::default() };
    let assembly = wendax_asm::Assembler::default().assemble(&inputs, &files);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let mut session = Session::new(assembly.image, Settings::default()).with_sources(assembly.sources);
    go(&mut session, Command::Go);
    let tally = Tally { name: "two".into(), ..all(&session) };
    let routine = |name: &str| tally.routines.iter().find(|routine| routine.name == name).expect("it is there");
    assert_eq!((routine("sum (a.asm)").calls, routine("sum (b.asm)").calls), (1, 10));
    let other: Vec<(&str, u64)> =
        routine("other").callees.iter().map(|call| (call.name.as_str(), call.times)).collect();
    assert_eq!(other, [("sum (b.asm)", 10)]);
    // One file twice: the address tells which.
    let last = tally.routines.iter().filter(|routine| routine.name.starts_with("last (0x")).count();
    assert_eq!(last, 1, "{:?}", tally.routines);
    let label = |name: &str| tally.labels.iter().find(|label| label.name == name).expect("it is there").read;
    assert_eq!((label("count (a.asm)"), label("count (b.asm)")), (1, 10));
    let lcov = tally.to_lcov(str::to_owned);
    assert!(lcov.contains("FNDA:1,sum (a.asm)\n") && lcov.contains("FNDA:10,sum (b.asm)\n"), "{lcov}");
    let told = Comparison::of(&[&tally, &tally]);
    assert_eq!(told.routines.iter().filter(|row| row.name.starts_with("sum")).count(), 2);
}

#[test]
fn side_by_side_lines_keep_together_over_an_edit_and_differences_are_told() {
    let before = Tally { name: "before".into(), ..all(&ran(CALLS)) };
    let edited = CALLS.replace("next: mov", "; a comment above\nnext: mov").replace("mul r0, r0\n", "add r0, r0\n");
    let after = Tally { name: "after".into(), ..all(&ran(&edited)) };
    let told = Comparison::of(&[&before, &after]);
    let line = |text: &str| told.lines.iter().find(|row| row.name.trim() == text).expect("it is there");
    // The same line, though it has another number now.
    assert!(line("call work").is_same());
    assert_eq!(line("call work").place, Some(("case.asm".into(), 4)));
    assert_eq!(line("work: mul r0, r0").costs.iter().flatten().count(), 1);
    let work = told.routines.iter().find(|row| row.name == "work").expect("it is there");
    let own =
        |tally: &Tally| i128::from(tally.routines.iter().find(|one| one.name == "work").expect("there").own_cycles);
    assert_eq!(work.difference(), own(&after) - own(&before));
    assert!(told.to_text(99).contains("× 0."), "{}", told.to_text(99));
    assert!(told.to_csv().contains("instruction,mul,,,20,,-20"), "{}", told.to_csv());
}

/// A tally of a program that is only its lines, some of them alike.
fn lined(name: &str, lines: &[(u8, u64)]) -> Tally {
    let line = |(index, &(text, cost)): (usize, &(u8, u64))| wendax_session::LineTally {
        routine: None,
        jumps: Vec::new(),
        file: format!("{name}.asm"),
        line: u32::try_from(index).unwrap_or(0) + 1,
        text: format!("    add r0, {text}"),
        times: cost,
        steps: cost,
        cycles: cost * 2,
        taken: None,
    };
    let lines: Vec<_> = lines.iter().enumerate().map(line).collect();
    Tally { name: name.into(), cycles: lines.iter().map(|line| line.cycles).sum(), lines, ..Tally::default() }
}

proptest! {
    /// Whatever was edited: each tally's lines stand in its column, all of them, in their order, and alike ones only side by side.
    #[test]
    fn side_by_side_no_line_is_lost_or_moved(
        tallies in proptest::collection::vec(proptest::collection::vec((0u8..5, 0u64..9), 0..14), 2..4),
    ) {
        let named: Vec<Tally> = tallies.iter().zip(["one", "two", "three"]).map(|(lines, name)| lined(name, lines)).collect();
        let told = Comparison::of(&named.iter().collect::<Vec<_>>());
        for (column, lines) in tallies.iter().enumerate() {
            let found: Vec<(String, u64)> = told
                .lines
                .iter()
                .filter_map(|row| Some((row.name.trim().to_owned(), row.costs[column]?.times)))
                .collect();
            let wanted: Vec<(String, u64)> = lines.iter().map(|(text, cost)| (format!("add r0, {text}"), *cost)).collect();
            prop_assert_eq!(found, wanted);
        }
        prop_assert!(told.lines.iter().all(|row| row.costs.iter().any(Option::is_some)));
        let sum: i128 = told.lines.iter().map(wendax_session::Row::difference).sum();
        prop_assert_eq!(sum, i128::from(named[named.len() - 1].cycles) - i128::from(named[0].cycles));
        prop_assert_eq!(told.totals[0].difference(), sum);
        // With itself there is nothing to tell.
        let same = Comparison::of(&[&named[0], &named[0]]);
        prop_assert!(same.lines.iter().chain(&same.totals).all(wendax_session::Row::is_same));
        prop_assert_eq!(same.lines.len(), tallies[0].len());
    }
}

#[test]
fn growth_is_told_by_the_power_of_the_size() {
    let power = |costs: [u64; 3]| growth(&[10, 100, 1000], &costs).expect("it grows");
    assert!((power([50, 500, 5000]) - 1.0).abs() < 1e-9);
    assert!((power([7, 700, 70_000]) - 2.0).abs() < 1e-9);
    assert!(growth_words(power([7, 700, 70_000])).starts_with("about with its square"));
    assert_eq!(growth(&[5, 5], &[1, 2]), None, "the size does not grow");
    assert_eq!(growth(&[0, 5], &[1, 2]), None, "a size is not known");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Passages are those that looking at each step finds.
    #[test]
    fn passages_are_those_of_single_steps(
        is_rv32 in any::<bool>(),
        rounds in 1u32..9, inner in 1u32..6, from in 0usize..5, to in 0usize..5, budget in prop_oneof![Just(3u64), Just(100_000)],
    ) {
        let places = ["start", "outer", "work", "inner", "done"];
        let text = format!(
            "start: mov r1, {rounds}\nouter: mov r0, r1\n call work\n djnz r1, outer\n sys exit\n\
             work: mov r2, {inner}\ninner: add r3, r0\n tst r3, 1\n jz odd\n mul r3, r3\nodd: djnz r2, inner\ndone: ret\n"
        );
        let rv32 = format!(
            ".target rv32\nstart: li s1, {rounds}\nouter: mv a0, s1\n call work\n addi s1, s1, -1\n bnez s1, outer\n li a0, 0\n sys exit\n\
             work: li a2, {inner}\ninner: add a3, a3, a0\n andi a4, a3, 1\n beqz a4, odd\n mul a3, a3, a3\n\
             odd: addi a2, a2, -1\n bnez a2, inner\ndone: ret\n"
        );
        let mut session = ran(if is_rv32 { &rv32 } else { &text });
        let words = format!("{} to {}", places[from], places[to]);
        let mut spans = Spans::read(&session, &words).expect("both are labels");
        while !spans.work(&session, budget) {}
        let told = spans.told();
        let address = |name: &str| session.image().symbol(name).and_then(wendax_image::Symbol::address).expect("a label");
        let (from, to, end) = (address(places[from]), address(places[to]), session.end());
        go(&mut session, Command::Seek(StepNo(0)));
        let (mut open, mut found, mut again) = (None, Vec::new(), 0u64);
        loop {
            let machine = session.machine();
            let here = (machine.steps().0, machine.cycles());
            // Behind the last step no instruction comes.
            let is_over = machine.finished().is_some();
            if machine.pc() == to && !is_over && let Some((step, cycles)) = open.take() {
                found.push((here.1 - cycles, here.0 - step, step));
            }
            if machine.pc() == from && !is_over {
                if open.is_some() { again += 1 } else { open = Some(here) }
            }
            if session.now() >= end {
                break;
            }
            go(&mut session, Command::Step);
        }
        prop_assert_eq!(told.cycles.count, found.len() as u64);
        prop_assert_eq!((told.again, told.is_open), (again, open.is_some()));
        let greatest = found.iter().rev().max_by_key(|passage| passage.0);
        prop_assert_eq!(told.greatest.map(|passage| (passage.cycles, passage.from.0)), greatest.map(|one| (one.0, one.2)));
        prop_assert_eq!(told.cycles.least, found.iter().map(|one| one.0).min().unwrap_or(0));
        prop_assert_eq!(told.steps.greatest, found.iter().map(|one| one.1).max().unwrap_or(0));
        prop_assert_eq!(told.histogram.iter().map(|bar| bar.1).sum::<u64>(), found.len() as u64);
    }
}

#[test]
fn tables_sort_by_numbers_and_names_and_say_what_they_leave_out() {
    let tally = all(&ran(CALLS));
    let mut lines = tally.tables().into_iter().find(|table| table.name == "lines").expect("it is there");
    let first = |table: &wendax_session::Table| table.rows[0].cells[0].words();
    assert_eq!(first(&lines), "10", "the round that is gone most");
    lines.sort_by(0, false);
    let numbers: Vec<String> = lines.rows.iter().map(|row| row.cells[0].words()).collect();
    assert_eq!(numbers, ["1", "2", "3", "4", "5", "6", "7", "8", "9", "10", "11"], "9 before 10");
    lines.sort_by(2, true);
    assert_eq!(lines.rows[0].cells[1].words(), wendax_session::NEVER);
    let text = lines.to_text(2);
    assert!(text.ends_with("… 9 more\n") && text.lines().count() == 4, "{text}");
    let mut table = lines;
    table.rows.truncate(1);
    table.rows[0].cells[6] = wendax_session::Cell::Text("a | b\nc".into());
    assert!(table.to_markdown(9).contains("a \\| b c |"), "{}", table.to_markdown(9));
}
