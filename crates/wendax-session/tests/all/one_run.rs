//! One run, whatever is asked of it: trail, stops both ways, counts, tally, passages, levels and saved events of random
//! programs with interrupts, polling, files and typed, moved and given input agree with a plain recorder. It takes single
//! steps of a machine and feeds it by itself; of the session it shares nothing.

use proptest::prelude::*;
use std::collections::BTreeMap;
use std::ops::ControlFlow;
use std::sync::Arc;
use wendax_isa::w16::{I, TRAP_CYCLES, decode};
use wendax_machine::{
    Addr, Clock, Event, Found, Machine, Need, Observer, Reg, Report, Run, Settings, StepKind, StepNo, Stop, Watchful,
    Write,
};
use wendax_session::{
    Command, Filtered, Levels, Measuring, Names, Progress, Saving, Script, Session, Spans, State, StopAt, StopId,
    TrailForm, TrailText,
};

/// Steps that are looked at.
const STEPS: u64 = 700;

/// Lines of programs: `{d}` `{s}` registers, `{n}` a number, `{l}` a label, `{m}` a place in data, `{i}` the line itself.
const LINES: [&str; 43] = [
    "mov r{d}, {n}",
    "add r{d}, r{s}",
    "sub r{d}, {n}",
    "clr r{d}",
    "dec r{d}",
    "cmp r{d}, r{s}",
    "div r{d}, r{s}",
    "jz l{l}",
    "jltu l{l}",
    "djnz r{d}, l{l}",
    "djnz r{d}, l{l}",
    "call l{l}",
    "call l{l}",
    "ret",
    "push r{d}",
    "pop r{d}",
    "ldw r{d}, [{m}]",
    "stw [{m}], r{s}",
    "stb [{m}], r{s}",
    "stw [l{l}], r{d}",
    "ei",
    "di",
    "brk",
    // Devices of every kind, and waits for each.
    "ldw r{d}, [0xFF00 + {n} / 2 * 2]",
    "ldw r{d}, [0xFF10]",
    "ldw r{d}, [0xFF12]",
    "ldw r{d}, [0xFF24]",
    "ldw r{d}, [0xFF32]",
    "stw [0xFF00 + {n} / 2 * 2], r{s}",
    "stw [0xFF20], r{s}",
    "stw [0xFF30], r{s}",
    "mov r5, 3\n stw [0xFF24], r5",
    "mov r5, 7\n stw [0xFF24], r5",
    "w{i}: ldw r2, [0xFF24]\n tst r2, 4\n jz w{i}\n mov r2, 5\n stw [0xFF24], r2",
    "w{i}: ldw r2, [0xFF12]\n cmp r2, 'q'\n jnz w{i}",
    "w{i}: ldw r2, [0xFF10]\n tst r2, 1\n jz w{i}",
    "w{i}: ldw r2, [0xFF32]\n tst r2, 1\n jz w{i}",
    "sys get_char",
    "sys get_int",
    "sys put_int",
    "mov r0, path\n mov r1, {n} % 3\n sys file_open",
    "mov r0, 1\n mov r1, data\n mov r2, 6\n sys file_read",
    "mov r0, 1\n mov r1, data\n mov r2, 6\n sys file_write",
];

/// Stops in words, and whether each is a place.
const STOPS: [(&str, bool); 24] = [
    ("l1", true),
    ("l2 if r2 < 4", true),
    ("handler", true),
    ("in l1 to l3", true),
    ("op ldw", true),
    ("op clr", true),
    ("op dec if Z", true),
    ("op jnz", true),
    ("change r2", false),
    ("write r5", false),
    ("change data", false),
    ("write lamps", false),
    ("change levers", false),
    ("change console_state", false),
    ("change console_data", false),
    ("when [levers] & 1", false),
    ("when [console_state] & 1", false),
    ("when r2 == 3 && (r2 == 3 || 1 / 0)", false),
    ("interrupt", false),
    ("trap", false),
    ("call", false),
    ("read console_data", false),
    ("enter l3", false),
    ("enter handler", false),
];

type Line = (usize, u8, u8, u16, usize);

/// What comes from outside: at a step, levers or something typed.
#[derive(Debug, Clone)]
enum Act {
    Levers(u32),
    Type(String),
    End,
}

/// A program as it is assembled, or as raw bytes that may all be written.
fn program(lines: &[Line], handled: u16, period: u16, is_raw: bool) -> (wendax_image::Image, wendax_source::Sources) {
    let count = lines.len();
    let mut text = ".code\nstart: mov r0, handler\n".to_owned();
    for trap in (1..11).filter(|trap| handled >> trap & 1 != 0) {
        text.push_str(&format!("stw [{}], r0\n", 2 * trap));
    }
    text.push_str(&format!("mov r0, {period}\nstw [0xFF22], r0\nmov r0, 3\nstw [0xFF24], r0\nmov r0, 16\n"));
    text.push_str("stw [0xFF10], r0\nmov r0, 0x5555\nstw [0xFF34], r0\nei\n");
    for (index, &(line, d, s, n, l)) in lines.iter().enumerate() {
        let line = LINES[line].replace("{d}", &d.to_string()).replace("{s}", &s.to_string());
        let line = line.replace("{n}", &n.to_string()).replace("{m}", &format!("data + {}", 2 * (l % 4)));
        let line = line.replace("{i}", &index.to_string());
        text.push_str(&format!("l{index}: {}\n", line.replace("{l}", &(l % count).to_string())));
    }
    text.push_str("jmp l0\nhandler: push r1\ninc r3\nldw r1, [0xFF12]\nmov r1, 7\nstw [0xFF24], r1\npop r1\nreti\n");
    text.push_str(".data\ndata: .space 8\npath: .asciz \"one\"\n");
    let (sources, file) = wendax_source::Sources::single("random.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let mut image = assembly.image;
    if is_raw {
        let (start, bytes) = wendax_image::to_raw(&image).expect("it lies close");
        let raw = wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, start).expect("it fits");
        image = wendax_image::Image { symbols: image.symbols, ..raw };
    }
    (image, sources)
}

fn settings() -> Settings {
    let watchful = Watchful::Closely;
    Settings { clock: Clock::Cycles, has_folder: true, seed: 3, watchful, ..Settings::default() }
}

fn found() -> Found {
    Found::Bytes(Arc::new(b"wagons".to_vec()))
}

/// How many programs: some in the suite, as many as one likes for a long look.
#[expect(clippy::disallowed_methods, reason = "a test, not the core: how long it looks is asked from outside")]
fn cases() -> u32 {
    std::env::var("WENDAX_PROGRAMS").ok().and_then(|cases| cases.parse().ok()).unwrap_or(120)
}

// ---- the recorder

/// A step as it was, with the machine at its moment: as people see it, and as it is when all that comes there has come.
struct Record {
    seen: Machine,
    left: Machine,
    report: Option<Report>,
    /// Levers were moved at the moment.
    levers: bool,
}

struct Kept(Option<Report>);

impl Observer for Kept {
    const WRITES: bool = true;
    const READS: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        self.0 = Some(report.clone());
        ControlFlow::Continue(())
    }
}

/// Takes single steps up to a moment, or the program's end.
fn record(machine: Machine, acts: &[(u64, Act)], asked: &[String], until: u64) -> Vec<Record> {
    let mut machine = machine;
    let mut records = Vec::new();
    let (mut acts, mut asked) = (acts.iter().peekable(), asked.iter());
    loop {
        let now = machine.steps();
        let mut typed = Vec::new();
        let mut levers = false;
        while let Some((_, act)) = acts.next_if(|(step, _)| StepNo(*step) <= now) {
            match act {
                Act::Levers(value) => {
                    levers |= u32::from(machine.board().levers) != *value;
                    machine.feed(&Event::Levers(*value));
                }
                Act::Type(_) if machine.input_ended() || typed.contains(&Event::InputEnds) => {}
                Act::Type(text) => typed.push(Event::Typed(text.clone().into_bytes())),
                Act::End => typed.push(Event::InputEnds),
            }
        }
        let seen = machine.clone();
        for event in &typed {
            machine.feed(event);
        }
        let mut left = machine.clone();
        let mut kept = Kept(None);
        if now.0 < until {
            loop {
                match machine.run_observed(Run::until(now + 1), &mut kept) {
                    Stop::Needs(Need::Input) => {
                        let next = asked.next().filter(|_| !machine.input_ended());
                        machine.feed(&next.map_or(Event::InputEnds, |text| Event::Typed(text.clone().into_bytes())));
                    }
                    Stop::Needs(Need::File) => {
                        let path = machine.wanted_file().expect("it asks for one");
                        machine.feed(&Event::File(path, found()));
                    }
                    _ => break,
                }
                left = machine.clone();
            }
        }
        let is_over = kept.0.is_none();
        records.push(Record { seen, left, report: kept.0, levers });
        if is_over {
            return records;
        }
        machine.take_output();
    }
}

impl Record {
    /// The instruction that arrives: next, and no interrupt before it.
    fn arrives(&self) -> Option<u32> {
        let asks = self.left.interrupts().iter().any(|one| one.asks && one.handler.is_some());
        let is_first = self.left.flags() & u32::from(I) != 0 && asks;
        (self.seen.finished().is_none() && !is_first).then_some(self.left.pc().0)
    }

    /// A step wrote cells, and whether they became others.
    fn wrote(&self, from: u32, to: u32) -> Option<bool> {
        let report = self.report.as_ref()?;
        let mut wrote = None;
        for write in &report.writes {
            let changed = match *write {
                Write::Memory { address, length, old, new, .. } => {
                    let byte = |value: u32, at: u32| value >> (8 * at) & 0xFF;
                    let cells: Vec<u32> = (0..length).filter(|at| (from..to).contains(&(address.0 + at))).collect();
                    if cells.is_empty() {
                        continue;
                    }
                    cells.iter().any(|&at| byte(old, at) != byte(new, at))
                }
                Write::Buffer { address, length, .. } if address.0 < to && from < address.0 + length => {
                    let (old, new) = report.buffer();
                    let cell = |at: u32| (at - address.0) as usize;
                    (from.max(address.0)..to.min(address.0 + length)).any(|at| old[cell(at)] != new[cell(at)])
                }
                Write::Device { address, old, new } if (from..to).contains(&address.0) => old != new,
                _ => continue,
            };
            wrote = Some(wrote.unwrap_or(false) || changed);
        }
        wrote
    }
}

/// The moments at which a stop of [`STOPS`] is met, by its words.
fn met(words: &str, records: &[Record], place: impl Fn(&str) -> u32) -> Vec<(u64, u64)> {
    let word = |machine: &Machine, at: u32| machine.word(Addr(at));
    let r = |machine: &Machine, register: u8| machine.register(Reg(register));
    let value = |machine: &Machine| match words {
        "when [levers] & 1" => word(machine, 0xFF32) & 1 != 0,
        "when [console_state] & 1" => word(machine, 0xFF10) & 1 != 0,
        _ => r(machine, 2) == 3,
    };
    let names = |machine: &Machine| -> Vec<&'static str> {
        let at = machine.pc();
        let words = [word(machine, at.0), word(machine, at.0 + 2 & 0xFFFF)];
        let [first, second] = words.map(|word| u16::try_from(word).expect("a word"));
        decode(first, second).map_or(Vec::new(), |insn| insn.names().collect())
    };
    let mut found = Vec::new();
    for (moment, record) in (0u64..).zip(records) {
        let before = moment.checked_sub(1).map(|at| &records[usize::try_from(at).expect("small")]);
        let arrives = |at: u32| record.arrives() == Some(at);
        let here = &record.seen;
        let by_place = match words {
            "l1" => arrives(place("l1")),
            "l2 if r2 < 4" => arrives(place("l2")) && r(here, 2) < 4,
            "handler" => arrives(place("handler")),
            "in l1 to l3" => record.arrives().is_some_and(|at| (place("l1")..place("l3") + 2).contains(&at)),
            "op ldw" | "op clr" | "op jnz" => record.arrives().is_some() && names(here).contains(&&words[3..]),
            "op dec if Z" => record.arrives().is_some() && names(here).contains(&"dec") && here.flags() & 2 != 0,
            _ => false,
        };
        // A lever changes the moment itself.
        let lever = record.levers && matches!(words, "change levers")
            || words.starts_with("when") && record.levers && {
                // What the step before led to, without what came behind it; at the beginning all levers are down.
                let mut machine = record.seen.clone();
                let old = before.map_or(0, |before| before.seen.board().levers);
                machine.feed(&Event::Levers(old.into()));
                !value(&machine) && value(here)
            };
        if by_place || lever {
            found.push((moment, moment));
        }
        let Some((before, report)) = before.and_then(|before| Some((before, before.report.as_ref()?))) else {
            continue;
        };
        let came = |at: u32| report.came.iter().any(|came| came.address.0 == at && !came.is_before);
        let register = |wanted: u8| {
            report.writes.iter().filter_map(move |write| match *write {
                Write::Register { register, old, new, .. } if register.0 == wanted => Some(old != new),
                _ => None,
            })
        };
        // The state behind the step, before levers were moved there.
        let behind = || {
            let mut machine = record.seen.clone();
            if record.levers {
                machine.feed(&Event::Levers(before.seen.board().levers.into()));
            }
            value(&machine)
        };
        let is_met = match words {
            "change r2" => register(2).any(|changed| changed),
            "write r5" => register(5).next().is_some(),
            "change data" => before.wrote(place("data"), place("path")) == Some(true),
            "write lamps" => before.wrote(0xFF30, 0xFF32).is_some(),
            "change console_state" => came(0xFF10) || before.wrote(0xFF10, 0xFF12) == Some(true),
            "change console_data" => came(0xFF12) || before.wrote(0xFF12, 0xFF14) == Some(true),
            "enter l3" | "enter handler" => {
                let entered = before.left.frames().iter().map(|frame| frame.step).max();
                let last = record.seen.frames().last();
                last.is_some_and(|frame| {
                    frame.target.0 == place(&words[6..]) && Some(frame.step) != entered && frame.step == report.step
                })
            }
            "interrupt" => matches!(report.kind, StepKind::Interrupt(_)),
            "trap" => matches!(report.kind, StepKind::Trap(_)),
            "call" => {
                matches!(report.kind, StepKind::Call(_))
                    || matches!(report.kind, StepKind::Trap(_))
                        && before.left.instruction_at(before.left.pc()).is_some_and(|insn| insn.call.is_some())
                        && report.length > 0
            }
            "read console_data" => report.reads.iter().any(|(at, length)| at.0 < 0xFF14 && at.0 + length > 0xFF12),
            words if words.starts_with("when") => {
                let (was, between, is) = (value(&before.seen), value(&before.left), behind());
                !was && between || !between && is
            }
            _ => false,
        };
        if is_met && found.last().map(|found| found.0) != Some(moment) {
            found.push((moment, moment - 1));
        } else if is_met {
            // Met by both: two steps tell of one moment.
            found.push((moment, moment - 1));
        }
    }
    found
}

// ---- the session

fn work(session: &mut Session, budget: u64) {
    for _ in 0..200_000 {
        match session.work(budget) {
            Progress::Working => {}
            Progress::Asks(Need::File) => {
                let path = session.machine().wanted_file().expect("it asks for one");
                session.answer(Event::File(path, found()));
            }
            Progress::Asks(_) => session.answer(Event::Waited),
            Progress::Arrived if *session.state() == State::Waiting => drop(session.end_input()),
            Progress::Arrived => return,
        }
    }
    panic!("never arrives: {:?}", session.state());
}

fn go(session: &mut Session, command: Command, budget: u64) {
    session.begin(command);
    work(session, budget);
}

fn script(acts: &[(u64, Act)], asked: &[String]) -> String {
    let mut text = String::new();
    for (step, act) in acts {
        let what = match act {
            Act::Levers(levers) => format!("\"levers\": {levers}"),
            Act::Type(typed) => format!("\"text\": {}", serde_json::to_string(typed).expect("a text")),
            Act::End => "\"end\": true".to_owned(),
        };
        text.push_str(&format!("{{\"step\": {step}, {what}}}\n"));
    }
    for typed in asked {
        text.push_str(&format!("{{\"asked\": true, \"text\": {}}}\n", serde_json::to_string(typed).expect("a text")));
    }
    text
}

fn read(session: &Session, text: &str) -> StopAt {
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    StopAt::read(text, &names, session.sources()).unwrap_or_else(|error| panic!("{text}: {error}"))
}

fn acts() -> impl Strategy<Value = Vec<(u64, Act)>> {
    let act = prop_oneof![
        3 => (0u32..0x10000).prop_map(Act::Levers),
        3 => "[a-q0-9]{1,6}q?\n?".prop_map(Act::Type),
        1 => "a{60,90}q".prop_map(Act::Type),
        1 => Just(Act::End),
    ];
    let all = proptest::collection::vec((0u64..STEPS, act), 0..7);
    all.prop_map(|mut acts| {
        acts.sort_by_key(|(step, _)| *step);
        // Behind the end a file brings no text; what a program is given is the same without.
        let mut has_ended = false;
        acts.retain(|(_, act)| {
            let stays = !has_ended || matches!(act, Act::Levers(_));
            has_ended |= matches!(act, Act::End);
            stays
        });
        acts
    })
}

/// The first words of each row of a trail: its step.
fn steps_of(text: &str) -> Vec<u64> {
    text.lines().filter_map(|line| line.split_whitespace().next()?.parse().ok()).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(cases()))]

    #[test]
    fn whatever_is_asked_tells_one_run(
        lines in proptest::collection::vec((0..LINES.len(), 0u8..6, 0u8..6, 0u16..64, 0usize..60), 4..24),
        handled in any::<u16>(),
        period in 5u16..90,
        is_raw in any::<bool>(),
        acts in acts(),
        asked in proptest::collection::vec("[0-9a-z]{0,5}\n", 0..4),
        chosen in proptest::collection::vec(0..STOPS.len(), 2..5),
        budget in prop_oneof![Just(3u64), 20u64..90, Just(100_000)],
    ) {
        let (image, sources) = program(&lines, handled, period, is_raw);
        let place = |name: &str| image.symbol(name).and_then(wendax_image::Symbol::address).expect("a label").0;
        let mut session =
            Session::new(image.clone(), settings()).with_sources(sources).stopping_after_steps(StepNo(STEPS));
        let text = script(&acts, &asked);
        session.set_script(Script::read(&text, &session).unwrap_or_else(|error| panic!("{error}\n{text}")));
        let start = session.machine().clone();
        go(&mut session, Command::Seek(StepNo(STEPS)), budget);
        // A `brk` pauses and the walk goes on.
        while matches!(session.state(), State::Paused(_)) && session.now() < StepNo(STEPS) {
            go(&mut session, Command::Seek(StepNo(STEPS)), budget);
        }
        let end = session.end().0;
        let records = record(start, &acts, &asked, end);
        prop_assert_eq!(records.len() as u64, end + 1, "{}\n{:?}", text, session.state());
        let last = records.last().expect("there is a moment");
        prop_assert!(session.machine().same_state(&last.seen), "{:?}", session.state());

        // The trail, every step.
        let trail = TrailText::new(&session, TrailForm::JsonLines, None).follow(&session).to_owned();
        for (line, record) in trail.lines().zip(&records) {
            let row: serde_json::Value = serde_json::from_str(line).expect("a row is JSON");
            let report = record.report.as_ref().expect("a step was taken");
            prop_assert_eq!(row["step"].as_u64(), Some(report.step.0));
            prop_assert_eq!(row["address"].as_u64(), Some(u64::from(report.pc.0)));
            prop_assert_eq!(row["cycles"].as_u64(), Some(report.cycles));
            let did = row["did"].as_str().expect("a text");
            for write in &report.writes {
                if let Write::Register { register, new, .. } = write {
                    let name = session.machine().target().register_name(*register);
                    let told = format!(">{new:04X}");
                    prop_assert!(did.split(' ').any(|word| word.ends_with(&told)) && did.contains(name), "{}", line);
                }
            }
            let [first, second] = report.code.map(|word| u16::try_from(word).expect("a word"));
            let text = row["instruction"].as_str().expect("a text");
            if let Some(insn) = decode(first, second).filter(|_| report.length > 0) {
                let told = text.split(' ').next().unwrap_or_default();
                prop_assert!(insn.names().any(|name| name == told), "{} is not {}", text, insn.row().names[0]);
            }
        }
        prop_assert_eq!(trail.lines().count() as u64, end);

        // Stops: forwards, backwards, counted, in the trail.
        let stops: Vec<StopAt> = chosen.iter().map(|&index| read(&session, STOPS[index].0)).collect();
        let wanted: Vec<Vec<(u64, u64)>> =
            chosen.iter().map(|&index| met(STOPS[index].0, &records, place)).collect();
        let moments = |met: &[(u64, u64)]| {
            let mut moments: Vec<u64> = met.iter().map(|met| met.0).collect();
            moments.dedup();
            moments
        };
        session.set_stops(stops.iter().cloned().zip(0..).map(|(stop, id)| (StopId(id), stop)));
        while !session.count_meetings(budget) {}
        for ((id, stop), wanted) in (0..).zip(&stops).zip(&wanted) {
            let all = moments(wanted);
            let counted = session.met_so_far(StopId(id)).expect("it is a stop");
            prop_assert_eq!((counted.times, counted.last.map(|last| last.0)), (all.len() as u64, all.last().copied()),
                "{:?}\n{:?}", stop, all);
            prop_assert_eq!(session.times_met(stop, StepNo(end / 2)), all.iter().filter(|&&at| at <= end / 2).count() as u64);
            let mut rows: Vec<u64> = wanted.iter().map(|met| met.1).filter(|&row| row < end).collect();
            rows.sort_unstable();
            rows.dedup();
            let mut text = TrailText::new(&session, TrailForm::Text, Some(stop.clone()));
            prop_assert_eq!(steps_of(text.follow(&session)), rows.clone(), "{:?}", stop);
            let mut found = Filtered::new(&session, stop.clone());
            while !found.work(&session, budget) {}
            prop_assert_eq!(found.steps().iter().map(|step| step.0).collect::<Vec<_>>(), rows, "{:?}", stop);
        }
        let mut all: Vec<u64> = wanted.iter().flat_map(|met| moments(met)).collect();
        all.sort_unstable();
        all.dedup();
        let mut back = Vec::new();
        while session.now() > StepNo(0) {
            go(&mut session, Command::GoBack, budget);
            if !session.met().is_empty() {
                back.push(session.now().0);
            }
        }
        back.reverse();
        let inner: Vec<u64> = all.iter().copied().filter(|&at| at < end).collect();
        prop_assert_eq!(&back, &inner, "backwards {:?}", stops);
        let mut on = Vec::new();
        while session.now().0 < end {
            session.begin(Command::Go);
            while session.is_running() && session.now().0 < end {
                session.work(budget.min(40));
            }
            session.pause();
            if !session.met().is_empty() {
                on.push(session.now().0);
            }
            if matches!(session.state(), State::Finished(_) | State::Fault(_) | State::Circling { .. }) {
                break;
            }
        }
        let inner: Vec<u64> = all.iter().copied().filter(|&at| at > 0 && at < end).collect();
        on.retain(|&at| at < end);
        prop_assert_eq!(&on, &inner, "forwards {:?}", stops);
        session.set_stops([]);
        go(&mut session, Command::Seek(StepNo(end)), budget);

        // What it cost.
        let mut measuring = Measuring::all(&session);
        while !measuring.work(&session, budget) {}
        let tally = measuring.tally(&session);
        let mut places: BTreeMap<(u32, [u32; 2]), (u64, u64)> = BTreeMap::new();
        for report in records.iter().filter_map(|record| record.report.as_ref()).filter(|report| report.length > 0) {
            let own = if matches!(report.kind, StepKind::Trap(_)) { TRAP_CYCLES } else { 0 };
            let code = if report.length > 2 { report.code } else { [report.code[0], 0] };
            let place = places.entry((report.pc.0, code)).or_default();
            *place = (place.0 + 1, place.1 + report.cycles - own);
        }
        let mut told: Vec<(u32, u64, u64)> =
            tally.places.iter().map(|place| (place.address.0, place.times, place.cycles)).collect();
        let mut judged: Vec<(u32, u64, u64)> =
            places.iter().map(|((at, _), (times, cycles))| (*at, *times, *cycles)).collect();
        told.sort_unstable();
        judged.sort_unstable();
        prop_assert_eq!(told, judged);
        prop_assert_eq!(tally.cycles, last.seen.cycles(), "{:?} end {} counted to {:?}", session.state(), end, measuring.progress());
        // A line is come to as often as its first instruction arrives and is left by.
        for line in tally.lines.iter().filter(|line| line.text.starts_with('l') && line.text.contains(':')) {
            let label = line.text.split(':').next().expect("a label");
            let at = place(label);
            let left = |record: &&Record| {
                let is_step = record.report.as_ref().is_some_and(|report| !matches!(report.kind, StepKind::Interrupt(_)));
                record.left.pc().0 == at && is_step
            };
            let failed = matches!(session.state(), State::Fault(fault) if fault.pc.0 == at);
            let times = records.iter().filter(left).count() as u64 + u64::from(failed);
            prop_assert_eq!(line.times, times, "{}", line.text);
        }

        // Passages.
        let (from, to) = (place("l1"), place("l2"));
        let mut spans = Spans::read(&session, "l1 to l2").expect("both are labels");
        while !spans.work(&session, budget) {}
        let (mut open, mut passages) = (None, Vec::new());
        for (moment, record) in (0u64..).zip(&records) {
            let arrives = record.arrives();
            if let Some(since) = open.take_if(|_| arrives == Some(to)) {
                passages.push(moment - since);
            }
            if arrives == Some(from) && open.is_none() {
                open = Some(moment);
            }
        }
        let told = spans.told();
        prop_assert_eq!((told.steps.count, told.is_open), (passages.len() as u64, open.is_some()));
        prop_assert_eq!(told.steps.greatest, passages.iter().copied().max().unwrap_or(0));

        // Levels over time.
        let things = ["r2", "Z", "lamps", "levers", "data", "console_state"].map(str::to_owned);
        for thing in &things {
            let mut levels = Levels::read(&session, std::slice::from_ref(thing)).expect("a thing");
            while !levels.work(&session, budget) {}
            let value = |machine: &Machine| match thing.as_str() {
                "r2" => u64::from(machine.register(Reg(2))),
                "Z" => u64::from(machine.flags() >> 1 & 1),
                "data" => (0..8).map(|at| u64::from(machine.byte(Addr(place("data") + at))) << (8 * at)).sum(),
                "lamps" => machine.word(Addr(0xFF30)).into(),
                "levers" => machine.word(Addr(0xFF32)).into(),
                _ => machine.word(Addr(0xFF10)).into(),
            };
            let mut changes: Vec<(u64, u64)> = Vec::new();
            for (moment, record) in (0u64..).zip(&records) {
                let value = value(&record.seen);
                if changes.last().is_none_or(|last| last.1 != value) {
                    changes.push((moment, value));
                }
            }
            let told: Vec<(u64, u64)> = levels.levels()[0].changes.iter().map(|(step, value)| (step.0, *value)).collect();
            prop_assert_eq!(told, changes, "{}", thing);
        }

        // Saved and played again.
        let mut saving = Saving::new(&session).expect("its beginning is kept");
        while !saving.work(&session, budget) {}
        let (image, sources) = program(&lines, handled, period, is_raw);
        let mut again = Session::new(image, settings()).with_sources(sources);
        again.set_script(Script::read(saving.text(), &again).unwrap_or_else(|error| panic!("{error}\n{}", saving.text())));
        while again.now().0 < end && !matches!(again.state(), State::Finished(_) | State::Fault(_) | State::Circling { .. }) {
            go(&mut again, Command::Seek(StepNo(end)), budget);
        }
        let twice = TrailText::new(&again, TrailForm::JsonLines, None).follow(&again).to_owned();
        for (one, other) in trail.lines().zip(twice.lines()) {
            prop_assert_eq!(one, other, "{}", saving.text());
        }
        prop_assert_eq!(twice.len(), trail.len(), "{}", saving.text());
    }
}
