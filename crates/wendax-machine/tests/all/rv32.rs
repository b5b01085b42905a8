//! RV32 against a second, simple way of doing the same: each word taken apart by its bits as the standard's listings have
//! them, memory a map of bytes, nothing kept between steps.

#![expect(
    clippy::cast_possible_truncation,
    clippy::cast_possible_wrap,
    clippy::cast_sign_loss,
    reason = "as the standard takes words for numbers"
)]

use proptest::prelude::*;
use std::collections::BTreeMap;
use std::ops::ControlFlow;
use wendax_image::{Image, Rights, Segment};
use wendax_isa::rv32::{Format, Insn, Op, TARGET, encode, rows};
use wendax_isa::{Addr, Reg, StepNo};
use wendax_machine::{
    Event, FaultKind, Found, Machine, Need, Observer, Report, Run, Settings, StepKind, Stop, Watchful, Write,
};

const CODE: u32 = 0x0001_0000;
const DATA: u32 = 0x0002_0000;
const SIZE: u32 = 0x100;

fn image(code: &[u32]) -> Image {
    let segment = |start, bytes: Vec<u8>, rights| Segment { start: Addr(start), bytes, rights, reserved: false };
    let mut image = Image::new(&TARGET);
    image.segments = vec![
        segment(CODE, code.iter().flat_map(|word| word.to_le_bytes()).collect(), Rights::CODE),
        segment(DATA, (0..SIZE).map(|at| at.to_le_bytes()[0] ^ 0xA5).collect(), Rights::DATA),
    ];
    image.entry = Addr(CODE);
    image.heap_start = Addr(0x0003_0000);
    image
}

fn machine(code: &[u32]) -> Machine {
    Machine::new(&image(code), Settings { clock: wendax_machine::Clock::Cycles, ..Settings::default() })
}

// ---- the second way

/// What a step of the model came to.
#[derive(Debug, PartialEq, Eq)]
enum Came {
    On,
    Brk,
    Call,
    /// A trap with its number and what it is about, which nothing handles.
    Fault(u32, u32),
}

#[derive(Debug, Clone)]
struct Model {
    x: [u32; 32],
    pc: u32,
    memory: BTreeMap<u32, u8>,
    code_end: u32,
    cycles: u64,
    done: u64,
    /// What `mcycle` shows more than cycles have passed, low word.
    ahead: u32,
    csr: BTreeMap<u32, u32>,
}

fn sign(value: u32, bits: u32) -> u32 {
    if value >> (bits - 1) & 1 != 0 { value | u32::MAX << (bits - 1) } else { value }
}

impl Model {
    fn new(image: &Image, x: [u32; 32]) -> Self {
        let mut memory = BTreeMap::new();
        for segment in &image.segments {
            for (at, byte) in (segment.start.0..).zip(&segment.bytes) {
                memory.insert(at, *byte);
            }
        }
        let csr = [0x300, 0x304, 0x305, 0x340, 0x341, 0x342, 0x343].map(|number| (number, 0)).into();
        let code_end = image.segments[0].end().0;
        Self { x, pc: image.entry.0, memory, code_end, cycles: 0, done: 0, ahead: 0, csr }
    }

    fn word(&self, at: u32) -> u32 {
        (0..4).map(|i| u32::from(self.memory.get(&(at + i)).copied().unwrap_or(0)) << (8 * i)).sum()
    }

    fn in_data(at: u32, length: u32) -> bool {
        let within = |from: u64, to: u64| from <= u64::from(at) && u64::from(at) + u64::from(length) <= to;
        within(DATA.into(), (DATA + SIZE).into()) || within(0x7FF0_0000, 0x8000_0000)
    }

    fn may_load(&self, at: u32, length: u32) -> bool {
        Self::in_data(at, length) || CODE <= at && at.checked_add(length).is_some_and(|end| end <= self.code_end)
    }

    /// Enters the handler, or says that there is none.
    fn trap(&mut self, cause: u32, about: u32) -> Came {
        if self.csr[&0x305] == 0 {
            return Came::Fault(cause, about);
        }
        self.csr.insert(0x341, self.pc);
        self.csr.insert(0x342, cause);
        self.csr.insert(0x343, about);
        let status = self.csr[&0x300];
        self.csr.insert(0x300, if status & 8 != 0 { 0x80 } else { 0 });
        self.pc = self.csr[&0x305] & !3;
        self.cycles += 4;
        Came::On
    }

    fn step(&mut self) -> Came {
        if !(CODE..self.code_end).contains(&self.pc) {
            return self.trap(1, self.pc);
        }
        let word = self.word(self.pc);
        let (opcode, rd, funct3) = (word & 0x7F, (word >> 7 & 31) as usize, word >> 12 & 7);
        let (a, b) = (self.x[(word >> 15 & 31) as usize], self.x[(word >> 20 & 31) as usize]);
        let (funct7, upper) = (word >> 25, sign(word >> 20, 12));
        let illegal = (2, word);
        let mut next = self.pc.wrapping_add(4);
        let mut cost = 1;
        let mut result = None;
        let go = |target: u32| if target.is_multiple_of(4) { Ok(target) } else { Err((0, target)) };
        let outcome: Result<(), (u32, u32)> = (|| {
            match opcode {
                0x37 => result = Some(word & 0xFFFF_F000),
                0x17 => result = Some(self.pc.wrapping_add(word & 0xFFFF_F000)),
                0x6F => {
                    let distance = (word >> 31) << 20 | (word >> 12 & 0xFF) << 12 | (word >> 20 & 1) << 11;
                    let distance = sign(distance | (word >> 21 & 0x3FF) << 1, 21);
                    result = Some(next);
                    next = go(self.pc.wrapping_add(distance))?;
                    cost += 1;
                }
                0x67 if funct3 == 0 => {
                    result = Some(next);
                    next = go(a.wrapping_add(upper) & !1)?;
                    cost += 1;
                }
                0x63 => {
                    let distance = (word >> 31) << 12 | (word >> 7 & 1) << 11 | (word >> 25 & 0x3F) << 5;
                    let distance = sign(distance | (word >> 8 & 15) << 1, 13);
                    let taken = match funct3 {
                        0 => a == b,
                        1 => a != b,
                        4 => (a as i32) < b as i32,
                        5 => a as i32 >= b as i32,
                        6 => a < b,
                        7 => a >= b,
                        _ => return Err(illegal),
                    };
                    if taken {
                        next = go(self.pc.wrapping_add(distance))?;
                        cost += 1;
                    }
                }
                0x03 => {
                    let length = match funct3 {
                        0 | 4 => 1,
                        1 | 5 => 2,
                        2 => 4,
                        _ => return Err(illegal),
                    };
                    let at = a.wrapping_add(upper);
                    if at % length != 0 {
                        return Err((4, at));
                    }
                    if !self.may_load(at, length) {
                        return Err((5, at));
                    }
                    let value = self.word(at) & (u64::MAX >> (64 - 8 * length)) as u32;
                    result = Some(if funct3 < 2 { sign(value, 8 * length) } else { value });
                    cost += 1;
                }
                0x23 => {
                    let length = match funct3 {
                        0..=2 => 1u32 << funct3,
                        _ => return Err(illegal),
                    };
                    let at = a.wrapping_add(sign(funct7 << 5 | word >> 7 & 31, 12));
                    if at % length != 0 {
                        return Err((6, at));
                    }
                    if !Self::in_data(at, length) {
                        return Err((7, at));
                    }
                    for i in 0..length {
                        self.memory.insert(at + i, (b >> (8 * i)) as u8);
                    }
                    cost += 1;
                }
                0x13 => {
                    let count = word >> 20 & 31;
                    result = Some(match (funct3, funct7) {
                        (0, _) => a.wrapping_add(upper),
                        (2, _) => u32::from((a as i32) < upper as i32),
                        (3, _) => u32::from(a < upper),
                        (4, _) => a ^ upper,
                        (6, _) => a | upper,
                        (7, _) => a & upper,
                        (1, 0) => a << count,
                        (5, 0) => a >> count,
                        (5, 0x20) => (a as i32 >> count) as u32,
                        _ => return Err(illegal),
                    });
                }
                0x33 => {
                    result = Some(match (funct7, funct3) {
                        (0, 0) => a.wrapping_add(b),
                        (0x20, 0) => a.wrapping_sub(b),
                        (0, 1) => a << (b & 31),
                        (0, 2) => u32::from((a as i32) < b as i32),
                        (0, 3) => u32::from(a < b),
                        (0, 4) => a ^ b,
                        (0, 5) => a >> (b & 31),
                        (0x20, 5) => (a as i32 >> (b & 31)) as u32,
                        (0, 6) => a | b,
                        (0, 7) => a & b,
                        (1, 0) => (i128::from(a) * i128::from(b)) as u32,
                        (1, 1) => (i128::from(a as i32) * i128::from(b as i32) >> 32) as u32,
                        (1, 2) => (i128::from(a as i32) * i128::from(b) >> 32) as u32,
                        (1, 3) => (i128::from(a) * i128::from(b) >> 32) as u32,
                        (1, 4) if b == 0 => u32::MAX,
                        (1, 4) => (i64::from(a as i32) / i64::from(b as i32)) as u32,
                        (1, 5) => a.checked_div(b).unwrap_or(u32::MAX),
                        (1, 6) if b == 0 => a,
                        (1, 6) => (i64::from(a as i32) % i64::from(b as i32)) as u32,
                        (1, 7) => a.checked_rem(b).unwrap_or(a),
                        _ => return Err(illegal),
                    });
                    if funct7 == 1 {
                        cost += if funct3 < 4 { 3 } else { 15 };
                    }
                }
                0x0F if funct3 < 2 => {}
                0x73 if funct3 == 0 => match word {
                    0x0000_0073 | 0x0010_0073 => {}
                    0x3020_0073 => {
                        let status = self.csr[&0x300];
                        self.csr.insert(0x300, 0x80 | if status & 0x80 != 0 { 8 } else { 0 });
                        next = self.csr[&0x341];
                        cost += 1;
                    }
                    // It waits for what is enabled, and nothing ever asks.
                    0x1050_0073 if self.csr[&0x304] != 0 => next = self.pc,
                    0x1050_0073 => {}
                    _ => return Err(illegal),
                },
                0x73 if funct3 != 4 => {
                    let number = word >> 20;
                    let old = match number {
                        0x300 => self.csr[&0x300] | 0x1800,
                        0xB00 | 0xC00 => (self.cycles as u32).wrapping_add(self.ahead),
                        0xC02 => self.done as u32,
                        0xF14 => 0,
                        0x301 => 0x4000_1100,
                        known => *self.csr.get(&known).ok_or(illegal)?,
                    };
                    let given = if funct3 > 4 { word >> 15 & 31 } else { a };
                    let writes = funct3 & 3 == 1 || word >> 15 & 31 != 0;
                    if writes && number >= 0xC00 {
                        return Err(illegal);
                    }
                    let new = match funct3 & 3 {
                        1 => given,
                        2 => old | given,
                        _ => old & !given,
                    };
                    let new = match number {
                        0x300 => new & 0x88,
                        // Nothing asks for an interrupt here, so that only what is held matters.
                        0x304 => new & 0x0700_0888,
                        0x305 => new & !2,
                        0x341 => new & !3,
                        _ => new,
                    };
                    if writes && number == 0xB00 {
                        self.ahead = new.wrapping_sub(self.cycles as u32).wrapping_sub(1);
                    }
                    if writes && self.csr.contains_key(&number) {
                        self.csr.insert(number, new);
                    }
                    result = Some(old);
                }
                _ => return Err(illegal),
            }
            Ok(())
        })();
        if let Err((cause, about)) = outcome {
            return self.trap(cause, about);
        }
        if word == 0x73 {
            return if self.csr[&0x305] == 0 { Came::Call } else { self.trap(11, 0) };
        }
        if word == 0x0010_0073 && self.csr[&0x305] != 0 {
            return self.trap(3, self.pc);
        }
        if let Some(result) = result.filter(|_| rd != 0) {
            self.x[rd] = result;
        }
        let waits = word == 0x1050_0073 && next == self.pc;
        self.pc = next;
        self.cycles += cost;
        self.done += u64::from(!waits);
        if word == 0x0010_0073 { Came::Brk } else { Came::On }
    }
}

/// A fault by its number and what it is about.
fn about(kind: FaultKind, pc: u32, code: u32) -> (u32, u32) {
    match kind {
        FaultKind::Illegal { word } => (2, word),
        FaultKind::Misaligned { address, fetch: true } => (0, address.0),
        FaultKind::Execute { address } => (1, address.0),
        FaultKind::Misaligned { address, .. } => (if code & 0x7F == 0x23 { 6 } else { 4 }, address.0),
        FaultKind::Read { address } => (5, address.0),
        FaultKind::Write { address } => (7, address.0),
        FaultKind::DeviceByte { address } => (if code & 0x7F == 0x23 { 7 } else { 5 }, address.0),
        FaultKind::DivideByZero | FaultKind::TrapEntry { .. } => (u32::MAX, pc),
    }
}

/// The next instruction is an access to a device register, which the model has none of.
fn touches_device(model: &Model, code: u32) -> bool {
    let base = model.x[(code >> 15 & 31) as usize];
    let offset = match code & 0x7F {
        0x03 => sign(code >> 20, 12),
        0x23 => sign(code >> 25 << 5 | code >> 7 & 31, 12),
        _ => return false,
    };
    base.wrapping_add(offset) >= 0xFFFF_FE00
}

/// Counts steps and cycles.
#[derive(Default)]
struct Sees(u64, u64);
impl Observer for Sees {
    const WRITES: bool = true;
    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        (self.0, self.1) = (self.0 + 1, self.1 + report.cycles);
        ControlFlow::Continue(())
    }
}

/// Instructions whose accesses and jumps mostly lead somewhere.
fn insn() -> impl Strategy<Value = u32> {
    let count = rows().len();
    let csr = prop_oneof![
        Just(0x300u32),
        Just(0x304),
        Just(0x305),
        Just(0x340),
        Just(0x341),
        Just(0x342),
        Just(0x343),
        Just(0xB00),
        Just(0xC00),
        Just(0xC02),
        Just(0xF14),
        Just(0x301),
        Just(0x7C0)
    ];
    (0..count, (0u8..32, 0u8..32, 0u8..32), any::<u32>(), csr, 0u8..8).prop_map(|(row, registers, value, csr, kind)| {
        let row = &rows()[row];
        let (rd, rs1, rs2) = registers;
        let (rs1, value) = match row.format {
            // Register 8 points into the data, 9 at the code.
            Format::Load | Format::Store if row.op != Op::Jalr && kind < 7 => (8, value % 0x110),
            _ if row.op == Op::Jalr && kind < 6 => (9, value % 0x41 & !u32::from(kind < 5) & !2),
            Format::Branch | Format::Jump => (rs1, (value % 17).wrapping_sub(8).wrapping_mul(4) & !3),
            Format::Csr | Format::CsrConstant => (rs1, csr),
            Format::Shift => (rs1, value & 31),
            _ => (rs1, value),
        };
        let rd = if (rd == 8 || rd == 9) && kind < 7 { 10 } else { rd };
        encode(Insn::new(row.op, (rd, rs1, rs2), value))
    })
}

fn x_of(machine: &Machine) -> [u32; 32] {
    std::array::from_fn(|index| machine.register(Reg::at(index)))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1500))]

    /// Registers, place, memory, cycles, control registers and faults are those of the model after each step, and what a step
    /// tells is what it did.
    #[test]
    fn each_step_is_that_of_the_model(
        code in proptest::collection::vec(insn(), 4..40),
        given in proptest::array::uniform32(prop_oneof![any::<u32>(), 0u32..4, Just(0x8000_0000), Just(u32::MAX), Just(CODE + 8)]),
    ) {
        let image = image(&code);
        let mut machine = machine(&code);
        for (number, value) in (0u8..).zip(given).skip(1).filter(|(number, _)| *number != 2) {
            let value = match number { 8 => DATA, 9 => CODE, _ => value };
            machine.feed(&Event::SetRegister(Reg(number), value));
        }
        let mut model = Model::new(&image, x_of(&machine));
        // The arguments that the start puts on the stack.
        for at in machine.stack_pointer().0..0x8000_0000 {
            model.memory.insert(at, machine.byte(Addr(at)));
        }
        for _ in 0..120 {
            let (pc, before) = (machine.pc(), x_of(&machine));
            let code = machine.word(pc);
            let stop = machine.step_on(Run::until(machine.steps() + 1));
            let is_loop = stop == Stop::Circling { period: 1 };
            let expected = model.clone().step();
            if is_loop {
                let mut after = model.clone();
                after.step();
                prop_assert_eq!((after.pc, after.x), (model.pc, model.x), "it is no jump to itself");
                break;
            }
            // Calls and devices are other tests'.
            if expected == Came::Call || touches_device(&model, code) {
                break;
            }
            let came = model.step();
            match (came, &stop) {
                (Came::Fault(cause, what), Stop::Fault(fault)) => {
                    prop_assert_eq!(about(fault.kind, pc.0, code), (cause, what));
                    prop_assert_eq!((machine.pc(), x_of(&machine)), (pc, before), "nothing has happened");
                    break;
                }
                (Came::Brk, Stop::Brk) | (Came::On, Stop::Steps) => {}
                (came, stop) => prop_assert!(false, "{came:?}, {stop:?} at {pc:?} of {code:08X}"),
            }
            prop_assert_eq!(x_of(&machine), model.x, "{:08X}", code);
            prop_assert_eq!((machine.pc().0, machine.cycles()), (model.pc, model.cycles), "{:08X}", code);
            let report = machine.last_report();
            for write in &report.writes {
                match *write {
                    Write::Register { register, old, new, .. } => {
                        prop_assert_eq!((before[register.index()], model.x[register.index()]), (old, new));
                    }
                    Write::Memory { address, length, new, .. } => {
                        let mask = (u64::MAX >> (64 - 8 * length)) as u32;
                        prop_assert_eq!(model.word(address.0) & mask, new);
                    }
                    _ => prop_assert!(false, "{write:?}"),
                }
            }
            prop_assert_eq!((report.pc, report.next.0), (pc, model.pc));
            // Registers that no write tells of are as before.
            for (index, (old, new)) in before.into_iter().zip(model.x).enumerate() {
                let is_it = |write: &Write| matches!(write, Write::Register { register, .. } if register.index() == index);
                prop_assert!(old == new || report.writes.iter().any(is_it), "x{index} of {code:08X}");
            }
        }
        for (&at, &byte) in &model.memory {
            prop_assert_eq!(machine.byte(Addr(at)), byte, "{:08X}", at);
        }
    }

    /// Run at one go, with slices of any length, from a state that was kept, observed or counted: it is the same run.
    #[test]
    fn however_it_is_run_it_is_the_same(
        code in proptest::collection::vec(insn(), 4..40), slices in proptest::collection::vec(1u64..40, 1..12), at in 0u64..60,
        known in any::<bool>(), closely in any::<bool>(),
    ) {
        let start = || if closely { made(&code, known, Watchful::Closely) } else { made(&code, known, Watchful::Usual) };
        let mut whole = start();
        // Pauses, and what waits for nobody: until nothing more comes.
        let go = |machine: &mut Machine, until: u64| loop {
            match machine.run(Run::until(StepNo(until))) {
                Stop::Brk => {}
                stop => break stop,
            }
        };
        go(&mut whole, 200);
        let mut sliced = start();
        let mut until = 0;
        for slice in slices.iter().cycle().take(400) {
            until = (until + slice).min(200);
            let stop = go(&mut sliced, until);
            if stop != Stop::Steps || until == 200 {
                break;
            }
        }
        prop_assert!(sliced.same_state(&whole), "{:?} {:?}", sliced.steps(), whole.steps());
        let mut kept = start();
        go(&mut kept, at);
        let snapshot = kept.snapshot();
        let moment = kept.clone();
        go(&mut kept, 200);
        prop_assert!(kept.same_state(&whole));
        kept.restore(&snapshot);
        prop_assert!(kept.same_state(&moment), "it was put back");
        go(&mut kept, 200);
        prop_assert!(kept.same_state(&whole) && kept.cycles() == whole.cycles());

        let mut seen = Sees::default();
        let mut observed = start();
        while observed.run_observed(Run::until(StepNo(200)), &mut seen) == Stop::Brk {}
        prop_assert!(observed.same_state(&whole));
        prop_assert_eq!((seen.0, seen.1), (whole.steps().0, whole.cycles()));
        let mut counted = start();
        let mut counting = wendax_machine::Counting::new(&mut counted);
        while counted.run_counted(Run::until(StepNo(200)), &mut counting) == Stop::Brk {}
        prop_assert!(counted.same_state(&whole));
        let counts = counting.counts();
        let failed: u64 = counts.places.iter().map(|place| place.failed).sum();
        let cycles: u64 = counts.places.iter().map(|place| place.cycles).sum();
        let entries: u64 = counts.traps.values().map(|count| count.cycles).sum();
        prop_assert_eq!((counts.cycles, cycles + entries), (whole.cycles(), whole.cycles()));
        let times: u64 = counts.places.iter().map(|place| place.times).sum();
        prop_assert!(times + failed <= whole.steps().0, "what cannot be fetched has no place");
    }
}

/// A machine with registers that lead somewhere, of which few or all are known.
fn made(code: &[u32], known: bool, watchful: Watchful) -> Machine {
    let settings = Settings { clock: wendax_machine::Clock::Cycles, watchful, ..Settings::default() };
    let mut machine = Machine::new(&image(code), settings);
    for number in (1..32u8).filter(|number| *number != 2 && known) {
        machine.feed(&Event::SetRegister(Reg(number), u32::from(number) * 0x0808_0409));
    }
    machine.feed(&Event::SetRegister(Reg(8), DATA));
    machine.feed(&Event::SetRegister(Reg(9), CODE));
    machine
}

/// An instruction that groups are made of, in a loop: calls and returns among them.
fn grouped() -> impl Strategy<Value = u32> {
    let register = || prop::sample::select(vec![0u8, 1, 5, 10, 11, 12, 13]);
    let ops = prop::sample::select(vec![
        Op::Addi,
        Op::Add,
        Op::Sub,
        Op::Lui,
        Op::Auipc,
        Op::Slli,
        Op::Srli,
        Op::Andi,
        Op::Xor,
        Op::Mul,
        Op::Divu,
        Op::Sltu,
        Op::Lw,
        Op::Lbu,
        Op::Lh,
        Op::Sw,
        Op::Sb,
        Op::Sh,
        Op::Beq,
        Op::Bne,
        Op::Bltu,
        Op::Bge,
        Op::Jal,
        Op::Jalr,
        Op::Fence,
    ]);
    (ops, register(), register(), register(), any::<u16>(), any::<bool>()).prop_map(
        |(op, rd, rs1, rs2, value, stack)| {
            let value = i32::from(value);
            let (rd, rs1, value) = match op {
                Op::Lw | Op::Lbu | Op::Lh | Op::Sw | Op::Sb | Op::Sh => {
                    (rd, if value % 8 == 0 { rs1 } else { 8 }, value % 0x108)
                }
                Op::Beq | Op::Bne | Op::Bltu | Op::Bge => (0, rs1, (value % 13 - 6) * 4),
                Op::Jal => (if value & 1 == 0 { 0 } else { rd }, 0, (value % 13 - 6) * 4),
                Op::Jalr if value % 4 == 0 => (rd, 9, value % 16 * 4),
                Op::Jalr => (0, 1, 0),
                Op::Addi if stack => (2, 2, (value % 5 - 2) * 16),
                Op::Slli | Op::Srli => (rd, rs1, value % 32),
                _ => (rd, rs1, value % 2048),
            };
            encode(Insn::new(op, (rd, rs1, rs2), value.cast_unsigned()))
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1500))]

    /// Groups with breakpoints, watched cells and a depth in the way, put back and forked in between: the same stop at the
    /// same step as one instruction after another.
    #[test]
    fn groups_are_one_step_after_another(
        code in proptest::collection::vec(grouped(), 3..24),
        known in any::<bool>(), closely in any::<bool>(),
        breakpoints in proptest::collection::vec(0u32..24, 0..2),
        watched in proptest::option::of((0u32..0x100, 1u32..5)),
        depth in proptest::option::of(0u32..3),
        deeds in proptest::collection::vec((0u8..6, 1u64..300), 1..8),
    ) {
        let mut code = code;
        let back = -4 * i32::try_from(code.len()).expect("short");
        code.push(op(Op::Jal, (0, 0, 0), back));
        let make = |watchful| {
            let mut machine = made(&code, known, watchful);
            let places: Vec<Addr> = breakpoints.iter().map(|at| Addr(CODE + 4 * at)).collect();
            machine.set_breakpoints(&places);
            if let Some((from, length)) = watched {
                let cells = vec![(Addr(DATA + from), Addr(DATA + from + length))];
                machine.set_lookout(&wendax_machine::Lookout { cells, ..wendax_machine::Lookout::default() });
            }
            machine
        };
        let mut fast = make(if closely { Watchful::Closely } else { Watchful::Usual });
        let mut slow = make(Watchful::Usual);
        let mut kept = vec![(fast.snapshot(), slow.snapshot())];
        for (deed, steps) in deeds {
            match deed {
                0 => kept.push((fast.snapshot(), slow.snapshot())),
                1 => {
                    let (of_fast, of_slow) = &kept[usize::try_from(steps).expect("small") % kept.len()];
                    fast.restore(of_fast);
                    slow.restore(of_slow);
                }
                2 => fast = fast.clone(),
                3 => {
                    let how = Run { depth, ..Run::until(slow.steps() + steps) };
                    let most = if steps % 2 == 0 { usize::MAX } else { 40 };
                    crate::swift::told_alike(&mut fast, &mut slow, how, (u8::try_from(steps % 3).expect("small"), most))?;
                }
                _ => {
                    let how = Run { depth, ..Run::until(slow.steps() + steps) };
                    let found = fast.run(how);
                    let wanted = crate::swift::step_by_step(&mut slow, how);
                    prop_assert_eq!(&found, &wanted, "{:08X?}", code);
                }
            }
            prop_assert_eq!((fast.steps(), fast.cycles(), fast.pc()), (slow.steps(), slow.cycles(), slow.pc()));
            prop_assert_eq!(x_of(&fast), x_of(&slow));
            prop_assert_eq!(fast.frames(), slow.frames());
            prop_assert!(fast.same_state(&slow), "{:08X?}", code);
        }
    }
}

/// What ran in one go before tells again what it uses, once that was forgotten.
#[test]
fn what_instructions_use_is_told_anew_after_it_was_forgotten() {
    // The last steps of a run are taken one by one: one that is in the middle of a long round is not among them.
    let mut code = vec![op(Op::Xori, (11, 10, 0), 3)];
    code.resize(61, op(Op::Addi, (10, 10, 0), 1));
    code.push(op(Op::Jal, (0, 0, 0), -4 * 61));
    let mut machine = made(&code, true, Watchful::Usual);
    machine.run(Run::until(StepNo(62 * 200 + 31)));
    machine.forget_code();
    machine.run(Run::until(StepNo(62 * 400 + 31)));
    let used = machine.uses_so_far();
    assert_eq!((used.writes & 0xFFFF, used.reads & 0xFFFF), (0b11 << 10, 0b1 << 10));
}

/// A wait arrives at its place with each of its cycles: a breakpoint there is met each time, though without one it is passed over.
#[test]
fn a_breakpoint_where_it_waits_is_met_with_each_cycle() {
    const WFI: u32 = 0x1050_0073;
    let mut before = li(6, 500).to_vec();
    before.extend([op(Op::Sw, (0, 0, 6), -444), op(Op::Addi, (6, 0, 0), 3), op(Op::Sw, (0, 0, 6), -440)]);
    let code = interrupted(1 << 24, &before, &[op(Op::Addi, (7, 7, 0), 1)], &[WFI, op(Op::Jal, (0, 0, 0), -4)]);
    let place =
        CODE + 4 * u32::try_from(code.iter().position(|word| *word == WFI).expect("it is there")).expect("short");
    let mut stopped = machine(&code);
    stopped.set_breakpoints(&[Addr(place)]);
    assert_eq!(stopped.run(Run::until(StepNo(10_000))), Stop::Breakpoint);
    for more in 1..20 {
        let at = stopped.steps();
        assert_eq!(stopped.run(Run::until(StepNo(10_000))), Stop::Breakpoint, "{more}");
        assert_eq!((stopped.steps(), stopped.pc()), (at + 1, Addr(place)), "{more}");
    }
}

// ---- what programs do

/// An assembler's words of a few instructions.
fn li(rd: u8, value: i32) -> [u32; 2] {
    let low = value << 20 >> 20;
    let high = value.wrapping_sub(low).cast_unsigned();
    [encode(Insn::new(Op::Lui, (rd, 0, 0), high)), encode(Insn::new(Op::Addi, (rd, rd, 0), low.cast_unsigned()))]
}

fn op(op: Op, registers: (u8, u8, u8), value: i32) -> u32 {
    encode(Insn::new(op, registers, value.cast_unsigned()))
}

const ECALL: u32 = 0x73;
const RET: u32 = 0x0000_8067;

/// A call by its number with arguments.
fn call(number: i32, arguments: &[i32]) -> Vec<u32> {
    let mut code = Vec::new();
    for (register, value) in (10u8..).zip(arguments) {
        code.extend(li(register, *value));
    }
    code.extend(li(17, number));
    code.push(ECALL);
    code
}

fn ended(code: &[u32]) -> Machine {
    let mut machine = machine(code);
    let stop = machine.run(Run::until(StepNo(10_000)));
    assert!(matches!(stop, Stop::Finished(_) | Stop::Brk), "{stop:?} at {:?}", machine.pc());
    machine
}

#[test]
fn calls_print_read_and_end_with_a_status() {
    let text = b"load 7\n";
    let place = i32::try_from(DATA).unwrap();
    let mut code = Vec::new();
    for (offset, byte) in (0..).zip(text) {
        code.extend(li(5, place));
        code.extend(li(6, (*byte).into()));
        code.push(op(Op::Sb, (0, 5, 6), offset));
    }
    code.extend(call(64, &[1, place, 7]));
    code.extend(call(0x1012, &[-5]));
    code.extend(call(0x1014, &[0x1234_ABCD]));
    code.extend(call(93, &[3]));
    let mut machine = ended(&code);
    assert_eq!(machine.take_output(), b"load 7\n-51234ABCD");
    assert_eq!(machine.finished(), Some(3));
}

#[test]
fn failures_are_negative_numbers_and_codes_beside_the_result() {
    let last = |machine: &Machine| (machine.register(Reg(10)).cast_signed(), machine.register(Reg(11)));
    let with = |mut code: Vec<u32>| {
        code.push(0x0010_0073);
        ended(&code)
    };
    assert_eq!(last(&with(call(64, &[9, DATA.cast_signed(), 1]))).0, -9);
    assert_eq!(last(&with(call(64, &[1, 4, 1]))).0, -14);
    assert_eq!(last(&with(call(63, &[1, DATA.cast_signed(), 1]))).0, -9);
    assert_eq!(last(&with(call(291, &[1]))).0, -38);
    assert_eq!(last(&with(call(56, &[-100, DATA.cast_signed(), 0]))).0, -13, "there is no folder");
    assert_eq!(last(&with(call(0x1011, &[16, 77]))), (16, 2), "what was asked stays");
    assert_eq!(last(&with(call(0x1099, &[5, 6]))), (5, 1));
    assert_eq!(last(&with(call(0x1001, &[5, 6]))), (0, 0));
}

#[test]
fn the_heap_grows_and_shrinks_within_its_bounds() {
    let heap = 0x0003_0000;
    let with = |calls: &[Vec<u32>]| {
        let mut code = calls.concat();
        code.push(0x0010_0073);
        ended(&code)
    };
    assert_eq!(with(&[call(214, &[0])]).register(Reg(10)), heap);
    let mut machine = with(&[call(214, &[heap.cast_signed() + 100]), vec![op(Op::Sw, (0, 10, 17), -4)]]);
    assert_eq!(machine.word(Addr(heap + 96)), 214, "{:?}", machine.pc());
    assert_eq!(machine.regions().iter().filter(|region| region.contains(Addr(heap + 99))).count(), 1);
    let snapshot = machine.snapshot();
    machine.feed(&Event::SetByte(Addr(heap), 7));
    assert_eq!(machine.memory_since(&snapshot).len(), 1);
    let shrunk = with(&[call(214, &[heap.cast_signed() + 100]), call(214, &[heap.cast_signed() + 8])]);
    assert_eq!(shrunk.register(Reg(10)), heap + 8);
    assert_eq!(shrunk.cell(Addr(heap + 9)), wendax_machine::CellState::Unmapped);
    // Not more than 64 MiB in all.
    assert_eq!(with(&[call(214, &[0x0800_0000])]).register(Reg(10)), heap);
    assert_eq!(with(&[call(222, &[0, 0x0800_0000, 3, 0x22, -1, 0])]).register(Reg(10)).cast_signed(), -12);
}

#[test]
fn input_is_asked_for_and_read_by_lines() {
    let mut code = call(63, &[0, DATA.cast_signed(), 100]);
    code.extend(call(0x1022, &[]));
    code.push(0x0010_0073);
    let mut machine = machine(&code);
    assert_eq!(machine.run(Run::until(StepNo(99))), Stop::Needs(Need::Input));
    let at = machine.steps();
    machine.feed(&Event::Typed(b"north\n -12\n".to_vec()));
    assert_eq!((machine.run(Run::until(StepNo(99))), machine.register(Reg(10))), (Stop::Brk, (-12i32).cast_unsigned()));
    assert_eq!((machine.byte(Addr(DATA)), machine.byte(Addr(DATA + 6))), (b'n', 6 ^ 0xA5), "a line, and no more");
    assert!(machine.steps() > at);
}

#[test]
fn a_routine_is_entered_and_left_as_its_frames_say() {
    // main calls a leaf, which calls by way of another register and returns.
    let code = [
        op(Op::Jal, (1, 0, 0), 12),
        0x0010_0073,
        0x0010_0073,
        op(Op::Addi, (2, 2, 0), -16),
        op(Op::Sw, (0, 2, 1), 12),
        op(Op::Jal, (1, 0, 0), 16),
        op(Op::Lw, (1, 2, 0), 12),
        op(Op::Addi, (2, 2, 0), 16),
        RET,
        RET,
    ];
    let mut machine = machine(&code);
    let depths: Vec<usize> = (0..9)
        .map(|_| {
            machine.step();
            machine.frames().len()
        })
        .collect();
    assert_eq!(depths, [1, 1, 1, 2, 1, 1, 1, 0, 0]);
    assert_eq!(machine.pc(), Addr(CODE + 8));
    // Where the way back was put is told by what was stored there.
    let mut machine = self::machine(&code);
    for _ in 0..3 {
        machine.step();
    }
    assert_eq!(machine.note(Addr(machine.stack_pointer().0 + 12)), wendax_machine::Note::Return);
    assert_eq!(machine.run(Run { depth: Some(0), ..Run::until(StepNo(99)) }), Stop::Depth { returned: true });
}

#[test]
fn arguments_lie_on_the_stack() {
    let settings = Settings { arguments: vec![b"north".to_vec(), b"".to_vec()], ..Settings::default() };
    let machine = Machine::new(&image(&[0x0010_0073]), settings);
    let sp = machine.stack_pointer();
    assert_eq!((machine.word(sp), machine.register(Reg(10)), machine.register(Reg(11))), (2, 2, sp.0 + 4));
    assert!(sp.is_multiple_of(16));
    let first = machine.word(sp + 4);
    assert_eq!((0..6).map(|at| machine.byte(Addr(first + at))).collect::<Vec<_>>(), b"north\0");
    assert_eq!((3..7).map(|at| machine.word(sp + 4 * at)).collect::<Vec<_>>(), [0; 4]);
    assert!(machine.register_known(Reg(0)) && !machine.register_known(Reg(5)));
}

/// A handler at the end that counts into `s1` and returns, after `before` has been run with interrupts of a kind allowed.
fn interrupted(enable: i32, before: &[u32], handler: &[u32], body: &[u32]) -> Vec<u32> {
    let mut code = Vec::new();
    let place = CODE.cast_signed() + 4 * 64;
    code.extend(li(5, place));
    code.push(op(Op::Csrrw, (0, 5, 0), 0x305));
    code.extend(li(5, enable));
    code.push(op(Op::Csrrw, (0, 5, 0), 0x304));
    code.extend(before);
    code.push(op(Op::Csrrwi, (0, 8, 0), 0x300));
    code.extend(body);
    assert!(code.len() <= 64);
    code.resize(64, op(Op::Jal, (0, 0, 0), 0));
    code.extend(handler);
    code.push(op(Op::Addi, (9, 9, 0), 1));
    code.push(0x3020_0073);
    code
}

#[test]
fn the_clock_interrupts_when_its_time_has_come_and_asks_until_it_is_set_anew() {
    // Compared with 60 cycles; the handler sets it to never.
    let set = |register: u8| [op(Op::Sw, (0, 0, register), -376), op(Op::Sw, (0, 0, 0), -372)].to_vec();
    let mut before = li(6, 60).to_vec();
    before.extend(set(6));
    let mut handler = li(7, -1).to_vec();
    handler.extend([op(Op::Sw, (0, 0, 7), -372)]);
    let code = interrupted(1 << 7, &before, &handler, &[op(Op::Addi, (0, 0, 0), 0), op(Op::Jal, (0, 0, 0), -4)]);
    let mut machine = machine(&code);
    let mut entered = None;
    for _ in 0..400 {
        machine.step_on(Run::until(machine.steps() + 1));
        let report = machine.last_report();
        if report.kind == StepKind::Interrupt(7) {
            entered = entered.or(Some(machine.cycles() - report.cycles));
        }
    }
    let entered = entered.expect("it came");
    assert!((60..63).contains(&entered), "at {entered}");
    assert_eq!(machine.register(Reg(9)), 1, "once");
}

#[test]
fn keys_and_levers_interrupt_and_waiting_ends_with_them() {
    const WFI: u32 = 0x1050_0073;
    // Keys interrupt by bit 4 of the console's state; the handler takes the key.
    let before = [op(Op::Addi, (6, 0, 0), 16), op(Op::Sw, (0, 0, 6), -480)];
    let handler = [op(Op::Lw, (12, 0, 0), -476)];
    let code = interrupted(1 << 25, &before, &handler, &[WFI, op(Op::Jal, (0, 0, 0), -4)]);
    let mut machine = machine(&code);
    let waiting = Run { watch: wendax_machine::Watch::Idle, ..Run::until(StepNo(3_000_000)) };
    let Stop::Idle { awaited, .. } = machine.run(waiting) else { panic!("it waits") };
    assert!(awaited.console && !awaited.levers);
    machine.feed(&Event::Typed(b"k".to_vec()));
    assert!(machine.interrupt_comes());
    machine.run(Run::until(machine.steps() + 5));
    assert_eq!((machine.register(Reg(12)), machine.register(Reg(9))), (b'k'.into(), 1));

    let before = [op(Op::Addi, (6, 0, 0), 3), op(Op::Sw, (0, 0, 6), -408)];
    let handler = [op(Op::Lw, (12, 0, 0), -412)];
    let code = interrupted(1 << 26, &before, &handler, &[WFI, op(Op::Jal, (0, 0, 0), -4)]);
    let mut machine = self::machine(&code);
    machine.run(Run::until(StepNo(40)));
    machine.feed(&Event::Levers(4));
    assert!(!machine.interrupt_comes(), "that lever does not ask");
    machine.feed(&Event::Levers(6));
    machine.run(Run::until(machine.steps() + 5));
    assert_eq!((machine.register(Reg(12)), machine.register(Reg(9))), (6, 1));
    assert!(!machine.interrupt_comes(), "the levers were looked at");
}

/// An interrupt that comes while a program waits lets it go on behind the `wfi`: else a loop that waits for a flag, set by its
/// handler, would wait for ever.
#[test]
fn what_was_waited_for_lets_it_go_on_behind_wfi() {
    const WFI: u32 = 0x1050_0073;
    let before = [op(Op::Addi, (6, 0, 0), 16), op(Op::Sw, (0, 0, 6), -480)];
    let handler = [op(Op::Lw, (12, 0, 0), -476)];
    let code = interrupted(1 << 25, &before, &handler, &[WFI, op(Op::Csrrs, (13, 0, 0), 0xB02), 0x0010_0073]);
    let waiting = Run { watch: wendax_machine::Watch::Idle, ..Run::until(StepNo(3_000_000)) };
    let done = |machine: &mut Machine| {
        machine.step_on(Run::until(machine.steps() + 1));
        let entered = machine.last_report();
        assert_eq!(entered.kind, StepKind::Interrupt(25));
        assert_eq!(machine.control(0x341), Some(entered.pc.0 + 4));
        assert_eq!(machine.frames().last().map(|frame| frame.back), Some(entered.pc + 4));
        machine.run(Run::until(machine.steps() + 4));
        machine.register(Reg(13))
    };
    // While it waits, and just before it would.
    let mut waits = machine(&code);
    assert!(matches!(waits.run(waiting), Stop::Idle { .. }), "it waits");
    waits.feed(&Event::Typed(b"k".to_vec()));
    let counted = done(&mut waits);
    assert!(counted > 0);
    let mut comes = machine(&code);
    while comes.word(comes.pc()) != WFI {
        comes.step_on(Run::until(comes.steps() + 1));
    }
    comes.feed(&Event::Typed(b"k".to_vec()));
    assert_eq!(done(&mut comes), counted, "waiting is one instruction, however long");
}

#[test]
fn devices_are_words_at_their_places() {
    let at = |code: &[u32]| {
        let mut machine = machine(code);
        (machine.run(Run::until(StepNo(20))), machine)
    };
    let (stop, machine) = at(&[op(Op::Addi, (5, 0, 0), 0x155), op(Op::Sw, (0, 0, 5), -416), 0x0010_0073]);
    assert_eq!((stop, machine.board().lamps), (Stop::Brk, 0x155));
    for (code, kind) in [
        (op(Op::Sb, (0, 0, 5), -416), FaultKind::DeviceByte { address: Addr(0xFFFF_FE60) }),
        (op(Op::Lw, (5, 0, 0), -508), FaultKind::Read { address: Addr(0xFFFF_FE04) }),
        (op(Op::Sw, (0, 0, 5), -412), FaultKind::Write { address: Addr(0xFFFF_FE64) }),
        (op(Op::Lw, (5, 0, 0), 16), FaultKind::Read { address: Addr(16) }),
        (op(Op::Lw, (5, 0, 0), -415), FaultKind::Misaligned { address: Addr(0xFFFF_FE61), fetch: false }),
    ] {
        let (stop, _) = at(&[code]);
        assert!(matches!(stop, Stop::Fault(fault) if fault.kind == kind), "{stop:?}, not {kind:?}");
    }
}

#[test]
fn counters_written_show_what_was_written_behind_the_instruction() {
    let mut code = li(5, 1000).to_vec();
    code.push(op(Op::Csrrw, (0, 5, 0), 0xB00));
    code.push(op(Op::Csrrs, (6, 0, 0), 0xB00));
    code.push(op(Op::Csrrs, (7, 0, 0), 0xC00));
    code.push(op(Op::Csrrw, (0, 5, 0), 0xB02));
    code.push(op(Op::Csrrs, (8, 0, 0), 0xC02));
    code.push(op(Op::Csrrs, (9, 0, 0), 0xC02));
    code.push(0x0010_0073);
    let machine = ended(&code);
    assert_eq!([6, 7, 8, 9].map(|register| machine.register(Reg(register))), [1000, 1001, 1000, 1001]);
}

/// Runs to the end, files of the folder given as they are asked for.
fn with_files(code: &[u32], files: &[(&str, &[u8])]) -> Machine {
    let settings = Settings { clock: wendax_machine::Clock::Cycles, has_folder: true, seed: 5, ..Settings::default() };
    let mut image = image(code);
    // The paths, behind what the data begins with.
    for (at, (path, _)) in (0x40..).step_by(0x20).zip(files) {
        let at: usize = at;
        image.segments[1].bytes[at..=at + path.len()].copy_from_slice(&[path.as_bytes(), b"\0"].concat());
    }
    let mut machine = Machine::new(&image, settings);
    loop {
        match machine.run(Run::until(StepNo(10_000))) {
            Stop::Needs(Need::File) => {
                let path = machine.wanted_file().expect("a path");
                let found = files.iter().find(|(name, _)| **name == *path);
                let found = found.map_or(Found::Nothing, |(_, bytes)| Found::Bytes(bytes.to_vec().into()));
                machine.feed(&Event::File(path, found));
            }
            Stop::Brk => return machine,
            stop => panic!("{stop:?} at {:?}", machine.pc()),
        }
    }
}

#[test]
fn files_are_opened_read_sought_told_and_written() {
    let data = DATA.cast_signed();
    let (list, report) = (data + 0x40, data + 0x60);
    let files = [("list.txt", &b"coal 12\nore 7\n"[..]), ("report.txt", b"old")];
    let keep = |register: u8| op(Op::Addi, (register, 10, 0), 0);
    let code = [
        call(56, &[-100, list, 0]),
        vec![keep(18)],
        call(62, &[3, 5, 0]),
        vec![keep(19)],
        call(63, &[3, data, 4]),
        vec![keep(20)],
        call(62, &[3, -2, 2]),
        vec![keep(21)],
        call(80, &[3, data + 0x80]),
        vec![keep(22)],
        call(56, &[-100, report, 0x241]),
        vec![keep(23)],
        call(64, &[4, data, 2]),
        call(57, &[4]),
        vec![keep(24)],
        call(64, &[3, data, 2]),
        vec![keep(25)],
        call(57, &[9]),
        vec![keep(26), 0x0010_0073],
    ]
    .concat();
    let machine = with_files(&code, &files);
    let register = |number| machine.register(Reg(number)).cast_signed();
    assert_eq!([18, 19, 20, 21, 22, 23, 24].map(register), [3, 5, 4, 12, 0, 4, 0]);
    assert_eq!([25, 26].map(register), [-13, -9], "it was opened to be read; that one is not open");
    assert_eq!((0..4).map(|at| machine.byte(Addr(DATA + at))).collect::<Vec<_>>(), b"12\nore"[..4].to_vec());
    let told = Addr(DATA + 0x80);
    assert_eq!((machine.word(told + 16), machine.word(told + 48)), (0o100_644, 14), "a file of 14 bytes");
    let kept: Vec<_> = machine.files().to_keep().map(|(path, bytes)| (path.to_string(), bytes.to_vec())).collect();
    assert_eq!(kept, [("report.txt".to_owned(), b"12".to_vec())]);
    // What is not there, and a path that leads out.
    let code = [call(56, &[-100, list, 0]), vec![keep(18)], call(0x1030, &[report, 0]), vec![0x0010_0073]].concat();
    let machine = with_files(&code, &[("a/../../out", b""), ("/etc/list", b"")]);
    assert_eq!(machine.register(Reg(18)).cast_signed(), -13, "it leads out of the folder");
    assert_eq!((machine.register(Reg(10)).cast_signed(), machine.register(Reg(11))), (report, 4));
}

#[test]
fn time_passes_and_is_told_and_random_bytes_are_the_seeds() {
    let data = DATA.cast_signed();
    let mut code = Vec::new();
    // 1 s and 500 ms to wait, then the time in both widths.
    for (offset, value) in [(0, 1), (4, 500_000_000)] {
        code.extend(li(5, data + offset));
        code.extend(li(6, value));
        code.push(op(Op::Sw, (0, 5, 6), 0));
    }
    code.extend(call(101, &[data, 0]));
    code.extend(call(113, &[0, data + 16]));
    code.extend(call(403, &[0, data + 32]));
    code.extend(call(278, &[data + 64, 8]));
    code.push(0x0010_0073);
    let machine = with_files(&code, &[]);
    let word = |offset: u32| machine.word(Addr(DATA + offset));
    assert_eq!((word(16), word(32), word(36)), (1, 1, 0), "seconds");
    assert!((500_000_000..501_000_000).contains(&word(20)) && word(20) == word(40) && word(44) == 0, "{}", word(20));
    assert_eq!(machine.own_milliseconds(), 1500);
    let again = with_files(&code, &[]);
    assert_eq!((word(64), word(68)), (again.word(Addr(DATA + 64)), again.word(Addr(DATA + 68))));
    assert_ne!(word(64), 0);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Whether waits are passed over and stretches run at one go with interrupts allowed, or each step is taken by itself and
    /// looked at: the same state at every moment, with a timer, a clock that is set anew, and what someone outside does.
    #[test]
    fn waits_and_stretches_with_interrupts_are_those_of_single_steps(
        timer in 1..3000_i32, control in 0..4_i32, ahead in 0..4000_i32, rounds in 1..60_i32,
        mie in prop::sample::select(vec![0, 1 << 7, 1 << 24, 1 << 7 | 1 << 24, 1 << 25 | 1 << 24, 1 << 26]),
        allowed in any::<bool>(), mut visits in prop::collection::vec(1..12_000_u64, 1..8), lever in 0..12_000_u64,
    ) {
        const WFI: u32 = 0x1050_0073;
        let mut before = li(6, timer).to_vec();
        before.extend([op(Op::Sw, (0, 0, 6), -444), op(Op::Addi, (6, 0, 0), control), op(Op::Sw, (0, 0, 6), -440)]);
        before.extend([op(Op::Addi, (6, 0, 0), 255), op(Op::Sw, (0, 0, 6), -408), op(Op::Addi, (14, 0, 0), 0)]);
        before.extend(li(7, ahead));
        before.extend([op(Op::Sw, (0, 0, 7), -376), op(Op::Sw, (0, 0, 0), -372)]);
        // The handler answers the timer, sets the clock on, and looks at the levers.
        let mut handler = vec![op(Op::Addi, (6, 0, 0), 7), op(Op::Sw, (0, 0, 6), -440), op(Op::Lw, (12, 0, 0), -412)];
        handler.extend(li(6, 700));
        handler.extend([op(Op::Lw, (13, 0, 0), -384), op(Op::Add, (6, 6, 13), 0), op(Op::Sw, (0, 0, 6), -376)]);
        // Some rounds of work, and then a wait.
        let mut body = li(8, rounds).to_vec();
        body.extend([op(Op::Addi, (8, 8, 0), -1), op(Op::Mul, (14, 14, 8), 0), op(Op::Bne, (0, 8, 0), -8), WFI]);
        if !allowed {
            // Nobody answers: the timer and the clock are answered here.
            body.extend([op(Op::Addi, (6, 0, 0), 7), op(Op::Sw, (0, 0, 6), -440), op(Op::Sw, (0, 0, 0), -376)]);
            body.insert(0, op(Op::Csrrci, (0, 8, 0), 0x300));
        }
        body.push(op(Op::Jal, (0, 0, 0), -4 * i32::try_from(body.len() - 2).expect("short")));
        let code = interrupted(mie, &before, &handler, &body);
        let (mut quick, mut slow) = (machine(&code), machine(&code));
        visits.push(12_000);
        visits.sort_unstable();
        let mut is_moved = false;
        for visit in visits {
            if visit > lever && !is_moved {
                is_moved = true;
                for machine in [&mut quick, &mut slow] {
                    machine.feed(&Event::Levers(0x21));
                }
            }
            quick.run(Run::until(StepNo(visit)));
            while slow.steps() < StepNo(visit) {
                slow.step_on(Run::until(slow.steps() + 1));
            }
            prop_assert_eq!((quick.steps(), quick.cycles(), quick.pc()), (slow.steps(), slow.cycles(), slow.pc()));
            prop_assert!(quick.same_state(&slow), "at {}", visit);
        }
    }
}

/// Linkers tell where `gp` points as a label or as a number: both are where it starts.
#[test]
fn the_global_pointer_starts_where_its_name_says() {
    use wendax_image::{Symbol, SymbolKind};
    for (kind, value) in [
        (SymbolKind::Data, 0x1_1800),
        (SymbolKind::Constant, 0x1_1E98),
        (SymbolKind::Constant, i64::from(0x8000_0800_u32.cast_signed())),
    ] {
        let mut image = image(&[0x0010_0073]);
        let span = wendax_source::Span::new(wendax_source::FileId(0), 0, 0);
        image.symbols.push(Symbol {
            name: "__global_pointer$".to_owned(),
            value,
            kind,
            span,
            is_global: true,
            bytes: 0,
        });
        let machine = Machine::new(&image, Settings::default());
        assert_eq!(i64::from(machine.register(Reg(3))), value & 0xFFFF_FFFF);
        assert!(machine.register_known(Reg(3)));
    }
    assert!(!machine(&[0x0010_0073]).register_known(Reg(3)));
}
