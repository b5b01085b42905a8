//! Two moments beside each other as they are written: rows for people, one object for programs.

use super::{Apart, Difference, Side};
use crate::numbers::{counted, grouped};
use crate::session::Session;
use crate::words::told;
use serde::Serialize;
use std::fmt::Write;
use wendax_isa::{Addr, StepNo};

/// What differs, for programs.
#[derive(Debug, Serialize)]
struct Object<'a> {
    from: u64,
    to: u64,
    cycles: u64,
    differences: Vec<Row<'a>>,
    /// Words of memory that differ and are not among them.
    more: usize,
}

#[derive(Debug, Serialize)]
struct Row<'a> {
    kind: &'static str,
    name: &'a str,
    #[serde(skip_serializing_if = "str::is_empty")]
    was: &'a str,
    now: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    step: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    address: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<u32>,
}

impl Side {
    /// A word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Place => "place",
            Self::Register => "register",
            Self::Flag => "flag",
            Self::Memory => "memory",
            Self::Device => "device",
            Self::Outside => "outside",
        }
    }
}

impl Difference {
    /// What was and what is, in words: `120 → 0`.
    pub fn change(&self) -> String {
        if self.was.is_empty() { self.now.clone() } else { format!("{} → {}", self.was, self.now) }
    }

    /// Who wrote it last: "by `inc r1` on line 7 at step 12".
    pub fn writer(&self, session: &Session) -> Option<String> {
        let (step, pc) = self.by?;
        Some(format!("by {} at step {}", told(session, pc), grouped(step.0)))
    }
}

impl Apart {
    /// The two moments in words.
    pub fn heading(&self) -> String {
        let steps = counted(self.to.0.abs_diff(self.from.0), "step", "steps");
        let cycles = counted(self.cycles, "cycle", "cycles");
        format!("step {} and step {}: {steps}, {cycles} apart", grouped(self.from.0), grouped(self.to.0))
    }

    /// For people: a row for each thing that differs.
    pub fn text(&self, session: &Session) -> String {
        let mut text = format!("{}\n", self.heading());
        let wide = |of: fn(&Difference) -> usize| self.rows.iter().map(of).max().unwrap_or(0);
        let name = wide(|row| row.name.chars().count()).min(24);
        let change = wide(|row| row.change().chars().count()).min(32);
        // Writing to a String cannot fail.
        for row in &self.rows {
            let by = row.writer(session).unwrap_or_default();
            let line = format!("  {:<name$}  {:<change$}  {by}", row.name, row.change());
            let _ = writeln!(text, "{}", line.trim_end());
        }
        if self.rows.is_empty() {
            text.push_str("  nothing differs\n");
        }
        if self.untold > 0 {
            let _ = writeln!(text, "  {} more of memory", counted(self.untold as u64, "word", "words"));
        }
        text
    }

    /// For programs: one JSON object.
    pub fn json(&self, session: &Session) -> String {
        let line = |by: (StepNo, Addr)| session.image().line_at(by.1).map(|line| line.line);
        let differences = self.rows.iter().map(|difference| {
            let Difference { side, name, was, now, by, .. } = difference;
            let (step, address) = (by.map(|by| by.0.0), by.map(|by| by.1.0));
            Row { kind: side.word(), name, was, now, step, address, line: by.and_then(line) }
        });
        let object = Object {
            from: self.from.0,
            to: self.to.0,
            cycles: self.cycles,
            differences: differences.collect(),
            more: self.untold,
        };
        // Numbers and texts are always JSON.
        serde_json::to_string_pretty(&object).map_or_else(|_| String::new(), |text| text + "\n")
    }
}
