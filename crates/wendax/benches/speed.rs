//! How fast it is, but for the engine by itself: running with history and breakpoints, reaching any of the last hundred
//! million steps, questions, assembling, from a key to a frame, each beside a reference of the same run.
//!
//! `cargo bench` prints the ratios and the memory in use; `cargo bench -- NAME` those of one part.

#![expect(
    clippy::cast_precision_loss,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "figures for people to read"
)]
#![expect(clippy::print_stdout, reason = "this prints its figures")]

#[path = "shared/work.rs"]
mod work;

use std::hint::black_box;
use std::path::Path;
use std::time::{Duration, Instant};
use wendax_asm::{Assembler, Inputs, assemble};
use wendax_machine::{Addr, Reg, StepNo};
use wendax_machine::{Counting, Machine, Run, Settings, Watch};
use wendax_session::{
    Answer, Apart, Cautions, Command, Filtered, Flow, Measuring, Names, Progress, Session, StopAt, StopId, Story,
    Thing, TrailForm, TrailText,
};
use wendax_source::{Files, MemoryFiles, Sources};
use wendax_trials::{How, Programs, Subject, Table, Trials};
use wendax_tui::{App, Built, Effect, Message, Theme, draw, update};
use work::{Nothing, SORT, SORT_RV32, image, interrupted, middle, seconds};

/// Writes all of its memory, over and over: the worst there is for keeping history.
const EVERYWHERE: &str = "\
start:  mov   r1, room
        add   r2, 1
        adc   r3, 0
        adc   r4, 0
@next:  stw   [r1], r2
        add   r1, 2
        cmp   r1, 0xED00
        jltu  @next
        jmp   start
.data
room:   .space 0xEA00
";

fn travel(session: &mut Session, command: Command) {
    session.begin(command);
    while session.work(1_000_000) == Progress::Working {}
}

/// The time of what is done again and again: the middle one of nine, each long enough to be measured well.
fn median(mut work: impl FnMut()) -> f64 {
    let once = seconds(&mut work).max(1e-9);
    let times = (0.02 / once).ceil() as u32;
    let mut all: Vec<f64> = (0..9).map(|_| seconds(|| (0..times).for_each(|_| work())) / f64::from(times)).collect();
    all.sort_by(f64::total_cmp);
    all[4]
}

/// Resident memory of this process in MiB, where the system tells.
fn memory() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:"));
    line.and_then(|line| line.split_whitespace().next()?.parse::<f64>().ok()).unwrap_or(f64::NAN) / 1024.0
}

/// The figures of one run, each as a ratio to its reference.
fn report() {
    const STEPS: u64 = 300_000_000;
    let image = image(SORT);
    let mut machine = Machine::new(&image, Settings::default());
    let bare = seconds(|| {
        machine.run(Run::until(StepNo(STEPS)));
    });
    let mut session = Session::new(image.clone(), Settings::default());
    let history = seconds(|| travel(&mut session, Command::Seek(StepNo(STEPS))));
    let rate = |seconds: f64| STEPS as f64 / seconds / 1e6;
    println!("with history: {:.0} million a second, {:.2} times the time without", rate(history), history / bare);
    let mut broken = Session::new(image, Settings::default());
    broken.set_breakpoints([Addr(0x0FF0)]);
    let breakpoints = seconds(|| travel(&mut broken, Command::Seek(StepNo(STEPS))));
    println!("with history and a breakpoint elsewhere: {:.2} times the time without", breakpoints / bare);
    drop(broken);
    let mut slowest = 0.0f64;
    let mut step = 17u64;
    for _ in 0..60 {
        step = step.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
        let target = STEPS - step % 100_000_000;
        slowest = slowest.max(seconds(|| travel(&mut session, Command::Seek(StepNo(target)))));
    }
    println!(
        "any of the last 100 million steps: at most {:.0} ms in 60 visits, {:.4} of the time to run there",
        slowest * 1e3,
        slowest / history
    );
    travel(&mut session, Command::Seek(StepNo(STEPS)));
    let mut everywhere = Session::new(self::image(EVERYWHERE), Settings::default());
    travel(&mut everywhere, Command::Seek(StepNo(STEPS)));
    println!(
        "memory after {STEPS} steps with history, all pages written between any two checkpoints: {:.0} MiB",
        memory()
    );
    drop(everywhere);
    let back = seconds(|| (0..100).for_each(|_| travel(&mut session, Command::StepBack))) / 100.0;
    println!("one step back from there, 100 times: {:.2} ms each", back * 1e3);
}

/// The two machines beside each other: the same work, and assembling a long source of each against splitting it into words.
fn machines() {
    const STEPS: u64 = 100_000_000;
    let images = [image(SORT), image(SORT_RV32)];
    let mut rates = [Vec::new(), Vec::new()];
    let mut histories = [Vec::new(), Vec::new()];
    for _ in 0..5 {
        for ((image, rates), histories) in images.iter().zip(&mut rates).zip(&mut histories) {
            let mut machine = Machine::new(image, Settings::default());
            let bare = seconds(|| {
                machine.run(Run::until(StepNo(STEPS)));
            });
            assert_eq!(machine.steps(), StepNo(STEPS), "it runs on");
            rates.push(STEPS as f64 / bare / 1e6);
            let mut session = Session::new(image.clone(), Settings::default());
            histories.push(seconds(|| travel(&mut session, Command::Seek(StepNo(STEPS)))) / bare);
        }
    }
    let [w16, rv32] = rates.map(middle);
    println!("W16 {w16:.0}, RV32 {rv32:.0} million instructions a second: {:.2} of the speed", rv32 / w16);
    let [w16, rv32] = histories.map(middle);
    println!("with history {w16:.2} and {rv32:.2} times the time without");
    for (name, text) in [("W16", long_source(100_000)), ("RV32", long_source_rv32(100_000))] {
        let (sources, file) = Sources::single("long.asm", text.clone());
        assert!(assemble(&sources, file).is_runnable(), "{name}");
        let ratios: Vec<f64> = (0..7)
            .map(|_| {
                let words = seconds(|| {
                    black_box(black_box(&text).split_whitespace().map(str::len).sum::<usize>());
                });
                seconds(|| drop(black_box(assemble(black_box(&sources), file)))) / words
            })
            .collect();
        println!("{name}: 100,000 lines are assembled in {:.1} times splitting them into words", middle(ratios));
    }
}

/// What interrupts cost, what waiting costs, and how soon a lever is answered.
fn devices() {
    const STEPS: u64 = 200_000_000;
    let armed = interrupted(
        2000,
        "mov r0, lever\n stw [20], r0\n mov r0, 0xFFFF\n stw [0xFF34], r0\n ",
        "lever: push r0\n ldw r0, [0xFF32]\n stw [0xFF30], r0\n pop r0\n reti\n",
    );
    let armed = image(&armed);
    let plain = image(SORT);
    // A lever moves every ten thousand steps: two hundred million steps, and the same of both.
    let run = |image: &wendax_image::Image| {
        let mut machine = Machine::new(image, Settings::default());
        seconds(|| {
            for round in 0..STEPS / 10_000 {
                machine.feed(&wendax_machine::Event::Levers(u32::try_from(round & 0xFFFF).unwrap_or(0)));
                black_box(machine.run(Run::until(StepNo((round + 1) * 10_000))));
            }
        })
    };
    let (mut ratios, mut rates) = (Vec::new(), Vec::new());
    for _ in 0..7 {
        let (without, with) = (run(&plain), run(&armed));
        ratios.push(without / with);
        rates.push(STEPS as f64 / with / 1e6);
    }
    let (least, most) = (ratios.iter().copied().fold(f64::MAX, f64::min), ratios.iter().copied().fold(0.0, f64::max));
    println!(
        "timer every 2,000 cycles and a lever every 10,000 steps: {:.2} of the speed without, {:.0} million steps a second \
         (medians of 7; {least:.2} to {most:.2})",
        middle(ratios),
        middle(rates),
    );
    let signals = include_str!("../../../demos/signals/signals.asm");
    let mut machine = Machine::new(&image(signals), Settings::default());
    let time = seconds(|| {
        black_box(machine.run(Run { cycles: 1_000_000_000, ..Run::until(StepNo::LAST) }));
    });
    println!(
        "waiting for a timer: 10^9 cycles, {} million steps, {} million of them passed over, in {:.0} ms",
        machine.steps().0 / 1_000_000,
        machine.passed_over() / 1_000_000,
        time * 1e3
    );
    levers(signals);
}

/// A lever moved while a program runs at full speed: the time from the key to the frame that shows its lamp.
fn levers(signals: &str) {
    use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
    let key = |sign| Message::Key(KeyEvent::new(KeyCode::Char(sign), KeyModifiers::NONE));
    let inputs = Inputs { sources: vec!["untitled.asm".to_owned()], ..Inputs::default() };
    let files = MemoryFiles::default().with("untitled.asm", signals);
    let mut app = App::new(None, signals, Settings::default(), Theme::default());
    let mut stage = Stage::new(inputs, files);
    let effects = app.first_effects();
    stage.carry_out(&mut app, effects);
    update(&mut app, Message::Resized(160, 50));
    for sign in "Lg".chars() {
        update(&mut app, key(sign));
    }
    let mut times: Vec<f64> = (0..200)
        .map(|round| {
            // It runs on for a while, as between two looks at the keys.
            for _ in 0..20 {
                update(&mut app, Message::Work);
            }
            seconds(|| {
                update(&mut app, key(if round % 2 == 0 { '0' } else { '4' }));
                update(&mut app, Message::Work);
                stage.show(&app);
            }) * 1e3
        })
        .collect();
    times.sort_by(f64::total_cmp);
    println!(
        "a lever while it runs at full speed, from the key over a slice of the run to the frame: median {:.1} ms, at most \
         {:.1} ms; a loop that looks at the keys every 8 ms adds up to that",
        times[times.len() / 2],
        times[times.len() - 1]
    );
}

/// What it costs to look at steps, and to look for states that repeat.
fn looking() {
    const STEPS: u64 = 100_000_000;
    let image = image(SORT);
    let mut ratios = Vec::new();
    // In turn, since the speed of a machine others use too drifts.
    for _ in 0..7 {
        let mut machine = Machine::new(&image, Settings::default());
        let blind = seconds(|| {
            black_box(machine.run(Run::until(StepNo(STEPS))));
        });
        let mut machine = Machine::new(&image, Settings::default());
        let watched = seconds(|| {
            black_box(machine.run(Run { watch: Watch::Circling, ..Run::until(StepNo(STEPS)) }));
        });
        ratios.push(watched / blind);
    }
    println!("looking for states that repeat: {:.3} times the time without (median of 7)", middle(ratios));
    let mut machine = Machine::new(&image, Settings::default());
    machine.run(Run::until(StepNo(1_000_000)));
    let single = seconds(|| {
        for _ in 0..1_000_000 {
            let until = machine.steps() + 1;
            machine.run_observed(Run::until(until), &mut Nothing);
        }
    });
    println!("a single observed step: {single:.3} µs");
    let text = format!("start:  mov r1, 0\n        {}\n        halt\n", "ONE r1");
    let text = format!(".macro ONE r\n@l: add r2, 1\n add r3, r2\n djnz {{r}}, @l\n.endmacro\n{text}");
    let mut session = Session::new(self::image(&text), Settings::default());
    travel(&mut session, Command::Line);
    let line = seconds(|| travel(&mut session, Command::Line));
    println!("by line: {:.0} million instructions a second", session.now().0 as f64 / line / 1e6);
}

/// What measuring a run costs beside running it blind.
fn measuring() {
    const STEPS: u64 = 100_000_000;
    let image = image(SORT);
    let mut session = Session::new(image, Settings::default());
    travel(&mut session, Command::Seek(StepNo(STEPS)));
    let whole = seconds(|| {
        let mut measuring = Measuring::all(&session);
        while !measuring.work(&session, 2_000_000) {}
        black_box(measuring.tally(&session));
    });
    println!("a tally of a walk of 100 million steps, with its names and lines: {whole:.2} s");
    // A tenth of it is looked through for what looks wrong, beside the same blind.
    let mut ratios = Vec::new();
    for _ in 0..5 {
        let mut session = Session::new(session.image().as_ref().clone(), Settings::default());
        travel(&mut session, Command::Seek(StepNo(STEPS / 10)));
        let mut machine = Machine::new(session.image(), Settings::default());
        let blind = seconds(|| {
            black_box(machine.run(Run::until(StepNo(STEPS / 10))));
        });
        let looked = seconds(|| {
            let mut cautions = Cautions::new(&session);
            while !cautions.work(&session, 2_000_000) {}
            black_box(cautions.list(&session).count());
        });
        ratios.push(looked / blind);
    }
    ratios.sort_by(f64::total_cmp);
    println!("cautions: {:.1} times the time of blind, {:.1} to {:.1} (median of 5)", ratios[2], ratios[0], ratios[4]);
    let apart = seconds(|| {
        let mut apart = Apart::between(&session, StepNo(STEPS / 3), StepNo(STEPS)).expect("both are kept");
        while !apart.work(&session, 2_000_000) {}
        black_box(apart.rows().len());
    });
    println!("two moments of 100 million steps beside each other, with who changed what: {:.0} ms", apart * 1e3);
    let inside = median(|| _ = black_box(wendax_session::inside(&session)));
    let account = median(|| _ = black_box(wendax_session::explain(&session)));
    let other = session.clone();
    let at = StepNo(STEPS / 3);
    let together = median(|| _ = black_box(session.next_together(at, &other, at)));
    println!(
        "a step taken apart: {:.0} µs, of which its account is {:.0}; two runs on to their next common place: {:.2} ms",
        inside * 1e6,
        account * 1e6,
        together * 1e3
    );
    drawing();
}

/// What was quadratic once: each beside the same thing small.
fn costs() {
    // Sources that are the same line again and again.
    let many = |count: usize, line: &dyn Fn(usize) -> String| (0..count).map(line).collect::<String>();
    let sources: [(&str, &dyn Fn(usize) -> String); 5] = [
        ("routines that run on into each other", &|count| {
            "start: sys exit\n".to_owned() + &many(count, &|at| format!("f{at}: call f{}\n", (at + 1) % count))
        }),
        ("calls that do not exist", &|count| {
            "start: sys exit\n".to_owned() + &many(count, &|_| " sys 200\n".to_owned())
        }),
        ("texts without an end", &|count| {
            let begin = "start: sys exit\n".to_owned() + &many(count, &|at| format!(" mov r0, t{at}\n sys put_text\n"));
            begin + ".data\n" + &many(count, &|at| format!("t{at}: .ascii \"a\"\n"))
        }),
        ("places apart", &|count| {
            "start: sys exit\n".to_owned() + &many(count, &|at| format!(" .org {}\nf{at}: nop\n", 0x400 + 4 * at))
        }),
        ("sections", &|count| {
            ".target rv32\n_start: nop\n".to_owned() + &many(count, &|at| format!(".section .text.f{at}\nf{at}: nop\n"))
        }),
    ];
    for (name, source) in sources {
        let [few, more] = [2_000, 8_000].map(|count| {
            let (sources, file) = Sources::single("many.asm", source(count));
            median(|| _ = black_box(assemble(&sources, file)))
        });
        println!("assembling 8,000 {name}: {:.0} ms, {:.1} times the time of 2,000", more * 1e3, more / few);
    }

    // Twelve hundred conditional jumps to one place, drawn.
    let mut text = "start:\n".to_owned();
    (0..1200).for_each(|at| text.push_str(&format!(" cmp r1, {}\n jz @end\n", at % 16)));
    text.push_str("@end: halt\n");
    let session = Session::new(image(&text), Settings::default());
    let flow = Flow::of(&session, session.image().entry, None).expect("there is code");
    let drawn = seconds(|| {
        let scene = wendax_draw::flow(&flow, None, None);
        black_box(wendax_draw::to_svg(&scene, wendax_draw::Look::Light));
    });
    println!("the flow of 1,200 jumps to one place: {drawn:.2} s");

    // A routine that calls nine thousand others, and one that calls one as often.
    let calls = |others: usize| {
        let mut text = "start: mov r6, 40\nagain:\n".to_owned();
        (0..9000).for_each(|at| text.push_str(&format!(" call l{}\n", at % others)));
        text.push_str(" djnz r6, again\n halt\n");
        (0..others).for_each(|at| text.push_str(&format!("l{at}: ret\n")));
        Machine::new(&image(&text), Settings::default())
    };
    let (mut many, mut one) = (calls(9000), calls(1));
    let counted = |machine: &mut Machine| {
        let mut counting = Counting::new(machine);
        let time = seconds(|| {
            black_box(machine.run_counted(Run::until(StepNo::LAST), &mut counting));
        });
        black_box(counting.counts());
        time
    };
    let (wide, narrow) = (counted(&mut many), counted(&mut one));
    println!("a tally with 9,000 callees: {:.2} times the time of one callee ({wide:.3} s)", wide / narrow);

    // The names of six thousand labels, and of sixty, for as many cells.
    let labelled = |labels: usize| {
        let mut text =
            "start: mov r6, data\n mov r7, 6000\nnext: stw [r6], r7\n add r6, 2\n djnz r7, next\n halt\n.data\n"
                .to_owned();
        for cell in 0..6000 {
            let name = if cell == 0 {
                "data: ".to_owned()
            } else if cell % (6000 / labels) == 0 {
                format!("d{cell}: ")
            } else {
                String::new()
            };
            text.push_str(&format!("{name}.word 0\n"));
        }
        let mut session = Session::new(image(&text), Settings::default());
        travel(&mut session, Command::Go);
        let mut measuring = Measuring::all(&session);
        while !measuring.work(&session, 2_000_000) {}
        let median = |what: &dyn Fn()| {
            let mut times: Vec<f64> = (0..9).map(|_| seconds(what)).collect();
            times.sort_by(f64::total_cmp);
            times[4] * 1e3
        };
        let image = session.image();
        let first = u32::try_from(image.symbol("data").expect("it is a label").value).expect("it is an address");
        let found = median(&|| {
            for cell in 0..6000 {
                black_box(image.nearest_label(Addr(first + 2 * cell)));
            }
        });
        (found, median(&|| drop(black_box(measuring.tally(&session)))))
    };
    let (many, few) = (labelled(6000), labelled(60));
    println!(
        "the labels of 6,000 cells, medians of 9: {:.2} ms with 6,000 labels, {:.2} ms with 60; a tally, in which \
         each label has a row: {:.1} ms, {:.1} ms",
        many.0, few.0, many.1, few.1
    );

    // A place that something waits for, met a million times.
    let text = "start: mov r5, 16\nouter: mov r6, 0\nloop: add r1, r6\n djnz r6, loop\n djnz r5, outer\n halt\n";
    let mut times = Vec::new();
    for events in [
        "",
        "{\"place\": \"loop\", \"time\": 1000000, \"lever\": 1, \"up\": true, \"bounce\": {\"times\": 1000, \"apart\": 10}}",
    ] {
        let mut session = Session::new(image(text), Settings::default());
        session.set_script(wendax_session::Script::read(events, &session).expect("it is right"));
        times.push(seconds(|| travel(&mut session, Command::Go)));
    }
    println!("a million meetings of a place with events: {:.0} ns each more", (times[1] - times[0]) * 1e3);

    // A heap that grows by little, and a table of many rows: ten times as much is to take ten times as long.
    let grown = |times: u32| {
        let text = format!(
            ".target rv32\n_start: li s0, {times}\n1: li a0, 16\n sys heap_grow\n addi s0, s0, -1\n bnez s0, 1b\n li a0, 0\n sys exit\n"
        );
        let mut machine = Machine::new(&image(&text), Settings::default());
        seconds(|| _ = black_box(machine.run(Run::until(StepNo::LAST))))
    };
    let read = |rows: u32| {
        let rows = (0..rows).map(|row| format!("[[row]]\nname = \"{row}\"\ntyped = \"{row}\\n\"\nstatus = 0\n"));
        let text = rows.collect::<Vec<_>>().concat();
        seconds(|| _ = black_box(Table::read(&text)))
    };
    println!(
        "a heap grown 100,000 times: {:.1} times the time of 10,000 times; a table of 10,000 rows read: {:.1} times that of 1,000",
        grown(100_000) / grown(10_000),
        read(10_000) / read(1_000)
    );
}

/// What the bench gives a run or a question between two looks at the keys.
const SLICE: u64 = 150_000;

/// The longest slice of a run with a stop that is often looked for and never met.
fn longest_looking() {
    let (plain, wide) = (
        "start: inc r0\n mov r1, r0\n and r1, 7\n jmp start\n",
        ".target rv32\n_start: addi t0, t0, 1\n mv t1, t0\n andi t1, t1, 7\n j _start\n",
    );
    for (text, name) in [
        (plain, "when r1 != r1"),
        (plain, "op inc if r1 == 9"),
        (plain, "when step == 0"),
        (wide, "when t1 != t1"),
        (wide, "op addi if t1 == 9"),
        (wide, "when step == 0"),
    ] {
        let mut session = Session::new(image(text), Settings::default());
        let names = Names::new(session.image(), session.machine().target(), session.image().entry);
        let stop = StopAt::read(name, &names, session.sources()).expect("it is a stop");
        session.set_stops([(StopId(0), stop)]);
        session.begin(Command::Go);
        let most = (0..40).map(|_| seconds(|| _ = black_box(session.work(SLICE)))).fold(0.0, f64::max);
        println!(
            "the longest slice of a run that looks for `{name}`: {:.1} ms ({} steps in all)",
            1e3 * most,
            wendax_session::grouped(session.now().0)
        );
    }
}

/// The longest that a question keeps the keys waiting, whatever the program does.
fn longest() {
    longest_looking();
    let buffers = " .data\npath: .asciz \"list\"\nroom: .space 51000\n";
    let reads = format!(
        "start: mov r0, path\n clr r1\n sys file_open\n mov r6, r0\nloop: mov r0, r6\n mov r1, room\n mov r2, 50000\n sys file_read\n mov r0, r6\n clr r1\n sys file_seek\n inc r9\n jmp loop\n{buffers}"
    );
    let appends = format!(
        "start: mov r0, path\n mov r1, 2\n sys file_open\n mov r1, room\n mov r2, 1\n sys file_write\n mov r0, 1\n sys file_close\n inc r9\n jmp start\n{buffers}"
    );
    let allocates = "start: mov r0, 2\n sys heap_grow\n inc r9\n mov r0, 0\n sys heap_grow\n jmp start\n".to_owned();
    let rewrites =
        "start: mov r1, 0x3110\nloop: xor r1, 1\n stw [@here], r1\n@here: add r2, 0\n inc r9\n jmp loop\n".to_owned();
    let prints = "start: mov r0, room\n sys put_text\n inc r9\n jmp start\n .data\nroom: .space 5000, 46\n .byte 0\n"
        .to_string();
    for (what, text, is_raw) in [
        ("reads 50,000 bytes a call", &reads, false),
        ("writes on a file of 1 MiB", &appends, false),
        ("allocates", &allocates, false),
        ("rewrites itself", &rewrites, true),
        ("prints 5,000 bytes a call", &prints, false),
    ] {
        let mut program = image(text);
        if is_raw {
            let (start, bytes) = wendax_image::to_raw(&program).expect("it lies close");
            program = wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, start).expect("it fits");
        }
        let settings = Settings { has_folder: true, clock: wendax_machine::Clock::Cycles, ..Settings::default() };
        let mut session = Session::new(program, settings);
        let found = wendax_machine::Found::Bytes(std::sync::Arc::new(vec![65; 1 << 20]));
        session.begin(Command::Seek(StepNo(60_000)));
        loop {
            match session.work(1_000_000) {
                Progress::Working => {}
                Progress::Asks(_) => {
                    let path = session.machine().wanted_file().expect("it asks for a file");
                    session.answer(wendax_machine::Event::File(path, found.clone()));
                }
                Progress::Arrived => break,
            }
        }
        let names = Names::new(session.image(), session.machine().target(), session.image().entry);
        let stop = |text: &str| StopAt::read(text, &names, session.sources()).expect("a stop");
        let (every, thing) = (stop("0x0204 every 4"), stop("change r9"));
        let longest = |name: &'static str, work: &mut dyn FnMut(&mut Session) -> bool, session: &mut Session| {
            let mut most = 0.0f64;
            loop {
                let mut is_over = false;
                most = most.max(seconds(|| is_over = work(session)));
                if is_over {
                    return (name, most * 1e3);
                }
            }
        };
        let mut told = Vec::new();
        session.set_stops([(StopId(1), every), (StopId(2), thing.clone())]);
        told.push(longest("counting", &mut |session| session.count_meetings(SLICE), &mut session));
        let mut measuring = Measuring::all(&session);
        told.push(longest("tally", &mut |session| measuring.work(session, SLICE), &mut session));
        let mut found = Filtered::new(&session, thing);
        told.push(longest("trail", &mut |session| found.work(session, SLICE), &mut session));
        let mut levels = wendax_session::Levels::read(&session, &["r9".to_owned()]).expect("a register");
        told.push(longest("levels", &mut |session| levels.work(session, SLICE), &mut session));
        session.set_stops([]);
        session.begin(Command::Seek(StepNo(0)));
        told.push(longest("going back", &mut |session| session.work(SLICE) != Progress::Working, &mut session));
        session.begin(Command::Seek(StepNo(59_000)));
        told.push(longest("going on", &mut |session| session.work(SLICE) != Progress::Working, &mut session));
        let words: Vec<String> = told.iter().map(|(name, most)| format!("{name} {most:.1}")).collect();
        println!("the longest slice of a program that {what}, in ms: {}", words.join(", "));
    }
}

/// A routine of 500 blocks, drawn.
fn drawing() {
    let mut text = "start:\n".to_owned();
    let mut seed = 17u64;
    for block in 0..500usize {
        seed = seed.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
        // Mostly near, some far, forwards and back, as in a routine of that size.
        let far = if seed >> 60 == 0 { seed >> 33 & 255 } else { seed >> 33 & 7 };
        let to = if (seed >> 40).is_multiple_of(4) {
            block.saturating_sub(far as usize)
        } else {
            (block + 1 + far as usize).min(499)
        };
        text.push_str(&format!("@l{block}: add r1, {}\n cmp r1, r2\n jz @l{to}\n", seed >> 50 & 15));
    }
    text.push_str(" halt\n");
    let session = Session::new(image(&text), Settings::default());
    let flow = Flow::of(&session, session.image().entry, None).expect("there is code");
    let mut sizes = (0, 0);
    let time = seconds(|| {
        let scene = wendax_draw::flow(&flow, None, None);
        sizes.0 = black_box(wendax_draw::to_svg(&scene, wendax_draw::Look::Light)).len();
    });
    let paged = seconds(|| {
        let scene = wendax_draw::flow(&flow, None, None);
        sizes.1 = wendax_draw::to_pdf(&[scene], wendax_draw::Look::Light, None).expect("it can be made").len();
    });
    println!(
        "the flow of a routine of {} blocks: {time:.2} s as SVG ({} kB), {paged:.2} s as PDF ({} kB)",
        flow.blocks.len(),
        sizes.0 / 1000,
        sizes.1 / 1000
    );
}

/// What stops cost where they are not met, and how fast those are passed that are.
fn stops() {
    const STEPS: u64 = 100_000_000;
    let image = image(SORT);
    let read = |words: &[&str]| {
        let session = Session::new(image.clone(), Settings::default());
        let names = Names::new(&image, session.machine().target(), image.entry);
        let stop = |words: &&str| StopAt::read(words, &names, session.sources()).expect("it is a stop");
        words.iter().map(stop).collect::<Vec<_>>()
    };
    let run = |words: &[&str]| {
        let mut session = Session::new(image.clone(), Settings::default());
        session.set_stops(read(words).into_iter().zip(0..).map(|(stop, id)| (StopId(id), stop)));
        let seconds = seconds(|| travel(&mut session, Command::Seek(StepNo(STEPS))));
        assert_eq!(session.now(), StepNo(STEPS), "no stop was met");
        while !session.count_meetings(1_000_000) {}
        let met: u64 = (0..).map_while(|id| session.met_so_far(StopId(id))).map(|met| met.times).sum();
        (seconds, met)
    };
    let elsewhere: [&[&str]; 4] = [&["0x0FF0"], &["change 0x0A00"], &["call put_char", "print \"x\""], &["read r5"]];
    for words in elsewhere {
        // In turn, since the speed of a machine others use too drifts; the best of each is what it can do.
        let pairs: Vec<(f64, f64)> = (0..7).map(|_| (run(&[]).0, run(words).0)).collect();
        let best = |of: fn(&(f64, f64)) -> f64| pairs.iter().map(of).fold(f64::INFINITY, f64::min);
        let ratio = best(|pair| pair.1) / best(|pair| pair.0);
        println!("a stop elsewhere, {words:?}: {ratio:.3} times the time without (best of 7)");
    }
    for words in [
        "insert if r0 > 90",
        "insert@shift if r3 > 70000",
        "write wagons if r2 > 70000",
        "change r3 if r2 > 70000",
        "when r8 > 70000",
    ] {
        let (seconds, _) = run(&[words]);
        let plain = words.split(" if ").next().unwrap_or(words).replace("when r8 > 70000", "write r8");
        let (without, _) = run(&[]);
        let (_, passed) = run(&[&format!("{plain} note")]);
        println!(
            "a stop passed {passed} times, `{words}`: {:.1} million a second, {:.1} without the run itself",
            passed as f64 / seconds / 1e6,
            passed as f64 / (seconds - without).max(1e-9) / 1e6
        );
    }
}

/// Who wrote a thing last, and what changes it next, over the last hundred million steps and over a thousand million.
fn stories() {
    // One register is written at the very beginning only: all of the run has to be looked through for it.
    let image = image(&SORT.replace("start:  clr   r8", "start:  mov   r5, 7\n        clr   r8"));
    let mut session = Session::new(image, Settings::default());
    for steps in [100_000_000, 1_000_000_000] {
        travel(&mut session, Command::Seek(StepNo(steps)));
        // From what is written all the time to what was written at the beginning only, or never.
        let registers = [2, 3, 6, 7, 8, 9, 10, 11, 5].map(|number| Thing::Register(Reg(number)));
        let cells = [0x300, 0x310, 0x700, 0xFDFC].map(|at| Thing::Cells(Addr(at), Addr(at + 2)));
        let mut times = Vec::new();
        let mut longest = 0.0f64;
        let mut step = 17u64;
        for thing in registers.into_iter().chain(cells).cycle().take(if steps > 200_000_000 { 13 } else { 52 }) {
            step = step.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
            travel(&mut session, Command::Seek(StepNo(steps - step % (steps / 2))));
            let mut story = Story::new(&session, thing);
            times.push(seconds(|| {
                while story.written == Answer::Looking || story.changed == Answer::Looking {
                    longest = longest.max(seconds(|| {
                        let _ = story.work(&session, 600_000);
                    }));
                }
            }));
        }
        times.sort_by(f64::total_cmp);
        println!(
            "last writer and next change in {steps} steps: median {:.0} ms, at most {:.0} ms, the longest slice {:.1} ms",
            times[times.len() / 2] * 1e3,
            times[times.len() - 1] * 1e3,
            longest * 1e3
        );
    }
}

/// Opening the trail anywhere, the first screen of a filter, and writing it down.
fn trails() {
    const STEPS: u64 = 100_000_000;
    let image = image(SORT);
    let mut session = Session::new(image.clone(), Settings::default());
    travel(&mut session, Command::Seek(StepNo(STEPS)));
    let names = Names::new(&image, session.machine().target(), image.entry);
    let mut opening = 0.0f64;
    let mut step = 17u64;
    for _ in 0..30 {
        step = step.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
        opening = opening.max(seconds(|| drop(black_box(session.steps_from(StepNo(step % STEPS), 3000)))));
    }
    println!("the trail of 100 million steps opens at any of 30 steps within {:.0} ms", opening * 1e3);
    for words in ["in insert", "op push", "change wagons if r2 > 60000", "read r10"] {
        travel(&mut session, Command::Seek(StepNo(STEPS / 2)));
        let filter = StopAt::read(words, &names, session.sources()).expect("it is a stop");
        let mut found = Filtered::new(&session, filter);
        let first = seconds(|| while found.steps().len() < 100 && !found.work(&session, 300_000) {});
        println!("the first hundred steps of `{words}` within {:.0} ms", first * 1e3);
    }
    let mut short = Session::new(image, Settings::default());
    travel(&mut short, Command::Seek(StepNo(5_000_000)));
    let mut text = TrailText::new(&short, TrailForm::Text, None);
    let written = seconds(|| {
        black_box(text.follow(&short).len());
    });
    println!("written down: {:.1} million steps a second", 5.0 / written);
}

/// A run of ten billion steps, and the way back to any of them.
fn ten_billion() {
    const STEPS: u64 = 10_000_000_000;
    let before = memory();
    let text = "start:  add r1, 1\n        adc r2, 0\n        adc r3, 0\n        jmp start\n";
    let mut session = Session::new(image(text), Settings::default());
    let running = seconds(|| travel(&mut session, Command::Seek(StepNo(STEPS))));
    let (mut slowest, mut step, mut longest) = (0.0f64, 17u64, 0.0f64);
    for _ in 0..60 {
        step = step.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
        let target = step % STEPS;
        slowest = slowest.max(seconds(|| {
            session.begin(Command::Seek(StepNo(target)));
            loop {
                let mut progress = Progress::Arrived;
                longest = longest.max(seconds(|| progress = session.work(300_000)));
                if progress != Progress::Working {
                    break;
                }
            }
        }));
    }
    println!(
        "10 billion steps in {running:.0} s, {:.0} MiB more than before; any of them: at most {:.0} ms in 60 visits, \
         the longest slice {:.1} ms",
        memory() - before,
        slowest * 1e3,
        longest * 1e3
    );
}

/// Slices and memory while a program prints, asks the clock and gets much input.
fn bounds() {
    let prints = "start: mov r1, room\n mov r2, 55000\n mov r3, 'x'\n@fill: stb [r1], r3\n inc r1\n djnz r2, @fill\n\
                  @again: mov r0, room\n sys put_text\n jmp @again\n.data\nroom: .space 55001\n";
    let clock = "start: sys clock_ms\n add r1, 1\n adc r2, 0\n adc r3, 0\n jmp start\n";
    let input = "start: sys get_char\n jc start\n add r1, 1\n adc r2, 0\n jmp start\n";
    for (name, text, steps) in [("prints", prints, 300_000), ("clock", clock, 5_000_000), ("input", input, 20_000_000)]
    {
        let before = memory();
        let mut session = Session::new(image(text), Settings::default());
        session.type_input(&vec![b'7'; 4 << 20]);
        session.end_input();
        let mut longest = 0.0f64;
        for command in
            [Command::Seek(StepNo(steps)), Command::Seek(StepNo(steps / 2)), Command::BackTo(vec![Addr(0x0FF0)])]
        {
            session.begin(command);
            loop {
                let mut progress = Progress::Arrived;
                longest = longest.max(seconds(|| progress = session.work(300_000)));
                match progress {
                    Progress::Working => {}
                    Progress::Asks(_) => session.answer(wendax_machine::Event::Clock(5)),
                    Progress::Arrived => break,
                }
            }
        }
        let more = memory() - before;
        println!("bounds, {name}: {more:.0} MiB more than before, the longest slice {:.1} ms", longest * 1e3);
    }
}

/// The program in a pseudo-terminal, made by `script` of util-linux.
struct Terminal {
    child: std::process::Child,
    output: std::process::ChildStdout,
    seen: Vec<u8>,
}

impl Terminal {
    fn start(command: &str, home: &Path) -> Option<Self> {
        use std::process::{Command, Stdio};
        let mut child = Command::new("script")
            .args(["-qfec", &format!("stty cols 160 rows 50; exec {command}"), "/dev/null"])
            .env("HOME", home)
            .env("TERM", "xterm-256color")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .ok()?;
        let output = child.stdout.take()?;
        Some(Self { child, output, seen: Vec::new() })
    }

    fn press(&mut self, keys: &str) {
        use std::io::Write;
        if let Some(input) = &mut self.child.stdin {
            let _ = input.write_all(keys.as_bytes()).and_then(|()| input.flush());
        }
    }

    /// Reads until the text comes; only what is read from now on counts.
    fn wait_for(&mut self, wanted: &str) -> Duration {
        use std::io::Read;
        let begun = Instant::now();
        self.seen.clear();
        let mut piece = [0; 4096];
        while !String::from_utf8_lossy(&self.seen).contains(wanted) && begun.elapsed() < Duration::from_secs(10) {
            match self.output.read(&mut piece) {
                Ok(0) | Err(_) => break,
                Ok(count) => self.seen.extend_from_slice(&piece[..count]),
            }
        }
        begun.elapsed()
    }

    /// Processor time the program has used, in seconds: ticks of a hundredth, by `proc_pid_stat(5)`.
    fn processor_time() -> f64 {
        let processes = std::fs::read_dir("/proc").into_iter().flatten().flatten();
        let stats = processes.filter_map(|entry| std::fs::read_to_string(entry.path().join("stat")).ok());
        let ticks = stats.filter_map(|stat| {
            let fields: Vec<&str> = stat.split_once("(wendax) ")?.1.split_whitespace().collect();
            Some(fields.get(11)?.parse::<f64>().ok()? + fields.get(12)?.parse::<f64>().ok()?)
        });
        ticks.fold(0.0, f64::max) / 100.0
    }
}

/// From starting the program to its first frame, and from a key to its answer while a program runs.
fn in_a_terminal() {
    let program = env!("CARGO_BIN_EXE_wendax");
    let Ok(home) = tempfile::tempdir() else { return };
    let mut starts = Vec::new();
    let mut bare = Vec::new();
    for _ in 0..10 {
        let Some(mut terminal) = Terminal::start(&format!("{program} demo"), home.path()) else { return };
        starts.push(terminal.wait_for("cycles"));
        terminal.press("q");
        let _ = terminal.child.wait();
        let Some(mut terminal) = Terminal::start("echo cycles", home.path()) else { return };
        bare.push(terminal.wait_for("cycles"));
        let _ = terminal.child.wait();
    }
    starts.sort();
    bare.sort();
    println!(
        "demo on screen after {:.0} ms (median of 10); a shell that prints one word takes {:.0} ms in the same terminal",
        starts[5].as_secs_f64() * 1e3,
        bare[5].as_secs_f64() * 1e3
    );
    let spin = home.path().join("spin.asm");
    let _ = std::fs::write(&spin, "start:  add r1, 1\n        adc r2, 0\n        adc r3, 0\n        jmp start\n");
    let Some(mut terminal) = Terminal::start(&format!("{program} {}", spin.display()), home.path()) else { return };
    terminal.wait_for("cycles");
    let mut answers = Vec::new();
    for _ in 0..20 {
        terminal.press("g");
        std::thread::sleep(Duration::from_millis(120));
        terminal.press(" ");
        answers.push(terminal.wait_for("asked"));
        terminal.press("\x1b[D");
        std::thread::sleep(Duration::from_millis(50));
    }
    answers.sort();
    println!(
        "a key while a program runs at full speed: answered after {:.1} ms (median of 20), {:.1} ms at most",
        answers[10].as_secs_f64() * 1e3,
        answers[19].as_secs_f64() * 1e3
    );
    terminal.press("q");
    let _ = terminal.child.wait();
    idle(program, home.path());
    typing(program, home.path());
}

/// A project that nobody touches, and one whose files were touched and saved.
fn idle(program: &str, home: &Path) {
    let folder = home.join("yard");
    let made = std::process::Command::new(program).arg("new").arg(&folder).output();
    if !made.is_ok_and(|made| made.status.success()) {
        return;
    }
    let Some(mut terminal) = Terminal::start(&format!("{program} {}", folder.display()), home) else { return };
    terminal.wait_for("cycles");
    std::thread::sleep(Duration::from_secs(1));
    let ten_seconds = || {
        let before = Terminal::processor_time();
        std::thread::sleep(Duration::from_secs(10));
        Terminal::processor_time() - before
    };
    let untouched = ten_seconds();
    for name in ["src/main.asm", "wendax.toml", "files/readme.txt"] {
        let place = folder.join(name);
        let text = std::fs::read_to_string(&place).unwrap_or_default();
        let _ = std::fs::write(&place, text);
    }
    terminal.press("e");
    terminal.press("; a note ");
    terminal.press("\x13");
    terminal.wait_for("saved");
    std::thread::sleep(Duration::from_secs(1));
    let touched = ten_seconds();
    println!(
        "ten idle seconds on a project: {untouched:.2} s of processor time; after files were touched and saved: {touched:.2} s"
    );
    terminal.press("\x1bq");
    let _ = terminal.child.wait();
}

/// Lines typed key by key into a long file, as fast as they can be sent.
fn typing(program: &str, home: &Path) {
    const LINES: usize = 1000;
    let file = home.join("long.asm");
    let _ = std::fs::write(&file, long_source(50_000));
    let Some(mut terminal) = Terminal::start(&format!("{program} {}", file.display()), home) else { return };
    terminal.wait_for("cycles");
    std::thread::sleep(Duration::from_secs(1));
    terminal.press("e");
    let Terminal { child, output, .. } = &mut terminal;
    let Some(mut keys) = child.stdin.take() else { return };
    let begun = Instant::now();
    // The screen is read while keys are sent, as a terminal does.
    let (sent, shown) = std::thread::scope(|scope| {
        let shown = scope.spawn(|| {
            let (mut seen, mut piece) = (Vec::new(), [0; 8192]);
            // Signs are drawn one by one, so that only what is said when all is saved stands together.
            while !String::from_utf8_lossy(&seen).contains("saved as") {
                match std::io::Read::read(output, &mut piece) {
                    Ok(count @ 1..) => seen.extend_from_slice(&piece[..count]),
                    _ => break,
                }
                let kept = seen.len().saturating_sub(200_000);
                seen.drain(..kept);
            }
            begun.elapsed()
        });
        for number in 0..LINES {
            for key in format!("; line {number}\r").bytes() {
                let _ = std::io::Write::write_all(&mut keys, &[key]);
            }
        }
        let _ = std::io::Write::write_all(&mut keys, b"; the last of them\x1b\x13");
        (begun.elapsed(), shown.join().unwrap_or_default())
    });
    println!(
        "{LINES} lines typed key by key into 50000: sent in {:.2} s, on screen and saved {:.2} s after they began",
        sent.as_secs_f64(),
        shown.as_secs_f64()
    );
    let _ = std::io::Write::write_all(&mut keys, b"q");
    let _ = terminal.child.kill();
    let _ = terminal.child.wait();
}

/// A source of so many lines with instructions, data, comments, constants and labels, as large a program
/// as memory holds and the rest comments.
fn long_source(lines: usize) -> String {
    let mut text = String::from(".entry start\nstart:\n");
    for number in 0..lines {
        let code = number < 60_000 && number % 3 == 0;
        match (code, number % 12) {
            (true, 0) => text.push_str(&format!("wagon_{number}:\n")),
            (true, 3) => text.push_str("        add   r1, LIMIT_1 + 2 * (3 + 1)   ; the next one\n"),
            (true, 6) => text.push_str(&format!("        jne   wagon_{}\n", number - 6)),
            (true, _) => text.push_str("        ldw   r2, [r6 + 4]\n"),
            (false, 1) => text.push_str(&format!(".equ LIMIT_{number}, {} + {number}\n", number % 999)),
            (false, _) => text.push_str("; weights are in hundredweight, as everywhere in the yard\n"),
        }
    }
    text.push_str("        sys   exit\n");
    text
}

/// The same for RV32.
fn long_source_rv32(lines: usize) -> String {
    let mut text = String::from(".target rv32\n_start:\n");
    for number in 0..lines {
        let code = number < 60_000 && number % 3 == 0;
        match (code, number % 12) {
            (true, 0) => text.push_str(&format!("wagon_{number}:\n")),
            (true, 3) => text.push_str("        addi  a1, a1, LIMIT_1 + 2 * (3 + 1)   # the next one\n"),
            (true, 6) => text.push_str(&format!("        bnez  a1, wagon_{}\n", number - 6)),
            (true, _) => text.push_str("        lw    a2, 4(s0)\n"),
            (false, 1) => text.push_str(&format!(".equ LIMIT_{number}, {} + {number}\n", number % 999)),
            (false, _) => text.push_str("# weights are in hundredweight, as everywhere in the yard\n"),
        }
    }
    text.push_str("        sys   exit\n");
    text
}

/// Assembling, beside the reference that any assembler has: splitting the same text into words.
fn assembling() {
    for lines in [1_000, 10_000, 100_000] {
        let text = long_source(lines);
        let (sources, file) = Sources::single("long.asm", text.clone());
        let whole = median(|| _ = black_box(assemble(black_box(&sources), file)));
        let words = median(|| _ = black_box(black_box(&text).split_whitespace().map(str::len).sum::<usize>()));
        println!(
            "assembling {lines} lines: {:.2} ms, {:.2} times splitting them into words",
            whole * 1e3,
            whole / words
        );
    }
}

/// A program of 20 files with so many lines altogether, with macros, names across files and included constants; as
/// large as memory holds, and the rest comments and constants.
fn program(lines: usize) -> (Inputs, MemoryFiles) {
    const FILES: usize = 20;
    let mut files = MemoryFiles::default().with(
        "yard.inc",
        ".equ LIMIT, 560\n        .macro ADD_TWO r, by = 2\n        add   {r}, {by}\n        add   {r}, {by}\n        .endmacro\n",
    );
    let mut sources = Vec::new();
    for file in 0..FILES {
        let mut text = format!(
            "        .include \"yard.inc\"\n        .global part_{file}\n        .extern part_{}\n",
            (file + 1) % FILES
        );
        text.push_str(&format!("part_{file}:\n"));
        for number in 0..lines / FILES {
            match (number < 2000, number % 6) {
                (true, 0) => text.push_str(&format!("place_{number}:\n")),
                (true, 1) => text.push_str("        ADD_TWO r1, 3            ; two and two\n"),
                (true, 2) => text.push_str("        ldw   r2, [r6]\n"),
                (true, 3) => text.push_str(&format!("        jne   place_{}\n", number - 3)),
                (_, 4) => text.push_str(&format!(".equ WEIGHT_{number}, LIMIT + {}\n", number % 99)),
                _ => text.push_str("; weights are in hundredweight, as everywhere in the yard\n"),
            }
        }
        text.push_str(&format!("        call  part_{}\n        sys   exit\n", (file + 1) % FILES));
        let name = format!("part{file}.asm");
        files = files.with(name.clone(), text);
        sources.push(name);
    }
    (Inputs { sources, ..Inputs::default() }, files)
}

/// Assembling and linking programs of several files: all of it, and again after an edit of one; growth; memory.
fn linking() {
    println!("\nassembled and linked, 20 files with macros");
    println!("{:>10} {:>12} {:>12} {:>14} {:>12}", "lines", "all, ms", "ns a line", "one edited, ms", "words, ms");
    for lines in [1_000, 10_000, 100_000, 1_000_000] {
        let (inputs, files) = program(lines);
        let before = memory();
        let mut assembler = Assembler::default();
        let mut kept = None;
        let cold = seconds(|| kept = Some(assembler.assemble(&inputs, &files)));
        let found = kept.as_ref().map_or(0, |assembly| {
            assembly.diagnostics.iter().filter(|found| found.severity == wendax_source::Severity::Problem).count()
        });
        assert_eq!(found, 0, "the program is in order");
        let mut edited: Vec<f64> = (0..9)
            .map(|round| {
                let text = files.text("part7.asm").expect("it is there").to_string();
                let text = text.replacen("ldw   r2, [r6]", &format!("ldw   r{}, [r6]", 2 + round % 3), 1);
                let files = files.clone().with("part7.asm", text);
                // Letting go of the program before is not part of showing the next.
                kept = None;
                seconds(|| kept = Some(assembler.assemble(&inputs, &files)))
            })
            .collect();
        edited.sort_by(f64::total_cmp);
        let words = seconds(|| {
            let all = files.all_texts().map(|text| text.split_whitespace().count());
            black_box(all.sum::<usize>());
        });
        println!(
            "{lines:>10} {:>12.1} {:>12.0} {:>14.1} {:>12.1}   {:.0} MiB more than before",
            1e3 * cold,
            1e9 * cold / lines as f64,
            1e3 * edited[4],
            1e3 * words,
            memory() - before
        );
    }
}

/// Carries out what a key brings about, assembling included, and draws a frame.
fn frame(app: &mut App, stage: &mut Stage, message: Message) {
    let effects = update(app, message);
    stage.carry_out(app, effects);
    while app.has_work() {
        update(app, Message::Work);
    }
    let _ = stage.terminal.draw(|frame| draw(app, frame));
}

/// A screen and an assembler, as the bench has them.
struct Stage {
    terminal: ratatui::Terminal<ratatui::backend::TestBackend>,
    assembler: Assembler,
    files: MemoryFiles,
    inputs: Inputs,
}

impl Stage {
    fn new(inputs: Inputs, files: MemoryFiles) -> Self {
        let backend = ratatui::backend::TestBackend::new(160, 50);
        let terminal = ratatui::Terminal::new(backend).expect("memory has room");
        Self { terminal, assembler: Assembler::default(), files, inputs }
    }

    fn show(&mut self, app: &App) {
        let _ = self.terminal.draw(|frame| draw(app, frame));
    }

    fn carry_out(&mut self, app: &mut App, mut effects: Vec<Effect>) {
        while let Some(effect) = effects.pop() {
            let Effect::Assemble(generation, texts) = effect else { continue };
            for (name, text) in texts {
                self.files.insert(name, text.to_string());
            }
            let assembly = self.assembler.assemble(&self.inputs, &self.files);
            let built = Built::of(assembly, self.inputs.clone());
            effects.extend(update(app, Message::Assembled(generation, Box::new(built))));
        }
    }
}

/// From a key to its frame.
fn frames() {
    use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
    let key = |code| Message::Key(KeyEvent::new(code, KeyModifiers::NONE));
    let demo = include_str!("../../../demos/weighbridge/weighbridge.asm").to_owned();
    let single = |text: String| {
        let inputs = Inputs { sources: vec!["untitled.asm".to_owned()], ..Inputs::default() };
        (inputs, MemoryFiles::default().with("untitled.asm", text))
    };
    let programs = [
        ("demo", single(demo)),
        ("100000 lines", single(long_source(100_000))),
        ("100000 lines in 20 files", program(100_000)),
    ];
    for (name, (inputs, files)) in programs {
        let first = inputs.sources[0].clone();
        let text = files.text(&first).expect("it is there").to_string();
        let mut app = if inputs.sources.len() == 1 {
            App::new(None, &text, Settings::default(), Theme::default())
        } else {
            App::in_project("/yard", &first, &text, Settings::default(), Theme::default())
        };
        let mut terminal = Stage::new(inputs, files);
        let effects = app.first_effects();
        terminal.carry_out(&mut app, effects);
        frame(&mut app, &mut terminal, Message::Resized(160, 50));
        let stepped = median(|| {
            frame(&mut app, &mut terminal, key(KeyCode::Right));
            frame(&mut app, &mut terminal, key(KeyCode::Left));
        });
        frame(&mut app, &mut terminal, key(KeyCode::Char('e')));
        let shown = median(|| {
            // What is to be assembled is taken by another thread.
            update(&mut app, key(KeyCode::Char(';')));
            terminal.show(&app);
            update(&mut app, key(KeyCode::Backspace));
            terminal.show(&app);
        });
        let again = app.assemble_again();
        terminal.carry_out(&mut app, again);
        let assembled = median(|| {
            frame(&mut app, &mut terminal, key(KeyCode::Char(';')));
            frame(&mut app, &mut terminal, key(KeyCode::Backspace));
        });
        println!(
            "{name}: a step and its frame {:.2} ms; a key typed and shown {:.2} ms, and all assembled {:.2} ms",
            stepped * 5e2,
            shown * 5e2,
            assembled * 5e2
        );
    }
}

/// What a key takes until its screen is drawn, where there is much of something: the slowest and the middle one.
fn keys() {
    /// Its name, its text, what is watched, what is typed before, and what is pressed.
    type Case = (&'static str, String, Vec<String>, &'static str, &'static [char]);
    use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
    let key = |code| Message::Key(KeyEvent::new(code, KeyModifiers::NONE));
    let table = |signs: usize| {
        let row: Vec<String> = (0..signs / 4).map(|number| format!("{:>2}", number % 90)).collect();
        format!("start:  mov r1, 5\n        jmp start\ntable:  .byte {}\nend:    nop\n", row.join(", "))
    };
    let watched: Vec<String> = (0..500).map(|number| format!("r{} + {number}", number % 12)).collect();
    let cases: [Case; 6] = [
        ("6 000 lines, 200 stops", long_source(6_000), Vec::new(), "", &['\u{2192}', '\u{2190}', '\u{2193}']),
        ("50 000 lines", long_source(50_000), Vec::new(), "", &['\u{2192}', '\u{2190}', '\u{2193}']),
        ("500 watches", long_source(200), watched, "", &['\u{2192}', '\u{2190}', '\u{2193}']),
        ("50 000 lines, a search being written", long_source(50_000), Vec::new(), "/", &['a', '\u{8}']),
        ("a line of 24 000 signs, walking past it", table(24_000), Vec::new(), "", &['\u{2193}', '\u{2191}']),
        ("a line of 24 000 signs, typing in it", table(24_000), Vec::new(), "/table:\ne", &['x', '\u{8}']),
    ];
    println!("\nkey to screen at 160x50, ms: middle, slowest of 200");
    for (name, text, watches, before, pressed) in cases {
        let inputs = Inputs { sources: vec!["untitled.asm".to_owned()], ..Inputs::default() };
        let mut stage = Stage::new(inputs, MemoryFiles::default().with("untitled.asm", &text));
        let mut app = App::new(None, &text, Settings::default(), Theme::default());
        let effects = app.first_effects();
        stage.carry_out(&mut app, effects);
        frame(&mut app, &mut stage, Message::Resized(160, 50));
        let code = |sign: char| match sign {
            '\u{2190}' => KeyCode::Left,
            '\u{2191}' => KeyCode::Up,
            '\u{2192}' => KeyCode::Right,
            '\u{2193}' => KeyCode::Down,
            '\u{8}' => KeyCode::Backspace,
            sign => KeyCode::Char(sign),
        };
        let type_in = |app: &mut App, stage: &mut Stage, text: &str| {
            text.chars().for_each(|sign| {
                frame(app, stage, key(if sign == '\n' { KeyCode::Enter } else { KeyCode::Char(sign) }));
            });
        };
        if name.contains("stops") {
            for line in 0..200 {
                type_in(&mut app, &mut stage, &format!("l{}\nb", line * 25 + 3));
            }
            type_in(&mut app, &mut stage, "l40\n");
        }
        for watch in watches {
            type_in(&mut app, &mut stage, &format!("v{watch}\n"));
        }
        type_in(&mut app, &mut stage, before);
        frame(&mut app, &mut stage, key(KeyCode::End));
        let mut took: Vec<f64> = (0..200)
            .map(|nth| {
                let pressed = key(code(pressed[nth % pressed.len()]));
                seconds(|| {
                    // What is to be assembled is taken by another thread.
                    update(&mut app, pressed);
                    stage.show(&app);
                }) * 1e3
            })
            .collect();
        took.sort_by(f64::total_cmp);
        println!("  {name:<42} {:>8.2} {:>8.2}", took[100], took[199]);
    }
}

/// A word that has this program end at once: a process that does nothing, as a reference.
const NOTHING: &str = "do nothing";

/// Starting: a whole process that runs a small program and ends, beside one that does nothing and one that only reads its
/// command line; and what making a machine, and a copy of one that ran, cost.
fn starting() {
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("small.asm");
    std::fs::write(&path, "start: mov r0, text\n sys put_text\n mov r0, 0\n sys exit\ntext: .asciz \"on\\n\"\n")
        .expect("it is written");
    let own = std::env::current_exe().expect("it has a place");
    let run = |program: &Path, arguments: &[&std::ffi::OsStr]| {
        let mut command = std::process::Command::new(program);
        command.args(arguments).stdout(std::process::Stdio::null());
        seconds(|| assert!(command.status().is_ok_and(|status| status.success()), "it ends well"))
    };
    let wendax = Path::new(env!("CARGO_BIN_EXE_wendax"));
    let (mut nothing, mut line, mut small) = (Vec::new(), Vec::new(), Vec::new());
    for _ in 0..99 {
        nothing.push(run(&own, &[NOTHING.as_ref()]));
        line.push(run(wendax, &["--version".as_ref()]));
        small.push(run(wendax, &["run".as_ref(), path.as_os_str()]));
    }
    let [nothing, line, small] = [nothing, line, small].map(middle);
    println!(
        "a small program is run in {:.1} ms, {:.1} times a process that does nothing, {:.1} times one that tells its version",
        1e3 * small,
        small / nothing,
        small / line
    );
    let image = image(SORT);
    let made = median(|| drop(black_box(Machine::new(&image, Settings::default()))));
    let mut ran = Machine::new(&image, Settings::default());
    ran.run(Run::until(StepNo(100_000)));
    let copied = median(|| drop(black_box(ran.clone())));
    println!("a machine is made and dropped in {:.1} µs, a copy of one that ran in {:.1} µs", 1e6 * made, 1e6 * copied);
}

/// Trials: a thousand rows of ten thousand steps on one thread, beside the machine alone doing those steps; and what one run of
/// a routine costs that does next to nothing.
fn trials() {
    let text = "start: sys get_int\n mov r6, r0\n mov r1, 2500\nround: add r6, r1\n xor r6, 3\n inc r7\n djnz r1, round\n \
        mov r0, r6\n sys put_int\n clr r0\n sys exit\nquick: add r0, r1\n ret\n.data\nlist: .space 8\n";
    let (sources, file) = Sources::single("p.asm", text);
    let assembly = assemble(&sources, file);
    let rows = (0..1000).map(|row| format!("[[row]]\nname = \"{row}\"\ntyped = \"{row}\\n\"\nstatus = 0\n"));
    let quick = "[[row]]\nname = \"quick\"\ncall = \"quick\"\nwith = [\"{a}\", 1]\nvary = { a = \"1..1000\" }\nreturns = \"{a} + 1\"\n";
    let trials = |table: &str| {
        let table = Table::read(table).expect("it is one");
        let own = Some(Subject::new(assembly.image.clone(), sources.clone()));
        Trials::new(table, Programs { own, ..Programs::default() }).expect("there are no rules")
    };
    let (rows, quick) = (trials(&rows.collect::<Vec<_>>().concat()), trials(quick));
    let over = std::sync::atomic::AtomicBool::new(false);
    let run = |trials: &Trials| {
        let report = trials.run(How { threads: 1, now: &|| 0, is_over: &over }, &|_| {});
        assert_eq!(report.expect("nobody ends it").failed(), 0);
    };
    let (mut alone, mut tried, mut called) = (Vec::new(), Vec::new(), Vec::new());
    let image = assembly.image.clone();
    for _ in 0..9 {
        alone.push(seconds(|| {
            for _ in 0..1000 {
                let mut machine = Machine::new(&image, Settings::default());
                machine.feed(&wendax_machine::Event::Typed(b"5\n".to_vec()));
                black_box(machine.run(Run::until(StepNo::LAST)));
            }
        }));
        tried.push(seconds(|| run(&rows)));
        called.push(seconds(|| run(&quick)));
    }
    let [alone, tried, called] = [alone, tried, called].map(middle);
    println!(
        "1,000 rows of 10,000 steps take {:.0} ms on one thread, {:.1} times machines alone; a run of a small routine {:.0} µs",
        1e3 * tried,
        tried / alone,
        1e3 * called
    );
}

fn main() {
    // The measurements have names: those that the first argument is part of are made, or all.
    let wanted = std::env::args().nth(1).filter(|word| !word.starts_with('-')).unwrap_or_default();
    if wanted == NOTHING {
        return;
    }
    let all: [(&str, fn()); 19] = [
        ("starting", starting),
        ("trials", trials),
        ("machines", machines),
        ("measuring", measuring),
        ("costs", costs),
        ("longest", longest),
        ("devices", devices),
        ("trails", trails),
        ("stories", stories),
        ("stops", stops),
        ("linking", linking),
        ("report", report),
        ("looking", looking),
        ("bounds", bounds),
        ("ten billion", ten_billion),
        ("keys", keys),
        ("in a terminal", in_a_terminal),
        ("assembling", assembling),
        ("frames", frames),
    ];
    for (_, measure) in all.iter().filter(|(name, _)| name.contains(&wanted)) {
        measure();
    }
}
