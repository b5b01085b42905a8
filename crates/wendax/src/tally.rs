//! `wendax tally`, and what `wendax run` writes of what a run cost.
//!
//! A tally is made by running the run again; while that takes long, how far it is stands on the terminal, and a signal
//! ends it.

use crate::cli::{Conditions, Run, Tally as Options};
use crate::files;
use crate::run::{self, Begun, World};
use crate::{Failure, program};
use std::fmt::Write as _;
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};
use wendax_session::{
    Command, Comparison, Measuring, Session, SpanTally, Spans, Tally, TallyForm, growth, growth_words,
};

/// Steps between two looks at signals.
pub(crate) const SLICE: u64 = 2_000_000;
/// Work that takes longer says how far it is, and so often.
const LONG: Duration = Duration::from_millis(700);
const OFTEN: Duration = Duration::from_millis(200);

/// How far long work is, on standard error when that is a terminal.
pub(crate) struct Meter {
    what: &'static str,
    begun: Instant,
    told: Instant,
    is_shown: bool,
}

impl Meter {
    pub(crate) fn new(what: &'static str) -> Self {
        Self { what, begun: Instant::now(), told: Instant::now(), is_shown: false }
    }

    pub(crate) fn at(&mut self, (done, all): (u64, u64)) {
        let is_time = self.begun.elapsed() > LONG && self.told.elapsed() > OFTEN;
        if !is_time || !std::io::stderr().is_terminal() {
            return;
        }
        self.told = Instant::now();
        self.is_shown = true;
        let percent = u128::from(done) * 100 / u128::from(all.max(1));
        let _ = write!(std::io::stderr(), "\r{}: {percent} % (Ctrl-C stops)\x1b[K", self.what);
    }
}

impl Drop for Meter {
    fn drop(&mut self) {
        if self.is_shown {
            let _ = write!(std::io::stderr(), "\r\x1b[K");
        }
    }
}

/// Measures all of a run.
pub(crate) fn measure(session: &Session, world: &World) -> Result<Tally, Failure> {
    let mut measuring = Measuring::all(session);
    let mut meter = Meter::new("measuring");
    while !measuring.work(session, SLICE) {
        world.may_go_on()?;
        meter.at(measuring.progress());
    }
    Ok(measuring.tally(session))
}

/// Passages to be looked for.
pub(crate) fn span(session: &Session, text: &str) -> Result<Spans, Failure> {
    Spans::read(session, text).map_err(|why| Failure::usage(format!("--span {text}: {why}")))
}

fn measure_spans(session: &Session, texts: &[String], world: &World) -> Result<Vec<SpanTally>, Failure> {
    let measured = texts.iter().map(|text| {
        let mut spans = span(session, text)?;
        let mut meter = Meter::new("measuring");
        while !spans.work(session, SLICE) {
            world.may_go_on()?;
            meter.at(spans.progress());
        }
        Ok(SpanTally::of(text, &spans.told()))
    });
    measured.collect()
}

/// What `wendax run` was asked to write of what its run cost.
pub(crate) fn after_run(
    options: &Run,
    session: &Session,
    world: &mut World,
    root: Option<&Path>,
) -> Result<(), Failure> {
    let mut tally = measure(session, world)?;
    tally.spans = measure_spans(session, &options.span, world)?;
    // Names are those of the program, from its own folder; readers look from where they are.
    let path = |name: &str| match root.filter(|root| *root != Path::new(".") && Path::new(name).is_relative()) {
        Some(root) => root.join(name).display().to_string(),
        None => name.to_owned(),
    };
    if let Some(place) = &options.coverage {
        files::write_to(place, tally.to_lcov(path).as_bytes())?;
    }
    let Some(place) = &options.tally else { return Ok(()) };
    name_it(&mut tally, place, options.file.as_deref());
    let form = TallyForm::of(place).map_err(Failure::usage)?;
    let text = tally.written(form, usize::MAX, path).map_err(|error| Failure::usage(error.to_string()))?;
    if place.as_os_str() == "-" {
        return world.say(&text);
    }
    files::write_to(place, text.as_bytes())
}

/// A tally is called by the file it is kept in, or by the program.
fn name_it(tally: &mut Tally, place: &Path, program: Option<&Path>) {
    let stem = |path: &Path| path.file_stem().map(|stem| stem.to_string_lossy().into_owned());
    let name = stem(place).filter(|_| place.as_os_str() != "-").or(program.and_then(stem));
    tally.name = name.unwrap_or_else(|| "run".to_owned());
}

pub(crate) fn tally(options: &Options) -> Result<u8, Failure> {
    let rows = if options.rows == 0 { usize::MAX } else { options.rows };
    let is_growing = !options.each.is_empty() || !options.each_input.is_empty();
    if is_growing && options.things.len() > 1 {
        return Err(Failure::usage("--each and --each-input are for one program at a time"));
    }
    if !options.each.is_empty() && !options.conditions.arguments.is_empty() {
        return Err(Failure::usage("arguments stand behind `--` or in --each, not in both"));
    }
    let is_run = |thing: &PathBuf| thing.is_dir() || wendax_session::ending(thing) != "json";
    if !options.things.is_empty() && !options.things.iter().any(is_run) && options.conditions.is_about_a_run() {
        return Err(Failure::usage("tallies that were kept are not run again: no option of a run goes with them"));
    }
    let mut read: Vec<PathBuf> = options.things.iter().filter(|thing| thing.is_file()).cloned().collect();
    read.extend(options.each_input.iter().cloned());
    let output = options.output.as_deref();
    let outputs: Vec<(&str, &Path)> = output.map(|place| ("-o", place)).into_iter().collect();
    files::keep_apart(&read, &outputs)?;
    let form = TallyForm::of(output.unwrap_or(Path::new("-"))).map_err(Failure::usage)?;
    let tallies = if is_growing {
        growing(options, &outputs)?
    } else if options.things.is_empty() {
        vec![run_one(program::here(None)?, &options.conditions, &options.span, &outputs)?]
    } else {
        let one = |thing| one(thing, &options.conditions, &options.span, &outputs);
        options.things.iter().map(|thing: &PathBuf| one(thing)).collect::<Result<Vec<_>, _>>()?
    };
    let place = output.unwrap_or(Path::new("-"));
    let text = match tallies.as_slice() {
        [only] => only.tally.written(form, rows, str::to_owned).map_err(|error| Failure::usage(error.to_string()))?,
        several if form == TallyForm::Json || form == TallyForm::Lcov => {
            let text = format!(
                "{}: that form is for one tally, and these are {}; .txt or .csv sets them side by side",
                place.display(),
                several.len()
            );
            return Err(Failure::usage(text));
        }
        several if form == TallyForm::Csv => {
            Comparison::of(&several.iter().map(|one| &one.tally).collect::<Vec<_>>()).to_csv()
        }
        several => side_by_side(several, rows, is_growing),
    };
    files::write_to(place, text.as_bytes())?;
    // The first run that did not end by itself.
    Ok(tallies.iter().map(|one| one.status).find(|status| *status != 0).unwrap_or(0))
}

fn is_form(place: &Path, ending: &str) -> bool {
    place.extension().is_some_and(|found| found.eq_ignore_ascii_case(ending))
}

/// A tally, with the size of what its run was given, and the exit status that tells how the run ended.
pub(crate) struct Measured {
    size: u64,
    pub(crate) tally: Tally,
    pub(crate) status: u8,
}

/// One that was kept, or of a program that is run now.
pub(crate) fn one(
    thing: &Path,
    conditions: &Conditions,
    spans: &[String],
    outputs: &[(&str, &Path)],
) -> Result<Measured, Failure> {
    if !is_form(thing, "json") {
        return run_one(thing, conditions, spans, outputs);
    }
    let text = files::text_of(thing, files::read(thing)?)?;
    let mut tally = Tally::read(&text).map_err(|error| Failure::usage(format!("{}: {error}", thing.display())))?;
    if tally.name.is_empty() {
        name_it(&mut tally, thing, None);
    }
    Ok(Measured { size: 0, tally, status: 0 })
}

/// `outputs` are what is written of it, and go over nothing that it read or wrote.
fn run_one(
    path: &Path,
    conditions: &Conditions,
    spans: &[String],
    outputs: &[(&str, &Path)],
) -> Result<Measured, Failure> {
    let Begun { mut session, mut world, .. } = run::begin(path, conditions, outputs)?;
    world.be_quiet();
    let end = world.drive(&mut session, &Command::Go)?;
    World::goes_on_after(&end)?;
    world.end_files(&session)?;
    for (option, place) in outputs {
        world.keep_apart(option, place)?;
    }
    let status = run::note_end(&session, path, &end);
    let mut tally = measure(&session, &world)?;
    tally.spans = measure_spans(&session, spans, &world)?;
    name_it(&mut tally, path, Some(path));
    Ok(Measured { size: session.all_input().len() as u64, tally, status })
}

/// The program run once for each of what it is to be given.
fn growing(options: &Options, outputs: &[(&str, &Path)]) -> Result<Vec<Measured>, Failure> {
    let path = program::here(options.things.first().map(PathBuf::as_path))?;
    let mut tallies = Vec::new();
    for text in &options.each {
        let words = shlex::split(text)
            .ok_or_else(|| Failure::usage(format!("--each {text}: a quotation mark is not closed")))?;
        let mut given = options.conditions.clone();
        let first = words.first().and_then(|word| word.parse().ok());
        given.arguments = words;
        let mut measured = run_one(path, &given, &options.span, outputs)?;
        measured.tally.name.clone_from(text);
        measured.size = first.unwrap_or(0);
        tallies.push(measured);
    }
    for file in &options.each_input {
        let mut given = options.conditions.clone();
        given.input = Some(file.clone());
        let mut measured = run_one(path, &given, &options.span, outputs)?;
        measured.tally.name = file.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
        measured.size = std::fs::metadata(file).map_or(0, |data| data.len());
        tallies.push(measured);
    }
    Ok(tallies)
}

fn side_by_side(tallies: &[Measured], rows: usize, is_growing: bool) -> String {
    let list: Vec<&Tally> = tallies.iter().map(|one| &one.tally).collect();
    let mut text = Comparison::of(&list).to_text(rows);
    if is_growing {
        let sizes: Vec<u64> = tallies.iter().map(|one| one.size).collect();
        let cycles: Vec<u64> = list.iter().map(|tally| tally.cycles).collect();
        match growth(&sizes, &cycles) {
            Some(exponent) => {
                let _ = writeln!(text, "\ncycles grow with what is given: {}", growth_words(exponent));
            }
            None if sizes.iter().all(|size| *size == 0) => {}
            None => {
                text.push_str("\nhow cycles grow cannot be said: the first of --each is to be a number that grows\n");
            }
        }
        for name in grown_routines(&list) {
            let own =
                |tally: &&Tally| tally.routines.iter().find(|one| one.name == name).map_or(0, |one| one.own_cycles);
            let costs: Vec<u64> = list.iter().map(own).collect();
            if let Some(exponent) = growth(&sizes, &costs) {
                let _ = writeln!(text, "  {name}: {}", growth_words(exponent));
            }
        }
    }
    text
}

/// The routines that cost most in the last run.
fn grown_routines(list: &[&Tally]) -> Vec<String> {
    let last = list.last().map_or(&[][..], |tally| &tally.routines);
    last.iter().take(5).filter(|routine| routine.own_cycles > 0).map(|routine| routine.name.clone()).collect()
}
