//! What a register's value is, guessed from how the present routine uses the register.
//!
//! A weight of 610 is no place in the code just because there is code at 610. So a value is told as a place only where
//! the routine loads, stores or jumps by its register or puts a label into it, as a character only where it loads or
//! stores bytes with it, and as a number otherwise. What lately wrote the register goes before what else the routine
//! does with it.

use crate::session::Session;
use wendax_isa::{Addr, Reg};
use wendax_machine::Uses;

/// Code looked at around the present place when no labels say where the routine is, in bytes.
const AROUND: u32 = 64;
/// Of a long routine so much on either side, in bytes: this is asked for every frame.
const FURTHEST: u32 = 1024;

/// What a value is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Meaning {
    /// A place in memory.
    Address,
    /// A character.
    Character,
    /// A number.
    Number,
}

/// Registers that are used with a character in the source, one bit each.
fn written_as_characters(session: &Session, from: Addr, to: Addr) -> u32 {
    let lines = &session.image().lines;
    let first = lines.partition_point(|line| line.address < from);
    let here = lines[first..].iter().take_while(|line| line.address < to);
    let with_character = here.filter(|line| {
        let span = line.unfolded.unwrap_or(line.span);
        let text = session.sources().get(span.file).and_then(|file| file.text().get(span.range()));
        text.is_some_and(|text| text.contains('\''))
    });
    let registers = with_character.filter_map(|line| session.machine().instruction_at(line.address));
    registers.map(|insn| insn.uses.reads | insn.uses.writes).fold(0, |all, bits| all | bits)
}

/// What registers hold by the code around the present place.
#[derive(Debug, Clone, Copy)]
pub struct Meanings {
    uses: Uses,
    always_addresses: u32,
    /// Registers that were written lately, and those into which a label was put then.
    lately: (u32, u32),
}

impl Meanings {
    /// Of the routine a walk is in.
    pub fn of(session: &Session) -> Self {
        let (image, machine) = (session.image(), session.machine());
        let target = machine.target();
        let here = session.present_address();
        let around = (here.saturating_sub(AROUND), here.saturating_add(AROUND).min(Addr(target.address_mask())));
        let parts = image.routine_around(here).map_or(vec![around], |routine| routine.parts);
        let is_label = |value: Addr| value >= target.map.vectors_end && image.label_at(value).is_some();
        let mut uses = Uses::default();
        let mut characters = 0;
        for (from, to) in parts {
            let (from, to) = (from.max(here.saturating_sub(FURTHEST)), to.min(here.saturating_add(FURTHEST)));
            if from < to {
                let found = machine.register_uses(target.align(from), to, &is_label);
                uses.addresses |= found.addresses;
                uses.labels |= found.labels;
                uses.characters |= found.characters;
                characters |= written_as_characters(session, from, to);
            }
        }
        uses.characters |= characters & !uses.addresses;
        let frame = target.roles.frame.map_or(0, Reg::bit) | target.roles.link.map_or(0, Reg::bit);
        let mut lately = (0, 0);
        for effects in session.trail().rev() {
            let written = effects.registers.iter().fold(0, |all, change| all | change.register.bit()) & !lately.0;
            let labels = machine.register_uses(effects.pc, effects.pc + effects.length, &is_label).labels;
            lately = (lately.0 | written, lately.1 | labels & written);
        }
        Self { uses, always_addresses: frame | target.roles.stack.bit(), lately }
    }

    /// What a register holds.
    pub fn register(&self, register: Reg) -> Meaning {
        let bit = register.bit();
        match () {
            () if (self.uses.addresses | self.always_addresses) & bit != 0 => Meaning::Address,
            () if self.lately.0 & bit == 0 && self.uses.labels & bit != 0 => Meaning::Address,
            () if self.lately.1 & bit != 0 => Meaning::Address,
            () if self.uses.characters & bit != 0 => Meaning::Character,
            () => Meaning::Number,
        }
    }
}
