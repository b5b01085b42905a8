//! Walks: where each command stops, what the past remembers, and when a new branch begins.

use wendax_image::Symbol;
use wendax_machine::{Addr, Reg, StepNo};
use wendax_machine::{Event, Need, Settings};
use wendax_session::{Command, MarkKind, Piece, Progress, Session, State, StopId, Why, WordKind, read_stack};

/// Sums what is typed until 0, two routines deep.
const SUM: &str = "\
start:  clr   r7
ask:    sys   get_int
        jc    done
        cmp   r0, 0
        jeq   done
        call  outer
        jmp   ask
done:   mov   r0, r7
        sys   put_int
        sys   exit
outer:  push  r6
        mov   r6, r0
        call  inner
        pop   r6
        ret
inner:  add   r7, r6
        ret
";

fn session(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}: {:?}", assembly.diagnostics);
    Session::new(assembly.image, Settings::default())
}

fn work(session: &mut Session) {
    while session.work(1000) == Progress::Working {}
}

fn go(session: &mut Session, command: Command) {
    session.begin(command);
    work(session);
}

fn type_in(session: &mut Session, text: &str) {
    session.type_input(text.as_bytes());
    work(session);
}

fn address(session: &Session, label: &str) -> Addr {
    session.image().symbol(label).and_then(Symbol::address).expect("it is a label")
}

fn paused(why: Why) -> State {
    State::Paused(why)
}

#[test]
fn a_command_goes_on_after_the_input_it_waited_for() {
    let mut session = session(SUM);
    go(&mut session, Command::Step);
    go(&mut session, Command::Step);
    assert_eq!((session.state(), session.now()), (&State::Waiting, StepNo(1)));
    type_in(&mut session, "5\n");
    assert_eq!((session.state(), session.now()), (&paused(Why::Stepped), StepNo(2)), "a step stays a step");
    let inner = address(&session, "inner");
    go(&mut session, Command::To(vec![Addr(inner.0)]));
    assert_eq!(session.state(), &paused(Why::Line));
    let line = address(&session, "done");
    go(&mut session, Command::To(vec![Addr(line.0)]));
    assert_eq!(session.state(), &State::Waiting);
    type_in(&mut session, "0\n");
    assert_eq!((session.state(), session.machine().pc()), (&paused(Why::Line), line), "and a line stays the line");
    go(&mut session, Command::Go);
    assert_eq!(session.state(), &State::Finished(5));
}

#[test]
fn over_out_and_back_keep_to_their_routine() {
    let mut session = session(SUM);
    session.type_input(b"5\n0\n");
    let outer = address(&session, "outer");
    go(&mut session, Command::To(vec![Addr(outer.0)]));
    let entered = session.now();
    for _ in 0..2 {
        go(&mut session, Command::Step);
    }
    go(&mut session, Command::Over);
    assert_eq!(session.machine().frames().len(), 1, "over the inner call");
    assert_eq!(session.now(), entered + 5);
    go(&mut session, Command::OverBack);
    assert_eq!(session.now(), entered + 2);
    go(&mut session, Command::Step);
    assert_eq!(session.machine().frames().len(), 2);
    go(&mut session, Command::Out);
    assert_eq!((session.machine().frames().len(), session.state()), (1, &paused(Why::Returned)));
    go(&mut session, Command::Out);
    assert_eq!(session.machine().frames().len(), 0);
    go(&mut session, Command::StepBack);
    go(&mut session, Command::OutBack);
    assert_eq!((session.now(), session.machine().frames().len()), (entered - 1, 0), "at the call");
    go(&mut session, Command::OutBack);
    assert_eq!((session.now(), session.state()), (StepNo(0), &State::Ready), "from the outermost code to the start");
    go(&mut session, Command::StepBack);
    assert_eq!(session.now(), StepNo(0));
}

#[test]
fn going_back_stops_at_breakpoints_and_where_input_was_typed() {
    let mut session = session(SUM);
    for text in ["5\n", "6\n", "0\n"] {
        go(&mut session, Command::Go);
        type_in(&mut session, text);
    }
    assert_eq!(session.state(), &State::Finished(11));
    let inner = address(&session, "inner");
    session.set_breakpoints([inner]);
    let mut seen = Vec::new();
    while session.now() > StepNo(0) {
        go(&mut session, Command::GoBack);
        seen.push(session.machine().pc());
    }
    let ask = address(&session, "ask");
    assert_eq!(seen, [ask, inner, ask, inner, ask, Addr(0x0200)]);
    // And on again over the same places, without being asked for anything.
    let mut seen = Vec::new();
    while !matches!(session.state(), State::Finished(_)) {
        go(&mut session, Command::Go);
        seen.push(session.machine().pc());
    }
    assert_eq!(seen[..2], [inner, inner]);
    let stops = session.marks().iter().filter(|mark| mark.kind == MarkKind::Stop).count();
    let inputs = session.marks().iter().filter(|mark| mark.kind == MarkKind::Input).count();
    assert_eq!((stops, inputs), (2, 3));
}

#[test]
fn other_input_in_the_past_begins_a_branch_and_drops_what_was_ahead() {
    let mut session = session(SUM);
    for text in ["5\n", "6\n", "0\n"] {
        go(&mut session, Command::Go);
        type_in(&mut session, text);
    }
    let end = session.end();
    go(&mut session, Command::GoBack);
    go(&mut session, Command::GoBack);
    assert_eq!(session.recorded_input(), Some(&b"6\n"[..]));
    type_in(&mut session, "60\n");
    assert!(session.end() < end);
    go(&mut session, Command::Go);
    type_in(&mut session, "0\n");
    assert_eq!(session.state(), &State::Finished(65));
    let printed: Vec<Piece> = session.console();
    assert_eq!(printed.last(), Some(&Piece::Printed(b"65".to_vec())));
    let typed = printed.iter().filter(|piece| matches!(piece, Piece::Typed(_))).count();
    assert_eq!(typed, 3);
}

#[test]
fn the_end_of_the_console_is_its_end() {
    let mut session =
        session("start: mov r0, text\n sys put_text\n sys get_int\n jmp start\n.data\ntext: .asciz \"axle \"");
    for text in ["5\n", "66\n", "777\n"] {
        go(&mut session, Command::Go);
        type_in(&mut session, text);
    }
    let bytes = |pieces: Vec<Piece>| -> Vec<u8> {
        pieces
            .into_iter()
            .flat_map(|piece| match piece {
                Piece::Printed(bytes) | Piece::Typed(bytes) => bytes,
            })
            .collect()
    };
    let whole = bytes(session.console());
    assert_eq!(whole, b"axle 5\naxle 66\naxle 777\naxle ");
    for most in 0..=whole.len() + 3 {
        assert_eq!(bytes(session.console_end(most)), whole[whole.len().saturating_sub(most)..], "the last {most}");
    }
}

#[test]
fn edits_are_part_of_the_past_like_input() {
    let mut session = session("start: mov r1, 1\n add r1, r1\n add r1, r1\n add r1, r1\n halt");
    go(&mut session, Command::Seek(StepNo(2)));
    session.edit(Event::SetRegister(Reg(1), 100));
    assert_eq!(session.state(), &paused(Why::Edited));
    go(&mut session, Command::Go);
    assert_eq!(session.machine().register(Reg(1)), 400);
    go(&mut session, Command::Seek(StepNo(2)));
    assert_eq!(session.machine().register(Reg(1)), 100, "behind the edit");
    go(&mut session, Command::Seek(StepNo(1)));
    assert_eq!(session.machine().register(Reg(1)), 1, "before it");
    go(&mut session, Command::Seek(StepNo(4)));
    assert_eq!(session.machine().register(Reg(1)), 400);
    session.edit(Event::SetByte(Addr(0x0208), 3));
    session.edit(Event::SetByte(Addr(0x0209), 0));
    go(&mut session, Command::Go);
    assert!(matches!(session.state(), State::Fault(_)), "the halt became a ret: {:?}", session.state());
}

#[test]
fn the_stack_is_read_word_by_word() {
    let mut session = session(SUM);
    session.edit(Event::SetRegister(Reg(6), 77));
    session.type_input(b"5\n");
    let inner = address(&session, "inner");
    go(&mut session, Command::To(vec![Addr(inner.0)]));
    let words = read_stack(session.machine(), 10);
    let kinds: Vec<String> = words
        .iter()
        .map(|word| match word.kind {
            WordKind::Return(frame) => format!("return to {:04X} from {:04X}", word.value, frame.target),
            WordKind::Saved(register) => format!("r{} = {}", register.0, word.value),
            other => format!("{other:?}"),
        })
        .collect();
    let outer = address(&session, "outer");
    let wanted = [
        format!("return to {:04X} from {inner:04X}", inner - 4),
        "r6 = 77".to_owned(),
        format!("return to {:04X} from {outer:04X}", 0x020C),
    ];
    assert_eq!(kinds, wanted);
    assert_eq!(words.iter().map(|word| word.depth).collect::<Vec<_>>(), [1, 1, 0]);
}

#[test]
fn the_trail_tells_old_and_new_values() {
    let mut session =
        session("start: mov r1, 5\n mov r1, 5\n stw [x], r1\n cmp r1, 5\n sys put_int\n halt\n.data\nx: .space 2");
    go(&mut session, Command::Seek(StepNo(5)));
    let steps: Vec<_> = session.trail().collect();
    assert_eq!(steps.len(), 5);
    let register = steps[0].registers[0];
    assert_eq!((register.old, register.new, register.was_known), (0, 5, false));
    let again = steps[1].registers[0];
    assert_eq!((again.old, again.new, again.was_known), (5, 5, true), "writing the same again is seen");
    let memory = &steps[2].memory[0];
    assert_eq!(
        (memory.address, &memory.old[..], &memory.new[..], memory.was_known),
        (Addr(0x0300), &[0, 0][..], &[5, 0][..], false)
    );
    assert_eq!((steps[3].flags.old, steps[3].flags.new, steps[3].flags.touched), (0, 2, 15));
    assert_eq!(steps[4].output, b"0");
    assert!(steps.iter().all(|step| step.fell_through()));
}

#[test]
fn the_world_is_asked_once_and_replayed_from_the_log() {
    let mut session = session("start: sys clock_ms\n mov r6, r0\n mov r0, 9\n sys wait_ms\n halt");
    session.begin(Command::Go);
    assert_eq!(session.work(100), Progress::Asks(Need::Clock));
    session.answer(Event::Clock(1234));
    assert_eq!(session.work(100), Progress::Asks(Need::Wait(9)));
    session.answer(Event::Waited);
    assert_eq!(session.work(100), Progress::Arrived);
    go(&mut session, Command::Seek(StepNo(0)));
    go(&mut session, Command::Go);
    assert_eq!((session.state(), session.machine().register(Reg(6))), (&State::Finished(0), 1234));
}

#[test]
fn a_run_can_be_paused_anywhere_and_a_search_given_up() {
    let mut session = session("start: inc r1\n jmp start");
    session.begin(Command::Go);
    assert_eq!(session.work(10_000), Progress::Working);
    session.pause();
    assert_eq!((session.state(), session.is_running()), (&paused(Why::Asked), false));
    let now = session.now();
    session.begin(Command::BackTo(vec![Addr(0x0F00)]));
    session.work(10);
    session.pause();
    assert_eq!(session.now(), now, "back where the search began");
    session.set_breakpoints([Addr(0x0F00)]);
    go(&mut session, Command::GoBack);
    assert_eq!((session.now(), session.state()), (StepNo(0), &State::Ready), "with nothing found, the start");
}

#[test]
fn ends_stay_ends() {
    let mut faulty = session("start: mov r1, 1\n div r1, r2\n halt");
    go(&mut faulty, Command::Go);
    assert!(matches!(faulty.state(), State::Fault(_)));
    go(&mut faulty, Command::StepBack);
    go(&mut faulty, Command::Seek(StepNo(1)));
    assert!(matches!(faulty.state(), State::Fault(_)), "seen again: {:?}", faulty.state());
    faulty.edit(Event::SetRegister(Reg(2), 1));
    go(&mut faulty, Command::Go);
    assert_eq!(faulty.state(), &State::Finished(0), "mended by hand, it goes on");
    go(&mut faulty, Command::Step);
    assert_eq!(faulty.now(), faulty.end());
    let mut circling = session("start: jmp start");
    go(&mut circling, Command::Go);
    assert_eq!((circling.state(), circling.now()), (&State::Circling { period: 1 }, StepNo(0)));
}

#[test]
fn endless_output_keeps_memory_in_bounds() {
    let mut session = session(
        "start: mov r0, text\nmore: sys put_text\n mov r0, text\n jmp more\n.data\ntext: .asciz \"0123456789012345678901234567890123456789012345678901234567890123\"",
    );
    go(&mut session, Command::Seek(StepNo(600_000)));
    let kept: usize =
        session.console().iter().map(|piece| if let Piece::Printed(bytes) = piece { bytes.len() } else { 0 }).sum();
    assert!(kept <= 8 << 20, "{kept} bytes kept of {}", session.machine().printed());
    go(&mut session, Command::Seek(StepNo(100)));
    assert_eq!(session.now(), StepNo(100));
}

#[test]
fn stepping_over_a_routine_that_takes_its_way_back_off_the_stack_stops_behind_it() {
    let behind =
        "start: call inline\n .word 7\n mov r2, 9\n halt\ninline: pop r1\n ldw r0, [r1]\n add r1, 2\n jmp r1\n";
    let mut session = session(&behind.replace("call", "jmp there\nthere: call"));
    go(&mut session, Command::Step);
    go(&mut session, Command::Over);
    let place = (session.machine().pc(), session.machine().register(Reg(0)));
    assert_eq!(place, (address(&session, "there") + 4, 7), "behind the word that belongs to the call");
    assert_eq!(session.state(), &paused(Why::Returned));
    // It drops its argument and returns all the same.
    let mut cleans =
        self::session("start: push r1\n call use\n mov r2, 9\n halt\nuse: pop r5\n pop r0\n push r5\n ret\n");
    go(&mut cleans, Command::Step);
    go(&mut cleans, Command::Over);
    assert_eq!(cleans.machine().pc(), Addr(0x0204));
    // It never comes back.
    let mut leaves =
        self::session("start: call away\nother: inc r1\n halt\naway: add sp, 2\n jmp past\npast: jmp other\n");
    go(&mut leaves, Command::Over);
    assert_eq!(leaves.machine().pc(), Addr(address(&leaves, "other").0));
}

#[test]
fn a_frame_is_left_when_the_stack_pointer_lies_above_it() {
    let mut session = session("start: call a\n halt\na: call b\n halt\nb: mov sp, 0xFE00\n halt\n");
    for wanted in [1, 2, 0] {
        go(&mut session, Command::Step);
        assert_eq!(session.machine().frames().len(), wanted);
    }
    go(&mut session, Command::StepBack);
    let frame = session.machine().frames()[1];
    assert_eq!((frame.slot, frame.back, frame.step), (Addr(0xFDFC), address(&session, "a") + 2, StepNo(1)));
}

#[test]
fn back_by_line_passes_over_a_long_call() {
    let mut session = session("start: nop\n call long\n nop\n halt\nlong: mov r1, 900\n@next: djnz r1, @next\n ret\n");
    go(&mut session, Command::Line);
    go(&mut session, Command::Line);
    assert_eq!((session.machine().pc(), session.now()), (Addr(0x0204), StepNo(904)));
    go(&mut session, Command::LineBack);
    assert_eq!(
        (session.machine().pc(), session.now()),
        (Addr(0x0202), StepNo(1)),
        "at the call, not inside what it called"
    );
    go(&mut session, Command::LineBack);
    assert_eq!(session.now(), StepNo(0));
    // From inside a line that was run many times over: to where that began, then to the line before.
    go(&mut session, Command::Seek(StepNo(700)));
    for wanted in [3, 2] {
        go(&mut session, Command::LineBack);
        assert_eq!(session.now(), StepNo(wanted));
    }
}

#[test]
fn going_back_stops_at_what_was_typed_and_not_at_what_the_clock_said() {
    let mut session = session("start: sys clock_ms\n sys get_char\n sys clock_ms\n sys clock_ms\n halt\n");
    session.begin(Command::Go);
    loop {
        match session.work(100) {
            Progress::Working => {}
            Progress::Asks(_) => session.answer(Event::Clock(5)),
            Progress::Arrived if *session.state() == State::Waiting => {
                session.type_input(b"k");
            }
            Progress::Arrived => break,
        }
    }
    go(&mut session, Command::GoBack);
    assert_eq!((session.now(), session.state()), (StepNo(1), &paused(Why::Typed)));
    go(&mut session, Command::GoBack);
    assert_eq!(session.now(), StepNo(0));
}

#[test]
fn a_change_by_hand_has_one_place_in_time_from_both_sides() {
    let mut session = session("start: mov r0, 120\n nop\n nop\n halt\n");
    go(&mut session, Command::Seek(StepNo(2)));
    session.edit(Event::SetRegister(Reg(0), 5));
    for command in [Command::StepBack, Command::Step, Command::StepBack, Command::Seek(StepNo(2))] {
        go(&mut session, command.clone());
        let wanted = if session.now() == StepNo(2) { 5 } else { 120 };
        assert_eq!(session.machine().register(Reg(0)), wanted, "at step {} by {command:?}", session.now());
    }
    let words: Vec<String> =
        session.changes_by_hand().iter().map(|change| wendax_session::by_hand_words(&session, change)).collect();
    assert_eq!(words, ["r0 was 120, set by hand to 5"]);
    session.edit(Event::SetRegister(Reg(2), 2));
    assert_eq!((session.machine().register(Reg(0)), session.changes_by_hand().len()), (5, 2), "the first is kept");
    go(&mut session, Command::Go);
    let (r0, r2) = (session.machine().register(Reg(0)), session.machine().register(Reg(2)));
    assert_eq!((r0, r2), (5, 2));
    go(&mut session, Command::Seek(StepNo(1)));
    let dropped = session.edit(Event::Levers(3)).expect("it can be changed");
    assert_eq!((dropped.steps, dropped.edits), (3, 2), "what lay ahead is said");
    go(&mut session, Command::Seek(StepNo(0)));
    go(&mut session, Command::Step);
    assert_eq!(session.machine().board().levers, 3, "levers stand as they stood there");
}

#[test]
fn a_stride_tells_what_it_changed_as_a_whole() {
    let mut session = session(
        "start: mov r1, 3\n call sum\n halt\nsum: push r1\n clr r0\n@next: add r0, r1\n djnz r1, @next\n stw [total], r0\n \
         sys put_int\n pop r1\n ret\n.data\ntotal: .word 0\n",
    );
    go(&mut session, Command::Step);
    go(&mut session, Command::Over);
    let stride = session.last_change().expect("it took several steps").clone();
    assert_eq!((stride.step, stride.steps), (StepNo(1), 13));
    let words = wendax_session::change_words(&session, &stride);
    assert_eq!(words[0], "r0 not set → 6");
    assert!(words.contains(&"[total] 0 → 6".to_owned()), "{words:?}");
    assert!(words.contains(&"printed \"6\"".to_owned()), "{words:?}");
    assert!(!words.iter().any(|word| word.starts_with("r1") || word.starts_with("sp")), "as before: {words:?}");
    go(&mut session, Command::StepBack);
    assert_eq!(session.last_change().map(|change| change.steps), Some(1));
}

/// What a stride tells of memory is what its steps tell, taken together: what was never written is told as that, and no
/// cell more than was written.
#[test]
fn a_stride_knows_what_was_never_written_as_its_steps_do() {
    let text = "start: call all\n halt\nall: mov r1, 0\n stw [gross], r1\n stb [flag], r1\n mov r0, tag\n mov r1, 9\n \
                sys get_line\n ret\n.data\ngross: .space 4\nflag: .space 4\ntag: .space 10\n";
    let mut whole = session(text);
    whole.type_input(b"buoy\n").expect("it is taken");
    let mut single = whole.clone();
    go(&mut whole, Command::Over);
    let stride = whole.last_change().expect("it took several steps").clone();
    assert_eq!(stride.steps, 8);
    let words = wendax_session::change_words(&whole, &stride);
    let mut told = Vec::new();
    for _ in 0..8 {
        go(&mut single, Command::Step);
        let step = single.last_change().expect("a step").clone();
        told.extend(wendax_session::change_words(&single, &step));
    }
    for change in ["[gross] not set → 0", "[flag] not set → 0", "5 bytes at tag"] {
        assert!(words.iter().any(|word| word == change), "{change}: {words:?}");
        assert!(told.iter().any(|word| word == change), "{change}: {told:?}");
    }
}

#[test]
fn a_loop_that_repeats_one_state_stops_and_is_named_with_its_lines() {
    let mut session = session("start: mov r1, 4\n@wait: nop\n inc r2\n dec r2\n jmp @wait\n");
    go(&mut session, Command::Go);
    assert!(matches!(session.state(), State::Circling { period: 4 }), "{:?}", session.state());
    assert_eq!(wendax_session::state_words(&session), "lines 2 to 5 repeat one state every 4 steps for ever");
    let end = session.end();
    go(&mut session, Command::StepBack);
    go(&mut session, Command::Seek(end));
    assert!(matches!(session.state(), State::Circling { .. }), "the end stays what it is");
}

#[test]
fn an_input_that_has_ended_stays_ended_when_it_is_ended_again() {
    let mut session = session("start: ldw r1, [0xFF10]\n ldw r2, [0xFF10]\n halt\n");
    session.end_input().expect("it is taken");
    go(&mut session, Command::Step);
    let shown = session.machine().word(Addr(0xFF10));
    session.end_input().expect("it says nothing new");
    go(&mut session, Command::Step);
    go(&mut session, Command::Seek(StepNo(0)));
    // Where a stop is met, what comes there is looked at and taken back.
    session.set_breakpoints([Addr(0x0204)]);
    go(&mut session, Command::Go);
    assert_eq!(session.now(), StepNo(1));
    assert!(session.machine().input_ended());
    assert_eq!(session.machine().word(Addr(0xFF10)), shown);
    go(&mut session, Command::Step);
    let step = session.last_change().expect("a step").clone();
    assert!(step.came.is_empty(), "{:?}", step.came);
}

#[test]
fn a_value_set_in_the_past_leaves_what_was_met_before_it_with_its_moment() {
    let (sources, file) = wendax_source::Sources::single(
        "case.asm",
        "start: mov r6, 4\nagain: add r1, 1\n stw [total], r1\n djnz r6, again\n halt\n.data\ntotal: .word 0\n",
    );
    let image = wendax_asm::assemble(&sources, file).image;
    let mut session = Session::new(image, Settings::default()).with_sources(sources);
    let names = wendax_session::Names::new(session.image(), session.machine().target(), session.image().entry);
    let read = |text: &str| wendax_session::StopAt::read(text, &names, session.sources()).expect("it is a stop");
    let stops = [read("again"), read("change total")];
    session.set_stops([]);
    go(&mut session, Command::Go);
    session.set_stops(stops.into_iter().zip(0..).map(|(stop, id)| (StopId(id), stop)));
    let met = |session: &mut Session| {
        while !session.count_meetings(50) {}
        [0, 1].map(|id| session.met_so_far(StopId(id)).map(|met| (met.times, met.last.map(|last| last.0))))
    };
    assert_eq!(met(&mut session), [Some((4, Some(10))), Some((4, Some(12)))]);
    go(&mut session, Command::Seek(StepNo(8)));
    session.edit(Event::SetRegister(Reg(9), 1)).expect("it stands between two steps");
    // A round takes three steps: the places of the first three have arrived, two cells have changed.
    assert_eq!(met(&mut session), [Some((3, Some(7))), Some((2, Some(6)))]);
}
