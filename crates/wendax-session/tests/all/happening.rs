//! What is told of active routines and of everything that happened, against a second, simpler way of finding it: going
//! step by step from the start and looking.

use proptest::prelude::*;
use wendax_machine::{Reg, Settings, StepNo};
use wendax_session::{Command, Happening, Progress, Routine, Routines, Session, What, happenings};
use wendax_source::Sources;

/// Calls within calls, pushes, output in pieces and lines, typed input.
const PROGRAM: &str = "\
start:  mov   r0, head
        sys   put_text
        sys   get_int
        mov   r6, r0
again:  mov   r0, r6
        mov   r1, 7
        call  show
        djnz  r6, again
        mov   r0, 0
        sys   exit
show:   push  r6
        push  r7
        call  digit
        mov   r0, end
        sys   put_text
        pop   r7
        pop   r6
        ret
digit:  push  r0
        sys   put_uint
        pop   r0
        ret
        .data
head:   .asciz \"one\\ntwo\\nhow many? \"
end:    .asciz \" seen\\nand \"
";

fn finish(session: &mut Session, command: Command) {
    session.begin(command);
    while session.work(50_000) == Progress::Working {}
}

fn session() -> Session {
    let (sources, file) = Sources::single("yard", PROGRAM);
    let image = wendax_asm::assemble(&sources, file).image;
    let mut session = Session::new(image, Settings::default()).with_sources(sources);
    session.type_input(b"4\n");
    finish(&mut session, Command::Go);
    session
}

/// The registers that take arguments at each entry of a routine, found by going step by step.
fn entries_by_steps(whole: &Session) -> Vec<(StepNo, Vec<(Reg, u32)>)> {
    let mut session = whole.clone();
    finish(&mut session, Command::Seek(StepNo::FIRST));
    let mut found = Vec::new();
    while session.now() < whole.end() {
        let before = session.machine().frames().len();
        let step = session.now();
        finish(&mut session, Command::Step);
        if session.machine().frames().len() > before {
            let machine = session.machine();
            let registers = machine.target().roles.arguments.iter().copied();
            let set = registers.filter(|&register| machine.register_known(register));
            found.push((step, set.map(|register| (register, machine.register(register))).collect()));
        }
    }
    found
}

/// The steps at which lines of output began, with their texts, found by going step by step.
fn lines_by_steps(whole: &Session) -> Vec<(StepNo, String)> {
    let mut session = whole.clone();
    finish(&mut session, Command::Seek(StepNo::FIRST));
    let mut lines: Vec<(StepNo, String)> = Vec::new();
    let mut is_open = false;
    while session.now() < whole.end() {
        let (step, printed) = (session.now(), session.machine().printed());
        if session.recorded_input().is_some() {
            is_open = false;
        }
        finish(&mut session, Command::Step);
        for &byte in session.printed_since(printed) {
            if byte == b'\n' {
                is_open = false;
            } else if is_open {
                lines.last_mut().expect("it is open").1.push(char::from(byte));
            } else {
                lines.push((step, char::from(byte).to_string()));
                is_open = true;
            }
        }
    }
    lines
}

#[test]
fn lines_of_output_are_told_with_the_step_that_began_them() {
    let session = session();
    let told: Vec<(StepNo, String)> = happenings(&session)
        .into_iter()
        .filter(|happening| happening.what == What::Printed)
        .map(|Happening { step, text, .. }| (step, text))
        .collect();
    assert_eq!(told, lines_by_steps(&session));
    assert!(told.len() > 6, "{told:?}");
}

#[test]
fn a_new_branch_forgets_what_happened_behind_it() {
    let mut session = session();
    let all = happenings(&session).len();
    finish(&mut session, Command::Seek(StepNo(20)));
    assert_eq!(happenings(&session).len(), all, "looking back forgets nothing");
    session.edit(wendax_machine::Event::SetRegister(Reg::at(6), 1)).expect("it is paused");
    let left = happenings(&session);
    assert!(left.iter().all(|happening| happening.step <= StepNo(20)), "{left:?}");
    assert!(left.iter().any(|happening| happening.what == What::ByHand));
    finish(&mut session, Command::Go);
    let told: Vec<StepNo> = happenings(&session)
        .into_iter()
        .filter(|happening| happening.what == What::Printed)
        .map(|happening| happening.step)
        .collect();
    let by_steps: Vec<StepNo> = lines_by_steps(&session).into_iter().map(|(step, _)| step).collect();
    assert_eq!(told, by_steps);
}

#[test]
fn a_value_set_by_hand_can_be_taken_back() {
    let mut session = session();
    finish(&mut session, Command::Seek(StepNo(12)));
    let before: Vec<u32> = (0..14).map(|register| session.machine().register(Reg::at(register))).collect();
    for value in [9, 10] {
        session.edit(wendax_machine::Event::SetRegister(Reg::at(7), value)).expect("it is paused");
    }
    assert!(session.take_back_edits(1));
    assert_eq!(session.machine().register(Reg::at(7)), 9, "the last one alone");
    assert!(session.take_back_edits(0) && !session.take_back_edits(0));
    let after: Vec<u32> = (0..14).map(|register| session.machine().register(Reg::at(register))).collect();
    assert_eq!(after, before);
    assert!(happenings(&session).iter().all(|happening| happening.what != What::ByHand));
    finish(&mut session, Command::StepBack);
    finish(&mut session, Command::Step);
    assert_eq!(session.machine().register(Reg::at(7)), before[7], "also when the step is done again");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// However one comes to a step, the routines told of are those of going there step by step, with their arguments.
    #[test]
    fn routines_are_those_of_going_step_by_step(steps in proptest::collection::vec(0u64..90, 1..12)) {
        let mut session = session();
        let entries = entries_by_steps(&session);
        let mut kept = Routines::default();
        for step in steps {
            let step = StepNo(step.min(session.end().0));
            finish(&mut session, Command::Seek(step));
            kept.refresh(&session, 16);
            let mut anew = Routines::default();
            anew.refresh(&session, 16);
            prop_assert_eq!(kept.list(), anew.list(), "what is kept is what is found anew");
            prop_assert_eq!(kept.list().len(), session.machine().frames().len());
            let mut inner = session.machine().stack_pointer();
            for routine in kept.list() {
                let Routine { frame, arguments, words } = routine;
                let known = entries.iter().find(|(at, _)| *at == frame.step).map(|(_, set)| set);
                prop_assert_eq!(known, Some(arguments));
                prop_assert_eq!(frame.slot, inner + *words * 2);
                inner = frame.slot + 2;
                prop_assert_eq!(Routines::entry(routine), frame.step + 1);
            }
        }
    }
}
