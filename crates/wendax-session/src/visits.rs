//! Counting how often addresses were next.

use rustc_hash::FxHashMap;
use std::ops::ControlFlow;
use wendax_isa::Addr;
use wendax_machine::{Observer, Report};

/// Counts how often each address was next; or stops when one of a few is.
#[derive(Debug, Clone, Default)]
pub(crate) struct Visits {
    counts: FxHashMap<Addr, u64>,
    wanted: Option<Vec<Addr>>,
    reached: Option<Addr>,
}

impl Visits {
    /// Stops a run when one of these addresses is next.
    pub(crate) fn until_next(addresses: impl Iterator<Item = Addr>) -> Self {
        Self { wanted: Some(addresses.collect()), ..Self::default() }
    }

    pub(crate) fn count(&mut self, address: Addr) {
        *self.counts.entry(address).or_insert(0) += 1;
    }

    /// How often an address was next.
    pub(crate) fn of(&self, address: Addr) -> u64 {
        self.counts.get(&address).copied().unwrap_or(0)
    }

    /// The address the run was stopped at.
    pub(crate) fn reached(&self) -> Option<Addr> {
        self.reached
    }
}

impl Observer for Visits {
    const WRITES: bool = false;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        match &self.wanted {
            None => self.count(report.next),
            Some(wanted) if wanted.contains(&report.next) => {
                self.reached = Some(report.next);
                return ControlFlow::Break(());
            }
            Some(_) => {}
        }
        ControlFlow::Continue(())
    }
}
