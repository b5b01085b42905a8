//! What a walk takes has a bound, and nothing is lost by that: output, input, time and memory.

use wendax_machine::{Addr, Reg, StepNo};
use wendax_machine::{Event, Settings};
use wendax_session::{Command, Piece, Progress, Session, State, Why};

fn session(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}: {:?}", assembly.diagnostics);
    Session::new(assembly.image, Settings::default()).with_sources(assembly.sources)
}

fn go(session: &mut Session, command: Command) {
    session.begin(command);
    loop {
        match session.work(100_000) {
            Progress::Working => {}
            Progress::Asks(_) => session.answer(Event::Clock(1)),
            Progress::Arrived => return,
        }
    }
}

/// Prints a text of 60,000 signs over and over.
const PRINTS: &str = "start: mov r1, room\n mov r2, 60000\n mov r3, 'x'\n@fill: stb [r1], r3\n inc r1\n djnz r2, @fill\n\
                      @again: mov r0, room\n sys put_text\n inc r6\n jmp @again\n.data\nroom: .space 60001\n";

#[test]
fn output_leaves_whole_however_much_is_printed() {
    let mut session = session(&PRINTS.replace("60000", "3000"));
    session.begin(Command::Seek(StepNo(60_000)));
    let (mut seen, mut total) = (0, 0u64);
    while session.work(1_000_000) == Progress::Working {
        let fresh = session.printed_since(seen);
        assert!(fresh.iter().all(|byte| *byte == b'x'));
        total += fresh.len() as u64;
        seen = session.machine().printed();
    }
    total += session.printed_since(seen).len() as u64;
    assert_eq!(total, session.machine().printed());
    assert!(total > 30_000_000, "{total}");
}

#[test]
fn a_slice_ends_whatever_the_program_does_and_so_does_the_way_back() {
    let mut session = session(&PRINTS.replace("60000", "58000"));
    let most = 3 << 20;
    let measure = |session: &mut Session| {
        let mut printed = session.machine().printed();
        let mut slices = 0;
        while session.work(300_000) == Progress::Working {
            let now = session.machine().printed();
            // Going back begins at an earlier checkpoint.
            assert!(now < printed || now - printed <= most, "{} bytes in one slice", now - printed);
            (printed, slices) = (now, slices + 1);
        }
        slices
    };
    session.begin(Command::Seek(StepNo(200_000)));
    assert!(measure(&mut session) > 10);
    session.begin(Command::Seek(StepNo(180_000)));
    measure(&mut session);
    session.begin(Command::BackTo(vec![Addr(0x0200)]));
    assert!(measure(&mut session) > 10);
    assert_eq!(session.now(), StepNo(0));
}

#[test]
fn much_input_and_many_answers_stay_under_the_budget_and_the_past_begins_later() {
    let budget = 2 << 20;
    let mut asking = session("start: sys clock_ms\n inc r6\n jmp start\n").with_budget(budget);
    go(&mut asking, Command::Seek(StepNo(300_000)));
    assert!(asking.memory_in_use() <= budget * 5 / 4, "{} bytes", asking.memory_in_use());
    let oldest = asking.oldest();
    assert!(oldest > StepNo(0));
    go(&mut asking, Command::Seek(StepNo(0)));
    assert_eq!((asking.now(), asking.state()), (oldest, &State::Paused(Why::Oldest)));
    go(&mut asking, Command::Seek(StepNo(300_000)));
    assert_eq!(asking.machine().register(Reg(6)), 34_464, "100,000 rounds, and the same when they are run again");

    let mut reading = session("start: sys get_char\n jc @end\n inc r6\n jmp start\n@end: halt\n").with_budget(16 << 20);
    reading.type_input(&vec![b'7'; 4 << 20]);
    reading.end_input();
    go(&mut reading, Command::Seek(StepNo(12_000_000)));
    assert!(reading.memory_in_use() <= 16 << 20, "{} bytes", reading.memory_in_use());
    assert_eq!(reading.oldest(), StepNo(0), "input is kept once, not in every checkpoint");
}

#[test]
fn the_console_of_a_far_past_is_that_of_then() {
    let mut session = session("start: mov r0, r6\n sys put_hex\n inc r6\n jmp start\n");
    go(&mut session, Command::Seek(StepNo(12_000_000)));
    go(&mut session, Command::Seek(StepNo(10)));
    let Some(Piece::Printed(text)) = session.console().pop() else { panic!("nothing was printed") };
    assert_eq!(text, b"000000010002");
    let end = session.end();
    go(&mut session, Command::Seek(end));
    let pieces = session.console_end(8);
    assert_eq!(pieces, [Piece::Printed(b"C6BEC6BF".to_vec())], "and the end is still known");
}

#[test]
fn input_while_the_walk_is_on_its_way_back_is_refused_and_cuts_nothing() {
    let mut session = session("start: add r1, 1\n adc r2, 0\n adc r3, 0\n jmp start\n");
    go(&mut session, Command::Seek(StepNo(3_000_000)));
    session.begin(Command::BackTo(vec![Addr(0x0F00)]));
    assert_eq!(session.work(10_000), Progress::Working);
    assert_eq!(session.type_input(b"D"), None);
    session.pause();
    assert_eq!((session.now(), session.end()), (StepNo(3_000_000), StepNo(3_000_000)));
    go(&mut session, Command::Seek(StepNo(100)));
    let dropped = session.type_input(b"D").expect("the past can be given other input");
    assert_eq!((dropped.steps, dropped.typed, dropped.edits), (2_999_900, 0, 0));
}

#[test]
fn nothing_is_typed_to_a_program_that_has_ended() {
    let mut session = session("start: halt\n");
    go(&mut session, Command::Go);
    assert_eq!((session.type_input(b"late\n"), session.end_input()), (None, None));
    let end = session.end();
    go(&mut session, Command::Seek(end));
    assert_eq!(*session.state(), State::Finished(0));
}
