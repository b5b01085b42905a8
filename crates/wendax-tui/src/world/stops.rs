//! Where the run is to stop, and what was done to that and to the run by hand, so that it can be taken back.

use super::documents::DocumentId;
use super::editor::LineShift;
use wendax_machine::{Addr, StepNo};

#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Breakpoint {
    /// On a line of a document, from 0.
    Line {
        document: DocumentId,
        line: usize,
    },
    /// On one of the instructions that such a line became, from 0.
    Part {
        document: DocumentId,
        line: usize,
        nth: usize,
    },
    Address(Addr),
}

/// Something done by hand that can be taken back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Deed {
    /// Breakpoints were other ones before.
    Stops(Vec<Breakpoint>),
    /// A value was set at this step, when so many changes by hand had been made on the branch.
    Value { step: StepNo, edits: usize },
    /// Texts of these documents were changed by one command, after which they had these revisions.
    Texts(Vec<DocumentId>, Vec<u64>),
}

#[derive(Debug, Clone, Default)]
pub(crate) struct Stops {
    pub(crate) list: Vec<Breakpoint>,
    /// What was done by hand, the latest last.
    pub(crate) deeds: Vec<Deed>,
}

impl Stops {
    /// Notes how things are before they are changed.
    pub(crate) fn note(&mut self, deed: Deed) {
        const MOST: usize = 200;
        if self.deeds.len() == MOST {
            self.deeds.remove(0);
        }
        self.deeds.push(deed);
    }

    /// Changes the breakpoints in a way that can be taken back.
    pub(crate) fn change(&mut self, change: impl FnOnce(&mut Vec<Breakpoint>)) {
        let before = self.list.clone();
        change(&mut self.list);
        if before != self.list {
            self.note(Deed::Stops(before));
        }
    }

    /// Lines of a document moved: breakpoints go with them. Returns how many are gone with theirs.
    pub(crate) fn follow(&mut self, id: DocumentId, shift: LineShift) -> usize {
        let follow = |list: &mut Vec<Breakpoint>| {
            let all = list.len();
            list.retain_mut(|breakpoint| match breakpoint {
                Breakpoint::Line { document, line } | Breakpoint::Part { document, line, .. } if *document == id => {
                    let moved = shift.moved(*line);
                    *line = moved.unwrap_or(*line);
                    moved.is_some()
                }
                Breakpoint::Line { .. } | Breakpoint::Part { .. } | Breakpoint::Address(_) => true,
            });
            all - list.len()
        };
        for deed in &mut self.deeds {
            if let Deed::Stops(list) = deed {
                follow(list);
            }
        }
        follow(&mut self.list)
    }
}
