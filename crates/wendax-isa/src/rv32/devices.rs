//! The device registers: those of the other machine that are no matter of its traps and cycles, each twice as far from the
//! first address, and the clock.

use super::DEVICE_START;
use crate::w16::{DEVICES, address};
use crate::{Addr, DeviceKind, DeviceRegister};

const fn clock(address: u32, name: &'static str, meaning: &'static str) -> DeviceRegister {
    DeviceRegister { address: Addr(address), name, writable: true, meaning, kind: DeviceKind::Cycles, bits: &[] }
}

/// The clock, which counts cycles, and what it is compared with.
const CLOCK: [DeviceRegister; 4] = [
    clock(0xFFFF_FE80, "mtime", "low word of the clock, which counts cycles"),
    clock(0xFFFF_FE84, "mtimeh", "high word of the clock"),
    clock(0xFFFF_FE88, "mtimecmp", "low word of the time from which on the clock interrupts"),
    clock(0xFFFF_FE8C, "mtimecmph", "high word of the time from which on the clock interrupts"),
];

/// Those that both machines have.
const SHARED: usize = 12;

/// All device registers, in order of their addresses.
pub(super) const ALL: [DeviceRegister; SHARED + CLOCK.len()] = {
    let mut all = [CLOCK[0]; SHARED + CLOCK.len()];
    let (mut from, mut to) = (0, 0);
    while from < DEVICES.len() {
        let register = DEVICES[from];
        if !matches!(register.kind, DeviceKind::Trap | DeviceKind::Cycles) {
            let place = register.address.0 - super::super::w16::DEVICE_START as u32;
            all[to] = DeviceRegister { address: Addr(DEVICE_START + 2 * place), ..register };
            to += 1;
        }
        from += 1;
    }
    let mut clock = 0;
    while clock < CLOCK.len() {
        all[to + clock] = CLOCK[clock];
        clock += 1;
    }
    all
};

/// The register that prints what is written to it.
pub(super) const CONSOLE: Addr =
    Addr(DEVICE_START + 2 * (address::CONSOLE_DATA - super::super::w16::DEVICE_START) as u32);

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn registers_lie_where_the_contract_says() {
        let at = |name: &str| ALL.iter().find(|register| register.name == name).map(|register| register.address.0);
        for (name, address) in [
            ("console state", 0xFFFF_FE20),
            ("console data", 0xFFFF_FE24),
            ("timer count", 0xFFFF_FE40),
            ("timer period", 0xFFFF_FE44),
            ("timer control", 0xFFFF_FE48),
            ("lamps", 0xFFFF_FE60),
            ("levers", 0xFFFF_FE64),
            ("lever mask", 0xFFFF_FE68),
            ("digit 0", 0xFFFF_FE70),
            ("digit 3", 0xFFFF_FE7C),
            ("mtimecmp", 0xFFFF_FE88),
        ] {
            assert_eq!(at(name), Some(address), "{name}");
        }
        assert!(ALL.windows(2).all(|pair| pair[0].address < pair[1].address));
        assert_eq!(CONSOLE.0, 0xFFFF_FE24);
    }
}
