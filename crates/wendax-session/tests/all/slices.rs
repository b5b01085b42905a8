//! A slice of a question is bounded by what is done in it, not by how many steps that is: of a program whose steps are
//! dear, a slice goes through fewer. And whatever slices a question is asked in, its answer is the same.

use proptest::prelude::*;
use std::sync::Arc;
use wendax_isa::StepNo;
use wendax_machine::{Clock, Event, Found, Need, Settings};
use wendax_session::{
    Command, Filtered, Interruptions, Levels, Measuring, Names, Progress, Saving, Session, Spans, StopAt, StopId,
    Story, Thing,
};

/// Steps that are taken in all.
const STEPS: u64 = 9_000;
/// What a slice may cost.
const SLICE: u64 = 3_000;

const PLAIN: &str = "start: inc r9\n add r1, r9\n xor r2, r1\n jmp start\n";
const READS: &str = "start: mov r0, path\n clr r1\n sys file_open\n mov r6, r0\nloop: mov r0, r6\n mov r1, room\n mov r2, 20000\n \
    sys file_read\n mov r0, r6\n clr r1\n sys file_seek\n inc r9\n jmp loop\n.data\npath: .asciz \"list\"\nroom: .space 20000\n";
const PRINTS: &str =
    "start: mov r0, room\n sys put_text\n inc r9\n jmp start\n.data\nroom: .space 20000, 46\n .byte 0\n";
const ALLOCATES: &str = "start: mov r0, 2\n sys heap_grow\n inc r9\n clr r0\n sys heap_grow\n jmp start\n";
const REWRITES: &str =
    "start: mov r1, 0x3110\nloop: xor r1, 1\n stw [@here], r1\n@here: add r2, 0\n inc r9\n jmp loop\n";

/// A walk that has taken so many steps.
fn walked(text: &str, is_raw: bool) -> Session {
    let (sources, file) = wendax_source::Sources::single("case.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{text}: {:?}", assembly.diagnostics);
    let mut image = assembly.image;
    if is_raw {
        let (start, bytes) = wendax_image::to_raw(&image).expect("it lies close");
        image = wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, start).expect("it fits");
    }
    let settings = Settings { has_folder: true, clock: Clock::Cycles, ..Settings::default() };
    let mut session = Session::new(image, settings).with_sources(sources);
    session.begin(Command::Seek(StepNo(STEPS)));
    loop {
        match session.work(100_000) {
            Progress::Working => {}
            Progress::Asks(Need::File) => {
                let path = session.machine().wanted_file().expect("it asks for one");
                session.answer(Event::File(path, Found::Bytes(Arc::new(vec![7; 30_000]))));
            }
            Progress::Asks(_) => session.answer(Event::Waited),
            Progress::Arrived => break,
        }
    }
    assert_eq!(session.end(), StepNo(STEPS), "{:?}", session.state());
    session
}

fn stop(session: &Session, text: &str) -> StopAt {
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    StopAt::read(text, &names, session.sources()).expect("it is a stop")
}

/// The most steps that one slice of a question goes through: `work` does a slice and tells how far it is, and whether it
/// is over.
fn most(mut work: impl FnMut() -> (u64, bool)) -> u64 {
    // The first slice may begin anywhere.
    let (mut most, (mut last, mut is_over)) = (0, work());
    for _ in 0..1_000_000 {
        if is_over {
            return most;
        }
        let now;
        (now, is_over) = work();
        most = most.max(now.saturating_sub(last));
        last = now;
    }
    panic!("it is never over");
}

/// The same for each question, by its name.
fn slices(session: &mut Session) -> Vec<(&'static str, u64)> {
    let mut told = Vec::new();
    let mut measuring = Measuring::all(session);
    told.push((
        "tally",
        most(|| {
            let is_over = measuring.work(session, SLICE);
            (measuring.progress().0, is_over)
        }),
    ));
    let mut levels = Levels::read(session, &["r9".to_owned()]).expect("a register");
    told.push((
        "levels",
        most(|| {
            let is_over = levels.work(session, SLICE);
            (levels.progress().0, is_over)
        }),
    ));
    let first = session.image().entry;
    let mut spans = Spans::read(session, &format!("0x{:X} to 0x{:X}", first.0, first.0 + 2)).expect("two places");
    told.push((
        "spans",
        most(|| {
            let is_over = spans.work(session, SLICE);
            (spans.progress().0, is_over)
        }),
    ));
    session.set_stops([(StopId(0), stop(session, "change r9"))]);
    told.push((
        "counting",
        most(|| {
            let is_over = session.count_meetings(SLICE);
            (session.met_so_far(StopId(0)).map_or(0, |met| met.by.0), is_over)
        }),
    ));
    session.set_stops([]);
    // Back to the start and on again: the walk itself.
    session.begin(Command::Seek(StepNo(0)));
    while session.work(SLICE) == Progress::Working {}
    session.begin(Command::Seek(StepNo(STEPS)));
    told.push((
        "going on",
        most(|| {
            let is_over = session.work(SLICE) != Progress::Working;
            (session.now().0, is_over)
        }),
    ));
    told
}

#[test]
fn of_dear_steps_a_slice_takes_fewer() {
    let plain = slices(&mut walked(PLAIN, false));
    for (what, most) in &plain {
        // Where each round is stopped at and judged, that is most of the work.
        let judges = ["spans", "counting"].contains(what);
        let meant = if judges { SLICE / 40..=SLICE / 5 } else { SLICE / 8..=SLICE * 2 };
        assert!(meant.contains(most), "{what}: a slice of plain steps is as long as was asked for: {most}");
    }
    for (text, is_raw, least) in [(READS, false, 20), (PRINTS, false, 20), (ALLOCATES, false, 1), (REWRITES, true, 1)] {
        let dear = slices(&mut walked(text, is_raw));
        for (what, most) in &dear {
            assert!(most * least <= SLICE, "{what}: {most} steps in a slice of\n{text}");
        }
    }
}

/// Stops that may be met behind any step, often, seldom, and never; what a slice of a run with each goes through.
#[test]
fn a_slice_ends_on_time_whatever_is_stopped_at() {
    let texts = [("step > 100000", 1, 25), ("r1 == 70000", 10, 8), ("sp == 1", SLICE / 2, 1)];
    for (text, least, part) in texts {
        let mut session = walked(PLAIN, false);
        session.begin(Command::Seek(StepNo(0)));
        while session.work(SLICE) == Progress::Working {}
        session.set_stops([(StopId(0), stop(&session, &format!("when {text}")))]);
        session.begin(Command::Go);
        let most = most(|| {
            let is_over = session.work(SLICE) != Progress::Working;
            (session.now().0, is_over || session.now() >= StepNo(STEPS))
        });
        assert!((least..=SLICE / part).contains(&most), "{text}: {most} steps in a slice");
        assert!(session.now() >= StepNo(STEPS), "{text}: {:?}", session.state());
    }
}

/// What all questions say of a walk when they are asked in slices of so much.
fn answers(session: &mut Session, slice: u64) -> Vec<String> {
    let mut told = Vec::new();
    let mut measuring = Measuring::all(session);
    while !measuring.work(session, slice) {}
    told.push(format!("{:?}", measuring.tally(session)));
    let is_rv32 = crate::sides::is_rv32(session.machine());
    let [one, other] = if is_rv32 { ["a1", "ra"] } else { ["r1", "C"] };
    let mut levels = Levels::read(session, &[one.to_owned(), other.to_owned()]).expect("two things");
    while !levels.work(session, slice) {}
    told.push(format!("{:?} {:?}", levels.levels(), levels.known_to()));
    let mut interruptions = Interruptions::new(session);
    while !interruptions.work(session, slice) {}
    told.push(format!("{:?}", interruptions.told()));
    let first = session.image().entry.0;
    let mut spans = Spans::read(session, &format!("0x{:X} to 0x{:X}", first + 4, first + 8)).expect("two places");
    while !spans.work(session, slice) {}
    told.push(format!("{:?}", spans.told()));
    for text in [format!("change {one}"), "op add".to_owned(), "interrupt".to_owned()] {
        let stop = stop(session, &text);
        let mut found = Filtered::new(session, stop.clone());
        while !found.work(session, slice) {}
        told.push(format!("{:?} {} {:?}", found.steps(), found.before(), found.has_more()));
        session.set_stops([(StopId(3), stop)]);
        while !session.count_meetings(slice) {}
        told.push(format!("{:?}", session.met_so_far(StopId(3))));
    }
    session.set_stops([]);
    let mut story = Story::new(session, Thing::Register(crate::sides::argument(session.machine(), 1)));
    while !story.work(session, slice) {}
    told.push(format!("{:?} {:?} {:?} {:?}", story.written, story.changed, story.read, story.changes));
    let mut saving = Saving::new(session).expect("its beginning is kept");
    while !saving.work(session, slice) {}
    told.push(saving.text().to_owned());
    told
}

/// The same for RV32.
const LINES_RV32: [&str; 14] = [
    "li a{d}, {n}",
    "add a{d}, a{d}, a{s}",
    "addi a{d}, a{d}, -{n}",
    "addi a{d}, a{d}, 1",
    "slt a{d}, a{d}, a{s}",
    "beqz a{d}, l{l}",
    "bltu a{d}, a{s}, l{l}",
    "addi a{d}, a{d}, -1\n bnez a{d}, l{l}",
    "jal l{l}",
    "ret",
    "addi sp, sp, -4\n sw a{d}, 0(sp)",
    "lw a{d}, 0(sp)\n addi sp, sp, 4",
    "sw a{s}, -416(zero)",
    "lw a{d}, -476(zero)",
];

/// Lines of small programs: `{d}` and `{s}` are registers, `{n}` a number, `{l}` the number of a line.
const LINES: [&str; 14] = [
    "mov r{d}, {n}",
    "add r{d}, r{s}",
    "sub r{d}, {n}",
    "inc r{d}",
    "cmp r{d}, r{s}",
    "jz l{l}",
    "jltu l{l}",
    "djnz r{d}, l{l}",
    "call l{l}",
    "ret",
    "push r{d}",
    "pop r{d}",
    "stw [0xFF30], r{s}",
    "ldw r{d}, [0xFF12]",
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn an_answer_is_the_same_whatever_slices_it_came_in(
        is_rv32 in any::<bool>(),
        lines in proptest::collection::vec((0..LINES.len(), 0u8..5, 0u8..5, 0u16..9, 0usize..60), 4..20),
        period in 7u16..80,
        at in 0u64..400,
        slices in proptest::collection::vec(1u64..200, 1..3),
    ) {
        let begin = if is_rv32 {
            ".target rv32\n_start: la a0, tick\n csrw mtvec, a0\n li a0, {period}\n sw a0, -444(zero)\n li a0, 3\n \
             sw a0, -440(zero)\n li a0, 0x1000000\n csrw mie, a0\n csrsi mstatus, 8\n"
        } else {
            "start: mov r0, tick\n stw [16], r0\n mov r0, {period}\n stw [0xFF22], r0\n mov r0, 3\n stw [0xFF24], r0\n ei\n"
        };
        let mut text = begin.replace("{period}", &period.to_string());
        let known = if is_rv32 { LINES_RV32 } else { LINES };
        for (index, (line, d, s, n, l)) in lines.iter().enumerate() {
            let line = known[*line].replace("{d}", &d.to_string()).replace("{s}", &s.to_string());
            let line = line.replace("{n}", &n.to_string()).replace("{l}", &(l % lines.len()).to_string());
            text.push_str(&format!("l{index}: {line}\n"));
        }
        text.push_str(if is_rv32 {
            " j l0\ntick: csrrw t0, mcause, zero\n bltz t0, 1f\n csrr t0, mepc\n addi t0, t0, 4\n csrw mepc, t0\n\
             1: li t0, 7\n sw t0, -440(zero)\n mret\n"
        } else {
            " jmp l0\ntick: push r1\n mov r1, 7\n stw [0xFF24], r1\n pop r1\n reti\n"
        });
        let (sources, file) = wendax_source::Sources::single("case.asm", text);
        let assembly = wendax_asm::assemble(&sources, file);
        prop_assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
        let settings = Settings { clock: Clock::Cycles, ..Settings::default() };
        let mut session = Session::new(assembly.image, settings).with_sources(sources);
        session.type_input(b"yard\n").expect("it waits for it");
        session.begin(Command::Seek(StepNo(400)));
        while session.work(1_000) == Progress::Working {}
        session.begin(Command::Seek(StepNo(at)));
        while session.work(1_000) == Progress::Working {}
        let wanted = answers(&mut session, u64::MAX);
        for slice in slices {
            for (one, other) in answers(&mut session, slice).iter().zip(&wanted) {
                prop_assert_eq!(one, other, "in slices of {}", slice);
            }
        }
    }
}
