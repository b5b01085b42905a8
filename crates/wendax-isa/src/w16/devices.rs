//! The device registers, as one table. All are words; bytes of them cannot be touched.

use crate::{Addr, DeviceBit, DeviceKind, DeviceRegister};

const fn bit(mask: u32, when_set: &'static str, when_clear: &'static str) -> DeviceBit {
    DeviceBit { mask, when_set, when_clear }
}

const NUMBER: &[DeviceBit] = &[];
const CONSOLE: &[DeviceBit] = &[
    bit(1, "a key waits", "no key waits"),
    bit(2, "ready to print", ""),
    bit(4, "the input has ended", ""),
    bit(16, "keys interrupt", ""),
];
const TIMER: &[DeviceBit] =
    &[bit(1, "runs", "stands"), bit(2, "interrupts", ""), bit(4, "has expired", "has not expired")];
/// The segments of a digit, in the order of their bits: clockwise from the top, then the middle and the dot.
const SEGMENTS: &[DeviceBit] = &[
    bit(0x01, "top", ""),
    bit(0x02, "upper right", ""),
    bit(0x04, "lower right", ""),
    bit(0x08, "bottom", ""),
    bit(0x10, "lower left", ""),
    bit(0x20, "upper left", ""),
    bit(0x40, "middle", ""),
    bit(0x80, "dot", ""),
];

macro_rules! devices {
    ($($name:ident = $address:literal $text:literal $writable:literal $kind:ident $bits:ident $meaning:literal;)*) => {
        /// Addresses of the device registers by name.
        pub mod address { $(#[doc = $meaning] pub const $name: u16 = $address;)* }
        /// All device registers, in order of their addresses.
        pub const DEVICES: &[DeviceRegister] = &[$(
            DeviceRegister { address: Addr($address), name: $text, writable: $writable, meaning: $meaning,
                kind: DeviceKind::$kind, bits: $bits }
        ),*];
    };
}

devices! {
    TRAP_NUMBER = 0xFF00 "trap number" false Trap NUMBER "number of the last trap taken";
    TRAP_ADDRESS = 0xFF02 "faulting address" false Trap NUMBER "the address the last fault was about";
    TRAP_DETAIL = 0xFF04 "trap detail" false Trap NUMBER "call number of a system call, code word of an illegal instruction";
    CYCLES_LOW = 0xFF08 "cycles, low" false Cycles NUMBER "low word of the cycle counter before the reading instruction";
    CYCLES_HIGH = 0xFF0A "cycles, high" false Cycles NUMBER "next word of the cycle counter";
    CONSOLE_STATE = 0xFF10 "console state" true Console CONSOLE "bit 0 a key waits, bit 1 ready to print, bit 2 the input has ended, bit 4 interrupt on key (may be written)";
    CONSOLE_DATA = 0xFF12 "console data" true Console NUMBER "reading takes the waiting key (0 if none), writing prints the low byte";
    TIMER_COUNT = 0xFF20 "timer count" true Timer NUMBER "cycles since the timer last expired or was started";
    TIMER_PERIOD = 0xFF22 "timer period" true Timer NUMBER "cycles from one expiry to the next; 0 stands for 65,536";
    TIMER_CONTROL = 0xFF24 "timer control" true Timer TIMER "bit 0 run, bit 1 interrupt, bit 2 expired (write 1 to clear)";
    LAMPS = 0xFF30 "lamps" true Lamps NUMBER "sixteen lamps, one a bit";
    LEVERS = 0xFF32 "levers" false Levers NUMBER "sixteen levers, one a bit";
    LEVER_MASK = 0xFF34 "lever mask" true LeverMask NUMBER "levers whose change asks for an interrupt";
    DIGIT_0 = 0xFF38 "digit 0" true Digit SEGMENTS "segments of the leftmost digit: bit 0 top, then clockwise to bit 5 upper left, 6 middle, 7 dot";
    DIGIT_1 = 0xFF3A "digit 1" true Digit SEGMENTS "segments of the second digit, in the low byte";
    DIGIT_2 = 0xFF3C "digit 2" true Digit SEGMENTS "segments of the third digit, in the low byte";
    DIGIT_3 = 0xFF3E "digit 3" true Digit SEGMENTS "segments of the rightmost digit, in the low byte";
}

/// The device register at an address; `None` where there is none (reading such a word gives 0, writing
/// it does nothing).
pub fn device(address: u16) -> Option<&'static DeviceRegister> {
    DEVICES.iter().find(|register| register.address == address.into())
}
