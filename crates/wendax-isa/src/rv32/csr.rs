//! The control and status registers of machine mode that there are, by number and name.

/// A control and status register.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Csr {
    /// Its number, 12 bits. The standard's: the upper two bits are 3 where it can only be read.
    pub number: u16,
    /// Its name.
    pub name: &'static str,
    /// What it holds, in a few words.
    pub meaning: &'static str,
}

macro_rules! csrs {
    ($($number:literal $name:literal $meaning:literal;)*) => {
        const CSRS: &[Csr] = &[$(Csr { number: $number, name: $name, meaning: $meaning }),*];
    };
}

csrs! {
    0x300 "mstatus" "whether interrupts are allowed, now and before the last trap";
    0x301 "misa" "what the machine can do";
    0x304 "mie" "which interrupts are enabled";
    0x305 "mtvec" "where traps are handled; 0 for nowhere";
    0x310 "mstatush" "reads 0";
    0x320 "mcountinhibit" "reads 0";
    0x340 "mscratch" "a word for the handler";
    0x341 "mepc" "where the trap happened";
    0x342 "mcause" "which trap it was";
    0x343 "mtval" "the address or word it was about";
    0x344 "mip" "which interrupts wait";
    0xB00 "mcycle" "cycles, low word";
    0xB02 "minstret" "instructions done, low word";
    0xB80 "mcycleh" "cycles, high word";
    0xB82 "minstreth" "instructions done, high word";
    0xC00 "cycle" "cycles, low word";
    0xC01 "time" "the clock, low word";
    0xC02 "instret" "instructions done, low word";
    0xC80 "cycleh" "cycles, high word";
    0xC81 "timeh" "the clock, high word";
    0xC82 "instreth" "instructions done, high word";
    0xF11 "mvendorid" "reads 0";
    0xF12 "marchid" "reads 0";
    0xF13 "mimpid" "reads 0";
    0xF14 "mhartid" "reads 0";
    0xF15 "mconfigptr" "reads 0";
}

/// Counters that are there and read 0: first number of each kind, the name before the number, and behind it.
const COUNTERS: [(u16, &str, &str); 3] =
    [(0xB03, "mhpmcounter", ""), (0xB83, "mhpmcounter", "h"), (0x323, "mhpmevent", "")];
/// The first of them counts as this one, and there are so many.
const FIRST_COUNTER: u16 = 3;
const COUNTERS_OF_A_KIND: u16 = 29;

/// Those that hold something, in order of their numbers.
pub fn csrs() -> &'static [Csr] {
    CSRS
}

/// The name of a control and status register; `None` when there is none with this number.
pub fn csr_name(number: u16) -> Option<String> {
    if let Some(known) = CSRS.iter().find(|csr| csr.number == number) {
        return Some(known.name.to_owned());
    }
    COUNTERS.iter().find_map(|(first, before, behind)| {
        let at = number.checked_sub(*first).filter(|at| *at < COUNTERS_OF_A_KIND)?;
        Some(format!("{before}{}{behind}", at + FIRST_COUNTER))
    })
}

/// The number of the control and status register of this name, in any case.
pub fn csr_by_name(name: &str) -> Option<u16> {
    let lower = name.to_ascii_lowercase();
    if let Some(known) = CSRS.iter().find(|csr| csr.name == lower) {
        return Some(known.number);
    }
    COUNTERS.iter().find_map(|(first, before, behind)| {
        let digits = lower.strip_prefix(before)?.strip_suffix(behind)?;
        let number: u16 = digits.parse().ok().filter(|number: &u16| number.to_string() == digits)?;
        let at = number.checked_sub(FIRST_COUNTER).filter(|at| *at < COUNTERS_OF_A_KIND)?;
        Some(first + at)
    })
}
