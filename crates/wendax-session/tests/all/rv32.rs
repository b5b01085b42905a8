//! A walk through a program of the second machine: one that a compiler made, and random ones.

use proptest::prelude::*;
use wendax_image::{Image, Rights, Segment, from_elf};
use wendax_isa::rv32::{Insn, Op, TARGET, encode, rows};
use wendax_isa::{Addr, Reg, StepNo};
use wendax_machine::{Clock, Event, Machine, Settings};
use wendax_session::{
    At, Command, LastWriter, Names, Outlook, Progress, Session, State, StopAt, Thing, WordKind, explain, fault_causes,
    happenings, interrupt_words, last_write, read_stack,
};

const YARD: &[u8] = include_bytes!("../../../../demos/compiled/yard.elf");

fn settings() -> Settings {
    Settings { clock: Clock::Cycles, ..Settings::default() }
}

fn yard() -> Session {
    let program = from_elf(YARD).expect("it is a program");
    let files =
        wendax_source::MemoryFiles::default().with("yard.rs", include_str!("../../../../demos/compiled/yard.rs"));
    let (image, sources) = program.with_sources(&files).expect("it has lines").expect("their text is there");
    Session::new(image, settings()).with_sources(sources).keeping_moments_each(50)
}

fn go(session: &mut Session, command: Command) {
    session.begin(command);
    while session.work(1000) != Progress::Arrived {}
}

fn ended(session: &Session) -> bool {
    matches!(session.state(), State::Finished(_) | State::Fault(_) | State::Circling { .. })
}

#[test]
fn a_compiled_program_is_walked_back_as_it_was_walked() {
    let mut session = yard();
    let mut moments: Vec<Machine> = vec![session.machine().clone()];
    while !ended(&session) {
        go(&mut session, Command::Step);
        moments.push(session.machine().clone());
    }
    assert_eq!(session.machine().finished(), Some(0));
    assert!(moments.len() > 400, "{}", moments.len());
    for (step, before) in moments.iter().enumerate().rev().skip(1) {
        go(&mut session, Command::StepBack);
        assert_eq!(session.now().0, step as u64);
        assert!(session.machine().same_state(before), "step {step}");
    }
    for step in [1, 77, 300, 5, 410, 0, 250] {
        go(&mut session, Command::Seek(StepNo(step)));
        assert!(session.machine().same_state(&moments[usize::try_from(step).unwrap()]), "step {step}");
    }
}

#[test]
fn what_is_told_of_a_compiled_program_is_what_happens() {
    let mut session = yard();
    while !ended(&session) {
        let told = explain(&session);
        assert!(!told.sentences.is_empty() && !told.text.is_empty(), "{told:?}");
        assert!(told.caution.is_none(), "{told:?}");
        let Outlook::Done(effects) = told.outlook else { panic!("{told:?}") };
        let (before, now) = (session.machine().clone(), session.now());
        go(&mut session, Command::Step);
        let machine = session.machine();
        assert_eq!(effects.next, machine.pc());
        assert_eq!(before.cycles() + told.cycles.unwrap(), machine.cycles());
        for change in &effects.registers {
            assert_eq!((before.register(change.register), machine.register(change.register)), (change.old, change.new));
        }
        for register in 0..32 {
            let is_told = effects.register(Reg(register)).is_some();
            assert!(is_told || before.register(Reg(register)) == machine.register(Reg(register)), "{now}");
        }
        for change in &effects.memory {
            for (at, byte) in (change.address.0..).zip(&change.new) {
                assert_eq!(machine.byte(Addr(at)), *byte);
            }
        }
        if let Some(taken) = told.taken {
            assert_eq!(taken, effects.next != effects.pc + 4);
        }
    }
}

/// The account where an instruction is next for the first time, by its text.
fn accounts(session: &mut Session) -> Vec<String> {
    let mut told: Vec<(String, String)> = Vec::new();
    while !ended(session) {
        let account = explain(session);
        if !told.iter().any(|(text, _)| *text == account.text) {
            let words = account.sentences.iter().chain(&account.caution).cloned().collect::<Vec<_>>().join(" | ");
            told.push((account.text, words));
        }
        go(session, Command::Step);
    }
    told.into_iter().map(|(text, words)| format!("{text}: {words}")).collect()
}

#[test]
fn the_account_of_a_compiled_program() {
    insta::assert_snapshot!(accounts(&mut yard()).join("\n"));
}

#[test]
fn lines_routines_and_causes_are_those_of_the_source() {
    let mut session = yard();
    let line = |session: &Session| session.image().line_at(session.machine().pc()).map_or(0, |line| line.line);
    // Into the routine, then by its lines; each is several instructions.
    while session.machine().frames().is_empty() {
        go(&mut session, Command::Step);
    }
    let mut lines = vec![line(&session)];
    for _ in 0..3 {
        go(&mut session, Command::Line);
        lines.push(line(&session));
    }
    assert_eq!(lines[0], 16);
    assert!(lines.windows(2).all(|pair| pair[0] != pair[1]), "{lines:?}");
    go(&mut session, Command::LineBack);
    assert_eq!(line(&session), lines[2]);
    // Deep in the recursion ways back lie on the stack, and are told.
    go(&mut session, Command::Seek(StepNo(150)));
    let ways = read_stack(session.machine(), 64).iter().filter(|word| matches!(word.kind, WordKind::Return(_))).count();
    let depth = session.machine().frames().len();
    assert!(depth >= 2 && ways + 1 >= depth, "{ways} of {depth}");
    let before = session.machine().frames().len();
    go(&mut session, Command::Out);
    assert_eq!(session.machine().frames().len(), before - 1);
    // Who put it there.
    let result = last_write(&session, Thing::Register(Reg(10)), session.now());
    assert!(matches!(result, Some(LastWriter::Step(_))), "{result:?}");
    go(&mut session, Command::Go);
    let all = happenings(&session);
    assert!(all.iter().any(|happening| happening.step > StepNo(400)), "{all:?}");
}

fn image(code: &[u32]) -> Image {
    let mut image = Image::new(&TARGET);
    let bytes = code.iter().flat_map(|word| word.to_le_bytes()).collect();
    let data = vec![0x9A; 64];
    image.segments = vec![
        Segment { start: Addr(0x10000), bytes, rights: Rights::CODE, reserved: false },
        Segment { start: Addr(0x20000), bytes: data, rights: Rights::DATA, reserved: false },
    ];
    image.entry = Addr(0x10000);
    image.heap_start = Addr(0x21000);
    image
}

/// What is said of the instruction at the start with these registers set: caution, then sentences.
fn said(code: &[u32], registers: &[(u8, u32)]) -> String {
    let mut session = Session::new(image(code), settings());
    for &(register, value) in registers {
        session.edit(Event::SetRegister(Reg(register), value));
    }
    let told = explain(&session);
    told.caution.into_iter().chain(told.sentences).collect::<Vec<_>>().join(" | ")
}

fn word(op: Op, registers: (u8, u8, u8), value: i32) -> u32 {
    encode(Insn::new(op, registers, value.cast_unsigned()))
}

#[test]
fn what_matters_of_each_kind_is_told() {
    let minus = |value: i32| value.cast_unsigned();
    let told = |op, registers, value, set: &[(u8, u32)]| said(&[word(op, registers, value)], set);
    insta::assert_snapshot!(
        [
            // Both values of a branch, and how they are compared.
            told(Op::Blt, (0, 10, 11), 8, &[(10, minus(-1)), (11, 5)]),
            told(Op::Bltu, (0, 10, 11), 8, &[(10, minus(-1)), (11, 5)]),
            told(Op::Bgeu, (0, 10, 11), 8, &[(10, 7), (11, 7)]),
            told(Op::Bne, (0, 10, 0), 8, &[(10, 0)]),
            // Signs of what is loaded.
            told(Op::Lb, (12, 10, 0), 0, &[(10, 0x20000)]),
            told(Op::Lbu, (12, 10, 0), 3, &[(10, 0x20000)]),
            told(Op::Lh, (12, 10, 0), 2, &[(10, 0x20000)]),
            told(Op::Sb, (0, 10, 11), 0, &[(10, 0x20000), (11, 0x1FF)]),
            told(Op::Sh, (0, 10, 11), 0, &[(10, 0x20000), (11, 0x1FF)]),
            // The standard's division.
            told(Op::Div, (12, 10, 11), 0, &[(10, 7), (11, 0)]),
            told(Op::Rem, (12, 10, 11), 0, &[(10, 7), (11, 0)]),
            told(Op::Div, (12, 10, 11), 0, &[(10, 0x8000_0000), (11, minus(-1))]),
            told(Op::Rem, (12, 10, 11), 0, &[(10, minus(-7)), (11, 2)]),
            told(Op::Slt, (12, 10, 11), 0, &[(10, minus(-7)), (11, 2)]),
            told(Op::Sltu, (12, 10, 11), 0, &[(10, minus(-7)), (11, 2)]),
            told(Op::Add, (0, 10, 11), 0, &[(10, 7), (11, 2)]),
            told(Op::Add, (12, 10, 11), 0, &[(10, 7)]),
            // Control registers by name, with what their bits say.
            told(Op::Csrrsi, (0, 8, 0), 0x300, &[]),
            told(Op::Csrrw, (10, 11, 0), 0x304, &[(11, 0x0100_0080)]),
            told(Op::Csrrs, (10, 0, 0), 0xF14, &[]),
            told(Op::Csrrw, (10, 11, 0), 0xC00, &[(11, 1)]),
            // Ways.
            told(Op::Jalr, (0, 1, 0), 0, &[(1, 0x10008)]),
            told(Op::Lw, (10, 0, 0), 0, &[]),
            told(Op::Lw, (10, 11, 0), 1, &[(11, 0x20000)]),
        ]
        .join("\n")
    );
}

#[test]
fn a_way_back_that_is_lost_is_told_where_it_is() {
    // A routine that calls another without having put its way back by, and one that has.
    let call = word(Op::Jal, (1, 0, 0), 8);
    let ret = 0x0000_8067;
    let lost = [call, 0x0010_0073, word(Op::Jal, (1, 0, 0), 8), ret, ret];
    let kept = [
        call,
        0x0010_0073,
        word(Op::Addi, (2, 2, 0), -16),
        word(Op::Sw, (0, 2, 1), 12),
        word(Op::Jal, (1, 0, 0), 12),
        ret,
        ret,
        ret,
    ];
    let told = |code: &[u32], steps: u64| {
        let mut session = Session::new(image(code), settings());
        go(&mut session, Command::Seek(StepNo(steps)));
        explain(&session)
    };
    let words = told(&lost, 1).sentences.join(" | ");
    assert!(words.contains("the way back that was in ra, 0x00010004, is lost: it was not put by"), "{words}");
    let words = told(&kept, 3).sentences.join(" | ");
    assert!(words.contains("the way back that was in ra, 0x00010004, lies at 0x7FFFFFDC"), "{words}");
    // Where it is used all the same, the caution says what ra holds and who put it there.
    let caution = told(&lost, 3).caution.unwrap_or_default();
    assert_eq!(
        caution,
        "the way back of this routine is 0x00010004; ra holds 0x0001000C, set by `jal 0x00010010` at 0x00010008"
    );
}

#[test]
fn values_and_stops_have_the_names_of_the_machine() {
    let mut session = Session::new(image(&[word(Op::Csrrwi, (0, 8, 0), 0x300), 0x0010_0073]), settings());
    let value = |session: &Session, text: &str| {
        let names = Names::new(session.image(), &TARGET, session.image().entry);
        let value = names.read(text).unwrap_or_else(|error| panic!("{text}: {}", error.message));
        value.value(&At::new(session.machine())).unwrap_or_else(|why| panic!("{text}: {why}"))
    };
    session.edit(Event::SetRegister(Reg(10), 0xFFFF_FFFE));
    session.edit(Event::SetRegister(Reg(8), 7));
    for (text, wanted) in [
        ("a0", 0xFFFF_FFFE),
        ("x10", 0xFFFF_FFFE),
        ("X10 + 1", 0xFFFF_FFFF),
        ("signed(a0)", -2),
        ("fp", 7),
        ("s0 * 2", 14),
        ("mstatus", 0x1800),
        ("misa", 0x4000_1100),
        ("[0x20000]", 0x9A9A_9A9A),
        ("byte [0x20001]", 0x9A),
        ("mtimecmp", 0xFFFF_FE88),
    ] {
        assert_eq!(value(&session, text), wanted, "{text}");
    }
    go(&mut session, Command::Step);
    assert_eq!(value(&session, "mstatus"), 0x1808);
    assert_eq!(value(&session, "mcycle"), 1);
    let stop = |text: &str| {
        let names = Names::new(session.image(), &TARGET, session.image().entry);
        StopAt::read(text, &names, session.sources()).map(|_| ()).map_err(|error| error.message)
    };
    for text in [
        "interrupt timer",
        "interrupt clock",
        "interrupt 26",
        "trap forbidden_store",
        "trap 7",
        "call write",
        "call put_int",
        "call 0x1012",
        "change a0",
        "change x2",
        "op csrrw",
        "when mcause == 2",
        "write 0x20000",
    ] {
        assert_eq!(stop(text), Ok(()), "{text}");
    }
    for (text, why) in [
        ("trap timer", "timer (24) is no trap: `interrupt timer`"),
        ("interrupt forbidden_store", "is no interrupt"),
        ("interrupt 8", "is no number of a interrupt"),
        ("op ldw", "no instruction is named `ldw`"),
        ("when C == 1", "nothing here has the name `C`"),
    ] {
        let told = stop(text).expect_err(text);
        assert!(told.contains(why), "{text}: {told}");
    }
}

#[test]
fn faults_tell_where_they_began() {
    let causes = |code: &[u32]| {
        let mut session = Session::new(image(code), settings());
        go(&mut session, Command::Go);
        let State::Fault(fault) = session.state().clone() else { panic!("{:?}", session.state()) };
        fault_causes(&session, &fault).join(" | ")
    };
    assert_eq!(
        causes(&[word(Op::Lw, (10, 0, 0), 0)]),
        "nothing lies below 0x00010000: a pointer that holds 0 leads there"
    );
    assert_eq!(causes(&[0x0000_8067]), "`ret` at 0x00010000 went back to 0x00000000, but no routine was called");
    let deep = [
        word(Op::Jal, (1, 0, 0), 8),
        0x0010_0073,
        word(Op::Addi, (2, 2, 0), -1024),
        word(Op::Sw, (0, 2, 1), 12),
        word(Op::Jal, (1, 0, 0), -8),
    ];
    let told = causes(&deep);
    assert!(told.starts_with("the stack is full: it ends at 0x7FF00000, 1024 routines deep"), "{told}");
    assert!(told.contains("1023 of them are of 0x00010008, called by `jal 0x00010008`"), "{told}");
    let told = causes(&[word(Op::Addi, (10, 0, 0), 2), word(Op::Lw, (11, 10, 0), 0)]);
    assert!(told.starts_with("a0 holds 0x00000002, set by `li a0, 2` at 0x00010000 at step 0"), "{told}");
}

#[test]
fn interrupts_are_told_by_their_own_names() {
    // Keys enabled and allowed, with a handler; none of that is there at first.
    let handler = 0x10000 + 4 * 8;
    let code = [
        word(Op::Lui, (5, 0, 0), 0x10000),
        word(Op::Addi, (5, 5, 0), handler - 0x10000),
        word(Op::Csrrw, (0, 5, 0), 0x305),
        word(Op::Lui, (5, 0, 0), 1 << 25),
        word(Op::Csrrw, (0, 5, 0), 0x304),
        word(Op::Csrrwi, (0, 8, 0), 0x300),
        word(Op::Addi, (6, 6, 0), 1),
        word(Op::Jal, (0, 0, 0), -4),
        word(Op::Lw, (12, 0, 0), -476),
        0x3020_0073,
    ];
    let mut session = Session::new(image(&code), settings());
    let words = |session: &Session| {
        let key = session.machine().interrupts().into_iter().find(|interrupt| interrupt.number == 25).unwrap();
        interrupt_words(session, &key)
    };
    assert_eq!(words(&session), "off: mie does not enable it");
    go(&mut session, Command::Seek(StepNo(5)));
    assert_eq!(words(&session), "may ask; interrupts are off");
    go(&mut session, Command::Seek(StepNo(9)));
    assert_eq!(words(&session), "may come");
    // Bit 4 of the console's state: keys interrupt.
    session.edit(Event::SetRegister(Reg(7), 16));
    assert_eq!(session.machine().register(Reg(7)), 16);
}

/// The account of an interrupt that ends a `wfi` tells the way back that is taken.
#[test]
fn the_way_back_from_what_was_waited_for_is_told() {
    let code = [
        word(Op::Lui, (5, 0, 0), 0x10000),
        word(Op::Addi, (5, 5, 0), 0x28),
        word(Op::Csrrw, (0, 5, 0), 0x305),
        word(Op::Lui, (5, 0, 0), 1 << 26),
        word(Op::Csrrw, (0, 5, 0), 0x304),
        word(Op::Addi, (5, 0, 0), 1),
        word(Op::Sw, (0, 0, 5), -408),
        word(Op::Csrrwi, (0, 8, 0), 0x300),
        0x1050_0073,
        0x0010_0073,
        word(Op::Lw, (12, 0, 0), -412),
        0x3020_0073,
    ];
    let mut session = Session::new(image(&code), settings());
    go(&mut session, Command::Seek(StepNo(30)));
    assert_eq!(session.machine().pc(), Addr(0x10020), "it waits");
    session.edit(Event::Levers(1));
    let said = explain(&session).sentences.join("; ");
    assert!(said.contains("lever (26) comes before `wfi`"), "{said}");
    assert!(said.contains("mepc keeps 0x00010024, behind what waited for it"), "{said}");
    go(&mut session, Command::Step);
    let back = session.machine().control(0x341);
    go(&mut session, Command::Step);
    go(&mut session, Command::Step);
    assert_eq!((back, session.machine().pc()), (Some(0x10024), Addr(0x10024)));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// Any instruction with any values has an account, which foretells what happens; and going back leads to where one was.
    #[test]
    fn any_instruction_is_told_and_taken_back(
        lines in proptest::collection::vec((0..rows().len(), (0u8..32, 0u8..32, 0u8..32), any::<u32>()), 1..20),
        given in proptest::array::uniform8(prop_oneof![any::<u32>(), Just(0x20010), Just(0), Just(0x10008), Just(0x8000_0000)]),
    ) {
        let code: Vec<u32> =
            lines.iter().map(|(row, registers, value)| encode(Insn::new(rows()[*row].op, *registers, *value))).collect();
        let mut session = Session::new(image(&code), settings()).keeping_moments_each(3);
        for (register, value) in (5u8..).zip(given) {
            session.edit(Event::SetRegister(Reg(register), value));
        }
        let mut moments = vec![session.machine().clone()];
        for _ in 0..25 {
            let told = explain(&session);
            prop_assert!(!told.sentences.is_empty(), "{:?}", told);
            go(&mut session, Command::Step);
            let moved = session.now() == StepNo(moments.len() as u64);
            match &told.outlook {
                Outlook::Done(effects) => {
                    prop_assert!(moved);
                    prop_assert_eq!(effects.next, session.machine().pc());
                }
                Outlook::Fails(fault) => prop_assert!(
                    matches!(session.state(), State::Fault(found) if found == fault),
                    "{:?} {:?}", session.state(), fault
                ),
                _ => prop_assert!(!moved, "{:?}", told),
            }
            if !moved {
                break;
            }
            moments.push(session.machine().clone());
        }
        for before in moments.iter().rev().skip(1) {
            go(&mut session, Command::StepBack);
            prop_assert!(session.machine().same_state(before));
        }
    }
}

/// What a call of the host takes is read by it, and what it leaves written, however far back that is asked.
#[test]
fn a_call_reads_its_arguments_and_writes_its_results() {
    let text = ".target rv32\n_start: li a0, 7\n li a7, 0x1012\n ecall\n li s0, 200\nw: addi s0, s0, -1\n bnez s0, w\n \
                beq s0, zero, next\nnext: lw a3, -476(zero)\n li a0, 0\n sys exit\n";
    let (sources, file) = wendax_source::Sources::single("case.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let mut session = Session::new(assembly.image, settings()).with_sources(sources).keeping_moments_each(10);
    session.type_input(b"q\n").expect("it may be typed");
    while !ended(&session) {
        go(&mut session, Command::Go);
    }
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    let stop = |words: &str| StopAt::read(words, &names, session.sources()).expect("it is a stop");
    // `li` writes it, the call reads it; the two ends read it once more.
    assert_eq!(session.times_met(&stop("read a0"), session.end()), 2);
    let last = last_write(&session, Thing::Register(Reg(11)), StepNo(300));
    assert!(matches!(&last, Some(LastWriter::Step(step)) if step.step == StepNo(3)), "{last:?}");
    // A branch to the following instruction is taken too, and what is read from the console is taken from it.
    go(&mut session, Command::Seek(StepNo(405)));
    let told = explain(&session);
    assert_eq!((told.taken, told.cycles), (Some(true), Some(2)), "{told:?}");
    assert!(told.sentences[0].starts_with("taken: "), "{told:?}");
    go(&mut session, Command::Step);
    go(&mut session, Command::Step);
    assert_eq!(session.last_step().map(|effects| effects.consumed), Some(1));
}

/// What waits is told how long time alone will let it wait, and one stride leaves it.
#[test]
fn a_wait_is_told_with_its_length_and_left_by_its_line() {
    let text = ".target rv32\n_start: la t0, tick\n csrw mtvec, t0\n li t0, 5000\n sw t0, -444(zero)\n li t0, 3\n \
                sw t0, -440(zero)\n lw t0, -384(zero)\n li t1, 9000\n add t0, t0, t1\n sw t0, -376(zero)\n sw zero, -372(zero)\n \
                li t0, 0x1000080\n csrw mie, t0\n csrsi mstatus, 8\nw: wfi\n j w\ntick: li t0, 7\n sw t0, -440(zero)\n mret\n";
    let (sources, file) = wendax_source::Sources::single("case.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let mut session = Session::new(assembly.image, settings()).with_sources(sources);
    let wait = session.image().symbol("w").and_then(wendax_image::Symbol::address).expect("a label");
    go(&mut session, Command::To(vec![wait]));
    let told = explain(&session).sentences.join("; ");
    let number = |words: &str| -> u64 {
        let part = told.split(words).nth(1).and_then(|rest| rest.split(" cycles").next()).unwrap_or_default();
        part.chars().filter(char::is_ascii_digit).collect::<String>().parse().expect("a number")
    };
    assert!(told.contains("none waits yet; the timer asks in "), "{told}");
    let (timer, clock) = (number("the timer asks in "), number("the clock asks in "));
    assert!(timer > 4_900 && timer < 5_000 && clock > 8_900 && clock < 9_000, "{told}");
    let begun = session.machine().cycles();
    go(&mut session, Command::Line);
    assert_eq!((session.machine().cycles() - begun, session.machine().pc()), (timer + 9, wait + 4), "over the handler");
    assert_eq!(session.now().0, session.end().0);
}
