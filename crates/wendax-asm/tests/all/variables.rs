//! Values of variables that a compiler told of: paths through random types lead to the bytes that a plain reading of the type
//! leads to.

use proptest::prelude::*;
use std::borrow::Cow;
use wendax_image::{Bits, Home, Member, NumberForm, Stay, TypeId, TypeKind, Variable, Variables};
use wendax_isa::{Addr, Reg, rv32};
use wendax_language::{Moment, Named, Scope, Typed, ValueExpression};

/// A type told plainly: what the test itself goes by.
#[derive(Debug, Clone)]
enum Plain {
    Number(u32, bool),
    Array(Box<Self>, u32),
    /// Parts with the bytes of a gap before each.
    Record(Vec<(u32, Self)>),
    /// So many bits of four bytes, from a first one on.
    Some(u32, u32, bool),
}

impl Plain {
    fn bytes(&self) -> u32 {
        match self {
            Self::Number(bytes, _) => *bytes,
            Self::Array(each, count) => each.bytes() * count,
            Self::Record(parts) => parts.iter().map(|(gap, part)| gap + part.bytes()).sum(),
            Self::Some(..) => 4,
        }
    }

    /// The same among the types of a program.
    fn put(&self, types: &mut Vec<TypeKind>) -> TypeId {
        let kind = match self {
            Self::Number(bytes, true) => TypeKind::Number(*bytes, NumberForm::Signed),
            Self::Number(bytes, false) => TypeKind::Number(*bytes, NumberForm::Unsigned),
            Self::Some(_, _, true) => TypeKind::Number(4, NumberForm::Signed),
            Self::Some(_, _, false) => TypeKind::Number(4, NumberForm::Unsigned),
            Self::Array(each, count) => TypeKind::Array(each.put(types), *count),
            Self::Record(parts) => {
                let mut offset = 0;
                let mut members = Vec::new();
                for (number, (gap, part)) in parts.iter().enumerate() {
                    offset += gap;
                    let of = part.put(types);
                    let bits = match part {
                        Self::Some(first, count, _) => Some(Bits { first: *first, count: *count }),
                        _ => None,
                    };
                    members.push(Member { name: format!("m{number}"), offset, of, bits });
                    offset += part.bytes();
                }
                TypeKind::Record(offset, members)
            }
        };
        types.push(kind);
        TypeId(types.len() - 1)
    }

    /// A way to a number by choices, in words, and what stands there.
    fn way(&self, choices: &[usize], at: usize, memory: &[u8], words: &str) -> (String, i64) {
        let choice = choices.first().copied().unwrap_or(0);
        let rest = choices.get(1..).unwrap_or_default();
        match self {
            Self::Number(bytes, is_signed) => {
                let number =
                    (0..*bytes as usize).rev().fold(0_i128, |sum, byte| sum * 256 + i128::from(memory[at + byte]));
                let is_below = *is_signed && number >> (bytes * 8 - 1) != 0;
                (
                    words.to_owned(),
                    i64::try_from(number - if is_below { 1 << (bytes * 8) } else { 0 }).expect("a number of this size"),
                )
            }
            Self::Some(first, count, is_signed) => {
                let whole = (0..4).rev().fold(0_i64, |sum, byte| sum * 256 + i64::from(memory[at + byte]));
                let number = (whole >> first) % (1 << count);
                let is_below = *is_signed && number >= 1 << (count - 1);
                (words.to_owned(), number - if is_below { 1 << count } else { 0 })
            }
            Self::Array(each, count) => {
                let index = choice % *count as usize;
                each.way(rest, at + index * each.bytes() as usize, memory, &format!("{words}[{index}]"))
            }
            Self::Record(parts) => {
                let number = choice % parts.len();
                let before: u32 = parts[..number].iter().map(|(gap, part)| gap + part.bytes()).sum();
                let (gap, part) = &parts[number];
                part.way(rest, at + (before + gap) as usize, memory, &format!("{words}.m{number}"))
            }
        }
    }
}

fn plain() -> impl Strategy<Value = Plain> {
    let bits = (0..28_u32).prop_flat_map(|first| (Just(first), 1..=28 - first, any::<bool>()));
    let leaf = prop_oneof![
        3 => (prop::sample::select(vec![1, 2, 4]), any::<bool>()).prop_map(|(bytes, signed)| Plain::Number(bytes, signed)),
        1 => bits.prop_map(|(first, count, signed)| Plain::Some(first, count, signed)),
    ];
    let whole = leaf.clone().prop_recursive(3, 12, 4, |inner| {
        // Bits are parts of structures only.
        let each = inner.clone().prop_filter("bits", |each| !matches!(each, Plain::Some(..)));
        prop_oneof![
            (each, 1..4_u32).prop_map(|(each, count)| Plain::Array(Box::new(each), count)),
            prop::collection::vec((0..3_u32, inner), 1..4).prop_map(Plain::Record),
        ]
    });
    whole.prop_filter("bits", |each| !matches!(each, Plain::Some(..)))
}

/// Where a variable lies in these tests.
const START: u32 = 0x1_2000;
const NEXT: u32 = 0x900;

struct World {
    memory: Vec<u8>,
    all: Variables,
    next: i64,
}

impl Scope for World {
    fn variable(&self, name: &str) -> Option<Typed<'_>> {
        let variable = Cow::Borrowed(self.all.named(name, Addr(0x1_0000))?);
        Some(Typed {
            variable,
            all: &self.all,
            target: &rv32::TARGET,
            next: NEXT,
            register: |register| register.0.into(),
        })
    }

    fn named(&self, name: &str) -> Option<Named> {
        (name == "a0").then_some(Named::Live(10))
    }

    fn size_of(&self, _: &str) -> Option<i64> {
        None
    }
}

impl Moment for World {
    fn live(&self, number: u32) -> i64 {
        match number {
            NEXT => self.next,
            10 => START.into(),
            other => other.into(),
        }
    }

    fn word(&self, address: i64) -> Result<i64, String> {
        self.number(address, 4)
    }

    fn byte(&self, address: i64) -> Result<i64, String> {
        let at = usize::try_from(address - i64::from(START)).ok();
        at.and_then(|at| self.memory.get(at)).map(|&byte| byte.into()).ok_or_else(|| format!("nothing at {address:X}"))
    }

    fn signed(&self, word: i64) -> i64 {
        word
    }
}

fn world(kinds: Vec<TypeKind>, list: Vec<Variable>, memory: Vec<u8>) -> World {
    World { memory, all: Variables::new(kinds, list), next: 0x1_0000 }
}

fn stay(from: u32, to: u32, place: Home) -> Stay {
    Stay { from: Addr(from), to: Addr(to), place }
}

fn variable(name: &str, of: TypeId, stays: Vec<Stay>) -> Variable {
    Variable { name: name.to_owned(), of, scope: Vec::new(), stays, is_parameter: false }
}

fn value(world: &World, text: &str) -> Result<i64, String> {
    let told = |error: wendax_language::ValueError| format!("{} at {}", error.message, error.at);
    ValueExpression::read(text).map_err(told)?.bind(world).map_err(told)?.value(world).map_err(told)
}

proptest! {
    /// Through structures, arrays and bits, wherever the whole lies: at a place, near a register, or led to by an address.
    #[test]
    fn a_path_leads_to_what_a_plain_reading_leads_to(
        plain in plain(),
        choices in prop::collection::vec(0..8_usize, 8),
        seed in prop::collection::vec(any::<u8>(), 64),
    ) {
        let mut kinds = Vec::new();
        let of = plain.put(&mut kinds);
        kinds.push(TypeKind::Pointer(Some(of)));
        let pointer = TypeId(kinds.len() - 1);
        let size = plain.bytes();
        let mut memory: Vec<u8> = (0..size as usize).map(|at| seed[at % seed.len()].wrapping_add(u8::try_from(at % 251).expect("a byte"))).collect();
        let (words, wanted) = plain.way(&choices, 0, &memory, "");
        // An address behind the whole leads back to it.
        memory.extend(START.to_le_bytes());
        let everywhere = |place| vec![stay(0, u32::MAX, place)];
        let near = Home::Near(Reg(10), 0);
        let world = world(kinds, vec![
            variable("fixed", of, everywhere(Home::At(Addr(START)))),
            variable("near", of, vec![stay(0x1_0000, 0x1_0004, near)]),
            variable("first", pointer, everywhere(Home::At(Addr(START + size)))),
            variable("held", pointer, everywhere(Home::Value(Some(Reg(10)), 0))),
        ], memory);
        for name in ["fixed", "near"] {
            prop_assert_eq!(value(&world, &format!("{name}{words}")), Ok(wanted), "{}{}", name, words);
        }
        for name in ["first", "held"] {
            // What an address leads to may be named by its parts, or as its element 0.
            let way = match words.strip_prefix('.') {
                Some(rest) => format!("{name}->{rest} + 1 - {name}[0].{rest}"),
                None => format!("{name}[0]{words} + 1 - {name}[0]{words}"),
            };
            prop_assert_eq!(value(&world, &way), Ok(1), "{}", way);
            prop_assert_eq!(value(&world, &format!("{name}[0]{words}")), Ok(wanted), "{}{}", name, words);
        }
        prop_assert_eq!(value(&world, "sizeof(fixed)"), Ok(size.into()));
        prop_assert_eq!(value(&world, "&fixed"), Ok(START.into()));
    }
}

#[test]
fn what_decides_looks_no_further_where_names_become_several_steps() {
    let kinds = vec![TypeKind::Number(2, NumberForm::Signed), TypeKind::Array(TypeId(0), 4), TypeKind::Fraction(4)];
    let list = vec![
        variable("share", TypeId(2), vec![stay(0, u32::MAX, Home::At(Addr(START)))]),
        variable("loads", TypeId(1), vec![stay(0, u32::MAX, Home::At(Addr(START)))]),
        variable("gone", TypeId(0), vec![]),
    ];
    let world = world(kinds, list, vec![5, 0, 0xFE, 0xFF, 7, 0, 0, 0x80]);
    for (text, wanted) in [
        ("loads[0] == 5 && loads[1] == -2 && loads[3] == -32768", 1),
        ("loads[0] == 4 && 1 / 0", 0),
        ("loads[0] == 5 || loads[2] / 0", 1),
        ("loads[loads[0] - 3]", 7),
        ("loads[0] == 4 || loads[(loads[0] == 5 && loads[2] == 7) + 0] == -2", 1),
        ("*loads + 1", 6),
        ("&loads[2] - loads", 4),
        ("[loads]", 0xFFFE_0005),
    ] {
        assert_eq!(value(&world, text), Ok(wanted), "{text}");
    }
    for (text, wanted) in [
        ("gone", "`gone` means nothing at this place"),
        ("share > 3", "`share` has a fraction: it is shown, and not reckoned with"),
        ("loads.x", "an array and has no members"),
        ("loads[0][1]", "a number and has no elements"),
        ("**loads", "a number and is no address"),
        ("loads[9]", "nothing at"),
        ("[loads[0]]", "this is a number and no place"),
        ("loads->", "the name of a member belongs behind `->` at 7"),
        ("loads[1", "a `]` is missing here"),
    ] {
        assert!(value(&world, text).unwrap_err().contains(wanted), "{text}: {:?}", value(&world, text));
    }
}

#[test]
fn what_lies_elsewhere_from_place_to_place_is_found_there() {
    let kinds = vec![TypeKind::Number(1, NumberForm::Signed)];
    let stays = vec![
        stay(0x1_0000, 0x1_0004, Home::Value(Some(Reg(10)), -0x1_1F02)),
        stay(0x1_0004, 0x1_0008, Home::Near(Reg(10), 1)),
        stay(0x1_0008, 0x1_000C, Home::Value(None, -3)),
    ];
    let scope = vec![(Addr(0x1_0000), Addr(0x1_0010))];
    let list = vec![Variable { scope, ..variable("count", TypeId(0), stays) }];
    let mut world = world(kinds, list, vec![1, 0x80]);
    for (next, wanted) in [(0x1_0000, Ok(-2)), (0x1_0004, Ok(-128)), (0x1_0008, Ok(-3))] {
        world.next = next;
        // Of what a register holds the low byte counts, as the type says.
        assert_eq!(value(&world, "count"), wanted, "{next:X}");
    }
    world.next = 0x1_000C;
    assert!(value(&world, "count").unwrap_err().contains("nowhere at this place"));
    world.next = 0x2_0000;
    assert!(value(&world, "count").unwrap_err().contains("belongs to another routine"));
}
