//! Tallies side by side: of two methods, of a program before and after an edit, of runs with larger and larger input.
//!
//! Kinds and routines are the same when their names are; lines when their texts follow each other in the same order, so
//! that an edit above moves nothing. The first tally is what the others are measured against.

use super::float;
use super::tally::{LineTally, Tally};
use similar::{Algorithm, DiffOp, capture_diff_slices};
use std::collections::BTreeMap;

/// What something cost in one of the tallies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Cost {
    /// How often.
    pub times: u64,
    /// Cycles; of memory how often it was touched.
    pub cycles: u64,
}

/// Something in all of the tallies.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Row {
    /// Its name; of a line its text.
    pub name: String,
    /// Where it is: of a line its file and number, in the last tally that has it.
    pub place: Option<(String, u32)>,
    /// What it cost in each; none where a tally does not have it.
    pub costs: Vec<Option<Cost>>,
}

impl Row {
    /// Cycles of the last one less those of the first.
    pub fn difference(&self) -> i128 {
        let cycles = |cost: Option<&Option<Cost>>| i128::from(cost.copied().flatten().unwrap_or_default().cycles);
        cycles(self.costs.last()) - cycles(self.costs.first())
    }

    /// It cost the same in all of them.
    pub fn is_same(&self) -> bool {
        self.costs.windows(2).all(|pair| pair[0].unwrap_or_default() == pair[1].unwrap_or_default())
    }
}

/// Several tallies, thing by thing; what differs most stands first.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Comparison {
    /// What the tallies are called.
    pub names: Vec<String>,
    /// All together: steps, cycles, and what else is counted of a whole run.
    pub totals: Vec<Row>,
    /// Instructions by name.
    pub kinds: Vec<Row>,
    /// Routines, with cycles of their own.
    pub routines: Vec<Row>,
    /// Lines.
    pub lines: Vec<Row>,
    /// Labels, with how often they were touched.
    pub labels: Vec<Row>,
}

impl Comparison {
    /// Of these, the first of which the others are measured against.
    pub fn of(tallies: &[&Tally]) -> Self {
        let kinds = |tally: &Tally| -> Vec<(String, Cost)> {
            let cost = |times, cycles| Cost { times, cycles };
            tally.kinds.iter().map(|kind| (kind.name.clone(), cost(kind.times, kind.cycles))).collect()
        };
        let routines = |tally: &Tally| -> Vec<(String, Cost)> {
            let list = tally.routines.iter();
            list.map(|one| (one.name.clone(), Cost { times: one.calls, cycles: one.own_cycles })).collect()
        };
        let labels = |tally: &Tally| -> Vec<(String, Cost)> {
            let list = tally.labels.iter();
            list.map(|one| (one.name.clone(), Cost { times: one.written, cycles: one.read + one.written })).collect()
        };
        let mut comparison = Self {
            names: tallies.iter().map(|tally| tally.name.clone()).collect(),
            totals: totals(tallies),
            kinds: by_name(tallies, kinds),
            routines: by_name(tallies, routines),
            lines: lines(tallies),
            labels: by_name(tallies, labels),
        };
        for rows in [&mut comparison.kinds, &mut comparison.routines, &mut comparison.labels] {
            rows.sort_by_key(|row| std::cmp::Reverse(row.difference().unsigned_abs()));
        }
        comparison
    }
}

fn totals(tallies: &[&Tally]) -> Vec<Row> {
    let row = |name: &str, value: &dyn Fn(&Tally) -> u64| Row {
        name: name.to_owned(),
        place: None,
        costs: tallies.iter().map(|tally| Some(Cost { times: value(tally), cycles: value(tally) })).collect(),
    };
    vec![
        row("cycles", &|tally| tally.cycles),
        row("steps", &Tally::steps),
        row("instructions", &|tally| tally.instructions),
        row("jumps taken", &|tally| tally.jumps().0),
        row("jumps not taken", &|tally| tally.jumps().1),
        row("memory read", &|tally| tally.regions.iter().map(|region| region.read).sum()),
        row("memory written", &|tally| tally.regions.iter().map(|region| region.written).sum()),
        row("system calls", &|tally| tally.calls.iter().map(|call| call.times).sum()),
        row("stack, bytes at most", &|tally| tally.stack.deepest.into()),
        row("lines that ran", &|tally| tally.covered().0 as u64),
    ]
}

fn by_name(tallies: &[&Tally], list: impl Fn(&Tally) -> Vec<(String, Cost)>) -> Vec<Row> {
    let mut rows: Vec<Row> = Vec::new();
    let mut places: BTreeMap<String, usize> = BTreeMap::new();
    for (index, tally) in tallies.iter().enumerate() {
        for (name, cost) in list(tally) {
            let place = *places.entry(name.clone()).or_insert_with(|| {
                rows.push(Row { name, place: None, costs: vec![None; tallies.len()] });
                rows.len() - 1
            });
            let known = rows[place].costs[index].get_or_insert_with(Cost::default);
            known.times += cost.times;
            known.cycles += cost.cycles;
        }
    }
    rows
}

/// The lines in the order they stand in, each tally's put to those known so far where the texts follow each other alike.
fn lines(tallies: &[&Tally]) -> Vec<Row> {
    let mut files: Vec<&str> = Vec::new();
    for line in tallies.iter().flat_map(|tally| &tally.lines) {
        if !files.contains(&line.file.as_str()) {
            files.push(&line.file);
        }
    }
    // A program kept under another name, of one file in both, is compared all the same.
    let is_single = tallies.iter().all(|tally| tally.lines.iter().all(|line| line.file == tally.lines[0].file));
    let groups: Vec<Option<&str>> = if is_single { vec![None] } else { files.into_iter().map(Some).collect() };
    groups.into_iter().flat_map(|file| file_lines(tallies, file)).collect()
}

fn file_lines(tallies: &[&Tally], file: Option<&str>) -> Vec<Row> {
    let mut rows: Vec<Row> = Vec::new();
    for (index, tally) in tallies.iter().enumerate() {
        let fresh: Vec<&LineTally> =
            tally.lines.iter().filter(|line| file.is_none_or(|file| line.file == file)).collect();
        let texts: Vec<&str> = fresh.iter().map(|line| line.text.trim()).collect();
        let known: Vec<&str> = rows.iter().map(|row| row.name.trim()).collect();
        let changes = capture_diff_slices(Algorithm::Patience, &known, &texts);
        let mut merged: Vec<Row> = Vec::new();
        let mut add = |row: Option<Row>, line: Option<&&LineTally>| {
            let empty = || Row { name: String::new(), place: None, costs: vec![None; tallies.len()] };
            let mut row = row.unwrap_or_else(empty);
            if let Some(line) = line {
                line.text.trim_end().clone_into(&mut row.name);
                row.place = Some((line.file.clone(), line.line));
                row.costs[index] = Some(Cost { times: line.times, cycles: line.cycles });
            }
            merged.push(row);
        };
        for change in changes {
            match change {
                DiffOp::Equal { old_index, new_index, len } => {
                    for offset in 0..len {
                        add(rows.get(old_index + offset).cloned(), fresh.get(new_index + offset));
                    }
                }
                other => {
                    other.old_range().for_each(|at| add(rows.get(at).cloned(), None));
                    other.new_range().for_each(|at| add(None, fresh.get(at)));
                }
            }
        }
        rows = merged;
    }
    rows
}

/// How a cost grows with a size: the exponent of the power of the size that fits best, by the ratios of each to the next.
/// None when there are fewer than two sizes that grow, or a cost is 0.
pub fn growth(sizes: &[u64], costs: &[u64]) -> Option<f64> {
    let points: Vec<(f64, f64)> = sizes
        .iter()
        .zip(costs)
        .filter(|(size, cost)| **size > 0 && **cost > 0)
        .map(|(&size, &cost)| (logarithm(size), logarithm(cost)))
        .collect();
    let count = points.len();
    if count < 2 || count < sizes.len() {
        return None;
    }
    let mean = |values: &dyn Fn(&(f64, f64)) -> f64| points.iter().map(values).sum::<f64>() / float(count as u64);
    let (x, y) = (mean(&|point| point.0), mean(&|point| point.1));
    let spread: f64 = points.iter().map(|point| (point.0 - x).powi(2)).sum();
    let common: f64 = points.iter().map(|point| (point.0 - x) * (point.1 - y)).sum();
    (spread > 0.0).then(|| common / spread)
}

/// A growth in words: `about with its square`.
pub fn growth_words(exponent: f64) -> String {
    let near = |wanted: f64| (exponent - wanted).abs() < 0.15;
    let words = match () {
        () if near(0.0) => "does not grow with it",
        () if near(1.0) => "about in proportion",
        () if near(2.0) => "about with its square",
        () if near(3.0) => "about with its cube",
        () => "",
    };
    let power = format!("size to the {exponent:.2}");
    if words.is_empty() { power } else { format!("{words} ({power})") }
}

fn logarithm(number: u64) -> f64 {
    float(number).ln()
}
