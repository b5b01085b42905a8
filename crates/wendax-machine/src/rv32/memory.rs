//! Memory of four gigabytes, of which only pages that were touched are there.
//!
//! What may be done where is said by areas; a page takes that over, byte for byte, when something is first written to
//! it, and keeps beside it what was ever written, and of each word what was stored there. Pages are shared with
//! snapshots until they are written to.

use crate::memory::{CellState, Difference, EXECUTE, KNOWN, READ, WRITE};
use rustc_hash::FxHasher;
use std::hash::Hasher;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use wendax_isa::Addr;

/// Bytes of a page.
pub(super) const PAGE: u32 = 0x1000;
const PAGE_BYTES: usize = PAGE as usize;
/// Pages of a leaf, and leaves of all memory.
const LEAF: usize = 1024;
const LEAVES: usize = 1024;

/// A page.
#[derive(Debug)]
struct Page {
    bytes: [u8; PAGE_BYTES],
    attributes: [u8; PAGE_BYTES],
    /// What was last stored to a word: a register and 1 more; 0 for anything else.
    notes: [u8; PAGE_BYTES / 4],
    /// Instructions were decoded from it: writing to it tells.
    is_decoded: bool,
    /// Of all of that; 0 while it is not known.
    hash: AtomicU64,
}

impl Clone for Page {
    fn clone(&self) -> Self {
        let Self { bytes, attributes, notes, is_decoded, .. } = *self;
        Self { bytes, attributes, notes, is_decoded, hash: AtomicU64::new(0) }
    }
}

impl PartialEq for Page {
    fn eq(&self, other: &Self) -> bool {
        self.bytes == other.bytes && self.attributes == other.attributes && self.notes == other.notes
    }
}

/// The word at a place that is a multiple of 4.
#[inline]
fn word_of(of: &[u8; PAGE_BYTES], place: usize) -> u32 {
    of.get(place..).and_then(<[u8]>::first_chunk).map_or(0, |word| u32::from_le_bytes(*word))
}

#[inline]
fn put_word(of: &mut [u8; PAGE_BYTES], place: usize, word: u32) {
    if let Some(there) = of.get_mut(place..).and_then(<[u8]>::first_chunk_mut) {
        *there = word.to_le_bytes();
    }
}

#[expect(clippy::inline_always, reason = "with the length known its shifts and masks are constants")]
impl Page {
    /// What lies at an address of it that is a multiple of the length, when all of it has this attribute.
    #[inline]
    fn plain(&self, address: u32, length: u32, wanted: u8) -> Option<u32> {
        match length {
            4 => self.has::<4>(address, wanted).then(|| self.value::<4>(address)),
            2 => self.has::<2>(address, wanted).then(|| self.value::<2>(address)),
            _ => self.has::<1>(address, wanted).then(|| self.value::<1>(address)),
        }
    }

    /// Whether all of so much at an address that is a multiple of the length has an attribute.
    #[inline(always)]
    fn has<const LENGTH: u32>(&self, address: u32, attribute: u8) -> bool {
        let place = parts(address).2;
        let splat = u32::from(attribute) * 0x0101_0101;
        match LENGTH {
            4 => word_of(&self.attributes, place & !3) & splat == splat,
            2 => self.attributes[place & !1] & self.attributes[place | 1] & attribute != 0,
            _ => self.attributes[place] & attribute != 0,
        }
    }

    /// What lies there.
    #[inline(always)]
    fn value<const LENGTH: u32>(&self, address: u32) -> u32 {
        let place = parts(address).2;
        match LENGTH {
            4 => word_of(&self.bytes, place & !3),
            2 => u32::from(u16::from_le_bytes([self.bytes[place & !1], self.bytes[place | 1]])),
            _ => self.bytes[place].into(),
        }
    }

    /// Puts a value there, whatever may be done there.
    #[inline(always)]
    fn set<const LENGTH: u32>(&mut self, address: u32, value: u32, note: u8) {
        let place = parts(address).2;
        self.notes[place / 4] = note;
        let [a, b, ..] = value.to_le_bytes();
        match LENGTH {
            4 => {
                let has = word_of(&self.attributes, place & !3) | u32::from(KNOWN) * 0x0101_0101;
                put_word(&mut self.attributes, place & !3, has);
                put_word(&mut self.bytes, place & !3, value);
            }
            2 => {
                [self.bytes[place & !1], self.bytes[place | 1]] = [a, b];
                self.attributes[place & !1] |= KNOWN;
                self.attributes[place | 1] |= KNOWN;
            }
            _ => {
                self.bytes[place] = a;
                self.attributes[place] |= KNOWN;
            }
        }
    }

    /// The same of a length that is not known beforehand; all of it had a value before.
    #[inline]
    fn put(&mut self, address: u32, length: u32, value: u32, note: u8) -> bool {
        let was_known = self.plain(address, length, KNOWN).is_some();
        match length {
            4 => self.set::<4>(address, value, note),
            2 => self.set::<2>(address, value, note),
            _ => self.set::<1>(address, value, note),
        }
        was_known
    }

    fn blank(attributes: &[u8; PAGE_BYTES]) -> Self {
        let (bytes, notes) = ([0; PAGE_BYTES], [0; PAGE_BYTES / 4]);
        Self { bytes, attributes: *attributes, notes, is_decoded: false, hash: AtomicU64::new(0) }
    }

    fn hash(&self) -> u64 {
        let known = self.hash.load(Ordering::Relaxed);
        if known != 0 {
            return known;
        }
        let mut hasher = FxHasher::default();
        hasher.write(&self.bytes);
        hasher.write(&self.attributes);
        hasher.write(&self.notes);
        let hash = hasher.finish() | 1;
        self.hash.store(hash, Ordering::Relaxed);
        hash
    }
}

/// A page as it is shared. In a box of its own it can be taken out and put back without being copied.
type Shared = Arc<Box<Page>>;
type Leaf = [Option<Shared>; LEAF];

/// A stretch of memory in which the same may be done, from its first address to behind its last.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Area {
    from: u32,
    to: u32,
    attributes: u8,
}

/// The parts of a range that lie in one page each, from the first to the last byte of each.
fn pages(first: u32, last: u32) -> impl Iterator<Item = (u32, u32)> {
    let page = move |at: u32| (at, (at | (PAGE - 1)).min(last));
    let next = move |&(_, end): &(u32, u32)| if end == last { None } else { Some(page(end + 1)) };
    std::iter::successors(Some(page(first)), next)
}

/// All of memory at some moment.
#[derive(Debug, Clone)]
pub(super) struct Memory {
    leaves: Box<[Option<Arc<Leaf>>; LEAVES]>,
    /// In order of addresses and apart; those that touch differ in what may be done.
    areas: Arc<Vec<Area>>,
    /// Goes up whenever what was decoded may be so no more.
    code: u64,
}

/// Memory while groups of instructions are carried out: some pages are at hand. Those that are written to are taken out, so that
/// to write to them asks nobody else, and given back at the end, and so are those that nobody else has; of others, and of
/// code, a copy is at hand as long as they stay the same.
/// Pages with cells that are watched are never at hand.
#[derive(Debug)]
pub(super) struct Near {
    /// Another one between runs.
    memory: Memory,
    /// By the lowest bits of the page's number.
    pages: [AtHand; NEAR],
    /// Of what the copies are.
    originals: [Option<Shared>; NEAR],
    /// Which pages were taken out, and which copied, each a bit.
    taken: u64,
    copied: u64,
    /// Pages that hold watched cells, from the first to the last.
    watched: Vec<(u32, u32)>,
}

/// A page that is at hand.
#[derive(Debug)]
struct AtHand {
    /// The address of the page that may be loaded from here, and of the one that may be stored to.
    loads: u32,
    stores: u32,
    page: Option<Box<Page>>,
}

/// So many pages at a time.
const NEAR: usize = 64;
/// What an address of a page has when none is meant: no address of one has it.
const NOWHERE: u32 = 0x800;
const NONE: AtHand = AtHand { loads: NOWHERE, stores: NOWHERE, page: None };

impl Clone for Near {
    /// Between runs nothing that matters is at hand.
    fn clone(&self) -> Self {
        Self { watched: self.watched.clone(), ..Self::default() }
    }
}

impl Default for Near {
    fn default() -> Self {
        Self {
            memory: Memory::new(),
            pages: [const { NONE }; NEAR],
            originals: [const { None }; NEAR],
            taken: 0,
            copied: 0,
            watched: Vec::new(),
        }
    }
}

/// Each place of which a bit is set.
fn places(mut bits: u64) -> impl Iterator<Item = usize> {
    std::iter::from_fn(move || {
        let place = (bits != 0).then(|| bits.trailing_zeros() as usize & (NEAR - 1));
        bits &= bits.wrapping_sub(1);
        place
    })
}

#[expect(clippy::inline_always, reason = "with the length known its shifts and masks are constants")]
impl Near {
    #[inline(always)]
    fn slot(address: u32) -> usize {
        (address / PAGE) as usize & (NEAR - 1)
    }

    /// Whether an address that is a multiple of the length lies in the page at another address, or in none.
    #[inline(always)]
    fn lies_in<const LENGTH: u32>(address: u32, page: u32) -> bool {
        (address ^ page) & !(PAGE - LENGTH) == 0 && page & NOWHERE == 0
    }

    /// Takes memory in.
    pub(super) fn begin(&mut self, memory: &mut Memory) {
        std::mem::swap(&mut self.memory, memory);
        for slot in places(self.copied) {
            let now = self.memory.shared(self.pages[slot].loads);
            let is_same = matches!((now, &self.originals[slot]), (Some(now), Some(then)) if Arc::ptr_eq(now, then));
            if !is_same {
                self.drop_copy(slot);
            }
        }
    }

    fn drop_copy(&mut self, slot: usize) {
        (self.pages[slot], self.originals[slot]) = (NONE, None);
        self.copied &= !(1 << slot);
    }

    /// Gives it back.
    pub(super) fn settle(&mut self, memory: &mut Memory) {
        std::mem::swap(&mut self.memory, memory);
        for slot in places(std::mem::take(&mut self.taken)) {
            let AtHand { loads, page, .. } = std::mem::replace(&mut self.pages[slot], NONE);
            if let Some(page) = page {
                memory.give(loads, page);
            }
        }
    }

    /// These cells are watched from now on, from the first to behind the last each.
    pub(super) fn watch(&mut self, cells: &[(Addr, Addr)]) {
        self.watched = cells.iter().map(|(from, to)| (from.0 / PAGE, to.0.saturating_sub(1) / PAGE)).collect();
        places(self.copied).for_each(|slot| self.drop_copy(slot));
    }

    /// The word at an address of code.
    pub(super) fn code(&self, address: u32) -> u32 {
        self.memory.word(address)
    }

    /// What a load finds of a page at hand; `None` where another way is to be gone.
    #[inline(always)]
    pub(super) fn load<const LENGTH: u32>(&self, address: u32) -> Option<u32> {
        let AtHand { loads, page, .. } = &self.pages[Self::slot(address)];
        match page {
            Some(page) if Self::lies_in::<LENGTH>(address, *loads) && page.has::<LENGTH>(address, READ) => {
                Some(page.value::<LENGTH>(address))
            }
            _ => None,
        }
    }

    /// Stores to a page at hand, with what is noted of a word; false where another way is to be gone.
    #[inline(always)]
    pub(super) fn store<const LENGTH: u32>(&mut self, address: u32, value: u32, note: u8) -> bool {
        let AtHand { stores, page, .. } = &mut self.pages[Self::slot(address)];
        match page {
            Some(page) if Self::lies_in::<LENGTH>(address, *stores) && page.has::<LENGTH>(address, WRITE) => {
                page.set::<LENGTH>(address, value, note);
                true
            }
            _ => false,
        }
    }

    /// What a store to a page at hand would write over, and whether all of it had a value.
    #[inline(always)]
    pub(super) fn at_hand<const LENGTH: u32>(&self, address: u32) -> (u32, bool) {
        let page = self.pages[Self::slot(address)].page.as_ref();
        page.map_or((0, false), |page| (page.value::<LENGTH>(address), page.has::<LENGTH>(address, KNOWN)))
    }

    /// Gets the page of an address at hand for a load or a store; false when that does not help.
    pub(super) fn fetch(&mut self, address: u32, length: u32, is_store: bool) -> bool {
        let (slot, start, number) = (Self::slot(address), address & !(PAGE - 1), address / PAGE);
        let is_watched = self.watched.iter().any(|(first, last)| (*first..=*last).contains(&number));
        let has = if is_store { self.pages[slot].stores } else { self.pages[slot].loads };
        let wanted = if is_store { WRITE } else { READ };
        if is_watched || has == start || !address.is_multiple_of(length) {
            return false;
        }
        let is_taken = self.taken >> slot & 1 != 0;
        if let AtHand { loads, stores, page: Some(page) } = &mut self.pages[slot]
            && is_taken
            && *loads == start
        {
            // It was taken out to be loaded from; no code is.
            let may = page.plain(address, length, wanted).is_some();
            if may {
                *page.hash.get_mut() = 0;
                *stores = start;
            }
            return may;
        }
        if !self.memory.all(address, length, wanted) {
            return false;
        }
        let is_decoded = self.memory.page(address).is_some_and(|page| page.is_decoded);
        if is_store && is_decoded {
            return false;
        }
        if self.copied >> slot & 1 != 0 {
            self.drop_copy(slot);
        }
        if let AtHand { loads, page: Some(page), .. } = std::mem::replace(&mut self.pages[slot], NONE) {
            self.memory.give(loads, page);
            self.taken &= !(1 << slot);
        }
        if is_store {
            self.memory.page_mut(start);
            self.pages[slot] = AtHand { loads: start, stores: start, page: self.memory.take(start) };
            self.taken |= 1 << slot;
        } else if let Some(page) = (!is_decoded).then(|| self.memory.take_own(start)).flatten() {
            self.pages[slot] = AtHand { loads: start, stores: NOWHERE, page: Some(page) };
            self.taken |= 1 << slot;
        } else {
            // Who only reads makes no pages: of what was never touched a blank one is at hand, until the end.
            let original = self.memory.shared(start).map(Arc::clone);
            let page = match &original {
                Some(page) => Box::clone(page),
                None => Box::new(self.memory.blank_page(start)),
            };
            self.pages[slot] = AtHand { loads: start, stores: NOWHERE, page: Some(page) };
            self.originals[slot] = original;
            self.copied |= 1 << slot;
        }
        true
    }
}

/// Where an address lies: its leaf, its page and its place in that.
fn parts(address: u32) -> (usize, usize, usize) {
    let at = address as usize;
    (at >> 22, at >> 12 & (LEAF - 1), at & (PAGE_BYTES - 1))
}

impl Memory {
    /// Nothing is there.
    pub(super) fn new() -> Self {
        Self { leaves: Box::new(std::array::from_fn(|_| None)), areas: Arc::default(), code: 1 }
    }

    fn page(&self, address: u32) -> Option<&Page> {
        let (leaf, page, _) = parts(address);
        self.leaves[leaf].as_ref()?[page].as_ref().map(|page| &***page)
    }

    /// The page of an address as it is shared.
    fn shared(&self, address: u32) -> Option<&Shared> {
        let (leaf, page, _) = parts(address);
        self.leaves[leaf].as_ref()?[page].as_ref()
    }

    /// What may be done at an address of a page that nothing was written to.
    fn attributes_of_area(&self, address: u32) -> u8 {
        let at = self.areas.partition_point(|area| area.to <= address);
        self.areas.get(at).filter(|area| area.from <= address).map_or(0, |area| area.attributes)
    }

    /// In this stretch that may be done, whatever might before.
    fn set_area(&mut self, from: u32, to: u32, attributes: u8) {
        let areas = Arc::make_mut(&mut self.areas);
        // Those it meets or touches are made anew.
        let first = areas.partition_point(|area| area.to < from);
        let behind = areas.partition_point(|area| area.from <= to);
        let met = &areas[first..behind];
        let left = met.first().filter(|area| area.from < from).map(|area| Area { to: from, ..*area });
        let right = met.last().filter(|area| area.to > to).map(|area| Area { from: to, ..*area });
        let own = Area { from, to, attributes };
        let mut new: Vec<Area> = Vec::with_capacity(3);
        for area in left.into_iter().chain((attributes != 0).then_some(own)).chain(right) {
            match new.last_mut() {
                Some(last) if last.to == area.from && last.attributes == area.attributes => last.to = area.to,
                _ => new.push(area),
            }
        }
        areas.splice(first..behind, new);
    }

    /// The page of an address, to be written to.
    fn page_mut(&mut self, address: u32) -> &mut Page {
        if self.page(address).is_none() {
            self.make_page(address);
        }
        let (leaf, page, _) = parts(address);
        let leaf = self.leaves[leaf].get_or_insert_with(|| Arc::new(std::array::from_fn(|_| None)));
        let slot = Arc::make_mut(leaf)[page].get_or_insert_with(|| Arc::new(Box::new(Page::blank(&[0; PAGE_BYTES]))));
        let page = Arc::make_mut(slot);
        *page.hash.get_mut() = 0;
        if page.is_decoded {
            page.is_decoded = false;
            self.code += 1;
        }
        page
    }

    /// A page that nothing was written to yet.
    fn blank_page(&self, address: u32) -> Page {
        let start = address & !(PAGE - 1);
        let mut attributes = [0; PAGE_BYTES];
        for area in self.areas.iter().filter(|area| area.from < start.saturating_add(PAGE) && start < area.to) {
            let (from, to) = (area.from.max(start) - start, (area.to - start).min(PAGE));
            attributes[from as usize..to as usize].fill(area.attributes);
        }
        Page::blank(&attributes)
    }

    #[cold]
    fn make_page(&mut self, address: u32) {
        let made = self.blank_page(address);
        let (leaf, page, _) = parts(address);
        let leaf = self.leaves[leaf].get_or_insert_with(|| Arc::new(std::array::from_fn(|_| None)));
        Arc::make_mut(leaf)[page] = Some(Arc::new(Box::new(made)));
    }

    /// A number that changes whenever decoded instructions may be others.
    pub(super) fn code(&self) -> u64 {
        self.code
    }

    /// The word at an address was decoded: who writes to its page changes [`Self::code`].
    pub(super) fn note_decoded(&mut self, address: u32) {
        let (leaf, page, _) = parts(address);
        if self.page(address).is_some_and(|page| !page.is_decoded)
            && let Some(leaf) = &mut self.leaves[leaf]
            && let Some(slot) = &mut Arc::make_mut(leaf)[page]
        {
            Arc::make_mut(slot).is_decoded = true;
        }
    }

    /// All may be otherwise: another state is put back.
    pub(super) fn put_back(&mut self, other: &Self) {
        let code = self.code.max(other.code) + 1;
        self.clone_from(other);
        self.code = code;
    }

    /// What lies at an address that is a multiple of the length, when all of it has these attributes.
    #[inline]
    pub(super) fn plain(&self, address: u32, length: u32, wanted: u8) -> Option<u32> {
        self.page(address)?.plain(address, length, wanted)
    }

    /// What a load finds; what was never touched reads 0.
    pub(super) fn read(&self, address: u32, length: u32) -> Option<u32> {
        self.plain(address, length, READ).or_else(|| self.all(address, length, READ).then_some(0))
    }

    /// Stores there, with what is noted of a whole word, when all of it may be written to; what was there, and whether all
    /// of it had a value.
    #[inline]
    pub(super) fn store(&mut self, address: u32, length: u32, value: u32, note: u8) -> Option<(u32, bool)> {
        let old = self.plain(address, length, WRITE).or_else(|| self.all(address, length, WRITE).then_some(0))?;
        Some((old, self.page_mut(address).put(address, length, value, note)))
    }

    /// Takes a page out that was just written to, as one's own.
    fn take(&mut self, address: u32) -> Option<Box<Page>> {
        let (leaf, page, _) = parts(address);
        let shared = Arc::make_mut(self.leaves[leaf].as_mut()?)[page].take()?;
        Some(Arc::try_unwrap(shared).unwrap_or_else(|shared| Box::clone(&shared)))
    }

    /// Takes a page out as it is, when nobody else has it.
    fn take_own(&mut self, address: u32) -> Option<Box<Page>> {
        let (leaf, page, _) = parts(address);
        let there = Arc::get_mut(self.leaves[leaf].as_mut()?)?.get_mut(page)?;
        Arc::get_mut(there.as_mut()?)?;
        there.take().and_then(|shared| Arc::try_unwrap(shared).ok())
    }

    /// Puts it back.
    fn give(&mut self, address: u32, page: Box<Page>) {
        let (leaf, place, _) = parts(address);
        let leaf = self.leaves[leaf].get_or_insert_with(|| Arc::new(std::array::from_fn(|_| None)));
        Arc::make_mut(leaf)[place] = Some(Arc::new(page));
    }

    /// In this stretch that may be done; what was known of it is known no more.
    pub(super) fn map(&mut self, from: u32, to: u32, attributes: u8) {
        if from >= to {
            return;
        }
        self.code += 1;
        self.set_area(from, to, attributes);
        for (at, end) in pages(from, to - 1) {
            if self.page(at).is_some() {
                let (first, last) = (parts(at).2, parts(end).2);
                self.page_mut(at).attributes[first..=last].fill(attributes);
            }
        }
    }

    /// Nothing may be done here any more, and nothing lies here.
    pub(super) fn unmap(&mut self, from: u32, to: u32) {
        if from >= to {
            return;
        }
        self.map(from, to, 0);
        for (at, end) in pages(from, to - 1) {
            if self.page(at).is_some() {
                let (first, last) = (parts(at).2, parts(end).2);
                let page = self.page_mut(at);
                page.bytes[first..=last].fill(0);
                page.notes[first / 4..=last / 4].fill(0);
            }
        }
    }

    /// What may be done at an address, and whether it was ever written.
    pub(super) fn attributes(&self, address: u32) -> u8 {
        match self.page(address) {
            Some(page) => page.attributes[parts(address).2],
            None => self.attributes_of_area(address),
        }
    }

    /// Every byte of a range has all of these attributes. A range never passes the top of memory.
    pub(super) fn all(&self, start: u32, length: u32, wanted: u8) -> bool {
        let Some(last) = start.checked_add(length.saturating_sub(1)) else { return false };
        if length > 0
            && start & !(PAGE - 1) == last & !(PAGE - 1)
            && let Some(page) = self.page(start)
        {
            let (from, to) = (parts(start).2, parts(last).2);
            return page.attributes[from..=to].iter().all(|attributes| attributes & wanted == wanted);
        }
        length == 0
            || pages(start, last).all(|(at, end)| match self.page(at) {
                Some(page) => {
                    page.attributes[parts(at).2..=parts(end).2].iter().all(|attributes| attributes & wanted == wanted)
                }
                None => self.areas_in(at, end, |attributes| attributes & wanted == wanted) == u64::from(end - at) + 1,
            })
    }

    /// How many bytes lie in areas whose attributes are such, up to the last one.
    fn areas_in(&self, first: u32, last: u32, are_such: impl Fn(u8) -> bool) -> u64 {
        let from = self.areas.partition_point(|area| area.to <= first);
        let there = self.areas[from..].iter().take_while(|area| area.from <= last);
        let bytes = |area: &Area| u64::from((area.to - 1).min(last) - area.from.max(first)) + 1;
        there.filter(|area| are_such(area.attributes)).map(bytes).sum()
    }

    /// Some byte of a range has one of these attributes; what lies above the top of memory has none.
    pub(super) fn any(&self, start: u32, length: u32, wanted: u8) -> bool {
        length > 0
            && pages(start, start.saturating_add(length - 1)).any(|(at, end)| match self.page(at) {
                Some(page) => {
                    page.attributes[parts(at).2..=parts(end).2].iter().any(|attributes| attributes & wanted != 0)
                }
                None => self.areas_in(at, end, |attributes| attributes & wanted != 0) > 0,
            })
    }

    pub(super) fn byte(&self, address: u32) -> u8 {
        self.page(address).map_or(0, |page| page.bytes[parts(address).2])
    }

    /// The bytes from an address on; above the top of memory it begins anew.
    pub(super) fn bytes<const N: usize>(&self, address: u32) -> [u8; N] {
        let place = parts(address).2;
        if let (Some(page), true) = (self.page(address), place + N <= PAGE_BYTES) {
            return std::array::from_fn(|index| page.bytes[place + index]);
        }
        let mut at = address;
        std::array::from_fn(|_| {
            let byte = self.byte(at);
            at = at.wrapping_add(1);
            byte
        })
    }

    pub(super) fn word(&self, address: u32) -> u32 {
        u32::from_le_bytes(self.bytes(address))
    }

    /// So many bytes from an address on, as far as memory reaches.
    pub(super) fn range(&self, start: u32, length: u32) -> Vec<u8> {
        (0..length).map_while(|offset| start.checked_add(offset)).map(|at| self.byte(at)).collect()
    }

    /// Writes bytes whatever the rights, as known.
    pub(super) fn put(&mut self, address: u32, bytes: &[u8]) {
        let mut left = bytes;
        let mut at = address;
        while !left.is_empty() {
            let place = parts(at).2;
            let (here, more) = left.split_at(left.len().min(PAGE_BYTES - place));
            let page = self.page_mut(at);
            page.bytes[place..place + here.len()].copy_from_slice(here);
            page.attributes[place..place + here.len()].iter_mut().for_each(|has| *has |= KNOWN);
            page.notes[place / 4..(place + here.len()).div_ceil(4)].fill(0);
            left = more;
            at = at.wrapping_add(u32::try_from(here.len()).unwrap_or(0));
        }
    }

    /// The same for what is there from the start, with what is known of it as its area says.
    pub(super) fn load(&mut self, address: u32, bytes: &[u8]) {
        for (chunk, at) in bytes.chunks(64).zip((address..).step_by(64)) {
            for (byte, at) in chunk.iter().zip(at..) {
                let place = parts(at).2;
                self.page_mut(at).bytes[place] = *byte;
            }
        }
    }

    /// What was last stored to the word at an address: a register and 1 more, or 0.
    pub(super) fn note(&self, address: u32) -> u8 {
        self.page(address).map_or(0, |page| page.notes[parts(address).2 / 4])
    }

    pub(super) fn cell(&self, address: u32) -> CellState {
        match self.attributes(address) {
            a if a & (READ | WRITE | EXECUTE) == 0 => CellState::Unmapped,
            a if a & KNOWN == 0 => CellState::NeverWritten,
            _ => CellState::Known,
        }
    }

    /// Stretches of cells in one state. Where no page is, only the edges of areas are looked at.
    pub(super) fn states(&self, from: u32, to: u32, states: &mut Vec<(Addr, Addr, CellState)>) {
        let mut at = from;
        while at < to {
            let page_end = (at | (PAGE - 1)).saturating_add(1).min(to);
            let (end, step) = if self.page(at).is_some() {
                (page_end, 1)
            } else {
                let edges = self.areas.iter().flat_map(|area| [area.from, area.to]).filter(|edge| *edge > at);
                let edge = edges.min().unwrap_or(to).min(to);
                // As far as no page begins.
                let mut end = page_end.min(edge);
                while end < edge && end.is_multiple_of(PAGE) && self.page(end).is_none() {
                    let leaf_end =
                        if self.leaves[parts(end).0].is_none() { end | 0x003F_FFFF } else { end | (PAGE - 1) };
                    end = leaf_end.saturating_add(1).min(edge);
                }
                (end, end - at)
            };
            while at < end {
                crate::memory::put_state(states, Addr(at), Addr(at + step), self.cell(at));
                at += step;
            }
        }
    }

    /// Pages that are not one and the same in both, with the address each begins at.
    fn pairs<'a>(&'a self, other: &'a Self) -> impl Iterator<Item = (u32, Option<&'a Shared>, Option<&'a Shared>)> {
        let same = |one: &Option<Arc<Leaf>>, other: &Option<Arc<Leaf>>| match (one, other) {
            (Some(one), Some(other)) => Arc::ptr_eq(one, other),
            (None, None) => true,
            _ => false,
        };
        let leaves =
            self.leaves.iter().zip(other.leaves.iter()).enumerate().filter(move |(_, (one, other))| !same(one, other));
        leaves.flat_map(|(leaf, (one, other))| {
            (0..LEAF).filter_map(move |page| {
                let of = |leaf: &'a Option<Arc<Leaf>>| leaf.as_ref().and_then(|leaf| leaf[page].as_ref());
                let (one, other) = (of(one), of(other));
                let differs = match (one, other) {
                    (Some(one), Some(other)) => !Arc::ptr_eq(one, other),
                    (None, None) => false,
                    _ => true,
                };
                let address = u32::try_from(leaf << 22 | page << 12).unwrap_or(0);
                differs.then_some((address, one, other))
            })
        })
    }

    /// Bytes it takes beside what it shares with another one.
    pub(super) fn bytes_beside(&self, other: &Self) -> usize {
        let pages = self.pairs(other).filter(|(_, own, _)| own.is_some()).count();
        size_of::<[Option<Arc<Leaf>>; LEAVES]>() + pages * size_of::<Page>() + pages.min(1) * size_of::<Leaf>()
    }

    /// The page that holds an address is one and the same in both: nothing was written to it between them.
    pub(super) fn shares(&self, other: &Self, address: u32) -> bool {
        let page = |of: &Self| {
            let (leaf, page, _) = parts(address);
            of.leaves[leaf].as_ref().and_then(|leaf| leaf[page].as_ref()).map(Arc::as_ptr)
        };
        page(self) == page(other)
    }

    /// Bytes, what may be done with them, what was written and what was stored are the same.
    pub(super) fn same(&self, other: &Self) -> bool {
        let is_blank = |memory: &Self, page: &Page, at: u32| {
            page.bytes.iter().all(|byte| *byte == 0)
                && page.notes.iter().all(|note| *note == 0)
                && (at..).zip(page.attributes).all(|(at, has)| memory.attributes_of_area(at) == has)
        };
        self.pairs(other).all(|(at, one, two)| match (one, two) {
            (Some(one), Some(two)) => one == two,
            (Some(page), None) => is_blank(other, page, at),
            (None, Some(page)) => is_blank(self, page, at),
            (None, None) => true,
        }) && self.areas == other.areas
    }

    /// The bytes are the same.
    pub(super) fn same_bytes(&self, other: &Self) -> bool {
        let zero = [0; PAGE_BYTES];
        let bytes = |page: Option<&Shared>| page.map_or(zero, |page| page.bytes);
        self.pairs(other).all(|(_, one, two)| bytes(one) == bytes(two))
    }

    /// One number for all that is in memory. What was touched and what was not are told apart.
    pub(super) fn hash(&self) -> u64 {
        let mut hasher = FxHasher::default();
        for (number, leaf) in self.leaves.iter().enumerate() {
            for (place, page) in leaf.iter().flat_map(|leaf| leaf.iter().enumerate()) {
                if let Some(page) = page {
                    hasher.write_usize(number << 10 | place);
                    hasher.write_u64(page.hash());
                }
            }
        }
        hasher.finish()
    }

    /// Runs of cells that differ from those of another moment, or had no value there and have one here. Words that follow
    /// each other are one run; of a word only what has a value now.
    pub(super) fn differences(&self, before: &Self) -> Vec<Difference> {
        /// Bytes that are compared at once.
        const PART: usize = 64;
        let mut runs: Vec<Difference> = Vec::new();
        for (start, here, there) in self.pairs(before) {
            let (mut new_page, mut old_page) = (None, None);
            let here: &Page = match here {
                Some(page) => page,
                None => new_page.insert(self.blank_page(start)),
            };
            let there: &Page = match there {
                Some(page) => page,
                None => old_page.insert(before.blank_page(start)),
            };
            let at = |page: &Page, place: usize| (page.bytes[place], page.attributes[place] & KNOWN != 0);
            let now = |place| at(here, place);
            let was = |place| at(there, place);
            // Most of a page is as it was.
            let is_same = |from: usize| {
                let part = from..from + PART;
                here.bytes[part.clone()] == there.bytes[part.clone()]
                    && here.attributes[part.clone()] == there.attributes[part]
            };
            let parts = (0..PAGE_BYTES).step_by(PART).filter(|from| !is_same(*from));
            for word in parts.flat_map(|from| (from..from + PART).step_by(4)) {
                if (word..word + 4).all(|place| now(place) == was(place)) {
                    continue;
                }
                for place in (word..word + 4).filter(|place| now(*place).1 || now(*place) != was(*place)) {
                    let address = Addr(start + u32::try_from(place).unwrap_or(0));
                    let ((new, _), (old, was_known)) = (now(place), was(place));
                    let follows =
                        |run: &&mut Difference| run.address + u32::try_from(run.old.len()).unwrap_or(0) == address;
                    if let Some(run) = runs.last_mut().filter(follows) {
                        run.old.push(old);
                        run.new.push(new);
                        run.was_known &= was_known;
                    } else {
                        runs.push(Difference { address, old: vec![old], new: vec![new], was_known });
                    }
                }
            }
        }
        runs
    }

    /// Bytes that may be touched at all.
    pub(super) fn mapped(&self) -> u64 {
        self.areas.iter().map(|area| u64::from(area.to - area.from)).sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Where the tests look: some pages, none of which begins with a leaf.
    const BASE: u32 = 0x0030_0000 - 2 * PAGE;
    const ROOM: u32 = 5 * PAGE;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(96))]

        /// What may be done where is what an array of bytes says, whatever was mapped, taken away and written in any order.
        #[test]
        fn areas_are_what_single_bytes_say(
            deeds in proptest::collection::vec((0u8..4, 0..ROOM, 0..2 * PAGE, any::<u8>()), 1..24),
            looks in proptest::collection::vec((0..ROOM, 0..2 * PAGE, 1u8..8), 12),
            snapshot_at in 0usize..24,
        ) {
            let mut memory = Memory::new();
            let mut snapshot = None;
            let (mut rights, mut bytes) = (vec![0u8; ROOM as usize], vec![0u8; ROOM as usize]);
            for (index, (deed, from, length, value)) in deeds.into_iter().enumerate() {
                if index == snapshot_at {
                    snapshot = Some((memory.clone(), rights.clone(), bytes.clone()));
                }
                let to = (from + length).min(ROOM);
                let range = from as usize..to as usize;
                let rights_of = [READ, WRITE, READ | WRITE, EXECUTE][usize::from(value) % 4];
                match deed {
                    0 | 1 => {
                        memory.map(BASE + from, BASE + to, rights_of);
                        rights[range].fill(rights_of);
                    }
                    2 => {
                        memory.unmap(BASE + from, BASE + to);
                        rights[range.clone()].fill(0);
                        bytes[range].fill(0);
                    }
                    _ => {
                        memory.put(BASE + from, &vec![value; range.len().min(9)]);
                        let range = range.start..(range.start + 9).min(range.end);
                        rights[range.clone()].iter_mut().for_each(|rights| *rights |= KNOWN);
                        bytes[range].fill(value);
                    }
                }
            }
            for (at, (rights, byte)) in (BASE..).zip(rights.iter().zip(&bytes)) {
                prop_assert_eq!((memory.attributes(at), memory.byte(at)), (*rights, *byte), "{:X}", at);
            }
            for (from, length, wanted) in looks {
                let to = (from + length).min(ROOM);
                let here = &rights[from as usize..to as usize];
                prop_assert_eq!(memory.all(BASE + from, to - from, wanted), here.iter().all(|it| it & wanted == wanted));
                prop_assert_eq!(memory.any(BASE + from, to - from, wanted), here.iter().any(|it| it & wanted != 0));
            }
            if let Some((before, old_rights, old_bytes)) = snapshot {
                let now = |at: usize| (bytes[at], rights[at] & KNOWN != 0);
                let was = |at: usize| (old_bytes[at], old_rights[at] & KNOWN != 0);
                let words = (0..ROOM as usize).step_by(4).filter(|word| (*word..word + 4).any(|at| now(at) != was(at)));
                let places = words.flat_map(|word| word..word + 4).filter(|at| now(*at).1 || now(*at) != was(*at));
                let wanted: Vec<_> = places.map(|at| (BASE + u32::try_from(at).unwrap(), was(at).0, now(at).0)).collect();
                let told = memory.differences(&before).into_iter().flat_map(|run| {
                    let bytes = run.old.into_iter().zip(run.new);
                    (run.address.0..).zip(bytes).map(|(at, (old, new))| (at, old, new)).collect::<Vec<_>>()
                });
                prop_assert_eq!(told.collect::<Vec<_>>(), wanted);
            }
            // As few areas as there can be: otherwise they would become more and more.
            prop_assert!(memory.areas.windows(2).all(|pair| {
                pair[0].to < pair[1].from || pair[0].to == pair[1].from && pair[0].attributes != pair[1].attributes
            }), "{:?}", memory.areas);
            prop_assert!(memory.areas.iter().all(|area| area.from < area.to && area.attributes != 0));
        }
    }

    #[test]
    fn a_heap_that_grows_by_little_stays_one_area_up_to_the_top() {
        let mut memory = Memory::new();
        for step in 0..5000 {
            memory.map(step * 16, step * 16 + 16, READ | WRITE);
        }
        for step in (2500..5000).rev() {
            memory.unmap(step * 16, step * 16 + 16);
        }
        assert_eq!((memory.areas.len(), memory.mapped()), (1, 40_000));
        memory.map(u32::MAX - 20, u32::MAX, READ);
        assert!(memory.all(u32::MAX - 20, 20, READ) && !memory.any(u32::MAX, 1, READ));
        assert!(!memory.any(u32::MAX - 21, 1, READ) && !memory.all(u32::MAX - 5, 9, READ));
    }
}
