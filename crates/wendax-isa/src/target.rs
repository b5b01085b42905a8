//! A machine as far as views need to know it.

use crate::ids::{Addr, Reg};

/// The lowest `bits` of a value, 1 to 32, read as a number in two's complement.
pub fn sign_extended(value: u32, bits: u32) -> i32 {
    let unused = 32 - bits;
    (value << unused).cast_signed() >> unused
}

/// What stays the same of a machine whatever it runs.
#[derive(Clone, Copy)]
pub struct Target {
    /// Its name.
    pub name: &'static str,
    /// What ELF files for it have to say.
    pub elf: ElfRules,
    /// Bits of a register and of a word of memory.
    pub word_bits: u32,
    /// Bits of an address.
    pub address_bits: u32,
    /// Instructions lie at multiples of so many bytes.
    pub code_align: u32,
    /// The registers a program can name, in order of their codes.
    pub registers: &'static [RegisterInfo],
    /// The register of another name, in any case.
    pub other_names: fn(&str) -> Option<Reg>,
    /// The control and status register of a name, in any case, by its number.
    pub controls: fn(&str) -> Option<u16>,
    /// Control registers that hold what they are given, by number and name.
    pub kept_controls: &'static [(u16, &'static str)],
    /// The flags, in the order they are shown.
    pub flags: &'static [FlagInfo],
    /// What registers are for.
    pub roles: Roles,
    /// Where what lies in memory unless a program says otherwise.
    pub map: MemoryMap,
    /// Bytes of the longest instruction.
    pub longest_code: u32,
    /// How many bytes the instruction has that these begin with, as it stands at an address, and where it leads; `None`
    /// when they are no instruction.
    pub leads: LeadsAt,
    /// The code of a call that stands at an address and leads to another one; it uses no register but that of the way back.
    pub call_code: fn(Addr, Addr) -> Vec<u8>,
    /// The registers that the instruction reads and writes which some bytes begin with; `None` when they are no instruction.
    pub uses: fn(&[u8]) -> Option<RegisterUse>,
    /// The instruction that some bytes begin with, as it stands at an address, as the assembler reads it; names of places are
    /// asked for. `None` when they are no instruction.
    pub text: TextAt,
    /// The cycles of the instruction that some bytes begin with: when it does not jump, and when it does. Waiting, and what
    /// the host does for a call, are not among them. `None` when they are no instruction.
    pub cycles: fn(&[u8]) -> Option<(u32, u32)>,
    /// Every mnemonic that can be written, in alphabetical order.
    pub mnemonics: fn() -> Vec<&'static str>,
    /// Names of traps and interrupts by number; empty where there is none.
    pub traps: &'static [&'static str],
    /// Names of interrupts by number, where they are counted apart from traps.
    pub interrupt_names: &'static [(u32, &'static str)],
    /// The numbers of the interrupts, the most urgent first.
    pub interrupts: &'static [u32],
    /// The flag that allows interrupts, by its bit; none where they are always allowed.
    pub interrupts_flag: Option<u32>,
    /// The device register that prints what is written to it.
    pub console: Option<Addr>,
    /// The device registers, in order of their addresses.
    pub devices: &'static [DeviceRegister],
    /// The system calls, in order of their numbers.
    pub calls: &'static [SystemCall],
    /// Why calls fail, by code from 1.
    pub errors: &'static [&'static str],
    /// How code ends, for whoever forgot it.
    pub ends_with: &'static str,
    /// What the negative result of a call that is not Wendax's own says.
    pub errno: fn(u32) -> &'static str,
}

/// The length and the ways of the instruction that some bytes begin with, as it stands at an address.
pub type LeadsAt = fn(&[u8], Addr) -> Option<(u32, Leads)>;

/// See [`Target::text`].
pub type TextAt = fn(&[u8], Addr, &dyn Fn(Addr) -> Option<String>) -> Option<String>;

/// A place of a machine, as it is written where decimal numbers stand too: `0x0312`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Place(pub &'static Target, pub Addr);

impl std::fmt::Display for Place {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0.marked_address(self.1))
    }
}

/// What ELF files for a machine have to say.
#[derive(Debug, Clone, Copy)]
pub struct ElfRules {
    /// The number of the machine.
    pub machine: u16,
    /// The relocation that puts a whole address of 4 bytes in.
    pub whole: u32,
    /// Flags of files that need what it does not have, and what that is.
    pub refused: &'static [(u32, &'static str)],
    /// Sets of instructions that a file may name among its attributes; nothing where files name none.
    pub sets: &'static [&'static str],
    /// How to make a file that fits.
    pub advice: &'static str,
}

/// Targets are the same when their names are: there is one of each.
impl PartialEq for Target {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}

impl Eq for Target {}

impl std::fmt::Debug for Target {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name)
    }
}

/// Where an instruction leads, as far as it says so itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Leads {
    /// To the following one.
    On,
    /// To this one.
    To(Addr),
    /// To this one or to the following one.
    Either(Addr),
    /// To a routine, which it names or not, and then on.
    Call(Option<Addr>),
    /// To where a register says, back, or to the end of the program.
    Away,
}

impl Leads {
    /// The following instruction may be next.
    pub fn goes_on(self) -> bool {
        matches!(self, Self::On | Self::Either(_) | Self::Call(_))
    }
}

impl MemoryMap {
    /// A program may lie at so many bytes from an address on.
    pub fn holds(&self, start: Addr, length: u64) -> bool {
        let end = u64::from(start.0) + length;
        self.programs.iter().any(|(from, to)| *from <= start && end <= u64::from(to.0))
    }
}

impl Target {
    /// Bytes of a word.
    pub fn word_bytes(&self) -> u32 {
        self.word_bits / 8
    }

    /// The largest word, as a mask.
    pub fn word_mask(&self) -> u32 {
        u32::MAX >> (32 - self.word_bits)
    }

    /// The largest address, as a mask.
    pub fn address_mask(&self) -> u32 {
        u32::MAX >> (32 - self.address_bits)
    }

    /// Bytes of memory there can be.
    pub fn memory_size(&self) -> u64 {
        1 << self.address_bits
    }

    /// A word read as a signed number.
    pub fn signed(&self, word: u32) -> i32 {
        sign_extended(word, self.word_bits)
    }

    /// A word in as many hexadecimal digits as it has.
    pub fn hex(&self, word: u32) -> String {
        format!("{word:0width$X}", width = (self.word_bits / 4) as usize)
    }

    /// An address in as many hexadecimal digits as addresses have.
    pub fn hex_address(&self, address: Addr) -> String {
        format!("{address:0width$X}", width = (self.address_bits / 4) as usize)
    }

    /// A word where decimal numbers stand too: `0x0312`.
    pub fn marked(&self, word: u32) -> String {
        format!("0x{}", self.hex(word))
    }

    /// An address where decimal numbers stand too: `0x0312`.
    pub fn marked_address(&self, address: Addr) -> String {
        format!("0x{}", self.hex_address(address))
    }

    /// What lies at multiples of a word and of a unit of code.
    pub fn align(&self, address: Addr) -> Addr {
        Addr(address.0 & !(self.word_bytes() - 1) & self.address_mask())
    }

    /// The traps there are, or the interrupts, by number and name.
    pub fn entries(&self, are_interrupts: bool) -> Vec<(u32, &'static str)> {
        let is_apart = !self.interrupt_names.is_empty();
        if is_apart && are_interrupts {
            return self.interrupt_names.to_vec();
        }
        let named = (0..).zip(self.traps.iter().copied()).filter(|(_, name)| !name.is_empty());
        named.filter(|(number, _)| is_apart || self.interrupts.contains(number) == are_interrupts).collect()
    }

    /// A sentence for users with registers of this machine in it: `{argument}` is one that takes an argument, `{other}` the
    /// next one, `{kept}` one that routines keep; what stands between `{flags}` and `{end}` is left out where there are none.
    pub fn spoken(&self, sentence: &str) -> String {
        let mut text = String::with_capacity(sentence.len());
        for (index, part) in sentence.split("{flags}").enumerate() {
            match part.split_once("{end}").filter(|_| index > 0) {
                Some((_, rest)) if self.flags.is_empty() => text.push_str(rest),
                Some((about, rest)) => {
                    text.push_str(about);
                    text.push_str(rest);
                }
                None => text.push_str(part),
            }
        }
        let argument = |at: usize| self.roles.arguments.get(at).map_or("", |register| self.register_name(*register));
        let is_plain = |register: Reg| register != self.roles.stack && Some(register) != self.roles.frame;
        let kept = (0..).zip(self.registers).find(|(at, info)| info.kept && is_plain(Reg(*at)));
        text.replace("{argument}", argument(1))
            .replace("{other}", argument(2))
            .replace("{kept}", kept.map_or("", |(_, info)| info.name))
    }

    /// An interrupt by name, with its number: `timer (8)`.
    pub fn interrupt_name(&self, number: u32) -> String {
        match self.interrupt_names.iter().find(|(known, _)| *known == number) {
            Some((_, name)) => format!("{name} ({number})"),
            None => self.trap_name(number),
        }
    }

    /// A trap by name, with its number: `divide by zero (4)`.
    pub fn trap_name(&self, number: u32) -> String {
        let digits = self.trap_number(number);
        match self.traps.get(number as usize) {
            Some(name) if !name.is_empty() => format!("{name} ({digits})"),
            _ => digits,
        }
    }

    /// The number of a trap as its machine writes it: in decimal where the standard counts traps and interrupts apart.
    pub fn trap_number(&self, number: u32) -> String {
        if self.interrupt_names.is_empty() { format!("{number:X}") } else { number.to_string() }
    }

    /// The device register at an address.
    pub fn device(&self, address: Addr) -> Option<&'static DeviceRegister> {
        let may_be = address >= self.map.devices_start;
        may_be.then(|| self.devices.iter().find(|register| register.address == address))?
    }

    /// The device registers of a kind, in order of their addresses.
    pub fn devices_of(&self, kind: DeviceKind) -> impl Iterator<Item = &'static DeviceRegister> {
        self.devices.iter().filter(move |register| register.kind == kind)
    }

    /// Where the vector of a trap or interrupt lies.
    pub fn vector_of(&self, number: u32) -> Addr {
        Addr(number * self.word_bytes())
    }

    /// The system call with this number.
    pub fn call(&self, number: u32) -> Option<&'static SystemCall> {
        self.calls.iter().find(|call| call.number == number)
    }

    /// Why a call failed, in words.
    pub fn error(&self, code: u32) -> &'static str {
        (code as usize).checked_sub(1).and_then(|index| self.errors.get(index)).copied().unwrap_or("")
    }

    /// The registers with their ids.
    pub fn registers(&self) -> impl Iterator<Item = (Reg, &'static RegisterInfo)> {
        self.registers.iter().enumerate().map(|(index, info)| (Reg::at(index), info))
    }

    /// What a register is called.
    pub fn register_name(&self, register: Reg) -> &'static str {
        self.registers[register.index()].name
    }

    /// The register of this name, or of another one that it has, in any case.
    pub fn register(&self, name: &str) -> Option<Reg> {
        let by_name = self.registers().find(|(_, info)| info.name.eq_ignore_ascii_case(name));
        by_name.map(|(register, _)| register).or_else(|| (self.other_names)(name))
    }
}

/// Registers with a purpose, by index; `None` where a machine has none for it.
#[derive(Debug, Clone, Copy)]
pub struct Roles {
    /// Points at the newest word of the stack.
    pub stack: Reg,
    /// Points into the frame of the present routine.
    pub frame: Option<Reg>,
    /// Holds the return address.
    pub link: Option<Reg>,
    /// Always reads 0.
    pub zero: Option<Reg>,
    /// Take arguments, in order.
    pub arguments: &'static [Reg],
    /// Hold results, in order.
    pub results: &'static [Reg],
}

/// Where what lies in memory: first addresses, and the addresses one past the last.
#[derive(Debug, Clone, Copy)]
pub struct MemoryMap {
    /// Trap vectors lie from 0 up to here.
    pub vectors_end: Addr,
    /// Code begins here.
    pub code_start: Addr,
    /// The unit areas of a program begin at.
    pub page: u32,
    /// The lowest address of the stack.
    pub stack_start: Addr,
    /// What the stack pointer starts at.
    pub stack_end: Addr,
    /// Device registers lie from here up to the top of memory.
    pub devices_start: Addr,
    /// Where programs may lie: first addresses, and those one past the last.
    pub programs: &'static [(Addr, Addr)],
    /// Bytes of memory a program may take.
    pub most: u32,
}

/// A device register: a word that bytes of cannot be touched.
#[derive(Debug, Clone, Copy)]
pub struct DeviceRegister {
    /// Its address.
    pub address: Addr,
    /// Its name.
    pub name: &'static str,
    /// A program may write it.
    pub writable: bool,
    /// What it holds, in one line.
    pub meaning: &'static str,
    /// What device it belongs to.
    pub kind: DeviceKind,
    /// What single bits of it mean; nothing where it holds a number.
    pub bits: &'static [DeviceBit],
}

/// What a device register belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DeviceKind {
    /// What the last trap left.
    Trap,
    /// The counter of cycles.
    Cycles,
    /// Keys and printing.
    Console,
    /// The timer.
    Timer,
    /// Lamps, a bit each.
    Lamps,
    /// Levers, a bit each.
    Levers,
    /// Which levers interrupt, a bit each.
    LeverMask,
    /// One of the digits; its segments are the low bits.
    Digit,
}

/// A bit of a device register.
#[derive(Debug, Clone, Copy)]
pub struct DeviceBit {
    /// The bit, as a mask.
    pub mask: u32,
    /// What it says when it is 1.
    pub when_set: &'static str,
    /// What it says when it is 0; empty when that goes without saying.
    pub when_clear: &'static str,
}

impl DeviceRegister {
    /// What the bits of a value say, one after the other; empty where it holds a number.
    pub fn words(&self, value: u32) -> String {
        let words = self.bits.iter().map(|bit| if value & bit.mask != 0 { bit.when_set } else { bit.when_clear });
        words.filter(|words| !words.is_empty()).collect::<Vec<_>>().join(", ")
    }
}

/// A system call.
#[derive(Debug, Clone, Copy)]
pub struct SystemCall {
    /// Its number.
    pub number: u32,
    /// Its name.
    pub name: &'static str,
    /// What it takes: a register and what is in it.
    pub takes: &'static [(Reg, &'static str)],
    /// What it leaves in the first result register; empty when nothing.
    pub gives: &'static str,
    /// What it does, in one line.
    pub meaning: &'static str,
    /// It is one of those that Wendax gives every machine.
    pub is_own: bool,
}

/// A register.
#[derive(Debug, Clone, Copy)]
pub struct RegisterInfo {
    /// Its name in source.
    pub name: &'static str,
    /// What it is for by convention, in a few words.
    pub role: &'static str,
    /// A routine must give it back as it found it.
    pub kept: bool,
}

/// A flag.
#[derive(Debug, Clone, Copy)]
pub struct FlagInfo {
    /// Its letter.
    pub name: char,
    /// Its bit in the flags word.
    pub bit: u32,
    /// What it says when it is 1.
    pub when_set: &'static str,
    /// What it says when it is 0.
    pub when_clear: &'static str,
}

/// Registers and flags an instruction reads and may write: a bit for each register by its code, flags by their bits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct RegisterUse {
    /// Registers read.
    pub reads: u32,
    /// Registers written.
    pub writes: u32,
    /// Flags read.
    pub flags_read: u32,
    /// Flags written.
    pub flags_written: u32,
}

impl RegisterUse {
    /// This and another one together.
    #[must_use]
    pub fn with(self, other: Self) -> Self {
        Self {
            reads: self.reads | other.reads,
            writes: self.writes | other.writes,
            flags_read: self.flags_read | other.flags_read,
            flags_written: self.flags_written | other.flags_written,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{rv32, w16};

    /// A machine that is not there: 24 bits, so that nothing fits by chance.
    fn invented() -> Target {
        Target { name: "T24", word_bits: 24, address_bits: 24, code_align: 3, ..rv32::TARGET }
    }

    #[test]
    fn sentences_name_registers_of_their_machine() {
        let sentence = "{argument} = 5, {flags}Z = 1, {end}[{kept}], if {other} > 3{flags}, or C{end}";
        assert_eq!(w16::TARGET.spoken(sentence), "r1 = 5, Z = 1, [r6], if r2 > 3, or C");
        assert_eq!(rv32::TARGET.spoken(sentence), "a1 = 5, [s1], if a2 > 3");
        assert_eq!(rv32::TARGET.spoken("plain"), "plain");
    }

    #[test]
    fn traps_have_the_numbers_that_their_machine_writes() {
        assert_eq!(w16::TARGET.trap_name(10), "lever (A)");
        assert_eq!(rv32::TARGET.trap_name(11), "environment call (11)");
        assert_eq!((w16::TARGET.trap_name(12), rv32::TARGET.trap_name(12)), ("C".to_owned(), "12".to_owned()));
    }

    #[test]
    fn numbers_are_as_wide_as_their_machine() {
        let third = invented();
        assert_eq!((third.word_bytes(), third.word_mask(), third.memory_size()), (3, 0x00FF_FFFF, 1 << 24));
        assert_eq!((third.signed(0x0080_0000), third.signed(0x007F_FFFF)), (-0x0080_0000, 0x007F_FFFF));
        assert_eq!((third.hex(0xAB), third.marked_address(Addr(0x1234))), ("0000AB".to_owned(), "0x001234".to_owned()));
        let told = |target: &'static Target| format!("{}", Place(target, Addr(0x1_0000)));
        assert_eq!((told(&rv32::TARGET), told(&w16::TARGET)), ("0x00010000".to_owned(), "0x10000".to_owned()));
        assert_eq!(rv32::TARGET.signed(0xFFFF_FFFF), -1);
        assert_ne!(third, rv32::TARGET);
    }

    #[test]
    fn programs_lie_where_they_may_and_not_beside() {
        let map = rv32::TARGET.map;
        for (start, length, holds) in [
            (0x1_0000, 1, true),
            (0xFFFF, 1, false),
            (0x7FEF_FFFF, 1, true),
            (0x7FEF_FFFF, 2, false),
            (0x7FF0_0000, 1, false),
            (0x8000_0000, 0x7FFF_FE00, true),
            (0x8000_0000, 0x7FFF_FE01, false),
            (0xFFFF_FFFF, u64::from(u32::MAX), false),
        ] {
            assert_eq!(map.holds(Addr(start), length), holds, "{start:X} {length:X}");
        }
        assert!(w16::TARGET.map.holds(Addr(0xFFFF), 1) && !w16::TARGET.map.holds(Addr(0xFFFF), 2));
    }

    /// What is said of a machine fits together, whichever it is.
    #[test]
    fn each_target_is_whole() {
        for target in crate::targets() {
            let roles = target.roles;
            let named = [Some(roles.stack), roles.frame, roles.link, roles.zero].into_iter().flatten();
            for register in named.chain(roles.arguments.iter().copied()).chain(roles.results.iter().copied()) {
                assert!(register.index() < target.registers.len(), "{target:?}");
            }
            for (register, info) in target.registers() {
                assert_eq!(target.register(info.name), Some(register), "{target:?} {}", info.name);
            }
            let mnemonics = (target.mnemonics)();
            assert!(mnemonics.windows(2).all(|pair| pair[0] < pair[1]), "{target:?}");
            let map = target.map;
            assert!(map.code_start < map.stack_start && map.stack_start < map.stack_end, "{target:?}");
            assert!(map.stack_end < map.devices_start && map.holds(map.code_start, 4), "{target:?}");
            assert!(target.devices.windows(2).all(|pair| pair[0].address < pair[1].address), "{target:?}");
        }
    }

    /// Bytes that lead somewhere have a text, as long as they are, and others have none.
    #[test]
    fn what_leads_somewhere_can_be_read() {
        for target in crate::targets() {
            let mut state = 1u64;
            for _ in 0..20_000 {
                state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
                let code = state.to_be_bytes();
                let code = &code[..target.longest_code as usize];
                let at = target.map.code_start;
                let (leads, text) = ((target.leads)(code, at), (target.text)(code, at, &|_| None));
                assert_eq!(leads.is_some(), text.is_some(), "{target:?} {code:02X?}");
                if let Some((length, _)) = leads {
                    assert_eq!(length % target.code_align, 0, "{target:?} {code:02X?}");
                    assert!((target.leads)(&code[..length as usize - 1], at).is_none(), "{target:?} {code:02X?}");
                }
            }
        }
    }
}
