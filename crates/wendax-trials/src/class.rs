//! One table tried on many programs: rows by programs, as text, CSV and Markdown.

use crate::alike::Alike;
use crate::forms::cell;
use crate::trials::{Outcome, Report};
use std::fmt::Write as _;
use wendax_session::{counted, grouped};
use wendax_source::shown_line;

/// What one program came to.
#[derive(Debug, Clone)]
pub struct HandIn {
    /// What it is called.
    pub name: String,
    /// What came of each row; or why nothing could be run.
    pub came: Result<Report, String>,
}

/// What all of them came to.
#[derive(Debug, Clone, Default)]
pub struct Class {
    /// What the table is about.
    pub about: String,
    /// Rules and rows by name, with their points.
    pub rows: Vec<(String, u32)>,
    /// The programs.
    pub hand_ins: Vec<HandIn>,
    /// Those that are alike.
    pub alike: Vec<Alike>,
}

/// What a row came to with a program.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// As expected.
    Passed,
    /// Not as expected.
    Failed,
    /// The program could not be run.
    NotRun,
}

impl Mark {
    /// A word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Passed => "passed",
            Self::Failed => "failed",
            Self::NotRun => "not run",
        }
    }

    /// A sign for it.
    pub fn sign(self) -> char {
        match self {
            Self::Passed => '\u{2713}',
            Self::Failed => '\u{2717}',
            Self::NotRun => '\u{2013}',
        }
    }
}

impl HandIn {
    /// What a row came to.
    pub fn mark(&self, row: usize) -> Mark {
        match self.came.as_ref().ok().and_then(|report| report.outcomes.get(row)) {
            Some(outcome) if outcome.is_passed() => Mark::Passed,
            Some(_) => Mark::Failed,
            None => Mark::NotRun,
        }
    }

    /// Points that were reached.
    pub fn points(&self) -> u64 {
        self.came.as_ref().map_or(0, |report| report.points().0)
    }

    /// What is first to be said of it: why it was not run, or the first row that failed, by its number, and why.
    pub fn found(&self) -> Option<(Option<usize>, String)> {
        match &self.came {
            Err(why) => Some((None, why.clone())),
            Ok(report) => {
                let failed = |(index, outcome): (usize, &Outcome)| outcome.why().map(|why| (Some(index), why));
                report.outcomes.iter().enumerate().find_map(failed)
            }
        }
    }

    /// The same in words, the row by its name; empty where all is well.
    pub fn first(&self, rows: &[(String, u32)]) -> String {
        match self.found() {
            None => String::new(),
            Some((None, why)) => why,
            Some((Some(row), why)) => format!("{}: {why}", rows.get(row).map_or("", |(name, _)| name.as_str())),
        }
    }
}

impl Class {
    /// Points there are.
    pub fn points(&self) -> u64 {
        self.rows.iter().map(|(_, points)| u64::from(*points)).sum()
    }

    /// Programs that passed all, and those that were not run.
    pub fn counts(&self) -> (usize, usize) {
        let passed =
            self.hand_ins.iter().filter(|it| it.came.as_ref().is_ok_and(|report| report.failed() == 0)).count();
        (passed, self.hand_ins.iter().filter(|it| it.came.is_err()).count())
    }

    /// The whole of it in one line.
    pub fn sum(&self) -> String {
        let (passed, not_run) = self.counts();
        let count = counted(self.hand_ins.len() as u64, "program", "programs");
        let rows = counted(self.rows.len() as u64, "row", "rows");
        let not_run = if not_run > 0 { format!(", {not_run} could not be run") } else { String::new() };
        format!("{count}, {rows}: {passed} passed all{not_run}")
    }

    /// What came of each row of a program; of one that could not be run that, for each.
    pub fn report(&self, hand_in: &HandIn) -> Report {
        let why = match &hand_in.came {
            Ok(report) => return report.clone(),
            Err(why) => why,
        };
        let outcomes = self.rows.iter().map(|(name, points)| Outcome::not_run(name, *points, why)).collect();
        Report { about: self.about.clone(), outcomes }
    }

    /// Two programs that are alike, in words.
    pub fn alike_words(&self, alike: &Alike) -> String {
        let name = |index: usize| self.hand_ins.get(index).map_or("", |it| it.name.as_str());
        format!("{} and {} are alike by {} of 100", name(alike.one), name(alike.other), alike.percent)
    }

    /// For people.
    pub fn text(&self, table: &str) -> String {
        let mut out = format!("{}: {}\n\n", shown_line(table), self.sum());
        let width = self.hand_ins.iter().map(|it| it.name.chars().count()).max().unwrap_or(0).min(40);
        for (number, (row, points)) in (1..).zip(&self.rows) {
            // Writing to a String cannot fail.
            let points = if *points == 0 {
                String::new()
            } else {
                format!("  ({})", counted((*points).into(), "point", "points"))
            };
            let _ = writeln!(out, "  {number:>3}  {}{points}", shown_line(row));
        }
        let heads = joined((1..=self.rows.len()).map(|number| format!("{number:>3}")));
        let _ = writeln!(out, "\n  {:<width$} {heads}  points", "");
        for hand_in in &self.hand_ins {
            let marks = joined((0..self.rows.len()).map(|row| format!("  {}", hand_in.mark(row).sign())));
            let _ = writeln!(out, "  {:<width$} {marks}  {:>6}", shown_line(&hand_in.name), grouped(hand_in.points()));
        }
        let said = self.hand_ins.iter().map(|it| (it, it.first(&self.rows))).filter(|(_, first)| !first.is_empty());
        for (number, (hand_in, first)) in said.enumerate() {
            let begins = if number == 0 { "\n" } else { "" };
            let _ = writeln!(out, "{begins}  {}: {}", shown_line(&hand_in.name), shown_line(&first));
        }
        for (number, alike) in self.alike.iter().enumerate() {
            let begins = if number == 0 { "\n" } else { "" };
            let _ = writeln!(out, "{begins}  {}", shown_line(&self.alike_words(alike)));
        }
        out
    }

    /// As comma-separated values (RFC 4180): a record for each program.
    ///
    /// # Errors
    ///
    /// Never: it is written to memory.
    pub fn csv(&self) -> Result<String, std::io::Error> {
        let mut writer = csv::Writer::from_writer(Vec::new());
        let heads = ["program", "points", "of", "passed", "failed"].into_iter().map(str::to_owned);
        let rows = self.rows.iter().map(|(row, _)| calm(row));
        writer.write_record(heads.chain(rows).chain(["first".to_owned(), "alike".to_owned()]))?;
        for (index, hand_in) in self.hand_ins.iter().enumerate() {
            let marks: Vec<Mark> = (0..self.rows.len()).map(|row| hand_in.mark(row)).collect();
            let count = |mark: Mark| marks.iter().filter(|it| **it == mark).count().to_string();
            let (passed, failed) = (count(Mark::Passed), count(Mark::Failed));
            let own = self.alike.iter().filter(|alike| alike.one == index || alike.other == index);
            let alike: Vec<String> = own
                .map(|alike| {
                    let other = if alike.one == index { alike.other } else { alike.one };
                    format!("{} ({})", self.hand_ins.get(other).map_or("", |it| it.name.as_str()), alike.percent)
                })
                .collect();
            let head = [calm(&hand_in.name), hand_in.points().to_string(), self.points().to_string(), passed, failed];
            let words = marks.iter().map(|mark| mark.word().to_owned());
            writer.write_record(
                head.into_iter().chain(words).chain([calm(&hand_in.first(&self.rows)), calm(&alike.join("; "))]),
            )?;
        }
        let bytes = writer.into_inner().map_err(csv::IntoInnerError::into_error)?;
        Ok(String::from_utf8_lossy(&bytes).into_owned())
    }

    /// As a page of Markdown.
    pub fn markdown(&self, table: &str) -> String {
        let mut out = format!("# {}\n\n{}\n\n", cell(table), self.sum());
        if !self.about.is_empty() {
            let _ = writeln!(out, "{}\n", cell(&self.about));
        }
        let heads = joined(self.rows.iter().map(|(row, _)| format!(" {} |", cell(row))));
        let rules = ":-:|".repeat(self.rows.len());
        let _ = writeln!(out, "| program | points |{heads} first |\n|---|--:|{rules}---|");
        for hand_in in &self.hand_ins {
            let marks = joined((0..self.rows.len()).map(|row| format!(" {} |", hand_in.mark(row).sign())));
            let (name, points, of) = (cell(&hand_in.name), grouped(hand_in.points()), grouped(self.points()));
            let _ = writeln!(out, "| {name} | {points} of {of} |{marks} {} |", cell(&hand_in.first(&self.rows)));
        }
        if !self.alike.is_empty() {
            out.push_str("\n## Alike beyond names and registers\n\n");
        }
        for alike in &self.alike {
            let _ = writeln!(out, "- {}", cell(&self.alike_words(alike)));
        }
        out
    }
}

/// Pieces of a line.
fn joined(pieces: impl Iterator<Item = String>) -> String {
    pieces.collect::<Vec<_>>().concat()
}

/// A text as a cell that no reader of tables takes for a formula.
fn calm(text: &str) -> String {
    let shown = shown_line(text);
    if shown.starts_with(['=', '+', '-', '@']) { format!("'{shown}") } else { shown.into_owned() }
}
