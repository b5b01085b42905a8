//! Which programs are alike beyond names and registers.
//!
//! Of each program the sequences of a few instructions are taken, without registers and labels, as far as they lie in its
//! code; two are as alike as the part of those of the smaller one that both have. What more than half of all programs have,
//! such as what was handed out to them, says nothing and is left aside.

use crate::subject::Subject;
use rustc_hash::{FxHashMap, FxHashSet, FxHasher};
use std::hash::{Hash, Hasher};
use std::ops::Range;
use wendax_isa::Target;
use wendax_language::{Lexeme, lexemes};
use wendax_machine::by_chance;

/// Instructions of a sequence.
const LENGTH: usize = 5;

/// Programs of fewer sequences of their own are not compared: small ones are alike by themselves.
const FEWEST: usize = 8;

/// Programs of which what most have is left aside, at least.
const MANY: usize = 4;

/// The sequences of a program.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Shape(FxHashSet<u64>);

/// Two programs that are alike.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Alike {
    /// The number of one of them.
    pub one: usize,
    /// That of the other one.
    pub other: usize,
    /// Of 100 sequences of the smaller one so many are those of the other one, too.
    pub percent: u8,
}

impl Shape {
    /// That of a program.
    pub fn of(subject: &Subject) -> Self {
        let words = instructions(subject);
        Self(words.windows(LENGTH).map(|words| hash(&words)).collect())
    }
}

fn hash(value: &impl Hash) -> u64 {
    let mut hasher = FxHasher::default();
    value.hash(&mut hasher);
    by_chance(hasher.finish(), 0)
}

/// The instructions of a program in order of address, each by what it does, whatever registers it does that with.
fn instructions(subject: &Subject) -> Vec<u64> {
    let target = subject.target();
    let mut words = Vec::new();
    let mut known: FxHashMap<&[u8], Option<u64>> = FxHashMap::default();
    for part in subject.image.segments.iter().filter(|part| part.rights.execute && !part.reserved) {
        let mut at = 0;
        while at < part.bytes.len() {
            let rest = &part.bytes[at..];
            let address = part.start + u32::try_from(at).unwrap_or(u32::MAX);
            let length = (target.leads)(rest, address).map_or(target.code_align, |(length, _)| length).max(1) as usize;
            // What its bytes say is said once: of labels nothing is told but that there is one.
            let word = *known.entry(rest.get(..length).unwrap_or(rest)).or_insert_with(|| {
                let text = (target.text)(rest, address, &|_| Some("label".to_owned()));
                text.map(|text| hash(&plain(&text, target)))
            });
            words.extend(word);
            at += length;
        }
    }
    words
}

/// The text of an instruction without its registers.
fn plain(text: &str, target: &Target) -> String {
    let is_register = |(range, lexeme): &(Range<usize>, Lexeme)| {
        *lexeme == Lexeme::Register && target.register(&text[range.clone()]).is_some()
    };
    let mut out = text.to_owned();
    // From behind, so that places before it stay.
    for (range, _) in lexemes(text, target).into_iter().rev().filter(is_register) {
        out.replace_range(range, "r");
    }
    out
}

/// The programs that are alike by so much or more, the most alike first.
pub fn alike(shapes: &[Option<Shape>], percent: u8) -> Vec<Alike> {
    let mut count: FxHashMap<u64, usize> = FxHashMap::default();
    for shape in shapes.iter().flatten() {
        for &sequence in &shape.0 {
            *count.entry(sequence).or_default() += 1;
        }
    }
    let there = shapes.iter().flatten().count();
    let is_own = |sequence: &u64| there < MANY || count.get(sequence).is_none_or(|count| *count * 2 <= there);
    let own: Vec<Option<FxHashSet<u64>>> = shapes
        .iter()
        .map(|shape| {
            let own: FxHashSet<u64> = shape.as_ref()?.0.iter().copied().filter(|it| is_own(it)).collect();
            (own.len() >= FEWEST).then_some(own)
        })
        .collect();
    let mut found = Vec::new();
    for (one, first) in own.iter().enumerate() {
        for (other, second) in own.iter().enumerate().skip(one + 1) {
            let (Some(first), Some(second)) = (first, second) else { continue };
            let (less, more) = if first.len() <= second.len() { (first, second) } else { (second, first) };
            let common = less.iter().filter(|sequence| more.contains(sequence)).count();
            let part = u8::try_from(common * 100 / less.len().max(1)).unwrap_or(100);
            if part >= percent {
                found.push(Alike { one, other, percent: part });
            }
        }
    }
    found.sort_by_key(|alike| (std::cmp::Reverse(alike.percent), alike.one, alike.other));
    found
}
