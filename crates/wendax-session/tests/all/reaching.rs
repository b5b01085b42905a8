//! Routines are what calls and jumps reach, whatever labels stand in between: `in ROUTINE`, flow and tally tell the same.

use proptest::prelude::*;
use std::collections::BTreeSet;
use wendax_machine::{Addr, Settings};
use wendax_session::{Command, Flow, Measuring, Progress, Session, StopAt, Tally, Where};

fn session(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
    Session::new(assembly.image, Settings::default()).with_sources(sources)
}

fn at(session: &Session, name: &str) -> Addr {
    session.image().symbol(name).and_then(wendax_image::Symbol::address).expect("it is a label")
}

fn measured(session: &Session) -> Tally {
    let mut measuring = Measuring::all(session);
    while !measuring.work(session, u64::MAX) {}
    measuring.tally(session)
}

/// The instructions that `in NAME` stands for.
fn inside(session: &Session, name: &str) -> Vec<(Addr, Addr)> {
    let names = wendax_session::Names::new(session.image(), session.machine().target(), session.image().entry);
    match StopAt::read(&format!("in {name}"), &names, session.sources()).expect("a stop").place {
        Where::Among(parts) => parts,
        other => panic!("{other:?}"),
    }
}

/// The addresses of the instructions of a flow.
fn drawn(session: &Session, name: &str) -> BTreeSet<Addr> {
    let flow = Flow::of(session, at(session, name), None).expect("there is code");
    flow.blocks.iter().flat_map(|block| block.lines.iter().map(|line| line.address)).collect()
}

const YARD: &str = "\
start:  mov r1, 3
        call weigh
        call shunt
        mov r0, 0
        sys exit
weigh:  mov r2, 0
again:  add r2, r1
        djnz r1, again
        jmp done
bell:   mov r4, 1
        reti
shunt:  mov r3, 1
done:   ret
        nop
        jmp done
table:  .word 1
";

#[test]
fn labels_within_and_code_that_is_shared_belong_to_what_reaches_them() {
    let session = session(YARD);
    let image = session.image();
    let whole = |name: &str| image.routine_around(at(&session, name)).expect("it is code");
    let entry = |name: &str| whole(name).entry;
    assert_eq!(entry("again"), at(&session, "weigh"), "a label within a routine begins no other one");
    assert_eq!(entry("bell"), at(&session, "bell"), "nothing reaches it, and its label names it");
    assert_eq!(entry("done"), at(&session, "shunt"), "of two that share it the nearer one before it");
    let weigh = whole("weigh");
    assert!(weigh.contains(at(&session, "done")) && !weigh.contains(at(&session, "shunt")), "{weigh:?}");
    assert!(!weigh.contains(at(&session, "bell")), "what lies between is not jumped to: {weigh:?}");
    // What nothing reaches and nothing names is the affair of the routine before it.
    assert!(whole("shunt").contains(at(&session, "done") + 2), "{:?}", whole("shunt"));
    assert_eq!(image.routine_at(at(&session, "table")), None, "data is no code");
    assert_eq!(inside(&session, "again"), inside(&session, "weigh"));
    assert_eq!(inside(&session, "weigh"), weigh.parts);
    let drawn = drawn(&session, "weigh");
    assert!(drawn.contains(&at(&session, "done")) && drawn.contains(&at(&session, "again")), "{drawn:?}");
    let flow = Flow::of(&session, at(&session, "again"), None).expect("there is code");
    assert_eq!((flow.name.as_str(), flow.blocks[0].from), ("weigh", at(&session, "weigh")));
    assert!(flow.blocks.iter().all(|block| !block.lines.is_empty()), "nothing of it lies outside: {flow:?}");
}

#[test]
fn a_routine_costs_in_the_tally_what_is_met_in_it() {
    let mut session = session(YARD);
    session.begin(Command::Go);
    while session.work(u64::MAX) == Progress::Working {}
    let tally = measured(&session);
    for name in ["start", "weigh", "shunt"] {
        let parts = inside(&session, name);
        let own = tally.routines.iter().find(|routine| routine.name == name).expect("it ran").own_steps;
        let met: u64 = tally
            .places
            .iter()
            .filter(|place| parts.iter().any(|&(from, to)| from <= place.address && place.address < to))
            .map(|place| place.times)
            .sum();
        // The shared end is met by both, and each pays for its own way through it.
        let shared = u64::from(name != "start");
        assert_eq!(met, own + shared, "{name}: {parts:?}");
    }
}

const LINES: [&str; 8] =
    ["add r{d}, 3", "cmp r{d}, r{s}", "jz l{l}", "jltu l{l}", "djnz r{d}, l{l}", "jmp l{l}", "call l{l}", "ret"];

/// The same for RV32, where a routine may jump away by its way back and lose it.
const LINES_RV32: [&str; 8] = [
    "addi a{d}, a{d}, 3",
    "slt a{d}, a{d}, a{s}",
    "beqz a{d}, l{l}",
    "bltu a{d}, a{s}, l{l}",
    "addi a{d}, a{d}, -1\n bnez a{d}, l{l}",
    "j l{l}",
    "addi sp, sp, -16\n sw ra, 12(sp)\n call l{l}\n lw ra, 12(sp)\n addi sp, sp, 16",
    "ret",
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    /// Whatever is run between a call and the way back from it lies in the routine that was called.
    #[test]
    fn what_runs_in_a_call_is_reached_from_where_it_leads(
        is_rv32 in any::<bool>(),
        lines in proptest::collection::vec((0..LINES.len(), 0u8..4, 0u8..4, 0usize..40, any::<bool>()), 3..40),
    ) {
        let count = lines.len();
        let (known, target) = if is_rv32 { (LINES_RV32, ".target rv32\n") } else { (LINES, "") };
        let mut text = format!("{target}start: call l0\n sys exit\n");
        for (index, (line, d, s, l, _)) in lines.into_iter().enumerate() {
            let line = known[line].replace("{d}", &d.to_string()).replace("{s}", &s.to_string());
            text.push_str(&format!("l{index}: {}\n", line.replace("l{l}", &format!("l{}", l % count))));
        }
        text.push_str(" ret\n");
        let mut session = session(&text);
        for _ in 0..300 {
            let machine = session.machine();
            let (pc, frame) = (machine.pc(), machine.frames().last().copied());
            let entry = frame.map_or(session.image().entry, |frame| frame.target);
            let routine = session.image().routine_around(entry).expect("it is code");
            // A routine that another one goes on into has its own beginning.
            if routine.entry == entry {
                prop_assert!(routine.contains(pc), "{pc:?} is not in {routine:?}\n{text}");
            }
            let own = session.image().routine_at(pc).expect("it is code");
            let around = session.image().routine_around(pc).expect("it is code");
            prop_assert!(around.entry == own && around.contains(pc), "{pc:?}: {around:?}\n{text}");
            session.begin(Command::Step);
            while session.work(u64::MAX) == Progress::Working {}
            if session.machine().finished().is_some() {
                break;
            }
        }
        // Each instruction belongs to one routine, and to that one only as its own.
        for line in &session.image().lines {
            prop_assert!(session.image().routine_at(line.address).is_some(), "{line:?}\n{text}");
        }
    }
}
