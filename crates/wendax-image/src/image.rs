//! A program ready to be loaded, with where each byte of it came from.

use crate::index::{Index, Lazy};
use crate::routines::Extent;
use crate::variables::Variables;
use std::sync::Arc;
use wendax_isa::{Addr, Target};
use wendax_source::{FileId, Sources, Span};

/// What a program may do with a piece of memory.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Rights {
    /// Load from it.
    pub read: bool,
    /// Store to it.
    pub write: bool,
    /// Run it.
    pub execute: bool,
}

impl Rights {
    /// Read and execute.
    pub const CODE: Self = Self { read: true, write: false, execute: true };
    /// Read.
    pub const CONSTANTS: Self = Self { read: true, write: false, execute: false };
    /// Read and write.
    pub const DATA: Self = Self { read: true, write: true, execute: false };
    /// Everything.
    pub const ALL: Self = Self { read: true, write: true, execute: true };
}

/// A run of bytes of a program.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Segment {
    /// Address of the first byte.
    pub start: Addr,
    /// What is there at the start.
    pub bytes: Vec<u8>,
    /// The bytes are room kept free: zero, and counted as never written.
    pub reserved: bool,
    /// What the program may do with them.
    pub rights: Rights,
}

impl Segment {
    /// One past the address of the last byte.
    pub fn end(&self) -> Addr {
        self.start + u32::try_from(self.bytes.len()).unwrap_or(u32::MAX)
    }
}

/// What a name stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SymbolKind {
    /// An address in code.
    Code,
    /// An address in data.
    Data,
    /// A value given by `.equ`.
    Constant,
}

/// A name of the source.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Symbol {
    /// As written; a local label with its owner, as in `sum@next`.
    pub name: String,
    /// Its address or value.
    pub value: i64,
    /// What it stands for.
    pub kind: SymbolKind,
    /// Where it was defined.
    pub span: Span,
    /// Other files may use it.
    pub is_global: bool,
    /// The bytes that belong to it, where they are told; 0 where not.
    pub bytes: u32,
}

impl Symbol {
    /// The address it stands for, when it is a label.
    pub fn address(&self) -> Option<Addr> {
        (self.kind != SymbolKind::Constant).then(|| Addr::try_from(self.value).ok())?
    }

    /// It belongs to the routine around it, as `sum@next` does.
    pub fn is_private(&self) -> bool {
        self.name.contains('@')
    }
}

/// What bytes of a line are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LineKind {
    /// Instructions.
    Code,
    /// Data with a value.
    Data,
    /// Room kept free.
    Reserved,
}

/// The bytes one statement became.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Line {
    /// Address of the first byte.
    pub address: Addr,
    /// How many bytes.
    pub length: u32,
    /// What they are.
    pub kind: LineKind,
    /// The statement a person wrote; of what a macro or repeat became, the line that was unfolded.
    pub span: Span,
    /// The line it stands on, from 1.
    pub line: u32,
    /// The line it was unfolded to, in a text of its own, when it was.
    pub unfolded: Option<Span>,
}

impl Line {
    /// It is code that stands for several instructions of a machine on which all are equally long.
    pub fn is_several(&self, target: &Target) -> bool {
        let length = target.longest_code;
        self.kind == LineKind::Code && length == target.code_align && self.length > length
    }
}

/// A program ready to be loaded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Image {
    /// The machine it is for.
    pub target: &'static Target,
    /// The first instruction to run.
    pub entry: Addr,
    /// Its bytes; no two overlap; in order of address.
    pub segments: Vec<Segment>,
    /// Its names, in order of definition.
    pub symbols: Vec<Symbol>,
    /// Where its bytes came from, in order of address; empty when it was not made from source.
    pub lines: Vec<Line>,
    /// Where the heap begins.
    pub heap_start: Addr,
    /// Variables with their types, where a compiler told of them.
    pub variables: Arc<Variables>,
    /// Made when names or lines are first asked for.
    pub index: Lazy,
}

impl Image {
    /// One for a machine, with nothing in it.
    pub fn new(target: &'static Target) -> Self {
        Self {
            target,
            entry: Addr(0),
            segments: Vec::new(),
            symbols: Vec::new(),
            lines: Vec::new(),
            heap_start: Addr(0),
            variables: Arc::default(),
            index: Lazy::default(),
        }
    }

    /// Gives the heap its place, behind all that lies below the stack.
    pub(crate) fn place_heap(&mut self) {
        let map = &self.target.map;
        let ends = self.segments.iter().map(Segment::end).filter(|&end| end <= map.stack_start);
        self.heap_start = ends.max().unwrap_or_default().next_multiple_of(self.target.word_bytes());
    }

    /// The index, made anew while the image is still growing.
    fn index(&self) -> std::borrow::Cow<'_, Index> {
        match self.index.of(self) {
            Some(index) => std::borrow::Cow::Borrowed(index),
            None => std::borrow::Cow::Owned(Index::of(self)),
        }
    }

    /// The statement that became the byte at `address`.
    pub fn line_at(&self, address: Addr) -> Option<&Line> {
        let after = self.lines.partition_point(|line| line.address <= address);
        let line = self.lines.get(after.checked_sub(1)?)?;
        (address < line.address + line.length).then_some(line)
    }

    /// Where the instructions of line `line` (from 1) of a file begin, or those of the next line below that
    /// became any.
    pub fn code_from_line(&self, file: FileId, line: u32) -> Option<&Line> {
        self.index().code_from(file, line).and_then(|number| self.lines.get(number))
    }

    /// Adds a segment at its place among the others, which are in order of address.
    pub fn add(&mut self, segment: Segment) {
        let at = self.segments.partition_point(|part| part.start < segment.start);
        self.segments.insert(at, segment);
    }

    /// The segment that holds an address.
    pub fn segment_at(&self, address: Addr) -> Option<&Segment> {
        self.segments.get(self.segment_number(address)?)
    }

    /// The number of the segment that holds an address.
    pub(crate) fn segment_number(&self, address: Addr) -> Option<usize> {
        let number = self.segments.partition_point(|segment| segment.start <= address).checked_sub(1)?;
        (address < self.segments[number].end()).then_some(number)
    }

    /// What lies at an address can be run.
    pub fn is_code(&self, address: Addr) -> bool {
        self.segment_at(address).is_some_and(|segment| segment.rights.execute)
    }

    /// The bytes from `start` on, at most `length` of them, as far as one segment holds them.
    pub fn bytes(&self, start: Addr, length: u32) -> &[u8] {
        let Some(segment) = self.segment_at(start) else { return &[] };
        let from = (start - segment.start) as usize;
        let to = segment.bytes.len().min(from + length as usize);
        &segment.bytes[from..to]
    }

    /// The label at or before an address within the same segment, and how far the address lies behind it.
    pub fn nearest_label(&self, address: Addr) -> Option<(&Symbol, u32)> {
        let segment = self.segment_at(address)?;
        let &(at, _, number) = self.index().labels_up_to(address).last()?;
        (at >= segment.start).then_some((self.symbols.get(number)?, address - at))
    }

    /// An address by the label at or before it: `weigh`, `weigh + 4`; `None` where there is no label.
    pub fn place_name(&self, address: Addr) -> Option<String> {
        if let Some(cell) = self.variables.part_at(address, None, self.target) {
            return Some(cell.name);
        }
        match self.nearest_label(address)? {
            (symbol, 0) => Some(symbol.name.clone()),
            (symbol, offset) => Some(format!("{} + {offset}", symbol.name)),
        }
    }

    /// What tells the label before an address from others of its name, as files may each have one: its file, or where that
    /// does not tell them apart its address. `None` when no other has its name.
    pub fn told_apart(&self, address: Addr, sources: &Sources) -> Option<String> {
        let (symbol, _) = self.nearest_label(address)?;
        let others = self.symbols_named(&symbol.name).into_iter().filter(|other| other.kind != SymbolKind::Constant);
        let places: Vec<_> = others.map(|other| (self.file_of(other), other.address())).collect();
        // Several names of one place are one.
        if places.iter().all(|(_, at)| *at == symbol.address()) {
            return None;
        }
        let own = self.file_of(symbol);
        let is_alone = places.iter().filter(|(file, _)| *file == own).count() == 1;
        let file = own.and_then(|file| sources.get(file)).filter(|_| is_alone);
        file.map(|file| file.name().to_owned()).or_else(|| Some(self.target.marked_address(symbol.address()?)))
    }

    /// Two addresses lie in one segment.
    pub(crate) fn is_together(&self, one: Addr, other: Addr) -> bool {
        self.segment_number(one).is_some_and(|number| self.segment_number(other) == Some(number))
    }

    /// Where the routine begins that an address of code belongs to.
    pub fn routine_at(&self, address: Addr) -> Option<Addr> {
        self.index().routines(self).entry_of(address)
    }

    /// The routine that an address of code belongs to, with all that its jumps reach.
    pub fn routine_around(&self, address: Addr) -> Option<Extent> {
        let index = self.index();
        let routines = index.routines(self);
        routines.extent(routines.entry_of(address)?)
    }

    /// Where routines begin that an instruction calls by name; as often as it is.
    pub fn called(&self) -> Vec<Addr> {
        self.index().routines(self).called().collect()
    }

    /// The label at exactly this address.
    pub fn label_at(&self, address: Addr) -> Option<&Symbol> {
        let first = self.index().labels_at(address).min()?;
        self.symbols.get(first)
    }

    /// The names that are addresses.
    pub fn labels(&self) -> impl Iterator<Item = &Symbol> {
        self.symbols.iter().filter(|symbol| symbol.kind != SymbolKind::Constant)
    }

    /// The name with this spelling: one that all files know, if there is one.
    pub fn best_symbol(&self, name: &str) -> Option<&Symbol> {
        let named = || self.symbols.iter().filter(|symbol| symbol.name == name);
        named().find(|symbol| symbol.is_global).or_else(|| named().next())
    }

    /// All names with this spelling, in order of definition: files may each have one.
    pub fn symbols_named(&self, name: &str) -> Vec<&Symbol> {
        let index = self.index();
        match index.sharing(name) {
            [] => self.symbol(name).into_iter().collect(),
            several => several.iter().map(|&number| &self.symbols[number]).collect(),
        }
    }

    /// What a name means at a place of the program, as it does in a source: what its file calls so, else what all files know.
    /// `None` also where other files alone have it, and mean several things by it.
    pub fn symbol_from(&self, name: &str, place: Addr) -> Option<&Symbol> {
        let all = self.symbols_named(name);
        let (&first, others) = all.split_first()?;
        let is_one = |all: &[&Symbol], first: &Symbol| all.iter().all(|other| other.value == first.value);
        if is_one(others, first) {
            return Some(first);
        }
        let file = self.line_at(place).map(|line| line.span.file);
        let is_here = |symbol: &&Symbol| file.is_some() && self.file_of(symbol) == file;
        let here: Vec<&Symbol> = all.iter().copied().filter(is_here).collect();
        match here.first() {
            Some(own) => Some(*own).filter(|own| is_one(&here, own)),
            None => all.iter().copied().find(|symbol| symbol.is_global),
        }
    }

    /// The file a name was defined in: where no text says so, as in an image that was read, that of the line there.
    fn file_of(&self, symbol: &Symbol) -> Option<FileId> {
        if symbol.span.start < symbol.span.end {
            return Some(symbol.span.file);
        }
        self.line_at(symbol.address()?).map(|line| line.span.file)
    }

    /// The first name with this spelling.
    pub fn symbol(&self, name: &str) -> Option<&Symbol> {
        self.symbols.get(self.index().named(name)?)
    }
}
