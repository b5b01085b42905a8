//! Trials: all runs of all rows, on as many threads as are wanted, and what came of each row.
//!
//! A run hangs on its row and its program alone, so that order, number and threads change nothing of what is told. What is
//! kept of a row while it runs is how many of its runs are done and the first that failed.

use crate::judge::{Difference, Judge, Kind, in_order};
use crate::like::Like;
use crate::rules;
use crate::run::{Ending, Yard, go};
use crate::strike;
use crate::subject::{Begun, Stage, Subject};
use crate::table::{BesideIt, Chosen, Limits, Row, Strike, Table};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Mutex, MutexGuard, OnceLock, PoisonError};
use wendax_isa::StepNo;
use wendax_machine::Snapshot;
use wendax_session::Session;

/// Runs that a thread takes at once.
const AT_ONCE: u64 = 8;

/// Programs by their paths in the table; or why there is none.
pub type Named = BTreeMap<String, Result<Subject, String>>;

/// The programs that a table is about.
#[derive(Debug, Clone, Default)]
pub struct Programs {
    /// That of the table itself, where anything is asked of it.
    pub own: Option<Subject>,
    /// Those that rows try: see [`Table::tried`].
    pub tried: Named,
    /// Those that rows are compared with: see [`Table::references`].
    pub references: Named,
    /// Files beside the table: see [`Table::beside`].
    pub beside: BesideIt,
}

/// A table with the programs it is about.
#[derive(Debug)]
pub struct Trials {
    table: Table,
    programs: Programs,
    /// Programs as rows run them, and which one is that of each row: what they have in common is made once.
    stages: Vec<OnceLock<Result<Stage, String>>>,
    stage_of: Vec<Option<usize>>,
    /// The same of what rows are compared with.
    likes: Vec<OnceLock<Result<Like, String>>>,
    like_of: Vec<Option<usize>>,
}

/// How trials are carried out.
#[derive(Clone, Copy)]
pub struct How<'a> {
    /// Threads, at least 1.
    pub threads: usize,
    /// Milliseconds of the host since some moment.
    pub now: &'a (dyn Fn() -> u64 + Sync),
    /// Someone asked for an end.
    pub is_over: &'a AtomicBool,
}

impl std::fmt::Debug for How<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("How").field("threads", &self.threads).finish_non_exhaustive()
    }
}

/// A run of a row that failed.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Failing {
    /// Which of the row's values it has: see [`Row::chosen`].
    pub case: u64,
    /// Its values in words: `a = -1, b = 3`.
    pub values: String,
    /// The moment at which something came, where something comes at every step of a stretch.
    pub struck: Option<StepNo>,
    /// The line of that moment.
    pub struck_line: Option<String>,
    /// What is otherwise, the earliest first; at least one.
    pub differences: Vec<Difference>,
}

impl Failing {
    /// What is otherwise, in words, behind what the run had.
    pub fn words(&self) -> String {
        let mut text = String::new();
        if !self.values.is_empty() {
            text.push_str(&format!("with {}: ", self.values));
        }
        if let Some(step) = self.struck {
            let line = self.struck_line.as_ref().map_or_else(String::new, |line| format!(" ({line})"));
            text.push_str(&format!("struck at step {}{line}: ", wendax_session::grouped(step.0)));
        }
        let first = self.differences.first().map(Difference::words).unwrap_or_default();
        text.push_str(&first);
        match self.differences.len() {
            0 | 1 => {}
            2 => text.push_str("; and one thing more"),
            more => text.push_str(&format!("; and {} things more", more - 1)),
        }
        text
    }
}

/// The least and the greatest of something.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Span {
    /// The least.
    pub least: u64,
    /// The greatest.
    pub most: u64,
}

impl Span {
    fn with(known: Option<Self>, number: u64) -> Self {
        known.map_or(Self { least: number, most: number }, |known| Self {
            least: known.least.min(number),
            most: known.most.max(number),
        })
    }
}

/// What came of a row, or of a rule.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Outcome {
    /// Its number among the rows; none for a rule.
    pub row: Option<usize>,
    /// What it is called.
    pub name: String,
    /// What it is about.
    pub note: String,
    /// What it counts.
    pub points: u32,
    /// Nothing but its name is told when it fails.
    pub is_hidden: bool,
    /// Its line in the table.
    pub line: usize,
    /// How many runs it was.
    pub runs: u64,
    /// How many of them failed.
    pub failed: u64,
    /// The first that failed.
    pub failing: Option<Failing>,
    /// Cycles of its runs.
    pub cycles: Option<Span>,
    /// Cycles of what it is compared with.
    pub reference: Option<Span>,
}

impl Outcome {
    /// That of a row that was not run at all.
    pub(crate) fn not_run(name: &str, points: u32, why: &str) -> Self {
        let difference = Difference::plain(Kind::Row, format!("not run: {why}"));
        let failing = Failing { differences: vec![difference], ..Failing::default() };
        Self { name: name.to_owned(), points, failed: 1, failing: Some(failing), ..Self::default() }
    }

    /// All of it was as expected.
    pub fn is_passed(&self) -> bool {
        self.failed == 0
    }
}

/// What came of a whole table.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Report {
    /// What the table is about.
    pub about: String,
    /// Rules first, and then the rows, as they stand in the table.
    pub outcomes: Vec<Outcome>,
}

impl Report {
    /// How many failed.
    pub fn failed(&self) -> usize {
        self.outcomes.iter().filter(|outcome| !outcome.is_passed()).count()
    }

    /// Points that were reached, and those there are.
    pub fn points(&self) -> (u64, u64) {
        let all = |is_counted: fn(&&Outcome) -> bool| {
            self.outcomes.iter().filter(is_counted).map(|outcome| u64::from(outcome.points)).sum()
        };
        (all(|outcome| outcome.is_passed()), all(|_| true))
    }
}

/// A run of a row that can be walked through.
#[derive(Debug, Clone)]
pub struct Walk {
    /// At its end, or where it was stopped.
    pub session: Session,
    /// The step at which something went wrong.
    pub step: Option<StepNo>,
    /// What it prints when all is well, where that is known.
    pub expected: Option<String>,
    /// The files it finds.
    pub yard: Yard,
    /// The run of what the row is compared with.
    pub reference: Option<Session>,
    /// Of a routine: where it comes back to, a place that the program itself does not have.
    pub back: Option<wendax_isa::Addr>,
}

/// How far a row is.
#[derive(Debug, Default)]
struct Partial {
    done: u64,
    came: Came,
}

/// What some runs of a row came to.
#[derive(Debug, Default)]
struct Came {
    runs: u64,
    failed: u64,
    failing: Option<Failing>,
    cycles: Option<Span>,
    reference: Option<Span>,
}

impl Came {
    fn take(&mut self, cycles: u64, failing: Option<Failing>) {
        self.runs += 1;
        self.cycles = Some(Span::with(self.cycles, cycles));
        if let Some(failing) = failing {
            self.failed += 1;
            self.failing.get_or_insert(failing);
        }
    }

    /// One run, which could not be.
    fn not_run(failing: Failing) -> Self {
        let mut came = Self::default();
        came.take(0, Some(failing));
        came
    }

    /// More runs of the same row.
    fn add(&mut self, more: Self) {
        self.runs += more.runs;
        self.failed += more.failed;
        let known = self.failing.as_ref().map_or(u64::MAX, |failing| failing.case);
        if let Some(failing) = more.failing.filter(|failing| failing.case < known) {
            self.failing = Some(failing);
        }
        for (own, new) in [(&mut self.cycles, more.cycles), (&mut self.reference, more.reference)] {
            if let Some(new) = new {
                let least = Span::with(*own, new.least);
                *own = Some(Span::with(Some(least), new.most));
            }
        }
    }

    /// All of them, of this row.
    fn of_row(self, index: usize, row: &Row) -> Outcome {
        let Self { runs, failed, failing, cycles, reference } = self;
        Outcome {
            row: Some(index),
            name: row.name.clone(),
            note: row.note.clone(),
            points: row.points,
            is_hidden: row.is_hidden,
            line: row.line,
            runs,
            failed,
            failing,
            cycles,
            reference,
        }
    }
}

/// A run that was carried through.
pub(crate) struct Done {
    pub(crate) begun: Begun,
    /// The memory at the start, of a routine.
    pub(crate) start: Option<Snapshot>,
    pub(crate) ending: Ending,
}

impl Done {
    fn cycles(&self) -> u64 {
        self.begun.session.machine().cycles()
    }
}

impl Trials {
    /// The trials of a table: of its own program, and of those that its rows name.
    ///
    /// # Errors
    ///
    /// Rules of the table that name no word of the program's machine, and files that cannot be read, each with its line.
    pub fn new(mut table: Table, programs: Programs) -> Result<Self, Vec<crate::Problem>> {
        let target = programs.own.as_ref().map(Subject::target);
        let wrong = |rule: &crate::table::Rule| match target {
            Some(target) => rules::problem(rule, target),
            None => Some("a rule is about the program of the table, and that names none".to_owned()),
        };
        let rules = table.rules.iter();
        let mut problems: Vec<crate::Problem> =
            rules.filter_map(|rule| Some(crate::Problem { line: rule.line, message: wrong(rule)? })).collect();
        problems.extend(table.take_beside(&programs.beside));
        if !problems.is_empty() {
            return Err(problems);
        }
        let runs = table.rows.iter().map(|row| Some((row.program.as_deref(), None, row.given.call.as_deref())));
        let stage_of = numbered(runs);
        let likes = table.rows.iter().map(|row| {
            let like = row.like.as_ref()?;
            // Without a program of its own it is that of the row.
            let own = row.program.as_deref().filter(|_| like.program.is_none());
            Some((own, like.program.as_deref(), like.call.as_deref()))
        });
        let like_of = numbered(likes);
        let cells = |of: &[Option<usize>]| of.iter().flatten().max().map_or(0, |most| most + 1);
        let stages = (0..cells(&stage_of)).map(|_| OnceLock::new()).collect();
        let likes = (0..cells(&like_of)).map(|_| OnceLock::new()).collect();
        Ok(Self { table, programs, stages, stage_of, likes, like_of })
    }

    /// The table.
    pub fn table(&self) -> &Table {
        &self.table
    }

    /// Rules and rows of a table by name, with their points, in the order of [`Report::outcomes`].
    pub fn names(table: &Table) -> Vec<(String, u32)> {
        let rules = table.rules.iter().map(|rule| (rules::words(rule), 0));
        rules.chain(table.rows.iter().map(|row| (row.name.clone(), row.points))).collect()
    }

    /// The program of a row.
    fn subject(&self, row: &Row) -> Result<&Subject, String> {
        match &row.program {
            None => self.programs.own.as_ref().ok_or_else(|| "the table names no program".to_owned()),
            Some(path) => match self.programs.tried.get(path) {
                Some(found) => found.as_ref().map_err(|why| format!("{path}: {why}")),
                None => Err(format!("{path} was not read")),
            },
        }
    }

    /// Carries all of it out; each row is told when it is done, in whatever order that is. `None` when someone asked for an
    /// end before.
    pub fn run(&self, how: How<'_>, told: &(dyn Fn(&Outcome) + Sync)) -> Option<Report> {
        let rules: Vec<Outcome> = self.table.rules.iter().map(|rule| self.rule(rule)).collect();
        rules.iter().for_each(told);
        let rows = &self.table.rows;
        let ends: Vec<u64> = rows
            .iter()
            .scan(0_u64, |end, row| {
                *end = end.saturating_add(row.cases());
                Some(*end)
            })
            .collect();
        let all = ends.last().copied().unwrap_or(0);
        let next = AtomicU64::new(0);
        let begun: Vec<AtomicU64> = rows.iter().map(|_| AtomicU64::new(u64::MAX)).collect();
        let partial: Vec<Mutex<Partial>> = rows.iter().map(|_| Mutex::default()).collect();
        let outcomes: Vec<Mutex<Option<Outcome>>> = rows.iter().map(|_| Mutex::default()).collect();
        let work = || {
            while !how.is_over.load(Ordering::Relaxed) {
                let from = next.fetch_add(AT_ONCE, Ordering::Relaxed);
                if from >= all {
                    return;
                }
                for number in from..from.saturating_add(AT_ONCE).min(all) {
                    let index = ends.partition_point(|end| *end <= number);
                    let case = number - index.checked_sub(1).map_or(0, |before| ends[before]);
                    let row = &rows[index];
                    let now = (how.now)();
                    let start = begun[index].fetch_min(now, Ordering::Relaxed).min(now);
                    let until = start.saturating_add(self.table.limits.host);
                    let may_go_on = || !how.is_over.load(Ordering::Relaxed) && (how.now)() <= until;
                    let came = self.case(index, case, &may_go_on);
                    if how.is_over.load(Ordering::Relaxed) {
                        return;
                    }
                    let mut partial = locked(&partial[index]);
                    partial.done += 1;
                    partial.came.add(came);
                    if partial.done == row.cases() {
                        let outcome = std::mem::take(&mut partial.came).of_row(index, row);
                        drop(partial);
                        told(&outcome);
                        *locked(&outcomes[index]) = Some(outcome);
                    }
                }
            }
        };
        // They are called as this one, by which whoever looks after failures knows them.
        let name = std::thread::current().name().unwrap_or_default().to_owned();
        std::thread::scope(|scope| {
            for _ in 1..how.threads.clamp(1, 256) {
                // Where there is no further thread, the others do its part.
                let _ = std::thread::Builder::new().name(name.clone()).spawn_scoped(scope, work);
            }
            work();
        });
        let rows: Option<Vec<Outcome>> = outcomes.iter().map(|outcome| locked(outcome).take()).collect();
        let outcomes = rules.into_iter().chain(rows?).collect();
        Some(Report { about: self.table.about.clone(), outcomes })
    }

    fn rule(&self, rule: &crate::table::Rule) -> Outcome {
        let found = self.programs.own.as_ref().and_then(|own| rules::broken(rule, own));
        let failing = found.map(|difference| Failing { differences: vec![difference], ..Failing::default() });
        let failed = failing.is_some().into();
        Outcome { name: rules::words(rule), line: rule.line, failed, failing, ..Outcome::default() }
    }

    /// All runs of one case of a row.
    fn case(&self, index: usize, case: u64, may_go_on: &dyn Fn() -> bool) -> Came {
        let row = &self.table.rows[index];
        let failing = |kind, message: String| Failing {
            case,
            differences: vec![Difference::plain(kind, message)],
            ..Failing::default()
        };
        let subject = match self.subject(row) {
            Ok(subject) => subject,
            Err(why) => return Came::not_run(failing(Kind::Row, why)),
        };
        if !may_go_on() {
            let message = format!("not run: the row had used {} seconds of the host", self.table.limits.host / 1000);
            return Came::not_run(failing(Kind::Ends, message));
        }
        let chosen = row.chosen(case, subject.target());
        let came = match &row.strike {
            Some(strike) => self.struck((index, case), strike, &chosen, may_go_on),
            None => self.once((index, case), &chosen, may_go_on),
        };
        came.unwrap_or_else(|why| {
            Came::not_run(Failing { values: values_words(row, &chosen), ..failing(Kind::Row, why) })
        })
    }

    /// A case of a row in which something comes: a run for each moment of the stretch.
    fn struck(
        &self,
        (index, case): (usize, u64),
        strike: &Strike,
        chosen: &Chosen,
        may_go_on: &dyn Fn() -> bool,
    ) -> Result<Came, String> {
        let row = &self.table.rows[index];
        let subject = self.subject(row)?;
        let mut came = Came::default();
        for step in strike::moments(self, index, strike, chosen, may_go_on)? {
            let values = || values_words(row, chosen);
            match self.go(index, row, &strike::row(row, strike, step), chosen, may_go_on) {
                Ok(done) => {
                    let differences = judged(subject, row, chosen, &done);
                    let failing = (!differences.is_empty()).then(|| Failing {
                        case,
                        values: values(),
                        struck: Some(step),
                        struck_line: strike::line(&done.begun.session, step),
                        differences,
                    });
                    came.take(done.cycles(), failing);
                }
                Err(why) => {
                    let differences = vec![Difference::plain(Kind::Row, why)];
                    came.take(0, Some(Failing { case, values: values(), differences, ..Failing::default() }));
                }
            }
            if came.failed > 0 && !may_go_on() {
                break;
            }
        }
        Ok(came)
    }

    /// A case of a row: one run, and that of what it is compared with.
    fn once(&self, (index, case): (usize, u64), chosen: &Chosen, may_go_on: &dyn Fn() -> bool) -> Result<Came, String> {
        let row = &self.table.rows[index];
        let done = self.go(index, row, row, chosen, may_go_on)?;
        let mut differences = judged(self.subject(row)?, row, chosen, &done);
        let mut came = Came::default();
        match self.like(index) {
            Err(why) => differences.push(Difference::plain(Kind::Row, why)),
            Ok(None) => {}
            Ok(Some(like)) => {
                let (found, cycles) = like.compare(row, chosen, &self.table.limits, &done, may_go_on);
                came.reference = cycles.map(|cycles| Span::with(None, cycles));
                differences.extend(found);
                in_order(&mut differences);
            }
        }
        let failing = (!differences.is_empty()).then(|| Failing {
            case,
            values: values_words(row, chosen),
            differences,
            ..Failing::default()
        });
        came.take(done.cycles(), failing);
        Ok(came)
    }

    /// The program as a row runs it.
    fn stage(&self, index: usize) -> Result<&Stage, String> {
        let row = &self.table.rows[index];
        let made = || self.subject(row)?.stage(row.given.call.as_deref());
        let stage = self.stage_of[index].and_then(|at| self.stages.get(at)).ok_or("there is no such row")?;
        stage.get_or_init(made).as_ref().map_err(Clone::clone)
    }

    /// What a row is compared with, when it is.
    fn like(&self, index: usize) -> Result<Option<&Like>, String> {
        let row = &self.table.rows[index];
        let (Some(like), Some(at)) = (&row.like, self.like_of[index]) else { return Ok(None) };
        let made = || Like::new(like, self.subject(row)?, &self.programs.references);
        self.likes[at].get_or_init(made).as_ref().map(Some).map_err(Clone::clone)
    }

    /// Begins a run of a row; `given` is that row, or it with something more that comes.
    pub(crate) fn begin(&self, index: usize, given: &Row, chosen: &Chosen) -> Result<Begun, String> {
        self.stage(index)?.begin(self.subject(given)?, given, chosen, &self.table.limits)
    }

    /// Carries a run of a row through.
    fn go(
        &self,
        index: usize,
        row: &Row,
        given: &Row,
        chosen: &Chosen,
        may_go_on: &dyn Fn() -> bool,
    ) -> Result<Done, String> {
        Ok(carried(self.begin(index, given, chosen)?, row, chosen, may_go_on))
    }

    /// The run of a row that failed, to be walked through; the first run of the row when none failed.
    ///
    /// # Errors
    ///
    /// The row does not fit the program, and why.
    pub fn walk(&self, index: usize, failing: Option<&Failing>, may_go_on: &dyn Fn() -> bool) -> Result<Walk, String> {
        let row = self.table.rows.get(index).ok_or("there is no such row")?;
        let chosen = row.chosen(failing.map_or(0, |failing| failing.case), self.subject(row)?.target());
        let struck = failing.and_then(|failing| failing.struck).zip(row.strike.as_ref());
        let given = struck.map(|(step, strike)| strike::row(row, strike, step));
        let given = given.as_ref().unwrap_or(row);
        let begun = self.stage(index)?.seen().begin(self.subject(row)?, given, &chosen, &self.table.limits)?;
        let done = carried(begun, row, &chosen, may_go_on);
        let step = failing.and_then(|failing| failing.differences.iter().find_map(|found| found.step));
        let back = done.begun.back;
        let like = self.like(index).ok().flatten();
        let reference = like.and_then(|like| like.run(row, &chosen, &self.table.limits, may_go_on).ok());
        let reference = reference.map(|done| done.begun.session);
        Ok(Walk {
            yard: Yard::of(given, &chosen),
            reference,
            session: done.begun.session,
            step,
            expected: expected_words(row, &chosen),
            back,
        })
    }

    /// What each run may use.
    pub fn limits(&self) -> &Limits {
        &self.table.limits
    }
}

/// What is called by names of a program and a routine.
type Key<'a> = (Option<&'a str>, Option<&'a str>, Option<&'a str>);

/// The same number for the same key.
fn numbered<'a>(keys: impl Iterator<Item = Option<Key<'a>>>) -> Vec<Option<usize>> {
    let mut known: BTreeMap<Key<'a>, usize> = BTreeMap::new();
    keys.map(|key| {
        let next = known.len();
        key.map(|key| *known.entry(key).or_insert(next))
    })
    .collect()
}

/// Carries a run through that has begun.
pub(crate) fn carried(mut begun: Begun, row: &Row, chosen: &Chosen, may_go_on: &dyn Fn() -> bool) -> Done {
    // What a routine must not change is compared with what was there.
    let start = begun.back.map(|_| begun.session.oldest_state().clone());
    let ending = go(&mut begun, &Yard::of(row, chosen), may_go_on);
    Done { begun, start, ending }
}

fn judged(subject: &Subject, row: &Row, chosen: &Chosen, done: &Done) -> Vec<Difference> {
    let run = (&done.begun, &done.ending, done.start.as_ref());
    Judge::new((row, chosen), run, subject.code()).differences()
}

/// What a row expects to be printed.
fn expected_words(row: &Row, chosen: &Chosen) -> Option<String> {
    let content = row.expected.prints.as_ref()?.content()?;
    Some(String::from_utf8_lossy(&content.with(chosen)).into_owned())
}

/// The values of a run, in words.
fn values_words(row: &Row, chosen: &Chosen) -> String {
    let values = row.given.vary.iter().filter_map(|(name, _)| Some(format!("{name} = {}", chosen.get(name)?)));
    values.collect::<Vec<_>>().join(", ")
}

/// What a thread left that failed is whole all the same: nothing is changed in more than one go.
fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}
