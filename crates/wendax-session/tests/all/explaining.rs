//! The account of the next instruction, in the words a user reads.

use wendax_machine::{Event, Settings};
use wendax_machine::{Reg, StepNo};
use wendax_session::{Command, Outlook, Progress, Session, State, explain, fault_causes};

fn session(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}: {:?}", assembly.diagnostics);
    Session::new(assembly.image, Settings::default()).with_sources(assembly.sources)
}

fn go(session: &mut Session, command: Command) {
    session.begin(command);
    while session.work(10_000) == Progress::Working {}
}

/// What is said of a line run with these registers set: caution, then sentences.
fn said(line: &str, registers: &[(u8, u32)]) -> String {
    let text =
        format!("start: nop\n {line}\nnear: ret\n.data\ntotal: .word 235\nname: .asciz \"gate\"\nroom: .space 4\n");
    let mut session = session(&text);
    for &(register, value) in registers {
        session.edit(Event::SetRegister(Reg(register), value));
    }
    go(&mut session, Command::Step);
    let explanation = explain(&session);
    let caution = explanation.caution.map(|text| format!("caution: {text}\n"));
    let figure = explanation.figure.iter().fold(String::new(), |all, line| all + "\n  |" + line);
    let cycles = explanation.cycles.map_or(String::new(), |cycles| format!(" · {cycles}"));
    let sentences = explanation.sentences.join("\n");
    format!("{}{cycles}\n{}{sentences}{figure}", explanation.text, caution.unwrap_or_default())
}

#[test]
fn every_kind_of_instruction_is_told_with_its_values() {
    let registers = [(1, 5), (2, 0xFFFE), (3, 0x0300), (4, 0x8000)];
    let lines = [
        "nop",
        "halt",
        "brk",
        "ei",
        "di",
        "mov r0, r1",
        "mov r0, name",
        "mov r1, 5",
        "add r1, 7",
        "sub r1, r2",
        "adc r1, 1",
        "sbc r1, 1",
        "cmp r1, r2",
        "cmp r1, 5",
        "tst r1, 8",
        "and r1, 4",
        "or r1, r2",
        "xor r1, r1",
        "shl r1, 2",
        "shr r2, 1",
        "asr r4, 3",
        "mul r1, r2",
        "mulh r1, r2",
        "div r2, 3",
        "mods r2, r1",
        "not r1",
        "neg r1",
        "swapb r3",
        "extb r2",
        "rlc r4",
        "rrc r1",
        "inc r1",
        "swap r1, r2",
        "ldw r0, [total]",
        "ldb r0, [r3]",
        "ldw r0, [room]",
        "stw [total], r1",
        "stb [room], r1",
        "stw [total], r5",
        "lea r0, [r3 + 2]",
        "push r1",
        "push fl",
        "pop r0",
        "jmp near",
        "jz near",
        "jltu near",
        "djnz r1, near",
        "jmp r3",
        "call near",
        "call r3",
        "ret",
        "sys put_int",
        "sys put_text",
        "sys put_char",
        "sys get_int",
        "sys clock_ms",
        "sys 0xEE",
        "sys file_open",
        "sys exit",
        "div r1, r0",
        "ldw r0, [r1]",
        "ldw r0, [0x9000]",
        "here_: jmp here_",
        "add r1, r6",
    ];
    let all: Vec<String> = lines.iter().map(|line| said(line, &registers)).collect();
    insta::assert_snapshot!(all.join("\n\n"));
}

#[test]
fn a_jump_names_the_line_that_set_its_flags() {
    let mut session = session("start: mov r1, 5\n cmp r1, 5\n mov r2, 1\n jeq start\n halt");
    go(&mut session, Command::Seek(StepNo(3)));
    let explanation = explain(&session);
    assert_eq!(
        explanation.sentences,
        ["taken: wants Z = 1, Z is 1; goes to 0x0200 (start)", "set by `cmp r1, 5` on line 2"]
    );
}

#[test]
fn what_is_told_is_what_happens() {
    let mut session =
        session("start: mov r1, 5\n add r1, 7\n push r1\n call sub\n sys exit\nsub: stw [0xEE00], r1\n ret");
    while session.machine().finished().is_none() {
        let explanation = explain(&session);
        let Outlook::Done(told) = explanation.outlook else { panic!("{explanation:?}") };
        go(&mut session, Command::Step);
        assert_eq!(session.last_step(), Some(&*told));
    }
    assert_eq!(explain(&session).outlook, Outlook::Over);
}

#[test]
fn a_full_and_an_empty_stack_are_named() {
    let mut deep = session("start: call start");
    go(&mut deep, Command::Go);
    let sentences = explain(&deep).sentences;
    assert_eq!(
        sentences[..2],
        ["fails: address 0xEDFE may not be written", "the stack is full: it ends at 0xEE00, 2048 routines deep"]
    );
    let empty = explain(&session("start: pop r1\n halt")).sentences;
    assert_eq!(empty[1], "the stack is empty: nothing lies above 0xFDFF");
}

#[test]
fn input_typed_before_is_announced_and_taken_again() {
    let mut session = session("start: sys get_int\n halt");
    assert_eq!(explain(&session).outlook, Outlook::Waits);
    go(&mut session, Command::Go);
    session.type_input(b"42\n");
    while session.work(100) == Progress::Working {}
    go(&mut session, Command::Seek(StepNo(0)));
    let explanation = explain(&session);
    assert!(explanation.sentences.iter().any(|text| text.contains("typed here before: \"42\"")), "{explanation:?}");
    go(&mut session, Command::Step);
    assert_eq!(session.machine().register(Reg(0)), 42);
}

#[test]
fn wrong_returns_and_values_never_set_are_cautioned() {
    let caution = |text: &str, step: u64| {
        let mut session = session(text);
        go(&mut session, Command::Seek(StepNo(step)));
        explain(&session).caution
    };
    let pushed = "start: call sub\n halt\nsub: push r6\n ret";
    assert_eq!(caution(pushed, 2).as_deref(), Some("the stack holds r6 that was pushed, not the way back"));
    assert_eq!(caution("start: call sub\n halt\nsub: ret", 1), None);
    assert_eq!(
        caution("start: push fl\n ret", 1).as_deref(),
        Some("no routine was called; the stack holds flags that were pushed")
    );
    assert_eq!(
        caution("start: mov r1, r7\n halt", 0).as_deref(),
        Some("nothing sets `r7` before it is read: it holds 0 by chance")
    );
    // Whatever reads it: the destination of a sum, a count, an address, an argument of a call.
    for text in ["add r6, 1", "inc r6", "djnz r6, start", "ldw r1, [r6]", "stw [r6], r1", "cmp r6, 3", "mul r6, 2"] {
        let said = caution(&format!("start: {text}\n halt"), 0);
        assert!(
            said.as_deref().is_some_and(|said| said.ends_with("before it is read: it holds 0 by chance")),
            "{text}: {said:?}"
        );
    }
    assert_eq!(
        caution("start: sys put_uint\n halt", 0).as_deref(),
        Some("nothing sets `r0` before it is read: it holds 0 by chance")
    );
    // What is only put by, or cleared by itself, may hold anything.
    for text in ["push r6", "xor r6, r6", "sub r6, r6", "clr r6", "mov r6, 3"] {
        assert_eq!(caution(&format!("start: {text}\n halt"), 0), None, "{text}");
    }
    let unwritten = "start: ldw r1, [room]\n halt\n.data\nroom: .space 2";
    assert_eq!(caution(unwritten, 0).as_deref(), Some("nothing was ever written at 0x0300 (room)"));
}

/// Causes of the fault a program ends with.
fn causes(text: &str) -> Vec<String> {
    let mut session = session(text);
    go(&mut session, Command::Go);
    let State::Fault(fault) = *session.state() else { panic!("{text}: {:?}", session.state()) };
    fault_causes(&session, &fault)
}

#[test]
fn a_fault_tells_where_it_began() {
    let wrong = causes("start: call sub\n halt\nsub: mov r6, 0x6568\n push r6\n ret\n");
    let told = "`ret` on line 5 took 0x6568 from the stack at 0xFDFC for the way back; it was put there by `push r6` on line 4 at step 2";
    assert_eq!(wrong, [told]);
    let over = causes("start: call sub\n halt\nsub: lea r1, [sp + 0]\n mov r2, 0x100\n stw [r1], r2\n ret\n");
    assert!(over[0].ends_with("it was put there by `stw [r1], r2` on line 5 at step 3"), "{over:?}");
    let full = causes("start: call down\n halt\ndown: push r1\n call down\n ret\n");
    assert_eq!(full[0], "the stack is full: it ends at 0xEE00, 1024 routines deep");
    assert_eq!(full[1], "1023 of them are of 0x0204 (down), called by `call down` on line 4");
    let past = causes("start: mov r1, 1\n inc r1\n");
    assert!(
        past[0].contains("ran past the end of the code: the last instruction that ran is `inc r1` on line 2"),
        "{past:?}"
    );
    let wild = causes("start: mov r3, 0x9000\n jmp r3\n");
    assert_eq!(wild, ["`jmp r3` on line 2 went to 0x9000"]);
    let base = causes("start: mov r3, 0x9000\n nop\n ldw r1, [r3]\n halt\n");
    assert_eq!(base, ["r3 holds 0x9000, set by `mov r3, 0x9000` on line 1 at step 0"]);
    assert_eq!(causes("start: div r1, r7\n halt\n"), ["r7 was never set, and reads 0"]);
}

#[test]
fn cautions_at_a_return_look_at_the_way_back_itself() {
    let caution = |text: &str, step: u64| {
        let mut session = session(text);
        go(&mut session, Command::Seek(StepNo(step)));
        explain(&session).caution
    };
    let popped = "start: call sub\n halt\nsub: pop r1\n push r1\n ret\n";
    // A way back that was taken off and is pushed to be gone to leads where it did.
    assert_eq!(caution(popped, 3), None);
    let none = "start: mov r1, 7\n push r1\n ret\n";
    assert_eq!(caution(none, 2), Some("no routine was called; the stack holds r1 that was pushed".to_owned()));
    let over = "start: call sub\n halt\nsub: mov r2, 0x123\n stw [0xFDFE], r2\n ret\n";
    let wanted = "the way back was 0x0202 and was written over with 0x0123, by `stw [0xFDFE], r2` on line 4";
    assert_eq!(caution(over, 3).as_deref(), Some(wanted));
    let handler = "start: mov r1, h\n stw [12], r1\n brk\n halt\nh: ret\n";
    let wanted = "a handler returns with `reti`: the flags stay on the stack";
    assert_eq!(caution(handler, 3).as_deref(), Some(wanted));
}

#[test]
fn interrupts_and_traps_of_the_programs_own_are_told_by_name_with_their_handler() {
    let text = "start: mov r1, tick\n stw [16], r1\n mov r1, 9\n stw [0xFF22], r1\n mov r1, 3\n stw [0xFF24], r1\n ei\n\
                main: nop\n jmp main\ntick: reti\n";
    let mut session = session(text);
    for _ in 0..40 {
        let told = explain(&session);
        if let Outlook::Done(effects) = &told.outlook
            && let wendax_machine::StepKind::Interrupt(number) = effects.kind
        {
            assert_eq!((number, told.text.as_str()), (8, "interrupt timer (8)"));
            assert!(told.sentences[0].contains("its handler at 0x021A (tick) takes over"), "{:?}", told.sentences);
            go(&mut session, Command::Step);
            let words = wendax_session::change_words(&session, session.last_step().expect("it was taken"));
            assert_eq!(words[0], "interrupt timer (8) → 0x021A (tick)");
            return;
        }
        go(&mut session, Command::Step);
    }
    panic!("the timer never asked");
}

#[test]
fn traps_that_the_program_handles_are_not_told_as_what_the_host_does() {
    let with = |trap: u32, line: &str| {
        let text = format!("start: mov r1, h\n stw [{}], r1\n {line}\n halt\nh: reti\n", 2 * trap);
        let mut session = session(&text);
        go(&mut session, Command::Seek(StepNo(2)));
        explain(&session)
    };
    let divided = with(4, "div r1, r2");
    assert_eq!(divided.sentences[0], "fails: a division by zero");
    assert!(divided.sentences[1].starts_with("trap divide by zero (4): its handler at"), "{:?}", divided.sentences);
    for (trap, line) in [(6, "brk"), (7, "sys put_char")] {
        let told = with(trap, line);
        assert!(told.sentences.iter().any(|text| text.contains("is the program's own: its handler at")), "{told:?}");
        assert!(!told.sentences.iter().any(|text| text.contains("pauses here")), "{told:?}");
    }
}

#[test]
fn the_account_speaks_as_the_source_does() {
    let text = |source: &str, step: u64| {
        let mut session = session(source);
        go(&mut session, Command::Seek(StepNo(step)));
        let told = explain(&session);
        (told.text, told.sentences)
    };
    let (line, sentences) = text("start: cmp r1, 5\n jgeu   start ; again\n halt\n", 1);
    assert_eq!(line, "jgeu start");
    assert_eq!(sentences[1], "set by `cmp r1, 5` on line 1");
    assert_eq!(text(".equ LIMIT, 0x30\nstart: mov r0, LIMIT\n halt\n", 0).0, "mov r0, LIMIT");
    let (line, sentences) = text("start: mov r0, 0x1234\n halt\n", 0);
    assert_eq!((line.as_str(), sentences[0].as_str()), ("mov r0, 0x1234", "r0 becomes 0x1234 (4660)"));
    let (line, _) = text(".macro TWICE r\n inc {r}\n inc {r}\n.endmacro\nstart: TWICE r4\n halt\n", 1);
    assert_eq!(line, "inc r4");
    let (line, sentences) = text("start: add sp, 4\n halt\n", 0);
    assert_eq!((line.as_str(), sentences[0].as_str()), ("add sp, 4", "sp becomes 0xFE00 (65024) + 4 = 0xFE04 (65028)"));
}

#[test]
fn device_registers_are_told_as_they_are_read_back() {
    let mut session = session("start: mov r1, 7\n stw [0xFF24], r1\n halt\n");
    go(&mut session, Command::Step);
    let told = explain(&session).sentences[0].clone();
    assert_eq!(told, "the device register 0xFF24 (timer control) becomes 3; it was 0; 7 is stored");
    go(&mut session, Command::Step);
    let words = wendax_session::change_words(&session, session.last_step().expect("it was taken"));
    assert_eq!(words, ["timer control 0x0000 → 0x0003"]);
}

#[test]
fn an_exit_status_says_who_left_it_there_and_a_success_is_not_told_as_a_failure() {
    let mut session = session("start: sys 0xEE\n mov r0, 48\n sys exit\n");
    go(&mut session, Command::Seek(StepNo(2)));
    let told = explain(&session);
    assert_eq!(
        told.sentences,
        ["exit: end the program with this status; status 48, left there by `mov r0, 48` on line 2"]
    );
}

/// A way back is a word: whichever of its bytes was set by hand, that is who wrote over it.
#[test]
fn a_way_back_of_which_one_byte_was_set_by_hand_is_told_so() {
    for offset in [0, 1] {
        let mut session = session("start: call twice\n halt\ntwice: nop\n ret\n");
        go(&mut session, Command::Step);
        let slot = session.machine().stack_pointer() + offset;
        session.edit(Event::SetByte(slot, 3));
        go(&mut session, Command::Step);
        let caution = explain(&session).caution.unwrap_or_default();
        assert!(caution.contains("was written over") && caution.ends_with(", by hand"), "byte {offset}: {caution}");
    }
}

#[test]
fn both_sides_of_an_arrow_are_in_one_base_and_signs_stand_beside() {
    let text = "start: mov r1, 2\n mov r1, list\n add r1, 2\n mov r2, -5\n mov r2, 7\n push r1\n stw [list], r2\n halt\n .data\nlist: .word 40000\n";
    let mut session = session(text);
    let mut told = Vec::new();
    for _ in 0..7 {
        go(&mut session, Command::Step);
        let words = wendax_session::change_words(&session, session.last_step().expect("it was taken"));
        told.push(words.first().cloned().unwrap_or_default());
    }
    let wanted = [
        "r1 not set → 2",
        "r1 0x0002 → 0x0300",
        "r1 0x0300 → 0x0302",
        "r2 not set → 65531 (-5)",
        "r2 65531 (-5) → 7",
        "sp 0xFE00 → 0xFDFE",
        "[list] 40000 (-25536) → 7",
    ];
    assert_eq!(told, wanted);
}

#[test]
fn what_was_never_written_is_not_told_as_0() {
    let text = "start: mov r1, room\n mov r2, total\n halt\n.data\ntotal: .word 0\nroom: .space 4\n";
    let mut session = session(text);
    assert_eq!(
        explain(&session).sentences[0],
        "r1 becomes 0x0302, the address of room; nothing was ever written there"
    );
    go(&mut session, Command::Step);
    assert_eq!(explain(&session).sentences[0], "r2 becomes 0x0300, the address of total; there lies 0");
}
