//! What names mean in values that are asked of a run, and the moments they are asked of.
//!
//! The expressions are the assembler's own ([`wendax_language::ValueExpression`]). Here are the names a run adds to labels
//! and constants: registers, control registers, flags, `pc`, `step`, `cycles`, `met`, device registers by their names. Nothing here walks.

use std::borrow::Cow;
use wendax_image::{Image, Symbol, SymbolKind, Variable};
use wendax_isa::{Addr, Place, Reg, RegisterUse, Target};
use wendax_language::{BoundValue, Hangs, Moment, Named, Scope, Typed, ValueError, ValueExpression};
use wendax_machine::{CellState, Machine};

/// Live things by number: registers from 0, flags from here by their index, then the rest.
const FLAGS: u32 = 0x100;
const PC: u32 = 0x200;
const STEP: u32 = 0x201;
const CYCLES: u32 = 0x202;
const MET: u32 = 0x203;
const FL: u32 = 0x204;
/// Control and status registers by their numbers.
const CONTROL: u32 = 0x1000;

/// Names as they are known at some place of a program.
#[derive(Debug, Clone, Copy)]
pub struct Names<'a> {
    image: &'a Image,
    target: &'static Target,
    /// Private names are those of the routine around it, and of names that several files have that of its file.
    place: Addr,
}

impl<'a> Names<'a> {
    /// The same names as they are known at another place.
    #[must_use]
    pub(crate) fn at(self, place: Addr) -> Self {
        Self { place, ..self }
    }

    /// The names of a program for a machine, private ones as at `place`.
    pub fn new(image: &'a Image, target: &'static Target, place: Addr) -> Self {
        Self { image, target, place }
    }

    pub(crate) fn image(&self) -> &'a Image {
        self.image
    }

    pub(crate) fn target(&self) -> &'static Target {
        self.target
    }

    /// Reads a value and looks its names up.
    pub fn read(&self, text: &str) -> Result<BoundValue, ValueError> {
        ValueExpression::read(text)?.bind(self)
    }

    /// The cells a label stands for: those of its type where a compiler told of one, else those up to the next label that is
    /// no private one.
    pub fn extent(&self, name: &str) -> Option<(Addr, Addr)> {
        if let Some(variable) = self.typed(name) {
            let start = variable.fixed()?;
            return Some((start, start + self.image.variables.bytes(variable.of, self.target)));
        }
        let symbol = self.image.symbol_from(name, self.place)?;
        let start = symbol.address()?;
        if symbol.bytes > 0 {
            return Some((start, start + symbol.bytes));
        }
        let labels = self.image.labels().filter(|label| !label.is_private());
        let next = labels.filter_map(Symbol::address).filter(|&at| at > start).min();
        let part = self.image.segment_at(start);
        let behind = next.into_iter().chain(part.map(wendax_image::Segment::end)).min()?;
        Some((start, behind))
    }

    /// The address of a label, or why it is not clear which is meant.
    pub fn label(&self, name: &str) -> Result<Option<Addr>, String> {
        match self.several(name) {
            Some(why) => Err(why),
            None => Ok(self.image.symbol_from(name, self.place).and_then(Symbol::address)),
        }
    }

    /// What a name is in several files, where it is not clear which of them is meant.
    fn several(&self, name: &str) -> Option<String> {
        if self.image.symbol_from(name, self.place).is_some() {
            return None;
        }
        let all = self.image.symbols_named(name);
        let told = |symbol: &&Symbol| match symbol.address() {
            Some(address) => self.target.marked_address(address),
            None => symbol.value.to_string(),
        };
        let values: Vec<String> = all.iter().map(told).collect();
        let (last, others) = values.split_last().filter(|(_, others)| !others.is_empty())?;
        let is_code = all.iter().all(|symbol| symbol.kind == SymbolKind::Code);
        let line = if is_code { ", or its line: file.asm:12" } else { "" };
        Some(format!("`{name}` is {} in one file and {last} in another: write which of these{line}", others.join(", ")))
    }

    /// The variable of a name, when a compiler told of one and no register has the name.
    fn typed(&self, name: &str) -> Option<Cow<'a, Variable>> {
        let all = &self.image.variables;
        if all.is_empty() || self.target.register(name).is_some() {
            return None;
        }
        let here = all.named(name, self.place).map(Cow::Borrowed);
        // What is not known here may be meant of another place, where it will be asked.
        here.or_else(|| all.anywhere(name).filter(|_| self.image.symbol(name).is_none()).map(Cow::Owned))
    }

    /// The device register of a name, blanks and commas in it left out or written as `_`.
    fn device(&self, name: &str) -> Option<Addr> {
        let found = self.target.devices.iter().find(|device| device_word(device.name).eq_ignore_ascii_case(name));
        found.map(|device| device.address)
    }
}

/// A device register's name as one word: `console_state`.
pub fn device_word(name: &str) -> String {
    name.replace(',', "").replace(' ', "_")
}

impl Scope for Names<'_> {
    fn variable(&self, name: &str) -> Option<Typed<'_>> {
        let variable = self.typed(name)?;
        let register = |register: Reg| register.0.into();
        Some(Typed { variable, all: &self.image.variables, target: self.target, next: PC, register })
    }

    fn named(&self, name: &str) -> Option<Named> {
        if let Some(register) = self.target.register(name) {
            return Some(Named::Live(register.0.into()));
        }
        if let Some(symbol) = self.image.symbol_from(name, self.place) {
            return Some(Named::Value(symbol.value));
        }
        // Of several that it may be it is none; least of all a flag of that name.
        if self.image.symbol(name).is_some() {
            return None;
        }
        let flag =
            |name: &str| self.target.flags.iter().position(|flag| name.len() == 1 && name.starts_with(flag.name));
        if let Some(index) = flag(name) {
            return Some(Named::Live(FLAGS + u32::try_from(index).unwrap_or(0)));
        }
        match name {
            "pc" => Some(Named::Live(PC)),
            "step" => Some(Named::Live(STEP)),
            "cycles" => Some(Named::Live(CYCLES)),
            "met" => Some(Named::Live(MET)),
            "fl" if !self.target.flags.is_empty() => Some(Named::Live(FL)),
            // A name that is private to the routine around the place.
            local if local.starts_with('@') => {
                let (owner, _) = self.image.nearest_label(self.place)?;
                let owner = owner.name.split('@').next().unwrap_or(&owner.name);
                Some(Named::Value(self.image.symbol_from(&format!("{owner}{local}"), self.place)?.value))
            }
            other => {
                if let Some(value) = self.image.variables.constant(other) {
                    return Some(Named::Value(value));
                }
                let control = (self.target.controls)(other).map(|number| Named::Live(CONTROL + u32::from(number)));
                control.or_else(|| self.device(other).map(|address| Named::Value(address.into())))
            }
        }
    }

    fn why_unknown(&self, name: &str) -> Option<String> {
        if self.target.register(name).is_some() {
            return None;
        }
        if self.image.variables.is_known(name) {
            return Some(format!(
                "`{name}` is one thing in one routine and another in another: ask it at a place of one"
            ));
        }
        self.several(name)
    }

    fn size_of(&self, name: &str) -> Option<i64> {
        self.extent(name).map(|(start, end)| (end - start).into())
    }
}

/// A moment of a run: the machine as it is then.
#[derive(Debug, Clone, Copy)]
pub struct At<'a> {
    machine: &'a Machine,
    met: u64,
}

impl<'a> At<'a> {
    /// The moment a machine is at.
    pub fn new(machine: &'a Machine) -> Self {
        Self { machine, met: 0 }
    }

    pub(crate) fn machine(&self) -> &'a Machine {
        self.machine
    }

    /// The same where a stop has been met so often.
    #[must_use]
    pub fn with_met(self, met: u64) -> Self {
        Self { met, ..self }
    }

    /// The address, when there is something to read.
    fn readable(&self, address: i64) -> Result<Addr, String> {
        let masked = address & i64::from(self.machine.target().address_mask());
        let at = Addr::try_from(masked).map_err(|error| error.to_string())?;
        let place = Place(self.machine.target(), at);
        match self.machine.cell(at) {
            CellState::Unmapped => Err(format!("there is no memory at {place}")),
            CellState::NeverWritten => Err(format!("nothing was ever written at {place}")),
            CellState::Known | CellState::Device => Ok(at),
        }
    }
}

impl Moment for At<'_> {
    fn live(&self, number: u32) -> i64 {
        match number {
            PC => self.machine.pc().into(),
            STEP => i64::try_from(self.machine.steps().0).unwrap_or(i64::MAX),
            CYCLES => i64::try_from(self.machine.cycles()).unwrap_or(i64::MAX),
            MET => i64::try_from(self.met).unwrap_or(i64::MAX),
            FL => self.machine.flags().into(),
            FLAGS..PC => {
                let flag = self.machine.target().flags.get((number - FLAGS) as usize);
                flag.map_or(0, |flag| (self.machine.flags() & flag.bit != 0).into())
            }
            control @ CONTROL.. => {
                let number = u16::try_from(control - CONTROL).unwrap_or(u16::MAX);
                self.machine.control(number).unwrap_or(0).into()
            }
            register => self.machine.register(register_of(register)).into(),
        }
    }

    fn word(&self, address: i64) -> Result<i64, String> {
        let target = self.machine.target();
        let at = self.readable(address)?;
        if !at.is_multiple_of(target.word_bytes()) {
            let place = Place(target, at);
            return Err(format!(
                "words lie at multiples of {}, and {place} is none: the machine traps there",
                target.word_bytes()
            ));
        }
        for offset in 1..self.machine.target().word_bytes() {
            self.readable(address + i64::from(offset))?;
        }
        Ok(self.machine.word(at).into())
    }

    fn number(&self, address: i64, bytes: u32) -> Result<i64, String> {
        // What is a word is read as one: device registers have no bytes.
        let word = self.machine.target().word_bytes();
        if bytes == word && address.rem_euclid(word.into()) == 0 {
            return self.word(address);
        }
        let byte = |offset: u32| self.byte(address.wrapping_add(offset.into()));
        (0..bytes.min(8)).try_fold(0, |number, offset| Ok(number | byte(offset)? << (8 * offset)))
    }

    fn byte(&self, address: i64) -> Result<i64, String> {
        Ok(self.machine.byte(self.readable(address)?).into())
    }

    fn signed(&self, word: i64) -> i64 {
        let target = self.machine.target();
        let masked = u32::try_from(word & i64::from(target.word_mask())).unwrap_or(0);
        target.signed(masked).into()
    }
}

/// The register with a number below [`FLAGS`].
fn register_of(number: u32) -> Reg {
    Reg(u8::try_from(number).unwrap_or(u8::MAX))
}

/// What a step must write so that a value can change; `None` when any step may change it.
pub(crate) fn can_change(value: &BoundValue, target: &Target) -> Option<(RegisterUse, Vec<(Addr, Addr)>)> {
    let Hangs { lives, cells, on_any_memory } = value.hangs_on(target.word_bytes());
    if on_any_memory || lives.iter().any(|&number| matches!(number, PC | STEP | CYCLES | MET | CONTROL..)) {
        return None;
    }
    let mut uses = RegisterUse::default();
    for number in lives {
        if number == FL {
            uses.flags_written |= target.flags.iter().fold(0, |all, flag| all | flag.bit);
            continue;
        }
        match target.flags.get(number.wrapping_sub(FLAGS) as usize) {
            Some(flag) => uses.flags_written |= flag.bit,
            None => uses.writes |= 1 << number,
        }
    }
    let mask = i64::from(target.address_mask());
    let range = |(address, bytes): (i64, u32)| {
        let start = Addr::try_from(address & mask).ok()?;
        // What device registers show may change without being written.
        (start < target.map.devices_start).then(|| (start, start + bytes))
    };
    let ranges: Option<Vec<_>> = cells.into_iter().map(range).collect();
    Some((uses, ranges?))
}

/// A value is a register or a flag by itself.
pub(crate) enum Sole {
    Register(Reg),
    /// By its bit.
    Flag(u32),
    Other,
}

pub(crate) fn sole(value: &BoundValue, target: &Target) -> Sole {
    match value.live() {
        Some(number @ FLAGS..PC) => {
            let flag = target.flags.get((number - FLAGS) as usize);
            flag.map_or(Sole::Other, |flag| Sole::Flag(flag.bit))
        }
        Some(number) if number < FLAGS => Sole::Register(register_of(number)),
        _ => Sole::Other,
    }
}

/// A value asks how often a stop was met.
pub(crate) fn asks_met(value: &BoundValue) -> bool {
    value.hangs_on(1).lives.contains(&MET)
}
