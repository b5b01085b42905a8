//! `wendax run`: a program with console on standard input and output.

use crate::cli::Run;
use crate::{Failure, files, program};
use serde::Serialize;
use std::collections::BTreeMap;
use std::io::{BufRead, Write};
use std::path::Path;
use std::time::{Duration, Instant};
use wendax_machine::{Event, Need, Settings};
use wendax_session::{Command, Progress, Session, State};

/// Steps between two writes of output.
const SLICE: u64 = 2_000_000;

/// The state at the end, as written by `--state`.
#[derive(Debug, Serialize)]
struct Report {
    stop: StopReport,
    steps: u64,
    cycles: u64,
    pc: u32,
    registers: BTreeMap<&'static str, u32>,
    flags: BTreeMap<char, u32>,
}

#[derive(Debug, Serialize)]
struct StopReport {
    kind: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    status: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    trap: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    address: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<u32>,
}

pub(crate) fn run(options: &Run) -> Result<u8, Failure> {
    let path = program::here(options.file.as_deref())?;
    let program = program::load(path, options.at)?;
    let manifest = program.project.as_ref().map(|project| project.manifest.clone()).unwrap_or_default();
    let arguments = if options.arguments.is_empty() { &manifest.arguments } else { &options.arguments };
    let settings = Settings {
        arguments: arguments.iter().map(|argument| argument.clone().into_bytes()).collect(),
        seed: options.seed.or(manifest.seed).unwrap_or(0),
    };
    let typed = match (&options.input, &manifest.input) {
        (Some(path), _) if path.as_os_str() == "-" => Typed::Standard,
        (Some(path), _) => Typed::Given(files::read(path)?),
        (None, Some(text)) => Typed::Given(text.clone().into_bytes()),
        (None, None) => Typed::Standard,
    };
    let most_output = manifest.limits.output.unwrap_or(u64::MAX);
    let mut console = Console { started: Instant::now(), printed: 0, typed, most_output };
    let steps = options.steps.or(manifest.limits.steps);
    let mut session = Session::new(program.image().clone(), settings);
    session.begin(steps.map_or(Command::Go, Command::Seek));
    let state = console.drive(&mut session)?;
    let report = report(&session, &state);
    if let Some(path) = &options.state {
        let json = serde_json::to_string_pretty(&report).map_err(|error| Failure::usage(error.to_string()))?;
        files::write_to(path, format!("{json}\n").as_bytes())?;
    }
    Ok(tell(&session, &program, path, &state, &report))
}

/// Where typed input comes from.
enum Typed {
    Standard,
    /// Bytes not typed yet.
    Given(Vec<u8>),
}

/// The world outside a run.
struct Console {
    started: Instant,
    printed: u64,
    typed: Typed,
    /// Bytes that may be printed.
    most_output: u64,
}

impl Console {
    fn drive(&mut self, session: &mut Session) -> Result<State, Failure> {
        loop {
            let progress = session.work(SLICE);
            self.print(session)?;
            if self.printed > self.most_output {
                session.pause();
                return Ok(session.state().clone());
            }
            match progress {
                Progress::Working => {}
                Progress::Asks(Need::Wait(milliseconds)) => {
                    std::thread::sleep(Duration::from_millis(milliseconds.into()));
                    session.answer(Event::Waited);
                }
                Progress::Asks(Need::Clock | Need::Input) => {
                    let elapsed = self.started.elapsed().as_millis() & 0xFFFF;
                    session.answer(Event::Clock(u32::try_from(elapsed).unwrap_or(0)));
                }
                Progress::Arrived if *session.state() == State::Waiting => match &mut self.typed {
                    Typed::Standard => read_line(session)?,
                    Typed::Given(bytes) if bytes.is_empty() => session.end_input(),
                    Typed::Given(bytes) => session.type_input(&std::mem::take(bytes)),
                },
                Progress::Arrived => return Ok(session.state().clone()),
            }
        }
    }

    /// Writes what was printed since the last time.
    fn print(&mut self, session: &Session) -> Result<(), Failure> {
        if session.machine().printed() == self.printed {
            return Ok(());
        }
        let fresh = session.printed_since(self.printed);
        self.printed = session.machine().printed();
        let mut out = std::io::stdout().lock();
        out.write_all(fresh).and_then(|()| out.flush()).map_err(|error| Failure {
            text: if error.kind() == std::io::ErrorKind::BrokenPipe {
                String::new()
            } else {
                format!("standard output: {error}")
            },
            status: 1,
        })
    }
}

fn read_line(session: &mut Session) -> Result<(), Failure> {
    let mut line = Vec::new();
    let count = std::io::stdin()
        .lock()
        .read_until(b'\n', &mut line)
        .map_err(|error| Failure::usage(format!("standard input: {error}")))?;
    if count == 0 {
        session.end_input();
    } else {
        session.type_input(&line);
    }
    Ok(())
}

fn report(session: &Session, state: &State) -> Report {
    let machine = session.machine();
    let target = machine.target();
    let pc = machine.pc();
    let line = session.image().line_at(pc).map(|line| line.line);
    let plain = |kind| StopReport { kind, status: None, trap: None, address: Some(pc), line };
    let stop = match state {
        State::Finished(status) => StopReport { status: Some(*status), address: None, line: None, ..plain("finished") },
        State::Fault(fault) => StopReport {
            trap: Some(fault.kind.trap()),
            address: Some(fault.kind.address().unwrap_or(pc)),
            ..plain("fault")
        },
        State::Circling => plain("circling"),
        State::Waiting => plain("waiting"),
        State::Paused(wendax_session::Why::Brk | wendax_session::Why::Breakpoint) => plain("paused"),
        State::Ready | State::Running | State::Paused(_) => plain("steps"),
    };
    Report {
        stop,
        steps: machine.steps(),
        cycles: machine.cycles(),
        pc,
        registers: target
            .registers
            .iter()
            .enumerate()
            .map(|(index, info)| (info.name, machine.register(index)))
            .collect(),
        flags: target.flags.iter().map(|flag| (flag.name, u32::from(machine.flags() & flag.bit != 0))).collect(),
    }
}

/// Says on standard error how the run ended, unless it ended by itself; returns the exit status.
fn tell(session: &Session, program: &program::Program, path: &Path, state: &State, report: &Report) -> u8 {
    let image = session.image();
    let line = image.line_at(report.pc);
    let file =
        line.and_then(|line| program.assembly.sources.get(line.span.file)).filter(|file| !file.name().is_empty());
    let name = file.map_or_else(|| path.display().to_string(), |file| file.name().to_owned());
    let place = match (report.stop.line, image.nearest_label(report.pc)) {
        (Some(line), Some((symbol, offset))) => format!("{name}:{line}: at {} + {offset}", symbol.name),
        (Some(line), None) => format!("{name}:{line}"),
        (None, _) => format!("{name}: at {:04X}", report.pc),
    };
    let (text, status) = match state {
        State::Finished(status) => return status.to_le_bytes()[0],
        State::Fault(fault) => (format!("fault, trap {}: {}", fault.kind.trap(), fault.kind), 4),
        State::Circling => ("circling: this jumps to itself for ever".to_owned(), 4),
        State::Paused(wendax_session::Why::Brk) => ("stopped by a brk".to_owned(), 5),
        _ => (format!("stopped after {} steps, before its end", report.steps), 5),
    };
    let _ = writeln!(std::io::stderr(), "{place}: {text}");
    status
}
