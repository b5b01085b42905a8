//! Two runs walked together: the next common place is the one that single steps of both find, and nothing nearer.

use super::time::{go, program, run, typed};
use proptest::prelude::*;
use wendax_isa::{Addr, StepNo};
use wendax_session::{Command, Session};

/// Where each step led and how deep, by single steps.
fn stood(session: &mut Session) -> Vec<(Addr, usize)> {
    let end = session.end();
    go(session, Command::Seek(StepNo::FIRST));
    let mut all = vec![(session.machine().pc(), session.machine().frames().len())];
    while session.now() < end {
        go(session, Command::Step);
        all.push((session.machine().pc(), session.machine().frames().len()));
    }
    all
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn both_come_to_the_nearest_place_they_have_in_common(
        image in program(), inputs in typed(), others in typed(), at in 0u64..200, there in 0u64..200,
    ) {
        let (mut one, mut other) = (run(&image, &inputs), run(&image, &others));
        let (mine, theirs) = (stood(&mut one), stood(&mut other));
        let at = usize::try_from(at.min(one.end().0)).expect("it is small");
        let there = usize::try_from(there.min(other.end().0)).expect("it is small");
        let told = one.next_together(StepNo(at as u64), &other, StepNo(there as u64));
        let mut all: Vec<(usize, usize)> = Vec::new();
        for (here, stood) in mine.iter().enumerate().skip(at + 1) {
            all.extend(theirs.iter().enumerate().skip(there + 1).filter(|(_, it)| *it == stood).map(|(it, _)| (here, it)));
        }
        let nearest = all.iter().map(|(here, it)| here + it).min();
        prop_assert_eq!(told.map(|(here, it)| usize::try_from(here.0 + it.0).expect("small")), nearest);
        if let Some((here, it)) = told {
            let pair = (usize::try_from(here.0).expect("small"), usize::try_from(it.0).expect("small"));
            prop_assert!(all.contains(&pair));
            // The machine of a moment is what going there shows.
            let machine = one.machine_at(here).expect("it is kept");
            go(&mut one, Command::Seek(here));
            prop_assert!(machine.same_state(one.machine()));
        }
        // A run beside itself goes step by step.
        if (at as u64) < one.end().0 {
            let next = StepNo(at as u64) + 1;
            prop_assert_eq!(one.next_together(StepNo(at as u64), &one.clone(), StepNo(at as u64)), Some((next, next)));
        }
    }
}

#[test]
fn after_an_edit_places_are_the_same_by_their_names() {
    let session = |more: &str| {
        let text = format!("start: mov r1, 2\n{more}next: add r2, r1\n djnz r1, next\ndone: halt\n");
        let (sources, file) = wendax_source::Sources::single("a.asm", text);
        let assembly = wendax_asm::assemble(&sources, file);
        let mut session = Session::new(assembly.image, wendax_machine::Settings::default());
        go(&mut session, Command::Go);
        session
    };
    let (one, other) = (session(""), session(" clr r2\n clr r3\n"));
    // `next` is the second instruction of one, and the fourth of the other.
    assert_eq!(one.next_together(StepNo(0), &other, StepNo(0)), Some((StepNo(1), StepNo(3))));
    assert_eq!(one.next_together(StepNo(1), &other, StepNo(3)), Some((StepNo(2), StepNo(4))));
    assert_eq!(one.next_together(one.end(), &other, other.end()), None);
}
