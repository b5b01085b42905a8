//! Types, variables and where they lie, out of the debug information of a compiler (DWARF 3 to 5).
//!
//! What is damaged, or said in a way that is not read here, is left out: a program runs without it. Nothing here is done by a
//! function that asks itself, so that no file leads deeper than it is long.

use super::read::Slice;
use crate::image::Image;
use crate::variables::{Bits, Home, Member, NumberForm, Stay, TypeId, TypeKind, Variable, Variables};
use gimli::{
    AttributeValue, BaseAddresses, CfaRule, DebugFrame, DebuggingInformationEntry, Dwarf, Error, Expression, Operation,
    Unit, UnitOffset, UnwindContext, UnwindSection,
};
use std::cell::Cell;
use std::collections::{BTreeMap, HashMap};
use wendax_isa::{Addr, Reg};

/// Types, members, variables and places of them at the most; more are damage.
const MOST: usize = 1 << 18;
/// Names of a type (`typedef`, `const` and the like) are followed so far.
const MOST_NAMES: usize = 64;

type Entry<'d> = DebuggingInformationEntry<Slice<'d>>;

/// A type as it is written: others by where they are told of.
enum Raw {
    Kind(TypeKind),
    /// Another name for it.
    Same(Option<UnitOffset>),
    Pointer(Option<UnitOffset>),
    Array(Option<UnitOffset>, Vec<u32>),
    /// Its bytes, and whether its parts share one place.
    Record(u32, Vec<RawMember>),
}

struct RawMember {
    name: String,
    offset: u32,
    of: Option<UnitOffset>,
    bits: Option<(u64, Option<u64>)>,
}

/// What an entry stands in.
struct Around {
    depth: isize,
    scope: Vec<(Addr, Addr)>,
    frame: Vec<Stay>,
    /// The type whose parts follow.
    of: Option<UnitOffset>,
    /// Of a routine: how much it is handed.
    handed: usize,
    /// What it gives back.
    gives: Option<UnitOffset>,
}

/// A variable whose type is still to be found.
struct Found {
    variable: Variable,
    of: Option<UnitOffset>,
    /// Which of what a routine is handed it is, from 0, and what the routine gives back.
    handed: Option<(usize, Option<UnitOffset>)>,
}

/// What is common to all units.
struct Reader<'a, 'd> {
    dwarf: &'a Dwarf<Slice<'d>>,
    frames: &'a DebugFrame<Slice<'d>>,
    image: &'a Image,
    /// Where the entries of routines end.
    entered: &'a [Addr],
    types: Vec<TypeKind>,
    list: Vec<Variable>,
    taken: usize,
    /// Instructions looked at.
    looked: Cell<usize>,
}

/// All that is told of variables; `entered` are the places, in order, where the entries of routines end.
pub(super) fn variables<'d>(
    dwarf: &Dwarf<Slice<'d>>,
    frames: &DebugFrame<Slice<'d>>,
    image: &Image,
    entered: &[Addr],
) -> Variables {
    let mut reader =
        Reader { dwarf, frames, image, entered, types: Vec::new(), list: Vec::new(), taken: 0, looked: Cell::new(0) };
    let mut units = dwarf.units();
    while let Ok(Some(header)) = units.next() {
        // What is read of a damaged unit stays.
        if let Ok(unit) = dwarf.unit(header) {
            let _ = reader.unit(&unit);
        }
        if reader.taken > MOST {
            break;
        }
    }
    Variables::new(reader.types, reader.list)
}

impl<'d> Reader<'_, 'd> {
    fn unit(&mut self, unit: &Unit<Slice<'d>>) -> Result<(), Error> {
        let mut raw: BTreeMap<UnitOffset, Raw> = BTreeMap::new();
        let mut found: Vec<Found> = Vec::new();
        let mut around = vec![];
        let done = self.entries(unit, &mut raw, &mut found, &mut around);
        let places = self.types_of(raw);
        // Whether all that a routine was handed up to here came in a register each.
        let mut is_plain = true;
        for Found { mut variable, of, handed } in found {
            let Some(&of) = of.and_then(|of| places.get(&of)) else {
                is_plain = false;
                continue;
            };
            variable.of = of;
            if let Some((number, gives)) = handed {
                let kind = |of: TypeId| self.types.get(of.0);
                let gives = gives.and_then(|gives| places.get(&gives)).and_then(|&of| kind(of));
                is_plain = match number {
                    0 => !matches!(gives, Some(TypeKind::Record(..) | TypeKind::Array(..) | TypeKind::Opaque(_))),
                    _ => is_plain,
                };
                is_plain &= match kind(of) {
                    Some(TypeKind::Number(bytes, _) | TypeKind::Enumeration(bytes, ..)) => *bytes <= 4,
                    Some(TypeKind::Pointer(_)) => true,
                    _ => false,
                };
                if is_plain {
                    self.at_entry(&mut variable, number);
                }
            }
            self.list.push(variable);
        }
        done
    }

    /// Up to where the entry of a routine has put it by, what was handed to it is where the convention has it.
    fn at_entry(&self, variable: &mut Variable, number: usize) {
        let Some(&register) = self.image.target.roles.arguments.get(number) else { return };
        let (Some(&(from, _)), Some(first)) = (variable.scope.first(), variable.stays.first()) else { return };
        if from < first.from && matches!(first.place, Home::Near(..)) {
            let to = first.from;
            variable.stays.insert(0, Stay { from, to, place: Home::Value(Some(register), 0) });
        }
    }

    fn entries(
        &mut self,
        unit: &Unit<Slice<'d>>,
        raw: &mut BTreeMap<UnitOffset, Raw>,
        found: &mut Vec<Found>,
        around: &mut Vec<Around>,
    ) -> Result<(), Error> {
        let mut entries = unit.entries();
        while let Some(entry) = entries.next_dfs()? {
            self.taken += 1;
            if self.taken > MOST {
                return Ok(());
            }
            let depth = entry.depth();
            around.retain(|outer| outer.depth < depth);
            let of_type = around.last().filter(|outer| outer.depth + 1 == depth).and_then(|outer| outer.of);
            match entry.tag() {
                gimli::DW_TAG_subprogram | gimli::DW_TAG_lexical_block | gimli::DW_TAG_inlined_subroutine => {
                    let scope = self.scope(unit, entry);
                    let frame = match entry.attr_value(gimli::DW_AT_frame_base) {
                        Some(base) => self.stays(unit, base, &scope, &[]),
                        None => around.last().map(|outer| outer.frame.clone()).unwrap_or_default(),
                    };
                    around.push(Around { depth, scope, frame, of: None, handed: 0, gives: type_of(entry) });
                }
                gimli::DW_TAG_variable | gimli::DW_TAG_formal_parameter => {
                    let outer = around.iter().rev().find(|outer| outer.of.is_none());
                    let (scope, frame) =
                        outer.map_or((&[][..], &[][..]), |outer| (outer.scope.as_slice(), outer.frame.as_slice()));
                    // Of a routine without code nothing is anywhere.
                    if outer.is_none() || !scope.is_empty() {
                        let handed = around.last().filter(|outer| outer.depth + 1 == depth);
                        let handed = handed.filter(|_| entry.tag() == gimli::DW_TAG_formal_parameter);
                        let handed = handed.map(|outer| (outer.handed, outer.gives));
                        found.extend(self.variable(unit, entry, scope, frame).map(|(variable, of)| Found {
                            variable,
                            of,
                            handed,
                        }));
                        if let (Some(_), Some(outer)) = (handed, around.last_mut()) {
                            outer.handed += 1;
                        }
                    }
                }
                gimli::DW_TAG_member => {
                    let member = self.member(unit, entry)?;
                    if let Some(Raw::Record(_, members)) = of_type.and_then(|of| raw.get_mut(&of)) {
                        members.push(member);
                    }
                }
                gimli::DW_TAG_subrange_type => {
                    let count = entry.attr_value(gimli::DW_AT_count).and_then(|count| count.udata_value());
                    let bound = entry.attr_value(gimli::DW_AT_upper_bound).and_then(|bound| bound.udata_value());
                    let count = count.or_else(|| bound.and_then(|bound| bound.checked_add(1))).unwrap_or(0);
                    if let Some(Raw::Array(_, counts)) = of_type.and_then(|of| raw.get_mut(&of)) {
                        counts.push(u32::try_from(count).unwrap_or(0));
                    }
                }
                gimli::DW_TAG_enumerator => {
                    let value = entry.attr_value(gimli::DW_AT_const_value).and_then(|value| value.sdata_value());
                    let name = self.name(unit, entry);
                    if let Some(Raw::Kind(TypeKind::Enumeration(_, is_signed, names))) =
                        of_type.and_then(|of| raw.get_mut(&of))
                        && let (Some(value), Some(name)) = (value, name)
                    {
                        *is_signed |= value < 0;
                        names.push((value, name));
                    }
                }
                _ => {
                    if let Some(kind) = raw_type(entry) {
                        raw.insert(entry.offset(), kind);
                        let of = Some(entry.offset());
                        around.push(Around { depth, scope: vec![], frame: vec![], of, handed: 0, gives: None });
                    }
                }
            }
        }
        Ok(())
    }

    /// The types of a unit, each with its place among all.
    fn types_of(&mut self, raw: BTreeMap<UnitOffset, Raw>) -> HashMap<UnitOffset, TypeId> {
        let first = self.types.len();
        let own: HashMap<UnitOffset, TypeId> =
            raw.keys().enumerate().map(|(index, &offset)| (offset, TypeId(first + index))).collect();
        // Names lead to what they are names of.
        let same: HashMap<UnitOffset, Option<UnitOffset>> = raw
            .iter()
            .filter_map(|(&offset, kind)| if let Raw::Same(of) = kind { Some((offset, *of)) } else { None })
            .collect();
        let find = |of: Option<UnitOffset>| {
            let mut of = of?;
            for _ in 0..MOST_NAMES {
                match same.get(&of) {
                    Some(next) => of = (*next)?,
                    None => return own.get(&of).copied(),
                }
            }
            None
        };
        let places = own.keys().filter_map(|&offset| Some((offset, find(Some(offset))?))).collect();
        let mut more = Vec::new();
        let behind = first + raw.len();
        for kind in raw.into_values() {
            let kind = match kind {
                Raw::Kind(kind) => kind,
                Raw::Same(_) => TypeKind::Opaque(0),
                Raw::Pointer(to) => TypeKind::Pointer(find(to)),
                Raw::Array(of, counts) => match find(of) {
                    None => TypeKind::Opaque(0),
                    Some(mut of) => {
                        // The last index moves fastest: arrays of arrays, the innermost made first.
                        let (outer, inner) = counts.split_first().map_or((0, &[][..]), |(first, rest)| (*first, rest));
                        for &count in inner.iter().rev() {
                            more.push(TypeKind::Array(of, count));
                            of = TypeId(behind + more.len() - 1);
                        }
                        TypeKind::Array(of, outer)
                    }
                },
                Raw::Record(bytes, members) => {
                    let members = members.into_iter().filter_map(|member| {
                        let of = find(member.of)?;
                        let bits = member.bits.and_then(|(count, first)| {
                            let count = u32::try_from(count).ok().filter(|count| (1..=32).contains(count))?;
                            Some(Bits { first: u32::try_from(first?).ok()?, count })
                        });
                        Some(Member { name: member.name, offset: member.offset, of, bits })
                    });
                    TypeKind::Record(bytes, members.collect())
                }
            };
            self.types.push(kind);
        }
        self.types.extend(more);
        places
    }

    fn name(&self, unit: &Unit<Slice<'d>>, entry: &Entry<'d>) -> Option<String> {
        let value = entry.attr_value(gimli::DW_AT_name)?;
        let name = self.dwarf.attr_string(unit, value).ok()?.to_string_lossy().into_owned();
        (!name.is_empty()).then_some(name)
    }

    fn member(&self, unit: &Unit<Slice<'d>>, entry: &Entry<'d>) -> Result<RawMember, Error> {
        let number = |name| entry.attr_value(name).and_then(|value| value.udata_value());
        let mut offset = match entry.attr_value(gimli::DW_AT_data_member_location) {
            Some(AttributeValue::Exprloc(expression)) => match self.operations(unit, expression)?.as_slice() {
                [Operation::PlusConstant { value } | Operation::UnsignedConstant { value }] => *value,
                _ => 0,
            },
            Some(value) => value.udata_value().unwrap_or(0),
            None => 0,
        };
        let mut bits = None;
        if let Some(count) = number(gimli::DW_AT_bit_size) {
            let bytes = number(gimli::DW_AT_byte_size);
            let first = match (number(gimli::DW_AT_data_bit_offset), number(gimli::DW_AT_bit_offset), bytes) {
                (Some(first), ..) => {
                    offset = first / 8;
                    Some(first % 8)
                }
                // Counted from the top of what holds them, in the way of older forms.
                (None, Some(from_top), Some(bytes)) => (bytes * 8).checked_sub(from_top + count),
                _ => Some(0),
            };
            bits = Some((count, first));
        }
        Ok(RawMember {
            name: self.name(unit, entry).unwrap_or_default(),
            offset: u32::try_from(offset).unwrap_or(0),
            of: type_of(entry),
            bits,
        })
    }

    fn variable(
        &mut self,
        unit: &Unit<Slice<'d>>,
        entry: &Entry<'d>,
        scope: &[(Addr, Addr)],
        frame: &[Stay],
    ) -> Option<(Variable, Option<UnitOffset>)> {
        let origin = [gimli::DW_AT_abstract_origin, gimli::DW_AT_specification].into_iter().find_map(|name| {
            let Some(AttributeValue::UnitRef(offset)) = entry.attr_value(name) else { return None };
            unit.entry(offset).ok()
        });
        let name = self.name(unit, entry).or_else(|| self.name(unit, origin.as_ref()?))?;
        let of = type_of(entry).or_else(|| type_of(origin.as_ref()?));
        let location = entry.attr_value(gimli::DW_AT_location);
        let is_declared = entry.attr_value(gimli::DW_AT_declaration).is_some();
        let stays = match (location, entry.attr_value(gimli::DW_AT_const_value)) {
            (Some(location), _) => self.stays(unit, location, scope, frame),
            (None, Some(value)) => {
                let value = value.sdata_value().and_then(|value| i32::try_from(value).ok());
                value.map(|value| everywhere(scope, Home::Value(None, value))).unwrap_or_default()
            }
            (None, None) if is_declared || scope.is_empty() => return None,
            (None, None) => Vec::new(),
        };
        self.taken += stays.len();
        let is_parameter = entry.tag() == gimli::DW_TAG_formal_parameter;
        Some((Variable { name, of: TypeId(0), scope: scope.to_vec(), stays, is_parameter }, of))
    }

    /// The code that an entry is about.
    fn scope(&self, unit: &Unit<Slice<'d>>, entry: &Entry<'d>) -> Vec<(Addr, Addr)> {
        let mut scope = Vec::new();
        if let Ok(mut ranges) = self.dwarf.die_ranges(unit, entry) {
            while let Ok(Some(range)) = ranges.next() {
                let ends = u32::try_from(range.begin).ok().zip(u32::try_from(range.end).ok());
                scope.extend(ends.filter(|(from, to)| from < to).map(|(from, to)| (Addr(from), Addr(to))));
                if scope.len() > MOST_NAMES {
                    break;
                }
            }
        }
        scope.sort_unstable();
        scope
    }

    /// Where something is, by what is said of its place; `frame` is where the frame of the routine is.
    fn stays(
        &self,
        unit: &Unit<Slice<'d>>,
        location: AttributeValue<Slice<'d>>,
        scope: &[(Addr, Addr)],
        frame: &[Stay],
    ) -> Vec<Stay> {
        let mut stays = Vec::new();
        if let AttributeValue::Exprloc(expression) = location {
            let ranges = if scope.is_empty() { vec![(Addr(0), Addr(u32::MAX))] } else { scope.to_vec() };
            for range in ranges {
                self.place(unit, expression, range, frame, true, &mut stays);
            }
        } else if let Ok(Some(mut list)) = self.dwarf.attr_locations(unit, location) {
            while let Ok(Some(entry)) = list.next() {
                let ends = u32::try_from(entry.range.begin).ok().zip(u32::try_from(entry.range.end).ok());
                if let Some((from, to)) = ends.filter(|(from, to)| from < to) {
                    self.place(unit, entry.data, (Addr(from), Addr(to)), frame, false, &mut stays);
                }
                if stays.len() > MOST_NAMES * MOST_NAMES {
                    break;
                }
            }
        }
        stays
    }

    /// One place, for a range of addresses; when it is said once for a whole routine, it holds from the end of its entry on.
    fn place(
        &self,
        unit: &Unit<Slice<'d>>,
        expression: Expression<Slice<'d>>,
        (from, to): (Addr, Addr),
        frame: &[Stay],
        is_for_all: bool,
        stays: &mut Vec<Stay>,
    ) {
        let Ok(operations) = self.operations(unit, expression) else { return };
        let register = |register: &gimli::Register| self.register(*register);
        let small = |value: i64| i32::try_from(value).ok();
        let constant = |value: u64| u32::try_from(value).ok().map(u32::cast_signed);
        let home = match operations.as_slice() {
            [Operation::Address { address }] => u32::try_from(*address).ok().map(|address| Home::At(Addr(address))),
            [Operation::AddressIndex { index }] => {
                let address = self.dwarf.address(unit, *index).ok().and_then(|address| u32::try_from(address).ok());
                address.map(|address| Home::At(Addr(address)))
            }
            [Operation::Register { register: number }] => {
                register(number).map(|register| Home::Value(Some(register), 0))
            }
            [Operation::RegisterOffset { register: number, offset, .. }] => {
                register(number).zip(small(*offset)).map(|(register, offset)| Home::Near(register, offset))
            }
            [Operation::RegisterOffset { register: number, offset, .. }, Operation::StackValue] => {
                register(number).zip(small(*offset)).map(|(register, offset)| Home::Value(Some(register), offset))
            }
            // The address of something by itself.
            [Operation::Address { address }, Operation::StackValue] => {
                constant(*address).map(|value| Home::Value(None, value))
            }
            [Operation::AddressIndex { index }, Operation::StackValue] => {
                let address = self.dwarf.address(unit, *index).ok();
                address.and_then(constant).map(|value| Home::Value(None, value))
            }
            [Operation::UnsignedConstant { value }, Operation::StackValue] => {
                constant(*value).map(|value| Home::Value(None, value))
            }
            [Operation::SignedConstant { value }, Operation::StackValue] => {
                small(*value).map(|value| Home::Value(None, value))
            }
            [Operation::FrameOffset { offset }] => {
                let Some(offset) = small(*offset) else { return };
                let mut from = from;
                if is_for_all {
                    from = self.entered(from, to);
                }
                for stay in frame {
                    let (from, to) = (from.max(stay.from), to.min(stay.to));
                    // What a frame counts from is an address, also where it is told as what a register holds.
                    if let Home::Near(register, more) | Home::Value(Some(register), more) = stay.place
                        && let Some(offset) = more.checked_add(offset)
                        && from < to
                    {
                        self.while_held(Stay { from, to, place: Home::Near(register, offset) }, register, stays);
                    }
                }
                return;
            }
            [Operation::CallFrameCFA] => {
                stays.extend(self.frames_in(from, to));
                return;
            }
            _ => None,
        };
        stays.extend(home.map(|place| Stay { from, to, place }));
    }

    /// Where the entry of a routine ends: where its table of lines says so, else with its second line.
    fn entered(&self, from: Addr, to: Addr) -> Addr {
        let among = |list: &[Addr]| list.get(list.partition_point(|&at| at < from)).copied().filter(|&at| at < to);
        let line = |at: usize| self.image.lines.get(at).map(|line| line.address);
        let second = self.image.lines.partition_point(|line| line.address <= from);
        among(self.entered).or_else(|| line(second).filter(|&at| at < to)).unwrap_or(from)
    }

    fn register(&self, register: gimli::Register) -> Option<Reg> {
        let number = u8::try_from(register.0).ok()?;
        (usize::from(number) < self.image.target.registers.len()).then_some(Reg(number))
    }

    fn operations(
        &self,
        unit: &Unit<Slice<'d>>,
        expression: Expression<Slice<'d>>,
    ) -> Result<Vec<Operation<Slice<'d>>>, Error> {
        let mut operations = expression.operations(unit.encoding());
        let mut all = Vec::new();
        // Nothing that is read here has more of them.
        while let (Some(operation), true) = (operations.next()?, all.len() < 4) {
            all.push(operation);
        }
        Ok(all)
    }

    /// A place near a register, but for the way from where a routine takes the caller's value of that back to where it leaves.
    fn while_held(&self, stay: Stay, register: Reg, stays: &mut Vec<Stay>) {
        let target = self.image.target;
        let (mut from, mut at) = (stay.from, stay.from);
        let mut is_held = true;
        while at < stay.to {
            self.looked.set(self.looked.get() + 1);
            if self.looked.get() > MOST * MOST_NAMES {
                return;
            }
            let bytes = self.image.bytes(at, target.longest_code);
            let Some((length, leads)) = (target.leads)(bytes, at).filter(|(length, _)| *length > 0) else { break };
            let writes = (target.uses)(bytes).is_some_and(|uses| uses.writes >> register.0 & 1 != 0);
            at += length;
            if is_held && writes {
                stays.push(Stay { from, to: at.min(stay.to), ..stay });
                is_held = false;
            }
            if !is_held && !leads.goes_on() {
                (from, is_held) = (at, true);
            }
        }
        if is_held && from < stay.to {
            stays.push(Stay { from, ..stay });
        }
    }

    /// Where the frame lies, by the rows that are kept for finding ways back.
    fn frames_in(&self, from: Addr, to: Addr) -> Vec<Stay> {
        let bases = BaseAddresses::default();
        let mut context = UnwindContext::new();
        let mut stays = Vec::new();
        let Ok(part) = self.frames.fde_for_address(&bases, from.0.into(), DebugFrame::cie_from_offset) else {
            return stays;
        };
        let Ok(mut rows) = part.rows(self.frames, &bases, &mut context) else { return stays };
        while let Ok(Some(row)) = rows.next_row() {
            if let CfaRule::RegisterAndOffset { register, offset } = row.cfa()
                && let (Some(register), Ok(offset)) = (self.register(*register), i32::try_from(*offset))
                && let (Ok(start), Ok(end)) = (u32::try_from(row.start_address()), u32::try_from(row.end_address()))
            {
                let (from, to) = (from.max(Addr(start)), to.min(Addr(end)));
                if from < to {
                    stays.push(Stay { from, to, place: Home::Near(register, offset) });
                }
            }
            if stays.len() > MOST_NAMES * MOST_NAMES {
                break;
            }
        }
        stays
    }
}

/// The same place all over some code.
fn everywhere(scope: &[(Addr, Addr)], place: Home) -> Vec<Stay> {
    if scope.is_empty() {
        return vec![Stay { from: Addr(0), to: Addr(u32::MAX), place }];
    }
    scope.iter().map(|&(from, to)| Stay { from, to, place }).collect()
}

fn type_of(entry: &Entry<'_>) -> Option<UnitOffset> {
    match entry.attr_value(gimli::DW_AT_type) {
        Some(AttributeValue::UnitRef(offset)) => Some(offset),
        _ => None,
    }
}

/// The type that an entry tells of, when it tells of one.
fn raw_type(entry: &Entry<'_>) -> Option<Raw> {
    let number = |name| entry.attr_value(name).and_then(|value| value.udata_value());
    let bytes = number(gimli::DW_AT_byte_size).and_then(|bytes| u32::try_from(bytes).ok()).unwrap_or(0);
    let encoding = match entry.attr_value(gimli::DW_AT_encoding) {
        Some(AttributeValue::Encoding(encoding)) => Some(encoding),
        _ => None,
    };
    Some(match entry.tag() {
        gimli::DW_TAG_base_type => {
            let form = match encoding {
                Some(gimli::DW_ATE_unsigned | gimli::DW_ATE_address) => Some(NumberForm::Unsigned),
                Some(gimli::DW_ATE_signed) => Some(NumberForm::Signed),
                Some(gimli::DW_ATE_boolean) => Some(NumberForm::Truth),
                Some(gimli::DW_ATE_unsigned_char) => Some(NumberForm::Character(false)),
                Some(gimli::DW_ATE_signed_char) => Some(NumberForm::Character(true)),
                Some(gimli::DW_ATE_UTF) => Some(NumberForm::Character(false)),
                _ => None,
            };
            Raw::Kind(match form.filter(|_| matches!(bytes, 1 | 2 | 4 | 8)) {
                Some(form) => TypeKind::Number(bytes, form),
                None if encoding == Some(gimli::DW_ATE_float) && matches!(bytes, 4 | 8) => TypeKind::Fraction(bytes),
                None => TypeKind::Opaque(bytes),
            })
        }
        gimli::DW_TAG_enumeration_type => Raw::Kind(match bytes {
            1 | 2 | 4 | 8 => TypeKind::Enumeration(bytes, false, Vec::new()),
            _ => TypeKind::Opaque(bytes),
        }),
        gimli::DW_TAG_pointer_type | gimli::DW_TAG_reference_type | gimli::DW_TAG_rvalue_reference_type => {
            Raw::Pointer(type_of(entry))
        }
        gimli::DW_TAG_typedef
        | gimli::DW_TAG_const_type
        | gimli::DW_TAG_volatile_type
        | gimli::DW_TAG_restrict_type
        | gimli::DW_TAG_atomic_type => Raw::Same(type_of(entry)),
        gimli::DW_TAG_array_type => Raw::Array(type_of(entry), Vec::new()),
        gimli::DW_TAG_structure_type | gimli::DW_TAG_union_type | gimli::DW_TAG_class_type => {
            Raw::Record(bytes, Vec::new())
        }
        gimli::DW_TAG_subroutine_type | gimli::DW_TAG_unspecified_type => Raw::Kind(TypeKind::Opaque(0)),
        _ => return None,
    })
}
