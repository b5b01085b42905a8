//! What the run cost, as it is looked at: the tally of the present run or of a part of it, tallies that were kept by
//! name, which table is shown and how it is sorted, and what stands beside the lines of the source.
//!
//! Nothing is measured before someone looks. When the run has gone on, measuring goes on from where it ended.

use super::World;
use std::collections::BTreeMap;
use std::sync::Arc;
use wendax_machine::StepNo;
use wendax_session::{Comparison, Measuring, Session, SpanTally, Spans, Table, Tally};

/// What stands beside the lines of the source.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Beside {
    #[default]
    Nothing,
    /// How often each ran, and a bar of its cycles.
    Counts,
    /// The cycles of each instruction.
    Cycles,
}

/// What a line cost.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct LineCost {
    pub(crate) times: u64,
    pub(crate) cycles: u64,
}

/// Passages that were asked for.
#[derive(Debug, Clone)]
struct Asked {
    words: String,
    spans: Option<Box<Spans>>,
    is_done: bool,
}

#[derive(Debug, Clone, Default)]
pub(crate) struct Tallies {
    measuring: Option<Box<Measuring>>,
    /// The branch and its end that `present` tells of.
    made_for: Option<(u64, StepNo)>,
    /// The session being measured, by its number.
    session: u64,
    pub(crate) present: Option<Arc<Tally>>,
    /// Tallies with a name, the oldest first.
    pub(crate) kept: Vec<Arc<Tally>>,
    /// The kept one that is the first beside the present one.
    pub(crate) against: Option<usize>,
    /// Only what lies between these moments is measured.
    pub(crate) part: Option<(StepNo, StepNo)>,
    spans: Vec<Asked>,
    /// What is shown.
    pub(crate) tables: Vec<Table>,
    pub(crate) which: usize,
    /// The column it is sorted by, and whether the other way round; as the table comes when there is none.
    pub(crate) sorted: Option<(usize, bool)>,
    pub(crate) beside: Beside,
    lines: BTreeMap<(String, u32), LineCost>,
    /// The cycles of the dearest line.
    pub(crate) dearest: u64,
}

impl Tallies {
    pub(crate) fn table(&self) -> Option<&Table> {
        self.tables.get(self.which.min(self.tables.len().saturating_sub(1)))
    }

    /// All of the run as it is now has been measured.
    pub(crate) fn is_current(&self, session: &Session) -> bool {
        let is_measured = self.made_for == Some((session.branches(), session.end()));
        is_measured && self.spans.iter().all(|asked| asked.is_done)
    }

    /// How far measuring is, in hundredths.
    pub(crate) fn percent(&self) -> u64 {
        let (done, all) = self.measuring.as_ref().map_or((0, 1), |measuring| measuring.progress());
        done * 100 / all.max(1)
    }

    /// What a line, from 1, of a file cost; none when it became no instructions.
    pub(crate) fn line(&self, file: &str, line: u32) -> Option<LineCost> {
        self.lines.get(&(file.to_owned(), line)).copied()
    }

    /// Everything is measured anew; what is known of older runs stays when it was kept.
    fn begin_anew(&mut self) {
        self.measuring = None;
        self.made_for = None;
        for asked in &mut self.spans {
            (asked.spans, asked.is_done) = (None, false);
        }
    }

    /// Makes the tables of what is known.
    fn make_tables(&mut self) {
        let Some(present) = &self.present else { return };
        let name = self.table().map(|table| table.name);
        self.tables = match self.against.and_then(|index| self.kept.get(index)) {
            Some(kept) => Comparison::of(&[kept, present]).tables(),
            None => present.tables(),
        };
        let same = name.and_then(|name| self.tables.iter().position(|table| table.name == name));
        self.which = same.unwrap_or(0);
        let is_there = |column: usize| self.table().is_some_and(|table| column < table.columns.len());
        self.sorted = self.sorted.filter(|(column, _)| is_there(*column));
        self.sort();
    }

    fn sort(&mut self) {
        let which = self.which.min(self.tables.len().saturating_sub(1));
        if let (Some((column, is_reversed)), Some(table)) = (self.sorted, self.tables.get_mut(which)) {
            table.sort_by(column, is_reversed);
        }
    }

    /// Another table.
    pub(crate) fn turn(&mut self, by: isize) {
        if self.tables.is_empty() {
            return;
        }
        let count = self.tables.len().cast_signed();
        self.which = (self.which.cast_signed() + by).rem_euclid(count).unsigned_abs();
        self.sorted = None;
    }

    /// Sorts by another column.
    pub(crate) fn sort_on(&mut self, by: isize) {
        let Some(count) = self.table().map(|table| table.columns.len().cast_signed()) else { return };
        let next = match self.sorted {
            Some((column, _)) => (column.cast_signed() + by).rem_euclid(count),
            None if by > 0 => 0,
            None => count - 1,
        };
        self.sorted = Some((next.unsigned_abs(), false));
        self.sort();
    }

    /// Sorts the other way round.
    pub(crate) fn reverse(&mut self) {
        let (column, is_reversed) = self.sorted.unwrap_or_else(|| {
            let table = self.table();
            (table.and_then(|table| table.bars).unwrap_or(0), false)
        });
        self.sorted = Some((column, !is_reversed));
        self.sort();
    }

    /// Sets the present one beside the next one of those kept, and beside none after the last.
    pub(crate) fn compare_on(&mut self) -> Option<String> {
        let next = self.against.map_or(0, |index| index + 1);
        self.against = (next < self.kept.len()).then_some(next);
        self.sorted = None;
        self.make_tables();
        self.which = 0;
        self.against.map(|index| self.kept[index].name.clone())
    }

    /// Keeps a tally; one of the same name makes room.
    pub(crate) fn keep(&mut self, tally: Tally) {
        self.kept.retain(|known| known.name != tally.name);
        self.kept.push(Arc::new(tally));
        self.against = None;
        self.make_tables();
    }
}

impl World {
    /// Measures on, for as long as `budget` steps take.
    pub(crate) fn measure(&mut self, budget: u64) {
        let Some(session) = self.walk.session.as_ref().filter(|session| !session.is_running()) else { return };
        let tallies = &mut self.tallies;
        if tallies.session != self.walk.sessions {
            tallies.session = self.walk.sessions;
            tallies.begin_anew();
        }
        if tallies.is_current(session) {
            return;
        }
        let (from, to) = tallies.part.unwrap_or((StepNo::FIRST, StepNo::LAST));
        let known = tallies.measuring.take().filter(|measuring| measuring.goes_on(session, from));
        let mut measuring = known.unwrap_or_else(|| Box::new(Measuring::new(session, from, to)));
        measuring.extend_to(session, to);
        let is_done = measuring.work(session, budget);
        if is_done && tallies.made_for != Some((session.branches(), session.end())) {
            let mut tally = measuring.tally(session);
            "now".clone_into(&mut tally.name);
            tally.spans = tallies.present.as_ref().map(|known| known.spans.clone()).unwrap_or_default();
            tallies.made_for = Some((session.branches(), session.end()));
            tallies.lines = tally
                .lines
                .iter()
                .map(|line| ((line.file.clone(), line.line), LineCost { times: line.times, cycles: line.cycles }))
                .collect();
            tallies.dearest = tally.lines.iter().map(|line| line.cycles).max().unwrap_or(0);
            tallies.present = Some(Arc::new(tally));
            for asked in &mut tallies.spans {
                (asked.spans, asked.is_done) = (None, false);
            }
            tallies.make_tables();
        }
        tallies.measuring = Some(measuring);
        if !is_done {
            return;
        }
        if let Some(asked) = tallies.spans.iter_mut().find(|asked| !asked.is_done) {
            let spans = asked.spans.take().or_else(|| Spans::read(session, &asked.words).ok().map(Box::new));
            let Some(mut spans) = spans else {
                asked.is_done = true;
                return;
            };
            if spans.work(session, budget) {
                asked.is_done = true;
                let told = SpanTally::of(&asked.words, &spans.told());
                if let Some(present) = &mut tallies.present {
                    let present = Arc::make_mut(present);
                    present.spans.retain(|known| known.words != told.words);
                    present.spans.push(told);
                }
                tallies.make_tables();
            } else {
                asked.spans = Some(spans);
            }
        }
    }

    /// Measures passages between places in words too.
    pub(crate) fn measure_span(&mut self, text: &str) -> Result<(), String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        Spans::read(session, text)?;
        self.tallies.spans.retain(|asked| asked.words != text);
        self.tallies.spans.push(Asked { words: text.to_owned(), spans: None, is_done: false });
        Ok(())
    }

    /// Measures only a part of the run: `100 to 2000`, `now to end`; empty for all.
    pub(crate) fn measure_part(&mut self, text: &str) -> Result<(), String> {
        let part = if text.is_empty() {
            None
        } else {
            let (from, to) = text.split_once(" to ").ok_or("two moments are wanted: 100 to 2000, now to end")?;
            let (from, to) = (self.moment_asked_for(from)?, self.moment_asked_for(to)?);
            if to <= from {
                return Err("the second moment is to lie behind the first".to_owned());
            }
            Some((from, to))
        };
        self.tallies.part = part;
        self.tallies.begin_anew();
        Ok(())
    }
}
