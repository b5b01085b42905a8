//! `wendax try`: tables of trials, for their own program or for each program of a class.
//!
//! Which files those are, the host's time and threads are here; what comes of rows is for the trials themselves.

mod class;

use crate::cli::{Problems, Try};
use crate::exercise::below;
use crate::program::{self, Belongs, How as Reading, Program, Telling};
use crate::run::world::{STARTED, end_by_signal};
use crate::tally::Meter;
use crate::{Failure, files, status};
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex};
use wendax_project::{NAME, Project, Seal};
use wendax_trials::{BesideIt, How, Named, Outcome, Programs, Report, Subject, Table, Trials};
use wendax_tui::{Message, RowJob, TrialsJob};

/// The file name of a table, and the ending of others.
const TABLE: &str = "trials.toml";
const ENDING: &str = ".trials.toml";

/// A file is named as tables are.
pub(crate) fn is_table(path: &Path) -> bool {
    path.file_name().is_some_and(|name| {
        let name = name.to_string_lossy();
        name == TABLE || name.ends_with(ENDING)
    })
}

/// The tables that a path stands for: itself, or those in a folder by name.
fn tables(path: Option<&Path>) -> Result<Vec<PathBuf>, Failure> {
    let given = path.unwrap_or(Path::new("."));
    if !given.is_dir() {
        let is_toml = given.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("toml"));
        if given.is_file() && !is_toml {
            let why = format!("this is no table of trials: those are called {TABLE}, or end in {ENDING}");
            return Err(Failure::usage(format!("{}: {why}", given.display())));
        }
        return Ok(vec![given.to_owned()]);
    }
    let entries = std::fs::read_dir(given)
        .map_err(|error| Failure::usage(format!("{}: {}", given.display(), files::plain(&error))))?;
    let names = entries.filter_map(|entry| Some(entry.ok()?.file_name()));
    let mut found: Vec<PathBuf> = names.map(PathBuf::from).filter(|name| is_table(name)).collect();
    found.sort();
    if found.is_empty() {
        return Err(Failure::usage(format!(
            "{}: there is no table of trials in this folder: {TABLE} or NAME{ENDING}; docs/trials.md says how one is written",
            given.display()
        )));
    }
    Ok(match path {
        Some(folder) => found.into_iter().map(|name| folder.join(name)).collect(),
        None => found,
    })
}

/// Reads a table; all that is wrong with it is told.
pub(crate) fn read_table(path: &Path, text: &str) -> Result<Table, Failure> {
    Table::read(text).map_err(|problems| wrong(path, &problems))
}

fn wrong(path: &Path, problems: &[wendax_trials::Problem]) -> Failure {
    let lines: Vec<String> =
        problems.iter().map(|problem| format!("{}:{}: {}", path.display(), problem.line, problem.message)).collect();
    Failure::usage(lines.join("\n"))
}

/// The program of a table: the one it names, one of its own name beside it, or the project it lies in.
pub(crate) fn program_of(path: &Path, table: &Table) -> Result<PathBuf, Failure> {
    let wrong = |why: String| Failure::usage(format!("{}: {why}", path.display()));
    if let Some(program) = &table.program {
        return below(path, program).map_err(wrong);
    }
    let folder = path.parent().unwrap_or(Path::new(""));
    let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let beside = name.strip_suffix(ENDING).map(|name| folder.join(format!("{name}.asm"))).filter(|path| path.is_file());
    if let Some(beside) = beside {
        return Ok(beside);
    }
    if folder.join(NAME).is_file() {
        return Ok(if folder.as_os_str().is_empty() { PathBuf::from(".") } else { folder.to_owned() });
    }
    Err(wrong(format!(
        "which program is it about? Write program = \"axles.asm\" in it, or lay it in a project beside {NAME}"
    )))
}

/// A table that is opened with a program.
pub(crate) struct Opened {
    /// The path of its file, and its text.
    pub(crate) table: (String, String),
    /// It is about another program than the one that is open, where its rows do not say which.
    pub(crate) is_other: bool,
}

impl Opened {
    /// This one, with the program in a place.
    pub(crate) fn of(table: (String, String), place: &Path) -> Self {
        let is_other = Table::read(&table.1).is_ok_and(|read| is_of_another(Path::new(&table.0), &read, place));
        Self { table, is_other }
    }
}

/// The table beside a program that is opened: that of its name, or that of its project.
pub(crate) fn beside(program: &Path, seal: &Seal) -> Option<Opened> {
    let folder = if program.is_dir() { program } else { program.parent()? };
    let names = |row: &wendax_trials::Row| row.program.as_ref().is_some_and(|name| folder.join(name) == program);
    // One that is none belongs to whom it may, and says what is wrong with it; of a source by itself, among others, one that
    // has rows about it does.
    let open = |path: &Path, by_name: bool| {
        seal.may_read(path).ok()?;
        let text = files::text_of(path, files::read(path).ok()?).ok()?;
        let read = Table::read(&text).ok();
        let has_row = read.as_ref().is_some_and(|table| table.rows.iter().any(names));
        if !by_name && !has_row {
            return None;
        }
        let is_other = read.is_some_and(|table| is_of_another(path, &table, program));
        (has_row || !is_other).then(|| Opened { table: (path.display().to_string(), text), is_other })
    };
    let own = program.with_extension(&ENDING[1..]);
    if !program.is_dir() && own.is_file() {
        return open(&own, true);
    }
    tables(Some(folder)).ok()?.into_iter().find_map(|path| open(&path, program.is_dir()))
}

/// A table is about another program than the one in this place, where its rows do not say which.
fn is_of_another(path: &Path, table: &Table, place: &Path) -> bool {
    let whole = |path: &Path| std::fs::canonicalize(path).ok();
    // It may be an image of that name, too.
    let of_its_name = place.with_extension(&ENDING[1..]);
    if table.program.is_none() && whole(&of_its_name).is_some_and(|own| Some(own) == whole(path)) {
        return false;
    }
    let Ok(program) = program_of(path, table) else { return false };
    // A source that is part of a project is opened with all of it.
    let around = Project::around(&program).0;
    let project = around.manifest_path.is_some().then_some(around.root);
    ![Some(program), project].iter().flatten().any(|own| whole(own) == whole(place))
}

/// The program that is opened with a table, and the text of that.
pub(crate) fn opened(path: &Path) -> Result<(PathBuf, String), Failure> {
    let text = files::text_of(path, files::read(path)?)?;
    let table = read_table(path, &text)?;
    let program = match table.rows.first().and_then(|row| row.program.as_ref()) {
        Some(first) if !table.is_about_its_own() => {
            below(path, first).map_err(|why| Failure::usage(format!("{}: {why}", path.display())))?
        }
        _ => program_of(path, &table)?,
    };
    Ok((program, text))
}

/// Carries out what the bench asks for, on a thread of its own: rows are told one by one.
pub(crate) fn try_in_bench(job: &TrialsJob, seal: &Seal, over: &AtomicBool, told: &(dyn Fn(Message) + Sync)) {
    let (path, begun) = (Path::new(&job.path), std::time::SystemTime::now());
    let how = reading(seal.clone(), Telling { form: Problems::Json, ..Telling::default() });
    let mut read = Vec::new();
    let mut tried = named(path, &job.table.tried(), &how, &mut read);
    // What is written in the bench is tried as it is there.
    if let Some(own) = job.own.1.as_ref().and_then(|own| std::fs::canonicalize(own).ok()) {
        for (name, subject) in &mut tried {
            let place = below(path, name).ok().and_then(|place| std::fs::canonicalize(place).ok());
            if place.as_ref() == Some(&own) {
                *subject = Ok(job.own.0.clone());
            }
        }
    }
    let references = named(path, &job.table.references(), &how, &mut read);
    let beside = beside_it(path, &job.table, seal, &mut read);
    let files =
        read.iter().filter_map(|place| std::path::absolute(place).ok()).map(|place| place.display().to_string());
    told(Message::ReadForRows(job.number, files.collect(), begun));
    let programs = Programs { own: Some(job.own.0.clone()), tried, references, beside };
    let trials = match Trials::new(job.table.clone(), programs) {
        Ok(trials) => Arc::new(trials),
        Err(problems) => {
            let lines: Vec<String> = problems.iter().map(ToString::to_string).collect();
            return told(Message::NotTried(job.number, lines.join("\n")));
        }
    };
    told(Message::Trying(job.number, Arc::clone(&trials)));
    let one = |outcome: &Outcome| told(Message::Tried(job.number, Box::new(outcome.clone())));
    if trials.run(How { threads: cores(), now: &now, is_over: over }, &one).is_some() {
        told(Message::TriedAll(job.number));
    }
}

/// Makes the run of a row that the bench is to walk.
pub(crate) fn walk_in_bench(job: &RowJob, over: &AtomicBool) -> Message {
    let until = now().saturating_add(job.trials.limits().host);
    let may_go_on = || now() <= until && !over.load(std::sync::atomic::Ordering::Relaxed);
    let (row, name) = &job.row;
    let walk = job.trials.walk(*row, job.failing.as_ref(), &may_go_on).map(Box::new);
    Message::RowWalk(job.number, name.clone(), walk)
}

impl Program {
    /// What trials are made with.
    pub(crate) fn subject(&self) -> Subject {
        Subject::new(self.image().clone(), self.assembly.sources.clone())
    }
}

/// The programs that a table is about; what was read for them is noted.
fn programs(path: &Path, table: &Table, how: &Reading, read: &mut Vec<PathBuf>) -> Result<Programs, Failure> {
    let mut own = None;
    if table.is_about_its_own() {
        let program = program::load(&program_of(path, table)?, how)?;
        own = Some(program.subject());
        read.extend(program.read);
    }
    let one_line = Reading { telling: Telling { form: Problems::Json, ..how.telling }, ..how.clone() };
    let tried = named(path, &table.tried(), &one_line, read);
    let references = named(path, &table.references(), &one_line, read);
    let beside = beside_it(path, table, &how.seal, read);
    Ok(Programs { own, tried, references, beside })
}

/// The files beside a table that it names; what was read of them is noted.
pub(crate) fn beside_it(path: &Path, table: &Table, seal: &Seal, read: &mut Vec<PathBuf>) -> BesideIt {
    /// Bytes of one of them, at most.
    const LARGEST: u64 = 16 << 20;
    let mut one = |name: &str| {
        let place = below(path, name).map_err(|_| "it leads out of the folder of the table".to_owned())?;
        read.push(place.clone());
        seal.may_read(&place)?;
        let metadata = std::fs::metadata(&place).map_err(|error| files::plain(&error))?;
        // A pipe would be waited for.
        if !metadata.is_file() {
            return Err("it is no file".to_owned());
        }
        if metadata.len() > LARGEST {
            return Err("it is larger than 16 MiB".to_owned());
        }
        let bytes = std::fs::read(&place).map_err(|error| files::plain(&error))?;
        Ok(Arc::new(bytes))
    };
    table.beside().into_iter().map(|name| (name.to_owned(), one(name))).collect()
}

/// Programs that a table names; what was read for them is noted.
pub(crate) fn named(path: &Path, names: &[&str], how: &Reading, read: &mut Vec<PathBuf>) -> Named {
    let mut load = |named: &str| {
        let place = below(path, named)?;
        // Also one that cannot be read yet.
        read.push(place.clone());
        let program = program::load(&place, how).map_err(|failure| told(&failure))?;
        read.extend(program.read.iter().cloned());
        Ok(program.subject())
    };
    names.iter().map(|named| ((*named).to_owned(), load(named))).collect()
}

/// The first thing that kept a program from being run.
fn told(failure: &Failure) -> String {
    let line = failure.text.lines().next().unwrap_or_default();
    let json: Option<serde_json::Value> = serde_json::from_str(line).ok();
    let Some(problem) = json else { return line.to_owned() };
    let text = |name: &str| problem.get(name).and_then(serde_json::Value::as_str).unwrap_or_default();
    let line = problem.get("line").and_then(serde_json::Value::as_u64).unwrap_or(0);
    let file = text("file").rsplit('/').next().unwrap_or_default();
    format!("it does not assemble: {file}:{line}: {} {}", text("code"), text("message"))
}

/// How a program is read that is tried.
pub(crate) fn reading(seal: Seal, telling: Telling) -> Reading {
    Reading { at: None, target: None, belongs: Belongs::ToProject, seal, telling }
}

/// Milliseconds since the command began.
fn now() -> u64 {
    u64::try_from(STARTED.elapsed().as_millis()).unwrap_or(u64::MAX)
}

/// How many runs go at once when it is not said.
pub(crate) fn cores() -> usize {
    std::thread::available_parallelism().map_or(1, std::num::NonZero::get)
}

/// Carries trials out.
pub(crate) fn carry_out(trials: &Trials, threads: usize, is_over: &AtomicBool) -> Result<Report, Failure> {
    // Done, and how far that is told.
    let meter = Mutex::new((0, Meter::new("trying the rows")));
    let all = trials.table().rows.len() as u64;
    let told = |outcome: &Outcome| {
        if let (Some(_), Ok(mut meter)) = (outcome.row, meter.lock()) {
            meter.0 += 1;
            let done = meter.0;
            meter.1.at((done, all));
        }
    };
    let report = trials.run(How { threads, now: &now, is_over }, &told);
    report.ok_or_else(|| Failure { status: status::INTERRUPTED, ..Failure::usage("interrupted") })
}

/// Leaves only the rows that were asked for.
fn select(table: &mut Table, path: &Path, names: &[String]) -> Result<(), Failure> {
    for name in names {
        if !table.rows.iter().any(|row| row.name == *name) {
            let near = wendax_source::nearest(name, table.rows.iter().map(|row| row.name.as_str()));
            let near = near.map_or_else(String::new, |near| format!("; did you mean {near:?}?"));
            return Err(Failure::usage(format!("{}: no row is called {name:?}{near}", path.display())));
        }
    }
    if !names.is_empty() {
        table.rows.retain(|row| names.contains(&row.name));
        table.rules.clear();
    }
    Ok(())
}

pub(crate) fn run(options: &Try) -> Result<u8, Failure> {
    let seal = options.opening.bounds.seal(None);
    let threads = options.threads.map_or_else(cores, usize::from);
    let over = end_by_signal();
    if !options.programs.is_empty() {
        return class::run(options, threads, &over);
    }
    let (mut all, mut read) = (Vec::new(), Vec::new());
    for path in tables(options.table.as_deref())? {
        seal.may_read(&path).map_err(|why| Failure::usage(format!("{}: {why}", path.display())))?;
        let text = files::text_of(&path, files::read(&path)?)?;
        let mut table = read_table(&path, &text)?;
        select(&mut table, &path, &options.row)?;
        let how = reading(seal.clone(), Telling::of(&options.opening));
        let programs = programs(&path, &table, &how, &mut read)?;
        read.push(path.clone());
        let trials = Trials::new(table, programs).map_err(|problems| wrong(&path, &problems))?;
        all.push((path.display().to_string(), trials));
    }
    let output = options.output.as_deref().unwrap_or(Path::new("-"));
    files::keep_apart(&read, &[("-o", output)])?;
    let reports = all.into_iter().map(|(name, trials)| Ok((name, carry_out(&trials, threads, &over)?)));
    let reports = reports.collect::<Result<Vec<_>, Failure>>()?;
    let failed: usize = reports.iter().map(|(_, report)| report.failed()).sum();
    let named: Vec<(&str, &Report)> = reports.iter().map(|(name, report)| (name.as_str(), report)).collect();
    let out = wendax_trials::ReportForm::from(options.form).write(&named);
    files::write_to(output, out.as_bytes())?;
    Ok(if failed == 0 { 0 } else { status::TRIALS })
}
