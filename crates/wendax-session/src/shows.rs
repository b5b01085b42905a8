//! What can be shown of a moment, in words: `r1`, `[total] as signed`, `weights as words 6`, `text as text`, `registers`,
//! `stack 4`, `last 5`.
//!
//! For watches of the bench and for the command line. A value alone is shown as a number; a label alone is what lies
//! there. With `bytes`, `words`, `text` and `records` the value is the address where they lie.

use crate::held::{self, Held};
use crate::reader::{Nothing, Reader};
use crate::session::Session;
use crate::stack::{WordKind, read_stack};
use crate::values::{At, Names, Sole, asks_met, sole};
use crate::words::{change_words, line_words};
use wendax_image::{NumberForm, TypeId, TypeKind};
use wendax_isa::{Addr, Target, sign_extended};
use wendax_language::{BoundValue, Moment, ValueError};
use wendax_machine::CellState;

/// A text is shown up to so many bytes when its NUL is further away.
const LONGEST: u32 = 400;
/// Of the last steps so many are shown, at most.
const MOST_STEPS: usize = 100_000;
/// Cells of a table, at most.
const MOST_CELLS: u32 = 4096;

/// How a value is shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Form {
    /// In the way that fits: decimal.
    Plain,
    /// By its type in the program that a compiler made.
    Typed(TypeId),
    /// Hexadecimal.
    Hex,
    /// Read as a signed word.
    Signed,
    /// Read as an unsigned word.
    Unsigned,
    /// Bits, in groups of four.
    Binary,
    /// As a character.
    Character,
    /// The bytes from there to the NUL, as text.
    Text,
    /// So many bytes from there.
    Bytes(u32),
    /// So many words from there, signed or as they are.
    Words(u32, bool),
    /// So many records from there, of parts of one or two bytes each.
    Records(u32, Vec<u32>),
}

/// Something to be shown, its names known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Show {
    /// The words it was asked for in.
    pub text: String,
    what: What,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum What {
    Registers,
    Flags,
    Stack(usize),
    Last(usize),
    Value(BoundValue, Form),
}

/// Numbers in rows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cells {
    /// Where they begin.
    pub address: Addr,
    /// Bytes of each part of a row, over and over: `[1]` bytes, `[2]` words, more a record.
    pub parts: Vec<u32>,
    /// Each part in order of address; `None` where nothing was ever written, or no memory is.
    pub values: Vec<Option<u32>>,
    /// They are read as signed numbers.
    pub is_signed: bool,
}

impl Cells {
    /// The address of a part by its place.
    pub fn address_of(&self, index: usize) -> Addr {
        let row: u32 = self.parts.iter().sum();
        let (rows, within) = (index / self.parts.len().max(1), index % self.parts.len().max(1));
        let before: u32 = self.parts.iter().take(within).sum();
        self.address + u32::try_from(rows).unwrap_or(0) * row + before
    }

    /// A value as part `index`, in the width of its column.
    pub fn words(&self, index: usize, value: Option<u32>, target: &Target) -> String {
        let is_byte = self.parts[index % self.parts.len().max(1)] == 1;
        match (value, is_byte) {
            (None, true) => "··".to_owned(),
            (None, false) => "  ····".to_owned(),
            (Some(byte), true) => format!("{byte:02X}"),
            (Some(word), false) if self.is_signed => format!("{:>6}", self.signed(index, word)),
            (Some(word), false) => format!("{:>6}", target.hex(word)),
        }
    }

    /// A value as part `index` read as a signed number.
    pub fn signed(&self, index: usize, value: u32) -> i32 {
        sign_extended(value, (8 * self.parts[index % self.parts.len().max(1)]).min(32))
    }
}

/// A value at a moment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Reading {
    /// One number, with how it is written.
    Number(i64, String),
    /// A text, as far as it is shown.
    Text(Addr, String),
    /// Several numbers.
    Cells(Cells),
    /// Parts of a program's type, where they lie.
    Held(Addr, Held),
    /// There is none, for this reason.
    Nothing(String),
}

/// Something as it is at a moment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Shown {
    /// Registers by name; `None` for one that was never set.
    Registers(Vec<(&'static str, Option<u32>)>),
    /// Flags by name.
    Flags(Vec<(char, bool)>),
    /// Words of the stack, the last pushed first: address, value, and what it is in words.
    Stack(Vec<(Addr, Option<u32>, String)>),
    /// The last steps, the latest last: step, place, and what each did.
    Last(Vec<(u64, String, String)>),
    /// A value.
    Value(Reading),
}

impl Show {
    /// Reads several of them with commas between.
    pub fn read_list(text: &str, names: &Names<'_>) -> Result<Vec<Self>, ValueError> {
        let mut reader = Reader::new(text, names);
        let mut shows = Vec::new();
        loop {
            shows.push(Self::next(&mut reader)?);
            if !reader.eat_sign(',') {
                return if reader.is_at_end() {
                    Ok(shows)
                } else {
                    let word = reader.peek().to_owned();
                    reader.error(format!("`{word}` does not belong here; commas go between what is shown"))
                };
            }
        }
    }

    /// Reads one.
    pub fn read(text: &str, names: &Names<'_>) -> Result<Self, ValueError> {
        let mut list = Self::read_list(text, names)?;
        match (list.pop(), list.is_empty()) {
            (Some(show), true) => Ok(show),
            _ => Err(ValueError { message: "one value is meant here, without a comma".to_owned(), at: 0 }),
        }
    }

    fn next(reader: &mut Reader<'_>) -> Result<Self, ValueError> {
        reader.skip_blanks();
        let begin = reader.at;
        let word = reader.peek().to_ascii_lowercase();
        let what = match word.as_str() {
            "" => {
                return reader.error(
                    "what is to be shown is missing: registers, flags, stack 4, last 5, r1, [total] as signed, \
                     weights as words 6",
                );
            }
            "registers" | "flags" | "stack" | "last" if reader.names.image().symbol(&word).is_none() => {
                reader.at += word.len();
                let count = |number: Option<u32>, otherwise| number.map_or(otherwise, |number| number as usize);
                match word.as_str() {
                    "registers" => What::Registers,
                    "flags" => What::Flags,
                    "stack" => What::Stack(count(reader.number_here(), 8)),
                    _ => What::Last(count(reader.number_here(), 1)),
                }
            }
            _ => {
                let (value, text) = reader.value()?;
                let form =
                    if reader.eat("as") { Self::form(reader)? } else { Self::form_of(reader.names, &value, &text) };
                What::Value(value, form)
            }
        };
        Ok(Self { text: reader.text_from(begin), what })
    }

    /// The form of a value of which none is said: a label alone is what lies there.
    fn form_of(names: &Names<'_>, value: &BoundValue, text: &str) -> Form {
        if let Some(of) = value.of() {
            return Form::Typed(of);
        }
        let Some((start, end)) = names.extent(text).filter(|_| value.value(&Nothing).is_ok()) else {
            return Form::Plain;
        };
        let size = names.target().word_bytes();
        let made = names.image().bytes(start, end - start);
        let is_sign = |byte: &u8| byte.is_ascii_graphic() || byte.is_ascii_whitespace();
        if made.len() > 1 && made.strip_suffix(&[0]).is_some_and(|text| text.iter().all(is_sign)) {
            return Form::Text;
        }
        match end - start {
            1 => Form::Bytes(1),
            bytes if bytes.is_multiple_of(size) && bytes <= 64 => Form::Words(bytes / size, true),
            bytes => Form::Bytes(bytes.min(64)),
        }
    }

    fn form(reader: &mut Reader<'_>) -> Result<Form, ValueError> {
        let word = reader.peek().to_ascii_lowercase();
        let begin = reader.at;
        reader.at += word.len();
        let mut count = |otherwise: u32| reader.number_here().unwrap_or(otherwise).min(MOST_CELLS);
        Ok(match word.as_str() {
            "hex" => Form::Hex,
            "signed" => Form::Signed,
            "unsigned" => Form::Unsigned,
            "binary" => Form::Binary,
            "char" => Form::Character,
            "text" => Form::Text,
            "bytes" => Form::Bytes(count(16)),
            "words" => Form::Words(count(8), true),
            "addresses" => Form::Words(count(8), false),
            "records" => {
                let rows = count(1);
                let mut parts = Vec::new();
                let target = reader.names.target();
                if !reader.eat("of") {
                    return reader.error("`of` and the parts belong behind `records`: records 4 of word byte byte");
                }
                while let Some(size) = [("byte", 1), ("word", target.word_bytes())]
                    .into_iter()
                    .find_map(|(name, size)| reader.eat_word(name).then_some(size))
                {
                    parts.push(size);
                }
                if parts.is_empty() {
                    return reader.error("a record has parts: word or byte, with blanks between");
                }
                Form::Records(rows, parts)
            }
            _ => {
                reader.at = begin;
                return reader.error(format!(
                    "`{word}` is no form; there are hex signed unsigned binary char text, bytes 16, words 8, \
                     addresses 8, records 4 of word byte"
                ));
            }
        })
    }

    /// It asks how often a stop was met.
    pub fn asks_met(&self) -> bool {
        matches!(&self.what, What::Value(value, _) if asks_met(value))
    }

    /// It as it is at the present moment of a walk, where a stop was met so often.
    pub fn shown(&self, session: &Session, met: u64) -> Shown {
        let machine = session.machine();
        let target = machine.target();
        match &self.what {
            What::Registers => {
                let value = |register| machine.register_known(register).then(|| machine.register(register));
                Shown::Registers(target.registers().map(|(register, info)| (info.name, value(register))).collect())
            }
            What::Flags => {
                Shown::Flags(target.flags.iter().map(|flag| (flag.name, machine.flags() & flag.bit != 0)).collect())
            }
            What::Stack(count) => {
                let word = |word: crate::StackWord| {
                    let what = match word.kind {
                        WordKind::Return(frame) => {
                            let name = session.image().label_at(frame.target).map(|symbol| symbol.name.clone());
                            let name = name.unwrap_or_else(|| target.marked_address(frame.target));
                            format!("way back from {name}")
                        }
                        WordKind::Saved(register) => format!("pushed {}", target.register_name(register)),
                        WordKind::Flags => "pushed flags".to_owned(),
                        WordKind::Other => String::new(),
                        WordKind::NeverWritten => "never written".to_owned(),
                    };
                    let value = (word.kind != WordKind::NeverWritten).then_some(word.value);
                    (word.address, value, what)
                };
                Shown::Stack(read_stack(machine, *count).into_iter().map(word).collect())
            }
            What::Last(count) => {
                let count = (*count).min(MOST_STEPS);
                let steps = session.steps_from(session.now().saturating_sub(count as u64), count);
                let before = steps.iter().filter(|effects| effects.step < session.now());
                let last: Vec<_> = before
                    .map(|effects| {
                        let place =
                            line_words(session, effects.pc).unwrap_or_else(|| target.marked_address(effects.pc));
                        let text = crate::code_text(session, effects.pc, effects.code).unwrap_or_default();
                        let did = change_words(session, effects).join(", ");
                        (effects.step.0, format!("{place}  {text}"), did)
                    })
                    .collect();
                Shown::Last(last)
            }
            What::Value(value, form) => Shown::Value(read(value, form, &At::new(machine).with_met(met), session)),
        }
    }

    /// The value of it at a moment, when it is one.
    pub fn reading(&self, session: &Session, at: &At<'_>) -> Option<Reading> {
        match &self.what {
            What::Value(value, form) => Some(read(value, form, at, session)),
            What::Registers | What::Flags | What::Stack(_) | What::Last(_) => None,
        }
    }
}

fn read(value: &BoundValue, form: &Form, at: &At<'_>, session: &Session) -> Reading {
    let target = session.machine().target();
    if let Sole::Register(register) = sole(value, target)
        && !at.machine().register_known(register)
    {
        return Reading::Nothing("not set".to_owned());
    }
    let number = match value.value(at) {
        Ok(number) => number,
        Err(error) => return Reading::Nothing(error.message),
    };
    let mask = i64::from(target.word_mask());
    let word = u32::try_from(number & mask).unwrap_or(0);
    let address = Addr(word);
    // A form that reads a word says so when there was more than that.
    let is_more = number > mask || number < -(mask >> 1) - 1;
    let of_word = |number, text: String| {
        Reading::Number(number, if is_more { format!("{text} (the low word of {number})") } else { text })
    };
    match form {
        Form::Plain => Reading::Number(number, number.to_string()),
        Form::Typed(of) => typed(*of, number, at, session),
        Form::Hex => of_word(number, target.hex(word)),
        Form::Signed if is_more => of_word(number, target.signed(word).to_string()),
        Form::Signed => {
            let number = at.signed(number);
            Reading::Number(number, number.to_string())
        }
        Form::Unsigned if is_more => of_word(number, word.to_string()),
        Form::Unsigned => Reading::Number(word.into(), word.to_string()),
        Form::Binary => {
            let group = |nibble: u32| format!("{:04b}", word >> (nibble * 4) & 0xF);
            let bits: Vec<String> = (0..target.word_bits / 4).rev().map(group).collect();
            of_word(number, bits.join(" "))
        }
        Form::Character => {
            let sign = char::from_u32(word).filter(|sign| !sign.is_control());
            Reading::Number(number, sign.map_or_else(|| format!("0x{word:02X}"), |sign| format!("'{sign}'")))
        }
        Form::Text => {
            let mut bytes = Vec::new();
            for offset in 0..LONGEST {
                let Some(byte) = part(at, target, address + offset, 1).and_then(|byte| u8::try_from(byte).ok()) else {
                    break;
                };
                if byte == 0 {
                    break;
                }
                bytes.push(byte);
            }
            Reading::Text(address, held::escaped(&String::from_utf8_lossy(&bytes)))
        }
        Form::Bytes(count) => cells(at, target, address, *count, vec![1], false),
        Form::Words(count, is_signed) => cells(at, target, address, *count, vec![target.word_bytes()], *is_signed),
        Form::Records(count, parts) => cells(at, target, address, *count, parts.clone(), true),
    }
}

/// A value of a program's type: of a number that, of others what lies at its address.
fn typed(of: TypeId, number: i64, at: &At<'_>, session: &Session) -> Reading {
    let (image, target) = (session.image(), session.machine().target());
    let all = &image.variables;
    let mut reader = held::Reader::new(at, image);
    if all.number(of, target).is_some() {
        return Reading::Number(number, reader.words(of, number));
    }
    let address = Addr(u32::try_from(number & i64::from(target.address_mask())).unwrap_or(0));
    if at.machine().cell(address) == CellState::Unmapped {
        return Reading::Nothing(format!("there is no memory at {}", target.marked_address(address)));
    }
    let held = reader.held(of, address);
    match (held, all.kind(of)) {
        (Held::Text(text), _) => Reading::Text(address, held::escaped(&text)),
        (Held::Nothing(why), _) => Reading::Nothing(why),
        // Plain numbers stand in rows.
        (_, TypeKind::Array(each, count))
            if let TypeKind::Number(bytes @ (1 | 2 | 4), form) = all.kind(*each)
                && matches!(form, NumberForm::Signed | NumberForm::Unsigned)
                && *bytes <= target.word_bytes() =>
        {
            let is_signed = *form == NumberForm::Signed;
            cells(at, target, address, (*count).min(MOST_CELLS), vec![*bytes], is_signed)
        }
        (held, _) => Reading::Held(address, held),
    }
}

fn cells(at: &At<'_>, target: &Target, address: Addr, rows: u32, parts: Vec<u32>, is_signed: bool) -> Reading {
    let mut cells = Cells { address, parts, values: Vec::new(), is_signed };
    for index in 0..rows as usize * cells.parts.len() {
        let size = cells.parts[index % cells.parts.len()];
        let place = Addr(cells.address_of(index).0 & target.address_mask());
        cells.values.push(part(at, target, place, size));
    }
    Reading::Cells(cells)
}

/// A number of so many bytes, up to a word, when there is something to read.
fn part(at: &At<'_>, target: &Target, address: Addr, size: u32) -> Option<u32> {
    let machine = at.machine();
    let is_there = |address: Addr| {
        let address = Addr(address.0 & target.address_mask());
        matches!(machine.cell(address), CellState::Known | CellState::Device)
    };
    if !(0..size).all(|offset| is_there(address + offset)) {
        return None;
    }
    if size == target.word_bytes() {
        return Some(machine.word(address));
    }
    Some(machine.number(address, size))
}

impl Shown {
    /// In lines for people, `name` in front.
    pub fn lines(&self, name: &str, target: &Target) -> Vec<String> {
        match self {
            Self::Registers(registers) => {
                let one = |(name, value): &(&str, Option<u32>)| match value {
                    Some(value) => format!("{name:<3} {}  {:>6}", target.hex(*value), target.signed(*value)),
                    None => format!("{name:<3} {}  {:>6}", "····", ""),
                };
                let rows = registers.chunks(4);
                rows.map(|row| row.iter().map(one).collect::<Vec<_>>().join("   ").trim_end().to_owned()).collect()
            }
            Self::Flags(flags) => {
                let one = |(name, is_set): &(char, bool)| format!("{name} {}", u8::from(*is_set));
                vec![flags.iter().map(one).collect::<Vec<_>>().join("  ")]
            }
            Self::Stack(words) if words.is_empty() => vec!["the stack is empty".to_owned()],
            Self::Stack(words) => {
                let one = |(address, value, what): &(Addr, Option<u32>, String)| {
                    let value = value.map_or_else(|| "····".to_owned(), |value| target.hex(value));
                    format!("{}  {value}  {what}", target.hex_address(*address)).trim_end().to_owned()
                };
                words.iter().map(one).collect()
            }
            Self::Last(steps) => {
                steps.iter().map(|(step, place, did)| format!("step {step}  {place}: {did}")).collect()
            }
            Self::Value(Reading::Number(_, text)) => vec![format!("{name} = {text}")],
            Self::Value(Reading::Held(address, held)) => {
                let Held::Parts(parts) = held else { return vec![format!("{name} = {}", held.line())] };
                let mut lines = vec![format!("{name}, at {}", target.marked_address(*address))];
                let width = parts.iter().map(|(name, _)| name.chars().count()).max().unwrap_or(0);
                lines.extend(parts.iter().map(|(name, held)| format!("  {name:<width$}  {}", held.line())));
                lines
            }
            Self::Value(Reading::Text(_, text)) => vec![format!("{name} = \"{text}\"")],
            Self::Value(Reading::Nothing(why)) => vec![format!("{name}: {why}")],
            Self::Value(Reading::Cells(cells)) => {
                if let ([value], [_]) = (cells.values.as_slice(), cells.parts.as_slice()) {
                    return vec![format!("{name} = {}", cells.words(0, *value, target).trim_start())];
                }
                let mut lines = vec![format!("{name}, at {}", target.marked_address(cells.address))];
                let width = match cells.parts.as_slice() {
                    [1] => 16,
                    [_] => 8,
                    parts => parts.len(),
                };
                for (row, values) in cells.values.chunks(width).enumerate() {
                    let first = if cells.parts.len() > 1 { row } else { row * width };
                    let texts = values.iter().enumerate();
                    let texts: Vec<String> =
                        texts.map(|(index, value)| cells.words(row * width + index, *value, target)).collect();
                    lines.push(format!("{first:>4}  {}", texts.join(" ")).trim_end().to_owned());
                }
                lines
            }
        }
    }
}
