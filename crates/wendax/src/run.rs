//! `wendax run`: a program with console on standard input and output.
//!
//! `world` is what a run meets outside: input, output, time, signals; `orders` is where it stops on the way and what is
//! shown there. This module sets them up and tells the end.

pub(crate) mod orders;
pub(crate) mod world;

use crate::cli::{ClockKind, Conditions, Of, Run};
use crate::folder::Folder;
use crate::out::{tell, tell_rendered};
use crate::program::Program;
use crate::{Failure, cautions, compare, files, out, program, status, tally, tones};
use orders::{Orders, Went};
use serde::ser::SerializeMap;
use serde::{Serialize, Serializer};
use std::io::IsTerminal;
use std::path::Path;
use wendax_machine::{Clock, Settings, StepNo};
use wendax_session::{
    CautionForm, Command, Names, Script, Session, State, StopAt, TallyForm, TrailForm, TrailText, Why, fault_causes,
    interrupt_words, state_words,
};
pub(crate) use world::{End, World};
use world::{Input, Limit};

/// What `--state` says of a program that was never run.
#[derive(Debug, Serialize)]
struct NotRun {
    stop: NotRunStop,
}

#[derive(Debug, Serialize)]
struct NotRunStop {
    kind: &'static str,
    message: String,
}

/// The state at the end, as written by `--state`.
#[derive(Debug, Serialize)]
struct Report {
    /// Which machine it ran on.
    machine: &'static str,
    stop: StopReport,
    /// The exit status that tells how the run ended, 0 where it did by itself: see [`status`].
    tool: u8,
    /// What was asked for and not met, or was not to be met and was.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    wrong: Vec<String>,
    steps: u64,
    cycles: u64,
    pc: u32,
    registers: Ordered<&'static str>,
    flags: Ordered<char>,
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
    file: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<u32>,
}

/// Names with numbers, in their own order; nothing for what was never set.
#[derive(Debug)]
struct Ordered<K>(Vec<(K, Option<u32>)>);

impl<K: Serialize> Serialize for Ordered<K> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(Some(self.0.len()))?;
        for (name, value) in &self.0 {
            map.serialize_entry(name, value)?;
        }
        map.end()
    }
}

pub(crate) fn run(options: &Run) -> Result<u8, Failure> {
    let Some(place) = options.state.as_deref().filter(|place| place.as_os_str() != "-") else {
        return run_program(options);
    };
    // The state of an earlier run must not be taken for that of this one, however this one ends.
    files::keep_apart(
        &[options.file.clone(), options.conditions.input.clone(), options.conditions.events.clone()]
            .into_iter()
            .flatten()
            .collect::<Vec<_>>(),
        &[("--state", place)],
    )?;
    run_program(options).inspect_err(|failure| {
        let kind = if failure.status == status::PROBLEMS { "problems" } else { "failed" };
        let stop = NotRunStop { kind, message: failure.text.lines().next().unwrap_or_default().to_owned() };
        // A state that says why there is none; that it cannot be written is told by nobody else.
        if failure.status != status::NO_OUTPUT
            && !failure.is_about_output
            && let Ok(json) = serde_json::to_string_pretty(&NotRun { stop })
        {
            let _ = files::write(place, format!("{json}\n").as_bytes());
        }
    })
}

/// A run that is ready to be driven: what `run`, `tally`, `draw` and `report` begin with.
pub(crate) struct Begun {
    pub(crate) program: Program,
    pub(crate) session: Session,
    pub(crate) world: World,
    /// What it was begun with.
    pub(crate) settings: Settings,
}

/// Loads a program and makes its world. `outputs` are what will be written on the way, by the options that ask for it.
pub(crate) fn begin(path: &Path, conditions: &Conditions, outputs: &[(&str, &Path)]) -> Result<Begun, Failure> {
    let from_standard = [Some(path), conditions.input.as_deref(), conditions.events.as_deref()];
    if from_standard.into_iter().flatten().filter(|place| place.as_os_str() == "-").count() > 1 {
        return Err(Failure::usage("standard input is one thing only: the program, what is typed, or events"));
    }
    let how = program::How {
        at: conditions.at,
        target: conditions.target,
        belongs: program::Belongs::ToProject,
        seal: conditions.opening.bounds.seal(conditions.files.as_ref()),
        telling: program::Telling::of(&conditions.opening),
    };
    let program = program::load(path, &how)?;
    let mut read = program.read.clone();
    read.extend(conditions.input.clone().into_iter().chain(conditions.events.clone()).chain(crate::log::place()));
    files::keep_apart(&read, outputs)?;
    tell_rendered(&program.warnings(conditions.opening.problems));
    let manifest = program.project.as_ref().map(|project| project.manifest.clone()).unwrap_or_default();
    let of_manifest = program.project.as_ref().zip(manifest.files.as_ref());
    let place = conditions.files.clone().or(of_manifest.map(|(project, (files, _))| project.root.join(files)));
    let folder = place.map(|place| Folder::open(&place, read.clone())).transpose().map_err(Failure::usage)?;
    let arguments = if conditions.arguments.is_empty() { &manifest.arguments } else { &conditions.arguments };
    let is_virtual = conditions.clock.map_or(manifest.virtual_clock, |clock| clock == ClockKind::Virtual);
    let clock = if is_virtual { Clock::Cycles } else { Clock::Host };
    let settings = Settings {
        arguments: arguments.iter().map(|argument| argument.clone().into_bytes()).collect(),
        seed: conditions.seed.or(manifest.seed).unwrap_or(0),
        clock,
        has_folder: folder.is_some(),
        ..Settings::default()
    };
    let input = match (&conditions.input, &manifest.input) {
        // The source was read from there, to its end.
        (None, None) if path.as_os_str() == "-" => Input::Given(Vec::new()),
        (None, _) if conditions.events.is_some() => Input::Ended,
        (Some(path), _) if path.as_os_str() == "-" => Input::standard_now(),
        (Some(path), _) => Input::Given(files::read(path)?),
        (None, Some(text)) if is_redirected() => Input::standard_or(text.clone().into_bytes()),
        (None, Some(text)) => Input::Given(text.clone().into_bytes()),
        (None, _) => Input::standard_now(),
    };
    let limits = conditions.limits().or(manifest.limits);
    let code: usize =
        program.image().segments.iter().filter(|part| part.rights.execute).map(|part| part.bytes.len()).sum();
    if let Some(most) = limits.code.filter(|most| code as u64 > *most) {
        let text = format!("{}: its code has {code} bytes; the limit `code` is {most}", path.display());
        return Err(Failure { status: status::LIMIT, ..Failure::usage(text) });
    }
    let session =
        Session::new(program.image().clone(), settings.clone()).with_sources(program.assembly.sources.clone());
    let mut session = session.stopping_when_idle().judging_the_start();
    session = session.stopping_after_output(limits.output.unwrap_or(u64::MAX));
    if let Some(steps) = limits.steps {
        session = session.stopping_after_steps(StepNo(steps));
    }
    if let Some(seconds) = limits.seconds.filter(|_| is_virtual) {
        session = session.stopping_after_milliseconds(seconds.saturating_mul(1000));
    }
    if let Some(bytes) = limits.history_bytes() {
        session = session.with_budget(bytes);
    }
    let world = World::new(input, (limits, clock), folder)?;
    if let Some(place) = &conditions.events {
        let text = files::text_of(place, files::read(place)?)?;
        let script = Script::read(&text, &session);
        session.set_script(script.map_err(|error| Failure::usage(format!("{}, {error}", place.display())))?);
    }
    Ok(Begun { program, session, world, settings })
}

fn run_program(options: &Run) -> Result<u8, Failure> {
    let path = program::here(options.file.as_deref())?;
    let outputs = [
        ("--state", &options.state),
        ("--trail", &options.trail),
        ("--shows", &options.shows),
        ("--tones", &options.tones),
        ("--tally", &options.tally),
        ("--coverage", &options.coverage),
        ("--cautions", &options.cautions),
        ("--compared", &options.compared),
    ];
    let outputs: Vec<(&str, &Path)> =
        outputs.into_iter().filter_map(|(option, place)| Some((option, place.as_deref()?))).collect();
    if let Some(place) = &options.tones {
        tones::may_be_sound(place)?;
    }
    if let Some(place) = &options.compared {
        compare::may_be(place)?;
    }
    if let Some(place) = &options.cautions {
        CautionForm::of(place).map_err(Failure::usage)?;
    }
    if let Some(place) = &options.tally {
        TallyForm::of(place).map_err(Failure::usage)?;
    }
    let Begun { program, mut session, mut world, .. } = begin(path, &options.conditions, &outputs)?;
    // What cannot be measured is told before anything runs.
    for text in &options.span {
        tally::span(&session, text)?;
    }
    if let Some(place) = &options.trail {
        world.write_trail(trail(&session, place, options.trail_only.as_deref())?, place)?;
    }
    let Went { end, wrong } = if options.orders.is_empty() {
        Went { end: world.drive(&mut session, &Command::Go)?, wrong: Vec::new() }
    } else {
        let form = (options.json, options.shows.as_deref());
        Orders::read(&options.orders, &session, form)?.run(&mut world, &mut session)?
    };
    world.end_files(&session)?;
    world.end_trail()?;
    note_events(&session);
    for (option, place) in &outputs {
        world.keep_apart(option, place)?;
    }
    if let Some(place) = &options.tones {
        tones::write(place, session.tones())?;
        if let Some(words) = tones::left_out(session.tones()) {
            tell(&format!("note: {}: {words}\n", place.display()));
        }
    }
    if options.tally.is_some() || options.coverage.is_some() {
        let root = program.project.as_ref().map(|project| project.root.as_path());
        tally::after_run(options, &session, &mut world, root)?;
    }
    let is_cautioned = cautions::look_through(options, &session, &world, program.meant_in_runs())?;
    let mut report = report(&session, &end);
    report.tool = if is_cautioned && report.tool == 0 { status::CAUTIONS } else { report.tool };
    report.tool = if wrong.is_empty() || report.tool != 0 { report.tool } else { status::NOT_MET };
    report.wrong = wrong;
    if let Some(path) = &options.state {
        let mut json = serde_json::to_string_pretty(&report).map_err(|error| Failure::usage(error.to_string()))?;
        if path.as_os_str() == "-" && out::is_mid_line() {
            json.insert(0, '\n');
        }
        files::write_to(path, format!("{json}\n").as_bytes())?;
    }
    tell_end(&session, path, &end, &report);
    compare::after_run(options, &session, &world)?;
    Ok(match end {
        End::Program(State::Finished(status)) if report.tool == 0 && options.status == Of::Program => {
            status.to_le_bytes()[0]
        }
        _ => report.tool,
    })
}

/// What writes the steps down.
fn trail(session: &Session, place: &Path, only: Option<&str>) -> Result<TrailText, Failure> {
    let names = Names::new(session.image(), session.machine().target(), session.image().entry);
    let filter = only.map(|text| {
        let read = StopAt::read(text, &names, session.sources());
        read.map_err(|error| Failure::usage(format!("--trail-only {text}: {}", error.message)))
    });
    let form = TrailForm::of(place).map_err(Failure::usage)?;
    Ok(TrailText::new(session, form, filter.transpose()?))
}

/// Standard input comes from a file or another program, not from a terminal or nowhere.
fn is_redirected() -> bool {
    if std::io::stdin().is_terminal() {
        return false;
    }
    // A device, such as the one that is always empty, is no input anyone gave.
    std::fs::metadata("/dev/stdin").is_ok_and(|metadata| {
        use std::os::unix::fs::FileTypeExt;
        metadata.is_file() || metadata.file_type().is_fifo() || metadata.file_type().is_socket()
    })
}

fn report(session: &Session, end: &End) -> Report {
    let machine = session.machine();
    let target = machine.target();
    let pc = machine.pc();
    let line = session.image().line_at(pc);
    let file = line.and_then(|line| session.sources().get(line.span.file)).map(|file| file.name().to_owned());
    let file = file.filter(|name| !name.is_empty());
    let line = line.map(|line| line.line);
    let plain = |kind| StopReport { kind, status: None, trap: None, address: Some(pc.0), file: file.clone(), line };
    let stop = match end {
        End::Limit(limit) => plain(limit.name()),
        End::Interrupted => plain("interrupted"),
        End::Asked => plain("asked"),
        End::Never => plain("never"),
        End::Program(State::Finished(status)) => {
            StopReport { status: Some(*status), address: None, file: None, line: None, ..plain("finished") }
        }
        End::Program(State::Fault(fault)) => {
            StopReport { trap: Some(fault.trap), address: Some(fault.kind.address().unwrap_or(pc).0), ..plain("fault") }
        }
        End::Program(State::Circling { .. }) => plain("circling"),
        End::Program(State::Waiting | State::Idle { .. }) => plain("waiting"),
        End::Program(State::Paused(Why::Brk | Why::Breakpoint)) => plain("paused"),
        End::Program(State::Ready | State::Running | State::Paused(_)) => plain("asked"),
    };
    let value = |register| machine.register_known(register).then(|| machine.register(register));
    let registers = target.registers().map(|(register, info)| (info.name, value(register)));
    let flags = target.flags.iter().map(|flag| (flag.name, Some(u32::from(machine.flags() & flag.bit != 0))));
    Report {
        machine: target.name,
        stop,
        tool: status_of(end),
        wrong: Vec::new(),
        steps: machine.steps().0,
        cycles: machine.cycles(),
        pc: pc.0,
        registers: Ordered(registers.collect()),
        flags: Ordered(flags.collect()),
    }
}

/// How a run ended, in a few words.
pub(crate) fn end_words(session: &Session, end: &End) -> String {
    match end {
        End::Program(State::Finished(status)) => format!("by itself, with status {status}"),
        End::Program(State::Fault(fault)) => {
            format!("by a fault, trap {}: {}", fault.trap, fault.kind.words(session.machine().target()))
        }
        End::Program(State::Circling { .. } | State::Idle { .. }) => format!("circling: {}", state_words(session)),
        End::Program(State::Waiting) => "waiting for input".to_owned(),
        End::Program(State::Paused(Why::Brk)) => "by a brk".to_owned(),
        End::Program(State::Ready | State::Running | State::Paused(_)) => "before its own end".to_owned(),
        End::Limit(limit) => format!("at its limit of {}", limit.words()),
        End::Interrupted => "interrupted".to_owned(),
        End::Asked => "where it was asked to stop".to_owned(),
        End::Never => "where it never must come to".to_owned(),
    }
}

/// The exit status that tells how a run ended; 0 where it ended by itself or where it was asked to.
pub(crate) fn status_of(end: &End) -> u8 {
    match end {
        End::Asked => 0,
        End::Never => status::NOT_MET,
        End::Limit(_) => status::LIMIT,
        End::Interrupted => status::INTERRUPTED,
        End::Program(state) => match state {
            State::Fault(_) => status::FAULT,
            State::Circling { .. } => status::CIRCLING,
            State::Idle { .. } | State::Waiting => status::WAITING,
            State::Paused(Why::Brk) => status::BRK,
            State::Finished(_) | State::Ready | State::Running | State::Paused(_) => 0,
        },
    }
}

/// Says on standard error how a run ended that was made to be measured or drawn, when it did not end by itself; the exit
/// status that tells it.
pub(crate) fn note_end(session: &Session, path: &Path, end: &End) -> u8 {
    note_events(session);
    if !matches!(end, End::Program(State::Finished(_))) {
        let words = end_words(session, end);
        tell(&format!("note: {}: the run ended {words}\n", path.display()));
    }
    status_of(end)
}

/// Says on standard error which events of a file did not come.
fn note_events(session: &Session) {
    let (missing, all) = session.missing_events();
    if missing.is_empty() {
        return;
    }
    let lines: Vec<String> = missing.iter().take(20).map(ToString::to_string).collect();
    let more = if missing.len() > lines.len() { " and more" } else { "" };
    let (count, lines, s) = (missing.len(), lines.join(", "), if missing.len() == 1 { "" } else { "s" });
    tell(&format!("note: {count} of {all} events did not come: line{s} {lines}{more}\n"));
}

/// What keeps interrupts from coming that are asked for, or could be: why a program may wait for ever.
fn held_back(session: &Session) -> Vec<String> {
    let machine = session.machine();
    let target = machine.target();
    let allowed = target.interrupts_flag.is_none_or(|bit| machine.flags() & bit != 0);
    let held =
        machine.interrupts().into_iter().filter(|one| one.asks || one.is_on && !(allowed && one.handler.is_some()));
    held.map(|one| format!("the interrupt {} {}", target.interrupt_name(one.number), interrupt_words(session, &one)))
        .collect()
}

/// Says on standard error how the run ended, unless it ended by itself or where it was asked to.
fn tell_end(session: &Session, path: &Path, end: &End, report: &Report) {
    let image = session.image();
    let target = session.machine().target();
    // Behind a `brk` stands another instruction; what is told is about the `brk`.
    let at_brk = matches!(end, End::Program(State::Paused(Why::Brk)));
    let pc = session.last_step().filter(|_| at_brk).map_or(session.machine().pc(), |step| step.pc);
    let line = image.line_at(pc);
    let file = line.and_then(|line| session.sources().get(line.span.file)).filter(|file| !file.name().is_empty());
    let name = file.map_or_else(|| path.display().to_string(), |file| file.name().to_owned());
    let place = match (line, image.place_name(pc)) {
        (Some(line), Some(place)) => format!("{name}:{}: at {place}", line.line),
        (Some(line), None) => format!("{name}:{}", line.line),
        (None, _) => format!("{name}: at {}", target.marked_address(pc)),
    };
    let mut text = match end {
        End::Program(State::Finished(_) | State::Ready | State::Running) | End::Asked | End::Never => return,
        End::Program(State::Fault(fault)) => format!("fault, trap {}: {}", fault.trap, fault.kind.words(target)),
        End::Program(State::Circling { .. }) => format!("circling: {}", state_words(session)),
        End::Program(State::Idle { .. }) => {
            format!("{}; no more input will come, and nothing else can end this", state_words(session))
        }
        End::Program(State::Waiting) => "it waits for input".to_owned(),
        End::Program(State::Paused(Why::Brk)) => "stopped by a brk".to_owned(),
        End::Program(State::Paused(_)) => return,
        End::Limit(limit @ Limit::Steps) => {
            format!("stopped after {} steps, before its end: the limit `{}`", report.steps, limit.name())
        }
        End::Limit(limit) => format!("stopped at its limit of {}: the limit `{}`", limit.words(), limit.name()),
        End::Interrupted => "interrupted".to_owned(),
    };

    if let End::Program(State::Fault(fault)) = end {
        for cause in fault_causes(session, fault) {
            text.push_str("\n  ");
            text.push_str(&cause);
        }
    }
    if matches!(end, End::Limit(_) | End::Program(State::Circling { .. } | State::Idle { .. } | State::Waiting)) {
        for why in held_back(session) {
            text.push_str("\n  ");
            text.push_str(&why);
        }
    }
    tell(&format!("{place}: {text}\n"));
}
