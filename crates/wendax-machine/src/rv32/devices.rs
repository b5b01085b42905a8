//! Where the device registers lie: each of the other machine's places, twice as far apart, and the clock with what it is
//! compared with.

use super::Machine;
use super::control::Control;
use crate::activity::Deed;
use crate::common::Common;
use crate::devices::{self, at};
use crate::events::Event;
use crate::report::Write;
use wendax_isa::Addr;
use wendax_isa::rv32::{DEVICE_START, TARGET};

const MTIME: u32 = 0xFFFF_FE80;
const MTIMEH: u32 = 0xFFFF_FE84;
const MTIMECMP: u32 = 0xFFFF_FE88;
const MTIMECMPH: u32 = 0xFFFF_FE8C;

const fn address(place: u16) -> u32 {
    DEVICE_START + place as u32 * 2
}

const KEYS: [u32; 2] = [address(at::CONSOLE_STATE), address(at::CONSOLE_DATA)];
const LEVERS: [u32; 1] = [address(at::LEVERS)];

/// Registers that something from outside may change.
pub(super) fn seen_by(event: &Event) -> &'static [u32] {
    match event {
        Event::Typed(_) | Event::InputEnds => &KEYS,
        Event::Levers(_) => &LEVERS,
        _ => &[],
    }
}

/// There is a register at an address.
pub(super) fn is_register(address: u32) -> bool {
    TARGET.device(Addr(address)).is_some()
}

/// The place of a register that the other machine has as well.
fn place(address: u32) -> u16 {
    u16::try_from((address - DEVICE_START) / 2).unwrap_or(0)
}

/// The low 16 bits, of which those registers are made.
fn low(value: u32) -> u16 {
    u16::try_from(value & 0xFFFF).unwrap_or(0)
}

impl Machine {
    /// What a device register shows, without touching it; 0 where there is none.
    pub(super) fn device_value(&self, address: u32) -> u32 {
        let (common, control) = (&self.state.common, &self.state.cpu.control);
        match address {
            MTIME | MTIMEH => control.time_half(common.cycles, address == MTIMEH),
            MTIMECMP | MTIMECMPH => control.compare_half(address == MTIMECMPH),
            address if is_register(address) => {
                let tape = &self.around.tape;
                devices::value(&common.board, &common.console, tape, common.cycles, place(address)).into()
            }
            _ => 0,
        }
    }

    /// A program loads from a register.
    pub(super) fn device_load(&mut self, address: u32) -> u32 {
        let value = self.device_value(address);
        if matches!(address, MTIME | MTIMEH) {
            self.around.activity.note(Deed::Worked, self.state.common.steps);
        } else if address < MTIME {
            if let Some(deed) = devices::looks_at(place(address)) {
                self.around.activity.note(deed, self.state.common.steps);
            }
            devices::loaded(&mut self.state.common.console, place(address));
            // A moved lever asks until the levers are looked at.
            if place(address) == at::LEVERS {
                self.state.common.board.lever_moved = false;
            }
        }
        value
    }

    /// A program stores to a register; what is read back of it, unless it was printed.
    pub(super) fn device_store(&mut self, address: u32, value: u32) -> Option<Write> {
        let old = self.device_value(address);
        let cycles = self.state.common.cycles;
        match address {
            MTIME | MTIMEH => self.state.cpu.control.set_time_half(cycles, address == MTIMEH, value),
            MTIMECMP | MTIMECMPH => self.state.cpu.control.set_compare_half(address == MTIMECMPH, value),
            _ => {
                if devices::store(&mut self.state.common.board, cycles, place(address), low(value)) {
                    self.around.print(&mut self.state.common, &value.to_le_bytes()[..1]);
                    return None;
                }
            }
        }
        let new = self.device_value(address);
        // What shows already what it is told to show shows nothing new.
        if old != new || address >= MTIME || !devices::only_shows(place(address)) {
            self.around.activity.note(Deed::Worked, self.state.common.steps);
        }
        Some(Write::Device { address: Addr(address), old, new })
    }

    /// The device registers that read otherwise than in a snapshot; those that count cycles are left out.
    pub(crate) fn devices_since(&self, snapshot: &super::Snapshot) -> Vec<(Addr, u32, u32)> {
        let counts = [MTIME, MTIMEH, address(at::TIMER_COUNT)];
        let mut before = self.clone();
        before.state.clone_from(&snapshot.state);
        let registers = TARGET.devices.iter().filter(|register| !counts.contains(&register.address.0));
        let values = registers.map(|register| {
            let at = register.address;
            (at, before.device_value(at.0), self.device_value(at.0))
        });
        values.filter(|(_, old, new)| old != new).collect()
    }

    /// The state a device register depends on, apart from time.
    pub(super) fn clock_words(common: &Common, control: &Control) -> [u64; 2] {
        [control.mtimecmp, if control.mtimecmp == u64::MAX { 0 } else { control.time(common.cycles) }]
    }
}
