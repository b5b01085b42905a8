//! What the next instruction will do, in plain words, with the values as they are.
//!
//! Results are never guessed: they are what a fork of the machine did. Only the wording is computed here.

use crate::effects::{Effects, observe};
use crate::session::{Session, State};
use crate::stack::entered;
use wendax_image::Image;
use wendax_isa::w16::{Insn, NO_BASE, NumberStyle, Op, OperandKind, TRAPS, call_by_number, disassemble, reason};
use wendax_machine::{AccessKind, Machine, Need, Note, RegionKind, Stop};

/// How the next step will end.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outlook {
    /// It will be done.
    Done(Box<Effects>),
    /// It will wait for input.
    Waits,
    /// It needs something else of the host first.
    Asks,
    /// It will fail.
    Fails,
    /// It will go on for ever.
    Circles,
    /// There is no next step.
    Over,
}

/// An account of the next instruction.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Explanation {
    /// The instruction, with names; what stands there when it is none.
    pub text: String,
    /// What it does in general: its line of the instruction table.
    pub meaning: &'static str,
    /// What it will do now: sentences, the most important first.
    pub sentences: Vec<String>,
    /// Something looks wrong about it.
    pub caution: Option<String>,
    /// How it will end.
    pub outlook: Outlook,
}

/// Explains the next step of a session.
pub fn explain(session: &Session) -> Explanation {
    let machine = session.machine();
    if let State::Finished(status) = session.state() {
        let sentences = vec![format!("the program ended with status {status}; go back with the left arrow")];
        return Explanation { text: String::new(), meaning: "", sentences, caution: None, outlook: Outlook::Over };
    }
    let insn = machine.instruction_at(machine.pc());
    let mut fork = session.fork();
    let (stop, effects) = observe(&mut fork);
    let outlook = match stop {
        Stop::Steps | Stop::Depth | Stop::Breakpoint | Stop::Brk | Stop::Finished(_) => {
            Outlook::Done(Box::new(effects))
        }
        Stop::Needs(Need::Input) => Outlook::Waits,
        Stop::Needs(Need::Clock | Need::Wait(_)) => Outlook::Asks,
        Stop::Fault(_) => Outlook::Fails,
        Stop::Circling => Outlook::Circles,
    };
    let teller = Teller { machine, image: session.image() };
    let mut explanation = Explanation {
        text: insn.map_or_else(String::new, |insn| teller.text(insn)),
        meaning: insn.map_or("", |insn| insn.row().meaning),
        sentences: Vec::new(),
        caution: insn.and_then(|insn| teller.caution(insn)),
        outlook,
    };
    teller.sentences(insn, &stop, &mut explanation);
    if let Some(input) = session.recorded_input().filter(|_| insn.is_some_and(|insn| insn.op() == Op::Sys)) {
        let text = String::from_utf8_lossy(input);
        explanation.sentences.push(format!("typed here before: {:?}; it will be taken again", text.trim_end()));
    }
    explanation
}

struct Teller<'a> {
    machine: &'a Machine,
    image: &'a Image,
}

impl Teller<'_> {
    fn text(&self, insn: Insn) -> String {
        let pc = u16::try_from(self.machine.pc()).unwrap_or(0);
        // Constants that happen to equal an address keep their number; only targets and data are named.
        let constant =
            matches!(insn.op(), Op::Mov | Op::Cmp) && !self.has_label(insn.value) || is_arithmetic(insn.op());
        let name = |value: u16| if constant { None } else { self.label(value.into()) };
        let style =
            if self.machine.access_of(insn).is_some() { NumberStyle::Hexadecimal } else { NumberStyle::Decimal };
        disassemble(insn, pc, style, &name)
    }

    fn has_label(&self, value: u16) -> bool {
        value >= 0x20 && self.label(value.into()).is_some()
    }

    fn label(&self, address: u32) -> Option<String> {
        self.image.label_at(address).map(|symbol| symbol.name.clone())
    }

    fn register(&self, code: u8) -> &'static str {
        self.machine.target().registers.get(usize::from(code)).map_or("?", |info| info.name)
    }

    /// An address with its name: `0310 (total)`.
    fn place(&self, address: u32) -> String {
        let hex = self.machine.target().hex_address(address);
        match self.image.nearest_label(address) {
            Some((symbol, 0)) => format!("{hex} ({})", symbol.name),
            Some((symbol, offset)) => format!("{hex} ({} + {offset})", symbol.name),
            None => hex,
        }
    }

    /// A value as people read it: decimal, signed too where it is negative, and what it points to.
    fn value(&self, value: u32) -> String {
        let target = self.machine.target();
        let signed = target.signed(value);
        let mut text = value.to_string();
        if signed < 0 {
            text = format!("{value} ({signed})");
        }
        if let Some(name) = self.label(value).filter(|_| value >= 0x20) {
            return format!("{} ({name})", target.hex(value));
        }
        text
    }

    fn sentences(&self, insn: Option<Insn>, stop: &Stop, explanation: &mut Explanation) {
        let sentences = &mut explanation.sentences;
        match stop {
            Stop::Fault(fault) => {
                let trap = TRAPS.get(fault.kind.trap() as usize).copied().unwrap_or("");
                sentences.push(format!("fails: {}", fault.kind));
                sentences.extend(insn.zip(fault.kind.address()).and_then(|(insn, at)| self.stack_limit(insn, at)));
                sentences.push(format!("{trap}, trap {}, and the program has no handler for it", fault.kind.trap()));
                return;
            }
            Stop::Circling => {
                sentences.push("jumps to itself for ever: nothing will change any more".to_owned());
                return;
            }
            _ => {}
        }
        let Outlook::Done(effects) = &explanation.outlook else {
            if let Some(insn) = insn {
                sentences.extend(self.call(insn));
            }
            if explanation.outlook == Outlook::Waits {
                sentences.push("waits for something to be typed".to_owned());
            }
            return;
        };
        let Some(insn) = effects.insn else {
            let what = self.machine.target().hex_address(effects.next);
            sentences.push(format!("an interrupt comes first: its handler at {what} takes over"));
            return;
        };
        sentences.extend(self.main(insn, effects));
        sentences.extend(self.flags(insn, effects));
    }

    /// That a push found the stack full, or a pop empty.
    fn stack_limit(&self, insn: Insn, address: u32) -> Option<String> {
        let regions = self.machine.regions();
        let stack = regions.iter().find(|region| region.kind == RegionKind::Stack)?;
        let hex = |address| self.machine.target().hex_address(address);
        match insn.op() {
            Op::Push | Op::PushFl | Op::Call | Op::CallReg if address + 2 == stack.start => Some(format!(
                "the stack is full: it ends at {}, {} frames deep",
                hex(stack.start),
                self.machine.frames().len()
            )),
            Op::Pop | Op::PopFl | Op::Ret | Op::Reti if address == stack.end => {
                Some(format!("the stack is empty: nothing lies above {}", hex(stack.end - 1)))
            }
            _ => None,
        }
    }

    /// The sentences about what it computes, moves or where it goes.
    fn main(&self, insn: Insn, effects: &Effects) -> Vec<String> {
        let op = insn.op();
        let access = self.machine.access_of(insn);
        let d = self.register(insn.a);
        let new =
            |index: u8| effects.registers.iter().find(|change| change.register == usize::from(index)).map(|c| c.new);
        let result = new(insn.a).unwrap_or(0);
        match op {
            Op::Nop => vec!["does nothing".to_owned()],
            Op::Halt => vec!["stops the machine".to_owned()],
            Op::Brk => vec!["pauses here".to_owned()],
            Op::Ei => vec!["interrupts will be taken from now on".to_owned()],
            Op::Di => vec!["no interrupts will be taken from now on".to_owned()],
            Op::Mov => vec![format!("{d} becomes {}{}", self.source(insn), self.same(insn.a, result))],
            Op::Cmp | Op::Tst => vec![self.comparison(insn)],
            Op::Lea => vec![format!("{d} becomes the address {}", self.place(result))],
            Op::Swap => vec![format!(
                "{d} and {} exchange: {} and {}",
                self.register(insn.b),
                self.value(result),
                self.held(insn.a)
            )],
            Op::Ldw | Op::Ldb | Op::Ldsb => {
                let at = access.map_or(0, |access| access.address);
                let what = if op == Op::Ldw { "word" } else { "byte" };
                vec![format!(
                    "{d} takes the {what} at {}: {}{}",
                    self.place(at),
                    self.value(result),
                    self.same(insn.a, result)
                )]
            }
            Op::Stw | Op::Stb => effects.memory.iter().map(|change| self.store(change, d)).collect(),
            Op::Push | Op::PushFl => self.pushed(insn, effects),
            Op::Pop => vec![format!("{d} takes {} from the stack at {}", self.value(result), self.access_place(insn))],
            Op::PopFl => vec![format!("the flags come from the stack at {}", self.access_place(insn))],
            Op::Call | Op::CallReg => vec![
                format!("goes to {}", self.place(effects.next)),
                format!("the way back, {}, goes onto the stack", self.place(effects.pc + u32::from(insn.bytes()))),
            ],
            Op::Ret | Op::Reti => vec![self.returning(effects)],
            Op::Jump(_) | Op::JmpReg => self.jump(insn, effects),
            Op::Djnz => {
                let mut sentences = vec![format!("{d} becomes {} − 1 = {result}", self.held(insn.a))];
                sentences.extend(self.jump(insn, effects));
                sentences
            }
            Op::Sys => self.call(insn).into_iter().chain(self.call_result(effects)).collect(),
            _ => vec![format!(
                "{d} becomes {} = {}{}",
                self.formula(insn),
                self.value(result),
                self.same(insn.a, result)
            )],
        }
    }

    fn held(&self, register: u8) -> String {
        self.value(self.machine.register(usize::from(register)))
    }

    /// The source operand with its value: `r1 = 5` or `5`.
    fn source(&self, insn: Insn) -> String {
        if insn.b == NO_BASE || insn.row().operands.len() < 2 {
            return self.value(insn.value.into());
        }
        format!("{} = {}", self.register(insn.b), self.held(insn.b))
    }

    fn source_value(&self, insn: Insn) -> u32 {
        if insn.b == NO_BASE { insn.value.into() } else { self.machine.register(usize::from(insn.b)) }
    }

    fn same(&self, register: u8, result: u32) -> &'static str {
        let index = usize::from(register);
        let same = self.machine.register(index) == result && self.machine.register_known(index);
        if same { " (as it is already)" } else { "" }
    }

    fn formula(&self, insn: Insn) -> String {
        let d = self.held(insn.a);
        let s = self.value(self.source_value(insn));
        let carry = self.machine.flags() & u32::from(wendax_isa::w16::C);
        match insn.op() {
            Op::Add => format!("{d} + {s}"),
            Op::Adc => format!("{d} + {s} + C, which is {carry},"),
            Op::Sub => format!("{d} − {s}"),
            Op::Sbc => format!("{d} − {s} − C, which is {carry},"),
            Op::And => format!("{d} and {s}, bit by bit,"),
            Op::Or => format!("{d} or {s}, bit by bit,"),
            Op::Xor => format!("{d} exclusive-or {s}"),
            Op::Shl => format!("{d} shifted left by {}", self.source_value(insn) & 15),
            Op::Shr | Op::Asr => format!("{d} shifted right by {}", self.source_value(insn) & 15),
            Op::Mul => format!("{d} × {s}"),
            Op::Mulh | Op::Mulhs => format!("the high word of {d} × {s}"),
            Op::Div | Op::Divs => format!("{d} ÷ {s}"),
            Op::Mod | Op::Mods => format!("the remainder of {d} ÷ {s}"),
            Op::Not => format!("{d} with every bit inverted"),
            Op::Neg => format!("0 − {d}"),
            Op::Swapb => format!("{d} with its bytes exchanged"),
            Op::Extb => format!("the low byte of {d} with its sign"),
            Op::Rlc => format!("{d} rotated left through C, which is {carry},"),
            Op::Rrc => format!("{d} rotated right through C, which is {carry},"),
            _ => d,
        }
    }

    fn comparison(&self, insn: Insn) -> String {
        let target = self.machine.target();
        let (d, s) = (self.machine.register(usize::from(insn.a)), self.source_value(insn));
        if insn.op() == Op::Tst {
            let word = if d & s == 0 { "no bit in common" } else { "bits in common" };
            return format!("tests {} = {} with {}: {word}", self.register(insn.a), self.value(d), self.source(insn));
        }
        let sign = |order: std::cmp::Ordering| match order {
            std::cmp::Ordering::Less => "less",
            std::cmp::Ordering::Equal => "equal",
            std::cmp::Ordering::Greater => "greater",
        };
        let unsigned = sign(d.cmp(&s));
        let signed = sign(target.signed(d).cmp(&target.signed(s)));
        let both =
            if signed == unsigned { unsigned.to_owned() } else { format!("{unsigned} unsigned, {signed} signed") };
        format!("compares {} = {} with {}: {both}", self.register(insn.a), self.value(d), self.source(insn))
    }

    fn store(&self, change: &crate::effects::MemoryChange, register: &str) -> String {
        let (old, new) = (change.old_value(), change.new_value());
        let what = if change.new.len() == 2 { "word" } else { "byte" };
        let before = match (change.was_known, old == new) {
            (false, _) => "never written before".to_owned(),
            (true, true) => "the same as before".to_owned(),
            (true, false) => format!("it was {}", self.value(old)),
        };
        format!("the {what} at {} becomes {register} = {}; {before}", self.place(change.address), self.value(new))
    }

    fn pushed(&self, insn: Insn, effects: &Effects) -> Vec<String> {
        let what = if insn.op() == Op::PushFl {
            "the flags".to_owned()
        } else {
            format!("{} = {}", self.register(insn.a), self.held(insn.a))
        };
        let at = effects.memory.first().map_or(0, |change| change.address);
        vec![format!("puts {what} onto the stack at {}", self.machine.target().hex_address(at))]
    }

    fn access_place(&self, insn: Insn) -> String {
        let address = self.machine.access_of(insn).map_or(0, |access| access.address);
        self.machine.target().hex_address(address)
    }

    fn returning(&self, effects: &Effects) -> String {
        let line = self.image.line_at(effects.next).map_or(String::new(), |line| format!(", line {}", line.line));
        let from = self.machine.frames().last().map_or(String::new(), |frame| {
            let routine = self.image.label_at(frame.target).map_or("the routine", |symbol| symbol.name.as_str());
            format!(": {routine} is left ({} at {})", entered(frame), self.machine.target().hex_address(frame.site))
        });
        format!("returns to {}{line}{from}", self.place(effects.next))
    }

    fn jump(&self, insn: Insn, effects: &Effects) -> Vec<String> {
        let register = u16::try_from(self.machine.register(usize::from(insn.a))).unwrap_or(0);
        let flags = u16::try_from(self.machine.flags()).unwrap_or(0);
        let Some((taken, why)) = reason(insn.op(), flags, register) else {
            return vec![format!("goes to {}", self.place(effects.next))];
        };
        let mut sentences = vec![if taken { format!("{why}; goes to {}", self.place(effects.next)) } else { why }];
        if let Op::Jump(cond) = insn.op()
            && let Some(writer) = self.flag_source(u32::from(cond.flags()))
        {
            sentences.push(writer);
        }
        sentences
    }

    /// Which line set the flags a jump looks at.
    fn flag_source(&self, bits: u32) -> Option<String> {
        let lowest = 1 << bits.trailing_zeros().min(31);
        let writer = self.machine.flag_writer(lowest)?;
        let line = self.image.line_at(writer)?;
        let text = self.machine.instruction_at(writer).map(|insn| self.text_at(insn, writer))?;
        Some(format!("set by `{text}` on line {}", line.line))
    }

    fn text_at(&self, insn: Insn, address: u32) -> String {
        let address = u16::try_from(address).unwrap_or(0);
        disassemble(insn, address, NumberStyle::Decimal, &|_| None)
    }

    /// What a system call is given.
    fn call(&self, insn: Insn) -> Vec<String> {
        if insn.op() != Op::Sys {
            return Vec::new();
        }
        let number = insn.value;
        let Some(call) = u8::try_from(number).ok().and_then(call_by_number) else {
            return vec![format!("there is no system call {number:02X}: C will be 1")];
        };
        let mut text = format!("{}: {}", call.name, call.meaning);
        for (register, what) in call.takes {
            let value = self.machine.register(usize::from(*register));
            let shown = match *what {
                "address" | "path" => self.quoted(value),
                "character" => format!("{:?}", char::from(value.to_le_bytes()[0])),
                _ if call.name == "put_int" => self.machine.target().signed(value).to_string(),
                _ => self.value(value),
            };
            text.push_str(&format!("; {what} {shown}"));
        }
        vec![text]
    }

    /// The text at an address, as far as it is short.
    fn quoted(&self, address: u32) -> String {
        const MOST: u32 = 40;
        let mask = self.machine.target().address_mask();
        let bytes: Vec<u8> = (0..MOST)
            .map(|offset| self.machine.byte(address.wrapping_add(offset) & mask))
            .take_while(|&b| b != 0)
            .collect();
        let more = if bytes.len() == MOST as usize { "…" } else { "" };
        format!("{:?}{more} at {}", String::from_utf8_lossy(&bytes), self.place(address))
    }

    fn call_result(&self, effects: &Effects) -> Option<String> {
        let failed = effects.flags.new & u32::from(wendax_isa::w16::C) != 0;
        let result = effects.registers.iter().find(|change| change.register == 0);
        match (failed, result) {
            (true, result) => {
                let code = result.map_or_else(|| self.machine.register(0), |change| change.new) as usize;
                let text = wendax_isa::w16::ERRORS.get(code.wrapping_sub(1)).map_or("", |(_, text)| *text);
                Some(format!("fails with error {code}, {text}: C becomes 1"))
            }
            (false, Some(change)) => Some(format!("r0 becomes {}", self.value(change.new))),
            (false, None) => None,
        }
    }

    /// One sentence about the flags it sets.
    fn flags(&self, insn: Insn, effects: &Effects) -> Option<String> {
        if effects.flags.touched == 0 || insn.op() == Op::Sys {
            return None;
        }
        let parts: Vec<String> = self
            .machine
            .target()
            .flags
            .iter()
            .filter(|flag| effects.flags.touched & flag.bit != 0)
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

    /// What looks wrong about the next instruction.
    fn caution(&self, insn: Insn) -> Option<String> {
        if matches!(insn.op(), Op::Ret | Op::Reti) {
            let sp = self.machine.register(self.machine.target().stack_register);
            return match self.machine.note(sp) {
                Note::Return => None,
                Note::Register(register) => {
                    let name = self.machine.target().registers.get(register as usize)?.name;
                    Some(format!("the stack holds {name} that was pushed, not the way back"))
                }
                Note::Flags => Some("the stack holds flags that were pushed, not the way back".to_owned()),
                Note::Other => Some("what lies on the stack is no way back".to_owned()),
            };
        }
        let operands = insn.row().operands.iter().filter(|kind| **kind == OperandKind::Register).count();
        if operands == 2 && insn.b != NO_BASE && !self.machine.register_known(usize::from(insn.b)) {
            return Some(format!("{} was never given a value", self.register(insn.b)));
        }
        let access = self.machine.access_of(insn)?;
        let unwritten = access.kind == AccessKind::Read
            && (access.address..access.address + access.bytes)
                .any(|at| self.machine.cell(at) == wendax_machine::CellState::NeverWritten);
        unwritten.then(|| format!("nothing was ever written at {}", self.place(access.address)))
    }
}

fn is_arithmetic(op: Op) -> bool {
    matches!(
        op,
        Op::Add
            | Op::Adc
            | Op::Sub
            | Op::Sbc
            | Op::And
            | Op::Or
            | Op::Xor
            | Op::Shl
            | Op::Shr
            | Op::Asr
            | Op::Mul
            | Op::Div
            | Op::Mod
    )
}
