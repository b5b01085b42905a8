//! Tallies and comparisons of them as comma-separated values.

use crate::measure::{Comparison, Row, Tally};
use std::path::Path;

/// The columns of a tally.
const HEAD: [&str; 14] = [
    "what",
    "name",
    "file",
    "line",
    "address",
    "times",
    "steps",
    "cycles",
    "all_steps",
    "all_cycles",
    "taken",
    "not_taken",
    "read",
    "written",
];

/// Rows as text; a writer over memory fails at nothing.
fn written(rows: impl IntoIterator<Item = Vec<String>>) -> String {
    let mut writer = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
    for row in rows {
        let _ = writer.write_record(row);
    }
    writer.into_inner().ok().and_then(|bytes| String::from_utf8(bytes).ok()).unwrap_or_default()
}

/// A row of a tally: what it is of, its name, and what of [`HEAD`] it has.
fn row(what: &str, name: &str, fields: &[(&str, String)]) -> Vec<String> {
    let of = |column: &&str| {
        let known = fields.iter().find(|(name, _)| name == column);
        known.map_or(String::new(), |(_, value)| value.clone())
    };
    [what.to_owned(), name.to_owned()].into_iter().chain(HEAD[2..].iter().map(of)).collect()
}

/// How a tally is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TallyForm {
    /// Tables for people.
    Text,
    /// To be kept, and compared.
    Json,
    /// Comma-separated values.
    Csv,
    /// The lines that ran (LCOV).
    Lcov,
}

impl TallyForm {
    /// What the ending of a file's name asks for.
    ///
    /// # Errors
    ///
    /// An ending that says something else, as a sentence.
    pub fn of(place: &Path) -> Result<Self, String> {
        match super::ending(place).as_str() {
            "" | "txt" => Ok(Self::Text),
            "json" => Ok(Self::Json),
            "csv" => Ok(Self::Csv),
            "info" => Ok(Self::Lcov),
            other => Err(format!(
                "{}: a tally goes to a .txt, .csv, .json or .info, not to a .{other}; `wendax draw tally` makes a drawing of it",
                place.display()
            )),
        }
    }
}

impl Tally {
    /// In a form: files of the lines that ran are named by `path`, and tables have at most so many rows each.
    ///
    /// # Errors
    ///
    /// JSON that cannot be made.
    pub fn written(
        &self,
        form: TallyForm,
        rows: usize,
        path: impl Fn(&str) -> String,
    ) -> Result<String, serde_json::Error> {
        match form {
            TallyForm::Json => self.to_json(),
            TallyForm::Csv => Ok(self.to_csv()),
            TallyForm::Lcov => Ok(self.to_lcov(path)),
            TallyForm::Text => Ok(self.to_text(rows)),
        }
    }

    /// Comma-separated values with one head: a row for each routine, line, instruction, call, trap, interrupt, label,
    /// region and span, told apart by its first column; what a thing has not stays empty.
    pub fn to_csv(&self) -> String {
        let mut rows = vec![HEAD.map(str::to_owned).to_vec()];
        let mut row = |what: &str, name: &str, fields: &[(&str, String)]| rows.push(row(what, name, fields));
        row(
            "run",
            &self.name,
            &[("times", "1".into()), ("steps", self.steps().to_string()), ("cycles", self.cycles.to_string())],
        );
        for one in &self.routines {
            let fields = [
                ("address", format!("0x{}", self.hex_address(one.address))),
                ("times", one.calls.to_string()),
                ("steps", one.own_steps.to_string()),
                ("cycles", one.own_cycles.to_string()),
                ("all_steps", one.all_steps.to_string()),
                ("all_cycles", one.all_cycles.to_string()),
            ];
            row("routine", &one.name, &fields);
        }
        for one in &self.lines {
            let mut fields = vec![
                ("file", one.file.clone()),
                ("line", one.line.to_string()),
                ("times", one.times.to_string()),
                ("steps", one.steps.to_string()),
                ("cycles", one.cycles.to_string()),
            ];
            if let Some((taken, not_taken)) = one.taken {
                fields.extend([("taken", taken.to_string()), ("not_taken", not_taken.to_string())]);
            }
            row("line", one.text.trim(), &fields);
        }
        for one in &self.kinds {
            let mut fields = vec![("times", one.times.to_string()), ("cycles", one.cycles.to_string())];
            if let Some(taken) = one.taken {
                fields.extend([("taken", taken.to_string()), ("not_taken", (one.times - taken).to_string())]);
            }
            row("instruction", &one.name, &fields);
        }
        for (what, events) in [("call", &self.calls), ("trap", &self.traps), ("interrupt", &self.interrupts)] {
            for one in events {
                row(what, &one.name, &[("times", one.times.to_string()), ("cycles", one.cycles.to_string())]);
            }
        }
        let labels = self.labels.iter().map(|one| ("label", &one.name, one.address, one.read, one.written));
        let regions = self.regions.iter().map(|one| ("region", &one.name, one.start, one.read, one.written));
        for (what, name, address, read, written) in labels.chain(regions) {
            let address = format!("0x{}", self.hex_address(address));
            row(what, name, &[("address", address), ("read", read.to_string()), ("written", written.to_string())]);
        }
        for one in &self.spans {
            row("span", &one.words, &[("times", one.times.to_string()), ("cycles", one.cycles[2].to_string())]);
        }
        written(rows)
    }
}

impl Comparison {
    /// Comma-separated values with one head: a row for each thing, with its cycles in each of the tallies.
    pub fn to_csv(&self) -> String {
        let names = self.names.iter().cloned();
        let head = ["what", "name", "file", "line"].map(str::to_owned).into_iter().chain(names);
        let mut rows = vec![head.chain(["difference".to_owned()]).collect()];
        let parts: [(&str, &[Row]); 5] = [
            ("total", &self.totals),
            ("routine", &self.routines),
            ("line", &self.lines),
            ("instruction", &self.kinds),
            ("label", &self.labels),
        ];
        for (what, row) in parts.into_iter().flat_map(|(what, rows)| rows.iter().map(move |row| (what, row))) {
            let place = row.place.as_ref();
            let (file, line) = place.map_or_else(Default::default, |(file, line)| (file.clone(), line.to_string()));
            let costs = row.costs.iter().map(|cost| cost.map_or(String::new(), |cost| cost.cycles.to_string()));
            let begin = [what.to_owned(), row.name.trim().to_owned(), file, line];
            rows.push(begin.into_iter().chain(costs).chain([row.difference().to_string()]).collect());
        }
        written(rows)
    }
}
