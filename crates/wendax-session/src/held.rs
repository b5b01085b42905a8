//! What lies in memory by the types of a program that a compiler made: numbers with a sign, names of numbers, texts, arrays,
//! structures and what they lead to, at one moment. Nothing here walks.

use crate::session::Session;
use crate::values::At;
use wendax_image::{Bits, Cell, DEEPEST_TYPE, Home, Image, NumberForm, TypeId, TypeKind, Variable, Variables};
use wendax_isa::{Addr, Reg, Target, sign_extended};
use wendax_language::Moment;
use wendax_machine::Note;

/// Values in one answer at the most; what is more is left out and told.
const MOST_VALUES: usize = 256;
/// Elements of an array at the most.
const MOST_ELEMENTS: u32 = 64;
/// A text that something leads to is shown so far.
const LONGEST_TEXT: u32 = 40;

/// Something of a type at a moment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Held {
    /// A number, and how it is written.
    Number(i64, String),
    /// A number with a fraction, as it is written.
    Fraction(String),
    /// A text.
    Text(String),
    /// Members by name, or elements by `[0]`.
    Parts(Vec<(String, Self)>),
    /// There is none, for this reason.
    Nothing(String),
}

impl Held {
    /// It in one line: `{load 120, kind "coal"}`.
    pub fn line(&self) -> String {
        match self {
            Self::Number(_, text) | Self::Fraction(text) => text.clone(),
            Self::Text(text) => quoted(text),
            Self::Nothing(why) => why.clone(),
            Self::Parts(parts) => {
                let one = |(name, held): &(String, Self)| {
                    if name.starts_with('[') { held.line() } else { format!("{name} {}", held.line()) }
                };
                format!("{{{}}}", parts.iter().map(one).collect::<Vec<_>>().join(", "))
            }
        }
    }
}

/// A text in quotes, in one line.
pub(crate) fn quoted(text: &str) -> String {
    format!("\"{}\"", escaped(text))
}

/// A text as it stands between quotes.
pub(crate) fn escaped(text: &str) -> String {
    text.escape_debug().to_string().replace("\\'", "'")
}

/// Reads values of types at one moment.
pub(crate) struct Reader<'a> {
    at: &'a At<'a>,
    image: &'a Image,
    target: &'static Target,
    left: usize,
}

impl<'a> Reader<'a> {
    pub(crate) fn new(at: &'a At<'a>, image: &'a Image) -> Self {
        Self { at, image, target: at.machine().target(), left: MOST_VALUES }
    }

    fn all(&self) -> &'a Variables {
        &self.image.variables
    }

    /// What is at an address, by its type.
    pub(crate) fn held(&mut self, of: TypeId, address: Addr) -> Held {
        self.part(of, address, None, 0)
    }

    fn part(&mut self, of: TypeId, address: Addr, bits: Option<Bits>, depth: usize) -> Held {
        if depth > DEEPEST_TYPE || self.left == 0 {
            return Held::Nothing("…".to_owned());
        }
        self.left -= 1;
        match self.all().kind(of) {
            TypeKind::Number(..) | TypeKind::Enumeration(..) | TypeKind::Pointer(_) => self.number(of, address, bits),
            TypeKind::Fraction(bytes) => match wendax_language::load(self.at, address.into(), *bytes, false, None) {
                Ok(bits) => Held::Fraction(match u32::try_from(bits) {
                    Ok(single) if *bytes == 4 => f32::from_bits(single).to_string(),
                    _ => f64::from_bits(bits.cast_unsigned()).to_string(),
                }),
                Err(why) => Held::Nothing(why),
            },
            TypeKind::Opaque(bytes) => Held::Nothing(format!("{bytes} bytes of a kind that is not read here")),
            TypeKind::Array(each, count) if self.all().is_character(*each) && self.is_text(address, *count) => {
                Held::Text(self.text(address, *count))
            }
            TypeKind::Array(each, count) => {
                let size = self.all().bytes(*each, self.target);
                let mut parts = Vec::new();
                for index in 0..*count {
                    if index == MOST_ELEMENTS || self.left == 0 {
                        parts.push((format!("[{index}]"), Held::Nothing(format!("… {count} in all"))));
                        break;
                    }
                    let place = self.place(address, index.saturating_mul(size));
                    parts.push((format!("[{index}]"), self.part(*each, place, None, depth + 1)));
                }
                Held::Parts(parts)
            }
            TypeKind::Record(_, members) => {
                let mut parts = Vec::new();
                for member in members {
                    let place = self.place(address, member.offset);
                    parts.push((member.name.clone(), self.part(member.of, place, member.bits, depth + 1)));
                }
                Held::Parts(parts)
            }
        }
    }

    fn place(&self, address: Addr, offset: u32) -> Addr {
        Addr(address.0.wrapping_add(offset) & self.target.address_mask())
    }

    fn number(&self, of: TypeId, address: Addr, bits: Option<Bits>) -> Held {
        let Some((bytes, is_signed)) = self.all().number(of, self.target) else {
            return Held::Nothing(String::new());
        };
        match wendax_language::load(self.at, address.into(), bytes, is_signed, bits) {
            Ok(value) => Held::Number(value, self.words(of, value)),
            Err(why) => Held::Nothing(why),
        }
    }

    /// A number of a type as it is written.
    pub(crate) fn words(&self, of: TypeId, value: i64) -> String {
        match self.all().kind(of) {
            TypeKind::Number(8, NumberForm::Unsigned) => value.cast_unsigned().to_string(),
            TypeKind::Number(_, NumberForm::Truth) => match value {
                0 => "false".to_owned(),
                1 => "true".to_owned(),
                more => format!("true ({more})"),
            },
            TypeKind::Number(1, NumberForm::Character(_)) => match u8::try_from(value & 0xFF).map(char::from) {
                Ok(sign) if sign.is_ascii_graphic() || sign == ' ' => format!("'{sign}' ({value})"),
                _ => value.to_string(),
            },
            TypeKind::Enumeration(.., names) => match names.iter().find(|(number, _)| *number == value) {
                Some((_, name)) => format!("{name} ({value})"),
                None => value.to_string(),
            },
            TypeKind::Pointer(to) => self.led_to(*to, value),
            _ => value.to_string(),
        }
    }

    /// An address with the text, or the name of what, it leads to.
    fn led_to(&self, of: Option<TypeId>, value: i64) -> String {
        let Ok(address) = Addr::try_from(value) else { return value.to_string() };
        let marked = self.target.marked_address(address);
        if value == 0 {
            return format!("{marked} (nowhere)");
        }
        let is_text = of.is_some_and(|of| self.all().is_character(of)) && self.is_text(address, LONGEST_TEXT);
        match self.image.place_name(address) {
            _ if is_text => format!("{marked} {}", quoted(&self.text(address, LONGEST_TEXT))),
            Some(name) => format!("{marked} ({name})"),
            None => marked,
        }
    }

    fn byte(&self, address: Addr, offset: u32) -> Option<u8> {
        self.at.byte(self.place(address, offset).into()).ok().and_then(|byte| u8::try_from(byte).ok())
    }

    /// What lies there is signs up to a NUL, or fills its room with signs.
    fn is_text(&self, address: Addr, room: u32) -> bool {
        for offset in 0..room {
            match self.byte(address, offset) {
                Some(0) => return true,
                Some(byte) if byte.is_ascii_graphic() || matches!(byte, b' ' | b'\t' | b'\n' | b'\r') => {}
                // Signs of other scripts come in several bytes.
                Some(0x80..=0xFF) => {}
                _ => return false,
            }
        }
        room > 0
    }

    fn text(&self, address: Addr, room: u32) -> String {
        let bytes = (0..room).map_while(|offset| self.byte(address, offset).filter(|&byte| byte != 0));
        String::from_utf8_lossy(&bytes.collect::<Vec<u8>>()).into_owned()
    }
}

/// What so many bytes at an address are called while an instruction is next: a variable that stays, or a part of one, or the
/// label there; a variable in the frame of the present routine, when the instruction is one of its.
pub fn cell(session: &Session, next: Addr, address: Addr, bytes: u32) -> Option<Cell> {
    let (image, machine) = (session.image(), session.machine());
    let all = &image.variables;
    if let Some(cell) = all.part_at(address, Some(bytes), machine.target()) {
        return Some(cell);
    }
    let label = image.label_at(address).map(|symbol| Cell { name: symbol.name.clone(), of: None });
    label.or_else(|| {
        let (variable, offset) = in_frame(session, next, address)?;
        Some(all.part(variable, offset, Some(bytes), machine.target()))
    })
}

/// The number that so many bytes are, as one of a type is written; `None` for what is no number.
pub fn typed_words(session: &Session, of: Option<TypeId>, word: u32) -> Option<String> {
    let target = session.machine().target();
    let all = &session.image().variables;
    let (bytes, is_signed) = all.number(of?, target).filter(|(bytes, _)| *bytes <= target.word_bytes())?;
    let bits = 8 * bytes;
    let value = if is_signed { sign_extended(word, bits).into() } else { i64::from(word & u32::MAX >> (32 - bits)) };
    let at = At::new(session.machine());
    Some(Reader::new(&at, session.image()).words(of?, value))
}

/// The variable that a word of the stack belongs to, in the frame of whichever routine that is under way, with what it holds when
/// that is all of it.
pub fn framed(session: &Session, address: Addr) -> Option<String> {
    let (image, machine) = (session.image(), session.machine());
    let (all, target) = (&image.variables, machine.target());
    if address < target.map.stack_start || all.is_empty() {
        return None;
    }
    let there = in_frame(session, machine.pc(), address).or_else(|| in_outer_frame(session, address));
    let (variable, offset) = there?;
    let name = all.part(variable, offset, Some(target.word_bytes()), target).name;
    if offset == 0 && all.number(variable.of, target).is_some_and(|(bytes, _)| bytes <= target.word_bytes()) {
        let at = At::new(machine);
        return Some(match Reader::new(&at, image).held(variable.of, address) {
            Held::Nothing(_) => name,
            held => format!("{name} = {}", held.line()),
        });
    }
    Some(name)
}

/// The same of a routine that waits for another one to come back: it stands at the call, its stack pointer where that was, and
/// its frame register is the one that was put by since.
fn in_outer_frame(session: &Session, address: Addr) -> Option<(&Variable, u32)> {
    let (machine, target) = (session.machine(), session.machine().target());
    let (stack, fp) = (target.roles.stack, target.roles.frame);
    let mut held = fp.filter(|fp| machine.register_known(*fp)).map(|fp| machine.register(fp));
    let mut below = machine.stack_pointer();
    for frame in machine.frames().iter().rev().take(MOST_FRAMES) {
        // What the routine inside has put by is what its caller had.
        let words = (below.0..frame.slot.0).step_by(target.word_bytes() as usize).rev().take(MOST_KEPT).map(Addr);
        let kept = words.into_iter().find(|at| fp.is_some_and(|fp| machine.note(*at) == Note::Register(fp)));
        held = kept.map_or(held, |at| Some(machine.word(at)));
        below = frame.slot;
        let at_call = |register: Reg| match register {
            register if register == stack => Some(frame.slot.0),
            register if Some(register) == fp => held,
            _ => None,
        };
        if let Some(found) = near(session, frame.site, address, &at_call) {
            return Some(found);
        }
    }
    None
}

/// What is put by stands among so many words, the first that a routine has put there.
const MOST_KEPT: usize = 64;

/// Routines under way that are looked at, the innermost ones.
const MOST_FRAMES: usize = 32;

/// The variable in the frame of the present routine that an address lies in, and how far behind its beginning.
fn in_frame(session: &Session, next: Addr, address: Addr) -> Option<(&Variable, u32)> {
    let machine = session.machine();
    let now = |register: Reg| machine.register_known(register).then(|| machine.register(register));
    let is_there = address >= machine.target().map.stack_start && !session.image().variables.is_empty();
    is_there.then(|| near(session, next, address, &now))?
}

/// The variable of the routine that an instruction belongs to which lies over an address, by registers as they were there.
fn near<'a>(
    session: &'a Session,
    next: Addr,
    address: Addr,
    register: &dyn Fn(Reg) -> Option<u32>,
) -> Option<(&'a Variable, u32)> {
    let (all, target) = (&session.image().variables, session.machine().target());
    all.locals_at(next).into_iter().find_map(|variable| match variable.home(next)? {
        Home::Near(base, more) => {
            let offset = address.0.wrapping_sub(register(base)?.wrapping_add(more.cast_unsigned()));
            (offset < all.bytes(variable.of, target)).then_some((variable, offset))
        }
        _ => None,
    })
}
