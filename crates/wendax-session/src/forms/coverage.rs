//! Which lines ran, in the format that LCOV made common: editors and build servers read it.

use crate::measure::{LineTally, RoutineTally, Tally};
use std::collections::BTreeMap;
use std::fmt::Write as _;

impl Tally {
    /// Which lines and routines ran and how often, and both ways of each jump with a condition. `path` gives the path of a
    /// file by the name the program has for it.
    pub fn to_lcov(&self, path: impl Fn(&str) -> String) -> String {
        let mut out = String::new();
        let mut known: BTreeMap<&str, &RoutineTally> = BTreeMap::new();
        for routine in &self.routines {
            known.entry(&routine.name).or_insert(routine);
        }
        let mut all: Vec<&LineTally> = self.lines.iter().collect();
        all.sort_by_key(|line| &line.file);
        for lines in all.chunk_by(|one, other| one.file == other.file) {
            // Writing to a string never fails.
            let _ = writeln!(out, "TN:\nSF:{}", path(&lines[0].file));
            write_routines(&mut out, &known, lines);
            write_jumps(&mut out, lines);
            let times = |line: &LineTally| line.times.max(u64::from(line.steps > 0));
            for line in lines {
                let _ = writeln!(out, "DA:{},{}", line.line, times(line));
            }
            let ran = lines.iter().filter(|line| times(line) > 0).count();
            let _ = writeln!(out, "LF:{}\nLH:{ran}\nend_of_record", lines.len());
        }
        out
    }
}

fn write_routines(out: &mut String, known: &BTreeMap<&str, &RoutineTally>, lines: &[&LineTally]) {
    let routines: Vec<(u32, &str, u64)> = lines
        .iter()
        .filter_map(|line| {
            let name = line.routine.as_deref()?;
            let known = known.get(name);
            // What the program begins with is run and not called.
            let times = known.map_or(0, |routine| routine.calls.max(u64::from(routine.own_steps > 0)));
            Some((line.line, name, times))
        })
        .collect();
    for (line, name, _) in &routines {
        let _ = writeln!(out, "FN:{line},{name}");
    }
    for (_, name, times) in &routines {
        let _ = writeln!(out, "FNDA:{times},{name}");
    }
    let ran = routines.iter().filter(|routine| routine.2 > 0).count();
    let _ = writeln!(out, "FNF:{}\nFNH:{ran}", routines.len());
}

/// Each jump is a block with two ways: taken, and not.
fn write_jumps(out: &mut String, lines: &[&LineTally]) {
    let (mut found, mut gone) = (0, 0);
    for line in lines {
        for (block, jump) in line.jumps.iter().enumerate() {
            let ways = jump.map_or([None; 2], |(taken, not)| [Some(taken), Some(not)]);
            for (branch, times) in ways.into_iter().enumerate() {
                let told = times.map_or_else(|| "-".to_owned(), |times| times.to_string());
                let _ = writeln!(out, "BRDA:{},{block},{branch},{told}", line.line);
                found += 1;
                gone += usize::from(times.is_some_and(|times| times > 0));
            }
        }
    }
    let _ = writeln!(out, "BRF:{found}\nBRH:{gone}");
}
