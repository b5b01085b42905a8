//! Memory of 65,536 bytes with rights for each of them.
//!
//! Beside each byte stands what may be done with it and whether it was ever written; beside each word of
//! two bytes what a push left there. Pages are the unit of sharing between snapshots: a page that did
//! not change since the last snapshot is never copied.

use std::sync::Arc;
use wendax_image::Rights;

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
    pub start: u32,
    /// One past the last address.
    pub end: u32,
    /// What it is for.
    pub kind: RegionKind,
}

/// A page as a snapshot keeps it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Page {
    bytes: [u8; PAGE],
    attributes: [u8; PAGE],
    notes: [u8; PAGE / 2],
}

#[derive(Debug, Clone)]
pub(crate) struct Memory {
    pub(crate) bytes: Box<[u8; SIZE]>,
    pub(crate) attributes: Box<[u8; SIZE]>,
    /// What the last push to a word was of; 0 when it was written otherwise.
    pub(crate) notes: Box<[u8; SIZE / 2]>,
    /// Pages changed since `base`.
    pub(crate) dirty: Box<[bool; PAGES]>,
    /// The pages as the last snapshot has them.
    base: Vec<Arc<Page>>,
}

fn boxed<T: Copy + std::fmt::Debug, const N: usize>(value: T) -> Box<[T; N]> {
    vec![value; N].into_boxed_slice().try_into().expect("the vector has N entries")
}

impl Memory {
    /// All zero, unmapped.
    pub(crate) fn new() -> Self {
        let blank = Arc::new(Page { bytes: [0; PAGE], attributes: [0; PAGE], notes: [0; PAGE / 2] });
        Self { bytes: boxed(0), attributes: boxed(0), notes: boxed(0), dirty: boxed(false), base: vec![blank; PAGES] }
    }

    /// Gives a range these attributes; the others of the range are lost.
    pub(crate) fn map(&mut self, start: usize, end: usize, attributes: u8) {
        for address in start..end.min(SIZE) {
            self.attributes[address] = attributes;
            self.dirty[address / PAGE] = true;
        }
    }

    pub(crate) fn load(&mut self, start: usize, bytes: &[u8]) {
        for (address, byte) in (start..SIZE).zip(bytes) {
            self.bytes[address] = *byte;
            self.dirty[address / PAGE] = true;
        }
    }

    #[inline]
    pub(crate) fn word(&self, address: u16) -> u16 {
        let at = usize::from(address);
        u16::from_le_bytes([self.bytes[at], self.bytes[usize::from(address.wrapping_add(1))]])
    }

    /// Writes a byte whatever the rights, as known; who calls this looks after decoded code.
    pub(crate) fn put(&mut self, address: u16, byte: u8) {
        let at = usize::from(address);
        self.bytes[at] = byte;
        self.attributes[at] |= KNOWN;
        self.notes[at / 2] = 0;
        self.dirty[at / PAGE] = true;
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
    pub(crate) fn snapshot(&mut self) -> Vec<Arc<Page>> {
        for number in 0..PAGES {
            if std::mem::take(&mut self.dirty[number]) {
                self.base[number] = Arc::new(self.page(number));
            }
        }
        self.base.clone()
    }

    fn page(&self, number: usize) -> Page {
        let at = number * PAGE;
        let mut page = Page { bytes: [0; PAGE], attributes: [0; PAGE], notes: [0; PAGE / 2] };
        page.bytes.copy_from_slice(&self.bytes[at..at + PAGE]);
        page.notes.copy_from_slice(&self.notes[at / 2..usize::midpoint(at, PAGE)]);
        for (kept, attributes) in page.attributes.iter_mut().zip(&self.attributes[at..at + PAGE]) {
            *kept = attributes & !DECODED;
        }
        page
    }

    /// Puts pages back; calls `forget` for each page that held decoded code and was replaced.
    pub(crate) fn restore(&mut self, pages: &[Arc<Page>], mut forget: impl FnMut(usize)) {
        for (number, page) in pages.iter().enumerate() {
            if !self.dirty[number] && Arc::ptr_eq(&self.base[number], page) {
                continue;
            }
            let at = number * PAGE;
            if self.attributes[at..at + PAGE].iter().any(|attributes| attributes & DECODED != 0) {
                forget(number);
            }
            self.bytes[at..at + PAGE].copy_from_slice(&page.bytes);
            self.attributes[at..at + PAGE].copy_from_slice(&page.attributes);
            self.notes[at / 2..usize::midpoint(at, PAGE)].copy_from_slice(&page.notes);
            self.base[number] = Arc::clone(page);
            self.dirty[number] = false;
        }
    }

    /// Bytes, attributes but for decodings, and notes are the same.
    pub(crate) fn same(&self, other: &Self) -> bool {
        (0..PAGES).all(|number| self.page(number) == other.page(number))
    }
}

/// Attributes for rights.
pub(crate) fn attributes_of(rights: Rights) -> u8 {
    let bit = |on: bool, bit: u8| if on { bit } else { 0 };
    bit(rights.read, READ) | bit(rights.write, WRITE) | bit(rights.execute, EXECUTE)
}
