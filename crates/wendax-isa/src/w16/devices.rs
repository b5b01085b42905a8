//! The device registers, as one table. All are words; bytes of them cannot be touched.

use crate::{Addr, DeviceRegister};

macro_rules! devices {
    ($($name:ident = $address:literal $text:literal $writable:literal $meaning:literal;)*) => {
        /// Addresses of the device registers by name.
        pub mod address { $(#[doc = $meaning] pub const $name: u16 = $address;)* }
        /// All device registers, in order of their addresses.
        pub const DEVICES: &[DeviceRegister] = &[$(
            DeviceRegister { address: Addr($address), name: $text, writable: $writable, meaning: $meaning }
        ),*];
    };
}

devices! {
    TRAP_NUMBER = 0xFF00 "trap number" false "number of the last trap taken";
    TRAP_ADDRESS = 0xFF02 "faulting address" false "the address the last fault was about";
    TRAP_DETAIL = 0xFF04 "trap detail" false "call number of a system call, code word of an illegal instruction";
    CYCLES_LOW = 0xFF08 "cycles, low" false "low word of the cycle counter before the reading instruction";
    CYCLES_HIGH = 0xFF0A "cycles, high" false "next word of the cycle counter";
    CONSOLE_STATE = 0xFF10 "console state" true "bit 0 a key waits, bit 1 ready to print, bit 2 the input has ended, bit 4 interrupt on key (may be written)";
    CONSOLE_DATA = 0xFF12 "console data" true "reading takes the waiting key (0 if none), writing prints the low byte";
    TIMER_COUNT = 0xFF20 "timer count" true "cycles since the timer last expired or was started";
    TIMER_PERIOD = 0xFF22 "timer period" true "cycles from one expiry to the next; 0 stands for 65,536";
    TIMER_CONTROL = 0xFF24 "timer control" true "bit 0 run, bit 1 interrupt, bit 2 expired (write 1 to clear)";
    LAMPS = 0xFF30 "lamps" true "sixteen lamps, one a bit";
    LEVERS = 0xFF32 "levers" false "sixteen levers, one a bit";
    LEVER_MASK = 0xFF34 "lever mask" true "levers whose change asks for an interrupt";
    DIGIT_0 = 0xFF38 "digit 0" true "segments of the leftmost digit, in the low byte";
    DIGIT_1 = 0xFF3A "digit 1" true "segments of the second digit, in the low byte";
    DIGIT_2 = 0xFF3C "digit 2" true "segments of the third digit, in the low byte";
    DIGIT_3 = 0xFF3E "digit 3" true "segments of the rightmost digit, in the low byte";
}

/// The device register at an address; `None` where there is none (reading such a word gives 0, writing
/// it does nothing).
pub fn device(address: u16) -> Option<&'static DeviceRegister> {
    DEVICES.iter().find(|register| register.address == address.into())
}
