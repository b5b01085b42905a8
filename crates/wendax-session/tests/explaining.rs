//! The account of the next instruction, in the words a user reads.

use wendax_machine::{Event, Settings};
use wendax_session::{Command, Outlook, Progress, Session, explain};

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
fn said(line: &str, registers: &[(u32, u32)]) -> String {
    let text =
        format!("start: nop\n {line}\nnear: ret\n.data\ntotal: .word 235\nname: .asciz \"gate\"\nroom: .space 4\n");
    let mut session = session(&text);
    for &(index, value) in registers {
        session.edit(Event::SetRegister(index, value));
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
    go(&mut session, Command::Seek(3));
    let explanation = explain(&session);
    assert_eq!(
        explanation.sentences,
        ["taken: wants Z = 1, Z is 1; goes to 0200 (start)", "set by `cmp r1, 5` on line 2"]
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
        ["fails: address EDFE may not be written", "the stack is full: it ends at EE00, 2048 routines deep"]
    );
    let empty = explain(&session("start: pop r1\n halt")).sentences;
    assert_eq!(empty[1], "the stack is empty: nothing lies above FDFF");
}

#[test]
fn input_typed_before_is_announced_and_taken_again() {
    let mut session = session("start: sys get_int\n halt");
    assert_eq!(explain(&session).outlook, Outlook::Waits);
    go(&mut session, Command::Go);
    session.type_input(b"42\n");
    while session.work(100) == Progress::Working {}
    go(&mut session, Command::Seek(0));
    let explanation = explain(&session);
    assert!(explanation.sentences.iter().any(|text| text.contains("typed here before: \"42\"")), "{explanation:?}");
    go(&mut session, Command::Step);
    assert_eq!(session.machine().register(0), 42);
}

#[test]
fn wrong_returns_and_values_never_set_are_cautioned() {
    let caution = |text: &str, step: u64| {
        let mut session = session(text);
        go(&mut session, Command::Seek(step));
        explain(&session).caution
    };
    let pushed = "start: call sub\n halt\nsub: push r6\n ret";
    assert_eq!(caution(pushed, 2).as_deref(), Some("the stack holds r6 that was pushed, not the way back"));
    assert_eq!(caution("start: call sub\n halt\nsub: ret", 1), None);
    assert_eq!(
        caution("start: push fl\n ret", 1).as_deref(),
        Some("no routine was called; the stack holds flags that were pushed")
    );
    assert_eq!(caution("start: mov r1, r7\n halt", 0).as_deref(), Some("r7 was never given a value"));
    let unwritten = "start: ldw r1, [room]\n halt\n.data\nroom: .space 2";
    assert_eq!(caution(unwritten, 0).as_deref(), Some("nothing was ever written at 0300 (room)"));
}
