//! Where names and lines of an image stand, so that they are found without going through all of them.
//!
//! Made when it is first asked for. An image is put together name by name and line by line; what was added since the index
//! was made is noticed by how many there are, and all are gone through then.

use crate::image::{Image, LineKind, Symbol};
use crate::routines::Routines;
use std::collections::BTreeMap;
use std::sync::OnceLock;
use wendax_isa::Addr;
use wendax_source::FileId;

/// Labels and lines of an image in order.
#[derive(Debug, Clone, Default)]
pub(crate) struct Index {
    symbols: usize,
    lines: usize,
    /// Labels by address, private ones before others, by their number.
    labels: Vec<(Addr, bool, usize)>,
    routines: OnceLock<Routines>,
    /// The first symbol of each name.
    names: BTreeMap<String, usize>,
    /// All symbols of each name that several have.
    shared: BTreeMap<String, Vec<usize>>,
    /// Lines of code by file and number.
    code: Vec<(FileId, u32, Addr, usize)>,
}

/// An index that is made when it is needed; it is no part of what an image is.
#[derive(Debug, Default)]
pub struct Lazy(OnceLock<Box<Index>>);

impl Clone for Lazy {
    fn clone(&self) -> Self {
        Self::default()
    }
}

impl PartialEq for Lazy {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

impl Eq for Lazy {}

impl Index {
    pub(crate) fn of(image: &Image) -> Self {
        let label = |(number, symbol): (usize, &Symbol)| Some((symbol.address()?, !symbol.is_private(), number));
        let mut labels: Vec<_> = image.symbols.iter().enumerate().filter_map(label).collect();
        labels.sort_unstable();
        let mut names = BTreeMap::new();
        let mut shared: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (number, symbol) in image.symbols.iter().enumerate() {
            let first = *names.entry(symbol.name.clone()).or_insert(number);
            if first != number {
                shared.entry(symbol.name.clone()).or_insert_with(|| vec![first]).push(number);
            }
        }
        let lines = image.lines.iter().enumerate().filter(|(_, line)| line.kind == LineKind::Code);
        let mut code: Vec<_> = lines.map(|(number, line)| (line.span.file, line.line, line.address, number)).collect();
        code.sort_unstable();
        Self {
            symbols: image.symbols.len(),
            lines: image.lines.len(),
            labels,
            routines: OnceLock::new(),
            names,
            shared,
            code,
        }
    }

    /// The labels at or before an address, the nearest last; of one address private ones come first.
    pub(crate) fn labels_up_to(&self, address: Addr) -> &[(Addr, bool, usize)] {
        &self.labels[..self.labels.partition_point(|label| label.0 <= address)]
    }

    /// The labels at an address.
    pub(crate) fn labels_at(&self, address: Addr) -> impl Iterator<Item = usize> {
        let up_to = self.labels_up_to(address);
        up_to.iter().rev().take_while(move |label| label.0 == address).map(|label| label.2)
    }

    /// Which instruction belongs to which routine.
    pub(crate) fn routines(&self, image: &Image) -> &Routines {
        self.routines.get_or_init(|| Routines::of(image))
    }

    pub(crate) fn named(&self, name: &str) -> Option<usize> {
        self.names.get(name).copied()
    }

    /// All symbols of a name that several have.
    pub(crate) fn sharing(&self, name: &str) -> &[usize] {
        self.shared.get(name).map_or(&[], Vec::as_slice)
    }

    /// The first line of code of a file from a line on.
    pub(crate) fn code_from(&self, file: FileId, line: u32) -> Option<usize> {
        let at = self.code.partition_point(|&(in_file, number, ..)| (in_file, number) < (file, line));
        self.code.get(at).filter(|entry| entry.0 == file).map(|entry| entry.3)
    }
}

impl Lazy {
    /// The index of an image; `None` when the image has grown since it was made.
    pub(crate) fn of(&self, image: &Image) -> Option<&Index> {
        let index = self.0.get_or_init(|| Box::new(Index::of(image)));
        (index.symbols == image.symbols.len() && index.lines == image.lines.len()).then_some(index)
    }
}
