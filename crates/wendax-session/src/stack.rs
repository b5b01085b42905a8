//! The stack read word by word.

use wendax_isa::{Addr, Reg};
use wendax_machine::{CellState, Frame, FrameKind, Machine, Note};

/// What a word of the stack is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WordKind {
    /// The way back from a routine that is still active.
    Return(Frame),
    /// A register put by, by its index.
    Saved(Reg),
    /// The flags put by.
    Flags,
    /// Anything else.
    Other,
    /// Nothing was ever written there.
    NeverWritten,
}

/// A word of the stack.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StackWord {
    /// Its address.
    pub address: Addr,
    /// Its value.
    pub value: u32,
    /// What it is.
    pub kind: WordKind,
    /// How many routines are active below it: 0 for those of the outermost code.
    pub depth: usize,
}

/// At most `most` words from the stack pointer up to the end of the region it points into; none when
/// it points nowhere.
pub fn read_stack(machine: &Machine, most: usize) -> Vec<StackWord> {
    let target = machine.target();
    let step = target.word_bytes();
    let top = machine.stack_pointer();
    let regions = machine.regions();
    let Some(region) = regions.iter().find(|region| region.contains(top)) else { return Vec::new() };
    top.up_to(region.end()).step_by(step as usize).take(most).map(|address| word(machine, address)).collect()
}

fn word(machine: &Machine, address: Addr) -> StackWord {
    let frames = machine.frames();
    // A way back lies where its routine was entered, or where that put it by.
    let has_link = machine.target().roles.link.is_some();
    let is_of = |frame: &&Frame| {
        if has_link { frame.slot > address && frame.back.0 == machine.word(address) } else { frame.slot == address }
    };
    let frame = frames.iter().rev().find(is_of);
    let kind = match (frame, machine.note(address)) {
        (Some(frame), Note::Return) => WordKind::Return(*frame),
        _ if machine.cell(address) == CellState::NeverWritten => WordKind::NeverWritten,
        (_, Note::Register(register)) => WordKind::Saved(register),
        (_, Note::Flags) => WordKind::Flags,
        (_, Note::Return | Note::Other) => WordKind::Other,
    };
    let depth = frames.iter().filter(|frame| frame.slot > address).count();
    StackWord { address, value: machine.word(address), kind, depth }
}

/// How a routine was entered, in a word.
pub(crate) fn entered(frame: &Frame) -> String {
    match frame.kind {
        FrameKind::Call => "call".to_owned(),
        FrameKind::Trap(number) => format!("trap {number:X}"),
        FrameKind::Interrupt(number) => format!("interrupt {number:X}"),
    }
}
