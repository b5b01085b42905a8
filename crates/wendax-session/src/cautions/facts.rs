//! What is known of a program before it runs, as whoever looks for mistakes needs it at each step: what an instruction is
//! for, which labels its line names, and how far what a label names reaches.

use crate::effects::number;
use crate::session::Session;
use rustc_hash::FxHashMap;
use std::sync::OnceLock;
use wendax_image::{Image, LineKind, SymbolKind};
use wendax_isa::{Addr, Reg};
use wendax_machine::Sort;

/// Instructions that are found at once; a power of two.
const RECENT: usize = 4096;

/// Labels a line names, at most, that are looked at.
const NAMED: usize = 2;

/// What is known of an instruction.
#[derive(Debug, Clone, Copy)]
pub(super) struct Known {
    address: Addr,
    code: [u32; 2],
    pub(super) length: u32,
    pub(super) sort: Sort,
    /// Registers and flags that it reads and may write, a bit each.
    pub(super) reads: u32,
    pub(super) writes: u32,
    pub(super) flags_read: u32,
    pub(super) flags_written: u32,
    /// The one register that it writes.
    pub(super) written: Option<Reg>,
    /// It has to do with flags, or counts, compares or jumps.
    pub(super) decides: bool,
    /// It leaves flags that say what its result is like.
    pub(super) sets_result_flags: bool,
    /// The source gives what stands here as data.
    pub(super) is_data: bool,
    /// Its line writes a number below 0.
    pub(super) writes_minus: bool,
    /// A routine begins here that is called somewhere.
    pub(super) is_called: bool,
    /// The labels of data that its line names.
    named: [Option<Extent>; NAMED],
}

/// How far what a label names reaches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Extent {
    number: u32,
    start: Addr,
    end: Addr,
}

impl Known {
    /// The label its line names, of which a value is an address.
    pub(super) fn label_near(&self, value: u32) -> Option<u32> {
        let named = self.named.iter().flatten();
        named.copied().find(|label| label.start.0 <= value && value < label.end.0).map(|label| label.number)
    }

    /// The label its line names that it touches memory by, with a register that held this added to it.
    pub(super) fn label_at(&self, index: u32, at: Addr) -> Option<u32> {
        self.label_near(at.0.wrapping_sub(index))
    }
}

/// Numbers that one line of the source gives as data.
#[derive(Debug, Clone, Copy)]
pub(super) struct Numbers {
    start: Addr,
    end: Addr,
    /// Bytes of each.
    pub(super) unit: u32,
    /// Some are written with a minus.
    pub(super) has_minus: bool,
}

/// What is known of a program.
#[derive(Debug, Clone)]
pub(super) struct Facts {
    /// What is given as numbers, in order of address; gathered when something is loaded, not while a text is written.
    numbers: OnceLock<Vec<Numbers>>,
    /// Where routines begin that are called somewhere; gathered when an instruction runs.
    called: OnceLock<Vec<Addr>>,
    /// The labels of data in order of their addresses.
    labels: Vec<Extent>,
    /// The instructions that ran so far.
    known: Vec<Known>,
    /// Where they are among these, by address: those that ran last, and all.
    recent: Vec<usize>,
    places: FxHashMap<(Addr, [u32; 2]), usize>,
}

impl Facts {
    pub(super) fn new(image: &Image) -> Self {
        let (known, places) = (Vec::new(), FxHashMap::default());
        let (numbers, called) = (OnceLock::new(), OnceLock::new());
        Self { numbers, called, labels: extents(image), known, recent: vec![usize::MAX; RECENT], places }
    }

    /// Which instruction these code words are at an address; `None` when they are none.
    #[inline]
    pub(super) fn find(&mut self, session: &Session, address: Addr, code: [u32; 2]) -> Option<usize> {
        let slot = (address.0 / 2) as usize % RECENT;
        let at = self.recent[slot];
        if self.known.get(at).is_some_and(|known| known.address == address && known.code == code) {
            return Some(at);
        }
        self.find_among_all(session, address, code).inspect(|at| self.recent[slot] = *at)
    }

    #[cold]
    fn find_among_all(&mut self, session: &Session, address: Addr, code: [u32; 2]) -> Option<usize> {
        if let Some(at) = self.places.get(&(address, code)) {
            return Some(*at);
        }
        let known = self.decode(session, address, code)?;
        self.known.push(known);
        let at = self.known.len() - 1;
        self.places.insert((address, code), at);
        Some(at)
    }

    /// What is known of an instruction by its number.
    pub(super) fn known(&self, at: usize) -> &Known {
        &self.known[at]
    }

    fn decode(&self, session: &Session, address: Addr, code: [u32; 2]) -> Option<Known> {
        let machine = session.machine();
        let insn = machine.instruction_of(address, code)?;
        let uses = insn.uses;
        let stack = 1 << machine.target().roles.stack.0;
        let own = if uses.writes & !stack == 0 { uses.writes } else { uses.writes & !stack };
        let line = session.image().line_at(address);
        Some(Known {
            address,
            code,
            length: insn.length,
            sort: insn.sort,
            reads: uses.reads,
            writes: uses.writes,
            flags_read: uses.flags_read,
            flags_written: uses.flags_written,
            written: own.is_power_of_two().then(|| Reg::at(own.trailing_zeros() as usize)),
            decides: uses.flags_read | uses.flags_written != 0
                || !matches!(
                    insn.sort,
                    Sort::Constant
                        | Sort::Copy
                        | Sort::Load(_)
                        | Sort::Store(..)
                        | Sort::Push
                        | Sort::Pop
                        | Sort::Other
                ),
            sets_result_flags: uses.flags_written.count_ones() > 1,
            writes_minus: texts_at(session, address).any(has_minus),
            is_called: self.called.get_or_init(|| called(session.image())).binary_search(&address).is_ok(),
            is_data: line.is_some_and(|line| line.kind == LineKind::Data),
            named: self.named(session, address),
        })
    }

    /// The labels of data that a line names.
    fn named(&self, session: &Session, address: Addr) -> [Option<Extent>; NAMED] {
        let mut named = [None; NAMED];
        let words = texts_at(session, address)
            .flat_map(|text| text.split(|sign: char| !(sign.is_alphanumeric() || "_.@".contains(sign))));
        let found = words.filter_map(|word| {
            let symbol = session.image().symbol_from(word, address).filter(|symbol| symbol.kind == SymbolKind::Data)?;
            self.labels.iter().find(|label| Some(label.start) == symbol.address()).copied()
        });
        named.iter_mut().zip(found).for_each(|(place, label)| *place = Some(label));
        named
    }

    /// The numbers that lie at an address, as the source gives them.
    pub(super) fn numbers_at(&self, session: &Session, address: Addr) -> Option<Numbers> {
        let all = self.numbers.get_or_init(|| numbers(session));
        let at = all.partition_point(|numbers| numbers.start <= address).checked_sub(1)?;
        Some(all[at]).filter(|numbers| address < numbers.end)
    }

    /// The word that the source gives at an address.
    pub(super) fn given(session: &Session, address: Addr) -> u32 {
        let target = session.machine().target();
        number(session.image().bytes(address, target.word_bytes()), target)
    }

    /// Where what a label names begins and ends, by the label's number.
    pub(super) fn extent(&self, number: u32) -> Option<(Addr, Addr)> {
        self.labels.get(number as usize).map(|label| (label.start, label.end))
    }

    /// Where what lies at an address begins and ends, as its label says.
    pub(super) fn extent_around(&self, address: Addr) -> Option<(Addr, Addr)> {
        let at = self.labels.partition_point(|label| label.start <= address).checked_sub(1)?;
        let label = self.labels[at];
        (address < label.end).then_some((label.start, label.end))
    }
}

/// The texts of the line that an address belongs to: as it was unfolded, and as it is written.
fn texts_at(session: &Session, address: Addr) -> impl Iterator<Item = &str> {
    let line = session.image().line_at(address);
    let spans = line.into_iter().flat_map(|line| line.unfolded.into_iter().chain([line.span]));
    spans.filter_map(|span| session.sources().get(span.file)?.text().get(span.range()))
}

/// The labels of data, each up to the next label, or as far as it is told, or to the end of its segment.
fn extents(image: &Image) -> Vec<Extent> {
    let mut starts: Vec<(Addr, bool, u32)> = image
        .symbols
        .iter()
        .filter(|symbol| !symbol.is_private())
        .filter_map(|symbol| Some((symbol.address()?, symbol.kind == SymbolKind::Data, symbol.bytes)))
        .collect();
    starts.sort_unstable();
    // Of several names of one place the one that says how long it is comes last.
    let mut labels: Vec<Extent> = Vec::new();
    for (at, &(start, is_data, bytes)) in starts.iter().enumerate() {
        let Some(segment) = image.segment_at(start).filter(|_| is_data) else { continue };
        let next = starts[at..].iter().map(|(start, ..)| *start).find(|next| *next > start);
        let end = if bytes > 0 { start + bytes } else { next.unwrap_or(segment.end()).min(segment.end()) };
        labels.retain(|label| label.start != start);
        labels.push(Extent { number: 0, start, end });
    }
    (0..).zip(&mut labels).for_each(|(number, label)| label.number = number);
    labels
}

/// A text writes a number below 0: a minus before a digit, and no number or name before that.
fn has_minus(text: &str) -> bool {
    let text = text.split([';', '#']).next().unwrap_or_default();
    let signs: Vec<char> = text.chars().filter(|sign| !sign.is_whitespace()).collect();
    signs.windows(3).any(|three| three[1] == '-' && three[2].is_ascii_digit() && ",([".contains(three[0]))
        || text
            .split_whitespace()
            .any(|word| word.len() > 1 && word.starts_with('-') && word.as_bytes()[1].is_ascii_digit())
}

/// What the source gives as numbers: bytes and words in lines of data of their own.
fn numbers(session: &Session) -> Vec<Numbers> {
    let word = session.machine().target().word_bytes();
    let lines = session.image().lines.iter().filter(|line| line.kind == LineKind::Data && line.length > 0);
    let mut numbers: Vec<Numbers> = lines
        .filter_map(|line| {
            let text = texts_at(session, line.address).next()?;
            let directive = text.split_whitespace().find(|word| word.starts_with('.'))?;
            let unit = match directive {
                ".byte" => 1,
                ".half" | ".short" | ".2byte" => 2,
                ".word" => word,
                ".long" | ".4byte" => 4,
                _ => return None,
            };
            // Characters are no numbers, and what a label is an address of is none of an array.
            let is_plain = !text.contains(['"', '\'']);
            let (start, end) = (line.address, line.address + line.length);
            is_plain.then(|| Numbers { start, end, unit, has_minus: has_minus(text) })
        })
        .collect();
    numbers.sort_unstable_by_key(|numbers| numbers.start);
    numbers
}

/// Where routines begin that a call of the program names.
fn called(image: &Image) -> Vec<Addr> {
    let mut called: Vec<Addr> = image.called();
    called.sort_unstable();
    called.dedup();
    called
}
