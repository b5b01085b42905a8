//! Stops of every kind: the moments a run stops at, forwards and backwards, against a judge that goes one step at a
//! time and looks only at what each step did.

use super::time::{finish, go, program, run, typed};
use crate::sides::{allows, argument, is_rv32, names, uses};
use proptest::prelude::*;
use wendax_isa::{Addr, Reg, StepNo};
use wendax_machine::{AccessKind, Event, Machine, Need, StepKind};
use wendax_session::{
    At, Command, Effects, Names, Progress, Session, State, StopAt, StopId, Thing, Times, Touch, Where,
};

/// Stops in words, for programs as `time::program` makes them.
pub(crate) const STOPS: [&str; 29] = [
    "in l1 to l3 if r2 != 1",
    "op ldw",
    "op add if C",
    "0x206",
    "0x20A if r1 != 0",
    "0x210 if [data] == r2",
    "write r1",
    "change r1",
    "change r0 if C",
    "write sp if r2 < 9",
    "change Z",
    "write C",
    "read Z",
    "change data",
    "write [data + 2]",
    "write byte [data + 1]",
    "read data to data + 3",
    "read r2",
    "call",
    "call put_char",
    "call 0x22",
    "trap",
    "print",
    "print \"1\"",
    "enter 0x20C",
    "leave 0x20C",
    "when r1 == 3",
    "when [data] > 2 && !Z",
    "when [r3] == r1",
];

/// The same for RV32, one for one; where that has no flags, something else of its.
const STOPS_RV32: [&str; 29] = [
    "in l1 to l3 if a2 != 1",
    "op lw",
    "op add if a1 > 3",
    "0x10008",
    "0x10010 if a1 != 0",
    "0x10018 if [data] == a2",
    "write a1",
    "change a1",
    "change a0 if a3",
    "write sp if a2 < 9",
    "change t0",
    "write ra",
    "read a4",
    "change data",
    "write [data + 4]",
    "write byte [data + 1]",
    "read data to data + 3",
    "read a2",
    "call",
    "call put_int",
    "call 0x1022",
    "trap",
    "print",
    "print \"1\"",
    "enter 0x10014",
    "leave 0x10014",
    "when a1 == 3",
    "when [data] > 2 && !a2",
    "when [a3] == a1",
];

/// A stop of those for the machine of a session, by its number; one that any program has where this has no names.
pub(crate) fn stop_of(session: &Session, number: usize) -> StopAt {
    let is_rv32 = is_rv32(session.machine());
    if session.image().symbol("data").is_none() {
        return read(session, if is_rv32 { "0x10004" } else { "0x204" });
    }
    read(session, if is_rv32 { STOPS_RV32[number] } else { STOPS[number] })
}

/// It is met when an instruction arrives: the step that tells of it begins there.
pub(crate) fn is_place(stop: &StopAt) -> bool {
    matches!(stop.place, Where::Address(_) | Where::Among(..) | Where::Op(_) | Where::Step(_))
}

/// A moment: the state people see, and what it is to who leaves it, when all that comes there has come.
pub(crate) struct Moment {
    seen: Machine,
    left: Machine,
}

impl Moment {
    pub(crate) fn of(session: &Session) -> Self {
        Self { seen: session.machine().clone(), left: session.fork() }
    }
}

/// Whether a stop is met at a moment, by nothing but what the step that led there did and the states on both sides.
fn is_met(stop: &StopAt, before: &Moment, effects: Option<&Effects>, now: &Moment, output: &[u8]) -> bool {
    let holds =
        |machine: &Machine, value: &wendax_language::BoundValue| value.value(&At::new(machine)).is_ok_and(|v| v != 0);
    let (after, between, before) = (&now.seen, &before.left, &before.seen);
    if !stop.condition.as_ref().is_none_or(|condition| holds(after, condition)) {
        return false;
    }
    // An instruction arrives when it is next and no interrupt comes first.
    let asks = |machine: &Machine| machine.interrupts().iter().any(|one| one.asks && one.handler.is_some());
    let is_first = allows(&now.left) && asks(&now.left);
    let arrives = after.finished().is_none() && !is_first;
    match &stop.place {
        Where::Address(address) => return arrives && after.pc() == *address,
        Where::Step(step) => return after.steps() == *step,
        Where::Among(parts) => {
            return arrives && parts.iter().any(|&(from, to)| from <= after.pc() && after.pc() < to);
        }
        Where::Op(name) => {
            return arrives && names(after).iter().any(|known| known == name);
        }
        _ => {}
    }
    let Some(effects) = effects else { return false };
    let byte = |machine: &Machine, at: u32| machine.byte(Addr(at));
    match &stop.place {
        Where::Address(_) | Where::Among(..) | Where::Op(_) | Where::Step(_) => false,
        Where::Touched(Touch::Write, Thing::Register(register)) => effects.register(*register).is_some(),
        Where::Touched(Touch::Change, Thing::Register(register)) => {
            effects.register(*register).is_some_and(|change| change.old != change.new)
        }
        Where::Touched(Touch::Read, Thing::Register(register)) => match effects.kind {
            // Only where a stack takes the way back.
            StepKind::Interrupt(_) | StepKind::Trap(_) => !is_rv32(before) && *register == Reg(13),
            StepKind::Instruction => uses(before).reads >> register.0 & 1 != 0,
            // A call takes what its table says, beside what the instruction itself names.
            StepKind::Call(number) => {
                let takes = before.target().call(number).map_or(&[][..], |call| call.takes);
                uses(before).reads >> register.0 & 1 != 0 || takes.iter().any(|(taken, _)| taken == register)
            }
        },
        Where::Touched(Touch::Write, Thing::Flag(bit)) => effects.flags.touched & bit != 0,
        Where::Touched(Touch::Change, Thing::Flag(bit)) => (effects.flags.old ^ effects.flags.new) & bit != 0,
        Where::Touched(Touch::Read, Thing::Flag(bit)) => {
            matches!(effects.kind, StepKind::Interrupt(_) | StepKind::Trap(_)) || uses(before).flags_read & bit != 0
        }
        Where::Touched(Touch::Write, Thing::Cells(from, to)) => (from.0..to.0).any(|at| effects.wrote(Addr(at))),
        Where::Touched(Touch::Change, Thing::Cells(from, to)) => {
            (from.0..to.0).any(|at| byte(before, at) != byte(after, at))
        }
        Where::Touched(Touch::Read, Thing::Cells(from, to)) => {
            let access = before.access_at(before.pc());
            let by_text = |start: u32| {
                let end = (start..=before.target().address_mask()).find(|&at| byte(before, at) == 0).unwrap_or(start);
                start < to.0 && from.0 <= end
            };
            match effects.kind {
                StepKind::Call(0x11 | 0x1011) => by_text(before.register(argument(before, 0))),
                StepKind::Instruction => access.is_some_and(|access| {
                    access.kind == AccessKind::Read && access.address < *to && *from < access.address + access.bytes
                }),
                _ => false,
            }
        }
        Where::Call(number) => {
            matches!(effects.kind, StepKind::Call(made) if number.is_none_or(|number| number == made))
        }
        Where::Trap(number) => {
            matches!(effects.kind, StepKind::Trap(taken) if number.is_none_or(|number| number == taken))
        }
        Where::Interrupt(_) => matches!(effects.kind, StepKind::Interrupt(_)),
        Where::Printed(None) => effects.printed > 0,
        Where::Printed(Some(text)) => {
            let printed = usize::try_from(effects.printed).expect("little");
            (output.len() - printed + 1..=output.len()).any(|end| output[..end].ends_with(text))
        }
        Where::Entered(address) => {
            after.frames().len() > before.frames().len()
                && after.frames().last().is_some_and(|frame| frame.target == *address)
                || effects.steps == 1
                    && after.frames().last().is_some_and(|f| f.target == *address && f.step == effects.step)
        }
        Where::Left(address) => {
            let left = &before.frames()[after.frames().len().min(before.frames().len())..];
            left.iter().any(|frame| frame.target == *address)
        }
        Where::True(value) => {
            let values = [before, between, after].map(|machine| holds(machine, value));
            matches!(values, [false, true, _] | [_, false, true])
        }
    }
}

/// The moments at which each stop is met, found one step at a time.
pub(crate) fn judged(session: &mut Session, stops: &[StopAt]) -> Vec<Vec<u64>> {
    let end = session.end();
    go(session, Command::Seek(StepNo(0)));
    let mut met = vec![Vec::new(); stops.len()];
    let mut before = Moment::of(session);
    let mut output = Vec::new();
    for (met, stop) in met.iter_mut().zip(stops) {
        if is_met(stop, &before, None, &before, &output) {
            met.push(0);
        }
    }
    while session.now() < end {
        go(session, Command::Step);
        let after = Moment::of(session);
        let effects = session.last_step().expect("a step was taken");
        output.extend_from_slice(session.printed_since(output.len() as u64));
        for (met, stop) in met.iter_mut().zip(stops) {
            if is_met(stop, &before, Some(effects), &after, &output) {
                met.push(after.seen.steps().0);
            }
        }
        before = after;
    }
    met
}

pub(crate) fn read(session: &Session, text: &str) -> StopAt {
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    StopAt::read(text, &names, session.sources()).unwrap_or_else(|error| panic!("{text}: {error}"))
}

/// All moments the walk stops at from the start on, and on the way back from the end.
fn both_ways(session: &mut Session, stops: &[StopAt]) -> (Vec<u64>, Vec<u64>) {
    session.set_stops(stops.iter().cloned().zip(0..).map(|(stop, id)| (StopId(id), stop)));
    let end = session.end();
    go(session, Command::Seek(StepNo(0)));
    let mut on = Vec::new();
    while session.now() < end {
        session.begin(Command::Go);
        // Behind the end lies what nobody has judged.
        while session.is_running() && session.now() < end {
            match session.work(7) {
                Progress::Working => {}
                other => prop_answer(session, other),
            }
        }
        session.pause();
        if !session.met().is_empty() {
            on.push(session.now().0);
        }
        if matches!(session.state(), State::Finished(_) | State::Fault(_) | State::Circling { .. } | State::Waiting) {
            break;
        }
    }
    go(session, Command::Seek(end));
    let mut back = Vec::new();
    while session.now() > StepNo(0) {
        go(session, Command::GoBack);
        if !session.met().is_empty() {
            back.push(session.now().0);
        }
    }
    back.reverse();
    (on, back)
}

/// What the program asks for is answered as `time` does.
fn prop_answer(session: &mut Session, progress: Progress) {
    match progress {
        Progress::Asks(Need::Wait(_)) => session.answer(Event::Waited),
        Progress::Asks(_) => session.answer(Event::Clock(77)),
        Progress::Working | Progress::Arrived => {}
    }
}

fn fitting(met: &[Vec<u64>], stops: &[StopAt]) -> Vec<u64> {
    let of_stop = |(met, stop): (&Vec<u64>, &StopAt)| {
        let numbered = met.iter().zip(1..);
        numbered
            .filter(|(_, number)| stop.stops() && stop.times.fits(*number))
            .map(|(step, _)| *step)
            .collect::<Vec<_>>()
    };
    let mut all: Vec<u64> = met.iter().zip(stops).flat_map(of_stop).collect();
    all.sort_unstable();
    all.dedup();
    all
}

/// `by_hand`: what is there at this moment is a person's doing too, and is no matter of the step before it.
fn check(session: &mut Session, stops: &[StopAt], by_hand: Option<u64>) -> Result<(), TestCaseError> {
    let met = judged(session, stops);
    let wanted = fitting(&met, stops);
    let end = session.end().0;
    let (on, back) = both_ways(session, stops);
    // Behind the last step nothing goes on; a walk that stands there has come to its end.
    let inner = |list: &[u64]| {
        list.iter().copied().filter(|&step| step > 0 && step < end && Some(step) != by_hand).collect::<Vec<u64>>()
    };
    prop_assert_eq!(inner(&on), inner(&wanted), "forwards {:?}", stops);
    prop_assert_eq!(inner(&back), inner(&wanted), "backwards {:?}", stops);
    while !session.count_meetings(50) {}
    for (id, met) in (0..).zip(&met) {
        let counted = session.met_so_far(StopId(id)).expect("it is a stop");
        let off = counted.times.abs_diff(met.len() as u64);
        prop_assert!(
            off <= u64::from(by_hand.is_some()),
            "how often {:?}: {:?} {:?} up to {:?}",
            stops,
            counted,
            met,
            session.end()
        );
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if super::SPAN < 100 { 150 } else { 75 }))]

    /// Forwards and backwards the same moments, and those the judge names; before and after an edit of the past.
    #[test]
    fn stops_are_met_where_the_judge_says(
        image in program(),
        chosen in proptest::collection::vec((0..STOPS.len(), 0u8..4, 1u64..5), 1..4),
        inputs in typed(),
        edited in 0u64..300,
    ) {
        let mut session = run(&image, &inputs);
        let mut stops: Vec<StopAt> = chosen.iter().map(|(index, times, number)| {
            let mut stop = stop_of(&session, *index);
            stop.times = match times { 0 => Times::From(*number), 1 => Times::Every(*number), _ => Times::Each };
            stop
        }).collect();
        stops.push(StopAt::at_step(StepNo(edited)));
        check(&mut session, &stops, None)?;
        let at = edited.min(session.end().0);
        go(&mut session, Command::Seek(StepNo(at)));
        if session.edit(Event::SetRegister(argument(session.machine(), 1), 3)).is_some() {
            session.begin(Command::Seek(StepNo(at + 100)));
            finish(&mut session, &mut std::iter::empty());
            let plain = stops.into_iter().map(|stop| StopAt { times: Times::Each, ..stop });
            check(&mut session, &plain.collect::<Vec<_>>(), Some(at))?;
        }
    }
}
