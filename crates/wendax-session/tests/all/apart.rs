//! Two moments beside each other, against both states written out in full; who wrote what differs, against single steps.

use super::time::{finish, go, program, run, typed};
use proptest::prelude::*;
use std::collections::BTreeSet;
use wendax_isa::StepNo;
use wendax_machine::{Addr, Event, Machine, RegionKind};
use wendax_session::{Apart, Command, Effects, Session, Side, Thing, not_kept};

/// The things that differ, as they are told: registers and flags by name, memory byte by byte, what was never set apart from
/// 0; memory outside of devices.
fn differing(one: &Machine, other: &Machine) -> BTreeSet<String> {
    let target = one.target();
    let registers = target.registers().map(|(register, _)| register).filter(|register| {
        let value = |machine: &Machine| (machine.register(*register), machine.register_known(*register));
        value(one) != value(other)
    });
    let flags = target.flags.iter().filter(|flag| (one.flags() ^ other.flags()) & flag.bit != 0);
    let names = registers.map(|register| format!("{:?}", Thing::Register(register)));
    let mut differing: BTreeSet<String> =
        names.chain(flags.map(|flag| format!("{:?}", Thing::Flag(flag.bit)))).collect();
    for region in other.regions().into_iter().filter(|region| region.kind != RegionKind::Devices) {
        let cells = (0..region.length).map(|offset| region.start + offset);
        let differ = cells.filter(|at| one.byte(*at) != other.byte(*at) || one.cell(*at) != other.cell(*at));
        differing.extend(differ.map(|at| format!("byte {:08X}", at.0)));
    }
    differing
}

fn whole(session: &Session, from: u64, to: u64) -> Apart {
    let mut apart = Apart::between(session, StepNo(from), StepNo(to)).expect("both moments are kept");
    for _ in 0..100_000 {
        if apart.work(session, 50) {
            return apart;
        }
    }
    panic!("never done");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn what_is_told_to_differ_is_what_differs(
        image in program(),
        moments in (0u64..420, 0u64..420),
        inputs in typed(),
        edited in 0u64..300,
    ) {
        let mut session = run(&image, &inputs);
        // Something is set by hand on the way.
        let edited = edited.min(session.end().0);
        go(&mut session, Command::Seek(StepNo(edited)));
        let register = session.machine().target().roles.arguments[1];
        let before = session.clone();
        if session.edit(Event::SetRegister(register, 0x321)).is_some() {
            session.begin(Command::Seek(StepNo(edited + 80)));
            finish(&mut session, &mut std::iter::empty());
            // The run that was left parts from this one where that was set, and what differs at a moment of both is told.
            let parts = session.parts_from(&before).expect("something else came").0;
            prop_assert!(parts <= edited && before.parts_from(&session) == Some(StepNo(parts)));
            let both = moments.0.min(session.end().0).min(before.end().0);
            let mut across = Apart::across(&session, StepNo(both), &before, StepNo(both)).expect("both are kept");
            while !across.work(&session, 50) {}
            let (mut here, mut there) = (session.clone(), before.clone());
            go(&mut here, Command::Seek(StepNo(both)));
            go(&mut there, Command::Seek(StepNo(both)));
            let really = differing(there.machine(), here.machine());
            let named = |row: &wendax_session::Difference| match row.thing {
                Some(Thing::Cells(..)) | None => None,
                Some(thing) => Some(format!("{thing:?}")),
            };
            let told: BTreeSet<String> = across.rows().iter().filter_map(named).collect();
            let registers: BTreeSet<String> = really.into_iter().filter(|name| !name.starts_with("byte")).collect();
            prop_assert_eq!(told, registers);
            prop_assert!(both >= parts || across.rows().is_empty(), "{:?}", across.rows());
        }
        let end = session.end().0;
        let (one, other) = (moments.0.min(end), moments.1.min(end));
        let (from, to) = (one.min(other), one.max(other));
        let apart = whole(&session, one, other);
        prop_assert_eq!(apart.moments(), (StepNo(from), StepNo(to)));
        prop_assert!(apart.is_of(&session) && apart.is_done());
        go(&mut session, Command::Seek(StepNo(from)));
        let earlier = session.machine().clone();
        go(&mut session, Command::Seek(StepNo(to)));
        let later = session.machine().clone();
        prop_assert_eq!(apart.cycles, later.cycles() - earlier.cycles());

        // The same registers, flags and bytes, but what both have left below the stack pointer.
        let target = later.target();
        let low = earlier.stack_pointer().min(later.stack_pointer());
        let is_left = |at: Addr| target.map.stack_start <= at && at < low;
        let mut told = BTreeSet::new();
        for row in apart.rows() {
            match row.thing {
                Some(Thing::Cells(from, to)) => {
                    let bytes = (0..to - from).map(|offset| from + offset);
                    let differ = bytes.filter(|at| {
                        let cell = |machine: &Machine| (machine.byte(*at), machine.cell(*at));
                        cell(&earlier) != cell(&later)
                    });
                    told.extend(differ.map(|at| format!("byte {:08X}", at.0)));
                }
                Some(thing) => _ = told.insert(format!("{thing:?}")),
                None => {}
            }
        }
        let mut really = differing(&earlier, &later);
        really.retain(|name| name.strip_prefix("byte ").is_none_or(|at| {
            !is_left(Addr(u32::from_str_radix(at, 16).expect("an address")))
        }));
        prop_assert_eq!(&told, &really);

        // Who wrote what differs is the last step that did.
        let steps: Vec<Effects> = session.steps_from(StepNo(from), usize::try_from(to - from).expect("few"));
        for row in apart.rows() {
            let Some(thing) = row.thing else { continue };
            let writes = |effects: &&Effects| match thing {
                Thing::Register(register) => effects.register(register).is_some(),
                Thing::Flag(bit) => effects.flags.touched & bit != 0,
                Thing::Cells(from, to) => (0..to - from).any(|offset| effects.wrote(from + offset)),
            };
            let last = steps.iter().rev().find(writes).map(|effects| (effects.step, effects.pc));
            prop_assert_eq!(row.by, last, "{:?}", row);
        }
        prop_assert_eq!(apart.rows().iter().any(|row| row.name == "next"), earlier.pc() != later.pc());
        let kept = not_kept(&session, &apart);
        for (register, info) in target.registers().filter(|(register, _)| *register != target.roles.stack) {
            let differs = told.contains(&format!("{:?}", Thing::Register(register)));
            prop_assert_eq!(kept.contains(&register), info.kept && differs);
        }
    }
}

#[test]
fn what_came_out_and_where_it_stands_is_told() {
    let text = "start:  call  say\n        halt\nsay:    mov   r0, word\n        sys   put_text\n        ret\n.data\nword:   .asciz \"ding\"\n";
    let (sources, file) = wendax_source::Sources::single("say.asm", text);
    let image = wendax_asm::assemble(&sources, file).image;
    let mut session = Session::new(image, wendax_machine::Settings::default()).with_sources(sources);
    session.begin(Command::Go);
    finish(&mut session, &mut std::iter::empty());
    let apart = whole(&session, 1, 3);
    let told: Vec<(Side, &str, &str, &str)> =
        apart.rows().iter().map(|row| (row.side, row.name.as_str(), row.was.as_str(), row.now.as_str())).collect();
    assert_eq!(
        told,
        [
            (Side::Place, "next", "0x0204 (say)", "0x020A (say + 6)"),
            (Side::Register, "r0", "not set", "4"),
            (Side::Outside, "printed", "", "\"ding\""),
        ]
    );
    let apart = whole(&session, 0, 1);
    assert_eq!((apart.rows()[1].name.as_str(), apart.rows()[1].now.as_str()), ("inside of", "say"));
}

#[test]
fn names_of_moments_go_with_what_lay_ahead() {
    let (sources, file) = wendax_source::Sources::single("a.asm", "start: mov r1, 5\n@n: djnz r1, @n\n halt\n");
    let image = wendax_asm::assemble(&sources, file).image;
    let mut session = Session::new(image, wendax_machine::Settings::default());
    session.begin(Command::Go);
    finish(&mut session, &mut std::iter::empty());
    let named = |session: &Session| {
        session.pins().iter().map(|pin| format!("{} {}", pin.name, pin.step)).collect::<Vec<_>>().join(", ")
    };
    for (step, name) in [(4, "late"), (2, "early"), (3, "late"), (1, "first")] {
        go(&mut session, Command::Seek(StepNo(step)));
        session.pin(name).expect("a good name");
    }
    assert_eq!(named(&session), "first 1, early 2, late 3");
    for wrong in ["", "12", "two words", "end", "a+b"] {
        assert!(session.pin(wrong).is_err(), "{wrong}");
    }
    let before = session.clone();
    go(&mut session, Command::Seek(StepNo(2)));
    session.edit(Event::SetRegister(wendax_isa::Reg(1), 9));
    assert_eq!(named(&session), "first 1, early 2");
    assert!(session.unpin("first") && !session.unpin("first"));
    assert_eq!((named(&session), named(&before)), ("early 2".to_owned(), "first 1, early 2, late 3".to_owned()));
}
