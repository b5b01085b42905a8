//! Where things come from and what becomes of them, against going one step at a time.

use super::stopping::{STOPS, is_place, judged, stop_of};
use super::time::{go, program, run, typed};
use crate::sides::is_rv32;
use proptest::prelude::*;
use wendax_isa::{Addr, Reg, StepNo};
use wendax_machine::{Event, Machine};
use wendax_session::{
    Answer, Change, Command, Filtered, Session, StopAt, Story, Thing, Touch, TrailForm, TrailText, Where, charted,
};

const THINGS: [Thing; 9] = [
    Thing::Register(Reg(0)),
    Thing::Register(Reg(1)),
    Thing::Register(Reg(2)),
    Thing::Register(Reg(13)),
    Thing::Flag(1),
    Thing::Flag(2),
    Thing::Cells(Addr(0x300), Addr(0x302)),
    Thing::Cells(Addr(0x303), Addr(0x304)),
    Thing::Cells(Addr(0x306), Addr(0x308)),
];

/// The same for RV32, which has registers in place of flags.
const THINGS_RV32: [Thing; 9] = [
    Thing::Register(Reg(10)),
    Thing::Register(Reg(11)),
    Thing::Register(Reg(12)),
    Thing::Register(Reg(2)),
    Thing::Register(Reg(1)),
    Thing::Register(Reg(5)),
    Thing::Cells(Addr(0x1_1000), Addr(0x1_1004)),
    Thing::Cells(Addr(0x1_1005), Addr(0x1_1006)),
    Thing::Cells(Addr(0x1_100C), Addr(0x1_1010)),
];

fn value(machine: &Machine, thing: Thing) -> u32 {
    match thing {
        Thing::Register(register) => machine.register(register),
        Thing::Flag(bit) => u32::from(machine.flags() & bit != 0),
        Thing::Cells(from, to) if to == from + 1 => machine.byte(from).into(),
        Thing::Cells(from, _) => machine.word(from),
    }
}

fn told(session: &Session, thing: Thing) -> Story {
    let mut story = Story::new(session, thing);
    for _ in 0..100_000 {
        if story.work(session, 50) {
            return story;
        }
    }
    panic!("never done: {story:?}");
}

/// The step of an answer; what it says of values must be so.
fn step_of(session: &mut Session, answer: &Answer, thing: Thing, edit: Option<u64>) -> Option<u64> {
    let Answer::Step(toucher) = answer else { return None };
    go(session, Command::Seek(toucher.step));
    assert_eq!(session.machine().pc(), toucher.pc);
    if let Some(old) = toucher.old {
        assert_eq!(value(session.machine(), thing), old, "{toucher:?}");
    }
    // A change by hand at a moment is there too, and was not this step.
    if edit == Some(toucher.step.0 + 1) {
        return Some(toucher.step.0);
    }
    go(session, Command::Seek(toucher.step + 1));
    assert_eq!(value(session.machine(), thing), toucher.new, "{toucher:?}");
    Some(toucher.step.0)
}

fn check(session: &mut Session, thing: Thing, at: u64, edit: Option<u64>) -> Result<(), TestCaseError> {
    let touch = |how| StopAt::plain(Where::Touched(how, thing));
    let met = judged(session, &[touch(Touch::Write), touch(Touch::Read), touch(Touch::Change)]);
    let [writes, reads, changes] = met.as_slice() else { unreachable!("there are three") };
    go(session, Command::Seek(StepNo(at)));
    let story = told(session, thing);
    prop_assert_eq!(session.now(), StepNo(at));
    let last = writes.iter().copied().rfind(|&moment| moment <= at).map(|moment| moment - 1);
    let by_hand = edit.filter(|&step| step <= at && last.is_none_or(|last| step > last));
    match (&story.written, by_hand) {
        (Answer::ByHand(found), Some(step)) => prop_assert_eq!(found.step, StepNo(step)),
        (answer, None) => prop_assert_eq!(step_of(session, answer, thing, edit), last, "written"),
        (answer, Some(step)) => prop_assert!(false, "{:?} and not by hand at {}", answer, step),
    }
    let next = |moments: &[u64]| moments.iter().copied().find(|&moment| moment > at).map(|moment| moment - 1);
    prop_assert_eq!(step_of(session, &story.read, thing, edit), next(reads), "read next");
    prop_assert_eq!(step_of(session, &story.changed, thing, edit), next(changes), "changes next");
    let by_steps = story.changes.list.iter().filter(|change| matches!(change, Change::Step(_)));
    let listed: Vec<u64> = by_steps.map(|change| change.step().0 + 1).collect();
    prop_assert_eq!(&listed, changes, "all changes");
    let present = story.changes.list.iter().take(story.changes.present);
    prop_assert!(present.clone().all(|change| change.step().0 <= at) && present.count() == story.changes.present);
    let in_chart: u64 = story.changes.chart.iter().map(|column| column.changes).sum();
    prop_assert_eq!(in_chart, changes.len() as u64, "in the chart");
    if let (Some(last), false) = (story.changes.chart.last(), edit.is_some()) {
        go(session, Command::Seek(session.end()));
        let read = |session: &Session| charted(session.machine().target(), thing, value(session.machine(), thing));
        prop_assert_eq!(last.last, read(session));
        // Its range is that of all values there were, however many fall into one piece of time.
        let range = |all: &mut dyn Iterator<Item = (i64, i64)>| {
            all.reduce(|one, other| (one.0.min(other.0), one.1.max(other.1)))
        };
        let columns = range(&mut story.changes.chart.iter().map(|column| (column.least, column.most)));
        let mut values = Vec::new();
        for moment in [0].into_iter().chain(changes.iter().copied()) {
            go(session, Command::Seek(StepNo(moment)));
            values.push((read(session), read(session)));
        }
        prop_assert_eq!(columns, range(&mut values.into_iter()));
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if super::SPAN < 100 { 80 } else { 40 }))]

    /// Writer, reader, changes are those that a walk step by step sees; after an edit of the past too.
    #[test]
    fn stories_agree_with_single_steps(
        image in program(),
        thing in 0..THINGS.len(),
        at in 0u64..420,
        inputs in typed(),
        edited in 0u64..300,
    ) {
        let mut session = run(&image, &inputs);
        let thing = if is_rv32(session.machine()) { THINGS_RV32[thing] } else { THINGS[thing] };
        let moment = at.min(session.end().0);
        check(&mut session, thing, moment, None)?;
        let edited = edited.min(session.end().0);
        go(&mut session, Command::Seek(StepNo(edited)));
        if let Thing::Register(register) = thing
            && session.edit(Event::SetRegister(register, 0x300)).is_some()
        {
            session.begin(Command::Seek(StepNo(edited + 60)));
            super::time::finish(&mut session, &mut std::iter::empty());
            let moment = at.min(session.end().0);
            check(&mut session, thing, moment, Some(edited))?;
        }
    }

    /// Each byte printed leads to the step that printed it.
    #[test]
    fn printed_bytes_lead_to_their_steps(image in program(), inputs in typed()) {
        let mut session = run(&image, &inputs);
        let end = session.end();
        go(&mut session, Command::Seek(StepNo(0)));
        let mut printed = Vec::new();
        while session.now() < end {
            let step = session.now();
            go(&mut session, Command::Step);
            let effects = session.last_step().expect("a step was taken");
            printed.extend((0..effects.printed).map(|_| step));
        }
        for (position, step) in printed.iter().enumerate() {
            prop_assert_eq!(session.printed_at(position as u64), Some(*step));
        }
        prop_assert_eq!(session.printed_at(printed.len() as u64), None);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if super::SPAN < 100 { 100 } else { 50 }))]

    /// The steps a filter lets through, and those that are written down, are those the judge names.
    #[test]
    fn trails_hold_the_steps_the_judge_names(
        image in program(),
        filter in 0..STOPS.len(),
        at in 0u64..420,
        inputs in typed(),
    ) {
        let mut session = run(&image, &inputs);
        let filter = stop_of(&session, filter);
        let met = judged(&mut session, std::slice::from_ref(&filter)).remove(0);
        let end = session.end();
        let of = |moment: u64| if is_place(&filter) { Some(moment) } else { moment.checked_sub(1) };
        let wanted: Vec<u64> = met.iter().filter_map(|&moment| of(moment)).filter(|&step| step < end.0).collect();
        go(&mut session, Command::Seek(StepNo(at.min(end.0))));
        let mut found = Filtered::new(&session, filter.clone());
        while !found.work(&session, 60) {}
        let steps: Vec<u64> = found.steps().iter().map(|step| step.0).collect();
        prop_assert_eq!(&steps, &wanted, "{:?}", &filter);
        prop_assert_eq!(found.before(), wanted.iter().filter(|&&step| step < session.now().0).count());
        // Written down.
        let numbers = |text: &str| -> Vec<u64> {
            text.lines().filter_map(|line| line.split_whitespace().next()?.parse().ok()).collect()
        };
        let mut text = TrailText::new(&session, TrailForm::Text, Some(filter));
        prop_assert_eq!(numbers(text.follow(&session)), wanted);
        let mut all = TrailText::new(&session, TrailForm::Text, None);
        prop_assert_eq!(numbers(all.follow(&session)), (0..end.0).collect::<Vec<_>>());
        // What the steps of a window did is what a walk sees.
        let some: Vec<StepNo> = steps.iter().take(5).map(|&step| StepNo(step)).collect();
        for effects in session.steps_at(&some) {
            go(&mut session, Command::Seek(effects.step + 1));
            prop_assert_eq!(session.last_step(), Some(&effects));
        }
    }
}

/// Checkpoints are thinned as a run grows old; what was written between those that went is still found.
#[test]
fn what_was_written_long_ago_is_found_after_checkpoints_were_thinned() {
    let text = "start: mov r1, 0\nouter: mov r5, r6\n inc r6\n mov r2, 1500\ninner: add r3, 1\n adc r4, 0\n djnz r2, inner\n jmp outer\n";
    let (sources, file) = wendax_source::Sources::single("long", text);
    let image = wendax_asm::assemble(&sources, file).image;
    let mut session = Session::new(image, wendax_machine::Settings::default()).keeping_moments_each(super::SPAN);
    go(&mut session, Command::Seek(StepNo(60_000)));
    let round = 4 + 3 * 1500;
    for at in [5u64, 4_400, 9_000, 30_001, 45_060, 59_999] {
        go(&mut session, Command::Seek(StepNo(at)));
        let story = told(&session, Thing::Register(Reg(5)));
        // It is written at step 1, and again in each round.
        let last = 1 + (at - 2) / round * round;
        assert_eq!(step_of(&mut session, &story.written, Thing::Register(Reg(5)), None), Some(last), "before {at}");
        let next = last + round;
        let changed = step_of(&mut session, &story.changed, Thing::Register(Reg(5)), None);
        assert_eq!(changed, Some(next).filter(|&step| step < 60_000), "after {at}");
        assert_eq!(story.changes.count(), 60_000u64.div_ceil(round) - 1, "all of them, at {at}");
        let never = told(&session, Thing::Register(Reg(9)));
        assert_eq!((never.written, never.read, never.changes.count()), (Answer::Nothing, Answer::Nothing, 0));
    }
}
