//! Instructions decoded once, one slot for each even address, as far as code reaches.
//!
//! A slot that was never decoded, or whose code was written, says so and is decoded when it is next run.
//! A breakpoint is a patched slot, so it costs nothing elsewhere; so is an instruction that a run looks out for.

use super::PAGE_WORDS;
use super::hook::Tables;
use super::interest::Interest;
use super::swift::COVERED;
use rustc_hash::FxHashMap;
use wendax_isa::RegisterUse;
use wendax_isa::w16::{Insn, Op};

macro_rules! kinds {
    ($($op:ident)*) => {
        /// What the engine does with a slot: one flat list, so that it is one jump through a table.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        #[repr(u8)]
        pub(super) enum Kind {
            Undecoded,
            Breakpoint,
            /// An instruction that does what is looked out for.
            Watched,
            /// `a` and `b` together have a bit for each state of the flags in which it is taken.
            Jump,
            $($op),*
        }

        impl Kind {
            fn of(op: Op) -> Self {
                match op {
                    Op::Jump(_) => Self::Jump,
                    $(Op::$op => Self::$op),*
                }
            }
        }
    };
}

kinds! {
    Nop Halt Ret Reti Ei Di Brk PushFl PopFl Sys Mov Add Adc Sub Sbc Cmp And Or Xor Tst Shl Shr Asr Mul Div Mod
    Not Neg Swapb Extb Rlc Rrc Push Pop CallReg JmpReg Mulh Mulhs Divs Mods Swap Ldw Ldb Ldsb Lea Stw Stb Djnz Call
}

/// A decoded instruction. Operations with a constant have no register in the place of `b`, so that the sum
/// of that register and the constant serves all encodings.
#[derive(Debug, Clone, Copy)]
#[repr(C, align(8))]
pub(super) struct Slot {
    pub(super) kind: Kind,
    pub(super) a: u8,
    pub(super) b: u8,
    /// Cycles of a step, without the one for a jump that is taken.
    pub(super) cycles: u8,
    /// Constant, offset, call number, or absolute target of a jump.
    pub(super) value: u16,
    /// Address of the following instruction.
    pub(super) next: u16,
}

const UNDECODED: Slot = Slot { kind: Kind::Undecoded, a: 0, b: 0, cycles: 0, value: 0, next: 0 };
const BREAKPOINT: Slot = Slot { kind: Kind::Breakpoint, ..UNDECODED };

impl Slot {
    pub(super) fn new(insn: Insn, address: u16) -> Self {
        let value = match insn.op() {
            Op::Jump(_) | Op::Djnz | Op::Call => insn.target(address),
            _ => insn.value,
        };
        let [a, b] = match insn.op() {
            Op::Jump(cond) => {
                let states = (0..16).filter(|&flags| cond.holds(flags)).map(|flags| 1 << flags).sum::<u16>();
                states.to_le_bytes()
            }
            _ => [insn.a & 0xF, insn.b & 0xF],
        };
        Self {
            kind: Kind::of(insn.op()),
            a,
            b,
            cycles: insn.row().cycles,
            value,
            next: address.wrapping_add(insn.bytes()),
        }
    }
}

impl Slot {
    /// It is a jump that is taken whatever the flags are.
    pub(super) fn always_jumps(self) -> bool {
        self.kind == Kind::Jump && self.a & self.b == 0xFF
    }
}

#[derive(Debug, Clone)]
pub(super) struct Slots {
    table: Vec<Slot>,
    /// What several of them do in one go.
    pub(super) groups: Tables,
    breakpoints: Vec<u16>,
    /// What instructions are patched for.
    interest: Interest,
    /// The instruction here is decoded as it is, whatever it is patched for.
    plain: Option<u16>,
    /// The instruction here is being stepped over, its patch taken out.
    unpatched: Option<u16>,
    /// Patched instructions as they are, and whether they are of interest: to be stepped over without decoding them
    /// each time. Nothing of it outlives a change of code.
    originals: FxHashMap<u16, (Slot, bool)>,
    /// What all instructions use that were decoded since the table was cleared; those that ran since are among them.
    used: RegisterUse,
}

impl Slots {
    pub(super) fn new() -> Self {
        Self {
            table: Vec::new(),
            groups: Tables::default(),
            breakpoints: Vec::new(),
            interest: Interest::default(),
            plain: None,
            unpatched: None,
            originals: FxHashMap::default(),
            used: RegisterUse::default(),
        }
    }

    /// All that were ever needed; the others were never decoded.
    #[inline]
    pub(super) fn table(&self) -> &[Slot] {
        &self.table
    }

    /// The slot at an address.
    pub(super) fn at(&self, address: u16) -> Slot {
        self.table.get(usize::from(address >> 1)).copied().unwrap_or(UNDECODED)
    }

    fn set(&mut self, address: u16, slot: Slot) {
        let index = usize::from(address >> 1);
        if index >= self.table.len() {
            self.table.resize((index + 1).next_multiple_of(PAGE_WORDS), UNDECODED);
        }
        self.table[index] = slot;
        self.groups.forget(index, 1, COVERED);
    }

    pub(super) fn set_breakpoints(&mut self, addresses: &[u16]) {
        if self.breakpoints == addresses {
            return;
        }
        for address in std::mem::take(&mut self.breakpoints) {
            self.set(address, UNDECODED);
        }
        self.breakpoints = addresses.to_vec();
        for &address in addresses {
            self.set(address, BREAKPOINT);
        }
    }

    /// Instructions of interest are patched from now on, and no others.
    pub(super) fn set_interest(&mut self, interest: Interest) {
        if self.interest == interest {
            return;
        }
        self.interest = interest;
        self.forget_all();
    }

    /// Takes an instruction in, decoded.
    pub(super) fn fill(&mut self, address: u16, insn: Insn) {
        self.used = self.used.with(insn.uses());
        let mut slot = Slot::new(insn, address);
        let is_wanted = self.interest.wants(insn);
        if is_wanted || self.unpatched == Some(address) {
            self.originals.insert(address, (slot, is_wanted));
        }
        if self.plain != Some(address) && is_wanted {
            slot.kind = Kind::Watched;
        }
        self.set(address, slot);
    }

    pub(super) fn used(&self) -> RegisterUse {
        self.used
    }

    /// All instructions are decoded anew when they run the next time.
    pub(super) fn clear(&mut self) {
        self.used = RegisterUse::default();
        self.forget_all();
    }

    pub(super) fn is_patched(&self, address: u16) -> bool {
        address & 1 == 0 && matches!(self.at(address).kind, Kind::Breakpoint | Kind::Watched)
    }

    pub(super) fn is_breakpoint(&self, address: u16) -> bool {
        address & 1 == 0 && self.at(address).kind == Kind::Breakpoint
    }

    /// The slot without its breakpoint, and as the instruction is when `plain`, until [`Self::patch`].
    pub(super) fn unpatch(&mut self, address: u16, plain: bool) -> Slot {
        self.plain = plain.then_some(address);
        self.unpatched = Some(address);
        let known = match self.originals.get(&address) {
            Some((slot, is_wanted)) if plain || !is_wanted => *slot,
            _ => UNDECODED,
        };
        let patched = self.at(address);
        self.set(address, known);
        patched
    }

    /// Puts back what [`Self::unpatch`] took out. Code that changed meanwhile is decoded anew by whoever changed it.
    pub(super) fn patch(&mut self, address: u16, slot: Slot) {
        (self.plain, self.unpatched) = (None, None);
        self.set(address, slot);
    }

    /// A byte of code changed: the instruction there, and one of two words that begins just before it,
    /// are decoded anew.
    pub(super) fn forget(&mut self, address: u16) {
        self.originals.clear();
        for changed in [address, address.wrapping_sub(2)] {
            self.forget_slots(usize::from(changed >> 1), 1);
        }
    }

    fn forget_all(&mut self) {
        self.originals.clear();
        self.forget_slots(0, self.table.len());
    }

    pub(super) fn forget_page(&mut self, page: usize) {
        self.originals.clear();
        let first = page * PAGE_WORDS;
        let from = first.saturating_sub(1);
        self.forget_slots(from, first + PAGE_WORDS - from);
    }

    fn forget_slots(&mut self, from: usize, count: usize) {
        self.groups.forget(from, count, COVERED);
        for index in from..(from + count).min(self.table.len()) {
            if self.table[index].kind != Kind::Breakpoint {
                self.table[index] = UNDECODED;
            }
        }
    }
}
