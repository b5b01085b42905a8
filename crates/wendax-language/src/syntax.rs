//! How sources of each machine are written: what differs between them in signs and words. Everything else of the language
//! is one and the same.
//!
//! This is the one place that says which machine's modules serve a source.

use crate::directives::{DIRECTIVES, DirectiveInfo, directive};
use crate::mnemonics::{self, mnemonics};
use crate::rv32;
use std::sync::LazyLock;
use wendax_isa::Target;

/// Which machine's way of writing a source has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Syntax {
    #[default]
    W16,
    Rv32,
}

impl Syntax {
    pub fn of(target: &Target) -> Self {
        if std::ptr::eq(target, &raw const wendax_isa::rv32::TARGET) { Self::Rv32 } else { Self::W16 }
    }

    pub fn target(self) -> &'static Target {
        match self {
            Self::W16 => &wendax_isa::w16::TARGET,
            Self::Rv32 => &wendax_isa::rv32::TARGET,
        }
    }

    /// The number of a register.
    pub fn register(self, name: &str) -> Option<u8> {
        match self {
            Self::W16 => mnemonics::register(name),
            Self::Rv32 => self.target().register(name).map(|register| register.0),
        }
    }

    /// An instruction has this name, in any case.
    pub fn is_mnemonic(self, name: &str) -> bool {
        match self {
            Self::W16 => mnemonics::mnemonic(name).is_some(),
            Self::Rv32 => !wendax_isa::rv32::forms::forms_of(name).is_empty(),
        }
    }

    /// All mnemonics in alphabetical order, each with what it does in one line.
    pub fn mnemonics(self) -> &'static [(&'static str, &'static str)] {
        static W16: LazyLock<Vec<(&str, &str)>> = LazyLock::new(|| mnemonics().collect());
        static RV32: LazyLock<Vec<(&str, &str)>> = LazyLock::new(rv32::mnemonics);
        match self {
            Self::W16 => &W16,
            Self::Rv32 => &RV32,
        }
    }

    /// Instructions that most programs are made of.
    pub fn usual(self) -> &'static [&'static str] {
        match self {
            Self::W16 => &mnemonics::USUAL,
            Self::Rv32 => &rv32::USUAL,
        }
    }

    /// The ways a mnemonic can be written; none when there is no such.
    pub fn forms(self, name: &str) -> Vec<String> {
        match self {
            Self::W16 => mnemonics::mnemonic(name).map_or(Vec::new(), mnemonics::Mnemonic::forms),
            Self::Rv32 => {
                wendax_isa::rv32::forms::forms_of(name).iter().map(wendax_isa::rv32::forms::Form::text).collect()
            }
        }
    }

    /// How many operands an instruction takes at most.
    pub fn most_operands(self, name: &str) -> usize {
        match self {
            Self::W16 => 2,
            Self::Rv32 => {
                let forms = wendax_isa::rv32::forms::forms_of(name);
                forms.iter().map(|form| form.slots.len()).max().unwrap_or(0)
            }
        }
    }

    /// The directive of this name, in any case: ours, or another name for one of ours.
    pub fn directive(self, name: &str) -> Option<&'static DirectiveInfo> {
        directive(name).or_else(|| match self {
            Self::W16 => None,
            Self::Rv32 => rv32::directive(name),
        })
    }

    /// What sources of this machine alone have by this name, or read otherwise.
    pub fn other_directive(self, name: &str) -> Option<rv32::Other> {
        match self {
            Self::W16 => None,
            Self::Rv32 => rv32::other(name),
        }
    }

    /// Names of all directives.
    pub fn directive_names(self) -> Vec<&'static str> {
        let ours = DIRECTIVES.iter().map(|info| info.name);
        match self {
            Self::W16 => ours.collect(),
            Self::Rv32 => ours.chain(rv32::names()).collect(),
        }
    }

    /// The directives as users know them, each with what it does in one line.
    pub fn directive_words(self) -> Vec<(&'static str, &'static str)> {
        let ours = DIRECTIVES.iter().map(|info| (info.name, info.meaning));
        match self {
            Self::W16 => ours.collect(),
            Self::Rv32 => {
                let is_own = |name: &str| rv32::WORDS.iter().any(|words| words.names.contains(&name));
                let own = rv32::WORDS.iter().map(|words| (words.names[0], words.meaning));
                ours.filter(|(name, _)| !is_own(name)).chain(own).collect()
            }
        }
    }

    /// How a directive is written, and what it does.
    pub fn directive_form(self, name: &str) -> Option<(&'static str, &'static str)> {
        let is_it = |known: &&str| known.eq_ignore_ascii_case(name);
        let own = rv32::WORDS.iter().find(|words| words.names.iter().any(is_it));
        let own = own.filter(|_| self == Self::Rv32).map(|words| (words.form, words.meaning));
        own.or_else(|| directive(name).map(|info| (info.form, info.meaning)))
    }

    /// A remark begins with this sign.
    pub fn is_remark(self, sign: char) -> bool {
        sign == ';' || sign == '#' && self == Self::Rv32
    }

    /// Signs within names besides letters, digits and `_`; the first of them may begin one.
    pub fn in_name(self, sign: u8) -> bool {
        self == Self::Rv32 && matches!(sign, b'.' | b'$')
    }

    /// `1:` is a label, found by `1b` behind it and `1f` before it.
    pub fn has_numbered_labels(self) -> bool {
        self == Self::Rv32
    }

    /// `\012` in a text is the byte of these octal digits.
    pub fn has_octal_escapes(self) -> bool {
        self == Self::Rv32
    }

    /// Labels that a program begins at when nothing else is said, the first of them that there is.
    pub fn entries(self) -> &'static [&'static str] {
        match self {
            Self::W16 => &["start"],
            Self::Rv32 => &["_start", "start", "main"],
        }
    }

    /// The registers that hold something at the start, or have uses of their own, by their bits.
    pub fn set_from_start(self) -> u32 {
        match self {
            // fp and sp, and what is none.
            Self::W16 => !0xFFF,
            // zero, ra, sp, gp, tp, and the arguments' number and place.
            Self::Rv32 => 0x0C1F,
        }
    }

    /// Instructions that code may end with.
    pub fn last_instruction(self) -> &'static str {
        match self {
            Self::W16 => "sys exit, halt, ret or jmp as the last instruction",
            Self::Rv32 => "sys exit, ret or j as the last instruction",
        }
    }

    /// What loads a value of so many bytes, and the directive in front of one that lies where that cannot reach it.
    pub fn whole(self, width: u32) -> (&'static str, String) {
        match self {
            Self::W16 => ("ldw", format!(".align {width}")),
            Self::Rv32 => (if width == 2 { "lh" } else { "lw" }, format!(".balign {width}")),
        }
    }

    /// An instruction that makes a register 0, and one that sets it.
    pub fn setting(self, register: &str) -> String {
        match self {
            Self::W16 => format!("clr {register}, or mov {register}, value, before it"),
            Self::Rv32 => format!("li {register}, value, before it"),
        }
    }

    /// Names that are defined nowhere are another file's, without being said so.
    pub fn trusts_names(self) -> bool {
        self == Self::Rv32
    }

    /// Bytes of an address and of `.word`.
    pub fn word(self) -> u32 {
        self.target().word_bytes()
    }

    /// One past the highest address.
    pub fn top(self) -> i64 {
        i64::from(self.target().address_mask()) + 1
    }
}

/// The machine a source says it is for, and where: its first statement is `.target name`.
pub fn said(text: &str) -> Option<(&str, std::ops::Range<usize>)> {
    let mut start = 0;
    for line in text.split_inclusive('\n') {
        let rest = line.trim_start_matches(['\u{feff}', ' ', '\t', '\r']);
        let at = start + line.len() - rest.len();
        start += line.len();
        if rest.trim().is_empty() || rest.starts_with([';', '#']) {
            continue;
        }
        let word = rest.get(..".target".len()).filter(|word| word.eq_ignore_ascii_case(".target"))?;
        let behind = &rest[word.len()..];
        let name = behind.trim_start_matches([' ', '\t']);
        if name.len() == behind.len() {
            return None;
        }
        let length = name.find(|sign: char| !sign.is_alphanumeric() && sign != '_').unwrap_or(name.len());
        let from = at + word.len() + (behind.len() - name.len());
        return (length > 0).then(|| (&name[..length], from..from + length));
    }
    None
}

/// The machine a source says it is for in its first statement, if it says so.
pub fn machine_of(text: &str) -> Option<&'static Target> {
    wendax_isa::target_named(said(text)?.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_machine_is_what_the_first_statement_says() {
        for (text, name) in [
            (".target rv32\n", Some("rv32")),
            ("; about it\n# more\n\n  .TARGET\tRV32 ; here\n nop\n", Some("RV32")),
            ("\u{feff}.target w16", Some("w16")),
            (" nop\n .target rv32\n", None),
            (".target\n", None),
            (".targets rv32\n", None),
            ("", None),
        ] {
            let found = said(text);
            assert_eq!(found.as_ref().map(|found| found.0), name, "{text}");
            assert!(found.is_none_or(|(name, range)| &text[range] == name), "{text}");
        }
    }
}
