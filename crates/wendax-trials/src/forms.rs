//! What came of a table as it is written: text for people, JSON lines, `JUnit` XML, TAP, Markdown.
//!
//! Nothing in it reaches a terminal or a reader of the form as anything but text: names and what programs printed are made
//! visible, and set apart as the form asks. Of a hidden row that failed nothing but its name is told.

use crate::trials::{Outcome, Report, Span};
use serde::Serialize;
use std::fmt::Write as _;
use wendax_machine::CYCLES_A_MILLISECOND;
use wendax_session::{counted, grouped};
use wendax_source::{shown, shown_line};

/// A form.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ReportForm {
    /// For people, what failed first.
    #[default]
    Text,
    /// An object on each line, the last one of the whole table.
    Json,
    /// The XML that build servers read as that of `JUnit`.
    Junit,
    /// The Test Anything Protocol, version 14.
    Tap,
    /// A table, as for a change that is proposed.
    Markdown,
}

impl ReportForm {
    /// What came of tables, each with its name, or that of the program it was tried on.
    pub fn write(self, reports: &[(&str, &Report)]) -> String {
        let each = |one: fn(&str, &Report) -> String, between: &str| {
            reports.iter().map(|(name, report)| one(name, report)).collect::<Vec<_>>().join(between)
        };
        match self {
            Self::Text => each(text, "\n"),
            Self::Json => each(json, ""),
            Self::Junit => junit(reports),
            Self::Tap => tap(reports),
            Self::Markdown => each(markdown, "\n"),
        }
    }

    /// The ending of files in it.
    pub fn ending(self) -> &'static str {
        match self {
            Self::Text => "txt",
            Self::Json => "jsonl",
            Self::Junit => "xml",
            Self::Tap => "tap",
            Self::Markdown => "md",
        }
    }
}

impl Outcome {
    /// Why it failed, in one line; nothing but that of a hidden one.
    pub fn why(&self) -> Option<String> {
        let failing = self.failing.as_ref()?;
        if self.is_hidden {
            return Some("hidden".to_owned());
        }
        let mut why = shown_line(&failing.words()).into_owned();
        if self.runs > 1 {
            let verb = if self.failed == 1 { "fails" } else { "fail" };
            why.push_str(&format!(" ({} of {} {verb})", grouped(self.failed), counted(self.runs, "run", "runs")));
        }
        Some(why)
    }

    /// What it took, in words: `212 cycles`, `40 to 1,212 cycles, reference 90 to 4,000`.
    pub fn cost(&self) -> String {
        let Some(cycles) = self.cycles else { return String::new() };
        let mut cost = format!("{} cycles", span(cycles));
        if let Some(reference) = self.reference {
            cost.push_str(&format!(", reference {}", span(reference)));
        }
        cost
    }
}

fn span(span: Span) -> String {
    let Span { least, most } = span;
    if least == most { grouped(least) } else { format!("{} to {}", grouped(least), grouped(most)) }
}

impl Report {
    /// The whole of it in one line: `2 of 8 failed, 6 of 10 points`.
    pub fn sum(&self) -> String {
        let count = self.outcomes.len();
        let (got, all) = self.points();
        let points =
            if all > 0 { format!("; {} of {}", grouped(got), counted(all, "point", "points")) } else { String::new() };
        match self.failed() {
            0 => format!("{} passed{points}", counted(count as u64, "row", "rows")),
            failed => format!("{failed} of {} failed{points}", counted(count as u64, "row", "rows")),
        }
    }
}

fn text(name: &str, report: &Report) -> String {
    let mut out = format!("{}: {}\n", shown_line(name), report.sum());
    let failed = report.outcomes.iter().filter(|outcome| !outcome.is_passed());
    let mut is_failed = false;
    for outcome in failed {
        is_failed = true;
        let note = if outcome.note.is_empty() || outcome.is_hidden {
            String::new()
        } else {
            format!("  ({})", shown_line(&outcome.note))
        };
        // Writing to a String cannot fail.
        let _ = writeln!(
            out,
            "\n  failed  {}{note}\n          {}",
            shown_line(&outcome.name),
            outcome.why().unwrap_or_default()
        );
    }
    if is_failed {
        out.push('\n');
    }
    let width = report.outcomes.iter().map(|outcome| outcome.name.chars().count()).max().unwrap_or(0).min(40);
    for outcome in report.outcomes.iter().filter(|outcome| outcome.is_passed()) {
        let runs = if outcome.runs > 1 { counted(outcome.runs, "run", "runs") } else { String::new() };
        let cost = [runs, outcome.cost()].into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join(", ");
        let line = format!("  passed  {:<width$}  {cost}", shown_line(&outcome.name));
        let _ = writeln!(out, "{}", line.trim_end());
    }
    out
}

/// A row, for programs.
#[derive(Debug, Serialize)]
struct RowObject<'a> {
    table: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    row: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    rule: Option<&'a str>,
    line: usize,
    result: &'static str,
    points: u32,
    runs: u64,
    failed: u64,
    #[serde(skip_serializing_if = "Option::is_none")]
    cycles: Option<[u64; 2]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    reference_cycles: Option<[u64; 2]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    first: Option<FirstObject<'a>>,
}

/// The first difference of a row that failed.
#[derive(Debug, Serialize)]
struct FirstObject<'a> {
    kind: &'static str,
    message: String,
    #[serde(skip_serializing_if = "str::is_empty")]
    values: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    struck: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    step: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    place: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    since: Option<&'a str>,
}

/// A whole table, for programs.
#[derive(Debug, Serialize)]
struct SumObject<'a> {
    table: &'a str,
    rows: usize,
    failed: usize,
    points: u64,
    of: u64,
}

fn json(name: &str, report: &Report) -> String {
    let mut out = String::new();
    let mut line = |json: serde_json::Result<String>| {
        // Numbers and texts are always JSON.
        out.push_str(&json.unwrap_or_default());
        out.push('\n');
    };
    for outcome in &report.outcomes {
        let both = |span: Span| [span.least, span.most];
        let failing = outcome.failing.as_ref().filter(|_| !outcome.is_hidden);
        let first = failing.and_then(|failing| failing.differences.first().map(|first| (failing, first)));
        let first = first.map(|(failing, first)| FirstObject {
            kind: first.kind.word(),
            message: shown_line(&first.message).into_owned(),
            values: &failing.values,
            struck: failing.struck.map(|step| step.0),
            step: first.step.map(|step| step.0),
            place: first.line.as_deref(),
            since: first.since.as_deref(),
        });
        line(serde_json::to_string(&RowObject {
            table: name,
            row: outcome.row.map(|_| outcome.name.as_str()),
            rule: outcome.row.is_none().then_some(outcome.name.as_str()),
            line: outcome.line,
            result: result(outcome),
            points: outcome.points,
            runs: outcome.runs,
            failed: outcome.failed,
            cycles: outcome.cycles.map(both),
            reference_cycles: outcome.reference.map(both),
            first,
        }));
    }
    let (points, of) = report.points();
    let sum = SumObject { table: name, rows: report.outcomes.len(), failed: report.failed(), points, of };
    line(serde_json::to_string(&sum));
    out
}

fn result(outcome: &Outcome) -> &'static str {
    if outcome.is_passed() { "passed" } else { "failed" }
}

/// A text inside of XML: its signs escaped, and such as XML may not hold made visible (XML 1.0, 2.2 and 2.4).
fn xml(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for sign in shown(text).chars() {
        match sign {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\u{FFFE}' | '\u{FFFF}' => out.push('\u{FFFD}'),
            sign => out.push(sign),
        }
    }
    out
}

fn junit(reports: &[(&str, &Report)]) -> String {
    /// Seconds of the program's own clock, in the run that took longest.
    fn seconds(outcome: &Outcome) -> String {
        let cycles = outcome.cycles.map_or(0, |cycles| cycles.most);
        let a_second = CYCLES_A_MILLISECOND * 1000;
        format!("{}.{:06}", cycles / a_second, cycles % a_second)
    }
    let count = |of: fn(&Report) -> usize| reports.iter().map(|(_, report)| of(report)).sum::<usize>();
    let (all, failed) = (count(|report| report.outcomes.len()), count(Report::failed));
    let mut out =
        format!("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites tests=\"{all}\" failures=\"{failed}\">\n");
    for (name, report) in reports {
        let (name, count, failed) = (xml(name), report.outcomes.len(), report.failed());
        // Writing to a String cannot fail.
        let _ = writeln!(out, "  <testsuite name=\"{name}\" tests=\"{count}\" failures=\"{failed}\" errors=\"0\">");
        for outcome in &report.outcomes {
            let case = xml(&outcome.name);
            let head = format!("    <testcase name=\"{case}\" classname=\"{name}\" time=\"{}\"", seconds(outcome));
            let _ = match outcome.why() {
                None => writeln!(out, "{head}/>"),
                Some(why) => writeln!(out, "{head}>\n      <failure message=\"{}\"/>\n    </testcase>", xml(&why)),
            };
        }
        out.push_str("  </testsuite>\n");
    }
    out.push_str("</testsuites>\n");
    out
}

fn tap(reports: &[(&str, &Report)]) -> String {
    // A number sign begins a directive, and a backslash takes its meaning away.
    let plain = |text: &str| shown_line(text).replace('\\', "\\\\").replace('#', "\\#");
    let all: usize = reports.iter().map(|(_, report)| report.outcomes.len()).sum();
    let mut out = format!("TAP version 14\n1..{all}\n");
    let mut number = 0;
    for (name, report) in reports {
        let _ = writeln!(out, "# {}", shown_line(name));
        for outcome in &report.outcomes {
            number += 1;
            let is = if outcome.is_passed() { "ok" } else { "not ok" };
            let _ = writeln!(out, "{is} {number} - {}", plain(&outcome.name));
            if let Some(why) = outcome.why() {
                // A text in double quotation marks, as YAML and JSON both have it.
                let why = serde_json::to_string(&why).unwrap_or_default();
                let _ = writeln!(out, "  ---\n  message: {why}\n  ...");
            }
        }
    }
    out
}

/// A text in a cell of a table of Markdown: nothing in it is a sign of the form.
pub(crate) fn cell(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for sign in shown_line(text).chars() {
        if matches!(sign, '\\' | '|' | '*' | '_' | '<' | '>' | '[' | ']' | '#' | '~' | '&' | '!') {
            out.push('\\');
        }
        out.push(if sign == '\n' { ' ' } else { sign });
    }
    // What is set apart by these signs stays so, unless they are odd.
    if out.matches('`').count().is_multiple_of(2) { out } else { out.replace('`', "'") }
}

fn markdown(name: &str, report: &Report) -> String {
    let mut out = format!("### {}: {}\n\n", cell(name), report.sum());
    out.push_str("| | row | what came of it | cycles |\n|---|---|---|---|\n");
    let (failed, passed): (Vec<_>, Vec<_>) = report.outcomes.iter().partition(|outcome| !outcome.is_passed());
    for outcome in failed.into_iter().chain(passed) {
        let why = outcome.why().map_or_else(String::new, |why| cell(&why));
        let cost = outcome.cost();
        let cost = cost.replace(" cycles", "");
        let _ = writeln!(out, "| {} | {} | {why} | {cost} |", result(outcome), cell(&outcome.name));
    }
    out
}
