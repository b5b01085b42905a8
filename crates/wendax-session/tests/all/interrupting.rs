//! How interrupts fared, against looking at each step of the run.

use proptest::prelude::*;
use std::collections::BTreeMap;
use wendax_isa::StepNo;
use wendax_machine::{Clock, Settings, StepKind};
use wendax_session::{Command, Delay, Interruptions, Progress, Session, interrupt_words};

fn session(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("case.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
    let settings = Settings { clock: Clock::Cycles, ..Settings::default() };
    Session::new(assembly.image, settings).with_sources(sources)
}

fn go(session: &mut Session, command: Command) {
    session.begin(command);
    while session.work(100_000) == Progress::Working {}
}

fn found(session: &Session, budget: u64) -> Interruptions {
    let mut interruptions = Interruptions::new(session);
    while !interruptions.work(session, budget) {}
    interruptions
}

/// A timer that was started once, levers, and a stretch of work with interrupts off.
fn program(period: u16, handler: u16, off: u16, work: u16) -> String {
    format!(
        "start: mov r0, tick\n stw [16], r0\n mov r0, lever\n stw [20], r0\n mov r0, 3\n stw [0xFF34], r0\n\
         mov r0, {period}\n stw [0xFF22], r0\n mov r0, 3\n stw [0xFF24], r0\n ei\n\
         main: mov r1, {work}\nw: djnz r1, w\n di\n mov r1, {off}\no: djnz r1, o\n ei\n mul r2, r3\n div r2, r4\n jmp main\n\
         tick: push r0\n mov r0, 7\n stw [0xFF24], r0\n mov r0, {handler}\nt: djnz r0, t\n pop r0\n reti\n\
         lever: push r0\n mov r0, 9\nl: djnz r0, l\n pop r0\n reti\n"
    )
    .replace("div r2, r4", "inc r4\n div r2, r4")
}

/// The same for RV32: one handler for both, which tells them apart.
fn program_rv32(period: u16, handler: u16, off: u16, work: u16) -> String {
    format!(
        ".target rv32\n_start: la t0, entry\n csrw mtvec, t0\n li t0, 0x5000000\n csrw mie, t0\n li t0, 3\n sw t0, -408(zero)\n\
         li t0, {period}\n sw t0, -444(zero)\n li t0, 3\n sw t0, -440(zero)\n csrsi mstatus, 8\n\
         main: li t1, {work}\nw: addi t1, t1, -1\n bnez t1, w\n csrci mstatus, 8\n li t1, {off}\n\
         o: addi t1, t1, -1\n bnez t1, o\n csrsi mstatus, 8\n mul t2, t2, t3\n div t2, t2, t3\n j main\n\
         entry: csrw mscratch, t0\n csrr t0, mcause\n andi t0, t0, 31\n addi t0, t0, -26\n beqz t0, lever\n\
         li t0, 7\n sw t0, -440(zero)\n li t0, {handler}\nt: addi t0, t0, -1\n bnez t0, t\n csrr t0, mscratch\n mret\n\
         lever: lw t0, -412(zero)\n li t0, 9\nl: addi t0, t0, -1\n bnez t0, l\n csrr t0, mscratch\n mret\n"
    )
}

/// Latencies of an interrupt and requests lost.
type Fared = (Vec<u64>, Vec<u64>, u64);

/// The same found step by step: the timer asks at every period since it was started, a lever when it is moved.
fn judged(session: &mut Session, period: u64, moves: &[u64]) -> (Fared, Fared) {
    let end = session.end();
    go(session, Command::Seek(StepNo(0)));
    let mut fared = [(Vec::new(), Vec::new(), 0), (Vec::new(), Vec::new(), 0)];
    let (mut started, mut next, mut running) = (None, u64::MAX, BTreeMap::new());
    let mut asked: [Option<u64>; 2] = [None, None];
    let mut expired = 0u64;
    let is_rv32 = crate::sides::is_rv32(session.machine());
    let mut is_unread = false;
    loop {
        if moves.contains(&session.now().0) {
            // Moved before this step is looked at, while it has not been taken yet: once more is one lost.
            if asked[1].is_some() || is_unread {
                fared[1].2 += 1;
            } else {
                asked[1] = Some(session.machine().cycles());
                is_unread = is_rv32;
            }
        }
        if session.now() >= end {
            break;
        }
        let before = session.machine().cycles();
        go(session, Command::Step);
        let (now, step) = (session.machine().cycles(), session.now() - 1);
        let effects = session.last_step().expect("a step").clone();
        let writes_control = effects.devices.iter().any(|device| matches!(device.address.0, 0xFF24 | 0xFFFF_FE48));
        // On RV32 a lever asks until the levers are looked at, whoever moved one meanwhile; on W16 its entry answers it.
        let looks = session.image().symbol("lever").and_then(wendax_image::Symbol::address);
        if is_rv32 && looks == Some(effects.pc) {
            (asked[1], is_unread) = (None, false);
        }
        if let StepKind::Interrupt(number) = effects.kind {
            let index = usize::from(matches!(number, 10 | 26));
            let since = asked[index].take().expect("it was asked for");
            fared[index].0.push(now - since);
            running.insert(step, (index, since));
        }
        if writes_control && started.is_none() {
            started = Some(before);
            next = before + period;
        } else if writes_control {
            fared[0].2 += expired.saturating_sub(1);
            (expired, asked[0]) = (0, None);
        }
        while next <= now {
            expired += 1;
            // One that expired while it was being answered counts from its own time.
            if asked[0].is_none() && expired == 1 {
                asked[0] = Some(next);
            }
            next += period;
        }
        let frames = session.machine().frames().to_vec();
        running.retain(|step, (index, since)| {
            let is_there = frames.iter().any(|frame| frame.step == *step);
            if !is_there {
                fared[*index].1.push(now - *since);
            }
            is_there
        });
    }
    let [timer, lever] = fared;
    (timer, lever)
}

fn spread(mut lengths: Vec<u64>) -> (u64, u64, u64, u64) {
    lengths.sort_unstable();
    let count = lengths.len();
    let median = lengths.get((count.max(1) - 1) / 2).copied().unwrap_or(0);
    (count as u64, lengths.first().copied().unwrap_or(0), median, lengths.last().copied().unwrap_or(0))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn latencies_and_losses_are_those_of_single_steps(
        is_rv32 in any::<bool>(),
        period in 60u16..900, handler in 1u16..200, off in 1u16..300, work in 1u16..200,
        moves in proptest::collection::btree_set(30u64..2500, 0..6), budget in prop_oneof![Just(50u64), Just(100_000)],
    ) {
        let text = if is_rv32 { program_rv32(period, handler, off, work) } else { program(period, handler, off, work) };
        let mut session = session(&text);
        let moves: Vec<u64> = moves.into_iter().collect();
        for (at, levers) in moves.iter().zip((0..).map(|index| 1 + index % 2)) {
            go(&mut session, Command::Seek(StepNo(*at)));
            session.move_levers(levers).expect("it can be moved");
        }
        go(&mut session, Command::Seek(StepNo(3000)));
        let found = found(&session, budget);
        let (timer, lever) = judged(&mut session, period.into(), &moves);
        let numbers = if is_rv32 { [24, 26] } else { [8, 10] };
        for (number, (entered, ended, lost)) in numbers.into_iter().zip([timer, lever]) {
            let told = found.told().of(number);
            let is = |spread: wendax_session::Spread| (spread.count, spread.least, spread.median, spread.greatest);
            match told {
                None => prop_assert!(entered.is_empty()),
                Some(told) => {
                    prop_assert_eq!(is(told.entered), spread(entered), "entered {}", number);
                    prop_assert_eq!(is(told.ended), spread(ended), "ended {}", number);
                    prop_assert_eq!(told.lost, lost, "lost {}", number);
                }
            }
        }
    }
}

#[test]
fn what_delayed_the_slowest_and_how_long_interrupts_were_off_is_told() {
    let mut session = session(&program(700, 5, 300, 40));
    go(&mut session, Command::Seek(StepNo(20_000)));
    let found = found(&session, 100_000);
    let passages = found.told().of(8).expect("it was taken");
    assert!(matches!(passages.delay, Delay::Off(Some(_), None)), "{passages:?}");
    assert_eq!(passages.delay_words(&session), "interrupts were off by `di` on line 14");
    let off = found.told().longest_off.expect("they were off");
    assert_eq!(off.words(&session), "from `di` on line 14 to `ei` on line 17");
    assert_eq!(off.cycles, 2 + 300 * 2 - 1 + 1);
    // A walk through the moments at which it waits.
    go(&mut session, Command::Seek(passages.worst - 1));
    let timer = session.machine().interrupts()[0];
    assert!(timer.asks, "it was asked for");
    let words = interrupt_words(&session, &timer);
    assert!(words == "waits: interrupts are off since `di` on line 14" || words == "comes next", "{words}");
}
