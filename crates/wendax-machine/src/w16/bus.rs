//! The long way to memory and devices: every access that is not a plain one goes through here, whoever makes it.
//!
//! The engine makes plain accesses itself; what is plain is decided by the attributes of the cells. An access that
//! fails has changed nothing.

use super::devices;
use crate::activity::{Activity, Deed};
use crate::board::Board;
use crate::console::{Console, Tape};
use crate::fault::FaultKind;
use crate::memory::{Cells, DECODED, DEVICE, KNOWN, READ, WRITE};
use crate::report::Write;
use wendax_isa::Addr;

#[derive(Debug)]
pub(super) struct Bus<'a> {
    pub(super) cells: Cells<'a>,
    /// Addresses of bytes of decoded code that were written; see [`super::Machine::decode_anew`].
    pub(super) rewritten: &'a mut Vec<u16>,
    pub(super) board: &'a mut Board,
    pub(super) console: &'a mut Console,
    pub(super) tape: &'a Tape,
    pub(super) output: &'a mut Vec<u8>,
    pub(super) activity: &'a mut Activity,
    /// Steps and cycles before the present instruction.
    pub(super) steps: u64,
    pub(super) cycles: u64,
}

impl Bus<'_> {
    #[cold]
    #[inline(never)]
    pub(super) fn load_word(&mut self, address: u16) -> Result<u16, FaultKind> {
        let at = Addr::from(address);
        if address & 1 != 0 {
            return Err(FaultKind::Misaligned { address: at, fetch: false });
        }
        if !self.cells.all(address, 2, READ) {
            return Err(FaultKind::Read { address: at });
        }
        if self.cells.all(address, 1, DEVICE) {
            return Ok(self.device_load(address));
        }
        self.cells.grant_loads(address);
        Ok(self.cells.word(address))
    }

    #[cold]
    #[inline(never)]
    pub(super) fn load_byte(&mut self, address: u16) -> Result<u8, FaultKind> {
        let at = Addr::from(address);
        if self.cells.all(address, 1, DEVICE) {
            return Err(FaultKind::DeviceByte { address: at });
        }
        if !self.cells.all(address, 1, READ) {
            return Err(FaultKind::Read { address: at });
        }
        self.cells.grant_loads(address);
        Ok(self.cells.byte(address))
    }

    /// A word may be stored there.
    pub(super) fn may_store_word(&self, address: u16) -> Result<(), FaultKind> {
        let at = Addr::from(address);
        if address & 1 != 0 {
            return Err(FaultKind::Misaligned { address: at, fetch: false });
        }
        if !self.cells.all(address, 2, WRITE) {
            return Err(FaultKind::Write { address: at });
        }
        Ok(())
    }

    #[cold]
    #[inline(never)]
    pub(super) fn store_word(&mut self, address: u16, value: u16, note: u8) -> Result<Option<Write>, FaultKind> {
        self.may_store_word(address)?;
        if self.cells.all(address, 1, DEVICE) {
            return Ok(self.device_store(address, value));
        }
        let was_known = self.cells.all(address, 2, KNOWN);
        let old = self.cells.word(address).into();
        let was_dirty = self.cells.is_dirty(address);
        for (offset, byte) in (0..).zip(value.to_le_bytes()) {
            self.put(address + offset, byte);
        }
        self.cells.set_note(address, note);
        self.cells.grant_stores(address, was_dirty);
        Ok(Some(Write::Memory { address: address.into(), length: 2, old, new: value.into(), was_known }))
    }

    #[cold]
    #[inline(never)]
    pub(super) fn store_byte(&mut self, address: u16, value: u8) -> Result<Option<Write>, FaultKind> {
        let at = Addr::from(address);
        if self.cells.all(address, 1, DEVICE) {
            return Err(FaultKind::DeviceByte { address: at });
        }
        if !self.cells.all(address, 1, WRITE) {
            return Err(FaultKind::Write { address: at });
        }
        let was_known = self.cells.all(address, 1, KNOWN);
        let old = self.cells.byte(address).into();
        let was_dirty = self.cells.is_dirty(address);
        self.put(address, value);
        self.cells.grant_stores(address, was_dirty);
        Ok(Some(Write::Memory { address: at, length: 1, old, new: value.into(), was_known }))
    }

    /// Writes a byte whatever the rights; what was decoded from it is to be decoded anew.
    pub(super) fn put(&mut self, address: u16, byte: u8) {
        self.cells.put(address, byte);
        if self.cells.has(address, DECODED) {
            self.cells.attributes[usize::from(address)] &= !DECODED;
            self.rewritten.push(address);
        }
    }

    /// The same with several bytes, which end within memory.
    pub(super) fn put_all(&mut self, address: u16, bytes: &[u8]) {
        let from = usize::from(address);
        let cells = from..from + bytes.len();
        if self.cells.attributes[cells.clone()].iter().any(|has| has & DECODED != 0) {
            for (address, byte) in (address..).zip(bytes) {
                self.put(address, *byte);
            }
        } else {
            self.cells.put_all(cells, bytes);
        }
    }

    /// What a device register shows, without touching it.
    pub(super) fn device_value(&self, address: u16) -> u16 {
        devices::value(self.board, self.console, self.tape, self.cycles, address)
    }

    fn device_load(&mut self, address: u16) -> u16 {
        let value = self.device_value(address);
        if let Some(deed) = devices::looks_at(address) {
            self.activity.note(deed, self.steps);
        }
        devices::loaded(self.console, address);
        value
    }

    fn device_store(&mut self, address: u16, value: u16) -> Option<Write> {
        let old = self.device_value(address).into();
        if devices::store(self.board, self.cycles, address, value) {
            self.print(&value.to_le_bytes()[..1]);
            return None;
        }
        let new = self.device_value(address).into();
        // What shows already what it is told to show shows nothing new.
        if old != new || !devices::only_shows(address) {
            self.activity.note(Deed::Worked, self.steps);
        }
        Some(Write::Device { address: address.into(), old, new })
    }

    pub(super) fn print(&mut self, bytes: &[u8]) {
        self.activity.note(Deed::Worked, self.steps);
        self.activity.printed(bytes, self.console.printed, self.steps);
        self.output.extend_from_slice(bytes);
        self.console.printed += bytes.len() as u64;
    }
}
