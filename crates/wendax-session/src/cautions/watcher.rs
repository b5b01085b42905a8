//! Who looks at each step of a run for what looks wrong.
//!
//! A [`Watcher`] remembers of the run what mistakes are known by: who wrote each register and from what, what each routine
//! found when it was entered, which comparison and which failure nobody has looked at yet. What it is told of a step is the
//! machine's report; the machine itself it does not ask. All is said by what `Target` and `Sort` say of any machine.

use super::facts::{Facts, Known};
use crate::explain::is_jumped_to;
use crate::instruction::reads_values;
use crate::session::Session;
use rustc_hash::FxHashMap;
use std::ops::ControlFlow;
use wendax_isa::{Addr, Reg, StepNo, Target};
use wendax_language::CautionKind;
use wendax_machine::{Frame, FrameKind, Machine, Observer, Order, Report, Sort, StepKind, Write};

/// Registers of a machine, at most.
const REGISTERS: usize = 32;

/// A loop that leaves words on the stack is told of after so many rounds.
const ROUNDS: u32 = 100;

/// A counter that has the same value so many times when it is looked at is set anew in each round.
const TIMES: u8 = 3;

/// Something that looks wrong at a step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Caution {
    /// What.
    pub kind: CautionKind,
    /// The step that does it.
    pub step: StepNo,
    /// Its instruction.
    pub pc: Addr,
    /// Where it began: the step that set it off, and its instruction.
    pub began: Option<(StepNo, Addr)>,
    /// The register it is about.
    pub register: Option<Reg>,
    /// The place it is about: a label, a routine.
    pub place: Option<Addr>,
    /// Two numbers that belong to it, by its kind: see `words`.
    pub values: [u32; 2],
    /// How often it came so far.
    pub times: u64,
}

/// What is remembered of a register.
#[derive(Debug, Clone, Copy)]
struct Held {
    value: u32,
    /// The step that wrote it last, and its instruction; none when no step did, or a person since.
    writer: Option<(StepNo, Addr)>,
    sort: Sort,
    /// Who had written it before that.
    before: Option<(StepNo, Addr)>,
    before_sort: Sort,
    /// It is an address made from this label.
    label: Option<u32>,
    /// It was loaded from there.
    from: Option<Addr>,
}

/// Registers of which something is so, a bit each: what is asked of every step is asked of these first.
#[derive(Debug, Clone, Copy, Default)]
struct Which {
    /// They were ever set.
    set: u32,
    /// They are addresses made from a label.
    labelled: u32,
    /// A routine wrote them that has returned, and what its caller had there was something else: see `State::spoiled`.
    spoiled: u32,
    /// They come from a call that failed, of which nobody has looked.
    failed: u32,
    /// They hold numbers that may be below 0: written so, given so in the data, or typed so.
    signed: u32,
    /// They hold what was loaded in another width than the source gives it in.
    glued: u32,
    /// The present routine only added to what it found in them: they are what its caller counts or sums in.
    added: u32,
}

impl Which {
    fn put(place: &mut u32, register: Reg, is_so: bool) {
        let bit = 1 << (register.0 % 32);
        *place = if is_so { *place | bit } else { *place & !bit };
    }

    /// Nothing is known of a register any more.
    fn forget(&mut self, register: Reg) {
        let Self { set, labelled, spoiled, failed, added, signed, glued } = self;
        for place in [set, labelled, spoiled, failed, added, signed, glued] {
            Self::put(place, register, false);
        }
    }
}

#[derive(Debug, Clone, Copy)]
struct Spoiled {
    by: (StepNo, Addr),
    routine: Addr,
    /// Who had written it for the caller.
    before: Option<Addr>,
}

/// What a routine found when it was entered.
#[derive(Debug, Clone)]
struct Entered {
    frame: Frame,
    values: [u32; REGISTERS],
    writers: [Option<Addr>; REGISTERS],
    is_set: u32,
    /// What was open when an interrupt came.
    open: Open,
}

/// What nobody has looked at yet.
#[derive(Debug, Clone, Copy, Default)]
struct Open {
    /// The flags are those of a comparison with 0.
    with_zero: bool,
    /// A comparison.
    compared: Option<(StepNo, Addr)>,
    /// A comparison whose flags another instruction wrote over: both.
    lost: Option<((StepNo, Addr), (StepNo, Addr))>,
    /// A call that failed.
    failed: Option<Failed>,
    /// A register that went from 0 to the largest number.
    wrapped: Option<(Reg, StepNo, Addr)>,
    /// A sum of what was loaded from here that did not fit, and left a carry.
    carried: Option<(Addr, StepNo, Addr)>,
    /// What was compared last.
    sides: Option<Sides>,
    /// A routine went on into another one, and its result is not yet read or written over.
    ran_on: Option<RanOn>,
    /// The register that was added to last, or taken from, with no flags set since.
    stepped: Option<Reg>,
}

/// Two values that were compared.
#[derive(Debug, Clone, Copy)]
struct Sides {
    values: [u32; 2],
    /// Both may be below 0.
    are_signed: bool,
    /// One is the address of a label.
    has_address: bool,
    by: (StepNo, Addr),
}

/// A routine that went on into another one.
#[derive(Debug, Clone, Copy)]
struct RanOn {
    by: (StepNo, Addr),
    from: Addr,
    into: Addr,
    depth: usize,
}

#[derive(Debug, Clone, Copy)]
struct Failed {
    by: (StepNo, Addr),
    number: u32,
    /// The flags, or the register, that tell.
    flags: u32,
    teller: Option<Reg>,
    /// What tells was written over: it cannot be looked at any more.
    is_gone: bool,
}

/// A loop as it was seen last at the jump back.
#[derive(Debug, Clone, Copy, Default)]
struct Round {
    value: u32,
    stack: u32,
    depth: usize,
    /// The step of the jump.
    step: StepNo,
    same: u8,
    deeper: u32,
}

/// What is remembered of a run.
#[derive(Debug, Clone)]
pub(super) struct State {
    target: &'static Target,
    registers: [Held; REGISTERS],
    which: Which,
    /// What spoiled registers, where `which` says so.
    spoiled: [Option<Spoiled>; REGISTERS],
    frames: Vec<Entered>,
    open: Open,
    /// Loops by the instruction that jumps back, as it is numbered by the facts.
    rounds: Vec<Option<Round>>,
    /// Where each load was last that read in another width than the source gives, by the instruction.
    widths: FxHashMap<Addr, Addr>,
    /// The step before: its instruction, what that is for, and whether it went on at the following one.
    before: Option<(Addr, Sort, bool)>,
    /// The stack was moved elsewhere: what was entered cannot be told from it any more.
    is_elsewhere: bool,
}

impl State {
    /// At a machine's moment.
    pub(super) fn new(machine: &Machine) -> Self {
        let nothing = Held {
            value: 0,
            writer: None,
            sort: Sort::Other,
            before: None,
            before_sort: Sort::Other,
            label: None,
            from: None,
        };
        let mut state = Self {
            target: machine.target(),
            registers: [nothing; REGISTERS],
            which: Which::default(),
            spoiled: [None; REGISTERS],
            frames: Vec::new(),
            open: Open::default(),
            rounds: Vec::new(),
            widths: FxHashMap::default(),
            before: None,
            is_elsewhere: false,
        };
        state.look_again(machine);
        for frame in machine.frames() {
            state.enter(*frame);
        }
        state
    }

    /// What registers hold may have been changed from outside.
    pub(super) fn look_again(&mut self, machine: &Machine) {
        for (register, _) in self.target.registers() {
            let (value, is_set) = (machine.register(register), machine.register_known(register));
            let held = &mut self.registers[register.index()];
            let was_set = self.which.set >> register.0 & 1 != 0;
            if (held.value, was_set) != (value, is_set) {
                *held = Held { value, label: None, from: None, ..*held };
                held.writer = None;
                self.which.forget(register);
                Which::put(&mut self.which.set, register, is_set);
            }
        }
    }

    fn held(&self, register: Reg) -> &Held {
        &self.registers[register.index() % REGISTERS]
    }

    fn enter(&mut self, frame: Frame) {
        let mut entered = Entered {
            frame,
            values: [0; REGISTERS],
            writers: [None; REGISTERS],
            is_set: self.which.set,
            open: Open::default(),
        };
        for (index, held) in self.registers.iter().enumerate() {
            entered.values[index] = held.value;
            entered.writers[index] = held.writer.map(|writer| writer.1);
        }
        if frame.kind != FrameKind::Call {
            entered.open = std::mem::take(&mut self.open);
        }
        self.frames.push(entered);
    }
}

/// Looks at the steps of a run, and hands on what looks wrong.
pub(super) struct Watcher<'a> {
    pub(super) state: &'a mut State,
    pub(super) facts: &'a mut Facts,
    pub(super) session: &'a Session,
    pub(super) tell: &'a mut dyn FnMut(Caution),
}

impl Observer for Watcher<'_> {
    const WRITES: bool = true;
    const READS: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        // What stands there was decoded once; code that was written over since is decoded anew.
        let at = match report.kind {
            StepKind::Instruction | StepKind::Call(_) => self.facts.find(self.session, report.pc, report.code),
            StepKind::Interrupt(_) | StepKind::Trap(_) => None,
        };
        let mut look = Look { state: self.state, facts: self.facts, session: self.session, tell: self.tell };
        let Some((at, known)) = at.map(|at| (at, look.facts.known(at))) else {
            look.take(report, None);
            look.follow_frames(report, None);
            look.state.before = None;
            return ControlFlow::Continue(());
        };
        look.before(report, known);
        look.take(report, Some(known));
        if known.decides {
            look.rounds(report, known, at);
        }
        if matches!(known.sort, Sort::Return | Sort::HandlerReturn) && !look.state.is_elsewhere {
            look.returned(report, known);
        }
        look.follow_frames(report, Some(known));
        look.state.before = Some((report.pc, known.sort, report.fell_through()));
        ControlFlow::Continue(())
    }
}

/// The look at one step.
struct Look<'a> {
    state: &'a mut State,
    facts: &'a Facts,
    session: &'a Session,
    tell: &'a mut dyn FnMut(Caution),
}

impl Look<'_> {
    fn tell(&mut self, kind: CautionKind, report: &Report, began: Option<(StepNo, Addr)>) -> Caution {
        let (step, pc) = (report.step, report.pc);
        Caution { kind, step, pc, began, register: None, place: None, values: [0; 2], times: 1 }
    }

    fn say(&mut self, caution: Caution) {
        (self.tell)(caution);
    }

    // ---- what is wrong with the values a step finds

    fn before(&mut self, report: &Report, known: &Known) {
        let target = self.state.target;
        let call = match report.kind {
            StepKind::Call(number) => target.call(number),
            _ => None,
        };
        let mut reads = known.reads;
        // Of other calls some arguments are looked at only by what others say.
        for (register, _) in call.filter(|call| call.is_own).map_or(&[][..], |call| call.takes) {
            reads |= 1 << register.0;
        }
        self.never_set(report, known, reads);
        // What neither counts, compares, decides nor touches flags has no part in most of it.
        if known.decides || self.state.open.failed.is_some() {
            self.carried(report, known);
            self.relied(report, known, reads);
            self.looked(report, known, reads);
            self.compared(report, known);
            self.glued(report, known);
        }
        if known.is_called || self.state.open.ran_on.is_some() {
            self.ran_on(report, known, reads);
        }
        if let Some(call) = call {
            self.given(report, call);
        }
        self.touched(report, known);
        if let Some((pc, _, true)) = self.state.before.filter(|_| known.is_data) {
            let caution = self.tell(CautionKind::IntoData, report, Some((report.step - 1u64, pc)));
            self.say(caution);
        }
    }

    fn never_set(&mut self, report: &Report, known: &Known, reads: u32) {
        let mut reads = reads_values(known.sort, reads, self.state.target);
        reads &= !self.state.which.set & !self.state.target.roles.zero.map_or(0, |zero| 1 << zero.0);
        while reads != 0 {
            let register = Reg::at(reads.trailing_zeros() as usize);
            reads &= reads - 1;
            let value = self.state.held(register).value;
            let caution = self.tell(CautionKind::NeverSet, report, None);
            self.say(Caution { register: Some(register), values: [value, 0], ..caution });
        }
    }

    /// A counter or sum that a routine changed meanwhile.
    fn relied(&mut self, report: &Report, known: &Known, reads: u32) {
        if reads & self.state.which.spoiled == 0 || !matches!(known.sort, Sort::Sum | Sort::CountDown) {
            return;
        }
        let Some(register) = known.written.filter(|register| reads & (1 << register.0) != 0) else { return };
        let Some(spoiled) = self.state.spoiled[register.index() % REGISTERS] else { return };
        if known.sort == Sort::CountDown || spoiled.before == Some(report.pc) {
            let caution = self.tell(CautionKind::Relied, report, Some(spoiled.by));
            self.say(Caution { register: Some(register), place: Some(spoiled.routine), ..caution });
        }
    }

    /// The carry between the words of a number, which the sum of the next words does not take.
    fn carried(&mut self, report: &Report, known: &Known) {
        if known.sort != Sort::Sum {
            return;
        }
        // It is of the step just before, or of none that matters.
        let carried = self.state.open.carried.filter(|carried| carried.1 + 1u64 == report.step);
        let Some(from) = known.written.and_then(|register| self.state.held(register).from) else { return };
        if known.reads.count_ones() < 2 {
            return;
        }
        if let Some((low, step, pc)) = carried.filter(|carried| from == carried.0 + self.state.target.word_bytes()) {
            let caution = self.tell(CautionKind::Carry, report, Some((step, pc)));
            self.say(Caution { place: Some(low), ..caution });
        }
        let carry = self.state.target.flags.iter().find(|flag| flag.name == 'C').map_or(0, |flag| flag.bit);
        if report.flags.touched & report.flags.new & carry != 0 {
            self.state.open.carried = Some((from, report.step, report.pc));
        }
    }

    /// A failed call, and a comparison, of which nobody has looked.
    fn looked(&mut self, report: &Report, known: &Known, reads: u32) {
        if let Some(failed) = &mut self.state.open.failed {
            let teller = failed.teller.map_or(0, |register| 1 << register.0);
            let looks = known.flags_read & failed.flags != 0
                || (reads & teller != 0 && !failed.is_gone)
                || matches!(known.sort, Sort::Compare(_) | Sort::Branch(_));
            if looks {
                self.forgive();
            } else {
                let overwrites = known.flags_written & failed.flags != 0 || known.writes & teller != 0;
                failed.is_gone |= overwrites || matches!(report.kind, StepKind::Call(_));
                let (is_gone, by, number) = (failed.is_gone, failed.by, failed.number);
                let used = reads & self.state.which.failed;
                let passes_on = matches!(known.sort, Sort::Copy | Sort::Push) || matches!(known.sort, Sort::Store(..));
                if used != 0 && is_gone && !passes_on {
                    let register = Reg::at(used.trailing_zeros() as usize);
                    let caution = self.tell(CautionKind::Unlooked, report, Some(by));
                    self.say(Caution { register: Some(register), values: [number, 0], ..caution });
                    self.forgive();
                }
            }
        }
        let open = &mut self.state.open;
        let is_above_zero = match known.sort {
            Sort::Branch(Order::AboveZero) => true,
            Sort::Branch(Order::Unsigned) => open.with_zero && known.flags_read.is_power_of_two(),
            _ => false,
        };
        if is_above_zero {
            let began = open.compared;
            let caution = self.tell(CautionKind::Settled, report, began);
            self.say(Caution { values: [u32::from(!report.fell_through()), 0], ..caution });
        }
        let open = &mut self.state.open;
        if known.flags_written != 0 {
            open.with_zero = known.sort == Sort::Compare(Some(0));
        }
        if known.flags_read != 0 {
            let lost = open.lost.take();
            open.compared = None;
            if let Some((compared, by)) = lost.filter(|_| matches!(known.sort, Sort::Branch(_))) {
                let caution = self.tell(CautionKind::Overwritten, report, Some(by));
                self.say(Caution { place: Some(compared.1), ..caution });
            }
        } else if matches!(known.sort, Sort::Compare(_)) {
            (open.compared, open.lost) = (Some((report.step, report.pc)), None);
        } else if known.sets_result_flags
            && let Some(compared) = open.compared.take()
        {
            open.lost = Some((compared, (report.step, report.pc)));
        } else if known.sets_result_flags {
            open.lost = None;
        }
    }

    /// A jump by the order of two values that are in another order with a sign, or without one.
    fn compared(&mut self, report: &Report, known: &Known) {
        let sides = match known.sort {
            Sort::Compare(constant) => {
                self.state.open.sides = self.sides(report, known, constant);
                return;
            }
            Sort::Branch(Order::Signed | Order::Unsigned) if known.flags_read == 0 => self.sides(report, known, None),
            Sort::Branch(_) => self.state.open.sides,
            _ => {
                if known.flags_written != 0 {
                    self.state.open.sides = None;
                }
                return;
            }
        };
        let Some(sides) = sides else { return };
        let top = 1 << (self.state.target.word_bits - 1);
        let differs = (sides.values[0] ^ sides.values[1]) & top != 0;
        let is_wrong = match known.sort {
            // Whether it is N or C alone that is looked at: that tells the sign.
            Sort::Branch(Order::Unsigned) => sides.are_signed,
            Sort::Branch(Order::Signed) => sides.has_address,
            _ => false,
        };
        if differs && is_wrong {
            let caution = self.tell(CautionKind::Signs, report, Some(sides.by));
            self.say(Caution { values: sides.values, ..caution });
        }
    }

    /// What an instruction compares: two registers, or one with a constant.
    fn sides(&self, report: &Report, known: &Known, constant: Option<u32>) -> Option<Sides> {
        let which = &self.state.which;
        let by = (report.step, report.pc);
        let reads = known.reads;
        let first = reads.trailing_zeros() as usize;
        let other = 31usize.checked_sub(reads.leading_zeros() as usize)?;
        let of = |at: usize| self.state.registers[at % REGISTERS].value;
        let is = |set: u32| set & reads == reads;
        let (values, are_signed) = match constant {
            Some(constant) => ([of(first), constant], is(which.signed) && known.writes_minus),
            None if reads.count_ones() == 2 => ([of(first), of(other)], is(which.signed)),
            None => return None,
        };
        Some(Sides { values, are_signed, has_address: reads & which.labelled != 0, by })
    }

    /// A routine that runs on into another one, which writes over what it left as its result.
    fn ran_on(&mut self, report: &Report, known: &Known, reads: u32) {
        let depth = self.state.frames.len();
        if let Some(ran) = self.state.open.ran_on {
            let result = self.state.target.roles.results.first().map_or(0, |result| 1 << result.0);
            let is_gone = depth < ran.depth || reads & result != 0 || known.sort == Sort::Return;
            if depth == ran.depth && reads & result == 0 && known.writes & result != 0 {
                let caution = self.tell(CautionKind::RunsOn, report, Some(ran.by));
                self.say(Caution { place: Some(ran.into), values: [ran.from.0, 0], ..caution });
                self.state.open.ran_on = None;
            } else if is_gone {
                self.state.open.ran_on = None;
            }
            return;
        }
        let Some((pc, _, true)) = self.state.before.filter(|_| known.is_called) else { return };
        let Some(entered) = self.state.frames.last().filter(|entered| entered.frame.kind == FrameKind::Call) else {
            return;
        };
        let (frame, into) = (entered.frame, report.pc);
        let result = self.state.target.roles.results.first().map(|result| self.state.held(*result).writer);
        let is_left = result.flatten().is_some_and(|writer| writer.0 > frame.step);
        if frame.target != into && is_left {
            let by = (report.step - 1u64, pc);
            self.state.open.ran_on = Some(RanOn { by, from: frame.target, into, depth });
            // Its first instruction may be the one already.
            self.ran_on(report, known, reads);
        }
    }

    /// What was read in another width is reckoned with.
    fn glued(&mut self, report: &Report, known: &Known) {
        let glued = known.reads & self.state.which.glued;
        if glued == 0 || !matches!(known.sort, Sort::Sum | Sort::Compare(_)) {
            return;
        }
        let register = Reg::at(glued.trailing_zeros() as usize);
        let held = *self.state.held(register);
        if let Some((from, numbers)) =
            held.from.and_then(|from| Some((from, self.facts.numbers_at(self.session, from)?)))
        {
            let caution = self.tell(CautionKind::Width, report, held.writer);
            self.say(Caution {
                register: Some(register),
                place: Some(from),
                values: [numbers.unit, held.value],
                ..caution
            });
        }
        Which::put(&mut self.state.which.glued, register, false);
    }

    /// A load goes over an array in another width than the source gives: for the second time, one word further on.
    fn is_glued(&mut self, report: &Report, at: Addr, bytes: u32, value: u32) -> bool {
        let word = self.state.target.word_bytes();
        let Some(numbers) = self.facts.numbers_at(self.session, at) else { return false };
        let is_wide = bytes == word && numbers.unit == 1;
        // A byte of a word that holds more than that.
        let is_narrow = bytes == 1 && numbers.unit == word && at.is_multiple_of(word);
        if !is_wide && !is_narrow {
            return false;
        }
        let last = self.state.widths.insert(report.pc, at);
        let loses = is_wide || value != Facts::given(self.session, at);
        last.is_some_and(|last| last + word == at) && loses
    }

    /// The failure was looked at, or told of.
    fn forgive(&mut self) {
        self.state.open.failed = None;
        self.state.which.failed = 0;
    }

    /// What a call of the system is given.
    fn given(&mut self, report: &Report, call: &'static wendax_isa::SystemCall) {
        let named = |word: &str| call.takes.iter().find(|(_, what)| *what == word).map(|(register, _)| *register);
        let is_filled = call.name != "file_write" && call.name != "write";
        let size = named("capacity").or_else(|| named("count"));
        if let (Some(buffer), Some(size), true) = (named("buffer"), size, is_filled) {
            let (at, size) = (*self.state.held(buffer), self.state.held(size).value);
            if let Some((start, end)) = at.label.and_then(|label| self.facts.extent(label))
                && start.0 <= at.value
                && at.value < end.0
                && u64::from(at.value) + u64::from(size) > u64::from(end.0)
            {
                let caution = self.tell(CautionKind::Room, report, at.writer);
                self.say(Caution { place: Some(start), values: [end.0 - at.value, size], ..caution });
            }
        }
        if let ("put_text", Some(text)) = (call.name, named("address")) {
            let at = *self.state.held(text);
            let printed = u32::try_from(report.printed).unwrap_or(u32::MAX);
            if let Some((start, end)) = self.facts.extent_around(Addr(at.value))
                && !report.failed
                && at.value.saturating_add(printed) >= end.0
            {
                let caution = self.tell(CautionKind::NoEnd, report, at.writer);
                self.say(Caution { place: Some(start), values: [end.0 - start.0, printed], ..caution });
            }
        }
        if let ("put_int" | "put_uint", Some(value)) = (call.name, named("value")) {
            let at = *self.state.held(value);
            if let Some((start, _)) = at.label.and_then(|label| self.facts.extent(label)) {
                let caution = self.tell(CautionKind::Address, report, at.writer);
                self.say(Caution { register: Some(value), place: Some(start), values: [at.value, 0], ..caution });
            }
        }
    }

    /// What a load or store touches.
    fn touched(&mut self, report: &Report, known: &Known) {
        let (base, at) = match known.sort {
            Sort::Load(base) => (base, report.reads.first().copied()),
            Sort::Store(base, _) => (base, report.writes.iter().find_map(place_of)),
            _ => return,
        };
        let Some((at, bytes)) = at else { return };
        let held = base.map(|base| *self.state.held(base));
        let label = held.and_then(|held| held.label).or_else(|| known.label_at(held.map_or(0, |held| held.value), at));
        let Some((start, end)) = label.and_then(|label| self.facts.extent(label)) else { return };
        if at >= start && u64::from(at.0) + u64::from(bytes) > u64::from(end.0) {
            let began = held.filter(|held| held.label.is_some()).and_then(|held| held.writer);
            let caution = self.tell(CautionKind::Beyond, report, began);
            self.say(Caution { place: Some(start), register: base, values: [at.0, end.0 - start.0], ..caution });
        }
    }

    // ---- what a step leaves

    /// Takes in what a step wrote.
    fn take(&mut self, report: &Report, known: Option<&Known>) {
        let writer = Some((report.step, report.pc));
        let sort = known.map_or(Sort::Other, |known| known.sort);
        for write in &report.writes {
            let Write::Register { register, new, .. } = *write else { continue };
            let label = known.and_then(|known| self.label_of(known, new));
            let failed = sort == Sort::Copy && known.is_some_and(|known| known.reads & self.state.which.failed != 0);
            self.moves_stack(register, new, sort);
            // A sum goes on from what was there: it is the same counter or pointer, further on.
            let bit = 1u32 << (register.0 % 32);
            let adds = sort == Sort::Sum && known.is_some_and(|known| known.reads & bit != 0);
            let entered = self.state.frames.last().map(|entered| entered.frame.step);
            let held = self.state.held(register);
            let is_as_found = held.writer.is_none_or(|writer| entered.is_none_or(|entered| writer.0 <= entered));
            let is_added = adds && (is_as_found || self.state.which.added & bit != 0);
            let read = report.reads.first().filter(|_| matches!(sort, Sort::Load(_))).copied();
            let from = read.map(|read| read.0);
            let signed = self.may_be_signed(known, new, from, report);
            let glued = read.is_some_and(|(at, bytes)| self.is_glued(report, at, bytes, new));
            let held = &mut self.state.registers[register.index() % REGISTERS];
            let (before, before_sort) = (held.writer, held.sort);
            *held = Held { value: new, writer, sort, before, before_sort, label, from };
            let which = &mut self.state.which;
            Which::put(&mut which.set, register, true);
            Which::put(&mut which.labelled, register, label.is_some());
            Which::put(&mut which.spoiled, register, false);
            Which::put(&mut which.failed, register, failed);
            Which::put(&mut which.added, register, is_added);
            Which::put(&mut which.signed, register, signed);
            Which::put(&mut which.glued, register, glued);
        }
        if let (StepKind::Call(number), true) = (report.kind, report.failed) {
            self.failed(report, number, known);
        }
    }

    /// The label of a value that an instruction makes, when it is an address.
    fn label_of(&self, known: &Known, value: u32) -> Option<u32> {
        match known.sort {
            Sort::Constant => known.label_near(value),
            Sort::Copy | Sort::Sum => match known.reads & self.state.which.labelled {
                0 => known.label_near(value),
                labelled => self.state.registers[labelled.trailing_zeros() as usize % REGISTERS].label,
            },
            _ => None,
        }
    }

    /// A register gets a number that may be below 0, as its source says: written so, given so, typed so, or copied from such.
    fn may_be_signed(&self, known: Option<&Known>, value: u32, from: Option<Addr>, report: &Report) -> bool {
        let Some(known) = known else { return false };
        match known.sort {
            Sort::Constant => known.writes_minus && self.state.target.signed(value) < 0,
            Sort::Copy => known.reads & self.state.which.signed != 0,
            Sort::Load(_) => {
                from.and_then(|from| self.facts.numbers_at(self.session, from)).is_some_and(|numbers| numbers.has_minus)
            }
            _ => {
                let call = match report.kind {
                    StepKind::Call(number) => self.state.target.call(number),
                    _ => None,
                };
                call.is_some_and(|call| call.name == "get_int") && self.state.target.signed(value) < 0
            }
        }
    }

    /// The stack pointer is set otherwise than by what belongs to a stack.
    fn moves_stack(&mut self, register: Reg, new: u32, sort: Sort) {
        if register != self.state.target.roles.stack || !matches!(sort, Sort::Copy | Sort::Load(_) | Sort::Constant) {
            return;
        }
        let old = self.state.held(register).value;
        let takes_off = self.state.frames.last().is_none_or(|entered| old <= new && new <= entered.frame.slot.0);
        self.state.is_elsewhere |= !takes_off;
    }

    fn failed(&mut self, report: &Report, number: u32, known: Option<&Known>) {
        let roles = self.state.target.roles;
        let flags = known.map_or(0, |known| known.flags_written);
        let is_own = self.state.target.call(number).is_some_and(|call| call.is_own);
        let teller = match flags {
            0 if is_own => roles.results.get(1),
            0 => roles.results.first(),
            _ => None,
        };
        self.forgive();
        let by = (report.step, report.pc);
        self.state.open.failed = Some(Failed { by, number, flags, teller: teller.copied(), is_gone: false });
        if let Some(result) = roles.results.first() {
            Which::put(&mut self.state.which.failed, *result, true);
        }
    }

    // ---- where a step goes

    /// A return, looked at before its frame is left.
    fn returned(&mut self, report: &Report, known: &Known) {
        let pushed = matches!(self.state.before, Some((_, Sort::Push, _)));
        let pushed = pushed && is_jumped_to(self.session.image(), report.next);
        let stack = self.state.target.roles.stack;
        let old = report.writes.iter().find_map(|write| match write {
            Write::Register { register, old, .. } if *register == stack => Some(*old),
            _ => None,
        });
        let at = old.unwrap_or_else(|| self.state.held(stack).value);
        let Some(entered) = self.state.frames.last() else {
            if !pushed {
                let caution = self.tell(CautionKind::WayBack, report, None);
                self.say(Caution { values: [at, report.next.0], ..caution });
            }
            return;
        };
        let frame = entered.frame;
        // A handler may go back behind what waited for it, or elsewhere on purpose.
        let takes_it = frame.back == report.next || frame.kind != FrameKind::Call;
        let is_its_kind = (frame.kind == FrameKind::Call) == (known.sort == Sort::Return);
        if frame.slot.0 == at && takes_it && is_its_kind {
            self.kept(report);
        } else if takes_it && is_its_kind && self.state.target.roles.link.is_some() {
            let caution = self.tell(CautionKind::Uneven, report, None);
            self.say(Caution { place: Some(frame.target), values: [at, frame.slot.0], ..caution });
        } else if !(pushed && known.sort == Sort::Return) {
            let caution = self.tell(CautionKind::WayBack, report, None);
            self.say(Caution { place: Some(frame.target), values: [at, report.next.0], ..caution });
        }
    }

    /// What a routine that returns should have given back, and what its caller must not count on.
    fn kept(&mut self, report: &Report) {
        let Some(entered) = self.state.frames.last() else { return };
        let (values, is_set, writers, frame) = (entered.values, entered.is_set, entered.writers, entered.frame);
        let target = self.state.target;
        let mut wrong = Vec::new();
        for (register, info) in target.registers() {
            let index = register.index() % REGISTERS;
            let held = &mut self.state.registers[index];
            let is_apart = register == target.roles.stack
                || Some(register) == target.roles.zero
                || Some(register) == target.roles.link;
            let Some(writer) = held.writer.filter(|writer| writer.0 > frame.step) else { continue };
            if is_apart || is_set >> index & 1 == 0 || held.value == values[index] {
                continue;
            }
            let (kind, by) = match frame.kind {
                FrameKind::Call if info.kept && self.state.which.added >> index & 1 != 0 => continue,
                FrameKind::Call if info.kept => (CautionKind::Kept, writer),
                FrameKind::Interrupt(_) => (CautionKind::Handler, writer),
                FrameKind::Call if !target.roles.results.contains(&register) && held.sort != Sort::Sum => {
                    let (by, before) = (writer, writers[index]);
                    self.state.spoiled[index] = Some(Spoiled { by, routine: frame.target, before });
                    Which::put(&mut self.state.which.spoiled, register, true);
                    continue;
                }
                _ => continue,
            };
            wrong.push((kind, register, by, [values[index], held.value]));
        }
        for (kind, register, by, values) in wrong {
            let caution = self.tell(kind, report, Some(by));
            self.say(Caution { register: Some(register), place: Some(frame.target), values, ..caution });
        }
    }

    fn follow_frames(&mut self, report: &Report, known: Option<&Known>) {
        if self.state.frames.len() == report.depth {
            return;
        }
        while self.state.frames.len() > report.depth {
            let left = self.state.frames.pop();
            if let Some(left) = left.filter(|left| left.frame.kind != FrameKind::Call) {
                self.state.open = left.open;
            }
        }
        if self.state.frames.len() < report.depth {
            let kind = match report.kind {
                StepKind::Interrupt(number) => FrameKind::Interrupt(number),
                StepKind::Trap(number) => FrameKind::Trap(number),
                StepKind::Instruction | StepKind::Call(_) => FrameKind::Call,
            };
            let slot = Addr(self.state.held(self.state.target.roles.stack).value);
            let back = report.pc + known.map_or(0, |known| known.length);
            let frame = Frame { slot, back, site: report.pc, target: report.next, step: report.step, kind };
            self.state.enter(frame);
            while self.state.frames.len() < report.depth {
                self.state.enter(frame);
            }
        }
    }

    /// Loops: what a count-down begins with, counters that are set in each round, stacks that grow.
    fn rounds(&mut self, report: &Report, known: &Known, at: usize) {
        if !matches!(known.sort, Sort::Sum | Sort::CountDown | Sort::Branch(_) | Sort::Jump) {
            if known.flags_written != 0 {
                self.state.open.stepped = None;
            }
            return;
        }
        let wrapped = self.state.open.wrapped.filter(|wrapped| wrapped.1 + 1u64 == report.step);
        let jumps_back = report.length > 0 && report.next <= report.pc;
        let zero_to_most = |write: &Write| match *write {
            Write::Register { register, old: 0, new, .. } if new == self.state.target.word_mask() => Some(register),
            _ => None,
        };
        let at_zero = report.writes.iter().find_map(zero_to_most);
        match known.sort {
            Sort::CountDown => {
                if let Some(register) = at_zero {
                    let began = self.state.held(register).before;
                    let caution = self.tell(CautionKind::FromZero, report, began);
                    self.say(Caution { register: Some(register), ..caution });
                }
            }
            Sort::Sum => {
                self.state.open.wrapped = at_zero.map(|register| (register, report.step, report.pc));
                self.state.open.stepped = known.written.filter(|register| known.reads >> register.0 & 1 != 0);
            }
            Sort::Branch(_) => {
                if let Some((register, step, pc)) = wrapped.filter(|(register, ..)| {
                    jumps_back && (known.reads >> register.0 & 1 != 0 || known.flags_read != 0)
                }) {
                    let caution = self.tell(CautionKind::FromZero, report, Some((step, pc)));
                    self.say(Caution { register: Some(register), ..caution });
                }
            }
            _ => {}
        }
        if !matches!(known.sort, Sort::CountDown | Sort::Branch(_) | Sort::Jump) {
            return;
        }
        if self.state.rounds.len() <= at {
            self.state.rounds.resize(at + 1, None);
        }
        if !jumps_back {
            self.state.rounds[at] = None;
            return;
        }
        let stack = self.state.held(self.state.target.roles.stack).value;
        let counter = match known.sort {
            Sort::CountDown => known.written,
            _ => self.state.open.stepped.filter(|register| known.flags_read != 0 || known.reads >> register.0 & 1 != 0),
        };
        let depth = self.state.frames.len();
        let value = counter.map_or(0, |register| self.state.held(register).value);
        let last = self.state.rounds[at].filter(|last| last.depth == depth);
        let mut round = Round { value, stack, depth, step: report.step, ..Round::default() };
        if let Some(last) = last {
            round.deeper = if stack < last.stack { last.deeper.saturating_add(1) } else { 0 };
            let held = counter.map(|register| *self.state.held(register));
            let is_counted = |held: &Held| matches!(held.sort, Sort::Sum | Sort::CountDown);
            let anew = held.filter(|held| is_counted(held) && held.before_sort == Sort::Constant);
            let anew = anew.and_then(|held| held.before);
            let anew = anew.filter(|set| set.0 > last.step);
            round.same = if anew.is_some() && last.value == value { last.same.saturating_add(1) } else { 0 };
            if round.same == TIMES
                && let Some(register) = counter
            {
                let caution = self.tell(CautionKind::SetAnew, report, anew);
                self.say(Caution { register: Some(register), values: [value, 0], ..caution });
            }
            if round.deeper == ROUNDS {
                let caution = self.tell(CautionKind::Growing, report, None);
                self.say(Caution { values: [last.stack - stack, ROUNDS], ..caution });
            }
        }
        self.state.rounds[at] = Some(round);
    }
}

/// Where a step wrote memory, and how many bytes.
fn place_of(write: &Write) -> Option<(Addr, u32)> {
    match *write {
        Write::Memory { address, length, .. } | Write::Buffer { address, length, .. } => Some((address, length)),
        _ => None,
    }
}
