//! One run, whatever is asked of it: trail, stops both ways, counts, tally, passages, levels and saved events of random
//! programs for either machine with interrupts, polling, files and typed, moved and given input agree with a plain recorder. It takes single
//! steps of a machine and feeds it by itself; of the session it shares nothing.

use proptest::prelude::*;
use std::collections::BTreeMap;
use std::ops::ControlFlow;
use std::sync::Arc;
use wendax_isa::{Target, rv32, w16};
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

/// The same for RV32; `a{d}` are registers, `{p}` is a register that takes an address.
const LINES_RV32: [&str; 49] = [
    "li a{d}, {n}",
    "add a{d}, a{d}, a{s}",
    "addi a{d}, a{d}, -{n}",
    "mv a{d}, zero",
    "addi a{d}, a{d}, -1",
    "sltu a{d}, a{d}, a{s}",
    "divu a{d}, a{d}, a{s}",
    "mulh a{d}, a{d}, a{s}",
    "beqz a{d}, l{l}",
    "bltu a{d}, a{s}, l{l}",
    "addi a{d}, a{d}, -1\n bnez a{d}, l{l}",
    "addi a{d}, a{d}, -1\n bnez a{d}, l{l}",
    "jal l{l}",
    "call l{l}",
    "beqz ra, w{i}\n ret\nw{i}: nop",
    "addi sp, sp, -16\n sw ra, 12(sp)",
    "lw ra, 12(sp)\n addi sp, sp, 16",
    "lw a{d}, {m}",
    "sw a{s}, {m}, t1",
    "sb a{s}, {m}, t1",
    "lh a{d}, {m}",
    "sw a{d}, l{l}, t1",
    "csrsi mstatus, 8",
    "csrci mstatus, 8",
    "ebreak",
    "csrr a{d}, mcause",
    "csrrw a{d}, mscratch, a{s}",
    "csrw mtvec, zero",
    "rdcycle a{d}",
    // Devices of every kind, and waits for each.
    "lw a{d}, {n} / 4 * 4 - 512(zero)",
    "lw a{d}, -480(zero)",
    "lw a{d}, -476(zero)",
    "lw a{d}, -440(zero)",
    "lw a{d}, -412(zero)",
    "sw a{s}, {n} / 4 * 4 - 512(zero)",
    "sw a{s}, -448(zero)",
    "sw a{s}, -416(zero)",
    "li a5, 3\n sw a5, -440(zero)",
    "li a5, 7\n sw a5, -440(zero)",
    "w{i}: lw a2, -440(zero)\n andi a2, a2, 4\n beqz a2, w{i}\n li a2, 5\n sw a2, -440(zero)",
    "w{i}: lw a2, -480(zero)\n andi a2, a2, 1\n beqz a2, w{i}",
    "w{i}: lw a2, -412(zero)\n andi a2, a2, 1\n beqz a2, w{i}",
    "lw a2, -384(zero)\n addi a2, a2, {n}\n sw a2, -376(zero)\n sw zero, -372(zero)",
    "wfi",
    "sys get_char",
    "sys get_int",
    "la a0, path\n li a1, {n} % 3\n sys file_open",
    "li a0, 1\n la a1, data\n li a2, 6\n sys file_read",
    "li a0, 1\n la a1, data\n li a2, 6\n sys file_write",
];

/// What the recorder has to know of a machine.
struct Side {
    target: &'static Target,
    lines: &'static [&'static str],
    /// The number of the register that is `r0` or `a0`.
    first: u8,
    console_state: u32,
    console_data: u32,
    lamps: u32,
    levers: u32,
    /// What the entry of a trap costs.
    entry: u64,
    /// Interrupts are allowed.
    allows: fn(&Machine) -> bool,
    /// The mnemonics of what stands at an address.
    names: fn(&Machine, Addr) -> Vec<&'static str>,
    /// The mnemonics of a code.
    code: fn([u32; 2]) -> Vec<&'static str>,
    /// A program whose lines are those.
    text: fn(&[Line], u16, u16) -> String,
}

static SIDES: [Side; 2] = [
    Side {
        target: &w16::TARGET,
        lines: &LINES,
        first: 0,
        console_state: 0xFF10,
        console_data: 0xFF12,
        lamps: 0xFF30,
        levers: 0xFF32,
        entry: w16::TRAP_CYCLES,
        allows: |machine| machine.flags() & u32::from(w16::I) != 0,
        names: |machine, at| {
            let words = [at.0, at.0 + 2 & 0xFFFF].map(|at| u16::try_from(machine.word(Addr(at))).expect("a word"));
            w16::decode(words[0], words[1]).map_or(Vec::new(), |insn| insn.names().collect())
        },
        code: |code| {
            let [first, second] = code.map(|word| u16::try_from(word).expect("a word"));
            w16::decode(first, second).map_or(Vec::new(), |insn| insn.names().collect())
        },
        text: text_w16,
    },
    Side {
        target: &rv32::TARGET,
        lines: &LINES_RV32,
        first: 10,
        console_state: 0xFFFF_FE20,
        console_data: 0xFFFF_FE24,
        lamps: 0xFFFF_FE60,
        levers: 0xFFFF_FE64,
        entry: 4,
        // MIE of mstatus.
        allows: |machine| machine.control(0x300).is_some_and(|status| status & 8 != 0),
        names: |machine, at| rv32::decode(machine.word(at)).map_or(Vec::new(), rv32::names),
        code: |code| rv32::decode(code[0]).map_or(Vec::new(), rv32::names),
        text: text_rv32,
    },
];

/// Stops by the words they are known by here, which are those for W16; those for RV32 where they are others.
const STOPS: [(&str, &str); 24] = [
    ("l1", ""),
    ("l2 if r2 < 4", "l2 if a2 < 4"),
    ("handler", ""),
    ("in l1 to l3", ""),
    ("op ldw", "op lw"),
    ("op clr", "op mv"),
    ("op dec if Z", "op addi if a1 == 0"),
    ("op jnz", "op bnez"),
    ("change r2", "change a2"),
    ("write r5", "write a5"),
    ("change data", ""),
    ("write lamps", ""),
    ("change levers", ""),
    ("change console_state", ""),
    ("change console_data", ""),
    ("when [levers] & 1", ""),
    ("when [console_state] & 1", ""),
    ("when r2 == 3 && (r2 == 3 || 1 / 0)", "when a2 == 3 && (a2 == 3 || 1 / 0)"),
    ("interrupt", ""),
    ("trap", ""),
    ("call", ""),
    ("read console_data", ""),
    ("enter l3", ""),
    ("enter handler", ""),
];

type Line = (usize, u8, u8, u16, usize);

/// What comes from outside: at a step, levers or something typed.
#[derive(Debug, Clone)]
enum Act {
    Levers(u32),
    Type(String),
    End,
}

/// The lines of a program, each with a label.
fn labelled(side: &Side, lines: &[Line]) -> String {
    let count = lines.len();
    let mut text = String::new();
    for (index, &(line, d, s, n, l)) in lines.iter().enumerate() {
        let line = side.lines[line % side.lines.len()].replace("{d}", &d.to_string()).replace("{s}", &s.to_string());
        let place = format!("data + {}", side.target.word_bytes() * u32::try_from(l % 4).expect("small"));
        let line = line.replace("{n}", &n.to_string()).replace("{m}", &place);
        let line = line.replace("{i}", &index.to_string());
        text.push_str(&format!("l{index}: {}\n", line.replace("{l}", &(l % count).to_string())));
    }
    text
}

fn text_rv32(lines: &[Line], handled: u16, period: u16) -> String {
    let mut text = ".target rv32\n.text\n_start: ".to_owned();
    // Faults and calls are handled, one by one or at one place; or the host serves calls and a fault ends the run.
    match handled % 4 {
        0 => {}
        1 => text.push_str("la a0, vectors + 1\ncsrw mtvec, a0\n"),
        _ => text.push_str("la a0, handler\ncsrw mtvec, a0\n"),
    }
    text.push_str(&format!("li a0, {period}\nsw a0, -444(zero)\nli a0, 3\nsw a0, -440(zero)\nli a0, 2\n"));
    text.push_str(
        "sw a0, -480(zero)\nli a0, 0x5555\nsw a0, -408(zero)\nli a0, 0x7000080\ncsrw mie, a0\ncsrsi mstatus, 8\n",
    );
    text.push_str(&labelled(&SIDES[1], lines));
    text.push_str(
        "j l0\n.balign 4\nvectors: .repeat 27\nj handler\n.endrepeat\nhandler: csrw mscratch, t0\naddi a3, a3, 1\n",
    );
    text.push_str("csrr t0, mcause\nbltz t0, outside\ncsrr t0, mepc\naddi t0, t0, 4\ncsrw mepc, t0\nj done\n");
    text.push_str(
        "outside: lw t0, -476(zero)\nlw t0, -412(zero)\nli t0, -1\nsw t0, -372(zero)\nli t0, 7\nsw t0, -440(zero)\n",
    );
    text.push_str("done: csrr t0, mscratch\nmret\n.data\ndata: .space 16\npath: .asciz \"one\"\n");
    text
}

fn text_w16(lines: &[Line], handled: u16, period: u16) -> String {
    let mut text = ".code\nstart: mov r0, handler\n".to_owned();
    for trap in (1..11).filter(|trap| handled >> trap & 1 != 0) {
        text.push_str(&format!("stw [{}], r0\n", 2 * trap));
    }
    text.push_str(&format!("mov r0, {period}\nstw [0xFF22], r0\nmov r0, 3\nstw [0xFF24], r0\nmov r0, 16\n"));
    text.push_str("stw [0xFF10], r0\nmov r0, 0x5555\nstw [0xFF34], r0\nei\n");
    text.push_str(&labelled(&SIDES[0], lines));
    text.push_str("jmp l0\nhandler: push r1\ninc r3\nldw r1, [0xFF12]\nmov r1, 7\nstw [0xFF24], r1\npop r1\nreti\n");
    text.push_str(".data\ndata: .space 8\npath: .asciz \"one\"\n");
    text
}

/// A program as it is assembled, or as raw bytes that may all be written.
fn program(
    side: &Side,
    lines: &[Line],
    (handled, period, is_raw): (u16, u16, bool),
) -> (wendax_image::Image, wendax_source::Sources) {
    let text = (side.text)(lines, handled, period);
    let (sources, file) = wendax_source::Sources::single("random.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let mut image = assembly.image;
    if is_raw {
        let (start, bytes) = wendax_image::to_raw(&image).expect("it lies close");
        let raw = wendax_image::from_raw(side.target, &bytes, start).expect("it fits");
        image = wendax_image::Image { symbols: image.symbols, ..raw };
    }
    (image, sources)
}

fn words_of(side: &Side, index: usize) -> &'static str {
    let (words, other) = STOPS[index];
    if side.first == 0 || other.is_empty() { words } else { other }
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
    std::env::var("WENDAX_PROGRAMS").ok().and_then(|cases| cases.parse().ok()).unwrap_or(60)
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
    fn arrives(&self, side: &Side) -> Option<u32> {
        let asks = self.left.interrupts().iter().any(|one| one.asks && one.handler.is_some());
        let is_first = (side.allows)(&self.left) && asks;
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
fn met(side: &Side, words: &str, records: &[Record], place: impl Fn(&str) -> u32) -> Vec<(u64, u64)> {
    let word = |machine: &Machine, at: u32| machine.word(Addr(at));
    let r = |machine: &Machine, register: u8| machine.register(Reg(side.first + register));
    let value = |machine: &Machine| match words {
        "when [levers] & 1" => word(machine, side.levers) & 1 != 0,
        "when [console_state] & 1" => word(machine, side.console_state) & 1 != 0,
        _ => r(machine, 2) == 3,
    };
    let names = |machine: &Machine| (side.names)(machine, machine.pc());
    // The words for the other machine, where they are others.
    let asked = STOPS.iter().find(|(known, _)| *known == words).map_or("", |(_, asked)| *asked);
    let is_op = |machine: &Machine, asked: &str| names(machine).contains(&&asked[3..]);
    let op = if side.first == 0 { words } else { asked };
    let data_end = side.console_data + side.target.word_bytes();
    let mut found = Vec::new();
    for (moment, record) in (0u64..).zip(records) {
        let before = moment.checked_sub(1).map(|at| &records[usize::try_from(at).expect("small")]);
        let arrives = |at: u32| record.arrives(side) == Some(at);
        let here = &record.seen;
        let by_place = match words {
            "l1" => arrives(place("l1")),
            "l2 if r2 < 4" => arrives(place("l2")) && r(here, 2) < 4,
            "handler" => arrives(place("handler")),
            "in l1 to l3" => record.arrives(side).is_some_and(|at| (place("l1")..place("l3 end")).contains(&at)),
            "op ldw" | "op clr" | "op jnz" => record.arrives(side).is_some() && is_op(here, op),
            "op dec if Z" if side.first == 0 => {
                record.arrives(side).is_some() && is_op(here, "op dec") && here.flags() & 2 != 0
            }
            "op dec if Z" => record.arrives(side).is_some() && is_op(here, "op addi") && r(here, 1) == 0,
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
                Write::Register { register, old, new, .. } if register.0 == side.first + wanted => Some(old != new),
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
            "write lamps" => before.wrote(side.lamps, side.lamps + side.target.word_bytes()).is_some(),
            "change console_state" => {
                came(side.console_state) || before.wrote(side.console_state, side.console_data) == Some(true)
            }
            "change console_data" => came(side.console_data) || before.wrote(side.console_data, data_end) == Some(true),
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
            "read console_data" => report.reads.iter().any(|(at, length)| {
                at.0 < data_end && u64::from(at.0) + u64::from(*length) > u64::from(side.console_data)
            }),
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
        is_rv32 in any::<bool>(),
        lines in proptest::collection::vec((0..LINES_RV32.len(), 0u8..6, 0u8..6, 0u16..64, 0usize..60), 4..24),
        handled in any::<u16>(),
        period in 5u16..90,
        is_raw in any::<bool>(),
        acts in acts(),
        asked in proptest::collection::vec("[0-9a-z]{0,5}\n", 0..4),
        chosen in proptest::collection::vec(0..STOPS.len(), 2..5),
        budget in prop_oneof![Just(3u64), 20u64..90, Just(100_000)],
    ) {
        let side = &SIDES[usize::from(is_rv32)];
        let (image, sources) = program(side, &lines, (handled, period, is_raw));
        let place = |name: &str| {
            let at = image.symbol(name.trim_end_matches(" end")).and_then(wendax_image::Symbol::address).expect("a label");
            let line = image.line_at(at).map_or(side.target.code_align, |line| line.length);
            at.0 + if name.ends_with(" end") { line } else { 0 }
        };
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
                    let told = format!(">{}", side.target.hex(*new));
                    prop_assert!(did.split(' ').any(|word| word.ends_with(&told)) && did.contains(name), "{}", line);
                }
            }
            let text = row["instruction"].as_str().expect("a text");
            let names = if report.length > 0 { (side.code)(report.code) } else { Vec::new() };
            let told = text.split(' ').next().unwrap_or_default();
            // What may be written otherwise is told as it was written.
            let mut pieces = rv32::forms::forms_of(told).iter().flat_map(|form| &form.ways).flat_map(|way| &way.pieces);
            // A fence that has no name is a word.
            let is_way = side.first > 0 && told == ".word" && names == ["fence"] || side.first > 0 && pieces.any(|piece| names.contains(&piece.op.row().name));
            prop_assert!(names.is_empty() || names.contains(&told) || is_way, "{} is not {:?}", text, names);
        }
        prop_assert_eq!(trail.lines().count() as u64, end);

        // Stops: forwards, backwards, counted, in the trail.
        let stops: Vec<StopAt> = chosen.iter().map(|&index| read(&session, words_of(side, index))).collect();
        let wanted: Vec<Vec<(u64, u64)>> =
            chosen.iter().map(|&index| met(side, STOPS[index].0, &records, place)).collect();
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
            let own = if matches!(report.kind, StepKind::Trap(_)) { side.entry } else { 0 };
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
            let arrives = record.arrives(side);
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
        let own = if side.first == 0 { ["r2", "Z"] } else { ["a2", "t0"] };
        let things = [own[0], own[1], "lamps", "levers", "data", "console_state"].map(str::to_owned);
        // A level is a number of 64 bits at most.
        let size = 8_u32;
        for thing in things.iter().filter(|thing| side.first == 0 || *thing != "data") {
            let mut levels = Levels::read(&session, std::slice::from_ref(thing)).expect("a thing");
            while !levels.work(&session, budget) {}
            let value = |machine: &Machine| match thing.as_str() {
                "r2" | "a2" => u64::from(machine.register(Reg(side.first + 2))),
                "t0" => u64::from(machine.register(Reg(5))),
                "Z" => u64::from(machine.flags() >> 1 & 1),
                "data" => (0..size).map(|at| u64::from(machine.byte(Addr(place("data") + at))) << (8 * at)).sum(),
                "lamps" => machine.word(Addr(side.lamps)).into(),
                "levers" => machine.word(Addr(side.levers)).into(),
                _ => machine.word(Addr(side.console_state)).into(),
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
        let (image, sources) = program(side, &lines, (handled, period, is_raw));
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
