//! Routines: what is reached from where the program, its calls and its handlers begin, by going on and by jumping.
//!
//! Where a label stands in between makes no difference. Code that nothing reaches belongs to the plain label it begins with,
//! as handlers and what is called by a register do, or else to the routine before it. Two routines may share code; what is
//! asked of an address is told of the one that begins nearest at or before it.

use crate::image::{Image, LineKind, Symbol, SymbolKind};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::OnceLock;
use wendax_isa::{Addr, Leads};

/// The code of a routine.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Extent {
    /// Where it begins.
    pub entry: Addr,
    /// Its code in order of address, each part from its first byte to behind its last.
    pub parts: Vec<(Addr, Addr)>,
}

impl Extent {
    /// An address is in its code.
    pub fn contains(&self, address: Addr) -> bool {
        self.parts.iter().any(|&(from, to)| from <= address && address < to)
    }
}

/// Where a routine begins.
#[derive(Debug, Clone, Default)]
struct Entry {
    /// What else belongs to it though nothing reaches it.
    extra: Vec<usize>,
    /// Its code, once somebody asked.
    extent: OnceLock<Extent>,
}

/// Which instruction belongs to which routine.
#[derive(Debug, Clone, Default)]
pub(crate) struct Routines {
    /// The instructions in order of address: how long each is, and where it leads.
    code: Vec<(Addr, u32, Leads)>,
    /// Where routines begin.
    entries: BTreeMap<Addr, Entry>,
    /// The routine of each instruction.
    owners: Vec<Option<Addr>>,
}

impl Routines {
    pub(crate) fn of(image: &Image) -> Self {
        let code = instructions(image);
        let owners = vec![None; code.len()];
        let mut routines = Self { code, entries: BTreeMap::new(), owners };
        let entries: BTreeSet<Addr> = routines.called().chain([image.entry]).collect();
        routines.entries =
            entries.into_iter().filter(|at| routines.at(*at).is_some()).map(|at| (at, Entry::default())).collect();
        for entry in routines.entries.keys().copied().collect::<Vec<_>>() {
            routines.own(entry, routines.at(entry));
        }
        let plain = image.symbols.iter().filter(|symbol| symbol.kind == SymbolKind::Code && !symbol.is_private());
        let plain: BTreeSet<Addr> = plain.filter_map(Symbol::address).collect();
        for index in 0..routines.code.len() {
            if routines.owners[index].is_some() {
                continue;
            }
            let at = routines.code[index].0;
            let before = routines.entries.range(..=at).next_back().map(|(entry, _)| *entry);
            let before = before.filter(|before| !plain.contains(&at) && image.is_together(*before, at));
            let entry = routines.entries.entry(before.unwrap_or(at)).or_default();
            entry.extra.extend(before.map(|_| index));
            routines.own(before.unwrap_or(at), Some(index));
        }
        routines
    }

    /// Where instructions call routines that they name, in the order of the instructions.
    pub(crate) fn called(&self) -> impl Iterator<Item = Addr> {
        self.code.iter().filter_map(|(.., leads)| if let Leads::Call(to) = leads { *to } else { None })
    }

    fn at(&self, address: Addr) -> Option<usize> {
        self.code.binary_search_by_key(&address, |insn| insn.0).ok()
    }

    /// Where an instruction leads within the code.
    fn behind(&self, index: usize) -> impl Iterator<Item = usize> {
        let (at, length, leads) = self.code[index];
        let next = (at + length, leads.goes_on());
        let to = match leads {
            Leads::To(to) | Leads::Either(to) => Some(to),
            Leads::On | Leads::Call(_) | Leads::Away => None,
        };
        [Some(next.0).filter(|_| next.1), to].into_iter().flatten().filter_map(|to| self.at(to))
    }

    /// What is reached from an instruction without passing where another routine begins belongs to a routine, unless it
    /// belongs to a nearer one.
    fn own(&mut self, entry: Addr, from: Option<usize>) {
        let mut open: Vec<usize> = from.into_iter().collect();
        while let Some(index) = open.pop() {
            let at = self.code[index].0;
            // At or before is near, behind is far.
            let distance = |entry: Addr| if entry <= at { (false, at - entry) } else { (true, entry - at) };
            if self.owners[index].is_some_and(|owner| distance(owner) <= distance(entry)) {
                continue;
            }
            self.owners[index] = Some(entry);
            let is_inside = |next: &usize| !self.entries.contains_key(&self.code[*next].0);
            open.extend(self.behind(index).filter(is_inside).collect::<Vec<_>>());
        }
    }

    /// Where the routine begins that an address belongs to.
    pub(crate) fn entry_of(&self, address: Addr) -> Option<Addr> {
        let after = self.code.partition_point(|insn| insn.0 <= address);
        let index = after.checked_sub(1).filter(|&index| address < self.code[index].0 + self.code[index].1)?;
        self.owners[index]
    }

    /// All that belongs to the routine that begins there; `None` when none does.
    pub(crate) fn extent(&self, entry: Addr) -> Option<Extent> {
        let Entry { extra, extent } = self.entries.get(&entry)?;
        Some(extent.get_or_init(|| self.reached(entry, extra)).clone())
    }

    fn reached(&self, entry: Addr, extra: &[usize]) -> Extent {
        let mut is_known = vec![false; self.code.len()];
        let mut open: Vec<usize> = self.at(entry).into_iter().chain(extra.iter().copied()).collect();
        while let Some(index) = open.pop() {
            if !std::mem::replace(&mut is_known[index], true) {
                open.extend(self.behind(index).filter(|&next| !is_known[next]));
            }
        }
        let mut parts: Vec<(Addr, Addr)> = Vec::new();
        for ((at, length, _), _) in self.code.iter().zip(is_known).filter(|(_, is_known)| *is_known) {
            match parts.last_mut() {
                Some(last) if last.1 == *at => last.1 = *at + *length,
                _ => parts.push((*at, *at + *length)),
            }
        }
        Extent { entry, parts }
    }
}

/// The instructions of an image: those of its lines, else whatever its code can be read as.
fn instructions(image: &Image) -> Vec<(Addr, u32, Leads)> {
    let target = image.target;
    let lines = image.lines.iter().filter(|line| line.kind == LineKind::Code);
    let mut stretches: Vec<(Addr, Addr)> = lines.map(|line| (line.address, line.address + line.length)).collect();
    if image.lines.is_empty() {
        let code = image.segments.iter().filter(|segment| segment.rights.execute);
        stretches = code.map(|segment| (segment.start, segment.end())).collect();
    }
    let mut found = Vec::new();
    for (mut at, end) in stretches {
        while at < end {
            match (target.leads)(image.bytes(at, target.longest_code), at) {
                Some((length, leads)) => {
                    found.push((at, length, leads));
                    at += length;
                }
                None => at += target.code_align,
            }
        }
    }
    found.sort_unstable_by_key(|insn| insn.0);
    found.dedup_by_key(|insn| insn.0);
    found
}
