//! Memory of 65,536 bytes with rights for each of them.
//!
//! Beside each byte stands what may be done with it and whether it was ever written; beside each word of
//! two bytes what a push left there. Pages are the unit of sharing between snapshots: a page that did
//! not change since the last snapshot is never copied.

#![expect(clippy::inline_always, reason = "what is done in one go is part of functions that call nothing")]

use rustc_hash::FxHasher;
use std::hash::Hasher;
use std::ops::Range;
use std::sync::Arc;
use wendax_image::Rights;
use wendax_isa::Addr;

pub(crate) const SIZE: usize = 0x1_0000;
pub(crate) const PAGE: usize = 0x100;
const PAGES: usize = SIZE / PAGE;

/// May be loaded from.
pub(crate) const READ: u8 = 1;
/// May be stored to.
pub(crate) const WRITE: u8 = 2;
/// May be run.
pub(crate) const EXECUTE: u8 = 4;
/// Has been written, or had a value from the start.
pub(crate) const KNOWN: u8 = 8;
/// Part of a decoded instruction: a store must forget the decoding. Not part of the state.
pub(crate) const DECODED: u8 = 16;
/// A device register or trap vector: stores have effects.
pub(crate) const SPECIAL: u8 = 32;
/// A device register: words only, loads have effects too.
pub(crate) const DEVICE: u8 = 64;
/// Runs that look out for something stop before it is touched. Not part of the state.
pub(crate) const WATCHED: u8 = 128;
/// What is no part of the state.
const PASSING: u8 = DECODED | WATCHED;

// What may be done with a cell in one go, without looking at its attributes: what is told by `quick`, which stands between
// an access and the attributes, and never says more than they do.

/// A word may be loaded from here: it is even, readable, and no device's.
const LOAD_WORD: u8 = 1;
/// A byte may be loaded.
const LOAD_BYTE: u8 = 2;
/// A word may be stored here: it is even, both its bytes are writable and known already, the page is dirty already, and
/// nothing else comes of a store.
const STORE_WORD: u8 = 4;
/// The same of a byte.
const STORE_BYTE: u8 = 8;

const LOADS: u8 = LOAD_WORD | LOAD_BYTE;
const STORES: u8 = STORE_WORD | STORE_BYTE;

/// Attributes that make a load, and a store, more than that.
const NOT_LOADED: u8 = DEVICE | WATCHED;
const NOT_STORED: u8 = SPECIAL | DEVICE | DECODED | WATCHED;

/// Of each cell: its byte; what may be done with it in one go; and of each word, by its number, what the last push to it
/// was of, 0 when it was written otherwise.
pub(crate) type Planes = [[u8; SIZE]; 3];

/// The number of each plane.
pub(crate) const BYTES: usize = 0;
const QUICK: usize = 1;
const NOTES: usize = 2;

/// The word at an even address.
#[inline(always)]
pub(crate) fn word_of(planes: &Planes, address: u16) -> u16 {
    let at = usize::from(address & !1);
    u16::from_le_bytes([planes[BYTES][at], planes[BYTES][at | 1]])
}

#[inline(always)]
fn may(planes: &Planes, address: u16, what: u8) -> bool {
    planes[QUICK][usize::from(address)] & what != 0
}

/// What a load of a word finds, where that is done in one go.
#[inline(always)]
pub(crate) fn quick_word(planes: &Planes, address: u16) -> Option<u16> {
    may(planes, address, LOAD_WORD).then(|| word_of(planes, address))
}

/// The same of a byte.
#[inline(always)]
pub(crate) fn quick_byte(planes: &Planes, address: u16) -> Option<u8> {
    may(planes, address, LOAD_BYTE).then(|| planes[BYTES][usize::from(address)])
}

/// Stores a word, with what it is of when it is pushed, where that is done in one go; false where it is not.
#[inline(always)]
pub(crate) fn put_quick_word(planes: &mut Planes, address: u16, value: u16, note: u8) -> bool {
    let may = may(planes, address, STORE_WORD);
    if may {
        let at = usize::from(address & !1);
        [planes[BYTES][at], planes[BYTES][at | 1]] = value.to_le_bytes();
        planes[NOTES][usize::from(address >> 1)] = note;
    }
    may
}

/// The same of a byte.
#[inline(always)]
pub(crate) fn put_quick_byte(planes: &mut Planes, address: u16, value: u8) -> bool {
    let may = may(planes, address, STORE_BYTE);
    if may {
        planes[BYTES][usize::from(address)] = value;
        planes[NOTES][usize::from(address >> 1)] = 0;
    }
    may
}

const UNKEPT: u8 = 1;
const UNHASHED: u8 = 2;
/// What a page is once something was written to it.
pub(crate) const DIRTY: u8 = UNKEPT | UNHASHED;

/// Whether a cell has a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CellState {
    /// No program may touch it.
    Unmapped,
    /// It reads 0, but nothing was ever written there.
    NeverWritten,
    /// It has a value.
    Known,
    /// It is a device register.
    Device,
}

/// Takes a stretch of cells in one state to those before it.
pub(crate) fn put_state(states: &mut Vec<(Addr, Addr, CellState)>, from: Addr, to: Addr, state: CellState) {
    match states.last_mut().filter(|last| last.1 == from && last.2 == state) {
        Some(last) => last.1 = to,
        None => states.push((from, to, state)),
    }
}

/// A run of cells that differs from what it was at some moment before.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Difference {
    /// The first address.
    pub address: Addr,
    /// What was there, 0 where nothing had ever been written.
    pub old: Vec<u8>,
    /// What is there; as long.
    pub new: Vec<u8>,
    /// All of it had been written before.
    pub was_known: bool,
}

/// What a region is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[expect(missing_docs, reason = "the names say it")]
pub enum RegionKind {
    Vectors,
    Code,
    Data,
    Heap,
    Stack,
    Devices,
}

/// A range of addresses with one purpose.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Region {
    /// First address.
    pub start: Addr,
    /// How many bytes.
    pub length: u32,
    /// What it is for.
    pub kind: RegionKind,
}

impl Region {
    /// From a first address up to another one, which is not in it.
    pub fn between(start: Addr, end: Addr, kind: RegionKind) -> Self {
        Self { start, length: end.0.saturating_sub(start.0), kind }
    }

    /// An address is in it.
    pub fn contains(&self, address: Addr) -> bool {
        address >= self.start && address - self.start < self.length
    }

    /// The last address that is in it; the first of one that is empty.
    pub fn last(&self) -> Addr {
        self.start.saturating_add(self.length.saturating_sub(1))
    }

    /// One past the last address; the last there can be where it reaches to the top of memory.
    pub fn end(&self) -> Addr {
        self.start.saturating_add(self.length)
    }
}

/// A page as a snapshot keeps it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Page {
    bytes: [u8; PAGE],
    attributes: [u8; PAGE],
    notes: [u8; PAGE / 2],
}

/// Pages of a group.
const GROUP: usize = 16;

type Group = [Arc<Page>; GROUP];

/// All pages of memory at some moment. They stand in groups, and groups that are the same are shared, so that what a
/// moment takes beside another one is little more than what changed.
#[derive(Debug, Clone)]
pub(crate) struct Pages {
    groups: [Arc<Group>; PAGES / GROUP],
}

impl Pages {
    fn get(&self, number: usize) -> &Arc<Page> {
        &self.groups[number / GROUP][number % GROUP]
    }

    fn set(&mut self, number: usize, page: Arc<Page>) {
        Arc::make_mut(&mut self.groups[number / GROUP])[number % GROUP] = page;
    }

    /// Bytes it takes beside what it shares with another one.
    pub(crate) fn bytes_beside(&self, other: &Self) -> usize {
        let groups = self.groups.iter().zip(&other.groups).filter(|(own, known)| !Arc::ptr_eq(own, known));
        let of_group = |(own, known): (&Arc<Group>, &Arc<Group>)| {
            let pages = own.iter().zip(known.iter()).filter(|(own, known)| !Arc::ptr_eq(own, known)).count();
            size_of::<Group>() + pages * size_of::<Page>()
        };
        groups.map(of_group).sum()
    }

    /// The page that holds an address is one and the same in both: nothing was written to it between them.
    pub(crate) fn share(&self, other: &Self, address: u16) -> bool {
        let number = usize::from(address) / PAGE;
        Arc::ptr_eq(self.get(number), other.get(number))
    }
}

#[derive(Debug, Clone)]
pub(crate) struct Memory {
    pub(crate) planes: Box<Planes>,
    pub(crate) attributes: Box<[u8; SIZE]>,
    /// Of each page: [`UNKEPT`] when it changed since `base`, [`UNHASHED`] when it changed since its hash was taken.
    pub(crate) dirty: Box<[u8; PAGES]>,
    /// Hashes of the pages.
    hashes: Box<[u64; PAGES]>,
    /// The pages as the last snapshot has them.
    base: Pages,
    /// Ranges of cells that are [`WATCHED`], each from its first to behind its last.
    watched: Vec<(usize, usize)>,
}

#[expect(clippy::large_stack_arrays, reason = "nothing but zeroes, which are asked for where they are to lie")]
fn blank_planes() -> Box<Planes> {
    boxed([0; SIZE])
}

fn boxed<T: Copy + std::fmt::Debug, const N: usize>(value: T) -> Box<[T; N]> {
    vec![value; N].into_boxed_slice().try_into().expect("the vector has N entries")
}

impl Memory {
    /// All zero, unmapped.
    pub(crate) fn new() -> Self {
        let blank = Arc::new(Page { bytes: [0; PAGE], attributes: [0; PAGE], notes: [0; PAGE / 2] });
        let group = Arc::new(std::array::from_fn(|_| Arc::clone(&blank)));
        let base = Pages { groups: std::array::from_fn(|_| Arc::clone(&group)) };
        Self {
            planes: blank_planes(),
            attributes: boxed(0),
            dirty: boxed(DIRTY),
            hashes: boxed(0),
            base,
            watched: Vec::new(),
        }
    }

    /// The bytes of all cells.
    pub(crate) fn bytes(&self) -> &[u8; SIZE] {
        &self.planes[BYTES]
    }

    /// What the last push to the word that holds an address was of; 0 when it was written otherwise.
    pub(crate) fn note(&self, address: u16) -> u8 {
        self.planes[NOTES][usize::from(address / 2)]
    }

    /// Gives a range these attributes; the others of the range are lost.
    pub(crate) fn map(&mut self, start: usize, end: usize, attributes: u8) {
        for address in start..end.min(SIZE) {
            self.attributes[address] = attributes;
            self.dirty[address / PAGE] = DIRTY;
        }
        self.refuse(start, end, LOADS | STORES);
        self.mark_watched(WATCHED);
    }

    /// Gives one cell one attribute more.
    pub(crate) fn mark(&mut self, address: u16, attribute: u8) {
        let at = usize::from(address);
        self.attributes[at] |= attribute;
        self.refuse(at, at + 1, LOADS | STORES);
    }

    /// These are no longer done in one go in a range, nor with a word that lies partly in it.
    fn refuse(&mut self, start: usize, end: usize, quick: u8) {
        for has in &mut self.planes[QUICK][start & !1..end.min(SIZE)] {
            *has &= !quick;
        }
    }

    /// From now on these ranges are watched, and no others.
    pub(crate) fn watch(&mut self, ranges: Vec<(usize, usize)>) {
        self.mark_watched(0);
        self.watched = ranges;
        self.mark_watched(WATCHED);
    }

    fn mark_watched(&mut self, mark: u8) {
        for (from, to) in self.watched.clone() {
            for attributes in &mut self.attributes[from..to.min(SIZE)] {
                *attributes = *attributes & !WATCHED | mark;
            }
            self.refuse(from, to, LOADS | STORES);
        }
    }

    pub(crate) fn load(&mut self, start: usize, bytes: &[u8]) {
        for (address, byte) in (start..SIZE).zip(bytes) {
            self.planes[BYTES][address] = *byte;
            self.dirty[address / PAGE] = DIRTY;
        }
    }

    #[inline]
    pub(crate) fn word(&self, address: u16) -> u16 {
        let at = usize::from(address);
        let bytes = self.bytes();
        u16::from_le_bytes([bytes[at], bytes[usize::from(address.wrapping_add(1))]])
    }

    /// The arrays by themselves, for who writes to them.
    #[inline]
    pub(crate) fn cells(&mut self) -> Cells<'_> {
        Cells { planes: &mut self.planes, attributes: &mut self.attributes, dirty: &mut self.dirty }
    }

    /// Every byte of a range has all of these attributes. The range may not pass the end of memory.
    pub(crate) fn all(&self, start: u16, length: u16, wanted: u8) -> bool {
        let from = usize::from(start);
        let to = from + usize::from(length);
        to <= SIZE && self.attributes[from..to].iter().all(|attributes| attributes & wanted == wanted)
    }

    /// Some byte of a range has one of these attributes. The range may not pass the end of memory.
    pub(crate) fn attributes_any(&self, start: u16, length: u16, wanted: u8) -> bool {
        let from = usize::from(start);
        let to = (from + usize::from(length)).min(SIZE);
        self.attributes[from..to].iter().any(|attributes| attributes & wanted != 0)
    }

    pub(crate) fn cell(&self, address: u16) -> CellState {
        let attributes = self.attributes[usize::from(address)];
        match attributes {
            a if a & DEVICE != 0 => CellState::Device,
            a if a & (READ | WRITE | EXECUTE) == 0 => CellState::Unmapped,
            a if a & KNOWN == 0 => CellState::NeverWritten,
            _ => CellState::Known,
        }
    }

    /// The pages as they are now.
    pub(crate) fn snapshot(&mut self) -> Pages {
        for number in 0..PAGES {
            if self.dirty[number] & UNKEPT != 0 {
                self.dirty[number] &= !UNKEPT;
                let page = self.page(number);
                self.base.set(number, Arc::new(page));
                self.refuse(number * PAGE, (number + 1) * PAGE, STORES);
            }
        }
        self.base.clone()
    }

    fn page(&self, number: usize) -> Page {
        let at = number * PAGE;
        let mut page = Page { bytes: [0; PAGE], attributes: [0; PAGE], notes: [0; PAGE / 2] };
        page.bytes.copy_from_slice(&self.planes[BYTES][at..at + PAGE]);
        page.notes.copy_from_slice(&self.planes[NOTES][at / 2..at / 2 + PAGE / 2]);
        for (kept, attributes) in page.attributes.iter_mut().zip(&self.attributes[at..at + PAGE]) {
            *kept = attributes & !PASSING;
        }
        page
    }

    /// Puts pages back; calls `forget` for each page that held decoded code and was replaced.
    pub(crate) fn restore(&mut self, pages: &Pages, mut forget: impl FnMut(usize)) {
        for number in 0..PAGES {
            let page = pages.get(number);
            if self.dirty[number] & UNKEPT == 0 && Arc::ptr_eq(self.base.get(number), page) {
                continue;
            }
            let at = number * PAGE;
            if self.attributes[at..at + PAGE].iter().any(|attributes| attributes & DECODED != 0) {
                forget(number);
            }
            self.planes[BYTES][at..at + PAGE].copy_from_slice(&page.bytes);
            self.attributes[at..at + PAGE].copy_from_slice(&page.attributes);
            self.planes[NOTES][at / 2..at / 2 + PAGE / 2].copy_from_slice(&page.notes);
            self.dirty[number] = UNHASHED;
            self.refuse(at, at + PAGE, LOADS | STORES);
        }
        // Groups are taken over as they are, so that they stay shared.
        self.base = pages.clone();
        self.mark_watched(WATCHED);
    }

    /// One number for all that is in memory: bytes, attributes but for decodings, and notes.
    pub(crate) fn hash(&mut self) -> u64 {
        for number in 0..PAGES {
            if self.dirty[number] & UNHASHED != 0 {
                self.dirty[number] &= !UNHASHED;
                self.refuse(number * PAGE, (number + 1) * PAGE, STORES);
                let page = self.page(number);
                let mut hasher = FxHasher::default();
                hasher.write(&page.bytes);
                hasher.write(&page.attributes);
                hasher.write(&page.notes);
                self.hashes[number] = hasher.finish();
            }
        }
        let mut hasher = FxHasher::default();
        self.hashes.iter().for_each(|hash| hasher.write_u64(*hash));
        hasher.finish()
    }

    /// The bytes of a range, as far as memory reaches.
    pub(crate) fn range(&self, start: u16, length: usize) -> &[u8] {
        let from = usize::from(start);
        &self.bytes()[from..(from + length).min(SIZE)]
    }

    /// Runs of cells that differ from those of other pages, or had no value there and have one here. Words that follow
    /// each other are one run; of a word only what has a value now.
    pub(crate) fn differences(&self, pages: &Pages) -> Vec<Difference> {
        let mut runs: Vec<Difference> = Vec::new();
        for number in 0..PAGES {
            let page = pages.get(number);
            let from = number * PAGE;
            if self.dirty[number] & UNKEPT == 0 && Arc::ptr_eq(self.base.get(number), page) {
                continue;
            }
            let is_known = |attributes: &[u8], at: usize| attributes[at] & KNOWN != 0;
            let here = (&self.bytes()[from..from + PAGE], &self.attributes[from..from + PAGE]);
            let differs =
                |at: usize| page.bytes[at] != here.0[at] || is_known(&page.attributes, at) != is_known(here.1, at);
            for word in (0..PAGE).step_by(2).filter(|&word| differs(word) || differs(word + 1)) {
                for at in (word..word + 2).filter(|&at| is_known(here.1, at) || differs(at)) {
                    let (old, new, was_known) = (page.bytes[at], here.0[at], is_known(&page.attributes, at));
                    if let Some(run) = runs.last_mut().filter(|run| run.address.index() + run.old.len() == from + at) {
                        run.old.push(old);
                        run.new.push(new);
                        run.was_known &= was_known;
                    } else {
                        let address = Addr(u32::try_from(from + at).unwrap_or(u32::MAX));
                        runs.push(Difference { address, old: vec![old], new: vec![new], was_known });
                    }
                }
            }
        }
        runs
    }

    /// Bytes, attributes but for decodings, and notes are the same.
    pub(crate) fn same(&self, other: &Self) -> bool {
        (0..PAGES).all(|number| self.page(number) == other.page(number))
    }
}

/// Memory as those see it who write to it.
#[derive(Debug)]
pub(crate) struct Cells<'a> {
    pub(crate) planes: &'a mut Planes,
    pub(crate) attributes: &'a mut [u8; SIZE],
    pub(crate) dirty: &'a mut [u8; PAGES],
}

impl Cells<'_> {
    #[inline]
    pub(crate) fn word(&self, address: u16) -> u16 {
        let at = usize::from(address);
        u16::from_le_bytes([self.planes[BYTES][at], self.planes[BYTES][usize::from(address.wrapping_add(1))]])
    }

    /// A byte as it lies there.
    pub(crate) fn byte(&self, address: u16) -> u8 {
        self.planes[BYTES][usize::from(address)]
    }

    /// A cell has one of these attributes.
    #[inline]
    pub(crate) fn has(&self, address: u16, any: u8) -> bool {
        self.attributes[usize::from(address)] & any != 0
    }

    /// A cell, or the other one of its word, has one of these attributes.
    #[inline]
    pub(crate) fn word_has(&self, address: u16, any: u8) -> bool {
        self.has(address & !1, any) || self.has(address | 1, any)
    }

    /// Leaves a note at a word that was pushed.
    pub(crate) fn set_note(&mut self, address: u16, note: u8) {
        self.planes[NOTES][usize::from(address / 2)] = note;
    }

    /// Writes a byte whatever the rights, as known; who calls this looks after decoded code.
    pub(crate) fn put(&mut self, address: u16, byte: u8) {
        let at = usize::from(address);
        self.planes[BYTES][at] = byte;
        self.attributes[at] |= KNOWN;
        self.planes[NOTES][at / 2] = 0;
        self.dirty[at / PAGE] = DIRTY;
    }

    /// The same with several bytes, from a first address to behind a last.
    pub(crate) fn put_all(&mut self, cells: Range<usize>, bytes: &[u8]) {
        if cells.is_empty() {
            return;
        }
        self.attributes[cells.clone()].iter_mut().for_each(|has| *has |= KNOWN);
        self.planes[NOTES][cells.start / 2..=(cells.end - 1) / 2].fill(0);
        self.dirty[cells.start / PAGE..=(cells.end - 1) / PAGE].fill(DIRTY);
        self.planes[BYTES][cells].copy_from_slice(bytes);
    }

    /// A load from here was a plain one: from now on it is done in one go, all over the page.
    pub(crate) fn grant_loads(&mut self, address: u16) {
        let may = |has: u8| has & (READ | NOT_LOADED) == READ;
        self.grant(usize::from(address) / PAGE * PAGE, PAGE, may, (LOAD_WORD, LOAD_BYTE));
    }

    /// A store to here was a plain one: from now on it is done in one go. A page that was clean is looked at as a whole,
    /// since others of its cells will follow.
    pub(crate) fn grant_stores(&mut self, address: u16, was_dirty: bool) {
        let may = |has: u8| has & (WRITE | KNOWN | NOT_STORED) == WRITE | KNOWN;
        let at = usize::from(address);
        let (from, length) = if was_dirty { (at & !1, 2) } else { (at / PAGE * PAGE, PAGE) };
        self.grant(from, length, may, (STORE_WORD, STORE_BYTE));
    }

    /// The page that holds an address is dirty.
    pub(crate) fn is_dirty(&self, address: u16) -> bool {
        self.dirty[usize::from(address) / PAGE] == DIRTY
    }

    fn grant(&mut self, from: usize, length: usize, may: impl Fn(u8) -> bool, (word, byte): (u8, u8)) {
        let quick = &mut self.planes[QUICK][from..from + length];
        for (quick, has) in quick.chunks_exact_mut(2).zip(self.attributes[from..from + length].chunks_exact(2)) {
            let may = [may(has[0]), may(has[1])];
            quick[0] |= if may[0] { byte } else { 0 } | if may[0] && may[1] { word } else { 0 };
            quick[1] |= if may[1] { byte } else { 0 };
        }
    }

    /// Both bytes of a word, or the byte, have these attributes. A word lies at an even address.
    pub(crate) fn all(&self, address: u16, length: u16, wanted: u8) -> bool {
        let from = usize::from(address);
        (from..from + usize::from(length)).all(|at| self.attributes.get(at).is_some_and(|has| has & wanted == wanted))
    }
}

/// Attributes for rights.
pub(crate) fn attributes_of(rights: Rights) -> u8 {
    let bit = |on: bool, bit: u8| if on { bit } else { 0 };
    bit(rights.read, READ) | bit(rights.write, WRITE) | bit(rights.execute, EXECUTE)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_region_may_reach_to_the_top_of_memory() {
        let top = Region { start: Addr(0xFFFF_FE00), length: 0x200, kind: RegionKind::Devices };
        assert!(top.contains(Addr(0xFFFF_FE00)) && top.contains(Addr(0xFFFF_FFFF)) && !top.contains(Addr(0xFFFF_FDFF)));
        assert_eq!((top.last(), top.end()), (Addr(u32::MAX), Addr(u32::MAX)));
        let low = Region::between(Addr(0x200), Addr(0x300), RegionKind::Code);
        assert_eq!((low.last(), low.end(), low.length), (Addr(0x2FF), Addr(0x300), 0x100));
        assert!(low.contains(Addr(0x2FF)) && !low.contains(Addr(0x300)) && !low.contains(Addr(0)));
        assert!(!Region::between(Addr(5), Addr(5), RegionKind::Heap).contains(Addr(5)));
    }
}
