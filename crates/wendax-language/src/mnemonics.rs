//! The words of the language: registers, mnemonics of the instruction table, and mnemonics the assembler
//! writes as others.

use rustc_hash::FxHashMap;
use std::sync::LazyLock;
use wendax_isa::w16::{self, ALIASES, Alias, OperandKind, Row, TARGET, rows};

#[derive(Debug)]
pub struct Mnemonic {
    pub name: &'static str,
    /// Its rows, shortest first; of a pseudo-instruction those of what it becomes.
    pub rows: Vec<&'static Row>,
    pub pseudo: Option<&'static Alias>,
}

impl Mnemonic {
    /// The ways it can be written, each once.
    pub fn forms(&self) -> Vec<String> {
        if self.pseudo.is_some() {
            return vec![format!("{} d", self.name)];
        }
        let mut forms: Vec<String> = Vec::new();
        for row in &self.rows {
            // A small constant is written like any other.
            let form = row.form.replace("d, k", "d, imm16");
            let form = format!("{} {form}", self.name).trim().to_owned();
            if !forms.contains(&form) {
                forms.push(form);
            }
        }
        if self.takes_list() {
            forms.push(format!("{} r6-r8, fp", self.name));
        }
        forms
    }

    /// `push` and `pop` take several registers.
    pub fn takes_list(&self) -> bool {
        self.rows.iter().any(|row| row.operands == [OperandKind::Flags])
    }
}

static MNEMONICS: LazyLock<Vec<Mnemonic>> = LazyLock::new(|| {
    let rows_of = |name: &str| rows().iter().filter(|row| row.names.contains(&name)).collect::<Vec<_>>();
    let of_name = |name| {
        let pseudo = ALIASES.iter().find(|alias| alias.name == name);
        Mnemonic { name, rows: rows_of(pseudo.map_or(name, |alias| alias.real)), pseudo }
    };
    w16::mnemonics().into_iter().map(of_name).collect()
});

/// The mnemonic of this name, in any case.
pub fn mnemonic(name: &str) -> Option<&'static Mnemonic> {
    BY_NAME.get(&key(name)?).map(|&at| &MNEMONICS[at])
}

/// Where each mnemonic is, by its name as one number.
static BY_NAME: LazyLock<FxHashMap<u64, usize>> =
    LazyLock::new(|| MNEMONICS.iter().enumerate().filter_map(|(at, known)| Some((key(known.name)?, at))).collect());

/// A name in small letters as a number; `None` for one that is longer than any mnemonic.
fn key(name: &str) -> Option<u64> {
    let mut lower = [0u8; 8];
    lower.get_mut(..name.len())?.copy_from_slice(name.as_bytes());
    lower.make_ascii_lowercase();
    Some(u64::from_le_bytes(lower))
}

/// The code of a register.
pub fn register(name: &str) -> Option<u8> {
    if name.len() > 3 {
        return None;
    }
    TARGET.register(name).map(|register| register.0)
}

/// Instructions that most programs are made of.
pub const USUAL: [&str; 16] =
    ["mov", "ldw", "stw", "add", "sub", "cmp", "jmp", "call", "ret", "push", "pop", "inc", "djnz", "jz", "jnz", "sys"];

/// All mnemonics in alphabetical order, each with what it does in one line.
pub fn mnemonics() -> impl Iterator<Item = (&'static str, &'static str)> {
    let meaning = |known: &Mnemonic| known.pseudo.map_or(known.rows[0].meaning, |alias| alias.meaning);
    MNEMONICS.iter().map(move |known| (known.name, meaning(known)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_found_in_any_case_and_overlong_ones_are_not() {
        assert_eq!(mnemonic("PuSh").map(|m| m.name), Some("push"));
        assert!(mnemonic("pushpushpushpush").is_none());
        assert!(mnemonic("").is_none() && mnemonic("ö").is_none());
        assert_eq!(mnemonic("inc").map(Mnemonic::forms), Some(vec!["inc d".to_owned()]));
        assert_eq!(mnemonic("mov").map(Mnemonic::forms), Some(vec!["mov d, s".to_owned(), "mov d, imm16".to_owned()]));
    }
}
