//! Inside of one instruction: what goes from where to where until it is done, cycle by cycle.
//!
//! The step that comes next is taken on a copy of the machine, and its transfers are made of what that reported: each thing
//! it read or wrote is one, with the cycles that the machine's contract counts for it. So their sum is the step; tests put
//! them one by one into the state before, and compare. What an operation makes of its operands stands bit by bit where that
//! teaches. All is said by what the machine tells of any instruction; the words of a formula are the account's.

use crate::effects::written;
use crate::explain::{Explanation, Outlook, explain, formula};
use crate::numbers::counted;
use crate::session::Session;
use crate::sums::{Sum, bits};
use crate::words::{device_name, interrupt_words, number_words, place};
use std::ops::ControlFlow;
use wendax_isa::{Addr, Reg, RegisterUse, Target};
use wendax_machine::{
    Access, AccessKind, Computation, InsnInfo, Machine, Observer, Report, Run, Sort, StepKind, Stop, Way, Write,
};

/// Where something is taken from, or brought to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Spot {
    /// Memory, and the device registers that lie in it.
    Memory,
    /// The code words of the instruction, while it is carried out.
    Code,
    /// The registers.
    Registers,
    /// What reckons and decides.
    Operation,
    /// The flags.
    Flags,
    /// Where the run goes on.
    Place,
    /// The host, who serves system calls.
    Host,
}

impl Spot {
    /// All of them, in the order they are drawn.
    pub const ALL: [Self; 7] =
        [Self::Memory, Self::Code, Self::Registers, Self::Operation, Self::Flags, Self::Place, Self::Host];

    /// What it is called.
    pub fn name(self) -> &'static str {
        match self {
            Self::Memory => "memory",
            Self::Code => "code",
            Self::Registers => "registers",
            Self::Operation => "operation",
            Self::Flags => "flags",
            Self::Place => "next",
            Self::Host => "host",
        }
    }
}

/// What a transfer leaves changed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Put {
    /// A register holds this.
    Register(Reg, u32),
    /// These bytes lie there.
    Memory(Addr, Vec<u8>),
    /// A device register reads so.
    Device(Addr, u32),
    /// A control register, by its number, holds this.
    Control(u16, u32),
    /// The flags are these.
    Flags(u32),
    /// The run goes on there.
    Place(Addr),
}

/// Something that goes from one place to another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Transfer {
    /// The cycle of the step that it belongs to, from 1; the last one where it takes several. 0 where none is counted.
    pub cycle: u64,
    /// Cycles that it takes itself; 0 where it belongs to that of another.
    pub cycles: u64,
    /// From where.
    pub from: Spot,
    /// To where.
    pub to: Spot,
    /// What, in a few words.
    pub words: String,
    /// It bit by bit or field by field, in lines to be shown as they are, in a type where all signs are as wide.
    pub bits: Vec<String>,
    /// What it leaves changed.
    pub puts: Vec<Put>,
}

/// A step, taken apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Inside {
    /// The instruction as it is written, or what comes instead of one.
    pub title: String,
    /// What goes on, in order.
    pub transfers: Vec<Transfer>,
    /// Cycles of all of it; none when it will not be done.
    pub cycles: Option<u64>,
}

impl Inside {
    /// How long all of it takes, in words.
    pub fn takes(&self) -> String {
        self.cycles.map_or("not done".to_owned(), |cycles| counted(cycles, "cycle", "cycles"))
    }
}

/// The step that comes next in a session, taken apart; `None` when there is none.
pub fn inside(session: &Session) -> Option<Inside> {
    let explanation = explain(session);
    let before = session.machine();
    let mut after = session.fork();
    let mut step = OneStep::default();
    let _: Stop = after.run_observed(Run::until(after.steps() + 1), &mut step);
    let report = step.report;
    if explanation.outlook == Outlook::Over {
        return None;
    }
    let insn = before.instruction_at(before.pc());
    let target = before.target();
    let title = match (&report, &insn) {
        (Some(Report { kind: StepKind::Interrupt(number), .. }), _) => {
            format!("interrupt {}", target.interrupt_name(*number))
        }
        (_, None) => "no instruction".to_owned(),
        _ => explanation.text.clone(),
    };
    let cycles = report.as_ref().map(|report| report.cycles);
    let mut taken = Taken { session, before, after: &after, target, explanation, transfers: Vec::new(), cycle: 0 };
    match &report {
        Some(report) if matches!(report.kind, StepKind::Interrupt(_)) => taken.entry(report),
        Some(report) if matches!(report.kind, StepKind::Trap(_)) => {
            taken.up_to_the_end(insn.as_ref());
            taken.entry(report);
        }
        Some(report) => {
            if let Some(insn) = &insn {
                taken.instruction(insn, report);
            }
        }
        None => taken.up_to_the_end(insn.as_ref()),
    }
    Some(Inside { title, transfers: taken.transfers, cycles })
}

/// Keeps the report of the one step it sees.
#[derive(Default)]
struct OneStep {
    report: Option<Report>,
}

impl Observer for OneStep {
    const WRITES: bool = true;
    const READS: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        self.report = Some(report.clone());
        ControlFlow::Continue(())
    }
}

/// How the cycles of a step fall to what it does.
#[derive(Debug, Clone, Copy, Default)]
struct Cycles {
    /// It goes elsewhere, which takes one.
    goes: u64,
    /// What the operation takes.
    operation: u64,
}

/// A step while it is taken apart.
struct Taken<'a> {
    session: &'a Session,
    before: &'a Machine,
    after: &'a Machine,
    target: &'static Target,
    explanation: Explanation,
    transfers: Vec<Transfer>,
    cycle: u64,
}

impl Taken<'_> {
    /// Adds a transfer, with the cycles it takes itself.
    fn add(&mut self, cycles: u64, from: Spot, to: Spot, words: String) -> &mut Transfer {
        self.cycle += cycles;
        let transfer = Transfer { cycle: self.cycle, cycles, from, to, words, bits: Vec::new(), puts: Vec::new() };
        self.transfers.push(transfer);
        let at = self.transfers.len() - 1;
        &mut self.transfers[at]
    }

    fn register(&self, register: Reg) -> &'static str {
        self.target.register_name(register)
    }

    fn number(&self, value: u32) -> String {
        number_words(self.target, value)
    }

    fn place(&self, address: Addr) -> String {
        place(self.session.image(), self.target, address)
    }

    // ---- what every instruction begins with

    /// Its words come, and are taken apart; then what it reads of registers and flags. None of it is counted for a step that
    /// comes to nothing.
    fn begin(&mut self, insn: &InsnInfo, reads: RegisterUse, is_counted: bool) {
        let unit = self.target.code_align;
        for (index, word) in (0..).zip(insn.code).take((insn.length / unit) as usize) {
            let at = insn.address + index * unit;
            let digits = self.target.hex(word);
            let words = format!("the code word {digits} at {}", self.place(at));
            self.add(u64::from(is_counted), Spot::Memory, Spot::Code, words);
        }
        let fields = self.before.fields_at(insn.address).unwrap_or_default();
        let lines = fields.iter().map(|field| match field.value.as_str() {
            "" => format!("{}  {}", field.digits, field.meaning),
            value => format!("{}  {}: {value}", field.digits, field.meaning),
        });
        let lines: Vec<String> = lines.collect();
        let words = format!("taken apart: `{}`", self.explanation.text);
        self.add(0, Spot::Code, Spot::Code, words).bits = lines;
        // In the order their fields stand in.
        let named = fields.iter().filter_map(|field| self.target.register(&field.value));
        let mut order: Vec<Reg> = named.filter(|register| reads.reads >> register.0 & 1 != 0).collect();
        order.extend(self.target.registers().map(|(register, _)| register).filter(|it| reads.reads >> it.0 & 1 != 0));
        let mut told = 0;
        for register in order {
            if told >> register.0 & 1 == 0 {
                told |= 1 << register.0;
                let value = self.number(self.before.register(register));
                let words = format!("{}, which is {value}", self.register(register));
                self.add(0, Spot::Registers, Spot::Operation, words);
            }
        }
        if reads.flags_read != 0 {
            let words = self.flags(reads.flags_read, self.before.flags());
            self.add(0, Spot::Flags, Spot::Operation, words);
        }
    }

    fn flags(&self, which: u32, flags: u32) -> String {
        let told = self.target.flags.iter().filter(|flag| which & flag.bit != 0);
        told.map(|flag| format!("{} = {}", flag.name, u8::from(flags & flag.bit != 0))).collect::<Vec<_>>().join(", ")
    }

    // ---- an instruction that is carried out

    fn instruction(&mut self, insn: &InsnInfo, report: &Report) {
        let call = match report.kind {
            StepKind::Call(number) => Some(number),
            _ => None,
        };
        let mut uses = insn.uses;
        if let Some(call) = call.and_then(|number| self.target.call(number)) {
            uses.reads |= call.takes.iter().fold(0, |reads, (register, _)| reads | 1 << register.0);
        }
        self.begin(insn, uses, true);
        let cycles = self.cycles(insn, report);
        if let Some(number) = call {
            return self.served(number, report, cycles);
        }
        self.operation(insn, report, cycles.operation);
        self.reads(insn, report);
        for write in written(report) {
            self.write(write, insn, report);
        }
        if matches!(insn.sort, Sort::Store(..)) && !leaves_something(report) {
            // What a device takes and does not show.
            if let Some(access) = self.before.access_at(insn.address) {
                let words = format!("to {}", self.at(access.address, access.bytes));
                self.add(1, Spot::Registers, Spot::Memory, words);
            }
        }
        self.touch_flags(report);
        self.controls();
        self.go(insn, report, cycles.goes);
    }

    /// What is not for words of code and for touches of memory: a jump that goes takes one, the rest the operation.
    fn cycles(&self, insn: &InsnInfo, report: &Report) -> Cycles {
        let words = u64::from(insn.length / self.target.code_align);
        let is_served = matches!(report.kind, StepKind::Call(_));
        let touches =
            report.reads.len() + report.writes.iter().filter(|write| matches!(write, Write::Memory { .. })).count();
        let touches = match insn.sort {
            _ if is_served => 0,
            Sort::Store(..) => 1,
            _ => touches as u64,
        };
        let left = report.cycles.saturating_sub(words + touches);
        let may_go = matches!(
            insn.sort,
            Sort::Branch(_) | Sort::Jump | Sort::CountDown | Sort::Call | Sort::Return | Sort::HandlerReturn
        );
        let goes = u64::from(may_go && left > 0);
        Cycles { goes, operation: left - goes }
    }

    /// What it makes of what it read.
    fn operation(&mut self, insn: &InsnInfo, report: &Report, cycles: u64) {
        let more = match cycles {
            0 => String::new(),
            _ => format!(", which takes {}", counted(cycles, "cycle", "cycles")),
        };
        let computation = self.before.computation_at(insn.address).filter(|_| insn.sort != Sort::Constant);
        let sum = computation.map(|(operation, one, other)| Sum { one, other, operation, bits: self.target.word_bits });
        let result = result(report);
        let words = match insn.sort {
            Sort::Load(_) | Sort::Store(..) => self.address(insn),
            Sort::Constant | Sort::Copy | Sort::Push | Sort::Pop | Sort::Call | Sort::Jump | Sort::Return => None,
            Sort::HandlerReturn => None,
            Sort::Branch(_) | Sort::CountDown => self.decision(insn),
            _ => sum.map(|sum| self.sum(&sum)).or_else(|| formula(self.session, result)),
        };
        let words = match words {
            Some(words) => words,
            None if cycles > 0 => self.explanation.text.clone(),
            None => return,
        };
        let figure = match (&sum, insn.sort) {
            (_, Sort::Load(_) | Sort::Store(..) | Sort::Branch(_) | Sort::CountDown) => Vec::new(),
            (Some(sum), _) if matches!(sum.operation, Computation::Add | Computation::Subtract) => sum.rows(),
            _ => self.explanation.figure.clone(),
        };
        self.add(cycles, Spot::Operation, Spot::Operation, format!("{words}{more}")).bits = figure;
    }

    /// The address of an access: a register and what is added to it.
    fn address(&self, insn: &InsnInfo) -> Option<String> {
        let (Sort::Load(base) | Sort::Store(base, _)) = insn.sort else { return None };
        let access = self.before.access_at(insn.address)?;
        let Some(base) = base else { return Some(format!("the address is {}", self.place(access.address))) };
        let far = access.address.0.wrapping_sub(self.before.register(base)) & self.target.address_mask();
        let name = self.register(base);
        let address = self.target.marked_address(access.address);
        Some(match self.target.signed(far) {
            0 => format!("the address is {name}: {address}"),
            far if far < 0 => format!("the address is {name} − {}: {address}", far.unsigned_abs()),
            far => format!("the address is {name} + {far}: {address}"),
        })
    }

    /// Whether a jump goes, and why.
    fn decision(&self, insn: &InsnInfo) -> Option<String> {
        let (_, Way::Either(_, holds, else_holds)) = self.before.way_at(insn.address)? else { return None };
        let taken = self.explanation.taken?;
        Some(if taken { format!("{holds}: it goes") } else { format!("{else_holds}: it does not go") })
    }

    fn sum(&self, sum: &Sum) -> String {
        let sign = match sum.operation {
            Computation::Add => "+",
            Computation::Subtract => "−",
            Computation::ShiftLeft => "shifted left by",
            Computation::ShiftRight => "shifted right by",
            Computation::ShiftSigned => "with its sign shifted right by",
        };
        format!("{} {sign} {} = {}", self.number(sum.one), self.number(sum.other), self.number(sum.result()))
    }

    /// What stands at an address: a device register by name.
    fn at(&self, address: Addr, bytes: u32) -> String {
        if self.target.device(address).is_some() {
            return device_name(self.target, address);
        }
        let what = if bytes == self.target.word_bytes() { "" } else { "the byte at " };
        let what = if bytes == 2 && self.target.word_bytes() == 4 { "the half word at " } else { what };
        format!("{what}{}", self.place(address))
    }

    /// What it loads.
    fn reads(&mut self, insn: &InsnInfo, report: &Report) {
        let mut reads = report.reads.clone();
        reads.sort_unstable();
        for (index, (address, bytes)) in reads.into_iter().enumerate() {
            let is_way = insn.sort == Sort::Return || insn.sort == Sort::HandlerReturn && index == 0;
            let to = match insn.sort {
                _ if is_way => Spot::Place,
                Sort::HandlerReturn => Spot::Flags,
                Sort::Pop if insn.uses.flags_written != 0 => Spot::Flags,
                _ => Spot::Registers,
            };
            let is_device = self.target.device(address).is_some();
            let value = self.before.number(address, bytes);
            let told = if is_device { String::new() } else { format!(": {}", self.number(value)) };
            let words = format!("{}{told}", self.at(address, bytes));
            let extended = self.extended(report, (!is_device).then_some(value), bytes);
            self.add(1, Spot::Memory, to, words).bits = extended;
        }
    }

    /// A number of fewer bits than a word, and what comes in above it.
    fn extended(&self, report: &Report, value: Option<u32>, bytes: u32) -> Vec<String> {
        let (Some(value), Some(new)) = (value, result(report)) else { return Vec::new() };
        if bytes >= self.target.word_bytes() {
            return Vec::new();
        }
        let above = if new == value { "zeros come in above" } else { "its sign comes in above" };
        let short = bits(value, 8 * bytes);
        let long = bits(new, self.target.word_bits);
        let width = long.len();
        vec![format!("{short:>width$}"), format!("{long}  {above}")]
    }

    fn write(&mut self, write: Write, insn: &InsnInfo, report: &Report) {
        let is_stack = |register: Reg| register == self.target.roles.stack;
        match write {
            Write::Register { register, old, new, .. } => {
                let from = match insn.sort {
                    Sort::Pop | Sort::Return | Sort::HandlerReturn | Sort::Push if is_stack(register) => {
                        Spot::Operation
                    }
                    Sort::Load(_) | Sort::Pop => Spot::Memory,
                    Sort::Constant => Spot::Code,
                    Sort::Call if !is_stack(register) => Spot::Place,
                    Sort::Jump => Spot::Place,
                    _ => Spot::Operation,
                };
                let words = self.becomes(register, old, new);
                self.add(0, from, Spot::Registers, words).puts.push(Put::Register(register, new));
            }
            Write::Memory { address, length, new, .. } => {
                let from = match insn.sort {
                    Sort::Call => Spot::Place,
                    Sort::Push if insn.uses.flags_read != 0 => Spot::Flags,
                    _ => Spot::Registers,
                };
                let what = if insn.sort == Sort::Call {
                    format!("the way back {} at {}", self.place(Addr(new)), self.at(address, length))
                } else {
                    format!("{} at {}", self.number(new), self.at(address, length))
                };
                let bytes = new.to_le_bytes()[..length as usize].to_vec();
                self.add(1, from, Spot::Memory, what).puts.push(Put::Memory(address, bytes));
            }
            Write::Buffer { .. } => self.put(write, Spot::Host, report),
            Write::Device { address, old, new } => {
                let (was, is) = (self.target.marked(old), self.target.marked(new));
                // Of what one store does to several of them, the store is one touch.
                let is_first = matches!(insn.sort, Sort::Store(..))
                    && !self.transfers.iter().any(|it| it.to == Spot::Memory && it.cycles > 0);
                let words = format!("{} was {was}, and reads {is}", device_name(self.target, address));
                self.add(u64::from(is_first), Spot::Registers, Spot::Memory, words)
                    .puts
                    .push(Put::Device(address, new));
            }
        }
    }

    /// Something is written that belongs to the cycle of what comes with it.
    fn put(&mut self, write: Write, from: Spot, report: &Report) {
        match write {
            Write::Register { register, old, new, .. } => {
                let words = self.becomes(register, old, new);
                self.add(0, from, Spot::Registers, words).puts.push(Put::Register(register, new));
            }
            Write::Memory { address, length, new, .. } => {
                let bytes = new.to_le_bytes()[..length as usize].to_vec();
                let words = format!("{} at {}", self.number(new), self.at(address, length));
                self.add(0, from, Spot::Memory, words).puts.push(Put::Memory(address, bytes));
            }
            Write::Buffer { address, .. } => {
                let new = report.buffer().1.to_vec();
                let words = format!("{} from {} on", counted(new.len() as u64, "byte", "bytes"), self.place(address));
                self.add(0, from, Spot::Memory, words).puts.push(Put::Memory(address, new));
            }
            Write::Device { address, new, .. } => {
                let words = format!("{} reads {}", device_name(self.target, address), self.target.marked(new));
                self.add(0, from, Spot::Memory, words).puts.push(Put::Device(address, new));
            }
        }
    }

    fn becomes(&self, register: Reg, old: u32, new: u32) -> String {
        let (was, is) = (self.number(old), self.number(new));
        let name = self.register(register);
        if old == new { format!("{name} stays {is}") } else { format!("{name} was {was}, and is {is}") }
    }

    fn touch_flags(&mut self, report: &Report) {
        if report.flags.touched == 0 {
            return;
        }
        let words = self.flags(report.flags.touched, report.flags.new);
        let is_loaded = self.transfers.iter().any(|transfer| transfer.to == Spot::Flags);
        let from = if is_loaded { Spot::Memory } else { Spot::Operation };
        self.add(0, from, Spot::Flags, words).puts.push(Put::Flags(report.flags.new));
    }

    /// What control registers became, apart from what counts by itself.
    fn controls(&mut self) {
        let changed: Vec<(u16, &str, u32, u32)> = self
            .target
            .kept_controls
            .iter()
            .filter_map(|&(number, name)| {
                let (old, new) = (self.before.control(number)?, self.after.control(number)?);
                (old != new).then_some((number, name, old, new))
            })
            .collect();
        for (number, name, old, new) in changed {
            let words = format!("{name} was {}, and is {}", self.target.marked(old), self.target.marked(new));
            self.add(0, Spot::Operation, Spot::Registers, words).puts.push(Put::Control(number, new));
        }
    }

    fn go(&mut self, insn: &InsnInfo, report: &Report, cycles: u64) {
        let following = insn.address + insn.length;
        let is_on = report.next == following && cycles == 0;
        let at = self.place(report.next);
        let (from, words) = match insn.sort {
            _ if is_on => (Spot::Code, format!("the following instruction: {at}")),
            Sort::Return | Sort::HandlerReturn => {
                let from = if report.reads.is_empty() { Spot::Registers } else { Spot::Memory };
                (from, format!("back to {at}"))
            }
            Sort::Jump | Sort::Call if insn.uses.reads & !(1 << self.target.roles.stack.0) != 0 => {
                (Spot::Registers, format!("goes to {at}"))
            }
            _ => (Spot::Code, format!("goes to {at}")),
        };
        self.add(cycles, from, Spot::Place, words).puts.push(Put::Place(report.next));
    }

    // ---- a system call

    fn served(&mut self, number: u32, report: &Report, cycles: Cycles) {
        let name = self.target.call(number).map_or("a call that is none", |call| call.name);
        let takes = counted(cycles.operation, "cycle", "cycles");
        let words = format!("`{name}` is served, which counts as {takes}");
        self.add(cycles.operation, Spot::Operation, Spot::Host, words);
        for (address, bytes) in report.reads.clone() {
            let count = counted(bytes.into(), "byte", "bytes");
            let words = format!("{count} from {} on", self.place(address));
            self.add(0, Spot::Memory, Spot::Host, words);
        }
        if report.printed > 0 {
            let words = format!("{} printed", counted(report.printed, "byte", "bytes"));
            self.add(0, Spot::Operation, Spot::Host, words);
        }
        for write in written(report) {
            self.put(write, Spot::Host, report);
        }
        if report.flags.touched != 0 {
            let words = self.flags(report.flags.touched, report.flags.new);
            self.add(0, Spot::Host, Spot::Flags, words).puts.push(Put::Flags(report.flags.new));
        }
        let words = format!("the following instruction: {}", self.place(report.next));
        self.add(0, Spot::Code, Spot::Place, words).puts.push(Put::Place(report.next));
    }

    // ---- what is not carried out, and what comes instead

    /// As far as an instruction comes that fails, waits or asks.
    fn up_to_the_end(&mut self, insn: Option<&InsnInfo>) {
        let Some(insn) = insn else {
            let words = format!("what stands at {} is no instruction that may be run", self.place(self.before.pc()));
            self.add(0, Spot::Memory, Spot::Code, words);
            return;
        };
        self.begin(insn, insn.uses, false);
        if let Some(words) = self.address(insn) {
            self.add(0, Spot::Operation, Spot::Operation, words);
        }
        let words = match &self.explanation.outlook {
            Outlook::Fails(fault) => format!("fails: {}; nothing of it has happened", fault.kind.words(self.target)),
            Outlook::Waits => "waits for something to be typed".to_owned(),
            Outlook::Asks => "asks for the time or a file, which comes from outside".to_owned(),
            Outlook::Circles => "goes to itself for ever".to_owned(),
            // A handler of the program's own comes instead.
            Outlook::Done(_) | Outlook::Over => match self.before.access_at(insn.address) {
                Some(Access { address, kind, .. }) => {
                    let how = if kind == AccessKind::Read { "read" } else { "written" };
                    format!("{} cannot be {how}: nothing of it has happened", self.place(address))
                }
                None => "is left: nothing of it has happened".to_owned(),
            },
        };
        self.add(0, Spot::Operation, Spot::Operation, words);
    }

    /// The entry of a trap's handler, or of an interrupt's.
    fn entry(&mut self, report: &Report) {
        let (what, number, is_interrupt) = match report.kind {
            StepKind::Interrupt(number) => (self.target.interrupt_name(number), number, true),
            StepKind::Trap(number) => (self.target.trap_name(number), number, false),
            StepKind::Instruction | StepKind::Call(_) => return,
        };
        let kind = if is_interrupt { "interrupt" } else { "trap" };
        let mut asked = format!("{kind} {what} is entered");
        if is_interrupt && let Some(asks) = self.before.interrupts().iter().find(|asks| asks.number == number) {
            asked = format!("{asked}: it {}", interrupt_words(self.session, asks));
        }
        self.add(0, Spot::Operation, Spot::Operation, asked);
        let mut left = report.cycles;
        let pushes = report.writes.iter().filter(|write| matches!(write, Write::Memory { .. })).count();
        for (index, write) in written(report).enumerate() {
            match write {
                Write::Memory { address, length, new, .. } => {
                    let cycles = left.min(1);
                    left -= cycles;
                    let is_flags = pushes > 1 && new == report.flags.old && index == 0;
                    let (from, what) = if is_flags {
                        (Spot::Flags, format!("the flags at {}", self.at(address, length)))
                    } else {
                        (Spot::Place, format!("the way back {} at {}", self.place(Addr(new)), self.at(address, length)))
                    };
                    let bytes = new.to_le_bytes()[..length as usize].to_vec();
                    self.add(cycles, from, Spot::Memory, what).puts.push(Put::Memory(address, bytes));
                }
                other => self.put(other, Spot::Operation, report),
            }
        }
        if report.flags.touched != 0 {
            let words = self.flags(report.flags.touched, report.flags.new);
            self.add(0, Spot::Operation, Spot::Flags, words).puts.push(Put::Flags(report.flags.new));
        }
        self.controls();
        let vector = self.target.vector_of(number);
        let (from, found) = if vector < self.target.map.vectors_end {
            (Spot::Memory, format!(", which stands at {}", self.target.marked_address(vector)))
        } else {
            (Spot::Registers, String::new())
        };
        let words = format!("goes to the handler {}{found}", self.place(report.next));
        self.add(left, from, Spot::Place, words).puts.push(Put::Place(report.next));
    }
}

/// What the first register holds that is written.
fn result(report: &Report) -> Option<u32> {
    written(report).find_map(|write| match write {
        Write::Register { new, .. } => Some(new),
        _ => None,
    })
}

/// It is told what it left in memory or a device.
fn leaves_something(report: &Report) -> bool {
    report.writes.iter().any(|write| matches!(write, Write::Memory { .. } | Write::Device { .. }))
}
