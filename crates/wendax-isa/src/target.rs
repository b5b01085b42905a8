//! A machine as far as views need to know it.

/// What stays the same of a machine whatever it runs.
#[derive(Debug, Clone, Copy)]
pub struct Target {
    /// Its name.
    pub name: &'static str,
    /// Bits of a register and of a word of memory.
    pub word_bits: u32,
    /// Bits of an address.
    pub address_bits: u32,
    /// Instructions lie at multiples of so many bytes.
    pub code_align: u32,
    /// The registers a program can name, in order of their codes.
    pub registers: &'static [RegisterInfo],
    /// The flags, in the order they are shown.
    pub flags: &'static [FlagInfo],
    /// Index in `registers` of the stack pointer.
    pub stack_register: usize,
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

    /// A word read as a signed number.
    pub fn signed(&self, word: u32) -> i32 {
        let unused = 32 - self.word_bits;
        (word << unused).cast_signed() >> unused
    }

    /// A word in as many hexadecimal digits as it has.
    pub fn hex(&self, word: u32) -> String {
        format!("{word:0width$X}", width = (self.word_bits / 4) as usize)
    }

    /// An address in as many hexadecimal digits as addresses have.
    pub fn hex_address(&self, address: u32) -> String {
        format!("{address:0width$X}", width = (self.address_bits / 4) as usize)
    }

    /// The register of this name, in any case.
    pub fn register(&self, name: &str) -> Option<usize> {
        self.registers.iter().position(|register| register.name.eq_ignore_ascii_case(name))
    }
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
