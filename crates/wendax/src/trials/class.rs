//! One table for each program of a class: programs are loaded and tried on several threads, each sealed and by itself.

use super::{beside_it, named, now, read_table, reading, select, told};
use crate::cli::{Problems, Try};
use crate::program::{self, Telling};
use crate::tally::Meter;
use crate::{Failure, build, draw, files, status};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};
use wendax_project::{NAME, Seal};
use wendax_trials::{BesideIt, Class, HandIn, How, Named, Programs, ReportForm, Shape, Table, Trials, alike};

/// Bytes of sources that a hand-in may have: what they unfold to is bounded by the assembler, and with both the time and
/// memory that assembling takes.
const MOST_BYTES: u64 = 4 << 20;

/// What one program came to, its shape, and what was read for it.
type Came = (HandIn, Option<Shape>, Vec<PathBuf>);

/// What all programs are tried with.
struct Given<'a> {
    table: &'a Table,
    references: Named,
    beside: BesideIt,
}

pub(super) fn run(options: &Try, threads: usize, over: &AtomicBool) -> Result<u8, Failure> {
    let table_path = options.table.as_deref().ok_or_else(|| Failure::usage("name the table before the programs"))?;
    let text = files::text_of(table_path, files::read(table_path)?)?;
    let mut table = read_table(table_path, &text)?;
    select(&mut table, table_path, &options.row)?;
    if let Some(page) = &options.page {
        Page::of(page)?;
    }
    let telling = Telling { form: Problems::Json, ..Telling::default() };
    let mut read = vec![table_path.to_owned()];
    let references = named(table_path, &table.references(), &reading(Seal::default(), telling), &mut read);
    let beside = beside_it(table_path, &table, &Seal::default(), &mut read);
    let given = Given { table: &table, references, beside };
    // What was read of the programs is known when all is done; what can be refused before is.
    files::keep_apart(&read, &outputs(options))?;
    let came = all(options, &given, threads, over);
    if over.load(Ordering::Relaxed) {
        return Err(Failure { status: status::INTERRUPTED, ..Failure::usage("interrupted") });
    }
    let (mut hand_ins, mut shapes) = (Vec::new(), Vec::new());
    for (hand_in, shape, files) in came {
        hand_ins.push(hand_in);
        shapes.push(shape);
        read.extend(files);
    }
    let rows = Trials::names(&table);
    let class = Class { about: table.about.clone(), rows, hand_ins, alike: alike(&shapes, options.alike) };
    let name = table_path.display().to_string();
    write(options, &class, &name, &read)?;
    let is_well = class.counts().0 == class.hand_ins.len();
    Ok(if is_well { 0 } else { status::TRIALS })
}

/// Tries all programs, as many at once as there are threads.
fn all(options: &Try, given: &Given<'_>, threads: usize, over: &AtomicBool) -> Vec<Came> {
    let next = AtomicUsize::new(0);
    let came: Mutex<Vec<(usize, Came)>> = Mutex::default();
    let meter = Mutex::new(Meter::new("trying the programs"));
    let work = || {
        while !over.load(Ordering::Relaxed) {
            let index = next.fetch_add(1, Ordering::Relaxed);
            let Some(place) = options.programs.get(index) else { return };
            // What one of them did to the tool must not cost the others theirs.
            let one = catch_unwind(AssertUnwindSafe(|| one(place, given, over))).unwrap_or_else(|_| {
                let why = "the tool failed on it; please report that with the program".to_owned();
                (HandIn { name: name_of(place), came: Err(why) }, None, Vec::new())
            });
            let mut came = came.lock().unwrap_or_else(PoisonError::into_inner);
            came.push((index, one));
            if let Ok(mut meter) = meter.lock() {
                meter.at((came.len() as u64, options.programs.len() as u64));
            }
        }
    };
    std::thread::scope(|scope| {
        for _ in 1..threads.min(options.programs.len()) {
            scope.spawn(work);
        }
        work();
    });
    let mut came = came.into_inner().unwrap_or_else(PoisonError::into_inner);
    came.sort_by_key(|(index, _)| *index);
    came.into_iter().map(|(_, came)| came).collect()
}

/// What a program is called: a folder by its name, a file without its ending.
fn name_of(place: &Path) -> String {
    let whole = std::path::absolute(place).unwrap_or_else(|_| place.to_owned());
    let name = if place.is_dir() { whole.file_name() } else { whole.file_stem() };
    name.map_or_else(|| place.display().to_string(), |name| name.to_string_lossy().into_owned())
}

/// Tries one program.
fn one(place: &Path, given: &Given<'_>, over: &AtomicBool) -> Came {
    let name = name_of(place);
    let seal = Seal { is_whole: true, files_given: true, most_bytes: Some(MOST_BYTES), ..Seal::default() };
    let how = reading(seal, Telling { form: Problems::Json, ..Telling::default() });
    let failed = |why: String| (HandIn { name: name.clone(), came: Err(why) }, None, Vec::new());
    let mut read = Vec::new();
    let mut table = given.table.clone();
    let mut own = None;
    if table.is_about_its_own() {
        let loaded = program_in(place).and_then(|path| program::load(&path, &how).map_err(|failure| told(&failure)));
        let program = match loaded {
            Ok(program) => program,
            Err(why) => return failed(why),
        };
        // What comes with it can only narrow what it may.
        if let Some(project) = &program.project {
            let own = project.manifest.limits;
            let least = |most: &mut u64, own: Option<u64>| *most = own.map_or(*most, |own| own.min(*most));
            least(&mut table.limits.steps, own.steps);
            least(&mut table.limits.output, own.output);
            least(&mut table.limits.seconds, own.seconds);
            least(&mut table.limits.host, own.host.map(|seconds| seconds.saturating_mul(1000)));
        }
        own = Some(program.subject());
        read.extend(program.read);
    }
    // Rows that name programs try those of this name in its folder.
    let tried = table.tried();
    if !tried.is_empty() && !place.is_dir() {
        return failed("rows of the table name programs, and this is no folder with such".to_owned());
    }
    let tried = named(&place.join(super::TABLE), &tried, &how, &mut read);
    let shape = own.as_ref().map(Shape::of);
    let (references, beside) = (given.references.clone(), given.beside.clone());
    let trials = match Trials::new(table, Programs { own, tried, references, beside }) {
        Ok(trials) => trials,
        Err(problems) => {
            let why = problems.first().map(ToString::to_string).unwrap_or_default();
            return (HandIn { name, came: Err(format!("the table does not fit its machine: {why}")) }, shape, read);
        }
    };
    let report = trials.run(How { threads: 1, now: &now, is_over: over }, &|_| {});
    let came = report.ok_or_else(|| "it was not tried to the end".to_owned());
    (HandIn { name, came }, shape, read)
}

/// The program that a path of a class stands for: a file, a project, or the one source or image of a folder.
fn program_in(place: &Path) -> Result<PathBuf, String> {
    if !place.is_dir() || place.join(NAME).is_file() {
        return Ok(place.to_owned());
    }
    let entries = std::fs::read_dir(place).map_err(|error| files::plain(&error))?;
    let is_program = |path: &PathBuf| files::is_source_name(path) || build::format_of(path).is_some();
    let mut found: Vec<PathBuf> = entries.filter_map(|entry| Some(entry.ok()?.path())).filter(is_program).collect();
    found.sort();
    let sources: Vec<&PathBuf> = found.iter().filter(|path| files::is_source_name(path)).collect();
    match (found.as_slice(), sources.as_slice()) {
        ([only], _) => Ok(only.clone()),
        (_, [only]) => Ok((*only).clone()),
        ([], _) => Err(format!("there is no program in this folder: {NAME}, a source or an image")),
        _ => Err(format!("there are several sources in this folder, and no {NAME} says which make the program")),
    }
}

/// A page to look at.
enum Page {
    Drawing(wendax_draw::Form),
    Markdown,
}

impl Page {
    fn of(path: &Path) -> Result<Self, Failure> {
        let ending = path.extension().map(|ending| ending.to_string_lossy().to_ascii_lowercase());
        match ending.as_deref() {
            Some("svg") => Ok(Self::Drawing(wendax_draw::Form::Svg)),
            Some("pdf") => Ok(Self::Drawing(wendax_draw::Form::Pdf)),
            Some("md") => Ok(Self::Markdown),
            _ => Err(Failure::usage(format!("--page {}: a page ends in .svg, .pdf or .md", path.display()))),
        }
    }
}

/// Files that are written of all programs together.
fn outputs(options: &Try) -> Vec<(&'static str, &Path)> {
    let outputs = [("-o", &options.output), ("--csv", &options.csv), ("--page", &options.page)];
    outputs.into_iter().filter_map(|(option, place)| Some((option, place.as_deref()?))).collect()
}

fn write(options: &Try, class: &Class, name: &str, read: &[PathBuf]) -> Result<(), Failure> {
    let form = ReportForm::from(options.form);
    files::keep_apart(read, &outputs(options))?;
    if let Some(place) = &options.csv {
        let csv = class.csv().map_err(|error| files::cannot_write("the table", &error))?;
        files::write_to(place, csv.as_bytes())?;
    }
    if let Some(place) = &options.page {
        match Page::of(place)? {
            Page::Markdown => files::write_to(place, class.markdown(name).as_bytes())?,
            Page::Drawing(form) => {
                draw::write(place, form, &[wendax_draw::class(class, name)], draw::look(None), None)?;
            }
        }
    }
    if let Some(folder) = &options.each {
        each(folder, class, name, form, read)?;
    }
    let out = match form {
        ReportForm::Text => class.text(name),
        ReportForm::Markdown => class.markdown(name),
        ReportForm::Json | ReportForm::Junit | ReportForm::Tap => return whole(options, class, form),
    };
    files::write_to(options.output.as_deref().unwrap_or(Path::new("-")), out.as_bytes())
}

/// What came of all programs, in a form for other tools.
fn whole(options: &Try, class: &Class, form: ReportForm) -> Result<(), Failure> {
    let reports: Vec<_> = class.hand_ins.iter().map(|it| (it.name.as_str(), class.report(it))).collect();
    let out = form.write(&reports.iter().map(|(name, report)| (*name, report)).collect::<Vec<_>>());
    files::write_to(options.output.as_deref().unwrap_or(Path::new("-")), out.as_bytes())
}

/// What came of each program, in a file of its own.
fn each(folder: &Path, class: &Class, name: &str, form: ReportForm, read: &[PathBuf]) -> Result<(), Failure> {
    let wrong = |error: &std::io::Error| files::cannot_write(&folder.display().to_string(), error);
    std::fs::create_dir_all(folder).map_err(|error| wrong(&error))?;
    let mut known = std::collections::BTreeSet::new();
    for hand_in in &class.hand_ins {
        let plain: String =
            hand_in.name.chars().map(|sign| if sign == '/' || sign.is_control() { '_' } else { sign }).collect();
        let mut own = plain.clone();
        let mut number = 2;
        while !known.insert(own.clone()) {
            own = format!("{plain}-{number}");
            number += 1;
        }
        let text = form.write(&[(name, &class.report(hand_in))]);
        let place = folder.join(format!("{own}.{}", form.ending()));
        files::keep_apart(read, &[("--each", &place)])?;
        files::write_to(&place, text.as_bytes())?;
    }
    Ok(())
}
