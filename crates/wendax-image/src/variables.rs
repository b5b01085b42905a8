//! Variables of programs that compilers made: what they are called, of which type, and where they lie at which place of the
//! code. Nothing here reads a file, and nothing here looks at a run.

use std::collections::BTreeMap;
use wendax_isa::{Addr, Reg, Target};

/// Types within types are followed so far; what is deeper is shown as bytes.
pub const DEEPEST_TYPE: usize = 32;

/// A type, by its place among those of a program.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct TypeId(pub usize);

/// How a number is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NumberForm {
    /// From 0 on.
    Unsigned,
    /// With a sign, in two's complement.
    Signed,
    /// True unless it is 0.
    Truth,
    /// A sign of a text; below zero when the top bit is set and the flag says so.
    Character(bool),
}

/// Some bits of a number, as members of structures may be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bits {
    /// The lowest, from 0.
    pub first: u32,
    /// How many, from 1.
    pub count: u32,
}

/// A part of a structure.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Member {
    /// As it is written.
    pub name: String,
    /// Bytes from the beginning of the structure.
    pub offset: u32,
    /// What it is.
    pub of: TypeId,
    /// It is these bits only of what lies there.
    pub bits: Option<Bits>,
}

/// What values of a type are made of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TypeKind {
    /// A number of 1, 2, 4 or 8 bytes.
    Number(u32, NumberForm),
    /// A number of so many bytes, signed or not, of which some have names.
    Enumeration(u32, bool, Vec<(i64, String)>),
    /// A number with a fraction, in 4 or 8 bytes (IEEE 754).
    Fraction(u32),
    /// The address of something; `None` where nothing is said of it.
    Pointer(Option<TypeId>),
    /// So many of one kind, one behind the other.
    Array(TypeId, u32),
    /// Parts, in so many bytes.
    Record(u32, Vec<Member>),
    /// So many bytes of which nothing more is known here.
    Opaque(u32),
}

/// A variable's place while the next instruction lies from one address up to before another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Stay {
    /// The first address.
    pub from: Addr,
    /// The one behind the last.
    pub to: Addr,
    /// Where it is then.
    pub place: Home,
}

/// Where a variable is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Home {
    /// In memory, there.
    At(Addr),
    /// In memory, so many bytes from where a register points to.
    Near(Reg, i32),
    /// Nowhere: it is what a register holds (0 without one) and so much more.
    Value(Option<Reg>, i32),
}

/// A variable of a program.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Variable {
    /// As it is written.
    pub name: String,
    /// What it is.
    pub of: TypeId,
    /// Where its name means it, from the first address to the one behind the last; everywhere without any.
    pub scope: Vec<(Addr, Addr)>,
    /// Where it is while what is next; a single one for the whole of memory where it stays. It is nowhere where none says so.
    pub stays: Vec<Stay>,
    /// It is handed to the routine.
    pub is_parameter: bool,
}

impl Variable {
    /// Where it is while the instruction at an address is next.
    pub fn home(&self, next: Addr) -> Option<Home> {
        self.stays.iter().find(|stay| stay.from <= next && next < stay.to).map(|stay| stay.place)
    }

    /// The address it has all the time, when it has one.
    pub fn fixed(&self) -> Option<Addr> {
        match (self.scope.is_empty(), self.stays.as_slice()) {
            (_, [Stay { place: Home::At(address), .. }]) => Some(*address),
            _ => None,
        }
    }

    /// How many bytes of code its name reaches over; the one that reaches over the fewest is meant.
    fn reach(&self) -> u64 {
        if self.scope.is_empty() {
            return u64::MAX;
        }
        self.scope.iter().map(|(from, to)| u64::from(*to - *from)).sum()
    }

    fn is_known_at(&self, place: Addr) -> bool {
        self.scope.is_empty() || self.scope.iter().any(|(from, to)| (*from..*to).contains(&place))
    }
}

/// Some cells of memory by what they are of a program's.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cell {
    /// The variable and the part of it: `wagons[2].load`.
    pub name: String,
    /// Its type, when it is neither more nor less than those cells.
    pub of: Option<TypeId>,
}

/// Types and variables of a program.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Variables {
    types: Vec<TypeKind>,
    list: Vec<Variable>,
    names: BTreeMap<String, Vec<usize>>,
    /// Names of numbers.
    constants: BTreeMap<String, i64>,
    /// Those that stay at an address, by that.
    fixed: BTreeMap<Addr, usize>,
    /// Where names of routines mean something, by the first address, with the furthest end of all up to there.
    scopes: Vec<(Addr, Addr, usize)>,
    furthest: Vec<Addr>,
}

impl Variables {
    /// Those of a list, with the types that they speak of; what speaks of types that are not there is left out.
    pub fn new(types: Vec<TypeKind>, mut list: Vec<Variable>) -> Self {
        list.retain(|variable| variable.of.0 < types.len());
        let mut names: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (number, variable) in list.iter().enumerate() {
            names.entry(variable.name.clone()).or_default().push(number);
        }
        let mut constants = BTreeMap::new();
        for kind in &types {
            if let TypeKind::Enumeration(.., named) = kind {
                constants.extend(named.iter().map(|(value, name)| (name.clone(), *value)));
            }
        }
        let fixed = list.iter().enumerate().filter_map(|(number, variable)| Some((variable.fixed()?, number)));
        let fixed = fixed.collect();
        let scope_of = |(number, variable): (usize, &Variable)| {
            variable.scope.iter().map(|&(from, to)| (from, to, number)).collect::<Vec<_>>()
        };
        let mut scopes: Vec<_> = list.iter().enumerate().flat_map(scope_of).collect();
        scopes.sort_unstable();
        let furthest = scopes.iter().scan(Addr::FIRST, |furthest, &(_, to, _)| {
            *furthest = to.max(*furthest);
            Some(*furthest)
        });
        let furthest = furthest.collect();
        Self { types, list, names, constants, fixed, scopes, furthest }
    }

    /// The number that has a name among those of a type.
    pub fn constant(&self, name: &str) -> Option<i64> {
        self.constants.get(name).copied()
    }

    /// There are none.
    pub fn is_empty(&self) -> bool {
        self.list.is_empty()
    }

    /// The variable that a name means at a place of the code: of several the innermost.
    pub fn named(&self, name: &str, place: Addr) -> Option<&Variable> {
        let known = self.names.get(name)?.iter().filter_map(|&number| self.list.get(number));
        known.filter(|variable| variable.is_known_at(place)).min_by_key(|variable| variable.reach())
    }

    /// Some variable has this name, at whatever place.
    pub fn is_known(&self, name: &str) -> bool {
        self.names.contains_key(name)
    }

    /// All variables of a name as one, which is at each place what the name means there; `None` when there is none, or when they
    /// are of several types.
    pub fn anywhere(&self, name: &str) -> Option<Variable> {
        let mut known: Vec<&Variable> = self.names.get(name)?.iter().filter_map(|&at| self.list.get(at)).collect();
        known.sort_by_key(|variable| variable.reach());
        let mut whole = (*known.first()?).clone();
        for other in &known[1..] {
            if other.of != whole.of {
                return None;
            }
            whole.scope.extend(&other.scope);
            whole.stays.extend(&other.stays);
        }
        Some(whole)
    }

    /// What lies at an address that stays where it is: `train`, `train.loads`, `wagons[2].load`. Of what lies at the same
    /// address the smallest part is named that has so many bytes; the whole, when none are said.
    pub fn part_at(&self, address: Addr, bytes: Option<u32>, target: &Target) -> Option<Cell> {
        let (&start, &number) = self.fixed.range(..=address).next_back()?;
        let variable = self.list.get(number)?;
        let offset = address - start;
        (offset < self.bytes(variable.of, target)).then(|| self.part(variable, offset, bytes, target))
    }

    /// The part of a variable that lies so many bytes behind its beginning; see [`Self::part_at`].
    pub fn part(&self, variable: &Variable, offset: u32, bytes: Option<u32>, target: &Target) -> Cell {
        let (mut name, mut of, mut offset) = (variable.name.clone(), variable.of, offset);
        for _ in 0..DEEPEST_TYPE {
            if offset == 0 && bytes.is_none_or(|bytes| self.bytes(of, target) <= bytes) {
                let is_whole = bytes.is_none_or(|bytes| self.bytes(of, target) == bytes);
                return Cell { name, of: is_whole.then_some(of) };
            }
            match self.kind(of) {
                TypeKind::Array(each, _) => {
                    let size = self.bytes(*each, target);
                    let Some(index) = offset.checked_div(size) else { break };
                    name = format!("{name}[{index}]");
                    (of, offset) = (*each, offset % size);
                }
                TypeKind::Record(_, members) => {
                    let holds = |member: &&Member| {
                        let bytes = member.bits.map(|bits| (bits.first + bits.count).div_ceil(8));
                        let end = member.offset.saturating_add(bytes.unwrap_or_else(|| self.bytes(member.of, target)));
                        (member.offset..end).contains(&offset) && !member.name.is_empty()
                    };
                    let Some(member) = members.iter().find(holds) else { break };
                    name = format!("{name}.{}", member.name);
                    (of, offset) = (member.of, offset - member.offset);
                }
                _ => break,
            }
        }
        Cell { name: if offset == 0 { name } else { format!("{name} + {offset}") }, of: None }
    }

    /// What names of its routine mean at a place of the code, those of what was handed to it first, in the order of the program.
    pub fn locals_at(&self, place: Addr) -> Vec<&Variable> {
        let mut numbers = Vec::new();
        let mut at = self.scopes.partition_point(|&(from, ..)| from <= place);
        while at > 0 && self.furthest[at - 1] > place {
            at -= 1;
            let (_, to, number) = self.scopes[at];
            numbers.extend((place < to).then_some(number));
        }
        numbers.sort_unstable();
        numbers.dedup();
        let known = numbers.into_iter().filter_map(|number| self.list.get(number));
        // Of several with one name the innermost is meant.
        let is_meant =
            |variable: &&Variable| self.named(&variable.name, place).is_some_and(|one| std::ptr::eq(one, *variable));
        let mut known: Vec<&Variable> = known.filter(is_meant).collect();
        known.sort_by_key(|variable| !variable.is_parameter);
        known
    }

    /// The names of all of them.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.names.keys().map(String::as_str)
    }

    /// What a type is made of.
    pub fn kind(&self, of: TypeId) -> &TypeKind {
        self.types.get(of.0).unwrap_or(&TypeKind::Opaque(0))
    }

    /// Bytes of a value of a type of a program for a machine.
    pub fn bytes(&self, of: TypeId, target: &Target) -> u32 {
        let (mut of, mut times) = (of, 1_u32);
        for _ in 0..DEEPEST_TYPE {
            let each = match self.kind(of) {
                TypeKind::Number(bytes, _)
                | TypeKind::Fraction(bytes)
                | TypeKind::Enumeration(bytes, ..)
                | TypeKind::Record(bytes, _)
                | TypeKind::Opaque(bytes) => *bytes,
                TypeKind::Pointer(_) => target.address_bits.div_ceil(8),
                TypeKind::Array(each, count) => {
                    (of, times) = (*each, times.saturating_mul(*count));
                    continue;
                }
            };
            return each.saturating_mul(times);
        }
        0
    }

    /// How a value of a type is loaded when it is one number: its bytes, and whether it is read with a sign.
    pub fn number(&self, of: TypeId, target: &Target) -> Option<(u32, bool)> {
        match self.kind(of) {
            TypeKind::Number(bytes, form) => {
                Some((*bytes, matches!(form, NumberForm::Signed | NumberForm::Character(true))))
            }
            TypeKind::Enumeration(bytes, is_signed, _) => Some((*bytes, *is_signed)),
            TypeKind::Pointer(_) => Some((self.bytes(of, target), false)),
            TypeKind::Array(..) | TypeKind::Record(..) | TypeKind::Fraction(_) | TypeKind::Opaque(_) => None,
        }
    }

    /// The type a pointer or an array leads to.
    pub fn element(&self, of: TypeId) -> Option<TypeId> {
        match self.kind(of) {
            TypeKind::Pointer(to) => *to,
            TypeKind::Array(each, _) => Some(*each),
            _ => None,
        }
    }

    /// The members of a structure.
    pub fn members(&self, of: TypeId) -> &[Member] {
        match self.kind(of) {
            TypeKind::Record(_, members) => members,
            _ => &[],
        }
    }

    /// What a type is, in a few words: `4 × 16 bytes`, `a structure`, `an address`.
    pub fn words(&self, of: TypeId) -> &'static str {
        match self.kind(of) {
            TypeKind::Number(..) => "a number",
            TypeKind::Fraction(_) => "a number with a fraction",
            TypeKind::Enumeration(..) => "a number with names",
            TypeKind::Pointer(_) => "an address",
            TypeKind::Array(..) => "an array",
            TypeKind::Record(..) => "a structure",
            TypeKind::Opaque(_) => "bytes of a kind that is not read here",
        }
    }

    /// Values of a type are signs of texts.
    pub fn is_character(&self, of: TypeId) -> bool {
        matches!(self.kind(of), TypeKind::Number(1, NumberForm::Character(_)))
    }
}
