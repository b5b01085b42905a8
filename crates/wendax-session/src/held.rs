//! What lies in memory by the types of a program that a compiler made: numbers with a sign, names of numbers, texts, arrays,
//! structures and what they lead to, at one moment. Nothing here walks.

use crate::session::Session;
use crate::values::At;
use wendax_image::{Bits, Cell, DEEPEST_TYPE, Home, Image, NumberForm, TypeId, TypeKind, Variable, Variables};
use wendax_isa::{Addr, Target};
use wendax_language::Moment;

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
            Self::Number(_, text) => text.clone(),
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
    format!("\"{}\"", text.escape_debug().to_string().replace("\\'", "'"))
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
    let unused = 32 - 8 * bytes;
    let value =
        if is_signed { i64::from((word << unused).cast_signed() >> unused) } else { (word << unused >> unused).into() };
    let at = At::new(session.machine());
    Some(Reader::new(&at, session.image()).words(of?, value))
}

/// The variable of the present routine that a word of its frame belongs to, with what it holds when that is all of it.
pub fn framed(session: &Session, address: Addr) -> Option<String> {
    let (image, machine) = (session.image(), session.machine());
    let (all, target) = (&image.variables, machine.target());
    let (variable, offset) = in_frame(session, machine.pc(), address)?;
    let name = all.part(variable, offset, Some(target.word_bytes()), target).name;
    if offset == 0 && all.number(variable.of, target).is_some_and(|(bytes, _)| bytes <= target.word_bytes()) {
        let at = At::new(machine);
        return Some(format!("{name} = {}", Reader::new(&at, image).held(variable.of, address).line()));
    }
    Some(name)
}

/// The variable in the frame of the present routine that an address lies in, and how far behind its beginning.
fn in_frame(session: &Session, next: Addr, address: Addr) -> Option<(&Variable, u32)> {
    let (image, machine) = (session.image(), session.machine());
    let (all, target) = (&image.variables, machine.target());
    if address < target.map.stack_start || all.is_empty() {
        return None;
    }
    all.locals_at(next).into_iter().find_map(|variable| match variable.home(next)? {
        Home::Near(register, more) if machine.register_known(register) => {
            let start = machine.register(register).wrapping_add(more.cast_unsigned());
            let offset = address.0.wrapping_sub(start);
            (offset < all.bytes(variable.of, target)).then_some((variable, offset))
        }
        _ => None,
    })
}
