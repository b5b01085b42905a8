//! What the next step will do, in plain words, with the values as they are.
//!
//! Results are never guessed: they are what a fork of the machine did and reported. Only the wording is computed here,
//! and why flags become what they become. This is the one place right of the machine that knows its instructions, those of
//! each machine in a part of its own (`rv32`; the others here are the W16's); what any account needs beside them is in
//! `words`.

mod arithmetic;
mod cause;
mod figure;
mod rv32;

pub use cause::fault_causes;

use crate::effects::{Effects, MemoryChange, observe};
use crate::instruction::{code_text, instruction_text, reads_values, written};
use crate::journey::State;
use crate::meaning::{Meaning, Meanings};
use crate::questions::{LastWriter, last_write};
use crate::session::Session;
use crate::stack::entered;
use crate::stops::Thing;
use crate::words::{
    by_hand_words, failure, file_words, interrupt_words, line_words, lines_words, never_set_words, number_words, place,
    tone_words,
};
use wendax_image::{Image, LineKind, SymbolKind};
use wendax_isa::Target;
use wendax_isa::w16::{Insn, NO_BASE, Op, decode, reason};
use wendax_isa::{Addr, Reg};
use wendax_machine::{
    AccessKind, CellState, Event, Fault, Frame, FrameKind, Machine, Need, Note, Sort, StepKind, Stop, Writer,
};

/// How the next step will end.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outlook {
    /// It will be done.
    Done(Box<Effects>),
    /// It will wait for input.
    Waits,
    /// It needs something else of the host first.
    Asks,
    /// It will fail, and the program does not handle it.
    Fails(Fault),
    /// It will go on for ever.
    Circles,
    /// There is no next step.
    Over,
}

/// Where the status of a program that has ended comes from, since a leftover is often given for one.
fn leftover(session: &Session) -> Option<String> {
    // One that halts has no status of its own.
    session.last_step().filter(|last| matches!(last.kind, StepKind::Call(_)))?;
    let register = *session.machine().target().roles.results.first()?;
    let Some(LastWriter::Step(effects)) = last_write(session, Thing::Register(register), session.now()) else {
        return None;
    };
    let (text, line) = (code_text(session, effects.pc, effects.code)?, line_words(session, effects.pc)?);
    Some(format!(", which `{text}` on {line} left there"))
}

/// Who set a flag that the next instruction looks at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cause {
    /// The flag's letter.
    pub flag: char,
    /// Who set it; `None` when nobody did.
    pub writer: Option<Writer>,
}

/// An account of the next step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Explanation {
    /// The instruction as it is written in the source, or with names; what stands there when it is none.
    pub text: String,
    /// What it does in general: its line of the instruction table.
    pub meaning: &'static str,
    /// What a person changed by hand at this step.
    pub by_hand: Vec<String>,
    /// What it will do now: sentences, the most important first.
    pub sentences: Vec<String>,
    /// Numbers bit by bit under each other, to be shown as they are, in a type where all signs are as wide.
    pub figure: Vec<String>,
    /// Something looks wrong about it.
    pub caution: Option<String>,
    /// Cycles it will take, when it will be done.
    pub cycles: Option<u64>,
    /// It jumps or not, when that hangs on something.
    pub taken: Option<bool>,
    /// Who set the flags it looks at.
    pub causes: Vec<Cause>,
    /// How it will end.
    pub outlook: Outlook,
}

impl Explanation {
    fn empty(outlook: Outlook) -> Self {
        Self {
            text: String::new(),
            meaning: "",
            by_hand: Vec::new(),
            sentences: Vec::new(),
            figure: Vec::new(),
            caution: None,
            cycles: None,
            taken: None,
            causes: Vec::new(),
            outlook,
        }
    }
}

/// Explains the next step of a session.
pub fn explain(session: &Session) -> Explanation {
    let machine = session.machine();
    if let State::Finished(status) = session.state() {
        let mut explanation = Explanation::empty(Outlook::Over);
        let by = leftover(session).unwrap_or_default();
        explanation.sentences =
            vec![format!("the program ended with status {status}{by}; go back with the left arrow")];
        return explanation;
    }
    let insn = insn_at(machine, machine.pc());
    let mut fork = session.fork();
    let (stop, effects) = observe(&mut fork);
    let outlook = match (stop, effects) {
        (Stop::Needs(Need::Input), _) => Outlook::Waits,
        (Stop::Needs(Need::Clock | Need::Wait(_) | Need::Sound(_) | Need::File), _) => Outlook::Asks,
        (Stop::Fault(fault), _) => Outlook::Fails(fault),
        (Stop::Circling { .. } | Stop::Idle { .. }, None) => Outlook::Circles,
        (_, Some(effects)) => Outlook::Done(Box::new(effects)),
        (_, None) => Outlook::Over,
    };
    let teller = Teller::new(session);
    let mut explanation = Explanation::empty(outlook);
    explanation.by_hand = session.changes_by_hand().iter().map(|change| by_hand_words(session, change)).collect();
    teller.fill(insn, &mut explanation);
    explanation
}

/// An instruction, as the account knows it.
#[derive(Debug, Clone, Copy)]
enum Known {
    W16(Insn),
    Rv32(wendax_isa::rv32::Insn),
}

/// The instruction at an address.
fn insn_at(machine: &Machine, address: Addr) -> Option<Known> {
    let code = machine.instruction_at(address)?.code;
    if *machine.target() == wendax_isa::rv32::TARGET {
        return wendax_isa::rv32::decode(code[0]).map(Known::Rv32);
    }
    let [first, second] = code.map(|word| u16::try_from(word).unwrap_or(0));
    decode(first, second).map(Known::W16)
}

/// What the next instruction reckons, with the values it finds: `5 × 7`; nothing where it does not reckon. `result` is what its
/// register will hold.
pub(crate) fn formula(session: &Session, result: Option<u32>) -> Option<String> {
    let machine = session.machine();
    let teller = Teller::new(session);
    match insn_at(machine, machine.pc())? {
        Known::W16(insn) => arithmetic::formula_alone(&teller, insn),
        Known::Rv32(insn) => rv32::formula(&teller, insn, result),
    }
}

/// An instruction of the source stands there: pushed, and returned to at once, it is jumped to.
pub(crate) fn is_jumped_to(image: &Image, address: Addr) -> bool {
    image.line_at(address).is_some_and(|line| line.kind == LineKind::Code && line.address == address)
}

/// How the source writes its numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Base {
    Decimal,
    Hexadecimal,
    Binary,
}

struct Teller<'a> {
    session: &'a Session,
    machine: &'a Machine,
    image: &'a Image,
    target: &'static Target,
    base: Base,
    meanings: Meanings,
}

impl<'a> Teller<'a> {
    fn new(session: &'a Session) -> Self {
        let machine = session.machine();
        let text = machine.instruction_at(machine.pc()).and_then(|insn| written(session, &insn));
        let text = text.unwrap_or_default().to_ascii_lowercase();
        let base = match () {
            () if text.contains("0x") => Base::Hexadecimal,
            () if text.contains("0b") => Base::Binary,
            () => Base::Decimal,
        };
        let meanings = Meanings::of(session);
        Self { session, machine, image: session.image(), target: machine.target(), base, meanings }
    }

    fn text(&self) -> Option<String> {
        instruction_text(self.session, self.machine.pc())
    }

    fn label(&self, address: Addr) -> Option<String> {
        self.image.label_at(address).map(|symbol| symbol.name.clone())
    }

    fn register(&self, code: u8) -> &'static str {
        self.target.register_name(Reg(code))
    }

    fn place(&self, address: Addr) -> String {
        place(self.image, self.target, address)
    }

    /// A value as people read it: in the base the source uses, decimal beside it, signed too where it is negative, and
    /// what it points to.
    fn value(&self, value: u32) -> String {
        if let Some(name) = self.label(Addr(value)).filter(|_| Addr(value) >= self.target.map.vectors_end) {
            return format!("{} ({name})", self.target.marked(value));
        }
        let plain = number_words(self.target, value);
        match self.base {
            Base::Decimal => plain,
            _ if value < 10 => plain,
            Base::Hexadecimal => format!("0x{value:X} ({})", plain.replace(" (", ", ").replace(')', "")),
            Base::Binary => format!("0b{value:b} ({})", plain.replace(" (", ", ").replace(')', "")),
        }
    }

    /// The value of a register: of one that holds addresses as an address, the other form beside.
    fn value_in(&self, register: Reg, value: u32) -> String {
        let address = Addr(value);
        let named = self.label(address).is_some();
        let is_address = self.meanings.register(register) == Meaning::Address;
        if is_address && !named && address >= self.target.map.vectors_end {
            format!("{} ({value})", self.target.marked_address(address))
        } else {
            self.value(value)
        }
    }

    fn held(&self, register: Reg) -> String {
        self.value_in(register, self.machine.register(register))
    }

    // ---- the account

    fn fill(&self, insn: Option<Known>, explanation: &mut Explanation) {
        explanation.text = self.text().unwrap_or_default();
        explanation.meaning = match insn {
            Some(Known::W16(insn)) => insn.row().meaning,
            Some(Known::Rv32(insn)) => insn.row().meaning,
            None => "",
        };
        match explanation.outlook.clone() {
            Outlook::Fails(fault) => {
                let trap = self.target.trap_name(fault.trap);
                explanation.sentences.push(format!("fails: {}", fault.kind.words(self.target)));
                explanation.sentences.extend(fault_causes(self.session, &fault));
                explanation.sentences.push(format!("trap {trap}: the program has no handler for it"));
            }
            Outlook::Circles => {
                explanation.sentences.push("jumps to itself for ever: nothing will change any more".to_owned());
            }
            Outlook::Waits | Outlook::Asks | Outlook::Over => {
                explanation.sentences.extend(self.call());
                if explanation.outlook == Outlook::Waits {
                    explanation.sentences.push("waits for something to be typed".to_owned());
                }
                if let Some(path) = self.machine.wanted_file().filter(|_| explanation.outlook == Outlook::Asks) {
                    explanation
                        .sentences
                        .push(format!("{path} is looked for in the program's folder when this is done"));
                }
            }
            Outlook::Done(effects) => self.fill_done(insn, &effects, explanation),
        }
        if let State::Circling { .. } | State::Idle { .. } = self.session.state() {
            let lines = lines_words(self.session, self.session.round());
            explanation.sentences.push(format!("{lines}: the same state comes again and again"));
        }
        if let Some(input) = self.session.recorded_input() {
            let text = String::from_utf8_lossy(&input[..input.len().min(200)]).into_owned();
            let text = text.trim_end();
            let is_call = self.call_number().is_some();
            explanation.sentences.push(match (is_call, self.session.now() == self.session.end()) {
                (false, _) => format!("typed here: {text:?}"),
                (true, true) => format!("typed ahead: {text:?}; it will be read"),
                (true, false) => format!("typed here before: {text:?}; it will be taken again"),
            });
        }
    }

    fn fill_done(&self, insn: Option<Known>, effects: &Effects, explanation: &mut Explanation) {
        explanation.cycles = Some(effects.cycles);
        match effects.kind {
            StepKind::Interrupt(number) => self.entry(number, true, effects, explanation),
            StepKind::Trap(number) => self.entry(number, false, effects, explanation),
            StepKind::Instruction | StepKind::Call(_) => {
                match insn {
                    Some(Known::W16(insn)) => self.fill_instruction(insn, effects, explanation),
                    Some(Known::Rv32(insn)) => rv32::fill(self, insn, effects, explanation),
                    None => return,
                }
                explanation.sentences.extend(self.outside(effects));
            }
        }
    }

    fn fill_instruction(&self, insn: Insn, effects: &Effects, explanation: &mut Explanation) {
        explanation.caution = self.caution(insn);
        explanation.sentences.extend(self.main(insn, effects));
        explanation.sentences.extend(arithmetic::reasons(self, insn, effects));
        explanation.sentences.extend(self.flags(insn, effects));
        explanation.figure = figure::of(self, insn, effects);
        if let Op::Jump(cond) = insn.op() {
            explanation.causes = self.causes(u32::from(cond.flags()));
            explanation.sentences.extend(self.cause_words(&explanation.causes));
        }
        explanation.taken = self.reason(insn).map(|(taken, _)| taken);
    }

    /// What devices do by themselves meanwhile, and which interrupts have to wait.
    fn outside(&self, effects: &Effects) -> Vec<String> {
        let mut sentences = Vec::new();
        if effects.expired {
            sentences.push("the timer expires meanwhile, by itself".to_owned());
        }
        for interrupt in self.machine.interrupts().iter().filter(|interrupt| interrupt.asks) {
            let name = self.target.interrupt_name(interrupt.number);
            sentences.push(format!("the interrupt {name} {}", interrupt_words(self.session, interrupt)));
        }
        sentences
    }

    /// An interrupt or trap of the program's own is entered.
    fn entry(&self, number: u32, interrupt: bool, effects: &Effects, explanation: &mut Explanation) {
        let name = if interrupt { self.target.interrupt_name(number) } else { self.target.trap_name(number) };
        let handler = self.place(effects.next);
        let sentences = &mut explanation.sentences;
        if interrupt {
            explanation.text = format!("interrupt {name}");
            explanation.meaning = "";
            let before = self.text();
            let before = before.map_or(String::new(), |text| format!(" before `{text}`"));
            sentences.push(format!("the interrupt {name} comes{before}: its handler at {handler} takes over"));
        } else if effects.length > 0 {
            sentences.extend(self.call());
            sentences.push(format!("trap {name} is the program's own: its handler at {handler} takes over"));
        } else {
            if let Some(kind) = self.handled_fault(number) {
                sentences.push(format!("fails: {}", kind.kind.words(self.target)));
            }
            sentences.push(format!("trap {name}: its handler at {handler} takes over; nothing else of this happens"));
        }
        if self.target.map.vectors_end == Addr::FIRST {
            sentences.push(rv32::kept_by_entry(self, effects));
            return;
        }
        let back = if effects.length > 0 { effects.pc + effects.length } else { effects.pc };
        let slot = Addr(effects.register(self.target.roles.stack).map_or(0, |change| change.new));
        sentences.push(format!(
            "the flags and the way back, {}, go onto the stack at {}; interrupts are off until it returns",
            self.place(back),
            self.target.marked_address(slot)
        ));
    }

    /// The fault that a trap of the program's own is about to handle: what would stop the run without a handler.
    fn handled_fault(&self, number: u32) -> Option<Fault> {
        // Where handlers are found by no vector in memory none can be taken away by hand.
        if self.target.map.vectors_end == Addr::FIRST {
            return None;
        }
        let mut fork = self.session.fork();
        let size = self.target.word_bytes();
        for byte in 0..size {
            fork.feed(&Event::SetByte(Addr(number * size + byte), 0));
        }
        match fork.step() {
            Stop::Fault(fault) => Some(fault),
            _ => None,
        }
    }

    /// The sentences about what it computes, moves or where it goes.
    fn main(&self, insn: Insn, effects: &Effects) -> Vec<String> {
        let op = insn.op();
        let access = self.machine.access_at(self.machine.pc());
        let d = self.register(insn.a);
        let result = effects.register(Reg(insn.a)).map_or(0, |change| change.new);
        let value = self.value_in(Reg(insn.a), result);
        match op {
            Op::Nop => vec!["does nothing".to_owned()],
            Op::Halt => vec!["stops the machine".to_owned()],
            Op::Brk => vec!["pauses here".to_owned()],
            Op::Ei => vec!["interrupts will be taken from now on".to_owned()],
            Op::Di => vec!["no interrupts will be taken from now on".to_owned()],
            Op::Mov => {
                let same = self.same(Reg(insn.a), result);
                let whole = self.address_of_data(insn).map(|(name, there)| {
                    format!("{d} becomes {}, the address of {name}{same}; {there}", self.target.marked(result))
                });
                vec![whole.unwrap_or_else(|| format!("{d} becomes {}{same}", self.source(insn)))]
            }
            Op::Cmp | Op::Tst => vec![self.comparison(insn)],
            Op::Lea => vec![format!("{d} becomes the address {}", self.place(Addr(result)))],
            Op::Swap => vec![format!(
                "{d} and {} exchange: {} and {}",
                self.register(insn.b),
                self.value(result),
                self.held(Reg(insn.a))
            )],
            Op::Ldw | Op::Ldb | Op::Ldsb => {
                let at = access.map_or(Addr::FIRST, |access| access.address);
                let what = if op == Op::Ldw { "word" } else { "byte" };
                let (place, same) =
                    (self.device_or_place(at, access.map_or(1, |access| access.bytes)), self.same(Reg(insn.a), result));
                vec![format!("{d} takes the {what} at {place}: {value}{same}")]
            }
            Op::Stw | Op::Stb => self.stored(Reg(insn.a), effects),
            Op::Push | Op::PushFl => self.pushed(insn, effects),
            Op::Pop => vec![format!("{d} takes {value} from the stack at {}", self.access_place())],
            Op::PopFl => vec![format!("the flags come from the stack at {}", self.access_place())],
            Op::Call | Op::CallReg => vec![
                format!("goes to {}", self.place(effects.next)),
                format!("the way back, {}, goes onto the stack", self.place(effects.pc + effects.length)),
            ],
            Op::Ret | Op::Reti => vec![self.returning(effects)],
            Op::Jump(_) | Op::JmpReg => vec![self.jump(insn, effects)],
            Op::Djnz => {
                vec![format!("{d} becomes {} − 1 = {result}", self.held(Reg(insn.a))), self.jump(insn, effects)]
            }
            Op::Sys => self.served(effects),
            _ => {
                vec![format!(
                    "{d} becomes {} = {value}{}",
                    arithmetic::formula(self, insn),
                    self.same(Reg(insn.a), result)
                )]
            }
        }
    }

    /// Cells of memory by their address, with the name of what they are.
    fn device_or_place(&self, address: Addr, bytes: u32) -> String {
        let name = self.target.device(address).map(|device| device.name.to_owned());
        let cell = || crate::held::cell(self.session, self.machine.pc(), address, bytes).map(|cell| cell.name);
        match name.or_else(cell) {
            Some(name) => format!("{} ({name})", self.target.marked_address(address)),
            None => self.place(address),
        }
    }

    /// The source operand with its value: `r1 = 5` or `5`.
    fn source(&self, insn: Insn) -> String {
        if insn.b == NO_BASE || insn.row().operands.len() < 2 {
            return self.value(insn.value.into());
        }
        format!("{} = {}", self.register(insn.b), self.held(Reg(insn.b)))
    }

    /// The label of data that an instruction gives the address of, and what lies there: the address is easily taken for
    /// it.
    fn address_of_data(&self, insn: Insn) -> Option<(&str, String)> {
        let address = Addr(insn.value.into());
        let is_given = insn.b == NO_BASE && address >= self.target.map.vectors_end;
        let symbol = self.image.label_at(address).filter(|symbol| is_given && symbol.kind == SymbolKind::Data)?;
        let mask = self.target.address_mask();
        let byte = |offset: u32| self.machine.byte(Addr(address.0.wrapping_add(offset) & mask));
        let is_sign = |offset: u32| matches!(byte(offset), b' '..=b'~');
        let is_byte = self.image.line_at(address).is_some_and(|line| line.length == 1);
        let there = if self.machine.cell(address) == CellState::NeverWritten {
            "nothing was ever written there".to_owned()
        } else if is_sign(0) && is_sign(1) {
            format!("there begins {}", self.text_there(address))
        } else {
            let high = if is_byte { 0 } else { byte(1) };
            format!("there lies {}", u32::from(high) << 8 | u32::from(byte(0)))
        };
        Some((&symbol.name, there))
    }

    fn source_value(&self, insn: Insn) -> u32 {
        if insn.b == NO_BASE { insn.value.into() } else { self.machine.register(Reg(insn.b)) }
    }

    fn same(&self, register: Reg, result: u32) -> &'static str {
        let same = self.machine.register(register) == result && self.machine.register_known(register);
        if same { " (as it is already)" } else { "" }
    }

    fn comparison(&self, insn: Insn) -> String {
        let (d, s) = (self.machine.register(Reg(insn.a)), self.source_value(insn));
        let (name, held, source) = (self.register(insn.a), self.held(Reg(insn.a)), self.source(insn));
        if insn.op() == Op::Tst {
            let word = if d & s == 0 { "no bit in common" } else { "bits in common" };
            return format!("tests {name} = {held} with {source}: {word}");
        }
        let sign = |order: std::cmp::Ordering| match order {
            std::cmp::Ordering::Less => "less",
            std::cmp::Ordering::Equal => "equal",
            std::cmp::Ordering::Greater => "greater",
        };
        let unsigned = sign(d.cmp(&s));
        let signed = sign(self.target.signed(d).cmp(&self.target.signed(s)));
        let both =
            if signed == unsigned { unsigned.to_owned() } else { format!("{unsigned} unsigned, {signed} signed") };
        format!("compares {name} = {held} with {source}: {both}")
    }

    fn stored(&self, register: Reg, effects: &Effects) -> Vec<String> {
        let name = self.target.register_name(register);
        let memory = effects.memory.iter().map(|change| self.store(change, register, name));
        let devices = effects.devices.iter().map(|change| {
            let place = self.device_or_place(change.address, self.target.word_bytes());
            let (old, new) = (self.value(change.old), self.value(change.new));
            let given = self.machine.register(register);
            let read = if given == change.new { String::new() } else { format!("; {} is stored", self.value(given)) };
            if change.old == change.new {
                format!("the device register {place} stays {new}{read}")
            } else {
                format!("the device register {place} becomes {new}; it was {old}{read}")
            }
        });
        let mut sentences: Vec<String> = memory.chain(devices).collect();
        if effects.printed > 0 {
            sentences.push(format!("prints {:?}", String::from_utf8_lossy(&effects.output)));
        }
        sentences
    }

    fn store(&self, change: &MemoryChange, register: Reg, name: &str) -> String {
        let (old, new) = (change.old_value(self.target), change.new_value(self.target));
        let what = self.width_word(change.new.len());
        let before = match (change.was_known, old == new) {
            (false, _) => "never written before".to_owned(),
            (true, true) => "the same as before".to_owned(),
            (true, false) => format!("it was {}", self.value(old)),
        };
        let is_whole = change.new.len() == self.target.word_bytes() as usize;
        let value = if is_whole { self.value_in(register, new) } else { self.value(new) };
        let place = self.device_or_place(change.address, u32::try_from(change.new.len()).unwrap_or(1));
        format!("the {what} at {place} becomes {name} = {value}; {before}")
    }

    /// What so many bytes are called.
    fn width_word(&self, bytes: usize) -> &'static str {
        match bytes {
            1 => "byte",
            bytes if bytes == self.target.word_bytes() as usize => "word",
            _ => "halfword",
        }
    }

    fn pushed(&self, insn: Insn, effects: &Effects) -> Vec<String> {
        let what = if insn.op() == Op::PushFl {
            "the flags".to_owned()
        } else if self.machine.register_known(Reg(insn.a)) {
            format!("{} = {}", self.register(insn.a), self.held(Reg(insn.a)))
        } else {
            format!("{}, which is not set and reads 0,", self.register(insn.a))
        };
        let at = Addr(effects.register(self.target.roles.stack).map_or(0, |change| change.new));
        vec![format!("puts {what} onto the stack at {}", self.target.marked_address(at))]
    }

    fn access_place(&self) -> String {
        let address = self.machine.access_at(self.machine.pc()).map_or(Addr::FIRST, |access| access.address);
        self.target.marked_address(address)
    }

    fn returning(&self, effects: &Effects) -> String {
        let line = line_words(self.session, effects.next).map_or(String::new(), |line| format!(", {line}"));
        let sp = self.machine.stack_pointer();
        let left = self.machine.frames().last().filter(|frame| frame.slot == sp).map_or(String::new(), |frame| {
            let routine = self.label(frame.target).unwrap_or_else(|| "the routine".to_owned());
            format!(": {routine} is left ({} at {})", entered(frame), self.target.marked_address(frame.site))
        });
        format!("returns to {}{line}{left}", self.place(effects.next))
    }

    fn reason(&self, insn: Insn) -> Option<(bool, String)> {
        let register = u16::try_from(self.machine.register(Reg(insn.a))).unwrap_or(0);
        let flags = u16::try_from(self.machine.flags()).unwrap_or(0);
        reason(insn.op(), flags, register)
    }

    fn jump(&self, insn: Insn, effects: &Effects) -> String {
        match self.reason(insn) {
            None => format!("goes to {}", self.place(effects.next)),
            Some((true, why)) => format!("{why}; goes to {}", self.place(effects.next)),
            Some((false, why)) => why,
        }
    }

    // ---- flags

    /// Who set each of some flags.
    fn causes(&self, bits: u32) -> Vec<Cause> {
        let looked_at = self.target.flags.iter().filter(|flag| bits & flag.bit != 0);
        looked_at.map(|flag| Cause { flag: flag.name, writer: self.machine.flag_writer(flag.bit) }).collect()
    }

    /// The same in words, flags of one writer together.
    fn cause_words(&self, causes: &[Cause]) -> Vec<String> {
        let mut groups: Vec<(Option<Writer>, String)> = Vec::new();
        for cause in causes {
            match groups.iter_mut().find(|(writer, _)| *writer == cause.writer) {
                Some((_, letters)) => {
                    letters.push_str(" and ");
                    letters.push(cause.flag);
                }
                None => groups.push((cause.writer, cause.flag.to_string())),
            }
        }
        let alone = groups.len() == 1;
        groups
            .into_iter()
            .map(|(writer, letters)| {
                let subject = if alone { String::new() } else { format!("{letters} ") };
                format!("{subject}{}", self.writer_words(writer))
            })
            .collect()
    }

    fn writer_words(&self, writer: Option<Writer>) -> String {
        match writer {
            None => "not set by anything yet: flags begin at 0".to_owned(),
            Some(Writer::Person) => "set by hand".to_owned(),
            Some(Writer::Entry(number)) => format!("set by the entry of {}", self.target.trap_name(number)),
            Some(Writer::Instruction(address)) => {
                let line = line_words(self.session, address);
                let line =
                    line.map_or_else(|| format!("at {}", self.target.marked_address(address)), |l| format!("on {l}"));
                match instruction_text(self.session, address) {
                    Some(text) => format!("set by `{text}` {line}"),
                    None => format!("set by what stood {line}"),
                }
            }
        }
    }

    /// One sentence about the flags it sets.
    fn flags(&self, insn: Insn, effects: &Effects) -> Option<String> {
        if effects.flags.touched == 0 || insn.op() == Op::Sys {
            return None;
        }
        let touched = self.target.flags.iter().filter(|flag| effects.flags.touched & flag.bit != 0);
        let parts: Vec<String> = touched
            .map(|flag| {
                let (old, new) = (effects.flags.old & flag.bit != 0, effects.flags.new & flag.bit != 0);
                let value = u8::from(new);
                if old == new {
                    format!("{} {value}", flag.name)
                } else {
                    format!("{} {}→{value}", flag.name, u8::from(old))
                }
            })
            .collect();
        Some(format!("flags: {}", parts.join("  ")))
    }

    // ---- system calls

    /// The number of the system call that is next, if one is.
    fn call_number(&self) -> Option<u32> {
        self.machine.instruction_at(self.machine.pc())?.call
    }

    /// A system call that the host serves: what it is given, does and leaves.
    fn served(&self, effects: &Effects) -> Vec<String> {
        let file = effects.file.as_ref().map(|(path, deed)| file_words(path, deed));
        let tone = effects.tone.map(|(hertz, milliseconds)| format!("sounds {}", tone_words(hertz, milliseconds)));
        self.call().into_iter().chain(file).chain(tone).chain(self.call_result(effects)).collect()
    }

    /// What a system call is given.
    fn call(&self) -> Option<String> {
        let number = self.call_number()?;
        let Some(call) = self.target.call(number) else {
            return Some(format!("there is no system call 0x{number:02X}"));
        };
        let mut text = format!("{}: {}", call.name, call.meaning);
        for (register, what) in call.takes {
            let value = self.machine.register(*register);
            let shown = match *what {
                "address" | "path" => self.quoted(Addr(value)),
                "character" => format!("{:?}", char::from(value.to_le_bytes()[0])),
                "status" => self.status(*register, value),
                "handle" => match self.machine.files().by_handle(value) {
                    Some(open) => format!("{value} ({})", open.path),
                    None => format!("{value}, which is not open,"),
                },
                _ if call.name == "put_int" => self.target.signed(value).to_string(),
                _ => self.value(value),
            };
            text.push_str(&format!("; {what} {shown}"));
        }
        Some(text)
    }

    /// A status with who left it there, since a leftover is often given for one.
    fn status(&self, register: Reg, value: u32) -> String {
        let by = match last_write(self.session, Thing::Register(register), self.session.now()) {
            Some(LastWriter::Step(effects)) => {
                let text = code_text(self.session, effects.pc, effects.code);
                let line = line_words(self.session, effects.pc);
                let what = text.map_or(String::new(), |text| format!(" by `{text}`"));
                format!(", left there{what}{}", line.map_or(String::new(), |line| format!(" on {line}")))
            }
            Some(LastWriter::ByHand(_)) => ", set by hand".to_owned(),
            None => String::new(),
        };
        format!("{}{by}", self.value(value))
    }

    /// The text at an address, as far as it is short.
    fn quoted(&self, address: Addr) -> String {
        format!("{} at {}", self.text_there(address), self.place(address))
    }

    /// The text at an address, up to its NUL, cut where it is long.
    fn text_there(&self, address: Addr) -> String {
        const MOST: u32 = 40;
        let mask = self.target.address_mask();
        let bytes: Vec<u8> = (0..MOST)
            .map(|offset| self.machine.byte(Addr(address.0.wrapping_add(offset) & mask)))
            .take_while(|&b| b != 0)
            .collect();
        let more = if bytes.len() == MOST as usize { "…" } else { "" };
        format!("{:?}{more}", String::from_utf8_lossy(&bytes))
    }

    fn call_result(&self, effects: &Effects) -> Option<String> {
        let result = self.target.roles.results[0];
        let name = self.target.register_name(result);
        let change = effects.register(result);
        let call = self.call_number().and_then(|number| self.target.call(number));
        let has_flags = !self.target.flags.is_empty();
        if let Some(error) = failure(self.target, effects) {
            let code = change.map_or_else(|| self.machine.register(result), |change| change.new);
            let is_about_files =
                call.is_some_and(|call| call.name.starts_with("file_") || matches!(call.name, "openat"));
            let hint = if is_about_files && !self.machine.settings().has_folder {
                "; there is no folder for its files: --files DIR gives one, or `files` in wendax.toml"
            } else {
                ""
            };
            return Some(if has_flags {
                format!("fails: {error}; C becomes 1, and {name} the error's number {code}, which is no data{hint}")
            } else if change.is_some() {
                format!("fails: {error}; {name} becomes {}, which is no data{hint}", self.target.signed(code))
            } else {
                let second = self.target.register_name(self.target.roles.results[1]);
                format!("fails: {error}; {second} becomes the error's number, and {name} stays{hint}")
            });
        }
        let gives = call.map_or("", |call| call.gives);
        let gives = if gives.is_empty() { String::new() } else { format!(", the {gives}") };
        let beside = match call {
            _ if has_flags => "; C becomes 0".to_owned(),
            Some(call) if call.is_own => {
                format!("; {} becomes 0: it did not fail", self.target.register_name(self.target.roles.results[1]))
            }
            _ => String::new(),
        };
        change.map(|change| format!("{name} becomes {}{gives}{beside}", self.value(change.new)))
    }

    // ---- what looks wrong

    /// What looks wrong about the next instruction.
    fn caution(&self, insn: Insn) -> Option<String> {
        if matches!(insn.op(), Op::Ret | Op::Reti) {
            return self.wrong_return(insn.op());
        }
        self.nothing_there(insn.uses().reads)
    }

    /// It reads a register that was never set, or cells that were never written.
    fn nothing_there(&self, reads: u32) -> Option<String> {
        let sort = self.machine.instruction_at(self.machine.pc())?.sort;
        let reads = reads_values(sort, reads, self.target);
        let unset = self.target.registers().map(|(register, _)| register);
        let unset = unset
            .into_iter()
            .find(|register| reads & (1 << register.0) != 0 && !self.machine.register_known(*register));
        if let Some(register) = unset {
            let value = self.value(self.machine.register(register));
            return Some(never_set_words(self.target.register_name(register), &value));
        }
        let access = self.machine.access_at(self.machine.pc())?;
        let unwritten = access.kind == AccessKind::Read
            && (0..access.bytes)
                .filter_map(|offset| access.address.0.checked_add(offset))
                .any(|at| self.machine.cell(Addr(at)) == CellState::NeverWritten);
        unwritten.then(|| format!("nothing was ever written at {}", self.place(access.address)))
    }

    /// The stack is elsewhere than where the machine has it: another of the program's own, on which ways back lie that nobody
    /// called for.
    fn is_other_stack(&self) -> bool {
        let (map, sp) = (self.target.map, self.machine.stack_pointer());
        sp < map.stack_start || sp > map.stack_end
    }

    /// A return that will not take the way back of the routine it leaves.
    fn wrong_return(&self, op: Op) -> Option<String> {
        let sp = self.machine.stack_pointer();
        let last = self.session.last_step().and_then(|last| self.machine.instruction_of(last.pc, last.code));
        let is_pushed = last.is_some_and(|insn| insn.sort == Sort::Push);
        if is_pushed && is_jumped_to(self.image, Addr(self.machine.word(sp))) || self.is_other_stack() {
            return None;
        }
        let Some(frame) = self.machine.frames().last() else {
            return Some(match self.on_the_stack(sp) {
                Some(what) => format!("no routine was called; the stack holds {what}"),
                None => "no routine was called that this could return from".to_owned(),
            });
        };
        if frame.slot != sp {
            let what = self.on_the_stack(sp);
            return Some(match what {
                Some(what) => format!("the stack holds {what}, not the way back"),
                None => "what lies on the stack is no way back".to_owned(),
            });
        }
        let word = Addr(self.machine.word(sp));
        if word != frame.back {
            let (was, is) = (self.target.marked_address(frame.back), self.target.marked_address(word));
            let by = match last_write(self.session, Thing::Cells(sp, sp + self.target.word_bytes()), self.session.now())
            {
                Some(LastWriter::Step(effects)) => {
                    let line = line_words(self.session, effects.pc).map_or(String::new(), |line| format!(" on {line}"));
                    code_text(self.session, effects.pc, effects.code)
                        .map_or(String::new(), |text| format!(", by `{text}`{line}"))
                }
                Some(LastWriter::ByHand(_)) => ", by hand".to_owned(),
                None => String::new(),
            };
            return Some(format!("the way back was {was} and was written over with {is}{by}"));
        }
        self.other_kind_of_return(op, frame)
    }

    /// What was pushed to a word of the stack, if that is known.
    fn on_the_stack(&self, address: Addr) -> Option<String> {
        match self.machine.note(address) {
            Note::Register(register) => Some(format!("{} that was pushed", self.target.register_name(register))),
            Note::Flags => Some("flags that were pushed".to_owned()),
            Note::Return | Note::Other => None,
        }
    }

    fn other_kind_of_return(&self, op: Op, frame: &Frame) -> Option<String> {
        match (op, frame.kind) {
            (Op::Ret, FrameKind::Interrupt(_) | FrameKind::Trap(_)) => {
                Some("a handler returns with `reti`: the flags stay on the stack".to_owned())
            }
            (Op::Reti, FrameKind::Call) => {
                Some("this routine was called, and returns with `ret`: one word more is taken for flags".to_owned())
            }
            _ => None,
        }
    }
}
