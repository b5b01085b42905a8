//! Tallies as tables: what screens, command line and documents show of them, once for all.
//!
//! A table says of each column whether it holds numbers and of each row where it leads; how it is drawn is for others.

use super::compare::{Comparison, Row};
use super::float;
use super::tally::{Dearest, EventTally, Tally, group_sums};
use crate::numbers::grouped;
use std::fmt::Write as _;
use wendax_isa::{Addr, StepNo};

/// What stands in a cell.
#[derive(Debug, Clone, PartialEq)]
pub enum Cell {
    /// A text.
    Text(String),
    /// A number.
    Number(u64),
    /// How much more or less.
    Difference(i128),
    /// A share, 0 to 1.
    Share(f64),
    /// Nothing.
    Nothing,
}

/// Where a row leads.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Leads {
    /// Nowhere.
    Nowhere,
    /// A line, from 1, of a file.
    Line(String, u32),
    /// A step of the run.
    Step(StepNo),
    /// An address.
    Address(Addr),
}

/// A row.
#[derive(Debug, Clone, PartialEq)]
pub struct TableRow {
    /// One for each column.
    pub cells: Vec<Cell>,
    /// Where it leads.
    pub leads: Leads,
}

/// A table; its first column names the rows.
#[derive(Debug, Clone, PartialEq)]
pub struct Table {
    /// A word for it.
    pub name: &'static str,
    /// What its columns are called.
    pub columns: Vec<String>,
    /// Its rows, in the order that tells most.
    pub rows: Vec<TableRow>,
    /// The column whose numbers a bar beside each row stands for.
    pub bars: Option<usize>,
}

impl Cell {
    /// It is a number of some sort, and stands on the right.
    pub fn is_number(&self) -> bool {
        !matches!(self, Self::Text(_))
    }

    /// In words.
    pub fn words(&self) -> String {
        match self {
            Self::Text(text) => text.clone(),
            Self::Number(number) => grouped(*number),
            Self::Difference(0) => "=".to_owned(),
            Self::Difference(difference) => {
                let size = u64::try_from(difference.unsigned_abs()).unwrap_or(u64::MAX);
                format!("{}{}", if *difference < 0 { '\u{2212}' } else { '+' }, grouped(size))
            }
            Self::Share(share) => format!("{:.1} %", share * 100.0),
            Self::Nothing => String::new(),
        }
    }

    /// Its number, to sort and to draw by.
    pub fn value(&self) -> Option<f64> {
        match self {
            Self::Number(number) => Some(float(*number)),
            Self::Difference(difference) => {
                let size = float(u64::try_from(difference.unsigned_abs()).unwrap_or(u64::MAX));
                Some(if *difference < 0 { -size } else { size })
            }
            Self::Share(share) => Some(*share),
            Self::Text(_) | Self::Nothing => None,
        }
    }
}

fn share(part: u64, whole: u64) -> Cell {
    if whole == 0 { Cell::Nothing } else { Cell::Share(float(part) / float(whole)) }
}

/// A text by which names with numbers at their end come in the order of those: `line 9` before `line 10`.
fn natural(text: &str) -> (String, u64, String) {
    let name = text.trim_end_matches(|c: char| c.is_ascii_digit());
    (name.to_owned(), text[name.len()..].parse().unwrap_or(0), text.to_owned())
}

fn table(name: &'static str, columns: &[&str], bars: Option<usize>) -> Table {
    Table { name, columns: columns.iter().map(|&column| column.to_owned()).collect(), rows: Vec::new(), bars }
}

fn text(text: impl Into<String>) -> Cell {
    Cell::Text(text.into())
}

impl Table {
    /// Sorts by a column: numbers from the greatest, texts from the first; the other way round when `is_reversed`. Rows
    /// without a value there come last.
    pub fn sort_by(&mut self, column: usize, is_reversed: bool) {
        self.rows.sort_by(|one, other| {
            let (one, other) = (one.cells.get(column), other.cells.get(column));
            let (value, other_value) = (one.and_then(Cell::value), other.and_then(Cell::value));
            let order = match (value, other_value, one, other) {
                (Some(one), Some(other), ..) => other.total_cmp(&one),
                (Some(_), None, ..) => return std::cmp::Ordering::Less,
                (None, Some(_), ..) => return std::cmp::Ordering::Greater,
                (None, None, Some(one), Some(other)) => natural(&one.words()).cmp(&natural(&other.words())),
                _ => std::cmp::Ordering::Equal,
            };
            if is_reversed { order.reverse() } else { order }
        });
    }

    /// The width of each column, in characters.
    pub fn widths(&self) -> Vec<usize> {
        let of = |column: usize| {
            let cells = self.rows.iter().filter_map(|row| row.cells.get(column));
            cells.map(|cell| cell.words().chars().count()).max().unwrap_or(0).max(self.columns[column].chars().count())
        };
        (0..self.columns.len()).map(of).collect()
    }

    /// A column holds numbers.
    pub fn is_numeric(&self, column: usize) -> bool {
        let cells = || self.rows.iter().filter_map(|row| row.cells.get(column));
        cells().any(|cell| cell.value().is_some())
            && !cells().any(|cell| matches!(cell, Cell::Text(text) if text != NEVER))
    }

    /// The table as text in columns, at most so many rows of it; what was left out is said.
    pub fn to_text(&self, most: usize) -> String {
        let widths = self.widths();
        let numeric: Vec<bool> = (0..widths.len()).map(|column| self.is_numeric(column)).collect();
        let line = |cells: &[String]| {
            let mut line = String::new();
            for ((cell, width), is_number) in cells.iter().zip(&widths).zip(&numeric) {
                let _ = if *is_number { write!(line, "{cell:>width$}  ") } else { write!(line, "{cell:<width$}  ") };
            }
            line.trim_end().to_owned() + "\n"
        };
        let mut out = line(&self.columns);
        for row in self.rows.iter().take(most) {
            out.push_str(&line(&row.cells.iter().map(Cell::words).collect::<Vec<_>>()));
        }
        if self.rows.len() > most {
            let _ = writeln!(out, "… {} more", self.rows.len() - most);
        }
        out
    }

    /// The table in Markdown.
    pub fn to_markdown(&self, most: usize) -> String {
        let escape = |text: &str| text.replace('\\', "\\\\").replace('|', "\\|").replace('\n', " ");
        let mut out = format!("| {} |\n|", self.columns.join(" | "));
        for column in 0..self.columns.len() {
            out.push_str(if self.is_numeric(column) { "---:|" } else { "---|" });
        }
        out.push('\n');
        for row in self.rows.iter().take(most) {
            let cells: Vec<String> = row.cells.iter().map(|cell| escape(&cell.words())).collect();
            let _ = writeln!(out, "| {} |", cells.join(" | "));
        }
        if self.rows.len() > most {
            let _ = writeln!(out, "\n… {} more", self.rows.len() - most);
        }
        out
    }
}

/// What stands in the place of a count of what never ran.
pub const NEVER: &str = "never";

impl Tally {
    /// The arguments of a call: `r0 = wagons, r1 = 24`.
    fn arguments(&self, call: &Dearest) -> String {
        let value = |value: u32| {
            let label = self.labels.iter().find(|label| label.address == Addr(value) && label.region == "data");
            label.map_or_else(|| value.to_string(), |label| label.name.clone())
        };
        let given = call.arguments.iter().map(|(name, given)| format!("{name} = {}", value(*given)));
        given.collect::<Vec<_>>().join(", ")
    }

    /// The whole in some lines: name and figure.
    pub fn summary(&self) -> Vec<(String, String)> {
        let (taken, not_taken) = self.jumps();
        let (ran, all) = self.covered();
        let sum = |what: &dyn Fn(&super::RegionTally) -> u64| grouped(self.regions.iter().map(what).sum());
        let mut lines = vec![
            ("cycles", grouped(self.cycles)),
            ("steps", format!("{}, from {} to {}", grouped(self.steps()), grouped(self.from.0), grouped(self.to.0))),
            ("instructions", grouped(self.instructions)),
            ("jumps", format!("{} taken, {} not", grouped(taken), grouped(not_taken))),
            ("memory", format!("{}× read, {}× written", sum(&|one| one.read), sum(&|one| one.written))),
            ("stack", format!("{} bytes at most, first at step {}", self.stack.deepest, grouped(self.stack.step.0))),
            ("output, input", format!("{} and {} bytes", grouped(self.printed), grouped(self.consumed))),
        ];
        if all > 0 {
            lines.push(("lines", format!("{ran} of {all} ran")));
        }
        lines.into_iter().map(|(name, figure)| (name.to_owned(), figure)).collect()
    }

    /// All of it as tables; those that would be empty are left out.
    pub fn tables(&self) -> Vec<Table> {
        let tables = [
            self.routine_table(),
            self.line_table(),
            self.group_table(),
            self.kind_table(),
            self.call_table(),
            self.jump_table(),
            self.label_table(),
            self.event_table(),
            self.span_table(),
        ];
        tables.into_iter().filter(|table| !table.rows.is_empty()).collect()
    }

    fn routine_table(&self) -> Table {
        let columns = ["routine", "calls", "own cycles", "share", "with calls", "dearest call", "given", "at step"];
        let mut table = table("routines", &columns, Some(2));
        for routine in &self.routines {
            let dearest = routine.dearest.as_ref();
            table.rows.push(TableRow {
                cells: vec![
                    text(&routine.name),
                    Cell::Number(routine.calls),
                    Cell::Number(routine.own_cycles),
                    share(routine.own_cycles, self.cycles),
                    Cell::Number(routine.all_cycles),
                    dearest.map_or(Cell::Nothing, |call| Cell::Number(call.cycles)),
                    dearest.map_or(Cell::Nothing, |call| text(self.arguments(call))),
                    dearest.map_or(Cell::Nothing, |call| Cell::Number(call.step.0)),
                ],
                leads: dearest.map_or(Leads::Address(routine.address), |call| Leads::Step(call.step)),
            });
        }
        table
    }

    fn line_table(&self) -> Table {
        let mut table = table("lines", &["line", "times", "cycles", "share", "taken", "not", "text"], Some(2));
        let several = self.lines.iter().any(|line| line.file != self.lines[0].file);
        for line in &self.lines {
            let file = line.file.rsplit('/').next().unwrap_or(&line.file);
            table.rows.push(TableRow {
                cells: vec![
                    text(if several { format!("{file}:{}", line.line) } else { line.line.to_string() }),
                    if line.times == 0 && line.steps == 0 { text(NEVER) } else { Cell::Number(line.times) },
                    Cell::Number(line.cycles),
                    share(line.cycles, self.cycles),
                    line.taken.map_or(Cell::Nothing, |taken| Cell::Number(taken.0)),
                    line.taken.map_or(Cell::Nothing, |taken| Cell::Number(taken.1)),
                    text(line.text.trim()),
                ],
                leads: Leads::Line(line.file.clone(), line.line),
            });
        }
        table.sort_by(2, false);
        table
    }

    fn group_table(&self) -> Table {
        let mut table = table("sorts", &["sort", "times", "cycles", "share"], Some(2));
        for (name, times, cycles) in group_sums(&self.kinds) {
            table.rows.push(TableRow {
                cells: vec![text(name), Cell::Number(times), Cell::Number(cycles), share(cycles, self.cycles)],
                leads: Leads::Nowhere,
            });
        }
        table
    }

    fn kind_table(&self) -> Table {
        let mut table = table("instructions", &["instruction", "times", "cycles", "share", "taken", "not"], Some(2));
        for kind in &self.kinds {
            table.rows.push(TableRow {
                cells: vec![
                    text(&kind.name),
                    Cell::Number(kind.times),
                    Cell::Number(kind.cycles),
                    share(kind.cycles, self.cycles),
                    kind.taken.map_or(Cell::Nothing, Cell::Number),
                    kind.taken.map_or(Cell::Nothing, |taken| Cell::Number(kind.times - taken)),
                ],
                leads: Leads::Nowhere,
            });
        }
        table
    }

    fn call_table(&self) -> Table {
        let mut table = table("calls", &["from", "to", "times", "cycles"], Some(3));
        for routine in &self.routines {
            for callee in &routine.callees {
                table.rows.push(TableRow {
                    cells: vec![
                        text(&routine.name),
                        text(&callee.name),
                        Cell::Number(callee.times),
                        Cell::Number(callee.cycles),
                    ],
                    leads: Leads::Address(routine.address),
                });
            }
        }
        table.sort_by(3, false);
        table
    }

    fn jump_table(&self) -> Table {
        let mut table = table("jumps", &["at", "instruction", "taken", "not", "share taken"], None);
        for place in &self.places {
            if let Some(taken) = place.taken {
                table.rows.push(TableRow {
                    cells: vec![
                        text(self.hex_address(place.address)),
                        text(&place.text),
                        Cell::Number(taken),
                        Cell::Number(place.times - taken),
                        share(taken, place.times),
                    ],
                    leads: Leads::Address(place.address),
                });
            }
        }
        table
    }

    fn label_table(&self) -> Table {
        let mut table = table("memory", &["label", "region", "at", "read", "written"], None);
        for label in &self.labels {
            table.rows.push(TableRow {
                cells: vec![
                    text(&label.name),
                    text(&label.region),
                    text(self.hex_address(label.address)),
                    Cell::Number(label.read),
                    Cell::Number(label.written),
                ],
                leads: Leads::Address(label.address),
            });
        }
        table
    }

    fn event_table(&self) -> Table {
        let mut table = table("system", &["what", "name", "times", "cycles", "failed"], None);
        let kinds: [(&str, &[EventTally]); 3] =
            [("call", &self.calls), ("trap", &self.traps), ("interrupt", &self.interrupts)];
        for (what, events) in kinds {
            for event in events {
                table.rows.push(TableRow {
                    cells: vec![
                        text(what),
                        text(&event.name),
                        Cell::Number(event.times),
                        Cell::Number(event.cycles),
                        if event.failed == 0 { Cell::Nothing } else { Cell::Number(event.failed) },
                    ],
                    leads: Leads::Nowhere,
                });
            }
        }
        table
    }

    fn span_table(&self) -> Table {
        let columns =
            ["span", "times", "least", "median", "greatest", "steps at most", "greatest at", "how many took so long"];
        let mut table = table("spans", &columns, None);
        for span in &self.spans {
            table.rows.push(TableRow {
                cells: vec![
                    text(&span.words),
                    Cell::Number(span.times),
                    Cell::Number(span.cycles[0]),
                    Cell::Number(span.cycles[1]),
                    Cell::Number(span.cycles[2]),
                    Cell::Number(span.steps[2]),
                    span.greatest.map_or(Cell::Nothing, |step| Cell::Number(step.0)),
                    text(bars(&span.histogram)),
                ],
                leads: span.greatest.map_or(Leads::Nowhere, Leads::Step),
            });
        }
        table
    }

    /// A table for people, some rows of each part.
    pub fn to_text(&self, most: usize) -> String {
        let mut out = String::new();
        let summary = self.summary();
        let width = summary.iter().map(|(name, _)| name.chars().count()).max().unwrap_or(0);
        for (name, figure) in summary {
            let _ = writeln!(out, "{name:<width$}  {figure}");
        }
        for table in self.tables() {
            let _ = write!(out, "\n== {} ==\n{}", table.name, table.to_text(most));
        }
        out
    }
}

/// A histogram in a row of signs, from the least to the greatest.
fn bars(histogram: &[(u64, u64)]) -> String {
    const PARTS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let most = histogram.iter().map(|bar| bar.1).max().unwrap_or(0).max(1);
    let part = |count: u64| match usize::try_from((count * 8).div_ceil(most)).unwrap_or(8) {
        0 => '\u{b7}',
        eighths => PARTS[eighths.min(8) - 1],
    };
    histogram.iter().map(|bar| part(bar.1)).collect()
}

impl Comparison {
    /// All of it as tables, differences last; things that cost the same in all are left out but of the totals.
    pub fn tables(&self) -> Vec<Table> {
        let parts: [(&'static str, &str, &[Row]); 5] = [
            ("totals", "all", &self.totals),
            ("routines", "routine", &self.routines),
            ("lines", "line", &self.lines),
            ("instructions", "instruction", &self.kinds),
            ("memory", "label", &self.labels),
        ];
        let tables = parts.into_iter().map(|(name, what, rows)| {
            let mut columns = vec![what.to_owned()];
            if name == "lines" {
                columns.push("text".to_owned());
            }
            columns.extend(self.names.iter().cloned());
            columns.extend(["difference".to_owned(), "ratio".to_owned()]);
            let rows = rows.iter().filter(|row| name == "totals" || !row.is_same());
            Table { name, columns, rows: rows.map(|row| compared(row, name == "lines")).collect(), bars: None }
        });
        tables.filter(|table| !table.rows.is_empty()).collect()
    }

    /// The tables as text, some rows of each.
    pub fn to_text(&self, most: usize) -> String {
        let mut tables = self.tables();
        for table in tables.iter_mut().filter(|table| table.rows.len() > most) {
            // Of what is cut off, what differs most stays.
            let difference = table.columns.len() - 2;
            let size = |row: &TableRow| row.cells.get(difference).and_then(Cell::value).map_or(0.0, f64::abs);
            table.rows.sort_by(|one, other| size(other).total_cmp(&size(one)));
        }
        let texts: Vec<String> =
            tables.iter().map(|table| format!("== {} ==\n{}", table.name, table.to_text(most))).collect();
        texts.join("\n")
    }
}

fn compared(row: &Row, is_line: bool) -> TableRow {
    let mut cells = match (&row.place, is_line) {
        (Some((file, line)), true) => {
            let file = file.rsplit('/').next().unwrap_or(file);
            vec![text(format!("{file}:{line}")), text(row.name.trim())]
        }
        (None, true) => vec![Cell::Nothing, text(row.name.trim())],
        (_, false) => vec![text(&row.name)],
    };
    cells.extend(row.costs.iter().map(|cost| cost.map_or(Cell::Nothing, |cost| Cell::Number(cost.cycles))));
    cells.push(Cell::Difference(row.difference()));
    let (first, last) = (row.costs.first().copied().flatten(), row.costs.last().copied().flatten());
    cells.push(match (first, last) {
        (Some(first), Some(last)) if first.cycles > 0 => {
            text(format!("× {:.2}", float(last.cycles) / float(first.cycles)))
        }
        (None, Some(_)) => text("new"),
        (Some(_), None) => text("gone"),
        _ => Cell::Nothing,
    });
    let leads = row.place.as_ref().map_or(Leads::Nowhere, |(file, line)| Leads::Line(file.clone(), *line));
    TableRow { cells, leads }
}
